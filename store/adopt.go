package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/go-sql-driver/mysql"

	"stepping/core/player"
	"stepping/core/setup"
)

// ErrTaken is returned if something of another owner's has the key already.
var ErrTaken = errors.New("this key is taken")

// taken turns the database's refusal of a key into ErrTaken.
func taken(err error) error {
	var e *mysql.MySQLError
	if errors.As(err, &e) && e.Number == 1062 {
		return fmt.Errorf("%w: %w", ErrTaken, err)
	}
	return err
}

// AdoptProfile keeps a profile under a key that it had elsewhere. ErrTaken, ErrTooMany.
func (s *Store) AdoptProfile(ctx context.Context, owner, id ID, p player.Profile) error {
	return s.addProfile(ctx, owner, id, p)
}

// Adopt keeps a document under a key that it had elsewhere. ErrTaken, ErrTooMany.
func (sh shelf[T]) Adopt(ctx context.Context, owner, id ID, doc *T) error {
	return sh.add(ctx, owner, id, doc)
}

// Edit is one state of a tune's settings.
type Edit struct {
	Profile  ID
	Settings setup.Settings
	At       time.Time
}

// History returns the states of a tune's settings that can be undone and redone, oldest first, and which is in force. ErrNotFound.
func (s *Store) History(ctx context.Context, owner, tune ID) (edits []Edit, head int, err error) {
	rows, err := s.q().QueryContext(ctx, `SELECT e.profile_id, e.settings, e.created_at, e.seq = t.head FROM edits e JOIN tunes t ON t.id = e.tune_id
		WHERE t.gone_at IS NULL AND t.owner_id = ? AND t.id = ? ORDER BY e.seq`, owner, tune)
	if err != nil {
		return nil, 0, fmt.Errorf("history of tune %s: %w", tune, err)
	}
	defer rows.Close()
	head = -1
	for rows.Next() {
		var e Edit
		var settings []byte
		var now bool
		if err := rows.Scan(&e.Profile, &settings, &e.At, &now); err != nil {
			return nil, 0, err
		}
		if err := unmarshalSettings(tune, settings, &e.Settings); hidden(err) {
			continue
		}
		if now {
			head = len(edits)
		}
		edits = append(edits, e)
	}
	if err := rows.Err(); err != nil {
		return nil, 0, err
	}
	if head < 0 {
		return nil, 0, ErrNotFound
	}
	return edits, head, nil
}

// Adopted is a tune that comes with its history.
type Adopted struct {
	Title, Source string
	Edits         []Edit // one to MostHistory, oldest first
	Head          int    // which is in force
}

// MostHistory is how many states of a tune's settings are kept: those that can be undone, the one in force, those that can be redone.
const MostHistory = 2*maxEdits + 1

// AdoptTune keeps a tune under a key that it had elsewhere. ErrTaken, ErrTooMany, ErrNotFound for a profile that the owner does not have.
func (s *Store) AdoptTune(ctx context.Context, owner, id ID, t *Adopted) error {
	return s.inTx(ctx, "keep the tune", func(tx *sql.Tx) error {
		if err := mayAddTune(ctx, tx, owner); err != nil {
			return err
		}
		if err := insertTune(ctx, tx, owner, id, t.Title, t.Source, t.Head+1); err != nil {
			return err
		}
		for i := range t.Edits {
			e := &t.Edits[i]
			if err := addEdit(ctx, tx, owner, id, i+1, e.Profile, e.Settings, e.At); err != nil {
				return err
			}
		}
		return nil
	})
}

// HasTune reports whether the owner has a tune, and whether it was deleted and can be brought back.
func (s *Store) HasTune(ctx context.Context, owner, id ID) (has, gone bool, err error) {
	err = s.q().QueryRowContext(ctx, "SELECT gone_at IS NOT NULL FROM tunes WHERE owner_id = ? AND id = ?", owner, id).Scan(&gone)
	if errors.Is(err, sql.ErrNoRows) {
		return false, false, nil
	}
	return err == nil, gone, err
}

// AdoptTake keeps a take under a key that it had elsewhere; see AddTake. ErrTaken.
func (s *Store) AdoptTake(ctx context.Context, owner, id ID, t *Take, sound func() (io.Reader, error)) error {
	return s.addTake(ctx, owner, id, t, sound)
}

// TakesSize is what an owner's recordings take up.
type TakesSize struct {
	ID, Tune ID
	Title    string // of the tune
	At       time.Time
	Name     string
	Bytes    int64
	Gone     bool // the tune is deleted, and can be brought back for a month
}

// AllTakes are the owner's recordings of all tunes, the oldest or the largest first, without what was heard; of deleted tunes too,
// which go in a month.
func (s *Store) AllTakes(ctx context.Context, owner ID, largestFirst bool) (out []TakesSize, err error) {
	order := "k.at, k.id"
	if largestFirst {
		order = "k.samples DESC, " + order
	}
	rows, err := s.q().QueryContext(ctx, "SELECT k.id, k.tune_id, t.title, k.at, k.name, k.samples, t.gone_at IS NOT NULL FROM takes k JOIN tunes t ON t.id = k.tune_id AND t.owner_id = k.owner_id WHERE k.owner_id = ? ORDER BY "+order, owner)
	if err != nil {
		return nil, fmt.Errorf("list the recordings: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var t TakesSize
		if err := rows.Scan(&t.ID, &t.Tune, &t.Title, &t.At, &t.Name, &t.Bytes, &t.Gone); err != nil {
			return nil, err
		}
		t.Bytes *= sampleBytes
		out = append(out, t)
	}
	return out, rows.Err()
}
