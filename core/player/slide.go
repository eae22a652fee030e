package player

import (
	"fmt"

	"stepping/core/neck"
)

// held is how much of a tube in mm a finger fills: about two joints of it.
const held = 40.0

// Balance returns how far in mm the middle of the tube's weight lies beyond the part that the finger
// fills. Positive is heavy at the tip: it wants to dip and takes more of the hand to lift.
func (s Slide) Balance() float64 { return s.LengthMM/2 - held }

// Fit of a tube over the widest knuckle, by the play between them in mm.
const (
	tightFit = 0.3
	looseFit = 2.5
)

// Fit says how the tube goes over a finger fingerMM wide at its widest knuckle; "" if either is not
// measured. ok is false if it should not be worn so.
func (s Slide) Fit(fingerMM float64) (text string, ok bool) {
	if fingerMM == 0 || s.BoreMM == 0 {
		return "", true
	}
	switch play := s.BoreMM - fingerMM; {
	case play < 0:
		return fmt.Sprintf("%.1f mm too narrow for the knuckle: do not force it", -play), false
	case play < tightFit:
		return "so tight that a warm finger may get stuck: use a wider one", false
	case play > looseFit:
		return fmt.Sprintf("%.1f mm of play: it will rattle and slip; line it with soft tape or use a narrower one", play), true
	default:
		return fmt.Sprintf("fits, with %.1f mm of play", play), true
	}
}

// Covers returns how many strings of the player's instrument the slide reaches over at fret n.
func (p Profile) Covers(n float64) int {
	return p.Neck().Covers(p.Slide.LengthMM, n, 6)
}

// Tube is the profile's slide as a body.
func (p Profile) Tube() neck.Tube {
	return neck.Tube{Length: p.Slide.LengthMM, Bore: p.Slide.BoreMM, Wall: p.Slide.WallMM, Material: p.Slide.Material, Solid: p.Lap()}
}

// SlideFacts is what a slide is and does for a player, by computation.
type SlideFacts struct {
	Grams     float64 // 0 if it was not measured
	Covers    []int   // strings that it reaches over, by fret from 0
	Slowness  float64 // see Profile.Slowness
	BalanceMM float64 // see Slide.Balance
	Fit       string  // see Slide.Fit
	Fits      bool
	Character string // what its weight is good and bad for, "" if it is neither light nor heavy
}

// Weights in g beyond which a slide is felt as light or heavy; rules of thumb of players.
const (
	lightGrams = 30.0
	heavyGrams = 90.0
)

// SlideFacts works out the profile's slide on its instrument and finger.
func (p Profile) SlideFacts() SlideFacts {
	f := SlideFacts{Slowness: p.Slowness(), BalanceMM: p.Slide.Balance()}
	f.Grams, _ = p.Tube().Grams()
	f.Fit, f.Fits = p.Slide.Fit(p.FingerMM)
	for n := range p.Instrument.Frets + 1 {
		f.Covers = append(f.Covers, p.Covers(float64(n)))
	}
	switch {
	case f.Grams == 0:
	case f.Grams < lightGrams:
		f.Character = "light: quick to move, with a thin tone"
	case f.Grams > heavyGrams:
		f.Character = "heavy: it sustains and is dark, and slows quick moves"
	}
	return f
}
