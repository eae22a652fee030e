package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"stepping/account"
	"stepping/core/player"
	"stepping/core/setup"
)

// Errors of loans.
var (
	ErrLent    = errors.New("this tune is borrowed, and only its owner can change it")
	ErrOwnLoan = errors.New("this link is for somebody else: it was made in this account")
)

// Loan is what one account lets another see. Without a tune it says that the other account is one of the owner's players, a pupil; it is
// open until its link was used.
type Loan struct {
	Borrowed      ID   // the tune among the borrower's; zero if there is none
	ID, Owner, To ID   // To is zero while it is open
	Tune, Profile ID   // zero if it has none
	Copy          bool // the borrower gets a tune of their own
	ShowsLog      bool // of a pupil: the owner may see the borrower's practice log
	Expires       time.Time
	Title         string // of the tune
	Pupil         string // name of the profile
	Lender, Taker string // names of the accounts
}

const loanColumns = `SELECT l.id, l.owner_id, l.to_id, l.tune_id, l.profile_id, l.copies, l.shows_log, l.expires_at, COALESCE(s.title, ''), COALESCE(p.name, ''),
	COALESCE(a.name, ''), COALESCE(b.name, ''),
	(SELECT m.id FROM tunes m WHERE m.loan_id = l.id AND m.owner_id = l.to_id AND m.gone_at IS NULL)
	FROM loans l LEFT JOIN tunes s ON s.id = l.tune_id AND s.owner_id = l.owner_id
	LEFT JOIN profiles p ON p.id = l.profile_id AND p.owner_id = l.owner_id LEFT JOIN accounts a ON a.owner_id = l.owner_id LEFT JOIN accounts b ON b.owner_id = l.to_id`

// stillGood is the condition for a loan that is taken, or whose link can still be used, of a tune that is not deleted.
const stillGood = " (l.to_id IS NOT NULL OR l.expires_at > UTC_TIMESTAMP(6)) AND (l.tune_id IS NULL OR s.gone_at IS NULL)"

func scanLoan(row interface{ Scan(...any) error }) (l Loan, err error) {
	var to, tune, profile, mine *ID
	var expires sql.NullTime
	err = row.Scan(&l.ID, &l.Owner, &to, &tune, &profile, &l.Copy, &l.ShowsLog, &expires, &l.Title, &l.Pupil, &l.Lender, &l.Taker, &mine)
	for _, v := range []struct{ from, to *ID }{{to, &l.To}, {tune, &l.Tune}, {profile, &l.Profile}, {mine, &l.Borrowed}} {
		if v.from != nil {
			*v.to = *v.from
		}
	}
	l.Expires = expires.Time
	return l, notFound(err)
}

// orNull is an ID, or NULL for the zero one.
func orNull(id ID) any {
	if id == (ID{}) {
		return nil
	}
	return id
}

// maxLoans bounds the loans of an owner, open ones included.
const maxLoans = 1000

// AddLoan makes a loan with a one-time link and returns the secret of the link, of which only the hash is kept: of a tune, as it is set or as
// the sheet of one of the owner's players; as a copy; or, without a tune, of being this player. ErrNotFound for a tune or player that the owner
// does not have, ErrLent, ErrTooMany.
func (s *Store) AddLoan(ctx context.Context, owner, tune, profile ID, copies bool) (secret string, err error) {
	secret = account.Secret()
	return secret, s.inTx(ctx, "lend", func(tx *sql.Tx) error {
		if err := mayLend(ctx, tx, owner, tune, profile); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO loans (id, owner_id, tune_id, profile_id, copies, hash, expires_at, made_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
			newID(), owner, orNull(tune), orNull(profile), copies, account.SecretHash(secret), now().Add(account.LinkLasts), now())
		return err
	})
}

// mayLend refuses what is not the owner's, and too much of it; links that were not used in time go.
func mayLend(ctx context.Context, tx *sql.Tx, owner, tune, profile ID) error {
	if _, err := tx.ExecContext(ctx, "DELETE FROM loans WHERE owner_id = ? AND to_id IS NULL AND expires_at < UTC_TIMESTAMP(6)", owner); err != nil {
		return err
	}
	if tune == (ID{}) && profile == (ID{}) {
		return ErrNotFound
	}
	if tune != (ID{}) {
		if err := ownTune(ctx, tx, owner, tune); err != nil {
			return err
		}
	}
	if profile != (ID{}) {
		if err := ownProfile(ctx, tx, owner, profile); err != nil {
			return err
		}
	}
	return atMost(ctx, tx, "SELECT COUNT(*) FROM loans WHERE owner_id = ?", owner, maxLoans)
}

// LendToPupil lends a tune to the account that is one of the owner's players, without a link: the pupil has agreed to be one. It returns whether
// the player has an account. Lending twice is lending once. Errors as of AddLoan.
func (s *Store) LendToPupil(ctx context.Context, owner, tune, profile ID) (has bool, err error) {
	err = s.inTx(ctx, "lend to the pupil", func(tx *sql.Tx) error {
		if err := mayLend(ctx, tx, owner, tune, profile); err != nil {
			return err
		}
		to, err := accountOf(ctx, tx, owner, profile)
		if has = to != (ID{}); err != nil || !has {
			return err
		}
		var old ID
		err = tx.QueryRowContext(ctx, "SELECT id FROM loans WHERE owner_id = ? AND tune_id = ? AND to_id = ? FOR UPDATE", owner, tune, to).Scan(&old)
		if err == nil {
			_, err = tx.ExecContext(ctx, "UPDATE loans SET profile_id = ? WHERE id = ?", profile, old)
			return err
		}
		if err := ignoreNone(err); err != nil {
			return err
		}
		l := Loan{ID: newID(), Owner: owner, To: to, Tune: tune, Profile: profile}
		if _, err := tx.ExecContext(ctx, "INSERT INTO loans (id, owner_id, to_id, tune_id, profile_id, copies, made_at) VALUES (?, ?, ?, ?, ?, FALSE, ?)",
			l.ID, owner, to, tune, profile, now()); err != nil {
			return err
		}
		_, err = borrow(ctx, tx, &l)
		return err
	})
	return has, err
}

// accountOf is the account that is one of the owner's players, zero if there is none.
func accountOf(ctx context.Context, tx *sql.Tx, owner, profile ID) (to ID, err error) {
	err = tx.QueryRowContext(ctx, "SELECT to_id FROM loans WHERE owner_id = ? AND profile_id = ? AND tune_id IS NULL AND to_id IS NOT NULL", owner, profile).Scan(&to)
	return to, ignoreNone(err)
}

// ignoreNone is nil where a row was looked for and there is none.
func ignoreNone(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	return err
}

// Loans are what the owner lends, the newest first, without links that ran out.
func (s *Store) Loans(ctx context.Context, owner ID) ([]Loan, error) {
	return s.loans(ctx, " WHERE l.owner_id = ? AND"+stillGood+" ORDER BY l.made_at DESC, l.id", owner)
}

// LoansTo are what is lent to the owner by others, the newest first.
func (s *Store) LoansTo(ctx context.Context, owner ID) ([]Loan, error) {
	return s.loans(ctx, " WHERE l.to_id = ? AND"+stillGood+" ORDER BY l.made_at DESC, l.id", owner)
}

func (s *Store) loans(ctx context.Context, where string, owner ID) (out []Loan, err error) {
	rows, err := s.q().QueryContext(ctx, loanColumns+where, owner)
	if err != nil {
		return nil, fmt.Errorf("list loans: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		l, err := scanLoan(rows)
		if err != nil {
			return nil, err
		}
		out = append(out, l)
	}
	return out, rows.Err()
}

// FindLoan returns the open loan of a secret without taking it. ErrLink.
func (s *Store) FindLoan(ctx context.Context, secret string) (Loan, error) {
	return findLoan(ctx, s.q(), secret, "")
}

func findLoan(ctx context.Context, q querier, secret, lock string) (Loan, error) {
	l, err := scanLoan(q.QueryRowContext(ctx, loanColumns+" WHERE l.hash = ? AND l.to_id IS NULL AND"+stillGood+lock, account.SecretHash(secret)))
	if errors.Is(err, ErrNotFound) {
		err = ErrLink
	}
	return l, err
}

// TakeLoan uses the link of a loan for the account of to. It returns the loan, and of a tune the key that it has among the borrower's. ErrLink,
// ErrOwnLoan, ErrTooMany; ErrInUse if the player has another account already.
func (s *Store) TakeLoan(ctx context.Context, to ID, secret string) (l Loan, tune ID, err error) {
	err = s.inTx(ctx, "take the loan", func(tx *sql.Tx) error {
		if l, err = findLoan(ctx, tx, secret, " FOR UPDATE"); err != nil {
			return err
		}
		if l.Owner == to {
			return ErrOwnLoan
		}
		l.To = to
		switch {
		case l.Copy:
			if tune, err = copyLent(ctx, tx, &l); err == nil {
				_, err = tx.ExecContext(ctx, "DELETE FROM loans WHERE id = ?", l.ID)
			}
			return err
		case l.Tune == ID{}:
			if has, err := accountOf(ctx, tx, l.Owner, l.Profile); err != nil {
				return err
			} else if has != (ID{}) {
				return ErrInUse
			}
		default:
			if _, err := tx.ExecContext(ctx, "DELETE FROM loans WHERE owner_id = ? AND tune_id = ? AND to_id = ?", l.Owner, l.Tune, to); err != nil {
				return err // one loan of a tune at a time
			}
		}
		if _, err := tx.ExecContext(ctx, "UPDATE loans SET to_id = ?, hash = NULL, expires_at = NULL WHERE id = ?", to, l.ID); err != nil {
			return err
		}
		if l.Tune != (ID{}) {
			tune, err = borrow(ctx, tx, &l)
		}
		return err
	})
	return l, tune, err
}

// lentState reads what of a lent tune becomes the borrower's: title, text, and the settings in force, for the pupil that it is lent to.
func lentState(ctx context.Context, tx *sql.Tx, l *Loan) (title, source string, st setup.Settings, err error) {
	var settings []byte
	err = tx.QueryRowContext(ctx, "SELECT t.title, t.source, e.settings FROM tunes t JOIN edits e ON e.tune_id = t.id AND e.seq = t.head WHERE t.owner_id = ? AND t.id = ?",
		l.Owner, l.Tune).Scan(&title, &source, &settings)
	if err == nil {
		err = unmarshalSettings(l.Tune, settings, &st)
	}
	return title, source, st, err
}

// borrow puts a lent tune among the borrower's, or the row that it had there before in order again, and returns its key.
func borrow(ctx context.Context, tx *sql.Tx, l *Loan) (ID, error) {
	title, _, st, err := lentState(ctx, tx, l)
	if err != nil {
		return ID{}, err
	}
	var lender string
	if err := tx.QueryRowContext(ctx, "SELECT COALESCE((SELECT name FROM accounts WHERE owner_id = ?), 'somebody')", l.Owner).Scan(&lender); err != nil {
		return ID{}, err
	}
	var id ID
	err = tx.QueryRowContext(ctx, "SELECT id FROM tunes WHERE owner_id = ? AND lent_id = ? FOR UPDATE", l.To, l.Tune).Scan(&id)
	if err == nil {
		_, err = tx.ExecContext(ctx, "UPDATE tunes SET loan_id = ?, lender = ?, title = ?, gone_at = NULL WHERE id = ?", l.ID, lender, title, id)
		return id, err
	}
	if err := ignoreNone(err); err != nil {
		return ID{}, err
	}
	// For lists alone: what is played is the lender's.
	id, err = addLent(ctx, tx, l.To, title, "", setup.Settings{Tuning: st.Tuning, Capo: st.Capo})
	if err != nil {
		return ID{}, err
	}
	_, err = tx.ExecContext(ctx, "UPDATE tunes SET loan_id = ?, lent_id = ?, lender = ? WHERE id = ?", l.ID, l.Tune, lender, id)
	return id, err
}

// copyLent makes a tune of the borrower's own from a lent one.
func copyLent(ctx context.Context, tx *sql.Tx, l *Loan) (ID, error) {
	title, source, st, err := lentState(ctx, tx, l)
	if err != nil {
		return ID{}, err
	}
	return addLent(ctx, tx, l.To, title, source, st)
}

// addLent adds what was lent to an owner's tunes, for the first of the owner's players. ErrTooMany.
func addLent(ctx context.Context, tx *sql.Tx, owner ID, title, source string, st setup.Settings) (ID, error) {
	if err := mayAddTune(ctx, tx, owner); err != nil {
		return ID{}, err
	}
	profile, err := aProfile(ctx, tx, owner)
	if err != nil {
		return ID{}, err
	}
	id := newID()
	if err := insertTune(ctx, tx, owner, id, title, source, 1); err != nil {
		return ID{}, err
	}
	return id, addEdit(ctx, tx, owner, id, 1, profile, st, now())
}

// aProfile is the first of an owner's players, made if there is none.
func aProfile(ctx context.Context, tx *sql.Tx, owner ID) (id ID, err error) {
	err = tx.QueryRowContext(ctx, "SELECT id FROM profiles WHERE owner_id = ? ORDER BY created_at, id LIMIT 1", owner).Scan(&id)
	if !errors.Is(err, sql.ErrNoRows) {
		return id, err
	}
	p := player.Default()
	doc, err := json.Marshal(p)
	if err != nil {
		return id, err
	}
	id = newID()
	_, err = tx.ExecContext(ctx, "INSERT INTO profiles (id, owner_id, name, doc, version, created_at, updated_at) VALUES (?, ?, ?, ?, 1, ?, ?)", id, owner, p.Name, doc, now(), now())
	return id, err
}

// EndLoan ends a loan at once; lender and borrower can both. ErrNotFound.
func (s *Store) EndLoan(ctx context.Context, owner, loan ID) error {
	return s.inTx(ctx, "end the loan", func(tx *sql.Tx) error {
		var lender ID
		var to, tune, profile *ID
		err := tx.QueryRowContext(ctx, "SELECT owner_id, to_id, tune_id, profile_id FROM loans WHERE id = ? AND (owner_id = ? OR to_id = ?) FOR UPDATE", loan, owner, owner).Scan(&lender, &to, &tune, &profile)
		if err != nil {
			return notFound(err)
		}
		if tune == nil && to != nil { // who is no pupil any more has no pupil's sheets
			if _, err := tx.ExecContext(ctx, "DELETE FROM loans WHERE owner_id = ? AND to_id = ? AND profile_id = ?", lender, *to, *profile); err != nil {
				return err
			}
		}
		_, err = tx.ExecContext(ctx, "DELETE FROM loans WHERE id = ?", loan)
		return err
	})
}

// ShowLog says whether the lender of a pupil's loan may see the borrower's practice log; only the borrower can. ErrNotFound.
func (s *Store) ShowLog(ctx context.Context, to, loan ID, shown bool) error {
	return s.inTx(ctx, "show the log", func(tx *sql.Tx) error {
		return deleted(tx.ExecContext(ctx, "UPDATE loans SET shows_log = ? WHERE id = ? AND to_id = ? AND tune_id IS NULL", shown, loan, to))
	})
}

// PupilsLog is the practice log of the account that is one of the owner's players, tune by tune, with the titles; ErrNotFound unless the
// pupil shows it.
func (s *Store) PupilsLog(ctx context.Context, owner, profile ID) (log []Played, titles map[ID]string, err error) {
	const shown = " FROM loans l JOIN tunes t ON t.owner_id = l.to_id AND t.gone_at IS NULL WHERE l.owner_id = ? AND l.profile_id = ? AND l.tune_id IS NULL AND l.shows_log"
	var one int
	err = s.q().QueryRowContext(ctx, "SELECT 1 FROM loans WHERE owner_id = ? AND profile_id = ? AND tune_id IS NULL AND shows_log", owner, profile).Scan(&one)
	if err != nil {
		return nil, nil, notFound(err)
	}
	rows, err := s.q().QueryContext(ctx, "SELECT t.id, t.title"+shown, owner, profile)
	if err != nil {
		return nil, nil, fmt.Errorf("titles of the log: %w", err)
	}
	defer rows.Close()
	titles = map[ID]string{}
	for rows.Next() {
		var id ID
		var title string
		if err := rows.Scan(&id, &title); err != nil {
			return nil, nil, err
		}
		titles[id] = title
	}
	if err := rows.Err(); err != nil {
		return nil, nil, err
	}
	log, err = s.passes(ctx, `SELECT p.tune_id, p.at, p.step, p.layer, p.bar_first, p.bar_last, p.tempo, p.verdict, p.seconds, p.plan, p.motion
		FROM passes p JOIN tunes t ON t.id = p.tune_id AND t.gone_at IS NULL JOIN loans l ON l.to_id = p.owner_id
		WHERE l.owner_id = ? AND l.profile_id = ? AND l.tune_id IS NULL AND l.shows_log ORDER BY p.tune_id, p.at, p.id`, owner, profile)
	return log, titles, err
}
