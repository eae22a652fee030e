package setlist

import "math"

// Steps with which the bound is raised, and by how much of what is missing each goes at first.
const (
	raises    = 1500
	raiseMost = 1.5
)

// bound is what any order costs at least, at most close below known. Every tune is reached from another or from the start, and
// from each at most one: without that last rule the cheapest is a tree, and what breaks the rule is made dearer step by step
// (Held and Karp 1971, for a directed path). On two guitars two tunes may be reached from the start, for one change of guitars.
func (s *solver) bound(known float64) float64 {
	least := s.treeBound(known, 1)
	if s.r.Guitars == 2 {
		least = min(least, swapGuitar+s.treeBound(known-swapGuitar, 2))
	}
	return least
}

// treeBound is the bound with so many tunes reached from the start.
func (s *solver) treeBound(known float64, roots int) float64 {
	price := make([]float64, s.n+1) // of leaving each, the start last: one more than it may
	best, share := math.Inf(-1), raiseMost
	since := 0
	cost := make([][]float64, s.n+1)
	for i := range cost {
		cost[i] = make([]float64, s.n)
	}
	for range raises {
		for i := range cost {
			for j := range cost[i] {
				switch {
				case i == j, i == s.n && s.r.Opener >= 0 && roots == 1 && j != s.r.Opener, i < s.n && j == s.r.Opener, i == s.r.Closer:
					cost[i][j] = math.Inf(1)
				default:
					cost[i][j] = s.cost[i][j] + price[i]
				}
			}
		}
		sum, from := arborescence(cost)
		for i, p := range price {
			if i == s.n {
				p *= float64(roots)
			}
			sum -= p
		}
		if sum > best+1e-9 {
			best, since = sum, 0
		} else if since++; since > 30 {
			share, since = share/2, 0
		}
		over, size := make([]float64, s.n+1), 0.0
		for i := range over {
			over[i] = -1
		}
		over[s.n] = -float64(roots)
		for _, i := range from {
			over[i]++
		}
		for i := range over {
			if over[i] < 0 && i < s.n && price[i] == 0 {
				over[i] = 0 // a tune may be the last
			}
			size += over[i] * over[i]
		}
		if size == 0 || best >= known-1e-6 {
			break
		}
		for i := range over {
			price[i] += share * max(known-sum, 0.1) / size * over[i]
			if i < s.n {
				price[i] = max(0, price[i])
			}
		}
	}
	return best
}

// arborescence is the cheapest tree by which every tune is reached from the start, the last row of cost, and from where each is
// reached (Chu and Liu 1965, Edmonds 1967). Infinite if there is none.
func arborescence(cost [][]float64) (sum float64, from []int) {
	n := len(cost) // the start is n-1
	root := n - 1
	from = make([]int, root)
	for j := range from {
		from[j] = -1
		for i := range n {
			if i != j && (from[j] < 0 || cost[i][j] < cost[from[j]][j]) {
				from[j] = i
			}
		}
		sum += cost[from[j]][j]
	}
	circle := circleIn(from)
	if circle == nil || math.IsInf(sum, 1) {
		return sum, from
	}
	k := contract(cost, from, circle)
	less, reached := arborescence(k.cost)
	k.unfold(reached, from)
	return k.inside + less, from
}

// contracted is a table in which a circle has become one tune: to enter it at one of its tunes saves how that was reached.
type contracted struct {
	cost   [][]float64
	names  []int   // of its rows in the table before: the tunes outside, -1 for the circle, the start
	enter  []int   // by row, where the circle is entered from there
	leave  []int   // by tune outside, from where in the circle it is reached
	inside float64 // cost of the circle
}

func contract(cost [][]float64, from, circle []int) *contracted {
	root := len(from)
	in := make([]bool, root)
	k := &contracted{}
	for _, j := range circle {
		in[j] = true
		k.inside += cost[from[j]][j]
	}
	for i := range root {
		if !in[i] {
			k.names = append(k.names, i)
		}
	}
	one := len(k.names) // the circle's number, the start behind it
	k.names = append(k.names, -1, root)
	k.enter, k.leave = make([]int, one+2), make([]int, one)
	for i, name := range k.names {
		row := make([]float64, one+1)
		for j := range row {
			row[j] = math.Inf(1)
		}
		for j := range one {
			switch {
			case i == one:
				k.leave[j] = cheapest(circle, func(c int) float64 { return cost[c][k.names[j]] })
				row[j] = cost[k.leave[j]][k.names[j]]
			case i != j:
				row[j] = cost[name][k.names[j]]
			}
		}
		if i != one {
			saved := func(c int) float64 { return cost[name][c] - cost[from[c]][c] }
			k.enter[i] = cheapest(circle, saved)
			row[one] = saved(k.enter[i])
		}
		k.cost = append(k.cost, row)
	}
	return k
}

// cheapest is the one of least cost, the first of equals.
func cheapest(of []int, cost func(int) float64) int {
	best := of[0]
	for _, c := range of[1:] {
		if cost(c) < cost(best) {
			best = c
		}
	}
	return best
}

// unfold puts into from what the tree of the contracted table says of the one before.
func (k *contracted) unfold(reached, from []int) {
	one := len(k.leave)
	for j, i := range reached {
		switch {
		case j == one:
			from[k.enter[i]] = k.names[i]
		case i == one:
			from[k.names[j]] = k.leave[j]
		default:
			from[k.names[j]] = k.names[i]
		}
	}
}

// circleIn finds tunes that are reached from one another in a circle, nil if there are none.
func circleIn(from []int) []int {
	mark := make([]int, len(from))
	for start := range from {
		j := start
		for j < len(from) && mark[j] == 0 {
			mark[j] = start + 1
			j = from[j]
		}
		if j < len(from) && mark[j] == start+1 {
			circle := []int{j}
			for i := from[j]; i != j; i = from[i] {
				circle = append(circle, i)
			}
			return circle
		}
	}
	return nil
}
