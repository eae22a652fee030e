package trellis

import (
	"math"
	"slices"
)

// Cost is in ticks, the smallest step in which costs differ.
type Cost = int64

// Inf is the cost of what cannot be. Sums of a few of them do not overflow.
const Inf Cost = 1 << 56

// Pick is what one moment leaves to the next in addition to its node and tag: a mask, which some poses replace and others keep, and
// a place, which every pose sets.
type Pick uint16

const (
	maskBits = 5
	Masks    = 1 << maskBits
	Places   = 12
	Picks    = Places << maskBits
	Tags     = 16
)

// NewPick puts a mask below Masks and a place below Places together.
func NewPick(mask, place uint8) Pick { return Pick(mask) | Pick(place)<<maskBits }

func (p Pick) Mask() uint8  { return uint8(p) & (Masks - 1) }
func (p Pick) Place() uint8 { return uint8(p >> maskBits) }

// Pose is all that matters of an action for what it costs after a pick, and for the pick that it leaves.
type Pose uint16

const (
	Keep      = Masks // in place of a mask: the one before stays
	NoStopper = 7
	poseBits  = 7 // of place and stopper
	poses     = (Keep + 1) << poseBits
)

// NewPose puts a mask or Keep, a place and a stopper, a bit of the mask before or NoStopper, together.
func NewPose(mask, place, stopper uint8) Pose {
	return Pose(mask)<<poseBits | Pose(place)<<3 | Pose(stopper)
}

func (q Pose) mask() uint8    { return uint8(q >> poseBits) }
func (q Pose) place() uint8   { return uint8(q>>3) & 0xF }
func (q Pose) Stopper() uint8 { return uint8(q) & 7 }
func (q Pose) Keeps() bool    { return q.mask() == Keep }

// Uses reports whether q sets bit d of the mask.
func (q Pose) Uses(d int) bool { return !q.Keeps() && q.mask()>>d&1 != 0 }

// After is the pick that q leaves behind p.
func (p Pick) After(q Pose) Pick {
	if q.Keeps() {
		return NewPick(p.Mask(), q.place())
	}
	return NewPick(q.mask(), q.place())
}

// Turn prices every pose after every pick at one moment.
type Turn struct {
	Again      *[Masks][Masks]Cost   // one mask after another, from onset to onset
	Move       *[Places][Places]Cost // from place to place
	Own, Other Cost                  // a stopper that is in the mask before, and one that is not
}

// Cost is what pose q costs after pick p.
func (t *Turn) Cost(p Pick, q Pose) Cost {
	cost := t.Move[p.Place()][q.place()]
	if !q.Keeps() {
		cost += t.Again[p.Mask()][q.mask()]
	}
	switch d := q.Stopper(); {
	case d == NoStopper:
	case p.Mask()>>d&1 != 0:
		cost += t.Own
	default:
		cost += t.Other
	}
	return cost
}

// Debts bounds how much more one pick can cost than another, whatever comes.
type Debts struct {
	mask  [Masks][Masks]Cost
	place [Places][Places]Cost
	most  Cost // of any pair
}

// NewDebts takes the largest differences over the columns of the tables of next: the Turn of the next moment whose poses
// replace masks, or one without Again if none does any more. Only the masks given occur.
func NewDebts(next *Turn, masks []uint8) *Debts {
	d := &Debts{}
	for _, p := range masks {
		for _, q := range masks {
			most := Cost(0)
			if next.Again != nil {
				for _, to := range masks {
					most = max(most, next.Again[p][to]-next.Again[q][to])
				}
			}
			if dearer := next.Other - next.Own; dearer > 0 && q&^p != 0 || dearer < 0 && p&^q != 0 {
				most += max(dearer, -dearer)
			}
			d.mask[p][q] = most
		}
	}
	for p := range d.place {
		for q := range d.place {
			for to := range d.place {
				d.place[p][q] = max(d.place[p][q], next.Move[p][to]-next.Move[q][to])
			}
		}
	}
	for p := range d.mask {
		d.most = max(d.most, slices.Max(d.mask[p][:]))
	}
	most := Cost(0)
	for p := range d.place {
		most = max(most, slices.Max(d.place[p][:]))
	}
	d.most += most
	return d
}

// Of is the most that p can cost more than q.
func (d *Debts) Of(p, q Pick) Cost {
	return d.mask[p.Mask()][q.Mask()] + d.place[p.Place()][q.Place()]
}

// Node is one of the things that may be held at a moment.
type Node struct {
	Own   Cost   // of holding it, Inf if it may not be held
	Class uint16 // nodes of one class differ in their histories alone
	View  uint16 // nodes of one view offer the same actions
	Spot  uint16
	From  int16  // the last position that it must come from, -1 for any
	Trace uint16 // of a node before: nodes of one trace leave the same ringing
	Down  bool   // nodes that are down after one that is not pay Land
}

// Arc is what it costs to go from a class to a class without the move, in ticks: to sound what is held by an action, or without one.
type Arc struct {
	Struck, Slurred int32 // Never if it cannot be
	By              uint8 // names the way of Slurred
}

// Never is the cost of an arc that cannot be.
const Never = math.MaxInt32

// Move is what it costs to come from a last position to a spot, without Land. What is struck begins in one of two ways.
type Move struct {
	Shift Cost    // for what is held or slurred
	Begin [2]Cost // for what is struck, plainly or otherwise
}

// begin is the cheaper way, the plain one of equals.
func (v *Move) begin() (cost Cost, by uint8) {
	if v.Begin[1] < v.Begin[0] {
		return v.Begin[1], 1
	}
	return v.Begin[0], 0
}

// Action is one choice at a moment once the node is chosen.
type Action struct {
	Cost int32 // ticks
	Pose Pose
	Tag  uint8 // that it leaves
}

// Part is actions that cost Sum more and share a label, by which alternatives differ. What they leave is known before they are priced.
type Part struct {
	Sum   Cost
	Label uint8
	*Leaves
	Of int // for the source
}

// Leaves is the tags and picks that some actions leave, and the places of those that keep masks.
type Leaves struct {
	Tags  uint16
	picks pickSet
	keeps uint16
}

// Add notes what an action leaves.
func (l *Leaves) Add(tag uint8, q Pose) {
	l.Tags |= 1 << tag
	if q.Keeps() {
		l.keeps |= 1 << q.place()
	} else {
		l.picks.add(Pick(0).After(q))
	}
}

// Source lists actions. What rings into a view from a trace and tag of the moment before is a number of the source's own.
type Source interface {
	Ring(trace uint16, tag uint8, view uint16) uint32
	Parts(view uint16, ring uint32, struck bool) []Part // in the order of ties; they stay as they are
	Actions(view uint16, ring uint32, p *Part) []Action
}

// Stage is what leads from the states of one moment to those of the next. The first moment's leads from a single node.
type Stage struct {
	Nodes, Before         []Node
	History               []uint16 // of each node before: its last position
	Land                  []Cost   // by last position
	Arcs                  []Arc    // by class before and class
	Moves                 []Move   // by last position and spot
	Classes, Spots, Views int
	Traces                int    // of the nodes before
	Slurs                 []bool // by class: something is slurred into it
	Turn                  Turn
	Owed, Debts           *Debts // of what comes from this moment on, and after it
	Source                Source

	views  []view // what was asked of Source
	priced [][]Action
}

// Reset empties the stage. It keeps its memory.
func (st *Stage) Reset() {
	for i := range st.views {
		st.views[i].known = false
	}
	*st = Stage{Nodes: st.Nodes[:0], Before: st.Before[:0], History: st.History[:0], Land: st.Land[:0], Arcs: st.Arcs[:0],
		Moves: st.Moves[:0], Slurs: st.Slurs[:0], views: st.views, priced: st.priced[:0]}
}

// With is the stage with another source.
func (st *Stage) With(source Source) Stage {
	out := *st
	out.Source, out.views, out.priced = source, nil, nil
	return out
}

// way is what it costs to go from node i to node g with g's own cost, struck and slurred; ok is false if neither can be.
func (st *Stage) way(i, g int) (v *Move, struck, slurred Cost, by uint8, ok bool) {
	to, from := &st.Nodes[g], &st.Before[i]
	if to.Own >= Inf || to.From >= 0 && to.From != int16(st.History[i]) {
		return nil, 0, 0, 0, false
	}
	last, own := int(st.History[i]), to.Own
	if to.Down && !from.Down {
		own += st.Land[last]
	}
	arc := &st.Arcs[int(from.Class)*st.Classes+int(to.Class)]
	v = &st.Moves[last*st.Spots+int(to.Spot)]
	struck, slurred = Inf, Inf
	if arc.Struck < Never {
		struck = own + Cost(arc.Struck)
	}
	if arc.Slurred < Never {
		slurred = own + Cost(arc.Slurred) + v.Shift
	}
	return v, struck, slurred, arc.By, struck < Inf || slurred < Inf
}

// State is a node, tag and pick with the least cost of a way there, and the last step of the first such way.
type State struct {
	Cost Cost
	Prev int32 // number of the state before
	Node uint16
	Pick Pick
	Tag  uint8
	Step
}

// Step tells ways apart that lead from one state to another.
type Step struct{ By, Label, Stopper uint8 }

// Same reports whether nothing that follows can tell a from b.
func (a *State) Same(b *State) bool { return a.Node == b.Node && a.Tag == b.Tag && a.Pick == b.Pick }

// Layer is the states of one moment that some best way may need, by node, tag and pick. It does not change.
type Layer struct {
	States  []State
	reached pickSet // the picks of these and of those left out
}

// Start is the layer before the first moment.
func Start() *Layer {
	return &Layer{States: []State{{}}, reached: pickSet{1}}
}

// Best is the number of the cheapest state, the first of equals; -1 if there is none.
func (l *Layer) Best() int {
	b := -1
	for i := range l.States {
		if b < 0 || l.States[i].Cost < l.States[b].Cost {
			b = i
		}
	}
	return b
}

// pickSet is a set of picks.
type pickSet [Picks / 64]uint64

func (s *pickSet) add(p Pick) { s[p>>6] |= 1 << (p & 63) }

func (s *pickSet) each(f func(p Pick)) {
	for w, word := range s {
		for ; word != 0; word &= word - 1 {
			f(Pick(w<<6 + trailing(word)))
		}
	}
}
