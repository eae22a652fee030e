package web_test

import (
	"log/slog"
	"net/http/httptest"
	"os"
	"sync"
	"testing"
	"time"

	"stepping/demo"
	"stepping/store"
	"stepping/store/storetest"
	"stepping/web"
	"stepping/web/door"
)

func TestMain(m *testing.M) {
	os.Exit(storetest.Main(func() int {
		defer os.Remove(fakeMicrophone)
		dir, err := os.MkdirTemp("", "web-test-")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(dir)
		os.Setenv("TMPDIR", dir) // leftovers looks there
		return m.Run()
	}))
}

// site is a running server with the demo tunes.
type site struct {
	*httptest.Server
	app   *web.Server
	store *store.Store
	owner store.ID
}

// common is the one database that tests share, each as an owner of its own.
var common = sync.OnceValues(func() (string, error) { return storetest.DSN() })

func commonStore(t *testing.T) (st *store.Store, dsn string) {
	t.Helper()
	dsn, err := common()
	if err == nil {
		st, err = store.Open(t.Context(), dsn)
	}
	if err != nil {
		t.Fatal(err)
	}
	return st, dsn
}

// patientOnly skips what says little for its time while changes are tried one by one, see scripts/mutate.
func patientOnly(t *testing.T) {
	t.Helper()
	if os.Getenv("STEPPING_NO_BROWSER") != "" {
		t.Skip("takes long")
	}
}

// newSite serves the demo tunes of an owner whom no other test knows.
func newSite(t *testing.T) *site {
	t.Helper()
	st, dsn := commonStore(t)
	owner, err := storetest.Player(t.Context(), dsn)
	if err == nil {
		err = demo.Fill(t.Context(), st, owner, true)
	}
	if err != nil {
		t.Fatal(err)
	}
	return serve(t, st, owner, web.Config{})
}

// again serves the same owner's things by another copy of the program, as after a restart.
func (s *site) again(t *testing.T) *site {
	t.Helper()
	st, _ := commonStore(t)
	return serve(t, st, s.owner, web.Config{})
}

// impatient serves the same by a copy that waits for no plan.
func (s *site) impatient(t *testing.T) *site {
	return serve(t, s.store, s.owner, web.Config{Patience: time.Nanosecond})
}

// openDoor serves the database at dsn, of this test alone; a second call is a restart.
func openDoor(t *testing.T, dsn string, access door.Access) *site {
	t.Helper()
	st, err := store.Open(t.Context(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	owner, err := demo.Prepare(t.Context(), st, true)
	if err != nil {
		t.Fatal(err)
	}
	return serve(t, st, owner, web.Config{Access: access})
}

func serve(t *testing.T, st *store.Store, owner store.ID, cfg web.Config) *site {
	t.Helper()
	cfg.Store, cfg.Owner, cfg.Demo, cfg.Log = st, owner, demo.One, slog.New(slog.NewTextHandler(t.Output(), &slog.HandlerOptions{Level: slog.LevelWarn}))
	app, err := web.New(cfg)
	if err != nil {
		t.Fatal(err)
	}
	s := &site{httptest.NewServer(app.Handler()), app, st, owner}
	t.Cleanup(func() { s.Close(); app.Close(); st.Close() })
	return s
}

// tunePath returns the path of the nth demo tune.
func (s *site) tunePath(t *testing.T, n int) string {
	t.Helper()
	tunes, err := s.store.Tunes(t.Context(), s.owner)
	if err != nil || len(tunes) <= n {
		t.Fatal(err, len(tunes))
	}
	return "/tunes/" + tunes[n].ID.String()
}
