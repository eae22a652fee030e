package web

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/neck"
	"stepping/core/pitch"
	"stepping/core/retune"
	"stepping/core/sound"
	"stepping/core/tuning"
	"stepping/store"
)

// benchForm is what the tuning bench is asked; its address holds all of it.
type benchForm struct {
	Guitar, From, To, Hz, Key, Scale string
	Step                             int
	Field, Fault                     string
}

// benchBody is the tuning bench.
type benchBody struct {
	Form     benchForm
	Library  []tuning.Named
	Scales   []string
	Guitars  []guitarChoice
	GuitarID string
	Version  int
	Strings  []stringLine2
	Now      *turnView // the step at hand, nil when all is done or nothing is to do
	Done     bool
	Order    []turnView
	Pull     string
	Warnings []string
	Safer    []saferView
	Gives    *givesView
	Next     string
	Back     string
	Keep     bool
}

type guitarChoice struct{ ID, Name, Tuning string }

// stringLine2 is one string before and after.
type stringLine2 struct {
	Number                             int
	From, To, Move, Hz, Tension, Share string
	Close                              bool
	Feel, Clear, Sharp, Gauge          string
	Lower, Raise                       string // links to the tuning with this string a half step away
}

// turnView is one turn of a peg.
type turnView struct {
	Number                  int
	Move, To, Hz, Turns, Up string
	Warnings                []string
	Tone                    string
	Here, Over              bool
	Second                  bool
}

type saferView struct{ Tuning, Capo, Text, Link string }

// givesView is what a tuning gives.
type givesView struct {
	Near, Chord, Key string
	Bars             []tuning.Bar
	Partials         []string
	Neck             neckMap
	Moved            []string
}

// neckMap is the degrees of a scale on the neck, true to scale.
type neckMap struct {
	Width, Height float64
	Frets         []fretLine
	Lines         []float64
	Spots         []spotView
}

type spotView struct {
	X, Y, R       float64
	Text, Title   string
	Home, Between bool
}

func (f benchForm) link() string {
	q := url.Values{}
	for _, kv := range [][2]string{{"guitar", f.Guitar}, {"from", f.From}, {"to", f.To}, {"hz", f.Hz}, {"key", f.Key}, {"scale", f.Scale}} {
		if kv[1] != "" {
			q.Set(kv[0], kv[1])
		}
	}
	if f.Step > 0 {
		q.Set("i", strconv.Itoa(f.Step))
	}
	return "/bench?" + q.Encode()
}

func (f benchForm) at(i int) string { f.Step = i; return f.link() }

// bench shows the way from what a guitar is tuned to now to another tuning.
func (s *Server) bench(c *gin.Context) {
	f := benchForm{Guitar: c.Query("guitar"), From: c.Query("from"), To: c.DefaultQuery("to", "Open D"), Hz: c.Query("hz"), Key: c.Query("key"), Scale: c.DefaultQuery("scale", "major"), Step: max(atoi(c.Query("i")), 0)}
	s.showBench(c, http.StatusOK, f)
}

func (s *Server) showBench(c *gin.Context, status int, f benchForm) {
	guitars, err := s.guitars(c)
	if err != nil {
		s.failFor(c, err)
		return
	}
	body := benchBody{Library: tuning.Library}
	for _, sc := range tuning.Scales {
		body.Scales = append(body.Scales, sc.Name)
	}
	chosen := &guitars[0]
	for i := range guitars {
		g := &guitars[i]
		body.Guitars = append(body.Guitars, guitarChoice{g.ID.String(), g.Doc.Name, g.Doc.Tuning})
		if g.ID.String() == f.Guitar {
			chosen = g
		}
	}
	f.Guitar, body.GuitarID, body.Version = chosen.ID.String(), chosen.ID.String(), chosen.Version
	if f.From == "" {
		f.From = chosen.Doc.Tuning
	}
	body.fill(&f, chosen.Doc.Guitar)
	if f.Fault != "" && status == http.StatusOK {
		status = http.StatusUnprocessableEntity
	}
	body.Form = f
	s.render(c, status, "bench", "layout", "Tuning bench", body)
}

// guitars returns the owner's guitars; there is always one.
func (s *Server) guitars(c *gin.Context) ([]store.Kept[store.Guitar], error) {
	all, err := s.store.Guitars().All(c, s.owner)
	if err != nil || len(all) > 0 {
		return all, err
	}
	first := store.Guitar{Tuning: "Standard"}
	first.Name, first.Set = "My guitar", "light"
	if _, err := s.store.Guitars().Add(c, s.owner, &first); err != nil {
		return nil, err
	}
	return s.store.Guitars().All(c, s.owner)
}

// fill works out everything that the page shows; a fault is put at its field.
func (b *benchBody) fill(f *benchForm, g retune.Guitar) {
	bad := func(field string, err error) { f.Field, f.Fault = field, err.Error() }
	from, err := tuning.ParseAny(f.From)
	if err != nil {
		bad("from", err)
		return
	}
	to, err := tuning.ParseAny(f.To)
	if err != nil {
		bad("to", err)
		return
	}
	if f.Hz != "" {
		if g.ReferenceHz, err = strconv.ParseFloat(f.Hz, 64); err != nil {
			bad("hz", fmt.Errorf("%q is no number: give the pitch of A4 in Hz, %g to %g", f.Hz, retune.MinHz, retune.MaxHz))
			return
		}
	}
	if err := g.Complete(to.Len()); err != nil {
		bad("hz", err)
		return
	}
	b.gives(f, to)
	p, err := retune.New(g, from, to)
	if err != nil {
		bad("to", err)
		return
	}
	b.retuning(f, p)
}

// retuning lays out the steps: each string once, then all of them a second time.
func (b *benchBody) retuning(f *benchForm, p *retune.Plan) {
	var turns []turnView
	for _, s := range p.Order {
		turns = append(turns, newTurn(&p.Changes[s-1], false))
	}
	for _, s := range p.Second {
		turns = append(turns, newTurn(&p.Changes[s-1], true))
	}
	f.Step = min(f.Step, len(turns))
	for i := range turns {
		turns[i].Here, turns[i].Over = i == f.Step, i < f.Step
	}
	b.Order, b.Done = turns[:len(p.Order)], f.Step == len(turns)
	if f.Step < len(turns) {
		b.Now, b.Next = &turns[f.Step], f.at(f.Step+1)
	}
	if f.Step > 0 {
		b.Back = f.at(f.Step - 1)
	}
	for i := len(p.Changes) - 1; i >= 0; i-- {
		c := &p.Changes[i]
		b.Strings = append(b.Strings, stringLine2{Number: c.String, From: c.From.String(), To: c.To.String(), Move: moveWords(c.HalfSteps), Hz: fmt.Sprintf("%.1f", c.Hz),
			Tension: fmt.Sprintf("%.0f", c.Tension), Share: fmt.Sprintf("%.0f%%", 100*c.Share), Close: len(c.Warnings) > 0, Feel: fmt.Sprintf("%.2f", c.Feel),
			Lower: f.to(p.To.Retuned(c.String, -1)), Raise: f.to(p.To.Retuned(c.String, 1)), Clear: clearance(&p.Guitar, c), Sharp: sharpening(&p.Guitar, c), Gauge: gaugeAdvice(&p.Guitar, c)})
	}
	b.Pull = fmt.Sprintf("%.0f N now, %.0f N afterwards (%+.0f%%)", p.Before, p.After, 100*(p.After-p.Before)/p.Before)
	b.Warnings = p.Warnings
	for _, s := range p.Safer {
		b.Safer = append(b.Safer, saferView{s.Tuning.String(), fmt.Sprint(s.Capo), fmt.Sprintf("capo at %d, %d half steps turned, tightest string at %.0f%%", s.Capo, s.HalfSteps, 100*s.Highest), f.to(s.Tuning)})
	}
}

// to leads to another wanted tuning.
func (f benchForm) to(t tuning.Tuning) string {
	f.To, f.Step = t.String(), 0
	return f.link()
}

// clearance is what is left under a string over frets 5 and 12 with a slide lying on it, in mm.
func clearance(g *retune.Guitar, c *retune.Change) string {
	k := neck.Neck{Scale: g.ScaleMM}
	left := func(fret float64) float64 {
		x := k.X(fret)
		return neck.Height(g.ActionMM, x, g.ScaleMM) - neck.Sag(slideForce, x, g.ScaleMM, c.Tension)
	}
	return fmt.Sprintf("%.1f · %.1f", left(5), left(12))
}

// sharpening is by how many cents a note pressed down to fret 12 is sharp.
func sharpening(g *retune.Guitar, c *retune.Change) string {
	x := neck.Neck{Scale: g.ScaleMM}.X(12)
	return fmt.Sprintf("%+.0f", g.Strings[c.String-1].Sharpening(neck.Height(g.ActionMM, x, g.ScaleMM), x, g.ScaleMM, c.Tension))
}

// gaugeAdvice is the gauge that would pull in the new tuning as the string does now.
func gaugeAdvice(g *retune.Guitar, c *retune.Change) string {
	if c.HalfSteps == 0 {
		return ""
	}
	s := g.GaugeFor(c.To, c.Before)
	if s.Wound {
		return fmt.Sprintf("%.3f wound", s.GaugeIn)
	}
	return fmt.Sprintf("%.3f", s.GaugeIn)
}

// slideForce is the weight in N with which a slide of 70 g, held lightly, lies on one string.
const slideForce = 0.12

func moveWords(n int) string {
	switch {
	case n == 0:
		return "stays"
	case n > 0:
		return fmt.Sprintf("up %d", n)
	}
	return fmt.Sprintf("down %d", -n)
}

func newTurn(c *retune.Change, second bool) turnView {
	v := turnView{Number: c.String, Move: moveWords(c.HalfSteps), To: c.To.String(), Hz: fmt.Sprintf("%.1f Hz", c.Hz), Warnings: c.Warnings, Second: second,
		Tone: fmt.Sprintf("/tone.wav?hz=%.2f", c.Hz)}
	if second {
		v.Move, v.Warnings = "check", nil
		return v
	}
	switch t := math.Abs(c.Turns); {
	case c.Turns < 0:
		v.Turns = fmt.Sprintf("about %.1f turns slacker, then up from below", t)
	default:
		v.Turns = fmt.Sprintf("about %.1f turns tighter", t)
	}
	return v
}

// gives fills in what the tuning gives.
func (b *benchBody) gives(f *benchForm, t tuning.Tuning) {
	key := tuning.Home(t)
	if n, used := pitch.ParseClass(f.Key); used > 0 && used == len(f.Key) {
		key = n
	} else if f.Key != "" {
		f.Field, f.Fault = "key", fmt.Sprintf("%q is no note: write A to G, with # or b if needed", f.Key)
		return
	}
	v := &givesView{Near: tuning.Known(t), Chord: tuning.OpenChord(t), Key: key.ClassName(), Bars: tuning.Bars(t, key, 12)}
	seen := map[string]bool{}
	for _, p := range tuning.Partials(t, key) {
		if !seen[p.Chord] {
			seen[p.Chord] = true
			v.Partials = append(v.Partials, fmt.Sprintf("strings %d to %d: %s", p.From, p.To, p.Chord))
		}
	}
	scale := tuning.Scales[0]
	for _, sc := range tuning.Scales {
		if sc.Name == f.Scale {
			scale = sc
		}
	}
	v.Neck = newNeckMap(t, key, scale)
	b.Gives = v
}

// mapScale is pixels for each mm of the neck map, mapFrets how far it goes.
const (
	mapScale = 3.4
	mapFrets = 12
)

func newNeckMap(t tuning.Tuning, key pitch.Note, sc tuning.Scale) neckMap {
	k := neck.Neck{Scale: 648, Nut: 36, Bridge: 54, Frets: 20}
	x := func(fret float64) float64 { return 34 + k.X(fret)*mapScale }
	y := func(s int) float64 { return 24 + float64(s-1)*34 }
	v := neckMap{Width: x(mapFrets) + 30, Height: y(6) + 44}
	for n := 0; n <= mapFrets; n++ {
		v.Frets = append(v.Frets, fretLine{X: x(float64(n)), Y1: y(1) - 12, Y2: y(6) + 12, Number: fretNumber(n), Nut: n == 0})
	}
	for s := 1; s <= tuning.Strings; s++ {
		v.Lines = append(v.Lines, y(s))
	}
	for _, s := range tuning.Spots(t, key, sc, mapFrets) {
		between := s.Fret != math.Trunc(s.Fret)
		title := fmt.Sprintf("string %d at %g: %s, in tune within %.1f mm", s.String, s.Fret, s.Note, k.Window(s.Fret))
		if between {
			title += fmt.Sprintf(", %.1f mm past fret %.0f", k.X(s.Fret)-k.X(math.Floor(s.Fret)), math.Floor(s.Fret))
		}
		v.Spots = append(v.Spots, spotView{X: x(s.Fret), Y: y(s.String), R: 16, Text: strings.TrimPrefix(s.Degree, "blue "), Title: title, Home: s.Degree == "I", Between: between})
	}
	return v
}

// keepTuning remembers what a guitar is tuned to now.
func (s *Server) keepTuning(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	g, err := s.store.Guitars().Get(c, s.owner, id)
	if err != nil {
		s.failFor(c, err)
		return
	}
	if _, err := tuning.ParseAny(c.PostForm("tuning")); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	g.Doc.Tuning = c.PostForm("tuning")
	s.finishGuitar(c, &g, "/bench?guitar="+id.String())
}

func (s *Server) finishGuitar(c *gin.Context, g *store.Kept[store.Guitar], to string) {
	switch err := s.store.Guitars().Save(c, s.owner, g.ID, atoi(c.PostForm("version")), &g.Doc); {
	case errors.Is(err, store.ErrStale):
		s.fail(c, http.StatusConflict, errors.New("this guitar was changed in another tab in the meantime: go back, load the page again and repeat the change"))
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, to)
	}
}

// guitarBody is one guitar's form.
type guitarBody struct {
	ID      string
	Version int
	Doc     store.Guitar
	Fields  []guitarField
	Sets    []string
	Fault   string
}

type guitarField struct{ Name, Label, Value string }

func (b *guitarBody) fields(value func(name string, stored float64) string) {
	g := &b.Doc.Guitar
	for _, f := range []struct {
		name, label string
		stored      float64
	}{{"scaleMm", "Scale length, nut to saddle, mm", g.ScaleMM}, {"actionMm", "Strings over fret 12, mm", g.ActionMM}, {"frets", "Frets", float64(g.Frets)},
		{"referenceHz", "Pitch of A4, Hz", g.ReferenceHz}, {"postMm", "Diameter of the tuners' posts, mm", g.PostMM}, {"gear", "Turns of a knob for one of its post", g.Gear}} {
		b.Fields = append(b.Fields, guitarField{f.name, f.label, value(f.name, f.stored)})
	}
	for _, s := range neck.Sets {
		b.Sets = append(b.Sets, s.Name)
	}
}

func (s *Server) guitarParam(c *gin.Context) (*store.Kept[store.Guitar], bool) {
	id, ok := s.idParam(c)
	if !ok {
		return nil, false
	}
	g, err := s.store.Guitars().Get(c, s.owner, id)
	if err != nil {
		s.failFor(c, err)
		return nil, false
	}
	return &g, true
}

func (s *Server) guitar(c *gin.Context) {
	g, ok := s.guitarParam(c)
	if !ok {
		return
	}
	whole := g.Doc
	_ = whole.Complete(tuning.Strings) // what is kept was checked; this fills in defaults
	body := guitarBody{ID: g.ID.String(), Version: g.Version, Doc: whole}
	body.fields(func(_ string, stored float64) string { return strconv.FormatFloat(stored, 'f', -1, 64) })
	s.render(c, http.StatusOK, "guitar", "layout", g.Doc.Name, body)
}

// saveGuitar keeps a guitar's measures; what was typed stays when something is wrong.
func (s *Server) saveGuitar(c *gin.Context) {
	g, ok := s.guitarParam(c)
	if !ok {
		return
	}
	doc := store.Guitar{Tuning: g.Doc.Tuning}
	doc.Name, doc.Set = strings.TrimSpace(c.PostForm("name")), c.PostForm("set")
	var fault error
	number := func(name string) float64 {
		v, err := strconv.ParseFloat(strings.TrimSpace(c.PostForm(name)), 64)
		if err != nil && fault == nil {
			fault = fmt.Errorf("%s: %q is no number", name, c.PostForm(name))
		}
		return v
	}
	doc.ScaleMM, doc.ActionMM, doc.Frets, doc.ReferenceHz, doc.PostMM, doc.Gear = number("scaleMm"), number("actionMm"), int(number("frets")), number("referenceHz"), number("postMm"), number("gear")
	check := doc.Guitar
	if fault == nil {
		fault = check.Complete(tuning.Strings)
	}
	if fault == nil && (doc.Name == "" || len(doc.Name) > 80) {
		fault = errors.New("name: a guitar has a name of up to 80 letters")
	}
	if fault != nil {
		body := guitarBody{ID: g.ID.String(), Version: g.Version, Doc: doc, Fault: fault.Error()}
		body.fields(func(name string, _ float64) string { return c.PostForm(name) })
		s.render(c, http.StatusUnprocessableEntity, "guitar", "layout", g.Doc.Name, body)
		return
	}
	g.Doc = doc
	s.finishGuitar(c, g, "/bench?guitar="+g.ID.String())
}

func (s *Server) addGuitar(c *gin.Context) {
	doc := store.Guitar{Tuning: "Standard"}
	doc.Name, doc.Set = "Another guitar", "light"
	id, err := s.store.Guitars().Add(c, s.owner, &doc)
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/guitars/"+id.String())
}

func (s *Server) deleteGuitar(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	if err := s.store.Guitars().Delete(c, s.owner, id); err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/bench")
}

// tone answers with a plucked string at a pitch.
func (s *Server) tone(c *gin.Context) {
	hz, err := strconv.ParseFloat(c.Query("hz"), 64)
	if err != nil || !(hz >= 20 && hz <= 2000) {
		s.fail(c, http.StatusBadRequest, errors.New("a tone has 20 to 2,000 Hz"))
		return
	}
	var buf bytes.Buffer
	if err := sound.WriteWAV(&buf, sound.Pluck(hz, 3)); err != nil {
		s.failFor(c, err)
		return
	}
	c.Data(http.StatusOK, "audio/wav", buf.Bytes())
}
