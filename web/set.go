package web

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/retune"
	"stepping/core/setlist"
	"stepping/core/tuning"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
)

// setBody is the page that orders a set.
type setBody struct {
	Tunes                   []setChoice
	Find                    string // what is searched for among the tunes
	More                    bool   // there are others
	Guitars, Opener, Closer string
	Pairs                   []setPair // those chosen, and an empty one
	Fault                   string
	Steps                   []setStepView
	Best, Typed, Proof      string
	Start                   string // the guitar as it is
	Kept                    []keptPage
	Query                   string   // of this page's address
	Gone                    int      // tunes of the address that are not here any more
	ids                     []string // of the tunes chosen
}

// setPair is two tunes that stand side by side.
type setPair struct{ Beside, Next string }

type setChoice struct {
	ID, Title, Tuning string
	On                bool
}

type setStepView struct {
	N, Guitar         int
	ID, Title, Tuning string
	Turn              []string // everything to do, in words
	Strings           []setString
	Capo              string // what to do with it
	Seconds           string
	Risk              bool
	Danger            string // which strings
}

// setString is one string to be turned.
type setString struct {
	Number     int
	Way, Arrow string // up or down
	To, Tip    string
	Danger     bool
}

// turn adds a string to be turned.
func (v *setStepView) turn(c *retune.Change) {
	tip := fmt.Sprintf("string %d %s to %s", c.String, moveWords(c.HalfSteps), c.To.ClassName())
	s := setString{Number: c.String, Way: "is-up", Arrow: fmt.Sprintf("▲%d", c.HalfSteps), To: c.To.ClassName(), Tip: tip,
		Danger: len(c.Warnings) > 0}
	if c.HalfSteps < 0 {
		s.Way, s.Arrow = "is-down", fmt.Sprintf("▼%d", -c.HalfSteps)
	}
	if s.Danger {
		s.Tip += ": " + strings.Join(c.Warnings, "; ")
		if v.Danger != "" {
			v.Danger += "; "
		}
		v.Danger += fmt.Sprintf("string %d", c.String)
	}
	v.Turn = append(v.Turn, tip)
	v.Strings = append(v.Strings, s)
}

func minutes(seconds float64) string {
	if seconds < 90 {
		return fmt.Sprintf("%.0f s", seconds)
	}
	return fmt.Sprintf("%d min %02d s", int(seconds)/60, int(seconds)%60)
}

// set orders the tunes chosen so that they take least retuning between them.
func (s *Server) set(c *gin.Context) {
	chosen, asked := map[string]bool{}, c.Query("guitars") != ""
	for _, id := range c.QueryArray("t") {
		chosen[id] = true
	}
	find := strings.TrimSpace(c.Query("find"))
	tunes, more, err := s.pickable(c, find, chosen)
	if err != nil {
		s.failFor(c, err)
		return
	}
	guitars, err := s.guitars(c)
	if err != nil {
		s.failFor(c, err)
		return
	}
	body := setBody{Find: find, More: more || find != "", Guitars: c.DefaultQuery("guitars", "1"), Opener: c.Query("opener"), Closer: c.Query("closer")}
	g, now := sixStringed(guitars)
	if body.Kept, err = s.keptPages(c, "set"); err != nil {
		s.failFor(c, err)
		return
	}
	body.Query = c.Request.URL.RawQuery
	body.Start = g.Name + ", " + g.Tuning
	r := setlist.Request{Guitars: atoi(body.Guitars), Guitar: g.Guitar, Start: now, Opener: -1, Closer: -1}
	number := body.choose(&r, tunes, func(id string) bool { return !asked || chosen[id] })
	body.missing(chosen)
	body.pairs(c.QueryArray("beside"), c.QueryArray("next"))
	r.Neighbours = body.neighbours(number)
	status := http.StatusOK
	got, err := desk.Do(c.Request.Context(), s.desk, "set", jobs.Work{Owner: door.Owner(c).String(), Long: len(r.Tunes) > setlist.ExactTunes},
		func(ctx context.Context) (*setlist.Set, error) { return setlist.Solve(ctx, r) })
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

// choose offers tunes, and puts those that are on into the request; number is their place in it.
func (b *setBody) choose(r *setlist.Request, tunes []store.Listed, on func(id string) bool) (number map[string]int) {
	number = map[string]int{}
	for i := range tunes {
		t := &tunes[i]
		id := t.ID.String()
		b.Tunes = append(b.Tunes, setChoice{id, t.Title, t.Tuning, on(id)})
		spelt, err := tuning.ParseAny(t.Tuning)
		if !on(id) || err != nil {
			continue
		}
		if id == b.Opener {
			r.Opener = len(r.Tunes)
		}
		if id == b.Closer {
			r.Closer = len(r.Tunes)
		}
		number[id] = len(r.Tunes)
		b.ids = append(b.ids, id)
		r.Tunes = append(r.Tunes, setlist.Tune{Title: t.Title, Tuning: spelt, Capo: t.Capo})
	}
	return number
}

// missing counts the tunes that were chosen and are not here any more.
func (b *setBody) missing(chosen map[string]bool) {
	for id := range chosen {
		if !slices.ContainsFunc(b.Tunes, func(t setChoice) bool { return t.ID == id }) {
			b.Gone++
		}
	}
}

// neighbours are the pairs by the places of their tunes in the request.
func (b *setBody) neighbours(number map[string]int) (out [][2]int) {
	for _, p := range b.Pairs {
		first, ok := number[p.Beside]
		second, too := number[p.Next]
		if ok && too && first != second {
			out = append(out, [2]int{first, second})
		}
	}
	return out
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
		v := setStepView{N: n + 1, ID: b.ids[st.Tune], Guitar: st.Guitar, Title: t.Title, Tuning: t.Tuning.Classes(),
			Seconds: minutes(st.Seconds), Risk: st.Risk > 0}
		if t.Capo > 0 {
			v.Tuning += fmt.Sprintf(", capo %d", t.Capo)
		}
		for _, c := range st.Changes {
			v.turn(&c)
		}
		switch {
		case st.Capo == 0:
			v.Capo = "capo off"
		case st.Capo > 0:
			v.Capo = fmt.Sprintf("capo to fret %d", st.Capo)
		}
		if v.Capo != "" {
			v.Turn = append(v.Turn, v.Capo)
		}
		b.Steps = append(b.Steps, v)
	}
	b.Best = minutes(got.Best.Seconds)
	if len(got.Typed.Steps) > 0 {
		b.Typed = minutes(got.Typed.Seconds)
	}
	b.Proof = "No other order needs less retuning."
	if len(r.Tunes) > setlist.ExactTunes {
		b.Proof = fmt.Sprintf("The best found so far; another order could save at most %.0f%%.", 100*got.Gap)
	}
}
