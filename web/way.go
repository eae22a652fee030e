package web

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"stepping/store"
)

// way is the way of a tune from its text to being played: where one is on it, and what is open.
type way struct {
	ID, Title string
	Steps     []wayStep
	Left      string // where to come back to, "" if this page is no such place
}

// wayStep is one place of the way.
type wayStep struct {
	Name, Link string
	Key        int // with the shift key
	Here       bool
}

// wayOf is which step the pages of a tune belong to, by what follows the tune in their addresses; all others are about the plan.
var wayOf = map[string]string{
	"/text": "Tune", "/suit": "Tuning", "/slides": "Tuning", "/hear": "Hear", "/practise": "Practise", "/ladder": "Practise", "/log": "Practise",
	"/take": "Record", "/takes": "Record", "/takes/:take": "Record",
}

// tuneKey is where a request keeps the tune that it is about.
const tuneKey = "tune"

// wayHere is the way of the tune that a request is about, nil if it is about none.
func wayHere(c *gin.Context, status int) *way {
	v, _ := c.Get(tuneKey)
	t, ok := v.(*store.Tune)
	if !ok {
		return nil
	}
	here := wayOf[strings.TrimPrefix(c.FullPath(), "/tunes/:id")]
	if here == "" {
		here = "Plan"
	}
	w := &way{ID: t.ID.String(), Title: t.Title}
	if status == http.StatusOK && c.Request.Method == http.MethodGet {
		w.Left = leftAt(c, "/tunes/"+w.ID)
	}
	for i, st := range []wayStep{{Name: "Tune", Link: "/text"}, {Name: "Tuning", Link: "/suit"}, {Name: "Plan"}, {Name: "Hear", Link: "/hear"},
		{Name: "Practise", Link: "/practise"}, {Name: "Record", Link: "/take"}} {
		st.Key, st.Here, st.Link = i+1, st.Name == here, "/tunes/"+w.ID+st.Link
		w.Steps = append(w.Steps, st)
	}
	return w
}

// leftAt is where to come back to from a page of a tune that is there: a recording may be gone by then, and a sitting over.
func leftAt(c *gin.Context, tune string) string {
	switch {
	case c.FullPath() == keptRoute:
		return tune + "/take"
	case c.Query("part") != "":
		return c.Request.URL.Path
	}
	return c.Request.URL.RequestURI()
}

// daysAgo is a time in the past as one says it.
func daysAgo(then, now time.Time) string {
	day := func(t time.Time) time.Time {
		y, m, d := t.Local().Date()
		return time.Date(y, m, d, 12, 0, 0, 0, time.UTC)
	}
	switch n := int(day(now).Sub(day(then)).Hours() / 24); {
	case n <= 0:
		return "today"
	case n == 1:
		return "yesterday"
	default:
		return fmt.Sprintf("%d days ago", n)
	}
}
