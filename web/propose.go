package web

import (
	"context"
	"encoding/json"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/rank"
	"stepping/core/setup"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
)

// How many shapes are proposed for a new tune, and how long finding them may take.
const (
	proposals    = 3
	proposeLimit = 10 * time.Second
)

// proposedView is a proposal on the plan page: what it is, why, and the key that takes it.
type proposedView struct {
	Key, Name, Tuning, Reason string
	Capo                      int
	Now                       bool
}

// propose finds the ways for a new tune, and the tuning that the guitar is in. No ways if none can be found:
// the plan page says why.
func (s *Server) propose(c *gin.Context, tu *tune.Tune, p *player.Profile) (out []rank.Way, present string, err error) {
	guitars, err := s.guitars(c)
	if err != nil {
		return nil, "", err
	}
	g, now := sixStringed(guitars)
	r := rank.Request{Plan: plan.Request{Tune: tu, Tuning: now, Player: *p, Thumb: pattern.Alternating}, Guitar: g.Guitar, Workers: 2}
	if len(tu.Bass) > 0 {
		r.Plan.Thumb = pattern.Written
	}
	if err := r.Guitar.Complete(tuning.Strings); err != nil {
		return out, g.Tuning, nil
	}
	rows, _ := desk.Do(c.Request.Context(), s.desk, "proposals", desk.Of(door.Owner(c), 10*len(tu.Notes)), func(ctx context.Context) ([]rank.Row, error) {
		ctx, stop := context.WithTimeout(ctx, proposeLimit)
		defer stop()
		return rank.Propose(ctx, r, proposals) // out of time or of range: what was found, else the tuning that the guitar is in
	})
	for i := range rows {
		out = append(out, rows[i].Way)
	}
	return out, g.Tuning, nil
}

// keepProposed keeps what was proposed for the tune.
func (s *Server) keepProposed(c *gin.Context, id store.ID, ways []rank.Way) {
	if len(ways) == 0 {
		return
	}
	doc, err := json.Marshal(ways)
	if err == nil {
		_, err = s.store.SaveResult(c.Request.Context(), door.Owner(c), id, proposalJob, "", doc, false, true)
	}
	if err != nil {
		s.logUnlessGone(c, "keep proposals", "err", err) // the tune is there without
	}
}

// proposedNow shows what is proposed for a tune, found now and kept if it was not yet; none for a tune that cannot be read.
func (s *Server) proposedNow(c *gin.Context, t *store.Tune) []proposedView {
	if out := s.proposedFor(c, t.ID, &t.Settings); out != nil {
		return out
	}
	tu, _, err := s.desk.Read(t.Source)
	prof, err2 := s.store.TunePlayer(c.Request.Context(), door.Owner(c), t.ID)
	if err != nil || err2 != nil {
		return nil
	}
	ways, _, err := s.propose(c, tu.Transposed(t.Settings.Steps), &prof.Profile)
	if err != nil {
		s.logUnlessGone(c, "proposals", "err", err) // the page is there without
		return nil
	}
	s.keepProposed(c, t.ID, ways)
	return s.proposedFor(c, t.ID, &t.Settings)
}

// proposedFor shows what was proposed for a tune.
func (s *Server) proposedFor(c *gin.Context, id store.ID, st *setup.Settings) (out []proposedView) {
	kept, err := s.store.Result(c.Request.Context(), door.Owner(c), id, proposalJob)
	if err != nil {
		return nil
	}
	var ways []rank.Way
	if json.Unmarshal(kept.Doc, &ways) != nil || len(ways) > proposals {
		return nil // of another version of the program
	}
	for i := range ways {
		w := &ways[i]
		out = append(out, proposedView{Key: string("JKL"[i]), Name: wayName(w), Tuning: w.Tuning.Name, Reason: w.Reason(), Capo: w.Capo,
			Now: w.Tuning.Name == st.Tuning && w.Capo == st.Capo})
	}
	return out
}
