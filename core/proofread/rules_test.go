package proofread_test

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/formats/abc"
	"stepping/formats/tabtext"
)

// grid writes bars of strings 1 to 6, one after another, as one system.
func grid(head string, bars ...[6]string) string {
	var b strings.Builder
	b.WriteString(head)
	for s := range 6 {
		b.WriteString("EBGDAE"[s : s+1])
		for _, bar := range bars {
			b.WriteString("|" + bar[s])
		}
		b.WriteString("|\n")
	}
	return b.String()
}

const rest8 = "--------"

func top(s string) [6]string { return [6]string{s, rest8, rest8, rest8, rest8, rest8} }

// TestRules: one page for each kind, with the place of what is wrong and its mend.
func TestRules(t *testing.T) {
	walk := [6]string{"0-1-3-1-", rest8, rest8, rest8, "3---3---", rest8}
	bassless := [6]string{"0-1-3-1-", rest8, rest8, rest8, "3-------", rest8}
	odd := [6]string{"0-1-4-1-", rest8, rest8, rest8, "3---3---", rest8}
	for _, tt := range []struct{ name, wrong, want string }{
		{"two on a string", grid("", top("0-123-5-"), top("0-1-3-5-")), "1:7 bar 1 two-on-string → 1:7 -"},
		{"a bar too long", grid("", top("0-1-3-5-"),
			[6]string{"0-1-3-5-3-", "----------", "----------", "----------", "----------", "----------"}, top("0-1-3-5-"), top("0-1-3-5-")) +
			"  q q q q  q q q q q  q q q q  q q q q\n", "1:12 bar 2 bar-length"},
		{"wider than the rest", grid("", top("0-1-3-5-"), [6]string{"0-1-3-5-7-1-", "------------", "------------", "------------",
			"------------", "------------"}, top("0-1-3-5-"), top("0-1-3-5-"), top("0-1-3-5-"), top("0-1-3-5-")), "1:12 bar 2 bar-length"},
		{"no hand holds it", grid("", [6]string{"1---0---", "1---1---", "2---0---", "3---2---", "12--3---", rest8},
			top("0-1-3-1-")), "5:3 bar 1 impossible-grip → 5:3 2"},
		{"no slant gives it", grid("Signs: <5> slide\n", [6]string{"<5>-----", "<9>-----", rest8, rest8, rest8, rest8},
			top("0-1-3-1-")), "3:4 bar 1 impossible-slant → 3:4 5"},
		{"a finger beyond the slide", grid("Signs: <5> slide\n", [6]string{"<5>-----", rest8, "9-------", rest8, rest8, rest8},
			top("0-1-3-1-")), "4:3 bar 1 slide-finger-frets"},
		{"out of key and chord", grid("", walk, walk, odd, walk, walk), "1:25 bar 3 misprint → 1:25 3"},
		{"an odd bar", grid("", walk, walk, [6]string{"0-1-5-1-", rest8, rest8, rest8, "3---3---", rest8}, walk, walk),
			"1:25 bar 3 odd-bar → 1:25 3"},
		{"bass left out", grid("", walk, walk, walk, bassless, walk, walk), "5:34 bar 4 missing-bass → 5:34 3"},
		{"another chord is spelled", "  C        Bb       C\n" + grid("",
			[6]string{"0---0---", "1---1---", "0---0---", "2-------", "3---3---", rest8},
			[6]string{rest8, "1---1---", "0---0---", "2---2---", "3---3---", "3---3---"},
			[6]string{"0---0---", "1---1---", "0---0---", "2-------", "3---3---", rest8}),
			"1:12 bar 2 chord-name → 1:12 C"},
	} {
		var got []string
		for _, f := range check(t, tt.wrong) {
			text := fmt.Sprintf("%d:%d bar %d %s", f.Line, f.Column, f.Bar, f.Kind)
			if f.Mend != nil {
				text += fmt.Sprintf(" → %d:%d %s", f.Mend.Line, f.Mend.Column, f.Mend.To)
			}
			if f.Sure <= 0 || f.Sure > 1 || f.Text == "" {
				t.Errorf("%s: %+v", tt.name, f)
			}
			got = append(got, text)
		}
		if strings.Join(got, ", ") != tt.want {
			t.Errorf("%s: %s, want %s\n%s", tt.name, strings.Join(got, ", "), tt.want, tt.wrong)
		}
	}
}

// TestCorpusIsRead: the reader makes of every layout what was written: times, strings and frets.
func TestCorpusIsRead(t *testing.T) {
	for _, l := range corpusLayouts {
		for _, s := range corpus(t) {
			text, _ := l.write(&s)
			sc, _, err := tabtext.Read(strings.NewReader(text), nil, nil)
			if err != nil {
				t.Fatal(err)
			}
			var want, got []string
			for _, m := range s.marks {
				want = append(want, fmt.Sprintln(m.at, m.str, m.fret, m.note))
			}
			for _, n := range sc.Voices()[0].Notes {
				at, _ := sc.Time(n.At)
				got = append(got, fmt.Sprintln(at, n.On.String, n.On.Fret-float64(sc.Capo), n.Note.Pitch()))
			}
			slices.Sort(want)
			slices.Sort(got)
			for i := range want {
				if i >= len(got) || got[i] != want[i] {
					t.Errorf("%s, %s: %s, want %s\n%s", l.name, s.name, got[min(i, len(got)-1)], want[i], text)
					break
				}
			}
		}
	}
}

// TestQuietOnPlans: what the program itself writes is left alone: its own tunes and others.
func TestQuietOnPlans(t *testing.T) {
	var tunes []*tune.Tune
	files, _ := filepath.Glob("../../demo/tunes/*.abc")
	for _, file := range files {
		text, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		tu, _, err := abc.Read(bytes.NewReader(text))
		if err != nil {
			t.Fatal(err)
		}
		tunes = append(tunes, tu)
	}
	for seed := range uint64(6) {
		tunes = append(tunes, coretest.Wander(seed, 60))
	}
	bars, alarms := 0, 0
	for i, tu := range tunes {
		p, err := plan.Solve(context.Background(),
			plan.Request{Tune: tu, Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[i%3]), Player: player.Default(),
				Thumb: pattern.Alternating})
		if err != nil {
			continue // out of range in that tuning
		}
		var buf bytes.Buffer
		if err := tabtext.Write(&buf, p); err != nil {
			t.Fatal(err)
		}
		bars += len(tu.Bars)
		for _, f := range check(t, buf.String()) {
			alarms++
			t.Logf("%s: bar %d %s: %s", tu.Title, f.Bar, f.Kind, f.Text)
		}
	}
	t.Logf("%d false alarms in %d bars", alarms, bars)
	if bars < 80 || 100*alarms > bars {
		t.Errorf("%d false alarms in %d bars", alarms, bars)
	}
}
