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
		if err := tu.addChords(part, column, m); err != nil {
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

// addChords lays the symbols of one bar, which stands at a column of the text.
func (tu *Tune) addChords(part string, column int, m MeterAt) error {
	words := strings.Fields(part)
	if n := len(words); n > 0 && m.Bar()%Time(n) != 0 || n > 2*m.Num {
		return &ProgressionError{len(tu.Bars), column, fmt.Errorf("%d chords do not divide a bar of %d/%d evenly", n, m.Num, m.Den)}
	}
	at := 0
	for i, w := range words {
		at += strings.Index(part[at:], w)
		if w == "." {
			if len(tu.Chords) == 0 {
				return &ProgressionError{len(tu.Bars), column + at, fmt.Errorf("a . repeats a chord, and there is none before it")}
			}
		} else {
			c, err := chord.Parse(w)
			if err != nil {
				return &ProgressionError{len(tu.Bars), column + at, err}
			}
			if last := len(tu.Chords) - 1; last < 0 || tu.Chords[last].Chord.Name != c.Name {
				tu.Chords = append(tu.Chords, ChordAt{tu.Length + Time(i)*m.Bar()/Time(len(words)), c})
			}
		}
		at += len(w)
	}
	return nil
}
