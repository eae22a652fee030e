package setup

import (
	"slices"
	"strings"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// dialRequests are tunes of several kinds to turn the dials on: seeded lines with and without a slide, for players who bend and play harmonics.
func dialRequests(t *testing.T) (out []plan.Request) {
	kinds := []struct {
		tuning string
		lean   string
		thumb  pattern.Kind
	}{{"Open D", player.LeanMixed, pattern.Alternating}, {"Standard", player.LeanNone, pattern.Alternating},
		{"Open G", player.LeanSlide, pattern.Steady}, {"DADGAD", player.LeanNone, pattern.Steady}}
	for seed := range uint64(3) {
		for i, k := range kinds {
			if testing.Short() && (int(seed)+i)%3 != 0 {
				continue
			}
			tn, err := tuning.ParseAny(k.tuning)
			if err != nil {
				t.Fatal(err)
			}
			r := plan.Request{Tune: coretest.Wander(40*seed+uint64(i), 24), Tuning: tn, Player: player.Default(), Thumb: k.thumb}
			r.Player.Lean, r.Player.Techniques = k.lean, []string{player.UsesBend, player.UsesHarmonic}
			out = append(out, r)
		}
	}
	return out
}

// TestHowHard: no position of the dial is in any way harder than the one above it, each is easier in some way and says how, the plans
// are those of their settings.
func TestHowHard(t *testing.T) {
	ctx := t.Context()
	steps := 0
	for _, r := range dialRequests(t) {
		dial, err := HowHard(ctx, r)
		if err != nil {
			t.Fatal(err)
		}
		for i := 1; i < len(dial); i++ {
			a, b := dial[i-1].Plan.Hardness(), dial[i].Plan.Hardness()
			if b.BPM < a.BPM || b.Strokes > a.Strokes || b.Crossings > a.Crossings || b.Special > a.Special || b.StretchMM > a.StretchMM || a == b {
				t.Errorf("%q is not easier: %+v after %+v", dial[i].Words, b, a)
			}
			if name, gain, ok := strings.Cut(dial[i].Words, ": "); !ok || name != Easings[dial[i].Ease-1].Name || gain == "" {
				t.Errorf("says nothing of what is gained: %q", dial[i].Words)
			}
			req := r
			Eased(&req, dial[i].Ease)
			fresh, err := plan.SolveKeepable(ctx, req)
			if err != nil || !slices.EqualFunc(fresh.Choices(), dial[i].Plan.Choices(), func(a, b play.Pin) bool { return a == b }) {
				t.Errorf("%q: another plan than by itself (%v)", dial[i].Words, err)
			}
		}
		steps += len(dial) - 1
	}
	if n := len(dialRequests(t)); steps < 2*n {
		t.Errorf("%d positions on %d tunes: the dials hardly move", steps, n)
	}
}

// TestHowMuchSlide: turned up, no fewer notes are slid; mixed differs from all at every tempo.
func TestHowMuchSlide(t *testing.T) {
	for _, bpm := range []float64{40, 60, 90, 130} {
		r := plan.Request{Tune: coretest.Wander(7, 32), Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.Steady, Tempo: bpm}
		dial, err := SlideSteps(t.Context(), r)
		if err != nil {
			t.Fatal(err)
		}
		var slid []int
		for _, s := range dial {
			slid = append(slid, s.Plan.Figures().Slid)
		}
		if slid[0] != 0 || !slices.IsSorted(slid) || slid[2] >= slid[4] {
			t.Errorf("at %.0f bpm from none to all %v notes are slid", bpm, slid)
		}
	}
}

// TestSlideForLap: a dial that was turned for a player who frets asks nothing of one whose guitar lies flat.
func TestSlideForLap(t *testing.T) {
	lap := player.Default()
	lap.Posture, lap.Silence, lap.Lean = player.Lap, player.LapStop, player.LeanSlide
	for _, lean := range player.Leans {
		st := Settings{Tuning: "Open D", Thumb: pattern.None, Slide: lean}
		r, err := st.Request(coretest.Wander(3, 8), &lap)
		if err == nil {
			err = r.Player.Validate()
		}
		if err != nil {
			t.Errorf("%s: %v", lean, err)
		}
	}
}

// TestThin: of strokes that are thinned out those on strong beats are left, and with fewer left the others are among them.
func TestThin(t *testing.T) {
	for seed := range uint64(20) {
		tu := coretest.Any(seed)
		var last []tune.Time
		for _, thin := range []pattern.Thin{pattern.FirstBeat, pattern.Strong, pattern.All} {
			var at []tune.Time
			for _, s := range pattern.Strokes(tu, pattern.Steady, nil, "one", thin) {
				at = append(at, s.At)
				if _, since := tu.Position(s.At); thin == pattern.FirstBeat && since != 0 {
					t.Fatalf("seed %d: a stroke at %d of its bar", seed, since)
				}
			}
			for _, was := range last {
				if !slices.Contains(at, was) {
					t.Fatalf("seed %d: %d is gone where more are left", seed, was)
				}
			}
			last = at
		}
	}
}
