package take_test

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"stepping/core/plan"
	"stepping/core/take"
	"stepping/core/take/taketest"
)

// follows is how well a player is followed live.
type follows struct {
	delay        []float64 // ms from a moment's sound to when it is known
	wrong, shown int       // pieces in which the wrong bar is shown, of all
	lost         int
	longest      float64 // seconds in a row in which the wrong bar is shown
}

// live plays samples into a listener and compares what it shows with what was played.
func (f *follows) live(p *plan.Plan, samples []float64, tr *taketest.Truth) {
	l := take.NewLive(p, taketest.Rate, 0, 0)
	const step = taketest.Rate * 3 / 100 // 30 ms
	known := map[int]bool{}
	was, right := -1, tr.Events[0].At
	for at := 0; at+step <= len(samples); at += step {
		pos := l.Hear(samples[at : at+step])
		now := float64(at+step) / taketest.Rate
		i := -1
		for i+1 < len(tr.Events) && tr.Events[i+1].At <= now {
			i++
		}
		if i < 0 {
			continue
		}
		if pos.Moment != was {
			for k := max(0, i-1); k <= i; k++ {
				if tr.Events[k].Moment == pos.Moment && !known[k] {
					known[k] = true
					f.delay = append(f.delay, 1000*(now-tr.Events[k].At))
				}
			}
			was = pos.Moment
		}
		if now-tr.Events[i].At < 0.15 || pos.Moment < 0 || now > tr.Events[len(tr.Events)-1].At+0.5 { // it may not be known yet
			continue
		}
		f.shown++
		if p.Moments[pos.Moment].Bar == p.Moments[tr.Events[i].Moment].Bar {
			right = now
		} else {
			f.wrong++
			f.longest = math.Max(f.longest, now-right)
		}
	}
	f.lost += len(tr.Events) - len(known)
}

func (f *follows) String() string {
	slices.Sort(f.delay)
	return fmt.Sprintf("known after %.0f/%.0f ms, wrong bar %.2f%%, at most %.1f s, %d of %d moments not at once", quantile(f.delay, 0.5), quantile(f.delay, 0.95),
		100*float64(f.wrong)/math.Max(1, float64(f.shown)), f.longest, f.lost, f.lost+len(f.delay))
}

// TestLive follows players live, as TestFair judges them: a moment is known soon after its sound, and the wrong bar is
// hardly ever shown; who begins a bar again, or stops, is found again within two bars.
func TestLive(t *testing.T) {
	if testing.Short() {
		t.Skip("follows whole recordings piece by piece")
	}
	from, to, conds := chosen(t, "repeat")
	for _, c := range conds {
		var f follows
		for seed := from; seed < to; seed++ {
			m := c.manner
			m.Seed = seed
			pf := perform(t, m)
			for _, samples := range pf.samples {
				if c.heard != nil {
					samples = c.heard(samples)
				}
				f.live(pf.plan, samples, pf.truth)
			}
		}
		t.Logf("figure: live, %-11s %s", c.name, &f)
		again := c.manner.FalseStart > 0 || c.manner.Repeat > 0 || c.manner.Stop > 0
		share := map[bool]float64{true: 0.1, false: 0.01}[again]
		if c.name == "noise10" {
			share = 0.06
		}
		if quantile(f.delay, 0.5) > 80 || float64(f.wrong) > share*float64(f.shown) || again && f.longest > 5.2 {
			t.Error("see above")
		}
	}
}

// BenchmarkLive is how much faster than it is played a player is followed.
func BenchmarkLive(b *testing.B) {
	pf := perform(b, taketest.Manner{Seed: 1, JitterMs: 6})
	samples := pf.samples[0]
	for b.Loop() {
		l := take.NewLive(pf.plan, taketest.Rate, 0, 0)
		for at := 0; at+720 <= len(samples); at += 720 {
			l.Hear(samples[at : at+720])
		}
	}
	b.ReportMetric(float64(len(samples))/taketest.Rate*float64(b.N)/b.Elapsed().Seconds(), "x-real-time")
}
