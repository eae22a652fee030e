package abc_test

import (
	"bytes"
	"reflect"
	"testing"

	"stepping/core/coretest"
	"stepping/core/tune"
	"stepping/formats/abc"
)

// plain is a tune without what only a reader knows, its pitches as heights.
func plain(tu *tune.Tune) *tune.Tune {
	out := *tu
	out.Printed, out.Key.Flats, out.Notes = nil, false, nil
	for _, n := range tu.Notes {
		n.Place = tune.Place{}
		heights := n.Voices()
		for i := range heights {
			heights[i].Cents, heights[i].Alter, heights[i].Octave, heights[i].Letter = int(heights[i].Pitch()), 0, 0, 0
		}
		n.Note, n.With = heights[0], heights[1:]
		out.Notes = append(out.Notes, n)
	}
	return &out
}

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
		if want, got := plain(tu), plain(got); !reflect.DeepEqual(want, got) {
			for i := range want.Notes {
				if i >= len(got.Notes) || !reflect.DeepEqual(want.Notes[i], got.Notes[i]) {
					t.Fatalf("seed %d, note %d: %+v, want %+v\n%s", seed, i, got.Notes[min(i, len(got.Notes)-1)], want.Notes[i], text)
				}
			}
			want.Notes, got.Notes = nil, nil
			t.Fatalf("seed %d:\n got %+v\nwant %+v\n%s", seed, got, want, text)
		}
	}
}
