package plan

import (
	"math/rand/v2"
	"slices"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
)

// Without a slide a string that rings was struck before and not stopped since; what a finger holds rings while that finger is there, and a
// note of the chord is never stopped for its own sake. Whoever lets all ring hears no fewer strings than others do.
func TestRinging(t *testing.T) {
	rang, stopped := map[string]int{}, 0
	for seed := range uint64(12) {
		rng := rand.New(rand.NewPCG(seed, 27))
		r := Request{Tune: coretest.Wander(uint64(rng.IntN(1000)), 16), Tuning: coretest.Tuning([]string{"Standard", "Open D", "D suspended"}[seed%3]),
			Player: player.Default(), Thumb: "alternating"}
		r.Player.Lean = player.LeanNone
		for _, r.Player.Silence = range []string{player.Heel, player.Fingers, player.Ring} {
			p := solve(t, r)
			checkPlan(t, p)
			var struck [6]*play.Stroke // since it was last silent
			for i := range p.Moments {
				mo := &p.Moments[i]
				for _, s := range mo.Strokes() {
					struck[s.String-1] = s
				}
				for s, st := range mo.Strings {
					switch by := struck[s]; {
					case st.State == play.Silenced:
						struck[s] = nil
						stopped++
					case st.State != play.Rings:
					case by == nil:
						t.Errorf("seed %d, %s, at %s: string %d rings and was not struck", seed, r.Player.Silence, mo.At, s+1)
					default:
						rang[r.Player.Silence]++
						if by.Finger != "" && !holds(mo, by) {
							t.Errorf("seed %d, %s, at %s: string %d rings, and finger %s is gone", seed, r.Player.Silence, mo.At, s+1, by.Finger)
						}
					}
				}
			}
		}
	}
	if rang[player.Ring] < max(rang[player.Heel], rang[player.Fingers]) || rang[player.Heel] == 0 || stopped == 0 {
		t.Errorf("rang: %v, stopped %d", rang, stopped)
	}
}

// holds reports whether the finger of s is where s was fretted.
func holds(mo *play.Moment, s *play.Stroke) bool {
	return slices.ContainsFunc(slices.Concat(mo.Hand.Fingers, mo.Hand.Stays), func(f play.FingerAt) bool {
		return f.String == s.String && float64(f.Fret) == s.Fret && f.Finger == s.Finger
	})
}

// TestFingersAlike: bars that are held the same are fingered the same each time, unless repeats may differ.
func TestFingersAlike(t *testing.T) {
	bars, differ := 0, 0
	for seed := range uint64(few(12)) {
		tu := coretest.Wander(seed, 24)
		twice := *tu
		for _, n := range tu.Notes {
			n.At += tu.Length
			twice.Notes = append(twice.Notes, n)
		}
		for _, c := range tu.Chords {
			c.At += tu.Length
			twice.Chords = append(twice.Chords, c)
		}
		for _, b := range tu.Bars {
			twice.Bars = append(twice.Bars, b+tu.Length)
		}
		twice.Length *= 2
		r := Request{Tune: &twice, Tuning: coretest.Tuning("Standard"), Player: player.Default(), Thumb: pattern.Alternating}
		r.Player.Lean = player.LeanNone
		p := solve(t, r)
		half := slices.IndexFunc(p.Moments, func(mo play.Moment) bool { return mo.At >= tu.Length })
		for i := 0; half+i < len(p.Moments) && i < half; i++ {
			for k, s := range p.Moments[i].Strokes() {
				if all := p.Moments[half+i].Strokes(); k < len(all) && s.String == all[k].String && s.Fret == all[k].Fret && s.How == all[k].How && s.Finger != "" {
					if bars++; s.Finger != all[k].Finger {
						differ++
					}
				}
			}
		}
	}
	if bars < 20 || 50*differ > bars {
		t.Errorf("%d of %d notes change their finger in the repeat", differ, bars)
	}
}
