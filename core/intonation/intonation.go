// Package intonation trains the slide: which places of the neck it asks for, what it says of how a note was
// stopped, and where on the neck a player is off.
//
// A slide is in tune over the wire and nowhere else. Players learn the places by playing the note fretted, then
// with the slide, and matching it; short shifts before long ones.
package intonation

import (
	"errors"
	"fmt"
	"math"
	"time"

	"stepping/core/neck"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/take"
	"stepping/core/tuning"
)

// Place is a place on the neck. Fret counts from the nut and may be a fraction.
type Place struct {
	String int     `json:"string"`
	Fret   float64 `json:"fret"`
}

// Task is one note that is asked for.
type Task struct {
	Place
	From *Place // where the slide comes from; nil for the first
	Note pitch.Note
	Hz   float64
}

// Played is one note of the log.
type Played struct {
	At time.Time `json:"at"`
	Place
	From     *float64 `json:"from,omitempty"` // the fret that the slide came from; nil if that is not known
	Finger   int      `json:"finger"`         // that wears the slide: 2 to 4; 0 for a bar held over a lap guitar
	Cents    float64  `json:"cents"`          // off the note, negative for flat
	Spread   float64  `json:"spread"`         // cents within which four fifths of it stayed
	Approach float64  `json:"approach"`       // cents off from where it came into its pitch, 0 if it was there at once
	Vibrato  *Vibrato `json:"vibrato,omitempty"`
}

// Validate reports what of a row from outside cannot be.
func (p *Played) Validate() error {
	ok := func(v, most float64) bool { return math.Abs(v) <= most } // and is a number
	switch {
	case p.At.IsZero() || p.At.Year() < 2000 || p.At.Year() > 2200:
		return fmt.Errorf("a note at %s", p.At)
	case p.String < 1 || p.String > tuning.Strings || !(p.Fret > 0 && p.Fret <= 36) || p.From != nil && !(*p.From >= 0 && *p.From <= 36):
		return fmt.Errorf("a note on string %d at fret %g: there are strings 1 to %d and frets up to 36", p.String, p.Fret, tuning.Strings)
	case p.Finger != 0 && fingerNames[p.Finger] == "":
		return fmt.Errorf("slide on finger %d: give 2 to 4, or 0 for a bar", p.Finger)
	case !ok(p.Cents, 2400) || !ok(p.Spread, 2400) || !ok(p.Approach, 2400),
		p.Vibrato != nil && !(ok(p.Vibrato.Hz, 50) && ok(p.Vibrato.Width, 2400) && ok(p.Vibrato.Centre, 2400)):
		return errors.New("a note more than two octaves off")
	}
	return nil
}

// Vibrato is the vibrato of a note of the log.
type Vibrato struct {
	Hz     float64 `json:"hz"`
	Width  float64 `json:"width"`  // cents from the lowest to the highest
	Centre float64 `json:"centre"` // cents off the note
}

// Log makes the row of a note that was stopped for a task.
func Log(t *Task, s *take.Stopped, finger int, at time.Time) Played {
	p := Played{At: at, Place: t.Place, Finger: finger, Cents: tenth(s.Cents), Spread: tenth(s.Spread)}
	if t.From != nil {
		p.From = &t.From.Fret
	}
	if s.Glide != nil {
		p.Approach = tenth(s.Glide.From)
	}
	if v := s.Vibrato; v != nil {
		p.Vibrato = &Vibrato{tenth(v.Hz), tenth(v.Width), tenth(v.Centre)}
	}
	return p
}

func tenth(x float64) float64 { return math.Round(10*x) / 10 }

// Limits of what is said of a note, in cents unless another unit is named.
const (
	InTune     = neck.InTuneCents
	near       = 12.0 // all but in tune
	wobbles    = 9.0  // spread without vibrato from which it is mentioned
	slowly     = 0.25 // seconds into its pitch from which they are mentioned
	offCentre  = 6.0  // of a vibrato
	offInTotal = 60.0 // more is another place, not an intonation
)

// MM returns how far from the wire a stop lies that sounds cents off at a fret, mm; negative toward the nut.
func MM(k neck.Neck, fret, cents float64) float64 { return k.X(fret+cents/100) - k.X(fret) }

// Verdict is what to say of a note.
type Verdict struct {
	Good bool     // in tune, still or with a vibrato around the note
	Head string   // "In tune", "12 cents flat"
	Told []string // what else, and what to do about it
}

// Judge says how a note was stopped at a fret of a neck.
func Judge(k neck.Neck, fret float64, s *take.Stopped) (v Verdict) {
	off := math.Abs(s.Cents)
	v.Good = off <= InTune
	switch {
	case v.Good:
		v.Head = "In tune"
	case s.Cents < 0:
		v.Head = fmt.Sprintf("%.0f cents flat", off)
	default:
		v.Head = fmt.Sprintf("%.0f cents sharp", off)
	}
	mm := play.Decimal(math.Round(10*math.Abs(MM(k, fret, s.Cents))) / 10)
	switch {
	case off > offInTotal && s.Cents < 0:
		v.Told = append(v.Told, "That is closer to the fret below. Find the wire by eye first, then play.")
	case off > offInTotal:
		v.Told = append(v.Told, "That is closer to the fret above. Find the wire by eye first, then play.")
	case v.Good:
	case s.Cents < 0:
		v.Told = append(v.Told, fmt.Sprintf("The slide was %s mm short of the wire. Stop over the wire, not behind it.", mm))
	default:
		v.Told = append(v.Told, fmt.Sprintf("The slide was %s mm past the wire, or you pressed. Come up to the note lightly from below.", mm))
	}
	v.tellArrival(s)
	if b := s.Vibrato; b != nil {
		v.tellVibrato(b)
	} else if s.Spread > wobbles {
		v.Good = false
		v.Told = append(v.Told, fmt.Sprintf("It wobbled by %.0f cents. Steady your hand with the thumb behind the neck.", s.Spread))
	}
	return v
}

// tellArrival says how a note came to its pitch.
func (v *Verdict) tellArrival(s *take.Stopped) {
	g := s.Glide
	if g == nil {
		return
	}
	from := "under"
	if g.From > 0 {
		from = "over"
	}
	text := fmt.Sprintf("It came from %s by %.0f cents", from, math.Abs(g.From))
	if g.Seconds > slowly {
		text += fmt.Sprintf(", and took %.1f s", g.Seconds)
	}
	text += "."
	if g.Overshoot > InTune {
		text += fmt.Sprintf(" It overshot by %.0f cents: move into the note more slowly.", g.Overshoot)
	}
	v.Told = append(v.Told, text)
}

// tellVibrato says how wide and fast a vibrato is, and whether it lies around the note.
func (v *Verdict) tellVibrato(b *take.Vibrato) {
	text := fmt.Sprintf("Vibrato: %s swings a second, %.0f cents to either side", play.Decimal(tenth(b.Hz)), b.Width/2)
	switch {
	case math.Abs(b.Centre) <= offCentre:
		text += ", around the note."
	case b.Centre < 0:
		text += fmt.Sprintf(", but centred %.0f cents below the note: swing as far past the wire as short of it.", -b.Centre)
	default:
		text += fmt.Sprintf(", but centred %.0f cents above the note: swing as far short of the wire as past it.", b.Centre)
	}
	v.Told = append(v.Told, text)
}
