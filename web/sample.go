package web

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/sound"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/web/view"
)

// sampleText is the tune of one bar that an empty first page answers, composed for Stepping.
const sampleText = "X:1\nT:One bar\nM:4/4\nL:1/8\nQ:1/4=72\nK:D\n\"D\" d2 f2 a4 |]\n"

// sample is the plan of that bar for a player who has told nothing yet; made once.
type sample struct {
	once sync.Once
	plan *plan.Plan
	bars []view.StandBar
	err  error
}

func (p *sample) made(ctx context.Context) (*sample, error) {
	p.once.Do(func() {
		tu, _, err := abc.Read(strings.NewReader(sampleText))
		if err != nil {
			p.err = err
			return
		}
		tn, err := tuning.ParseAny("Open D")
		if err != nil {
			p.err = err
			return
		}
		r := plan.Request{Tune: tu, Tuning: tn, Player: player.Default(), Thumb: pattern.Alternating}
		if p.plan, p.err = plan.Solve(context.WithoutCancel(ctx), r); p.err == nil {
			p.bars, _ = view.NewStand(p.plan, [2]int{1, 1}, 0, true, true)
		}
	})
	return p, p.err
}

// sampleSound is how the answered bar of an empty first page sounds.
func (s *Server) sampleSound(c *gin.Context) {
	p, err := s.sample.made(c.Request.Context())
	if err != nil {
		s.fail(c, http.StatusInternalServerError, errors.New("the sample bar could not be planned"))
		return
	}
	s.stream(c, "sample", func() (*sound.Sound, error) { return soundOf(p.plan, nil) })
}
