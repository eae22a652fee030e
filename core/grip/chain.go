package grip

import (
	"fmt"
	"math"

	"stepping/core/chord"
)

// Each chord of a progression is looked for among its chainGrips best grips, in every fingering that
// costs at most chainSlack more than the easiest.
const (
	chainGrips = 32
	chainSlack = 0.25
)

// Candidates are the grips among which a chain chooses for one chord.
type Candidates struct {
	Chord chord.Chord
	Grips []Grip
}

// Candidates lists the grips for one chord of a chain; all of one shape if frets are given.
func (t Guitar) Candidates(c chord.Chord, frets *[strings6 + 1]int) (*Candidates, error) {
	out := &Candidates{Chord: c}
	shapes := t.Find(c, chainGrips)
	if frets != nil {
		g, err := t.Hold(c, *frets)
		if err != nil {
			return nil, err
		}
		shapes = []Grip{g}
	}
	if len(shapes) == 0 {
		return nil, &NoGripError{c}
	}
	a := t.newAssigner()
	for i := range shapes {
		s := &shapes[i]
		easiest, _ := a.best(&s.Frets, math.Inf(1))
		shape := s.Cost - easiest.cost()
		for _, g := range a.near(&s.Frets, easiest.cost()+chainSlack) {
			whole := t.finish(&s.Frets, &g, shape)
			whole.Cost = shape + g.cost() // what keeps strings silent is the shape's
			out.Grips = append(out.Grips, whole)
		}
	}
	return out, nil
}

// NoGripError is a chord that cannot be held in this tuning by this player.
type NoGripError struct{ Chord chord.Chord }

func (e *NoGripError) Error() string {
	return fmt.Sprintf("%s: no grip is within reach in this tuning: choose another tuning or capo, or a simpler chord", e.Chord.Name)
}

// Hold is the grip of c for given frets with its easiest fingering, whatever it sounds; the error says
// why there is none.
func (t Guitar) Hold(c chord.Chord, frets [strings6 + 1]int) (Grip, error) {
	for s := 1; s <= strings6; s++ {
		if f := frets[s]; f != Out && (f < t.Capo || f > t.Player.Instrument.Frets) {
			return Grip{}, fmt.Errorf("string %d: fret %d is not between the capo (%d) and the last fret (%d)", s, f, t.Capo,
				t.Player.Instrument.Frets)
		}
	}
	h, ok := t.newAssigner().best(&frets, math.Inf(1))
	if !ok {
		return Grip{}, fmt.Errorf("these frets cannot be fretted: fingers %v reach %.0f mm, stay in fret order, and each presses one string or bar", t.Player.FreeFingers(), t.mm(t.Player.ReachMM))
	}
	return t.finish(&frets, h, t.newFinder(c).weigh(&frets)), nil
}

// near lists the fingerings of frets that cost at most limit.
func (a *assigner) near(frets *[strings6 + 1]int, limit float64) []fingering {
	var out []fingering
	a.frets, a.limit, a.every = frets, limit+1e-9, &out
	a.presses = a.t.presses(frets, a.presses[:0])
	a.place(0, 0, fingering{})
	a.every = nil
	return out
}

// Move is the effort of changing from g to h: fingers lifted, put down and moved, and the hand's way
// along the neck. A finger that stays costs nothing. It is not less the other way by more than the
// fingers' coming and going.
func (t Guitar) Move(g, h *Grip) float64 {
	a, b := t.holdOf(g), t.holdOf(h)
	return move(&a, &b)
}

// hold is what a change sees of a grip.
type hold struct {
	str  [thumbOver + 1]int // thickest string of each finger, 0 if it is free
	fret [thumbOver + 1]int
	x    [thumbOver + 1]float64
	pos  float64
	held bool
}

func (t Guitar) holdOf(g *Grip) hold {
	h := hold{pos: g.pos, held: g.held}
	for s := 1; s <= strings6; s++ {
		if f := g.Fingers[s]; f != 0 {
			h.str[f], h.fret[f], h.x[f] = s, g.Frets[s], t.x(g.Frets[s])
		}
	}
	return h
}

// stringGap is the distance of neighbouring strings in mm as far as a finger's way is concerned.
const stringGap = 9.0

func move(g, h *hold) float64 {
	cost := 0.0
	for f := 1; f <= thumbOver; f++ {
		a, b := g.str[f], h.str[f]
		switch {
		case a == 0 && b == 0:
		case a == 0:
			cost += fingerDown
		case b == 0:
			cost += fingerUp
		case a != b || g.fret[f] != h.fret[f]:
			d := math.Abs(g.x[f]-h.x[f]) + stringGap*math.Abs(float64(a-b))
			cost += min(fingerSlide*d+fingerUp, fingerUp+fingerDown)
		}
	}
	if g.held && h.held {
		cost += handShift * math.Abs(g.pos-h.pos)
	}
	return cost
}

// Stays lists the fingers that are on the same string and fret in both grips.
func Stays(g, h *Grip) (out []int) {
	for f := 1; f <= thumbOver; f++ {
		for s := strings6; s >= 1; s-- {
			if g.Fingers[s] == f && h.Fingers[s] == f && g.Frets[s] == h.Frets[s] {
				out = append(out, f)
				break
			}
		}
	}
	return out
}

// Chain returns for every place of a progression the index of the grip to take among cands, so that
// the grips and the changes between them cost least in all: own(i, k) is what grip k at place i costs
// next to its own effort, nil for nothing; hurry[i] weighs the change into place i (nil: 1 for all).
// It is exact; of equal chains that with the earlier grips is taken.
func (t Guitar) Chain(cands []*Candidates, own func(i, k int) float64, hurry []float64) (path []int, total float64) {
	if len(cands) == 0 {
		return nil, 0
	}
	cost := func(i, k int) float64 {
		c := cands[i].Grips[k].Cost
		if own != nil {
			c += own(i, k)
		}
		return c
	}
	ts := tables{t, map[*Candidates][]hold{}, map[[2]*Candidates][]float64{}}
	best := make([]float64, len(cands[0].Grips))
	for k := range best {
		best[k] = cost(0, k)
	}
	from := make([][]int32, len(cands))
	for i := 1; i < len(cands); i++ {
		table := ts.of(cands[i-1], cands[i])
		weight := 1.0
		if hurry != nil {
			weight = hurry[i]
		}
		next := make([]float64, len(cands[i].Grips))
		from[i] = make([]int32, len(next))
		for k := range next {
			row := table[k*len(best) : (k+1)*len(best)]
			least, at := math.Inf(1), int32(0)
			for j, c := range best {
				if c += weight * row[j]; c < least {
					least, at = c, int32(j)
				}
			}
			next[k], from[i][k] = least+cost(i, k), at
		}
		best = next
	}
	last := 0
	for k := range best {
		if best[k] < best[last] {
			last = k
		}
	}
	path = make([]int, len(cands))
	for i, k := len(cands)-1, last; i >= 0; i-- {
		path[i] = k
		if i > 0 {
			k = int(from[i][k])
		}
	}
	return path, best[last]
}

// tables holds the cost of every change between two chords' grips: by the second, then the first.
type tables struct {
	t     Guitar
	holds map[*Candidates][]hold
	known map[[2]*Candidates][]float64
}

func (ts *tables) holdsOf(c *Candidates) []hold {
	if ts.holds[c] == nil {
		for i := range c.Grips {
			ts.holds[c] = append(ts.holds[c], ts.t.holdOf(&c.Grips[i]))
		}
	}
	return ts.holds[c]
}

func (ts *tables) of(a, b *Candidates) []float64 {
	key := [2]*Candidates{a, b}
	if ts.known[key] == nil {
		from, to := ts.holdsOf(a), ts.holdsOf(b)
		table := make([]float64, 0, len(from)*len(to))
		for k := range to {
			for j := range from {
				table = append(table, move(&from[j], &to[k]))
			}
		}
		ts.known[key] = table
	}
	return ts.known[key]
}

// Reaches reports whether finger f can hold str at fret next to what g's other fingers hold.
func (t Guitar) Reaches(g *Grip, f, str, fret int) bool {
	frets, fingers := g.Frets, g.Fingers
	for s := 1; s <= strings6; s++ {
		if fingers[s] == f {
			frets[s], fingers[s] = Out, 0
		}
	}
	frets[str], fingers[str] = fret, f
	for _, h := range t.newAssigner().near(&frets, math.Inf(1)) {
		if h.fingers == fingers {
			return true
		}
	}
	return false
}

// Apart is how far two frets lie from each other in mm, and Way how far the hand goes from one grip to
// another; 0 from or to one that holds nothing.
func (t Guitar) Apart(a, b int) float64 { return t.mm(math.Abs(t.x(a) - t.x(b))) }

func (t Guitar) Way(g, h *Grip) float64 {
	if !g.held || !h.held {
		return 0
	}
	return t.mm(math.Abs(g.pos - h.pos))
}
