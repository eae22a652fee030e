package main

import (
	"os"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"
)

// banned are words and turns that no native teacher would use on a page, with what to write. They are looked for in every text that the program says.
var banned = []struct{ word, instead string }{
	{`\banew\b`, "again"},
	{`\bbeside\b`, "next to, besides"},
	{`\bof itself\b`, "by itself"},
	{`\blet go of (it|this|your|all|the|one|choice)\b`, "delete, discard, unpin"},
	{`\bcome to be\b`, "become"},
	{`\b(this|that|it|which|line|file|byte|%q|%s|%d) (is|are) no [a-z]`, "is not a …"},
	{`\b(is|are|be) none of\b`, "is not one of"},
	{`\bread past\b`, "skipped"},
	{`\bwould be right\b`, "use …"},
	{`\b(stands|stand) (here|there|below|above|alone|inside|outside)\b`, "is"},
	{`\bas Stepping keeps are kept\b`, "over the storage limit"},
	{`\bsitting\b`, "session"},
	{`\bfirm\b`, "learnt"},
	{`\bat a dead walk\b`, "very slowly"},
	{`\bdeal with it\b`, "damp it"},
	{`\bsees? what it is\b`, "read it"},
	{`\brings? (and|that|though it) should( not)?\b`, "rings unintentionally"},
	{`\bnothing to say against\b`, "no problems found"},
	{`\btaste\b`, "preferences"},
	{`\bmisdeed|hitherto|thereof|whilst\b`, "plain words"},
	{`\b(he|his|him|himself)\b`, "they, their"},
}

// fine are texts that have a banned word and may: names in documents, and the program's own languages.
var fine = regexp.MustCompile(`to your taste|taste/|/taste|STEPPING_|stepping-|^taste$|preferences`)

// TestWords: no text of the program has a banned word.
func TestWords(t *testing.T) {
	all, err := Collect(os.DirFS("../.."))
	if err != nil {
		t.Fatal(err)
	}
	if len(all) < 2000 {
		t.Fatalf("only %d texts were found", len(all))
	}
	for _, b := range banned {
		re := regexp.MustCompile(`(?i)` + b.word)
		for _, text := range all {
			if re.MatchString(text.Text) && !fine.MatchString(text.Text) {
				t.Errorf("%s:%d: %q: write %s", text.File, text.Line, text.Text, b.instead)
			}
		}
	}
}

// TestCollect: texts are found in Go, templates and scripts, with their lines; what nobody reads is not.
func TestCollect(t *testing.T) {
	all, err := Collect(fstest.MapFS{
		"web/a.go":             {Data: []byte("package web\n\nimport \"a b c\"\n\nvar q = \"SELECT a FROM b\"\nvar text = `the tune is here`\nvar key = \"onlykey\"\n")},
		"web/a_test.go":        {Data: []byte("package web\nvar text = \"not this one here\"\n")},
		"web/templates/a.html": {Data: []byte("<p>Play <b>this</b> now, {{.Name}}</p>\n<input placeholder=\"a name here\">\n{{/* not this comment */}}<p>{{if .A}}Stop it{{end}}</p>")},
		"web/static/a.js":      {Data: []byte("const a = 'say this now', b = 'input, select';\n")},
		"other/a.go":           {Data: []byte("package other\nvar text = \"not this one here\"\n")},
	})
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, text := range all {
		got = append(got, text.File+" "+string(rune('0'+text.Line))+" "+text.Text)
	}
	want := []string{"web/a.go 6 the tune is here", "web/static/a.js 1 say this now", "web/templates/a.html 1 Play this now, …", "web/templates/a.html 2 a name here",
		"web/templates/a.html 3 …Stop it…"}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("found\n%s", strings.Join(got, "\n"))
	}
}
