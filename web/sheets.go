package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/lesson"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/setup"
	"stepping/core/tune"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// sheetsJob is the kind of the jobs that plan a tune for several players.
const sheetsJob = "sheets"

// class is what such a job makes: every sheet drawn for paper, and where they differ. Its plans are dropped, since thirty take much memory.
type class struct {
	sheets  []lesson.Sheet // the teacher's first
	papers  []paperBody
	groups  [][]int // sheets that are played alike; the teacher's first
	reasons map[int][]lesson.Reason
}

// Bounds of a class.
const (
	comparedGroups = 4      // next to the teacher's, so that columns can be read
	mostOfClass    = 20_000 // notes times sheets
)

// sheetsBody is the page of a tune's sheets: who gets one, and how they differ.
type sheetsBody struct {
	ID, Title string
	Version   int
	Notice    string
	Pupils    []pupilView
	Had       string // the sheets that this page was made from
	Busy      *jobs.NotReady
	Stopped   bool
	Problem   string
	Columns   []sheetColumn
	Rows      []sheetRow
	Alike     string // bars that everybody plays alike
	More      int    // groups that are not compared
	Remarks   []remarkView
	Lending   bool // there are accounts to lend to
	Loans     []loanView
	Link      string // just made
	LinkFor   string
	LinkTill  string
}

var errManySheets = errors.New("that is too many sheets at once")

// pupilView is one of the owner's players on the page.
type pupilView struct {
	ID, Name, Facts string
	Ticked          bool
	Level           string // chosen by name, "" for the player's own
	Own             string // what that is
	Levels          []player.Level
	Account         string // of the pupil, "" if there is none
	Lent            bool
}

type sheetColumn struct {
	Names   []string
	Level   string
	Summary string
	Err     string
	Print   string // the address of the first one's sheet
}

type sheetRow struct {
	Bar   string
	Cells []sheetCell
}

// sheetCell is one bar of one column; Why is why it is played otherwise than the teacher plays it.
type sheetCell struct {
	Line view.PaperLine
	Same bool // as the teacher plays it
	Why  string
	None bool // no plan
}

type barRemark struct{ Bar, For, Text string }

type remarkView struct {
	barRemark
	Played int
	ForID  string
}

// hadSheets writes sheets for a form, and readHad reads them.
func hadSheets(of []store.Sheet) string {
	data, err := json.Marshal(of)
	if err != nil {
		panic("web: sheets cannot be written as JSON: " + err.Error())
	}
	return string(data)
}

func readHad(text string) (out []store.Sheet, err error) {
	err = json.Unmarshal([]byte(text), &out)
	return out, err
}

// sheetsPage shows a tune's sheets.
func (s *Server) sheetsPage(c *gin.Context) {
	if t, ok := s.ownTuneParam(c); ok {
		s.showSheets(c, http.StatusOK, t, sheetsBody{})
	}
}

// showSheets draws the page; b has what an action wants said.
func (s *Server) showSheets(c *gin.Context, status int, t *store.Tune, b sheetsBody) {
	ctx := c.Request.Context()
	profiles, err := s.store.Profiles(ctx, door.Owner(c))
	sheets, err2 := s.store.Sheets(ctx, door.Owner(c), t.ID)
	loans, err3 := s.store.Loans(ctx, door.Owner(c))
	if err := errors.Join(err, err2, err3); err != nil {
		s.failFor(c, err)
		return
	}
	b.ID, b.Title, b.Version, b.Had = t.ID.String(), t.Title, t.Version, hadSheets(sheets)
	b.Pupils = pupilViews(t, profiles, sheets, loans)
	b.Lending = door.Name(c) != ""
	b.Loans = loansOf(loans, t.ID)
	if err := s.addRemarks(c, &b, t, profiles); err != nil {
		s.failFor(c, err)
		return
	}
	if len(sheets) > 0 {
		s.addClass(c, &b, t, profiles, sheets)
		if c.IsAborted() {
			return
		}
	}
	s.render(c, status, "sheets", "layout", "Pupils: "+t.Title, b)
}

func pupilViews(t *store.Tune, profiles []store.Profile, sheets []store.Sheet, loans []store.Loan) (out []pupilView) {
	for i := range profiles {
		p := &profiles[i]
		v := pupilView{ID: p.ID.String(), Name: profileName(&p.Profile), Levels: t.Settings.AllLevels(), Own: levelName(p.Profile.Level)}
		var facts []string
		for _, f := range playerFacts(&p.Profile, "slideFinger", "lean") {
			facts = append(facts, f.Value)
		}
		v.Facts = strings.Join(facts, " · ")
		if at := slices.IndexFunc(sheets, func(sh store.Sheet) bool { return sh.Profile == p.ID }); at >= 0 {
			v.Ticked, v.Level = true, sheets[at].Level.Name
		}
		for _, l := range loans {
			if l.Profile == p.ID && l.Tune == (store.ID{}) && l.To != (store.ID{}) {
				v.Account = l.Taker
			}
			v.Lent = v.Lent || l.Profile == p.ID && l.Tune == t.ID && l.To != (store.ID{})
		}
		out = append(out, v)
	}
	return out
}

// levelName is a level as it is shown.
func levelName(l player.Level) string {
	switch {
	case l == player.Level{}:
		return setup.Proposed[0].Name
	case l.Name == "":
		return setup.LeftOut(l)
	}
	return l.Name
}

// saveSheets keeps for whom of the owner's players the tune has sheets, at which levels.
func (s *Server) saveSheets(c *gin.Context) {
	t, ok := s.ownTuneParam(c)
	if !ok {
		return
	}
	had, err := readHad(c.PostForm("had"))
	if err != nil {
		s.fail(c, http.StatusBadRequest, errors.New("the form is incomplete: load the page again"))
		return
	}
	profiles, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	var want []store.Sheet
	for _, id := range c.PostFormArray("pupil") {
		at := slices.IndexFunc(profiles, func(p store.Profile) bool { return p.ID.String() == id })
		if at < 0 {
			s.showSheets(c, http.StatusConflict, t, sheetsBody{Notice: "One of the players has been deleted in the meantime. Please tick again."})
			return
		}
		sh := store.Sheet{Profile: profiles[at].ID}
		if slices.ContainsFunc(want, func(w store.Sheet) bool { return w.Profile == sh.Profile }) {
			continue
		}
		if name := c.PostForm("level-" + id); name != "" {
			if sh.Level, ok = t.Settings.LevelNamed(name); !ok {
				s.showSheets(c, http.StatusConflict, t, sheetsBody{Notice: fmt.Sprintf("The level %q has been removed: choose another.", name)})
				return
			}
		}
		want = append(want, sh)
	}
	switch err := s.store.SetSheets(c.Request.Context(), door.Owner(c), t.ID, had, want); {
	case errors.Is(err, store.ErrStale):
		s.showSheets(c, http.StatusConflict, t, sheetsBody{Notice: "The sheets of this tune were changed in another tab in the meantime. Yours were not saved; these are the sheets as they are now."})
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/tunes/"+t.ID.String()+"/sheets")
	}
}

// pupilsOf are the pupils of sheets, the teacher first, with the keys of their players.
func pupilsOf(l *lesson.Lesson, profiles []store.Profile, sheets []store.Sheet) (pupils []lesson.Pupil, ids []store.ID) {
	pupils, ids = []lesson.Pupil{l.Own()}, []store.ID{{}}
	for _, sh := range sheets {
		for i := range profiles {
			if p := &profiles[i]; p.ID == sh.Profile {
				pupils, ids = append(pupils, lesson.Pupil{Player: p.Profile, Level: sh.Level.Or(p.Profile.Level)}), append(ids, p.ID)
			}
		}
	}
	return pupils, ids
}

// startClass returns the job that plans the sheets, and the keys of their players.
func (s *Server) startClass(c *gin.Context, t *store.Tune, profiles []store.Profile, sheets []store.Sheet) (*jobs.Job[*class], []store.ID, error) {
	tu, _, err := s.desk.Read(t.Source)
	if err != nil {
		return nil, nil, err
	}
	prof, err := s.store.TunePlayer(c.Request.Context(), t.Owner, t.ID)
	if err != nil {
		return nil, nil, err
	}
	l := &lesson.Lesson{Tune: tu, Settings: t.Settings, Teacher: prof.Profile}
	pupils, ids := pupilsOf(l, profiles, sheets)
	if notes := len(tu.Notes) * len(pupils); notes > mostOfClass {
		return nil, nil, fmt.Errorf("%w: %d of %d notes each. Tick fewer players", errManySheets, len(pupils), len(tu.Notes))
	}
	data, err := json.Marshal(pupils)
	if err != nil {
		return nil, nil, err
	}
	basis, work := desk.Basis(t, &prof.Profile)+string(data), desk.Of(t.Owner, len(tu.Notes)*len(pupils))
	j, err := jobs.Start(s.desk.Jobs, jobs.Key{Kind: sheetsJob, Of: t.ID.String()}, basis, work, 0,
		desk.Timed(s.desk, sheetsJob, func(ctx context.Context, j *jobs.Job[*class]) (*class, error) {
			return newClass(ctx, l, pupils, j.Report)
		}))
	return j, ids, err
}

// newClass plans every sheet, draws it, and says where and why it differs from the teacher's.
func newClass(ctx context.Context, l *lesson.Lesson, pupils []lesson.Pupil, report func(done, total int)) (*class, error) {
	const parts = 1000
	k := &class{papers: make([]paperBody, len(pupils)), reasons: map[int][]lesson.Reason{}}
	var err error
	planned := parts / (1 + min(comparedGroups, len(pupils)-1)) // of all the work, about
	k.sheets, err = l.Sheets(ctx, pupils, lesson.Watch{
		Report: func(done, total int) { report(planned*done/total, parts) },
		Plan: func(of []int, p *plan.Plan) {
			for _, i := range of {
				k.papers[i] = newPaperBody(p)
				k.papers[i].Player = profileName(&pupils[i].Player)
			}
		}})
	if err != nil {
		return nil, err
	}
	k.groups = lesson.Groups(k.sheets)
	compared := k.groups[1:min(len(k.groups), 1+comparedGroups)]
	for n, g := range compared {
		from, step := planned+n*(parts-planned)/len(compared), (parts-planned)/len(compared)
		k.reasons[g[0]], err = l.Why(ctx, &k.sheets[0], &k.sheets[g[0]], func(done, total int) { report(from+step*done/total, parts) })
		if err != nil {
			return nil, err
		}
	}
	return k, nil
}

// addClass shows the sheets, or how far they are.
func (s *Server) addClass(c *gin.Context, b *sheetsBody, t *store.Tune, profiles []store.Profile, sheets []store.Sheet) {
	k, ids, err := s.classOf(c, t, profiles, sheets)
	switch {
	case err == nil:
		tu, _, err := s.desk.Read(t.Source)
		if err != nil {
			b.Problem = err.Error()
			return
		}
		b.compare(k, ids, tu)
	case errors.As(err, &b.Busy):
	case errors.Is(err, jobs.ErrStopped):
		b.Stopped = true
	case errors.Is(err, errManySheets):
		b.Problem = view.Sentence(err.Error())
	case c.Request.Context().Err() != nil:
		c.Abort()
	default:
		if b.Problem = problemText(err); b.Problem == "" {
			s.failFor(c, err)
		}
	}
}

// classOf waits for the sheets of a tune as long as a page waits.
func (s *Server) classOf(c *gin.Context, t *store.Tune, profiles []store.Profile, sheets []store.Sheet) (*class, []store.ID, error) {
	j, ids, err := s.startClass(c, t, profiles, sheets)
	if err != nil {
		return nil, nil, err
	}
	k, err := j.Wait(c.Request.Context(), s.patience)
	return k, ids, err
}

// compare draws the bars in which the groups differ, the teacher's first.
func (b *sheetsBody) compare(k *class, ids []store.ID, tu *tune.Tune) {
	groups := k.groups[:min(len(k.groups), 1+comparedGroups)]
	b.More = len(k.groups) - len(groups)
	var shown []*lesson.Sheet
	for _, g := range groups {
		sh := &k.sheets[g[0]]
		shown = append(shown, sh)
		col := sheetColumn{Level: levelName(sh.Pupil.Level), Summary: sh.Summary, Print: "/tunes/" + b.ID + "/sheets/print?for=" + ids[g[0]].String()}
		if sh.Err != nil {
			col.Err = sh.Err.Error()
		}
		for _, i := range g {
			name := profileName(&k.sheets[i].Pupil.Player)
			if i == 0 {
				name += " (as the tune is set)"
			}
			col.Names = append(col.Names, name)
		}
		b.Columns = append(b.Columns, col)
	}
	differ := lesson.Differing(shown...)
	widest := 0.0 // all bars to one scale
	for _, bar := range differ {
		row := newSheetRow(k, groups, tu, bar)
		for i := range row.Cells {
			widest = max(widest, row.Cells[i].Line.Width)
		}
		b.Rows = append(b.Rows, row)
	}
	for _, row := range b.Rows {
		for i := range row.Cells {
			row.Cells[i].Line.Width = widest
		}
	}
	b.Alike = otherBars(tu, differ)
}

// newSheetRow draws one bar of every group.
func newSheetRow(k *class, groups [][]int, tu *tune.Tune, bar int) sheetRow {
	row := sheetRow{Bar: tu.BarPrinted(bar).Short()}
	teacher := &k.sheets[0]
	for _, g := range groups {
		sh := &k.sheets[g[0]]
		if sh.Err != nil {
			row.Cells = append(row.Cells, sheetCell{None: true})
			continue
		}
		cell := sheetCell{Line: view.BarAlone(k.papers[g[0]].Lines, bar+1)}
		if g[0] == 0 || teacher.Err != nil { // nothing to compare with
			row.Cells = append(row.Cells, cell)
			continue
		}
		cell.Same = sh.Bars[bar] == teacher.Bars[bar]
		for _, reason := range k.reasons[g[0]] {
			if slices.Contains(reason.Bars, bar) {
				cell.Why = strings.Join(reason.Words, "; ")
			}
		}
		if cell.Why == "" && !cell.Same {
			cell.Why = "several things together"
		}
		row.Cells = append(row.Cells, cell)
	}
	return row
}

// otherBars lists the bars of a tune that are not among some, as they are numbered on paper: "1 to 3, 6".
func otherBars(tu *tune.Tune, but []int) string {
	var runs []string
	for bar := 0; bar < len(tu.Bars); bar++ {
		if slices.Contains(but, bar) {
			continue
		}
		first := bar
		for bar+1 < len(tu.Bars) && !slices.Contains(but, bar+1) {
			bar++
		}
		text := tu.BarPrinted(first).Short()
		if bar > first {
			text += " to " + tu.BarPrinted(bar).Short()
		}
		runs = append(runs, text)
	}
	return strings.Join(runs, ", ")
}

// sheetsProgress tells the script how far the sheets are.
func (s *Server) sheetsProgress(c *gin.Context) {
	if t, ok := s.ownTuneParam(c); ok {
		percent, done := 100, true
		if j := jobs.Find[*class](s.desk.Jobs, jobs.Key{Kind: sheetsJob, Of: t.ID.String()}); j != nil {
			percent, done = j.Percent(), !j.Running()
		}
		c.JSON(http.StatusOK, gin.H{"percent": percent, "done": done})
	}
}

// stopSheets stops the planning of a tune's sheets, or lets it be done after all.
func (s *Server) stopSheets(c *gin.Context) {
	t, ok := s.ownTuneParam(c)
	if !ok {
		return
	}
	if j := jobs.Find[*class](s.desk.Jobs, jobs.Key{Kind: sheetsJob, Of: t.ID.String()}); j != nil && c.PostForm("again") != "" {
		j.Drop()
	} else if j != nil {
		j.Stop()
	}
	c.Redirect(http.StatusSeeOther, "/tunes/"+t.ID.String()+"/sheets")
}

// printBody is the sheets on paper, a page each.
type printBody struct {
	ID, Title string
	Sheets    []printedSheet
}

type printedSheet struct {
	P     paperBody
	Left  bool
	Level string
	Out   string // what is left out
	Err   string
}

// printSheets shows the sheets as they are printed: all, or one player's.
func (s *Server) printSheets(c *gin.Context) {
	t, ok := s.ownTuneParam(c)
	if !ok {
		return
	}
	profiles, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
	sheets, err2 := s.store.Sheets(c.Request.Context(), door.Owner(c), t.ID)
	if err := errors.Join(err, err2); err != nil {
		s.failFor(c, err)
		return
	}
	k, ids, err := s.classOf(c, t, profiles, sheets)
	if err != nil {
		c.Redirect(http.StatusSeeOther, "/tunes/"+t.ID.String()+"/sheets") // it says how far they are, or what is wrong
		return
	}
	remarks, err := s.store.Remarks(c.Request.Context(), door.Owner(c), t.ID)
	if err != nil {
		s.failFor(c, err)
		return
	}
	tu, _, err := s.desk.Read(t.Source)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	b := printBody{ID: t.ID.String(), Title: t.Title}
	for i := range k.sheets {
		if only := c.Query("for"); only == "" && i == 0 || only != "" && only != ids[i].String() {
			continue // all: the pupils', without the teacher's own
		}
		sh := &k.sheets[i]
		p := printedSheet{P: k.papers[i], Left: sh.Pupil.Player.LeftHanded, Level: sh.Pupil.Level.Name, Out: setup.LeftOut(sh.Pupil.Level)}
		if sh.Err != nil {
			p.Err = fmt.Sprintf("%s: %v", profileName(&sh.Pupil.Player), sh.Err)
		}
		for _, r := range remarks {
			if r.For == (store.ID{}) || r.For == ids[i] {
				p.P.Remarks = append(p.P.Remarks, barRemark{Bar: barText(tu, r.Bar), Text: r.Text})
			}
		}
		b.Sheets = append(b.Sheets, p)
	}
	if len(b.Sheets) == 0 {
		s.fail(c, http.StatusNotFound, errors.New("this tune has no such sheet: tick players first"))
		return
	}
	s.render(c, http.StatusOK, "sheetspaper", "layout", "Sheets: "+t.Title, b)
}
