package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/http"
	"slices"
	"sort"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/core/neck"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/rank"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/view"
)

// suitLimit is how long a ranking may take.
const suitLimit = 5 * time.Minute

// suitBody is the page of one ranking.
type suitBody struct {
	ID, Title       string
	Version         int
	Keep            bool
	Running         bool
	Stopped         bool
	Problem         string
	Ways            []suitView
	All, Planned    int
	Proved          int
	Guitar, Present string
	Wanted          string         // the tune's tuning as it is set
	Sort            string         // the address up to the column to sort by
	Sorted          bool           // by another column than the rank
	Proposed        []proposedView // while nothing is ranked
	Steps           int            // that the tune is moved
}

type suitView struct {
	Rank                                   int
	Name, Tuning, Notes, Key, Score, Total string
	Retuning, Capoed, Risk                 string
	Ceiling, Leaks, UnderBar               string
	Slow, Bar                              string // what the ceiling and the bar cost
	Home, Strange                          string
	Also                                   []string // other capos and names of the same shape
	Turned                                 int
	Steps, CapoN                           int
	Now                                    bool
	First                                  []firstMark
	Opens, Words, Against                  string // the open chord; what speaks for it; how much worse than the first
	Home12                                 view.SmallNeck
}

// firstMark is one stroke of the first bars, drawn small.
type firstMark struct {
	X, Y  float64
	Text  string
	Slide bool
}

// firstWidth is the width in pixels of the first bars as drawn.
const firstWidth = 210.0

func firstMarks(w *rank.Way) (out []firstMark) {
	end := 1.0
	for _, s := range w.First {
		if s.String != 0 {
			end = max(end, s.At+1)
		}
	}
	for _, s := range w.First {
		if s.String != 0 {
			out = append(out, firstMark{8 + (firstWidth-16)*s.At/end, 8 + 12*float64(s.String-1),
				play.FromCapo(s.Fret, w.Capo).String(), s.How.Slid()})
		}
	}
	return out
}

// sortViews orders the list by another column than the rank, best first.
func sortViews(rows []rank.Row, by string) {
	key := map[string]func(w *rank.Way) float64{
		"plan": func(w *rank.Way) float64 { return w.Total }, "retuning": func(w *rank.Way) float64 { return w.Retuning },
		"capo":    func(w *rank.Way) float64 { return w.Capoed },
		"risk":    func(w *rank.Way) float64 { return w.Risk },
		"ceiling": func(w *rank.Way) float64 { return -holdsUpTo(w) },
		"leaks":   func(w *rank.Way) float64 { return float64(w.Leaks) }, "bar": func(w *rank.Way) float64 { return -w.UnderBar },
		"home": func(w *rank.Way) float64 { return w.Home }, "known": func(w *rank.Way) float64 { return w.Strange },
	}[by]
	if key != nil {
		sort.SliceStable(rows, func(i, j int) bool { return key(&rows[i].Way) < key(&rows[j].Way) })
	}
}

// maxSuitCapo is the highest fret for a capo that a ranking tries.
const maxSuitCapo = 6

func suitKey(t *store.Tune, keep bool) jobs.Key {
	return jobs.Key{Kind: rankingJob, Of: t.ID.String(), Part: fmt.Sprint(keep)}
}

// suit shows the ranking of a tune's tunings as far as it is.
func (s *Server) suit(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	keep := c.Query("key") != "any"
	guitars, err := s.guitars(c)
	if err != nil {
		s.failFor(c, err)
		return
	}
	sorts := map[bool]string{true: "?sort=", false: "?key=any&sort="}
	g, _ := sixStringed(guitars)
	body := suitBody{ID: t.ID.String(), Title: t.Title, Version: t.Version, Keep: keep, Guitar: g.Name, Present: g.Tuning,
		Wanted: t.Settings.Tuning, Steps: t.Settings.Steps, Sort: sorts[keep], Sorted: c.Query("sort") != ""}
	s.ranked(c, t, keep, &body)
	if len(body.Ways) == 0 && c.GetHeader("X-Part") == "" {
		body.Proposed = s.proposedNow(c, t)
	}
	part := "layout"
	if c.GetHeader("X-Part") != "" {
		part = "ranking"
	}
	s.render(c, http.StatusOK, "suit", part, "Which tuning suits "+t.Title, body)
}

// ranked shows the ranking that is under way here, or what is kept of one.
func (s *Server) ranked(c *gin.Context, t *store.Tune, keep bool, body *suitBody) {
	key, k := s.homeOf(c.Request.Context(), t)
	if j := jobs.Find[rank.Ranking](s.desk.Jobs, suitKey(t, keep)); j != nil {
		body.Running = j.Running() // before what is seen: what ends in between is shown as still under way
		got, _ := j.Seen()
		if err := j.Err(); err != nil && !errors.Is(err, jobs.ErrStopped) && !errors.Is(err, context.DeadlineExceeded) {
			body.Problem = err.Error()
		}
		body.take(&got, t, c.Query("sort"), key, k)
		return
	}
	if kept, got, ok := s.keptRanking(c.Request.Context(), t, keep); ok {
		body.Running = kept.Running
		body.take(got, t, c.Query("sort"), key, k)
	}
}

// keptRanking is what is kept of a ranking, by whichever copy of the program.
func (s *Server) keptRanking(ctx context.Context, t *store.Tune, keep bool) (kept store.Result, got *rank.Ranking, ok bool) {
	kept, err := s.store.Result(ctx, t.Owner, t.ID, rankingKind(keep))
	if err != nil {
		return kept, nil, false
	}
	got = &rank.Ranking{}
	return kept, got, json.Unmarshal(kept.Doc, got) == nil
}

func rankingKind(keep bool) string { return rankingJob + " " + fmt.Sprint(keep) }

// take shows what a ranking has found, and how far it is.
func (b *suitBody) take(got *rank.Ranking, t *store.Tune, by string, key pitch.Note, k neck.Neck) {
	b.All, b.Planned, b.Proved = got.All, got.Planned, got.Proved
	b.Stopped = !b.Running && got.Proved == 0 && b.Problem == ""
	rows := rank.Rows(got.Ways)
	best := math.Inf(1)
	for i := range rows {
		best = min(best, rows[i].Score)
	}
	rank := map[rank.Way]int{}
	for i := range rows {
		rank[rows[i].Way] = i
	}
	sortViews(rows, by)
	for i := range rows {
		v := newSuitView(rank[rows[i].Way], &rows[i].Way, t)
		v.draw(&rows[i].Way, key, k)
		if rows[i].Score > best {
			v.Against = play.Priced(rows[i].Score - best)
		}
		for k := range rows[i].Ways[1:] {
			also := &rows[i].Ways[1+k]
			v.Also = append(v.Also, wayName(also)+": "+play.Priced(also.Score-rows[i].Score))
		}
		b.Ways = append(b.Ways, v)
	}
}

// shownWays is how many ways a page lists.
const shownWays = 24

func newSuitView(i int, w *rank.Way, t *store.Tune) suitView {
	v := suitView{Rank: i + 1, Name: wayName(w), Tuning: w.Tuning.Name, Notes: classesOf(w.Tuning.Spelt), Key: movedWords(w.Steps),
		Score: fmt.Sprintf("%.1f", w.Score), Total: fmt.Sprintf("%.1f", w.Total),
		Retuning: fmt.Sprintf("%.1f", w.Retuning), Capoed: fmt.Sprintf("%.1f", w.Capoed), Risk: fmt.Sprintf("%.1f", w.Risk), Ceiling: "–", Leaks: fmt.Sprint(w.Leaks),
		UnderBar: fmt.Sprintf("%.0f%%", 100*w.UnderBar), Bar: fmt.Sprintf("+%.1f", w.Bar), Home: fmt.Sprintf("%.1f", w.Home),
		Strange: fmt.Sprintf("%.1f", w.Strange), Turned: w.Turned, Steps: w.Steps, CapoN: w.Capo, First: firstMarks(w)}
	if holdsUpTo(w) < tune.FastestShown {
		v.Ceiling = fmt.Sprintf("%.0f", w.Ceiling)
		if w.Slow > 0 {
			v.Slow = fmt.Sprintf("+%.1f", w.Slow)
		}
	}
	if tn, err := tuning.Parse(t.Settings.Tuning); err == nil {
		known, _ := tuning.Parse(w.Tuning.Spelt)
		v.Now = tn.String() == known.String() && w.Capo == t.Settings.Capo && w.Steps == 0
	}
	return v
}

// homeOf is the tonic of a tune as written, and the neck of its player; what cannot be read is C, on the usual neck.
func (s *Server) homeOf(ctx context.Context, t *store.Tune) (key pitch.Note, k neck.Neck) {
	p := player.Default()
	if prof, err := s.store.TunePlayer(ctx, t.Owner, t.ID); err == nil {
		p = prof.Profile
	}
	key = pitch.Note{Letter: 'C'}
	if tu, _, err := s.desk.Read(t.Source); err == nil {
		key = tu.Key.Tonic
	}
	return key, p.Neck()
}

// draw shows where home is in a way.
func (v *suitView) draw(w *rank.Way, key pitch.Note, k neck.Neck) {
	v.Words = w.Reason()
	t, err := tuning.Parse(w.Tuning.Spelt)
	if err != nil {
		return
	}
	v.Opens = tuning.OpenChord(t)
	v.Home12 = view.NewHomePicture(t, w.Capo, pitch.Spell(key.Pitch()+pitch.Midi(w.Steps), false), k)
}

// wayName is how a shape is got: "Open D, capo 2".
func wayName(w *rank.Way) string {
	if w.Capo == 0 {
		return w.Tuning.Name
	}
	return fmt.Sprintf("%s, capo %d", w.Tuning.Name, w.Capo)
}

func classesOf(spelt string) string {
	t, err := tuning.Parse(spelt)
	if err != nil {
		return spelt
	}
	return t.Classes()
}

// startSuit begins a ranking, or goes on with one that was stopped.
func (s *Server) startSuit(c *gin.Context) {
	t, prof, ok := s.tuneAndPlayer(c)
	if !ok {
		return
	}
	keep := c.PostForm("key") != "any"
	guitars, err := s.guitars(c)
	if err != nil {
		s.failFor(c, err)
		return
	}
	req, _, err := s.desk.Request(t, &prof.Profile)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	if t.Settings.Steps != 0 {
		req.Tune = req.Tune.Transposed(-t.Settings.Steps)
	}
	g, present := sixStringed(guitars)
	r := rank.Request{Plan: req, Guitar: g.Guitar, KeepKey: keep, Capos: maxSuitCapo, Workers: 2}
	r.Plan.Tuning = present
	if err := r.Guitar.Complete(tuning.Strings); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	basis := desk.Basis(t, &prof.Profile) + present.String()
	if err := s.runSuit(c.Request.Context(), t, keep, basis, r); err != nil {
		s.fail(c, http.StatusServiceUnavailable, errors.New("one moment: Stepping is busy. Try again in a few seconds"))
		return
	}
	c.Redirect(http.StatusSeeOther, suitLink(t, keep))
}

func suitLink(t *store.Tune, keep bool) string {
	link := "/tunes/" + t.ID.String() + "/suit"
	if !keep {
		link += "?key=any"
	}
	return link
}

// runSuit starts the job unless it runs, here or elsewhere; one that was stopped goes on from what it found.
func (s *Server) runSuit(ctx context.Context, t *store.Tune, keep bool, basis string, r rank.Request) error {
	key := suitKey(t, keep)
	if old := jobs.Find[rank.Ranking](s.desk.Jobs, key); old != nil && !old.Running() {
		old.Drop()
	}
	if jobs.Find[rank.Ranking](s.desk.Jobs, key) == nil {
		if kept, got, ok := s.keptRanking(ctx, t, keep); ok && kept.Basis == basis {
			if kept.Running {
				return nil // another copy of the program is at it
			}
			r.Known = got.Ways
		}
	}
	_, err := jobs.Start(s.desk.Jobs, key, basis, jobs.Work{Owner: t.Owner.String(), Long: true}, suitLimit,
		desk.Timed(s.desk, rankingJob, func(ctx context.Context, j *jobs.Job[rank.Ranking]) (rank.Ranking, error) {
			return rank.Ranking{}, s.rank(ctx, j, t.Owner, t.ID, rankingKind(keep), basis, r)
		}))
	return err
}

// rank ranks, and keeps what it finds from time to time, so that any copy of the program can show it, and stop it.
func (s *Server) rank(ctx context.Context, j *jobs.Job[rank.Ranking], owner, id store.ID, kind, basis string, r rank.Request) error {
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	save := func(ctx context.Context, underWay, first bool) {
		got, _ := j.Seen()
		doc, err := json.Marshal(got)
		wanted := true
		if err == nil {
			wanted, err = s.store.SaveResult(ctx, owner, id, kind, basis, doc, underWay, first)
		}
		if err != nil && ctx.Err() == nil {
			s.log.Error("keep a ranking", "err", err)
		}
		if !wanted || errors.Is(err, store.ErrNotFound) {
			stop(jobs.ErrStopped)
		}
	}
	show := func(rk *rank.Ranking) {
		seen := *rk
		seen.Ways = slices.Clone(rk.Ways[:min(len(rk.Ways), shownWays)])
		j.Show(seen)
	}
	show(&rank.Ranking{Ways: r.Known})
	save(ctx, true, true)
	saver := make(chan struct{})
	go func() {
		defer close(saver)
		for {
			select {
			case <-ctx.Done():
				return
			case <-time.After(store.SavedEvery):
				save(ctx, true, false)
			}
		}
	}()
	r.Progress = show
	got, err := rank.Rank(ctx, r)
	if got != nil {
		show(got)
	}
	if cause := context.Cause(ctx); err != nil && cause != nil {
		err = cause
	}
	stop(nil)
	<-saver
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), store.SavedEvery)
	defer cancel()
	save(end, false, false)
	return err
}

func (s *Server) stopSuit(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	keep := c.PostForm("key") != "any"
	if j := jobs.Find[rank.Ranking](s.desk.Jobs, suitKey(t, keep)); j != nil {
		j.Stop()
	} else if err := s.store.StopResult(c.Request.Context(), t.Owner, t.ID, rankingKind(keep)); err != nil &&
		!errors.Is(err, store.ErrNotFound) { // it runs elsewhere
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, suitLink(t, keep))
}

// takeWay puts a way of the ranking in force for the tune.
func (s *Server) takeWay(c *gin.Context) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	st := ch.tune.Settings.WithoutPins().LetGo()
	st.Tuning, st.Capo, st.Steps = c.PostForm("tuning"), atoi(c.PostForm("capo")), atoi(c.PostForm("steps"))
	if fault := st.Check(); fault != nil {
		s.fail(c, http.StatusUnprocessableEntity, fault)
		return
	}
	s.keep(c, &ch, st)
}

// holdsUpTo is a way's ceiling, tune.FastestShown where nothing of account limits it.
func holdsUpTo(w *rank.Way) float64 {
	if w.Ceiling <= 0 {
		return tune.FastestShown
	}
	return min(w.Ceiling, tune.FastestShown)
}
