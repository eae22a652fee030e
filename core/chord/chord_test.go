package chord

import (
	"strings"
	"testing"

	"stepping/core/pitch"
)

// Spelled by hand from the usual chord formulas.
func TestParse(t *testing.T) {
	for name, tones := range map[string]string{
		"D": "D F# A", "Em": "E G B", "A7": "A C# E G", "Bbmaj7": "Bb D F A", "F#m7b5": "F# A C E", "Csus4": "C F G",
		"G6": "G B D E", "Dadd9": "D E F# A", "Edim7": "E G Bb C#", "Caug": "C E G#", "C7#9": "C D# E G Bb", "D5": "D A", "D7/F#": "D F# A C", "C/D": "C D E G",
	} {
		c, err := Parse(name)
		if err != nil {
			t.Error(err)
			continue
		}
		want := uint16(0)
		for _, w := range strings.Fields(tones) {
			n, _ := pitch.ParseClass(w)
			want |= 1 << n.Class()
		}
		if c.Classes() != want {
			t.Errorf("%s: %012b, want %012b", name, c.Classes(), want)
		}
		for midi := 36; midi < 84; midi++ { // Has and Classes agree
			if c.Has(pitch.Midi(midi)) != (want>>(midi%12)&1 == 1) {
				t.Errorf("%s: note %d", name, midi)
			}
		}
	}
	if c, _ := Parse("D7/F#"); !c.IsBass(pitch.Midi(42)) || c.IsBass(pitch.Midi(38)) || c.Interval(pitch.Midi(42)) != 4 || IntervalName(4) != "major third" {
		t.Error("the bass of D7/F#")
	}
}

func TestParseErrors(t *testing.T) {
	for text, word := range map[string]string{"": "root", "d": "root", "H7": "root", "Dxyz": "known kinds", "D/": "bass", "D/Q": "bass"} {
		if _, err := Parse(text); err == nil || !strings.Contains(err.Error(), word) {
			t.Errorf("%q: %v", text, err)
		}
	}
}

// Every kind can be written on every root, and Triad is the symbol's chord.
func TestKinds(t *testing.T) {
	for kind := range kinds {
		for _, root := range strings.Fields("C C# Db D Eb E F F# G Ab A Bb B") {
			if _, err := Parse(root + kind); err != nil {
				t.Error(err)
			}
		}
	}
	minor, _ := Parse("Gm")
	n, _ := pitch.ParseClass("G")
	if got := Triad(n, true); got.Name != "Gm" || got.Classes() != minor.Classes() {
		t.Errorf("%+v", got)
	}
}
