package plan

import (
	"context"
	"fmt"
	"slices"

	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tuning"
)

// Figures sums up what a whole plan is like.
type Figures struct {
	Slid, Fretted, OpenNotes, Other int     // melody notes by technique: under the slide; fretted, hammered, pulled; open; the rest
	Travel                          float64 // mm that the left hand moves along the neck
	Landings                        int     // times that the slide is set down
	Leaks                           int     // strings that begin to leak
	Dropped                         int     // thumb strokes left out
	Effort                          float64 // total less the school term: costs that do not depend on the lean
}

// Figures sums up the plan.
func (p *Plan) Figures() Figures {
	p.mu.Lock()
	defer p.unlock()
	return p.figures()
}

func (p *Plan) figures() Figures {
	f := Figures{Effort: p.Total - p.Terms[play.School]}
	var leaking [6]bool
	for t := range p.Moments {
		mo := &p.Moments[t]
		for _, s := range mo.Strokes() {
			if s.Part == play.Melody {
				f.count(s.How)
			}
		}
		if mo.Dropped {
			f.Dropped++
		}
		for s, st := range mo.Strings {
			if st.State == play.Leaks && !leaking[s] {
				f.Leaks++
			}
			leaking[s] = st.State == play.Leaks
		}
		if mo.Hand.SlideOn && (t == 0 || !p.Moments[t-1].Hand.SlideOn) {
			f.Landings++
		}
		if t == 0 {
			continue
		}
		if w := p.travelled(t, p.handAt(t-1), p.handAt(t)); w.need > 0 {
			f.Travel += w.mm
		}
	}
	return f
}

func (f *Figures) count(how play.How) {
	switch how {
	case play.Slide, play.Glide:
		f.Slid++
	case play.Fret, play.Hammer, play.Pull:
		f.Fretted++
	case play.Open:
		f.OpenNotes++
	default:
		f.Other++
	}
}

// Characters are the leans whose best plans really differ, for players who wear a slide:
// as much as can be with it, mixed, and hardly any.
func Characters(p player.Profile) []string {
	if p.Lap() {
		return []string{player.LeanSlide, player.LeanMixed}
	}
	return []string{player.LeanSlide, player.LeanMixed, player.LeanFret}
}

// Fit is a way in which a tune that lies outside the guitar's range would fit: moved by Steps
// half steps, or, with Steps 0, in another tuning of the library.
type Fit struct {
	Steps  int
	Tuning string
}

// Fits looks for ways to play every note of the request: the three smallest transpositions in
// the present tuning (octaves first, since they keep the key), and the first three tunings of
// the library in which the tune fits as it is. Pins are left out of account.
func Fits(ctx context.Context, r Request) []Fit {
	var out []Fit
	steps := []int{12, -12}
	for n := 1; n <= 11; n++ {
		steps = append(steps, -n, n)
	}
	for _, n := range append(steps, 24, -24) {
		if len(out) == 3 || ctx.Err() != nil {
			break
		}
		trial := r
		trial.Tune = r.Tune.Transposed(n)
		if trial.reaches() {
			out = append(out, Fit{Steps: n})
		}
	}
	found := 0
	for _, n := range tuning.Library {
		if found == 3 || ctx.Err() != nil {
			break
		}
		trial := r
		if t, err := tuning.Parse(n.Spelt); err == nil && !slices.Equal(t.Spelled(), r.Tuning.Spelled()) {
			if trial.Tuning = t; trial.reaches() {
				out = append(out, Fit{Tuning: n.Name})
				found++
			}
		}
	}
	return out
}

// reaches reports whether every note lies somewhere. What a note needs does not depend on where
// it is in the tune, so each is looked at once.
func (r *Request) reaches() bool {
	m := &model{req: r, w: r.weights(), neck: r.Player.Neck()}
	seen := map[string]bool{}
	for i, n := range r.Tune.Notes {
		if key := fmt.Sprint(n.Voices()); !seen[key] {
			seen[key] = true
			if len(m.voicingsFor(i)) == 0 {
				return false
			}
		}
	}
	return true
}
