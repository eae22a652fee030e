package web

import (
	"net/http"
	"path"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
)

// How long a request waits for a plan unless the configuration says otherwise: a page then shows how far the work is,
// which nothing else can.
const (
	pagePatience = 3 * time.Second
	filePatience = 50 * time.Second // less than WriteTimeout
)

// waitingBody is a page whose plan is being worked out, or was stopped.
type waitingBody struct {
	ID, Title string
	Percent   int
	Here      string // its address
	Stopped   bool
}

// wantsPage reports whether a request is for a whole page, which can say that its plan is not there yet: no file, no part, no change.
func wantsPage(c *gin.Context) bool {
	return c.Request.Method == http.MethodGet && c.GetHeader("X-Part") == "" && path.Ext(c.FullPath()) == "" && !strings.Contains(c.FullPath(), "/at/")
}

// Kinds of jobs next to plans.
const (
	rankingJob  = "ranking"
	proposalJob = "proposals"
)

// progress tells the script how far the plan of a tune is.
func (s *Server) progress(c *gin.Context) {
	if t, ok := s.tuneParam(c); ok {
		percent, done := s.desk.Progress(t.ID)
		c.JSON(http.StatusOK, gin.H{"percent": percent, "done": done})
	}
}

// stopPlan stops the planning of a tune; again starts it again.
func (s *Server) stopPlan(c *gin.Context) {
	if t, ok := s.tuneParam(c); ok {
		s.desk.Stop(t.ID)
		c.Redirect(http.StatusSeeOther, "/tunes/"+t.ID.String())
	}
}

func (s *Server) planAgain(c *gin.Context) {
	if t, ok := s.tuneParam(c); ok {
		s.desk.Again(t.ID)
		c.Redirect(http.StatusSeeOther, "/tunes/"+t.ID.String())
	}
}
