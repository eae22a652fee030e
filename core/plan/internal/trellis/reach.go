package trellis

import "slices"

// Lattice is what is known of a tune: its best way, and of some moments the layers of the whole pass forward and the costs to go. It
// finds the others when it is asked about them. What it has found does not change, and is shared with the lattices of edits.
// Not safe for concurrent use; a Snapshot is its owner's.
type Lattice struct {
	Path     []State // the best way, its costs the true ones
	layers   []*Layer
	off      []Cost // what the costs of each layer lie below the true ones
	backs    []*Back
	backsOff []Cost

	base           *Lattice // all stages but lo to hi are as there
	lo, hi         int
	before, beyond bool // what base knows before lo and behind hi is shared

	found int // layers, since some were forgotten
}

// A lattice holds on to some whole moments, and to one layer in sparse, from which the others are found again.
const (
	whole  = 1024
	sparse = 16
)

// window is how many moments ahead the costs to go are looked for at first: in all tunes that we tried, those of 10 to 30 moments before
// do not depend on what comes later.
const window = 32

func newLattice(path []State) *Lattice {
	n := len(path)
	return &Lattice{Path: path, layers: make([]*Layer, n), off: make([]Cost, n), backs: make([]*Back, n), backsOff: make([]Cost, n)}
}

// Snapshot is a lattice that knows all that l knows by now.
func (l *Lattice) Snapshot() *Lattice {
	out := *l
	out.layers, out.off = slices.Clone(l.layers), slices.Clone(l.off)
	out.backs, out.backsOff = slices.Clone(l.backs), slices.Clone(l.backsOff)
	return &out
}

// Cut is l without what it is an edit of.
func (l *Lattice) Cut() *Lattice {
	out := *l
	out.base = nil
	return &out
}

// Edited is the lattice of a tune whose best way is path, and which differs from that of base in the stages lo to hi.
func Edited(path []State, base *Lattice, lo, hi int) *Lattice {
	l := newLattice(path)
	copy(l.layers[:lo], base.layers)
	copy(l.off[:lo], base.off)
	l.base, l.lo, l.hi = base, lo, hi
	return l
}

// Knows reports whether anything but the best way is known.
func (l *Lattice) Knows() bool {
	return slices.ContainsFunc(l.layers, func(y *Layer) bool { return y != nil }) || slices.ContainsFunc(l.backs, func(b *Back) bool { return b != nil })
}

// forget makes room if much is known, but for what is near moment t.
func (l *Lattice) forget(t int) {
	if l.found < whole {
		return
	}
	l.found = 0
	for k := range l.layers {
		if near := 2 * window; k < t-near || k > t+near {
			l.backs[k] = nil
			if k%sparse != 0 {
				l.layers[k] = nil
			}
		}
	}
}

// layerAt is the layer of moment t, found from the one before.
func (p *Pass) layerAt(s Stages, l *Lattice, t int) *Layer {
	if l.layers[t] != nil {
		return l.layers[t]
	}
	before, off := p.layerBefore(s, l, t)
	layer := p.Forward(s.Stage(t), before, off, nil)
	for i := range layer.States {
		layer.States[i].Cost -= l.off[t]
	}
	l.layers[t] = layer
	l.found++
	return layer
}

// layerBefore is the layer before moment t, and what its costs lie below the true ones.
func (p *Pass) layerBefore(s Stages, l *Lattice, t int) (*Layer, Cost) {
	if t == 0 {
		return Start(), 0
	}
	return p.layerAt(s, l, t-1), l.off[t-1]
}

// reach finds the layers up to moment t. Errors: *DeadEnd or that of the stages.
func (p *Pass) reach(s Stages, l *Lattice, t int) error {
	from := t
	for from >= 0 && l.layers[from] == nil {
		from--
	}
	for k := from + 1; k <= t; k++ {
		if err := s.Err(); err != nil {
			return err
		}
		layer := p.layerAt(s, l, k)
		if len(layer.States) == 0 {
			return p.deadEnd(s.Stage(k), k)
		}
		if b := l.base; b != nil && !l.beyond && k >= l.hi && b.layers[k] != nil {
			if more, ok := layer.differs(b.layers[k]); ok {
				l.beyond = true
				l.shareLayers(k, l.off[k]+more-b.off[k])
			}
		}
	}
	return nil
}

// shareLayers takes over what the base knows behind moment t: each layer costs as much more as there.
func (l *Lattice) shareLayers(t int, more Cost) {
	for k := t + 1; k < len(l.layers); k++ {
		if l.layers[k] == nil && l.base.layers[k] != nil {
			l.layers[k], l.off[k] = l.base.layers[k], l.base.off[k]+more
		}
	}
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

// backAt is what it costs to go on from moment t, found from the one after it.
func (p *Pass) backAt(s Stages, l *Lattice, t int) *Back {
	if l.backs[t] != nil {
		return l.backs[t]
	}
	layer := p.layerAt(s, l, t)
	if t == len(l.layers)-1 {
		l.backs[t] = End(layer, len(s.Stage(t).Nodes))
		return l.backs[t]
	}
	l.backs[t] = p.Backward(s.Stage(t+1), layer, p.backAt(s, l, t+1))
	l.backs[t].shift(l.backsOff[t+1] - l.backsOff[t])
	return l.backs[t]
}

// Explore finds what it costs to go on from the moments lo to hi, and with it what leads there, so that they can be asked about.
// Errors: *DeadEnd or that of the stages.
func (p *Pass) Explore(s Stages, l *Lattice, lo, hi int) error {
	l.forget(hi)
	from, err := p.ahead(s, l, hi)
	if err != nil {
		return err
	}
	for t := from; t >= lo; t-- {
		if err := s.Err(); err != nil {
			return err
		}
		back := p.backAt(s, l, t)
		if b := l.base; b != nil && !l.before && t < l.lo && b.backs[t] != nil {
			if more, ok := back.differs(b.backs[t]); ok {
				l.before = true
				l.shareBacks(t, l.backsOff[t]+more-b.backsOff[t])
			}
		}
	}
	return nil
}

// ahead finds the costs to go of moment t or one not far behind it, and returns which.
func (p *Pass) ahead(s Stages, l *Lattice, t int) (int, error) {
	tried, first := t, t+window
	if t > 0 && l.backs[t-1] != nil { // one question after the other
		first += window
	}
	for k := t; ; k++ {
		if err := p.reach(s, l, k); err != nil {
			return 0, err
		}
		switch {
		case l.backs[k] != nil || k == len(l.layers)-1:
			return k, nil
		case l.base != nil && k >= l.hi && l.base.backs[k] != nil && l.base.backs[k].covers(l.layers[k]):
			l.backs[k], l.backsOff[k] = l.base.backs[k], l.base.backsOff[k]
			return k, nil
		case k >= first && k-t >= 2*(tried-t) && len(l.layers)-k > window:
			tried = k
			if from, err := p.settled(s, l, t, k); from >= 0 || err != nil {
				return from, err
			}
		}
	}
}

// shareBacks takes over what the base knows before moment t: each cost to go is as much more as there.
func (l *Lattice) shareBacks(t int, more Cost) {
	for k := range t {
		if l.backs[k] == nil && l.base.backs[k] != nil {
			l.backs[k], l.backsOff[k] = l.base.backs[k], l.base.backsOff[k]+more
		}
	}
}

// covers reports whether b tells of all states that a layer has reached.
func (b *Back) covers(l *Layer) bool {
	for i := range l.States {
		if b.rows[int(l.States[i].Node)*Tags+int(l.States[i].Tag)] < 0 {
			return false
		}
	}
	ok := true
	l.reached.each(func(p Pick) { ok = ok && b.picks[p] >= 0 })
	return ok
}

// differs reports whether b and o are of the same states, each costing as much more in b.
func (b *Back) differs(o *Back) (more Cost, ok bool) {
	ok = b.picks == o.picks && slices.Equal(b.rows, o.rows) && slices.Equal(b.narrow, o.narrow) && b.wide == nil && o.wide == nil
	return b.base - o.base, ok
}

// settled looks for the costs to go of a moment from t on without what comes after moment end: with the least and the most that is
// left to pay there. Where both come to the same, that is it. It returns that moment, or -1.
func (p *Pass) settled(s Stages, l *Lattice, t, end int) (int, error) {
	low, high := p.leastAndMost(s, l, end)
	for k := end - 1; k >= t; k-- {
		if err := s.Err(); err != nil {
			return -1, err
		}
		layer := p.layerAt(s, l, k)
		low, high = p.Backward(s.Stage(k+1), layer, low), p.Backward(s.Stage(k+1), layer, high)
		if more, ok := low.differs(high); ok && more == 0 {
			l.backs[k], l.backsOff[k] = low, 0
			return k, nil
		}
	}
	return -1, nil
}

// leastAndMost bounds what it costs to go on from the states of moment t. No whole costs less than the best, so that least is left which
// lacks to it; the best way's own state alone is known to have no more.
func (p *Pass) leastAndMost(s Stages, l *Lattice, t int) (low, high *Back) {
	layer, debts, path := p.layerAt(s, l, t), s.Stage(t).Debts, &l.Path[t]
	low, size := newBack(layer, len(s.Stage(t).Nodes))
	costs := make([]Cost, size)
	for i := range layer.States {
		at := &layer.States[i]
		left := l.Total() - at.Cost - l.off[t]
		row := costs[int(low.rows[int(at.Node)*Tags+int(at.Tag)])*low.count:][:low.count]
		for p, n := range low.picks {
			if n >= 0 {
				row[n] = max(row[n], left-debts.Of(at.Pick, Pick(p)))
			}
		}
	}
	low.fill(costs)
	for i := range costs {
		costs[i] = Inf
	}
	high, _ = newBack(layer, len(s.Stage(t).Nodes))
	costs[int(high.rows[int(path.Node)*Tags+int(path.Tag)])*high.count+int(high.picks[path.Pick])] = l.Total() - path.Cost
	return low, high.fill(costs)
}
