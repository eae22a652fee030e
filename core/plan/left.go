package plan

import (
	"math"
	"slices"

	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/ring"
	"stepping/core/tune"
)

// attack is how a note is sounded from what the hands held before.
type attack uint8

const (
	plain    attack = iota // plucked where it is, or tapped
	scoop                  // plucked next to the pitch, the slide moving into it
	glideOn                // the slide moves on while the string sounds
	hammerOn               // a finger comes down on the sounding string
	ghost                  // a finger comes down on a silent string, or one that sounds something else
	pullOff                // the finger above lets go
	bendOn                 // the string is pushed up, or let down, while it sounds
	attacks
)

// legato reports whether no digit plucks.
func (a attack) legato() bool { return a >= glideOn }

// reported is the technique that players see for a stop so sounded.
func (a attack) reported(how play.How) play.How {
	switch {
	case (a == scoop || a == glideOn) && how == play.Slide:
		return play.Glide
	case a == hammerOn || a == ghost:
		return play.Hammer
	case a == pullOff:
		return play.Pull
	case a == bendOn:
		return play.Bend
	}
	return how
}

// attacksOf lists the attacks that a stop allows in some plan.
func attacksOf(how play.How) []attack {
	switch how {
	case play.Slide:
		return []attack{plain, scoop, glideOn}
	case play.Fret:
		return []attack{plain, hammerOn, ghost, pullOff, bendOn}
	case play.Open:
		return []attack{plain, pullOff}
	case play.Bend:
		return []attack{plain, bendOn}
	}
	return []attack{plain}
}

// lastPosition is where a free hand comes from: its index finger lay at pos mm until since.
type lastPosition struct {
	pos, since float64
	loose      bool // it may be anywhere
}

// stage is what the left hand's changes into one moment have in common.
type stage struct {
	m      *model
	t      int
	mo     *moment
	before []hand
}

func (m *model) newStage(t int) *stage {
	st := &stage{m: m, t: t, mo: &m.moments[t]}
	if t > 0 {
		st.before = m.moments[t-1].hands
	}
	return st
}

// carry completes the hands of moment t, a bare one for each last position; those before are complete.
func (m *model) carry(t int) {
	st := m.newStage(t)
	st.remember()
	mo := st.mo
	mo.hands = append(make([]hand, 0, len(mo.anchored)+len(mo.bare)*len(mo.lasts)), mo.anchored...)
	mo.bare = slices.Clone(mo.bare)
	for _, b := range mo.bare {
		for k, mem := range mo.lasts {
			b.lastPosition, b.pos, b.since, b.loose = int32(k), mem.pos, mem.since, mem.loose
			mo.hands = append(mo.hands, b)
		}
	}
	mo.anchored = mo.hands[:len(mo.anchored):len(mo.anchored)] // not to keep them twice
	m.giveShapes(mo)
	mo.giveTraces()
}

// remember collects the last positions that the hands before leave. The last one is loose.
func (st *stage) remember() {
	mo := st.mo
	seen := map[lastPosition]int32{}
	mo.lasts, mo.of = nil, make([]int32, len(st.before))
	for i := range st.before {
		mem := st.leaves(&st.before[i])
		if mem.loose {
			mo.of[i] = -1
			continue
		}
		k, ok := seen[mem]
		if !ok {
			k = int32(len(mo.lasts))
			seen[mem] = k
			mo.lasts = append(mo.lasts, mem)
		}
		mo.of[i] = k
	}
	for i := range mo.of {
		if mo.of[i] < 0 {
			mo.of[i] = int32(len(mo.lasts))
		}
	}
	mo.lasts = append(mo.lasts, lastPosition{loose: true})
}

// leaves returns the last position that h leaves to a hand that holds nothing now.
func (st *stage) leaves(h *hand) lastPosition {
	mem := lastPosition{h.pos, h.since, h.loose}
	if h.anchored {
		mem.since = st.m.moments[st.t-1].sec
	}
	if mem.loose || st.mo.sec-mem.since >= st.m.w.FreeSeconds {
		return lastPosition{loose: true}
	}
	return mem
}

// from returns hand i of those before and the last position that it leaves; nil and the loose one at the first moment.
func (st *stage) from(i int) (h *hand, k int) {
	if i < 0 || len(st.before) == 0 {
		return nil, len(st.mo.lasts) - 1
	}
	return &st.before[i], int(st.mo.of[i])
}

// shiftTime is the least time in seconds to bring a hand from pos onto g, 0 if it is there.
func (m *model) shiftTime(pos float64, g *hand, width float64) float64 {
	d := math.Abs(g.pos - pos)
	if d < g.touch {
		return 0
	}
	if g.slide {
		return m.slowness * m.req.Player.MoveTime(d, width)
	}
	return m.req.Player.MoveTime(d, width)
}

// shiftNeed is the least time for a hand from pos to be on g for attack a: dead on its narrow
// target, or on a wide one with the time of gliding in.
func (m *model) shiftNeed(pos float64, g *hand, a attack) float64 {
	if a != scoop {
		return m.shiftTime(pos, g, g.narrow)
	}
	if need := m.shiftTime(pos, g, g.wide); need > 0 {
		return need + m.w.ScoopTime
	}
	return 0
}

// shiftCost: the hand travels from its last position to g in the time since it was last needed.
func (st *stage) shiftCost(k int, g *hand, a attack, y *tally) {
	mem := st.mo.lasts[k]
	if mem.loose {
		return
	}
	if need := st.m.shiftNeed(mem.pos, g, a); need > 0 {
		cost := st.m.w.overTime(need, st.mo.sec-mem.since) + st.m.w.Leap*max(0, math.Abs(g.pos-mem.pos)-leapFree)/100
		if !g.slide {
			cost *= st.m.w.FretShift
		}
		y.add(play.Shift, cost)
	}
}

// beginCost adds the move and the manner of striking a note: dead on the wire, or gliding
// in from next to it.
func (st *stage) beginCost(k int, g *hand, a attack, y *tally) {
	st.shiftCost(k, g, a, y)
	st.strikeCost(g, a, y)
}

// strikeCost adds the manner alone.
func (st *stage) strikeCost(g *hand, a attack, y *tally) {
	switch {
	case a == scoop:
		y.add(play.Intonation, st.m.w.Scoop)
	case g.slide && a == plain && st.mo.peak:
		y.add(play.Tone, st.m.w.PeakPlain)
	}
	if g.slide && a == plain && st.m.marked(st.mo, tune.Scoop) {
		y.add(play.Tone, st.m.w.ScoopPlain)
	}
}

// scoops: a slide note long enough to be glided into, from next to the pitch.
func (st *stage) scoops(g *hand) bool {
	mo := st.mo
	return mo.note >= 0 && g.slide && g.fret >= float64(st.m.req.Capo+1+scoopFrets) && st.m.noteSeconds[mo.note] >= st.m.w.ScoopNeeds
}

// landCost is what it costs to put the slide down after last position k.
func (st *stage) landCost(k int, y *tally) {
	slow := st.m.slowness
	y.add(play.Land, st.m.w.LandOn*slow)
	if mem := st.mo.lasts[k]; !mem.loose {
		share := slow * st.m.w.LandTime / max(st.mo.sec-mem.since, st.m.w.LandTime/3)
		y.add(play.Land, st.m.w.Land*share*share)
	}
}

// may reports whether g, which must carry on the last position that h leaves if it is free, can follow h; h is nil at the first
// moment.
func (st *stage) may(h, g *hand) bool {
	mo := st.mo
	switch {
	case g.barred:
		return false
	case h == nil:
		return g.bass.str == 0 || mo.stroke != nil
	case mo.held() && (h.line != g.line || h.slide != g.slide):
		return false // a held note stays where it is
	}
	return mo.stroke != nil || g.bass.str == 0 || g.bass == h.bass // a bass finger comes down only for a stroke
}

// changeCost adds what any change from h to g costs without the move: slide off, strings and fingers changed, trailing
// fingers moved.
func (st *stage) changeCost(h, g *hand, y *tally) {
	st.cutCost(h, g, y)
	switch {
	case h.slide && !g.slide:
		y.add(play.Land, st.m.w.LandOff)
	case h.slide && g.slide:
		if h.trails != g.trails {
			y.add(play.Damping, st.m.w.TrailMove*math.Abs(float64(h.trails-g.trails)))
		}
		if h.covers != g.covers {
			per := st.m.w.CoverMove
			if st.mo.held() {
				per = st.m.w.CoverHeld
			}
			y.add(play.Intonation, per*math.Abs(float64(h.covers-g.covers)))
		}
	}
	if st.mo.note >= 0 && h.n > 0 {
		st.crossCost(h, g, y)
	}
	if st.mo.note >= 0 && h.n > 0 && !st.mo.begins {
		st.toolCost(h, g, y)
	}
	for f := 1; f <= 4; f++ {
		if a, b := h.on[f], g.on[f]; a != b && a != 0 && b != 0 {
			y.add(play.StringMove, st.m.w.FingerHop)
		}
	}
}

// cutCost: a finger drops the bass before the next stroke. A written note is to last as long as it is written, and
// no longer; the melody may take its open string from it.
func (st *stage) cutCost(h, g *hand, y *tally) {
	mo := st.mo
	let := h.bass.str != 0 && g.bass != h.bass
	switch {
	case mo.lasting != 0:
		taken := h.bass.str == 0 && mo.note >= 0 && st.m.openAs(mo.lasting)&g.sounding != 0
		if let || taken {
			y.add(play.Pattern, st.m.w.CutNote*mo.lacks)
		}
	case let && !mo.wantsThumb() && !mo.noted:
		y.add(play.Pattern, st.m.w.CutBass)
	}
}

// openAs is the strings that sound p open.
func (m *model) openAs(p pitch.Pitch) (out ring.Strings) {
	for s := 1; s <= 6; s++ {
		if m.open(s) == p {
			out |= ring.Of(s)
		}
	}
	return out
}

// crossCost: the melody crosses strings. A player who lets all strings ring, harp-like, crosses to let the last note sound on, and
// pays for a note that ends it on its own string.
func (st *stage) crossCost(h, g *hand, y *tally) {
	from, to := &h.stops[0], &g.stops[0]
	across := math.Abs(float64(from.str - to.str))
	if st.m.harp() {
		if across == 0 && from.fret != to.fret {
			y.add(play.StringMove, st.m.w.RingCut)
		}
		across = max(0, across-neighbours)
	}
	y.add(play.StringMove, st.m.w.StringStep*across)
	if h.n > 1 && g.n > 1 { // pairs of notes stay on their strings
		y.add(play.StringMove, st.m.w.PairStep*math.Abs(float64(h.stops[1].str-g.stops[1].str)))
	}
}

// harp reports whether ringing strings are wanted for their own sake.
func (m *model) harp() bool { return m.req.Player.Silence == player.Ring && !slideUsed(m.req.Player) }

// neighbours is how many strings on a harp-like line crosses for nothing.
const neighbours = 2

// toolCost: within a phrase the slide is neither taken up nor laid by without need. Open strings go
// with both, and leaving the slide for one costs less.
func (st *stage) toolCost(h, g *hand, y *tally) {
	was, now := h.stops[0].how, g.stops[0].how
	switch {
	case was == now || was == play.Open:
	case now == play.Open && was == play.Slide:
		y.add(play.Tone, st.m.w.ToolOpen)
	case now != play.Open && (was == play.Slide) != (now == play.Slide):
		y.add(play.Tone, st.m.w.ToolChange)
	}
}

// legato returns the attack by which g sounds its note without a digit after h, and adds its
// cost; ok is false if there is none that the pins allow.
func (st *stage) legato(h, g *hand, y *tally) (a attack, ok bool) {
	if st.mo.note < 0 || g.n != 1 && !(g.slide && h != nil && h.slide && st.joined(h, g)) {
		return plain, false
	}
	a, cost := st.legatoKind(h, g)
	if a == plain || g.n > 1 && a != glideOn || !st.mo.attackAllowed(g, a) { // of notes struck together the slide alone carries all on
		return plain, false
	}
	y.add(play.Tone, cost+st.m.legatoCost(st.mo))
	return a, true
}

// joined: the note before lasts up to this one and sounds on the same strings.
func (st *stage) joined(h, g *hand) bool {
	return st.mo.joined && h.n == g.n && h.sounding == g.sounding
}

func (st *stage) legatoKind(h, g *hand) (attack, float64) {
	b := &g.stops[0]
	if h != nil && st.joined(h, g) {
		a := &h.stops[0]
		steps := math.Abs(a.fret - b.fret)
		switch {
		case a.how == play.Slide && b.how == play.Slide:
			if steps > 0 && steps <= glideMost && st.carriesOn() && h.slant == 0 && g.slant == 0 && allSlide(&h.voicing) && allSlide(&g.voicing) {
				return glideOn, st.m.w.GlideOn + st.m.w.GlidePer*steps
			}
			return plain, 0
		case a.how == play.Tapped:
			if b.finger == a.finger && b.fret == a.held && (b.how == play.Fret || b.how == play.Open) {
				return pullOff, st.m.w.Pull
			}
		case a.how == play.Fret && b.how == play.Bend, a.how == play.Bend && b.how == play.Fret:
			if a.holds() == b.holds() && a.finger == b.finger && !a.hook && !b.hook {
				return bendOn, st.m.w.BendOn
			}
		case b.how == play.Fret && (a.how == play.Open || a.how == play.Fret && a.finger < b.finger) && a.fret < b.fret:
			return hammerOn, st.m.w.Hammer + st.slurCost()
		case a.how == play.Fret && a.fret > b.fret && (b.how == play.Open || b.how == play.Fret && b.finger < a.finger):
			return pullOff, st.m.w.Pull + st.slurCost()
		}
	}
	if b.how == play.Fret && b.finger != thumbOver && st.ghosts() {
		return ghost, st.m.w.Ghost
	}
	return plain, 0
}

// carriesOn reports whether the note before still sounds well enough to be carried on: a dead string gives no second note.
func (st *stage) carriesOn() bool {
	return ring.Strength(st.m.voices[st.mo.ended][0], st.mo.endedFor) >= carriedOn
}

// carriedOn is the share of its first amplitude from which a note can be carried on: 25 dB below.
const carriedOn = 0.0562

// slurCost: hammers and pulls are for quick notes off the beat; a long one is too weak, and a beat wants
// its stroke, the first of a bar or chord most of all.
func (st *stage) slurCost() float64 {
	m, mo := st.m, st.mo
	cost := m.w.SlurLong * min(1, max(0, m.noteSeconds[mo.note]/m.w.SlurNeeds-1))
	if mo.onBeat {
		cost += m.w.SlurBeat
	}
	if mo.first {
		cost += m.w.SlurBar
	}
	return cost
}

// ghosts: a note may be hammered from nowhere, by a player who does that.
func (st *stage) ghosts() bool { return st.m.req.Player.Uses(player.UsesTap) }

func allSlide(c *voicing) bool {
	for i := range c.n {
		if c.stops[i].how != play.Slide {
			return false
		}
	}
	return true
}

// carries reports whether hand g may follow one that leaves last position k, as far as that goes.
func carries(k int, g *hand) bool { return g.anchored || k == int(g.lastPosition) }

// terms returns the cost of going from hand i to g by an attack, term by term.
func (st *stage) terms(i, g int, a attack) (c play.Terms) {
	y := tally{by: &c}
	to := &st.mo.hands[g]
	st.m.holdCost(st.mo, to, &y)
	h, k := st.from(i)
	if h != nil {
		st.changeCost(h, to, &y)
	}
	if lands(h, to) {
		st.landCost(k, &y)
	}
	switch {
	case !to.anchored:
	case st.mo.note >= 0 && !a.legato():
		st.beginCost(k, to, a, &y)
	default:
		st.shiftCost(k, to, plain, &y)
	}
	if a.legato() {
		st.legato(h, to, &y)
	}
	return c
}

// lands reports whether the slide is put down between h and g.
func lands(h, g *hand) bool { return h != nil && g.slide && !h.slide }

// ringIn is what rings into a moment from before, after the left hand has moved.
type ringIn struct {
	live  ring.Strings // bass strings that ring on and may
	unw   ring.Strings // strings whose note is over or spoilt: stop them or they leak
	ended ring.Strings // of unw: melody strings whose note has ended
}

// ringInAfter says what rings after the change from h (live: bass strings ringing) to g. It is the
// same for all g of one shape.
func (st *stage) ringInAfter(h *hand, live ring.Strings, g *hand) ringIn {
	ri := ringIn{live: live &^ st.mo.faded}
	if b := &h.bass; b.str != 0 && (b.str != g.bass.str || b.fret != g.bass.fret) {
		ri.live &^= ring.Of(b.str) // the finger lets go and silences it
	}
	stays := ring.Strings(0)
	if h.slide && g.slide && h.fret == g.fret {
		stays = h.under & g.under
	}
	spoilt := ri.live & (h.under | g.under) &^ stays // slide came, moved or left
	ri.live &^= spoilt
	ri.unw = spoilt
	if st.mo.ended >= 0 {
		ri.ended = h.sounding &^ h.fingered
		ri.unw |= ri.ended
	}
	if st.mo.note >= 0 {
		ri.live, ri.unw = ri.live&^g.sounding, ri.unw&^g.sounding
	}
	// Trailing fingers silence open strings without more ado.
	ri.unw &^= g.trailed
	if !st.m.school.Cares || st.mo.pins.ringing {
		ri.unw = 0
	}
	ri.ended &= ri.unw
	return ri
}

// bassOption is one way for the thumb to take its stroke at a moment with a given hand.
type bassOption struct {
	str   int // 0: no stroke, or left out
	fret  float64
	how   play.How // Drop if a wanted stroke is left out, "" if none is wanted
	pitch pitch.Pitch
	// reading is which of the moment's readings it is taken for.
	reading int
	cut     bool   // the palm cuts it short
	hit     string // percussion with it
	cost    play.Terms
	sum     float64     // of cost
	eased   float64     // how much less it is if the root that is left out rings in
	ring    *[7]float64 // sympathy of each open string with it
}
