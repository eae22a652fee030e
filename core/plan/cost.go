package plan

import (
	"math"

	"stepping/core/play"
)

// tally adds up a cost; by, if not nil, takes it by term too. The search wants the sum
// alone, the reasons want the terms, and both must come from the same lines.
type tally struct {
	sum float64
	by  *play.Terms
}

func (y *tally) add(t play.Term, x float64) {
	x = play.Exact(x)
	y.sum += x
	if y.by != nil {
		y.by[t] += x
	}
}

// Limits that are not fitted.
const (
	leapFree     = 180.0 // mm that the hand moves within sight of where it was: about an octave's half
	glideMost    = 7     // half steps that a note carries
	scoopFrets   = 1     // a glide into a note begins this many frets away
	freeTrailing = 3     // strings that trailing fingers may lie across next to a playing thumb
)

// overTime is the convex cost of a movement that needs need seconds when avail are there.
func (w *Weights) overTime(need, avail float64) float64 {
	r := need / max(avail, 1e-3)
	late := max(0, r-1)
	return w.Shift*r*r + w.Late*late*late
}

var inf = math.Inf(1)
