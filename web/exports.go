package web

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"
	"unicode"

	"github.com/gin-gonic/gin"

	"stepping/formats/tabtext"
)

func (s *Server) planJSON(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	doc, err := s.document(c.Request.Context(), t, w)
	if err != nil {
		s.failFor(c, err)
		return
	}
	attach(c, t.Title, "plan.json")
	c.Data(http.StatusOK, "application/json", doc)
}

func (s *Server) tabText(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	var buf bytes.Buffer
	if err := tabtext.Write(&buf, w.plan); err != nil {
		s.failFor(c, err)
		return
	}
	attach(c, t.Title, "tab.txt")
	c.Data(http.StatusOK, "text/plain; charset=utf-8", buf.Bytes())
}

// attach names the download after the tune, letters and digits only.
func attach(c *gin.Context, title, ending string) {
	name := strings.Map(func(r rune) rune {
		if r < 128 && (unicode.IsLetter(r) || unicode.IsDigit(r)) {
			return unicode.ToLower(r)
		}
		return '-'
	}, title)
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", strings.Trim(name, "-")+"."+ending))
}
