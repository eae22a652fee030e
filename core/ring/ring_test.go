package ring

import (
	"math"
	"testing"

	"stepping/core/pitch"
	"stepping/core/player"
)

func TestSets(t *testing.T) {
	for n := 0; n <= 6; n++ {
		if Heel(n)|Upto(6-n) != Upto(6) || Heel(n)&Upto(6-n) != 0 {
			t.Errorf("heel over %d is %06b", n, Heel(n))
		}
		if n > 0 && (From(n)|Upto(n-1) != Upto(6) || !Of(n).Has(n) || Upto(n).Has(n+1)) {
			t.Errorf("string %d", n)
		}
	}
	if Of(0) != 0 {
		t.Error("no string is a string")
	}
}

// Values by hand: an octave up, partials 2, 4, 6 of the string meet 1, 2, 3 of the note:
// 1/2 + 1/8 + 1/18. A twelfth up: 3 and 1, 6 and 2: 1/3 + 1/12.
func TestSympathy(t *testing.T) {
	d := pitch.Midi(50)
	for _, tt := range []struct {
		note pitch.Pitch
		want float64
	}{
		{d, 1}, {d + pitch.Octave, 1.0/2 + 1.0/8 + 1.0/18}, {d + 19*pitch.HalfStep, 1.0/3 + 1.0/12}, {d + pitch.HalfStep, 0}, {d + 50, 0},
	} {
		if got := Sympathy(d, tt.note); math.Abs(got-tt.want) > 1e-9 {
			t.Errorf("note %d above D3: %v, want %v", tt.note-d, got, tt.want)
		}
		if Sympathy(d, tt.note) != Sympathy(tt.note, d) {
			t.Error("sympathy is not mutual")
		}
	}
	// 3·√(100/146.83) = 2.476 s for D3; a thinner string dies away sooner.
	if r := RingTime(d); math.Abs(r-2.476) > 1e-3 || RingTime(d+pitch.Octave) >= r {
		t.Errorf("D3 rings %v s", r)
	}
	if Strength(d, 0) != 1 || Strength(d, 3) >= Strength(d, 1) || Strength(d, 60) != 0 {
		t.Error("a string does not die away")
	}
	if db := Decibels(0.5); math.Abs(db+6.02) > 0.01 {
		t.Errorf("half the amplitude is %v dB", db)
	}
}

// Every school is contained in the one that uses all.
func TestSchools(t *testing.T) {
	for _, name := range player.Silences {
		p := player.Default()
		p.Silence = name
		s, all := SchoolOf(p), School{Heel: true, ThumbRest: true, Rests: true, Trailing: true, Stops: true, Little: true, Cares: true}
		if name == player.Both && s != all || name == player.Ring && s != (School{}) {
			t.Errorf("%s: %+v", name, s)
		}
		if name == player.Heel && (s.Trailing || !s.Heel) || name == player.Trailing && (!s.Trailing || s.Heel) {
			t.Errorf("%s: %+v", name, s)
		}
	}
}
