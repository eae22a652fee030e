package store_test

import (
	"bytes"
	"database/sql"
	"errors"
	"io"
	"math/rand/v2"
	"testing"
	"testing/iotest"
	"time"

	"stepping/store"
	"stepping/store/storetest"
)

// TestUploadParts: what comes in parts is read as one file, in any order and place; a part that is missing, short in the middle, or
// comes otherwise the second time is refused; it is settled once, and what nobody touches for a day goes.
func TestUploadParts(t *testing.T) {
	dsn, err := storetest.DSN()
	if err != nil {
		t.Fatal(err)
	}
	f := openFixture(t, dsn)
	whole := make([]byte, 2*store.UploadPart+12345)
	_, _ = rand.NewChaCha8([32]byte{25}).Read(whole) // never an error
	part := func(n int) []byte { return whole[n*store.UploadPart : min((n+1)*store.UploadPart, len(whole))] }
	up, err := f.BeginUpload(f.ctx, f.owner, "a token", &store.Upload{Kind: "draft", Name: "long.mid"})
	if err != nil {
		t.Fatal(err)
	}
	if again, err := f.BeginUpload(f.ctx, f.owner, "a token", &store.Upload{Kind: "draft", Name: "other"}); err != nil || again.ID != up.ID || again.Name != "long.mid" {
		t.Errorf("begun again: %+v %v", again, err)
	}
	for _, n := range []int{2, 0, 0, 1, 2} {
		if n == 1 {
			if err := f.GiveUpload(f.ctx, f.owner, up.ID, 3, nil); !errors.Is(err, store.ErrStale) {
				t.Errorf("given without a part: %v", err)
			}
		}
		if err := f.AddUploadPart(f.ctx, f.owner, up.ID, n, part(n)); err != nil {
			t.Fatal(n, err)
		}
	}
	if err := f.AddUploadPart(f.ctx, f.owner, up.ID, 1, part(0)); !errors.Is(err, store.ErrStale) {
		t.Errorf("another part in its place: %v", err)
	}
	for _, n := range []int{-1, 3072} {
		if err := f.AddUploadPart(f.ctx, f.owner, up.ID, n, []byte("x")); !errors.Is(err, store.ErrTooMany) {
			t.Errorf("part %d: %v", n, err)
		}
	}
	for _, parts := range []int{0, 2, 4} {
		if err := f.GiveUpload(f.ctx, f.owner, up.ID, parts, nil); !errors.Is(err, store.ErrStale) {
			t.Errorf("given as %d parts: %v", parts, err)
		}
	}
	for range 2 {
		if err := f.GiveUpload(f.ctx, f.owner, up.ID, 3, map[string]string{"tuning": "Open D"}); err != nil {
			t.Fatal(err)
		}
	}
	up, err = f.Upload(f.ctx, f.owner, up.ID)
	if err != nil || !up.Given || up.Done || up.Bytes != int64(len(whole)) || up.Fields["tuning"] != "Open D" {
		t.Fatalf("%+v %v", up, err)
	}
	if err := iotest.TestReader(io.NewSectionReader(f.OpenUpload(f.ctx, f.owner, up), 0, up.Bytes), whole); err != nil {
		t.Error(err)
	}
	if got, err := io.ReadAll(f.OpenUpload(f.ctx, f.owner, up)); err != nil || !bytes.Equal(got, whole) {
		t.Errorf("%d bytes %v", len(got), err)
	}
	if err := f.SettleUpload(f.ctx, f.owner, up.ID, "/drafts/x", "", nil); err != nil {
		t.Fatal(err)
	}
	if err := f.SettleUpload(f.ctx, f.owner, up.ID, "/drafts/y", "", nil); !errors.Is(err, store.ErrStale) {
		t.Errorf("settled twice: %v", err)
	}
	if err := f.DropUploadParts(f.ctx, f.owner, up.ID); err != nil {
		t.Fatal(err)
	}
	if up, err = f.Upload(f.ctx, f.owner, up.ID); err != nil || up.Bytes != 0 || up.Place != "/drafts/x" {
		t.Errorf("%+v %v", up, err)
	}
	short, err := f.BeginUpload(f.ctx, f.owner, "another", &store.Upload{Kind: "draft", Name: "short"})
	if err := errors.Join(err, f.AddUploadPart(f.ctx, f.owner, short.ID, 0, []byte("x")), f.AddUploadPart(f.ctx, f.owner, short.ID, 1, []byte("y"))); err != nil {
		t.Fatal(err)
	}
	if err := f.GiveUpload(f.ctx, f.owner, short.ID, 2, nil); !errors.Is(err, store.ErrStale) {
		t.Errorf("a part in the middle is short: %v", err)
	}
	for n := range 30 {
		if _, err = f.BeginUpload(f.ctx, f.owner, string(rune('A'+n)), &store.Upload{Kind: "draft"}); err != nil {
			break
		}
	}
	if !errors.Is(err, store.ErrTooMany) {
		t.Errorf("any number of uploads: %v", err)
	}
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec("UPDATE uploads SET touched_at = ?", time.Now().UTC().Add(-25*time.Hour)); err != nil {
		t.Fatal(err)
	}
	if err := f.Tidy(f.ctx); err != nil {
		t.Fatal(err)
	}
	if _, err := f.Upload(f.ctx, f.owner, up.ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("after a day: %v", err)
	}
}
