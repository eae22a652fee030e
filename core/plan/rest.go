package plan

import (
	"stepping/core/digits"
	"stepping/core/play"
	"stepping/core/ring"
)

// Resting digits: i, m and a each lie on a string of their own between notes, on neighbouring
// strings. The place of the whole arrangement is the thinnest of them, 1 … 5, or 0 while the digits
// hang free; when the melody moves to another string the arrangement
// moves with it. The hand stands on its fingertips or lies on its heel, not both.
const restPlaces = 6

// thickestRest is the thickest string on which a finger rests; below it lies the thumb.
const thickestRest = 5

// mayRest reports whether the digits may lie at a place after pl: where the finger that plucks the
// thinnest string has that string for its own, or anywhere if none plucks. A digit that brushes,
// taps or bends leaves no room for the others.
func (m *model) mayRest(pl *pluck, place int) bool {
	fingers := m.req.Player.Fingers
	switch {
	case place == 0:
		return true
	case !m.school.Rests || pl.busy || pl.laid || pl.sweeps != 0 || place+fingers-1 > thickestRest:
		return false
	}
	for d := fingers; d >= digits.I; d-- {
		if at := int(pl.at[d]); at != 0 {
			return at == place+fingers-d
		}
	}
	return true
}

// rest lays the free digits at a place: each on its string unless that sounds or lies at or
// beyond the thumb's. What they silence leaves s, and they are added to pl. ok is false if the heel
// lies on the strings, if no digit lies, if one would have to cross another, or if a pin wants
// something else there.
func (m *model) rest(r *pickShape, s *silence, pl *pluck, o *bassOption, place int) (ok bool) {
	if s.heel != 0 {
		return false
	}
	for d := digits.I; d <= m.req.Player.Fingers; d++ {
		str := place + m.req.Player.Fingers - d
		if pl.at[d] != 0 || (s.struck | s.keep).Has(str) || o.str != 0 && str >= o.str {
			continue
		}
		if !inPlace(pl, d, str) || !r.pins.damperAllowed(str, play.Damper(play.Digits[d])) {
			return false
		}
		pl.at[d] = int8(str)
		s.rest |= ring.Of(str)
		s.damping += play.Exact(m.w.RestHold)
		if s.unwanted.Has(str) { // a pin alone makes no string ring
			s.damping += play.Exact(m.w.RestStop)
		}
	}
	s.unw, s.idle = s.unw&^s.rest, s.idle&^s.rest
	m.priceSilence(r, s, o)
	return s.rest != 0
}

// inPlace: digit d on str crosses no digit that plucks or rests.
func inPlace(pl *pluck, d, str int) bool {
	for e, at := range pl.at {
		if at != 0 && (e < d && str >= int(at) || e > d && str <= int(at)) {
			return false
		}
	}
	return true
}

// restMove is what it costs to come to rest and to move the arrangement, at most as much as coming down again; lifting is free.
func (m *model) restMove(from, to int) float64 {
	switch {
	case to == 0 || !m.school.Rests:
		return 0
	case from == 0:
		return play.Exact(m.w.RestDown)
	}
	return min(play.Exact(m.w.RestDown), play.Exact(m.w.RestShift*absInt(to-from)))
}
