package take

import (
	"cmp"
	"math"
	"slices"

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
	surelyNone  = 0.55 // a normalised difference over which there is no pitch: noise as strong as the note gives 0.5, noise alone 0.75
	dipsNear    = 0.1  // of all dips so near the least the first is taken: the others are its multiples
	mostDips    = 6    // of a frame
	quietRMS    = 0.001
	leapCost    = 0.35 // what a leap of an octave from one point to the next costs, as a difference; more costs no more
	octaveDown  = 0.09 // what a pitch costs more than one an octave higher
	begun       = 0.1  // what it costs that a pitch begins, or ends
)

// Track follows the pitch of a single line by YIN (de Cheveigné and Kawahara 2002), a hundred points a second: the lag
// at which the signal differs least from itself, by the cumulative mean normalised difference, its place refined by a
// parabola. Of the dips of each point those are taken that lead on from one to the next (Viterbi; as Mauch and Dixon
// 2014). Of several notes at once it takes one, with little certainty.
func (s *Signal) Track() []Point {
	y := newYin(lowestHz)
	var frames [][]dip
	var at []int
	for a := 0; a+trackSize <= len(s.Samples); a += trackHop {
		frames, at = append(frames, slices.Clone(y.dips(s.Samples[a:a+trackSize]))), append(at, a)
	}
	out := make([]Point, len(frames))
	for i, d := range smoothest(frames) {
		hz, sure := d.pitch()
		out[i] = Point{At: (float64(at[i]) + trackWindow/2 + 0.5*math.Min(trackWindow, Rate/math.Max(hz, 100))) / Rate, Hz: hz, Sure: sure}
	}
	return out
}

// dip is a lag at which a signal is like itself, and how much it differs there; lag 0 is no pitch.
type dip struct{ lag, diff float64 }

// cost is what it costs to take a dip: of those that differ as much the shortest lag is the pitch, the others are its
// multiples.
func (d dip) cost() float64 { return d.diff + octaveDown*math.Log2(d.lag) }

// pitch is the pitch of a dip, and how sure it is.
func (d dip) pitch() (hz, sure float64) {
	if d.lag == 0 {
		return 0, 0
	}
	return Rate / d.lag, math.Max(0, 1-d.diff)
}

// smoothest is one dip of each frame, or none, so that they differ and leap least in all.
func smoothest(frames [][]dip) []dip {
	const none = mostDips
	type step [mostDips + 1]int8
	from := make([]step, len(frames))
	var cost, next [mostDips + 1]float64
	var was []dip
	for t, dips := range frames {
		for i := range next {
			next[i] = math.Inf(1)
			if i < none && i >= len(dips) {
				continue
			}
			own := dip{Rate / lowestHz, surelyNone}.cost()
			if i < none {
				own = dips[i].cost()
			}
			for k := range cost {
				if t > 0 && k < none && k >= len(was) || t == 0 && k != i {
					continue
				}
				v := cost[k] + own
				switch {
				case (i == none) != (k == none):
					v += begun
				case i < none:
					if t > 0 {
						v += leapCost * math.Min(1, 2*math.Abs(math.Log2(dips[i].lag/was[k].lag)))
					}
				}
				if v < next[i] {
					next[i], from[t][i] = v, int8(k)
				}
			}
		}
		cost, was = next, dips
	}
	out := make([]dip, len(frames))
	best := none
	for i := range cost {
		if cost[i] < cost[best] {
			best = i
		}
	}
	for t := len(frames) - 1; t >= 0; t-- {
		if best < none {
			out[t] = frames[t][best]
		}
		best = int(from[t][best])
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
	found   []dip
}

// newYin hears pitches down to lowest Hz.
func newYin(lowest float64) *yin {
	longest := int(Rate/lowest) + 2
	return &yin{fft: fourier.NewFFT(trackSize), a: make([]float64, trackSize), b: make([]float64, trackSize),
		diff: make([]float64, longest+1), longest: longest}
}

// pitch of trackSize samples: the first dip of those near the least.
func (y *yin) pitch(samples []float32) (hz, sure float64) {
	dips := y.dips(samples)
	least := math.Inf(1)
	for _, d := range dips {
		least = math.Min(least, d.diff)
	}
	for _, d := range dips {
		if d.diff <= least+dipsNear && d.diff < surelyNone {
			return d.pitch()
		}
	}
	return 0, 0
}

// dips are the deepest dips of trackSize samples, by their lags; it is good until the next call.
func (y *yin) dips(samples []float32) []dip {
	y.found = y.found[:0]
	x := y.x[:]
	for i := range x {
		x[i] = float64(samples[i])
	}
	energy := 0.0
	for _, v := range x[:trackWindow] {
		energy += v * v
	}
	if math.Sqrt(energy/trackWindow) < quietRMS {
		return nil
	}
	y.differ(x, energy)
	for lag := int(Rate / highestHz); lag < y.longest; lag++ {
		l, m, r := y.diff[lag-1], y.diff[lag], y.diff[lag+1]
		if m > l || m > r || m > 1 {
			continue
		}
		exact := float64(lag)
		if l+r-2*m > 0 {
			exact += 0.5 * (l - r) / (l + r - 2*m)
		}
		y.found = append(y.found, dip{exact, m})
	}
	if len(y.found) > mostDips {
		slices.SortFunc(y.found, func(a, b dip) int { return cmp.Compare(a.cost(), b.cost()) })
		y.found = y.found[:mostDips]
		slices.SortFunc(y.found, func(a, b dip) int { return cmp.Compare(a.lag, b.lag) })
	}
	return y.found
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
