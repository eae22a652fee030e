package take

import (
	"math"
	"math/cmplx"
)

// Of notes that begin together: the lowest and the highest, as MIDI numbers; how many partials tell each, how much less
// each next one; what share of a partial's worth is lost where it is not there; how many begin at once at most, and what
// share of the first's worth each next has.
const (
	lowestRisen   = 36
	highestRisen  = 90
	risenPartials = 10
	risenLess     = 0.2
	risenMissed   = 0.3
	missedUnder   = 0.12
	risenMost     = 3
	risenShare    = 0.35
	partialNear   = 0.018 // of its frequency
)

// risen are the notes that begin at a time, the surest first, as MIDI numbers, with what each is worth: those whose
// partials grow together.
func (m *meter) risen(at float64) (out []int, worth []float64) {
	on := int(at * Rate)
	if on-riseGap/2-riseFrame < 0 || on+riseGap+riseFrame > len(m.samples) {
		return nil, nil
	}
	was, is := m.transform(on-riseGap/2-riseFrame, riseFrame), m.transform(on+riseGap, riseFrame)
	grown := make([]float64, len(is))
	most := 1e-9
	for i := range is {
		grown[i] = math.Max(0, cmplx.Abs(is[i])-1.1*cmplx.Abs(was[i]))
		most = math.Max(most, grown[i])
	}
	for i := range grown {
		grown[i] = math.Sqrt(grown[i] / most)
	}
	for len(out) < risenMost {
		best, sum := 0, 0.0
		for n := lowestRisen; n <= highestRisen; n++ {
			if v := worthOf(grown, n); v > sum {
				best, sum = n, v
			}
		}
		if best == 0 || len(out) > 0 && sum < risenShare*worth[0] {
			break
		}
		out, worth = append(out, best), append(worth, sum)
		for k := 1; k <= risenPartials; k++ { // what it explains counts no more
			lo, hi := linesNear(best, k)
			for i := lo - 1; i <= hi+1 && i < len(grown); i++ {
				grown[max(i, 0)] *= 0.15
			}
		}
	}
	return out, worth
}

// linesNear are the lines of the transform at which partial k of a note lies.
func linesNear(note, k int) (lo, hi int) {
	f := 440 * math.Exp2(float64(note-69)/12) * float64(k)
	const line = float64(Rate) / riseFrame
	by := math.Max(partialNear*f, 0.6*line)
	return int(math.Round((f - by) / line)), int(math.Round((f + by) / line))
}

// worthOf is how much of what grows are the partials of a note, less what of them does not grow.
func worthOf(grown []float64, note int) (sum float64) {
	for k := 1; k <= risenPartials; k++ {
		lo, hi := linesNear(note, k)
		if hi >= len(grown) {
			break
		}
		top := 0.0
		for i := lo; i <= hi; i++ {
			top = math.Max(top, grown[i])
		}
		w := 1 / (1 + risenLess*float64(k-1))
		sum += w * top
		if top < missedUnder && k <= 6 {
			sum -= w * risenMissed
		}
	}
	return sum
}
