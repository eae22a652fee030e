package demo

import (
	"context"
	"time"

	"stepping/account"
	"stepping/core/player"
	"stepping/core/practice"
	"stepping/core/setup"
	"stepping/store"
)

// Account is one of the demo's accounts.
type Account struct{ Name, Role string }

// Accounts are the demo's: a teacher, and two pupils who are players of the teacher's.
var Accounts = []Account{{"Ash Fernlow", "teacher"}, {"Wren Tallow", "pupil, first steps, no slide"}, {"Rook Tansy", "pupil, left-handed, slide on the ring finger"}}

// pupils are the teacher's players for the pupils' accounts.
func pupils() (out [2]player.Profile) {
	wren, rook := player.Default(), player.Default()
	wren.Name, wren.Lean, wren.ReachMM, wren.Level = "Wren", player.LeanNone, 85, setup.Proposed[2]
	rook.Name, rook.LeftHanded, rook.SlideFinger, rook.Silence, rook.Thumb, rook.Level = "Rook", true, 3, player.Heel, "steady", setup.Proposed[1]
	return [2]player.Profile{wren, rook}
}

// Classroom gives the player of this machine the accounts, all with one password, unless there are any: the teacher has the demo's tunes,
// of which the first is lent to both pupils as their sheets, and one pupil shows the practice log. It reports whether it made them.
func Classroom(ctx context.Context, st *store.Store, owner store.ID, password string) (made bool, err error) {
	if has, err := st.HasAccounts(ctx); err != nil || has {
		return false, err
	}
	hash, err := account.Hash(password)
	if err != nil {
		return false, err
	}
	return true, st.Together(ctx, "make the demo's accounts", func(st *store.Store) error { return classroom(ctx, st, owner, hash) })
}

func classroom(ctx context.Context, st *store.Store, owner store.ID, hash string) error {
	secret, err := st.AddLink(ctx, store.FirstLink, owner)
	if err != nil {
		return err
	}
	if _, err := st.AddAccount(ctx, secret, Accounts[0].Name, hash); err != nil {
		return err
	}
	profiles, err := st.Profiles(ctx, owner)
	if err != nil {
		return err
	}
	own := profiles[0].Profile
	own.Name = Accounts[0].Name
	if err := st.SaveProfile(ctx, owner, profiles[0].ID, profiles[0].Version, own); err != nil {
		return err
	}
	tunes, err := st.Tunes(ctx, owner)
	if err != nil {
		return err
	}
	var sheets []store.Sheet
	for i, p := range pupils() {
		profile, err := st.AddProfile(ctx, owner, p)
		if err != nil {
			return err
		}
		sheets = append(sheets, store.Sheet{Profile: profile})
		if err := pupil(ctx, st, owner, profile, Accounts[1+i].Name, hash, i == 1); err != nil {
			return err
		}
		if _, err := st.LendToPupil(ctx, owner, tunes[0].ID, profile); err != nil {
			return err
		}
	}
	if err := st.SetSheets(ctx, owner, tunes[0].ID, nil, sheets); err != nil {
		return err
	}
	if err := st.SetRemark(ctx, owner, tunes[0].ID, store.Remark{Bar: 6, Text: "Let the high note ring until the next bar"}, ""); err != nil {
		return err
	}
	return st.SetRemark(ctx, owner, tunes[0].ID, store.Remark{For: sheets[1].Profile, Bar: 2, Text: "Land on the wire before you start the vibrato"}, "")
}

// pupil makes an account that is a player of the teacher's.
func pupil(ctx context.Context, st *store.Store, teacher, profile store.ID, name, hash string, shows bool) error {
	secret, err := st.AddLink(ctx, store.InviteLink, teacher)
	if err != nil {
		return err
	}
	who, err := st.AddAccount(ctx, secret, name, hash)
	if err != nil {
		return err
	}
	if secret, err = st.AddLoan(ctx, teacher, store.ID{}, profile, false); err != nil {
		return err
	}
	l, _, err := st.TakeLoan(ctx, who, secret)
	if err != nil || !shows {
		return err
	}
	return st.ShowLog(ctx, who, l.ID, true)
}

// Lessons gives the pupil who shows the practice log ten days of practice on what is lent, unless there is some.
func Lessons(ctx context.Context, st *store.Store, now time.Time) error {
	a, err := st.Account(ctx, Accounts[2].Name)
	if err != nil {
		return err
	}
	played, err := st.Passes(ctx, a.Owner)
	if err != nil || len(played) > 0 {
		return err
	}
	lent, err := st.Tunes(ctx, a.Owner)
	if err != nil || len(lent) == 0 {
		return err
	}
	w, err := workOf(ctx, st, &lent[0])
	if err != nil {
		return err
	}
	const days = 10
	hands := player.Default()
	hands.FittsA, hands.FittsB = 0.11, 0.14
	y, m, d := now.Date()
	s := practice.Simulated{Seed: 7, Hands: hands}
	passes := s.Month([]practice.Work{w}, time.Date(y, m, d, 17, 0, 0, 0, now.Location()).AddDate(0, 0, -days), days, 15)
	return st.AddPasses(ctx, a.Owner, lent[0].ID, passes[0]...)
}
