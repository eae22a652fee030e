package plan

import (
	"context"
	"math"
	"slices"

	"stepping/core/player"
	"stepping/core/tuning"
)

// Figures sums up what a whole plan is like.
type Figures struct {
	Slid, Fretted, OpenNotes, Other int     // melody notes by technique: under the slide; fretted, hammered, pulled; open; the rest
	Travel                          float64 // mm that the left hand moves along the neck
	Landings                        int     // times that the slide is set down
	Leaks                           int     // strings that begin to leak
	Worst                           float64 // the loudest leak, dB under the note; 0 if there is none
	Dropped                         int     // thumb strokes left out
	Effort                          float64 // total less the school term: costs that do not depend on the lean
}

// Figures sums up the plan.
func (p *Plan) Figures() Figures {
	f := Figures{Effort: p.Total - p.Terms[School], Worst: math.Inf(-1)}
	var leaking [6]bool
	for t := range p.Moments {
		mo := &p.Moments[t]
		for _, s := range mo.Strokes() {
			if s.Part == Melody {
				f.count(s.How)
			}
		}
		if mo.Dropped {
			f.Dropped++
		}
		for s, st := range mo.Strings {
			if st.State == Leaks {
				if !leaking[s] {
					f.Leaks++
				}
				f.Worst = math.Max(f.Worst, st.DB)
			}
			leaking[s] = st.State == Leaks
		}
		if t == 0 {
			if mo.Hand.SlideOn {
				f.Landings++
			}
			continue
		}
		if mo.Hand.SlideOn && !p.Moments[t-1].Hand.SlideOn {
			f.Landings++
		}
		if mm, _, need := p.travelled(t, p.handAt(t-1), p.handAt(t)); need > 0 {
			f.Travel += mm
		}
	}
	if f.Leaks == 0 {
		f.Worst = 0
	}
	return f
}

func (f *Figures) count(how How) {
	switch how {
	case Slide, Glide:
		f.Slid++
	case Fret, Hammer, Pull:
		f.Fretted++
	case Open:
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

// WithLean plans the request for another lean; pins stay.
func (r Request) WithLean(lean string) Request {
	r.Player.Lean = lean
	return r
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

// reaches reports whether every note lies somewhere.
func (r *Request) reaches() bool {
	m := &model{req: r, neck: r.Player.Neck()}
	for i := range r.Tune.Notes {
		if len(m.combosFor(i)) == 0 {
			return false
		}
	}
	return true
}
