package web

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/gin-gonic/gin"

	"stepping/core/practice"
)

// ladderBody is what to practise for a plan, in order.
type ladderBody struct {
	ID, Title string
	Parts     []ladderPart
}

// ladderPart is the steps of one layer.
type ladderPart struct {
	Name, Why string
	Steps     []ladderStep
}

type ladderStep struct {
	Number int
	practice.Step
	Tempo string
	Hear  string // address of how it sounds
}

// layerWords are the layers for people, with why they come where they come.
var layerWords = map[string][2]string{
	practice.ThumbAlone: {"The thumb alone", "until it needs no thought"}, practice.MelodyAlone: {"The melody alone", "in tune before anything else"},
	practice.HardMove: {"The hardest moves", "each by itself, over and over"}, practice.Change: {"Chord changes", "grown one stroke at a time"},
	practice.Together: {"Together", "at a dead walk, without a click"}, practice.Click: {"With a click", "very slow"}, practice.Tempo: {"Up in tempo", "in small steps"},
	practice.Accents: {"Accents and mutes", "now that the notes run"}, practice.Slide: {"Glides and vibrato", "now that the pitch is right"},
	practice.Percussion: {"Percussion", "built up over days"}, practice.Whole: {"The whole tune", "another way, and an end"},
}

func (s *Server) ladder(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	b := ladderBody{ID: t.ID.String(), Title: t.Title}
	for i, step := range practice.Ladder(w.plan) {
		words := layerWords[step.Layer]
		if n := len(b.Parts); n == 0 || b.Parts[n-1].Name != words[0] {
			b.Parts = append(b.Parts, ladderPart{Name: words[0], Why: words[1]})
		}
		part := &b.Parts[len(b.Parts)-1]
		part.Steps = append(part.Steps, newLadderStep(b.ID, i+1, step))
	}
	s.render(c, http.StatusOK, "practise", "layout", "Practise "+t.Title, b)
}

func newLadderStep(id string, number int, step practice.Step) ladderStep {
	out := ladderStep{Number: number, Step: step, Tempo: fmt.Sprintf("%.4g", step.Tempo)}
	q := url.Values{"tempo": {out.Tempo}, "bars": {fmt.Sprintf("%d-%d", step.Bars[0], step.Bars[1])}, "count": {fmt.Sprint(step.Count)}, "layer": step.Heard().Names()}
	out.Hear = "/tunes/" + id + "/hear?" + q.Encode()
	return out
}
