// Package tuning holds guitar tunings: reading them, the common ones by name, and
// recognising any tuning by its intervals.
//
// Strings are numbered from 1 (usually the thinnest) upward; tunings are spelled from the highest
// number to 1, as players say them. Most guitars have six; others, of 4 to 8 strings and in any order
// of pitch, are read by ParseAny.
package tuning

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode"

	"stepping/core/pitch"
)

// Strings is the number of strings that plans and grips are for; MinStrings and MaxStrings bound what
// can be tuned at all.
const (
	Strings    = 6
	MinStrings = 4
	MaxStrings = 8
)

// Tuning is what the open strings sound without a capo. Tunings can be compared with ==.
type Tuning struct {
	notes [MaxStrings]pitch.Note // index 0 is string 1
	n     int
}

// New is the tuning of these notes, string 1 first. It panics if they are not 4 to 8.
func New(notes ...pitch.Note) (t Tuning) {
	if len(notes) < MinStrings || len(notes) > MaxStrings {
		panic(fmt.Sprintf("tuning: %d strings", len(notes)))
	}
	t.n = copy(t.notes[:], notes)
	return t
}

// Len is the number of strings.
func (t Tuning) Len() int { return t.n }

// MaxCapo is the highest fret for a capo.
const MaxCapo = 9

// CheckCapo says what is wrong with a capo at a fret, nil if nothing is; 0 is none.
func CheckCapo(fret int) error {
	if fret < 0 || fret > MaxCapo {
		return fmt.Errorf("capo %d: a capo sits on fret 1 to %d, or 0 for none", fret, MaxCapo)
	}
	return nil
}

// standard is the tuning from which a missing octave is inferred, string 6 to 1.
const standard = "E2 A2 D3 G3 B3 E4"

// Named is a built-in tuning.
type Named struct {
	Name   string
	Family string
	Spelt  string // string 6 to string 1
	Usual  bool   // most players have met it
	Lap    bool   // most lap-style players have
}

// Letters returns the notes without octaves and blanks: DADGAD.
func (n Named) Letters() string {
	return strings.Map(func(r rune) rune {
		if r == ' ' || unicode.IsDigit(r) {
			return -1
		}
		return r
	}, n.Spelt)
}

// Library lists the built-in tunings. Where two names share one interval pattern
// the first is the shape's name (open D before open E).
var Library = []Named{
	{"Standard", "standard", standard, true, false},
	{"Standard, half step down", "standard", "Eb2 Ab2 Db3 Gb3 Bb3 Eb4", true, false},
	{"Standard, whole step down", "standard", "D2 G2 C3 F3 A3 D4", true, false},
	{"Drop D", "dropped", "D2 A2 D3 G3 B3 E4", true, false},
	{"Double drop D", "dropped", "D2 A2 D3 G3 B3 D4", true, false},
	{"Open D", "open major", "D2 A2 D3 F#3 A3 D4", true, false},
	{"Open E", "open major", "E2 B2 E3 G#3 B3 E4", true, false},
	{"Open G", "open major", "D2 G2 D3 G3 B3 D4", true, false},
	{"Open A", "open major", "E2 A2 E3 A3 C#4 E4", true, false},
	{"Open C", "open major", "C2 G2 C3 G3 C4 E4", true, false},
	{"Open D minor", "open minor", "D2 A2 D3 F3 A3 D4", true, false},
	{"Open E minor", "open minor", "E2 B2 E3 G3 B3 E4", true, false},
	{"Open G minor", "open minor", "D2 G2 D3 G3 Bb3 D4", true, false},
	{"Open C minor", "open minor", "C2 G2 C3 G3 C4 Eb4", false, false},
	{"D suspended", "suspended", "D2 A2 D3 G3 A3 D4", true, false},
	{"G suspended", "suspended", "D2 G2 D3 G3 C4 D4", false, false},
	{"C suspended", "suspended", "C2 G2 D3 G3 C4 D4", false, false},
	{"High G, resonator", "open major", "G2 B2 D3 G3 B3 D4", false, true},
	{"Open F", "open major", "C2 F2 C3 F3 A3 F4", false, false},
	{"Open B flat", "open major", "Bb1 F2 Bb2 F3 Bb3 D4", false, false},
	{"High A, resonator", "open major", "A2 C#3 E3 A3 C#4 E4", false, true},
	{"Open E seventh", "sixth and seventh", "E2 B2 E3 G#3 D4 E4", false, false},
	{"C ninth", "suspended", "C2 G2 C3 G3 D4 E4", false, false},
	{"Open A minor", "open minor", "E2 A2 E3 A3 C4 E4", true, false},
	{"Open F minor", "open minor", "C2 F2 C3 F3 Ab3 F4", false, false},
	{"High G minor, resonator", "open minor", "G2 Bb2 D3 G3 Bb3 D4", false, true},
	{"A suspended", "suspended", "E2 A2 E3 A3 D4 E4", false, false},
	{"E suspended", "suspended", "E2 B2 E3 A3 B3 E4", false, false},
	{"Drop C", "dropped", "C2 A2 D3 G3 B3 E4", true, false},
	{"Top string dropped", "dropped", "E2 A2 D3 G3 B3 D4", false, false},
	{"Dropped whole step, low C", "dropped", "C2 G2 C3 F3 A3 D4", false, false},
	{"Open D sixth", "sixth and seventh", "D2 A2 D3 F#3 B3 D4", false, false},
	{"Open D seventh", "sixth and seventh", "D2 A2 D3 F#3 C4 D4", false, false},
	{"Open G sixth", "sixth and seventh", "D2 G2 D3 G3 B3 E4", false, false},
	{"Open G seventh", "sixth and seventh", "D2 G2 D3 F3 B3 D4", false, false},
	{"Open A sixth", "sixth and seventh", "E2 A2 E3 A3 C#4 F#4", false, false},
	{"Fourths", "regular", "E2 A2 D3 G3 C4 F4", false, false},
	{"Fifths, low", "regular", "C2 G2 D3 A3 B3 E4", false, false},
	{"Major thirds", "regular", "E2 G#2 C3 E3 G#3 C4", false, false},
}

// Parse reads a tuning as people type it: six notes from string 6 to string 1, in any case, with blanks,
// dashes or commas between them or nothing ("D A D F# A D", "D-A-D-F#-A-D", "dadf#ad"), with octaves or
// without; or a built-in name ("Open D", "open d tuning"). Either may be followed by the half steps by which
// all of it is moved ("Open D +1"). A missing octave is the one nearest to the same string of standard
// tuning, the lower of two. Pitches must lie between B0 and B5.
func Parse(s string) (Tuning, error) {
	t, err := ParseAny(s)
	if err == nil && t.n != Strings {
		return Tuning{}, unreadable(s)
	}
	return t, err
}

// ParseAny is Parse for guitars of 4 to 8 strings. Of others than six, every note has its octave.
func ParseAny(s string) (Tuning, error) {
	if base, steps, ok := cutSteps(s); ok {
		t, err := ParseAny(base)
		if err != nil {
			return t, err
		}
		moved := t.Transpose(steps)
		return ParseAny(moved.String()) // which checks the range
	}
	key := nameKey(s)
	for _, n := range Library {
		if key == nameKey(n.Name) {
			return ParseAny(n.Spelt)
		}
	}
	words, ok := splitNotes(s)
	if !ok {
		return Tuning{}, unreadable(s)
	}
	t := Tuning{n: len(words)}
	for i, w := range words {
		var err error
		if t.notes[t.n-1-i], err = parseNote(w, t.n-i, t.n); err != nil {
			return Tuning{}, fmt.Errorf("tuning, string %d: %w", t.n-i, err)
		}
	}
	return t, nil
}

func unreadable(s string) error {
	return fmt.Errorf("tuning %q: give six notes from string 6 to string 1, like DADGAD or \"D A D F# A D\", or a name like \"Open D\"", s)
}

// nameKey is what two ways to write one name share: letters and digits, without the word tuning.
func nameKey(s string) string {
	s = strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || r == '#' || r == '+' {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
	return strings.TrimSuffix(s, "tuning")
}

// splitNotes takes the notes of a tuning apart, from the highest string number. ok is false if they
// cannot be 4 to 8 notes.
func splitNotes(s string) (words []string, ok bool) {
	words = strings.Fields(strings.NewReplacer("♯", "#", "♭", "b", "-", " ", "–", " ", ",", " ", ";", " ", "/", " ", "(", " ", ")", " ", ".", " ").Replace(s))
	if len(words) < MinStrings {
		words = splitLetters(strings.Join(words, ""))
	}
	return words, len(words) >= MinStrings && len(words) <= MaxStrings
}

// splitLetters takes apart notes that are typed without anything between them. A small b may be a note or a
// flat: six notes are preferred, of those a tuning of the library, then the one nearest to standard tuning.
func splitLetters(s string) (best []string) {
	least := 0
	var split func(rest string, notes []string)
	split = func(rest string, notes []string) {
		if rest == "" {
			if gap := strangeness(notes); best == nil || gap < least {
				best, least = slices.Clone(notes), gap
			}
			return
		}
		_, used := pitch.ParseClass(rest)
		if len(notes) == MaxStrings {
			return
		}
		for n := min(used, 2); n > 0; n-- { // nobody tunes a string to a double sharp or flat
			octave := 0
			for n+octave < len(rest) && rest[n+octave] >= '0' && rest[n+octave] <= '9' {
				octave++
			}
			split(rest[n+octave:], append(notes, rest[:n+octave]))
		}
	}
	split(s, nil)
	return best
}

// strangeness orders the ways to take letters apart: 0 for a tuning of the library, whatever its octaves, then
// by how many half steps the strings differ from standard tuning together, last what is not six notes.
func strangeness(notes []string) (sum int) {
	if len(notes) != Strings {
		return 12 * Strings
	}
	for i, w := range notes {
		n, _ := pitch.ParseClass(w)
		gap := (n.Class() - int(standardPitch(Strings-i)/pitch.HalfStep)%12 + 12) % 12
		sum += min(gap, 12-gap)
	}
	for _, known := range Library {
		if slices.EqualFunc(strings.Fields(known.Spelt), notes, sameClass) {
			return 0
		}
	}
	return sum
}

func sameClass(a, b string) bool {
	x, _ := pitch.ParseClass(a)
	y, _ := pitch.ParseClass(b)
	return x.Class() == y.Class()
}

// parseNote reads the note of string str, one of so many.
func parseNote(w string, str, of int) (pitch.Note, error) {
	n, hasOctave, err := pitch.Parse(w)
	switch {
	case err != nil:
		return n, err
	case !hasOctave && of != Strings:
		return n, fmt.Errorf("%s needs its octave, like %s3: Stepping can only work it out for six notes, string 6 to string 1, and these are %d", w, w, of)
	case !hasOctave:
		n.Octave = nearestOctave(n, standardPitch(str))
	}
	if p := n.Pitch(); p < pitch.Midi(23) || p > pitch.Midi(83) {
		return n, fmt.Errorf("%s is outside a guitar's range, B0 to B5", n)
	}
	return n, nil
}

// cutSteps takes a move in half steps, like +1 or -2, off the end of a tuning.
func cutSteps(s string) (base string, steps int, ok bool) {
	words := strings.Fields(s)
	if len(words) < 2 {
		return s, 0, false
	}
	last := words[len(words)-1]
	if last[0] != '+' && last[0] != '-' {
		return s, 0, false
	}
	n, err := strconv.Atoi(last)
	if err != nil || n < -12 || n > 12 {
		return s, 0, false
	}
	return strings.Join(words[:len(words)-1], " "), n, true
}

func standardPitch(str int) pitch.Pitch {
	n, _, _ := pitch.Parse(strings.Fields(standard)[Strings-str])
	return n.Pitch()
}

func nearestOctave(n pitch.Note, near pitch.Pitch) int {
	best, bestGap := 0, pitch.Pitch(1<<30)
	for o := 0; o <= 6; o++ {
		n.Octave = o
		gap := n.Pitch() - near
		if gap < 0 {
			gap = -gap
		}
		if gap < bestGap {
			best, bestGap = o, gap
		}
	}
	return best
}

// Open returns the pitch of the open string str, from 1, without a capo.
func (t Tuning) Open(str int) pitch.Pitch { return t.notes[str-1].Pitch() }

// Note returns the spelled note of the open string str, from 1.
func (t Tuning) Note(str int) pitch.Note { return t.notes[str-1] }

// Spelled returns the notes with octaves, string 1 last.
func (t Tuning) Spelled() []string {
	out := make([]string, t.n)
	for i := range out {
		out[i] = t.notes[t.n-1-i].String()
	}
	return out
}

// Retuned is t with string str, from 1, moved by n half steps.
func (t Tuning) Retuned(str, n int) Tuning {
	note := t.notes[str-1]
	t.notes[str-1] = pitch.Spell(note.Pitch()+pitch.Midi(n), note.Alter < 0)
	return t
}

// String returns the notes with octaves, string 1 last; ParseAny reads it back.
func (t Tuning) String() string { return strings.Join(t.Spelled(), " ") }

// Classes returns the notes without octaves, string 1 last.
func (t Tuning) Classes() string {
	out := make([]string, t.n)
	for i := range out {
		out[i] = t.notes[t.n-1-i].ClassName()
	}
	return strings.Join(out, " ")
}

// Letters returns the notes without octaves and without blanks, as players write a tuning: DADGAD.
func (t Tuning) Letters() string { return strings.ReplaceAll(t.Classes(), " ", "") }

// Transpose returns the tuning with every string moved by n half steps, spelled in the key where it is at
// home then.
func (t Tuning) Transpose(n int) Tuning {
	if n == 0 {
		return t
	}
	in := pitch.InKey(pitch.Usual.Class(Home(t).Class() + n))
	for i := range t.n {
		t.notes[i] = in.Spell(t.notes[i].Pitch() + pitch.Midi(n))
	}
	return t
}

// spelt are the tunings of the library.
var spelt = sync.OnceValue(func() (out []Tuning) {
	for _, n := range Library {
		t, err := Parse(n.Spelt)
		if err != nil {
			panic("tuning: library entry " + n.Name + ": " + err.Error())
		}
		out = append(out, t)
	}
	return out
})

// Identity says what a tuning is.
type Identity struct {
	Name  string // built-in name, or "" if this exact tuning has none
	Shape string // name of the first built-in tuning with the same intervals, or ""
	Steps int    // half steps from that shape to the tuning
}

// Identify recognises t by its intervals.
func Identify(t Tuning) Identity {
	var id Identity
	for i, n := range Library {
		steps, same := sameShape(spelt()[i], t)
		if !same {
			continue
		}
		if id.Shape == "" {
			id.Shape, id.Steps = n.Name, steps
		}
		if steps == 0 {
			id.Name = n.Name
		}
	}
	return id
}

func sameShape(a, b Tuning) (steps int, same bool) {
	if a.n != b.n {
		return 0, false
	}
	gap := b.Open(1) - a.Open(1)
	for s := 2; s <= a.n; s++ {
		if b.Open(s)-a.Open(s) != gap {
			return 0, false
		}
	}
	return int(gap / pitch.HalfStep), true
}

// Near is a tuning of the library that t is almost: moved by Steps half steps, it differs on a few
// strings.
type Near struct {
	Named   Named
	Steps   int
	Strings []int // those that differ, highest number first
}

// Nearest finds the library tuning that shares most strings with t after moving all of it by up to a
// fifth; of equals the one moved least, then the first. The library has six strings: of other guitars
// nothing is near, and ok is false.
func Nearest(t Tuning) (n Near, ok bool) {
	if t.n != Strings {
		return n, false
	}
	best := Strings + 1
	for i, named := range Library {
		known := spelt()[i]
		for steps := -7; steps <= 7; steps++ {
			var differ []int
			for s := Strings; s >= 1; s-- {
				if t.Open(s)-known.Open(s) != pitch.Midi(steps) {
					differ = append(differ, s)
				}
			}
			if len(differ) < best || len(differ) == best && max(steps, -steps) < max(n.Steps, -n.Steps) {
				best, n = len(differ), Near{named, steps, differ}
			}
		}
	}
	return n, true
}

// Known says what t is near to, in words.
func Known(t Tuning) string {
	if n, ok := Nearest(t); ok {
		return n.Text()
	}
	return fmt.Sprintf("a tuning of %d strings; the library's have six", t.n)
}

// Text says what the tuning is near to.
func (n Near) Text() string {
	moved := ""
	switch {
	case n.Steps > 0:
		moved = ", " + HalfSteps(n.Steps) + " up"
	case n.Steps < 0:
		moved = ", " + HalfSteps(-n.Steps) + " down"
	}
	switch len(n.Strings) {
	case 0:
		return n.Named.Name + "'s shape" + moved
	case 1:
		return fmt.Sprintf("one string away from %s%s: string %d", n.Named.Name, moved, n.Strings[0])
	}
	return fmt.Sprintf("%d strings away from %s%s", len(n.Strings), n.Named.Name, moved)
}

// String names the identity for people: "Open D", "the shape of Open D, 1 half step down",
// or "a tuning of your own".
func (id Identity) String() string {
	switch {
	case id.Name != "":
		return id.Name
	case id.Shape == "":
		return "a tuning of your own"
	case id.Steps > 0:
		return fmt.Sprintf("the shape of %s, %s up", id.Shape, HalfSteps(id.Steps))
	default:
		return fmt.Sprintf("the shape of %s, %s down", id.Shape, HalfSteps(-id.Steps))
	}
}

// HalfSteps says how many half steps: "1 half step", "3 half steps".
func HalfSteps(n int) string {
	if n == 1 {
		return "1 half step"
	}
	return fmt.Sprintf("%d half steps", n)
}
