package web_test

import (
	"encoding/binary"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
)

// TestHear: the sound of a plan comes at once and as long as it says; bars and layers are chosen by the
// address; what cannot be is told. A browser can play it.
func TestHear(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.tunePath(t, 0)
	s.ask(t, "GET", path, nil) // the plan
	start := time.Now()
	res, err := http.Get(s.URL + path + "/sound.wav")
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	head := make([]byte, 44)
	if _, err := io.ReadFull(res.Body, head); err != nil {
		t.Fatal(err)
	}
	first := time.Since(start)
	rest, err := io.ReadAll(res.Body)
	if err != nil || res.Header.Get("Content-Type") != "audio/wav" || int64(44+len(rest)) != res.ContentLength ||
		int(binary.LittleEndian.Uint32(head[40:])) != len(rest) {
		t.Errorf("%v, %d bytes of %d, %s", err, len(rest), res.ContentLength, res.Header)
	}
	t.Logf("first byte after %v, %d bytes after %v", first, len(rest), time.Since(start))
	for query, want := range map[string]int{"bars=3-4&layers=melody": 200, "bars=40": 400, "layers=drums": 400, "tempo=fast": 400,
		"tempo=1e9": 400, "repeats=-1": 400, "count=99": 400, "bars=1-16&repeats=1000": 400} {
		if status, body, _ := s.ask(t, "GET", path+"/sound.wav?"+query, url.Values(nil)); status != want {
			t.Errorf("%s: %d %.200s", query, status, body)
		}
	}
	for query, want := range map[string]string{"bars=9-400": "Bars 9 to 400: the tune has bars 1 to 16",
		"tempo=fast": "give 10 to 400", "count=99": "up to 32 beats", "bars=x": "write bars like 3-6"} {
		if status, body, _ := s.ask(t, "GET", path+"/hear?"+query, url.Values(nil)); status != 422 ||
			!strings.Contains(body, want) || strings.Contains(body, "<audio") {
			t.Errorf("hear %s: %d, without %q", query, status, want)
		}
	}
	for address, want := range map[string]int{path + "/sound.wav?moment=3": 200, path + "/sound.wav?moment=3&strum=1": 200,
		path + "/sound.wav?moment=9999": 400, path + "/sound.wav?moment=-1": 400,
		path + "/sound.wav?moment=3&pin=" + url.QueryEscape(`{"at":"3","part":"melody","string":2,"fret":5,"how":"glide"}`): 200,
		path + "/sound.wav?moment=3&pin=" + url.QueryEscape(`{"string":9}`):                                                 400,
		path + "/sound.wav?layers=silence&bars=1-2&count=3":                                                                 200,
		"/chords.wav?c=D+|+G&tuning=Open+D&repeats=2":                                                                       200,
		"/chords.wav?c=D&grip=1&i=7":                                                                                        200,
		"/chords.wav?c=H":                                                                                                   400,
		"/chords.wav?c=D&repeats=9999":                                                                                      400,
		"/tone.wav?hz=110&string=5":                                                                                         200,
		"/tone.wav?hz=1":                                                                                                    400,
		"/tone.wav?hz=NaN":                                                                                                  400,
		"/tone.wav?hz=110&string=7":                                                                                         400} {
		for range 2 { // made, and kept
			res, err := http.Get(s.URL + address)
			if err != nil {
				t.Fatal(err)
			}
			data, err := io.ReadAll(res.Body)
			res.Body.Close()
			if err != nil || res.StatusCode != want || want == 200 && (string(data[:4]) != "RIFF" ||
				int64(len(data)) != res.ContentLength || int(binary.LittleEndian.Uint32(data[40:])) != len(data)-44) {
				t.Errorf("%s: %d, %d bytes of %d, %v", address, res.StatusCode, len(data), res.ContentLength, err)
			}
		}
	}
	b := newTab(t, s, 1280, 800)
	b.open(path + "/ladder")
	if n := eval[int](b, "document.querySelectorAll('.rung li').length"); n < 20 {
		t.Errorf("%d steps", n)
	}
	if src := eval[string](b, "document.querySelector('.rung li .act').getAttribute('href')"); !strings.Contains(src, "practise?step=thumb") {
		t.Error(src)
	}
	b.open(path + "/hear?layer=melody&bars=1-2")
	if src := eval[string](b, "document.querySelector('audio').src"); !strings.Contains(src, "layers=melody") || !strings.Contains(src, "bars=1-2") {
		t.Error(src)
	}
	eval[bool](b, "(document.querySelector('audio').preload = 'auto', document.querySelector('audio').load(), true)")
	b.until("document.querySelector('audio').duration > 3 && document.querySelector('audio').readyState >= 3")

	// Space plays what the page has; the bars follow it, also where they are played again, counted in and slower than planned.
	b.open(path + "/hear?layer=melody&bars=3-4&tempo=160&count=2")
	b.until("document.querySelector('#whole')._x_dataStack")
	b.key(" ")
	b.until("document.querySelector('.hear-at b').textContent === '…'")
	for _, bar := range []string{"3", "4", "3"} {
		b.until("document.querySelector('.hear-at b').textContent === '" + bar + "' && document.querySelector('.paper-bar-link.is-here').dataset.bar === '" + bar + "'")
	}
	b.key(" ")
	b.until("document.querySelector('audio').paused && document.querySelector('.hear .pad b').textContent === 'play'")
}

// TestFollow: Space plays from the cursor, and the cursor keeps to the clock of the sound; Space stops.
func TestFollow(t *testing.T) {
	if testing.Short() {
		t.Skip("follows a plan by its sound in a browser")
	}
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open(s.tunePath(t, 0))
	b.key(kb.PageDown)
	b.until("document.querySelector('.when b').innerText === '2'")
	eval[bool](b, `(() => {
		const data = document.querySelector('#lectern')._x_dataStack[0];
		// Within one frame, so that a busy machine, which draws few, is no reason to be late.
		window.off = [];
		const follows = Sounds.follow.bind(Sounds);
		Sounds.follow = (audio, still, at, over) => follows(audio, still, (seconds) => {
			at(seconds);
			const now = seconds + data.data.starts[1];
			const here = data.data.when[data.data.at];
			const next = data.data.when[data.data.at + 1] ?? Infinity;
			window.off.push(Math.max(here - now, now - next, 0));
			window.moved ||= data.data.at > 5;
		}, over);
		return true;
	})()`)
	b.key(" ")
	b.until("window.moved && window.off.length >= 6")
	off := eval[[]float64](b, "window.off")
	worst := slices.Max(off[1:]) // the first is where the cursor stood
	t.Logf("the cursor is at most %.0f ms off the sound", 1000*worst)
	if worst > 0.03 {
		t.Errorf("the cursor is %.0f ms off the sound", 1000*worst)
	}
	b.key(" ")
	b.until("document.querySelector('#lectern')._x_dataStack[0].audio === null")
}

// TestLoop: keys make it slower and play the bar over and over; the cursor stays in the bar, also as it sounds on.
func TestLoop(t *testing.T) {
	if testing.Short() {
		t.Skip("plays bars over and over; TestHear plays them once")
	}
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open(s.tunePath(t, 0))
	planned := eval[int](b, "Number(document.querySelector('.ear-tempo').textContent)")
	b.key(kb.PageDown)
	b.until("document.querySelector('.when b').innerText === '2'")
	b.key(" ")
	b.until("document.querySelector('#lectern')._x_dataStack[0].audio?.currentTime > 0")
	for _, k := range []string{"o", ".", ",", "."} { // while it sounds: it goes on so
		b.key(k)
	}
	faster := eval[int](b, "Number(document.querySelector('.ear-tempo').textContent)")
	if faster <= planned || float64(faster) > 1.08*float64(planned) {
		t.Errorf("%d of %d", faster, planned)
	}
	src := eval[string](b, "document.querySelector('#lectern')._x_dataStack[0].audio.src")
	if !strings.Contains(src, "bars=2-2&repeats=") || !strings.Contains(src, fmt.Sprintf("&tempo=%d&layers=melody,thumb,percussion,noise", faster)) {
		t.Error(src)
	}
	eval[bool](b, `(() => {
		const data = document.querySelector('#lectern')._x_dataStack[0];
		window.seen = new Set();
		const look = () => { window.seen.add(data.data.barOf[data.data.at]); window.back ||= data.data.at < window.before; window.before = data.data.at; requestAnimationFrame(look); };
		look();
		return true;
	})()`)
	b.until("window.back") // round once
	if bars := eval[[]int](b, "[...window.seen]"); len(bars) != 1 || bars[0] != 2 {
		t.Errorf("the cursor was in bars %v", bars)
	}
	b.key(" ")
	b.until("document.querySelector('#lectern')._x_dataStack[0].audio === null")
}
