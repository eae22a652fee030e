package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"stepping/core/player"
	"stepping/core/setup"
)

// tuneColumns reads a tune; of a borrowed one (see migration 29) text, settings, version and player are the lender's, through the
// loan. Where the loan has ended, or the lender has deleted the tune, s is missing.
const tuneColumns = `SELECT t.id, t.owner_id, COALESCE(s.title, t.title), COALESCE(s.source, t.source), t.tags, COALESCE(s.version, t.version), COALESCE(l.profile_id, e.profile_id),
  e.settings, t.lender = '' AND e.seq > (SELECT MIN(f.seq) FROM edits f WHERE f.tune_id = t.id),
  t.lender = '' AND EXISTS (SELECT 1 FROM edits n WHERE n.tune_id = t.id AND n.seq = t.head + 1),
  t.lender, s.id IS NOT NULL, l.id, p.doc, h.level, h.ease` + tuneFrom + " WHERE t.gone_at IS NULL AND t.owner_id = ?"

const tuneFrom = ` FROM tunes t LEFT JOIN loans l ON l.id = t.loan_id AND l.to_id = t.owner_id
  LEFT JOIN tunes s ON s.id = l.tune_id AND s.owner_id = l.owner_id AND s.gone_at IS NULL
  JOIN edits e ON e.tune_id = COALESCE(s.id, t.id) AND e.seq = COALESCE(s.head, t.head)
  LEFT JOIN profiles p ON p.id = l.profile_id AND p.owner_id = l.owner_id
  LEFT JOIN sheets h ON h.owner_id = l.owner_id AND h.tune_id = l.tune_id AND h.profile_id = l.profile_id`

func scanTune(row interface{ Scan(...any) error }) (Tune, error) {
	var t Tune
	var settings, pupil []byte
	var there bool
	var loan *ID
	var level sql.NullString
	var ease sql.NullInt64
	if err := row.Scan(&t.ID, &t.Owner, &t.Title, &t.Source, &t.Tags, &t.Version, &t.ProfileID, &settings, &t.CanUndo, &t.CanRedo,
		&t.Lender, &there, &loan, &pupil, &level, &ease); err != nil {
		return t, notFound(err)
	}
	if loan != nil {
		t.Loan = *loan
	}
	t.Ended = t.Lender != "" && !there
	if err := unmarshalSettings(t.ID, settings, &t.Settings); err != nil || pupil == nil || t.Ended {
		return t, err
	}
	prof := player.Default()
	if err := json.Unmarshal(pupil, &prof); err != nil {
		return t, fmt.Errorf("%w: the pupil of tune %s: %w", ErrUnreadable, t.ID, err)
	}
	t.Settings = t.Settings.For(&prof, player.Level{Name: level.String, Ease: int(ease.Int64)}.Or(prof.Level))
	return t, nil
}

// TunePlayer returns the player of a tune: of a borrowed one the lender's player that it is lent for. ErrNotFound.
func (s *Store) TunePlayer(ctx context.Context, owner, tune ID) (Profile, error) {
	p, err := scanProfile(s.q().QueryRowContext(ctx, "SELECT q.id, q.version, q.doc"+tuneFrom+
		" JOIN profiles q ON q.id = COALESCE(l.profile_id, e.profile_id) WHERE t.gone_at IS NULL AND t.owner_id = ? AND t.id = ?", owner, tune))
	if err != nil {
		return p, fmt.Errorf("player of tune %s: %w", tune, err)
	}
	return p, nil
}

func unmarshalSettings(tune ID, data []byte, st *setup.Settings) error {
	if err := json.Unmarshal(data, st); err != nil {
		return fmt.Errorf("%w: settings of tune %s: %w", ErrUnreadable, tune, err)
	}
	return nil
}

// Tunes returns the owner's tunes, oldest first, without borrowed ones whose loan has ended.
func (s *Store) Tunes(ctx context.Context, owner ID) ([]Tune, error) {
	rows, err := s.q().QueryContext(ctx, tuneColumns+" ORDER BY t.created_at, t.id", owner)
	if err != nil {
		return nil, fmt.Errorf("list tunes: %w", err)
	}
	defer rows.Close()
	var out []Tune
	for rows.Next() {
		t, err := scanTune(rows)
		if hidden(err) {
			continue
		}
		if err != nil {
			return nil, err
		}
		if !t.Ended {
			out = append(out, t)
		}
	}
	return out, rows.Err()
}

// SetFacts keeps what lists say of a tune's text, read at a version; a change of the text drops it. It changes no version.
func (s *Store) SetFacts(ctx context.Context, owner, id ID, version int, facts string) error {
	return s.inTx(ctx, "keep the facts", func(tx *sql.Tx) error {
		return deleted(tx.ExecContext(ctx, "UPDATE tunes SET facts = ? WHERE owner_id = ? AND id = ? AND (version = ? OR lender <> '')",
			cut(facts, 120), owner, id, version))
	})
}

// SetTags keeps the player's words for a tune. It changes no version. ErrNotFound.
func (s *Store) SetTags(ctx context.Context, owner, id ID, tags []string) error {
	return s.inTx(ctx, "keep the tags", func(tx *sql.Tx) error {
		if err := tx.QueryRowContext(ctx, "SELECT id FROM tunes WHERE gone_at IS NULL AND owner_id = ? AND id = ? FOR UPDATE",
			owner, id).Scan(new(ID)); err != nil {
			return notFound(err)
		}
		_, err := tx.ExecContext(ctx, "UPDATE tunes SET tags = ? WHERE owner_id = ? AND id = ?", cut(setup.TagText(tags), 255), owner, id)
		return err
	})
}

// Tune returns one tune of the owner's, or ErrNotFound.
func (s *Store) Tune(ctx context.Context, owner, id ID) (Tune, error) {
	t, err := scanTune(s.q().QueryRowContext(ctx, tuneColumns+" AND t.id = ?", owner, id))
	if err != nil {
		return t, fmt.Errorf("tune %s: %w", id, err)
	}
	return t, nil
}

// AddTune keeps a new tune with its first settings. ErrTooMany past the limit, ErrNotFound for a profile that
// the owner does not have.
func (s *Store) AddTune(ctx context.Context, owner ID, title, source string, profile ID, st setup.Settings) (ID, error) {
	id := newID()
	return id, s.AdoptTune(ctx, owner, id, &Adopted{title, source, []Edit{{profile, st, now()}}, 0})
}

// mayAddTune is ErrTooMany if the owner has as many tunes as are kept.
func mayAddTune(ctx context.Context, tx *sql.Tx, owner ID) error {
	return atMost(ctx, tx, "SELECT COUNT(*) FROM tunes WHERE gone_at IS NULL AND owner_id = ?", owner, maxTunes)
}

func insertTune(ctx context.Context, tx *sql.Tx, owner, id ID, title, source string, head int) error {
	at := now()
	_, err := tx.ExecContext(ctx, "INSERT INTO tunes (id, owner_id, title, source, head, version, created_at, updated_at) VALUES (?, ?, ?, ?, ?, 1, ?, ?)",
		id, owner, cut(title, 200), source, head, at, at)
	return taken(err)
}

// cut shortens s to at most n characters.
func cut(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n])
	}
	return s
}

func addEdit(ctx context.Context, tx *sql.Tx, owner, tune ID, seq int, profile ID, st setup.Settings, at time.Time) error {
	doc, err := json.Marshal(st)
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, "INSERT INTO edits (tune_id, seq, owner_id, profile_id, settings, tuning, created_at) VALUES (?, ?, ?, ?, ?, ?, ?)",
		tune, seq, owner, profile, doc, cut(st.Tuning, 120), at.UTC())
	return err
}

// head locks the tune and returns its head. ErrStale, ErrNotFound, ErrLent.
func head(ctx context.Context, tx *sql.Tx, owner, id ID, version int) (int, error) {
	if err := ownTune(ctx, tx, owner, id); err != nil {
		return 0, err
	}
	if err := lockVersion(ctx, tx, "SELECT version FROM tunes WHERE gone_at IS NULL AND owner_id = ? AND id = ? FOR UPDATE",
		owner, id, version); err != nil {
		return 0, err
	}
	var h int
	err := tx.QueryRowContext(ctx, "SELECT head FROM tunes WHERE id = ?", id).Scan(&h)
	return h, err
}

func setHead(ctx context.Context, tx *sql.Tx, id ID, h int) error {
	_, err := tx.ExecContext(ctx, "UPDATE tunes SET head = ?, version = version + 1, updated_at = ? WHERE id = ?", h, now(), id)
	return err
}

// SaveSettings makes st the tune's settings, as a new step that can be undone; steps that
// were undone are forgotten, and steps beyond the oldest 200. ErrStale, ErrNotFound.
func (s *Store) SaveSettings(ctx context.Context, owner, id ID, version int, profile ID, st setup.Settings) error {
	return s.inTx(ctx, "keep the settings", func(tx *sql.Tx) error {
		h, err := head(ctx, tx, owner, id, version)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM edits WHERE tune_id = ? AND (seq > ? OR seq <= ?)", id, h, h-maxEdits); err != nil {
			return err
		}
		if err := addEdit(ctx, tx, owner, id, h+1, profile, st, now()); err != nil {
			return err
		}
		return setHead(ctx, tx, id, h+1)
	})
}

// SaveSource replaces the tune's text and title, read at the given version; settings and
// pins stay. ErrStale, ErrNotFound.
func (s *Store) SaveSource(ctx context.Context, owner, id ID, version int, title, source string) error {
	return s.inTx(ctx, "keep the text", func(tx *sql.Tx) error {
		if _, err := head(ctx, tx, owner, id, version); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "UPDATE tunes SET title = ?, source = ?, facts = '', melody = NULL, version = version + 1, updated_at = ? WHERE id = ?", cut(title, 200), source, now(), id)
		return err
	})
}

// Step moves the tune's head by one edit: -1 undoes, +1 redoes. ErrNoEdit if there is none
// that way, ErrStale, ErrNotFound.
func (s *Store) Step(ctx context.Context, owner, id ID, version, by int) error {
	return s.inTx(ctx, "undo or redo", func(tx *sql.Tx) error {
		h, err := head(ctx, tx, owner, id, version)
		if err != nil {
			return err
		}
		var one int
		err = tx.QueryRowContext(ctx, "SELECT 1 FROM edits WHERE tune_id = ? AND seq = ?", id, h+by).Scan(&one)
		if errors.Is(err, sql.ErrNoRows) {
			return ErrNoEdit
		}
		if err != nil {
			return err
		}
		return setHead(ctx, tx, id, h+by)
	})
}

// goneFor is how long a deleted tune can be brought back.
const goneFor = 30 * 24 * time.Hour

// DeleteTune takes a tune away with everything of it; for a month BringBackTune brings it back. ErrNotFound.
func (s *Store) DeleteTune(ctx context.Context, owner, id ID) error {
	return s.inTx(ctx, "delete the tune", func(tx *sql.Tx) error {
		return deleted(tx.ExecContext(ctx, "UPDATE tunes SET gone_at = ? WHERE gone_at IS NULL AND owner_id = ? AND id = ?", now(), owner, id))
	})
}

// BringBackTune brings a deleted tune back. ErrNotFound if there is none, ErrTooMany if there are too many others by now.
func (s *Store) BringBackTune(ctx context.Context, owner, id ID) error {
	return s.inTx(ctx, "bring the tune back", func(tx *sql.Tx) error {
		if err := mayAddTune(ctx, tx, owner); err != nil {
			return err
		}
		return deleted(tx.ExecContext(ctx, "UPDATE tunes SET gone_at = NULL WHERE gone_at IS NOT NULL AND owner_id = ? AND id = ?", owner, id))
	})
}

// GoneTunes are the deleted tunes that can be brought back, the one deleted last first, with their titles alone.
func (s *Store) GoneTunes(ctx context.Context, owner ID) (out []Listed, err error) {
	rows, err := s.q().QueryContext(ctx,
		"SELECT id, title FROM tunes WHERE gone_at IS NOT NULL AND owner_id = ? ORDER BY gone_at DESC, id LIMIT 100", owner)
	if err != nil {
		return nil, fmt.Errorf("list deleted tunes: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var l Listed
		if err := rows.Scan(&l.ID, &l.Title); err != nil {
			return nil, err
		}
		out = append(out, l)
	}
	return out, rows.Err()
}

// SavePlan keeps the plan document of a tune; basis identifies what it was worked out from. ErrNotFound.
func (s *Store) SavePlan(ctx context.Context, owner, tune ID, basis string, doc []byte) error {
	return s.inTx(ctx, "keep the plan", func(tx *sql.Tx) error {
		var one int // or another's plan would be replaced: a tune has one
		if err := tx.QueryRowContext(ctx, "SELECT 1 FROM tunes WHERE owner_id = ? AND id = ? FOR UPDATE", owner, tune).Scan(&one); err != nil {
			return notFound(err)
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO plans (tune_id, owner_id, basis, doc, created_at) VALUES (?, ?, ?, ?, ?)
			ON DUPLICATE KEY UPDATE basis = VALUES(basis), doc = VALUES(doc), created_at = VALUES(created_at)`, tune, owner, basis, doc, now())
		return err
	})
}

// Plan returns the kept plan document of a tune if it has that basis, or ErrNotFound.
func (s *Store) Plan(ctx context.Context, owner, tune ID, basis string) ([]byte, error) {
	var doc []byte
	err := s.q().QueryRowContext(ctx, "SELECT doc FROM plans WHERE owner_id = ? AND tune_id = ? AND basis = ?", owner, tune, basis).Scan(&doc)
	if err != nil {
		return nil, fmt.Errorf("plan of tune %s: %w", tune, notFound(err))
	}
	return doc, nil
}
