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

// Of a pluck: the lowest pitch that a slack string has, how much longer than a frame after its onset is listened to at least, the partials that tell the pitch, and how far apart the two frames lie by whose phases it is told.
const (
	slackestHz    = 35.0
	pluckPartials = 4
	pluckReach    = 45.0 // cents around the rough pitch
	pluckApart    = 480  // samples: 20 ms
	pluckTwice    = 480  // samples
	pluckRise     = 4.0  // an onset is where it is so many times louder than just before
	pluckStep     = 720  // samples in which loudness is told
)

// ListenTo tells the pitch of a string at the end of the samples, at Rate, at least 2,500 of them: half a second is enough. It is rough 0.15 s after the pluck and within a cent 0.3 s after it.
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

// Peg is a string on its way from one pitch to another, in Hz.
type Peg struct{ From, To float64 }

// Of which string was plucked: how far in cents beside its way a string may lie, and how near to an octave beside its goal one that was tuned to the wrong octave.
const (
	besidesWay    = 250.0
	besidesOctave = 80.0
)

// Which tells which of the strings was plucked at a pitch, counted from 0, and by how many octaves too high or too low it is tuned: the one that is being turned, whose index is turning, if the pitch lies on its way; else the nearest; -1 if
// none is near.
func Which(hz float64, pegs []Peg, turning int) (string, octaves int) {
	off := func(p Peg) float64 { // from its way
		low, high := math.Min(p.From, p.To), math.Max(p.From, p.To)
		return math.Max(0, math.Max(cents(low, hz), cents(hz, high)))
	}
	best := -1
	for i, p := range pegs {
		if d := off(p); d <= besidesWay && (best < 0 || d < off(pegs[best])) {
			best = i
		}
	}
	if turning >= 0 && turning < len(pegs) {
		p := pegs[turning]
		if best >= 0 && off(p) <= off(pegs[best]) {
			return turning, 0
		}
		for _, o := range []int{-1, 1} {
			if best < 0 && math.Abs(cents(hz, p.To*math.Exp2(float64(o)))) <= besidesOctave {
				return turning, o
			}
		}
	}
	return best, 0
}

// cents is by how much a lies above b.
func cents(a, b float64) float64 { return 1200 * math.Log2(a/b) }
