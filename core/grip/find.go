package grip

import (
	"math"
	"math/bits"

	"stepping/core/chord"
	"stepping/core/pattern"
	"stepping/core/pitch"
)

// Listed is how many grips of a chord are usually enough.
const Listed = 24

// Find lists the best playable grips of c, at most most of them, each with its best fingering, best
// first; of equals the one with the hand nearer to the nut. A string is left out only if its open
// note is no tone of c, if it would be lower than the bass, or if nothing is found otherwise. An empty
// list is a proof that there is no grip within the player's reach with the hand no higher than
// highestHand frets above the capo.
func (t Guitar) Find(c chord.Chord, most int) []Grip {
	for _, anyOut := range []bool{false, true} {
		fd := t.newFinder(c)
		fd.anyOut, fd.most = anyOut, most
		if fd.run(); len(fd.found) > 0 {
			return fd.found
		}
	}
	return nil
}

// tone is a place on a string that sounds a chord tone.
type tone struct {
	fret      int
	bit       uint16 // of the chord's tones
	pitch     pitch.Pitch
	bass      bool    // it is the chord's bass note
	alternate float64 // fit as the thumb's alternate, on a bass string
}

// finder goes through the shapes of a chord.
type finder struct {
	t           Guitar
	c           chord.Chord
	need        uint16 // tones that must sound
	all         uint16
	least       int // strings that must sound
	tones       [strings6 + 1][]tone
	lo, hi      int // frets that the fingers may use
	hiOver      int // the same while the thumb holds string 6 at lo, a fret below the fingers
	over        bool
	fingers     int
	frets       [strings6 + 1]int
	picked      [strings6 + 1]*tone
	used        [mostFrets]int // strings at each fret, from lo
	distinct    int
	inner, gaps int // strings left out between sounding ones, and since the last one
	cost        float64
	anyOut      bool
	hands       *assigner
	most        int
	found       []Grip // by cost
}

// newFinder prepares the search for grips of c.
func (t Guitar) newFinder(c chord.Chord) *finder {
	fd := &finder{t: t, c: c, least: min(leastSound, len(c.Tones)), hands: t.newAssigner(), fingers: len(t.Player.FreeFingers())}
	if t.Player.ThumbOver && !t.Player.Lap() {
		fd.fingers++
		fd.over = true
	}
	last := min(t.Player.Instrument.Frets, t.Capo+len(fd.used)-1)
	for _, iv := range c.Tones {
		bit := fd.bit(iv)
		fd.all |= bit
		if !c.Optional(iv) {
			fd.need |= bit
		}
	}
	if bass := bassInterval(c); fd.all&fd.bit(bass) == 0 { // a bass from outside the chord
		fd.all |= fd.bit(bass)
		fd.need |= fd.bit(bass)
	}
	for s := 1; s <= strings6; s++ {
		for fret := t.Capo; fret <= last; fret++ {
			p := t.Pitch(s, fret)
			if !c.Has(p) {
				continue
			}
			tn := tone{fret: fret, bit: fd.bit(c.Interval(p)), pitch: p, bass: c.IsBass(p)}
			if pattern.IsBassString(s) {
				tn.alternate = pattern.Fit(t.Tuning, t.Capo, c, pattern.Alternate, s, p)
			}
			fd.tones[s] = append(fd.tones[s], tn)
		}
	}
	return fd
}

// run goes through every choice of frets that sounds c within the reach of fingers 1 to 4, by the
// lowest fret that is held; all strings open first.
func (fd *finder) run() {
	t := fd.t
	last := min(t.Player.Instrument.Frets, t.Capo+len(fd.used)-1)
	fd.lo, fd.hi = 1, 0
	fd.settle(strings6, 0, 0)
	for fd.lo = t.Capo + 1; fd.lo <= min(t.Capo+highestHand, last) && len(t.Player.FreeFingers()) > 0; fd.lo++ {
		fd.hi = fd.reach(fd.lo, last)
		fd.hiOver = fd.hi
		if fd.over && fd.lo < last {
			fd.hiOver = fd.reach(fd.lo+1, last)
		}
		fd.cost = upNeck * float64(fd.lo-t.Capo)
		fd.settle(strings6, 0, 0)
	}
}

// reach is the highest fret that a hand reaches from lo.
func (fd *finder) reach(lo, last int) int {
	x := &fd.hands.x
	hi := lo
	for hi < last && x[hi+1-fd.t.Capo]-x[lo-fd.t.Capo] <= fd.t.Player.SpanMM(1, 4) {
		hi++
	}
	return hi
}

// limit is what a grip must cost less than to be among the best.
func (fd *finder) limit() float64 {
	if len(fd.found) < fd.most {
		return math.Inf(1)
	}
	return fd.found[len(fd.found)-1].Cost
}

// keep files g among the best.
func (fd *finder) keep(g *Grip) {
	if len(fd.found) == fd.most {
		fd.found = fd.found[:fd.most-1]
	}
	i := len(fd.found)
	fd.found = append(fd.found, Grip{})
	for ; i > 0 && fd.found[i-1].Cost > g.Cost; i-- {
		fd.found[i] = fd.found[i-1]
	}
	fd.found[i] = *g
}

func (fd *finder) bit(iv int) uint16 { return 1 << iv }

func bassInterval(c chord.Chord) int { return (c.Bass.Class() - c.Root.Class() + 12) % 12 }

// settle decides on string s and all thinner ones; set is the tones and n the strings that sound so
// far.
func (fd *finder) settle(s int, set uint16, n int) {
	if fd.cost+fingerEffort*float64(fd.distinct) >= fd.limit() || n+s < fd.least {
		return
	}
	if s == 0 {
		fd.leaf(set, n)
		return
	}
	gaps, inner, cost := fd.gaps, fd.inner, fd.cost
	if fd.mayLeaveOut(s, n) {
		fd.frets[s] = Out
		if n > 0 {
			fd.gaps++ // it lies between sounding strings, or beyond them: the next that sounds decides
			fd.cost += outThin
		} else {
			fd.cost += outThick
		}
		fd.settle(s-1, set, n)
	}
	if inner+gaps <= mostInner {
		fd.inner, fd.gaps, fd.cost = inner+gaps, 0, cost+float64(gaps)*(outInner-outThin)
		hi := fd.hi
		if s < strings6 && fd.frets[strings6] == fd.lo {
			hi = fd.hiOver
		}
		for i := range fd.tones[s] {
			if tn := &fd.tones[s][i]; tn.fret == fd.t.Capo || tn.fret >= fd.lo && tn.fret <= hi {
				fd.sound(s, tn, set|tn.bit, n+1)
			}
		}
	}
	fd.inner, fd.gaps, fd.cost = inner, gaps, cost
}

// mayLeaveOut reports whether leaving out string s can be of use: its open note is not wanted, or
// would be the lowest without being the bass.
func (fd *finder) mayLeaveOut(s, n int) bool {
	if fd.anyOut || len(fd.tones[s]) == 0 || fd.tones[s][0].fret != fd.t.Capo {
		return true
	}
	return n == 0 && !fd.tones[s][0].bass
}

func (fd *finder) sound(s int, tn *tone, set uint16, n int) {
	fd.frets[s], fd.picked[s] = tn.fret, tn
	if tn.fret == fd.t.Capo {
		fd.settle(s-1, set, n)
		return
	}
	k := tn.fret - fd.lo
	if fd.used[k] == 0 {
		if fd.distinct == fd.fingers {
			return
		}
		fd.distinct++
	}
	fd.used[k]++
	fd.settle(s-1, set, n)
	if fd.used[k]--; fd.used[k] == 0 {
		fd.distinct--
	}
}

// leaf weighs a whole shape and files its best fingering.
func (fd *finder) leaf(set uint16, n int) {
	if n < fd.least || fd.need&^set != 0 || fd.hi > 0 && fd.used[0] == 0 {
		return
	}
	low := fd.lowest()
	if !low.bass && fd.c.Bass != fd.c.Root {
		return // the symbol asks for its bass
	}
	cost := fd.cost + fd.soundCost(set, low)
	if cost+fingerEffort*float64(fd.distinct) >= fd.limit() {
		return
	}
	if best, ok := fd.hands.best(&fd.frets, fd.limit()-cost); ok {
		if g := fd.t.finish(&fd.frets, best, cost); g.Cost < fd.limit() {
			fd.keep(&g)
		}
	}
}

func bassCost(iv int) float64 {
	if iv == 7 {
		return bassFifth
	}
	return bassOther
}

func (fd *finder) lowest() (low *tone) {
	for s := strings6; s >= 1; s-- {
		if fd.frets[s] != Out && (low == nil || fd.picked[s].pitch < low.pitch) {
			low = fd.picked[s]
		}
	}
	return low
}

// soundCost is what missing tones, another bass than the root and the thumb's strings cost.
func (fd *finder) soundCost(set uint16, low *tone) float64 {
	cost := lacksTone*float64(bits.OnesCount16(fd.all&^set)) + fd.thumbCost() + fd.strayCost()
	if !low.bass {
		cost += bassCost(fd.c.Interval(low.pitch))
	}
	return cost
}

// weigh is what given frets cost for the chord next to their fingering, whatever they sound.
func (fd *finder) weigh(frets *[strings6 + 1]int) float64 {
	fd.frets = *frets
	cost, set := 0.0, uint16(0)
	first, last, hand := 0, 0, 0
	for s := strings6; s >= 1; s-- {
		f := frets[s]
		if f == Out {
			continue
		}
		if first == 0 {
			first = s
		}
		if last = s; f > fd.t.Capo && (hand == 0 || f < hand) {
			hand = f
		}
		tn := &tone{fret: f, pitch: fd.t.Pitch(s, f), alternate: pattern.Fit(fd.t.Tuning, fd.t.Capo, fd.c, pattern.Alternate, s, fd.t.Pitch(s, f))}
		if tn.bass = fd.c.IsBass(tn.pitch); fd.c.Has(tn.pitch) {
			set |= fd.bit(fd.c.Interval(tn.pitch))
		}
		fd.picked[s] = tn
	}
	for s := 1; s <= strings6; s++ {
		switch {
		case frets[s] != Out:
		case s > first:
			cost += outThick
		case s < last:
			cost += outThin
		default:
			cost += outInner
		}
	}
	if hand > 0 {
		cost += upNeck * float64(hand-fd.t.Capo)
	}
	if low := fd.lowest(); low != nil {
		cost += fd.soundCost(set, low)
	}
	return cost
}

// strayCost is what open strings cost next to a hand up the neck: they stand out of the shape.
func (fd *finder) strayCost() float64 {
	open, lo, hi := 0, 0, 0
	for s := 1; s <= strings6; s++ {
		switch f := fd.frets[s]; {
		case f == fd.t.Capo:
			open++
		case f != Out && lo == 0:
			lo, hi = f, f
		case f != Out:
			lo, hi = min(lo, f), max(hi, f)
		}
	}
	cost := fd.lonelyCost()
	further := indexAt(lo, hi) - fd.t.Capo - fd.t.strayFrom()
	if further < 0 {
		return cost
	}
	return cost + float64(open)*(strayOpen+strayPer*float64(further))
}

// lonelyCost is what a single open string costs between two that are fretted well up: it stands out, and fingers lean on it.
func (fd *finder) lonelyCost() (cost float64) {
	up := func(s int) bool { return fd.frets[s] != Out && fd.frets[s] >= fd.t.Capo+lonelyFrom }
	for s := 2; s < strings6; s++ {
		if fd.frets[s] == fd.t.Capo && up(s-1) && up(s+1) {
			cost += lonelyOpen
		}
	}
	return cost
}

// strayFrom is how far up the neck open strings stand out: in an altered tuning they belong to the sound a fret further.
func (t Guitar) strayFrom() int {
	for s := 2; s <= strings6; s++ {
		usual := 5
		if s == 3 {
			usual = 4
		}
		if t.Tuning.Open(s-1)-t.Tuning.Open(s) != pitch.Pitch(usual)*pitch.HalfStep {
			return strayFrom + strayAltered
		}
	}
	return strayFrom
}

// indexAt is where the index finger lies by a shape from fret lo to hi: what lies within two frets the second and
// third finger take.
func indexAt(lo, hi int) int {
	if hi-lo <= 1 {
		return lo - 1
	}
	return lo
}

func (fd *finder) thumbCost() float64 {
	root, alternate := false, 2.0
	for s := strings6; s >= 1; s-- {
		if !pattern.IsBassString(s) || fd.frets[s] == Out {
			continue
		}
		root = root || fd.picked[s].bass
		alternate = min(alternate, fd.picked[s].alternate)
	}
	cost := thumbFit * alternate
	if !root {
		cost += noRoot
	}
	return cost
}
