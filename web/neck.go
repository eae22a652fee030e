package web

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/entry"
	"stepping/core/pitch"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/store"
	"stepping/web/door"
	"stepping/web/view"
)

// neckBody is the page on which a tune is entered by touching the neck.
type neckBody struct {
	ID      string
	Sheet   entry.Sheet
	State   entry.State
	Board   view.Board
	Strip   view.Strip
	Next    string // length of the next note
	Bar     int
	Beat    string
	Notes   int
	Free    int // notes whose places are left open
	Lengths []lengthKey
	Said    string
	Tone    string // address of what the last note sounds; "" without one
	Library []tuning.Named
}

type lengthKey struct {
	Value, Key, Name string
	Now              bool
}

// lengthKeys are the keys for lengths, the longest first.
var lengthKeys = []lengthKey{{entry.Whole, "w", "whole", false}, {entry.Half, "h", "half", false}, {entry.Quarter, "q", "quarter", false},
	{entry.Eighth, "e", "eighth", false}, {entry.Sixteen, "x", "sixteenth", false}}

// addNeck begins a tune on the neck, in the tuning of the owner's last tune.
func (s *Server) addNeck(c *gin.Context) {
	ctx := c.Request.Context()
	tuned := "Standard"
	if tunes, err := s.store.Find(ctx, door.Owner(c), &store.ListQuery{Most: 1}); err == nil && len(tunes) > 0 {
		if _, err := tuning.Parse(tunes[0].Tuning); err == nil {
			tuned = tunes[0].Tuning
		}
	}
	sheet := entry.New(tuned)
	if kept, err := s.store.Drafts().All(ctx, door.Owner(c)); err == nil { // one on which nothing was entered is gone on with
		for i := range kept {
			if n := kept[i].Doc.Neck; n != nil && len(n.State().Notes) == 0 {
				c.Redirect(http.StatusSeeOther, "/drafts/"+kept[i].ID.String())
				return
			}
		}
	}
	id, err := s.store.Drafts().Add(ctx, door.Owner(c), &store.Draft{Name: "A tune on the neck", Neck: &sheet})
	if errors.Is(err, store.ErrTooMany) {
		s.showHome(c, http.StatusUnprocessableEntity,
			homeBody{Fault: &fault{Text: "you have too many drafts: finish or delete one first"}})
		return
	}
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/drafts/"+id.String())
}

func newNeckBody(k *store.Kept[store.Draft], said string) (b neckBody) {
	b.ID, b.Sheet, b.Said, b.Library = k.ID.String(), *k.Doc.Neck, said, tuning.Library
	b.State = b.Sheet.State()
	meter := tune.MeterAt{Num: b.Sheet.Num, Den: b.Sheet.Den}
	t, err := tuning.Parse(b.Sheet.Tuning)
	if err != nil { // Check lets none in
		t, _ = tuning.Parse("Standard")
	}
	b.Board, b.Strip = view.NewBoard(t, b.Sheet.Capo, &b.State), view.NewStrip(&b.State, meter)
	b.Next, b.Notes = view.LengthName(&b.State), len(b.State.Notes)
	b.Bar, b.Beat = view.CountOf(&b.State, meter)
	for _, n := range b.State.Notes {
		if n.Free {
			b.Free++
		}
	}
	if b.Notes > 0 {
		last := b.State.Notes[b.Notes-1]
		b.Tone = fmt.Sprintf("/tone.wav?hz=%.2f&string=%d", (t.Open(last.String) + pitch.Midi(last.Fret+b.Sheet.Capo)).Hertz(440), last.String)
	}
	for _, l := range lengthKeys {
		l.Now = l.Value == b.State.Length
		b.Lengths = append(b.Lengths, l)
	}
	return b
}

func (s *Server) showNeck(c *gin.Context, status int, k *store.Kept[store.Draft], said string) {
	body := newNeckBody(k, said)
	if c.GetHeader("X-Part") != "" {
		s.render(c, status, "neck", "entry", "", body)
		return
	}
	s.render(c, status, "neck", "layout", "On the neck", body)
}

// tries bounds how often a key is pressed again because another tab was faster.
const tries = 3

// changeNeck changes the sheet of a draft and shows it; said is what a key that cannot be done says.
func (s *Server) changeNeck(c *gin.Context, change func(*entry.Sheet) error) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	for try := 1; ; try++ {
		k, err := s.store.Drafts().Get(c.Request.Context(), door.Owner(c), id)
		if err == nil && k.Doc.Neck == nil {
			err = store.ErrNotFound
		}
		if err != nil {
			s.failFor(c, err)
			return
		}
		said := ""
		if err := change(k.Doc.Neck); err != nil {
			said = err.Error()
		} else {
			k.Doc.Name = k.Doc.Neck.Title
			err = s.store.Drafts().Save(c.Request.Context(), door.Owner(c), k.ID, k.Version, &k.Doc)
			if errors.Is(err, store.ErrStale) && try < tries {
				continue
			}
			if err != nil {
				s.failFor(c, err)
				return
			}
		}
		if c.GetHeader("X-Part") == "" && said == "" {
			c.Redirect(http.StatusSeeOther, "/drafts/"+id.String())
			return
		}
		s.showNeck(c, http.StatusOK, &k, said)
		return
	}
}

// pressKey does one key, or takes the last one back.
func (s *Server) pressKey(c *gin.Context) {
	key := strings.TrimSpace(c.PostForm("key"))
	if name, has := c.GetPostForm("chord"); has && key == "chord" {
		key = "chord:" + strings.TrimSpace(name)
	}
	s.changeNeck(c, func(sheet *entry.Sheet) error {
		if key == "undo" {
			sheet.Undo()
			return nil
		}
		return sheet.Press(key)
	})
}

// frameNeck sets what stands next to the notes: title, tuning, meter, tempo.
func (s *Server) frameNeck(c *gin.Context) {
	s.changeNeck(c, func(sheet *entry.Sheet) error {
		next := *sheet
		next.Title, next.Tuning = strings.TrimSpace(c.PostForm("title")), strings.TrimSpace(c.PostForm("tuning"))
		num, den, _ := strings.Cut(c.PostForm("meter"), "/")
		next.Num, next.Den = atoi(strings.TrimSpace(num)), atoi(strings.TrimSpace(den))
		next.Capo = atoi(c.PostForm("capo"))
		next.Tempo, _ = strconv.ParseFloat(strings.TrimSpace(c.PostForm("tempo")), 64)
		if err := next.Check(); err != nil {
			return err
		}
		*sheet = next
		return nil
	})
}

// fromNeck is the tune that was entered.
func fromNeck(sheet *entry.Sheet) (in incoming, err error) {
	sc, err := sheet.Score()
	if err != nil {
		return in, err
	}
	if in.tune, in.pins, _, err = sc.Tune(sc.Roles()); err != nil || len(in.tune.Notes) == 0 {
		return in, errors.New("there is no note yet: touch the neck, or type a fret")
	}
	in.tuning, in.capo = sheet.Tuning, sheet.Capo
	return in, in.write()
}
