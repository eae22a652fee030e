package web

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/neck"
	"stepping/core/player"
	"stepping/core/retune"
	"stepping/core/tuning"
	"stepping/store"
	"stepping/web/door"
)

type guitarChoice struct{ ID, Name, Tuning string }

func guitarChoices(guitars []store.Kept[store.Guitar]) (out []guitarChoice) {
	for i := range guitars {
		out = append(out, guitarChoice{guitars[i].ID.String(), guitars[i].Doc.Name, guitars[i].Doc.Tuning})
	}
	return out
}

// chosenGuitar is the one asked for, or the first.
func chosenGuitar(guitars []store.Kept[store.Guitar], id string) *store.Kept[store.Guitar] {
	for i := range guitars {
		if guitars[i].ID.String() == id {
			return &guitars[i]
		}
	}
	return &guitars[0]
}

// guitars returns the owner's guitars; there is always one.
func (s *Server) guitars(c *gin.Context) ([]store.Kept[store.Guitar], error) {
	all, err := s.store.Guitars().All(c.Request.Context(), door.Owner(c))
	if err != nil || len(all) > 0 {
		return all, err
	}
	first := store.Guitar{Tuning: "Standard"}
	first.Name, first.Set = "My guitar", "light"
	if _, err := s.store.Guitars().Add(c.Request.Context(), door.Owner(c), &first); err != nil {
		return nil, err
	}
	return s.store.Guitars().All(c.Request.Context(), door.Owner(c))
}

// keepTuning remembers what a guitar is tuned to now.
func (s *Server) keepTuning(c *gin.Context) {
	k, ok := s.guitarParam(c)
	if !ok {
		return
	}
	if _, err := tuning.ParseAny(c.PostForm("tuning")); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	k.Doc.Tuning = c.PostForm("tuning")
	switch err := s.store.Guitars().Save(c.Request.Context(), door.Owner(c), k.ID, atoi(c.PostForm("version")), &k.Doc); {
	case errors.Is(err, store.ErrStale):
		s.fail(c, http.StatusConflict, errors.New("this guitar was changed in another tab in the meantime: go back, load the page again and repeat the change"))
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/bench?guitar="+k.ID.String())
	}
}

// sixStringed returns the first guitar of six strings, for tunes are planned on those, and what it is tuned
// to; without one a guitar of usual measures in standard tuning.
func sixStringed(guitars []store.Kept[store.Guitar]) (g store.Guitar, now tuning.Tuning) {
	for i := range guitars {
		if t, err := tuning.Parse(guitars[i].Doc.Tuning); err == nil {
			return guitars[i].Doc, t
		}
	}
	g = store.Guitar{Tuning: "Standard"}
	g.Name = "A guitar of six strings"
	now, _ = tuning.Parse(g.Tuning)
	return g, now
}

// guitarBody is one guitar's form.
type guitarBody struct {
	ID, Name, Notice string
	Version          int
	Fields           []profileField
	Players          []profileChoice
}

// guitarInputs are the measures of a guitar; names are the keys of the guitar file.
var guitarInputs = []struct {
	name, label, help string
	value             func(*retune.Guitar) *float64
}{
	{"scaleMm", "Scale length, nut to saddle, mm", "", func(g *retune.Guitar) *float64 { return &g.ScaleMM }},
	{"nutMm", "First to last string at the nut, mm", "", func(g *retune.Guitar) *float64 { return &g.NutMM }},
	{"bridgeMm", "First to last string at the bridge, mm", "", func(g *retune.Guitar) *float64 { return &g.BridgeMM }},
	{"actionMm", "Strings over fret 12, mm", "", func(g *retune.Guitar) *float64 { return &g.ActionMM }},
	{"referenceHz", "Pitch of A4, Hz", "", func(g *retune.Guitar) *float64 { return &g.ReferenceHz }},
	{"postMm", "Diameter of the tuners' posts, mm", "", func(g *retune.Guitar) *float64 { return &g.PostMM }},
	{"gear", "Turns of a knob for one of its post", "", func(g *retune.Guitar) *float64 { return &g.Gear }},
}

var stringsHelp = "Gauges from string 1 on, like 0.012 0.016 0.024w 0.032w 0.042w 0.053w: a w says wound, wn with nickel, ws with steel, p plain. Or a set: " + strings.Join(neck.SetNames(), ", ") + "."

// guitarFields are the fields as they are in a complete guitar.
func guitarFields(doc *store.Guitar, whole *retune.Guitar) []profileField {
	set := doc.Set
	if len(doc.Strings) > 0 {
		set = neck.FormatStrings(doc.Strings)
	}
	out := []profileField{{Name: "name", Label: "Name", Value: doc.Name}, {Name: "tuning", Label: "Tuned to now", Value: doc.Tuning,
		Help: "A name, or notes from the thickest string on; 4 to 8 strings."},
		{Name: "strings", Label: "Strings", Value: set, Help: stringsHelp}}
	for _, in := range guitarInputs {
		out = append(out, profileField{Name: in.name, Label: in.label, Help: in.help, Value: strconv.FormatFloat(*in.value(whole), 'f', -1, 64)})
	}
	return append(out, profileField{Name: "frets", Label: "Frets", Value: strconv.Itoa(whole.Frets)})
}

// readGuitar reads the form; the error begins with the field's name.
func readGuitar(c *gin.Context) (doc store.Guitar, err error) {
	doc.Name, doc.Tuning = strings.TrimSpace(c.PostForm("name")), strings.TrimSpace(c.PostForm("tuning"))
	if doc.Name == "" || len(doc.Name) > 80 {
		return doc, errors.New("name: a guitar has a name of up to 80 letters")
	}
	if _, err := tuning.ParseAny(doc.Tuning); err != nil {
		return doc, fmt.Errorf("tuning: %w", err)
	}
	set := strings.TrimSpace(c.PostForm("strings"))
	if _, named := neck.SetNamed(set); named {
		doc.Set = set
	} else if doc.Strings, err = neck.ParseStrings(set); err != nil {
		return doc, fmt.Errorf("strings: %w", err)
	} else if len(doc.Strings) == 0 {
		return doc, errors.New("strings: " + stringsHelp)
	}
	for _, in := range guitarInputs {
		if *in.value(&doc.Guitar), err = strconv.ParseFloat(strings.TrimSpace(c.PostForm(in.name)), 64); err != nil || *in.value(&doc.Guitar) == 0 {
			return doc, fmt.Errorf("%s: %q is not a usable number", in.name, c.PostForm(in.name))
		}
	}
	if doc.Frets, err = strconv.Atoi(strings.TrimSpace(c.PostForm("frets"))); err != nil {
		return doc, fmt.Errorf("frets: %q is not a number", c.PostForm("frets"))
	}
	return doc, checkGuitar(doc)
}

// checkGuitar says what cannot be about a guitar.
func checkGuitar(g store.Guitar) error {
	t, err := tuning.ParseAny(g.Tuning)
	if err != nil {
		return fmt.Errorf("tuning: %w", err)
	}
	return g.Complete(t.Len())
}

func (s *Server) showGuitar(c *gin.Context, status int, k *store.Kept[store.Guitar], fields []profileField, notice string) {
	profiles, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	body := guitarBody{ID: k.ID.String(), Name: k.Doc.Name, Version: k.Version, Fields: fields, Notice: notice, Players: choices(profiles)}
	s.render(c, status, "guitar", "layout", k.Doc.Name, body)
}

func (s *Server) guitar(c *gin.Context) {
	k, ok := s.guitarParam(c)
	if !ok {
		return
	}
	whole := completed(&k.Doc)
	s.showGuitar(c, http.StatusOK, &k, guitarFields(&k.Doc, &whole), "")
}

// completed is a kept guitar with its defaults filled in; it was checked when it was kept.
func completed(g *store.Guitar) retune.Guitar {
	whole, n := g.Guitar, tuning.Strings
	if t, err := tuning.ParseAny(g.Tuning); err == nil {
		n = t.Len()
	}
	_ = whole.Complete(n)
	return whole
}

// saveGuitar keeps a guitar's measures; what was typed stays when something is wrong.
func (s *Server) saveGuitar(c *gin.Context) {
	k, ok := s.guitarParam(c)
	if !ok {
		return
	}
	doc, err := readGuitar(c)
	if err != nil {
		whole := completed(&k.Doc)
		fields := guitarFields(&k.Doc, &whole)
		for i := range fields {
			fields[i].Value = c.PostForm(fields[i].Name)
			if field, text, _ := strings.Cut(err.Error(), ": "); field == fields[i].Name || field == "set" && fields[i].Name == "strings" {
				fields[i].Error = text
			}
		}
		s.showGuitar(c, http.StatusUnprocessableEntity, &k, fields, "")
		return
	}
	switch err := s.store.Guitars().Save(c.Request.Context(), door.Owner(c), k.ID, atoi(c.PostForm("version")), &doc); {
	case errors.Is(err, store.ErrStale):
		whole := completed(&doc)
		s.showGuitar(c, http.StatusConflict, &k, guitarFields(&doc, &whole),
			"This guitar was changed in another tab in the meantime. What you typed is below; save again to use it.")
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/bench?guitar="+k.ID.String())
	}
}

// playGuitar makes a guitar's measures those with which a player's tunes are planned.
func (s *Server) playGuitar(c *gin.Context) {
	k, ok := s.guitarParam(c)
	if !ok {
		return
	}
	g := completed(&k.Doc)
	s.changePlayer(c, "/profiles", func(p *player.Profile) {
		p.Instrument = player.Instrument{ScaleMM: g.ScaleMM, NutMM: g.NutMM, BridgeMM: g.BridgeMM, Frets: g.Frets, ActionMM: g.ActionMM}
	})
}

func (s *Server) addGuitar(c *gin.Context) {
	doc := store.Guitar{Tuning: "Standard"}
	doc.Name, doc.Set = "Another guitar", "light"
	id, err := s.store.Guitars().Add(c.Request.Context(), door.Owner(c), &doc)
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/guitars/"+id.String())
}
