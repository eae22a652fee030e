package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"runtime"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/jobs"
	"stepping/store"
)

// patience is how long a request waits for a plan before it shows how far the work is.
const patience = 3 * time.Second

// jobGrace is how long work goes on while nobody waits for it or looks.
const jobGrace = 2 * time.Minute

// workers is how much is worked out at a time: what is long on every core but for one worker, which is kept for what is short.
func workers() int { return max(2, runtime.GOMAXPROCS(0)) + 1 }

// shortNotes is the length up to which a plan takes a fraction of a second.
const shortNotes = 160

// of is work of an owner that plans so many notes in all.
func of(owner store.ID, notes int) jobs.Work {
	return jobs.Work{Owner: owner.String(), Long: notes > shortNotes}
}

// Kinds of jobs.
const (
	planJob     = "plan"
	rankingJob  = "ranking"
	proposalJob = "proposals"
)

func planKey(id store.ID) jobs.Key { return jobs.Key{Kind: planJob, Of: id.String()} }

// solve works out req for tune id, or waits for the job that already does, so that leaving the page or
// looking again does not begin it anew.
func (s *Server) solve(ctx context.Context, owner, id store.ID, basis string, req plan.Request) (*plan.Plan, error) {
	j, err := jobs.Start(s.jobs, planKey(id), basis, of(owner, len(req.Tune.Notes)), 0,
		timed(s, planJob, func(ctx context.Context, j *jobs.Job[*plan.Plan]) (*plan.Plan, error) {
			req.Progress = j.Report
			return plan.Solve(ctx, req)
		}))
	if err != nil {
		return nil, notReady(err)
	}
	p, err := j.Wait(ctx, patience)
	if !j.Running() && !errors.Is(err, jobs.ErrStopped) {
		j.Drop() // a stopped one is kept until somebody asks for the plan anew
	}
	return p, notReady(err)
}

// notReady says of a plan that it is still being worked out.
func notReady(err error) error {
	if busy := (*jobs.NotReady)(nil); errors.As(err, &busy) {
		return fmt.Errorf("this plan: %w", err)
	}
	return err
}

// progress tells the script how far the plan of a tune is.
func (s *Server) progress(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	percent, done := 100, true
	if j := jobs.Find[*plan.Plan](s.jobs, planKey(t.ID)); j != nil {
		percent, done = j.Percent(), !j.Running()
	}
	c.JSON(http.StatusOK, gin.H{"percent": percent, "done": done})
}

// stopPlan stops the planning of a tune; again starts it anew.
func (s *Server) stopPlan(c *gin.Context) {
	if t, ok := s.tuneParam(c); ok {
		if j := jobs.Find[*plan.Plan](s.jobs, planKey(t.ID)); j != nil {
			j.Stop()
		}
		c.Redirect(http.StatusSeeOther, "/tunes/"+t.ID.String())
	}
}

func (s *Server) planAgain(c *gin.Context) {
	if t, ok := s.tuneParam(c); ok {
		if j := jobs.Find[*plan.Plan](s.jobs, planKey(t.ID)); j != nil {
			j.Drop()
		}
		c.Redirect(http.StatusSeeOther, "/tunes/"+t.ID.String())
	}
}
