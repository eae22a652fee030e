package web

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"stepping/core/carry"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/setup"
	"stepping/core/tune"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// lossesBody is the page of notes that cannot be had as they are written.
type lossesBody struct {
	ID, Title string
	Version   int
	Tuning    string
	Losses    []lossView
	More      bool   // there may be more than are listed
	All       string // the first ways of all, for one key; "" if there are none
	Mended    int    // notes that were changed before
	Fault     string
}

type lossView struct {
	Where, Note, Why string
	Ways             []wayOut
}

type wayOut struct {
	Text, Price, Mend string
}

// losses shows what of a tune cannot be played as written, and the ways out.
func (s *Server) losses(c *gin.Context) { s.showLosses(c, http.StatusOK, "") }

func (s *Server) showLosses(c *gin.Context, status int, fault string) {
	t, prof, ok := s.tuneAndPlayer(c)
	if !ok {
		return
	}
	req, _, err := s.desk.Request(t, &prof.Profile)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	found, err := desk.Do(c.Request.Context(), s.desk, "losses", desk.Of(door.Owner(c), 4*len(req.Tune.Notes)), func(ctx context.Context) ([]carry.Loss, error) {
		return carry.Losses(ctx, req)
	})
	if err != nil {
		text := problemText(err)
		if text == "" {
			s.failFor(c, err)
			return
		}
		fault = cmp.Or(fault, text)
	}
	b := lossesBody{ID: t.ID.String(), Title: t.Title, Version: t.Version, Tuning: t.Settings.Tuning, Mended: len(t.Settings.Mends), Fault: fault,
		More: len(found) == carry.Most}
	var all []tune.Mend
	for i := range found {
		l := &found[i]
		v := lossView{Where: fmt.Sprintf("Bar %s, beat %.3g", l.Bar, l.Beat), Note: l.Note.String(), Why: l.Why}
		if l.Bass {
			v.Note = "bass " + v.Note
		}
		for k := range l.Ways {
			w := asWritten(l.Ways[k].Mend, t.Settings.Steps, req.Tune.Key.Flats)
			v.Ways = append(v.Ways, wayOut{l.Ways[k].Text, priceOf(l.Ways[k].Extra), mendsText([]tune.Mend{w})})
		}
		if len(l.Ways) > 0 {
			all = append([]tune.Mend{asWritten(l.Ways[0].Mend, t.Settings.Steps, req.Tune.Key.Flats)}, all...) // from behind: voices move
		}
		b.Losses = append(b.Losses, v)
	}
	if len(all) > 0 {
		b.All = mendsText(all)
	}
	s.render(c, status, "losses", "layout", "Notes that do not fit: "+t.Title, b)
}

// priceOf is a price for people; "" for the cheapest.
func priceOf(extra float64) string {
	switch {
	case extra < 0.005:
		return ""
	case extra < 0.3:
		return "a little harder"
	case extra < 1:
		return "harder"
	}
	return "much harder"
}

// asWritten is a mend of a moved tune in the key as it is written.
func asWritten(m tune.Mend, steps int, flats bool) tune.Mend {
	if n, _, err := pitch.Parse(m.Pitch); m.Pitch != "" && err == nil && steps != 0 {
		m.Pitch = pitch.Spell(n.Pitch()-pitch.Midi(steps), flats).String()
	}
	return m
}

func mendsText(mends []tune.Mend) string {
	data, err := json.Marshal(mends)
	if err != nil {
		panic(err) // of strings and numbers
	}
	return string(data)
}

// mend changes notes of a tune so that they can be had, or has them as they are written again.
func (s *Server) mend(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	refuse := func(text string) { s.showLosses(c, http.StatusUnprocessableEntity, text) }
	st := t.Settings.WithoutMends()
	if text := c.PostForm("mends"); text != "" {
		var mends []tune.Mend
		if err := json.Unmarshal([]byte(text), &mends); err != nil || len(mends) > carry.Most {
			refuse("This change was not understood. Reload the page and try again.")
			return
		}
		if st = t.Settings.WithMends(mends); len(st.Mends) > setup.MostMends {
			refuse(fmt.Sprintf("%d notes are already changed. Edit the text of the tune instead.", len(t.Settings.Mends)))
			return
		}
		tu, _, err := s.desk.Read(t.Source)
		for i := 0; err == nil && i < len(st.Mends); i++ {
			tu, err = tu.Mended(&st.Mends[i])
		}
		if err != nil {
			refuse(view.Sentence(err.Error()))
			return
		}
	}
	version, _ := strconv.Atoi(c.PostForm("version"))
	err := s.store.SaveSettings(c.Request.Context(), door.Owner(c), t.ID, version, t.ProfileID, st)
	switch {
	case errors.Is(err, store.ErrStale):
		refuse("This tune was changed in another tab. Here is the current version.")
	case err != nil && !errors.Is(err, store.ErrNoEdit):
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/tunes/"+t.ID.String()+"/losses")
	}
}

// lostIn counts notes of a written bass that a plan does not play as they are written.
func lostIn(p *plan.Plan) (n int) {
	for i := range p.Moments {
		mo := &p.Moments[i]
		if mo.Stroke == "written" && (mo.Thumb == nil || mo.Thumb.Asked > 0) {
			n++
		}
	}
	return n
}
