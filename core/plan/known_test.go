package plan

import (
	"context"
	"errors"
	"math/rand/v2"
	"reflect"
	"testing"

	"stepping/core/coretest"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/thumb"
)

// With what a plan's alternatives have found out, the plan under any one of them pinned is the same to the
// last detail, and found by it; a request that differs otherwise is not priced.
func TestKnown(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(8, 21))
	ctx := context.Background()
	pins, found := 0, 0
	for range few(10) {
		r := Request{Tune: coretest.Wander(rng.Uint64(), 6+rng.IntN(8)), Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[rng.IntN(3)]), Player: player.Default(), Thumb: []thumb.Kind{thumb.Alternating, thumb.Steady, thumb.None}[rng.IntN(3)]}
		r.Player.Silence = player.Silences[rng.IntN(4)]
		p, err := Solve(ctx, r)
		if err != nil {
			continue
		}
		for range 2 {
			r.Pins = append(r.Pins, randomPin(t, rng, p))
			plain, err := Solve(ctx, r)
			if err != nil {
				break // two pins that exclude each other
			}
			known := r
			if known.Known = p.Known(); known.Known.price(&known) != plain.Total {
				t.Fatalf("%v is priced at %v: %+v", plain.Total, known.Known.price(&known), r.Pins)
			}
			q, err := Solve(ctx, known)
			if len(r.Pins) > 0 {
				pins++
				if m, err := newModel(&known); err != nil || m.bestLayersKnown(ctx) != nil {
					found++
				}
			}
			if err != nil || q.Total != plain.Total || !reflect.DeepEqual(q.Moments, plain.Moments) {
				t.Fatalf("%v: %v with what is known, %v without\n%+v", err, q.Total, plain.Total, r.Pins)
			}
			p = q // and what is known of the pinned plan holds as well
		}
		other := r
		if other.Capo = 1; p.Known().price(&other) != inf {
			t.Error("a request with another capo is priced")
		}
	}
	if found < pins*9/10 {
		t.Errorf("of %d pins %d were found by what is known", pins, found)
	}
}

// With a total that is wanted at most, the plan is the one without it if that costs no more, and given up
// if it costs more, however little.
func TestWithin(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(9, 2))
	ctx := context.Background()
	for range few(25) {
		r := Request{Tune: coretest.Wander(rng.Uint64(), 8+rng.IntN(8)), Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[rng.IntN(3)]), Player: player.Default(), Thumb: thumb.Alternating}
		p, err := Solve(ctx, r)
		if err != nil {
			continue
		}
		for _, over := range []float64{0, 0.01, 3, 100} {
			r.Within = p.Total + over
			if q, err := Solve(ctx, r); err != nil || q.Total != p.Total || !reflect.DeepEqual(q.Moments, p.Moments) {
				t.Fatalf("within %v of %v: %v", r.Within, p.Total, err)
			}
		}
		for _, under := range []float64{1.0 / play.Grid, 1, p.Total / 2} {
			r.Within = p.Total - under
			if _, err := Solve(ctx, r); !errors.Is(err, ErrOver) {
				t.Fatalf("%v is planned within %v: %v", p.Total, r.Within, err)
			}
		}
	}
}
