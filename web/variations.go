package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/tune"
)

// variationsBody is what else fits at a bar: other orders of strings, and other places for its melody.
type variationsBody struct {
	ID, Title string
	Version   int
	Moment    int
	Bar       int
	Held      string // the slide's place, "" if the bar is not held at one
	Strings   string
	Mixes     []mixView
	Degrees   string
	Places    []lickView
}

type mixView struct{ Strings, Degrees, Crossed, Rewrite, Key string }

type lickView struct{ Chord, Where, Degrees, Tones, Rewrite, Key string }

// rewriteOf is a bar of the plan's tune with the rhythm of another and other pitches, as written before
// the tune is moved: JSON for the form.
func rewriteOf(p *plan.Plan, steps, from, to int, pitches []pitch.Pitch) string {
	notes := p.Request.Tune.BarMelody(from)
	if len(notes) != len(pitches) {
		return ""
	}
	for i := range notes {
		notes[i].Pitch = pitches[i] - pitch.Midi(steps)
	}
	data, err := json.Marshal(tune.Rewrite{Bar: to, Notes: notes})
	if err != nil {
		panic("web: a rewritten bar cannot be written as JSON: " + err.Error())
	}
	return string(data)
}

// firstKey names the key of the first row that can be taken.
func firstKey(key string, i int) string {
	if i == 0 {
		return key
	}
	return ""
}

// rewrite puts another melody into a bar of a tune, or with none lets go of it.
func (s *Server) rewrite(c *gin.Context) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	var r tune.Rewrite
	if err := json.Unmarshal([]byte(c.PostForm("rewrite")), &r); err != nil {
		s.fail(c, http.StatusBadRequest, errors.New("the form came without its notes: load the page again"))
		return
	}
	st := ch.tune.Settings
	st.Rewrites = slices.DeleteFunc(slices.Clone(st.Rewrites), func(old tune.Rewrite) bool { return old.Bar == r.Bar })
	if len(r.Notes) > 0 {
		st.Rewrites = append(st.Rewrites, r)
	}
	// Pins in the bar name notes that are no longer there.
	if req, _, err := request(&ch.tune, &player.Profile{}); err == nil && r.Bar >= 1 && r.Bar <= len(req.Tune.Bars) {
		begin := req.Tune.Bars[r.Bar-1]
		end := begin + req.Tune.BarLength(r.Bar-1)
		st.Pins = slices.DeleteFunc(slices.Clone(st.Pins), func(p plan.Pin) bool { return p.Part == plan.Melody && p.At >= begin && p.At < end })
	}
	s.tryAndFinish(c, &ch, st, "Not changed. ")
}

// variations answers with a page, or for the script its part.
func (s *Server) variations(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	m := min(max(atoi(c.Query("m")), 0), len(w.plan.Moments)-1)
	body := variationsBody{ID: t.ID.String(), Title: t.Title, Version: t.Version, Moment: m, Bar: w.plan.Moments[m].Bar}
	if h, ok := w.plan.HeldBar(m); ok {
		body.Held, body.Strings = plan.FretText(h.Fret-float64(w.plan.Request.Capo)), joinInts(h.Strings)
		for i, x := range h.Mixes {
			body.Mixes = append(body.Mixes, mixView{joinInts(x.Strings), strings.Join(x.Degrees, ", "), crossed(x.Busy), rewriteOf(w.plan, t.Settings.Steps, body.Bar, body.Bar, x.Pitches), firstKey("n", i)})
		}
	}
	l := w.plan.LickOf(m)
	body.Degrees = strings.Join(l.Degrees, ", ")
	for i, p := range l.Places {
		body.Places = append(body.Places, lickView{p.Chord, shiftText(p.Shift, p.Bar), strings.Join(p.Degrees, ", "), fmt.Sprintf("%d of %d chord tones", p.Tones, len(p.Degrees)),
			rewriteOf(w.plan, t.Settings.Steps, body.Bar, p.Bar, p.Pitches), firstKey("l", i)})
	}
	part := "layout"
	if c.GetHeader("X-Part") != "" {
		part = "variations"
	}
	s.render(c, http.StatusOK, "variations", part, "Variations of "+t.Title, body)
}

func joinInts(ns []int) string {
	var words []string
	for _, n := range ns {
		words = append(words, fmt.Sprint(n))
	}
	return strings.Join(words, " ")
}

func crossed(n int) string {
	switch n {
	case 0:
		return "stays on one string"
	case 1:
		return "crosses one string"
	}
	return fmt.Sprintf("crosses %d strings", n)
}

func shiftText(frets, bar int) string {
	switch {
	case frets == 0:
		return fmt.Sprintf("in place, first in bar %d", bar)
	case frets > 0:
		return fmt.Sprintf("%d frets up, first in bar %d", frets, bar)
	}
	return fmt.Sprintf("%d frets down, first in bar %d", -frets, bar)
}
