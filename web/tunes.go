package web

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"strconv"
	"strings"
	"unicode"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/thumb"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/formats/tabtext"
	"stepping/store"
)

// homeBody is the first page.
type homeBody struct {
	Tunes    []tuneCard
	Text     string // of the form, kept after an error
	Tuning   string
	Fault    *fault
	Library  []tuning.Named
	Profiles int
}

type tuneCard struct {
	ID      store.ID
	Title   string
	Tuning  string // name, or notes
	Strings string // notes from string 6 to 1
	Capo    int
	Facts   string
}

// fault is an error at a place of a text: the line shown with a mark under the column.
type fault struct {
	Field        string
	Text         string
	Line, Column int
	Excerpt      string
	Mark         string // spaces up to the column and ^
}

// excerptWidth is how much of a long line is shown around a fault.
const excerptWidth = 72

func newFault(source string, err error) *fault {
	var at *abc.Error
	if !errors.As(err, &at) {
		return &fault{Text: err.Error()}
	}
	f := &fault{Field: "abc", Text: at.Text, Line: at.Line, Column: at.Column}
	lines := strings.Split(strings.ReplaceAll(source, "\r\n", "\n"), "\n")
	if at.Line <= len(lines) {
		line := []rune(strings.Map(plainSpace, lines[at.Line-1]))
		from := max(0, at.Column-1-excerptWidth/2)
		f.Excerpt = string(line[min(from, len(line)):min(len(line), from+excerptWidth)])
		f.Mark = strings.Repeat(" ", max(0, at.Column-1-from)) + "^"
	}
	return f
}

func plainSpace(r rune) rune {
	if unicode.IsSpace(r) {
		return ' '
	}
	return r
}

func (s *Server) home(c *gin.Context) {
	s.showHome(c, http.StatusOK, homeBody{Tuning: "Open D"})
}

func (s *Server) showHome(c *gin.Context, status int, body homeBody) {
	tunes, err := s.store.Tunes(c, s.owner)
	if err != nil {
		s.failFor(c, err)
		return
	}
	for i := range tunes {
		body.Tunes = append(body.Tunes, newCard(&tunes[i]))
	}
	body.Library = tuning.Library
	s.render(c, status, "home", "layout", "Your tunes", body)
}

func newCard(t *store.Tune) tuneCard {
	card := tuneCard{ID: t.ID, Title: t.Title, Tuning: t.Settings.Tuning, Capo: t.Settings.Capo}
	if tn, err := tuning.Parse(t.Settings.Tuning); err == nil {
		card.Tuning, card.Strings = tuning.Identify(tn).String(), tn.Classes()
	}
	if tu, _, err := abc.Read(strings.NewReader(t.Source)); err == nil {
		card.Facts = fmt.Sprintf("%s · %d bars · %d notes", keyName(tu.Key), len(tu.Bars), len(tu.Notes))
	}
	return card
}

func keyName(k tune.Key) string {
	if k.Minor {
		return k.Tonic.ClassName() + " minor"
	}
	return k.Tonic.ClassName() + " major"
}

// addTune reads a pasted or uploaded tune and keeps it.
func (s *Server) addTune(c *gin.Context) {
	body := homeBody{Text: c.PostForm("abc"), Tuning: c.PostForm("tuning")}
	if up, err := c.FormFile("file"); err == nil && up.Size > 0 {
		f, err := up.Open()
		if err != nil {
			s.failFor(c, err)
			return
		}
		defer f.Close()
		data, err := io.ReadAll(io.LimitReader(f, abc.MaxBytes+1))
		if err != nil {
			s.failFor(c, err)
			return
		}
		body.Text = string(data)
	}
	tu, _, err := abc.Read(strings.NewReader(body.Text))
	if err != nil {
		body.Fault = newFault(body.Text, err)
		s.showHome(c, http.StatusUnprocessableEntity, body)
		return
	}
	if _, err := tuning.Parse(body.Tuning); err != nil {
		body.Fault = &fault{Field: "tuning", Text: err.Error()}
		s.showHome(c, http.StatusUnprocessableEntity, body)
		return
	}
	profiles, err := s.store.Profiles(c, s.owner)
	if err != nil || len(profiles) == 0 {
		s.failFor(c, errors.Join(err, errors.New("no profile")))
		return
	}
	title := tu.Title
	if title == "" {
		title = "Untitled tune"
	}
	id, err := s.store.AddTune(c, s.owner, title, body.Text, profiles[0].ID,
		store.Settings{Tuning: body.Tuning, Thumb: thumb.Alternating, Pins: []plan.Pin{}})
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/tunes/"+id.String())
}

// settingsForm is the settings as typed.
type settingsForm struct {
	Tuning, Capo, Tempo, Thumb, Profile string
	Field, Error                        string // the field at fault and what to do
}

func formOf(t *store.Tune) settingsForm {
	f := settingsForm{Tuning: t.Settings.Tuning, Capo: strconv.Itoa(t.Settings.Capo), Thumb: string(t.Settings.Thumb), Profile: t.ProfileID.String()}
	if t.Settings.Tempo > 0 {
		f.Tempo = strconv.FormatFloat(t.Settings.Tempo, 'f', -1, 64)
	}
	return f
}

// read checks the form and returns the settings with t's pins.
func (f *settingsForm) read(t *store.Tune) (store.Settings, bool) {
	st := store.Settings{Tuning: strings.TrimSpace(f.Tuning), Thumb: thumb.Kind(f.Thumb), Pins: t.Settings.Pins}
	bad := func(field, text string) (store.Settings, bool) {
		f.Field, f.Error = field, text
		return st, false
	}
	if _, err := tuning.Parse(st.Tuning); err != nil {
		return bad("tuning", err.Error())
	}
	var err error
	if st.Capo, err = strconv.Atoi(strings.TrimSpace(f.Capo)); err != nil || st.Capo < 0 || st.Capo > 9 {
		return bad("capo", fmt.Sprintf("%q: a capo sits on fret 1 to 9, or 0 for none", f.Capo))
	}
	if f.Tempo = strings.TrimSpace(f.Tempo); f.Tempo != "" {
		st.Tempo, err = strconv.ParseFloat(f.Tempo, 64)
		if err != nil || math.IsNaN(st.Tempo) || st.Tempo < plan.MinTempo || st.Tempo > plan.MaxTempo {
			return bad("tempo", fmt.Sprintf("%q: give %d to %d quarter notes a minute, or nothing for the tune's own", f.Tempo, plan.MinTempo, plan.MaxTempo))
		}
	}
	for _, k := range thumb.Kinds {
		if st.Thumb == k {
			return st, true
		}
	}
	return bad("thumb", "choose none, steady or alternating")
}

// change is a request that edits a tune: the tune as it is now, and the version that the
// page had when it was sent.
type change struct {
	tune    store.Tune
	version int
	moment  string
}

func (s *Server) readChange(c *gin.Context) (change, bool) {
	id, ok := s.idParam(c)
	if !ok {
		return change{}, false
	}
	t, err := s.store.Tune(c, s.owner, id)
	if err != nil {
		s.failFor(c, err)
		return change{}, false
	}
	version, err := strconv.Atoi(c.PostForm("version"))
	if err != nil {
		s.fail(c, http.StatusBadRequest, errors.New("the form came without its version: load the page again"))
		return change{}, false
	}
	return change{t, version, c.PostForm("m")}, true
}

// finish answers an edit: the page anew, or a notice if another tab was faster.
func (s *Server) finish(c *gin.Context, ch *change, err error) {
	if errors.Is(err, store.ErrStale) {
		s.showPlan(c, http.StatusConflict, ch.tune.ID, ch.moment, planNote{Notice: "This tune was changed in another tab or window in the meantime. " +
			"Your last change was not made; this is the tune as it is now. Make the change again if you still want it."})
		return
	}
	if err != nil && !errors.Is(err, store.ErrNoEdit) {
		s.failFor(c, err)
		return
	}
	if c.GetHeader("X-Part") != "" {
		s.showPlan(c, http.StatusOK, ch.tune.ID, ch.moment, planNote{})
		return
	}
	c.Redirect(http.StatusSeeOther, "/tunes/"+ch.tune.ID.String()+"?m="+strconv.Itoa(atoi(ch.moment)))
}

func atoi(s string) int {
	n, err := strconv.Atoi(s)
	if err != nil {
		return 0
	}
	return n
}

func (s *Server) saveSettings(c *gin.Context) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	form := settingsForm{Tuning: c.PostForm("tuning"), Capo: c.PostForm("capo"), Tempo: c.PostForm("tempo"), Thumb: c.PostForm("thumb"), Profile: c.PostForm("profile")}
	st, good := form.read(&ch.tune)
	profile := s.findProfile(c, form.Profile)
	if good && profile == nil {
		form.Field, form.Error, good = "profile", "this profile is not here any more: choose another", false
	}
	if !good {
		s.showPlan(c, http.StatusUnprocessableEntity, ch.tune.ID, ch.moment, planNote{Form: &form})
		return
	}
	// Pins name strings and frets: in another tuning or capo they would mean other notes.
	if st.Tuning != ch.tune.Settings.Tuning || st.Capo != ch.tune.Settings.Capo {
		st.Pins = []plan.Pin{}
	}
	if st.Thumb != ch.tune.Settings.Thumb {
		st.Pins = pinsOf(st.Pins, plan.Melody)
	}
	s.finish(c, &ch, s.store.SaveSettings(c, s.owner, ch.tune.ID, ch.version, profile.ID, st))
}

func pinsOf(pins []plan.Pin, part plan.Part) []plan.Pin {
	out := []plan.Pin{}
	for _, p := range pins {
		if p.Part == part {
			out = append(out, p)
		}
	}
	return out
}

func (s *Server) findProfile(c *gin.Context, id string) *store.Profile {
	profiles, err := s.store.Profiles(c, s.owner)
	if err != nil {
		return nil
	}
	for i := range profiles {
		if profiles[i].ID.String() == id {
			return &profiles[i]
		}
	}
	return nil
}

// readPin reads the pin in a form; the error is written for people.
func readPin(c *gin.Context) (plan.Pin, error) {
	var p plan.Pin
	if err := p.At.UnmarshalText([]byte(c.PostForm("at"))); err != nil {
		return p, err
	}
	p.Part, p.How = plan.Part(c.PostForm("part")), plan.How(c.PostForm("how"))
	if p.Part != plan.Melody && p.Part != plan.Thumb {
		return p, fmt.Errorf("part %q: melody or thumb", p.Part)
	}
	if p.How == plan.Drop || p.How == "" {
		return p, nil
	}
	var err1, err2 error
	p.String, err1 = strconv.Atoi(c.PostForm("string"))
	p.Fret, err2 = strconv.ParseFloat(c.PostForm("fret"), 64)
	if err1 != nil || err2 != nil || p.String < 1 || p.String > tuning.Strings || !(p.Fret >= 0 && p.Fret <= 40) {
		return p, errors.New("a pin names a string from 1 to 6 and a fret")
	}
	return p, nil
}

func (s *Server) pin(c *gin.Context)   { s.editPin(c, true) }
func (s *Server) unpin(c *gin.Context) { s.editPin(c, false) }

// editPin sets or removes the pin of one note or stroke; a pin that cannot be kept is
// refused with the planner's reason.
func (s *Server) editPin(c *gin.Context, set bool) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	p, err := readPin(c)
	if err != nil {
		s.fail(c, http.StatusBadRequest, err)
		return
	}
	st := ch.tune.Settings
	st.Pins = []plan.Pin{}
	for _, old := range ch.tune.Settings.Pins {
		if old.At != p.At || old.Part != p.Part {
			st.Pins = append(st.Pins, old)
		}
	}
	if set {
		st.Pins = append(st.Pins, p)
		trial := ch.tune
		trial.Settings = st
		if _, err := s.work(c, &trial); err != nil {
			s.showPlan(c, http.StatusUnprocessableEntity, ch.tune.ID, ch.moment, planNote{Notice: err.Error()})
			return
		}
	}
	s.finish(c, &ch, s.store.SaveSettings(c, s.owner, ch.tune.ID, ch.version, ch.tune.ProfileID, st))
}

func (s *Server) undo(c *gin.Context) { s.step(c, -1) }
func (s *Server) redo(c *gin.Context) { s.step(c, +1) }

func (s *Server) step(c *gin.Context, by int) {
	if ch, ok := s.readChange(c); ok {
		s.finish(c, &ch, s.store.Step(c, s.owner, ch.tune.ID, ch.version, by))
	}
}

func (s *Server) deleteTune(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	if err := s.store.DeleteTune(c, s.owner, id); err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/")
}

// export loads the tune and its plan for a download.
func (s *Server) export(c *gin.Context) (*store.Tune, *worked, bool) {
	id, ok := s.idParam(c)
	if !ok {
		return nil, nil, false
	}
	t, err := s.store.Tune(c, s.owner, id)
	if err != nil {
		s.failFor(c, err)
		return nil, nil, false
	}
	w, err := s.work(c, &t)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return nil, nil, false
	}
	return &t, w, true
}

func (s *Server) planJSON(c *gin.Context) {
	t, w, ok := s.export(c)
	if !ok {
		return
	}
	doc, err := s.document(c, t, w)
	if err != nil {
		s.failFor(c, err)
		return
	}
	attach(c, t.Title, "plan.json")
	c.Data(http.StatusOK, "application/json", doc)
}

func (s *Server) tabText(c *gin.Context) {
	t, w, ok := s.export(c)
	if !ok {
		return
	}
	var buf bytes.Buffer
	if err := tabtext.Write(&buf, w.plan); err != nil {
		s.failFor(c, err)
		return
	}
	attach(c, t.Title, "tab.txt")
	c.Data(http.StatusOK, "text/plain; charset=utf-8", buf.Bytes())
}

// attach names the download after the tune, letters and digits only.
func attach(c *gin.Context, title, ending string) {
	name := strings.Map(func(r rune) rune {
		if r < 128 && (unicode.IsLetter(r) || unicode.IsDigit(r)) {
			return unicode.ToLower(r)
		}
		return '-'
	}, title)
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", strings.Trim(name, "-")+"."+ending))
}

// profileChoice is one profile in a list.
type profileChoice struct {
	ID   string
	Name string
}

func choices(profiles []store.Profile) []profileChoice {
	var out []profileChoice
	for _, p := range profiles {
		out = append(out, profileChoice{p.ID.String(), profileName(&p.Profile)})
	}
	return out
}

func profileName(p *player.Profile) string {
	if p.Name == "" {
		return "Unnamed player"
	}
	return p.Name
}
