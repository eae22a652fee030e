package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"stepping/formats/plandoc"
)

// TestWaysOutAndIn: a plan that is exported in every form is read back with the same notes, thumb and melody, at the same times.
func TestWaysOutAndIn(t *testing.T) {
	dir := t.TempDir()
	tune := "../../demo/tunes/tin-bucket-rag.abc"
	status, out, errOut := call("plan", tune, "--tuning", "Open G", "--json")
	if status != exitOK {
		t.Fatal(errOut)
	}
	var doc plandoc.Doc
	if err := json.Unmarshal([]byte(out), &doc); err != nil {
		t.Fatal(err)
	}
	var melody, all []string
	for _, m := range doc.Moments {
		for _, s := range m.Strokes {
			note := fmt.Sprintln(m.At, s.Pitch, s.Cents)
			all = append(all, note)
			if s.Part == "melody" {
				melody = append(melody, note)
			}
		}
	}
	for _, to := range []string{"musicxml", "midi", "abc", "tab"} {
		file := filepath.Join(dir, "out."+to)
		if status, _, errOut := call("export", tune, "--tuning", "Open G", "--to", to, "--out", file); status != exitOK {
			t.Fatalf("%s: %s", to, errOut)
		}
		status, out, errOut := call("read", file, "--notes", "--json")
		if status != exitOK {
			t.Fatalf("%s: %s", to, errOut)
		}
		var sounds plandoc.Sounds
		if err := json.Unmarshal([]byte(out), &sounds); err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, n := range sounds.Notes {
			got = append(got, fmt.Sprintln(n.At, n.Pitch, n.Cents))
		}
		want := slices.Clone(all)
		if to == "abc" { // holds the tune alone
			want = slices.Clone(melody)
		}
		for i := range want { // MIDI and tablature do not spell
			want[i] = strings.NewReplacer("Bb", "A#", "Eb", "D#", "Ab", "G#").Replace(want[i])
		}
		for i := range got {
			got[i] = strings.NewReplacer("Bb", "A#", "Eb", "D#", "Ab", "G#").Replace(got[i])
		}
		slices.Sort(want)
		slices.Sort(got)
		if !slices.Equal(want, got) {
			t.Errorf("%s: %d notes, want %d: %v\n%v", to, len(got), len(want), got[:min(8, len(got))], want[:8])
		}
		if status, out, _ := call("read", file, "--json"); status != exitOK || !strings.Contains(out, `"title":"Tin Bucket Rag"`) {
			t.Errorf("%s: %.200s", to, out)
		}
	}
}

// TestCheck: findings as JSON and as lines; what is no tablature cannot be checked.
func TestCheck(t *testing.T) {
	file := filepath.Join(t.TempDir(), "tab.txt")
	bar := "|0---2---4---5---"
	rows := []string{strings.Repeat(bar, 3) + "|0---2---4---6---|", strings.Repeat("|----------------", 4) + "|"}
	text := "Tuning: Open D\n" + rows[0] + "\n" + strings.Repeat(rows[1]+"\n", 5)
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	status, out, errOut := call("check", file, "--json")
	if status != exitOK || !strings.Contains(out, `"line":2,"column":65,"bar":4,"kind":"misprint"`) ||
		!strings.Contains(out, `"mend":{"line":2,"column":65,"to":"5"}`) {
		t.Errorf("%d %s %s", status, out, errOut)
	}
	if status, out, _ := call("check", file); status != exitOK || !strings.Contains(out, "tab.txt:2:65: bar 4, misprint") {
		t.Errorf("%d %s", status, out)
	}
	if status, _, errOut := call("check", "../../demo/tunes/tin-bucket-rag.abc"); status != exitInput || !strings.Contains(errOut, "only tablature") {
		t.Errorf("%d %s", status, errOut)
	}
}
