package sound

import "math"

// guide is one string as a digital waveguide: a delay line one period long, whose end is fed back through a
// filter for its losses (Karplus and Strong 1983; Jaffe and Smith 1983). Its length is the period less what the
// filter delays; the part of a sample is read by third-order Lagrange interpolation (Laakso, Välimäki,
// Karjalainen, Laine 1996), which lets it change while the string sounds: bends, glides, vibrato (Karjalainen,
// Välimäki, Tolonen 1998).
//
//	y[n] = x[n] + g·(1 − a)·s[n] + a·(y_f[n−1]),   s[n] = y[n − D]
//
// with g the loss a period and a the low-pass of the loop.
type guide struct {
	rate    float64
	line    []float64 // a power of two long
	write   int
	mask    int
	filter  float64 // the low-pass's memory
	a       float64
	gain    float64 // a period
	hz      float64 // now
	target  float64
	step    float64 // factor a sample towards the target
	delay   float64
	shake   float64 // cents
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
	scrape  float64 // noise while the pitch moves, see scrape
	rest    float64 // of what was cut by a new stroke, dying away so that nothing clicks
}

// Limits of a string's pitch in Hz.
const (
	lowestHz  = 30.0
	highestHz = 2500.0
)

// inaudible is a level under which nothing is left of 16 bits.
const inaudible = 1e-9

// brightness is the low-pass of the loop: more for thick wound strings, whose upper partials die sooner.
func brightness(str int) float64 { return 0.22 + 0.035*float64(str) }

func newGuide(rate float64, str int) *guide {
	n := 1
	for float64(n) < rate/lowestHz+8 {
		n *= 2
	}
	return &guide{rate: rate, line: make([]float64, n), mask: n - 1, a: brightness(str), hz: 110, target: 110, step: 1, tau: 0.05,
		fall: math.Exp(-1 / (touchTau * rate))}
}

// tune sets the loop for the present pitch.
func (g *guide) tune(hz float64) {
	hz = math.Min(highestHz, math.Max(lowestHz, hz))
	w := 2 * math.Pi * hz / g.rate
	// Phase delay of (1 − a)/(1 − a·z⁻¹) at w.
	delay := math.Atan2(g.a*math.Sin(w), 1-g.a*math.Cos(w)) / w
	g.delay = g.rate/hz - delay
	// The filter's loss at w belongs to the loop: the gain makes up for it, so that the fundamental falls as tau says.
	loss := (1 - g.a) / math.Sqrt(1-2*g.a*math.Cos(w)+g.a*g.a)
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
func (g *guide) open(hz, tau float64) {
	if g.hz != hz || g.tau != tau {
		g.hz, g.target, g.step, g.shake, g.tau = hz, hz, 1, 0, tau
		g.tune(hz)
	}
}

// start begins or changes a note.
func (g *guide) start(d *deed) {
	if d.kind == strike && d.from > 0 {
		g.hz = d.from
	}
	g.target, g.step = d.hz, 1
	if d.slide > 0 && g.hz > 0 {
		g.step = math.Pow(d.hz/g.hz, 1/(d.slide*g.rate))
	} else {
		g.hz = d.hz
	}
	g.shake, g.phase, g.since, g.tau, g.scrape = d.shake, 0, 0, d.tau, d.scrape
	g.pulse, g.at = pluckPulse(g.rate, d), 0
	g.energy, g.plucked = 1, true
	g.tune(g.hz)
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
	} else if g.shake > 0 {
		g.since += 1 / g.rate
		if g.since > vibratoIn {
			g.phase += 2 * math.Pi * vibratoHz / g.rate
			g.tune(g.hz * math.Exp2(g.shake*math.Sin(g.phase)/1200))
		}
	}
	base, l, c, mask := g.write-g.whole+1, g.line, &g.weights, g.mask
	s := c[0]*l[base&mask] + c[1]*l[(base-1)&mask] + c[2]*l[(base-2)&mask] + c[3]*l[(base-3)&mask]
	g.filter = (1-g.a)*s + g.a*g.filter
	out := g.gain*g.filter + in
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
	if g.scrape > 0 && g.step != 1 { // beside the loop: the noise is of what moves, not of the string
		g.last += g.scrape * math.Abs(math.Log2(g.step)) * g.rate * (noise(g.write) - noise(g.write-1)) / 2
	}
	return g.last
}

// cut ends what rings: a digit lies on the string before it plucks.
func (g *guide) cut() {
	clear(g.line)
	g.filter, g.rest = 0, g.last
}

// damp lets the string die in a time.
func (g *guide) damp(tau float64) {
	g.tau = math.Min(g.tau, tau)
	g.tune(g.hz)
}
