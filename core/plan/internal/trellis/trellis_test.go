package trellis

import (
	"errors"
	"math/rand/v2"
	"slices"
	"testing"
)

// bounds are those of a toy, backward.
func (y *toy) bounds() []*Bound {
	m := &Masking{Masks: []uint8{0, 1, 2}, N: toyMasks}
	m.Of[1], m.Of[2] = 1, 2
	out := make([]*Bound, y.Len())
	for t := y.Len() - 1; t >= 0; t-- {
		if t == y.Len()-1 {
			out[t] = EndBound(m, len(y.stages[t].Nodes))
			continue
		}
		out[t] = out[t+1].Before(&y.stages[t+1].Stage, y.stages[t+1], y.stages[t+1].onset)
	}
	return out
}

// TestSolve: the best way costs what trying everything finds, with and without the bound and a beam, and its steps add up to it; where
// nothing is found there is none.
func TestSolve(t *testing.T) {
	rng, p := rand.New(rand.NewPCG(1, 26)), &Pass{}
	dead := 0
	for n := range 600 {
		y := newToy(rng, 2+rng.IntN(3), 1+rng.IntN(3))
		want := y.rest(0, &State{}, nil)
		l, err := p.Solve(y, nil)
		var end *DeadEnd
		if errors.As(err, &end) {
			if dead++; want < Inf {
				t.Fatalf("toy %d: no way at %d, %d by trying", n, end.At, want)
			}
			continue
		}
		if l.Total() != want {
			t.Fatalf("toy %d: %d, %d by trying", n, l.Total(), want)
		}
		bounds := y.bounds()
		for _, beam := range []int{2, 0} {
			total := want
			if beam > 0 {
				total = Inf
			}
			q, err := p.Solve(y, func(t int) *Limit { return &Limit{ToGo: bounds[t], Total: total, Beam: beam, Slack: 2} })
			if beam == 0 && (err != nil || !sameWay(q.Path, l.Path)) || err == nil && q.Total() < want {
				t.Fatalf("toy %d within its bound, beam %d: %v", n, beam, err)
			}
		}
		cost, from := Cost(0), State{}
		for i := range l.Path {
			least := Inf
			for _, s := range y.steps(i, &from) {
				if s.to.Same(&l.Path[i]) && s.to.Step == l.Path[i].Step {
					least = min(least, s.cost)
				}
			}
			if cost += least; cost != l.Path[i].Cost {
				t.Fatalf("toy %d, moment %d: the way costs %d, told %d", n, i, cost, l.Path[i].Cost)
			}
			from = l.Path[i]
		}
	}
	if dead > 300 {
		t.Errorf("%d toys of 600 have no way", dead)
	}
}

// sameWay reports whether two ways pass the same states by the same steps at the same costs.
func sameWay(a, b []State) bool {
	return slices.EqualFunc(a, b, func(x, y State) bool { return x.Same(&y) && x.Cost == y.Cost && x.Step == y.Step })
}

// TestExplore: the cost to go of every state of the whole lattice, and the least total through every node, way and label, are what
// trying everything finds; a bound is never above them.
func TestExplore(t *testing.T) {
	rng, p := rand.New(rand.NewPCG(2, 26)), &Pass{}
	for n := range 120 {
		y := newToy(rng, 2+rng.IntN(3), 1+rng.IntN(3))
		l, err := p.Solve(y, nil)
		if err != nil {
			continue
		}
		if rng.IntN(2) > 0 { // or moment by moment
			if err := p.Explore(y, l, 0, y.Len()-1); err != nil {
				t.Fatal(err)
			}
		}
		bounds := y.bounds()
		for i := range y.stages {
			if err := p.Explore(y, l, i, i); err != nil {
				t.Fatal(err)
			}
			l.EachState(i, func(s *State, toGo Cost) {
				if want := y.rest(i+1, s, nil); min(toGo, Inf) != want || bounds[i].From(int(s.Node), s.Tag, s.Pick) > want {
					t.Fatalf("toy %d, moment %d, %+v: %d to go, %d by trying, bound %d", n, i, s, toGo, want, bounds[i].From(int(s.Node), s.Tag, s.Pick))
				}
			})
			sameMarginals(t, y, p, l, i)
		}
	}
}

type through struct {
	node      int
	by, label uint8
}

// sameMarginals compares the marginals of a moment with trying everything, and what Edit finds through each.
func sameMarginals(t *testing.T, y *toy, p *Pass, l *Lattice, at int) {
	t.Helper()
	got := map[through]Cost{}
	err := p.Marginals(y, l, at, nil, func(int, uint8, uint8) Cost { return Inf }, func(node int, by, label uint8, total Cost) {
		k := through{node, by, label}
		if c, ok := got[k]; !ok || total < c {
			got[k] = total
		}
	})
	if err != nil {
		t.Fatal(err)
	}
	for node := range y.stages[at].Nodes {
		for by := range uint8(4) {
			for label := range uint8(2) {
				k := through{node, by, label}
				want := y.rest(0, &State{}, func(t int, s *State) bool {
					return t != at || int(s.Node) == node && s.By == by && s.Label == label
				})
				if total, ok := got[k]; ok && total != want || !ok && want < Inf {
					t.Fatalf("moment %d through %+v: %d (%v), %d by trying", at, k, total, ok, want)
				}
				if want == Inf {
					continue
				}
				allow := func(g int, b, l uint8) bool { return g == node && b == by && l == label }
				for _, told := range []Cost{Inf, want} {
					first, states, total, err := p.Edit(y, l, Change{Lo: at, Hi: at, Was: y, Allow: allow, Total: told})
					s := states[at-first]
					if err != nil || total != want || int(s.Node) != node || s.By != by || s.Label != label {
						t.Fatalf("moment %d through %+v: %d %+v %v, want %d", at, k, total, s, err, want)
					}
				}
			}
		}
	}
}

// TestEdit: a toy of which some stages are drawn again is solved by an edit as from nothing, to the last step, and explored as from
// nothing, all of it or in part; so is the edit of an edit, and the way back.
func TestEdit(t *testing.T) {
	rng, p := rand.New(rand.NewPCG(3, 26)), &Pass{}
	shared := 0
	for range 300 {
		y := newToy(rng, 6+rng.IntN(20), 1+rng.IntN(4))
		l, err := p.Solve(y, nil)
		if err != nil {
			continue
		}
		first := y
		for range 3 {
			if at := rng.IntN(y.Len()); rng.IntN(3) > 0 {
				err = p.Explore(y, l, at, at)
			} else {
				err = p.Explore(y, l, 0, y.Len()-1)
			}
			if err != nil {
				t.Fatal(err)
			}
			lo := rng.IntN(y.Len())
			hi := min(lo+rng.IntN(3), y.Len()-1)
			z := y.changed(rng, lo, hi)
			if rng.IntN(4) == 0 && y == first { // an edit that changes nothing
				z = first.changed(rng, 1, 0)
			}
			l2 := sameEdit(t, rng, z, y, p, l, lo, min(hi+1, y.Len()-1))
			if l2 == nil {
				break
			}
			for i := range l2.layers {
				if l2.layers[i] != nil && l2.layers[i] == l.layers[i] && l2.backs[i] == l.backs[i] {
					shared++
				}
			}
			y, l = z, l2.Snapshot()
			if rng.IntN(2) > 0 {
				l = l.Cut()
			}
		}
	}
	if shared == 0 {
		t.Error("no edit shares anything")
	}
}

// sameEdit solves z as an edit of y's lattice l and from nothing; nil if there is no way.
func sameEdit(t *testing.T, rng *rand.Rand, z, y *toy, p *Pass, l *Lattice, lo, hi int) *Lattice {
	t.Helper()
	fresh, err := p.Solve(z, nil)
	at, states, total, err2 := p.Edit(z, l, Change{Lo: lo, Hi: hi, Was: y, Total: Inf})
	if err != nil || err2 != nil {
		if (err == nil) != (err2 == nil) {
			t.Fatalf("from nothing %v, by an edit %v", err, err2)
		}
		return nil
	}
	path := l.Along(at, states, total)
	if !sameWay(path, fresh.Path) {
		t.Fatalf("edited %d to %d: %+v, from nothing %+v", lo, hi, path, fresh.Path)
	}
	edited := Edited(path, l, lo, hi)
	if err := p.Explore(z, fresh, 0, z.Len()-1); err != nil {
		t.Fatal(err)
	}
	moments := rng.Perm(z.Len())
	for _, i := range moments[:1+rng.IntN(z.Len())] {
		if err := p.Explore(z, edited, i, i); err != nil {
			t.Fatal(err)
		}
		sameStates(t, edited, fresh, i)
	}
	return edited
}

// sameStates compares the states of a moment, and what it costs to go on from them.
func sameStates(t *testing.T, l, m *Lattice, at int) {
	t.Helper()
	var a, b []State
	var goA, goB []Cost
	l.EachState(at, func(s *State, toGo Cost) { a, goA = append(a, *s), append(goA, toGo) })
	m.EachState(at, func(s *State, toGo Cost) { b, goB = append(b, *s), append(goB, toGo) })
	if !slices.Equal(a, b) || !slices.Equal(goA, goB) {
		t.Fatalf("moment %d of %d:\n%+v %v\n%+v %v", at, len(l.Path), a, goA, b, goB)
	}
}

// TestLong: a long lattice that is asked here and there tells the same as one that knows all. It does not look at the end for that,
// and forgets what it was asked long ago.
func TestLong(t *testing.T) {
	rng, p := rand.New(rand.NewPCG(4, 26)), &Pass{}
	y := newToy(rng, 2*whole, 3)
	l, err := p.Solve(y, nil)
	for err != nil {
		y = newToy(rng, 2*whole, 3)
		l, err = p.Solve(y, nil)
	}
	all := l.Snapshot()
	if err := p.Explore(y, all, 0, y.Len()-1); err != nil {
		t.Fatal(err)
	}
	known := func() (n int) {
		for k := range l.layers {
			if l.layers[k] != nil {
				n++
			}
		}
		return n
	}
	forgot := false
	for n := range 80 {
		at, before := rng.IntN(y.Len()), known()
		least := Inf
		err := p.Marginals(y, l, at, nil, func(int, uint8, uint8) Cost { return Inf }, func(_ int, _, _ uint8, total Cost) { least = min(least, total) })
		if err != nil || least != l.Total() {
			t.Fatalf("moment %d: the cheapest way through costs %d, the best way %d (%v)", at, least, l.Total(), err)
		}
		for k := range l.layers {
			if l.layers[k] != nil && l.backs[k] != nil {
				sameStates(t, l, all, k)
			}
		}
		forgot = forgot || known() < before
		if n%20 > 0 {
			continue
		}
		z := y.changed(rng, at, at)
		fresh, err := p.Solve(z, nil)
		_, _, total, err2 := p.Edit(z, l, Change{Lo: at, Hi: min(at+1, y.Len()-1), Was: y, Total: Inf})
		if (err == nil) != (err2 == nil) || err == nil && total != fresh.Total() {
			t.Fatalf("edited at %d: %d %v, from nothing %v", at, total, err2, err)
		}
	}
	if most := whole + y.Len()/sparse + 4*window; known() > most || !forgot || l.backs[y.Len()-1] != nil {
		t.Errorf("%d layers are known, some forgotten %v, the end looked at %v", known(), forgot, l.backs[y.Len()-1] != nil)
	}
}
