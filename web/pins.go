package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/tune"
	"stepping/store"
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
		v := pinView{Words: p.Words(w.plan.Request.Tune, t.Settings.Capo), JSON: pinJSON(p)}
		for m := range w.plan.Moments {
			if w.plan.Moments[m].At <= p.At {
				v.Moment = m
			}
		}
		out = append(out, v)
	}
	return out
}

// pinJSON is how forms carry a pin.
func pinJSON(p *plan.Pin) string {
	data, err := json.Marshal(p)
	if err != nil {
		panic("web: a pin cannot be written as JSON: " + err.Error())
	}
	return string(data)
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
	{"no-slide", "No slide", plan.Pin{Part: plan.Tube, How: plan.Off}},
	{"all-slide", "All with the slide", plan.Pin{Part: plan.Melody, How: plan.Slide}},
	{"all-fret", "All fretted", plan.Pin{Part: plan.Melody, How: plan.Fret}},
	{"heel-off", "Heel off the strings", plan.Pin{Part: plan.Heel, How: plan.Off}},
	{"ring", "Strings left to ring", plan.Pin{Part: plan.Ringing}},
	{"no-thumb", "Thumb left out", plan.Pin{Part: plan.Thumb, How: plan.Drop}},
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

// choiceView is a choice for one moment beside the places, with its pin as JSON.
type choiceView struct{ Text, Pin string }

func newChoices(p *plan.Plan, m int) []choiceView {
	mo := &p.Moments[m]
	var out []choiceView
	add := func(text string, pin plan.Pin) {
		pin.At = mo.At
		out = append(out, choiceView{text, pinJSON(&pin)})
	}
	if mo.Melody != nil {
		for _, d := range []string{"p", "i", "m", "a"}[:1+p.Request.Player.Fingers] {
			add("Pluck with "+d+" ("+digitWords[d]+")", plan.Pin{Part: plan.Melody, Digit: d})
		}
		for f := 1; f <= 4; f++ {
			add(fmt.Sprint("Fret with finger ", f), plan.Pin{Part: plan.Melody, Finger: f})
		}
	}
	add("Slide off the strings", plan.Pin{Part: plan.Tube, How: plan.Off})
	for k := 1; mo.Hand.SlideOn && k <= 6; k++ {
		add(fmt.Sprint("Slide reaching string ", k), plan.Pin{Part: plan.Tube, Covers: k})
	}
	add("Heel off the strings", plan.Pin{Part: plan.Heel, How: plan.Off})
	add("Strings left to ring", plan.Pin{Part: plan.Ringing})
	return out
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
		if p.Part == plan.Melody && p.String == 0 && p.How == "" {
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
