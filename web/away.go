package web

import (
	"bytes"
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"stepping/core/grip"
	"stepping/core/plan"
	"stepping/core/retune"
	"stepping/core/tuning"
	"stepping/formats/music"
	"stepping/web/view"
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
	{"tune.abc", "ABC as it was given", "the tune without the plan"},
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
	s.render(c, http.StatusOK, "away", "layout", "Take away "+t.Title, awayBody{t.ID.String(), t.Title, awayWays})
}

// planFile hands the plan out in the format of the address's last part.
func (s *Server) planFile(file string) gin.HandlerFunc {
	return func(c *gin.Context) {
		t, w, ok := s.planParam(c)
		if !ok {
			return
		}
		var buf bytes.Buffer
		if err := music.Writers[planFiles[file].format](&buf, w.plan); err != nil {
			s.failFor(c, err)
			return
		}
		attach(c, t.Title, file)
		c.Data(http.StatusOK, planFiles[file].kind, buf.Bytes())
	}
}

// printBody is the sheet for the stand.
type printBody struct {
	ID, Title string
	Tuning    string
	Strings   string
	Capo      int
	Tempo     string
	Player    string
	Turns     []string // retuning, in order
	Cautions  []string
	Lines     []view.PaperLine
	Hard      []hardMove
	Grips     []view.Grip
}

type hardMove struct{ Where, What, Time string }

// What a sheet holds at most beside the music.
const (
	sheetMoves  = 3
	sheetGrips  = 6
	sheetChords = 24 // looked at
)

func (s *Server) printSheet(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	p := w.plan
	r := &p.Request
	b := printBody{ID: t.ID.String(), Title: t.Title, Tuning: tuning.Identify(r.Tuning).String(), Strings: r.Tuning.Classes(), Capo: r.Capo,
		Tempo: fmt.Sprintf("%.4g quarter notes a minute", p.Tempo()), Player: profileName(&r.Player), Lines: view.NewPaper(p)}
	b.turns(s, c, r.Tuning)
	for _, mv := range p.Hardest(sheetMoves) {
		mo := &p.Moments[mv.Moment]
		b.Hard = append(b.Hard, hardMove{fmt.Sprintf("Bar %s, beat %.4g", mo.Printed, mo.Beat), mv.What, fmt.Sprintf("%.2f s needed, %.2f s there", mv.Need, mv.There)})
	}
	b.grips(r)
	s.render(c, http.StatusOK, "print", "layout", "Sheet of "+t.Title, b)
}

// turns says how the guitar comes to the tuning: the owner's first guitar as it is tuned now.
func (b *printBody) turns(s *Server, c *gin.Context, to tuning.Tuning) {
	guitars, err := s.guitars(c)
	if err != nil || len(guitars) == 0 {
		return
	}
	g := completed(&guitars[0].Doc)
	from, err := tuning.ParseAny(guitars[0].Doc.Tuning)
	if err != nil {
		return
	}
	rp, err := retune.New(g, from, to)
	if err != nil {
		b.Cautions = append(b.Cautions, err.Error())
		return
	}
	for _, str := range rp.Order {
		ch := &rp.Changes[str-1]
		way := "up"
		if ch.HalfSteps < 0 {
			way = "down"
		}
		n := max(ch.HalfSteps, -ch.HalfSteps)
		b.Turns = append(b.Turns, fmt.Sprintf("String %d %s %s to %s", ch.String, way, tuning.HalfSteps(n), ch.To))
		b.Cautions = append(b.Cautions, ch.Warnings...)
	}
	b.Cautions = append(b.Cautions, rp.Warnings...)
}

// grips are the plainest grips of the tune's chords.
func (b *printBody) grips(r *plan.Request) {
	if r.Player.Lap() {
		return
	}
	g := grip.Guitar{Tuning: r.Tuning, Capo: r.Capo, Player: r.Player}
	seen := map[string]bool{}
	for i, c := range r.Tune.Chords {
		if seen[c.Chord.Name] || len(b.Grips) == sheetGrips || i >= sheetChords*8 {
			continue
		}
		seen[c.Chord.Name] = true
		if found := g.Find(c.Chord, 1); len(found) > 0 {
			b.Grips = append(b.Grips, view.NewGrip(g, c.Chord.Name, &found[0]))
		}
	}
}
