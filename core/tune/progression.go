package tune

import (
	"fmt"
	"strings"

	"stepping/core/chord"
	"stepping/core/pitch"
)

// ProgressionError is a fault in a chord progression, at a bar from 1 and a column of the text from 1.
type ProgressionError struct {
	Bar, Column int
	Err         error
}

func (e *ProgressionError) Error() string {
	return fmt.Sprintf("bar %d, column %d: %v", e.Bar, e.Column, e.Err)
}
func (e *ProgressionError) Unwrap() error { return e.Err }

// MaxProgressionBars is the longest progression that is read.
const MaxProgressionBars = 512

// Progression reads chords bar by bar: symbols divide a bar evenly, bars are divided by |, a . repeats
// the chord before it, and an empty bar goes on with it. The key is the triad of the first chord.
func Progression(text string, m MeterAt, bpm float64) (*Tune, error) {
	tu := &Tune{Meters: []MeterAt{m}, Tempos: []TempoAt{{BPM: bpm}}}
	column := 1
	body := strings.TrimRight(text, " \t\r\n")
	body = strings.TrimSuffix(body, "|")
	for bar, part := range strings.Split(body, "|") {
		if bar >= MaxProgressionBars {
			return nil, &ProgressionError{bar + 1, column, fmt.Errorf("a progression has at most %d bars", MaxProgressionBars)}
		}
		if bar == 0 && strings.TrimSpace(part) == "" && strings.Contains(body, "|") {
			column += len(part) + 1 // a bar line before the first bar
			continue
		}
		tu.Bars = append(tu.Bars, tu.Length)
		if err := tu.addChords(part, column, bar+1, tu.Length, m.Bar(), m); err != nil {
			return nil, err
		}
		tu.Length += m.Bar()
		column += len(part) + 1
	}
	if len(tu.Chords) == 0 {
		return nil, &ProgressionError{1, 1, fmt.Errorf("there is no chord: write symbols and bar lines, like D | G A7 | D")}
	}
	first := tu.Chords[0].Chord
	tu.Key = Key{Tonic: first.Root, Minor: len(first.Tones) > 1 && first.Tones[1] == 3,
		Flats: first.Root.Alter < 0 || first.Root == pitch.Note{Letter: 'F'}}
	return tu, nil
}

// addChords lays the symbols of one bar, from 1, over its time; they stand at a column of the text.
func (tu *Tune) addChords(part string, column, bar int, from, length Time, m MeterAt) error {
	words := strings.Fields(part)
	if n := len(words); n > 0 && length%Time(n) != 0 || n > 2*m.Num {
		return &ProgressionError{bar, column, fmt.Errorf("%d chords do not divide a bar of %d/%d evenly", n, m.Num, m.Den)}
	}
	at := 0
	for i, w := range words {
		at += strings.Index(part[at:], w)
		if w == "." {
			if len(tu.Chords) == 0 {
				return &ProgressionError{bar, column + at, fmt.Errorf("a . repeats a chord, and there is none before it")}
			}
		} else {
			c, err := chord.Parse(w)
			if err != nil {
				return &ProgressionError{bar, column + at, err}
			}
			if last := len(tu.Chords) - 1; last < 0 || tu.Chords[last].Chord.Name != c.Name {
				tu.Chords = append(tu.Chords, ChordAt{from + Time(i)*length/Time(len(words)), c})
			}
		}
		at += len(w)
	}
	return nil
}

// WithChords returns the tune with chords given bar by bar as Progression takes them, in place of its own. Bars behind the last one that is
// given go on with it.
func (tu *Tune) WithChords(text string) (*Tune, error) {
	out := *tu
	out.Chords = nil
	column := 1
	body := strings.TrimSuffix(strings.TrimRight(text, " \t\r\n"), "|")
	for bar, part := range strings.Split(body, "|") {
		if bar >= len(tu.Bars) {
			return nil, &ProgressionError{bar + 1, column, fmt.Errorf("the tune has %d bars", len(tu.Bars))}
		}
		if err := out.addChords(part, column, bar+1, tu.Bars[bar], tu.BarLength(bar), tu.MeterOver(tu.Bars[bar])); err != nil {
			return nil, err
		}
		column += len(part) + 1
	}
	if len(out.Chords) == 0 {
		return nil, &ProgressionError{1, 1, fmt.Errorf("there is no chord: write symbols and bar lines, like D | G A7 | D")}
	}
	return &out, nil
}

// ChordText writes the tune's chords bar by bar, so that WithChords reads them: a bar in which none begins is empty, one with several gives
// each the same number of beats. ok is false if they fall between such places.
func (tu *Tune) ChordText() (text string, ok bool) {
	bars := make([]string, len(tu.Bars))
	for b := range tu.Bars {
		from, length, parts := tu.Bars[b], tu.BarLength(b), 1
		var here []ChordAt
		for _, c := range tu.Chords {
			if c.At >= from && c.At < from+length {
				here = append(here, c)
			}
		}
		fits := func(n int) bool {
			for _, c := range here {
				if (c.At-from)*Time(n)%length != 0 {
					return false
				}
			}
			return length%Time(n) == 0
		}
		for most := 2 * tu.MeterOver(from).Num; !fits(parts); parts++ {
			if parts == most {
				return "", false
			}
		}
		words := make([]string, parts)
		for i := range words {
			words[i] = "."
		}
		for _, c := range here {
			words[int((c.At-from)*Time(parts)/length)] = c.Chord.Name
		}
		switch {
		case len(here) == 0:
			words = nil
		case words[0] == "." && b == 0:
			return "", false
		}
		bars[b] = strings.Join(words, " ")
	}
	return strings.Join(bars, " | "), true
}
