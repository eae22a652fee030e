package main

import (
	"bytes"
	"context"
	"embed"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"time"

	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/thumb"
	"stepping/formats/abc"
	"stepping/localdb"
	"stepping/store"
	"stepping/web"
)

// Where the program serves and keeps its data unless the environment says otherwise.
const (
	defaultAddr = "127.0.0.1:8317"
	dataDir     = ".data/db"
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

func serve(ctx context.Context, args []string, out io.Writer, demo bool) error {
	if len(args) > 0 {
		return &inputError{"stepping serve takes no arguments; see stepping help"}
	}
	dsn := os.Getenv("STEPPING_DSN")
	if dsn == "" {
		db, err := localdb.Start(ctx, env("STEPPING_DATA", dataDir))
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
	owner, err := prepare(ctx, st, demo)
	if err != nil {
		return err
	}
	app, err := web.New(web.Config{Store: st, Owner: owner})
	if err != nil {
		return err
	}
	return listen(ctx, out, app.Handler())
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

//go:embed demo/*.abc
var demoTunes embed.FS

// demoSettings are the demo tunes in the order in which they are shown.
var demoSettings = []struct {
	file, tuning string
	thumb        thumb.Kind
}{
	{"lantern-on-the-weir.abc", "Open D", thumb.Alternating},
	{"tin-bucket-rag.abc", "Open G", thumb.Alternating},
	{"coal-smoke-morning.abc", "Open D minor", thumb.Steady},
}

// prepare finds the player of this installation, and on first use makes the player, a
// first profile, and for the demo its tunes.
func prepare(ctx context.Context, st *store.Store, demo bool) (store.ID, error) {
	owner, _, err := st.FirstPlayer(ctx, "Wren Tallow")
	if err != nil {
		return owner, err
	}
	profiles, err := st.Profiles(ctx, owner)
	if err != nil || len(profiles) > 0 {
		return owner, err
	}
	first := player.Default()
	first.Name = "Wren Tallow"
	id, err := st.AddProfile(ctx, owner, first)
	if err != nil || !demo {
		return owner, err
	}
	second := player.Default()
	second.Name, second.SlideFinger, second.Silence = "Wren, ring finger, picking hand only", 3, player.Heel
	if _, err := st.AddProfile(ctx, owner, second); err != nil {
		return owner, err
	}
	for _, d := range demoSettings {
		if err := seed(ctx, st, owner, id, d.file, store.Settings{Tuning: d.tuning, Thumb: d.thumb, Pins: []plan.Pin{}}); err != nil {
			return owner, err
		}
	}
	return owner, nil
}

func seed(ctx context.Context, st *store.Store, owner, profile store.ID, file string, settings store.Settings) error {
	text, err := demoTunes.ReadFile("demo/" + file)
	if err != nil {
		return err
	}
	tu, _, err := abc.Read(bytes.NewReader(text))
	if err != nil {
		return fmt.Errorf("demo tune %s: %w", file, err)
	}
	_, err = st.AddTune(ctx, owner, tu.Title, string(text), profile, settings)
	return err
}
