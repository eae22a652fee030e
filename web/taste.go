package web

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/taste"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/door"
)

// tasteBody shows what the planner has learnt from a player's own choices, and what it could.
type tasteBody struct {
	ID, Name   string
	Version    int
	Learn      bool
	Notice     string
	InForce    []lessonView
	Running    bool
	Percent    int
	Problem    string
	Done       bool // what follows is known
	Total      int
	Against    int
	Needed     int
	Enough     bool
	Skipped    string // tunes that are not learnt from
	Now        int    // of those against, how many it would make with what could be learnt
	Tendencies []taste.Tendency
	Learnt     []lessonView
	Same       bool // what could be learnt is in force
	Changes    []changeView
	Choices    []choiceView
}

// lessonView is one weight of a taste: what it charges for, and how that differs from other players.
type lessonView struct{ Weight, Words, Differs string }

type changeView struct {
	Tune, ID, First string
	Moment, Moments int
}

type choiceView struct {
	Tune, ID, Words, Planner string
	Moment                   int
}

// Limits of learning: tunes that are learnt from, and how long it may take.
const (
	tasteTunes = 24
	tasteLimit = 10 * time.Minute
	tasteJob   = "taste"
)

// learnable is the tunes of a player that can be learnt from, and a hash of all that the lesson depends on.
type learnable struct {
	tunes   []store.Tune
	sources []taste.Source
	skipped []string // titles of those that are too long, or too many
	basis   string
}

func (s *Server) learnable(ctx context.Context, owner store.ID, p *store.Profile) (*learnable, error) {
	all, err := s.store.Tunes(ctx, owner)
	if err != nil {
		return nil, err
	}
	l := &learnable{}
	hash := sha256.New()
	enc := json.NewEncoder(hash)
	_ = enc.Encode([]any{plan.Revision, p.Profile})
	for _, t := range slices.Backward(all) {
		if t.ProfileID != p.ID {
			continue
		}
		if len(l.tunes) == tasteTunes {
			l.skipped = append(l.skipped, t.Title)
			continue
		}
		req, _, err := s.desk.Request(&t, &p.Profile)
		if err != nil {
			continue // its own page says why
		}
		if len(req.Tune.Notes) > taste.MostNotes {
			l.skipped = append(l.skipped, t.Title)
			continue
		}
		l.tunes, l.sources = append(l.tunes, t), append(l.sources, taste.Source{Name: t.Title, Request: req})
		_ = enc.Encode([]any{t.ID, t.Source, t.Settings})
	}
	l.basis = hex.EncodeToString(hash.Sum(nil))
	return l, nil
}

// lesson starts learning, or finds what was learnt.
func (s *Server) lesson(ctx context.Context, owner store.ID, p *store.Profile) (*learnable, *jobs.Job[*taste.Lesson], error) {
	from, err := s.learnable(ctx, owner, p)
	if err != nil {
		return nil, nil, err
	}
	j, err := jobs.Start(s.desk.Jobs, jobs.Key{Kind: tasteJob, Of: p.ID.String()}, from.basis,
		jobs.Work{Owner: owner.String(), Long: true}, tasteLimit, func(ctx context.Context, j *jobs.Job[*taste.Lesson]) (*taste.Lesson, error) {
			return taste.Learn(ctx, from.sources, func(share float64) { j.Report(int(1000*share), 1000) })
		})
	return from, j, err
}

// tastePage shows a player's taste; learning begins when it is looked at, if the player wants it.
func (s *Server) tastePage(c *gin.Context) {
	if p, ok := s.profileParam(c); ok {
		s.showTaste(c, http.StatusOK, p, "")
	}
}

func (s *Server) showTaste(c *gin.Context, status int, p *store.Profile, notice string) {
	b := tasteBody{ID: p.ID.String(), Name: profileName(&p.Profile), Version: p.Version, Learn: p.Profile.Learn, Notice: notice,
		InForce: newLessons(p.Profile.Taste), Needed: taste.MinAgainst}
	if b.Learn {
		b.learn(s, c, p)
	}
	part := "layout"
	if c.GetHeader("X-Part") != "" {
		part = "ranking"
	}
	s.render(c, status, "taste", part, "Your preferences: "+b.Name, b)
}

func (b *tasteBody) learn(s *Server, c *gin.Context, p *store.Profile) {
	from, j, err := s.lesson(c.Request.Context(), door.Owner(c), p)
	if err != nil {
		b.Problem = "Stepping is busy: look again in a moment."
		return
	}
	l, err := j.Wait(c.Request.Context(), time.Second)
	var busy *jobs.NotReady
	switch {
	case errors.As(err, &busy):
		b.Running, b.Percent = true, busy.Percent
	case err != nil:
		b.Problem = "Nothing could be learnt: " + err.Error() + "."
		j.Drop()
	default:
		b.take(from, l, p.Profile.Taste)
	}
}

// take shows a lesson.
func (b *tasteBody) take(from *learnable, l *taste.Lesson, inForce player.Taste) {
	b.Skipped = strings.Join(from.skipped, ", ")
	b.Done, b.Total, b.Against, b.Enough, b.Now = true, len(l.Choices), l.Against, l.Enough(), l.Against-l.After
	b.Tendencies, b.Learnt, b.Same = l.Tendencies, newLessons(l.Taste), maps.Equal(l.Taste, inForce)
	for _, ch := range l.Changes {
		t := &from.tunes[ch.Source]
		b.Changes = append(b.Changes, changeView{t.Title, t.ID.String(), ch.First, ch.Moments[0], len(ch.Moments)})
	}
	for i := range l.Choices {
		if ch := &l.Choices[i]; ch.Planner != "" {
			t := &from.tunes[ch.Source]
			b.Choices = append(b.Choices, choiceView{t.Title, t.ID.String(), ch.Words, ch.Planner, ch.Moment})
		}
	}
}

func newLessons(t player.Taste) (out []lessonView) {
	for _, name := range slices.Sorted(maps.Keys(t)) {
		words := taste.Words(name)
		if words == "" {
			words = name
		}
		v := lessonView{name, words, play.Decimal(t[name]) + " times as much avoided"}
		if t[name] < 1 {
			v.Differs = play.Decimal(1/t[name]) + " times less avoided"
		}
		out = append(out, v)
	}
	return out
}

// saveTaste changes what is learnt: the switch, taking what could be learnt, or letting go of it.
func (s *Server) saveTaste(c *gin.Context) {
	p, ok := s.profileParam(c)
	if !ok {
		return
	}
	next := p.Profile
	switch drop := c.PostForm("drop"); {
	case c.PostForm("learn") != "":
		next.Learn = c.PostForm("learn") == "yes"
	case drop == "all":
		next.Taste = nil
	case drop != "":
		next.Taste = maps.Clone(next.Taste)
		delete(next.Taste, drop)
	default:
		_, j, err := s.lesson(c.Request.Context(), door.Owner(c), p)
		if err != nil {
			s.failFor(c, err)
			return
		}
		l, err := j.Wait(c.Request.Context(), time.Second)
		if err != nil || len(l.Taste) == 0 {
			s.showTaste(c, http.StatusConflict, p,
				"Your choices have changed since this was shown. The new result is below; accept it if you still want it.")
			return
		}
		next.Taste = l.Taste
	}
	err := s.store.SaveProfile(c.Request.Context(), door.Owner(c), p.ID, atoi(c.PostForm("version")), next)
	switch {
	case errors.Is(err, store.ErrStale):
		s.showTaste(c, http.StatusConflict, p,
			"This player was changed in another tab in the meantime. Your last change was not saved; make it again if you still want it.")
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/profiles/"+p.ID.String()+"/taste")
	}
}
