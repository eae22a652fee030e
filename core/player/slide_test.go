package player

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"stepping/golden"
)

// Over random tubes: longer ones reach over no fewer strings and are heavier, more wall is heavier and
// slower and never lighter in character, and strings spread toward the bridge, so that covering shrinks
// up the neck. What the finger cannot pass is never said to fit.
func TestSlideFacts(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 5))
	for range 300 {
		p := Default()
		p.Slide = Slide{LengthMM: 20 + 60*rng.Float64(), BoreMM: 15 + 8*rng.Float64(), WallMM: 1 + 5*rng.Float64(),
			Material: []string{"glass", "brass", "steel", "ceramic"}[rng.IntN(4)]}
		p.FingerMM = 15 + 9*rng.Float64()
		a := p.SlideFacts()
		q := p
		q.Slide.LengthMM += 5
		longer := q.SlideFacts()
		q = p
		q.Slide.WallMM++
		thicker := q.SlideFacts()
		for n := range a.Covers {
			if longer.Covers[n] < a.Covers[n] || n > 0 && a.Covers[n] > a.Covers[n-1] {
				t.Fatalf("%+v covers %v, 5 mm longer %v", p.Slide, a.Covers, longer.Covers)
			}
		}
		if longer.Grams <= a.Grams || longer.BalanceMM <= a.BalanceMM || thicker.Grams <= a.Grams || thicker.Slowness < a.Slowness {
			t.Fatalf("%+v: %+v, longer %+v, thicker %+v", p.Slide, a, longer, thicker)
		}
		if a.Fits && p.FingerMM > p.Slide.BoreMM || !a.Fits && !strings.Contains(a.Fit, "force") && !strings.Contains(a.Fit, "tight") {
			t.Fatalf("bore %v over a finger of %v: %q", p.Slide.BoreMM, p.FingerMM, a.Fit)
		}
	}
	p := Default()
	if f := p.SlideFacts(); f.Grams != 0 || f.Fit != "" || !f.Fits || f.Character != "" || f.Slowness != 1 || f.Covers[12] != 6 {
		t.Errorf("what was not measured has facts: %+v", f)
	}
}

// TestGoldenSlides: what is worked out of slides of every kind, worn by fingers of two sizes.
func TestGoldenSlides(t *testing.T) {
	var b strings.Builder
	for _, s := range []Slide{{LengthMM: 28, BoreMM: 19, WallMM: 1, Material: "glass"}, {LengthMM: 60, BoreMM: 20, WallMM: 3, Material: "glass"},
		{LengthMM: 70, BoreMM: 21, WallMM: 3, Material: "steel"}, {LengthMM: 65, BoreMM: 17, WallMM: 4, Material: "brass"}, {LengthMM: 50}} {
		for _, finger := range []float64{17, 20.5} {
			p := Default()
			p.Slide, p.FingerMM = s, finger
			fmt.Fprintf(&b, "%+v on %g mm\n%s", s, finger, golden.Lines(p.SlideFacts()))
		}
	}
	golden.Check(t, "slides", b.String())
}
