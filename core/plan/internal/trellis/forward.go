package trellis

import (
	"cmp"
	"math/bits"
	"slices"
)

func trailing(word uint64) int { return bits.TrailingZeros64(word) }

// ToGo bounds what it costs from a state of a moment to the end, from below.
type ToGo interface {
	Least(node int) Cost
	From(node int, tag uint8, p Pick) Cost
}

// Limit says what a pass forward may leave out: what cannot be part of a whole of at most Total; with a Beam, all but about so
// many states, and nodes that promise more than Slack above the most promising one.
type Limit struct {
	ToGo
	Total Cost
	Beam  int
	Slack Cost
	Owed  Cost                                 // more than what ToGo says of a node is what its picks can owe: not all are known to it
	Loose bool                                 // ToGo says nothing about nodes
	Allow func(node int, by, label uint8) bool // nil allows all
}

func (w *Limit) budget(g int) Cost {
	switch {
	case w == nil || w.ToGo == nil:
		return Inf
	case w.Loose:
		return w.Total
	}
	return w.Total - w.Least(g) + w.Owed
}

// Pass is the working memory of passes over the moments, one after the other.
type Pass struct {
	Flows int // that came into the moment looked at last

	st      *Stage
	before  []State
	off     Cost // what the costs before lie below the true ones
	runs    []run
	picks   []Pick // that occur before …
	number  [Picks]int16
	flows   []flow
	ofRing  []int16 // the flow of what is struck, by number of the ring; -1 if there is none
	split   bool    // the two ways to begin are apart
	cost    []Cost  // of the flows' cells, by flow and number of the pick
	prev    []int32 // the states before
	cells   []cell  // of the present flow, those that are reached
	into    [poses]reached
	rows    [poses]turns
	turned  []Cost
	stageNo int32 // tells stages apart
	flowNo  int32 // and flows

	grid   [Tags][Picks]int32 // numbers of the present node's states, plus one
	has    [Tags]pickSet
	used   []State
	best   [Tags]Cost // of the present node's states
	states []State
	kept   []State
	total  []Cost
	values []value // of a pass backward
	worst  []Cost  // of the costs to go of each run
	seen   []Pose

	left, reached pickSet // the picks before, and now
	keeps         uint16  // places of the poses that keep masks, of this stage
}

// run is the states before with one node and tag.
type run struct {
	lo, hi int
	node   int
	trace  uint16
	tag    uint8
	least  Cost
}

// view is what rings into the nodes of one view, as far as it was asked about, and the actions then.
type view struct {
	known bool
	rings []uint32
	at    []int16 // number of the ring, by trace and tag before; -1 if it was not asked about
	sets  []set   // by twice the number of the ring, struck ones first
}

// flow is the arrivals at a node that can go on alike.
type flow struct {
	ring   int16
	by     uint8
	struck bool
	split  bool // others of its ring and by are apart
	least  Cost
}

// reached is the cheapest way of a flow into a pose, turn included.
type reached struct {
	flow int32
	prev int32
	cost Cost
}

// cell is the cheapest arrival with a pick.
type cell struct {
	cost Cost
	prev int32
	n    int32 // number of the pick
}

// turns is where in turned the prices of a pose after the picks before stand.
type turns struct{ stage, at int32 }

// enter prepares for the changes from before.
func (p *Pass) enter(st *Stage, before *Layer, off Cost) {
	p.st, p.before, p.off, p.left = st, before.States, off, before.reached
	p.stageNo++
	p.turned, p.picks, p.runs, p.keeps, p.reached = p.turned[:0], p.picks[:0], p.runs[:0], 0, pickSet{}
	for i := range p.number {
		p.number[i] = -1
	}
	for lo := 0; lo < len(p.before); {
		s := &p.before[lo]
		r := run{lo: lo, node: int(s.Node), trace: st.Before[s.Node].Trace, tag: s.Tag, least: Inf}
		hi := lo
		for ; hi < len(p.before) && p.before[hi].Node == s.Node && p.before[hi].Tag == s.Tag; hi++ {
			b := &p.before[hi]
			r.least = min(r.least, b.Cost+off)
			if p.number[b.Pick] < 0 {
				p.number[b.Pick] = int16(len(p.picks))
				p.picks = append(p.picks, b.Pick)
			}
		}
		r.hi = hi
		p.runs = append(p.runs, r)
		lo = hi
	}
	slices.SortFunc(p.runs, func(a, b run) int { return cmp.Or(cmp.Compare(a.least, b.least), a.lo-b.lo) })
}

// view returns what rings into a view.
func (st *Stage) view(n uint16) *view {
	for len(st.views) < st.Views {
		st.views = append(st.views, view{})
	}
	v := &st.views[n]
	if !v.known {
		v.known, v.rings, v.sets = true, v.rings[:0], v.sets[:0]
		v.at = slices.Grow(v.at[:0], st.Traces*Tags)[:st.Traces*Tags]
		for i := range v.at {
			v.at[i] = -1
		}
	}
	return v
}

// ring is the number of what rings into view n after a trace and tag.
func (st *Stage) ring(n uint16, v *view, trace uint16, tag uint8) int16 {
	at := &v.at[int(trace)*Tags+int(tag)]
	if *at < 0 {
		ring := st.Source.Ring(trace, tag, n)
		k := slices.Index(v.rings, ring)
		if k < 0 {
			k = len(v.rings)
			v.rings, v.sets = append(v.rings, ring), append(v.sets, set{}, set{})
		}
		*at = int16(k)
	}
	return *at
}

// set is the parts of a view for one ring, and their actions once they are priced.
type set struct {
	known   bool
	parts   []Part
	actions [][]Action
}

// set of a view for the ring with number k.
func (st *Stage) set(n uint16, v *view, k int16, struck bool) *set {
	at := 2 * int(k)
	if !struck {
		at++
	}
	s := &v.sets[at]
	if !s.known {
		s.known, s.parts = true, st.Source.Parts(n, v.rings[k], struck)
		lo := len(st.priced)
		st.priced = append(st.priced, make([][]Action, len(s.parts))...)
		s.actions = st.priced[lo:len(st.priced):len(st.priced)]
	}
	return s
}

// actions are those of part i.
func (st *Stage) actions(n uint16, v *view, k int16, s *set, i int) []Action {
	if s.actions[i] == nil {
		s.actions[i] = st.Source.Actions(n, v.rings[k], &s.parts[i])
	}
	return s.actions[i]
}

// open adds a flow and returns its number.
func (p *Pass) open(f flow) int {
	n, np := len(p.flows), len(p.picks)
	f.least = Inf
	p.flows = append(p.flows, f)
	need := (n + 1) * np
	p.cost, p.prev = slices.Grow(p.cost, max(0, need-len(p.cost)))[:need], slices.Grow(p.prev, max(0, need-len(p.prev)))[:need]
	for i := n * np; i < need; i++ {
		p.cost[i] = Inf
	}
	return n
}

// flowOf finds or opens the flow of a ring that is struck in a way of its own, or slurred.
func (p *Pass) flowOf(ring int16, by uint8, struck bool) int {
	p.struck(ring) // which comes first of equals
	for i := range p.flows {
		if f := &p.flows[i]; f.split && f.ring == ring && f.by == by && f.struck == struck {
			return i
		}
	}
	return p.open(flow{ring: ring, by: by, struck: struck, split: true})
}

// struck finds or opens the flow of what is struck into a ring.
func (p *Pass) struck(ring int16) int {
	for len(p.ofRing) <= int(ring) {
		p.ofRing = append(p.ofRing, -1)
	}
	if p.ofRing[ring] < 0 {
		p.ofRing[ring] = int16(p.open(flow{ring: ring, struck: true}))
	}
	return int(p.ofRing[ring])
}

// arrive finds the cheapest arrivals at node g, of those that cost no more than the budget. With split, the two ways to
// begin what is struck are kept apart.
func (p *Pass) arrive(g int, budget Cost, split bool) *view {
	st, to := p.st, &p.st.Nodes[g]
	v := st.view(to.View)
	p.flows, p.ofRing, p.cost, p.prev, p.split = p.flows[:0], p.ofRing[:0], p.cost[:0], p.prev[:0], split
	last, ok, slurs := -1, false, split || st.Slurs[to.Class]
	var struck, slurred, other Cost
	var by uint8
	for i := range p.runs {
		r := &p.runs[i]
		if r.least+to.Own > budget {
			continue
		}
		ring := st.ring(to.View, v, r.trace, r.tag)
		most := Inf // of what is struck: above it another is cheaper by all that it may owe
		if int(ring) < len(p.ofRing) && p.ofRing[ring] >= 0 {
			most = p.flows[p.ofRing[ring]].least + st.Owed.most
		}
		if !slurs && r.least+to.Own > most {
			continue
		}
		if r.node != last {
			var mv *Move
			last = r.node
			if mv, struck, slurred, by, ok = st.way(r.node, g); ok {
				begin, _ := mv.begin()
				other = Inf
				if split {
					begin, other = mv.Begin[0], min(struck+mv.Begin[1], Inf)
				}
				struck = min(struck+begin, Inf)
			}
		}
		if !ok {
			continue
		}
		if slurred < Inf && r.least+slurred <= budget {
			p.pour(r, p.flowOf(ring, by, false), slurred)
		}
		if struck < Inf && r.least+struck <= min(budget, most) {
			p.pour(r, p.struck(ring), struck)
		}
		if other < Inf && r.least+other <= budget {
			p.pour(r, p.flowOf(ring, 1, true), other)
		}
	}
	return v
}

// pour adds the states of a run to a flow; of equal ones the first by number stays.
func (p *Pass) pour(r *run, flow int, cost Cost) {
	np := len(p.picks)
	costs, prevs := p.cost[flow*np:flow*np+np], p.prev[flow*np:flow*np+np]
	cost += p.off
	least := p.flows[flow].least
	for j := r.lo; j < r.hi; j++ {
		s := &p.before[j]
		c, n := s.Cost+cost, p.number[s.Pick]
		if c < costs[n] || c == costs[n] && int32(j) < prevs[n] {
			costs[n], prevs[n] = c, int32(j)
			least = min(least, c)
		}
	}
	p.flows[flow].least = least
}

// row is what a pose costs after each of the picks before.
func (p *Pass) row(q Pose) []Cost {
	t, np := &p.rows[q], len(p.picks)
	if t.stage != p.stageNo {
		*t = turns{p.stageNo, int32(len(p.turned))}
		for _, k := range p.picks {
			p.turned = append(p.turned, p.st.Turn.Cost(k, q))
		}
	}
	return p.turned[t.at : int(t.at)+np]
}

// intoPose finds the way of the present flow into a pose, the first of equals by the state before.
func (p *Pass) intoPose(q Pose) *reached {
	out := &p.into[q]
	if out.flow == p.flowNo {
		return out
	}
	row, cost, prev := p.row(q), Inf, int32(-1)
	for i := range p.cells {
		in := &p.cells[i]
		if c := in.cost + row[in.n]; c < cost || c == cost && in.prev < prev {
			cost, prev = c, in.prev
		}
	}
	*out = reached{p.flowNo, prev, cost}
	return out
}

// begun is the way in which what is struck begins after the state with number prev.
func (p *Pass) begun(f *flow, g int, prev int32) uint8 {
	if !f.struck || f.split || p.split {
		return f.by
	}
	_, by := p.st.Moves[int(p.st.History[p.before[prev].Node])*p.st.Spots+int(p.st.Nodes[g].Spot)].begin()
	return by
}

// Forward is the layer after before, whose costs lie off below the true ones. It is empty if there is no way on.
func (p *Pass) Forward(st *Stage, before *Layer, off Cost, w *Limit) *Layer {
	p.enter(st, before, off)
	if w != nil && w.Beam > 0 {
		least := before.States[before.Best()].Cost + off
		w.Total = Inf
		for g := range st.Nodes {
			w.Total = min(w.Total, least+st.Nodes[g].Own+w.Least(g)+w.Slack)
		}
		if l := p.layer(w); len(l.States) > 0 {
			return l
		}
		p.enter(st, before, off)
		w.Total = Inf
	}
	return p.layer(w)
}

func (p *Pass) layer(w *Limit) *Layer {
	p.Flows, p.states = 0, p.states[:0]
	least := Inf
	for i := range p.runs {
		least = min(least, p.runs[i].least)
	}
	for g := range p.st.Nodes {
		budget := w.budget(g)
		if own := p.st.Nodes[g].Own; own >= Inf || least+own > budget {
			continue
		}
		p.choose(g, p.arrive(g, budget, w != nil && w.Allow != nil), budget, w)
	}
	for places := p.keeps; places != 0; places &= places - 1 { // a pass backward looks for what states that were left out lead to, too
		place := uint8(trailing(uint64(places)))
		p.left.each(func(k Pick) { p.reached.add(NewPick(k.Mask(), place)) })
	}
	p.narrow(w)
	return p.collect()
}

// choose files the states of node g.
func (p *Pass) choose(g int, v *view, budget Cost, w *Limit) {
	n := p.st.Nodes[g].View
	for tag := range p.best {
		p.best[tag] = Inf
	}
	for i := range p.flows {
		f := &p.flows[i]
		if f.least >= Inf {
			continue // nothing came
		}
		p.Flows++
		p.flowNo++
		p.finite(i)
		set := p.st.set(n, v, f.ring, f.struck)
		for k := range set.parts {
			part := &set.parts[k]
			if w != nil && w.Allow != nil && !w.Allow(g, f.by, part.Label) {
				continue
			}
			for i, word := range part.picks {
				p.reached[i] |= word
			}
			if p.keeps |= part.keeps; p.promises(f.least+part.Sum, part.Tags, budget) {
				p.take(i, part, p.st.actions(n, v, f.ring, set, k), budget-f.least)
			}
		}
	}
	p.flush(g)
}

// promises reports whether what costs so much at least may lead to a state with one of the tags that is not dominated.
func (p *Pass) promises(cost Cost, tags uint16, budget Cost) bool {
	if cost > budget {
		return false
	}
	for ; tags != 0; tags &= tags - 1 {
		if cost <= p.best[trailing(uint64(tags))]+p.st.Debts.most {
			return true
		}
	}
	return false
}

// take offers what the actions of a part lead to after flow i, those within the budget.
func (p *Pass) take(i int, part *Part, actions []Action, budget Cost) {
	least, most := p.flows[i].least, p.st.Debts.most
	for j := range actions {
		a := &actions[j]
		cost := part.Sum + Cost(a.Cost)
		if cost > budget || least+cost > p.best[a.Tag]+most { // another is cheaper by all that it may owe
			continue
		}
		if !a.Pose.Keeps() {
			in := p.intoPose(a.Pose)
			p.offer(in.cost+cost, Pick(0).After(a.Pose), a, part.Label, in.prev, i)
			continue
		}
		row := p.row(a.Pose)
		for _, c := range p.cells {
			p.offer(c.cost+cost+row[c.n], p.picks[c.n].After(a.Pose), a, part.Label, c.prev, i)
		}
	}
}

// finite lists the picks with which flow i arrives.
func (p *Pass) finite(i int) {
	np := len(p.picks)
	prevs := p.prev[i*np : i*np+np]
	p.cells = p.cells[:0]
	for n, c := range p.cost[i*np : i*np+np] {
		if c < Inf {
			p.cells = append(p.cells, cell{c, prevs[n], int32(n)})
		}
	}
}

// offer keeps the cheaper way into a state of the present node, of equal ones the first by the state before.
func (p *Pass) offer(cost Cost, to Pick, a *Action, label uint8, prev int32, flow int) {
	at := &p.grid[a.Tag][to]
	if *at == 0 {
		p.used = append(p.used, State{Cost: Inf})
		*at = int32(len(p.used))
		p.has[a.Tag].add(to)
	}
	p.best[a.Tag] = min(p.best[a.Tag], cost)
	if s := &p.used[*at-1]; cost < s.Cost || cost == s.Cost && prev < s.Prev {
		*s = State{Cost: cost, Prev: prev, Pick: to, Tag: a.Tag, Step: Step{uint8(flow), label, a.Pose.Stopper()}}
	}
}

// flush moves the present node's states to the others, by tag and pick.
func (p *Pass) flush(g int) {
	if len(p.used) == 0 {
		return
	}
	for tag := range p.has {
		has := &p.has[tag]
		for w, word := range has {
			for ; word != 0; word &= word - 1 {
				to := w<<6 + trailing(word)
				s := p.used[p.grid[tag][to]-1]
				p.grid[tag][to] = 0
				s.Node, s.By = uint16(g), p.begun(&p.flows[s.By], g, s.Prev)
				p.states = append(p.states, s)
			}
			has[w] = 0
		}
	}
	p.used = p.used[:0]
}

// narrow leaves out what the limit does not allow.
func (p *Pass) narrow(w *Limit) {
	if w == nil || w.ToGo == nil {
		return
	}
	total := p.total[:0]
	for i := range p.states {
		s := &p.states[i]
		total = append(total, s.Cost+w.From(int(s.Node), s.Tag, s.Pick))
	}
	limit := w.Total
	if w.Beam > 0 && len(total) > w.Beam {
		all := slices.Clone(total)
		slices.Sort(all)
		limit = all[w.Beam-1]
	}
	left := p.states[:0]
	for i := range p.states {
		if total[i] <= limit {
			left = append(left, p.states[i])
		}
	}
	p.states, p.total = left, total
}

// collect makes the layer, without the states that another with the same node and tag dominates.
func (p *Pass) collect() *Layer {
	p.kept = p.kept[:0]
	for lo := 0; lo < len(p.states); {
		hi := lo + 1
		for hi < len(p.states) && p.states[hi].Node == p.states[lo].Node && p.states[hi].Tag == p.states[lo].Tag {
			hi++
		}
		p.undominated(p.states[lo:hi])
		lo = hi
	}
	return &Layer{States: slices.Clone(p.kept), reached: p.reached}
}

// undominated keeps the states of a run that no other is cheaper than by more than it can ever have to pay back; of equals
// the first.
func (p *Pass) undominated(run []State) {
	best := 0
	for i := range run {
		if run[i].Cost < run[best].Cost {
			best = i
		}
	}
	debts := p.st.Debts
	beats := func(j, i int) bool {
		gap := run[j].Cost + debts.Of(run[j].Pick, run[i].Pick)
		return gap < run[i].Cost || gap == run[i].Cost && j < i
	}
	for i := range run {
		dominated := i != best && beats(best, i)
		for j := 0; j < len(run) && !dominated; j++ {
			dominated = j != i && run[j].Cost <= run[i].Cost && beats(j, i)
		}
		if !dominated {
			p.kept = append(p.kept, run[i])
		}
	}
}
