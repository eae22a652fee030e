package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"

	"stepping/core/intonation"
)

// MaxSlideNotes is how many notes of the trainer for the slide are kept for one player; the oldest go first.
const MaxSlideNotes = 5000

// AddSlideNotes keeps notes that a player stopped with the slide. ErrNotFound for a player whom the owner does not have.
func (s *Store) AddSlideNotes(ctx context.Context, owner, profile ID, notes ...intonation.Played) error {
	return s.inTx(ctx, "keep what was played with the slide", func(tx *sql.Tx) error {
		var one int
		if err := tx.QueryRowContext(ctx, "SELECT 1 FROM profiles WHERE owner_id = ? AND id = ? FOR UPDATE", owner, profile).Scan(&one); err != nil {
			return notFound(err)
		}
		for i := range notes {
			doc, err := json.Marshal(&notes[i])
			if err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, "INSERT INTO slide_notes (id, owner_id, profile_id, at, doc) VALUES (?, ?, ?, ?, ?)",
				newID(), owner, profile, notes[i].At.UTC(), doc); err != nil {
				return err
			}
		}
		var have int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM slide_notes WHERE owner_id = ? AND profile_id = ?", owner, profile).Scan(&have); err != nil {
			return err
		}
		if have <= MaxSlideNotes {
			return nil
		}
		_, err := tx.ExecContext(ctx, "DELETE FROM slide_notes WHERE owner_id = ? AND profile_id = ? ORDER BY at, id LIMIT ?", owner, profile, have-MaxSlideNotes)
		return err
	})
}

// SlideNotes are the notes that a player stopped with the slide, oldest first, in UTC; none for a player whom the
// owner does not have.
func (s *Store) SlideNotes(ctx context.Context, owner, profile ID) (out []intonation.Played, err error) {
	rows, err := s.q().QueryContext(ctx, "SELECT doc FROM slide_notes WHERE owner_id = ? AND profile_id = ? ORDER BY at, id", owner, profile)
	if err != nil {
		return nil, fmt.Errorf("read what was played with the slide: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var doc []byte
		var p intonation.Played
		if err := rows.Scan(&doc); err != nil {
			return nil, err
		}
		if err := json.Unmarshal(doc, &p); err != nil {
			return nil, fmt.Errorf("%w: a note of the slide: %w", ErrUnreadable, err)
		}
		out = append(out, p)
	}
	return slices.Clip(out), rows.Err()
}
