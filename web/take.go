package web

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"mime/multipart"
	"net/http"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

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

// takeRoute is the one address that takes recordings; they are made there and beside one that is kept.
const (
	takeRoute = "/tunes/:id/take"
	keptRoute = "/tunes/:id/takes/:take"
)

// Bounds of a recording that comes in: it is read as a stream.
const (
	maxRecording  = 1 << 30
	recordingTime = 5 * time.Minute
)

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
	return takeBody{ID: id, Title: t.Title, Count: fmt.Sprintf("/tunes/%s/sound.wav?bars=1-1&layers=silence&count=%d", id, beats),
		Lead: float64(beats) * m.Pulse().Quarters() * 60 / p.Tempo()}
}

// takePage is where a recording is made or given, with those that are kept.
func (s *Server) takePage(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	b := newTake(t, w.Plan)
	if err := s.addKept(c, t, &b); err != nil {
		s.failFor(c, err)
		return
	}
	s.render(c, http.StatusOK, "take", "layout", "Check a recording of "+t.Title, b)
}

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
	name    string
	sound   *os.File // one channel of 16 bits at take.KeptRate; gone with close
	samples int64
	keep    bool
}

func (r *recorded) close() {
	if r.sound != nil {
		_ = r.sound.Close()
		_ = os.Remove(r.sound.Name())
	}
}

// judgeTake reads a recording from the request, follows it along the plan, and shows what was heard; it is kept
// if the player says so.
func (s *Server) judgeTake(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	_ = http.NewResponseController(c.Writer).SetReadDeadline(time.Now().Add(recordingTime)) // a server that cannot is as patient as ever
	r, err := recordingOf(c.Request)
	defer r.close()
	var tk *take.Take
	if err == nil {
		tk, err = desk.Do(c.Request.Context(), s.desk, "take", jobs.Work{Owner: door.Owner(c).String(), Long: true},
			func(context.Context) (*take.Take, error) { return r.signal.Judge(w.Plan) })
	}
	if err != nil {
		s.noTake(c, t, w, err)
		return
	}
	doc := plandoc.NewTake(w.Plan, tk)
	if r.keep {
		s.keepTake(c, t, w, r, &doc)
		return
	}
	b := newTake(t, w.Plan)
	b.Heard = s.heard(t, w, &doc)
	b.Heard.Name = r.name
	s.render(c, http.StatusOK, "take", "layout", "A recording of "+t.Title, b)
}

// noTake says why a recording was not judged.
func (s *Server) noTake(c *gin.Context, t *store.Tune, w *desk.Planned, err error) {
	var busy *jobs.NotReady
	var large *http.MaxBytesError
	switch {
	case c.Request.Context().Err() != nil:
		c.Abort()
		return
	case errors.As(err, &busy), errors.Is(err, jobs.ErrPanic):
		s.failFor(c, err)
		return
	case errors.As(err, &large):
		err = errors.New("the file is larger than 1 GiB: cut it, or save it with fewer samples a second")
	}
	b := newTake(t, w.Plan)
	b.Fault = view.Sentence(err.Error())
	if err := s.addKept(c, t, &b); err != nil {
		s.failFor(c, err)
		return
	}
	s.render(c, http.StatusUnprocessableEntity, "take", "layout", "Check a recording of "+t.Title, b)
}

// keepTake keeps a recording with what was heard in it, and shows it from there.
func (s *Server) keepTake(c *gin.Context, t *store.Tune, w *desk.Planned, r *recorded, doc *plandoc.TakeDoc) {
	text, err := json.Marshal(doc)
	if err != nil {
		s.failFor(c, err)
		return
	}
	id, err := s.store.AddTake(c.Request.Context(), door.Owner(c),
		&store.Take{Tune: t.ID, At: time.Now(), Name: r.name, Samples: r.samples, Plan: w.Basis, Doc: text}, r.sound)
	if errors.Is(err, store.ErrTooMany) {
		b := newTake(t, w.Plan)
		b.Heard = s.heard(t, w, doc)
		b.Heard.Name, b.Fault = r.name, "It was judged, but not kept: your recordings take up 2 GiB. Let go of some, then give it again."
		s.render(c, http.StatusUnprocessableEntity, "take", "layout", "A recording of "+t.Title, b)
		return
	}
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/tunes/%s/takes/%s", t.ID, id))
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

// recordingOf reads the form as it comes: whether to keep it, and the file.
func recordingOf(r *http.Request) (*recorded, error) {
	out := &recorded{}
	form, err := r.MultipartReader()
	if err != nil {
		return out, errors.New("choose a WAV file first")
	}
	for {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			return out, errors.New("choose a WAV file first")
		}
		if err != nil {
			return out, err
		}
		switch {
		case part.FormName() == "keep":
			out.keep = true
		case part.FormName() == "file" && part.FileName() != "":
			out.name = strings.ToValidUTF8(part.FileName(), "?") // without directories: mime/multipart leaves them out
			err := out.read(part)
			_, _ = io.Copy(io.Discard, part) // a browser reads no answer before it has sent all; the limit of the route holds
			return out, err
		}
	}
}

// read takes the file's sound in.
func (r *recorded) read(part *multipart.Part) error {
	in, err := wav.NewReader(part)
	if err != nil {
		return err
	}
	var keep func([]float64) error
	var to *bufio.Writer
	if r.keep {
		if r.sound, err = os.CreateTemp("", "stepping-take-*"); err != nil { // mode 0600
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
		r.signal.Notes = append(r.signal.Notes, "The file ends before its header says: it was read up to there.")
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
