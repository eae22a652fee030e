package store_test

import (
	"bytes"
	"errors"
	"io"
	"maps"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"stepping/account"
	"stepping/core/intonation"
	"stepping/core/lick"
	"stepping/core/pattern"
	"stepping/core/player"
	"stepping/core/practice"
	"stepping/core/retune"
	"stepping/store"
)

// ownerless are the methods that are about nobody's things, with the reason.
var ownerless = map[string]string{
	"Close": "the database", "Collector": "the connections", "Backup": "of everything", "Tidy": "marks of changes",
	"Restore": "of everything", "Ping": "the database", "Together": "transactions", "Alone": "leases",
	"FirstPlayer": "who owns what is here", "AtHome": "who owns what is here", "Sessions": "by a secret token",
	"Account": "by name, to sign in", "NameKey": "about a name", "HasAccounts": "whether there are any", "FindLink": "by a secret",
	"AddAccount": "by a secret", "ResetPassword": "by a secret",
	"FindLoan": "by a secret, see TestLoans", "TakeLoan": "by a secret, see TestLoans",
	"SignedIn": "by the secret of a session", "TryAfter": "by hashes of addresses", "Succeeded": "by hashes of addresses",
	"Patterns": "a shelf, below", "Guitars": "a shelf, below", "Slides": "a shelf, below", "Pages": "a shelf, below",
	"Drafts": "a shelf, below", "Gigs": "a shelf, below", "Licks": "a shelf, below",
}

// TestWalls walks every method of the store as another owner: nothing is found, nothing is changed, and the
// database itself refuses rows that belong to things of another. A new method must be put in one of the two
// tables.
func TestWalls(t *testing.T) {
	f := newFixture(t)
	basis := strings.Repeat("a", 64)
	id, err := f.AddTune(f.ctx, f.owner, "Mine", "K:D\nD|", f.profile, settings(0))
	if err == nil {
		err = f.SavePlan(f.ctx, f.owner, id, basis, []byte(`{"version":1}`))
	}
	if err != nil {
		t.Fatal(err)
	}
	if _, err := f.SaveResult(f.ctx, f.owner, id, "ranking", "b", []byte("{}"), true, true); err != nil {
		t.Fatal(err)
	}
	mine := shelved(t, &f)
	kept := addTake(t, &f, id)
	coming, err := f.BeginUpload(f.ctx, f.owner, "mine", &store.Upload{Tune: id, Kind: "take", Name: "take two.wav"})
	if err == nil {
		err = f.AddUploadPart(f.ctx, f.owner, coming.ID, 0, []byte("ab"))
	}
	if err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(f.AddPasses(f.ctx, f.owner, id, aPass), f.SetNote(f.ctx, f.owner, id, 3, "the ring finger!"),
		f.AddSlideNotes(f.ctx, f.owner, f.profile, aSlideNote)); err != nil {
		t.Fatal(err)
	}
	secret, err := f.AddLink(f.ctx, store.FirstLink, f.owner)
	if err != nil {
		t.Fatal(err)
	}
	if who, err := f.AddAccount(f.ctx, secret, "Ash Fernlow", "hash"); err != nil || who != f.owner {
		t.Fatal(who, err)
	}
	if _, err := f.AddAccount(f.ctx, secret, "Rook Tansy", "hash"); !errors.Is(err, store.ErrLink) {
		t.Errorf("a link is used twice: %v", err)
	}
	signin, err := f.AddSignin(f.ctx, f.owner, "a browser")
	if err != nil {
		t.Fatal(err)
	}
	secret, err = f.AddLink(f.ctx, store.InviteLink, f.owner)
	if err != nil {
		t.Fatal(err)
	}
	other, err := f.AddAccount(f.ctx, secret, "Rook Tansy", "hash")
	if err != nil || other == f.owner {
		t.Fatal(other, err)
	}
	if _, err := f.AddLoan(f.ctx, f.owner, id, store.ID{}, false); err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(f.SetSheets(f.ctx, f.owner, id, nil, []store.Sheet{{Profile: f.profile}}),
		f.SetRemark(f.ctx, f.owner, id, store.Remark{Bar: 1, Text: "slower"}, "")); err != nil {
		t.Fatal(err)
	}
	loans, err := f.Loans(f.ctx, f.owner)
	if err != nil || len(loans) != 1 {
		t.Fatal(loans, err)
	}
	before := everything(t, &f)

	refused := map[string]func() error{
		"Tune":     func() error { _, err := f.Tune(f.ctx, other, id); return err },
		"Profile":  func() error { _, err := f.Profile(f.ctx, other, f.profile); return err },
		"Plan":     func() error { _, err := f.Plan(f.ctx, other, id, basis); return err },
		"AddTune":  func() error { _, err := f.AddTune(f.ctx, other, "x", "K:D\nD|", f.profile, settings(0)); return err },
		"SavePlan": func() error { return f.SavePlan(f.ctx, other, id, basis, []byte(`{"version":2}`)) },
		"SaveResult": func() error {
			_, err := f.SaveResult(f.ctx, other, id, "ranking", "b", []byte("{}"), false, true)
			return err
		},
		"Result":          func() error { _, err := f.Result(f.ctx, other, id, "ranking"); return err },
		"StopResult":      func() error { return f.StopResult(f.ctx, other, id, "ranking") },
		"SaveSettings":    func() error { return f.SaveSettings(f.ctx, other, id, 1, f.profile, settings(1)) },
		"SaveSource":      func() error { return f.SaveSource(f.ctx, other, id, 1, "Theirs", "K:D\nD|") },
		"Step":            func() error { return f.Step(f.ctx, other, id, 1, 1) },
		"SetFacts":        func() error { return f.SetFacts(f.ctx, other, id, 1, "x") },
		"DeleteTune":      func() error { return f.DeleteTune(f.ctx, other, id) },
		"BringBackTune":   func() error { return f.BringBackTune(f.ctx, other, id) },
		"SaveProfile":     func() error { return f.SaveProfile(f.ctx, other, f.profile, 1, player.Default()) },
		"DeleteProfile":   func() error { return f.DeleteProfile(f.ctx, other, f.profile) },
		"EndSignin":       func() error { return f.EndSignin(f.ctx, other, signin) },
		"patterns.Get":    func() error { _, err := f.Patterns().Get(f.ctx, other, mine[0]); return err },
		"patterns.Save":   func() error { return f.Patterns().Save(f.ctx, other, mine[0], 1, &pattern.Pattern{Name: "x"}) },
		"patterns.Delete": func() error { return f.Patterns().Delete(f.ctx, other, mine[0]) },
		"guitars.Get":     func() error { _, err := f.Guitars().Get(f.ctx, other, mine[1]); return err },
		"guitars.Save":    func() error { return f.Guitars().Save(f.ctx, other, mine[1], 1, &store.Guitar{}) },
		"guitars.Delete":  func() error { return f.Guitars().Delete(f.ctx, other, mine[1]) },
		"slides.Get":      func() error { _, err := f.Slides().Get(f.ctx, other, mine[2]); return err },
		"slides.Save":     func() error { return f.Slides().Save(f.ctx, other, mine[2], 1, &store.Slide{}) },
		"slides.Delete":   func() error { return f.Slides().Delete(f.ctx, other, mine[2]) },
		"pages.Get":       func() error { _, err := f.Pages().Get(f.ctx, other, mine[5]); return err },
		"pages.Save":      func() error { return f.Pages().Save(f.ctx, other, mine[5], 1, &store.Page{}) },
		"pages.Delete":    func() error { return f.Pages().Delete(f.ctx, other, mine[5]) },
		"SetTags":         func() error { return f.SetTags(f.ctx, other, id, []string{"theirs"}) },
		"drafts.Get":      func() error { _, err := f.Drafts().Get(f.ctx, other, mine[3]); return err },
		"drafts.Save":     func() error { return f.Drafts().Save(f.ctx, other, mine[3], 1, &store.Draft{}) },
		"AddSlideNotes":   func() error { return f.AddSlideNotes(f.ctx, other, f.profile, aSlideNote) },
		"AddPasses":       func() error { return f.AddPasses(f.ctx, other, id, aPass) },
		"AddTake": func() error {
			_, err := f.AddTake(f.ctx, other, &store.Take{Tune: id, Doc: []byte("{}")}, func() (io.Reader, error) { return bytes.NewReader(nil), nil })
			return err
		},
		"Take":          func() error { _, err := f.Take(f.ctx, other, id, kept); return err },
		"LastTake":      func() error { _, err := f.LastTake(f.ctx, other, id, basisOfTake); return err },
		"TakeSound":     func() error { _, err := f.TakeSound(f.ctx, other, kept, 0); return err },
		"DeleteTake":    func() error { return f.DeleteTake(f.ctx, other, id, kept) },
		"TakeBackPass":  func() error { return f.TakeBackPass(f.ctx, other, id) },
		"SetNote":       func() error { return f.SetNote(f.ctx, other, id, 3, "theirs") },
		"gigs.Get":      func() error { _, err := f.Gigs().Get(f.ctx, other, mine[4]); return err },
		"gigs.Save":     func() error { return f.Gigs().Save(f.ctx, other, mine[4], 1, &store.Gig{}) },
		"gigs.Delete":   func() error { return f.Gigs().Delete(f.ctx, other, mine[4]) },
		"drafts.Delete": func() error { return f.Drafts().Delete(f.ctx, other, mine[3]) },
		"History":       func() error { _, _, err := f.History(f.ctx, other, id); return err },
		"BeginUpload": func() error {
			_, err := f.BeginUpload(f.ctx, other, "theirs", &store.Upload{Tune: id, Kind: "take"})
			return err
		},
		"TunePlayer":          func() error { _, err := f.TunePlayer(f.ctx, other, id); return err },
		"SetSheets":           func() error { return f.SetSheets(f.ctx, other, id, nil, nil) },
		"SetRemark":           func() error { return f.SetRemark(f.ctx, other, id, store.Remark{Bar: 1, Text: "theirs"}, "slower") },
		"AddLoan":             func() error { _, err := f.AddLoan(f.ctx, other, id, store.ID{}, true); return err },
		"AddLoan of a player": func() error { _, err := f.AddLoan(f.ctx, other, store.ID{}, f.profile, false); return err },
		"LendToPupil":         func() error { _, err := f.LendToPupil(f.ctx, other, id, f.profile); return err },
		"EndLoan":             func() error { return f.EndLoan(f.ctx, other, loans[0].ID) },
		"ShowLog":             func() error { return f.ShowLog(f.ctx, other, loans[0].ID, true) },
		"PupilsLog":           func() error { _, _, err := f.PupilsLog(f.ctx, other, f.profile); return err },
		"licks.Get":           func() error { _, err := f.Licks().Get(f.ctx, other, mine[6]); return err },
		"licks.Save":          func() error { return f.Licks().Save(f.ctx, other, mine[6], 1, &store.Lick{}) },
		"licks.Delete":        func() error { return f.Licks().Delete(f.ctx, other, mine[6]) },
		"Upload":              func() error { _, err := f.Upload(f.ctx, other, coming.ID); return err },
		"AddUploadPart":       func() error { return f.AddUploadPart(f.ctx, other, coming.ID, 1, []byte("x")) },
		"GiveUpload":          func() error { return f.GiveUpload(f.ctx, other, coming.ID, 1, nil) },
		"SettleUpload":        func() error { return f.SettleUpload(f.ctx, other, coming.ID, "/", "", nil) },
		"DeleteUpload":        func() error { return f.DeleteUpload(f.ctx, other, coming.ID) },
		"OpenUpload": func() error {
			_, err := f.OpenUpload(f.ctx, other, &store.Upload{ID: coming.ID, Bytes: 2}).Read(make([]byte, 2))
			return err
		},
		"AdoptTune of a player that is not theirs": func() error {
			return f.AdoptTune(f.ctx, other, store.ID{7}, &store.Adopted{Title: "x", Source: "K:D\nD|", Edits: []store.Edit{{Profile: f.profile}}})
		},
		"AdoptTake of a tune that is not theirs": func() error {
			return f.AdoptTake(f.ctx, other, store.ID{7}, &store.Take{Tune: id, Doc: []byte("{}")}, func() (io.Reader, error) { return bytes.NewReader(nil), nil })
		},
	}
	for name, f := range refused {
		if err := f(); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("%s as another owner: %v", name, err)
		}
	}
	empty := map[string]func() (int, error){
		"List": func() (int, error) { v, err := f.List(f.ctx, other); return len(v), err },
		"Find": func() (int, error) {
			v, err := f.Find(f.ctx, other, &store.ListQuery{IDs: []store.ID{id}})
			return len(v), err
		},
		"Count":   func() (int, error) { return f.Count(f.ctx, other, &store.ListQuery{}) },
		"Tunings": func() (int, error) { v, err := f.Tunings(f.ctx, other); return len(v), err },
		"Tags":    func() (int, error) { v, err := f.Tags(f.ctx, other); return len(v), err },
		"Stamp": func() (int, error) {
			before, err := f.Stamp(f.ctx, other)
			err2 := f.SetNote(f.ctx, f.owner, id, 3, "the ring finger!")
			after, err3 := f.Stamp(f.ctx, other)
			return strings.Compare(before, after), errors.Join(err, err2, err3)
		},
		"Tunes":        func() (int, error) { v, err := f.Tunes(f.ctx, other); return len(v), err },
		"Profiles":     func() (int, error) { v, err := f.Profiles(f.ctx, other); return len(v), err },
		"Signins":      func() (int, error) { v, err := f.Signins(f.ctx, other, time.Hour); return len(v), err },
		"patterns.All": func() (int, error) { v, err := f.Patterns().All(f.ctx, other); return len(v), err },
		"guitars.All":  func() (int, error) { v, err := f.Guitars().All(f.ctx, other); return len(v), err },
		"pages.All":    func() (int, error) { v, err := f.Pages().All(f.ctx, other); return len(v), err },
		"slides.All":   func() (int, error) { v, err := f.Slides().All(f.ctx, other); return len(v), err },
		"gigs.All":     func() (int, error) { v, err := f.Gigs().All(f.ctx, other); return len(v), err },
		"Passes":       func() (int, error) { v, err := f.Passes(f.ctx, other); return len(v), err },
		"PassesOver":   func() (int, error) { v, err := f.PassesOver(f.ctx, other, id); return len(v), err },
		"SlideNotes":   func() (int, error) { v, err := f.SlideNotes(f.ctx, other, f.profile); return len(v), err },
		"GoneTunes":    func() (int, error) { v, err := f.GoneTunes(f.ctx, other); return len(v), err },
		"UploadsOf":    func() (int, error) { v, err := f.UploadsOf(f.ctx, other, id); return len(v), err },
		"AllTakes":     func() (int, error) { v, err := f.AllTakes(f.ctx, other, true); return len(v), err },
		"HasTune": func() (int, error) {
			has, _, err := f.HasTune(f.ctx, other, id)
			if has {
				return 1, err
			}
			return 0, err
		},
		"Sheets":         func() (int, error) { v, err := f.Sheets(f.ctx, other, id); return len(v), err },
		"Remarks":        func() (int, error) { v, err := f.Remarks(f.ctx, other, id); return len(v), err },
		"Loans":          func() (int, error) { v, err := f.Loans(f.ctx, other); return len(v), err },
		"LoansTo":        func() (int, error) { v, err := f.LoansTo(f.ctx, other); return len(v), err },
		"UnreadMelodies": func() (int, error) { v, err := f.UnreadMelodies(f.ctx, other, 9); return len(v), err },
		"FindMelodies": func() (int, error) {
			v, err := f.FindMelodies(f.ctx, other, []string{""}, 9)
			return len(v), err
		},
		"licks.All":  func() (int, error) { v, err := f.Licks().All(f.ctx, other); return len(v), err },
		"Takes":      func() (int, error) { v, err := f.Takes(f.ctx, other, id); return len(v), err },
		"Notes":      func() (int, error) { v, err := f.Notes(f.ctx, other, id); return len(v), err },
		"Results":    func() (int, error) { v, err := f.Results(f.ctx, other, "ranking"); return len(v), err },
		"drafts.All": func() (int, error) { v, err := f.Drafts().All(f.ctx, other); return len(v), err },
	}
	for name, f := range empty {
		if n, err := f(); n != 0 || err != nil {
			t.Errorf("%s of another owner: %d %v", name, n, err)
		}
	}
	theirs, err := f.AddProfile(f.ctx, other, player.Default())
	if err != nil {
		t.Fatal(err)
	}
	taken := map[string]func() error{ // a key of the owner's is not overwritten
		"AdoptProfile": func() error { return f.AdoptProfile(f.ctx, other, f.profile, player.Default()) },
		"AdoptTune": func() error {
			return f.AdoptTune(f.ctx, other, id, &store.Adopted{Title: "x", Source: "K:D\nD|", Edits: []store.Edit{{Profile: theirs}}})
		},
		"AdoptTake": func() error {
			own, err := f.AddTune(f.ctx, other, "Theirs", "K:D\nD|", theirs, settings(0))
			if err != nil {
				return err
			}
			return f.AdoptTake(f.ctx, other, kept, &store.Take{Tune: own, Doc: []byte("{}")}, func() (io.Reader, error) { return bytes.NewReader(nil), nil })
		},
		"patterns.Adopt": func() error { return f.Patterns().Adopt(f.ctx, other, mine[0], &pattern.Pattern{}) },
		"guitars.Adopt":  func() error { return f.Guitars().Adopt(f.ctx, other, mine[1], &store.Guitar{}) },
		"slides.Adopt":   func() error { return f.Slides().Adopt(f.ctx, other, mine[2], &store.Slide{}) },
		"drafts.Adopt":   func() error { return f.Drafts().Adopt(f.ctx, other, mine[3], &store.Draft{}) },
		"gigs.Adopt":     func() error { return f.Gigs().Adopt(f.ctx, other, mine[4], &store.Gig{}) },
		"licks.Adopt":    func() error { return f.Licks().Adopt(f.ctx, other, mine[6], &store.Lick{}) },
		"pages.Adopt":    func() error { return f.Pages().Adopt(f.ctx, other, mine[5], &store.Page{}) },
	}
	for name, f := range taken {
		if err := f(); !errors.Is(err, store.ErrTaken) {
			t.Errorf("%s under a key of the owner's: %v", name, err)
		}
	}
	own := map[string]func() error{ // these change the other's own things alone
		"AddProfile": func() error { _, err := f.AddProfile(f.ctx, other, player.Default()); return err },
		"AccountOf": func() error {
			a, err := f.AccountOf(f.ctx, other)
			if a.Name != "Rook Tansy" {
				t.Error(a.Name)
			}
			return err
		},
		"DropUploadParts": func() error { return f.DropUploadParts(f.ctx, other, coming.ID) },
		"AddLink":         func() error { _, err := f.AddLink(f.ctx, store.ResetLink, other); return err },
		"SetPassword":     func() error { return f.SetPassword(f.ctx, other, "new", store.ID{}) },
		"Rehash":          func() error { return f.Rehash(f.ctx, other, "newer") },
		"AddSignin":       func() error { _, err := f.AddSignin(f.ctx, other, "another browser"); return err },
		"EndSignins":      func() error { return f.EndSignins(f.ctx, other) },
		"Know":            func() error { return f.Know(f.ctx, other, "cookie") },
		"Knows":           func() error { _, err := f.Knows(f.ctx, other, "cookie"); return err },
		"patterns.Add":    func() error { _, err := f.Patterns().Add(f.ctx, other, &pattern.Pattern{Name: "x"}); return err },
		"guitars.Add":     func() error { _, err := f.Guitars().Add(f.ctx, other, &store.Guitar{}); return err },
		"pages.Add":       func() error { _, err := f.Pages().Add(f.ctx, other, &store.Page{}); return err },
		"slides.Add":      func() error { _, err := f.Slides().Add(f.ctx, other, &store.Slide{}); return err },
		"gigs.Add":        func() error { _, err := f.Gigs().Add(f.ctx, other, &store.Gig{}); return err },
		"SetMelodies":     func() error { return f.SetMelodies(f.ctx, other, []store.Unread{{ID: id, Version: 1}}, []string{"x"}) },
		"licks.Add":       func() error { _, err := f.Licks().Add(f.ctx, other, &store.Lick{}); return err },
		"drafts.Add":      func() error { _, err := f.Drafts().Add(f.ctx, other, &store.Draft{}); return err },
	}
	for name, f := range own {
		if err := f(); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	if err := f.CloseAccount(f.ctx, other); err != nil {
		t.Error(err)
	}
	if after := everything(t, &f); !reflect.DeepEqual(before, after) {
		t.Errorf("the owner's things were changed:\n%v\n%v", before, after)
	}
	if _, err := f.whose(signin); err != nil {
		t.Errorf("the owner was signed out: %v", err)
	}

	tested := slices.Concat(slices.Collect(maps.Keys(refused)), slices.Collect(maps.Keys(empty)), slices.Collect(maps.Keys(own)), slices.Collect(maps.Keys(taken)),
		[]string{"CloseAccount"})
	covered := func(prefix string, of any) {
		for i := range reflect.TypeOf(of).NumMethod() {
			name := prefix + reflect.TypeOf(of).Method(i).Name
			if !slices.Contains(tested, name) && ownerless[name] == "" {
				t.Errorf("%s is in no table of this test", name)
			}
		}
	}
	covered("", f.Store)
	covered("patterns.", f.Patterns())
	covered("guitars.", f.Guitars())
	covered("slides.", f.Slides())
	covered("pages.", f.Pages())
	covered("drafts.", f.Drafts())
	covered("gigs.", f.Gigs())
	covered("licks.", f.Licks())
}

// aSlideNote is a note of the slide with all that one can have.
var aSlideNote = intonation.Played{At: time.Date(2026, 5, 4, 18, 31, 0, 250000, time.UTC), Place: intonation.Place{String: 2, Fret: 7}, From: new(5.0),
	Finger: 4, Cents: -7.5, Spread: 2.5, Approach: -60, Vibrato: &intonation.Vibrato{Hz: 5.5, Width: 30, Centre: -4}}

// aPass is a pass with all that one can have.
var aPass = practice.Pass{At: time.Date(2026, 5, 4, 18, 30, 0, 250000, time.UTC), Key: "move 3-4 bar 4, beat 1",
	Layer: practice.HardMove, Bars: [2]int{3, 4}, Tempo: 51, Verdict: practice.Nearly, Seconds: 9.5,
	Plan: strings.Repeat("b", 64), Move: &practice.Motion{Kind: "travel", Bits: 3.25, There: 0.625, Fixed: 0.125}}

// whose is SignedIn without the name.
func (f *fixture) whose(id store.ID) (store.ID, error) {
	who, _, err := f.SignedIn(f.ctx, id, time.Hour)
	return who, err
}

// shelved puts a pattern, a guitar, a slide, a draft, a gig and a page on the owner's shelves.
func shelved(t *testing.T, f *fixture) (ids [7]store.ID) {
	t.Helper()
	var errs [7]error
	ids[0], errs[0] = f.Patterns().Add(f.ctx, f.owner, &pattern.Pattern{Name: "Mine"})
	ids[1], errs[1] = f.Guitars().Add(f.ctx, f.owner, &store.Guitar{Guitar: retune.Guitar{Name: "Plank"}})
	ids[2], errs[2] = f.Slides().Add(f.ctx, f.owner, &store.Slide{Name: "Glass"})
	ids[3], errs[3] = f.Drafts().Add(f.ctx, f.owner, &store.Draft{Name: "half a tune"})
	ids[4], errs[4] = f.Gigs().Add(f.ctx, f.owner, &store.Gig{Name: "Barn dance", On: "2026-06-20"})
	ids[5], errs[5] = f.Pages().Add(f.ctx, f.owner, &store.Page{Name: "Saturday", Kind: "set", Query: "guitars=1"})
	ids[6], errs[6] = f.Licks().Add(f.ctx, f.owner, &store.Lick{Kept: lick.Kept{Name: "Gate Hinge"}})
	if err := errors.Join(errs[:]...); err != nil {
		t.Fatal(err)
	}
	return ids
}

var basisOfTake = strings.Repeat("b", 64)

// addTake keeps a take of two blocks and a bit.
func addTake(t *testing.T, f *fixture, tune store.ID) store.ID {
	t.Helper()
	sound := make([]byte, 2*store.TakeBlock+10)
	for i := range sound {
		sound[i] = byte(i * 7 >> 3)
	}
	id, err := f.AddTake(f.ctx, f.owner, &store.Take{Tune: tune, At: time.Date(2026, 5, 4, 18, 30, 0, 0, time.UTC),
		Name: "take one.wav", Samples: int64(len(sound) / 2), Plan: basisOfTake, Doc: []byte(`{"notes":[]}`)}, func() (io.Reader, error) { return bytes.NewReader(sound), nil })
	if err != nil {
		t.Fatal(err)
	}
	return id
}

// everything reads all that the owner has.
func everything(t *testing.T, f *fixture) []any {
	t.Helper()
	tunes, e1 := f.Tunes(f.ctx, f.owner)
	profiles, e2 := f.Profiles(f.ctx, f.owner)
	patterns, e3 := f.Patterns().All(f.ctx, f.owner)
	guitars, e4 := f.Guitars().All(f.ctx, f.owner)
	slides, e5 := f.Slides().All(f.ctx, f.owner)
	pages, e13 := f.Pages().All(f.ctx, f.owner)
	drafts, e8 := f.Drafts().All(f.ctx, f.owner)
	passes, e9 := f.Passes(f.ctx, f.owner)
	notes, e11 := f.Notes(f.ctx, f.owner, tunes[0].ID)
	gigs, e10 := f.Gigs().All(f.ctx, f.owner)
	takes, e12 := f.Takes(f.ctx, f.owner, tunes[0].ID)
	var sounds []string
	for i := range takes {
		for n := range 3 {
			data, err := f.TakeSound(f.ctx, f.owner, takes[i].ID, n)
			if err != nil {
				t.Fatal(err)
			}
			sounds = append(sounds, string(data))
		}
	}
	licks, e15 := f.Licks().All(f.ctx, f.owner)
	sheets, e16 := f.Sheets(f.ctx, f.owner, tunes[0].ID)
	remarks, e17 := f.Remarks(f.ctx, f.owner, tunes[0].ID)
	loans, e18 := f.Loans(f.ctx, f.owner)
	for i := range loans {
		loans[i].Lender = "" // its account may be closed in between
	}
	slid, e14 := f.SlideNotes(f.ctx, f.owner, f.profile)
	a, e6 := f.AccountOf(f.ctx, f.owner)
	plan, e7 := f.Plan(f.ctx, f.owner, tunes[0].ID, strings.Repeat("a", 64))
	if err := errors.Join(e1, e2, e3, e4, e5, e6, e7, e8, e9, e10, e11, e12, e13, e14, e15, e16, e17, e18); err != nil {
		t.Fatal(err)
	}
	return []any{tunes, profiles, patterns, guitars, slides, pages, drafts, passes, slid, notes, gigs, takes, sounds, licks, sheets, remarks, loans, a, string(plan)}
}

// TestAccounts: sign-ins end when they should, links work once, tries are slowed down and survive a restart, and the account
// goes with all that is its owner's.
func TestAccounts(t *testing.T) {
	f := newFixture(t)
	if _, err := f.AddTune(f.ctx, f.owner, "Mine", "K:D\nD|", f.profile, settings(0)); err != nil {
		t.Fatal(err)
	}
	old, _ := f.AddLink(f.ctx, store.FirstLink, f.owner)
	secret, err := f.AddLink(f.ctx, store.FirstLink, f.owner)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := f.AddAccount(f.ctx, old, "Ash", "hash"); !errors.Is(err, store.ErrLink) {
		t.Errorf("the link before is still good: %v", err)
	}
	if _, err := f.AddAccount(f.ctx, secret, "Ash", "hash"); err != nil {
		t.Fatal(err)
	}
	invited, _ := f.AddLink(f.ctx, store.InviteLink, f.owner)
	if _, err := f.AddAccount(f.ctx, invited, "aSH", "hash"); !errors.Is(err, store.ErrNameTaken) {
		t.Errorf("a name that differs in capitals: %v", err)
	}
	if kind, _, err := f.FindLink(f.ctx, invited); err != nil || kind != store.InviteLink {
		t.Errorf("a refused name has used up the link: %v", err)
	}
	here, _ := f.AddSignin(f.ctx, f.owner, "here")
	there, _ := f.AddSignin(f.ctx, f.owner, "there")
	if _, _, err := f.SignedIn(f.ctx, here, -time.Second); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("an unused sign-in does not end: %v", err)
	}
	if err := f.SetPassword(f.ctx, f.owner, "new", here); err != nil {
		t.Fatal(err)
	}
	if _, err := f.whose(here); err != nil {
		t.Error(err)
	}
	if _, err := f.whose(there); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a new password leaves others signed in: %v", err)
	}
	reset, _ := f.AddLink(f.ctx, store.ResetLink, f.owner)
	if _, err := f.ResetPassword(f.ctx, invited, "x"); !errors.Is(err, store.ErrLink) {
		t.Errorf("an invitation sets a password: %v", err)
	}
	if who, err := f.ResetPassword(f.ctx, reset, "newest"); err != nil || who != f.owner {
		t.Error(err)
	}
	if _, err := f.whose(here); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a reset leaves somebody signed in: %v", err)
	}
	keys := account.Guessers("10.0.0.9", []byte("Ash"), "", false)
	slow := time.Duration(0)
	for range 8 {
		if slow, err = f.TryAfter(f.ctx, keys); err != nil {
			t.Fatal(err)
		}
	}
	if slow <= 0 || slow > time.Minute {
		t.Errorf("after eight tries the next waits %v", slow)
	}
	if w, err := f.TryAfter(f.ctx, account.Guessers("10.0.0.9", []byte("Ash"), "cookie", true)); err != nil || w != 0 {
		t.Errorf("strangers slow down the owner's browser: %v %v", w, err)
	}
	if err := f.CloseAccount(f.ctx, f.owner); err != nil {
		t.Fatal(err)
	}
	if tunes, err := f.Tunes(f.ctx, f.owner); err != nil || len(tunes) != 0 {
		t.Error(tunes, err)
	}
	if _, created, err := f.FirstPlayer(f.ctx, "New"); err != nil || !created {
		t.Errorf("after the first player has gone there is none: %v", err)
	}
}

// TestNameKey: spellings under which an account is found have one key, and no others: so guesses at all of them are counted together.
func TestNameKey(t *testing.T) {
	f := newFixture(t)
	secret, err := f.AddLink(f.ctx, store.FirstLink, f.owner)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := f.AddAccount(f.ctx, secret, "Åsa Müller", "hash"); err != nil {
		t.Fatal(err)
	}
	key, err := f.NameKey(f.ctx, "Åsa Müller")
	if err != nil || len(key) == 0 {
		t.Fatal(key, err)
	}
	found := 0
	for _, spelt := range []string{"Åsa Müller", "åsa müller", "ASA MULLER", "Ása Mûller", "asa muller ", "A\u030asa Mu\u0308ller", "åsä mülleŕ", "\u200basa muller", "Ａｓａ Ｍｕｌｌｅｒ",
		"asa\u00admuller", "ⓐsa muller", "asamuller", "asa  muller", "asa mueller", "asa", ""} {
		_, err := f.Account(f.ctx, spelt)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			t.Fatal(err)
		}
		other, err2 := f.NameKey(f.ctx, spelt)
		if err2 != nil || (err == nil) != bytes.Equal(key, other) {
			t.Errorf("%q: found %v, the same key %v: %v", spelt, err == nil, bytes.Equal(key, other), err2)
		}
		if err == nil {
			found++
		}
	}
	if found < 8 {
		t.Errorf("only %d spellings are found: this test shows little", found)
	}
}
