package music_test

import (
	"bytes"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/score"
	"stepping/core/tune"
	"stepping/formats/abc"
	"stepping/formats/music"
)

// demoTunes are those that come with the program.
func demoTunes(t *testing.T) (out []*tune.Tune) {
	t.Helper()
	files, err := filepath.Glob("../../demo/tunes/*.abc")
	if err != nil || len(files) < 3 {
		t.Fatal(files, err)
	}
	for _, name := range files {
		f, err := os.Open(name)
		if err != nil {
			t.Fatal(err)
		}
		tu, _, err := abc.Read(f)
		f.Close()
		if err != nil {
			t.Fatal(name, err)
		}
		out = append(out, tu)
	}
	return out
}

// lines are the notes of a tune, and of what a plan strikes: when and what, the bass marked by a b.
func lines(tu *tune.Tune) (out []string) {
	for voice, notes := range [][]tune.Note{tu.Notes, tu.Bass} {
		for i := range notes {
			for _, v := range notes[i].Voices() {
				out = append(out, fmt.Sprintf("%s %.2f%s", notes[i].At, float64(v.Pitch())/100, "mb"[voice:voice+1]))
			}
		}
	}
	return out
}

func struck(p *plan.Plan) *tune.Tune {
	tu := *p.Request.Tune
	tu.Bass = nil
	for i := range p.Moments {
		if th := p.Moments[i].Thumb; th != nil {
			tu.Bass = append(tu.Bass, tune.Note{At: p.Moments[i].At, Dur: th.Dur, Note: th.Note})
		}
	}
	return &tu
}

// TestOwnExports: what a plan of a demo tune plays comes back from its own files, straight and swung, melody and bass each note in its place.
func TestOwnExports(t *testing.T) {
	for i, tu := range demoTunes(t) {
		for _, lean := range []string{player.LeanMixed, player.LeanNone} {
			pr := player.Default()
			pr.Lean = lean
			if lean == player.LeanNone {
				tu = tu.Swung([]float64{0.6, 2.0 / 3, 0.75}[i%3])
			}
			p, err := plan.Solve(t.Context(), plan.Request{Tune: tu, Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[i%3]), Player: pr, Thumb: pattern.Alternating})
			if err != nil {
				t.Fatal(err)
			}
			want := lines(struck(p))
			for _, form := range []string{"musicxml", "midi", "tab"} {
				var file bytes.Buffer
				if err := music.Writers[form](&file, p); err != nil {
					t.Fatal(err)
				}
				f, err := music.Read(&file, music.Options{})
				if err != nil {
					t.Fatal(form, err)
				}
				got, pins, _, err := f.Tune(f.Score.Roles())
				if err != nil {
					t.Fatal(form, err)
				}
				if diff := difference(want, lines(got)); diff != "" {
					t.Errorf("%s as %s, lean %s: %s", tu.Title, form, lean, diff)
				}
				if math.Abs(got.Swing-tu.Swing) > 0.001 {
					t.Errorf("%s as %s: swing %g, want %g", tu.Title, form, got.Swing, tu.Swing)
				}
				if form != "midi" {
					checkPlaces(t, p, pins, tu.Title+" as "+form)
				}
			}
		}
	}
}

func difference(want, got []string) string {
	seen := map[string]int{}
	for _, s := range got {
		seen[s]++
	}
	out := ""
	for _, s := range want {
		if seen[s]--; seen[s] < 0 {
			out += " lacks " + s
		}
	}
	for s, n := range seen {
		if n > 0 {
			out += " has " + s
		}
	}
	return out
}

// checkPlaces: every stroke has a pin on its string and fret.
func checkPlaces(t *testing.T, p *plan.Plan, pins []play.Pin, what string) {
	t.Helper()
	for i := range p.Moments {
		mo := &p.Moments[i]
		for _, s := range append([]*play.Stroke{mo.Melody, mo.Thumb}, mo.With...) {
			if s == nil {
				continue
			}
			found := false
			for _, pin := range pins {
				found = found || pin.At == mo.At && pin.Part == s.Part && pin.String == s.String && pin.Fret == s.Fret
			}
			if !found {
				t.Errorf("%s at %s: no pin for string %d fret %g", what, mo.At, s.String, s.Fret)
			}
		}
	}
}

// TestTyped: of the twelve tabs as people type them, none of which says which voice a note belongs to, the thumb plays what lies on strings 4
// to 6: at least 95 of 100 notes by p.
func TestTyped(t *testing.T) {
	files, err := filepath.Glob("../tabtext/testdata/typed/*.txt")
	if err != nil || len(files) != 12 {
		t.Fatal(files, err)
	}
	thumb, all := 0, 0
	for _, name := range files {
		data, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		f, err := music.Read(bytes.NewReader(data), music.Options{})
		if err != nil {
			t.Fatal(name, err)
		}
		tu, pins, _, err := f.Tune(f.Score.Roles())
		if err != nil || len(tu.Bass) == 0 {
			t.Fatal(name, err)
		}
		p, err := plan.SolveKeepable(t.Context(), plan.Request{Tune: tu, Tuning: *f.Score.Tuning, Capo: f.Score.Capo, Player: player.Default(),
			Thumb: pattern.Written, Pins: pins})
		if err != nil {
			t.Fatal(name, err)
		}
		for i := range p.Moments {
			for _, s := range p.Moments[i].Strokes() {
				if s.String >= 4 {
					all++
					if s.Digit == play.P {
						thumb++
					}
				}
			}
		}
	}
	t.Logf("figure: notes on strings 4 to 6 of twelve typed tabs by the thumb: %d of %d", thumb, all)
	if all < 150 || 100*thumb < 95*all {
		t.Errorf("%d of %d by p", thumb, all)
	}
}

// xmlMeasures is a part of measures, each in quarters of 4/4.
func xmlMeasures(measures ...string) string {
	out := `<?xml version="1.0"?><score-partwise version="4.0"><part-list><score-part id="P1"><part-name>G</part-name></score-part></part-list><part id="P1">`
	for i, m := range measures {
		out += fmt.Sprintf(`<measure number="%d"><attributes><divisions>1</divisions></attributes>%s</measure>`, i+1, m)
	}
	return out + "</part></score-partwise>"
}

func xmlNote(step string, octave, dur, voice int, more string) string {
	return fmt.Sprintf("<note><pitch><step>%s</step><octave>%d</octave></pitch><duration>%d</duration>%s<voice>%d</voice></note>", step, octave, dur, more, voice)
}

// TestBadVoices: a fault in a voice gives a sentence with its place, and the rest is read.
func TestBadVoices(t *testing.T) {
	back := func(n int) string { return fmt.Sprintf("<backup><duration>%d</duration></backup>", n) }
	for _, tt := range []struct {
		name, text, word    string
		line, notes, basses int
	}{
		{"a voice over itself", xmlMeasures(xmlNote("E", 4, 4, 1, "") + back(2) + xmlNote("G", 4, 2, 1, "")), "cut short where the next begins: 1", 1, 2, 0},
		{"a tie into another voice", xmlMeasures(xmlNote("G", 5, 4, 1, "")+back(4)+xmlNote("C", 4, 4, 2, `<tie type="start"/>`),
			xmlNote("C", 4, 4, 1, `<tie type="stop"/>`)+back(4)+xmlNote("C", 3, 4, 2, "")), "tied to it from another voice", 1, 2, 2},
		{"bars of two lengths", "M:4/4\nL:1/4\nK:C\nV:1\nc d e f|g4|\nV:2\nC,2 D,2|E,2|\n", "this bar has 2 quarter notes", 7, 5, 3},
		{"twelve at once", "M:4/4\nL:1/4\nK:C\nV:1\n[CDEFGABcdefg]4|\nV:2\nC,4|\n", "the others left out: 7", 5, 1, 0},
		{"an inner voice of its own", "M:4/4\nL:1/4\nK:C\nV:1\ng4|e4|\nV:2\nz c B A|G4|\nV:3\nC,4|G,,4|\n", "cutting longer melody notes short: 3", 7, 5, 2},
	} {
		f, err := music.Read(strings.NewReader(tt.text), music.Options{})
		if err != nil {
			t.Fatal(tt.name, err)
		}
		tu, _, warnings, err := f.Tune(f.Score.Roles())
		if err != nil {
			t.Fatal(tt.name, err)
		}
		told := slices.ContainsFunc(warnings, func(w score.Warning) bool { return strings.Contains(w.Text, tt.word) && w.Line == tt.line })
		if !told || len(tu.Notes) != tt.notes || len(tu.Bass) != tt.basses {
			t.Errorf("%s: %d notes, %d of the bass, told %+v", tt.name, len(tu.Notes), len(tu.Bass), warnings)
		}
	}
}
