package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"stepping/core/pattern"
)

// Every library pattern over a progression, typed or from ABC, and under a tune, gives a document
// of the published schema.
func TestChordDocuments(t *testing.T) {
	schema, err := jsonschema.NewCompiler().Compile("../../docs/plan.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	hand := filepath.Join(dir, "hand.json")
	if err := os.WriteFile(hand, []byte(`{"fingers":3,"lean":"none"}`), 0o600); err != nil {
		t.Fatal(err)
	}
	valid := func(name string, args ...string) {
		t.Helper()
		status, out, errOut := call(args...)
		if status != exitOK {
			t.Fatalf("%s: %d %s", name, status, errOut)
		}
		doc, err := jsonschema.UnmarshalJSON(strings.NewReader(out))
		if err != nil {
			t.Fatal(err)
		}
		if err := schema.Validate(doc); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		if testing.Short() {
			return
		}
		if _, again, _ := call(args...); again != out {
			t.Errorf("%s: two runs differ", name)
		}
	}
	for i := range pattern.Library {
		if testing.Short() && i%4 != 0 {
			continue
		}
		p := &pattern.Library[i]
		valid(p.Name, "chords", "Am | F C | G7/B | C", "--pattern", p.Name, "--player", hand, "--capo", "2")
		file := filepath.Join(dir, "tune.abc")
		text := "M:" + p.Meter + "\nL:1/8\nK:D\n\"D\"d2|\"G\"G2|\"A7\"e2|\"D\"d2|\n"
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		valid(p.Name+" under a melody", "plan", file, "--tuning", "Open D", "--pattern", p.Name, "--json")
	}
	data, err := json.Marshal(pattern.Library[0])
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(dir, "mine.json")
	if err := os.WriteFile(file, data, 0o600); err != nil {
		t.Fatal(err)
	}
	abc := filepath.Join(dir, "chords.abc")
	if err := os.WriteFile(abc, []byte("M:4/4\nL:1/4\nK:D\n\"D\"z4|\"G\"z2 \"A7\"z2|\"D\"z4|\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	valid("from ABC", "chords", abc, "--pattern", file, "--tuning", "D A D G A D")
}

func TestGripsAndNames(t *testing.T) {
	status, out, errOut := call("grips", "F", "--player", writeFile(t, `{"lean":"none"}`))
	var list gripList
	if err := json.Unmarshal([]byte(out), &list); status != exitOK || err != nil || list.Proof != "best" || len(list.Grips) != 24 {
		t.Fatalf("%d %s %v %+v", status, errOut, err, list)
	}
	for i, g := range list.Grips {
		if len(g.Frets) != 6 || len(g.Fingers) != 6 || i > 0 && g.Cost < list.Grips[i-1].Cost {
			t.Errorf("%+v", g)
		}
		for s, f := range g.Frets { // every left-out string is accounted for
			found := false
			for _, sil := range g.Silenced {
				found = found || sil.String == 6-s
			}
			if found != (f == nil) {
				t.Errorf("string %d of %+v", 6-s, g)
			}
		}
	}
	_, out, _ = call("name", "--tuning", "Standard", "--frets", "x x 3 2 1 0")
	if !strings.Contains(out, `"name": "Fmaj7"`) {
		t.Error(out)
	}
	_, out, _ = call("grips", "C13sus4", "--player", writeFile(t, `{"instrument":{"frets":5},"reachMm":50}`), "--tuning",
		"Open D minor", "--capo", "4")
	if !strings.Contains(out, `"proof": "none"`) {
		t.Error(out)
	}
}

func writeFile(t *testing.T, text string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "file.json")
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	return file
}

func TestFaultyChords(t *testing.T) {
	bad := writeFile(t, `{"name":"x","meter":"4/4","steps":8,"beats":[{"step":3,"thumb":"root","hit":"slap"}]}`)
	for _, tt := range []struct {
		args []string
		says string
	}{
		{[]string{"grips", "Dmin8"}, "nearest: Dm"},
		{[]string{"grips", "D", "--tuning", "D A D"}, "--tuning:1:1"},
		{[]string{"grips", "D", "--most", "0"}, "--most:1:1"},
		{[]string{"grips", "D", "--capo", "11"}, "--capo:1:1"},
		{[]string{"chords", "D | Gx", "--tuning", "Open D"}, "chords:1:5: bar 2"},
		{[]string{"chords", "D", "--pattern", "Wobble"}, "no pattern"},
		{[]string{"chords", "D", "--pattern", bad}, "step 3: the thumb slaps"},
		{[]string{"chords", "D", "--pattern", "Three at once on two and four"}, "step 3: 3 strings at once for 2 fingers"},
		{[]string{"chords", "D", "--meter", "3/4"}, "bar 1 is in 3/4"},
		{[]string{"name", "--frets", "0 2 2"}, "--frets:1:1"},
		{[]string{"name", "--frets", "0 2 2 1 0 q"}, "string 1"},
	} {
		status, out, errOut := call(tt.args...)
		if status != exitInput || out != "" || !strings.Contains(errOut, tt.says) || strings.Count(errOut, "\n") != 1 {
			t.Errorf("%v: %d %q %q", tt.args, status, out, errOut)
		}
	}
}
