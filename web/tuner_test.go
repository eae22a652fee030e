package web_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"stepping/core/sound"
)

// pluck is samples of a string at a pitch, of 16 bits.
func pluck(hz float64, str, rate int, seconds float64) []byte {
	tone := sound.Tone(hz, str, rate)
	samples := make([]float64, tone.Len())
	tone.Samples(samples)
	out := make([]byte, 0, 2*int(seconds*float64(rate)))
	for i := range int(seconds * float64(rate)) {
		v := 0.0
		if i < len(samples) {
			v = samples[i]
		}
		out = binary.LittleEndian.AppendUint16(out, uint16(int16(32767*v)))
	}
	return out
}

// TestTuner: what the bench says of strings plucked where string 6 is turned on the way to open D: the one that
// is turned, another, one an octave off, none; soon enough to turn by. What is no sound is refused.
func TestTuner(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	const rate = 48000
	ask := func(query string, body []byte) (status int, a struct {
		String, Octaves int
		Hz, Cents       float64
		Right           bool
		Words, Error    string
	}) {
		req, err := http.NewRequest("POST", s.URL+"/bench/hear?"+query, bytes.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		if err := json.NewDecoder(res.Body).Decode(&a); err != nil {
			t.Error(err)
		}
		return res.StatusCode, a
	}
	at := func(step int) string {
		return url.Values{"from": {"Standard"}, "to": {"Open D"}, "i": {fmt.Sprint(step)}, "rate": {fmt.Sprint(rate)}}.Encode()
	}
	last := func(all []byte) []byte { return all[len(all)-rate:] } // half a second
	var took []time.Duration
	for _, c := range []struct {
		hz, cents float64
		str       int
		right     bool
		words     string
	}{{73.42, 0, 6, true, "In tune"}, {73.42, -14, 6, false, "14 cents low: turn up"},
		{82.41, 200, 6, false, "200 cents high: turn down"}, {146.83, 0, 4, false, "That is string 4. Pluck string 6"},
		{36.71, -1200, 6, false, "An octave too low: is this string 6? Turn up"}, {620, 0, 0, false, "not a string of this tuning"}} {
		hz := c.hz
		if math.Abs(c.cents) == 14 {
			hz *= math.Exp2(c.cents / 1200)
		}
		began := time.Now()
		status, a := ask(at(2), last(pluck(hz, max(c.str, 1), rate, 0.9)))
		took = append(took, time.Since(began))
		if status != 200 || a.String != c.str || a.Right != c.right || !strings.Contains(a.Words, c.words) || math.Abs(a.Cents-c.cents) > 1.5 {
			t.Errorf("%.2f Hz: %d %+v", hz, status, a)
		}
	}
	if status, a := ask(at(2), make([]byte, rate)); status != 200 || a.Hz != 0 || !strings.Contains(a.Words, "Pluck string 6") {
		t.Errorf("silence: %d %+v", status, a)
	}
	slices.Sort(took)
	t.Logf("figure: an answer takes %v, %v at most", took[len(took)/2].Round(time.Millisecond), took[len(took)-1].Round(time.Millisecond))
	for query, body := range map[string][]byte{at(0) + "x": nil, strings.Replace(at(0), "48000", "0", 1): nil,
		at(0): make([]byte, 257<<10), "rate=48000&from=zz&to=Open+D": nil} {
		if status, a := ask(query, body); status == 200 && a.Hz != 0 || status != 200 && a.Error == "" {
			t.Errorf("%s: %d %+v", query, status, a)
		}
	}
}

// TestTunerGoesOn: strings are plucked before the microphone, out of tune and then in tune: the bench tells
// which way to turn, and goes on to the next string by itself.
func TestTunerGoesOn(t *testing.T) {
	if testing.Short() {
		t.Skip("plays before a microphone; TestTuner asks the server")
	}
	t.Parallel()
	s := newSite(t)
	const rate = 48000
	const hz = 293.66
	played := slices.Concat(sound.Header(rate, 0), pluck(hz*math.Exp2(-25.0/1200), 1, rate, 3), pluck(hz, 1, rate, 4), make([]byte, 40*rate))
	microphone(t, 1, played)
	b := newTab(t, s, 1280, 800)
	b.open("/bench?from=Standard&to=Open+D")
	b.until("document.querySelector('.tuner:not([hidden])')")
	first := b.text(".turn-string b")
	b.key("l")
	b.until("/25 cents low: turn up/.test(document.querySelector('.tuner-words').textContent)")
	b.accessible("listening")
	if dir := os.Getenv("STEPPING_SHOTS"); dir != "" {
		b.shot(filepath.Join(dir, "bench.png"))
	}
	b.until("document.querySelector('.turn-string b').textContent !== '" + first + "'")
	b.until("/Pluck string/.test(document.querySelector('.tuner-words').textContent)")
	if where := eval[string](b, "location.search"); !strings.Contains(where, "i=1") || first != "1" {
		t.Errorf("it went on from string %s to %s", first, where)
	}
	b.key("l")
	b.until("!document.querySelector('.tuner-listen.is-on')")
}
