package tune

import (
	"errors"
	"testing"
)

func TestProgression(t *testing.T) {
	tu, err := Progression("| D | G A7 | . | D . . Em |", MeterAt{Num: 4, Den: 4}, 90)
	if err != nil {
		t.Fatal(err)
	}
	want := []struct {
		at   Time
		name string
	}{{0, "D"}, {Whole, "G"}, {Whole + 2*Quarter, "A7"}, {3 * Whole, "D"}, {3*Whole + 3*Quarter, "Em"}}
	if len(tu.Chords) != len(want) || len(tu.Bars) != 4 || tu.Length != 4*Whole || tu.Key.Tonic.ClassName() != "D" {
		t.Fatalf("%+v", tu)
	}
	for i, w := range want {
		if tu.Chords[i].At != w.at || tu.Chords[i].Chord.Name != w.name {
			t.Errorf("chord %d: %+v", i, tu.Chords[i])
		}
	}
	for text, at := range map[string][2]int{"": {1, 1}, "D | H": {2, 5}, "D |G Xq": {2, 6}, ". | D": {1, 1},
		"D D G D A D G A D": {1, 1}, "D | A C D E F": {2, 4}} {
		_, err := Progression(text, MeterAt{Num: 4, Den: 4}, 90)
		var fault *ProgressionError
		if !errors.As(err, &fault) || fault.Bar != at[0] || fault.Column != at[1] {
			if text == "D | A C D E F" && err == nil { // five divide a bar of ticks
				continue
			}
			t.Errorf("%q: %v", text, err)
		}
	}
}
