package web_test

import (
	"context"
	_ "embed"
	"encoding/json"
	"fmt"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	cdplog "github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"stepping/demo"
	"stepping/store"
	"stepping/store/storetest"
	"stepping/web"
	"stepping/web/door"
)

//go:embed testdata/vendor/axe.min.js
var axe string

// fakeMicrophone is the file that the browser hears in place of a microphone, from its beginning whenever one is opened.
var fakeMicrophone = filepath.Join(os.TempDir(), fmt.Sprintf("stepping-microphone-%d.wav", os.Getpid()))

func TestMain(m *testing.M) {
	os.Exit(storetest.Main(func() int {
		defer os.Remove(fakeMicrophone)
		return m.Run()
	}))
}

// site is a running server with the demo tunes.
type site struct {
	*httptest.Server
	app   *web.Server
	store *store.Store
	owner store.ID
}

func newSite(t *testing.T) *site {
	t.Helper()
	dsn, err := storetest.DSN()
	if err != nil {
		t.Fatal(err)
	}
	return openSite(t, dsn)
}

// openSite serves what the database at dsn holds; a second call is a restart.
func openSite(t *testing.T, dsn string) *site { return openDoor(t, dsn, door.Access{}) }

// openDoor is openSite with other access.
func openDoor(t *testing.T, dsn string, access door.Access) *site {
	t.Helper()
	st, err := store.Open(t.Context(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	owner, err := demo.Prepare(t.Context(), st, true)
	if err != nil {
		t.Fatal(err)
	}
	app, err := web.New(web.Config{Store: st, Owner: owner, Access: access, Demo: demo.One})
	if err != nil {
		t.Fatal(err)
	}
	s := &site{httptest.NewServer(app.Handler()), app, st, owner}
	t.Cleanup(func() { s.Close(); app.Close(); st.Close() })
	return s
}

var browserContext = sync.OnceValues(func() (context.Context, error) {
	ctx, _ := chromedp.NewExecAllocator(context.Background(), chromedp.Headless, chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.NoFirstRun, chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-sync", true), chromedp.Flag("use-fake-device-for-media-stream", true),
		chromedp.Flag("use-fake-ui-for-media-stream", true), chromedp.Flag("use-file-for-fake-audio-capture", fakeMicrophone),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-dev-shm-usage", true))
	ctx, _ = chromedp.NewContext(ctx)
	return ctx, chromedp.Do(ctx, chromedp.Navigate("about:blank"))
})

// tab is one browser tab; any console error, exception or blocked request fails the test.
type tab struct {
	t    *testing.T
	ctx  context.Context
	base string
	mu   sync.Mutex
	bad  []string
	wait bool // a status of 4xx is expected
}

func newTab(t *testing.T, s *site, w, h int64) *tab {
	t.Helper()
	parent, err := browserContext()
	if err != nil {
		t.Fatalf("tests need chromium: %v", err)
	}
	b := &tab{t: t, base: s.URL}
	ctx, cancel := chromedp.NewContext(parent, chromedp.WithListener(b.listen))
	t.Cleanup(cancel)
	if end, ok := t.Deadline(); ok { // leave time to say what was waited for
		var stop context.CancelFunc
		ctx, stop = context.WithDeadline(ctx, end.Add(-10*time.Second))
		t.Cleanup(stop)
	}
	b.ctx = ctx
	b.do(chromedp.EmulateViewport(w, h))
	t.Cleanup(func() {
		b.mu.Lock()
		defer b.mu.Unlock()
		for _, msg := range b.bad {
			t.Errorf("browser: %s", msg)
		}
	})
	return b
}

func (b *tab) listen(ev any) {
	b.mu.Lock()
	defer b.mu.Unlock()
	switch e := ev.(type) {
	case *runtime.EventExceptionThrown:
		b.bad = append(b.bad, fmt.Sprint("exception: ", e.ExceptionDetails.Text, e.ExceptionDetails.Exception))
	case *runtime.EventConsoleAPICalled:
		if e.Type == runtime.ConsoleAPICalledTypeError || e.Type == runtime.ConsoleAPICalledTypeWarning {
			b.bad = append(b.bad, fmt.Sprintf("console: %v", e.Args))
		}
	case *cdplog.EventEntryAdded:
		if e.Entry.Level == cdplog.EntryLevelError && !(b.wait && strings.Contains(e.Entry.Text, "status of 4")) {
			b.bad = append(b.bad, "log: "+e.Entry.Text+" "+e.Entry.URL)
		}
	}
}

// expect allows answers of status 4xx from now on.
func (b *tab) expect() { b.mu.Lock(); b.wait = true; b.mu.Unlock() }

func (b *tab) do(steps ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	for _, step := range steps {
		err := chromedp.Do(b.ctx, step)
		for err != nil && strings.Contains(err.Error(), "node with given id") && b.ctx.Err() == nil {
			// The page was replaced between finding the node and using it; nothing was done yet.
			err = chromedp.Do(b.ctx, step)
		}
		if err != nil {
			b.t.Fatal(err)
		}
	}
}

func eval[T any](b *tab, js string) T {
	b.t.Helper()
	v, err := chromedp.Run(b.ctx, chromedp.Evaluate[T](js))
	if err != nil {
		b.t.Fatalf("%.300s: %v", js, err)
	}
	return v
}

// untilLimit is longer than anything that a test waits for takes, also on a busy machine.
const untilLimit = 2 * time.Minute

// settled is true of a page that has its styles and was drawn: before that a button is still elsewhere, and a
// click where it was found reaches nothing. Nobody presses what they do not see.
const settled = "document.readyState === 'complete' && performance.getEntriesByType('paint').length > 0"

// until waits until the page is settled and the expression is true.
func (b *tab) until(js string) {
	b.t.Helper()
	for end := time.Now().Add(untilLimit); b.ctx.Err() == nil && time.Now().Before(end); time.Sleep(10 * time.Millisecond) {
		ok, err := chromedp.Run(b.ctx, chromedp.Evaluate[bool]("(() => { try { return "+settled+" && Boolean("+js+") } catch { return false } })()"))
		if err != nil && !strings.Contains(err.Error(), "navigated") { // a page that is just being left has not answered
			b.t.Fatalf("%s: %v", js, err)
		}
		if ok {
			return
		}
	}
	b.t.Fatalf("never true: %s\n%s", js, b.text("main"))
}

func (b *tab) open(path string) {
	b.t.Helper()
	b.do(chromedp.Navigate(b.base + path))
	if strings.Count(path, "/") == 2 && strings.HasPrefix(path, "/tunes/") {
		b.until("window.Alpine && document.querySelector('#lectern')._x_dataStack && !document.querySelector('[data-waiting]')")
	}
}

func (b *tab) key(keys string, opts ...chromedp.KeyOption) {
	b.t.Helper()
	b.do(chromedp.KeyEvent(keys, opts...))
}

func (b *tab) text(sel string) string {
	b.t.Helper()
	return eval[string](b, "(() => { const e = document.querySelector("+quote(sel)+"); return e?.innerText ?? e?.textContent ?? '' })()")
}

func quote(s string) string {
	q, _ := json.Marshal(s)
	return string(q)
}

// accessible runs axe-core on the page: no finding of any weight.
func (b *tab) accessible(where string) {
	b.t.Helper()
	eval[any](b, axe+";null")
	found, err := chromedp.Run(b.ctx, chromedp.Evaluate[string](`axe.run(document, {resultTypes: ['violations']}).then(r => JSON.stringify(r.violations
		.map(v => v.id + ': ' + v.help + ' ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' | '))))`, chromedp.EvalAwaitPromise))
	if err != nil {
		b.t.Fatal(err)
	}
	if found != "[]" {
		b.t.Errorf("%s: %s", where, found)
	}
}

func (b *tab) shot(file string) {
	b.t.Helper()
	png, err := chromedp.Run(b.ctx, chromedp.CaptureScreenshot())
	if err != nil {
		b.t.Fatal(err)
	}
	if err := os.WriteFile(file, png, 0o644); err != nil {
		b.t.Fatal(err)
	}
}

// tunePath returns the path of the nth demo tune.
func (s *site) tunePath(t *testing.T, n int) string {
	t.Helper()
	tunes, err := s.store.Tunes(t.Context(), s.owner)
	if err != nil || len(tunes) <= n {
		t.Fatal(err, len(tunes))
	}
	return "/tunes/" + tunes[n].ID.String()
}

const ownTune = `T:Gravel Road Reel
M:4/4
L:1/8
Q:1/4=90
K:D
"D"F2 A2 d3 A | "G"B2 G2 D4 | "A7"E2 G2 c2 e2 | "D"d6 z2 |]`

// TestWholeJob does what a new user does: add a tune of their own after a mistake, read
// its plan, overrule it, change the setup, and find it all after a restart.
func TestWholeJob(t *testing.T) {
	dsn, err := storetest.DSN()
	if err != nil {
		t.Fatal(err)
	}
	s := openSite(t, dsn)
	b := newTab(t, s, 1280, 800)
	b.expect()
	b.open("/")
	if n := eval[int](b, "document.querySelectorAll('.tune').length"); n != 3 {
		t.Fatalf("%d demo tunes", n)
	}
	b.accessible("first page")

	// A fault keeps the text and shows the place.
	broken := strings.Replace(ownTune, "c2 e2", "c2 ^2", 1)
	b.do(chromedp.SetValue("#abc", broken), chromedp.Submit("#abc"))
	b.until("document.querySelector('.fault')")
	if got := b.text(".fault"); !strings.Contains(got, "Line 6, column 44") {
		t.Errorf("fault: %q", got)
	}
	if got := eval[string](b, "document.querySelector('#abc').value"); got != broken {
		t.Errorf("the text was not kept: %q", got)
	}
	b.accessible("first page with a fault")

	b.do(chromedp.SetValue("#abc", ownTune), chromedp.SetValue("#tuning", "Open D"), chromedp.Submit("#abc"))
	b.until("document.querySelector('.draft')")
	b.accessible("what was understood")
	b.do(chromedp.Click(".head-acts .act-main"))
	b.until("document.querySelector('#sheet')")
	path := strings.TrimPrefix(eval[string](b, "location.href"), s.URL)
	b.open(path)
	b.accessible("plan page")
	b.checkCursor()
	b.overrule()
	b.setup()

	// Everything is there after a restart.
	before := b.text(".column")
	s.Close()
	again := openSite(t, dsn)
	c := newTab(t, again, 1280, 800)
	c.open(path)
	if got := c.text(".column"); got != before {
		t.Errorf("after a restart the plan differs:\n%s\nbefore:\n%s", got, before)
	}
	if !strings.Contains(c.text(".head-facts"), "capo 2") {
		t.Error("the setup was lost")
	}
	c.exports(path)
}

// checkCursor moves by moment and by bar, with arrows and with a pedal.
func (b *tab) checkCursor() {
	b.t.Helper()
	when := func() string { return strings.Join(strings.Fields(b.text(".when")), " ") }
	if !strings.HasPrefix(when(), "bar 1 beat 1 ") {
		b.t.Fatalf("starts at %q", when())
	}
	for _, step := range []struct {
		key  string
		opt  []chromedp.KeyOption
		want string
	}{
		{kb.ArrowDown, nil, "bar 1 beat 2"}, {kb.ArrowRight, nil, "bar 1 beat 3"}, {kb.ArrowUp, nil, "bar 1 beat 2"},
		{kb.PageDown, nil, "bar 2 beat 1"}, {kb.ArrowDown, []chromedp.KeyOption{chromedp.KeyModifiers(8)}, "bar 3 beat 1"},
		{kb.PageUp, nil, "bar 2 beat 1"}, {kb.End, nil, "bar 4 beat 4"}, {kb.Home, nil, "bar 1 beat 1"},
	} {
		b.key(step.key, step.opt...)
		b.until(fmt.Sprintf("document.querySelector('.when').innerText.replace(/\\s+/g, ' ').startsWith(%s)", quote(step.want)))
		if !eval[bool](b, "(() => { const c = document.querySelector('.col-cursor').getBoundingClientRect(), t = document.querySelector('.time').getBoundingClientRect(); return c.top >= t.top - 1 && c.bottom <= t.bottom + 1 })()") {
			b.t.Errorf("at %s the cursor is out of sight", step.want)
		}
	}
}

// overrule picks another place by key, sees it pinned and marked, undoes and redoes.
func (b *tab) overrule() {
	b.t.Helper()
	b.key(kb.PageDown)
	b.until("document.querySelector('.when').innerText.includes('bar 2') || document.querySelector('.when b').innerText === '2'")
	column := b.text(".column")
	wanted := eval[string](b, "document.querySelector('button[data-key=\"1\"] .place-text').innerText.replace(/^1\\s*/, '')")
	if why := b.text(".place-why"); !strings.ContainsAny(why, "0123456789") {
		b.t.Errorf("a reason without figures: %q", why)
	}
	b.key("1") // nothing is taken unseen: the other places come first
	b.until("!document.getElementById('elsewhere').hidden && !document.querySelector('.pinned')")
	b.accessible("the other places")
	b.key("1")
	b.until("document.querySelector('.pinned')")
	if got := b.text(".place.is-chosen .place-text"); got != wanted {
		b.t.Errorf("pinned %q, wanted %q", got, wanted)
	}
	if eval[int](b, "document.querySelectorAll('.col-flag').length") == 0 || !strings.Contains(b.text("#said"), "last change moved") {
		b.t.Error("what changed is not marked")
	}
	pinned := b.text(".column")
	b.key("u")
	// The moment at the cursor is asked for by itself and may be ahead of the column by a moment.
	b.until("!document.querySelector('.pinned') && document.querySelector('.column').textContent === " + quote(column))
	b.key("r")
	b.until("document.querySelector('.pinned') && document.querySelector('.column').textContent === " + quote(pinned))
	b.key("0")
	b.until("!document.querySelector('.pinned')")
}

// setup changes tuning, capo, tempo and thumb, with one wrong value on the way.
func (b *tab) setup() {
	b.t.Helper()
	b.until("document.querySelector('ul.why')")
	old := b.text(".column")
	b.key("y")
	b.do(chromedp.SetValue("#capo", "44"))
	b.until("document.querySelector('#setup-fault')")
	if eval[string](b, "document.querySelector('#capo').value") != "44" {
		b.t.Error("the wrong capo was not kept for mending")
	}
	// Every change plans anew at once.
	for _, set := range [][3]string{{"#capo", "2", "capo 2"}, {"#tuning", "D A D G A D", "D A D G A D"}, {"#tempo", "72", "72"},
		{"#thumb", "steady", "thumb steady"}} {
		b.do(chromedp.Focus(set[0]), chromedp.SetValue(set[0], set[1]))
		b.until("(document.querySelector('.head-facts').innerText + document.querySelector('.ear-tempo').innerText).includes(" + quote(set[2]) + ") && !document.querySelector('#setup-fault') && document.querySelector('ul.why') && document.querySelector('.answer').getClientRects().length")
		if eval[string](b, "document.activeElement.id") != strings.TrimPrefix(set[0], "#") {
			b.t.Errorf("the focus left %s", set[0])
		}
	}
	if !strings.Contains(b.text(".head-facts"), "D suspended") {
		b.t.Errorf("tuning not recognised: %q", b.text(".head-facts"))
	}
	if b.text(".column") == old {
		b.t.Error("another tuning made no other plan")
	}
	b.accessible("plan page with the setup open")
}

// exports downloads the plan document and the tab.
func (b *tab) exports(path string) {
	b.t.Helper()
	var doc struct {
		Version, Capo int
		Proof         struct{ Kind string }
		Moments       []any
	}
	if err := json.Unmarshal([]byte(b.fetch(path+"/plan.json")), &doc); err != nil || doc.Version != 2 || doc.Capo != 2 ||
		doc.Proof.Kind != "optimal" || len(doc.Moments) == 0 {
		b.t.Errorf("plan document: %+v %v", doc, err)
	}
	if tab := b.fetch(path + "/tab.txt"); !strings.Contains(tab, "Gravel Road Reel") || strings.Count(tab, "|") < 24 {
		b.t.Errorf("tab: %s", tab)
	}
}

func (b *tab) fetch(path string) string {
	b.t.Helper()
	v, err := chromedp.Run(b.ctx, chromedp.Evaluate[string]("fetch("+quote(path)+").then(r => r.text())", chromedp.EvalAwaitPromise))
	if err != nil {
		b.t.Fatal(err)
	}
	return v
}

// TestTwoTabs: the later save of two is told, and nothing is overwritten.
func TestTwoTabs(t *testing.T) {
	s := newSite(t)
	path := s.tunePath(t, 0)
	first, second := newTab(t, s, 1280, 800), newTab(t, s, 1280, 800)
	second.expect()
	first.open(path + "?leaf=elsewhere")
	second.open(path + "?leaf=elsewhere")
	first.key("1")
	first.until("document.querySelector('.pinned')")
	second.key("2")
	second.until("document.querySelector('.notice')")
	if got := second.text(".notice"); !strings.Contains(got, "another tab") {
		t.Errorf("notice %q", got)
	}
	if first.text(".column") != second.text(".column") {
		t.Error("the second tab does not show the kept plan")
	}
	tunes, err := s.store.Tunes(t.Context(), s.owner)
	if err != nil || len(tunes[0].Settings.Pins) != 1 {
		t.Errorf("pins kept: %+v %v", tunes[0].Settings.Pins, err)
	}
}

// TestWithoutScripts: the plan can be read and changed with plain links and forms.
func TestWithoutScripts(t *testing.T) {
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.do(chromedp.Navigate(s.URL + s.tunePath(t, 1) + "?m=5"))
	html := b.fetch(s.tunePath(t, 1) + "?m=5")
	for _, want := range []string{`class="stroke-big"`, `action="` + s.tunePath(t, 1) + `/pin"`, `href="?m=6"`, "<svg class=\"column\""} {
		if !strings.Contains(html, want) {
			t.Errorf("the page as sent lacks %s", want)
		}
	}
	if strings.Contains(html, "<script>") || strings.Contains(html, " style=") || strings.Contains(html, " onclick=") {
		t.Error("inline script or style")
	}
}

// TestPlayers edits a player: a wrong value is told at its field and kept.
func TestPlayers(t *testing.T) {
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.expect()
	b.open("/profiles")
	b.accessible("players")
	b.do(chromedp.Click(".players a"))
	b.until("document.querySelector('#reachMm')")
	b.accessible("player")
	b.do(chromedp.SetValue("#reachMm", "900"), chromedp.Submit("#reachMm"))
	b.until("document.querySelector('#reachMm-fault')")
	if eval[string](b, "document.querySelector('#reachMm').value") != "900" {
		t.Error("typed value lost")
	}
	b.do(chromedp.SetValue("#reachMm", "120"), chromedp.SetValue("#slideFinger", "3"), chromedp.Submit("#reachMm"))
	b.until("location.pathname === '/profiles'")
	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil || profiles[0].Profile.ReachMM != 120 || profiles[0].Profile.SlideFinger != 3 {
		t.Errorf("%+v %v", profiles[0], err)
	}
}

// TestTextAndPins edits a tune's text, wrong at first; and when another player makes a pin
// impossible, the page says so and offers the way out.
func TestTextAndPins(t *testing.T) {
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.expect()
	path := s.tunePath(t, 0)
	b.open(path + "?leaf=elsewhere")
	b.key("1")
	b.until("document.querySelector('.mark-pin')")
	b.do(chromedp.Navigate(s.URL + path + "/text"))
	b.accessible("text page")
	text := eval[string](b, "document.querySelector('#abc').value")
	b.do(chromedp.SetValue("#abc", text+"%%\n^^"), chromedp.Submit("#abc"))
	b.until("document.querySelector('.fault')")
	if got := eval[string](b, "document.querySelector('#abc').value"); got != text+"%%\n^^" {
		b.t.Errorf("typed text lost: %q", got)
	}
	b.do(chromedp.SetValue("#abc", strings.Replace(text, "Lantern on the Weir", "Lantern Again", 1)), chromedp.Submit("#abc"))
	b.until("document.querySelector('h1')?.innerText === 'Lantern Again' && document.querySelector('.mark-pin')")

	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	none := profiles[0]
	none.Profile.Lean = "none"
	if err := s.store.SaveProfile(t.Context(), s.owner, none.ID, none.Version, none.Profile); err != nil {
		t.Fatal(err)
	}
	b.open(path)
	b.until("document.querySelector('.plain[role=alert]')")
	if got := b.text(".plain"); !strings.Contains(got, "between the frets") && !strings.Contains(got, "not a place") {
		t.Errorf("no reason: %q", got)
	}
	b.accessible("plan page without a plan")
	b.do(chromedp.Click(".plain .act-main"))
	b.until("!document.querySelector('.plain .act-main')")
	tunes, err := s.store.Tunes(t.Context(), s.owner)
	if err != nil || len(tunes[0].Settings.Pins) != 0 {
		t.Errorf("%+v %v", tunes[0].Settings, err)
	}
}

// TestHandsOn works the plan page by keys alone: one thing shown at a time, the strum test step
// by step, what holds the tempo down and a way out of it, choices for whole bars, comparison.
func TestHandsOn(t *testing.T) {
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.expect()
	b.open(s.tunePath(t, 0) + "?m=4")
	b.until("document.querySelector('.strum-list')")
	for key, want := range map[string]string{"n": "thumb", "q": "silence", "d": "slide", "a": ""} {
		b.key(key)
		b.until("document.querySelector('.time').dataset.shown === " + quote(want))
	}
	for n := 1; n <= 3; n++ {
		b.key("g")
		if got := eval[int](b, "[...document.querySelectorAll('.strum-list li')].findIndex(li => li.classList.contains('is-struck'))"); got != n-1 {
			t.Errorf("step %d of the strum test shows string number %d", n, got)
		}
	}
	if fronts := eval[int](b, "document.querySelectorAll('.front li.is-struck').length"); fronts == 0 {
		t.Error("the front view shows nothing struck")
	}
	for key, leaf := range map[string]string{"w": "why", "e": "elsewhere", "s": "silence", "v": "vary", "y": "setup", "t": "time", "p": "pace"} {
		b.key(key)
		b.until("!document.getElementById(" + quote(leaf) + ").hidden && document.querySelectorAll('.leaf:not([hidden])').length === 1")
		if low := eval[float64](b, "Math.max(document.documentElement.scrollHeight, document.querySelector('.leaves').getBoundingClientRect().bottom)"); low > 800 {
			t.Errorf("%s lies under the fold, at %.0f", leaf, low)
		}
		b.accessible("plan page with " + leaf)
	}
	b.key("p")
	b.until("document.querySelector('.moves')")
	b.accessible("plan page with its pace")
	ceiling := b.text(".head-facts b")
	if b.text("#pace [data-key='1']") == "" {
		t.Fatal("no relief for the hardest move")
	}
	b.key("1")
	b.until("document.querySelector('.mark-pin')")
	b.until("document.querySelector('ul.why') && document.querySelector('#pace .moves')")
	if said := b.text("#said"); !strings.Contains(said, "top tempo") || !strings.Contains(said, "bar ") {
		t.Errorf("what changed is not told: %q", said)
	}
	if got := b.text(".head-facts b"); len(got) < len(ceiling) || len(got) == len(ceiling) && got <= ceiling {
		t.Errorf("the ceiling was %s and is %s", ceiling, got)
	}
	b.key("y")
	b.do(chromedp.SetValue("#first", "13"), chromedp.SetValue("#last", "14"), chromedp.SetValue("#choice", "no-slide"), chromedp.Submit("#first"))
	b.until("[...document.querySelectorAll('.pin-list a')].some(a => a.textContent === 'bar 13 to 14, no slide')")
	b.open(s.tunePath(t, 0))
	b.key("c")
	b.until("document.querySelectorAll('.pair-of svg.column').length === 2")
	b.accessible("comparison")
}
