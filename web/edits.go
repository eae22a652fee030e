package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/pattern"
	"stepping/core/setup"
	"stepping/core/tune"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/door"
	"stepping/web/view"
)

// settingsForm is the settings as typed.
type settingsForm struct {
	Tuning, Capo, Tempo, Swing, Thumb, Profile, Steps string
	Varied                                            bool   // repeats may vary
	Field, Error                                      string // the field at fault and what to do
}

func formOf(t *store.Tune) settingsForm {
	f := settingsForm{Tuning: t.Settings.Tuning, Capo: strconv.Itoa(t.Settings.Capo), Thumb: string(t.Settings.Thumb),
		Profile: t.ProfileID.String(), Steps: strconv.Itoa(t.Settings.Steps), Varied: t.Settings.Varied}
	if t.Settings.Tempo > 0 {
		f.Tempo = strconv.FormatFloat(t.Settings.Tempo, 'f', -1, 64)
	}
	if t.Settings.Swing > 0 {
		f.Swing = tune.SwingText(t.Settings.Swing)
	}
	return f
}

// read turns the form into settings; what is wrong with it is put into it.
func (f *settingsForm) read() (setup.Settings, bool) {
	st := setup.Settings{Tuning: strings.TrimSpace(f.Tuning), Thumb: pattern.Kind(f.Thumb), Varied: f.Varied}
	bad := func(field, text string) (setup.Settings, bool) {
		f.Field, f.Error = field, text
		return st, false
	}
	var err error
	if st.Capo, err = strconv.Atoi(strings.TrimSpace(f.Capo)); err != nil {
		return bad("capo", fmt.Sprintf("%q: %s", f.Capo, setup.CapoRule))
	}
	if f.Steps = strings.TrimPrefix(strings.TrimSpace(f.Steps), "+"); f.Steps != "" {
		if st.Steps, err = strconv.Atoi(f.Steps); err != nil {
			return bad("steps", fmt.Sprintf("%q: %s", f.Steps, setup.StepsRule))
		}
	}
	if f.Tempo = strings.TrimSpace(f.Tempo); f.Tempo != "" {
		if st.Tempo, err = strconv.ParseFloat(f.Tempo, 64); err != nil || st.Tempo == 0 {
			return bad("tempo", fmt.Sprintf("%q: %s", f.Tempo, setup.TempoRule))
		}
	}
	if f.Swing = strings.TrimSpace(f.Swing); f.Swing != "" {
		if st.Swing, err = tune.ParseSwing(f.Swing); err != nil {
			return bad("swing", err.Error())
		}
	}
	if fault := st.Check(); fault != nil {
		return bad(fault.Field, fault.Text)
	}
	return st, true
}

// change is a request that edits a tune: the tune as it is now, and the version that the
// page had when it was sent.
type change struct {
	tune    store.Tune
	version int
	moment  string
}

func (s *Server) readChange(c *gin.Context) (change, bool) {
	t, ok := s.tuneParam(c)
	if !ok {
		return change{}, false
	}
	version, err := strconv.Atoi(c.PostForm("version"))
	if err != nil {
		s.fail(c, http.StatusBadRequest, errors.New("the form came without its version: load the page again"))
		return change{}, false
	}
	return change{*t, version, c.PostForm("m")}, true
}

// finish answers an edit: the page again, or a notice if another tab was faster.
func (s *Server) finish(c *gin.Context, ch *change, err error) {
	if errors.Is(err, store.ErrStale) {
		s.showPlan(c, http.StatusConflict, ch.tune.ID, ch.moment,
			planNote{Notice: "This tune was changed in another tab in the meantime. " +
				"Your last change was not saved. This is the tune as it is now; make the change again if you still want it."})
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
	c.Redirect(http.StatusSeeOther, "/tunes/"+ch.tune.ID.String()+"?"+url.Values{"m": {strconv.Itoa(atoi(ch.moment))}, "leaf": {leafOr(c.PostForm("leaf"))}}.Encode())
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
	form := settingsForm{Tuning: c.PostForm("tuning"), Capo: c.PostForm("capo"), Tempo: c.PostForm("tempo"),
		Swing: c.PostForm("swing"), Thumb: c.PostForm("thumb"), Profile: c.PostForm("profile"), Steps: c.PostForm("steps"),
		Varied: c.PostForm("repeats") == "varied"}
	next, good := form.read()
	profile := s.findProfile(c, form.Profile)
	if good && profile == nil {
		form.Field, form.Error, good = "profile", "this player has been deleted: choose another", false
	}
	if !good {
		s.showPlan(c, http.StatusUnprocessableEntity, ch.tune.ID, ch.moment, planNote{Form: &form})
		return
	}
	st := ch.tune.Settings.To(next)
	s.finish(c, &ch, s.store.SaveSettings(c.Request.Context(), door.Owner(c), ch.tune.ID, ch.version, profile.ID, st))
}

func (s *Server) findProfile(c *gin.Context, id string) *store.Profile {
	profiles, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
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

func (s *Server) pin(c *gin.Context)   { s.editPin(c, true) }
func (s *Server) unpin(c *gin.Context) { s.editPin(c, false) }

// editPin sets or removes a pin; one that cannot be kept is refused with the planner's reason.
func (s *Server) editPin(c *gin.Context, set bool) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	tu, _, err := s.desk.Read(ch.tune.Source)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	p, err := readPin(c, tu, ch.tune.Settings.Capo)
	if err != nil {
		s.showPlan(c, http.StatusUnprocessableEntity, ch.tune.ID, ch.moment, planNote{Notice: err.Error()})
		return
	}
	st := ch.tune.Settings
	if set {
		s.tryAndFinish(c, &ch, st.WithPin(p), "Not pinned. ")
		return
	}
	s.keep(c, &ch, st.WithoutPin(&p))
}

// tryAndFinish puts settings in force if there is a plan under them, or one on its way; else nothing
// changes and the planner's reason is said after refused.
func (s *Server) tryAndFinish(c *gin.Context, ch *change, st setup.Settings, refused string) {
	trial := ch.tune
	trial.Settings = st
	var busy *jobs.NotReady
	w, err := s.desk.Plan(c.Request.Context(), &trial, s.patience)
	why := ""
	switch {
	case err != nil && !errors.As(err, &busy):
		why = err.Error()
	case err == nil:
		for _, l := range w.Plan.LeftOut {
			if !slices.Contains(ch.tune.Settings.Pins, l.Pin) { // one that is new
				why = l.Why
			}
		}
	}
	if why != "" {
		s.showPlan(c, http.StatusUnprocessableEntity, ch.tune.ID, ch.moment, planNote{Notice: refused + view.Sentence(why)})
		return
	}
	s.keep(c, ch, st)
}

// keep puts settings in force for the player of now, and answers.
func (s *Server) keep(c *gin.Context, ch *change, st setup.Settings) {
	s.finish(c, ch, s.store.SaveSettings(c.Request.Context(), door.Owner(c), ch.tune.ID, ch.version, ch.tune.ProfileID, st))
}

// unpinAll removes every pin.
func (s *Server) unpinAll(c *gin.Context) {
	if ch, ok := s.readChange(c); ok {
		s.keep(c, &ch, ch.tune.Settings.WithoutPins())
	}
}

// keepPlan keeps the tune's plan as it is, or drops it.
func (s *Server) keepPlan(c *gin.Context) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	if c.PostForm("keep") == "" {
		s.keep(c, &ch, ch.tune.Settings.LetGo())
		return
	}
	w, err := s.desk.Plan(c.Request.Context(), &ch.tune, s.patience)
	if err != nil {
		s.failFor(c, err)
		return
	}
	st, err := ch.tune.Settings.Keep(w.Plan)
	if err != nil {
		s.showPlan(c, http.StatusUnprocessableEntity, ch.tune.ID, ch.moment, planNote{Notice: "Not saved: " + err.Error() + "."})
		return
	}
	s.keep(c, &ch, st)
}

func (s *Server) undo(c *gin.Context) { s.step(c, -1) }
func (s *Server) redo(c *gin.Context) { s.step(c, +1) }

func (s *Server) step(c *gin.Context, by int) {
	if ch, ok := s.readChange(c); ok {
		s.finish(c, &ch, s.store.Step(c.Request.Context(), door.Owner(c), ch.tune.ID, ch.version, by))
	}
}
