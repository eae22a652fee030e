package plan

import (
	"cmp"
	"math"
	"slices"

	"stepping/core/digits"
	"stepping/core/ring"
)

// dampingKey is all that a dampingSearch looks at, packed.
type dampingKey uint64

// packer puts small values side by side into one word.
type packer uint64

func (k *packer) strings(sets ...ring.Strings) {
	for _, s := range sets {
		*k = *k<<6 | packer(s) // six strings
	}
}

func (k *packer) flags(flags ...bool) {
	for _, f := range flags {
		*k <<= 1
		if f {
			*k |= 1
		}
	}
}

// string adds one string's number, 0 for none.
func (k *packer) string(s int) { *k = *k<<3 | packer(s) }

// newDampingKey fills a word to the last bit: seven sets, six strings, four flags.
func newDampingKey(r *pickShape, s *silence, pl *pluck, bass int) dampingKey {
	var k packer
	k.strings(s.unw, s.unw&r.h.under, s.ringIn.ended&s.unw, s.swept, s.struck|s.keep, s.touch, s.below)
	for _, at := range pl.at {
		k.string(int(at))
	}
	k.string(bass)
	k.flags(r.spare, r.over, pl.busy, pl.laid)
	return dampingKey(k)
}

// cheapestDampings returns the cheapest dampings of one situation, one for each stopping digit and
// place of the thumb, the first of equals.
func (sd *pickStage) cheapestDampings(r *pickShape, s *silence, pl *pluck, bass int) []damping {
	key := newDampingKey(r, s, pl, bass)
	if at, ok := sd.dampings[key]; ok {
		return sd.cheapest[at.lo:at.hi]
	}
	lo := len(sd.cheapest)
	sd.damping = dampingSearch{m: sd.m, r: r, s: s, pl: pl, bass: bass, each: sd.keepCheapest, first: lo}
	sd.damping.run()
	sd.dampings[key] = span{lo, len(sd.cheapest)}
	return sd.cheapest[lo:]
}

// span is a stretch of a list.
type span struct{ lo, hi int }

// keepDamping keeps d among the cheapest of the search under way, unless one like it is not dearer.
func (sd *pickStage) keepDamping(d *damping) {
	best := sd.cheapest[sd.damping.first:]
	for i := range best {
		if best[i].stopper == d.stopper && best[i].digit[digits.P] == d.digit[digits.P] {
			if d.cost() < best[i].cost() {
				best[i] = *d
			}
			return
		}
	}
	sd.cheapest = append(sd.cheapest, *d)
}

// actions returns the set of actions, of those that cost no more than most; what the
// future cannot tell apart is there once, at its cheapest. A set once worked out for more serves
// for less.
func (sd *pickStage) actions(r *pickShape, ri ringIn, plucked bool, most float64) *actionSet {
	set := r.set(ri, plucked)
	if most <= set.most {
		return set
	}
	most += 0.25
	set.most, set.parts, set.toGo = most, make([]part, 0, len(r.opts)), nil
	for b := range r.opts {
		o := &r.opts[b]
		sum := r.bassCost(o, ri)
		if sum > most || !sd.m.still(r, ri, o, &sd.still) {
			continue
		}
		if actions := sd.choices(r, o, &sd.still, plucked, most-sum); len(actions) > 0 {
			set.parts = append(set.parts, part{uint8(b), sum, actions})
		}
	}
	return set
}

// set returns the set for tl, worked out or not.
func (r *pickShape) set(ri ringIn, plucked bool) *actionSet {
	for i := range r.sets {
		if r.sets[i].ringIn == ri && r.sets[i].plucks == plucked {
			return &r.sets[i]
		}
	}
	r.sets = append(r.sets, actionSet{ringIn: ri, plucks: plucked, most: math.Inf(-1)})
	return &r.sets[len(r.sets)-1]
}

// situation is all that the picking hand's choices beside a bass option depend on, packed: shapes and
// what rings in share them.
type situation struct {
	rings, holds packer // what sounds; what the hands hold
	fret         uint64 // of the bass note, its bits
	line         int16  // if pins bind strokes
}

func (sd *pickStage) situation(r *pickShape, o *bassOption, s *silence, plucked bool) situation {
	k := situation{fret: math.Float64bits(o.fret)}
	k.rings.strings(s.struck, s.keep, s.may, s.unwanted, sd.m.idleStrings(r, s), s.ringIn.ended, s.keep&s.ringIn.live)
	k.rings.string(o.str)
	k.rings.flags(o.cut, o.hit != "", plucked, r.spare, r.over, r.h.tapped(), r.h.hooked())
	k.holds.strings(s.touch, s.below, r.h.under, r.h.trailed, r.h.sounding)
	if s.demanded != 0 {
		k.holds.string(r.h.trails) // which these can tell apart
	}
	if len(r.pins.strokes) > 0 {
		k.line = int16(r.h.line)
	}
	return k
}

// found is choices that are known, of those that cost no more than most.
type found struct {
	most    float64
	actions []action
}

// choices lists the actions beside a bass option that cost no more than most, by cost.
func (sd *pickStage) choices(r *pickShape, o *bassOption, s *silence, plucked bool, most float64) []action {
	key := sd.situation(r, o, s, plucked)
	if known, ok := sd.known[key]; ok && most <= known.most {
		return known.actions
	}
	m := sd.m
	sd.scratch = sd.scratch[:0]
	none := damping{stopper: digits.None}
	sd.situations(r, o, s, plucked, most, func(a *action, s *silence, pl *pluck) {
		if s.unw == 0 {
			sd.keep(m.withDamping(a, s, o, pl, &none))
			return
		}
		best := sd.cheapestDampings(r, s, pl, o.str)
		for i := range best {
			if a.cost+best[i].cost() <= most {
				sd.keep(m.withDamping(a, s, o, pl, &best[i]))
			}
		}
	})
	slices.SortFunc(sd.scratch, func(a, b action) int { return cmp.Or(cmp.Compare(a.cost, b.cost), a.place()-b.place()) })
	lo := len(sd.pool)
	for i := range sd.scratch {
		sd.scratch[i].of = sd.number(sd.scratch[i].pose)
	}
	sd.pool = append(sd.pool, sd.scratch...)
	out := sd.pool[lo:len(sd.pool):len(sd.pool)]
	sd.known[key] = found{most, out}
	return out
}

// place orders actions that cost the same.
func (a *action) place() int {
	return int(a.live)<<24 | int(a.mask)<<12 | int(a.lies)<<8 | int(a.rest)<<4 | int(a.stopper)
}

// number returns the number of a pose.
func (sd *pickStage) number(q pose) uint16 {
	for k := range sd.poses {
		if sd.poses[k] == q {
			return uint16(k)
		}
	}
	sd.poses = append(sd.poses, q)
	return uint16(len(sd.poses) - 1)
}

// keep files a among the scratch, unless one that the future cannot tell
// from it is not dearer, or one that differs in the heel and the resting digits alone is cheaper by
// more than any move of theirs to come.
func (sd *pickStage) keep(a action) {
	for i := range sd.scratch {
		old := &sd.scratch[i]
		if old.live != a.live || old.mask != a.mask || old.stopper != a.stopper {
			continue
		}
		gap := 0.0
		if old.lies != a.lies {
			gap = sd.m.heelGap
		}
		gap += sd.m.restGap[old.rest][a.rest]
		switch {
		case gap > 0 && old.cost+gap <= a.cost, gap == 0 && old.cost <= a.cost:
			return
		case gap == 0:
			*old = a
			return
		}
	}
	sd.scratch = append(sd.scratch, a)
}
