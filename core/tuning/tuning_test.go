package tuning

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"testing/quick"

	"stepping/core/pitch"
)

func TestLibrary(t *testing.T) {
	if len(Library) < 36 {
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

// However a player types the notes of a known tuning, it is that tuning; and so is its name.
func TestAsTyped(t *testing.T) {
	for _, n := range Library {
		want, _ := Parse(n.Name)
		bare, err := Parse(want.Classes())
		if err != nil {
			t.Fatal(err)
		}
		letters := want.Letters()
		for _, text := range []string{
			letters, strings.ToLower(letters), strings.ReplaceAll(want.Classes(), " ", "-"), strings.ReplaceAll(want.Classes(), " ", ", "),
			strings.NewReplacer("#", "♯", "b", "♭").Replace(letters), letters[:1] + " " + letters[1:], " (" + letters + ") ",
		} {
			if got, err := Parse(text); err != nil || got.Classes() != bare.Classes() || got != bare {
				t.Errorf("%s typed as %q: %v %v", n.Name, text, got, err)
			}
		}
		for _, text := range []string{
			strings.ReplaceAll(want.String(), " ", ""), strings.ToLower(n.Name), strings.ReplaceAll(n.Name, " ", "-"), n.Name + " tuning",
		} {
			if got, err := Parse(text); err != nil || got != want {
				t.Errorf("%s typed as %q: %v %v", n.Name, text, got, err)
			}
		}
	}
	for text, want := range map[string]string{
		"DADGAD -1": "C#2 G#2 C#3 F#3 G#3 C#4", "EADGBe": "E2 A2 D3 G3 B3 E4", "g2b2d3g3": "G2 B2 D3 G3",
		strings.Repeat("b", 40): "", "DADGA": "", "DADGADGAD": "", "DADGAH": "", "C#": "",
	} {
		if got, err := ParseAny(text); (err == nil) != (want != "") || err == nil && got.String() != want {
			t.Errorf("%q: %v %v", text, got, err)
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
		"": "six", "D A D F# A": "6 to string 1", "D A D F# A H": "string 1", "D A X F# A D": "string 4",
		"D9 A D F# A D": "string 6", "E7 A D G B E": "range",
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

// The nearest tuning differs on the strings that it names, and on no fewer than any other could; what
// is a known shape moved is near by no string at all.
func TestNearest(t *testing.T) {
	for _, tt := range []struct{ spelt, want string }{
		{"D A D F A D", "Open D minor's shape"}, {"Eb2 Bb2 Eb3 G3 Bb3 Eb4", "Open D's shape, 1 half step up"},
		{"D2 A2 D3 F#3 A3 E4", "one string away from Open D: string 1"},
		{"Eb2 Ab2 Eb3 Ab3 C4 Eb4", "Open G's shape, 1 half step up"},
	} {
		tn, err := Parse(tt.spelt)
		if err != nil {
			t.Fatal(err)
		}
		if near, ok := Nearest(tn); !ok || near.Text() != tt.want {
			t.Errorf("%s: %s, want %s", tt.spelt, near.Text(), tt.want)
		}
	}
	for _, n := range Library {
		tn, _ := Parse(n.Name)
		if up, err := Parse(n.Name + " +1"); err != nil || up.Open(1) != tn.Open(1)+100 || up.Open(6) != tn.Open(6)+100 {
			t.Errorf("%s a half step up: %v %v", n.Name, up, err)
		}
		for s := 1; s <= Strings; s++ {
			changed := tn.Retuned(s, 1)
			near, _ := Nearest(changed)
			known, _ := Parse(near.Named.Spelt)
			for str := 1; str <= Strings; str++ {
				if same := changed.Open(str)-known.Open(str) == pitch.Midi(near.Steps); same == slices.Contains(near.Strings, str) {
					t.Errorf("%s with string %d raised is %+v", n.Name, s, near)
				}
			}
			if len(near.Strings) > 1 {
				t.Errorf("%s with string %d raised is %d strings from anything", n.Name, s, len(near.Strings))
			}
		}
	}
}

// In a major open tuning a straight bar gives home at frets 0 and 12, the fourth degree at 5 and the
// fifth at 7; in standard tuning it spells no plain triad anywhere. Spots are what their frets sound.
func TestGives(t *testing.T) {
	for _, name := range []string{"Open D", "Open G", "Open C", "Open A", "Open E"} {
		tn, _ := Parse(name)
		bars := Bars(tn, Home(tn), 12)
		for fret, degree := range map[int]string{0: "I", 5: "IV", 7: "V", 12: "I"} {
			if bars[fret].Degree != degree || strings.ContainsAny(bars[fret].Chord, "m7") {
				t.Errorf("%s at %d: %+v", name, fret, bars[fret])
			}
		}
	}
	std, _ := Parse("Standard")
	for _, b := range Bars(std, Home(std), 12) {
		if len(b.Chord) <= 2 {
			t.Errorf("a bar at %d in standard tuning is called %s", b.Fret, b.Chord)
		}
	}
	six, _ := Parse("Open G sixth")
	minor := false
	for _, p := range Partials(six, Home(six)) {
		minor = minor || p.Chord == "Em/G"
	}
	if !minor {
		t.Errorf("no strings of open G sixth give E minor: %+v", Partials(six, Home(six)))
	}
	for _, sc := range Scales {
		thirds := 0
		for _, s := range Spots(six, Home(six), sc, 12) {
			if got := six.Open(s.String) + pitch.Pitch(100*s.Fret); got != s.Note.Pitch() {
				t.Errorf("string %d at %v is called %s", s.String, s.Fret, s.Note)
			}
			if s.Degree == "blue III" {
				thirds++
			}
		}
		if sc.Third != (thirds > 0) {
			t.Errorf("%s has %d blue thirds", sc.Name, thirds)
		}
	}
}

// Tunings of 4 to 8 strings in any order of pitch: as they are written they are read; moved there and back
// they sound as before, spelled without double accidentals; one string retuned changes that string alone;
// where all of it is given, a straight bar keeps its kind of chord from fret to fret.
func TestAnyTuning(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 8))
	for range 400 {
		notes := make([]pitch.Note, MinStrings+rng.IntN(MaxStrings-MinStrings+1))
		for i := range notes {
			notes[i] = pitch.Spell(pitch.Midi(36+rng.IntN(30)), rng.IntN(2) == 0)
		}
		tn := New(notes...)
		read, err := ParseAny(tn.String())
		if err != nil || read != tn {
			t.Fatalf("%s is read as %s (%v)", tn, read, err)
		}
		if _, err := Parse(tn.String()); (err == nil) != (tn.Len() == Strings) {
			t.Fatalf("%s as a tuning of six: %v", tn, err)
		}
		n := rng.IntN(13) - 6
		moved := tn.Transpose(n)
		back := moved.Transpose(-n)
		str := 1 + rng.IntN(tn.Len())
		one := tn.Retuned(str, n)
		for s := 1; s <= tn.Len(); s++ {
			if moved.Open(s)-tn.Open(s) != pitch.Midi(n) || back.Open(s) != tn.Open(s) || max(moved.Note(s).Alter, -moved.Note(s).Alter) > 1 {
				t.Fatalf("%s moved by %d is %s, back %s", tn, n, moved, back)
			}
			if want := tn.Open(s); one.Open(s) != want && s != str || s == str && one.Open(s) != want+pitch.Midi(n) {
				t.Fatalf("%s with string %d moved by %d is %s", tn, str, n, one)
			}
		}
		key := Home(tn)
		bars := Bars(tn, key, 12)
		if bars[0].Degree != "I" || bars[12].Degree != "I" || bars[0].Chord != bars[12].Chord {
			t.Fatalf("%s: %+v", tn, bars)
		}
		for _, p := range Partials(tn, key) {
			if p.From <= p.To || p.From-p.To > 2 || p.Chord == "" {
				t.Fatalf("%s: %+v", tn, p)
			}
		}
	}
}

// FuzzParse: whatever is read is written so that it is read again, and lies on a guitar.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"Open D", "open g +2", "D A D F# A D", "E2 A2 D3 G3 B3 E4", "G2 D3 G3 B3 D4", "Standard -12",
		"B0 B0 B0 B0", "Cb Fb E# B# C## Dbb", "", "D9 A D F A D"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		tn, err := ParseAny(s)
		if err != nil {
			return
		}
		again, err := ParseAny(tn.String())
		if err != nil || again != tn {
			t.Errorf("%q is %s, again %s (%v)", s, tn, again, err)
		}
		for str := 1; str <= tn.Len(); str++ {
			if p := tn.Open(str); p < pitch.Midi(23) || p > pitch.Midi(83) {
				t.Errorf("%q: string %d is %s", s, str, tn.Note(str))
			}
		}
	})
}
