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
	"sync"
	"time"

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
	// Above it garbage is collected more often; what plans and rankings need beside is some tens of MiB each.
	memoryLimit = 700 << 20
	threads     = 4 // for each core
	// How long requests under way may take at the end.
	shutdownTime = 10 * time.Second
)

// serveCommand runs the application; STEPPING_DSN names a database, without it the program
// starts its own under STEPPING_DATA (.data/db).
func serveCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	return serve(ctx, args, out, errOut, false)
}

// demoCommand is serveCommand with the demo tunes seeded on first use.
func demoCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	return serve(ctx, args, out, errOut, true)
}

func serve(ctx context.Context, args []string, out, errOut io.Writer, withTunes bool) error {
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(memoryLimit)
	}
	// While every core works out plans, a request that is woken again after each answer of the database would wait each time for Go to
	// take one of these off a thread. With more threads than cores the system shares them out, and who has waited comes first.
	runtime.GOMAXPROCS(threads * runtime.GOMAXPROCS(0))
	lan := len(args) == 1 && args[0] == "--lan"
	if len(args) > 0 && !lan {
		return &inputError{"stepping serve takes no arguments but --lan; see stepping help"}
	}
	dsn, dir, stop, err := database(ctx, out, startDatabase)
	if err != nil {
		return err
	}
	defer stop()
	door, err := newEntrance(lan, dir)
	if err != nil {
		return err
	}
	st, owner, err := prepared(ctx, errOut, dsn, withTunes)
	if err != nil {
		return err
	}
	defer st.Close()
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
			fmt.Fprintln(errOut, "The database does not answer yet: waiting up to a minute for it.")
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

// joinDatabase is startDatabase, or joins one that a running Stepping has.
func joinDatabase(ctx context.Context, _ io.Writer) (*localdb.Server, error) {
	dir := env("STEPPING_DATA", dataDir)
	if _, err := os.Stat(filepath.Join(dir, "data")); err != nil {
		if _, root := os.Stat(filepath.Join(rootDataDir, "data")); root == nil {
			dir = rootDataDir
		}
	}
	return localdb.Join(ctx, dir)
}

// startDatabase starts the private server on STEPPING_DATA. Without that, root's data goes where the server's
// unprivileged user can enter, unless there is some in the usual place already.
func startDatabase(ctx context.Context, out io.Writer) (*localdb.Server, error) {
	dir := env("STEPPING_DATA", dataDir)
	db, err := localdb.Start(ctx, dir)
	var closed *localdb.UnreachableError
	if !errors.As(err, &closed) || dir != dataDir {
		return db, err
	}
	if _, old := os.Stat(filepath.Join(dataDir, "data")); old == nil {
		return nil, err
	}
	fmt.Fprintf(out, "The data is kept in %s.\n", rootDataDir)
	return localdb.Start(ctx, rootDataDir)
}

func env(name, fallback string) string {
	if v := os.Getenv(name); v != "" {
		return v
	}
	return fallback
}
