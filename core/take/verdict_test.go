package take

import (
	"testing"

	"stepping/core/play"
)

// TestMissed: what was not heard, and what was in its place, is said at its moment.
func TestMissed(t *testing.T) {
	mo := &play.Moment{Bar: 3, Beat: 2}
	v := missed(mo, []Missing{{Part: play.Thumb, String: 6, Instead: &Instead{String: 5, Fret: 2}}})
	if v.Kind != "wrong" || v.Text != placeOf(mo)+": instead of the thumb's stroke on string 6, string 5 at fret 2 was heard" {
		t.Errorf("%+v", v)
	}
	v = missed(mo, []Missing{{Part: play.Melody, String: 1}, {Part: play.Thumb, String: 6}})
	if v.Kind != "missing" || v.Text != placeOf(mo)+": the note on string 1 and the thumb's stroke on string 6 were not heard" {
		t.Errorf("%+v", v)
	}
}
