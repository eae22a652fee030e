package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"
)

// Result is what long work about a tune has found, or has found so far.
type Result struct {
	Basis   string // what it was worked out from
	Doc     []byte
	Running bool // some copy of the program is at it
}

// LadderResult is the kind of result that holds the rungs of a tune's ladder: sittings are planned from them
// over all tunes, without planning any.
const LadderResult = "ladder"

// heartbeat is how old what is saved of work under way may be before its copy counts as gone; SavedEvery is how often to save it.
const (
	heartbeat  = 12 * time.Second
	SavedEvery = 3 * time.Second
)

// SaveResult keeps what work of a kind about a tune has found; underWay says that it goes on. wanted is false
// if somebody has stopped it in the meantime. ErrNotFound once the tune is gone.
func (s *Store) SaveResult(ctx context.Context, owner, tune ID, kind, basis string, doc []byte, underWay, first bool) (wanted bool, err error) {
	err = s.inTx(ctx, "keep what was found", func(tx *sql.Tx) error {
		wanted = true
		if !first {
			err := tx.QueryRowContext(ctx, "SELECT wanted FROM results WHERE owner_id = ? AND tune_id = ? AND kind = ? FOR UPDATE",
				owner, tune, kind).Scan(&wanted)
			if err != nil && !errors.Is(err, sql.ErrNoRows) {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO results (owner_id, tune_id, kind, basis, doc, under_way, wanted, saved_at) VALUES (?, ?, ?, ?, ?, ?, TRUE, ?)
			ON DUPLICATE KEY UPDATE basis = VALUES(basis), doc = VALUES(doc), under_way = VALUES(under_way), wanted = ?, saved_at = VALUES(saved_at)`,
			owner, tune, kind, cut(basis, 255), doc, underWay, now(), wanted)
		return err
	})
	return wanted, err
}

// Result returns what is kept of a kind about a tune, or ErrNotFound.
func (s *Store) Result(ctx context.Context, owner, tune ID, kind string) (r Result, err error) {
	var saved time.Time
	err = s.q().QueryRowContext(ctx, "SELECT basis, doc, under_way, saved_at FROM results WHERE owner_id = ? AND tune_id = ? AND kind = ?", owner, tune, kind).Scan(&r.Basis, &r.Doc, &r.Running, &saved)
	if err != nil {
		return r, fmt.Errorf("%s of tune %s: %w", kind, tune, notFound(err))
	}
	r.Running = r.Running && now().Sub(saved) < heartbeat
	return r, nil
}

// StopResult asks the copy that works at it to stop. ErrNotFound.
func (s *Store) StopResult(ctx context.Context, owner, tune ID, kind string) error {
	return s.inTx(ctx, "stop", func(tx *sql.Tx) error {
		return deleted(tx.ExecContext(ctx, "UPDATE results SET wanted = FALSE WHERE owner_id = ? AND tune_id = ? AND kind = ?", owner, tune, kind))
	})
}
