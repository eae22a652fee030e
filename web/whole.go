package web

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/grip"
	"stepping/core/plan"
	"stepping/core/retune"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/web/view"
)

// wholeBody is the whole tune on one page: to read from, to follow by ear, and to print.
type wholeBody struct {
	paperBody
	ID, Title string
	Moment    int      // where the cursor was
	Turns     []string // retuning, in order
	Cautions  []string
	Staff     bool // above the tablature
	Client    clientData
}

// paperBody is a plan on paper.
type paperBody struct {
	Tuning  string
	Strings string
	Capo    int
	Tempo   string
	Player  string
	Lines   []view.PaperLine
	Hard    []hardMove
	Grips   []view.Grip
	Remarks []barRemark
}

type hardMove struct{ Where, What, Time string }

// What a sheet holds at most next to the music.
const (
	sheetMoves  = 3
	sheetGrips  = 6
	sheetChords = 24 // looked at
)

func (s *Server) wholeTune(c *gin.Context) {
	t, w, ok := s.planParam(c)
	if !ok {
		return
	}
	p := w.Plan
	r := &p.Request
	m := min(max(atoi(c.Query("m")), 0), len(p.Moments)-1)
	b := wholeBody{paperBody: newPaperBody(p), ID: t.ID.String(), Title: t.Title, Moment: m,
		Client: clientData{ID: t.ID.String(), At: m, Count: len(p.Moments)}}
	b.Client.timed(p)
	if b.Staff = c.Query("staff") != ""; b.Staff {
		if err := addStaff(b.Lines, p.Request.Tune); err != nil {
			s.failFor(c, err)
			return
		}
	}
	b.turns(s, c, r.Tuning)
	remarks, err := s.remarksOf(c.Request.Context(), t)
	if err != nil {
		s.failFor(c, err)
		return
	}
	b.Remarks = paperRemarks(remarks, p.Request.Tune)
	s.render(c, http.StatusOK, "whole", "layout", t.Title+", whole", b)
}

// newPaperBody draws a plan for paper.
func newPaperBody(p *plan.Plan) paperBody {
	r := &p.Request
	b := paperBody{Tuning: tuning.Identify(r.Tuning).String(), Strings: r.Tuning.Classes(), Capo: r.Capo, Tempo: fmt.Sprintf("%.4g bpm", p.Tempo()),
		Player: profileName(&r.Player), Lines: view.NewPaper(p)}
	for _, mv := range p.Hardest(sheetMoves) {
		mo := &p.Moments[mv.Moment]
		b.Hard = append(b.Hard, hardMove{fmt.Sprintf("Bar %s, beat %.4g", mo.Printed, mo.Beat), mv.What,
			upTo(p.BPMAt(mv.Share()))})
	}
	b.grips(r)
	return b
}

// addStaff writes the bars of each line for a staff above it.
func addStaff(lines []view.PaperLine, tu *tune.Tune) error {
	for i := range lines {
		bars := lines[i].Bars
		var text strings.Builder
		if err := abc.WriteBars(&text, tu, bars[0].Played, bars[len(bars)-2].Played); err != nil { // the last is the line's end
			return err
		}
		lines[i].Staff = text.String()
	}
	return nil
}

// turns says how the guitar comes to the tuning: the owner's first guitar as it is tuned now.
func (b *wholeBody) turns(s *Server, c *gin.Context, to tuning.Tuning) {
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
func (b *paperBody) grips(r *plan.Request) {
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
			b.Grips = append(b.Grips, view.NewGrip(g, c.Chord, &found[0]))
		}
	}
}
