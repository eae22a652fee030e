package web_test

import (
	"fmt"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"stepping/demo"
)

// TestWay: every page of a tune shows its way, one key leads to each place of it, and from the first page one
// comes back to where one left; a tune is deleted on its own page and brought back at once.
func TestWay(t *testing.T) {
	if testing.Short() {
		t.Skip("the long form walks the whole way")
	}
	t.Parallel()
	s := newSite(t)
	if err := demo.Month(t.Context(), s.store, s.owner, time.Now()); err != nil {
		t.Fatal(err)
	}
	path := s.tunePath(t, 1)
	b := newTab(t, s, 1280, 800)
	b.open("/")
	if said := b.text("main"); !strings.Contains(said, "Today, 30 minutes") || !strings.Contains(said, "strings to turn") ||
		!strings.Contains(said, "steps learnt") {
		t.Errorf("%.600s", said)
	}
	b.open(path)
	for i, want := range []string{"/text", "/suit", "", "/hear", "/practise", "/take"} {
		if here := s.page(t, path+want).Find(".way [aria-current]"); here.AttrOr("data-way", "") != fmt.Sprint(i+1) ||
			here.AttrOr("href", "") != path+want {
			t.Errorf("%s is %s on the way, by key %s", want, here.AttrOr("href", ""), here.AttrOr("data-way", ""))
		}
		if i > 1 {
			continue // keys are alike
		}
		b.key(fmt.Sprint(i+1), chromedp.KeyModifiers(chromedp.ModifierShift))
		b.until("location.pathname === '" + path + want + "' && document.querySelector('.way [aria-current]')?.dataset.way === '" + fmt.Sprint(i+1) + "'")
	}
	b.open(path) // the keys of a page are listed by ?, and what is beneath does not hear them meanwhile
	b.until("document.querySelector('ul.why')")
	b.keymap()
	b.until("document.getElementById('keymap').open")
	b.accessible("the keys")
	if said := b.text("#keymap"); !strings.Contains(said, "Compare") ||
		!strings.Contains(said, "the moment before, the next one") || !strings.Contains(said, "Practise") {
		t.Errorf("%.500s", said)
	}
	b.key(kb.ArrowDown)
	b.key("?")
	b.until("!document.getElementById('keymap').open && document.querySelector('.col-cursor').getAttribute('y') < 40")
	for key, want := range map[string]string{"D": "/today", "P": "/profiles", "G": "/bench", "S": "/slides", "A": "/patterns",
		"C": "/chords", "E": "/set", "T": "/"} { // the shelf
		if here := s.page(t, want).Find(".top nav [aria-current]"); here.AttrOr("data-shelf", "") != key || here.AttrOr("href", "") != want {
			t.Errorf("%s is %s on the shelf, by key %s", want, here.AttrOr("href", ""), here.AttrOr("data-shelf", ""))
		}
		if key != "D" && key != "E" {
			continue
		}
		b.key(key, chromedp.KeyModifiers(chromedp.ModifierShift))
		b.until("location.pathname === '" + want + "' && document.querySelector('.top nav [aria-current]')?.dataset.shelf === '" + key + "'")
	}
	b.open("/chords?c=D+%7C+G&tuning=Open+D")
	b.do(chromedp.SetValue("#page-name", "Two chords"), chromedp.Submit("#page-name"))
	b.until("document.querySelector('.kept-page a')?.textContent === 'Two chords' && document.querySelector('.grip-chord').textContent === 'D'")
	b.do(chromedp.Click(".kept-page form .act"))
	b.until("location.pathname === '/chords' && !document.querySelector('.kept-page')")
	b.open(path + "/hear?bars=1-2")
	b.open("/")
	b.until("document.querySelector('[data-tune=\"" + strings.Split(path, "/")[2] + "\"]').getAttribute('href').endsWith('/hear?bars=1-2')")

	b.expect() // an address of the tune that is not there is no place to come back to
	b.open(path + "/takes/none")
	b.open("/")
	b.until("document.querySelector('[data-tune=\"" + strings.Split(path, "/")[2] + "\"]').getAttribute('href').endsWith('/hear?bars=1-2')")
	b.open(path + "/text")
	b.do(chromedp.Click(".take-drop summary"))
	b.do(chromedp.Click(".take-drop .act-warn"))
	b.until("document.querySelector('.gone') && document.querySelectorAll('.tune').length === 2")
	b.accessible("after a deletion")
	b.do(chromedp.Click(".gone .act"))
	b.until("location.pathname === '" + path + "' && document.querySelector('.column')")
}

// TestManyTunes: a long list is searched and brought into order; with no tune at all a demo tune is one press away.
func TestManyTunes(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	for i := range 12 {
		if status, body, _ := s.ask(t, "POST", "/tunes", url.Values{"tuning": {[]string{"Standard", "Open C"}[i%2]},
			"abc": {fmt.Sprintf("T:Number %02d\nM:4/4\nL:1/8\nK:D\n\"D\"D F A d A F D2|", 12-i)}}); status != 303 {
			t.Fatal(status, body)
		}
	}
	order := func(query string) (titles []string) {
		_, body, _ := s.ask(t, "GET", "/"+query, nil)
		for _, part := range strings.Split(body, `class="tune-title">`)[1:] {
			title, _, _ := strings.Cut(part, "<")
			titles = append(titles, title)
		}
		return titles
	}
	if all := order(""); len(all) != 15 || all[3] != "Number 12" {
		t.Errorf("as added: %v", all)
	}
	if all := order("?sort=title"); all[0] != "Coal Smoke Morning" || all[2] != "Number 01" {
		t.Errorf("by title: %v", all)
	}
	if all := order("?sort=near"); !strings.HasPrefix(all[0], "Number") {
		t.Errorf("nearest first: %v", all)
	}
	if some := order("?find=open+c"); len(some) != 6 {
		t.Errorf("in open C: %v", some)
	}
	tagged := s.tunePath(t, 4)
	for tags, want := range map[string]int{"Slow,  late  night , slow": 303, strings.Repeat("x", 25): 422, "a,b,c,d,e,f,g,h,i": 422} {
		if status, body, _ := s.ask(t, "POST", tagged+"/tags", url.Values{"tags": {tags}}); status != want || want == 422 &&
			!strings.Contains(body, `value="`+tags+`"`) {
			t.Errorf("tags %q: %d", tags, status)
		}
	}
	if some := order("?find=late+night"); len(some) != 1 || some[0] != "Number 11" {
		t.Errorf("tagged: %v", some)
	}
	if status, body, _ := s.ask(t, "GET", "/?find=%3Cscript%3E&sort=zzz&gone=x", nil); status != 200 ||
		strings.Contains(body, "<script>\"") || !strings.Contains(body, "0 of 15") {
		t.Errorf("a search for nothing: %d", status)
	}
	tunes, err := s.store.Tunes(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	for i := range tunes {
		if err := s.store.DeleteTune(t.Context(), s.owner, tunes[i].ID); err != nil {
			t.Fatal(err)
		}
	}
	b := newTab(t, s, 1280, 800)
	b.open("/")
	b.accessible("an empty first page")
	if n := eval[int](b, "document.querySelectorAll('.sample .stand-figure').length"); n < 4 {
		t.Errorf("the answered bar has %d figures", n)
	}
	if status, wav, header := s.ask(t, "GET", "/sample.wav", nil); status != 200 || len(wav) < 10000 || header.Get("Content-Type") != "audio/wav" {
		t.Errorf("the answered bar does not sound: %d, %d bytes of %s", status, len(wav), header.Get("Content-Type"))
	}
	b.do(chromedp.Click("form[action='/demo-tune'] .act"))
	b.until("location.pathname.startsWith('/tunes/') && document.querySelector('.column')")
}
