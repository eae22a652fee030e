package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"github.com/go-sql-driver/mysql"

	"stepping/account"
)

// Account is what lets a player in.
type Account struct {
	Owner    ID
	Name     string
	Password string // its hash
}

// Errors of accounts.
var (
	ErrNameTaken = errors.New("the name is taken")
	ErrLink      = errors.New("this link is no longer valid")
)

// maxAccounts bounds the accounts of an installation.
const maxAccounts = 1000

// Account returns the account of that name, or ErrNotFound.
func (s *Store) Account(ctx context.Context, name string) (a Account, err error) {
	err = s.q().QueryRowContext(ctx, "SELECT owner_id, name, password FROM accounts WHERE name = ?", name).Scan(&a.Owner, &a.Name, &a.Password)
	return a, notFound(err)
}

// NameKey is what a name is compared by: all spellings that the database takes for one name have the same.
func (s *Store) NameKey(ctx context.Context, name string) (key []byte, err error) {
	err = s.q().QueryRowContext(ctx, "SELECT WEIGHT_STRING(RTRIM(CONVERT(? USING utf8mb4)) COLLATE utf8mb4_unicode_ci)", name).Scan(&key)
	return key, err
}

// AccountOf returns the owner's account, or ErrNotFound.
func (s *Store) AccountOf(ctx context.Context, owner ID) (a Account, err error) {
	err = s.q().QueryRowContext(ctx, "SELECT owner_id, name, password FROM accounts WHERE owner_id = ?", owner).Scan(&a.Owner, &a.Name, &a.Password)
	return a, notFound(err)
}

// HasAccounts reports whether there is any account.
func (s *Store) HasAccounts(ctx context.Context) (has bool, err error) {
	err = s.q().QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM accounts)").Scan(&has)
	return has, err
}

// AtHome is the player who needs no account at this machine, and whether there are accounts. ErrNotFound before FirstPlayer was asked.
func (s *Store) AtHome(ctx context.Context) (owner ID, accounts bool, err error) {
	err = s.q().QueryRowContext(ctx, "SELECT id, EXISTS (SELECT 1 FROM accounts) FROM players WHERE here ORDER BY created_at, id LIMIT 1").Scan(&owner, &accounts)
	return owner, accounts, notFound(err)
}

// Link is what a one-time link is for.
type Link string

const (
	FirstLink  Link = "first"  // make the first account, which takes over what was made without one
	InviteLink Link = "invite" // make another
	ResetLink  Link = "reset"  // give an account a new password
)

// AddLink makes a one-time link and returns its secret, of which only the hash is kept. owner is whose password a ResetLink
// gives again, or who invites. A new FirstLink or ResetLink ends those before.
func (s *Store) AddLink(ctx context.Context, kind Link, owner ID) (secret string, err error) {
	secret = account.Secret()
	err = s.inTx(ctx, "make a link", func(tx *sql.Tx) error {
		if kind != InviteLink {
			if _, err := tx.ExecContext(ctx, "DELETE FROM links WHERE kind = ? AND owner_id = ?", kind, owner); err != nil {
				return err
			}
		} else if err := atMost(ctx, tx, "SELECT COUNT(*) FROM links WHERE owner_id = ? AND expires_at > UTC_TIMESTAMP(6)",
			owner, maxInvites); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM links WHERE expires_at < UTC_TIMESTAMP(6)"); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO links (hash, kind, owner_id, expires_at) VALUES (?, ?, ?, ?)",
			account.SecretHash(secret), kind, owner, now().Add(account.LinkLasts))
		return err
	})
	return secret, err
}

// maxInvites bounds the invitations of one player that are open.
const maxInvites = 20

// FindLink returns what a secret is for and whose account a ResetLink is for, without using it. ErrLink.
func (s *Store) FindLink(ctx context.Context, secret string) (kind Link, owner ID, err error) {
	err = s.q().QueryRowContext(ctx, "SELECT kind, owner_id FROM links WHERE hash = ? AND expires_at > UTC_TIMESTAMP(6)",
		account.SecretHash(secret)).Scan(&kind, &owner)
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrLink
	}
	return kind, owner, err
}

// use ends a link and returns whose it was.
func use(ctx context.Context, tx *sql.Tx, secret string) (kind Link, owner ID, err error) {
	hash := account.SecretHash(secret)
	err = tx.QueryRowContext(ctx, "SELECT kind, owner_id FROM links WHERE hash = ? AND expires_at > UTC_TIMESTAMP(6) FOR UPDATE",
		hash).Scan(&kind, &owner)
	if errors.Is(err, sql.ErrNoRows) {
		return "", ID{}, ErrLink
	}
	if err != nil {
		return "", ID{}, err
	}
	_, err = tx.ExecContext(ctx, "DELETE FROM links WHERE hash = ?", hash)
	return kind, owner, err
}

// AddAccount makes an account by a link of kind FirstLink or InviteLink; the first one is that of the player
// who was there without. ErrLink, ErrNameTaken, ErrTooMany.
func (s *Store) AddAccount(ctx context.Context, secret, name, password string) (owner ID, err error) {
	err = s.inTx(ctx, "make the account", func(tx *sql.Tx) error {
		kind, by, err := use(ctx, tx, secret)
		if err != nil {
			return err
		}
		var n int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM accounts").Scan(&n); err != nil {
			return err
		}
		switch {
		case kind == ResetLink || kind == FirstLink && n > 0:
			return ErrLink
		case n >= maxAccounts:
			return fmt.Errorf("%w: %d accounts", ErrTooMany, n)
		case kind == FirstLink:
			owner = by
		default:
			owner = newID()
			if _, err := tx.ExecContext(ctx, "INSERT INTO players (id, name, created_at) VALUES (?, ?, ?)", owner, name, now()); err != nil {
				return err
			}
		}
		_, err = tx.ExecContext(ctx, "INSERT INTO accounts (owner_id, name, password, created_at) VALUES (?, ?, ?, ?)", owner, name, password, now())
		if e := (*mysql.MySQLError)(nil); errors.As(err, &e) && e.Number == 1062 {
			return ErrNameTaken
		}
		return err
	})
	return owner, err
}

// ResetPassword gives an account a new password by a ResetLink and ends all its sign-ins. ErrLink.
func (s *Store) ResetPassword(ctx context.Context, secret, password string) (owner ID, err error) {
	err = s.inTx(ctx, "set the password", func(tx *sql.Tx) error {
		var kind Link
		if kind, owner, err = use(ctx, tx, secret); err != nil {
			return err
		}
		if kind != ResetLink {
			return ErrLink
		}
		return setPassword(ctx, tx, owner, password, ID{})
	})
	return owner, err
}

// SetPassword replaces an account's password and ends all its sign-ins but one.
func (s *Store) SetPassword(ctx context.Context, owner ID, password string, but ID) error {
	return s.inTx(ctx, "set the password", func(tx *sql.Tx) error { return setPassword(ctx, tx, owner, password, but) })
}

func setPassword(ctx context.Context, tx *sql.Tx, owner ID, password string, but ID) error {
	if err := deleted(tx.ExecContext(ctx, "UPDATE accounts SET password = ? WHERE owner_id = ?", password, owner)); err != nil {
		return err
	}
	for _, q := range []string{"DELETE FROM signins WHERE owner_id = ? AND id <> ?",
		"DELETE FROM links WHERE owner_id = ? AND kind = 'reset' AND ? IS NOT NULL"} {
		if _, err := tx.ExecContext(ctx, q, owner, but); err != nil {
			return err
		}
	}
	return nil
}

// Rehash keeps the same password under another hash.
func (s *Store) Rehash(ctx context.Context, owner ID, password string) error {
	return s.inTx(ctx, "keep the password", func(tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, "UPDATE accounts SET password = ? WHERE owner_id = ?", password, owner)
		return err
	})
}

// CloseAccount removes an account with everything of its owner's.
func (s *Store) CloseAccount(ctx context.Context, owner ID) error {
	return s.inTx(ctx, "close the account", func(tx *sql.Tx) error {
		for _, table := range []string{"upload_parts", "uploads", "take_blocks", "takes", "slide_notes", "passes", "bar_notes", "gigs", "results", "plans", "edits", "remarks", "sheets",
			"loans", "tunes", "profiles", "patterns", "guitars", "slides", "pages", "drafts", "licks", "accounts"} {
			if _, err := tx.ExecContext(ctx, "DELETE FROM "+table+" WHERE owner_id = ?", owner); err != nil {
				return err
			}
		}
		return deleted(tx.ExecContext(ctx, "DELETE FROM players WHERE id = ?", owner))
	})
}

// Signin is one place where somebody is signed in.
type Signin struct {
	ID            ID
	Agent         string // the browser, as it names itself
	Created, Seen time.Time
}

// maxSignins is how many places an account is signed in at; the oldest goes first.
const maxSignins = 20

// AddSignin signs an owner in and returns the sign-in's key.
func (s *Store) AddSignin(ctx context.Context, owner ID, agent string) (ID, error) {
	id, at := newID(), now()
	err := s.inTx(ctx, "sign in", func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "INSERT INTO signins (id, owner_id, agent, created_at, seen_at) VALUES (?, ?, ?, ?, ?)",
			id, owner, cut(agent, 200), at, at); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "DELETE FROM signins WHERE owner_id = ? AND id NOT IN (SELECT id FROM (SELECT id FROM signins WHERE owner_id = ? ORDER BY created_at DESC LIMIT ?) kept)", owner, owner, maxSignins)
		return err
	})
	return id, err
}

// SignedIn returns whose sign-in id is and the name of the account, if it was seen within idle, and notes that
// it was seen now. ErrNotFound.
func (s *Store) SignedIn(ctx context.Context, id ID, idle time.Duration) (owner ID, name string, err error) {
	var seen time.Time
	err = s.q().QueryRowContext(ctx, "SELECT v.owner_id, a.name, v.seen_at FROM signins v JOIN accounts a ON a.owner_id = v.owner_id WHERE v.id = ? AND v.seen_at > ?", id, now().Add(-idle)).Scan(&owner, &name, &seen)
	if err != nil {
		return ID{}, "", notFound(err)
	}
	if at := now(); at.Sub(seen) > time.Minute { // not a write with each request
		_, err = s.db.ExecContext(ctx, "UPDATE signins SET seen_at = ? WHERE id = ?", at, id)
	}
	return owner, name, err
}

// Signins lists where the owner is signed in, the newest first.
func (s *Store) Signins(ctx context.Context, owner ID, idle time.Duration) (out []Signin, err error) {
	rows, err := s.q().QueryContext(ctx,
		"SELECT id, agent, created_at, seen_at FROM signins WHERE owner_id = ? AND seen_at > ? ORDER BY created_at DESC", owner, now().Add(-idle))
	if err != nil {
		return nil, fmt.Errorf("list sign-ins: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var v Signin
		if err := rows.Scan(&v.ID, &v.Agent, &v.Created, &v.Seen); err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, rows.Err()
}

// EndSignin ends one of the owner's sign-ins. ErrNotFound.
func (s *Store) EndSignin(ctx context.Context, owner, id ID) error {
	return s.inTx(ctx, "sign out", func(tx *sql.Tx) error {
		return deleted(tx.ExecContext(ctx, "DELETE FROM signins WHERE owner_id = ? AND id = ?", owner, id))
	})
}

// EndSignins ends all of them.
func (s *Store) EndSignins(ctx context.Context, owner ID) error {
	return s.inTx(ctx, "sign out everywhere", func(tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, "DELETE FROM signins WHERE owner_id = ?", owner)
		return err
	})
}

// Knows reports whether somebody has signed in to the owner's account in a browser, which the cookie's secret tells.
func (s *Store) Knows(ctx context.Context, owner ID, browser string) (knows bool, err error) {
	err = s.q().QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM browsers WHERE owner_id = ? AND hash = ?)", owner,
		account.SecretHash(browser)).Scan(&knows)
	return knows, err
}

// Know remembers a browser; of each account the last hundred.
func (s *Store) Know(ctx context.Context, owner ID, browser string) error {
	return s.inTx(ctx, "remember the browser", func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "INSERT INTO browsers (owner_id, hash, seen_at) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE seen_at = VALUES(seen_at)", owner, account.SecretHash(browser), now()); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "DELETE FROM browsers WHERE owner_id = ? AND hash NOT IN (SELECT hash FROM (SELECT hash FROM browsers WHERE owner_id = ? ORDER BY seen_at DESC LIMIT 100) kept)", owner, owner)
		return err
	})
}

// TryAfter returns how long a try that is counted under these keys has to wait; 0 if it may be made now. A try that may be
// made is counted as failed until Succeeded says otherwise, so that many at once are not one.
func (s *Store) TryAfter(ctx context.Context, keys [][]byte) (wait time.Duration, err error) {
	err = s.inTx(ctx, "count the try", func(tx *sql.Tx) error {
		wait = 0
		at := now()
		if _, err := tx.ExecContext(ctx, "DELETE FROM attempts WHERE wait_until < ? LIMIT 100", at.Add(-account.FailuresLast)); err != nil {
			return err
		}
		failures := make([]int, len(keys))
		for i, key := range keys {
			var until time.Time
			err := tx.QueryRowContext(ctx, "SELECT failures, wait_until FROM attempts WHERE hash = ? FOR UPDATE", key).Scan(&failures[i], &until)
			if errors.Is(err, sql.ErrNoRows) {
				continue
			}
			if err != nil {
				return err
			}
			wait = max(wait, until.Sub(at))
		}
		if wait > 0 {
			return nil
		}
		for i, key := range keys {
			_, err := tx.ExecContext(ctx, "INSERT INTO attempts (hash, failures, wait_until) VALUES (?, 1, ?) ON DUPLICATE KEY UPDATE failures = failures + 1, wait_until = VALUES(wait_until)",
				key, at.Add(account.Wait(failures[i]+1)))
			if err != nil {
				return err
			}
		}
		return nil
	})
	return wait, err
}

// Succeeded takes back the failure that TryAfter counted; those before it go on counting for a while.
func (s *Store) Succeeded(ctx context.Context, keys [][]byte) error {
	return s.inTx(ctx, "count the try", func(tx *sql.Tx) error {
		for _, key := range keys {
			if _, err := tx.ExecContext(ctx, "UPDATE attempts SET failures = GREATEST(failures - 1, 0), wait_until = ? WHERE hash = ?", now(), key); err != nil {
				return err
			}
		}
		return nil
	})
}

// Sessions is where the session library keeps what belongs to a browser; tokens come hashed.
type Sessions struct{ s *Store }

// Sessions returns the sessions' place.
func (s *Store) Sessions() Sessions { return Sessions{s} }

// FindCtx returns the data of a session.
func (ss Sessions) FindCtx(ctx context.Context, token string) (data []byte, found bool, err error) {
	err = ss.s.db.QueryRowContext(ctx, "SELECT data FROM sessions WHERE token = ? AND expires_at > UTC_TIMESTAMP(6)", token).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	}
	return data, err == nil, err
}

// CommitCtx keeps the data of a session, and drops sessions that are over.
func (ss Sessions) CommitCtx(ctx context.Context, token string, data []byte, expires time.Time) error {
	return ss.s.inTx(ctx, "keep the session", func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM sessions WHERE expires_at < UTC_TIMESTAMP(6) LIMIT 100"); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO sessions (token, data, expires_at) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE data = VALUES(data), expires_at = VALUES(expires_at)", token, data, expires.UTC())
		return err
	})
}

// DeleteCtx ends a session.
func (ss Sessions) DeleteCtx(ctx context.Context, token string) error {
	return ss.s.inTx(ctx, "end the session", func(tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, "DELETE FROM sessions WHERE token = ?", token)
		return err
	})
}

// Find, Commit and Delete are not used: the library prefers those above.
func (ss Sessions) Find(token string) ([]byte, bool, error) {
	return ss.FindCtx(context.Background(), token)
}

// Commit see Find.
func (ss Sessions) Commit(token string, data []byte, expires time.Time) error {
	return ss.CommitCtx(context.Background(), token, data, expires)
}

// Delete see Find.
func (ss Sessions) Delete(token string) error { return ss.DeleteCtx(context.Background(), token) }
