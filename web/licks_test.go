package web_test

import (
	"fmt"
	"net/url"
	"strings"
	"testing"
	"time"

	"stepping/core/player"
	"stepping/core/setup"
	"stepping/store"
)

// TestLicks: a lick is kept, found in other keys and at other speeds, fitted, put into a tune and built into one; what does not fit
// is said and changes nothing.
func TestLicks(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	tune := s.tunePath(t, 1)
	lick := "/licks/" + s.taught(t, nil)
	ask := func(method, path string, form url.Values) (int, string, string) {
		t.Helper()
		status, body, header := s.ask(t, method, path, form)
		return status, body, header.Get("Location")
	}
	must := func(want int, method, path string, form url.Values, says string) string {
		t.Helper()
		status, body, to := ask(method, path, form)
		if status != want || !strings.Contains(body, says) {
			t.Fatalf("%s %s %v: %d, without %q: %.600s", method, path, form, status, says, body)
		}
		return to
	}
	if _, body, _ := ask("GET", "/licks?tag=rag", nil); !strings.Contains(body, "Bucket one") {
		t.Errorf("the shelf: %.400s", body)
	}
	found := func() string {
		_, body, _ := ask("GET", lick, nil)
		_, body, _ = strings.Cut(body, "Where it occurs")
		body, _, _ = strings.Cut(body, "Put it into a tune")
		return body
	}
	// Nearly the same notes, and the same in A flat, twice as slow, in the third bar of another tune.
	must(303, "POST", "/tunes", url.Values{"abc": {"T:Slow Bucket\nM:4/4\nL:1/8\nK:Ab\n\"Ab\"z8|z8|\"Ab\"E2A2 c2BA|ced2 A2|c8|"}}, "")
	must(303, "POST", "/tunes", url.Values{"abc": {"T:Slower Bucket\nM:4/4\nL:1/8\nK:Ab\n\"Ab\"z8|z8|\"Ab\"E2A2 c2BA|cecA B2A2|"}}, "")
	if body := found(); strings.Contains(body, "Slow Bucket") || !strings.Contains(body, "Slower Bucket</a>: bar 3") || !strings.Contains(body, "Tin Bucket Rag</a>: bar 1, 5") {
		t.Errorf("where it occurs: %.3000s", body)
	}
	must(200, "GET", lick+"?over=C7&tuning=Open+D&capo=2", nil, "new ones were found")
	must(200, "GET", lick+"?over=H&tuning=Open+D&capo=2", nil, "class=\"fault\"")
	must(200, "GET", lick+"?over=C&tuning=Open+D&capo=99", nil, "class=\"fault\"")
	if status, sound, _ := ask("GET", lick+"/sound.wav?over=C7&tuning=Open+G&capo=0", nil); status != 200 || !strings.HasPrefix(sound, "RIFF") {
		t.Errorf("how it sounds: %d", status)
	}
	if status, _, _ := ask("GET", lick+"/sound.wav?over=C7&tuning=&capo=0", nil); status != 422 {
		t.Errorf("a sound in no tuning: %d", status)
	}
	// Put into a tune.
	id := idOf(t, tune)
	at := func(bar string) url.Values { return url.Values{"tune": {id.String()}, "bar": {bar}} }
	before, err := s.store.Tune(t.Context(), s.owner, id)
	if err != nil {
		t.Fatal(err)
	}
	must(422, "POST", lick+"/put", at("16"), "Not put there")
	must(422, "POST", lick+"/put", at("x"), "give a bar")
	must(404, "POST", lick+"/put", url.Values{"tune": {"no key"}, "bar": {"1"}}, "")
	if same, err := s.store.Tune(t.Context(), s.owner, id); err != nil || same.Version != before.Version {
		t.Errorf("what is refused changes the tune: %v", err)
	}
	must(303, "POST", lick+"/put", at("9"), "")
	after, err := s.store.Tune(t.Context(), s.owner, id)
	if err != nil || len(after.Settings.Rewrites) != 2 || len(after.Settings.Rewrites[0].Notes) != 5 {
		t.Errorf("put there: %+v %v", after.Settings.Rewrites, err)
	}
	must(200, "GET", tune, nil, "")
	// Built into a tune: chosen for every bar, overlapping, behind the end.
	frame := url.Values{"form": {"12 bars"}, "key": {"G"}, "meter": {"2/4"}, "tempo": {"90"}, "tuning": {"Open G"}, "capo": {"0"}}
	with := func(more ...string) url.Values {
		out := url.Values{}
		for k, v := range frame {
			out[k] = v
		}
		for i := 0; i < len(more); i += 2 {
			out.Set(more[i], more[i+1])
		}
		return out
	}
	key := strings.TrimPrefix(lick, "/licks/")
	proposed := must(303, "POST", "/build", with("propose", "1"), "")
	if _, body, _ := ask("GET", proposed, nil); strings.Count(body, `value="`+key+`" selected`) < 4 {
		t.Errorf("licks proposed: %.2000s", body)
	}
	must(422, "POST", "/build", with("bar-12", key), "ends after bar 12")
	must(422, "POST", "/build", with("bar-1", key, "bar-2", key), "goes on to bar 2")
	must(422, "POST", "/build", with(), "Choose a lick")
	must(422, "POST", "/build", with("bar-1", key, "tuning", "X Y"), "class=\"fault\"")
	must(422, "POST", "/build", with("bar-1", key, "chords", "H | C"), "class=\"fault\"")
	made := must(303, "POST", "/build", with("bar-1", key, "bar-5", key, "title", "Gate Hinge Stomp"), "")
	must(200, "GET", made, nil, "Gate Hinge Stomp")
	// Two tabs.
	must(303, "POST", lick, url.Values{"version": {"1"}, "name": {"Bucket, first"}, "tags": {"rag, slow"}}, "")
	must(409, "POST", lick, url.Values{"version": {"1"}, "name": {"Bucket again"}}, "Bucket again")
	must(422, "POST", lick, url.Values{"version": {"2"}, "name": {""}}, "name of 1 to")
}

// TestClass: a class's sheets are worked out while the page says how far they are, can be stopped, and go on. Long form: 30 pupils.
func TestClass(t *testing.T) {
	if testing.Short() {
		t.Skip("30 sheets")
	}
	s := newSite(t)
	bars := []string{"\"D\"D2F2 A2d2|", "\"G\"B2A2 G2B2|", "\"A7\"c2e2 c2A2|", "\"D\"F2A2 d2A2|"}
	status, _, header := s.ask(t, "POST", "/tunes", url.Values{"abc": {"T:Lesson\nM:4/4\nL:1/8\nQ:1/4=90\nK:D\n" + strings.Repeat(strings.Join(bars, ""), 4)}, "tuning": {"Open D"}})
	if status != 303 {
		t.Fatal(status)
	}
	tune, _, _ := strings.Cut(header.Get("Location"), "?")
	form := url.Values{"had": {"null"}}
	for i := range 30 {
		p := player.Default()
		p.Name, p.Level = fmt.Sprint("Pupil ", i), setup.Proposed[i%3]
		p.ReachMM, p.SlideFinger, p.Lean = 76+float64(i), 2+i%3, player.Leans[i%len(player.Leans)]
		id, err := s.store.AddProfile(t.Context(), s.owner, p)
		if err != nil {
			t.Fatal(err)
		}
		form.Add("pupil", id.String())
	}
	began := time.Now()
	if status, body, _ := s.ask(t, "POST", tune+"/sheets", form); status != 303 {
		t.Fatalf("%d %.300s", status, body)
	}
	page := func() string { _, body, _ := s.ask(t, "GET", tune+"/sheets", nil); return body }
	busy := strings.Contains(page(), "data-poll")
	for began := time.Now(); strings.Contains(page(), "data-poll") && time.Since(began) < time.Minute; {
		time.Sleep(100 * time.Millisecond)
	}
	took := time.Since(began)
	body := page()
	t.Logf("figure: 30 sheets of 64 notes with what makes four of them differ: %.1f s (aim 10), a page in between: %v", took.Seconds(), busy)
	if !strings.Contains(body, "Where they differ") || took > 40*time.Second {
		t.Errorf("after %v: %.600s", took, body)
	}
	// Another level for all is another class, which is stopped at once.
	sheets, err := s.store.Sheets(t.Context(), s.owner, idOf(t, tune))
	if err != nil {
		t.Fatal(err)
	}
	for i := range sheets {
		sheets[i].Level = player.Level{Name: "Odd", Ease: 2}
	}
	if err := s.store.SetSheets(t.Context(), s.owner, idOf(t, tune), mustSheets(t, s, tune), sheets); err != nil {
		t.Fatal(err)
	}
	done := make(chan string)
	go func() { done <- page() }()
	for body = ""; !strings.Contains(body, `"done":false`) && time.Since(began) < 2*time.Minute; {
		_, body, _ = s.ask(t, "GET", tune+"/sheets/progress", nil)
	}
	s.ask(t, "POST", tune+"/sheets/stop", url.Values{})
	<-done
	if body := page(); !strings.Contains(body, "Stopped") {
		t.Errorf("after it was stopped: %.600s", body)
	}
	s.ask(t, "POST", tune+"/sheets/stop", url.Values{"again": {"1"}})
	for began := time.Now(); !strings.Contains(page(), "Where they differ") && time.Since(began) < time.Minute; {
		time.Sleep(100 * time.Millisecond)
	}
	if !strings.Contains(page(), "Where they differ") {
		t.Error("it does not go on")
	}
}

func mustSheets(t *testing.T, s *site, tune string) []store.Sheet {
	t.Helper()
	sheets, err := s.store.Sheets(t.Context(), s.owner, idOf(t, tune))
	if err != nil {
		t.Fatal(err)
	}
	return sheets
}
