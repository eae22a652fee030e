package store_test

import (
	"errors"
	"testing"

	"stepping/core/pattern"
	"stepping/core/player"
	"stepping/core/setup"
	"stepping/store"
)

// another makes an account next to the owner's and returns its player.
func (f *fixture) another(t *testing.T, name string) store.ID {
	t.Helper()
	secret, err := f.AddLink(f.ctx, store.InviteLink, f.owner)
	if err != nil {
		t.Fatal(err)
	}
	id, err := f.AddAccount(f.ctx, secret, name, "hash")
	if err != nil {
		t.Fatal(err)
	}
	return id
}

// TestLoans walks what is lent as its lender, its borrower and a stranger: links work once and for others, a borrowed tune is read and
// not changed, as the pupil's sheet says; practice on it belongs to the borrower, and stays when the loan ends; the log is seen exactly while the
// pupil shows it.
func TestLoans(t *testing.T) {
	f := newFixture(t)
	secret, err := f.AddLink(f.ctx, store.FirstLink, f.owner)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := f.AddAccount(f.ctx, secret, "Ash Fernlow", "hash"); err != nil {
		t.Fatal(err)
	}
	borrower, stranger := f.another(t, "Wren Tallow"), f.another(t, "Rook Tansy")
	st := settings(0)
	st.Thumb = pattern.Alternating
	tune, err := f.AddTune(f.ctx, f.owner, "Gate Hinge", "K:D\nD|", f.profile, st)
	if err != nil {
		t.Fatal(err)
	}
	wren := player.Default()
	wren.Name, wren.Thumb, wren.Level = "Wren", "steady", setup.Proposed[1]
	pupil, err := f.AddProfile(f.ctx, f.owner, wren)
	if err != nil {
		t.Fatal(err)
	}
	take := func(who store.ID, tune, profile store.ID, copies bool) (store.ID, string, error) {
		t.Helper()
		secret, err := f.AddLoan(f.ctx, f.owner, tune, profile, copies)
		if err != nil {
			t.Fatal(err)
		}
		_, id, err := f.TakeLoan(f.ctx, who, secret)
		return id, secret, err
	}

	// A link is for somebody else, and for one.
	if _, _, err := take(f.owner, tune, store.ID{}, false); !errors.Is(err, store.ErrOwnLoan) {
		t.Errorf("lent to the lender: %v", err)
	}
	if has, err := f.LendToPupil(f.ctx, f.owner, tune, pupil); has || err != nil {
		t.Errorf("lent to a pupil without an account: %v %v", has, err)
	}
	if _, secret, err := take(borrower, store.ID{}, pupil, false); err != nil {
		t.Fatal(err)
	} else if _, _, err := f.TakeLoan(f.ctx, stranger, secret); !errors.Is(err, store.ErrLink) {
		t.Errorf("a link is used twice: %v", err)
	}
	if _, _, err := take(stranger, store.ID{}, pupil, false); !errors.Is(err, store.ErrInUse) {
		t.Errorf("a pupil with two accounts: %v", err)
	}

	// The pupil reads the sheet, at the level of the sheet if there is one, and cannot change it.
	if has, err := f.LendToPupil(f.ctx, f.owner, tune, pupil); !has || err != nil {
		t.Fatal(has, err)
	}
	lent, err := f.Tunes(f.ctx, borrower)
	if err != nil || len(lent) != 1 {
		t.Fatal(lent, err)
	}
	id := lent[0].ID
	if err := f.SetSheets(f.ctx, f.owner, tune, nil, []store.Sheet{{Profile: pupil, Level: player.Level{Name: "Easy", Ease: 5}}}); err != nil {
		t.Fatal(err)
	}
	if err := f.SetSheets(f.ctx, f.owner, tune, nil, nil); !errors.Is(err, store.ErrStale) {
		t.Errorf("sheets set in two tabs: %v", err)
	}
	if err := f.SaveSource(f.ctx, f.owner, tune, 1, "Gate Hinge, slow", "K:G\nG|"); err != nil {
		t.Fatal(err)
	}
	got, err := f.Tune(f.ctx, borrower, id)
	if err != nil || got.Title != "Gate Hinge, slow" || got.Source != "K:G\nG|" || got.Lender != "Ash Fernlow" || got.Settings.Ease != 5 ||
		got.Settings.Thumb != pattern.Steady || got.CanUndo {
		t.Errorf("borrowed: %+v %v", got, err)
	}
	if p, err := f.TunePlayer(f.ctx, borrower, id); err != nil || p.ID != pupil {
		t.Errorf("its player: %+v %v", p, err)
	}
	for name, change := range map[string]error{
		"text": f.SaveSource(f.ctx, borrower, id, got.Version, "x", "K:D\nD|"), "undo": f.Step(f.ctx, borrower, id, got.Version, -1),
		"settings": f.SaveSettings(f.ctx, borrower, id, got.Version, pupil, settings(1)), "sheets": f.SetSheets(f.ctx, borrower, id, nil, nil),
		"remark": f.SetRemark(f.ctx, borrower, id, store.Remark{Bar: 1, Text: "x"}, ""),
		"lend":   func() error { _, err := f.AddLoan(f.ctx, borrower, id, store.ID{}, true); return err }(),
	} {
		if !errors.Is(change, store.ErrLent) {
			t.Errorf("the borrower's change of %s: %v", name, change)
		}
	}
	if _, err := f.Profile(f.ctx, borrower, pupil); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("the borrower reads the lender's player: %v", err)
	}

	// A borrowed tune does not hold a player of the borrower's, if there is another.
	players, err := f.Profiles(f.ctx, borrower)
	if err != nil || len(players) != 1 {
		t.Fatal(players, err)
	}
	if err := f.DeleteProfile(f.ctx, borrower, players[0].ID); !errors.Is(err, store.ErrInUse) {
		t.Errorf("the only player of the borrower: %v", err)
	}
	if _, err := f.AddProfile(f.ctx, borrower, player.Default()); err != nil {
		t.Fatal(err)
	}
	if err := f.DeleteProfile(f.ctx, borrower, players[0].ID); err != nil {
		t.Errorf("a player of the borrower next to another: %v", err)
	}

	// Remarks for everybody and for this pupil are read, others are not.
	other, err := f.AddProfile(f.ctx, f.owner, player.Default())
	if err != nil {
		t.Fatal(err)
	}
	for i, who := range []store.ID{{}, pupil, other} {
		if err := f.SetRemark(f.ctx, f.owner, tune, store.Remark{For: who, Bar: i + 1, Text: "slower here"}, ""); err != nil {
			t.Fatal(err)
		}
	}
	if err := f.SetRemark(f.ctx, f.owner, tune, store.Remark{Bar: 1, Text: "faster"}, ""); !errors.Is(err, store.ErrStale) {
		t.Errorf("a remark written in two tabs: %v", err)
	}
	if all, err := f.Remarks(f.ctx, borrower, id); err != nil || len(all) != 2 || all[1].For != pupil {
		t.Errorf("remarks for the borrower: %+v %v", all, err)
	}

	// The log belongs to the borrower, and is seen while it is shown.
	if err := f.AddPasses(f.ctx, borrower, id, aPass); err != nil {
		t.Fatal(err)
	}
	ties, err := f.LoansTo(f.ctx, borrower)
	if err != nil || len(ties) != 2 {
		t.Fatal(ties, err)
	}
	var tie store.Loan
	for _, l := range ties {
		if l.Tune == (store.ID{}) {
			tie = l
		}
	}
	seen := func() int {
		log, titles, err := f.PupilsLog(f.ctx, f.owner, pupil)
		if err != nil && !errors.Is(err, store.ErrNotFound) || err == nil && titles[id] == "" {
			t.Fatal(titles, err)
		}
		return len(log)
	}
	if err := f.ShowLog(f.ctx, f.owner, tie.ID, true); !errors.Is(err, store.ErrNotFound) || seen() != 0 {
		t.Errorf("a teacher opens a pupil's log: %v", err)
	}
	if err := f.ShowLog(f.ctx, borrower, tie.ID, true); err != nil || seen() != 1 {
		t.Errorf("a log that is shown: %d %v", seen(), err)
	}
	if err := f.ShowLog(f.ctx, borrower, tie.ID, false); err != nil || seen() != 0 {
		t.Errorf("a log taken back: %d %v", seen(), err)
	}

	// A stranger finds nothing of it.
	for name, err := range map[string]error{
		"tune": func() error { _, err := f.Tune(f.ctx, stranger, id); return err }(), "player": func() error { _, err := f.TunePlayer(f.ctx, stranger, id); return err }(),
		"end": f.EndLoan(f.ctx, stranger, tie.ID), "show": f.ShowLog(f.ctx, stranger, tie.ID, true),
		"log": func() error { _, _, err := f.PupilsLog(f.ctx, stranger, pupil); return err }(),
	} {
		if !errors.Is(err, store.ErrNotFound) {
			t.Errorf("a stranger's %s: %v", name, err)
		}
	}

	// A deleted tune is missed until it is restored; a loan that ends leaves the log; lending again finds it.
	ended := func(want bool) {
		t.Helper()
		got, err := f.Tune(f.ctx, borrower, id)
		passes, err2 := f.PassesOver(f.ctx, borrower, id)
		if err := errors.Join(err, err2); err != nil || got.Ended != want || (got.Source == "") != want || len(passes) != 1 {
			t.Errorf("ended %v, wanted %v: %+v, %d passes, %v", got.Ended, want, got, len(passes), err)
		}
	}
	if err := f.DeleteTune(f.ctx, f.owner, tune); err != nil {
		t.Fatal(err)
	}
	ended(true)
	if err := f.BringBackTune(f.ctx, f.owner, tune); err != nil {
		t.Fatal(err)
	}
	ended(false)
	if err := f.EndLoan(f.ctx, f.owner, got.Loan); err != nil {
		t.Fatal(err)
	}
	ended(true)
	if again, err := f.LendToPupil(f.ctx, f.owner, tune, pupil); !again || err != nil {
		t.Fatal(err)
	}
	ended(false)

	// A copy is the borrower's own, and outlives the lender's account.
	own, _, err := take(stranger, tune, store.ID{}, true)
	if err != nil {
		t.Fatal(err)
	}
	if err := f.CloseAccount(f.ctx, f.owner); err != nil {
		t.Fatal(err)
	}
	ended(true)
	if kept, err := f.Tune(f.ctx, stranger, own); err != nil || kept.Lender != "" || kept.Source != "K:G\nG|" {
		t.Errorf("a copy: %+v %v", kept, err)
	}
	if err := f.CloseAccount(f.ctx, borrower); err != nil {
		t.Error(err)
	}
}
