package web

import (
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
	"stepping/web/view"
)

// paceBody is what holds the tempo down, and what would raise it.
type paceBody struct {
	ID      string
	Title   string
	Version int
	Moment  int
	Ceiling float64
	Moves   []moveView
	LineUp  []lineUp
}

// lineUp is a moment that is hard to line up.
type lineUp struct {
	Bar        tune.Printed
	Moment     int
	Beat, Text string
}

type moveView struct {
	Key     string // takes the first relief
	Bar     tune.Printed
	Beat    string
	Moment  int
	Text    string
	BPM     float64
	Reliefs []reliefView
}

type reliefView struct {
	Text, Holds, Extra, Pin string
}

// hardMoves is how many moves are shown, and maxReliefs how many ways out of each.
const (
	hardMoves  = 3
	maxReliefs = 3
)

// reliefKeys take the best relief of each hard move.
var reliefKeys = [hardMoves]string{"1", "2", "3"}

// pace answers with the moves that hold the tempo down and what would raise it: a page, or
// for the script its part.
func (s *Server) pace(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	body := paceBody{ID: t.ID.String(), Title: t.Title, Version: t.Version, Ceiling: w.Plan.Ceiling.BPM, Moment: atoi(c.Query("m"))}
	for i, v := range w.Plan.Hardest(hardMoves) {
		mv, err := newMove(c, w.Plan, v)
		if err != nil {
			s.failFor(c, err)
			return
		}
		mv.Key = reliefKeys[i]
		body.Moves = append(body.Moves, mv)
	}
	for _, h := range w.Plan.Coordinations(hardMoves) {
		mo := &w.Plan.Moments[h.Moment]
		body.LineUp = append(body.LineUp, lineUp{mo.Printed, h.Moment, view.Beat(mo), h.Text})
	}
	part := "layout"
	if c.GetHeader("X-Part") != "" {
		part = "pace"
	}
	s.render(c, http.StatusOK, "pace", part, "Speed of "+t.Title, body)
}

func newMove(c *gin.Context, p *plan.Plan, v plan.Move) (moveView, error) {
	mo := &p.Moments[v.Moment]
	out := moveView{Bar: mo.Printed, Beat: view.Beat(mo), Moment: v.Moment, Text: v.What, BPM: p.BPMAt(v.Share())}
	reliefs, err := p.Reliefs(c.Request.Context(), v)
	for _, r := range reliefs[:min(len(reliefs), maxReliefs)] {
		at := &p.Moments[r.Moment]
		pin := r.Pin(at)
		text := p.AlternativeText(&r.Alternative)
		if r.Moment != v.Moment {
			text += fmt.Sprintf(" before it, bar %s beat %s", at.Printed, view.Beat(at))
		}
		out.Reliefs = append(out.Reliefs, reliefView{text, holdsText(&r), play.Priced(r.Extra), view.PinJSON(&pin)})
	}
	return out, err
}

// holdsText says what a relief gains: for the tune, or, where another move holds that down, at
// its own place.
func holdsText(r *plan.Relief) string {
	if r.Local > r.BPM {
		return fmt.Sprintf("up to %.0f bpm, here %.0f bpm", r.BPM, r.Local)
	}
	return upTo(r.BPM)
}

// upTo says up to which tempo something can be played.
func upTo(bpm float64) string {
	if bpm = tune.Believable(bpm); bpm > 0 {
		return fmt.Sprintf("up to %.0f bpm", bpm)
	}
	return "at any tempo"
}
