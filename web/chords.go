package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/backing"
	"stepping/core/chord"
	"stepping/core/grip"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/setup"
	"stepping/core/sound"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// chordsForm is the progression as typed; the page's address holds all of it, so that every view is
// a link.
type chordsForm struct {
	Chords, Tuning, Capo, Tempo, Player, Pattern string
	At                                           int
	Pins                                         string // "2:x.3.2.0.1.0," by span from 0, frets from string 6
	Early                                        string // spans whose last stroke is open: "0,2,"
	Field, Fault                                 string
}

// chordsBody is the chords page.
type chordsBody struct {
	Form      chordsForm
	Kept      []keptPage
	Query     string // of this page's address
	Library   []tuning.Named
	Players   []profileChoice
	Patterns  []patternChoice
	Spans     []spanCard
	Grip      *view.Grip
	Next      *view.Grip
	NextText  string
	Stays     string
	Others    []otherGrip
	Grid      view.StepGrid
	Pattern   string
	Ceiling   string
	Why       string
	Lost      []string
	EarlyText string
	EarlyLink string
	EarlyOn   bool
	LetGo     string // link without this span's pin
	Hear      string // address of this grip, struck
	Over      string // address of the progression, over and over
	Back, On  string // links to the spans next to
}

type spanCard struct {
	Bar              int
	Chord, Text, BPM string
	Picture          view.SmallNeck
	Here, Pinned     bool
	Tight            int
	Link             string
}

type otherGrip struct {
	Key               int
	Text, Name, Extra string
	Picture           view.SmallNeck
	Link              string
}

type patternChoice struct{ Value, Name, Meter string }

// defaultChords is what an empty page shows.
const defaultChords = "C | G7 | Am F | C"

func (f *chordsForm) link() string {
	return pageLink("/chords", f.At, [][2]string{{"c", f.Chords}, {"tuning", f.Tuning}, {"capo", f.Capo}, {"tempo", f.Tempo},
		{"player", f.Player}, {"pattern", f.Pattern},
		{"pins", f.Pins}, {"early", f.Early}})
}

func (f chordsForm) at(i int) string { f.At = i; return f.link() }

// pinned returns the form with span i held to frets ("" lets go).
func (f chordsForm) pinned(i int, frets string) string {
	var kept []string
	for _, p := range strings.Split(f.Pins, ",") {
		if p != "" && !strings.HasPrefix(p, fmt.Sprintf("%d:", i)) {
			kept = append(kept, p)
		}
	}
	if frets != "" {
		kept = append(kept, fmt.Sprintf("%d:%s", i, strings.ReplaceAll(frets, " ", ".")))
	}
	f.Pins = strings.Join(kept, ",")
	return f.link()
}

func (f *chordsForm) pins(capo int) (out []backing.Pin, err error) {
	for _, p := range strings.Split(f.Pins, ",") {
		if p == "" {
			continue
		}
		n, frets, _ := strings.Cut(p, ":")
		span, err := strconv.Atoi(n)
		words := strings.Split(frets, ".")
		if err != nil || len(words) != tuning.Strings {
			return nil, fmt.Errorf("the pin %q is not understood: load the page without it", p)
		}
		pin := backing.Pin{Span: span}
		for i, w := range words {
			fret := grip.Out
			if w != "x" {
				if fret, err = strconv.Atoi(w); err != nil || fret < 0 || fret > 30 {
					return nil, fmt.Errorf("the pin %q is not understood: load the page without it", p)
				}
				fret += capo
			}
			pin.Frets[tuning.Strings-i] = fret
		}
		out = append(out, pin)
	}
	return out, nil
}

func spansOf(text string) (out []int) {
	for _, w := range strings.Split(text, ",") {
		if n, err := strconv.Atoi(w); err == nil {
			out = append(out, n)
		}
	}
	return out
}

// toggled returns the form with span i's early letting go turned over.
func (f chordsForm) toggled(i int) string {
	spans := spansOf(f.Early)
	if k := slices.Index(spans, i); k >= 0 {
		spans = slices.Delete(spans, k, k+1)
	} else {
		spans = append(spans, i)
	}
	var words []string
	for _, n := range spans {
		words = append(words, strconv.Itoa(n))
	}
	f.Early = strings.Join(words, ",")
	return f.link()
}

// backingRequest reads the form; a fault is put at its field.
func (s *Server) backingRequest(c *gin.Context, f *chordsForm, profiles []store.Profile) (r backing.Request, ok bool) {
	bad := func(field, text string) (backing.Request, bool) {
		f.Field, f.Fault = field, text
		return r, false
	}
	var err error
	if r.Tuning, err = tuning.Parse(f.Tuning); err != nil {
		return bad("tuning", err.Error())
	}
	if f.Capo != "" {
		if r.Capo, err = strconv.Atoi(f.Capo); err != nil || tuning.CheckCapo(r.Capo) != nil {
			return bad("capo", fmt.Sprintf("%q: %s", f.Capo, setup.CapoRule))
		}
	}
	r.Tempo = 90
	if f.Tempo != "" {
		if r.Tempo, err = strconv.ParseFloat(f.Tempo, 64); err != nil || !(r.Tempo >= tune.MinTempo && r.Tempo <= tune.MaxTempo) {
			return bad("tempo", fmt.Sprintf("%q: %s", f.Tempo, tune.TempoRule))
		}
	}
	r.Player = player.Default()
	for i := range profiles {
		if profiles[i].ID.String() == f.Player || f.Player == "" && i == 0 {
			r.Player, f.Player = profiles[i].Profile, profiles[i].ID.String()
		}
	}
	p, found := s.findPattern(c, f.Pattern)
	if !found {
		return bad("pattern", "this pattern has been deleted: choose another")
	}
	m, _ := p.Signature()
	r.Sections = []pattern.Section{{Bar: 1, Pattern: p}}
	r.Tune, err = tune.Progression(f.Chords, m, r.Tempo)
	var fault *tune.ProgressionError
	if errors.As(err, &fault) {
		return bad("c", fmt.Sprintf("Bar %d, column %d: %v", fault.Bar, fault.Column, fault.Err))
	}
	if r.Pins, err = f.pins(r.Capo); err != nil {
		return bad("c", err.Error())
	}
	r.Early = spansOf(f.Early)
	return r, true
}

// findPattern finds a pattern by its name in the library or by its key among the player's own.
func (s *Server) findPattern(c *gin.Context, value string) (*pattern.Pattern, bool) {
	if p, ok := pattern.Named(value); ok {
		return p, true
	}
	own, err := s.store.Patterns().All(c.Request.Context(), door.Owner(c))
	if err != nil {
		return nil, false
	}
	for i := range own {
		if own[i].ID.String() == value {
			return &own[i].Doc, true
		}
	}
	return nil, false
}

func (s *Server) patternChoices(c *gin.Context) (out []patternChoice, err error) {
	own, err := s.store.Patterns().All(c.Request.Context(), door.Owner(c))
	if err != nil {
		return nil, err
	}
	for i := range own {
		out = append(out, patternChoice{own[i].ID.String(), own[i].Doc.Name, own[i].Doc.Meter})
	}
	for i := range pattern.Library {
		p := &pattern.Library[i]
		out = append(out, patternChoice{p.Name, p.Name, p.Meter})
	}
	return out, nil
}

func chordsFormOf(c *gin.Context) chordsForm {
	return chordsForm{Chords: c.DefaultQuery("c", defaultChords), Tuning: c.DefaultQuery("tuning", "Standard"),
		Capo: c.Query("capo"), Tempo: c.Query("tempo"),
		Player: c.Query("player"), Pattern: c.DefaultQuery("pattern", "Thumb and two, in turn"), At: atoi(c.Query("i")),
		Pins: c.Query("pins"), Early: c.Query("early")}
}

// hearChords streams a progression with its pattern, to play over for as long as wanted, or the grip of one span struck.
func (s *Server) hearChords(c *gin.Context) {
	f := chordsFormOf(c)
	profiles, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	r, ok := s.backingRequest(c, &f, profiles)
	if !ok {
		s.fail(c, http.StatusBadRequest, errors.New(f.Fault))
		return
	}
	b, err := desk.Do(c.Request.Context(), s.desk, "chords", desk.Of(door.Owner(c), 0), func(ctx context.Context) (*backing.Backing, error) { return backing.Solve(ctx, r) })
	if err != nil {
		s.fail(c, http.StatusBadRequest, err)
		return
	}
	q := c.Request.URL.Query()
	who, err := json.Marshal([]any{r.Player, r.Sections[0].Pattern})
	if err != nil {
		s.failFor(c, err)
		return
	}
	s.stream(c, "chords "+q.Encode()+string(who), func() (*sound.Sound, error) {
		if q.Get("grip") != "" {
			return strike(b, min(max(f.At, 0), len(b.Spans)-1))
		}
		return soundAs(sound.Played{Tune: r.Tune, Tuning: r.Tuning, Capo: r.Capo, Attack: r.Player.Attack, Tempo: r.Tempo, Moments: b.Moments}, q)
	})
}

// playOver is how long a progression sounds to be played over, in seconds, before it has to be begun again.
const playOver = 15 * 60

// strike is the grip of a span struck from the lowest string to the highest.
func strike(b *backing.Backing, at int) (*sound.Sound, error) {
	r, g := &b.Request, &b.Spans[at].Grip
	var strokes []play.Stroke
	for str := r.Tuning.Len(); str >= 1; str-- {
		if fret := g.Frets[str]; fret != grip.Out {
			s := play.Stroke{String: str, How: play.Fret, Fret: float64(fret), From: float64(fret),
				Note: pitch.Spell(r.Tuning.Open(str)+pitch.Midi(fret), false)}
			if fret <= r.Capo {
				s.How = play.Open
			}
			strokes = append(strokes, s)
		}
	}
	return sound.New(sound.Strokes(r.Tuning, r.Capo, r.Player.Attack, chordGap, strokes...), sound.Options{Rate: soundRate})
}

func (s *Server) chords(c *gin.Context) {
	f := chordsFormOf(c)
	profiles, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	body := chordsBody{Library: tuning.Library, Players: choices(profiles), Query: c.Request.URL.RawQuery}
	if body.Kept, err = s.keptPages(c, "chords"); err != nil {
		s.failFor(c, err)
		return
	}
	if body.Patterns, err = s.patternChoices(c); err != nil {
		s.failFor(c, err)
		return
	}
	status := http.StatusOK
	if r, ok := s.backingRequest(c, &f, profiles); ok {
		b, err := desk.Do(c.Request.Context(), s.desk, "chords", desk.Of(door.Owner(c), 0), func(ctx context.Context) (*backing.Backing, error) { return backing.Solve(ctx, r) })
		switch {
		case err != nil && c.Err() != nil:
			c.Abort()
			return
		case err != nil:
			f.Field, f.Fault = "c", err.Error()+"."
		default:
			body.show(c, &f, b)
		}
	}
	if f.Fault != "" {
		status = http.StatusUnprocessableEntity
	}
	body.Form = f
	s.render(c, status, "chords", "layout", "Chords", body)
}

// show fills in the plan.
func (v *chordsBody) show(c *gin.Context, f *chordsForm, b *backing.Backing) {
	r := &b.Request
	t := grip.Guitar{Tuning: r.Tuning, Capo: r.Capo, Player: r.Player}
	f.At = min(max(f.At, 0), len(b.Spans)-1)
	for i := range b.Spans {
		sp := &b.Spans[i]
		card := spanCard{Bar: sp.Bar, Chord: sp.Chord.Name, Text: view.GripText(t, &sp.Grip),
			Picture: view.NewSmallGrip(t, &sp.Grip), Here: i == f.At, Link: f.at(i),
			Pinned: slices.ContainsFunc(r.Pins, func(p backing.Pin) bool { return p.Span == i })}
		if bpm := sp.Change.BPM; bpm > 0 && bpm <= tune.FastestShown {
			card.BPM = strconv.FormatFloat(bpm, 'f', 0, 64)
			card.Tight = view.Tightness(bpm, b.Ceiling.BPM)
		}
		v.Spans = append(v.Spans, card)
	}
	sp := &b.Spans[f.At]
	g := view.NewGrip(t, sp.Chord, &sp.Grip)
	g.Thumb = thumbWords(t, sp.Chord, &sp.Grip)
	v.Grip = &g
	if f.At+1 < len(b.Spans) {
		next := &b.Spans[f.At+1]
		n := view.NewGrip(t, next.Chord, &next.Grip)
		v.Next, v.On = &n, f.at(f.At+1)
		v.NextText, v.Stays = changeText(next), staysText(next.Stays)
		if e := next.Change.Early; e != nil {
			v.EarlyText = fmt.Sprintf("Play string %d open on the last stroke of %s, to free the hand sooner: %s", e.String, sp.Chord.Name, upTo(e.BPM))
		}
		if v.EarlyOn = slices.Contains(r.Early, f.At); v.EarlyOn {
			v.EarlyText = fmt.Sprintf("The last stroke of %s is an open string, to free the hand sooner. Undo that", sp.Chord.Name)
		}
		v.EarlyLink = f.toggled(f.At)
	}
	if f.At > 0 {
		v.Back = f.at(f.At - 1)
	}
	if v.Spans[f.At].Pinned {
		v.LetGo = f.pinned(f.At, "")
	}
	sounding := strings.Replace(f.link(), "/chords", "/chords.wav", 1)
	v.Hear = sounding + "&grip=1"
	seconds := r.Tune.Clock(r.Tempo).Seconds(r.Tune.Length)
	v.Over = fmt.Sprintf("%s&repeats=%d", sounding, max(1, int(playOver/seconds)))
	v.others(c, f, b, t)
	v.grid(b, f.At)
	if bpm := b.Ceiling.BPM; bpm > 0 && bpm <= tune.FastestShown {
		v.Ceiling, v.Why = strconv.FormatFloat(bpm, 'f', 0, 64), b.Ceiling.Why
	}
	for _, l := range b.Lost[:min(len(b.Lost), 4)] {
		v.Lost = append(v.Lost, fmt.Sprintf("Bar %d: %s left out: %s.", r.Tune.BarOver(l.At)+1, l.Part, l.Why))
	}
}

func thumbWords(t grip.Guitar, c chord.Chord, g *grip.Grip) string {
	best := map[pattern.Role]int{}
	for _, ts := range t.ThumbStrings(c, g) {
		if best[ts.Role] == 0 && ts.Fit <= 1 {
			best[ts.Role] = ts.String
		}
	}
	switch root, alt := best[pattern.Root], best[pattern.Alternate]; {
	case root == 0:
		return "no string for the thumb"
	case alt == 0 || alt == root:
		return fmt.Sprintf("thumb on string %d", root)
	default:
		return fmt.Sprintf("thumb on %d, then %d", root, alt)
	}
}

func changeText(sp *backing.Span) string {
	ch := &sp.Change
	if ch.What == "" {
		return "nothing has to move"
	}
	return upTo(ch.BPM)
}

func staysText(stays []int) string {
	var names []string
	for _, f := range stays {
		names = append(names, grip.FingerName(f))
	}
	switch len(names) {
	case 0:
		return "no finger stays"
	case 1:
		return "finger " + names[0] + " stays"
	}
	return "fingers " + strings.Join(names, ", ") + " stay"
}

// shownOthers is how many other grips are offered, each priced by planning the progression with it.
const shownOthers = 6

func (v *chordsBody) others(c *gin.Context, f *chordsForm, b *backing.Backing, t grip.Guitar) {
	sp := &b.Spans[f.At]
	for _, g := range t.Find(sp.Chord, 2*shownOthers) {
		if len(v.Others) == shownOthers {
			return
		}
		if g.Frets == sp.Grip.Frets {
			continue
		}
		r := b.Request
		r.Pins = append(slices.DeleteFunc(slices.Clone(r.Pins), func(p backing.Pin) bool { return p.Span == f.At }),
			backing.Pin{Span: f.At, Frets: g.Frets})
		q, err := backing.Solve(c.Request.Context(), r)
		if err != nil {
			continue
		}
		text := view.GripText(t, &g)
		v.Others = append(v.Others, otherGrip{len(v.Others) + 1, text, t.Name(&g), play.Priced(q.Held - b.Held),
			view.NewSmallGrip(t, &g), f.pinned(f.At, text)})
	}
}

// grid draws the first bar that the span begins in, under the pattern.
func (v *chordsBody) grid(b *backing.Backing, at int) {
	sp := &b.Spans[at]
	p := b.Request.Sections[0].Pattern
	v.Pattern = p.Name
	var moments []play.Moment
	for i := range b.Moments {
		if mo := &b.Moments[i]; mo.Bar == sp.Bar {
			moments = append(moments, *mo)
		}
	}
	start := b.Request.Tune.Bars[sp.Bar-1]
	v.Grid = view.NewStepGrid(p, moments, func(mo *play.Moment) int {
		for step := 1; step <= p.Steps; step++ {
			if start+p.Offset(step) == mo.At {
				return step
			}
		}
		return 0
	})
}
