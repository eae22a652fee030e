package store

import (
	"context"
	"database/sql"
	"fmt"
	"strings"

	"stepping/core/lick"
)

// Lick is a lick that is kept, with the tune that it comes from.
type Lick struct {
	lick.Kept
	Tune ID  `json:"tune"` // which may be deleted by now
	Bar  int `json:"bar"`  // its first, from 1 as played
}

// Licks are the owner's.
func (s *Store) Licks() shelf[Lick] {
	return shelf[Lick]{s, "licks", 500, func(l *Lick) string { return cut(l.Name, 80) }}
}

// Unread is a tune whose melody is not known yet.
type Unread struct {
	ID      ID
	Source  string
	Version int
}

// UnreadMelodies lists tunes of the owner's own in which licks cannot be looked for yet, at most so many.
func (s *Store) UnreadMelodies(ctx context.Context, owner ID, most int) (out []Unread, err error) {
	rows, err := s.q().QueryContext(ctx, "SELECT id, source, version FROM tunes WHERE owner_id = ? AND gone_at IS NULL AND lender = '' AND melody IS NULL LIMIT ?", owner, most)
	if err != nil {
		return nil, fmt.Errorf("list melodies: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var u Unread
		if err := rows.Scan(&u.ID, &u.Source, &u.Version); err != nil {
			return nil, err
		}
		out = append(out, u)
	}
	return out, rows.Err()
}

// SetMelodies keeps the melodies of tunes (lick.Encode), by the tunes that they were read from; a tune that was changed since is left out.
func (s *Store) SetMelodies(ctx context.Context, owner ID, of []Unread, melodies []string) error {
	return s.inTx(ctx, "keep melodies", func(tx *sql.Tx) error {
		for i := range of {
			if _, err := tx.ExecContext(ctx, "UPDATE tunes SET melody = ? WHERE owner_id = ? AND id = ? AND version = ?", melodies[i], owner, of[i].ID, of[i].Version); err != nil {
				return err
			}
		}
		return nil
	})
}

// WithLick is a tune in which a pattern was found.
type WithLick struct {
	ID            ID
	Title, Lender string
	Melody        string
}

// FindMelodies lists the owner's tunes, borrowed ones too, whose melodies have any of some patterns, by title, at most so many.
func (s *Store) FindMelodies(ctx context.Context, owner ID, patterns []string, most int) (out []WithLick, err error) {
	const melody = "COALESCE(s.melody, t.melody)"
	args := []any{owner}
	for _, p := range patterns {
		args = append(args, p)
	}
	rows, err := s.q().QueryContext(ctx, "SELECT t.id, t.title, t.lender, "+melody+` FROM tunes t LEFT JOIN loans l ON l.id = t.loan_id AND l.to_id = t.owner_id
		LEFT JOIN tunes s ON s.id = l.tune_id AND s.owner_id = l.owner_id AND s.gone_at IS NULL
		WHERE t.owner_id = ? AND t.gone_at IS NULL AND (`+strings.TrimSuffix(strings.Repeat("LOCATE(?, "+melody+") OR ", len(patterns)), " OR ")+") ORDER BY t.title, t.id LIMIT ?",
		append(args, most)...)
	if err != nil {
		return nil, fmt.Errorf("find a lick: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var w WithLick
		if err := rows.Scan(&w.ID, &w.Title, &w.Lender, &w.Melody); err != nil {
			return nil, err
		}
		out = append(out, w)
	}
	return out, rows.Err()
}
