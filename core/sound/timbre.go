package sound

import (
	"math"

	"stepping/core/neck"
	"stepping/core/play"
)

// slideDark is what the slide adds to the low-pass of the loop, by its material: it rests on the string and is
// not clamped to it, so that upper partials rub themselves out sooner than on a fret. Glass does it more than
// steel. "" is a slide of which nothing is known.
var slideDark = map[string]float64{"glass": 0.34, "ceramic": 0.31, "": 0.31, "brass": 0.26, "steel": 0.22}

// slideSoft is how much longer a pluck takes under the slide, which a hard one would make rattle on the string.
const slideSoft = 1.15

// slideHz is the pitch for which slideDark holds: a high note would lose its fundamental by it, a low one would
// hardly change.
const slideHz = 330.0

// dark is the low-pass of the loop while a stroke sounds at a pitch in Hz.
func (p *Played) dark(s *play.Stroke, hz float64) float64 {
	d := loopDark(s.String)
	if s.How.Slid() {
		r := slideHz / hz
		d += slideDark[p.slide] * math.Min(r, r*r)
	}
	return d
}

// Of the noise of what moves along a string.
const (
	rubScaleMM = 648.0 // scale length for which ways are worked out
	landedMM   = 1.0   // that the slide is corrected by after landing next to the wire
	rubWound   = 0.07  // level against a pluck at a metre a second, of a wound string …
	rubPlain   = 0.006 // … and of a plain one
	rubQ       = 2.5   // of the whine of the windings
	rubHighest = 6000.0
)

// windingMM is the distance from one winding to the next, by string from 1; 0 for strings that are usually plain.
var windingMM = [...]float64{0, 0, 0.15, 0.20, 0.28, 0.36}

// travelled is how far it is along the neck from one fret to another, mm.
func travelled(from, to float64) float64 {
	k := neck.Neck{Scale: rubScaleMM}
	return math.Abs(k.X(to) - k.X(from))
}

// rub is the noise of a slide or a finger that moves along a string: a wound string whines as its windings go by,
// a plain one hisses faintly.
type rub struct {
	level float64
	whine biquad
	wound bool
}

func newRub(rate float64, d *deed) (r rub) {
	if d.rubbed == 0 || d.slide == 0 {
		return r
	}
	speed := d.rubbed / d.slide // mm/s
	if apart := windingMM[d.str-1]; apart > 0 {
		r.wound, r.level = true, rubWound*speed/1000
		r.whine = resonance(rate, math.Min(speed/apart, math.Min(rubHighest, 0.4*rate)), rubQ)
	} else {
		r.level = rubPlain * speed / 1000
	}
	return r
}

// next is the i-th sample of it.
func (r *rub) next(i int) float64 {
	switch {
	case r.level == 0:
		return 0
	case r.wound:
		return r.level * r.whine.next(noise(i)) * 2
	}
	return r.level * (noise(i) - noise(i-1)) / 2
}
