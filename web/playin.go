package web

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"stepping/core/score"
	"stepping/core/take"
	"stepping/core/tune"
	"stepping/formats/smf"
	"stepping/formats/wav"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/view"
)

// playInRoute is where a tune is sung or played in.
const playInRoute = "/play-in"

// Of what is played in: bytes of a file, and seconds that are listened to.
const (
	maxPlayedIn  = 64 << 20
	mostPlayedIn = 180
)

// playInBody is the page.
type playInBody struct{ Fault string }

func (s *Server) playInPage(c *gin.Context) {
	s.render(c, http.StatusOK, "playin", "layout", "Play it in", playInBody{})
}

// playIn takes a recording from a form, and leads to the page that follows its reading.
func (s *Server) playIn(c *gin.Context) {
	form, err := s.takeForm(c, "played", "", false)
	if err == nil && form.up == nil {
		err = errNoFile
	}
	if err == nil {
		s.handOver(c, &form)
		return
	}
	text := takeFault(err)
	if text == "" {
		s.failFor(c, err)
		return
	}
	s.render(c, http.StatusUnprocessableEntity, "playin", "layout", "Play it in", playInBody{view.Sentence(text)})
}

// errNoLine is of a recording in which there are no notes.
var errNoLine = errors.New("fewer than three notes were heard: sing or play one line, close to the microphone and not too softly")

// playedUpload hears the notes of a recording, and keeps them as a draft.
func playedUpload(ctx context.Context, s *Server, a *arrival) (out arrived, err error) {
	d := store.Draft{Name: a.up.Name}
	_, err = desk.Do(ctx, s.desk, "read", jobs.Work{Owner: a.owner.String(), Long: true, Begun: true}, func(context.Context) (*struct{}, error) {
		in, err := wav.NewReader(a.file)
		if err != nil {
			return nil, err
		}
		signal, err := take.Prepare(in, in.Rate, in.Channels, nil)
		if err != nil {
			return nil, err
		}
		if signal.Seconds() > mostPlayedIn {
			signal.Samples = signal.Samples[:mostPlayedIn*take.Rate]
		}
		bpm, _ := strconv.ParseFloat(a.up.Fields["tempo"], 64) // what is no number is found
		var file bytes.Buffer
		if err := writeHeard(&file, signal.Listen(), bpm); err != nil {
			return nil, err
		}
		d.Data = packed(file.Bytes())
		_, err = readDraft(&d)
		return nil, err
	})
	return arrived{close: func() {}, keep: func(st *store.Store) (outcome, error) {
		place, err := keepDraft(ctx, st, a.owner, &d)
		return outcome{place: place}, err
	}}, err
}

// writeHeard writes notes that were heard against their beat, a MIDI file of what nobody wrote down: from there on they
// go the way of any file. Tempo is tapped, or 0.
func writeHeard(to *bytes.Buffer, heard take.Played, tempo float64) error {
	if !(tempo >= tune.MinTempo && tempo <= tune.MaxTempo) {
		tempo = 0
	}
	beats := take.Beats(heard.Line, tempo)
	if beats == nil {
		return errNoLine
	}
	if len(heard.Line) > score.MaxNotes {
		return fmt.Errorf("more than %d notes were heard: play one tune at a time", score.MaxNotes)
	}
	free := func(notes []take.Heard) (out []smf.FreeNote) {
		for _, n := range notes {
			at := math.Max(0, take.InBeats(beats, n.At))
			out = append(out, smf.FreeNote{At: at, Dur: take.InBeats(beats, n.At+n.Dur) - at, Key: int(math.Max(0, math.Min(127, n.Semitone)))})
		}
		return out
	}
	bpm := 60 * float64(len(beats)-1) / (beats[len(beats)-1] - beats[0])
	return smf.WriteFree(to, bpm, []string{"Melody", "Below"}, free(heard.Line), free(heard.Below))
}
