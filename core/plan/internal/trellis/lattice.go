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

// Solve finds the best way by a pass forward over all moments, limited at each if limit is not nil; if it is, one layer in sparse is kept.
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
	l := newLattice(path)
	for t := 0; limit == nil && t < len(layers); t += sparse {
		l.layers[t] = layers[t]
	}
	return l, nil
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

// Along is l's best way but for some states from a moment on; all of it costs total.
func (l *Lattice) Along(first int, states []State, total Cost) []State {
	path := slices.Clone(l.Path)
	copy(path[first:], states)
	for t := first + len(states); t < len(path); t++ {
		path[t].Cost += total - l.Total()
	}
	return path
}

// EachState calls f for every state of moment t, which was explored, with its cost and its cost to go.
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

// knows finds what l knows of moment t, and reports whether l has reached all states of a layer there.
func (p *Pass) knows(s Stages, l *Lattice, t int, layer *Layer) (bool, error) {
	if t == len(l.layers)-1 {
		return true, nil
	}
	if err := p.Explore(s, l, t, t); err != nil {
		return false, err
	}
	back := p.backAt(s, l, t)
	return !slices.ContainsFunc(layer.States, func(at State) bool {
		_, ok := back.Cost(int(at.Node), at.Tag, at.Pick)
		return !ok
	}), nil
}

// toGo is the cost to go from a state of moment t that l has reached.
func (p *Pass) toGo(s Stages, l *Lattice, t int, at *State) Cost {
	if t == len(l.layers)-1 {
		return 0
	}
	return p.backAt(s, l, t).From(int(at.Node), at.Tag, at.Pick) + l.backsOff[t]
}

// totalFrom is the cost to go from any state of moment t: all its ways are followed to where l has reached every state.
func (p *Pass) totalFrom(s Stages, l *Lattice, t int, from *State) (total Cost, err error) {
	layer := &Layer{States: []State{{Node: from.Node, Tag: from.Tag, Pick: from.Pick}}}
	for len(layer.States) > 0 {
		known, err := p.knows(s, l, t, layer)
		if known || err != nil {
			_, total = p.tight(s, l, t, layer)
			return total, err
		}
		t++
		layer = p.Forward(s.Stage(t), layer, 0, nil)
	}
	return Inf, nil
}

// Change is an edit of a lattice: the stages Lo to Hi are others. If Allow is not nil, Hi is Lo, and only what it allows counts
// there. Total is the least cost with it, Inf if that is not known.
type Change struct {
	Lo, Hi int
	Was    Stages // those of the lattice
	Allow  func(node int, by, label uint8) bool
	Stage  *Stage // takes the place of the stage at Lo if it is not nil, and Hi is Lo
	Total  Cost
}

// Edit finds the best way through a tune that differs from that of l by a change: its states from moment first on, up to where it
// comes back to l's own best way or to the end. Equal ways are told apart as Solve tells them apart: behind the state at which
// they meet, all best ways of the one tune are those of the other.
// Errors: *DeadEnd or that of the stages.
func (p *Pass) Edit(all Stages, l *Lattice, c Change) (first int, states []State, total Cost, err error) {
	if err := p.reach(c.Was, l, c.Lo-1); err != nil {
		return 0, nil, 0, err
	}
	layers, met := []*Layer{}, false // met: l has reached all states
	before, off := p.layerBefore(c.Was, l, c.Lo)
	for t := c.Lo; ; t++ {
		w, err := p.editLimit(l, &c, t, met, total)
		if err = cmp.Or(err, all.Err()); err != nil {
			return 0, nil, 0, err
		}
		st := all.Stage(t)
		if t == c.Lo && c.Stage != nil {
			st = c.Stage
		}
		before = p.Forward(st, before, off, w)
		off = 0
		if len(before.States) == 0 {
			return 0, nil, 0, p.deadEnd(st, t)
		}
		if !met && t >= c.Hi {
			if met, err = p.knows(c.Was, l, t, before); err != nil {
				return 0, nil, 0, err
			}
		}
		if met {
			before, total = p.tight(c.Was, l, t, before)
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
		s := p.layerAt(c.Was, l, first-1).States[n]
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
func (p *Pass) editLimit(l *Lattice, c *Change, t int, met bool, total Cost) (w *Limit, err error) {
	if told := c.Total < Inf && c.Lo == c.Hi; met || told {
		if !met {
			total = c.Total
		}
		if err := p.Explore(c.Was, l, t, t); err != nil {
			return nil, err
		}
		w = &Limit{ToGo: p.backAt(c.Was, l, t), Total: min(total-l.backsOff[t], Inf)}
		if w.Loose = !met && t > c.Hi; c.Stage != nil && t == c.Lo {
			w.Owed = c.Stage.Debts.most // as Marginals has it
		}
	} else if c.Allow != nil && t == c.Lo {
		w = &Limit{}
	}
	if t == c.Lo && w != nil {
		w.Allow = c.Allow
	}
	return w, nil
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
// Errors: *DeadEnd or that of the stages.
func (p *Pass) Marginals(s Stages, l *Lattice, t int, st *Stage, matters func(node int, by, label uint8) Cost,
	found func(node int, by, label uint8, total Cost)) error {
	if err := p.Explore(s, l, t, t); err != nil {
		return err
	}
	before, off := p.layerBefore(s, l, t)
	m := marginals{Pass: p, back: p.backAt(s, l, t), more: l.backsOff[t], matters: matters, found: found}
	if st == nil {
		st = s.Stage(t)
	} else {
		m.slack, m.one = st.Debts.most, true // it may lead to picks that were not reached
	}
	p.enter(st, before, off)
	m.cheapest = before.States[before.Best()].Cost + off
	for _, g := range promising(st, m.back.Least) {
		m.node(g)
	}
	for _, o := range m.open { // to states that were not reached
		if o.cost < matters(int(o.to.Node), o.by, o.label) {
			more, err := p.totalFrom(s, l, t, &o.to)
			if err != nil {
				return err
			}
			found(int(o.to.Node), o.by, o.label, o.cost+more)
		}
	}
	return nil
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
		set := m.st.set(m.st.Nodes[g].View, v, f.ring, f.struck)
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
	best, actions := was, m.st.actions(m.st.Nodes[g].View, v, f.ring, set, k)
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
