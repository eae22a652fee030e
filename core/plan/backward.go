package plan

import (
	"cmp"
	"context"
	"slices"

	"stepping/core/quiet"
)

// ahead is the best continuation of a state: its cost to the end, and the state of the next
// moment with the step there.
type ahead struct {
	cost float64
	next state // prev is meaningless
}

// backward answers what it costs to go on from any state. States that the forward pass met
// are answered from tables; others are worked out when asked for.
type backward struct {
	m      *model
	layers []layer
	togo   [][]ahead // of the kept states, and behind them of the rest
	extra  map[extraKey]ahead
	rounds map[int]*around

	scratch *stateIndex
}

type extraKey struct {
	t, hand int32
	live    quiet.Strings
	rho     rho
}

// around is what is needed to look at the changes into one moment.
type around struct {
	stage *stage
	index *stateIndex
	side  side
}

func (m *model) newAround(t int) *around {
	ar := &around{stage: m.stage(t)}
	ar.side.reset(m, ar.stage.mo)
	return ar
}

// around returns moment t's, kept for the next call.
func (p *Plan) around(t int) *around {
	if ar := p.stages[t]; ar != nil {
		return ar
	}
	const few = 4
	if p.stages == nil || len(p.stages) >= few {
		p.stages = map[int]*around{}
	}
	p.stages[t] = p.m.newAround(t)
	return p.stages[t]
}

// newBackward does the backward pass.
func (m *model) newBackward(ctx context.Context, layers []layer) (*backward, error) {
	bw := &backward{m: m, layers: layers, togo: make([][]ahead, len(layers)), extra: map[extraKey]ahead{}}
	last := len(layers) - 1
	bw.togo[last] = make([]ahead, len(layers[last].states)+len(layers[last].rest))
	var sd side
	for t := last; t > 0; t-- {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		st := m.stage(t)
		sd.reset(m, st.mo)
		bw.togo[t-1] = bw.pass(st, &sd)
	}
	return bw, nil
}

// pass finds the continuations of the states before st's moment.
func (bw *backward) pass(st *stage, sd *side) []ahead {
	before := &bw.layers[st.t-1]
	out := make([]ahead, len(before.states)+len(before.rest))
	for i := range out {
		out[i].cost = inf
	}
	bw.scratch = bw.newIndex(st.t, bw.scratch)
	for _, g := range bw.scratch.order {
		if bw.scratch.hand[g] == inf {
			break
		}
		r := sd.of(int(g))
		for i := range r.sets {
			r.sets[i].ready = false // values are of one hand
		}
		bw.into(st, sd, int(g), before.states, out[:len(before.states)])
		bw.into(st, sd, int(g), before.rest, out[len(before.states):])
	}
	return out
}

// into improves the continuations out of states by those through hand g.
func (bw *backward) into(st *stage, sd *side, g int, states []state, out []ahead) {
	last, ok := int32(-1), false
	var c change
	least := bw.scratch.hand[g]
	eachRun(states, func(lo, hi int) {
		if h := states[lo].hand; h != last {
			last = h
			c, ok = st.change(int(h), g)
		}
		if !ok {
			return
		}
		for _, w := range c.ways(st, int(last), g, false) {
			var set *actionSet
			for i := lo; i < hi; i++ {
				if w.cost+least >= out[i].cost {
					continue
				}
				if set == nil {
					tl := st.tailOf(&st.before[last], states[lo].live, &st.mo.hands[g])
					set = bw.valued(sd, sd.of(g), tl, w.a)
				}
				if v := bw.value(sd, set, states[i].rho, int32(st.t), int32(g)); w.cost+v.cost < out[i].cost {
					out[i] = ahead{w.cost + v.cost, v.next}
					out[i].next.a = w.a
				}
			}
		}
	})
}

// stateIndex finds the states of one moment, and bounds what the others cost to the end.
type stateIndex struct {
	at    []int32   // by hand, live strings and rho: the state's number plus one
	floor []float64 // by hand and live strings: the least cost to the end of a kept state …
	debt  float64   // … and how far below it another can lie
	order []int32   // hands by their least cost to the end
	hand  []float64 // that least cost, lowered by debt
}

// newIndex indexes layer t, whose continuations are known. old's memory is reused.
func (bw *backward) newIndex(t int, old *stateIndex) *stateIndex {
	ix, sets := old, len(bw.m.moments[t].hands)<<liveShift
	if ix == nil {
		ix = &stateIndex{}
	}
	ix.at = append(ix.at[:0], make([]int32, sets*rhos)...)
	ix.floor = ix.floor[:0]
	for range sets {
		ix.floor = append(ix.floor, inf)
	}
	ix.debt = bw.m.newDebts(t + 1).most()
	kept := len(bw.layers[t].states)
	for i := range bw.togo[t] {
		s := bw.layers[t].met(i)
		set := setOf(s.hand, s.live)
		ix.at[set*rhos+int(s.rho)] = int32(i + 1)
		if i < kept {
			ix.floor[set] = min(ix.floor[set], bw.togo[t][i].cost)
		}
	}
	ix.order, ix.hand = ix.order[:0], ix.hand[:0]
	for g := range bw.m.moments[t].hands {
		ix.order = append(ix.order, int32(g))
		ix.hand = append(ix.hand, slices.Min(ix.floor[g<<liveShift:(g+1)<<liveShift])-ix.debt)
	}
	slices.SortStableFunc(ix.order, func(a, b int32) int { return cmp.Compare(ix.hand[a], ix.hand[b]) })
	return ix
}

func setOf(hand int32, live quiet.Strings) int { return int(hand)<<liveShift | int(live>>liveShift) }

// find returns the number of a state that the forward pass met, -1 if it is not one.
func (ix *stateIndex) find(hand int32, live quiet.Strings, p rho) int32 {
	return ix.at[setOf(hand, live)*rhos+int(p)] - 1
}

// least bounds the cost to the end of any state from below.
func (ix *stateIndex) least(hand int32, live quiet.Strings) float64 {
	return ix.floor[setOf(hand, live)] - ix.debt
}

// met is the state with number i, those of the rest behind the kept.
func (l *layer) met(i int) *state {
	if i < len(l.states) {
		return &l.states[i]
	}
	return &l.rest[i-len(l.states)]
}

// valued returns the actions for a tail with room for the value of every rho before.
func (bw *backward) valued(sd *side, r *right, tl tail, a attack) *actionSet {
	set := sd.actions(r, tl, !a.legato())
	if !set.ready {
		if set.value == nil {
			set.value = make([]ahead, rhos)
		}
		for i := range set.value {
			set.value[i].cost = -1 // not known yet
		}
		set.ready = true
	}
	return set
}

// value returns the best way through hand g by set to the end, after rho p.
func (bw *backward) value(sd *side, set *actionSet, p rho, t, g int32) *ahead {
	v := &set.value[p]
	if v.cost < 0 {
		*v = bw.through(sd, set, p, t, g, bw.scratch)
	}
	return v
}

// through is the best way on by the actions of set after rho p. First the states that the
// forward pass met are looked at; the others only if they can be better.
func (bw *backward) through(sd *side, set *actionSet, p rho, t, g int32, index *stateIndex) ahead {
	out := ahead{cost: inf}
	outdone := false
	for j := set.lo; j < set.hi; j++ {
		a := &sd.arena[j]
		i := index.find(g, a.live, p.after(a))
		if i < 0 {
			outdone = true
		} else if cost := a.cost + sd.turn(p, a) + bw.togo[t][i].cost; cost < out.cost {
			out = ahead{cost, bw.reached(g, p, a)}
		}
	}
	for j := set.lo; outdone && j < set.hi; j++ {
		a := &sd.arena[j]
		cost := a.cost + sd.turn(p, a)
		if index.find(g, a.live, p.after(a)) >= 0 || cost+index.least(g, a.live) >= out.cost {
			continue
		}
		if cost += bw.from(extraKey{t, g, a.live, p.after(a)}).cost; cost < out.cost {
			out = ahead{cost, bw.reached(g, p, a)}
		}
	}
	return out
}

// reached is the state that action a leads to.
func (bw *backward) reached(g int32, p rho, a *action) state {
	return state{hand: g, live: a.live, rho: p.after(a), step: step{bass: a.bass, own: a.own}}
}

// from is the best continuation of any state.
func (bw *backward) from(k extraKey) ahead {
	if int(k.t) == len(bw.layers)-1 {
		return ahead{}
	}
	if v, ok := bw.extra[k]; ok {
		return v
	}
	t := int(k.t) + 1
	ar, index := bw.round(t)
	out := ahead{cost: inf}
	for _, g := range index.order {
		if index.hand[g] >= out.cost {
			break
		}
		g := int(g)
		c, ok := ar.stage.change(int(k.hand), g)
		if !ok {
			continue
		}
		tl := ar.stage.tailOf(&ar.stage.before[k.hand], k.live, &ar.stage.mo.hands[g])
		for _, w := range c.ways(ar.stage, int(k.hand), g, false) {
			if w.cost+index.hand[g] >= out.cost {
				continue
			}
			set := ar.side.actions(ar.side.of(g), tl, !w.a.legato())
			if v := bw.through(&ar.side, set, k.rho, int32(t), int32(g), index); w.cost+v.cost < out.cost {
				out = ahead{w.cost + v.cost, v.next}
				out.next.a = w.a
			}
		}
	}
	bw.extra[k] = out
	return out
}

// round returns what is needed to look at the changes into moment t. A few are kept: asking
// goes moment by moment.
func (bw *backward) round(t int) (*around, *stateIndex) {
	const few = 8
	if bw.rounds[t] == nil {
		if bw.rounds == nil || len(bw.rounds) >= few {
			bw.rounds = map[int]*around{}
		}
		ar := bw.m.newAround(t)
		ar.index = bw.newIndex(t, nil)
		bw.rounds[t] = ar
	}
	return bw.rounds[t], bw.rounds[t].index
}
