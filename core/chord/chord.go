// Package chord reads plain chord symbols: a root, a kind, and a bass note if
// another than the root is wanted ("D", "A7", "Gm/Bb").
package chord

import (
	"fmt"
	"sort"
	"strings"

	"stepping/core/pitch"
)

// Chord is a chord symbol understood. Tones are half steps above the root,
// ascending, the root (0) first.
type Chord struct {
	Name  string
	Root  pitch.Note
	Tones []int
	Bass  pitch.Note // the root unless the symbol has "/X"
}

// kinds maps the text after the root to half steps above the root.
var kinds = map[string][]int{
	"":      {0, 4, 7},
	"maj":   {0, 4, 7},
	"M":     {0, 4, 7},
	"m":     {0, 3, 7},
	"min":   {0, 3, 7},
	"-":     {0, 3, 7},
	"5":     {0, 7},
	"6":     {0, 4, 7, 9},
	"m6":    {0, 3, 7, 9},
	"7":     {0, 4, 7, 10},
	"m7":    {0, 3, 7, 10},
	"min7":  {0, 3, 7, 10},
	"maj7":  {0, 4, 7, 11},
	"M7":    {0, 4, 7, 11},
	"mmaj7": {0, 3, 7, 11},
	"9":     {0, 2, 4, 7, 10},
	"m9":    {0, 2, 3, 7, 10},
	"maj9":  {0, 2, 4, 7, 11},
	"add9":  {0, 2, 4, 7},
	"13":    {0, 4, 7, 9, 10},
	"sus4":  {0, 5, 7},
	"sus":   {0, 5, 7},
	"sus2":  {0, 2, 7},
	"7sus4": {0, 5, 7, 10},
	"dim":   {0, 3, 6},
	"dim7":  {0, 3, 6, 9},
	"m7b5":  {0, 3, 6, 10},
	"aug":   {0, 4, 8},
	"+":     {0, 4, 8},
	"7#5":   {0, 4, 8, 10},
	"7b9":   {0, 1, 4, 7, 10},
	"7#9":   {0, 3, 4, 7, 10},
}

// Parse reads a chord symbol. The error names the part not understood and the kinds there are.
func Parse(s string) (Chord, error) {
	text := strings.TrimSpace(s)
	root, used := pitch.ParseClass(text)
	if used == 0 || text[0] >= 'a' {
		return Chord{}, fmt.Errorf("%q does not start with a chord root: write A to G, like D, F#m or Bb7", s)
	}
	kind, bassText, hasBass := strings.Cut(text[used:], "/")
	tones, ok := kinds[kind]
	if !ok {
		return Chord{}, fmt.Errorf("in chord %q the kind %q is not known; known kinds: %s", s, kind, strings.Join(kindNames(), " "))
	}
	c := Chord{Name: text, Root: root, Tones: tones, Bass: root}
	if hasBass {
		bass, used := pitch.ParseClass(bassText)
		if used == 0 || used != len(bassText) {
			return Chord{}, fmt.Errorf("in chord %q the bass %q is not a note name", s, bassText)
		}
		c.Bass = bass
	}
	return c, nil
}

func kindNames() []string {
	names := make([]string, 0, len(kinds))
	for k := range kinds {
		if k != "" {
			names = append(names, k)
		}
	}
	sort.Strings(names)
	return names
}

// Triad returns the major or minor triad on root, for music without chord symbols.
func Triad(root pitch.Note, minor bool) Chord {
	name := root.ClassName()
	if minor {
		return Chord{Name: name + "m", Root: root, Tones: kinds["m"], Bass: root}
	}
	return Chord{Name: name, Root: root, Tones: kinds[""], Bass: root}
}

// Interval returns the half steps, 0 … 11, from the chord's root up to pitch p
// (to the nearest half step).
func (c Chord) Interval(p pitch.Pitch) int {
	midi, _ := p.Nearest()
	return ((midi-c.Root.Class())%12 + 12) % 12
}

// Has reports whether p, to the nearest half step, is a tone of the chord or its bass.
func (c Chord) Has(p pitch.Pitch) bool {
	iv := c.Interval(p)
	for _, t := range c.Tones {
		if t == iv {
			return true
		}
	}
	return c.IsBass(p)
}

// Classes returns the pitch classes of the chord and its bass as a set, bit 0 for C.
func (c Chord) Classes() uint16 {
	set := uint16(1) << c.Bass.Class()
	for _, t := range c.Tones {
		set |= 1 << ((c.Root.Class() + t) % 12)
	}
	return set
}

// IsBass reports whether p has the pitch class of the chord's bass note.
func (c Chord) IsBass(p pitch.Pitch) bool {
	midi, _ := p.Nearest()
	return ((midi%12)+12)%12 == c.Bass.Class()
}

var intervalNames = [12]string{"root", "flat second", "second", "minor third", "major third", "fourth",
	"flat fifth", "fifth", "flat sixth", "sixth", "flat seventh", "major seventh"}

// IntervalName names an interval of 0 … 11 half steps above a root.
func IntervalName(halfSteps int) string { return intervalNames[((halfSteps%12)+12)%12] }

// Transposed returns the chord steps half steps higher, spelled with flats or sharps.
func (c Chord) Transposed(steps int, flats bool) Chord {
	move := func(n pitch.Note) pitch.Note {
		moved := pitch.Spell(pitch.Midi(60+n.Class()+steps), flats)
		moved.Octave = n.Octave
		return moved
	}
	_, used := pitch.ParseClass(c.Name)
	kind, _, slash := strings.Cut(c.Name[used:], "/")
	out := Chord{Root: move(c.Root), Tones: c.Tones, Bass: move(c.Bass)}
	out.Name = out.Root.ClassName() + kind
	if slash {
		out.Name += "/" + out.Bass.ClassName()
	}
	return out
}
