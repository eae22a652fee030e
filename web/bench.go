package web

import (
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/neck"
	"stepping/core/pitch"
	"stepping/core/retune"
	"stepping/core/tuning"
	"stepping/web/view"
)

// benchForm is what the tuning bench is asked; its address holds all of it.
type benchForm struct {
	Guitar, From, To, Hz, Key, Scale, Slide string
	Step                                    int
	Field, Fault                            string
}

// benchBody is the tuning bench.
type benchBody struct {
	Form     benchForm
	Library  []tuning.Named
	Scales   []string
	Guitars  []guitarChoice
	GuitarID string
	Version  int
	Strings  []stringFigures
	Now      *turnView // the step at hand, nil when all is done or nothing is to do
	Done     bool
	Order    []turnView
	Pull     string
	Warnings []string
	Safer    []saferView
	Gives    *givesView
	Slides   []slideChoice
	Clear    *clearView
	Next     string
	Back     string
	Listen   string // where to send what is heard at this step
	Keep     bool
}

// stringFigures is one string before and after.
type stringFigures struct {
	Number                             int
	From, To, Move, Hz, Tension, Share string
	Close                              bool
	Feel, Sharp, Gauge                 string
	Lower, Raise                       string // links to the tuning with this string a half step away
}

// slideChoice is one of the owner's slides; grams is 0 if it was not measured.
type slideChoice struct {
	ID, Name string
	Grams    float64
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
	Before           *neckMap // the same degrees in the tuning now, if it is another
	Moved            []string // what became of each string's notes
}

// neckMap is the degrees of a scale on the neck, true to scale.
type neckMap struct {
	Title         string
	Width, Height float64
	Left          float64 // of the nut
	Frets         []view.FretLine
	Lines         []mapString
	Spots         []spotView
}

type mapString struct {
	Y1, Y2 float64 // at the nut and at the right edge
	Label  string
	Moved  bool
}

type spotView struct {
	X, Y, R       float64
	Text, Title   string
	Home, Between bool
	Moved         bool // lay elsewhere in the tuning before
}

// clearView is how high the strings stay over each fret under a slide.
type clearView struct {
	Slide   string
	Frets   []int
	Strings []clearString
	Touches bool
}

type clearString struct {
	Number int
	Cells  []clearCell
}

type clearCell struct {
	Text  string
	Touch bool
}

func (f benchForm) link() string {
	return pageLink("/bench", f.Step, [][2]string{{"guitar", f.Guitar}, {"from", f.From}, {"to", f.To}, {"hz", f.Hz},
		{"key", f.Key}, {"scale", f.Scale}, {"slide", f.Slide}})
}

// pageLink is the address of a page whose state is all in it: what is filled in, and the step at hand.
func pageLink(path string, step int, fields [][2]string) string {
	q := url.Values{}
	for _, kv := range fields {
		if kv[1] != "" {
			q.Set(kv[0], kv[1])
		}
	}
	if step > 0 {
		q.Set("i", strconv.Itoa(step))
	}
	return path + "?" + q.Encode()
}

func (f benchForm) at(i int) string { f.Step = i; return f.link() }

// bench shows the way from what a guitar is tuned to now to another tuning.
func (s *Server) bench(c *gin.Context) {
	f := benchForm{Guitar: c.Query("guitar"), From: c.Query("from"), To: c.Query("to"), Hz: c.Query("hz"), Key: c.Query("key"),
		Scale: c.DefaultQuery("scale", "major"), Slide: c.Query("slide"), Step: max(atoi(c.Query("i")), 0)}
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
	body.Guitars = guitarChoices(guitars)
	chosen := chosenGuitar(guitars, f.Guitar)
	f.Guitar, body.GuitarID, body.Version = chosen.ID.String(), chosen.ID.String(), chosen.Version
	if f.From == "" {
		f.From = chosen.Doc.Tuning
	}
	if f.To == "" {
		f.To = "Open D"
		if t, err := tuning.ParseAny(f.From); err == nil && t.Len() != tuning.Strings {
			f.To = f.From
		}
	}
	if err := s.fillSlides(c, &body, &f); err != nil {
		s.failFor(c, err)
		return
	}
	body.fill(&f, chosen.Doc.Guitar)
	if f.Fault != "" && status == http.StatusOK {
		status = http.StatusUnprocessableEntity
	}
	body.Form = f
	s.render(c, status, "bench", "layout", "Tuning bench", body)
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
			bad("hz", fmt.Errorf("%q is not a number: give the pitch of A4 in Hz, %g to %g", f.Hz, retune.MinHz, retune.MaxHz))
			return
		}
	}
	if err := g.Complete(to.Len()); err != nil {
		field := "guitar"
		if strings.HasPrefix(err.Error(), "referenceHz") {
			field = "hz"
		}
		bad(field, err)
		return
	}
	b.gives(f, g.Neck(), from, to)
	p, err := retune.New(g, from, to)
	if err != nil {
		bad("to", err)
		return
	}
	b.retuning(f, p)
	for _, sl := range b.Slides {
		if sl.ID == f.Slide && sl.Grams > 0 {
			b.Clear = newClearView(p, &sl)
		}
	}
}

// fillSlides lists the owner's slides and chooses the first that was measured if none is asked for.
func (s *Server) fillSlides(c *gin.Context, b *benchBody, f *benchForm) error {
	profiles, err := s.somePlayers(c)
	if err != nil {
		return err
	}
	shelf, err := s.ownSlides(c, &profiles[0].Profile)
	if err != nil {
		return err
	}
	for i := range shelf {
		p := profiles[0].Profile
		p.Slide = shelf[i].Doc.Slide
		v := slideChoice{ID: shelf[i].ID.String(), Name: shelf[i].Doc.Name}
		v.Grams, _ = p.Tube().Grams()
		if f.Slide == "" && v.Grams > 0 {
			f.Slide = v.ID
		}
		b.Slides = append(b.Slides, v)
	}
	return nil
}

func newClearView(p *retune.Plan, sl *slideChoice) *clearView {
	v := &clearView{Slide: fmt.Sprintf("%s, %.0f g", sl.Name, sl.Grams)}
	for n := 1; n <= p.Guitar.Frets; n++ {
		v.Frets = append(v.Frets, n)
	}
	for str := len(p.Changes); str >= 1; str-- {
		row := clearString{Number: str}
		for _, n := range v.Frets {
			mm := p.Clearance(sl.Grams, str, n)
			cell := clearCell{fmt.Sprintf("%.1f", math.Max(mm, 0)), mm <= 0}
			v.Touches = v.Touches || cell.Touch
			row.Cells = append(row.Cells, cell)
		}
		v.Strings = append(v.Strings, row)
	}
	return v
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
	b.Listen = strings.Replace(f.link(), "/bench?", "/bench/hear?", 1)
	for i := len(p.Changes) - 1; i >= 0; i-- {
		c := &p.Changes[i]
		b.Strings = append(b.Strings, stringFigures{Number: c.String, From: c.From.String(), To: c.To.String(),
			Move: moveWords(c.HalfSteps), Hz: fmt.Sprintf("%.1f", c.Hz),
			Tension: fmt.Sprintf("%.0f", c.Tension), Share: fmt.Sprintf("%.0f%%", 100*c.Share), Close: len(c.Warnings) > 0,
			Feel:  fmt.Sprintf("%.2f", c.Feel),
			Lower: f.to(p.To.Retuned(c.String, -1)), Raise: f.to(p.To.Retuned(c.String, 1)), Sharp: sharpening(&p.Guitar, c),
			Gauge: gaugeAdvice(&p.Guitar, c)})
	}
	b.Pull = fmt.Sprintf("%.0f N now, %.0f N afterwards (%+.0f%%)", p.Before, p.After, 100*(p.After-p.Before)/p.Before)
	b.Warnings = p.Warnings
	for _, s := range p.Safer {
		b.Safer = append(b.Safer, saferView{s.Tuning.String(), fmt.Sprint(s.Capo),
			fmt.Sprintf("capo at %d, %d half steps turned, tightest string at %.0f%%", s.Capo, s.HalfSteps, 100*s.Highest), f.to(s.Tuning)})
	}
}

// to leads to another wanted tuning.
func (f benchForm) to(t tuning.Tuning) string {
	f.To, f.Step = t.String(), 0
	return f.link()
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
	v := turnView{Number: c.String, Move: moveWords(c.HalfSteps), To: c.To.String(), Hz: fmt.Sprintf("%.1f Hz", c.Hz),
		Warnings: c.Warnings, Second: second,
		Tone: fmt.Sprintf("/tone.wav?hz=%.2f&string=%d", c.Hz, c.String)}
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

// gives fills in what the tuning t gives, next to the one before.
func (b *benchBody) gives(f *benchForm, k neck.Neck, before, t tuning.Tuning) {
	key := tuning.Home(t)
	if n, used := pitch.ParseClass(f.Key); used > 0 && used == len(f.Key) {
		key = n
	} else if f.Key != "" {
		f.Field, f.Fault = "key", fmt.Sprintf("%q is not a note: write A to G, with # or b if needed", f.Key)
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
	moved := map[int]bool{}
	if before.Len() == t.Len() && before != t {
		for str := t.Len(); str >= 1; str-- {
			if n := int((t.Open(str) - before.Open(str)) / pitch.HalfStep); n != 0 {
				moved[str] = true
				v.Moved = append(v.Moved, fmt.Sprintf("string %d: every note lies %s", str, fretsAway(-n)))
			}
		}
		was := newNeckMap(before, key, scale, k, moved)
		was.Title = "Now, " + before.Classes()
		v.Before = &was
	}
	v.Neck = newNeckMap(t, key, scale, k, moved)
	v.Neck.Title = "Wanted, " + t.Classes()
	b.Gives = v
}

func fretsAway(n int) string {
	frets, way := "frets", "higher"
	if n < 0 {
		n, way = -n, "lower"
	}
	if n == 1 {
		frets = "fret"
	}
	return fmt.Sprintf("%d %s %s", n, frets, way)
}

// mapScale is pixels for each mm of the neck map, mapFrets how far it goes.
const (
	mapScale = 3.4
	mapFrets = 12
	mapLeft  = 56.0
	mapTop   = 22.0
)

// degreeNumber writes a degree short enough for a circle: "b7" for bVII.
func degreeNumber(degree string) string {
	degree = strings.TrimPrefix(degree, "blue ")
	roman := strings.TrimLeft(degree, "b")
	number := slices.Index([]string{"I", "II", "III", "IV", "V", "VI", "VII"}, roman) + 1
	return degree[:len(degree)-len(roman)] + strconv.Itoa(number)
}

// newNeckMap draws the degrees of a scale true to scale, strings in moved marked as such.
func newNeckMap(t tuning.Tuning, key pitch.Note, sc tuning.Scale, k neck.Neck, moved map[int]bool) neckMap {
	end := k.FretAt(k.X(mapFrets) + 30/mapScale)
	x := func(fret float64) float64 { return mapLeft + k.X(fret)*mapScale }
	middle := mapTop + k.Spacing(end)*mapScale*float64(t.Len()-1)/2 // of the neck
	y := func(s int, fret float64) float64 {
		return middle + (float64(s-1)-float64(t.Len()-1)/2)*k.Spacing(fret)*mapScale
	}
	v := neckMap{Width: x(end), Height: y(t.Len(), end) + 40, Left: mapLeft}
	for n := 0; n <= mapFrets; n++ {
		v.Frets = append(v.Frets, view.FretLine{X: x(float64(n)), Y1: y(1, float64(n)) - 12, Y2: y(t.Len(), float64(n)) + 12,
			Number: view.FretNumber(n), Nut: n == 0})
	}
	for s := 1; s <= t.Len(); s++ {
		v.Lines = append(v.Lines, mapString{y(s, 0), y(s, end), fmt.Sprintf("%d %s", s, t.Note(s).ClassName()), moved[s]})
	}
	for _, s := range tuning.Spots(t, key, sc, mapFrets) {
		between := s.Fret != math.Trunc(s.Fret)
		title := fmt.Sprintf("string %d at %g: %s, in tune within %.1f mm", s.String, s.Fret, s.Note, k.Window(s.Fret))
		if between {
			title += fmt.Sprintf(", %.1f mm past fret %.0f", k.X(s.Fret)-k.X(math.Floor(s.Fret)), math.Floor(s.Fret))
		}
		v.Spots = append(v.Spots, spotView{X: x(s.Fret), Y: y(s.String, s.Fret), R: 12, Text: degreeNumber(s.Degree), Title: title,
			Home: s.Degree == "I", Between: between, Moved: moved[s.String]})
	}
	return v
}
