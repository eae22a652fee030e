package take

import (
	"math"
	"slices"
)

// Glide is how a note came to the pitch at which it was held: from where a slide landed, or was moved from.
type Glide struct {
	From      float64 // cents off the pitch held, negative from below
	Seconds   float64 // until it stays within settled of it
	Overshoot float64 // cents beyond it on the way, 0 or more
}

// Of a glide: how close to the pitch held counts as there, how far one has to come from to be one, and how it
// is followed, from its end to its beginning.
const (
	settled    = 12.0  // cents
	leastGlide = 15.0  // cents
	glideStep  = 0.005 // seconds between two measurements
	glideReach = 60.0  // cents that a pitch moves between them at most
	mostGlide  = 0.6   // seconds from the onset in which it has to be over
	glideEnd   = 0.12  // seconds around its end whose median is the pitch held
	firstHeard = 0.03  // seconds after the onset of which nothing is made out: the pluck itself
	staysFor   = 0.08  // seconds
	few        = 4     // measurements whose median counts
	mostWidely = 700.0 // cents: a contour that leads further has lost its string
)

// glide follows the pitch of a string back from where it is held to its onset; nil if it was there from the
// beginning, or is not heard by itself all the way. cents is how far off it is held.
func (m *meter) glide(e *expected, str int, from, to, cents float64) *Glide {
	hz := e.hzOf(str)
	own := alone(e, str, hz, quickFrame, never)
	half := float64(quickFrame+hopApart) / 2 / Rate
	end := math.Min(from+mostGlide, to-beforeNext-half)
	if len(own) == 0 || end-from < 0.15 {
		return nil
	}
	var at, c []float64 // the latest first
	now, lost := cents, 0
	for t := end; t >= from+firstHeard; t -= glideStep {
		k := int((t - half) * Rate)
		if k < 0 || k+quickFrame+hopApart > len(m.samples) {
			continue
		}
		v, ok := m.near(k, hz, now, own)
		if !ok || math.Abs(v) > mostWidely {
			if lost++; lost > mostSilent {
				return nil
			}
			continue
		}
		now, lost = v, 0
		at, c = append(at, t), append(c, v)
	}
	if len(c) < 4*few {
		return nil
	}
	slices.Reverse(at)
	slices.Reverse(c)
	return described(at, c, from)
}

// described is the glide of a contour in cents at times; nil if it is none.
func described(at, c []float64, from float64) *Glide {
	tail := slices.Clone(c[max(0, len(c)-int(glideEnd/glideStep)):])
	held := middle(tail)
	first, next := middle(slices.Clone(c[:few])), middle(slices.Clone(c[few:2*few]))
	start := first - held
	if ahead := (next - first) / (few * glideStep) * (at[few/2] - from); ahead*start < 0 { // at the onset, which is not made out
		start -= ahead
	}
	if math.Abs(start) < leastGlide {
		return nil
	}
	g := &Glide{From: start}
	there := arrival(c, held)
	if there < few {
		return nil // it is there before it is made out
	}
	g.Seconds = at[there] - from
	for _, v := range c {
		beyond := v - held
		if start > 0 {
			beyond = -beyond
		}
		if beyond > settled {
			g.Overshoot = math.Max(g.Overshoot, beyond)
		}
	}
	return g
}

// arrival returns the first measurement from which the pitch stays near where it settles, for staysFor or to the end.
// What moves it later is vibrato, not glide.
func arrival(c []float64, held float64) int {
	const stays = int(staysFor / glideStep)
	there := 0
	for i, v := range c {
		if math.Abs(v-held) >= settled {
			there = i + 1
		} else if i-there >= stays {
			break
		}
	}
	return there
}

// near measures how far a string is off near where it was a moment later, by all its partials, weighed by their
// strength; ok is false where none is heard.
func (m *meter) near(at int, hz, cents float64, own []partial) (found float64, ok bool) {
	moved := hz * math.Exp2(cents/1200)
	reach := math.Exp2(glideReach/1200) - 1
	around := make([]partial, 0, len(own))
	for _, o := range own {
		around = append(around, partial{o.k, math.Max(moved*float64(o.k)*reach, 1.2*Rate/quickFrame)})
	}
	c, ok := m.once(at, quickFrame, moved, around)
	return cents + c, ok
}
