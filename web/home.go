package web

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"unicode"

	"github.com/gin-gonic/gin"

	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/formats/plaintext"
	"stepping/store"
)

// homeBody is the first page.
type homeBody struct {
	Tunes    []tuneCard
	Text     string // of the form, kept after an error
	Tuning   string
	Fault    *fault
	Library  []tuning.Named
	Profiles int
	Drafts   []draftCard
}

// draftCard is a tune on its way in.
type draftCard struct{ ID, Name, What string }

// draftCards lists the drafts, the last one first.
func (s *Server) draftCards(c *gin.Context) (out []draftCard, err error) {
	all, err := s.store.Drafts().All(c.Request.Context(), owner(c))
	for i := len(all) - 1; i >= 0; i-- {
		d := &all[i].Doc
		card := draftCard{ID: all[i].ID.String(), Name: d.Name, What: "a file, not kept yet"}
		if d.Neck != nil {
			card.What = fmt.Sprintf("on the neck, %d notes", len(d.Neck.State().Notes))
		}
		if card.Name == "" {
			card.Name = "Untitled"
		}
		out = append(out, card)
	}
	return out, err
}

type tuneCard struct {
	ID      store.ID
	Title   string
	Tuning  string // name, or notes
	Strings string // notes from string 6 to 1
	Capo    int
	Facts   string // tuning, key, length
}

// fault is an error at a place of a text: the line shown with a mark under the column.
type fault struct {
	Field        string
	Text         string
	Line, Column int
	Excerpt      string
	Mark         string // spaces up to the column and ^
}

// excerptWidth is how much of a long line is shown around a fault.
const excerptWidth = 72

func newFault(source string, err error) *fault {
	var at *abc.Error
	if !errors.As(err, &at) {
		return &fault{Text: err.Error()}
	}
	f := &fault{Field: "abc", Text: at.Text, Line: at.Line, Column: at.Column}
	lines := strings.Split(strings.ReplaceAll(source, "\r\n", "\n"), "\n")
	f.Excerpt, f.Mark = excerpt(lines, at.Line, at.Column)
	return f
}

// excerpt is a line around a column, and the mark to stand beneath that column; both counted from 1. Nothing of a line that is not there.
func excerpt(lines []string, line, column int) (text, mark string) {
	if line < 1 || line > len(lines) {
		return "", ""
	}
	runes := []rune(strings.Map(plainSpace, lines[line-1]))
	from := max(0, column-1-excerptWidth/2)
	return string(runes[min(from, len(runes)):min(len(runes), from+excerptWidth)]), strings.Repeat(" ", max(0, column-1-from)) + "^"
}

func plainSpace(r rune) rune {
	if unicode.IsSpace(r) {
		return ' '
	}
	return r
}

func (s *Server) home(c *gin.Context) {
	s.showHome(c, http.StatusOK, homeBody{})
}

func (s *Server) showHome(c *gin.Context, status int, body homeBody) {
	tunes, err := s.store.List(c.Request.Context(), owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	tunings := map[string]tuning.Tuning{}
	names := map[string]string{}
	for i := range tunes {
		t := &tunes[i]
		card := tuneCard{ID: t.ID, Title: t.Title, Tuning: t.Tuning, Capo: t.Capo, Facts: t.Facts}
		if _, known := names[t.Tuning]; !known {
			if tn, err := tuning.Parse(t.Tuning); err == nil {
				tunings[t.Tuning], names[t.Tuning] = tn, tuning.Identify(tn).String()
			}
		}
		if name := names[t.Tuning]; name != "" {
			card.Tuning, card.Strings = name, tunings[t.Tuning].Classes()
		}
		if card.Facts == "" {
			card.Facts = s.facts(c, t.ID)
		}
		card.Facts = card.Tuning + " · " + card.Facts
		body.Tunes = append(body.Tunes, card)
	}
	body.Library = tuning.Library
	if body.Drafts, err = s.draftCards(c); err != nil {
		s.failFor(c, err)
		return
	}
	s.render(c, status, "home", "layout", "Your tunes", body)
}

// facts is what the list says of a tune's text, read once and kept.
func (s *Server) facts(c *gin.Context, id store.ID) (facts string) {
	ctx := c.Request.Context()
	t, err := s.store.Tune(ctx, owner(c), id)
	if err == nil {
		var tu *tune.Tune
		if tu, _, err = s.readTune(t.Source); err == nil {
			facts = fmt.Sprintf("%s · %d bars · %d notes", keyName(tu.Key), len(tu.Bars), len(tu.Notes))
			err = s.store.SetFacts(ctx, t.Owner, id, t.Version, facts)
		}
	}
	if err != nil && !errors.Is(err, store.ErrNotFound) { // somebody was faster
		s.log.Error("facts of a tune", "tune", id, "err", err)
	}
	return facts
}

func titleOf(tu *tune.Tune) string {
	if tu.Title == "" {
		return "Untitled tune"
	}
	return tu.Title
}

func keyName(k tune.Key) string {
	if k.Minor {
		return k.Tonic.ClassName() + " minor"
	}
	return k.Tonic.ClassName() + " major"
}

// addTune keeps ABC text at once, without a look at what was understood: for programs and for those who know what they have.
func (s *Server) addTune(c *gin.Context) {
	body := homeBody{Tuning: strings.TrimSpace(c.PostForm("tuning"))}
	var err error
	refuse := func(f *fault) {
		body.Fault = f
		s.showHome(c, http.StatusUnprocessableEntity, body)
	}
	if body.Text, err = pasted(c); err != nil {
		refuse(newFault(body.Text, err))
		return
	}
	tu, _, err := s.readTune(body.Text)
	if err != nil {
		refuse(newFault(body.Text, err))
		return
	}
	if _, err := tuning.Parse(body.Tuning); err != nil && body.Tuning != "" {
		refuse(&fault{Field: "tuning", Text: err.Error()})
		return
	}
	id, said, err := s.takeIn(c, &incoming{tune: tu, source: body.Text, tuning: body.Tuning})
	switch {
	case err != nil:
		s.failFor(c, err)
	case said != "":
		refuse(&fault{Text: said})
	default:
		c.Redirect(http.StatusSeeOther, "/tunes/"+id.String())
	}
}

// pasted is the text of the form, or of the file chosen there. Beside an error it is what can be shown of it.
func pasted(c *gin.Context) (string, error) {
	up, err := c.FormFile("file")
	if err != nil || up.Size == 0 {
		return decoded([]byte(c.PostForm("abc")))
	}
	f, err := up.Open()
	if err != nil {
		return "", err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, 2*abc.MaxBytes+1)) // it may take two bytes a character
	if err != nil {
		return "", err
	}
	return decoded(data)
}

// decoded turns bytes into text; a fault has its place.
func decoded(data []byte) (string, error) {
	text, err := plaintext.Decode(data)
	if at := (*plaintext.Error)(nil); errors.As(err, &at) {
		shown := strings.ReplaceAll(strings.ToValidUTF8(string(data), "\ufffd"), "\x00", "\ufffd")
		return shown, &abc.Error{Line: at.Line, Column: at.Column, Text: at.Text}
	}
	return text, err
}

func (s *Server) deleteTune(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	if err := s.store.DeleteTune(c.Request.Context(), owner(c), id); err != nil {
		s.failFor(c, err)
		return
	}
	s.jobs.StopOf(id.String())
	c.Redirect(http.StatusSeeOther, "/")
}
