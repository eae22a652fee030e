package web

import (
	"fmt"
	"strings"

	"stepping/core/plan"
	"stepping/core/play"
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

// overall is what is said of a plan as a whole beside another.
type overall struct{ cost, ceiling float64 }

func overallOf(p *plan.Plan) overall { return overall{p.Total, p.Ceiling.BPM} }

// change is what differs from the plan looked at before, nil if nothing does.
func (w *worked) change() *lastChange {
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(w.changed) == 0 {
		return nil
	}
	v := &lastChange{Moments: len(w.changed), Words: overallOf(w.plan).against(w.before)}
	last := 0
	for m := range w.plan.Moments {
		mo := &w.plan.Moments[m]
		if !w.changed[m] || mo.Bar == last {
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
func (w overall) against(before overall) string {
	var out []string
	if w.cost != before.cost {
		out = append(out, "As a whole "+play.Priced(w.cost-before.cost))
	}
	if a, b := fmt.Sprintf("%.0f", w.ceiling), fmt.Sprintf("%.0f", before.ceiling); a != b && w.ceiling > 0 && before.ceiling > 0 {
		out = append(out, fmt.Sprintf("top tempo %s, %s before", a, b))
	}
	return strings.Join(out, "; ")
}
