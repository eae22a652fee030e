package web

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"stepping/core/retune"
	"stepping/core/take"
	"stepping/core/tuning"
	"stepping/formats/wav"
	"stepping/web/desk"
	"stepping/web/door"
)

// tunerBytes is the most sound at a time: half a second at any rate, and more.
const tunerBytes = 256 << 10

// hearString tells the pitch of what was plucked last: the body is samples of 16 bits, little end first, of the
// last half second; the query that of the bench.
func (s *Server) hearString(c *gin.Context) {
	rate := atoi(c.Query("rate"))
	data, err := io.ReadAll(io.LimitReader(c.Request.Body, tunerBytes+1))
	if err != nil || len(data) > tunerBytes || len(data)%2 != 0 || rate < wav.MinRate || rate > wav.MaxRate {
		c.JSON(http.StatusUnprocessableEntity,
			gin.H{"error": fmt.Sprintf("give samples of 16 bits, at most %d KiB, and a rate of %d to %d", tunerBytes>>10, wav.MinRate, wav.MaxRate)})
		return
	}
	p, err := s.retuned(c)
	if err != nil {
		c.JSON(http.StatusUnprocessableEntity, gin.H{"error": err.Error()})
		return
	}
	pluck, err := desk.Do(c.Request.Context(), s.desk, "tuner", desk.Of(door.Owner(c), 0), func(context.Context) (take.Pluck, error) {
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
	if pluck.Sure < take.SureOf {
		pluck.Hz = 0
	}
	c.JSON(http.StatusOK, p.Hear(max(atoi(c.Query("i")), 0), pluck.Hz))
}

// retuned is the retuning that the bench's query asks for.
func (s *Server) retuned(c *gin.Context) (*retune.Plan, error) {
	guitars, err := s.guitars(c)
	if err != nil {
		return nil, errors.New("the guitar’s data cannot be read at the moment")
	}
	g := chosenGuitar(guitars, c.Query("guitar")).Doc.Guitar
	from, err1 := tuning.ParseAny(c.Query("from"))
	to, err2 := tuning.ParseAny(c.Query("to"))
	if hz := c.Query("hz"); hz != "" {
		if g.ReferenceHz, err = strconv.ParseFloat(hz, 64); err != nil {
			return nil, fmt.Errorf("%q is not a number", hz)
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
