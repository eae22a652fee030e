package web_test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"stepping/core/entry"
	"stepping/core/lick"
	"stepping/core/pattern"
	"stepping/core/setup"
	"stepping/demo"
	"stepping/store"
	"stepping/store/storetest"
	"stepping/web"
	"stepping/web/door"
)

// caller is a browser with its cookies.
type caller struct {
	t    *testing.T
	site *site
	http.Client
}

func (s *site) caller(t *testing.T) *caller {
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &caller{t, s, http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
}

// ask sends a GET, or with a form a POST.
func (c *caller) ask(path string, form url.Values) (status int, body string, header http.Header) {
	c.t.Helper()
	res, err := func() (*http.Response, error) {
		if form == nil {
			return c.Get(c.site.URL + path)
		}
		return c.PostForm(c.site.URL+path, form)
	}()
	if err != nil {
		c.t.Fatal(err)
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil {
		c.t.Fatal(err)
	}
	return res.StatusCode, string(text), res.Header
}

const goodPassword = "brass on the ninth fret"

// newAccount makes an account by a link and is signed in with it.
func (s *site) newAccount(t *testing.T, kind store.Link, name string) *caller {
	t.Helper()
	secret, err := s.store.AddLink(t.Context(), kind, s.owner)
	if err != nil {
		t.Fatal(err)
	}
	c := s.caller(t)
	if status, body, _ := c.ask("/welcome/"+secret, url.Values{"name": {name}, "password": {goodPassword}}); status != http.StatusSeeOther {
		t.Fatal(status, body)
	}
	return c
}

func guardedSite(t *testing.T) *site {
	t.Helper()
	dsn, err := storetest.DSN()
	if err != nil {
		t.Fatal(err)
	}
	return openDoor(t, dsn, door.Access{SignIn: true})
}

// Addresses that are about nothing of anybody's, or only of the one who asks: what another gets there holds nothing of the first.
var ownersOwn = map[string]bool{
	"GET /": true, "POST /tunes": true, "POST /demo-tune": true, "POST /drafts": true, "POST /neck": true, "POST /look": true,
	"GET /bench": true, "POST /bench/hear": true, "GET /tone.wav": true, "GET /sample.wav": true, "GET /set": true, "POST /guitars": true,
	"GET /slides": true, "POST /slides": true,
	"GET /learn": true, "POST /tour": true, "GET /licks": true, "GET /build": true, "POST /build": true, "GET /lent": true, "GET /lent/:secret": true, "POST /lent/:secret": true,
	"GET /chords": true, "GET /chords.wav": true, "GET /patterns": true, "POST /patterns": true, "POST /pages": true,
	"GET /profiles": true, "POST /profiles": true, "POST /sign-out": true, "GET /account": true,
	"GET /play-in": true, "POST /play-in": true, "GET /today": true, "GET /today/part": true, "GET /log.csv": true, "GET /log.json": true, "POST /gigs": true,
	"POST /account/password": true, "POST /account/end": true, "POST /account/end-all": true, "POST /account/invite": true,
	"GET /everything.zip": true, "POST /everything": true, "GET /recordings": true, "POST /uploads": true, "POST /account/close": true,
}

// Addresses that everybody may use.
var everybodys = map[string]bool{"GET /static/*filepath": true, "HEAD /static/*filepath": true, "GET /healthz": true,
	"GET /readyz": true, "GET /metrics": true, "GET /sign-in": true, "POST /sign-in": true,
	"GET /welcome/:secret": true, "POST /welcome/:secret": true}

// TestWalls walks every address as a stranger and as another owner. A new address that is in no table here, and names nothing
// of an owner's, fails.
func TestWalls(t *testing.T) {
	t.Parallel()
	s := guardedSite(t)
	first := s.newAccount(t, store.FirstLink, "Ash Fernlow")
	if status, body, _ := first.ask("/", nil); status != 200 || !strings.Contains(body, "Lantern on the Weir") {
		t.Fatal("the first account does not take over what was there")
	}
	first.ask("/bench", nil) // makes the first guitar
	pattern, err := s.store.Patterns().Add(t.Context(), s.owner, &pattern.Pattern{Name: "Ash's own", Meter: "4/4"})
	if err != nil {
		t.Fatal(err)
	}
	draft, err := s.store.Drafts().Add(t.Context(), s.owner, &store.Draft{Name: "Ash's draft",
		Neck: &entry.Sheet{Title: "Ash's", Tuning: "Open D", Num: 4, Den: 4, Tempo: 90}})
	if err != nil {
		t.Fatal(err)
	}
	gig, err := s.store.Gigs().Add(t.Context(), s.owner, &store.Gig{Name: "Ash's evening", On: "2999-01-01"})
	if err != nil {
		t.Fatal(err)
	}
	page, err := s.store.Pages().Add(t.Context(), s.owner, &store.Page{Name: "Ash's set", Kind: "set", Query: "guitars=2"})
	if err != nil {
		t.Fatal(err)
	}
	things := map[string]string{"pages": page.String(), "patterns": pattern.String(), "drafts": draft.String(), "gigs": gig.String()}
	tunes, _ := s.store.Tunes(t.Context(), s.owner)
	recorded, err := s.store.AddTake(t.Context(), s.owner,
		&store.Take{Tune: tunes[0].ID, At: time.Now(), Name: "Ash's take", Samples: 1, Doc: []byte("{}")}, func() (io.Reader, error) { return strings.NewReader("ab"), nil })
	if err != nil {
		t.Fatal(err)
	}
	profiles, _ := s.store.Profiles(t.Context(), s.owner)
	guitars, _ := s.store.Guitars().All(t.Context(), s.owner)
	slides, _ := s.store.Slides().All(t.Context(), s.owner)
	signins, _ := s.store.Signins(t.Context(), s.owner, time.Hour)
	things["tunes"], things["profiles"], things["guitars"], things["slides"] = tunes[0].ID.String(), profiles[0].ID.String(),
		guitars[0].ID.String(), slides[0].ID.String()
	coming, err := s.store.BeginUpload(t.Context(), s.owner, "a token", &store.Upload{Kind: "draft", Name: "Ash's file"})
	if err := errors.Join(err, s.store.AddUploadPart(t.Context(), s.owner, coming.ID, 0, []byte("x"))); err != nil {
		t.Fatal(err)
	}
	kept, err := s.store.Licks().Add(t.Context(), s.owner, &store.Lick{Kept: lick.Kept{Name: "Ash's lick"}})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.store.AddLoan(t.Context(), s.owner, tunes[0].ID, store.ID{}, false); err != nil {
		t.Fatal(err)
	}
	loans, err := s.store.Loans(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	things["uploads"], things["licks"], things["loans"] = coming.ID.String(), kept.String(), loans[0].ID.String()
	other := s.newAccount(t, store.InviteLink, "Rook Tansy")
	stranger := s.caller(t)
	for _, route := range s.app.Routes() {
		method, path, _ := strings.Cut(route, " ")
		kind := strings.Split(path, "/")[1]
		at := strings.NewReplacer(":id", things[kind], ":m", "0", ":n", "0", ":take", recorded.String(), ":secret", "NOSUCHSECRET").Replace(path)
		form := url.Values(nil)
		if method == http.MethodPost {
			form = url.Values{"version": {"1"}}
		}
		if everybodys[route] {
			continue
		}
		if method == http.MethodPut {
			for who, want := range map[*caller]int{stranger: http.StatusUnauthorized, other: http.StatusNotFound} {
				if status, _ := who.part(things[kind], 0, []byte("x"), digestOf([]byte("x"))); status != want {
					t.Errorf("%s answers with %d, want %d", route, status, want)
				}
			}
			continue
		}
		if strings.Contains(at, ":") || !strings.Contains(path, ":id") && !ownersOwn[route] {
			t.Errorf("%s is in no table of this test", route)
			continue
		}
		switch status, body, header := stranger.ask(at, form); {
		case method == http.MethodGet && (status != http.StatusSeeOther || !strings.HasPrefix(header.Get("Location"), "/sign-in?")):
			t.Errorf("%s answers a stranger with %d", route, status)
		case method == http.MethodPost && status != http.StatusUnauthorized:
			t.Errorf("%s answers a stranger with %d: %s", route, status, header.Get("Location"))
		case strings.Contains(body, "Lantern") || strings.Contains(body, "Ash"):
			t.Errorf("%s shows a stranger something", route)
		}
		if !strings.Contains(path, ":id") {
			if method == http.MethodGet {
				if _, body, _ := other.ask(at, nil); strings.Contains(body, "Lantern") || strings.Contains(body, "Ash") {
					t.Errorf("%s shows another what is not his", route)
				}
			}
			continue
		}
		if status, _, _ := other.ask(at, form); status != http.StatusNotFound {
			t.Errorf("%s answers another owner with %d", route, status)
		}
	}
	theirs, _, _ := strings.Cut(mustLocation(t, other, "/tunes", url.Values{"abc": {"T:Theirs\nK:D\nD2|"}}), "?")
	guitar := mustLocation(t, other, "/guitars", url.Values{"name": {"Box"}})
	for path, form := range map[string]url.Values{ // another's thing named in a form
		theirs + "/settings": {"version": {"1"}, "profile": {things["profiles"]}, "tuning": {"Open D"}},
		guitar + "/play":     {"player": {things["profiles"]}},
		"/patterns":          {"from": {things["patterns"]}},
		"/account/end":       {"signin": {signins[0].ID.String()}},
	} {
		if status, body, _ := other.ask(path, form); status != http.StatusNotFound && status != http.StatusUnprocessableEntity {
			t.Errorf("%s with another's thing: %d %.300s", path, status, body)
		}
	}
	for _, path := range []string{"/slides?player=" + things["profiles"] + "&guitar=" + things["guitars"],
		"/bench?guitar=" + things["guitars"], "/chords?player=" + things["profiles"] + "&pattern=" + things["patterns"], "/set?guitars=1"} {
		if _, body, _ := other.ask(path, nil); strings.Contains(body, "Wren") || strings.Contains(body, "Ash") || strings.Contains(body, "Lantern") {
			t.Errorf("%s shows another what is not his", path)
		}
	}
	after, _ := s.store.Tunes(t.Context(), s.owner)
	players, _ := s.store.Profiles(t.Context(), s.owner)
	if !reflect.DeepEqual(tunes, after) || !reflect.DeepEqual(profiles, players) {
		t.Error("the first owner's things were changed")
	}
	if status, _, _ := first.ask("/account", nil); status != 200 {
		t.Error("the first owner was signed out")
	}
}

func mustLocation(t *testing.T, c *caller, path string, form url.Values) string {
	t.Helper()
	status, body, header := c.ask(path, form)
	if status != http.StatusSeeOther {
		t.Fatalf("%s: %d %.400s", path, status, body)
	}
	return header.Get("Location")
}

// TestSignIn: the rules of docs/security.md as a browser meets them.
func TestSignIn(t *testing.T) {
	t.Parallel()
	dsn, err := storetest.DSN()
	if err != nil {
		t.Fatal(err)
	}
	s := openDoor(t, dsn, door.Access{SignIn: true})
	sign := func(c *caller, name, password string) (int, string, http.Header) {
		return c.ask("/sign-in", url.Values{"name": {name}, "password": {password}, "next": {"/patterns"}})
	}
	first := s.newAccount(t, store.FirstLink, "Ash Fernlow")
	here := func(c *caller) int { status, _, _ := c.ask("/account", nil); return status }

	// No difference tells whether a name exists.
	c := s.caller(t)
	wrong, wrongBody, _ := sign(c, "Ash Fernlow", "brass on the tenth fret")
	none, noneBody, _ := sign(c, "Ash Ferntall", "brass on the tenth fret")
	if wrong != 401 || none != 401 || strings.ReplaceAll(wrongBody, "Fernlow", "") != strings.ReplaceAll(noneBody, "Ferntall", "") {
		t.Errorf("%d %d: a wrong password and an unknown name are told apart", wrong, none)
	}
	// The session's cookie, new at sign-in; where to go is kept on this server.
	c = s.caller(t)
	status, _, header := sign(c, "ash fernlow", goodPassword)
	cookies := strings.Join(header.Values("Set-Cookie"), "\n")
	if status != 303 || header.Get("Location") != "/patterns" || strings.Count(cookies, "HttpOnly") != 2 ||
		strings.Count(cookies, "SameSite=Lax") != 2 || !strings.Contains(header.Get("Cache-Control"), "no-store") {
		t.Errorf("%d %s %s", status, header.Get("Location"), cookies)
	}
	if _, _, header := c.ask("/sign-in",
		url.Values{"name": {"Ash Fernlow"}, "password": {goodPassword}, "next": {"//elsewhere.example/"}}); header.Get("Location") != "/" {
		t.Error(header.Get("Location"))
	}
	address, _ := url.Parse(s.URL)
	token := func(c *caller) (v string) {
		for _, k := range c.Jar.Cookies(address) {
			if k.Name == "session" {
				v = k.Value
			}
		}
		return v
	}
	old := token(c)
	if sign(c, "Ash Fernlow", goodPassword); token(c) == old || len(old) < 40 {
		t.Error("the token is the same after signing in again")
	}
	stolen := s.caller(t)
	stolen.Jar.SetCookies(address, []*http.Cookie{{Name: "session", Value: old}})
	if here(stolen) == 200 {
		t.Error("the old token is still good")
	}
	// A restart keeps sessions; signing out ends them at the server.
	again := openDoor(t, dsn, door.Access{SignIn: true})
	moved := again.caller(t)
	to, _ := url.Parse(again.URL)
	moved.Jar.SetCookies(to, []*http.Cookie{{Name: "session", Value: token(c)}})
	if here(moved) != 200 {
		t.Error("a restart has signed everybody out")
	}
	// Without its database nobody is taken for signed out, nothing typed is lost, and style and scripts are there.
	again.store.Close()
	status, body, header := moved.ask("/tunes", url.Values{"abc": {"T:Typed"}})
	if style, _, _ := moved.ask("/static/lectern.js", nil); status != 503 || !strings.Contains(body, "T:Typed") ||
		header.Get("Retry-After") == "" || style != 200 {
		t.Errorf("%d, style %d: %.300s", status, style, body)
	}
	again = openDoor(t, dsn, door.Access{SignIn: true})
	moved.site = again
	to, _ = url.Parse(again.URL)
	moved.Jar.SetCookies(to, []*http.Cookie{{Name: "session", Value: token(c)}})
	c.ask("/sign-out", url.Values{})
	if here(moved) == 200 || here(c) == 200 {
		t.Error("signed out, and still in")
	}
	// Another password asks for the old one and ends the other sign-ins.
	sign(c, "Ash Fernlow", goodPassword)
	if status, _, _ := c.ask("/account/password", url.Values{"old": {"not this one"}, "new": {"a slide on the fifth"}}); status != 422 {
		t.Error(status)
	}
	if status, _, _ := c.ask("/account/password", url.Values{"old": {goodPassword}, "new": {"password1"}}); status != 422 {
		t.Error(status)
	}
	if status, _, _ := c.ask("/account/password", url.Values{"old": {goodPassword}, "new": {"a slide on the fifth"}}); status != 200 || here(c) != 200 || here(first) == 200 {
		t.Errorf("%d: after a new password %d here, %d elsewhere", status, here(c), here(first))
	}
	// Guessing is slowed down, but not in a browser that has been in before.
	guesser := s.caller(t)
	for i := 0; status != 429; i++ {
		var header http.Header
		if status, _, header = sign(guesser, "Ash Fernlow", fmt.Sprint("a guess, number ", i)); status == 429 &&
			header.Get("Retry-After") == "" || i > 20 {
			t.Fatalf("%d after %d guesses", status, i)
		}
	}
	if status, _, _ := sign(first, "Ash Fernlow", "a slide on the fifth"); status != 303 {
		t.Errorf("guesses of a stranger lock the owner out: %d", status)
	}
	// An invitation: once; closing the account takes all with it.
	_, body, _ = first.ask("/account/invite", url.Values{})
	_, link, _ := strings.Cut(body, s.URL)
	link, _, _ = strings.Cut(link, "<")
	guest := s.caller(t)
	if status, _, _ := guest.ask(link, url.Values{"name": {"Rook Tansy"}, "password": {goodPassword}}); status != 303 || here(guest) != 200 {
		t.Fatalf("%d %s", status, link)
	}
	if status, _, _ := s.caller(t).ask(link, nil); status != 404 {
		t.Errorf("a used link: %d", status)
	}
	if status, _, _ := guest.ask("/account/close", url.Values{"password": {"wrong one, again"}}); status != 422 || here(guest) != 200 {
		t.Error(status)
	}
	if status, _, _ := guest.ask("/account/close", url.Values{"password": {goodPassword}}); status != 303 || here(guest) == 200 {
		t.Error(status)
	}
	if status, _, _ := sign(s.caller(t), "Rook Tansy", goodPassword); status == 303 {
		t.Error("a closed account lets in")
	}
}

// TestDoor: on this machine alone nobody is asked, but what a proxy passes on is; under TLS cookies are bound to the host.
func TestDoor(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	for header, want := range map[string]int{"": 200, "X-Forwarded-For": 303, "Forwarded": 303, "X-Real-Ip": 303, "Via": 303} {
		extra := []string{}
		if header != "" {
			extra = []string{header, "127.0.0.1"}
		}
		if status, _, _ := s.ask(t, "GET", "/", nil, extra...); status != want {
			t.Errorf("with %q: %d", header, status)
		}
	}
	dsn, err := storetest.DSN()
	if err != nil {
		t.Fatal(err)
	}
	secure := openDoor(t, dsn, door.Access{SignIn: true, TLS: true})
	secret, err := secure.store.AddLink(t.Context(), store.FirstLink, secure.owner)
	if err != nil {
		t.Fatal(err)
	}
	_, _, header := secure.caller(t).ask("/welcome/"+secret, url.Values{"name": {"Ash"}, "password": {goodPassword}})
	cookies := strings.Join(header.Values("Set-Cookie"), "\n")
	if strings.Count(cookies, "__Host-") != 2 || strings.Count(cookies, "Secure") != 2 || header.Get("Strict-Transport-Security") == "" {
		t.Error(cookies, header.Get("Strict-Transport-Security"))
	}
}

// TestSignInByKeyboard goes in by the first link, out, and in again without a mouse; the pages of the door are accessible.
func TestSignInByKeyboard(t *testing.T) {
	t.Parallel()
	s := guardedSite(t)
	secret, err := s.store.AddLink(t.Context(), store.FirstLink, s.owner)
	if err != nil {
		t.Fatal(err)
	}
	shots := os.Getenv("STEPPING_SHOTS")
	b := newTab(t, s, 1280, 800)
	b.expect()
	look := func(name string) {
		b.accessible(name)
		if w := eval[int64](b, "document.documentElement.scrollWidth"); w > 1280 {
			t.Errorf("%s is %d wide", name, w)
		}
		if os.Getenv("STEPPING_DOOR") != "" {
			b.shot(filepath.Join(shots, name+".png"))
		}
	}
	b.open("/welcome/" + secret)
	look("welcome")
	b.key("Ash Fernlow" + kb.Tab + goodPassword + kb.Enter)
	b.until("document.querySelector('.tunes')")
	b.open("/account")
	look("account")
	if os.Getenv("STEPPING_DOOR") != "" {
		b.do(chromedp.EmulateViewport(390, 844))
		look("account-phone")
		b.do(chromedp.EmulateViewport(1280, 800))
	}
	b.do(chromedp.Submit("form[action='/sign-out']"))
	b.until("document.querySelector('#password')")
	look("signin")
	b.key("ash fernlow" + kb.Tab + "not the one" + kb.Enter)
	b.until("document.querySelector('.fault')")
	b.do(chromedp.Focus("#password"))
	b.key(goodPassword + kb.Enter)
	b.until("document.querySelector('.tunes')")
}

// TestRestored: a backup that is put back while the program runs is what its pages show from then on; and where accounts came
// with it, one is asked for.
func TestRestored(t *testing.T) {
	t.Parallel()
	var file bytes.Buffer
	other := guardedSite(t)
	_ = other.newAccount(t, store.FirstLink, "Ash Fernlow")
	if _, err := other.store.AddTune(t.Context(), other.owner, "Elsewhere", "T:Elsewhere\nK:D\nD2|", mustProfile(t, other), setup.Settings{Tuning: "Open D", Thumb: "none"}); err != nil {
		t.Fatal(err)
	}
	if _, err := other.store.Backup(t.Context(), &file, true); err != nil {
		t.Fatal(err)
	}
	dsn, err := storetest.DSN()
	if err != nil {
		t.Fatal(err)
	}
	st, err := store.Open(t.Context(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	owner, err := demo.Prepare(t.Context(), st, true)
	if err != nil {
		t.Fatal(err)
	}
	s := serve(t, st, owner, web.Config{AtHome: st.AtHome})
	if got := s.page(t, "/").Find(".tunes li").Length(); got != 3 {
		t.Fatal(got)
	}
	if _, err := st.Restore(t.Context(), bytes.NewReader(file.Bytes()), int64(file.Len()), true); err != nil {
		t.Fatal(err)
	}
	c := s.caller(t)
	for end := time.Now().Add(untilLimit); ; time.Sleep(50 * time.Millisecond) {
		status, _, header := c.ask("/", nil)
		if status == http.StatusSeeOther && strings.HasPrefix(header.Get("Location"), "/sign-in") {
			break
		}
		if time.Now().After(end) {
			t.Fatalf("%d %v", status, header)
		}
	}
	if status, body, _ := c.ask("/sign-in", url.Values{"name": {"Ash Fernlow"}, "password": {goodPassword}}); status != http.StatusSeeOther {
		t.Fatal(status, body)
	}
	if _, body, _ := c.ask("/", nil); !strings.Contains(body, "Elsewhere") {
		t.Error("what was restored is not shown")
	}
}

func mustProfile(t *testing.T, s *site) store.ID {
	t.Helper()
	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	return profiles[0].ID
}
