package carry_test

import (
	"errors"
	"strings"
	"testing"

	"stepping/core/carry"
	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/tune"
)

// request is a tune of a melody, that lies by steps half steps above where it lies well, over a bass.
func request(seed uint64, steps int, tuned string) plan.Request {
	tu := coretest.Wander(seed, 20).Transposed(steps)
	tu.Bass = nil
	for i, at := 0, tune.Time(0); at < tu.Length; i, at = i+1, at+2*tune.Quarter {
		p := pitch.Midi(38 + (7*i+int(seed))%11)
		tu.Bass = append(tu.Bass, tune.Note{At: at, Dur: min(2*tune.Quarter, tu.Length-at), Note: pitch.Spell(p, false)})
	}
	r := plan.Request{Tune: tu, Tuning: coretest.Tuning(tuned), Player: player.Default(), Thumb: pattern.Written}
	r.Player.Lean = player.LeanNone
	return r
}

// take is a request with the first way of every loss.
func take(t *testing.T, r plan.Request, losses []carry.Loss) plan.Request {
	t.Helper()
	for i := len(losses) - 1; i >= 0; i-- {
		if len(losses[i].Ways) == 0 {
			continue
		}
		tu, err := r.Tune.Mended(&losses[i].Ways[0].Mend)
		if err != nil {
			t.Fatalf("%+v: %v", losses[i], err)
		}
		r.Tune = tu
	}
	return r
}

// TestLosses: only what cannot be had is listed: taking the first way of each until none is left leads to a plan that plays every
// note; what is not listed is not changed; ways are priced, the cheapest first.
func TestLosses(t *testing.T) {
	told, kinds := 0, map[string]bool{}
	for seed := range uint64(12) {
		r := request(seed, []int{0, 16, -14}[seed%3], []string{"Standard", "DADGAD", "Open G"}[seed%3])
		for round := range 6 {
			losses, err := carry.Losses(t.Context(), r)
			if err != nil {
				t.Fatal(err)
			}
			if len(losses) == 0 {
				break
			}
			if round == 5 {
				t.Fatalf("seed %d: still told after five rounds: %+v", seed, losses)
			}
			for i := range losses {
				l := &losses[i]
				told++
				kinds[strings.Fields(l.Why)[0]] = true
				for k, w := range l.Ways {
					if w.Extra < 0 || k == 0 && w.Extra != 0 || k > 0 && w.Extra < l.Ways[k-1].Extra || w.Mend.At != l.At || w.Mend.Bass != l.Bass {
						t.Errorf("seed %d: %+v", seed, l)
					}
				}
			}
			before := r.Tune
			r = take(t, r, losses)
			unchanged(t, before, r.Tune, losses)
		}
		p, err := plan.Solve(t.Context(), r)
		if err != nil {
			t.Fatal(seed, err)
		}
		for i := range p.Moments {
			if mo := &p.Moments[i]; mo.Stroke == "written" && mo.Thumb == nil {
				t.Errorf("seed %d: a bass note is left out at %s and not told", seed, mo.At)
			}
		}
	}
	if told < 20 || !kinds["below"] || !kinds["beyond"] || !kinds["rings"] {
		t.Errorf("%d told: %v", told, kinds)
	}
}

// unchanged: notes that were not told are as they were.
func unchanged(t *testing.T, a, b *tune.Tune, losses []carry.Loss) {
	t.Helper()
	at := map[bool]map[tune.Time]bool{false: {}, true: {}}
	for i := range losses {
		at[losses[i].Bass][losses[i].At] = true
	}
	for bass, lines := range map[bool][2][]tune.Note{false: {a.Notes, b.Notes}, true: {a.Bass, b.Bass}} {
		k := 0
		for _, n := range lines[0] {
			for k < len(lines[1]) && lines[1][k].At < n.At {
				k++
			}
			if !at[bass][n.At] && (k == len(lines[1]) || lines[1][k].At != n.At || lines[1][k].Note != n.Note || lines[1][k].Dur != n.Dur) {
				t.Errorf("the note at %s, which nobody told, is changed", n.At)
			}
		}
	}
}

// TestNowhere: a tune of which nothing can be had has a loss for each note, with ways that lead nearer; one that can be had whole has no losses.
func TestNowhere(t *testing.T) {
	r := request(1, 60, "Standard")
	losses, err := carry.Losses(t.Context(), r)
	var out *plan.RangeError
	if err != nil && !errors.As(err, &out) || len(losses) == 0 || losses[0].Why != "beyond the last fret" {
		t.Errorf("%v %+v", err, losses)
	}
	r = request(1, 0, "Standard")
	r.Tune.Bass, r.Thumb = nil, pattern.None
	if losses, err := carry.Losses(t.Context(), r); err != nil || len(losses) > 0 {
		t.Errorf("%v %+v", err, losses)
	}
}
