package practice

import (
	"math"
	"time"
)

// Memory is how well a rung that was done is still in the hands, by half-life regression (Settles and Meeder
// 2016): the chance that it succeeds falls by half in every half-life,
//
//	p = 2^(-Δ/h),  h = 2^(θ0 + θr·√right + θw·√wrong) days,
//
// where Δ is the days since it was last played, right and wrong count the days on which the last pass over it
// was clean or was not. The weights are not fitted to players: they are set so that what was done on one day is
// to be seen again two days later, after four good days in five days and after nine in three weeks (see due).
type Memory struct {
	Right, Wrong int
	Last         time.Time
}

// Weights of the half-life, and its limits in days.
const (
	thetaBase  = -0.5
	thetaRight = 1.9
	thetaWrong = -0.7
	leastHalf  = 0.5
	mostHalf   = 120.0
)

// due is the chance of success under which a rung is to be played again.
const due = 0.7

// HalfLife is in days.
func (m *Memory) HalfLife() float64 {
	h := math.Exp2(thetaBase + thetaRight*math.Sqrt(float64(m.Right)) + thetaWrong*math.Sqrt(float64(m.Wrong)))
	return max(leastHalf, min(mostHalf, h))
}

// Recall is the chance that it succeeds at a time, 1 at once.
func (m *Memory) Recall(now time.Time) float64 {
	return math.Exp2(-max(0, now.Sub(m.Last).Hours()/24) / m.HalfLife())
}

// remembered follows the memory of a rung through its passes, oldest first; of a day the last pass counts.
func remembered(passes []Pass) (m Memory) {
	for i := range passes {
		if i+1 < len(passes) && day(passes[i+1].At) == day(passes[i].At) {
			continue
		}
		if passes[i].Verdict == Clean {
			m.Right++
		} else {
			m.Wrong++
		}
		m.Last = passes[i].At
	}
	return m
}
