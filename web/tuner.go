package web

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"stepping/core/retune"
	"stepping/core/take"
	"stepping/core/tuning"
	"stepping/formats/wav"
	"stepping/web/view"
)

// Of the tuner: the most bytes of sound at a time, half a second at any rate and more, and how near in cents is right.
const (
	tunerBytes = 256 << 10
	tunedCents = 3.0
)

// tunerAnswer is what the bench shows of a string that was plucked.
type tunerAnswer struct {
	Hz      float64 `json:"hz"` // 0 where nothing is heard
	String  int     `json:"string"`
	Cents   float64 `json:"cents"` // above where the string is wanted, negative below
	Right   bool    `json:"right"` // it is the string that is being turned, and in tune
	Words   string  `json:"words"`
	Octaves int     `json:"octaves"`
}

// hearString tells the pitch of what was plucked last: the body is samples of 16 bits, little end first, of the last half second; the query that of the bench.
func (s *Server) hearString(c *gin.Context) {
	rate := atoi(c.Query("rate"))
	data, err := io.ReadAll(io.LimitReader(c.Request.Body, tunerBytes+1))
	if err != nil || len(data) > tunerBytes || len(data)%2 != 0 || rate < wav.MinRate || rate > wav.MaxRate {
		c.JSON(http.StatusUnprocessableEntity, gin.H{"error": fmt.Sprintf("give samples of 16 bits, at most %d KiB, and a rate of %d to %d", tunerBytes>>10, wav.MinRate, wav.MaxRate)})
		return
	}
	p, err := s.retuned(c)
	if err != nil {
		c.JSON(http.StatusUnprocessableEntity, gin.H{"error": err.Error()})
		return
	}
	pluck, err := do(c, s, "tuner", of(owner(c), 0), func(context.Context) (take.Pluck, error) {
		samples := make([]float64, len(data)/2)
		for i := range samples {
			samples[i] = float64(int16(binary.LittleEndian.Uint16(data[2*i:]))) / 32768
		}
		return take.ListenTo(take.Resampled(samples, rate)), nil
	})
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.JSON(http.StatusOK, answerTo(p, max(atoi(c.Query("i")), 0), pluck))
}

// retuned is the retuning that the bench's query asks for.
func (s *Server) retuned(c *gin.Context) (*retune.Plan, error) {
	guitars, err := s.guitars(c)
	if err != nil {
		return nil, errors.New("the guitar cannot be read just now")
	}
	g := chosenGuitar(guitars, c.Query("guitar")).Doc.Guitar
	from, err1 := tuning.ParseAny(c.Query("from"))
	to, err2 := tuning.ParseAny(c.Query("to"))
	if hz := c.Query("hz"); hz != "" {
		if g.ReferenceHz, err = strconv.ParseFloat(hz, 64); err != nil {
			return nil, fmt.Errorf("%q is no number", hz)
		}
	}
	if err := errors.Join(err1, err2); err != nil {
		return nil, err
	}
	if err := g.Complete(to.Len()); err != nil {
		return nil, err
	}
	return retune.New(g, from, to)
}

// answerTo puts a pluck into words at a step of a retuning; strings turned before are where they are wanted.
func answerTo(p *retune.Plan, step int, pluck take.Pluck) tunerAnswer {
	pegs := make([]take.Peg, len(p.Changes))
	for i := range p.Changes {
		ch := &p.Changes[i]
		pegs[i] = take.Peg{From: ch.Hz * math.Exp2(-float64(ch.HalfSteps)/12), To: ch.Hz}
	}
	order := append(append([]int{}, p.Order...), p.Second...)
	for _, str := range order[:min(step, len(order))] {
		pegs[str-1].From = pegs[str-1].To
	}
	turning := 0
	if step < len(order) {
		turning = order[step]
	}
	a := tunerAnswer{}
	if pluck.Sure < take.SureOf {
		if a.Words = "Pluck any string."; turning > 0 {
			a.Words = fmt.Sprintf("Pluck string %d.", turning)
		}
		return a
	}
	a.Hz = math.Round(100*pluck.Hz) / 100
	at, octaves := take.Which(pluck.Hz, pegs, turning-1)
	if at < 0 {
		a.Words = "That is no string of this tuning."
		return a
	}
	a.String, a.Octaves = at+1, octaves
	a.Cents = math.Round(12000*math.Log2(pluck.Hz/pegs[at].To)) / 10
	a.Right = a.String == turning && math.Abs(a.Cents) <= tunedCents
	a.Words = a.words(p, turning, pluck.Hz)
	return a
}

// words is what to do.
func (a *tunerAnswer) words(p *retune.Plan, turning int, hz float64) string {
	knob := turnWords(math.Abs(p.TurnsFrom(a.String, hz)))
	switch {
	case a.Octaves != 0:
		return fmt.Sprintf("An octave too %s: is this string %d? Turn %s, slowly.", view.Sided(float64(a.Octaves), "high", "low"), a.String, view.Sided(float64(a.Octaves), "down", "up"))
	case turning > 0 && a.String != turning:
		return fmt.Sprintf("That is string %d. Pluck string %d.", a.String, turning)
	case math.Abs(a.Cents) <= tunedCents:
		return "In tune."
	case a.Cents < 0:
		return fmt.Sprintf("%.0f cents low: turn up %s", -a.Cents, knob)
	}
	return fmt.Sprintf("%.0f cents high: turn down %s, then up from below", a.Cents, knob)
}

// turnWords is a turn of the knob as one says it.
func turnWords(turns float64) string {
	switch {
	case turns < 0.04:
		return "a touch"
	case turns < 0.19:
		return "about an eighth of a turn"
	case turns < 0.38:
		return "about a quarter of a turn"
	case turns < 0.75:
		return "about half a turn"
	}
	return fmt.Sprintf("about %.1f turns", turns)
}
