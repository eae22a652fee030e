package practice_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/practice"
	"stepping/core/tune"
	"stepping/golden"
)

// TestGoldenLadders: every step of three ladders, with its reasons and exercises.
func TestGoldenLadders(t *testing.T) {
	var b strings.Builder
	for i, tuning := range []string{"Open D", "Standard", "Open G"} {
		pl := player.Default()
		slap, _ := pattern.Named("Slap on two and four")
		r := plan.Request{Tune: coretest.Wander(uint64(i+3), 24), Tuning: coretest.Tuning(tuning), Player: pl, Thumb: pattern.Alternating}
		if i == 1 {
			r.Player.Lean, r.Sections = player.LeanNone, []pattern.Section{{Bar: 2, Pattern: slap}}
		}
		if i == 2 {
			for n := range r.Tune.Notes {
				r.Tune.Notes[n].Marks |= []tune.Marks{tune.Vibrato, tune.Scoop}[n%2]
			}
		}
		p, err := plan.Solve(context.Background(), r)
		if err != nil {
			t.Fatal(err)
		}
		steps := practice.Ladder(p)
		fmt.Fprintf(&b, "%s\n%s", tuning, golden.Lines(steps))
		weak := []practice.State{{Rung: practice.Rung{Step: steps[0]}}, {Rung: practice.Rung{Step: steps[len(steps)/2]}}}
		fmt.Fprintf(&b, "exercises\n%s", golden.Lines(practice.Exercises(p, weak)))
	}
	golden.Check(t, "ladders", b.String())
}
