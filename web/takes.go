package web

import (
	"cmp"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/core/practice"
	"stepping/core/sound"
	"stepping/core/take"
	"stepping/formats/plandoc"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// takeParam loads the tune and the take in the path; a wrong one is answered with 404.
func (s *Server) takeParam(c *gin.Context) (*store.Tune, *store.Take, bool) {
	t, ok := s.tuneParam(c)
	if !ok {
		return nil, nil, false
	}
	id, err := uuid.Parse(c.Param("take"))
	if err != nil {
		s.failFor(c, store.ErrNotFound)
		return nil, nil, false
	}
	kept, err := s.store.Take(c.Request.Context(), door.Owner(c), t.ID, id)
	if err != nil {
		s.failFor(c, err)
		return nil, nil, false
	}
	return t, kept, true
}

// keptTakePage shows what was heard in a take that is kept.
func (s *Server) keptTakePage(c *gin.Context) {
	_, kept, ok := s.takeParam(c)
	if !ok {
		return
	}
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	doc, err := docOf(kept)
	if err != nil {
		s.failFor(c, err)
		return
	}
	b := newTake(t, w.Plan)
	b.Heard = s.heard(t, w, doc)
	b.Heard.ID, b.Heard.Name, b.Heard.When, b.Heard.Earlier = kept.ID.String(), kept.Name, moment(kept.At), kept.Plan != w.Basis
	if !b.Heard.Earlier {
		b.Heard.Passes = passesOf(practice.Rungs(practice.Ladder(w.Plan)), &doc.Summary)
	}
	for i := range b.Heard.Verdicts {
		v := &b.Heard.Verdicts[i]
		at := fmt.Sprintf("/tunes/%s/takes/%s/sound.wav?from=%.2f&to=%.2f", t.ID, kept.ID, max(0, v.AtSec-beforeVerdict), v.AtSec+afterVerdict)
		v.Played, v.Slow = at, at+"&slow=1"
	}
	if err := s.addKept(c, t, &b); err != nil {
		s.failFor(c, err)
		return
	}
	s.render(c, http.StatusOK, "take", "layout", "A recording of "+t.Title, b)
}

// Of what is heard around a verdict, in seconds.
const (
	beforeVerdict = 0.6
	afterVerdict  = 2.0
)

// deleteTake drops a take.
func (s *Server) deleteTake(c *gin.Context) {
	t, kept, ok := s.takeParam(c)
	if !ok {
		return
	}
	if err := s.store.DeleteTake(c.Request.Context(), door.Owner(c), t.ID, kept.ID); err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, door.LocalPath(cmp.Or(c.PostForm("back"), "/tunes/"+t.ID.String()+"/take")))
}

// besideBody is two takes side by side.
type besideBody struct {
	ID, Title string
	Sides     []besideTake
	Changes   []take.Change
	Fault     string
}

type besideTake struct {
	keptTake
	Picture view.TakePicture
}

// besides shows two takes over the same bars, the earlier one first.
func (s *Server) besides(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	takes, err := s.store.Takes(c.Request.Context(), door.Owner(c), t.ID)
	if err != nil {
		s.failFor(c, err)
		return
	}
	chosen := c.QueryArray("take")
	b := besideBody{ID: t.ID.String(), Title: t.Title}
	var docs []*plandoc.TakeDoc
	for i := range slices.Backward(takes) {
		if !slices.Contains(chosen, takes[i].ID.String()) {
			continue
		}
		d, err := docOf(&takes[i])
		if err != nil {
			s.failFor(c, err)
			return
		}
		docs = append(docs, d)
		b.Sides = append(b.Sides, besideTake{keptTake: newKeptTake(&takes[i], d)})
	}
	status := http.StatusOK
	if len(docs) != 2 {
		status, b.Sides, b.Fault = http.StatusUnprocessableEntity, nil, "Choose two recordings in the list, then put them side by side."
	} else {
		for i, p := range view.NewTakePictures(docs...) {
			b.Sides[i].Picture = p
		}
		b.Changes = take.Changes(&docs[0].Summary, &docs[1].Summary)
	}
	s.render(c, status, "besides", "layout", "Two recordings of "+t.Title, b)
}

// blocks reads samples of a take that is kept, a block at a time.
type blocks struct {
	get   func(number int) ([]byte, error)
	total int // samples
	held  []byte
	which int // the block that is held, -1 for none
}

// fill fills samples from a place on; there is silence before the beginning and after the end.
func (b *blocks) fill(at int, into []float64) error {
	const per = store.TakeBlock / 2
	for i := range into {
		k := at + i
		into[i] = 0
		if k < 0 || k >= b.total {
			continue
		}
		if b.which != k/per {
			data, err := b.get(k / per)
			if err != nil {
				return err
			}
			b.held, b.which = data, k/per
		}
		if o := 2 * (k % per); o+1 < len(b.held) {
			into[i] = float64(int16(binary.LittleEndian.Uint16(b.held[o:]))) / 32768
		}
	}
	return nil
}

// takeSound streams a take, or a part of it, as it was played or at half speed.
func (s *Server) takeSound(c *gin.Context) {
	_, kept, ok := s.takeParam(c)
	if !ok {
		return
	}
	total := float64(kept.Samples) / take.KeptRate
	from, to := 0.0, total
	var err1, err2 error
	if v := c.Query("from"); v != "" {
		from, err1 = strconv.ParseFloat(v, 64)
	}
	if v := c.Query("to"); v != "" {
		to, err2 = strconv.ParseFloat(v, 64)
	}
	to = min(to, total)
	if err1 != nil || err2 != nil || !(from >= 0 && from < to) {
		s.fail(c, http.StatusBadRequest, fmt.Errorf("from and to are seconds of the recording, between 0 and %.1f", total))
		return
	}
	first, n := int(from*take.KeptRate), int((to-from)*take.KeptRate)
	ctx, who := c.Request.Context(), door.Owner(c)
	src := &blocks{which: -1, total: int(kept.Samples), get: func(number int) ([]byte, error) { return s.store.TakeSound(ctx, who, kept.ID, number) }}
	if err := src.fill(first, make([]float64, 1)); err != nil { // before anything is answered
		if errors.Is(err, store.ErrNoSound) {
			s.fail(c, http.StatusNotFound, errors.New("the sound of this recording is missing: it was restored from a daily backup, which does not include sound"))
			return
		}
		s.failFor(c, err)
		return
	}
	part := func(at int, into []float64) error { return src.fill(first+at, into) }
	if c.Query("slow") == "" {
		s.sendSamples(c, n, plainly(n, part))
		return
	}
	slow := take.Slow(n, part)
	s.sendSamples(c, slow.Len(), slow.Next)
}

// sendBlock is how many samples of a recording are sent at a time.
const sendBlock = 16384

// plainly hands out n samples as they are.
func plainly(n int, fill func(int, []float64) error) func([]float64) ([]float64, error) {
	at := 0
	return func(out []float64) ([]float64, error) {
		if at >= n {
			return out, io.EOF
		}
		block := make([]float64, min(sendBlock, n-at))
		err := fill(at, block)
		at += len(block)
		return append(out, block...), err
	}
}

// sendSamples answers with n samples as a WAV file. What is sent at once is made in one turn of the pool.
func (s *Server) sendSamples(c *gin.Context, n int, next func([]float64) ([]float64, error)) {
	c.Header("Content-Type", "audio/wav")
	c.Header("Content-Length", strconv.Itoa(sound.HeaderBytes+2*n))
	to, work := door.Steadily(c.Writer), desk.Of(door.Owner(c), 0)
	if _, err := to.Write(sound.Header(take.KeptRate, n)); err != nil {
		return
	}
	work.Begun = true // its header is sent
	for ended := false; !ended; {
		out, err := desk.Do(c.Request.Context(), s.desk, "recording", work, func(context.Context) (out []float64, err error) {
			for len(out) < sendBlock && err == nil {
				out, err = next(out)
			}
			return out, err
		})
		ended = errors.Is(err, io.EOF)
		if err != nil && !ended {
			s.unheard(c, err)
			return
		}
		if _, err := to.Write(sound.AppendSamples(nil, out)); err != nil {
			s.unheard(c, err)
			return
		}
	}
}

// lastHeard is what was heard at the moments of a plan the last time that it was recorded, nil if it was not.
func (s *Server) lastHeard(ctx context.Context, t *store.Tune, w *desk.Planned) map[int]view.Heard {
	kept, err := s.store.LastTake(ctx, t.Owner, t.ID, w.Basis)
	if err != nil {
		return nil
	}
	doc, err := docOf(kept)
	if err != nil {
		return nil
	}
	return view.NewHeard(w.Plan, doc)
}
