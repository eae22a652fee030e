package tuning

import (
	"fmt"
	"strings"
	"testing"

	"stepping/core/pitch"
	"stepping/golden"
)

// TestGoldenTunings: what every tuning of the library is and gives.
func TestGoldenTunings(t *testing.T) {
	var b strings.Builder
	key, _ := pitch.ParseClass("D")
	for _, named := range Library {
		tn, err := Parse(named.Spelt)
		if err != nil {
			t.Fatal(err)
		}
		near, ok := Nearest(tn)
		fmt.Fprintf(&b, "%s: %s, home %s, open %s, bars %v, under a bar %v, known %q, near %+v %v\n", named.Name, Identify(tn), Home(tn), OpenChord(tn),
			HomeBars(tn, key, 14), UnderBar(tn), Known(tn), near, ok)
		b.WriteString(golden.Lines(Bars(tn, key, 12)))
		b.WriteString(golden.Lines(Partials(tn, key)))
	}
	golden.Check(t, "tunings", b.String())
}
