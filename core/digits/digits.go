// Package digits knows the digits of the picking hand: where each lives, what it costs to pluck
// away from there, and what it costs to pluck with one digit after another.
//
// A digit is named by its number, its place in play.Digits: 0 for p, 1 for i and so on. A set of
// digits is a mask with bit n for digit n. Costs are in the planner's unit (docs/model.md) and
// exact multiples of play.Grid, times are seconds.
package digits

import (
	"math/bits"

	"stepping/core/play"
)

// Numbers of the digits, as in play.Digits. None is no digit.
const (
	P = iota
	I
	M
	A
	C
	Count
	None = Count
)

// TapBit of a mask is set while the hand taps on the neck.
const TapBit = 4

// Weights of the picking hand, all judgement. Each is in docs/model.md.
const (
	wRepeat     = 0.5  // · (restrike / time)² for the same digit
	wAlternate  = 0.1  // · the same for another digit
	wDigitPlace = 0.06 // per string away from the digit's usual one
)

// TapTravel is how long the picking hand takes between bridge and neck, in seconds.
const TapTravel = 0.30

// AlternateShare is the least time between two digits as a share of the time in which one strikes again.
const AlternateShare = 0.5

// UsualString is where digit d lives in a hand of so many fingers next to the thumb: i, m, a on
// strings 3, 2, 1; a lone i on string 2.
func UsualString(fingers, d int) int {
	if fingers == 1 {
		return 2
	}
	return 4 - d
}

// PlaceCost is what it costs that digit d, not the thumb, plucks string str.
func PlaceCost(fingers, d, str int) float64 {
	away := str - UsualString(fingers, d)
	return play.Exact(wDigitPlace * float64(max(away, -away)))
}

// AgainCost is what it costs to pluck with the digits of mask to, since seconds after those of
// from: per digit used again, else for any other, and for the way to the neck or back. restrike is the
// least time in seconds in which one digit plays twice in a row (player.Profile.RestrikeTime).
func AgainCost(restrike float64, from, to uint8, since float64) float64 {
	gap := max(since, 1e-3)
	square := func(need float64) float64 { return need / gap * (need / gap) }
	same, cost := square(restrike), 0.0
	switch common := from & to; {
	case common != 0:
		cost += play.Exact(wRepeat * same * float64(bits.OnesCount8(common)))
	case from != 0:
		cost += play.Exact(wAlternate * same)
	}
	if from != 0 && (from^to)>>TapBit != 0 {
		cost += play.Exact(wRepeat * square(TapTravel))
	}
	return cost
}
