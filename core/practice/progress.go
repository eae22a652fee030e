package practice

import (
	"fmt"
	"time"
)

// Rung is what is climbed at one place of a ladder: a step, or a run of steps that differ in tempo alone.
type Rung struct {
	Step // the first; its Tempo is where the climb begins, its Goal that of the last
}

// Rungs joins the steps of a ladder that play the same thing.
func Rungs(steps []Step) (out []Rung) {
	for i := range steps {
		if n := len(out); n > 0 && out[n-1].Key == steps[i].Key {
			out[n-1].Goal = steps[i].Goal
			out[n-1].What = fmt.Sprintf("All of it, from %g bpm up to %g bpm.", out[n-1].Tempo, steps[i].Goal)
			continue
		}
		out = append(out, Rung{steps[i]})
	}
	return out
}

// State is how far a rung is.
type State struct {
	Rung
	Advice
	Passes  int
	Faults  int       // passes that broke
	Last    time.Time // of the last pass, zero if none
	Breaks  bool      // it was done, and the last two passes over it broke
	Sitting int       // days on which it was played
	Stuck   bool      // not faster in stuckAfter sittings
}

// Tempo is that of the next pass, Goal the one to come to.
func (s *State) Tempo() float64 { return s.Advice.Tempo }
func (s *State) Goal() float64  { return s.Rung.Goal }

// stuckAfter is how many sittings without a faster clean pass make a rung stuck.
const stuckAfter = 3

// Solid reports whether the next rung may be laid on this one.
func (s *State) Solid() bool { return s.Finished && !s.Breaks }

// Progress tells for each rung how far it is after passes, oldest first, at a time in the player's own location.
func Progress(rungs []Rung, passes []Pass, now time.Time) []State {
	return progress(rungs, byKey(passes), now)
}

// byKey sorts passes by what was played; their order stays.
func byKey(passes []Pass) map[string][]Pass {
	of := map[string][]Pass{}
	for i := range passes {
		of[passes[i].Key] = append(of[passes[i].Key], passes[i])
	}
	return of
}

func progress(rungs []Rung, of map[string][]Pass, now time.Time) []State {
	out := make([]State, len(rungs))
	for i := range rungs {
		r := &rungs[i]
		mine := of[r.Key]
		st := &out[i]
		st.Rung, st.Passes = *r, len(mine)
		st.Advice = r.Staircase().Advise(mine, day(now))
		for k := range mine {
			if mine[k].Verdict == Broke {
				st.Faults++
			}
		}
		if n := len(mine); n > 0 {
			st.Last = mine[n-1].At
			st.Breaks = st.Finished && n > 1 && mine[n-1].Verdict == Broke && mine[n-2].Verdict == Broke
		}
		st.Sitting, st.Stuck = sittings(mine)
		st.Stuck = st.Stuck && !st.Solid()
	}
	return out
}

// Staircase is the rule by which the rung is climbed.
func (r *Rung) Staircase() Staircase { return Staircase{Start: r.Tempo, Goal: r.Goal, Need: r.Clean} }

// sittings counts the days of passes; stuck says that the last stuckAfter brought no faster clean pass than there was before.
func sittings(passes []Pass) (n int, stuck bool) {
	var best []float64 // after each sitting
	last := 0
	for i := range passes {
		d := day(passes[i].At)
		if n == 0 || d != last {
			b := 0.0
			if n > 0 {
				b = best[n-1]
			}
			best, last = append(best, b), d
			n++
		}
		if passes[i].Verdict == Clean {
			best[n-1] = max(best[n-1], passes[i].Tempo)
		}
	}
	before := 0.0
	if n > stuckAfter {
		before = best[n-1-stuckAfter]
	}
	return n, n >= stuckAfter && best[n-1] <= before
}

// A climb bears the layers above it before its top is reached: the whole tune from the share of its goal at
// which those layers are practised, a single move from well above the tempo at which it is first played
// together.
const (
	bearing     = 0.75
	moveBearing = 1.25 // of its first tempo
)

// bears reports whether later layers may be laid on the rung.
func (s *State) bears() bool {
	return s.Solid() || !s.Breaks && (s.Layer == Tempo && s.Best >= bearing*s.Goal() || s.Layer == HardMove && s.Best >= moveBearing*s.Rung.Tempo)
}

// Current is the rung to work on: the first that does not bear yet, may be begun and is not left for today;
// once all bear, the first that is not solid. -1 if there is none.
func Current(states []State) int {
	for _, enough := range []func(*State) bool{(*State).bears, (*State).Solid} {
		for i := range states {
			if !enough(&states[i]) && !states[i].Leave && Open(states, i) {
				return i
			}
		}
	}
	return -1
}

// Open reports whether a rung may be begun: those of the layers before bear it. Rungs of one layer do not stand on each other.
func Open(states []State, at int) bool {
	for i := range at {
		if states[i].Layer != states[at].Layer && !states[i].bears() {
			return false
		}
	}
	return true
}

// sameBars is what share of all bars that two passages touch they must have in common to count as the same.
const sameBars = 0.75

// Alike lists the rungs of both hands together that are played over about the bars given (first and last, as
// played, from 1), the likeliest first: the climb in tempo, then phrases, then the rest.
func Alike(rungs []Rung, bars [2]int) (out []int) {
	for _, layer := range []string{Tempo, Together, Click, Whole} {
		for i := range rungs {
			b := rungs[i].Bars
			common := min(b[1], bars[1]) - max(b[0], bars[0]) + 1
			all := max(b[1], bars[1]) - min(b[0], bars[0]) + 1
			if rungs[i].Layer == layer && float64(common) >= sameBars*float64(all) {
				out = append(out, i)
			}
		}
	}
	return out
}
