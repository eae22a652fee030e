package view

import (
	"fmt"
	"strings"

	"stepping/core/grip"
	"stepping/core/neck"
	"stepping/core/pitch"
	"stepping/core/tuning"
)

// SmallNeck is a stretch of a neck as small as it can be read, true to scale, string 1 on top. Lengths are drawing units.
type SmallNeck struct {
	Width, Height float64
	Left          float64 // where the strings begin
	Frets         []smallFret
	Strings       []smallString
	Dots          []smallDot
	Bars          []smallBar
	Words         string // what it shows
}

type smallFret struct {
	X    float64
	Nut  bool
	Text string
}

type smallString struct {
	Y    float64
	Text string // before the nut
}

type smallDot struct {
	X, Y float64
	Text string
	Open bool // on the nut
}

// smallBar is a chord that a straight bar gives.
type smallBar struct {
	X    float64
	Text string
	Home bool
}

// Sizes of small necks.
const (
	smallLeft   = 26.0 // before the nut
	smallTop    = 12.0
	smallGap    = 12.0
	smallFoot   = 20.0
	smallGripW  = 150.0
	smallHomeW  = 300.0
	smallHome   = 12  // frets
	smallGripMM = 130 // of the neck
)

// fromCapo measures the frets of a neck in mm from its capo, which takes the place of the nut.
func fromCapo(k neck.Neck, capo int) func(fret int) float64 {
	return func(fret int) float64 { return k.X(float64(fret+capo)) - k.X(float64(capo)) }
}

// newSmallNeck draws a neck from left to right, mm from the nut or capo, as wide as given; x is where its frets lie.
func newSmallNeck(k neck.Neck, capo int, left, right, width float64) (v SmallNeck, x func(fret int) float64) {
	scale := (width - smallLeft - 8) / (right - left)
	at := fromCapo(k, capo)
	x = func(fret int) float64 { return smallLeft + (at(fret)-left)*scale }
	v = SmallNeck{Width: width, Left: smallLeft, Height: smallTop + 5*smallGap + smallFoot + smallTop}
	for f := 0; f+capo <= k.Frets && at(f) <= right+1; f++ {
		if at(f) >= left-1 {
			v.Frets = append(v.Frets, smallFret{X: x(f), Nut: f == 0, Text: FretNumber(f)})
		}
	}
	for s := 1; s <= tuning.Strings; s++ {
		v.Strings = append(v.Strings, smallString{Y: smallY(s)})
	}
	return v, x
}

func smallY(s int) float64 { return smallTop + smallGap*float64(s-1) }

// NewSmallGrip draws a grip: where fingers lie and which, what is open (0) and what is left out (×).
func NewSmallGrip(t grip.Guitar, g *grip.Grip) SmallNeck {
	k := t.Player.Neck()
	at := fromCapo(k, t.Capo)
	lo, hi := 99, 0
	for s := 1; s <= tuning.Strings; s++ {
		if f := g.Frets[s] - t.Capo; g.Frets[s] != grip.Out && f > 0 {
			lo, hi = min(lo, f), max(hi, f)
		}
	}
	if lo > hi {
		lo = 1
	}
	left := at(lo - 1)
	v, x := newSmallNeck(k, t.Capo, left, max(at(hi)+4, left+smallGripMM), smallGripW)
	v.Words = GripText(t, g)
	for s := 1; s <= tuning.Strings; s++ {
		switch f := g.Frets[s] - t.Capo; {
		case g.Frets[s] == grip.Out:
			v.Strings[s-1].Text = "×"
		case f == 0:
			v.Strings[s-1].Text = "0"
		default:
			v.Dots = append(v.Dots, smallDot{X: (x(f-1) + x(f)) / 2, Y: smallY(s), Text: grip.FingerName(g.Fingers[s])})
		}
	}
	return v
}

// NewHomePicture draws where home is in a tuning: the tonic of a key on every string up to fret 12 from the
// capo, the names of the open strings, and where a straight bar gives the chords on the first, fourth and fifth
// degree.
func NewHomePicture(t tuning.Tuning, capo int, key pitch.Note, k neck.Neck) SmallNeck {
	v, x := newSmallNeck(k, capo, -6, fromCapo(k, capo)(smallHome)+6, smallHomeW)
	words := []string{"open strings " + t.Classes()}
	for s := 1; s <= tuning.Strings; s++ {
		v.Strings[s-1].Text = t.Note(s).ClassName()
	}
	for _, spot := range tuning.Spots(t, key, tuning.Scale{Steps: []int{0}}, smallHome+capo) {
		f := int(spot.Fret) - capo
		if f < 0 {
			continue
		}
		at := x(0)
		if f > 0 {
			at = (x(f-1) + x(f)) / 2
		}
		v.Dots = append(v.Dots, smallDot{X: at, Y: smallY(spot.String), Open: f == 0})
	}
	for _, b := range tuning.HomeBars(t, key, smallHome+capo) {
		if b.Fret >= capo {
			v.Bars = append(v.Bars, smallBar{X: x(b.Fret - capo), Text: b.Degree, Home: b.Degree == "I"})
			words = append(words, fmt.Sprintf("%s under a bar at fret %d", b.Degree, b.Fret-capo))
		}
	}
	if len(v.Bars) == 0 {
		words = append(words, "no straight bar gives a simple chord")
	}
	v.Words = strings.Join(words, "; ")
	return v
}
