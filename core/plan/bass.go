package plan

import (
	"slices"

	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/ring"
)

// bassOptions lists what the thumb can do at mo with hand h: open strings from 6 down,
// the fretted one, strings under the slide, and leaving the stroke out.
func (m *model) bassOptions(mo *moment, h *hand) []bassOption {
	if mo.stroke == nil {
		return m.withHit(mo, h, []bassOption{{ring: &noRing}})
	}
	out := m.basses[:0]
	add := func(o bassOption) {
		if !mo.bassAllowed(&o) {
			return
		}
		o.cut = mo.stroke.Mute == "thump" || mo.stroke.Mute == "stab"
		y := tally{by: &o.cost}
		if o.str != 0 {
			fit, clash := m.read(mo, &o)
			y.add(play.Pattern, fit)
			y.add(play.Clash, clash)
			if o.how == play.Slide {
				y.add(play.Place, m.w.BassNeck*float64(m.fromCapo(o.fret)))
			}
			o.ring = m.sympathyOf(o.pitch)
		} else {
			o.ring = &noRing
			m.dropCost(mo, &o, &y)
		}
		o.sum = y.sum
		out = append(out, o)
	}
	if !h.tapped() && !h.hooked() {
		m.strokes(mo, h, add)
	}
	if h.bass.str == 0 || h.tapped() || h.hooked() || mo.stroke.Optional { // a finger that comes down for a stroke is used for it
		add(bassOption{how: play.Drop})
	}
	m.basses = out
	return slices.Clone(m.withHit(mo, h, out))
}

// noRing is the sympathy with a stroke that is not struck.
var noRing [7]float64

// dropCost is what leaving the wanted stroke out costs, and how much less it is if the root rings on.
func (m *model) dropCost(mo *moment, o *bassOption, y *tally) {
	if mo.stroke.Optional {
		return
	}
	y.add(play.Pattern, m.w.Dropped)
	if mo.stroke.One {
		y.add(play.Pattern, m.w.DropOne)
	}
	if mo.stroke.Arrived {
		o.eased = max(0, y.sum-play.Exact(m.w.RingsOn))
	}
}

// ringsOn reports whether o leaves out a root that rings in.
func (r *pickShape) ringsOn(o *bassOption, ri ringIn) bool { return o.eased > 0 && r.home&ri.live != 0 }

// bassCost is what o costs.
func (r *pickShape) bassCost(o *bassOption, ri ringIn) float64 {
	if r.ringsOn(o, ri) {
		return o.sum - o.eased
	}
	return o.sum
}

// withHit doubles the options where percussion is wanted: with it, if the hands can, and without,
// at a cost. Letting up a finger so that its string goes dead is for grips, not for a melody.
func (m *model) withHit(mo *moment, h *hand, options []bassOption) []bassOption {
	if mo.hit == "" {
		return options
	}
	var out []bassOption
	for _, o := range options {
		if mo.hit != pattern.Release && !h.tapped() && !h.hooked() {
			played := o
			played.hit = mo.hit
			out = append(out, played)
		}
		y := tally{by: &o.cost}
		y.add(play.Pattern, m.w.DropHit)
		o.sum += y.sum
		out = append(out, o)
	}
	return out
}

// hitStrings are the strings that percussion silences: those that a slap drives against the frets,
// those that the fingertips fall on.
func (o *bassOption) hitStrings() ring.Strings {
	switch o.hit {
	case pattern.Slap:
		return ring.From(5)
	case pattern.Tap:
		return trebles
	}
	return 0
}

// trebles are the strings that a flick and the fingertips of a tap reach.
const trebles ring.Strings = 0b111

// strokes calls add for every string that the thumb can strike.
func (m *model) strokes(mo *moment, h *hand, add func(bassOption)) {
	for _, p := range mo.bassPlaces {
		o := bassOption{str: p.String, fret: float64(p.Fret), how: play.Open, pitch: m.req.Tuning.Open(p.String) + pitch.Midi(p.Fret)}
		switch {
		case p.Fret > m.req.Capo:
			if h.bass.str == p.String && h.bass.fret == o.fret {
				o.how = play.Fret
				add(o)
			}
		case h.bass.str == 0 && !(h.sounding | h.under | h.trailed).Has(p.String):
			add(o)
		}
	}
	if h.bass.str != 0 {
		return
	}
	for s := h.covers; pattern.IsBassString(s); s-- {
		if h.under.Has(s) && !h.sounding.Has(s) && h.slant == 0 {
			add(bassOption{str: s, fret: h.fret, how: play.Slide, pitch: m.under(h.fret, s)})
		}
	}
}

// read takes the note of o for that of the stroke's readings which costs least, the first of equals, and
// returns how well it fills that and how it clashes.
func (m *model) read(mo *moment, o *bassOption) (fit, clash float64) {
	least := inf
	for i := range mo.readings {
		r := &mo.readings[i]
		if r.Role == pattern.Noted {
			return m.w.Pattern * pattern.NoteFit(mo.stroke.Note.Pitch(), o.pitch), 0
		}
		f := m.w.Pattern * (r.Extra + pattern.Fit(m.req.Tuning, m.req.Capo, r.Over, r.Role, o.str, o.pitch))
		if m.modal && r.Role == pattern.Root && o.how == play.Open && o.str >= droneString && m.isTonic(o.pitch) {
			f = min(f, m.w.Pattern*fitModal)
		}
		if c := m.clashCost(r, o); f+c < least {
			least, fit, clash, o.reading = f+c, f, c, i
		}
	}
	return fit, clash
}

// droneString is the thinnest string of a drone that goes on through changes.
const droneString = 5

// fitModal is how the open tonic fits as the root of any chord where the style is modal.
const fitModal = 0.2

// isModal reports whether a steady thumb may stay on the open tonic through changes: the player welcomes the drone, the tonic lies open on
// string 6 or 5, most open strings are the tonic or its fifth, and none is its third, unless a slide keeps the hand busy.
func (m *model) isModal() bool {
	if m.req.Thumb != pattern.Steady || !m.req.Player.Drone || !m.isTonic(m.open(6)) && !m.isTonic(m.open(5)) {
		return false
	}
	home := 0
	for s := 1; s <= 6; s++ {
		switch m.aboveTonic(m.open(s)) {
		case 0, 7:
			home++
		case 3, 4:
			if !slideUsed(m.req.Player) {
				return false
			}
		}
	}
	return home >= modalStrings
}

// modalStrings is how many open strings must be the tonic or its fifth.
const modalStrings = 4

// aboveTonic is how many half steps p lies above the key's tonic, 0 to 11.
func (m *model) aboveTonic(p pitch.Pitch) int {
	return int((p - pitch.Midi(m.req.Tune.Key.Tonic.Class())).Class() / pitch.HalfStep)
}

func (m *model) isTonic(p pitch.Pitch) bool { return m.aboveTonic(p) == 0 }

// clashCost is the bass note against the chord that it is read with, milder for a home drone that the
// player welcomes: the tonic or fifth of the key on an open string.
func (m *model) clashCost(r *pattern.Reading, o *bassOption) float64 {
	if r.Role == pattern.Walk {
		return 0 // it leads on
	}
	clash := m.w.Clash * pattern.Clash(r.Over, o.pitch)
	if m.isDrone(o.how, o.pitch) {
		clash *= m.w.DroneEase
	}
	return clash
}

func (m *model) isDrone(how play.How, p pitch.Pitch) bool {
	if !m.req.Player.Drone || how != play.Open {
		return false
	}
	above := m.aboveTonic(p)
	return above == 0 || above == 7
}

// leakPrice is how strongly a string that must be silent still sounds, 0 … 1 of the note,
// by string, and how much of its cost remains where it rings open and belongs to the chord
// or is a welcome drone.
type leakPrice struct {
	bass, ended, ease [7]float64
	weight            float64 // cost of a leak as strong as the note
}

// newLeakPrice returns the prices at mo. Without a slide strings ring while a shape is held, and only what rubs against the
// chord wants a stop.
func (m *model) newLeakPrice(mo *moment) (lp leakPrice) {
	for s := 1; s <= 6; s++ {
		p := m.open(s)
		lp.bass[s], lp.ended[s], lp.ease[s], lp.weight = ring.Strength(p, mo.bassFor), ring.Strength(p, mo.endedFor), 1, m.w.Leak
		if m.req.Player.Lap() {
			lp.weight = m.w.LapLeak
		}
		switch {
		case !slideUsed(m.req.Player):
			lp.ease[s] = pattern.Clash(mo.chord, p) / mostClash
		case mo.has(p):
			lp.ease[s] = m.w.Consonant
		case m.isDrone(play.Open, p):
			lp.ease[s] = m.w.DroneEase
		}
	}
	return lp
}

// mostClash is the clash of a half step or a tritone.
const mostClash = 2.0

// strength of what leaks on string str, as a share of the note.
func (mo *moment) strength(s *silence, str int) float64 {
	switch {
	case s.ringIn.ended.Has(str):
		return mo.leak.ended[str]
	case s.swept.Has(str):
		return ring.Swept
	}
	return mo.leak.bass[str]
}

// leakCost is what string str costs if it is left ringing: less if the slide is not on it, so
// that it rings open, and its open note is welcome.
func (r *pickShape) leakCost(s *silence, str int) float64 {
	return r.leakPrice(r.mo.strength(s, str), str)
}

func (r *pickShape) leakPrice(strength float64, str int) float64 {
	if r.h.under.Has(str) {
		return play.Exact(r.mo.leak.weight * strength)
	}
	return play.Exact(r.mo.leak.weight * strength * r.mo.leak.ease[str])
}
