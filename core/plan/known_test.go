package plan

import (
	"context"
	"errors"
	"math/rand/v2"
	"reflect"
	"slices"
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

// TestBeside: what else there is in place of a pin is the same, to the last word and bit, whether it is read in the plan before the pin or planned anew, also after another pin in its place;
// a plan of another request is not read.
func TestBeside(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(11, 4))
	ctx := context.Background()
	read, pinned := 0, 0
	for range few(8) {
		r := Request{Tune: coretest.Wander(rng.Uint64(), 6+rng.IntN(8)), Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[rng.IntN(3)]), Player: player.Default(), Thumb: []thumb.Kind{thumb.Alternating, thumb.Steady}[rng.IntN(2)]}
		p, err := Solve(ctx, r)
		if err != nil {
			continue
		}
		pin := randomPin(t, rng, p)
		at := slices.IndexFunc(p.Moments, func(mo play.Moment) bool { return mo.At == pin.At })
		alts, err := p.AlternativesOf(ctx, at, pin.Part, pin.Voice)
		if err != nil || len(alts) == 0 {
			t.Fatal(err, pin)
		}
		told := p
		for _, place := range []Pin{pin, alts[len(alts)-1].Pin(&p.Moments[at])} {
			r.Pins = []Pin{place}
			q, err := Solve(ctx, r)
			if err != nil {
				t.Fatal(err)
			}
			pinned++
			fresh, err := Solve(ctx, r)
			if err != nil {
				t.Fatal(err)
			}
			other := r
			other.Capo++
			if foreign, err := Solve(ctx, other); err == nil {
				if q.Beside(foreign); len(q.beside) > 0 {
					t.Error("a plan with another capo is read")
				}
			}
			if q.Beside(told); q.free == nil && len(q.beside) == 1 {
				read++
			}
			for _, part := range []play.Part{pin.Part, play.Melody, play.Thumb} {
				a, err := q.AlternativesOf(ctx, at, part, pin.Voice)
				b, err2 := fresh.AlternativesOf(ctx, at, part, pin.Voice)
				if err != nil || err2 != nil || !reflect.DeepEqual(a, b) {
					t.Fatalf("%v %v: %+v pinned,\n%+v\n%+v", err, err2, place, a, b)
				}
			}
			if len(told.beside) > 0 {
				t.Error("a plan that is gone from holds on to others")
			}
			told = q
		}
	}
	if read < pinned*3/4 {
		t.Errorf("of %d pinned plans %d read the one before", pinned, read)
	}
}
