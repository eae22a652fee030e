package web

import (
	"bytes"
	"net/http"

	"github.com/gin-gonic/gin"

	"stepping/formats/music"
)

// awayBody is the page from which a plan is taken along.
type awayBody struct {
	ID, Title string
	Ways      []awayWay
}

type awayWay struct{ File, Name, For string }

// awayWays are the forms of a plan, the most used first.
var awayWays = []awayWay{
	{"tab.txt", "Text tablature", "to read, send and paste anywhere"},
	{"plan.musicxml", "MusicXML", "for notation programs: tablature with strings, frets, fingers and techniques"},
	{"plan.mid", "MIDI", "to hear it in any player: a channel for each string, glides as bends"},
	{"plan.abc", "ABC with fingering", "plain text, the place of each note beneath it"},
	{"tune.abc", "Original ABC", "the tune without the plan"},
	{"plan.json", "Plan document", "everything the plan says, for other programs"},
}

// planFiles are the files that other programs read, by the address's last part: the name of the format, and its media type.
var planFiles = map[string]struct{ format, kind string }{
	"tab.txt":       {"tab", "text/plain; charset=utf-8"},
	"plan.musicxml": {"musicxml", "application/vnd.recordare.musicxml+xml"},
	"plan.mid":      {"midi", "audio/midi"},
	"plan.abc":      {"abc", "text/plain; charset=utf-8"},
}

func (s *Server) takeAway(c *gin.Context) {
	t, ok := s.tuneParam(c)
	if !ok {
		return
	}
	s.render(c, http.StatusOK, "away", "layout", "Files "+t.Title, awayBody{t.ID.String(), t.Title, awayWays})
}

// planFile hands the plan out in the format of the address's last part.
func (s *Server) planFile(file string) gin.HandlerFunc {
	return func(c *gin.Context) {
		t, w, ok := s.planParam(c)
		if !ok {
			return
		}
		var buf bytes.Buffer
		if err := music.Writers[planFiles[file].format](&buf, w.Plan); err != nil {
			s.failFor(c, err)
			return
		}
		attach(c, t.Title, file)
		c.Data(http.StatusOK, planFiles[file].kind, buf.Bytes())
	}
}
