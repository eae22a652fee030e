package web

import (
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"stepping/web/view"
)

// standBody is a tune on a music stand: two bars at a time, for who plays.
type standBody struct {
	ID, Title string
	Stand     []view.StandBar
	Back, On  string // the bar before and the next one, without the script
	Client    clientData
}

// mostOnStand is how many bars are drawn for the stand, from the one asked for on in a longer tune; the script asks for others.
const mostOnStand = 400

func (s *Server) standPage(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	p := w.Plan
	m := min(max(atoi(c.Query("m")), 0), len(p.Moments)-1)
	first := 1
	if len(p.Request.Tune.Bars) > mostOnStand {
		first = p.Moments[m].Bar
	}
	last := min(len(p.Request.Tune.Bars), first+mostOnStand-1)
	b := standBody{ID: t.ID.String(), Title: t.Title, Client: clientData{ID: t.ID.String(), At: m, Count: len(p.Moments)}}
	b.Stand, _ = view.NewStand(p, [2]int{first, last}, 0, true, true)
	b.Client.timed(p)
	for i := range b.Client.BarOf {
		b.Client.Chords = append(b.Client.Chords, p.Moments[i].Chord.Name)
	}
	bar := p.Moments[m].Bar
	at := func(bar int) string {
		for i := range p.Moments {
			if p.Moments[i].Bar >= bar {
				return fmt.Sprintf("?m=%d", i)
			}
		}
		return fmt.Sprintf("?m=%d", m)
	}
	b.Back, b.On = at(max(1, bar-1)), at(bar+1)
	s.render(c, http.StatusOK, "stand", "layout", t.Title+", on the stand", b)
}

// freeNotes draws what is free to improvise on over the chord of a moment, for the lower half of the stand.
func (s *Server) freeNotes(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	m := min(max(atoi(c.Query("m")), 0), len(w.Plan.Moments)-1)
	if c.GetHeader("X-Part") == "" { // it is no page of its own
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("/tunes/%s/stand?m=%d", t.ID, m))
		return
	}
	s.render(c, http.StatusOK, "stand", "free", "", view.NewFreeNeck(w.Plan, m))
}
