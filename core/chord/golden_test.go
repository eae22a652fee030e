package chord_test

import (
	"fmt"
	"strings"
	"testing"

	"stepping/core/chord"
	"stepping/golden"
)

// TestGoldenKinds: every kind of chord with its tones above C as notes, so that a teacher can read it.
func TestGoldenKinds(t *testing.T) {
	notes := []string{"C", "Db", "D", "Eb", "E", "F", "Gb", "G", "Ab", "A", "Bb", "B"}
	var b strings.Builder
	for _, k := range chord.Kinds {
		c, err := chord.Parse("C" + k.Name)
		if err != nil {
			t.Fatal(err)
		}
		var tones []string
		for _, tone := range c.Tones {
			tones = append(tones, notes[tone])
		}
		fmt.Fprintf(&b, "%-12s %-24s %s\n", c.Name, strings.Join(tones, " "), k.Words)
	}
	golden.Check(t, "kinds", b.String())
}
