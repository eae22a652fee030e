package web

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/lick"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/setup"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/store"
	"stepping/web/door"
	"stepping/web/view"
)

// buildBody is a tune being built from licks over a form.
type buildBody struct {
	Form    buildForm
	Forms   []string
	Keys    []string
	Meters  []string
	Library []tuning.Named
	Licks   []choice
	Bars    []buildBar
	Fault   string
	Field   string // at fault
}

// buildForm is the page as it is filled in; its address holds all of it.
type buildForm struct{ Title, Form, Key, Chords, Meter, Tempo, Tuning, Capo string }

// buildBar is a bar of the form.
type buildBar struct {
	N       int
	Chord   string
	Lick    string // its key, "" for none
	Covered bool   // a lick before goes on through it
	Fault   string
}

// keysOffered are those that a form can be in.
var keysOffered = func() (out []string) {
	for class := range 12 {
		out = append(out, pitch.Usual.Class(class).ClassName())
	}
	return out
}()

func readBuildForm(get func(string) string) buildForm {
	return buildForm{strings.TrimSpace(get("title")), cmp.Or(get("form"), lick.Forms[1].Name), cmp.Or(get("key"), "D"), strings.TrimSpace(get("chords")), get("meter"),
		cmp.Or(strings.TrimSpace(get("tempo")), "80"), cmp.Or(strings.TrimSpace(get("tuning")), "Open D"), cmp.Or(strings.TrimSpace(get("capo")), "0")}
}

// building is a form that could be read.
type building struct {
	over  *tune.Tune
	t     tuning.Tuning
	capo  int
	slots []lick.Slot
}

// fieldFault is what is wrong with one field.
type fieldFault struct {
	field string
	err   error
}

func (e *fieldFault) Error() string { return e.err.Error() }

// read makes a tune with chords alone of the form. *fieldFault.
func (f *buildForm) read() (b building, err error) {
	at := slices.IndexFunc(lick.Forms, func(fm lick.Form) bool { return fm.Name == f.Form })
	if at < 0 {
		return b, &fieldFault{"form", errors.New("choose a form from the list")}
	}
	key, used := pitch.ParseClass(f.Key)
	if used == 0 || used != len(f.Key) {
		return b, &fieldFault{"key", fmt.Errorf("%q: choose a key from the list", f.Key)}
	}
	tempo, err := strconv.ParseFloat(f.Tempo, 64)
	if err != nil || !(tempo >= tune.MinTempo && tempo <= tune.MaxTempo) {
		return b, &fieldFault{"tempo", fmt.Errorf("%q: %s", f.Tempo, tune.TempoRule)}
	}
	meter, ok := tune.ParseMeter(f.Meter)
	if !ok || meter.Num < 1 || meter.Num > 24 || !slices.Contains([]int{2, 4, 8, 16}, meter.Den) {
		return b, &fieldFault{"meter", fmt.Errorf("%q: choose a meter from the list", f.Meter)}
	}
	if b.t, err = tuning.Parse(f.Tuning); err != nil {
		return b, &fieldFault{"tuning", err}
	}
	if b.capo, err = strconv.Atoi(f.Capo); err != nil || tuning.CheckCapo(b.capo) != nil {
		return b, &fieldFault{"capo", errors.New(setup.CapoRule)}
	}
	if f.Chords == "" {
		f.Chords = lick.Forms[at].Chords(key)
	}
	if b.over, err = tune.Progression(f.Chords, meter, tempo); err != nil {
		return b, &fieldFault{"chords", err}
	}
	if len(b.over.Bars) > mostBuilt {
		return b, &fieldFault{"chords", fmt.Errorf("a tune is built over at most %d bars", mostBuilt)}
	}
	b.over.Title = cmp.Or(f.Title, f.Form+" in "+f.Key)
	return b, nil
}

// mostBuilt is the longest form in bars.
const mostBuilt = 64

// buildPage shows the form with what the address says, or with licks proposed for every bar.
func (s *Server) buildPage(c *gin.Context) {
	s.showBuild(c, http.StatusOK, c.Query, nil)
}

// showBuild draws the page from what was asked for; fault is what was wrong with it.
func (s *Server) showBuild(c *gin.Context, status int, get func(string) string, fault error) {
	licks, err := s.store.Licks().All(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	b := buildBody{Form: readBuildForm(get), Keys: keysOffered, Library: tuning.Library}
	for i := range lick.Forms {
		b.Forms = append(b.Forms, lick.Forms[i].Name)
	}
	for i := range licks {
		k := &licks[i].Doc
		b.Licks = append(b.Licks, choice{licks[i].ID.String(), fmt.Sprintf("%s (%d)", k.Name, k.Bars)})
		if m := fmt.Sprintf("%d/%d", k.Num, k.Den); !slices.Contains(b.Meters, m) {
			b.Meters = append(b.Meters, m)
		}
	}
	if len(b.Meters) == 0 {
		b.Meters = []string{"4/4"}
	}
	b.Form.Meter = cmp.Or(b.Form.Meter, b.Meters[0])
	if get("other-form") != "" { // its chords take the place of those before
		b.Form.Chords = ""
	}
	made, err := b.Form.read()
	if err == nil {
		b.bars(&made, licks, get, get("propose") != "")
	}
	b.say(cmp.Or(fault, err))
	s.draw(c, status, "build", "Build a tune", b)
}

// bars lists the bars with the licks chosen, or proposed.
func (b *buildBody) bars(made *building, licks []store.Kept[store.Lick], get func(string) string, propose bool) {
	proposed := map[int]string{}
	if propose {
		var all []*lick.Kept
		for i := range licks {
			all = append(all, &licks[i].Doc.Kept)
		}
		for _, slot := range lick.Propose(made.over, all) {
			proposed[slot.Bar] = licks[slices.Index(all, slot.Lick)].ID.String()
		}
	}
	covered := 0
	for i, at := range made.over.Bars {
		bar := buildBar{N: i + 1, Chord: made.over.ChordOver(at).Name, Lick: get("bar-" + strconv.Itoa(i+1)), Covered: i < covered}
		if propose {
			bar.Lick = proposed[bar.N]
		}
		if l := slices.IndexFunc(licks, func(k store.Kept[store.Lick]) bool { return k.ID.String() == bar.Lick }); l >= 0 {
			covered = max(covered, i+licks[l].Doc.Bars)
		}
		b.Bars = append(b.Bars, bar)
	}
}

// say puts what is wrong where it belongs.
func (b *buildBody) say(err error) {
	slot, field := (*lick.SlotError)(nil), (*fieldFault)(nil)
	switch {
	case errors.As(err, &slot) && slot.Bar <= len(b.Bars):
		b.Bars[slot.Bar-1].Fault = view.Sentence(slot.Text)
	case errors.As(err, &field):
		b.Field, b.Fault = field.field, view.Sentence(field.Error())
	case err != nil:
		b.Fault = view.Sentence(err.Error())
	}
}

// build makes the tune and opens its plan.
func (s *Server) build(c *gin.Context) {
	if c.PostForm("propose") != "" || c.PostForm("other-form") != "" { // a question, whose answer is the address
		q := url.Values{}
		for name, v := range c.Request.PostForm {
			if len(v) > 0 && v[0] != "" {
				q.Set(name, v[0])
			}
		}
		c.Redirect(http.StatusSeeOther, "/build?"+q.Encode())
		return
	}
	licks, err := s.store.Licks().All(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	form := readBuildForm(c.PostForm)
	made, err := form.read()
	for i := range licks {
		for n := 1; err == nil && n <= len(made.over.Bars); n++ {
			if c.PostForm("bar-"+strconv.Itoa(n)) == licks[i].ID.String() {
				made.slots = append(made.slots, lick.Slot{Bar: n, Lick: &licks[i].Doc.Kept})
			}
		}
	}
	var id store.ID
	if err == nil {
		id, err = s.keepBuilt(c, &made)
	}
	switch slot := (*lick.SlotError)(nil); {
	case errors.As(err, &slot), errors.As(err, new(*fieldFault)), errors.Is(err, errNobody):
		s.showBuild(c, http.StatusUnprocessableEntity, c.PostForm, err)
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/tunes/"+id.String())
	}
}

var errNobody = errors.New("there is no player to plan it for: add one under Players, then build it")

// keepBuilt builds the tune and keeps it.
func (s *Server) keepBuilt(c *gin.Context, made *building) (id store.ID, err error) {
	built, err := lick.Build(made.over, made.t, made.capo, made.slots)
	if err != nil {
		return id, err
	}
	var text bytes.Buffer
	if err := abc.Write(&text, built.Tune, nil); err != nil {
		return id, err
	}
	profiles, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
	if err != nil {
		return id, err
	}
	if len(profiles) == 0 {
		return id, errNobody
	}
	st := setup.Settings{Tuning: made.t.String(), Capo: made.capo, Thumb: pattern.Kind(cmp.Or(profiles[0].Profile.Thumb, string(pattern.Alternating))),
		Pins: append([]play.Pin{}, built.Pins...)}
	return s.store.AddTune(c.Request.Context(), door.Owner(c), built.Tune.Title, text.String(), profiles[0].ID, st)
}
