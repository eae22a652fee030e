package pattern

import (
	"math"
	"slices"
	"testing"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/tune"
	"stepping/core/tuning"
)

func mustChord(t *testing.T, s string) chord.Chord {
	t.Helper()
	c, err := chord.Parse(s)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func bestPlace(places []Place) Place {
	best := places[0]
	for _, p := range places {
		if p.Fit < best.Fit {
			best = p
		}
	}
	return best
}

// Where players put root and alternate, from the craft brief's rules.
func TestPlaces(t *testing.T) {
	for _, tt := range []struct {
		tuning, chord            string
		rootString, rootFret     int
		alterString, alterFret   int
		alterString2, alterFret2 int // as good
	}{
		{"Standard", "E", 6, 0, 5, 2, 4, 2},
		{"Standard", "A", 5, 0, 6, 0, 4, 2},
		{"Standard", "C", 5, 3, 4, 2, 6, 3},
		{"Standard", "G", 6, 3, 4, 0, 4, 0},
		{"Standard", "D7", 4, 0, 3, 2, 3, 2},
		{"Standard", "E7", 6, 0, 5, 2, 4, 2},
		{"Open D", "D", 6, 0, 5, 0, 4, 0},
		{"Open G", "G", 5, 0, 6, 0, 4, 0},
		{"Open D", "A", 5, 0, 6, 2, 4, 2},
	} {
		tn, err := tuning.Parse(tt.tuning)
		if err != nil {
			t.Fatal(err)
		}
		c := mustChord(t, tt.chord)
		if p := bestPlace(Places(tn, 0, c, Root)); p.String != tt.rootString || p.Fret != tt.rootFret {
			t.Errorf("%s %s root: %+v", tt.tuning, tt.chord, p)
		}
		p := bestPlace(Places(tn, 0, c, Alternate))
		first := p.String == tt.alterString && p.Fret == tt.alterFret
		second := p.String == tt.alterString2 && p.Fret == tt.alterFret2
		if !first && !second {
			t.Errorf("%s %s alternate: %+v", tt.tuning, tt.chord, p)
		}
	}
}

// Over every chord and tuning: with a capo the same places, two frets up for two steps.
func TestPlacesMoveWithCapo(t *testing.T) {
	for _, n := range tuning.Library {
		tn, _ := tuning.Parse(n.Spelt)
		for root := range 12 {
			c := chord.Triad(pitch.Spell(pitch.Midi(60+root), false), root%2 == 0)
			up := chord.Triad(pitch.Spell(pitch.Midi(62+root), false), root%2 == 0)
			for _, role := range []Role{Root, Alternate} {
				low, high := Places(tn, 0, c, role), Places(tn.Transpose(2), 0, up, role)
				capo := Places(tn, 2, up, role)
				if len(low) != len(high) || len(low) != len(capo) {
					t.Fatalf("%s %s: %d, %d and %d places", n.Name, c.Name, len(low), len(high), len(capo))
				}
				for i := range low {
					if low[i].String != capo[i].String || low[i].Fret+2 != capo[i].Fret {
						t.Errorf("%s %s: %+v, with a capo %+v", n.Name, c.Name, low[i], capo[i])
					}
				}
			}
		}
	}
}

// One stroke a felt beat, the alternate on every second, counted so that a pickup's last
// beat is the bar's last.
func TestStrokes(t *testing.T) {
	for _, tt := range []struct {
		num, den int
		pickup   tune.Time
		want     string
	}{
		{4, 4, 0, "RARARARA"}, {3, 4, 0, "RARRAR"}, {6, 8, 0, "RARA"}, {2, 2, 0, "RARA"}, {4, 4, tune.Quarter, "ARARARARA"},
		{4, 4, tune.Quarter / 2, "RARARARA"},
	} {
		m := tune.MeterAt{Num: tt.num, Den: tt.den}
		tu := &tune.Tune{Meters: []tune.MeterAt{m}, Bars: []tune.Time{0}, Length: tt.pickup + 2*m.Bar()}
		if tt.pickup > 0 {
			tu.Bars = append(tu.Bars, tt.pickup)
		}
		tu.Bars = append(tu.Bars, tt.pickup+m.Bar())
		got := ""
		for _, s := range Strokes(tu, Alternating, nil, "two-four", All) {
			got += string("RA"[s.Role])
			if s.Loud != (s.Role == Alternate) {
				t.Errorf("accent on two and four: %+v", s)
			}
		}
		if got != tt.want {
			t.Errorf("%d/%d with pickup %v: %s, want %s", tt.num, tt.den, tt.pickup, got, tt.want)
		}
	}
}

// The root is struck where the bass of the chords changes, on whichever beat that is, and where it changes between
// two beats on the next; a D that becomes a D7 goes on as it was.
func TestRootAtChange(t *testing.T) {
	for _, tt := range []struct {
		chord string
		at    tune.Time
		want  string
	}{
		{"A", tune.Quarter, "RRAR"}, {"A", tune.Quarter / 2, "RRAR"}, {"A", 3 * tune.Quarter / 2, "RARA"},
		{"A", 3 * tune.Quarter, "RARR"}, {"A", 5 * tune.Quarter / 2, "RARR"}, {"D7", tune.Quarter, "RARA"}, {"D/F#", tune.Quarter, "RRAR"},
	} {
		tu := &tune.Tune{Meters: []tune.MeterAt{{Num: 4, Den: 4}}, Bars: []tune.Time{0}, Length: tune.Whole}
		for at, name := range map[tune.Time]string{0: "D", tt.at: tt.chord} {
			c, err := chord.Parse(name)
			if err != nil {
				t.Fatal(err)
			}
			tu.Chords = append(tu.Chords, tune.ChordAt{At: at, Chord: c})
		}
		slices.SortFunc(tu.Chords, func(a, b tune.ChordAt) int { return int(a.At - b.At) })
		got := ""
		for _, s := range Strokes(tu, Alternating, nil, "", All) {
			got += string("RA"[s.Role])
		}
		if got != tt.want {
			t.Errorf("%s at %v: %s, want %s", tt.chord, tt.at, got, tt.want)
		}
	}
}

// TestTerms works out by hand a case for every figure of fit and clash. In open D the root of D lies on
// string 6 (D2), the fifth on 5 (A2), the octave on 4 (D3).
func TestTerms(t *testing.T) {
	tn, err := tuning.Parse("Open D")
	if err != nil {
		t.Fatal(err)
	}
	chordOf := func(name string) chord.Chord {
		c, err := chord.Parse(name)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	d := chordOf("D")
	for _, c := range []struct {
		what string
		over chord.Chord
		role Role
		str  int
		midi int
		want float64
	}{
		{"the root", d, Root, 6, 38, 0},
		{"the fifth for the root", d, Root, 5, 45, fitFifthAsRoot},
		{"the third for the root", d, Root, 6, 42, fitThird},
		{"no tone for the root", d, Root, 6, 40, fitNoChordTone},
		{"the seventh for the root", chordOf("D7"), Root, 6, 48, fitOtherTone},
		{"an octave above the root", d, Root, 4, 50, fitOctaveUp},
		{"the octave on string 4 as alternate", d, Alternate, 4, 50, 0},
		{"the fifth on string 5 as alternate", d, Alternate, 5, 45, fitOtherString},
		{"the third on string 4 as alternate", d, Alternate, 4, 54, fitOctaveUp},
		{"the seventh on string 4 as alternate", chordOf("D7"), Alternate, 4, 48, fitColour},
		{"the root's own string as alternate", d, Alternate, 6, 45, fitSameString},
		{"a third close above the root is muddy", d, Alternate, 5, 42, fitOtherString + fitMuddy},
		{"a higher tone below the root", d, Higher, 6, 33, fitNotHigher},
		{"a step into the root", d, Walk, 6, 40, 0},
		{"a half step into the root", d, Walk, 6, 39, fitHalfStep},
		{"a fifth leads less", d, Walk, 5, 45, fitFifthAsRoot},
		{"a third leads nowhere", d, Walk, 6, 42, fitNoChordTone},
	} {
		if got := Fit(tn, 0, c.over, c.role, c.str, pitch.Midi(c.midi)); math.Abs(got-c.want) > 1e-9 {
			t.Errorf("%s: %v, by hand %v", c.what, got, c.want)
		}
	}
	std := mustTuning(t, "Standard")
	fifth := func(p Place) bool { return p == Place{4, 5, 0} }
	if c := mustChord(t, "C"); !slices.ContainsFunc(Places(mustTuning(t, "Open G"), 0, c, Alternate), fifth) { // root on 5:5
		t.Errorf("over C in open G the fifth near the root is not offered: %v", Places(mustTuning(t, "Open G"), 0, c, Alternate))
	}
	if got := Fit(std, 0, d, Alternate, 5, pitch.Midi(45)); got != fitBelowRoot {
		t.Errorf("the fifth below a root on string 4: %v, by hand %v", got, fitBelowRoot)
	}
	if got := Fit(std, 0, d, Alternate, 3, pitch.Midi(57)); got != 0 {
		t.Errorf("the fifth above it: %v, by hand 0", got)
	}
	for iv, want := range []float64{0, 2, 0.9, 1.5, 0, 0.6, 2, 0, 1.5, 0.6, 0.9, 2} {
		if got := Clash(d, pitch.Midi(38+iv)); got != want {
			t.Errorf("%d half steps above the root of D: clash %v, want %v", iv, got, want)
		}
	}
}

func mustTuning(t *testing.T, name string) tuning.Tuning {
	t.Helper()
	tn, err := tuning.Parse(name)
	if err != nil {
		t.Fatal(err)
	}
	return tn
}
