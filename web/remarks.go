package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/core/player"
	"stepping/core/tune"
	"stepping/store"
	"stepping/web/door"
	"stepping/web/view"
)

// barText is how a bar, from 1 as played, is numbered on paper; one behind the end has its count.
func barText(tu *tune.Tune, played int) string {
	if played >= 1 && played <= len(tu.Bars) {
		return tu.BarPrinted(played - 1).Short()
	}
	return strconv.Itoa(played)
}

// remarksOf are the remarks that a tune's page and its paper show: of one's own tune those for everybody, of a borrowed one all that
// the lender wrote for this borrower.
func (s *Server) remarksOf(ctx context.Context, t *store.Tune) ([]store.Remark, error) {
	all, err := s.store.Remarks(ctx, t.Owner, t.ID)
	return slices.DeleteFunc(all, func(r store.Remark) bool { return t.Lender == "" && r.For != (store.ID{}) }), err
}

// paperRemarks are remarks with the numbers of their bars.
func paperRemarks(of []store.Remark, tu *tune.Tune) (out []barRemark) {
	for _, r := range of {
		out = append(out, barRemark{Bar: barText(tu, r.Bar), Text: r.Text})
	}
	return out
}

// remarksAt are the texts at a bar, from 1 as played.
func (s *Server) remarksAt(ctx context.Context, t *store.Tune, bar int) (out []string, err error) {
	all, err := s.remarksOf(ctx, t)
	for _, r := range all {
		if r.Bar == bar {
			out = append(out, r.Text)
		}
	}
	return out, err
}

// addRemarks lists all remarks of the tune with whom they are for.
func (s *Server) addRemarks(c *gin.Context, b *sheetsBody, t *store.Tune, profiles []store.Profile) error {
	all, err := s.store.Remarks(c.Request.Context(), door.Owner(c), t.ID)
	if err != nil || len(all) == 0 {
		return err
	}
	tu, _, err := s.desk.Read(t.Source)
	if err != nil {
		tu = &tune.Tune{}
	}
	for _, r := range all {
		v := remarkView{barRemark: barRemark{Bar: barText(tu, r.Bar), For: "everybody", Text: r.Text}, Played: r.Bar, ForID: r.For.String()}
		for i := range profiles {
			if profiles[i].ID == r.For {
				v.For = profileName(&profiles[i].Profile)
			}
		}
		b.Remarks = append(b.Remarks, v)
	}
	return nil
}

// saveRemark keeps a remark at a bar, or removes it.
func (s *Server) saveRemark(c *gin.Context) {
	t, ok := s.ownTuneParam(c)
	if !ok {
		return
	}
	tu, _, err := s.desk.Read(t.Source)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	r := store.Remark{Text: strings.Join(strings.Fields(c.PostForm("remark")), " ")}
	if who := c.PostForm("for"); who != "" {
		if r.For, err = uuid.Parse(who); err != nil {
			s.fail(c, http.StatusBadRequest, errors.New("this player has been deleted: load the page again"))
			return
		}
	}
	number, err := strconv.Atoi(strings.TrimSpace(c.PostForm("bar")))
	bar := tu.BarNumbered(number)
	if played := atoi(c.PostForm("played")); played > 0 {
		bar, err = played-1, nil
	}
	if err != nil || bar < 0 || bar >= len(tu.Bars) && r.Text != "" { // one behind the end can be removed
		s.showSheets(c, http.StatusUnprocessableEntity, t, sheetsBody{Notice: fmt.Sprintf("Bar %q: give a bar from %s to %s. Your remark: %s", c.PostForm("bar"),
			tu.BarPrinted(0).Short(), tu.BarPrinted(len(tu.Bars)-1).Short(), r.Text)})
		return
	}
	r.Bar = bar + 1
	switch err := s.store.SetRemark(c.Request.Context(), door.Owner(c), t.ID, r, c.PostForm("was")); {
	case errors.Is(err, store.ErrStale):
		s.showSheets(c, http.StatusConflict, t, sheetsBody{Notice: fmt.Sprintf("There is a remark at bar %s already, or it was changed in another tab: it is unchanged, below. Yours was: %s",
			barText(tu, r.Bar), r.Text)})
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/tunes/"+t.ID.String()+"/sheets")
	}
}

// saveLevels keeps the dial's position under a name, for the tune or for a player, applies a level or removes one.
func (s *Server) saveLevels(c *gin.Context) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	st := ch.tune.Settings
	notice := ""
	name := strings.TrimSpace(c.PostForm("name"))
	switch use, who := c.PostForm("use"), c.PostForm("for"); {
	case use != "":
		l, found := st.LevelNamed(use)
		if st.Ease = l.Ease; !found {
			notice = fmt.Sprintf("The level %q has been removed.", use)
		}
	case c.PostForm("remove") != "":
		st = st.WithoutLevel(c.PostForm("remove"))
	case who != "":
		s.keepLevelFor(c, &ch, who, player.Level{Name: name, Ease: st.Ease})
		return
	default:
		var err error
		if st, err = st.WithLevel(name); err != nil {
			notice = view.Sentence(err.Error())
		}
	}
	if notice != "" {
		s.showPlan(c, http.StatusUnprocessableEntity, ch.tune.ID, ch.moment, planNote{Notice: notice})
		return
	}
	s.keep(c, &ch, st)
}

// keepLevelFor keeps a level as the one that a player's sheets are written for.
func (s *Server) keepLevelFor(c *gin.Context, ch *change, who string, l player.Level) {
	p := s.findProfile(c, who)
	err := l.Validate()
	switch {
	case p == nil:
		err = errors.New("this player has been deleted: choose another")
	case l.Name == "":
		err = fmt.Errorf("give the level a name of 1 to %d characters", player.LongestLevel)
	case err == nil:
		prof := p.Profile
		prof.Level = l
		if err = s.store.SaveProfile(c.Request.Context(), door.Owner(c), p.ID, p.Version, prof); err == nil {
			s.showPlan(c, http.StatusOK, ch.tune.ID, ch.moment, planNote{Notice: fmt.Sprintf("From now on %s’s sheets are at level %s.", profileName(&prof), l.Name)})
			return
		}
		if !errors.Is(err, store.ErrStale) {
			s.failFor(c, err)
			return
		}
		err = errors.New("this player was changed in another tab in the meantime: try again")
	}
	s.showPlan(c, http.StatusUnprocessableEntity, ch.tune.ID, ch.moment, planNote{Notice: view.Sentence(err.Error())})
}
