package take_test

import (
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/sound"
)

// TestCleanPlans: of plans for guitars upright and flat, as core/sound plays them without a fault, next to nothing is said.
func TestCleanPlans(t *testing.T) {
	if testing.Short() {
		t.Skip("two dozen recordings")
	}
	takes, said := 0, 0
	for seed := range uint64(24) {
		pl := player.Default()
		if seed%2 == 1 {
			pl.Posture, pl.Silence = player.Lap, player.LapStop
		}
		if seed%3 == 2 {
			pl.Lean = player.LeanSlide
		}
		p, err := plan.Solve(t.Context(), plan.Request{Tune: coretest.Wander(200+seed, 40), Tuning: coretest.Tuning([]string{"Open D", "Open G"}[seed/2%2]),
			Player: pl, Thumb: []pattern.Kind{pattern.Alternating, pattern.Steady, pattern.None}[seed/4%3]})
		if err != nil {
			continue // out of reach in that tuning
		}
		tk, err := prepare(t, render(t, p, sound.Options{}), rate).Judge(p)
		if err != nil {
			t.Errorf("plan %d: %v", seed, err)
			continue
		}
		takes++
		for _, v := range tk.Verdicts(p) {
			said++
			t.Logf("plan %d: %s %s", seed, v.Kind, v.Text)
		}
	}
	t.Logf("figure: %d findings in %d clean takes of our own sound", said, takes)
	if takes < 16 || 10*said > takes {
		t.Error("see above")
	}
}
