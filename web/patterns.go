package web

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/backing"
	"stepping/core/grip"
	"stepping/core/pattern"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// patternsBody is the list of patterns.
type patternsBody struct {
	Own    []patternLine
	Groups []patternGroup
}

type patternLine struct {
	Value, Name, Facts string
	Meter              string
	Picture            view.PatternPicture
	Link               string
	Hear               string // address of how it sounds
}

// patternGroup is the patterns of a meter, the easiest hand first.
type patternGroup struct {
	Meter    string
	Patterns []patternLine
}

// patternBody is the editor of one pattern.
type patternBody struct {
	ID      string
	Version int
	Notice  string
	Fault   *pattern.StepError
	Form    patternForm
	Roles   []string
	Mutes   []string
	Hits    []string
	Preview previewView
	Library []tuning.Named
	Steps   []stepForm
}

// patternForm is a pattern as typed, and the chord that it is tried on.
type patternForm struct {
	Name, Meter, Steps string
	Swing              bool
	Chord, Tuning      string
}

// stepForm is one column of the beat grid.
type stepForm struct {
	N         int
	Count     string
	Beat, Bad bool
	Thumb     string
	Fingers   [3]bool
	Accent    bool
	Mute, Hit string
}

// previewView is what the pattern becomes on the present chord.
type previewView struct {
	Fault string
	Step  int
	Chord string
	Grip  string
	Name  string
	Grid  view.StepGrid
	Lost  []string
}

func patternFacts(p *pattern.Pattern) string {
	most, hits := 0, map[string]bool{}
	for _, b := range p.Beats {
		most = max(most, len(b.Fingers))
		if b.Hit != "" {
			hits[b.Hit] = true
		}
	}
	facts := []string{p.Meter}
	if p.Swing {
		facts = append(facts, "swung")
	}
	facts = append(facts, []string{"thumb alone", "one finger at a time", "two strings at once", "three strings at once"}[most])
	for _, h := range pattern.Hits {
		if hits[h] {
			facts = append(facts, h)
		}
	}
	return strings.Join(facts, " · ")
}

// hearPattern is the address of a pattern over a chord, four bars of it.
func hearPattern(value string) string {
	return "/chords.wav?" + url.Values{"c": {"C | C | C | C"}, "pattern": {value}}.Encode()
}

func newPatternLine(p *pattern.Pattern, value, link string) patternLine {
	return patternLine{value, p.Name, patternFacts(p), p.Meter, view.NewPatternPicture(p), link, hearPattern(value)}
}

// busy is how much the picking hand has to do in the bar: strokes of the fingers, then of the thumb, percussion last.
func (l *patternLine) busy() int {
	return 100*len(l.Picture.Hits) + 10*len(l.Picture.Fingers) + len(l.Picture.Thumb)
}

func (s *Server) patterns(c *gin.Context) {
	own, err := s.store.Patterns().All(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	var body patternsBody
	for i := range own {
		id := own[i].ID.String()
		body.Own = append(body.Own, newPatternLine(&own[i].Doc, id, "/patterns/"+id))
	}
	for i := range pattern.Library {
		p := &pattern.Library[i]
		at := slices.IndexFunc(body.Groups, func(g patternGroup) bool { return g.Meter == p.Meter })
		if at < 0 {
			at = len(body.Groups)
			body.Groups = append(body.Groups, patternGroup{Meter: p.Meter})
		}
		body.Groups[at].Patterns = append(body.Groups[at].Patterns,
			newPatternLine(p, p.Name, "/chords?pattern="+strings.ReplaceAll(p.Name, " ", "+")))
	}
	for i := range body.Groups {
		slices.SortStableFunc(body.Groups[i].Patterns, func(a, b patternLine) int { return cmp.Compare(a.busy(), b.busy()) })
	}
	s.render(c, http.StatusOK, "patterns", "layout", "Patterns", body)
}

// addPattern keeps a copy of a pattern to be changed.
func (s *Server) addPattern(c *gin.Context) {
	p, ok := s.findPattern(c, c.PostForm("from"))
	if !ok {
		s.failFor(c, store.ErrNotFound)
		return
	}
	made := *p
	made.Name = "My " + strings.ToLower(p.Name[:1]) + p.Name[1:]
	if r := []rune(made.Name); len(r) > 60 {
		made.Name = string(r[:60])
	}
	id, err := s.store.Patterns().Add(c.Request.Context(), door.Owner(c), &made)
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/patterns/"+id.String())
}

func (s *Server) patternParam(c *gin.Context) (store.Kept[pattern.Pattern], bool) {
	return keptParam(s, c, s.store.Patterns())
}

func (s *Server) pattern(c *gin.Context) {
	p, ok := s.patternParam(c)
	if !ok {
		return
	}
	body := patternBody{ID: p.ID.String(), Version: p.Version}
	s.showPattern(c, http.StatusOK, "layout", &p.Doc, body)
}

// showPattern renders the editor or, as a part, what the pattern becomes.
func (s *Server) showPattern(c *gin.Context, status int, part string, p *pattern.Pattern, body patternBody) {
	get := func(name, otherwise string) string {
		if v := c.PostForm(name); v != "" {
			return v
		}
		return c.DefaultQuery(name, otherwise)
	}
	if body.Form.Steps == "" {
		body.Form = patternForm{Name: p.Name, Meter: p.Meter, Steps: strconv.Itoa(p.Steps), Swing: p.Swing}
	}
	body.Form.Chord, body.Form.Tuning = get("chord", "D"), get("tuning", "Open D")
	body.Roles, body.Mutes, body.Hits, body.Library = pattern.ThumbRoles, pattern.Mutes, pattern.Hits, tuning.Library
	words := view.Counts(p)
	m, _ := p.Signature()
	for i := 1; i <= min(p.Steps, maxColumns); i++ {
		b := p.At(i)
		st := stepForm{N: i, Thumb: b.Thumb, Accent: b.Accent, Mute: b.Mute, Hit: b.Hit, Bad: body.Fault != nil && body.Fault.Step == i}
		if words != nil {
			st.Count, st.Beat = words[i-1], (i-1)%(p.Steps/m.Num) == 0
		}
		for k, role := range pattern.FingerRoles {
			st.Fingers[k] = slices.Contains(b.Fingers, role)
		}
		body.Steps = append(body.Steps, st)
	}
	if body.Fault != nil {
		body.Preview = previewView{Fault: body.Fault.Error(), Step: body.Fault.Step}
	} else {
		body.Preview = s.newPreview(c, p, body.Form.Chord, body.Form.Tuning)
	}
	s.render(c, status, "pattern", part, p.Name, body)
}

// maxColumns is how many steps the beat grid shows.
const maxColumns = 48

// newPreview plays p on one chord, with the best grip for it.
func (s *Server) newPreview(c *gin.Context, p *pattern.Pattern, symbol, spelt string) (v previewView) {
	t, err := tuning.Parse(spelt)
	if err != nil {
		v.Fault = err.Error()
		return v
	}
	m, _ := p.Signature()
	tu, err := tune.Progression(symbol+" | "+symbol, m, 90)
	if err != nil {
		v.Fault = err.Error()
		return v
	}
	pl := player.Default()
	pl.Fingers = 3
	r := backing.Request{Tune: tu, Tuning: t, Player: pl, Sections: []pattern.Section{{Bar: 1, Pattern: p}}}
	b, err := desk.Do(c.Request.Context(), s.desk, "chords", desk.Of(door.Owner(c), 0), func(ctx context.Context) (*backing.Backing, error) { return backing.Solve(ctx, r) })
	if err != nil {
		v.Fault = err.Error()
		return v
	}
	sp := &b.Spans[0]
	cb := chordsBody{}
	cb.grid(b, 0)
	v.Chord, v.Name, v.Grid = sp.Chord.Name, sp.Name, cb.Grid
	v.Grip = view.GripText(grip.Guitar{Tuning: t, Player: pl}, &sp.Grip)
	for _, l := range b.Lost[:min(len(b.Lost), 3)] {
		v.Lost = append(v.Lost, fmt.Sprintf("%s left out: %s", l.Part, l.Why))
	}
	return v
}

// readPattern reads the editor's form; steps without anything are left out.
func readPattern(c *gin.Context) (*pattern.Pattern, patternForm) {
	f := patternForm{Name: strings.TrimSpace(c.PostForm("name")), Meter: strings.TrimSpace(c.PostForm("meter")),
		Steps: strings.TrimSpace(c.PostForm("steps")), Swing: c.PostForm("swing") == "yes"}
	steps := min(max(atoi(f.Steps), 0), maxColumns+1) // one too many is a fault like any; what sizes by it is bounded
	p := &pattern.Pattern{Name: f.Name, Meter: f.Meter, Steps: steps, Swing: f.Swing}
	for i := 1; i <= min(p.Steps, maxColumns); i++ {
		n := strconv.Itoa(i)
		b := pattern.Beat{Step: i, Thumb: c.PostForm("t" + n), Fingers: c.PostFormArray("f" + n), Accent: c.PostForm("a"+n) == "yes",
			Mute: c.PostForm("m" + n), Hit: c.PostForm("h" + n)}
		if b.Thumb != "" || len(b.Fingers) > 0 || b.Accent || b.Mute != "" || b.Hit != "" {
			p.Beats = append(p.Beats, b)
		}
	}
	return p, f
}

func faultOf(p *pattern.Pattern) *pattern.StepError {
	var fault *pattern.StepError
	errors.As(p.Validate(), &fault)
	return fault
}

// previewPattern answers with what the pattern as typed becomes.
func (s *Server) previewPattern(c *gin.Context) {
	if _, ok := s.patternParam(c); !ok {
		return
	}
	p, f := readPattern(c)
	s.showPattern(c, http.StatusOK, "preview", p, patternBody{Form: f, Fault: faultOf(p)})
}

func (s *Server) savePattern(c *gin.Context) {
	old, ok := s.patternParam(c)
	if !ok {
		return
	}
	p, f := readPattern(c)
	body := patternBody{ID: old.ID.String(), Version: old.Version, Form: f, Fault: faultOf(p)}
	if body.Fault != nil {
		s.showPattern(c, http.StatusUnprocessableEntity, "layout", p, body)
		return
	}
	switch err := s.store.Patterns().Save(c.Request.Context(), door.Owner(c), old.ID, atoi(c.PostForm("version")), p); {
	case errors.Is(err, store.ErrStale):
		body.Notice = "This pattern was changed in another tab in the meantime. What you typed is below; save again to use it."
		s.showPattern(c, http.StatusConflict, "layout", p, body)
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/patterns/"+old.ID.String()+"?kept=1")
	}
}

// saveSection puts a pattern in force from a bar of a tune on, or takes it away.
func (s *Server) saveSection(c *gin.Context) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	var p *pattern.Pattern
	if value := c.PostForm("pattern"); value != "" {
		if p, ok = s.findPattern(c, value); !ok {
			s.showPlan(c, http.StatusUnprocessableEntity, ch.tune.ID, ch.moment,
				planNote{Notice: "This pattern has been deleted: choose another."})
			return
		}
	}
	s.tryAndFinish(c, &ch, ch.tune.Settings.WithSection(atoi(c.PostForm("bar")), p), "Not changed. ")
}
