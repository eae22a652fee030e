package trellis

import "slices"

// Classes bounds how many classes of masks a Bound tells apart.
const Classes = 16

// Floor is what the actions of a view cost at least, whatever rings: struck with each class of masks, or with none.
type Floor struct {
	Struck [Classes]Cost
	Idle   Cost
}

// Floors bounds the actions of a stage. Of what rings it knows alone what has ended, as a number below Ends.
type Floors interface {
	Ended(trace, view uint16) int
	Floor(view uint16, ended int) *Floor
}

// Ends bounds the numbers of Floors.
const Ends = 8

// Masking numbers the masks that occur by classes; class 0 is the empty mask.
type Masking struct {
	Masks []uint8
	Of    [Masks]uint8
	N     int
}

// again is the least that one class costs after another.
func (m *Masking) again(table *[Masks][Masks]Cost) (by [Classes][Classes]Cost) {
	for k := range by {
		for k2 := range by[k] {
			by[k][k2] = Inf
		}
	}
	for _, from := range m.Masks {
		for _, to := range m.Masks {
			v := &by[m.Of[from]][m.Of[to]]
			*v = min(*v, table[from][to])
		}
	}
	return by
}

// Bound bounds what comes after the states of one moment by node and class of the mask alone: rings, places and stoppers are
// counted at the least that they can cost. What is slurred must leave the empty mask.
type Bound struct {
	masking *Masking
	by      [][Classes]Cost
	least   []Cost // of by
}

func (b *Bound) Least(node int) Cost { return b.least[node] }

func (b *Bound) From(node int, _ uint8, p Pick) Cost { return b.by[node][b.masking.Of[p.Mask()]] }

// EndBound is the bound after the last moment: nothing.
func EndBound(m *Masking, nodes int) *Bound {
	return &Bound{m, make([][Classes]Cost, nodes), make([]Cost, nodes)}
}

// Before is the bound for the moment before st's, of which b is the bound. Onset tells whether masks are replaced there.
func (b *Bound) Before(st *Stage, floors Floors, onset bool) *Bound {
	out := EndBound(b.masking, len(st.Before))
	worst := make([]Cost, len(st.Before)) // the highest of each node's bounds
	for i := range out.by {
		worst[i] = Inf
		for k := range out.by[i] {
			out.by[i][k] = Inf
		}
	}
	var again [Classes][Classes]Cost
	if onset {
		again = b.masking.again(st.Turn.Again)
	}
	n := b.masking.N
	for _, g := range promising(st, b.Least) {
		to := &st.Nodes[g]
		least := to.Own + b.least[g]
		var known [Ends]onward
		var worked [Ends]bool
		for i := range st.Before {
			if least >= worst[i] {
				continue
			}
			mv, struck, slurred, _, ok := st.way(i, g)
			if !ok {
				continue
			}
			ended := floors.Ended(st.Before[i].Trace, to.View)
			if !worked[ended] {
				worked[ended], known[ended] = true, b.onward(&again, floors.Floor(to.View, ended), g, onset)
			}
			begin, _ := mv.begin()
			worst[i] = known[ended].improve(&out.by[i], n, min(struck+begin, Inf), slurred)
		}
	}
	for i := range out.by {
		out.least[i] = slices.Min(out.by[i][:n])
	}
	return out
}

// onward is the least from before an action of one node to the end, by the class before.
type onward struct {
	struck  [Classes]Cost
	slurred Cost
}

func (b *Bound) onward(again *[Classes][Classes]Cost, f *Floor, g int, onset bool) onward {
	v := onward{slurred: f.Idle + b.by[g][0]}
	for k := range b.masking.N {
		if !onset {
			v.struck[k] = f.Idle + b.by[g][k]
			continue
		}
		v.struck[k] = Inf
		for k2 := range b.masking.N {
			v.struck[k] = min(v.struck[k], again[k][k2]+f.Struck[k2]+b.by[g][k2])
		}
	}
	return v
}

// improve lowers the n bounds of a node, and returns the highest of them.
func (v *onward) improve(by *[Classes]Cost, n int, struck, slurred Cost) (worst Cost) {
	for k := range n {
		by[k] = min(by[k], struck+v.struck[k], slurred+v.slurred)
		worst = max(worst, by[k])
	}
	return worst
}
