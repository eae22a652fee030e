package plan

import (
	"math"

	"stepping/core/play"
)

// dominance bounds how much more a plan can have to pay later for having one picking state rather than
// another, everything else alike.
type dominance struct {
	m     *model
	again *againTable // at the next onset
	known [pickStates][]float64
	all   float64 // see most
}

// most bounds what any picking state can cost more than any other.
func (d *dominance) most() float64 {
	if d.all == 0 {
		d.all = d.m.heelGap + d.m.restMostGap + max(d.m.w.StopEffort, d.m.w.StopOwn)
		if d.again != nil {
			worst := 0.0
			for from := range d.again {
				for _, v := range d.again[from] {
					worst = max(worst, v)
				}
			}
			d.all += worst
		}
	}
	return d.all
}

// dominanceFrom is for the choices from moment t on.
func (m *model) dominanceFrom(t int) *dominance {
	since := -1.0 // no onset is left
	for ; t < len(m.moments) && since < 0; t++ {
		if m.moments[t].note >= 0 {
			since = m.moments[t].since
		}
	}
	if m.dominances[since] == nil {
		d := &dominance{m: m}
		if since >= 0 {
			d.again = m.againAfter(since)
		}
		m.dominances[since] = d
	}
	return m.dominances[since]
}

// of returns the most that picking state p can cost more than q.
func (d *dominance) of(p, q pickState) float64 {
	if d.known[p] == nil {
		d.known[p] = make([]float64, d.m.pickStateCount())
		for i := range d.known[p] {
			d.known[p][i] = -1
		}
	}
	if v := &d.known[p][q]; *v >= 0 {
		return *v
	}
	most := 0.0
	if d.again != nil {
		for to := 1; to < fewMasks; to++ {
			most = max(most, d.again[p.mask()][to]-d.again[q.mask()][to])
		}
	}
	heel := 0.0
	for to := range d.m.heelMove {
		heel = max(heel, d.m.heelMove[p.heel()][to]-d.m.heelMove[q.heel()][to])
	}
	rest := 0.0
	for to := range d.m.restMove {
		rest = max(rest, d.m.restMove[p.rest()][to]-d.m.restMove[q.rest()][to])
	}
	dearer := play.Exact(d.m.w.StopEffort) - play.Exact(d.m.w.StopOwn) // of a digit that did not pluck last
	if dearer > 0 && q.mask()&^p.mask() != 0 || dearer < 0 && p.mask()&^q.mask() != 0 {
		most += math.Abs(dearer)
	}
	d.known[p][q] = most + heel + rest
	return d.known[p][q]
}

// dominated reports whether another state of the run is cheaper than i by more than it can
// ever have to pay back; of equals the first stays.
func (d *dominance) dominated(run []state, i int) bool {
	for j := range run {
		if j == i {
			continue
		}
		gap := run[j].cost + d.of(run[j].pick, run[i].pick)
		if gap < run[i].cost || gap == run[i].cost && j < i {
			return true
		}
	}
	return false
}
