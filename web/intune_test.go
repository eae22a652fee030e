package web_test

import (
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"stepping/core/intonation"
	"stepping/core/sound"
	"stepping/core/take/taketest"
	"stepping/core/tuning"
)

// slidAt is sound of the first notes of an exercise, each so many cents off, one every two and a half seconds.
func slidAt(tasks []intonation.Task, cents ...float64) []float64 {
	pf := &taketest.Performance{Seconds: 2.5 * float64(len(cents))}
	for i, off := range cents {
		hz := tasks[i].Hz * math.Exp2(off/1200)
		at := 0.2 + 2.5*float64(i)
		pf.Notes = append(pf.Notes, taketest.Note{String: tasks[i].String, At: at, Hz: hz, From: hz, Level: 0.8, Tau: 1.2, Metal: true})
		pf.Damps = append(pf.Damps, taketest.Damp{String: tasks[i].String, At: at + 1.4, Tau: 0.02})
	}
	return pf.Strings(3)
}

// heardSlide is what is answered to who trains with the slide.
type heardSlide struct {
	At    int
	Heard bool
	Cents float64
	Done  *struct {
		Good, Lost bool
		Head       string
		Told       []string
	}
}

// TestInTune: the trainer asks for places, hears over a WebSocket where the slide lies, says how each note was stopped,
// and keeps it: the neck of the next page shows it. In the browser it goes on to the next note by itself. What cannot
// be asked for is refused with a sentence.
func TestInTune(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	who := profiles[0].ID
	open, err := tuning.Parse("Open D")
	if err != nil {
		t.Fatal(err)
	}
	const seed = 1_800_000_000_000
	tasks, err := intonation.New(intonation.ThereAndBack, &intonation.Neck{Tuning: open, Frets: profiles[0].Profile.Instrument.Frets}, nil, seed)
	if err != nil {
		t.Fatal(err)
	}
	path := fmt.Sprintf("/profiles/%s/slide", who)
	query := fmt.Sprintf("?kind=there&tuning=Open+D&seed=%d", seed)
	if _, body, _ := s.ask(t, "GET", path+query, nil); !strings.Contains(body, fmt.Sprintf("<b data-string>%d</b>", tasks[0].String)) || !strings.Contains(body, "Nothing here yet") {
		t.Errorf("the page asks for something else: %.400s", body)
	}

	conn, status := s.connect(t, path+"/listen"+query+"&rate=24000", nil)
	if conn == nil {
		t.Fatal(status)
	}
	data := sound.AppendSamples(nil, slidAt(tasks, -14, 2, 15))
	const piece = 2 * taketest.Rate / 25
	const aNote = 5 * taketest.Rate // bytes of 2.5 s
	var heads []string
	for i, want := range []float64{-14, 2, 15} {
		if err := conn.Write(t.Context(), websocket.MessageText, fmt.Appendf(nil, `{"at":%d}`, i)); err != nil {
			t.Fatal(err)
		}
		seen := 0
		for at := aNote * i; at+piece <= aNote*(i+1); at += piece {
			if err := conn.Write(t.Context(), websocket.MessageBinary, data[at:at+piece]); err != nil {
				t.Fatal(err)
			}
			var a heardSlide
			if err := wsjson.Read(t.Context(), conn, &a); err != nil {
				t.Fatal(err)
			}
			if a.At != i {
				t.Fatalf("%+v of note %d", a, i)
			}
			if a.Heard && math.Abs(a.Cents-want) < 4 {
				seen++
			}
			if a.Done != nil {
				heads = append(heads, a.Done.Head)
				if a.Done.Lost || a.Done.Good != (i == 1) {
					t.Errorf("note %d: %+v", i, a.Done)
				}
			}
		}
		if seen < 20 {
			t.Errorf("note %d was seen in place %d times", i, seen)
		}
	}
	if said := strings.Join(heads, "; "); !strings.HasSuffix(heads[0], "cents flat") || heads[1] != "In tune" || !strings.HasSuffix(said, "cents sharp") {
		t.Errorf("said: %s", said)
	}
	ends := func(kind websocket.MessageType, data string) websocket.StatusCode {
		conn, _ := s.connect(t, path+"/listen"+query+"&rate=24000", nil)
		if err := conn.Write(t.Context(), kind, []byte(data)); err != nil {
			t.Fatal(err)
		}
		_, _, err := conn.Read(t.Context())
		var end websocket.CloseError
		errors.As(err, &end)
		return end.Code
	}
	for _, data := range []string{`{"at":99}`, `{"at":-1}`, `{"at":1e99}`, "hello"} {
		if code := ends(websocket.MessageText, data); code != websocket.StatusUnsupportedData {
			t.Errorf("%s: %d", data, code)
		}
	}
	if rows, err := s.store.SlideNotes(t.Context(), s.owner, who); err != nil || len(rows) != 3 || rows[1].From == nil || *rows[1].From != tasks[0].Fret {
		t.Errorf("kept: %+v, %v", rows, err)
	}
	_, body, _ := s.ask(t, "GET", path+"?seed="+fmt.Sprint(time.Now().Add(time.Hour).UnixMilli()), nil)
	if !strings.Contains(body, "over 2 of your notes") && !strings.Contains(body, "over 1 of your notes") {
		t.Errorf("the neck does not show it: %.2000s", body)
	}
	for q, want := range map[string]string{"kind=tune": "choose a tune", "kind=scale&chord=H": "chord root", "tuning=Q": "tuning", "capo=99": "capo",
		"tune=9": "no such tune"} {
		if status, body, _ := s.ask(t, "GET", path+"?seed=5&"+q, nil); status != 200 || !strings.Contains(strings.ToLower(body), want) {
			t.Errorf("%s: %d, without %q: %.600s", q, status, want, body)
		}
		if _, status := s.connect(t, path+"/listen?rate=24000&seed=5&"+q, nil); status != 422 {
			t.Errorf("%s: listened to with %d", q, status)
		}
	}
	if status, body, _ := s.ask(t, "GET", path+"?seed=5&kind=tune&tune="+strings.TrimPrefix(s.tunePath(t, 1), "/tunes/"), nil); status != 200 || !strings.Contains(body, "data-fret") {
		t.Errorf("a tune's notes: %d", status)
	}

	sounds := slidAt(tasks, -14, 2)
	microphone(t, 1, sound.AppendSamples(sound.Header(taketest.Rate, len(sounds)), sounds))
	b := newTab(t, s, 1280, 800)
	b.open(path + query)
	b.until("document.querySelector('.intune')._x_dataStack")
	b.accessible("the trainer")
	b.do(chromedp.Click(".intune-other summary"), chromedp.Click("[data-first]"))
	b.do(chromedp.Evaluate[chromedp.Void]("document.activeElement.blur()"))
	b.key(" ")
	b.until("document.querySelector('[data-words]').textContent.endsWith('cents flat')")
	b.until("document.querySelector('[data-count]').textContent.startsWith('note 2')")
	b.key(kb.PageDown)
	if rows, err := s.store.SlideNotes(t.Context(), s.owner, who); err != nil || len(rows) < 4 {
		t.Errorf("after the browser %d notes, %v", len(rows), err)
	}
}
