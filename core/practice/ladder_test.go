package practice_test

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/practice"
)

// TestLadder: over plans of many kinds the steps come in the order of the layers, stay within the tune, cite
// something of it, go up in small steps to the wanted tempo or what the hands allow, and leave out what the
// tune does not have.
func TestLadder(t *testing.T) {
	slap := slices.IndexFunc(pattern.Library, func(p pattern.Pattern) bool {
		return p.Meter == "4/4" && slices.ContainsFunc(p.Beats, func(b pattern.Beat) bool { return b.Hit == pattern.Slap })
	})
	for i, tt := range []struct {
		kind     pattern.Kind
		lean     string
		sections []pattern.Section
		tempo    float64
	}{
		{pattern.Alternating, player.LeanMixed, nil, 0}, {pattern.None, player.LeanSlide, nil, 0}, {pattern.Steady, player.LeanNone, nil, 200},
		{pattern.None, player.LeanNone, []pattern.Section{{Bar: 1, Pattern: &pattern.Library[slap]}}, 0},
	} {
		pr := player.Default()
		pr.Lean = tt.lean
		p, err := plan.Solve(context.Background(), plan.Request{Tune: coretest.Wander(uint64(i), 48),
			Tuning: coretest.Tuning("Open D"), Player: pr, Thumb: tt.kind, Sections: tt.sections, Tempo: tt.tempo})
		if err != nil {
			t.Fatal(err)
		}
		steps := practice.Ladder(p)
		at, top := 0, 0.0
		seen := map[string]int{}
		for n, s := range steps {
			k := slices.Index(practice.Layers, s.Layer)
			if k < at {
				t.Errorf("plan %d, step %d: %s after %s", i, n, s.Layer, practice.Layers[at])
			}
			at = max(at, k)
			seen[s.Layer]++
			if s.Bars[0] < 1 || s.Bars[1] < s.Bars[0] || s.Bars[1] > len(p.Request.Tune.Bars) || s.Tempo < 10 || s.What == "" ||
				s.Done == "" || !strings.HasPrefix(s.Place, "bar") {
				t.Errorf("plan %d, step %d: %+v", i, n, s)
			}
			if s.Layer == practice.Tempo {
				if top > 0 && (s.Tempo <= top || s.Tempo > 1.1*top+1) {
					t.Errorf("plan %d: from %g to %g", i, top, s.Tempo)
				}
				top = s.Tempo
			}
		}
		goal := p.Tempo()
		if p.Ceiling.BPM > 0 {
			goal = min(goal, p.Ceiling.BPM)
		}
		if top < goal-1 || top > goal+1 {
			t.Errorf("plan %d ends at %g of %g", i, top, goal)
		}
		hits, slid := false, false
		for k := range p.Moments {
			hits = hits || p.Moments[k].Hit != ""
			slid = slid || p.Moments[k].Hand.SlideOn
		}
		if (seen[practice.Percussion] > 0) != hits || seen[practice.Slide] > 0 && !slid ||
			(seen[practice.ThumbAlone] > 0) != (tt.kind != pattern.None || tt.sections != nil) {
			t.Errorf("plan %d: %v, percussion %v, slide %v", i, seen, hits, slid)
		}
		checkExercises(t, p, slid, hits)
		if seen[practice.MelodyAlone] == 0 || seen[practice.Whole] == 0 {
			t.Errorf("plan %d: %v", i, seen)
		}
	}
}

// checkExercises: they cite bars of the tune, each once, only of what it has, and those for a phrase take the
// one that the log shows to break.
func checkExercises(t *testing.T, p *plan.Plan, slid, hits bool) {
	t.Helper()
	seen := map[string]int{}
	for _, s := range practice.Exercises(p, nil) {
		seen[s.Key]++
		seen[strings.Fields(s.Key)[2]]++
		if s.Layer != practice.Exercise || s.Bars[0] < 1 || s.Bars[1] > len(p.Request.Tune.Bars) || s.What == "" || s.Done == "" ||
			s.Clean < 1 || seen[s.Key] > 1 || s.Moment >= len(p.Moments) {
			t.Errorf("%+v, %d times", s, seen[s.Key])
		}
	}
	if seen["pitch"] > 0 && !slid || seen["between"] > 0 && !slid || (seen["slap"] > 0) != hits || seen["silence"] == 0 {
		t.Errorf("%v with slide %v, slaps %v", seen, slid, hits)
	}
	states := practice.Progress(practice.Rungs(practice.Ladder(p)), nil, time.Now())
	for i := range states {
		if s := &states[i]; s.Layer == practice.MelodyAlone && seen["pitch"] > 0 && s.Bars[0] > 4 {
			s.Faults = 7
			for _, e := range practice.Exercises(p, states) {
				if strings.Contains(e.Key, "pitch 1") && strings.Contains(e.What, "7 times") && e.Bars != s.Bars {
					t.Errorf("%v is practised, %v breaks", e.Bars, s.Bars)
				}
			}
			return
		}
	}
}
