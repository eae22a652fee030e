package web

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"github.com/gin-gonic/gin"

	"stepping/core/chord"
	"stepping/core/harmony"
	"stepping/core/play"
	"stepping/core/score"
	"stepping/core/sound"
	"stepping/core/tune"
	"stepping/formats/music"
	"stepping/formats/plandoc"
	"stepping/store"
	"stepping/web/desk"
	"stepping/web/door"
	"stepping/web/view"
)

// draftVoice is a voice of a draft, and what it is taken for.
type draftVoice struct {
	plandoc.ReadVoice
	Melody, Bass bool
	May          bool // be the bass: it is not the melody, and has pitches
	Look         view.Contour
}

// draftBar is a bar of a draft, note by note.
type draftBar struct {
	Number   int
	Of       int
	Printed  string
	Notes    []draftNote
	Previous int // 0 for none
	Next     int
}

// draftNote is a note that may be mended.
type draftNote struct {
	At    string // quarters from the beginning
	Beat  string
	Pitch string
	Dur   string
	Bass  bool
	Voice int
}

// rolesOf are the voices that are chosen, or proposed.
func rolesOf(d *store.Draft, f *music.File) score.Roles {
	n := len(f.Score.Voices())
	r := f.Score.Roles()
	if d.Voice != nil && *d.Voice >= 0 && *d.Voice < n {
		r = f.Score.As(*d.Voice)
	}
	if d.Bass != nil && *d.Bass >= -1 && *d.Bass < n && *d.Bass != r.Melody {
		r = r.WithBass(*d.Bass)
	}
	return r
}

// tuneOf is the tune of a draft, in its roles and with the notes that were mended. The places that the file gives for those notes are dropped.
func tuneOf(d *store.Draft, f *music.File) (*tune.Tune, []play.Pin, []score.Warning, error) {
	tu, pins, left, err := f.Tune(rolesOf(d, f))
	if err != nil {
		return nil, nil, nil, err
	}
	if even, moved, ok := tu.Undotted(); ok && d.Swung {
		tu = even
		for i := range pins {
			pins[i].At = moved(pins[i].At)
		}
	}
	for i := range d.Mends {
		m := &d.Mends[i]
		if tu, err = tu.Mended(m); err != nil {
			return nil, nil, nil, err
		}
		pins = slices.DeleteFunc(pins, func(p play.Pin) bool { return p.At == m.At })
	}
	if d.Chords != "" {
		if tu, err = tu.WithChords(d.Chords); err != nil {
			return nil, nil, nil, err
		}
	}
	return tu, pins, left, nil
}

// draftChords are chords for a tune that has none written: those that are proposed, and those that were taken.
type draftChords struct {
	Text   string // bar by bar, to be changed
	Bars   []draftProposed
	Taken  bool
	Styles []draftStyle
	Mode   string
	Sure   int // percent
}

type draftProposed struct {
	Bar    string
	Chords string
	Unsure bool
}

type draftStyle struct {
	Name harmony.Style
	Text string
	Now  bool
}

// styleTexts say what the styles do.
var styleTexts = map[harmony.Style]string{harmony.Plain: "Plain", harmony.Blues: "Blues, with sevenths", harmony.Moving: "More movement"}

// unsure is the share of likely ways under which a chord is marked.
const unsure = 0.6

// styleFor is the style that was chosen for a draft's chords, or that its melody asks for.
func styleFor(d *store.Draft, tu *tune.Tune) harmony.Style {
	if style := harmony.Style(d.Style); slices.Contains(harmony.Styles, style) {
		return style
	}
	return harmony.StyleOf(tu)
}

// newDraftChords proposes chords where nobody wrote any, or shows those that were taken.
func newDraftChords(d *store.Draft, tu *tune.Tune, written bool) *draftChords {
	if written || len(tu.Notes) == 0 {
		return nil
	}
	style := styleFor(d, tu)
	b := &draftChords{Taken: d.Chords != ""}
	for _, s := range harmony.Styles {
		b.Styles = append(b.Styles, draftStyle{s, styleTexts[s], s == style})
	}
	p := harmony.Propose(tu, style)
	with, sure := *tu, 0.0
	if !b.Taken {
		with.Chords = p.Chords()
	}
	b.Text, _ = with.ChordText()
	parts := strings.Split(b.Text, "|")
	for i, at := range tu.Bars {
		bar := draftProposed{Bar: tu.BarPrinted(i).Short()}
		if i < len(parts) {
			bar.Chords = strings.TrimSpace(parts[i])
		}
		for _, s := range p.Spans {
			if s.At >= at && s.At < at+tu.BarLength(i) && !b.Taken {
				bar.Unsure = bar.Unsure || s.Sure < unsure
			}
		}
		b.Bars = append(b.Bars, bar)
	}
	for i := range p.Spans {
		sure += p.Spans[i].Sure / float64(len(p.Spans))
	}
	b.Mode, b.Sure = tu.Key.Tonic.ClassName()+" "+p.Mode, int(100*sure+0.5)
	return b
}

// voices lists what can be chosen as melody and bass.
func (b *draftBody) voices(f *music.File, roles score.Roles) {
	all := plandoc.Voices(f.Score)
	if len(all) < 2 {
		return
	}
	for i, v := range all {
		dv := draftVoice{ReadVoice: v, Melody: i == roles.Melody, Bass: i == roles.Bass,
			May: !v.Drums && i != roles.Melody && f.Score.Voices()[i].Number >= 0}
		if tu, _, _, err := f.Tune(score.Roles{Melody: i, Bass: -1}); err == nil {
			dv.Look = view.NewContour(tu, 8)
		}
		b.Voices = append(b.Voices, dv)
	}
	b.NoBass = roles.Bass < 0
}

// newDraftBar is a bar, from 1, of a tune; nil if there is none.
func newDraftBar(tu *tune.Tune, bar int) *draftBar {
	if bar < 1 || bar > len(tu.Bars) {
		return nil
	}
	begin := tu.Bars[bar-1]
	end := begin + tu.BarLength(bar-1)
	b := &draftBar{Number: bar, Of: len(tu.Bars), Printed: tu.BarPrinted(bar - 1).String(), Previous: bar - 1}
	if bar < len(tu.Bars) {
		b.Next = bar + 1
	}
	for voice, line := range [][]tune.Note{tu.Notes, tu.Bass} {
		for i := range line {
			n := &line[i]
			if n.At < begin || n.At >= end {
				continue
			}
			_, since := tu.Position(n.At)
			beat := fmt.Sprintf("%.4g", 1+float64(since)/float64(tu.MeterOver(n.At).Unit()))
			for v, p := range n.Voices() {
				b.Notes = append(b.Notes, draftNote{n.At.String(), beat, p.String(), n.Dur.String(), voice == 1, v})
			}
		}
	}
	return b
}

// fitting reports whether a tune can be made of what was chosen. Chords that were taken before, and do not fit a text that has changed, go.
func fitting(c *gin.Context, d *store.Draft, f *music.File) error {
	_, _, _, err := tuneOf(d, f)
	if _, asked := c.GetPostForm("chords"); err != nil && d.Chords != "" && !asked {
		d.Chords = ""
		_, _, _, err = tuneOf(d, f)
	}
	return err
}

// typed puts what was typed for a note, and refused, into its fields again.
func (b *draftBar) typed(c *gin.Context) {
	for i := range b.Notes {
		n := &b.Notes[i]
		if n.At == c.PostForm("note") && n.Voice == atoi(c.PostForm("of")) && n.Bass == (c.PostForm("line") == "bass") {
			n.Pitch, n.Dur = c.PostForm("pitch"), c.PostForm("dur")
		}
	}
}

// chooseVoices takes what a form says of voices and of one note.
func chooseVoices(c *gin.Context, d *store.Draft) error {
	if v, err := strconv.Atoi(c.PostForm("voice")); err == nil {
		d.Voice, d.Bass, d.Mends = &v, nil, nil
	}
	if v, err := strconv.Atoi(c.PostForm("bass")); err == nil {
		d.Bass, d.Mends = &v, nil
	}
	if style := c.PostForm("style"); style != "" {
		d.Style, d.Chords = style, ""
	}
	if text, has := c.GetPostForm("chords"); has {
		d.Chords = strings.TrimSpace(text)
	}
	if swung := c.PostForm("swung"); swung != "" {
		d.Swung, d.Mends = swung == "yes", nil
	}
	if c.PostForm("unmend") != "" && len(d.Mends) > 0 {
		d.Mends = d.Mends[:len(d.Mends)-1]
	}
	if c.PostForm("note") == "" {
		return nil
	}
	m := tune.Mend{Pitch: c.PostForm("pitch"), To: tune.Line(c.PostForm("to")), Voice: atoi(c.PostForm("of")), Bass: c.PostForm("line") == "bass"}
	if err := m.At.UnmarshalText([]byte(c.PostForm("note"))); err != nil {
		return err
	}
	if err := m.Dur.UnmarshalText([]byte(c.PostForm("dur"))); err != nil {
		return err
	}
	if len(d.Mends) >= mostMends {
		return fmt.Errorf("%d notes are already changed. Save the tune, then edit its text", mostMends)
	}
	d.Mends = append(slices.Clone(d.Mends), m)
	return nil
}

// mostMends is how many notes of a draft may be changed.
const mostMends = 500

// mostNames is how many names of chords are looked at.
const mostNames = 200

// namesIn is a text of names of chords or notes and nothing else, bar by bar as the page of chords takes it; "" if it is anything else.
func namesIn(text string) string {
	words := strings.FieldsFunc(text, func(r rune) bool { return unicode.IsSpace(r) || r == '|' || r == ',' || r == '-' || r == '–' })
	if len(text) > 8*mostNames || len(words) < 2 || len(words) > mostNames {
		return ""
	}
	for _, w := range words {
		if _, err := chord.Parse(w); err != nil {
			return ""
		}
	}
	return strings.Join(words, " | ")
}

// hearDraft streams a draft as it was understood.
func (s *Server) hearDraft(c *gin.Context) {
	k, ok := keptParam(s, c, s.store.Drafts())
	if !ok {
		return
	}
	if k.Doc.Neck != nil {
		s.fail(c, http.StatusBadRequest, errors.New("this draft was entered on the neck: listen to it there"))
		return
	}
	tu, err := desk.Do(c.Request.Context(), s.desk, "read", desk.Of(door.Owner(c), 0), func(context.Context) (*tune.Tune, error) {
		f, err := readDraft(&k.Doc)
		if err != nil {
			return nil, err
		}
		tu, _, _, err := tuneOf(&k.Doc, f)
		if err == nil && len(tu.Chords) == 0 && c.Query("chords") != "" {
			p, with := harmony.Propose(tu, styleFor(&k.Doc, tu)), *tu
			with.Chords = p.Chords()
			tu = &with
		}
		return tu, err
	})
	if err != nil {
		s.failFor(c, err)
		return
	}
	q := c.Request.URL.Query()
	s.stream(c, "draft "+hex.EncodeToString(k.ID[:])+fmt.Sprint(k.Version)+"?"+q.Encode(), func() (*sound.Sound, error) { return soundAs(sound.Reading(tu, q.Get("chords") != ""), q) })
}
