package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/setup"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
)

// dial is a dial of the plan page as it stands: a range from 0, the easiest or the least, to Most.
type dial struct {
	Name     string // of its field
	Label    string
	At, Most int
	Text     string // where it stands
}

// dialsOf are the dials of a tune for its player.
func dialsOf(st *setup.Settings, p *player.Profile) []dial {
	lean, most := p.Lean, len(setup.Easings)
	leans := setup.HowMuchSlide(p)
	if slices.Contains(leans, st.Slide) {
		lean = st.Slide
	}
	text := "as it is"
	if st.Ease > 0 {
		text = setup.Easings[st.Ease-1].Name
	}
	return []dial{{"slide", "How much slide", max(0, slices.Index(leans, lean)), len(leans) - 1, setup.SlideNames[lean]},
		{"ease", "How hard", most - st.Ease, most, text}}
}

// turned is what the dials would do: what each position leaves out or adds, and which moments would change.
type turned struct {
	Slide []turnedStep `json:"slide"` // by position
	Ease  []turnedStep `json:"ease"`
}

type turnedStep struct {
	Value   string `json:"value"` // of the setting
	Name    string `json:"name"`
	Words   string `json:"words"`
	Moments []int  `json:"moments"` // of the plan in force that would be played differently
}

// longestTurned is the number of melody notes up to which the dials say what they would do before they are turned.
const longestTurned = 400

// errTooLongToTurn says what to do with the dials of a long tune.
var errTooLongToTurn = fmt.Errorf("in a tune of over %d notes a dial is worked out only when you turn it", longestTurned)

// turn works out what the dials would do, once for a plan.
func (s *Server) turn(c *gin.Context, t *store.Tune, w *desk.Planned) (out turned, err error) {
	if len(w.Plan.Request.Tune.Notes) > longestTurned {
		return out, errTooLongToTurn
	}
	prof, err := s.store.TunePlayer(c.Request.Context(), door.Owner(c), t.ID)
	if err != nil {
		return out, err
	}
	full := *t
	full.Settings.Ease = 0
	hard, _, err := s.desk.Request(&full, &prof.Profile)
	if err != nil {
		return out, err
	}
	kept, err := w.Drawn("dials", func() (string, error) {
		work := desk.Of(t.Owner, len(hard.Tune.Notes))
		work.Later = true
		made, err := desk.Do(c.Request.Context(), s.desk, "dials", work, func(ctx context.Context) (turned, error) {
			return turnBoth(ctx, w.Plan, hard)
		})
		if err != nil {
			return "", err
		}
		data, err := json.Marshal(made)
		return string(data), err
	})
	if err != nil {
		return out, err
	}
	return out, json.Unmarshal([]byte(kept), &out)
}

// turnBoth plans every position of both dials. own is the plan in force, hard the request without easings.
func turnBoth(ctx context.Context, own *plan.Plan, hard plan.Request) (out turned, err error) {
	slides, err := setup.SlideSteps(ctx, own.Request)
	if err != nil {
		return out, err
	}
	for _, st := range slides {
		out.Slide = append(out.Slide, turnedStep{st.Slide, setup.SlideNames[st.Slide], st.Words, changedIn(own, st.Plan)})
	}
	steps, err := setup.HowHard(ctx, hard)
	if err != nil {
		return out, err
	}
	most := len(setup.Easings)
	out.Ease = make([]turnedStep, most+1)
	at := 0
	for ease := range most + 1 { // a position that makes nothing easier is the one before it
		if at+1 < len(steps) && steps[at+1].Ease <= ease {
			at++
		}
		st := &steps[at]
		v := turnedStep{strconv.Itoa(st.Ease), "as it is", st.Words, changedIn(own, st.Plan)}
		if st.Ease > 0 {
			v.Name = setup.Easings[st.Ease-1].Name
		}
		if st.Ease < ease {
			v.Words = setup.Easings[ease-1].Name + ": makes nothing easier in this tune"
		}
		out.Ease[most-ease] = v
	}
	return out, nil
}

// changedIn lists the moments of own that p plays differently or not at all.
func changedIn(own, p *plan.Plan) []int {
	out := []int{}
	differ := desk.Differences(p, own)
	for m := range own.Moments {
		if differ[m] {
			out = append(out, m)
		}
	}
	return out
}

// dialsJSON answers with what the dials would do.
func (s *Server) dialsJSON(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	out, err := s.turn(c, t, w)
	switch {
	case errors.Is(err, errTooLongToTurn):
		s.fail(c, http.StatusUnprocessableEntity, err)
	case err != nil:
		s.failFor(c, err)
	default:
		c.JSON(http.StatusOK, out)
	}
}

// turnDials puts the dials where the form says.
func (s *Server) turnDials(c *gin.Context) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	prof, err := s.store.TunePlayer(c.Request.Context(), door.Owner(c), ch.tune.ID)
	if err != nil {
		s.failFor(c, err)
		return
	}
	st := ch.tune.Settings
	dials := dialsOf(&st, &prof.Profile)
	for i := range dials {
		d := &dials[i]
		typed := c.PostForm(d.Name)
		at, err := strconv.Atoi(typed)
		switch {
		case typed == "" || err == nil && at == d.At:
			continue
		case err != nil || at < 0 || at > d.Most:
			s.showPlan(c, http.StatusUnprocessableEntity, ch.tune.ID, ch.moment,
				planNote{Notice: fmt.Sprintf("%s: choose a position from 0 to %d.", d.Label, d.Most)})
			return
		case d.Name == "slide":
			if st.Slide = setup.HowMuchSlide(&prof.Profile)[at]; st.Slide == prof.Profile.Lean {
				st.Slide = ""
			}
		default:
			if st.Ease, err = s.easeAt(c, &ch, d.Most-at); err != nil {
				s.failFor(c, err)
				return
			}
		}
	}
	s.keep(c, &ch, st)
}

// easeAt is the position of the dial *how hard* that a wanted one comes down to: one that makes nothing easier is the one before it.
func (s *Server) easeAt(c *gin.Context, ch *change, wanted int) (int, error) {
	w, err := s.desk.Plan(c.Request.Context(), &ch.tune, s.patience)
	if err != nil {
		return wanted, nil // without a plan there is nothing to compare: the page says why
	}
	can, err := s.turn(c, &ch.tune, w)
	if errors.Is(err, errTooLongToTurn) {
		return wanted, nil
	}
	if err != nil {
		return 0, err
	}
	return strconv.Atoi(can.Ease[len(can.Ease)-1-wanted].Value)
}
