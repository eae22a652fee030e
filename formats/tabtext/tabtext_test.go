package tabtext_test

import (
	"context"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"unicode/utf8"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/formats/tabtext"
)

func write(t *testing.T, text, tn string, capo int, sections []pattern.Section) (*plan.Plan, string) {
	t.Helper()
	tu, _, err := abc.Read(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	tuned, err := tuning.Parse(tn)
	if err != nil {
		t.Fatal(err)
	}
	p, err := plan.Solve(context.Background(), plan.Request{Tune: tu, Tuning: tuned, Capo: capo, Player: player.Default(),
		Thumb: pattern.Alternating, Sections: sections})
	if err != nil {
		t.Fatal(err)
	}
	var b strings.Builder
	if err := tabtext.Write(&b, p); err != nil {
		t.Fatal(err)
	}
	return p, b.String()
}

// tune has a pickup, a repeat, bars in which nothing begins, and one wider than a line.
const tune = "T:Nettle Bank\nM:4/4\nL:1/8\nQ:1/4=60\nK:D\nA,2|:\"D\"A4 ^/F4|\"G\"B2 d2 G4|\"A7\"(3cde e2 c4:|\"D\"d8-|d8-|d8|z8|" +
	"F/G/A/B/ c/d/e/f/ g/f/e/d/ c/B/A/G/|F2 E2 D4|"

var number = regexp.MustCompile(`(?:/?<|[hpbt])?\d+(?:\.\d+)?[>o]?`)

// TestEveryStrokeIsWritten reads the tab back: per string the frets in order are those of
// the plan, counted from the capo, in brackets under the slide; lines are equally long and no longer
// than a page is wide; every bar played is there with its number and its beats.
func TestEveryStrokeIsWritten(t *testing.T) {
	slapped := slices.IndexFunc(pattern.Library, func(p pattern.Pattern) bool {
		return p.Meter == "4/4" && slices.ContainsFunc(p.Beats, func(b pattern.Beat) bool { return b.Hit == pattern.Slap })
	})
	slaps := []pattern.Section{{Bar: 1, Pattern: &pattern.Library[slapped]}}
	for capo, sections := range map[int][]pattern.Section{0: nil, 2: nil, 1: slaps} {
		p, text := write(t, tune, "Open D", capo, sections)
		var want, got [7][]string
		hits := 0
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
			if p.Moments[i].Hit == pattern.Slap {
				hits++
			}
		}
		bars, beats, slapped := 0, 0, 0
		for _, system := range strings.Split(text, "\n\n")[1:] {
			lines := strings.Split(strings.TrimSuffix(system, "\n"), "\n")
			first := slices.IndexFunc(lines, func(l string) bool { return strings.HasSuffix(l, "|") })
			if first < 0 {
				continue
			}
			for s := 1; s <= 6; s++ {
				line := lines[first+s-1]
				if len(line) != len(lines[first]) || strings.Count(line, "|") != strings.Count(lines[first], "|") {
					t.Errorf("capo %d: lines of unequal length:\n%s\n%s", capo, lines[first], line)
				}
				got[s] = append(got[s], number.FindAllString(line[3:], -1)...)
			}
			bars += strings.Count(lines[first], "|-")
			beats += len(regexp.MustCompile(`\b[1-4]\b`).FindAllString(lines[len(lines)-1], -1))
			slapped += strings.Count(strings.Join(lines[first+7:len(lines)-1], ""), "s")
		}
		for _, line := range strings.Split(text, "\n") {
			if utf8.RuneCountInString(line) > tabtext.Columns {
				t.Errorf("capo %d: wider than %d: %s", capo, tabtext.Columns, line)
			}
		}
		for s := 1; s <= 6; s++ {
			if strings.Join(want[s], " ") != strings.Join(got[s], " ") {
				t.Errorf("capo %d, string %d:\n got %v\nwant %v\n%s", capo, s, got[s], want[s], text)
			}
		}
		if bars != len(p.Request.Tune.Bars) || beats != 4*bars-3 || slapped != hits || hits > 0 != (sections != nil) {
			t.Errorf("capo %d: %d bars of %d, %d beats, %d slaps of %d:\n%s", capo, bars, len(p.Request.Tune.Bars), beats, slapped, hits, text)
		}
		if capo == 2 && !strings.Contains(text, "capo 2 (frets count from the capo)") ||
			!strings.Contains(text, "Tuning (string 6 to 1): D2 A2 D3 F#3 A3 D4") ||
			!strings.Contains(text, "1·2") {
			t.Errorf("header or numbers:\n%s", text)
		}
	}
}
