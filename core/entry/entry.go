// Package entry turns what a player does on a drawn neck, key by key, into a tune with the place of every note.
//
// What is entered is the list of keys itself: the state is always worked out from all of them, so that undo
// takes the last one away, nothing is ever half done, and the same keys give the same tune. Lengths go on until
// another is chosen; a dot is for one note, a triplet for three. Bars fill by themselves and close when they
// are full.
package entry

import (
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/score"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Limits of what is entered.
const (
	MaxKeys  = 20000
	MaxFret  = 22
	MaxTitle = 200 // characters
)

// Sheet is a tune being entered.
type Sheet struct {
	Title  string   `json:"title"`
	Tuning string   `json:"tuning"`
	Capo   int      `json:"capo"`
	Num    int      `json:"num"`
	Den    int      `json:"den"`
	Tempo  float64  `json:"tempo"`
	Keys   []string `json:"keys"`
}

// Keys. Beside these there are a number (the fret to write on the cursor's string), "put:string:fret" (a place
// that was touched) and "chord:NAME" ("chord:" takes the symbol away).
const (
	Up      = "up" // to a thinner string
	Down    = "down"
	Left    = "left"
	Right   = "right"
	Here    = "here" // write the note at the cursor
	Open    = "open"
	Rest    = "rest"
	Tie     = "tie" // the last note sounds on for the length in force
	Dot     = "dot"
	Triplet = "triplet"
	Slide   = "slide" // the notes that follow, or no longer
	With    = "with"  // the next note is struck with the last
	Free    = "free"  // the last note's place is left to the planner, or again not
	Bar     = "bar"   // the bar ends here
	Whole   = "whole"
	Half    = "half"
	Quarter = "quarter"
	Eighth  = "eighth"
	Sixteen = "sixteenth"
)

var lengths = map[string]tune.Time{Whole: tune.Whole, Half: tune.Whole / 2, Quarter: tune.Quarter, Eighth: tune.Quarter / 2,
	Sixteen: tune.Quarter / 4}

// Note is a note that was entered.
type Note struct {
	At, Dur tune.Time
	String  int
	Fret    int // from the capo
	Slide   bool
	Free    bool // its place is not pinned
}

// Chord is a chord symbol.
type Chord struct {
	At    tune.Time
	Chord chord.Chord
}

// State is what the keys have come to.
type State struct {
	Notes   []Note
	Rests   []Note // At and Dur
	Chords  []Chord
	Bars    []tune.Time // where each begins; the last is the one being filled
	Now     tune.Time   // where the next note begins
	String  int         // the cursor
	Fret    int
	Length  string
	Dotted  bool
	Triplet int // notes of it that are left
	Slide   bool
	With    bool
	meter   tune.MeterAt
}

// KeyError is a key that cannot be done, told for people.
type KeyError struct{ Key, Text string }

func (e *KeyError) Error() string { return e.Text }

// New is an empty sheet.
func New(tuned string) Sheet {
	return Sheet{Title: "", Tuning: tuned, Num: 4, Den: 4, Tempo: score.DefaultTempo}
}

// Check says what is wrong with what stands next to the keys.
func (s *Sheet) Check() error {
	if utf8.RuneCountInString(s.Title) > MaxTitle {
		return fmt.Errorf("a title has at most %d characters", MaxTitle)
	}
	if _, err := tuning.Parse(s.Tuning); err != nil {
		return err
	}
	if err := tuning.CheckCapo(s.Capo); err != nil {
		return err
	}
	if s.Num < 1 || s.Num > 16 || s.Den != 2 && s.Den != 4 && s.Den != 8 {
		return fmt.Errorf("%d/%d: write a meter like 4/4, 3/4 or 6/8", s.Num, s.Den)
	}
	if !(s.Tempo >= tune.MinTempo && s.Tempo <= tune.MaxTempo) {
		return fmt.Errorf("tempo %g: %s", s.Tempo, tune.TempoRule)
	}
	return nil
}

// Press adds a key if it can be done.
func (s *Sheet) Press(key string) error {
	if len(s.Keys) >= MaxKeys {
		return &KeyError{key, "this is the longest tune that can be entered: plan it, and continue in another"}
	}
	st := s.State()
	if err := st.apply(key); err != nil {
		return err
	}
	s.Keys = append(s.Keys, key)
	return nil
}

// moves are keys that change nothing of the tune; undo takes them together with what was entered before.
func moves(key string) bool { return key == Up || key == Down || key == Left || key == Right }

// Undo takes the last key away that entered something, and moves of the cursor after it.
func (s *Sheet) Undo() {
	n := len(s.Keys)
	for n > 0 && moves(s.Keys[n-1]) {
		n--
	}
	s.Keys = s.Keys[:max(n-1, 0)]
}

// State works the keys out. Keys that cannot be done are left out; Press lets none in.
func (s *Sheet) State() State {
	st := State{Bars: []tune.Time{0}, String: 1, Length: Quarter, meter: tune.MeterAt{Num: s.Num, Den: s.Den}}
	for _, k := range s.Keys {
		_ = st.apply(k)
	}
	return st
}

// Dur is the length of the next note.
func (st *State) Dur() tune.Time {
	d := lengths[st.Length]
	if st.Dotted {
		d = d * 3 / 2
	}
	if st.Triplet > 0 {
		d = d * 2 / 3
	}
	return d
}

// apply does one key.
func (st *State) apply(key string) error {
	name, rest, _ := strings.Cut(key, ":")
	switch name {
	case Up:
		st.String = max(1, st.String-1)
	case Down:
		st.String = min(tuning.Strings, st.String+1)
	case Left:
		st.Fret = max(0, st.Fret-1)
	case Right:
		st.Fret = min(MaxFret, st.Fret+1)
	case Here:
		return st.put(st.String, st.Fret)
	case Open:
		return st.put(st.String, 0)
	case "put":
		str, fret, _ := strings.Cut(rest, ":")
		a, err1 := strconv.Atoi(str)
		b, err2 := strconv.Atoi(fret)
		if err1 != nil || err2 != nil {
			return &KeyError{key, "a place is a string and a fret"}
		}
		return st.put(a, b)
	case Rest:
		st.Rests = append(st.Rests, Note{At: st.Now, Dur: st.Dur()})
		st.With = false
		st.advance(st.Dur())
	case Tie:
		return st.tie()
	case Dot:
		st.Dotted = !st.Dotted
	case Triplet:
		if st.Triplet > 0 {
			st.Triplet = 0
		} else {
			st.Triplet = 3
		}
	case Slide:
		st.Slide = !st.Slide
	case With:
		if len(st.Notes) == 0 {
			return &KeyError{key, "there is no note yet to add another to"}
		}
		st.With = !st.With
	case Free:
		if len(st.Notes) == 0 {
			return &KeyError{key, "there is no note yet whose place you could leave open"}
		}
		n := &st.Notes[len(st.Notes)-1]
		n.Free = !n.Free
	case Bar:
		return st.endBar()
	case "chord":
		return st.chord(rest)
	default:
		if d, ok := lengths[name]; ok && d > 0 {
			st.Length = name
			return nil
		}
		fret, err := strconv.Atoi(name)
		if err != nil {
			return &KeyError{key, "that key does nothing here"}
		}
		return st.put(st.String, fret)
	}
	return nil
}

// put writes a note.
func (st *State) put(str, fret int) error {
	if str < 1 || str > tuning.Strings || fret < 0 || fret > MaxFret {
		return &KeyError{"", fmt.Sprintf("strings go from 1 to %d and frets to %d", tuning.Strings, MaxFret)}
	}
	n := Note{At: st.Now, Dur: st.Dur(), String: str, Fret: fret, Slide: st.Slide && fret > 0}
	if st.With {
		last := st.Notes[len(st.Notes)-1]
		n.At, n.Dur = last.At, last.Dur
		together := 1
		for i := len(st.Notes) - 1; i >= 0 && st.Notes[i].At == n.At; i-- {
			if st.Notes[i].String == str {
				return &KeyError{"", fmt.Sprintf("string %d already has a note here; a string sounds one note at a time", str)}
			}
			together++
		}
		if together > 1+tune.MaxWith {
			return &KeyError{"", fmt.Sprintf("%d notes at once is the most", 1+tune.MaxWith)}
		}
	}
	if len(st.Notes) >= score.MaxNotes {
		return &KeyError{"", "the tune is full: it has as many notes as a tune can have"}
	}
	st.String, st.Fret = str, fret
	st.Notes = append(st.Notes, n)
	if st.With {
		st.With = false
		return nil
	}
	st.advance(n.Dur)
	return nil
}

// advance goes on in time: bars that are full close, a dot and a triplet are used up.
func (st *State) advance(d tune.Time) {
	st.Now += d
	st.Dotted = false
	st.Triplet = max(0, st.Triplet-1)
	st.fill()
}

func (st *State) fill() {
	for full := st.meter.Bar(); st.Now >= st.Bars[len(st.Bars)-1]+full; {
		st.Bars = append(st.Bars, st.Bars[len(st.Bars)-1]+full)
	}
}

// tie lets the last notes sound on.
func (st *State) tie() error {
	n := len(st.Notes)
	if n == 0 || st.Notes[n-1].At+st.Notes[n-1].Dur != st.Now {
		return &KeyError{Tie, "a tie extends the last note, and there is none before it"}
	}
	d := st.Dur()
	for i := n - 1; i >= 0 && st.Notes[i].At == st.Notes[n-1].At; i-- {
		st.Notes[i].Dur += d
	}
	st.advance(d)
	return nil
}

// endBar ends a bar before it is full.
func (st *State) endBar() error {
	if st.Now == st.Bars[len(st.Bars)-1] {
		return &KeyError{Bar, "the bar has just ended: full bars end by themselves"}
	}
	st.Bars = append(st.Bars, st.Now)
	return nil
}

func (st *State) chord(name string) error {
	kept := st.Chords[:0:0]
	for _, c := range st.Chords {
		if c.At != st.Now {
			kept = append(kept, c)
		}
	}
	if name == "" {
		st.Chords = kept
		return nil
	}
	c, err := chord.Parse(name)
	if err != nil {
		return &KeyError{"chord", err.Error()}
	}
	st.Chords = append(kept, Chord{st.Now, c})
	return nil
}

// Score is the tune entered, with the places of its notes.
func (s *Sheet) Score() (*score.Score, error) {
	if err := s.Check(); err != nil {
		return nil, err
	}
	t, err := tuning.Parse(s.Tuning)
	if err != nil {
		return nil, err
	}
	st := s.State()
	out := &score.Score{Format: "what you entered", Title: s.Title, Unit: score.Units(tune.Quarter), Tuning: &t, Capo: s.Capo,
		Meters: []score.Meter{{Num: s.Num, Den: s.Den}}, Tempos: []score.Tempo{{BPM: s.Tempo}}, Length: score.Units(st.Now)}
	order := []int{}
	for i, at := range st.Bars {
		if at < st.Now {
			out.Bars = append(out.Bars, score.Units(at))
			order = append(order, i)
		}
	}
	out.Printed = score.Numbers(order, len(out.Bars) > 1 && tune.Time(out.Bars[1]) < st.meter.Bar())
	v := score.Voice{}
	for i := range st.Notes {
		n := &st.Notes[i]
		fret := float64(n.Fret + s.Capo)
		note := score.Note{At: score.Units(n.At), Dur: score.Units(n.Dur),
			Note: pitch.Spell(t.Open(n.String)+pitch.Midi(n.Fret+s.Capo), false), Place: tune.Place{Line: 1, Column: 1}}
		if !n.Free {
			note.On = &score.Spot{String: n.String, Fret: fret}
			switch {
			case n.Slide:
				note.On.How = play.Slide
			case n.Fret == 0:
				note.On.How = play.Open
			}
		}
		v.Notes = append(v.Notes, note)
	}
	for _, c := range st.Chords {
		out.Chords = append(out.Chords, score.Chord{At: score.Units(c.At), Chord: c.Chord})
	}
	out.Parts = []score.Part{{Voices: []score.Voice{v}}}
	out.Key = out.GuessKey()
	return out, nil
}
