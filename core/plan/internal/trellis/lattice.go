package trellis

import (
	"cmp"
	"slices"
)

// Stages lays the stages of a tune, one for each moment.
type Stages interface {
	Len() int
	Stage(t int) *Stage
	Err() error // that stops the work, nil if it may go on
}

// A lattice of up to whole moments keeps all its layers and costs to go; of a longer one it keeps one in sparse, from which the others
// are found again.
const (
	whole  = 1024
	sparse = 16
)

func (l *Lattice) keeps(t int) bool {
	return len(l.layers) <= whole || t%sparse == 0 || t == len(l.layers)-1
}

// block is what was found again last of a long lattice: the layers and costs to go between two that are kept.
type block struct {
	of     *Lattice
	n      int
	layers [sparse]*Layer
	backs  [sparse]*Back
}

// found is the block of moment t.
func (p *Pass) found(l *Lattice, t int) *block {
	if p.block.of != l || p.block.n != t/sparse {
		p.block = block{of: l, n: t / sparse}
	}
	return &p.block
}

// layerAt is the layer of moment t.
func (p *Pass) layerAt(s Stages, l *Lattice, t int) *Layer {
	if l.layers[t] != nil {
		return l.layers[t]
	}
	found := &p.found(l, t).layers[t%sparse]
	if *found == nil {
		layer := p.Forward(s.Stage(t), p.layerAt(s, l, t-1), l.off[t-1], nil) // whose costs are the true ones …
		for i := range layer.States {
			layer.States[i].Cost -= l.off[t]
		}
		*found = layer
	}
	return *found
}

// backAt is what it costs to go on from moment t.
func (p *Pass) backAt(s Stages, l *Lattice, t int) *Back {
	if l.backs[t] != nil {
		return l.backs[t]
	}
	next, layer := p.backAt(s, l, t+1), p.layerAt(s, l, t)
	found := &p.found(l, t).backs[t%sparse]
	if *found == nil {
		*found = p.Backward(s.Stage(t+1), layer, next)
		(*found).base += l.backsOff[t+1] - l.backsOff[t]
	}
	return *found
}

// Lattice is all that is known of a tune: the layers of the whole pass forward and the costs to go. It does not change, and shares
// what an edit left alone with the lattice before it.
type Lattice struct {
	layers   []*Layer
	off      []Cost // what the costs of each layer lie below the true ones
	backs    []*Back
	backsOff []Cost
	Path     []State // the best way, its costs the true ones
}

// DeadEnd is a moment that no state reaches.
type DeadEnd struct {
	At    int
	Nodes bool // there are nodes …
	Flows bool // … and ways into them
}

func (e *DeadEnd) Error() string { return "trellis: there is no way on" }

func (p *Pass) deadEnd(st *Stage, t int) error {
	some := slices.ContainsFunc(st.Nodes, func(n Node) bool { return n.Own < Inf })
	return &DeadEnd{t, some, p.Flows > 0}
}

// Solve finds the best way by a pass forward over all moments, limited at each if limit is not nil: a lattice with its Path alone.
// Errors: *DeadEnd or that of the stages.
func (p *Pass) Solve(s Stages, limit func(t int) *Limit) (*Lattice, error) {
	layers, before := make([]*Layer, s.Len()), Start()
	for t := range layers {
		if err := s.Err(); err != nil {
			return nil, err
		}
		var w *Limit
		if limit != nil {
			w = limit(t)
		}
		st := s.Stage(t)
		layers[t] = p.Forward(st, before, 0, w)
		if before = layers[t]; len(before.States) == 0 {
			return nil, p.deadEnd(st, t)
		}
	}
	path, _ := trace(layers)
	return &Lattice{Path: path}, nil
}

// trace follows the states before from the best of the last layer, and returns the number of the state before them all.
func trace(layers []*Layer) (path []State, before int32) {
	path = make([]State, len(layers))
	n := int32(layers[len(layers)-1].Best())
	for i := len(layers) - 1; i >= 0; i-- {
		path[i] = layers[i].States[n]
		n = path[i].Prev
	}
	return path, n
}

// Total is what the best way costs.
func (l *Lattice) Total() Cost { return l.Path[len(l.Path)-1].Cost }

// Along is a lattice without layers whose best way is l's but for some states from a moment on; all of it costs total.
func (l *Lattice) Along(first int, states []State, total Cost) *Lattice {
	out := &Lattice{Path: slices.Clone(l.Path)}
	copy(out.Path[first:], states)
	for t := first + len(states); t < len(out.Path); t++ {
		out.Path[t].Cost += total - l.Total()
	}
	return out
}

// EachState calls f for every state of moment t with its cost and its cost to go, of a lattice that is whole.
func (l *Lattice) EachState(t int, f func(s *State, toGo Cost)) {
	for _, s := range l.layers[t].States {
		s.Cost += l.off[t]
		toGo := l.backs[t].From(int(s.Node), s.Tag, s.Pick)
		if toGo < Inf {
			toGo += l.backsOff[t]
		}
		f(&s, toGo)
	}
}

// Whole reports whether the lattice has its layers and costs to go.
func (l *Lattice) Whole() bool { return l.backs != nil }

// Explore makes the lattice of a tune whose best way is path whole. If base, which is whole, is not nil, all stages but lo to hi
// are as in base, and what differs from base by a constant is shared.
func (p *Pass) Explore(s Stages, path []State, base *Lattice, lo, hi int) (*Lattice, error) {
	n := s.Len()
	l := &Lattice{make([]*Layer, n), make([]Cost, n), make([]*Back, n), make([]Cost, n), path}
	from := 0
	if base != nil {
		from = copy(l.layers[:lo], base.layers)
		copy(l.off[:lo], base.off)
	}
	met, err := p.forwards(s, l, base, from, hi)
	if err != nil {
		return nil, err
	}
	return l, p.backwards(s, l, base, lo, met)
}

// forwards fills in the layers from moment from on, and returns the moment from which on they are base's.
func (p *Pass) forwards(s Stages, l, base *Lattice, from, hi int) (met int, err error) {
	n := len(l.layers)
	for t := from; t < n; t++ {
		if err := s.Err(); err != nil {
			return n, err
		}
		st, before, off := s.Stage(t), Start(), Cost(0)
		if t > 0 {
			before, off = p.layerAt(s, l, t-1), l.off[t-1]
		}
		layer := p.Forward(st, before, off, nil)
		if len(layer.States) == 0 {
			return n, p.deadEnd(st, t)
		}
		if l.keeps(t) {
			l.layers[t] = layer
		} else {
			p.found(l, t).layers[t%sparse] = layer
		}
		if base == nil || t < hi || base.layers[t] == nil {
			continue
		}
		if more, ok := layer.differs(base.layers[t]); ok {
			copy(l.layers[t+1:], base.layers[t+1:])
			for k := t + 1; k < n; k++ {
				l.off[k] = base.off[k] + more - base.off[t]
			}
			return t + 1, nil
		}
	}
	return n, nil
}

// differs reports whether the states of l are those of m, each costing as much more; their ways there may be others.
func (l *Layer) differs(m *Layer) (more Cost, ok bool) {
	if len(l.States) != len(m.States) || l.reached != m.reached {
		return 0, false
	}
	more = l.States[0].Cost - m.States[0].Cost
	for i := range l.States {
		a, b := &l.States[i], &m.States[i]
		if !a.Same(b) || a.Cost-b.Cost != more {
			return 0, false
		}
	}
	return more, true
}

// backwards fills in the costs to go. From moment met on they are base's, and those before lo where they differ by a constant.
func (p *Pass) backwards(s Stages, l, base *Lattice, lo, met int) error {
	n := len(l.layers)
	if base != nil {
		copy(l.backs[met:], base.backs[met:])
		copy(l.backsOff[met:], base.backsOff[met:])
	}
	for t := met - 1; t >= 0; t-- {
		if err := s.Err(); err != nil {
			return err
		}
		if t == n-1 {
			l.backs[t] = End(l.layers[t], len(s.Stage(t).Nodes))
			continue
		}
		next, layer := p.backAt(s, l, t+1), p.layerAt(s, l, t)
		back := p.Backward(s.Stage(t+1), layer, next)
		if l.backsOff[t] = l.backsOff[t+1]; l.keeps(t) {
			l.backs[t] = back
		} else {
			p.found(l, t).backs[t%sparse] = back
		}
		if base == nil || t >= lo || base.backs[t] == nil {
			continue
		}
		if more, ok := back.differs(base.backs[t]); ok {
			copy(l.backs[:t+1], base.backs[:t+1])
			for k := range t + 1 {
				l.backsOff[k] = base.backsOff[k] + l.backsOff[t+1] + more - base.backsOff[t]
			}
			return nil
		}
	}
	return nil
}

// differs reports whether b and o are of the same states, each costing as much more in b.
func (b *Back) differs(o *Back) (more Cost, ok bool) {
	ok = b.picks == o.picks && slices.Equal(b.rows, o.rows) && slices.Equal(b.narrow, o.narrow) && b.wide == nil && o.wide == nil
	return b.base - o.base, ok
}

// layerBefore is the layer before moment t, and what its costs lie below the true ones.
func (p *Pass) layerBefore(s Stages, l *Lattice, t int) (*Layer, Cost) {
	if t == 0 {
		return Start(), 0
	}
	return p.layerAt(s, l, t-1), l.off[t-1]
}

// knows reports whether l has reached all states of a layer at moment t.
func (p *Pass) knows(s Stages, l *Lattice, t int, layer *Layer) bool {
	if t == len(l.layers)-1 {
		return true
	}
	back := p.backAt(s, l, t)
	return !slices.ContainsFunc(layer.States, func(at State) bool {
		_, ok := back.Cost(int(at.Node), at.Tag, at.Pick)
		return !ok
	})
}

// toGo is the cost to go from a state of moment t that l has reached.
func (p *Pass) toGo(s Stages, l *Lattice, t int, at *State) Cost {
	if t == len(l.layers)-1 {
		return 0
	}
	return p.backAt(s, l, t).From(int(at.Node), at.Tag, at.Pick) + l.backsOff[t]
}

// totalFrom is the cost to go from any state of moment t: all its ways are followed to where l has reached every state.
func (p *Pass) totalFrom(s Stages, l *Lattice, t int, from *State) Cost {
	layer := &Layer{States: []State{{Node: from.Node, Tag: from.Tag, Pick: from.Pick}}}
	for len(layer.States) > 0 && !p.knows(s, l, t, layer) {
		t++
		layer = p.Forward(s.Stage(t), layer, 0, nil)
	}
	_, total := p.tight(s, l, t, layer)
	return total
}

// limit is all that is left of a way of total from moment t on.
func (p *Pass) limit(s Stages, l *Lattice, t int, total Cost) *Limit {
	return &Limit{ToGo: p.backAt(s, l, t), Total: min(total-l.backsOff[t], Inf)}
}

// Change is an edit of a lattice: the stages Lo to Hi are others. If Allow is not nil, Hi is Lo, and only what it allows counts
// there. Total is the least cost with it, Inf if that is not known.
type Change struct {
	Lo, Hi int
	Allow  func(node int, by, label uint8) bool
	Stage  *Stage // takes the place of the stage at Lo if it is not nil, and Hi is Lo
	Total  Cost
}

// Edit finds the best way through a tune that differs from that of l, which is whole, by a change: its states from moment
// first on, up to where it comes back to l's own best way or to the end. Equal ways are told apart as Solve tells them apart:
// behind the state at which they meet, all best ways of the one tune are those of the other.
// Errors: *DeadEnd or that of the stages.
func (p *Pass) Edit(all Stages, l *Lattice, c Change) (first int, states []State, total Cost, err error) {
	layers, met := []*Layer{}, false // met: l has reached all states
	before, off := p.layerBefore(all, l, c.Lo)
	for t := c.Lo; ; t++ {
		if err := all.Err(); err != nil {
			return 0, nil, 0, err
		}
		st := all.Stage(t)
		if t == c.Lo && c.Stage != nil {
			st = c.Stage
		}
		before = p.Forward(st, before, off, p.editLimit(all, l, &c, t, met, total))
		off = 0
		if len(before.States) == 0 {
			return 0, nil, 0, p.deadEnd(st, t)
		}
		if met = met || t >= c.Hi && p.knows(all, l, t, before); met {
			before, total = p.tight(all, l, t, before)
		}
		layers = append(layers, before)
		if t == len(l.layers)-1 || met && len(before.States) == 1 && before.States[0].Same(&l.Path[t]) {
			break
		}
	}
	states, n := trace(layers)
	own := func(t int) bool { return states[t-c.Lo].Same(&l.Path[t]) }
	for t := c.Lo + len(states) - 1; t > c.Hi+1 && own(t) && own(t-1); t-- { // it was back before
		states = states[:t-c.Lo]
	}
	first = c.Lo
	for first > 0 {
		s := p.layerAt(all, l, first-1).States[n]
		if s.Same(&l.Path[first-1]) {
			break
		}
		first--
		s.Cost += l.off[first]
		states, n = append([]State{s}, states...), s.Prev
	}
	return first, states, total, nil
}

// editLimit is what is known of moment t of an edit, nil if that is nothing. Until l has met all states it says nothing about nodes.
func (p *Pass) editLimit(s Stages, l *Lattice, c *Change, t int, met bool, total Cost) (w *Limit) {
	switch {
	case met:
		w = p.limit(s, l, t, total)
	case c.Total < Inf && c.Lo == c.Hi:
		w = p.limit(s, l, t, c.Total)
		w.Loose = c.Stage != nil || t > c.Hi
	case c.Allow != nil && t == c.Lo:
		w = &Limit{}
	default:
		return nil
	}
	if t == c.Lo {
		w.Allow = c.Allow
	}
	return w
}

// tight are the states of a layer at moment t, all of which l has reached, that the best of its ways pass, and what these cost.
func (p *Pass) tight(s Stages, l *Lattice, t int, layer *Layer) (best *Layer, total Cost) {
	total, best = Inf, &Layer{reached: layer.reached}
	for i := range layer.States {
		total = min(total, layer.States[i].Cost+p.toGo(s, l, t, &layer.States[i]))
	}
	for i := range layer.States {
		if at := &layer.States[i]; total < Inf && at.Cost+p.toGo(s, l, t, at) == total {
			best.States = append(best.States, *at)
		}
	}
	return best, total
}

// Marginals calls found with the least totals of ways that pass moment t, by node, way to sound it and label: those of at most what
// matters says of them. If st is not nil it takes the place of the moment's own stage, and matters says the same of all ways.
func (p *Pass) Marginals(s Stages, l *Lattice, t int, st *Stage, matters func(node int, by, label uint8) Cost,
	found func(node int, by, label uint8, total Cost)) {
	m := marginals{Pass: p, back: p.backAt(s, l, t), more: l.backsOff[t], matters: matters, found: found}
	if st == nil {
		st = s.Stage(t)
	} else {
		m.slack, m.one = st.Debts.most, true // it may lead to picks that were not reached
	}
	before, off := p.layerBefore(s, l, t)
	p.enter(st, before, off)
	m.cheapest = before.States[before.Best()].Cost + off
	for _, g := range promising(st, m.back.Least) {
		m.node(g)
	}
	for _, o := range m.open { // to states that were not reached
		if o.cost < matters(int(o.to.Node), o.by, o.label) {
			found(int(o.to.Node), o.by, o.label, o.cost+p.totalFrom(s, l, t, &o.to))
		}
	}
}

// marginals is a look at every way into one moment.
type marginals struct {
	*Pass
	back        *Back
	more, slack Cost // what lies before the costs to go, and how far below those of the states reached others can be
	least       [Tags]Cost
	one         bool // all ways count as one: what matters is the same for all
	cheapest    Cost // of the states before
	matters     func(node int, by, label uint8) Cost
	found       func(node int, by, label uint8, total Cost)
	open        []loose
}

// loose is a way whose cost to go is not known yet.
type loose struct {
	cost      Cost
	by, label uint8
	to        State
}

// node goes through the ways into node g that may matter; the cheapest flows come first.
func (m *marginals) node(g int) {
	budget := Inf
	if m.one { // taking it that a tag which was not reached leaves no less to pay than those that were
		budget = m.matters(g, 0, 0) - max(0, m.back.Least(g)+m.more-m.slack)
		if m.cheapest+m.st.Nodes[g].Own >= budget {
			return
		}
	}
	v := m.arrive(g, budget, !m.one)
	for tag := range m.least {
		m.least[tag] = max(0, m.back.LeastOf(g, uint8(tag))+m.more-m.slack)
	}
	order := make([]int, len(m.flows))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(m.flows[a].least, m.flows[b].least) })
	for _, i := range order {
		f := &m.flows[i]
		if f.least >= Inf {
			break
		}
		m.flowNo++
		m.finite(i)
		set := m.set(m.st.Nodes[g].View, v, f.ring, f.struck)
		for k := range set.parts {
			m.part(g, f, v, set, k)
		}
	}
}

// part goes through the actions of part k of a set.
func (m *marginals) part(g int, f *flow, v *view, set *set, k int) {
	part := &set.parts[k]
	was, least := m.matters(g, f.by, part.Label), Inf
	for tags := part.Tags; tags != 0; tags &= tags - 1 {
		least = min(least, m.least[trailing(uint64(tags))])
	}
	if f.least+part.Sum+least >= was {
		return
	}
	best, actions := was, m.actions(m.st.Nodes[g].View, v, f.ring, set, k)
	for j := range actions {
		a := &actions[j]
		cost := part.Sum + Cost(a.Cost)
		if f.least+cost+m.least[a.Tag] >= best {
			continue
		}
		m.leads(a, cost, func(cost Cost, to Pick) {
			if c, ok := m.back.Cost(g, a.Tag, to); ok {
				best = min(best, cost+c+m.more)
			} else {
				m.open = append(m.open, loose{cost, f.by, part.Label, State{Node: uint16(g), Tag: a.Tag, Pick: to}})
			}
		})
	}
	if best < was {
		m.found(g, f.by, part.Label, best)
	}
}

// leads calls f with every pick to which an action leads after the present flow, and what it costs by then.
func (p *Pass) leads(a *Action, cost Cost, f func(cost Cost, to Pick)) {
	if !a.Pose.Keeps() {
		f(p.intoPose(a.Pose).cost+cost, Pick(0).After(a.Pose))
		return
	}
	row := p.row(a.Pose)
	for _, c := range p.cells {
		f(c.cost+cost+row[c.n], p.picks[c.n].After(a.Pose))
	}
}
