package store_test

import (
	"errors"
	"reflect"
	"testing"

	"github.com/google/uuid"

	"stepping/core/pattern"
	"stepping/core/player"
	"stepping/store"
)

// What is kept on a shelf comes back as it was, to its owner alone; a change made on an older version
// is refused and loses nothing; what is deleted is gone.
func TestShelves(t *testing.T) {
	f := newFixture(t)
	ctx, st, owner := f.ctx, f.Store, f.owner
	stranger := uuid.Must(uuid.NewV7())
	shelf := st.Patterns()
	for i := range pattern.Library {
		if _, err := shelf.Add(ctx, owner, &pattern.Library[i]); err != nil {
			t.Fatal(err)
		}
	}
	all, err := shelf.All(ctx, owner)
	if err != nil || len(all) != len(pattern.Library) {
		t.Fatal(err, len(all))
	}
	for i := range all {
		if !reflect.DeepEqual(all[i].Doc, pattern.Library[i]) {
			t.Errorf("kept %+v, came back %+v", pattern.Library[i], all[i].Doc)
		}
	}
	first := all[0]
	if _, err := shelf.Get(ctx, stranger, first.ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a stranger reads it: %v", err)
	}
	if err := shelf.Delete(ctx, stranger, first.ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a stranger deletes it: %v", err)
	}
	changed := first.Doc
	changed.Name = "Other"
	if err := shelf.Save(ctx, owner, first.ID, first.Version, &changed); err != nil {
		t.Fatal(err)
	}
	if err := shelf.Save(ctx, owner, first.ID, first.Version, &first.Doc); !errors.Is(err, store.ErrStale) {
		t.Errorf("an old version is saved: %v", err)
	}
	if got, err := shelf.Get(ctx, owner, first.ID); err != nil || got.Doc.Name != "Other" || got.Version != first.Version+1 {
		t.Errorf("%v %+v", err, got)
	}
	if err := shelf.Delete(ctx, owner, first.ID); err != nil {
		t.Fatal(err)
	}
	if err := shelf.Save(ctx, owner, first.ID, first.Version+1, &changed); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("what is deleted is saved: %v", err)
	}
	slide := store.Slide{Name: "Bottle", Slide: player.Slide{LengthMM: 62.5, BoreMM: 20, WallMM: 3, Material: "glass"}}
	id, err := st.Slides().Add(ctx, owner, &slide)
	if err != nil {
		t.Fatal(err)
	}
	if k, err := st.Slides().Get(ctx, owner, id); err != nil || k.Doc != slide {
		t.Errorf("kept %+v, came back %+v (%v)", slide, k.Doc, err)
	}
	guitars := st.Guitars()
	g := store.Guitar{Tuning: "Open D"}
	g.Name, g.Set = "Plank", "medium"
	var last error
	for range 25 {
		if _, last = guitars.Add(ctx, owner, &g); last != nil {
			break
		}
	}
	if !errors.Is(last, store.ErrTooMany) {
		t.Errorf("guitars without end: %v", last)
	}
	if kept, err := guitars.All(ctx, owner); err != nil || !reflect.DeepEqual(kept[3].Doc, g) {
		t.Errorf("%v %+v", err, kept)
	}
}
