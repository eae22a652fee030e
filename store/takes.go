package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"time"
)

// Take is a recording of a tune that is kept, with what was heard in it.
type Take struct {
	ID      ID
	Tune    ID
	At      time.Time
	Name    string          // of the file
	Samples int64           // of its sound, 48,000 a second
	Plan    string          // basis of the plan that it was judged by
	Doc     json.RawMessage // what was heard
}

// Bounds of what is kept: bytes of all sounds of an owner, of one block, and bytes a sample.
const (
	MostSound   = 2 << 30
	TakeBlock   = 1 << 20
	sampleBytes = 2
)

// ErrNoSound is a take whose sound is not here: it came back from a daily copy, which leaves sounds out.
var ErrNoSound = fmt.Errorf("%w: the sound of this recording is no longer saved", ErrNotFound)

// AddTake keeps a take with its sound, which it may open more than once. ErrTooMany if the owner's sounds
// would be more than 2 GiB, ErrNotFound for a tune that they do not have.
func (s *Store) AddTake(ctx context.Context, owner ID, t *Take, sound func() (io.Reader, error)) (ID, error) {
	id := newID()
	return id, s.addTake(ctx, owner, id, t, sound)
}

func (s *Store) addTake(ctx context.Context, owner, id ID, t *Take, sound func() (io.Reader, error)) error {
	return s.inTx(ctx, "keep the recording", func(tx *sql.Tx) error {
		var kept int64
		if err := tx.QueryRowContext(ctx, "SELECT COALESCE(SUM(samples), 0) FROM takes WHERE owner_id = ?", owner).Scan(&kept); err != nil {
			return err
		}
		if (kept+t.Samples)*sampleBytes > MostSound {
			return fmt.Errorf("%w: recordings of %.1f GiB are saved already", ErrTooMany, float64(kept)*sampleBytes/(1<<30))
		}
		if _, err := tx.ExecContext(ctx, "INSERT INTO takes (id, owner_id, tune_id, at, name, samples, plan, doc) VALUES (?, ?, ?, ?, ?, ?, ?, ?)", id, owner, t.Tune, t.At.UTC(), cut(t.Name, 255), t.Samples, t.Plan, []byte(t.Doc)); err != nil {
			return taken(err)
		}
		in, err := sound()
		if err != nil {
			return err
		}
		block := make([]byte, TakeBlock)
		for number := 0; ; number++ {
			n, err := io.ReadFull(in, block)
			if n > 0 {
				if _, err := tx.ExecContext(ctx, "INSERT INTO take_blocks (owner_id, take_id, number, data) VALUES (?, ?, ?, ?)",
					owner, id, number, block[:n]); err != nil {
					return err
				}
			}
			if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
				return nil
			}
			if err != nil {
				return err
			}
		}
	})
}

const takeColumns = "SELECT id, tune_id, at, name, samples, plan, doc FROM takes WHERE owner_id = ? AND tune_id = ?"

// mostTakes is how many takes of a tune are listed.
const mostTakes = 100

// Takes are the latest takes of a tune, the latest first; none for a tune that the owner does not have.
func (s *Store) Takes(ctx context.Context, owner, tune ID) (out []Take, err error) {
	rows, err := s.q().QueryContext(ctx, takeColumns+" ORDER BY at DESC, id DESC LIMIT ?", owner, tune, mostTakes)
	if err != nil {
		return nil, fmt.Errorf("list the recordings: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var t Take
		if err := t.scan(rows.Scan); err != nil {
			return nil, fmt.Errorf("list the recordings: %w", err)
		}
		out = append(out, t)
	}
	return out, rows.Err()
}

// Take is one take of a tune. ErrNotFound.
func (s *Store) Take(ctx context.Context, owner, tune, id ID) (*Take, error) {
	var t Take
	if err := t.scan(s.q().QueryRowContext(ctx, takeColumns+" AND id = ?", owner, tune, id).Scan); err != nil {
		return nil, notFound(err)
	}
	return &t, nil
}

// LastTake is the latest take of a tune that was judged by a plan of this basis. ErrNotFound.
func (s *Store) LastTake(ctx context.Context, owner, tune ID, plan string) (*Take, error) {
	var t Take
	if err := t.scan(s.q().QueryRowContext(ctx, takeColumns+" AND plan = ? ORDER BY at DESC, id DESC LIMIT 1", owner, tune, plan).Scan); err != nil {
		return nil, notFound(err)
	}
	return &t, nil
}

func (t *Take) scan(scan func(...any) error) error {
	return scan(&t.ID, &t.Tune, &t.At, &t.Name, &t.Samples, &t.Plan, &t.Doc)
}

// TakeSound is one block of a take's sound, counted from 0. ErrNoSound if it is not there.
func (s *Store) TakeSound(ctx context.Context, owner, id ID, number int) (data []byte, err error) {
	err = s.q().QueryRowContext(ctx, "SELECT data FROM take_blocks WHERE owner_id = ? AND take_id = ? AND number = ?", owner, id, number).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNoSound
	}
	if err != nil {
		return nil, fmt.Errorf("read the recording: %w", err)
	}
	return data, nil
}

// DeleteTake drops a take. ErrNotFound.
func (s *Store) DeleteTake(ctx context.Context, owner, tune, id ID) error {
	return s.inTx(ctx, "delete the recording", func(tx *sql.Tx) error {
		return deleted(tx.ExecContext(ctx, "DELETE FROM takes WHERE owner_id = ? AND tune_id = ? AND id = ?", owner, tune, id))
	})
}
