package pitch

import (
	"strings"
	"testing"
)

// In every usual key the major scale takes each letter once, as written in any textbook; every spelling
// of every pitch sounds that pitch, and the other degrees take the letter of their number or a plain name.
func TestInKey(t *testing.T) {
	for key, scale := range map[string]string{
		"C": "C D E F G A B", "E": "E F# G# A B C# D#", "Ab": "Ab Bb C Db Eb F G", "F#": "F# G# A# B C# D# E#",
		"Gb": "Gb Ab Bb Cb Db Eb F", "B": "B C# D# E F# G# A#",
		"D": "D E F# G A B C#", "Db": "Db Eb F Gb Ab Bb C", "Bb": "Bb C D Eb F G A", "A": "A B C# D E F# G#",
	} {
		tonic, _ := ParseClass(key)
		s := InKey(tonic)
		var got []string
		for _, step := range []int{0, 2, 4, 5, 7, 9, 11} {
			got = append(got, s.Class(tonic.Class()+step).ClassName())
		}
		if strings.Join(got, " ") != scale {
			t.Errorf("%s: %v, want %s", key, got, scale)
		}
	}
	for letter := byte('A'); letter <= 'G'; letter++ {
		for alter := -2; alter <= 2; alter++ {
			s := InKey(Note{Letter: letter, Alter: alter})
			for p := Pitch(2300); p < 8400; p += 50 {
				n := s.Spell(p)
				if n.Pitch() != p || n.Alter < -1 || n.Alter > 1 {
					t.Fatalf("%d in the key of %c %+d is %+v", p, letter, alter, n)
				}
			}
		}
	}
	e := InKey(Note{Letter: 'E'})
	for class, want := range map[int]string{8: "G#", 7: "G", 2: "D", 10: "Bb", 5: "F"} { // III, bIII, bVII, bV, bII
		if got := e.Class(class).ClassName(); got != want {
			t.Errorf("%d in E is %s, want %s", class, got, want)
		}
	}
}
