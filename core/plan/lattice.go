package plan

import (
	"context"
	"slices"

	"stepping/core/digits"
	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
	"stepping/core/player"
)

// ticks is a cost that is a multiple of 1/play.Grid, for package trellis; never is not.
func ticks(x float64) trellis.Cost {
	if x == inf {
		return trellis.Inf
	}
	return trellis.Cost(x * play.Grid)
}

// units is ticks back again.
func units(c trellis.Cost) float64 { return float64(c) / play.Grid }

// A search holds on to the stages of a tune up to keptStages moments, for its next pass; of a longer one to those laid last.
const (
	keptStages = 320
	fewStages  = 16
)

// search lays the stages of a model for package trellis, for one question after the other.
type search struct {
	*trellis.Pass
	ctx      context.Context // of the question
	progress func(done, total int)
	m        *model
	laid     []*laidStage
	order    []int // moments of those, of a long tune
	near     [nearby]near
	count    int32 // of the stages laid
}

// laidStage is a stage with the picking hand's side of it.
type laidStage struct {
	left    *stage
	trellis trellis.Stage
	pick    pickStage
}

func (m *model) newSearch(ctx context.Context) *search {
	return &search{Pass: &trellis.Pass{}, ctx: ctx, m: m, laid: make([]*laidStage, len(m.moments))}
}

// Len, Stage and Err make a search trellis.Stages.
func (s *search) Len() int                   { return len(s.laid) }
func (s *search) Err() error                 { return s.ctx.Err() }
func (s *search) Stage(t int) *trellis.Stage { return &s.stage(t).trellis }

func (s *search) stage(t int) *laidStage {
	if s.progress != nil {
		s.progress(t, len(s.laid))
	}
	if s.laid[t] == nil {
		var old *laidStage // whose memory the new one takes
		if len(s.laid) > keptStages {
			if s.order = append(s.order, t); len(s.order) > fewStages {
				old, s.laid[s.order[0]], s.order = s.laid[s.order[0]], nil, s.order[1:]
			}
		}
		s.laid[t] = s.lay(t, old)
	}
	return s.laid[t]
}

// lay lays the stage of moment t.
func (s *search) lay(t int, old *laidStage) *laidStage {
	out := old
	if out == nil {
		out = &laidStage{}
	}
	out.left = s.m.newStage(t)
	st := &out.trellis
	st.Reset()
	out.left.layNodes(st)
	out.left.layArcs(st)
	out.left.layMoves(st)
	s.count++
	out.pick.near, out.pick.stage = &s.near, s.count
	out.pick.reset(s.m, out.left, &out.left.mo.pins)
	turn := s.m.turnAfter(out.left.mo.since)
	st.Turn, st.Owed, st.Debts, st.Source = turn.Turn, s.m.debtsFrom(t), s.m.debtsFrom(t+1), &out.pick
	return out
}

// class numbers hands that differ in the last position that they carry alone: those that hold nothing. They come last, see carry.
func (mo *moment) class(g int) int {
	if n := len(mo.anchored); g >= n {
		return n + (g-n)/len(mo.lasts)
	}
	return g
}

// ofClass is a hand of each class.
func (mo *moment) ofClass(c int) int {
	if n := len(mo.anchored); c >= n {
		return n + (c-n)*len(mo.lasts)
	}
	return c
}

func (mo *moment) classes() int { return len(mo.anchored) + len(mo.bare) }

// layNodes lists the hands.
func (st *stage) layNodes(out *trellis.Stage) {
	mo := st.mo
	out.Classes, out.Views, out.Traces = mo.classes(), len(mo.shapes), 1
	out.Nodes, out.Before = slices.Grow(out.Nodes, len(mo.hands)), slices.Grow(out.Before, max(1, len(st.before)))
	out.History = slices.Grow(out.History, max(1, len(st.before)))
	spots := map[spot]uint16{}
	for g := range mo.hands {
		h := &mo.hands[g]
		n := trellis.Node{Own: ticks(h.ownCost), Class: uint16(mo.class(g)), View: uint16(h.shape), From: -1, Down: h.slide}
		at := spot{own: -1}
		if h.anchored {
			at = spot{h.pos, h.narrow, h.wide, h.touch, h.fret, h.slide, true, -1}
		} else {
			n.From = int16(h.lastPosition)
		}
		if len(mo.pins.strokes) > 0 {
			at.own = g
		}
		var ok bool
		if n.Spot, ok = spots[at]; !ok {
			n.Spot = uint16(len(spots))
			spots[at] = n.Spot
		}
		if h.barred {
			n.Own = trellis.Inf
		}
		out.Nodes = append(out.Nodes, n)
	}
	out.Spots = len(spots)
	if st.t == 0 {
		out.Before = append(out.Before, trellis.Node{Down: true}) // nothing lands
		out.History = append(out.History, uint16(len(mo.lasts)-1))
		return
	}
	before := &st.m.moments[st.t-1]
	out.Traces = len(before.traces)
	for i := range st.before {
		h := &st.before[i]
		out.Before = append(out.Before, trellis.Node{Class: uint16(before.class(i)), Trace: uint16(h.trace), Down: h.slide})
		out.History = append(out.History, uint16(mo.of[i]))
	}
}

// spot is all of a hand that a move to it depends on: many hands lie in one place.
type spot struct {
	pos, narrow, wide, touch, fret float64
	slide, anchored                bool
	own                            int // its number if pins tell hands apart
}

// layArcs works out what it costs to go from each class to each, without the hand's own cost and the move.
func (st *stage) layArcs(out *trellis.Stage) {
	before := &moment{hands: make([]hand, 1), bare: make([]hand, 1), lasts: make([]lastPosition, 1)}
	if st.t > 0 {
		before = &st.m.moments[st.t-1]
	}
	out.Slurs = append(out.Slurs, make([]bool, out.Classes)...)
	out.Arcs = slices.Grow(out.Arcs, before.classes()*out.Classes)
	for c := range before.classes() {
		var h *hand
		if st.t > 0 {
			h = &before.hands[before.ofClass(c)]
		}
		for d := range st.mo.classes() {
			a := st.arc(h, &st.mo.hands[st.mo.ofClass(d)])
			out.Arcs = append(out.Arcs, a)
			out.Slurs[d] = out.Slurs[d] || a.Slurred < trellis.Never
		}
	}
}

func (st *stage) arc(h, g *hand) trellis.Arc {
	out := trellis.Arc{Struck: trellis.Never, Slurred: trellis.Never}
	if !st.may(h, g) {
		return out
	}
	y := tally{}
	if h != nil {
		st.changeCost(h, g, &y)
	}
	out.Struck = int32(ticks(y.sum))
	if a, ok := st.legato(h, g, &y); ok {
		out.Slurred, out.By = int32(ticks(y.sum)), uint8(a)
	}
	return out
}

// layMoves works out what it costs to come from each last position to each spot, and to put the slide down there.
func (st *stage) layMoves(out *trellis.Stage) {
	n := len(st.mo.lasts)
	for k := range n {
		y := tally{}
		st.landCost(k, &y)
		out.Land = append(out.Land, ticks(y.sum))
	}
	out.Moves = slices.Grow(out.Moves, n*out.Spots)[:n*out.Spots]
	for g, done := 0, 0; done < out.Spots; g++ {
		if at := int(out.Nodes[g].Spot); at == done { // spots are numbered in the order of their first hands
			done++
			st.layMovesTo(&st.mo.hands[g], out.Moves[at:], out.Spots)
		}
	}
}

// layMovesTo works out every spots-th of moves: those to a hand.
func (st *stage) layMovesTo(g *hand, moves []trellis.Move, spots int) {
	never := [2]trellis.Cost{trellis.Inf, trellis.Inf}
	begin := never // without the move
	for a := plain; a <= scoop; a++ {
		if st.mo.note >= 0 && st.mo.attackAllowed(g, a) && (a == plain || g.anchored && st.scoops(g)) {
			y := tally{}
			st.strikeCost(g, a, &y)
			begin[a] = ticks(y.sum)
		}
	}
	for k := range st.mo.lasts {
		var shift [2]tally
		if g.anchored {
			st.shiftCost(k, g, plain, &shift[plain])
			if begin[scoop] < trellis.Inf {
				st.shiftCost(k, g, scoop, &shift[scoop])
			}
		}
		v := trellis.Move{Shift: ticks(shift[plain].sum), Begin: never}
		for a := range begin {
			if begin[a] < trellis.Inf {
				v.Begin[a] = begin[a] + ticks(shift[a].sum)
			}
		}
		if st.mo.note < 0 {
			v.Begin[plain] = v.Shift
		}
		moves[k*spots] = v
	}
}

// turnAfter is what poses cost so many seconds after an onset, and what picking states can owe before it.
type turnAfter struct {
	trellis.Turn
	debts *trellis.Debts
}

// turnAfter returns the prices after since seconds from onset to onset; none is left if since is negative.
func (m *model) turnAfter(since float64) *turnAfter {
	if m.turns[since] == nil {
		t := &turnAfter{Turn: trellis.Turn{Move: &m.move, Own: ticks(play.Exact(m.w.StopOwn)), Other: ticks(play.Exact(m.w.StopEffort))}}
		if since >= 0 {
			t.Again = &[trellis.Masks][trellis.Masks]trellis.Cost{}
			for _, from := range m.masks.Masks { // others do not occur
				for _, to := range m.masks.Masks[1:] {
					t.Again[from][to] = ticks(digits.AgainCost(m.req.Player.RestrikeTime(), from, to, since))
				}
			}
		}
		m.turns[since] = t
	}
	return m.turns[since]
}

// debtsFrom bounds what picking states can owe from moment t on: their digits are asked about at the next onset.
func (m *model) debtsFrom(t int) *trellis.Debts {
	since := -1.0
	for ; t < len(m.moments) && since < 0; t++ {
		if m.moments[t].note >= 0 {
			since = m.moments[t].since
		}
	}
	turn := m.turnAfter(since)
	if turn.debts == nil {
		turn.debts = trellis.NewDebts(&turn.Turn, m.masks.Masks)
	}
	return turn.debts
}

// layPlaces tabulates what it costs to bring the heel down and to lift it, and to move the resting digits.
func (m *model) layPlaces() {
	down, up := play.Exact(m.w.HeelFloat), play.Exact(m.w.HeelLift)
	if m.req.Player.Support == player.HeelRests {
		down = play.Exact(m.w.HeelFall)
	}
	if m.req.Player.Silence == player.Heel {
		down, up = play.Exact(down*m.w.HeelSchool), play.Exact(up*m.w.HeelSchool)
	}
	for from := range m.move {
		for to := range m.move[from] {
			cost := m.restMove(from>>1, to>>1)
			switch heel := to&1 - from&1; {
			case heel > 0:
				cost += down
			case heel < 0:
				cost += up
			}
			m.move[from][to] = ticks(cost)
		}
	}
}
