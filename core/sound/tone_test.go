package sound_test

import (
	"io"
	"math"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/sound"
)

// all reads a whole sound.
func all(t *testing.T, s *sound.Sound) []float64 {
	t.Helper()
	out := make([]float64, s.Len())
	if n := s.Samples(out); n != len(out) {
		t.Fatalf("%d samples of %d", n, len(out))
	}
	return out
}

// TestTone: a reference tone has the pitch that it is asked for, dies away, and its file says what it holds.
func TestTone(t *testing.T) {
	const rate = 44100
	for str, hz := range map[int]float64{6: 73.42, 5: 110.3, 3: 196, 1: 329.63} {
		s := all(t, sound.Tone(hz, str, rate))
		if cents := 1200 * math.Log2(frequency(s[rate/10:rate*6/10], rate, hz)/hz); math.Abs(cents) > 1 {
			t.Errorf("%v Hz is %+.2f cents off", hz, cents)
		}
		if begin, end := rms(s[:rate/5]), rms(s[len(s)-rate/5:]); end >= begin/3 || begin < 0.01 {
			t.Errorf("%v Hz does not die away: %v, %v", hz, begin, end)
		}
	}
	snd := sound.Tone(110, 5, 8000)
	data, err := io.ReadAll(snd)
	if err != nil || int64(len(data)) != snd.Bytes() || string(data[:4]) != "RIFF" || string(data[36:40]) != "data" {
		t.Errorf("%v, %d bytes of %d: % x", err, len(data), snd.Bytes(), data[:44])
	}
}

// TestStrokes: strokes sound one after another, each at its pitch, and ring on over one another.
func TestStrokes(t *testing.T) {
	const rate = 24000
	tn := coretest.Tuning("Open D")
	var strokes []play.Stroke
	for str := 6; str >= 1; str-- {
		strokes = append(strokes, play.Stroke{String: str, How: play.Open, Note: pitch.Spell(tn.Open(str), false)})
	}
	snd, err := sound.New(sound.Strokes(tn, 0, "flesh", 0.5, strokes...), sound.Options{Rate: rate})
	if err != nil {
		t.Fatal(err)
	}
	s := all(t, snd)
	for i := range strokes {
		want := strokes[i].Note.Pitch().Hertz(440)
		at := i * rate / 2
		if i == 0 || i == 5 { // the first and the last stand alone enough to be measured
			if cents := 1200 * math.Log2(frequency(s[at+rate/20:at+rate*9/20], rate, want)/want); math.Abs(cents) > 3 {
				t.Errorf("string %d is %+.1f cents off", strokes[i].String, cents)
			}
		}
	}
	if quiet := rms(s[rate*45/10:]); quiet < 0.001 {
		t.Error("they do not ring on")
	}
}

// TestMoment: a moment by itself is what the whole plan sounds from there on, but for what rang long before.
func TestMoment(t *testing.T) {
	const rate = 24000
	p := solve(t, coretest.Wander(3, 40), "Open D", pattern.Alternating, nil)
	whole := render(t, p, sound.Options{Rate: rate})
	for _, m := range []int{0, 7, len(p.Moments) - 1} {
		snd, err := sound.NewMoment(sound.Of(p), m, rate)
		if err != nil {
			t.Fatal(err)
		}
		s := all(t, snd)
		at := int(p.Moments[m].Seconds * rate)
		until := rate
		if m+1 < len(p.Moments) {
			until = int((p.Moments[m+1].Seconds-p.Moments[m].Seconds)*rate) - 10
		}
		part := whole[at:min(at+until, len(whole))]
		if d := db(rms(difference(s[:len(part)], part)), rms(part)); d > -25 {
			t.Errorf("moment %d differs from the whole by %.0f dB", m, d)
		}
	}
}

func difference(a, b []float64) []float64 {
	scale := rms(b) / math.Max(rms(a), 1e-9) // fewer strings at once leave more headroom
	out := make([]float64, len(b))
	for i := range out {
		out[i] = scale*a[i] - b[i]
	}
	return out
}
