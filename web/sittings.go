package web

import (
	"context"
	"encoding/json"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/core/practice"
	"stepping/store"
	"stepping/web/door"
)

// along is how far a tune is practised.
type along struct {
	Played   time.Time // last
	Firm, Of int       // steps of its ladder, of so many
}

// sitting is what is known of an owner's practice, worked out from all that was played.
type sitting struct {
	stamp string
	hour  time.Time
	tunes map[store.ID]along
	items []practice.Item // of a sitting of the usual length; nil if nothing is in practice
}

// sittings keeps what was worked out last for each owner: it takes all passes and ladders, and lists ask for it each time.
type sittings struct {
	mu    sync.Mutex
	known map[store.ID]*sitting
}

// keptSittings bounds the owners of whom it is kept.
const keptSittings = 200

func (k *sittings) get(owner store.ID, stamp string, hour time.Time) *sitting {
	k.mu.Lock()
	defer k.mu.Unlock()
	if v := k.known[owner]; v != nil && v.stamp == stamp && v.hour.Equal(hour) {
		return v
	}
	return nil
}

func (k *sittings) put(owner store.ID, v *sitting) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.known == nil || len(k.known) >= keptSittings {
		k.known = map[store.ID]*sitting{}
	}
	k.known[owner] = v
}

// sitting returns what is known of the owner's practice now.
func (s *Server) sitting(c *gin.Context) (*sitting, error) {
	ctx, owner := c.Request.Context(), door.Owner(c)
	stamp, err := s.store.Stamp(ctx, owner)
	if err != nil {
		return nil, err
	}
	now := time.Now()
	hour := now.Truncate(time.Hour)
	if v := s.sittings.get(owner, stamp, hour); v != nil {
		return v, nil
	}
	works, err := s.works(ctx, owner)
	if err != nil {
		return nil, err
	}
	v := newSitting(works, now)
	v.stamp, v.hour = stamp, hour
	s.sittings.put(owner, v)
	return v, nil
}

func newSitting(works []practice.Work, now time.Time) *sitting {
	v := &sitting{tunes: map[store.ID]along{}}
	for i := range works {
		w := &works[i]
		id, err := uuid.Parse(w.ID)
		if err != nil || len(w.Passes) == 0 {
			continue
		}
		a := along{Played: w.Passes[len(w.Passes)-1].At, Of: len(w.Rungs)}
		for _, st := range practice.Progress(w.Rungs, w.Passes, now) {
			if st.Solid() {
				a.Firm++
			}
		}
		v.tunes[id] = a
	}
	if len(v.tunes) > 0 {
		v.items = practice.Today(works, usualSitting, now)
	}
	return v
}

// works are the owner's tunes that have a ladder, with what was played of them.
func (s *Server) works(ctx context.Context, owner store.ID) (works []practice.Work, err error) {
	gigs, err := s.store.Gigs().All(ctx, owner)
	if err != nil {
		return nil, err
	}
	ladders, err := s.store.Results(ctx, owner, store.LadderResult)
	if err != nil || len(ladders) == 0 {
		return nil, err
	}
	played, err := s.store.Passes(ctx, owner)
	if err != nil {
		return nil, err
	}
	list, err := s.store.List(ctx, owner)
	if err != nil {
		return nil, err
	}
	passes := map[store.ID][]practice.Pass{}
	for _, p := range played {
		passes[p.Tune] = here(p.Passes)
	}
	for _, t := range list {
		doc, ok := ladders[t.ID]
		if !ok {
			continue
		}
		w := practice.Work{ID: t.ID.String(), Title: t.Title, Passes: passes[t.ID], By: wantedBy(gigs, t.ID)}
		if err := json.Unmarshal(doc, &w.Rungs); err != nil {
			s.log.Error("ladder", "tune", t.ID, "err", err)
			continue
		}
		works = append(works, w)
	}
	return works, nil
}

// aPage is how many tunes are listed at once.
const aPage = 50

// pickable are the tunes that a page offers to choose from: those that find names, a page of them, and those that are chosen.
func (s *Server) pickable(c *gin.Context, find string, chosen map[string]bool) (list []store.Listed, more bool, err error) {
	ctx, owner := c.Request.Context(), door.Owner(c)
	if list, err = s.store.Find(ctx, owner, &store.ListQuery{Find: find, Most: aPage + 1}); err != nil {
		return nil, false, err
	}
	if more = len(list) > aPage; more {
		list = list[:aPage]
	}
	shown := map[store.ID]bool{}
	for i := range list {
		shown[list[i].ID] = true
	}
	q := store.ListQuery{Most: aPage + 100}
	for text := range chosen {
		if id, err := uuid.Parse(text); err == nil && !shown[id] && len(q.IDs) < q.Most {
			q.IDs = append(q.IDs, id)
		}
	}
	if len(q.IDs) == 0 {
		return list, more, nil
	}
	rest, err := s.store.Find(ctx, owner, &q)
	return append(rest, list...), more, err
}
