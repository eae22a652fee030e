package tabtext_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/score"
	"stepping/core/score/scoretest"
	"stepping/formats/tabtext"
)

// TestPlansReadBack: what Write writes is read with the same times, strings, frets, techniques and digits.
func TestPlansReadBack(t *testing.T) {
	lean := player.Default()
	lean.Lean = player.LeanNone
	for i, r := range []plan.Request{
		{Tune: coretest.Wander(1, 40), Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.Alternating},
		{Tune: coretest.Wander(2, 40), Tuning: coretest.Tuning("Open G"), Capo: 2, Player: player.Default(), Thumb: pattern.Steady},
		{Tune: coretest.Wander(3, 40), Tuning: coretest.Tuning("Standard"), Player: lean, Thumb: pattern.None},
	} {
		p, err := plan.Solve(context.Background(), r)
		if err != nil {
			t.Fatal(err)
		}
		checkReadBack(t, fmt.Sprint("plan ", i), p, nil)
	}
	for capo := range 3 {
		p, _ := write(t, tune, "Open D", capo, nil)
		checkReadBack(t, "all lengths", p, nil)
	}
}

func checkReadBack(t *testing.T, name string, p *plan.Plan, change func(string) string) {
	t.Helper()
	var buf bytes.Buffer
	if err := tabtext.Write(&buf, p); err != nil {
		t.Fatal(err)
	}
	text := buf.String()
	if change != nil {
		text = change(text)
	}
	sc, _, err := tabtext.Read(strings.NewReader(text), nil, nil)
	if err != nil {
		t.Fatalf("%s: %v\n%s", name, err, text)
	}
	var want, got []string
	for i := range p.Moments {
		for _, s := range p.Moments[i].Strokes() {
			how := s.How
			if how == play.Fret || how == play.Dead {
				how = ""
			}
			want = append(want, fmt.Sprintln(p.Moments[i].At, s.String, s.Fret, how, s.Note.Pitch(), s.Digit))
		}
	}
	for _, n := range sc.Voices()[0].Notes {
		at, _ := sc.Time(n.At)
		got = append(got, fmt.Sprintln(at, n.On.String, n.On.Fret, n.On.How, n.Note.Pitch(), n.On.Digit))
	}
	slices.Sort(want)
	slices.Sort(got)
	for i := range want {
		if i >= len(got) || want[i] != got[i] {
			t.Fatalf("%s: %s, want %s\n%s", name, got[min(i, len(got)-1)], want[i], text)
		}
	}
	if len(got) != len(want) || *sc.Tuning != p.Request.Tuning || sc.Capo != p.Request.Capo || sc.Title != p.Request.Tune.Title ||
		sc.Tempos[0].BPM != p.Tempo() {
		t.Errorf("%s: %d notes of %d, %v, capo %d, %q", name, len(got), len(want), sc.Tuning, sc.Capo, sc.Title)
	}
}

// layouts are tablature as people type it; what is wanted is worked out by hand: time in quarters, string:fret,
// technique and marks.
var layouts = []struct{ name, text, want string }{
	{"counted, with notes between the words", "   1       2       3       4       |\ne|-0---1---2---3-------5---7---8---|\nB|---------------------------------|\nG|---------------------------------|\nD|---------------------------------|\nA|---------------------------------|\nE|---------------------------------|\n",
		"0 1:0 open, 1/2 1:1, 1 1:2, 3/2 1:3, 5/2 1:5, 3 1:7, 7/2 1:8"},
	{"spacing, names, words between", "Title: A walk\nTuning: DADF#AD, capo 2\n\ne|-0---2---3---5---|-7-------5-h-7---|\nB|-----------------|-----------------|\nG|---------2-------|-----------------|\n" +
		"D|-----------------|-----------------|\nA|-0-------0-------|-0-------0-------|\nE|-----------------|-----------------|\n\nand so on\n",
		"0 1:0 open, 0 5:0 open, 1 1:2, 2 1:3, 2 3:2, 2 5:0 open, 3 1:5, 4 1:7, 4 5:0 open, 6 1:5, 6 5:0 open, 7 1:7 hammer"},
	{"no names, no lead, sixteenths", "----------------\n----------------\n0-2-----0-2-3-2-\n----------------\n----------------\n----------------\n",
		"0 3:0 open, 1/2 3:2, 2 3:0 open, 5/2 3:2, 3 3:3, 7/2 3:2"},
	{"lengths", "     q  e e3 e3 e3 e q.\ne|--0--1-2--3--4--5--7-|\nB|---------------------|\nG|---------------------|\nD|---------------------|\nA|---------------------|\nE|---------------------|\n",
		"0 1:0 open, 1 1:1, 3/2 1:2, 11/6 1:3, 13/6 1:4, 5/2 1:5, 3 1:7"},
	{"beats", "e|--0-1-2-----3-|\nB|-------------|\nG|-------------|\nD|-------------|\nA|-------------|\nE|-------------|\n    1 & 2 3 & 4\n",
		"0 1:0 open, 1/2 1:1, 1 1:2, 3 1:3"},
	{"signs", "e|-5b7-7b-5/7-\\5-12*-x-(3)-8~-|\nB|----------------------------|\nG|-2p0-----------------------|\nD|----------------------------|\nA|-<12>----------------------|\nE|-7b9r7---------------------|\n",
		""},
	{"repeats and endings", "              1.       2.\ne|:0---|-1---|-2---:|-3---||\nB|:----|-----|-----:|-----||\nG|-----|-----|------|-----||\nD|-----|-----|------|-----||\nA|:----|-----|-----:|-----||\nE|:----|-----|-----:|-----||\n",
		"0 1:0 open, 4 1:1, 8 1:2, 12 1:0 open, 16 1:1, 20 1:3"},
	{"upside down, three four", "3/4\nE|-3-----------|\nA|-------------|\nD|-----0---0---|\nG|-----0---0---|\nB|-------------|\nE|-------------|\n",
		"0 6:3, 1 3:0 open, 1 4:0 open, 2 3:0 open, 2 4:0 open"},
	{"two digits push others aside", "e|-10--12--8---7---|\nB|-10---12-8---7---|\nG|-----------------|\nD|-----------------|\nA|-----------------|\nE|-----------------|\n",
		"0 1:10, 0 2:10, 1 1:12, 1 2:12, 2 1:8, 2 2:8, 3 1:7, 3 2:7"},
	{"a tie over the bar", "e|-0---2-------5---|(5)-----3-------|\nB|-----------------|----------------|\nG|-----------------|----------------|\nD|-----------------|----------------|\nA|-----------------|----------------|\nE|-----------------|----------------|\n",
		"0 1:0 open, 1 1:2, 3 1:5, 6 1:3"},
}

func TestLayouts(t *testing.T) {
	for _, tt := range layouts {
		sc, _, err := tabtext.Read(strings.NewReader(tt.text), nil, nil)
		if err != nil {
			t.Errorf("%s: %v", tt.name, err)
			continue
		}
		var got []string
		for _, n := range sc.Voices()[0].Notes {
			text := fmt.Sprintf("%s %d:%g %s %s", sc.Fraction(n.At), n.On.String, n.On.Fret-float64(sc.Capo), n.On.How,
				strings.Join(n.Marks.Names(), "+"))
			got = append(got, strings.Join(strings.Fields(text), " "))
		}
		if tt.want != "" && strings.Join(got, ", ") != tt.want {
			t.Errorf("%s:\n got %s\nwant %s", tt.name, strings.Join(got, ", "), tt.want)
		}
		if tt.want != "" {
			continue
		}
		var kinds []string // of signs only the kinds, in order of the page
		for _, n := range sc.Voices()[0].Notes {
			kinds = append(kinds, strings.TrimSpace(fmt.Sprintf("%d:%g %s %s", n.On.String, n.On.Fret, n.On.How, strings.Join(n.Marks.Names(), "+"))))
		}
		slices.Sort(kinds)
		want := "1:12 harmonic|1:3|1:5|1:5  slide|1:7  slide|1:7 bend|1:8  vibrato|1:9 bend|3:0 pull|3:2|5:12 harmonic|6:7 pull|6:9 bend"
		if got := strings.Join(kinds, "|"); got != want {
			t.Errorf("%s:\n got %s\nwant %s", tt.name, got, want)
		}
	}
}

// faultyTabs are refused, with the line and a word of why.
var faultyTabs = []struct{ name, text, place, word string }{
	{"empty", "", "1:1", "no tablature"},
	{"words", "Just words.\n", "1:1", "no tablature"},
	{"five of six", strings.Repeat("|-0-1-2-|\n", 6) + "\n" + strings.Repeat("|-0-1-2-|\n", 5), "8:1", "5 lines"},
	{"five alone", strings.Repeat("|-0-1-2-|\n", 5), "1:1", "5 lines"},
	{"no notes", strings.Repeat("|-------|\n", 6), "1:1", "no notes"},
	{"seven strings, no tuning", strings.Repeat("|-0-1-2-|\n", 7), "1:1", "give yours"},
	{"bars that differ", "|-0-|-1-|\n|-0-1-|\n|-0-|-1-|-2-|\n|-0-|-1-|-2-|-3-|\n|-|-|-|-|-|\n|-|-|-|-|-|-|\n", "1:1", "different numbers of bars"},
	{"not text", "ab\x00c", "1:3", "text"},
}

func TestReadFaults(t *testing.T) {
	for _, tt := range faultyTabs {
		_, _, err := tabtext.Read(strings.NewReader(tt.text), nil, nil)
		var fault *score.Fault
		if !errors.As(err, &fault) || fmt.Sprintf("%d:%d", fault.Line, fault.Column) != tt.place || !strings.Contains(fault.Text, tt.word) {
			t.Errorf("%s: %v; want %s %s", tt.name, err, tt.place, tt.word)
		}
	}
}

// longTab has so many notes.
func longTab(notes int) string {
	var b strings.Builder
	for range notes / 32 {
		b.WriteString(strings.Repeat("|"+strings.Repeat("-0", 8), 4) + "|\n")
		for range 5 {
			b.WriteString(strings.Repeat("|"+strings.Repeat("--", 8), 4) + "|\n")
		}
		b.WriteString("\n")
	}
	return b.String()
}

// TestReadSize: 4,000 notes are read, more are refused.
func TestReadSize(t *testing.T) {
	start := time.Now()
	if sc, _, err := tabtext.Read(strings.NewReader(longTab(4000)), nil, nil); err != nil || sc.Count() != 4000 || time.Since(start) > time.Second {
		t.Errorf("%v after %v", err, time.Since(start))
	}
	t.Logf("4,000 notes in %v", time.Since(start))
	if _, _, err := tabtext.Read(strings.NewReader(longTab(4032)), nil, nil); err == nil || !strings.Contains(err.Error(), "4,000") {
		t.Errorf("4,032 notes: %v", err)
	}
}

// FuzzRead: no panic, faults have places, and what is read makes a tune that keeps its promises.
func FuzzRead(f *testing.F) {
	for _, tt := range layouts {
		f.Add(tt.text)
	}
	for _, tt := range faultyTabs {
		f.Add(tt.text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		sc, page, err := tabtext.Read(strings.NewReader(text), nil, nil)
		if scoretest.Fault(t, err) {
			return
		}
		scoretest.Check(t, sc)
		for _, b := range page.Bars {
			for _, n := range b.Notes {
				if n.Place.Line < 1 || n.Place.Column < 1 || n.String < 1 || n.Dur <= 0 {
					t.Fatalf("%+v", n)
				}
			}
		}
	})
}
