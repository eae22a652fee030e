package web_test

import (
	"encoding/csv"
	"encoding/json"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
	"github.com/google/uuid"

	"stepping/demo"
)

// practised is a site whose player has practised for a month.
func practised(t *testing.T) *site {
	t.Helper()
	s := newSite(t)
	if err := demo.Month(t.Context(), s.store, s.owner, time.Now()); err != nil {
		t.Fatal(err)
	}
	return s
}

// logged is the log as it is taken away.
func (s *site) logged(t *testing.T) (out []struct {
	TuneID, Key, Layer, Verdict string
	Tempo, Seconds              float64
}) {
	t.Helper()
	status, body, _ := s.ask(t, "GET", "/log.json", nil)
	var doc map[string]json.RawMessage
	if err := json.Unmarshal([]byte(body), &doc); status != 200 || err != nil {
		t.Fatal(status, err)
	}
	if err := json.Unmarshal(doc["passes"], &out); err != nil {
		t.Fatal(err)
	}
	return out
}

// TestSitting: a whole sitting by the keys of a pedal: heard, played with the count, judged, and on to the next
// part, up to the stop that asks about pain; every verdict is in the log, a key pressed by mistake is taken
// back, and what is pressed is seen at once.
func TestSitting(t *testing.T) {
	if testing.Short() {
		t.Skip("plays a whole sitting in time")
	}
	t.Parallel()
	s := practised(t)
	before := len(s.logged(t))
	b := newTab(t, s, 1280, 800)
	b.open("/today?minutes=15")
	parts := eval[int](b, "document.querySelectorAll('.today-list li').length")
	b.key(kb.Enter)
	judged := 0
	for n := 1; n <= parts; n++ {
		b.until("document.querySelector('#sitting, .part')._x_dataStack")
		if eval[bool](b, "Boolean(document.querySelector('.part'))") {
			stop := eval[string](b, "document.querySelector('h1').textContent") == "Stop"
			if stop != (n == parts) {
				t.Errorf("part %d of %d: stop %v", n, parts, stop)
			}
			b.key(kb.PageDown)
			continue
		}
		if got := eval[string](b, "document.querySelector('.step-head b').textContent"); got != strconv.Itoa(n) {
			t.Errorf("part %q, not %d", got, n)
		}
		if n == 1 {
			s.passByPedal(t, b)
		}
		was := len(s.logged(t))
		b.key("1")
		b.until("['told', 'done'].includes(document.querySelector('.step').dataset.state)") // n goes on wherever the step stands
		if now := s.logged(t); len(now) != was+1 || now[len(now)-1].Seconds < 0 {
			t.Errorf("part %d: %d passes after %d", n, len(now), was)
		}
		judged++
		at := eval[string](b, "location.href")
		b.key("n")
		b.until("location.href !== " + quote(at) + " && document.querySelector('.step, .part')")
	}
	b.until("document.querySelector('.today')._x_dataStack")
	if got := len(s.logged(t)); got != before+judged {
		t.Errorf("%d passes, %d were judged", got-before, judged)
	}
	b.key(kb.Enter)
	b.until("document.querySelector('.step, .part')")

	// Of the longest step, too, the verdicts are in the window, above the pedal, and a whole line of what is played above them.
	b.open(s.tunePath(t, 0) + "/practise?step=tempo+1-16")
	edges := eval[[]float64](b, `['.stand', '.verdicts', '.pedal'].flatMap((part) => { const box = document.querySelector(part).getBoundingClientRect(); return [box.top, box.bottom]; })`)
	if !slices.IsSorted(edges) || edges[5] > 800 {
		t.Errorf("line, verdicts and pedal lie from top to bottom at %.0f", edges)
	}
}

// passByPedal hears a step, plays it, says by the pedal that it was clean, and takes that back; the keys change
// what they mean as they say.
func (s *site) passByPedal(t *testing.T, b *tab) {
	t.Helper()
	state := func(want, means string) {
		t.Helper()
		b.until(quote(want) + ".split(' ').includes(document.querySelector('.step').dataset.state)")
		if got := eval[string](b, "document.querySelector('.pad-main [data-means]').textContent"); got != means {
			t.Errorf("%s: Space means %q", want, got)
		}
	}
	state("ready", "hear it")
	b.tread("PageDown")
	state("hearing", "play it")
	b.until("document.querySelector('.step-beats .is-now')")
	b.tread("PageDown")
	state("playing", "stop")
	src := eval[string](b, "document.querySelector('#sitting')._x_dataStack[0].audio.src")
	if !regexp.MustCompile(`count=[2-6]&layers=(silence|click)$`).MatchString(src) {
		t.Error(src)
	}
	b.until("document.querySelector('.stand .is-now')")
	was := len(s.logged(t))
	b.key(" ")
	state("judging", "nearly")
	b.tread("PageDown")
	state("told done", "play it again")
	if got := s.logged(t); len(got) != was+1 {
		t.Errorf("%d passes after %d", len(got), was)
	}
	b.key(kb.Backspace)
	b.until("document.querySelector('.notice')?.textContent.includes('Undone: clean')")
	if got := s.logged(t); len(got) != was {
		t.Errorf("%d passes after one of %d was taken back", len(got), was+1)
	}
	// What a key does is seen before the server answers.
	ms := eval[float64](b, `(() => {
		const t = performance.now();
		document.body.dispatchEvent(new KeyboardEvent('keydown', { key: '2', bubbles: true }));
		return document.querySelector('.verdict.is-nearly').classList.contains('is-said') ? performance.now() - t : 1e9;
	})()`)
	t.Logf("figure: a verdict's key is seen after %.1f ms", ms)
	if ms >= 1e9 { // the key is answered before anything else is done
		t.Error("a key is seen only once the server has answered")
	}
	state("told done", "play it again")
	b.key(kb.Backspace)
	b.until("document.querySelector('.notice')?.textContent.includes('Undone: nearly')")
}

// TestPractisePages: without scripts verdicts are forms; what cannot be is told at its place; the log can be
// taken away, notes stand next to their bars, a day brings its tunes forward.
func TestPractisePages(t *testing.T) {
	t.Parallel()
	s := practised(t)
	path := s.tunePath(t, 1)
	_, page, _ := s.ask(t, "GET", path+"/practise", nil)
	key := regexp.MustCompile(`name="step" value="([^"]*)"`).FindStringSubmatch(page)[1]
	before := len(s.logged(t))
	status, _, header := s.ask(t, "POST", path+"/pass", url.Values{"step": {key}, "tempo": {"44"}, "verdict": {"nearly"}})
	if to := header.Get("Location"); status != 303 || !strings.HasPrefix(to, path+"/practise?step=") {
		t.Errorf("%d to %q", status, to)
	}
	for want, form := range map[int]url.Values{422: {"step": {key}, "tempo": {"44"}, "verdict": {"fine"}},
		409: {"step": {"dance 1-2"}, "tempo": {"44"}, "verdict": {"clean"}}} {
		if status, body, _ := s.ask(t, "POST", path+"/pass", form); status != want {
			t.Errorf("%v: %d %.200s", form, status, body)
		}
	}
	for _, tempo := range []string{"0", "1e9", "NaN", "fast"} {
		if status, _, _ := s.ask(t, "POST", path+"/pass", url.Values{"step": {key}, "tempo": {tempo}, "verdict": {"clean"}}); status != 422 {
			t.Errorf("tempo %s: %d", tempo, status)
		}
	}
	if _, body, _ := s.ask(t, "GET", path+"/practise?step=gone", nil); !strings.Contains(body, "The plan has changed") {
		t.Error("a step that is not there is not told")
	}
	_, file, _ := s.ask(t, "GET", "/log.csv", nil)
	rows, err := csv.NewReader(strings.NewReader(file)).ReadAll()
	if err != nil || len(rows) != before+2 || rows[0][0] != "at" {
		t.Errorf("%d rows of %d passes: %v", len(rows), before+1, err)
	}
	for query, want := range map[string]int{"at=1&part=rest~3": 200, "at=2&part=rest~3": 400, "at=1&part=rest~x": 400,
		"at=1&part=rest~-3": 400, "at=1&part=a~1~b~c": 400, "": 400} {
		if status, _, _ := s.ask(t, "GET", "/today/part?"+query, nil); status != want {
			t.Errorf("part %s: %d", query, status)
		}
	}
	for _, minutes := range []string{"", "15", "40", "-1", "9999999999999", "soon"} {
		if status, body, _ := s.ask(t, "GET", "/today?minutes="+minutes, nil); status != 200 || !strings.Contains(body, "Stop here") {
			t.Errorf("today of %q minutes: %d", minutes, status)
		}
	}

	s.ask(t, "POST", path+"/note", url.Values{"bar": {"2"}, "note": {"<b>ring</b> finger"}})
	if _, body, _ := s.ask(t, "GET", path+"/practise?step=thumb+1-4", nil); !strings.Contains(body, "&lt;b&gt;ring&lt;/b&gt; finger") {
		t.Error("the note does not stand beside its bar")
	}
	if status, body, _ := s.ask(t, "POST", path+"/note", url.Values{"bar": {"99"}, "note": {"x"}}); status != 422 ||
		!strings.Contains(body, "There is no bar") {
		t.Errorf("a note beside bar 99: %d", status)
	}
	s.ask(t, "POST", path+"/note", url.Values{"played": {"2"}, "note": {""}})
	if _, body, _ := s.ask(t, "GET", path+"/log", nil); strings.Contains(body, "ring&lt;") {
		t.Error("the note is still there")
	}

	id := strings.TrimPrefix(path, "/tunes/")
	var many []string
	for range 101 {
		many = append(many, uuid.NewString())
	}
	for field, form := range map[string]url.Values{"name": {"on": {"2999-01-01"}, "t": {id}},
		"day": {"name": {"x"}, "on": {"soon"}, "t": {id}}, "passed": {"name": {"x"}, "on": {"2001-01-01"}, "t": {id}},
		"tune": {"name": {"x"}, "on": {"2999-01-01"}}, "at most 100 tunes": {"name": {"x"}, "on": {"2999-01-01"}, "t": many}} {
		if status, body, _ := s.ask(t, "POST", "/gigs", form); status != 422 || !strings.Contains(body, `role="alert"`) ||
			!strings.Contains(body, field) {
			t.Errorf("a gig without %s: %d", field, status)
		}
	}
	if status, _, _ := s.ask(t, "POST", "/gigs", url.Values{"name": {"Wedding in the barn"},
		"on": {time.Now().AddDate(0, 0, 3).Format(time.DateOnly)}, "t": {id}}); status != 303 {
		t.Errorf("a gig: %d", status)
	}
	_, body, _ := s.ask(t, "GET", "/today", nil)
	if !strings.Contains(body, "Wedding in the barn") || !strings.Contains(body, "the gig is in 3 days") {
		t.Error("the day does not bring its tune forward")
	}
	tunes, err := s.store.Tunes(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	hands := "/profiles/" + tunes[0].ProfileID.String() + "/hands"
	if _, body, _ := s.ask(t, "GET", hands, nil); !strings.Contains(body, "recalculated for these hands") {
		t.Error("the hands are not shown before they are taken over")
	}
	was, _ := s.store.Profile(t.Context(), s.owner, tunes[0].ProfileID)
	if status, _, _ := s.ask(t, "POST", hands, url.Values{"version": {"99"}}); status != 409 {
		t.Errorf("hands of a player who was changed in the meantime: %d", status)
	}
	s.ask(t, "POST", hands, url.Values{"version": {strconv.Itoa(was.Version)}})
	now, err := s.store.Profile(t.Context(), s.owner, tunes[0].ProfileID)
	if err != nil || now.Profile.MoveTime(100, 10) <= was.Profile.MoveTime(100, 10) { // the demo's player is slower than is usual
		t.Errorf("taken over, a move takes %.3f s, before %.3f: %v", now.Profile.MoveTime(100, 10), was.Profile.MoveTime(100, 10), err)
	}
	s.ask(t, "POST", hands, url.Values{"version": {strconv.Itoa(now.Version)}, "usual": {"yes"}})
	if back, _ := s.store.Profile(t.Context(), s.owner, tunes[0].ProfileID); back.Profile.FittsB != was.Profile.FittsB {
		t.Errorf("what is usual does not come back: %+v", back.Profile)
	}
}
