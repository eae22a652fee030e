package web_test

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"stepping/core/pattern"
	"stepping/core/player"
	"stepping/demo"
	"stepping/store"
)

// pagesOf are the addresses of all pages that a site has, by walking its routes; those that answer with files are left out.
func (s *site) pagesOf(t *testing.T) (out []string) {
	t.Helper()
	if err := demo.Month(t.Context(), s.store, s.owner, time.Now()); err != nil {
		t.Fatal(err)
	}
	guitar, slide := s.shelved(t)
	pattern, err := s.store.Patterns().Add(t.Context(), s.owner, &pattern.Library[0])
	if err != nil {
		t.Fatal(err)
	}
	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	lick := s.taught(t, profiles)
	things := map[string]string{"tunes": strings.TrimPrefix(s.tunePath(t, 1), "/tunes/"),
		"guitars": strings.TrimPrefix(guitar, "/guitars/"), "slides": strings.TrimPrefix(slide, "/slides/"),
		"patterns": pattern.String(), "licks": lick, "profiles": profiles[0].ID.String()}
	for _, route := range s.app.Routes() {
		method, path, _ := strings.Cut(route, " ")
		kind := strings.Split(path, "/")[1]
		at := strings.NewReplacer(":id", things[kind], ":m", "0").Replace(path)
		last := path[strings.LastIndex(path, "/")+1:]
		if method != "GET" || strings.ContainsAny(at, ":*") || strings.Contains(last, ".") || last == "progress" ||
			last == "metrics" || strings.HasSuffix(last, "z") || strings.HasSuffix(path, "/at/:m") {
			continue
		}
		out = append(out, at)
	}
	return out
}

// taught gives the second tune sheets for both players and a remark, and keeps a lick of it, whose key it returns.
func (s *site) taught(t *testing.T, profiles []store.Profile) string {
	t.Helper()
	tune := s.tunePath(t, 1)
	form := url.Values{"had": {"null"}}
	for _, p := range profiles {
		form.Add("pupil", p.ID.String())
		form.Set("level-"+p.ID.String(), "Half way")
	}
	for path, form := range map[string]url.Values{"/sheets": form, "/remark": {"bar": {"2"}, "remark": {"Count this bar aloud"}}} {
		if status, body, _ := s.ask(t, "POST", tune+path, form); status != 303 {
			t.Fatalf("%s: %d %.300s", path, status, body)
		}
	}
	status, body, header := s.ask(t, "POST", tune+"/lick", url.Values{"first": {"1"}, "last": {"2"}, "name": {"Bucket one"}, "tags": {"rag"}})
	if status != 303 {
		t.Fatalf("a lick: %d %.300s", status, body)
	}
	return strings.TrimPrefix(header.Get("Location"), "/licks/")
}

// small lists what is to be pressed and is less than 44 pixels high or wide; links within text may be.
const small = `[...document.querySelectorAll('button, select, input:not([type=hidden], [type=checkbox], [type=radio], [type=range]), summary, .act, nav a')]
	.filter((e) => e.getClientRects().length && getComputedStyle(e).visibility !== 'hidden' && !e.closest('.skip'))
	.map((e) => [e.closest('td') ? 38 : 44, e.getBoundingClientRect(), e.outerHTML.replace(/\s+/g, ' ').slice(0, 110)])
	.filter(([least, r]) => r.height < least - 0.5 || r.width < least - 6.5).map(([, r, text]) => Math.round(r.width) + 'x' + Math.round(r.height) + ' ' + text).slice(0, 4)`

// TestEveryPage walks over all pages once and asks everything of each: axe finds nothing, for a left-handed player as well;
// what is to be pressed is large enough; none is wider than its screen, from a narrow phone to a wide one, at the usual size and
// at the larger. It looks at colours too, in daylight and in a dim room; TestContrast does so in the short form.
func TestEveryPage(t *testing.T) {
	if testing.Short() {
		t.Skip("opens every page eight times")
	}
	t.Parallel()
	s := newSite(t)
	pages := s.pagesOf(t)
	if len(pages) < 25 {
		t.Fatalf("only %d pages: %q", len(pages), pages)
	}
	for _, leaf := range []string{"why", "elsewhere", "silence", "pace", "vary", "setup"} {
		pages = append(pages, s.tunePath(t, 0)+"?m=6&wait=1&leaf="+leaf)
	}
	s.leftHanded(t)
	s.longTitles(t)
	b := newTab(t, s, 1280, 800)
	b.expect() // some pages have nothing to show
	b.open("/")
	for _, look := range []string{"light", "dim"} {
		eval[string](b, fmt.Sprintf("document.cookie = 'look=%s; path=/'", look))
		for _, page := range pages {
			b.open(page)
			b.accessible(look + " " + page)
			if n := eval[int](b, "document.querySelectorAll('#keymap li').length"); n != 3 {
				t.Errorf("%s: help says %d things to do", page, n)
			}
			b.widths(page)
			if few := eval[[]string](b, small); len(few) > 0 {
				t.Errorf("%s: too small to be pressed: %s", page, strings.Join(few, "\n\t"))
			}
		}
	}
	// Mirrored, fret 1 lies to the right of fret 3, string 1 to the left of string 6, and words are still read from the left.
	b.open(s.tunePath(t, 1))
	if got := eval[[]float64](b, `[...document.querySelectorAll('.neck .fret-no')].map((e) => e.getBoundingClientRect().x)`); len(got) < 3 || got[0] < got[2] {
		t.Errorf("the frets of a left-handed neck lie at %v", got)
	}
	if !eval[bool](b, `[...document.querySelectorAll('.neck text, .column text')].every((e) => e.getScreenCTM().a > 0)`) {
		t.Error("words are mirrored")
	}
	b.do(chromedp.EmulateViewport(390, 844)) // there the strings from the front are seen, too
	if got := eval[[]float64](b, `[...document.querySelectorAll('.front li')].map((e) => e.getBoundingClientRect().x)`); got[0] < got[5] {
		t.Errorf("strings 6 to 1 from the front lie at %v", got)
	}
}

// longTitles gives every tune a title that nothing breaks.
func (s *site) longTitles(t *testing.T) {
	t.Helper()
	tunes, err := s.store.Tunes(t.Context(), s.owner)
	for i := range tunes {
		if err == nil {
			err = s.store.SaveSource(t.Context(), s.owner, tunes[i].ID, tunes[i].Version, strings.Repeat("Unbroken", 20), tunes[i].Source)
		}
	}
	if err != nil {
		t.Fatal(err)
	}
}

// leftHanded makes the owner's first player left-handed.
func (s *site) leftHanded(t *testing.T) {
	t.Helper()
	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err == nil {
		left := profiles[0].Profile
		left.LeftHanded = true
		err = s.store.SaveProfile(t.Context(), s.owner, profiles[0].ID, profiles[0].Version, left)
	}
	if err != nil {
		t.Fatal(err)
	}
}

// widths looks at the page that is open at every width, at both sizes, without loading it again: the size is an attribute.
func (b *tab) widths(page string) {
	b.t.Helper()
	all := map[string][]int64{"": {320, 390, 1024, 1920}, "large": {390, 1024, 1920}}
	if testing.Short() {
		all = map[string][]int64{"": {320}}
	}
	for size, widths := range all {
		eval[bool](b, "(document.documentElement.dataset.size = "+quote(size)+", true)")
		for _, w := range widths {
			b.do(chromedp.EmulateViewport(w, 844))
			if got := eval[int64](b, "document.documentElement.scrollWidth"); got > w {
				b.t.Errorf("%s at %d, size %q: %d wide", page, w, size, got)
			}
		}
	}
	b.do(chromedp.EmulateViewport(1280, 800))
	eval[bool](b, "(document.documentElement.dataset.size = '', true)")
}

// TestAtOnce: a left-handed player's picture is mirrored as soon as that player is chosen; Space plays after a button was
// clicked; the list of keys reads as words and opens at its beginning.
func TestAtOnce(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	left := player.Default()
	left.Name, left.LeftHanded = "Left", true
	id, err := s.store.AddProfile(t.Context(), s.owner, left)
	if err != nil {
		t.Fatal(err)
	}
	b := newTab(t, s, 1280, 800)
	b.open(s.tunePath(t, 0) + "?leaf=setup")
	b.do(chromedp.SetValue("#profile", id.String()))
	b.until(`new DOMMatrix(getComputedStyle(document.querySelector('.neck svg')).transform).a === -1`)
	b.do(chromedp.Click("button[data-key=u]"))
	b.until(`new DOMMatrix(getComputedStyle(document.querySelector('.neck svg')).transform).a === 1`)
	b.do(chromedp.Click(".deck > .ear [data-ear=faster]"))
	b.key(" ")
	b.until("document.querySelector('#lectern')._x_dataStack[0].audio")
	b.key(" ")
	b.keymap()
	b.until("document.querySelector('#keymap').open")
	if got := eval[[]string](b, `[...document.querySelectorAll('#keymap dd')].map((e) => e.textContent)`); !slices.Contains(got, "Variations") ||
		!slices.ContainsFunc(got, func(s string) bool { return strings.HasPrefix(s, "Other places") }) || !slices.Contains(got, "Setup") {
		t.Errorf("the list of keys reads %q", got)
	}
	if !eval[bool](b, "document.querySelector('#keymap').scrollTop === 0 && document.activeElement.id === 'keymap-title'") {
		t.Error("the list of keys does not open at its beginning")
	}
}

// TestSigns: a sign says what it means under the pointer, at the keyboard's focus and under a finger that
// stays, which then is no press; l shows all of them.
func TestSigns(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open(s.tunePath(t, 0) + "?m=6")
	point := func(event, sel, kind string) {
		t.Helper()
		if !eval[bool](b, fmt.Sprintf(`(() => {
			const r = document.querySelector(%s).getBoundingClientRect(), at = { clientX: r.x + r.width / 2, clientY: r.y + r.height / 2, bubbles: true, cancelable: true, pointerType: %s };
			const el = document.elementFromPoint(at.clientX, at.clientY);
			return el ? el.dispatchEvent(new (%s === 'click' ? MouseEvent : PointerEvent)(%s, at)) || true : false;
		})()`, quote(sel), quote(kind), quote(event), quote(event))) {
			t.Fatalf("nothing is at %s", sel)
		}
	}
	says := func(words string) {
		t.Helper()
		b.until("!document.getElementById('tip').hidden && document.getElementById('tip').textContent.includes(" + quote(words) + ")")
	}
	at := eval[float64](b, "document.querySelector('#lectern')._x_dataStack[0].data.at")
	sign := fmt.Sprintf(".col-hit[data-moment=\"%.0f\"]", at)
	point("pointermove", ".bars .bar", "mouse")
	says("Bar 1")
	b.accessible("a sign explained")
	mark := eval[string](b, `(() => { const r = document.querySelector('`+sign+`').getBoundingClientRect(); const m = [...document.querySelectorAll('.column .mark-slide, .column .mark-open')].find((e) => Math.abs(e.getBoundingClientRect().y + e.getBoundingClientRect().height / 2 - r.y - r.height / 2) < 4); m.id = 'the-mark'; return m.parentElement.dataset.tip; })()`)
	if !strings.Contains(mark, "String ") {
		t.Errorf("a stroke says %q", mark)
	}
	point("pointermove", "#the-mark", "mouse")
	says(mark)
	point("pointerdown", "#the-mark", "touch")
	says(mark)
	point("click", "#the-mark", "touch")
	if now := eval[float64](b, "document.querySelector('#lectern')._x_dataStack[0].data.at"); now != at {
		t.Errorf("a finger that asks has moved the cursor from %v to %v", at, now)
	}
	b.key("l")
	b.until("document.getElementById('signs').open")
	b.accessible("all signs")
	if !strings.Contains(b.text("#signs"), "played together") {
		t.Error("the signs are not told")
	}
}

// TestWholeTune: all bars stand on one page, the pedal turns it line by line, the cursor follows the sound, and
// the way back leads to the same bar.
func TestWholeTune(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open(s.tunePath(t, 0) + "?m=9")
	b.key("z")
	b.until("location.pathname.endsWith('/whole') && document.querySelector('#whole')._x_dataStack")
	here := "Number(document.querySelector('.paper-bar-link.is-here').dataset.bar)"
	lines := eval[[]int](b, "[...document.querySelectorAll('.paper-line')].map((l) => Number(l.querySelector('[data-bar]').dataset.bar))")
	if bars := eval[int](b, "document.querySelectorAll('.paper-bar-link').length"); bars != 16 || len(lines) < 3 {
		t.Fatalf("%d bars in lines from %v", bars, lines)
	}
	b.key(kb.Home)
	b.key(kb.PageDown)
	b.key(kb.PageDown)
	b.until(fmt.Sprintf("%s === %d && Math.abs(document.querySelectorAll('.paper-line')[2].getBoundingClientRect().top) < 400", here, lines[2]))
	b.key(kb.PageUp)
	b.key(kb.ArrowRight)
	b.until(fmt.Sprintf("%s === %d", here, lines[1]+1))
	b.key(" ")
	b.until(fmt.Sprintf("%s > %d", here, lines[1]+1)) // as it sounds
	b.key(" ")
	at := eval[int](b, here)
	b.key("z")
	b.until(fmt.Sprintf("location.pathname.split('/').length === 3 && document.querySelector('.when b').innerText === '%d'", at))
}
