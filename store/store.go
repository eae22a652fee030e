// Package store keeps players, profiles, tunes, their settings and pins, and plans in
// MariaDB. Nothing else in the program knows SQL.
//
// Every row of somebody's carries its owner, and every query asks for the owner. Keys are
// UUIDv7. Changes happen in transactions that are tried again after a deadlock. A tune and
// a profile carry a version: a change names the version it was made on, and ErrStale
// answers one that somebody else was faster than.
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"

	"stepping/core/player"
	"stepping/core/setup"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Migrations is the schema's history, for tests that stop half way.
func Migrations() fs.FS {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		panic("store: embedded migrations: " + err.Error())
	}
	return sub
}

// Errors that callers tell apart.
var (
	ErrNotFound = errors.New("not found")
	ErrStale    = errors.New("changed by somebody else since it was read")
	ErrNoEdit   = errors.New("nothing to undo or redo")
	ErrInUse    = errors.New("in use by a tune")
	ErrTooMany  = errors.New("too many")
	ErrTooLong  = errors.New("a name is too long")
	// ErrUnreadable is a row that this program cannot read; lists leave it out and log it.
	ErrUnreadable = errors.New("what is saved cannot be read")
)

// ID is a key.
type ID = uuid.UUID

// Limits per owner.
const (
	maxTunes    = 10_000
	maxProfiles = 100
	maxEdits    = 200 // undo steps kept for a tune
)

// Store is the database. Safe for concurrent use, but for one that Together hands out.
type Store struct {
	db *sql.DB
	tx *sql.Tx // of Together, else nil
}

// querier is the database or the transaction under way.
type querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

func (s *Store) q() querier {
	if s.tx != nil {
		return s.tx
	}
	return s.db
}

// Open connects to dsn (the driver's format) and brings the schema up to date.
func Open(ctx context.Context, dsn string) (*Store, error) {
	patient, err := connect(dsn, migrationTime)
	if err != nil {
		return nil, err
	}
	defer patient.db.Close()
	if err := patient.migrate(ctx); err != nil {
		return nil, err
	}
	return connect(dsn, answerTime)
}

// OpenPatient is Open for work that may take minutes: a backup, a restore.
func OpenPatient(ctx context.Context, dsn string) (*Store, error) {
	s, err := Open(ctx, dsn)
	if err != nil {
		return nil, err
	}
	if err := s.Close(); err != nil {
		return nil, err
	}
	return connect(dsn, migrationTime)
}

// How long one answer of the database may take before it counts as hung, and one to a change of a table.
const (
	answerTime    = 5 * time.Second
	migrationTime = 10 * time.Minute
)

func connect(dsn string, answer time.Duration) (*Store, error) {
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	cfg.ParseTime, cfg.Loc, cfg.ClientFoundRows = true, time.UTC, true
	if cfg.Params == nil {
		cfg.Params = map[string]string{}
	}
	cfg.Params["time_zone"] = "'+00:00'"
	cfg.Timeout, cfg.ReadTimeout, cfg.WriteTimeout = answerTime, answer, answer
	connector, err := mysql.NewConnector(cfg)
	if err != nil {
		return nil, err
	}
	db := sql.OpenDB(connector)
	db.SetMaxOpenConns(8)
	db.SetConnMaxLifetime(30 * time.Minute)
	return &Store{db: db}, nil
}

// Close closes the connections.
func (s *Store) Close() error { return s.db.Close() }

// Collector tells a Prometheus registry of the connections, and how long they were waited for.
func (s *Store) Collector() prometheus.Collector {
	return collectors.NewDBStatsCollector(s.db, "stepping")
}

// Ping reports whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.db.PingContext(ctx) }

// Together runs f on a store whose changes happen all or not at all. f may be run again, and must not keep what it gets.
func (s *Store) Together(ctx context.Context, what string, f func(*Store) error) error {
	return s.inTx(ctx, what, func(tx *sql.Tx) error { return f(&Store{s.db, tx}) })
}

// patience is how long a change waits for a database that is being started again.
const patience = 4 * time.Second

// inTx runs f in a transaction, again after a deadlock or lock timeout, and for a while if the connection was
// lost; within Together in that one. If it was lost after the commit was sent, the change is looked for first,
// so that it is never made twice.
func (s *Store) inTx(ctx context.Context, what string, f func(*sql.Tx) error) error {
	if s.tx != nil {
		return f(s.tx)
	}
	var err error
	began := time.Now()
	for try := 0; ; try++ {
		id, sent := newID(), false
		if sent, err = s.once(ctx, id, f); sent && cutOff(err) {
			if err = s.lookFor(ctx, id, err); err == nil {
				return nil
			}
			sent = !errors.Is(err, errNotMade)
		}
		again := isDeadlock(err) && try < 8 || !sent && cutOff(err) && time.Since(began) < patience
		if !again || ctx.Err() != nil {
			break
		}
		time.Sleep(min(1<<try*5*time.Millisecond, 200*time.Millisecond))
	}
	if err != nil {
		return fmt.Errorf("%s: %w", what, ownThing(err))
	}
	return nil
}

// once tries; sent says that the commit was sent, whatever came of it. id marks the change.
func (s *Store) once(ctx context.Context, id ID, f func(*sql.Tx) error) (sent bool, err error) {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return false, err
	}
	defer tx.Rollback() // after a commit this does nothing
	if err := f(tx); err != nil {
		return false, err
	}
	if _, err := tx.ExecContext(ctx, "INSERT INTO commits (id, made_at) VALUES (?, ?)", id, now()); err != nil {
		return false, err
	}
	return true, tx.Commit()
}

// errNotMade is a change that was looked for and is not there.
var errNotMade = errors.New("the change was not made")

// lookFor finds out what became of a change whose commit was not answered, for lost: nil if it was made. A
// server that only hangs may make it yet: then it stays unknown.
func (s *Store) lookFor(ctx context.Context, id ID, lost error) error {
	for began := time.Now(); time.Since(began) < patience && ctx.Err() == nil; time.Sleep(100 * time.Millisecond) {
		var one int
		err := s.db.QueryRowContext(ctx, "SELECT 1 FROM commits WHERE id = ?", id).Scan(&one)
		var timeout net.Error
		switch {
		case err == nil:
			return nil
		case errors.Is(err, sql.ErrNoRows) && !(errors.As(lost, &timeout) && timeout.Timeout()):
			return fmt.Errorf("%w: %w", errNotMade, lost)
		}
	}
	return lost
}

// Tidy deletes the marks of changes that nobody can ask for any more, of tunes that were deleted a month ago, and of
// uploads that nobody has touched for a day.
func (s *Store) Tidy(ctx context.Context) error {
	_, err1 := s.db.ExecContext(ctx, "DELETE FROM commits WHERE made_at < ? LIMIT 100000", now().Add(-time.Hour))
	_, err2 := s.db.ExecContext(ctx, "DELETE FROM tunes WHERE gone_at < ? LIMIT 1000", now().Add(-goneFor))
	return errors.Join(err1, err2, s.tidyUploads(ctx))
}

func isDeadlock(err error) bool {
	var e *mysql.MySQLError
	return errors.As(err, &e) && (e.Number == 1213 || e.Number == 1205 || e.Number == 1020)
}

// Away reports whether an error is the database's not answering: it is down, starting, full or cut off, and the same may work
// in a while.
func Away(err error) bool {
	var mine *mysql.MySQLError
	if errors.As(err, &mine) {
		switch mine.Number {
		case 1040, 1041, 1053, 1077, 1158, 1159, 1160, 1161, // too many, ending, cut off
			1021, 1114, 1290, 1836, 1047, 1205, 1213: // full, read only, no quorum, locked
			return true
		}
		return false
	}
	return cutOff(err)
}

// cutOff reports whether the connection is lost, or none can be made.
func cutOff(err error) bool {
	var mine *mysql.MySQLError
	var net net.Error
	return errors.As(err, &mine) && (mine.Number == 1053 || mine.Number == 1047) || errors.Is(err, driver.ErrBadConn) ||
		errors.Is(err, mysql.ErrInvalidConn) || errors.Is(err, io.ErrUnexpectedEOF) || errors.As(err, &net)
}

// ownThing turns the database's refusal of a row that belongs to nothing of its owner's into ErrNotFound, and of a text that is longer
// than its column into ErrTooLong.
func ownThing(err error) error {
	var e *mysql.MySQLError
	switch {
	case !errors.As(err, &e):
		return err
	case e.Number == 1452:
		return fmt.Errorf("%w: %w", ErrNotFound, err)
	case e.Number == 1406:
		return fmt.Errorf("%w: %w", ErrTooLong, err)
	}
	return err
}

func now() time.Time { return time.Now().UTC().Truncate(time.Microsecond) }

func newID() ID { return uuid.Must(uuid.NewV7()) }

// notFound turns the driver's answer for no row into ErrNotFound.
func notFound(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// Profile is a stored player profile.
type Profile struct {
	ID      ID
	Version int
	Profile player.Profile
}

// Tune is a stored tune with the settings in force.
type Tune struct {
	ID, Owner ID
	Title     string
	Source    string
	Tags      string // the player's words for it, see setup.ParseTags
	Version   int
	ProfileID ID
	Settings  setup.Settings // of a sheet that a teacher lends: for the pupil
	CanUndo   bool
	CanRedo   bool

	Lender string // of a borrowed tune: the name of its owner's account; "" for the owner's own
	Loan   ID     // of a borrowed tune, while the loan goes on
	Ended  bool   // of a borrowed tune: it was taken back, or deleted; there is no text
}

// FirstPlayer returns the player who needs no account at this machine, creating it by name when there
// is none; created says so.
func (s *Store) FirstPlayer(ctx context.Context, name string) (id ID, created bool, err error) {
	err = s.inTx(ctx, "find the player", func(tx *sql.Tx) error {
		created = false
		err := tx.QueryRowContext(ctx, "SELECT id FROM players WHERE here ORDER BY created_at, id LIMIT 1").Scan(&id)
		if !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		id, created = newID(), true
		_, err = tx.ExecContext(ctx, "INSERT INTO players (id, name, here, created_at) VALUES (?, ?, TRUE, ?)", id, name, now())
		return err
	})
	return id, created, err
}

// Profiles returns the owner's profiles, oldest first.
func (s *Store) Profiles(ctx context.Context, owner ID) ([]Profile, error) {
	rows, err := s.q().QueryContext(ctx, "SELECT id, version, doc FROM profiles WHERE owner_id = ? ORDER BY created_at, id", owner)
	if err != nil {
		return nil, fmt.Errorf("list profiles: %w", err)
	}
	defer rows.Close()
	var out []Profile
	for rows.Next() {
		p, err := scanProfile(rows)
		if hidden(err) {
			continue
		}
		if err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, rows.Err()
}

func scanProfile(row interface{ Scan(...any) error }) (Profile, error) {
	var p Profile
	var doc []byte
	if err := row.Scan(&p.ID, &p.Version, &doc); err != nil {
		return p, notFound(err)
	}
	p.Profile = player.Default()
	if err := json.Unmarshal(doc, &p.Profile); err != nil {
		return p, fmt.Errorf("%w: profile %s: %w", ErrUnreadable, p.ID, err)
	}
	return p, nil
}

// hidden reports whether a row is left out of a list, and logs it.
func hidden(err error) bool {
	if errors.Is(err, ErrUnreadable) {
		slog.Error("left out of a list", "err", err)
		return true
	}
	return false
}

// Profile returns one profile of the owner's, or ErrNotFound.
func (s *Store) Profile(ctx context.Context, owner, id ID) (Profile, error) {
	p, err := scanProfile(s.q().QueryRowContext(ctx, "SELECT id, version, doc FROM profiles WHERE owner_id = ? AND id = ?", owner, id))
	if err != nil {
		return p, fmt.Errorf("profile %s: %w", id, err)
	}
	return p, nil
}

// AddProfile keeps a new profile. ErrTooMany past the limit.
func (s *Store) AddProfile(ctx context.Context, owner ID, p player.Profile) (ID, error) {
	id := newID()
	return id, s.addProfile(ctx, owner, id, p)
}

func (s *Store) addProfile(ctx context.Context, owner, id ID, p player.Profile) error {
	doc, err := json.Marshal(p)
	if err != nil {
		return err
	}
	at := now()
	return s.inTx(ctx, "keep the profile", func(tx *sql.Tx) error {
		if err := atMost(ctx, tx, "SELECT COUNT(*) FROM profiles WHERE owner_id = ?", owner, maxProfiles); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO profiles (id, owner_id, name, doc, version, created_at, updated_at) VALUES (?, ?, ?, ?, 1, ?, ?)",
			id, owner, p.Name, doc, at, at)
		return taken(err)
	})
}

func atMost(ctx context.Context, tx *sql.Tx, query string, owner ID, limit int) error {
	var n int
	if err := tx.QueryRowContext(ctx, query, owner).Scan(&n); err != nil {
		return err
	}
	if n >= limit {
		return fmt.Errorf("%w: %d are saved already", ErrTooMany, n)
	}
	return nil
}

// SaveProfile replaces a profile read at the given version. ErrStale, ErrNotFound.
func (s *Store) SaveProfile(ctx context.Context, owner, id ID, version int, p player.Profile) error {
	doc, err := json.Marshal(p)
	if err != nil {
		return err
	}
	return s.inTx(ctx, "keep the profile", func(tx *sql.Tx) error {
		if err := lockVersion(ctx, tx, "SELECT version FROM profiles WHERE owner_id = ? AND id = ? FOR UPDATE", owner, id, version); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "UPDATE profiles SET name = ?, doc = ?, version = version + 1, updated_at = ? WHERE id = ?",
			p.Name, doc, now(), id)
		return err
	})
}

// DeleteProfile removes a profile that no tune uses, and for good those deleted tunes that did. ErrInUse, ErrNotFound.
func (s *Store) DeleteProfile(ctx context.Context, owner, id ID) error {
	return s.inTx(ctx, "delete the profile", func(tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, "DELETE FROM tunes WHERE owner_id = ? AND gone_at IS NOT NULL AND id IN (SELECT tune_id FROM edits WHERE owner_id = ? AND profile_id = ?)", owner, owner, id)
		if err != nil {
			return err
		}
		// A borrowed tune is played as its lender says; its row here names a player all the same, and any other will do.
		if _, err := tx.ExecContext(ctx, `UPDATE edits e JOIN tunes t ON t.id = e.tune_id AND t.lender <> ''
			SET e.profile_id = COALESCE((SELECT p.id FROM profiles p WHERE p.owner_id = ? AND p.id <> ? LIMIT 1), e.profile_id)
			WHERE e.owner_id = ? AND e.profile_id = ?`, owner, id, owner, id); err != nil {
			return err
		}
		var used int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM edits WHERE owner_id = ? AND profile_id = ?", owner, id).Scan(&used); err != nil {
			return err
		}
		if used > 0 {
			return ErrInUse
		}
		return deleted(tx.ExecContext(ctx, "DELETE FROM profiles WHERE owner_id = ? AND id = ?", owner, id))
	})
}

func deleted(res sql.Result, err error) error {
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrNotFound)
	}
	return nil
}

func lockVersion(ctx context.Context, tx *sql.Tx, query string, owner, id ID, version int) error {
	var have int
	if err := tx.QueryRowContext(ctx, query, owner, id).Scan(&have); err != nil {
		return notFound(err)
	}
	if have != version {
		return ErrStale
	}
	return nil
}
