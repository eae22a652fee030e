package take

import (
	"math"
	"slices"
)

// Pluck is the pitch of one string that has just been plucked.
type Pluck struct {
	Hz   float64
	Sure float64 // 0 to 1; under SureOf the pitch is not to be shown
}

// Of a pluck: the lowest pitch that a slack string has, how much longer than a frame after its onset is
// listened to at least, the partials that tell the pitch, and how far apart the two frames lie by whose phases
// it is told.
const (
	slackestHz    = 35.0
	pluckPartials = 4
	pluckReach    = 45.0 // cents around the rough pitch
	pluckApart    = 480  // samples: 20 ms
	pluckTwice    = 480  // samples
	pluckRise     = 4.0  // an onset is where it is so many times louder than just before
	pluckStep     = 720  // samples in which loudness is told
)

// ListenTo tells the pitch of a string at the end of the samples, at Rate, at least 2,500 of them: half a
// second is enough. It is rough 0.15 s after the pluck and within a cent 0.3 s after it.
func ListenTo(samples []float32) Pluck {
	x := slices.Clone(samples)
	highPass(x)
	x = x[lastOnset(x):]
	if len(x) < trackSize {
		return Pluck{}
	}
	hz, sure := newYin(slackestHz).pitch(x[len(x)-trackSize:])
	if hz == 0 {
		return Pluck{}
	}
	m := newMeter(x)
	var own []partial
	for k := 1; k <= pluckPartials; k++ {
		own = append(own, partial{k, hz * float64(k) * (math.Exp2(pluckReach/1200) - 1)})
	}
	for _, frame := range []int{longFrame, shortFrame} {
		var cents []float64
		for at := len(x) - frame - pluckApart; at >= 0 && len(cents) < 3; at -= pluckTwice {
			if c, ok := m.apart(at, frame, pluckApart, hz, own); ok {
				cents = append(cents, c)
			}
		}
		if len(cents) > 0 {
			return Pluck{hz * math.Exp2(middle(cents)/1200), sure}
		}
	}
	return Pluck{hz, sure / 2}
}

// lastOnset is where the last pluck begins that is in the samples, 0 if they are all of one.
func lastOnset(x []float32) int {
	before, at := math.Inf(1), 0
	for i := 0; i+pluckStep <= len(x); i += pluckStep {
		loud := 1e-9
		for _, v := range x[i : i+pluckStep] {
			loud += float64(v) * float64(v)
		}
		if loud > pluckRise*pluckRise*before {
			at = i + pluckStep
		}
		before = loud
	}
	return at
}

// cents is by how much a lies above b.
func cents(a, b float64) float64 { return 1200 * math.Log2(a/b) }
