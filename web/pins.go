package web

import (
	"bytes"
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
	dec := json.NewDecoder(bytes.NewReader([]byte(c.PostForm("pin"))))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&p); err != nil {
		return p, errors.New("the form came without a choice that can be read: load the page again")
	}
	return p, nil
}

// choice is something that can be pinned for whole bars or for one moment.
type choice struct {
	Value, Text string
	Bars        bool // offered for bars; else for the moment at the cursor
	pin         plan.Pin
}

// barChoices are offered for ranges of bars.
var barChoices = []choice{
	{"no-slide", "No slide", true, plan.Pin{Part: plan.Tube, How: plan.Off}},
	{"all-slide", "All with the slide", true, plan.Pin{Part: plan.Melody, How: plan.Slide}},
	{"all-fret", "All fretted", true, plan.Pin{Part: plan.Melody, How: plan.Fret}},
	{"heel-off", "Heel off the strings", true, plan.Pin{Part: plan.Heel, How: plan.Off}},
	{"ring", "Strings left to ring", true, plan.Pin{Part: plan.Ringing}},
	{"no-thumb", "Thumb left out", true, plan.Pin{Part: plan.Thumb, How: plan.Drop}},
}

// momentChoices are offered for one moment beside the places.
func momentChoices(p *plan.Plan, m int) []choice {
	mo := &p.Moments[m]
	var out []choice
	add := func(value, text string, pin plan.Pin) { out = append(out, choice{value, text, false, pin}) }
	if mo.Melody != nil {
		for _, d := range []string{"p", "i", "m", "a"}[:1+p.Request.Player.Fingers] {
			add("digit-"+d, "Pluck with "+d+" ("+digitWords[d]+")", plan.Pin{Part: plan.Melody, Digit: d})
		}
		for f := 1; f <= 4; f++ {
			add(fmt.Sprint("finger-", f), fmt.Sprint("Fret with finger ", f), plan.Pin{Part: plan.Melody, Finger: f})
		}
	}
	add("slide-off", "Slide off the strings", plan.Pin{Part: plan.Tube, How: plan.Off})
	if mo.Hand.SlideOn {
		for k := 1; k <= 6; k++ {
			add(fmt.Sprint("cover-", k), fmt.Sprint("Slide reaching string ", k), plan.Pin{Part: plan.Tube, Covers: k})
		}
	}
	add("heel-off", "Heel off the strings", plan.Pin{Part: plan.Heel, How: plan.Off})
	add("ring", "Strings left to ring", plan.Pin{Part: plan.Ringing})
	return out
}

// readChoice reads a choice for the bars first to last, or for the moment at.
func readChoice(c *gin.Context, tu *tune.Tune) (plan.Pin, error) {
	value := c.PostForm("choice")
	if at := c.PostForm("at"); at != "" {
		var p plan.Pin
		if err := json.Unmarshal([]byte(value), &p); err != nil {
			return p, errors.New("choose what to pin from the list")
		}
		return p, p.At.UnmarshalText([]byte(at))
	}
	first, err1 := strconv.Atoi(strings.TrimSpace(c.PostForm("first")))
	last, err2 := strconv.Atoi(strings.TrimSpace(c.PostForm("last")))
	if n := len(tu.Bars); err1 != nil || err2 != nil || first < 1 || last < first || last > n {
		return plan.Pin{}, fmt.Errorf("bars %q to %q: give the first and the last bar, from 1 to %d", c.PostForm("first"), c.PostForm("last"), n)
	}
	for _, ch := range barChoices {
		if ch.Value == value {
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
