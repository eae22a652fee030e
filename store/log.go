package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"

	"stepping/core/practice"
)

// maxPasses is how many passes are kept for an owner: ten years at a hundred a day.
const maxPasses = 365_000

// AddPasses keeps passes over a tune. ErrTooMany past the limit, ErrNotFound for a tune that the owner does not have.
func (s *Store) AddPasses(ctx context.Context, owner, tune ID, passes ...practice.Pass) error {
	return s.inTx(ctx, "keep what was played", func(tx *sql.Tx) error {
		if err := atMost(ctx, tx, "SELECT COUNT(*) FROM passes WHERE owner_id = ?", owner, maxPasses); err != nil {
			return err
		}
		for i := range passes {
			p := &passes[i]
			var motion []byte
			if p.Move != nil {
				var err error
				if motion, err = json.Marshal(p.Move); err != nil {
					return err
				}
			}
			_, err := tx.ExecContext(ctx, `INSERT INTO passes (id, owner_id, tune_id, at, step, layer, bar_first, bar_last, tempo, verdict, seconds, plan, motion)
				VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`, newID(), owner, tune, p.At.UTC(), cut(p.Key, 160), p.Layer, p.Bars[0], p.Bars[1], p.Tempo, p.Verdict, p.Seconds, p.Plan, motion)
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// TakeBackPass forgets the last pass over a tune: a key pressed by mistake. ErrNotFound if there is none.
func (s *Store) TakeBackPass(ctx context.Context, owner, tune ID) error {
	return s.inTx(ctx, "take back what was played", func(tx *sql.Tx) error {
		return deleted(tx.ExecContext(ctx, `DELETE FROM passes WHERE owner_id = ? AND tune_id = ? AND EXISTS (SELECT 1 FROM tunes WHERE id = ? AND gone_at IS NULL)
			ORDER BY at DESC, id DESC LIMIT 1`, owner, tune, tune))
	})
}

// Played is the passes over one tune.
type Played struct {
	Tune   ID
	Passes []practice.Pass // oldest first, in UTC
}

const passColumns = "SELECT tune_id, at, step, layer, bar_first, bar_last, tempo, verdict, seconds, plan, motion FROM passes WHERE owner_id = ?"

// Passes are all passes of the owner's, by tune.
func (s *Store) Passes(ctx context.Context, owner ID) ([]Played, error) {
	return s.passes(ctx, passColumns+" ORDER BY tune_id, at, id", owner)
}

// PassesOver are the passes over one tune, oldest first; none for a tune that the owner does not have.
func (s *Store) PassesOver(ctx context.Context, owner, tune ID) ([]practice.Pass, error) {
	all, err := s.passes(ctx, passColumns+" AND tune_id = ? ORDER BY at, id", owner, tune)
	if err != nil || len(all) == 0 {
		return nil, err
	}
	return all[0].Passes, nil
}

// gone are the owner's deleted tunes, whose passes are out of sight.
func (s *Store) gone(ctx context.Context, owner ID) (map[ID]bool, error) {
	rows, err := s.q().QueryContext(ctx, "SELECT id FROM tunes WHERE owner_id = ? AND gone_at IS NOT NULL", owner)
	if err != nil {
		return nil, fmt.Errorf("read the log: %w", err)
	}
	defer rows.Close()
	out := map[ID]bool{}
	for rows.Next() {
		var id ID
		if err := rows.Scan(&id); err != nil {
			return nil, err
		}
		out[id] = true
	}
	return out, rows.Err()
}

func (s *Store) passes(ctx context.Context, query string, owner ID, args ...any) (out []Played, err error) {
	gone, err := s.gone(ctx, owner)
	if err != nil {
		return nil, err
	}
	rows, err := s.q().QueryContext(ctx, query, append([]any{owner}, args...)...)
	if err != nil {
		return nil, fmt.Errorf("read the log: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var tune ID
		var p practice.Pass
		var motion []byte
		if err := rows.Scan(&tune, &p.At, &p.Key, &p.Layer, &p.Bars[0], &p.Bars[1], &p.Tempo, &p.Verdict, &p.Seconds, &p.Plan, &motion); err != nil {
			return nil, err
		}
		if gone[tune] {
			continue
		}
		if motion != nil {
			if err := json.Unmarshal(motion, &p.Move); hidden(unreadable(err)) {
				continue
			}
		}
		if n := len(out); n == 0 || out[n-1].Tune != tune {
			out = append(out, Played{Tune: tune})
		}
		last := &out[len(out)-1]
		last.Passes = append(last.Passes, p)
	}
	return out, rows.Err()
}

// mostNote is how many characters a note next to a bar holds.
const mostNote = 300

// SetNote keeps what the player writes next to a bar, counted from 1 as played; "" takes it away. ErrNotFound
// for a tune that the owner does not have.
func (s *Store) SetNote(ctx context.Context, owner, tune ID, bar int, note string) error {
	return s.inTx(ctx, "keep the note", func(tx *sql.Tx) error {
		var one int
		if err := tx.QueryRowContext(ctx, "SELECT 1 FROM tunes WHERE owner_id = ? AND id = ?", owner, tune).Scan(&one); err != nil {
			return notFound(err)
		}
		if note == "" {
			_, err := tx.ExecContext(ctx, "DELETE FROM bar_notes WHERE owner_id = ? AND tune_id = ? AND bar = ?", owner, tune, bar)
			return err
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO bar_notes (owner_id, tune_id, bar, note) VALUES (?, ?, ?, ?) ON DUPLICATE KEY UPDATE note = VALUES(note)", owner, tune, bar, cut(note, mostNote))
		return err
	})
}

// Notes are what the player has written next to the bars of a tune, by bar.
func (s *Store) Notes(ctx context.Context, owner, tune ID) (map[int]string, error) {
	rows, err := s.q().QueryContext(ctx, "SELECT bar, note FROM bar_notes WHERE owner_id = ? AND tune_id = ?", owner, tune)
	if err != nil {
		return nil, fmt.Errorf("read the notes: %w", err)
	}
	defer rows.Close()
	out := map[int]string{}
	for rows.Next() {
		var bar int
		var note string
		if err := rows.Scan(&bar, &note); err != nil {
			return nil, err
		}
		out[bar] = note
	}
	return out, rows.Err()
}

// unreadable marks an error of a row that cannot be read.
func unreadable(err error) error {
	if err == nil {
		return nil
	}
	return fmt.Errorf("%w: a pass: %w", ErrUnreadable, err)
}

// Results are what is kept of a kind about all of the owner's tunes.
func (s *Store) Results(ctx context.Context, owner ID, kind string) (map[ID][]byte, error) {
	rows, err := s.q().QueryContext(ctx, "SELECT tune_id, doc FROM results WHERE owner_id = ? AND kind = ?", owner, kind)
	if err != nil {
		return nil, fmt.Errorf("list %s: %w", kind, err)
	}
	defer rows.Close()
	out := map[ID][]byte{}
	for rows.Next() {
		var id ID
		var doc []byte
		if err := rows.Scan(&id, &doc); err != nil {
			return nil, err
		}
		out[id] = doc
	}
	return out, rows.Err()
}

// Gig is a day on which tunes are played to others.
type Gig struct {
	Name  string `json:"name"`
	On    string `json:"on"` // 2006-01-02, in the place where it is
	Tunes []ID   `json:"tunes"`
}

// Gigs are the owner's.
func (s *Store) Gigs() shelf[Gig] {
	return shelf[Gig]{s, "gigs", 100, func(o *Gig) string { return cut(o.Name, 255) }}
}

// With reports whether a tune is played on the gig.
func (o *Gig) With(tune ID) bool { return slices.Contains(o.Tunes, tune) }
