package view

import (
	"fmt"
	"slices"

	"stepping/core/entry"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Board is the neck as places to touch, string 1 first; each string's frets from the nut on.
type Board struct {
	Strings []BoardString
	Numbers []int
}

// BoardString is one string of it.
type BoardString struct {
	Number int
	Places []Place
}

// Place is where a finger can come down.
type Place struct {
	Key   string
	Fret  int
	Note  string
	Here  bool // the cursor
	Last  bool // the last note
	Label string
}

// boardFrets is how far the neck is drawn.
const boardFrets = 15

// NewBoard draws the neck in a tuning, frets counted from the capo and notes named in the key of the open strings.
func NewBoard(t tuning.Tuning, capo int, st *entry.State) (b Board) {
	names := pitch.InKey(tuning.Home(t.Transpose(capo)))
	for f := 0; f <= boardFrets; f++ {
		b.Numbers = append(b.Numbers, f)
	}
	for str := 1; str <= tuning.Strings; str++ {
		line := BoardString{Number: str}
		for f := 0; f <= boardFrets; f++ {
			note := names.Spell(t.Open(str) + pitch.Midi(capo+f)).ClassName()
			p := Place{Key: fmt.Sprintf("put:%d:%d", str, f), Fret: f, Note: note, Here: st.String == str && st.Fret == f,
				Label: fmt.Sprintf("%d %s, string %d", f, note, str)}
			if n := len(st.Notes); n > 0 {
				p.Last = st.Notes[n-1].String == str && st.Notes[n-1].Fret == f
			}
			line.Places = append(line.Places, p)
		}
		b.Strings = append(b.Strings, line)
	}
	return b
}

// Strip is the bars being filled, true to time: a beat is as wide everywhere.
type Strip struct {
	Width, Height float64
	Strings       []float64
	Bars          []StripBar
	Marks         []StripMark
	Beats         []float64
	Now           float64
	Top, Bottom   float64
}

// StripBar is a bar with its number.
type StripBar struct {
	X, W   float64
	Number int
	Open   bool // being filled
}

// StripMark is a note or a rest on it.
type StripMark struct {
	X, Y, W float64 // W is how long it sounds
	Text    string
	Form    string // fret, open, slide, rest or chord
	Free    bool
	Name    float64 // where the number stands
}

// Measures of the strip in drawing units.
const (
	stripLeft  = 12.0
	stripTop   = 46.0
	stripGap   = 29.0
	stripBars  = 2
	stripWidth = 1400.0
)

// NewStrip draws the bar being filled and the one before.
func NewStrip(st *entry.State, meter tune.MeterAt) Strip {
	first := max(0, len(st.Bars)-stripBars)
	begin, end := st.Bars[first], st.Bars[len(st.Bars)-1]+meter.Bar()
	end = max(end, st.Now)
	s := Strip{Width: stripWidth, Height: stripTop + 6*stripGap + 8, Top: stripTop, Bottom: stripTop + 5*stripGap}
	x := func(t tune.Time) float64 {
		return stripLeft + float64(t-begin)/float64(max(end-begin, 1))*(stripWidth-2*stripLeft)
	}
	y := func(str int) float64 { return stripTop + float64(str-1)*stripGap }
	for str := 1; str <= tuning.Strings; str++ {
		s.Strings = append(s.Strings, y(str))
	}
	for i := first; i < len(st.Bars); i++ {
		to := end
		if i+1 < len(st.Bars) {
			to = st.Bars[i+1]
		}
		s.Bars = append(s.Bars, StripBar{x(st.Bars[i]), x(to) - x(st.Bars[i]), i + 1, i+1 == len(st.Bars)})
		for t := st.Bars[i] + meter.Pulse(); t < to; t += meter.Pulse() {
			s.Beats = append(s.Beats, x(t))
		}
	}
	s.Now = x(st.Now)
	for i := range st.Notes {
		n := &st.Notes[i]
		if n.At+n.Dur <= begin {
			continue
		}
		m := StripMark{X: x(max(n.At, begin)), Y: y(n.String), W: x(n.At+n.Dur) - x(max(n.At, begin)), Text: fmt.Sprint(n.Fret),
			Form: "fret", Free: n.Free}
		switch {
		case n.Slide:
			m.Form = "slide"
		case n.Fret == 0:
			m.Form = "open"
		}
		m.Name = m.X + 16
		s.Marks = append(s.Marks, m)
	}
	for _, r := range st.Rests {
		if r.At >= begin {
			s.Marks = append(s.Marks, StripMark{X: x(r.At), Y: y(3) + stripGap/2, W: x(r.At+r.Dur) - x(r.At), Text: "rest",
				Form: "rest", Name: x(r.At) + 16})
		}
	}
	for _, c := range st.Chords {
		if c.At >= begin {
			s.Marks = append(s.Marks, StripMark{X: x(c.At), Y: 24, Text: c.Chord.Name, Form: "chord", Name: x(c.At)})
		}
	}
	return s
}

// Contour is a melody's rise and fall over its first bars.
type Contour struct {
	Width, Height float64
	Notes         []ContourNote
	Bars          []float64
}

// ContourNote is one note of it.
type ContourNote struct {
	X, Y, W float64
	Bass    bool
}

// Measures of a contour.
const (
	contourWidth  = 480.0
	contourHeight = 96.0
)

// NewContour draws the first bars of a tune.
func NewContour(tu *tune.Tune, bars int) Contour {
	c := Contour{Width: contourWidth, Height: contourHeight}
	end := tu.Length
	if bars < len(tu.Bars) {
		end = tu.Bars[bars]
	}
	if end == 0 || len(tu.Notes) == 0 {
		return c
	}
	lo, hi := pitch.Pitch(1<<30), pitch.Pitch(0)
	for _, n := range slices.Concat(tu.Notes, tu.Bass) {
		for _, v := range n.Voices() {
			lo, hi = min(lo, v.Pitch()), max(hi, v.Pitch())
		}
	}
	x := func(t tune.Time) float64 { return float64(t) / float64(end) * contourWidth }
	for voice, line := range [][]tune.Note{tu.Notes, tu.Bass} {
		for _, n := range line {
			if n.At >= end {
				break
			}
			for _, v := range n.Voices() {
				y := 8 + (contourHeight-20)*(1-float64(v.Pitch()-lo)/float64(max(hi-lo, 100)))
				c.Notes = append(c.Notes, ContourNote{x(n.At), y, max(3, x(min(n.End(), end))-x(n.At)-2), voice == 1})
			}
		}
	}
	for i, at := range tu.Bars {
		if i > 0 && at < end {
			c.Bars = append(c.Bars, x(at))
		}
	}
	return c
}

// LengthName is a length in words: "quarter", "dotted quarter", "quarter of a triplet".
func LengthName(st *entry.State) string {
	out := st.Length
	if st.Dotted {
		out = "dotted " + out
	}
	if st.Triplet > 0 {
		out += fmt.Sprintf(" in a triplet, %d to come", st.Triplet)
	}
	return out
}

// CountOf is the place of the next note as it is counted aloud: bar 3, beat 2 &.
func CountOf(st *entry.State, meter tune.MeterAt) (bar int, beat string) {
	since := st.Now - st.Bars[len(st.Bars)-1]
	at := 1 + float64(since)/float64(meter.Unit())
	word := play.CountAloud(at)
	if at != float64(int(at)) {
		word = fmt.Sprintf("%d %s", int(at), word)
	}
	return len(st.Bars), word
}
