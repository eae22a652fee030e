package play

import (
	"fmt"
	"math"
)

// kinds say what a plan becomes where one kind of cost grows.
var kinds = [terms]string{
	Shift: "harder", Stretch: "harder", Land: "harder", Place: "harder", StringMove: "harder", Tone: "weaker in tone",
	Intonation: "harder to hit",
	Clash:      "harsher", Pattern: "less steady in the thumb", Hand: "harder for the picking hand", Leak: "noisier",
	Damping: "harder to damp", School: "less to your taste",
}

// How large a difference of cost is, in words: below each, in units of cost. A slide set down once more costs about 0.4.
const (
	Hardly  = 0.1
	aLittle = 0.5
	clearly = 1.5
)

// LeastFelt is the least difference of cost that is spoken of: half of the last digit written.
const LeastFelt = 0.005

// Priced says in words what a difference of cost is to a player, with the figure behind: "a little harder, +0.38".
func Priced(extra float64) string {
	if extra <= -LeastFelt {
		if extra > -Hardly {
			return fmt.Sprintf("about as easy, %+.2f", extra)
		}
		return fmt.Sprintf("%s easier, %+.2f", howMuch(extra), extra)
	}
	return PricedBy(extra, Shift)
}

// PricedBy is Priced for what costs more mostly by one term: "clearly noisier, +0.82".
func PricedBy(extra float64, most Term) string {
	if math.Abs(extra) < LeastFelt {
		return Compared(extra, most)
	}
	return fmt.Sprintf("%s, %+.2f", Compared(extra, most), extra)
}

// Compared is PricedBy without the figure.
func Compared(extra float64, most Term) string {
	switch {
	case math.Abs(extra) < LeastFelt:
		return "as good"
	case math.Abs(extra) < Hardly:
		return "about as easy"
	case extra < 0:
		return howMuch(extra) + " better"
	}
	return howMuch(extra) + " " + kinds[most]
}

func howMuch(extra float64) string {
	switch x := math.Abs(extra); {
	case x < aLittle:
		return "a little"
	case x < clearly:
		return "clearly"
	}
	return "much"
}
