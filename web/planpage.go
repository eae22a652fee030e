package web

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/setup"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// planNote is what an action wants said on the plan page.
type planNote struct {
	Notice string
	Form   *settingsForm // the settings as typed, with their error
}

// planBody is the plan page.
type planBody struct {
	ID        string
	Title     string
	Version   int
	Lender    string         // of a borrowed tune, which can only be read
	Ease      int            // position of the dial *how hard*
	Levels    []player.Level // of the tune
	OwnLevels []player.Level // kept for it
	CanUndo   bool
	CanRedo   bool
	Notice    string
	Problem   string // why there is no plan
	Form      settingsForm
	Library   []tuning.Named
	Profiles  []profileChoice
	Thumbs    []pattern.Kind
	Player    string
	Swing     string // in force, "" if straight
	SwingOwn  string // of the text, "" if straight
	Identity  string
	Strings   string // tuning, string 6 to 1, without octaves
	Warnings  []abc.Warning
	Pins      int
	PinList   []pinView
	Hand      string    // "left" for a left-handed player, whose picture is mirrored
	LeftOut   []pinView // pins that cannot be played
	Choices   []setup.BarChoice
	Busy      *jobs.NotReady // the plan is not ready yet
	Stopped   bool           // its planning was stopped
	Fits      []fitView
	Lossy     bool   // notes of it lie outside the guitar
	Lost      int    // notes of its bass that are not played as they are written
	Chords    string // the chords page with these chords, for a tune without melody
	Sections  []sectionView
	Rewrites  []rewriteView
	Patterns  []patternChoice
	Changed   *lastChange
	Leaf      string // which pane is open, "" for none
	Leaves    []leaf
	Speed     leaf     // the pane about it
	Tunings   []choice // to choose from where the tuning is shown: this one, those proposed, and the library's
	Capos     []choice
	Dials     []dial
	Proposed  []proposedView
	Fresh     bool   // nothing is chosen on the plan yet
	Moved     string // how far the tune is moved, in words; "" if it is not
	// OctaveDown: the tune was moved down when it was added, since it is written high.
	OctaveDown bool
	Kept       *keptView
	CanKeep    bool
	Work       *workView
}

// choice is one of a list to choose from.
type choice struct{ Value, Text string }

// addChoices lists the tunings and capos that one touch chooses.
func (b *planBody) addChoices() {
	add := func(spelt, text string) {
		if !slices.ContainsFunc(b.Tunings, func(c choice) bool { return c.Value == spelt || c.Text == text }) {
			b.Tunings = append(b.Tunings, choice{spelt, text})
		}
	}
	add(b.Form.Tuning, cmp.Or(b.Identity, b.Form.Tuning))
	for i := range b.Proposed {
		add(b.Proposed[i].Tuning, b.Proposed[i].Name)
	}
	for _, named := range b.Library {
		add(named.Name, named.Name)
	}
	b.Capos = append(b.Capos, choice{"0", "none"})
	for fret := 1; fret <= tuning.MaxCapo; fret++ {
		b.Capos = append(b.Capos, choice{strconv.Itoa(fret), fmt.Sprintf("fret %d", fret)})
	}
}

// keptView says what the planner would do today in place of what the player keeps.
type keptView struct {
	Lost    string // why it cannot be played any more, "" if it is
	Moments int    // that would be played otherwise
	Percent string // by how much the planner counts its own better
	Renewed bool   // the planner is another than the one that made it
}

func newKept(st *setup.Settings, p *plan.Plan) *keptView {
	if st.Kept == nil {
		return nil
	}
	v := &keptView{Lost: p.Lost, Renewed: st.Kept.Revision != plan.Revision}
	if p.Kept {
		v.Moments = len(desk.Differences(p.Today(), p))
		v.Percent = strconv.FormatFloat(100*p.Gap/p.Total, 'f', 1, 64)
	}
	return v
}

// rewriteView is a bar with a melody of the player's own, and what drops it.
type rewriteView struct {
	Bar  int
	None string
}

// sectionView is a pattern in force from a bar on.
type sectionView struct {
	Bar  int
	Name string
}

// chordsLink leads to the chords page with a tune's chords, bar by bar.
func (s *Server) chordsLink(t *store.Tune) string {
	tu, _, err := s.desk.Read(t.Source)
	if err != nil {
		return ""
	}
	f := chordsForm{Chords: setup.ChordsOf(tu), Tuning: t.Settings.Tuning, Capo: strconv.Itoa(t.Settings.Capo),
		Player: t.ProfileID.String(), Pattern: patternFor(tu)}
	return f.link()
}

// patternFor is a plain picking pattern in a tune's meter; in one that none has, the plainest.
func patternFor(tu *tune.Tune) string {
	meter := fmt.Sprintf("%d/%d", tu.Meters[0].Num, tu.Meters[0].Den)
	at := slices.IndexFunc(pattern.Library, func(p pattern.Pattern) bool { return p.Meter == meter })
	return pattern.Library[max(at, 0)].Name
}

// fitView is a way out for a tune that lies outside the range.
type fitView struct {
	Text, Tuning string
	Steps        int
}

// workView is the plan as drawn: the time column and the moment at the cursor.
type workView struct {
	Column  template.HTML
	Heard   bool // the last take is in it
	Now     view.Now
	Bars    []view.BarLink
	Back    int // the moment before, and the next one
	On      int
	Ceiling string
	Why     string
	Client  clientData // the template writes it as JSON
	Total   string
}

// clientData is what the script needs to move the cursor without asking.
type clientData struct {
	ID     string    `json:"id"`
	At     int       `json:"at"`               // moment at the cursor
	Count  int       `json:"count"`            // moments of the whole plan
	First  int       `json:"first"`            // moment of the first row drawn
	Rows   []float64 `json:"rows"`             // y of each row drawn
	Bars   []int     `json:"bars"`             // bar of each row drawn
	When   []float64 `json:"when"`             // seconds of every moment, to follow the sound
	BarOf  []int     `json:"barOf"`            // bar of every moment as played, from 1
	Chords []string  `json:"chords,omitempty"` // over every moment, where the page asks for them
	Last   int       `json:"last"`             // bar
	Starts []float64 `json:"starts"`           // seconds of every bar, and of the end
	// Quarter notes a minute: the plan's, and the bounds.
	Tempo   float64 `json:"tempo"`
	Slowest float64 `json:"slowest"`
	Fastest float64 `json:"fastest"`
}

// mostFollowed is the length in moments up to which the cursor follows the sound.
const mostFollowed = 4000

// timed adds when moments are.
func (d *clientData) timed(p *plan.Plan) {
	d.Last = len(p.Request.Tune.Bars)
	clock := p.Request.Tune.Clock(p.Tempo())
	d.Tempo, d.Slowest, d.Fastest = p.Tempo(), tune.MinTempo, tune.MaxTempo
	end := p.Request.Tune.Bars[d.Last-1] + p.Request.Tune.BarLength(d.Last-1)
	for _, at := range append(slices.Clone(p.Request.Tune.Bars), end) {
		d.Starts = append(d.Starts, math.Round(clock.Seconds(at)*1000)/1000)
	}
	for i := range p.Moments[:min(len(p.Moments), mostFollowed)] {
		d.When = append(d.When, math.Round(p.Moments[i].Seconds*1000)/1000)
		d.BarOf = append(d.BarOf, p.Moments[i].Bar)
	}
}

func (s *Server) planPage(c *gin.Context) {
	if id, ok := s.idParam(c); ok {
		s.showPlan(c, http.StatusOK, id, c.Query("m"), planNote{})
	}
}

// showPlan renders the plan page, or for the script its changing part.
func (s *Server) showPlan(c *gin.Context, status int, id store.ID, moment string, note planNote) {
	t, err := s.store.Tune(c.Request.Context(), door.Owner(c), id)
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Set(tuneKey, &t)
	if t.Ended {
		s.endedTune(c, &t)
		return
	}
	body, err := s.newPlanBody(c, &t, note)
	if err != nil {
		s.failFor(c, err)
		return
	}
	w, err := s.desk.Plan(c.Request.Context(), &t, s.patience)
	switch {
	case errors.As(err, &body.Busy):
	case errors.Is(err, jobs.ErrStopped):
		body.Stopped = true
	case err != nil && c.Err() != nil:
		c.Abort()
		return
	case err != nil:
		body.Problem = problemText(err)
		if body.Problem == "" {
			s.failFor(c, err)
			return
		}
		body.Fits = s.fits(c, &t, err)
		body.Lossy = errors.As(err, new(*plan.RangeError))
		if errors.Is(err, plan.ErrNoMelody) {
			body.Chords = s.chordsLink(&t)
		}
	default:
		body.PinList, body.Choices = newPins(&t, w), setup.BarChoices
		body.LeftOut, body.Lost = leftOut(w.Plan), lostIn(w.Plan)
		body.Kept, body.CanKeep = newKept(&t.Settings, w.Plan), len(w.Plan.Moments) <= setup.MostKept
		heard := s.lastHeard(c.Request.Context(), &t, w)
		if err := s.addWork(c.Request.Context(), &t, &body, w, heard, atoi(moment), waitsForReasons(c)); err != nil {
			s.failFor(c, err)
			return
		}
	}
	if body.Work == nil {
		body.Leaf = "setup"
	}
	part := "layout"
	if c.GetHeader("X-Part") != "" {
		part = "sheet"
	}
	s.render(c, status, "plan", part, t.Title, body)
}

// thumbsOf are the thumbs that a tune can have.
func (s *Server) thumbsOf(t *store.Tune) []pattern.Kind {
	tu, _, err := s.desk.Read(t.Source)
	if err != nil {
		tu = &tune.Tune{}
	}
	return pattern.KindsFor(tu)
}

// newPlanBody is the page without its plan: the tune, its setup and what can be chosen there.
func (s *Server) newPlanBody(c *gin.Context, t *store.Tune, note planNote) (planBody, error) {
	profiles, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
	if err != nil {
		return planBody{}, err
	}
	body := planBody{
		ID: t.ID.String(), Title: t.Title, Version: t.Version, CanUndo: t.CanUndo, CanRedo: t.CanRedo, Notice: note.Notice,
		Form: formOf(t), Library: tuning.Library, Profiles: choices(profiles), Thumbs: s.thumbsOf(t), Pins: len(t.Settings.Pins),
		Leaf: leafOr(c.DefaultPostForm("leaf", c.Query("leaf"))),
	}
	if note.Form != nil {
		body.Form = *note.Form
	}
	prof, err := s.store.TunePlayer(c.Request.Context(), t.Owner, t.ID)
	if err != nil {
		return planBody{}, err
	}
	body.Player, body.Lender = profileName(&prof.Profile), t.Lender
	if body.Dials = dialsOf(&t.Settings, &prof.Profile); prof.Profile.LeftHanded {
		body.Hand = "left"
	}
	body.Ease, body.Levels, body.OwnLevels = t.Settings.Ease, t.Settings.AllLevels(), t.Settings.Levels
	body.describe(&t.Settings)
	if tu, _, err := s.desk.Read(t.Source); err == nil {
		body.Swing, body.SwingOwn = swingWords(tu.Swung(t.Settings.Swing).Swing), swingWords(tu.Swing)
	}
	body.Proposed, body.OctaveDown = s.proposedFor(c, t.ID, &t.Settings), t.Settings.Steps == -12
	if t.Settings.Steps != 0 {
		body.Moved = movedWords(t.Settings.Steps)
	}
	body.Fresh = len(t.Settings.Pins)+len(t.Settings.Rewrites) == 0 && t.Settings.Kept == nil
	body.addChoices()
	body.Patterns, err = s.patternChoices(c)
	return body, err
}

// describe fills in what the settings are, in words.
func (b *planBody) describe(st *setup.Settings) {
	if tn, err := tuning.Parse(st.Tuning); err == nil {
		b.Identity, b.Strings = tuning.Identify(tn).String(), tn.Classes()
	}
	for _, r := range st.Rewrites {
		b.Rewrites = append(b.Rewrites, rewriteView{r.Bar, fmt.Sprintf(`{"rewrites":[{"bar":%d}]}`, r.Bar)})
	}
	for _, sec := range st.Sections {
		b.Sections = append(b.Sections, sectionView{sec.Bar, sec.Pattern.Name})
	}
}

// swingWords is a swing for people, "" for none.
func swingWords(share float64) string {
	if share <= tune.Straight {
		return ""
	}
	return tune.SwingText(share)
}

// fits finds what would bring a tune into the guitar's range.
func (s *Server) fits(c *gin.Context, t *store.Tune, problem error) []fitView {
	var rangeErr *plan.RangeError
	prof, err := s.store.TunePlayer(c.Request.Context(), door.Owner(c), t.ID)
	if !errors.As(problem, &rangeErr) || err != nil {
		return nil
	}
	req, _, err := s.desk.Request(t, &prof.Profile)
	if err != nil {
		return nil
	}
	var out []fitView
	for _, f := range plan.Fits(c.Request.Context(), req) {
		v := fitView{Steps: t.Settings.Steps + f.Steps, Tuning: t.Settings.Tuning}
		if v.Text = "Play it " + movedWords(f.Steps); f.Tuning != "" {
			v.Tuning, v.Text = f.Tuning, "Tune to "+f.Tuning
		}
		if v.Steps >= -setup.MaxSteps && v.Steps <= setup.MaxSteps {
			out = append(out, v)
		}
	}
	return out
}

// movedWords say how far a tune is moved: "an octave lower", "3 half steps higher".
func movedWords(steps int) string {
	way := "higher"
	if steps < 0 {
		way, steps = "lower", -steps
	}
	switch {
	case steps == 0:
		return "as written"
	case steps == 12:
		return "an octave " + way
	case steps%12 == 0:
		return fmt.Sprintf("%d octaves %s", steps/12, way)
	}
	return tuning.HalfSteps(steps) + " " + way
}

// problemText is the planner's or a reader's reason for people; "" for other errors.
func problemText(err error) string {
	var rangeErr *plan.RangeError
	var pinErr *plan.PinError
	var patternErr *plan.PatternError
	var abcErr *abc.Error
	switch {
	case errors.Is(err, plan.ErrNoMelody):
		return "This tune has chords and no melody."
	case errors.As(err, &rangeErr):
		return "This tune does not fit on the guitar as it is set: " + rangeErr.Error() + "."
	case errors.As(err, &patternErr):
		return patternErr.Error() + ". Remove it in the setup, or choose another."
	case errors.As(err, &pinErr):
		return pinErr.Error() + "."
	case errors.As(err, &abcErr):
		return fmt.Sprintf("Line %d, column %d: %s", abcErr.Line, abcErr.Column, abcErr.Text)
	}
	return ""
}

// How long a page waits for the reasons: those that are known, or nearly, come with it; and if it is asked to wait, as
// without a script.
const (
	reasonsWait = 40 * time.Millisecond
	reasonsMost = 10 * time.Second
)

// waitsForReasons is how long the answer to c waits for them.
func waitsForReasons(c *gin.Context) time.Duration {
	switch {
	case c.GetHeader("X-Part") != "":
		return 0
	case c.Query("wait") != "":
		return reasonsMost
	}
	return reasonsWait
}

// addWork draws the plan. Reasons and other places take longer than the plan itself: they are left out if they do not
// come within wait, and the script asks for them when the picture stands. heard is of the last take.
func (s *Server) addWork(ctx context.Context, t *store.Tune, b *planBody, w *desk.Planned, heard map[int]view.Heard, m int,
	wait time.Duration) error {
	m = min(max(m, 0), len(w.Plan.Moments)-1)
	remarks, err := s.remarksAt(ctx, t, w.Plan.Moments[m].Bar)
	if err != nil {
		return err
	}
	b.Warnings, b.Changed, b.Leaves = w.Warnings, changeOf(w), leavesAt(b.ID, m)
	b.Speed = b.Leaves[slices.IndexFunc(b.Leaves, func(l leaf) bool { return l.ID == "pace" })]
	now := view.NewNow(b.ID, b.Version, w.Plan, m)
	now.Changed, now.Remarks = w.Differing()[m], remarks
	if wait > 0 {
		soon, stop := context.WithTimeout(ctx, wait)
		defer stop()
		if err := s.addReasons(soon, t.Owner, w, &now); err != nil && (ctx.Err() != nil || !notYet(err)) {
			return err
		}
	}
	col := view.NewColumn(w.Plan, w.Differing(), heard, m)
	drawn, err := s.column(w, &col, heard)
	if err != nil {
		return err
	}
	b.Work = &workView{Column: drawn, Heard: len(heard) > 0, Now: now, Bars: view.NewBars(w.Plan, m), Why: w.Plan.Ceiling.Why,
		Client: clientData{ID: b.ID, At: m, Count: len(w.Plan.Moments), First: col.First, Rows: col.RowYs(), Bars: col.RowBars()},
		Total:  fmt.Sprintf("%.1f", w.Plan.Total)}
	b.Work.Back, b.Work.On = max(0, m-1), min(m+1, len(w.Plan.Moments)-1)
	b.Work.Client.timed(w.Plan)
	if c := w.Plan.Ceiling.BPM; c > 0 {
		b.Work.Ceiling = strconv.FormatFloat(c, 'f', 0, 64)
	}
	return nil
}

// notYet reports whether reasons are only not there in time: too little time, or too much is waiting.
func notYet(err error) bool {
	busy := (*jobs.NotReady)(nil)
	return errors.Is(err, context.DeadlineExceeded) || errors.As(err, &busy)
}

// noCursor is where the cursor is drawn in a column that is kept, to be put in its place.
const noCursor = -7777

// column draws the time column, or takes the one drawn before: the cursor apart it is the same for every moment in it.
func (s *Server) column(w *desk.Planned, col *view.Column, heard map[int]view.Heard) (template.HTML, error) {
	at := *col
	at.CursorY = noCursor
	html, err := w.Drawn(fmt.Sprint("column ", col.First, len(col.Rows), w.Differing(), heard), func() (string, error) {
		var buf strings.Builder
		err := s.pages["plan"].ExecuteTemplate(&buf, "column", at)
		return buf.String(), err
	})
	mark := func(y float64) string { return fmt.Sprintf(`y="%.1f"`, y-20) }
	return template.HTML(strings.Replace(html, mark(noCursor), mark(col.CursorY), 1)), err // the template has escaped it
}

// atMoment answers with the part of the page that belongs to one moment.
func (s *Server) atMoment(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	m := min(max(atoi(c.Param("m")), 0), len(w.Plan.Moments)-1)
	now := view.NewNow(t.ID.String(), t.Version, w.Plan, m)
	ctx := c.Request.Context()
	remarks, err := s.remarksAt(ctx, t, w.Plan.Moments[m].Bar)
	if err != nil {
		s.failFor(c, err)
		return
	}
	now.Changed, now.Remarks = w.Differing()[m], remarks
	if c.Query("soon") != "" { // the picture is wanted at once: why comes with it if it is known, or nearly
		soon, stop := context.WithTimeout(ctx, reasonsWait)
		defer stop()
		ctx = soon
	}
	if err := s.addReasons(ctx, t.Owner, w, &now); err != nil && (c.Query("soon") == "" || !notYet(err)) {
		if busy := (*jobs.NotReady)(nil); errors.As(err, &busy) {
			c.Header("Retry-After", "5")
			s.fail(c, http.StatusServiceUnavailable, errors.New("one moment: Stepping is busy. Try again in a few seconds"))
			return
		}
		s.failFor(c, err)
		return
	}
	s.render(c, http.StatusOK, "plan", "now", "", now)
}

// addReasons fills in why the moment is played so, and its other places.
func (s *Server) addReasons(ctx context.Context, owner store.ID, w *desk.Planned, v *view.Now) error {
	r, err := s.desk.Reasons(ctx, owner, w, v.Moment)
	if err != nil {
		return err
	}
	v.Explain(&r)
	return nil
}
