package plandoc_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"stepping/core/backing"
	"stepping/core/chord"
	"stepping/core/coretest"
	"stepping/core/grip"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/score"
	"stepping/core/take"
	"stepping/core/tune"
	"stepping/formats/plandoc"
	"stepping/golden"
)

func written(t *testing.T, d *plandoc.Doc) string {
	t.Helper()
	var b bytes.Buffer
	if err := d.Write(&b); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// TestDocuments: whole documents of plans, chords, grips and takes, byte for byte.
func TestDocuments(t *testing.T) {
	tu := coretest.Line('D', 72, tune.Quarter, "D", coretest.Notes(74, 78, 69, 62)...)
	tu.Notes[2].Marks = tune.Vibrato
	lap := player.Default()
	lap.Posture, lap.Silence = player.Lap, player.LapStop
	for name, r := range map[string]plan.Request{
		"slide": {Tune: tu, Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.Alternating,
			Pins: []play.Pin{{At: tune.Quarter, Part: play.Melody, String: 2, Fret: 21, How: play.Slide}}},
		"lap": {Tune: tu, Tuning: coretest.Tuning("Open G"), Capo: 2, Player: lap, Thumb: pattern.Steady, Tempo: 60},
	} {
		p, err := plan.Solve(t.Context(), r)
		if err != nil {
			t.Fatal(name, err)
		}
		d, err := plandoc.New(t.Context(), p)
		if err != nil {
			t.Fatal(name, err)
		}
		golden.Check(t, "plan-"+name, written(t, d))
		if name == "slide" {
			golden.Check(t, "take", takeOf(t, p))
		}
	}
	golden.Check(t, "chords", chordsOf(t))
}

// takeOf is a document of a take with some of everything.
func takeOf(t *testing.T, p *plan.Plan) string {
	t.Helper()
	tk := &take.Take{Missing: []take.Missing{{Moment: 2, Part: play.Thumb, String: 6}}, Extra: []take.Extra{{AtSec: 1.5}}}
	for m := range p.Moments {
		tk.Places = append(tk.Places, take.Place{Moment: m, AtSec: 0.51 + 1.02*p.Moments[m].Seconds, Sure: 0.87654})
		for _, s := range p.Moments[m].Strokes() {
			tk.Notes = append(tk.Notes, take.Note{Moment: m, Part: s.Part, String: s.String, AtSec: 0.51 + p.Moments[m].Seconds, Cents: -23.456 * float64(m),
				OnsetMs: 31.25 * float64(m), DurSec: 0.8, Sure: 0.9, Plucked: true, Loud: -1.234})
		}
	}
	data, err := json.MarshalIndent(plandoc.NewTake(p, tk), "", " ")
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// chordsOf are documents of a progression under a pattern, of grips, and of what sounds.
func chordsOf(t *testing.T) string {
	t.Helper()
	var b strings.Builder
	tu, err := tune.Progression("D | G A7 | Bm", tune.MeterAt{Num: 4, Den: 4}, 90)
	if err != nil {
		t.Fatal(err)
	}
	pl := player.Default()
	pl.Lean, pl.Fingers = player.LeanNone, 3
	backed, err := backing.Solve(t.Context(), backing.Request{Tune: tu, Tuning: coretest.Tuning("Standard"), Capo: 1, Player: pl,
		Sections: []pattern.Section{{Bar: 1, Pattern: &pattern.Library[0]}}})
	if err != nil {
		t.Fatal(err)
	}
	b.WriteString(written(t, plandoc.NewBacking(backed)))
	g := grip.Guitar{Tuning: coretest.Tuning("Open D"), Player: player.Default()}
	for _, name := range []string{"G", "Em7", "F#"} {
		c, err := chord.Parse(name)
		if err != nil {
			t.Fatal(err)
		}
		for _, x := range g.Find(c, 2) {
			data, err := json.Marshal(plandoc.NewGrip(g, c, &x))
			fmt.Fprintf(&b, "%s: %s %v\n", name, data, err)
		}
	}
	for _, frets := range [][]int{{0, 0, 0, 0, 0, 0}, {5, 5, 5, 5, 5, 5}, {-1, 0, 2, 1, 0, 2}} {
		data, err := json.Marshal(plandoc.NewSounding(coretest.Tuning("Open D"), frets))
		fmt.Fprintf(&b, "%v: %s %v\n", frets, data, err)
	}
	return b.String()
}

// TestVoiceNames: a voice is named by its part, and by a name of its own that is another.
func TestVoiceNames(t *testing.T) {
	sc := &score.Score{Parts: []score.Part{{Name: "Guitar", Voices: []score.Voice{{}, {Name: "Guitar"}, {Name: "bass"}}}, {Voices: []score.Voice{{Name: "tune"}, {}}}}}
	for i, want := range []string{"Guitar", "Guitar", "Guitar, bass", "tune", ""} {
		if got := plandoc.Voices(sc)[i]; got.Name != want || got.Voice != i {
			t.Errorf("voice %d is named %q, want %q", i, got.Name, want)
		}
	}
}
