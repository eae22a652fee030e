package proofread_test

import (
	"fmt"
	"strings"
	"testing"
	"unicode"

	"stepping/core/proofread"
	"stepping/formats/tabtext"
	"stepping/golden"
)

// TestFound: what is found on each page of the corpus with one digit changed, at some digits of each, with the mend and what it
// makes of the line.
func TestFound(t *testing.T) {
	var b strings.Builder
	for n, s := range corpus(t) {
		l := corpusLayouts[n%len(corpusLayouts)]
		text, _ := l.write(&s)
		digit := 0
		for i, r := range text {
			if !unicode.IsDigit(r) || strings.Contains(text[strings.LastIndex(text[:i], "\n")+1:i], ":") {
				continue
			}
			if digit++; digit%17 != 3 {
				continue
			}
			wrong := text[:i] + string('0'+(r-'0'+3)%10) + text[i+1:]
			_, page, err := tabtext.Read(strings.NewReader(wrong), nil, nil)
			if err != nil {
				fmt.Fprintf(&b, "%s, %s, digit %d: %v\n", l.name, s.name, digit, err)
				continue
			}
			fmt.Fprintf(&b, "%s, %s, digit %d\n", l.name, s.name, digit)
			for _, f := range proofread.Check(page) {
				fmt.Fprintf(&b, "  %d:%d bar %d %s %.2f %s\n", f.Line, f.Column, f.Bar, f.Kind, f.Sure, f.Text)
				if f.Mend != nil {
					lines := strings.Split(f.Mend.Apply(wrong), "\n")
					fmt.Fprintf(&b, "    %s\n", lines[f.Mend.Line-1])
				}
			}
		}
	}
	golden.Check(t, "found", b.String())
}

// TestMendAtTheEnd: a mend at the end of a line, and one that needs more room than there is.
func TestMendAtTheEnd(t *testing.T) {
	for _, tt := range []struct {
		mend       proofread.Mend
		text, want string
	}{
		{proofread.Mend{Line: 1, Column: 5, To: "7"}, "|-0-5", "|-0-7"},
		{proofread.Mend{Line: 1, Column: 5, To: "12"}, "|-0-5", "|-0-12"},
		{proofread.Mend{Line: 1, Column: 3, To: "12"}, "|-0--5|\n|-1--2|", "|-12-5|\n|-1--2|"},
		{proofread.Mend{Line: 1, Column: 4, To: "G"}, "   Gm", "   G "},
		{proofread.Mend{Line: 1, Column: 4, To: "G7"}, "   G\n|-0-|", "   G7\n|-0-|"},
		{proofread.Mend{Line: 2, Column: 3, To: "-"}, "|-0-5|\n|-1-2|", "|-0-5|\n|---2|"},
		{proofread.Mend{Line: 2, Column: 5, To: "5", From: &proofread.From{Line: 1, Column: 5}}, "|-0-5|\n|-1---|", "|-0--|\n|-1-5-|"},
	} {
		if got := tt.mend.Apply(tt.text); got != tt.want {
			t.Errorf("%+v makes of %q %q, want %q", tt.mend, tt.text, got, tt.want)
		}
	}
}
