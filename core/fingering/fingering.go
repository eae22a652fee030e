// Package fingering gives the fingers of the fretting hand to notes whose places are known, as a teacher writes them: shapes are held
// and hovered over, across open strings and rests; a place keeps its finger while a chord lasts; a change of chord sets the hand down
// as a grip; a finger that stays on its string guides the hand to its next position.
//
// It is a search for the cheapest sequence of hands. A hand is what each finger holds or hovers over, the position (the fret at which the
// index finger lies or would lie), the grip that it was set down as, and a bar. The prices are in prices.go, with their reasons in
// docs/model.md. They were found on arrangements that players fingered.
//
// Conventions: strings are numbered 1 (thinnest) to 6, frets from the capo (0 is open there), fingers 1 to 4 and player.ThumbOverNeck;
// times are in seconds.
package fingering

import (
	"cmp"
	"math"
	"slices"

	"stepping/core/player"
	"stepping/core/ring"
)

const thumb = player.ThumbOverNeck

// Place is a string and a fret, 0 for none.
type Place uint8

// At is the place of a string, 1 to 6, and a fret below 32.
func At(str, fret int) Place { return Place(str<<5 | fret) }

// String and Fret are those of a place.
func (p Place) String() int { return int(p >> 5) }
func (p Place) Fret() int   { return int(p & 31) }

// Slur says how a press is sounded from the note before on its string.
type Slur uint8

// Kinds of slurs: none, a higher finger comes down, the finger above lets go, the same finger goes on.
const (
	Plucked Slur = iota
	Hammer
	Pull
	Same
)

// Press is a string held down at a moment.
type Press struct {
	Place
	Struck bool  // else it sounds on from before, under the finger that is there
	Slur   Slur  // from …
	From   Place // … this place
}

// Moment is what the fretting hand meets at one onset.
type Moment struct {
	Seconds float64
	Chord   *Chord // another pointer than before is another chord
	Presses []Press
	Ways    [][]int8     // the fingers that may take the presses, one list for each way; none if Presses is empty
	Open    ring.Strings // that sound open: no bar may lie on them
	Sounds  [7]uint8     // by string, the fret above the capo at which it should sound on from before; 0 if it does not, or open
	Like    []int8       // the fingers that took the presses before, where the music is the same; nil if it was not there before
	Slide   bool         // the slide is on the strings: the hand holds nothing else that it remembers
}

// Hand is what a fretting hand can do.
type Hand struct {
	X    [32]float64                   // place of each fret above the capo, mm along the neck
	Span [thumb + 1][thumb + 1]float64 // how far fingers a < b spread, mm
	*Prices
}

// NewHand returns the hand of a player, which follows the prices.
func NewHand(p player.Profile, prices *Prices) Hand {
	h := Hand{Prices: prices}
	for f := range h.X {
		h.X[f] = p.Neck().X(float64(f))
	}
	for a := 1; a <= 4; a++ {
		for b := a + 1; b <= 4; b++ {
			h.Span[a][b] = p.SpanMM(a, b)
		}
	}
	return h
}

// state is all that the hand carries to the next moment.
type state struct {
	at   [thumb + 1]Place // held or hovered over
	this uint8            // bit f: finger f's place belongs to the chord of now
	pos  int8             // the index finger's fret, 0 if the hand may be anywhere
	grip int8             // of the chord, from 1; 0 for none
	bar  ring.Strings     // that the index finger covers, 0 if it holds one string
}

func (s *state) has(f int) bool { return s.this>>f&1 != 0 }

// covers reports whether finger f lies on a place.
func (s *state) covers(f int, p Place) bool {
	return s.at[f] == p || f == 1 && s.at[1] != 0 && s.at[1].Fret() == p.Fret() && s.bar.Has(p.String())
}

// node is a state of a moment with the cheapest way there.
type node struct {
	state
	cost float64
	prev int32
	way  int16 // of the moment's ways
}

// slack is how much dearer than the cheapest a hand of a moment may be and still be kept. It is no proof: between 0.5 and 1.5 at most two
// of the 486 fingers of our arrangements changed, and TestSlack compares totals with a slack of 3.
const slack = 0.8

// If no kept hand can go on to a moment, the widened moments before it are searched again with wider times the slack.
const (
	widened = 6
	wider   = 4
)

// Fingering is the fingers of a tune, and what is needed to change them a little. It does not change.
type Fingering struct {
	Ways    []int // chosen of each moment, -1 if it has none
	moments []Moment
	layers  [][]node
	lax     bool // somewhere the rules of reach could not be met
}

// Solve chooses a way for each moment that has presses. Where no way meets the rules of reach they are ignored; Solve returns nil if the
// slurs cannot be played. Moments that are the same in old, which may be nil, are not searched again.
func Solve(h *Hand, moments []Moment, old *Fingering) *Fingering {
	s := search{hand: h, price: h.Prices, at: map[state]int32{}, slack: slack}
	return s.solve(moments, old)
}

// solve is Solve with s's own slack.
func (s *search) solve(moments []Moment, old *Fingering) *Fingering {
	out := &Fingering{Ways: make([]int, len(moments)), moments: moments, layers: make([][]node, len(moments))}
	first, last := 0, len(moments)
	if old != nil && len(old.moments) == len(moments) {
		first, last = out.differs(old)
		first = max(0, first-widened) // old may have been forced where this is not
		copy(out.layers[:first], old.layers)
		out.lax = old.lax
	} else {
		old = nil
	}
	for t := first; t < len(moments); t++ {
		if out.layers[t] = s.moment(out, t); len(out.layers[t]) == 0 && !s.force(out, t) {
			return nil
		}
		if old != nil && t >= last && len(moments[t].Presses) > 0 && sameLayer(out.layers[t], old.layers[t]) {
			copy(out.layers[t+1:], old.layers[t+1:]) // whose costs differ by a constant
			break
		}
	}
	n := int32(0)
	for t := len(moments) - 1; t >= 0; t-- {
		out.Ways[t] = int(out.layers[t][n].way)
		n = out.layers[t][n].prev
	}
	return out
}

// force finds a way into moment t by searching the moments before it more widely, and without the rules of reach where that fails.
// It reports whether it found one.
func (s *search) force(f *Fingering, t int) bool {
	s.slack *= wider
	for k := max(0, t-widened); k <= t; k++ {
		if f.layers[k] = s.moment(f, k); len(f.layers[k]) == 0 {
			s.lax, f.lax = true, true
			f.layers[k] = s.moment(f, k)
			s.lax = false
		}
	}
	s.slack /= wider
	return len(f.layers[t]) > 0
}

// differs returns the first moment that is not as in old, and the first from which on all are.
func (f *Fingering) differs(old *Fingering) (first, last int) {
	last = len(f.moments)
	for first < last && f.moments[first].same(&old.moments[first]) {
		first++
	}
	for last > first && f.moments[last-1].same(&old.moments[last-1]) {
		last--
	}
	return first, last
}

// same reports whether a and b ask for the same.
func (a *Moment) same(b *Moment) bool {
	return a.Seconds == b.Seconds && a.Chord == b.Chord && a.Open == b.Open && a.Sounds == b.Sounds && a.Slide == b.Slide &&
		slices.Equal(a.Like, b.Like) &&
		slices.Equal(a.Presses, b.Presses) && slices.EqualFunc(a.Ways, b.Ways, slices.Equal[[]int8])
}

// sameLayer reports whether the hands of a are those of b, each costing as much more.
func sameLayer(a, b []node) bool {
	if len(a) != len(b) {
		return false
	}
	more := a[0].cost - b[0].cost
	for i := range a {
		if a[i].state != b[i].state || a[i].cost-b[i].cost != more {
			return false
		}
	}
	return true
}

// Held is a finger and where it lies.
type Held struct {
	Finger int
	Place
}

// Held lists what the fingers hold or hover over at moment t, the index finger first.
func (f *Fingering) Held() [][]Held {
	out, n := make([][]Held, len(f.moments)), int32(0)
	for t := len(out) - 1; t >= 0; t-- {
		at := &f.layers[t][n]
		for x := 1; x <= thumb; x++ {
			if at.at[x] != 0 {
				out[t] = append(out[t], Held{x, at.at[x]})
			}
		}
		n = at.prev
	}
	return out
}

// search is a pass over the moments.
type search struct {
	hand   *Hand
	price  *Prices
	mo     *Moment
	hurry  float64 // of a shift
	change bool    // the chord is another than before
	pair   bool    // two strings or more are held as at the last moment at which something was, see pairs
	lax    bool    // no way keeps the rules of reach
	slack  float64
	least  float64 // of the hands found so far
	at     map[state]int32
	out    []node
	before state // that it goes on from
	base   float64
	prev   int32 // its number
	way    int16
}

// moment is the hands after a moment, the cheapest first.
func (s *search) moment(f *Fingering, t int) []node {
	s.mo, s.hurry, s.change, s.pair = &f.moments[t], mostHurry, t == 0, false
	before := []node{{}}
	if t > 0 {
		before, s.change = f.layers[t-1], s.mo.Chord != f.moments[t-1].Chord
	}
	for k := t - 1; k >= 0; k-- {
		if len(f.moments[k].Presses) > 0 {
			s.hurry = hurry(s.mo.Seconds - f.moments[k].Seconds)
			s.pair = s.mo.pairs(&f.moments[k])
			break
		}
	}
	clear(s.at)
	s.out, s.least = s.out[:0], math.Inf(1)
	for i := range before {
		s.prev = int32(i)
		s.from(&before[i])
	}
	s.out = slices.DeleteFunc(s.out, func(n node) bool { return n.cost > s.least+s.slack })
	slices.SortFunc(s.out, func(a, b node) int {
		return cmp.Or(cmp.Compare(a.cost, b.cost), slices.Compare(a.at[:], b.at[:]), cmp.Compare(a.pos, b.pos),
			cmp.Compare(a.grip, b.grip), cmp.Compare(a.this, b.this), cmp.Compare(a.bar, b.bar))
	})
	return slices.Clone(s.out)
}

// pairs reports whether a and b are played on the same two strings or more, as sixths and thirds that move along the neck are.
func (a *Moment) pairs(b *Moment) bool {
	strings := func(m *Moment) (set ring.Strings) {
		for i := range m.Presses {
			if m.Presses[i].Struck {
				set |= ring.Of(m.Presses[i].String())
			}
		}
		return set
	}
	return strings(a).Len() > 1 && strings(a) == strings(b)
}

// hopeless reports whether a hand is too dear to be kept, whatever a guiding finger may still save.
func (s *search) hopeless(cost float64) bool { return s.base+cost > s.least+s.slack+s.price.Guide }

// from goes on from one hand: as it is, or set down as a grip where the chord changes.
func (s *search) from(b *node) {
	h := b.state
	s.before, s.base = h, b.cost
	if s.mo.Slide {
		s.way = -1
		s.add(state{}, 0)
		return
	}
	if s.change {
		for f := 1; f <= thumb; f++ { // forget what is left from the chord before the last
			if h.at[f] != 0 && !h.has(f) {
				h.lift(f)
			}
		}
		h.this, h.grip = 0, 0
		for i := range s.mo.Chord.grips {
			g, cost := s.setDown(&h, &s.mo.Chord.grips[i])
			g.grip = int8(i + 1)
			s.meet(g, cost)
		}
	}
	s.meet(h, 0)
}

// setDown is the hand set down as a grip.
func (s *search) setDown(h *state, g *held) (out state, cost float64) {
	out = g.state
	cost = s.price.GripShare*g.dearer + s.price.GripStrain*g.strain + s.price.bar(g.bar.Len())
	guided := false
	for f := 1; f <= thumb; f++ {
		if g.at[f] != 0 && h.at[f] != g.at[f] {
			cost += s.price.GripFinger
			guided = guided || slid(h.at[f], g.at[f], int(g.pos)-int(h.pos))
		}
	}
	return out, cost + s.shift(h.pos, g.pos, guided)
}

// meet takes the moment's presses.
func (s *search) meet(h state, cost float64) {
	if h.bar&s.mo.Open != 0 {
		h.bar = 0
		cost += s.price.BarLift
	}
	if len(s.mo.Presses) == 0 {
		s.way = -1
		s.add(h, cost)
		return
	}
	for i := range s.mo.Ways {
		s.way = int16(i)
		s.press(&h, h, cost+s.unlike(i), 0)
	}
}

// unlike is what way i costs for fingers other than those that took the same presses before.
func (s *search) unlike(i int) (cost float64) {
	for k, f := range s.mo.Like {
		if s.mo.Ways[i][k] != f {
			cost += unlike
		}
	}
	return cost
}

// add files a hand that costs so much more than the one before: a multiple of 1/grid, so that sums are exact, and do not depend on what
// came long before.
func (s *search) add(h state, cost float64) {
	cost = s.base + math.Round(cost*grid)/grid
	s.least = min(s.least, cost)
	i, ok := s.at[h]
	if !ok {
		i = int32(len(s.out))
		s.at[h] = i
		s.out = append(s.out, node{cost: math.Inf(1)})
	}
	if cost < s.out[i].cost {
		s.out[i] = node{h, cost, s.prev, s.way}
	}
}

const grid = 1 << 16
