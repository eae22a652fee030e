package lick

import (
	"errors"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"stepping/core/chord"
	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// planned is a seeded tune's plan in open D.
func planned(t *testing.T, seed uint64, n int) *plan.Plan {
	t.Helper()
	p, err := plan.Solve(t.Context(), plan.Request{Tune: coretest.Wander(seed, n), Tuning: coretest.Tuning("D A D F# A D"), Player: player.Default(),
		Thumb: pattern.Alternating})
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// kept is a lick from the first bars of a seeded tune that have enough notes.
func kept(t *testing.T, p *plan.Plan, first, bars int) *Kept {
	t.Helper()
	k, err := Keep(p, first, first+bars-1)
	if err != nil {
		t.Fatal(err)
	}
	k.Name = "Gate Hinge"
	if err := k.Check(); err != nil {
		t.Fatal(err)
	}
	return k
}

// TestKept: a lick has the notes of its bars with the places that the plan gave them, is the same tune when it is played by itself, and what cannot be a lick is
// refused in words.
func TestKept(t *testing.T) {
	p := planned(t, 12, 40)
	tu := p.Request.Tune
	for first := 1; first+1 <= len(tu.Bars); first++ {
		k := kept(t, p, first, 2)
		var want []tune.NewNote
		for bar := first; bar < first+2; bar++ {
			for _, n := range tu.BarMelody(bar) {
				n.At += tu.Bars[bar-1] - tu.Bars[first-1]
				want = append(want, n)
			}
		}
		if len(k.Notes) != len(want) || len(k.Pins) != len(want) {
			t.Fatalf("bar %d: %d notes and %d places of %d", first, len(k.Notes), len(k.Pins), len(want))
		}
		alone, err := k.Tune()
		if err != nil {
			t.Fatal(err)
		}
		for i, n := range alone.Notes {
			if n.At != want[i].At || n.Note.Pitch() != want[i].Pitch {
				t.Errorf("bar %d, note %d: %v at %v", first, i, n.Note, n.At)
			}
		}
		tn := p.Request.Tuning
		again, err := plan.SolveKeepable(t.Context(), plan.Request{Tune: alone, Tuning: tn, Player: p.Request.Player, Thumb: pattern.Alternating, Pins: k.In(tn, 0, 0)})
		if err != nil || len(again.LeftOut) > 0 {
			t.Fatalf("bar %d: its places cannot be played by themselves: %v %+v", first, err, again.LeftOut)
		}
	}
	for _, bad := range [][2]int{{0, 1}, {3, 2}, {1, len(tu.Bars) + 1}, {len(tu.Bars), len(tu.Bars) + 3}, {1, MostBars + 1}} {
		if _, err := Keep(p, bad[0], bad[1]); err == nil || !strings.HasPrefix(err.Error(), "bars ") {
			t.Errorf("bars %v: %v", bad, err)
		}
	}
}

// TestCarried: a lick carried to every chord keeps its steps but for thirds that follow the chord, comes back the same, and its
// places move along the neck with it: each sounds the note that it is for.
func TestCarried(t *testing.T) {
	p := planned(t, 12, 40)
	tn := p.Request.Tuning
	moved := 0
	for first := 1; first+1 <= len(p.Request.Tune.Bars); first += 2 {
		k := kept(t, p, first, 2)
		from, _ := chord.Parse(k.Chords[0].Name)
		for _, name := range []string{"C", "Db7", "F#m", "G", "A7", "Bbm7", "D"} {
			to, err := chord.Parse(name)
			if err != nil {
				t.Fatal(err)
			}
			got, changed, err := k.Over(to)
			if err != nil || got.Check() != nil || got.Chords[0].Name != name {
				t.Fatal(name, err, got.Check())
			}
			steps := (got.Notes[0].Pitch - k.Notes[0].Pitch) / pitch.HalfStep
			others := 0
			for i := range got.Notes {
				if d := (got.Notes[i].Pitch - k.Notes[i].Pitch) / pitch.HalfStep; math.Abs(float64(d)) > 8 || got.Notes[i].At != k.Notes[i].At {
					t.Errorf("%s: note %d moves by %d", name, i, d)
				} else if d != steps {
					others++
				}
			}
			if changed == 0 && others > 0 || changed > 0 && minor(from) == minor(to) {
				t.Errorf("%s: %d notes move otherwise, %d thirds changed", name, others, changed)
			}
			for _, pin := range got.In(tn, 0, 0) {
				i := slices.IndexFunc(got.Notes, func(n tune.NewNote) bool { return n.At == pin.At })
				if sounds := tn.Open(pin.String) + pitch.Pitch(math.Round(100*pin.Fret)); i < 0 || sounds != got.Notes[i].Pitch {
					t.Errorf("%s: a place sounds %d for %+v", name, sounds, got.Notes[i])
				}
				moved++
			}
			if back, changed, err := got.Over(from); err != nil || changed == 0 && !reflect.DeepEqual(pitches(back), pitches(k)) && math.Abs(float64(steps)) != 6 {
				t.Errorf("%s and back: %v", name, err)
			}
		}
		// Open E is open D two half steps up: the same notes lie two frets lower.
		for _, pin := range k.In(tn.Transpose(2), 0, 0) {
			if i := slices.IndexFunc(k.Notes, func(n tune.NewNote) bool { return n.At == pin.At }); tn.Transpose(2).Open(pin.String)+pitch.Pitch(math.Round(100*pin.Fret)) != k.Notes[i].Pitch {
				t.Errorf("in open E a place sounds another note than %+v", k.Notes[i])
			}
		}
		if std, _ := tuning.ParseAny("Standard"); k.In(std, 0, 0) != nil {
			t.Error("places of open D in standard tuning")
		}
	}
	if moved < 20 {
		t.Errorf("only %d places were carried", moved)
	}
}

func pitches(k *Kept) (out []pitch.Pitch) {
	for _, n := range k.Notes {
		out = append(out, n.Pitch)
	}
	return out
}

// TestFound: a lick is found where it is, in any key, at half and at twice the speed, and nowhere where it is not: by comparison with a search
// note by note.
func TestFound(t *testing.T) {
	found := 0
	for seed := range uint64(30) {
		tu := coretest.Any(seed)
		if len(tu.Notes) < 8 {
			continue
		}
		r := rand.New(rand.NewPCG(seed, 1))
		from := r.IntN(len(tu.Notes) - 5)
		part := tu.Notes[from : from+5]
		text := Encode(tu.Transposed(int(seed%7)).Notes, []float64{1, 0.5, 2}[seed%3])
		var at []int
		for _, scale := range []float64{1, 2, 0.5} {
			at = append(at, At(text, Encode(part, scale))...)
		}
		if !slices.Contains(at, from) {
			t.Errorf("seed %d: not found at %d: %v", seed, from, at)
		}
		own := Encode(tu.Notes, 1)
		for i := range At(own, Encode(part, 1)) {
			found++
			_ = i
		}
		var slow []int
		for i := 0; i+5 <= len(tu.Notes); i++ {
			same := true
			for k := 1; k < 5; k++ {
				a, b, c, d := &tu.Notes[i+k-1], &tu.Notes[i+k], &part[k-1], &part[k]
				near := func(n *tune.Note) int { m, _ := n.Note.Pitch().Nearest(); return m }
				same = same && near(b)-near(a) == near(d)-near(c) && b.At-a.At == d.At-c.At
			}
			if same {
				slow = append(slow, i)
			}
		}
		if got := At(own, Encode(part, 1)); !slices.Equal(got, slow) {
			t.Errorf("seed %d: found at %v, is at %v", seed, got, slow)
		}
	}
	if found < 15 {
		t.Errorf("%d found", found)
	}
}

// TestBuild: licks come over the chords of every form; what overlaps, runs over the end or has another meter is said with its bar; the choice proposed is as
// cheap as any that is found by trying.
func TestBuild(t *testing.T) {
	p := planned(t, 12, 40)
	tn := p.Request.Tuning
	licks := []*Kept{kept(t, p, 1, 1), kept(t, p, 3, 2), kept(t, p, 5, 1)}
	m := tune.MeterAt{Num: licks[0].Num, Den: licks[0].Den}
	for i := range Forms {
		f := &Forms[i]
		over, err := tune.Progression(f.Chords(pitch.Note{Letter: 'G'}), m, 80)
		if err != nil || len(over.Bars) != len(f.Bars) || over.Key.Minor != f.Minor {
			t.Fatalf("%s: %v", f.Name, err)
		}
		slots := Propose(over, licks)
		built, err := Build(over, tn, 0, slots)
		if err != nil {
			t.Fatalf("%s: %v", f.Name, err)
		}
		at := tune.Time(-1)
		for _, n := range built.Tune.Notes {
			if n.At <= at || n.End() > built.Tune.Length {
				t.Errorf("%s: notes overlap at %v", f.Name, n.At)
			}
			at = n.At
		}
		if len(over.Notes) != 0 {
			t.Fatal("the form itself was changed")
		}
		cheapest := costOf(over, slots)
		r := rand.New(rand.NewPCG(uint64(i), 4))
		for range 300 {
			var other []Slot
			for bar := 1; bar <= len(over.Bars); {
				s := Slot{bar, licks[r.IntN(len(licks))]}
				if s.fits(over, bar) != nil || r.IntN(8) == 0 {
					bar++
					continue
				}
				other, bar = append(other, s), bar+s.Lick.Bars
			}
			if c := costOf(over, other); c < cheapest-1e-9 {
				t.Errorf("%s: %g is proposed, and %g is there", f.Name, cheapest, c)
			}
		}
	}
	over, err := tune.Progression(Forms[0].Chords(pitch.Note{Letter: 'D'}), m, 80)
	if err != nil {
		t.Fatal(err)
	}
	waltz := *licks[0]
	waltz.Num = licks[0].Num + 1
	for name, slots := range map[string][]Slot{"none": nil, "ends": {{8, licks[1]}}, "overlap": {{1, licks[1]}, {2, licks[0]}}, "beyond": {{9, licks[0]}}, "meter": {{1, &waltz}}} {
		if _, err := Build(over, tn, 0, slots); !errors.As(err, new(*SlotError)) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// costOf is what Propose pays for slots, worked out by itself.
func costOf(over *tune.Tune, slots []Slot) (cost float64) {
	filled := 0
	var last *Kept
	var note pitch.Pitch
	for _, s := range slots {
		k, _, err := s.Lick.Over(over.ChordOver(over.Bars[s.Bar-1]))
		if err != nil {
			return math.Inf(1)
		}
		cost += fitCost(over, over.Bars[s.Bar-1], k)
		if last != nil {
			cost += leapCost * math.Max(0, math.Abs(float64(k.Notes[0].Pitch-note))/100-easyLeap)
		}
		if last == s.Lick {
			cost += againCost * float64(k.Bars)
		}
		filled, last, note = filled+k.Bars, s.Lick, k.Notes[len(k.Notes)-1].Pitch
	}
	return cost + restCost*float64(len(over.Bars)-filled)
}
