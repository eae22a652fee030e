package music_test

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/proofread"
	"stepping/core/score"
	"stepping/core/sheet"
	"stepping/core/tuning"
	"stepping/formats/music"
	"stepping/formats/plandoc"
	"stepping/golden"
)

// papers are files as people have them, by what is odd about each.
var papers = []struct{ name, text string }{
	{"abc with everything", "X:7\nT:Three Lamps\nC:nobody\nM:6/8\nL:1/8\nQ:3/8=60\nK:Em\nV:1 name=\"tune\"\n|:\"Em\"(3Bcd e2 [eg]>f|!accent!g3 z2 ~e|1 \"D\"d2 A B/A/G:|2 \"B7\"^D3-D2 z|]\nw: three lamps in the rain\nV:2\nE,6|E,6|D,6|B,,6|\n"},
	{"abc in a mode, changes", "X:1\nT:Changes\nM:C|\nL:1/4\nQ:1/4=100 \"slowly\"\nK:A dor\nA B c d|[M:3/4][Q:1/4=80]e3|[K:G]^/f =f _e|\"G7/B\".G !fermata!A \"Am\"B-|B3|]\n"},
	{"tab with counts and words", "Rag for two\nTuning: D A D G B E\ncapo 2\n\n   G            C\n   1 & 2 & 3 & 4 &\nE|-3---1---0-------|-0-------3---|\nB|-------------3p1-|-1---1h3-----|\nG|-0---0---0-------|---0-----0---|\nD|-----------------|-2-------2---|\nA|-----------------|-3-------3---|\nD|-5-------5-------|-------------|\n"},
	{"tab with slides and signs", "e|--3/5~--<12>--7b9--|--x---(5)--t12p5----|\nB|------------------|---------------5\\3--|\nG|------------------|--------------------|\nD|------------------|--------------------|\nA|------------------|--------------------|\nE|--0--0--0--0------|--0--0--0--0--------|\n"},
	{"tab with misprints", "Tuning: D A D F# A D\n   D               G               A7              D\nD |0---2---4---5---|5---4---3---0---|2---------------|0-------------0-|\nA |----------------|----------------|----4---2---0---|----------------|\nF#|----------------|----------------|----------------|----------------|\nD |----0-------0---|----0-------0---|----0-------0---|----0---9---0---|\nA |----------------|----------------|0-------0-------|----------------|\nD |0-------0-------|5-------5-------|----------------|0-------0-------|\n"},
	{"tab too full, two on a string", "e|-0-0-0-0-0-0-0-0-|-0-0-0-0-|\nB|-----------------|---------|\nG|-0---------------|-12-1----|\nD|-----------------|---------|\nA|-3---3---3---3---|-3---3---|\nE|-----------------|---------|\n"},
	{"no music", "Dear all,\nthe rehearsal is on Friday.\n"},
	{"five strings", strings.Repeat("|-0-1-2-|\n", 5)},
	{"abc that breaks off", "K:D\nD2 [FA\n"}, {"abc with a wrong length", "M:4/4\nK:D\nD2 F/0 A|"},
	{"xml without parts", "<?xml version=\"1.0\"?><score-partwise/>"}, {"xml cut off", "<score-partwise><part id=\"P1\"><measure>"},
}

// TestReadings: what is made of each, what is told of it, and what proofreading finds; of what cannot be read where and why.
func TestReadings(t *testing.T) {
	var b strings.Builder
	for _, p := range papers {
		fmt.Fprintf(&b, "== %s (%s)\n", p.name, music.Sniff([]byte(p.text)))
		writeReading(&b, []byte(p.text))
	}
	tu := coretest.Wander(5, 20)
	tn := coretest.Tuning("Open D")
	pl, err := plan.Solve(t.Context(), plan.Request{Tune: tu, Tuning: tn, Player: player.Default(), Thumb: pattern.Alternating})
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"midi", "musicxml", "abc", "tab"} {
		var file bytes.Buffer
		write := music.Writers[name]
		if err := write(&file, pl); err != nil {
			t.Fatal(name, err)
		}
		fmt.Fprintf(&b, "== a plan as %s\n", name)
		writeReading(&b, file.Bytes())
	}
	fmt.Fprintf(&b, "== sheet\n%s", golden.Lines(*sheet.OfPlan(pl)))
	golden.Check(t, "readings", b.String())
}

func writeReading(b *strings.Builder, data []byte) {
	f, err := music.Read(bytes.NewReader(data), music.Options{})
	var fault *score.Fault
	if errors.As(err, &fault) {
		fmt.Fprintf(b, "fault %d:%d %s\n", fault.Line, fault.Column, fault.Text)
		return
	}
	if err != nil {
		fmt.Fprintf(b, "error %v\n", err)
		return
	}
	for voice := range f.Score.Voices() {
		tu, pins, warnings, err := f.Tune(f.Score.As(voice))
		if err != nil {
			fmt.Fprintf(b, "voice %d: %v\n", voice, err)
			continue
		}
		fmt.Fprintf(b, "voice %d\n%s", voice, golden.Lines(plandoc.NewReading(f.Score, f.Quantized, f.Score.As(voice), tu, pins, warnings)))
	}
	fmt.Fprint(b, golden.Lines(plandoc.NewSounds(f.Score)))
	if f.Page == nil {
		return
	}
	for _, found := range proofread.Check(f.Page) {
		fmt.Fprintf(b, "%d:%d bar %d %s %.2f %s\n", found.Line, found.Column, found.Bar, found.Kind, found.Sure, found.Text)
		if found.Mend != nil {
			fmt.Fprintf(b, "  mend %+v\n%s", *found.Mend, found.Mend.Apply(f.Text))
		}
	}
}

// TestTuningOnPaper: a tuning that is asked for is taken where the paper names none.
func TestTuningOnPaper(t *testing.T) {
	open, err := tuning.Parse("Open G")
	if err != nil {
		t.Fatal(err)
	}
	bare := strings.Repeat("|-0-1-2-|\n", 6)
	f, err := music.Read(strings.NewReader(bare), music.Options{Tuning: &open})
	if err != nil || f.Score.Tuning == nil || !slices.Equal(f.Score.Tuning.Spelled(), open.Spelled()) {
		t.Errorf("%v %+v", err, f)
	}
}
