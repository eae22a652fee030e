package web

import (
	"fmt"
	"strings"

	"stepping/core/play"
	"stepping/web/desk"
)

// lastChange says what the last change did to the plan.
type lastChange struct {
	Moments int
	In      int          // bars
	Bars    []changedBar // none if they are more than can be named
	Words   string       // what became of the whole
}

type changedBar struct {
	Text   string
	Moment int
}

// mostNamed is how many changed bars are named.
const mostNamed = 4

// changeOf is what differs from the plan looked at before, nil if nothing does.
func changeOf(w *desk.Planned) *lastChange {
	changed := w.Differing()
	if len(changed) == 0 {
		return nil
	}
	v := &lastChange{Moments: len(changed), Words: against(desk.WholeOf(w.Plan), w.Before())}
	last := 0
	for m := range w.Plan.Moments {
		mo := &w.Plan.Moments[m]
		if !changed[m] || mo.Bar == last {
			continue
		}
		last = mo.Bar
		v.In++
		v.Bars = append(v.Bars, changedBar{mo.Printed.Short(), m})
	}
	if v.In > mostNamed {
		v.Bars = nil
	}
	return v
}

// against says how a plan differs from the one before it.
func against(now, before desk.Whole) string {
	var out []string
	if now.Cost != before.Cost {
		out = append(out, "As a whole "+play.Priced(now.Cost-before.Cost))
	}
	if a, b := fmt.Sprintf("%.0f", now.Ceiling), fmt.Sprintf("%.0f", before.Ceiling); a != b && now.Ceiling > 0 && before.Ceiling > 0 {
		out = append(out, fmt.Sprintf("up to %s, was %s", a, b))
	}
	return strings.Join(out, "; ")
}
