package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"stepping/core/pattern"
	"stepping/core/player"
	"stepping/core/practice"
	"stepping/core/setup"
	"stepping/store/storetest"
)

// listed is a store with n tunes of each of some players, some of them played; tunes are those of the first.
func listed(t *testing.T, players, n int) (s *Store, owner ID, tunes []Listed, played map[ID]time.Time) {
	t.Helper()
	dsn, err := storetest.DSN()
	if err == nil {
		s, err = Open(t.Context(), dsn)
	}
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	rng := rand.New(rand.NewPCG(25, 1))
	played = map[ID]time.Time{}
	for who := range players {
		id := newID()
		err := s.inTx(t.Context(), "a player", func(tx *sql.Tx) error {
			_, err := tx.Exec("INSERT INTO players (id, name, here, created_at) VALUES (?, 'x', FALSE, ?)", id, now())
			return err
		})
		profile, err2 := s.AddProfile(t.Context(), id, player.Default())
		if err := errors.Join(err, err2); err != nil {
			t.Fatal(err)
		}
		for i := range n {
			l := Listed{Title: fmt.Sprintf("%c 100%% tune_%d", 'A'+rune(rng.IntN(26)), i), Tuning: []string{"Open D", "Standard", "D A D G A D", "Open G"}[rng.IntN(4)], Capo: rng.IntN(3)}
			if rng.IntN(4) == 0 {
				l.Tags = "slow"
			}
			l.ID, err = s.AddTune(t.Context(), id, l.Title, "K:D\nD|", profile, setup.Settings{Tuning: l.Tuning, Capo: l.Capo, Thumb: pattern.None})
			if err == nil && l.Tags != "" {
				err = s.SetTags(t.Context(), id, l.ID, []string{l.Tags})
			}
			if err == nil && rng.IntN(2) == 0 {
				at := time.Date(2026, 5, 1+rng.IntN(28), 12, i%60, i%59, 0, time.UTC)
				played[l.ID] = at
				err = s.AddPasses(t.Context(), id, l.ID, practice.Pass{At: at, Key: "x", Layer: practice.ThumbAlone, Bars: [2]int{1, 1}, Tempo: 60, Verdict: practice.Clean})
			}
			if err != nil {
				t.Fatal(err)
			}
			if who == 0 {
				tunes = append(tunes, l)
			}
		}
		if who == 0 {
			owner = id
		}
	}
	return s, owner, tunes, played
}

// TestFind compares the database's lists with the same done by hand: what is found, in which order, page by page.
func TestFind(t *testing.T) {
	s, owner, all, played := listed(t, 2, 60)
	byHand := func(q *ListQuery) (out []Listed) {
		for _, l := range all {
			has := func(text string) bool { return strings.Contains(strings.ToLower(text), strings.ToLower(q.Find)) }
			if has(l.Title) || has(l.Tags) || slices.Contains(q.Named, l.Tuning) {
				out = append(out, l)
			}
		}
		place := func(l *Listed) int { return (slices.Index(q.Tunings, l.Tuning) + 100) % 100 }
		slices.SortStableFunc(out, func(a, b Listed) int {
			switch q.Order {
			case ByTitle:
				return strings.Compare(a.Title, b.Title)
			case ByPlayed:
				return played[b.ID].Compare(played[a.ID])
			case ByTuning:
				return cmp.Compare(place(&a), place(&b))
			}
			return 0
		})
		return out
	}
	for _, find := range []string{"", "a", "SLOW", "%", "_1", "100% tune", `\`, "none of these"} {
		for _, order := range []string{ByAdded, ByTitle, ByPlayed, ByTuning} {
			q := ListQuery{Find: find, Order: order, Tunings: []string{"Open G", "Standard"}}
			if find == "a" {
				q.Named = []string{"D A D G A D"}
			}
			want := byHand(&q)
			if n, err := s.Count(t.Context(), owner, &q); err != nil || n != len(want) {
				t.Errorf("%q: %d of %d: %v", find, n, len(want), err)
			}
			var got []Listed
			for q.Most = 7; ; q.From += q.Most {
				page, err := s.Find(t.Context(), owner, &q)
				if err != nil {
					t.Fatal(err)
				}
				if got = append(got, page...); len(page) < q.Most {
					break
				}
			}
			if !slices.Equal(got, want) {
				t.Errorf("%q by %q: %v, want %v", find, order, got, want)
			}
		}
	}
}

// TestExplain: what every first page asks is answered from an index, without looking at other owners' rows or at all of one's own.
func TestExplain(t *testing.T) {
	s, owner, _, _ := listed(t, 15, 20)
	if _, err := s.db.Exec("ANALYZE TABLE tunes, edits, passes, results"); err != nil {
		t.Fatal(err)
	}
	page, args := (&ListQuery{Most: 50}).statement(owner)
	title, titleArgs := (&ListQuery{Most: 50, Order: ByTitle}).statement(owner)
	owners := []any{owner, owner, owner, owner, owner, owner, owner}
	for name, q := range map[string]struct {
		text string
		args []any
	}{
		"a page": {page, args}, "by title": {title, titleArgs}, "stamp": {stampQuery, owners},
		"tags": {"SELECT DISTINCT tags FROM tunes WHERE owner_id = ? AND gone_at IS NULL", owners[:1]}, "tunings": {"SELECT DISTINCT tuning FROM edits WHERE owner_id = ?", owners[:1]},
		"count": {"SELECT COUNT(*) FROM tunes t WHERE t.owner_id = ? AND t.gone_at IS NULL", owners[:1]},
	} {
		for _, access := range explained(t.Context(), t, s, q.text, q.args) {
			if access.Type == "ALL" || access.Type == "index" || access.Key == "" {
				t.Errorf("%s: table %s is read by %q, key %q", name, access.Table, access.Type, access.Key)
			}
		}
	}
}

// access is how one table of a query is read.
type access struct{ Table, Type, Key string }

// explained finds the accesses of a query in the database's own account of it.
func explained(ctx context.Context, t *testing.T, s *Store, query string, args []any) (out []access) {
	t.Helper()
	var text string
	if err := s.db.QueryRowContext(ctx, "EXPLAIN FORMAT=JSON "+query, args...).Scan(&text); err != nil {
		t.Fatal(err)
	}
	var doc any
	if err := json.Unmarshal([]byte(text), &doc); err != nil {
		t.Fatal(err)
	}
	var walk func(any)
	walk = func(v any) {
		switch v := v.(type) {
		case []any:
			for _, x := range v {
				walk(x)
			}
		case map[string]any:
			if table, ok := v["table_name"].(string); ok && !strings.HasPrefix(table, "<") {
				kind, _ := v["access_type"].(string)
				key, _ := v["key"].(string)
				out = append(out, access{table, kind, key})
			}
			for _, x := range v {
				walk(x)
			}
		}
	}
	walk(doc)
	return out
}
