package view

import (
	"fmt"
	"strings"

	"stepping/core/plan"
)

// FigureRow is one figure for every way; the best is marked.
type FigureRow struct {
	Name  string
	Cells []figureCell
}

type figureCell struct {
	Text string
	Best bool
}

// FigureRows tabulates what each plan gains and loses. A plan that is missing has empty cells.
func FigureRows(plans []*plan.Plan) []FigureRow {
	figures := make([]plan.Figures, len(plans))
	for i, p := range plans {
		if p != nil {
			figures[i] = p.Figures()
		}
	}
	row := func(name, format string, more bool, value func(*plan.Plan, *plan.Figures) float64) FigureRow {
		r := FigureRow{Name: name, Cells: make([]figureCell, len(plans))}
		best, worst := -1, -1
		for i, p := range plans {
			if p == nil {
				continue
			}
			v := value(p, &figures[i])
			r.Cells[i].Text = strings.TrimSpace(fmt.Sprintf(format, v))
			better := func(j int) bool { w := value(plans[j], &figures[j]); return more == (v > w) && v != w }
			if best < 0 || better(best) {
				best = i
			}
			if worst < 0 || !better(worst) {
				worst = i
			}
		}
		if best >= 0 && value(plans[best], &figures[best]) != value(plans[worst], &figures[worst]) {
			for i, p := range plans {
				r.Cells[i].Best = p != nil && value(p, &figures[i]) == value(plans[best], &figures[best])
			}
		}
		return r
	}
	return []FigureRow{
		row("Effort and noise together, less is better", "%.1f", false, func(_ *plan.Plan, f *plan.Figures) float64 { return f.Effort }),
		row("Top tempo, bpm", "%.0f", true, func(p *plan.Plan, _ *plan.Figures) float64 { return p.Ceiling.BPM }),
		row("Notes with the slide", "%.0f", true, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.Slid) }),
		row("Notes fretted", "%.0f", true, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.Fretted) }),
		row("Notes open", "%.0f", true, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.OpenNotes) }),
		row("Harmonics, bends, taps", "%.0f", true, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.Other) }),
		row("Slide set down, times", "%.0f", false, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.Landings) }),
		row("Fretting hand travels, mm", "%.0f", false, func(_ *plan.Plan, f *plan.Figures) float64 { return f.Travel }),
		row("Strings left ringing", "%.0f", false, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.Leaks) }),
		row("Thumb strokes left out", "%.0f", false, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.Dropped) }),
	}
}
