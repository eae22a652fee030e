package plan

import (
	"fmt"
	"slices"
	"sort"

	"stepping/core/play"
)

// Coordination is a moment at which both hands have most to line up.
type Coordination struct {
	Moment int
	Load   float64
	Text   string
}

// How much each thing that has to be lined up at one moment counts. They order moments for practice and are no costs:
// the planner does not see them, so they are no Weights.
const (
	loadPinch   = 0.5 // two strokes at once
	loadBetween = 0.6 // melody between two thumb strokes that are close
	loadSlide   = 0.5 // the slide landing, lifting or gliding in
	loadFinger  = 0.2 // each fretting finger put down
	loadHit     = 0.4 // percussion
	closeBy     = 0.4 // seconds
)

// Coordinations are the n moments, at most one a bar, where most comes together: strokes at once
// or close between, slide, fingers and percussion, and the time that the move there takes.
func (p *Plan) Coordinations(n int) []Coordination {
	var out []Coordination
	for t := range p.Moments {
		mo := &p.Moments[t]
		c := Coordination{Moment: t, Load: mo.Share}
		add := func(load float64, text string) {
			c.Load += load
			if c.Text != "" {
				c.Text += ", "
			}
			c.Text += text
		}
		if mo.Melody != nil && mo.Thumb != nil {
			add(loadPinch, "melody and thumb together")
		}
		if t > 0 && mo.Melody != nil && mo.Thumb == nil && p.Moments[t-1].Thumb != nil && mo.Seconds-p.Moments[t-1].Seconds < closeBy {
			add(loadBetween, "melody "+p.Request.Tune.BeatsText(mo.At, mo.At-p.Moments[t-1].At)+" after the thumb")
		}
		if t > 0 && mo.Hand.SlideOn != p.Moments[t-1].Hand.SlideOn {
			add(loadSlide, "the slide lands or lifts")
		} else if mo.Melody != nil && mo.Melody.How == play.Glide {
			add(loadSlide, "the slide glides in")
		}
		if t > 0 {
			if f := newFingers(&p.Moments[t-1], mo); f > 0 {
				add(loadFinger*float64(f), map[bool]string{true: "a fretting finger to put down",
					false: fmt.Sprintf("%d fretting fingers to put down", f)}[f == 1])
			}
		}
		if mo.Hit != "" {
			add(loadHit, mo.Hit)
		}
		if c.Text != "" {
			out = append(out, c)
		}
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].Load > out[j].Load })
	bars := map[int]bool{}
	out = slices.DeleteFunc(out, func(c Coordination) bool {
		bar := p.Moments[c.Moment].Bar
		taken := bars[bar]
		bars[bar] = true
		return taken
	})
	return out[:min(n, len(out))]
}

// newFingers counts the fingers of b that do not lie there in a.
func newFingers(a, b *play.Moment) (n int) {
	for _, f := range b.Hand.Fingers {
		if !slices.Contains(a.Hand.Fingers, f) {
			n++
		}
	}
	return n
}
