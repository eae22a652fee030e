package fingering

import "math"

// Prices of fingers, in the planner's units; docs/model.md says what each is for. They were found on eighteen arrangements that players fingered.
type Prices struct {
	Placed      float64 // a finger that held nothing comes down
	HopSounding float64 // a finger comes from a place that should sound on, or lets it go
	HopThis     float64 // … from one of this chord
	HopOlder    float64 // … from an older one
	HopSame     float64 // … at most, at the same fret
	OffGripHop  float64 // share of these for a place that is not the grip's
	Along       float64 // a finger goes along its string where pairs of notes move on the same strings
	AlongThin   float64 // … along another than the thickest of them
	Leave       float64 // … and leaves a place of this chord
	LeaveOff    float64 // share for a place that is not the grip's
	LeaveSame   float64 // share at the same fret
	LeaveSounds float64 // more if it should sound on
	Swap        float64 // a place of this chord is taken from another finger
	SwapOlder   float64 // … of an older one
	OffGrip     float64 // a finger comes down where no grip that is held has it

	OverNeck float64 // a note by the thumb over the neck

	StrainUp   float64 // a finger one fret above its own
	StrainDown float64 // one below
	StrainIdle float64 // … while the finger below it holds nothing

	PositionPer float64 // per fret of the position above the first, at most positionMost
	IndexIdle   float64 // the index holds nothing, above the first position

	ShiftFixed, ShiftPer float64 // a shift, and per fret, in the usual time
	Guide                float64 // less if a finger slides along its string

	BarFixed, BarPer float64 // a bar laid, and per string more than one
	BarRoll          float64 // rolled out further
	BarLift          float64 // lifted for an open string

	GripShare  float64 // of what a grip costs more than the cheapest
	GripFinger float64 // a finger that is not there yet
	GripStrain float64 // times its strain
}

// InForce are the prices that fingers are found with.
var InForce = Prices{
	Placed:      0.10,
	HopSounding: 0.30,
	HopThis:     0.15,
	HopOlder:    0.03,
	HopSame:     0.10,
	OffGripHop:  0.2,
	Along:       0.03,
	AlongThin:   0.12,
	Leave:       0.20,
	LeaveOff:    0.2,
	LeaveSame:   0.8,
	LeaveSounds: 0.10,
	Swap:        1.0,
	SwapOlder:   0.01,
	OffGrip:     0.10,

	OverNeck: 0.2,

	StrainUp:   0.03,
	StrainDown: 0.02,
	StrainIdle: 0.13,

	PositionPer: 0.03,
	IndexIdle:   0.10,

	ShiftFixed: 0.12,
	ShiftPer:   0.12,
	Guide:      0.10,

	BarFixed: 0.05,
	BarPer:   0.0625,
	BarRoll:  0.15,
	BarLift:  0.20,

	GripShare:  0.2,
	GripFinger: 0.05,
	GripStrain: 2.0,
}

// Limits that no price moves.
const (
	positionMost = 2   // frets of a position that cost more each
	usualTime    = 0.4 // s
	leastHurry   = 0.3
	mostHurry    = 1.5
	gripWithin   = 0.6 // grips so much dearer than the cheapest are looked at
	unlike       = 0.1 // a finger other than the one that took the same note where the music was the same, see Moment.Like
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
	cost := s.hurry * (s.price.ShiftFixed + s.price.ShiftPer*math.Abs(float64(to-from)))
	if guided {
		cost -= s.price.Guide
	}
	return cost
}

// slid reports whether a finger goes along its string by just the way of the hand.
func slid(from, to Place, way int) bool {
	return way != 0 && from != 0 && from.String() == to.String() && to.Fret()-from.Fret() == way
}

// bar is that of a bar laid over so many strings.
func (c *Prices) bar(strings int) float64 {
	if strings < 2 {
		return 0
	}
	return c.BarFixed + c.BarPer*float64(strings-1)
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
func (c *Prices) strain(h *state, f, d int) float64 {
	switch {
	case d > 0:
		return c.StrainUp
	case d < 0 && f > 1 && h.at[f-1] == 0:
		return c.StrainDown + c.StrainIdle
	case d < 0:
		return c.StrainDown
	}
	return 0
}
