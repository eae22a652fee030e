package trellis

import (
	"math/rand/v2"
	"slices"
)

// toy is a random problem, small enough to try everything: nodes with classes, histories and views, rings, parts and actions of every
// kind, onsets, at which masks are replaced, and moments between, at which they are kept. Costs are small numbers, so that ties abound.
type toy struct {
	stages []*toyStage
	move   [Places][Places]Cost
	late   bool // what follows an onset has stoppers, not the onset
}

type toyStage struct {
	Stage
	onset  bool
	stops  bool
	again  [Masks][Masks]Cost
	salt   uint32
	sets   map[[3]uint32][]Part // by view, ring and whether struck
	acts   [][]Action           // by Part.Of
	rings  uint32
	traces int
}

const toyMasks = 3

var toyMask = []uint8{0, 1, 2}

func newToy(rng *rand.Rand, moments, nodes int) *toy {
	y := &toy{late: rng.IntN(2) > 0}
	for from := range y.move {
		for to := range y.move[from] {
			if from != to {
				y.move[from][to] = Cost(rng.IntN(4))
			}
		}
	}
	for range moments {
		y.stages = append(y.stages, y.newStage(rng, nodes))
	}
	y.join()
	return y
}

func (y *toy) newStage(rng *rand.Rand, nodes int) *toyStage {
	st := &toyStage{onset: rng.IntN(3) > 0, salt: rng.Uint32(), sets: map[[3]uint32][]Part{}, rings: 1 + rng.Uint32N(3)}
	st.stops = st.onset
	if y.late {
		st.stops = !st.onset && len(y.stages) > 0 && y.stages[len(y.stages)-1].onset
	}
	st.Classes, st.Spots, st.Views = nodes, 1+rng.IntN(2), 1+rng.IntN(nodes)
	for g := range nodes {
		n := Node{Own: Cost(rng.IntN(6)), Class: uint16(g), View: uint16(rng.IntN(st.Views)), Spot: uint16(rng.IntN(st.Spots)), From: -1, Trace: uint16(g % 2), Down: rng.IntN(2) > 0}
		if rng.IntN(5) == 0 {
			n.From = int16(rng.IntN(2))
		}
		if g > 0 && rng.IntN(12) == 0 {
			n.Own = Inf
		}
		st.Nodes = append(st.Nodes, n)
	}
	for from := range st.again {
		for to := 1; to < Masks; to++ {
			st.again[from][to] = Cost(rng.IntN(5))
		}
	}
	st.fill(rng)
	return st
}

// fill lists what can be done in every view and ring.
func (st *toyStage) fill(rng *rand.Rand) {
	for view := range uint32(st.Views) {
		for ring := range st.rings {
			for struck := range uint32(2) {
				var parts []Part
				for label := range 1 + rng.IntN(2) {
					p := Part{Sum: Cost(rng.IntN(5)), Label: uint8(label), Leaves: &Leaves{}, Of: len(st.acts)}
					var acts []Action
					for range 1 + rng.IntN(3) {
						mask, stopper := uint8(rng.IntN(toyMasks))*uint8(struck), uint8(NoStopper)
						if !st.onset {
							mask = Keep
						}
						if st.stops && rng.IntN(4) == 0 {
							stopper = uint8(rng.IntN(2))
						}
						a := Action{Cost: int32(rng.IntN(6)), Pose: NewPose(mask, uint8(rng.IntN(3)), stopper), Tag: uint8(rng.IntN(3))}
						acts = append(acts, a)
						p.Add(a.Tag, a.Pose)
					}
					st.acts, parts = append(st.acts, acts), append(parts, p)
				}
				st.sets[[3]uint32{view, ring, struck}] = parts
			}
		}
	}
}

// join lays what depends on the stage before and on those to come.
func (y *toy) join() {
	for t, st := range y.stages {
		rng := rand.New(rand.NewPCG(uint64(st.salt), uint64(t)))
		st.Before, st.traces = []Node{{}}, 2
		if t > 0 {
			st.Before = y.stages[t-1].Nodes
		}
		st.History, st.Land, st.Arcs, st.Moves, st.Slurs = nil, []Cost{Cost(rng.IntN(4)), Cost(rng.IntN(4))}, nil, nil, make([]bool, st.Classes)
		for range st.Before {
			st.History = append(st.History, uint16(rng.IntN(2)))
		}
		for range len(st.Before) * st.Classes {
			a := Arc{Struck: int32(rng.IntN(7)), Slurred: Never}
			if rng.IntN(8) == 0 {
				a.Struck = Never
			}
			if st.onset && rng.IntN(3) == 0 {
				a.Slurred, a.By = int32(rng.IntN(7)), uint8(2+rng.IntN(2))
				st.Slurs[len(st.Arcs)%st.Classes] = true
			}
			st.Arcs = append(st.Arcs, a)
		}
		for range 2 * st.Spots {
			st.Moves = append(st.Moves, Move{Cost(rng.IntN(4)), [2]Cost{Cost(rng.IntN(5)), []Cost{Inf, Cost(rng.IntN(5))}[rng.IntN(2)]}})
		}
		st.views, st.priced = nil, nil
		st.Traces, st.Turn = 2, Turn{Again: &st.again, Move: &y.move, Own: 1, Other: 3}
		st.Source = st
	}
	owed := NewDebts(&Turn{Move: &y.move, Own: 1, Other: 3}, toyMask)
	for t := len(y.stages) - 1; t >= 0; t-- {
		st := y.stages[t]
		if st.Debts = owed; st.onset {
			owed = NewDebts(&st.Turn, toyMask)
		}
		st.Owed = owed
	}
}

func (y *toy) Len() int           { return len(y.stages) }
func (y *toy) Stage(t int) *Stage { return &y.stages[t].Stage }
func (y *toy) Err() error         { return nil }

func (st *toyStage) Ring(trace uint16, tag uint8, view uint16) uint32 {
	return (uint32(trace)*7 + uint32(tag)*3 + uint32(view) + st.salt%5) % st.rings
}

func (st *toyStage) Parts(view uint16, ring uint32, struck bool) []Part {
	k := [3]uint32{uint32(view), ring, 0}
	if struck {
		k[2] = 1
	}
	return st.sets[k]
}

func (st *toyStage) Actions(_ uint16, _ uint32, p *Part) []Action { return st.acts[p.Of] }

func (st *toyStage) Ended(_, _ uint16) int { return 0 }

func (st *toyStage) Floor(view uint16, _ int) *Floor {
	f := &Floor{Idle: Inf}
	for k := range f.Struck {
		f.Struck[k] = Inf
	}
	for key, parts := range st.sets {
		for i := range parts {
			for _, a := range st.acts[parts[i].Of] {
				if cost := parts[i].Sum + Cost(a.Cost); key[0] == uint32(view) {
					f.Idle = min(f.Idle, cost)
					if m := a.Pose.mask(); m < toyMasks {
						f.Struck[m] = min(f.Struck[m], cost)
					}
				}
			}
		}
	}
	return f
}

// step is one way to go on, by the book: no tables, no layers.
type step struct {
	to   State
	cost Cost
}

// steps lists every way on from a state before moment t.
func (y *toy) steps(t int, from *State) (out []step) {
	st := y.stages[t]
	for g := range st.Nodes {
		to := &st.Nodes[g]
		if to.Own >= Inf || to.From >= 0 && uint16(to.From) != st.History[from.Node] {
			continue
		}
		arc := st.Arcs[int(st.Before[from.Node].Class)*st.Classes+g]
		last, own := int(st.History[from.Node]), to.Own
		if to.Down && !st.Before[from.Node].Down {
			own += st.Land[last]
		}
		mv := st.Moves[last*st.Spots+int(to.Spot)]
		ring := st.Ring(st.Before[from.Node].Trace, from.Tag, to.View)
		way := func(cost Cost, by uint8, struck bool) {
			for _, p := range st.Parts(to.View, ring, struck) {
				for _, a := range st.acts[p.Of] {
					s := State{Node: uint16(g), Tag: a.Tag, Pick: from.Pick.After(a.Pose), Step: Step{by, p.Label, a.Pose.Stopper()}}
					out = append(out, step{s, own + cost + p.Sum + Cost(a.Cost) + st.Turn.Cost(from.Pick, a.Pose)})
				}
			}
		}
		if arc.Struck < Never {
			for by, begin := range mv.Begin {
				if begin < Inf {
					way(Cost(arc.Struck)+begin, uint8(by), true)
				}
			}
		}
		if arc.Slurred < Never {
			way(Cost(arc.Slurred)+mv.Shift, arc.By, false)
		}
	}
	return out
}

// rest is the least cost from a state after moment t-1 to the end, by trying everything; through, if not nil, judges the steps.
func (y *toy) rest(t int, from *State, through func(t int, s *State) bool) Cost {
	if t == len(y.stages) {
		return 0
	}
	least := Inf
	for _, s := range y.steps(t, from) {
		if through == nil || through(t, &s.to) {
			least = min(least, s.cost+y.rest(t+1, &s.to, through))
		}
	}
	return min(least, Inf)
}

// changed is y with the stages lo to hi drawn again.
func (y *toy) changed(rng *rand.Rand, lo, hi int) *toy {
	z := &toy{stages: slices.Clone(y.stages), move: y.move}
	for t := range z.stages {
		own := *z.stages[t]
		z.stages[t] = &own
		if t < lo || t > hi {
			continue
		}
		own.sets, own.acts = map[[3]uint32][]Part{}, nil
		for g := range own.Nodes {
			own.Nodes = slices.Clone(own.Nodes)
			own.Nodes[g].Own = Cost(rng.IntN(6))
		}
		own.fill(rng)
		z.stages[t] = &own
	}
	z.join()
	return z
}
