package take_test

import (
	"math"
	"slices"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/take"
	"stepping/core/take/taketest"
)

// TestNotes: the notes of a single line are heard, by pitch and time, by strings and samples that core/sound did not
// make; and their beat.
func TestNotes(t *testing.T) {
	_, to, _ := chosen(t)
	heard := []condition{conditions[0], conditions[2]}
	if testing.Short() {
		to, heard = 2, heard[:1]
	}
	for _, c := range heard {
		var s, two score
		right, all, parts := 0, 0, 0
		for seed := uint64(1); seed < to; seed++ {
			p := solve(t, coretest.Wander(seed+40, 40), []string{"Open D", "Standard"}[seed%2], pattern.None)
			m := c.manner
			m.Seed = seed + 40
			pf, tr := taketest.Play(p, m)
			for _, samples := range [][]float64{pf.Strings(seed), sampled(t, pf)} {
				if c.heard != nil {
					samples = c.heard(samples)
				}
				got := prepare(t, samples, taketest.Rate).Listen()
				notes := got.Line
				if got.TwoPart {
					parts++
				}
				used := map[int]bool{}
				for k := range p.Moments {
					mo := &p.Moments[k]
					want := float64(mo.Melody.Note.Pitch()) / 100
					hit := false
					for i, n := range notes {
						if !used[i] && math.Abs(n.At-tr.Onset[k]) < 0.08 && n.Semitone == math.Round(want) {
							hit, used[i] = true, true
							break
						}
					}
					if hit {
						s.hit++
					} else {
						s.lost++
					}
				}
				s.wrong += len(notes) - len(used)
				beats := take.Beats(notes, 0)
				for _, k := range []float64{1, 2, 0.5} { // twice or half as fast is a matter of taste
					if bpm := 60 * float64(len(beats)-1) / (beats[len(beats)-1] - beats[0]); math.Abs(bpm*k/p.Tempo()-1) < 0.03 {
						right++
						break
					}
				}
				all++
			}
		}
		for seed := uint64(1); seed < to; seed++ {
			p := solve(t, coretest.Wander(seed+40, 40), []string{"Open D", "Standard"}[seed%2], []pattern.Kind{pattern.Alternating, pattern.Steady}[seed/2%2])
			m := c.manner
			m.Seed = seed + 40
			pf, tr := taketest.Play(p, m)
			for _, samples := range [][]float64{pf.Strings(seed), sampled(t, pf)} {
				if c.heard != nil {
					samples = c.heard(samples)
				}
				got := prepare(t, samples, taketest.Rate).Listen()
				if !got.TwoPart {
					parts++
				}
				used := map[int]bool{}
				for k := range p.Moments {
					mo := &p.Moments[k]
					if mo.Melody == nil {
						continue
					}
					hit := slices.IndexFunc(got.Line, func(n take.Heard) bool {
						return math.Abs(n.At-tr.Onset[k]) < 0.08 && n.Semitone == math.Round(float64(mo.Melody.Note.Pitch())/100)
					})
					if hit >= 0 && !used[hit] {
						used[hit] = true
						two.hit++
					} else {
						two.lost++
					}
				}
				two.wrong += len(got.Line) - len(used)
			}
		}
		t.Logf("figure: by ear, %-8s %s, the beat of %d of %d, %d taken for what they are not, with a thumb: %s", c.name, s, right, all, parts, two)
		least := map[string][2]float64{"plain": {0.93, 0.65}, "phone": {0.9, 0.6}}[c.name]
		if s.f1() < least[0] || two.f1() < least[1] || 10*right < 9*all {
			t.Error("see above")
		}
	}
}
