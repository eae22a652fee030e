package retune

import (
	"fmt"
	"strings"
	"testing"

	"stepping/core/tuning"
	"stepping/golden"
)

// TestGoldenRetunings: what is turned, in which order, how safe it is, and what is said of it.
func TestGoldenRetunings(t *testing.T) {
	var b strings.Builder
	for _, names := range [][2]string{{"Standard", "Open D"}, {"Open G", "D A D G A D"}, {"Standard", "Open E"}, {"Open D minor", "Open D"}, {"Standard", "E2 A2 D3 G3 B3 C5"}} {
		from, err1 := tuning.ParseAny(names[0])
		to, err2 := tuning.ParseAny(names[1])
		var g Guitar
		err3 := g.Complete(6)
		if err1 != nil || err2 != nil || err3 != nil {
			t.Fatal(err1, err2, err3)
		}
		p, err := New(g, from, to)
		fmt.Fprintf(&b, "%s to %s: %v\n", names[0], names[1], err)
		if err != nil {
			continue
		}
		fmt.Fprintf(&b, "%s%d steps\n", golden.Lines(*p), p.Steps())
		for s := 1; s <= 6; s++ {
			fret, mm := p.Closest(80, s)
			fmt.Fprintf(&b, "string %d: %.4g turns from 100 Hz, %.4g mm clear, closest at %d with %.4g\n", s, p.TurnsFrom(s, 100), p.Clearance(80, s, 12), fret, mm)
		}
		for step := range min(p.Steps(), 4) {
			for _, hz := range []float64{73.4, 82.4, 110, 147.2, 300} {
				fmt.Fprintf(&b, "step %d at %g Hz: %+v\n", step, hz, p.Hear(step, hz))
			}
		}
	}
	golden.Check(t, "retunings", b.String())
}
