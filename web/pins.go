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
	"stepping/core/tune"
	"stepping/store"
	"stepping/web/view"
)

// pinView is one pin in the list of the user's own choices.
type pinView struct {
	Words, JSON string
	Moment      int // where it begins
}

func newPins(t *store.Tune, w *worked) []pinView {
	var out []pinView
	for i := range t.Settings.Pins {
		p := &t.Settings.Pins[i]
		v := pinView{Words: p.Words(w.plan.Request.Tune, t.Settings.Capo), JSON: view.PinJSON(p)}
		for m := range w.plan.Moments {
			if w.plan.Moments[m].At <= p.At {
				v.Moment = m
			}
		}
		out = append(out, v)
	}
	return out
}

// readPin reads the pin in a form, written out or as a choice for some bars; the error is
// written for people.
func readPin(c *gin.Context, tu *tune.Tune) (plan.Pin, error) {
	if c.PostForm("choice") != "" {
		return readChoice(c, tu)
	}
	var p plan.Pin
	dec := json.NewDecoder(strings.NewReader(c.PostForm("pin")))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&p); err != nil {
		return p, errors.New("the form came without a choice that can be read: load the page again")
	}
	return p, nil
}

// barChoice is something that can be pinned for whole bars.
type barChoice struct {
	Value, Text string
	pin         plan.Pin
}

var barChoices = []barChoice{
	{"no-slide", "No slide", plan.Pin{Part: play.Tube, How: play.Off}},
	{"all-slide", "All with the slide", plan.Pin{Part: play.Melody, How: play.Slide}},
	{"all-fret", "All fretted", plan.Pin{Part: play.Melody, How: play.Fret}},
	{"heel-off", "Heel off the strings", plan.Pin{Part: play.Heel, How: play.Off}},
	{"ring", "Strings left to ring", plan.Pin{Part: play.Ringing}},
	{"no-thumb", "Thumb left out", plan.Pin{Part: play.Thumb, How: play.Drop}},
}

// readChoice reads a choice for the bars first to last.
func readChoice(c *gin.Context, tu *tune.Tune) (plan.Pin, error) {
	first, err1 := strconv.Atoi(strings.TrimSpace(c.PostForm("first")))
	last, err2 := strconv.Atoi(strings.TrimSpace(c.PostForm("last")))
	if n := len(tu.Bars); err1 != nil || err2 != nil || first < 1 || last < first || last > n {
		return plan.Pin{}, fmt.Errorf("bars %q to %q: give the first and the last bar, from 1 to %d", c.PostForm("first"), c.PostForm("last"), n)
	}
	for _, ch := range barChoices {
		if ch.Value == c.PostForm("choice") {
			p := ch.pin
			p.At = tu.Bars[first-1]
			p.To = tu.Bars[last-1] + tu.BarLength(last-1)
			return p, nil
		}
	}
	return plan.Pin{}, errors.New("choose what to pin from the list")
}

// withPin returns pins with p set in place of those for the same thing. A digit or finger for
// a note joins what is pinned for its place.
func withPin(pins []plan.Pin, p plan.Pin) []plan.Pin {
	out := []plan.Pin{}
	for _, old := range pins {
		if !p.SameTarget(&old) {
			out = append(out, old)
			continue
		}
		if p.Part == play.Melody && p.String == 0 && p.How == "" {
			p.String, p.Fret, p.How = old.String, old.Fret, old.How
			if p.Digit == "" {
				p.Digit = old.Digit
			}
			if p.Finger == 0 {
				p.Finger = old.Finger
			}
		}
	}
	return append(out, p)
}
