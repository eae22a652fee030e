package pitch

// Spelling names the twelve pitch classes.
type Spelling struct {
	notes [12]Note // by half steps above C, octave 0
}

// Usual is how roots of chords are written where no key is known.
var Usual = usual()

func usual() *Spelling {
	s := new(Spelling)
	for class, name := range [12]string{"C", "C#", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B"} {
		s.notes[class], _ = ParseClass(name)
	}
	return s
}

// degreeLetters is how many letters above the tonic the degree so many half steps above it is written:
// 1 b2 2 b3 3 4 b5 5 b6 6 b7 7.
var degreeLetters = [12]int{0, 1, 1, 2, 2, 3, 4, 4, 5, 5, 6, 6}

// InKey spells every pitch class by its degree in the key on tonic, so that a third of E is G# and one of
// Db is F. Where that takes two accidentals, or turns a degree outside the major scale into Cb, Fb, E# or
// B#, the usual name stands.
func InKey(tonic Note) *Spelling {
	s := usual()
	for degree, letters := range degreeLetters {
		n := Note{Letter: 'A' + byte((int(tonic.Letter-'A')+letters)%7)}
		class := (tonic.Class() + degree) % 12
		n.Alter = (class-n.Class()+18)%12 - 6
		if n.Alter < -1 || n.Alter > 1 || !major(degree) && n.Alter != 0 && natural(class) {
			continue
		}
		s.notes[class] = n
	}
	return s
}

// Scales as sets of pitch classes above the tonic: bit 0 is the tonic, bit 7 the fifth.
const (
	MajorScale   uint16 = 0b101010110101
	NaturalMinor uint16 = 0b010110101101
)

func major(degree int) bool  { return MajorScale>>degree&1 != 0 }
func natural(class int) bool { return major(class) } // C major has the natural notes

// Class names the pitch class so many half steps above C.
func (s *Spelling) Class(class int) Note { return s.notes[(class%12+12)%12] }

// Spell spells p as its nearest note.
func (s *Spelling) Spell(p Pitch) Note {
	midi, cents := p.Nearest()
	n := s.Class(midi)
	n.Cents = cents
	n.Octave = (midi-n.steps())/12 - 1 // exact: B# and Cb lie beyond their octave's C
	return n
}
