package tune

import (
	"reflect"
	"testing"

	"stepping/core/pitch"
)

// A bar rewritten with its own melody is the tune again, but for a note cut at the bar line; other
// notes stand where they are put; what does not fit is refused.
func TestRewritten(t *testing.T) {
	note := func(at, dur Time, midi int) Note {
		return Note{At: at, Dur: dur, Note: pitch.Spell(pitch.Midi(midi), false)}
	}
	tu := &Tune{Bars: []Time{0, Whole, 2 * Whole}, Length: 3 * Whole, Meters: []MeterAt{{Num: 4, Den: 4}},
		Notes: []Note{note(0, Quarter, 60), note(2*Quarter, 3*Quarter, 64), note(Whole+2*Quarter, Quarter, 67), note(2*Whole, Whole, 72)}}
	for bar := 2; bar <= 3; bar++ {
		same, err := tu.Rewritten([]Rewrite{{bar, tu.BarMelody(bar)}})
		want := *tu
		want.Notes = append([]Note{}, tu.Notes...)
		if bar == 2 {
			want.Notes[1].Dur = 2 * Quarter
		}
		if err != nil || !reflect.DeepEqual(same, &want) {
			t.Errorf("bar %d: %v\n%+v\nwant\n%+v", bar, err, same.Notes, want.Notes)
		}
	}
	lick := []NewNote{{Dur: Quarter, Pitch: pitch.Midi(70), With: []pitch.Pitch{pitch.Midi(62)}},
		{At: Quarter, Dur: 2 * Quarter, Pitch: pitch.Midi(69)}}
	got, err := tu.Rewritten([]Rewrite{{3, lick}})
	if err != nil || len(got.Notes) != 5 || got.Notes[3].At != 2*Whole || got.Notes[4].Note.String() != "A4" ||
		got.Notes[3].With[0].String() != "D4" || len(tu.Notes) != 4 {
		t.Errorf("%v %+v", err, got)
	}
	for _, bad := range []Rewrite{{0, nil}, {4, nil}, {1, []NewNote{{}}}, {1, []NewNote{{Dur: 2 * Whole}}},
		{1, []NewNote{{At: Quarter, Dur: Quarter}, {Dur: Quarter}}}} {
		if _, err := tu.Rewritten([]Rewrite{bad}); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
	// Two notes over a bar line: what they cover goes, what sounds into them is cut, they are cut at the line.
	rs, ok := tu.WithLick(1, []NewNote{{At: 3 * Quarter, Dur: 2 * Quarter, Pitch: pitch.Midi(50)},
		{At: Whole + 2*Quarter, Dur: Quarter, Pitch: pitch.Midi(51)}})
	over, err := tu.Rewritten(rs)
	if !ok || err != nil || len(rs) != 2 {
		t.Fatal(ok, err, rs)
	}
	if want := []Note{note(0, Quarter, 60), note(2*Quarter, Quarter, 64), note(3*Quarter, Quarter, 50),
		note(Whole+2*Quarter, Quarter, 51), note(2*Whole, Whole, 72)}; !reflect.DeepEqual(over.Notes, want) {
		t.Errorf("%+v\nwant\n%+v", over.Notes, want)
	}
	if _, ok := tu.WithLick(3, []NewNote{{At: Whole, Dur: Quarter}}); ok {
		t.Error("a lick runs on behind the end")
	}
}
