package plan

import (
	"cmp"
	"slices"
	"sync"

	"stepping/core/ring"
)

// successor is the best continuation of a state: its cost to the end, and the state of the next
// moment with the step there.
type successor struct {
	cost float64
	next place
}

// backward answers what it costs to go on from the states of some moments, lo to hi. States that the forward pass met
// are answered from tables; others are worked out when asked for. Unless hi is the last moment, its own
// costs to go are bounds: see edge.
type backward struct {
	m         *model
	plan      []state // the best
	layers    []layer // of the pass forward, as far as they are at hand
	own       int     // from here on they are those of another plan, see Plan.grow; else their number
	lo, hi    int
	costToGo  [][]successor // of the kept states, and behind them of the rest
	extra     map[extraKey]successor
	marginals map[int][]Alternative    // of the moments in the window that were asked about …
	dampers   map[damped][]Alternative // … and of strings there
	rounds    map[int]*around
	pass      int // number of the present pass, see setToGo

	// of the moment under way
	scratch *stateIndex
	before  pickNumbers
	missing []state // states whose costs to go are looked for …
	at      []int32 // … their numbers …
	found   []successor
}

// damped is a string at a moment.
type damped struct{ t, str int }

type extraKey struct {
	t, hand int32
	live    ring.Strings
	pick    pickState
}

// around is what is needed to look at the changes into one moment.
type around struct {
	stage *stage
	index *stateIndex
	pick  *pickStage
	own   bool // pick is nobody else's
}

// looks are stages of arounds that nobody uses. They are apart from those of passes, which have room for everything.
var looks = sync.Pool{New: func() any { return &pickStage{} }}

// letGo leaves its stage's memory to another.
func (ar *around) letGo() {
	if ar.own {
		ar.pick.m, ar.pick.mo, ar.pick.pins = nil, nil, nil
		looks.Put(ar.pick)
	}
}

func (m *model) newAround(t int) *around {
	if m.keepStages {
		return &around{stage: m.stage(t), pick: m.pickStage(t, nil)}
	}
	ar := &around{stage: m.stage(t), pick: looks.Get().(*pickStage), own: true}
	ar.pick.reset(m, ar.stage.mo)
	return ar
}

// around returns moment t's, kept for the next call.
func (p *Plan) around(t int) *around {
	if ar := p.stages[t]; ar != nil {
		return ar
	}
	const few = 24 // detours are no longer
	if p.stages == nil || len(p.stages) >= few {
		for t, ar := range p.stages {
			clear(p.m.moments[t].options)
			ar.letGo()
		}
		p.stages = map[int]*around{}
	}
	p.stages[t] = p.m.newAround(t)
	return p.stages[t]
}

// next is the place after s at moment t on the best way on.
func (bw *backward) next(t int, s place) place {
	for i := range bw.costToGo[t] {
		if bw.layers[t].met(i).same(&s) {
			return bw.costToGo[t][i].next
		}
	}
	return bw.from(s.key(t)).next
}

func (p place) key(t int) extraKey { return extraKey{int32(t), p.hand, p.live, p.pick} }

func (k extraKey) place() *place { return &place{hand: k.hand, pick: k.pick, live: k.live} }

// into finds the continuations of the states before st's moment, of which those that are certain in known stay.
func (bw *backward) into(st *stage, sd *pickStage, known []successor) []successor {
	before := &bw.layers[st.t-1]
	out := make([]successor, len(before.states)+len(before.dominated))
	bw.missing, bw.at, bw.found = bw.missing[:0], bw.at[:0], bw.found[:0]
	for i := range out {
		if i < len(known) && certain(known[i].cost) {
			out[i] = known[i]
			continue
		}
		bw.missing, bw.at, bw.found = append(bw.missing, *before.met(i)), append(bw.at, int32(i)), append(bw.found, successor{cost: inf})
	}
	bw.scratch = bw.newIndex(st.t, bw.scratch)
	bw.before.number(before)
	for _, g := range bw.scratch.order {
		if bw.scratch.hand[g] == inf {
			break
		}
		bw.through(st, sd, int(g), bw.missing, bw.found)
	}
	for k, i := range bw.at {
		out[i] = bw.found[k]
		out[i].cost += bw.beside(st.t-1, &bw.missing[k].place)
	}
	return out
}

// pickNumbers numbers the picking states that occur in a layer.
type pickNumbers struct {
	of    [pickStates]int16 // -1 for those that do not occur
	count int
}

func (pn *pickNumbers) number(l *layer) {
	pn.count = 0
	for i := range pn.of {
		pn.of[i] = -1
	}
	for i := range len(l.states) + len(l.dominated) {
		if n := &pn.of[l.met(i).pick]; *n < 0 {
			*n = int16(pn.count)
			pn.count++
		}
	}
}

// through improves the continuations out of states by those through hand g.
func (bw *backward) through(st *stage, sd *pickStage, g int, states []state, out []successor) {
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
					ri := st.ringInAfter(&st.before[last], states[lo].live, &st.mo.hands[g])
					set = sd.actions(sd.of(g), ri, !w.a.legato(), inf)
					bw.prepare(set, st.t, g, bw.scratch)
				}
				if w.cost+set.toGo.least > out[i].cost {
					continue
				}
				if v := bw.value(sd, set, states[i].pick, st.t, g); v.cost < inf && w.cost+v.cost <= out[i].cost {
					out[i].keepBetter(v.successor(w.cost, g, states[i].pick, w.a))
				}
			}
		}
	})
}

// stateIndex finds the states of one moment, and bounds what the others cost to the end.
type stateIndex struct {
	picks   pickNumbers
	at      []int32   // by hand, live strings and number of the picking state: the state's number plus one
	minToGo []float64 // by hand and live strings: the least cost to the end of a kept state …
	gap     float64   // … and how far below it another can lie
	order   []int32   // hands by their least cost to the end
	hand    []float64 // that least cost, lowered by the dominance gap
}

// newIndex indexes layer t, whose continuations are known. old's memory is reused.
func (bw *backward) newIndex(t int, old *stateIndex) *stateIndex {
	ix, sets := old, len(bw.m.moments[t].hands)<<liveShift
	if ix == nil {
		ix = &stateIndex{}
	}
	ix.picks.number(&bw.layers[t])
	ix.at = append(ix.at[:0], make([]int32, sets*ix.picks.count)...)
	ix.minToGo = ix.minToGo[:0]
	for range sets {
		ix.minToGo = append(ix.minToGo, inf)
	}
	ix.gap = bw.m.dominanceFrom(t+1).most() + inDoubt
	kept := len(bw.layers[t].states)
	for i := range bw.costToGo[t] {
		s := bw.layers[t].met(i)
		set := setOf(int(s.hand), s.live)
		ix.at[set*ix.picks.count+int(ix.picks.of[s.pick])] = int32(i + 1)
		if i < kept {
			ix.minToGo[set] = min(ix.minToGo[set], bw.costToGo[t][i].cost)
		}
	}
	ix.order, ix.hand = ix.order[:0], ix.hand[:0]
	for g := range bw.m.moments[t].hands {
		ix.order = append(ix.order, int32(g))
		ix.hand = append(ix.hand, slices.Min(ix.minToGo[g<<liveShift:(g+1)<<liveShift])-ix.gap)
	}
	slices.SortStableFunc(ix.order, func(a, b int32) int { return cmp.Compare(ix.hand[a], ix.hand[b]) })
	return ix
}

func setOf(hand int, live ring.Strings) int { return hand<<liveShift | int(live>>liveShift) }

// find returns the number of a state that the forward pass met, -1 if it is not one.
func (ix *stateIndex) find(hand int, live ring.Strings, p pickState) int32 {
	n := ix.picks.of[p]
	if n < 0 {
		return -1
	}
	return ix.at[setOf(hand, live)*ix.picks.count+int(n)] - 1
}

// least bounds the cost to the end of any state from below.
func (ix *stateIndex) least(hand int, live ring.Strings) float64 {
	return ix.minToGo[setOf(hand, live)] - ix.gap
}

// met is the state with number i, those of the rest behind the kept.
func (l *layer) met(i int) *state {
	if i < len(l.states) {
		return &l.states[i]
	}
	return &l.dominated[i-len(l.states)]
}

// setToGo is what comes after the actions of a set through one hand.
type setToGo struct {
	pass  int // of backward: one that was before
	hand  int
	best  []actionToGo // the best way on by each pose that occurs, before its turn
	other []actionToGo // ways that are in none of them, without what comes after: see prepare
	least float64      // no way on costs less, whatever came before
	value []actionToGo // by number of the picking state before, turn included
	known []bool       // of value
}

// actionToGo is an action with its bass option, and what it costs to the end.
type actionToGo struct {
	cost float64
	a    *action
	bass uint8
}

// prepare works out what comes after the actions of set through hand g of moment t, unless that
// is done. Actions that keep the digits as they were, so that each picking state before leads on to another,
// and those that lead to a state that the forward pass did not meet are put aside.
func (bw *backward) prepare(set *actionSet, t, g int, index *stateIndex) *setToGo {
	if set.toGo == nil {
		set.toGo = &setToGo{hand: -1}
	}
	on := set.toGo
	if on.hand == g && on.pass == bw.pass {
		return on
	}
	on.pass, on.hand, on.least, on.best, on.other, on.known = bw.pass, g, inf, on.best[:0], on.other[:0], on.known[:0]
	for k := range set.parts {
		p := &set.parts[k]
		for j := range p.actions {
			a, i := &p.actions[j], int32(-1)
			cost := p.sum + a.cost
			if a.mask != keepMask {
				i = index.find(g, a.live, pickState(0).after(a.pose))
			}
			if i < 0 {
				on.other = append(on.other, actionToGo{cost, a, p.bass})
				on.least = min(on.least, cost+index.least(g, a.live))
				continue
			}
			cost += bw.costToGo[t][i].cost
			on.least = min(on.least, cost)
			on.keepBest(actionToGo{cost, a, p.bass})
		}
	}
	return on
}

// keepBest keeps f if nothing better is known for its pose.
func (on *setToGo) keepBest(f actionToGo) {
	for k := range on.best {
		if b := &on.best[k]; b.a.of == f.a.of {
			if f.before(b) {
				*b = f
			}
			return
		}
	}
	on.best = append(on.best, f)
}

// value returns the best way by set to the end after picking state p, one of those before the moment under way.
func (bw *backward) value(sd *pickStage, set *actionSet, p pickState, t, g int) *actionToGo {
	on := set.toGo
	if len(on.known) == 0 {
		on.known = append(on.known, make([]bool, bw.before.count)...)
		on.value = append(on.value[:0], make([]actionToGo, bw.before.count)...)
	}
	n := bw.before.of[p]
	if !on.known[n] {
		on.known[n], on.value[n] = true, bw.by(sd, set, p, t, g, bw.scratch)
	}
	return &on.value[n]
}

// by is the best way on by the actions of set, prepared for hand g, after picking state p. Of those that
// are put aside, first those that lead to states that the forward pass met are looked at; the
// others only if they can be better.
func (bw *backward) by(sd *pickStage, set *actionSet, p pickState, t, g int, index *stateIndex) actionToGo {
	out, on := actionToGo{cost: inf}, set.toGo
	for _, f := range on.best {
		if f.cost < out.cost {
			out.keepCheaper(f, sd.turn(p, f.a.pose))
		}
	}
	for _, f := range on.other {
		if i := index.find(g, f.a.live, p.after(f.a.pose)); i >= 0 {
			out.keepCheaper(f, sd.turn(p, f.a.pose)+bw.costToGo[t][i].cost)
		}
	}
	for _, f := range on.other {
		turn, next := sd.turn(p, f.a.pose), p.after(f.a.pose)
		if f.cost+turn+index.least(g, f.a.live) < out.cost && index.find(g, f.a.live, next) < 0 {
			out.keepCheaper(f, turn+bw.from(extraKey{int32(t), int32(g), f.a.live, next}).cost)
		}
	}
	return out
}

// before reports whether f is cheaper than g, or of equal ones the first by what is done.
func (f *actionToGo) before(g *actionToGo) bool {
	return f.cost < g.cost || f.cost == g.cost && g.a != nil && cmp.Or(cmp.Compare(f.bass, g.bass), f.a.place()-g.a.place()) < 0
}

// keepCheaper keeps f with what is more to pay, if that is better.
func (out *actionToGo) keepCheaper(f actionToGo, more float64) {
	if f.cost += more; f.before(out) {
		*out = f
	}
}

// keepBetter keeps the cheaper continuation, of equal ones the first by where it leads.
func (v *successor) keepBetter(w successor) {
	if w.cost < v.cost || w.cost == v.cost && w.next.compare(&v.next) < 0 {
		*v = w
	}
}

// compare orders places by all that tells them apart.
func (p *place) compare(q *place) int {
	return cmp.Or(cmp.Compare(p.hand, q.hand), cmp.Compare(p.order(), q.order()), cmp.Compare(p.a, q.a),
		cmp.Compare(p.bass, q.bass), cmp.Compare(p.stopper, q.stopper))
}

// successor is f after picking state p as a continuation through hand g, by attack a and for left more.
func (f *actionToGo) successor(left float64, g int, p pickState, a attack) successor {
	return successor{left + f.cost, place{int32(g), p.after(f.a.pose), f.a.live, step{a, f.bass, f.a.stopper}}}
}

// from is the best continuation of any state.
func (bw *backward) from(k extraKey) successor {
	if int(k.t) == bw.hi {
		return successor{cost: bw.edge(k.place())}
	}
	if v, ok := bw.extra[k]; ok {
		return v
	}
	t := int(k.t) + 1
	ar, index := bw.round(t)
	out := successor{cost: inf}
	for _, g := range index.order {
		if index.hand[g] >= out.cost {
			break
		}
		g := int(g)
		c, ok := ar.stage.change(int(k.hand), g)
		if !ok {
			continue
		}
		ri := ar.stage.ringInAfter(&ar.stage.before[k.hand], k.live, &ar.stage.mo.hands[g])
		for _, w := range c.ways(ar.stage, int(k.hand), g, false) {
			if w.cost+index.hand[g] >= out.cost {
				continue
			}
			set := ar.pick.actions(ar.pick.of(g), ri, !w.a.legato(), inf)
			if w.cost+bw.prepare(set, t, g, index).least > out.cost {
				continue
			}
			if v := bw.by(ar.pick, set, k.pick, t, g, index); v.cost < inf && w.cost+v.cost <= out.cost {
				out.keepBetter(v.successor(w.cost, g, k.pick, w.a))
			}
		}
	}
	out.cost += bw.beside(int(k.t), k.place())
	bw.extra[k] = out
	return out
}

// round returns what is needed to look at the changes into moment t of the window.
func (bw *backward) round(t int) (*around, *stateIndex) {
	if bw.rounds[t] == nil {
		if bw.rounds == nil {
			bw.rounds = map[int]*around{}
		}
		ar := bw.m.newAround(t)
		ar.index = bw.newIndex(t, nil)
		bw.rounds[t] = ar
	}
	return bw.rounds[t], bw.rounds[t].index
}

// letGo drops what only one question needs.
func (bw *backward) letGo() {
	for _, ar := range bw.rounds {
		ar.letGo()
	}
	bw.rounds, bw.scratch, bw.missing, bw.at, bw.found = nil, nil, nil, nil, nil
}
