package lick

import (
	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tuning"
)

// Manner is how a place that is free can be reached.
type Manner string

// The manners.
const (
	UnderBar Manner = "bar"  // under the slide where it sounds the chord
	InBox    Manner = "box"  // up to three frets above such a bar
	InHand   Manner = "hand" // under the fingers where the hand lies
	OpenHere Manner = "open"
)

// FreePlace is a place to improvise from over a chord, with the thumb going.
type FreePlace struct {
	String, Fret int // from the nut; of an open string the capo's
	Manner       Manner
	Degree       string // of the chord
	Tone         bool   // a tone of the chord
	Blue         bool   // a flat third, fifth or seventh that is none
}

// Frets above the capo up to which places are listed, and how wide box and hand are.
const (
	mostFree = 15
	boxWidth = 3
	handSpan = 3
)

// Free lists the places that are free at moment t of a plan: tones of the chord, notes of the key and blue notes, on strings that the thumb
// leaves alone in its bar. For a player with a slide they lie under the bars that sound the chord, in the boxes over them and on open strings; for
// one without under the hand where it lies, and on open strings. By string, then fret.
func Free(p *plan.Plan, t int) (out []FreePlace) {
	r, mo := &p.Request, &p.Moments[t]
	c := mo.Chord
	thumb := map[int]bool{}
	for i := range p.Moments {
		if th := p.Moments[i].Thumb; th != nil && p.Moments[i].Bar == mo.Bar {
			thumb[th.String] = true
		}
	}
	manners := mannersOf(p, t)
	for str := 1; str <= tuning.Strings; str++ {
		if thumb[str] {
			continue
		}
		for fret := r.Capo; fret <= min(r.Capo+mostFree, r.Player.Instrument.Frets); fret++ {
			m := manners(str, fret-r.Capo)
			note := r.Tuning.Open(str) + pitch.Midi(fret)
			f := FreePlace{String: str, Fret: fret, Manner: m, Degree: chord.IntervalName(c.Interval(note)), Tone: c.Has(note)}
			f.Blue = !f.Tone && isBlue(&c, note)
			if m != "" && (f.Tone || f.Blue || inScale(&p.Request.Tune.Key, note)) {
				out = append(out, f)
			}
		}
	}
	return out
}

// isBlue reports whether a note is a flat third, fifth or seventh of a chord with a major third.
func isBlue(c *chord.Chord, note pitch.Pitch) bool {
	if !c.Has(c.Root.Pitch() + 4*pitch.HalfStep) {
		return false
	}
	switch c.Interval(note) {
	case 3, 6, 10:
		return true
	}
	return false
}

// mannersOf says how a string is reached at a fret above the capo, "" if it is not.
func mannersOf(p *plan.Plan, t int) func(str, fret int) Manner {
	r, mo := &p.Request, &p.Moments[t]
	if r.Player.Lean == player.LeanNone {
		low := handAt(mo, r.Capo)
		return func(_, fret int) Manner {
			switch {
			case fret == 0:
				return OpenHere
			case fret >= low && fret <= low+handSpan:
				return InHand
			}
			return ""
		}
	}
	bars := barsOf(p, &mo.Chord)
	return func(str, fret int) Manner {
		if fret == 0 {
			return OpenHere
		}
		for _, b := range bars {
			switch {
			case fret == b && str <= 4:
				return UnderBar
			case fret > b && fret <= b+boxWidth && str <= 3 && b > 0:
				return InBox
			}
		}
		return ""
	}
}

// handAt is the lowest fret above the capo that the fingers hold, 1 if they hold none.
func handAt(mo *play.Moment, capo int) int {
	low := 0
	for _, f := range mo.Hand.Fingers {
		if at := f.Fret - capo; at > 0 && (low == 0 || at < low) {
			low = at
		}
	}
	return max(low, 1)
}

// barsOf lists the frets above the capo, from 1 to an octave, at which strings 1 to 3 or 2 to 4 sound nothing but tones of a chord.
func barsOf(p *plan.Plan, c *chord.Chord) (out []int) {
	for fret := 1; fret <= 12; fret++ {
		for first := 1; first <= 2; first++ {
			all := true
			for str := first; str < first+3; str++ {
				all = all && c.Has(p.Request.Tuning.Open(str)+pitch.Midi(p.Request.Capo+fret))
			}
			if all {
				out = append(out, fret)
				break
			}
		}
	}
	return out
}
