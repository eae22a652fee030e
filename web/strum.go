package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/take"
	"stepping/core/tuning"
)

// hearStrum listens to a strum test: the player holds the position of a moment and strikes the strings one after the
// other, string 6 first.
func (s *Server) hearStrum(c *gin.Context) {
	p, rate, ok := s.planHeard(c)
	if !ok {
		return
	}
	m := atoi(c.Query("m"))
	if m < 0 || m >= len(p.Moments) {
		s.fail(c, http.StatusUnprocessableEntity, fmt.Errorf("the plan has moments 0 to %d", len(p.Moments)-1))
		return
	}
	s.listen(c, rate, 1, &strumEar{rate: rate, ear: take.NewStrumEar(rate), test: p.Strum(m)})
}

// strumEar is the ear of a strum test.
type strumEar struct {
	rate int
	ear  *take.StrumEar
	test []plan.Strummed
	at   int   // how many strings have been struck
	bad  []int // those that are not as they should be
}

// strumHeard is what is answered.
type strumHeard struct {
	String int    `json:"string"`
	Good   bool   `json:"good"`
	Text   string `json:"text"`
	Next   int    `json:"next"`           // the string to strike now, 0 after the last
	Said   string `json:"said,omitempty"` // at the end
}

// ask begins the test again.
func (e *strumEar) ask(text []byte) error {
	var again struct{ Again bool }
	if err := json.Unmarshal(text, &again); err != nil || !again.Again {
		return errors.New("ask to start again")
	}
	e.ear, e.at, e.bad = take.NewStrumEar(e.rate), 0, nil
	return nil
}

func (e *strumEar) hear(_ context.Context, samples []float64) any {
	var out []strumHeard
	for _, r := range e.ear.Hear(samples) {
		if e.at == len(e.test) {
			break
		}
		l := &e.test[e.at]
		h := strumHeard{String: l.String, Good: r.Rings == l.Wanted, Text: strumText(l, r.Rings)}
		if !h.Good {
			e.bad = append(e.bad, l.String)
		}
		if e.at++; e.at < len(e.test) {
			h.Next = e.test[e.at].String
		} else {
			h.Said = saidOf(e.bad)
		}
		out = append(out, h)
	}
	if out == nil {
		return nil
	}
	return out
}

// strumText says how a string is, and what to do about it.
func strumText(l *plan.Strummed, rings bool) string {
	switch {
	case rings && l.Wanted:
		return "rings, as it should"
	case !rings && l.Wanted:
		return "dead but should ring: something is touching it"
	case !rings:
		return "silent, as it should be"
	case l.By != "":
		return "rings but should be silenced by " + plan.DamperText(l.By)
	case l.Advice != "":
		return "rings: damp it with " + plan.DamperText(l.Advice)
	}
	return "rings, and neither hand can reach it"
}

// saidOf sums a test up.
func saidOf(bad []int) string {
	if len(bad) == 0 {
		return fmt.Sprintf("All %d strings are as they should be.", tuning.Strings)
	}
	var names []string
	for _, s := range bad {
		names = append(names, fmt.Sprint(s))
	}
	if len(names) == 1 {
		return "String " + names[0] + " needs work. Change it, then start again."
	}
	return "Strings " + strings.Join(names, ", ") + " need work. Change one thing, then start again."
}
