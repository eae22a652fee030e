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

// step is one choice of the right hand and the thumb at a moment, for one shape and tail.
type step struct {
	from, to uint8 // digit that plucked melody last, before and after
	heel     uint8
	bass     uint8 // index into the shape's options
	live     quiet.Strings
	cost     float64
}

// shape is what the right hand sees of a left hand: which strings are stopped, covered or
// touched. Hands that differ only in fingers or history share it.
type shape struct {
	place          place // finger 0
	slide          bool
	covers, trails int
	bass           bassFret // finger 0, or thumbOver
}

func (h *hand) shape() shape {
	s := shape{h.place, h.slide, h.covers, h.trails, h.bass}
	s.place.finger = 0
	if s.bass.finger != thumbOver {
		s.bass.finger = 0
	}
	return s
}

// right is the right hand's choice at one moment for one shape.
type right struct {
	mo      *moment
	h       *hand // any hand of the shape
	opts    []bassOption
	covered quiet.Strings
	trail   quiet.Strings
	touch   quiet.Strings // strings that a fretting finger can reach
	fits    quiet.Strings // strings whose present pitch is a tone of the chord
	ring    [7]float64    // sympathy of each open string with the melody note struck
	tails   []tailSteps   // filled as asked for
	stops   *stopTable
}

type tailSteps struct {
	tl     tail
	lo, hi int            // its steps in model.arena
	value  byDigit[ahead] // used by the backward pass: the best way from here to the end
	ready  bool
}

func (m *model) newRight(mo *moment, h *hand) *right {
	r := &right{}
	m.initRight(r, mo, h)
	r.stops = &stopTable{}
	return r
}

// initRight fills r anew; its slices are reused.
func (m *model) initRight(r *right, mo *moment, h *hand) {
	*r = right{mo: mo, h: h, opts: m.bassOptions(mo, h), touch: fingerTouches(h), tails: r.tails[:0]}
	if h.slide {
		r.covered = quiet.Upto(h.covers)
		r.trail = quiet.Upto(h.trails) &^ r.covered
	}
	for s := 1; s <= 6; s++ {
		if mo.has(m.soundingPitch(h, s)) {
			r.fits |= quiet.Of(s)
		}
	}
	if mo.note >= 0 {
		r.ring = m.sympathyOf(m.req.Tune.Notes[mo.note].Note.Pitch())
	}
}

// rights groups the hands of a moment by shape; the result has one entry a hand. It is
// good until the next call.
func (m *model) rights(mo *moment) []*right {
	byShape := map[shape]*right{}
	tables := map[stopClass]*stopTable{}
	out := make([]*right, len(mo.hands))
	m.arena = m.arena[:0]
	for i := range mo.hands {
		h := &mo.hands[i]
		key := h.shape()
		if byShape[key] == nil {
			n := len(byShape)
			if n == len(m.pool) {
				m.pool = append(m.pool, &right{})
			}
			r := m.pool[n]
			m.initRight(r, mo, h)
			class := stopClass{h.str, r.touch}
			if tables[class] == nil {
				tables[class] = m.freshTable(len(tables))
			}
			r.stops = tables[class]
			byShape[key] = r
		}
		out[i] = byShape[key]
	}
	return out
}

// freshTable returns the nth stop table of a moment, emptied.
func (m *model) freshTable(n int) *stopTable {
	if n == len(m.tables) {
		m.tables = append(m.tables, &stopTable{})
	}
	m.tables[n].memos = m.tables[n].memos[:0]
	return m.tables[n]
}

// after returns the steps that can follow tl; they stand in m.arena[lo:hi].
func (m *model) after(r *right, tl tail) *tailSteps {
	for i := range r.tails {
		if r.tails[i].tl == tl {
			return &r.tails[i]
		}
	}
	lo := len(m.arena)
	m.steps(r, tl)
	r.tails = append(r.tails, tailSteps{tl: tl, lo: lo, hi: len(m.arena)})
	return &r.tails[len(r.tails)-1]
}

// silence is the state of the strings for one tail, bass option and heel, before digits
// stop anything.
type silence struct {
	tl     tail
	struck quiet.Strings
	keep   quiet.Strings // must go on ringing: nothing may touch them
	may    quiet.Strings // may ring on or be damped
	unw    quiet.Strings // unwanted and ringing
	mild   quiet.Strings // of unw: at open pitch
	heel   quiet.Strings
	trail  quiet.Strings
	touch  quiet.Strings
	cost   Terms
}

// stillness sorts the strings; ok is false if heel or trailing fingers would lie on a
// string that must sound.
func (m *model) stillness(r *right, tl tail, o *bassOption, heel int) (s silence, ok bool) {
	mo, h := r.mo, r.h
	s.tl, s.struck, s.heel, s.trail = tl, quiet.Of(o.str), quiet.Heel(heel), r.trail
	if mo.note >= 0 {
		s.struck |= quiet.Of(h.str)
	} else if mo.sounding >= 0 {
		s.keep = quiet.Of(h.str)
	}
	// Ringing bass strings: until the next stroke they must ring, at a stroke they may;
	// what is no tone of the present chord is unwanted.
	live := tl.live &^ s.struck
	stray := live &^ r.fits
	s.unw = tl.unw&^s.struck | stray
	s.mild = tl.mild&^s.struck | stray&^r.covered
	if mo.stroke == nil {
		s.keep |= live & r.fits
	} else {
		s.may = live & r.fits
	}
	sounding := s.struck | s.keep
	if (s.heel|s.trail)&sounding != 0 {
		return s, false
	}
	s.touch = r.touch &^ sounding
	if heel > 0 {
		s.cost.add(Damping, heelDown+heelEffort*float64(heel))
	}
	if m.school.Cares {
		s.cost.add(Leak, wSympathy*sympathetic(r, &s, o))
	} else {
		s.unw, s.mild = 0, 0
	}
	s.unw &^= s.heel | s.trail
	return s, true
}

// fingerTouches returns the strings beside fretting fingers: the tip reaches the next
// thicker one, the underside the next thinner.
func fingerTouches(h *hand) quiet.Strings {
	var s quiet.Strings
	beside := func(str int) {
		s |= (quiet.Of(str)<<1 | quiet.Of(str)>>1) & quiet.Upto(6)
	}
	if h.how == Fret {
		beside(h.str)
	}
	if h.bass.str != 0 && h.bass.finger != thumbOver {
		beside(h.bass.str)
	}
	return s
}

// sympathetic sums how strongly the open strings that nothing damps ring along with what
// is struck.
func sympathetic(r *right, s *silence, o *bassOption) float64 {
	idle := ^(s.struck | s.keep | s.may | s.unw | s.heel | s.trail | r.covered) & quiet.Upto(6)
	sum := 0.0
	for str := 1; idle != 0; str, idle = str+1, idle>>1 {
		if idle&1 != 0 {
			sum += r.ring[str] + o.ring[str]
		}
	}
	return sum
}

// leakPrice is the cost of leaving a string to ring, by string: how strong it still is,
// milder if it rings open and its note belongs to the chord or is a welcome drone.
type leakPrice struct {
	fresh, ended         float64 // bass strings; the melody string that ended
	openFresh, openEnded [7]float64
}

func (m *model) newLeakPrice(mo *moment) (lp leakPrice) {
	lp.fresh, lp.ended = wLeak, wLeak*quiet.Strength(mo.endedFor)
	for s := 1; s <= 6; s++ {
		ease := 1.0
		if p := m.open(s); mo.has(p) {
			ease = consonant
		} else if m.isDrone(Open, p) {
			ease = droneEase
		}
		lp.openFresh[s], lp.openEnded[s] = lp.fresh*ease, lp.ended*ease
	}
	return lp
}

func (mo *moment) leakCost(s *silence, str int) float64 {
	ended := s.tl.ended.Has(str)
	switch {
	case s.mild.Has(str) && ended:
		return mo.leak.openEnded[str]
	case s.mild.Has(str):
		return mo.leak.openFresh[str]
	case ended:
		return mo.leak.ended
	}
	return mo.leak.fresh
}

// stops is how the unwanted strings are dealt with one by one.
type stops struct {
	digit  [4]int        // string that each digit comes down on, 0 if none
	touch  quiet.Strings // silenced by a fretting finger beside them
	leak   quiet.Strings
	leaked float64 // cost of what leaks
	effort float64 // cost of stopping the rest
}

func (st *stops) cost() float64 { return st.leaked + st.effort }

// stopper is the search for the cheapest stops in one situation.
type stopper struct {
	m              *model
	r              *right
	s              *silence
	from, to, bass int // last digit, digit that plucks (noDigit: none), string the thumb strikes
	best           stops
	found          bool
}

// stopAll finds the cheapest way to deal with s.unw: digits that are free and in string
// order, fretting fingers beside, or letting a string leak.
func (m *model) stopAll(r *right, s *silence, from, to, bassStr int) stops {
	st := stopper{m: m, r: r, s: s, from: from, to: to, bass: bassStr}
	if r.mo.note < 0 {
		st.to = noDigit
	}
	st.try(1, m.req.Player.Fingers+1, &stops{})
	return st.best
}

// try settles the unwanted strings from str on; digits below last are still free.
func (st *stopper) try(str, last int, cur *stops) {
	for str <= 6 && !st.s.unw.Has(str) {
		str++
	}
	if st.found && cur.cost() >= st.best.cost() {
		return // dealing with more strings only adds cost
	}
	if str > 6 {
		st.best, st.found = *cur, true
		return
	}
	if st.s.touch.Has(str) {
		next := *cur
		next.touch |= quiet.Of(str)
		next.effort += fingerTouch
		st.try(str+1, last, &next)
	}
	for d := last - 1; d >= digitI; d-- {
		if st.digitMay(d, str) {
			next := *cur
			next.digit[d] = str
			next.effort += st.stopPrice(d, str)
			st.try(str+1, d, &next)
		}
	}
	if st.thumbMay(str) {
		next := *cur
		next.digit[digitP] = str
		next.effort += restEffort
		st.try(7, digitP, &next) // the thumb's side covers all the strings below
	}
	next := *cur
	next.leak |= quiet.Of(str)
	next.leaked += st.r.mo.leakCost(st.s, str)
	st.try(str+1, last, &next)
}

// digitMay: digit d is free and lies in order between what plays.
func (st *stopper) digitMay(d, str int) bool {
	if !st.m.school.Stops || d == st.to || st.bass != 0 && str >= st.bass {
		return false
	}
	if st.to == noDigit {
		return true
	}
	if d > st.to {
		return str < st.r.h.str
	}
	return str > st.r.h.str
}

// thumbMay: the thumb is free and may lie from str down without touching what sounds.
func (st *stopper) thumbMay(str int) bool {
	return st.m.school.ThumbRest && st.bass == 0 && st.to != digitP && str >= 3 &&
		quiet.From(str)&(st.s.struck|st.s.keep) == 0 && (st.r.mo.note < 0 || str > st.r.h.str)
}

func (st *stopper) stopPrice(d, str int) float64 {
	if d == st.from && st.s.tl.ended.Has(str) {
		return stopOwn
	}
	return stopEffort
}

// steps adds every choice of the right hand for a shape after a tail to m.arena. Where
// choices differ only in how strings are damped, the cheapest is kept.
func (m *model) steps(r *right, tl tail) {
	heels := 1
	if m.school.Heel {
		heels = heelStates
	}
	for b := range r.opts {
		o := &r.opts[b]
		first := len(m.arena)
		var kept silence
		for heel := 0; heel < heels; heel++ {
			s, ok := m.stillness(r, tl, o, heel)
			if !ok {
				break // a wider heel only touches more
			}
			if heel > 0 && s.unw == kept.unw && s.may&^s.heel == kept.may&^kept.heel && s.cost.Sum() >= kept.cost.Sum() {
				continue // it silences nothing more, for more
			}
			kept = s
			m.plucks(r, &s, o, step{bass: uint8(b), heel: uint8(heel), cost: s.cost.Sum() + o.sum}, first)
		}
	}
}

// plucks adds the steps of one option and heel: base with every pair of digits. Steps from
// first on are of the same option.
func (m *model) plucks(r *right, s *silence, o *bassOption, base step, first int) {
	memo := m.memoFor(r, s, o.str)
	for from := digitP; from < digitStates; from++ {
		if r.mo.froms&(1<<from) == 0 {
			continue
		}
		for to := digitP; to < digitStates; to++ {
			pluck, ok := m.pluckSum(r, from, to, o)
			if !ok {
				continue
			}
			st, rest := base, 0
			st.from, st.to, st.cost = uint8(from), uint8(to), base.cost+pluck
			if memo != nil {
				stop := memo.get(m, r, s, from, to, o.str)
				st.cost, rest = st.cost+stop.cost, stop.thumb
			}
			st.live = liveAfter(s, o, rest)
			m.keepCheapest(st, first)
		}
	}
}

func (m *model) keepCheapest(st step, first int) {
	for i := first; i < len(m.arena); i++ {
		if old := &m.arena[i]; old.from == st.from && old.to == st.to && old.live == st.live {
			if st.cost < old.cost {
				*old = st
			}
			return
		}
	}
	m.arena = append(m.arena, st)
}

// stopTable keeps what stopAll found; shapes of one stopClass share it.
type stopTable struct{ memos []stopMemo }

// stopClass is all that stopAll looks at in a shape.
type stopClass struct {
	str   int
	touch quiet.Strings
}

// stopKey is all that it looks at beside that and the digits.
type stopKey struct {
	unw, mild, ended, sounding quiet.Strings
	bass                       int
}

// stopMemo keeps what stopAll found for one key. Which digit plucked last matters only to
// the string whose note has just ended.
type stopMemo struct {
	key   stopKey
	found [digitStates][digitStates]bool
	got   [digitStates][digitStates]stopped
}

type stopped struct {
	cost  float64
	thumb int // first string under the resting thumb, 0 if none
}

// memoFor returns the memo for a situation, nil if there is nothing to stop.
func (m *model) memoFor(r *right, s *silence, bassStr int) *stopMemo {
	if s.unw == 0 {
		return nil
	}
	key := stopKey{unw: s.unw, mild: s.mild & s.unw, ended: s.tl.ended & s.unw, sounding: s.struck | s.keep, bass: bassStr}
	memos := r.stops.memos
	for i := range memos {
		if memos[i].key == key {
			return &memos[i]
		}
	}
	r.stops.memos = append(memos, stopMemo{key: key})
	return &r.stops.memos[len(memos)]
}

func (mm *stopMemo) get(m *model, r *right, s *silence, from, to, bassStr int) stopped {
	if mm.key.ended == 0 || from == digitP {
		from = noDigit
	}
	if r.mo.note < 0 {
		to = noDigit
	}
	if !mm.found[from][to] {
		stop := m.stopAll(r, s, from, to, bassStr)
		c := stop.terms()
		mm.found[from][to], mm.got[from][to] = true, stopped{c.Sum(), stop.digit[digitP]}
	}
	return mm.got[from][to]
}

func (st *stops) terms() (c Terms) {
	c.add(Leak, st.leaked)
	c.add(Damping, st.effort)
	return c
}

// liveAfter returns the bass strings that ring on after the moment; thumbRest is the first
// string that the thumb lies on, 0 if it does not.
func liveAfter(s *silence, o *bassOption, thumbRest int) quiet.Strings {
	on := s.may &^ (s.heel | s.trail)
	if thumbRest != 0 {
		on &^= quiet.From(thumbRest)
	}
	return on | s.keep&s.tl.live | quiet.Of(o.str)
}

// pluckSum is the cost of digit to plucking the melody after from did; ok is false if it
// cannot. Without a melody onset the digits stay: from must equal to.
func (m *model) pluckSum(r *right, from, to int, o *bassOption) (sum float64, ok bool) {
	if r.mo.note < 0 {
		return 0, from == to
	}
	str := r.h.str
	switch {
	case to == noDigit || to > m.req.Player.Fingers:
		return 0, false
	case o.str != 0 && (to == digitP || str >= o.str):
		return 0, false
	case to == digitP && str < 4:
		return 0, false
	}
	return r.mo.pluck[from][to][str], true
}

// newPluck tabulates what each digit plucking each string costs after each other digit.
func (m *model) newPluck(mo *moment) (t [digitStates][digitA + 1][7]float64) {
	ratio := restrike[m.req.Player.Attack] / math.Max(mo.since, 1e-3)
	for from := range t {
		for to := range t[from] {
			for str := 1; str <= 6; str++ {
				var c Terms
				if to == digitP {
					c.add(Hand, thumbMelody)
				} else {
					c.add(Hand, wDigitPlace*math.Abs(float64(str-m.usualString(to))))
				}
				if from == to {
					c.add(Hand, wRepeat*ratio*ratio)
				} else if from != noDigit {
					c.add(Hand, wAlternate*ratio*ratio)
				}
				t[from][to][str] = c[Hand]
			}
		}
	}
	return t
}

// usualString is where a digit lives: i, m, a on strings 3, 2, 1; a lone i on string 2.
func (m *model) usualString(d int) int {
	if m.req.Player.Fingers == 1 {
		return 2
	}
	return 4 - d
}
