package web

import (
	"errors"
	"fmt"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"stepping/core/player"
	"stepping/core/practice"
	"stepping/store"
	"stepping/web/door"
)

// handsBody shows what the log says of a player's hands, next to the figures in force.
type handsBody struct {
	ID, Name string
	Version  int
	Notice   string
	Moves    int // passes that tell of moves of the hand
	Strokes  int // and of strokes of one digit
	Needed   int
	Rows     []handRow
	Known    bool // something may be taken over
	Same     bool // what is known is in force
}

// handRow is one thing that hands do, in words, with how long it takes.
type handRow struct {
	What       string
	Now, Learn string // seconds; Learn "" while too little is known
	Range      string
}

// shownMM is a move that people can picture: so far, onto a target so wide.
const (
	shownMM     = 100.0
	shownTarget = 10.0
)

func (s *Server) hands(c *gin.Context) {
	if p, ok := s.profileParam(c); ok {
		s.showHands(c, http.StatusOK, p, "")
	}
}

// learntHands weighs the passes over tunes that are planned for a player.
func (s *Server) learntHands(c *gin.Context, p *store.Profile) (practice.Hands, error) {
	ctx := c.Request.Context()
	tunes, err := s.store.Tunes(ctx, door.Owner(c))
	played, err2 := s.store.Passes(ctx, door.Owner(c))
	if err = errors.Join(err, err2); err != nil {
		return practice.Hands{}, err
	}
	his := map[store.ID]bool{}
	for i := range tunes {
		his[tunes[i].ID] = tunes[i].ProfileID == p.ID
	}
	var passes []practice.Pass
	for _, of := range played {
		if his[of.Tune] {
			passes = append(passes, of.Passes...)
		}
	}
	slices.SortStableFunc(passes, func(a, b practice.Pass) int { return a.At.Compare(b.At) }) // the latest count, of whatever tune
	return practice.LearnHands(passes, usualFor(&p.Profile)), nil
}

// usualFor is what is usual for a player's attack, whatever their own figures are.
func usualFor(p *player.Profile) player.Profile {
	usual := player.Default()
	usual.Attack = p.Attack
	return usual
}

func (s *Server) showHands(c *gin.Context, status int, p *store.Profile, notice string) {
	h, err := s.learntHands(c, p)
	if err != nil {
		s.failFor(c, err)
		return
	}
	b := handsBody{ID: p.ID.String(), Name: profileName(&p.Profile), Version: p.Version, Notice: notice, Moves: h.A.Passes,
		Strokes: h.Restrike.Passes, Needed: practice.LeastPasses}
	b.Known = h.A.Known() || h.Restrike.Known()
	learnt := p.Profile
	h.TakeOver(&learnt)
	b.Same = learnt.FittsA == p.Profile.FittsA && learnt.FittsB == p.Profile.FittsB && learnt.RestrikeS == p.Profile.RestrikeS
	b.Rows = []handRow{
		{What: "Moving the hand 100 mm to a spot 10 mm wide", Now: secs(p.Profile.MoveTime(shownMM, shownTarget)),
			Learn: known(&h.A, learnt.MoveTime(shownMM, shownTarget))},
		{What: "of that, for any move", Now: secs(p.Profile.FittsA), Learn: known(&h.A, h.A.Value), Range: between(&h.A)},
		{What: "and for each doubling of how hard it is to hit", Now: secs(p.Profile.FittsB), Learn: known(&h.B, h.B.Value), Range: between(&h.B)},
		{What: "Same finger twice in a row", Now: secs(p.Profile.RestrikeTime()), Learn: known(&h.Restrike, h.Restrike.Value),
			Range: between(&h.Restrike)},
	}
	s.render(c, status, "hands", "layout", "The hands of "+b.Name, b)
}

func secs(s float64) string { return fmt.Sprintf("%.3f s", s) }

func known(e *practice.Estimate, v float64) string {
	if !e.Known() {
		return ""
	}
	return secs(v)
}

func between(e *practice.Estimate) string {
	if !e.Known() {
		return ""
	}
	return fmt.Sprintf("%.3f to %.3f", e.Low, e.High)
}

// takeHands puts what the log says into the profile: plans, ceilings and ladders are then this player's.
func (s *Server) takeHands(c *gin.Context) {
	p, ok := s.profileParam(c)
	if !ok {
		return
	}
	h, err := s.learntHands(c, p)
	if err != nil {
		s.failFor(c, err)
		return
	}
	if c.PostForm("usual") != "" {
		usual := player.Default()
		p.Profile.FittsA, p.Profile.FittsB, p.Profile.RestrikeS = usual.FittsA, usual.FittsB, 0
	} else {
		h.TakeOver(&p.Profile)
	}
	switch err := s.store.SaveProfile(c.Request.Context(), door.Owner(c), p.ID, atoi(c.PostForm("version")), p.Profile); {
	case errors.Is(err, store.ErrStale):
		fresh, ok := s.profileParam(c)
		if ok {
			s.showHands(c, http.StatusConflict, fresh,
				"This player was changed in another tab in the meantime. Nothing was changed; try again if you still want it.")
		}
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/profiles/"+p.ID.String()+"/hands")
	}
}
