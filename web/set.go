package web

import (
	"context"
	"fmt"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"stepping/core/setlist"
	"stepping/core/tuning"
	"stepping/jobs"
)

// setBody is the page that orders a set.
type setBody struct {
	Tunes                   []setChoice
	Guitars, Opener, Closer string
	Pairs                   []setPair // those chosen, and an empty one
	Fault                   string
	Steps                   []setStepView
	Best, Typed, Proof      string
}

// setPair is two tunes that stand side by side.
type setPair struct{ Beside, Next string }

type setChoice struct {
	ID, Title, Tuning string
	On                bool
}

type setStepView struct {
	N, Guitar           int
	Title, Tuning, Capo string
	Turn                []string
	Seconds             string
	Risk                bool
}

func setCapo(n int) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprintf("capo %d", n)
}

func minutes(seconds float64) string {
	if seconds < 90 {
		return fmt.Sprintf("%.0f s", seconds)
	}
	return fmt.Sprintf("%d min %02d s", int(seconds)/60, int(seconds)%60)
}

// set orders the tunes chosen so that they take least retuning between them.
func (s *Server) set(c *gin.Context) {
	tunes, err := s.store.Tunes(c.Request.Context(), owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	guitars, err := s.guitars(c)
	if err != nil {
		s.failFor(c, err)
		return
	}
	chosen, asked := c.QueryArray("t"), c.Query("guitars") != ""
	body := setBody{Guitars: c.DefaultQuery("guitars", "1"), Opener: c.Query("opener"), Closer: c.Query("closer")}
	g, now := sixStringed(guitars)
	r := setlist.Request{Guitars: atoi(body.Guitars), Guitar: g.Guitar, Start: now, Opener: -1, Closer: -1}
	number := map[string]int{}
	for i := range tunes {
		t := &tunes[i]
		id := t.ID.String()
		on := !asked || slices.Contains(chosen, id)
		body.Tunes = append(body.Tunes, setChoice{id, t.Title, t.Settings.Tuning, on})
		spelt, err := tuning.ParseAny(t.Settings.Tuning)
		if !on || err != nil {
			continue
		}
		if id == body.Opener {
			r.Opener = len(r.Tunes)
		}
		if id == body.Closer {
			r.Closer = len(r.Tunes)
		}
		number[id] = len(r.Tunes)
		r.Tunes = append(r.Tunes, setlist.Tune{Title: t.Title, Tuning: spelt, Capo: t.Settings.Capo})
	}
	body.pairs(c.QueryArray("beside"), c.QueryArray("next"))
	for _, p := range body.Pairs {
		a, ok := number[p.Beside]
		b, too := number[p.Next]
		if ok && too && a != b {
			r.Neighbours = append(r.Neighbours, [2]int{a, b})
		}
	}
	status := http.StatusOK
	got, err := do(c, s, "set", jobs.Work{Owner: owner(c).String(), Long: len(r.Tunes) > setlist.ExactTunes}, func(ctx context.Context) (*setlist.Set, error) { return setlist.Solve(ctx, r) })
	if c.Err() != nil {
		c.Abort()
		return
	}
	if err != nil {
		body.Fault, status = err.Error(), http.StatusUnprocessableEntity
	} else {
		body.show(&r, got)
	}
	s.render(c, status, "set", "layout", "Order of a set", body)
}

// pairs takes the pairs that were chosen whole, and leaves room for one more.
func (b *setBody) pairs(beside, next []string) {
	for i := range min(len(beside), len(next)) {
		if beside[i] != "" && next[i] != "" {
			b.Pairs = append(b.Pairs, setPair{beside[i], next[i]})
		}
	}
	b.Pairs = append(b.Pairs, setPair{})
}

func (b *setBody) show(r *setlist.Request, got *setlist.Set) {
	for n, st := range got.Best.Steps {
		t := &r.Tunes[st.Tune]
		v := setStepView{N: n + 1, Guitar: st.Guitar, Title: t.Title, Tuning: t.Tuning.Classes(), Capo: setCapo(t.Capo), Seconds: minutes(st.Seconds), Risk: st.Risk > 0}
		for _, c := range st.Changes {
			v.Turn = append(v.Turn, fmt.Sprintf("string %d %s to %s", c.String, moveWords(c.HalfSteps), c.To.ClassName()))
		}
		switch {
		case st.Capo == 0:
			v.Turn = append(v.Turn, "capo off")
		case st.Capo > 0:
			v.Turn = append(v.Turn, fmt.Sprintf("capo to fret %d", st.Capo))
		}
		b.Steps = append(b.Steps, v)
	}
	b.Best = minutes(got.Best.Seconds)
	if len(got.Typed.Steps) > 0 {
		b.Typed = minutes(got.Typed.Seconds)
	}
	b.Proof = "No order takes less."
	if len(r.Tunes) > setlist.ExactTunes {
		b.Proof = fmt.Sprintf("The best found; at most %.0f%% of it could be saved.", 100*got.Gap)
	}
}
