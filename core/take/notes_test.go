package take_test

import (
	"math"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/take"
	"stepping/core/take/taketest"
)

// byEar hears a plan with a thumb of some kind, played by both sounds under a condition, without knowing it, and scores
// the notes of its melody.
func byEar(t *testing.T, c *condition, seed uint64, kind pattern.Kind, s *score) (p *plan.Plan, heard []take.Played) {
	t.Helper()
	p = solve(t, coretest.Wander(seed+40, 40), []string{"Open D", "Standard"}[seed%2], kind)
	m := c.manner
	m.Seed = seed + 40
	pf, tr := taketest.Play(p, m)
	for _, samples := range [][]float64{pf.Strings(seed), sampled(t, pf)} {
		if c.heard != nil {
			samples = c.heard(samples)
		}
		got := prepare(t, samples, taketest.Rate).Listen()
		heard = append(heard, got)
		used := map[int]bool{}
		for k := range p.Moments {
			mo := &p.Moments[k]
			if mo.Melody == nil {
				continue
			}
			s.lost++
			for i, n := range got.Line {
				if !used[i] && math.Abs(n.At-tr.Onset[k]) < 0.08 && n.Semitone == math.Round(float64(mo.Melody.Note.Pitch())/100) {
					used[i] = true
					s.hit, s.lost = s.hit+1, s.lost-1
					break
				}
			}
		}
		s.wrong += len(got.Line) - len(used)
	}
	return p, heard
}

// TestNotes: the notes of a single line are heard, by pitch and time, by strings and samples that core/sound did not
// make; their beat; and most of a melody over a thumb.
func TestNotes(t *testing.T) {
	if testing.Short() {
		t.Skip("the long form plays several seeds in two conditions")
	}
	_, to, _ := chosen(t)
	conds := []*condition{&conditions[0], &conditions[2]}
	for _, c := range conds {
		var one, two score
		right, all, mistaken := 0, 0, 0
		for seed := uint64(1); seed < to; seed++ {
			p, lines := byEar(t, c, seed, pattern.None, &one)
			for _, got := range lines {
				if all++; got.TwoPart {
					mistaken++
				}
				beats := take.Beats(got.Line, 0)
				for _, k := range []float64{1, 2, 0.5} { // twice or half as fast is a matter of taste
					if bpm := 60 * float64(len(beats)-1) / (beats[len(beats)-1] - beats[0]); math.Abs(bpm*k/p.Tempo()-1) < 0.03 {
						right++
						break
					}
				}
			}
			_, parts := byEar(t, c, seed, []pattern.Kind{pattern.Alternating, pattern.Steady}[seed/2%2], &two)
			for _, got := range parts {
				if !got.TwoPart {
					mistaken++
				}
			}
		}
		t.Logf("figure: by ear, %-8s %s, the beat of %d of %d, %d taken for what they are not, with a thumb: %s", c.name, one, right, all, mistaken, two)
		least := map[string][2]float64{"plain": {0.93, 0.65}, "phone": {0.9, 0.6}}[c.name]
		if one.f1() < least[0] || two.f1() < least[1] || 10*right < 9*all {
			t.Error("see above")
		}
	}
}
