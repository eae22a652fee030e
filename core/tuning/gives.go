package tuning

import (
	"fmt"

	"stepping/core/chord"
	"stepping/core/pitch"
)

// Bar is what a straight bar over all strings gives at a fret.
type Bar struct {
	Fret   int
	Chord  string // truthfully named
	Degree string // of its root in the key: "I", "bVII"
}

// degreeNames are the degrees of a key by half steps above the tonic.
var degreeNames = [12]string{"I", "bII", "II", "bIII", "III", "IV", "bV", "V", "bVI", "VI", "bVII", "VII"}

// Degree names the degree of a pitch in a key.
func Degree(p pitch.Pitch, key pitch.Note) string {
	midi, _ := p.Nearest()
	return degreeNames[((midi-key.Class())%12+12)%12]
}

// Home is the root of what the open strings spell, octave 0: the key in which a tuning is at home. If
// the strings spell no chord it is the lowest string.
func Home(t Tuning) pitch.Note {
	low := 1
	for s := 2; s <= t.n; s++ {
		if t.Open(s) < t.Open(low) {
			low = s
		}
	}
	home := t.notes[low-1]
	if r := chord.Names(t.pitches(0), pitch.Usual); len(r) > 0 {
		home = r[0].Chord.Root
		for _, note := range t.notes[:t.n] { // spelled as the strings are
			if note.Class() == home.Class() {
				home = note
			}
		}
	}
	return pitch.Note{Letter: home.Letter, Alter: home.Alter}
}

func (t Tuning) pitches(fret int) (out []pitch.Pitch) {
	for s := t.n; s >= 1; s-- {
		out = append(out, t.Open(s)+pitch.Midi(fret))
	}
	return out
}

// OpenChord names what the open strings spell, in the key where they are at home.
func OpenChord(t Tuning) string { return chord.Describe(t.pitches(0), pitch.InKey(Home(t))) }

// Bars spells a straight bar at frets 0 to last in a key.
func Bars(t Tuning, key pitch.Note, last int) (out []Bar) {
	home, in := pitch.Midi(60+Home(t).Class()), pitch.InKey(key)
	for f := 0; f <= last; f++ {
		out = append(out, Bar{f, chord.Describe(t.pitches(f), in), Degree(home+pitch.Midi(f), key)})
	}
	return out
}

// Partial is two or three neighbouring strings that give a chord which all of them do not.
type Partial struct {
	From, To int    // strings, the higher number first
	Chord    string // of the open strings; under a bar it moves along the neck
}

// Partials lists the sets of two or three neighbouring strings that spell a chord of another kind than
// all strings do: minor, seventh and other chords, spelled in a key.
func Partials(t Tuning, key pitch.Note) (out []Partial) {
	in := pitch.InKey(key)
	whole := chord.Names(t.pitches(0), in)
	for from := t.n; from >= 2; from-- {
		for to := from - 1; to >= max(1, from-2); to-- {
			readings := chord.Names(t.pitches(0)[t.n-from:t.n-to+1], in)
			if len(readings) == 0 || !worthNaming(&readings[0], from-to+1) || len(whole) > 0 && sameKind(readings[0].Chord, whole[0].Chord) {
				continue
			}
			out = append(out, Partial{from, to, readings[0].Chord.Name})
		}
	}
	return out
}

// worthNaming: three strings spell their chord whole; two a third of a major or minor one.
func worthNaming(r *chord.Reading, strings int) bool {
	if strings == 3 {
		return len(r.Missing) == 0 && len(r.Chord.Tones) >= 3
	}
	return len(r.Missing) > 0 && len(r.Chord.Tones) <= 3
}

func sameKind(a, b chord.Chord) bool {
	return fmt.Sprint(a.Tones) == fmt.Sprint(b.Tones) && (a.Root.Class()-b.Root.Class()+12)%12 == 0
}

// Scale is a named set of half steps above the tonic; Third marks the pitch between the minor and the
// major third that a slide can sound.
type Scale struct {
	Name  string
	Steps []int
	Third bool
}

// Scales are those that are shown on the neck.
var Scales = []Scale{
	{"major", []int{0, 2, 4, 5, 7, 9, 11}, false}, {"minor", []int{0, 2, 3, 5, 7, 8, 10}, false}, {"blues", []int{0, 3, 5, 6, 7, 10}, true},
	{"mixolydian", []int{0, 2, 4, 5, 7, 9, 10}, false}, {"dorian", []int{0, 2, 3, 5, 7, 9, 10}, false}, {"pentatonic", []int{0, 2, 4, 7, 9}, false},
}

// Spot is one scale degree on the neck.
type Spot struct {
	String int
	Fret   float64 // whole, or between the frets for the blue third
	Degree string
	Note   pitch.Note
}

// BlueThird is how many half steps the blue third lies above the tonic, midway between the minor and
// the major third.
const BlueThird = 3.5

// Spots lists every degree of a scale in a key from fret 0 to last, string 1 last.
func Spots(t Tuning, key pitch.Note, sc Scale, last int) (out []Spot) {
	in := pitch.InKey(key)
	for s := t.n; s >= 1; s-- {
		for f := 0; f <= last; f++ {
			p := t.Open(s) + pitch.Midi(f)
			midi, _ := p.Nearest()
			iv := ((midi-key.Class())%12 + 12) % 12
			for _, step := range sc.Steps {
				if step == iv {
					out = append(out, Spot{s, float64(f), Degree(p, key), in.Spell(p)})
				}
			}
			if sc.Third && iv == 3 && f < last {
				out = append(out, Spot{s, float64(f) + BlueThird - 3, "blue III", in.Spell(p + 50)})
			}
		}
	}
	return out
}

// UnderBar reports whether the open strings spell a plain chord, major, minor or of root and fifth, so that a
// straight bar gives it anywhere.
func UnderBar(t Tuning) bool {
	r := chord.Names(t.pitches(0), pitch.Usual)
	if len(r) == 0 || len(r[0].Missing) > 0 {
		return false
	}
	switch tones := r[0].Chord.Tones; len(tones) {
	case 2:
		return tones[1] == 7
	case 3:
		return (tones[1] == 3 || tones[1] == 4) && tones[2] == 7
	}
	return false
}

// HomeBars are the straight bars at frets 0 to last that give the chords on the first, fourth and fifth degree
// of a key; none where a bar gives no plain chord.
func HomeBars(t Tuning, key pitch.Note, last int) (out []Bar) {
	if !UnderBar(t) {
		return nil
	}
	for _, b := range Bars(t, key, last) {
		if b.Degree == "I" || b.Degree == "IV" || b.Degree == "V" {
			out = append(out, b)
		}
	}
	return out
}
