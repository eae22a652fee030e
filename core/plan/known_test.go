package plan

import (
	"context"
	"errors"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
)

// With what a plan's alternatives have found out, the plan under any one of them pinned is the same to the
// last detail, and found by it; a request that differs otherwise is not priced.
func TestKnown(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(8, 21))
	ctx := context.Background()
	pins, found := 0, 0
	for range few(6) {
		r := Request{Tune: coretest.Wander(rng.Uint64(), 6+rng.IntN(8)),
			Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[rng.IntN(3)]), Player: player.Default(),
			Thumb: []pattern.Kind{pattern.Alternating, pattern.Steady, pattern.None}[rng.IntN(3)]}
		r.Player.Silence = player.Silences[rng.IntN(4)]
		p, err := Solve(ctx, r)
		if err != nil {
			continue
		}
		for range 2 {
			pin := randomPin(t, rng, p)
			if at, s := rng.IntN(len(p.Moments)), 1+rng.IntN(6); rng.IntN(2) == 0 {
				alts, err := p.AlternativesOf(ctx, at, play.Damped, s)
				if err != nil {
					t.Fatal(err)
				}
				if len(alts) > 0 {
					pin = alts[rng.IntN(len(alts))].Pin(&p.Moments[at])
				}
			}
			if slices.Contains(r.Pins, pin) {
				break
			}
			r.Pins = append(r.Pins, pin)
			plain, err := Solve(ctx, r)
			if err != nil {
				break // two pins that exclude each other
			}
			known := r
			known.Known = p.Known()
			if _, pin := known.Known.price(&known); pin.total != plain.Total {
				t.Fatalf("%v is priced at %v: %+v", plain.Total, pin.total, r.Pins)
			}
			q, err := Solve(ctx, known)
			if len(r.Pins) > 0 {
				pins++
				if m, err := newModel(&known); err == nil {
					if states, _ := m.bestKnown(ctx); states != nil {
						found++
					}
				}
			}
			if err != nil || q.Total != plain.Total || !reflect.DeepEqual(q.Moments, plain.Moments) {
				t.Fatalf("%v: %v with what is known, %v without\n%+v", err, q.Total, plain.Total, r.Pins)
			}
			p = q // and what is known of the pinned plan holds as well
		}
		other := r
		other.Capo = 1
		if k, _ := p.Known().price(&other); k != nil {
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
		r := Request{Tune: coretest.Wander(rng.Uint64(), 8+rng.IntN(8)),
			Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[rng.IntN(3)]), Player: player.Default(), Thumb: pattern.Alternating}
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

// TestBeside: pin after pin, added or put in place of the last, what is asked about a plan is the same, to the
// last word and bit, whether it was told of the plan before or knows nothing: first about the moment of the
// pin, then about all others in any order, or of those about none before the next pin. A plan of another
// request is not read, and none holds on to those before it.
func TestBeside(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(11, 4))
	ctx := context.Background()
	seeded, held, pinned := 0, 0, 0
	for range few(3) {
		r := Request{Tune: coretest.Wander(rng.Uint64(), 6+rng.IntN(8)),
			Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[rng.IntN(3)]), Player: player.Default(),
			Thumb: []pattern.Kind{pattern.Alternating, pattern.Steady}[rng.IntN(2)]}
		if rng.IntN(2) == 0 {
			r.Tune = repeated(rng)
		}
		told, err := Solve(ctx, r)
		if err != nil {
			continue
		}
		other := r
		other.Capo++
		foreign, err := Solve(ctx, other)
		if err != nil {
			t.Fatal(err)
		}
		for range 4 {
			at := rng.IntN(len(told.Moments))
			if n := len(r.Pins); n > 0 && rng.IntN(2) == 0 { // another in place of the last
				at = slices.IndexFunc(told.Moments, func(mo play.Moment) bool { return mo.At == r.Pins[n-1].At })
				r.Pins = slices.Clone(r.Pins[:n-1])
			}
			alts, err := told.AlternativesOf(ctx, at, play.Melody, 0)
			if err != nil || len(alts) == 0 {
				continue
			}
			pin := alts[rng.IntN(len(alts))].Pin(&told.Moments[at])
			switch rng.IntN(6) {
			case 0: // for a stretch
				pin = play.Pin{At: pin.At, To: pin.At + 3*tune.Quarter, Part: play.Melody, How: []play.How{play.Fret, play.Slide}[rng.IntN(2)]}
			case 1:
				pin = play.Pin{At: pin.At, Part: play.Melody, Finger: 1 + rng.IntN(3)}
			case 2:
				pin = play.Pin{At: pin.At, Part: play.Melody, Digit: play.Digits[rng.IntN(3)]}
			case 3:
				pin = play.Pin{At: pin.At, Part: []play.Part{play.Heel, play.Ringing}[rng.IntN(2)], How: play.Off}
			}
			r.Pins = append(slices.Clone(r.Pins), pin)
			fresh, err := Solve(ctx, r)
			if err != nil {
				break // two pins that exclude each other
			}
			known := r
			known.Known = told.Known()
			q, err := Solve(ctx, known)
			if err != nil || q.Total != fresh.Total || !reflect.DeepEqual(q.Moments, fresh.Moments) {
				t.Fatalf("%v: %v with what is known, %v without\n%+v", err, q.Total, fresh.Total, r.Pins)
			}
			if q.Beside(foreign); len(q.beside) > 0 {
				t.Error("a plan with another capo is read")
			}
			q.Beside(told)
			if told.free != nil {
				held++
			}
			if pinned++; q.layers != nil || q.seed != nil || q.free != nil && (q.free.layers != nil || q.free.seed != nil) {
				seeded++
			}
			for _, before := range q.beside {
				if len(before.beside) > 0 {
					t.Error("plans hold on to each other in a chain")
				}
			}
			told = q
			sameAnswers(t, q, fresh, at)
			if rng.IntN(2) == 0 {
				for _, m := range rng.Perm(len(q.Moments))[:min(8, len(q.Moments))] {
					sameAnswers(t, q, fresh, m)
				}
			}
		}
	}
	if seeded < pinned/3 || held == 0 && !testing.Short() {
		t.Errorf("of %d pinned plans %d knew something of the one before, %d had repeats held alike", pinned, seeded, held)
	}
}

// sameAnswers asks two plans all that there is to ask about a moment.
func sameAnswers(t *testing.T, a, b *Plan, m int) {
	t.Helper()
	ctx := context.Background()
	for _, part := range []play.Part{play.Melody, play.Thumb, play.Damped} {
		for voice := range 7 {
			if voice > 0 && part != play.Damped || voice == 0 && part == play.Damped {
				continue
			}
			x, err := a.AlternativesOf(ctx, m, part, voice)
			y, err2 := b.AlternativesOf(ctx, m, part, voice)
			if err := errors.Join(err, err2); err != nil || !reflect.DeepEqual(said(x), said(y)) {
				t.Fatalf("moment %d, %v %d, %v: pinned %+v\n%+v\n%+v", m, part, voice, err, a.Request.Pins, x, y)
			}
		}
	}
	why, err := a.Why(ctx, m)
	other, err2 := b.Why(ctx, m)
	if err := errors.Join(err, err2); err != nil || !slices.Equal(why, other) {
		t.Fatalf("moment %d, %v: pinned %+v\n%q\n%q", m, err, a.Request.Pins, why, other)
	}
}

// said is what alternatives tell, without which of equal ways leads there.
func said(alts []Alternative) []Alternative {
	out := slices.Clone(alts)
	for i := range out {
		out[i].via = link{}
	}
	return out
}
