package retune

import (
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"stepping/core/pitch"
	"stepping/core/tuning"
)

func plan(t *testing.T, from, to string) *Plan {
	t.Helper()
	a, err := tuning.ParseAny(from)
	if err != nil {
		t.Fatal(err)
	}
	b, err := tuning.ParseAny(to)
	if err != nil {
		t.Fatal(err)
	}
	var g Guitar
	if err := g.Complete(b.Len()); err != nil {
		t.Fatal(err)
	}
	p, err := New(g, a, b)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// Between any two library tunings that the strings bear: everything slackened comes before anything
// tightened, each string is turned once and gone over again, there and back are opposite turns, and
// what is offered as safer really is the same shape with less raised.
func TestPlans(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 4))
	tried, safer := 0, 0
	for range 200 {
		a, _ := tuning.Parse(tuning.Library[rng.IntN(len(tuning.Library))].Name)
		b, _ := tuning.Parse(tuning.Library[rng.IntN(len(tuning.Library))].Name)
		g := Guitar{}
		if err := g.Complete(6); err != nil {
			t.Fatal(err)
		}
		p, err := New(g, a, b)
		var breaks *BreakError
		if errors.As(err, &breaks) {
			continue
		}
		if err != nil {
			t.Fatal(err)
		}
		tried++
		back, err := New(g, b, a)
		if err != nil {
			continue
		}
		tightened := false
		for _, s := range p.Order {
			c := &p.Changes[s-1]
			if c.HalfSteps == 0 || c.HalfSteps < 0 && tightened {
				t.Errorf("string %d (%+d) in order %v", s, c.HalfSteps, p.Order)
			}
			tightened = tightened || c.HalfSteps > 0
			if r := &back.Changes[s-1]; math.Abs(c.Turns+r.Turns) > 1e-9 || c.HalfSteps != -r.HalfSteps {
				t.Errorf("there %+v, back %+v", c, r)
			}
			if (c.Turns > 0) != (c.HalfSteps > 0) || math.Abs(c.Tension/c.Before-math.Pow(2, float64(c.HalfSteps)/6)) > 1e-6 {
				t.Errorf("%+v", c)
			}
		}
		moved := slices.DeleteFunc(slices.Clone(p.Changes), func(c Change) bool { return c.HalfSteps == 0 })
		if len(moved) != len(p.Order) || len(moved) > 0 && len(p.Second) != 6 {
			t.Errorf("%d strings move, order %v, second pass %v", len(moved), p.Order, p.Second)
		}
		for _, s := range p.Safer {
			safer++
			for str := 1; str <= p.To.Len(); str++ {
				if s.Tuning.Open(str)+pitch.Midi(s.Capo) != p.To.Open(str) {
					t.Errorf("%s with capo %d is not %s", s.Tuning, s.Capo, p.To)
				}
			}
			if most := slices.MaxFunc(p.Changes, func(a, b Change) int { return a.HalfSteps - b.HalfSteps }).HalfSteps; s.Raised >= most {
				t.Errorf("safer raises %d, the plan %d", s.Raised, most)
			}
		}
	}
	if tried < 100 || safer == 0 {
		t.Errorf("%d plans, %d safer ways", tried, safer)
	}
}

func TestWarningsAndFaults(t *testing.T) {
	up := plan(t, "Standard", "Open E")
	if c := up.Changes[4]; c.HalfSteps != 2 || len(c.Warnings) == 0 || !strings.Contains(c.Warnings[0], "face away") {
		t.Errorf("%+v", c)
	}
	if !slices.ContainsFunc(up.Safer, func(s Safer) bool { return s.Capo == 2 && s.Tuning.String() == "D2 A2 D3 F#3 A3 D4" }) {
		t.Errorf("open D with capo 2 is not offered: %+v", up.Safer)
	}
	down := plan(t, "Standard", "C2 F2 C3 F3 A3 C4")
	if !slices.ContainsFunc(down.Warnings, func(w string) bool { return strings.Contains(w, "truss rod") }) {
		t.Errorf("%v", down.Warnings)
	}
	if five := plan(t, "G2 D3 G3 B3 D4", "G2 C3 G3 C4 D4"); len(five.Changes) != 5 || five.Changes[3].HalfSteps != -2 {
		t.Errorf("%+v", five.Changes)
	}
	var g Guitar
	if err := g.Complete(6); err != nil {
		t.Fatal(err)
	}
	from, _ := tuning.Parse("Standard")
	high, _ := tuning.Parse("E2 A2 D3 G3 B3 C5")
	_, err := New(g, from, high)
	var breaks *BreakError
	if !errors.As(err, &breaks) || breaks.String != 1 || breaks.Share < 1 || !strings.Contains(err.Error(), "% of its strength") {
		t.Errorf("%v", err)
	}
	if s := g.GaugeFor(from.Note(1), 104.53); s.GaugeIn != 0.012 || s.Wound {
		t.Errorf("104.5 N as E4 wants %+v", s)
	}
	for text, word := range map[string]string{"": "six", "D A D": "six", "D3 A3 D4": "six", "D A D F": "octave",
		"D3 A3 D4 X4": "string 1", "D3 A3 D4 F9": "octave from"} {
		if _, err := tuning.ParseAny(text); err == nil || !strings.Contains(err.Error(), word) {
			t.Errorf("%q: %v", text, err)
		}
	}
	for word, bad := range map[string]Guitar{"scaleMm": {ScaleMM: 100}, "referenceHz": {ReferenceHz: 500}, "set:": {Set: "huge"},
		"frets": {Frets: 50}, "gear": {Gear: 0.1}} {
		if err := bad.Complete(6); err == nil || !strings.Contains(err.Error(), word) {
			t.Errorf("%s: %v", word, err)
		}
	}
}

// A slide lying on the strings lowers them by what its weight and their pull say: none at no weight, in
// proportion to it, less the more strings carry it and the more they pull; worked out by hand for one.
func TestClearance(t *testing.T) {
	p, lower := plan(t, "Standard", "Standard"), plan(t, "Standard", "Standard -2")
	for str := 1; str <= 6; str++ {
		for n := 1; n <= p.Guitar.Frets; n++ {
			free, half, whole := p.Clearance(0, str, n), p.Clearance(50, str, n), p.Clearance(100, str, n)
			if math.Abs(free-2*half+whole) > 1e-9 || !(whole < half && half < free) || lower.Clearance(100, str, n) >= whole ||
				str > 1 && whole <= p.Clearance(100, str-1, n) {
				t.Fatalf("string %d, fret %d: %v, %v, %v", str, n, free, half, whole)
			}
		}
	}
	for _, grams := range []float64{0, 60, 150} {
		fret, mm := p.Closest(grams, 2)
		for n := 1; n <= p.Guitar.Frets; n++ {
			if left := p.Clearance(grams, 2, n); left < mm || n == fret && left != mm {
				t.Errorf("%v g: %v mm at fret %d, said to be closest with %v at %d", grams, left, n, mm, fret)
			}
		}
	}
	// 0.981 N in the middle of a 0.012 at 104.53 N on 648 mm: 0.981·324·324/(104.53·648) = 1.520 mm of 2.5.
	if got := p.Clearance(100, 1, 12); math.Abs(got-(2.5-1.520)) > 2e-3 {
		t.Errorf("%v mm", got)
	}
}

// TestHear: the string is told by where it may be on its way, the one that is turned before others, and what to do with it.
func TestHear(t *testing.T) {
	from, err1 := tuning.Parse("Standard")
	to, err2 := tuning.Parse("Open D")
	g := Guitar{}
	if err := errors.Join(err1, err2, g.Complete(6)); err != nil {
		t.Fatal(err)
	}
	p, err := New(g, from, to)
	if err != nil {
		t.Fatal(err)
	}
	step := func(str int) int { return slices.Index(p.Order, str) }
	done := len(p.Order) + len(p.Second)
	for _, c := range []struct {
		hz               float64
		step, str, octav int
		right            bool
		words            string
	}{{78, step(6), 6, 0, false, "cents high: turn down"}, {73.42, step(6), 6, 0, true, "In tune"},
		{73, step(6), 6, 0, false, "10 cents low: turn up a"}, {146.9, step(6), 4, 0, false, "That is string 4. Pluck string 6"},
		{36.7, step(6), 6, -1, false, "octave too low"}, {220, step(3), 2, 0, false, "That is string 2"},
		{293, step(6), 1, 0, false, "That is string 1"}, {640, step(2), 0, 0, false, "not a string"}, {446, step(2), 2, 1, false, "octave too high"},
		{0, step(6), 0, 0, false, "Pluck string 6"}, {0, done, 0, 0, false, "Pluck any"}, {110, done, 5, 0, false, "In tune"}} {
		if h := p.Hear(c.step, c.hz); h.String != c.str || h.Octaves != c.octav || h.Right != c.right || !strings.Contains(h.Words, c.words) {
			t.Errorf("%g Hz at step %d: %+v", c.hz, c.step, h)
		}
	}
}
