package web

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"github.com/gin-gonic/gin"

	"stepping/core/retune"
	"stepping/core/setlist"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/formats/plaintext"
	"stepping/store"
	"stepping/web/door"
	"stepping/web/view"
)

// homeBody is the first page.
type homeBody struct {
	Tunes    []tuneCard
	All      int    // tunes before the search
	Matching int    // after it
	From, To int    // which of them are shown, from 1
	Back     string // address of the page of the list before, "" for none
	Next     string
	Tags     []string   // of all tunes
	Find     string     // what is searched for
	Sort     string     // of tuneSorts
	Sorts    []tuneSort // nil where there are too few to sort
	Today    *todayBody // what to play now, nil if nothing is in practice
	Shares   []tuneShare
	Guitar   string         // whose present tuning the cards speak of, with that tuning
	Gone     []store.Listed // tunes that can be brought back
	JustNow  *store.Listed  // the one that was just deleted
	CanDemo  bool           // a demo tune can be had
	Text     string         // of the form, kept after an error
	Fault    *fault
	Profiles int
	Drafts   []draftCard
	Sample   []view.StandBar // the answered bar of an empty page
}

// picturedBars is how many bars of a tune its row shows.
const picturedBars = 4

// tunePicture is the picture of a tune's first bars that its row shows: high and low, long and short. It is asked for by the row alone,
// when that comes into sight.
func (s *Server) tunePicture(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	var look view.Contour
	if tu, _, err := s.desk.Read(t.Source); err == nil {
		look = view.NewContour(tu, picturedBars)
	}
	var buf bytes.Buffer
	if err := s.pages["home"].ExecuteTemplate(&buf, "row-picture", look); err != nil {
		s.failFor(c, err)
		return
	}
	c.Data(http.StatusOK, "image/svg+xml", buf.Bytes())
}

// draftCard is a tune on its way in.
type draftCard struct{ ID, Name, What string }

// draftCards lists the drafts, the last one first.
func (s *Server) draftCards(c *gin.Context) (out []draftCard, err error) {
	all, err := s.store.Drafts().All(c.Request.Context(), door.Owner(c))
	for i := len(all) - 1; i >= 0; i-- {
		d := &all[i].Doc
		if d.Neck != nil && len(d.Neck.State().Notes) == 0 {
			continue // nothing was entered
		}
		card := draftCard{ID: all[i].ID.String(), Name: d.Name, What: "a file, not saved yet"}
		if d.Neck != nil {
			card.What = fmt.Sprintf("on the neck, %d notes", len(d.Neck.State().Notes))
		}
		if card.Name == "" {
			card.Name = "Untitled"
		}
		out = append(out, card)
	}
	return out, err
}

type tuneCard struct {
	ID      store.ID
	Title   string
	Tuning  string // name, or notes
	Strings string // notes from string 6 to 1
	Capo    int
	Facts   string // tuning, key, length
	Retune  string // what it takes from the guitar's present tuning
	Risk    bool   // and that a string comes near its limit, or is tightened by a tone
	Far     float64
	When    string
	Firm    int // rungs of its ladder, of so many
	Of      int
	Tags    []string
}

// tuneShare is how much of a sitting is a tune's.
type tuneShare struct {
	Title   string
	Minutes float64
	Place   string // its first
}

// sharesOf adds a sitting up by tune, in the order in which they come.
func sharesOf(items []todayItem) (out []tuneShare) {
	for i := range items {
		it := &items[i]
		if it.Title == "" {
			continue
		}
		at := slices.IndexFunc(out, func(s tuneShare) bool { return s.Title == it.Title })
		if at < 0 {
			at = len(out)
			out = append(out, tuneShare{Title: it.Title, Place: it.Place})
		}
		out[at].Minutes += it.Minutes
	}
	return out
}

// tags lists the words that tunes are tagged with.
func (b *homeBody) tags(texts []string) {
	for i := range texts {
		for _, tag := range tagsOf(texts[i]) {
			if !slices.Contains(b.Tags, tag) {
				b.Tags = append(b.Tags, tag)
			}
		}
	}
	slices.Sort(b.Tags)
}

// tuneSort is an order of the list.
type tuneSort struct{ Key, Name string }

// manyTunes is from how many tunes on the list is searched and sorted.
const manyTunes = 12

// tuneSorts are the orders of the list.
var tuneSorts = []tuneSort{{"added", "as added"}, {"played", "last played"}, {"title", "by title"}, {"near", "nearest to my guitar"}}

// fault is an error at a place of a text: the line shown with a mark under the column.
type fault struct {
	Field        string
	Text         string
	Line, Column int
	Excerpt      string
	Mark         string // spaces up to the column and ^
	Chords       string // names that were given in place of music, as the page of chords takes them; "" if it is something else
}

// excerptWidth is how much of a long line is shown around a fault.
const excerptWidth = 72

func newFault(source string, err error) *fault {
	var at *abc.Error
	if !errors.As(err, &at) {
		return &fault{Text: err.Error()}
	}
	f := &fault{Field: "abc", Text: at.Text, Line: at.Line, Column: at.Column}
	lines := strings.Split(strings.ReplaceAll(source, "\r\n", "\n"), "\n")
	f.Excerpt, f.Mark = excerpt(lines, at.Line, at.Column)
	return f
}

// excerpt is a line around a column, and the mark to stand beneath that column; both counted from 1. Nothing of
// a line that is not there.
func excerpt(lines []string, line, column int) (text, mark string) {
	if line < 1 || line > len(lines) {
		return "", ""
	}
	runes := []rune(strings.Map(plainSpace, lines[line-1]))
	from := max(0, column-1-excerptWidth/2)
	return string(runes[min(from, len(runes)):min(len(runes), from+excerptWidth)]), strings.Repeat(" ", max(0, column-1-from)) + "^"
}

func plainSpace(r rune) rune {
	if unicode.IsSpace(r) {
		return ' '
	}
	return r
}

func (s *Server) home(c *gin.Context) {
	b := homeBody{Find: strings.TrimSpace(c.Query("find")), Sort: c.DefaultQuery("sort", "added")}
	s.showHome(c, http.StatusOK, b)
}

func (s *Server) showHome(c *gin.Context, status int, body homeBody) {
	ctx, owner := c.Request.Context(), door.Owner(c)
	err := s.addTunes(c, &body)
	if err == nil {
		body.Gone, err = s.store.GoneTunes(ctx, owner)
	}
	if at := slices.IndexFunc(body.Gone, func(l store.Listed) bool { return l.ID.String() == c.Query("gone") }); at >= 0 {
		body.JustNow = &body.Gone[at]
	}
	if err == nil {
		body.Drafts, err = s.draftCards(c)
	}
	if err != nil {
		s.failFor(c, err)
		return
	}
	if body.All == 0 {
		if p, err := s.sample.made(ctx); err == nil {
			body.Sample = p.bars
		}
	}
	body.CanDemo = s.demo != nil
	s.render(c, status, "home", "layout", "Your tunes", body)
}

// addTunes fills in a page of the list of tunes, and what to play today.
func (s *Server) addTunes(c *gin.Context, body *homeBody) error {
	ctx, owner := c.Request.Context(), door.Owner(c)
	var err, err2, err3 error
	body.All, err = s.store.Count(ctx, owner, &store.ListQuery{})
	from, err2 := s.presentTuning(c)
	known, err3 := s.sitting(c)
	if err := errors.Join(err, err2, err3); err != nil {
		return err
	}
	body.Guitar = from.words
	if known.items != nil {
		body.Today = &todayBody{}
		body.Today.list(known.items)
		body.Shares = sharesOf(body.Today.Items)
	}
	names := tuningNames{}
	q, err := s.listQuery(c, body, from, names)
	if err != nil {
		return err
	}
	body.Matching = body.All
	if q.Find != "" {
		if body.Matching, err = s.store.Count(ctx, owner, q); err != nil {
			return err
		}
	}
	body.pages(q)
	tunes, err := s.store.Find(ctx, owner, q)
	if err != nil {
		return err
	}
	now := time.Now()
	for i := range tunes {
		t := &tunes[i]
		card := tuneCard{ID: t.ID, Title: t.Title, Tuning: t.Tuning, Capo: t.Capo, Facts: t.Facts, Tags: tagsOf(t.Tags)}
		n := names.of(t.Tuning)
		if n != nil {
			card.Tuning, card.Strings = n.name, n.strings
			from.far(&card, t.Tuning, n.tuning)
		}
		if card.Facts == "" {
			card.Facts = s.facts(c, t.ID)
		}
		card.Facts = card.Tuning + " · " + card.Facts
		if t.Lender != "" {
			card.Facts += " · from " + t.Lender
		}
		if a, ok := known.tunes[t.ID]; ok {
			card.When, card.Firm, card.Of = daysAgo(a.Played, now), a.Firm, a.Of
		}
		body.Tunes = append(body.Tunes, card)
	}
	tags, err := s.store.Tags(ctx, owner)
	body.tags(tags)
	return err
}

// listQuery is what the first page asks for of the tunes.
func (s *Server) listQuery(c *gin.Context, body *homeBody, from *guitarNow, names tuningNames) (*store.ListQuery, error) {
	q := &store.ListQuery{Find: body.Find, Most: aPage, From: aPage * max(0, atoi(c.Query("page"))-1)}
	if body.All > manyTunes {
		body.Sorts = tuneSorts
		q.Order = map[string]string{"title": store.ByTitle, "played": store.ByPlayed, "near": store.ByTuning}[body.Sort]
	}
	if q.Find == "" && q.Order != store.ByTuning {
		return q, nil
	}
	all, err := s.store.Tunings(c.Request.Context(), door.Owner(c))
	if err != nil {
		return nil, err
	}
	asked, wrong := tuning.ParseAny(q.Find)
	far := map[string]float64{}
	for _, spelt := range all {
		n := names.of(spelt)
		if n == nil {
			continue
		}
		if q.Find != "" && (wrong == nil && n.tuning == asked || strings.Contains(strings.ToLower(n.name), strings.ToLower(q.Find))) {
			q.Named = append(q.Named, spelt)
		}
		card := tuneCard{Far: math.Inf(1)}
		from.far(&card, spelt, n.tuning)
		far[spelt] = card.Far
		q.Tunings = append(q.Tunings, spelt)
	}
	slices.SortStableFunc(q.Tunings, func(a, b string) int { return cmp.Compare(far[a], far[b]) })
	return q, nil
}

// pages says where in the list one is.
func (b *homeBody) pages(q *store.ListQuery) {
	q.From = min(q.From, max(0, b.Matching-1)/aPage*aPage)
	at := func(from int) string {
		return "/?" + url.Values{"find": {b.Find}, "sort": {b.Sort}, "page": {strconv.Itoa(from/aPage + 1)}}.Encode()
	}
	b.From, b.To = q.From+1, min(q.From+aPage, b.Matching)
	if q.From > 0 {
		b.Back = at(q.From - aPage)
	}
	if b.To < b.Matching {
		b.Next = at(q.From + aPage)
	}
}

// namedTuning is a tuning as cards name it.
type namedTuning struct {
	tuning        tuning.Tuning
	name, strings string
}

// tuningNames are the tunings of a list, each recognised once; nil for what is none.
type tuningNames map[string]*namedTuning

func (n tuningNames) of(spelt string) *namedTuning {
	v, known := n[spelt]
	if !known {
		if t, err := tuning.ParseAny(spelt); err == nil {
			v = &namedTuning{t, tuning.Identify(t).String(), t.Classes()}
		}
		n[spelt] = v
	}
	return v
}

// facts is what the list says of a tune's text, read once and kept.
func (s *Server) facts(c *gin.Context, id store.ID) (facts string) {
	ctx := c.Request.Context()
	t, err := s.store.Tune(ctx, door.Owner(c), id)
	if err == nil {
		var tu *tune.Tune
		if tu, _, err = s.desk.Read(t.Source); err == nil {
			facts = fmt.Sprintf("%s · %d bars · %d notes", keyName(tu.Key), len(tu.Bars), len(tu.Notes))
			err = s.store.SetFacts(ctx, t.Owner, id, t.Version, facts)
		}
	}
	if err != nil && !errors.Is(err, store.ErrNotFound) && ctx.Err() == nil { // somebody was faster
		s.log.Error("facts of a tune", "tune", id, "err", err)
	}
	return facts
}

func titleOf(tu *tune.Tune) string {
	if tu.Title == "" {
		return "Untitled tune"
	}
	return tu.Title
}

func keyName(k tune.Key) string {
	if k.Minor {
		return k.Tonic.ClassName() + " minor"
	}
	return k.Tonic.ClassName() + " major"
}

// addTune keeps ABC text at once, without a look at what was understood: for programs and for those who know what they have.
func (s *Server) addTune(c *gin.Context) {
	var body homeBody
	asked := strings.TrimSpace(c.PostForm("tuning"))
	var err error
	refuse := func(f *fault) {
		body.Fault = f
		s.showHome(c, http.StatusUnprocessableEntity, body)
	}
	if body.Text, err = pasted(c); err != nil {
		refuse(newFault(body.Text, err))
		return
	}
	tu, err := s.readText(c, body.Text)
	if err != nil {
		refuse(newFault(body.Text, err))
		return
	}
	if _, err := tuning.Parse(asked); err != nil && asked != "" {
		refuse(&fault{Field: "tuning", Text: err.Error()})
		return
	}
	id, said, err := s.takeIn(c, &incoming{tune: tu, source: body.Text, tuning: asked})
	switch {
	case err != nil:
		s.failFor(c, err)
	case said != "":
		refuse(&fault{Text: said})
	default:
		c.Redirect(http.StatusSeeOther, "/tunes/"+id.String())
	}
}

// pasted is the text of the form, or of the file chosen there. Beside an error it is what can be shown of it.
func pasted(c *gin.Context) (string, error) {
	up, err := c.FormFile("file")
	if err != nil || up.Size == 0 {
		return decoded([]byte(c.PostForm("abc")))
	}
	f, err := up.Open()
	if err != nil {
		return "", err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, 2*abc.MaxBytes+1)) // it may take two bytes a character
	if err != nil {
		return "", err
	}
	return decoded(data)
}

// decoded turns bytes into text; a fault has its place.
func decoded(data []byte) (string, error) {
	text, err := plaintext.Decode(data)
	if at := (*plaintext.Error)(nil); errors.As(err, &at) {
		shown := strings.ReplaceAll(strings.ToValidUTF8(string(data), "\ufffd"), "\x00", "\ufffd")
		return shown, &abc.Error{Line: at.Line, Column: at.Column, Text: at.Text}
	}
	return text, err
}

func (s *Server) deleteTune(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	if err := s.store.DeleteTune(c.Request.Context(), door.Owner(c), id); err != nil {
		s.failFor(c, err)
		return
	}
	s.desk.Jobs.StopOf(id.String())
	c.Redirect(http.StatusSeeOther, "/?gone="+id.String())
}

// bringBackTune undoes a deletion.
func (s *Server) bringBackTune(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	if err := s.store.BringBackTune(c.Request.Context(), door.Owner(c), id); err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/tunes/"+id.String())
}

// addDemoTune adds a tune to look at.
func (s *Server) addDemoTune(c *gin.Context) {
	if s.demo == nil {
		s.failFor(c, store.ErrNotFound)
		return
	}
	id, err := s.demo(c.Request.Context(), s.store, door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/tunes/"+id.String())
}

// guitarNow is the owner's first guitar and what it is tuned to.
type guitarNow struct {
	guitar retune.Guitar
	tuning tuning.Tuning
	words  string
	known  map[string]setlist.Step // by tuning wanted
}

// presentTuning is that of the owner's first guitar, standard if there is none yet.
func (s *Server) presentTuning(c *gin.Context) (*guitarNow, error) {
	p := &guitarNow{known: map[string]setlist.Step{}}
	all, err := s.store.Guitars().All(c.Request.Context(), door.Owner(c))
	if err != nil {
		return nil, err
	}
	name := "Standard"
	if len(all) > 0 {
		p.guitar, name = all[0].Doc.Guitar, all[0].Doc.Tuning
	}
	if p.tuning, err = tuning.ParseAny(name); err != nil || p.guitar.Complete(p.tuning.Len()) != nil {
		return p, nil // then nothing is said of how far it is
	}
	p.words = fmt.Sprintf("%s in %s", cmp.Or(p.guitar.Name, "a guitar"), name)
	return p, nil
}

// far fills in what it takes to come to a tune's tuning.
func (p *guitarNow) far(card *tuneCard, name string, to tuning.Tuning) {
	if p.words == "" || to.Len() != p.tuning.Len() {
		return
	}
	step, known := p.known[name]
	if !known {
		var err error
		if step, err = setlist.Between(p.guitar, p.tuning, 0, to, 0); err != nil {
			return
		}
		p.known[name] = step
	}
	card.Far, card.Risk = step.Seconds, step.Risk > 0
	switch n := len(step.Changes); n {
	case 0:
		card.Retune = "tuned"
	case 1:
		card.Retune = "1 string to turn"
	default:
		card.Retune = fmt.Sprintf("%d strings to turn", n)
	}
}

// usualSitting is how long a sitting is unless another length is asked for, in minutes.
const usualSitting = 30
