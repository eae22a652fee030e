package tune

import (
	"testing"

	"stepping/core/chord"
	"stepping/core/pitch"
)

// Moved and moved back, a tune is what it was, and chord and notes keep their intervals.
func TestTransposed(t *testing.T) {
	c, err := chord.Parse("Gm7/Bb")
	if err != nil {
		t.Fatal(err)
	}
	tu := &Tune{Key: Key{Tonic: pitch.Note{Letter: 'G'}, Minor: true, Flats: true}, Chords: []ChordAt{{0, c}}}
	for i := range 12 {
		n := Note{At: Time(i) * Quarter, Dur: Quarter, Note: pitch.Spell(pitch.Midi(60+i), true)}
		n.Note.Cents = -50 * (i % 2)
		n.With = []pitch.Note{pitch.Spell(pitch.Midi(50+i), true)}
		tu.Notes = append(tu.Notes, n)
	}
	for steps := -24; steps <= 24; steps++ {
		up := tu.Transposed(steps)
		back := up.Transposed(-steps)
		for i := range tu.Notes {
			if d := up.Notes[i].Note.Pitch() - tu.Notes[i].Note.Pitch(); d != pitch.Midi(steps) {
				t.Fatalf("%+d: note %d moved by %d cents", steps, i, d)
			}
			if back.Notes[i].Note.Pitch() != tu.Notes[i].Note.Pitch() || back.Notes[i].With[0].Pitch() != tu.Notes[i].With[0].Pitch() {
				t.Fatalf("%+d and back: note %d is %v", steps, i, back.Notes[i])
			}
		}
		got := up.Chords[0].Chord
		if (got.Root.Class()-c.Root.Class()-steps)%12 != 0 || (got.Bass.Class()-c.Bass.Class()-steps)%12 != 0 || len(got.Tones) != 4 {
			t.Errorf("%+d: %+v", steps, got)
		}
		if again, err := chord.Parse(got.Name); err != nil || again.Classes() != got.Classes() {
			t.Errorf("%+d: %q reads back as %+v, %v", steps, got.Name, again, err)
		}
	}
	if tu.Transposed(0) != tu {
		t.Error("not moved, yet copied")
	}
}

// Peaks: the highest note of each phrase, the first of equals, and not a passing short one.
func TestPeaks(t *testing.T) {
	for _, tt := range []struct {
		notes string // letters are pitches, capitals twice as long; a dot is a rest
		want  string
	}{
		{"abcba.abc", "..^....^"}, // a rest ends a phrase
		{"aDd.bb", ".^^^."},       // so does a long note before a shorter one; of equals the first
		{"ABdCA", "....."},        // the highest only passes
		{"", ""},
	} {
		tu, got := &Tune{}, ""
		at := Time(0)
		for _, r := range tt.notes {
			dur := Quarter
			if r >= 'A' && r <= 'G' {
				dur, r = 2*Quarter, r+'a'-'A'
			}
			if r != '.' {
				tu.Notes = append(tu.Notes, Note{At: at, Dur: dur, Note: pitch.Spell(pitch.Midi(60+int(r-'a')), false)})
			}
			at += dur
		}
		for _, p := range tu.Peaks() {
			if p {
				got += "^"
			} else {
				got += "."
			}
		}
		if got != tt.want {
			t.Errorf("%q: %q, want %q", tt.notes, got, tt.want)
		}
	}
}
