package web

import (
	"fmt"
	"net/http"
	"strings"
	"unicode"

	"github.com/gin-gonic/gin"
)

func (s *Server) planJSON(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	doc, err := s.desk.Document(c.Request.Context(), t, w)
	if err != nil {
		s.failFor(c, err)
		return
	}
	attach(c, t.Title, "plan.json")
	c.Data(http.StatusOK, "application/json", doc)
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
