package tabtext_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"stepping/core/proofread"
	"stepping/core/score"
	"stepping/formats/tabtext"
)

// aPage is four bars of 4/4 in eighths, with a count under them or without: notes are pairs of eighth, from 0, and string.
func aPage(rng *rand.Rand, counted bool) (rows [6][]string, count []string, notes [][2]int) {
	for bar := range 4 {
		var cells [6][]byte
		for s := range cells {
			cells[s] = []byte(strings.Repeat("-", 16))
		}
		for eighth := range 8 {
			if eighth > 0 && rng.IntN(4) == 0 {
				continue
			}
			s := rng.IntN(6)
			cells[s][2*eighth] = byte('0' + rng.IntN(5))
			notes = append(notes, [2]int{8*bar + eighth, s + 1})
		}
		for s := range cells {
			rows[s] = append(rows[s], string(cells[s]))
		}
		if counted {
			count = append(count, "1 & 2 & 3 & 4 & ")
		}
	}
	return rows, count, notes
}

// onsets are the eighths and strings of what was read; -1 stands for a note between eighths.
func onsets(sc *score.Score) (out [][2]int) {
	for _, v := range sc.Parts {
		for _, voice := range v.Voices {
			for i := range voice.Notes {
				n := &voice.Notes[i]
				at := int(2 * n.At / sc.Unit)
				if 2*n.At%sc.Unit != 0 {
					at = -1
				}
				out = append(out, [2]int{at, n.On.String})
			}
		}
	}
	return out
}

// TestHabits: columns that slip in ways in which people type are read in their places: counts written without a gap for the bar lines, the last
// dash of every bar missing; and a dash missing on one line loses no more than what stands behind it in its bar, with a warning.
func TestHabits(t *testing.T) {
	slips := 0 // notes on lines that lack a dash, of 80 pages with some 24 notes each
	for seed := range uint64(40) {
		rng := rand.New(rand.NewPCG(seed, 28))
		for _, habit := range []string{"plain", "counts slip", "short bars", "short row", "short row, counted"} {
			rows, count, notes := aPage(rng, strings.Contains(habit, "count"))
			gap := " "
			shortAt := -1
			switch habit {
			case "counts slip":
				gap = ""
			case "short bars":
				for s := range rows {
					for b := range rows[s] {
						rows[s][b] = rows[s][b][:15]
					}
				}
			case "short row", "short row, counted":
				shortAt = rng.IntN(6)
				line := rows[shortAt][1]
				at := rng.IntN(15)
				for line[at] != '-' || at > 0 && line[at-1] != '-' { // what stands hard behind a number stays there
					at = rng.IntN(15)
				}
				rows[shortAt][1] = line[:at] + line[at+1:]
			}
			text := ""
			for s, name := range "eBGDAE" {
				text += fmt.Sprintf("%c|%s|\n", name, strings.Join(rows[s][:], "|"))
			}
			if count != nil {
				text += "  " + strings.Join(count, gap) + "\n"
			}
			sc, _, err := tabtext.Read(strings.NewReader(text), nil, nil)
			if err != nil {
				t.Fatalf("%s: %v\n%s", habit, err, text)
			}
			got, lost := map[[2]int]bool{}, 0
			for _, n := range onsets(sc) {
				got[n] = true
			}
			for _, n := range notes {
				if !got[n] {
					lost++
				}
			}
			slips += lost
			if lost > 0 && shortAt < 0 {
				t.Errorf("seed %d, %s: %d of %d notes out of place\n%s", seed, habit, lost, len(notes), text)
			}
			if told := len(sc.Warnings) > 0; told != (shortAt >= 0) {
				t.Errorf("seed %d, %s: %+v", seed, habit, sc.Warnings)
			} else if told && sc.Warnings[0].Line != shortAt+1 {
				t.Errorf("seed %d, %s: line %d is short, told %+v", seed, habit, shortAt+1, sc.Warnings)
			}
		}
	}
	t.Logf("figure: of 80 pages with a dash missing %d notes are out of place", slips)
	if slips > 20 {
		t.Errorf("of 80 pages with a dash missing %d notes are out of place", slips)
	}
}

// TestHeads: what stands over the strings in people's own ways.
func TestHeads(t *testing.T) {
	strings6 := strings.Repeat("|0---2---3---0---|\n", 6)
	for _, tt := range []struct {
		head, title, tuned, meter string
		tempo                     float64
	}{
		{"Low gas blues - shuffle in E", "Low gas blues", "E2 A2 D3 G3 B3 E4", "4/4", 0},
		{"Tin lid waltz   (capo 2)   3/4\n\nIntro: let ring", "Tin lid waltz", "E2 A2 D3 G3 B3 E4", "3/4", 0},
		{"q=88", "", "E2 A2 D3 G3 B3 E4", "4/4", 88}, {"Quarry whistle (open G)", "Quarry whistle", "D2 G2 D3 G3 B3 D4", "4/4", 0},
		{"Sump oil\nDADGAD, slow", "Sump oil", "D2 A2 D3 G3 A3 D4", "4/4", 0}, {"Weir\n12/8? no: 4/4, q = 70", "Weir", "E2 A2 D3 G3 B3 E4", "4/4", 70},
		{"FACADE", "FACADE", "E2 A2 D3 G3 B3 E4", "4/4", 0}, {"THE FERRY STEPS   slow air  6/8", "THE FERRY STEPS", "E2 A2 D3 G3 B3 E4", "6/8", 0},
	} {
		sc, _, err := tabtext.Read(strings.NewReader(tt.head+"\n\n"+strings6), nil, nil)
		if err != nil {
			t.Fatal(tt.head, err)
		}
		tempo := 0.0
		if len(sc.Tempos) > 0 {
			tempo = sc.Tempos[0].BPM
		}
		meter := fmt.Sprintf("%d/%d", sc.Meters[0].Num, sc.Meters[0].Den)
		if tuned := strings.Join(sc.Tuning.Spelled(), " "); sc.Title != tt.title || tuned != tt.tuned || meter != tt.meter || tempo != tt.tempo {
			t.Errorf("%q: %q %s %s %g", tt.head, sc.Title, tuned, meter, tempo)
		}
	}
	named := "Open G\n\n"
	for _, n := range "eBGDAE" {
		named += fmt.Sprintf("%c|0---2---3---0---|\n", n)
	}
	if sc, _, err := tabtext.Read(strings.NewReader(named), nil, nil); err != nil || len(sc.Warnings) != 1 || !strings.Contains(sc.Warnings[0].Text, "labelled Standard") {
		t.Errorf("%v: two tunings: %+v", err, sc)
	}
}

// TestBlues: of twenty blues and rags, which have no misprint, none is found.
func TestBlues(t *testing.T) {
	files, err := filepath.Glob("testdata/blues/*.txt")
	if err != nil || len(files) != 20 {
		t.Fatal(files, err)
	}
	for _, name := range files {
		data, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		_, page, err := tabtext.Read(strings.NewReader(string(data)), nil, nil)
		if err != nil {
			t.Fatal(name, err)
		}
		for _, f := range proofread.Check(page) {
			t.Errorf("%s:%d:%d: %s", name, f.Line, f.Column, f.Text)
		}
	}
}
