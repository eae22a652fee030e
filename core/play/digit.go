package play

import "strings"

// Digit is a digit of the picking hand, by its letter; "" is none.
type Digit string

// The digits. The little finger only damps.
const (
	P Digit = "p" // thumb
	I Digit = "i" // index
	M Digit = "m" // middle
	A Digit = "a" // ring
	C Digit = "c" // little
)

// NoDigit is, in pins, that the fretting hand sounds the note.
const NoDigit Digit = "-"

// Digits are all of them, in the order in which they lie: each over thinner strings than the one before.
var Digits = [...]Digit{P, I, M, A, C}

// Number is d's place among Digits; len(Digits) if it is none of them.
func (d Digit) Number() int {
	for n, x := range Digits {
		if x == d {
			return n
		}
	}
	return len(Digits)
}

// Damper is what silences a string: a digit, a finger of the fretting hand, or one of the others below.
type Damper string

// The dampers next to digits and single fingers. What percussion silences is named by it.
const (
	ByHeel     Damper = "heel"
	ByTrailing Damper = "trailing" // the fingers behind the slide
	ByFinger   Damper = "finger"   // in pins: any finger of the fretting hand on or beside the strings
	ByOver     Damper = "over"     // in pins: its thumb over the neck
	ByTilt     Damper = "tilt"     // of a lap-style bar
)

// Dampers are those that a pin can name.
var Dampers = []Damper{ByHeel, Damper(P), Damper(I), Damper(M), Damper(A), Damper(C), ByTrailing, ByFinger, ByOver, ByTilt}

const fingerPrefix = "finger "

// DampedBy is the damper that finger "1" … "4" is, or "T", the thumb over the neck.
func DampedBy(finger string) Damper { return Damper(fingerPrefix + finger) }

// Finger returns which finger of the fretting hand d is; ok is false if it is none.
func (d Damper) Finger() (finger string, ok bool) { return strings.CutPrefix(string(d), fingerPrefix) }

// Digit returns which digit d is; ok is false if it is none.
func (d Damper) Digit() (digit Digit, ok bool) {
	digit = Digit(d)
	return digit, digit.Number() < len(Digits)
}

// Kind is the name that a pin uses for d.
func (d Damper) Kind() Damper {
	switch f, ok := d.Finger(); {
	case ok && f == "T":
		return ByOver
	case ok:
		return ByFinger
	}
	return d
}
