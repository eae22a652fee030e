package view

import (
	"fmt"

	"stepping/core/lick"
	"stepping/core/plan"
	"stepping/core/tuning"
)

// FreeNeck is the neck with the places to improvise from.
type FreeNeck struct {
	Width, Height float64
	Chord         string
	Frets         []FreeFret
	Strings       []float64
	Dots          []FreeDot
}

// FreeFret is a fret's wire, with its number under the place before it.
type FreeFret struct {
	X, NumberX float64
	Number     int
	Nut        bool
}

// FreeDot is a place: Form says whether it is a tone of the chord, a blue note or another of the key.
type FreeDot struct {
	X, Y               float64
	Degree, Form, Text string
}

// Measures of the neck.
const (
	freeWidth  = 900.0
	freeGap    = 34.0
	freeTop    = 22.0
	freeLeft   = 34.0
	freeNumber = 24.0
)

// NewFreeNeck draws what is free at a moment.
func NewFreeNeck(p *plan.Plan, t int) FreeNeck {
	n := FreeNeck{Width: freeWidth, Height: freeTop + (tuning.Strings-1)*freeGap + freeNumber + 16, Chord: p.Moments[t].Chord.Name}
	places, capo := lick.Free(p, t), p.Request.Capo
	last := capo + 5
	for i := range places {
		last = max(last, places[i].Fret+1)
	}
	neck := p.Request.Player.Neck()
	scale := (freeWidth - freeLeft - 10) / neck.X(float64(last-capo))
	x := func(fret int) float64 { return freeLeft + scale*neck.X(float64(fret-capo)) }
	between := func(fret int) float64 {
		if fret == capo {
			return freeLeft / 2
		}
		return (x(fret-1) + x(fret)) / 2
	}
	for f := capo; f <= last; f++ {
		n.Frets = append(n.Frets, FreeFret{x(f), between(f), f, f == capo})
	}
	for s := 1; s <= tuning.Strings; s++ {
		n.Strings = append(n.Strings, freeTop+float64(s-1)*freeGap)
	}
	words := map[lick.Manner]string{lick.UnderBar: "under the bar", lick.InBox: "in the box", lick.InHand: "under the hand", lick.OpenHere: "open"}
	for i := range places {
		f := &places[i]
		form := "key"
		switch {
		case f.Tone:
			form = "tone"
		case f.Blue:
			form = "blue"
		}
		n.Dots = append(n.Dots, FreeDot{between(f.Fret), n.Strings[f.String-1], short(f.Degree), form,
			fmt.Sprintf("string %d fret %d, %s, %s", f.String, f.Fret, f.Degree, words[f.Manner])})
	}
	return n
}

// shortDegrees are the names of intervals in two signs.
var shortDegrees = map[string]string{"root": "1", "flat second": "♭2", "second": "2", "minor third": "♭3", "major third": "3", "fourth": "4",
	"flat fifth": "♭5", "fifth": "5", "sixth": "6", "flat seventh": "♭7", "major seventh": "7", "flat sixth": "♭6"}

func short(degree string) string {
	if s := shortDegrees[degree]; s != "" {
		return s
	}
	return degree
}
