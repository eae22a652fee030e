package proofread

import (
	"cmp"
	"slices"
)

// Check returns what is found on the page, in order of its bars. Of several things found at one place the surest is told.
func Check(p *Page) []Finding {
	s := newSearch(p)
	out := []Finding{}
	for _, rule := range []func() []Finding{s.twoOnString, s.barLengths, s.hands, s.misprints, s.oddBars, s.missingBass, s.chordNames} {
		for _, f := range rule() {
			if !slices.ContainsFunc(out, func(o Finding) bool { return o.Line == f.Line && o.Column == f.Column }) {
				out = append(out, f)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Finding) int { return cmp.Or(cmp.Compare(a.Bar, b.Bar), cmp.Compare(a.Column, b.Column)) })
	return out
}
