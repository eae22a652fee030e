package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"strings"
	"sync"
	"time"

	"stepping/account"
	"stepping/demo"
	"stepping/localdb"
	"stepping/store"
	"stepping/web"
)

// Where the program serves and keeps its data unless the environment says otherwise.
const (
	defaultAddr = "127.0.0.1:8317"
	dataDir     = ".data/db"
	rootDataDir = "/var/lib/stepping/db" // for root, where the server's own user cannot enter dataDir
	// Above it garbage is collected more often; what plans and rankings need next to is some tens of MiB each.
	memoryLimit = 700 << 20
	threads     = 4 // for each core
	// The demo with accounts has a database of its own: accounts made in another could not be taken away again.
	accountsSuffix = "-accounts"
	// How long requests under way may take at the end.
	shutdownTime = 10 * time.Second
)

// serveCommand runs the application; STEPPING_DSN names a database, without it the program
// starts its own under STEPPING_DATA (.data/db).
func serveCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	return serve(ctx, args, out, errOut, serving{})
}

// demoCommand is serveCommand with the demo tunes seeded on first use; with --accounts it has a database of its own, with a teacher and two pupils.
func demoCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	what := serving{tunes: true}
	if len(args) == 1 && args[0] == "--accounts" {
		what.accounts, args = true, nil
	}
	return serve(ctx, args, out, errOut, what)
}

// serving is what a server begins with.
type serving struct{ tunes, accounts bool }

func serve(ctx context.Context, args []string, out, errOut io.Writer, what serving) error {
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(memoryLimit)
	}
	// While every core works out plans, a request that is woken again after each answer of the database would wait each time for Go to
	// take one of these off a thread. With more threads than cores the system shares them out, and who has waited comes first.
	runtime.GOMAXPROCS(threads * runtime.GOMAXPROCS(0))
	lan := len(args) == 1 && args[0] == "--lan"
	if len(args) > 0 && !lan {
		return &inputError{"stepping serve takes no arguments but --lan, and stepping demo none but --lan or --accounts; see stepping help"}
	}
	start := startIn(dataDir, rootDataDir)
	if what.accounts {
		start = startIn(dataDir+accountsSuffix, rootDataDir+accountsSuffix)
	}
	dsn, dir, stop, err := database(ctx, out, start)
	if err != nil {
		return err
	}
	defer stop()
	door, err := newEntrance(lan, dir)
	if err != nil {
		return err
	}
	door.access.SignIn = door.access.SignIn || what.accounts
	st, owner, err := prepared(ctx, errOut, dsn, what.tunes)
	if err != nil {
		return err
	}
	defer st.Close()
	if what.accounts {
		if err := classroom(ctx, out, st, owner, dir); err != nil {
			return err
		}
	}
	app, err := web.New(web.Config{Store: st, Owner: owner, AtHome: st.AtHome, Access: door.access, Host: os.Getenv("STEPPING_HOST"), Demo: demo.One})
	if err != nil {
		return err
	}
	defer app.Close()
	copies, err := store.OpenPatient(ctx, dsn)
	if err != nil {
		return err
	}
	defer copies.Close()
	var night sync.WaitGroup
	quit, end := context.WithCancel(ctx)
	night.Go(func() { nightly(quit, copies, filepath.Join(dir, "backups")) })
	defer night.Wait()
	defer end()
	return door.listen(ctx, out, app.Handler(), func(address string) error { return greet(ctx, out, st, owner, door, address) })
}

// startPatience is how long a start waits for a database that does not answer, as while it is started again.
const startPatience = time.Minute

// prepared opens the database and puts in what everybody begins with. A database that dies meanwhile is waited for: each step may be
// made again.
func prepared(ctx context.Context, errOut io.Writer, dsn string, withTunes bool) (st *store.Store, owner store.ID, err error) {
	for began, told := time.Now(), false; ; {
		if st, owner, err = prepare(ctx, dsn, withTunes); err == nil || !store.Away(err) || ctx.Err() != nil || time.Since(began) > startPatience {
			return st, owner, err
		}
		if !told {
			fmt.Fprintln(errOut, "The database is not responding yet: waiting for up to a minute.")
			told = true
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Second / 2):
		}
	}
}

func prepare(ctx context.Context, dsn string, withTunes bool) (*store.Store, store.ID, error) {
	st, err := store.Open(ctx, dsn)
	if err != nil {
		return nil, store.ID{}, err
	}
	owner, err := demo.Prepare(ctx, st, withTunes)
	if err == nil && withTunes {
		err = demo.Month(ctx, st, owner, time.Now())
	}
	if err != nil {
		return nil, owner, errors.Join(err, st.Close())
	}
	return st, owner, nil
}

// classroom makes the demo's accounts at the first start, and prints how to sign in: the password is made there and kept in a file next to the data.
func classroom(ctx context.Context, out io.Writer, st *store.Store, owner store.ID, dir string) error {
	file := filepath.Join(dir, "demo-password")
	password, err := os.ReadFile(file)
	if errors.Is(err, os.ErrNotExist) {
		password = []byte(strings.ToLower(account.Secret()[:16]))
		if err = os.MkdirAll(dir, 0o755); err == nil {
			err = os.WriteFile(file, password, 0o600)
		}
	}
	if err != nil {
		return err
	}
	if _, err := demo.Classroom(ctx, st, owner, string(password)); err != nil {
		return err
	}
	if err := demo.Lessons(ctx, st, time.Now()); err != nil && !errors.Is(err, store.ErrNotFound) {
		return err // a pupil whose account was closed needs none
	}
	fmt.Fprintf(out, "Sign in with the password %s as\n", password)
	for _, a := range demo.Accounts {
		fmt.Fprintf(out, "  %s (%s)\n", a.Name, a.Role)
	}
	return nil
}

// database finds the database: the one that STEPPING_DSN names, or our own by start, whose directory dir is.
// stop ends what was started.
func database(ctx context.Context, out io.Writer,
	start func(context.Context, io.Writer) (*localdb.Server, error)) (dsn, dir string, stop func(), err error) {
	if dsn := os.Getenv("STEPPING_DSN"); dsn != "" {
		return dsn, env("STEPPING_DATA", dataDir), func() {}, nil
	}
	db, err := start(ctx, out)
	if err != nil {
		return "", "", nil, err
	}
	return db.DSN, db.Dir(), db.Stop, nil
}

// joinDatabase starts the private server, or joins one that a running Stepping has.
func joinDatabase(ctx context.Context, _ io.Writer) (*localdb.Server, error) {
	dir := env("STEPPING_DATA", dataDir)
	if _, err := os.Stat(filepath.Join(dir, "data")); err != nil {
		if _, root := os.Stat(filepath.Join(rootDataDir, "data")); root == nil {
			dir = rootDataDir
		}
	}
	return localdb.Join(ctx, dir)
}

// startIn starts the private server on STEPPING_DATA. Without that it is in usual; root's data goes where the server's
// unprivileged user can enter, unless there is some in the usual place already.
func startIn(usual, ofRoot string) func(ctx context.Context, out io.Writer) (*localdb.Server, error) {
	return func(ctx context.Context, out io.Writer) (*localdb.Server, error) {
		dir := env("STEPPING_DATA", usual)
		db, err := localdb.Start(ctx, dir)
		var closed *localdb.UnreachableError
		if !errors.As(err, &closed) || dir != usual {
			return db, err
		}
		if _, old := os.Stat(filepath.Join(usual, "data")); old == nil {
			return nil, err
		}
		fmt.Fprintf(out, "The data is kept in %s.\n", ofRoot)
		return localdb.Start(ctx, ofRoot)
	}
}

func env(name, fallback string) string {
	if v := os.Getenv(name); v != "" {
		return v
	}
	return fallback
}
