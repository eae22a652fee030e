package tuning

import (
	"strings"
	"testing"
	"testing/quick"

	"stepping/core/pitch"
)

func TestLibrary(t *testing.T) {
	if len(Library) < 14 {
		t.Fatalf("%d tunings", len(Library))
	}
	for _, n := range Library {
		tn, err := Parse(n.Name)
		if err != nil {
			t.Fatal(err)
		}
		if got := Identify(tn); got.Name != n.Name {
			t.Errorf("%s is recognised as %v", n.Name, got)
		}
		if again, err := Parse(tn.String()); err != nil || again != tn {
			t.Errorf("%s read back: %v %v", n.Name, again, err)
		}
		if bare, err := Parse(tn.Classes()); err != nil || bare.Open(3) != tn.Open(3) || bare.Open(6) != tn.Open(6) {
			t.Errorf("%s without octaves is %v", n.Name, bare)
		}
	}
}

// A tuning moved by half steps is the same shape, and says by how many.
func TestIdentifyByInterval(t *testing.T) {
	for _, n := range Library {
		tn, _ := Parse(n.Name)
		home := Identify(tn)
		for steps := -2; steps <= 3; steps++ {
			id := Identify(tn.Transpose(steps))
			if id.Shape != home.Shape || id.Steps != home.Steps+steps {
				t.Errorf("%s moved by %d is %+v", n.Name, steps, id)
			}
		}
	}
	other, err := Parse("D2 A2 D3 F#3 A3 E4")
	if err != nil || Identify(other).Shape != "" {
		t.Error(Identify(other), err)
	}
}

func TestParseErrors(t *testing.T) {
	for text, word := range map[string]string{
		"": "six", "D A D F# A": "6 to string 1", "D A D F# A H": "string 1", "D A X F# A D": "string 4", "D9 A D F# A D": "string 6", "E7 A D G B E": "range",
	} {
		if _, err := Parse(text); err == nil || !strings.Contains(err.Error(), word) {
			t.Errorf("%q: %v", text, err)
		}
	}
}

// Spelling a pitch and reading it back gives the pitch; hertz double with the octave.
func TestPitches(t *testing.T) {
	if err := quick.Check(func(n uint16, flat bool) bool {
		p := pitch.Pitch(2400 + int(n)%7200)
		note := pitch.Spell(p, flat)
		read, hasOctave, err := pitch.Parse(note.String())
		read.Cents = note.Cents
		ratio := (p + pitch.Octave).Hertz(440) / p.Hertz(440)
		return err == nil && hasOctave && read.Pitch() == p && note.Cents > -50 && note.Cents <= 50 && ratio > 1.9999999 && ratio < 2.0000001
	}, nil); err != nil {
		t.Error(err)
	}
	// A4 = MIDI 69 = 440 Hz by definition; E2 is 29 half steps below, 82.407 Hz.
	if a := pitch.Midi(69).Hertz(440); a != 440 {
		t.Error(a)
	}
	if e := pitch.Midi(40).Hertz(440); e < 82.406 || e > 82.408 {
		t.Error(e)
	}
}
