// Package tuning holds guitar tunings: reading them, the common ones by name, and
// recognising any tuning by its intervals.
//
// Strings are numbered 1 (thinnest) to 6 (thickest). Tunings are spelled from
// string 6 to string 1, as players say them.
package tuning

import (
	"fmt"
	"strings"

	"stepping/core/pitch"
)

// Strings is the number of strings.
const Strings = 6

// Tuning is what the open strings sound without a capo.
type Tuning struct {
	notes [Strings]pitch.Note // index 0 is string 1
}

// standard is the tuning from which a missing octave is inferred, string 6 to 1.
const standard = "E2 A2 D3 G3 B3 E4"

// Named is a built-in tuning.
type Named struct {
	Name   string
	Family string
	Spelt  string // string 6 to string 1
}

// Library lists the built-in tunings. Where two names share one interval pattern
// the first is the shape's name (open D before open E).
var Library = []Named{
	{"Standard", "standard", standard},
	{"Standard, half step down", "standard", "Eb2 Ab2 Db3 Gb3 Bb3 Eb4"},
	{"Standard, whole step down", "standard", "D2 G2 C3 F3 A3 D4"},
	{"Drop D", "dropped", "D2 A2 D3 G3 B3 E4"},
	{"Double drop D", "dropped", "D2 A2 D3 G3 B3 D4"},
	{"Open D", "open major", "D2 A2 D3 F#3 A3 D4"},
	{"Open E", "open major", "E2 B2 E3 G#3 B3 E4"},
	{"Open G", "open major", "D2 G2 D3 G3 B3 D4"},
	{"Open A", "open major", "E2 A2 E3 A3 C#4 E4"},
	{"Open C", "open major", "C2 G2 C3 G3 C4 E4"},
	{"Open D minor", "open minor", "D2 A2 D3 F3 A3 D4"},
	{"Open E minor", "open minor", "E2 B2 E3 G3 B3 E4"},
	{"Open G minor", "open minor", "D2 G2 D3 G3 Bb3 D4"},
	{"Open C minor", "open minor", "C2 G2 C3 G3 C4 Eb4"},
	{"D suspended", "suspended", "D2 A2 D3 G3 A3 D4"},
	{"G suspended", "suspended", "D2 G2 D3 G3 C4 D4"},
	{"C suspended", "suspended", "C2 G2 D3 G3 C4 D4"},
	{"High G, resonator", "open major", "G2 B2 D3 G3 B3 D4"},
}

// Parse reads a tuning: six notes from string 6 to string 1 ("D A D F# A D", with
// octaves or without), or a built-in name ("Open D", in any case). A missing octave
// is the one nearest to the same string of standard tuning, the lower of two.
// Pitches must lie between B0 and B5.
func Parse(s string) (Tuning, error) {
	for _, n := range Library {
		if strings.EqualFold(strings.TrimSpace(s), n.Name) {
			return Parse(n.Spelt)
		}
	}
	words := strings.Fields(s)
	if len(words) != Strings {
		return Tuning{}, fmt.Errorf("tuning %q has %d notes: give six from string 6 to string 1, like \"D A D F# A D\", or a name like \"Open D\"", s, len(words))
	}
	var t Tuning
	for i, w := range words {
		n, hasOctave, err := pitch.Parse(w)
		if err != nil {
			return Tuning{}, fmt.Errorf("tuning, string %d: %w", Strings-i, err)
		}
		if !hasOctave {
			n.Octave = nearestOctave(n, standardPitch(Strings-i))
		}
		if p := n.Pitch(); p < pitch.Midi(23) || p > pitch.Midi(83) {
			return Tuning{}, fmt.Errorf("tuning, string %d: %s is out of a guitar's range, B0 to B5", Strings-i, n)
		}
		t.notes[Strings-1-i] = n
	}
	return t, nil
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

// Open returns the pitch of the open string str (1 … 6) without a capo.
func (t Tuning) Open(str int) pitch.Pitch { return t.notes[str-1].Pitch() }

// Note returns the spelled note of the open string str (1 … 6).
func (t Tuning) Note(str int) pitch.Note { return t.notes[str-1] }

// Spelled returns the notes with octaves from string 6 to string 1.
func (t Tuning) Spelled() []string {
	out := make([]string, Strings)
	for i := range out {
		out[i] = t.notes[Strings-1-i].String()
	}
	return out
}

// String returns the notes with octaves, string 6 to string 1; Parse reads it back.
func (t Tuning) String() string { return strings.Join(t.Spelled(), " ") }

// Classes returns the notes without octaves, string 6 to string 1.
func (t Tuning) Classes() string {
	out := make([]string, Strings)
	for i := range out {
		out[i] = t.notes[Strings-1-i].ClassName()
	}
	return strings.Join(out, " ")
}

// Transpose returns the tuning with every string moved by n half steps.
func (t Tuning) Transpose(n int) Tuning {
	flat := false
	for _, note := range t.notes {
		flat = flat || note.Alter < 0
	}
	for i := range t.notes {
		t.notes[i] = pitch.Spell(t.notes[i].Pitch()+pitch.Midi(n), flat)
	}
	return t
}

// Identity says what a tuning is.
type Identity struct {
	Name  string // built-in name, or "" if this exact tuning has none
	Shape string // name of the first built-in tuning with the same intervals, or ""
	Steps int    // half steps from that shape to the tuning
}

// Identify recognises t by its intervals.
func Identify(t Tuning) Identity {
	var id Identity
	for _, n := range Library {
		known, err := Parse(n.Spelt)
		if err != nil {
			panic("tuning: library entry " + n.Name + ": " + err.Error())
		}
		steps, same := sameShape(known, t)
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
	gap := b.Open(1) - a.Open(1)
	for s := 2; s <= Strings; s++ {
		if b.Open(s)-a.Open(s) != gap {
			return 0, false
		}
	}
	return int(gap / pitch.HalfStep), true
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
		return fmt.Sprintf("the shape of %s, %s up", id.Shape, halfSteps(id.Steps))
	default:
		return fmt.Sprintf("the shape of %s, %s down", id.Shape, halfSteps(-id.Steps))
	}
}

func halfSteps(n int) string {
	if n == 1 {
		return "1 half step"
	}
	return fmt.Sprintf("%d half steps", n)
}
