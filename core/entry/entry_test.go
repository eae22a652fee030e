package entry_test

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"stepping/core/entry"
	"stepping/core/pitch"
	"stepping/core/score/scoretest"
)

func pressed(t *testing.T, keys string) entry.Sheet {
	t.Helper()
	s := entry.New("Open D")
	for _, k := range strings.Fields(keys) {
		if err := s.Press(k); err != nil {
			t.Fatalf("%s: %v", k, err)
		}
	}
	return s
}

// TestKeys: what keys come to, worked out by hand: time and length in quarters, string:fret, s under the slide, ? left open.
func TestKeys(t *testing.T) {
	for _, tt := range []struct{ keys, notes, bars string }{
		{"0 2 3 5 7", "0 1 1:0, 1 1 1:2, 2 1 1:3, 3 1 1:5, 4 1 1:7", "0 4"},
		{"eighth 5 down 7 down down open", "0 1/2 1:5, 1/2 1/2 2:7, 1 1/2 4:0", "0"},
		{"half dot 3 quarter 5 tie 0", "0 3 1:3, 3 2 1:5, 5 1 1:0", "0 4"},
		{"triplet eighth 1 2 3 5", "0 1/3 1:1, 1/3 1/3 1:2, 2/3 1/3 1:3, 1 1/2 1:5", "0"},
		{"slide 5 7 slide 0 with down down 12", "0 1 1:5s, 1 1 1:7s, 2 1 1:0, 2 1 3:12", "0"},
		{"rest 3 bar 5 free", "1 1 1:3, 2 1 1:5?", "0 2"},
		{"put:6:3 right here", "0 1 6:3, 1 1 6:4", "0"},
		{"whole 12 12", "0 4 1:12, 4 4 1:12", "0 4 8"},
	} {
		s := pressed(t, tt.keys)
		st := s.State()
		var notes, bars []string
		for _, n := range st.Notes {
			text := fmt.Sprintf("%s %s %d:%d", n.At, n.Dur, n.String, n.Fret)
			if n.Slide {
				text += "s"
			}
			if n.Free {
				text += "?"
			}
			notes = append(notes, text)
		}
		for _, b := range st.Bars {
			bars = append(bars, b.String())
		}
		if strings.Join(notes, ", ") != tt.notes || strings.Join(bars, " ") != tt.bars {
			t.Errorf("%s: %s | %s, want %s | %s", tt.keys, strings.Join(notes, ", "), strings.Join(bars, " "), tt.notes, tt.bars)
		}
	}
	for _, bad := range []string{"tie", "with", "free", "bar", "23", "put:7:1", "put:1", "chord:H", "nonsense"} {
		s := entry.New("Open D")
		if err := s.Press(bad); err == nil || err.Error() == "" || len(s.Keys) != 0 {
			t.Errorf("%s is taken", bad)
		}
	}
}

// TestAnyKeys: after any keys the tune keeps its promises, every note has its place on the neck, and undo gives
// back what was before.
func TestAnyKeys(t *testing.T) {
	all := []string{"up", "down", "left", "right", "here", "open", "rest", "tie", "dot", "triplet", "slide", "with", "free", "bar",
		"whole", "half", "quarter", "eighth", "sixteenth",
		"0", "3", "12", "put:4:7", "chord:G7", "chord:"}
	for seed := range uint64(200) {
		rng := rand.New(rand.NewPCG(seed, 3))
		s := entry.New("Open G")
		s.Capo = rng.IntN(4)
		for range 60 {
			before := s.State()
			if s.Press(all[rng.IntN(len(all))]) != nil {
				continue
			}
			if last := s.Keys[len(s.Keys)-1]; last != "up" && last != "down" && last != "left" && last != "right" {
				undone := entry.Sheet{Num: s.Num, Den: s.Den, Keys: append([]string{}, s.Keys...)}
				undone.Undo()
				if got := undone.State(); !reflect.DeepEqual(got.Notes, before.Notes) || got.Now != before.Now {
					t.Fatalf("seed %d: undo of %s", seed, last)
				}
			}
		}
		sc, err := s.Score()
		if err != nil {
			t.Fatal(err)
		}
		scoretest.Check(t, sc)
		tu, pins, _, err := sc.Tune(sc.Roles())
		if err != nil {
			continue
		}
		for _, p := range pins {
			for _, n := range tu.Notes {
				if n.At == p.At && n.Voices()[p.Voice].Pitch() != sc.Tuning.Open(p.String)+100*pitchOf(p.Fret) {
					t.Fatalf("seed %d: %+v of %+v", seed, p, n)
				}
			}
		}
	}
}

func pitchOf(fret float64) pitch.Pitch { return pitch.Pitch(fret) }
