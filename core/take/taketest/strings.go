package taketest

import (
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"stepping/core/tuning"
)

// Rate is the sample rate of what is rendered.
const Rate = 24000

// Of the strings: partials of each, how stiff plain and wound ones are (f_k = k·f·√(1 + B·k²)), and how strongly others
// ring along.
const (
	modes     = 18
	stiffest  = 1.1e-4
	sympathy  = 0.07
	control   = 32 // samples between two looks at the pitch
	alongRise = 0.12
)

// guitar is the timbre that a seed draws: how bright, where it is plucked, how its body colours.
type guitar struct {
	bright, place float64
	body          [4][3]float64 // Hz, width, gain
	stiff         [tuning.Strings]float64
}

func newGuitar(seed uint64) *guitar {
	rng := rand.New(rand.NewPCG(seed, 5))
	g := &guitar{bright: 1.0 + 0.5*rng.Float64(), place: 0.12 + 0.12*rng.Float64()}
	for i, hz := range []float64{105, 210, 420, 900} {
		g.body[i] = [3]float64{hz * (0.85 + 0.3*rng.Float64()), 0.25 + 0.3*rng.Float64(), 0.5 + 1.4*rng.Float64()}
	}
	for s := range g.stiff {
		g.stiff[s] = stiffest * (0.4 + 0.6*rng.Float64())
	}
	return g
}

// gain is how much the body passes on at a frequency.
func (g *guitar) gain(hz float64) float64 {
	v := 0.5
	for _, b := range g.body {
		z := math.Log2(hz/b[0]) / b[1]
		v += b[2] * math.Exp(-z*z)
	}
	return v / (1 + math.Pow(hz/5000, 2))
}

// Strings renders a performance by additive synthesis, with the guitar that a seed draws: stiff strings, two planes of
// motion that beat, a body, strings that ring along, the noise of plucks and of the slide.
func (pf *Performance) Strings(seed uint64) []float64 {
	g, rng := newGuitar(seed), rand.New(rand.NewPCG(seed, 9))
	out := make([]float64, int(pf.Seconds*Rate))
	for i := range pf.Notes {
		n := &pf.Notes[i]
		end, damps := pf.until(i)
		pf.string(out, g, rng, n, end, damps)
		pf.along(out, g, n, i)
	}
	peak := 1e-9
	for _, v := range out {
		peak = math.Max(peak, math.Abs(v))
	}
	for i := range out {
		out[i] *= 0.5 / peak
	}
	return out
}

// until is when a note ends because its string sounds another, and what damps it until then.
func (pf *Performance) until(i int) (end float64, damps []Damp) {
	n := &pf.Notes[i]
	end = pf.Seconds
	for k := i + 1; k < len(pf.Notes); k++ {
		if pf.Notes[k].String == n.String {
			end = pf.Notes[k].At
			break
		}
	}
	for _, d := range pf.Damps {
		if d.String == n.String && d.At > n.At && d.At < end {
			damps = append(damps, d)
		}
	}
	slices.SortFunc(damps, func(a, b Damp) int { return int(math.Copysign(1, a.At-b.At)) })
	return end, damps
}

// falls is the factor a control step by which a mode falls, from a time on.
func falls(at, tau float64, damps []Damp) float64 {
	rate := 1 / tau
	for _, d := range damps {
		if at >= d.At {
			rate = math.Max(rate, 1/d.Tau)
		}
	}
	return math.Exp(-rate * control / Rate)
}

// string adds one note.
func (pf *Performance) string(out []float64, g *guitar, rng *rand.Rand, n *Note, end float64, damps []Damp) {
	from, to := int(n.At*Rate), min(int((end+0.004)*Rate), len(out))
	tauLoss := 0.25
	bright := g.bright
	if n.Metal {
		bright, tauLoss = bright-0.2, 0.18
	}
	level := n.Level
	if n.Slur {
		level *= 0.4
	}
	place, wobble := g.place*(0.9+0.2*rng.Float64()), 5.2+rng.Float64()
	for k := 1; k <= modes; k++ {
		kk := float64(k)
		stretch := kk * math.Sqrt(1+g.stiff[n.String-1]*kk*kk)
		if n.Hz*stretch > 0.42*Rate {
			break
		}
		amp := level * math.Abs(math.Sin(math.Pi*kk*place)) * math.Pow(kk, -bright) * g.gain(n.Hz*stretch)
		tau := n.Tau / (1 + tauLoss*kk)
		for plane := range 2 {
			detune, share, slow := 1.0, 0.75, 1.0
			if plane == 1 {
				detune, share, slow = 1+0.0003*rng.NormFloat64(), 0.35, 1.6
			}
			phase := 2 * math.Pi * rng.Float64()
			a := amp * share
			var re, im float64
			sn, cs := math.Sincos(phase)
			re, im = cs, sn
			for at := from; at < to && a > 2e-5; at += control {
				t := float64(at-from) / Rate
				hz := n.Hz
				if n.Slide > 0 && t < n.Slide {
					hz = n.From * math.Pow(n.Hz/n.From, 0.5-0.5*math.Cos(math.Pi*t/n.Slide))
				}
				if n.Shake > 0 && t > 0.3 {
					hz *= math.Exp2(n.Shake * math.Sin(2*math.Pi*wobble*(t-0.3)) / 1200)
				}
				ds, dc := math.Sincos(2 * math.Pi * hz * stretch * detune / Rate)
				f := falls(float64(at)/Rate, tau*slow, damps)
				step := math.Pow(f, 1.0/control)
				for i := at; i < min(at+control, to); i++ {
					ramp := 1.0
					if rise := float64(i-from) / (0.0015 * Rate); !n.Slur && rise < 1 {
						ramp = rise
					} else if rise := float64(i-from) / (0.006 * Rate); n.Slur && rise < 1 {
						ramp = rise
					}
					if left := float64(to-i) / (0.004 * Rate); left < 1 {
						ramp *= left
					}
					out[i] += a * ramp * im
					re, im = re*dc-im*ds, re*ds+im*dc
					a *= step
				}
			}
		}
	}
	pf.noises(out, rng, n, from, to)
}

// noises adds what the finger and the slide do.
func (pf *Performance) noises(out []float64, rng *rand.Rand, n *Note, from, to int) {
	low := 0.0
	for i := from; i < min(to, from+int(0.02*Rate)) && !n.Slur; i++ {
		low += 0.4 * (rng.NormFloat64() - low)
		out[i] += 0.08 * n.Level * low * math.Exp(-float64(i-from)/(0.004*Rate))
	}
	low = 0
	for i := from; n.Metal && n.Slide > 0 && i < min(to, from+int(n.Slide*Rate)); i++ {
		v := rng.NormFloat64()
		low += 0.2 * (v - low)
		out[i] += 0.006 * (v - low)
	}
}

// along adds how the strings that lie free ring along with a note.
func (pf *Performance) along(out []float64, g *guitar, n *Note, i int) {
	for _, s := range n.Along {
		end, damps := pf.Seconds, []Damp(nil)
		for k := i + 1; k < len(pf.Notes); k++ {
			if pf.Notes[k].String == s {
				end = pf.Notes[k].At
				break
			}
		}
		for _, d := range pf.Damps {
			if d.String == s && d.At > n.At && d.At < end {
				damps = append(damps, d)
			}
		}
		open := pf.Open[s-1]
		for k := 1; k <= 8; k++ {
			f := n.Hz * float64(k)
			m := math.Round(f / open)
			if m < 1 || m > 12 || math.Abs(1200*math.Log2(f/(m*open))) > 18 {
				continue
			}
			a := sympathy * n.Level * math.Abs(math.Sin(math.Pi*float64(k)*g.place)) * math.Pow(float64(k), -g.bright) * g.gain(f)
			w := 2 * math.Pi * m * open / Rate
			tau := tauOf(open) / (1 + 0.2*m)
			fell := 1.0
			for at := int(n.At * Rate); at < min(int(end*Rate), len(out)) && fell > 1e-3; at += control {
				step := math.Pow(falls(float64(at)/Rate, tau, damps), 1.0/control)
				for x := at; x < min(at+control, len(out)); x++ {
					rise := 1 - math.Exp(-(float64(x)/Rate-n.At)/alongRise)
					out[x] += a * rise * fell * math.Sin(w*float64(x))
					fell *= step
				}
			}
		}
	}
}

// Room is a performance in a room whose sound falls by 60 dB in a time in seconds.
func Room(in []float64, rt60 float64, seed uint64) []float64 {
	rng := rand.New(rand.NewPCG(seed, 13))
	n := int(rt60 * Rate)
	answer := make([]float64, n)
	power := 0.0
	for i := int(0.004 * Rate); i < n; i++ {
		answer[i] = rng.NormFloat64() * math.Exp(-6.9*float64(i)/float64(n))
		power += answer[i] * answer[i]
	}
	for i := range answer {
		answer[i] *= 0.8 / math.Sqrt(power)
	}
	answer[0] = 1
	size := 1
	for size < len(in)+n {
		size *= 2
	}
	fft := fourier.NewFFT(size)
	pad := func(x []float64) []float64 { return append(slices.Clone(x), make([]float64, size-len(x))...) }
	a, b := fft.Coefficients(nil, pad(in)), fft.Coefficients(nil, pad(answer))
	for i := range a {
		a[i] *= b[i]
	}
	out := fft.Sequence(nil, a)[:len(in)]
	for i := range out {
		out[i] /= float64(size)
	}
	return out
}

// Phone is what a telephone's microphone leaves: 250 to 3,600 Hz, and its compression.
func Phone(in []float64) []float64 {
	out := slices.Clone(in)
	for range 2 {
		low, high := 0.0, 0.0
		a, b := 1-math.Exp(-2*math.Pi*3600/Rate), 1-math.Exp(-2*math.Pi*250/Rate)
		for i, v := range out {
			low += a * (v - low)
			high += b * (low - high)
			out[i] = low - high
		}
	}
	for i, v := range out {
		out[i] = math.Tanh(2*v) / 2
	}
	return out
}

// Noise adds noise so many dB under what is played; it falls by 3 dB an octave or so above 300 Hz.
func Noise(in []float64, db float64, seed uint64) []float64 {
	rng := rand.New(rand.NewPCG(seed, 17))
	noise, low := make([]float64, len(in)), 0.0
	a, b := 0.0, 0.0
	for i, v := range in {
		w := rng.NormFloat64()
		low += 0.08 * (w - low)
		noise[i] = 0.35*w + 2*low
		a, b = a+v*v, b+noise[i]*noise[i]
	}
	return mixed(in, noise, math.Sqrt(a/b)*math.Pow(10, -db/20))
}

// Hum adds the hum of a mains, 50 Hz and what belongs to it, so many dB under what is played.
func Hum(in []float64, db float64) []float64 {
	hum := make([]float64, len(in))
	a, b := 0.0, 0.0
	for i, v := range in {
		for k, share := range []float64{1, 0.5, 0.6, 0.2, 0.3} {
			hum[i] += share * math.Sin(2*math.Pi*50*float64(k+1)*float64(i)/Rate)
		}
		a, b = a+v*v, b+hum[i]*hum[i]
	}
	return mixed(in, hum, math.Sqrt(a/b)*math.Pow(10, -db/20))
}

func mixed(in, add []float64, by float64) []float64 {
	out := slices.Clone(in)
	for i := range out {
		out[i] += by * add[i]
	}
	return out
}
