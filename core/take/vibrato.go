package take

import "math"

// Vibrato is how a note was shaken.
type Vibrato struct {
	Hz     float64
	Width  float64 // cents from the lowest to the highest
	Centre float64 // cents off the written pitch
}

// Of a vibrato: what rates are looked for, for how long it has to last, how wide it is at least, and what share
// of all that moves it has to be.
const (
	slowestShake  = 3.0 // Hz
	fastestShake  = 9.0
	shortestShake = 0.6 // seconds
	leastWidth    = 10.0
	shakeShare    = 0.5
	shakeStep     = 0.01 // seconds between two measurements
	coarseShake   = 0.2  // Hz between two rates that are tried, and
	fineShake     = 0.05 // around the best of them
	startStep     = 10   // measurements between two times at which it may begin
	mostSilent    = 6    // measurements in a row in which it is not heard
	shakenAfter   = 0.3  // seconds after the onset: vibrato begins late
)

// vibrato finds one in the pitch of a string between two times: the sinusoid that explains most of how the
// pitch moves; nil if there is none, or too little of the string is heard by itself.
func (m *meter) vibrato(e *expected, str int, from, to float64) *Vibrato {
	from, to = from+shakenAfter, to-beforeNext-float64(quickFrame+hopApart)/Rate
	hz := e.hzOf(str)
	own := alone(e, str, hz, quickFrame, never)
	if to-from < shortestShake || len(own) == 0 {
		return nil
	}
	var at, cents []float64
	lost := 0
	for t := from; t < to; t += shakeStep {
		k := int(t * Rate)
		if k+quickFrame+hopApart > len(m.samples) {
			break
		}
		if c, ok := m.once(k, quickFrame, hz, own); ok {
			at, cents, lost = append(at, t), append(cents, c), 0
		} else if lost++; lost == mostSilent { // it has died away
			break
		}
	}
	return swinging(at, cents, startStep)
}

// swinging finds a vibrato in a pitch in cents at times, of which it may begin every so many; nil if there is none.
func swinging(at, cents []float64, every int) (best *Vibrato) {
	most := shakeShare
	for from := 0; from < len(at) && at[len(at)-1]-at[from] >= shortestShake-shakeStep; from += every { // it begins when the player likes
		if v, share := swing(at[from:], cents[from:]); v.Width >= leastWidth && share > most {
			best, most = &v, share
		}
	}
	return best
}

// swing is the sinusoid that explains most of how a pitch moves, in cents at times, and what share it explains.
func swing(at, cents []float64) (v Vibrato, share float64) {
	for _, c := range cents {
		v.Centre += c / float64(len(cents))
	}
	moves := 1e-9
	for _, c := range cents {
		moves += (c - v.Centre) * (c - v.Centre) / float64(len(cents))
	}
	look := func(from, to, step float64) {
		for f := from; f <= to; f += step {
			re, im := 0.0, 0.0
			for i, t := range at {
				s, c := math.Sincos(2 * math.Pi * f * t)
				re, im = re+(cents[i]-v.Centre)*c, im+(cents[i]-v.Centre)*s
			}
			if a := 2 * math.Hypot(re, im) / float64(len(cents)); 2*a > v.Width {
				v.Hz, v.Width = f, 2*a
			}
		}
	}
	look(slowestShake, fastestShake, coarseShake)
	if v.Hz > 0 {
		look(v.Hz-coarseShake, v.Hz+coarseShake, fineShake)
	}
	return v, v.Width * v.Width / 8 / moves
}
