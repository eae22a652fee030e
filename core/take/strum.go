package take

import (
	"math"

	"gonum.org/v1/gonum/dsp/fourier"
)

// Rung is one stroke of a strum test: strings struck one after the other while the hands hold a position.
type Rung struct {
	Rings bool
	DB    float64 // of what it added that is left a third of a second later, against its beginning; negative
}

// StrumEar listens to strings that are struck one after the other, and tells of each whether it rings on, whatever
// else is ringing: only what is new in the spectrum counts.
type StrumEar struct {
	in     *resampler
	high   clearing
	x      []float64                // the last samples at Rate
	heard  int                      // samples at Rate so far
	next   int                      // sample at which the next look ends
	lines  [strumBack + 1][]float64 // amplitudes of the last short spectra
	short  *fourier.FFT
	struck int // sample of a stroke that is being listened to; 0 for none
	fft    *fourier.FFT
	win    []float64
	buf    []float64
	co     []complex128
}

// Of a StrumEar: samples of a spectrum; of the short ones in which strokes are found, one every strumStep, each against
// the one strumBack before; how much a stroke adds to that; after how many samples it is known whether it rings, what
// counts as new, and how much of it, in dB, has to be left to ring.
const (
	strumSize  = 2048
	strumShort = 512
	strumStep  = 120
	strumBack  = 4
	strumGrows = 1.3  // of a line, before it counts
	strumRises = 0.35 // of the sum of all lines
	strumQuiet = 0.2  // of that sum, at least
	strumLate  = Rate * 36 / 100
	strumFirst = 5.0 // in energy, against before the stroke, at its beginning …
	strumNew   = 2.0 // … and later
	strumLeft  = -12.0
)

// NewStrumEar listens at rate samples a second.
func NewStrumEar(rate int) *StrumEar {
	e := &StrumEar{in: newResampler(float64(rate), Rate), fft: fourier.NewFFT(strumSize), short: fourier.NewFFT(strumShort),
		win: make([]float64, strumSize), buf: make([]float64, strumSize)}
	for i := range e.win {
		e.win[i] = 0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/strumSize)
	}
	return e
}

// Hear takes samples of -1 to 1, and returns the strokes that are known about with them. Memory does not grow.
func (e *StrumEar) Hear(samples []float64) (out []Rung) {
	for _, v := range samples {
		for _, w := range e.in.put(v) {
			e.x = append(e.x, e.high.next(w))
			e.heard++
		}
	}
	for ; e.next+strumShort <= e.heard; e.next += strumStep {
		e.find()
		if e.struck > 0 && e.next >= e.struck+strumLate {
			out = append(out, e.judge())
			e.struck = 0
		}
	}
	if most := strumLate + 3*strumSize; len(e.x) > 2*most {
		e.x = append(e.x[:0], e.x[len(e.x)-most:]...)
	}
	return out
}

// at is the samples from one on; nil if they are not there.
func (e *StrumEar) at(sample, n int) []float64 {
	i := sample - (e.heard - len(e.x))
	if i < 0 || i+n > len(e.x) {
		return nil
	}
	return e.x[i : i+n]
}

// find looks for a stroke in the short spectrum that begins at next.
func (e *StrumEar) find() {
	x := e.at(e.next, strumShort)
	buf := e.buf[:strumShort]
	for i, v := range x {
		buf[i] = e.win[i*strumSize/strumShort] * v
	}
	now := make([]float64, strumShort/2+1)
	for k, c := range e.short.Coefficients(nil, buf) {
		now[k] = math.Hypot(real(c), imag(c))
	}
	before := e.lines[strumBack]
	copy(e.lines[1:], e.lines[:strumBack])
	e.lines[0] = now
	if before == nil || e.struck > 0 || e.next < strumSize {
		return
	}
	grown, all := 0.0, strumQuiet
	for k, v := range now {
		w := math.Sqrt(float64(k + 1)) // a pluck shows in the treble first
		grown += w * math.Max(0, v-strumGrows*before[k])
		all += w * before[k]
	}
	if grown > strumRises*all {
		e.struck = e.next + strumShort/2
	}
}

// judge compares the spectra before a stroke, at it and after a while.
func (e *StrumEar) judge() Rung {
	before := e.power(e.struck - strumSize)
	first := e.power(e.struck)
	late := e.power(e.struck + strumLate - strumSize)
	began, left := 1e-12, 1e-12
	for k := range first {
		if first[k] > strumFirst*before[k] {
			began += first[k]
			if late[k] > strumNew*before[k] {
				left += late[k]
			}
		}
	}
	db := 10 * math.Log10(left/began)
	return Rung{db > strumLeft, math.Max(-60, math.Min(0, db))}
}

// power is the power spectrum of strumSize samples from one on.
func (e *StrumEar) power(sample int) []float64 {
	x := e.at(sample, strumSize)
	out := make([]float64, strumSize/2+1)
	if x == nil {
		return out
	}
	for i, v := range x {
		e.buf[i] = e.win[i] * v
	}
	e.co = e.fft.Coefficients(e.co, e.buf)
	for k, c := range e.co {
		out[k] = real(c)*real(c) + imag(c)*imag(c) + 1e-12
	}
	return out
}
