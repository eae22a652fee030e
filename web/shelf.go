package web

import (
	"context"
	"net/http"

	"github.com/gin-gonic/gin"

	"stepping/store"
	"stepping/web/door"
)

// getter and deleter are what handlers need of a shelf of the store.
type (
	getter[T any] interface {
		Get(ctx context.Context, owner, id store.ID) (store.Kept[T], error)
	}
	deleter interface {
		Delete(ctx context.Context, owner, id store.ID) error
	}
)

// keptParam reads the document whose key is in the path; ok is false if the request is answered.
func keptParam[T any](s *Server, c *gin.Context, from getter[T]) (k store.Kept[T], ok bool) {
	id, ok := s.idParam(c)
	if !ok {
		return k, false
	}
	k, err := from.Get(c.Request.Context(), door.Owner(c), id)
	if err != nil {
		s.failFor(c, err)
		return k, false
	}
	return k, true
}

// remove deletes the document whose key is in the path and goes on to a page.
func (s *Server) remove(c *gin.Context, from deleter, to string) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	if err := from.Delete(c.Request.Context(), door.Owner(c), id); err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, to)
}

func (s *Server) guitarParam(c *gin.Context) (store.Kept[store.Guitar], bool) {
	return keptParam(s, c, s.store.Guitars())
}

func (s *Server) slideParam(c *gin.Context) (store.Kept[store.Slide], bool) {
	return keptParam(s, c, s.store.Slides())
}

func (s *Server) deleteGuitar(c *gin.Context)  { s.remove(c, s.store.Guitars(), "/bench") }
func (s *Server) deleteSlide(c *gin.Context)   { s.remove(c, s.store.Slides(), "/slides") }
func (s *Server) deletePattern(c *gin.Context) { s.remove(c, s.store.Patterns(), "/patterns") }
