package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
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
	// How long requests under way may take at the end.
	shutdownTime = 10 * time.Second
)

// serveCommand runs the application; STEPPING_DSN names a database, without it the program
// starts its own under STEPPING_DATA (.data/db).
func serveCommand(ctx context.Context, args []string, out io.Writer) error {
	return serve(ctx, args, out, false)
}

// demoCommand is serveCommand with the demo tunes seeded on first use.
func demoCommand(ctx context.Context, args []string, out io.Writer) error {
	return serve(ctx, args, out, true)
}

func serve(ctx context.Context, args []string, out io.Writer, withTunes bool) error {
	if len(args) > 0 {
		return &inputError{"stepping serve takes no arguments; see stepping help"}
	}
	dsn := os.Getenv("STEPPING_DSN")
	if dsn == "" {
		db, err := startDatabase(ctx, out)
		if err != nil {
			return err
		}
		defer db.Stop()
		dsn = db.DSN
	}
	st, err := store.Open(ctx, dsn)
	if err != nil {
		return err
	}
	defer st.Close()
	owner, err := demo.Prepare(ctx, st, withTunes)
	if err != nil {
		return err
	}
	app, err := web.New(web.Config{Store: st, Owner: owner, Host: os.Getenv("STEPPING_HOST")})
	if err != nil {
		return err
	}
	defer app.Close()
	return listen(ctx, out, app.Handler())
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

func listen(ctx context.Context, out io.Writer, h http.Handler) error {
	l, err := net.Listen("tcp", env("STEPPING_ADDR", defaultAddr))
	if err != nil {
		return fmt.Errorf("%w: set STEPPING_ADDR to another address, like 127.0.0.1:0", err)
	}
	srv := &http.Server{Handler: h, ReadTimeout: web.ReadTimeout, WriteTimeout: web.WriteTimeout, IdleTimeout: web.IdleTimeout, MaxHeaderBytes: 64 << 10}
	fmt.Fprintf(out, "Stepping is ready: http://%s/\nStop it with Ctrl-C.\n", l.Addr())
	done := make(chan error, 1)
	go func() { done <- srv.Serve(l) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	end, cancel := context.WithTimeout(context.Background(), shutdownTime)
	defer cancel()
	if err := srv.Shutdown(end); err != nil && !errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	return nil
}
