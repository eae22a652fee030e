package web

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/sound"
	"stepping/core/tune"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// soundRate is the sample rate of what is heard on pages, samples a second.
const soundRate = 32000

// What is made of a sound at one turn in the pool, in bytes: little at first, so that it is heard at once, then
// some seconds. Between turns others have theirs, and a slow listener holds up nobody.
const (
	firstTurn = 16 << 10
	nextTurn  = 256 << 10
)

// stream answers with a sound as it is made; basis is all that it depends on.
func (s *Server) stream(c *gin.Context, basis string, make func() (*sound.Sound, error)) {
	key := sha256.Sum256([]byte(basis))
	c.Header("Content-Type", "audio/wav")
	if data := s.desk.Sounds.Get(key); data != nil {
		http.ServeContent(door.Steadily(c.Writer), c.Request, "", time.Time{}, bytes.NewReader(data))
		return
	}
	snd, err := make()
	if err != nil {
		c.Header("Content-Type", "")
		s.fail(c, http.StatusBadRequest, err)
		return
	}
	var kept bytes.Buffer
	keep := snd.Bytes() <= desk.MostSound
	turn, to := bytes.NewBuffer(nil), door.Steadily(c.Writer)
	work := desk.Of(door.Owner(c), 0)
	for size := int64(firstTurn); ; size = nextTurn {
		turn.Reset()
		n, err := desk.Do(c.Request.Context(), s.desk, "sound", work, func(context.Context) (int64, error) { return io.CopyN(turn, snd, size) })
		if err != nil && !errors.Is(err, io.EOF) {
			s.unheard(c, err)
			return
		}
		if !c.Writer.Written() {
			c.Header("Content-Length", strconv.FormatInt(snd.Bytes(), 10))
		}
		if keep {
			kept.Write(turn.Bytes())
		}
		work.Begun = true
		if _, err := to.Write(turn.Bytes()); err != nil {
			s.unheard(c, err)
			return
		}
		if n < size {
			break
		}
	}
	if keep {
		s.desk.Sounds.Put(key, kept.Bytes())
	}
}

// patient gives a listener as long for what is sent next as for a whole page: who listens to ten minutes takes them as they play.
func patient(c *gin.Context) {
	_ = http.NewResponseController(c.Writer).SetWriteDeadline(time.Now().Add(WriteTimeout)) // a server that cannot is as patient as ever
}

// unheard is a sound that is not heard to its end: the listener has gone, or there is no turn for it.
func (s *Server) unheard(c *gin.Context, err error) {
	if !c.Writer.Written() && c.Request.Context().Err() == nil {
		s.failFor(c, err)
		return
	}
	s.logFor(c).Info("sound not heard to its end", "err", err)
}

// hear streams what a query asks to hear of a plan.
func (s *Server) hear(c *gin.Context) {
	_, w, ok := s.planParam(c)
	if !ok {
		return
	}
	q := c.Request.URL.Query()
	s.stream(c, w.Basis+"?"+q.Encode(), func() (*sound.Sound, error) { return soundOf(w.Plan, q) })
}

// soundOf prepares what a query asks to hear of a plan: bars in layers, or one moment as it is, struck string
// by string, or with another place for a note. The error says what to give instead.
func soundOf(p *plan.Plan, q url.Values) (*sound.Sound, error) {
	if v := q.Get("moment"); v != "" {
		m, err := strconv.Atoi(v)
		if err != nil || m < 0 || m >= len(p.Moments) {
			return nil, fmt.Errorf("moment %q: give 0 to %d", v, len(p.Moments)-1)
		}
		switch {
		case q.Get("strum") != "":
			return strummed(p, m)
		case q.Get("pin") != "":
			return elsewhere(p, m, q.Get("pin"))
		}
		return sound.NewMoment(sound.Of(p), m, soundRate)
	}
	return soundAs(sound.Of(p), q)
}

// soundAs prepares bars and layers of what is played.
func soundAs(p sound.Played, q url.Values) (*sound.Sound, error) {
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
			return nil, fmt.Errorf("tempo %q: %s", v, tune.TempoRule)
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
		err = errors.New("that is more than half an hour: choose fewer bars or repeats")
	}
	return snd, err
}

// Gaps between strokes in seconds: a strum test, in which each string is listened to, and a chord.
const (
	testGap  = 0.5
	chordGap = 0.04
)

// strummed is the position of a moment struck string by string, as in the strum test: what is silenced thuds,
// what should not sound is heard.
func strummed(p *plan.Plan, m int) (*sound.Sound, error) {
	var strokes []play.Stroke
	for _, l := range p.Strum(m) {
		s := play.Stroke{String: l.String, How: play.Open, Note: pitch.Spell(l.Pitch, false)}
		if !l.Wanted && l.By != "" {
			s.How = play.Dead
		}
		strokes = append(strokes, s)
	}
	r := &p.Request
	return sound.New(sound.Strokes(r.Tuning, r.Capo, r.Player.Attack, testGap, strokes...), sound.Options{Rate: soundRate})
}

// elsewhere is a note of a moment at the place of a pin, before it is pinned.
func elsewhere(p *plan.Plan, m int, pinned string) (*sound.Sound, error) {
	var pin play.Pin
	if err := json.Unmarshal([]byte(pinned), &pin); err != nil || pin.String < 1 || pin.String > p.Request.Tuning.Len() ||
		!(pin.Fret >= 0 && pin.Fret <= 40) {
		return nil, errors.New("that place was not understood: load the page again")
	}
	mo, r := &p.Moments[m], &p.Request
	s := play.Stroke{Part: play.Melody, String: pin.String, Fret: pin.Fret, From: pin.Fret, How: pin.How}
	voices := append([]*play.Stroke{mo.Melody}, mo.With...)
	if pin.Part == play.Melody && pin.Voice >= 0 && pin.Voice < len(voices) && voices[pin.Voice] != nil {
		s.Note = voices[pin.Voice].Note
	} else {
		s.Note = pitch.Spell(r.Tuning.Open(pin.String)+pitch.Pitch(100*max(pin.Fret, float64(r.Capo))), false)
	}
	if s.How == play.Glide || s.How == play.Bend {
		s.From = pin.Fret - 1
	}
	return sound.New(sound.Strokes(r.Tuning, r.Capo, r.Player.Attack, 0, s), sound.Options{Rate: soundRate})
}

// tone streams a plucked string at a pitch.
func (s *Server) tone(c *gin.Context) {
	hz, err := strconv.ParseFloat(c.Query("hz"), 64)
	str := atoi(c.DefaultQuery("string", "3"))
	if err != nil || !(hz >= 20 && hz <= 2000) || str < 1 || str > 6 {
		s.fail(c, http.StatusBadRequest, errors.New("a tone has 20 to 2,000 Hz, on string 1 to 6"))
		return
	}
	s.stream(c, fmt.Sprintf("tone %.3f on %d", hz, str), func() (*sound.Sound, error) { return sound.Tone(hz, str, soundRate), nil })
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
	Lines     []view.PaperLine
	Client    clientData
	From      int     // bar that sounds first
	Lead      float64 // seconds counted in
	Share     float64 // of the plan's tempo
	Length    float64 // seconds of what is repeated, at the plan's tempo; 0 if nothing is
}

type hearLayer struct {
	Name, Text string
	On         bool
}

// hearLayers are what can be heard, with what they are for people.
var hearLayers = []hearLayer{{"melody", "melody", true}, {"thumb", "thumb", true}, {"percussion", "percussion", true},
	{"noise", "unwanted ringing", true}, {"click", "click", false}}

func (s *Server) hearPage(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	b := hearBody{ID: t.ID.String(), Title: t.Title, Bars: strings.TrimSpace(c.Query("bars")), Count: c.Query("count"),
		Tempo: c.Query("tempo"), Last: len(w.Plan.Request.Tune.Bars)}
	if b.Tempo == "" {
		b.Tempo = figure(w.Plan.Tempo())
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
	if snd, err := soundOf(w.Plan, q); err != nil {
		b.Fault, status = view.Sentence(err.Error()), http.StatusUnprocessableEntity
	} else {
		b.follow(w.Plan, q, snd)
	}
	s.render(c, status, "hear", "layout", "Hear "+t.Title, b)
}

// follow fills in what the page needs to show where the sound is.
func (b *hearBody) follow(p *plan.Plan, q url.Values, snd *sound.Sound) {
	first, last := 1, len(p.Request.Tune.Bars)
	if v := q.Get("bars"); v != "" {
		first, last, _ = sound.ParseBars(v) // it was read before
	}
	tempo, _ := strconv.ParseFloat(b.Tempo, 64)
	b.Client = clientData{ID: b.ID, At: 0, Count: len(p.Moments)}
	b.Client.timed(p)
	b.Lines, b.From, b.Lead, b.Share = view.NewPaper(p), first, snd.Lead(), tempo/p.Tempo()
	if q.Get("repeats") != "" {
		b.Length = b.Client.Starts[last] - b.Client.Starts[first-1]
	}
}

// maxSound bounds a sound, in samples.
const maxSound = 30 * 60 * soundRate
