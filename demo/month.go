package demo

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"stepping/core/intonation"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/practice"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/store"
)

// days is how long the demo's player has practised.
const days = 31

// Month gives the demo's tunes a month of practice up to now, by a simulated player, and a day on which two of
// them are wanted. It does so only where there is nothing but these tunes and nothing has been played:
// somebody's own log is their own.
func Month(ctx context.Context, st *store.Store, owner store.ID, now time.Time) error {
	played, err := st.Passes(ctx, owner)
	if err != nil || len(played) > 0 {
		return err
	}
	all, err := st.Tunes(ctx, owner)
	if err != nil || !untouched(all) {
		return err
	}
	var works []practice.Work
	var ids []store.ID
	for i := range all {
		t := &all[i]
		w, err := workOf(ctx, st, t)
		if err != nil {
			return fmt.Errorf("demo: practise %s: %w", t.Title, err)
		}
		works, ids = append(works, w), append(ids, t.ID)
	}
	hands := player.Default()
	hands.FittsA, hands.FittsB = 0.1, 0.13
	y, m, d := now.Date()
	from := time.Date(y, m, d, 18, 30, 0, 0, now.Location()).AddDate(0, 0, -days)
	s := practice.Simulated{Seed: 3, Hands: hands}
	return st.Together(ctx, "practise for a month", func(st *store.Store) error {
		for i, passes := range s.Month(works, from, days, 24) {
			doc, err := json.Marshal(works[i].Rungs)
			if err != nil {
				return err
			}
			if _, err := st.SaveResult(ctx, owner, ids[i], store.LadderResult, "demo", doc, false, true); err != nil {
				return err
			}
			if err := st.AddPasses(ctx, owner, ids[i], passes...); err != nil {
				return err
			}
		}
		if err := slideNotes(ctx, st, owner, from); err != nil {
			return err
		}
		_, err := st.Gigs().Add(ctx, owner, &store.Gig{Name: "Supper at the mill",
			On: now.AddDate(0, 0, 19).Format(time.DateOnly), Tunes: ids[:2]})
		return err
	})
}

// slideNotes gives the demo's first player what was trained with the slide in that time.
func slideNotes(ctx context.Context, st *store.Store, owner store.ID, from time.Time) error {
	profiles, err := st.Profiles(ctx, owner)
	if err != nil {
		return err
	}
	open, err := tuning.Parse("Open D")
	if err != nil {
		return err
	}
	p := &profiles[0]
	s := intonation.Simulated{Seed: 5, Finger: p.Profile.SlideFinger, Bias: [6]float64{0, 2, -14, 0, 0, 0}}
	log, err := s.Weeks(&intonation.Neck{Tuning: open, Frets: p.Profile.Instrument.Frets}, from, days)
	if err != nil {
		return err
	}
	return st.AddSlideNotes(ctx, owner, p.ID, log...)
}

// untouched reports whether tunes are those of the demo, as they came.
func untouched(all []store.Tune) bool {
	if len(all) != len(order) {
		return false
	}
	for i := range all {
		if text, err := tunes.ReadFile("tunes/" + order[i].file); err != nil || string(text) != all[i].Source {
			return false
		}
	}
	return true
}

// workOf is a tune with the ladder of its plan.
func workOf(ctx context.Context, st *store.Store, t *store.Tune) (w practice.Work, err error) {
	prof, err := st.TunePlayer(ctx, t.Owner, t.ID)
	if err != nil {
		return w, err
	}
	tu, _, err := abc.Read(strings.NewReader(t.Source))
	if err != nil {
		return w, err
	}
	req, err := t.Settings.Request(tu, &prof.Profile)
	if err != nil {
		return w, err
	}
	p, err := plan.Solve(ctx, req)
	if err != nil {
		return w, err
	}
	return practice.Work{ID: t.ID.String(), Title: t.Title, Rungs: practice.Rungs(practice.Ladder(p))}, nil
}
