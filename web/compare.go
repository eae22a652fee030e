package web

import (
	"context"
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/player"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// compareBody shows whole plans of the tune next to each other.
type compareBody struct {
	ID, Title string
	Moment    int
	Ways      []wayView
	Rows      []view.FigureRow
	Left      *sideView
	Right     *sideView
	A, B      string
}

// wayView is one way to plan the tune: as it stands, a lean of its player, or another player.
type wayView struct {
	Key, Name string
	player    player.Profile
	pins      bool // the player's own pins hold; a choice for one hand may be none for another
	kept      bool // what they keep does
}

type sideView struct {
	Name   string
	Column view.Column
}

var leanWords = map[string]string{
	player.LeanSlide: "all with the slide", player.LeanMixed: "mostly with the slide", player.LeanMain: "mixed", player.LeanFret: "slide for the peaks", player.LeanNone: "no slide",
}

// ways lists how the tune can be planned: as it stands, as it would be planned today if it is kept, the three
// characters, then the other players.
func (s *Server) ways(c *gin.Context, t *store.Tune, own *store.Profile) ([]wayView, error) {
	out := []wayView{{"own", "as it is now", own.Profile, true, true}}
	if t.Settings.Kept != nil {
		out = append(out, wayView{"today", "as planned today", own.Profile, true, false})
	}
	for _, lean := range plan.Characters(own.Profile) {
		p := own.Profile
		p.Lean = lean
		out = append(out, wayView{"lean-" + lean, leanWords[lean], p, false, false})
	}
	profiles, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
	for i := range profiles {
		if p := &profiles[i]; p.ID != own.ID && len(out) < maxWays {
			out = append(out, wayView{p.ID.String(), profileName(&p.Profile), p.Profile, false, false})
		}
	}
	return out, err
}

// maxWays bounds the plans worked out for one comparison.
const maxWays = 8

// compare plans the tune in every way and shows two side by side.
func (s *Server) compare(c *gin.Context) {
	t, own, ok := s.tuneAndPlayer(c)
	if !ok {
		return
	}
	ways, err := s.ways(c, t, own)
	if err != nil {
		s.failFor(c, err)
		return
	}
	body := compareBody{ID: t.ID.String(), Title: t.Title, Moment: max(atoi(c.Query("m")), 0), A: c.DefaultQuery("a", ways[0].Key),
		B: c.DefaultQuery("b", ways[1].Key)}
	plans, err := desk.Do(c.Request.Context(), s.desk, "comparison", jobs.Work{Owner: t.Owner.String(), Long: true},
		func(ctx context.Context) ([]*plan.Plan, error) { return s.planWays(ctx, t, ways) })
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
		side := &sideView{ways[i].Name, view.NewColumn(p, nil, nil, min(body.Moment, len(p.Moments)-1))}
		if ways[i].Key == body.A {
			body.Left = side
		}
		if ways[i].Key == body.B {
			body.Right = side
		}
	}
	body.Ways, body.Rows = ways, view.FigureRows(plans)
	s.render(c, http.StatusOK, "compare", "layout", "Compare: "+t.Title, body)
}

// planWays plans the tune in every way. A way that cannot be played has no plan.
func (s *Server) planWays(ctx context.Context, t *store.Tune, ways []wayView) ([]*plan.Plan, error) {
	plans := make([]*plan.Plan, len(ways))
	for i, way := range ways {
		req, _, err := s.desk.Request(t, &way.player)
		if err != nil {
			return nil, err
		}
		if len(req.Tune.Notes) > longTune {
			return nil, fmt.Errorf("only tunes of up to %d notes can be compared", longTune)
		}
		if !way.pins {
			req.Pins = nil
		}
		if !way.kept {
			req.Kept = nil
		}
		if got, err := plan.SolveKeepable(ctx, req); err == nil {
			plans[i] = got
		}
	}
	return plans, nil
}

// longTune is the length from which several plans at once take too long.
const longTune = 600
