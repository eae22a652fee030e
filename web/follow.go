package web

import (
	"context"
	"errors"
	"math"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/core/take"
)

// listenEvery is how often a position is sent though nothing changed.
const listenEvery = 200 * time.Millisecond

// followed is what is sent of where a player is.
type followed struct {
	Moment int     `json:"m"` // -1 before the beginning
	Sure   float64 `json:"sure"`
	Lost   bool    `json:"lost"`
	Level  float64 `json:"level"`           // the loudest of what was heard since, 0 to 1
	Delay  float64 `json:"delay,omitempty"` // ms from what the page plays to the microphone, once it is known
	Tempo  float64 `json:"tempo"`           // quarter notes a minute at the start of the tune, as it is played; 0 if it is not known
}

// follow hears a player over a WebSocket and says where in the plan they are. from and tempo in the address say where to
// go on, so that any copy takes over a connection that broke. With own in the address every other sample is of what the
// page plays itself, which is not taken for the player.
func (s *Server) follow(c *gin.Context) {
	p, rate, ok := s.planHeard(c)
	if !ok {
		return
	}
	ratio := 0.0
	if tempo, err := strconv.ParseFloat(c.Query("tempo"), 64); err == nil && tempo > 0 {
		ratio = math.Max(1.0/8, math.Min(8, p.Tempo()/tempo))
	}
	f := &follower{live: take.NewLive(p, rate, max(0, atoi(c.Query("from"))), ratio), tempo: p.Tempo(), rate: rate,
		last: take.Position{Moment: -2}} // so that the first position is sent
	channels := 1
	if c.Query("own") != "" {
		channels, f.echo = 2, take.NewEcho()
	}
	s.listen(c, rate, channels, f)
}

// follower is the ear that follows a plan.
type follower struct {
	live  *take.Live
	tempo float64 // of the plan
	sent  time.Time
	last  take.Position
	level float64
	rate  int
	echo  *take.Echo // of what the page plays; nil if it is silent
	two   [2][]float64
	delay float64 // ms
}

func (f *follower) ask([]byte) error { return errors.New("send samples of 16 bits") }

// hear returns the position if it has changed, or some time has passed.
func (f *follower) hear(_ context.Context, samples []float64) any {
	if f.echo != nil {
		samples = f.alone(samples)
	}
	pos := f.live.Hear(samples)
	f.level = math.Max(f.level, pos.Level)
	if pos.Moment == f.last.Moment && pos.Lost == f.last.Lost && time.Since(f.sent) < listenEvery {
		return nil
	}
	out := followed{Moment: pos.Moment, Sure: math.Round(100*pos.Sure) / 100, Lost: pos.Lost, Level: math.Round(1000*f.level) / 1000}
	if pos.Ratio > 0 {
		out.Tempo = math.Round(10*f.tempo/pos.Ratio) / 10
	}
	if f.echo != nil && f.delay == 0 {
		if d, ok := f.echo.Delay(); ok {
			f.delay = math.Round(1000 * float64(d) / float64(f.rate))
		}
	}
	out.Delay = f.delay
	f.last, f.sent, f.level = pos, time.Now(), 0
	return out
}

// alone is what the player sounds, of samples of the microphone and of our own sound in turn.
func (f *follower) alone(samples []float64) []float64 {
	f.two[0], f.two[1] = f.two[0][:0], f.two[1][:0]
	for i, v := range samples {
		f.two[i%2] = append(f.two[i%2], v)
	}
	return f.echo.Hear(f.two[0], f.two[1])
}
