package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/chord"
	"stepping/core/lick"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/setup"
	"stepping/core/sound"
	"stepping/core/tune"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// variationsBody is what else fits at a bar: other orders of strings, and other places for a lick.
type variationsBody struct {
	ID, Title string
	Version   int
	Moment    int
	Bar       tune.Printed
	Held      string // the slide's place, "" if the bar is not held at one
	Strings   string
	Mixes     []mixView
	Notes     []lickNote // that can be in the lick: this bar's and the next one's
	Degrees   string
	Places    []lickView
	Phrases   []phraseView
	Free      view.FreeNeck
}

// phraseView is a phrase of the shelf that fits here.
type phraseView struct{ Name, Kind, Where, Notes, Price, Change, Hear string }

type mixView struct{ Strings, Degrees, Crossed, Change, Key string }

// lickNote is a note and the address of the page with it put into the lick or taken out.
type lickNote struct {
	Moment           int
	Name, Degree, At string
	Chosen, NewBar   bool
	Toggle           string
}

type lickView struct{ Chords, Where, Shape, Becomes, Tones, Change, Key string }

// melodyChange is what the form of a variation carries: bars with other melodies (without notes: as
// written again), as written before the tune is moved, and pins for them.
type melodyChange struct {
	Rewrites []tune.Rewrite `json:"rewrites"`
	Pins     []play.Pin     `json:"pins"`
}

// melodyText is a melodyChange as JSON, for a tune under the settings.
func melodyText(st *setup.Settings, rewrites []tune.Rewrite, pins []play.Pin) string {
	data, err := json.Marshal(melodyChange{st.AsWritten(rewrites), pins})
	if err != nil {
		panic("web: a change of the melody cannot be written as JSON: " + err.Error())
	}
	return string(data)
}

// rowKey is the key that takes the row after n others, "" if it has none.
func rowKey(n int) string {
	if n < 9 {
		return strconv.Itoa(n + 1)
	}
	return ""
}

// rewrite puts other melodies into bars of a tune, or drops them.
func (s *Server) rewrite(c *gin.Context) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	var to melodyChange
	if err := json.Unmarshal([]byte(c.PostForm("rewrite")), &to); err != nil || len(to.Rewrites) == 0 || len(to.Pins) > mostLickPins {
		s.fail(c, http.StatusBadRequest, errors.New("the form came without its notes: load the page again"))
		return
	}
	tu, _, err := s.desk.Read(ch.tune.Source)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	s.tryAndFinish(c, &ch, ch.tune.Settings.WithMelody(tu, to.Rewrites, to.Pins), "Not changed. ")
}

// mostLickPins is how many pins a lick may bring.
const mostLickPins = 128

// variations answers with a page, or for the script its part. Without n the lick is the bar of moment m;
// else it is the moments n, of those that are shown with moment b.
func (s *Server) variations(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	at, chosen, typed := c.Query("m"), c.Query("n"), c.Query("b") != ""
	if typed {
		at = c.Query("b")
	}
	m := min(max(atoi(at), 0), len(w.Plan.Moments)-1)
	body := variationsBody{ID: t.ID.String(), Title: t.Title, Version: t.Version, Moment: m, Bar: w.Plan.Moments[m].Printed}
	if h, ok := lick.HeldBar(w.Plan, m); ok {
		body.Held, body.Strings = play.FromCapo(h.Fret, w.Plan.Request.Capo).String(), joinInts(h.Strings)
		for _, x := range h.Mixes {
			body.Mixes = append(body.Mixes, mixView{joinInts(x.Strings), strings.Join(x.Degrees, ", "), crossed(x.Busy),
				melodyText(&t.Settings, x.Rewrites, x.Pins), rowKey(len(body.Mixes))})
		}
	}
	body.lick(w.Plan, &t.Settings, chosen, typed)
	body.Free = view.NewFreeNeck(w.Plan, m)
	if err := s.phrases(c, &body, w, &t.Settings); err != nil {
		s.failFor(c, err)
		return
	}
	part := "layout"
	if c.GetHeader("X-Part") != "" {
		part = "variations"
	}
	s.render(c, http.StatusOK, "variations", part, "Variations of "+t.Title, body)
}

// phrases adds what of the shelf fits the page's bar, and answers to the bars before it.
func (s *Server) phrases(c *gin.Context, v *variationsBody, w *desk.Planned, st *setup.Settings) error {
	p := w.Plan
	bar := p.Moments[v.Moment].Bar
	found, err := s.proposed(c, p, bar)
	if err != nil {
		return err
	}
	for i := range found {
		pr := &found[i]
		name := pr.Phrase.Name
		if pr.Phrase.Kind == lick.Answer {
			name = "Answer, " + name
		}
		var notes []string
		for _, n := range pr.Notes {
			notes = append(notes, n.String())
		}
		tu := p.Request.Tune
		where := "bar " + tu.BarPrinted(pr.Bar-1).String()
		if len(pr.Rewrites) > 1 {
			where = fmt.Sprintf("bars %s and %s", tu.BarPrinted(pr.Bar-1), tu.BarPrinted(pr.Bar))
		}
		v.Phrases = append(v.Phrases, phraseView{name, string(pr.Phrase.Kind), where, strings.Join(notes, " "), priceOf(pr.Extra),
			melodyText(st, pr.Rewrites, nil), fmt.Sprintf("/tunes/%s/phrase.wav?bar=%d&name=%s", v.ID, bar, url.QueryEscape(pr.Phrase.Name))})
	}
	return nil
}

// proposed is lick.Proposed in its turn of the pool.
func (s *Server) proposed(c *gin.Context, p *plan.Plan, bar int) ([]lick.Proposal, error) {
	return desk.Do(c.Request.Context(), s.desk, "phrases", desk.Of(door.Owner(c), len(p.Moments)), func(ctx context.Context) ([]lick.Proposal, error) {
		return lick.Proposed(ctx, p, bar)
	})
}

// hearPhrase streams the bars of a phrase as they would be played with it.
func (s *Server) hearPhrase(c *gin.Context) {
	_, w, ok := s.planParam(c)
	if !ok {
		return
	}
	found, err := s.proposed(c, w.Plan, atoi(c.Query("bar")))
	if err != nil {
		s.failFor(c, err)
		return
	}
	for i := range found {
		if pr := &found[i]; pr.Phrase.Name == c.Query("name") {
			q := url.Values{"bars": {fmt.Sprintf("%d-%d", pr.Bar, pr.Bar+len(pr.Rewrites)-1)}}
			s.stream(c, w.Basis+"?phrase="+pr.Phrase.Name+"&"+q.Encode(), func() (*sound.Sound, error) { return soundOf(pr.Plan, q) })
			return
		}
	}
	s.fail(c, http.StatusNotFound, errors.New("this phrase no longer fits here: reload the page"))
}

// lick shows the notes that can be chosen, and where those that are fit as well.
func (v *variationsBody) lick(p *plan.Plan, st *setup.Settings, chosen string, typed bool) {
	own := lick.BarNotes(p, v.Moment)
	all := own
	if next := slices.IndexFunc(p.Moments, func(mo play.Moment) bool { return mo.Bar > p.Moments[v.Moment].Bar }); next >= 0 {
		all = append(slices.Clone(own), lick.BarNotes(p, next)...)
	}
	notes := own
	if typed {
		asked := strings.Split(chosen, ".")
		notes = slices.DeleteFunc(slices.Clone(all), func(i int) bool { return !slices.Contains(asked, strconv.Itoa(i)) })
	}
	for k, i := range all {
		mo := &p.Moments[i]
		n := lickNote{Moment: i, Name: mo.Melody.Note.String(),
			Degree: chord.IntervalName(mo.Chord.Interval(mo.Melody.Note.Pitch())), At: play.CountAloud(mo.Beat),
			Chosen: slices.Contains(notes, i), NewBar: k > 0 && mo.Bar != p.Moments[all[k-1]].Bar}
		var toggled []string
		for _, j := range all {
			if slices.Contains(notes, j) != (j == i) {
				toggled = append(toggled, strconv.Itoa(j))
			}
		}
		n.Toggle = fmt.Sprintf("/tunes/%s/variations?b=%d&n=%s", v.ID, v.Moment, strings.Join(toggled, "."))
		v.Notes = append(v.Notes, n)
	}
	l := lick.Of(p, notes)
	v.Degrees = strings.Join(l.Degrees, ", ")
	names := pitch.InKey(p.Request.Tune.Key.Tonic)
	for i := range l.Places {
		pl := &l.Places[i]
		v.Places = append(v.Places, lickView{strings.Join(pl.Chords, ", "), placeText(p.Request.Tune, pl),
			shapeText(pl, p.Request.Capo), becomes(pl, names), fmt.Sprintf("%d of %d chord tones", pl.Tones, len(pl.Degrees)),
			melodyText(st, pl.Rewrites, pl.Pins), rowKey(len(v.Mixes) + len(v.Places))})
	}
}

// shapeText lists strings and frets from the capo: "string 4 at 9, 3 at 7".
func shapeText(pl *lick.Place, capo int) string {
	var words []string
	for i := range pl.Pins {
		pin := &pl.Pins[i]
		at := "open"
		if f := play.FromCapo(pin.Fret, capo); f > 0 {
			at = "at " + f.String()
		}
		words = append(words, fmt.Sprintf("%d %s", pin.String, at))
	}
	return "string " + strings.Join(words, ", ")
}

// becomes lists what each note is there: "B3 third, D4 fifth".
func becomes(pl *lick.Place, names *pitch.Spelling) string {
	var words []string
	for i, d := range pl.Degrees {
		words = append(words, names.Spell(pl.Pitches[i]).String()+" "+d)
	}
	return strings.Join(words, ", ")
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

func placeText(tu *tune.Tune, pl *lick.Place) string {
	where := "the same shape in place"
	switch {
	case pl.Shift > 0:
		where = fmt.Sprintf("the same shape, %s up", counted("fret", pl.Shift))
	case pl.Shift < 0:
		where = fmt.Sprintf("the same shape, %s down", counted("fret", -pl.Shift))
	case pl.Over > 0:
		where = fmt.Sprintf("the same notes, %s thicker", counted("string", pl.Over))
	case pl.Over < 0:
		where = fmt.Sprintf("the same notes, %s thinner", counted("string", -pl.Over))
	}
	return fmt.Sprintf("%s, in bar %s", where, tu.BarPrinted(pl.Bar-1))
}

func counted(what string, n int) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
