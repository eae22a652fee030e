package plan

import (
	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/ring"
)

// heelStates is how far the heel may lie: over 0 … 5 strings.
const heelStates = 6

// silence is the state of the strings for one ringIn, bass option, heel and pluck, before
// anything stops strings one by one.
type silence struct {
	ringIn   ringIn
	struck   ring.Strings
	keep     ring.Strings // must go on ringing: nothing may touch them
	may      ring.Strings // may ring on or be damped
	unwanted ring.Strings // unwanted and ringing, before heel and trailing fingers
	unw      ring.Strings // of them, those that remain
	swept    ring.Strings // caught by a brush
	demanded ring.Strings // those that pins want silenced one by one
	heel     ring.Strings
	idle     ring.Strings // nothing struck them and nothing lies on them: they ring in sympathy
	rest     ring.Strings // digits rest on them
	hit      ring.Strings // percussion silences them
	touch    ring.Strings // a fretting finger's tip reaches them
	below    ring.Strings // its underside can lie on them
	cost     float64
	damping  float64 // of cost
}

// still sorts the strings with bass option o; ok is false if trailing fingers or a
// pinned damper would lie on a string that must sound.
func (m *model) still(r *pickShape, ri ringIn, o *bassOption, s *silence) (ok bool) {
	mo, h := r.mo, r.h
	*s = silence{ringIn: ri, struck: ring.Of(o.str)}
	if mo.note >= 0 {
		s.struck |= h.sounding
	} else if mo.sounding >= 0 {
		s.keep = h.sounding
	}
	// Ringing bass strings: until the next stroke they must ring, at a stroke they may;
	// what is no tone of the present chord is unwanted.
	live := ri.live &^ s.struck
	stray := live &^ r.fits
	s.unwanted = ri.unw&^s.struck | stray
	if !mo.wantsThumb() && o.str == 0 {
		s.keep |= live & r.fits
	} else {
		s.may = live & r.fits
	}
	if !m.damps(mo) {
		s.unwanted = 0
	}
	s.unwanted &^= h.trailed
	if s.hit = o.hitStrings(); s.hit != 0 {
		if o.hit == pattern.Slap && s.keep&s.hit&h.sounding != 0 || s.struck&s.hit != 0 {
			return false
		}
		s.keep, s.may, s.unwanted = s.keep&^s.hit, s.may&^s.hit, s.unwanted&^s.hit
	}
	s.demanded = r.pins.demanded()
	sounding := s.struck | s.keep
	s.touch, s.below = r.touch&^sounding, r.below(sounding)
	return (h.trailed|s.demanded)&sounding == 0
}

// damps: unwanted sound counts at mo.
func (m *model) damps(mo *moment) bool { return m.school.Cares && !mo.pins.ringing }

// idleStrings are the open strings that nothing has struck and nothing lies on.
func (m *model) idleStrings(r *pickShape, s *silence) ring.Strings {
	return ring.Upto(6) &^ (s.struck | s.keep | s.may | s.unwanted | s.hit | r.h.trailed | r.h.under)
}

// underHeel lays the heel over n strings; ok is false if a pin does not allow it.
func (m *model) underHeel(r *pickShape, s *silence, o *bassOption, idle ring.Strings, n int) (ok bool) {
	s.heel, s.damping = ring.Heel(n), 0
	s.unw, s.idle = s.unwanted&^s.heel, idle&^s.heel
	if n > 0 {
		s.damping = play.Exact(m.heelEffort(n))
	}
	m.priceSilence(r, s, o)
	if s.demanded != 0 && !m.demand(r, s) {
		return false
	}
	return r.mo.heelAllowed(n)
}

// heelEffort is what the heel over n strings costs while it lies. A player of the heel school lays it without thinking.
func (m *model) heelEffort(n int) float64 {
	effort := m.w.HeelEffort * float64(n)
	if m.req.Player.Silence == player.Heel {
		effort *= m.w.HeelSchool
	}
	return effort
}

// priceSilence sets what s costs so far: the sympathy of idle strings and the dampers.
func (m *model) priceSilence(r *pickShape, s *silence, o *bassOption) {
	s.cost = s.damping
	if m.damps(r.mo) {
		s.cost += play.Exact(m.w.Sympathy * sympathetic(r, o, s.idle))
	}
}

// sweep adds the neighbours that a brush catches.
func (m *model) sweep(r *pickShape, s *silence, pl *pluck) {
	if !m.damps(r.mo) {
		return
	}
	s.swept = pl.sweeps &^ (s.struck | s.keep | s.unwanted | s.may | s.heel | r.h.trailed)
	s.unw |= s.swept
}

// demand puts the strings that pins want silenced among the unwanted, unless they are
// silent by what is pinned already; ok is false if something else lies there.
func (m *model) demand(r *pickShape, s *silence) (ok bool) {
	for str := 1; str <= 6; str++ {
		if !s.demanded.Has(str) {
			continue
		}
		switch by := r.pins.dampers[str]; {
		case by == play.ByHeel:
			if !s.heel.Has(str) {
				return false
			}
		case by == play.ByTrailing:
			if !r.h.trailed.Has(str) && !(r.h.under.Has(str) && r.h.trails >= str) {
				return false
			}
		case (s.heel | r.h.trailed).Has(str):
			return false
		default:
			s.unw |= ring.Of(str)
		}
	}
	return true
}

// mayDemand reports whether what pins demand can be had here at all, whatever the picking hand plucks: most often it cannot, and
// nothing need be listed.
func (m *model) mayDemand(r *pickShape, o *bassOption, s *silence) bool {
	for str := 1; str <= 6; str++ {
		if s.demanded.Has(str) && !m.mayLie(r, o, s, str, r.pins.dampers[str]) {
			return false
		}
	}
	return true
}

// mayLie reports whether by may damp string str, or the thumb damp it with its side while it lies on a thinner string.
func (m *model) mayLie(r *pickShape, o *bassOption, s *silence, str int, by play.Damper) bool {
	at, sounding := ring.Of(str), s.struck|s.keep
	if by != play.ByHeel && by != play.ByTrailing && m.school.ThumbRest && o.str == 0 && str >= 3 && ring.From(str)&sounding == 0 {
		return true
	}
	switch by {
	case play.ByHeel:
		return m.school.Heel && ring.Heel(7-str)&sounding == 0
	case play.ByTrailing:
		return r.h.trailed.Has(str) || r.h.under.Has(str) && r.h.trails >= str
	case play.ByFinger:
		return (s.touch|s.below)&at != 0 || r.spare
	case play.ByOver:
		return str == 6 && r.over
	case play.ByTilt:
		return m.school.Tilt && s.ringIn.ended&at != 0
	case play.Damper(play.P):
		return false
	}
	return m.school.Stops && (o.str == 0 || str < o.str) // digits
}

// sympathetic sums how strongly the idle strings ring along with what is struck.
func sympathetic(r *pickShape, o *bassOption, idle ring.Strings) float64 {
	sum := 0.0
	for str := 1; idle>>(str-1) != 0; str++ {
		if idle.Has(str) {
			sum += r.ring[str] + o.ring[str]
		}
	}
	return sum
}

// damping is how the unwanted strings are dealt with one by one.
type damping struct {
	digit   [digits.Count]int8 // string that each digit comes down on, 0 if none
	touch   ring.Strings       // silenced by a fretting finger's tip or underside
	spare   ring.Strings       // by a spare finger
	over    ring.Strings       // by the thumb over the neck
	tilt    ring.Strings       // by tilting the bar
	leak    ring.Strings
	leaked  float64 // cost of what leaks
	effort  float64 // cost of stopping the rest, without that of the stopper
	stopper uint8   // digit on a melody string that has ended, digits.None if none: see action
}

func (d *damping) cost() float64 { return d.leaked + d.effort }

// dampingSearch is the search for the cheapest dampings in one situation.
type dampingSearch struct {
	m    *model
	r    *pickShape
	s    *silence
	pl   *pluck
	bass int // string that the thumb strikes
	each func(*damping)
	leaf damping // what each is given; in a place of its own, so that the search allocates nothing
}

func (dl *dampingSearch) run() { dl.try(1, digits.C+1, damping{stopper: digits.None}) }

// try settles the unwanted strings from str on in every way; digits below last are free.
func (dl *dampingSearch) try(str, last int, cur damping) {
	for str <= 6 && !dl.s.unw.Has(str) {
		str++
	}
	if str > 6 {
		dl.leaf = cur
		dl.each(&dl.leaf)
		return
	}
	pins := dl.r.pins
	dl.fingers(str, last, cur)
	for d := last - 1; d >= digits.I; d-- {
		if dl.digitMay(d, str) && pins.damperAllowed(str, play.Damper(play.Digits[d])) {
			next := cur
			next.digit[d] = int8(str)
			if d < digits.C && dl.s.ringIn.ended.Has(str) && next.stopper == digits.None {
				next.stopper = uint8(d)
			} else {
				next.effort += dl.m.stopPrice(d, str)
			}
			dl.try(str+1, d, next)
		}
	}
	if dl.thumbMay(str) && pins.damperAllowed(str, play.Damper(play.P)) {
		next := cur
		next.digit[digits.P] = int8(str)
		next.effort += play.Exact(dl.m.w.RestEffort)
		dl.try(7, digits.P, next) // the thumb's side covers all the strings below
	}
	if pins.dampers[str] == "" {
		next := cur
		next.leak |= ring.Of(str)
		next.leaked += dl.r.leakCost(dl.s, str)
		dl.try(str+1, last, next)
	}
}

// fingers tries the left hand's ways with str.
func (dl *dampingSearch) fingers(str, last int, cur damping) {
	pins, at := dl.r.pins, ring.Of(str)
	if pins.damperAllowed(str, play.ByFinger) {
		next := cur
		switch {
		case dl.s.touch&at != 0:
			next.touch |= at
			dl.with(str, last, next, dl.m.w.FingerTouch)
		case dl.s.below&at != 0:
			next.touch |= at
			dl.with(str, last, next, dl.m.w.UnderTouch)
		case dl.r.spare && cur.spare == 0:
			next.spare = at
			dl.with(str, last, next, dl.m.w.SpareEffort)
		}
	}
	if str == 6 && dl.r.over && pins.damperAllowed(str, play.ByOver) {
		next := cur
		next.over = at
		dl.with(str, last, next, dl.m.w.OverEffort)
	}
	if dl.m.school.Tilt && dl.s.ringIn.ended&at != 0 && pins.damperAllowed(str, play.ByTilt) {
		next := cur
		next.tilt |= at
		dl.with(str, last, next, dl.m.w.TiltEffort)
	}
}

// with goes on after str is settled for effort.
func (dl *dampingSearch) with(str, last int, next damping, effort float64) {
	next.effort += play.Exact(effort)
	dl.try(str+1, last, next)
}

// digitMay: digit d is free and lies in order between what plays.
func (dl *dampingSearch) digitMay(d, str int) bool {
	if dl.bass != 0 && str >= dl.bass || dl.pl.busy || dl.pl.laid {
		return false
	}
	if d == digits.C && !dl.m.school.Little || !dl.m.school.Stops {
		return false
	}
	for e, at := range dl.pl.at {
		if at != 0 && (e == d || e > d && str <= int(at) || e < d && str >= int(at)) {
			return false
		}
	}
	return true
}

// thumbMay: the thumb is free and may lie from str down without touching what sounds.
func (dl *dampingSearch) thumbMay(str int) bool {
	if !dl.m.school.ThumbRest || dl.bass != 0 || dl.pl.busy || dl.pl.at[digits.P] != 0 || str < 3 || ring.From(str)&(dl.s.struck|dl.s.keep) != 0 {
		return false
	}
	for _, at := range dl.pl.at {
		if int(at) >= str {
			return false
		}
	}
	return true
}

// stopPrice is the effort of digit d coming down on str: its move is counted from where the
// digit lives.
func (m *model) stopPrice(d, str int) float64 {
	if d == digits.C {
		return play.Exact(m.w.LittleEffort)
	}
	return play.Exact(m.w.StopEffort + m.w.StopReach*absInt(str-digits.UsualString(m.req.Player.Fingers, d)))
}

func absInt(n int) float64 { return float64(max(n, -n)) }

func (d *damping) addTo(c *play.Terms) {
	c[play.Leak] += d.leaked
	c[play.Damping] += d.effort
}
