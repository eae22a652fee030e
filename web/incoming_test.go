package web_test

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"html"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/PuerkitoBio/goquery"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/setup"
	"stepping/core/sheet"
	"stepping/formats/musicxml"
	"stepping/formats/smf"
)

// upload sends a file to the form for adding a tune.
func (s *site) upload(t *testing.T, name string, data []byte) (status int, body, to string) {
	t.Helper()
	var buf bytes.Buffer
	form := multipart.NewWriter(&buf)
	file, err := form.CreateFormFile("file", name)
	if err != nil {
		t.Fatal(err)
	}
	file.Write(data)
	form.WriteField("abc", "")
	form.WriteField("tuning", "")
	form.Close()
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := client.Post(s.URL+"/drafts", form.FormDataContentType(), &buf)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return res.StatusCode, string(text), res.Header.Get("Location")
}

func (s *site) drafts(t *testing.T) int {
	t.Helper()
	all, err := s.store.Drafts().All(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	return len(all)
}

// TestPlayItIn: the tuning typed with a tab is the tuning to play it in; the tab is read in its own, if it says one.
func TestPlayItIn(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	lines := func(names string) string {
		var b strings.Builder
		for i, body := range []string{"0---3---|", "--------|", "--------|", "--0---2-|", "--------|", "0---0---|"} {
			fmt.Fprintf(&b, "%s|%s\n", strings.Trim(names[i:i+1], "-"), body)
		}
		return b.String()
	}
	for _, tt := range []struct {
		tab, typed, paper, first, tuned string
		places                          bool
	}{
		{lines("eBGDAE"), "dadgad", "Standard", "E4", "D suspended", false}, {lines("eBGDAE"), "EADGBE", "Standard", "E4", "Standard", true},
		{lines("eBGDAE"), "", "Standard", "E4", "Standard", true}, {lines("DAGDAD"), "Open G", "D suspended", "D4", "Open G", false},
		{"Tuning: D-A-D-G-A-D\n\n" + lines("------"), "", "D suspended", "D4", "D suspended", true},
		{lines("------"), "DADF#AD", "Open D", "D4", "Open D", true},
	} {
		_, _, header := s.ask(t, "POST", "/drafts", url.Values{"abc": {tt.tab}, "tuning": {tt.typed}})
		to := header.Get("Location")
		page := s.page(t, to)
		if got := text(page.Find(".draft-facts summary")); got != "Written for a guitar in "+tt.paper {
			t.Errorf("%s: %q", tt.typed, got)
		}
		if places := strings.Contains(text(page.Find("dl")), "notes have their string and fret"); places != tt.places {
			t.Errorf("%s: its places hold: %v", tt.typed, places)
		}
		_, _, header = s.ask(t, "POST", to+"/keep", url.Values{})
		tunes, err := s.store.Tunes(t.Context(), s.owner)
		if err != nil {
			t.Fatal(err)
		}
		last := tunes[len(tunes)-1]
		if last.Settings.Tuning != tt.tuned || len(last.Settings.Pins) > 0 != tt.places {
			t.Errorf("%s: kept in %q with %d pins", tt.typed, last.Settings.Tuning, len(last.Settings.Pins))
		}
		if _, doc, _ := s.ask(t, "GET", header.Get("Location")+"/plan.json", nil); !strings.Contains(doc, `"pitch": "`+tt.first+`"`) {
			t.Errorf("%s: the first note is not %s", tt.typed, tt.first)
		}
	}
	for find, want := range map[string]int{"DADGAD": 2, "d suspended": 2, "eadgbe": 2} {
		if got := s.page(t, "/?find="+url.QueryEscape(find)).Find(".tunes li").Length(); got < want {
			t.Errorf("%q finds %d tunes", find, got)
		}
	}
}

const aTab = `A walk by the weir
Tuning: D A D F# A D

   D               G               D               A
D |0---2---4---5---|5---4---2---0---|0---2---4---5---|2-------0---2---|
A |----------------|----------------|----------------|----------------|
F#|----------------|----------------|----------------|----------------|
D |----0-------0---|----0-------0---|----0-------0---|----0-------0---|
A |----------------|----------------|----------------|0-------0-------|
D |0-------0-------|0-------0-------|0-------0-------|----------------|
`

// TestWaysIn: a file of every form is looked at before it is kept, what was chosen of it holds, and it becomes
// a tune with the places that it names; what cannot be read is told in a sentence, and nothing of it is kept.
func TestWaysIn(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	var xml, midi bytes.Buffer
	tu := coretest.Wander(5, 24)
	paper := sheet.Of(tu)
	paper.Thumb = append(paper.Thumb, paper.Melody[0])
	if err := musicxml.Write(&xml, paper); err != nil {
		t.Fatal(err)
	}
	if err := smf.Write(&midi, paper); err != nil {
		t.Fatal(err)
	}
	for _, tt := range []struct {
		name  string
		data  []byte
		shows []string
	}{
		{"walk.txt", []byte(aTab), []string{"text tablature", "4 bars", "Open D", "nothing looks wrong"}},
		{"wander.musicxml", xml.Bytes(), []string{"MusicXML", "24 notes", "Which voice is the melody, which the bass?"}},
		{"wander.mid", midi.Bytes(), []string{"MIDI", "24 notes", "How is it counted?", "Chords"}},
		{"own.abc", []byte(ownTune), []string{"ABC", "4 bars", "D major", "Gravel Road Reel"}},
	} {
		status, body, to := s.upload(t, tt.name, tt.data)
		if status != http.StatusSeeOther || !strings.HasPrefix(to, "/drafts/") {
			t.Fatalf("%s: %d %s", tt.name, status, body)
		}
		_, body, _ = s.ask(t, "GET", to, nil)
		for _, want := range tt.shows {
			if !strings.Contains(body, want) {
				t.Errorf("%s: the page does not say %q", tt.name, want)
			}
		}
		if status, _, _ := s.ask(t, "POST", to, url.Values{"tuning": {"H"}}); status != http.StatusUnprocessableEntity {
			t.Errorf("%s: no tuning: %d", tt.name, status)
		}
		status, body, header := s.ask(t, "POST", to+"/keep", url.Values{})
		if status != http.StatusSeeOther || !strings.HasPrefix(header.Get("Location"), "/tunes/") {
			t.Fatalf("%s: %d %.300s", tt.name, status, body)
		}
		if status, _, _ := s.ask(t, "GET", to, nil); status != http.StatusNotFound {
			t.Errorf("%s: the draft of a kept tune is there: %d", tt.name, status)
		}
		_, doc, _ := s.ask(t, "GET", header.Get("Location")+"/plan.json", nil)
		if pinned := strings.Count(doc, `"pinned": true`); (pinned > 20) != (tt.name == "walk.txt") {
			t.Errorf("%s: %d strokes of the plan are pinned", tt.name, pinned)
		}
		for _, file := range []string{"tab.txt", "plan.musicxml", "plan.mid", "plan.abc", "tune.abc"} {
			if status, body, header := s.ask(t, "GET", header.Get("Location")+"/"+file, nil); status != 200 || len(body) < 60 ||
				!strings.HasPrefix(header.Get("Content-Disposition"), "attachment") {
				t.Errorf("%s: %s: %d", tt.name, file, status)
			}
		}
	}

	var locked bytes.Buffer
	z := zip.NewWriter(&locked)
	f, _ := z.Create("score.xml")
	f.Write([]byte("<score-partwise/>"))
	z.Close()
	encrypted := locked.Bytes()
	encrypted[6] |= 1
	encrypted[bytes.Index(encrypted, []byte("PK\x01\x02"))+8] |= 1
	for names, chords := range map[string]string{"D G A7 D": "D%20%7c%20G%20%7c%20A7%20%7c%20D", "D F# A D": "D%20%7c%20F%23%20%7c%20A%20%7c%20D", "see you at the Dam": ""} {
		status, body, _ := s.ask(t, "POST", "/drafts", url.Values{"abc": {names}})
		offered := strings.Contains(body, `href="/chords?c=`+chords+`"`) && strings.Contains(body, `action="/neck"`)
		if status != http.StatusUnprocessableEntity || offered != (chords != "") || !strings.Contains(body, html.EscapeString(names)) {
			t.Errorf("%s: %d, a way on is offered: %v", names, status, offered)
		}
	}
	before := s.drafts(t)
	for name, tt := range map[string]struct {
		data []byte
		word string
	}{
		"photo.xml": {[]byte("\xff\xd8\xff\xe0\x00\x10JFIF\x00"), "a picture"}, "locked.mxl": {encrypted, "encrypted"},
		"five.txt": {[]byte(strings.Repeat("|-0-1-2-|\n", 5)), "5 lines"},
		"bomb.xml": {[]byte(`<!DOCTYPE x [<!ENTITY a "b">]><score-partwise/>`), "entities"}, "empty.mid": {nil, "empty"},
	} {
		status, body, _ := s.upload(t, name, tt.data)
		if status != http.StatusUnprocessableEntity || !strings.Contains(body, tt.word) || s.drafts(t) != before {
			t.Errorf("%s: %d, no word of %q", name, status, tt.word)
		}
	}
}

// TestMend: a misprint is shown with its place, and mended by one button.
func TestMend(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	wrong := strings.Replace(aTab, "|5---4---2---0---|", "|5---4---3---0---|", 1)
	_, _, header := s.ask(t, "POST", "/drafts", url.Values{"abc": {wrong}})
	to := header.Get("Location")
	_, body, _ := s.ask(t, "GET", to, nil)
	if !strings.Contains(body, "Likely a misprint") || !strings.Contains(body, "Write 2") {
		t.Fatalf("no misprint is shown: %s", body)
	}
	s.ask(t, "POST", to, url.Values{"mend": {"0"}})
	_, body, _ = s.ask(t, "GET", to, nil)
	if !strings.Contains(body, "nothing looks wrong") || !strings.Contains(body, "|5---4---2---0---|") {
		t.Error("it is not mended")
	}
	status, body, _ := s.ask(t, "POST", to, url.Values{"abc": {"no tablature any more"}})
	if status != http.StatusUnprocessableEntity || !strings.Contains(body, "no tablature any more") {
		t.Errorf("text that cannot be read: %d", status)
	}
}

// TestVoices: a tab of melody and bass is shown as both, heard as both, and changed note by note; what cannot be is said at the note, with
// what was typed. What is kept has its bass, which the thumb plays as it is written, or none if that is wanted.
func TestVoices(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	data, err := os.ReadFile("../formats/tabtext/testdata/typed/01-count-under.txt")
	if err != nil {
		t.Fatal(err)
	}
	draft := func() string {
		_, _, header := s.ask(t, "POST", "/drafts", url.Values{"abc": {string(data)}})
		return header.Get("Location")
	}
	to := draft()
	page := s.page(t, to)
	if page.Find(".voice.is-now").Length() != 1 || page.Find(".voice.is-bass").Length() != 1 || page.Find(".draft-facts rect.is-bass").Length() < 20 {
		t.Error("melody and bass are not both shown")
	}
	sounds := map[string]bool{}
	for _, layers := range []string{"", "&layers=melody", "&layers=thumb"} {
		status, body, header := s.ask(t, "GET", to+"/sound.wav?bars=1"+layers, nil)
		if sounds[body] = true; status != http.StatusOK || header.Get("Content-Type") != "audio/wav" {
			t.Errorf("%s: %d", layers, status)
		}
	}
	if len(sounds) != 3 {
		t.Error("melody, bass and both sound alike")
	}
	note := func(pitch, dur, as string) url.Values {
		return url.Values{"note": {"4"}, "of": {"0"}, "line": {"bass"}, "bar": {"2"}, "pitch": {pitch}, "dur": {dur}, "to": {as}}
	}
	for _, bad := range []url.Values{note("H2", "1", "bass"), note("A2", "9", "bass"), note("A2", "-1", "bass"), note("A2", "1", "attic")} {
		status, body, _ := s.ask(t, "POST", to, bad)
		page, err := goquery.NewDocumentFromReader(strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		typed := page.Find(fmt.Sprintf(".mend.is-bass [name=pitch][value=%q]", bad.Get("pitch"))).Length() > 0
		if status != http.StatusUnprocessableEntity || page.Find("#notes .fault").Length() != 1 || !typed {
			t.Errorf("%v: %d %q", bad, status, text(page.Find(".fault")))
		}
	}
	status, _, header := s.ask(t, "POST", to, note("B2", "1/2", "bass"))
	if at := header.Get("Location"); status != http.StatusSeeOther || !strings.HasSuffix(at, "?bar=2#notes") || s.page(t, at).Find(".mend.is-bass [name=pitch][value=B2]").Length() != 1 {
		t.Errorf("a note is not changed: %d %s", status, at)
	}
	keep := func(to string) setup.Settings {
		s.ask(t, "POST", to+"/keep", url.Values{})
		tunes, err := s.store.Tunes(t.Context(), s.owner)
		if err != nil || len(tunes) == 0 {
			t.Fatal(err)
		}
		last := tunes[len(tunes)-1]
		if strings.Contains(last.Source, "V:2") == (last.Settings.Thumb != pattern.Written) {
			t.Errorf("thumb %s of %s", last.Settings.Thumb, last.Source)
		}
		return last.Settings
	}
	st := keep(to)
	if st.Thumb != pattern.Written || len(st.Pins) != 43 { // of 45, two at the note that was changed
		t.Errorf("kept with the thumb %s and %d pins", st.Thumb, len(st.Pins))
	}
	to = draft()
	s.ask(t, "POST", to, url.Values{"bass": {"-1"}})
	if st := keep(to); st.Thumb != pattern.None {
		t.Errorf("without a bass the thumb is %s", st.Thumb)
	}
}

// TestChordsProposed: a tune without chords is shown with those that are proposed, in each style, and heard with them; only what is taken is
// kept, as it was changed; what is no chord is said where it was typed, and stays there.
func TestChordsProposed(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	bare := "X:1\nT:Gravel and steam\nM:4/4\nL:1/8\nK:G\nG2 B2 d2 B2|c2 e2 c4|d2 f2 a2 f2|G8|\n"
	draft := func() string {
		_, _, header := s.ask(t, "POST", "/drafts", url.Values{"abc": {bare}})
		return header.Get("Location")
	}
	to := draft()
	proposed := func() string { return text(s.page(t, to).Find("textarea[name=chords]")) }
	if got := proposed(); got != "G | C | D7 | G" {
		t.Errorf("proposed: %q", got)
	}
	s.ask(t, "POST", to, url.Values{"style": {"blues"}})
	if got := proposed(); got != "G7 | C7 | D7 | G7" {
		t.Errorf("as a blues: %q", got)
	}
	_, plain, _ := s.ask(t, "GET", to+"/sound.wav", nil)
	if status, with, _ := s.ask(t, "GET", to+"/sound.wav?chords=yes", nil); status != http.StatusOK || with == plain {
		t.Errorf("with chords it sounds as without: %d", status)
	}
	for typed, word := range map[string]string{"G | H": "bar 2", "G|G|G|G|G": "4 bars", "G C D G C D G C D": "evenly"} {
		status, body, _ := s.ask(t, "POST", to, url.Values{"chords": {typed}})
		page, err := goquery.NewDocumentFromReader(strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		if said := text(page.Find(".harmony .fault")); status != http.StatusUnprocessableEntity || !strings.Contains(said, word) || text(page.Find("textarea[name=chords]")) != typed {
			t.Errorf("%q: %d %q", typed, status, said)
		}
	}
	kept := func(to string) string {
		s.ask(t, "POST", to+"/keep", url.Values{})
		tunes, err := s.store.Tunes(t.Context(), s.owner)
		if err != nil || len(tunes) == 0 {
			t.Fatal(err)
		}
		return tunes[len(tunes)-1].Source
	}
	if source := kept(draft()); source != bare {
		t.Errorf("what nobody took is kept: %s", source)
	}
	s.ask(t, "POST", to, url.Values{"chords": {"G | Am . D7 . | D7 | G"}})
	s.ask(t, "POST", to, url.Values{"abc": {strings.Replace(bare, "c4|", "e4|", 1)}}) // the chords stay when a note is mended
	if source := kept(to); !strings.Contains(source, `"Am"`) || strings.Count(source, `"D7"`) != 1 || !strings.Contains(source, "e4") {
		t.Errorf("kept with its chords: %s", source)
	}
}

// TestNeckByKeyboard enters a tune of 16 bars with the keyboard alone, four keys a second, in under two minutes
// and at most three keys a note; all of it is there after a reload, and it is planned with its places.
func TestNeckByKeyboard(t *testing.T) {
	if testing.Short() {
		t.Skip("long; the long form has it")
	}
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open("/")
	b.do(chromedp.Click("#add > summary"), chromedp.Click(".door .act"))
	b.until("document.querySelector('#entry') && window.Alpine && document.querySelector('.neck-page')._x_dataStack")
	// Four bars: quarters up the first string, eighths on two strings, a half note under the slide, a rest;
	// then again on other frets.
	phrase := []string{"q", "0", "2", "4", "5", "e", "7", "5", kb.ArrowDown, "5", "3", kb.ArrowUp, "2", "0", "2", "4", "h", "s",
		"5", "s", "q", "3", "r", "h", ".", "0", "q", "2"}
	start, keys := time.Now(), 0
	rounds, wait := 4, 250*time.Millisecond
	if testing.Short() {
		rounds, wait = 1, time.Millisecond
	}
	tick := time.NewTicker(wait)
	defer tick.Stop()
	for range rounds {
		for _, k := range phrase {
			<-tick.C
			b.key(k)
			keys++
		}
	}
	notes := rounds * 16
	b.until(fmt.Sprintf("document.querySelector('.head-facts').innerText.includes('%d notes')", notes))
	took := time.Since(start)
	t.Logf("%d keys for %d notes in %v", keys, notes, took)
	if keys > 3*notes || !testing.Short() && took > 2*time.Minute {
		t.Errorf("%d keys for %d notes in %v", keys, notes, took)
	}
	if got := b.text(".head-facts"); !strings.Contains(got, fmt.Sprintf("bar %d", 4*rounds+1)) { // those before are full
		t.Errorf("%q", got)
	}
	b.key("u")
	b.until(fmt.Sprintf("document.querySelector('.head-facts').innerText.includes('%d notes')", notes-1))
	b.key("2")
	b.until(fmt.Sprintf("document.querySelector('.head-facts').innerText.includes('%d notes')", notes))
	b.open(strings.TrimPrefix(eval[string](b, "location.href"), s.URL))
	if got := b.text(".head-facts"); !strings.Contains(got, fmt.Sprint(notes, " notes")) {
		t.Errorf("after a reload: %q", got)
	}
	b.do(chromedp.Click(".head-acts .act-main"))
	b.until("document.querySelector('#now')") // also after a plan that takes its time
	if got := b.text("#now"); !strings.Contains(got, "bar 1") {
		t.Errorf("no plan: %.200s", got)
	}
}

// TestNeckByTouch: on a phone a note is written by touching its place, and a chord by its name; without scripts
// the buttons do the same.
func TestNeckByTouch(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 390, 844)
	b.open("/")
	b.do(chromedp.Click("#add > summary"), chromedp.Click(".door .act"))
	b.until("document.querySelector('#entry') && window.Alpine && document.querySelector('.neck-page')._x_dataStack")
	b.do(chromedp.Click(`button[value="put:3:2"]`))
	b.until("document.querySelector('.head-facts').innerText.includes('1 notes')")
	if w := eval[float64](b, "document.documentElement.scrollWidth"); w > 391 {
		t.Errorf("the page is %v wide on a phone", w)
	}
	if h := eval[float64](b, `document.querySelector('button[value="put:3:2"]').getBoundingClientRect().height`); h < 44 {
		t.Errorf("a place is %v high", h)
	}
	path := strings.TrimPrefix(eval[string](b, "location.href"), s.URL)
	for _, form := range []url.Values{{"key": {"chord"}, "chord": {"G7"}}, {"key": {"5"}}, {"key": {"undo"}}, {"key": {"put:6:3"}}} {
		if status, _, _ := s.ask(t, "POST", path+"/key", form); status != http.StatusSeeOther {
			t.Errorf("%v: %d", form, status)
		}
	}
	if _, body, _ := s.ask(t, "GET", path, nil); !strings.Contains(body, "2 notes") || !strings.Contains(body, "G7") {
		t.Error("the buttons do not write")
	}
	if status, body, _ := s.ask(t, "POST", path+"/key", url.Values{"key": {"chord"}, "chord": {"H"}}); status != 200 ||
		!strings.Contains(body, "chord root") {
		t.Errorf("a chord that is none: %d", status)
	}
}

// printed is the page as a PDF, as the browser's own menu makes it, on paper of a size in inches.
func printed(size [2]float64) chromedp.Action[[]byte] {
	return func(ctx context.Context, t *chromedp.Target) ([]byte, error) {
		res, err := cdp.Call(ctx, t, page.PrintToPDF, page.PrintToPDFParams{PaperWidth: size[0], PaperHeight: size[1]})
		if err != nil {
			return nil, err
		}
		return res.Data, nil
	}
}

var pdfPages = regexp.MustCompile(`/Type\s*/Page[^s]`)

// TestSheet: the sheet for the stand holds every bar, and prints on A4 and Letter alike without a blank page.
func TestSheet(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open(s.tunePath(t, 0) + "/whole")
	if n := eval[int](b, "document.querySelectorAll('.paper-no').length"); n < 16 {
		t.Errorf("%d bars", n)
	}
	for name, size := range map[string][2]float64{"A4": {8.27, 11.69}, "Letter": {8.5, 11}} {
		pdf, err := chromedp.Run(b.ctx, printed(size))
		if err != nil {
			t.Fatal(err)
		}
		if n := len(pdfPages.FindAll(pdf, -1)); n < 1 || n > 4 {
			t.Errorf("%s: %d pages", name, n)
		}
		if dir := os.Getenv("STEPPING_PDF"); dir != "" { // to be turned into pictures and looked at
			os.WriteFile(filepath.Join(dir, name+".pdf"), pdf, 0o644)
		}
	}
}

// TestLosses: a tune carried to a tuning where some of it cannot be had lists each note with ways out; one key takes the first of all, undo takes
// that back, and another tuning has the notes as they are written again. What is sent by others or understood by nobody changes nothing.
func TestLosses(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	low := "X:1\nT:Under the bridge\nM:4/4\nL:1/4\nK:E\nV:1\n\"E\"e B e B|\"A\"c e c2|\nV:2\nE,,4|A,,2 C,,2|\n"
	_, _, header := s.ask(t, "POST", "/drafts", url.Values{"abc": {low}, "tuning": {"Standard"}})
	_, _, header = s.ask(t, "POST", header.Get("Location")+"/keep", url.Values{})
	at := header.Get("Location")
	page := s.page(t, at+"/losses")
	if page.Find(".losses li").Length() == 0 || !strings.Contains(text(page.Find(".losses")), "bass C#2") {
		t.Fatalf("no losses are listed: %s", text(page.Find("main")))
	}
	all, has := page.Find("button[data-keys=Enter]").Attr("value")
	version, _ := page.Find("input[name=version]").Attr("value")
	if !has {
		t.Fatal("no key takes the first ways")
	}
	mends := func() int {
		tunes, err := s.store.Tunes(t.Context(), s.owner)
		if err != nil {
			t.Fatal(err)
		}
		return len(tunes[len(tunes)-1].Settings.Mends)
	}
	for name, bad := range map[string]url.Values{"no mend": {"mends": {"[1]"}}, "no such note": {"mends": {`[{"at":"77"}]`}}, "cut off": {"mends": {all[:len(all)/2]}},
		"many": {"mends": {"[" + strings.Repeat(`{"at":"0"},`, 99) + `{"at":"0"}]`}}} {
		bad.Set("version", version)
		if status, _, _ := s.ask(t, "POST", at+"/mend", bad); status != http.StatusUnprocessableEntity || mends() != 0 {
			t.Errorf("%s: %d", name, status)
		}
	}
	if status, _, _ := s.ask(t, "POST", at+"/mend", url.Values{"mends": {all}, "version": {version}}); status != http.StatusSeeOther || mends() == 0 {
		t.Fatalf("not taken: %d", status)
	}
	if status, _, _ := s.ask(t, "POST", at+"/mend", url.Values{"mends": {all}, "version": {version}}); status == http.StatusSeeOther {
		t.Error("a form that is sent twice is taken twice")
	}
	page = s.page(t, at+"/losses")
	if page.Find(".losses li").Length() > 0 {
		t.Errorf("still told: %s", text(page.Find(".losses")))
	}
	version, _ = page.Find("input[name=version]").Attr("value")
	if s.ask(t, "POST", at+"/undo", url.Values{"version": {version}}); mends() != 0 {
		t.Error("undo keeps the changes")
	}
	_, _, header = s.ask(t, "POST", "/drafts", url.Values{"abc": {"X:1\nT:Chords alone\nM:4/4\nL:1/4\nK:G\n\"G\"z4|\"C\"z4|\n"}, "tuning": {"Standard"}})
	_, _, header = s.ask(t, "POST", header.Get("Location")+"/keep", url.Values{})
	if page = s.page(t, header.Get("Location")+"/losses"); !strings.Contains(text(page.Find("[role=alert]")), "no melody") || page.Find(".lead").Length() > 0 {
		t.Errorf("what cannot be planned has no losses: %s", text(page.Find("main")))
	}
}

// TestPhrases: at the end of a tune turnarounds and endings are offered, each heard as it would be played, and played when it is taken; in the
// middle, where the melody moves, none.
func TestPhrases(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	_, _, header := s.ask(t, "POST", "/drafts", url.Values{"abc": {"X:1\nT:Long way home\nM:4/4\nL:1/4\nK:G\n\"G\"G B d B|\"C\"c e c2|\"D\"d f a f|\"G\"g4|\n"}, "tuning": {"Standard"}})
	_, _, header = s.ask(t, "POST", header.Get("Location")+"/keep", url.Values{})
	at := header.Get("Location")
	if n := s.page(t, at+"/variations?m=0").Find("[data-hear]").Length(); n != 0 {
		t.Errorf("%d phrases in bar 1", n)
	}
	page := s.page(t, at+"/variations?m=99")
	hear := page.Find(".words [data-hear]")
	if hear.Length() < 4 {
		t.Fatalf("%d phrases: %s", hear.Length(), text(page.Find("main")))
	}
	sounds := map[string]bool{}
	for i := range 2 {
		address, _ := hear.Eq(i).Attr("data-hear")
		status, body, head := s.ask(t, "GET", address, nil)
		if sounds[body] = true; status != http.StatusOK || head.Get("Content-Type") != "audio/wav" {
			t.Errorf("%s: %d", address, status)
		}
	}
	if len(sounds) != 2 {
		t.Error("two phrases sound alike")
	}
	if status, _, _ := s.ask(t, "GET", at+"/phrase.wav?bar=4&name=Nothing", nil); status != http.StatusNotFound {
		t.Errorf("a phrase that is none: %d", status)
	}
	form := page.Find(".words form").First()
	fields := url.Values{}
	for _, name := range []string{"version", "m", "rewrite"} {
		v, _ := form.Find("[name=" + name + "]").Attr("value")
		fields.Set(name, v)
	}
	if status, _, _ := s.ask(t, "POST", at+"/rewrite", fields); status != http.StatusSeeOther {
		t.Errorf("not taken: %d", status)
	}
	tunes, err := s.store.Tunes(t.Context(), s.owner)
	if err != nil || len(tunes[len(tunes)-1].Settings.Rewrites) != 2 {
		t.Errorf("%v: %+v", err, tunes[len(tunes)-1].Settings.Rewrites)
	}
}
