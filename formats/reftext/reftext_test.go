package reftext

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/reference"
	"stepping/core/tune"
)

const folder = "../../core/plan/testdata"

func readAll(t testing.TB, name string) (refs []*reference.Reference) {
	t.Helper()
	names, err := filepath.Glob(filepath.Join(folder, name, "*.ref"))
	if err != nil || len(names) < 18 {
		t.Fatal(len(names), err)
	}
	for _, name := range names {
		f, err := os.Open(name)
		if err != nil {
			t.Fatal(err)
		}
		r, err := Read(f, filepath.Base(name))
		f.Close()
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		refs = append(refs, r)
	}
	return refs
}

// Floors of the agreement with the reference arrangements, in tenths of a percent: they only go up. (Once the melody's fell by two
// notes of 1593: a shift onto an open string over a fretted one was aimed at no fret at all.)
const (
	melodyFloor = 957
	bassFloor   = 995
)

// Those of the arrangements with fingers, by whether their bass is written.
var floors = map[bool]struct{ melody, bass, fingers int }{false: {905, 910, 860}, true: {990, 970, 740}}

// TestReferences: the best plans choose what good players chose.
func TestReferences(t *testing.T) {
	w := plan.InForce()
	a, err := reference.Agree(t.Context(), reference.Cases(readAll(t, "references")), &w)
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("figure: agreement with the references: melody %d of %d, bass %d of %d", a.Melody, a.MelodyOf, a.Bass, a.BassOf)
	if 1000*a.Melody < melodyFloor*a.MelodyOf || 1000*a.Bass < bassFloor*a.BassOf {
		t.Errorf("melody %d of %d, bass %d of %d: below the floor", a.Melody, a.MelodyOf, a.Bass, a.BassOf)
	}
}

// TestFingers: the fretting hand's fingers are those that players named, for the places that agree; and where players wrote a bass, its
// places are theirs, too.
func TestFingers(t *testing.T) {
	w := plan.InForce()
	for written, floor := range floors {
		refs := slices.DeleteFunc(readAll(t, "fingers"), func(r *reference.Reference) bool { return (r.Request.Thumb == pattern.Written) != written })
		a, err := reference.Agree(t.Context(), reference.Cases(refs), &w)
		if err != nil {
			t.Fatal(err)
		}
		t.Logf("figure: agreement with %d fingered arrangements, bass written %v: fingers %d of %d, melody %d of %d, bass %d of %d", len(refs),
			written, a.Fingers, a.FingersOf, a.Melody, a.MelodyOf, a.Bass, a.BassOf)
		if len(refs) < 8 || 1000*a.Fingers < floor.fingers*a.FingersOf || 1000*a.Melody < floor.melody*a.MelodyOf || 1000*a.Bass < floor.bass*a.BassOf {
			t.Errorf("bass written %v: fingers %d of %d, melody %d of %d, bass %d of %d: below the floor", written, a.Fingers, a.FingersOf, a.Melody,
				a.MelodyOf, a.Bass, a.BassOf)
		}
	}
}

// TestPosition: a player's box at fret 5 is played as written once the position is pinned, and only its bars are.
func TestPosition(t *testing.T) {
	refs := readAll(t, "fingers")
	i := slices.IndexFunc(refs, func(r *reference.Reference) bool { return strings.HasPrefix(r.Name, "f12-") })
	r := refs[i]
	bars := r.Request.Tune.Bars
	for _, tt := range []struct {
		to             tune.Time
		melody, finger int // at least
	}{{bars[4], 25, 15}, {r.Request.Tune.Length, 60, 55}} {
		req := r.Request
		req.Pins = []play.Pin{{Part: play.Position, Fret: 5, To: tt.to}}
		p, err := plan.Solve(t.Context(), req)
		if err != nil {
			t.Fatal(err)
		}
		a, err := r.Compare(p)
		if err != nil {
			t.Fatal(err)
		}
		if a.Melody < tt.melody || a.Fingers < tt.finger {
			t.Errorf("pinned to %d: melody %d of %d, fingers %d of %d", tt.to, a.Melody, a.MelodyOf, a.Fingers, a.FingersOf)
		}
		for i := range p.Moments {
			if mo := &p.Moments[i]; mo.At < tt.to && mo.Melody != nil && (mo.Melody.Fret < 5 || mo.Melody.Fret > 8) {
				t.Errorf("at %s: string %d at fret %g is outside position 5", mo.At, mo.Melody.String, mo.Melody.Fret)
			}
		}
	}
}

// TestCompare: what a reference asks for is met by a plan pinned to it, priced where it is not, and each
// manner takes just what it should.
func TestCompare(t *testing.T) {
	const text = `about: a test
tuning: D A D F# A D
thumb: steady
player: {"lean":"mixed","silence":"ring"}
abc:
M:4/4
L:1/4
Q:1/4=60
K:D
"D"d f a2 |
play:
2:17s 1:16f ?
bass:
6 5/4 - ?
`
	r, err := Read(strings.NewReader(text), "t")
	if err != nil {
		t.Fatal(err)
	}
	p, err := plan.Solve(t.Context(), r.Request)
	if err != nil {
		t.Fatal(err)
	}
	a, err := r.Compare(p)
	if err != nil || a.MelodyOf != 2 || a.BassOf != 3 || len(a.Misses) != 5-a.Melody-a.Bass {
		t.Fatalf("%+v, %v", a, err)
	}
	if err := r.Price(t.Context(), p, &a); err != nil {
		t.Fatal(err)
	}
	for i := range a.Misses {
		m := &a.Misses[i]
		if !m.Priced || m.Extra <= 0 || !strings.Contains(m.String(), "wanted "+m.Wanted) {
			t.Errorf("%s", m)
		}
	}
	for text, same := range map[string]bool{"2:17s": true, "2:17": true, "1:12p": true, "1:0": true, "1:5x": false, "7:1": false, "1:": false} {
		if _, ok := way(text); ok != same {
			t.Errorf("%s is read: %v", text, ok)
		}
	}
}

// TestFingersRead: a finger for each note, in its grouping; what does not fit is a fault at its section's line.
func TestFingersRead(t *testing.T) {
	const text = "tuning: Standard\nabc:\nM:4/4\nL:1/4\nK:G\n\"G\"D G [DG] z |\nplay:\n2:3 1:3 (2:3 1:3)\nbass:\n6:3 4\n"
	for sections, want := range map[string]string{
		"fingers:\n3 4 (3 4)\nbassfingers:\n2/3 0\n": "",
		"fingers:\n3 4 34\n":                         "11:1: fingers: \"34\" are not the notes of 3",
		"fingers:\n3 4\n":                            "11:1: fingers: 2 found, want one for each of the 3 notes of play",
		"fingers:\n3 5 (3 4)\n":                      "11:1: fingers: \"5\" is not a finger 1 to 4, T, S, 0 or ?",
		"bassfingers:\n2\n":                          "11:1: fingers: 1 found, want one for each of the 2 notes of bass",
	} {
		r, err := Read(strings.NewReader(text+sections), "t")
		if want != "" && (err == nil || err.Error() != want) || want == "" && err != nil {
			t.Errorf("%q: %v, want %s", sections, err, want)
		}
		if want == "" && (len(r.Melody[2][1].Fingers) != 1 || r.Melody[2][1].Fingers[0] != "4" || len(r.Bass[0].Fingers) != 2 || r.Bass[1].Fingers != nil) {
			t.Errorf("%+v %+v", r.Melody, r.Bass)
		}
	}
}

// FuzzRead: whatever the text, it is read or a fault has its line.
func FuzzRead(f *testing.F) {
	f.Add("tuning: D A D F# A D\nabc:\nM:4/4\nL:1/4\nK:D\nd\nplay:\n1:12s\nbass:\n6\n")
	f.Add("tuning: D A D F# A D\nabc:\nK:D\nd e|\nplay:\n1:12 ?\nfingers:\n4 (1/T\nbassfingers:\n?\nbass:\n- 6/5\n")
	f.Add("tuning: x\nabc:\nplay:\n")
	f.Add("play:\n(1:2 3:4s/2:1) ?\nabc:\n\ntuning:")
	f.Fuzz(func(t *testing.T, text string) {
		r, err := Read(strings.NewReader(text), "f")
		if e, ok := err.(*Error); err != nil && (!ok || e.Line < 1) {
			t.Fatalf("%v", err)
		}
		if err == nil && (r.Request.Tune == nil || r.Melody == nil) {
			t.Fatalf("%+v", r)
		}
	})
}
