package store

import (
	"context"
	"database/sql"
	"fmt"
	"slices"

	"stepping/core/player"
)

// Sheet says that a tune has a sheet for one of the owner's players, at a level.
type Sheet struct {
	Profile ID
	Level   player.Level
}

// maxSheets is how many sheets a tune has at most.
const maxSheets = 60

// Sheets are the sheets of a tune, by player.
func (s *Store) Sheets(ctx context.Context, owner, tune ID) ([]Sheet, error) {
	return sheets(ctx, s.q(), owner, tune)
}

func sheets(ctx context.Context, q querier, owner, tune ID) (out []Sheet, err error) {
	rows, err := q.QueryContext(ctx, "SELECT profile_id, level, ease FROM sheets WHERE owner_id = ? AND tune_id = ? ORDER BY profile_id", owner, tune)
	if err != nil {
		return nil, fmt.Errorf("list sheets: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var sh Sheet
		if err := rows.Scan(&sh.Profile, &sh.Level.Name, &sh.Level.Ease); err != nil {
			return nil, err
		}
		out = append(out, sh)
	}
	return out, rows.Err()
}

// SetSheets makes want the sheets of a tune, where they are still had, in any order. ErrStale if they are not, ErrNotFound for a tune or player
// that the owner does not have, ErrTooMany.
func (s *Store) SetSheets(ctx context.Context, owner, tune ID, had, want []Sheet) error {
	if len(want) > maxSheets {
		return fmt.Errorf("%w: a tune has at most %d sheets", ErrTooMany, maxSheets)
	}
	return s.inTx(ctx, "keep the sheets", func(tx *sql.Tx) error {
		if err := ownTune(ctx, tx, owner, tune); err != nil {
			return err
		}
		are, err := sheets(ctx, tx, owner, tune)
		if err != nil {
			return err
		}
		if !slices.Equal(are, sorted(had)) {
			return ErrStale
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM sheets WHERE owner_id = ? AND tune_id = ?", owner, tune); err != nil {
			return err
		}
		for _, sh := range want {
			res, err := tx.ExecContext(ctx, "INSERT INTO sheets (owner_id, tune_id, profile_id, level, ease) SELECT ?, ?, id, ?, ? FROM profiles WHERE owner_id = ? AND id = ?",
				owner, tune, cut(sh.Level.Name, player.LongestLevel), sh.Level.Ease, owner, sh.Profile)
			if err := deleted(res, err); err != nil {
				return err
			}
		}
		return nil
	})
}

// sorted is sheets in the order of the database.
func sorted(of []Sheet) []Sheet {
	out := slices.Clone(of)
	slices.SortFunc(out, func(a, b Sheet) int { return slices.Compare(a.Profile[:], b.Profile[:]) })
	return out
}

// ownTune locks a tune of the owner's. ErrNotFound, ErrLent for one that is borrowed.
func ownTune(ctx context.Context, tx *sql.Tx, owner, tune ID) error {
	var lender string
	err := tx.QueryRowContext(ctx, "SELECT lender FROM tunes WHERE gone_at IS NULL AND owner_id = ? AND id = ? FOR UPDATE", owner, tune).Scan(&lender)
	if err == nil && lender != "" {
		return ErrLent
	}
	return notFound(err)
}

// ownProfile makes sure of a player of the owner's. ErrNotFound.
func ownProfile(ctx context.Context, tx *sql.Tx, owner, profile ID) error {
	return notFound(tx.QueryRowContext(ctx, "SELECT id FROM profiles WHERE owner_id = ? AND id = ?", owner, profile).Scan(new(ID)))
}

// Remark is what a teacher writes at a bar.
type Remark struct {
	For  ID  // one of the teacher's players; zero for everybody
	Bar  int // from 1, as played
	Text string
}

// maxRemarks is how many remarks a tune has at most.
const maxRemarks = 1000

// SetRemark keeps a remark in place of what was there; "" removes it. ErrStale if the text there is not was any more, ErrNotFound
// for a tune or player that the owner does not have, ErrLent, ErrTooMany.
func (s *Store) SetRemark(ctx context.Context, owner, tune ID, r Remark, was string) error {
	return s.inTx(ctx, "keep the remark", func(tx *sql.Tx) error {
		if err := ownTune(ctx, tx, owner, tune); err != nil {
			return err
		}
		if r.For != (ID{}) {
			if err := ownProfile(ctx, tx, owner, r.For); err != nil {
				return err
			}
		}
		var is string
		err := tx.QueryRowContext(ctx, "SELECT remark FROM remarks WHERE owner_id = ? AND tune_id = ? AND profile_id = ? AND bar = ?", owner, tune, r.For, r.Bar).Scan(&is)
		if err := ignoreNone(err); err != nil {
			return err
		}
		if is != was {
			return ErrStale
		}
		if r.Text == "" {
			_, err := tx.ExecContext(ctx, "DELETE FROM remarks WHERE owner_id = ? AND tune_id = ? AND profile_id = ? AND bar = ?", owner, tune, r.For, r.Bar)
			return err
		}
		var n int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM remarks WHERE owner_id = ? AND tune_id = ?", owner, tune).Scan(&n); err != nil {
			return err
		}
		if n >= maxRemarks {
			return fmt.Errorf("%w: a tune has at most %d remarks", ErrTooMany, maxRemarks)
		}
		_, err = tx.ExecContext(ctx, "INSERT INTO remarks (owner_id, tune_id, profile_id, bar, remark) VALUES (?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE remark = VALUES(remark)",
			owner, tune, r.For, r.Bar, cut(r.Text, mostNote))
		return err
	})
}

// Remarks are those at the bars of a tune, bar by bar: of the owner's own tune all that the owner wrote, of a borrowed one those that its
// lender wrote for everybody or for this borrower.
func (s *Store) Remarks(ctx context.Context, owner, tune ID) (out []Remark, err error) {
	rows, err := s.q().QueryContext(ctx, `SELECT r.profile_id, r.bar, r.remark FROM remarks r WHERE r.owner_id = ? AND r.tune_id = ?
		UNION ALL SELECT r.profile_id, r.bar, r.remark FROM tunes t JOIN loans l ON l.id = t.loan_id AND l.to_id = t.owner_id
		  JOIN remarks r ON r.owner_id = l.owner_id AND r.tune_id = l.tune_id AND (r.profile_id = ? OR r.profile_id = l.profile_id)
		  WHERE t.owner_id = ? AND t.id = ? ORDER BY bar, profile_id`, owner, tune, ID{}, owner, tune)
	if err != nil {
		return nil, fmt.Errorf("list remarks: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var r Remark
		if err := rows.Scan(&r.For, &r.Bar, &r.Text); err != nil {
			return nil, err
		}
		out = append(out, r)
	}
	return out, rows.Err()
}
