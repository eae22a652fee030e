package web

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/core/chord"
	"stepping/core/intonation"
	"stepping/core/player"
	"stepping/core/take"
	"stepping/core/tuning"
	"stepping/store"
	"stepping/web/door"
	"stepping/web/view"
)

// inTuneRoute is the trainer for the slide. All of its state is the address; seed is when the exercise began, in
// milliseconds, and the log before that is what it was made from.
const inTuneRoute = "/profiles/:id/slide"

// inTuneBody is its page.
type inTuneBody struct {
	ID, Name string
	Problem  string // why there is no exercise
	Kinds    []kindLink
	Kind     string
	Lead     string // what this exercise is, in a sentence
	Tuning   string
	Capo     string
	Chord    string
	Tune     string // its key
	Tunes    []tuneOption
	Library  []tuning.Named
	Tasks    []view.SlideTask
	First    *view.SlideTask
	Client   inTuneClient
	Again    string // the address of another exercise of the kind
	Map      view.NeckMap
	Findings []string
	Notes    int
}

// inTuneClient is what the script knows.
type inTuneClient struct {
	Listen string           `json:"listen"`
	Tasks  []view.SlideTask `json:"tasks"`
	Again  string           `json:"again"`
}

// kindLink is one kind of exercise to choose.
type kindLink struct {
	Name, Link string
	Here       bool
}

type tuneOption struct{ ID, Title string }

// kindWords are the kinds by name, and each in a sentence.
var kindWords = map[intonation.Kind][2]string{
	intonation.Weak:         {"Your weak places", "The places where you are furthest off, and those next to them."},
	intonation.ThereAndBack: {"There and back", "Two places on two strings. Keep the slide moving between them without stopping; only the picking hand decides when a note speaks."},
	intonation.OneString:    {"Along one string", "Up and down one string, a little higher each time."},
	intonation.Scale:        {"A scale", "Notes that fit the chord, across the strings."},
	intonation.Anywhere:     {"Anywhere", "Random places."},
	intonation.Tune:         {"A tune", "The slide notes of a tune, in order, in your own time."},
}

// inTune is what an address asks for.
type inTune struct {
	profile *store.Profile
	kind    intonation.Kind
	seed    int64
	query   url.Values
	neck    intonation.Neck
	tuning  string // as it was asked for
	tasks   []intonation.Task
	log     []intonation.Played
}

// inTunePage shows an exercise. Without a seed in the address it begins one.
func (s *Server) inTunePage(c *gin.Context) {
	p, ok := s.profileParam(c)
	if !ok {
		return
	}
	if c.Query("seed") == "" {
		q := c.Request.URL.Query()
		q.Set("seed", strconv.FormatInt(time.Now().UnixMilli(), 10))
		c.Redirect(http.StatusSeeOther, c.Request.URL.Path+"?"+q.Encode())
		return
	}
	x, err := s.exercise(c, p)
	if x == nil {
		s.failFor(c, err)
		return
	}
	body := inTuneBody{ID: p.ID.String(), Name: p.Profile.Name, Kind: string(x.kind), Tuning: x.tuning, Capo: c.Query("capo"),
		Chord: x.neck.Chord.Name, Tune: c.Query("tune"), Library: tuning.Library, Notes: len(x.log)}
	if err != nil {
		body.Problem = view.Sentence(err.Error())
	}
	if err := s.offer(c, &body, x); err != nil {
		s.failFor(c, err)
		return
	}
	k := p.Profile.Neck()
	for i := range x.tasks {
		body.Tasks = append(body.Tasks, view.NewSlideTask(&x.tasks[i], k, x.neck.Capo))
	}
	body.Client = inTuneClient{Listen: fmt.Sprintf("/profiles/%s/slide/listen?%s", p.ID, x.query.Encode()), Tasks: body.Tasks, Again: body.Again}
	if len(body.Tasks) > 0 {
		body.First = &body.Tasks[0]
	}
	body.Map = view.NewNeckMap(intonation.NewMap(x.log), p.Profile.Instrument.Frets, x.neck.Capo)
	for _, f := range intonation.Weakest(x.log) {
		body.Findings = append(body.Findings, view.Sentence(f.Text()))
	}
	s.draw(c, http.StatusOK, "intune", "In tune with the slide", body)
}

// offer adds the other kinds of exercise, and the tunes that there are.
func (s *Server) offer(c *gin.Context, body *inTuneBody, x *inTune) error {
	for _, k := range intonation.Kinds {
		q := maps.Clone(x.query)
		q.Del("seed")
		q.Set("kind", string(k))
		body.Kinds = append(body.Kinds, kindLink{kindWords[k][0], "?" + q.Encode(), k == x.kind})
	}
	q := maps.Clone(x.query)
	q.Del("seed")
	body.Again, body.Lead = "?"+q.Encode(), kindWords[x.kind][1]
	tunes, err := s.store.List(c.Request.Context(), door.Owner(c))
	for i := range tunes {
		if len(body.Tunes) < mostTuneOptions {
			body.Tunes = append(body.Tunes, tuneOption{tunes[i].ID.String(), tunes[i].Title})
		}
	}
	return err
}

// mostTuneOptions is how many tunes are offered; others are reached from their own pages.
const mostTuneOptions = 100

// exercise makes what the address asks for. An error with an exercise says why it has no notes; one without, that it
// could not be looked up.
func (s *Server) exercise(c *gin.Context, p *store.Profile) (*inTune, error) {
	ctx, owner := c.Request.Context(), door.Owner(c)
	x := &inTune{profile: p, kind: intonation.Kind(c.DefaultQuery("kind", string(intonation.Weak))), query: url.Values{}}
	if _, known := kindWords[x.kind]; !known {
		x.kind = intonation.Weak
	}
	x.query.Set("kind", string(x.kind))
	for _, name := range []string{"seed", "tuning", "capo", "chord", "tune"} {
		if v := c.Query(name); v != "" {
			x.query.Set(name, v)
		}
	}
	x.seed, _ = strconv.ParseInt(c.Query("seed"), 10, 64)
	all, err := s.store.SlideNotes(ctx, owner, p.ID)
	if err != nil {
		return nil, err
	}
	for i := range all {
		if all[i].At.UnixMilli() < x.seed {
			x.log = append(x.log, all[i])
		}
	}
	if p.Profile.Lean == player.LeanNone {
		return x, fmt.Errorf("%s plays without a slide: change that under Players, or choose another player", p.Profile.Name)
	}
	if err := s.fit(c, x); err != nil {
		var asked *askedFor
		if errors.As(err, &asked) {
			return x, asked.err
		}
		return nil, err
	}
	x.tasks, err = intonation.New(x.kind, &x.neck, x.log, uint64(x.seed))
	return x, err
}

// askedFor is an error in what the address asks for.
type askedFor struct{ err error }

func (e *askedFor) Error() string { return e.err.Error() }

// fit finds the tuning, the capo, the chord and the plan of an exercise: those in the address, else the tune's, else
// those of the tune played last, or of the first guitar. The notes of a tune are asked for in its own tuning.
func (s *Server) fit(c *gin.Context, x *inTune) error {
	x.neck.Frets = x.profile.Profile.Instrument.Frets
	x.neck.Capo, x.tuning = atoi(c.Query("capo")), c.Query("tuning")
	name := c.Query("chord")
	if key := c.Query("tune"); key != "" {
		t, err := s.tuneToTrain(c, key)
		if err != nil {
			return err
		}
		w, err := s.desk.Plan(c.Request.Context(), t, s.patience)
		if err != nil {
			return &askedFor{fmt.Errorf("this tune has no plan yet: %w", err)}
		}
		x.neck.Plan = w.Plan
		if x.kind == intonation.Tune || x.tuning == "" {
			x.tuning, x.neck.Capo = t.Settings.Tuning, w.Plan.Request.Capo
		}
		name = cmp.Or(name, w.Plan.Request.Tune.ChordOver(0).Name)
	}
	if x.tuning == "" {
		if err := s.usualTuning(c, x); err != nil {
			return err
		}
	}
	t, err := tuning.ParseAny(x.tuning)
	if err == nil && t.Len() != tuning.Strings {
		err = fmt.Errorf("the trainer is for guitars with %d strings", tuning.Strings)
	}
	if err == nil {
		err = tuning.CheckCapo(x.neck.Capo)
	}
	if err != nil {
		return &askedFor{err}
	}
	x.neck.Tuning = t
	if x.neck.Chord, err = chord.Parse(cmp.Or(name, t.Note(tuning.Strings).ClassName())); err != nil {
		return &askedFor{err}
	}
	return nil
}

// tuneToTrain is the tune that an address names.
func (s *Server) tuneToTrain(c *gin.Context, key string) (*store.Tune, error) {
	id, err := uuid.Parse(key)
	var t store.Tune
	if err == nil {
		t, err = s.store.Tune(c.Request.Context(), door.Owner(c), id)
	}
	if id == (store.ID{}) || errors.Is(err, store.ErrNotFound) {
		return nil, &askedFor{errors.New("there is no such tune: choose another")}
	}
	return &t, err
}

// usualTuning is that of the tune played last, else that of the first guitar.
func (s *Server) usualTuning(c *gin.Context, x *inTune) error {
	tunes, err := s.store.Find(c.Request.Context(), door.Owner(c), &store.ListQuery{Order: store.ByPlayed, Most: 1})
	if err != nil {
		return err
	}
	if len(tunes) > 0 && tunes[0].Tuning != "" {
		x.tuning = tunes[0].Tuning
		return nil
	}
	guitars, err := s.guitars(c)
	if err != nil {
		return err
	}
	x.tuning = guitars[0].Doc.Tuning
	return nil
}

// hearSlide listens to a player who trains with the slide.
func (s *Server) hearSlide(c *gin.Context) {
	p, ok := s.profileParam(c)
	if !ok {
		return
	}
	rate, ok := s.rateParam(c)
	if !ok {
		return
	}
	x, err := s.exercise(c, p)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	owner := door.Owner(c)
	s.listen(c, rate, 1, &slideEar{x: x, ear: take.NewEar(x.tasks[0].Hz, rate), keep: func(ctx context.Context, n intonation.Played) error {
		return s.store.AddSlideNotes(ctx, owner, p.ID, n)
	}})
}

// slideEar is the ear of the trainer.
type slideEar struct {
	x    *inTune
	ear  *take.Ear
	at   int // the task
	keep func(context.Context, intonation.Played) error
}

// slideHeard is what is answered: where the slide lies now, or how a note was stopped.
type slideHeard struct {
	At    int        `json:"at"` // the task
	Heard bool       `json:"heard"`
	Cents float64    `json:"cents"`
	MM    float64    `json:"mm"` // from the wire, negative toward the nut
	Level float64    `json:"level"`
	Done  *slideDone `json:"done,omitempty"`
}

type slideDone struct {
	Good  bool     `json:"good"`
	Head  string   `json:"head"`
	Told  []string `json:"told"`
	Cents float64  `json:"cents"`
	Lost  bool     `json:"lost"` // it could not be saved
}

// ask goes to another task of the exercise.
func (e *slideEar) ask(text []byte) error {
	var to struct {
		At int `json:"at"`
	}
	if err := json.Unmarshal(text, &to); err != nil || to.At < 0 || to.At >= len(e.x.tasks) {
		return errors.New("that note is not part of the exercise")
	}
	e.at = to.At
	e.ear.Ask(e.x.tasks[e.at].Hz)
	return nil
}

func (e *slideEar) hear(ctx context.Context, samples []float64) any {
	lie, stopped := e.ear.Hear(samples)
	t, k := &e.x.tasks[e.at], e.x.profile.Profile.Neck()
	tenth := func(v float64) float64 { return math.Round(10*v) / 10 }
	out := slideHeard{At: e.at, Heard: lie.Heard, Level: math.Round(1000*lie.Level) / 1000}
	if lie.Heard {
		out.Cents, out.MM = tenth(lie.Cents), tenth(intonation.MM(k, t.Fret, lie.Cents))
	}
	if stopped == nil {
		return out
	}
	v := intonation.Judge(k, t.Fret, stopped)
	finger := e.x.profile.Profile.SlideFinger
	if e.x.profile.Profile.Lap() {
		finger = 0
	}
	row := intonation.Log(t, stopped, finger, time.Now().UTC())
	out.Done = &slideDone{Good: v.Good, Head: v.Head, Told: v.Told, Cents: row.Cents, Lost: e.keep(ctx, row) != nil}
	return out
}
