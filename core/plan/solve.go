package plan

import (
	"context"
	"math"
	"slices"
	"sync"

	"stepping/core/ring"
)

// state is what the next moment can feel of the choices so far, and which choices they were.
type state struct {
	cost float64
	prev int32 // index of the state before, -1 at the first moment
	place
}

// place is a state without its history.
type place struct {
	hand int32 // index into the moment's hands
	pick pickState
	live ring.Strings
	step
}

// step is how a state was reached from the one before.
type step struct {
	a             attack
	bass, stopper uint8 // bass option; digit on the ended string
}

var inf = math.Inf(1)

// layer is the states of one moment: by hand, and for each hand by live strings.
type layer struct {
	states    []state
	picks     []pickState // those that occur
	dominated []state     // no best plan needs them, but an alternative may
}

// numbers gives the picking states of a layer their place in it, -1 for the others.
func (l *layer) numbers() (t [pickStates]int16) {
	for i := range t {
		t[i] = -1
	}
	for i, p := range l.picks {
		t[p] = int16(i)
	}
	return t
}

// eachRun calls f for every run of states with the same hand and live strings.
func eachRun(states []state, f func(lo, hi int)) {
	for lo := 0; lo < len(states); {
		hi := lo + 1
		for hi < len(states) && states[hi].hand == states[lo].hand && states[hi].live == states[lo].live {
			hi++
		}
		f(lo, hi)
		lo = hi
	}
}

// arrival is the cheapest way into a picking state before the picking hand has chosen.
type arrival struct {
	cost float64
	prev int32
	a    attack
}

// inflow collects the arrivals of one hand for one ringIn: plucked, or by one legato attack.
type inflow struct {
	ringIn ringIn
	a      attack // plain stands for all that is plucked
	cells  []arrival
	least  float64 // of the cells
}

// search is the working memory of a pass through the moments.
type search struct {
	m     *model
	pick  *pickStage
	flows []inflow

	// of the present moment
	st      *stage
	before  *layer
	picks   []pickState // that occur before
	number  [pickStates]int16
	runs    []run
	byShape []shapeFlows
	into    []reached // by number of the pose
	flow    int       // number of the one under way

	file       collector
	least      [8 * attacks]int32 // the cheapest flow of each kind
	dominances *dominance         // of the picking states before the present moment
}

// searches are those that nobody uses, with their memory.
var searches = sync.Pool{New: func() any { return &search{} }}

func newSearch(m *model, pick *pickStage) *search {
	sr := searches.Get().(*search)
	sr.m, sr.pick = m, pick
	return sr
}

// letGo leaves the memory to another search.
func (sr *search) letGo() {
	sr.m, sr.pick, sr.st, sr.before, sr.picks, sr.dominances = nil, nil, nil, nil, nil, nil
	clear(sr.byShape)
	searches.Put(sr)
}

// forward runs the search from the first moment to the last and keeps every state at its least cost; with w
// only what w allows. If no state is left at a moment, rule says which hand fails there. ctx stops it between
// moments.
func (m *model) forward(ctx context.Context, w *pruning) (layers []layer, rule string, err error) {
	layers = make([]layer, len(m.moments))
	rule, err = m.forwardOver(ctx, w, layers, span{0, len(layers)}, len(layers))
	return layers, rule, err
}

// forwardOver is forward over a stretch of the moments, of which the layer before is known. From moment whole on it keeps
// also the states that others dominate.
func (m *model) forwardOver(ctx context.Context, w *pruning, layers []layer, over span, whole int) (rule string, err error) {
	scratch := newPickStage()
	defer scratch.letGo()
	sr := newSearch(m, scratch)
	defer sr.letGo()
	var before *layer
	if over.lo > 0 {
		before = &layers[over.lo-1]
	}
	for t := over.lo; t < over.hi; t++ {
		if err := ctx.Err(); err != nil {
			return "", err
		}
		if m.req.Progress != nil {
			m.req.Progress(t, len(m.moments))
		}
		st := m.stage(t)
		if t >= whole {
			sr.pick = m.pickStage(t, scratch)
		} else {
			sr.pick = scratch
			sr.pick.reset(m, st.mo)
		}
		sr.dominances = m.dominanceFrom(t)
		sr.enterFrom(st, before)
		cheapest := 0.0
		if before != nil {
			cheapest = before.states[best(before.states)].cost
		}
		w.look(t, cheapest)
		left := sr.allHands(t, cheapest, w)
		if layers[t] = sr.file.layer(m, t, w, t >= whole); len(layers[t].states) == 0 && w.widen() {
			sr.pick.reset(m, st.mo)
			left = sr.allHands(t, cheapest, w)
			layers[t] = sr.file.layer(m, t, w, t >= whole)
		}
		if m.stages == nil {
			clear(st.mo.options)
		}
		if len(layers[t].states) == 0 {
			return st.failed(left), nil
		}
		before = &layers[t]
	}
	return "", nil
}

// allHands files the states of every hand of moment t that is not hopeless, and returns how many
// flows came in.
func (sr *search) allHands(t int, cheapest float64, w *pruning) (arrived int) {
	for g := range sr.st.mo.hands {
		if !w.hopeless(t, g, cheapest+sr.st.mo.hands[g].ownCost) {
			arrived += sr.choose(t, g, sr.arrive(g, w.budget(t, g), false), w)
		}
	}
	return arrived
}

// failed names the rule that leaves no state at a moment.
func (st *stage) failed(arrivals int) string {
	switch {
	case len(st.mo.hands) == 0:
		return ruleLeft
	case arrivals == 0:
		return ruleChange
	}
	return ruleRight
}

var firstPicks = []pickState{0}

// shapeFlows are ways into the hands of one shape: what rings in with the runs of states before.
type shapeFlows struct {
	ringIns []ringIn
	of      []int32 // ringIn of each run, by number
}

// run is the states before with one hand and one set of live strings.
type run struct {
	lo, hi int
	hand   int32
	least  float64 // of their costs
}

// enterFrom prepares for the changes from the layer before, nil at the first moment.
func (sr *search) enterFrom(st *stage, before *layer) {
	sr.st, sr.before, sr.runs, sr.picks = st, before, sr.runs[:0], firstPicks
	if before != nil {
		sr.picks = before.picks
		sr.number = before.numbers()
		eachRun(before.states, func(lo, hi int) {
			states := before.states[lo:hi]
			sr.runs = append(sr.runs, run{lo, hi, states[0].hand, states[best(states)].cost})
		})
	}
	sr.byShape = append(sr.byShape[:0], make([]shapeFlows, len(st.mo.shapes))...)
}

// shape finds what rings in with the runs for the shape of g.
func (sr *search) shape(g *hand) *shapeFlows {
	sf := &sr.byShape[g.shape]
	if sf.of != nil {
		return sf
	}
	sf.of = make([]int32, len(sr.runs))
	for i, r := range sr.runs {
		ri := sr.st.ringInAfter(&sr.st.before[r.hand], sr.before.states[r.lo].live, g)
		n := 0
		for n < len(sf.ringIns) && sf.ringIns[n] != ri {
			n++
		}
		if n == len(sf.ringIns) {
			sf.ringIns = append(sf.ringIns, ri)
		}
		sf.of[i] = int32(n)
	}
	return sf
}

// arrive finds the cheapest arrivals at hand g, of those that cost no more than the budget. With split,
// gliding into a note is kept apart from striking it plainly. The result is good until the next call.
func (sr *search) arrive(g int, budget float64, split bool) []inflow {
	sr.flows = sr.flows[:0]
	st, to := sr.st, &sr.st.mo.hands[g]
	if sr.before == nil {
		if c, ok := st.change(-1, g); ok {
			for _, w := range c.ways(st, -1, g, split) {
				sr.flowOf(ringIn{}, w.a, split).cells[0].keepCheaper(w.cost, -1, w.a)
			}
		}
		return sr.flows
	}
	sf := sr.shape(to)
	for _, ri := range sf.ringIns {
		sr.open(ri, plain) // the first flows are the plucked ones, by ringIn
	}
	last, ok := int32(-1), false
	var ways []way
	for i := range sr.runs {
		r := &sr.runs[i]
		if r.least+to.ownCost > budget {
			continue
		}
		if r.hand != last {
			var c change
			last = r.hand
			if c, ok = st.change(int(last), g); ok {
				ways = c.ways(st, int(last), g, split)
			}
		}
		if !ok {
			continue
		}
		for _, w := range ways {
			if r.least+w.cost > budget {
				continue
			}
			f := &sr.flows[sf.of[i]]
			if w.a.legato() || split && w.a != plain {
				f = sr.flowOf(sf.ringIns[sf.of[i]], w.a, split)
			}
			for j := r.lo; j < r.hi; j++ {
				s := &sr.before.states[j]
				f.cells[sr.number[s.pick]].keepCheaper(s.cost+w.cost, int32(j), w.a)
			}
		}
	}
	return sr.flows
}

// keepCheaper keeps the cheaper arrival, the first of equals.
func (a *arrival) keepCheaper(cost float64, prev int32, by attack) {
	if cost < a.cost {
		*a = arrival{cost, prev, by}
	}
}

// way is one of a change's: its left-hand cost and attack.
type way struct {
	cost float64
	a    attack
}

// ways lists how change c sounds the note: by the left hand, and plucked; with split, plainly
// and by gliding in, else the cheaper of the two.
func (c *change) ways(st *stage, i, g int, split bool) []way {
	out := st.ways[:0]
	if c.legato < inf {
		out = append(out, way{c.legato, c.a})
	}
	if c.pluck == inf {
		return out
	}
	k := st.lastPositionOf(i)
	br, to := st.repositionFrom(k, g), &st.mo.hands[g]
	switch {
	case split && st.mo.note >= 0 && to.slide:
		for _, a := range []attack{plain, scoop} {
			if a == scoop && !st.scoops(to) || !st.mo.attackAllowed(to, a) {
				continue
			}
			y := tally{}
			st.beginCost(k, to, a, &y)
			out = append(out, way{c.pluck - br.begin + y.sum, a})
		}
	case st.mo.note >= 0 && br.scoop:
		out = append(out, way{c.pluck, scoop})
	default:
		out = append(out, way{c.pluck, plain})
	}
	return out
}

func (st *stage) lastPositionOf(i int) int {
	if i < 0 {
		return len(st.lastPositions) - 1
	}
	return int(st.of[i])
}

// flowOf returns the flow for a ringIn and attack. Unless they are split, a glide into a note goes
// with the plucked.
func (sr *search) flowOf(ri ringIn, a attack, split bool) *inflow {
	if a == scoop && !split {
		a = plain
	}
	for i := range sr.flows {
		if sr.flows[i].ringIn == ri && sr.flows[i].a == a {
			return &sr.flows[i]
		}
	}
	return sr.open(ri, a)
}

// open adds a flow.
func (sr *search) open(ri ringIn, a attack) *inflow {
	n := len(sr.flows)
	if n < cap(sr.flows) {
		sr.flows = sr.flows[:n+1]
	} else {
		sr.flows = append(sr.flows, inflow{})
	}
	f := &sr.flows[n]
	f.ringIn, f.a = ri, a
	if cap(f.cells) < len(sr.picks) {
		f.cells = make([]arrival, len(sr.picks), sr.m.pickStateCount())
	}
	f.cells = f.cells[:len(sr.picks)]
	for i := range f.cells {
		f.cells[i].cost = inf
	}
	return f
}

// choose lets the picking hand choose after the arrivals and files the states reached; it
// returns how many flows came in.
func (sr *search) choose(t, g int, flows []inflow, w *pruning) (arrived int) {
	r, budget := sr.pick.of(g), w.budget(t, g)
	sr.file.begin(int32(g))
	sr.cheapest(r, flows)
	for i := range flows {
		f := &flows[i]
		if sr.flowDominated(r, flows, f) {
			continue
		}
		arrived++
		if w != nil && w.hopeless(t, g, f.least+r.leastPickCost(sr.m, !f.a.legato(), f.ringIn.ended)) {
			continue
		}
		set := sr.pick.actions(r, f.ringIn, !f.a.legato(), budget-f.least)
		sr.eachReached(set, f, budget, func(cost float64, p pickState, a *action, bass uint8, in *arrival) {
			sr.file.offer(cost, p.after(a.pose), a, bass, in)
		})
	}
	sr.file.flush()
	return arrived
}

// eachReached calls each for every action of set after the arrivals of f, with the arrival and its
// picking state, and the cost with the action. Of the arrivals that lead to the same picking state by one action, only
// the cheapest is taken. What costs more than the budget may be left out.
func (sr *search) eachReached(set *actionSet, f *inflow, budget float64, each func(cost float64, p pickState, a *action, bass uint8, in *arrival)) {
	sr.flow++
	for len(sr.into) < len(sr.pick.poses) {
		sr.into = append(sr.into, reached{})
	}
	for k := range set.parts {
		p := &set.parts[k]
		for j := range p.actions {
			a := &p.actions[j]
			cost := p.sum + a.cost
			if f.least+cost > budget {
				break // they come by cost
			}
			if a.mask != keepMask {
				if in := sr.intoPose(f, a); in.cost < inf {
					each(in.cost+cost, in.pick, a, p.bass, &f.cells[in.cell])
				}
				continue
			}
			for n := range f.cells {
				if in := &f.cells[n]; in.cost < inf {
					each(in.cost+cost+sr.pick.turns(a.of, sr.picks)[n], sr.picks[n], a, p.bass, in)
				}
			}
		}
	}
}

// reached is the cheapest way of a flow into a pose.
type reached struct {
	flow int       // it was worked out for that one
	cost float64   // turn included
	pick pickState // before
	cell int
}

// intoPose finds the way into a's among the arrivals of f, the first of equals by the state before.
func (sr *search) intoPose(f *inflow, a *action) *reached {
	out := &sr.into[a.of]
	if out.flow == sr.flow {
		return out
	}
	*out = reached{flow: sr.flow, cost: inf}
	turns := sr.pick.turns(a.of, sr.picks)
	for n := range f.cells {
		in := &f.cells[n]
		if cost := in.cost + turns[n]; cost < out.cost || cost == out.cost && in.prev < f.cells[out.cell].prev {
			out.cost, out.pick, out.cell = cost, sr.picks[n], n
		}
	}
	return out
}

// cheapest notes each flow's least cost, and for every live set the flow that has the least.
func (sr *search) cheapest(r *pickShape, flows []inflow) {
	for i := range sr.least {
		sr.least[i] = -1
	}
	for i := range flows {
		f := &flows[i]
		if f.leastOf() == inf {
			continue
		}
		if best := &sr.least[f.kind()]; *best < 0 || f.least < flows[*best].least {
			*best = int32(i)
		}
	}
}

// leastOf finds the least cost of f's cells.
func (f *inflow) leastOf() float64 {
	f.least = inf
	for n := range f.cells {
		f.least = min(f.least, f.cells[n].cost)
	}
	return f.least
}

// kind tells flows apart that may not stand in for each other: live strings and attack.
func (f *inflow) kind() int { return int(f.ringIn.live>>liveShift) | int(f.a)<<liveShift }

// flowDominated reports whether the cheapest flow of f's kind is cheaper by more than all that
// it can have to pay for other strings ringing in than f's: those that f does not have can be
// left to leak, those that only f has may ring in sympathy instead, and the picking hand may
// have to turn.
func (sr *search) flowDominated(r *pickShape, flows []inflow, f *inflow) bool {
	if f.least == inf {
		return true
	}
	b := &flows[sr.least[f.kind()]]
	gap := f.least - b.least - sr.dominances.most()
	if b == f || gap <= 0 || r.pins.demanded() != 0 {
		return false
	}
	for s := 1; s <= 6; s++ {
		switch mine, its := f.ringIn.unw.Has(s), b.ringIn.unw.Has(s); {
		case its && mine:
			gap -= max(0, r.ringInLeak(b.ringIn, s)-r.ringInLeak(f.ringIn, s))
		case its:
			gap -= max(r.ringInLeak(b.ringIn, s), sr.m.restMost)
		case mine:
			gap -= 2 * sr.m.w.Sympathy
		}
	}
	return gap > 0
}

// order is the place of a state among those of its hand.
func (s *place) order() int { return int(s.live)<<16 | int(s.pick) }

// collector gathers the states of one moment, hand by hand. Only strings 4 to 6 can be live.
type collector struct {
	states []state
	hand   int32
	at     [8][pickStates]int32 // place of a live set and picking state among states, plus one
	used   []state              // of the present hand
	kept   []state              // scratch of layer …
	rest   []state              // … and of its dominated states
}

const liveShift = 3

func (c *collector) begin(hand int32) { c.hand = hand }

func (c *collector) offer(cost float64, p pickState, a *action, bass uint8, in *arrival) {
	at := &c.at[a.live>>liveShift][p]
	if *at == 0 {
		c.used = append(c.used, state{cost: inf})
		*at = int32(len(c.used))
	}
	if s := &c.used[*at-1]; cost < s.cost || cost == s.cost && in.prev < s.prev {
		*s = state{cost, in.prev, place{c.hand, p, a.live, step{in.a, bass, a.stopper}}}
	}
}

// flush moves the present hand's states to the others, in an order that does not depend on what
// else was found: by live strings and picking state.
func (c *collector) flush() {
	for i := range c.used {
		c.at[c.used[i].live>>liveShift][c.used[i].pick] = 0
	}
	slices.SortFunc(c.used, func(a, b state) int { return a.order() - b.order() })
	c.states = append(c.states, c.used...)
	c.used = c.used[:0]
}

// layer returns what was gathered for moment t, with the states that another dominates apart if
// they are wanted.
func (c *collector) layer(m *model, t int, w *pruning, whole bool) layer {
	c.states = w.narrow(t, c.states)
	d := m.dominanceFrom(t + 1)
	kept, rest := c.kept[:0], c.rest[:0]
	eachRun(c.states, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			switch {
			case !d.dominated(c.states[lo:hi], i-lo):
				kept = append(kept, c.states[i])
			case whole:
				rest = append(rest, c.states[i])
			}
		}
	})
	c.states, c.kept, c.rest = c.states[:0], kept, rest
	out := layer{states: slices.Clone(kept)}
	if whole {
		out.dominated = append([]state{}, rest...) // not nil
	}
	var seen [pickStates]bool
	for i := range kept {
		if p := kept[i].pick; !seen[p] {
			seen[p] = true
			out.picks = append(out.picks, p)
		}
	}
	return out
}

// best returns the index of the cheapest state, the first of equals; -1 if there is none.
func best(states []state) int {
	b := -1
	for i := range states {
		if b < 0 || states[i].cost < states[b].cost {
			b = i
		}
	}
	return b
}
