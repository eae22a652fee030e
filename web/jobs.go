package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/store"
)

// patience is how long a request waits for a plan before it shows how far the work is.
const patience = 3 * time.Second

// maxJobs bounds the plans worked out at a time.
const maxJobs = 4

// job is a plan being worked out apart from any request, so that leaving the page or looking
// again does not begin it anew.
type job struct {
	basis string
	stop  context.CancelFunc
	done  chan struct{}
	part  atomic.Int64 // of moments, in thousandths
	plan  *plan.Plan   // good once done is closed
	err   error
}

// jobs is the running and the stopped job of each tune.
type jobs struct {
	mu sync.Mutex
	of map[store.ID]*job
}

// errBusy tells that a plan is not ready yet, and how far it is in percent.
type errBusy struct{ Percent int }

func (e *errBusy) Error() string {
	return fmt.Sprintf("this plan is still being worked out, %d%% done: try again in a moment", e.Percent)
}

var errStopped = errors.New("the planning of this tune was stopped")

// solve works out req for tune id, or waits for the job that already does.
func (s *Server) solve(ctx context.Context, id store.ID, basis string, req plan.Request) (*plan.Plan, error) {
	j, err := s.jobs.start(id, basis, req)
	if err != nil {
		return nil, err
	}
	wait := time.NewTimer(patience)
	defer wait.Stop()
	select {
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-wait.C:
		return nil, &errBusy{int(j.part.Load() / 10)}
	case <-j.done:
	}
	if errors.Is(j.err, context.Canceled) {
		return nil, errStopped // kept until somebody asks for the plan anew
	}
	s.jobs.drop(id, j)
	return j.plan, j.err
}

// start begins a job unless the tune has one for the same basis; one for another is stopped.
func (js *jobs) start(id store.ID, basis string, req plan.Request) (*job, error) {
	js.mu.Lock()
	defer js.mu.Unlock()
	if old := js.of[id]; old != nil {
		if old.basis == basis {
			return old, nil
		}
		old.stop()
		delete(js.of, id)
	}
	running := 0
	for _, j := range js.of {
		select {
		case <-j.done:
		default:
			running++
		}
	}
	if running >= maxJobs {
		return nil, &errBusy{}
	}
	ctx, stop := context.WithCancel(context.Background())
	j := &job{basis: basis, stop: stop, done: make(chan struct{})}
	req.Progress = func(done, total int) { j.part.Store(int64(1000 * done / total)) }
	js.of[id] = j
	go func() {
		defer close(j.done)
		defer stop()
		j.plan, j.err = plan.Solve(ctx, req)
	}()
	return j, nil
}

func (js *jobs) get(id store.ID) *job {
	js.mu.Lock()
	defer js.mu.Unlock()
	return js.of[id]
}

func (js *jobs) drop(id store.ID, j *job) {
	js.mu.Lock()
	defer js.mu.Unlock()
	if js.of[id] == j {
		delete(js.of, id)
	}
}

// progress tells the script how far the plan of a tune is.
func (s *Server) progress(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	percent, done := 100, true
	if j := s.jobs.get(id); j != nil {
		percent = int(j.part.Load() / 10)
		select {
		case <-j.done:
		default:
			done = false
		}
	}
	c.JSON(http.StatusOK, gin.H{"percent": percent, "done": done})
}

// stopPlan stops the planning of a tune; again starts it anew.
func (s *Server) stopPlan(c *gin.Context) {
	if id, ok := s.idParam(c); ok {
		if j := s.jobs.get(id); j != nil {
			j.stop()
			<-j.done
		}
		c.Redirect(http.StatusSeeOther, "/tunes/"+id.String())
	}
}

func (s *Server) planAgain(c *gin.Context) {
	if id, ok := s.idParam(c); ok {
		if j := s.jobs.get(id); j != nil {
			j.stop()
			s.jobs.drop(id, j)
		}
		c.Redirect(http.StatusSeeOther, "/tunes/"+id.String())
	}
}
