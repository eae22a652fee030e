package web

import (
	"encoding/csv"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/core/practice"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// logBody is what was practised of one tune.
type logBody struct {
	ID, Title string
	Passes    int
	Grid      view.LogGrid
	Courses   []view.LogCourse
	Minutes   view.LogMinutes
	Stuck     []stuckView
	Notes     []barNote
	Bars      int
	Fault     string
}

// stuckView is a step that gets no faster, with ways out.
type stuckView struct {
	What, Place string
	Address     string // the step
	Elsewhere   string // the plan at its moment: another fingering, and what would relieve it
	Vary        string // other notes for the bar
}

type barNote struct {
	Bar     int // as played, from 1
	Printed string
	Note    string
}

// loggedDays is how many days the minutes are shown for.
const loggedDays = 35

func (s *Server) tuneLog(c *gin.Context) { s.showLog(c, http.StatusOK, "") }

func (s *Server) showLog(c *gin.Context, status int, fault string) {
	p, ok := s.practised(c)
	if !ok {
		return
	}
	tu := p.work.Plan.Request.Tune
	id := p.tune.ID.String()
	b := logBody{ID: id, Title: p.tune.Title, Passes: len(p.passes), Bars: len(tu.Bars), Fault: fault}
	layers, cells := practice.BarGrid(p.states[:p.ladder], p.passes, len(tu.Bars))
	b.Grid = view.NewLogGrid(layers, cells, func(layer string) string { return layerWords[layer][0] }, tu)
	for i := range p.states {
		st := &p.states[i]
		if points := practice.Course(p.passes, st.Key); len(points) > 0 && (st.Layer == practice.HardMove || st.Layer == practice.Tempo) {
			title := "The whole tune"
			if st.Layer == practice.HardMove {
				title = "The move into " + printedAt(p.work, st.Moment)
			}
			b.Courses = append(b.Courses, view.NewLogCourse(title, points, st.Goal()))
		}
		if st.Stuck {
			b.Stuck = append(b.Stuck, stuckView{layerWords[st.Layer][0], st.Place,
				"/tunes/" + id + "/practise?" + url.Values{"step": {st.Key}}.Encode(), fmt.Sprintf("/tunes/%s?m=%d", id, st.Moment),
				fmt.Sprintf("/tunes/%s/variations?m=%d", id, st.Moment)})
		}
	}
	b.Minutes = view.NewLogMinutes(practice.MinutesByDay(p.passes, time.Now(), loggedDays), time.Now())
	notes, err := s.store.Notes(c.Request.Context(), door.Owner(c), p.tune.ID)
	if err != nil {
		s.failFor(c, err)
		return
	}
	for bar := range tu.Bars {
		if n := notes[bar+1]; n != "" {
			b.Notes = append(b.Notes, barNote{bar + 1, tu.BarPrinted(bar).String(), n})
		}
	}
	s.render(c, status, "log", "layout", "Log of "+p.tune.Title, b)
}

// printedAt names a moment of a plan.
func printedAt(w *desk.Planned, m int) string {
	mo := &w.Plan.Moments[min(m, len(w.Plan.Moments)-1)]
	return fmt.Sprintf("bar %s, beat %.4g", mo.Printed, mo.Beat)
}

// saveNote keeps what is written next to a bar, numbered as on paper; nothing takes it away.
func (s *Server) saveNote(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	tu := w.Plan.Request.Tune
	bar, note := tu.BarNumbered(atoi(c.PostForm("bar"))), strings.TrimSpace(c.PostForm("note"))
	if played := c.PostForm("played"); played != "" {
		bar = atoi(played) - 1
	}
	if bar < 0 || bar >= len(tu.Bars) {
		s.showLog(c, http.StatusUnprocessableEntity, fmt.Sprintf("There is no bar %q: give one from %s to %s.", c.PostForm("bar"),
			tu.BarPrinted(0), tu.BarPrinted(len(tu.Bars)-1)))
		return
	}
	if err := s.store.SetNote(c.Request.Context(), door.Owner(c), t.ID, bar+1, note); err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/tunes/"+t.ID.String()+"/log#notes")
}

// loggedPass is a pass as it is taken away.
type loggedPass struct {
	Tune   string `json:"tune"`
	TuneID string `json:"tuneId"`
	practice.Pass
	Verdict string `json:"verdict"`
}

// logFile hands out the whole log, as CSV or JSON by the address.
func (s *Server) logFile(c *gin.Context) {
	played, err := s.logged(c)
	if err != nil {
		s.failFor(c, err)
		return
	}
	if strings.HasSuffix(c.Request.URL.Path, ".json") {
		c.Header("Content-Disposition", `attachment; filename="practice-log.json"`)
		c.JSON(http.StatusOK, map[string]any{"passes": played})
		return
	}
	c.Header("Content-Disposition", `attachment; filename="practice-log.csv"`)
	c.Header("Content-Type", "text/csv; charset=utf-8")
	if err := writeLog(csv.NewWriter(c.Writer), played); err != nil {
		s.logFor(c).Info("log not taken to its end", "err", err)
	}
}

func (s *Server) logged(c *gin.Context) ([]loggedPass, error) {
	list, err := s.store.List(c.Request.Context(), door.Owner(c))
	played, err2 := s.store.Passes(c.Request.Context(), door.Owner(c))
	if err = errors.Join(err, err2); err != nil {
		return nil, err
	}
	titles := map[store.ID]string{}
	for _, t := range list {
		titles[t.ID] = t.Title
	}
	out := []loggedPass{}
	for _, of := range played {
		for _, p := range here(of.Passes) {
			out = append(out, loggedPass{titles[of.Tune], of.Tune.String(), p, p.Verdict.String()})
		}
	}
	return out, nil
}

// logColumns head the CSV file; docs/formats.md says what they hold.
var logColumns = []string{"at", "tune", "step", "layer", "first bar", "last bar", "tempo", "verdict", "seconds", "tune id", "plan"}

func writeLog(w *csv.Writer, passes []loggedPass) error {
	if err := w.Write(logColumns); err != nil {
		return err
	}
	for i := range passes {
		p := &passes[i]
		err := w.Write([]string{p.At.Format(time.RFC3339), cellText(p.Tune), cellText(p.Key), p.Layer, strconv.Itoa(p.Bars[0]),
			strconv.Itoa(p.Bars[1]), figure(p.Tempo), p.Verdict, fmt.Sprintf("%.1f", p.Seconds), p.TuneID, p.Plan})
		if err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// cellText keeps a spreadsheet from taking a title for a formula.
func cellText(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}
