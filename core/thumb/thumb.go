// Package thumb turns a thumb pattern into strokes as roles, and roles into the
// strings that can fill them over a chord.
//
// A role is musical ("the root", "the alternate"), not a string: it stays the same
// when tuning or chord change. Which string fills it costs 0 for the best choice and
// more for lesser ones, in the planner's cost units.
package thumb

import (
	"slices"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Kind is a thumb pattern.
type Kind string

// The kinds of thumb.
const (
	None        Kind = "none"
	Steady      Kind = "steady"      // the root on every beat
	Alternating Kind = "alternating" // root, alternate, root, alternate …
)

// Kinds lists every Kind.
var Kinds = []Kind{None, Steady, Alternating}

// Role is what one stroke is for.
type Role int

// The roles.
const (
	Root Role = iota
	Alternate
)

func (r Role) String() string { return [...]string{"root", "alternate"}[r] }

// Stroke is one thumb stroke wanted by the pattern.
type Stroke struct {
	At   tune.Time
	Role Role
	One  bool // beat 1 of the bar
}

// Strokes lays the pattern over the whole tune: one stroke on every felt beat, the
// alternate on every second one counted from beat 1.
func Strokes(tu *tune.Tune, k Kind) []Stroke {
	if k == None {
		return nil
	}
	var out []Stroke
	for bar, at := range tu.Bars {
		end := at + tu.BarLength(bar)
		for t := at; t < end; {
			pulse := tu.MeterOver(t).Pulse()
			_, since := tu.Position(t)
			beat := int(since / pulse)
			if late := since % pulse; late != 0 { // a pickup may start between beats
				t += pulse - late
				continue
			}
			role := Root
			if k == Alternating && beat%2 == 1 {
				role = Alternate
			}
			out = append(out, Stroke{At: t, Role: role, One: beat == 0})
			t += pulse
		}
	}
	return out
}

// Place is a string and fret at which the thumb can fill a role, before anything is
// known about the left hand. Frets count from the nut.
type Place struct {
	String, Fret int
	Fit          float64 // cost units; 0 is the best
}

// Bass strings are those that the thumb plays.
const (
	lowestNumber  = 4
	highestNumber = tuning.Strings
)

// IsBassString reports whether the thumb plays string str.
func IsBassString(str int) bool { return str >= lowestNumber && str <= highestNumber }

// maxBassFret is the highest fret, above the capo, at which a bass note is fretted.
const maxBassFret = 7

// fit of a chord tone in a role. A root wants the root; the alternate wants the fifth,
// or the root in another octave. Thirds and sevenths in the bass turn the chord over.
const (
	fitFifthAsRoot   = 0.8
	fitThird         = 0.6
	fitOtherTone     = 0.9
	fitNoChordTone   = 1.5 // before what the clash itself costs
	fitSameString    = 1.0 // an alternate that is the root's own string
	fitRootAlternate = 0.1
	// A skipped neighbour: two low notes closer than a fourth sound muddy together.
	fitMuddy     = 0.5
	muddyBelow   = 5 * pitch.HalfStep
	muddyCeiling = pitch.Pitch(5000) // D3; above it close notes are clear
	// A note an octave or more above the root no longer sounds like the bass; per octave.
	fitOctaveUp = 0.5
)

// Places lists where the role can be filled over c: every open bass string, and
// fretted places for those pitch classes of the role that no open bass string has.
// Strings that are no chord tone are listed too, at their cost: a drone may be wanted.
func Places(t tuning.Tuning, capo int, c chord.Chord, r Role) []Place {
	root := primaryRoot(t, capo, c)
	var out []Place
	for s := highestNumber; s >= lowestNumber; s-- {
		p := t.Open(s) + pitch.Midi(capo)
		out = append(out, Place{s, capo, roleFit(c, r, s, p, root)})
	}
	for s := highestNumber; s >= lowestNumber; s-- {
		for f := capo + 1; f <= capo+maxBassFret; f++ {
			p := t.Open(s) + pitch.Midi(f)
			if wantedFretted(c, r, p) && !OpenHas(t, capo, p) {
				out = append(out, Place{s, f, roleFit(c, r, s, p, root)})
			}
		}
	}
	return out
}

// wantedFretted: worth a finger are the bass note and, for the alternate, the fifth.
func wantedFretted(c chord.Chord, r Role, p pitch.Pitch) bool {
	return c.IsBass(p) || r == Alternate && slices.Contains(c.Tones, 7) && c.Interval(p) == 7
}

// OpenHas reports whether an open bass string has the pitch class of p.
func OpenHas(t tuning.Tuning, capo int, p pitch.Pitch) bool {
	for s := lowestNumber; s <= highestNumber; s++ {
		if (t.Open(s) + pitch.Midi(capo)).Class() == p.Class() {
			return true
		}
	}
	return false
}

// rootPlace is the place that the chord's bass note takes by itself.
type rootPlace struct {
	str   int
	pitch pitch.Pitch
}

// primaryRoot finds where the root goes: an open string that has it, lowest first,
// else the lowest fret, the thicker string of two. str is 0 if it lies nowhere.
func primaryRoot(t tuning.Tuning, capo int, c chord.Chord) rootPlace {
	for f := capo; f <= capo+maxBassFret; f++ {
		for s := highestNumber; s >= lowestNumber; s-- {
			if p := t.Open(s) + pitch.Midi(f); c.IsBass(p) {
				return rootPlace{s, p}
			}
		}
	}
	return rootPlace{}
}

// Fit is the cost of any sounding pitch p on string str in the role: for strings that
// sound at the slide's fret.
func Fit(t tuning.Tuning, capo int, c chord.Chord, r Role, str int, p pitch.Pitch) float64 {
	return roleFit(c, r, str, p, primaryRoot(t, capo, c))
}

func roleFit(c chord.Chord, r Role, str int, p pitch.Pitch, root rootPlace) float64 {
	fit := toneFit(c, r, p)
	if root.str == 0 {
		return fit
	}
	gap := p - root.pitch
	fit += fitOctaveUp * float64(max(gap, 0)/pitch.Octave)
	if r == Root {
		return fit
	}
	if gap == pitch.Octave {
		fit -= fitOctaveUp // the octave is a usual alternate
	}
	if str == root.str {
		fit += fitSameString
	}
	if p < muddyCeiling && gap > -muddyBelow && gap < muddyBelow && gap != 0 {
		fit += fitMuddy
	}
	return fit
}

func toneFit(c chord.Chord, r Role, p pitch.Pitch) float64 {
	iv := c.Interval(p)
	switch {
	case c.IsBass(p) && r == Root:
		return 0
	case c.IsBass(p):
		return fitRootAlternate
	case !c.Has(p):
		return fitNoChordTone
	case iv == 7 && r == Root:
		return fitFifthAsRoot
	case iv == 7:
		return 0
	case iv == 0:
		return fitRootAlternate
	case iv == 3 || iv == 4:
		return fitThird
	default:
		return fitOtherTone
	}
}

// Clash names how badly a bass note at half-step interval iv above the chord's root
// disturbs the chord, in cost units: 0 for chord tones, most for half-step rubs and
// the tritone.
func Clash(c chord.Chord, p pitch.Pitch) float64 {
	if c.Has(p) {
		return 0
	}
	switch c.Interval(p) {
	case 1, 6, 11:
		return 2.0
	case 3, 4, 8:
		return 1.5 // the other third, or the flat sixth against the fifth
	case 2, 10:
		return 0.9
	default:
		return 0.6
	}
}
