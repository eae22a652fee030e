package practice

import (
	"context"
	"fmt"
	"math"
	"testing"
	"time"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
)

// worksFor are tunes in work with the ladders of their plans.
func worksFor(t testing.TB, n int) (out []Work) {
	t.Helper()
	for i := range n {
		p, err := plan.Solve(context.Background(), plan.Request{Tune: coretest.Wander(uint64(i%4), 32),
			Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.Alternating})
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, Work{ID: fmt.Sprint(i), Title: fmt.Sprintf("Tune %d", i), Rungs: Rungs(Ladder(p))})
	}
	return out
}

// TestMonth: a simulated player who does what Today says for two months gets on, layer by layer: no sitting is
// longer than was asked, hands rest in time, it warms up first and stops last, nothing is begun before what it
// stands on is solid, a date brings its tune forward, and what the log says of their hands is near what they are.
func TestMonth(t *testing.T) {
	works := worksFor(t, 3)
	works[2].By = monday.AddDate(0, 0, 40)
	for _, w := range works {
		seen := map[string]bool{}
		for _, r := range w.Rungs {
			if seen[r.Key] || r.Goal < r.Tempo || r.Clean < 1 || r.Seconds <= 0 {
				t.Errorf("rung %+v, seen %v", r, seen[r.Key])
			}
			seen[r.Key] = true
		}
	}
	hands := player.Default()
	hands.FittsA, hands.FittsB, hands.RestrikeS = 0.09, 0.095, 0.16
	s := Simulated{Seed: 4, Hands: hands}
	passes := s.Month(works, monday, 60, 35)
	solid, all := 0, 0
	var log []Pass
	for i := range works {
		works[i].Passes = passes[i]
		log = append(log, passes[i]...)
		checkOrder(t, &works[i])
		for _, st := range Progress(works[i].Rungs, passes[i], monday.AddDate(0, 0, 60)) {
			all++
			if st.Solid() {
				solid++
			}
		}
	}
	t.Logf("%d passes, %d of %d rungs solid", len(log), solid, all)
	if solid < all/2 {
		t.Errorf("after two months %d of %d rungs are solid", solid, all)
	}
	for d := range 90 {
		now := monday.AddDate(0, 0, d)
		if nothingOpen(works, now) && Today(works, 25, now) == nil {
			continue // all is learnt and fresh, or left for the day
		}
		for _, minutes := range []float64{5, 15, 25, 33, 40, 300} {
			checkSitting(t, Today(works, minutes, now), max(LeastSitting, min(MostSitting, minutes)))
		}
	}
	h := LearnHands(log, player.Default())
	t.Logf("hands %+v", h)
	need := func(a, b float64) float64 { return a + 3*b } // of a move of three bits
	if got, want := need(h.A.Value, h.B.Value), need(hands.FittsA, hands.FittsB); !h.A.Known() || math.Abs(got/want-1) > 0.2 {
		t.Errorf("a move of 3 bits takes %.3f s by the log, %.3f s in truth", got, want)
	}
}

// checkOrder replays a log: when the day began on which something new was played, the layers before bore it.
func checkOrder(t *testing.T, w *Work) {
	t.Helper()
	begun := map[string]bool{}
	for n := range w.Passes {
		p := &w.Passes[n]
		if begun[p.Key] {
			continue
		}
		begun[p.Key] = true
		before := n
		for before > 0 && day(w.Passes[before-1].At) == day(p.At) {
			before--
		}
		states := Progress(w.Rungs, w.Passes[:before], p.At)
		for i := range states {
			if states[i].Key == p.Key && !Open(states, i) {
				t.Errorf("%s: %s was begun too early", w.Title, p.Key)
			}
		}
	}
}

func nothingOpen(works []Work, now time.Time) bool {
	for i := range works {
		for _, st := range Progress(works[i].Rungs, works[i].Passes, now) {
			if !st.Solid() && !st.Leave {
				return false
			}
		}
	}
	return true
}

func checkSitting(t *testing.T, items []Item, minutes float64) {
	t.Helper()
	if len(items) < 2 || items[0].Kind != WarmUp || items[len(items)-1].Kind != Stop {
		t.Fatalf("%+v", items)
	}
	sum, run := 0.0, 0.0
	for _, it := range items {
		sum += it.Minutes
		run += it.Minutes
		if it.Kind == Rest || it.Kind == Stop {
			run = 0
		}
		if run > longestRun || it.What == "" || it.Why == "" || it.Minutes <= 0 {
			t.Errorf("%+v after %g minutes", it, run)
		}
	}
	if sum > minutes {
		t.Errorf("%g minutes in a sitting of %g", sum, minutes)
	}
}

// TestToday: by hand, what comes first: a date, then what is nearly forgotten, then the tune played last.
func TestToday(t *testing.T) {
	works := worksFor(t, 2)
	now := monday.AddDate(0, 0, 10)
	first := &works[0].Rungs[0]
	for d := range 2 { // done on two days, well
		for i := range first.Clean {
			works[0].Passes = append(works[0].Passes, Pass{At: monday.AddDate(0, 0, d).Add(time.Duration(i) * time.Minute),
				Key: first.Key, Layer: first.Layer, Bars: first.Bars, Tempo: first.Tempo, Verdict: Clean})
		}
	}
	m := remembered(works[0].Passes)
	if m.Right != 2 || m.Wrong != 0 || math.Abs(m.HalfLife()-math.Exp2(-0.5+1.9*math.Sqrt2)) > 1e-9 ||
		math.Abs(m.Recall(m.Last.Add(time.Duration(m.HalfLife()*24*float64(time.Hour))))-0.5) > 1e-6 {
		t.Errorf("%+v %g", m, m.HalfLife())
	}
	items := Today(works, 30, now)
	if it := items[0]; it.Kind != WarmUp || it.Key != first.Key {
		t.Errorf("the warm-up is %+v", it)
	}
	if it := items[1]; it.Kind != Review || it.Key != first.Key {
		t.Errorf("first %+v, not what is nearly forgotten", it)
	}
	if it := items[2]; it.Kind != New || it.Tune != "0" {
		t.Errorf("then %+v, not the tune played last", it)
	}
	works[1].By = now.AddDate(0, 0, 5)
	if it := Today(works, 30, now)[1]; it.Tune != "1" || it.Kind != New {
		t.Errorf("with a date, first %+v", it)
	}
	if Today(nil, 30, now) != nil {
		t.Error("without tunes there is something to practise")
	}
}

// TestStuck: three sittings without a faster clean pass.
func TestStuck(t *testing.T) {
	r := Rung{Step{Key: "k", Tempo: 60, Clean: 2, Goal: 100}}
	var passes []Pass
	for d, tempo := range []float64{60, 70, 70, 70, 68} {
		passes = append(passes, Pass{At: monday.AddDate(0, 0, d), Key: "k", Tempo: tempo, Verdict: Clean})
		if st := Progress([]Rung{r}, passes, passes[d].At)[0]; st.Stuck != (d == 4) || st.Sitting != d+1 {
			t.Errorf("sitting %d: %+v", d+1, st)
		}
	}
}

// BenchmarkToday: 200 tunes with 10,000 passes.
func BenchmarkToday(b *testing.B) {
	works := worksFor(b, 200)
	for i := range works {
		for k := range 50 {
			r := &works[i].Rungs[k%5]
			works[i].Passes = append(works[i].Passes, Pass{At: monday.AddDate(0, 0, k/4), Key: r.Key, Layer: r.Layer,
				Tempo: r.Tempo, Verdict: Verdict(1 + k*i%3)})
		}
	}
	for b.Loop() {
		if len(Today(works, 30, monday.AddDate(0, 0, 20))) < 3 {
			b.Fatal("nothing to do")
		}
	}
}

// TestHowOften: so often a step is learnt, and all are by the day.
func TestHowOften(t *testing.T) {
	for c, want := range map[[2]int]string{{11, 19}: "one a day", {5, 19}: "one every 3 days", {19, 19}: "one a day", {20, 19}: "2 a day", {40, 19}: "3 a day",
		{1, 1}: "one a day", {1, 30}: "one every 30 days"} {
		if got := howOften(c[0], c[1]); got != want {
			t.Errorf("%v: %s, want %s", c, got, want)
		}
	}
}
