package practice

import (
	"math"

	"stepping/core/plan"
	"stepping/core/player"
)

// Hands are what the log shows of a player's hands: the figures of their profile that set how fast moves are.
type Hands struct {
	A, B     Estimate // of Fitts's law, s and s per bit
	Restrike Estimate // s
}

// Estimate is a figure with the range in which it lies with 90% probability.
type Estimate struct {
	Value, Low, High float64
	Passes           int // that tell of it
}

// Known reports whether passes have told enough to take the figure over.
func (e *Estimate) Known() bool { return e.Passes >= LeastPasses }

// LeastPasses is how many passes tell enough.
const LeastPasses = 12

// mostPasses is how many passes are weighed, the latest: hands change.
const mostPasses = 400

// The threshold model: a pass over one move is clean if the time there is exceeds the time that the hands need
// at that try, which varies by handSpread from try to try (log-normally); it nearly holds while the lack is
// small, and breaks beyond. A verdict at a tempo is thus a bound from one side, and only many of them pin the
// need down. What is not the hand's fault fails one pass in slipShare.
const (
	handSpread = 0.12 // log units
	nearlyBand = 0.08 // log units
	slipShare  = 0.05
)

// Spread in log units of what players' hands need around the usual figures, before any pass has told.
const (
	spreadA = 0.5
	spreadB = 0.35
	spreadR = 0.25
)

// gridPoints is how many values of each figure are weighed, over three spreads to either side.
const gridPoints = 49

// LearnHands weighs the passes over single moves, oldest first, against what is usual for players (never
// against the profile in force, or the same passes would count again each time that they were taken over) and
// returns the mean and the central 90% of what they leave possible. Of Fitts's two figures each pass bounds a
// sum, so that they are weighed together.
func LearnHands(passes []Pass, usual player.Profile) Hands {
	var travel, again []told
	for i := len(passes) - 1; i >= 0 && len(travel)+len(again) < mostPasses; i-- {
		m := passes[i].Move
		if m == nil || m.There <= 0 {
			continue
		}
		t := told{bits: m.Bits, ln: math.Log(m.There), v: passes[i].Verdict}
		switch m.Kind {
		case plan.Travel:
			travel = append(travel, t)
		case plan.Again:
			again = append(again, t)
		}
	}
	as, bs, rs := newAxis(usual.FittsA, spreadA), newAxis(usual.FittsB, spreadB), newAxis(usual.RestrikeTime(), spreadR)
	joint := make([]float64, 0, gridPoints*gridPoints)
	for i, a := range as.values {
		for j, b := range bs.values {
			ll := as.prior[i] + bs.prior[j]
			for k := range travel {
				ll += travel[k].logChance(math.Log(a + b*travel[k].bits))
			}
			joint = append(joint, ll)
		}
	}
	alone := make([]float64, gridPoints)
	for i, r := range rs.values {
		alone[i] = rs.prior[i]
		for k := range again {
			alone[i] += again[k].logChance(math.Log(r))
		}
	}
	weighed(joint)
	weighed(alone)
	pa, pb := make([]float64, gridPoints), make([]float64, gridPoints)
	for i := range gridPoints {
		for j := range gridPoints {
			pa[i] += joint[i*gridPoints+j]
			pb[j] += joint[i*gridPoints+j]
		}
	}
	return Hands{as.estimate(pa, len(travel)), bs.estimate(pb, len(travel)), rs.estimate(alone, len(again))}
}

// told is what one pass tells: the time there was, as a logarithm, and how it went.
type told struct {
	bits, ln float64
	v        Verdict
}

// logChance is the logarithm of the chance of the verdict if the hands need exp(need) seconds.
func (t *told) logChance(need float64) float64 {
	u := t.ln - need
	clean := (1 - slipShare) * normal(u/handSpread)
	broke := (1-slipShare)*normal(-(u+nearlyBand)/handSpread) + slipShare/2
	switch t.v {
	case Clean:
		return math.Log(max(clean, 1e-12))
	case Broke:
		return math.Log(max(broke, 1e-12))
	}
	return math.Log(max(1-clean-broke, 1e-12))
}

// normal is the cumulative normal distribution.
func normal(x float64) float64 { return 0.5 * math.Erfc(-x/math.Sqrt2) }

// axis is the values of a figure that are weighed, evenly spread in logarithm, with the log weight that each has before any pass.
type axis struct{ values, prior []float64 }

func newAxis(usual, spread float64) (a axis) {
	for i := range gridPoints {
		z := 6*float64(i)/(gridPoints-1) - 3
		a.values = append(a.values, usual*math.Exp(z*spread))
		a.prior = append(a.prior, -z*z/2)
	}
	return a
}

// weighed turns log weights into probabilities.
func weighed(ll []float64) {
	most := math.Inf(-1)
	for _, v := range ll {
		most = max(most, v)
	}
	sum := 0.0
	for i, v := range ll {
		ll[i] = math.Exp(v - most)
		sum += ll[i]
	}
	for i := range ll {
		ll[i] /= sum
	}
}

func (a *axis) estimate(p []float64, passes int) Estimate {
	e := Estimate{Passes: passes, Low: a.values[0], High: a.values[gridPoints-1]}
	below := 0.0
	for i, v := range a.values {
		e.Value += p[i] * v
		if below < 0.05 && below+p[i] >= 0.05 {
			e.Low = v
		}
		if below < 0.95 && below+p[i] >= 0.95 {
			e.High = v
		}
		below += p[i]
	}
	return e
}

// TakeOver puts what is known into a profile.
func (h *Hands) TakeOver(p *player.Profile) {
	if h.A.Known() {
		p.FittsA, p.FittsB = milli(h.A.Value), milli(h.B.Value)
	}
	if h.Restrike.Known() {
		p.RestrikeS = milli(h.Restrike.Value)
	}
}

// milli rounds seconds to thousandths.
func milli(s float64) float64 { return math.Round(s*1000) / 1000 }
