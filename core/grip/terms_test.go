package grip

import (
	"math"
	"testing"

	"stepping/core/coretest"
	"stepping/core/player"
)

// TestTerms works out by hand what fingerings and changes cost: a case for each weight of the hand and
// of a change, and for the rules of reach. What a whole grip costs next to is held by TestFindExhaustive.
func TestTerms(t *testing.T) {
	pl := player.Default()
	pl.Lean = player.LeanNone // four fingers
	g := Guitar{Tuning: coretest.Tuning("Standard"), Player: pl}
	x := func(fret float64) float64 { return 648 * (1 - math.Exp2(-fret/12)) }
	best := func(six ...int) (*fingering, bool) { // from string 6 to 1
		var frets [strings6 + 1]int
		for i, f := range six {
			frets[strings6-i] = f
		}
		return g.newAssigner().best(&frets, math.Inf(1))
	}
	is := func(what string, got, want float64) {
		t.Helper()
		if math.Abs(got-want) > 1e-9 {
			t.Errorf("%s: %v, by hand %v", what, got, want)
		}
	}
	// Em 0 2 2 0 0 0: two fingers at one fret, a fret closer than one a fret.
	h, _ := best(0, 2, 2, 0, 0, 0)
	is("fingerEffort wCramped upFinger", h.cost(), 2*fingerEffort+wCramped+2*upFinger)
	// C x 3 2 0 1 0: fingers 3, 2, 1 a fret each, which is free; over two frets.
	h, _ = best(Out, 3, 2, 0, 1, 0)
	is("wSpread", h.cost(), 3*fingerEffort+6*upFinger+2*wSpread)
	// Frets 12 and 14 with fingers 1 and 2 are wider than that: 39 of 42 mm.
	a := g.newAssigner()
	wide := fingering{}
	a.reach(1, 12, &wide)
	a.at[1] = 12
	a.reach(2, 14, &wide)
	share := (x(14) - x(12)) / 42
	is("wStretch", wide.cost(), 2*fingerEffort+26*upFinger+wStretch*share*share+wCramped+2*wSpread)
	if h.fingers[5] != 3 || h.fingers[4] != 2 || h.fingers[2] != 1 {
		t.Errorf("C is fingered %v", h.fingers)
	}
	// F x x 3 2 1 1: the index finger lies over two strings; four fingers a fret lower would have it behind the nut.
	h, _ = best(Out, Out, 3, 2, 1, 1)
	is("BehindNut", h.cost(), 3*fingerEffort+barEffort+6*upFinger+2*wSpread)
	// A bar over all six at fret 5.
	h, _ = best(5, 5, 5, 5, 5, 5)
	is("barEffort barPer", h.cost(), fingerEffort+barEffort+4*barPer+5*upFinger)
	is("a bar by another finger is dear", barStrain(3, 2), barEffort+barPer+barOther+barOtherPer)
	is("a bar by the first", barStrain(1, 2), barEffort+barPer)
	is("no bar", barStrain(2, 0), 0)
	// x 2 0 4 0 2: fingers 1 and 2 four strings apart at fret 2, one at fret 4 between them; in a D shape they are two apart.
	h, _ = best(Out, 2, 0, 4, 0, 2)
	is("wovenPer", h.cost(), 3*fingerEffort+6*upFinger+2*wSpread+wCramped+2*wovenPer)
	h, _ = best(Out, Out, 0, 2, 3, 2)
	is("a D shape is not woven", h.cost(), 3*fingerEffort+5*upFinger+wSpread+wCramped)
	// The thumb over the neck at fret 2, open strings above.
	h, ok := best(2, 0, 0, 0, 0, 0)
	if !ok || h.cost() != fingerEffort+2*upFinger {
		t.Errorf("one finger is cheaper than the thumb: %v", h.cost())
	}
	// Five notes at five frets are too many for four fingers; four frets at the nut fit, five do not.
	if _, ok := best(1, 2, 3, 4, 5, 6); ok {
		t.Error("six frets with four fingers")
	}
	if _, ok := best(Out, Out, 1, 0, 0, 4); !ok {
		t.Error("frets 1 and 4 are out of reach")
	}
	if _, ok := best(Out, Out, 1, 0, 0, 6); ok {
		t.Error("frets 1 and 6 are within reach")
	}
	// Changes: a finger put down, lifted, moved; the hand moved.
	one := func(f, str, fret int) *hold {
		h := &hold{held: true, pos: x(float64(fret - f + 1))}
		h.str[f], h.fret[f], h.x[f] = str, fret, x(float64(fret))
		return h
	}
	is("it stays", move(one(1, 2, 1), one(1, 2, 1)), 0)
	is("fingerDown fingerUp", move(one(1, 2, 1), one(2, 2, 2)), fingerDown+fingerUp)
	is("fingerSlide", move(one(1, 2, 2), one(1, 3, 2)), fingerSlide*stringGap+fingerUp)
	d := x(3) - x(2)
	is("fingerSlide handShift", move(one(1, 2, 2), one(1, 2, 3)), fingerSlide*d+fingerUp+handShift*d)
	far := x(9) - x(2)
	is("a long way is lifting and putting down", move(one(1, 2, 2), one(1, 2, 9)), fingerUp+fingerDown+handShift*far)
}
