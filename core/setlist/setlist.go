// Package setlist puts tunes in the order with the least retuning between them, on one guitar or two.
//
// Costs are seconds: what a player needs to turn strings and move a capo, and a stand-in of seconds for
// the risk of tightening strings close to their limit. Up to ExactTunes the order is exact, by dynamic
// programming over the tunes played and the one played last (Held and Karp 1962), with a second guitar
// also over what that one is tuned to; beyond, it is the best that local search finds, with a bound.
package setlist

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/bits"

	"stepping/core/retune"
	"stepping/core/tuning"
)

// Tune is one piece of a set.
type Tune struct {
	Title  string
	Tuning tuning.Tuning
	Capo   int
}

// Request is what a set is ordered by. Indices are into Tunes; -1 stands for none.
type Request struct {
	Tunes      []Tune
	Guitars    int // 1 or 2
	Guitar     retune.Guitar
	Start      tuning.Tuning // what the guitars are tuned to at first; empty: whatever the first tune on each wants
	Opener     int
	Closer     int
	Neighbours [][2]int // pairs that stand next to each other, in either order
}

// Step is one tune of an order.
type Step struct {
	Tune    int
	Guitar  int // 1 or 2
	Changes []retune.Change
	Capo    int // where the capo goes, -1 if it stays
	Turns   int // half steps turned
	Seconds float64
	Risk    float64 // stand-in seconds
}

// Order is an order with its cost.
type Order struct {
	Steps   []Step
	Seconds float64
	Risk    float64
	Turns   int
}

// Cost is what an order is judged by.
func (o *Order) Cost() float64 { return o.Seconds + o.Risk }

// Set is the answer.
type Set struct {
	Best  Order
	Typed Order   // the order as typed; its steps are empty if the constraints forbid it
	Gap   float64 // how far Best may be from the best, as a share of it; 0 is proved
}

// Seconds that a player takes, and what risk counts; estimates.
const (
	perString   = 6.0  // finding a string's peg and checking its pitch
	perHalfStep = 2.0  // turning it
	secondPass  = 8.0  // going over all strings again
	capoMove    = 7.0  // putting a capo on, off or elsewhere, and checking
	swapGuitar  = 10.0 // putting one guitar down and taking the other
	riskClose   = 60.0 // a string tightened to closeShare of its strength or more
	riskTone    = 8.0  // a string tightened by a whole tone or more
	closeShare  = 0.75
)

// ExactTunes is the longest set whose order is proved, MaxTunes the longest taken.
const (
	ExactTunes = 14
	MaxTunes   = 60
)

// solver knows what it costs to go from one tune's tuning to another's. Tune n stands for the start.
type solver struct {
	r    *Request
	n    int
	cost [][]float64
	free bool // there is no start: the first tune on a guitar costs nothing
}

// Solve orders r. Errors are written for people, or ctx's. The same request has the same answer everywhere: the
// search is bounded by its steps, not by time.
func Solve(ctx context.Context, r Request) (*Set, error) {
	s := &solver{r: &r, n: len(r.Tunes), free: r.Start.Len() == 0}
	if err := s.check(); err != nil {
		return nil, err
	}
	if err := s.fill(); err != nil {
		return nil, err
	}
	typed := make([]int, s.n)
	for i := range typed {
		typed[i] = i
	}
	out := &Set{}
	if s.allowed(typed) {
		out.Typed = s.order(typed)
	}
	var best []int
	if s.n <= ExactTunes {
		best = s.exact(ctx)
	} else {
		best = s.search(ctx, mostSteps/(MaxTunes*MaxTunes)*s.n*s.n)
	}
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if best == nil {
		return nil, errors.New("no order allows this opener, closer and these neighbours together: remove one of them")
	}
	out.Best = s.order(best)
	if s.n > ExactTunes && out.Best.Cost() > 0 {
		out.Gap = max(0, out.Best.Cost()-s.bound(out.Best.Cost())) / out.Best.Cost()
	}
	return out, nil
}

func (s *solver) check() error {
	r := s.r
	in := func(i int) bool { return i >= -1 && i < s.n }
	switch {
	case s.n == 0 || s.n > MaxTunes:
		return fmt.Errorf("a set has 1 to %d tunes, not %d", MaxTunes, s.n)
	case r.Guitars != 1 && r.Guitars != 2:
		return fmt.Errorf("a set is played on 1 or 2 guitars, not %d", r.Guitars)
	case !in(r.Opener) || !in(r.Closer):
		return errors.New("the opener or closer is not in the set")
	case r.Opener >= 0 && r.Opener == r.Closer && s.n > 1:
		return errors.New("one tune cannot open and close the set")
	}
	for i, t := range r.Tunes {
		if t.Tuning.Len() != r.Tunes[0].Tuning.Len() {
			return fmt.Errorf("%s has %d strings, %s has %d: a set is for guitars of one kind", t.Title, t.Tuning.Len(),
				r.Tunes[0].Title, r.Tunes[0].Tuning.Len())
		}
		if err := tuning.CheckCapo(t.Capo); err != nil {
			return fmt.Errorf("%s: %w", r.Tunes[i].Title, err)
		}
	}
	for _, p := range r.Neighbours {
		if !in(p[0]) || !in(p[1]) || p[0] < 0 || p[1] < 0 || p[0] == p[1] {
			return errors.New("neighbours must be two different tunes of the set")
		}
	}
	return r.Guitar.Complete(r.Tunes[0].Tuning.Len())
}

// fill works out every change of tuning.
func (s *solver) fill() error {
	s.cost = make([][]float64, s.n+1)
	for i := range s.cost {
		s.cost[i] = make([]float64, s.n)
		for j := range s.cost[i] {
			if i == s.n && s.free {
				continue
			}
			step, err := s.step(i, j)
			if err != nil {
				return err
			}
			s.cost[i][j] = step.Seconds + step.Risk
		}
	}
	return nil
}

func (s *solver) tuningOf(i int) (tuning.Tuning, int) {
	if i == s.n {
		return s.r.Start, 0
	}
	return s.r.Tunes[i].Tuning, s.r.Tunes[i].Capo
}

// step is the change of one guitar from tune i's tuning to tune j's.
func (s *solver) step(i, j int) (Step, error) {
	st := Step{Tune: j, Capo: -1}
	if i == s.n && s.free {
		return st, nil
	}
	from, capo := s.tuningOf(i)
	to, wanted := s.tuningOf(j)
	between, err := Between(s.r.Guitar, from, capo, to, wanted)
	if err != nil {
		return st, fmt.Errorf("%s: %w", s.r.Tunes[j].Title, err)
	}
	between.Tune = j
	return between, nil
}

// Between is what it takes to bring a guitar from one tuning and capo to others.
func Between(g retune.Guitar, from tuning.Tuning, capo int, to tuning.Tuning, wanted int) (Step, error) {
	st := Step{Capo: -1}
	p, err := retune.New(g, from, to)
	if err != nil {
		return st, err
	}
	for _, str := range p.Order {
		c := p.Changes[str-1]
		st.Changes = append(st.Changes, c)
		st.Seconds += perString + perHalfStep*math.Abs(float64(c.HalfSteps))
		switch {
		case c.HalfSteps > 0 && c.Share >= closeShare:
			st.Risk += riskClose
		case c.HalfSteps >= 2:
			st.Risk += riskTone
		}
	}
	if st.Turns = p.Steps(); st.Turns > 0 {
		st.Seconds += secondPass
	}
	if capo != wanted {
		st.Capo = wanted
		st.Seconds += capoMove
	}
	return st, nil
}

// allowed reports whether an order keeps opener, closer and neighbours.
func (s *solver) allowed(order []int) bool {
	at := make([]int, s.n)
	for k, i := range order {
		at[i] = k
	}
	if s.r.Opener >= 0 && at[s.r.Opener] != 0 || s.r.Closer >= 0 && at[s.r.Closer] != s.n-1 {
		return false
	}
	for _, p := range s.r.Neighbours {
		if d := at[p[0]] - at[p[1]]; d != 1 && d != -1 {
			return false
		}
	}
	return true
}

// mayFollow reports whether j may come next after i, those of mask being played, i among them: who
// has a neighbour still to come is followed by it, and the closer comes last.
func (s *solver) mayFollow(mask uint, i, j int) bool {
	for _, p := range s.r.Neighbours {
		for k := range 2 {
			if p[k] == i && mask>>p[1-k]&1 == 0 && j != p[1-k] {
				return false
			}
			// j's neighbour was played, but not just now.
			if p[k] == j && mask>>p[1-k]&1 != 0 && p[1-k] != i {
				return false
			}
		}
	}
	return j != s.r.Closer || bits.OnesCount(mask)+1 == s.n
}

// node is the last tune, and what the other guitar is tuned to: a tune, or n for the start.
type node struct{ last, other int }

// exact finds the best order by dynamic programming; nil if there is none.
func (s *solver) exact(ctx context.Context) []int {
	width := 1
	if s.r.Guitars == 2 {
		width = s.n + 1
	}
	size := s.n * width
	index := func(nd node) int {
		if width == 1 {
			return nd.last
		}
		return nd.last*width + nd.other
	}
	cost := make([]float64, size<<s.n)
	prev := make([]int16, size<<s.n)
	for i := range cost {
		cost[i] = math.Inf(1)
	}
	at := func(mask uint, nd node) int { return int(mask)*size + index(nd) }
	for j := range s.n {
		if (s.r.Opener < 0 || s.r.Opener == j) && (j != s.r.Closer || s.n == 1) {
			cost[at(1<<j, node{j, s.n})] = s.cost[s.n][j]
		}
	}
	for mask := uint(1); mask < 1<<s.n; mask++ {
		if mask%1024 == 0 && ctx.Err() != nil {
			return nil
		}
		for last := range s.n {
			if mask>>last&1 == 0 {
				continue
			}
			for w := range width {
				nd := node{last, s.n - (width - 1 - w)}
				if width > 1 {
					nd.other = w
				}
				here := at(mask, nd)
				if math.IsInf(cost[here], 1) {
					continue
				}
				for j := range s.n {
					if mask>>j&1 != 0 || !s.mayFollow(mask, last, j) {
						continue
					}
					s.relax(cost, prev, here, index(nd), at(mask|1<<j, node{j, nd.other}), s.cost[last][j])
					if width > 1 {
						s.relax(cost, prev, here, index(nd), at(mask|1<<j, node{j, last}), swapGuitar+s.cost[nd.other][j])
					}
				}
			}
		}
	}
	return s.traceBack(cost, prev, size, width)
}

// traceBack reads the best order of all tunes from the table; nil if there is none.
func (s *solver) traceBack(cost []float64, prev []int16, size, width int) []int {
	full, best := uint(1)<<s.n-1, -1
	for k := range size {
		if i := int(full)*size + k; !math.IsInf(cost[i], 1) && (best < 0 || cost[i] < cost[best]) {
			best = i
		}
	}
	if best < 0 {
		return nil
	}
	var order []int
	for mask, k := full, best-int(full)*size; mask != 0; {
		last := k / width
		order = append([]int{last}, order...)
		k, mask = int(prev[int(mask)*size+k]), mask&^(1<<last)
	}
	return order
}

func (s *solver) relax(cost []float64, prev []int16, here, from, to int, more float64) {
	if c := cost[here] + more; c < cost[to] {
		cost[to], prev[to] = c, int16(from)
	}
}

// turn is how a tune of an order is come to: at what cost by then, what the other guitar was tuned to
// before, and whether it is played on the guitar of the tune before.
type turn struct {
	cost float64
	prev int
	same bool
}

// turns finds for each tune of an order the cheapest way to it, by what the other guitar is tuned to.
func (s *solver) turns(seq []int) []map[int]turn {
	table := make([]map[int]turn, len(seq))
	for k, j := range seq {
		table[k] = map[int]turn{}
		put := func(other int, w turn) {
			if old, ok := table[k][other]; !ok || w.cost < old.cost {
				table[k][other] = w
			}
		}
		if k == 0 {
			put(s.n, turn{s.cost[s.n][j], -1, true})
			continue
		}
		for other := range s.n + 1 {
			w, ok := table[k-1][other]
			if !ok {
				continue
			}
			put(other, turn{w.cost + s.cost[seq[k-1]][j], other, true})
			if s.r.Guitars == 2 {
				put(seq[k-1], turn{w.cost + swapGuitar + s.cost[other][j], other, false})
			}
		}
	}
	return table
}

// order plays an order on the guitars so that it costs least.
func (s *solver) order(seq []int) Order {
	table := s.turns(seq)
	last, best := -1, math.Inf(1)
	for other := range s.n + 1 {
		if w, ok := table[len(seq)-1][other]; ok && w.cost < best {
			last, best = other, w.cost
		}
	}
	from, same := make([]int, len(seq)), make([]bool, len(seq))
	for k := len(seq) - 1; k >= 0; k-- {
		w := table[k][last]
		switch same[k] = w.same; {
		case k == 0:
			from[k] = s.n
		case w.same:
			from[k] = seq[k-1]
		default:
			from[k] = w.prev
		}
		last = w.prev
	}
	var out Order
	guitar := 1
	for k, j := range seq {
		st, _ := s.step(from[k], j) // worked out before without a fault
		if !same[k] {
			guitar = 3 - guitar
			st.Seconds += swapGuitar
		}
		st.Guitar = guitar
		out.Steps = append(out.Steps, st)
		out.Seconds, out.Risk, out.Turns = out.Seconds+st.Seconds, out.Risk+st.Risk, out.Turns+st.Turns
	}
	return out
}
