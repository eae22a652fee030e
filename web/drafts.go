package web

import (
	"bytes"
	"cmp"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/proofread"
	"stepping/core/score"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/formats/music"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// maxUpload bounds what a draft is made of: the largest file that is read, with its form.
const maxUpload = score.MaxFile + 1<<20

// draftBody shows what was understood of a file before any of it is kept.
type draftBody struct {
	ID       string
	Version  int
	Format   string
	Title    string
	Facts    []draftFact
	Chords   []string // the first ones
	More     int
	Proposed bool   // nobody wrote the chords
	Places   int    // notes whose string and fret the file says
	Paper    string // how the file is tuned; "" if it does not say
	Play     string // the tuning to play it in; "" for the file's, or one that suits
	Moved    bool   // that is another than the file's: its places do not hold there
	Voices   []draftVoice
	NoBass   bool // one could be chosen, and none is
	Bar      *draftBar
	Mends    int
	Dotted   bool // it is written in dotted pairs …
	Swung    bool // … and read as swung eighths
	Harmony  *draftChords
	Look     view.Contour
	Grids    []draftGrid
	Shift    string
	Left     []score.Warning
	Found    []draftFinding
	Checked  bool
	Text     string
	Fault    *fault
	Library  []tuning.Named
}

type draftFact struct{ Name, Value string }

type draftGrid struct {
	Name  string
	Steps int
	Swing float64
	Now   bool
}

type draftFinding struct {
	proofread.Finding
	Name    string
	Sure    string
	Excerpt string // the line, around the place
	Mark    string
	Mend    string // what the button says; "" if there is none
	Number  int
}

// kindNames are the kinds of errors for people.
var kindNames = map[proofread.Kind]string{
	proofread.TwoOnString: "Two notes on the same string", proofread.BarLength: "A bar that does not add up",
	proofread.Grip: "A grip no hand can hold", proofread.Slant: "Not possible by slanting the bar",
	proofread.SlideFinger: "A finger beyond the slide", proofread.Misprint: "Likely a misprint",
	proofread.OddBar: "Differs from similar bars", proofread.MissingBass: "Missing bass note",
	proofread.ChordNamed: "Chord symbol does not match the notes",
}

// addDraft takes text or a file of any form. The first page says what cannot be read, and still shows it; nothing is kept of
// it. A large file is read apart from the request.
func (s *Server) addDraft(c *gin.Context) {
	form, err := s.takeForm(c, "draft", "", true)
	body := homeBody{Text: form.fields.Get("abc")}
	refuse := func(f *fault) {
		body.Fault = f
		s.showHome(c, http.StatusUnprocessableEntity, body)
	}
	switch {
	case err == nil && form.up != nil:
		s.handOver(c, &form)
		return
	case err != nil && !errors.Is(err, errNoFile):
		if text := takeFault(err); text != "" {
			refuse(&fault{Text: text})
		} else {
			s.failFor(c, err)
		}
		return
	}
	data := form.data
	if data == nil {
		data = []byte(body.Text)
	}
	d := store.Draft{Name: form.name, Play: strings.TrimSpace(form.fields.Get("tuning")), Data: packed(data)}
	f, err := s.readFile(c, &d)
	if err != nil {
		if at := (*score.Fault)(nil); errors.As(err, &at) && body.Text == "" {
			body.Text = shownText(data)
		}
		said := draftFault(body.Text, err)
		if names := namesIn(string(data)); names != "" {
			said = &fault{Text: "These are chord or note names without a rhythm or melody. Use them as chords, or enter the melody on the neck.",
				Chords: names}
		}
		refuse(said)
		return
	}
	d.Name = cmp.Or(d.Name, f.Score.Title)
	place := ""
	err = s.store.Together(c.Request.Context(), "keep a draft", func(st *store.Store) (err error) { // a form that is sent twice is one draft
		place, err = keepOnce(c.Request.Context(), st, door.Owner(c), form.fields.Get("key"), &d)
		return err
	})
	switch {
	case errors.Is(err, store.ErrTooMany):
		refuse(&fault{Text: "you have too many drafts: finish or delete one first"})
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, place)
	}
}

// keepOnce keeps a draft and returns its place; under a key that was used for the same file before, that one's.
func keepOnce(ctx context.Context, st *store.Store, owner store.ID, key string, d *store.Draft) (place string, err error) {
	if key == "" {
		return keepDraft(ctx, st, owner, d)
	}
	up, err := st.BeginUpload(ctx, owner, "small "+key+" "+hashed(d.Data)+" "+d.Play, &store.Upload{Kind: "draft", Name: d.Name})
	if err != nil || up.Done {
		return up.Place, err
	}
	if place, err = keepDraft(ctx, st, owner, d); err != nil {
		return "", err
	}
	return place, st.SettleUpload(ctx, owner, up.ID, place, "", nil)
}

func keepDraft(ctx context.Context, st *store.Store, owner store.ID, d *store.Draft) (place string, err error) {
	id, err := st.Drafts().Add(ctx, owner, d)
	return "/drafts/" + id.String(), err
}

// readUpload reads a large file of music.
func readUpload(ctx context.Context, s *Server, a *arrival) (out arrived, err error) {
	d := store.Draft{Name: a.up.Name, Play: strings.TrimSpace(a.up.Fields["tuning"])}
	_, err = desk.Do(ctx, s.desk, "read", jobs.Work{Owner: a.owner.String(), Long: true, Begun: true}, func(context.Context) (*music.File, error) {
		data, err := io.ReadAll(a.file)
		if err != nil {
			return nil, err
		}
		d.Data = packed(data)
		return readDraft(&d)
	})
	return arrived{close: func() {}, keep: func(st *store.Store) (outcome, error) {
		place, err := keepDraft(ctx, st, a.owner, &d)
		return outcome{place: place}, err
	}}, err
}

// shownText is what can be shown of a file that is no music: its text, or nothing.
func shownText(data []byte) string {
	text, err := decoded(data)
	if err != nil || len(text) > abc.MaxBytes {
		return ""
	}
	return text
}

func packed(data []byte) []byte {
	var buf bytes.Buffer
	z := gzip.NewWriter(&buf)
	_, _ = z.Write(data) // a buffer takes everything
	_ = z.Close()
	return buf.Bytes()
}

// unpacked is what packed was given; it was within the limits then.
func unpacked(data []byte) ([]byte, error) {
	z, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	return io.ReadAll(io.LimitReader(z, score.MaxFile+1))
}

// tuningFault is a tuning that was typed and is none, with its field.
type tuningFault struct {
	field string
	error
}

// draftFault tells an error of readDraft at the field that it belongs to.
func draftFault(text string, err error) *fault {
	if at := (*tuningFault)(nil); errors.As(err, &at) {
		return &fault{Field: at.field, Text: err.Error()}
	}
	return newFault(text, err)
}

// readDraft reads the file of a draft with what was chosen of it.
func readDraft(d *store.Draft) (*music.File, error) {
	data, err := unpacked(d.Data)
	if err != nil {
		return nil, err
	}
	o := music.Options{}
	if d.Tuning != "" {
		t, err := tuning.ParseAny(d.Tuning)
		if err != nil {
			return nil, &tuningFault{"paper", err}
		}
		o.Tuning = &t
	}
	if d.Play != "" {
		t, err := tuning.Parse(d.Play)
		if err != nil {
			return nil, &tuningFault{"tuning", err}
		}
		o.Otherwise = &t
	}
	if d.Steps > 0 {
		o.Grid = &score.Grid{Steps: d.Steps, Swing: d.Swing}
	}
	return music.Read(bytes.NewReader(data), o)
}

// readFile is readDraft in its turn of the pool: a large file takes a second or more.
func (s *Server) readFile(c *gin.Context, d *store.Draft) (*music.File, error) {
	return desk.Do(c.Request.Context(), s.desk, "read", desk.Of(door.Owner(c), 0), func(context.Context) (*music.File, error) { return readDraft(d) })
}

// readText reads ABC text in its turn of the pool.
func (s *Server) readText(c *gin.Context, text string) (*tune.Tune, error) {
	return desk.Do(c.Request.Context(), s.desk, "read", desk.Of(door.Owner(c), 0), func(context.Context) (*tune.Tune, error) {
		tu, _, err := s.desk.Read(text)
		return tu, err
	})
}

// draft shows a draft: a file, or the neck.
func (s *Server) draft(c *gin.Context) {
	k, ok := keptParam(s, c, s.store.Drafts())
	if !ok {
		return
	}
	if k.Doc.Neck != nil {
		s.showNeck(c, http.StatusOK, &k, "")
		return
	}
	s.showDraft(c, http.StatusOK, &k, "", nil)
}

// showDraft shows what was made of a draft's file, with what is wrong; text that was typed and refused stays.
func (s *Server) showDraft(c *gin.Context, status int, k *store.Kept[store.Draft], text string, said *fault) {
	f, err := s.readFile(c, &k.Doc)
	if err != nil {
		s.failFor(c, err)
		return
	}
	body, err := newDraftBody(k, f, atoi(cmp.Or(c.Query("bar"), c.PostForm("bar"))))
	if err != nil {
		s.failFor(c, err)
		return
	}
	if text != "" {
		body.Text = text
	}
	if body.Fault = said; said != nil && said.Field == "mend" && body.Bar != nil {
		body.Bar.typed(c)
	}
	if said != nil && said.Field == "chords" && body.Harmony != nil {
		body.Harmony.Text = c.PostForm("chords")
	}
	s.render(c, status, "draft", "layout", "A tune to add", body)
}

func newDraftBody(k *store.Kept[store.Draft], f *music.File, bar int) (draftBody, error) {
	roles := rolesOf(&k.Doc, f)
	b := draftBody{ID: k.ID.String(), Version: k.Version, Format: f.Score.Format, Text: f.Text, Play: k.Doc.Play, Library: tuning.Library}
	tu, pins, left, err := tuneOf(&k.Doc, f)
	if err != nil {
		return b, err
	}
	b.Title, b.Left, b.Places = titleOf(tu), left, len(pins)
	b.Facts = factsOf(tu, f)
	if t := f.Score.Tuning; t != nil {
		b.Paper = tuningName(*t)
		b.Moved = !playsAsWritten(&k.Doc, *t)
	}
	b.Look = view.NewContour(tu, 8)
	b.Harmony = newDraftChords(&k.Doc, tu, writtenChords(f))
	for _, ch := range tu.Chords {
		if b.Harmony != nil {
			break // they are shown there
		}
		if name := ch.Chord.Name; len(b.Chords) < 12 && (len(b.Chords) == 0 || b.Chords[len(b.Chords)-1] != name) {
			b.Chords = append(b.Chords, name)
		}
	}
	b.voices(f, roles)
	b.Bar, b.Mends, b.Swung = newDraftBar(tu, bar), len(k.Doc.Mends), k.Doc.Swung && tu.Swing > tune.Straight
	_, _, b.Dotted = tu.Undotted()
	if q := f.Quantized; q != nil {
		b.Proposed = len(q.Chords) > 0 && q.Chords[0].Proposed
		b.Shift = fmt.Sprintf("Notes are moved by %.3f of a beat on average, %.2f at most.", q.Mean, q.Most)
		for _, g := range score.Grids {
			b.Grids = append(b.Grids, draftGrid{g.Name, g.Steps, g.Swing, g.Grid == q.Grid})
		}
	}
	if f.Page != nil {
		b.Checked = true
		b.Found = findings(f)
	}
	return b, nil
}

// tuningName is a name that tuning.Parse reads, or the notes.
func tuningName(t tuning.Tuning) string { return cmp.Or(tuning.Identify(t).Name, t.String()) }

// factsOf are what was understood: length, range, key, meter, tempo.
func factsOf(tu *tune.Tune, f *music.File) []draftFact {
	length := fmt.Sprintf("%d bars, %d notes", len(tu.Bars), len(tu.Notes))
	if n := len(tu.Bass); n > 0 {
		length += fmt.Sprintf(" and %d of the bass", n)
	}
	out := []draftFact{{"Length", length}}
	if len(tu.Notes) > 0 {
		lo, hi := tu.Notes[0].Note, tu.Notes[0].Note
		for _, n := range tu.Notes {
			for _, v := range n.Voices() {
				if v.Pitch() < lo.Pitch() {
					lo = v
				}
				if v.Pitch() > hi.Pitch() {
					hi = v
				}
			}
		}
		out = append(out, draftFact{"Range", lo.String() + " to " + hi.String()})
	}
	out = append(out, draftFact{"Key", keyName(tu.Key)}, draftFact{"Meter", fmt.Sprintf("%d/%d", tu.Meters[0].Num, tu.Meters[0].Den)},
		draftFact{"Tempo", fmt.Sprintf("%.4g bpm", tu.Tempos[0].BPM)})
	if swing := swingWords(tu.Swing); swing != "" {
		out = append(out, draftFact{"Swing of eighths", swing})
	}
	if f.Score.Capo > 0 {
		out = append(out, draftFact{"Capo", fmt.Sprintf("fret %d", f.Score.Capo)})
	}
	return out
}

// writtenChords reports whether somebody wrote chords into the file.
func writtenChords(f *music.File) bool {
	sc := f.Score
	if f.Quantized != nil {
		sc = f.Quantized.Score
	}
	return len(sc.Chords) > 0 && !sc.Chords[0].Proposed
}

// findings are what proofreading found, with the line around each place.
func findings(f *music.File) (out []draftFinding) {
	lines := strings.Split(strings.ReplaceAll(f.Text, "\r\n", "\n"), "\n")
	for i, found := range proofread.Check(f.Page) {
		d := draftFinding{Finding: found, Name: kindNames[found.Kind], Number: i, Sure: "probably"}
		if found.Sure >= 0.8 {
			d.Sure = "almost surely"
		}
		d.Excerpt, d.Mark = excerpt(lines, found.Line, found.Column)
		if m := found.Mend; m != nil {
			switch {
			case strings.Trim(m.To, "-") == "":
				d.Mend = "Remove it"
			case m.From != nil:
				d.Mend = fmt.Sprintf("Move the %s there", m.To)
			default:
				d.Mend = "Write " + m.To
			}
		}
		out = append(out, d)
	}
	return out
}

// chooseDraft keeps what was chosen of a file: voice, grid, tuning, its text again.
func (s *Server) chooseDraft(c *gin.Context) {
	k, ok := keptParam(s, c, s.store.Drafts())
	if !ok {
		return
	}
	d := k.Doc
	if err := chooseVoices(c, &d); err != nil {
		s.showDraft(c, http.StatusUnprocessableEntity, &k, "", &fault{Field: "mend", Text: view.Sentence(err.Error())})
		return
	}
	if steps, swing, ok := strings.Cut(c.PostForm("grid"), " "); ok {
		for _, g := range score.Grids {
			if fmt.Sprint(g.Steps) == steps && fmt.Sprintf("%.3f", g.Swing) == swing {
				d.Steps, d.Swing, d.Mends = g.Steps, g.Swing, nil
			}
		}
	}
	if t, has := c.GetPostForm("tuning"); has {
		d.Play = strings.TrimSpace(t)
	}
	if t, has := c.GetPostForm("paper"); has {
		d.Tuning = strings.TrimSpace(t)
	}
	if text, has := c.GetPostForm("abc"); has {
		d.Data, d.Mends = packed([]byte(text)), nil
	}
	if n, err := strconv.Atoi(c.PostForm("mend")); err == nil {
		f, err := s.readFile(c, &k.Doc)
		if err != nil {
			s.failFor(c, err)
			return
		}
		if found := findings(f); n >= 0 && n < len(found) && found[n].Finding.Mend != nil {
			d.Data, d.Mends = packed([]byte(found[n].Finding.Mend.Apply(strings.ReplaceAll(f.Text, "\r\n", "\n")))), nil
		}
	}
	if f, err := s.readFile(c, &d); err != nil {
		s.showDraft(c, http.StatusUnprocessableEntity, &k, c.PostForm("abc"), draftFault(c.PostForm("abc"), err))
		return
	} else if err := fitting(c, &d, f); err != nil {
		said := newFault("", err)
		switch {
		case len(d.Mends) > len(k.Doc.Mends):
			said.Field = "mend"
		case d.Chords != k.Doc.Chords:
			said.Field = "chords"
		}
		s.showDraft(c, http.StatusUnprocessableEntity, &k, c.PostForm("abc"), said)
		return
	}
	if err := s.store.Drafts().Save(c.Request.Context(), door.Owner(c), k.ID, k.Version, &d); err != nil {
		s.failFor(c, err)
		return
	}
	place := "/drafts/" + k.ID.String()
	if bar := c.PostForm("bar"); bar != "" {
		place += "?bar=" + url.QueryEscape(bar) + "#notes"
	}
	c.Redirect(http.StatusSeeOther, place)
}

// keepDraftTune makes a tune of a draft. free lets the places go that it names.
func (s *Server) keepDraftTune(c *gin.Context) {
	k, ok := keptParam(s, c, s.store.Drafts())
	if !ok {
		return
	}
	refuse := func(err error) {
		if k.Doc.Neck != nil {
			s.showNeck(c, http.StatusUnprocessableEntity, &k, err.Error())
			return
		}
		s.showDraft(c, http.StatusUnprocessableEntity, &k, "", newFault("", err))
	}
	if title := strings.TrimSpace(c.PostForm("title")); title != "" && k.Doc.Neck != nil {
		k.Doc.Neck.Title = title
	}
	in, err := desk.Do(c.Request.Context(), s.desk, "read", desk.Of(door.Owner(c), 0), func(context.Context) (incoming, error) { return incomingOf(&k.Doc) })
	if err != nil {
		refuse(err)
		return
	}
	if c.PostForm("free") != "" {
		in.pins = nil
	}
	in.slide = c.PostForm("slide")
	id, said, err := s.takeIn(c, &in)
	switch {
	case err != nil:
		s.failFor(c, err)
	case said != "":
		refuse(errors.New(said))
	default:
		if err := s.store.Drafts().Delete(c.Request.Context(), door.Owner(c), k.ID); err != nil && !errors.Is(err, store.ErrNotFound) {
			s.logUnlessGone(c, "draft of a kept tune", "err", err)
		}
		c.Redirect(http.StatusSeeOther, "/tunes/"+id.String())
	}
}

func (s *Server) deleteDraft(c *gin.Context) { s.remove(c, s.store.Drafts(), "/") }
