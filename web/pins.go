package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/setup"
	"stepping/core/tune"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/view"
)

// pinView is one pin in the list of the user's own choices.
type pinView struct {
	Words, JSON string
	Moment      int // where it begins
}

func newPins(t *store.Tune, w *desk.Planned) (out []pinView) {
	for i := range t.Settings.Pins {
		p := &t.Settings.Pins[i]
		out = append(out, newPin(p, p.Words(w.Plan.Request.Tune, t.Settings.Capo), w.Plan))
	}
	return out
}

// leftOut lists the pins that cannot be played, with the reasons.
func leftOut(p *plan.Plan) (out []pinView) {
	for i := range p.LeftOut {
		l := &p.LeftOut[i]
		out = append(out, newPin(&l.Pin, l.Why, p))
	}
	return out
}

func newPin(pin *play.Pin, words string, p *plan.Plan) pinView {
	v := pinView{Words: words, JSON: view.PinJSON(pin)}
	for m := range p.Moments {
		if p.Moments[m].At <= pin.At {
			v.Moment = m
		}
	}
	return v
}

// readPin reads the pin in a form, written out or as a choice for some bars; the error is
// written for people.
func readPin(c *gin.Context, tu *tune.Tune, capo int) (play.Pin, error) {
	if c.PostForm("choice") != "" {
		return readChoice(c, tu, capo)
	}
	var p play.Pin
	dec := json.NewDecoder(strings.NewReader(c.PostForm("pin")))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&p); err != nil {
		return p, errors.New("the form is missing its choice: load the page again")
	}
	return p, nil
}

// readChoice reads a choice for the bars first to last.
func readChoice(c *gin.Context, tu *tune.Tune, capo int) (play.Pin, error) {
	first, err1 := strconv.Atoi(strings.TrimSpace(c.PostForm("first")))
	last, err2 := strconv.Atoi(strings.TrimSpace(c.PostForm("last")))
	if err1 != nil || err2 != nil {
		return play.Pin{}, fmt.Errorf("bars %q to %q: give the first and the last bar, from 1 to %d", c.PostForm("first"),
			c.PostForm("last"), len(tu.Bars))
	}
	return setup.PinBars(tu, c.PostForm("choice"), first, last, capo)
}
