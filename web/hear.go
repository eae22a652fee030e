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

	"stepping/core/plan"
	"stepping/core/sound"
	"stepping/core/tune"
)

// soundRate is the sample rate of what is heard on pages, samples a second.
const soundRate = 32000

// hear streams the plan's sound as it is made. So many are made at once as there are workers; who comes then waits.
func (s *Server) hear(c *gin.Context) {
	_, w, ok := s.planParam(c)
	if !ok {
		return
	}
	snd, err := soundOf(w.plan, c.Request.URL.Query())
	if err != nil {
		s.fail(c, http.StatusBadRequest, err)
		return
	}
	select {
	case s.playing <- struct{}{}:
		defer func() { <-s.playing }()
	case <-c.Request.Context().Done():
		return
	}
	c.Header("Content-Type", "audio/wav")
	c.Header("Content-Length", strconv.FormatInt(snd.Bytes(), 10))
	if _, err := snd.WriteTo(c.Writer); err != nil { // the listener has gone: the length cannot be kept
		s.logFor(c).Info("sound not heard to its end", "err", err)
	}
}

// soundOf prepares what a query asks to hear of a plan. The error says what to give instead.
func soundOf(p *plan.Plan, q url.Values) (*sound.Sound, error) {
	o := sound.Options{Rate: soundRate}
	var err error
	if v := q.Get("bars"); v != "" {
		if o.First, o.Last, err = sound.ParseBars(v); err != nil {
			return nil, err
		}
	}
	if v := q.Get("layers"); v != "" {
		if o.Layers, err = sound.ParseLayers(v); err != nil {
			return nil, err
		}
	}
	if v := q.Get("tempo"); v != "" {
		if o.Tempo, err = strconv.ParseFloat(v, 64); err != nil {
			return nil, fmt.Errorf("tempo %q: give %d to %d quarter notes a minute", v, tune.MinTempo, tune.MaxTempo)
		}
	}
	for name, n := range map[string]*int{"count": &o.CountIn, "repeats": &o.Repeats} {
		if v := q.Get(name); v != "" {
			if *n, err = strconv.Atoi(v); err != nil {
				return nil, fmt.Errorf("%s %q: give a whole number", name, v)
			}
		}
	}
	snd, err := sound.New(p, o)
	if err == nil && snd.Len() > maxSound {
		err = errors.New("this is more than half an hour: hear some bars of it, or fewer repeats")
	}
	return snd, err
}

// hearBody is the page on which a plan is heard. All of its state is the address.
type hearBody struct {
	ID, Title string
	Tempo     string
	Bars      string
	Count     string
	Layers    []hearLayer
	Source    string // address of the sound
	Fault     string // why it cannot be heard so
	Last      int    // bar
	Noise     bool   // what should not sound is heard alone
}

type hearLayer struct {
	Name, Text string
	On         bool
}

// hearLayers are what can be heard, with what they are for people.
var hearLayers = []hearLayer{{"melody", "melody", true}, {"thumb", "thumb", true}, {"percussion", "percussion", true}, {"noise", "what rings and should not", true}, {"click", "click", false}}

func (s *Server) hearPage(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	b := hearBody{ID: t.ID.String(), Title: t.Title, Bars: strings.TrimSpace(c.Query("bars")), Count: c.Query("count"), Tempo: c.Query("tempo"), Last: len(w.plan.Request.Tune.Bars)}
	if b.Tempo == "" {
		b.Tempo = fmt.Sprintf("%.4g", w.plan.Tempo())
	}
	q := url.Values{"tempo": {b.Tempo}}
	chosen := c.QueryArray("layer")
	var names []string
	for _, l := range hearLayers {
		if len(chosen) > 0 {
			l.On = slices.Contains(chosen, l.Name)
		}
		if l.On {
			names = append(names, l.Name)
		}
		b.Layers = append(b.Layers, l)
	}
	b.Noise = len(names) == 1 && names[0] == "noise"
	q.Set("layers", strings.Join(names, ","))
	if b.Bars != "" {
		q.Set("bars", b.Bars)
		q.Set("repeats", "4")
	}
	if b.Count != "" {
		q.Set("count", b.Count)
	}
	b.Source = "/tunes/" + b.ID + "/sound.wav?" + q.Encode()
	status := http.StatusOK
	if _, err := soundOf(w.plan, q); err != nil {
		b.Fault, status = sentence(err.Error()), http.StatusUnprocessableEntity
	}
	s.render(c, status, "hear", "layout", "Hear "+t.Title, b)
}

// maxSound bounds a sound, in samples.
const maxSound = 30 * 60 * soundRate
