package web_test

import (
	"net/url"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// ready waits until the page's script listens.
func (b *tab) ready(js string) {
	b.t.Helper()
	b.until(js)
	b.until(`document.querySelector('[x-data]')._x_dataStack`)
}

// TestChordsPage goes from a typed progression to its grips and a choice of one's own, by keys alone.
func TestChordsPage(t *testing.T) {
	t.Parallel()
	b := newTab(t, newSite(t), 1280, 800)
	b.open("/chords?" + url.Values{"c": {"G | C | D7 | G"}, "tempo": {"150"}, "pattern": {"Root and alternate"}}.Encode())
	b.ready(`true`)
	if got := b.text(".grip-chord"); got != "G" {
		t.Fatalf("the first chord is %q", got)
	}
	b.key(kb.ArrowRight)
	b.ready(`document.querySelector('.grip-chord').textContent === 'C'`)
	free := b.text(".grip-frets")
	want := eval[string](b, `document.querySelector('[data-keys="1"] .place-text').textContent.replace('1','').trim()`)
	b.key("1")
	b.ready(`document.querySelector('.span.is-here .pin-dot')`)
	if got := b.text(".grip-frets"); got != want || got == free {
		t.Errorf("the pinned grip is %q, want %q", got, want)
	}
	b.key("0")
	b.ready(`!document.querySelector('.pin-dot')`)
	if got := b.text(".grip-frets"); got != free {
		t.Errorf("let go it is %q, was %q", got, free)
	}
	b.key(kb.PageUp)
	b.ready(`document.querySelector('.grip-chord').textContent === 'G'`)
	if eval[bool](b, `!!document.querySelector('.early')`) {
		b.key("e")
		b.until(`location.search.includes('early=')`)
	}
	b.expect()
	b.open("/chords?c=G+|+Hx")
	if got := b.text("#chords-fault"); !strings.Contains(got, "Bar 2, column 5") {
		t.Errorf("fault %q", got)
	}
	if got := eval[string](b, `document.getElementById('c').value`); got != "G | Hx" {
		t.Errorf("what was typed is now %q", got)
	}
}

// TestPatternEditor makes a pattern of one's own by keyboard, sees what it becomes, is refused what a
// hand cannot do at its step, and uses the pattern in a tune.
func TestPatternEditor(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open("/patterns")
	eval[bool](b, `document.querySelector('.patterns form button').click() || true`)
	b.ready(`document.getElementById('editor')`)
	eval[bool](b, `document.querySelector('[name=f3][value=top]').focus() || true`)
	b.key(" ")
	b.until(`document.querySelectorAll('#preview .pick:not(.of-thumb)').length === 1`)
	b.key(kb.ArrowRight, chromedp.KeyModifiers(1))
	if got := eval[string](b, `document.activeElement.name`); got != "f4" {
		t.Errorf("Alt and an arrow lead to %q", got)
	}
	set := func(name, value string) {
		eval[bool](b, `(() => { const e = document.querySelector('[name=`+name+`]'); e.value = '`+value+`'; e.dispatchEvent(new Event('change', {bubbles: true})); return true; })()`)
	}
	set("h3", "slap")
	b.until(`document.querySelector('#preview .fault')?.textContent.includes('step 3')`)
	b.expect()
	eval[bool](b, `document.querySelector('#editor .act-main').click() || true`)
	b.ready(`document.querySelectorAll('.is-bad').length > 3`)
	set("t3", "")
	set("name", "Slapped steady")
	b.until(`document.querySelector('#preview .hit')`)
	// A number that would take all memory is a fault like any other.
	if got := eval[string](b, `(() => { const f = new URLSearchParams(new FormData(document.getElementById('editor'))); f.set('steps', '2147483648');
		const x = new XMLHttpRequest(); x.open('POST', document.getElementById('editor').dataset.preview, false); x.send(f); return x.status + ' ' + x.responseText })()`); !strings.HasPrefix(got, "200") || len(got) > 200_000 {
		b.t.Errorf("%d steps: %.300s", 2147483648, got)
	}
	eval[bool](b, `document.querySelector('#editor .act-main').click() || true`)
	b.ready(`location.search.includes('kept')`)
	own, err := s.store.Patterns().All(t.Context(), s.owner)
	if err != nil || len(own) != 1 || own[0].Doc.Name != "Slapped steady" || own[0].Doc.At(3).Hit != "slap" {
		t.Fatalf("%v %+v", err, own)
	}
	b.open(s.tunePath(t, 1)) // the rag, in 2/4 or 4/4
	eval[bool](b, `(() => { const e = document.getElementById('section'); e.value = [...e.options].find((o) => o.text.includes('Two-step (2/4)')).value; e.form.requestSubmit(); return true; })()`)
	b.until(`[...document.querySelectorAll('.pin-list li')].some((li) => li.textContent.includes('From bar 1'))`)
	b.key("v")
	b.until(`document.querySelector('#vary [data-key]')`)
	// The first note is taken out of the lick: its degrees are fewer, and what it becomes too.
	count := `document.querySelectorAll('.lick-note.is-chosen').length`
	all := eval[int](b, count)
	eval[bool](b, `(document.querySelector('.lick-note').focus(), true)`)
	b.key(kb.Enter)
	b.until(count + ` === ` + strconv.Itoa(all-1))
	if got := eval[string](b, `document.activeElement.className`); got != "lick-note" {
		t.Errorf("the keyboard is at %q after a note was taken out", got)
	}
	if twice := eval[[]string](b, `[...document.querySelectorAll('[data-key]')].filter((e) => !e.closest('.leaf[hidden]')).map((e) => e.dataset.key).filter((k, i, all) => all.indexOf(k) !== i)`); len(twice) > 0 {
		t.Errorf("keys that mean two things: %q", twice)
	}
	before := eval[string](b, "document.querySelector('.time').textContent")
	b.key(eval[string](b, "[...document.querySelectorAll('#vary [data-key]')].pop().dataset.key"))
	b.until(`[...document.querySelectorAll('.pin-list li')].some((li) => li.textContent.includes('has a different melody'))`)
	b.key("u")
	b.until(`![...document.querySelectorAll('.pin-list li')].some((li) => li.textContent.includes('has a different melody'))`)
	if got := eval[string](b, "document.querySelector('.time').textContent"); got != before {
		t.Error("undo does not bring the melody back")
	}
}
