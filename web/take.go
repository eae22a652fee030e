package web

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"os"
	"slices"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/core/plan"
	"stepping/core/practice"
	"stepping/core/sound"
	"stepping/core/take"
	"stepping/core/tune"
	"stepping/formats/plandoc"
	"stepping/formats/wav"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// takeRoute is the one address that takes recordings; they are made there and on the page of one that is saved.
const (
	takeRoute  = "/tunes/:id/take"
	keptRoute  = "/tunes/:id/takes/:take"
	standRoute = "/tunes/:id/stand"
)

// maxRecording bounds a recording that comes in, in bytes.
const maxRecording = 1 << 30

// takeBody is the page on which a recording is checked against the plan.
type takeBody struct {
	ID, Title string
	Count     string  // address of a bar that is counted in
	Lead      float64 // that it takes, seconds
	Fault     string
	Kept      []keptTake
	Better    []take.Change // from a take of a week ago, or the first, to the last
	Since     string        // when that was
	Heard     *heardTake    // what was heard in one recording
	Coming    []comingTake  // those that are still listened to
	Stand     []view.StandBar
	Client    clientData
}

// keptTake is a row of the list of takes.
type keptTake struct {
	ID, When, Name string
	At             time.Time
	Summary        take.Summary
	Length         string
}

// heardTake is what was heard in a recording.
type heardTake struct {
	ID       string // of the take, "" if it is not kept
	Name     string // of the file
	When     string
	Earlier  bool // it was judged by another plan than today's
	Doc      *plandoc.TakeDoc
	Of       int // moments from the first to the last that was found
	Verdicts []takeVerdict
	Picture  view.TakePicture
	Passes   []takePass
	Tempo    string
	Verdict  practice.Verdict // that it seems to have earned
}

// VerdictKeys are what it can be called.
func (*heardTake) VerdictKeys() []verdictKey { return verdictKeys }

type takeVerdict struct {
	plandoc.TakeVerdict
	Plan         string // address of the moment
	Played       string // addresses of how it was played, at half speed, and as it is planned
	Slow, Wanted string
}

// takePass is a step of the ladder that the take may have been.
type takePass struct{ Key, What string }

// newTake is the page for a tune, with a bar counted in.
func newTake(t *store.Tune, p *plan.Plan) takeBody {
	tu := p.Request.Tune
	m := tu.MeterOver(0)
	beats := int(m.Bar() / m.Pulse())
	id := t.ID.String()
	b := takeBody{ID: id, Title: t.Title, Count: fmt.Sprintf("/tunes/%s/sound.wav?bars=1-1&layers=silence&count=%d", id, beats),
		Lead: float64(beats) * m.Pulse().Quarters() * 60 / p.Tempo(), Client: clientData{ID: id, Count: len(p.Moments)}}
	b.Stand, _ = view.NewStand(p, [2]int{1, min(len(tu.Bars), mostOnStand)}, 0, true, true)
	b.Client.timed(p)
	return b
}

// takePage is where a recording is made or given, with those that are kept.
func (s *Server) takePage(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	b := newTake(t, w.Plan)
	err := s.addKept(c, t, &b)
	if err == nil {
		err = s.addHeard(c, t, w, &b)
	}
	if err != nil {
		s.failFor(c, err)
		return
	}
	s.render(c, http.StatusOK, "take", "layout", "Check a recording of "+t.Title, b)
}

// addHeard shows what was heard in a recording that is not kept, for a day, and those that are still listened to.
func (s *Server) addHeard(c *gin.Context, t *store.Tune, w *desk.Planned, b *takeBody) error {
	coming, err := s.store.UploadsOf(c.Request.Context(), door.Owner(c), t.ID)
	if err != nil {
		return err
	}
	for i := range coming {
		b.Coming = append(b.Coming, comingTake{"/uploads/" + coming[i].ID.String(), coming[i].Name})
		s.workOn(door.Owner(c), &coming[i])
	}
	id, err := uuid.Parse(c.Query("heard"))
	if err != nil {
		return nil
	}
	up, err := s.store.Upload(c.Request.Context(), door.Owner(c), id)
	if err == nil && (up.Tune != t.ID || !up.Done || up.Place == "") {
		err = store.ErrNotFound
	}
	doc := &plandoc.TakeDoc{}
	if err == nil {
		err = json.Unmarshal(up.Doc, doc)
	}
	if err != nil {
		return err
	}
	b.Heard, b.Fault = s.heard(t, w, doc), view.Sentence(up.Fault)
	b.Heard.Name = up.Name
	return nil
}

// comingTake is a recording that is still listened to.
type comingTake struct{ Place, Name string }

// addKept lists the takes of a tune, and what has become better.
func (s *Server) addKept(c *gin.Context, t *store.Tune, b *takeBody) error {
	takes, err := s.store.Takes(c.Request.Context(), door.Owner(c), t.ID)
	if err != nil {
		return err
	}
	var docs []*plandoc.TakeDoc
	for i := range takes {
		d, err := docOf(&takes[i])
		if err != nil {
			s.logFor(c).Error("a recording's judgement cannot be read and is not shown", "id", takes[i].ID, "err", err)
			continue
		}
		docs = append(docs, d)
		b.Kept = append(b.Kept, newKeptTake(&takes[i], d))
	}
	if len(docs) > 1 {
		old := len(docs) - 1
		if i := slices.IndexFunc(b.Kept, func(k keptTake) bool { return b.Kept[0].At.Sub(k.At) >= aWeek }); i > 0 {
			old = i
		}
		b.Better, b.Since = take.Changes(&docs[old].Summary, &docs[0].Summary), b.Kept[old].When
	}
	return nil
}

// aWeek is how far back what has become better is looked for, if there is a recording so old.
const aWeek = 7 * 24 * time.Hour

func newKeptTake(t *store.Take, d *plandoc.TakeDoc) keptTake {
	return keptTake{t.ID.String(), moment(t.At), t.Name, t.At, d.Summary, clock(float64(t.Samples) / take.KeptRate)}
}

func docOf(t *store.Take) (*plandoc.TakeDoc, error) {
	d := &plandoc.TakeDoc{}
	return d, json.Unmarshal(t.Doc, d)
}

// moment is a time as players read it.
func moment(t time.Time) string { return t.Local().Format("2 January, 15:04") }

// clock is seconds as minutes and seconds.
func clock(seconds float64) string { return fmt.Sprintf("%d:%02d", int(seconds)/60, int(seconds)%60) }

// recorded is a recording on its way in.
type recorded struct {
	signal  *take.Signal
	sound   *os.File // one channel of 16 bits at take.KeptRate; it has no name any more, so that it goes with close, or with the program
	samples int64
	keep    bool
}

func (r *recorded) close() {
	if r.sound != nil {
		_ = r.sound.Close()
	}
}

// again is its sound from the beginning.
func (r *recorded) again() (io.Reader, error) {
	_, err := r.sound.Seek(0, io.SeekStart)
	return r.sound, err
}

// judgeTake takes a recording from a form, and leads to the page that follows its judging.
func (s *Server) judgeTake(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	form, err := s.takeForm(c, "take", t.ID.String(), false)
	if err == nil && form.up == nil {
		err = errNoFile
	}
	if err != nil {
		s.noTake(c, err)
		return
	}
	s.handOver(c, &form)
}

// noTake says why a recording was not taken.
func (s *Server) noTake(c *gin.Context, err error) {
	text := takeFault(err)
	if text == "" {
		s.failFor(c, err)
		return
	}
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	b := newTake(t, w.Plan)
	b.Fault = view.Sentence(text)
	if err := s.addKept(c, t, &b); err != nil {
		s.failFor(c, err)
		return
	}
	s.render(c, http.StatusUnprocessableEntity, "take", "layout", "Check a recording of "+t.Title, b)
}

// uploadPatience is how long a recording waits for the plan of its tune.
const uploadPatience = time.Hour

// judgeUpload follows a recording along the plan of its tune; it is kept if the player said so.
func judgeUpload(ctx context.Context, s *Server, a *arrival) (out arrived, err error) {
	t, err := s.store.Tune(ctx, a.owner, a.up.Tune)
	if err != nil {
		return out, err
	}
	w, err := s.desk.Plan(ctx, &t, uploadPatience) // before its own turn in the pool: it waits for another's
	if err != nil {
		return out, err
	}
	r := &recorded{keep: a.up.Fields["keep"] != ""}
	out.close = r.close
	tk, err := desk.Do(ctx, s.desk, "take", jobs.Work{Owner: a.owner.String(), Long: true, Begun: true}, func(context.Context) (*take.Take, error) {
		if err := r.read(a.file); err != nil {
			return nil, err
		}
		return r.signal.Judge(w.Plan)
	})
	var text []byte
	if err == nil {
		text, err = json.Marshal(plandoc.NewTake(w.Plan, tk))
	}
	if err != nil {
		r.close()
		return out, err
	}
	heard := outcome{place: fmt.Sprintf("/tunes/%s/take?heard=%s", t.ID, a.up.ID), doc: text}
	out.keep = func(st *store.Store) (outcome, error) {
		if !r.keep {
			return heard, nil
		}
		id, err := st.AddTake(ctx, a.owner, &store.Take{Tune: t.ID, At: time.Now(), Name: a.up.Name, Samples: r.samples, Plan: w.Basis, Doc: text}, r.again)
		if errors.Is(err, store.ErrTooMany) {
			heard.fault = "it was checked but not saved, because your recordings take up 2 GiB. Delete some, then upload it again"
			return heard, nil
		}
		return outcome{place: fmt.Sprintf("/tunes/%s/takes/%s", t.ID, id)}, err
	}
	return out, nil
}

// heard lays out what was heard.
func (s *Server) heard(t *store.Tune, w *desk.Planned, doc *plandoc.TakeDoc) *heardTake {
	sum := &doc.Summary
	h := &heardTake{Doc: doc, Of: sum.Last - sum.First + 1, Picture: view.NewTakePictures(doc)[0], Verdict: sum.Verdict(),
		Tempo: figure(math.Round(sum.Tempo))}
	moments := map[float64]int{}
	for m := range w.Plan.Moments {
		moments[w.Plan.Moments[m].At.Quarters()] = m
	}
	for _, v := range doc.Verdicts {
		out := takeVerdict{TakeVerdict: v}
		if m, ok := moments[v.At]; ok {
			out.Plan, out.Wanted = fmt.Sprintf("/tunes/%s?m=%d", t.ID, m), fmt.Sprintf("/tunes/%s/sound.wav?moment=%d", t.ID, m)
		}
		h.Verdicts = append(h.Verdicts, out)
	}
	return h
}

// read takes the file's sound in.
func (r *recorded) read(file io.Reader) error {
	in, err := wav.NewReader(file)
	if err != nil {
		return err
	}
	var keep func([]float64) error
	var to *bufio.Writer
	if r.keep {
		if r.sound, err = os.CreateTemp("", "stepping-take-*"); err != nil { // mode 0600
			return err
		}
		if err := os.Remove(r.sound.Name()); err != nil {
			return err
		}
		to = bufio.NewWriter(r.sound)
		keep = func(samples []float64) error {
			r.samples += int64(len(samples))
			_, err := to.Write(sound.AppendSamples(nil, samples))
			return err
		}
	}
	if r.signal, err = take.Prepare(in, in.Rate, in.Channels, keep); err != nil {
		return err
	}
	if in.Short {
		r.signal.Notes = append(r.signal.Notes, "The file is shorter than its header says: it was read up to its end.")
	}
	if to != nil {
		return to.Flush()
	}
	return nil
}

// passesOf are the steps of the ladder that a take may have been, the likeliest first.
func passesOf(rungs []practice.Rung, sum *take.Summary) (out []takePass) {
	if len(sum.Bars) == 0 || !(sum.Tempo >= tune.MinTempo && sum.Tempo <= tune.MaxTempo) {
		return nil
	}
	bars := [2]int{sum.Bars[0].Bar, sum.Bars[len(sum.Bars)-1].Bar}
	for _, i := range practice.Alike(rungs, bars) {
		out = append(out, takePass{rungs[i].Key, rungs[i].What})
	}
	return out
}
