package web

import (
	"context"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/take"
	"stepping/formats/wav"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/view"
)

// takeRoute is the one address that takes recordings.
const takeRoute = "/tunes/:id/take"

// Bounds of a recording that comes in: it is read as a stream and let go of once it is judged.
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
	Name      string // of the file
	Judged    bool
	Found, Of int
	Sure      int // notes whose pitch is told
	Notes     int
	Odd       []string
	Verdicts  []takeVerdict
	Picture   view.TakePicture
}

type takeVerdict struct {
	take.Verdict
	Plan string // address of the moment
}

// newTake is the page for a tune, with a bar counted in.
func newTake(t *store.Tune, p *plan.Plan) takeBody {
	tu := p.Request.Tune
	m := tu.MeterOver(0)
	beats := int(m.Bar() / m.Pulse())
	id := t.ID.String()
	return takeBody{ID: id, Title: t.Title, Of: len(p.Moments), Count: fmt.Sprintf("/tunes/%s/sound.wav?bars=1-1&layers=silence&count=%d", id, beats), Lead: float64(beats) * m.Pulse().Quarters() * 60 / p.Tempo()}
}

func (s *Server) takePage(c *gin.Context) {
	if t, w, ok := s.planParam(c); ok {
		s.render(c, http.StatusOK, "take", "layout", "Check a recording of "+t.Title, newTake(t, w.plan))
	}
}

// judgeTake reads a recording from the request, follows it along the plan, and shows what was heard. Nothing of it is kept.
func (s *Server) judgeTake(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	b := newTake(t, w.plan)
	_ = http.NewResponseController(c.Writer).SetReadDeadline(time.Now().Add(recordingTime)) // a server that cannot is as patient as ever
	signal, name, err := recordingOf(c.Request)
	var tk *take.Take
	if err == nil {
		b.Name = name
		tk, err = do(c, s, "take", jobs.Work{Owner: owner(c).String(), Long: true}, func(context.Context) (*take.Take, error) { return signal.Judge(w.plan) })
	}
	if err != nil {
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
		b.Fault = sentence(err.Error())
		s.render(c, http.StatusUnprocessableEntity, "take", "layout", "Check a recording of "+t.Title, b)
		return
	}
	b.Judged, b.Found, b.Odd, b.Notes = true, len(tk.Places), tk.Odd, len(tk.Notes)
	for i := range tk.Notes {
		if tk.Notes[i].Sure >= take.SureOf {
			b.Sure++
		}
	}
	for _, v := range tk.Verdicts(w.plan) {
		b.Verdicts = append(b.Verdicts, takeVerdict{v, fmt.Sprintf("/tunes/%s?m=%d", b.ID, v.Moment)})
	}
	b.Picture = view.NewTakePicture(w.plan, tk)
	s.render(c, http.StatusOK, "take", "layout", "A recording of "+t.Title, b)
}

// recordingOf reads the file of a form as it comes.
func recordingOf(r *http.Request) (*take.Signal, string, error) {
	form, err := r.MultipartReader()
	if err != nil {
		return nil, "", errors.New("choose a WAV file first")
	}
	for {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			return nil, "", errors.New("choose a WAV file first")
		}
		if err != nil {
			return nil, "", err
		}
		if part.FormName() == "file" && part.FileName() != "" {
			signal, err := signalOf(part)
			return signal, part.FileName(), err
		}
	}
}

func signalOf(part *multipart.Part) (*take.Signal, error) {
	r, err := wav.NewReader(part)
	if err != nil {
		return nil, err
	}
	signal, err := take.Prepare(r, r.Rate, r.Channels, io.EOF)
	if err == nil && r.Short {
		signal.Notes = append(signal.Notes, "The file ends before its header says: it was read up to there.")
	}
	return signal, err
}
