package abc_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"stepping/core/coretest"
	"stepping/core/score/scoretest"
	"stepping/formats/abc"
)

// TestWriteReadsBack: every tune that can be held is written so that it is read back as it was.
func TestWriteReadsBack(t *testing.T) {
	for seed := range uint64(400) {
		tu := coretest.Any(seed)
		var buf bytes.Buffer
		if err := abc.Write(&buf, tu, nil); err != nil {
			t.Fatal(err)
		}
		text := buf.String()
		got, _, err := abc.Read(&buf)
		if err != nil {
			t.Fatalf("seed %d: %v\n%s", seed, err, text)
		}
		if diff := scoretest.Difference(tu, got); diff != "" {
			t.Fatalf("seed %d, %s\n%.3000s", seed, diff, text)
		}
	}
}

// TestWriteBars: bars for a staff, wherever they are cut out of a tune, hold what sounds there, triplets as triplets, both
// voices; and are one line a voice.
func TestWriteBars(t *testing.T) {
	text := "X:1\nT:x\nM:3/4\nL:1/8\nK:G\nD2|\"G\"G2 (3ABc d2-|d4 \"C\"e2|\"D7\"(3dcA F4|\"G\"G6|]\n"
	tu, _, err := abc.Read(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	for first := 1; first <= len(tu.Bars); first++ {
		for last := first; last <= len(tu.Bars); last++ {
			var b strings.Builder
			if err := abc.WriteBars(&b, tu, first, last); err != nil {
				t.Fatal(err)
			}
			got, _, err := abc.Read(strings.NewReader(b.String()))
			if err != nil {
				t.Fatalf("%v in\n%s", err, b.String())
			}
			var want, have []string
			from, end := tu.Bars[first-1], tu.Bars[last-1]+tu.BarLength(last-1)
			for _, n := range tu.Notes {
				if n.At < end && n.End() > from {
					want = append(want, fmt.Sprint(n.Note.Pitch(), min(n.End(), end)-max(n.At, from)))
				}
			}
			for _, n := range got.Notes {
				have = append(have, fmt.Sprint(n.Note.Pitch(), n.Dur))
			}
			if fmt.Sprint(want) != fmt.Sprint(have) || strings.Contains(b.String(), "/3") {
				t.Errorf("bars %d to %d: %v, not %v\n%s", first, last, have, want, b.String())
			}
		}
	}
}
