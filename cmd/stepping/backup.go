package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"stepping/store"
)

// fileAndReplace reads a command's one file and --replace.
func fileAndReplace(command string, args []string) (file string, replace bool, err error) {
	for _, a := range args {
		switch {
		case a == "--replace":
			replace = true
		case file == "" && !strings.HasPrefix(a, "-"):
			file = a
		default:
			return "", false, &inputError{"stepping " + command + " FILE [--replace]: " + a + " is too much"}
		}
	}
	if file == "" {
		return "", false, &inputError{"stepping " + command + " FILE [--replace]: name a file"}
	}
	return file, replace, nil
}

// openJoined opens the database of this installation, also while Stepping runs.
func openJoined(ctx context.Context, out io.Writer) (st *store.Store, stop func(), err error) {
	dsn, _, end, err := database(ctx, out, joinDatabase)
	if err != nil {
		return nil, nil, err
	}
	if st, err = store.OpenPatient(ctx, dsn); err != nil {
		end()
		return nil, nil, err
	}
	return st, func() { st.Close(); end() }, nil
}

// backupCommand writes everything of this installation into one file.
func backupCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	file, replace, err := fileAndReplace("backup", args)
	if err != nil {
		return err
	}
	if _, err := os.Stat(file); err == nil && !replace {
		return &inputError{file + " is there already: choose another name, or add --replace"}
	}
	st, stop, err := openJoined(ctx, out)
	if err != nil {
		return err
	}
	defer stop()
	m, err := backUp(ctx, st, file, true)
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "%s: %d tunes of %d players.\n", file, m.Rows["tunes"], m.Rows["players"])
	return nil
}

// backUp writes a backup whole or not at all.
func backUp(ctx context.Context, st *store.Store, file string, withSounds bool) (m *store.Manifest, err error) {
	f, err := os.CreateTemp(filepath.Dir(file), ".stepping-backup-*") // mode 0600
	if err != nil {
		return nil, err
	}
	defer os.Remove(f.Name()) // after the renaming it is gone
	m, err = st.Backup(ctx, f, withSounds)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return nil, err
	}
	return m, os.Rename(f.Name(), file)
}

// restoreCommand puts a backup back.
func restoreCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	file, replace, err := fileAndReplace("restore", args)
	if err != nil {
		return err
	}
	f, err := os.Open(file)
	if err != nil {
		return &inputError{err.Error()}
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	bad := (*store.BackupError)(nil)
	if _, err := store.ReadManifest(f, info.Size()); errors.As(err, &bad) { // before a database is begun for it
		return &inputError{file + ": " + bad.Text}
	}
	st, stop, err := openJoined(ctx, out)
	if err != nil {
		return err
	}
	defer stop()
	m, err := st.Restore(ctx, f, info.Size(), replace)
	switch {
	case errors.Is(err, store.ErrNotEmpty):
		return &inputError{"a restore would delete the tunes that are here: back them up first, then add --replace"}
	case errors.As(err, &bad):
		return &inputError{file + ": " + bad.Text}
	case err != nil:
		return err
	}
	slog.Info("restored", "tunes", m.Rows["tunes"], "players", m.Rows["players"])
	fmt.Fprintf(out, "Restored as of %s: %d tunes of %d players. Everybody has to sign in again.\n",
		m.Made.Local().Format("2 January 2006, 15:04"), m.Rows["tunes"], m.Rows["players"])
	return nil
}

// Backups that are made by themselves: one a day, the last so many kept.
const (
	nightlyKept   = 7
	nightlyPrefix = "stepping-"
)

// nightly keeps a copy of each day in dir while ctx lasts.
func nightly(ctx context.Context, st *store.Store, dir string) {
	for {
		if err := copyOfToday(ctx, st, dir); err != nil && ctx.Err() == nil {
			slog.Error("today's copy of everything was not made", "dir", dir, "err", err)
		}
		if err := st.Tidy(ctx); err != nil && ctx.Err() == nil {
			slog.Error("old marks of changes were not deleted", "err", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Hour):
		}
	}
}

func copyOfToday(ctx context.Context, st *store.Store, dir string) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	file := filepath.Join(dir, nightlyPrefix+time.Now().Format(time.DateOnly)+".zip")
	if _, err := os.Stat(file); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if _, err := backUp(ctx, st, file, false); err != nil {
		return err
	}
	kept, err := filepath.Glob(filepath.Join(dir, nightlyPrefix+"????-??-??.zip"))
	slices.Sort(kept)
	for _, old := range kept[:max(0, len(kept)-nightlyKept)] {
		err = errors.Join(err, os.Remove(old))
	}
	return err
}
