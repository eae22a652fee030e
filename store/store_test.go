package store_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"reflect"
	"strings"
	"sync"
	"testing"
	"testing/fstest"

	"github.com/pressly/goose/v3"

	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/setup"
	"stepping/core/tune"
	"stepping/store"
	"stepping/store/storetest"
)

func TestMain(m *testing.M) { os.Exit(storetest.Main(m.Run)) }

type fixture struct {
	*store.Store
	owner, profile store.ID
	ctx            context.Context
}

func newFixture(t *testing.T) fixture {
	t.Helper()
	dsn, err := storetest.DSN()
	if err != nil {
		t.Fatal(err)
	}
	return openFixture(t, dsn)
}

func openFixture(t *testing.T, dsn string) fixture {
	t.Helper()
	f := fixture{ctx: t.Context()}
	var err error
	if f.Store, err = store.Open(f.ctx, dsn); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { f.Close() })
	if f.owner, _, err = f.FirstPlayer(f.ctx, "Ash Fernlow"); err != nil {
		t.Fatal(err)
	}
	if f.profile, err = f.AddProfile(f.ctx, f.owner, player.Default()); err != nil {
		t.Fatal(err)
	}
	return f
}

func settings(capo int) setup.Settings {
	return setup.Settings{Tuning: "Open D", Capo: capo, Tempo: 92.5, Thumb: pattern.Steady,
		Pins: []play.Pin{{At: 5 * tune.Quarter / 2, Part: play.Melody, String: 2, Fret: 8.5, How: play.Slide, Finger: 0}}}
}

func (f *fixture) tune(t *testing.T, id store.ID) store.Tune {
	t.Helper()
	tu, err := f.Tune(f.ctx, f.owner, id)
	if err != nil {
		t.Fatal(err)
	}
	return tu
}

// TestEdits walks a tune through changes, undo and redo; everything is read back as written.
func TestEdits(t *testing.T) {
	f := newFixture(t)
	source := "T:Ünïcode 🎸 'quotes\"; DROP TABLE tunes; --\nK:D\nD|"
	id, err := f.AddTune(f.ctx, f.owner, "Ünïcode 🎸", source, f.profile, settings(0))
	if err != nil {
		t.Fatal(err)
	}
	tu := f.tune(t, id)
	if tu.Source != source || tu.Title != "Ünïcode 🎸" || !reflect.DeepEqual(tu.Settings, settings(0)) || tu.CanUndo || tu.CanRedo {
		t.Fatalf("%+v", tu)
	}
	for capo := 1; capo <= 3; capo++ {
		if err := f.SaveSettings(f.ctx, f.owner, id, capo, f.profile, settings(capo)); err != nil {
			t.Fatal(err)
		}
	}
	step := func(by, want int, undo, redo bool) {
		t.Helper()
		now := f.tune(t, id)
		if err := f.Step(f.ctx, f.owner, id, now.Version, by); err != nil {
			t.Fatal(err)
		}
		if now = f.tune(t, id); now.Settings.Capo != want || now.CanUndo != undo || now.CanRedo != redo {
			t.Fatalf("capo %d, undo %v, redo %v", now.Settings.Capo, now.CanUndo, now.CanRedo)
		}
	}
	step(-1, 2, true, true)
	step(-1, 1, true, true)
	step(-1, 0, false, true)
	if err := f.Step(f.ctx, f.owner, id, f.tune(t, id).Version, -1); !errors.Is(err, store.ErrNoEdit) {
		t.Error(err)
	}
	step(+1, 1, true, true)
	// A change after an undo forgets what was undone.
	if err := f.SaveSettings(f.ctx, f.owner, id, f.tune(t, id).Version, f.profile, settings(7)); err != nil {
		t.Fatal(err)
	}
	if now := f.tune(t, id); now.CanRedo || now.Settings.Capo != 7 {
		t.Errorf("%+v", now)
	}
	step(-1, 1, true, true)
	// Old steps are dropped in the end; the newest 200 can be undone.
	for i := range 210 {
		if err := f.SaveSettings(f.ctx, f.owner, id, f.tune(t, id).Version, f.profile, settings(i%9)); err != nil {
			t.Fatal(err)
		}
	}
	undone := 0
	for f.tune(t, id).CanUndo {
		if err := f.Step(f.ctx, f.owner, id, f.tune(t, id).Version, -1); err != nil {
			t.Fatal(err)
		}
		undone++
	}
	if undone != 200 {
		t.Errorf("%d steps could be undone", undone)
	}
}

// TestStale: of many savers who all read the same version exactly one wins, each round.
func TestStale(t *testing.T) {
	f := newFixture(t)
	id, err := f.AddTune(f.ctx, f.owner, "Two at once", "K:D\nD|", f.profile, settings(0))
	if err != nil {
		t.Fatal(err)
	}
	for round := 1; round <= 10; round++ {
		results := make([]error, 8)
		var wg sync.WaitGroup
		for i := range results {
			wg.Go(func() { results[i] = f.SaveSettings(f.ctx, f.owner, id, round, f.profile, settings(i)) })
		}
		wg.Wait()
		won := 0
		for i, err := range results {
			if err == nil {
				won++
				if got := f.tune(t, id).Settings.Capo; got != i {
					t.Errorf("round %d: saver %d won, capo is %d", round, i, got)
				}
			} else if !errors.Is(err, store.ErrStale) {
				t.Errorf("round %d: %v", round, err)
			}
		}
		if won != 1 {
			t.Fatalf("round %d: %d savers won", round, won)
		}
	}
	if err := f.SaveProfile(f.ctx, f.owner, f.profile, 9, player.Default()); !errors.Is(err, store.ErrStale) {
		t.Error(err)
	}
}

// TestTexts: a tune's text and plan are kept as given, and go with it. See TestWalls for owners.
func TestTexts(t *testing.T) {
	f := newFixture(t)
	id, err := f.AddTune(f.ctx, f.owner, "Mine", "K:D\nD|", f.profile, settings(0))
	if err != nil {
		t.Fatal(err)
	}
	if err := f.SavePlan(f.ctx, f.owner, id, strings.Repeat("a", 64), []byte(`{"version":1}`)); err != nil {
		t.Fatal(err)
	}
	if err := f.SaveSource(f.ctx, f.owner, id, 5, "x", "y"); !errors.Is(err, store.ErrStale) {
		t.Error(err)
	}
	if err := f.SaveSource(f.ctx, f.owner, id, 1, strings.Repeat("ß", 300), "K:D\nE|"); err != nil {
		t.Error(err)
	}
	if tu := f.tune(t, id); tu.Source != "K:D\nE|" || tu.Version != 2 || tu.Title != strings.Repeat("ß", 200) || tu.Settings.Capo != 0 {
		t.Errorf("%+v", tu)
	}
	if err := f.DeleteProfile(f.ctx, f.owner, f.profile); !errors.Is(err, store.ErrInUse) {
		t.Error(err)
	}
	if doc, err := f.Plan(f.ctx, f.owner, id, strings.Repeat("a", 64)); err != nil || string(doc) != `{"version":1}` {
		t.Errorf("%s %v", doc, err)
	}
	if _, err := f.Plan(f.ctx, f.owner, id, strings.Repeat("b", 64)); !errors.Is(err, store.ErrNotFound) {
		t.Error("a plan of other settings was returned")
	}
	before, err := f.Tune(f.ctx, f.owner, id)
	if err != nil {
		t.Fatal(err)
	}
	for range 2 { // deleted, brought back as it was, and deleted again
		if err := f.DeleteTune(f.ctx, f.owner, id); err != nil {
			t.Fatal(err)
		}
		_, err1 := f.Tune(f.ctx, f.owner, id)
		err2 := f.SaveSource(f.ctx, f.owner, id, before.Version, "x", "K:D\nD|")
		if all, err := f.Tunes(f.ctx, f.owner); err != nil || len(all) != 0 || !errors.Is(err1, store.ErrNotFound) ||
			!errors.Is(err2, store.ErrNotFound) {
			t.Errorf("a deleted tune: %v, %v, %v, %v", all, err, err1, err2)
		}
		gone, err := f.GoneTunes(f.ctx, f.owner)
		if err := errors.Join(err, f.BringBackTune(f.ctx, f.owner, id)); err != nil || len(gone) != 1 || gone[0].ID != id ||
			gone[0].Title != before.Title {
			t.Fatal(gone, err)
		}
		if after, err := f.Tune(f.ctx, f.owner, id); err != nil || !reflect.DeepEqual(before, after) {
			t.Errorf("brought back as %+v, %v", after, err)
		}
		if err := f.BringBackTune(f.ctx, f.owner, id); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("brought back twice: %v", err)
		}
	}
	if err := f.DeleteTune(f.ctx, f.owner, id); err != nil {
		t.Fatal(err)
	}
	if err := f.DeleteProfile(f.ctx, f.owner, f.profile); err != nil {
		t.Error("after its tune is gone the profile cannot be deleted:", err)
	}
}

// TestMigrations brings a database of every earlier version up to date, with the program
// then working on it.
func TestMigrations(t *testing.T) {
	files, err := fs.Glob(store.Migrations(), "*.sql")
	if err != nil || len(files) < 5 {
		t.Fatal(files, err)
	}
	for n := range files {
		if testing.Short() && n%5 != 0 {
			continue
		}
		t.Run(fmt.Sprintf("from %d", n), func(t *testing.T) {
			dsn, err := storetest.DSN()
			if err != nil {
				t.Fatal(err)
			}
			upTo(t, dsn, files[:n])
			f := openFixture(t, dsn)
			if _, err := f.AddTune(f.ctx, f.owner, "After", "K:D\nD|", f.profile, settings(1)); err != nil {
				t.Error(err)
			}
		})
	}
}

// upTo applies just the given migrations.
func upTo(t *testing.T, dsn string, files []string) {
	t.Helper()
	if len(files) == 0 {
		return
	}
	some := fstest.MapFS{}
	for _, file := range files {
		data, err := fs.ReadFile(store.Migrations(), file)
		if err != nil {
			t.Fatal(err)
		}
		some[file] = &fstest.MapFile{Data: data}
	}
	db, err := sql.Open("mysql", dsn+"?parseTime=true")
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	p, err := goose.NewProvider(goose.DialectMySQL, db, some)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.Up(t.Context()); err != nil {
		t.Fatal(err)
	}
}
