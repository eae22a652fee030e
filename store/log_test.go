package store_test

import (
	"errors"
	"reflect"
	"testing"

	"stepping/core/practice"
	"stepping/store"
)

// TestLog: passes come back as they were, oldest first and by tune; the last can be taken back; they go with their tune.
func TestLog(t *testing.T) {
	f := newFixture(t)
	var tunes [2]store.ID
	for i := range tunes {
		var err error
		if tunes[i], err = f.AddTune(f.ctx, f.owner, "Mine", "K:D\nD|", f.profile, settings(0)); err != nil {
			t.Fatal(err)
		}
	}
	later := aPass
	later.At, later.Move, later.Verdict = aPass.At.AddDate(0, 0, 1), nil, practice.Clean
	if err := errors.Join(f.AddPasses(f.ctx, f.owner, tunes[0], later), f.AddPasses(f.ctx, f.owner, tunes[0], aPass),
		f.AddPasses(f.ctx, f.owner, tunes[1], aPass)); err != nil {
		t.Fatal(err)
	}
	is := func(want ...practice.Pass) {
		t.Helper()
		if got, err := f.PassesOver(f.ctx, f.owner, tunes[0]); err != nil || !reflect.DeepEqual(got, want) {
			t.Errorf("%+v, not %+v: %v", got, want, err)
		}
	}
	is(aPass, later)
	if all, err := f.Passes(f.ctx, f.owner); err != nil || len(all) != 2 || len(all[0].Passes)+len(all[1].Passes) != 3 {
		t.Errorf("%+v %v", all, err)
	}
	if err := f.TakeBackPass(f.ctx, f.owner, tunes[0]); err != nil {
		t.Error(err)
	}
	is(aPass)
	if err := f.DeleteTune(f.ctx, f.owner, tunes[0]); err != nil {
		t.Error(err)
	}
	is([]practice.Pass(nil)...)
	if err := f.TakeBackPass(f.ctx, f.owner, tunes[0]); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("nothing is taken back: %v", err)
	}
}
