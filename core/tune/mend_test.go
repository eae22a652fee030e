package tune_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pitch"
	"stepping/core/score/scoretest"
	"stepping/core/tune"
)

// TestMended: whatever is mended, one note at most is changed, moved or gone, and melody and bass are lines still.
func TestMended(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 28))
	done, refused := 0, 0
	for range 4000 {
		tu := coretest.Any(rng.Uint64())
		before := scoretest.Difference(tu, tu)
		bass := len(tu.Bass) > 0 && rng.IntN(2) == 0
		line := tu.Notes
		if bass {
			line = tu.Bass
		}
		n := &line[rng.IntN(len(line))]
		m := tune.Mend{At: n.At, Bass: bass, Voice: rng.IntN(1 + len(n.With)), To: []tune.Line{"", tune.InMelody, tune.InBass, tune.Nowhere}[rng.IntN(4)]}
		if rng.IntN(2) == 0 {
			m.Pitch = []string{"A2", "F#3", "Bb4"}[rng.IntN(3)]
		}
		if rng.IntN(2) == 0 {
			m.Dur = tune.Quarter / 4 * tune.Time(1+rng.IntN(6))
		}
		notes, basses := slices.Clone(tu.Notes), slices.Clone(tu.Bass)
		got, err := tu.Mended(&m)
		if before != "" || scoretest.Difference(&tune.Tune{Notes: notes, Bass: basses}, &tune.Tune{Notes: tu.Notes, Bass: tu.Bass}) != "" {
			t.Fatal("the tune itself was changed")
		}
		if err != nil {
			refused++
			continue
		}
		done++
		was, now := count(tu), count(got)
		if want := was; m.To == tune.Nowhere {
			if want--; now != want {
				t.Fatalf("%+v: %d notes, want %d", m, now, want)
			}
		} else if now != want {
			t.Fatalf("%+v: %d notes, want %d", m, now, want)
		}
		for _, line := range [][]tune.Note{got.Notes, got.Bass} {
			for i := range line {
				if n := &line[i]; n.Dur <= 0 || n.End() > got.Length || i > 0 && n.At < line[i-1].End() || len(n.With) > tune.MaxWith ||
					!slices.IsSortedFunc(n.Voices(), func(a, b pitch.Note) int { return int(b.Pitch() - a.Pitch()) }) {
					t.Fatalf("%+v: note %d: %+v", m, i, n)
				}
			}
		}
	}
	if done < 2000 || refused < 100 {
		t.Errorf("%d done, %d refused", done, refused)
	}
	tu := coretest.Any(2)
	for _, tt := range []struct {
		m    tune.Mend
		text string
	}{
		{tune.Mend{At: -1}, "no longer a note"}, {tune.Mend{At: tu.Notes[0].At, Pitch: "H4"}, "like F#4"},
		{tune.Mend{At: tu.Notes[0].At, Dur: tu.Length * 2}, "longest it can be"}, {tune.Mend{At: tu.Notes[0].At, To: "attic"}, "left out (none)"},
	} {
		if _, err := tu.Mended(&tt.m); err == nil || !strings.Contains(err.Error(), tt.text) {
			t.Errorf("%+v: %v", tt.m, err)
		}
	}
}

func count(tu *tune.Tune) (n int) {
	for _, line := range [][]tune.Note{tu.Notes, tu.Bass} {
		for i := range line {
			n += len(line[i].Voices())
		}
	}
	return n
}
