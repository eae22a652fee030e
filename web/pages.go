package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"unicode/utf8"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/store"
	"stepping/web/door"
)

// keptPage is a page that is kept by a name, as it is listed.
type keptPage struct{ ID, Name, Link string }

// pageKinds are the pages whose whole state is their address, by kind.
var pageKinds = map[string]string{"set": "/set", "chords": "/chords"}

// Bounds of a kept page.
const (
	longestPageName  = 80
	longestPageQuery = 16 << 10
)

// keptPages lists what is kept of a kind.
func (s *Server) keptPages(c *gin.Context, kind string) (out []keptPage, err error) {
	all, err := s.store.Pages().All(c.Request.Context(), door.Owner(c))
	for i := range all {
		if k := &all[i]; k.Doc.Kind == kind {
			out = append(out, keptPage{k.ID.String(), k.Doc.Name, pageKinds[kind] + "?" + k.Doc.Query})
		}
	}
	return out, err
}

// addPage keeps a page by a name.
func (s *Server) addPage(c *gin.Context) {
	p, err := s.readPage(c)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	if _, err := s.store.Pages().Add(c.Request.Context(), door.Owner(c), &p); err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, pageKinds[p.Kind]+"?"+p.Query)
}

func (s *Server) readPage(c *gin.Context) (p store.Page, err error) {
	p = store.Page{Name: strings.TrimSpace(c.PostForm("name")), Kind: c.PostForm("kind"), Query: c.PostForm("query")}
	if err := checkPage(&p); err != nil {
		return p, err
	}
	q := store.ListQuery{}
	for _, word := range strings.FieldsFunc(p.Query, func(r rune) bool { return r == '&' || r == '=' }) {
		if id, err := uuid.Parse(word); err == nil {
			q.IDs = append(q.IDs, id)
		}
	}
	if len(q.IDs) == 0 {
		return p, nil
	}
	tunes, err := s.store.Find(c.Request.Context(), door.Owner(c), &q)
	for i := range tunes { // archives name tunes by their titles
		if id := tunes[i].ID.String(); strings.Contains(p.Query, id) {
			if p.Titles == nil {
				p.Titles = map[string]string{}
			}
			p.Titles[id] = tunes[i].Title
		}
	}
	return p, err
}

// checkPage puts the address of a page from outside into order, or says what is wrong with it.
func checkPage(p *store.Page) error {
	values, err := url.ParseQuery(p.Query)
	switch {
	case p.Name == "":
		return errors.New("give it a name: go back and type one")
	case pageKinds[p.Kind] == "":
		return fmt.Errorf("pages of the kind %q cannot be saved", p.Kind)
	case utf8.RuneCountInString(p.Name) > longestPageName:
		return fmt.Errorf("the name is longer than %d characters: shorten it", longestPageName)
	case err != nil || len(p.Query) > longestPageQuery:
		return fmt.Errorf("%q is too large to save, or its address cannot be read", p.Name)
	}
	p.Query = values.Encode()
	return nil
}

func (s *Server) deletePage(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	k, err := s.store.Pages().Get(c.Request.Context(), door.Owner(c), id)
	if err == nil {
		err = s.store.Pages().Delete(c.Request.Context(), door.Owner(c), id)
	}
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, pageKinds[k.Doc.Kind])
}
