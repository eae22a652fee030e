package sound

import (
	"math"

	"stepping/core/ornament"
)

// guide is one string as a digital waveguide: a delay line one period long, whose end is fed back through a
// filter for its losses (Karplus and Strong 1983; Jaffe and Smith 1983). Its length is the period less what the
// filter delays; the part of a sample is read by third-order Lagrange interpolation (Laakso, Välimäki,
// Karjalainen, Laine 1996), which lets it change while the string sounds: bends, glides, vibrato (Karjalainen,
// Välimäki, Tolonen 1998).
//
//	y[n] = x[n] + g·Σ h[k]·s[n−k],   s[n] = y[n − D],   h = [b/2, 1−b, b/2] * [b/2, 1−b, b/2]
//
// with g the loss a period and h the low-pass of the loop: symmetric, so that it delays all partials alike, by two
// samples, and they stay harmonic.
type guide struct {
	rate    float64
	line    []float64 // a power of two long
	write   int
	mask    int
	past    [4]float64 // samples that the low-pass remembers, the youngest first
	taps    [3]float64 // h from its end to its middle
	gain    float64    // a period
	hz      float64    // now
	target  float64
	step    float64 // factor a sample towards the target
	delay   float64
	shake   ornament.Vibrato
	phase   float64 // of the vibrato
	since   float64 // seconds since the note began
	tau     float64
	fall    float64   // of rest, a sample
	pulse   []float64 // what is still to be fed in
	at      int
	energy  float64 // running peak, to let silent strings be
	plucked bool    // it sounds by its own stroke
	weights [4]float64
	whole   int
	last    float64 // sample
	rub     rub     // heard while the pitch moves
	rest    float64 // of what was cut by a new stroke, dying away so that nothing clicks
}

// Limits of a string's pitch in Hz.
const (
	lowestHz  = 30.0
	highestHz = 2500.0
)

// inaudible is a level under which nothing is left of 16 bits.
const inaudible = 1e-9

// darkRate is the samples a second for which low-passes of the loop are given.
const darkRate = 48000.0

// loopDark is the low-pass of the loop, b at darkRate, of an open or fretted string: more for thick wound strings,
// whose upper partials die sooner.
func loopDark(str int) float64 { return 0.09 + 0.022*float64(str) }

// darken sets the low-pass of the loop: it takes as much from a frequency a round at any rate.
func (g *guide) darken(dark float64) {
	b := math.Min(0.5, dark*g.rate*g.rate/(darkRate*darkRate))
	g.taps = [3]float64{b * b / 4, b * (1 - b), (1-b)*(1-b) + b*b/2}
}

func newGuide(rate float64, str int) *guide {
	n := 1
	for float64(n) < rate/lowestHz+8 {
		n *= 2
	}
	g := &guide{rate: rate, line: make([]float64, n), mask: n - 1, hz: 110, target: 110, step: 1, tau: 0.05,
		fall: math.Exp(-1 / (touchTau * rate))}
	g.darken(loopDark(str))
	return g
}

// tune sets the loop for the present pitch.
func (g *guide) tune(hz float64) {
	hz = math.Min(math.Min(highestHz, g.rate/5), math.Max(lowestHz, hz))
	w := 2 * math.Pi * hz / g.rate
	g.delay = g.rate/hz - 2
	// The filter's loss at w belongs to the loop: the gain makes up for it, so that the fundamental falls as tau says.
	loss := g.taps[2] + 2*g.taps[1]*math.Cos(w) + 2*g.taps[0]*math.Cos(2*w)
	g.gain = math.Min(math.Exp(-1/(g.tau*hz))/loss, 0.99999)
	g.whole = int(g.delay)
	f := g.delay - float64(g.whole) + 1 // 1 … 2: the middle of the four points
	g.weights = [4]float64{(f - 1) * (f - 2) * (f - 3) / -6, f * (f - 2) * (f - 3) / 2, f * (f - 1) * (f - 3) / -2, f * (f - 1) * (f - 2) / 6}
}

// idle reports whether the string sounds by no stroke any more.
func (g *guide) idle() bool {
	if g.energy < 1e-4 {
		g.plucked = false
	}
	return !g.plucked
}

// open lets the string lie free at its open pitch.
func (g *guide) open(hz, tau float64, str int) {
	if g.hz != hz || g.tau != tau {
		g.darken(loopDark(str))
		g.hz, g.target, g.step, g.shake, g.tau = hz, hz, 1, ornament.Vibrato{}, tau
		g.tune(hz)
	}
}

// start begins or changes a note.
func (g *guide) start(d *deed) {
	if d.kind == strike && d.from > 0 {
		g.hz = d.from
	}
	g.darken(d.dark)
	g.move(d)
	g.shake, g.phase, g.since, g.tau = d.shake, 0, 0, d.tau
	g.pulse, g.at = pluckPulse(g.rate, d), 0
	g.energy, g.plucked = 1, true
	g.tune(g.hz)
}

// move sends the pitch on its way, evenly in cents.
func (g *guide) move(d *deed) {
	g.target, g.step, g.rub = d.hz, 1, newRub(g.rate, d)
	if d.slide > 0 && g.hz > 0 {
		g.step = math.Pow(d.hz/g.hz, 1/(d.slide*g.rate))
	} else {
		g.hz = d.hz
	}
}

// pluckPulse is what a pluck feeds in: half a sine as long as the digit takes to let go, with a little noise,
// less the same a while later: the wave that goes to the bridge and comes back, which takes the partials away
// that have a node where it is plucked.
func pluckPulse(rate float64, d *deed) []float64 {
	n := max(4, int(d.width*rate))
	lag := max(2, int(rate/d.hz*d.place))
	out := make([]float64, n+lag)
	for i := range n {
		v := d.level * pulseLevel * (math.Sin(math.Pi*(float64(i)+0.5)/float64(n)) + 0.12*noise(i))
		out[i] += v
		out[i+lag] -= v
	}
	return out
}

// pulseLevel brings the loudest pluck of any string near 1.
const pulseLevel = 0.55

// next is the next sample; in is what the bridge brings from other strings.
func (g *guide) next(in float64) float64 {
	if g.energy < 1e-6 && math.Abs(in) < 1e-7 && g.at >= len(g.pulse) {
		return 0
	}
	if g.step != 1 {
		g.hz *= g.step
		if g.step > 1 && g.hz >= g.target || g.step < 1 && g.hz <= g.target {
			g.hz, g.step = g.target, 1
		}
		g.tune(g.hz)
	} else if g.shake.Cents > 0 {
		g.since += 1 / g.rate
		if over := g.since - g.shake.After; over > 0 {
			g.phase += 2 * math.Pi * g.shake.Hz / g.rate
			wide := g.shake.Cents * math.Min(1, over*g.shake.Hz) // it widens over its first swing
			g.tune(g.hz * math.Exp2(wide*math.Sin(g.phase)/1200))
		}
	}
	base, l, c, mask := g.write-g.whole+1, g.line, &g.weights, g.mask
	s := c[0]*l[base&mask] + c[1]*l[(base-1)&mask] + c[2]*l[(base-2)&mask] + c[3]*l[(base-3)&mask]
	h, q := &g.taps, &g.past
	out := g.gain*(h[0]*(s+q[3])+h[1]*(q[0]+q[2])+h[2]*q[1]) + in
	q[3], q[2], q[1], q[0] = q[2], q[1], q[0], s
	if g.at < len(g.pulse) {
		out += g.pulse[g.at]
		g.at++
	}
	l[g.write&mask] = out
	g.write++
	if v := math.Abs(out); v > g.energy {
		g.energy = v
	} else {
		g.energy *= 0.9999
	}
	g.last = out
	if g.rest != 0 {
		if g.rest *= g.fall; math.Abs(g.rest) < inaudible { // numbers near the smallest there are take a hundred times as long
			g.rest = 0
		}
		g.last += g.rest
	}
	if g.step != 1 { // added after the loop: the noise is of what moves, not of the string
		g.last += g.rub.next(g.write)
	}
	return g.last
}

// cut ends what rings: a digit lies on the string before it plucks.
func (g *guide) cut() {
	clear(g.line)
	g.past, g.rest = [4]float64{}, g.last
}

// damp lets the string die in a time.
func (g *guide) damp(tau float64) {
	g.tau = math.Min(g.tau, tau)
	g.tune(g.hz)
}
