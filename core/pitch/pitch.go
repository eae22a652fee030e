// Package pitch holds pitches in cents, their spelling as notes, and their frequencies.
//
// A Pitch is a number of cents, so that quarter tones and slide positions
// between the frets need no second kind of pitch. A Note is a Pitch as somebody
// wrote it: a letter, an accidental and an octave.
//
// Conventions: octaves change at C, C4 is middle C (MIDI 60), A4 is the reference
// pitch (440 Hz unless the caller says otherwise).
package pitch

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Pitch is a height in cents above MIDI note 0 (C-1); MIDI note n is 100·n.
type Pitch int

// Cents in a half step and in an octave.
const (
	HalfStep Pitch = 100
	Octave   Pitch = 1200
)

// Midi returns the pitch of MIDI note n.
func Midi(n int) Pitch { return Pitch(n) * HalfStep }

// Nearest returns the nearest MIDI note and the remaining cents, -50 < cents <= 50.
func (p Pitch) Nearest() (midi, cents int) {
	midi = int(math.Floor(float64(p+49) / 100))
	return midi, int(p) - 100*midi
}

// Class returns the pitch class in cents above C: 0 <= class < 1200.
func (p Pitch) Class() Pitch { return ((p % Octave) + Octave) % Octave }

// Hertz returns the frequency of p in equal temperament, with a4 Hz for A4:
// f = a4 · 2^((p − 6900)/1200).
func (p Pitch) Hertz(a4 float64) float64 {
	return a4 * math.Exp2(float64(p-6900)/1200)
}

// Note is a spelled note. Alter is the accidental in half steps (-2 … 2), Cents
// a microtone next to it (±50 for a quarter tone), Octave the scientific octave.
type Note struct {
	Letter byte // 'A' … 'G'
	Alter  int
	Octave int
	Cents  int
}

// letterSteps is the half steps of each letter above C, from A.
var letterSteps = [...]int{9, 11, 0, 2, 4, 5, 7}

// steps is the note's half steps above the C below it; the zero Note counts as C.
func (n Note) steps() int {
	if n.Letter < 'A' || n.Letter > 'G' {
		return n.Alter
	}
	return letterSteps[n.Letter-'A'] + n.Alter
}

// Pitch returns the height of the note.
func (n Note) Pitch() Pitch {
	return Midi(12*(n.Octave+1)+n.steps()) + Pitch(n.Cents)
}

// Class returns the note's pitch class in half steps above C, 0 … 11, without its microtone.
func (n Note) Class() int {
	return (n.steps()%12 + 12) % 12
}

// ClassName returns letter and accidental, for example "F#".
func (n Note) ClassName() string {
	return string(n.Letter) + accidental(n.Alter)
}

// String returns letter, accidental and octave, for example "F#4"; a microtone is not shown.
func (n Note) String() string { return n.ClassName() + strconv.Itoa(n.Octave) }

func accidental(alter int) string {
	if alter < 0 {
		return strings.Repeat("b", -alter)
	}
	return strings.Repeat("#", alter)
}

var sharpNames = [12]string{"C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B"}
var flatNames = [12]string{"C", "Db", "D", "Eb", "E", "F", "Gb", "G", "Ab", "A", "Bb", "B"}

// Spell spells p as its nearest note, with flats if flat is set, else with sharps.
func Spell(p Pitch, flat bool) Note {
	midi, cents := p.Nearest()
	names := &sharpNames
	if flat {
		names = &flatNames
	}
	name := names[((midi%12)+12)%12]
	n := Note{Letter: name[0], Octave: int(math.Floor(float64(midi)/12)) - 1, Cents: cents}
	if len(name) > 1 {
		n.Alter = map[byte]int{'#': 1, 'b': -1}[name[1]]
	}
	return n
}

// ParseClass reads a letter and up to two accidentals at the start of s and
// returns the note (octave 0) and the number of bytes read; 0 bytes means that
// s does not start with a note.
func ParseClass(s string) (Note, int) {
	if s == "" {
		return Note{}, 0
	}
	letter := s[0]
	if letter >= 'a' && letter <= 'g' {
		letter -= 'a' - 'A'
	}
	if letter < 'A' || letter > 'G' {
		return Note{}, 0
	}
	n, used := Note{Letter: letter}, 1
	for used < len(s) && used < 3 {
		step := map[byte]int{'#': 1, 'b': -1}[s[used]]
		if step == 0 || n.Alter*step < 0 {
			break
		}
		n.Alter += step
		used++
	}
	return n, used
}

// Parse reads a note such as "F#4", "Bb2" or "D" (hasOctave false, octave 0).
// The error says what a note looks like.
func Parse(s string) (n Note, hasOctave bool, err error) {
	n, used := ParseClass(s)
	if used == 0 {
		return Note{}, false, fmt.Errorf("%q is not a note: write a letter A to G, then # or b if needed, then an octave if needed, like D, F# or Bb3", s)
	}
	if used == len(s) {
		return n, false, nil
	}
	octave, err := strconv.Atoi(s[used:])
	if err != nil || octave < 0 || octave > 8 {
		return Note{}, false, fmt.Errorf("%q is not a note: after %s comes an octave from 0 to 8 or nothing", s, s[:used])
	}
	n.Octave = octave
	return n, true, nil
}
