package practice

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"
)

// learners are simulated players with known curves: quick and slow ones, steady and shaky, with plateaus and
// bad days, who start near or far from the goal.
func learners(n int) (out []Learner, goals []float64) {
	rng := rand.New(rand.NewPCG(3, 3))
	for i := range n {
		goal := 80 + 80*rng.Float64()
		l := Learner{Threshold: goal * (0.5 + 0.4*rng.Float64()), Top: goal * (1 + 0.3*rng.Float64()),
			Rate: 0.01 + 0.05*rng.Float64(), Spread: 0.03 + 0.05*rng.Float64(), Slips: 0.06 * rng.Float64()}
		if i%2 == 0 {
			from := 20 + rng.IntN(40)
			l.Plateaus = [][2]int{{from, from + 10 + rng.IntN(30)}}
		}
		out, goals = append(out, l), append(goals, goal)
	}
	return out, goals
}

var monday = time.Date(2026, 3, 2, 18, 0, 0, 0, time.UTC)

const aDay = 12 // passes over the step on one day

// reach plays until two passes in a row were clean at 0.9 of the goal or faster, and returns how many it took.
func reach(l Learner, seed uint64, goal float64, next func(passes []Pass, today int) float64) int {
	l.Seed(seed)
	var passes []Pass
	row := 0
	for n := range 2000 {
		if n%aDay == 0 {
			l.NewDay()
		}
		at := monday.AddDate(0, 0, n/aDay)
		tempo := next(passes, day(at))
		v := l.Play(tempo)
		passes = append(passes, Pass{At: at, Tempo: tempo, Verdict: v})
		if row++; v != Clean || tempo < 0.9*goal {
			row = 0
		}
		if row == 2 {
			return n + 1
		}
	}
	return 2000
}

// fixed is a rule with one step: up after so many clean in a row, down after so many broken.
func fixed(start, goal, step float64, up, down int) func([]Pass, int) float64 {
	return func(passes []Pass, _ int) float64 {
		t, clean, broken := start, 0, 0
		for i := range passes {
			switch passes[i].Verdict {
			case Clean:
				clean, broken = clean+1, 0
			case Broke:
				clean, broken = 0, broken+1
			default:
				clean, broken = 0, 0
			}
			if clean == up {
				t, clean = min(goal, t*(1+step)), 0
			}
			if broken == down {
				t, broken = t/(1+step), 0
			}
		}
		return t
	}
}

// TestStaircase: simulated players with plateaus and bad days come to within 10% of their tempo in at most 1.3
// times the passes of the best of a grid of fixed rules, chosen with hindsight for all of them together.
func TestStaircase(t *testing.T) {
	all, goals := learners(60)
	mean := func(rule func(start, goal float64) func([]Pass, int) float64) float64 {
		sum := 0.0
		for i := range all {
			start := goals[i] * clickFrom
			sum += float64(reach(all[i], uint64(i), goals[i], rule(start, goals[i])))
		}
		return sum / float64(len(all))
	}
	ours := mean(func(start, goal float64) func([]Pass, int) float64 {
		s := Staircase{Start: start, Goal: goal, Need: 2}
		return func(p []Pass, today int) float64 { return s.Advise(p, today).Tempo }
	})
	best, which := 1e9, ""
	for _, step := range []float64{0.03, 0.04, 0.06, 0.08, 0.1} {
		for _, up := range []int{1, 2, 3} {
			for _, down := range []int{1, 2} {
				m := mean(func(start, goal float64) func([]Pass, int) float64 { return fixed(start, goal, step, up, down) })
				if m < best {
					best, which = m, fmt.Sprintf("%g%%, up after %d, down after %d", 100*step, up, down)
				}
			}
		}
	}
	t.Logf("figure: staircase %.1f passes, best fixed rule %.1f (%s): %.2f times", ours, best, which, ours/best)
	if ours > 1.3*best {
		t.Errorf("%.1f passes against %.1f of the best fixed rule, %s", ours, best, which)
	}
}

// TestStaircaseRules: by hand, the tempo after each verdict, what finishes a step and what ends it for today.
func TestStaircaseRules(t *testing.T) {
	s := Staircase{Start: 60, Goal: 100, Need: 2}
	var passes []Pass
	play := func(days int, v Verdict) Advice {
		at := monday.AddDate(0, 0, days)
		passes = append(passes, Pass{At: at, Tempo: s.Advise(passes, day(at)).Tempo, Verdict: v})
		return s.Advise(passes, day(at))
	}
	is := func(what string, a Advice, tempo float64, done, leave bool) {
		t.Helper()
		if a.Tempo != tempo || a.Finished != done || a.Leave != leave || a.Why == "" {
			t.Errorf("%s: %+v", what, a)
		}
	}
	is("one clean", play(0, Clean), 67, false, false) // 60·1.12
	is("another", play(0, Clean), 75, false, false)
	is("a break", play(0, Broke), 75, false, false)
	is("another break: the step shrinks to 7.2%", play(0, Broke), 70, false, false)
	is("one clean does not lead on any more", play(0, Clean), 70, false, false)
	is("two do, by 4.3%", play(0, Clean), 73, false, false)
	is("the next day a step lower", s.Advise(passes, day(monday)+1), 70, false, false)
	for range 4 {
		play(1, Broke)
	}
	if a := s.Advise(passes, day(monday)+1); !a.Leave || a.Best != 70 {
		t.Errorf("after two steps down it is not left for today: %+v", a)
	}
	if a := s.Advise(passes, day(monday)+2); a.Leave {
		t.Errorf("and not begun again: %+v", a)
	}
	passes = append(passes, Pass{At: monday.AddDate(0, 0, 3), Tempo: 100, Verdict: Clean},
		Pass{At: monday.AddDate(0, 0, 3), Tempo: 100, Verdict: Clean})
	is("twice clean at the goal", s.Advise(passes, day(monday)+3), 100, true, false)

	// Whatever is said, the tempo stays between half of the start and the goal, and what was done stays done.
	rng := rand.New(rand.NewPCG(1, 1))
	for range 300 {
		passes = passes[:0]
		done := false
		for n := range 60 {
			a := play(n/20, []Verdict{Broke, Nearly, Clean, Clean}[rng.IntN(4)])
			if a.Tempo < 29.5 || a.Tempo > 100 || done && !a.Finished || a.Finished && a.Best < 99.5 {
				t.Fatalf("%+v after %v", a, passes)
			}
			done = a.Finished
		}
	}
}
