package plan

import (
	"cmp"
	"math"
	"slices"

	"stepping/core/quiet"
)

// dealKey packs all that a dealer looks at into 64 bits.
func dealKey(r *right, s *silence, pl *pluck, bass int) uint64 {
	key := uint64(bass)
	for _, set := range [...]quiet.Strings{s.unw, s.unw & r.h.under, s.tl.ended & s.unw, s.swept, s.struck | s.keep, s.touch, s.below} {
		key = key<<6 | uint64(set)
	}
	for _, at := range pl.at {
		key = key<<3 | uint64(at)
	}
	for _, flag := range [...]bool{r.spare, r.over, pl.busy, pl.laid} {
		key <<= 1
		if flag {
			key |= 1
		}
	}
	return key
}

// cheapestDeals returns the cheapest deals of one situation, one for each own digit and
// place of the thumb, the first of equals.
func (sd *side) cheapestDeals(r *right, s *silence, pl *pluck, bass int) []deal {
	key := dealKey(r, s, pl, bass)
	if best, ok := sd.deals[key]; ok {
		return best
	}
	var best []deal
	sd.m.dealWith(r, s, pl, bass, func(d *deal) {
		for i := range best {
			if best[i].own == d.own && best[i].digit[digitP] == d.digit[digitP] {
				if d.cost() < best[i].cost() {
					best[i] = *d
				}
				return
			}
		}
		best = append(best, *d)
	})
	sd.deals[key] = best
	return best
}

// actions returns the set of actions after tl, of those that cost no more than most; what the
// future cannot tell apart is there once, at its cheapest. A set once worked out for more serves
// for less.
func (sd *side) actions(r *right, tl tail, plucked bool, most float64) *actionSet {
	set := r.set(tl, plucked)
	if most <= set.most {
		return set
	}
	most += 0.25
	set.most, set.parts, set.onward = most, set.parts[:0], nil
	for b := range r.opts {
		o := &r.opts[b]
		sum := r.bassCost(o, tl)
		if sum > most || !sd.m.still(r, tl, o, &sd.still) {
			continue
		}
		if actions := sd.choices(r, o, &sd.still, plucked, most-sum); len(actions) > 0 {
			set.parts = append(set.parts, part{uint8(b), sum, actions})
		}
	}
	return set
}

// set returns the set for tl, worked out or not.
func (r *right) set(tl tail, plucked bool) *actionSet {
	for i := range r.sets {
		if r.sets[i].tl == tl && r.sets[i].plucks == plucked {
			return &r.sets[i]
		}
	}
	r.sets = append(r.sets, actionSet{tl: tl, plucks: plucked, most: math.Inf(-1)})
	return &r.sets[len(r.sets)-1]
}

// situation packs all that the picking hand's choices beside a bass option depend on: rights and
// tails share them.
type situation [3]uint64

func (sd *side) situation(r *right, o *bassOption, s *silence, plucked bool) (k situation) {
	for _, set := range [...]quiet.Strings{s.struck, s.keep, s.may, s.unwanted, sd.m.idleStrings(r, s), s.tl.ended, s.keep & s.tl.live, s.touch, s.below} {
		k[0] = k[0]<<6 | uint64(set)
	}
	for _, set := range [...]quiet.Strings{r.h.under, r.h.trailed, r.h.sounding, quiet.Strings(o.str)} {
		k[1] = k[1]<<6 | uint64(set)
	}
	for _, flag := range [...]bool{o.cut, o.hit != "", plucked, r.spare, r.over, r.h.tapped(), r.h.hooked()} {
		k[1] <<= 1
		if flag {
			k[1] |= 1
		}
	}
	k[2] = math.Float64bits(o.fret)
	if s.demanded != 0 { // pins can tell these apart
		k[1] = k[1]<<3 | uint64(r.h.trails)
	}
	if len(r.mo.pins.strokes) > 0 {
		k[1] = k[1]<<12 | uint64(r.h.line)
	}
	return k
}

// found is choices that are known, of those that cost no more than most.
type found struct {
	most    float64
	actions []action
}

// choices lists the actions beside a bass option that cost no more than most, by cost.
func (sd *side) choices(r *right, o *bassOption, s *silence, plucked bool, most float64) []action {
	key := sd.situation(r, o, s, plucked)
	if known, ok := sd.known[key]; ok && most <= known.most {
		return known.actions
	}
	m := sd.m
	sd.scratch = sd.scratch[:0]
	none := deal{own: noDigit}
	sd.situations(r, o, s, plucked, most, func(a *action, s *silence, pl *pluck) {
		if s.unw == 0 {
			sd.keep(m.withDeal(a, s, o, pl, &none))
			return
		}
		best := sd.cheapestDeals(r, s, pl, o.str)
		for i := range best {
			if a.cost+best[i].cost() <= most {
				sd.keep(m.withDeal(a, s, o, pl, &best[i]))
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
	return int(a.live)<<24 | int(a.mask)<<12 | int(a.lies)<<8 | int(a.rest)<<4 | int(a.own)
}

// number returns the number of a pose.
func (sd *side) number(q pose) uint16 {
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
func (sd *side) keep(a action) {
	for i := range sd.scratch {
		old := &sd.scratch[i]
		if old.live != a.live || old.mask != a.mask || old.own != a.own {
			continue
		}
		debt := 0.0
		if old.lies != a.lies {
			debt = sd.m.heelDebt
		}
		debt += sd.m.restGap[old.rest][a.rest]
		switch {
		case debt > 0 && old.cost+debt <= a.cost, debt == 0 && old.cost <= a.cost:
			return
		case debt == 0:
			*old = a
			return
		}
	}
	sd.scratch = append(sd.scratch, a)
}
