package web

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/core/chord"
	"stepping/core/lick"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/setup"
	"stepping/core/sound"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

func (s *Server) lickRoutes(r *gin.Engine) {
	r.GET("/licks", s.licks)
	r.GET("/licks/:id", s.lick)
	r.POST("/licks/:id", s.saveLick)
	r.POST("/licks/:id/delete", s.deleteLick)
	r.POST("/licks/:id/put", s.putLick)
	r.GET("/licks/:id/sound.wav", s.hearLick)
	r.GET("/build", s.buildPage)
	r.POST("/build", s.build)
}

func (s *Server) lickParam(c *gin.Context) (store.Kept[store.Lick], bool) {
	return keptParam(s, c, s.store.Licks())
}

func (s *Server) deleteLick(c *gin.Context) { s.remove(c, s.store.Licks(), "/licks") }

// licksBody is the shelf of licks.
type licksBody struct {
	Licks []lickCard
	Tags  []string
	Tag   string // chosen
}

type lickCard struct {
	ID, Name, Facts, From string
	Tags                  []string
	Line                  view.PaperLine
}

func newLickCard(k *store.Kept[store.Lick]) lickCard {
	d := &k.Doc
	return lickCard{k.ID.String(), d.Name, view.LickFacts(&d.Kept), d.From, d.Tags, view.NewLickLine(&d.Kept)}
}

// licks lists the owner's licks, or those with a tag.
func (s *Server) licks(c *gin.Context) {
	all, err := s.store.Licks().All(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	b := licksBody{Tag: c.Query("tag")}
	for i := range all {
		for _, tag := range all[i].Doc.Tags {
			if !slices.Contains(b.Tags, tag) {
				b.Tags = append(b.Tags, tag)
			}
		}
		if b.Tag == "" || slices.Contains(all[i].Doc.Tags, b.Tag) {
			b.Licks = append(b.Licks, newLickCard(&all[i]))
		}
	}
	slices.Sort(b.Tags)
	s.draw(c, http.StatusOK, "licks", "Licks", b)
}

// keepLick keeps bars of a tune as a lick.
func (s *Server) keepLick(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	tu := w.Plan.Request.Tune
	first, last := tu.BarNumbered(atoi(c.PostForm("first"))), tu.BarNumbered(atoi(c.PostForm("last")))
	k, err := lick.Keep(w.Plan, first+1, last+1)
	if first < 0 || last < 0 {
		err = fmt.Errorf("bars %q to %q: give bars from %s to %s", c.PostForm("first"), c.PostForm("last"), tu.BarPrinted(0).Short(), tu.BarPrinted(len(tu.Bars)-1).Short())
	}
	if err == nil {
		k.Name = strings.Join(strings.Fields(c.PostForm("name")), " ")
		if k.Tags, err = setup.ParseTags(c.PostForm("tags")); err == nil {
			err = k.Check()
		}
	}
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, errors.New("not saved: "+err.Error()))
		return
	}
	id, err := s.store.Licks().Add(c.Request.Context(), door.Owner(c), &store.Lick{Kept: *k, Tune: t.ID, Bar: first + 1})
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/licks/"+id.String())
}

// lickBody is one lick: as it was played, as it fits over something else, and where it occurs.
type lickBody struct {
	lickCard
	Version int
	Notice  string
	TagText string
	Home    string // the tune that it comes from, "" if that is gone
	Over    string // as asked for
	Tuning  string
	Capo    string
	Player  string
	Players []profileChoice
	Library []tuning.Named
	Fault   string
	Fitted  []view.PaperLine
	Words   []string // what changed on the way
	Hear    string
	Found   []foundView
	Many    bool // more than are shown
	Unread  string
	NoFind  string // why it cannot be looked for
	Tunes   []choice
}

// foundView is a tune in which the lick occurs.
type foundView struct{ Link, Title, Lender, Bars string }

// mostFound bounds the tunes that are listed, and mostPutInto those that a lick can be put into from its page.
const (
	mostFound   = 50
	mostPutInto = 200
)

func (s *Server) lick(c *gin.Context) {
	if k, ok := s.lickParam(c); ok {
		s.showLick(c, http.StatusOK, &k, "")
	}
}

func (s *Server) showLick(c *gin.Context, status int, k *store.Kept[store.Lick], notice string) {
	ctx := c.Request.Context()
	b := lickBody{lickCard: newLickCard(k), Version: k.Version, Notice: notice, TagText: setup.TagText(k.Doc.Tags), Library: tuning.Library,
		Over: cmp.Or(c.Query("over"), k.Doc.Chords[0].Name), Tuning: cmp.Or(c.Query("tuning"), k.Doc.Tuning), Capo: cmp.Or(c.Query("capo"), strconv.Itoa(k.Doc.Capo)), Player: c.Query("player")}
	profiles, err := s.somePlayers(c)
	tunes, err2 := s.store.Find(ctx, door.Owner(c), &store.ListQuery{Order: store.ByTitle, Most: mostPutInto})
	if err := errors.Join(err, err2); err != nil {
		s.failFor(c, err)
		return
	}
	b.Players = choices(profiles)
	for _, t := range tunes {
		b.Tunes = append(b.Tunes, choice{t.ID.String(), t.Title})
		if t.ID == k.Doc.Tune {
			b.Home = "/tunes/" + t.ID.String()
		}
	}
	q := url.Values{"over": {b.Over}, "tuning": {b.Tuning}, "capo": {b.Capo}, "player": {b.Player}}
	p, words, err := s.fitLick(c, k, q, profiles)
	switch {
	case err == nil:
		b.Fitted, b.Words, b.Hear = view.NewPaper(p), words, "/licks/"+b.ID+"/sound.wav?"+q.Encode()
	case c.Request.Context().Err() != nil:
		c.Abort()
		return
	default:
		b.Fault = view.Sentence(err.Error())
	}
	if err := s.findLick(c, k, &b); err != nil {
		s.failFor(c, err)
		return
	}
	s.draw(c, status, "lick", b.Name, b)
}

// fitLick plans a lick over a chord, in a tuning, for a player. words say what changed on the way; the error is written for people.
func (s *Server) fitLick(c *gin.Context, k *store.Kept[store.Lick], q url.Values, profiles []store.Profile) (p *plan.Plan, words []string,
	err error) {
	over, err := chord.Parse(q.Get("over"))
	if err != nil {
		return nil, nil, err
	}
	tn, err := tuning.Parse(q.Get("tuning"))
	if err != nil {
		return nil, nil, err
	}
	capo, err := strconv.Atoi(q.Get("capo"))
	if err == nil {
		err = tuning.CheckCapo(capo)
	}
	if err != nil {
		return nil, nil, errors.New(setup.CapoRule)
	}
	who := profiles[0].Profile
	for i := range profiles {
		if profiles[i].ID.String() == q.Get("player") {
			who = profiles[i].Profile
		}
	}
	moved, changed, err := k.Doc.Over(over)
	if err != nil {
		return nil, nil, err
	}
	if changed > 0 {
		words = append(words, fmt.Sprintf("%d %s changed between major and minor third to fit the chord", changed, noteWord(changed)))
	}
	tu, err := moved.Tune()
	if err != nil {
		return nil, nil, err
	}
	pins := moved.In(tn, capo, 0)
	if pins == nil {
		words = append(words, "it cannot be played in the same places, so new ones were found")
	}
	req := plan.Request{Tune: tu, Tuning: tn, Capo: capo, Player: who, Thumb: pattern.Kind(cmp.Or(who.Thumb, string(pattern.Alternating))), Pins: pins}
	p, err = desk.Do(c.Request.Context(), s.desk, "lick", desk.Of(door.Owner(c), len(tu.Notes)), func(ctx context.Context) (*plan.Plan, error) {
		return plan.SolveKeepable(ctx, req)
	})
	if err == nil && len(p.LeftOut) > 0 {
		words = append(words, fmt.Sprintf("%d of its places cannot be played there, so new ones were found", len(p.LeftOut)))
	}
	if text := problemText(err); err != nil && text != "" {
		err = errors.New(text)
	}
	return p, words, err
}

func noteWord(n int) string {
	if n == 1 {
		return "note"
	}
	return "notes"
}

// hearLick is how a lick sounds as it is fitted.
func (s *Server) hearLick(c *gin.Context) {
	k, ok := s.lickParam(c)
	if !ok {
		return
	}
	profiles, err := s.somePlayers(c)
	if err != nil {
		s.failFor(c, err)
		return
	}
	q := c.Request.URL.Query()
	p, _, err := s.fitLick(c, &k, q, profiles)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	data, err := json.Marshal([]any{k, p.Request.Player})
	if err != nil {
		s.failFor(c, err)
		return
	}
	s.stream(c, "lick "+string(data)+q.Encode(), func() (*sound.Sound, error) { return soundOf(p, nil) })
}

// findLick lists the tunes in which a lick occurs, by its intervals and rhythm, in any key, at half and twice the speed.
func (s *Server) findLick(c *gin.Context, k *store.Kept[store.Lick], b *lickBody) error {
	patterns, err := k.Doc.Patterns()
	if err != nil {
		b.NoFind = view.Sentence(err.Error())
		return nil
	}
	ctx := c.Request.Context()
	if err := s.readMelodies(ctx, door.Owner(c)); err != nil {
		busy := (*jobs.NotReady)(nil)
		if !errors.As(err, &busy) && !errors.Is(err, jobs.ErrStopped) {
			return err
		}
		b.Unread = "Some of your tunes have not been read yet: look again in a few seconds."
	}
	found, err := s.store.FindMelodies(ctx, door.Owner(c), patterns, mostFound+1)
	if err != nil {
		return err
	}
	if b.Many = len(found) > mostFound; b.Many {
		found = found[:mostFound]
	}
	for i := range found {
		b.Found = append(b.Found, s.newFound(ctx, door.Owner(c), &found[i], patterns))
	}
	return nil
}

// newFound says in which bars of a tune the patterns are.
func (s *Server) newFound(ctx context.Context, owner store.ID, f *store.WithLick, patterns []string) foundView {
	v := foundView{Link: "/tunes/" + f.ID.String(), Title: f.Title, Lender: f.Lender}
	t, err := s.store.Tune(ctx, owner, f.ID)
	if err != nil {
		return v
	}
	tu, _, err := s.desk.Read(t.Source)
	if err != nil {
		return v
	}
	var bars []int
	for _, p := range patterns {
		for _, note := range lick.At(f.Melody, p) {
			if note < len(tu.Notes) {
				bars = append(bars, tu.BarOver(tu.Notes[note].At))
			}
		}
	}
	slices.Sort(bars)
	var words []string
	for _, bar := range slices.Compact(bars) {
		words = append(words, tu.BarPrinted(bar).Short())
	}
	v.Bars = strings.Join(words, ", ")
	return v
}

// melodiesJob is the kind of the jobs that read an owner's tunes for the search of licks, a batch at a time.
const (
	melodiesJob   = "melodies"
	melodiesBatch = 500
)

// readMelodies reads those of an owner's tunes in which licks cannot be looked for yet. *jobs.NotReady if that takes longer than a page waits.
func (s *Server) readMelodies(ctx context.Context, owner store.ID) error {
	some, err := s.store.UnreadMelodies(ctx, owner, 1)
	if err != nil || len(some) == 0 {
		return err
	}
	key := jobs.Key{Kind: melodiesJob, Of: owner.String()}
	j, err := jobs.Start(s.desk.Jobs, key, some[0].ID.String()+strconv.Itoa(some[0].Version), jobs.Work{Owner: owner.String(), Long: true}, 0,
		desk.Timed(s.desk, melodiesJob, func(ctx context.Context, j *jobs.Job[int]) (read int, err error) {
			for {
				batch, err := s.store.UnreadMelodies(ctx, owner, melodiesBatch)
				if err != nil || len(batch) == 0 {
					return read, err
				}
				texts := make([]string, len(batch))
				for i := range batch {
					if tu, _, err := abc.Read(strings.NewReader(batch[i].Source)); err == nil { // one that cannot be read has nothing to find
						texts[i] = lick.Encode(tu.Notes, 1)
					}
				}
				if err := s.store.SetMelodies(ctx, owner, batch, texts); err != nil {
					return read, err
				}
				read += len(batch)
			}
		}))
	if err != nil {
		return err
	}
	_, err = j.Wait(ctx, s.patience)
	if busy := (*jobs.NotReady)(nil); !errors.As(err, &busy) {
		j.Drop()
	}
	return err
}

// saveLick changes a lick's name and tags.
func (s *Server) saveLick(c *gin.Context) {
	k, ok := s.lickParam(c)
	if !ok {
		return
	}
	next := k.Doc
	next.Name = strings.Join(strings.Fields(c.PostForm("name")), " ")
	var err error
	if next.Tags, err = setup.ParseTags(c.PostForm("tags")); err == nil {
		err = next.Check()
	}
	if err != nil {
		s.showLick(c, http.StatusUnprocessableEntity, &k, view.Sentence(err.Error()))
		return
	}
	switch err := s.store.Licks().Save(c.Request.Context(), door.Owner(c), k.ID, atoi(c.PostForm("version")), &next); {
	case errors.Is(err, store.ErrStale):
		s.showLick(c, http.StatusConflict, &k, "This lick was changed in another tab in the meantime, and is shown as it is now. Your version was: "+next.Name+"; "+setup.TagText(next.Tags))
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/licks/"+k.ID.String())
	}
}

// putLick puts a lick into a tune at a bar, carried over the chord there; undo takes it back.
func (s *Server) putLick(c *gin.Context) {
	k, ok := s.lickParam(c)
	if !ok {
		return
	}
	id, err := uuid.Parse(c.PostForm("tune"))
	if err != nil {
		s.failFor(c, store.ErrNotFound)
		return
	}
	ctx := c.Request.Context()
	t, err := s.store.Tune(ctx, door.Owner(c), id)
	if err != nil {
		s.failFor(c, err)
		return
	}
	st, bar, err := s.withLick(&t, &k.Doc.Kept, c.PostForm("bar"))
	if err != nil {
		s.showLick(c, http.StatusUnprocessableEntity, &k, "Not put there. "+view.Sentence(err.Error()))
		return
	}
	switch err := s.store.SaveSettings(ctx, door.Owner(c), t.ID, t.Version, t.ProfileID, st); {
	case errors.Is(err, store.ErrStale):
		s.showLick(c, http.StatusConflict, &k, "That tune was changed in another tab just now. Nothing was put there: try again.")
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("/tunes/%s?m=%d", t.ID, bar))
	}
}

// withLick is a tune's settings with a lick at a bar, numbered as on paper, and the moment about where it begins. The error is written for people.
func (s *Server) withLick(t *store.Tune, k *lick.Kept, at string) (st setup.Settings, moment int, err error) {
	written, _, err := s.desk.Read(t.Source)
	if err != nil {
		return st, 0, err
	}
	req, err := t.Settings.Request(written, new(player.Default()))
	if err != nil {
		return st, 0, err
	}
	tu := req.Tune
	bar := tu.BarNumbered(atoi(at))
	if bar < 0 {
		return st, 0, fmt.Errorf("bar %q: give a bar from %s to %s", at, tu.BarPrinted(0).Short(), tu.BarPrinted(len(tu.Bars)-1).Short())
	}
	moved, _, err := k.Over(tu.ChordOver(tu.Bars[bar]))
	if err != nil {
		return st, 0, err
	}
	rewrites, ok := tu.WithLick(bar+1, moved.Notes)
	if !ok {
		return st, 0, fmt.Errorf("the lick takes %d bars, and from bar %s the tune has only %d left: put it earlier", k.Bars, tu.BarPrinted(bar).Short(), len(tu.Bars)-bar)
	}
	pins := moved.In(req.Tuning, t.Settings.Capo, tu.Bars[bar])
	for i := range tu.Notes {
		if tu.Notes[i].At < tu.Bars[bar] {
			moment++
		}
	}
	return t.Settings.WithMelody(written, t.Settings.AsWritten(rewrites), pins), moment, nil
}
