package store

import (
	"context"
	"fmt"
	"strings"
)

// Listed is what a list of tunes shows of one.
type Listed struct {
	ID            ID
	Title, Tuning string
	Facts         string // see SetFacts
	Tags          string // see setup.ParseTags
	Capo          int
	Lender        string // of a borrowed tune
}

// Orders of a list. Of equals the one that was added first comes first.
const (
	ByAdded  = ""
	ByTitle  = "title"
	ByPlayed = "played" // last
	ByTuning = "tuning" // as ListQuery.Tunings has them
)

// ListQuery says which of the owner's tunes are listed.
type ListQuery struct {
	Find    string   // in title, facts and tags, in any case; "" for all
	Named   []string // tunings that Find names: tunes in them are found as well
	Order   string
	Tunings []string // for ByTuning, first to last; tunes in others come at the end
	IDs     []ID     // these alone, if there are any
	From    int      // how many to leave out at the beginning
	Most    int      // 0 for all
}

const listFrom = " FROM tunes t JOIN edits e ON e.tune_id = t.id AND e.seq = t.head"

// where is the condition of a query, with its arguments.
func (q *ListQuery) where(owner ID) (text string, args []any) {
	text, args = " WHERE t.owner_id = ? AND t.gone_at IS NULL", []any{owner}
	if q.Find != "" {
		like := "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(q.Find) + "%"
		text += " AND (t.title LIKE ? OR t.facts LIKE ? OR t.tags LIKE ?"
		args = append(args, like, like, like)
		if len(q.Named) > 0 {
			text += " OR e.tuning IN (?" + strings.Repeat(", ?", len(q.Named)-1) + ")"
			args = append(args, anys(q.Named)...)
		}
		text += ")"
	}
	if len(q.IDs) > 0 {
		text += " AND t.id IN (?" + strings.Repeat(", ?", len(q.IDs)-1) + ")"
		args = append(args, anys(q.IDs)...)
	}
	return text, args
}

func anys[T any](of []T) (out []any) {
	for _, v := range of {
		out = append(out, v)
	}
	return out
}

// statement is a query as SQL.
func (q *ListQuery) statement(owner ID) (text string, args []any) {
	where, of := q.where(owner)
	text = "SELECT t.id, t.title, t.facts, t.tags, t.lender, e.tuning, CAST(COALESCE(JSON_VALUE(e.settings, '$.capo'), 0) AS SIGNED)" + listFrom
	order := " ORDER BY t.created_at, t.id"
	switch {
	case q.Order == ByTitle:
		order = " ORDER BY t.title, t.created_at, t.id"
	case q.Order == ByPlayed:
		text += " LEFT JOIN (SELECT tune_id, MAX(at) AS at FROM passes WHERE owner_id = ? GROUP BY tune_id) p ON p.tune_id = t.id"
		args = append(args, owner)
		order = " ORDER BY p.at IS NULL, p.at DESC, t.created_at, t.id"
	}
	text, args = text+where, append(args, of...)
	if q.Order == ByTuning && len(q.Tunings) > 0 {
		field := "FIELD(e.tuning, ?" + strings.Repeat(", ?", len(q.Tunings)-1) + ")"
		order = " ORDER BY " + field + " = 0, " + field + ", t.created_at, t.id"
		args = append(append(args, anys(q.Tunings)...), anys(q.Tunings)...)
	}
	text += order
	if q.Most > 0 {
		text += " LIMIT ? OFFSET ?"
		args = append(args, q.Most, q.From)
	}
	return text, args
}

// Find lists the owner's tunes that a query asks for, without their texts.
func (s *Store) Find(ctx context.Context, owner ID, q *ListQuery) (out []Listed, err error) {
	text, args := q.statement(owner)
	rows, err := s.q().QueryContext(ctx, text, args...)
	if err != nil {
		return nil, fmt.Errorf("list tunes: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var l Listed
		if err := rows.Scan(&l.ID, &l.Title, &l.Facts, &l.Tags, &l.Lender, &l.Tuning, &l.Capo); err != nil {
			return nil, err
		}
		out = append(out, l)
	}
	return out, rows.Err()
}

// List is Find for all of the owner's tunes, the one that was added first first.
func (s *Store) List(ctx context.Context, owner ID) ([]Listed, error) {
	return s.Find(ctx, owner, &ListQuery{})
}

// Count is how many tunes a query finds, whatever its Most.
func (s *Store) Count(ctx context.Context, owner ID, q *ListQuery) (n int, err error) {
	where, args := q.where(owner)
	from := listFrom
	if len(q.Named) == 0 {
		from = " FROM tunes t"
	}
	if err = s.q().QueryRowContext(ctx, "SELECT COUNT(*)"+from+where, args...).Scan(&n); err != nil {
		err = fmt.Errorf("count tunes: %w", err)
	}
	return n, err
}

// Tunings are the tunings that the owner's tunes are in, or have been.
func (s *Store) Tunings(ctx context.Context, owner ID) ([]string, error) {
	return s.words(ctx, "SELECT DISTINCT tuning FROM edits WHERE owner_id = ?", owner)
}

// Tags are the texts of tags that tunes have, each once; see setup.ParseTags.
func (s *Store) Tags(ctx context.Context, owner ID) ([]string, error) {
	return s.words(ctx, "SELECT DISTINCT tags FROM tunes WHERE owner_id = ? AND gone_at IS NULL", owner)
}

func (s *Store) words(ctx context.Context, query string, owner ID) (out []string, err error) {
	rows, err := s.q().QueryContext(ctx, query, owner)
	if err != nil {
		return nil, fmt.Errorf("list words: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var w string
		if err := rows.Scan(&w); err != nil {
			return nil, err
		}
		out = append(out, w)
	}
	return out, rows.Err()
}

// stampQuery: every part is read off the end of an index.
const stampQuery = `SELECT CONCAT_WS(' ', (SELECT MAX(id) FROM passes WHERE owner_id = ?), (SELECT MAX(at) FROM passes WHERE owner_id = ?),
	(SELECT MAX(updated_at) FROM tunes WHERE owner_id = ?), (SELECT MAX(gone_at) FROM tunes WHERE owner_id = ?),
	(SELECT COUNT(*) FROM tunes WHERE owner_id = ? AND gone_at IS NULL),
	(SELECT MAX(saved_at) FROM results WHERE owner_id = ? AND kind = '` + LadderResult + `'), (SELECT CONCAT(COUNT(*), ' ', COALESCE(MAX(updated_at), '')) FROM gigs WHERE owner_id = ?))`

// Stamp changes whenever something changes that sittings are planned from: tunes, their ladders, what was played, gigs.
func (s *Store) Stamp(ctx context.Context, owner ID) (stamp string, err error) {
	err = s.q().QueryRowContext(ctx, stampQuery, owner, owner, owner, owner, owner, owner, owner).Scan(&stamp)
	return stamp, err
}
