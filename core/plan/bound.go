package plan

import (
	"errors"
	"math"
	"math/bits"
	"slices"

	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
	"stepping/core/ring"
)

// The bound counts the picking hand at no more than it must cost whatever rings, see trellis.Bound. On our tunes it reaches about
// 96% of the true cost, so that most states can be left out of the search for one best plan.

// layMasks numbers the sets of digits with which the tune's notes may be plucked; class 0 is none. Lumped, all others are one class,
// which is quicker and looser.
func (m *model) layMasks(lumped bool) {
	voices := 1
	for i := range m.req.Tune.Notes {
		voices = max(voices, 1+len(m.req.Tune.Notes[i].With))
	}
	k := trellis.Masking{Masks: []uint8{0}}
	for mask := 1; mask < 1<<(m.req.Player.Fingers+1); mask++ {
		if bits.OnesCount(uint(mask)) <= voices {
			k.Masks = append(k.Masks, uint8(mask))
		}
	}
	k.Masks = append(k.Masks, 1<<digits.TapBit)
	k.N = len(k.Masks)
	if lumped {
		k.N = 2
	}
	for i, mask := range k.Masks {
		k.Of[mask] = uint8(min(i, k.N-1))
	}
	m.masks = k
}

// belowRounding keeps the bound under sums of costs that were each rounded to the quantum.
const belowRounding = 1e-5

// Ended numbers the melody strings that end between a trace and a view, no bass string ringing.
func (sd *pickStage) Ended(trace, view uint16) int {
	mo := sd.mo
	if mo.ended < 0 || !sd.m.damps(mo) {
		return 0
	}
	before := &sd.m.moments[sd.left.t-1]
	h, g := &before.hands[before.traces[trace]], &mo.hands[mo.shapes[view]]
	ended := h.sounding &^ h.fingered &^ g.trailed
	if mo.note >= 0 {
		ended &^= g.sounding
	}
	return int(ended & unstruck)
}

// Floor is the least that the picking hand costs with a view after ended strings.
func (sd *pickStage) Floor(view uint16, ended int) *trellis.Floor {
	r, m := sd.shape(int32(view)), sd.m
	if r.floors[ended] != nil {
		return r.floors[ended]
	}
	strings := ring.Strings(ended)
	ending, f := r.leastEndingAfter(m, strings), &trellis.Floor{}
	idle := m.leastPick(r, false, strings)
	f.Idle = floorTicks(slices.Min(idle[:m.masks.N]) + ending)
	if r.mo.note >= 0 {
		struck := m.leastPick(r, true, strings)
		for k := range struck {
			f.Struck[k] = floorTicks(struck[k] + ending)
		}
	}
	r.floors[ended] = f
	return f
}

// floorTicks rounds a bound down.
func floorTicks(x float64) trellis.Cost {
	if x *= play.Grid; x < float64(trellis.Inf) {
		return trellis.Cost(math.Floor(x))
	}
	return trellis.Inf
}

// leastEndingAfter is what ended strings cost at least: a bass string may be struck again by the thumb, and the
// fingertips of a tap silence the others.
func (r *pickShape) leastEndingAfter(m *model, ended ring.Strings) float64 {
	if r.mo.hit == pattern.Tap {
		return 0
	}
	return r.leastEnding(m, ended&unstruck)
}

// unstruck are the strings that the thumb never strikes, so that no bass note can be ringing there.
const unstruck ring.Strings = 0b11

// leastPick takes, for each class of digits, the best bass option and pluck, and the sympathy of idle treble
// strings as far as the heel cannot damp it for less. What plucks nothing stands under class 0.
func (m *model) leastPick(r *pickShape, plucked bool, ended ring.Strings) (by [trellis.Classes]float64) {
	var idle [1]pluck
	for k := range by {
		by[k] = inf
	}
	for b := range r.opts {
		o := &r.opts[b]
		var s silence
		if !m.still(r, ringIn{}, o, &s) {
			continue
		}
		ring := m.leastSympathy(r, &s, o, m.idleStrings(r, &s)&unstruck&^ended)
		plucks := r.pluckWays(o, plucked, &idle)
		for i := range plucks {
			if !pluckBesideBass(&plucks[i], o) {
				continue
			}
			k := uint8(0)
			if mask := plucks[i].mask; mask != keepMask {
				k = m.masks.Of[mask]
			}
			by[k] = min(by[k], o.sum-o.eased+plucks[i].cost+ring-belowRounding)
		}
	}
	return by
}

func (m *model) leastSympathy(r *pickShape, s *silence, o *bassOption, idle ring.Strings) float64 {
	if !m.damps(r.mo) {
		return 0
	}
	least := m.leastRest(r, o, idle)
	for heel := 4; m.school.Heel && heel < heelStates; heel++ { // fewer reach no treble string
		if ring.Heel(heel)&s.struck != 0 {
			break
		}
		least = min(least, m.heelEffort(heel)+m.w.Sympathy*sympathetic(r, o, idle&^ring.Heel(heel)))
	}
	return least
}

// leastRest is the least that idle strings cost, ringing along or under resting digits.
func (m *model) leastRest(r *pickShape, o *bassOption, idle ring.Strings) float64 {
	least := m.w.Sympathy * sympathetic(r, o, idle)
	if !m.school.Rests {
		return least
	}
	for place := 1; place < restPlaces; place++ {
		lain := idle & ring.Between(place, place+m.req.Player.Fingers-1)
		least = min(least, m.w.RestHold*float64(lain.Len())+m.w.Sympathy*sympathetic(r, o, idle&^lain))
	}
	return least
}

// leastEnding is the least that the dearest of the ended strings can cost.
func (r *pickShape) leastEnding(m *model, ended ring.Strings) float64 {
	most := 0.0
	for s := 1; ended>>(s-1) != 0; s++ {
		if !ended.Has(s) {
			continue
		}
		least := min(m.leastStop(), r.leakPrice(r.mo.leak.ended[s], s))
		if m.school.Heel {
			least = min(least, m.heelEffort(7-s))
		}
		if m.school.Rests {
			least = min(least, m.w.RestHold+m.w.RestStop)
		}
		most = max(most, least)
	}
	return most
}

// leastStop is the least effort with which something comes down on a string that rings.
func (m *model) leastStop() float64 {
	w := m.w
	return min(w.StopOwn, w.StopEffort, w.LittleEffort, w.RestEffort, w.FingerTouch, w.UnderTouch, w.SpareEffort, w.OverEffort, w.TiltEffort)
}

// boundMoments is the length up to which the bound pays for a total that is wanted at most: what it lacks adds up over a tune, until it
// leaves out too little to be worth its time. Plans for which no total is known are searched in full from fullMoments on.
const (
	boundMoments = 320
	fullMoments  = 160
)

// The first, quick search keeps so many states a moment, and looks only at hands that promise to
// cost no more than this above the most promising one.
const (
	beamWidth = 16
	beamSlack = 1.5
)

// bounds works the bound out for every moment, backward. It stops as soon as enough says so of the moments from t on.
func (s *search) bounds(enough func(b *trellis.Bound, t int) bool) ([]*trellis.Bound, error) {
	out := make([]*trellis.Bound, s.Len())
	for t := len(out) - 1; t >= 0; t-- {
		if err := s.Err(); err != nil {
			return nil, err
		}
		if t == len(out)-1 {
			out[t] = trellis.EndBound(&s.m.masks, len(s.m.moments[t].hands))
			continue
		}
		next := s.stage(t + 1)
		out[t] = out[t+1].Before(&next.trellis, &next.pick, next.left.mo.note >= 0)
		if enough != nil && enough(out[t], t) {
			break
		}
	}
	return out, nil
}

// solve finds the best way: first a quick search bounds its cost from above, then everything that the bound allows to be as good
// is searched. The first of equal plans is the same as without the bound, since no state of any best plan is left out. Long tunes
// are searched in full: there the bound spares little. Errors: *trellis.DeadEnd, ErrOver or the context's.
func (s *search) solve() (*trellis.Lattice, error) {
	m := s.m
	free := m.req.Within == 0 && len(m.req.alike) == 0
	if n := len(m.moments); n > boundMoments || free && n > fullMoments {
		return s.Solve(s, nil)
	}
	bounds, err := s.bounds(nil)
	if err != nil {
		return nil, err
	}
	limit := trellis.Inf
	quick, err := s.Solve(s, func(t int) *trellis.Limit {
		return &trellis.Limit{ToGo: bounds[t], Total: trellis.Inf, Beam: beamWidth, Slack: ticks(beamSlack)}
	})
	var dead *trellis.DeadEnd
	switch {
	case err == nil:
		limit = quick.Total()
	case !errors.As(err, &dead):
		return nil, err
	}
	if m.req.Within > 0 {
		limit = min(limit, floorTicks(m.req.Within))
	}
	return s.Solve(s, func(t int) *trellis.Limit { return &trellis.Limit{ToGo: bounds[t], Total: limit} })
}
