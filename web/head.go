package web

import (
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/store"
	"stepping/web/door"
)

// headLink is a place that the head of every page leads to: where to begin, or one board of the shelf of what
// belongs to the player.
type headLink struct {
	Name, Link string
	Key        string // with the shift key
	First      bool   // of the shelf
	Here       bool
}

// headLinks are the places, each reached by its letter.
var headLinks = []headLink{
	{Name: "Tunes", Link: "/", Key: "T"}, {Name: "Today", Link: "/today", Key: "D"},
	{Name: "Players", Link: "/profiles", Key: "P", First: true}, {Name: "Guitars", Link: "/bench", Key: "G"},
	{Name: "Slides", Link: "/slides", Key: "S"},
	{Name: "Patterns", Link: "/patterns", Key: "A"}, {Name: "Licks", Link: "/licks", Key: "L"}, {Name: "Chords", Link: "/chords", Key: "C"}, {Name: "Sets", Link: "/set", Key: "E"},
}

// headHere is the head with the place that a request belongs to marked.
func headHere(c *gin.Context) []headLink {
	out := slices.Clone(headLinks)
	at := c.FullPath()
	for i := range out {
		under := out[i].Link != "/" && strings.HasPrefix(at, out[i].Link)
		out[i].Here = at == out[i].Link || under || out[i].Link == "/bench" && strings.HasPrefix(at, "/guitars")
	}
	return out
}

// mirrored reports whether what a request shows is drawn for a left-handed player: the tune's, else the owner's first. A database
// that is away draws it for the right.
func (s *Server) mirrored(c *gin.Context) bool {
	if v, ok := c.Get(tuneKey); ok {
		p, err := s.store.TunePlayer(c.Request.Context(), door.Owner(c), v.(*store.Tune).ID)
		return err == nil && p.Profile.LeftHanded
	}
	all, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
	return err == nil && len(all) > 0 && all[0].Profile.LeftHanded
}
