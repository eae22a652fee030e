package jobs

import (
	"context"
	"log/slog"
	"runtime/debug"
	"slices"
	"sync"
	"time"
)

// Work is what the pool wants to know of work before its turn comes.
type Work struct {
	Owner string // owners take turns
	Long  bool   // it may take seconds; a worker is always kept for work that does not
	Later bool   // no page waits for it: it runs after work that a page waits for
	Begun bool   // it goes on with what was begun, and is never turned away
}

// Bounds of what waits, in all and for an owner.
const (
	mostWaiting      = 400
	mostWaitingOwner = 100
)

// pool lets so much work run at a time. Among what waits, the owner who has least running comes first, then what a page
// waits for, then what is short, then what came first.
type pool struct {
	slots, longs, laters int // how much runs at a time: in all, of what is long, of what comes later

	mu      sync.Mutex
	running map[string]int // by owner
	all     int
	long    int
	later   int
	waiting []*waiter // in the order in which they came
}

type waiter struct {
	Work
	turn chan struct{} // closed when its turn has come
	came time.Time
}

// laterFor is how long later work waits behind other work at most.
const laterFor = 2 * time.Second

// yields reports whether it still waits behind work that a page waits for.
func (w *waiter) yields() bool { return w.Later && time.Since(w.came) < laterFor }

func newPool(slots int) *pool {
	return &pool{slots: slots, longs: max(1, slots-1), laters: max(1, slots-1), running: map[string]int{}}
}

// enter waits for a turn; leave has to be called after it. *NotReady if too much waits already, or ctx's error.
func (p *pool) enter(ctx context.Context, w Work) error {
	v, err := p.queue(w)
	if err != nil {
		return err
	}
	return p.await(ctx, v)
}

// queue takes a place among what waits, which await has to be called for. *NotReady if too much waits already.
func (p *pool) queue(w Work) (*waiter, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	mine := 0
	for _, v := range p.waiting {
		if v.Owner == w.Owner {
			mine++
		}
	}
	if !w.Begun && (len(p.waiting) >= mostWaiting || mine >= mostWaitingOwner) {
		return nil, &NotReady{}
	}
	v := &waiter{w, make(chan struct{}), time.Now()}
	p.waiting = append(p.waiting, v)
	p.grant()
	return v, nil
}

// await waits for v's turn; leave has to be called after it. An error is ctx's, and its place is given up.
func (p *pool) await(ctx context.Context, v *waiter) error {
	select {
	case <-v.turn:
		return nil
	case <-ctx.Done():
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if i := slices.Index(p.waiting, v); i >= 0 {
		p.waiting = slices.Delete(p.waiting, i, i+1)
	} else {
		p.over(v.Work) // its turn came at the same time
	}
	return ctx.Err()
}

func (p *pool) leave(w Work) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.over(w)
}

func (p *pool) over(w Work) {
	p.all--
	if w.Long {
		p.long--
	}
	if w.Later {
		p.later--
	}
	if p.running[w.Owner]--; p.running[w.Owner] == 0 {
		delete(p.running, w.Owner)
	}
	p.grant()
}

// grant lets in whoever may begin now.
func (p *pool) grant() {
	for p.all < p.slots {
		next := -1
		for i, v := range p.waiting {
			if v.Long && p.long >= p.longs || v.Later && p.later >= p.laters {
				continue
			}
			if next < 0 || p.before(v, p.waiting[next]) {
				next = i
			}
		}
		if next < 0 {
			return
		}
		v := p.waiting[next]
		p.waiting = slices.Delete(p.waiting, next, next+1)
		p.all++
		if v.Long {
			p.long++
		}
		if v.Later {
			p.later++
		}
		p.running[v.Owner]++
		close(v.turn)
	}
}

// before reports whether a's turn comes before b's, which came earlier.
func (p *pool) before(a, b *waiter) bool {
	if n, m := p.running[a.Owner], p.running[b.Owner]; n != m {
		return n < m
	}
	if x, y := a.yields(), b.yields(); x != y {
		return !x
	}
	return !a.Long && b.Long
}

// load is how much work waits and runs.
func (p *pool) load() (waiting, running int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return len(p.waiting), p.all
}

// Load is how much work waits and runs.
func (r *Registry) Load() (waiting, running int) { return r.pool.load() }

// Do does work that belongs to one request alone, when its turn comes. A panic ends the work and not the
// program. Errors: those of the work, ctx's, ErrPanic, *NotReady.
func Do[T any](ctx context.Context, r *Registry, w Work, work func(context.Context) (T, error)) (v T, err error) {
	if err := r.pool.enter(ctx, w); err != nil {
		return v, err
	}
	defer r.pool.leave(w)
	defer func() {
		if p := recover(); p != nil {
			logPanic(r.log, "request", p)
			err = ErrPanic
		}
	}()
	return work(ctx)
}

func logPanic(log *slog.Logger, kind string, v any) {
	log.Error("panic in a job", "kind", kind, "value", v, "stack", string(debug.Stack()))
}
