package neck

import (
	"math"
	"testing"
)

var guitar = Neck{Scale: 648, Nut: 36, Bridge: 54, Frets: 20}

func TestReferenceValues(t *testing.T) {
	for _, tt := range []struct {
		what      string
		got, want float64
		tolerance float64
	}{
		{"octave halves the string", guitar.X(12), 324, 1e-9},
		{"fret 7 of the rule of equal temperament", guitar.X(7), 648 * (1 - math.Pow(2, -7.0/12)), 1e-9},
		{"three frets at the nut, mm (craft brief: 99 without fret 4)", guitar.X(3), 103.1, 0.1},
		{"cents a mm at fret 3 (brief: about 3)", guitar.CentsPerMM(3), 3.18, 0.02},
		{"at fret 12 (brief: 5)", guitar.CentsPerMM(12), 5.34, 0.02},
		{"at fret 17 (brief: 7)", guitar.CentsPerMM(17), 7.13, 0.02},
		{"spacing at the nut", guitar.Spacing(0), 7.2, 1e-9},
	} {
		if math.Abs(tt.got-tt.want) > tt.tolerance {
			t.Errorf("%s: %v, want %v", tt.what, tt.got, tt.want)
		}
	}
}

// X and FretAt are inverse; the window is what ±5 cents are in mm; both shrink going up.
func TestProperties(t *testing.T) {
	for n := 0.0; n < 24; n += 0.25 {
		if back := guitar.FretAt(guitar.X(n)); math.Abs(back-n) > 1e-9 {
			t.Errorf("fret %v comes back as %v", n, back)
		}
		half := guitar.Window(n) / 2
		cents := 100 * (guitar.FretAt(guitar.X(n)+half) - n)
		if math.Abs(cents-InTuneCents) > 0.03 { // the window takes the slope at n
			t.Errorf("half a window at %v is %v cents", n, cents)
		}
		if guitar.Window(n+1) >= guitar.Window(n) || guitar.Spacing(n+1) <= guitar.Spacing(n) ||
			guitar.SlideLength(3, n) <= guitar.SlideLength(2, n) {
			t.Errorf("at %v something does not grow or shrink", n)
		}
		// The same fret behind a capo: distances shrink by one factor.
		if got, want := guitar.X(n+2)-guitar.X(2), guitar.X(n)*math.Pow(2, -2.0/12); math.Abs(got-want) > 1e-9 {
			t.Errorf("capo 2, fret %v: %v, want %v", n, got, want)
		}
	}
}
