package sound_test

import (
	"bytes"
	"context"
	"io"
	"math"
	"math/cmplx"
	"testing"
	"time"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/sound"
	"stepping/core/tune"
)

func solve(t testing.TB, tu *tune.Tune, tuning string, kind pattern.Kind, change func(*player.Profile)) *plan.Plan {
	t.Helper()
	pr := player.Default()
	if change != nil {
		change(&pr)
	}
	p, err := plan.Solve(context.Background(), plan.Request{Tune: tu, Tuning: coretest.Tuning(tuning), Player: pr, Thumb: kind})
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func render(t testing.TB, p *plan.Plan, o sound.Options) []float64 {
	t.Helper()
	s, err := sound.New(sound.Of(p), o)
	if err != nil {
		t.Fatal(err)
	}
	out := make([]float64, s.Len())
	if n := s.Samples(out); n != len(out) {
		t.Fatalf("%d samples of %d", n, len(out))
	}
	return out
}

// frequency is estimated from how far the phase of the component near hz goes on between two windows:
// independent of how the sound was made.
func frequency(samples []float64, rate, hz float64) float64 {
	const apart = 0.04
	size := len(samples) - int(apart*rate)
	phase := func(from int) float64 {
		sum := complex(0, 0)
		for i := range size {
			w := 0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/float64(size))
			sum += complex(w*samples[from+i], 0) * cmplx.Exp(complex(0, -2*math.Pi*hz*float64(i)/rate))
		}
		return cmplx.Phase(sum)
	}
	lag := int(apart * rate)
	turned := phase(lag) - phase(0) - 2*math.Pi*hz*float64(lag)/rate
	turned -= 2 * math.Pi * math.Round(turned/(2*math.Pi))
	return hz + turned/(2*math.Pi*float64(lag)/rate)
}

func rms(s []float64) float64 {
	sum := 0.0
	for _, v := range s {
		sum += v * v
	}
	return math.Sqrt(sum / float64(max(1, len(s))))
}

func db(a, b float64) float64 { return 20 * math.Log10(math.Max(a, 1e-12)/math.Max(b, 1e-12)) }

// TestPitchAndOnset: every note of a slow tune sounds within a cent of its pitch, and begins within a millisecond of its time.
func TestPitchAndOnset(t *testing.T) {
	const rate = 48000
	for _, lean := range []string{player.LeanNone, player.LeanSlide} {
		tu := coretest.Line('D', 60, tune.Quarter, "D", coretest.Notes(50, 57, 62, 66, 69, 74, 78, 62)...)
		p := solve(t, tu, "Open D", pattern.None, func(pr *player.Profile) { pr.Lean = lean })
		s := render(t, p, sound.Options{Rate: rate, Layers: sound.Melody})
		for i := range p.Moments {
			mo := &p.Moments[i]
			want := mo.Melody.Note.Pitch().Hertz(440)
			at := int(mo.Seconds * rate)
			part := s[at+rate*35/100 : at+rate*85/100]
			if cents := 1200 * math.Log2(frequency(part, rate, want)/want); math.Abs(cents) > 1 {
				t.Errorf("%s, note %d, %.1f Hz on string %d %s: %+.2f cents", lean, i, want, mo.Melody.String, mo.Melody.How, cents)
			}
			before := 0.0
			if i > 0 {
				before = rms(s[at-rate/100 : at-rate/1000])
			}
			if after := rms(s[at : at+rate/500]); mo.Melody.Digit != "" && after < 1.1*before && after < 0.01 {
				t.Errorf("note %d does not begin: %v after %v", i, after, before)
			}
		}
	}
}

// TestNoise: without its dampers a plan sounds dirty; with them, and no leaks, what should not sound is far down.
func TestNoise(t *testing.T) {
	p := solve(t, coretest.Wander(4, 40), "Open D", pattern.Alternating, nil)
	melody := rms(render(t, p, sound.Options{Layers: sound.Melody}))
	clean := rms(render(t, p, sound.Options{Layers: sound.Noise}))
	dirty := rms(render(t, p, sound.Options{Layers: sound.Noise, NoDampers: true}))
	t.Logf("noise %.1f dB under the melody, without dampers %.1f dB", db(clean, melody), db(dirty, melody))
	if db(dirty, clean) < 12 {
		t.Errorf("without dampers the noise is only %.1f dB louder", db(dirty, clean))
	}
	leaks := 0
	for i := range p.Moments {
		for _, st := range p.Moments[i].Strings {
			if st.State == play.Leaks {
				leaks++
			}
		}
	}
	if leaks == 0 && db(clean, melody) > -30 {
		t.Errorf("a plan without leaks has noise %.1f dB under the melody", db(clean, melody))
	}
}

// TestBarsAndLoops: some bars sound as they do within the whole, rings included; repeats join without a gap or a click; the same
// options give the same samples; nothing is clipped.
func TestBarsAndLoops(t *testing.T) {
	const rate = 24000
	p := solve(t, coretest.Wander(2, 40), "Open G", pattern.Alternating, nil)
	whole := render(t, p, sound.Options{Rate: rate})
	tu := p.Request.Tune
	clock := tu.Clock(p.Tempo())
	part := render(t, p, sound.Options{Rate: rate, First: 3, Last: 4})
	from := int(math.Round(clock.Seconds(tu.Bars[2]) * rate))
	for i, v := range part {
		if math.Abs(v-whole[from+i]) > 1e-9 {
			t.Fatalf("sample %d of bar 3: %v, in the whole %v", i, v, whole[from+i])
		}
	}
	loop := render(t, p, sound.Options{Rate: rate, First: 3, Last: 4, Repeats: 3})
	if len(loop) != 3*len(part) && math.Abs(float64(len(loop)-3*len(part))) > 3 {
		t.Errorf("%d samples three times, %d once", len(loop), len(part))
	}
	steepest := 0.0
	for i := 1; i < len(whole); i++ {
		steepest = max(steepest, math.Abs(whole[i]-whole[i-1]))
	}
	for k := 1; k < 3; k++ {
		at := k * len(part)
		for i := at - 20; i < at+20; i++ {
			if math.Abs(loop[i]-loop[i-1]) > 1.5*steepest {
				t.Errorf("a click of %v where the loop joins, %v elsewhere", math.Abs(loop[i]-loop[i-1]), steepest)
			}
		}
	}
	again := render(t, p, sound.Options{Rate: rate})
	peak := 0.0
	for i, v := range whole {
		if again[i] != v {
			t.Fatal("the same options give other samples")
		}
		peak = max(peak, math.Abs(v))
	}
	t.Logf("peak %.3f", peak)
	if peak > math.Pow(10, -1.0/20)+1e-9 {
		t.Errorf("a peak of %v", peak)
	}
}

// TestSpeed: far faster than it is heard, in memory that does not grow.
func TestSpeed(t *testing.T) {
	p := solve(t, coretest.Wander(1, 64), "Open D", pattern.Alternating, nil)
	s, err := sound.New(sound.Of(p), sound.Options{})
	if err != nil {
		t.Fatal(err)
	}
	start := time.Now()
	var buf bytes.Buffer
	n, err := io.Copy(&buf, s)
	if err != nil || n != int64(buf.Len()) || n != int64(44+2*s.Len()) {
		t.Fatal(n, err)
	}
	seconds := float64(s.Len()) / 48000
	t.Logf("%.1f s in %v: %.0f times as fast", seconds, time.Since(start), seconds/time.Since(start).Seconds())
	if seconds/time.Since(start).Seconds() < 10 { // the aim is 60 on a free core
		t.Error("too slow")
	}
}

// TestWander: a tempo that wanders by a tenth is a tenth faster and slower than the plan's at its extremes, and comes back.
func TestWander(t *testing.T) {
	p := solve(t, coretest.Wander(3, 60), "Open D", pattern.None, nil)
	straight := sound.Of(p)
	played, err := straight.With(&sound.Faults{Wander: 0.1})
	if err != nil {
		t.Fatal(err)
	}
	least, most := 1.0, 1.0
	for i := 1; i < len(played.Moments); i++ {
		a, b := &played.Moments[i-1], &played.Moments[i]
		r := float64(b.At-a.At) / float64(straight.Moments[i].At-straight.Moments[i-1].At)
		least, most = min(least, r), max(most, r)
		if off := (b.At - straight.Moments[i].At).Quarters(); math.Abs(off) > 0.26 { // a tenth of a wave of 16 quarters, over 2π, is 0.25
			t.Errorf("moment %d has wandered %v quarters away", i, off)
		}
	}
	if least < 0.89 || least > 0.97 || most > 1.11 || most < 1.03 {
		t.Errorf("quarters last %.3f to %.3f of what they should", least, most)
	}
}
