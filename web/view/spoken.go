package view

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"stepping/core/play"
)

// spoken is the moment in one sentence.
func spoken(mo *play.Moment, v *Now) string {
	var out []string
	for _, s := range append([]*strokeView{v.Melody}, v.With...) {
		if s != nil {
			out = append(out, s.words())
		}
	}
	if v.Thumb != nil {
		out = append(out, "thumb: "+v.Thumb.words())
	}
	if mo.Hit != "" {
		out = append(out, mo.Hit)
	}
	if len(out) == 0 {
		out = append(out, "nothing is struck")
	}
	return fmt.Sprintf("Bar %s, beat %s, %s. %s.", v.Bar, v.Beat, v.Chord, strings.Join(out, ". "))
}

// termView is what one kind of cost adds at a moment.
type termView struct{ Name, Cost string }

// termsOf lists what a moment costs, the dearest first.
func termsOf(mo *play.Moment) (out []termView) {
	order := make([]int, len(mo.Cost))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(mo.Cost[b], mo.Cost[a]) })
	for _, i := range order {
		if cost := mo.Cost[i]; cost >= play.LeastFelt {
			out = append(out, termView{play.Term(i).String(), fmt.Sprintf("%.2f", cost)})
		}
	}
	return out
}
