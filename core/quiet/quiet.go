// Package quiet judges unwanted sound: how strongly a string that should be silent
// is heard, and which dampers a school of silence allows.
package quiet

import (
	"math"

	"stepping/core/pitch"
	"stepping/core/player"
)

// Strings is a set of strings; bit s-1 is string s.
type Strings uint8

// Of returns the set that holds just string s, 1 … 6; the empty set for 0.
func Of(s int) Strings {
	if s == 0 {
		return 0
	}
	return 1 << (s - 1)
}

// Upto returns strings 1 … s.
func Upto(s int) Strings { return 1<<s - 1 }

// From returns strings s … 6.
func From(s int) Strings { return 0b111111 &^ Upto(s-1) }

// Has reports whether s is in the set.
func (m Strings) Has(s int) bool { return m&Of(s) != 0 }

// Heel returns the strings under the heel of the hand when it lies over n strings,
// counted from string 6 inward.
func Heel(n int) Strings { return From(7 - n) }

// School says which dampers may be used, and whether unwanted ringing matters at all.
type School struct {
	Heel, ThumbRest, Trailing, Stops bool
	Cares                            bool
}

// SchoolOf returns the school of a profile.
func SchoolOf(p player.Profile) School {
	return School{
		Heel: p.UsesHeel(), ThumbRest: p.UsesThumbRest(), Trailing: p.UsesTrailing(),
		Stops: p.UsesStops(), Cares: p.Silence != player.Ring,
	}
}

// ringTime is the time in seconds after which a plucked string has fallen to 1/e of
// its amplitude. Acoustic strings lie between 0.5 s (high) and 4 s (low); one middle
// figure serves all six, an approximation.
const ringTime = 2.0

// Strength is the share of its first amplitude, 0 … 1, that a string still has the
// given seconds after it was struck: exp(−t/ringTime).
func Strength(seconds float64) float64 { return math.Exp(-seconds / ringTime) }

// Partials compared when judging sympathetic ringing, and how near in cents two of
// them must lie to feed each other.
const (
	partials      = 6
	partialsAgree = 15.0
)

// Sympathy is how strongly an open string at pitch open rings along with a note at
// pitch sounding, 0 … 1: every pair of partials i of the string and j of the note
// that agree within partialsAgree cents adds 1/(i·j), capped at 1.
// Partials of stiff strings are sharp of whole multiples; that is left out.
func Sympathy(open, sounding pitch.Pitch) float64 {
	sum := 0.0
	for i := 1; i <= partials; i++ {
		for j := 1; j <= partials; j++ {
			gap := float64(open-sounding) + partialCents[i] - partialCents[j]
			if math.Abs(gap) <= partialsAgree {
				sum += 1 / float64(i*j)
			}
		}
	}
	return math.Min(sum, 1)
}

var partialCents = func() (c [partials + 1]float64) {
	for i := 1; i <= partials; i++ {
		c[i] = 1200 * math.Log2(float64(i))
	}
	return c
}()
