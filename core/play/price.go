package play

import (
	"fmt"
	"math"
)

// kinds say what a plan becomes where one kind of cost grows.
var kinds = [terms]string{
	Shift: "harder", Stretch: "harder", Land: "harder", Place: "harder", StringMove: "harder", Tone: "less fitting in tone",
	Intonation: "harder to hit",
	Clash:      "harsher", Pattern: "less steady in the thumb", Hand: "harder for the picking hand", Leak: "noisier",
	Damping: "harder to damp", School: "less your way",
}

// How large a difference of cost is, in words: below each, in units of cost. A slide set down once more costs about 0.4.
const (
	hardly   = 0.1
	aLittle  = 0.5
	clearly  = 1.5
	leastFig = 0.005 // half of the last digit written
)

// Priced says in words what a difference of cost is to a player, with the figure behind: "a little harder, +0.38".
func Priced(extra float64) string {
	if extra <= -leastFig {
		return fmt.Sprintf("%s easier, %+.2f", howMuch(extra), extra)
	}
	return PricedBy(extra, Shift)
}

// PricedBy is Priced for what costs more mostly by one term: "clearly noisier, +0.82".
func PricedBy(extra float64, most Term) string {
	switch {
	case math.Abs(extra) < leastFig:
		return "as good"
	case extra < 0:
		return fmt.Sprintf("%s better, %+.2f", howMuch(extra), extra)
	}
	return fmt.Sprintf("%s %s, %+.2f", howMuch(extra), kinds[most], extra)
}

func howMuch(extra float64) string {
	switch x := math.Abs(extra); {
	case x < hardly:
		return "hardly"
	case x < aLittle:
		return "a little"
	case x < clearly:
		return "clearly"
	}
	return "much"
}
