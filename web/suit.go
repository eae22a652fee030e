package web

import (
	"context"
	"fmt"
	"net/http"
	"sort"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/suit"
	"stepping/core/tuning"
	"stepping/store"
)

// suitJob is a ranking under way or done, for one tune.
type suitJob struct {
	mu      sync.Mutex
	basis   string
	stop    context.CancelFunc
	running bool
	got     suit.Ranking
	problem string
}

// suits keeps the ranking of each tune until the program ends.
type suits struct {
	mu sync.Mutex
	of map[string]*suitJob
}

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
	Sort            string // the address up to the column to sort by
}

type suitView struct {
	Rank                                     int
	Tuning, Notes, Capo, Key, Score, Total   string
	Retuning, Risk, Ceiling, Leaks, UnderBar string
	Slow, Bar                                string // what the ceiling and the bar cost
	Turned                                   int
	Steps, CapoN                             int
	Now                                      bool
	First                                    []firstMark
}

// firstMark is one stroke of the first bars, drawn small.
type firstMark struct {
	X, Y  float64
	Text  string
	Slide bool
}

// firstWidth is the width in pixels of the first bars as drawn.
const firstWidth = 210.0

func firstMarks(w *suit.Way) (out []firstMark) {
	end := 1.0
	for _, s := range w.First {
		if s.String != 0 {
			end = max(end, s.At+1)
		}
	}
	for _, s := range w.First {
		if s.String != 0 {
			out = append(out, firstMark{8 + (firstWidth-16)*s.At/end, 8 + 12*float64(s.String-1), play.FromCapo(s.Fret, w.Capo).String(), s.How == play.Slide || s.How == play.Glide})
		}
	}
	return out
}

// sortViews orders the list by another column than the rank, best first.
func sortViews(ways []suit.Way, by string) {
	key := map[string]func(w *suit.Way) float64{
		"plan": func(w *suit.Way) float64 { return w.Total }, "retuning": func(w *suit.Way) float64 { return w.Retuning }, "risk": func(w *suit.Way) float64 { return w.Risk },
		"ceiling": func(w *suit.Way) float64 { return -holdsUpTo(w) }, "leaks": func(w *suit.Way) float64 { return float64(w.Leaks) }, "bar": func(w *suit.Way) float64 { return -w.UnderBar },
	}[by]
	if key != nil {
		sort.SliceStable(ways, func(i, j int) bool { return key(&ways[i]) < key(&ways[j]) })
	}
}

// maxSuitCapo is the highest fret for a capo that a ranking tries.
const maxSuitCapo = 6

func (s *Server) suitKey(t *store.Tune, keep bool) string { return t.ID.String() + fmt.Sprint(keep) }

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
	body := suitBody{ID: t.ID.String(), Title: t.Title, Version: t.Version, Keep: keep, Guitar: g.Name, Present: g.Tuning, Sort: sorts[keep]}
	s.suits.mu.Lock()
	j := s.suits.of[s.suitKey(t, keep)]
	s.suits.mu.Unlock()
	if j != nil {
		j.mu.Lock()
		body.Running, body.Problem, body.All, body.Planned, body.Proved = j.running, j.problem, j.got.All, j.got.Planned, j.got.Proved
		body.Stopped = !j.running && j.got.Proved == 0 && j.problem == ""
		ways := append([]suit.Way{}, j.got.Ways...)
		rank := map[suit.Way]int{}
		for i := range ways {
			rank[ways[i]] = i
		}
		sortViews(ways, c.Query("sort"))
		for i := range ways {
			body.Ways = append(body.Ways, newSuitView(rank[ways[i]], &ways[i], t))
		}
		j.mu.Unlock()
	}
	part := "layout"
	if c.GetHeader("X-Part") != "" {
		part = "ranking"
	}
	s.render(c, http.StatusOK, "suit", part, "Which tuning suits "+t.Title, body)
}

// shownWays is how many ways a page lists.
const shownWays = 24

func newSuitView(i int, w *suit.Way, t *store.Tune) suitView {
	v := suitView{Rank: i + 1, Tuning: w.Tuning.Name, Notes: classesOf(w.Tuning.Spelt), Capo: "none", Key: "as written", Score: fmt.Sprintf("%.1f", w.Score), Total: fmt.Sprintf("%.1f", w.Total),
		Retuning: fmt.Sprintf("%.1f", w.Retuning), Risk: fmt.Sprintf("%.1f", w.Risk), Ceiling: "–", Leaks: fmt.Sprint(w.Leaks), UnderBar: fmt.Sprintf("%.0f%%", 100*w.UnderBar), Bar: fmt.Sprintf("+%.1f", w.Bar), Turned: w.Turned, Steps: w.Steps, CapoN: w.Capo, First: firstMarks(w)}
	if w.Capo > 0 {
		v.Capo = fmt.Sprint(w.Capo)
	}
	if w.Steps != 0 {
		v.Key = fmt.Sprintf("%+d half steps", w.Steps)
	}
	if holdsUpTo(w) < fastest {
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

func classesOf(spelt string) string {
	t, err := tuning.Parse(spelt)
	if err != nil {
		return spelt
	}
	return t.Classes()
}

// startSuit begins a ranking, or goes on with one that was stopped.
func (s *Server) startSuit(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	keep := c.PostForm("key") != "any"
	prof, err := s.store.Profile(c, s.owner, t.ProfileID)
	if err != nil {
		s.failFor(c, err)
		return
	}
	guitars, err := s.guitars(c)
	if err != nil {
		s.failFor(c, err)
		return
	}
	req, _, err := request(t, &prof.Profile)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	if t.Settings.Steps != 0 {
		req.Tune = req.Tune.Transposed(-t.Settings.Steps)
	}
	g, present := sixStringed(guitars)
	r := suit.Request{Plan: req, Guitar: g.Guitar, KeepKey: keep, Capos: maxSuitCapo, Workers: 2}
	r.Plan.Tuning = present
	if err := r.Guitar.Complete(tuning.Strings); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	basis := basisOf(t, &prof.Profile) + present.String()
	s.runSuit(s.suitKey(t, keep), basis, r)
	c.Redirect(http.StatusSeeOther, suitLink(t, keep))
}

func suitLink(t *store.Tune, keep bool) string {
	link := "/tunes/" + t.ID.String() + "/suit"
	if !keep {
		link += "?key=any"
	}
	return link
}

// runSuit starts the job unless it runs; what an earlier one of the same basis found is kept.
func (s *Server) runSuit(key, basis string, r suit.Request) {
	s.suits.mu.Lock()
	defer s.suits.mu.Unlock()
	if old := s.suits.of[key]; old != nil {
		old.mu.Lock()
		defer old.mu.Unlock()
		if old.running {
			if old.basis == basis {
				return
			}
			old.stop()
		}
		if old.basis == basis {
			r.Known = old.got.Ways
		}
	}
	ctx, stop := context.WithTimeout(context.Background(), suitLimit)
	j := &suitJob{basis: basis, stop: stop, running: true}
	j.got.Ways = r.Known
	s.suits.of[key] = j
	r.Progress = func(rk *suit.Ranking) { j.take(rk) }
	go func() {
		defer stop()
		got, err := suit.Rank(ctx, r)
		j.take(got)
		j.mu.Lock()
		defer j.mu.Unlock()
		j.running = false
		if err != nil && ctx.Err() == nil {
			j.problem = err.Error()
		}
	}()
}

// take copies what a ranking has found.
func (j *suitJob) take(rk *suit.Ranking) {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.got = *rk
	j.got.Ways = append([]suit.Way{}, rk.Ways[:min(len(rk.Ways), shownWays)]...)
}

func (s *Server) stopSuit(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	keep := c.PostForm("key") != "any"
	s.suits.mu.Lock()
	j := s.suits.of[s.suitKey(t, keep)]
	s.suits.mu.Unlock()
	if j != nil {
		j.stop()
		for range 100 { // it ends within a moment of the plan at hand
			j.mu.Lock()
			running := j.running
			j.mu.Unlock()
			if !running {
				break
			}
			time.Sleep(20 * time.Millisecond)
		}
	}
	c.Redirect(http.StatusSeeOther, suitLink(t, keep))
}

// takeWay puts a way of the ranking in force for the tune.
func (s *Server) takeWay(c *gin.Context) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	st := ch.tune.Settings
	st.Tuning, st.Capo, st.Steps, st.Pins = c.PostForm("tuning"), atoi(c.PostForm("capo")), atoi(c.PostForm("steps")), []plan.Pin{}
	if _, err := tuning.Parse(st.Tuning); err != nil || st.Capo < 0 || st.Capo > 9 || st.Steps < -maxSteps || st.Steps > maxSteps {
		s.fail(c, http.StatusUnprocessableEntity, fmt.Errorf("%q, capo %d, moved %d is no way to play a tune", st.Tuning, st.Capo, st.Steps))
		return
	}
	s.finish(c, &ch, s.store.SaveSettings(c, s.owner, ch.tune.ID, ch.version, ch.tune.ProfileID, st))
}

// holdsUpTo is a way's ceiling, fastest where nothing of account limits it.
func holdsUpTo(w *suit.Way) float64 {
	if w.Ceiling <= 0 {
		return fastest
	}
	return min(w.Ceiling, fastest)
}
