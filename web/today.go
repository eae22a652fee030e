package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/core/practice"
	"stepping/store"
	"stepping/web/door"
)

// A sitting is a list of parts in the address, so that it stays as it was planned while what is played changes
// what would be planned now: every page of it is a link, and leaving one loses nothing.

// sittingPart is one part of a sitting: with a tune a step of its ladder, else a rest or the stop.
type sittingPart struct {
	Kind    string
	Minutes float64
	Tune    store.ID
	Key     string
}

// String writes the part as parsePart reads it.
func (p sittingPart) String() string {
	if p.Tune == (store.ID{}) {
		return fmt.Sprintf("%s~%g", p.Kind, p.Minutes)
	}
	return fmt.Sprintf("%s~%g~%s~%s", p.Kind, p.Minutes, p.Tune, p.Key)
}

// mostParts bounds a sitting in an address.
const mostParts = 40

func parsePart(text string) (p sittingPart, err error) {
	f := strings.SplitN(text, "~", 4)
	if len(f) != 2 && len(f) != 4 {
		return p, errors.New("the address of this session is incomplete: open Today again")
	}
	p.Kind = f[0]
	if p.Minutes, err = strconv.ParseFloat(f[1], 64); err != nil || !(p.Minutes > 0 && p.Minutes <= practice.MostSitting) {
		return p, errors.New("the address of this session has a wrong time: open Today again")
	}
	if len(f) == 4 {
		p.Key = f[3]
		if p.Tune, err = uuid.Parse(f[2]); err != nil {
			return p, errors.New("the address of this session has no tune in it: open Today again")
		}
	}
	return p, nil
}

// sittingView is where in a sitting one is.
type sittingView struct {
	Number, Of int
	Kind       string
	Tune       store.ID // none for a rest or the stop
	Minutes    float64
	Next, Back string
	NextWhat   string
	Query      string // carries it from page to page
}

// sittingOf reads the sitting of an address, nil if there is none.
func sittingOf(q url.Values) (*sittingView, error) {
	texts := q["part"]
	if len(texts) == 0 {
		return nil, nil
	}
	at, err := strconv.Atoi(q.Get("at"))
	if err != nil || at < 1 || at > len(texts) || len(texts) > mostParts {
		return nil, errors.New("the address of this session has no parts in it: open Today again")
	}
	parts := make([]sittingPart, len(texts))
	for i, text := range texts {
		if parts[i], err = parsePart(text); err != nil {
			return nil, err
		}
	}
	v := &sittingView{Number: at, Of: len(parts), Kind: parts[at-1].Kind, Tune: parts[at-1].Tune, Minutes: parts[at-1].Minutes,
		Query: url.Values{"part": texts, "at": {strconv.Itoa(at)}}.Encode(), Next: "/today", NextWhat: "the end"}
	if at < len(parts) {
		v.Next, v.NextWhat = partAddress(parts, at+1), partWords[parts[at].Kind]
	}
	if at > 1 {
		v.Back = partAddress(parts, at-1)
	}
	return v, nil
}

// partAddress is where part n of a sitting is practised, counted from 1.
func partAddress(parts []sittingPart, n int) string {
	q := url.Values{"at": {strconv.Itoa(n)}}
	for _, p := range parts {
		q.Add("part", p.String())
	}
	p := parts[n-1]
	if p.Tune == (store.ID{}) || p.Key == "" {
		return "/today/part?" + q.Encode()
	}
	q.Set("step", p.Key)
	return "/tunes/" + p.Tune.String() + "/practise?" + q.Encode()
}

// partWords are the kinds of parts for people.
var partWords = map[string]string{practice.WarmUp: "warm up", practice.Review: "play again", practice.New: "work on",
	practice.Through: "play through", practice.Rest: "rest",
	practice.Stop: "stop"}

// todayBody is what to play now, out of all tunes.
type todayBody struct {
	Minutes string
	Choices []string
	Items   []todayItem
	Begin   string
	Sum     float64
	New     []store.Listed // tunes that nobody has begun to practise
	Gigs    []gigView
	Tunes   []store.Listed // to choose from for a gig
	More    bool           // there are others
	Fault   string
	Played  int // minutes today
	NoTunes bool
	Gig     gigForm
}

type todayItem struct {
	practice.Item
	Number  int
	Word    string
	Tempo   string
	Address string
}

type gigView struct {
	ID, Name, On string
	In           string
	Version      int
	Titles       string
	Past         bool
}

// gigForm is a day as typed.
type gigForm struct {
	Name, On string
	Find     string // what is searched for among the tunes
	Chosen   map[string]bool
}

func (s *Server) today(c *gin.Context) { s.showToday(c, http.StatusOK, "", gigForm{}) }

// wantedBy is the day of the first gig to come that a tune is played at, zero if none.
func wantedBy(gigs []store.Kept[store.Gig], tune store.ID) (by time.Time) {
	for i := range gigs {
		on, err := time.ParseInLocation(time.DateOnly, gigs[i].Doc.On, time.Local)
		if err == nil && gigs[i].Doc.With(tune) && !on.Before(time.Now().AddDate(0, 0, -1)) && (by.IsZero() || on.Before(by)) {
			by = on
		}
	}
	return by
}

func (s *Server) showToday(c *gin.Context, status int, fault string, typed gigForm) {
	gigs, err := s.store.Gigs().All(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	works, err := s.works(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	typed.Find = strings.TrimSpace(c.Query("find"))
	list, more, err := s.pickable(c, typed.Find, typed.Chosen)
	if err != nil {
		s.failFor(c, err)
		return
	}
	b := todayBody{Minutes: c.DefaultQuery("minutes", "30"), Choices: []string{"15", "20", "25", "30", "40"}, Tunes: list, More: more || typed.Find != "",
		NoTunes: len(list) == 0 && typed.Find == "", Fault: fault, Gig: typed}
	now := time.Now()
	items := practice.Today(works, float64(atoi(b.Minutes)), now)
	b.list(items)
	known := map[string]bool{}
	seconds := 0.0
	for i := range works {
		known[works[i].ID] = len(works[i].Passes) > 0
		for _, p := range works[i].Passes {
			if p.At.YearDay() == now.YearDay() && p.At.Year() == now.Year() {
				seconds += p.Seconds
			}
		}
	}
	b.Played = int(seconds+59) / 60
	for _, t := range list {
		if !known[t.ID.String()] && len(b.New) < mostNew {
			b.New = append(b.New, t)
		}
	}
	titles, err := s.titles(c, gigs)
	if err != nil {
		s.failFor(c, err)
		return
	}
	for i := range gigs {
		b.Gigs = append(b.Gigs, newGig(&gigs[i], titles, now))
	}
	s.render(c, status, "today", "layout", "Today", b)
}

// mostNew is how many tunes are proposed to begin with.
const mostNew = 12

// titles are those of the tunes of gigs.
func (s *Server) titles(c *gin.Context, gigs []store.Kept[store.Gig]) (map[store.ID]string, error) {
	q, out := store.ListQuery{}, map[store.ID]string{}
	for i := range gigs {
		q.IDs = append(q.IDs, gigs[i].Doc.Tunes...)
	}
	if len(q.IDs) == 0 {
		return out, nil
	}
	list, err := s.store.Find(c.Request.Context(), door.Owner(c), &q)
	for _, t := range list {
		out[t.ID] = t.Title
	}
	return out, err
}

// list shows the parts of a sitting, each with its address.
func (b *todayBody) list(items []practice.Item) {
	parts := make([]sittingPart, len(items))
	for i := range items {
		parts[i] = sittingPart{Kind: items[i].Kind, Minutes: items[i].Minutes, Key: items[i].Key}
		if id, err := uuid.Parse(items[i].Tune); err == nil {
			parts[i].Tune = id
		}
		b.Sum += items[i].Minutes
	}
	for i := range items {
		it := todayItem{Item: items[i], Number: i + 1, Word: partWords[items[i].Kind], Address: partAddress(parts, i+1)}
		if items[i].Tempo > 0 {
			it.Tempo = figure(items[i].Tempo)
		}
		b.Items = append(b.Items, it)
	}
	if len(b.Items) > 0 {
		b.Begin = b.Items[0].Address
	}
}

func newGig(k *store.Kept[store.Gig], titles map[store.ID]string, now time.Time) gigView {
	v := gigView{ID: k.ID.String(), Name: k.Doc.Name, On: k.Doc.On, Version: k.Version}
	for _, id := range k.Doc.Tunes {
		if title, ok := titles[id]; ok {
			if v.Titles != "" {
				v.Titles += ", "
			}
			v.Titles += title
		}
	}
	on, err := time.ParseInLocation(time.DateOnly, k.Doc.On, time.Local)
	if err != nil {
		return v
	}
	switch days := int(on.Sub(now).Hours()/24 + 1); {
	case on.Before(now.AddDate(0, 0, -1)):
		v.In, v.Past = "over", true
	case days <= 1:
		v.In = "now"
	default:
		v.In = fmt.Sprintf("in %d days", days)
	}
	return v
}

// partBody is a part of a sitting without a tune: a warm-up, a rest, the stop.
type partBody struct {
	Sitting *sittingView
	What    string
	Through string // address of the tune that is played through
	Seconds int
	Rest    bool
	Stop    bool
}

func (s *Server) sittingPart(c *gin.Context) {
	v, err := sittingOf(c.Request.URL.Query())
	if err != nil || v == nil {
		if err == nil {
			err = errors.New("there is no session at this address: open Today")
		}
		s.fail(c, http.StatusBadRequest, err)
		return
	}
	b := partBody{Sitting: v, Seconds: int(v.Minutes * 60), Rest: v.Kind == practice.Rest, Stop: v.Kind == practice.Stop}
	switch v.Kind {
	case practice.Rest:
		b.What = practice.RestWords
	case practice.Stop:
		b.What = practice.StopWords
	case practice.Through:
		b.What, b.Through = practice.ThroughWords, "/tunes/"+v.Tune.String()+"/stand"
	default:
		b.What = practice.WarmWords
	}
	s.render(c, http.StatusOK, "part", "layout", "A sitting", b)
}

// Bounds of a gig: its tunes, and the characters of its name.
const (
	mostGigTunes   = 100
	longestGigName = 80
)

// addGig saves a gig, and the tunes that are played there.
func (s *Server) addGig(c *gin.Context) {
	f := gigForm{Name: strings.TrimSpace(c.PostForm("name")), On: strings.TrimSpace(c.PostForm("on")), Chosen: map[string]bool{}}
	o := store.Gig{Name: f.Name, On: f.On}
	q := store.ListQuery{}
	for _, text := range c.PostFormArray("t") {
		if id, err := uuid.Parse(text); err == nil && len(q.IDs) <= mostGigTunes { // one more, which is told
			f.Chosen[text] = true
			q.IDs = append(q.IDs, id)
		}
	}
	if len(q.IDs) > 0 {
		list, err := s.store.Find(c.Request.Context(), door.Owner(c), &q)
		if err != nil {
			s.failFor(c, err)
			return
		}
		for _, t := range list {
			o.Tunes = append(o.Tunes, t.ID)
		}
	}
	on, err := time.ParseInLocation(time.DateOnly, f.On, time.Local)
	fault := ""
	switch {
	case f.Name == "" || len([]rune(f.Name)) > longestGigName:
		fault = "Give the gig a name of up to 80 characters."
	case err != nil:
		fault = fmt.Sprintf("%q is not a date: write it like %s.", f.On, time.Now().AddDate(0, 0, 14).Format(time.DateOnly))
	case on.Before(time.Now().AddDate(0, 0, -1)):
		fault = "That day has passed: choose a later one."
	case len(q.IDs) > mostGigTunes:
		fault = fmt.Sprintf("A gig has at most %d tunes: choose fewer.", mostGigTunes)
	case len(o.Tunes) == 0:
		fault = "Choose at least one tune for the gig."
	}
	if fault != "" {
		s.showToday(c, http.StatusUnprocessableEntity, fault, f)
		return
	}
	if _, err := s.store.Gigs().Add(c.Request.Context(), door.Owner(c), &o); err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/today")
}

func (s *Server) deleteGig(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	if err := s.store.Gigs().Delete(c.Request.Context(), door.Owner(c), id); err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/today")
}
