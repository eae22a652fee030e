package store_test

import (
	"bytes"
	"database/sql"
	"errors"
	"io"
	"net"
	"path/filepath"
	"sync/atomic"
	"testing"

	"github.com/go-sql-driver/mysql"

	"stepping/store"
	"stepping/store/storetest"
)

// cutter stands between the store and its database and cuts the connection at a commit: before it gets there,
// or before its answer.
type cutter struct {
	to            string
	before, after atomic.Int64 // how many commits to cut off so
}

func (c *cutter) serve(t *testing.T) (address string) {
	t.Helper()
	address = filepath.Join(t.TempDir(), "cut.sock")
	l, err := net.Listen("unix", address)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			in, err := l.Accept()
			if err != nil {
				return
			}
			go c.pass(in)
		}
	}()
	return address
}

func (c *cutter) pass(in net.Conn) {
	defer in.Close()
	out, err := net.Dial("unix", c.to)
	if err != nil {
		return
	}
	defer out.Close()
	var mute atomic.Bool // answers are kept back
	go func() {
		buf := make([]byte, 64<<10)
		for {
			n, err := out.Read(buf)
			if err != nil || mute.Load() {
				in.Close()
				return
			}
			if _, err := in.Write(buf[:n]); err != nil {
				return
			}
		}
	}()
	buf := make([]byte, 64<<10)
	for {
		n, err := in.Read(buf)
		if err != nil {
			return
		}
		if bytes.Contains(buf[:n], []byte("COMMIT")) {
			if c.before.Add(-1) >= 0 {
				return
			}
			if c.after.Add(-1) >= 0 {
				mute.Store(true)
			}
		}
		if _, err := out.Write(buf[:n]); err != nil || mute.Load() && errors.Is(err, io.EOF) {
			return
		}
	}
}

// TestLostCommit: a change whose commit does not arrive is made again, one whose answer is lost is found; neither is made twice.
func TestLostCommit(t *testing.T) {
	dsn, err := storetest.DSN()
	if err != nil {
		t.Fatal(err)
	}
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		t.Fatal(err)
	}
	cut := &cutter{to: cfg.Addr}
	cfg.Addr = cut.serve(t)
	f := openFixture(t, cfg.FormatDSN())
	for name, counter := range map[string]*atomic.Int64{"not arrived": &cut.before, "not answered": &cut.after} {
		before := len(f.list(t))
		counter.Store(1)
		id, err := f.AddTune(f.ctx, f.owner, name, "K:D\nD|", f.profile, settings(0))
		if left := counter.Load(); err != nil || left > 0 {
			t.Fatalf("%s: %v, %d commits left to cut", name, err, left)
		}
		counter.Store(0)
		if got := len(f.list(t)); got != before+1 || f.tune(t, id).Title != name {
			t.Errorf("%s: %d tunes after %d", name, got, before)
		}
	}
}

// TestUnreadable: a row that cannot be read hides itself and not the list.
func TestUnreadable(t *testing.T) {
	dsn, err := storetest.DSN()
	if err != nil {
		t.Fatal(err)
	}
	f := openFixture(t, dsn)
	bad, err := f.AddTune(f.ctx, f.owner, "Bad", "K:D\nD|", f.profile, settings(0))
	if err == nil {
		_, err = f.AddTune(f.ctx, f.owner, "Good", "K:D\nD|", f.profile, settings(0))
	}
	if err != nil {
		t.Fatal(err)
	}
	ids := shelved(t, &f)
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for _, q := range []string{`UPDATE edits SET settings = '{"capo": "none"}' WHERE tune_id = '` + bad.String() + `'`,
		`UPDATE guitars SET doc = '[1]' WHERE id = '` + ids[1].String() + `'`} {
		if _, err := db.Exec(q); err != nil {
			t.Fatal(err)
		}
	}
	tunes, err := f.Tunes(f.ctx, f.owner)
	if err != nil || len(tunes) != 1 || tunes[0].Title != "Good" {
		t.Errorf("%v %v", tunes, err)
	}
	if guitars, err := f.Guitars().All(f.ctx, f.owner); err != nil || len(guitars) != 0 {
		t.Error(guitars, err)
	}
	if list := f.list(t); len(list) != 2 {
		t.Errorf("%v", list)
	}
	if _, err := f.Tune(f.ctx, f.owner, bad); !errors.Is(err, store.ErrUnreadable) {
		t.Error(err)
	}
}
