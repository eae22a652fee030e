// Package desk is where tunes are worked on between requests: it reads their texts, keeps the plans and sounds asked for
// last, and runs long work in a fair pool. It knows nothing of pages or requests, and needs a store alone.
//
// A plan is worked out in a job of its own that outlives the request that asked for it, is shared by all who ask for the
// same, and can be watched and stopped.
package desk

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"time"

	"stepping/core/plan"
	"stepping/jobs"
	"stepping/store"
)

// Desk is shared by all requests. Safe for concurrent use.
type Desk struct {
	Jobs   *jobs.Registry
	Sounds Sounds

	store  *store.Store
	took   func(kind string, d time.Duration)
	plans  planCache
	parsed parsedCache
}

// grace is how long work goes on while nobody waits for it or looks.
const grace = 2 * time.Minute

// New returns an empty desk over a store. took, if not nil, is called with the time that each piece of long work took.
func New(st *store.Store, log *slog.Logger, took func(kind string, d time.Duration)) *Desk {
	if took == nil {
		took = func(string, time.Duration) {}
	}
	return &Desk{store: st, took: took, Jobs: jobs.New(workers(), grace, log)}
}

// Close stops all work under way.
func (d *Desk) Close() { d.Jobs.Close() }

// cores are those of the machine, or that the program may use of it. It is asked before the program allows itself more threads: see serve.
var cores = runtime.GOMAXPROCS(0)

// workers is how much is worked out at a time: what is long on every core but for one worker, which is kept for what is short.
func workers() int { return max(2, cores) + 1 }

// shortNotes is the length up to which a plan takes a fraction of a second.
const shortNotes = 160

// Of is work of an owner that plans so many notes in all.
func Of(owner store.ID, notes int) jobs.Work {
	return jobs.Work{Owner: owner.String(), Long: notes > shortNotes}
}

// planJob is the kind of the jobs that plan a tune.
const planJob = "plan"

func planKey(id store.ID) jobs.Key { return jobs.Key{Kind: planJob, Of: id.String()} }

// solve works out req for tune id, or waits for the job that already does, so that leaving the page or
// looking again does not start it a second time.
func (d *Desk) solve(ctx context.Context, owner, id store.ID, basis string, req plan.Request, patience time.Duration) (*plan.Plan, error) {
	j, err := jobs.Start(d.Jobs, planKey(id), basis, Of(owner, len(req.Tune.Notes)), 0,
		Timed(d, planJob, func(ctx context.Context, j *jobs.Job[*plan.Plan]) (*plan.Plan, error) {
			req.Progress = j.Report
			return plan.SolveKeepable(ctx, req)
		}))
	if err != nil {
		return nil, notReady(err)
	}
	p, err := j.Wait(ctx, patience)
	if busy := (*jobs.NotReady)(nil); !errors.As(err, &busy) && !errors.Is(err, jobs.ErrStopped) && ctx.Err() == nil {
		j.Drop() // it has ended; a stopped one is kept until Again is called
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

// Progress returns how far the planning of tune id is; done is true if none is under way.
func (d *Desk) Progress(id store.ID) (percent int, done bool) {
	if j := jobs.Find[*plan.Plan](d.Jobs, planKey(id)); j != nil {
		return j.Percent(), !j.Running()
	}
	return 100, true
}

// Stop stops the planning of tune id: who asks for its plan gets jobs.ErrStopped until Again is called.
func (d *Desk) Stop(id store.ID) {
	if j := jobs.Find[*plan.Plan](d.Jobs, planKey(id)); j != nil {
		j.Stop()
	}
}

// Again lets the plan of tune id be worked out after it was stopped.
func (d *Desk) Again(id store.ID) {
	if j := jobs.Find[*plan.Plan](d.Jobs, planKey(id)); j != nil {
		j.Drop()
	}
}

// Cached returns how many plans are kept, and their moments.
func (d *Desk) Cached() (plans, moments int) { return d.plans.size() }

// Timed measures work of a kind.
func Timed[T any](d *Desk, kind string, work func(context.Context, *jobs.Job[T]) (T, error)) func(context.Context, *jobs.Job[T]) (T, error) {
	return func(ctx context.Context, j *jobs.Job[T]) (T, error) {
		began := time.Now()
		defer func() { d.took(kind, time.Since(began)) }()
		return work(ctx, j)
	}
}

// Do is jobs.Do, measured, for a request's own work.
func Do[T any](ctx context.Context, d *Desk, kind string, w jobs.Work, work func(context.Context) (T, error)) (T, error) {
	return jobs.Do(ctx, d.Jobs, w, func(ctx context.Context) (T, error) {
		began := time.Now()
		defer func() { d.took(kind, time.Since(began)) }()
		return work(ctx)
	})
}
