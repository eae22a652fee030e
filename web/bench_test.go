package web_test

import (
	"net/url"
	"strings"
	"testing"

	"github.com/PuerkitoBio/goquery"
	"github.com/chromedp/chromedp/kb"
)

// TestRetuning goes through a whole retuning and keeps what the guitar is in then; the pedal turns the steps.
func TestRetuning(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	const start = "/bench?to=Open+D"
	at, steps := start, 0
	page := s.page(t, at)
	if got := text(page.Find(".turn-to")); got != "down 2 to D4" {
		t.Errorf("the first turn is %q", got)
	}
	for ; steps < 30 && page.Find(".turn form").Length() == 0; steps++ {
		at = page.Find("a[data-keys~=PageDown]").AttrOr("href", "")
		page = s.page(t, at)
	}
	if steps != 4+6 {
		t.Errorf("%d steps: four strings and all six again", steps)
	}
	b := newTab(t, s, 1280, 800)
	b.open(start)
	b.ready(`document.querySelector('.turn')`)
	b.key(kb.PageDown)
	b.ready(`location.search !== '?to=Open+D' && document.querySelector('.turn')`)
	b.open(at)
	b.ready(`document.querySelector('.turn form')`)
	b.key(kb.Enter)
	b.ready(`document.querySelector('#from').value === 'Open D'`)
	guitars, err := s.store.Guitars().All(t.Context(), s.owner)
	if err != nil || len(guitars) != 1 || guitars[0].Doc.Tuning != "Open D" {
		t.Errorf("%v %+v", err, guitars)
	}
}

// TestOwnTunings: a tuning of one's own is told what it is near to, and what a string bears is said at its field.
func TestOwnTunings(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	page := s.page(t, "/bench?to=D2+A2+D3+F%233+A3+E4")
	if got := text(page.Find(".head-facts")); !strings.Contains(got, "one string away from Open D: string 1") {
		t.Errorf("%q", got)
	}
	for _, want := range []string{"one string away from Open D", "Open D's shape"} {
		page = s.page(t, page.Find(`[aria-label="String 1 a half step lower"]`).AttrOr("href", ""))
		if got := text(page.Find(".head-facts")); !strings.Contains(got, want) {
			t.Errorf("%q does not say %q", got, want)
		}
	}
	status, body, _ := s.ask(t, "GET", "/bench?from=Standard&to=E2+A2+D3+G3+B3+C5", nil)
	page = read(t, body)
	if got := text(page.Find("#bench-fault")); status != 422 || !strings.Contains(got, "would break before it gets there") ||
		page.Find("#to").AttrOr("value", "") != "E2 A2 D3 G3 B3 C5" {
		t.Errorf("%d %q", status, got)
	}
	page = s.page(t, "/bench?from=G2+D3+G3+B3+D4&to=G2+C3+G3+C4+D4&scale=blues")
	if necks := page.Find(".neck-map"); necks.Length() != 2 || necks.First().Find(".map-string").Length() != 5 {
		t.Errorf("%d necks of %d strings: two of five each are wanted", necks.Length(), necks.First().Find(".map-string").Length())
	}
}

// TestGuitars: gauges are typed string by string; a five-string guitar is tuned like any other; what cannot be is told at its
// field and kept; a player plays the guitar.
func TestGuitars(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	guitar, _ := s.shelved(t)
	page := s.page(t, guitar)
	for _, tt := range []struct {
		fields      url.Values
		id, want    string
		field, kept string
	}{
		{url.Values{"scaleMm": {"90"}}, "scaleMm-fault", "90 is outside 300 to 800", "scaleMm", "90"},
		{url.Values{"scaleMm": {"630"}, "tuning": {"G2 D3 G3 B3 D4"}, "strings": {"12 16 24w 32w"}}, "strings-fault",
			"4 are described, the tuning has 5", "strings", "12 16 24w 32w"},
	} {
		status, wrong, _ := s.send(t, page, guitar, tt.fields)
		if got := text(wrong.Find("#" + tt.id)); status != 422 || !strings.Contains(got, tt.want) ||
			wrong.Find("#"+tt.field).AttrOr("value", "") != tt.kept {
			t.Errorf("%d %q, %q", status, got, wrong.Find("#"+tt.field).AttrOr("value", ""))
		}
		page = wrong
	}
	status, page, _ := s.send(t, page, guitar, url.Values{"strings": {"12 16 24w 32w 42w"}, "nutMm": {"30"}})
	if status != 303 || page.Find("#from").Length() != 1 {
		t.Errorf("%d: %s", status, text(page.Find("main")))
	}
	s.send(t, s.page(t, guitar), "/play", nil)
	if p, err := s.store.Profiles(t.Context(), s.owner); err != nil || p[0].Profile.Instrument.ScaleMM != 630 || p[0].Profile.Instrument.NutMM != 30 {
		t.Errorf("%v %+v", err, p)
	}
}

// TestSlideShelf makes a slide, is refused one that cannot be, wears it, and compares the shelf on a tune.
func TestSlideShelf(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	shelf := s.page(t, "/slides")
	before := shelf.Find(".slide-card").Length()
	_, page, slide := s.send(t, shelf, "/slides", nil)
	bottle := url.Values{"name": {"Old bottle"}, "slide.lengthMm": {"900"}, "slide.boreMm": {"21"}, "slide.wallMm": {"5"}, "slide.material": {"glass"}}
	status, page, _ := s.send(t, page, slide, bottle)
	if got := page.Find(`[name="slide.lengthMm"]`).AttrOr("value", "") + page.Find("#name").AttrOr("value", ""); status != 422 || got != "900Old bottle" ||
		page.Find(`[id="slide.lengthMm-fault"]`).Length() != 1 {
		t.Errorf("%d: what was typed is lost: %q", status, got)
	}
	bottle.Set("slide.lengthMm", "35")
	_, shelf, _ = s.send(t, page, slide, bottle)
	if got := shelf.Find(".slide-card").Length(); got != before+1 {
		t.Errorf("%d slides, %d before", got, before)
	}
	_, shelf, _ = s.send(t, shelf.Find(`[aria-label="Old bottle"]`), "/wear", nil)
	if shelf.Find(`[aria-label="Old bottle"].is-worn`).Length() != 1 {
		t.Error("it is not worn")
	}
	p, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil || p[0].Profile.Slide.LengthMM != 35 || p[0].Profile.Slide.Material != "glass" {
		t.Errorf("%v %+v", err, p[0].Profile.Slide)
	}
	page = s.page(t, s.tunePath(t, 0)+"/slides")
	if rows, now := page.Find(".ranking tbody tr").Length(), text(page.Find(".is-now")); rows != 3*(before+1) ||
		page.Find(".is-now").Length() != 1 || !strings.Contains(now, "Old bottle") || !strings.Contains(now, "little finger") {
		t.Errorf("%d rows, now %q", rows, now)
	}
}

// TestSet orders the demo tunes, and keeps the one that is asked to close.
func TestSet(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	page := s.page(t, "/set")
	first := text(page.Find(".set-line .set-title").First())
	ids, titles := []string{}, map[string]string{}
	page.Find("#closer option").Slice(1, goquery.ToEnd).Each(func(_ int, o *goquery.Selection) {
		ids, titles[text(o)] = append(ids, o.AttrOr("value", "")), o.AttrOr("value", "")
	})
	orderOf := func(page *goquery.Selection) []string {
		return page.Find(".set-title").Map(func(_ int, e *goquery.Selection) string { return text(e) })
	}
	_, page, _ = s.send(t, page, "/set", url.Values{"closer": {titles[first]}})
	if order := orderOf(page); order[len(order)-1] != first {
		t.Errorf("%q is to close: %q", first, order)
	}
	// Two pairs hold three tunes together in one order or its reverse.
	page = s.page(t, "/set?guitars=1&t="+strings.Join(ids, "&t=")+"&beside="+ids[0]+"&next="+ids[2]+"&beside="+ids[2]+"&next="+ids[1])
	if said := text(page.Find(".set")); strings.Contains(said, "not here any more") {
		t.Errorf("tunes are missed: %.200s", said)
	}
	if order := orderOf(page); len(order) != 3 || titles[order[1]] != ids[2] || page.Find("[name=beside]").Length() != 3 {
		t.Errorf("%v", order)
	}
	if n := page.Find(".set-strings li").Length(); n < 5 || page.Find(".set-strings .is-danger").Length() == 0 {
		t.Errorf("%d turns are drawn, or none as dangerous", n)
	}
	if got := text(page.Find(".head-facts")); !strings.Contains(got, "No other order needs less retuning") {
		t.Errorf("%q", got)
	}
	page = s.page(t, "/set?guitars=1&t="+ids[0]+"&t=01a21ba0-8316-75f8-9752-b1ac6b472a13")
	if said := text(page.Find(".set .notice")); !strings.Contains(said, "1 tune of this set is no longer here") {
		t.Errorf("a tune that is gone is not told: %q", said)
	}
}

// TestSuits ranks the tunings of a tune, stops half way, goes on to the proof, and takes a way.
func TestSuits(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open("/")
	b.add("T:Short try\nM:4/4\nL:1/4\nQ:1/4=80\nK:D\n\"D\"d A F2|\"G\"B4|")
	b.until(`location.pathname.startsWith('/tunes/')`)
	path := eval[string](b, `location.pathname`)
	b.open(path + "/suit?key=any")
	b.ready(`document.getElementById('ranking')`)
	b.key(kb.Enter)
	b.ready(`document.querySelectorAll('.ranking tbody tr').length > 1`)
	b.key(kb.Escape)
	b.ready(`!document.querySelector('[data-running]') && document.querySelectorAll('.ranking tbody tr').length > 1`)
	stopped := !strings.Contains(b.text("#ranking"), "proved")
	eval[bool](b, `window.left = true`) // this page may say "are certain" already: wait for the next
	b.key(kb.Enter)
	b.ready(`!window.left && document.getElementById('ranking').textContent.includes('are certain')`)
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
	if eval[bool](b, `(() => { const v = [...document.querySelectorAll('.ranking tbody tr')].map((r) => parseFloat(r.cells[7].textContent) || 1e9); return v.some((x, i) => i && x > v[i - 1]); })()`) {
		t.Error("not sorted by what they hold up to")
	}
	b.open(path + "/suit?key=any")
	b.ready(`document.querySelector('.ranking')`)
	want := eval[string](b, `document.querySelector('.suits-way form:has(button:not(:disabled)) [name=tuning]').value`)
	eval[bool](b, `(document.querySelector('.suits-way form button:not(:disabled)').click(), true)`)
	b.until(`document.querySelector('#tuning')?.value === '` + want + `'`)
}
