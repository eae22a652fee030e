package practice

import (
	"math"
	"math/rand/v2"
)

// Learner is a simulated player: what a staircase is tested on, and what fills the demo's log.
//
// He plays clean at a tempo with the probability of a cumulative normal over the logarithm of the tempo against
// their threshold, the tempo at which every second pass is clean; a pass that is not clean nearly holds or breaks
// down by how far it lies above. A pass teaches most a little below the threshold, less where it is far too
// fast or too slow (the challenge point of Guadagnoli and Lee 2004), and ever less toward Top (an exponential
// learning curve); on a plateau nothing is learnt.
type Learner struct {
	Threshold float64 // quarter notes a minute, grows
	Top       float64 // that they come to in the end
	Rate      float64 // share of the way to Top that the best of passes teaches
	Spread    float64 // of the threshold from pass to pass, log units; 0.05 is usual
	Slips     float64 // probability that a pass fails whatever the tempo
	BadDay    float64 // by how much the threshold is lower today, log units; set by NewDay
	Plateaus  [][2]int
	passes    int
	rng       *rand.Rand
}

// Seed sets the learner's chance.
func (l *Learner) Seed(seed uint64) { l.rng = rand.New(rand.NewPCG(seed, 27)) }

// NewDay draws how good today is: usually within 3%, on one day of six a bad one.
func (l *Learner) NewDay() {
	l.BadDay = 0.03 * l.rng.NormFloat64()
	if l.rng.Float64() < 1.0/6 {
		l.BadDay = 0.1 + 0.05*l.rng.Float64()
	}
}

// Play plays one pass at a tempo and learns from it.
func (l *Learner) Play(tempo float64) Verdict {
	over := math.Log(tempo/l.Threshold) + l.BadDay
	at := over + l.Spread*l.rng.NormFloat64()
	l.learn(over)
	switch {
	case l.rng.Float64() < l.Slips:
		return Nearly
	case at <= 0:
		return Clean
	case at <= l.Spread:
		return Nearly
	}
	return Broke
}

// learn moves the threshold; over is by how much the pass lay above it, in log units.
func (l *Learner) learn(over float64) {
	l.passes++
	for _, p := range l.Plateaus {
		if l.passes >= p[0] && l.passes < p[1] {
			return
		}
	}
	away := (over + 0.05) / 0.15
	l.Threshold += l.Rate * (l.Top - l.Threshold) * math.Exp(-away*away/2)
}
