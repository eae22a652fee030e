package view

import (
	"fmt"
	"strings"

	"stepping/core/chord"
	"stepping/core/grip"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/tuning"
)

// Grip is a grip as drawn: a stretch of the neck true to scale, string 1 on top.
type Grip struct {
	Width, Height float64
	Labels        float64 // width of what stands next to the neck
	Frets         []FretLine
	Strings       []gripString
	Tips          []gripTip
	Bars          []gripBarView
	Text          string // frets from string 6 to 1
	Name          string // what really sounds
	Chord         string
	Stretch       string // mm
	Silence       []string
	Thumb         string
}

type gripString struct {
	Number         int
	Y1, Y2, LabelY float64
	Weight         float64
	Sounds         bool
	Label          string // the note, or what keeps it silent
	Mark           string // ◇ open, × left out, at the nut
}

type gripTip struct {
	X, Y float64
	Name string
}

type gripBarView struct{ X, Y, H float64 }

// gripMargin is how far the drawing goes beyond the frets in use, and gripLeast its least length, mm.
const (
	gripMargin = 14.0
	gripLeast  = 150.0
	gripLabels = 270.0 // drawing units
)

// NewGrip draws a grip of a chord; its notes are named in the key of the chord's root.
func NewGrip(t grip.Guitar, c chord.Chord, g *grip.Grip) Grip {
	k, names := t.Player.Neck(), pitch.InKey(c.Root)
	at := func(fret float64) float64 { return k.X(fret) }
	lo, hi := 99, t.Capo
	for s := 1; s <= tuning.Strings; s++ {
		if f := g.Frets[s]; f > t.Capo {
			lo, hi = min(lo, f), max(hi, f)
		}
	}
	if lo > hi {
		lo = t.Capo + 1
	}
	left := at(float64(max(lo-1, t.Capo))) - gripMargin
	right := max(at(float64(hi))+gripMargin, left+gripLeast)
	x := func(mm float64) float64 { return (mm - left) * neckScale }
	y := func(s int, fret float64) float64 {
		return (k.Spacing(k.FretAt(right))*2.5 + k.Spacing(fret)*(float64(s)-3.5) + 5) * neckScale
	}
	v := Grip{Labels: gripLabels, Width: (right - left) * neckScale, Height: y(6, k.FretAt(right)) + 9*neckScale,
		Text: GripText(t, g), Name: t.Name(g), Chord: c.Name, Stretch: fmt.Sprintf("%.0f mm", g.Stretch)}
	for f := t.Capo; f <= k.Frets && at(float64(f)) < right; f++ {
		if at(float64(f)) >= left {
			v.Frets = append(v.Frets, FretLine{X: x(at(float64(f))), Y1: y(1, float64(f)) - 14, Y2: y(6, float64(f)) + 14,
				Number: FretNumber(f - t.Capo), Nut: f == t.Capo})
		}
	}
	middle := func(f int) float64 { return at(float64(f)) - min(11, (at(float64(f))-at(float64(f-1)))/2) }
	for s := 1; s <= tuning.Strings; s++ {
		gs := gripString{Number: s, Y1: y(s, k.FretAt(left)), Y2: y(s, k.FretAt(right)), Weight: 1 + float64(s)*0.55, Sounds: g.Frets[s] != grip.Out}
		gs.LabelY = gs.Y2
		switch f := g.Frets[s]; {
		case f == grip.Out:
			gs.Mark, gs.Label = "×", silenceWords(g.By[s])
		case f == t.Capo:
			gs.Mark = "◇"
			fallthrough
		default:
			gs.Label = names.Spell(t.Pitch(s, f)).String()
		}
		v.Strings = append(v.Strings, gs)
		if f := g.Fingers[s]; f != 0 {
			v.Tips = append(v.Tips, gripTip{x(middle(g.Frets[s])), y(s, float64(g.Frets[s])), grip.FingerName(f)})
		}
	}
	for _, b := range g.Bars() {
		top, bottom := y(b.To, float64(b.Fret)), y(b.From, float64(b.Fret))
		v.Bars = append(v.Bars, gripBarView{x(middle(b.Fret)) - 13, top - 20, bottom - top + 40})
	}
	for s := tuning.Strings; s >= 1; s-- {
		if g.Frets[s] == grip.Out {
			v.Silence = append(v.Silence, fmt.Sprintf("string %d: %s", s, silenceWords(g.By[s])))
		}
	}
	return v
}

func FretNumber(n int) string {
	if n <= 0 {
		return ""
	}
	return fmt.Sprint(n)
}

func silenceWords(by play.Damper) string {
	switch by {
	case grip.NotStruck:
		return "not struck"
	case play.ByHeel:
		return "under the heel"
	case grip.ByThumb:
		return "thumb over the neck"
	}
	return string(by) + " touches it"
}

// GripText writes frets from string 6 to 1, counted from the capo: "x 3 2 0 1 0".
func GripText(t grip.Guitar, g *grip.Grip) string {
	var words []string
	for s := tuning.Strings; s >= 1; s-- {
		if f := g.Frets[s]; f == grip.Out {
			words = append(words, "x")
		} else {
			words = append(words, fmt.Sprint(f-t.Capo))
		}
	}
	return strings.Join(words, " ")
}

// StepGrid is a bar of a pattern as it comes out on a chord: columns are steps, rows strings.
type StepGrid struct {
	Counts []string
	Rows   []gridRow
	Hits   []gridCell
	Notes  []string // what is left out, and why
}

type gridRow struct {
	String int
	Cells  []gridCell
}

type gridCell struct {
	Text   string // digit or percussion
	Note   string
	Strong bool
	Thumb  bool
	Mute   string
	Beat   bool // the column falls on a beat
}

// Counts labels the steps of a pattern as they are counted aloud.
func Counts(p *pattern.Pattern) (out []string) {
	m, ok := p.Signature()
	if !ok || p.Steps%m.Num != 0 {
		return nil
	}
	each := p.Steps / m.Num
	for i := range p.Steps {
		word := "·" // finer than it is spoken
		if each <= 4 || i%each == 0 {
			word = play.CountAloud(1 + float64(i)/float64(each))
		}
		out = append(out, word)
	}
	return out
}

// NewStepGrid lays the moments of one bar under a pattern's steps.
func NewStepGrid(p *pattern.Pattern, moments []play.Moment, at func(mo *play.Moment) int) StepGrid {
	g := StepGrid{Counts: Counts(p)}
	m, _ := p.Signature()
	each := max(p.Steps/max(m.Num, 1), 1)
	cells := func() []gridCell {
		out := make([]gridCell, p.Steps)
		for i := range out {
			out[i].Beat = i%each == 0
		}
		return out
	}
	for s := 1; s <= tuning.Strings; s++ {
		g.Rows = append(g.Rows, gridRow{s, cells()})
	}
	g.Hits = cells()
	for i := range moments {
		mo := &moments[i]
		step := at(mo)
		if step < 1 || step > p.Steps {
			continue
		}
		for _, s := range mo.Strokes() {
			c := &g.Rows[s.String-1].Cells[step-1]
			c.Text, c.Note, c.Strong, c.Thumb = string(s.Digit), s.Note.String(), mo.Accent, s.Part == play.Thumb
			if c.Thumb {
				c.Mute = mo.Mute
			}
			if s.How == play.Dead {
				c.Note = "dead"
			}
		}
		g.Hits[step-1].Text = mo.Hit
	}
	return g
}
