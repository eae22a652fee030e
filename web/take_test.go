package web_test

import (
	"encoding/base64"
	"io"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/sound"
	"stepping/core/thumb"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/abc"
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
	p, err := plan.Solve(t.Context(), plan.Request{Tune: tu, Tuning: tn, Player: pr, Thumb: thumb.Alternating})
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
var faults = sound.Faults{Notes: []sound.NoteFault{{At: 9 * tune.Quarter, Cents: -30}, {At: 21 * tune.Quarter, LateMs: 110}, {At: 30 * tune.Quarter, Drop: true}}, RoomDB: -60}

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

// TestTakePage: a recording is given to the page, and what was wrong is told with a way to its place; of a clean one nothing is; what is no recording, and one of another tune, are refused and said why.
func TestTakePage(t *testing.T) {
	s := newSite(t)
	path := s.tunePath(t, 1) + "/take"
	b := newTab(t, s, 1280, 800)
	b.open(path)
	b.accessible("the way in")
	b.give(recording(t, s, &faults))
	b.until("document.querySelector('.verdict-list')")
	b.accessible("a take")
	if said := b.text(".takes"); !strings.Contains(said, "cents flat") || !strings.Contains(said, "was not heard") || !strings.Contains(said, "late against your own tempo") {
		t.Errorf("%.600s", said)
	}
	if to := eval[string](b, "document.querySelector('.verdict-list a').getAttribute('href')"); !strings.Contains(to, "?m=") {
		t.Error(to)
	}
	b.give(recording(t, s, &sound.Faults{RoomDB: -60}))
	b.until("document.querySelector('.verdict-clean')")
	b.expect()
	b.open(s.tunePath(t, 2) + "/take")
	b.give(recording(t, s, &sound.Faults{}))
	b.until("document.querySelector('.notice')?.textContent.includes('does not sound like the tune')")
	b.give([]byte("no recording"))
	b.until("document.querySelector('.notice')?.textContent.includes('This is no WAV file')")
	b.open(path) // the browser's own stand-in for a microphone beeps: it is recorded, and it is no tune
	b.until("document.querySelector('.takes')._x_dataStack")
	b.key(" ")
	b.until("document.querySelector('.record.is-on')")
	b.until("document.querySelector('.record-words').textContent.startsWith('0:03')")
	b.key(kb.PageDown)
	b.until("document.querySelector('.notice')?.textContent.includes('does not sound like the tune')")
	if status, body, header := s.ask(t, "GET", "/", nil); status != 200 || body == "" || !strings.Contains(header.Get("Permissions-Policy"), "microphone=()") {
		t.Errorf("the microphone is open to other pages: %v", header)
	}
	if status, body, _ := s.ask(t, "POST", path, url.Values{}); status != 422 || !strings.Contains(body, "Choose a WAV file first") {
		t.Errorf("nothing given: %d", status)
	}
}
