package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/web/desk"
)

// otherwise is how a tune would be played at another tempo or by other preferences, and where that is not as it stands.
type otherwise struct {
	Tempo   float64       `json:"tempo"`
	Lean    string        `json:"lean"`
	Silence string        `json:"silence"`
	Total   float64       `json:"total"`
	Ceiling float64       `json:"ceiling"` // quarter notes a minute
	Figures plan.Figures  `json:"figures"`
	Moments []otherMoment `json:"moments"` // those that are played otherwise
}

type otherMoment struct {
	Moment  int           `json:"moment"`
	Bar     string        `json:"bar"`
	Strokes []otherStroke `json:"strokes"`
}

type otherStroke struct {
	Part   play.Part `json:"part"`
	String int       `json:"string"`
	Fret   float64   `json:"fret"`
	How    play.How  `json:"how"`
	Finger string    `json:"finger"`
}

// planOtherwise plans the tune at another tempo or by other preferences of its player, which the address gives, and keeps nothing.
func (s *Server) planOtherwise(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	req := w.Plan.Request
	if err := readOtherwise(c, &req); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	p, err := desk.Do(c.Request.Context(), s.desk, "otherwise", desk.Of(t.Owner, len(req.Tune.Notes)),
		func(ctx context.Context) (*plan.Plan, error) { return plan.SolveKeepable(ctx, req) })
	var pins *plan.PinError
	switch {
	case errors.As(err, &pins):
		s.fail(c, http.StatusUnprocessableEntity, err)
	case err != nil:
		s.failFor(c, err)
	default:
		c.JSON(http.StatusOK, newOtherwise(w.Plan, p))
	}
}

// readOtherwise changes a request as the address says.
func readOtherwise(c *gin.Context, req *plan.Request) (err error) {
	if v := c.Query("tempo"); v != "" {
		if req.Tempo, err = strconv.ParseFloat(v, 64); err != nil || !(req.Tempo >= tune.MinTempo && req.Tempo <= tune.MaxTempo) {
			return fmt.Errorf("tempo %q: %s", v, tune.TempoRule)
		}
	}
	for _, choice := range []struct {
		name string
		of   []string
		to   *string
	}{{"lean", player.Leans, &req.Player.Lean}, {"silence", player.Silences, &req.Player.Silence}} {
		v := c.Query(choice.name)
		switch {
		case v == "":
		case !slices.Contains(choice.of, v):
			return fmt.Errorf("%s %q: choose one of %q", choice.name, v, choice.of)
		default:
			*choice.to = v
		}
	}
	return req.Player.Validate()
}

func newOtherwise(own, p *plan.Plan) otherwise {
	out := otherwise{Tempo: p.Tempo(), Lean: p.Request.Player.Lean, Silence: p.Request.Player.Silence, Total: p.Total, Ceiling: p.Ceiling.BPM,
		Figures: p.Figures(), Moments: []otherMoment{}}
	differ := desk.Differences(own, p)
	for m := range p.Moments {
		if mo := &p.Moments[m]; differ[m] {
			to := otherMoment{m, mo.Printed.String(), nil}
			for _, st := range mo.Strokes() {
				to.Strokes = append(to.Strokes, otherStroke{st.Part, st.String, st.Fret, st.How, st.Finger})
			}
			out.Moments = append(out.Moments, to)
		}
	}
	return out
}
