package lick

import (
	"fmt"
	"slices"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/tune"
)

// TestShelf: every phrase is read, fills its bars, lies within two octaves and a half, and ends as its kind asks: an ending on the tonic, a
// turnaround on the fifth or second, which lead back. There are some for the first, fourth and fifth chords and for minor.
func TestShelf(t *testing.T) {
	kinds, names := map[string]int{}, map[string]bool{}
	for i := range Shelf {
		ph := &Shelf[i]
		bars, err := ph.bars()
		if err != nil {
			t.Fatal(err)
		}
		if names[ph.Name] {
			t.Errorf("two phrases are called %s", ph.Name)
		}
		names[ph.Name] = true
		full := map[string]int{"4/4": 8, "3/4": 6, "6/8": 6}[ph.Meter]
		low, high, last := 99, -99, 0
		for _, notes := range bars {
			sum := 0
			for _, n := range notes {
				if sum += n.eighths; !n.rest {
					low, high, last = min(low, n.steps), max(high, n.steps), n.steps
				}
			}
			if sum != full {
				t.Errorf("%s: a bar of %d eighths, want %d", ph.Name, sum, full)
			}
		}
		end := ((last % 12) + 12) % 12
		if want := map[Kind]int{Turnaround: 2, Ending: 2, Fill: 1}[ph.Kind]; len(bars) != want || high-low > 24 ||
			ph.Kind == Ending && end != 0 || ph.Kind == Turnaround && end != 7 && end != 2 {
			t.Errorf("%s: %d bars from %d to %d, to %d", ph.Name, len(bars), low, high, end)
		}
		kinds[fmt.Sprint(ph.Kind, ph.Over, ph.Minor)]++
	}
	if len(Shelf) < 24 || kinds["fill0 false"] == 0 || kinds["fill5 false"] == 0 || kinds["fill7 false"] == 0 || kinds["fill0 true"] == 0 ||
		kinds["turnaround0 true"] == 0 || kinds["ending0 true"] == 0 {
		t.Errorf("%d phrases: %v", len(Shelf), kinds)
	}
}

// TestProposed: in open D, open G and standard, major and minor, endings and turnarounds are proposed for the last two bars and for no other, the
// easiest first, each planned as the tune would be with it; and fills where the melody holds a note, none where it moves.
func TestProposed(t *testing.T) {
	tunings := []string{"Open D", "Open G", "Standard"}
	if testing.Short() {
		tunings = tunings[:1]
	}
	for _, tuned := range tunings {
		for _, minor := range []bool{false, true} {
			tu := coretest.Line('G', 96, tune.Quarter, "G", coretest.Notes(67, 71, 74, 71, 72, 76, 72, 69, 67, 71, 67, 62, 74, 71, 69, 71, 67)...)
			if minor {
				tu = coretest.Line('G', 96, tune.Quarter, "Gm", coretest.Notes(67, 70, 74, 70, 72, 75, 72, 69, 67, 70, 67, 62, 74, 70, 69, 70, 67)...)
				tu.Key.Minor = true
			}
			last := &tu.Notes[len(tu.Notes)-1]
			last.Dur = tune.Whole
			tu.Length = last.End()
			p, err := plan.Solve(t.Context(), plan.Request{Tune: tu, Tuning: coretest.Tuning(tuned), Player: player.Default(), Thumb: pattern.Alternating})
			if err != nil {
				t.Fatal(err)
			}
			for bar, fills := range map[int]bool{1: false, 3: false, len(tu.Bars): true} {
				all, err := Proposed(t.Context(), p, bar)
				if err != nil {
					t.Fatal(err)
				}
				kinds := map[Kind][]Proposal{}
				for _, pr := range all {
					if kinds[pr.Phrase.Kind] = append(kinds[pr.Phrase.Kind], pr); len(kinds[pr.Phrase.Kind]) > 1 && testing.Short() {
						continue
					}
					with, err := tu.Rewritten(pr.Rewrites)
					if err != nil {
						t.Fatal(err)
					}
					req := p.Request
					req.Tune, req.From = with, nil
					fresh, err := plan.Solve(t.Context(), req)
					if pr.Phrase.Kind == Answer {
						checkAnswer(t, tu, &pr)
					}
					if err != nil || fresh.Total != pr.Plan.Total || pr.Extra != fresh.Total-p.Total || len(pr.Notes) < 4 {
						t.Errorf("%s %v %s: %+v, %v", tuned, minor, pr.Phrase.Name, pr.Extra, err)
					}
				}
				for kind, list := range kinds {
					if !slices.IsSortedFunc(list, func(a, b Proposal) int { return int(1e6 * (a.Extra - b.Extra)) }) {
						t.Errorf("%s: not the easiest first", kind)
					}
				}
				if n := len(candidates(tu, bar, 1)); n > len(kinds) {
					t.Errorf("%d phrases of %d kinds are tried in a long tune", n, len(kinds))
				}
				final := bar == len(tu.Bars)
				if (len(kinds[Ending]) < 2) == final || (len(kinds[Turnaround]) < 1) == final || (len(kinds[Fill]) > 0) != fills ||
					(len(kinds[Answer]) > 0) != (bar > 1) {
					t.Errorf("%s, minor %v, bar %d: %d endings, %d turnarounds, %d fills", tuned, minor, bar, len(kinds[Ending]), len(kinds[Turnaround]), len(kinds[Fill]))
				}
			}
		}
	}
}

// checkAnswer: an answer has the rhythm of the bars before it, its notes in the key, and closes on its last chord's root or on the tonic.
func checkAnswer(t *testing.T, tu *tune.Tune, pr *Proposal) {
	t.Helper()
	n := len(pr.Rewrites)
	var last tune.NewNote
	for b, r := range pr.Rewrites {
		call := tu.BarMelody(pr.Bar - n + b)
		if len(call) != len(r.Notes) {
			t.Fatalf("%s: %d notes for %d", pr.Phrase.Name, len(r.Notes), len(call))
		}
		for i, note := range r.Notes {
			if note.At != call[i].At || note.Dur != call[i].Dur {
				t.Errorf("%s: another rhythm at %s", pr.Phrase.Name, note.At)
			}
			last = note
		}
	}
	c := tu.ChordOver(tu.Bars[pr.Bar+n-2])
	if midi, _ := last.Pitch.Nearest(); midi%12 != c.Root.Class() && midi%12 != tu.Key.Tonic.Class() {
		t.Errorf("%s closes on %v over %s", pr.Phrase.Name, last.Pitch, c.Name)
	}
}

// TestFree: what is free belongs to the chord, the key or the blues, lies on no string of the thumb, and where its manner says: under a bar all
// strings there are tones; without a slide it lies within a hand's four frets or open. Blue notes are none of the chord's own.
func TestFree(t *testing.T) {
	manners := map[Manner]int{}
	blue := 0
	for _, lean := range []string{player.LeanMixed, player.LeanNone} {
		for seed := range uint64(4) {
			r := plan.Request{Tune: coretest.Wander(seed, 24), Tuning: coretest.Tuning([]string{"Open D", "Standard"}[seed%2]), Player: player.Default(),
				Thumb: pattern.Alternating, Capo: int(seed)}
			r.Player.Lean = lean
			p, err := plan.Solve(t.Context(), r)
			if err != nil {
				t.Fatal(err)
			}
			for m := range p.Moments {
				mo := &p.Moments[m]
				free := Free(p, m)
				if len(free) == 0 {
					t.Errorf("%s, moment %d: nothing is free", lean, m)
				}
				for _, f := range free {
					manners[f.Manner]++
					note := r.Tuning.Open(f.String) + 100*pitch.Pitch(f.Fret)
					if mo.Thumb != nil && mo.Thumb.String == f.String || f.Tone != mo.Chord.Has(note) || f.Blue && f.Tone || (f.Manner == OpenHere) != (f.Fret == r.Capo) ||
						!f.Tone && !f.Blue && !inScale(&p.Request.Tune.Key, note) || (lean == player.LeanNone) == (f.Manner == UnderBar || f.Manner == InBox) && f.Manner != OpenHere {
						t.Errorf("%s, moment %d over %s: %+v", lean, m, mo.Chord.Name, f)
					}
					if f.Blue {
						blue++
					}
				}
			}
		}
	}
	if blue == 0 || len(manners) != 4 {
		t.Errorf("%v, %d blue", manners, blue)
	}
}
