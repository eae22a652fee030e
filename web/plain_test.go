package web_test

import (
	"encoding/json"
	"net/url"
	"strings"
	"testing"
	"time"

	"stepping/core/player"
	"stepping/formats/plandoc"
)

// TestWithoutScripts: the plan can be read and changed with plain links and forms.
func TestWithoutScripts(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.tunePath(t, 1)
	_, body, _ := s.ask(t, "GET", path+"?m=5", nil)
	for _, want := range []string{`class="stroke-big"`, `action="` + path + `/pin"`, `href="?m=6"`, "<svg class=\"column\""} {
		if !strings.Contains(body, want) {
			t.Errorf("the page as sent lacks %s", want)
		}
	}
	if strings.Contains(body, "<script>") || strings.Contains(body, " style=") || strings.Contains(body, " onclick=") {
		t.Error("inline script or style")
	}
}

// TestPlayers edits a player: a wrong value is told at its field and kept.
func TestPlayers(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	profile := s.page(t, "/profiles").Find(".players a").First().AttrOr("href", "")
	status, wrong, _ := s.send(t, s.page(t, profile), profile, url.Values{"reachMm": {"900"}})
	if status != 422 || wrong.Find("#reachMm-fault").Length() != 1 || wrong.Find("#reachMm").AttrOr("value", "") != "900" {
		t.Errorf("%d: a reach of 900 is told as %q", status, text(wrong.Find("#reachMm-fault")))
	}
	if _, _, to := s.send(t, wrong, profile, url.Values{"reachMm": {"120"}, "slideFinger": {"3"}}); to != "/profiles" {
		t.Errorf("it leads to %s", to)
	}
	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil || profiles[0].Profile.ReachMM != 120 || profiles[0].Profile.SlideFinger != 3 {
		t.Errorf("%+v %v", profiles[0], err)
	}
}

// TestTextAndPins edits a tune's text, wrong at first; and when another player makes a pin
// impossible, it is named at its note and left out, the rest is planned, and it can be unpinned there.
func TestTextAndPins(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.tunePath(t, 0)
	if _, page, _ := s.send(t, s.page(t, path+"?leaf=elsewhere&wait=1"), "/pin", nil); page.Find(".mark-pin").Length() == 0 {
		t.Fatal("nothing is pinned")
	}
	edit := s.page(t, path+"/text")
	source := edit.Find("#abc").Text()
	status, wrong, _ := s.send(t, edit, "/text", url.Values{"abc": {source + "%%\n^^"}})
	if status != 422 || wrong.Find(".fault").Length() == 0 || wrong.Find("#abc").Text() != source+"%%\n^^" {
		t.Errorf("%d: typed text lost: %q", status, wrong.Find("#abc").Text())
	}
	_, page, _ := s.send(t, edit, "/text", url.Values{"abc": {strings.Replace(source, "Lantern on the Weir", "Lantern Again", 1)}})
	if text(page.Find("h1")) != "How to play Lantern Again" || page.Find(".mark-pin").Length() == 0 {
		t.Errorf("%q, with %d pins", text(page.Find("h1")), page.Find(".mark-pin").Length())
	}
	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	none := profiles[0]
	none.Profile.Lean = "none"
	if err := s.store.SaveProfile(t.Context(), s.owner, none.ID, none.Version, none.Profile); err != nil {
		t.Fatal(err)
	}
	page = s.page(t, path)
	left := page.Find("section.notice")
	if got := text(left); !strings.Contains(got, "Your pin is left out") || !strings.Contains(got, "bar 1") {
		t.Errorf("no reason: %q", got)
	}
	if page.Find("#now .answer").Length() == 0 || !strings.Contains(text(page.Find("#now")), "Your pin is left out") {
		t.Errorf("the rest is not planned, or the pin is not named at its note: %q", text(page.Find("#now")))
	}
	s.send(t, left, "/unpin", nil)
	tunes, err := s.store.Tunes(t.Context(), s.owner)
	if err != nil || len(tunes[0].Settings.Pins) != 0 {
		t.Errorf("%+v %v", tunes[0].Settings, err)
	}
}

// TestStay: a hand that is asked to stay at frets 5 to 8 for two bars does, there and nowhere else, and the pin says so.
func TestStay(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	_, _, h := s.ask(t, "POST", "/tunes", url.Values{"abc": {"X:1\nT:Gravel Box\nM:4/4\nL:1/8\nQ:1/4=92\nK:Am\n" +
		"\"Am\"A2 c2 A2 G2 | E2 G2 A4 | \"Am\"A2 c2 A2 G2 | E2 D2 C4 |\n"}, "tuning": {"Standard"}})
	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	none := profiles[0]
	none.Profile.Lean = player.LeanNone
	if err := s.store.SaveProfile(t.Context(), s.owner, none.ID, none.Version, none.Profile); err != nil {
		t.Fatal(err)
	}
	path := h.Get("Location")
	s.ask(t, "POST", path+"/pin", url.Values{"version": {"1"}, "m": {"0"}, "choice": {"position-5"}, "first": {"1"}, "last": {"2"}})
	if got := text(s.page(t, path+"?leaf=setup&wait=1").Find(".pin-list")); !strings.Contains(got, "bar 1 to 2, position 5, frets 5 to 8") {
		t.Errorf("the pin reads %q", got)
	}
	_, doc, _ := s.ask(t, "GET", path+"/plan.json", nil)
	var plan plandoc.Doc
	if err := json.Unmarshal([]byte(doc), &plan); err != nil {
		t.Fatal(err)
	}
	low := 0
	for _, mo := range plan.Moments {
		for _, st := range mo.Strokes {
			if st.Part != "melody" {
				continue
			}
			if mo.Bar <= 2 && (st.Fret < 5 || st.Fret > 8) {
				t.Errorf("bar %d: string %d, fret %g", mo.Bar, st.String, st.Fret)
			} else if mo.Bar > 2 && st.Fret < 5 {
				low++
			}
		}
	}
	if low == 0 {
		t.Error("the hand stays where nobody asked it to")
	}
}

// TestWaiting: a page whose plan is still being worked out says how far it is and knows where to ask; a file waits for its
// plan; a stopped one says so, and can be begun again.
func TestWaiting(t *testing.T) {
	t.Parallel()
	s := newSite(t).impatient(t)
	tune := s.tunePath(t, 0)
	for _, page := range []string{"", "/practise", "/ladder", "/hear", "/whole", "/take", "/log"} {
		_, _, h := s.ask(t, "POST", "/tunes", url.Values{"abc": {strings.Replace(ownTune, "Gravel", page, 1)}, "tuning": {"Open D"}})
		got := s.page(t, h.Get("Location")+page).Find("[data-poll]")
		if got.AttrOr("data-poll", "") != h.Get("Location")+"/progress" || !strings.Contains(text(got), "Working out the plan") {
			t.Errorf("%s: %q", page, text(got))
		}
		if page != "" && got.Find("a").AttrOr("href", "") != h.Get("Location")+page {
			t.Errorf("%s leads to %s", page, got.Find("a").AttrOr("href", ""))
		}
	}
	for _, file := range []string{"/sound.wav", "/plan.json", "/tab.txt", "/at/3"} {
		if status, body, _ := s.ask(t, "GET", tune+file, nil); status != 200 {
			t.Errorf("%s: %d %.200s", file, status, body)
		}
	}
	_, _, h := s.ask(t, "POST", "/tunes", url.Values{"abc": {"T:Long\nL:1/8\nK:D\n" + strings.Repeat("D2FG A2dc BAFE D4|", 340)}, "tuning": {"Open D"}})
	page := s.page(t, h.Get("Location")+"/practise")
	s.send(t, page, "/stop", nil)
	for end := time.Now().Add(untilLimit); !strings.Contains(text(page), "Stopped"); page = s.page(t, h.Get("Location")+"/hear") {
		if time.Now().After(end) {
			t.Fatalf("after it was stopped: %.300s", text(page.Find("main")))
		}
		time.Sleep(10 * time.Millisecond)
	}
	for file, method := range map[string]string{"/plan.json": "GET", "/take": "POST"} {
		if status, body, _ := s.ask(t, method, h.Get("Location")+file, url.Values{}); status != 422 || !strings.Contains(body, "open its plan") {
			t.Errorf("%s of a stopped plan: %d %.200s", file, status, body)
		}
	}
	if _, page, _ = s.send(t, page, "/again", nil); page.Find("[data-poll]").Length() == 0 {
		t.Error("it does not begin again")
	}
	s.ask(t, "POST", h.Get("Location")+"/stop", url.Values{})
}

// TestStatic: a static file by the address that pages give is kept by the browser for good; by its plain one it is asked for
// again and not sent twice.
func TestStatic(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	style := s.page(t, "/account").Find("link[href*='stepping.css']").AttrOr("href", "")
	status, body, header := s.ask(t, "GET", style, nil)
	if status != 200 || !strings.Contains(header.Get("Cache-Control"), "immutable") || !strings.Contains(style, strings.Trim(header.Get("ETag"), `"`)) {
		t.Errorf("%s: %d %v", style, status, header)
	}
	for _, plain := range []string{"/static/stepping.css", "/static/stepping.css?v=older"} {
		status, again, now := s.ask(t, "GET", plain, nil)
		if status != 200 || again != body || now.Get("Cache-Control") != "no-cache" {
			t.Errorf("%s: %d %v", plain, status, now)
		}
		if status, again, _ = s.ask(t, "GET", plain, nil, "If-None-Match", now.Get("ETag")); status != 304 || again != "" {
			t.Errorf("%s once more: %d, %d bytes", plain, status, len(again))
		}
	}
}
