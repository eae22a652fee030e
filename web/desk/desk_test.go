package desk

import (
	"errors"
	"log/slog"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/setup"
	"stepping/demo"
	"stepping/jobs"
	"stepping/store"
	"stepping/store/storetest"
)

func TestMain(m *testing.M) { os.Exit(storetest.Main(m.Run)) }

// aDesk is a desk over a store that holds a short tune and a long one.
func aDesk(t *testing.T) (d *Desk, st *store.Store, short, long store.Tune) {
	t.Helper()
	dsn, err := storetest.DSN()
	if err != nil {
		t.Fatal(err)
	}
	if st, err = store.Open(t.Context(), dsn); err != nil {
		t.Fatal(err)
	}
	owner, err := demo.Prepare(t.Context(), st, false)
	if err != nil {
		t.Fatal(err)
	}
	profiles, err := st.Profiles(t.Context(), owner)
	if err != nil {
		t.Fatal(err)
	}
	add := func(title string, bars int) (tune store.Tune) {
		text := "T:" + title + "\nM:4/4\nL:1/8\nK:D\n" + strings.Repeat("D2FG A2dc|", bars)
		id, err := st.AddTune(t.Context(), owner, title, text, profiles[0].ID, setup.Settings{Tuning: "Open D", Thumb: pattern.Steady, Pins: []play.Pin{}})
		if err == nil {
			tune, err = st.Tune(t.Context(), owner, id)
		}
		if err != nil {
			t.Fatal(err)
		}
		return tune
	}
	d = New(st, slog.New(slog.DiscardHandler), nil)
	t.Cleanup(func() { d.Close(); st.Close() })
	return d, st, add("Short", 2), add("Long", 500)
}

// patience is longer than any plan here takes, also on a busy machine.
const patience = 2 * time.Minute

// TestPlan: all who ask for a plan get the same one, found once; another setup is another plan, which knows what has changed since
// the one before; going back finds the first again.
func TestPlan(t *testing.T) {
	d, st, tune, _ := aDesk(t)
	var all sync.WaitGroup
	var got [6]*Planned
	for i := range got {
		all.Go(func() { got[i], _ = d.Plan(t.Context(), &tune, patience) })
	}
	all.Wait()
	for _, w := range got {
		if w == nil || w != got[0] || len(w.Plan.Moments) == 0 || len(w.Differing()) != 0 {
			t.Fatalf("several plans for one: %+v", got)
		}
	}
	capo := tune
	capo.Settings.Capo = 2
	second, err := d.Plan(t.Context(), &capo, patience)
	if err != nil || second == got[0] || len(second.Differing()) == 0 || second.Before() != WholeOf(got[0].Plan) {
		t.Errorf("with a capo: %v, %d moments differ, before %+v", err, len(second.Differing()), second.Before())
	}
	if again, err := d.Plan(t.Context(), &tune, 0); err != nil || again != got[0] || again.Before() != WholeOf(second.Plan) {
		t.Errorf("back again: %v", err)
	}
	if plans, moments := d.Cached(); plans != 2 || moments != 2*len(second.Plan.Moments) {
		t.Errorf("%d plans of %d moments are kept", plans, moments)
	}
	doc, err := d.Document(t.Context(), &tune, got[0])
	kept, err2 := st.Plan(t.Context(), tune.Owner, tune.ID, got[0].Basis)
	if err = errors.Join(err, err2); err != nil || string(doc) != string(kept) || !strings.Contains(string(doc), `"proof"`) {
		t.Errorf("the document: %v", err)
	}
	r, err := d.Reasons(t.Context(), tune.Owner, got[0], 1)
	if err != nil || len(r.Why) == 0 {
		t.Errorf("reasons: %+v %v", r, err)
	}
}

// TestStop: a caller without patience learns how far a long plan is; once stopped it stays so for everybody until it is asked for again, however
// little patience those have who look meanwhile.
func TestStop(t *testing.T) {
	d, _, _, tune := aDesk(t)
	busy := (*jobs.NotReady)(nil)
	if _, err := d.Plan(t.Context(), &tune, 0); !errors.As(err, &busy) {
		t.Fatalf("a plan of 3,000 notes at once: %v", err)
	}
	if percent, done := d.Progress(tune.ID); done || percent > 99 {
		t.Errorf("%d%% done, %v", percent, done)
	}
	d.Stop(tune.ID)
	for end := time.Now().Add(patience); ; time.Sleep(time.Millisecond) {
		_, err := d.Plan(t.Context(), &tune, 0)
		if errors.Is(err, jobs.ErrStopped) {
			break
		}
		if !errors.As(err, &busy) || time.Now().After(end) {
			t.Fatalf("after it was stopped: %v", err)
		}
	}
	for range 50 {
		if _, err := d.Plan(t.Context(), &tune, 0); !errors.Is(err, jobs.ErrStopped) {
			t.Fatalf("it does not stay stopped: %v", err)
		}
	}
	d.Again(tune.ID)
	if _, err := d.Plan(t.Context(), &tune, 0); !errors.As(err, &busy) {
		t.Errorf("asked for again: %v", err)
	}
	if _, done := d.Progress(tune.ID); done {
		t.Error("it is not worked out again")
	}
}

// TestSounds: what was put is found until what was heard later needs its place; what was heard last stays.
func TestSounds(t *testing.T) {
	var s Sounds
	key := func(n int) [32]byte { return [32]byte{byte(n), byte(n >> 8)} }
	const n = mostSounds/MostSound + 1
	for i := range n {
		s.Put(key(i), make([]byte, MostSound))
		s.Put(key(i), nil) // is kept already
		if s.Get(key(0)) == nil {
			t.Fatalf("the first is gone after %d", i)
		}
	}
	if s.Get(key(1)) != nil || len(s.Get(key(n-1))) != MostSound || s.Get(key(n)) != nil || s.bytes != mostSounds {
		t.Errorf("the second is %d, the last %d bytes of %d", len(s.Get(key(1))), len(s.Get(key(n-1))), s.bytes)
	}
}
