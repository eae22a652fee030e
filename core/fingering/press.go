package fingering

import "stepping/core/ring"

// press assigns press i and those after it to the fingers of the present way. was is the hand before the moment.
func (s *search) press(was *state, h state, cost float64, i int) {
	if s.hopeless(cost) {
		return
	}
	if i == len(s.mo.Presses) {
		s.settle(was, h, cost)
		return
	}
	p, f := &s.mo.Presses[i], int(s.mo.Ways[s.way][i])
	if !s.slurs(p, f) {
		return
	}
	if f == thumb && p.Struck {
		cost += s.price.OverNeck
	}
	if h.covers(f, p.Place) {
		h.this |= 1 << f
		s.press(was, h, cost, i+1)
		return
	}
	if !p.Struck && s.heldBy(&h, p.Place) != 0 {
		return // a note that sounds on keeps its finger
	}
	cost += s.offGripCost(&h, f, p.Place) + s.takeOver(&h, f, p.Place)
	again := f == 1 && s.givenToIndex(i) // then only a bar holds both
	if f == 1 && (again || h.has(1)) {
		if rolled, more, ok := s.roll(h, p.Place); ok {
			s.press(was, rolled, cost+more, i+1)
		}
	}
	if again {
		return
	}
	moved := h
	if f == 1 {
		moved.bar = 0
	}
	moved.at[f], moved.this = p.Place, h.this|1<<f
	s.press(was, moved, cost+s.moveCost(&h, f, p.Place), i+1)
}

// takeOver lifts the fingers other than f that lie on a place, and returns what that costs.
func (s *search) takeOver(h *state, f int, p Place) (cost float64) {
	for y := 1; y <= thumb; y++ {
		if y == f || !h.covers(y, p) {
			continue
		}
		if h.has(y) {
			cost += s.price.Swap
		} else {
			cost += s.price.SwapOlder
		}
		if h.at[y] == p { // a bar may stay under another finger
			h.lift(y)
		}
	}
	return cost
}

// givenToIndex reports whether the index finger has taken a press before press i in this way.
func (s *search) givenToIndex(i int) bool {
	for _, f := range s.mo.Ways[s.way][:i] {
		if f == 1 {
			return true
		}
	}
	return false
}

// heldBy is the finger that holds a place, 0 if none does.
func (s *search) heldBy(h *state, p Place) int {
	for f := 1; f <= thumb; f++ {
		if h.covers(f, p) {
			return f
		}
	}
	return 0
}

// slurs reports whether finger f can sound press p from the note before.
func (s *search) slurs(p *Press, f int) bool {
	if p.Slur == Plucked || p.From == 0 {
		return true
	}
	from := s.heldBy(&s.before, p.From)
	switch {
	case from == 0:
		return true
	case p.Slur == Hammer:
		return f > from
	case p.Slur == Pull:
		return f < from
	}
	return f == from
}

// offGripCost is the price of a place that is not the grip's.
func (s *search) offGripCost(h *state, f int, p Place) float64 {
	if h.grip != 0 && s.mo.Chord.grips[h.grip-1].covers(f, p) {
		return 0
	}
	return s.price.OffGrip
}

// alongCost is the price of a finger that goes along its string to a place: the thickest string leads.
func (s *search) alongCost(to Place) float64 {
	for i := range s.mo.Presses {
		if s.mo.Presses[i].String() > to.String() {
			return s.price.AlongThin
		}
	}
	return s.price.Along
}

// moveCost is the price of finger f going to a place from where it is.
func (s *search) moveCost(h *state, f int, to Place) float64 {
	old := h.at[f]
	if old == 0 {
		return s.price.Placed
	}
	if s.pair && old.String() == to.String() {
		return s.alongCost(to)
	}
	sounds := int(s.mo.Sounds[old.String()]) == old.Fret()
	same := old.Fret() == to.Fret()
	grips := h.grip == 0 || s.mo.Chord.grips[h.grip-1].covers(f, old)
	cost := s.price.HopOlder
	switch {
	case sounds:
		cost = s.price.HopSounding
	case h.has(f):
		cost = s.price.HopThis
	}
	if same {
		cost = min(cost, s.price.HopSame)
	}
	if !grips {
		cost *= s.price.OffGripHop
	}
	if h.has(f) {
		left := s.price.Leave
		if !grips {
			left *= s.price.LeaveOff
		}
		if same {
			left *= s.price.LeaveSame
		}
		if sounds {
			left += s.price.LeaveSounds
		}
		cost += left
	}
	return s.price.Placed + cost
}

// roll lays the index finger out to a place at its fret as well.
func (s *search) roll(h state, p Place) (state, float64, bool) {
	at := h.at[1]
	if at == 0 || at.Fret() != p.Fret() {
		return h, 0, false
	}
	lo, hi := min(at.String(), p.String()), max(at.String(), p.String())
	for str := 1; str <= 6; str++ {
		if h.bar.Has(str) {
			lo, hi = min(lo, str), max(hi, str)
		}
	}
	bar := ring.Between(lo, hi)
	if bar&s.mo.Open != 0 {
		return h, 0, false
	}
	for f := 2; f <= 4; f++ { // nothing lower lies under it
		if q := h.at[f]; q != 0 && bar.Has(q.String()) && q.Fret() < p.Fret() {
			return h, 0, false
		}
	}
	cost := s.price.BarRoll
	if h.bar == 0 {
		cost = s.price.bar(bar.Len())
	}
	h.bar, h.this = bar, h.this|1<<1
	return h, cost, true
}

// settle finds the positions in which the hand can hold what it has taken. Fingers that no longer fit are lifted.
func (s *search) settle(was *state, h state, cost float64) {
	taken := uint8(0)
	for _, f := range s.mo.Ways[s.way] {
		taken |= 1 << f
	}
	released, ok := s.release(&h, taken)
	if !ok && !s.lax {
		return
	}
	cost += released
	lo, hi := s.positions()
	for pos := lo; pos <= hi; pos++ {
		more := s.strains(&h, pos)
		s.hold(was, h, taken, pos, cost+more)
	}
}

// positions are those in which the fingers taken reach what they take.
func (s *search) positions() (lo, hi int8) {
	lo, hi = 1, 31
	for i, f := range s.mo.Ways[s.way] {
		if f == thumb {
			continue
		}
		own := int8(s.mo.Presses[i].Fret()) - (f - 1)
		if s.lax {
			lo = max(1, own)
			return lo, lo
		}
		lo, hi = max(lo, own-above), min(hi, own+below[f])
	}
	return lo, hi
}

// strains is what the fingers taken cost in a position.
func (s *search) strains(h *state, pos int8) (cost float64) {
	for i, f := range s.mo.Ways[s.way] {
		if p := &s.mo.Presses[i]; p.Struck && f != thumb {
			cost += s.price.strain(h, int(f), p.Fret()-int(pos)-int(f-1))
		}
	}
	return cost
}

// hold files the hand in a position.
func (s *search) hold(was *state, h state, taken uint8, pos int8, cost float64) {
	guided := false
	for f := 1; f <= 4; f++ {
		if h.at[f] == 0 {
			continue
		}
		if taken>>f&1 == 0 {
			if _, ok := reach(f, h.at[f], pos); !ok {
				cost += s.drop(&h, f)
			}
			continue
		}
		guided = guided || slid(was.at[f], h.at[f], int(pos-was.pos))
	}
	cost += s.price.PositionPer * float64(min(positionMost, pos-1))
	if pos > 1 && h.at[1] == 0 {
		cost += s.price.IndexIdle
	}
	cost += s.shift(was.pos, pos, guided)
	if h.pos = pos; !s.hopeless(cost) {
		s.add(h, cost)
	}
}

// drop lifts finger f, and returns what that costs.
func (s *search) drop(h *state, f int) (cost float64) {
	if p := h.at[f]; int(s.mo.Sounds[p.String()]) == p.Fret() {
		cost = s.price.HopSounding
	}
	h.lift(f)
	return cost
}

// lift takes finger f off its place.
func (h *state) lift(f int) {
	h.at[f], h.this = 0, h.this&^(1<<f)
	if f == 1 {
		h.bar = 0
	}
}

// release lifts the fingers that cannot stay with those taken; ok is false if those taken cannot be held together.
func (s *search) release(h *state, taken uint8) (cost float64, ok bool) {
	ok = true
	for a := 1; a <= 4; a++ {
		for b := a + 1; b <= 4; b++ {
			if h.at[a] == 0 || h.at[b] == 0 || s.together(h, a, b) {
				continue
			}
			switch {
			case taken>>a&1 == 0:
				cost += s.drop(h, a)
			case taken>>b&1 == 0:
				cost += s.drop(h, b)
			default:
				ok = false
			}
		}
	}
	return cost, ok
}

// together: fingers lie in fret order, at one fret the lower one on the thicker string, and within the span.
func (s *search) together(h *state, a, b int) bool {
	p, q := h.at[a], h.at[b]
	if p.Fret() > q.Fret() || p.Fret() == q.Fret() && p.String() <= q.String() {
		return false
	}
	if a == 1 && p.Fret() == q.Fret() && h.bar != 0 && h.bar.Has(q.String()) {
		return false
	}
	return s.hand.X[q.Fret()]-s.hand.X[p.Fret()] <= s.hand.Span[a][b]
}
