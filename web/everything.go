package web

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"path"
	"slices"
	"sort"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"stepping/core/pattern"
	"stepping/core/player"
	"stepping/core/practice"
	"stepping/core/setup"
	"stepping/formats/abc"
	"stepping/formats/plaintext"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// An archive is everything of one owner's as a zip of open formats: each tune as ABC text, with what was set
// for it beside it as JSON, and its plan document if there is one that holds; players, guitars, slides and
// patterns as JSON.

// Bounds of an archive that comes back: unpacked, of one file, and how many files.
const (
	archiveBytes = 16 << 20
	archiveFile  = 2 << 20
	archiveFiles = 6000
)

// setFor is what stands beside a tune's text.
type setFor struct {
	Title    string         `json:"title"`
	Player   string         `json:"player"` // the file of the player it is planned for, without ending
	Tags     []string       `json:"tags,omitempty"`
	Settings setup.Settings `json:"settings"`
}

const archiveReadme = `Everything that you keep in Stepping.

tunes/NAME.abc      the text of a tune, as you gave it
tunes/NAME.json     its tuning, capo, tempo, patterns, pins; "player" names a file in players/
practice/NAME.json  what you played of it and how it went, and your notes beside bars
plans/NAME.json     the plan last worked out for it (docs/formats.md says how to read it)
players/, guitars/, slides/, patterns/, pages/ (sets and progressions that you keep)   as JSON

Recordings are not in it: save them from their own pages.

Stepping takes this file back under Account, "Bring it back": what is there already stays, what is missing is added.
`

// archivedLog is what stands of a tune in the log.
type archivedLog struct {
	Passes []practice.Pass `json:"passes"`
	Notes  map[int]string  `json:"notes,omitempty"` // by bar, as played, from 1
}

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

// takeEverything hands out the owner's archive.
func (s *Server) takeEverything(c *gin.Context) {
	var buf bytes.Buffer
	if err := s.writeEverything(c.Request.Context(), door.Owner(c), &buf); err != nil {
		s.failFor(c, err)
		return
	}
	s.logFor(c).Info("exported", "owner", door.Owner(c))
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", "stepping-"+time.Now().Format(time.DateOnly)+".zip"))
	c.Data(http.StatusOK, "application/zip", buf.Bytes())
}

func (s *Server) writeEverything(ctx context.Context, owner store.ID, to io.Writer) error {
	z := zip.NewWriter(to)
	put := func(name string, data []byte) error {
		f, err := z.Create(name)
		if err == nil {
			_, err = f.Write(data)
		}
		return err
	}
	putJSON := func(name string, doc any) error {
		data, err := json.MarshalIndent(doc, "", "  ")
		if err != nil {
			return err
		}
		return put(name, data)
	}
	profiles, err := s.store.Profiles(ctx, owner)
	if err != nil {
		return err
	}
	file := map[store.ID]string{}
	whole := map[store.ID]*player.Profile{}
	for i := range profiles {
		p := &profiles[i]
		file[p.ID], whole[p.ID] = fileName(i, p.Profile.Name), &p.Profile
		if err := putJSON("players/"+file[p.ID]+".json", p.Profile); err != nil {
			return err
		}
	}
	tunes, err := s.store.Tunes(ctx, owner)
	if err != nil {
		return err
	}
	for i := range tunes {
		t := &tunes[i]
		name := fileName(i, t.Title)
		if err := errors.Join(put("tunes/"+name+".abc", []byte(t.Source)),
			putJSON("tunes/"+name+".json", setFor{t.Title, file[t.ProfileID], tagsOf(t.Tags), t.Settings})); err != nil {
			return err
		}
		var log archivedLog
		var err1, err2 error
		log.Passes, err1 = s.store.PassesOver(ctx, owner, t.ID)
		log.Notes, err2 = s.store.Notes(ctx, owner, t.ID)
		if err := errors.Join(err1, err2); err != nil {
			return err
		}
		if len(log.Passes)+len(log.Notes) > 0 {
			if err := putJSON("practice/"+name+".json", log); err != nil {
				return err
			}
		}
		if p := whole[t.ProfileID]; p != nil {
			if doc, err := s.store.Plan(ctx, owner, t.ID, desk.Basis(t, p)); err == nil {
				if err := put("plans/"+name+".json", doc); err != nil {
					return err
				}
			}
		}
	}
	err = errors.Join(shelfOut(ctx, s.store.Guitars(), owner, "guitars", putJSON), shelfOut(ctx, s.store.Slides(), owner, "slides", putJSON),
		shelfOut(ctx, s.store.Patterns(), owner, "patterns", putJSON), shelfOut(ctx, s.store.Pages(), owner, "pages", putJSON),
		put("README.txt", []byte(archiveReadme)))
	return errors.Join(err, z.Close())
}

// shelf is one of the store's.
type shelf[T any] interface {
	All(context.Context, store.ID) ([]store.Kept[T], error)
	Add(context.Context, store.ID, *T) (store.ID, error)
}

func shelfOut[T any](ctx context.Context, from shelf[T], owner store.ID, dir string, put func(string, any) error) error {
	all, err := from.All(ctx, owner)
	for i := range all {
		err = errors.Join(err, put(fmt.Sprintf("%s/%03d.json", dir, i+1), all[i].Doc))
	}
	return err
}

// bringBack adds what an archive holds and is not there.
func (s *Server) bringBack(c *gin.Context) {
	said, err := func() (string, error) {
		up, err := c.FormFile("file")
		if err != nil || up.Size == 0 {
			return "", errors.New("choose the file first: a zip that Stepping made")
		}
		f, err := up.Open()
		if err != nil {
			return "", err
		}
		defer f.Close()
		a, err := readArchive(f, up.Size)
		if err != nil {
			return "", err
		}
		var said string
		err = s.store.Together(c.Request.Context(), "bring everything back", func(st *store.Store) error {
			said, err = a.add(c.Request.Context(), st, door.Owner(c))
			return err
		})
		return said, err
	}()
	switch {
	case err != nil && store.Away(err):
		s.failFor(c, err)
	case errors.Is(err, store.ErrTooMany):
		s.door.ShowAccount(c, http.StatusUnprocessableEntity,
			door.AccountPage{Fault: "There would be more than Stepping keeps. Nothing was added: delete something first."})
	case err != nil:
		s.door.ShowAccount(c, http.StatusUnprocessableEntity, door.AccountPage{Fault: view.Sentence(err.Error()) + " Nothing was added."})
	default:
		s.logFor(c).Info("imported", "owner", door.Owner(c))
		s.door.ShowAccount(c, http.StatusOK, door.AccountPage{Said: said})
	}
}

// archive is one that was read and found good.
type archive struct {
	tunes    []archivedTune
	players  map[string]*player.Profile // by file
	order    []string
	guitars  []store.Guitar
	slides   []store.Slide
	patterns []pattern.Pattern
	pages    []store.Page
}

type archivedTune struct {
	setFor
	source string
	log    archivedLog
}

// readArchive reads and checks a whole archive; an error names the file in it.
func readArchive(r io.ReaderAt, size int64) (*archive, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, errors.New("this is no zip file, or it is cut off")
	}
	if len(z.File) > archiveFiles {
		return nil, fmt.Errorf("there are %d files in it, more than the %d that Stepping takes", len(z.File), archiveFiles)
	}
	a, files, left := &archive{players: map[string]*player.Profile{}}, map[string][]byte{}, int64(archiveBytes)
	for _, f := range z.File {
		in, err := f.Open()
		if err != nil {
			return nil, fmt.Errorf("%s in it cannot be read", f.Name)
		}
		data, err := io.ReadAll(io.LimitReader(in, min(left, archiveFile)+1))
		in.Close()
		if err != nil {
			return nil, fmt.Errorf("%s in it is damaged", f.Name)
		}
		if int64(len(data)) > min(left, archiveFile) {
			return nil, fmt.Errorf("%s in it makes it larger, unpacked, than the 16 MiB in all and 2 MiB a file that Stepping takes", f.Name)
		}
		left -= int64(len(data))
		files[f.Name] = data
	}
	names := make([]string, 0, len(files))
	for name := range files {
		names = append(names, name)
	}
	sort.Strings(names)
	for _, name := range names {
		if err := a.read(name, files); err != nil {
			return nil, fmt.Errorf("in %s: %w", name, err)
		}
	}
	if len(a.tunes)+len(a.players)+len(a.guitars)+len(a.slides)+len(a.patterns)+len(a.pages) == 0 {
		return nil, errors.New("there is nothing of Stepping's in it: no tunes/, no players/")
	}
	return a, nil
}

// read takes one file of the archive.
func (a *archive) read(name string, files map[string][]byte) (err error) {
	base := strings.TrimSuffix(path.Base(name), path.Ext(name))
	switch dir := path.Dir(name); {
	case dir == "tunes" && path.Ext(name) == ".abc":
		t := archivedTune{}
		if t.source, err = plaintext.Decode(files[name]); err != nil {
			return err
		}
		tu, _, err := abc.Read(strings.NewReader(t.source))
		if err != nil {
			return err
		}
		t.Title, t.Settings = titleOf(tu), setup.Settings{Tuning: "Standard", Thumb: pattern.Alternating}
		if beside, ok := files["tunes/"+base+".json"]; ok {
			if err := json.Unmarshal(beside, &t.setFor); err != nil {
				return fmt.Errorf("the settings beside it: %w", err)
			}
		}
		if t.Tags, err = setup.ParseTags(setup.TagText(t.Tags)); err != nil {
			return fmt.Errorf("the tags beside it: %w", err)
		}
		if wrong := t.Settings.Check(); wrong != nil {
			return fmt.Errorf("the settings beside it, %s: %w", wrong.Field, wrong)
		}
		if played, ok := files["practice/"+base+".json"]; ok {
			if t.log, err = readLog(played); err != nil {
				return fmt.Errorf("the log beside it: %w", err)
			}
		}
		a.tunes = append(a.tunes, t)
	case dir == "players":
		p := player.Default()
		if err := json.Unmarshal(files[name], &p); err != nil {
			return err
		}
		a.players[base], a.order = &p, append(a.order, base)
		return p.Validate()
	case dir == "guitars":
		var g store.Guitar
		if err := json.Unmarshal(files[name], &g); err != nil {
			return err
		}
		a.guitars = append(a.guitars, g)
		return checkGuitar(g)
	case dir == "slides":
		var sl store.Slide
		if err := json.Unmarshal(files[name], &sl); err != nil {
			return err
		}
		a.slides = append(a.slides, sl)
		p := player.Default()
		p.Slide = sl.Slide
		return p.Validate()
	case dir == "patterns":
		var p pattern.Pattern
		if err := json.Unmarshal(files[name], &p); err != nil {
			return err
		}
		a.patterns = append(a.patterns, p)
		return p.Validate()
	case dir == "pages":
		var p store.Page
		if err := json.Unmarshal(files[name], &p); err != nil {
			return err
		}
		a.pages = append(a.pages, p)
		return checkPage(&p)
	}
	return nil // the readme, plans: these are worked out anew
}

// readLog reads and checks what was played of a tune.
func readLog(data []byte) (log archivedLog, err error) {
	if err := json.Unmarshal(data, &log); err != nil {
		return log, err
	}
	for i := range log.Passes {
		if err := log.Passes[i].Check(); err != nil {
			return log, fmt.Errorf("pass %d: %w", i+1, err)
		}
	}
	for bar, note := range log.Notes {
		if bar < 1 || bar > 1e6 || note == "" || !utf8.ValidString(note) {
			return log, fmt.Errorf("the note beside bar %d", bar)
		}
	}
	return log, nil
}

// add keeps what is not there, and says what that was.
func (a *archive) add(ctx context.Context, st *store.Store, owner store.ID) (said string, err error) {
	profiles, err := st.Profiles(ctx, owner)
	if err != nil {
		return "", err
	}
	ids := map[string]store.ID{}
	added := map[string]int{}
	for _, file := range a.order {
		p := a.players[file]
		for i := range profiles {
			if same(&profiles[i].Profile, p) {
				ids[file] = profiles[i].ID
			}
		}
		if _, there := ids[file]; !there {
			if ids[file], err = st.AddProfile(ctx, owner, *p); err != nil {
				return "", err
			}
			added["players"]++
		}
	}
	tunes, err := st.Tunes(ctx, owner)
	if err != nil {
		return "", err
	}
	for i := range a.tunes {
		t := &a.tunes[i]
		if slices.ContainsFunc(tunes, func(k store.Tune) bool { return k.Source == t.source && same(&k.Settings, &t.Settings) }) {
			continue
		}
		who, ok := ids[t.Player]
		if !ok {
			if len(profiles) == 0 {
				return "", errors.New("there is nobody to plan the tunes for: add a player first")
			}
			who = profiles[0].ID
		}
		if err := t.add(ctx, st, owner, who); err != nil {
			return "", err
		}
		added["tunes"]++
	}
	n1, e1 := shelfIn(ctx, st.Guitars(), owner, a.guitars)
	n2, e2 := shelfIn(ctx, st.Slides(), owner, a.slides)
	n3, e3 := shelfIn(ctx, st.Patterns(), owner, a.patterns)
	n4, e4 := a.pagesIn(ctx, st, owner)
	added["guitars"], added["slides"], added["patterns"], added["kept pages"] = n1, n2, n3, n4
	var parts []string
	for _, kind := range []string{"tunes", "players", "guitars", "slides", "patterns", "kept pages"} {
		if n := added[kind]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, kind))
		}
	}
	said = "All of it is here already; nothing was added."
	if len(parts) > 0 {
		said = "Added: " + strings.Join(parts, ", ") + "."
	}
	return said, errors.Join(e1, e2, e3, e4)
}

// pagesIn adds kept pages, with the tunes as they are here.
func (a *archive) pagesIn(ctx context.Context, st *store.Store, owner store.ID) (int, error) {
	tunes, err := st.List(ctx, owner)
	if err != nil {
		return 0, err
	}
	here := map[string]store.ID{}
	for i := range tunes {
		here[tunes[i].Title] = tunes[i].ID
	}
	for i := range a.pages {
		sameTunes(&a.pages[i], here)
	}
	return shelfIn(ctx, st.Pages(), owner, a.pages)
}

// tagsOf is the words of a tune one by one.
func tagsOf(text string) []string {
	tags, _ := setup.ParseTags(text) // the store keeps none that cannot be read
	return tags
}

// add keeps a tune with its log.
func (t *archivedTune) add(ctx context.Context, st *store.Store, owner, who store.ID) error {
	id, err := st.AddTune(ctx, owner, t.Title, t.source, who, t.Settings)
	if err != nil {
		return err
	}
	if err := errors.Join(st.SetTags(ctx, owner, id, t.Tags), st.AddPasses(ctx, owner, id, t.log.Passes...)); err != nil {
		return err
	}
	for bar, note := range t.log.Notes {
		if err := st.SetNote(ctx, owner, id, bar, note); err != nil {
			return err
		}
	}
	return nil
}

func shelfIn[T any](ctx context.Context, to shelf[T], owner store.ID, docs []T) (added int, err error) {
	all, err := to.All(ctx, owner)
	if err != nil {
		return 0, err
	}
	for i := range docs {
		if slices.ContainsFunc(all, func(k store.Kept[T]) bool { return same(&k.Doc, &docs[i]) }) {
			continue
		}
		if _, err := to.Add(ctx, owner, &docs[i]); err != nil {
			return added, err
		}
		added++
	}
	return added, nil
}

// same compares what would be kept.
func same[T any](a, b *T) bool {
	one, err := json.Marshal(a)
	two, err2 := json.Marshal(b)
	return err == nil && err2 == nil && bytes.Equal(one, two)
}
