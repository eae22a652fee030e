package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"strconv"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
)

// migrate brings the schema up to date. It may be killed at any moment and begun again, by any copy of the program: every
// step can be repeated, and one copy at a time is at work.
func (s *Store) migrate(ctx context.Context) error {
	return s.Alone(ctx, "schema", func(ctx context.Context) error {
		if err := s.repair(ctx); err != nil {
			return err
		}
		p, err := goose.NewProvider(goose.DialectMySQL, s.db, Migrations())
		if err != nil {
			return fmt.Errorf("read migrations: %w", err)
		}
		have, err := p.GetDBVersion(ctx)
		if err != nil {
			return fmt.Errorf("read the version of the database: %w", err)
		}
		if newest := newestMigration(); have > newest {
			return &NewerError{have, newest}
		}
		if _, err := p.Up(ctx); err != nil {
			return fmt.Errorf("bring the database up to date: %w", err)
		}
		return nil
	})
}

// NewerError is a database that a newer program has changed.
type NewerError struct{ Have, Known int64 }

func (e *NewerError) Error() string {
	return fmt.Sprintf("the database was made by a newer Stepping: its schema is %d, this program knows up to %d. Start the newer program, or restore a backup of the older one", e.Have, e.Known)
}

func newestMigration() (newest int64) {
	files, err := fs.ReadDir(Migrations(), ".")
	if err != nil {
		panic("store: embedded migrations: " + err.Error())
	}
	for _, f := range files {
		number, _, _ := strings.Cut(f.Name(), "_")
		n, err := strconv.ParseInt(number, 10, 64)
		if err != nil {
			panic("store: " + f.Name() + " has no number")
		}
		newest = max(newest, n)
	}
	return newest
}

// repair mends what a start left that was killed between making the table of versions and its first row.
func (s *Store) repair(ctx context.Context) error {
	var rows int
	err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM goose_db_version").Scan(&rows)
	if e := (*mysql.MySQLError)(nil); errors.As(err, &e) && e.Number == 1146 {
		return nil // it is not there yet
	}
	if err == nil && rows == 0 {
		_, err = s.db.ExecContext(ctx, "INSERT INTO goose_db_version (version_id, is_applied) VALUES (0, 1)")
	}
	return err
}

// How long a lease lasts unless it is renewed, and how long one is waited for.
const (
	leaseLasts  = 10 * time.Second
	leaseWaited = time.Minute
)

// Alone runs f while no other copy of the program, on any node of the database, runs one of the same name. A copy that is killed
// holds the others up for ten seconds at most.
func (s *Store) Alone(ctx context.Context, name string, f func(context.Context) error) error {
	_, err := s.db.ExecContext(ctx, "CREATE TABLE IF NOT EXISTS leases (name VARCHAR(40) NOT NULL PRIMARY KEY, holder UUID NOT NULL, ends_at DATETIME(6) NOT NULL) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4")
	if err != nil {
		return fmt.Errorf("prepare the database: %w", err)
	}
	holder, since := newID(), time.Now()
	for {
		held, err := s.take(ctx, name, holder)
		if err != nil {
			return fmt.Errorf("wait for the other copies of Stepping: %w", err)
		}
		if held {
			break
		}
		if time.Since(since) > leaseWaited {
			return fmt.Errorf("another copy of Stepping has been changing the database (%s) for a minute: check what it is doing, and try again", name)
		}
		time.Sleep(100 * time.Millisecond)
	}
	ctx, stop := context.WithCancelCause(ctx)
	renewed := make(chan struct{})
	go func() {
		defer close(renewed)
		for {
			select {
			case <-ctx.Done():
				return
			case <-time.After(leaseLasts / 3):
				if held, err := s.take(ctx, name, holder); ctx.Err() == nil && (err != nil || !held) {
					stop(errors.Join(errors.New("lost the right to change the database"), err))
				}
			}
		}
	}()
	err = f(ctx)
	stop(nil)
	<-renewed
	if cause := context.Cause(ctx); err != nil && cause != nil && !errors.Is(cause, context.Canceled) {
		err = errors.Join(err, cause)
	}
	_, free := s.db.ExecContext(context.WithoutCancel(ctx), "DELETE FROM leases WHERE name = ? AND holder = ?", name, holder)
	return errors.Join(err, free)
}

// take takes or renews a lease, unless another holds it. The database's clock counts.
func (s *Store) take(ctx context.Context, name string, holder ID) (held bool, err error) {
	_, err = s.db.ExecContext(ctx, `INSERT INTO leases (name, holder, ends_at) VALUES (?, ?, UTC_TIMESTAMP(6) + INTERVAL ? SECOND) ON DUPLICATE KEY UPDATE
		holder = IF(holder = VALUES(holder) OR ends_at < UTC_TIMESTAMP(6), VALUES(holder), holder), ends_at = IF(holder = VALUES(holder), VALUES(ends_at), ends_at)`,
		name, holder, int(leaseLasts.Seconds()))
	if isDeadlock(err) {
		return false, nil // another was faster
	}
	if err != nil {
		return false, err
	}
	var now ID
	err = s.db.QueryRowContext(ctx, "SELECT holder FROM leases WHERE name = ?", name).Scan(&now)
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil // it has just been given back
	}
	return now == holder, err
}
