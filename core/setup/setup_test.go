package setup

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// TestWithPin: however pins are set, each thing has one at most, a digit or finger joins the place
// that is pinned, and all come back from JSON as they were.
func TestWithPin(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 9))
	var st Settings
	for range 400 {
		p := play.Pin{At: tune.Quarter * tune.Time(rng.IntN(3)), Part: []play.Part{play.Melody, play.Thumb, play.Damped, play.Tube}[rng.IntN(4)]}
		switch rng.IntN(3) {
		case 0:
			p.String, p.How, p.Fret = 1+rng.IntN(6), play.Fret, float64(rng.IntN(9))
		case 1:
			p.Digit = "i"
		default:
			p.Finger = 1 + rng.IntN(3)
		}
		before := st.Pins
		st = st.WithPin(p)
		pins := st.Pins
		for i := range pins {
			for j := range i {
				if pins[i].SameTarget(&pins[j]) {
					t.Fatalf("two pins for one thing: %+v %+v", pins[i], pins[j])
				}
			}
		}
		last := pins[len(pins)-1]
		for _, old := range before {
			if old.SameTarget(&p) && p.Part == play.Melody && p.String == 0 &&
				(last.String != old.String || last.Fret != old.Fret || last.How != old.How) {
				t.Fatalf("%+v after %+v lost its place: %+v", p, old, last)
			}
		}
	}
	data, err := json.Marshal(st.Pins)
	if err != nil {
		t.Fatal(err)
	}
	var again []play.Pin
	if err := json.Unmarshal(data, &again); err != nil || !reflect.DeepEqual(again, st.Pins) {
		t.Errorf("%v: %s", err, data)
	}
}

// TestWhatFalls: each change drops just those pins whose strings, strokes or notes it takes away,
// and the settings that it began with stay as they were.
func TestWhatFalls(t *testing.T) {
	tu := coretest.Line('D', 80, tune.Quarter, "D G", coretest.Notes(62, 64, 66, 69, 74, 71, 69, 66)...)
	place := play.Pin{At: 0, Part: play.Melody, String: 3, How: play.Open}
	later := play.Pin{At: tune.Whole, Part: play.Melody, String: 1, How: play.Open}
	bass := play.Pin{At: 0, Part: play.Thumb, How: play.Drop}
	off := play.Pin{At: 0, To: 2 * tune.Whole, Part: play.Tube, How: play.Off}
	st := Settings{Tuning: "Open D", Thumb: pattern.Alternating, Pins: []play.Pin{place, later, bass, off},
		Kept: &Kept{7, []play.Pin{place, later, bass}}}
	pat, _ := pattern.Named("Steady bass")
	to := func(change func(*Settings)) Settings {
		next := st
		next.Pins = nil
		change(&next)
		return st.To(next)
	}
	for name, c := range map[string]struct {
		got        Settings
		want, kept []play.Pin
	}{
		"tempo":   {to(func(s *Settings) { s.Tempo = 90 }), st.Pins, st.Kept.Choices},
		"thumb":   {to(func(s *Settings) { s.Thumb = pattern.Steady }), []play.Pin{place, later, off}, []play.Pin{place, later}},
		"capo":    {to(func(s *Settings) { s.Capo = 2 }), []play.Pin{}, nil},
		"tuning":  {to(func(s *Settings) { s.Tuning = "Open G" }), []play.Pin{}, nil},
		"key":     {to(func(s *Settings) { s.Steps = -1 }), []play.Pin{}, nil},
		"pattern": {st.WithSection(1, pat), []play.Pin{place, later, off}, []play.Pin{place, later}},
		"melody": {st.WithMelody(tu, []tune.Rewrite{{Bar: 2, Notes: tu.BarMelody(1)}}, nil), []play.Pin{place, bass, off},
			[]play.Pin{place, bass}},
		"one let go": {st.WithoutPin(&bass), []play.Pin{place, later, off}, st.Kept.Choices},
	} {
		if !reflect.DeepEqual(c.got.Pins, c.want) {
			t.Errorf("%s: %+v are left, want %+v", name, c.got.Pins, c.want)
		}
		if (c.got.Kept == nil) != (c.kept == nil) || c.kept != nil && !reflect.DeepEqual(c.got.Kept.Choices, c.kept) {
			t.Errorf("%s: %+v is kept, want %+v", name, c.got.Kept, c.kept)
		}
	}
	if len(st.Pins) != 4 || st.Sections != nil || st.Rewrites != nil {
		t.Errorf("the settings changed: %+v", st)
	}
	for field, bad := range map[string]Settings{
		"tuning": {Tuning: "H", Thumb: pattern.None}, "capo": {Tuning: "Standard", Capo: tuning.MaxCapo + 1, Thumb: pattern.None},
		"steps": {Tuning: "Standard", Steps: -MaxSteps - 1, Thumb: pattern.None},
		"tempo": {Tuning: "Standard", Tempo: math.NaN(), Thumb: pattern.None}, "thumb": {Tuning: "Standard", Thumb: "loud"},
	} {
		if err := bad.Check(); err == nil || err.Field != field {
			t.Errorf("a wrong %s: %v", field, err)
		}
	}
	for _, bars := range [][2]int{{0, 1}, {2, 1}, {1, 3}} {
		if p, err := PinBars(tu, "heel-off", bars[0], bars[1], 0); err == nil {
			t.Errorf("bars %v are pinned: %+v", bars, p)
		}
	}
	if p, err := PinBars(tu, "heel-off", 2, 2, 0); err != nil || p.At != tune.Whole || p.To != 2*tune.Whole || p.Part != play.Heel {
		t.Errorf("%+v, %v", p, err)
	}
	if p, err := PinBars(tu, "position-5", 1, 2, 2); err != nil || p.Part != play.Position || p.Fret != 7 || p.To != 2*tune.Whole ||
		p.Words(tu, 2) != "bar 1 to 2, position 5, frets 5 to 8" {
		t.Errorf("position 5 above a capo at 2: %+v, %v", p, err)
	}
	if got := ChordsOf(tu); got != "D | G" {
		t.Errorf("the chords are %q", got)
	}
}

// TestWithMelody: a bar gets another melody, another after that, and its own again; pins on its notes fall, others stay.
func TestWithMelody(t *testing.T) {
	tu := coretest.Line('D', 80, tune.Quarter, "D", coretest.Notes(62, 64, 66, 67, 69, 71, 73, 74)...)
	in, out := play.Pin{At: tu.Bars[1], Part: play.Melody, String: 1}, play.Pin{At: 0, Part: play.Melody, String: 2}
	bass := play.Pin{At: tu.Bars[1], Part: play.Thumb, String: 6}
	st := Settings{Pins: []play.Pin{in, out, bass}}
	other, third := tu.BarMelody(1), tu.BarMelody(2)
	one := st.WithMelody(tu, []tune.Rewrite{{Bar: 2, Notes: other}}, []play.Pin{{At: tu.Bars[1], Part: play.Melody, String: 3}})
	if len(one.Rewrites) != 1 || len(one.Rewrites[0].Notes) != 4 || len(one.Pins) != 3 || slices.Contains(one.Pins, in) {
		t.Errorf("another melody: %+v", one)
	}
	two := one.WithMelody(tu, []tune.Rewrite{{Bar: 2, Notes: third[:2]}, {Bar: 1, Notes: third}}, nil)
	if len(two.Rewrites) != 2 || len(two.Rewrites[0].Notes) != 2 || len(one.Rewrites) != 1 {
		t.Errorf("a third: %+v", two)
	}
	back := two.WithMelody(tu, []tune.Rewrite{{Bar: 2}, {Bar: 9}}, nil)
	if len(back.Rewrites) != 1 || back.Rewrites[0].Bar != 1 || !slices.Contains(back.Pins, bass) {
		t.Errorf("as it was: %+v", back)
	}
}
