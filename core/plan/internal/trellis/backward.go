package trellis

import (
	"cmp"
	"slices"
)

// Back is what it costs to go on from the states of one moment to the end: of every node and tag that was reached, with every
// pick that was. It does not change.
type Back struct {
	rows   []int16 // by node and tag; -1 for those not reached
	picks  [Picks]int16
	count  int
	base   Cost
	narrow []int32 // costs above base, by row and number of the pick; Never if there is no way on
	wide   []Cost  // the same, where they differ by too much for 32 bits
	least  []Cost  // by node, of the states reached; -Inf if there is none
}

// newBack makes room for the states of a layer over nodes; size is how many costs they have.
func newBack(l *Layer, nodes int) (b *Back, size int) {
	b = &Back{rows: make([]int16, nodes*Tags), least: make([]Cost, nodes)}
	for i := range b.rows {
		b.rows[i] = -1
	}
	for p := range b.picks {
		b.picks[p] = -1
	}
	l.reached.each(func(p Pick) {
		b.picks[p] = int16(b.count)
		b.count++
	})
	rows := 0
	for i := range l.States {
		if r := &b.rows[int(l.States[i].Node)*Tags+int(l.States[i].Tag)]; *r < 0 {
			*r = int16(rows)
			rows++
		}
	}
	return b, rows * b.count
}

// fill takes the costs over.
func (b *Back) fill(costs []Cost) *Back {
	most := -Inf
	b.base = Inf
	for _, c := range costs {
		if c < Inf {
			b.base, most = min(b.base, c), max(most, c)
		}
	}
	if most-b.base < Never {
		b.narrow = make([]int32, len(costs))
		for i, c := range costs {
			b.narrow[i] = Never
			if c < Inf {
				b.narrow[i] = int32(c - b.base)
			}
		}
	} else {
		b.wide = slices.Clone(costs)
	}
	for node := range b.least {
		found := false
		least := Inf
		for tag := range Tags {
			if row := b.rows[node*Tags+tag]; row >= 0 {
				least, found = min(least, slices.Min(costs[int(row)*b.count:][:b.count])), true
			}
		}
		if b.least[node] = -Inf; found {
			b.least[node] = least
		}
	}
	return b
}

// End is what comes after the last layer: nothing.
func End(l *Layer, nodes int) *Back {
	b, size := newBack(l, nodes)
	return b.fill(make([]Cost, size))
}

// Cost is the cost to go from a state, Inf if there is no way on; false if it was not reached.
func (b *Back) Cost(node int, tag uint8, p Pick) (Cost, bool) {
	row, n := b.rows[node*Tags+int(tag)], b.picks[p]
	if row < 0 || n < 0 {
		return 0, false
	}
	return b.at(int(row)*b.count + int(n)), true
}

func (b *Back) at(i int) Cost {
	if b.wide != nil {
		return b.wide[i]
	}
	if c := b.narrow[i]; c < Never {
		return b.base + Cost(c)
	}
	return Inf
}

// shift adds to all costs.
func (b *Back) shift(more Cost) {
	b.base += more
	for _, costs := range [][]Cost{b.wide, b.least} {
		for i := range costs {
			if costs[i] < Inf {
				costs[i] += more
			}
		}
	}
}

// Least is the least cost to go from the states of a node that were reached; next to -Inf, a bound, if there is none.
func (b *Back) Least(node int) Cost { return b.least[node] }

// leastReached is Inf if no state of a node was reached.
func (b *Back) leastReached(node int) Cost {
	if b.least[node] < 0 && !slices.ContainsFunc(b.rows[node*Tags:][:Tags], func(r int16) bool { return r >= 0 }) {
		return Inf
	}
	return b.least[node]
}

// LeastOf is the least cost to go from the states of a node and tag that were reached, -Inf if there is none.
func (b *Back) LeastOf(node int, tag uint8) (least Cost) {
	row := int(b.rows[node*Tags+int(tag)])
	if row < 0 {
		return -Inf
	}
	if b.wide != nil {
		return slices.Min(b.wide[row*b.count:][:b.count])
	}
	if c := slices.Min(b.narrow[row*b.count:][:b.count]); c < Never {
		return b.base + Cost(c)
	}
	return Inf
}

// From is the cost to go from a state, -Inf if it was not reached: a bound.
func (b *Back) From(node int, tag uint8, p Pick) Cost {
	if c, ok := b.Cost(node, tag, p); ok {
		return c
	}
	return -Inf
}

// promising lists the nodes of a stage by what they and all after them cost at least, so that later ones have little to add.
func promising(st *Stage, least func(node int) Cost) []int {
	order := make([]int, 0, len(st.Nodes))
	for g := range st.Nodes {
		if st.Nodes[g].Own < Inf && least(g) < Inf {
			order = append(order, g)
		}
	}
	slices.SortFunc(order, func(x, y int) int {
		return cmp.Or(cmp.Compare(st.Nodes[x].Own+least(x), st.Nodes[y].Own+least(y)), x-y)
	})
	return order
}

// Backward is what it costs to go on from the states of layer before, by st to those of which next tells.
func (p *Pass) Backward(st *Stage, before *Layer, next *Back) *Back {
	p.enter(st, before, 0)
	p.picks = p.picks[:0]
	before.reached.each(func(k Pick) { p.picks = append(p.picks, k) })
	out, size := newBack(before, len(st.Before))
	p.total = slices.Grow(p.total[:0], size)[:size]
	for i := range p.total {
		p.total[i] = Inf
	}
	p.worst = append(p.worst[:0], make([]Cost, len(p.runs))...)
	for i := range p.worst {
		p.worst[i] = Inf
	}
	for _, g := range promising(st, next.leastReached) {
		p.goOn(g, next, out)
	}
	return out.fill(p.total)
}

// goOn improves the costs to go by those through node g.
func (p *Pass) goOn(g int, next, out *Back) {
	st, np, least := p.st, len(p.picks), next.Least(g)
	view := st.Nodes[g].View
	v := st.view(view)
	p.cost, p.values = p.cost[:0], p.values[:0]
	last, ok := -1, false
	var struck, slurred Cost
	for i := range p.runs {
		r := &p.runs[i]
		if st.Nodes[g].Own+least >= p.worst[i] {
			continue
		}
		if r.node != last {
			var mv *Move
			last = r.node
			if mv, struck, slurred, _, ok = st.way(r.node, g); ok {
				begin, _ := mv.begin()
				struck = min(struck+begin, Inf)
			}
		}
		if !ok {
			continue
		}
		row := p.total[int(out.rows[r.node*Tags+int(r.tag)])*np:][:np]
		ring := st.ring(view, v, r.trace, r.tag)
		for k, cost := range [2]Cost{struck, slurred} {
			if cost+least >= p.worst[i] {
				continue
			}
			if by := p.value(g, v, ring, k == 0, next); cost+by.least < p.worst[i] && improve(row, by.costs, cost) {
				p.worst[i] = slices.Max(row)
			}
		}
	}
}

// improve lowers row to what value and cost come to, and reports whether it could.
func improve(row, value []Cost, cost Cost) (better bool) {
	value = value[:len(row)]
	for k, c := range value {
		if c += cost; c < row[k] {
			row[k], better = c, true
		}
	}
	return better
}

// value is the least cost from before the actions of a ring to the end, by the pick before.
type value struct {
	costs []Cost
	least Cost
}

// value works one out, once for a node.
func (p *Pass) value(g int, v *view, ring int16, struck bool, next *Back) *value {
	at := 2 * int(ring)
	if !struck {
		at++
	}
	for len(p.values) <= at {
		p.values = append(p.values, value{})
	}
	out := &p.values[at]
	if out.costs != nil {
		return out
	}
	n, np := len(p.cost), len(p.picks)
	p.cost = append(p.cost, make([]Cost, np)...)
	out.costs = p.cost[n : n+np : n+np]
	for k := range out.costs {
		out.costs[k] = Inf
	}
	p.flowNo++
	p.seen = p.seen[:0]
	view, first := p.st.Nodes[g].View, Pose(0)
	least := Inf // of those seen, which is for pose first
	set := p.st.set(view, v, ring, struck)
	for i := range set.parts {
		part, actions := &set.parts[i], p.st.actions(view, v, ring, set, i)
		for j := range actions {
			a := &actions[j]
			cost := part.Sum + Cost(a.Cost)
			if a.Pose.Keeps() {
				p.keepOn(g, cost, a, next, out.costs)
				continue
			}
			c, ok := next.Cost(g, a.Tag, Pick(0).After(a.Pose))
			if !ok {
				continue
			}
			in := &p.into[a.Pose]
			if in.flow != p.flowNo {
				*in = reached{flow: p.flowNo, cost: Inf}
				p.seen = append(p.seen, a.Pose)
			}
			if in.cost = min(in.cost, cost+c); in.cost < least {
				least, first = in.cost, a.Pose
			}
		}
	}
	if least < Inf {
		most := least + slices.Max(p.row(first)) // no pose is better that costs more before its turn
		for _, q := range p.seen {
			if in := p.into[q].cost; in <= most {
				improve(out.costs, p.row(q), in)
			}
		}
	}
	out.least = slices.Min(out.costs)
	return out
}

// keepOn improves the values by an action that keeps masks.
func (p *Pass) keepOn(g int, cost Cost, a *Action, next *Back, out []Cost) {
	row := p.row(a.Pose)
	for k, q := range p.picks {
		if c, ok := next.Cost(g, a.Tag, q.After(a.Pose)); ok {
			out[k] = min(out[k], cost+row[k]+c)
		}
	}
}
