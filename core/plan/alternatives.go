package plan

import (
	"context"
	"math"
	"sort"
)

// Alternative is one way to play the note or stroke of a moment, with the least total
// of any whole plan that plays it so.
type Alternative struct {
	Part   Part
	String int // 0 for a stroke left out
	Fret   float64
	How    How
	Extra  float64 // least total with it, less the plan's total; >= 0, 0 for what the plan chose
	Chosen bool
	Why    string // what makes it dearer, with figures; "" for the chosen one

	state int32 // the state through which the best such plan goes
}

// Alternatives returns the alternatives of moment t for its melody note (part Melody) or
// thumb stroke (Thumb), cheapest first. They are min-marginals: exact, from one forward
// and one backward pass over the same model. The first call does the backward pass.
func (p *Plan) Alternatives(ctx context.Context, t int, part Part) ([]Alternative, error) {
	alts, err := p.marginals(ctx, t, part)
	if err != nil {
		return nil, err
	}
	for i := range alts {
		if !alts[i].Chosen {
			alts[i].Why = p.whyNot(t, &alts[i])
		}
	}
	return alts, nil
}

// marginals is Alternatives without the reasons.
func (p *Plan) marginals(ctx context.Context, t int, part Part) ([]Alternative, error) {
	if p.togo == nil {
		togo, err := p.m.backward(ctx, p.layers)
		if err != nil {
			return nil, err
		}
		p.togo = togo
	}
	mo := &p.m.moments[t]
	if part == Melody && mo.note < 0 || part == Thumb && mo.stroke == nil {
		return nil, nil
	}
	chosen := p.alternativeOf(t, p.path[t], part)
	options := map[int32][]bassOption{}
	var alts []Alternative
	for i := range p.layers[t] {
		a := p.alternativeIn(t, int32(i), part, options)
		a.Extra = p.layers[t][i].cost + p.togo[t][i] - p.Total
		a.Chosen = a.sameAs(&chosen)
		alts = mergeAlternative(alts, a)
	}
	sort.SliceStable(alts, func(i, j int) bool {
		if alts[i].Chosen != alts[j].Chosen {
			return alts[i].Chosen
		}
		return alts[i].Extra < alts[j].Extra
	})
	return alts, nil
}

func (a *Alternative) sameAs(b *Alternative) bool {
	return a.String == b.String && a.Fret == b.Fret && a.How == b.How
}

func mergeAlternative(alts []Alternative, a Alternative) []Alternative {
	for i := range alts {
		if alts[i].sameAs(&a) {
			if a.Extra < alts[i].Extra {
				alts[i] = a
			}
			return alts
		}
	}
	return append(alts, a)
}

func (p *Plan) alternativeOf(t int, s int32, part Part) Alternative {
	return p.alternativeIn(t, s, part, map[int32][]bassOption{})
}

// alternativeIn names what state s plays for part; options caches bass options by hand.
func (p *Plan) alternativeIn(t int, s int32, part Part, options map[int32][]bassOption) Alternative {
	st, mo := &p.layers[t][s], &p.m.moments[t]
	h := &mo.hands[st.hand]
	if part == Melody {
		return Alternative{Part: part, String: h.str, Fret: h.fret, How: h.how, state: s}
	}
	if _, ok := options[st.hand]; !ok {
		options[st.hand] = p.m.bassOptions(mo, h)
	}
	o := options[st.hand][st.bass]
	return Alternative{Part: part, String: o.str, Fret: o.fret, How: o.how, state: s}
}

// detour is a stretch of another plan, from its parting from this one to its return.
type detour struct {
	first  int     // moment of states[0]
	states []int32 // one state a moment
}

// through rebuilds the best plan through state s of moment t, as far as it differs.
func (p *Plan) through(t int, s int32) detour {
	d := detour{first: t, states: []int32{s}}
	for d.first > 0 {
		prev := p.layers[d.first][d.states[0]].prev
		if prev == p.path[d.first-1] {
			break
		}
		d.first--
		d.states = append([]int32{prev}, d.states...)
	}
	for next := t + 1; next < len(p.layers); next++ {
		s = p.step(next, s)
		if s == p.path[next] {
			break
		}
		d.states = append(d.states, s)
	}
	return d
}

// step returns the state at moment t that continues best after state s of moment t−1.
func (p *Plan) step(t int, s int32) int32 {
	m, mo := p.m, &p.m.moments[t]
	before := &p.layers[t-1][s]
	h := &m.moments[t-1].hands[before.hand]
	index := indexStates(p.layers[t], len(mo.hands))
	rights := m.rights(mo)
	bestCost, bestState := math.Inf(1), int32(-1)
	for g := range mo.hands {
		to := &mo.hands[g]
		left, ok := m.leftCost(t, h, to)
		if !ok {
			continue
		}
		sum := left.Sum()
		ts := m.after(rights[g], m.tailOf(t, h, before.live, to))
		for _, st := range m.arena[ts.lo:ts.hi] {
			i := lookup(index[g], &st)
			if i < 0 || st.from != before.digit {
				continue
			}
			if c := sum + st.cost + p.togo[t][i]; c < bestCost {
				bestCost, bestState = c, i
			}
		}
	}
	return bestState
}

// choices recomputes what is chosen along states from moment first on; the moment before
// first is this plan's own, which both share.
func (p *Plan) choices(first int, states []int32) []choice {
	out := make([]choice, len(states))
	for i, s := range states {
		t := first + i
		var before *state
		switch {
		case i > 0:
			before = &p.layers[t-1][states[i-1]]
		case t > 0:
			before = &p.layers[t-1][p.path[t-1]]
		}
		out[i] = p.m.choiceAt(t, before, &p.layers[t][s])
	}
	return out
}
