// Package jobs runs long work apart from the requests that want it. A job has a key; whoever asks for
// the same work while it runs shares it. It ends when its work is done, when it is stopped, when the
// thing that it belongs to goes, when its time is over, or some time after the last one who waited
// has gone. A panic ends the job and not the program.
package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"
)

// Key tells jobs apart. All of one kind have the same type of result.
type Key struct {
	Kind string
	Of   string // the thing that it belongs to
	Part string // which of several of that kind and thing
}

// Errors of jobs.
var (
	// ErrStopped is the error of a job that was stopped before its work was done.
	ErrStopped = errors.New("it was stopped")
	// ErrPanic is the error of a job whose work panicked; the log has the detail.
	ErrPanic = errors.New("something went wrong inside it")
)

// NotReady is work that is not done yet: under way, or waiting for others to end.
type NotReady struct{ Percent int }

func (e *NotReady) Error() string {
	return fmt.Sprintf("it is still being worked out, %d%% done: try again in a moment", e.Percent)
}

// Registry keeps the jobs. Safe for concurrent use.
type Registry struct {
	pool  *pool
	grace time.Duration
	log   *slog.Logger

	mu   sync.Mutex
	jobs map[Key]handle
	old  []Key // of ended jobs, the first to end first
	wait sync.WaitGroup
}

// keptResults bounds the ended jobs whose results are kept.
const keptResults = 64

// handle is a job of any type of result.
type handle interface {
	running() bool
	Basis() string
	Stop()
}

// New makes a registry that does so much work at a time, of what is long one less, and stops a job for which nobody has
// waited or looked for the time of grace.
func New(most int, grace time.Duration, log *slog.Logger) *Registry {
	return &Registry{pool: newPool(most), grace: grace, log: log, jobs: map[Key]handle{}}
}

// Job is work under way or done.
type Job[T any] struct {
	r     *Registry
	key   Key
	basis string
	stop  context.CancelCauseFunc
	done  chan struct{}
	part  atomic.Int64 // in thousandths
	seen  atomic.Pointer[T]

	mu      sync.Mutex
	waiters int
	idle    *time.Timer

	result T // with err, good once done is closed
	err    error
}

// Start returns the job under key if it has that basis, running or ended; else it begins work and
// stops what was there before. The work is done when its turn comes; limit is how long it may take from then on, 0 for any time.
// *NotReady if too many jobs are waiting.
func Start[T any](r *Registry, key Key, basis string, w Work, limit time.Duration, work func(context.Context, *Job[T]) (T, error)) (*Job[T], error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if old, ok := r.jobs[key]; ok {
		if old.Basis() == basis {
			return old.(*Job[T]), nil
		}
		go old.Stop()
		r.forget(key)
	}
	place, err := r.pool.queue(w)
	if err != nil {
		return nil, err
	}
	ctx, stop := context.WithCancelCause(context.Background())
	j := &Job[T]{r: r, key: key, basis: basis, stop: stop, done: make(chan struct{})}
	j.idle = time.AfterFunc(r.grace, func() { stop(ErrStopped) })
	r.jobs[key] = j
	r.wait.Add(1)
	go j.run(ctx, place, limit, work)
	return j, nil
}

func (j *Job[T]) run(ctx context.Context, place *waiter, limit time.Duration, work func(context.Context, *Job[T]) (T, error)) {
	defer j.r.wait.Done()
	whole := ctx
	defer func() {
		if v := recover(); v != nil {
			logPanic(j.r.log, j.key.Kind, v)
			j.err = ErrPanic
		}
		if cause := context.Cause(whole); cause != nil && j.err != nil {
			j.err = cause
		}
		j.idle.Stop()
		close(j.done)
		j.stop(nil)
		j.r.ended(j.key, j)
	}()
	if j.err = j.r.pool.await(ctx, place); j.err != nil {
		return
	}
	defer j.r.pool.leave(place.Work)
	if limit > 0 {
		var over context.CancelFunc
		ctx, over = context.WithTimeout(ctx, limit)
		defer over()
	}
	j.result, j.err = work(ctx, j)
}

// ended files the key of a job among those whose results are kept, and forgets the oldest.
func (r *Registry) ended(key Key, j handle) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.jobs[key] != j {
		return
	}
	if r.old = append(r.old, key); len(r.old) > keptResults {
		r.forget(r.old[0])
	}
}

// forget takes a key out. The caller holds the lock.
func (r *Registry) forget(key Key) {
	delete(r.jobs, key)
	r.old = slices.DeleteFunc(r.old, func(k Key) bool { return k == key })
}

// Find returns the job under key, nil if there is none.
func Find[T any](r *Registry, key Key) *Job[T] {
	r.mu.Lock()
	defer r.mu.Unlock()
	j, _ := r.jobs[key].(*Job[T])
	return j
}

// Drop drops a job: its result is not wanted any more, or kept elsewhere. If it runs it is stopped.
func (j *Job[T]) Drop() {
	j.stop(ErrStopped)
	j.r.mu.Lock()
	defer j.r.mu.Unlock()
	if j.r.jobs[j.key] == handle(j) {
		j.r.forget(j.key)
	}
}

// StopOf stops and drops all jobs of a thing that goes.
func (r *Registry) StopOf(of string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for key, j := range r.jobs {
		if key.Of == of {
			go j.Stop()
			r.forget(key)
		}
	}
}

// Close stops every job and waits until all have ended.
func (r *Registry) Close() {
	r.mu.Lock()
	for _, j := range r.jobs {
		go j.Stop()
	}
	r.mu.Unlock()
	r.wait.Wait()
}

// Basis is what the work is done from.
func (j *Job[T]) Basis() string { return j.basis }

func (j *Job[T]) running() bool {
	select {
	case <-j.done:
		return false
	default:
		return true
	}
}

// Running reports whether the work goes on, and that somebody still wants it.
func (j *Job[T]) Running() bool {
	j.look()
	return j.running()
}

// Stop ends the work and waits until it has ended.
func (j *Job[T]) Stop() {
	j.stop(ErrStopped)
	<-j.done
}

// Report tells how much of the work is done.
func (j *Job[T]) Report(done, total int) { j.part.Store(int64(1000 * done / max(total, 1))) }

// Percent is how much of the work is done.
func (j *Job[T]) Percent() int { return int(j.part.Load() / 10) }

// Show lets others see what is found so far; v must not change any more.
func (j *Job[T]) Show(v T) { j.seen.Store(&v) }

// Seen is what was shown last; ok is false if that is nothing.
func (j *Job[T]) Seen() (v T, ok bool) {
	if p := j.seen.Load(); p != nil {
		return *p, true
	}
	return v, false
}

// Err is the error of ended work, nil while it runs.
func (j *Job[T]) Err() error {
	if j.running() {
		return nil
	}
	return j.err
}

// look puts off the end for want of anybody who waits.
func (j *Job[T]) look() {
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.waiters == 0 && j.running() {
		j.idle.Reset(j.r.grace)
	}
}

func (j *Job[T]) join() {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.waiters++
	j.idle.Stop()
}

func (j *Job[T]) leave() {
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.waiters--; j.waiters == 0 && j.running() {
		j.idle.Reset(j.r.grace)
	}
}

// Wait returns the result, once it is there. Errors: those of the work, ErrStopped, ErrPanic, ctx's, and
// *NotReady after patience.
func (j *Job[T]) Wait(ctx context.Context, patience time.Duration) (v T, err error) {
	j.join()
	defer j.leave()
	timer := time.NewTimer(patience)
	defer timer.Stop()
	select {
	case <-ctx.Done():
		return v, ctx.Err()
	case <-j.done:
		return j.result, j.err
	case <-timer.C:
	}
	if j.running() { // with little patience both may be true
		return v, &NotReady{j.Percent()}
	}
	return j.result, j.err
}
