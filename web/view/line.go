package view

import (
	"stepping/core/plan"
	"stepping/core/play"
)

// LineBar is a bar of what is to be played, as large tokens in the order of time.
type LineBar struct {
	Number  int    // as played, from 1
	Printed string // as on paper
	Note    string // that the player wrote beside it
	Tokens  []LineToken
}

// LineToken is one moment of it.
type LineToken struct {
	Melody, Thumb *LineMark
	Hit           string
	After         bool // not played: the step has stopped
}

// LineMark is a stroke in short: its string, and the fret in the form of its technique.
type LineMark struct {
	String      int
	Text, Shape string
	Low         bool // the thumb's
}

// mostTokens bounds a line: what is longer is practised by phrases, and followed on the plan page.
const mostTokens = 400

// NewLine lists what is played in bars, with the melody, the thumb or both, and when each begins, in seconds of
// the plan; it stops after moment last, if that is not 0.
func NewLine(p *plan.Plan, bars [2]int, last int, melody, thumb bool) (line []LineBar, when []float64) {
	for i := range p.Moments {
		mo := &p.Moments[i]
		if mo.Bar < bars[0] || mo.Bar > bars[1] || len(when) == mostTokens {
			continue
		}
		t := LineToken{After: last > 0 && i > last}
		if melody {
			t.Melody = newMark(p, mo.Melody)
		}
		if thumb {
			t.Thumb, t.Hit = newMark(p, mo.Thumb), mo.Hit
		}
		if t.Melody == nil && t.Thumb == nil && t.Hit == "" {
			continue
		}
		if n := len(line); n == 0 || line[n-1].Number != mo.Bar {
			line = append(line, LineBar{Number: mo.Bar, Printed: mo.Printed.Short()})
		}
		bar := &line[len(line)-1]
		bar.Tokens = append(bar.Tokens, t)
		when = append(when, mo.Seconds)
	}
	return line, when
}

func newMark(p *plan.Plan, s *play.Stroke) *LineMark {
	if s == nil {
		return nil
	}
	v := &LineMark{String: s.String, Text: play.FromCapo(s.Fret, p.Request.Capo).String(), Shape: shapeOf(s.How), Low: s.Part == play.Thumb}
	if play.FromCapo(s.Fret, p.Request.Capo) == 0 { // pulled off to it, too
		v.Text, v.Shape = "0", "open"
	}
	return v
}
