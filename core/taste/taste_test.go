package taste

import (
	"context"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
)

// played are tunes whose pins are the choices, different from the planner's, of a player with other weights.
func played(t *testing.T, taste player.Taste, most int) []Source {
	t.Helper()
	var out []Source
	for seed := range uint64(3) { // of Wander(5 …) and Wander(8 …) nothing is learnt since fretted shifts cost more
		pl := player.Default()
		r := plan.Request{Tune: coretest.Wander(seed+11, 24), Tuning: coretest.Tuning("Open D"), Player: pl, Thumb: pattern.Alternating}
		planner, err := plan.Solve(context.Background(), r)
		if err != nil {
			t.Fatal(err)
		}
		own := r
		own.Player.Taste = taste
		his, err := plan.Solve(context.Background(), own)
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range his.Choices() {
			c.Finger, c.Digit = 0, ""
			if held, _ := planner.Holds(&c); !held && c.Part == play.Melody && len(r.Pins) < most {
				r.Pins = append(r.Pins, c)
			}
		}
		out = append(out, Source{"", r})
	}
	return out
}

// A player who minds the upper frets less and fretted notes more is understood from their pins: the planner then makes most
// of their choices by itself, no weight moves further than it may, and the pins' own tunes need no change.
func TestLearn(t *testing.T) {
	if testing.Short() {
		t.Skip("plans a dozen tunes again and again; TestTooFew learns from three")
	}
	t.Parallel()
	sources := played(t, player.Taste{"MixedFret": 1.5, "LongFretted": 1.5, "MixedSlide": 0.67, "OpenSustained": 1.5}, 12)
	shares := []float64{0}
	l, err := Learn(context.Background(), sources, func(share float64) { shares = append(shares, share) })
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d choices, %d against the planner, %d after: %v %v", len(l.Choices), l.Against, l.After, l.Taste, l.Tendencies)
	if !l.Enough() || len(l.Choices) < l.Against || 2*l.After > l.Against {
		t.Errorf("%d of %d choices are not understood", l.After, l.Against)
	}
	if len(l.Taste) == 0 || len(l.Taste) > (l.Against-l.After)/2+1 {
		t.Errorf("%d weights for %d choices won", len(l.Taste), l.Against-l.After)
	}
	for name := range l.Taste {
		if Words(name) == "" {
			t.Errorf("%s has no words", name)
		}
	}
	if len(l.Tendencies) == 0 || l.Tendencies[0].Words != leaningWords[slideMore] {
		t.Errorf("tendencies %v", l.Tendencies)
	}
	if shares[len(shares)-1] != 1 {
		t.Errorf("progress ends at %v", shares[len(shares)-1])
	}
	learnt := player.Default()
	learnt.Taste = l.Taste
	if err := learnt.Validate(); err != nil {
		t.Error(err)
	}
	held, all := 0, 0
	for _, s := range sources {
		r := s.bare()
		r.Player = learnt
		p, err := plan.Solve(context.Background(), r)
		if err != nil {
			t.Fatal(err)
		}
		for _, pin := range s.Request.Pins {
			if all++; isHeld(pin, p) {
				held++
			}
		}
	}
	if all-held != l.After {
		t.Errorf("%d of %d choices made with the taste, %d said", held, all, all-l.After)
	}
	again, err := Learn(context.Background(), sources, nil)
	if err != nil || len(again.Taste) != len(l.Taste) {
		t.Errorf("learnt again: %v, %v", again.Taste, err)
	}
}

func isHeld(pin play.Pin, p *plan.Plan) bool {
	held, _ := p.Holds(&pin)
	return held
}

// Too few choices, and choices that the planner would make anyhow, teach nothing.
func TestTooFew(t *testing.T) {
	t.Parallel()
	few := played(t, player.Taste{"MixedFret": 1.5, "LongFretted": 1.5}, 2)
	agreeing := few[0]
	p, err := plan.Solve(context.Background(), agreeing.bare())
	if err != nil {
		t.Fatal(err)
	}
	agreeing.Request.Pins, agreeing.Request.Kept = nil, p.Choices()
	for _, sources := range [][]Source{few, {agreeing}, nil} {
		l, err := Learn(context.Background(), sources, nil)
		if err != nil || l.Enough() || l.Taste != nil {
			t.Errorf("%v, %v", l, err)
		}
	}
	if l, err := Learn(context.Background(), []Source{agreeing}, nil); err != nil || l.Against != 0 || len(l.Choices) < 24 {
		t.Errorf("a kept plan of the planner's own: %d choices, %d against, %v", len(l.Choices), l.Against, err)
	}
}

// The sign test against counting: with eight choices, seven of one way happen in 9 of 256 cases.
func TestSignTest(t *testing.T) {
	for _, c := range []struct {
		a, b int
		want float64
	}{{7, 1, 9. / 256}, {8, 0, 1. / 256}, {6, 1, 8. / 128}, {0, 3, 1}} {
		if got := signTest(c.a, c.b); got < c.want-1e-9 || got > c.want+1e-9 {
			t.Errorf("%d of %d: %v, want %v", c.a, c.a+c.b, got, c.want)
		}
	}
}
