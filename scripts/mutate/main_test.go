package main

import (
	"os"
	"strings"
	"testing"
)

// TestList: every change of the list can still be made, there are as many as are wanted, and what is
// drawn is the same for the same seed, over all folders.
func TestList(t *testing.T) {
	data, err := os.ReadFile("list.txt")
	if err != nil {
		t.Fatal(err)
	}
	mutants, err := readList(string(data), "../..")
	if err != nil {
		t.Fatal(err)
	}
	if len(mutants) < 40 {
		t.Errorf("%d changes", len(mutants))
	}
	a, err := shuffled("../..", 5)
	b, err2 := shuffled("../..", 5)
	if err != nil || err2 != nil || len(a) < 10000 {
		t.Fatal(err, err2, len(a))
	}
	folders := map[string]bool{}
	for i := range a[:200] {
		if a[i] != b[i] {
			t.Errorf("%s, then %s", a[i].name, b[i].name)
		}
		folders[strings.Split(a[i].file, "/")[0]] = true
		m, err := a[i].make("../..")
		original, err2 := os.ReadFile("../../" + a[i].file)
		if err != nil || err2 != nil || string(original) == string(m.source) {
			t.Errorf("%s changes nothing (%v, %v)", a[i].name, err, err2)
		}
	}
	if len(folders) < len(drawnFrom)-1 {
		t.Errorf("200 changes are of %v alone", folders)
	}
	for _, bad := range []string{"# a\ncore/plan/cost.go\n- no such text\n+ here", "# a\ncore/plan/cost.go\n- package plan", "core"} {
		if _, err := readList(bad, "../.."); err == nil || !strings.HasPrefix(err.Error(), "list: ") {
			t.Errorf("%q: %v", bad, err)
		}
	}
}
