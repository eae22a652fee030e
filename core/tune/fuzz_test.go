package tune

import (
	"errors"
	"strings"
	"testing"
)

// FuzzProgression: whatever is typed is either refused at a place inside the text, or read into a tune
// whose bars are full, whose chords ascend within it, and that reads back from its own symbols.
func FuzzProgression(f *testing.F) {
	for _, text := range []string{"D | G A7 | . | D . . Em |", "| C |", "F#m7b5/A | Bb6/9", "||", "D|D|D", "D\tG\nA", ". . ."} {
		f.Add(text, uint8(4))
	}
	f.Fuzz(func(t *testing.T, text string, num uint8) {
		m := MeterAt{Num: 2 + int(num%5), Den: 4}
		tu, err := Progression(text, m, 90)
		if err != nil {
			var fault *ProgressionError
			if !errors.As(err, &fault) || fault.Bar < 1 || fault.Column < 1 || fault.Column > len(text)+2 {
				t.Fatalf("%q: %v", text, err)
			}
			return
		}
		if tu.Length != Time(len(tu.Bars))*m.Bar() {
			t.Fatalf("%q: %d bars in %v", text, len(tu.Bars), tu.Length)
		}
		var words []string
		for i, c := range tu.Chords {
			if c.At < 0 || c.At >= tu.Length || i > 0 && c.At <= tu.Chords[i-1].At {
				t.Fatalf("%q: chord %d at %v", text, i, c.At)
			}
			words = append(words, c.Chord.Name)
		}
		again, err := Progression(strings.Join(words, " | "), m, 90)
		if err != nil || len(again.Chords) != len(tu.Chords) {
			t.Fatalf("%q read back as %v: %v", text, words, err)
		}
	})
}
