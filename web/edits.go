package web

import (
	"errors"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/thumb"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/store"
)

// settingsForm is the settings as typed.
type settingsForm struct {
	Tuning, Capo, Tempo, Thumb, Profile, Steps string
	Field, Error                               string // the field at fault and what to do
}

func formOf(t *store.Tune) settingsForm {
	f := settingsForm{Tuning: t.Settings.Tuning, Capo: strconv.Itoa(t.Settings.Capo), Thumb: string(t.Settings.Thumb), Profile: t.ProfileID.String(), Steps: strconv.Itoa(t.Settings.Steps)}
	if t.Settings.Tempo > 0 {
		f.Tempo = strconv.FormatFloat(t.Settings.Tempo, 'f', -1, 64)
	}
	return f
}

// maxSteps is how far a tune may be moved.
const maxSteps = 36

// read checks the form and returns the settings with t's pins.
func (f *settingsForm) read(t *store.Tune) (store.Settings, bool) {
	st := store.Settings{Tuning: strings.TrimSpace(f.Tuning), Thumb: thumb.Kind(f.Thumb), Sections: t.Settings.Sections, Rewrites: t.Settings.Rewrites, Pins: t.Settings.Pins}
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
	if f.Steps = strings.TrimPrefix(strings.TrimSpace(f.Steps), "+"); f.Steps != "" {
		if st.Steps, err = strconv.Atoi(f.Steps); err != nil || st.Steps < -maxSteps || st.Steps > maxSteps {
			return bad("steps", fmt.Sprintf("%q: give the half steps by which the tune is moved, from -%d to %d", f.Steps, maxSteps, maxSteps))
		}
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
	form := settingsForm{Tuning: c.PostForm("tuning"), Capo: c.PostForm("capo"), Tempo: c.PostForm("tempo"), Thumb: c.PostForm("thumb"), Profile: c.PostForm("profile"), Steps: c.PostForm("steps")}
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
	if st.Tuning != ch.tune.Settings.Tuning || st.Capo != ch.tune.Settings.Capo || st.Steps != ch.tune.Settings.Steps {
		st.Pins = []plan.Pin{}
	}
	if st.Thumb != ch.tune.Settings.Thumb {
		st.Pins = slices.DeleteFunc(slices.Clone(st.Pins), func(p plan.Pin) bool { return p.Part == play.Thumb })
	}
	s.finish(c, &ch, s.store.SaveSettings(c, s.owner, ch.tune.ID, ch.version, profile.ID, st))
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

func (s *Server) pin(c *gin.Context)   { s.editPin(c, true) }
func (s *Server) unpin(c *gin.Context) { s.editPin(c, false) }

// editPin sets or removes a pin; one that cannot be kept is refused with the planner's reason.
func (s *Server) editPin(c *gin.Context, set bool) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	tu, _, err := abc.Read(strings.NewReader(ch.tune.Source))
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	p, err := readPin(c, tu)
	if err != nil {
		s.showPlan(c, http.StatusUnprocessableEntity, ch.tune.ID, ch.moment, planNote{Notice: err.Error()})
		return
	}
	st := ch.tune.Settings
	if set {
		st.Pins = withPin(ch.tune.Settings.Pins, p)
		s.tryAndFinish(c, &ch, st, "Not pinned. ")
		return
	}
	st.Pins = slices.DeleteFunc(slices.Clone(st.Pins), func(old plan.Pin) bool { return old.SameTarget(&p) })
	s.finish(c, &ch, s.store.SaveSettings(c, s.owner, ch.tune.ID, ch.version, ch.tune.ProfileID, st))
}

// tryAndFinish puts settings in force if there is a plan under them, or one on its way; else nothing
// changes and the planner's reason is said after refused.
func (s *Server) tryAndFinish(c *gin.Context, ch *change, st store.Settings, refused string) {
	trial := ch.tune
	trial.Settings = st
	var busy *errBusy
	if _, err := s.work(c, &trial); err != nil && !errors.As(err, &busy) {
		s.showPlan(c, http.StatusUnprocessableEntity, ch.tune.ID, ch.moment, planNote{Notice: refused + err.Error() + "."})
		return
	}
	s.finish(c, ch, s.store.SaveSettings(c, s.owner, ch.tune.ID, ch.version, ch.tune.ProfileID, st))
}

// unpinAll lets go of every pin: the way out when another player or text has made one
// impossible.
func (s *Server) unpinAll(c *gin.Context) {
	if ch, ok := s.readChange(c); ok {
		st := ch.tune.Settings
		st.Pins = []plan.Pin{}
		s.finish(c, &ch, s.store.SaveSettings(c, s.owner, ch.tune.ID, ch.version, ch.tune.ProfileID, st))
	}
}

func (s *Server) undo(c *gin.Context) { s.step(c, -1) }
func (s *Server) redo(c *gin.Context) { s.step(c, +1) }

func (s *Server) step(c *gin.Context, by int) {
	if ch, ok := s.readChange(c); ok {
		s.finish(c, &ch, s.store.Step(c, s.owner, ch.tune.ID, ch.version, by))
	}
}
