package web

import (
	"archive/zip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"
	"unicode"

	"github.com/gin-gonic/gin"

	"stepping/core/player"
	"stepping/core/practice"
	"stepping/core/setup"
	"stepping/core/sound"
	"stepping/core/take"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
)

// An archive is everything of one owner's as a zip of open formats. Names of files are for people; index.json says which file is
// which thing, so that an import adds nothing twice.

const archiveReadme = `Everything that you have in Stepping.

tunes/NAME.abc           the text of a tune, as you gave it
tunes/NAME.json          its tuning, capo, tempo, patterns, pins; "player" names a file in players/
tunes/NAME.history.json  what can be undone and redone
practice/NAME.json       what you played of it and how it went, and your notes on bars
plans/NAME.json          the plan last worked out for it (docs/formats.md says how to read it)
slide/NAME.json          the notes that a player of players/ stopped in the trainer for the slide
borrowed/NAME.json       what you played of a tune that is lent to you, whose text is its owner's; your recordings of it are in borrowed/NAME/
recordings/NAME/N.wav    your recordings of it, with what was heard in each as N.json
players/, guitars/, slides/, patterns/, licks/, gigs/, drafts/, pages/ (sets and progressions that you saved)   as JSON
index.json               which file is which thing, for Import

Stepping takes this file back under Account, "Import": what is there already stays, what is missing is added.
`

// setFor is the file with the settings of a tune.
type setFor struct {
	Title    string         `json:"title"`
	Player   string         `json:"player"` // the file of the player it is planned for, without ending
	Tags     []string       `json:"tags,omitempty"`
	Settings setup.Settings `json:"settings"`

	Sheets  []archivedSheet  `json:"sheets,omitempty"`
	Remarks []archivedRemark `json:"remarks,omitempty"`
}

// archivedSheet is a player for whom a tune has a sheet.
type archivedSheet struct {
	Player string       `json:"player"`
	Level  player.Level `json:"level,omitzero"`
}

// archivedRemark is a remark at a bar, as played, from 1.
type archivedRemark struct {
	Player string `json:"player,omitempty"` // "" for everybody
	Bar    int    `json:"bar"`
	Text   string `json:"text"`
}

// archivedLoan is a borrowed tune: its text is its owner's, the practice is the borrower's.
type archivedLoan struct {
	Title  string `json:"title"`
	Lender string `json:"lender"`
	archivedLog
}

// archivedHistory is what can be undone and redone, oldest first.
type archivedHistory struct {
	Head  int            `json:"head"` // which is in force, from 0
	Edits []archivedEdit `json:"edits"`
}

type archivedEdit struct {
	Player   string         `json:"player"`
	Settings setup.Settings `json:"settings"`
	At       time.Time      `json:"at"`
}

// archivedLog is what stands of a tune in the log.
type archivedLog struct {
	Passes []practice.Pass `json:"passes"`
	Notes  map[int]string  `json:"notes,omitempty"` // by bar, as played, from 1
}

// archivedTake describes a recording.
type archivedTake struct {
	At    time.Time       `json:"at"`
	Name  string          `json:"name"`
	Plan  string          `json:"plan"` // identifies the plan that it was judged by
	Heard json.RawMessage `json:"heard"`
}

// archiveIndex is index.json.
type archiveIndex struct {
	Version int                 `json:"version"`
	IDs     map[string]store.ID `json:"ids"` // by file, without ending
}

const indexVersion = 1

// fileName makes a name for a file of a title; n keeps those apart that are alike.
func fileName(n int, title string) string {
	name := strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return '-'
	}, title)
	if r := []rune(name); len(r) > 40 {
		name = string(r[:40])
	}
	return fmt.Sprintf("%03d-%s", n+1, strings.Trim(name, "-"))
}

// takeEverything hands out the owner's archive while it is made. If it breaks off, so does the file, which then is no zip.
func (s *Server) takeEverything(c *gin.Context) {
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", "stepping-"+time.Now().Format(time.DateOnly)+".zip"))
	c.Header("Content-Type", "application/zip")
	err := writeEverything(c.Request.Context(), s.store, door.Owner(c), door.Steadily(c.Writer))
	switch {
	case err == nil:
		s.logFor(c).Info("exported", "owner", door.Owner(c))
	case !c.Writer.Written():
		c.Header("Content-Disposition", "")
		c.Header("Content-Type", "")
		s.failFor(c, err)
	default:
		if c.Request.Context().Err() == nil {
			s.logFor(c).Error("an export broke off", "err", err)
		}
		panic(http.ErrAbortHandler)
	}
}

// export is an archive that is written.
type export struct {
	ctx     context.Context
	st      *store.Store
	owner   store.ID
	z       *zip.Writer
	index   archiveIndex
	players map[store.ID]string // their files
	whole   map[store.ID]*player.Profile
}

func writeEverything(ctx context.Context, st *store.Store, owner store.ID, to io.Writer) error {
	e := &export{ctx: ctx, st: st, owner: owner, z: zip.NewWriter(to), index: archiveIndex{indexVersion, map[string]store.ID{}},
		players: map[store.ID]string{}, whole: map[store.ID]*player.Profile{}}
	if err := e.playersOut(); err != nil {
		return err
	}
	tunes, err := st.List(ctx, owner)
	if err != nil {
		return err
	}
	for i := range tunes {
		if err := e.tuneOut(tunes[i].ID, fileName(i, tunes[i].Title)); err != nil && !errors.Is(err, store.ErrNotFound) { // deleted meanwhile
			return fmt.Errorf("tune %s: %w", tunes[i].ID, err)
		}
	}
	err = errors.Join(shelfOut(e, st.Guitars(), "guitars"), shelfOut(e, st.Slides(), "slides"), shelfOut(e, st.Patterns(), "patterns"),
		shelfOut(e, st.Licks(), "licks"),
		shelfOut(e, st.Pages(), "pages"), shelfOut(e, st.Gigs(), "gigs"), shelfOut(e, st.Drafts(), "drafts"),
		e.put("README.txt", []byte(archiveReadme)), e.putJSON("index.json", e.index))
	if err != nil {
		return err // without the list of files at its end it is no zip
	}
	return e.z.Close()
}

func (e *export) put(name string, data []byte) error {
	f, err := e.z.Create(name)
	if err == nil {
		_, err = f.Write(data)
	}
	return err
}

func (e *export) putJSON(name string, doc any) error {
	data, err := json.MarshalIndent(doc, "", "  ")
	if err != nil {
		return err
	}
	return e.put(name, data)
}

func (e *export) playersOut() error {
	profiles, err := e.st.Profiles(e.ctx, e.owner)
	for i := range profiles {
		p := &profiles[i]
		file := fileName(i, p.Profile.Name)
		e.players[p.ID], e.whole[p.ID], e.index.IDs["players/"+file] = file, &p.Profile, p.ID
		slid, err2 := e.st.SlideNotes(e.ctx, e.owner, p.ID)
		err = errors.Join(err, err2, e.putJSON("players/"+file+".json", p.Profile))
		if len(slid) > 0 {
			err = errors.Join(err, e.putJSON("slide/"+file+".json", slid))
		}
	}
	return err
}

// tuneOut writes one tune with all that belongs to it.
func (e *export) tuneOut(id store.ID, name string) error {
	t, err := e.st.Tune(e.ctx, e.owner, id)
	if err != nil {
		return err
	}
	if t.Lender != "" {
		return e.borrowedOut(&t, name)
	}
	edits, head, err := e.st.History(e.ctx, e.owner, id)
	if err != nil {
		return err
	}
	set := setFor{Title: t.Title, Player: e.players[t.ProfileID], Tags: tagsOf(t.Tags), Settings: t.Settings}
	if err := e.addPupils(id, &set); err != nil {
		return err
	}
	e.index.IDs["tunes/"+name] = id
	if err := errors.Join(e.put("tunes/"+name+".abc", []byte(t.Source)),
		e.putJSON("tunes/"+name+".json", set)); err != nil {
		return err
	}
	if len(edits) > 1 {
		h := archivedHistory{Head: head}
		for i := range edits {
			h.Edits = append(h.Edits, archivedEdit{e.players[edits[i].Profile], edits[i].Settings, edits[i].At})
		}
		if err := e.putJSON("tunes/"+name+".history.json", h); err != nil {
			return err
		}
	}
	log, err := e.logOf(id)
	if err != nil {
		return err
	}
	if len(log.Passes)+len(log.Notes) > 0 {
		if err := e.putJSON("practice/"+name+".json", log); err != nil {
			return err
		}
	}
	if p := e.whole[t.ProfileID]; p != nil {
		if doc, err := e.st.Plan(e.ctx, e.owner, id, desk.Basis(&t, p)); err == nil {
			if err := e.put("plans/"+name+".json", doc); err != nil {
				return err
			}
		}
	}
	return e.takesOut(id, "recordings/"+name)
}

// addPupils adds for whom a tune has sheets, and what is said at its bars.
func (e *export) addPupils(tune store.ID, set *setFor) error {
	sheets, err := e.st.Sheets(e.ctx, e.owner, tune)
	remarks, err2 := e.st.Remarks(e.ctx, e.owner, tune)
	for _, sh := range sheets {
		set.Sheets = append(set.Sheets, archivedSheet{e.players[sh.Profile], sh.Level})
	}
	for _, r := range remarks {
		set.Remarks = append(set.Remarks, archivedRemark{e.players[r.For], r.Bar, r.Text})
	}
	return errors.Join(err, err2)
}

func (e *export) logOf(tune store.ID) (log archivedLog, err error) {
	var err2 error
	log.Passes, err = e.st.PassesOver(e.ctx, e.owner, tune)
	log.Notes, err2 = e.st.Notes(e.ctx, e.owner, tune)
	return log, errors.Join(err, err2)
}

// borrowedOut writes what the borrower made of a borrowed tune.
func (e *export) borrowedOut(t *store.Tune, name string) error {
	log, err := e.logOf(t.ID)
	if err := errors.Join(err, e.putJSON("borrowed/"+name+".json", archivedLoan{t.Title, t.Lender, log})); err != nil {
		return err
	}
	return e.takesOut(t.ID, "borrowed/"+name)
}

// takesOut writes the recordings of a tune into a directory, block by block. One whose sound is not here is left out.
func (e *export) takesOut(tune store.ID, dir string) error {
	takes, err := e.st.Takes(e.ctx, e.owner, tune)
	if err != nil {
		return err
	}
	for i := range takes {
		t := &takes[i]
		if _, err := e.st.TakeSound(e.ctx, e.owner, t.ID, 0); errors.Is(err, store.ErrNoSound) {
			continue
		}
		file := fmt.Sprintf("%s/%03d", dir, i+1)
		e.index.IDs[file] = t.ID
		if err := e.putJSON(file+".json", archivedTake{t.At, t.Name, t.Plan, t.Doc}); err != nil {
			return err
		}
		to, err := e.z.CreateHeader(&zip.FileHeader{Name: file + ".wav", Method: zip.Store, Modified: t.At})
		if err == nil {
			_, err = to.Write(sound.Header(take.KeptRate, int(t.Samples)))
		}
		for number, left := 0, 2*t.Samples; left > 0 && err == nil; number++ {
			var block []byte
			if block, err = e.st.TakeSound(e.ctx, e.owner, t.ID, number); err == nil {
				_, err = to.Write(block)
				left -= int64(len(block))
			}
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// shelf is one of the store's.
type shelf[T any] interface {
	All(context.Context, store.ID) ([]store.Kept[T], error)
	Adopt(ctx context.Context, owner, id store.ID, doc *T) error
}

func shelfOut[T any](e *export, from shelf[T], dir string) error {
	all, err := from.All(e.ctx, e.owner)
	for i := range all {
		name := fmt.Sprintf("%s/%03d", dir, i+1)
		e.index.IDs[name] = all[i].ID
		err = errors.Join(err, e.putJSON(name+".json", all[i].Doc))
	}
	return err
}

// tagsOf is the words of a tune one by one.
func tagsOf(text string) []string {
	tags, _ := setup.ParseTags(text) // the store keeps none that cannot be read
	return tags
}
