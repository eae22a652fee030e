package lick

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Kept is a lick as a player keeps it: a few bars of a tune with its rhythm, the chords under it, and where it was played.
type Kept struct {
	Name   string         `json:"name"`
	Tags   []string       `json:"tags,omitempty"`
	From   string         `json:"from,omitempty"` // title of the tune
	Bars   int            `json:"bars"`
	Num    int            `json:"num"` // of its meter
	Den    int            `json:"den"`
	Tempo  float64        `json:"tempo"`  // quarter notes a minute
	Key    string         `json:"key"`    // name of the tonic's triad: "D", "Am"
	Chords []KeptChord    `json:"chords"` // the first at 0
	Notes  []tune.NewNote `json:"notes"`  // times from the beginning of the first bar, pitches as they sound
	Tuning string         `json:"tuning"` // spelt
	Capo   int            `json:"capo,omitempty"`
	Pins   []play.Pin     `json:"pins,omitempty"` // where the notes were played; times from the beginning of the first bar
}

// KeptChord is a chord under a lick.
type KeptChord struct {
	At   tune.Time `json:"at"`
	Name string    `json:"name"`
}

// Bounds of a lick.
const (
	MostBars    = 8
	mostNotes   = 128
	longestName = 60 // characters
)

// Keep takes the bars first to last, from 1 as played, out of a plan. The error is written for people.
func Keep(p *plan.Plan, first, last int) (*Kept, error) {
	tu := p.Request.Tune
	switch {
	case first < 1 || last < first:
		return nil, fmt.Errorf("bars %d to %d: give the first bar and the last one", first, last)
	case last > len(tu.Bars):
		return nil, fmt.Errorf("bars %d to %d: the tune has %d bars", first, last, len(tu.Bars))
	case last-first+1 > MostBars:
		return nil, fmt.Errorf("bars %d to %d: a lick has at most %d bars", first, last, MostBars)
	}
	begin := tu.Bars[first-1]
	end := tu.Bars[last-1] + tu.BarLength(last-1)
	m := tu.MeterOver(begin)
	k := &Kept{From: tu.Title, Bars: last - first + 1, Num: m.Num, Den: m.Den, Tempo: p.Tempo(), Key: chord.Triad(tu.Key.Tonic, tu.Key.Minor).Name,
		Tuning: p.Request.Tuning.String(), Capo: p.Request.Capo}
	for i := range tu.Notes {
		if n := tu.NewNote(i, begin); n.At >= 0 && begin+n.At < end {
			n.Dur = min(n.Dur, end-begin-n.At)
			k.Notes = append(k.Notes, n)
		}
	}
	if len(k.Notes) < 2 || len(k.Notes) > mostNotes {
		return nil, fmt.Errorf("bars %d to %d have %d notes: a lick has 2 to %d", first, last, len(k.Notes), mostNotes)
	}
	k.Chords = []KeptChord{{0, tu.ChordOver(begin).Name}}
	for _, c := range tu.Chords {
		if c.At > begin && c.At < end {
			k.Chords = append(k.Chords, KeptChord{c.At - begin, c.Chord.Name})
		}
	}
	for _, pin := range p.Choices() {
		if pin.Part == play.Melody && pin.At >= begin && pin.At < end {
			pin.At -= begin
			k.Pins = append(k.Pins, pin)
		}
	}
	return k, nil
}

// Check returns an error, written for people, for a lick that cannot be: every lick from outside is checked.
func (k *Kept) Check() error {
	if n := utf8.RuneCountInString(k.Name); n == 0 || n > longestName {
		return fmt.Errorf("give the lick a name of 1 to %d characters", longestName)
	}
	if k.Bars < 1 || k.Bars > MostBars || k.Num < 1 || k.Num > 64 || k.Den < 1 || k.Den > 64 || tune.Whole%tune.Time(k.Den) != 0 || len(k.Notes) < 2 ||
		len(k.Notes) > mostNotes || len(k.Chords) == 0 || len(k.Chords) > 8*MostBars || len(k.Pins) > 4*mostNotes ||
		!(k.Tempo >= tune.MinTempo && k.Tempo <= tune.MaxTempo) || k.Capo < 0 || k.Capo > tuning.MaxCapo {
		return fmt.Errorf("the lick %q cannot be read", k.Name)
	}
	at := tune.Time(0)
	for i := range k.Notes {
		n := &k.Notes[i]
		if n.At < at || n.Dur <= 0 || n.At+n.Dur > k.Length() || len(n.With) > tune.MaxWith || n.Pitch < 0 || n.Pitch > pitch.Midi(127) {
			return fmt.Errorf("the notes of the lick %q overlap or go past its end", k.Name)
		}
		at = n.At + n.Dur
	}
	for i, c := range k.Chords {
		if _, err := chord.Parse(c.Name); err != nil || (c.At == 0) != (i == 0) || c.At < 0 || c.At >= k.Length() {
			return fmt.Errorf("the chords of the lick %q cannot be read", k.Name)
		}
	}
	if _, err := tuning.Parse(k.Tuning); err != nil {
		return fmt.Errorf("the lick %q: %w", k.Name, err)
	}
	_, err := chord.Parse(k.Key)
	return err
}

func (k *Kept) meter() tune.MeterAt { return tune.MeterAt{Num: k.Num, Den: k.Den} }

// Length is how long the lick's bars are.
func (k *Kept) Length() tune.Time { return tune.Time(k.Bars) * k.meter().Bar() }

// Tune is the lick as a tune of its own.
func (k *Kept) Tune() (*tune.Tune, error) {
	key, err := chord.Parse(k.Key)
	if err != nil {
		return nil, err
	}
	tu := &tune.Tune{Title: k.Name, Key: tune.KeyOn(key.Root, minor(key)), Meters: []tune.MeterAt{k.meter()},
		Tempos: []tune.TempoAt{{BPM: k.Tempo}}, Length: k.Length()}
	for i := range k.Bars {
		tu.Bars = append(tu.Bars, tune.Time(i)*k.meter().Bar())
	}
	for _, c := range k.Chords {
		parsed, err := chord.Parse(c.Name)
		if err != nil {
			return nil, err
		}
		tu.Chords = append(tu.Chords, tune.ChordAt{At: c.At, Chord: parsed})
	}
	put(tu, 0, k.Notes)
	return tu, nil
}

func minor(c chord.Chord) bool { return thirdOf(c) == 3 }

// put adds notes to a tune, spelt in its key, times counted from begin.
func put(tu *tune.Tune, begin tune.Time, notes []tune.NewNote) {
	for i := range notes {
		tu.Notes = append(tu.Notes, notes[i].In(&tu.Key, begin))
	}
}

// Over returns the lick carried to another chord: moved so that its first chord becomes that one, by at most half an octave, chords
// that follow along with it. Where the third changes between major and minor, notes on the old third go with it: changed says how
// many. Its places move along the neck if no string in it is open, and are left out otherwise.
func (k *Kept) Over(to chord.Chord) (out *Kept, changed int, err error) {
	from, err := chord.Parse(k.Chords[0].Name)
	if err != nil {
		return nil, 0, err
	}
	steps := ((to.Root.Class()-from.Root.Class())%12 + 12) % 12
	if steps > 6 {
		steps -= 12
	}
	out, err = k.Moved(steps)
	if err != nil {
		return nil, 0, err
	}
	third := thirdOf(to) - thirdOf(from)
	out.Chords[0].Name = to.Name
	if third == 0 || thirdOf(to) == 0 || thirdOf(from) == 0 {
		return out, 0, nil
	}
	next := out.Length()
	if len(out.Chords) > 1 {
		next = out.Chords[1].At
	}
	for i := range out.Notes {
		n := &out.Notes[i]
		if n.At < next && to.Interval(n.Pitch) == thirdOf(from) {
			n.Pitch += pitch.Midi(third)
			changed++
		}
	}
	if changed > 0 {
		out.Pins = nil
	}
	return out, changed, nil
}

// thirdOf is how many half steps a chord's third lies above its root, 0 if it has none.
func thirdOf(c chord.Chord) int {
	for _, t := range c.Tones {
		if t == 3 || t == 4 {
			return t
		}
	}
	return 0
}

// Moved returns the lick so many half steps higher, as the same shape along the neck where that is possible.
func (k *Kept) Moved(steps int) (*Kept, error) {
	out := *k
	out.Notes, out.Chords = slices.Clone(k.Notes), slices.Clone(k.Chords)
	if steps == 0 {
		return &out, nil
	}
	key, err := chord.Parse(k.Key)
	if err != nil {
		return nil, err
	}
	tonic := pitch.Spell(pitch.Midi(60+key.Root.Class()+steps), true)
	flat := tune.KeyOn(tonic, minor(key)).Flats
	out.Key = key.Transposed(steps, flat).Name
	for i := range out.Notes {
		n := &out.Notes[i]
		n.Pitch += pitch.Midi(steps)
		n.With = slices.Clone(n.With)
		for v := range n.With {
			n.With[v] += pitch.Midi(steps)
		}
	}
	for i := range out.Chords {
		c, err := chord.Parse(out.Chords[i].Name)
		if err != nil {
			return nil, err
		}
		out.Chords[i].Name = c.Transposed(steps, flat).Name
	}
	out.Pins = along(k.Pins, steps, k.Capo)
	return &out, nil
}

// In is where the lick's places lie in a tuning with a capo, their times counted from begin: where they were, or along
// the neck from there if all strings are tuned as much higher or lower; nowhere in other tunings, where the planner finds places.
func (k *Kept) In(t tuning.Tuning, capo int, begin tune.Time) (out []play.Pin) {
	was, err := tuning.Parse(k.Tuning)
	if err != nil {
		return nil
	}
	up := t.Open(1) - was.Open(1)
	for s := 1; s <= tuning.Strings; s++ {
		if t.Open(s)-was.Open(s) != up {
			return nil
		}
	}
	if out = slices.Clone(k.Pins); up != 0 || capo != k.Capo {
		out = along(k.Pins, -int(up/pitch.HalfStep), capo)
	}
	for i := range out {
		out[i].At += begin
	}
	return out
}

// along moves places along the neck; none are left if one is an open string, a harmonic, or would lie below the capo.
func along(pins []play.Pin, steps, capo int) []play.Pin {
	out := slices.Clone(pins)
	for i := range out {
		p := &out[i]
		if p.Fret += float64(steps); p.How == play.Open || p.How == play.Harmonic || p.Fret <= float64(capo) {
			return nil
		}
	}
	return out
}

// Encode writes a melody as text in which licks are found: for each note but the first a step of five characters, a point, the
// interval from the note before in half steps, and the time between the two in 384ths of a whole note. Text of the same notes in
// another key is the same. Times are multiplied by scale: 2 for twice as slow.
func Encode(notes []tune.Note, scale float64) string {
	var out strings.Builder
	for i := 1; i < len(notes); i++ {
		was, _ := notes[i-1].Note.Pitch().Nearest()
		is, _ := notes[i].Note.Pitch().Nearest()
		apart := scale * float64(notes[i].At-notes[i-1].At) / float64(tune.Whole) * 384
		fmt.Fprintf(&out, ".%c%03X", byte('X'+max(-mostLeap, min(mostLeap, is-was))), min(0xfff, int(apart+0.5)))
	}
	return out.String()
}

const (
	stepLength = 5  // characters of a step
	mostLeap   = 30 // half steps; larger leaps are all alike
)

// LeastFound is how many notes a lick needs to be looked for: fewer are everywhere.
const LeastFound = 4

// Patterns are what to look for in texts of Encode: the lick as it is, half as fast and twice as fast.
func (k *Kept) Patterns() ([]string, error) {
	tu, err := k.Tune()
	if err != nil {
		return nil, err
	}
	if len(tu.Notes) < LeastFound {
		return nil, fmt.Errorf("%d notes are too few to search for: a lick needs %d", len(tu.Notes), LeastFound)
	}
	return []string{Encode(tu.Notes, 1), Encode(tu.Notes, 2), Encode(tu.Notes, 0.5)}, nil
}

// At lists the notes, from 0, at which a pattern begins in a text of Encode.
func At(melody, pattern string) (out []int) {
	for from := 0; pattern != ""; {
		at := strings.Index(melody[from:], pattern)
		if at < 0 {
			break
		}
		out = append(out, (from+at)/stepLength)
		from += at + stepLength
	}
	return out
}
