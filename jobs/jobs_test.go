package jobs

import (
	"context"
	"errors"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"
)

// long is longer than any test takes.
const long = time.Minute

func quiet() *slog.Logger { return slog.New(slog.DiscardHandler) }

// endless works until it is stopped.
func endless(ctx context.Context, _ *Job[int]) (int, error) {
	<-ctx.Done()
	return 0, ctx.Err()
}

// However many ask for the same work at once, it is done once, and all get its result.
func TestShared(t *testing.T) {
	r := New(4, long, quiet())
	defer r.Close()
	var runs atomic.Int64
	begin := make(chan struct{})
	var all sync.WaitGroup
	for range 50 {
		all.Go(func() {
			j, err := Start(r, Key{Kind: "sum", Of: "a"}, "1", Work{}, 0, func(context.Context, *Job[int]) (int, error) {
				runs.Add(1)
				<-begin
				return 42, nil
			})
			if err != nil {
				t.Error(err)
				return
			}
			if v, err := j.Wait(context.Background(), long); v != 42 || err != nil {
				t.Error(v, err)
			}
		})
	}
	close(begin)
	all.Wait()
	if runs.Load() != 1 {
		t.Errorf("the work was done %d times", runs.Load())
	}
}

// A job ends by itself once nobody waits or looks, with its thing, at another basis, at its time's end,
// and when the registry closes; each time with what it says of it, and leaves room for another.
func TestEnds(t *testing.T) {
	for name, end := range map[string]func(r *Registry, j *Job[int]){
		"nobody waits": func(_ *Registry, j *Job[int]) {
			ctx, stop := context.WithCancel(context.Background())
			stop()
			if _, err := j.Wait(ctx, long); !errors.Is(err, context.Canceled) {
				t.Error(err)
			}
		},
		"nobody ever came": func(*Registry, *Job[int]) {},
		"impatient": func(_ *Registry, j *Job[int]) {
			var busy *NotReady
			if _, err := j.Wait(context.Background(), time.Microsecond); !errors.As(err, &busy) {
				t.Error(err)
			}
		},
		"its thing goes": func(r *Registry, _ *Job[int]) { r.StopOf("a") },
		"dropped":        func(_ *Registry, j *Job[int]) { j.Drop() },
		"stopped":        func(_ *Registry, j *Job[int]) { j.Stop() },
		"other basis": func(r *Registry, _ *Job[int]) {
			j, err := Start(r, Key{Kind: "k", Of: "a"}, "2", Work{}, 0, func(context.Context, *Job[int]) (int, error) { return 7, nil })
			if err != nil {
				t.Error(err) // room for two: the stopped one may still be ending
				return
			}
			if v, err := j.Wait(context.Background(), long); v != 7 || err != nil {
				t.Error(v, err)
			}
		},
		"closed": func(r *Registry, _ *Job[int]) { r.Close() },
	} {
		r := New(2, 20*time.Millisecond, quiet())
		j, err := Start(r, Key{Kind: "k", Of: "a"}, "1", Work{}, 0, endless)
		if err != nil {
			t.Fatal(err)
		}
		end(r, j)
		<-j.done
		if !errors.Is(j.Err(), ErrStopped) {
			t.Errorf("%s: %v", name, j.Err())
		}
		r.Close()
	}
}

// Looking keeps a job alive, and what it shows is seen while it runs.
func TestLookedAt(t *testing.T) { synctest.Test(t, testLookedAt) }

func testLookedAt(t *testing.T) {
	r := New(1, 40*time.Millisecond, quiet())
	defer r.Close()
	shown := make(chan struct{})
	j, err := Start(r, Key{Kind: "k"}, "", Work{}, 0, func(ctx context.Context, j *Job[int]) (int, error) {
		j.Show(3)
		j.Report(1, 2)
		close(shown)
		<-ctx.Done()
		return 0, ctx.Err()
	})
	if err != nil {
		t.Fatal(err)
	}
	<-shown
	for range 20 {
		time.Sleep(39 * time.Millisecond)
		if !j.Running() {
			t.Fatal("it ended though somebody looks")
		}
	}
	if v, ok := j.Seen(); v != 3 || !ok || j.Percent() != 50 {
		t.Errorf("%d %v, %d%%", v, ok, j.Percent())
	}
	time.Sleep(41 * time.Millisecond)
	if synctest.Wait(); !errors.Is(j.Err(), ErrStopped) {
		t.Errorf("nobody looks, and it goes on: %v", j.Err())
	}
}

// Only so many run at a time; the next one is told so and can begin when one has ended. A panic ends
// its job alone, work that takes too long ends with the deadline's error, and old results are forgotten.
func TestBounds(t *testing.T) {
	r := New(2, long, quiet())
	defer r.Close()
	var running []*Job[int]
	var busy *NotReady
	for i := range 2 + mostWaitingOwner { // two of them run
		j, err := Start(r, Key{Of: "a", Part: string(rune('0' + i))}, "", Work{}, 0, endless)
		if err != nil {
			t.Fatal(i, err)
		}
		running = append(running, j)
	}
	if _, err := Start(r, Key{Of: "b"}, "", Work{}, 0, endless); !errors.As(err, &busy) {
		t.Errorf("one more than may wait: %v", err)
	}
	if j, err := Start(r, Key{Of: "d"}, "", Work{Begun: true}, 0, endless); err != nil {
		t.Errorf("what goes on with something is turned away: %v", err)
	} else {
		running = append(running, j)
	}
	if j := Find[int](r, Key{Of: "b"}); j != nil {
		t.Error("what was refused is kept")
	}
	for _, j := range running {
		j.Drop()
	}
	for _, j := range running {
		j.Stop()
	}
	j, err := Start(r, Key{Of: "c"}, "", Work{}, 0, func(context.Context, *Job[int]) (int, error) { panic("no") })
	if err != nil {
		t.Fatal(err)
	}
	if _, err := j.Wait(context.Background(), long); !errors.Is(err, ErrPanic) {
		t.Errorf("after a panic: %v", err)
	}
	if j, err = Start(r, Key{Of: "d"}, "", Work{}, time.Millisecond, endless); err != nil {
		t.Fatal(err)
	}
	if _, err := j.Wait(context.Background(), long); !errors.Is(err, context.DeadlineExceeded) {
		t.Errorf("after its time: %v", err)
	}
	for i := range 3 * keptResults {
		j, err := Start(r, Key{Of: "e", Part: string(rune('0' + i))}, "", Work{}, 0, func(context.Context, *Job[int]) (int, error) { return i, nil })
		if err != nil {
			t.Fatal(err)
		}
		if v, err := j.Wait(context.Background(), long); v != i || err != nil {
			t.Fatal(v, err)
		}
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.jobs) > keptResults+2 {
		t.Errorf("%d jobs are kept", len(r.jobs))
	}
}

// TestTurns: next to the long work of one owner, which fills the pool, short work begins at once, and long work of another owner
// before more of the first's. What is given up while it waits does not run, and no turn is lost.
func TestTurns(t *testing.T) {
	r := New(3, long, quiet())
	defer r.Close()
	var mu sync.Mutex
	var order []string
	blocks := map[string]chan struct{}{}
	begin := func(name, owner string, isLong bool) *Job[int] {
		block := make(chan struct{})
		mu.Lock()
		blocks[name] = block
		mu.Unlock()
		j, err := Start(r, Key{Of: name}, "", Work{Owner: owner, Long: isLong}, 0, func(ctx context.Context, _ *Job[int]) (int, error) {
			mu.Lock()
			order = append(order, name)
			mu.Unlock()
			select {
			case <-block:
			case <-ctx.Done():
			}
			return 0, ctx.Err()
		})
		if err != nil {
			t.Fatal(err)
		}
		return j
	}
	until := func(want ...string) {
		t.Helper()
		for since := time.Now(); time.Since(since) < 5*time.Second; time.Sleep(time.Millisecond) {
			mu.Lock()
			same := slices.Equal(order, want)
			mu.Unlock()
			if same {
				return
			}
		}
		t.Fatalf("%v, want %v", order, want)
	}
	settle := func(n int) { // so many wait
		for w, _ := r.Load(); w != n; w, _ = r.Load() {
			time.Sleep(time.Millisecond)
		}
	}
	begin("a1", "a", true)
	until("a1")
	begin("a2", "a", true)
	until("a1", "a2")
	begin("a3", "a", true)
	settle(1)
	given := begin("a4", "a", true)
	settle(2)
	begin("b1", "b", true)
	settle(3)
	begin("short", "a", false)
	until("a1", "a2", "short")
	if ran, err := Do(context.Background(), New(1, long, quiet()), Work{},
		func(context.Context) (bool, error) { panic("no") }); ran || !errors.Is(err, ErrPanic) {
		t.Error(err)
	}
	given.Drop()
	close(blocks["a1"])
	until("a1", "a2", "short", "b1")
	close(blocks["b1"])
	until("a1", "a2", "short", "b1", "a3")
	close(blocks["a2"])
	close(blocks["short"])
	close(blocks["a3"])
	for _, running := r.Load(); running != 0; _, running = r.Load() {
		time.Sleep(time.Millisecond)
	}
}

// TestLater: later work waits behind work that a page waits for, but not for ever; and a worker is kept free of it.
func TestLater(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		p := newPool(3)
		if p.laters != 2 {
			t.Fatalf("%d may come later at a time", p.laters)
		}
		var held []*waiter
		wait := func(w Work) *waiter {
			v, err := p.queue(w)
			if err != nil {
				t.Fatal(err)
			}
			return v
		}
		came := func(v *waiter) bool {
			select {
			case <-v.turn:
				return true
			default:
				return false
			}
		}
		for range 3 {
			held = append(held, wait(Work{Owner: "a", Later: true}))
		}
		if !came(held[0]) || !came(held[1]) || came(held[2]) {
			t.Fatal("two of three come at once")
		}
		quick := wait(Work{Owner: "b"})
		if !came(quick) {
			t.Fatal("no worker is free for what is seen first")
		}
		next := wait(Work{Owner: "c"})
		p.leave(held[0].Work)
		if !came(next) || came(held[2]) {
			t.Error("what is seen first does not come first")
		}
		time.Sleep(laterFor + time.Millisecond)
		last := wait(Work{Owner: "d"})
		p.leave(held[1].Work)
		if !came(held[2]) || came(last) {
			t.Error("what comes later is held up for ever")
		}
	})
}
