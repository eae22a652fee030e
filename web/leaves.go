package web

import (
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"stepping/core/plan"
	"stepping/core/play"
)

// leaf is one of the panes beside the picture of the moment: one of them is open. Without the script its name is a link to the
// page with it open, or to a page of its own.
type leaf struct {
	ID, Key       string
	Before, After string // the key's letter stands between
	Href          string
}

// leaves are the panes in the order in which they are asked for. Pace and Vary take time to work out, and have pages of their own.
var leaves = []leaf{
	{ID: "time", Key: "t", After: "ime"}, {ID: "why", Key: "w", After: "hy"}, {ID: "elsewhere", Key: "e", After: "lsewhere"}, {ID: "silence", Key: "s", After: "ilence"},
	{ID: "pace", Key: "p", After: "ace", Href: "pace"}, {ID: "vary", Key: "v", After: "ary", Href: "variations"}, {ID: "setup", Key: "y", Before: "Setup "},
}

// leafOr is the name of a pane that is drawn with the page, "time" for anything else.
func leafOr(name string) string {
	if slices.ContainsFunc(leaves, func(l leaf) bool { return l.ID == name && l.Href == "" }) {
		return name
	}
	return leaves[0].ID
}

// leavesAt are the panes with their addresses, for moment m of a tune.
func leavesAt(tune string, m int) []leaf {
	out := slices.Clone(leaves)
	for i := range out {
		if l := &out[i]; l.Href == "" {
			l.Href = "?" + url.Values{"m": {strconv.Itoa(m)}, "leaf": {l.ID}}.Encode()
		} else {
			l.Href = fmt.Sprintf("/tunes/%s/%s?m=%d", tune, l.Href, m)
		}
	}
	return out
}

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

// whole is what is said of a plan as a whole beside another.
type whole struct{ cost, ceiling float64 }

func wholeOf(p *plan.Plan) whole { return whole{p.Total, p.Ceiling.BPM} }

// change is what differs from the plan looked at before, nil if nothing does.
func (w *worked) change() *lastChange {
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(w.changed) == 0 {
		return nil
	}
	v := &lastChange{Moments: len(w.changed), Words: wholeOf(w.plan).against(w.before)}
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

// against says how w differs from a plan before it.
func (w whole) against(before whole) string {
	var out []string
	if w.cost != before.cost {
		out = append(out, "As a whole "+play.Priced(w.cost-before.cost))
	}
	if a, b := fmt.Sprintf("%.0f", w.ceiling), fmt.Sprintf("%.0f", before.ceiling); a != b && w.ceiling > 0 && before.ceiling > 0 {
		out = append(out, fmt.Sprintf("top tempo %s, %s before", a, b))
	}
	return strings.Join(out, "; ")
}
