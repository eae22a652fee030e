package score_test

import (
	"testing"

	"stepping/core/chord"
	"stepping/core/coretest"
	"stepping/core/score"
)

// melody is a score of one voice, quarter notes by MIDI number, with a chord at its beginning if one is named.
func melody(t *testing.T, symbol string, midis ...int) *score.Score {
	t.Helper()
	sc := &score.Score{Unit: 1, Length: score.Units(len(midis)), Bars: []score.Units{0}}
	v := score.Voice{}
	for i, n := range coretest.Notes(midis...) {
		v.Notes = append(v.Notes, score.Note{At: score.Units(i), Dur: 1, Note: n})
	}
	sc.Parts = []score.Part{{Voices: []score.Voice{v}}}
	if symbol != "" {
		c, err := chord.Parse(symbol)
		if err != nil {
			t.Fatal(err)
		}
		sc.Chords = []score.Chord{{Chord: c}}
	}
	return sc
}

// TestGuessKey: by hand: the key that holds most of the time, of two that hold the same the one of the last note, and before that
// the one of the first chord, major or minor as the chord is.
func TestGuessKey(t *testing.T) {
	for _, tt := range []struct {
		name, chord string
		midis       []int
		want        string
	}{
		{"all of D major, ending on it", "", []int{62, 64, 66, 67, 69, 71, 73, 62}, "D"},
		{"the same notes, ending on B", "", []int{62, 64, 66, 67, 69, 71, 73, 71}, "Bm"},
		{"the same notes ending on B over D", "D", []int{62, 64, 66, 67, 69, 71, 73, 71}, "D"},
		{"five notes that are in many keys, over Em", "Em", []int{64, 67, 69, 71, 74, 69}, "Em"},
		{"the same over G", "G", []int{64, 67, 69, 71, 74, 69}, "G"},
		{"flats", "", []int{65, 67, 69, 70, 72, 74, 76, 65}, "F"},
	} {
		k := melody(t, tt.chord, tt.midis...).GuessKey()
		got := k.Tonic.ClassName()
		if k.Minor {
			got += "m"
		}
		if got != tt.want {
			t.Errorf("%s: %s, want %s", tt.name, got, tt.want)
		}
	}
}
