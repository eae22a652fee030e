package tabtext_test

import (
	"context"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/thumb"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/formats/tabtext"
)

func write(t *testing.T, text, tn string, capo int) (*plan.Plan, string) {
	t.Helper()
	tu, _, err := abc.Read(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	tuned, err := tuning.Parse(tn)
	if err != nil {
		t.Fatal(err)
	}
	p, err := plan.Solve(context.Background(), plan.Request{Tune: tu, Tuning: tuned, Capo: capo, Player: player.Default(), Thumb: thumb.Alternating})
	if err != nil {
		t.Fatal(err)
	}
	var b strings.Builder
	if err := tabtext.Write(&b, p); err != nil {
		t.Fatal(err)
	}
	return p, b.String()
}

const tune = "T:Nettle Bank\nM:4/4\nL:1/8\nQ:1/4=60\nK:D\n\"D\"A4 ^/F4|\"G\"B2 d2 G4|\"A7\"(3cde e2 c4|\"D\"d8|F2 E2 D4|"

var number = regexp.MustCompile(`(?:/?<|[hpbt])?\d+(?:\.\d+)?[>o]?`)

// TestEveryStrokeIsWritten reads the tab back: per string the frets in order are those of
// the plan, counted from the capo, in brackets under the slide; lines are equally long.
func TestEveryStrokeIsWritten(t *testing.T) {
	for _, capo := range []int{0, 2} {
		p, text := write(t, tune, "Open D", capo)
		var want, got [7][]string
		for i := range p.Moments {
			for _, s := range p.Moments[i].Strokes() {
				fret := strconv.FormatFloat(s.Fret-float64(capo), 'f', -1, 64)
				switch s.How {
				case play.Slide:
					fret = "<" + fret + ">"
				case play.Glide:
					fret = "/<" + fret + ">"
				case play.Hammer, play.Pull, play.Bend, play.Tapped:
					fret = string(s.How)[:1] + fret
				case play.Harmonic:
					fret += "o"
				}
				want[s.String] = append(want[s.String], fret)
			}
		}
		lines := strings.Split(text, "\n")
		for i := 0; i < len(lines); i++ {
			if !strings.Contains(lines[i], "|-") {
				continue
			}
			for s := 1; s <= 6; s++ {
				line := lines[i+s-1]
				if len(line) != len(lines[i]) || strings.Count(line, "|") != strings.Count(lines[i], "|") {
					t.Errorf("capo %d: lines of unequal length:\n%s\n%s", capo, lines[i], line)
				}
				got[s] = append(got[s], number.FindAllString(line[3:], -1)...)
			}
			i += 5
		}
		for s := 1; s <= 6; s++ {
			if strings.Join(want[s], " ") != strings.Join(got[s], " ") {
				t.Errorf("capo %d, string %d:\n got %v\nwant %v\n%s", capo, s, got[s], want[s], text)
			}
		}
		if capo > 0 && !strings.Contains(text, "capo 2 (frets count from the capo)") || !strings.Contains(text, "Tuning (string 6 to 1): D2 A2 D3 F#3 A3 D4") {
			t.Errorf("header:\n%s", text)
		}
	}
}
