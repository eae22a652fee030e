package fingering

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"sync"

	"stepping/core/chord"
	"stepping/core/grip"
	"stepping/core/ring"
)

// Chord is what a chord can be held as.
type Chord struct{ grips []held }

// held is a hand that holds a grip.
type held struct {
	state
	dearer float64 // than the cheapest
	strain float64
}

// known are the chords looked for last, for all plans: it takes some ms to find the grips of one.
var known = struct {
	sync.Mutex
	of    map[string]*Chord
	order []string
}{of: map[string]*Chord{}}

const mostKnown = 1024

// mostGrips of a chord are looked at, the cheapest: a very wide hand with its thumb over the neck has 98 of some.
const mostGrips = 100

// ChordOf is NewChord, or what it returned for the same chord, hand and prices before.
func ChordOf(g grip.Guitar, c chord.Chord, prices *Prices) *Chord {
	p := &g.Player
	key := fmt.Sprint(g.Tuning.Spelled(), g.Capo, c.Name, p.ReachMM, p.FreeFingers(), p.ThumbOver, p.Posture, p.Instrument, *prices)
	known.Lock()
	out := known.of[key]
	known.Unlock()
	if out != nil {
		return out
	}
	out = NewChord(g, c, prices)
	known.Lock()
	defer known.Unlock()
	if first := known.of[key]; first != nil { // found meanwhile
		return first
	}
	if len(known.order) == mostKnown {
		delete(known.of, known.order[0])
		known.order = slices.Delete(known.order, 0, 1)
	}
	known.of[key], known.order = out, append(known.order, key)
	return out
}

// NewChord looks for the grips of a chord: those at most gripWithin dearer than the cheapest, with no bar but the index finger's. A chord
// that cannot be held has none.
func NewChord(g grip.Guitar, c chord.Chord, prices *Prices) *Chord {
	out := &Chord{}
	found, err := g.Candidates(c, nil)
	if err != nil {
		return out
	}
	seen, least := map[state]bool{}, math.Inf(1)
	for i := range found.Grips {
		h, ok := handOf(&found.Grips[i], g.Capo, prices)
		h.dearer = found.Grips[i].Cost
		for f := 2; f <= 4; f++ { // strain prices it
			if h.at[f] != 0 && h.at[f].Fret() < f {
				h.dearer -= grip.BehindNut
			}
		}
		if ok && !seen[h.state] {
			least = min(least, h.dearer)
			seen[h.state] = true
			out.grips = append(out.grips, h)
		}
	}
	for i := range out.grips {
		out.grips[i].dearer -= least
	}
	out.grips = slices.DeleteFunc(out.grips, func(h held) bool { return h.dearer > gripWithin })
	slices.SortStableFunc(out.grips, func(a, b held) int { return cmp.Compare(a.dearer, b.dearer) })
	out.grips = out.grips[:min(len(out.grips), mostGrips)]
	return out
}

// handOf is a grip as a hand, in the position with the least strain; ok is false if there is none.
func handOf(g *grip.Grip, capo int, prices *Prices) (h held, ok bool) {
	for s := 6; s >= 1; s-- {
		f := g.Fingers[s]
		if f == 0 {
			continue
		}
		p := At(s, g.Frets[s]-capo)
		switch {
		case h.at[f] == 0:
			h.at[f] = p
		case f != 1:
			return h, false
		case h.bar == 0:
			h.bar = ring.Of(h.at[1].String()) | ring.Of(s)
		default:
			h.bar |= ring.Of(s)
		}
		h.this |= 1 << f
	}
	if h.bar != 0 { // all between
		lo, hi := 7, 0
		for s := 1; s <= 6; s++ {
			if h.bar.Has(s) {
				lo, hi = min(lo, s), max(hi, s)
			}
		}
		h.bar = ring.Between(lo, hi)
	}
	least := math.Inf(1)
	for pos := int8(1); pos <= 24; pos++ {
		sum, fits := 0.0, true
		for f := 1; f <= 4; f++ {
			if h.at[f] == 0 {
				continue
			}
			d, ok := reach(f, h.at[f], pos)
			fits = fits && ok
			sum += prices.strain(&h.state, f, d)
		}
		if fits && sum < least {
			least, h.pos, h.strain = sum, pos, sum
		}
	}
	return h, h.pos > 0
}
