package web_test

import (
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"stepping/account"
	"stepping/core/player"
	"stepping/core/practice"
	"stepping/core/setup"
	"stepping/demo"
	"stepping/store"
	"stepping/store/storetest"
)

// oneLink finds the link that a page shows once.
var oneLink = regexp.MustCompile(`/lent/[A-Z0-9]+`)

// lentSite is a site with a teacher, a pupil whom a tune was lent as a sheet, and another account.
func lentSite(t *testing.T) (s *site, teacher, pupil, other *caller, tune, borrowed, profile string) {
	t.Helper()
	s = guardedSite(t)
	teacher = s.newAccount(t, store.FirstLink, "Ash Fernlow")
	pupil, other = s.newAccount(t, store.InviteLink, "Wren Tallow"), s.newAccount(t, store.InviteLink, "Rook Tansy")
	tune = s.tunePath(t, 0)
	profile = strings.TrimPrefix(mustLocation(t, teacher, "/profiles", url.Values{"name": {"Wren"}}), "/profiles/")
	pupil.takes(t, teacher.lends(t, "/profiles/"+profile+"/invite", url.Values{}))
	mustLocation(t, teacher, tune+"/sheets", url.Values{"had": {"null"}, "pupil": {profile}, "level-" + profile: {"First steps"}})
	mustLocation(t, teacher, tune+"/lend", url.Values{"for": {profile}})
	lent, err := s.store.Tunes(t.Context(), s.ownerOf(t, "Wren Tallow"))
	if err != nil || len(lent) != 1 {
		t.Fatal(lent, err)
	}
	return s, teacher, pupil, other, tune, "/tunes/" + lent[0].ID.String(), profile
}

func (s *site) ownerOf(t *testing.T, name string) store.ID {
	t.Helper()
	a, err := s.store.Account(t.Context(), name)
	if err != nil {
		t.Fatal(err)
	}
	return a.Owner
}

// lends posts what makes a link and returns its path.
func (c *caller) lends(t *testing.T, path string, form url.Values) string {
	t.Helper()
	status, body, _ := c.ask(path, form)
	link := oneLink.FindString(body)
	if status != 200 || link == "" {
		t.Fatalf("%s: %d %.400s", path, status, body)
	}
	if _, again, _ := c.ask(path[:strings.LastIndex(path, "/")], nil); strings.Contains(again, link) {
		t.Errorf("%s: the link is shown twice", path)
	}
	return link
}

// takes uses a link and returns where it leads.
func (c *caller) takes(t *testing.T, link string) string {
	t.Helper()
	if status, body, _ := c.ask(link, nil); status != 200 {
		t.Fatalf("%s: %d %.400s", link, status, body)
	}
	return mustLocation(t, c, link, url.Values{})
}

// idOf is the key of the tune in an address.
func idOf(t *testing.T, path string) store.ID {
	t.Helper()
	id, err := uuid.Parse(strings.TrimPrefix(path, "/tunes/"))
	if err != nil {
		t.Fatal(err)
	}
	return id
}

// oneTry is a try that is in the log.
var oneTry = practice.Pass{At: time.Date(2026, 5, 4, 18, 30, 0, 0, time.UTC), Key: "thumb 1-4", Layer: practice.ThumbAlone, Bars: [2]int{1, 4}, Tempo: 51,
	Verdict: practice.Clean, Seconds: 90, Plan: strings.Repeat("b", 64)}

// TestLent walks every address of a borrowed tune as its borrower, its lender and another: the borrower reads the pupil's sheet and changes
// nothing of it, the others find nothing; and after the loan has ended a sentence is there, and what was practised.
func TestLent(t *testing.T) {
	t.Parallel()
	s, teacher, pupil, other, tune, borrowed, profile := lentSite(t)
	before, err := s.store.Tunes(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	teachers := map[string]bool{"/sheets": true, "/sheets/print": true, "/sheets/progress": true}
	walk := func(want func(method, rest string) int, who *caller, said string) {
		for _, route := range s.app.Routes() {
			method, path, _ := strings.Cut(route, " ")
			rest, of := strings.CutPrefix(path, "/tunes/:id")
			if !of || strings.Contains(rest, ":take") || rest == "/follow" || rest == "/strum" || rest == "/delete" || rest == "/bring-back" || rest == "/take" && method == "POST" {
				continue // uploads and sockets have tests of their own
			}
			form := url.Values(nil)
			if method == http.MethodPost {
				form = url.Values{"version": {"1"}, "had": {"null"}, "bar": {"1"}, "remark": {"mine"}, "name": {"mine"}, "abc": {"T:Theirs\nK:D\nD4|"}, "tuning": {"Open G"},
					"capo": {"2"}, "thumb": {"none"}, "profile": {profile}, "ease": {"0"}, "tags": {"mine"}}
			}
			status, body, _ := who.ask(borrowed+strings.ReplaceAll(rest, ":m", "0"), form)
			if w := want(method, rest); w != 0 && status != w || w == 0 && status >= 500 {
				t.Errorf("%s %s: %s gets %d, want %d: %.200s", method, rest, said, status, w, body)
			}
		}
	}
	if status, body, _ := pupil.ask(borrowed, nil); status != 200 || !strings.Contains(body, "<b>Ash Fernlow</b>") || strings.Contains(body, "data-dials") ||
		!strings.Contains(body, "Wren") {
		t.Errorf("the borrowed plan: %d %.300s", status, body)
	}
	others := map[string]int{"/phrase.wav": 404, "/takes": 422, "/free": 303} // they ask for more than this
	walk(func(method, rest string) int {
		switch {
		case others[rest] > 0:
			return others[rest]
		case method == "GET" && teachers[rest], rest == "/remark", rest == "/lend", rest == "/sheets", rest == "/sheets/stop":
			return http.StatusConflict
		case method == "GET":
			return http.StatusOK
		}
		return 0
	}, pupil, "the borrower")
	for _, c := range []*caller{teacher, other} {
		walk(func(string, string) int { return http.StatusNotFound }, c, "another")
	}
	if after, err := s.store.Tunes(t.Context(), s.owner); err != nil || len(after) != len(before) || after[0].Source != before[0].Source || after[0].Version != before[0].Version {
		t.Errorf("the lender's tune was changed: %+v %v", after[0], err)
	}

	// Practice on it, shown and taken back at once.
	if err := s.store.AddPasses(t.Context(), s.ownerOf(t, "Wren Tallow"), idOf(t, borrowed), oneTry); err != nil {
		t.Fatal(err)
	}
	logPage := "/profiles/" + profile + "/log"
	seen := func() bool { _, body, _ := teacher.ask(logPage, nil); return strings.Contains(body, "1 try") }
	loans, err := s.store.LoansTo(t.Context(), s.ownerOf(t, "Wren Tallow"))
	if err != nil || len(loans) != 2 {
		t.Fatal(loans, err)
	}
	tie := "/loans/" + loans[1].ID.String()
	if seen() {
		t.Error("a log that was never shown is seen")
	}
	mustLocation(t, pupil, tie+"/log", url.Values{"show": {"yes"}})
	if !seen() {
		t.Error("a log that is shown is not seen")
	}
	mustLocation(t, pupil, tie+"/log", url.Values{})
	if status, _, _ := teacher.ask(tie+"/log", url.Values{"show": {"yes"}}); seen() || status != 404 {
		t.Error("a log taken back is seen")
	}

	// The loan ends: what is practised stays.
	mustLocation(t, teacher, "/loans/"+loans[0].ID.String()+"/end", url.Values{})
	status, body, _ := pupil.ask(borrowed, nil)
	if status != http.StatusGone || !strings.Contains(body, "1 try") || !strings.Contains(body, "Ash Fernlow has taken this tune back") {
		t.Errorf("after the loan: %d %.600s", status, body)
	}
	walk(func(method, rest string) int {
		if rest == "/tags" || rest == "/settings" || method == "POST" {
			return 0
		}
		return http.StatusGone
	}, pupil, "who borrowed it")
	for _, path := range []string{"/", "/today", "/log.csv", "/everything.zip", "/licks", "/lent"} {
		if status, body, _ := pupil.ask(path, nil); status != 200 {
			t.Errorf("%s next to a loan that ended: %d %.300s", path, status, body)
		}
	}

	// Links: a copy is one's own; a link is used once, ends when it is taken back, and is not for its maker.
	link := teacher.lends(t, tune+"/lend", url.Values{"as": {"copy"}})
	if status, _, _ := teacher.ask(link, url.Values{}); status != http.StatusConflict {
		t.Errorf("one's own link: %d", status)
	}
	if status, _, header := s.caller(t).ask(link, nil); status != http.StatusSeeOther || !strings.HasPrefix(header.Get("Location"), "/sign-in?") {
		t.Errorf("a link without an account: %d", status)
	}
	own := other.takes(t, link)
	if status, body, _ := other.ask(own+"/settings", url.Values{"version": {"1"}, "tuning": {"Open D"}, "capo": {"2"}, "thumb": {"none"}, "profile": {s.firstPlayer(t, "Rook Tansy")}}); status != 303 {
		t.Errorf("a change of the copy: %d %.300s", status, body)
	}
	if status, _, _ := pupil.ask(link, url.Values{}); status != http.StatusGone {
		t.Errorf("a link is used twice: %d", status)
	}
	unconnected, err := s.store.AddProfile(t.Context(), s.owner, player.Default())
	if err != nil {
		t.Fatal(err)
	}
	if _, body, _ := teacher.ask(tune+"/lend", url.Values{"for": {unconnected.String()}, "as": {"copy"}}); !strings.Contains(body, "to read and practise it") {
		t.Error("the link of a pupil's sheet, which is never a copy, says that it is one")
	}
	link = teacher.lends(t, tune+"/lend", url.Values{"as": {"read"}})
	mine, err := s.store.Loans(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	mustLocation(t, teacher, "/loans/"+mine[0].ID.String()+"/end", url.Values{})
	if status, _, _ := other.ask(link, url.Values{}); status != http.StatusGone {
		t.Errorf("a link that was taken back: %d", status)
	}
}

func (s *site) firstPlayer(t *testing.T, name string) string {
	t.Helper()
	profiles, err := s.store.Profiles(t.Context(), s.ownerOf(t, name))
	if err != nil || len(profiles) == 0 {
		t.Fatal(profiles, err)
	}
	return profiles[0].ID.String()
}

// TestPupils: sheets in two tabs, levels kept and applied, remarks, and the sheets on paper.
func TestPupils(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	left := profiles[1].Profile
	left.LeftHanded, left.Name, left.Lean, left.Level = true, "Rook", "none", setup.Proposed[2]
	if err := s.store.SaveProfile(t.Context(), s.owner, profiles[1].ID, profiles[1].Version, left); err != nil {
		t.Fatal(err)
	}
	s.taught(t, profiles)
	tune := s.tunePath(t, 1)
	ask := func(method, path string, form url.Values) (int, string) {
		t.Helper()
		status, body, _ := s.ask(t, method, tune+path, form)
		return status, body
	}
	status, body := ask("GET", "/sheets", nil)
	for began := time.Now(); strings.Contains(body, "data-poll") && time.Since(began) < time.Minute; {
		time.Sleep(50 * time.Millisecond)
		status, body = ask("GET", "/sheets", nil)
	}
	if status != 200 || !strings.Contains(body, "Where they differ") || !strings.Contains(body, "because</b>") || !strings.Contains(body, "Half way") ||
		!strings.Contains(body, "Count this bar aloud") {
		t.Errorf("the sheets: %d %.2000s", status, body)
	}
	if status, body := ask("GET", "/sheets/print", nil); status != 200 || strings.Count(body, "<article") != 2 || strings.Count(body, `data-hand="left"`) != 1 ||
		strings.Count(body, "Count this bar aloud") != 2 {
		t.Errorf("on paper: %d, %d sheets", status, strings.Count(body, "<article"))
	}
	for path, form := range map[string]url.Values{
		"/sheets": {"had": {"null"}}, "/remark": {"bar": {"2"}, "remark": {"Faster"}},
	} { // from a page that is old by now
		if status, body := ask("POST", path, form); status != http.StatusConflict || !strings.Contains(body, "Count this bar aloud") {
			t.Errorf("%s in two tabs: %d", path, status)
		}
	}
	for path, form := range map[string]url.Values{"/remark": {"bar": {"99"}, "remark": {"Nowhere at all"}}, "/lick": {"first": {"15"}, "last": {"99"}, "name": {"Too long"}}} {
		if status, body := ask("POST", path, form); status != http.StatusUnprocessableEntity || !strings.Contains(body, "99") {
			t.Errorf("%s behind the end: %d %.300s", path, status, body)
		}
	}
	version := func() string {
		got, err := s.store.Tune(t.Context(), s.owner, idOf(t, tune))
		if err != nil {
			t.Fatal(err)
		}
		return strings.TrimSpace(string(rune('0' + got.Version)))
	}
	for _, form := range []url.Values{{"use": {"First steps"}}, {"name": {"Tuesday class"}}, {"use": {"Full"}}, {"use": {"tuesday CLASS"}}} {
		form.Set("version", version())
		if status, body := ask("POST", "/levels", form); status != 303 {
			t.Fatalf("%v: %d %.300s", form, status, body)
		}
	}
	got, err := s.store.Tune(t.Context(), s.owner, idOf(t, tune))
	if err != nil || got.Settings.Ease != setup.Proposed[2].Ease || len(got.Settings.Levels) != 1 {
		t.Errorf("levels: %+v %v", got.Settings, err)
	}
	if status, body := ask("POST", "/levels", url.Values{"version": {version()}, "name": {"Rook’s own"}, "for": {profiles[1].ID.String()}}); status != 200 || !strings.Contains(body, "Rook’s own") {
		t.Errorf("a level for a player: %d", status)
	}
	if status, body := ask("POST", "/lend", url.Values{}); status != http.StatusConflict || !strings.Contains(body, "accounts") {
		t.Errorf("lending without accounts: %d", status)
	}
}

// TestClassroom: the demo's accounts are made once, can sign in, the tune is lent to both pupils as their sheets, and the log of
// one of them is shown.
func TestClassroom(t *testing.T) {
	t.Parallel()
	dsn, err := storetest.DSN()
	if err != nil {
		t.Fatal(err)
	}
	st, err := store.Open(t.Context(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	owner, err := demo.Prepare(t.Context(), st, true)
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []bool{true, false} {
		if made, err := demo.Classroom(t.Context(), st, owner, "brass on the tenth fret"); made != want || err != nil {
			t.Fatalf("made %v, %v", made, err)
		}
		if err := demo.Lessons(t.Context(), st, time.Now()); err != nil {
			t.Fatal(err)
		}
	}
	for i, a := range demo.Accounts {
		got, err := st.Account(t.Context(), a.Name)
		if err != nil {
			t.Fatal(err)
		}
		if right, _ := account.Verify(got.Password, "brass on the tenth fret"); !right {
			t.Errorf("%s cannot sign in", a.Name)
		}
		tunes, err := st.Tunes(t.Context(), got.Owner)
		if err != nil || i > 0 && (len(tunes) != 1 || tunes[0].Lender != demo.Accounts[0].Name || tunes[0].Settings.Ease == 0) {
			t.Errorf("%s has %+v, %v", a.Name, tunes, err)
		}
	}
	loans, err := st.Loans(t.Context(), owner)
	if err != nil {
		t.Fatal(err)
	}
	shown := 0
	for _, l := range loans {
		if log, _, err := st.PupilsLog(t.Context(), owner, l.Profile); l.Tune == (store.ID{}) && err == nil && len(log) == 1 && len(log[0].Passes) > 10 {
			shown++
		}
	}
	if len(loans) != 4 || shown != 1 {
		t.Errorf("%d loans, %d logs shown", len(loans), shown)
	}
}
