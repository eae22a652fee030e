package plan

import (
	"math"

	"stepping/core/player"
	"stepping/core/quiet"
)

// rho is what the picking hand carries from one moment to the next: the digits that plucked
// melody last (bit d for digit d, bit tapBit for tapping on the neck) and, above them, whether
// the heel lies on the strings. How far it lies is the moment's own choice.
type rho uint8

const (
	tapBit   = 4
	maskBits = 5
	fewMasks = 1 << maskBits
	keepMask = 0xFF // of an action that plucks nothing and leaves the digits as they were
	rhos     = 2 << maskBits
)

func newRho(mask uint8, heel bool) rho {
	if heel {
		return rho(mask) | 1<<maskBits
	}
	return rho(mask)
}

func (p rho) mask() uint8 { return uint8(p) & (fewMasks - 1) }
func (p rho) heel() int   { return int(p >> maskBits) } // 1 if it lies on the strings

// pluck is one way to sound the melody with the picking hand: the string of each digit.
type pluck struct {
	at     [digits]int8
	mask   uint8 // digits used; keepMask if nothing is plucked
	busy   bool  // the hand is on the neck or bends: no digit damps
	rest   bool  // the thumb lies across the strings as gauge of a bend
	sweeps quiet.Strings
	cost   float64 // of the digits' places, before what they did last
}

// action is one choice of the picking hand and the thumb at a moment, for one shape and
// tail. Its cost is without what depends on the rho before; see turn.
type action struct {
	live quiet.Strings // bass strings that ring on
	mask uint8
	heel uint8
	own  uint8 // digit that stops the melody string just ended: cheap if it plucked it
	bass uint8 // index into the shape's options
	cost float64
}

// right is the picking hand's choice at one moment for one shape: what it sees of a left
// hand. Hands that differ only in fingers or history share it.
type right struct {
	mo     *moment
	h      *hand // any hand of the shape
	opts   []bassOption
	plucks []pluck       // ways to pluck at an onset
	touch  quiet.Strings // strings beside fretting fingers, reached by their tips
	edges  []int         // strings of fretting fingers, whose undersides lie on thinner ones
	spare  bool          // a finger is free to be laid on a string
	over   bool          // the thumb can reach over the neck to string 6
	fits   quiet.Strings // strings whose present pitch is a tone of the chord
	ring   [7]float64    // sympathy of each open string with the melody struck
	sets   []actionSet
	floors [2][trebles + 1]float64 // see floor; 0 is not known yet
}

// actionSet is the actions for one tail, plucked or not; they stand in model.arena.
type actionSet struct {
	tl     tail
	plucks bool
	lo, hi int
	ready  bool
	value  []ahead // backward pass: the best way from here to the end, by rho before
}

// shapeKey is all that a right depends on in a hand.
type shapeKey struct {
	sounding, under, trailed, fingers quiet.Strings
	fret                              float64 // of the slide
	pitches                           [3]float64
	bass                              int
	bassFret                          float64
	bassFinger                        int
	spare, over, busy                 bool
	trails                            int
}

func (m *model) shapeOf(h *hand) shapeKey {
	k := shapeKey{sounding: h.sounding, under: h.under, trailed: h.trailed, fret: h.fret, bass: h.bass.str, bassFret: h.bass.fret, trails: h.trails,
		spare: m.spareFinger(h), over: m.thumbReaches(h), busy: h.tapped() || h.hooked()}
	for i := range h.n {
		if s := &h.stops[i]; s.how == Fret || s.how == Bend || s.how == Harmonic {
			k.fingers |= quiet.Of(s.str)
		}
		if s := &h.stops[i]; s.how == Fret || s.how == Bend {
			k.pitches[i] = s.fret
		}
	}
	if h.bass.str != 0 && h.bass.finger == thumbOver {
		k.bassFinger = thumbOver
	}
	return k
}

// spareFinger: a finger that neither frets nor wears the slide, while the slide is off.
func (m *model) spareFinger(h *hand) bool {
	if h.slide || m.req.Player.Lap() {
		return false
	}
	for _, f := range freeFingers(m.req.Player) {
		if h.on[f] == 0 {
			return true
		}
	}
	return false
}

func (m *model) thumbReaches(h *hand) bool {
	return m.req.Player.ThumbOver && !m.req.Player.Lap() && h.on[thumbOver] == 0 && !h.sounding.Has(6) && h.anchored
}

// giveShapes numbers the hands of a moment by shape.
func (m *model) giveShapes(mo *moment) {
	byKey := map[shapeKey]int32{}
	mo.shapes = nil
	for i := range mo.hands {
		h := &mo.hands[i]
		if i > 0 && !h.anchored && !mo.hands[i-1].anchored && h.line == mo.hands[i-1].line && h.bass.str == 0 && mo.hands[i-1].bass.str == 0 {
			h.shape = mo.hands[i-1].shape
			continue
		}
		k := m.shapeOf(h)
		n, ok := byKey[k]
		if !ok {
			n = int32(len(mo.shapes))
			byKey[k] = n
			mo.shapes = append(mo.shapes, int32(i))
		}
		h.shape = n
	}
}

// side is the picking hand's side of one moment: a right for each shape, and their actions.
type side struct {
	m      *model
	mo     *moment
	again  *againTable
	rights []right
	arena  []action
	deals  map[uint64][]deal // cheapest deals, by dealKey

	// scratch of situations
	still, swept silence
	action       action
	idle         [1]pluck
}

// reset makes the side that of mo; what it held before is reused.
func (sd *side) reset(m *model, mo *moment) {
	sd.m, sd.mo, sd.again, sd.arena = m, mo, m.againAfter(mo.since), sd.arena[:0]
	if sd.deals == nil {
		sd.deals = map[uint64][]deal{}
	}
	clear(sd.deals)
	if cap(sd.rights) < len(mo.shapes) {
		sd.rights = make([]right, 2*len(mo.shapes))
	}
	sd.rights = sd.rights[:len(mo.shapes)]
	for i := range sd.rights {
		sd.rights[i].h = nil
	}
}

// of returns the right of hand g.
func (sd *side) of(g int) *right {
	shape := sd.mo.hands[g].shape
	r := &sd.rights[shape]
	if r.h == nil {
		sd.m.initRight(r, sd.mo, &sd.mo.hands[sd.mo.shapes[shape]])
	}
	return r
}

func (m *model) initRight(r *right, mo *moment, h *hand) {
	*r = right{mo: mo, h: h, opts: m.bassOptions(mo, h), spare: m.spareFinger(h), over: m.thumbReaches(h), edges: r.edges[:0],
		plucks: r.plucks[:0], sets: r.sets[:0]}
	beside := func(str int) {
		r.touch |= quiet.Of(str) << 1 & quiet.Upto(6)
		r.edges = append(r.edges, str)
	}
	for i := range h.n {
		if s := &h.stops[i]; s.how == Fret || s.how == Bend || s.how == Harmonic {
			beside(s.str)
		}
	}
	if h.bass.str != 0 && h.bass.finger != thumbOver {
		beside(h.bass.str)
	}
	for s := 1; s <= 6; s++ {
		if mo.has(m.soundingPitch(h, s)) {
			r.fits |= quiet.Of(s)
		}
	}
	if mo.note >= 0 {
		for _, n := range m.voices[mo.note] {
			ring := m.sympathyOf(n)
			for s := range ring {
				r.ring[s] = math.Max(r.ring[s], ring[s])
			}
		}
		r.plucks = m.plucks(r.plucks, mo, h)
	}
}

// below returns the strings on which fretting fingers can lie flat: thinner than their own,
// up to the next that sounds.
func (r *right) below(sounding quiet.Strings) (set quiet.Strings) {
	for _, at := range r.edges {
		for s := at - 1; s >= 1 && !sounding.Has(s); s-- {
			set |= quiet.Of(s)
		}
	}
	return set
}

// idlePluck is the pluck of a moment at which no digit plucks the melody.
func idlePluck(mo *moment, h *hand) pluck {
	p := pluck{mask: keepMask}
	if mo.note >= 0 {
		p.mask = 0 // the left hand sounds the note: the digits have had a rest
	}
	if h.tapped() || h.hooked() {
		p.busy = true
	}
	return p
}

// plucks lists the ways to pluck what h holds: digits in string order, or one digit brushing
// strings that lie together. Tapped notes are tapped by i, or by i and m.
func (m *model) plucks(out []pluck, mo *moment, h *hand) []pluck {
	strs := h.sounding
	if h.tapped() {
		return append(out, tapPluck(h))
	}
	var order []int8 // thick to thin, as the digits lie
	for s := 6; s >= 1; s-- {
		if strs.Has(s) {
			order = append(order, int8(s))
		}
	}
	var assign func(i, from int, p pluck)
	assign = func(i, from int, p pluck) {
		if i == len(order) {
			m.digitCost(&p)
			if h.hooked() {
				p.busy, p.rest = true, true
				if p.at[digitP] != 0 {
					return
				}
			}
			out = append(out, p)
			return
		}
		for d := from; d <= m.req.Player.Fingers; d++ {
			if d == digitP && order[i] < lowestThumb(len(order)) || !mo.digitAllowed(h, d, int(order[i])) {
				continue
			}
			next := p
			next.at[d], next.mask = order[i], p.mask|1<<d
			assign(i+1, d+1, next)
		}
	}
	assign(0, digitP, pluck{})
	if n := len(order); n > 1 && int(order[0]-order[n-1]) == n-1 && mo.digitAllowed(h, digitI, int(order[0])) && mo.digitAllowed(h, digitI, int(order[n-1])) {
		p := pluck{mask: 1 << digitI, cost: quantize(wBrush), sweeps: quiet.Of(int(order[0]))<<1&quiet.Upto(6) | quiet.Of(int(order[n-1]))>>1}
		p.at[digitI] = order[0]
		out = append(out, p)
	}
	return out
}

// lowestThumb is the thinnest string on which the thumb plucks melody: of chords, one thinner.
func lowestThumb(voices int) int8 {
	if voices > 1 {
		return 3
	}
	return 4
}

// tapPluck taps with i, of two strings the thicker, and m.
func tapPluck(h *hand) pluck {
	p := pluck{mask: 1 << tapBit, busy: true}
	d := digitI
	for s := 6; s >= 1; s-- {
		if h.sounding.Has(s) {
			p.at[d] = int8(s)
			d++
		}
	}
	return p
}

// digitCost: digits away from their strings, the thumb on the melody, an awkward spread.
func (m *model) digitCost(p *pluck) {
	y := tally{}
	last := 0
	for d := digitP; d <= digitA; d++ {
		at := int(p.at[d])
		if at == 0 {
			continue
		}
		if d == digitP {
			y.add(Hand, thumbMelody)
		} else {
			y.add(Hand, wDigitPlace*absInt(at-m.usualString(d)))
		}
		if last > digitP && int(p.at[last])-at > 2*(d-last) {
			y.add(Hand, wSpread*float64(int(p.at[last])-at-2*(d-last)))
		}
		last = d
	}
	p.cost = y.sum
}

// situations calls f for every bass option, heel and pluck after tl, with the action so far:
// what remains is to deal with the unwanted strings. f must not keep what it gets. A heel that lies further and silences
// nothing more is left out.
func (sd *side) situations(r *right, tl tail, plucked bool, f func(*action, *silence, *bassOption, *pluck)) {
	m, s, swept, a := sd.m, &sd.still, &sd.swept, &sd.action
	sd.idle[0] = idlePluck(r.mo, r.h)
	plucks := sd.idle[:]
	if plucked && r.mo.note >= 0 {
		plucks = r.plucks
	}
	heels := 1
	if m.school.Heel && !r.h.tapped() {
		heels = heelStates
	}
	for b := range r.opts {
		o := &r.opts[b]
		if !m.still(r, tl, o, s) {
			continue
		}
		idle := m.idleStrings(r, s)
		for heel := 0; heel < heels; heel++ {
			if heel > 1 && !(s.unwanted | s.may | idle | s.demanded).Has(7-heel) {
				continue
			}
			if quiet.Heel(heel)&(s.struck|s.keep) != 0 {
				break
			}
			if !m.underHeel(r, s, o, idle, heel) {
				continue
			}
			for i := range plucks {
				pl, at := &plucks[i], s
				if !pluckBesideBass(pl, o) {
					continue
				}
				if pl.sweeps != 0 {
					*swept = *s
					m.sweep(r, swept, pl)
					at = swept
				}
				*a = action{mask: pl.mask, heel: uint8(heel), own: noDigit, bass: uint8(b), cost: at.cost + o.sum + pl.cost}
				f(a, at, o, pl)
			}
		}
	}
}

// eachAction calls f for everything that the picking hand can do after tl, and with what
// deal. Nothing is left out; the search keeps the cheapest of those that the future cannot
// tell apart.
func (sd *side) eachAction(r *right, tl tail, plucked bool, f func(action, *silence, *pluck, *deal)) {
	m := sd.m
	sd.situations(r, tl, plucked, func(a *action, s *silence, o *bassOption, pl *pluck) {
		m.dealWith(r, s, pl, o.str, func(d *deal) { f(m.withDeal(a, s, o, pl, d), s, pl, d) })
	})
}

func (m *model) withDeal(a *action, s *silence, o *bassOption, pl *pluck, d *deal) action {
	out := *a
	out.cost, out.own, out.live = a.cost+d.cost(), d.own, m.liveAfter(s, o, pl, d)
	return out
}

// dealWith calls f for every deal with s.
func (m *model) dealWith(r *right, s *silence, pl *pluck, bass int, f func(*deal)) {
	dl := dealer{m: m, r: r, s: s, pl: pl, bass: bass, each: f}
	dl.try(1, digitC+1, &deal{own: noDigit})
}

// pluckBesideBass: with a bass note the thumb is taken, and the fingers play thinner strings.
func pluckBesideBass(pl *pluck, o *bassOption) bool {
	if o.str == 0 {
		return true
	}
	if pl.at[digitP] != 0 || pl.busy {
		return false
	}
	for _, at := range pl.at {
		if int(at) >= o.str {
			return false
		}
	}
	return true
}

// liveAfter returns the bass strings that ring on after the moment.
func (m *model) liveAfter(s *silence, o *bassOption, pl *pluck, d *deal) quiet.Strings {
	on := s.may &^ s.heel
	if t := int(d.digit[digitP]); t != 0 {
		on &^= quiet.From(t)
	}
	if pl.rest {
		on = 0
	}
	return on | s.keep&s.tl.live | quiet.Of(o.str)
}

// turn is what action a costs after p: a digit used again, the heel moved, the digit that
// just played falling back on its string.
func (sd *side) turn(p rho, a *action) float64 {
	cost := sd.m.heelMove[p.heel()][a.lies()]
	if a.mask != keepMask {
		cost += sd.again[p.mask()][a.mask]
	}
	if a.own != noDigit {
		cost += ownPrice(p, a.own)
	}
	return cost
}

func ownPrice(p rho, d uint8) float64 {
	if p.mask()>>d&1 != 0 {
		return quantize(stopOwn)
	}
	return quantize(stopEffort)
}

// after is the rho that action a leaves behind p.
func (p rho) after(a *action) rho {
	if a.mask == keepMask {
		return newRho(p.mask(), a.heel > 0)
	}
	return newRho(a.mask, a.heel > 0)
}

// lies is 1 if the heel lies on the strings.
func (a *action) lies() int { return int(min(a.heel, 1)) }

// newHeelMove tabulates what it costs to bring the heel down (from 0 to 1) and to lift it.
func (m *model) newHeelMove() (t [2][2]float64) {
	t[0][1], t[1][0] = quantize(heelFloat), quantize(heelLift)
	if m.req.Player.Support == player.HeelRests {
		t[0][1] = quantize(heelFall)
	}
	return t
}

// againTable is what it costs to pluck with one set of digits after another.
type againTable [fewMasks][fewMasks]float64

// againAfter returns the table for since seconds from onset to onset.
func (m *model) againAfter(since float64) *againTable {
	if m.agains[since] == nil {
		t := m.newAgain(since)
		m.agains[since] = &t
	}
	return m.agains[since]
}

func (m *model) newAgain(since float64) (t againTable) {
	gap := math.Max(since, 1e-3)
	square := func(need float64) float64 { return need / gap * (need / gap) }
	same, travel := square(restrike[m.req.Player.Attack]), square(tapTravel)
	for from := range t {
		for to := 1; to < fewMasks; to++ {
			y := tally{}
			switch common := from & to; {
			case common != 0:
				y.add(Hand, wRepeat*same*float64(quiet.Strings(common).Len()))
			case from != 0:
				y.add(Hand, wAlternate*same)
			}
			if from != 0 && (from^to)>>tapBit != 0 {
				y.add(Hand, wRepeat*travel)
			}
			t[from][to] = y.sum
		}
	}
	return t
}

// dealKey packs all that a dealer looks at into 63 bits.
func dealKey(r *right, s *silence, pl *pluck, bass int) uint64 {
	key := uint64(bass)
	for _, set := range [...]quiet.Strings{s.unw, s.unw & r.h.under, s.tl.ended & s.unw, s.swept, s.struck | s.keep, s.touch, s.below} {
		key = key<<6 | uint64(set)
	}
	for _, at := range pl.at {
		key = key<<3 | uint64(at)
	}
	for _, flag := range [...]bool{r.spare, r.over, pl.busy} {
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

// actions returns the set of actions after tl; what the future cannot tell apart is there
// once, at its cheapest.
func (sd *side) actions(r *right, tl tail, plucked bool) *actionSet {
	for i := range r.sets {
		if r.sets[i].tl == tl && r.sets[i].plucks == plucked {
			return &r.sets[i]
		}
	}
	m, lo := sd.m, len(sd.arena)
	none := deal{own: noDigit}
	sd.situations(r, tl, plucked, func(a *action, s *silence, o *bassOption, pl *pluck) {
		if s.unw == 0 {
			sd.keep(m.withDeal(a, s, o, pl, &none), lo)
			return
		}
		best := sd.cheapestDeals(r, s, pl, o.str)
		for i := range best {
			sd.keep(m.withDeal(a, s, o, pl, &best[i]), lo)
		}
	})
	r.sets = append(r.sets, actionSet{tl: tl, plucks: plucked, lo: lo, hi: len(sd.arena)})
	return &r.sets[len(r.sets)-1]
}

// keep files a among the actions from lo on, unless one with the same bass that the future
// cannot tell from it is not dearer, or one that differs in the heel alone is cheaper by more than any move of the
// heel to come.
func (sd *side) keep(a action, lo int) {
	for i := lo; i < len(sd.arena); i++ {
		old := &sd.arena[i]
		if old.live != a.live || old.mask != a.mask || old.own != a.own || old.bass != a.bass {
			continue
		}
		if old.lies() == a.lies() {
			if a.cost < old.cost {
				*old = a
			}
			return
		}
		if old.cost+sd.m.heelDebt <= a.cost {
			return
		}
	}
	sd.arena = append(sd.arena, a)
}
