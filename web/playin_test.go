package web_test

import (
	"math"
	"strings"
	"testing"

	"stepping/core/sound"
	"stepping/core/take/taketest"
)

// sung is a line of notes, MIDI numbers a quarter apart and 0 for a rest, as a WAV file.
func sung(bpm float64, notes ...int) []byte {
	pf := &taketest.Performance{Seconds: 1.5 + float64(len(notes))*60/bpm}
	for i, n := range notes {
		hz := 440 * math.Exp2(float64(n-69)/12)
		if n > 0 {
			pf.Notes = append(pf.Notes, taketest.Note{String: 3, At: 0.4 + float64(i)*60/bpm, Hz: hz, From: hz, Level: 0.8, Tau: 1.2})
		}
	}
	samples := pf.Strings(7)
	return sound.AppendSamples(sound.Header(taketest.Rate, len(samples)), samples)
}

// TestPlayIn: a line that is played comes as a draft with its notes, and is saved as a tune; what holds no notes, is
// silent or no sound says so.
func TestPlayIn(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	status, page := s.give(t, "/play-in", sung(92, 62, 64, 66, 69, 66, 64, 62, 62, 57, 62, 66, 69, 71, 69, 66, 62))
	if said := page.Find("main").Text(); status != 200 || !strings.Contains(said, "How is it counted?") || !strings.Contains(said, "16 notes") {
		t.Fatalf("%d: %.600s", status, said)
	}
	if bpm := page.Find("main").Text(); !strings.Contains(bpm, "92") {
		t.Errorf("not at 92: %.800s", bpm)
	}
	for want, data := range map[string][]byte{"fewer than three notes": sung(92, 62, 64), "silent": append(sound.Header(16000, 32000), make([]byte, 64000)...),
		"WAV": []byte("what is this")} {
		if status, page := s.give(t, "/play-in", data); !strings.Contains(strings.ToLower(page.Text()), strings.ToLower(want)) {
			t.Errorf("%q: %d %.500s", want, status, page.Find("main").Text())
		}
	}
}
