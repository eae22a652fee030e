package plan

import (
	"context"
	"math"

	"stepping/core/pitch"
	"stepping/core/quiet"
)

// state is what the next moment can feel of the choices so far.
type state struct {
	hand  int32 // index into the moment's hands
	live  quiet.Strings
	digit uint8
	heel  uint8 // strings under the heel; not felt by the next moment
	bass  uint8 // the bass option that led here
	prev  int32 // index of the state before, -1 at the first moment
	cost  float64
}

var inf = math.Inf(1)

// soundingPitch is what string str sounds when struck with hand h, to the cent.
func (m *model) soundingPitch(h *hand, str int) pitch.Pitch {
	switch {
	case h.slide && str <= h.covers:
		return m.req.Tuning.Open(str) + pitch.Pitch(math.Round(100*h.fret))
	case h.bass.str == str:
		return m.req.Tuning.Open(str) + pitch.Midi(h.bass.fret)
	case h.str == str && h.how == Fret:
		return m.req.Tuning.Open(str) + pitch.Pitch(math.Round(100*h.fret))
	}
	return m.open(str)
}

// byDigit is a value for every digit that may have plucked last.
type byDigit[T any] [digitStates]T

// arrival is the cheapest way into a digit before the right hand has chosen.
type arrival struct {
	cost float64
	prev int32
}

// tailGrid collects arrivals for one tail.
type tailGrid struct {
	tl tail
	g  byDigit[arrival]
}

func emptyGrid() (g byDigit[arrival]) {
	for d := range g {
		g[d] = arrival{inf, -1}
	}
	return g
}

// forward runs the search from the first moment to the last and keeps every state with
// its least cost. ctx stops it between moments.
func (m *model) forward(ctx context.Context) ([][]state, error) {
	layers := make([][]state, len(m.moments))
	for t := range m.moments {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		m.carry(t)
		mo := &m.moments[t]
		mo.froms = 1 << noDigit
		if t > 0 {
			mo.froms = digitsIn(layers[t-1])
		}
		rights := m.rights(mo)
		var acc collector
		for g := range mo.hands {
			arrivals := m.arrive(t, g, layers)
			acc.begin(int32(g))
			for i := range arrivals {
				m.choose(rights[g], &arrivals[i], &acc)
			}
			acc.flush()
		}
		layers[t] = acc.states
	}
	return layers, nil
}

func digitsIn(states []state) (set uint8) {
	for i := range states {
		set |= 1 << states[i].digit
	}
	return set
}

// arrive finds for hand g at t the cheapest arrivals by tail and digit. The result
// is good until the next call.
func (m *model) arrive(t, g int, layers [][]state) []tailGrid {
	if t == 0 {
		c, ok := m.leftCost(0, nil, &m.moments[0].hands[g])
		if !ok {
			return nil
		}
		first := tailGrid{g: emptyGrid()}
		first.g[noDigit] = arrival{c.Sum(), -1}
		return []tailGrid{first}
	}
	out := m.arrivals[:0]
	before := layers[t-1]
	m.eachInto(t, before, g, func(i int, left float64, tl tail) {
		s := &before[i]
		if a := &gridFor(&out, tl)[s.digit]; s.cost+left < a.cost {
			*a = arrival{s.cost + left, int32(i)}
		}
	})
	m.arrivals = out
	return out
}

func gridFor(grids *[]tailGrid, tl tail) *byDigit[arrival] {
	for i := range *grids {
		if (*grids)[i].tl == tl {
			return &(*grids)[i].g
		}
	}
	*grids = append(*grids, tailGrid{tl, emptyGrid()})
	return &(*grids)[len(*grids)-1].g
}

// choose lets the right hand choose after the arrivals and files the states reached.
func (m *model) choose(r *right, in *tailGrid, acc *collector) {
	ts := m.after(r, in.tl)
	for i := ts.lo; i < ts.hi; i++ {
		st := &m.arena[i]
		if a := in.g[st.from]; a.cost < inf {
			acc.offer(st, a)
		}
	}
}

// collector gathers the states of one moment, hand by hand.
type collector struct {
	states []state
	hand   int32
	lives  []liveGrid
}

type liveGrid struct {
	live quiet.Strings
	g    byDigit[state]
}

func (c *collector) begin(hand int32) { c.hand, c.lives = hand, c.lives[:0] }

func (c *collector) offer(st *step, a arrival) {
	cell := &c.gridFor(st.live)[st.to]
	if cost := a.cost + st.cost; cost < cell.cost {
		*cell = state{hand: c.hand, live: st.live, digit: st.to, heel: st.heel, bass: st.bass, prev: a.prev, cost: cost}
	}
}

func (c *collector) gridFor(live quiet.Strings) *byDigit[state] {
	for i := range c.lives {
		if c.lives[i].live == live {
			return &c.lives[i].g
		}
	}
	c.lives = append(c.lives, liveGrid{live: live})
	g := &c.lives[len(c.lives)-1].g
	for d := range g {
		g[d].cost = inf
	}
	return g
}

func (c *collector) flush() {
	for i := range c.lives {
		g := &c.lives[i].g
		for d := range g {
			if g[d].cost < inf {
				c.states = append(c.states, g[d])
			}
		}
	}
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

// ahead is the best continuation of a state: its cost to the end, and the state of the
// next moment with the bass option and heel chosen on the way there.
type ahead struct {
	cost       float64
	next       int32
	bass, heel uint8
}

// backward returns the best continuation of every state of every layer.
func (m *model) backward(ctx context.Context, layers [][]state) ([][]ahead, error) {
	togo := make([][]ahead, len(layers))
	last := len(layers) - 1
	togo[last] = make([]ahead, len(layers[last]))
	for t := last; t > 0; t-- {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		togo[t-1] = m.backOne(t, layers, togo[t])
	}
	return togo, nil
}

// backOne finds the continuations of the states before moment t from those after it.
func (m *model) backOne(t int, layers [][]state, after []ahead) []ahead {
	out := make([]ahead, len(layers[t-1]))
	for i := range out {
		out[i] = ahead{cost: inf, next: -1}
	}
	mo := &m.moments[t]
	index := indexStates(layers[t], len(mo.hands))
	rights := m.rights(mo)
	for g := range mo.hands {
		for i := range rights[g].tails {
			rights[g].tails[i].ready = false // values are of one hand
		}
		m.eachInto(t, layers[t-1], g, func(i int, left float64, tl tail) {
			v := m.onward(rights[g], tl, index[g], after)[layers[t-1][i].digit]
			if v.cost += left; v.cost < out[i].cost {
				out[i] = v
			}
		})
	}
	return out
}

// eachInto calls f for every state before moment t that can go to hand g there, with the
// cost of the left hand and the tail.
func (m *model) eachInto(t int, before []state, g int, f func(i int, left float64, tl tail)) {
	h := &m.moments[t].hands[g]
	for lo := 0; lo < len(before); {
		hi := lo
		for hi < len(before) && before[hi].hand == before[lo].hand {
			hi++
		}
		from := &m.moments[t-1].hands[before[lo].hand]
		if c, ok := m.leftCost(t, from, h); ok {
			sum := c.Sum()
			for i := lo; i < hi; i++ {
				f(i, sum, m.tailOf(t, from, before[i].live, h))
			}
		}
		lo = hi
	}
}

// onward returns the best way from tail tl to the end, by the digit that plucked before.
func (m *model) onward(r *right, tl tail, index []liveIndex, after []ahead) *byDigit[ahead] {
	ts := m.after(r, tl)
	if ts.ready {
		return &ts.value
	}
	for d := range ts.value {
		ts.value[d] = ahead{cost: inf, next: -1}
	}
	for i := ts.lo; i < ts.hi; i++ {
		st := &m.arena[i]
		s := lookup(index, st)
		if s < 0 {
			continue
		}
		if cost := st.cost + after[s].cost; cost < ts.value[st.from].cost {
			ts.value[st.from] = ahead{cost, s, st.bass, st.heel}
		}
	}
	ts.ready = true
	return &ts.value
}

// liveIndex finds a state by digit.
type liveIndex struct {
	live quiet.Strings
	g    byDigit[int32]
}

func indexStates(states []state, hands int) [][]liveIndex {
	index := make([][]liveIndex, hands)
	for i := range states {
		s := &states[i]
		list := &index[s.hand]
		if n := len(*list); n == 0 || (*list)[n-1].live != s.live {
			li := liveIndex{live: s.live}
			for d := range li.g {
				li.g[d] = -1
			}
			*list = append(*list, li)
		}
		(*list)[len(*list)-1].g[s.digit] = int32(i)
	}
	return index
}

func lookup(index []liveIndex, st *step) int32 {
	for i := range index {
		if index[i].live == st.live {
			return index[i].g[st.to]
		}
	}
	return -1
}
