package web_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

const ownTune = `T:Gravel Road Reel
M:4/4
L:1/8
Q:1/4=90
K:D
"D"F2 A2 d3 A | "G"B2 G2 D4 | "A7"E2 G2 c2 e2 | "D"d6 z2 |]`

// TestWholeJob does what a new user does: add a tune of their own after a mistake, read
// its plan, overrule it, change the setup, and find it all after a restart.
func TestWholeJob(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.expect()
	b.open("/")
	if n := eval[int](b, "document.querySelectorAll('.tune').length"); n != 3 {
		t.Fatalf("%d demo tunes", n)
	}

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

	b.addIn("Open D", ownTune)
	b.until("document.querySelector('#sheet')")
	path := strings.TrimPrefix(eval[string](b, "location.href"), s.URL)
	b.open(path)
	b.checkCursor()
	b.overrule()
	b.setup()

	// Everything is there after a restart.
	before := b.text(".column")
	s.Close()
	again := s.again(t)
	c := newTab(t, again, 1280, 800)
	c.open(path)
	if got := c.text(".column"); got != before {
		t.Errorf("after a restart the plan differs:\n%s\nbefore:\n%s", got, before)
	}
	if eval[string](c, "document.querySelector('#fact-capo').value") != "2" {
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
	b.until("(document.querySelector('.when').innerText.includes('bar 2') || document.querySelector('.when b').innerText === '2') && document.querySelector('button[data-key=\"1\"] .place-text')") // the places come after the picture
	column := b.text(".column")
	wanted := eval[string](b, "document.querySelector('button[data-key=\"1\"] .place-text').innerText.replace(/^1\\s*/, '')")
	if why := b.text(".place-why"); !strings.ContainsAny(why, "0123456789") {
		b.t.Errorf("a reason without figures: %q", why)
	}
	b.key("1") // nothing is taken unseen: the other places come first
	b.until("!document.getElementById('elsewhere').hidden && !document.querySelector('.pinned')")
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
	// Every change plans again at once.
	for _, set := range [][3]string{{"#capo", "2", "fret 2"}, {"#tuning", "D A D G A D", "suspended"}, {"#tempo", "72", "72"},
		{"#thumb", "steady", "steady"}} {
		b.do(chromedp.Focus(set[0]), chromedp.SetValue(set[0], set[1]))
		b.until("([...document.querySelectorAll('.facts select')].map((e) => e.selectedOptions[0].text).join() + document.querySelector('.ear-tempo').innerText).includes(" + quote(set[2]) + ") && !document.querySelector('#setup-fault') && document.querySelector('ul.why') && document.querySelector('.answer').getClientRects().length")
		if eval[string](b, "document.activeElement.id") != strings.TrimPrefix(set[0], "#") {
			b.t.Errorf("the focus left %s", set[0])
		}
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
	t.Parallel()
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

// TestHandsOn works the plan page by keys alone: one thing shown at a time, the strum test step
// by step, what holds the tempo down and a way out of it, choices for whole bars, comparison.
func TestHandsOn(t *testing.T) {
	t.Parallel()
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
	b.key(kb.Escape) // the strum test has opened its pane
	b.until("!document.querySelector('.work.has-pane')")
	for key, leaf := range map[string]string{"w": "why", "e": "elsewhere", "s": "silence", "v": "vary", "y": "setup", "p": "pace"} {
		b.key(key)
		b.until("!document.getElementById(" + quote(leaf) + ").hidden && document.querySelectorAll('.leaf:not([hidden])').length === 1")
		if low := eval[float64](b, "Math.max(document.documentElement.scrollHeight, document.querySelector('.leaves').getBoundingClientRect().bottom)"); low > 800 {
			t.Errorf("%s lies under the fold, at %.0f", leaf, low)
		}
	}
	b.key(kb.Escape) // the key of the pane that is open would close it
	b.key("p")
	b.until("document.querySelector('.moves')")
	ceiling := b.text(".fact b")
	if b.text("#pace [data-key='1']") == "" {
		t.Fatal("no relief for the hardest move")
	}
	b.key("1")
	b.until("document.querySelector('.mark-pin')")
	b.until("document.querySelector('ul.why') && document.querySelector('#pace .moves')")
	if said := b.text("#said"); !strings.Contains(said, "up to ") || !strings.Contains(said, "bar ") {
		t.Errorf("what changed is not told: %q", said)
	}
	if got := b.text(".fact b"); len(got) < len(ceiling) || len(got) == len(ceiling) && got <= ceiling {
		t.Errorf("the ceiling was %s and is %s", ceiling, got)
	}
	b.key("y")
	b.do(chromedp.SetValue("#first", "13"), chromedp.SetValue("#last", "14"), chromedp.SetValue("#choice", "no-slide"), chromedp.Submit("#first"))
	b.until("[...document.querySelectorAll('.pin-list a')].some(a => a.textContent === 'bar 13 to 14, no slide')")
	b.open(s.tunePath(t, 0))
	b.key("c")
	b.until("document.querySelectorAll('.pair-of svg.column').length === 2")
}
