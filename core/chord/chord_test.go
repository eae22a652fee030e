package chord

import (
	"slices"
	"strings"
	"testing"

	"stepping/core/pitch"
)

// Spelled by hand from the usual chord formulas.
func TestParse(t *testing.T) {
	for name, tones := range map[string]string{
		"D": "D F# A", "Em": "E G B", "A7": "A C# E G", "Bbmaj7": "Bb D F A", "F#m7b5": "F# A C E", "Csus4": "C F G",
		"G6": "G B D E", "Dadd9": "D E F# A", "Edim7": "E G Bb C#", "Caug": "C E G#", "C7#9": "C D# E G Bb", "D5": "D A",
		"D7/F#": "D F# A C", "C/D": "C D E G",
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
	if c, _ := Parse("D7/F#"); !c.IsBass(pitch.Midi(42)) || c.IsBass(pitch.Midi(38)) || c.Interval(pitch.Midi(42)) != 4 ||
		IntervalName(4) != "major third" {
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
	if len(Kinds) < 48 {
		t.Errorf("%d kinds", len(Kinds))
	}
	var all []string
	for _, k := range Kinds {
		all = append(all, k.Name)
	}
	for alias := range aliases {
		all = append(all, alias)
	}
	for _, kind := range all {
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

// A chord in root position is named as it is written, whatever else its notes could be; the set
// of a reading is what sounds, but for a fifth.
func TestNames(t *testing.T) {
	for _, k := range Kinds {
		for root := range 12 {
			var sounding []pitch.Pitch
			for _, iv := range k.Tones {
				sounding = append(sounding, pitch.Midi(48+root+iv))
			}
			readings := Names(sounding, pitch.Usual)
			if len(readings) == 0 || !slices.ContainsFunc(readings, func(r Reading) bool {
				return r.Chord.Name == pitch.Usual.Class(root).ClassName()+k.Name && r.Missing == nil
			}) {
				t.Errorf("%s%s is not read back: %+v", pitch.Usual.Class(root).ClassName(), k.Name, readings)
			}
			for _, r := range readings {
				if again, err := Parse(r.Chord.Name); err != nil || again.Classes() != r.Chord.Classes() {
					t.Errorf("%s is written for %v and read as %v: %v", r.Chord.Name, r.Chord.Tones, again.Tones, err)
				}
				if set := classSet(sounding); set&^r.Chord.Classes() != 0 || len(r.Missing) == 0 && set != r.Chord.Classes() {
					t.Errorf("%s read as %s", k.Name, r.Chord.Name)
				}
			}
		}
	}
	for _, tt := range []struct{ notes, want string }{
		{"F3 A3 C4 E4", "Fmaj7"}, // an F shape with the top string left open
		{"A2 C3 E3 G3", "Am7"}, {"C3 E3 G3 A3", "C6"}, {"D3 F#3 C4", "D7 without its fifth"}, {"E3 C4 G4", "C/E"}, {"D3 A3", "D5"},
		{"D3 D4", "D alone"},
		{"D3 F3 Ab3", "Ddim"}, {"F3 Ab3 D4", "Ddim/F"}, {"G#2 D3 F3", "Ddim/Ab"}, {"D3 F#3 Ab3", "D(b5)"},
		{"C3 E3 G3 C#4 F#4", "C with C#, F# added"}, {"C3 C#3", "the notes C, C#, C lowest"}, {"", "nothing sounds"},
	} {
		var sounding []pitch.Pitch
		for _, w := range strings.Fields(tt.notes) {
			n, _, _ := pitch.Parse(w)
			sounding = append(sounding, n.Pitch())
		}
		if got := Describe(sounding, pitch.Usual); got != tt.want {
			t.Errorf("%s: %s, want %s", tt.notes, got, tt.want)
		}
	}
}
