package plan

import "stepping/core/digits"

// againTable is what it costs to pluck with one set of digits after another.
type againTable [fewMasks][fewMasks]float64

// againAfter returns the table for since seconds from onset to onset.
func (m *model) againAfter(since float64) *againTable {
	if m.agains[since] == nil {
		t := m.newAgain(since)
		m.agains[since] = &t
	}
	return m.agains[since]
}

func (m *model) newAgain(since float64) (t againTable) {
	for from := range t {
		for to := 1; to < fewMasks; to++ {
			t[from][to] = digits.AgainCost(m.req.Player.RestrikeTime(), uint8(from), uint8(to), since)
		}
	}
	return t
}
