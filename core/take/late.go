package take

import (
	"math"
	"slices"

	"stepping/core/plan"
)

// Of the player's own tempo: how many places to either side tell it, how many in all at least and on one side, how often
// the fit is repeated without those that lie far from it, and how far that is at least, in seconds, and against the middle
// of all.
const (
	curve      = 4
	leastCurve = 5
	leastSide  = 3
	refits     = 4
	leastOff   = 0.012
	farOff     = 4.0
)

// lateness is by how many seconds each place comes after where the player's own tempo puts it: a parabola through
// the places around it, of the recording's time over the plan's, so that a tempo that rises or falls is no fault.
// What lies far from it counts less and less (Tukey's biweights; Cleveland 1979), so that another late place near
// it does not bend it. If the tempo is uneven and a phrase begins at another tempo than the last one ended in, a
// place fits the line of those after it, or before it: the least of the three counts. It is worked out twice, the
// second time without the places that were late or early the first time, and again the least counts. Near the ends
// and near stops, where the tempo is known from one side only, and where a place is so far off that it is probably
// not the moment, the result is NaN.
func (tk *Take) lateness(p *plan.Plan, from []float64) []float64 {
	first := tk.latenessBut(p, nil)
	if tk.uneven(p) >= unevenTempo { // then what looks late may be where the tempo turns
		return first
	}
	off := make([]bool, len(first))
	for i, v := range first {
		off[i] = math.Abs(1000*v) >= from[i]
	}
	out := tk.latenessBut(p, off)
	for i := range out {
		if math.IsNaN(out[i]) || math.Abs(first[i]) < math.Abs(out[i]) {
			out[i] = first[i]
		}
		if math.Abs(out[i]) > mostLate*tk.gap(i) {
			out[i] = math.NaN() // it has been lost
		}
	}
	return out
}

// gap is the time from a place to the nearer of its neighbours, seconds.
func (tk *Take) gap(i int) float64 {
	gap := math.Inf(1)
	if i > 0 {
		gap = tk.Places[i].AtSec - tk.Places[i-1].AtSec
	}
	if i+1 < len(tk.Places) {
		gap = math.Min(gap, tk.Places[i+1].AtSec-tk.Places[i].AtSec)
	}
	return gap
}

// mostLate is the share of the time to the nearer neighbour from which a place is not late but lost.
const mostLate = 0.8

// latenessBut is lateness by the places that are not left out.
func (tk *Take) latenessBut(p *plan.Plan, but []bool) []float64 {
	places, free := tk.Places, tk.uneven(p) >= unevenTempo
	run := make([]int, len(places)) // places between the same stops
	for i := 1; i < len(places); i++ {
		run[i] = run[i-1]
		if slices.ContainsFunc(tk.Stops, func(s Stop) bool { return s.Moment == places[i].Moment }) {
			run[i]++
		}
	}
	out := make([]float64, len(places))
	for i := range places {
		var x, y []float64
		before := 0
		for k := max(0, i-curve); k <= min(len(places)-1, i+curve); k++ {
			if k == i || run[k] != run[i] || but != nil && but[k] {
				continue
			}
			x, y = append(x, p.Moments[places[k].Moment].Seconds-p.Moments[places[i].Moment].Seconds), append(y, places[k].AtSec-places[i].AtSec)
			if k < i {
				before++
			}
		}
		out[i] = math.NaN()
		if n := len(x); n >= leastCurve && before >= 2 && n-before >= 2 {
			out[i] = -robust(x, y)
			for _, side := range [2][2]int{{0, before}, {before, n}} {
				if free && side[1]-side[0] >= leastSide {
					if off := -atZero(x[side[0]:side[1]], y[side[0]:side[1]]); math.Abs(off) < math.Abs(out[i]) {
						out[i] = off
					}
				}
			}
		}
	}
	return out
}

// robust is the height at 0 of a parabola through points, fitted again with less weight for those far from it.
func robust(x, y []float64) float64 {
	weight := make([]float64, len(x))
	for i := range weight {
		weight[i] = 1
	}
	var c [3]float64
	for range refits {
		var a [3][4]float64 // normal equations of y = c0 + c1·x + c2·x²
		for i := range x {
			powers := [3]float64{1, x[i], x[i] * x[i]}
			for r := range a {
				for k := range powers {
					a[r][k] += weight[i] * powers[r] * powers[k]
				}
				a[r][3] += weight[i] * powers[r] * y[i]
			}
		}
		c = solved(a)
		off := make([]float64, len(x))
		for i := range x {
			off[i] = math.Abs(y[i] - c[0] - c[1]*x[i] - c[2]*x[i]*x[i])
		}
		scale := farOff * math.Max(leastOff, middle(slices.Clone(off)))
		for i := range off {
			z := math.Min(1, off[i]/scale)
			weight[i] = (1 - z*z) * (1 - z*z)
		}
	}
	return c[0]
}

// lateFrom is from how many ms on each place is late or early: OffMs, more where moments follow each other slowly, and
// twice as many if the tempo is free.
func (tk *Take) lateFrom(p *plan.Plan) []float64 {
	places := tk.Places
	factor := either(tk.uneven(p) >= freeTempo, 2.0, 1.0)
	out := make([]float64, len(places))
	for i := range places {
		gap := tk.gap(i)
		out[i] = factor * OffMs
		if !math.IsInf(gap, 1) {
			out[i] = factor * math.Max(OffMs, 1000*lateShare*gap)
		}
	}
	return out
}

// lateShare is the share of the time to the nearer of its neighbours by which a moment may be late.
const lateShare = 0.07
