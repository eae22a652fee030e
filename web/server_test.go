package web_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"

	"stepping/store"

	"github.com/PuerkitoBio/goquery"

	"stepping/formats/abc"
)

// ask sends one request without following redirects.
func (s *site) ask(t *testing.T, method, path string, form url.Values, header ...string) (int, string, http.Header) {
	t.Helper()
	req, err := http.NewRequest(method, s.URL+path, strings.NewReader(form.Encode()))
	if err != nil {
		t.Fatal(err)
	}
	if form != nil {
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := client.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return res.StatusCode, string(body), res.Header
}

// page asks for a page that must be there.
func (s *site) page(t *testing.T, path string) *goquery.Selection {
	t.Helper()
	status, body, _ := s.ask(t, "GET", path, nil)
	if status != 200 {
		t.Fatalf("%s: %d %.300s", path, status, body)
	}
	return read(t, body)
}

// send fills in the first form of a page whose action ends so, one that changes something if there is one, as a browser without scripts would, and sends it. It returns the
// answer's status and page, or the page that the answer leads to.
func (s *site) send(t *testing.T, page *goquery.Selection, action string, fields url.Values) (status int, answer *goquery.Selection, to string) {
	t.Helper()
	form := page.Find("form").FilterFunction(func(_ int, f *goquery.Selection) bool { return strings.HasSuffix(f.AttrOr("action", ""), action) })
	if changes := form.Filter("[method=post]"); changes.Length() > 0 {
		form = changes
	}
	form = form.First()
	if form.Length() == 0 {
		t.Fatalf("there is no form for %s", action)
	}
	filled := valuesOf(form)
	for name, v := range fields {
		if _, there := filled[name]; !there {
			t.Errorf("the form for %s has no field %s", action, name)
		}
		filled[name] = v
	}
	path := form.AttrOr("action", "")
	if form.AttrOr("method", "get") == "get" {
		return 200, s.page(t, path+"?"+filled.Encode()), path
	}
	status, body, header := s.ask(t, "POST", path, filled)
	if to = header.Get("Location"); to != "" {
		return status, s.page(t, to), to
	}
	return status, read(t, body), path
}

func read(t *testing.T, html string) *goquery.Selection {
	t.Helper()
	doc, err := goquery.NewDocumentFromReader(strings.NewReader(html))
	if err != nil {
		t.Fatal(err)
	}
	return doc.Selection
}

// valuesOf are the fields of a form as a browser would send them, pressed by its first button.
func valuesOf(form *goquery.Selection) url.Values {
	out := url.Values{}
	pressed := false
	form.Find("[name]").Each(func(_ int, e *goquery.Selection) {
		name, value := e.AttrOr("name", ""), e.AttrOr("value", "")
		kind := e.AttrOr("type", "")
		_, checked := e.Attr("checked")
		switch {
		case goquery.NodeName(e) == "select":
			chosen := e.Find("option[selected]")
			if chosen.Length() == 0 {
				chosen = e.Find("option").First()
			}
			value = chosen.AttrOr("value", chosen.Text())
		case goquery.NodeName(e) == "textarea":
			value = e.Text()
		case goquery.NodeName(e) == "button":
			if pressed {
				return
			}
			pressed = true
		case (kind == "checkbox" || kind == "radio") && !checked:
			return
		}
		out.Add(name, value)
	})
	return out
}

// text is what an element says, its white space as one reads it.
func text(e *goquery.Selection) string { return strings.Join(strings.Fields(e.Text()), " ") }

// TestRequests: every page and every wrong request, with what the answer must hold.
func TestRequests(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	tune := s.tunePath(t, 0)
	gone := "/tunes/00000000-0000-7000-8000-000000000000"
	pin := func(json string) url.Values { return url.Values{"version": {"1"}, "m": {"0"}, "pin": {json}} }
	bars := func(choice, first, last string) url.Values {
		return url.Values{"version": {"1"}, "m": {"0"}, "choice": {choice}, "first": {first}, "last": {last}}
	}
	guitar, slide := s.shelved(t)
	guitarForm := func(name, value string) url.Values {
		v := url.Values{"version": {"1"}, "name": {"Plank"}, "tuning": {"Standard"}, "strings": {"light"}, "frets": {"20"}}
		for field, usual := range map[string]string{"scaleMm": "648", "nutMm": "36", "bridgeMm": "54", "actionMm": "2.5",
			"referenceHz": "440", "postMm": "6", "gear": "16"} {
			v.Set(field, usual)
		}
		v.Set(name, value)
		return v
	}
	for _, tt := range []struct {
		method, path string
		form         url.Values
		status       int
		want         string
	}{
		{"GET", "/", nil, 200, "Lantern on the Weir"},
		{"GET", tune, nil, 200, "class=\"column\""},
		{"GET", tune + "?m=999999", nil, 200, "bar <b>16</b>"},
		{"GET", tune + "?m=x", nil, 200, "bar <b>1</b>"},
		{"GET", tune + "/at/3", nil, 200, "stroke-big"},
		{"GET", tune + "/plan.json", nil, 200, "\"proof\""},
		{"GET", tune + "/tab.txt", nil, 200, "Tuning (string 6 to 1)"},
		{"GET", "/nowhere", nil, 404, "does not exist"},
		{"GET", "/static/", nil, 404, ""},
		{"GET", "/static/vendor", nil, 404, ""},
		{"GET", "/static/lectern.js", nil, 200, "Alpine"},
		{"GET", "/tunes/none", nil, 404, "may have been deleted"},
		{"GET", gone, nil, 404, "may have been deleted"},
		{"PUT", tune, nil, 405, "does not take"},
		{"POST", tune + "/pin", pin(`{"at":"0","part":"melody","string":2,"fret":3,"how":"slide"}`), 422,
			"not a place where this note can be played"},
		{"POST", tune + "/pin", pin(`{"at":"0","part":"melody","string":9,"fret":3,"how":"slide"}`), 422, "strings from 1 to 6"},
		{"POST", tune + "/pin", pin(`{"at":"0","part":"melody","string":2,"fret":"NaN"}`), 422, "load the page again"},
		{"POST", tune + "/pin", pin(`{"at":"1/0","part":"melody","string":2,"fret":3}`), 422, "load the page again"},
		{"POST", tune + "/pin", pin(`{"at":"0","part":"drums"}`), 422, "&#34;drums&#34; is not known"},
		{"POST", tune + "/pin", pin(`{"at":"0","part":"damper","string":2,"by":"nose"}`), 422, "names a string and one of"},
		{"POST", tune + "/pin", pin(`{"at":"0","part":"position","fret":2.5}`), 422, "a position is a fret from 1 to 24"},
		{"POST", tune + "/pin", pin(`{"at":"0","part":"position","fret":0}`), 422, "a position is a fret from 1 to 24"},
		{"POST", tune + "/pin", bars("no-slide", "3", "99"), 422, "from 1 to 16"},
		{"POST", tune + "/pin", bars("fly", "1", "2"), 422, "from the list"},
		{"POST", tune + "/pin", url.Values{"m": {"0"}}, 400, "without its version"},
		{"GET", tune + "/pace", nil, 200, "What holds the tempo down"},
		{"GET", tune + "/progress", nil, 200, `"done":true`},
		{"GET", tune + "/variations", nil, 200, "what else fits"},
		{"GET", tune + "/suit", nil, 200, "Rank every tuning"},
		{"POST", tune + "/suit", url.Values{}, 303, ""},
		{"POST", tune + "/suit/stop", url.Values{}, 303, ""},
		{"POST", tune + "/sections", url.Values{"version": {"1"}, "bar": {"1"}, "pattern": {"Slap on two and four"}}, 422,
			"is in 4/4 and the tune there in 3/4"},
		{"POST", tune + "/sections", url.Values{"version": {"1"}, "bar": {"99"}, "pattern": {"Waltz, root and pair"}}, 422, "bars 1 to 16"},
		{"POST", tune + "/sections", url.Values{"version": {"1"}, "bar": {"1"}, "pattern": {"No such"}}, 422, "has been deleted"},
		{"POST", tune + "/rewrite", url.Values{"version": {"1"}, "rewrite": {"{"}}, 400, "without its notes"},
		{"POST", tune + "/rewrite", url.Values{"version": {"1"},
			"rewrite": {`{"rewrites":[{"bar":1,"notes":[{"at":"0","dur":"9","pitch":6200}]}]}`}}, 422, "overlap or go past its end"},
		{"POST", tune + "/rewrite", url.Values{"version": {"1"},
			"rewrite": {`{"rewrites":[{"bar":1,"notes":[{"at":"0","dur":"1","pitch":100}]}]}`}}, 422, "below the lowest string"},
		{"POST", tune + "/way", url.Values{"version": {"1"}, "tuning": {"Open D"}, "capo": {"99"}}, 422, "a capo sits on fret 1 to 9"},
		{"GET", "/chords?c=D+|+Dwobble", nil, 422, "nearest: D"},
		{"GET", "/chords?tuning=D+A", nil, 422, "six notes from string 6"},
		{"GET", "/chords?capo=x", nil, 422, "fret 1 to 9"},
		{"GET", "/chords?tempo=9999", nil, 422, "quarter notes a minute"},
		{"GET", "/chords?pattern=none", nil, 422, "choose another"},
		{"GET", "/chords?pins=0%3Ax.x", nil, 422, "load the page without it"},
		{"GET", "/chords?pins=0%3A1.9.1.9.1.12", nil, 422, "cannot be fretted"},
		{"GET", "/chords?c=%3Cscript%3E", nil, 422, "&lt;script&gt;"},
		{"POST", "/patterns", url.Values{"from": {"nothing"}}, 404, "may have been deleted"},
		{"GET", "/patterns/none", nil, 404, "may have been deleted"},
		{"GET", "/bench?to=Q", nil, 422, "six notes from string 6"},
		{"GET", "/bench?hz=500", nil, 422, "outside 415 to 466"},
		{"GET", "/bench?key=H", nil, 422, "is not a note"},
		{"GET", "/bench?to=Open+E&scale=blues", nil, 200, "Safer, the same shape"},
		{"GET", "/tone.wav?hz=82.4", nil, 200, "WAVEfmt"},
		{"GET", "/tone.wav?hz=99999", nil, 400, "20 to 2,000 Hz"},
		{"GET", "/set?guitars=1", nil, 422, "1 to 60 tunes"},
		{"GET", "/guitars/none", nil, 404, "may have been deleted"},
		{"GET", "/slides?player=none&guitar=none", nil, 200, "worn now"},
		{"GET", "/slides/none", nil, 404, "may have been deleted"},
		{"GET", slide, nil, 200, "Length of the slide"},
		{"POST", slide, url.Values{"version": {"1"}, "name": {"Neck"}, "slide.lengthMm": {"sixty"}}, 422, "is not a number"},
		{"POST", slide, url.Values{"version": {"9"}, "name": {"Neck"}, "slide.lengthMm": {"50"}, "slide.boreMm": {"19"},
			"slide.wallMm": {"2"}}, 409, "What you typed is below"},
		{"POST", slide + "/wear", url.Values{"player": {"none"}}, 404, "may have been deleted"},
		{"GET", guitar, nil, 200, "Plan with this guitar"},
		{"POST", guitar, guitarForm("strings", "12 16 x"), 422, "is not a gauge"},
		{"POST", guitar, guitarForm("strings", "12 16 24 32 42"), 422, "5 are described, the tuning has 6"},
		{"POST", guitar, guitarForm("tuning", "D A D"), 422, "six notes from string 6"},
		{"POST", guitar, guitarForm("nutMm", "3"), 422, "outside 20 to 70"},
		{"POST", guitar, guitarForm("gear", ""), 422, "not a usable number"},
		{"POST", guitar, guitarForm("version", "9"), 409, "What you typed is below"},
		{"POST", guitar + "/tuning", url.Values{"version": {"9"}, "tuning": {"Open G"}}, 409, "another tab"},
		{"POST", guitar + "/play", url.Values{"player": {"none"}}, 404, "may have been deleted"},
		{"GET", "/bench?to=G2+D3+G3+B3+D4&from=D2+G2+D3+G3+B3+D4", nil, 422, "cannot become"},
		{"GET", "/bench?to=G2+C3+G3+C4+D4&from=G2+D3+G3+B3+D4", nil, 200, "every note lies"},
		{"GET", tune + "/compare", nil, 200, "slide for the peaks"},
		{"POST", tune + "/undo", url.Values{"version": {"1"}}, 303, ""},
		{"POST", tune + "/undo", url.Values{"version": {"7"}}, 409, "another tab"},
		{"POST", gone + "/settings", url.Values{"version": {"1"}}, 404, "deleted"},
		{"POST", "/profiles", url.Values{"name": {strings.Repeat("x", 81)}}, 422, "80 characters"},
		{"POST", "/look", url.Values{"look": {"dim"}, "back": {"//evil.example/x"}}, 303, ""},
		{"POST", "/tunes", url.Values{"abc": {"K:D\nD2|"}, "tuning": {"D A D"}}, 422, "six notes from string 6"},
		{"POST", "/tunes", url.Values{"abc": {"K:D\n<script>alert(1)</script>"}, "tuning": {"Open D"}}, 422, "&lt;script&gt;"},
	} {
		status, body, header := s.ask(t, tt.method, tt.path, tt.form)
		if status != tt.status || !strings.Contains(body, tt.want) {
			t.Errorf("%s %s %v: %d, want %d with %q in:\n%.600s", tt.method, tt.path, tt.form, status, tt.status, tt.want, body)
		}
		if loc := header.Get("Location"); strings.Contains(loc, "evil") {
			t.Errorf("%s redirects to %s", tt.path, loc)
		}
		if policy := header.Get("Content-Security-Policy"); !strings.Contains(policy, "default-src 'none'") || strings.Contains(policy, "unsafe") {
			t.Errorf("%s: policy %q", tt.path, policy)
		}
	}
}

// TestOtherwise: a tune at its own tempo is played as it stands; at another and by another lean as a plan made for that, and what is no
// tempo or lean is refused.
func TestOtherwise(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.tunePath(t, 0) + "/otherwise.json"
	ask := func(query string, want int) (out struct {
		Tempo, Total float64
		Moments      []struct{ Strokes []struct{ How string } }
	}) {
		t.Helper()
		status, body, _ := s.ask(t, "GET", path+query, nil)
		if status != want {
			t.Fatalf("%s: %d, want %d\n%s", query, status, want, body)
		}
		if want == http.StatusOK {
			if err := json.Unmarshal([]byte(body), &out); err != nil {
				t.Fatal(err)
			}
		}
		return out
	}
	own := ask("", 200)
	if own.Total <= 0 || len(own.Moments) > 0 {
		t.Errorf("as it stands: %+v", own)
	}
	slow, fret := ask("?tempo=40", 200), ask("?lean=fret", 200)
	if slow.Tempo != 40 || slow.Total >= own.Total {
		t.Errorf("at 40: %v at %v, as it stands %v", slow.Total, slow.Tempo, own.Total)
	}
	slid := 0
	for _, mo := range fret.Moments {
		for _, st := range mo.Strokes {
			if st.How == "slide" {
				slid++
			}
		}
	}
	if len(fret.Moments) == 0 || slid > len(fret.Moments)/2 {
		t.Errorf("slide for the peaks: %d of %d moments that differ are slid", slid, len(fret.Moments))
	}
	for _, bad := range []string{"?tempo=9", "?tempo=x", "?lean=most", "?silence=loud"} {
		ask(bad, http.StatusUnprocessableEntity)
	}
}

// shelved returns the addresses of a guitar and a slide of the player's.
func (s *site) shelved(t *testing.T) (guitar, slide string) {
	t.Helper()
	g := store.Guitar{Tuning: "Standard"}
	g.Name, g.Set = "Plank", "light"
	id, err := s.store.Guitars().Add(t.Context(), s.owner, &g)
	if err != nil {
		t.Fatal(err)
	}
	slides, err := s.store.Slides().All(t.Context(), s.owner)
	if err != nil || len(slides) == 0 {
		t.Fatal(err, len(slides))
	}
	return "/guitars/" + id.String(), "/slides/" + slides[0].ID.String()
}

// With every tune and player deleted the bench and the slides still answer.
func TestNoPlayers(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	ctx := t.Context()
	tunes, err := s.store.Tunes(ctx, s.owner)
	if err != nil {
		t.Fatal(err)
	}
	for i := range tunes {
		if status, body, _ := s.ask(t, "POST", "/tunes/"+tunes[i].ID.String()+"/delete", url.Values{}); status != 303 {
			t.Fatal(status, body)
		}
	}
	players, err := s.store.Profiles(ctx, s.owner)
	if err != nil {
		t.Fatal(err)
	}
	for i := range players {
		if status, body, _ := s.ask(t, "POST", "/profiles/"+players[i].ID.String()+"/delete", url.Values{}); status != 303 {
			t.Fatal(status, body)
		}
	}
	if status, body, _ := s.ask(t, "POST", "/tunes", url.Values{"abc": {"K:D\nD2|"}, "tuning": {"Open D"}}); status != 422 ||
		!strings.Contains(body, "no player to plan it for") || !strings.Contains(body, "D2|") {
		t.Errorf("a tune without a player: %d %.300s", status, body)
	}
	for _, page := range []string{"/", "/bench", "/slides", "/profiles", "/chords"} {
		if status, body, _ := s.ask(t, "GET", page, nil); status != 200 {
			t.Errorf("%s without a player: %d %.300s", page, status, body)
		}
	}
}

// TestForeignWrites: a write that another site asked for is refused and changes nothing.
func TestForeignWrites(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	for _, header := range [][]string{{"Sec-Fetch-Site", "cross-site"}, {"Sec-Fetch-Site", "same-site"}, {"Origin", "https://elsewhere.example"}} {
		status, body, _ := s.ask(t, "POST", s.tunePath(t, 0)+"/delete", url.Values{}, header...)
		if status != http.StatusForbidden || !strings.Contains(body, "Another site") {
			t.Errorf("%v: %d %s", header, status, body)
		}
	}
	req, err := http.NewRequest("GET", s.URL+"/", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Host = "rebound.example:8317"
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if res.StatusCode != http.StatusMisdirectedRequest {
		t.Errorf("a foreign host name: %d", res.StatusCode)
	}
	for dest, want := range map[string]int{"image": 403, "iframe": 403, "document": 200} {
		mode := map[bool]string{true: "navigate", false: "no-cors"}[dest != "image"]
		if status, _, _ := s.ask(t, "GET", "/chords?c=D+|+G", nil, "Sec-Fetch-Site", "cross-site", "Sec-Fetch-Mode", mode,
			"Sec-Fetch-Dest", dest); status != want {
			t.Errorf("another site loads chords as %s: %d", dest, status)
		}
	}
	if _, body, _ := s.ask(t, "GET", "/", nil, "Sec-Fetch-Site", "cross-site", "Sec-Fetch-Mode", "navigate"); strings.Count(body, "class=\"tune\"") != 3 {
		t.Error("a tune is gone")
	}
}

// TestLimits: a body over the limit is refused; an uploaded file counts like pasted text; a
// tune outside the guitar's range is kept and told on its page.
func TestLimits(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	status, _, _ := s.ask(t, "POST", "/tunes", url.Values{"abc": {strings.Repeat("x", 4<<20)}})
	if status < 400 {
		t.Errorf("4 MiB: %d", status)
	}
	if status, body, _ := s.ask(t, "POST", "/tunes", url.Values{"abc": {strings.Repeat("x", abc.MaxBytes+1)}}); status != 422 ||
		!strings.Contains(body, "1 MiB") {
		t.Errorf("over 1 MiB: %d", status)
	}
	var buf bytes.Buffer
	form := multipart.NewWriter(&buf)
	file, err := form.CreateFormFile("file", "deep.abc")
	if err != nil {
		t.Fatal(err)
	}
	fmt.Fprint(file, "T:Caf\xe9 Too Deep\nK:D\nD,,,2 F2|")
	form.WriteField("tuning", "Standard")
	form.Close()
	res, err := http.Post(s.URL+"/tunes", form.FormDataContentType(), &buf)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	if err != nil || !strings.Contains(string(body), "D1 in bar 1 is 14 half steps below") || !strings.Contains(string(body), "Café Too Deep") {
		t.Errorf("%v %.800s", err, body)
	}
}

// TestSharedPlan: eight clients open a fresh tune at once, each with everything that is worked out from
// its plan on demand, and all get the same answers. Run with the race detector it is a test of the
// plan's own lock.
func TestSharedPlan(t *testing.T) {
	patientOnly(t)
	t.Parallel()
	s := newSite(t)
	_, _, h := s.ask(t, "POST", "/tunes", url.Values{"abc": {ownTune}, "tuning": {"Open D"}})
	tune := h.Get("Location")
	paths := []string{"?wait=1", "?m=5&wait=1", "/at/3", "/at/9", "/plan.json", "/tab.txt", "/pace", "/variations?m=4"}
	var all sync.WaitGroup
	var answers [8][8]string
	for client := range answers {
		all.Go(func() {
			for i := range paths {
				n := (client + i) % len(paths)
				status, body, _ := s.ask(t, "GET", tune+paths[n], nil)
				for strings.Contains(body, "still being worked out") || strings.Contains(body, "data-waiting") {
					status, body, _ = s.ask(t, "GET", tune+paths[n], nil)
				}
				if status != 200 {
					t.Errorf("%s: status %d", paths[n], status)
				}
				answers[client][n] = body
			}
		})
	}
	all.Wait()
	for client := range answers {
		if answers[client] != answers[0] {
			t.Errorf("client %d was told something else", client)
		}
	}
}
