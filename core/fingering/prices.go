package fingering

import "math"

// Prices, in the planner's units; docs/model.md says what each is for. They were found on eighteen arrangements that players fingered.
const (
	placed      = 0.10 // a finger that held nothing comes down
	hopSounding = 0.30 // a finger comes from a place that should sound on, or lets it go
	hopThis     = 0.15 // … from one of this chord
	hopOlder    = 0.03 // … from an older one
	hopSame     = 0.10 // … at most, at the same fret
	offGripHop  = 0.2  // share of these for a place that is not the grip's
	along       = 0.03 // a finger goes along its string where pairs of notes move on the same strings
	alongThin   = 0.12 // … along another than the thickest of them
	leave       = 0.20 // … and leaves a place of this chord
	leaveOff    = 0.2  // share for a place that is not the grip's
	leaveSame   = 0.8  // share at the same fret
	leaveSounds = 0.10 // more if it should sound on
	swap        = 1.0  // a place of this chord is taken from another finger
	swapOlder   = 0.01 // … of an older one
	offGrip     = 0.10 // a finger comes down where no grip that is held has it

	overNeck = 0.2 // a note by the thumb over the neck

	strainUp   = 0.03 // a finger one fret above its own
	strainDown = 0.02 // one below
	strainIdle = 0.13 // … while the finger below it holds nothing

	positionPer  = 0.03 // per fret of the position above the first …
	positionMost = 2    // … at most so many
	indexIdle    = 0.10 // the index holds nothing, above the first position

	shiftFixed, shiftPer = 0.12, 0.12 // a shift, and per fret, in a usual time
	usualTime            = 0.4        // s
	leastHurry           = 0.3
	mostHurry            = 1.5
	guide                = 0.10 // less if a finger slides along its string

	barFixed, barPer = 0.05, 0.0625 // a bar laid, and per string more than one
	barRoll          = 0.15         // rolled out further
	barLift          = 0.20         // lifted for an open string

	gripWithin = 0.6  // grips so much dearer than the cheapest are looked at
	gripShare  = 0.2  // of what a grip costs more than the cheapest
	gripFinger = 0.05 // a finger that is not there yet
	gripStrain = 2.0
)

// hurry is the weight of a shift in a time.
func hurry(seconds float64) float64 {
	return min(mostHurry, max(leastHurry, usualTime/max(seconds, 1e-3)))
}

// shift is what it costs to move from one position to another.
func (s *search) shift(from, to int8, guided bool) float64 {
	if from == 0 || from == to {
		return 0
	}
	cost := s.hurry * (shiftFixed + shiftPer*math.Abs(float64(to-from)))
	if guided {
		cost -= guide
	}
	return cost
}

// slid reports whether a finger goes along its string by just the way of the hand.
func slid(from, to Place, way int) bool {
	return way != 0 && from != 0 && from.String() == to.String() && to.Fret()-from.Fret() == way
}

// barCost is that of a bar laid over so many strings.
func barCost(strings int) float64 {
	if strings < 2 {
		return 0
	}
	return barFixed + barPer*float64(strings-1)
}

// How many frets above and below its own, by its number, a finger reaches in a position.
const above = 1

var below = [...]int8{1: 0, 2: 1, 3: 2, 4: 2}

// reach is how far above its own fret finger f lies in a position; ok is false if it does not reach there.
func reach(f int, p Place, pos int8) (d int, ok bool) {
	if f == thumb {
		return 0, true
	}
	d = p.Fret() - int(pos) - (f - 1)
	return d, d >= -int(below[f]) && d <= above
}

// strain of finger f, which lies d frets from its own.
func strain(h *state, f, d int) float64 {
	switch {
	case d > 0:
		return strainUp
	case d < 0 && f > 1 && h.at[f-1] == 0:
		return strainDown + strainIdle
	case d < 0:
		return strainDown
	}
	return 0
}
