package plan

import (
	"math"

	"stepping/core/quiet"
)

// Digits of the picking hand in string order: each plays thinner strings than the one before.
const (
	digitP = iota
	digitI
	digitM
	digitA
	noDigit // before the first melody note
	digitStates
)

var digitNames = [digitStates]string{"p", "i", "m", "a", ""}

const heelStates = 6 // heel over 0 … 5 strings

// step is one choice of the right hand and the thumb at a moment, for one hand and tail.
type step struct {
	from, to int // digit that plucked melody last, before and after
	heel     int
	bass     int // index into the hand's bassOptions
	live     quiet.Strings
	cost     float64
}

// rightIn is the situation in which the right hand chooses.
type rightIn struct {
	mo   *moment
	h    *hand
	tl   tail
	opts []bassOption
}

// silence is the state of the strings for one bass option and heel, before digits stop anything.
type silence struct {
	struck  quiet.Strings
	keep    quiet.Strings // must go on ringing: nothing may touch them
	may     quiet.Strings // may ring on or be damped
	unw     quiet.Strings // unwanted and ringing
	mild    quiet.Strings // of unw: at open pitch
	trail   quiet.Strings
	heel    quiet.Strings
	touch   quiet.Strings // a fretting finger can reach these
	covered quiet.Strings
	cost    Terms
}

// stillness sorts the strings; ok is false if heel or trailing fingers would lie on a
// string that must sound.
func (m *model) stillness(in *rightIn, o *bassOption, heel int) (s silence, ok bool) {
	mo, h := in.mo, in.h
	s.struck, s.heel = quiet.Of(o.str), quiet.Heel(heel)
	if mo.note >= 0 {
		s.struck |= quiet.Of(h.str)
	} else if mo.sounding >= 0 {
		s.keep = quiet.Of(h.str)
	}
	if h.slide {
		s.covered = quiet.Upto(h.covers)
		s.trail = quiet.Upto(h.trails) &^ s.covered
	}
	s.unw, s.mild = in.tl.unw&^s.struck, in.tl.mild&^s.struck
	m.sortLive(&s, in)
	sounding := s.struck | s.keep
	if (s.heel|s.trail)&sounding != 0 {
		return s, false
	}
	s.touch = m.fingerTouches(h) &^ sounding
	s.cost.add(Damping, heelEffort*float64(heel))
	if m.school.Cares {
		m.addSympathy(&s, in, o)
	} else {
		s.unw, s.mild = 0, 0
	}
	s.unw &^= s.heel | s.trail
	return s, true
}

// sortLive divides the ringing bass strings: until the next stroke they must ring, at a
// stroke they may, and what is no tone of the present chord is unwanted.
func (m *model) sortLive(s *silence, in *rightIn) {
	for str := 1; str <= 6; str++ {
		bit := quiet.Of(str)
		if in.tl.live&bit&^s.struck == 0 {
			continue
		}
		switch fits := in.mo.chord.Has(m.soundingPitch(in.h, str)); {
		case !fits:
			s.unw |= bit
			if !s.covered.Has(str) {
				s.mild |= bit
			}
		case in.mo.stroke == nil:
			s.keep |= bit
		default:
			s.may |= bit
		}
	}
}

// fingerTouches returns the strings beside fretting fingers: the tip reaches the next
// thicker one, the underside the next thinner.
func (m *model) fingerTouches(h *hand) quiet.Strings {
	var s quiet.Strings
	beside := func(str int) {
		s |= quiet.Of(min(str+1, 6)) | quiet.Of(max(str-1, 1))
	}
	if h.how == Fret {
		beside(h.str)
	}
	if h.bass.str != 0 && h.bass.finger != thumbOver {
		beside(h.bass.str)
	}
	return s
}

// addSympathy: open strings that nothing damps ring along with what is struck.
func (m *model) addSympathy(s *silence, in *rightIn, o *bassOption) {
	idle := ^(s.struck | s.keep | s.may | s.unw | s.heel | s.trail | s.covered) & quiet.Upto(6)
	if idle == 0 {
		return
	}
	sum := 0.0
	add := func(v [7]float64) {
		for str := 1; str <= 6; str++ {
			if idle.Has(str) {
				sum += v[str]
			}
		}
	}
	if in.mo.note >= 0 {
		add(m.sympathyOf(m.req.Tune.Notes[in.mo.note].Note.Pitch()))
	}
	if o.str != 0 {
		add(m.sympathyOf(o.pitch))
	}
	s.cost.add(Leak, wSympathy*sum)
}

// leakCost is the price of leaving string str of s.unw to ring: how strong it still is,
// milder if its note belongs to the chord or is a welcome drone.
func (m *model) leakCost(in *rightIn, s *silence, str int) float64 {
	age := 0.0
	if in.mo.ended >= 0 && !in.tl.live.Has(str) {
		age = in.mo.endedFor
	}
	cost := wLeak * quiet.Strength(age)
	if s.mild.Has(str) {
		p := m.open(str)
		if in.mo.chord.Has(p) {
			cost *= consonant
		} else if m.isDrone(Open, p) {
			cost *= droneEase
		}
	}
	return cost
}

// stops is how the unwanted strings are dealt with one by one.
type stops struct {
	digit [4]int        // string that each digit comes down on, 0 if none
	touch quiet.Strings // silenced by a fretting finger beside them
	leak  quiet.Strings
	cost  float64
}

// stopAll finds the cheapest way to deal with s.unw: free digits in string order, fretting
// fingers beside, or letting it leak. to plucks the melody (noDigit if nothing does),
// bassStr is struck by the thumb, own is the string on which the digit from played last.
func (m *model) stopAll(in *rightIn, s *silence, from, to, bassStr int) stops {
	best := stops{cost: math.Inf(1)}
	var try func(str, last int, cur stops)
	try = func(str, last int, cur stops) {
		for str <= 6 && !s.unw.Has(str) {
			str++
		}
		if str > 6 {
			if cur.cost < best.cost {
				best = cur
			}
			return
		}
		if s.touch.Has(str) {
			next := cur
			next.touch |= quiet.Of(str)
			next.cost += fingerTouch
			try(str+1, last, next)
		}
		for d := last - 1; d >= digitI; d-- {
			if m.digitMay(in, d, str, to, bassStr) {
				next := cur
				next.digit[d] = str
				next.cost += m.stopPrice(in, d, from, str)
				try(str+1, d, next)
			}
		}
		if m.thumbMay(in, s, str, to, bassStr) {
			next := cur
			next.digit[digitP] = str
			next.cost += restEffort
			try(7, digitP, next) // the thumb's side covers all the strings below
		}
		next := cur
		next.leak |= quiet.Of(str)
		next.cost += m.leakCost(in, s, str)
		try(str+1, last, next)
	}
	try(1, m.req.Player.Fingers+1, stops{})
	return best
}

// digitMay: digit d is free and lies in order between what plays.
func (m *model) digitMay(in *rightIn, d, str, to, bassStr int) bool {
	if !m.school.Stops || d == to || bassStr != 0 && str >= bassStr {
		return false
	}
	if in.mo.note < 0 || to == noDigit {
		return true
	}
	if d > to {
		return str < in.h.str
	}
	return str > in.h.str
}

// thumbMay: the thumb is free and may lie from str down without touching what sounds.
func (m *model) thumbMay(in *rightIn, s *silence, str, to, bassStr int) bool {
	return m.school.ThumbRest && bassStr == 0 && to != digitP && str >= 3 &&
		quiet.From(str)&(s.struck|s.keep) == 0 && (in.mo.note < 0 || str > in.h.str)
}

func (m *model) stopPrice(in *rightIn, d, from, str int) float64 {
	if d == from && in.mo.ended >= 0 && !in.tl.live.Has(str) {
		return stopOwn
	}
	return stopEffort
}

// steps lists every choice of the right hand for hand in.h after tail in.tl. live tells
// from which digits the search may come.
func (m *model) steps(in *rightIn, froms []int, out []step) []step {
	heels := 1
	if m.school.Heel {
		heels = heelStates
	}
	for b := range in.opts {
		o := &in.opts[b]
		for heel := 0; heel < heels; heel++ {
			s, ok := m.stillness(in, o, heel)
			if !ok {
				break // a wider heel only touches more
			}
			base := s.cost
			base.addAll(&o.cost)
			sum := base.Sum()
			for _, from := range froms {
				for to := digitP; to < digitStates; to++ {
					pluck, ok := m.pluckCost(in, from, to, o)
					if !ok {
						continue
					}
					st := step{from: from, to: to, heel: heel, bass: b, cost: sum + pluck.Sum(), live: m.liveAfter(in, &s, o, nil)}
					if s.unw != 0 {
						stop := m.stopTerms(in, &s, from, to, o)
						st.cost += stop.terms.Sum()
						st.live = m.liveAfter(in, &s, o, &stop.stops)
					}
					out = append(out, st)
				}
			}
		}
	}
	return out
}

type stopTerms struct {
	stops
	terms Terms
}

// stopTerms is stopAll with its cost split into terms.
func (m *model) stopTerms(in *rightIn, s *silence, from, to int, o *bassOption) stopTerms {
	pluck := to
	if in.mo.note < 0 {
		pluck = noDigit
	}
	st := stopTerms{stops: m.stopAll(in, s, from, pluck, o.str)}
	leaked := 0.0
	for str := 1; str <= 6; str++ {
		if st.leak.Has(str) {
			leaked += m.leakCost(in, s, str)
		}
	}
	st.terms.add(Leak, leaked)
	st.terms.add(Damping, st.cost-leaked)
	return st
}

// liveAfter returns the bass strings that ring on after the moment.
func (m *model) liveAfter(in *rightIn, s *silence, o *bassOption, st *stops) quiet.Strings {
	on := s.may &^ (s.heel | s.trail)
	if st != nil && st.digit[digitP] != 0 {
		on &^= quiet.From(st.digit[digitP])
	}
	on |= s.keep & in.tl.live
	return on | quiet.Of(o.str)
}

// pluckCost is the cost of digit to plucking the melody after from did; ok is false if
// it cannot. Without a melody onset the digits stay: from must equal to.
func (m *model) pluckCost(in *rightIn, from, to int, o *bassOption) (c Terms, ok bool) {
	if in.mo.note < 0 {
		return c, from == to
	}
	str := in.h.str
	switch {
	case to == noDigit || to > m.req.Player.Fingers:
		return c, false
	case o.str != 0 && (to == digitP || str >= o.str):
		return c, false
	case to == digitP && str < 4:
		return c, false
	}
	if to == digitP {
		c.add(Hand, thumbMelody)
	} else {
		c.add(Hand, wDigitPlace*math.Abs(float64(str-m.usualString(to))))
	}
	ratio := restrike[m.req.Player.Attack] / math.Max(in.mo.since, 1e-3)
	if from == to {
		c.add(Hand, wRepeat*ratio*ratio)
	} else if from != noDigit {
		c.add(Hand, wAlternate*ratio*ratio)
	}
	return c, true
}

// usualString is where a digit lives: i, m, a on strings 3, 2, 1; with two fingers m
// serves the first two, with one finger i all three.
func (m *model) usualString(d int) int {
	switch m.req.Player.Fingers {
	case 1:
		return 2
	default:
		return 4 - d
	}
}

// heelChange is the cost of moving the heel.
func heelChange(from, to int) float64 {
	if from == to {
		return 0
	}
	var c Terms
	c.add(Damping, heelMove+heelStep*math.Abs(float64(from-to)))
	return c[Damping]
}
