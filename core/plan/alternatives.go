package plan

import (
	"context"
	"slices"
	"sort"
)

// Alternative is one way to play the note or stroke of a moment, with the least total
// of any whole plan that plays it so.
type Alternative struct {
	Part   Part
	String int // 0 for a stroke left out
	Fret   float64
	How    How
	Extra  float64 // least total with it, less the plan's total; 0 for what the plan chose, else >= 0 unless that was pinned
	Chosen bool
	Why    string // what makes it dearer, with figures; "" for the chosen one

	via link // where the best such plan passes
}

// link is a state of a moment with what led there, which may differ from the state's own
// cheapest way.
type link struct {
	state      int32
	prev       int32
	bass, heel uint8
}

// Alternatives returns the alternatives of moment t for its melody note (part Melody) or
// thumb stroke (Thumb), cheapest first. They are min-marginals: exact, from one forward
// and one backward pass over the same model. The first call does the backward pass. Not
// safe for concurrent use, like everything of a Plan that computes.
func (p *Plan) Alternatives(ctx context.Context, t int, part Part) ([]Alternative, error) {
	if p.Pinned(p.Moments[t].At, part) {
		return p.besidePin(ctx, t, part)
	}
	alts, err := p.Marginals(ctx, t, part)
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

// besidePin lists the alternatives of a pinned note or stroke: those of the plan without
// that one pin. Their Extra is against this plan's total and may be negative; reasons are
// against what that other plan would choose.
func (p *Plan) besidePin(ctx context.Context, t int, part Part) ([]Alternative, error) {
	q, err := p.without(ctx, t, part)
	if err != nil {
		return nil, err
	}
	alts, err := q.Alternatives(ctx, t, part)
	if err != nil {
		return nil, err
	}
	played := p.played(t, part)
	for i := range alts {
		if alts[i].Chosen {
			alts[i].Why = "the choice without your pin"
		}
		alts[i].Extra += q.Total - p.Total
		if alts[i].Chosen = alts[i].sameAs(&played); alts[i].Chosen {
			alts[i].Why = ""
		}
	}
	chosenFirst(alts)
	return alts, nil
}

// without returns the plan without the pin of moment t and part.
func (p *Plan) without(ctx context.Context, t int, part Part) (*Plan, error) {
	key := p.Moments[t].At.String() + " " + string(part)
	if q := p.beside[key]; q != nil {
		return q, nil
	}
	free := p.Request
	free.Pins = slices.DeleteFunc(slices.Clone(free.Pins), func(pin Pin) bool { return pin.At == p.Moments[t].At && pin.Part == part })
	q, err := Solve(ctx, free)
	if err != nil {
		return nil, err
	}
	if p.beside == nil || len(p.beside) >= maxBeside {
		p.beside = map[string]*Plan{}
	}
	p.beside[key] = q
	return q, nil
}

// maxBeside bounds the memory that plans without one pin take.
const maxBeside = 4

// chosenFirst sorts: what is played, then by cost.
func chosenFirst(alts []Alternative) {
	sort.SliceStable(alts, func(i, j int) bool {
		if alts[i].Chosen != alts[j].Chosen {
			return alts[i].Chosen
		}
		return alts[i].Extra < alts[j].Extra
	})
}

// Marginals is Alternatives without the reasons, and of a pinned note just the pin.
func (p *Plan) Marginals(ctx context.Context, t int, part Part) ([]Alternative, error) {
	if p.togo == nil {
		togo, err := p.m.backward(ctx, p.layers)
		if err != nil {
			return nil, err
		}
		p.togo = togo
	}
	var alts []Alternative
	switch mo := &p.m.moments[t]; {
	case part == Melody && mo.note >= 0:
		alts = p.melodyMarginals(t)
	case part == Thumb && mo.stroke != nil:
		alts = p.thumbMarginals(t)
	}
	chosen := p.played(t, part)
	for i := range alts {
		alts[i].Extra -= p.Total
		alts[i].Chosen = alts[i].sameAs(&chosen)
	}
	chosenFirst(alts)
	return alts, nil
}

// played is what the plan itself does, as an Alternative.
func (p *Plan) played(t int, part Part) Alternative {
	s := p.Moments[t].Melody
	if part == Thumb {
		s = p.Moments[t].Thumb
	}
	if s == nil {
		return Alternative{Part: part, How: Drop}
	}
	return Alternative{Part: part, String: s.String, Fret: s.Fret, How: s.How}
}

func (a *Alternative) sameAs(b *Alternative) bool {
	return a.String == b.String && a.Fret == b.Fret && a.How == b.How
}

// melodyMarginals: the hand of a state tells how the melody is played.
func (p *Plan) melodyMarginals(t int) []Alternative {
	var alts []Alternative
	for i := range p.layers[t] {
		s := &p.layers[t][i]
		h := &p.m.moments[t].hands[s.hand]
		alts = mergeAlternative(alts, Alternative{Part: Melody, String: h.str, Fret: h.fret, How: h.how,
			Extra: s.cost + p.togo[t][i].cost, via: link{int32(i), s.prev, s.bass, s.heel}})
	}
	return alts
}

// thumbMarginals looks at every step into moment t: a state keeps only its cheapest bass
// option.
func (p *Plan) thumbMarginals(t int) []Alternative {
	m, mo := p.m, &p.m.moments[t]
	index := indexStates(p.layers[t], len(mo.hands))
	rights := m.rights(mo)
	var alts []Alternative
	for g := range mo.hands {
		for _, in := range m.arrive(t, g, p.layers) {
			ts := m.after(rights[g], in.tl)
			for _, st := range m.arena[ts.lo:ts.hi] {
				i := lookup(index[g], &st)
				from := in.g[st.from]
				if i < 0 || from.cost == inf {
					continue
				}
				o := &rights[g].opts[st.bass]
				alts = mergeAlternative(alts, Alternative{Part: Thumb, String: o.str, Fret: o.fret, How: o.how,
					Extra: from.cost + st.cost + p.togo[t][i].cost, via: link{i, from.prev, st.bass, st.heel}})
			}
		}
	}
	return alts
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

// detour is a stretch of another plan: from its parting from this one to its return, the
// moment of the return included.
type detour struct {
	first  int // moment of states[0]
	states []state
}

// through rebuilds the best plan by way of v at moment t, as far as it differs.
func (p *Plan) through(t int, v link) detour {
	at := p.layers[t][v.state]
	at.prev, at.bass, at.heel = v.prev, v.bass, v.heel
	d := detour{first: t, states: []state{at}}
	for d.first > 0 && d.states[0].prev != p.path[d.first-1] {
		d.first--
		d.states = append([]state{p.layers[d.first][d.states[0].prev]}, d.states...)
	}
	for i := v.state; t+1 < len(p.layers); {
		a := p.togo[t][i]
		t, i = t+1, a.next
		next := p.layers[t][i]
		next.bass, next.heel = a.bass, a.heel
		d.states = append(d.states, next)
		if i == p.path[t] {
			break
		}
	}
	return d
}

// choices recomputes what is chosen along a detour.
func (p *Plan) choices(d detour) []choice {
	out := make([]choice, len(d.states))
	for i := range d.states {
		var before *state
		if t := d.first + i; i > 0 {
			before = &d.states[i-1]
		} else if t > 0 {
			before = &p.layers[t-1][p.path[t-1]]
		}
		out[i] = p.m.choiceAt(d.first+i, before, &d.states[i])
	}
	return out
}
