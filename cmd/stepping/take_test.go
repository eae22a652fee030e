package main

import (
	"encoding/json"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"stepping/formats/plandoc"
)

// takeOf runs the take command.
func takeOf(t *testing.T, tune, file string, options ...string) (d plandoc.TakeDoc) {
	t.Helper()
	status, out, errOut := call(append([]string{"take", tune, file, "--json"}, options...)...)
	if status != exitOK {
		t.Fatalf("%s: %s", file, errOut)
	}
	if err := json.Unmarshal([]byte(out), &d); err != nil {
		t.Fatal(err)
	}
	return d
}

// TestSampled: the demo's tunes as another synthesiser plays them, with recorded samples of a guitar, are
// followed, found in tune, and nothing is said to ring.
func TestSampled(t *testing.T) {
	if testing.Short() {
		t.Skip("three tunes by another synthesiser")
	}
	dir := t.TempDir()
	var off, cents []float64
	moments, found := 0, 0
	tunes := [][]string{{"coal-smoke-morning", "Open D minor", "steady"}, {"lantern-on-the-weir", "Open D", "alternating"},
		{"tin-bucket-rag", "Open G", "alternating"}}
	for _, d := range tunes {
		tune, options := "../../demo/tunes/"+d[0]+".abc", []string{"--tuning", d[1], "--thumb", d[2]}
		midi, wav := filepath.Join(dir, d[0]+".mid"), filepath.Join(dir, d[0]+".wav")
		if status, _, errOut := call(append([]string{"export", tune, "--to", "midi", "--out", midi}, options...)...); status != exitOK {
			t.Fatal(errOut)
		}
		if out, err := exec.Command("fluidsynth", "-ni", "-g", "0.6", "-r", "44100", "-F", wav,
			"/usr/share/sounds/sf2/TimGM6mb.sf2", midi).CombinedOutput(); err != nil {
			t.Fatalf("fluidsynth and timgm6mb-soundfont are wanted: %v: %s", err, out)
		}
		status, text, errOut := call(append([]string{"plan", tune, "--json"}, options...)...)
		var doc plandoc.Doc
		if err := json.Unmarshal([]byte(text), &doc); status != exitOK || err != nil {
			t.Fatal(errOut, err)
		}
		tk := takeOf(t, tune, wav, options...)
		moments, found = moments+len(doc.Moments), found+len(tk.Alignment)
		for _, a := range tk.Alignment {
			off = append(off, math.Abs(1000*(a.AtSec-a.At*60/doc.Tempo)))
		}
		for _, n := range tk.Notes {
			if n.Sure >= 0.5 {
				cents = append(cents, math.Abs(n.Cents))
			}
		}
		if said := slices.IndexFunc(tk.Verdicts, func(v plandoc.TakeVerdict) bool { return v.Kind == "ringing" || v.Kind == "pitch" }); said >= 0 {
			t.Errorf("%s: %s", d[0], tk.Verdicts[said].Text)
		}
	}
	slices.Sort(off)
	slices.Sort(cents)
	t.Logf("figure: sampled guitar: %d of %d moments found, 90%% within %.0f ms; %d notes sure, median %.1f cents, 95%% within %.1f", found, moments, off[len(off)*9/10], len(cents), cents[len(cents)/2], cents[len(cents)*95/100])
	if found < moments*95/100 || off[len(off)*9/10] > 20 || cents[len(cents)/2] > 5 || len(cents) < 100 {
		t.Error("see above")
	}
}

// TestTakes: each of our own faults is found where it is; what cannot be judged is refused.
func TestTakes(t *testing.T) {
	if testing.Short() {
		t.Skip("judges whole recordings; TestJudge and TestTakePage have its parts")
	}
	dir := t.TempDir()
	tune, options := "../../demo/tunes/tin-bucket-rag.abc", []string{"--tuning", "Open G", "--thumb", "alternating"}
	faults, wav := filepath.Join(dir, "faults.json"), filepath.Join(dir, "faulty.wav")
	if err := os.WriteFile(faults, []byte(`{"notes":[{"at":"9","cents":-30},{"at":"21","lateMs":110},{"at":"30","drop":true}],"roomDb":-60}`), 0o600); err != nil {
		t.Fatal(err)
	}
	if status, _, errOut := call(append([]string{"sound", tune, "--faults", faults, "--out", wav}, options...)...); status != exitOK {
		t.Fatal(errOut)
	}
	tk := takeOf(t, tune, wav, options...)
	if !slices.ContainsFunc(tk.Notes, func(n plandoc.TakeNote) bool { return n.At == 21 && n.OnsetMs > 70 && n.OnsetMs < 150 }) {
		t.Error("what was 110 ms late is not told")
	}
	if !slices.ContainsFunc(tk.Notes, func(n plandoc.TakeNote) bool { return n.At == 9 && (n.Sure < 0.5 || math.Abs(n.Cents+30) < 3) }) {
		t.Error("what was 30 cents flat is told otherwise")
	}
	if !slices.ContainsFunc(tk.Missing, func(m plandoc.TakeMissing) bool { return m.At == 30 }) {
		t.Errorf("what was left out is not missing: %+v", tk.Missing)
	}
	if status, out, _ := call("pitch", wav, "--json"); status != exitOK || !strings.Contains(out, `"hz":`) {
		t.Error("no pitch")
	}

	if err := os.WriteFile(faults, []byte(`{"dampers":[{"at":"0","string":9}]}`), 0o600); err != nil {
		t.Fatal(err)
	}
	for want, args := range map[string][]string{"is not silenced at": {"sound", tune, "--faults", faults, "--out", wav + "x"},
		"does not sound like": {"take", "../../demo/tunes/coal-smoke-morning.abc", wav, "--tuning", "Open D minor", "--thumb", "steady"},
		"not a WAV file":      {"pitch", faults}, "which file": {"take", tune}, "write straight": {"plan", tune, "--swing", "9"}} {
		if status, _, errOut := call(args...); status != exitInput || !strings.Contains(errOut, want) || strings.Count(errOut, "\n") != 1 {
			t.Errorf("%v: %d %q", args, status, errOut)
		}
	}
}
