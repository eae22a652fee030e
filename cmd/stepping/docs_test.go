package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestDocuments: no line of a document is longer than 300 characters; the README fits on a screen and links every kept picture, and links of documents
// lead to files.
func TestDocuments(t *testing.T) {
	files, err := filepath.Glob("../../docs/*.md")
	if err != nil || len(files) < 10 {
		t.Fatal(files, err)
	}
	for _, file := range append(files, "../../README.md", "../../CONTRIBUTING.md") {
		data, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		for n, line := range strings.Split(string(data), "\n") {
			if len([]rune(line)) > 300 {
				t.Errorf("%s:%d has %d characters", file, n+1, len([]rune(line)))
			}
		}
		for _, part := range strings.Split(string(data), "](")[1:] {
			to, _, _ := strings.Cut(part, ")")
			to, _, _ = strings.Cut(to, "#")
			if to == "" || strings.Contains(to, "://") {
				continue
			}
			if _, err := os.Stat(filepath.Join(filepath.Dir(file), to)); err != nil {
				t.Errorf("%s links %s: %v", file, to, err)
			}
		}
	}
	readme, err := os.ReadFile("../../README.md")
	if err != nil {
		t.Fatal(err)
	}
	if n := strings.Count(string(readme), "\n"); n > 60 {
		t.Errorf("the README has %d lines", n)
	}
	pictures, err := filepath.Glob("../../docs/screenshots/*.png")
	if err != nil || len(pictures) < 10 || len(pictures) >= 20 {
		t.Fatalf("%d pictures, %v", len(pictures), err)
	}
	for _, p := range pictures {
		if !strings.Contains(string(readme), "docs/screenshots/"+filepath.Base(p)) {
			t.Errorf("the README does not link %s", filepath.Base(p))
		}
	}
}
