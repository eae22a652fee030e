package tune

import (
	"math"
	"math/rand/v2"
	"testing"

	"stepping/core/pitch"
)

// TestSwing: quarters stay, the second eighth comes when the first has had its share, a quarter in thirds is as
// written; time never runs backward, in no meter, behind no pickup and through changes of tempo; straight is to
// the last bit what it was.
func TestSwing(t *testing.T) {
	tu := &Tune{Bars: []Time{0, Quarter / 2, 9 * Quarter / 2}, Length: 17 * Quarter / 2,
		Meters: []MeterAt{{0, 4, 4}, {9 * Quarter / 2, 6, 8}}, Tempos: []TempoAt{{0, 60}, {5 * Quarter / 2, 120}}}
	for n := range 3 {
		tu.Notes = append(tu.Notes, Note{At: 7*Quarter/2 + Time(n)*Quarter/3, Dur: Quarter / 3})
	}
	straight := tu.Clock(0)
	swung := tu.Swung(2.0 / 3)
	if tu.Swing != 0 || tu.Swung(0) != tu {
		t.Error("the tune itself was changed")
	}
	clock := swung.Clock(0)
	for _, c := range []struct {
		at   Time
		want float64
	}{
		{0, 0}, // the pickup is the second half of a beat: from 2/3 to 1
		{Quarter / 2, 1.0 / 3}, {Quarter, 1}, {3 * Quarter / 2, 4.0 / 3}, {Quarter/2 + Quarter/4, 2.0 / 3}, {Quarter/2 + Quarter/8, 0.5},
		{5 * Quarter / 2, 7.0 / 3}, {3 * Quarter, 7.0/3 + 1.0/3}, // twice as fast
		{7*Quarter/2 + Quarter/3, 7.0/3 + 0.5 + 1.0/6}, {4 * Quarter, 7.0/3 + 0.75}, // in thirds: as written
		{5 * Quarter, 7.0/3 + 1.25}, // 6/8 is not swung
	} {
		if got := clock.Seconds(c.at); math.Abs(got-c.want) > 1e-9 {
			t.Errorf("%v is played at %.4f s, not %.4f", c.at, got, c.want)
		}
	}
	rng := rand.New(rand.NewPCG(1, 7))
	for range 200 {
		clock := tu.Swung(Straight + rng.Float64()*(MostSwing-Straight)).Clock(0)
		last := -1.0
		for at := Time(0); at <= tu.Length; at += Quarter / 240 {
			s := clock.Seconds(at)
			if s < last-1e-12 {
				t.Fatalf("%v comes at %g s, after %g", at, s, last)
			}
			last = s
		}
	}
	for at := Time(0); at < tu.Length; at += Quarter / 24 {
		if tu.Swung(Straight).Clock(0).Seconds(at) != straight.Seconds(at) {
			t.Fatal("straight is not what it was")
		}
	}
	for text, want := range map[string]float64{"2:1": 2.0 / 3, "straight": 0.5, "0.6": 0.6, "3 : 1": 0.75, "swing": 2.0 / 3,
		"5:1": 0, "0.9": 0, "x": 0, "1:0": 0, "NaN": 0, "0:0": 0} {
		got, err := ParseSwing(text)
		if (err != nil) != (want == 0) || math.Abs(got-want) > 1e-9 {
			t.Errorf("%q: %g %v", text, got, err)
		}
		if want > 0 {
			if again, err := ParseSwing(SwingText(want)); err != nil || math.Abs(again-want) > 1e-3 {
				t.Errorf("%q is written %q", text, SwingText(want))
			}
		}
	}
}

// TestUndotted: a line of dotted pairs becomes the even one that it is meant to be, swung; played 3:1 it would sound as it is written. An even
// line, and one in six eight, stay as they are.
func TestUndotted(t *testing.T) {
	d := pitch.Note{Letter: 'D', Octave: 4}
	line := func(second Time, den int) *Tune {
		tu := &Tune{Meters: []MeterAt{{Num: 4, Den: den}}, Tempos: []TempoAt{{BPM: 100}}, Bars: []Time{0, Whole}, Length: 2 * Whole}
		for q := range Time(8) {
			tu.Notes = append(tu.Notes, Note{At: q * Quarter, Dur: second, Note: d}, Note{At: q*Quarter + second, Dur: Quarter - second, Note: d})
		}
		tu.Bass = []Note{{At: 0, Dur: Quarter, Note: d}, {At: 3 * Quarter / 4 * 1, Dur: Quarter / 4, Note: d}}
		return tu
	}
	even := line(Quarter/2, 4)
	even.Bass = nil
	dotted := line(3*Quarter/4, 4)
	got, moved, ok := dotted.Undotted()
	if !ok || got.Swing != 2.0/3 || moved(3*Quarter/4) != Quarter/2 || moved(Quarter) != Quarter || got.Bass[1].At != Quarter/2 || dotted.Notes[1].At != 3*Quarter/4 {
		t.Fatalf("%v %+v", ok, got)
	}
	for i := range even.Notes {
		if n, w := got.Notes[i], even.Notes[i]; n.At != w.At || n.Dur != w.Dur {
			t.Errorf("note %d: %+v, want %+v", i, n, w)
		}
	}
	at := got.Swung(0.75).Played()
	for i := range got.Notes {
		if want := dotted.Notes[i].At.Quarters(); at(got.Notes[i].At) != want {
			t.Errorf("note %d is played at %g, want %g", i, at(got.Notes[i].At), want)
		}
	}
	for _, tu := range []*Tune{even, line(3*Quarter/4, 8), got} {
		if same, _, ok := tu.Undotted(); ok || same != tu {
			t.Errorf("%+v is read as dotted", tu.Notes[:2])
		}
	}
}
