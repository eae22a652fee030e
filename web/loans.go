package web

import (
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/account"
	"stepping/core/practice"
	"stepping/store"
	"stepping/web/door"
)

// lentRoute is where a link leads that lends something.
const lentRoute = "/lent/:secret"

func (s *Server) loanRoutes(r *gin.Engine) {
	r.GET("/lent", s.lentPage)
	r.GET(lentRoute, s.openLoan)
	r.POST(lentRoute, s.takeLoan)
	r.POST("/loans/:id/end", s.endLoan)
	r.POST("/loans/:id/log", s.shareLog)
	r.POST("/profiles/:id/invite", s.invitePupil)
	r.GET("/profiles/:id/log", s.pupilsLog)
}

// loanView is a loan on a page.
type loanView struct {
	ID, What, Who, Since string
	Link                 string // to what is lent, "" if there is none
	Pupil                bool
	Shown                bool
	Open                 bool
}

// loansOf are the loans of a tune.
func loansOf(all []store.Loan, tune store.ID) (out []loanView) {
	for _, l := range all {
		if l.Tune == tune {
			out = append(out, newLoanView(&l))
		}
	}
	return out
}

func newLoanView(l *store.Loan) loanView {
	v := loanView{ID: l.ID.String(), What: l.Title, Who: l.Taker, Pupil: l.Tune == store.ID{}, Shown: l.ShowsLog, Open: l.To == store.ID{}}
	switch {
	case v.Pupil:
		v.What = l.Pupil
	case l.Copy:
		v.What += ", as a copy"
	case l.Pupil != "":
		v.What += ", as " + l.Pupil + " plays it"
	}
	if v.Open {
		v.Who = "an unused link, valid until " + untilText(l.Expires)
	}
	return v
}

func untilText(t time.Time) string { return t.Local().Format("2 January, 15:04") }

// ownTuneParam is tuneParam for what only the owner of a tune does with it.
func (s *Server) ownTuneParam(c *gin.Context) (*store.Tune, bool) {
	t, ok := s.tuneParam(c)
	if ok && t.Lender != "" {
		s.failFor(c, store.ErrLent)
		return nil, false
	}
	return t, ok
}

// lendTune lends a tune: to pupils with an account at once, else by a link.
func (s *Server) lendTune(c *gin.Context) {
	t, ok := s.ownTuneParam(c)
	if !ok || !s.hasAccount(c) {
		return
	}
	var pupil store.ID
	if who := c.PostForm("for"); who != "" {
		var err error
		if pupil, err = uuid.Parse(who); err != nil {
			s.failFor(c, store.ErrNotFound)
			return
		}
		has, err := s.store.LendToPupil(c.Request.Context(), door.Owner(c), t.ID, pupil)
		if err != nil {
			s.failFor(c, err)
			return
		}
		if has {
			c.Redirect(http.StatusSeeOther, "/tunes/"+t.ID.String()+"/sheets#lend")
			return
		}
	}
	copies := c.PostForm("as") == "copy" && pupil == store.ID{} // a pupil borrows: the sheet goes on with the tune
	secret, err := s.store.AddLoan(c.Request.Context(), door.Owner(c), t.ID, pupil, copies)
	if err != nil {
		s.failFor(c, err)
		return
	}
	what := "to read and practise it"
	if copies {
		what = "for a copy of their own"
	}
	s.showSheets(c, http.StatusOK, t, sheetsBody{Link: s.lentLink(c, secret), LinkFor: what, LinkTill: linkTill()})
}

// hasAccount refuses lending where nobody signs in.
func (s *Server) hasAccount(c *gin.Context) bool {
	if door.Name(c) != "" {
		return true
	}
	s.fail(c, http.StatusConflict, errors.New("you can only lend to other accounts, and there are none here: start Stepping with sign-in first (STEPPING_SIGN_IN=1 stepping serve)"))
	return false
}

func (s *Server) lentLink(c *gin.Context, secret string) string {
	return s.door.Link(c, "/lent/"+secret)
}

func linkTill() string { return untilText(time.Now().Add(account.LinkLasts)) }

// openLoan shows what a link lends; only a post takes it.
func (s *Server) openLoan(c *gin.Context) {
	l, err := s.store.FindLoan(c.Request.Context(), c.Param("secret"))
	if err != nil {
		s.failLoan(c, err)
		return
	}
	v := newLoanView(&l)
	s.draw(c, http.StatusOK, "lent", "A loan from "+l.Lender, lentBody{Offer: &v, Lender: l.Lender, Copy: l.Copy, Secret: c.Param("secret"), Own: l.Owner == door.Owner(c), Me: door.Name(c)})
}

func (s *Server) failLoan(c *gin.Context, err error) {
	switch {
	case errors.Is(err, store.ErrLink):
		s.fail(c, http.StatusGone, errors.New("this link has been used, has expired or was taken back: ask for a new one"))
	case errors.Is(err, store.ErrOwnLoan):
		s.fail(c, http.StatusConflict, errors.New("you made this link yourself: send it to the person it is for"))
	case errors.Is(err, store.ErrInUse):
		s.fail(c, http.StatusConflict, errors.New("this pupil is already connected to another account: the teacher has to end that first"))
	default:
		s.failFor(c, err)
	}
}

// takeLoan uses a link for the account that is signed in.
func (s *Server) takeLoan(c *gin.Context) {
	if !s.hasAccount(c) {
		return
	}
	_, tune, err := s.store.TakeLoan(c.Request.Context(), door.Owner(c), c.Param("secret"))
	switch {
	case err != nil:
		s.failLoan(c, err)
	case tune == store.ID{}:
		c.Redirect(http.StatusSeeOther, "/lent")
	default:
		c.Redirect(http.StatusSeeOther, "/tunes/"+tune.String())
	}
}

// lentBody is what is lent and borrowed; or, with Offer, what a link lends.
type lentBody struct {
	Offer          *loanView
	Lender, Secret string
	Copy, Own      bool
	Me             string

	Teachers, Borrowed, Pupils, Lent []loanView
}

// lentPage lists all loans of the account.
func (s *Server) lentPage(c *gin.Context) {
	ctx := c.Request.Context()
	lent, err := s.store.Loans(ctx, door.Owner(c))
	to, err2 := s.store.LoansTo(ctx, door.Owner(c))
	if err := errors.Join(err, err2); err != nil {
		s.failFor(c, err)
		return
	}
	b := lentBody{Me: door.Name(c)}
	for i := range to {
		v := newLoanView(&to[i])
		v.Who = to[i].Lender
		if v.Pupil {
			b.Teachers = append(b.Teachers, v)
		} else {
			if v.Link = "/lent"; to[i].Borrowed != (store.ID{}) {
				v.Link = "/tunes/" + to[i].Borrowed.String()
			}
			b.Borrowed = append(b.Borrowed, v)
		}
	}
	for i := range lent {
		l := &lent[i]
		if v := newLoanView(l); v.Pupil {
			v.Link = "/profiles/" + l.Profile.String() + "/log"
			b.Pupils = append(b.Pupils, v)
		} else {
			v.Link = "/tunes/" + l.Tune.String() + "/sheets"
			b.Lent = append(b.Lent, v)
		}
	}
	s.draw(c, http.StatusOK, "lent", "Lent and borrowed", b)
}

// endLoan takes back or gives back.
func (s *Server) endLoan(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	if err := s.store.EndLoan(c.Request.Context(), door.Owner(c), id); err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, door.LocalPath(c.DefaultPostForm("back", "/lent")))
}

// shareLog is a pupil's word on whether the teacher may see the practice log.
func (s *Server) shareLog(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	if err := s.store.ShowLog(c.Request.Context(), door.Owner(c), id, c.PostForm("show") != ""); err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/lent")
}

// invitePupil makes the link by which an account becomes one of the owner's players.
func (s *Server) invitePupil(c *gin.Context) {
	p, ok := s.profileParam(c)
	if !ok || !s.hasAccount(c) {
		return
	}
	secret, err := s.store.AddLoan(c.Request.Context(), door.Owner(c), store.ID{}, p.ID, false)
	if err != nil {
		s.failFor(c, err)
		return
	}
	s.showProfile(c, p, s.lentLink(c, secret), linkTill())
}

// pupilsLogBody is a pupil's practice, as the pupil shows it.
type pupilsLogBody struct {
	ID, Name string
	Shown    bool
	Tunes    []pupilsTune
}

type pupilsTune struct {
	Title  string
	Tries  int
	Clean  int
	Time   string
	Last   string
	Passes []pupilsPass // the last ones
}

type pupilsPass struct{ When, Bars, Tempo, Verdict string }

// lastPasses is how many tries of each tune a teacher sees one by one.
const lastPasses = 12

// pupilsLog shows a teacher the practice log of a pupil who lets them see it.
func (s *Server) pupilsLog(c *gin.Context) {
	p, ok := s.profileParam(c)
	if !ok {
		return
	}
	b := pupilsLogBody{ID: p.ID.String(), Name: profileName(&p.Profile)}
	log, titles, err := s.store.PupilsLog(c.Request.Context(), door.Owner(c), p.ID)
	switch {
	case errors.Is(err, store.ErrNotFound): // the page says so
	case err != nil:
		s.failFor(c, err)
		return
	default:
		b.Shown = true
		for i := range log {
			b.Tunes = append(b.Tunes, newPupilsTune(titles[log[i].Tune], log[i].Passes, time.Now()))
		}
	}
	s.draw(c, http.StatusOK, "pupilslog", b.Name+"’s practice", b)
}

func newPupilsTune(title string, passes []practice.Pass, now time.Time) pupilsTune {
	v := pupilsTune{Title: title, Tries: len(passes)}
	seconds := 0.0
	for i := range passes {
		if seconds += passes[i].Seconds; passes[i].Verdict == practice.Clean {
			v.Clean++
		}
	}
	v.Time = fmt.Sprintf("%.0f min", seconds/60)
	v.Last = daysAgo(passes[len(passes)-1].At, now)
	for i := len(passes) - 1; i >= max(0, len(passes)-lastPasses); i-- {
		p := &passes[i]
		v.Passes = append(v.Passes, pupilsPass{p.At.Local().Format("2 Jan, 15:04"), barsText(p.Bars), fmt.Sprintf("%.0f bpm", p.Tempo), p.Verdict.String()})
	}
	return v
}

func barsText(bars [2]int) string {
	if bars[0] == bars[1] {
		return fmt.Sprintf("bar %d", bars[0])
	}
	return fmt.Sprintf("bars %d to %d", bars[0], bars[1])
}

// endedTune says that a borrowed tune is not lent any more, and what there is of it.
func (s *Server) endedTune(c *gin.Context, t *store.Tune) {
	passes, err := s.store.PassesOver(c.Request.Context(), t.Owner, t.ID)
	takes, err2 := s.store.Takes(c.Request.Context(), t.Owner, t.ID)
	if err := errors.Join(err, err2); err != nil {
		s.failFor(c, err)
		return
	}
	c.Abort()
	s.render(c, http.StatusGone, "ended", "layout", t.Title, endedBody{t.ID.String(), t.Title, t.Lender, len(passes), len(takes)})
}

type endedBody struct {
	ID, Title, Lender string
	Tries, Recordings int
}
