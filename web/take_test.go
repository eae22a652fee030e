package web_test

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"mime/multipart"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/PuerkitoBio/goquery"
	"github.com/chromedp/chromedp/kb"
	"github.com/google/uuid"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/sound"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/formats/wav"
	"stepping/store"
)

// recording is the demo's second tune as it is planned there, played with faults, as a WAV file.
func recording(t *testing.T, s *site, f *sound.Faults) []byte {
	t.Helper()
	tunes, err := s.store.Tunes(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	tu, _, err := abc.Read(strings.NewReader(tunes[1].Source))
	if err != nil {
		t.Fatal(err)
	}
	tn, err := tuning.Parse("Open G")
	if err != nil {
		t.Fatal(err)
	}
	pr := player.Default()
	pr.Slide = player.Slide{LengthMM: 60, BoreMM: 20, WallMM: 3, Material: "glass"}
	p, err := plan.Solve(t.Context(), plan.Request{Tune: tu, Tuning: tn, Player: pr, Thumb: pattern.Alternating})
	if err != nil {
		t.Fatal(err)
	}
	played, err := sound.Of(p).With(f)
	if err != nil {
		t.Fatal(err)
	}
	snd, err := sound.New(played, sound.Options{Rate: 16000})
	if err != nil {
		t.Fatal(err)
	}
	data, err := io.ReadAll(snd)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// faults are some that a recording may have.
var faults = sound.Faults{Notes: []sound.NoteFault{{At: 9 * tune.Quarter, Cents: -30}, {At: 21 * tune.Quarter, LateMs: 110},
	{At: 30 * tune.Quarter, Drop: true}}, RoomDB: -60}

// give puts a file into the page's form and sends it.
func (b *tab) give(data []byte) {
	b.t.Helper()
	eval[bool](b, `(() => {
		const bytes = Uint8Array.from(atob('`+base64.StdEncoding.EncodeToString(data)+`'), (c) => c.charCodeAt(0));
		const held = new DataTransfer();
		held.items.add(new File([bytes], 'take one.wav', { type: 'audio/wav' }));
		document.getElementById('file').files = held.files;
		document.querySelector('.take-form').requestSubmit();
		return true;
	})()`)
}

// give sends a recording to a tune's page, as its form does, and returns the answer.
func (s *site) give(t *testing.T, path string, data []byte) (status int, page *goquery.Selection) {
	t.Helper()
	var buf bytes.Buffer
	form := multipart.NewWriter(&buf)
	file, err := form.CreateFormFile("file", "take one.wav")
	if err == nil {
		_, err = file.Write(data)
	}
	if err = errors.Join(err, form.Close()); err != nil {
		t.Fatal(err)
	}
	res, err := http.Post(s.URL+path, form.FormDataContentType(), &buf)
	return followed(t, http.DefaultClient, res, err)
}

// followed is where an answer leads, once the work on the file that was given is done.
func followed(t *testing.T, client *http.Client, res *http.Response, err error) (status int, page *goquery.Selection) {
	t.Helper()
	for end := time.Now().Add(untilLimit); ; time.Sleep(20 * time.Millisecond) {
		if err != nil {
			t.Fatal(err)
		}
		doc, err2 := goquery.NewDocumentFromReader(res.Body)
		res.Body.Close()
		if err2 != nil {
			t.Fatal(err2)
		}
		if doc.Find("[data-poll]").Length() == 0 {
			return res.StatusCode, doc.Selection
		}
		if time.Now().After(end) {
			t.Fatalf("%s is not done", res.Request.URL)
		}
		res, err = client.Get(res.Request.URL.String())
	}
}

// TestTakePage: a recording is given to the page, and what was wrong is told with a way to its place; of a
// clean one nothing is; what is no recording, and one of another tune, are refused and said why.
func TestTakePage(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.tunePath(t, 1) + "/take"
	status, page := s.give(t, path, recording(t, s, &faults))
	if said := text(page.Find(".takes")); status != 200 || !strings.Contains(said, "cents flat") || !strings.Contains(said, "not heard") ||
		!strings.Contains(said, "late against your own tempo") {
		t.Errorf("%d %.600s", status, said)
	}
	if to := page.Find(".verdict-list a").AttrOr("href", ""); !strings.Contains(to, "?m=") {
		t.Error(to)
	}
	clean := recording(t, s, &sound.Faults{RoomDB: -60})
	if status, page = s.give(t, path, clean); status != 200 || page.Find(".verdict-clean").Length() != 1 {
		t.Errorf("a clean one: %d %.600s", status, text(page.Find(".takes")))
	}
	for want, data := range map[string][]byte{"does not sound like the tune": clean, "This is not a WAV file": []byte("no recording")} {
		if status, page = s.give(t, s.tunePath(t, 2)+"/take", data); status != 422 || !strings.Contains(text(page.Find(".fault")), want) {
			t.Errorf("%d %q, not %q", status, text(page.Find(".fault")), want)
		}
	}
	if status, body, header := s.ask(t, "GET", "/", nil); status != 200 || body == "" ||
		!strings.Contains(header.Get("Permissions-Policy"), "microphone=()") {
		t.Errorf("the microphone is open to other pages: %v", header)
	}
	if status, body, _ := s.ask(t, "POST", path, url.Values{}); status != 422 || !strings.Contains(body, "Choose a file first") {
		t.Errorf("nothing given: %d", status)
	}
}

// hearing is held by the test that has the browser's one microphone.
var hearing sync.Mutex

// microphone lets the browser hear a WAV file of our own, after some seconds of silence and before half a
// minute of it: the browser begins the file again when it ends. Until the test is over no other has the microphone.
func microphone(t *testing.T, lead int, file []byte) {
	t.Helper()
	hearing.Lock()
	t.Cleanup(hearing.Unlock)
	rate := int(binary.LittleEndian.Uint32(file[24:]))
	heard := slices.Concat(make([]byte, 2*rate*lead), file[sound.HeaderBytes:], make([]byte, 2*rate*30))
	out := slices.Concat(sound.Header(rate, len(heard)/2), heard)
	if err := os.WriteFile(fakeMicrophone, out, 0o600); err != nil {
		t.Fatal(err)
	}
}

// TestRecording: the first bars of a tune come through the microphone, are recorded with the pedal alone, kept,
// heard again as they were and at half speed, put next to another recording, counted in the log, and dropped;
// what was heard stands next to the plan.
func TestRecording(t *testing.T) {
	if testing.Short() {
		t.Skip("plays nine seconds before a microphone; TestTakePage, TestFollowed and TestStand have its parts")
	}
	t.Parallel()
	s := newSite(t)
	path := s.tunePath(t, 1)
	status, file, _ := s.ask(t, "GET", path+"/sound.wav?bars=1-4&tempo=100", nil)
	if status != 200 {
		t.Fatal(status)
	}
	microphone(t, 3, []byte(file))
	b := newTab(t, s, 1280, 800)
	b.open(path + "/take")
	b.give([]byte(file))
	b.until("location.pathname.includes('/takes/')")
	b.open(path + "/take")
	b.until("document.querySelector('.takes')._x_dataStack")
	b.key(kb.PageDown)
	b.until("document.querySelector('.record.is-on')")
	b.until("document.querySelector('.takes')._x_dataStack[0].heard && document.querySelector('.stand .is-now')") // the music turns as it is played
	b.until("(([min, sec]) => 60 * min + parseInt(sec, 10) >= 9)(document.querySelector('.record-words').textContent.split(':'))")
	b.key(kb.PageDown)
	b.until("location.pathname.includes('/takes/')")
	b.until("document.querySelector('.take-picture')")
	b.accessible("a take that is kept")
	if said := b.text(".takes"); !strings.Contains(said, "Delete this recording") || !strings.Contains(said, "played at") {
		t.Errorf("%.800s", said)
	}
	found, of := 0, 0
	if _, err := fmt.Sscanf(eval[string](b,
		"document.querySelector('.head-facts').textContent.replace(/\\s+/g, ' ').replace(/^[^:]*:[^:]*:/, '')"), "%d of %d", &found,
		&of); err != nil || found < 10 || found < of*9/10 {
		t.Errorf("%d of %d moments found, %v", found, of, err)
	}
	kept := eval[string](b, "location.pathname")
	for query, factor := range map[string]int{"?from=4&to=6": 1, "?from=4&to=6&slow=1": 2} {
		status, part, _ := s.ask(t, "GET", kept+"/sound.wav"+query, nil)
		r, err := wav.NewReader(strings.NewReader(part))
		if status != 200 || err != nil || len(part) != sound.HeaderBytes+2*2*48000*factor {
			t.Fatalf("%s: %d, %d bytes, %v", query, status, len(part), err)
		}
		loud, samples := 0.0, make([]float64, 2*48000*factor)
		for n, k := 0, 1; n < len(samples) && k > 0; n += k {
			k, _ = r.Read(samples[n:], nil)
		}
		for _, v := range samples {
			loud = max(loud, math.Abs(v))
		}
		if loud < 0.05 {
			t.Errorf("%s is silent: %g", query, loud)
		}
	}
	if status, _, _ := s.ask(t, "GET", kept+"/sound.wav?from=9&to=3", nil); status != 400 {
		t.Errorf("backwards: %d", status)
	}
	b.open(path + "/stand")
	b.until("document.querySelector('.stand-page')._x_dataStack")
	b.key("f")
	b.until("document.querySelector('[data-follow]').ariaPressed === 'true' && Number(document.querySelector('.stand .is-now')?.dataset.moment) >= 3")
	eval[bool](b, "(document.querySelector('.stand-page')._x_dataStack[0].follower.socket.close(), true)")
	b.until("document.getElementById('said').textContent === 'Stepping can hear you again.'")
	b.key(kb.Escape)
	b.until("document.querySelector('.col-heard')")
	b.open(path + "/take")
	eval[bool](b, "document.querySelectorAll('.take-kept input').forEach((i) => i.click()) || true")
	eval[bool](b, "document.querySelector('.take-kept').requestSubmit() || true")
	b.until("document.querySelectorAll('.take-picture').length === 2")
	b.accessible("two takes")
	b.open(kept)
	if eval[bool](b, "!!document.querySelector('.take-pass')") {
		eval[bool](b, "document.querySelector('.take-pass .act-main').click() || true")
		b.until("location.pathname.endsWith('/practise')")
	} else {
		t.Error("it cannot be counted as a pass")
	}
	if passes, err := s.store.PassesOver(t.Context(), s.owner, store.ID(uuid.MustParse(strings.Split(path, "/")[2]))); err != nil ||
		len(passes) != 1 {
		t.Errorf("%d passes, %v", len(passes), err)
	}
	b.open(kept)
	eval[bool](b, "document.querySelector('.take-drop').requestSubmit() || true")
	b.until("location.pathname.endsWith('/take') && document.querySelectorAll('.take-kept tbody tr').length === 1")
	if status, _, _ := s.ask(t, "GET", kept+"/sound.wav", nil); status != 404 {
		t.Errorf("after it was let go of: %d", status)
	}
}
