package web

import (
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	"stepping/core/setup"
	"stepping/core/tune"
	"stepping/store"
	"stepping/web/door"
)

// textBody is the page on which a tune's text is changed.
type textBody struct {
	ID, Title string
	Version   int
	Text      string
	Notice    string
	Fault     *fault
	Tags      string
	TagFault  string
}

func (s *Server) text(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	s.showText(c, http.StatusOK, textBody{ID: t.ID.String(), Title: t.Title, Version: t.Version, Text: t.Source, Tags: t.Tags})
}

func (s *Server) showText(c *gin.Context, status int, body textBody) {
	s.render(c, status, "text", "layout", "Text of "+body.Title, body)
}

// saveText keeps a changed text; what was typed stays on the page after a fault or when
// another tab was faster.
func (s *Server) saveText(c *gin.Context) {
	ch, ok := s.readChange(c)
	if !ok {
		return
	}
	body := textBody{ID: ch.tune.ID.String(), Title: ch.tune.Title, Version: ch.tune.Version, Tags: ch.tune.Tags}
	var tu *tune.Tune
	var err error
	if body.Text, err = decoded([]byte(c.PostForm("abc"))); err == nil {
		tu, err = s.readText(c, body.Text)
	}
	if err != nil {
		body.Version, body.Fault = ch.version, newFault(body.Text, err)
		s.showText(c, http.StatusUnprocessableEntity, body)
		return
	}
	err = s.store.SaveSource(c.Request.Context(), door.Owner(c), ch.tune.ID, ch.version, titleOf(tu), body.Text)
	if errors.Is(err, store.ErrStale) {
		body.Notice = "This tune was changed in another tab or window in the meantime. Your text is below and was not saved; save again to use it."
		s.showText(c, http.StatusConflict, body)
		return
	}
	s.finish(c, &ch, err)
}

// saveTags keeps the player's words for a tune.
func (s *Server) saveTags(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	typed := c.PostForm("tags")
	tags, err := setup.ParseTags(typed)
	if err != nil {
		s.showText(c, http.StatusUnprocessableEntity, textBody{ID: t.ID.String(), Title: t.Title, Version: t.Version,
			Text: t.Source, Tags: typed, TagFault: err.Error()})
		return
	}
	if err := s.store.SetTags(c.Request.Context(), door.Owner(c), t.ID, tags); err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/tunes/"+t.ID.String()+"/text")
}

// tuneABC hands the text out as it was given.
func (s *Server) tuneABC(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	attach(c, t.Title, "abc")
	c.Data(http.StatusOK, "text/plain; charset=utf-8", []byte(t.Source))
}
