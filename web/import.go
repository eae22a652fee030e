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
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"stepping/core/entry"
	"stepping/core/pattern"
	"stepping/core/player"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// Bounds of an archive that comes back: its bytes, those of its list of files, and those of one file that is read as a whole. What it
// may add is bounded by what an owner may keep.
const (
	maxArchive   = 3 << 30
	maxDirectory = 64 << 20
	maxText      = 2 << 20  // of a tune
	maxDocument  = 64 << 20 // of anything else
)

// importEverything takes an archive from a form, and leads to the page that follows its import.
func (s *Server) importEverything(c *gin.Context) {
	form, err := s.takeForm(c, "archive", "", false)
	if err == nil && form.up == nil {
		err = errors.New("choose the file first: a zip that Stepping made")
	}
	if err == nil {
		s.handOver(c, &form)
		return
	}
	if text := takeFault(err); text != "" {
		s.door.ShowAccount(c, http.StatusUnprocessableEntity, door.AccountPage{Fault: view.Sentence(text) + " Nothing was added."})
		return
	}
	s.failFor(c, err)
}

// said is the document of an upload that leads nowhere else: what came of it.
type said struct {
	Said string `json:"said"`
}

// importUpload adds what an archive holds and is not here: all but the recordings at once or not at all, then these one by one. What
// was added stays if it breaks off, and is not added again.
func importUpload(ctx context.Context, s *Server, a *arrival) (out arrived, err error) {
	var doc []byte
	_, err = desk.Do(ctx, s.desk, "import", jobs.Work{Owner: a.owner.String(), Long: true, Begun: true}, func(context.Context) (struct{}, error) {
		in, err := openArchive(a.file, a.file.Size())
		if err != nil {
			return struct{}{}, fmt.Errorf("%w. Nothing was added", err)
		}
		in.ctx, in.owner = ctx, a.owner
		if err := s.store.Together(ctx, "import", in.add); err != nil {
			if errors.Is(err, store.ErrTooMany) {
				err = errors.New("that is over the storage limit")
			}
			return struct{}{}, fmt.Errorf("%w. Nothing was added", err)
		}
		if err := in.addTakes(s.store); err != nil {
			if errors.Is(err, store.ErrTooMany) {
				err = errors.New("the recordings are over the storage limit: delete some, then import the file again")
			}
			return struct{}{}, err
		}
		doc, err = json.Marshal(said{in.said()})
		return struct{}{}, err
	})
	if err == nil {
		s.log.Info("imported", "owner", a.owner)
	}
	return arrived{close: func() {}, keep: func(*store.Store) (outcome, error) { return outcome{doc: doc}, nil }}, err
}

// incomingArchive is an archive that is imported.
type incomingArchive struct {
	ctx     context.Context
	owner   store.ID
	files   map[string]*zip.File
	names   []string              // in order
	ids     map[string]store.ID   // by file without ending, as the archive says
	here    map[store.ID]store.ID // a thing as the archive names it, and as it is here
	tunes   map[string]store.ID   // by file without directory and ending, as they are here
	players map[string]store.ID   // the same
	added   map[string]int

	st       *store.Store
	profiles []store.Profile
}

// bounded is an io.ReaderAt that gives no more than so many bytes: an archive's list of files is read as a whole.
type bounded struct {
	io.ReaderAt
	left int64
}

func (b *bounded) ReadAt(p []byte, at int64) (int, error) {
	if b.left -= int64(len(p)); b.left < 0 {
		return 0, errors.New("it contains too many files")
	}
	return b.ReaderAt.ReadAt(p, at)
}

// openArchive reads the list of files.
func openArchive(r io.ReaderAt, size int64) (*incomingArchive, error) {
	list := &bounded{r, maxDirectory}
	z, err := zip.NewReader(list, size)
	if err != nil {
		return nil, errors.New("this is not a zip file, or it is cut off")
	}
	list.left = 1 << 62
	in := &incomingArchive{files: map[string]*zip.File{}, ids: map[string]store.ID{}}
	some := false
	for _, f := range z.File {
		if _, twice := in.files[f.Name]; !twice && !strings.HasSuffix(f.Name, "/") {
			in.files[f.Name], in.names = f, append(in.names, f.Name)
			some = some || kindOf(f.Name) != "" || path.Dir(f.Name) == "players"
		}
	}
	slices.Sort(in.names)
	if !some {
		return nil, errors.New("it was not exported by Stepping: there is no tunes/ or players/ in it")
	}
	if in.files["index.json"] != nil {
		var index archiveIndex
		if err := in.json("index.json", &index); err != nil {
			return nil, err
		}
		in.ids = index.IDs
	}
	return in, nil
}

// kindOf is what a file of an archive holds, "" for what is read together with another or not at all.
func kindOf(name string) string {
	switch dir := path.Dir(name); {
	case dir == "tunes" && path.Ext(name) == ".abc":
		return "tunes"
	case slices.Contains([]string{"guitars", "slides", "patterns", "licks", "pages", "gigs", "drafts"}, dir) && path.Ext(name) == ".json":
		return dir
	}
	return ""
}

// data reads one file as a whole.
func (in *incomingArchive) data(name string, most int64) ([]byte, error) {
	f, err := in.files[name].Open()
	if err != nil {
		return nil, fmt.Errorf("%s in it cannot be read", name)
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, most+1))
	switch {
	case awayNow(err):
		return nil, err
	case err != nil:
		return nil, fmt.Errorf("%s in it is damaged", name)
	case int64(len(data)) > most:
		return nil, fmt.Errorf("%s in it is larger than %d MiB unpacked", name, most>>20)
	}
	return data, nil
}

func (in *incomingArchive) json(name string, to any) error {
	data, err := in.data(name, maxDocument)
	if err == nil {
		if err = json.Unmarshal(data, to); err != nil {
			err = fmt.Errorf("in %s: %w", name, err)
		}
	}
	return err
}

// add adds all but the recordings. It may be run again.
func (in *incomingArchive) add(st *store.Store) (err error) {
	in.st, in.here, in.tunes, in.players, in.added = st, map[store.ID]store.ID{}, map[string]store.ID{}, map[string]store.ID{}, map[string]int{}
	if err := in.addPlayers(); err != nil {
		return err
	}
	for _, kind := range []string{"tunes", "guitars", "slides", "patterns", "licks", "pages", "gigs", "drafts"} { // what names tunes comes after them
		for _, name := range in.names {
			if kindOf(name) != kind {
				continue
			}
			if err := in.ctx.Err(); err != nil {
				return err
			}
			if err := in.addOne(kind, name); err != nil {
				if errors.Is(err, store.ErrTooMany) || awayNow(err) {
					return err
				}
				return fmt.Errorf("in %s: %w", name, err)
			}
		}
	}
	return nil
}

func (in *incomingArchive) addOne(kind, name string) error {
	switch kind {
	case "tunes":
		return in.addTune(name)
	case "guitars":
		return shelfIn(in, in.st.Guitars(), name, func(g *store.Guitar) error { return checkGuitar(*g) })
	case "slides":
		return shelfIn(in, in.st.Slides(), name, func(sl *store.Slide) error {
			p := player.Default()
			p.Slide = sl.Slide
			return p.Validate()
		})
	case "patterns":
		return shelfIn(in, in.st.Patterns(), name, func(p *pattern.Pattern) error { return p.Validate() })
	case "licks":
		return shelfIn(in, in.st.Licks(), name, func(l *store.Lick) error {
			if here, ok := in.here[l.Tune]; ok {
				l.Tune = here
			}
			return l.Check()
		})
	case "pages":
		return shelfIn(in, in.st.Pages(), name, in.checkPage)
	case "gigs":
		return shelfIn(in, in.st.Gigs(), name, in.checkGig)
	}
	return shelfIn(in, in.st.Drafts(), name, checkDraft)
}

// adoption is how one thing of an archive is found here, or added.
type adoption struct {
	file    string
	content any // it stands for things of archives without an index
	has     func(store.ID) (bool, error)
	alike   func() (store.ID, error) // one with the same content, zero for none; nil if that is another thing
	add     func(store.ID) error
}

// adopt finds a thing here, or adds it: under the key that it had, or, where that belongs to another owner, under one that follows from
// it, so that it is found the next time.
func (in *incomingArchive) adopt(a adoption) (id store.ID, added bool, err error) {
	old, named := in.ids[strings.TrimSuffix(a.file, path.Ext(a.file))]
	if !named {
		old = uuid.NewSHA1(in.owner, contentOf(a.content))
	}
	defer func() { in.here[old] = id }()
	mine := uuid.NewSHA1(in.owner, old[:])
	for _, id := range []store.ID{old, mine} {
		if there, err := a.has(id); err != nil || there {
			return id, false, err
		}
	}
	if a.alike != nil {
		if id, err := a.alike(); err != nil || id != (store.ID{}) {
			return id, false, err
		}
	}
	id = old
	if err = a.add(id); errors.Is(err, store.ErrTaken) {
		id = mine
		err = a.add(id)
	}
	if errors.Is(err, store.ErrTooLong) {
		err = store.ErrTooLong // without the database's own words
	}
	return id, true, err
}

// there turns the store's answer for one thing into whether it is there.
func there(err error) (bool, error) {
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	}
	return err == nil, err
}

// checkPage lets a saved page name the tunes as they are here.
func (in *incomingArchive) checkPage(p *store.Page) error {
	titles := map[string]string{}
	for old, title := range p.Titles {
		if id, err := uuid.Parse(old); err == nil && in.here[id] != (store.ID{}) {
			p.Query = strings.ReplaceAll(p.Query, old, in.here[id].String())
			old = in.here[id].String()
		}
		titles[old] = title
	}
	if len(titles) > 0 {
		p.Titles = titles
	}
	return checkPage(p)
}

func (in *incomingArchive) checkGig(g *store.Gig) error {
	for i, id := range g.Tunes {
		if here, ok := in.here[id]; ok {
			g.Tunes[i] = here
		}
	}
	if _, err := time.Parse(time.DateOnly, g.On); err != nil || g.Name == "" || utf8.RuneCountInString(g.Name) > longestGigName {
		return errors.New("a gig needs a name and a day")
	}
	return nil
}

// checkDraft returns what is wrong with a draft: a file that cannot be read, keys on the neck that cannot be pressed.
func checkDraft(d *store.Draft) error {
	if d.Neck == nil {
		_, err := readDraft(d)
		return err
	}
	again := *d.Neck
	again.Keys = nil
	if err := again.Check(); err != nil {
		return err
	}
	if len(d.Neck.Keys) > entry.MaxKeys {
		return fmt.Errorf("%d keys on the neck are more than can be entered", len(d.Neck.Keys))
	}
	return nil // State leaves out keys that cannot be pressed
}

func shelfIn[T any](in *incomingArchive, to interface {
	shelf[T]
	Get(ctx context.Context, owner, id store.ID) (store.Kept[T], error)
}, name string, check func(*T) error) error {
	var doc T
	if err := in.json(name, &doc); err != nil {
		return err
	}
	if err := check(&doc); err != nil {
		return err
	}
	_, added, err := in.adopt(adoption{file: name, content: doc,
		has: func(id store.ID) (bool, error) {
			_, err := to.Get(in.ctx, in.owner, id)
			return there(err)
		},
		alike: func() (id store.ID, err error) { // as everybody begins with
			all, err := to.All(in.ctx, in.owner)
			if i := slices.IndexFunc(all, func(k store.Kept[T]) bool { return same(&k.Doc, &doc) }); i >= 0 {
				id = all[i].ID
			}
			return id, err
		},
		add: func(id store.ID) error { return to.Adopt(in.ctx, in.owner, id, &doc) },
	})
	if added && err == nil {
		in.added[path.Dir(name)]++
	}
	return err
}

// said says what was added.
func (in *incomingArchive) said() string {
	var parts []string
	for _, kind := range [][2]string{{"tunes", "tunes"}, {"players", "players"}, {"guitars", "guitars"}, {"slides", "slides"}, {"patterns", "patterns"}, {"licks", "licks"},
		{"pages", "saved pages"}, {"gigs", "gigs"}, {"drafts", "drafts"}, {"tries", "tries"}, {"recordings", "recordings"}} {
		if n := in.added[kind[0]]; n > 0 {
			parts = append(parts, strconv.Itoa(n)+" "+kind[1])
		}
	}
	if len(parts) == 0 {
		return "Everything in it is already here; nothing was added."
	}
	return "Added: " + strings.Join(parts, ", ") + "."
}

func contentOf(v any) []byte {
	data, err := json.Marshal(v)
	if err != nil {
		panic("import: " + err.Error()) // all of it was read from JSON
	}
	return data
}

// same compares what would be kept.
func same[T any](a, b *T) bool {
	one, err := json.Marshal(a)
	two, err2 := json.Marshal(b)
	return err == nil && err2 == nil && bytes.Equal(one, two)
}
