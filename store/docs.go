package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"

	"stepping/core/entry"
	"stepping/core/pattern"
	"stepping/core/player"
	"stepping/core/retune"
	"stepping/core/tune"
)

// Kept is a document of the owner's with its key and version.
type Kept[T any] struct {
	ID      ID
	Version int
	Doc     T
}

// shelf is a table of documents of one kind: a pattern, a guitar, a slide.
type shelf[T any] struct {
	s     *Store
	table string // a constant of this file, never input
	most  int    // kept for an owner
	name  func(*T) string
}

// Patterns are the owner's picking patterns.
func (s *Store) Patterns() shelf[pattern.Pattern] {
	return shelf[pattern.Pattern]{s, "patterns", 200, func(p *pattern.Pattern) string { return p.Name }}
}

// Guitar is a guitar and what it is tuned to now.
type Guitar struct {
	retune.Guitar
	Tuning string `json:"tuning"` // as tuning.ParseAny reads it
}

// Guitars are the owner's guitars.
func (s *Store) Guitars() shelf[Guitar] {
	return shelf[Guitar]{s, "guitars", 20, func(g *Guitar) string { return g.Name }}
}

// Slide is a slide that the owner has.
type Slide struct {
	Name string `json:"name"`
	player.Slide
}

// Slides are the owner's slides.
func (s *Store) Slides() shelf[Slide] {
	return shelf[Slide]{s, "slides", 40, func(sl *Slide) string { return sl.Name }}
}

// Page is a page whose whole state is its address, kept by a name: a set, or a progression of chords.
type Page struct {
	Name   string            `json:"name"`
	Kind   string            `json:"kind"`             // set or chords
	Query  string            `json:"query"`            // of its address
	Titles map[string]string `json:"titles,omitempty"` // of the tunes in it, by their keys
}

// Pages are the owner's kept pages.
func (s *Store) Pages() shelf[Page] {
	return shelf[Page]{s, "pages", 200, func(p *Page) string { return p.Name }}
}

// Draft is what is on its way in and no tune yet: a file with what was chosen of it, or notes that are entered on the neck.
type Draft struct {
	Name string       `json:"name"`
	Neck *entry.Sheet `json:"neck,omitempty"`

	Data   []byte      `json:"data,omitempty"`   // the file, packed by gzip
	Tuning string      `json:"tuning,omitempty"` // how tablature is tuned, whatever it says; "": what it says
	Play   string      `json:"play,omitempty"`   // the tuning to play it in; "": the file's, or one that suits
	Voice  *int        `json:"voice,omitempty"`  // the melody; nil: the one proposed
	Bass   *int        `json:"bass,omitempty"`   // the voice that is the bass, -1 for none; nil: the one proposed
	Chords string      `json:"chords,omitempty"` // taken for a tune that has none, bar by bar
	Style  string      `json:"style,omitempty"`  // in which they are proposed
	Swung  bool        `json:"swung,omitempty"`  // dotted pairs are read as swung eighths
	Mends  []tune.Mend `json:"mends,omitempty"`  // notes changed after reading
	Steps  int         `json:"steps,omitempty"`  // of the grid for played notes; 0: the one proposed
	Swing  float64     `json:"swing,omitempty"`
}

// Drafts are the owner's.
func (s *Store) Drafts() shelf[Draft] {
	return shelf[Draft]{s, "drafts", 50, func(d *Draft) string { return cut(d.Name, 255) }}
}

func (sh shelf[T]) scan(row interface{ Scan(...any) error }) (k Kept[T], err error) {
	var doc []byte
	if err := row.Scan(&k.ID, &k.Version, &doc); err != nil {
		return k, notFound(err)
	}
	if err := json.Unmarshal(doc, &k.Doc); err != nil {
		return k, fmt.Errorf("%w: %s %s: %w", ErrUnreadable, sh.table, k.ID, err)
	}
	return k, nil
}

// All returns the owner's documents, oldest first.
func (sh shelf[T]) All(ctx context.Context, owner ID) (out []Kept[T], err error) {
	rows, err := sh.s.q().QueryContext(ctx, "SELECT id, version, doc FROM "+sh.table+" WHERE owner_id = ? ORDER BY created_at, id", owner)
	if err != nil {
		return nil, fmt.Errorf("list %s: %w", sh.table, err)
	}
	defer rows.Close()
	for rows.Next() {
		k, err := sh.scan(rows)
		if hidden(err) {
			continue
		}
		if err != nil {
			return nil, err
		}
		out = append(out, k)
	}
	return out, rows.Err()
}

// Get returns one document of the owner's, or ErrNotFound.
func (sh shelf[T]) Get(ctx context.Context, owner, id ID) (Kept[T], error) {
	k, err := sh.scan(sh.s.q().QueryRowContext(ctx, "SELECT id, version, doc FROM "+sh.table+" WHERE owner_id = ? AND id = ?", owner, id))
	if err != nil {
		return k, fmt.Errorf("%s %s: %w", sh.table, id, err)
	}
	return k, nil
}

// Add keeps a new document. ErrTooMany past the limit.
func (sh shelf[T]) Add(ctx context.Context, owner ID, doc *T) (ID, error) {
	id := newID()
	return id, sh.add(ctx, owner, id, doc)
}

func (sh shelf[T]) add(ctx context.Context, owner, id ID, doc *T) error {
	data, err := json.Marshal(doc)
	if err != nil {
		return err
	}
	at := now()
	return sh.s.inTx(ctx, "keep in "+sh.table, func(tx *sql.Tx) error {
		if err := atMost(ctx, tx, "SELECT COUNT(*) FROM "+sh.table+" WHERE owner_id = ?", owner, sh.most); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO "+sh.table+" (id, owner_id, name, doc, version, created_at, updated_at) VALUES (?, ?, ?, ?, 1, ?, ?)", id, owner, sh.name(doc), data, at, at)
		return taken(err)
	})
}

// Save replaces a document read at the given version. ErrStale, ErrNotFound.
func (sh shelf[T]) Save(ctx context.Context, owner, id ID, version int, doc *T) error {
	data, err := json.Marshal(doc)
	if err != nil {
		return err
	}
	return sh.s.inTx(ctx, "keep in "+sh.table, func(tx *sql.Tx) error {
		if err := lockVersion(ctx, tx, "SELECT version FROM "+sh.table+" WHERE owner_id = ? AND id = ? FOR UPDATE", owner, id, version); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "UPDATE "+sh.table+" SET name = ?, doc = ?, version = version + 1, updated_at = ? WHERE id = ?", sh.name(doc), data, now(), id)
		return err
	})
}

// Delete removes a document. ErrNotFound.
func (sh shelf[T]) Delete(ctx context.Context, owner, id ID) error {
	return sh.s.inTx(ctx, "delete from "+sh.table, func(tx *sql.Tx) error {
		return deleted(tx.ExecContext(ctx, "DELETE FROM "+sh.table+" WHERE owner_id = ? AND id = ?", owner, id))
	})
}
