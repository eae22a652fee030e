// Package chord reads plain chord symbols: a root, a kind, and a bass note if
// another than the root is wanted ("D", "A7", "Gm/Bb").
package chord

import (
	"fmt"
	"slices"
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

// Kind is one kind of chord: how it is written after the root, and its half steps above the root,
// ascending from 0.
type Kind struct {
	Name  string
	Tones []int
	Words string // for people
}

// Kinds lists every kind once, the plainest first: where two kinds fit a set of notes alike the
// earlier is the better reading.
var Kinds = []Kind{
	{"", []int{0, 4, 7}, "major"},
	{"m", []int{0, 3, 7}, "minor"},
	{"5", []int{0, 7}, "root and fifth"},
	{"7", []int{0, 4, 7, 10}, "seventh"},
	{"m7", []int{0, 3, 7, 10}, "minor seventh"},
	{"maj7", []int{0, 4, 7, 11}, "major seventh"},
	{"sus4", []int{0, 5, 7}, "suspended fourth"},
	{"sus2", []int{0, 2, 7}, "suspended second"},
	{"6", []int{0, 4, 7, 9}, "sixth"},
	{"m6", []int{0, 3, 7, 9}, "minor sixth"},
	{"add9", []int{0, 2, 4, 7}, "added ninth"},
	{"madd9", []int{0, 2, 3, 7}, "minor, added ninth"},
	{"9", []int{0, 2, 4, 7, 10}, "ninth"},
	{"m9", []int{0, 2, 3, 7, 10}, "minor ninth"},
	{"maj9", []int{0, 2, 4, 7, 11}, "major ninth"},
	{"7sus4", []int{0, 5, 7, 10}, "seventh, suspended fourth"},
	{"dim", []int{0, 3, 6}, "diminished"},
	{"dim7", []int{0, 3, 6, 9}, "diminished seventh"},
	{"m7b5", []int{0, 3, 6, 10}, "minor seventh, flat fifth"},
	{"aug", []int{0, 4, 8}, "augmented"},
	{"7#5", []int{0, 4, 8, 10}, "seventh, sharp fifth"},
	{"7#9", []int{0, 3, 4, 7, 10}, "seventh, sharp ninth"},
	{"7b9", []int{0, 1, 4, 7, 10}, "seventh, flat ninth"},
	{"13", []int{0, 4, 7, 9, 10}, "thirteenth"},
	{"69", []int{0, 2, 4, 7, 9}, "sixth and ninth"},
	{"m69", []int{0, 2, 3, 7, 9}, "minor sixth and ninth"},
	{"mmaj7", []int{0, 3, 7, 11}, "minor, major seventh"},
	{"mmaj9", []int{0, 2, 3, 7, 11}, "minor, major ninth"},
	{"add4", []int{0, 4, 5, 7}, "added fourth"},
	{"madd4", []int{0, 3, 5, 7}, "minor, added fourth"},
	{"sus2sus4", []int{0, 2, 5, 7}, "suspended second and fourth"},
	{"7sus2", []int{0, 2, 7, 10}, "seventh, suspended second"},
	{"9sus4", []int{0, 2, 5, 7, 10}, "ninth, suspended fourth"},
	{"13sus4", []int{0, 5, 7, 9, 10}, "thirteenth, suspended fourth"},
	{"11", []int{0, 2, 4, 5, 7, 10}, "eleventh"},
	{"m11", []int{0, 2, 3, 5, 7, 10}, "minor eleventh"},
	{"m13", []int{0, 2, 3, 7, 9, 10}, "minor thirteenth"},
	{"maj13", []int{0, 4, 7, 9, 11}, "major thirteenth"},
	{"7#11", []int{0, 4, 6, 7, 10}, "seventh, sharp eleventh"},
	{"maj7#11", []int{0, 4, 6, 7, 11}, "major seventh, sharp eleventh"},
	{"7b5", []int{0, 4, 6, 10}, "seventh, flat fifth"},
	{"maj7b5", []int{0, 4, 6, 11}, "major seventh, flat fifth"},
	{"maj7#5", []int{0, 4, 8, 11}, "major seventh, sharp fifth"},
	{"7b13", []int{0, 4, 7, 8, 10}, "seventh, flat thirteenth"},
	{"9#5", []int{0, 2, 4, 8, 10}, "ninth, sharp fifth"},
	{"9b5", []int{0, 2, 4, 6, 10}, "ninth, flat fifth"},
	{"m7#5", []int{0, 3, 8, 10}, "minor seventh, sharp fifth"},
	{"(b5)", []int{0, 4, 6}, "major, flat fifth"},
	{"dimmaj7", []int{0, 3, 6, 11}, "diminished, major seventh"},
}

// aliases are other ways to write a kind.
var aliases = map[string]string{
	"maj": "", "M": "", "min": "m", "-": "m", "mi": "m", "min7": "m7", "-7": "m7", "M7": "maj7", "min9": "m9", "M9": "maj9",
	"sus": "sus4", "4": "sus4", "2": "sus2",
	"+": "aug", "o": "dim", "o7": "dim7", "min6": "m6", "mM7": "mmaj7", "minmaj7": "mmaj7", "7+": "7#5", "aug7": "7#5",
	"7sus": "7sus4", "9sus": "9sus4", "6add9": "69",
	"add2": "add9", "add11": "add4", "madd2": "madd9", "madd11": "madd4", "min11": "m11",
	"b5": "(b5)", // after a sharp alone: Db5 is the fifth on D flat
}

// tonesOf finds a kind by its name or an alias.
func tonesOf(kind string) ([]int, bool) {
	if a, ok := aliases[kind]; ok {
		kind = a
	}
	for i := range Kinds {
		if Kinds[i].Name == kind {
			return Kinds[i].Tones, true
		}
	}
	return nil, false
}

// Parse reads a chord symbol. The error names the part not understood and the kinds there are.
func Parse(s string) (Chord, error) {
	text := strings.TrimSpace(s)
	root, used := pitch.ParseClass(text)
	if used == 0 || text[0] >= 'a' {
		return Chord{}, fmt.Errorf("%q does not start with a chord root: write A to G, like D, F#m or Bb7", s)
	}
	kind, bassText, hasBass := strings.Cut(text[used:], "/")
	if bassText == "9" && strings.HasSuffix(kind, "6") {
		kind, hasBass = kind+"9", false // the sixth and ninth chord as often written
	}
	tones, ok := tonesOf(kind)
	if !ok {
		return Chord{}, fmt.Errorf("in chord %q, after the root %s, the kind %q is not known; nearest: %s; known kinds: %s",
			s, root.ClassName(), kind, strings.Join(nearest(text[:used], kind), " "), strings.Join(kindNames(), " "))
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
	var names []string
	for _, k := range Kinds {
		if k.Name != "" {
			names = append(names, k.Name)
		}
	}
	return names
}

// nearest returns the three chords on root whose kinds are written most like kind.
func nearest(root, kind string) []string {
	names := kindNames()
	slices.SortStableFunc(names, func(a, b string) int { return distance(a, kind) - distance(b, kind) })
	return []string{root + names[0], root + names[1], root + names[2]}
}

// distance is the least number of letters inserted, left out or changed to make b of a (Levenshtein
// 1966).
func distance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range len(a) {
		diagonal := row[0]
		row[0] = i + 1
		for j := range len(b) {
			change := diagonal
			if a[i] != b[j] {
				change++
			}
			diagonal = row[j+1]
			row[j+1] = min(change, row[j]+1, row[j+1]+1)
		}
	}
	return row[len(b)]
}

// Triad returns the major or minor triad on root, for music without chord symbols.
func Triad(root pitch.Note, minor bool) Chord {
	name := root.ClassName()
	if minor {
		return Chord{Name: name + "m", Root: root, Tones: []int{0, 3, 7}, Bass: root}
	}
	return Chord{Name: name, Root: root, Tones: []int{0, 4, 7}, Bass: root}
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

// Optional reports whether a grip may leave out the tone iv half steps above the root: the fifth of
// chords of four tones and more, in chords of six also the ninth, in eleventh chords the third,
// which rubs against the eleventh. The bass is never left out.
func (c Chord) Optional(iv int) bool {
	n := len(c.Tones)
	switch {
	case (c.Root.Class()+iv)%12 == c.Bass.Class():
		return false
	case iv == 7:
		return n >= 4
	case iv == 2:
		return n >= 6
	case iv == 4:
		return n >= 6 && slices.Contains(c.Tones, 5)
	}
	return false
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
