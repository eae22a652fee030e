package scoretest

import (
	"fmt"
	"reflect"
	"strings"

	"stepping/core/tune"
)

// plain is a tune without what only a reader knows, its pitches as heights.
func plain(tu *tune.Tune) *tune.Tune {
	out := *tu
	out.Printed, out.Key.Flats = nil, false
	out.Title = strings.Join(strings.Fields(tu.Title), " ")
	out.Notes, out.Bass = plainNotes(tu.Notes), plainNotes(tu.Bass)
	return &out
}

func plainNotes(notes []tune.Note) (out []tune.Note) {
	for _, n := range notes {
		n.Place = tune.Place{}
		voices := n.Voices()
		for i := range voices {
			voices[i].Cents, voices[i].Alter, voices[i].Octave, voices[i].Letter = int(voices[i].Pitch()), 0, 0, 0
		}
		n.Note, n.With = voices[0], voices[1:]
		out = append(out, n)
	}
	return out
}

// Difference tells the first thing in which two tunes differ in what is played, marked or sung; "" if there is
// none. Spelling does not count.
func Difference(want, got *tune.Tune) string {
	want, got = plain(want), plain(got)
	for i := range want.Notes {
		if i >= len(got.Notes) || !reflect.DeepEqual(want.Notes[i], got.Notes[i]) {
			return fmt.Sprintf("note %d of %d: %+v, want %+v", i, len(want.Notes), got.Notes[min(i, len(got.Notes)-1)], want.Notes[i])
		}
	}
	w, g := reflect.ValueOf(*want), reflect.ValueOf(*got)
	for i := range w.NumField() {
		if !reflect.DeepEqual(w.Field(i).Interface(), g.Field(i).Interface()) {
			return fmt.Sprintf("%s: %+v, want %+v", w.Type().Field(i).Name, g.Field(i), w.Field(i))
		}
	}
	return ""
}
