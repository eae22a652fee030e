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
	if got := b.text("#bench-fault"); !strings.Contains(got, "would break before it gets there") ||
		eval[string](b, `document.getElementById('to').value`) != "E2 A2 D3 G3 B3 C5" {
		t.Errorf("%q", got)
	}
	b.open("/guitars/" + guitars[0].ID.String())
	eval[bool](b, `(document.getElementById('scaleMm').value = '90', document.querySelector('.profile-form').submit(), true)`)
	b.until(`document.querySelector('.fault')`)
	if got := b.text("#scaleMm-fault"); !strings.Contains(got, "90 is outside 300 to 800") ||
		eval[string](b, `document.getElementById('scaleMm').value`) != "90" {
		t.Errorf("%q", got)
	}
	// Gauges are typed string by string; a five-string guitar is tuned like any other.
	b.accessible("a guitar")
	set := func(fields map[string]string) {
		for id, v := range fields {
			eval[bool](b, `(document.getElementById('`+id+`').value = '`+v+`', true)`)
		}
		eval[bool](b, `(document.querySelector('.profile-form').submit(), true)`)
	}
	set(map[string]string{"scaleMm": "630", "tuning": "G2 D3 G3 B3 D4", "strings": "12 16 24w 32w"})
	b.until(`document.querySelector('#strings-fault')`)
	if got := b.text("#strings-fault"); !strings.Contains(got, "4 are described, the tuning has 5") {
		t.Errorf("%q", got)
	}
	set(map[string]string{"strings": "12 16 24w 32w 42w", "nutMm": "30"})
	b.ready(`document.querySelector('.turn')`)
	b.open("/bench?to=G2+C3+G3+C4+D4&scale=blues")
	if got := eval[int](b, `document.querySelectorAll('.neck-map').length * 100 + document.querySelectorAll('.neck-map')[0].querySelectorAll('.map-string').length`); got != 205 {
		t.Errorf("%d: two necks of five strings each are wanted", got)
	}
	b.expect()
	b.open("/guitars/" + guitars[0].ID.String())
	eval[bool](b, `(document.querySelector('form[action$="/play"]').submit(), true)`)
	b.until(`document.querySelector('.players')`)
	if p, err := s.store.Profiles(t.Context(), s.owner); err != nil || p[0].Profile.Instrument.ScaleMM != 630 || p[0].Profile.Instrument.NutMM != 30 {
		t.Errorf("%v %+v", err, p)
	}
}

// TestSlideShelf makes a slide, is refused one that cannot be, wears it, and compares the shelf on a tune.
func TestSlideShelf(t *testing.T) {
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open("/slides")
	b.accessible("slides")
	before := eval[int](b, `document.querySelectorAll('.slide-card').length`)
	eval[bool](b, `(document.querySelector('main > form[action="/slides"][method=post]').submit(), true)`)
	b.until(`document.getElementById('slide.boreMm')`)
	fill := func(length string) {
		eval[bool](b, `(document.getElementById('name').value = 'Old bottle', document.getElementById('slide.lengthMm').value = '`+length+`', document.getElementById('slide.boreMm').value = '21', document.getElementById('slide.wallMm').value = '5',
			document.getElementById('slide.material').value = 'glass', document.querySelector('.profile-form').submit(), true)`)
	}
	b.expect()
	fill("900")
	b.until(`document.getElementById('slide.lengthMm-fault')`)
	if got := eval[string](b, `document.getElementById('slide.lengthMm').value + document.getElementById('name').value`); got != "900Old bottle" {
		t.Errorf("what was typed is lost: %q", got)
	}
	fill("35")
	b.until(`document.querySelector('.shelf')`)
	if got := eval[int](b, `document.querySelectorAll('.slide-card').length`); got != before+1 {
		t.Errorf("%d slides, %d before", got, before)
	}
	eval[bool](b, `(document.querySelector('[aria-label="Old bottle"] form').submit(), true)`)
	b.until(`document.querySelector('[aria-label="Old bottle"].is-worn')`)
	p, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil || p[0].Profile.Slide.LengthMM != 35 || p[0].Profile.Slide.Material != "glass" {
		t.Errorf("%v %+v", err, p[0].Profile.Slide)
	}
	b.open(s.tunePath(t, 0) + "/slides")
	if rows, now := eval[int](b, `document.querySelectorAll('.ranking tbody tr').length`),
		b.text(".is-now"); rows != 3*(before+1) || !strings.Contains(now, "Old bottle") || !strings.Contains(now, "little finger") {
		t.Errorf("%d rows, now %q", rows, now)
	}
}

// TestSuits ranks the tunings of a tune, stops half way, goes on to the proof, and takes a way.
func TestSuits(t *testing.T) {
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open("/")
	b.add("T:Short try\nM:4/4\nL:1/4\nQ:1/4=80\nK:D\n\"D\"d A F A|\"G\"B G d B|")
	b.until(`location.pathname.startsWith('/tunes/')`)
	path := eval[string](b, `location.pathname`)
	b.open(path + "/suit?key=any")
	b.ready(`document.getElementById('ranking')`)
	b.key(kb.Enter)
	b.ready(`document.querySelectorAll('.ranking tbody tr').length > 1`)
	b.key(kb.Escape)
	b.ready(`!document.querySelector('[data-running]') && document.querySelectorAll('.ranking tbody tr').length > 1`)
	stopped := !strings.Contains(b.text("#ranking"), "proved")
	eval[bool](b, `window.left = true`) // this page may say "are proved" already: wait for the next
	b.key(kb.Enter)
	b.ready(`!window.left && document.getElementById('ranking').textContent.includes('are proved')`)
	b.accessible("ranking")
	if !stopped {
		t.Log("the ranking was done before it could be stopped")
	}
	if got := b.text("#ranking"); !strings.Contains(got, "Standard") {
		t.Error("standard tuning is not in the list")
	}
	if n := eval[int](b, `document.querySelectorAll('.suits-way:first-child .first-bars text').length`); n < 8 {
		t.Errorf("the first bars show %d strokes", n)
	}
	if got := eval[string](b, `document.querySelector('.suits-way .small-neck').getAttribute('aria-label')`); !strings.Contains(got, "I under a bar at fret") {
		t.Errorf("home is not shown: %q", got)
	}
	b.open(path + "/suit?key=any&sort=ceiling")
	b.ready(`document.querySelector('.ranking')`)
	if eval[bool](b, `(() => { const v = [...document.querySelectorAll('.ranking tbody tr')].map((r) => parseFloat(r.cells[6].textContent) || 1e9); return v.some((x, i) => i && x > v[i - 1]); })()`) {
		t.Error("not sorted by what they hold up to")
	}
	b.open(path + "/suit?key=any")
	b.ready(`document.querySelector('.ranking')`)
	want := eval[string](b, `document.querySelector('.suits-way form:has(button:not(:disabled)) [name=tuning]').value`)
	eval[bool](b, `(document.querySelector('.suits-way form button:not(:disabled)').click(), true)`)
	b.until(`document.querySelector('#tuning')?.value === '` + want + `'`)
	b.open(path + "/slides")
	b.until(`document.querySelectorAll('.ranking tbody tr').length >= 9`)
	b.accessible("slides of a tune")
	if eval[int](b, `document.querySelectorAll('.is-now').length`) != 1 {
		t.Error("the player's own slide is not marked")
	}
}

// TestSet orders the demo tunes, and keeps the one that is asked to close.
func TestSet(t *testing.T) {
	b := newTab(t, newSite(t), 1280, 800)
	b.open("/set")
	b.accessible("set")
	first := b.text(".set-line .set-title")
	eval[bool](b, `(() => { const c = document.getElementById('closer'); c.value = [...c.options].find((o) => o.text === '`+first+`').value; c.form.submit(); return true; })()`)
	b.until(`[...document.querySelectorAll('.set-title')].at(-1).textContent === '` + first + `' && location.search.includes('closer')`)
	// Two pairs hold three tunes together in one order or its reverse.
	ids := eval[[]string](b, `[...document.querySelectorAll('#closer option')].slice(1).map((o) => o.value)`)
	titles := eval[map[string]string](b,
		`Object.fromEntries([...document.querySelectorAll('#closer option')].slice(1).map((o) => [o.text, o.value]))`)
	b.open("/set?guitars=1&t=" + strings.Join(ids, "&t=") + "&beside=" + ids[0] + "&next=" + ids[2] + "&beside=" + ids[2] + "&next=" + ids[1])
	if said := b.text(".set"); strings.Contains(said, "not here any more") {
		t.Errorf("tunes are missed: %.200s", said)
	}
	order := eval[[]string](b, `[...document.querySelectorAll('.set-title')].map((e) => e.textContent)`)
	if len(order) != 3 || titles[order[1]] != ids[2] || eval[int](b, `document.querySelectorAll('[name=beside]').length`) != 3 {
		t.Errorf("%v", order)
	}
	if n := eval[int](b, `document.querySelectorAll('.set-strings li').length`); n < 5 ||
		eval[int](b, `document.querySelectorAll('.set-strings .is-danger').length`) == 0 {
		t.Errorf("%d turns are drawn, or none as dangerous", n)
	}
	if got := b.text(".head-facts"); !strings.Contains(got, "No order takes less") {
		t.Errorf("%q", got)
	}
	b.open("/set?guitars=1&t=" + ids[0] + "&t=01a21ba0-8316-75f8-9752-b1ac6b472a13")
	if said := b.text(".set .notice"); !strings.Contains(said, "1 tune of this set is not here any more") {
		t.Errorf("a tune that is gone is not told: %q", said)
	}
}
