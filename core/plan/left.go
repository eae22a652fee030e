package plan

import (
	"math"

	"stepping/core/pitch"
	"stepping/core/quiet"
	"stepping/core/thumb"
)

// carry completes the hands of moment t: every bare hand once for each position that a
// hand may come from, and once loose.
func (m *model) carry(t int) {
	mo := &m.moments[t]
	mo.hands = append([]hand(nil), mo.anchored...)
	if len(mo.bare) == 0 {
		return
	}
	var from []hand
	seen := map[[2]float64]bool{}
	if t > 0 {
		for i := range m.moments[t-1].hands {
			f := m.freed(&m.moments[t-1].hands[i], t)
			if key := [2]float64{f.pos, f.since}; !f.loose && !seen[key] {
				seen[key] = true
				from = append(from, f)
			}
		}
	}
	for _, b := range mo.bare {
		for _, f := range from {
			b.pos, b.since, b.loose = f.pos, f.since, false
			mo.hands = append(mo.hands, b)
		}
		b.pos, b.since, b.loose = 0, 0, true
		mo.hands = append(mo.hands, b)
	}
}

// freed returns the position memory (pos, since, loose) that h leaves to a hand that
// holds nothing at moment t.
func (m *model) freed(h *hand, t int) hand {
	f := hand{pos: h.pos, since: h.since, loose: h.loose}
	if h.anchored {
		f.since = m.moments[t-1].sec
	}
	if m.moments[t].sec-f.since >= freeSeconds {
		f.loose = true
	}
	if f.loose {
		f.pos, f.since = 0, 0
	}
	return f
}

// leftCost is the cost of going from hand h at moment t−1 to g at t, g's own cost
// included; ok is false if a hard rule forbids it. h is nil at the first moment.
func (m *model) leftCost(t int, h, g *hand) (c Terms, ok bool) {
	mo := &m.moments[t]
	c = g.own
	if h == nil {
		return c, (g.anchored || g.loose) && (g.bass.str == 0 || mo.stroke != nil)
	}
	if mo.sounding >= 0 && mo.note < 0 && (h.place != g.place || h.slide != g.slide) {
		return c, false // a held note stays where it is
	}
	if mo.stroke == nil && g.bass != h.bass {
		if g.bass.str != 0 {
			return c, false // a bass finger comes down only for a stroke
		}
		c.add(Pattern, cutBass)
	}
	f := m.freed(h, t)
	if !g.anchored {
		if f.loose != g.loose || f.pos != g.pos || f.since != g.since {
			return c, false // another history
		}
	} else if !f.loose {
		m.shiftCost(&c, mo, f, g)
	}
	m.changeCost(&c, mo, f, h, g)
	return c, true
}

// shiftCost: the hand travels to g in the time since it was last needed elsewhere.
func (m *model) shiftCost(c *Terms, mo *moment, f hand, g *hand) {
	if need := m.shiftNeed(f.pos, g); need > 0 {
		c.add(Shift, overTime(need, mo.sec-f.since))
	}
}

// shiftNeed is the least time in seconds to bring a hand from pos onto g, 0 if it is there.
func (m *model) shiftNeed(pos float64, g *hand) float64 {
	d := math.Abs(g.pos - pos)
	if g.slide {
		if d < m.window(g.fret)/2 {
			return 0
		}
		return fitts(d, m.window(g.fret))
	}
	if d < stillMM {
		return 0
	}
	fret := g.fret
	if g.how != Fret {
		fret = float64(g.bass.fret)
	}
	return fitts(d, fretTarget*(m.x(fret)-m.x(fret-1)))
}

// changeCost: slide on and off, strings and fingers changed, trailing fingers moved.
func (m *model) changeCost(c *Terms, mo *moment, f hand, h, g *hand) {
	if g.slide && !h.slide {
		share := landTime / math.Max(mo.sec-f.since, landTime/3)
		if f.loose {
			share = 0
		}
		c.add(Land, landOn+wLand*share*share)
	}
	if h.slide && !g.slide {
		c.add(Land, landOff)
	}
	if h.slide && g.slide {
		c.add(Damping, trailMove*math.Abs(float64(h.trails-g.trails)))
		c.add(Intonation, coverMove*math.Abs(float64(h.covers-g.covers)))
	}
	if mo.note >= 0 && h.str != 0 {
		c.add(StringMove, stringStep*math.Abs(float64(h.str-g.str)))
	}
	for finger := 1; finger <= 4; finger++ {
		a, b := h.fingerOn(finger), g.fingerOn(finger)
		if a != 0 && b != 0 && a != b {
			c.add(StringMove, fingerHop)
		}
	}
}

// fingerOn returns the string that a finger frets, the melody's before the bass's; 0 if none.
func (h *hand) fingerOn(finger int) int {
	switch finger {
	case h.finger:
		return h.str
	case h.bass.finger:
		return h.bass.str
	}
	return 0
}

// tail is what rings into a moment from before, after the left hand has moved.
type tail struct {
	live quiet.Strings // bass strings that ring on and may
	unw  quiet.Strings // strings whose note is over or spoilt: stop them or they leak
	mild quiet.Strings // those of unw that ring at their open pitch
	// of unw: the melody string whose note has ended
	ended quiet.Strings
}

// tailOf says what rings after the change from h (live: bass strings ringing) to g at t.
func (m *model) tailOf(t int, h *hand, live quiet.Strings, g *hand) tail {
	mo := &m.moments[t]
	tl := tail{live: live}
	if h.bass.str != 0 && h.bass != g.bass {
		tl.live &^= quiet.Of(h.bass.str) // the finger lets go and silences it
	}
	under := quiet.Strings(0)
	if g.slide {
		under = quiet.Upto(g.covers)
	}
	was := quiet.Strings(0)
	if h.slide {
		was = quiet.Upto(h.covers)
	}
	stays := quiet.Strings(0)
	if h.slide && g.slide && h.fret == g.fret {
		stays = was & under
	}
	spoilt := tl.live & (was | under) &^ stays // slide came, moved or left
	tl.live &^= spoilt
	tl.unw = spoilt
	if mo.ended >= 0 && h.str != 0 && h.how != Fret {
		tl.ended = quiet.Of(h.str)
		tl.unw |= tl.ended
		if h.how == Open && !under.Has(h.str) {
			tl.mild = quiet.Of(h.str)
		}
	}
	if mo.note >= 0 {
		struck := quiet.Of(g.str)
		tl.live, tl.unw = tl.live&^struck, tl.unw&^struck
	}
	// Trailing fingers silence open strings without more ado.
	tl.unw &^= quiet.Upto(g.trails) &^ under
	if !m.school.Cares {
		tl.unw = 0
	}
	tl.mild &= tl.unw
	tl.ended &= tl.unw
	return tl
}

// bassOption is one way for the thumb to take its stroke at a moment with a given hand.
type bassOption struct {
	str    int // 0: no stroke, or left out
	fret   float64
	how    How // Drop if a wanted stroke is left out, "" if none is wanted
	finger int // 1 … 4, thumbOver, or 0
	pitch  pitch.Pitch
	cost   Terms
	sum    float64    // of cost
	ring   [7]float64 // sympathy of each open string with it
}

// bassOptions lists what the thumb can do at mo with hand h: open strings from 6 down,
// the fretted one, strings under the slide, and leaving the stroke out.
func (m *model) bassOptions(mo *moment, h *hand) []bassOption {
	if mo.stroke == nil {
		return []bassOption{{}}
	}
	var out []bassOption
	add := func(o bassOption, fit float64) {
		if p := mo.pin; p != nil && (p.How != o.how || p.How != Drop && (p.String != o.str || math.Abs(p.Fret-o.fret) > 0.005)) {
			return
		}
		if p := mo.pin; p != nil && p.Finger != 0 && p.Finger != o.finger {
			return
		}
		o.cost.add(Pattern, wPattern*fit)
		if o.str != 0 {
			o.cost.add(Clash, m.clashCost(mo, o))
			o.ring = m.sympathyOf(o.pitch)
		}
		o.sum = o.cost.Sum()
		out = append(out, o)
	}
	for _, p := range mo.bassPlaces {
		pitchAt := m.req.Tuning.Open(p.String) + pitch.Midi(p.Fret)
		if p.Fret > m.req.Capo {
			if h.bass.str == p.String && h.bass.fret == p.Fret {
				add(bassOption{str: p.String, fret: float64(p.Fret), how: Fret, finger: h.bass.finger, pitch: pitchAt}, p.Fit)
			}
			continue
		}
		covered := h.slide && p.String <= max(h.covers, h.trails)
		if h.bass.str == 0 && p.String != h.str && !covered {
			add(bassOption{str: p.String, fret: float64(p.Fret), how: Open, pitch: pitchAt}, p.Fit)
		}
	}
	if h.bass.str != 0 {
		return out // a finger that comes down for a stroke is used for it
	}
	for s := h.covers; h.slide && thumb.IsBassString(s); s-- {
		if s != h.str {
			p := m.req.Tuning.Open(s) + pitch.Pitch(math.Round(100*h.fret))
			add(bassOption{str: s, fret: h.fret, how: Slide, pitch: p},
				thumb.Fit(m.req.Tuning, m.req.Capo, mo.chord, mo.stroke.Role, s, p))
		}
	}
	left := bassOption{how: Drop}
	if mo.stroke.One {
		left.cost.add(Pattern, wDropOne)
	}
	add(left, wDropped/wPattern)
	return out
}

// clashCost is the bass note against the chord, milder for a home drone that the player
// welcomes: the tonic or fifth of the key on an open string.
func (m *model) clashCost(mo *moment, o bassOption) float64 {
	clash := wClash * thumb.Clash(mo.chord, o.pitch)
	if m.isDrone(o.how, o.pitch) {
		clash *= droneEase
	}
	return clash
}

func (m *model) isDrone(how How, p pitch.Pitch) bool {
	if !m.req.Player.Drone || how != Open {
		return false
	}
	above := (p - pitch.Midi(m.req.Tune.Key.Tonic.Class())).Class()
	return above == 0 || above == 7*pitch.HalfStep
}
