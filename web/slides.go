package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"sort"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/retune"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
)

// shelfBody shows the owner's slides, on a guitar and a hand.
type shelfBody struct {
	PlayerID, GuitarID, Tuning string
	Player                     string
	Players                    []profileChoice
	Guitars                    []guitarChoice
	Tunes                      []setChoice
	Cards                      []slideCard
}

type slideCard struct {
	ID, Name, Size, Grams string
	Worn                  bool
	Facts, Cautions       []string
	Picture               slidePicture
}

// slidePicture is a tube over the strings at two frets, slideScale pixels a mm.
type slidePicture struct {
	Width, Height float64
	Long, Thick   float64
	Bore          []float64 // heights of the inner edges, if it was measured
	Strings       []float64 // at fret 12
	Low           []float64 // at fret 1
}

const (
	slideScale = 3.0
	tubeTop    = 44.0
)

func newSlidePicture(p *player.Profile) (v slidePicture) {
	k := p.Neck()
	v.Long, v.Thick = p.Slide.LengthMM*slideScale, (p.Slide.BoreMM+2*p.Slide.WallMM)*slideScale
	if wall := p.Slide.WallMM * slideScale; p.Slide.BoreMM > 0 && wall > 0 && !p.Lap() {
		v.Bore = []float64{tubeTop + wall, tubeTop + v.Thick - wall}
	}
	if v.Thick == 0 {
		v.Thick = 20 * slideScale
	}
	v.Width, v.Height = 90*slideScale+20, 120+v.Thick
	for i := range tuning.Strings {
		at := func(fret float64) float64 { return 10 + (float64(i)+0.25)*k.Spacing(fret)*slideScale }
		v.Strings, v.Low = append(v.Strings, at(12)), append(v.Low, at(1))
	}
	return v
}

// slideWords says what a player's slide is and does on the player's instrument.
func slideWords(p *player.Profile) (out []string) {
	f := p.SlideFacts()
	at := func(n int) int { return f.Covers[min(n, len(f.Covers)-1)] }
	out = append(out, fmt.Sprintf("Reaches over %d strings at fret 1, %d at fret 7, %d at fret 12, %d at fret 17.", at(1), at(7), at(12), at(17)))
	if f.Grams == 0 {
		return append(out, "Enter its bore, wall and material, and Stepping works out its weight.")
	}
	weighs := fmt.Sprintf("Weighs about %.0f g", f.Grams)
	if f.Character != "" {
		weighs += ", which is " + f.Character
	}
	out = append(out, weighs+fmt.Sprintf(". In plans, landing and moving it takes %.0f%% of the usual time.", 100*f.Slowness))
	if !p.Lap() {
		where := fmt.Sprintf("%.0f mm within the finger’s length: it stays level by itself.", -f.BalanceMM)
		if f.BalanceMM > 0 {
			where = fmt.Sprintf("%.0f mm beyond the finger’s length: its tip tends to dip.", f.BalanceMM)
		}
		out = append(out, "Its centre of gravity lies "+where)
	}
	return out
}

// clearWords says where a slide lying loose comes closest to the frets.
func clearWords(p *retune.Plan, grams float64) (text string, touches bool) {
	at, least := p.Closest(grams, 1)
	if least <= 0 {
		return fmt.Sprintf("Resting loosely on string 1 it would touch fret %d: carry its weight in the hand, use a lighter one, or have a repairer raise the strings.", at), true
	}
	return fmt.Sprintf("Resting loosely on string 1 it is closest to the wood at fret %d, with %.1f mm to spare.", at, least), false
}

// slideShelf shows every slide with what it does for one player on one guitar.
func (s *Server) slideShelf(c *gin.Context) {
	body := shelfBody{}
	profiles, err := s.somePlayers(c)
	if err != nil {
		s.failFor(c, err)
		return
	}
	guitars, err := s.guitars(c)
	if err != nil {
		s.failFor(c, err)
		return
	}
	tunes, err := s.store.Tunes(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	for i := range tunes {
		body.Tunes = append(body.Tunes, setChoice{ID: tunes[i].ID.String(), Title: tunes[i].Title})
	}
	who := &profiles[0]
	for i := range profiles {
		if profiles[i].ID.String() == c.Query("player") {
			who = &profiles[i]
		}
	}
	g := chosenGuitar(guitars, c.Query("guitar"))
	body.PlayerID, body.Player, body.GuitarID, body.Tuning = who.ID.String(), profileName(&who.Profile), g.ID.String(), g.Doc.Tuning
	body.Players, body.Guitars = choices(profiles), guitarChoices(guitars)
	shelf, err := s.ownSlides(c, &profiles[0].Profile)
	if err != nil {
		s.failFor(c, err)
		return
	}
	strung := present(&g.Doc)
	for i := range shelf {
		body.Cards = append(body.Cards, newSlideCard(&shelf[i], who.Profile, strung))
	}
	s.render(c, http.StatusOK, "slides", "layout", "Your slides", body)
}

// present is a guitar as it is tuned now, nil if its strings are not known.
func present(g *store.Guitar) *retune.Plan {
	t, err := tuning.ParseAny(g.Tuning)
	if err != nil {
		return nil
	}
	p, err := retune.New(completed(g), t, t)
	if err != nil {
		return nil
	}
	return p
}

func newSlideCard(k *store.Kept[store.Slide], p player.Profile, strung *retune.Plan) slideCard {
	v := slideCard{ID: k.ID.String(), Name: k.Doc.Name, Worn: p.Slide == k.Doc.Slide, Size: slideSize(k.Doc.Slide)}
	p.Slide = k.Doc.Slide
	v.Facts, v.Picture = slideWords(&p), newSlidePicture(&p)
	f := p.SlideFacts()
	if f.Grams > 0 {
		v.Grams = fmt.Sprintf("%.0f g", f.Grams)
		if strung != nil {
			v.say(clearWords(strung, f.Grams))
		}
	}
	if f.Fit != "" {
		v.say("On this finger: "+f.Fit+".", !f.Fits)
	}
	if k.Doc.Material == "glass" || k.Doc.Material == "ceramic" {
		v.Facts = append(v.Facts, "Glass chips and breaks: throw the slide away once its edge is chipped.")
	}
	return v
}

// say adds a fact, or a caution.
func (v *slideCard) say(text string, caution bool) {
	if caution {
		v.Cautions = append(v.Cautions, text)
	} else {
		v.Facts = append(v.Facts, text)
	}
}

// slideSize is a slide in a few words: "glass, 60 mm".
func slideSize(sl player.Slide) string {
	size := fmt.Sprintf("%.0f mm", sl.LengthMM)
	if sl.Material != "" {
		size = sl.Material + ", " + size
	}
	return size
}

// ownSlides returns the owner's slides; there is always one, at first that of a player.
func (s *Server) ownSlides(c *gin.Context, p *player.Profile) ([]store.Kept[store.Slide], error) {
	all, err := s.store.Slides().All(c.Request.Context(), door.Owner(c))
	if err != nil || len(all) > 0 {
		return all, err
	}
	first := store.Slide{Name: "My slide", Slide: p.Slide}
	if _, err := s.store.Slides().Add(c.Request.Context(), door.Owner(c), &first); err != nil {
		return nil, err
	}
	return s.store.Slides().All(c.Request.Context(), door.Owner(c))
}

// slideInputs are the fields of a slide, those of the profile and a name.
var slideInputs = slices.DeleteFunc(slices.Clone(profileInputs), func(in profileInput) bool {
	return in.name != "name" && !strings.HasPrefix(in.name, "slide.")
})

// slideBody is one slide's form.
type slideBody struct {
	ID, Name, Notice string
	Version          int
	Fields           []profileField
}

func (s *Server) addSlide(c *gin.Context) {
	id, err := s.store.Slides().Add(c.Request.Context(), door.Owner(c), &store.Slide{Name: "Another slide", Slide: player.Default().Slide})
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/slides/"+id.String())
}

func (s *Server) slide(c *gin.Context) {
	k, ok := s.slideParam(c)
	if !ok {
		return
	}
	p := player.Default()
	p.Name, p.Slide = k.Doc.Name, k.Doc.Slide
	s.render(c, http.StatusOK, "slide", "layout", k.Doc.Name, slideBody{ID: k.ID.String(), Name: k.Doc.Name, Version: k.Version,
		Fields: fieldsOf(slideInputs, &p)})
}

// saveSlide keeps a slide's measures; what was typed stays when something is wrong.
func (s *Server) saveSlide(c *gin.Context) {
	k, ok := s.slideParam(c)
	if !ok {
		return
	}
	p := player.Default()
	body := slideBody{ID: k.ID.String(), Name: k.Doc.Name, Version: k.Version}
	bad := false
	if body.Fields, bad = readFields(c, slideInputs, &p); bad {
		s.render(c, http.StatusUnprocessableEntity, "slide", "layout", k.Doc.Name, body)
		return
	}
	switch err := s.store.Slides().Save(c.Request.Context(), door.Owner(c), k.ID, atoi(c.PostForm("version")),
		&store.Slide{Name: p.Name, Slide: p.Slide}); {
	case errors.Is(err, store.ErrStale):
		body.Notice = "This slide was changed in another tab in the meantime. What you typed is below; save again to use it."
		s.render(c, http.StatusConflict, "slide", "layout", k.Doc.Name, body)
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/slides")
	}
}

// wearSlide puts a slide on a player's finger: its measures become the profile's.
func (s *Server) wearSlide(c *gin.Context) {
	k, ok := s.slideParam(c)
	if !ok {
		return
	}
	s.changePlayer(c, "/slides", func(p *player.Profile) { p.Slide = k.Doc.Slide })
}

// changePlayer changes the player named in the form and goes on to a page.
func (s *Server) changePlayer(c *gin.Context, to string, change func(*player.Profile)) {
	id, err := uuid.Parse(c.PostForm("player"))
	if err != nil {
		s.failFor(c, store.ErrNotFound)
		return
	}
	old, err := s.store.Profile(c.Request.Context(), door.Owner(c), id)
	if err != nil {
		s.failFor(c, err)
		return
	}
	p := old.Profile
	change(&p)
	if err := p.Validate(); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, fmt.Errorf("this does not go with %s: %w", profileName(&p), err))
		return
	}
	switch err := s.store.SaveProfile(c.Request.Context(), door.Owner(c), id, old.Version, p); {
	case errors.Is(err, store.ErrStale):
		s.fail(c, http.StatusConflict, errors.New("this player was changed in another tab just now: go back and do it again"))
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, to+"?player="+id.String())
	}
}

// slidesForBody compares slides for a tune, each by planning it again.
type slidesForBody struct {
	ID, Title, Player string
	Rows              []slideRow
}

type slideRow struct {
	Finger, Name, Size, Total, Ceiling, Slid string
	Now, Best                                bool
	total                                    float64
}

var fingerNames = map[int]string{2: "middle finger", 3: "ring finger", 4: "little finger"}

// compareSlides plans a tune with each of the owner's slides on each finger.
func (s *Server) compareSlides(c *gin.Context) {
	t, prof, ok := s.tuneAndPlayer(c)
	if !ok {
		return
	}
	p := prof.Profile
	if p.Lap() || p.Lean == player.LeanNone {
		s.fail(c, http.StatusUnprocessableEntity, errors.New("this player wears no slide on a finger: choose another player for the tune"))
		return
	}
	req, _, err := s.desk.Request(t, &p)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	body := slidesForBody{ID: t.ID.String(), Title: t.Title, Player: profileName(&p)}
	shelf, err := s.ownSlides(c, &p)
	if err != nil {
		s.failFor(c, err)
		return
	}
	if !slices.ContainsFunc(shelf, func(k store.Kept[store.Slide]) bool { return k.Doc.Slide == p.Slide }) {
		shelf = append(shelf, store.Kept[store.Slide]{Doc: store.Slide{Name: "the one worn now", Slide: p.Slide}})
	}
	body.Rows, err = desk.Do(c.Request.Context(), s.desk, "slides", jobs.Work{Owner: t.Owner.String(), Long: true},
		func(ctx context.Context) ([]slideRow, error) { return planSlides(ctx, req, &p, shelf) })
	switch {
	case c.Err() != nil:
		c.Abort()
		return
	case err != nil:
		s.fail(c, http.StatusServiceUnavailable, err)
		return
	}
	sort.SliceStable(body.Rows, func(i, j int) bool { return body.Rows[i].total < body.Rows[j].total })
	for i := range body.Rows {
		body.Rows[i].Total = "the best"
		if body.Rows[i].Best = body.Rows[i].total == body.Rows[0].total; !body.Rows[i].Best {
			body.Rows[i].Total = play.Priced(body.Rows[i].total - body.Rows[0].total)
		}
	}
	s.render(c, http.StatusOK, "slidesfor", "layout", "Which slide suits "+t.Title, body)
}

// planSlides plans with each slide on each finger that can wear one.
func planSlides(ctx context.Context, req plan.Request, p *player.Profile, shelf []store.Kept[store.Slide]) (rows []slideRow, err error) {
	req.Pins = nil // they name what another slide may not reach
	for finger := 4; finger >= 2; finger-- {
		for i := range shelf {
			req.Player.SlideFinger, req.Player.Slide = finger, shelf[i].Doc.Slide
			got, err := plan.SolveKeepable(ctx, req)
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			if err != nil {
				continue // a note lies between the frets where this one does not reach
			}
			rows = append(rows, newSlideRow(got, &shelf[i].Doc, finger == p.SlideFinger && shelf[i].Doc.Slide == p.Slide))
		}
	}
	return rows, nil
}

func newSlideRow(p *plan.Plan, sl *store.Slide, now bool) slideRow {
	row := slideRow{Finger: fingerNames[p.Request.Player.SlideFinger], Name: sl.Name, Size: slideSize(sl.Slide), Ceiling: "–",
		Now: now, total: p.Total}
	if bpm := p.Ceiling.BPM; bpm > 0 && bpm <= tune.FastestShown {
		row.Ceiling = fmt.Sprintf("%.0f", bpm)
	}
	f := p.Figures()
	row.Slid = fmt.Sprintf("%d of %d notes", f.Slid, f.Slid+f.Fretted+f.OpenNotes+f.Other)
	return row
}
