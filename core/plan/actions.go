package plan

import (
	"cmp"
	"math"
	"slices"

	"stepping/core/digits"
	"stepping/core/quiet"
)

// dampingKey is all that a dampingSearch looks at.
type dampingKey struct {
	unwanted, underSlide, ended, swept quiet.Strings
	sounding, touch, below             quiet.Strings
	at                                 [digits.Count]int8
	bass                               int8
	spare, over, busy, laid            bool
}

func newDampingKey(r *pickShape, s *silence, pl *pluck, bass int) dampingKey {
	return dampingKey{
		unwanted: s.unw, underSlide: s.unw & r.h.under, ended: s.ringIn.ended & s.unw, swept: s.swept,
		sounding: s.struck | s.keep, touch: s.touch, below: s.below,
		at: pl.at, bass: int8(bass), spare: r.spare, over: r.over, busy: pl.busy, laid: pl.laid,
	}
}

// cheapestDampings returns the cheapest dampings of one situation, one for each stopping digit and
// place of the thumb, the first of equals.
func (sd *pickStage) cheapestDampings(r *pickShape, s *silence, pl *pluck, bass int) []damping {
	key := newDampingKey(r, s, pl, bass)
	if best, ok := sd.dampings[key]; ok {
		return best
	}
	var best []damping
	sd.m.eachDamping(r, s, pl, bass, func(d *damping) {
		for i := range best {
			if best[i].stopper == d.stopper && best[i].digit[digits.P] == d.digit[digits.P] {
				if d.cost() < best[i].cost() {
					best[i] = *d
				}
				return
			}
		}
		best = append(best, *d)
	})
	sd.dampings[key] = best
	return best
}

// actions returns the set of actions after tl, of those that cost no more than most; what the
// future cannot tell apart is there once, at its cheapest. A set once worked out for more serves
// for less.
func (sd *pickStage) actions(r *pickShape, ri ringIn, plucked bool, most float64) *actionSet {
	set := r.set(ri, plucked)
	if most <= set.most {
		return set
	}
	most += 0.25
	set.most, set.parts, set.toGo = most, set.parts[:0], nil
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

// situation is all that the picking hand's choices beside a bass option depend on: shapes and
// what rings in share them.
type situation struct {
	struck, keep, may, unwanted, idle, ended, live quiet.Strings
	touch, below, under, trailed, sounding         quiet.Strings
	bass                                           int8
	cut, hit, plucked, spare, over, tapped, hooked bool
	trails                                         int8   // if pins demand dampers, which can tell these apart
	line                                           int16  // if pins bind strokes
	fret                                           uint64 // of the bass note, its bits
}

func (sd *pickStage) situation(r *pickShape, o *bassOption, s *silence, plucked bool) situation {
	k := situation{
		struck: s.struck, keep: s.keep, may: s.may, unwanted: s.unwanted, idle: sd.m.idleStrings(r, s),
		ended: s.ringIn.ended, live: s.keep & s.ringIn.live, touch: s.touch, below: s.below,
		under: r.h.under, trailed: r.h.trailed, sounding: r.h.sounding, bass: int8(o.str),
		cut: o.cut, hit: o.hit != "", plucked: plucked, spare: r.spare, over: r.over, tapped: r.h.tapped(), hooked: r.h.hooked(),
		fret: math.Float64bits(o.fret),
	}
	if s.demanded != 0 {
		k.trails = int8(r.h.trails)
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
