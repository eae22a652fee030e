package rank

import (
	"context"
	"fmt"
	"strings"

	"stepping/core/plan"
	"stepping/core/tune"
)

// A proposal looks at so many notes, at capos up to proposeCapo, and plans so many shapes for each that
// it returns: quick enough to wait for.
const (
	proposeNotes = 40
	proposeCapo  = 3
	proposeTries = 2
)

// Propose returns the n shapes that promise to suit a new tune best, best first, in its key: ranked like
// Rank, but from the beginning of the tune and without proof.
func Propose(ctx context.Context, r Request, n int) ([]Row, error) {
	r.KeepKey, r.Capos, r.Known, r.Progress = true, proposeCapo, nil, nil
	r.Plan.Tune = beginning(r.Plan.Tune, proposeNotes)
	rk := &ranker{r: &r, out: &Ranking{}}
	rk.known()
	if err := rk.candidates(); err != nil {
		return nil, err
	}
	rk.each(func() { rk.floors(ctx) })
	rk.sortOpen()
	seen := map[shape]bool{}
	var best []*candidate
	for _, c := range rk.open {
		if !seen[c.shape] && len(best) < n*proposeTries {
			best = append(best, c)
		}
		seen[c.shape] = true
	}
	rk.open = best
	rk.each(func() { rk.planAll(ctx) })
	rows := Rows(rk.out.Ways)
	return rows[:min(n, len(rows))], ctx.Err()
}

// planAll plans what is open.
func (rk *ranker) planAll(ctx context.Context) {
	for {
		rk.mu.Lock()
		if len(rk.open) == 0 || ctx.Err() != nil {
			rk.mu.Unlock()
			return
		}
		c := rk.open[0]
		rk.open = rk.open[1:]
		rk.mu.Unlock()
		if p, err := plan.Solve(ctx, c.req); err == nil {
			rk.keep(c, p)
		}
	}
}

// beginning is tu up to the end of the bar in which its n-th note lies.
func beginning(tu *tune.Tune, n int) *tune.Tune {
	if len(tu.Notes) <= n {
		return tu
	}
	bar := tu.BarOver(tu.Notes[n].At)
	out := *tu
	out.Length = tu.Bars[bar] + tu.BarLength(bar)
	out.Notes = nil
	for _, note := range tu.Notes {
		if note.End() <= out.Length {
			out.Notes = append(out.Notes, note)
		}
	}
	out.Bars = tu.Bars[:bar+1]
	for len(out.Chords) > 0 && out.Chords[len(out.Chords)-1].At >= out.Length {
		out.Chords = out.Chords[:len(out.Chords)-1]
	}
	return &out
}

// Reason says in a line what speaks for a way and what it asks for.
func (w *Way) Reason() string {
	var words []string
	switch {
	case w.Home == 0 && w.UnderBar > 0:
		words = append(words, "the home chord is on the open strings, with its root in the bass")
	case w.Home == 0 && w.Strange == 0:
		words = append(words, "shapes you know")
	}
	switch {
	case w.UnderBar == 1:
		words = append(words, "every chord is a straight bar")
	case w.UnderBar > 0 && w.Bar > 0:
		words = append(words, fmt.Sprintf("%.0f%% of the chords are straight bars", 100*w.UnderBar))
	}
	if w.Strange > 0 {
		words = append(words, "a tuning few players know")
	}
	switch w.Turned {
	case 0:
		words = append(words, "nothing to retune")
	case 1:
		words = append(words, "1 half step of retuning")
	default:
		words = append(words, fmt.Sprintf("%d half steps of retuning", w.Turned))
	}
	if w.Risk > 0 {
		words = append(words, "strings near their limit")
	}
	if w.Slow > 0 {
		words = append(words, fmt.Sprintf("only up to %.0f bpm", w.Ceiling))
	}
	return strings.Join(words, "; ")
}
