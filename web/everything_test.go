package web_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"stepping/core/entry"
	"stepping/core/intonation"
	"stepping/core/pattern"
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

// TestEverything: what one takes with them comes back for another with every setting and pin, once; what is no
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
	slid := intonation.Played{At: pass.At, Place: intonation.Place{String: 2, Fret: 7}, Finger: 4, Cents: -7.5, Vibrato: &intonation.Vibrato{Hz: 5, Width: 30}}
	if err := errors.Join(s.store.AddPasses(t.Context(), s.owner, played[0].ID, pass, pass),
		s.store.AddSlideNotes(t.Context(), s.owner, played[0].ProfileID, slid),
		s.store.SetNote(t.Context(), s.owner, played[0].ID, 3, "slow"),
		s.store.SetTags(t.Context(), s.owner, played[0].ID, []string{"slow", "saturday"})); err != nil {
		t.Fatal(err)
	}
	if status, body, _ := first.ask("/pages",
		url.Values{"name": {"Saturday"}, "kind": {"set"}, "query": {"guitars=1&t=" + played[1].ID.String()}}); status != 303 {
		t.Fatal(status, body)
	}
	kept := strings.TrimPrefix(mustLocation(t, first, "/tunes/"+played[1].ID.String()+"/lick", url.Values{"first": {"1"}, "last": {"2"}, "name": {"Bucket one"}}), "/licks/")
	for path, form := range map[string]url.Values{"/sheets": {"had": {"null"}, "pupil": {played[1].ProfileID.String()}, "level-" + played[1].ProfileID.String(): {"Half way"}},
		"/remark": {"bar": {"2"}, "remark": {"Count aloud"}}} {
		mustLocation(t, first, "/tunes/"+played[1].ID.String()+path, form)
	}
	sheet := entry.New("Open D")
	if err := errors.Join(sheet.Press("put:2:3"), sheet.Press("put:1:0")); err != nil {
		t.Fatal(err)
	}
	changed := played[1].Settings
	changed.Capo = 2
	heard := make([]byte, 3*store.UploadPart+2)
	_, err = s.store.Drafts().Add(t.Context(), s.owner, &store.Draft{Name: "half", Neck: &sheet})
	_, err2 := s.store.Gigs().Add(t.Context(), s.owner, &store.Gig{Name: "Barn dance", On: "2027-01-30", Tunes: []store.ID{played[1].ID}})
	_, err3 := s.store.AddTake(t.Context(), s.owner, &store.Take{Tune: played[1].ID, At: pass.At, Name: "one.wav", Samples: int64(len(heard)) / 2, Plan: "p", Doc: []byte("{}")},
		func() (io.Reader, error) { return bytes.NewReader(heard), nil })
	if err := errors.Join(err, err2, err3, s.store.SaveSettings(t.Context(), s.owner, played[1].ID, played[1].Version, played[1].ProfileID, changed)); err != nil {
		t.Fatal(err)
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
	if count["tunes"] != 7 || count["recordings"] != 2 || count["players"] != 2 || count["plans"] != 1 || count["slides"] != 3 || count["practice"] != 1 {
		t.Errorf("%v", count)
	}
	other := s.newAccount(t, store.InviteLink, "Rook Tansy")
	if status, body := other.bring([]byte(data)); status != 200 || !strings.Contains(body, "Added: 3 tunes, 2 players, 3 slides, 1 licks, 1 saved pages, 1 gigs, 1 drafts, 2 tries, 1 recordings") {
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
	if got, err := s.store.SlideNotes(t.Context(), owner.Owner, theirs[0].ProfileID); err != nil || !reflect.DeepEqual(got, []intonation.Played{slid}) {
		t.Errorf("what was played with the slide came back as %+v, %v", got, err)
	}
	licks, err := s.store.Licks().All(t.Context(), owner.Owner)
	sheets, err2 := s.store.Sheets(t.Context(), owner.Owner, theirs[1].ID)
	remarks, err3 := s.store.Remarks(t.Context(), owner.Owner, theirs[1].ID)
	was, err4 := s.store.Licks().Get(t.Context(), s.owner, store.ID(uuid.MustParse(kept)))
	if err := errors.Join(err, err2, err3, err4); err != nil || len(licks) != 1 || !reflect.DeepEqual(licks[0].Doc.Kept, was.Doc.Kept) || licks[0].Doc.Tune != theirs[1].ID ||
		len(sheets) != 1 || sheets[0].Level.Name != "Half way" || sheets[0].Profile != theirs[1].ProfileID || len(remarks) != 1 || remarks[0].Text != "Count aloud" {
		t.Errorf("licks, sheets and remarks came back as %+v, %+v, %+v: %v", licks, sheets, remarks, err)
	}
	gigs, err := s.store.Gigs().All(t.Context(), owner.Owner)
	drafts, err2 := s.store.Drafts().All(t.Context(), owner.Owner)
	edits, head, err3 := s.store.History(t.Context(), owner.Owner, theirs[1].ID)
	takes, err4 := s.store.Takes(t.Context(), owner.Owner, theirs[1].ID)
	if err := errors.Join(err, err2, err3, err4); err != nil || len(gigs) != 1 || !gigs[0].Doc.With(theirs[1].ID) || len(drafts) != 1 ||
		!reflect.DeepEqual(drafts[0].Doc.Neck, &sheet) || len(edits) != 2 || head != 1 || !reflect.DeepEqual(edits[0].Settings, played[1].Settings) || len(takes) != 1 {
		t.Fatalf("%+v %+v %+v %d %+v %v", gigs, drafts, edits, head, takes, err)
	}
	for number := range 4 {
		got, err := s.store.TakeSound(t.Context(), owner.Owner, takes[0].ID, number)
		if want := heard[number*store.UploadPart : min((number+1)*store.UploadPart, len(heard))]; err != nil || !bytes.Equal(got, want) {
			t.Errorf("block %d of the recording: %d bytes, %v", number, len(got), err)
		}
	}
	if _, body := first.bring([]byte(data)); !strings.Contains(body, "nothing was added") {
		t.Errorf("what is here comes in: %.300s", body)
	}
	if err := s.store.DeleteTune(t.Context(), owner.Owner, theirs[0].ID); err != nil {
		t.Fatal(err)
	}
	if _, body := other.bring([]byte(data)); !strings.Contains(body, "Added: 1 tunes.") {
		t.Errorf("a deleted tune: %.300s", body)
	}
	for name, bad := range map[string]struct {
		data []byte
		want string
	}{
		"half":     {[]byte(data[:len(data)/2]), "cut off"},
		"none":     {zipOf(t, map[string]string{"x.txt": "hello"}), "not exported by Stepping"},
		"tune":     {zipOf(t, map[string]string{"tunes/a.abc": "K:D\nD2 &|", "tunes/b.abc": "nothing"}), "tunes/"},
		"settings": {zipOf(t, map[string]string{"tunes/a.abc": "K:D\nD2|", "tunes/a.json": `{"settings":{"capo":99}}`}), "tunes/a.abc"},
		"log": {zipOf(t, map[string]string{"tunes/a.abc": "K:D\nD2|", "practice/a.json": `{"passes":[{"tempo":1e9}]}`}),
			"its log: pass 1"},
		"player": {zipOf(t, map[string]string{"players/a.json": `{"name":7}`}), "players/a.json"},
		"page":   {zipOf(t, map[string]string{"pages/a.json": `{"name":"x","kind":"//elsewhere","query":"a=b"}`}), "pages/a.json"},
		"tags": {zipOf(t, map[string]string{"tunes/a.abc": "K:D\nD2|",
			"tunes/a.json": `{"tags":["aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa"],"settings":{"tuning":"Standard","thumb":"none"}}`}), "its tags"},
		"history": {zipOf(t, map[string]string{"tunes/a.abc": "K:D\nD2|", "tunes/a.history.json": `{"head":3,"edits":[]}`}), "its history"},
		"gig":     {zipOf(t, map[string]string{"gigs/1.json": `{"name":"x","on":"tomorrow"}`, "players/a.json": "{}"}), "a name and a day"},
		"lick":    {zipOf(t, map[string]string{"licks/1.json": `{"name":"x","bars":2,"num":4,"den":3}`}), "licks/1.json"},
		"draft":   {zipOf(t, map[string]string{"drafts/1.json": `{"data":"AAAA"}`}), "drafts/1.json"},
		"index":   {zipOf(t, map[string]string{"tunes/a.abc": "K:D\nD2|", "index.json": `{"ids":{"tunes/a":7}}`}), "index.json"},
		"long":    {zipOf(t, map[string]string{"patterns/1.json": strings.Replace(mustJSON(t, &pattern.Library[0]), pattern.Library[0].Name, strings.Repeat("x", 300), 1)}), "patterns/1.json: "},
		"bomb":    {zipOf(t, map[string]string{"tunes/a.abc": strings.Repeat("x", 3<<20)}), "larger than 2 MiB"},
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

func mustJSON(t *testing.T, v any) string {
	t.Helper()
	data, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}
