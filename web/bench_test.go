package web_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"
)

// TestRetuning goes through a whole retuning by pedal and keeps what the guitar is in then.
func TestRetuning(t *testing.T) {
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open("/bench?to=Open+D")
	b.ready(`document.querySelector('.turn')`)
	b.accessible("tuning bench")
	if got := b.text(".turn-to"); got != "down 2 to D4" {
		t.Errorf("the first turn is %q", got)
	}
	steps := 0
	for ; steps < 30 && !eval[bool](b, `!!document.querySelector('.turn form')`); steps++ {
		was := eval[string](b, `location.search`)
		b.key(kb.PageDown)
		b.ready(`location.search !== '` + was + `'`)
	}
	if steps != 4+6 {
		t.Errorf("%d steps: four strings and all six again", steps)
	}
	b.key(kb.Enter)
	b.ready(`document.querySelector('#from').value === 'Open D'`)
	guitars, err := s.store.Guitars().All(t.Context(), s.owner)
	if err != nil || len(guitars) != 1 || guitars[0].Doc.Tuning != "Open D" {
		t.Errorf("%v %+v", err, guitars)
	}
	// A tuning of one's own is told what it is near to, and what a string bears is said at its field.
	b.open("/bench?to=D2+A2+D3+F%233+A3+E4")
	if got := b.text(".head-facts"); !strings.Contains(got, "one string away from Open D: string 1") {
		t.Errorf("%q", got)
	}
	eval[bool](b, `(document.querySelector('[aria-label="String 1 a half step lower"]').click(), true)`)
	b.ready(`document.querySelector('#to').value.endsWith('D#4')`)
	eval[bool](b, `(document.querySelector('[aria-label="String 1 a half step lower"]').click(), true)`)
	b.ready(`document.querySelector('.head-facts').textContent.includes("Open D's shape")`)
	b.expect()
	b.open("/bench?from=Standard&to=E2+A2+D3+G3+B3+C5")
	if got := b.text("#bench-fault"); !strings.Contains(got, "would break before it gets there") || eval[string](b, `document.getElementById('to').value`) != "E2 A2 D3 G3 B3 C5" {
		t.Errorf("%q", got)
	}
	b.open("/guitars/" + guitars[0].ID.String())
	eval[bool](b, `(document.getElementById('scaleMm').value = '90', document.querySelector('.profile-form').submit(), true)`)
	b.until(`document.querySelector('.fault')`)
	if got := b.text(".fault"); !strings.Contains(got, "scaleMm: 90 is outside 300 to 800") || eval[string](b, `document.getElementById('scaleMm').value`) != "90" {
		t.Errorf("%q", got)
	}
}

// TestSuits ranks the tunings of a tune, stops half way, goes on to the proof, and takes a way.
func TestSuits(t *testing.T) {
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open("/")
	eval[bool](b, `(() => { document.getElementById('abc').value = 'T:Short try\nM:4/4\nL:1/4\nQ:1/4=80\nK:D\n"D"d A F A|"G"B G d B|'; document.querySelector('.add form').submit(); return true; })()`)
	b.until(`location.pathname.startsWith('/tunes/')`)
	path := eval[string](b, `location.pathname`)
	b.open(path + "/suit?key=any")
	b.ready(`document.getElementById('ranking')`)
	b.key(kb.Enter)
	b.ready(`document.querySelectorAll('.ranking tbody tr').length > 1`)
	b.key(kb.Escape)
	b.ready(`!document.querySelector('[data-running]') && document.querySelectorAll('.ranking tbody tr').length > 1`)
	stopped := !strings.Contains(b.text("#ranking"), "proved")
	b.key(kb.Enter)
	b.until(`document.getElementById('ranking').textContent.includes('are proved')`)
	b.accessible("ranking")
	if !stopped {
		t.Log("the ranking was done before it could be stopped")
	}
	if got := b.text("#ranking"); !strings.Contains(got, "Standard") {
		t.Error("standard tuning is not in the list")
	}
	if n := eval[int](b, `document.querySelectorAll('.ranking tbody tr:first-child .first-bars text').length`); n < 8 {
		t.Errorf("the first bars show %d strokes", n)
	}
	b.open(path + "/suit?key=any&sort=ceiling")
	b.ready(`document.querySelector('.ranking')`)
	if eval[bool](b, `(() => { const v = [...document.querySelectorAll('.ranking tbody tr')].map((r) => Number(r.cells[8].textContent) || 0); return v.some((x, i) => i && x > v[i - 1]); })()`) {
		t.Error("not sorted by what they hold up to")
	}
	b.open(path + "/suit?key=any")
	b.ready(`document.querySelector('.ranking')`)
	want := eval[string](b, `document.querySelector('.ranking tbody form [name=tuning]').value`)
	eval[bool](b, `(document.querySelector('.ranking tbody form button').click(), true)`)
	b.until(`document.querySelector('#tuning')?.value === '` + want + `'`)
	b.open(path + "/suit/../slides")
	b.until(`document.querySelectorAll('.ranking tbody tr').length >= 12`)
	b.accessible("slides")
	if eval[int](b, `document.querySelectorAll('.is-now').length`) != 1 {
		t.Error("the player's own slide is not marked")
	}
}

// TestSet orders the demo tunes, and keeps the one that is asked to close.
func TestSet(t *testing.T) {
	b := newTab(t, newSite(t), 1280, 800)
	b.open("/set")
	b.accessible("set")
	first := b.text(".set-order li .set-title")
	eval[bool](b, `(() => { const c = document.getElementById('closer'); c.value = [...c.options].find((o) => o.text === '`+first+`').value; c.form.submit(); return true; })()`)
	b.until(`[...document.querySelectorAll('.set-title')].at(-1).textContent === '` + first + `' && location.search.includes('closer')`)
	if got := b.text(".head-facts"); !strings.Contains(got, "No order takes less") {
		t.Errorf("%q", got)
	}
}
