package plan

import (
	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
	"stepping/core/ring"
	"stepping/core/tune"
)

// The picking hand carries from one moment to the next (a trellis.Pick): as mask the digits that plucked melody last, bit d for
// digit d, bit digits.TapBit for tapping on the neck; as place whether the heel lies on the strings and where the free digits rest
// (see rest.go). How far the heel lies is the moment's own choice.

const keepMask = trellis.Keep // of an action that plucks nothing and leaves the digits as they were

func placeOf(lies, rest uint8) uint8 { return lies | rest<<1 }

// heelOf is 1 if the heel lies on the strings.
func heelOf(p trellis.Pick) int { return int(p.Place() & 1) }

// restOf is the place of the resting digits, 0 if lifted.
func restOf(p trellis.Pick) int { return int(p.Place() >> 1) }

// pluck is one way to sound the melody with the picking hand: the string of each digit.
type pluck struct {
	at     [digits.Count]int8
	mask   uint8 // digits used; keepMask if nothing is plucked
	busy   bool  // the hand is on the neck or bends: no digit damps
	laid   bool  // the fingertips fall on the strings: they do nothing else
	gauge  bool  // the thumb lies across the strings as gauge of a bend
	sweeps ring.Strings
	cost   float64 // of the digits' places, before what they did last
}

// action is one choice of the picking hand at a moment with a bass option. Its cost is without that option's and without what
// depends on the picking state before.
type action struct {
	live    ring.Strings // bass strings that ring on
	mask    uint8
	heel    uint8 // strings that it covers
	rest    uint8 // place of the resting digits
	stopper uint8 // digit that stops the melody string just ended: cheap if it plucked it
	cost    float64
}

func (a *action) pose() trellis.Pose {
	stopper := a.stopper
	if stopper == digits.None {
		stopper = trellis.NoStopper
	}
	return trellis.NewPose(a.mask, placeOf(min(a.heel, 1), a.rest), stopper)
}

// pickShape is the picking hand's choice at one moment for one shape: what it sees of a left
// hand. Hands that differ only in fingers or history share it.
type pickShape struct {
	mo     *moment
	pins   *pinSet // the moment's, or what takes their place
	h      *hand   // any hand of the shape
	opts   []bassOption
	plucks []pluck      // ways to pluck at an onset
	flicks []pluck      // ways to flick it outward, next to a slap
	touch  ring.Strings // strings next to fretting fingers, reached by their tips
	edges  []int        // strings of fretting fingers, whose undersides lie on thinner ones
	spare  bool         // a finger is free to be laid on a string
	over   bool         // the thumb can reach over the neck to string 6
	fits   ring.Strings // strings whose present pitch is a tone of the chord
	home   ring.Strings // strings that sound the root of the stroke that is first over its chord
	ring   [7]float64   // sympathy of each open string with the melody struck
	floors [trellis.Ends]*trellis.Floor
}

// shapeKey is all that a pickShape depends on in a hand.
type shapeKey struct {
	sounding, under, trailed, fingers ring.Strings
	fret                              float64 // of the slide
	pitches                           [1 + tune.MaxWith]float64
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
		if s := &h.stops[i]; s.how == play.Fret || s.how == play.Bend || s.how == play.Harmonic {
			k.fingers |= ring.Of(s.str)
		}
		if s := &h.stops[i]; s.how == play.Fret || s.how == play.Bend {
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
	for _, f := range m.req.Player.FreeFingers() {
		if h.on[f] == 0 {
			return true
		}
	}
	return false
}

func (m *model) thumbReaches(h *hand) bool {
	return m.req.Player.ThumbOver && !m.req.Player.Lap() && h.on[thumbOver] == 0 && !h.sounding.Has(6) && h.anchored
}

// trace is all that what rings on depends on in the hand before.
type trace struct {
	sounding, fingered, under ring.Strings
	bass                      int
	bassFret, fret            float64
	slide                     bool
}

// giveTraces numbers the hands of a moment by trace, giveShapes by shape.
func (mo *moment) giveTraces() {
	mo.traces = numbered(mo, func(h *hand) trace {
		return trace{h.sounding, h.fingered, h.under, h.bass.str, h.bass.fret, h.fret, h.slide}
	}, func(h *hand) *int32 { return &h.trace })
}

func (m *model) giveShapes(mo *moment) {
	mo.shapes = numbered(mo, m.shapeOf, func(h *hand) *int32 { return &h.shape })
}

// numbered numbers the hands of a moment by a key, which is one for each class, and returns the first hand with each number.
func numbered[K comparable](mo *moment, key func(*hand) K, number func(*hand) *int32) (first []int32) {
	numbers := map[K]int32{}
	for i := range mo.hands {
		h := &mo.hands[i]
		if i > 0 && mo.class(i) == mo.class(i-1) {
			*number(h) = *number(&mo.hands[i-1])
			continue
		}
		k := key(h)
		n, ok := numbers[k]
		if !ok {
			n = int32(len(first))
			numbers[k], first = n, append(first, int32(i))
		}
		*number(h) = n
	}
	return first
}

// pickStage is the picking hand's side of one moment: a pickShape for each shape, and their actions.
type pickStage struct {
	m       *model
	left    *stage
	mo      *moment
	pins    *pinSet
	shapes  []pickShape
	turn    *trellis.Turn
	accent  int32         // of the ring finger, ticks
	plain   bool          // no pins
	demand  packer        // or but one, on a damper
	near    *[nearby]near // of the search
	stage   int32         // tells the search's stages apart
	priced  []priced
	parts   []trellis.Part
	actions []trellis.Action
	prices  []*prices
	own     map[situation]*list
	found   []entry // scratch of newList

	// scratch of situations
	still, swept, lain silence
	action             action
	idle               [1]pluck
	held               pluck
}

// reset makes the stage that of a moment under pins, the moment's or what takes their place.
func (sd *pickStage) reset(m *model, left *stage, pins *pinSet) {
	sd.m, sd.left, sd.mo, sd.pins, sd.turn = m, left, left.mo, pins, &m.turnAfter(left.mo.since).Turn
	sd.plain, sd.demand, sd.accent, sd.own = pins.none(), pins.oneDamper(), 0, nil
	sd.prices, sd.parts, sd.actions, sd.priced = sd.prices[:0], sd.parts[:0], sd.actions[:0], sd.priced[:0]
	if m.marked(sd.mo, tune.Accent) {
		sd.accent = int32(ticks(play.Exact(m.w.AccentRing)))
	}
	if sd.near == nil {
		sd.near = &[nearby]near{}
	}
	sd.stage = max(sd.stage, 1) // laid alone
	if cap(sd.shapes) < len(sd.mo.shapes) {
		sd.shapes = make([]pickShape, len(sd.mo.shapes))
	}
	sd.shapes = sd.shapes[:len(sd.mo.shapes)]
	for i := range sd.shapes {
		sd.shapes[i].h = nil
	}
}

// of returns the pickShape of hand g.
func (sd *pickStage) of(g int) *pickShape { return sd.shape(sd.mo.hands[g].shape) }

func (sd *pickStage) shape(n int32) *pickShape {
	r := &sd.shapes[n]
	if r.h == nil {
		sd.m.initPickShape(r, sd.mo, sd.pins, int(n))
	}
	return r
}

func (m *model) initPickShape(r *pickShape, mo *moment, pins *pinSet, shape int) {
	h := &mo.hands[mo.shapes[shape]]
	*r = pickShape{mo: mo, pins: pins, h: h, opts: m.bassOptions(mo, h), spare: m.spareFinger(h), over: m.thumbReaches(h), edges: r.edges[:0],
		plucks: r.plucks[:0]}
	beside := func(str int) {
		r.touch |= ring.Of(str) << 1 & ring.Upto(6)
		r.edges = append(r.edges, str)
	}
	for i := range h.n {
		if s := &h.stops[i]; s.how == play.Fret || s.how == play.Bend || s.how == play.Harmonic {
			beside(s.str)
		}
	}
	if h.bass.str != 0 && h.bass.finger != thumbOver {
		beside(h.bass.str)
	}
	for s := 1; s <= 6; s++ {
		if p := m.soundingPitch(h, s); mo.has(p) || p == mo.lasting {
			r.fits |= ring.Of(s)
		}
		if mo.stroke != nil && mo.stroke.Arrived && mo.stroke.Over.IsBass(m.soundingPitch(h, s)) {
			r.home |= ring.Of(s)
		}
	}
	if mo.note >= 0 {
		for _, n := range m.voices[mo.note] {
			ring := m.sympathyOf(n)
			for s := range ring {
				r.ring[s] = max(r.ring[s], ring[s])
			}
		}
		from := len(r.plucks)
		r.plucks = m.plucks(r.plucks, mo, h)
		m.accents(mo, r.plucks[from:])
		if mo.hit == pattern.Slap {
			r.flicks = m.flicks(mo, h)
		}
	}
}

// below returns the strings on which fretting fingers can lie flat: thinner than their own,
// up to the next that sounds.
func (r *pickShape) below(sounding ring.Strings) (set ring.Strings) {
	for _, at := range r.edges {
		for s := at - 1; s >= 1 && !sounding.Has(s); s-- {
			set |= ring.Of(s)
		}
	}
	return set
}

// situations calls f for every heel, pluck and resting place with a bass option, the strings being
// sorted by still, with the action so far: what remains is to deal with the unwanted strings. A heel
// that lies further and silences nothing more is left out. f must not keep what it gets. The pluck that it gets holds the
// resting digits, too.
func (sd *pickStage) situations(r *pickShape, o *bassOption, s *silence, plucked bool, f func(*action, *silence, *pluck)) {
	m, swept, a := sd.m, &sd.swept, &sd.action
	heels := 1
	if m.school.Heel && !r.h.tapped() && o.hit != pattern.Thump && o.hit != pattern.Slap {
		heels = heelStates
	}
	idle := m.idleStrings(r, s)
	plucks := r.pluckWays(o, plucked, &sd.idle)
	for heel := range heels {
		if heel > 1 && !(s.unwanted | s.may | idle | s.demanded).Has(7-heel) {
			continue
		}
		if ring.Heel(heel)&(s.struck|s.keep) != 0 {
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
			for rest := range restPlaces {
				if rest > 0 && (heel > 0 || !m.mayRest(pl, rest)) {
					continue
				}
				lain, held := at, pl
				if rest > 0 {
					if sd.lain, sd.held = *at, *pl; !m.rest(r, &sd.lain, &sd.held, o, rest) {
						continue
					}
					lain, held = &sd.lain, &sd.held
				}
				*a = action{mask: pl.mask, heel: uint8(heel), rest: uint8(rest), stopper: digits.None, cost: lain.cost + pl.cost}
				f(a, lain, held)
			}
		}
	}
}

// eachAction calls f for everything that the picking hand can do with bass option b, with what damping. Nothing is left out;
// the search keeps the cheapest of those that the future cannot tell apart.
func (sd *pickStage) eachAction(r *pickShape, ri ringIn, plucked bool, b int, f func(action, *silence, *pluck, *damping)) {
	m, o := sd.m, &r.opts[b]
	if !m.still(r, ri, o, &sd.still) {
		return
	}
	sd.situations(r, o, &sd.still, plucked, func(a *action, s *silence, pl *pluck) {
		m.eachDamping(r, s, pl, o.str, func(d *damping) { f(m.withDamping(a, s, o, pl, d), s, pl, d) })
	})
}

func (m *model) withDamping(a *action, s *silence, o *bassOption, pl *pluck, d *damping) action {
	out := *a
	out.cost, out.stopper, out.live = a.cost+d.cost(), d.stopper, m.liveAfter(s, o, pl, d)
	return out
}

// eachDamping calls f for every damping with s.
func (m *model) eachDamping(r *pickShape, s *silence, pl *pluck, bass int, f func(*damping)) {
	dl := dampingSearch{m: m, r: r, s: s, pl: pl, bass: bass, each: f}
	dl.run()
}

// pluckBesideBass: with a bass note the thumb is taken, and the fingers play thinner strings.
func pluckBesideBass(pl *pluck, o *bassOption) bool {
	if o.str == 0 {
		return true
	}
	if pl.at[digits.P] != 0 || pl.busy {
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
func (m *model) liveAfter(s *silence, o *bassOption, pl *pluck, d *damping) ring.Strings {
	on := s.may &^ (s.heel | s.rest)
	if t := int(d.digit[digits.P]); t != 0 {
		on &^= ring.From(t)
	}
	if pl.gauge {
		on = 0
	}
	if !o.cut {
		on |= ring.Of(o.str)
	}
	return on | s.keep&s.ringIn.live
}
