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
	"stepping/core/practice"
	"stepping/core/setup"
	"stepping/core/sound"
	"stepping/core/take"
	"stepping/formats/abc"
	"stepping/formats/plaintext"
	"stepping/formats/plandoc"
	"stepping/formats/wav"
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
	form, err := s.take(c, "archive", "", false)
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
	ctx   context.Context
	owner store.ID
	files map[string]*zip.File
	names []string              // in order
	ids   map[string]store.ID   // by file without ending, as the archive says
	here  map[store.ID]store.ID // a thing as the archive names it, and as it is here
	tunes map[string]store.ID   // by file without directory and ending, as they are here
	added map[string]int

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
		return 0, errors.New("too long a list of files")
	}
	return b.ReaderAt.ReadAt(p, at)
}

// openArchive reads the list of files.
func openArchive(r io.ReaderAt, size int64) (*incomingArchive, error) {
	list := &bounded{r, maxDirectory}
	z, err := zip.NewReader(list, size)
	if err != nil {
		return nil, errors.New("this is no zip file, or it is cut off")
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
		return nil, errors.New("there is nothing of Stepping's in it: no tunes/, no players/")
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
	case slices.Contains([]string{"guitars", "slides", "patterns", "pages", "gigs", "drafts"}, dir) && path.Ext(name) == ".json":
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
		return nil, fmt.Errorf("%s in it has more than %d MiB, unpacked", name, most>>20)
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
	in.st, in.here, in.tunes, in.added = st, map[store.ID]store.ID{}, map[string]store.ID{}, map[string]int{}
	if err := in.addPlayers(); err != nil {
		return err
	}
	for _, kind := range []string{"tunes", "guitars", "slides", "patterns", "pages", "gigs", "drafts"} { // what names tunes comes after them
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
	case "pages":
		return shelfIn(in, in.st.Pages(), name, in.checkPage)
	case "gigs":
		return shelfIn(in, in.st.Gigs(), name, in.checkGig)
	}
	return shelfIn(in, in.st.Drafts(), name, checkDraft)
}

// adopt finds a thing here, or adds it: under the key that it had, or, where that belongs to another owner, under one that follows from
// it, so that it is found the next time. content stands for things of archives without an index.
func (in *incomingArchive) adopt(file string, content []byte, has func(store.ID) (bool, error), add func(store.ID) error) (id store.ID,
	added bool, err error) {
	defer func() {
		if errors.Is(err, store.ErrTooLong) {
			err = store.ErrTooLong
		}
	}()
	old, named := in.ids[strings.TrimSuffix(file, path.Ext(file))]
	if !named {
		old = uuid.NewSHA1(in.owner, content)
	}
	mine := uuid.NewSHA1(in.owner, old[:])
	for _, id := range []store.ID{old, mine} {
		there, err := has(id)
		if err != nil || there {
			in.here[old] = id
			return id, false, err
		}
	}
	id = old
	if err = add(id); errors.Is(err, store.ErrTaken) {
		id = mine
		err = add(id)
	}
	in.here[old] = id
	return id, true, err
}

// there turns the store's answer for one thing into whether it is there.
func there(err error) (bool, error) {
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	}
	return err == nil, err
}

func (in *incomingArchive) addPlayers() (err error) {
	if in.profiles, err = in.st.Profiles(in.ctx, in.owner); err != nil {
		return err
	}
	for _, name := range in.names {
		if path.Dir(name) != "players" || path.Ext(name) != ".json" {
			continue
		}
		p := player.Default()
		if err := in.json(name, &p); err != nil {
			return err
		}
		if err := p.Validate(); err != nil {
			return fmt.Errorf("in %s: %w", name, err)
		}
		id, added, err := in.adopt(name, contentOf(p), func(id store.ID) (bool, error) {
			_, err := in.st.Profile(in.ctx, in.owner, id)
			return there(err)
		}, func(id store.ID) error {
			if i := slices.IndexFunc(in.profiles, func(k store.Profile) bool { return same(&k.Profile, &p) }); i >= 0 {
				return errAlike(in.profiles[i].ID)
			}
			return in.st.AdoptProfile(in.ctx, in.owner, id, p)
		})
		if alike := (errAlike{}); errors.As(err, &alike) { // the player that everybody begins with
			id, added, err = store.ID(alike), false, nil
		}
		if err != nil {
			return fmt.Errorf("in %s: %w", name, err)
		}
		if added {
			in.added["players"]++
			in.profiles = append(in.profiles, store.Profile{ID: id, Profile: p})
		}
		in.tunes["player "+strings.TrimSuffix(path.Base(name), ".json")] = id
	}
	return nil
}

// errAlike is a thing that is here already under another key.
type errAlike store.ID

func (errAlike) Error() string { return "it is here already" }

// playerOf is the player that a file names, else the first one.
func (in *incomingArchive) playerOf(file string) (store.ID, error) {
	if id, ok := in.tunes["player "+file]; ok {
		return id, nil
	}
	if len(in.profiles) == 0 {
		return store.ID{}, errors.New("there is nobody to plan the tunes for: add a player first")
	}
	return in.profiles[0].ID, nil
}

// addTune adds a tune with its history, log and notes; of one that is here already, what is missing of the log.
func (in *incomingArchive) addTune(name string) error {
	base := strings.TrimSuffix(path.Base(name), ".abc")
	t, set, err := in.readTune(name, base)
	if err != nil {
		return err
	}
	var log archivedLog
	if in.files["practice/"+base+".json"] != nil {
		err := in.json("practice/"+base+".json", &log)
		if err == nil {
			err = log.check()
		}
		if err != nil {
			return fmt.Errorf("the log beside it: %w", err)
		}
	}
	id, added, err := in.adopt(name, contentOf([]any{t.Source, set.Settings}), func(id store.ID) (bool, error) {
		if in.ids["tunes/"+base] == (store.ID{}) {
			if alike, err := in.alike(t); err != nil || alike != (store.ID{}) {
				return false, errors.Join(err, errAlike(alike))
			}
		}
		has, gone, err := in.st.HasTune(in.ctx, in.owner, id)
		if err == nil && gone {
			in.added["tunes"]++
			err = in.st.BringBackTune(in.ctx, in.owner, id)
		}
		return has, err
	}, func(id store.ID) error { return in.st.AdoptTune(in.ctx, in.owner, id, t) })
	if alike := (errAlike{}); errors.As(err, &alike) && alike != (errAlike{}) {
		id, err = store.ID(alike), nil
	}
	if err != nil {
		return err
	}
	in.tunes[base] = id
	if added {
		in.added["tunes"]++
		if err := in.st.SetTags(in.ctx, in.owner, id, set.Tags); err != nil {
			return err
		}
	}
	return in.addLog(id, &log)
}

// alike finds a tune here with the same text and settings: what an archive without an index can be known by.
func (in *incomingArchive) alike(t *store.Adopted) (id store.ID, err error) {
	list, err := in.st.List(in.ctx, in.owner)
	for i := range list {
		if list[i].Title != t.Title || err != nil {
			continue
		}
		var have store.Tune
		if have, err = in.st.Tune(in.ctx, in.owner, list[i].ID); err == nil && have.Source == t.Source && same(&have.Settings, &t.Edits[t.Head].Settings) {
			return have.ID, nil
		}
	}
	return id, err
}

func (in *incomingArchive) readTune(name, base string) (*store.Adopted, *setFor, error) {
	data, err := in.data(name, maxText)
	if err != nil {
		return nil, nil, err
	}
	source, err := plaintext.Decode(data)
	if err != nil {
		return nil, nil, err
	}
	tu, _, err := abc.Read(strings.NewReader(source))
	if err != nil {
		return nil, nil, err
	}
	set := &setFor{Title: titleOf(tu), Settings: setup.Settings{Tuning: "Standard", Thumb: pattern.Alternating}}
	if in.files["tunes/"+base+".json"] != nil {
		if err := in.json("tunes/"+base+".json", set); err != nil {
			return nil, nil, fmt.Errorf("the settings beside it: %w", err)
		}
	}
	if set.Tags, err = setup.ParseTags(setup.TagText(set.Tags)); err != nil {
		return nil, nil, fmt.Errorf("the tags beside it: %w", err)
	}
	t := &store.Adopted{Title: set.Title, Source: source}
	h := archivedHistory{0, []archivedEdit{{set.Player, set.Settings, time.Now()}}}
	if in.files["tunes/"+base+".history.json"] != nil {
		h = archivedHistory{}
		if err := in.json("tunes/"+base+".history.json", &h); err != nil {
			return nil, nil, fmt.Errorf("the history beside it: %w", err)
		}
	}
	if len(h.Edits) < 1 || len(h.Edits) > store.MostHistory || h.Head < 0 || h.Head >= len(h.Edits) {
		return nil, nil, fmt.Errorf("the history beside it: it has %d states, of which %d is in force", len(h.Edits), h.Head)
	}
	t.Head = h.Head
	for i := range h.Edits {
		e := &h.Edits[i]
		if wrong := e.Settings.Check(); wrong != nil {
			return nil, nil, fmt.Errorf("the settings beside it, %s: %w", wrong.Field, wrong)
		}
		who, err := in.playerOf(e.Player)
		if err != nil {
			return nil, nil, err
		}
		t.Edits = append(t.Edits, store.Edit{Profile: who, Settings: e.Settings, At: e.At})
	}
	return t, set, nil
}

// check returns what is wrong with a log.
func (l *archivedLog) check() error {
	for i := range l.Passes {
		if err := l.Passes[i].Check(); err != nil {
			return fmt.Errorf("pass %d: %w", i+1, err)
		}
	}
	for bar, note := range l.Notes {
		if bar < 1 || bar > 1e6 || note == "" || !utf8.ValidString(note) {
			return fmt.Errorf("the note beside bar %d", bar)
		}
	}
	return nil
}

// addLog adds the passes and notes that are not there.
func (in *incomingArchive) addLog(tune store.ID, log *archivedLog) error {
	if len(log.Passes)+len(log.Notes) == 0 {
		return nil
	}
	have, err := in.st.PassesOver(in.ctx, in.owner, tune)
	if err != nil {
		return err
	}
	left := map[string]int{} // two may be alike
	for i := range have {
		left[passKey(&have[i])]++
	}
	var missing []practice.Pass
	for i := range log.Passes {
		if key := passKey(&log.Passes[i]); left[key] > 0 {
			left[key]--
		} else {
			missing = append(missing, log.Passes[i])
		}
	}
	if len(missing) > 0 {
		if err := in.st.AddPasses(in.ctx, in.owner, tune, missing...); err != nil {
			return err
		}
		in.added["tries"] += len(missing)
	}
	notes, err := in.st.Notes(in.ctx, in.owner, tune)
	if err != nil {
		return err
	}
	for bar, note := range log.Notes {
		if notes[bar] == "" {
			if err := in.st.SetNote(in.ctx, in.owner, tune, bar, note); err != nil {
				return err
			}
		}
	}
	return nil
}

func passKey(p *practice.Pass) string { return p.At.UTC().Format(time.RFC3339Nano) + " " + p.Key }

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
		return errors.New("a gig has a name and a day")
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
	all, err := to.All(in.ctx, in.owner)
	if err != nil || slices.ContainsFunc(all, func(k store.Kept[T]) bool { return same(&k.Doc, &doc) }) { // as everybody begins with
		return err
	}
	_, added, err := in.adopt(name, contentOf(doc), func(id store.ID) (bool, error) {
		_, err := to.Get(in.ctx, in.owner, id)
		return there(err)
	}, func(id store.ID) error { return to.Adopt(in.ctx, in.owner, id, &doc) })
	if added && err == nil {
		in.added[path.Dir(name)]++
	}
	return err
}

// addTakes adds the recordings of the tunes, one at a time.
func (in *incomingArchive) addTakes(st *store.Store) error {
	in.st = st
	for _, name := range in.names {
		dir := path.Dir(name)
		tune, ok := in.tunes[path.Base(dir)]
		if path.Dir(dir) != "recordings" || path.Ext(name) != ".wav" || !ok {
			continue
		}
		if err := in.addTake(name, tune); err != nil {
			if errors.Is(err, store.ErrTooMany) || awayNow(err) {
				return err
			}
			return fmt.Errorf("in %s: %w. What came before it was added", name, err)
		}
	}
	return nil
}

func (in *incomingArchive) addTake(name string, tune store.ID) error {
	var beside archivedTake
	file := strings.TrimSuffix(name, ".wav") + ".json"
	if in.files[file] == nil {
		return errors.New("what was heard in it is missing beside it")
	}
	if err := in.json(file, &beside); err != nil {
		return err
	}
	var doc plandoc.TakeDoc
	if err := json.Unmarshal(beside.Heard, &doc); err != nil {
		return fmt.Errorf("what was heard in it: %w", err)
	}
	if len(beside.Plan) > 64 || !utf8.ValidString(beside.Plan+beside.Name) || beside.At.IsZero() {
		return errors.New("what stands beside it is no recording of Stepping's")
	}
	samples, err := in.samples(name)
	if err != nil {
		return err
	}
	_, added, err := in.adopt(name, contentOf(beside), func(id store.ID) (bool, error) {
		_, err := in.st.Take(in.ctx, in.owner, tune, id)
		return there(err)
	}, func(id store.ID) error {
		return in.st.AdoptTake(in.ctx, in.owner, id, &store.Take{Tune: tune, At: beside.At, Name: beside.Name, Samples: samples, Plan: beside.Plan,
			Doc: beside.Heard}, func() (io.Reader, error) {
			f, err := in.files[name].Open()
			if err == nil {
				_, err = io.CopyN(io.Discard, f, sound.HeaderBytes)
			}
			return f, err
		})
	})
	if added && err == nil {
		in.added["recordings"]++
	}
	return err
}

// samples checks that a file is a recording as Stepping writes it, and returns its length.
func (in *incomingArchive) samples(name string) (int64, error) {
	f, err := in.files[name].Open()
	if err != nil {
		return 0, errors.New("it cannot be read")
	}
	defer f.Close()
	head := make([]byte, sound.HeaderBytes)
	if _, err := io.ReadFull(f, head); err != nil {
		return 0, errors.New("it is cut off")
	}
	size := in.files[name].UncompressedSize64
	n := (int64(min(size, maxArchive)) - sound.HeaderBytes) / 2
	if !bytes.Equal(head, sound.Header(take.KeptRate, int(n))) || size != uint64(sound.HeaderBytes+2*n) || n > take.MostSeconds*take.KeptRate {
		if _, err := wav.NewReader(io.MultiReader(bytes.NewReader(head), f)); err != nil {
			return 0, err
		}
		return 0, fmt.Errorf("a recording of Stepping's has one channel of 16 bits, %d Hz, and %d minutes at most", take.KeptRate, take.MostSeconds/60)
	}
	return n, nil
}

// said says what was added.
func (in *incomingArchive) said() string {
	var parts []string
	for _, kind := range [][2]string{{"tunes", "tunes"}, {"players", "players"}, {"guitars", "guitars"}, {"slides", "slides"}, {"patterns", "patterns"},
		{"pages", "saved pages"}, {"gigs", "gigs"}, {"drafts", "drafts"}, {"tries", "tries"}, {"recordings", "recordings"}} {
		if n := in.added[kind[0]]; n > 0 {
			parts = append(parts, strconv.Itoa(n)+" "+kind[1])
		}
	}
	if len(parts) == 0 {
		return "All of it is here already; nothing was added."
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
