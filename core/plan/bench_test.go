package plan

import (
	"context"
	"fmt"
	"math/rand/v2"
	"runtime"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/core/tuning"
)

func benchRequest(n int, spelt string) Request {
	t, err := tuning.Parse(spelt)
	if err != nil {
		panic(err)
	}
	return Request{Tune: coretest.Wander(7, n), Tuning: t, Player: player.Default(), Thumb: pattern.Alternating}
}

func BenchmarkPlan(b *testing.B) {
	for _, spelt := range []string{"Open D", "Standard"} {
		for _, n := range []int{64, 512} {
			b.Run(fmt.Sprintf("%s/notes=%d", spelt, n), func(b *testing.B) {
				r := benchRequest(n, spelt)
				moments := 0
				for b.Loop() {
					p, err := Solve(context.Background(), r)
					if err != nil {
						b.Fatal(err)
					}
					moments = len(p.Moments)
				}
				b.ReportMetric(float64(b.Elapsed().Microseconds())/float64(b.N)/float64(moments), "µs/moment")
			})
		}
	}
}

// BenchmarkAlternatives plans and then prices every alternative: of each note and thumb stroke,
// and the dampers of each string that is silenced.
func BenchmarkAlternatives(b *testing.B) {
	ctx := context.Background()
	for _, spelt := range []string{"Open D", "Standard"} {
		for _, dampers := range []bool{false, true} {
			b.Run(fmt.Sprintf("%s/notes=64/dampers=%v", spelt, dampers), func(b *testing.B) {
				r := benchRequest(64, spelt)
				for b.Loop() {
					p, err := Solve(ctx, r)
					if err != nil {
						b.Fatal(err)
					}
					for t := range p.Moments {
						if all, err := p.marginalsAt(ctx, t); err != nil || len(all) == 0 && p.Moments[t].Melody != nil {
							b.Fatal(err, len(all))
						}
						for s := 1; dampers && s <= 6; s++ {
							if _, err := p.dampersAt(ctx, t, s); err != nil {
								b.Fatal(err)
							}
						}
					}
				}
			})
		}
	}
}

// BenchmarkMemory reports the heap that a plan of 512 notes keeps and the most that planning it
// takes, in MiB.
func BenchmarkMemory(b *testing.B) {
	r := benchRequest(512, "Open D")
	var before, after runtime.MemStats
	for b.Loop() {
		runtime.GC()
		runtime.ReadMemStats(&before)
		most := uint64(0)
		r.Progress = func(done, _ int) {
			if done%64 == 0 {
				var now runtime.MemStats
				runtime.ReadMemStats(&now)
				most = max(most, now.HeapAlloc)
			}
		}
		p, err := Solve(context.Background(), r)
		if err != nil {
			b.Fatal(err)
		}
		runtime.GC()
		runtime.ReadMemStats(&after)
		b.ReportMetric(float64(after.HeapAlloc-before.HeapAlloc)/(1<<20), "MiB-kept")
		b.ReportMetric(float64(most)/(1<<20), "MiB-most")
		runtime.KeepAlive(p)
	}
}

// TestKeeps holds what a plan keeps in memory: by itself, and after every question about it.
func TestKeeps(t *testing.T) {
	if testing.Short() {
		t.Skip("memory of 40 plans")
	}
	ctx, plans := context.Background(), []*Plan(nil)
	heap := func() uint64 {
		var now runtime.MemStats
		runtime.GC()
		runtime.GC() // the second empties the pools
		runtime.ReadMemStats(&now)
		return now.HeapAlloc
	}
	solve := func() *Plan {
		p, err := Solve(ctx, benchRequest(64, "Open D"))
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	ask := func(p *Plan) {
		for i := range p.Moments {
			for _, part := range []play.Part{play.Melody, play.Thumb} {
				if _, err := p.AlternativesOf(ctx, i, part, 0); err != nil {
					t.Fatal(err)
				}
			}
		}
	}
	ask(solve()) // fills the catalogue, which all plans share
	recent.Lock()
	recent.plans = nil // of other tests
	recent.Unlock()
	before := heap()
	const count = 3
	for range count {
		plans = append(plans, solve())
	}
	alone := heap()
	for _, p := range plans {
		ask(p)
		p.work = nil // which a few plans keep, see unlock
	}
	asked := heap()
	runtime.KeepAlive(plans)
	for _, held := range []struct {
		when      string
		now, most uint64
	}{{"alone", alone, 22}, {"asked about", asked, 46}} {
		if got := (held.now - before) * 10 / count >> 20; got > held.most {
			t.Errorf("a plan %s keeps %d tenths of a MiB, at most %d", held.when, got, held.most)
		}
	}
}

// BenchmarkExhaustive puts the search of ten random small tunes next to trying everything.
func BenchmarkExhaustive(b *testing.B) {
	rng := rand.New(rand.NewPCG(8, 8))
	for n := 0; n < 10; {
		r := smallCase(rng)
		p, err := Solve(context.Background(), r)
		if err != nil {
			continue
		}
		m, err := newModel(&r, nil)
		if err != nil {
			b.Fatal(err)
		}
		if e := newExhaustive(m, p.Total); e.run() != p.Total || e.steps > exhaustiveSteps {
			continue // too large to try everything
		}
		n++
		b.Run(fmt.Sprintf("tune=%d/search", n), func(b *testing.B) {
			for b.Loop() {
				if _, err := Solve(context.Background(), r); err != nil {
					b.Fatal(err)
				}
			}
		})
		b.Run(fmt.Sprintf("tune=%d/everything", n), func(b *testing.B) {
			for b.Loop() {
				m, _ := newModel(&r, nil)
				if got := newExhaustive(m, p.Total).run(); got != p.Total {
					b.Fatal(got, p.Total)
				}
			}
		})
	}
}

// BenchmarkPin plans 64 notes again with the best other place of a note in the middle pinned, with what
// the alternatives have found out and without.
func BenchmarkPin(b *testing.B) {
	ctx := context.Background()
	r := Request{Tune: coretest.Wander(1, 64), Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.Alternating}
	p, err := Solve(ctx, r)
	if err != nil {
		b.Fatal(err)
	}
	at := len(p.Moments) / 2
	for p.Moments[at].Melody == nil {
		at++
	}
	alts, err := p.Marginals(ctx, at, play.Melody, 0)
	if err != nil || len(alts) < 2 {
		b.Fatal(err, len(alts))
	}
	r.Pins = []play.Pin{alts[1].Pin(&p.Moments[at])}
	for _, known := range []bool{false, true} {
		b.Run(fmt.Sprintf("known=%v", known), func(b *testing.B) {
			if known {
				r.From = p
			}
			for b.Loop() {
				if _, err := Solve(ctx, r); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// TestAllocations holds what a moment of a plan allocates: a count does not depend on the machine as time does.
func TestAllocations(t *testing.T) {
	for spelt, most := range map[string]float64{"Open D": 560, "Standard": 460} {
		r := benchRequest(64, spelt)
		moments := 0
		allocs := testing.AllocsPerRun(2, func() {
			p, err := Solve(context.Background(), r)
			if err != nil {
				t.Fatal(err)
			}
			moments = len(p.Moments)
		})
		if each := allocs / float64(moments); each > most {
			t.Errorf("%s: %.0f allocations a moment, at most %.0f", spelt, each, most)
		}
	}
}

// BenchmarkWritten plans tunes of 64 notes with a made bass, and with the very same bass as a voice of the tune.
func BenchmarkWritten(b *testing.B) {
	for _, kind := range []pattern.Kind{pattern.Alternating, pattern.Written} {
		b.Run(string(kind), func(b *testing.B) {
			for i := range b.N {
				tu := coretest.Wander(uint64(i%8), 64)
				r := Request{Tune: tu, Tuning: coretest.Tuning("Standard"), Player: player.Default(), Thumb: pattern.Alternating}
				r.Player.Lean = player.LeanNone
				b.StopTimer()
				p, err := Solve(context.Background(), r)
				if err != nil {
					b.Fatal(err)
				}
				with := *tu
				for t := range p.Moments {
					if th := p.Moments[t].Thumb; th != nil {
						with.Bass = append(with.Bass, tune.Note{At: p.Moments[t].At, Dur: th.Dur, Note: th.Note})
					}
				}
				r.Tune, r.Thumb = &with, kind
				b.StartTimer()
				if _, err := Solve(context.Background(), r); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
