package setlist

import (
	"context"
	"math"
	"slices"
)

// mostSteps bounds the search of the longest set, others by the square of their length: steps are changes of
// tuning that are looked at.
const mostSteps = 1_500_000_000

// longestRun is how many tunes are moved at once: longer runs seldom help and take long.
const longestRun = 5

// improver betters an order by moving runs of tunes, whole or turned round, until nothing helps; then it shakes
// the best order and begins again, until its steps are used up.
type improver struct {
	*solver
	ctx   context.Context
	steps int
	most  int
	state uint64 // of the shaking
	other []float64
	next  []float64
}

// search finds a good order of a set too long to prove one, in so many steps at most; nil if none is allowed.
func (s *solver) search(ctx context.Context, most int) []int {
	best := s.first()
	if best == nil {
		return nil
	}
	if s.r.Guitars == 2 {
		if q := s.inTurn().search(ctx, most/2); q != nil {
			best = slices.DeleteFunc(q, func(j int) bool { return j == s.n })
		}
		most -= most / 2
	}
	im := &improver{solver: s, ctx: ctx, most: most, state: 1, other: make([]float64, s.n+1), next: make([]float64, s.n+1)}
	best = im.improve(best)
	least := im.cost(best)
	for im.going() {
		q := im.shaken(best)
		if q == nil {
			continue
		}
		q = im.improve(q)
		if c := im.cost(q); c < least-1e-9 || c < least+1e-9 && im.random(2) == 0 {
			best, least = q, min(c, least)
		}
	}
	return best
}

// inTurn is the set played on one guitar and then on the other: as on one, with the change of guitars as one
// more tune. Most good orders for two guitars are like that, or nearly so.
func (s *solver) inTurn() *solver {
	r := *s.r
	r.Guitars = 1
	out := &solver{r: &r, n: s.n + 1, free: s.free}
	for i := range s.n {
		out.cost = append(out.cost, append(slices.Clone(s.cost[i]), swapGuitar))
	}
	begin := append(slices.Clone(s.cost[s.n]), 0)
	out.cost = append(out.cost, begin, begin) // after the change, and at first
	return out
}

func (im *improver) going() bool { return im.steps < im.most && im.ctx.Err() == nil }

// random is a number below n; always the same ones (a linear congruential generator with Knuth's constants).
func (im *improver) random(n int) int {
	im.state = im.state*6364136223846793005 + 1442695040888963407
	return int(im.state>>33) % n
}

// shaken exchanges two neighbouring stretches of an order; nil if that is not allowed.
func (im *improver) shaken(seq []int) []int {
	im.steps += im.n
	cut := []int{im.random(im.n + 1), im.random(im.n + 1), im.random(im.n + 1)}
	slices.Sort(cut)
	q := slices.Concat(seq[:cut[0]], seq[cut[1]:cut[2]], seq[cut[0]:cut[1]], seq[cut[2]:])
	if !im.allowed(q) {
		return nil
	}
	return q
}

// cost is what an order costs on the guitars at its best: order without its words.
func (im *improver) cost(seq []int) float64 {
	if im.r.Guitars == 1 {
		im.steps += len(seq)
		sum, last := 0.0, im.n
		for _, j := range seq {
			sum, last = sum+im.solver.cost[last][j], j
		}
		return sum
	}
	im.steps += len(seq) * (im.n + 1)
	here, there := im.other, im.next // by what the other guitar is tuned to
	for i := range here {
		here[i] = math.Inf(1)
	}
	here[im.n] = im.solver.cost[im.n][seq[0]]
	for k := 1; k < len(seq); k++ {
		stay, swapped := im.solver.cost[seq[k-1]][seq[k]], math.Inf(1)
		for o, c := range here {
			there[o] = c + stay
			swapped = min(swapped, c+swapGuitar+im.solver.cost[o][seq[k]])
		}
		there[seq[k-1]] = min(there[seq[k-1]], swapped)
		here, there = there, here
	}
	return slices.Min(here)
}

// improve moves runs of tunes for as long as that helps.
func (im *improver) improve(seq []int) []int {
	best := im.cost(seq)
	q := make([]int, len(seq))
	for improved := true; improved && im.going(); {
		improved = false
		for n := 1; n <= min(longestRun, len(seq)-1); n++ {
			for i := 0; i+n <= len(seq); i++ {
				for j := 0; j+n <= len(seq); j++ {
					for _, turned := range [2]bool{false, true} {
						if j == i && !turned || n == 1 && turned {
							continue
						}
						if im.r.Guitars == 1 && im.gain(seq, i, n, j, turned) > -1e-9 {
							continue
						}
						move(q, seq, i, n, j, turned)
						if c := im.cost(q); c < best-1e-9 && im.allowed(q) {
							seq, q, best, improved = q, seq, c, true
						}
					}
				}
			}
		}
	}
	return seq
}

// gain is what moving n tunes from i before the j-th of the rest changes the cost by, on one guitar.
func (im *improver) gain(seq []int, i, n, j int, turned bool) float64 {
	im.steps += 4 + n
	at := func(k int) int { // the order with the start before it; -1 is its end
		switch {
		case k < 0:
			return im.n
		case k >= len(seq):
			return -1
		}
		return seq[k]
	}
	arc := func(a, b int) float64 {
		if b < 0 {
			return 0
		}
		return im.solver.cost[a][b]
	}
	first, last := seq[i], seq[i+n-1]
	sum := arc(at(i-1), at(i+n)) - arc(at(i-1), first) - arc(last, at(i+n))
	before, after := at(j-1), at(j)
	switch {
	case j == i: // turned where it stands
		before, after = at(i-1), at(i+n)
		sum = -arc(before, first) - arc(last, after)
	case j > i:
		before, after = at(j+n-1), at(j+n)
		sum -= arc(before, after)
	default:
		sum -= arc(before, after)
	}
	if !turned {
		return sum + arc(before, first) + arc(last, after)
	}
	for k := i; k < i+n-1; k++ {
		sum += im.solver.cost[seq[k+1]][seq[k]] - im.solver.cost[seq[k]][seq[k+1]]
	}
	return sum + arc(before, last) + arc(first, after)
}

// move fills q with seq, n tunes from i put before the j-th of the rest, turned round or not.
func move(q, seq []int, i, n, j int, turned bool) {
	rest := append(append(q[:0], seq[:i]...), seq[i+n:]...)
	q = append(rest, seq[i:i+n]...)
	copy(q[j+n:], q[j:len(rest)])
	for k := range n {
		from := i + k
		if turned {
			from = i + n - 1 - k
		}
		q[j+k] = seq[from]
	}
}

// first is an order that is allowed: opener, then tunes with their neighbours, then closer.
func (s *solver) first() []int {
	var out []int
	var place func(mask uint64) bool
	steps := 0
	place = func(mask uint64) bool {
		if len(out) == s.n {
			return s.allowed(out)
		}
		if steps++; steps > 200_000 {
			return false
		}
		for j := range s.n {
			if mask>>j&1 != 0 || len(out) == 0 && s.r.Opener >= 0 && j != s.r.Opener || j == s.r.Closer && len(out)+1 < s.n {
				continue
			}
			if len(out) > 0 && !s.mayFollow(uint(mask), out[len(out)-1], j) {
				continue
			}
			out = append(out, j)
			if place(mask | 1<<j) {
				return true
			}
			out = out[:len(out)-1]
		}
		return false
	}
	if !place(0) {
		return nil
	}
	return out
}
