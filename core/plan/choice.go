package plan

import (
	"context"
	"math"
	"math/bits"
	"slices"

	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
	"stepping/core/ring"
	"stepping/core/tune"
)

// choice is everything chosen at one moment, recomputed from the states around it.
type choice struct {
	from, h *hand // before (nil at the first moment) and now
	a       attack
	bass    bassOption
	pl      pluck
	s       silence
	d       damping
	heel    int
	rest    int // place of the resting digits
	was     trellis.Pick
	live    ring.Strings // bass strings that rang before
	ringsOn bool         // the thumb rests, since its root rings in
	terms   play.Terms
}

// brushes: one digit takes several strings inward. flicks: it takes what it plays outward.
func (c *choice) brushes() bool { return c.pl.sweeps != 0 && !c.flicks() }
func (c *choice) flicks() bool {
	return c.bass.hit == pattern.Slap && c.pl.mask != 0 && c.pl.mask != keepMask
}

// choiceAt recomputes what was chosen between two states. Its terms add up to the
// difference of their costs.
func (p *Plan) choiceAt(t int, before, after *trellis.State) choice {
	laid := p.search(context.Background()).stage(t)
	return p.m.choiceFrom(laid.left, &laid.pick, before, after)
}

// choiceFrom finds the choice behind a step: of those that lead there, the first of the cheapest.
func (m *model) choiceFrom(st *stage, sd *pickStage, before, after *trellis.State) choice {
	g := int(after.Node)
	c := choice{h: &st.mo.hands[g], a: attack(after.By)}
	ri, i := ringIn{}, -1
	if before != nil {
		i = int(before.Node)
		c.from, c.was, c.live = &st.before[i], before.Pick, liveOf(before.Tag)
		ri = st.ringInAfter(c.from, c.live, c.h)
	}
	r, least, b := sd.of(g), trellis.Inf, int(after.Label)
	left := st.terms(i, g, c.a)
	sd.eachAction(r, ri, !c.a.legato(), b, func(a action, s *silence, pl *pluck, d *damping) {
		pose := a.pose()
		if pose.Stopper() != after.Stopper || tagOf(a.live) != after.Tag || c.was.After(pose) != after.Pick {
			return
		}
		cost := ticks(a.cost) + sd.turn.Cost(c.was, pose)
		if cost >= least {
			return
		}
		next := c
		next.bass, next.pl, next.s, next.d, next.heel, next.rest = r.opts[b], *pl, *s, *d, int(a.heel), int(a.rest)
		next.terms = left
		next.terms.Add(&next.bass.cost)
		if next.ringsOn = r.ringsOn(&next.bass, ri); next.ringsOn {
			next.terms[play.Pattern] -= next.bass.eased
		}
		next.terms[play.Damping] += s.damping
		next.terms[play.Leak] += s.cost - s.damping
		d.addTo(&next.terms)
		next.terms[play.Hand] += pl.cost
		m.turnTerms(sd.turn, c.was, pose, &next.terms)
		least, c = cost, next
	})
	return c
}

// turnTerms adds what trellis.Turn.Cost says, by term.
func (m *model) turnTerms(t *trellis.Turn, was trellis.Pick, q trellis.Pose, c *play.Terms) {
	all, still := t.Cost(was, q), trellis.NewPose(trellis.Keep, trellis.Pick(0).After(q).Place(), q.Stopper())
	damping := t.Cost(was, still)
	c[play.Damping] += units(damping)
	c[play.Hand] += units(all - damping)
}

// moment turns a choice into what players and documents see.
func (m *model) moment(t int, c *choice) play.Moment {
	mo := &m.moments[t]
	bar, since := m.req.Tune.Position(mo.at)
	out := play.Moment{
		At: mo.at, Seconds: mo.sec, Bar: bar + 1, Printed: m.req.Tune.BarPrinted(bar), Chord: mo.chord, Heel: c.heel, Cost: c.terms,
		Brush: c.brushes(), Flick: c.flicks(),
		Beat: 1 + float64(since)/float64(m.req.Tune.MeterOver(mo.at).Unit()),
		Hand: handOf(c.h),
	}
	for d := range out.Digits {
		out.Digits[d] = int(max(c.d.digit[d], c.pl.at[d]))
	}
	switch {
	case mo.note >= 0:
		out.Melody = m.melodyStroke(mo.note, 0, c)
		for v := 1; v < c.h.n; v++ {
			out.With = append(out.With, m.melodyStroke(mo.note, v, c))
		}
	case mo.sounding >= 0:
		out.Held = m.melodyStroke(mo.sounding, 0, c)
	}
	if out.Hit = c.bass.hit; out.Hit == "" {
		out.HitLost = mo.hit
	}
	if mo.stroke != nil && mo.stroke.Optional {
		out.Arrival = mo.stroke.Over.Name
	}
	if mo.wantsThumb() || mo.stroke != nil && c.bass.str != 0 {
		out.Mute, out.Accent = mo.stroke.Mute, mo.stroke.Loud && c.bass.str != 0
		r := &mo.readings[c.bass.reading]
		out.Early, out.Stroke = r.Early, r.Role.String()
		if c.bass.reading > 0 || mo.stroke.Optional {
			out.LeadsTo = r.Over.Name
			if !mo.stroke.Optional {
				out.Wanted = mo.stroke.Role.String()
			}
		}
		out.RingsOn = c.ringsOn
		out.Dropped = c.bass.str == 0 && !c.ringsOn
	}
	if c.bass.str != 0 {
		out.Thumb = m.thumbStroke(mo, c.h, &c.bass)
		out.Digits[digits.P] = c.bass.str
	}
	for s := 1; s <= 6; s++ {
		out.Strings[s-1] = m.stringState(mo, c, s)
	}
	return out
}

func handOf(h *hand) play.LeftHand {
	out := play.LeftHand{SlideOn: h.slide, Trails: h.trails, Slant: h.slant > 0}
	if h.slide {
		out.SlideFret, out.From, out.Covers = h.fret, h.from, h.covers
	}
	for i := range h.n {
		if s := &h.stops[i]; s.finger != 0 {
			out.Fingers = append(out.Fingers, play.FingerAt{Finger: play.FingerName(s.finger), String: s.str, Fret: int(s.holds()),
				Light: s.how == play.Harmonic})
		}
	}
	if b := &h.bass; b.str != 0 {
		out.Fingers = append(out.Fingers, play.FingerAt{Finger: play.FingerName(b.finger), String: b.str, Fret: int(b.fret)})
	}
	return out
}

func strokeFinger(how play.How, finger int) string {
	switch {
	case how == play.Slide:
		return "S"
	case finger != 0:
		return play.FingerName(finger)
	}
	return ""
}

func (m *model) melodyStroke(note, voice int, c *choice) *play.Stroke {
	n := m.req.Tune.Notes[note]
	s := &c.h.stops[voice]
	out := &play.Stroke{
		Part: play.Melody, Voice: voice, String: s.str, Fret: s.fret, From: s.fret, How: c.a.reported(s.how), Finger: strokeFinger(s.how, s.finger),
		Hook: s.hook, Note: n.Voices()[voice], Dur: n.Dur, Pinned: m.isPinned(n.At, play.Melody, voice), Index: note,
	}
	switch {
	case s.how == play.Bend || s.how == play.Tapped:
		out.From = s.held
	case c.a == scoop && s.how == play.Slide:
		out.From = s.fret - scoopFrets
	case c.a.legato() && c.a != ghost && c.from != nil:
		out.From = c.from.stops[voice].fret
	case c.a == ghost:
		out.From = float64(m.req.Capo)
	}
	if c.brushes() {
		out.Digit = play.I
		return out
	}
	if c.flicks() {
		out.Digit = play.Digits[bits.TrailingZeros8(c.pl.mask)]
		return out
	}
	for d, at := range c.pl.at {
		if int(at) == s.str {
			out.Digit = play.Digits[d]
		}
	}
	return out
}

func (m *model) thumbStroke(mo *moment, h *hand, o *bassOption) *play.Stroke {
	out := &play.Stroke{
		Part: play.Thumb, String: o.str, Fret: o.fret, From: o.fret, How: o.how, Finger: strokeFinger(o.how, h.bass.finger), Digit: play.P,
		Note: pitch.Spell(o.pitch, m.req.Tune.Key.Flats), Dur: m.req.Tune.MeterOver(mo.at).Pulse(), Pinned: m.isPinned(mo.at, play.Thumb, 0),
	}
	if s := mo.stroke; s.Role == pattern.Noted {
		if out.Dur = s.Until - s.At; s.Note.Pitch() == o.pitch {
			out.Note = s.Note
		}
	}
	return out
}

// Pinned reports whether the note or stroke of part at at is pinned.
func (p *Plan) Pinned(at tune.Time, part play.Part, voice int) bool {
	return p.m.isPinned(at, part, voice)
}

// PinnedAlone reports whether a pin for just the same thing as target is in the request.
func (p *Plan) PinnedAlone(target *play.Pin) bool {
	return slices.ContainsFunc(p.Request.Pins, func(q play.Pin) bool { return target.SameTarget(&q) })
}

func (m *model) isPinned(at tune.Time, part play.Part, voice int) bool {
	return slices.ContainsFunc(m.req.Pins, func(p play.Pin) bool { return p.InForce(at) && p.Part == part && p.Voice == voice })
}

func (m *model) spell(p pitch.Pitch) string { return pitch.Spell(p, m.req.Tune.Key.Flats).String() }

// stringState says what string s does, in the order in which one cause hides another.
func (m *model) stringState(mo *moment, c *choice, s int) play.StringState {
	name := m.spell
	sounding := name(m.soundingPitch(c.h, s))
	if c.h.sounding.Has(s) {
		for v := range c.h.n {
			if note := max(mo.note, mo.sounding); c.h.stops[v].str == s && note >= 0 {
				sounding = name(m.voices[note][v])
			}
		}
	}
	silenced := func(by play.Damper) play.StringState {
		_, digit := by.Digit()
		return play.StringState{State: play.Silenced, By: by, Rests: c.s.rest.Has(s) && digit}
	}
	by := m.dampedBy(c, s)
	switch {
	case c.s.struck.Has(s):
		return play.StringState{State: play.Struck, Note: sounding}
	case c.s.keep.Has(s):
		return play.StringState{State: play.Rings, Note: sounding}
	case by != "":
		return silenced(by)
	case c.d.leak.Has(s):
		return m.leakState(mo, &c.s, s, name(m.open(s)))
	case c.s.may.Has(s):
		return play.StringState{State: play.Rings, Note: sounding}
	case mo.pins.ringing && (c.live.Has(s) || c.from != nil && mo.ended >= 0 && c.from.sounding.Has(s) && !c.from.fingered.Has(s)):
		return play.StringState{State: play.Rings, Note: name(m.open(s))}
	}
	return m.idleState(mo, c, s)
}

// dampedBy names what lies on string s to keep it silent, "" for nothing.
func (m *model) dampedBy(c *choice, s int) play.Damper {
	switch {
	case c.s.hit.Has(s):
		return play.Damper(c.bass.hit)
	case c.s.heel.Has(s):
		return play.ByHeel
	case c.h.trailed.Has(s):
		return play.ByTrailing
	case c.d.touch.Has(s):
		return play.DampedBy(m.touchingFinger(c.h, s))
	case c.d.spare.Has(s):
		return play.DampedBy(m.spareName(c.h))
	case c.d.over.Has(s):
		return play.DampedBy("T")
	case c.d.tilt.Has(s):
		return play.ByTilt
	}
	for d := digits.C; d >= digits.I; d-- {
		if int(c.d.digit[d]) == s || c.s.rest.Has(s) && int(c.pl.at[d]) == s {
			return play.Damper(play.Digits[d])
		}
	}
	if r := int(c.d.digit[digits.P]); r != 0 && s >= r && !c.h.sounding.Has(s) {
		return play.Damper(play.P)
	}
	if c.pl.gauge && s > int(c.pl.at[digits.I]) && !c.h.sounding.Has(s) && !c.s.keep.Has(s) {
		return play.Damper(play.P)
	}
	return ""
}

// idleState is the state of a string that nothing has to be done about: its finger let
// go, the slide and trailing fingers lie on it, or it simply was not struck.
func (m *model) idleState(mo *moment, c *choice, s int) play.StringState {
	if c.from != nil {
		if mo.ended >= 0 && c.from.fingered.Has(s) && !c.h.sounding.Has(s) {
			return play.StringState{State: play.Silenced, By: play.DampedBy(c.from.fingerOver(s))}
		}
		if b := &c.from.bass; b.str == s && c.h.bass != *b && c.live.Has(s) {
			return play.StringState{State: play.Silenced, By: play.DampedBy(play.FingerName(b.finger))}
		}
	}
	if c.h.under.Has(s) && c.h.trails > 0 {
		return play.StringState{State: play.Silenced, By: "trailing"}
	}
	out := play.StringState{State: play.Harmless}
	if mo.note >= 0 && !c.h.under.Has(s) {
		sounding := 0.0
		for _, v := range m.voices[mo.note] {
			sounding = max(sounding, m.sympathyOf(v)[s])
		}
		if sounding = max(sounding, c.bass.ring[s]) * ring.Sympathetic; sounding >= ring.Inaudible {
			out.DB = ring.Decibels(sounding)
		}
	}
	return out
}

// leakState is a string left ringing; below what can be heard it is harmless, and what costs nothing is no leak.
func (m *model) leakState(mo *moment, s *silence, str int, note string) play.StringState {
	strength := mo.strength(s, str)
	switch {
	case strength < ring.Inaudible:
		return play.StringState{State: play.Harmless}
	case mo.leak.ease[str] == 0:
		return play.StringState{State: play.Rings, Note: note}
	}
	return play.StringState{State: play.Leaks, Note: note, DB: ring.Decibels(strength)}
}

// fingerOver names the finger that holds string s.
func (h *hand) fingerOver(s int) string {
	for i := range h.n {
		if h.stops[i].str == s {
			return play.FingerName(h.stops[i].finger)
		}
	}
	return play.FingerName(h.bass.finger)
}

// touchingFinger names the fretting finger nearest to string s that can touch it: its tip
// the next thicker string, its underside the thinner ones.
func (m *model) touchingFinger(h *hand, s int) string {
	best, name := 9, ""
	near := func(str, finger int) {
		d := max(str-s, s-str)
		if (s == str+1 || s < str) && d < best {
			best, name = d, play.FingerName(finger)
		}
	}
	for i := range h.n {
		if st := &h.stops[i]; st.finger != 0 {
			near(st.str, st.finger)
		}
	}
	if h.bass.str != 0 && h.bass.finger != thumbOver {
		near(h.bass.str, h.bass.finger)
	}
	return name
}

func (m *model) spareName(h *hand) string {
	for _, f := range m.req.Player.FreeFingers() {
		if h.on[f] == 0 {
			return play.FingerName(f)
		}
	}
	return ""
}

// marked is a string that rings on from a moment before, and what it was by itself.
type marked struct {
	t, s int
	was  play.StringState
}

// markLeaks lets a leak are in the moments after it until something silences or
// strikes the string or it has died away. Its whole cost was charged where it began.
func (p *Plan) markLeaks() {
	var until [6]float64
	var note [6]string
	for t := range p.Moments {
		mo := &p.Moments[t]
		for s := range mo.Strings {
			switch st := &mo.Strings[s]; {
			case p.m.moments[t].pins.ringing:
				until[s] = 0 // here ringing on is no leak
			case st.State == play.Leaks:
				until[s], note[s] = mo.Seconds+p.m.audibleFor(s+1, st.DB), st.Note
			case st.State == play.Harmless && mo.Seconds < until[s]:
				p.marked = append(p.marked, marked{t, s, *st})
				*st = play.StringState{State: play.Leaks, Note: note[s], DB: p.m.stillLeaks(s+1, until[s]-mo.Seconds)}
			case st.State != play.Harmless:
				until[s] = 0
			}
		}
	}
}

// audibleFor is how long a string leaking db under the note can still be heard, in seconds.
func (m *model) audibleFor(str int, db float64) float64 {
	strength := math.Pow(10, db/20)
	return ring.RingTime(m.open(str)) * math.Log(strength/ring.Inaudible)
}

// stillLeaks is the level of a string that can be heard for left seconds more.
func (m *model) stillLeaks(str int, left float64) float64 {
	return ring.Decibels(ring.Inaudible * math.Exp(left/ring.RingTime(m.open(str))))
}
