package main

import (
	"os"
	"strings"
	"testing"
)

// TestList: every change of the list can still be made, there are as many as are wanted, and what is
// drawn is the same for the same seed.
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
	a, err := draw("../..", 30, 5)
	b, err2 := draw("../..", 30, 5)
	if err != nil || err2 != nil {
		t.Fatal(err, err2)
	}
	for i := range a {
		if a[i].name != b[i].name || string(a[i].source) != string(b[i].source) {
			t.Errorf("%s, then %s", a[i].name, b[i].name)
		}
		original, err := os.ReadFile("../../" + a[i].file)
		if err != nil || string(original) == string(a[i].source) {
			t.Errorf("%s changes nothing (%v)", a[i].name, err)
		}
	}
	for _, bad := range []string{"# a\ncore/plan/cost.go\n- no such text\n+ here", "# a\ncore/plan/cost.go\n- package plan", "core"} {
		if _, err := readList(bad, "../.."); err == nil || !strings.HasPrefix(err.Error(), "list: ") {
			t.Errorf("%q: %v", bad, err)
		}
	}
}
