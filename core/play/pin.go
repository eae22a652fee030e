package play

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"stepping/core/player"
	"stepping/core/tune"
)

// Pin is a user's choice and a hard constraint on everything of Part that begins in
// [At, To), or at At alone if To is 0. Zero fields leave that side of the choice open.
//
//   - Melody: the note (of chords the one of Voice) is played on String at Fret (from the
//     nut) in the technique How, with Finger and Digit (NoDigit: not plucked). Fret counts only next to String.
//     Without a String, How names a kind: slide takes glides in, fret takes hammers and pulls.
//   - Thumb: String, Fret, How and Finger; How Drop leaves the stroke out.
//   - Tube: How Off keeps the slide off the strings, Slide keeps it on; Covers is how many
//     strings it reaches over while it is on.
//   - Heel: How Off, or Covers strings from string 6 inward.
//   - Damper: String is silenced by By (of Dampers).
//   - Ringing: strings are left to ring; nothing damps them and nothing counts as a leak.
//   - Position: the fretting hand stays at Fret to Fret+3, counted from the nut, as far as the notes let it: no rule, a price.
type Pin struct {
	At     tune.Time `json:"at"`
	To     tune.Time `json:"to,omitempty"`
	Part   Part      `json:"part"`
	Voice  int       `json:"voice,omitempty"` // 0 is the highest
	String int       `json:"string"`
	Fret   float64   `json:"fret"`
	How    How       `json:"how"`
	Finger int       `json:"finger,omitempty"`
	Digit  Digit     `json:"digit,omitempty"`
	Covers int       `json:"covers,omitempty"`
	By     Damper    `json:"by,omitempty"`
}

// InForce reports whether the pin binds what begins at at.
func (p *Pin) InForce(at tune.Time) bool {
	return p.At == at || p.To > p.At && at >= p.At && at < p.To
}

// SameTarget reports whether a new pin p replaces q: both choose for the same thing.
func (p *Pin) SameTarget(q *Pin) bool {
	return p.At == q.At && p.To == q.To && p.Part == q.Part && p.Voice == q.Voice && (p.Part != Damped || p.String == q.String)
}

// Target is the stroke of a moment for which p chooses, nil if there is none.
func (p *Pin) Target(mo *Moment) *Stroke {
	switch {
	case p.Part == Thumb:
		return mo.Thumb
	case p.Part != Melody || mo.Melody == nil:
		return nil
	}
	for _, s := range append([]*Stroke{mo.Melody}, mo.With...) {
		if s.Voice == p.Voice {
			return s
		}
	}
	return nil
}

// Check reports what p names that does not exist: a string, a finger, a part.
func (p *Pin) Check() error {
	switch {
	case p.Voice < 0 || p.Voice > tune.MaxWith || p.String < 0 || p.String > 6 || p.Finger < 0 || p.Finger > player.ThumbOverNeck ||
		p.Covers < 0 || p.Covers > 6:
		return errors.New("voices go from 0 to 2, strings from 1 to 6, fingers from 1 to 4 and 5 for the thumb")
	case p.Digit != "" && p.Digit != NoDigit && p.Digit.Number() > A.Number():
		return fmt.Errorf("digit %q: p, i, m or a, or - for none", p.Digit)
	case p.Part == Damped && (p.String == 0 || !slices.Contains(Dampers, p.By)):
		return fmt.Errorf("a damper pin names a string and one of %v", Dampers)
	case p.Part == Position && (p.Fret < 1 || p.Fret > MostPosition || p.Fret != math.Trunc(p.Fret)):
		return fmt.Errorf("a position is a fret from 1 to %d", MostPosition)
	case !slices.Contains([]Part{Melody, Thumb, Tube, Heel, Damped, Ringing, Position}, p.Part):
		return fmt.Errorf("part %q is not known", p.Part)
	}
	return nil
}

// Words says the pin in words; frets count from the capo.
func (p *Pin) Words(tu *tune.Tune, capo int) string {
	where := fmt.Sprintf("bar %s", tu.BarPrinted(tu.BarOver(p.At)))
	if p.To > p.At {
		if last := tu.BarOver(p.To - 1); last > tu.BarOver(p.At) {
			where += fmt.Sprintf(" to %s", tu.BarPrinted(last))
		}
	}
	return where + ", " + p.what(capo)
}

func (p *Pin) what(capo int) string {
	switch {
	case p.How == Drop:
		return "thumb left out"
	case p.Part == Tube && p.How == Off:
		return "no slide"
	case p.Part == Tube && p.Covers > 0:
		return fmt.Sprintf("slide over strings to %d", p.Covers)
	case p.Part == Tube:
		return "slide on"
	case p.Part == Heel && p.Covers == 0:
		return "heel off"
	case p.Part == Heel:
		return fmt.Sprintf("heel over %d strings", p.Covers)
	case p.Part == Damped:
		return fmt.Sprintf("string %d silenced by %s", p.String, p.By)
	case p.Part == Ringing:
		return "left to ring"
	case p.Part == Position:
		return PositionName(max(1, int(FromCapo(p.Fret, capo))))
	}
	words := []string{string(p.Part)}
	if p.Voice > 0 {
		words[0] = fmt.Sprintf("melody, voice %d", p.Voice+1)
	}
	switch {
	case p.String != 0 && p.How != "":
		words = append(words, fmt.Sprintf("on string %d %s", p.String, HowText(p.How, FromCapo(p.Fret, capo))))
	case p.String != 0:
		words = append(words, fmt.Sprintf("on string %d", p.String))
	case p.How != "":
		words = append(words, p.How.Name())
	}
	if p.Finger != 0 {
		words = append(words, "finger "+FingerName(p.Finger))
	}
	switch p.Digit {
	case "":
	case NoDigit:
		words = append(words, "not plucked")
	default:
		words = append(words, "plucked by "+string(p.Digit))
	}
	return strings.Join(words, " ")
}

// A position is named by the fret under the index finger, and covers a fret for each finger.
const (
	MostPosition  = 24
	PositionFrets = 4
)

// PositionName names the position that begins at fret at: "position 5, frets 5 to 8".
func PositionName(at int) string {
	return fmt.Sprintf("position %d, frets %d to %d", at, at, at+PositionFrets-1)
}

// FingerName is finger f, 1 … 4 or player.ThumbOverNeck, as strokes name it.
func FingerName(f int) string {
	if f == player.ThumbOverNeck {
		return "T"
	}
	return strconv.Itoa(f)
}

// FingerNumber is a stroke's finger as pins number it, 0 for none and for the slide.
func FingerNumber(name string) int {
	for f := 1; f <= player.ThumbOverNeck; f++ {
		if FingerName(f) == name {
			return f
		}
	}
	return 0
}
