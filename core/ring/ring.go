// Package ring judges unwanted sound: how strongly a string that should be silent
// is heard, and which dampers a school of silence allows.
package ring

import (
	"math"
	"math/bits"

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

// Between returns strings a … b, in either order of thickness.
func Between(a, b int) Strings { return From(min(a, b)) & Upto(max(a, b)) }

// Len returns how many strings are in the set.
func (m Strings) Len() int { return bits.OnesCount8(uint8(m)) }

// School says which dampers may be used, and whether unwanted ringing matters at all.
type School struct {
	Heel, ThumbRest, Trailing, Stops bool
	Rests                            bool // i, m, a rest on strings of their own between notes
	Little                           bool // the picking hand's little finger may lie on a string
	Tilt                             bool // a lap-style bar tilted off or onto a string
	Cares                            bool
}

// SchoolOf returns the school of a profile.
func SchoolOf(p player.Profile) School {
	return School{
		Heel: p.UsesHeel(), ThumbRest: p.UsesThumbRest(), Trailing: p.UsesTrailing(), Stops: p.UsesStops(), Rests: p.UsesRests(),
		Little: p.UsesStops() && p.Support != player.Planted, Tilt: p.Lap(), Cares: p.Silence != player.Ring,
	}
}

// RingTime is the time in seconds after which a plucked string at pitch p has fallen to
// 1/e of its amplitude: 3·√(100 Hz / f), kept within 0.6 … 4 s. Plucked steel strings on
// wooden guitars fall about so, low ones slower; single guitars differ by half as much again.
func RingTime(p pitch.Pitch) float64 {
	return math.Min(4, math.Max(0.6, 3*math.Sqrt(100/p.Hertz(440))))
}

// Strength is the share of its first amplitude, 0 … 1, that a string at pitch p still has
// the given seconds after it was struck: exp(−t/RingTime), 0 below Inaudible.
func Strength(p pitch.Pitch, seconds float64) float64 {
	return audible(math.Exp(-math.Max(seconds, 0) / RingTime(p)))
}

// Inaudible is the amplitude, as a share of the note being played, below which an unwanted
// string counts as silent: 30 dB under it.
const Inaudible = 0.0316

func audible(s float64) float64 {
	if s < Inaudible {
		return 0
	}
	return s
}

// Amplitudes of strings that nothing plucked, as shares of a plucked note; our estimates.
const (
	Swept       = 0.4  // a neighbour caught by a brush or flick
	Sympathetic = 0.12 // a string all of whose overtones agree
)

// Decibels turns a share of the note's amplitude, 0 < s, into dB relative to the note.
func Decibels(s float64) float64 { return 20 * math.Log10(s) }

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
