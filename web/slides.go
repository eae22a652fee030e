package web

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"sort"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/player"
)

// slidesBody compares slides for a tune, each by planning it anew.
type slidesBody struct {
	ID, Title, Player string
	Rows              []slideRow
}

type slideRow struct {
	Finger, Length, Total, Ceiling, Slid string
	Now, Best                            bool
	total                                float64
}

var fingerNames = map[int]string{2: "middle finger", 3: "ring finger", 4: "little finger"}

// tubeLengths are the lengths in mm that are tried beside the player's own.
var tubeLengths = []float64{30, 45, 60, 75}

// slides plans a tune with every finger that wears the slide and with tubes of several lengths.
func (s *Server) slides(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	prof, err := s.store.Profile(c, s.owner, t.ProfileID)
	if err != nil {
		s.failFor(c, err)
		return
	}
	p := prof.Profile
	if p.Lap() || p.Lean == player.LeanNone {
		s.fail(c, http.StatusUnprocessableEntity, errors.New("this player wears no slide on a finger: choose another player for the tune"))
		return
	}
	req, _, err := request(t, &p)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	body := slidesBody{ID: t.ID.String(), Title: t.Title, Player: profileName(&p)}
	lengths := tubeLengths
	if !slices.Contains(lengths, p.Slide.LengthMM) {
		lengths = append([]float64{p.Slide.LengthMM}, lengths...)
	}
	for finger := 4; finger >= 2; finger-- {
		for _, mm := range lengths {
			r := req
			r.Pins = nil // they name what another slide may not reach
			r.Player.SlideFinger, r.Player.Slide.LengthMM = finger, mm
			got, err := plan.Solve(c, r)
			if c.Err() != nil {
				c.Abort()
				return
			}
			if err != nil {
				continue // a note lies between the frets where this one does not reach
			}
			body.Rows = append(body.Rows, newSlideRow(got, finger, mm, finger == p.SlideFinger && mm == p.Slide.LengthMM))
		}
	}
	sort.SliceStable(body.Rows, func(i, j int) bool { return body.Rows[i].total < body.Rows[j].total })
	for i := range body.Rows {
		body.Rows[i].Best = body.Rows[i].total == body.Rows[0].total
	}
	s.render(c, http.StatusOK, "slides", "layout", "Which slide suits "+t.Title, body)
}

func newSlideRow(p *plan.Plan, finger int, mm float64, now bool) slideRow {
	row := slideRow{Finger: fingerNames[finger], Length: fmt.Sprintf("%.0f mm", mm), Total: fmt.Sprintf("%.2f", p.Total), Ceiling: "–", Now: now, total: p.Total}
	if bpm := p.Ceiling.BPM; bpm > 0 && bpm < fastest {
		row.Ceiling = fmt.Sprintf("%.0f", bpm)
	}
	slid, notes := 0, 0
	for i := range p.Moments {
		if m := p.Moments[i].Melody; m != nil {
			if notes++; m.How == plan.Slide || m.How == plan.Glide {
				slid++
			}
		}
	}
	row.Slid = fmt.Sprintf("%d of %d notes", slid, notes)
	return row
}
