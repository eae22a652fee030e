package intonation

import (
	"math"
	"math/rand/v2"
	"time"

	"stepping/core/take"
)

// Simulated is a player who trains with the slide, for tests and for the demo: each string has an error of its
// own, long shifts miss by more, and all of it shrinks with what is played.
type Simulated struct {
	Seed   uint64
	Finger int
	Bias   [6]float64 // cents by string, negative for flat
}

// Of a simulated player: cents by which notes are missed to begin with, and in the end; notes in which half of the
// way is learnt; cents a fret of shift.
const (
	simulatedFirst = 13.0
	simulatedLast  = 4.0
	simulatedHalf  = 90.0
	simulatedShift = 0.7
)

// Play plays an exercise after so many notes, one every five seconds.
func (s *Simulated) Play(tasks []Task, before int, at time.Time) (out []Played) {
	rng := rand.New(rand.NewPCG(s.Seed, uint64(before)))
	for i := range tasks {
		t := &tasks[i]
		left := math.Exp2(-float64(before+i) / simulatedHalf)
		spread := simulatedLast + (simulatedFirst-simulatedLast)*left
		if t.From != nil {
			spread += simulatedShift * math.Abs(t.Fret-t.From.Fret)
		}
		n := take.Stopped{Cents: s.Bias[t.String-1]*(0.4+0.6*left) + spread*rng.NormFloat64(), Spread: 2 + 4*rng.Float64(), Seconds: 1.2}
		out = append(out, Log(t, &n, s.Finger, at.Add(time.Duration(i)*5*time.Second)))
	}
	return out
}

// Weeks plays one exercise every other day from a day on, of the kinds in turn, and returns the log.
func (s *Simulated) Weeks(n *Neck, from time.Time, days int) (log []Played, err error) {
	kinds := []Kind{OneString, Anywhere, ThereAndBack, Weak}
	for day := 0; day < days; day += 2 {
		at := from.AddDate(0, 0, day)
		tasks, err := New(kinds[day/2%len(kinds)], n, log, uint64(day))
		if err != nil {
			return nil, err
		}
		log = append(log, s.Play(tasks, len(log), at)...)
	}
	return log, nil
}
