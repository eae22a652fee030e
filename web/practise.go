package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/practice"
	"stepping/core/tune"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// layerWords are the layers for people, with why they come where they come.
var layerWords = map[string][2]string{
	practice.ThumbAlone: {"The thumb alone", "until you need not think about it"}, practice.MelodyAlone: {"The melody alone", "in tune before anything else"},
	practice.HardMove: {"The hardest moves", "each by itself, over and over"}, practice.Change: {"Chord changes", "built up one stroke at a time"},
	practice.Together: {"Together", "very slowly, without a click"}, practice.Click: {"With a click", "very slow"},
	practice.Tempo:   {"Up in tempo", "in small steps"},
	practice.Accents: {"Accents and mutes", "once the notes flow"}, practice.Slide: {"Glides and vibrato", "once the pitch is right"},
	practice.Exercise:   {"Extra exercises", "for what is weak, in any order"},
	practice.Percussion: {"Percussion", "built up over days"}, practice.Whole: {"The whole tune", "variations and endings"},
}

// practised is a tune with its ladder, and how far each rung is.
type practised struct {
	tune   *store.Tune
	work   *desk.Planned
	passes []practice.Pass
	rungs  []practice.Rung  // of the ladder, and the exercises next to it
	ladder int              // how many of them are the ladder's
	states []practice.State // of all rungs
}

// current is the rung of the ladder to work on, -1 if there is none.
func (p *practised) current() int { return practice.Current(p.states[:p.ladder]) }

// weigh tells how far each rung is after passes.
func (p *practised) weigh(passes []practice.Pass) {
	p.passes = here(passes)
	p.states = practice.Progress(p.rungs, p.passes, time.Now())
}

// practised loads what the path names; if there is no plan, the reason is the answer.
func (s *Server) practised(c *gin.Context) (p practised, ok bool) {
	if p.tune, p.work, ok = s.planParam(c); !ok {
		return p, false
	}
	ctx := c.Request.Context()
	p.rungs = practice.Rungs(practice.Ladder(p.work.Plan))
	p.ladder = len(p.rungs)
	err := s.keepLadder(ctx, p.tune, p.work.Basis, p.rungs)
	passes, err2 := s.store.PassesOver(ctx, door.Owner(c), p.tune.ID)
	if err = errors.Join(err, err2); err != nil {
		s.failFor(c, err)
		return p, false
	}
	p.weigh(passes)
	p.rungs = append(p.rungs, practice.Rungs(practice.Exercises(p.work.Plan, p.states))...)
	p.weigh(passes)
	return p, true
}

// here puts passes into this place's time, whose days the player's are.
func here(passes []practice.Pass) []practice.Pass {
	for i := range passes {
		passes[i].At = passes[i].At.Local()
	}
	return passes
}

// keepLadder keeps the ladder of a tune's plan unless it is kept already.
func (s *Server) keepLadder(ctx context.Context, t *store.Tune, basis string, rungs []practice.Rung) error {
	if r, err := s.store.Result(ctx, t.Owner, t.ID, store.LadderResult); err == nil && r.Basis == basis {
		return nil
	} else if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	doc, err := json.Marshal(rungs)
	if err != nil {
		return err
	}
	_, err = s.store.SaveResult(ctx, t.Owner, t.ID, store.LadderResult, basis, doc, false, true)
	return err
}

// practiseBody is one step of a ladder, for somebody with both hands on a guitar.
type practiseBody struct {
	ID, Title   string
	Kind        string // step, or exercise
	Number, Of  int
	Layer       string
	Why         string // the layer comes here
	State       *practice.State
	Tempo       string
	Goal        string // "" if it is the tempo
	Dots        []bool // clean passes in a row that are wanted, filled those there are
	Early       bool   // what it stands on still breaks
	Other       bool   // it was played last with another plan
	Now         view.Now
	Before      *view.Now // of a move: where the hand comes from
	Stand       []view.StandBar
	Beats       []int  // dots of a bar, numbered from 1
	Next, Back  string // addresses of the step after and before
	Pass        string // addresses that take a verdict, and take it back
	TakeBack    string
	NextWhat    string
	Hear        string // address of how it sounds, without scripts
	Sitting     *sittingView
	Client      stepData
	Train       string // address of the trainer for the slide, where the step is about its notes
	Relief      string // address of other ways, if it is stuck
	Notice      string
	VerdictKeys []verdictKey
}

// verdictKey is one of the answers to how a pass went.
type verdictKey struct{ Key, Value, Text string }

var verdictKeys = []verdictKey{{"1", practice.Clean.String(), "clean"}, {"2", practice.Nearly.String(), "nearly"},
	{"3", practice.Broke.String(), "broke down"}}

// stepData is what the page's script needs. Times are seconds from the first beat at Tempo.
type stepData struct {
	ID      string    `json:"id"`
	Key     string    `json:"key"`
	Tempo   float64   `json:"tempo"`
	Slowest int       `json:"slowest"`
	Fastest int       `json:"fastest"`
	Bars    string    `json:"bars"`
	Count   int       `json:"count"` // beats counted in
	Beats   []float64 `json:"beats"` // when each beat falls
	InBar   []int     `json:"inBar"` // which beat of its bar it is, from 1
	When    []float64 `json:"when"`  // when each moment on the stand is played
	Seconds float64   `json:"seconds"`
	Click   bool      `json:"click"`
	Layers  string    `json:"layers"` // that show how it goes
	Done    bool      `json:"done"`   // enough of it, for today or for good
}

func (s *Server) practise(c *gin.Context) {
	p, ok := s.practised(c)
	if !ok {
		return
	}
	at, notice := p.current(), ""
	if key := c.Query("step"); key != "" {
		if k := p.find(key); k >= 0 {
			at = k
		} else {
			notice = "The plan has changed and no longer has that step. This is where you are now."
		}
	}
	s.showStep(c, &p, at, notice)
}

func (p *practised) find(key string) int {
	return slices.IndexFunc(p.states, func(st practice.State) bool { return st.Key == key })
}

// showStep draws a step; without one, the list of all, which says that nothing is left.
func (s *Server) showStep(c *gin.Context, p *practised, at int, notice string) {
	if at < 0 {
		c.Redirect(http.StatusSeeOther, "/tunes/"+p.tune.ID.String()+"/ladder")
		return
	}
	b := newPractise(p, at)
	b.Notice = notice
	var err error
	if b.Sitting, err = sittingOf(c.Request.URL.Query()); err != nil {
		s.fail(c, http.StatusBadRequest, err)
		return
	}
	b.leads(p, at)
	b.Pass, b.TakeBack = "/tunes/"+b.ID+"/pass", "/tunes/"+b.ID+"/pass/back"
	if b.Sitting != nil {
		b.Pass, b.TakeBack = b.Pass+"?"+b.Sitting.Query, b.TakeBack+"?"+b.Sitting.Query
	}
	notes, err := s.store.Notes(c.Request.Context(), door.Owner(c), p.tune.ID)
	if err != nil {
		s.failFor(c, err)
		return
	}
	for i := range b.Stand {
		b.Stand[i].Note = notes[b.Stand[i].Played]
	}
	part := "layout"
	if c.GetHeader("X-Part") != "" {
		part = "step"
	}
	s.render(c, http.StatusOK, "practise", part, "Practise "+p.tune.Title, b)
}

func newPractise(p *practised, at int) *practiseBody {
	st := &p.states[at]
	pl := p.work.Plan
	id := p.tune.ID.String()
	words := layerWords[st.Layer]
	b := &practiseBody{ID: id, Title: p.tune.Title, Kind: "step", Number: at + 1, Of: p.ladder, Layer: words[0], Why: words[1],
		State: st, Tempo: figure(st.Tempo()),
		Early: at < p.ladder && !practice.Open(p.states[:p.ladder], at), VerdictKeys: verdictKeys}
	if at >= p.ladder {
		b.Kind, b.Number, b.Of = "exercise", at-p.ladder+1, len(p.states)-p.ladder
	}
	if st.Goal() > st.Tempo() {
		b.Goal = figure(st.Goal())
	}
	for k := range st.InRow + max(0, st.Need) {
		b.Dots = append(b.Dots, k < st.InRow)
	}
	for i := range slices.Backward(p.passes) {
		if q := &p.passes[i]; q.Key == st.Key {
			b.Other = q.Plan != "" && q.Plan != p.work.Basis
			break
		}
	}
	if st.Stuck {
		b.Relief = fmt.Sprintf("/tunes/%s?m=%d", id, st.Moment)
	}
	if st.Layer == practice.Slide || st.Layer == practice.Exercise && strings.Contains(st.Key, "pitch") {
		b.Train = fmt.Sprintf("/profiles/%s/slide?kind=tune&tune=%s", p.tune.ProfileID, id)
	}
	b.Now = view.NewNow(id, p.tune.Version, pl, st.Moment)
	if (st.Layer == practice.HardMove || st.Layer == practice.Change) && st.Moment > 0 {
		before := view.NewNow(id, p.tune.Version, pl, st.Moment-1)
		b.Before = &before
	}
	b.follow(pl, st)
	q := url.Values{"tempo": {b.Tempo}, "bars": {b.Client.Bars}, "count": {strconv.Itoa(st.Count)}, "layer": st.Heard().Names()}
	b.Hear = "/tunes/" + id + "/hear?" + q.Encode()
	return b
}

// figure writes a tempo.
func figure(bpm float64) string { return strconv.FormatFloat(bpm, 'g', 4, 64) }

// follow lists what is played and when, for the eye that follows.
func (b *practiseBody) follow(pl *plan.Plan, st *practice.State) {
	tu := pl.Request.Tune
	from, end := tu.Bars[st.Bars[0]-1], tu.Bars[st.Bars[1]-1]+tu.BarLength(st.Bars[1]-1)
	clock := tu.Clock(st.Tempo())
	var when []float64
	b.Stand, when = view.NewStand(pl, st.Bars, st.Step.Last, st.Layer != practice.ThumbAlone, st.Layer != practice.MelodyAlone)
	start := tu.Clock(pl.Tempo()).Seconds(from)
	d := stepData{ID: b.ID, Done: st.Finished || st.Leave, Key: st.Key, Tempo: st.Tempo(), Slowest: tune.MinTempo, Fastest: tune.MaxTempo,
		Bars: fmt.Sprintf("%d-%d", st.Bars[0], st.Bars[1]), Count: st.Count,
		Seconds: clock.Seconds(end) - clock.Seconds(from), Click: st.Click}
	for _, w := range when { // moments are timed at the plan's tempo
		d.When = append(d.When, milliseconds((w-start)*pl.Tempo()/st.Tempo()))
	}
	for bar := st.Bars[0] - 1; bar < st.Bars[1]; bar++ {
		for at, n := tu.Bars[bar], 1; at < tu.Bars[bar]+tu.BarLength(bar); at, n = at+tu.MeterOver(at).Pulse(), n+1 {
			d.Beats, d.InBar = append(d.Beats, milliseconds(clock.Seconds(at)-clock.Seconds(from))), append(d.InBar, n)
		}
	}
	for n := range st.Count {
		b.Beats = append(b.Beats, n+1)
	}
	for i, name := range st.Heard().Names() {
		if i > 0 {
			d.Layers += ","
		}
		d.Layers += name
	}
	b.Client = d
}

func milliseconds(s float64) float64 { return math.Round(s*1000) / 1000 }

// leads says where it goes on: within a sitting to its next part, else to the step that comes next.
func (b *practiseBody) leads(p *practised, at int) {
	step := func(i int) string {
		return "/tunes/" + b.ID + "/practise?" + url.Values{"step": {p.states[i].Key}}.Encode()
	}
	if b.Sitting != nil {
		b.Next, b.Back, b.NextWhat = b.Sitting.Next, b.Sitting.Back, b.Sitting.NextWhat
		return
	}
	next := at + 1
	if p.states[at].Finished && at < p.ladder { // to what is to be done, not to what is
		if cur := p.current(); cur >= 0 && cur != at {
			next = cur
		}
	}
	if next < len(p.states) {
		b.Next, b.NextWhat = step(next), layerWords[p.states[next].Layer][0]+", "+p.states[next].Place
	} else {
		b.Next, b.NextWhat = "/tunes/"+b.ID+"/ladder", "all steps"
	}
	if at > 0 {
		b.Back = step(at - 1)
	}
}

// addPass keeps what a player says of a pass, and shows what follows from it.
func (s *Server) addPass(c *gin.Context) {
	p, ok := s.practised(c)
	if !ok {
		return
	}
	at := p.find(c.PostForm("step"))
	v, known := practice.ParseVerdict(c.PostForm("verdict"))
	tempo, err := strconv.ParseFloat(c.PostForm("tempo"), 64)
	seconds, _ := strconv.ParseFloat(c.PostForm("seconds"), 64) // without a script nobody has measured it
	switch {
	case at < 0:
		s.fail(c, http.StatusConflict, errors.New("the plan has changed and no longer has this step. Go back and open Practise again"))
		return
	case !known || err != nil || !(tempo >= tune.MinTempo && tempo <= tune.MaxTempo):
		s.fail(c, http.StatusUnprocessableEntity, fmt.Errorf("say clean, nearly or broke, and a tempo: %s", tune.TempoRule))
		return
	}
	st := &p.states[at]
	full := st.Seconds * st.Rung.Tempo / tempo
	if !(seconds > 0 && seconds < 2*full+60) {
		seconds = full
	}
	pass := practice.Pass{At: time.Now(), Key: st.Key, Layer: st.Layer, Bars: st.Bars, Tempo: tempo, Verdict: v,
		Seconds: milliseconds(seconds), Plan: p.work.Basis, Move: st.Move.At(st.Rung.Tempo, tempo)}
	if err := s.store.AddPasses(c.Request.Context(), door.Owner(c), p.tune.ID, pass); err != nil {
		s.failFor(c, err)
		return
	}
	s.afterPass(c, &p, at, append(p.passes, pass), "")
}

// takeBackPass forgets the last pass over the tune.
func (s *Server) takeBackPass(c *gin.Context) {
	p, ok := s.practised(c)
	if !ok {
		return
	}
	at := p.find(c.PostForm("step"))
	n := len(p.passes)
	if at < 0 || n == 0 {
		s.fail(c, http.StatusConflict, errors.New("there is nothing to undo. Go back and open Practise again"))
		return
	}
	if err := s.store.TakeBackPass(c.Request.Context(), door.Owner(c), p.tune.ID); err != nil {
		s.failFor(c, err)
		return
	}
	last := p.passes[n-1]
	if k := p.find(last.Key); k >= 0 {
		at = k
	}
	s.afterPass(c, &p, at, p.passes[:n-1], fmt.Sprintf("Undone: %s at %s bpm.", last.Verdict, figure(last.Tempo)))
}

// afterPass shows a step after its passes have changed: to a script its part, else by way of a new request.
func (s *Server) afterPass(c *gin.Context, p *practised, at int, passes []practice.Pass, notice string) {
	if c.GetHeader("X-Part") == "" {
		q := c.Request.URL.Query()
		q.Set("step", p.states[at].Key)
		c.Redirect(http.StatusSeeOther, "/tunes/"+p.tune.ID.String()+"/practise?"+q.Encode())
		return
	}
	p.weigh(passes)
	s.showStep(c, p, at, notice)
}

// ladderBody is all steps of a tune, with how far each is.
type ladderBody struct {
	ID, Title   string
	Parts       []ladderPart
	Solid, All  int
	Left        bool // nothing may be begun today: what is open is left for another day
	Current     string
	Over        string // address of the tune's chords, to play over
	CurrentWhat string
}

// overChords is the address of a tune's chords with a thumb pattern, to play over; "" if it cannot be read.
func (s *Server) overChords(p *practised) string {
	link := s.chordsLink(p.tune)
	if link == "" {
		return ""
	}
	pl := p.work.Plan
	seconds := pl.Request.Tune.Clock(pl.Tempo()).Seconds(pl.Request.Tune.Length)
	return fmt.Sprintf("%s&tempo=%s&repeats=%d", strings.Replace(link, "/chords", "/chords.wav", 1), figure(pl.Tempo()),
		max(1, int(playOver/seconds)))
}

// ladderPart is the rungs of one layer.
type ladderPart struct {
	Name, Why string
	Rungs     []ladderRung
}

type ladderRung struct {
	Number  int
	State   *practice.State
	Tempo   string
	Goal    string
	Address string
	Here    bool
}

func (s *Server) ladder(c *gin.Context) {
	p, ok := s.practised(c)
	if !ok {
		return
	}
	b := ladderBody{ID: p.tune.ID.String(), Title: p.tune.Title, All: p.ladder, Over: s.overChords(&p)}
	cur := p.current()
	for i := range p.states {
		st := &p.states[i]
		if st.Solid() && i < p.ladder {
			b.Solid++
		}
		words := layerWords[st.Layer]
		if n := len(b.Parts); n == 0 || b.Parts[n-1].Name != words[0] {
			b.Parts = append(b.Parts, ladderPart{Name: words[0], Why: words[1]})
		}
		part := &b.Parts[len(b.Parts)-1]
		r := ladderRung{Number: i + 1, State: st, Tempo: figure(st.Tempo()),
			Address: "/tunes/" + b.ID + "/practise?" + url.Values{"step": {st.Key}}.Encode(), Here: i == cur}
		if st.Goal() > st.Tempo() {
			r.Goal = figure(st.Goal())
		}
		if r.Here {
			b.Current, b.CurrentWhat = r.Address, words[0]+", "+st.Place
		}
		part.Rungs = append(part.Rungs, r)
	}
	b.Left = cur < 0 && b.Solid < b.All
	s.render(c, http.StatusOK, "ladder", "layout", "Steps of "+p.tune.Title, b)
}
