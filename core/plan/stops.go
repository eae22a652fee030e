package plan

import (
	"math"
	"slices"

	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
)

// stop is one way to hold a string so that it sounds a melody note.
type stop struct {
	str    int
	how    play.How // Open, Fret, Slide, Bend, Harmonic or Tapped: what the hands hold, not how it is sounded
	fret   float64  // from the nut; of a bend the fret of its pitch, of a harmonic where it is touched
	finger int      // 1 … 4, thumbOver, or 0
	held   float64  // of a bend and a tapped note, the fret that finger holds below
	hook   bool     // a bend made by the picking hand
}

// voicing is the stops of one melody note or of those struck together, in the order
// of the note's voices.
type voicing struct {
	stops [1 + tune.MaxWith]stop
	n     int
}

const thumbOver = player.ThumbOverNeck

// slideBeyond is how many frets past the last one the slide may go.
const slideBeyond = 4

// Reach of the techniques, in frets above the capo or half steps.
const (
	overReach = 7  // highest fret for the thumb over the neck
	tapReach  = 12 // half steps between a tapped note and the one held below it
	tapFrom   = 2
	harmonyBy = 5 // cents by which a harmonic may miss the written pitch
)

// bends are the amounts in cents, with the thickest string that bends so far.
var bends = []struct {
	cents   pitch.Pitch
	deepest int
}{{50, 5}, {100, 4}, {200, 3}}

// slideUsed reports whether the player has a slide or bar on this piece.
func slideUsed(p player.Profile) bool { return p.Lean != player.LeanNone }

// stopsFor lists every way to hold pitch p on a string, strings ascending. next is the pitch
// of a single note that follows at once, 0 if there is none: what a tapped note falls to.
func stopsFor(r *Request, p, next pitch.Pitch) []stop {
	out := make([]stop, 0, 32)
	for s := 1; s <= 6; s++ {
		out = append(out, stopsOn(r, s, p, next)...)
	}
	return out
}

func stopsOn(r *Request, s int, p, next pitch.Pitch) []stop {
	pl := &r.Player
	open, capo := r.Tuning.Open(s), float64(r.Capo)
	steps := p - open
	fret, whole := float64(steps)/100, steps%pitch.HalfStep == 0
	last := float64(pl.Instrument.Frets)
	var out []stop
	if whole && fret == capo {
		out = append(out, stop{str: s, fret: fret, how: play.Open})
	}
	if whole && fret > capo && fret <= last {
		for _, f := range pl.FreeFingers() {
			out = append(out, stop{str: s, fret: fret, how: play.Fret, finger: f})
		}
		if s == 6 && pl.ThumbOver && !pl.Lap() && fret <= capo+overReach {
			out = append(out, stop{str: s, fret: fret, how: play.Fret, finger: thumbOver})
		}
	}
	if !pl.Lap() {
		out = append(out, harmonicsOn(r, s, p)...)
		out = append(out, bendsOn(r, s, p)...)
		out = append(out, tapsOn(r, s, fret, whole, next)...)
	}
	if slideUsed(*pl) && fret >= capo+1 && fret <= last+slideBeyond {
		out = append(out, stop{str: s, fret: fret, how: play.Slide})
	}
	return out
}

func harmonicsOn(r *Request, s int, p pitch.Pitch) (out []stop) {
	for _, n := range play.Nodes {
		sounds := float64(r.Tuning.Open(s)+pitch.Midi(r.Capo)) + n.Cents
		if math.Abs(sounds-float64(p)) > harmonyBy || n.Fret+r.Capo > r.Player.Instrument.Frets {
			continue
		}
		for _, f := range r.Player.FreeFingers() {
			out = append(out, stop{str: s, fret: float64(n.Fret + r.Capo), how: play.Harmonic, finger: f})
		}
	}
	return out
}

// bendsOn: the strongest free finger of 3 and 2 pushes, helped by those behind it; or the
// first free one holds while the picking hand hooks the string.
func bendsOn(r *Request, s int, p pitch.Pitch) (out []stop) {
	fingers := r.Player.FreeFingers()
	if len(fingers) == 0 {
		return nil
	}
	strong := 3
	if !slices.Contains(fingers, strong) {
		strong = 2
	}
	for _, b := range bends {
		steps := p - b.cents - r.Tuning.Open(s)
		held := float64(steps) / 100
		if steps%pitch.HalfStep != 0 || held <= float64(r.Capo) || held > float64(r.Player.Instrument.Frets) || s > b.deepest {
			continue
		}
		at := stop{str: s, how: play.Bend, fret: float64(p-r.Tuning.Open(s)) / 100, held: held, finger: strong}
		hooked := at
		hooked.finger, hooked.hook = fingers[0], true
		out = append(out, at, hooked)
	}
	return out
}

// tapsOn: a note tapped above the one that follows, which a finger or the nut holds already.
func tapsOn(r *Request, s int, fret float64, whole bool, next pitch.Pitch) (out []stop) {
	held := float64(next-r.Tuning.Open(s)) / 100
	if next == 0 || !whole || held != math.Trunc(held) || held < float64(r.Capo) || fret > float64(r.Player.Instrument.Frets) ||
		fret < held+tapFrom || fret > held+tapReach {
		return nil
	}
	at := stop{str: s, how: play.Tapped, fret: fret, held: held}
	if held == float64(r.Capo) {
		return []stop{at}
	}
	for _, f := range r.Player.FreeFingers() {
		at.finger = f
		out = append(out, at)
	}
	return out
}

// tapped reports whether the picking hand is on the neck, hooked whether it bends a string.
func (c *voicing) tapped() bool { return c.n > 0 && c.stops[0].how == play.Tapped }
func (c *voicing) hooked() bool { return c.n > 0 && c.stops[0].hook }

// special reports whether a stop needs a technique that the player does not list. A quarter tone
// pushed up is none: the music asks for it.
func (m *model) special(s *stop) bool {
	p := &m.req.Player
	switch s.how {
	case play.Bend:
		return s.hook && !p.Uses(player.UsesHook) || !s.hook && s.fret-s.held >= 1 && !p.Uses(player.UsesBend)
	case play.Harmonic:
		return !p.Uses(player.UsesHarmonic)
	case play.Tapped:
		return !p.Uses(player.UsesTap)
	}
	return false
}

// voiced is what the ways to hold a note depend on next to the request.
type voiced struct {
	voices [1 + tune.MaxWith]pitch.Pitch // 0 for none
	next   pitch.Pitch                   // of a single note that follows at once, 0 if there is none
}

// voicingsFor lists the ways to hold a note of the tune with all its voices. Those that need a special
// technique are left out unless a pin asks for one that the others do not have, or there is no other.
// So that an alternative and its pin are the same, a bend that is asked for is one let down from the note before,
// if that can be, and else one that the fretting hand pushes, if it can.
func (m *model) voicingsFor(i int) []voicing {
	usual, at := m.usualVoicings(i), m.req.Tune.Notes[i].At
	for k := range m.req.Pins {
		p := &pin{Pin: m.req.Pins[k]}
		if p.Part != play.Melody || !p.InForce(at) || !slices.Contains([]play.How{play.Bend, play.Harmonic, play.Tapped}, p.How) {
			continue
		}
		if p.How == play.Bend && m.letsDown(i, p) ||
			slices.ContainsFunc(usual, func(v voicing) bool { return p.fits(&v) && v.stops[p.Voice].how == p.How }) {
			break
		}
		return m.unhooked(m.everyVoicing(i), p)
	}
	return usual
}

// usualVoicings lists the voicings of note i without those that need a special technique, or all if there are no others; once for
// all notes that are alike.
func (m *model) usualVoicings(i int) []voicing {
	n := &m.req.Tune.Notes[i]
	key := voiced{next: m.nextAlone(i)}
	for v, note := range n.Voices() {
		key.voices[v] = note.Pitch()
	}
	if ways, ok := m.ways[key]; ok {
		return ways
	}
	ways := m.everyVoicing(i)
	usual := slices.Clip(slices.Clone(slices.DeleteFunc(slices.Clone(ways), func(v voicing) bool {
		return slices.ContainsFunc(v.stops[:v.n], func(s stop) bool { return m.special(&s) })
	})))
	if len(usual) > 0 {
		ways = usual
	}
	if m.ways == nil {
		m.ways = map[voiced][]voicing{}
	}
	m.ways[key] = ways
	return ways
}

// nextAlone is the pitch of a single note that follows single note i at once, 0 if there is none.
func (m *model) nextAlone(i int) pitch.Pitch {
	if i+1 < len(m.req.Tune.Notes) {
		n, after := &m.req.Tune.Notes[i], &m.req.Tune.Notes[i+1]
		if after.At == n.End() && len(n.With) == 0 && len(after.With) == 0 {
			return after.Note.Pitch()
		}
	}
	return 0
}

// letsDown reports whether note i can be had at p's place by letting down a bend of the note before, as far as the
// pins on that one allow.
func (m *model) letsDown(i int, p *pin) bool {
	if i == 0 || m.req.Tune.Notes[i-1].End() != m.req.Tune.Notes[i].At {
		return false
	}
	return slices.ContainsFunc(m.voicings[i-1], func(v voicing) bool {
		s := &v.stops[0]
		return v.n == 1 && s.how == play.Bend && !s.hook && s.str == p.String && math.Abs(s.held-p.Fret) < fretSame &&
			!slices.ContainsFunc(m.req.Pins, func(q play.Pin) bool {
				return q.Part == play.Melody && q.InForce(m.req.Tune.Notes[i-1].At) && !(&pin{Pin: q}).fits(&v)
			})
	})
}

// unhooked leaves out bends by the picking hand, if the player lists none and p can be kept without.
func (m *model) unhooked(all []voicing, p *pin) []voicing {
	hooked := func(v voicing) bool { return v.hooked() && !m.req.Player.Uses(player.UsesHook) }
	if slices.ContainsFunc(all, func(v voicing) bool { return !hooked(v) && p.fits(&v) }) {
		return slices.DeleteFunc(slices.Clone(all), hooked)
	}
	return all
}

// everyVoicing lists the ways to hold note i by any technique.
func (m *model) everyVoicing(i int) []voicing {
	n, next := &m.req.Tune.Notes[i], m.nextAlone(i)
	out := []voicing{{}}
	for v, note := range n.Voices() {
		var longer []voicing
		for _, s := range stopsFor(m.req, note.Pitch(), next) {
			if len(n.With) > 0 && s.how == play.Bend {
				continue // a bend moves one string
			}
			for _, c := range out {
				if c.stops[v], c.n = s, v+1; m.together(&c) {
					longer = append(longer, c)
				}
			}
		}
		out = longer
	}
	if len(n.With) > 0 {
		out = append(out, m.tappedTogether(n)...)
	}
	return out
}

// tappedTogether lists two notes at once tapped by i and m over open strings.
func (m *model) tappedTogether(n *tune.Note) (out []voicing) {
	if len(n.With) != 1 || m.req.Player.Lap() || m.req.Player.Fingers < 2 {
		return nil
	}
	at := func(p pitch.Pitch) (stops []stop) {
		for s := 1; s <= 6; s++ {
			open := m.req.Tuning.Open(s)
			fret := float64(p-open) / 100
			if (p-open)%pitch.HalfStep == 0 && fret >= float64(m.req.Capo+tapFrom) && fret <= float64(m.req.Player.Instrument.Frets) {
				stops = append(stops, stop{str: s, how: play.Tapped, fret: fret, held: float64(m.req.Capo)})
			}
		}
		return stops
	}
	for _, a := range at(n.Note.Pitch()) {
		for _, b := range at(n.With[0].Pitch()) {
			if a.str != b.str && max(a.str, b.str)-min(a.str, b.str) <= 2 && math.Abs(m.x(a.fret)-m.x(b.fret)) <= tapSpread {
				out = append(out, voicing{[1 + tune.MaxWith]stop{a, b}, 2})
			}
		}
	}
	return out
}

// tapSpread is how far in mm along the neck i and m of the picking hand tap at once.
const tapSpread = 60.0

// together checks the last stop of c against those before it.
func (m *model) together(c *voicing) bool {
	b := &c.stops[c.n-1]
	for i := range c.n - 1 {
		a := &c.stops[i]
		if a.str == b.str || (a.how == play.Tapped) != (b.how == play.Tapped) || (a.how == play.Harmonic) != (b.how == play.Harmonic) {
			return false
		}
		switch {
		case a.how == play.Slide && b.how == play.Slide:
			if a.fret != b.fret && !m.slants(a, b) {
				return false
			}
		case a.how == play.Slide && b.finger != 0:
			if !m.req.Player.FretBehindSlide || !m.behind(a.fret, b) {
				return false
			}
		case b.how == play.Slide && a.finger != 0:
			if !m.req.Player.FretBehindSlide || !m.behind(b.fret, a) {
				return false
			}
		case a.finger != 0 && b.finger != 0:
			if _, ok := m.span(a, b); !ok {
				return false
			}
		}
	}
	return c.n < 3 || m.straight(c)
}

// straight: the last slide note lies on one line with the first two, if there are so many.
func (m *model) straight(c *voicing) bool {
	if c.stops[c.n-1].how != play.Slide {
		return true
	}
	var on []*stop
	for i := range c.n {
		if s := &c.stops[i]; s.how == play.Slide {
			on = append(on, s)
		}
	}
	if len(on) < 3 {
		return true
	}
	a, b, d := on[0], on[1], on[len(on)-1]
	slope := (m.x(b.fret) - m.x(a.fret)) / float64(b.str-a.str)
	return math.Abs(m.x(a.fret)+slope*float64(d.str-a.str)-m.x(d.fret)) <= m.window(d.fret)/2
}

// steepest is the tangent of the greatest angle between the slide and the frets: 35° for a
// bar that the hand holds freely, 12° for a tube on a finger.
func (m *model) steepest() float64 {
	if m.req.Player.Lap() {
		return math.Tan(35 * math.Pi / 180)
	}
	return math.Tan(12 * math.Pi / 180)
}

// slantOf is the tangent of the angle at which one straight slide sounds a and b.
func (m *model) slantOf(a, b *stop) float64 {
	across := math.Abs(float64(a.str-b.str)) * m.neck.Spacing(float64(m.fromCapo(a.fret)))
	return math.Abs(m.x(a.fret)-m.x(b.fret)) / across
}

func (m *model) slants(a, b *stop) bool { return m.slantOf(a, b) <= m.steepest() }

func (m *model) fromCapo(fret float64) play.CapoFret { return play.FromCapo(fret, m.req.Capo) }

// x is the place of a fret for planning, in mm: counted from the capo on the whole scale,
// so that a shape costs the same wherever the capo sits. On the guitar all distances are
// smaller by the factor capoScale.
func (m *model) x(fret float64) float64 {
	at := float64(m.fromCapo(fret))
	if n := int(at); n >= 0 && n < len(m.xs) && float64(n) == at {
		if m.xs[n] == 0 {
			m.xs[n] = m.neck.X(at)
		}
		return m.xs[n]
	}
	return m.neck.X(at)
}

func (m *model) window(fret float64) float64 { return m.neck.Window(float64(m.fromCapo(fret))) }

// capoScale turns planning distances into millimetres on the guitar: 2^(−capo/12).
func (m *model) capoScale() float64 { return math.Exp2(-float64(m.req.Capo) / 12) }

// holds is the fret at which the stop's finger is.
func (s *stop) holds() float64 {
	if s.how == play.Bend || s.how == play.Tapped {
		return s.held
	}
	return s.fret
}

// indexAt is where the index finger lies when finger f is at a fret; the thumb over the
// neck lies next to the index finger.
func (m *model) indexAt(fret float64, finger int) float64 {
	if finger == thumbOver {
		finger = 1
	}
	return m.x(fret - float64(finger-1))
}

// span checks two fingered stops, and returns the cost of their spread, free at one fret a finger; ok is false if the
// hand cannot do it: fingers in fret order, at one fret the lower finger on the thicker
// string, the stretch in mm within the reach; one finger lies flat over several strings at
// one fret only if it is the first; the thumb reaches over within a fret of the index.
func (m *model) span(a, b *stop) (cost float64, ok bool) {
	if a.finger > b.finger {
		a, b = b, a
	}
	af, bf := a.holds(), b.holds()
	switch {
	case a.finger == b.finger:
		return m.w.BarEffort, a.finger == 1 && af == bf
	case b.finger == thumbOver:
		return 0, math.Abs(bf-(af-float64(a.finger-1))) <= 1
	case af > bf || af == bf && a.str < b.str:
		return 0, false
	}
	share := (m.x(bf) - m.x(af)) / (m.req.Player.SpanMM(a.finger, b.finger))
	if spare := float64(b.finger-a.finger) - (bf - af); spare >= 0 {
		return m.w.Cramped * spare, share <= 1
	}
	return m.w.Stretch * share * share, share <= 1
}

// behind reports whether b can be fretted behind the slide sounding at fret: a finger below
// the slide finger, a fret below the slide, within reach.
func (m *model) behind(fret float64, b *stop) bool {
	sf := m.req.Player.WornOn()
	if b.finger >= sf || b.how != play.Fret || b.fret >= fret {
		return false
	}
	return m.x(fret)-m.x(b.fret) <= m.req.Player.SpanMM(b.finger, sf)
}
