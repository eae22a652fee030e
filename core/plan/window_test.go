package plan

import (
	"context"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
)

// TestWindow: what is told about a moment of a longer tune, and after a pin, is the same to the last word and
// bit whether it was found in a window or by a search from the first moment to the last, and whether it was asked
// before and given up or not.
func TestWindow(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(31, 5))
	ctx := context.Background()
	narrow, wide := 0, 0
	for range few(8) {
		r := Request{Tune: coretest.Wander(rng.Uint64(), 40+rng.IntN(160)),
			Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[rng.IntN(3)]), Player: player.Default(),
			Thumb: []pattern.Kind{pattern.Alternating, pattern.Steady, pattern.None}[rng.IntN(3)]}
		r.Player.Silence = player.Silences[rng.IntN(4)]
		p, err := Solve(ctx, r)
		if err != nil {
			continue
		}
		at := rng.IntN(len(p.Moments))
		for range 3 {
			whole, err := Solve(ctx, r)
			if err != nil {
				t.Fatal(err)
			}
			if p.Total != whole.Total || !reflect.DeepEqual(p.Moments, whole.Moments) {
				t.Fatalf("%v with what is known, %v without: %+v", p.Total, whole.Total, r.Pins)
			}
			all := whole
			if whole.free != nil {
				all = whole.free
			}
			all.back = all.newBackward(nil)
			if err := all.back.open(ctx, 0, len(all.Moments)); err != nil {
				t.Fatal(err)
			}
			for k := range 5 { // a walk with leaps, from the pin
				if k > 0 {
					at = max(0, at+rng.IntN(9)-4)
				}
				if at >= len(p.Moments) || k > 0 && rng.IntN(4) == 0 {
					at = rng.IntN(len(p.Moments))
				}
				if rng.IntN(2) == 0 { // a question that is given up leaves what it has found out, and nothing wrong
					_, _ = p.Alternatives(&stopping{ctx, rng.IntN(60)}, at, play.Melody)
				}
				sameAnswers(t, p, whole, at)
				bw := p.back
				if p.free != nil {
					bw = p.free.back
				}
				if wide++; bw != nil && (bw.lo > 0 || bw.hi < len(p.Moments)-1) {
					narrow++
				}
			}
			pin, ok := lateInWindow(p, at, rng)
			if !ok || rng.IntN(2) == 0 {
				alts, err := p.Alternatives(ctx, at, play.Melody)
				if err != nil || len(alts) < 2 {
					break
				}
				pin = alts[rng.IntN(len(alts))].Pin(&p.Moments[at])
			}
			at = slices.IndexFunc(p.Moments, func(mo play.Moment) bool { return mo.At == pin.At })
			r.Pins = append(r.Pins, pin)
			r.Known = p.Known()
			q, err := Solve(ctx, r)
			if err != nil {
				break // two pins that exclude each other
			}
			q.Beside(p)
			p, r.Known = q, nil
		}
	}
	if narrow < wide/2 {
		t.Errorf("of %d answers %d came from windows", wide, narrow)
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

// lateInWindow pins a digit at a note that lies in the window of a question about moment at, but so late that
// it could not be asked about there.
func lateInWindow(p *Plan, at int, rng *rand.Rand) (play.Pin, bool) {
	for t := at + windowBehind - windowLeast + 1; t < min(at+windowBehind, len(p.Moments)); t++ {
		if mo := &p.Moments[t]; mo.Melody != nil && mo.Melody.Digit != "" {
			return play.Pin{At: mo.At, Part: play.Melody, Digit: play.Digits[1+rng.IntN(2)]}, true
		}
	}
	return play.Pin{}, false
}
