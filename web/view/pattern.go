package view

import (
	"slices"
	"strings"

	"stepping/core/pattern"
)

// PatternPicture is a bar of a pattern as it is felt, without a chord: time to the right, the fingers on three
// lines above (the thinnest string on top), the thumb below, lower for the root. Lengths are drawing units.
type PatternPicture struct {
	Width, Height float64
	Beats         []patternBeat
	Fingers       []patternDot
	Thumb         []patternDot
	Hits          []patternDot
	Words         string
}

type patternBeat struct {
	X    float64
	Text string
}

type patternDot struct {
	X, Y   float64
	Strong bool
	Text   string
}

// Sizes of the picture.
const (
	patternWidth  = 336.0
	patternLeft   = 14.0
	patternFinger = 18.0 // between the fingers' lines
	patternTop    = 16.0
	patternThumb  = 84.0 // of the thumb's upper line
	patternRoot   = 104.0
	patternHits   = 128.0
	patternCounts = 150.0
)

// NewPatternPicture draws a pattern.
func NewPatternPicture(p *pattern.Pattern) PatternPicture {
	v := PatternPicture{Width: patternWidth, Height: patternCounts + 8}
	x := func(step int) float64 {
		return patternLeft + (patternWidth-2*patternLeft)*(float64(step)-0.5)/float64(max(p.Steps, 1))
	}
	m, ok := p.Signature()
	each := 1
	if ok {
		each = max(p.Steps/m.Num, 1)
	}
	for i, word := range Counts(p) {
		if i%each == 0 {
			v.Beats = append(v.Beats, patternBeat{x(i + 1), word})
		}
	}
	var words []string
	for i := range p.Beats {
		b := &p.Beats[i]
		for _, f := range b.Fingers {
			v.Fingers = append(v.Fingers, patternDot{X: x(b.Step), Y: patternTop + patternFinger*float64(slices.Index(pattern.FingerRoles, f))})
		}
		if b.Thumb != "" {
			y := patternThumb
			if b.Thumb == "root" || b.Thumb == "arrive" {
				y = patternRoot
			}
			v.Thumb = append(v.Thumb, patternDot{x(b.Step), y, b.Accent, ""})
			words = append(words, b.Thumb)
		}
		if b.Hit != "" {
			v.Hits = append(v.Hits, patternDot{X: x(b.Step), Y: patternHits, Text: b.Hit})
			words = append(words, b.Hit)
		}
		if len(b.Fingers) > 0 {
			words = append(words, strings.Join(b.Fingers, " and "))
		}
	}
	v.Words = strings.Join(words, ", ")
	return v
}
