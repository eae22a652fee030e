package abc_test

import (
	"bytes"
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
