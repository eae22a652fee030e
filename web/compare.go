package web

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/player"
	"stepping/store"
)

// compareBody shows whole plans of the tune beside each other.
type compareBody struct {
	ID, Title string
	Moment    int
	Ways      []wayView
	Rows      []figureRow
	Left      *sideView
	Right     *sideView
	A, B      string
}

// wayView is one way to plan the tune: a lean of its player, or another player.
type wayView struct{ Key, Name string }

// figureRow is one figure for every way; the best is marked.
type figureRow struct {
	Name  string
	Cells []figureCell
}

type figureCell struct {
	Text string
	Best bool
}

type sideView struct {
	Name   string
	Column column
}

var leanWords = map[string]string{
	player.LeanSlide: "mostly slide", player.LeanMixed: "mixed", player.LeanFret: "slide for the peaks", player.LeanNone: "no slide",
}

// ways lists how the tune can be planned: the three characters, then the other players.
func (s *Server) ways(c *gin.Context, t *store.Tune, own *store.Profile) ([]wayView, map[string]player.Profile, error) {
	var out []wayView
	of := map[string]player.Profile{}
	for _, lean := range plan.Characters(own.Profile) {
		p := own.Profile
		p.Lean = lean
		key := "lean-" + lean
		out, of[key] = append(out, wayView{key, leanWords[lean]}), p
	}
	profiles, err := s.store.Profiles(c, s.owner)
	for i := range profiles {
		if p := &profiles[i]; p.ID != own.ID && len(out) < maxWays {
			key := p.ID.String()
			out, of[key] = append(out, wayView{key, profileName(&p.Profile)}), p.Profile
		}
	}
	return out, of, err
}

// maxWays bounds the plans worked out for one comparison.
const maxWays = 6

// compare plans the tune in every way and shows two side by side.
func (s *Server) compare(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	own, err := s.store.Profile(c, s.owner, t.ProfileID)
	if err != nil {
		s.failFor(c, err)
		return
	}
	ways, of, err := s.ways(c, t, &own)
	if err != nil {
		s.failFor(c, err)
		return
	}
	body := compareBody{ID: t.ID.String(), Title: t.Title, Moment: max(atoi(c.Query("m")), 0), A: c.DefaultQuery("a", ways[0].Key), B: c.DefaultQuery("b", ways[len(ways)-1].Key)}
	plans, err := planWays(c, t, ways, of)
	switch {
	case c.Err() != nil:
		c.Abort()
		return
	case err != nil:
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	for i, p := range plans {
		if p == nil {
			ways[i].Name += " (cannot be played)"
			continue
		}
		side := &sideView{ways[i].Name, newColumn(&worked{plan: p}, min(body.Moment, len(p.Moments)-1))}
		if ways[i].Key == body.A {
			body.Left = side
		}
		if ways[i].Key == body.B {
			body.Right = side
		}
	}
	body.Ways, body.Rows = ways, figureRows(plans)
	s.render(c, http.StatusOK, "compare", "layout", "Compare: "+t.Title, body)
}

// planWays plans the tune in every way, without its pins: a choice for one hand may be none for
// another. A way that cannot be played has no plan.
func planWays(ctx context.Context, t *store.Tune, ways []wayView, of map[string]player.Profile) ([]*plan.Plan, error) {
	plans := make([]*plan.Plan, len(ways))
	for i, way := range ways {
		p := of[way.Key]
		req, _, err := request(t, &p)
		if err != nil {
			return nil, err
		}
		if len(req.Tune.Notes) > longTune {
			return nil, fmt.Errorf("comparing is for tunes of up to %d notes", longTune)
		}
		req.Pins = nil
		if got, err := plan.Solve(ctx, req); err == nil {
			plans[i] = got
		}
	}
	return plans, nil
}

// longTune is the length from which several plans at once take too long.
const longTune = 600

// figureRows tabulates what each plan gains and loses. A plan that is missing has empty cells.
func figureRows(plans []*plan.Plan) []figureRow {
	figures := make([]plan.Figures, len(plans))
	for i, p := range plans {
		if p != nil {
			figures[i] = p.Figures()
		}
	}
	row := func(name, format string, more bool, value func(*plan.Plan, *plan.Figures) float64) figureRow {
		r := figureRow{Name: name, Cells: make([]figureCell, len(plans))}
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
	return []figureRow{
		row("Effort and noise together, in costs", "%.1f", false, func(_ *plan.Plan, f *plan.Figures) float64 { return f.Effort }),
		row("Holds up to, bpm", "%.0f", true, func(p *plan.Plan, _ *plan.Figures) float64 { return p.Ceiling.BPM }),
		row("Notes with the slide", "%.0f", true, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.Slid) }),
		row("Notes fretted", "%.0f", true, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.Fretted) }),
		row("Notes open", "%.0f", true, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.OpenNotes) }),
		row("Harmonics, bends, taps", "%.0f", true, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.Other) }),
		row("Slide set down, times", "%.0f", false, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.Landings) }),
		row("Left hand travels, mm", "%.0f", false, func(_ *plan.Plan, f *plan.Figures) float64 { return f.Travel }),
		row("Strings left to leak", "%.0f", false, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.Leaks) }),
		row("Thumb strokes left out", "%.0f", false, func(_ *plan.Plan, f *plan.Figures) float64 { return float64(f.Dropped) }),
	}
}
