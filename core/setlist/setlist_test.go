package setlist

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"stepping/core/retune"
	"stepping/core/tuning"
)

func randomSet(rng *rand.Rand, n int) Request {
	r := Request{Guitars: 1 + rng.IntN(2), Opener: -1, Closer: -1}
	pool := []string{"Standard", "Open D", "Open G", "Drop D", "Open D minor", "D suspended", "Double drop D", "Open C"}
	for i := range n {
		t, err := tuning.Parse(pool[rng.IntN(len(pool))])
		if err != nil {
			panic(err)
		}
		r.Tunes = append(r.Tunes, Tune{Title: string(rune('A' + i%26)), Tuning: t, Capo: rng.IntN(3)})
	}
	if rng.IntN(2) == 0 {
		t, _ := tuning.Parse("Standard")
		r.Start = t
	}
	if rng.IntN(3) == 0 {
		r.Opener = rng.IntN(n)
	}
	if c := rng.IntN(n); rng.IntN(3) == 0 && c != r.Opener {
		r.Closer = c
	}
	for range rng.IntN(4) {
		if a, b := rng.IntN(n), rng.IntN(n); a != b {
			r.Neighbours = append(r.Neighbours, [2]int{a, b})
		}
	}
	return r
}

// brute tries every order and, for each, every choice of guitars.
func brute(s *solver) float64 {
	best := math.Inf(1)
	var seq []int
	used := make([]bool, s.n)
	var play func(k, a, b int, onA bool, cost float64)
	play = func(k, a, b int, onA bool, cost float64) {
		if k == len(seq) {
			best = min(best, cost)
			return
		}
		j := seq[k]
		swap := 0.0
		if k > 0 && !onA {
			swap = swapGuitar
		}
		play(k+1, j, b, true, cost+swap+s.cost[a][j])
		if s.r.Guitars == 2 && k > 0 {
			if swap = 0; onA {
				swap = swapGuitar
			}
			play(k+1, a, j, false, cost+swap+s.cost[b][j])
		}
	}
	var order func()
	order = func() {
		if len(seq) == s.n {
			if s.allowed(seq) {
				play(0, s.n, s.n, true, 0)
			}
			return
		}
		for j := range s.n {
			if !used[j] {
				used[j], seq = true, append(seq, j)
				order()
				used[j], seq = false, seq[:len(seq)-1]
			}
		}
	}
	order()
	return best
}

// The order is the cheapest of all orders and choices of guitars; local search never beats it and its
// bound never lies above it.
func TestExhaustive(t *testing.T) {
	rng := rand.New(rand.NewPCG(6, 6))
	none := 0
	for range 150 {
		r := randomSet(rng, 1+rng.IntN(6))
		set, err := Solve(t.Context(), r)
		s := &solver{r: &r, n: len(r.Tunes), free: r.Start.Len() == 0}
		if e := s.check(); e != nil {
			t.Fatal(e)
		}
		if e := s.fill(); e != nil {
			t.Fatal(e)
		}
		want := brute(s)
		if math.IsInf(want, 1) {
			if none++; err == nil {
				t.Fatalf("an order is found where there is none: %+v", r)
			}
			continue
		}
		if err != nil || math.Abs(set.Best.Cost()-want) > 1e-9 {
			t.Fatalf("%v: %v, the cheapest costs %v\n%+v", err, set, want, r)
		}
		if len(set.Typed.Steps) > 0 && set.Typed.Cost() < want-1e-9 {
			t.Fatal("the typed order is cheaper than the best")
		}
		if q := s.search(t.Context(), 100_000); q == nil || !s.allowed(q) {
			t.Fatal("local search finds no allowed order")
		} else if o := s.order(q); o.Cost() < want-1e-9 || o.Cost() > 1.1*want+1 || s.bound(want) > want+1e-6 {
			t.Fatalf("local search %v, bound %v, best %v", o.Cost(), s.bound(want), want)
		}
	}
	if none == 0 {
		t.Error("every set has an order")
	}
}

// Fourteen tunes are ordered with proof in less than the time that a player notices.
func TestFourteen(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 2))
	r := randomSet(rng, ExactTunes)
	r.Guitars = 1
	begin := time.Now()
	set, err := Solve(t.Context(), r)
	t.Logf("figure: exact order of %d tunes %v", ExactTunes, time.Since(begin))
	if err != nil || set.Gap != 0 || len(set.Best.Steps) != ExactTunes {
		t.Fatal(err, set)
	}
	long := randomSet(rng, 20)
	if set, err = Solve(t.Context(), long); err != nil || set.Gap < 0 || set.Gap >= 1 || set.Best.Cost() > set.Typed.Cost() &&
		len(set.Typed.Steps) > 0 {
		t.Fatalf("%v %+v", err, set)
	}
	for _, bad := range []Request{{}, {Tunes: r.Tunes, Guitars: 3}, {Tunes: r.Tunes, Guitars: 1, Opener: 2, Closer: 2},
		{Tunes: r.Tunes, Guitars: 1, Opener: -1, Closer: 99}} {
		if _, err := Solve(t.Context(), bad); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}

// TestSixty: sets of sixty tunes are ordered within bounds of time and of what could be saved, the same each time, and stop when
// nobody waits.
func TestSixty(t *testing.T) {
	if testing.Short() {
		t.Skip("half a minute")
	}
	for guitars, most := range map[int]float64{1: 0.1, 2: 0.26} {
		r := randomSet(rand.New(rand.NewPCG(60, uint64(60+guitars))), MaxTunes)
		r.Guitars = guitars
		begin := time.Now()
		set, err := Solve(t.Context(), r)
		if err != nil {
			t.Fatal(err)
		}
		took := time.Since(begin)
		t.Logf("figure: %d tunes on %d guitars in %.1f s, %.0f s of retuning, at most %.0f%% of it could be saved", MaxTunes,
			guitars, took.Seconds(), set.Best.Seconds, 100*set.Gap)
		if took > 40*time.Second || set.Gap > most {
			t.Errorf("%v, gap %.2f", took, set.Gap)
		}
		ctx, stop := context.WithTimeout(t.Context(), 50*time.Millisecond)
		begin = time.Now()
		if _, err := Solve(ctx, r); err == nil || time.Since(begin) > time.Second {
			t.Errorf("stopped after %v: %v", time.Since(begin), err)
		}
		stop()
	}
}

// TestRisk: going down costs no risk; a tone up costs some for each string; near the strength of a string it costs much more.
func TestRisk(t *testing.T) {
	between := func(from, to string) Step {
		t.Helper()
		a, err := tuning.Parse(from)
		if err != nil {
			t.Fatal(err)
		}
		b, err := tuning.Parse(to)
		if err != nil {
			t.Fatal(err)
		}
		var g retune.Guitar
		if err := g.Complete(a.Len()); err != nil {
			t.Fatal(err)
		}
		st, err := Between(g, a, 0, b, 0)
		if err != nil {
			t.Fatal(err)
		}
		return st
	}
	for _, tt := range []struct {
		from, to string
		risk     float64
	}{
		{"Open E", "Open D", 0}, {"Standard", "Drop D", 0}, {"Drop D", "Standard", riskTone}, {"Double drop D", "Standard", 2 * riskTone},
		{"Open D minor", "Open D", 0}, // a half step
	} {
		if got := between(tt.from, tt.to); got.Risk != tt.risk {
			t.Errorf("%s to %s: %v, want %v: %+v", tt.from, tt.to, got.Risk, tt.risk, got.Changes)
		}
	}
	close := 0.0
	for _, c := range between("Standard", "E2 A2 D3 G3 B3 A4").Changes {
		if c.Share >= closeShare {
			close += riskClose
		}
	}
	if got := between("Standard", "E2 A2 D3 G3 B3 A4").Risk; close == 0 || got != close {
		t.Errorf("a string tightened by a fourth: %v, want %v", got, close)
	}
}
