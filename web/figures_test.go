package web_test

import (
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"stepping/core/intonation"
	"stepping/core/player"
	"stepping/core/setup"
	"stepping/core/sound"
	"stepping/core/take/taketest"
	"stepping/demo"
)

// TestFigures measures what the issue asks for: the plan page warm, and a pin until the
// new picture stands.
func TestFigures(t *testing.T) {
	if os.Getenv("STEPPING_FIGURES") == "" {
		t.Skip("figures are measured by make bench")
	}
	s := newSite(t)
	start := time.Now()
	_, cold, _ := s.ask(t, "GET", s.tunePath(t, 1), nil)
	t.Logf("figure: plan page cold, demo tune: %d ms, its reasons later: %v", time.Since(start).Milliseconds(), strings.Contains(cold, "data-waiting"))
	b := newTab(t, s, 1280, 800)
	path := s.tunePath(t, 0)
	b.open(path + "?m=6&leaf=elsewhere")
	var page, pin, undo []float64
	for range 7 {
		page = append(page, eval[float64](b,
			"(() => { const x = new XMLHttpRequest(), t = performance.now(); x.open('GET', "+quote(path+"?m=6")+", false); x.send(); return performance.now() - t })()"))
	}
	for place := range 6 { // another place each time, so that every pin is planned again
		b.until("document.querySelector('#elsewhere [data-key]')")
		pin = append(pin, b.timed(strconv.Itoa(place+1), "document.querySelector('.mark-pin')"))
		b.until("document.querySelector('#elsewhere [data-key]')")
		undo = append(undo, b.timed("u", "!document.querySelector('.mark-pin')"))
	}
	slices.Sort(page)
	slices.Sort(pin)
	slices.Sort(undo)
	t.Logf("figure: plan page warm, demo tune: median %.0f ms (aim 50)", page[len(page)/2])
	t.Logf("figure: pin to new picture: median %.0f ms (aim 80), all %.0f", pin[len(pin)/2], pin)
	t.Logf("figure: undo to new picture: median %.0f ms (aim 80), all %.0f", undo[len(undo)/2], undo)
}

// timed presses a key inside the page and returns the milliseconds until done holds and a
// frame was drawn.
func (b *tab) timed(key, done string) float64 {
	b.t.Helper()
	v, err := chromedp.Run(b.ctx, chromedp.Evaluate[float64](fmt.Sprintf(`new Promise(ok => {
		const start = performance.now();
		const look = () => (%s) ? requestAnimationFrame(() => ok(performance.now() - start)) : requestAnimationFrame(look);
		document.body.dispatchEvent(new KeyboardEvent('keydown', {key: %s, bubbles: true}));
		look();
	})`, done, quote(key)), chromedp.EvalAwaitPromise))
	if err != nil {
		b.t.Fatal(err)
	}
	return v
}

// add pastes a tune into the first page and keeps it.
func (b *tab) add(text string) { b.t.Helper(); b.addIn("", text) }

// addIn is add, to be played in a tuning.
func (b *tab) addIn(tuning, text string) {
	b.t.Helper()
	b.do(chromedp.SetValue("#abc", text), chromedp.Submit("#abc"))
	b.until("document.querySelector('.draft')")
	if tuning != "" {
		b.do(chromedp.SetValue("#tuning", tuning), chromedp.Submit("#tuning"))
		b.until("document.querySelector('#tuning').value === " + quote(tuning) + " && document.querySelector('#tuning').defaultValue === " + quote(tuning))
	}
	b.accessible("what was understood")
	b.do(chromedp.Click(".head-acts .act-main"))
}

// TestScreenshots takes the kept pictures when STEPPING_SHOTS names a folder.
func TestScreenshots(t *testing.T) {
	dir := os.Getenv("STEPPING_SHOTS")
	if dir == "" {
		t.Skip("pictures are taken by make shots")
	}
	s := newSite(t)
	only := os.Getenv("STEPPING_SHOT") // names with commas between, all if it is empty
	take := func(name string, w, h int64, path string, prepare func(b *tab)) {
		if only != "" && !strings.Contains(","+only+",", ","+name+",") {
			return
		}
		b := newTab(t, s, w, h)
		b.expect()
		b.open(path)
		if prepare != nil {
			prepare(b)
		}
		b.do(chromedp.Sleep(200 * time.Millisecond))
		b.shot(filepath.Join(dir, name+".png"))
	}
	take("plan", 1280, 800, s.tunePath(t, 0)+"?m=9", nil)
	if err := demo.Month(t.Context(), s.store, s.owner, time.Now()); err != nil {
		t.Fatal(err)
	}
	take("tunes", 1280, 800, "/", nil)
	take("practise", 1280, 800, s.tunePath(t, 1)+"/practise", nil)
	take("today", 1280, 800, "/today", nil)
	take("log", 1280, 1300, s.tunePath(t, 0)+"/log", nil)
	take("stand", 1024, 768, s.tunePath(t, 1)+"/stand?m=13", nil)
	take("plan-phone", 390, 844, s.tunePath(t, 0)+"?m=9", nil)
	take("player", 1280, 800, "/profiles", func(b *tab) { b.do(chromedp.Click(".players a")); b.until("document.querySelector('#reachMm')") })
	take("chords", 1280, 800, "/chords?c=D+|+G+|+A7+|+D&tuning=Open+D&i=2&pattern=Slap+on+two+and+four", nil)
	take("take", 1280, 800, s.tunePath(t, 1)+"/take", func(b *tab) {
		b.give(recording(t, s, &faults))
		b.until("document.querySelector('.verdict-list')")
	})
	take("slides", 1280, 900, "/slides", nil)
	take("intune", 1280, 1000, "/profiles", func(b *tab) {
		b.do(chromedp.Click(".players a"))
		b.until("document.querySelector('a[href$=\"/slide\"]')")
		b.open(eval[string](b, `document.querySelector('a[href$="/slide"]').getAttribute('href')`) + "?kind=there&tuning=Open+D&seed=1900000000000")
		b.until("document.querySelector('.intune')._x_dataStack")
		asked := eval[[]float64](b, "(() => { const t = document.querySelector('.intune')._x_dataStack[0].tasks[0]; return [t.string, Number(new URLSearchParams(t.tone.split('?')[1]).get('hz'))]; })()")
		heard := slidAt([]intonation.Task{{Place: intonation.Place{String: int(asked[0])}, Hz: asked[1]}}, -14)
		microphone(t, 1, sound.AppendSamples(sound.Header(taketest.Rate, len(heard)), heard))
		eval[bool](b, "(document.querySelector('[data-first]').checked = false, document.querySelector('[data-listen]').click(), true)")
		b.until("document.querySelector('.lie-slide').parentElement.hasAttribute('transform') && document.querySelector('[data-cents]').textContent === '−14¢'")
	})
	take("sheet", 1280, 1000, s.tunePath(t, 2)+"/whole", nil)
	_, _, header := s.ask(t, "POST", "/drafts", url.Values{"abc": {strings.Replace(aTab, "|5---4---2---0---|", "|5---4---3---0---|", 1)}})
	take("draft", 1280, 800, header.Get("Location"), nil)
	_, _, header = s.ask(t, "POST", "/neck", url.Values{})
	for _, k := range strings.Fields("chord:D 0 2 eighth 4 5 slide 7 slide 5 chord:G put:2:5 put:2:3 quarter 2 with put:6:0 half 4 eighth 5 7") {
		s.ask(t, "POST", header.Get("Location")+"/key", url.Values{"key": {k}})
	}
	take("neck", 1280, 800, header.Get("Location"), nil)
	take("suit", 1280, 800, s.tunePath(t, 2), func(b *tab) {
		b.open(eval[string](b, `document.querySelector('a[href$="/suit"]').getAttribute('href')`))
		b.ready("document.getElementById('ranking')")
		b.key(kb.Enter)
		for end := time.Now().Add(60 * time.Second); time.Now().Before(end) &&
			!eval[bool](b, `!!document.getElementById('ranking')?.textContent.includes('are certain')`); {
			b.do(chromedp.Sleep(500 * time.Millisecond))
		}
	})
	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	pupil := profiles[1].Profile
	pupil.Name, pupil.Lean, pupil.Level = "Rook, first steps, no slide", player.LeanNone, setup.Proposed[2]
	if err := s.store.SaveProfile(t.Context(), s.owner, profiles[1].ID, profiles[1].Version, pupil); err != nil {
		t.Fatal(err)
	}
	s.taught(t, profiles)
	for i, form := range []url.Values{{"first": {"1"}, "last": {"2"}, "name": {"Weir steps"}, "tags": {"slow, home"}}, {"first": {"7"}, "last": {"8"}, "name": {"Coming home"}, "tags": {"ending"}},
		{"first": {"9"}, "last": {"10"}, "name": {"Up to the gate"}, "tags": {"fourth degree"}}, {"first": {"2"}, "last": {"2"}, "name": {"Bucket two"}, "tags": {"rag"}}} {
		if status, body, _ := s.ask(t, "POST", s.tunePath(t, i/3)+"/lick", form); status != 303 {
			t.Fatalf("%d %.300s", status, body)
		}
	}
	take("pupils", 1280, 1100, s.tunePath(t, 1)+"/sheets", func(b *tab) { b.until("document.querySelector('.lesson')") })
	take("licks", 1280, 800, "/licks", nil)
}

// keymap opens the list of keys: ? pressed shortly, which a busy machine might not manage between two messages to the browser.
func (b *tab) keymap() {
	b.t.Helper()
	eval[bool](b, `['keydown', 'keyup'].every((on) => (document.activeElement ?? document.body).dispatchEvent(new KeyboardEvent(on, { key: "?", bubbles: true, cancelable: true })) || true)`)
}

// tread presses switches of a pedal shortly, one after the other, at one moment of the page: how busy the machine is does not make them long.
func (b *tab) tread(keys ...string) {
	b.t.Helper()
	for i := range keys {
		keys[i] = quote(keys[i])
	}
	eval[bool](b, fmt.Sprintf(`[%s].every((key) => ['keydown', 'keyup'].every((on) => document.body.dispatchEvent(new KeyboardEvent(on, { key, bubbles: true, cancelable: true })) || true))`,
		strings.Join(keys, ", ")))
}
