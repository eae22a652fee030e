package store_test

import (
	"archive/zip"
	"bytes"
	"errors"
	"io"
	"reflect"
	"strings"
	"testing"

	"stepping/store"
)

// TestBackup: what was backed up under change comes back whole in another database; a damaged, a newer and a
// foreign file are refused and change nothing; tunes that are there are not overwritten without being told.
func TestBackup(t *testing.T) {
	f := newFixture(t)
	shelved(t, &f)
	if _, err := f.AddTune(f.ctx, f.owner, "Ünïcode 🎸", "T:x\nK:D\n\"D\"D2|", f.profile, settings(2)); err != nil {
		t.Fatal(err)
	}
	secret, _ := f.AddLink(f.ctx, store.FirstLink, f.owner)
	if _, err := f.AddAccount(f.ctx, secret, "Ash Fernlow", "hash"); err != nil {
		t.Fatal(err)
	}
	id := f.list(t)[0].ID
	addTake(t, &f, id)
	if err := errors.Join(f.AddPasses(f.ctx, f.owner, id, aPass, aPass), f.SetNote(f.ctx, f.owner, id, 1, "slow 🎸"),
		f.SetSheets(f.ctx, f.owner, id, nil, []store.Sheet{{Profile: f.profile}}), f.SetRemark(f.ctx, f.owner, id, store.Remark{Bar: 1, Text: "leise 🎸"}, "")); err != nil {
		t.Fatal(err)
	}
	pupil := f.another(t, "Wren Tallow")
	for _, taken := range []bool{true, false} { // a loan, and a link that is open
		secret, err := f.AddLoan(f.ctx, f.owner, id, f.profile, false)
		if err == nil && taken {
			_, _, err = f.TakeLoan(f.ctx, pupil, secret)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := f.SavePlan(f.ctx, f.owner, id, strings.Repeat("a", 64), []byte("{}")); err != nil {
		t.Fatal(err)
	}
	var file bytes.Buffer
	done := make(chan error, 1)
	go func() { // changes under way do not tear it
		var err error
		for v := 1; v < 40 && err == nil; v++ {
			err = f.SaveSettings(f.ctx, f.owner, id, v, f.profile, settings(v%9))
		}
		done <- err
	}()
	m, err := f.Backup(f.ctx, &file, true)
	if err = errors.Join(err, <-done); err != nil || m.Rows["tunes"] != 2 || m.Rows["accounts"] != 2 {
		t.Fatal(m, err)
	}
	file.Reset()
	if _, err := f.Backup(f.ctx, &file, true); err != nil {
		t.Fatal(err)
	}
	loans, err := f.Loans(f.ctx, f.owner)
	for _, l := range loans { // no backup has links that are open
		if err == nil && l.To == (store.ID{}) {
			err = f.EndLoan(f.ctx, f.owner, l.ID)
		}
	}
	if err != nil || len(loans) != 2 {
		t.Fatal(loans, err)
	}
	want := everything(t, &f)
	var daily bytes.Buffer
	if m, err := f.Backup(f.ctx, &daily, false); err != nil || m.Rows["takes"] != 1 || daily.Len() > file.Len()/2 {
		t.Errorf("a copy without sounds: %v, %d bytes of %d", err, daily.Len(), file.Len())
	}

	g := newFixture(t)
	restore := func(data []byte, replace bool) error {
		_, err := g.Restore(g.ctx, bytes.NewReader(data), int64(len(data)), replace)
		return err
	}
	if err := restore(file.Bytes(), false); err != nil {
		t.Fatal(err)
	}
	g.owner, g.profile = f.owner, f.profile
	if err := g.SavePlan(g.ctx, g.owner, id, strings.Repeat("a", 64), []byte("{}")); err != nil {
		t.Fatal(err)
	}
	if got := everything(t, &g); !reflect.DeepEqual(got, want) {
		t.Errorf("came back as\n%v\nnot\n%v", got, want)
	}
	if who, created, err := g.FirstPlayer(g.ctx, "x"); who != f.owner || created || err != nil {
		t.Error(who, created, err)
	}
	if err := restore(file.Bytes(), false); !errors.Is(err, store.ErrNotEmpty) {
		t.Errorf("tunes are overwritten: %v", err)
	}
	for name, change := range map[string]func(name, text string) string{
		"damaged": func(name, text string) string {
			if name == "tunes.jsonl" {
				return strings.Replace(text, "Ünïcode", "Unicode", 1)
			}
			return text
		},
		"newer": func(_, text string) string { return strings.Replace(text, `"schema":`, `"schema":9`, 1) },
		"other": func(_, text string) string { return strings.Replace(text, "stepping-backup", "something", 1) },
	} {
		bad := (*store.BackupError)(nil)
		if err := restore(rewritten(t, file.Bytes(), change), true); !errors.As(err, &bad) {
			t.Errorf("a %s backup: %v", name, err)
		}
	}
	bad := (*store.BackupError)(nil)
	if err := restore(file.Bytes()[:file.Len()/2], true); !errors.As(err, &bad) {
		t.Errorf("half a backup: %v", err)
	}
	if err := restore(file.Bytes(), true); err != nil || len(g.list(t)) != 1 {
		t.Errorf("after the bad ones: %v", err)
	}
	// Until version 23 gigs were called occasions.
	older := rewritten(t, file.Bytes(), func(name, text string) string {
		if name == "manifest.json" || name == "a file's name" {
			return strings.Replace(strings.ReplaceAll(text, "gigs", "occasions"), `"schema":23`, `"schema":22`, 1)
		}
		return text
	})
	if err := restore(older, true); err != nil {
		t.Error(err)
	} else if gigs, err := g.Gigs().All(g.ctx, g.owner); err != nil || len(gigs) != 1 || gigs[0].Doc.Name != "Barn dance" {
		t.Errorf("gigs of an older backup: %v %+v", err, gigs)
	}
	if err := restore(daily.Bytes(), true); err != nil {
		t.Fatal(err)
	}
	takes, err := g.Takes(g.ctx, g.owner, id)
	if err != nil || len(takes) != 1 {
		t.Fatal(takes, err)
	}
	if _, err := g.TakeSound(g.ctx, g.owner, takes[0].ID, 0); !errors.Is(err, store.ErrNoSound) {
		t.Errorf("a sound that was left out: %v", err)
	}
}

func (f *fixture) list(t *testing.T) []store.Listed {
	t.Helper()
	out, err := f.List(f.ctx, f.owner)
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// rewritten is a zip whose files, and their names, were changed.
func rewritten(t *testing.T, data []byte, change func(name, text string) string) []byte {
	t.Helper()
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, f := range r.File {
		in, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(in)
		if err != nil {
			t.Fatal(err)
		}
		to, err := w.Create(change("a file's name", f.Name))
		if err == nil {
			_, err = io.WriteString(to, change(f.Name, string(text)))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}
