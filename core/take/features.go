package take

import (
	"math"
	"math/cmplx"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"
)

// Of the spectra that the plan is followed by.
const (
	hop        = Rate / 50 // 20 ms
	slower     = 4         // the spectra reach up to 2 kHz: a quarter of the samples tells them
	window     = 4096 / slower
	fineHop    = Rate / 200 // 5 ms
	fineWindow = 512
	lowBin     = 36 // MIDI number of the lowest semitone
	bins       = 61
	partials   = 8
	rollOff    = 0.8 // a partial k of a template weighs k^-rollOff
)

// spectrum is how strong each semitone is, compressed, less its mean, of length 1.
type spectrum [bins]float64

// features are the spectra of a signal, one every hop, and how loud it is there.
func (s *Signal) features() (out []spectrum, level []float64) {
	if s.frames == nil {
		s.frames, s.level = s.newFeatures()
	}
	return s.frames, s.level
}

func (s *Signal) newFeatures() (out []spectrum, level []float64) {
	l := newLooker(window)
	few := s.fewer()
	for at := 0; at < len(s.Samples); at += hop {
		for i := range l.frame { // what is heard at a time is what lies around it
			k := at/slower + i - window/2
			l.frame[i] = 0
			if k >= 0 && k < len(few) {
				l.frame[i] = float64(few[k])
			}
		}
		sp, loud := l.look()
		out, level = append(out, sp), append(level, loud)
	}
	return out, level
}

// looker makes spectra of frames of a signal with Rate / slower samples a second.
type looker struct {
	fft     *fourier.FFT
	hann    []float64
	weights []weight
	frame   []float64
	coef    []complex128
}

func newLooker(frame int) *looker {
	return &looker{fft: fourier.NewFFT(frame), hann: hannOf(frame), weights: semitones(frame), frame: make([]float64, frame)}
}

// look is the spectrum of the frame, and how loud it is; the frame is used up.
func (l *looker) look() (sp spectrum, level float64) {
	for i := range l.frame {
		l.frame[i] *= l.hann[i]
		level += l.frame[i] * l.frame[i]
	}
	l.coef = l.fft.Coefficients(l.coef, l.frame)
	for _, w := range l.weights {
		sp[w.bin] += w.share * cmplx.Abs(l.coef[w.at])
	}
	sp.compress()
	return sp, math.Sqrt(level / float64(len(l.frame)))
}

// fewer is the signal with Rate / slower samples a second.
func (s *Signal) fewer() []float32 {
	r := newResampler(Rate, Rate/slower)
	out := make([]float32, 0, len(s.Samples)/slower+1)
	for _, v := range s.Samples {
		for _, put := range r.put(float64(v)) {
			out = append(out, float32(put))
		}
	}
	return out
}

func hannOf(n int) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(n))
	}
	return out
}

// weight is the share of a line of the transform that belongs to a semitone.
type weight struct {
	at, bin int
	share   float64
}

// semitones divides the lines of a frame among the semitones, each between its two nearest.
func semitones(frame int) (out []weight) {
	for i := 1; i < frame/2; i++ {
		x := semitoneOf(float64(i)*Rate/slower/float64(frame)) - lowBin
		lo := int(math.Floor(x))
		f := x - float64(lo)
		if lo >= 0 && lo < bins {
			out = append(out, weight{i, lo, 1 - f})
		}
		if lo+1 >= 0 && lo+1 < bins {
			out = append(out, weight{i, lo + 1, f})
		}
	}
	return out
}

// semitoneOf is a frequency as a MIDI number with its fraction.
func semitoneOf(hz float64) float64 { return 69 + 12*math.Log2(hz/440) }

// compress takes the square root, so that faint partials count, then the mean away, and brings it to length 1; silence stays 0.
func (sp *spectrum) compress() {
	mean := 0.0
	for i := range sp {
		sp[i] = math.Sqrt(sp[i])
		mean += sp[i] / bins
	}
	sum := 0.0
	for i := range sp {
		sp[i] -= mean
		sum += sp[i] * sp[i]
	}
	if sum = math.Sqrt(sum); sum > 1e-9 {
		for i := range sp {
			sp[i] /= sum
		}
	}
}

func (sp *spectrum) dot(o *spectrum) (sum float64) {
	for i := range sp {
		sum += sp[i] * o[i]
	}
	return sum
}

// template is what strings sound like that sound at pitches in Hz, each with its share.
func template(sounding []tone) (sp spectrum) {
	for _, t := range sounding {
		for k := 1; k <= partials; k++ {
			x := semitoneOf(t.hz*float64(k)) - lowBin
			lo := int(math.Floor(x))
			v := t.share * math.Pow(float64(k), -rollOff)
			if lo >= 0 && lo < bins {
				sp[lo] += v * (1 - (x - float64(lo)))
			}
			if lo+1 >= 0 && lo+1 < bins {
				sp[lo+1] += v * (x - float64(lo))
			}
		}
	}
	sp.compress()
	return sp
}

// tone is a string that sounds.
type tone struct {
	str       int
	hz, share float64
}

// looksBack is with how many fine hops before each is compared: longer than the longest period of a string, in
// which a short frame swells and fades.
const looksBack = 5

// flux is how much begins at each fine hop, 0 to 1: the growth of the logarithm of the spectrum over its
// greatest a little before, line by line, lines that fall left out (Böck and Widmer 2013), less its median
// around, against the strongest beginnings.
func (s *Signal) flux() []float64 {
	if s.begun == nil {
		s.begun = s.newFlux()
	}
	return s.begun
}

func (s *Signal) newFlux() []float64 {
	g := newGrowth()
	var out []float64
	for at := 0; at < len(s.Samples); at += fineHop {
		for i := range g.frame {
			k := at + i - fineWindow/2
			g.frame[i] = 0
			if k >= 0 && k < len(s.Samples) {
				g.frame[i] = float64(s.Samples[k])
			}
		}
		out = append(out, g.look())
	}
	return peaked(out, s.Seconds())
}

// growth is how much more there is in a frame than in those a little before.
type growth struct {
	fft   *fourier.FFT
	hann  []float64
	frame []float64
	coef  []complex128
	past  [looksBack][fineWindow / 2]float64
	n     int // frames looked at
}

func newGrowth() *growth {
	return &growth{fft: fourier.NewFFT(fineWindow), hann: hannOf(fineWindow), frame: make([]float64, fineWindow)}
}

// look is the growth of the frame, which is used up.
func (g *growth) look() (sum float64) {
	for i := range g.frame {
		g.frame[i] *= g.hann[i]
	}
	g.coef = g.fft.Coefficients(g.coef, g.frame)
	var now [fineWindow / 2]float64
	for i := range now {
		re, im := real(g.coef[i]), imag(g.coef[i])
		now[i] = math.Sqrt(re*re + im*im)
		before := g.past[0][i]
		for k := 1; k < looksBack; k++ {
			if v := g.past[k][i]; v > before {
				before = v
			}
		}
		if now[i] > before { // the logarithm is taken only where something grows
			sum += math.Log((floor + now[i]) / (floor + before))
		}
	}
	g.past[g.n%looksBack] = now
	g.n++
	return sum
}

// floor is the strength of a line under which growth counts for little: of a sine of 1/200 of full scale.
const floor = fineWindow / 4.0 / 200

// around is how many fine hops to either side a flux is compared with: half a second.
const around = 100

// strongest is how many beginnings a second are taken for surely some: their weakest counts as 1.
const strongest = 0.5

// peaked takes the median around away, and brings what surely begins to 1.
func peaked(x []float64, seconds float64) []float64 {
	out := make([]float64, len(x))
	buf := make([]float64, 0, 2*around+1)
	median := 0.0
	for i := range x {
		if i%20 == 0 {
			buf = append(buf[:0], x[max(0, i-around):min(len(x), i+around+1)]...)
			slices.Sort(buf)
			median = buf[len(buf)/2]
		}
		out[i] = math.Max(0, x[i]-median)
	}
	var tops []float64
	for i := range out {
		if isPeak(out, i) {
			tops = append(tops, out[i])
		}
	}
	if len(tops) == 0 {
		return out
	}
	slices.Sort(tops)
	top := math.Max(tops[max(0, len(tops)-1-int(strongest*seconds))], 1e-6)
	for i := range out {
		out[i] = math.Min(1, out[i]/top)
	}
	return out
}

// isPeak reports whether nothing near is greater, and nothing equal comes before.
func isPeak(x []float64, k int) bool {
	for o := max(0, k-apart); o <= min(len(x)-1, k+apart); o++ {
		if x[o] > x[k] || x[o] == x[k] && o < k {
			return false
		}
	}
	return true
}
