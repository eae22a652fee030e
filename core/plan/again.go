package plan

import "stepping/core/quiet"

// againTable is what it costs to pluck with one set of digits after another.
type againTable [fewMasks][fewMasks]float64

// least is the least that plucking right after plucking costs.
func (t *againTable) least() float64 {
	least := inf
	for from := 1; from < fewMasks; from++ {
		for to := 1; to < fewMasks; to++ {
			least = min(least, t[from][to])
		}
	}
	return least
}

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
			t[from][to] = AgainCost(m.req.Player.Attack, uint8(from), uint8(to), since)
		}
	}
	return t
}

// AgainCost is what it costs to pluck with the digits of to (bit 1 for i, 2 for m, 3 for a) so many
// seconds after those of from, by the player's attack.
func AgainCost(attack string, from, to uint8, since float64) float64 {
	gap := max(since, 1e-3)
	square := func(need float64) float64 { return need / gap * (need / gap) }
	same := square(restrike[attack])
	y := tally{}
	switch common := from & to; {
	case common != 0:
		y.add(Hand, wRepeat*same*float64(quiet.Strings(common).Len()))
	case from != 0:
		y.add(Hand, wAlternate*same)
	}
	if from != 0 && (from^to)>>tapBit != 0 {
		y.add(Hand, wRepeat*square(tapTravel))
	}
	return y.sum
}
