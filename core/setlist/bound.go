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
	// The circle becomes one tune; to enter it at one of its tunes saves how that was reached.
	in := make([]bool, n)
	inside := 0.0
	for _, j := range circle {
		in[j] = true
		inside += cost[from[j]][j]
	}
	var outside []int
	for i := range root {
		if !in[i] {
			outside = append(outside, i)
		}
	}
	one := len(outside) // its number, the start behind it
	small := make([][]float64, one+2)
	enter, leave := make([]int, one+2), make([]int, one)
	name := func(i int) int {
		if i == one+1 {
			return root
		}
		return outside[i]
	}
	for i := range small {
		small[i] = make([]float64, one+1)
		for j := range small[i] {
			small[i][j] = math.Inf(1)
		}
		if i == one {
			for j := range one {
				leave[j] = circle[0]
				for _, c := range circle {
					if cost[c][outside[j]] < cost[leave[j]][outside[j]] {
						leave[j] = c
					}
				}
				small[i][j] = cost[leave[j]][outside[j]]
			}
			continue
		}
		for j := range one {
			if i != j {
				small[i][j] = cost[name(i)][outside[j]]
			}
		}
		for _, c := range circle {
			if v := cost[name(i)][c] - cost[from[c]][c]; v < small[i][one] {
				small[i][one], enter[i] = v, c
			}
		}
	}
	less, reached := arborescence(small)
	for j, i := range reached {
		switch {
		case j == one:
			from[enter[i]] = name(i)
		case i == one:
			from[outside[j]] = leave[j]
		default:
			from[outside[j]] = name(i)
		}
	}
	return inside + less, from
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
