package plan

import (
	"context"
	"math/rand/v2"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
)

// What is kept is played as it was, stroke by stroke, by a planner with other weights; it costs what the
// gap says more than what that one would do. A pin against it frees its bar alone. What can be played no more is
// lost with a reason, and the plan is today's.
func TestKept(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(3, 31))
	ctx := context.Background()
	solve := func(r Request) *Plan {
		t.Helper()
		p, err := Solve(ctx, r)
		if err != nil {
			t.Fatal(err)
		}
		checkPlan(t, p)
		return p
	}
	moved, lost := 0, 0
	for i := range few(24) {
		r := Request{Tune: coretest.Wander(uint64(i), 12), Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.Kinds[i%3]}
		r.Player.Silence, r.Player.Fingers = player.Silences[i%4], 1+i%3
		r.Weights = randomWeights(rng)
		r.Weights.ScoopNeeds = inForce.ScoopNeeds // or what glides in would be too short for it, and lost
		was := solve(r)
		r.Weights, r.Kept = nil, was.Choices()
		p := solve(r)
		if !p.Kept || p.Lost != "" || p.Gap < 0 || p.Gap != p.Total-p.Today().Total {
			t.Errorf("%d: kept %v, lost %q, gap %v", i, p.Kept, p.Lost, p.Gap)
		}
		same := func(a, b *Plan, but int) {
			t.Helper()
			for k := range a.Moments {
				x, y := a.Moments[k].Strokes(), b.Moments[k].Strokes()
				if a.Moments[k].Bar == but {
					continue
				}
				for n := range x {
					if len(x) != len(y) || x[n].String != y[n].String || x[n].Fret != y[n].Fret || x[n].How != y[n].How ||
						x[n].Finger != y[n].Finger || x[n].Pinned || x[n].Part == play.Melody && x[n].Digit != y[n].Digit {
						t.Errorf("%d, %s: %+v in place of %+v", i, a.Moments[k].At, *x[n], *y[n])
						return
					}
				}
			}
		}
		same(p, was, 0)

		at := rng.IntN(len(p.Moments))
		alts, err := p.Alternatives(ctx, at, play.Melody)
		if err != nil {
			t.Fatal(err)
		}
		for k := range alts {
			if a := &alts[k]; !a.Chosen {
				r.Pins = []play.Pin{a.Pin(&p.Moments[at])}
				q := solve(r)
				if held, _ := q.Holds(&r.Pins[0]); !held {
					t.Errorf("%d: the pin %+v is not kept", i, r.Pins[0])
				}
				if q.Lost == "" {
					same(q, was, q.Moments[at].Bar)
				} else {
					lost++
				}
				moved++
				break
			}
		}
		// A pin on the heel goes with what is kept; one against the slide frees its bar where a slide was kept.
		r.Pins = []play.Pin{{At: 0, To: r.Tune.Length, Part: play.Heel, How: play.Off}}
		if q := solve(r); !q.Kept || q.Lost != "" {
			t.Errorf("%d: a pin on the heel loses what is kept: %q", i, q.Lost)
		} else {
			same(q, was, 0)
		}
		r.Pins = []play.Pin{{At: r.Tune.Bars[0], To: r.Tune.Bars[1], Part: play.Tube, How: play.Off}}
		if q := solve(r); q.Lost == "" {
			same(q, was, 1)
		}
		r.Pins, r.Player.Lean = nil, player.LeanNone
		if q, err := Solve(ctx, r); err == nil && was.usesSlide() && (q.Kept || q.Lost == "") {
			t.Errorf("%d: a slide is kept without one", i)
		}
	}
	if t.Logf("%d pinned, of which %d lost what was kept", moved, lost); moved == 0 || 4*lost > moved {
		t.Errorf("%d pinned, %d lost", moved, lost)
	}
}

func (p *Plan) usesSlide() bool {
	for i := range p.Moments {
		if p.Moments[i].Hand.SlideOn {
			return true
		}
	}
	return false
}
