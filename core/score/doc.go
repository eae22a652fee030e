// Package score is what a file of music holds before one of its voices is taken as the melody of a tune: parts with
// voices, at sounding pitch, repeats played out and ties joined, over bars, meters, tempos and chord symbols.
//
// Times are whole numbers of units; Score.Unit says how many a quarter note has. Every file keeps its own
// unit, so that times are exact whatever division it was written with. Notes of a voice ascend in time and may
// overlap; whoever wants a melody asks Tune.
package score

import (
	"cmp"
	"fmt"
	"slices"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Limits of every reader.
const (
	MaxNotes = 4000    // of a voice, repeats played out
	MaxTotal = 40000   // of all voices together
	MaxText  = 1 << 20 // bytes of what people type
	MaxFile  = 16 << 20
	MaxParts = 256
	MaxBars  = 4000
)

// Fault is what keeps a file from being read: its place, line and column counted from 1, columns in characters (of
// files that are no text line 1, the column being the byte), what is wrong and what would be right.
type Fault struct {
	Line, Column int
	Text         string
}

func (f *Fault) Error() string { return fmt.Sprintf("%d:%d: %s", f.Line, f.Column, f.Text) }

// Warning is something read past.
type Warning struct {
	Line   int    `json:"line"`
	Column int    `json:"column"`
	Text   string `json:"text"`
}

// MaxWarnings bounds the list; a file with more has lost its reader long before.
const MaxWarnings = 50

// Units is a time or length in units of the score, see Score.Unit.
type Units int64

// Score is a piece.
type Score struct {
	Format string // for people: "ABC", "MusicXML" …
	Title  string
	Unit   Units // in a quarter note, 1 to MaxUnit
	Key    tune.Key
	Meters []Meter
	Tempos []Tempo
	Chords []Chord
	Bars   []Units // where each bar begins, as played out
	// Printed is how each bar is numbered on paper; empty if no bar is played twice and the first is whole.
	Printed []tune.Printed
	Length  Units
	Swing   float64 // share of the first of two eighths, if the file says or it was measured; 0 if not
	Parts   []Part

	// Melody is the voice that is most likely the melody, among Voices.
	Melody   int
	Tuning   *tuning.Tuning // of the guitar, if the file says
	Capo     int
	Warnings []Warning
	Free     bool   // nobody wrote it down: a recording of keys, in whose bars notes begin anywhere
	Text     string // the file as text, if it is text
}

// MaxUnit bounds the units of a quarter: sums of 16-bit divisions stay exact.
const MaxUnit = Units(1) << 40

// Meter is a time signature from At on.
type Meter struct {
	At       Units
	Num, Den int
}

// Tempo is quarter notes a minute from At on.
type Tempo struct {
	At  Units
	BPM float64
}

// Chord is a chord symbol.
type Chord struct {
	At       Units
	Chord    chord.Chord
	Proposed bool // nobody wrote it: it is what sounds there
}

// Part is an instrument.
type Part struct {
	Name   string
	Voices []Voice
	Whole  bool // its voices are one line as likely as several: it can be chosen as a whole
}

// Voice is a line of a part.
type Voice struct {
	Number int // as the file counts it, from 0
	Name   string
	Drums  bool // its pitches are instruments
	Notes  []Note
}

// Note is one note.
type Note struct {
	At, Dur Units
	Note    pitch.Note
	Place   tune.Place
	Marks   tune.Marks
	Lyric   string
	On      *Spot // where it is played, if the file says
}

// End is the time at which it stops.
func (n *Note) End() Units { return n.At + n.Dur }

// Spot is where and how a note is played. Zero fields are not said.
type Spot struct {
	String int
	Fret   float64 // from the nut
	How    play.How
	Finger int // of the fretting hand, 1 to 4, 5 the thumb
	Digit  play.Digit
}

// VoiceAt is a voice that can be chosen, with the part that it belongs to, counted from 0. Number is -1 for a part as a whole.
type VoiceAt struct {
	Part int
	*Voice
}

// Voices lists all that can be chosen as melody, part by part.
func (s *Score) Voices() (out []VoiceAt) {
	for p := range s.Parts {
		part := &s.Parts[p]
		for v := range part.Voices {
			out = append(out, VoiceAt{p, &part.Voices[v]})
		}
		if part.Whole && len(part.Voices) > 1 {
			out = append(out, VoiceAt{p, part.whole()})
		}
	}
	return out
}

// whole is all voices of the part as one.
func (p *Part) whole() *Voice {
	out := &Voice{Number: -1, Name: "all together"}
	for _, v := range p.Voices {
		if !v.Drums {
			out.Notes = append(out.Notes, v.Notes...)
		}
	}
	slices.SortStableFunc(out.Notes, func(a, b Note) int { return cmp.Compare(a.At, b.At) })
	return out
}

// Count is the number of notes of all voices.
func (s *Score) Count() (n int) {
	for p := range s.Parts {
		for v := range s.Parts[p].Voices {
			n += len(s.Parts[p].Voices[v].Notes)
		}
	}
	return n
}

// Warn adds to the list unless it is full.
func (s *Score) Warn(line, column int, format string, args ...any) {
	if len(s.Warnings) < MaxWarnings {
		s.Warnings = append(s.Warnings, Warning{line, column, fmt.Sprintf(format, args...)})
	}
}

// Fraction writes a time as a reduced fraction of quarter notes, as tune.Time does.
func (s *Score) Fraction(t Units) string {
	num, den := t, s.Unit
	for b := den; b != 0; {
		num, b = b, num%b
	}
	g := max(num, -num, 1)
	if den == g {
		return fmt.Sprint(int64(t / g))
	}
	return fmt.Sprintf("%d/%d", int64(t/g), int64(den/g))
}

// Time is t as tunes count it, to the nearest tick; exact tells whether nothing was lost.
func (s *Score) Time(t Units) (at tune.Time, exact bool) {
	q := Units(tune.Quarter)
	whole, rest := t/s.Unit, t%s.Unit
	scaled := rest * q
	return tune.Time(whole*q + (2*scaled+s.Unit)/(2*s.Unit)), scaled%s.Unit == 0
}
