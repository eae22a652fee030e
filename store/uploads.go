package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"sync/atomic"
	"time"
)

// Upload is a file that is being uploaded. It comes in numbered parts of UploadPart bytes, the last one smaller; when all are there it
// is given, then worked on, and done when that has led to a place or to a fault. Its parts then go.
type Upload struct {
	ID     ID
	Tune   ID     // the tune that it is for, zero for none
	Kind   string // what is to be done with it
	Name   string // of the file
	Fields map[string]string
	Parts  int
	Bytes  int64
	Given  bool
	Done   bool
	Place  string          // a path, "" if it came to nothing
	Fault  string          // why it came to nothing, for people
	Doc    json.RawMessage // what the work has found, {} if it is kept elsewhere
}

// Bounds of uploads: bytes of a part, of all parts of an owner that are here, how many uploads of an owner are not done, and
// how long one is kept after it was touched last.
const (
	UploadPart    = 1 << 20
	mostUploading = 3 << 30
	mostUploads   = 20
	uploadsLast   = 24 * time.Hour
)

const uploadColumns = `SELECT id, tune_id, kind, name, fields, parts, bytes, given, done, place, fault, doc FROM uploads WHERE owner_id = ?`

func (u *Upload) scan(scan func(...any) error) error {
	var tune sql.Null[ID]
	var fields []byte
	if err := scan(&u.ID, &tune, &u.Kind, &u.Name, &fields, &u.Parts, &u.Bytes, &u.Given, &u.Done, &u.Place, &u.Fault, &u.Doc); err != nil {
		return notFound(err)
	}
	u.Tune = tune.V
	return json.Unmarshal(fields, &u.Fields)
}

// BeginUpload begins an upload, or finds the one that was begun under the same token: so a second try is no second upload.
// ErrTooMany, ErrNotFound for a tune that the owner does not have.
func (s *Store) BeginUpload(ctx context.Context, owner ID, token string, u *Upload) (found *Upload, err error) {
	key, found := sha256.Sum256([]byte(token)), &Upload{}
	var tune any
	if u.Tune != (ID{}) {
		tune = u.Tune
	}
	err = s.inTx(ctx, "begin an upload", func(tx *sql.Tx) error {
		err := found.scan(tx.QueryRowContext(ctx, uploadColumns+" AND token = ? FOR UPDATE", owner, key[:]).Scan)
		if !errors.Is(err, ErrNotFound) {
			return err
		}
		if err := atMost(ctx, tx, "SELECT COUNT(*) FROM uploads WHERE owner_id = ? AND NOT done", owner, mostUploads); err != nil {
			return err
		}
		*found = Upload{ID: newID(), Tune: u.Tune, Kind: u.Kind, Name: cut(u.Name, 255), Fields: map[string]string{}, Doc: []byte("{}")}
		_, err = tx.ExecContext(ctx, `INSERT INTO uploads (id, owner_id, tune_id, token, kind, name, fields, parts, bytes, given, done, place, fault, doc, touched_at)
			VALUES (?, ?, ?, ?, ?, ?, '{}', 0, 0, FALSE, FALSE, '', '', '{}', ?)`, found.ID, owner, tune, key[:], found.Kind, found.Name, now())
		return err
	})
	return found, err
}

// lock finds an upload for a change of it.
func (u *Upload) lock(ctx context.Context, tx *sql.Tx, owner, id ID) error {
	return u.scan(tx.QueryRowContext(ctx, uploadColumns+" AND id = ? FOR UPDATE", owner, id).Scan)
}

// AddUploadPart keeps part number, from 0, of an upload; the same one once more does nothing. ErrStale for another one in its
// place or after the upload was given, ErrTooMany if the owner's parts would be more than 3 GiB, ErrNotFound.
func (s *Store) AddUploadPart(ctx context.Context, owner, id ID, number int, data []byte) error {
	if len(data) == 0 || len(data) > UploadPart || number < 0 || int64(number) >= mostUploading/UploadPart {
		return fmt.Errorf("part %d of %d bytes: %w", number, len(data), ErrTooMany)
	}
	sum := sha256.Sum256(data)
	return s.inTx(ctx, "keep a part", func(tx *sql.Tx) error {
		var u Upload
		if err := u.lock(ctx, tx, owner, id); err != nil {
			return err
		}
		var have []byte
		err := tx.QueryRowContext(ctx, "SELECT sum FROM upload_parts WHERE owner_id = ? AND upload_id = ? AND number = ?", owner, id, number).Scan(&have)
		switch {
		case err == nil && bytes.Equal(have, sum[:]):
			return nil
		case err == nil || u.Given:
			return ErrStale
		case !errors.Is(err, sql.ErrNoRows):
			return err
		}
		var all int64
		if err := tx.QueryRowContext(ctx, "SELECT COALESCE(SUM(bytes), 0) FROM uploads WHERE owner_id = ?", owner).Scan(&all); err != nil {
			return err
		}
		if all+int64(len(data)) > mostUploading {
			return fmt.Errorf("%w: %d MiB are being uploaded already", ErrTooMany, all>>20)
		}
		if _, err := tx.ExecContext(ctx, "INSERT INTO upload_parts (owner_id, upload_id, number, sum, data) VALUES (?, ?, ?, ?, ?)",
			owner, id, number, sum[:], data); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, "UPDATE uploads SET parts = parts + 1, bytes = bytes + ?, touched_at = ? WHERE owner_id = ? AND id = ?",
			len(data), now(), owner, id)
		return err
	})
}

// GiveUpload says that all of an upload is there, with the other fields of its form; once more does nothing. ErrStale if a part
// is missing, ErrNotFound.
func (s *Store) GiveUpload(ctx context.Context, owner, id ID, parts int, fields map[string]string) error {
	text, err := json.Marshal(fields)
	if err != nil {
		return err
	}
	return s.inTx(ctx, "give an upload", func(tx *sql.Tx) error {
		var u Upload
		if err := u.lock(ctx, tx, owner, id); err != nil || u.Given {
			return err
		}
		var last, whole int // the highest number, and how many are full
		if err := tx.QueryRowContext(ctx, "SELECT COALESCE(MAX(number), -1), COALESCE(SUM(LENGTH(data) = ?), 0) FROM upload_parts WHERE owner_id = ? AND upload_id = ?",
			UploadPart, owner, id).Scan(&last, &whole); err != nil {
			return err
		}
		if parts < 1 || u.Parts != parts || last != parts-1 || whole < parts-1 || u.Bytes <= int64(parts-1)*UploadPart {
			return ErrStale
		}
		_, err := tx.ExecContext(ctx, "UPDATE uploads SET given = TRUE, fields = ?, touched_at = ? WHERE owner_id = ? AND id = ?", text, now(), owner, id)
		return err
	})
}

// Upload is one of the owner's. ErrNotFound.
func (s *Store) Upload(ctx context.Context, owner, id ID) (*Upload, error) {
	u := &Upload{}
	return u, u.scan(s.q().QueryRowContext(ctx, uploadColumns+" AND id = ?", owner, id).Scan)
}

// UploadsOf are those for a tune that are given and not done, the oldest first.
func (s *Store) UploadsOf(ctx context.Context, owner, tune ID) (out []Upload, err error) {
	rows, err := s.q().QueryContext(ctx, uploadColumns+" AND tune_id = ? AND given AND NOT done ORDER BY touched_at", owner, tune)
	if err != nil {
		return nil, fmt.Errorf("list uploads: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var u Upload
		if err := u.scan(rows.Scan); err != nil {
			return nil, err
		}
		out = append(out, u)
	}
	return out, rows.Err()
}

// SettleUpload says what became of an upload. Its parts go by DropUploadParts. ErrStale if that was said before, ErrNotFound.
func (s *Store) SettleUpload(ctx context.Context, owner, id ID, place, fault string, doc []byte) error {
	if doc == nil {
		doc = []byte("{}")
	}
	return s.inTx(ctx, "settle an upload", func(tx *sql.Tx) error {
		var u Upload
		if err := u.lock(ctx, tx, owner, id); err != nil {
			return err
		}
		if u.Done {
			return ErrStale
		}
		_, err := tx.ExecContext(ctx, "UPDATE uploads SET done = TRUE, place = ?, fault = ?, doc = ?, touched_at = ? WHERE owner_id = ? AND id = ?",
			place, cut(fault, 1000), doc, now(), owner, id)
		return err
	})
}

// partsAtOnce is how many parts are deleted by one statement, which must be answered in time.
const partsAtOnce = 16

// DropUploadParts deletes what an upload holds, a few parts at a time: of one that is done, or that is given up.
func (s *Store) DropUploadParts(ctx context.Context, owner, id ID) error {
	for {
		res, err := s.db.ExecContext(ctx, "DELETE FROM upload_parts WHERE owner_id = ? AND upload_id = ? LIMIT ?", owner, id, partsAtOnce)
		if err != nil {
			return fmt.Errorf("delete parts: %w", err)
		}
		if n, err := res.RowsAffected(); err != nil || n < partsAtOnce {
			_, err2 := s.db.ExecContext(ctx, "UPDATE uploads SET bytes = 0 WHERE owner_id = ? AND id = ?", owner, id)
			return errors.Join(err, err2)
		}
	}
}

// DeleteUpload gives an upload up. ErrNotFound.
func (s *Store) DeleteUpload(ctx context.Context, owner, id ID) error {
	if err := s.DropUploadParts(ctx, owner, id); err != nil {
		return err
	}
	return deleted(s.db.ExecContext(ctx, "DELETE FROM uploads WHERE owner_id = ? AND id = ?", owner, id))
}

// tidyUploads deletes uploads that nobody has touched for a day.
func (s *Store) tidyUploads(ctx context.Context) error {
	rows, err := s.db.QueryContext(ctx, "SELECT owner_id, id FROM uploads WHERE touched_at < ? LIMIT 1000", now().Add(-uploadsLast))
	if err != nil {
		return err
	}
	defer rows.Close()
	var old [][2]ID
	for rows.Next() {
		var u [2]ID
		if err := rows.Scan(&u[0], &u[1]); err != nil {
			return err
		}
		old = append(old, u)
	}
	err = rows.Err()
	for _, u := range old {
		err = errors.Join(err, s.DeleteUpload(ctx, u[0], u[1]))
	}
	return err
}

// UploadFile reads an upload that is given. It is an io.Reader and an io.ReaderAt, not for use by several at once but for
// Size and Share.
type UploadFile struct {
	s      *Store
	ctx    context.Context
	owner  ID
	u      *Upload
	at     atomic.Int64 // read to; Share may be asked for meanwhile
	number int          // of the part that is held, -1 for none
	part   []byte
}

// OpenUpload reads what u holds while ctx lasts.
func (s *Store) OpenUpload(ctx context.Context, owner ID, u *Upload) *UploadFile {
	return &UploadFile{s: s, ctx: ctx, owner: owner, u: u, number: -1}
}

// Size is its length in bytes.
func (f *UploadFile) Size() int64 { return f.u.Bytes }

// Share is how much of it was read, from 0 to 1.
func (f *UploadFile) Share() float64 { return float64(f.at.Load()) / float64(max(f.u.Bytes, 1)) }

func (f *UploadFile) Read(p []byte) (int, error) {
	n, err := f.ReadAt(p, f.at.Load())
	if f.at.Add(int64(n)); n > 0 {
		err = nil
	}
	return n, err
}

// ReadAt implements io.ReaderAt.
func (f *UploadFile) ReadAt(p []byte, at int64) (n int, err error) {
	for n < len(p) {
		if at >= f.u.Bytes {
			return n, io.EOF
		}
		if number := int(at / UploadPart); number != f.number {
			if err := f.load(number); err != nil {
				return n, err
			}
		}
		k := copy(p[n:], f.part[at%UploadPart:])
		n, at = n+k, at+int64(k)
	}
	return n, nil
}

func (f *UploadFile) load(number int) error {
	f.part, f.number = nil, -1
	err := f.s.db.QueryRowContext(f.ctx, "SELECT data FROM upload_parts WHERE owner_id = ? AND upload_id = ? AND number = ?",
		f.owner, f.u.ID, number).Scan(&f.part)
	if err != nil {
		return fmt.Errorf("part %d of an upload: %w", number, notFound(err))
	}
	f.number = number
	return nil
}
