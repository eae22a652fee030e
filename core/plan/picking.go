package plan

import (
	"sync"

	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/ring"
)

// pickState is what the picking hand carries from one moment to the next: the digits that plucked
// melody last (bit d for digit d, bit digits.TapBit for tapping on the neck), whether the heel lies
// on the strings, and where the free digits rest (see rest.go). How far the heel lies is the
// moment's own choice.
type pickState uint16

const (
	maskBits   = 5
	fewMasks   = 1 << maskBits
	keepMask   = 0xFF // of an action that plucks nothing and leaves the digits as they were
	restBits   = maskBits + 1
	pickStates = restPlaces << restBits
)

func newPickState(mask, lies, rest uint8) pickState {
	return pickState(mask) | pickState(lies)<<maskBits | pickState(rest)<<restBits
}

func (p pickState) mask() uint8 { return uint8(p) & (fewMasks - 1) }
func (p pickState) heel() int   { return int(p >> maskBits & 1) } // 1 if it lies on the strings
func (p pickState) rest() int   { return int(p >> restBits) }     // place of the resting digits, 0 if lifted

// pickStateCount is how many picking states this player's hand can carry.
func (m *model) pickStateCount() int {
	if m.school.Rests {
		return pickStates
	}
	return 1 << restBits
}

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

// pose is all that matters of an action for what it costs after a picking state, and for the picking state that it
// leaves: see turn and after.
type pose struct {
	mask    uint8
	lies    uint8 // 1 if the heel lies on the strings
	rest    uint8 // place of the resting digits
	stopper uint8 // digit that stops the melody string just ended: cheap if it plucked it
}

// action is one choice of the picking hand at a moment beside a bass option. Its cost is without
// that option's and what depends on the picking state before; see turn.
type action struct {
	live ring.Strings // bass strings that ring on
	pose
	heel uint8  // strings that it covers
	of   uint16 // number of its pose in pickStage.poses
	cost float64
}

// pickShape is the picking hand's choice at one moment for one shape: what it sees of a left
// hand. Hands that differ only in fingers or history share it.
type pickShape struct {
	mo         *moment
	pins       *pinSet // the moment's, or what takes their place
	h          *hand   // any hand of the shape
	opts       []bassOption
	plucks     []pluck      // ways to pluck at an onset
	flicks     []pluck      // ways to flick it outward, beside a slap
	touch      ring.Strings // strings beside fretting fingers, reached by their tips
	edges      []int        // strings of fretting fingers, whose undersides lie on thinner ones
	spare      bool         // a finger is free to be laid on a string
	over       bool         // the thumb can reach over the neck to string 6
	fits       ring.Strings // strings whose present pitch is a tone of the chord
	home       ring.Strings // strings that sound the root of the stroke that is first over its chord
	ring       [7]float64   // sympathy of each open string with the melody struck
	sets       []actionSet
	leastPicks [2][trebles + 1]float64 // see leastPickCost; 0 is not known yet
	leastBy    [trebles + 1]*[mostClasses]float64
}

// actionSet is the actions for one ringIn, plucked or not, that cost no more than most, by bass option.
type actionSet struct {
	ringIn ringIn
	plucks bool
	most   float64
	parts  []part
	toGo   *setToGo // of the backward pass
}

// part is the actions with one bass option, by cost; others share them.
type part struct {
	bass    uint8 // index into the shape's options
	sum     float64
	actions []action
}

// shapeKey is all that a pickShape depends on in a hand.
type shapeKey struct {
	sounding, under, trailed, fingers ring.Strings
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
	mo.options = make([][]bassOption, len(mo.shapes))
}

// pickStage is the picking hand's side of one moment: a pickShape for each shape, and their actions.
type pickStage struct {
	m            *model
	mo           *moment
	pins         *pinSet
	again        *againTable
	shapes       []pickShape
	poses        []pose              // those that occur
	dampings     map[dampingKey]span // of cheapest
	cheapest     []damping           // see cheapestDampings
	damping      dampingSearch       // scratch of it
	keepCheapest func(*damping)      // keepDamping
	picks        []pickState         // see turns
	turned       []float64
	known        map[situation]found
	pool         []action // those of known
	scratch      []action

	// scratch of situations
	still, swept, lain silence
	action             action
	idle               [1]pluck
	held               pluck
}

// pickStages are those that nobody uses, with their memory.
var pickStages = sync.Pool{New: func() any { return &pickStage{} }}

func newPickStage() *pickStage { return pickStages.Get().(*pickStage) }

// letGo leaves the stage's memory to another. Nothing that it gave out may be used any more.
func (sd *pickStage) letGo() {
	sd.m, sd.mo, sd.pins = nil, nil, nil
	pickStages.Put(sd)
}

// pickStage returns the picking hand's side of moment t, nothing left out. It is kept while a window is explored:
// the pass forward, the pass backward and the look at alternatives need the same sets of actions. Else
// it takes scratch, if that is not nil.
func (m *model) pickStage(t int, scratch *pickStage) *pickStage {
	if !m.keepStages {
		if scratch == nil {
			scratch = newPickStage()
		}
		scratch.reset(m, &m.moments[t])
		return scratch
	}
	if m.pickStages == nil {
		m.pickStages = make([]*pickStage, len(m.moments))
	}
	if m.pickStages[t] == nil {
		m.pickStages[t] = newPickStage()
		m.pickStages[t].reset(m, &m.moments[t])
	}
	return m.pickStages[t]
}

// reset makes the stage that of mo; what it held before is reused.
func (sd *pickStage) reset(m *model, mo *moment) { sd.resetWith(m, mo, &mo.pins) }

// resetWith is reset under other pins than the moment's.
func (sd *pickStage) resetWith(m *model, mo *moment, pins *pinSet) {
	sd.m, sd.mo, sd.pins, sd.again, sd.poses, sd.picks = m, mo, pins, m.againAfter(mo.since), sd.poses[:0], nil
	if sd.dampings == nil {
		sd.dampings, sd.known, sd.keepCheapest = map[dampingKey]span{}, map[situation]found{}, sd.keepDamping
	}
	clear(sd.dampings)
	clear(sd.known)
	sd.pool, sd.cheapest = sd.pool[:0], sd.cheapest[:0]
	if cap(sd.shapes) < len(mo.shapes) {
		sd.shapes = make([]pickShape, 2*len(mo.shapes))
	}
	sd.shapes = sd.shapes[:len(mo.shapes)]
	for i := range sd.shapes {
		sd.shapes[i].h = nil
	}
}

// of returns the pickShape of hand g.
func (sd *pickStage) of(g int) *pickShape {
	shape := sd.mo.hands[g].shape
	r := &sd.shapes[shape]
	if r.h == nil {
		sd.m.initPickShape(r, sd.mo, sd.pins, int(shape))
	}
	return r
}

func (m *model) initPickShape(r *pickShape, mo *moment, pins *pinSet, shape int) {
	h := &mo.hands[mo.shapes[shape]]
	if mo.options[shape] == nil {
		mo.options[shape] = m.bassOptions(mo, h)
	}
	*r = pickShape{mo: mo, pins: pins, h: h, opts: mo.options[shape], spare: m.spareFinger(h), over: m.thumbReaches(h), edges: r.edges[:0],
		plucks: r.plucks[:0], sets: r.sets[:0]}
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
		if mo.has(m.soundingPitch(h, s)) {
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
// that lies further and silences nothing more is left out, and so is what costs more than most. f
// must not keep what it gets. The pluck that it gets holds the resting digits, too.
func (sd *pickStage) situations(r *pickShape, o *bassOption, s *silence, plucked bool, most float64, f func(*action, *silence, *pluck)) {
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
		if !m.underHeel(r, s, o, idle, heel) || s.damping > most {
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
				*a = action{pose: pose{pl.mask, uint8(min(heel, 1)), uint8(rest), digits.None}, heel: uint8(heel), cost: lain.cost + pl.cost}
				if a.cost <= most {
					f(a, lain, held)
				}
			}
		}
	}
}

// eachAction calls f for everything that the picking hand can do, with which bass option
// and what damping. Nothing is left out; the search keeps the cheapest of those that the future cannot
// tell apart.
func (sd *pickStage) eachAction(r *pickShape, ri ringIn, plucked bool, f func(int, action, *silence, *pluck, *damping)) {
	m := sd.m
	for b := range r.opts {
		o := &r.opts[b]
		if !m.still(r, ri, o, &sd.still) {
			continue
		}
		sd.situations(r, o, &sd.still, plucked, inf, func(a *action, s *silence, pl *pluck) {
			m.eachDamping(r, s, pl, o.str, func(d *damping) { f(b, m.withDamping(a, s, o, pl, d), s, pl, d) })
		})
	}
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

// turn is what pose q costs after p: a digit used again, the heel moved, the digit that
// just played falling back on its string.
func (sd *pickStage) turn(p pickState, q pose) float64 {
	cost := sd.m.heelMove[p.heel()][q.lies] + sd.m.restMove[p.rest()][q.rest]
	if q.mask != keepMask {
		cost += sd.again[p.mask()][q.mask]
	}
	if q.stopper != digits.None {
		cost += sd.m.stopperPrice(p, q.stopper)
	}
	return cost
}

// turns is turn into pose number of after each of the picking states; tabulated, since it is the same for all
// states.
func (sd *pickStage) turns(of uint16, picks []pickState) []float64 {
	n := len(picks)
	if len(sd.picks) != n || &sd.picks[0] != &picks[0] {
		sd.picks, sd.turned = picks, sd.turned[:0]
	}
	for k := len(sd.turned) / n; k <= int(of); k++ {
		for _, p := range picks {
			sd.turned = append(sd.turned, sd.turn(p, sd.poses[k]))
		}
	}
	return sd.turned[int(of)*n : int(of)*n+n]
}

func (m *model) stopperPrice(p pickState, d uint8) float64 {
	if p.mask()>>d&1 != 0 {
		return play.Exact(m.w.StopOwn)
	}
	return play.Exact(m.w.StopEffort)
}

// after is the picking state that pose q leaves behind p.
func (p pickState) after(q pose) pickState {
	if q.mask == keepMask {
		return newPickState(p.mask(), q.lies, q.rest)
	}
	return newPickState(q.mask, q.lies, q.rest)
}

// newHeelMove tabulates what it costs to bring the heel down (from 0 to 1) and to lift it.
func (m *model) newHeelMove() (t [2][2]float64) {
	t[0][1], t[1][0] = play.Exact(m.w.HeelFloat), play.Exact(m.w.HeelLift)
	if m.req.Player.Support == player.HeelRests {
		t[0][1] = play.Exact(m.w.HeelFall)
	}
	return t
}
