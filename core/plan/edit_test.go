package plan

import (
	"context"
	"errors"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"stepping/core/chord"
	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
)

// TestFrom: change after change, pins of every kind set, exchanged and taken away, chords and notes changed, a plan made from the one
// before is the plan made from nothing, to the last word and bit; so is every answer about it, whether asked before or not, in any
// order, and after a question that was given up. What is only written otherwise, names of notes and numbers of bars, counts too.
func TestFrom(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(11, 4))
	ctx := context.Background()
	edits, edited, held := 0, 0, 0
	for range few(12) {
		r := Request{Tune: coretest.Wander(rng.Uint64(), 6+rng.IntN(10)),
			Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[rng.IntN(3)]), Player: player.Default(),
			Thumb: []pattern.Kind{pattern.Alternating, pattern.Steady, pattern.None}[rng.IntN(3)], Varied: rng.IntN(2) == 0}
		r.Player.Silence = player.Silences[rng.IntN(4)]
		if rng.IntN(3) == 0 {
			r.Tune = repeated(rng)
		} else if rng.IntN(3) == 0 {
			r.Tune = coretest.Wander(rng.Uint64(), 40+rng.IntN(160))
		}
		told, err := Solve(ctx, r)
		if err != nil {
			continue
		}
		for range 5 {
			if rng.IntN(3) > 0 { // or the plan before is not asked about
				if rng.IntN(3) == 0 {
					_, _ = told.Alternatives(&stopping{ctx, rng.IntN(60)}, rng.IntN(len(told.Moments)), play.Melody)
				}
				if _, err := told.Marginals(ctx, rng.IntN(len(told.Moments)), play.Melody, 0); err != nil {
					t.Fatal(err)
				}
			}
			next := changedRequest(t, rng, told)
			fresh, err := Solve(ctx, next)
			next.From = told
			q, err2 := Solve(ctx, next)
			var one, two *PinError
			if errors.As(err, &one) && errors.As(err2, &two) && one.Why == two.Why {
				continue // pins that exclude each other
			}
			if err := errors.Join(err, err2); err != nil {
				t.Fatal(err)
			}
			if q.Total != fresh.Total || q.Ceiling != fresh.Ceiling || !reflect.DeepEqual(q.Moments, fresh.Moments) {
				t.Fatalf("%v made from the plan before, %v from nothing: %+v", q.Total, fresh.Total, next.Pins)
			}
			if edits++; q.base != nil || q.free != nil && q.free.base != nil || q.lattice.Knows() {
				edited++
			}
			if q.free != nil {
				held++
			}
			for range rng.IntN(4) {
				sameAnswers(t, q, fresh, rng.IntN(len(q.Moments)))
			}
			told = q
		}
	}
	if edited < edits/3 || held == 0 && !testing.Short() {
		t.Errorf("of %d plans %d were edits of the one before, %d had repeats held alike", edits, edited, held)
	}
}

// changedRequest is the request of a plan with a change.
func changedRequest(t *testing.T, rng *rand.Rand, p *Plan) Request {
	t.Helper()
	r := p.Request
	r.Pins = slices.Clone(r.Pins)
	if n := len(r.Pins); n > 0 && rng.IntN(3) == 0 {
		r.Pins = slices.Delete(r.Pins, n-1, n)
	}
	at := rng.IntN(len(p.Moments))
	mo := &p.Moments[at]
	switch rng.IntN(9) {
	case 0: // for a stretch
		r.Pins = append(r.Pins, play.Pin{At: mo.At, To: mo.At + 3*tune.Quarter, Part: play.Melody, How: []play.How{play.Fret, play.Slide}[rng.IntN(2)]})
	case 1:
		r.Pins = append(r.Pins, play.Pin{At: mo.At, Part: play.Melody, Finger: 1 + rng.IntN(3)})
	case 2:
		r.Pins = append(r.Pins, play.Pin{At: mo.At, Part: play.Melody, Digit: play.Digits[rng.IntN(3)]})
	case 3:
		r.Pins = append(r.Pins, play.Pin{At: mo.At, Part: []play.Part{play.Heel, play.Ringing, play.Tube}[rng.IntN(3)], How: play.Off})
	case 4:
		tu := *r.Tune
		tu.Chords = slices.Clone(tu.Chords)
		c, err := chord.Parse([]string{"D", "G", "A7", "Em"}[rng.IntN(4)])
		if err != nil {
			t.Fatal(err)
		}
		tu.Chords[rng.IntN(len(tu.Chords))].Chord = c
		r.Tune = &tu
	case 5:
		tu := *r.Tune
		tu.Notes = slices.Clone(tu.Notes)
		n := &tu.Notes[rng.IntN(len(tu.Notes))]
		n.Note = pitch.Spell(n.Note.Pitch()+pitch.Midi(2), false)
		r.Tune = &tu
	case 6: // what is only written otherwise
		tu := *r.Tune
		tu.Notes, tu.Printed = slices.Clone(tu.Notes), nil
		n := &tu.Notes[rng.IntN(len(tu.Notes))]
		n.Note = pitch.Spell(n.Note.Pitch(), rng.IntN(2) == 0)
		if rng.IntN(2) == 0 {
			for i := range tu.Bars {
				tu.Printed = append(tu.Printed, tune.Printed{Number: i, Pass: 1})
			}
		}
		r.Tune = &tu
	default:
		if pin := randomPin(t, rng, p); !slices.Contains(r.Pins, pin) {
			r.Pins = append(r.Pins, pin)
		}
	}
	return r
}

// TestPrices: what is said of a choice is what the plan under its pin costs, made from nothing, next to other pins and in place of one.
// Where repeats are alike the other bars are taken to be played as they are; the plan may hold them to other ways, which is seldom.
func TestPrices(t *testing.T) {
	t.Parallel()
	rng, ctx := rand.New(rand.NewPCG(26, 5)), context.Background()
	told, alike, off := 0, 0, 0
	wanted := 1000
	if testing.Short() {
		wanted = 20
	}
	for told < wanted {
		r := Request{Tune: repeated(rng), Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[rng.IntN(3)]),
			Player: player.Default(), Thumb: pattern.Kinds[rng.IntN(3)], Varied: rng.IntN(3) == 0}
		r.Player.Silence, r.Player.Lean = player.Silences[rng.IntN(4)], player.Leans[rng.IntN(4)]
		p, err := Solve(ctx, r)
		for range rng.IntN(3) {
			if err == nil {
				next := r
				next.Pins = append(slices.Clone(r.Pins), randomPin(t, rng, p))
				if q, err := Solve(ctx, next); err == nil {
					p, r = q, next
				}
			}
		}
		if err != nil {
			continue
		}
		for range 3 {
			at, part, voice := rng.IntN(len(p.Moments)), []play.Part{play.Melody, play.Thumb, play.Damped}[rng.IntN(3)], 0
			if part == play.Damped {
				voice = 1 + rng.IntN(6)
			}
			alts, err := p.AlternativesOf(ctx, at, part, voice)
			if err != nil {
				t.Fatal(err)
			}
			if len(alts) == 0 {
				continue
			}
			a := alts[rng.IntN(len(alts))]
			next := r
			next.Pins = slices.DeleteFunc(slices.Clone(r.Pins), func(pin play.Pin) bool {
				return pin.InForce(p.Moments[at].At) && pin.Part == part && pin.Voice == voice
			})
			next.Pins = append(next.Pins, a.Pin(&p.Moments[at]))
			q, err := Solve(ctx, next)
			if err != nil {
				t.Fatal(err)
			}
			if told++; !r.Varied {
				alike++
			}
			switch {
			case q.Total == p.Total+a.Extra:
			case r.Varied:
				t.Errorf("told %v, costs %v: %+v, pins %+v", a.Extra, q.Total-p.Total, a.Pin(&p.Moments[at]), r.Pins)
			default:
				off++
			}
		}
	}
	if t.Logf("%d prices, %d where repeats are alike, of which %d are others", told, alike, off); 4*off > alike {
		t.Errorf("%d of %d prices where repeats are alike are others", off, alike)
	}
}

// stopping is a context that ends after some looks at it.
type stopping struct {
	context.Context
	looks int
}

func (s *stopping) Err() error {
	if s.looks--; s.looks < 0 {
		return context.DeadlineExceeded
	}
	return nil
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
			if err := errors.Join(err, err2); err != nil || !reflect.DeepEqual(x, y) {
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
		for _, over := range []float64{0, 0.01, 3, 100, 1e300} {
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
