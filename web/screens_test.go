package web_test

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// measures are what a script in the page finds out about what is seen.
const measures = `(() => {
	const seen = (e) => { const r = e.getBoundingClientRect(); return r.width > 1 && r.height > 1 && r.bottom > 0 && r.right > 0 && r.top < innerHeight && r.left < innerWidth
		&& e.checkVisibility({ visibilityProperty: true, opacityProperty: true }); };
	const all = (sel) => [...document.querySelectorAll(sel)].filter(seen);
	const box = (sel) => document.querySelector(sel)?.getBoundingClientRect();
	return {
		controls: all('a[href], button, input:not([type=hidden]), select, textarea, summary, [tabindex="0"]').length,
		caps: all('kbd').length,
		answer: box('.answer')?.top ?? -1,
		neck: (() => { const r = box('.neck > svg'); return r ? [r.top, r.bottom, r.left, r.right] : []; })(),
		rail: (() => { const r = box('.time'); return r ? [r.top, r.bottom] : []; })(),
		wide: document.documentElement.scrollWidth - innerWidth,
		high: document.documentElement.scrollHeight - innerHeight,
		shift: window.shifted ?? 0, moved: window.moved ?? '',
	};
})()`

type measured struct {
	Controls, Caps int
	Answer         float64
	Neck, Rail     []float64
	Wide, High     float64
	Shift          float64
	Moved          string // what the shift was of
}

// measure opens a page at a size and measures it when it has come to rest.
func (b *tab) measure(path string, w, h int64) (m measured) {
	b.t.Helper()
	b.do(chromedp.EmulateViewport(w, h))
	b.open(path)
	b.until("document.fonts.status === 'loaded'")
	eval[bool](b, `(new PerformanceObserver((l) => l.getEntries().forEach((e) => { if (e.hadRecentInput) return; window.shifted = (window.shifted ?? 0) + e.value; window.moved = (window.moved ?? '') + e.sources.map((s) => s.node?.id || s.node?.className || s.node?.nodeName).join(' '); })).observe({ type: 'layout-shift', buffered: true }), true)`)
	time.Sleep(150 * time.Millisecond)
	return eval[measured](b, measures)
}

// longTitle is a title of 60 characters.
const longTitle = "The Long Slow Walk Home Past the Weir on a Sunday in Autumn"

// TestFirstSight: on the plan page the answer comes first, also on a tablet, at twice the size and under a long title; few controls are
// seen and no key caps until they are asked for; the neck and the music are whole; nothing moves while it loads.
func TestFirstSight(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.tunePath(t, 0)
	b := newTab(t, s, 1280, 800)
	report := os.Getenv("STEPPING_MEASURE") != ""
	for _, size := range []struct {
		w, h     int64
		lowest   float64
		controls int
	}{{1280, 800, 110, 30}, {1024, 768, 110, 30}, {640, 400, 120, 30}, {390, 844, 110, 30}} {
		m := b.measure(path+"?m=6&wait=1", size.w, size.h)
		if report {
			t.Logf("figure: plan page %dx%d: %d controls, %d key caps, answer from y %.0f, neck to %.0f, layout shift %.3f", size.w, size.h, m.Controls, m.Caps,
				m.Answer, m.Neck[1], m.Shift)
		}
		if m.Controls > size.controls || m.Caps > 0 || m.Answer > size.lowest || m.Answer < 0 || m.Shift > 0.02 || m.Wide > 0 {
			t.Errorf("%dx%d: %+v", size.w, size.h, m)
		}
		if size.h > 700 && (m.Neck[1] > float64(size.h) || size.w > 1000 && (m.Rail[1] > float64(size.h) || m.High > 0) || size.w < 400 && m.High > 0) {
			t.Errorf("%dx%d: neck or music lie outside the window: %+v", size.w, size.h, m)
		}
	}
	edit := s.page(t, path+"/text")
	source := edit.Find("#abc").Text()
	s.send(t, edit, "/text", map[string][]string{"abc": {strings.Replace(source, "Lantern on the Weir", longTitle, 1)}})
	if m := b.measure(path, 1280, 800); m.Answer > 110 || m.Wide > 0 {
		t.Errorf("under a long title: %+v", m)
	}
	for _, page := range []string{"/practise", "/hear", "/take", "/stand"} {
		if m := b.measure(path+page, 1024, 768); m.Shift > 0.02 || m.Wide > 0 {
			t.Errorf("%s: %+v", page, m)
		} else if report {
			t.Logf("figure: %s 1024x768: %d controls, layout shift %.3f", page, m.Controls, m.Shift)
		}
	}
	_, body, _ := s.ask(t, "GET", path, nil)
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	if _, err := z.Write([]byte(body)); err != nil || z.Close() != nil || packed.Len() > 150<<10 {
		t.Errorf("the page takes %d bytes", packed.Len())
	}
	if report {
		t.Logf("figure: plan page %d KB, %d KB compressed", len(body)>>10, packed.Len()>>10)
	}

	// Key caps come while ? is down, and a short ? opens the list.
	b.do(chromedp.EmulateViewport(1280, 800))
	b.open(path)
	down := func(on string) {
		eval[bool](b, fmt.Sprintf(`document.body.dispatchEvent(new KeyboardEvent('%s', { key: '?', bubbles: true }))`, on))
	}
	down("keydown")
	if m := eval[measured](b, measures); m.Caps < 8 {
		t.Errorf("%d key caps while ? is down", m.Caps)
	}
	time.Sleep(450 * time.Millisecond)
	down("keyup")
	if m := eval[measured](b, measures); m.Caps > 0 || eval[bool](b, "document.getElementById('keymap').open") {
		t.Errorf("%d key caps when ? is up again", m.Caps)
	}
	// By keyboard: one skip link and a Tab lead to what can be done about the moment, and a pane gives the focus back.
	for range 3 {
		b.key(kb.Tab)
	}
	b.key("w")
	b.until("document.querySelector('.work.has-pane #why:not([hidden])')")
	b.key(kb.Escape)
	b.until("!document.querySelector('.work.has-pane')")
}

// TestDials: turned, a dial says at once what would change and marks it; released, it is planned like any other plan and can be undone.
func TestDials(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.tunePath(t, 0)
	b := newTab(t, s, 1280, 800)
	b.open(path)
	turn := func(name string, to int, event string) {
		eval[bool](b, fmt.Sprintf(`(() => { const d = document.getElementById('dial-%s'); d.value = %d; d.dispatchEvent(new Event('%s', { bubbles: true })); return true; })()`, name, to, event))
	}
	turn("slide", 0, "input")
	b.until("document.querySelectorAll('.column .is-other').length > 5 && document.getElementById('said').textContent.includes('0 notes with the slide')")
	turn("slide", 0, "change")
	b.until("!document.querySelector('.column .how-slide') && document.querySelector('#dial-slide').value === '0'")
	b.key("u")
	b.until("document.querySelector('.column .how-slide') && document.querySelector('#dial-slide').value === '3'")
	before := eval[int](b, "document.querySelectorAll('.column .of-thumb.how-open, .column .of-thumb.how-fret').length")
	turn("ease", 2, "change")
	b.until(fmt.Sprintf("document.querySelectorAll('.column .of-thumb.how-open, .column .of-thumb.how-fret').length < %d", before))
	page := s.page(t, path)
	if status, _, _ := s.send(t, page, "/dials", map[string][]string{"ease": {"99"}}); status != 422 {
		t.Errorf("a dial beyond its end: %d", status)
	}
	if status, _, _ := s.send(t, page, "/dials", map[string][]string{"slide": {"x"}}); status != 422 {
		t.Errorf("a dial at no number: %d", status)
	}
}

// TestStand: two bars large, turned by either switch; both, one held or one pressed twice play; while it plays the other half has turned
// already; the switches can be learnt; leaving goes back to the moment.
func TestStand(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.tunePath(t, 0)
	b := newTab(t, s, 1024, 768)
	b.open(path + "/stand")
	shown := func(want string) {
		t.Helper()
		b.until(fmt.Sprintf("[...document.querySelectorAll('.stand-bar.is-shown')].map((e) => e.dataset.bar).join(' ') === %q", want))
	}
	shown("1 2")
	if size := eval[float64](b, "document.querySelector('.stand-bar.is-shown .stand-figure').getBoundingClientRect().height"); size < 44 {
		t.Errorf("figures are %.0f px high", size)
	}
	b.tread("PageDown")
	shown("2 3")
	time.Sleep(450 * time.Millisecond)
	b.tread("PageUp")
	shown("1 2")
	time.Sleep(450 * time.Millisecond)
	b.do(chromedp.Click(".stand"))  // a browser sounds only after it was touched
	b.tread("PageDown", "PageDown") // twice: plays from where it was
	b.until("document.querySelector('[data-switch=both] [data-means]').textContent === 'stop'")
	shown("1 2")
	b.until("document.querySelector('.stand .is-now')")
	b.until("document.querySelector('.stand-bar.is-here').dataset.bar === '2'")
	shown("2 3") // bar 3 stands where bar 1 was
	if !eval[bool](b, "document.querySelector('.stand-bar[data-bar=\"2\"]').classList.contains('is-below')") {
		t.Error("the bar that is played has moved")
	}
	press := func(on, key string) {
		eval[bool](b, fmt.Sprintf(`document.body.dispatchEvent(new KeyboardEvent('%s', { key: '%s', bubbles: true, cancelable: true }))`, on, key))
	}
	press("keydown", "PageDown") // both
	press("keydown", "PageUp")
	press("keyup", "PageUp")
	press("keyup", "PageDown")
	b.until("document.querySelector('[data-switch=both] [data-means]').textContent === 'play'")
	eval[bool](b, "(document.querySelector('[data-learn]').click(), true)")
	b.key("x")
	b.key("y")
	b.until("document.getElementById('said').textContent === 'Learnt.'")
	at := eval[int](b, "Number(document.querySelector('.stand-bar.is-here').dataset.bar)")
	b.key("x")
	b.until(fmt.Sprintf("document.querySelector('.stand-bar.is-here').dataset.bar === '%d'", at+1))
	b.key("v") // what is free over the present chord stands below
	b.until("document.querySelectorAll('.stand-free .free-dot').length > 4 && document.querySelectorAll('.stand-bar').length > 4")
	if !strings.Contains(b.text(".stand-over"), "Free over") {
		t.Error("it is not said over which chord")
	}
	b.key("h")
	b.until("document.querySelector('#lectern') && document.querySelector('.bar.is-here')")
}

// walker counts what a player presses.
type walker struct {
	*tab
	presses int
	began   time.Time
}

func (w *walker) press(sel string) {
	w.t.Helper()
	w.presses++
	w.until("document.querySelector(" + quote(sel) + ")")
	w.do(chromedp.Click(sel))
}

func (w *walker) keys(keys ...string) {
	w.t.Helper()
	for _, k := range keys {
		w.presses++
		w.key(k)
	}
}

// TestWalks goes three ways through the program as three players would, and says how many presses and seconds each takes: make measure-screens.
func TestWalks(t *testing.T) {
	if os.Getenv("STEPPING_MEASURE") == "" {
		t.Skip("walked by make measure-screens")
	}
	s := newSite(t)
	walk := func(name string, w, h int64, steps func(w *walker)) {
		b := &walker{tab: newTab(t, s, w, h), began: time.Now()}
		b.expect()
		steps(b)
		t.Logf("figure: %s: %d presses, %.1f s", name, b.presses, time.Since(b.began).Seconds())
	}
	walk("newcomer with a slide and a tune in his head, from the first page to a plan that sounds", 1280, 800, func(w *walker) {
		w.open("/")
		w.press("#add > summary")
		w.press(".door .act")
		w.until("document.querySelector('.fretboard')")
		w.press(`[data-key="s"]`)
		for i, fret := range []string{"5", "7", "9", "7", "5", "4", "2"} {
			w.keys(fret)
			w.until(fmt.Sprintf("document.querySelector('#entry').dataset.notes === '%d'", i+1))
		}
		w.do(chromedp.SetValue("#name", "Kettle"))
		w.press(".head-acts .act-main")
		w.until("document.querySelector('.because') && document.querySelector('.column')")
		w.keys(" ")
		w.until("document.querySelector('#lectern')._x_dataStack[0].audio")
	})
	walk("tablet and two switches: a step of practice heard, played and judged", 1024, 768, func(w *walker) {
		w.open(s.tunePath(t, 1) + "/practise")
		w.press("[data-stand]")
		for _, state := range []string{"hearing", "playing", "told done"} {
			w.keys(kb.PageDown)
			w.until(quote(state) + ".split(' ').includes(document.querySelector('.step').dataset.state)")
		}
	})
	walk("tab on paper to DADGAD", 1280, 800, func(w *walker) {
		w.open("/")
		w.press("#add > summary")
		w.do(chromedp.SetValue("#abc", "E|-0---2---3---|\nB|-------------|\nG|-2-----------|\nD|-----0-------|\nA|-------------|\nE|-0-------0---|\n"))
		w.presses++
		w.press(".door .act-main")
		w.until("document.querySelector('.draft')")
		w.do(chromedp.SetValue("#tuning", "DADGAD"))
		w.presses++
		w.do(chromedp.Submit("#tuning"))
		w.until("document.querySelector('#tuning').defaultValue")
		w.press(".head-acts .act-main")
		w.until("document.querySelector('.column') && document.querySelector('#fact-tuning').selectedOptions[0].text.includes('suspended')")
	})
}
