// Package neck computes distances on a guitar neck.
//
// All lengths are in millimetres. Positions along the neck are measured from the
// nut; a fret number may be any real number >= 0, because a slide stops a string
// anywhere. L is the scale length, the sounding length of the open string without
// a capo. Non-goals: compensation at the saddle, bent necks, string stretch.
package neck

import "math"

// Neck is the geometry of one guitar.
type Neck struct {
	Scale  float64 // L, mm
	Nut    float64 // first to last string at the nut, mm
	Bridge float64 // first to last string at the bridge, mm
	Frets  int
	// Strings between which the spreads are shared out; 0 stands for six.
	Strings int
}

// InTuneCents is the error either side that counts as in tune under a slide. About
// the smallest mistuning of a single sustained note that most listeners notice.
const InTuneCents = 5.0

// X returns the distance from the nut of fret or slide position n (real, >= 0):
// x = L(1 − 2^(−n/12)), equal temperament on an ideal string.
func (k Neck) X(n float64) float64 { return k.Scale * (1 - math.Exp2(-n/12)) }

// FretAt is the inverse of X, for 0 <= x < L.
func (k Neck) FretAt(x float64) float64 { return -12 * math.Log2(1-x/k.Scale) }

// CentsPerMM returns how many cents one millimetre is worth at position n:
// d/dx of 1200·log2(L/(L−x)), which is 1731.23/(L−x).
func (k Neck) CentsPerMM(n float64) float64 {
	return 1200 / math.Ln2 / (k.Scale - k.X(n))
}

// Window returns the width in mm of the in-tune window (±InTuneCents) at position n.
func (k Neck) Window(n float64) float64 { return 2 * InTuneCents / k.CentsPerMM(n) }

// Spacing returns the distance in mm between adjacent strings at position n: linear from
// the nut spread to the bridge spread, over (strings − 1).
func (k Neck) Spacing(n float64) float64 {
	gaps := 5.0
	if k.Strings > 0 {
		gaps = float64(k.Strings - 1)
	}
	return (k.Nut + (k.Bridge-k.Nut)*k.X(n)/k.Scale) / gaps
}

// Covers returns how many strings, at most so many, a tube of a length in mm lies over at position n.
func (k Neck) Covers(length, n float64, most int) (strings int) {
	for strings < most && k.SlideLength(strings+1, n) <= length {
		strings++
	}
	return strings
}

// SlideLength returns the tube length in mm needed to lie over k strings at position n:
// (k−1) spacings and a margin of a quarter spacing on either side.
func (k Neck) SlideLength(strings int, n float64) float64 {
	return (float64(strings) - 0.5) * k.Spacing(n)
}
