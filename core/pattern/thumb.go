// Package pattern turns a thumb pattern into strokes as roles, and roles into the
// strings that can fill them over a chord.
//
// A role is musical ("the root", "the alternate"), not a string: it stays the same
// when tuning or chord change. Which string fills it costs 0 for the best choice and
// more for lesser ones, in the planner's cost units.
package pattern

import (
	"cmp"
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
	Written     Kind = "written"     // the tune's own bass
)

// Kinds lists every Kind.
var Kinds = []Kind{None, Steady, Alternating, Written}

// KindsFor lists those that a tune can have.
func KindsFor(tu *tune.Tune) []Kind {
	if len(tu.Bass) == 0 {
		return Kinds[:len(Kinds)-1]
	}
	return Kinds
}

// Role is what one stroke is for.
type Role int

// The roles.
const (
	Root Role = iota
	Alternate
	Higher // a chord tone above the root
	Walk   // a step away from the next chord's root
	NoRole // percussion alone
	Noted  // the note that is written
)

func (r Role) String() string {
	return [...]string{"root", "alternate", "higher", "walk", "", "written"}[r]
}

// Stroke is one thumb stroke wanted by the pattern, or percussion, or both.
type Stroke struct {
	At    tune.Time
	Role  Role
	Over  chord.Chord // the chord that the note belongs to: the next one for an early arrival and a walk
	One   bool        // beat 1 of the bar
	Loud  bool        // accented
	Mute  string      // of Mutes
	Hit   string      // of Hits
	Early bool        // the root before its chord
	// Lead is the chord that follows, if this is the last stroke before it and not on beat 1: it may be
	// taken to lead there. Half says that no more than half a beat is between.
	Lead *chord.Chord
	Half bool
	// Arrived: a root, the first stroke over its chord, that may have arrived half a beat before: then it
	// may ring on and the thumb rest.
	Arrived bool
	// Optional: not of the pattern, an early arrival that the planner may add where the melody strikes half
	// a beat before a change.
	Optional bool
	// Note and Until are the note of a Noted stroke and when it ends.
	Note  pitch.Note
	Until tune.Time
}

// Reading is one thing that a stroke can be taken for.
type Reading struct {
	Role  Role
	Over  chord.Chord
	Extra float64 // cost units, for not being what the pattern wants
	Early bool
}

// Leading in when the pattern does not ask for it: better than an alternate that is no chord tone or
// muddy, no match for a good one.
const (
	extraWalk  = 0.35
	extraEarly = 0.3
)

// Readings are what the stroke can be taken for: what the pattern wants, and before a change a step
// into the next chord or, half a beat early, its root.
func (s *Stroke) Readings() []Reading {
	out := []Reading{{s.Role, s.Over, 0, s.Early}}
	if s.Optional {
		out[0].Extra = extraEarly
	}
	if s.Lead != nil {
		out = append(out, Reading{Walk, *s.Lead, extraWalk, false})
		if s.Half {
			out = append(out, Reading{Root, *s.Lead, extraEarly, true})
		}
	}
	return out
}

// Section is a pattern in force from a bar on, up to the next section.
type Section struct {
	Bar     int      `json:"bar"` // from 1
	Pattern *Pattern `json:"pattern"`
}

// Strokes lays the thumb of the whole tune: in every bar that of the section's pattern if its meter
// is the bar's, else k: one stroke on every felt beat, the alternate on every second one counted
// from beat 1 and from the first beat of a new root, with the player's accent. What the fingers do in a pattern is left to the melody.
// Where strokes are thinned out nothing is added to lead from one chord to the next.
func Strokes(tu *tune.Tune, k Kind, sections []Section, accent string, thin Thin) []Stroke {
	var out []Stroke
	for bar := range tu.Bars {
		if p := PatternIn(tu, bar, sections); p != nil {
			out = p.strokes(tu, bar, out)
		} else if k == Written {
			out = written(tu, bar, accent, out)
		} else if k != None {
			out = k.strokes(tu, bar, accent, out)
		}
	}
	if thin != All {
		return slices.DeleteFunc(out, func(s Stroke) bool { return !thin.keeps(tu, s.At) })
	}
	return lead(tu, sections, out)
}

// written are the notes of the tune's own bass that begin in a bar.
func written(tu *tune.Tune, bar int, accent string, out []Stroke) []Stroke {
	start := tu.Bars[bar]
	for i := range tu.Bass {
		n := &tu.Bass[i]
		if n.At < start || n.At >= start+tu.BarLength(bar) {
			continue
		}
		_, since := tu.Position(n.At)
		pulse := tu.MeterOver(n.At).Pulse()
		out = append(out, Stroke{At: n.At, Role: Noted, Over: tu.ChordOver(n.At), One: since == 0, Note: n.Note, Until: n.End(),
			Loud: n.Marks&tune.Accent != 0 || since%pulse == 0 && accented(accent, int(since/pulse))})
	}
	return out
}

// lead marks the strokes on either side of every change, and adds early arrivals for the planner to
// weigh where no pattern lays the thumb.
func lead(tu *tune.Tune, sections []Section, strokes []Stroke) []Stroke {
	var early []Stroke
	last := -1
	for i := range strokes {
		first := &strokes[i]
		if first.Role == NoRole || first.Role == Noted {
			continue
		}
		if last >= 0 && tu.ChordOver(strokes[last].At).Name != tu.ChordOver(first.At).Name {
			before, next := &strokes[last], tu.ChordOver(first.At)
			half := tu.MeterOver(before.At).Pulse() / 2
			soon := first.At-before.At <= half
			if before.Over.Name != next.Name && !before.One && before.Role != Walk {
				before.Lead, before.Half = &next, soon
			}
			if at := first.At - half; !soon && first.Role == Root && PatternIn(tu, tu.BarOver(at), sections) == nil && strikes(tu, at) {
				early, soon = append(early, Stroke{At: at, Role: Root, Over: next, Early: true, Optional: true}), true
			}
			first.Arrived = soon && first.Role == Root
		}
		last = i
	}
	strokes = append(strokes, early...)
	slices.SortStableFunc(strokes, func(a, b Stroke) int { return cmp.Compare(a.At, b.At) })
	return strokes
}

// strikes reports whether the melody is struck at at.
func strikes(tu *tune.Tune, at tune.Time) bool {
	_, ok := slices.BinarySearchFunc(tu.Notes, at, func(n tune.Note, at tune.Time) int { return cmp.Compare(n.At, at) })
	return ok
}

// PatternIn returns the pattern for a bar, counted from 0; nil if no section has one in its meter.
func PatternIn(tu *tune.Tune, bar int, sections []Section) (p *Pattern) {
	for i := range sections {
		if sections[i].Bar <= bar+1 {
			p = sections[i].Pattern
		}
	}
	if p == nil {
		return nil
	}
	meter := tu.MeterOver(tu.Bars[bar])
	if m, ok := p.Signature(); !ok || m.Num != meter.Num || m.Den != meter.Den {
		return nil
	}
	return p
}

func (k Kind) strokes(tu *tune.Tune, bar int, accent string, out []Stroke) []Stroke {
	at := tu.Bars[bar]
	over, from := tu.ChordOver(at), 0 // the beat from which roles are counted, that of the last new root
	for t, end := at, at+tu.BarLength(bar); t < end; {
		pulse := tu.MeterOver(t).Pulse()
		_, since := tu.Position(t)
		beat := int(since / pulse)
		if late := since % pulse; late != 0 { // a pickup may start between beats
			t += pulse - late
			continue
		}
		last := over
		if over = tu.ChordOver(t); over.Bass.Class() != last.Bass.Class() {
			from = beat
		}
		role := Root
		if k == Alternating && (beat-from)%2 == 1 {
			role = Alternate
		}
		out = append(out, Stroke{At: t, Role: role, Over: over, One: beat == 0, Loud: accented(accent, beat)})
		t += pulse
	}
	return out
}

// accented: the heavy beats of a school of accent, from 0. Where a bar is of three, "two-four" is its
// second beat.
func accented(school string, beat int) bool {
	switch school {
	case "one":
		return beat == 0
	case "two-four":
		return beat%2 == 1
	}
	return false
}

// StepTimes calls f for every step of p that falls within a bar of tu, with its time. A pickup
// bar has the last steps.
func (p *Pattern) StepTimes(tu *tune.Tune, bar int, f func(b Beat, at tune.Time)) {
	start := tu.Bars[bar]
	_, since := tu.Position(start)
	for _, b := range p.Beats {
		if at := start + p.offsetIn(tu, b.Step) - since; at >= start && at < start+tu.BarLength(bar) {
			f(b, at)
		}
	}
}

func (p *Pattern) strokes(tu *tune.Tune, bar int, out []Stroke) []Stroke {
	p.StepTimes(tu, bar, func(b Beat, at tune.Time) {
		if b.Thumb == "" && b.Hit == "" {
			return
		}
		s := Stroke{At: at, Role: NoRole, Over: tu.ChordOver(at), One: b.Step == 1, Loud: b.Accent, Mute: b.Mute, Hit: b.Hit}
		next, has := nextChord(tu, at)
		switch b.Thumb {
		case "root":
			s.Role = Root
		case "alternate":
			s.Role = Alternate
		case "higher":
			s.Role = Higher
		case "walk":
			if s.Role = Alternate; has {
				s.Role, s.Over = Walk, next
			}
		case "arrive":
			if s.Role = Alternate; has {
				s.Role, s.Over, s.Early = Root, next, true
			}
		case "repeat":
			s.Role = lastRole(out)
		}
		out = append(out, s)
	})
	return out
}

// lastRole is what the thumb played last, the root if nothing.
func lastRole(strokes []Stroke) Role {
	for i := len(strokes) - 1; i >= 0; i-- {
		if r := strokes[i].Role; r != NoRole {
			return r
		}
	}
	return Root
}

// nextChord is the chord that follows the one over at, if it is written to follow within two bars.
func nextChord(tu *tune.Tune, at tune.Time) (c chord.Chord, ok bool) {
	for _, n := range tu.Chords {
		if n.At > at {
			return n.Chord, n.At <= at+2*tu.MeterOver(at).Bar()
		}
	}
	return c, false
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
	fitFifthAsRoot = 0.6
	fitThird       = 1.0
	fitOtherTone   = 0.9
	fitNoChordTone = 1.5  // before what the clash itself costs
	fitSameString  = 0.7  // an alternate that is the root's own string
	fitOtherString = 0.25 // one that lies on neither
	fitBelowRoot   = 0.35 // one below a root on string 4, where string 3 is above it
	fitColour      = 0.3  // an alternate that is a seventh or ninth
	fitNotHigher   = 0.8  // a higher tone that lies below the root
	fitHalfStep    = 0.1  // walking in by a half step, which often lies outside the key
	// A skipped neighbour: two low notes closer than a fourth sound muddy together.
	fitMuddy     = 0.5
	muddyBelow   = 5 * pitch.HalfStep
	muddyCeiling = pitch.Pitch(5000) // D3; above it close notes are clear
	// A note an octave or more above the root no longer sounds like the bass; per octave.
	fitOctaveUp = 0.5
	// A written note in another octave.
	fitNoteOctave = 0.9
)

// Places lists where the role can be filled over c: every open bass string, and
// fretted places for those pitch classes of the role that no open bass string has.
// Strings that are no chord tone are listed too, at their cost: a drone may be wanted.
// Over a root on string 4 the alternate may lie on string 3.
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
			if wantedFretted(c, r, p) && !OpenHas(t, capo, p) || heldAlternate(t, capo, c, r, s, f, root) {
				out = append(out, Place{s, f, roleFit(c, r, s, p, root)})
			}
		}
	}
	if r == Alternate && root.str == lowestNumber {
		out = append(out, aboveRoot(t, capo, c, root)...)
	}
	return out
}

// NotePlaces lists where the thumb can have a written note: on strings 6 to 3, up to an octave above the capo; and the note an octave
// up or down, in first position, for a hand that cannot have it as it is written.
func NotePlaces(t tuning.Tuning, capo int, p pitch.Pitch) (out []Place) {
	for s := highestNumber; s >= lowestNumber-1; s-- {
		for _, by := range []pitch.Pitch{0, pitch.Octave, -pitch.Octave} {
			steps := p + by - t.Open(s)
			fret, most := int(steps/pitch.HalfStep), capo+mostNoteFret
			if by != 0 {
				most = capo + heldFrets
			}
			if steps%pitch.HalfStep == 0 && fret >= capo && fret <= most {
				out = append(out, Place{s, fret, NoteFit(p, p+by)})
			}
		}
	}
	return out
}

// mostNoteFret is the highest fret, above the capo, at which a written bass note is fretted.
const mostNoteFret = 12

// NoteFit is the cost of a pitch in place of a written bass note, which is itself or its octave.
func NoteFit(written, p pitch.Pitch) float64 {
	if p != written {
		return fitNoteOctave
	}
	return 0
}

// aboveRoot lists the chord's tones on string 3, open or within a held shape, for an alternate to a root on string 4.
func aboveRoot(t tuning.Tuning, capo int, c chord.Chord, root rootPlace) (out []Place) {
	for f := capo; f <= capo+heldFrets; f++ {
		p := t.Open(lowestNumber-1) + pitch.Midi(f)
		if isStable(c, p) {
			out = append(out, Place{lowestNumber - 1, f, roleFit(c, Alternate, lowestNumber-1, p, root)})
		}
	}
	return out
}

// isStable reports whether p is the bass, root, third or fifth of c.
func isStable(c chord.Chord, p pitch.Pitch) bool {
	switch c.Interval(p) {
	case 0, 3, 4, 7:
		return c.Has(p)
	}
	return c.IsBass(p)
}

// wantedFretted: worth a finger are the bass note and, for the alternate, the fifth.
func wantedFretted(c chord.Chord, r Role, p pitch.Pitch) bool {
	if r == Walk {
		return walkFit(c, p) <= fitHalfStep
	}
	return c.IsBass(p) || (r == Alternate || r == Higher) && slices.Contains(c.Tones, 7) && c.Interval(p) == 7
}

// heldAlternate: where the alternate's open string is no root, third or fifth of the chord, a finger takes a
// tone there that a held shape reaches: at fret 1 to 4, or near a root that is fretted further up.
func heldAlternate(t tuning.Tuning, capo int, c chord.Chord, r Role, str, fret int, root rootPlace) bool {
	if r != Alternate || root.str == 0 || str != alternateString(root) {
		return false
	}
	higher := fret - int((root.pitch-t.Open(root.str))/pitch.HalfStep)
	return (fret <= capo+heldFrets || higher >= -1 && higher <= aboveFrets) &&
		!isStable(c, t.Open(str)+pitch.Midi(capo)) && c.Has(t.Open(str)+pitch.Midi(fret))
}

// aboveFrets is how many frets above a fretted root a held shape reaches.
const aboveFrets = 2

// heldFrets is how far above the capo the fretted tones of a held shape lie.
const heldFrets = 4

// alternateString is where the alternate belongs: string 4, or 5 if the root lies there.
func alternateString(root rootPlace) int {
	if root.str == 4 {
		return 5
	}
	return 4
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
	if r == Alternate {
		return fit + alternateFit(str, p, root)
	}
	up := fitOctaveUp * float64(max(gap, 0)/pitch.Octave)
	fit += up
	switch {
	case r == Root:
		return fit
	case r == Walk:
		return walkFit(c, p) + up
	case r == Higher:
		if gap <= 0 {
			fit += fitNotHigher
		}
		return fit
	}
	return fit
}

// alternateFit: another string than the root's, its own before others, and not so close to the root that
// two low notes sound muddy.
func alternateFit(str int, p pitch.Pitch, root rootPlace) (fit float64) {
	gap := p - root.pitch
	switch {
	case str == root.str:
		fit += fitSameString
	case root.str == lowestNumber && str == lowestNumber-1:
	case root.str == lowestNumber && str == alternateString(root):
		fit += fitBelowRoot
	case str == alternateString(root):
	default:
		fit += fitOtherString
	}
	if gap > pitch.Octave {
		fit += fitOctaveUp
	}
	if p < muddyCeiling && gap > -muddyBelow && gap < muddyBelow && gap != 0 {
		fit += fitMuddy
	}
	return fit
}

// walkFit: a step into the root, from above or below; anything else leads nowhere.
func walkFit(c chord.Chord, p pitch.Pitch) float64 {
	switch iv := (c.Interval(p) - bassAbove(c) + 12) % 12; iv {
	case 2, 10:
		return 0
	case 1, 11:
		return fitHalfStep
	case 7:
		return fitFifthAsRoot
	}
	return fitNoChordTone
}

// bassAbove is the half steps from the root up to the bass.
func bassAbove(c chord.Chord) int { return (c.Bass.Class() - c.Root.Class() + 12) % 12 }

func toneFit(c chord.Chord, r Role, p pitch.Pitch) float64 {
	iv := c.Interval(p)
	switch {
	case !c.Has(p) && !c.IsBass(p):
		return fitNoChordTone
	case r == Alternate || r == Higher: // third, fifth and octave are as good
		if isStable(c, p) {
			return 0
		}
		return fitColour
	case c.IsBass(p):
		return 0
	case iv == 7:
		return fitFifthAsRoot
	case iv == 3 || iv == 4:
		return fitThird
	}
	return fitOtherTone
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
