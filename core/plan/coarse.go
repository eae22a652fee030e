package plan

import (
	"context"

	"stepping/core/plan/internal/trellis"
)

// CoarseBound is a lower bound on the total of the best plan of r, worked out in a few milliseconds: the
// cheapest left hand with its best bass note at every moment by itself. Errors are those of Solve.
func CoarseBound(r Request) (float64, error) {
	m, err := newMusic(&r, nil)
	if err != nil {
		return 0, err
	}
	sum := 0.0
	for t := range m.moments {
		mo := &m.moments[t]
		mo.anchored, mo.bare = m.layHands(t) // where each comes from does not matter
		sum += m.coarseMoment(mo)
	}
	return sum, nil
}

func (m *model) coarseMoment(mo *moment) float64 {
	open := m.leastBass(mo, &hand{}, 0)
	least := inf
	for _, hands := range [2][]hand{mo.anchored, mo.bare} {
		for i := range hands {
			if h := &hands[i]; h.ownCost < least && !h.barred {
				least = min(least, h.ownCost+m.leastBass(mo, h, open))
			}
		}
	}
	return least
}

// leastBass is the least that the thumb costs with hand h: a hand that frets no bass note and covers no
// bass string has at best what is open.
func (m *model) leastBass(mo *moment, h *hand, open float64) float64 {
	if mo.stroke == nil {
		return 0
	}
	if h.n > 0 && h.bass.str == 0 && (!h.slide || h.covers < 4) && !h.tapped() && !h.hooked() {
		return open
	}
	least := inf
	for _, o := range m.bassOptions(mo, h) {
		least = min(least, o.sum-o.eased)
	}
	return least
}

// Bound is a higher one, in about a third of the time of Solve: the left hand's best way through the
// whole tune, the picking hand counted at the least it must cost. It stops at the first moment, going
// backward, from which with the floor of what comes before limit is reached; then it is just that.
func Bound(ctx context.Context, r Request, limit float64) (float64, error) {
	m, err := newModel(&r, nil)
	if err != nil {
		return 0, err
	}
	m.layMasks(true)
	before := make([]float64, len(m.moments)) // floors of the moments before each
	for t := 1; t < len(m.moments); t++ {
		before[t] = before[t-1] + m.coarseMoment(&m.moments[t-1])
	}
	at := 0.0
	s := m.newSearch(ctx)
	_, err = s.bounds(func(b *trellis.Bound, t int) bool {
		least := inf
		for g := range m.moments[t].hands {
			least = min(least, m.moments[t].hands[g].ownCost+units(b.Least(g)))
		}
		at = before[t] + least - belowRounding
		return at >= limit
	})
	if len(m.moments) == 1 {
		at, err = CoarseBound(r)
	}
	return at, err
}
