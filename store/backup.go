package store

import (
	"archive/zip"
	"bufio"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"
)

// backupFormat and backupVersion are in every backup.
const (
	backupFormat  = "stepping-backup"
	backupVersion = 1
)

// backedUp are the tables of a backup, each after those that its rows belong to. Left out is what is worth
// nothing elsewhere or later: sessions, sign-ins, links, counts of tries, leases, uploads,
// and plan documents and rankings, which are worked out again.
var backedUp = []string{"players", "accounts", "profiles", "tunes", "edits", "patterns", "guitars", "slides", "pages", "drafts", "licks", "sheets", "loans", "remarks",
	"passes", "bar_notes", "slide_notes", "gigs", "takes", sounds}

// sounds is the table that a backup may leave out: it is many times larger than all others.
const sounds = "take_blocks"

// only says which rows of a table are backed up, if not all: links that are open end with the installation.
var only = map[string]string{"loans": " WHERE to_id IS NOT NULL"}

// renamed are tables by the names that they had in older backups.
var renamed = map[string]string{"occasions": "gigs"}

// Manifest describes a backup.
type Manifest struct {
	Format  string            `json:"format"`
	Version int               `json:"version"`
	Schema  int64             `json:"schema"`
	Made    time.Time         `json:"made"`
	Rows    map[string]int    `json:"rows"`   // by table
	Sums    map[string]string `json:"sha256"` // by table, of its file
}

// Backup writes everything of the installation as a zip of JSON lines, one file a table, as it was at one
// moment; without the sounds of recordings unless they are asked for. Bytes that are no text are in base 64.
func (s *Store) Backup(ctx context.Context, w io.Writer, withSounds bool) (*Manifest, error) {
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return nil, fmt.Errorf("back up: %w", err)
	}
	defer tx.Rollback()
	m := &Manifest{backupFormat, backupVersion, newestMigration(), now(), map[string]int{}, map[string]string{}}
	z := zip.NewWriter(w)
	for _, table := range backedUp {
		if table == sounds && !withSounds {
			continue
		}
		f, err := z.Create(table + ".jsonl")
		if err != nil {
			return nil, fmt.Errorf("back up: %w", err)
		}
		sum := sha256.New()
		if m.Rows[table], err = dump(ctx, tx, table, io.MultiWriter(f, sum)); err != nil {
			return nil, fmt.Errorf("back up %s: %w", table, err)
		}
		m.Sums[table] = hex.EncodeToString(sum.Sum(nil))
	}
	f, err := z.Create("manifest.json")
	if err == nil {
		err = json.NewEncoder(f).Encode(m)
	}
	return m, errors.Join(err, z.Close())
}

// dump writes the rows of a table, each as an object of strings.
func dump(ctx context.Context, tx *sql.Tx, table string, w io.Writer) (n int, err error) {
	rows, err := tx.QueryContext(ctx, "SELECT * FROM "+table+only[table])
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	columns, err := rows.ColumnTypes()
	if err != nil {
		return 0, err
	}
	values, into := make([]any, len(columns)), make([]any, len(columns))
	for i := range values {
		into[i] = &values[i]
	}
	enc := json.NewEncoder(w)
	for ; rows.Next(); n++ {
		if err := rows.Scan(into...); err != nil {
			return n, err
		}
		row := map[string]*string{}
		for i, v := range values {
			if data, ok := v.([]byte); ok && isBlob(columns[i]) {
				v = base64.StdEncoding.EncodeToString(data)
			}
			row[columns[i].Name()] = written(v)
		}
		if err := enc.Encode(row); err != nil {
			return n, err
		}
	}
	return n, rows.Err()
}

// isBlob reports whether a column holds bytes that are no text.
func isBlob(c *sql.ColumnType) bool { return strings.HasSuffix(c.DatabaseTypeName(), "BLOB") }

func written(v any) *string {
	var out string
	switch v := v.(type) {
	case string:
		out = v
	case nil:
		return nil
	case []byte:
		out = string(v)
	case time.Time:
		out = v.UTC().Format("2006-01-02 15:04:05.000000")
	case bool:
		out = "0"
		if v {
			out = "1"
		}
	default:
		out = fmt.Sprint(v)
	}
	return &out
}

// BackupError is a file that is no backup, or a damaged one.
type BackupError struct{ Text string }

func (e *BackupError) Error() string { return e.Text }

// ErrNotEmpty is a database that a restore would overwrite.
var ErrNotEmpty = errors.New("there are tunes here already")

// mostLine bounds a row of a backup: a tune of 1 MiB with every character escaped.
const mostLine = 16 << 20

// ReadManifest reads and checks a backup without restoring it. *BackupError.
func ReadManifest(r io.ReaderAt, size int64) (*Manifest, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, &BackupError{"this is not a Stepping backup: it is not a zip file, or it is cut off"}
	}
	f, err := z.Open("manifest.json")
	if err != nil {
		return nil, &BackupError{"this is not a Stepping backup: it has no manifest.json"}
	}
	defer f.Close()
	m := &Manifest{}
	if err := json.NewDecoder(io.LimitReader(f, 1<<20)).Decode(m); err != nil || m.Format != backupFormat {
		return nil, &BackupError{"this is not a Stepping backup: its manifest.json says something else"}
	}
	if newest := newestMigration(); m.Version > backupVersion || m.Schema > newest {
		return nil, &BackupError{fmt.Sprintf("this backup was made by a newer Stepping (schema %d, this one knows up to %d): restore it with that", m.Schema, newest)}
	}
	for table, want := range m.Sums {
		if !slices.Contains(backedUp, table) && renamed[table] == "" {
			return nil, &BackupError{"the backup has a table that Stepping does not know: " + table}
		}
		sum := sha256.New()
		f, err := z.Open(table + ".jsonl")
		if err == nil {
			_, err = io.Copy(sum, f)
		}
		if err != nil || hex.EncodeToString(sum.Sum(nil)) != want {
			return nil, &BackupError{"the backup is damaged: " + table + ".jsonl has been changed"}
		}
	}
	return m, nil
}

// Restore puts back what Backup wrote, all or nothing. Where there are tunes already it refuses with ErrNotEmpty, unless replace
// says that they may go. Everybody is signed out. *BackupError for a file that is no whole backup.
func (s *Store) Restore(ctx context.Context, r io.ReaderAt, size int64, replace bool) (*Manifest, error) {
	m, err := ReadManifest(r, size)
	if err != nil {
		return nil, err
	}
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, err
	}
	return m, s.inTx(ctx, "restore", func(tx *sql.Tx) error {
		var tunes int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM tunes").Scan(&tunes); err != nil {
			return err
		}
		if tunes > 0 && !replace {
			return fmt.Errorf("%w: %d", ErrNotEmpty, tunes)
		}
		last := slices.Clone(backedUp)
		slices.Reverse(last)
		for _, table := range append([]string{"sessions", "signins", "browsers", "attempts", "links", "upload_parts", "uploads", "plans", "results"}, last...) {
			if _, err := tx.ExecContext(ctx, "DELETE FROM "+table); err != nil {
				return err
			}
		}
		for _, table := range backedUp {
			for file, want := range m.Rows { // fewer of an older Stepping, or without sounds
				if file != table && renamed[file] != table {
					continue
				}
				if err := refill(ctx, tx, z, file, table, want); err != nil {
					return err
				}
			}
		}
		_, err := tx.ExecContext(ctx, "UPDATE players SET here = TRUE WHERE NOT EXISTS (SELECT 1 FROM (SELECT 1 FROM players WHERE here) p) ORDER BY created_at, id LIMIT 1")
		return err
	})
}

// refill puts the rows of one table back from its file, which an older Stepping may have named otherwise.
func refill(ctx context.Context, tx *sql.Tx, z *zip.Reader, file, table string, want int) error {
	known, err := columnsOf(ctx, tx, table)
	if err != nil {
		return err
	}
	f, err := z.Open(file + ".jsonl")
	if err != nil {
		return &BackupError{"the backup has no " + file + ".jsonl"}
	}
	defer f.Close()
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, mostLine)
	n := 0
	for ; lines.Scan(); n++ {
		row := map[string]*string{}
		if err := json.Unmarshal(lines.Bytes(), &row); err != nil {
			return &BackupError{fmt.Sprintf("the backup is damaged: %s.jsonl, line %d", file, n+1)}
		}
		var names []string
		var values []any
		for name, v := range row {
			at := slices.IndexFunc(known, func(c *sql.ColumnType) bool { return c.Name() == name })
			if at < 0 {
				return &BackupError{fmt.Sprintf("the backup's %s.jsonl has a column that Stepping does not know, in line %d", file, n+1)}
			}
			var value any = v
			if v != nil && isBlob(known[at]) {
				if value, err = base64.StdEncoding.DecodeString(*v); err != nil {
					return &BackupError{fmt.Sprintf("the backup is damaged: %s.jsonl, line %d", file, n+1)}
				}
			}
			names, values = append(names, "`"+name+"`"), append(values, value)
		}
		query := "INSERT INTO " + table + " (" + strings.Join(names, ", ") + ") VALUES (?" + strings.Repeat(", ?", len(names)-1) + ")"
		if _, err := tx.ExecContext(ctx, query, values...); err != nil {
			return fmt.Errorf("%s, row %d: %w", table, n+1, err)
		}
	}
	if lines.Err() != nil || n != want {
		return &BackupError{fmt.Sprintf("the backup is damaged: %s.jsonl has %d rows of %d", file, n, want)}
	}
	return nil
}

func columnsOf(ctx context.Context, tx *sql.Tx, table string) ([]*sql.ColumnType, error) {
	rows, err := tx.QueryContext(ctx, "SELECT * FROM "+table+" LIMIT 0")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	return rows.ColumnTypes()
}
