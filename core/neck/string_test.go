package neck

import (
	"math"
	"slices"
	"strings"
	"testing"
)

func near(t *testing.T, what string, got, want, tol float64) {
	t.Helper()
	if math.Abs(got-want) > tol {
		t.Errorf("%s: %v, want %v ± %v", what, got, want, tol)
	}
}

// Values worked out by hand from the formulas of the docstrings.
func TestStrings(t *testing.T) {
	e := String{GaugeIn: 0.012} // 0.3048 mm
	near(t, "mass of 0.012 plain, kg/m", e.Mass(), 5.7279e-4, 1e-7)
	near(t, "its tension as E4 on 648 mm, N", e.Tension(648, 329.63), 104.53, 0.05) // 5.7279e-4·(1.296·329.63)²
	near(t, "and back", e.HzAt(648, e.Tension(648, 329.63)), 329.63, 1e-9)
	near(t, "strength at 0.25 mm", Strength(0.25), 2.75e9, 1)
	near(t, "strength at 0.50 mm", Strength(0.50), 2.35e9, 1)
	w := String{GaugeIn: 0.053, Wound: true}
	near(t, "core of 0.053 wound, mm", w.Core(), (0.0105+0.17*0.053)*25.4, 1e-9)
	near(t, "feel of 100 N, N/mm", Feel(100, 648), 0.6173, 1e-4)
	near(t, "sag of 0.5 N at the middle of 100 N", Sag(0.5, 324, 648, 100), 0.81, 1e-9)
	near(t, "height at the middle", Height(2.5, 324, 648), 2.5, 1e-9)
	near(t, "height at the nut", Height(2.5, 0, 648), 0.5, 1e-9)
	// ΔL = 2²/2·(2/324) = 0.012346 mm; EA = 2e11·7.2966e-8 = 14593 N.
	near(t, "sharpening, cents", e.Sharpening(2, 324, 648, 104.53), 1200*math.Log2(1+0.5*14593/104.53*0.012346/648), 0.01)
	// (80 − 100)·1.15·648/14593 = −1.0213 mm over π·6, times 16.
	near(t, "turns", e.Turns(100, 80, 648, 6, 16), -0.8669, 1e-3)
	tube := Tube{Length: 60, Bore: 20, Wall: 3, Material: "brass"}
	g, ok := tube.Grams() // π(13² − 10²)·60·8500e-6
	near(t, "brass tube, g", g, 110.54, 0.05)
	if _, unknown := (Tube{Length: 60, Bore: 20, Wall: 3, Material: "bone"}).Grams(); !ok || unknown {
		t.Error("which slides can be weighed")
	}
}

// The stress of a plain string does not depend on its gauge; tension grows with gauge, pitch squared and
// length squared; of a set the strings lie within a hand's usual pull.
func TestStringProperties(t *testing.T) {
	last := 0.0
	for mils := 8; mils <= 24; mils++ {
		s := String{GaugeIn: float64(mils) / 1000}
		tension := s.Tension(648, 246.94)
		stress := s.Share(tension) * Strength(s.Core())
		near(t, "stress of B3", stress, 7850*math.Pow(2*0.648*246.94, 2), 1e3)
		if tension <= last {
			t.Errorf("gauge %d pulls no more", mils)
		}
		last = tension
		near(t, "an octave up, times", s.Tension(648, 2*246.94)/tension, 4, 1e-9)
		near(t, "twice as long, times", s.Tension(1296, 246.94)/tension, 4, 1e-9)
	}
	hz := []float64{329.63, 246.94, 196, 146.83, 110, 82.41}
	for _, set := range Sets[:5] {
		total := 0.0
		for i, s := range set.Strings {
			if err := s.Check(); err != nil {
				t.Fatal(err)
			}
			pull := s.Tension(648, hz[i])
			if total += pull; pull < 50 || pull > 205 || s.Share(pull) > 0.75 {
				t.Errorf("%s, string %d: %.0f N, %.0f%% of its strength", set.Name, i+1, pull, 100*s.Share(pull))
			}
		}
		if total < 500 || total > 1000 {
			t.Errorf("%s pulls %.0f N", set.Name, total)
		}
	}
	if (String{GaugeIn: 0.2}).Check() == nil || (String{GaugeIn: 0.02, Wrap: "gut"}).Check() == nil {
		t.Error("impossible strings are taken")
	}
}

// Sets as typed: read, written and read again they stay the same; faults name the string.
func FuzzStrings(f *testing.F) {
	for _, s := range []string{"light", "0.012 0.016 0.024w 0.032w 0.042w 0.053w", "12 16 24 32 42 53", "10p 13p 17p 26wn 36ws 46w",
		"", "0.5", "x", "NaN", "1e-2p"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		set, err := ParseStrings(text)
		if err != nil {
			if !strings.HasPrefix(err.Error(), "string ") {
				t.Errorf("%q: %v", text, err)
			}
			return
		}
		again, err := ParseStrings(FormatStrings(set))
		if err != nil || !slices.Equal(set, again) {
			t.Errorf("%q: %+v, again %+v (%v)", text, set, again, err)
		}
	})
}

func TestParseStrings(t *testing.T) {
	got, err := ParseStrings("12 .016 24 0.032wn 42p")
	if want := []String{{0.012, false, ""}, {0.016, false, ""}, {0.024, true, ""}, {0.032, true, "nickel"},
		{0.042, false, ""}}; err != nil || !slices.Equal(got, want) {
		t.Errorf("%v %+v", err, got)
	}
	for text, word := range map[string]string{"12 x": "string 2", "12 16 200": "string 3", "12w16": "not a gauge"} {
		if _, err := ParseStrings(text); err == nil || !strings.Contains(err.Error(), word) {
			t.Errorf("%q: %v", text, err)
		}
	}
}
