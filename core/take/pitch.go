package take

import (
	"math"

	"gonum.org/v1/gonum/dsp/fourier"
)

// Point is the pitch at a time: Hz 0 where there is none; Sure from 0 to 1.
type Point struct {
	At   float64 `json:"at"` // seconds, the middle of what was listened to
	Hz   float64 `json:"hz"`
	Sure float64 `json:"sure"`
}

// Of the pitch track: frames, and pitches from below a guitar's lowest string to the highest notes under a slide.
const (
	trackHop    = Rate / 100
	trackWindow = 1024
	trackSize   = 2048 // a window and the longest lag
	lowestHz    = 60.0
	highestHz   = 1600.0
	dipUnder    = 0.15 // a normalised difference under which the first dip is taken
	surelyNone  = 0.4  // over which there is no pitch
	quietRMS    = 0.001
)

// Track follows the pitch of a single line by YIN (de Cheveigné and Kawahara 2002), a hundred points a second:
// the lag at which the signal differs least from itself, by the cumulative mean normalised difference, its
// place refined by a parabola. Of several notes at once it takes one, with little certainty.
func (s *Signal) Track() []Point {
	y := newYin(lowestHz)
	var out []Point
	for at := 0; at+trackSize <= len(s.Samples); at += trackHop {
		hz, sure := y.pitch(s.Samples[at : at+trackSize])
		out = append(out, Point{At: (float64(at) + trackWindow/2 + 0.5*math.Min(trackWindow, Rate/math.Max(hz, 100))) / Rate, Hz: hz, Sure: sure})
	}
	return out
}

type yin struct {
	fft     *fourier.FFT
	a, b    []float64
	fa, fb  []complex128
	diff    []float64
	longest int
	x       [trackSize]float64
}

// newYin hears pitches down to lowest Hz.
func newYin(lowest float64) *yin {
	longest := int(Rate/lowest) + 2
	return &yin{fft: fourier.NewFFT(trackSize), a: make([]float64, trackSize), b: make([]float64, trackSize),
		diff: make([]float64, longest+1), longest: longest}
}

// pitch of trackSize samples.
func (y *yin) pitch(samples []float32) (hz, sure float64) {
	x := y.x[:]
	for i := range x {
		x[i] = float64(samples[i])
	}
	energy := 0.0
	for _, v := range x[:trackWindow] {
		energy += v * v
	}
	if math.Sqrt(energy/trackWindow) < quietRMS {
		return 0, 0
	}
	y.differ(x, energy)
	lag := y.dip()
	if lag == 0 || y.diff[lag] > surelyNone {
		return 0, 0
	}
	exact := float64(lag)
	if l, m, r := y.diff[lag-1], y.diff[lag], y.diff[lag+1]; l+r-2*m > 0 {
		exact += 0.5 * (l - r) / (l + r - 2*m)
	}
	return Rate / exact, math.Max(0, 1-y.diff[lag])
}

// differ fills diff with the cumulative mean normalised difference of the first window against itself at each
// lag, by way of the correlation.
func (y *yin) differ(x []float64, energy float64) {
	copy(y.a, x[:trackWindow])
	clear(y.a[trackWindow:])
	y.fa = y.fft.Coefficients(y.fa, y.a)
	y.fb = y.fft.Coefficients(y.fb, x)
	for i := range y.fa {
		y.fb[i] *= complex(real(y.fa[i]), -imag(y.fa[i]))
	}
	y.b = y.fft.Sequence(y.b, y.fb)
	moved, sum := energy, 0.0
	y.diff[0] = 1
	for lag := 1; lag <= y.longest; lag++ {
		moved += x[lag+trackWindow-1]*x[lag+trackWindow-1] - x[lag-1]*x[lag-1]
		d := math.Max(0, energy+moved-2*y.b[lag]/trackSize)
		sum += d
		y.diff[lag] = 1
		if sum > 0 {
			y.diff[lag] = d * float64(lag) / sum
		}
	}
}

// dip is the first lag at which diff has a minimum under dipUnder, else the least of all; 0 if there is none.
func (y *yin) dip() int {
	best := 0
	for lag := int(Rate / highestHz); lag < y.longest; lag++ {
		if y.diff[lag] > y.diff[lag-1] || y.diff[lag] > y.diff[lag+1] {
			continue
		}
		if y.diff[lag] < dipUnder {
			return lag
		}
		if best == 0 || y.diff[lag] < y.diff[best] {
			best = lag
		}
	}
	return best
}
