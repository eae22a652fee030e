package web_test

import (
	"archive/zip"
	"bytes"
	"errors"
	"mime/multipart"
	"net/http"
	"net/url"
	"reflect"
	"strings"
	"testing"
	"time"

	"stepping/core/practice"
	"stepping/store"
)

// bring sends an archive.
func (c *caller) bring(data []byte) (status int, body string) {
	c.t.Helper()
	var buf bytes.Buffer
	form := multipart.NewWriter(&buf)
	file, err := form.CreateFormFile("file", "all.zip")
	if err == nil {
		_, err = file.Write(data)
	}
	if err = errors.Join(err, form.Close()); err != nil {
		c.t.Fatal(err)
	}
	client := &http.Client{Transport: c.Transport, Jar: c.Jar} // one that follows
	res, err := client.Post(c.site.URL+"/everything", form.FormDataContentType(), &buf)
	status, page := followed(c.t, client, res, err)
	return status, text(page.Find("main"))
}

func zipOf(t *testing.T, files map[string]string) []byte {
	t.Helper()
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for name, text := range files {
		f, err := z.Create(name)
		if err == nil {
			_, err = f.Write([]byte(text))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return buf.Bytes()
}

// TestEverything: what one takes with him comes back for another with every setting and pin, once; what is no
// archive adds nothing.
func TestEverything(t *testing.T) {
	t.Parallel()
	s := guardedSite(t)
	first := s.newAccount(t, store.FirstLink, "Ash Fernlow")
	if status, _, _ := first.ask(s.tunePath(t, 0)+"/plan.json", nil); status != 200 { // keeps a plan document
		t.Fatal(status)
	}
	played, err := s.store.Tunes(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	pass := practice.Pass{At: time.Date(2026, 5, 4, 18, 0, 0, 0, time.UTC), Key: "thumb 1-4", Layer: practice.ThumbAlone,
		Bars: [2]int{1, 4}, Tempo: 33, Verdict: practice.Clean, Seconds: 20, Move: &practice.Motion{Kind: "again", There: 0.5}}
	if err := errors.Join(s.store.AddPasses(t.Context(), s.owner, played[0].ID, pass, pass),
		s.store.SetNote(t.Context(), s.owner, played[0].ID, 3, "slow"),
		s.store.SetTags(t.Context(), s.owner, played[0].ID, []string{"slow", "saturday"})); err != nil {
		t.Fatal(err)
	}
	if status, body, _ := first.ask("/pages",
		url.Values{"name": {"Saturday"}, "kind": {"set"}, "query": {"guitars=1&t=" + played[1].ID.String()}}); status != 303 {
		t.Fatal(status, body)
	}
	status, data, header := first.ask("/everything.zip", nil)
	if status != 200 || !strings.Contains(header.Get("Content-Disposition"), "attachment") {
		t.Fatal(status, header)
	}
	z, err := zip.NewReader(strings.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	count := map[string]int{}
	for _, f := range z.File {
		count[strings.Split(f.Name, "/")[0]]++
	}
	if count["tunes"] != 6 || count["players"] != 2 || count["plans"] != 1 || count["slides"] != 3 || count["practice"] != 1 {
		t.Errorf("%v", count)
	}
	other := s.newAccount(t, store.InviteLink, "Rook Tansy")
	if status, body := other.bring([]byte(data)); status != 200 || !strings.Contains(body, "Added: 3 tunes, 2 players") {
		t.Fatalf("%d %.600s", status, body)
	}
	if _, body := other.bring([]byte(data)); !strings.Contains(body, "nothing was added") {
		t.Errorf("it comes back twice: %.600s", body)
	}
	owner, err := s.store.Account(t.Context(), "Rook Tansy")
	if err != nil {
		t.Fatal(err)
	}
	mine, _ := s.store.Tunes(t.Context(), s.owner)
	theirs, _ := s.store.Tunes(t.Context(), owner.Owner)
	if len(theirs) != len(mine) {
		t.Fatal(len(theirs))
	}
	for i := range mine {
		if theirs[i].Source != mine[i].Source || theirs[i].Title != mine[i].Title || theirs[i].Tags != mine[i].Tags ||
			!reflect.DeepEqual(theirs[i].Settings, mine[i].Settings) {
			t.Errorf("tune %d came back as\n%+v", i, theirs[i])
		}
	}
	if _, body, _ := other.ask("/set", nil); theirs[0].Tags != "slow, saturday" ||
		!strings.Contains(body, "guitars=1&amp;t="+theirs[1].ID.String()+`">Saturday</a>`) {
		t.Errorf("tags %q, or the kept set names other tunes", theirs[0].Tags)
	}
	passes, err := s.store.PassesOver(t.Context(), owner.Owner, theirs[0].ID)
	notes, err2 := s.store.Notes(t.Context(), owner.Owner, theirs[0].ID)
	if err := errors.Join(err, err2); err != nil || !reflect.DeepEqual(passes, []practice.Pass{pass, pass}) || notes[3] != "slow" {
		t.Errorf("the log came back as %+v, %v: %v", passes, notes, err)
	}
	for name, bad := range map[string]struct {
		data []byte
		want string
	}{
		"half":     {[]byte(data[:len(data)/2]), "cut off"},
		"none":     {zipOf(t, map[string]string{"x.txt": "hello"}), "nothing of Stepping"},
		"tune":     {zipOf(t, map[string]string{"tunes/a.abc": "K:D\nD2 &|", "tunes/b.abc": "nothing"}), "tunes/"},
		"settings": {zipOf(t, map[string]string{"tunes/a.abc": "K:D\nD2|", "tunes/a.json": `{"settings":{"capo":99}}`}), "tunes/a.abc"},
		"log": {zipOf(t, map[string]string{"tunes/a.abc": "K:D\nD2|", "practice/a.json": `{"passes":[{"tempo":1e9}]}`}),
			"the log beside it: pass 1"},
		"player": {zipOf(t, map[string]string{"players/a.json": `{"name":7}`}), "players/a.json"},
		"page":   {zipOf(t, map[string]string{"pages/a.json": `{"name":"x","kind":"//elsewhere","query":"a=b"}`}), "pages/a.json"},
		"tags": {zipOf(t, map[string]string{"tunes/a.abc": "K:D\nD2|",
			"tunes/a.json": `{"tags":["aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa"],"settings":{"tuning":"Standard","thumb":"none"}}`}), "the tags beside it"},
		"bomb": {zipOf(t, map[string]string{"tunes/a.abc": strings.Repeat("x", 3<<20)}), "more than 2 MiB"},
	} {
		if status, body := other.bring(bad.data); status != http.StatusUnprocessableEntity || !strings.Contains(body, bad.want) ||
			!strings.Contains(body, "Nothing was added") {
			_, at, _ := strings.Cut(body, "fault")
			t.Errorf("%s: %d %.200s", name, status, at)
		}
	}
	if after, _ := s.store.Tunes(t.Context(), owner.Owner); len(after) != len(mine) {
		t.Error("a bad archive has added something")
	}
}
