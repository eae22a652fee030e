package take_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"stepping/core/sound"
	"stepping/core/take"
)

// TestTuner: a plucked string is told within a cent 0.3 s after it was plucked, whatever it was tuned to and
// whatever else rings faintly; silence and noise have no pitch.
func TestTuner(t *testing.T) {
	worst, early := 0.0, 0.0
	rng := rand.New(rand.NewPCG(7, 1))
	for _, open := range []float64{38.9, 61.7, 73.42, 82.41, 98, 110, 146.83, 196, 246.94, 293.66, 329.63} {
		for range 4 {
			hz := open * math.Exp2((rng.Float64()-0.5)/6)
			tone, other := sound.Tone(math.Max(hz, 30), map[bool]int{true: 1, false: 5}[hz > 240], take.Rate), sound.Tone(146.83, 4, take.Rate)
			a, b := make([]float64, tone.Len()), make([]float64, other.Len())
			tone.Samples(a)
			other.Samples(b)
			for i := range a {
				a[i] += 0.0005*rng.NormFloat64() + 0.01*b[min(i, len(b)-1)]
			}
			a = append(make([]float64, take.Rate), a...)
			for _, after := range []float64{0.15, 0.3, 0.5, 0.9} {
				end := take.Rate + int(after*take.Rate)
				p := take.ListenTo(take.Resampled(a[end-take.Rate/2-200:end], take.Rate))
				off := math.Abs(1200 * math.Log2(math.Max(p.Hz, 1)/hz))
				if after < 0.3 {
					early = math.Max(early, off)
				} else if worst = math.Max(worst, off); off > 1 || p.Sure < take.SureOf {
					t.Errorf("%.2f Hz, %.2f s after the pluck: %.2f Hz, %.2f cents off, sure %.2f", hz, after, p.Hz, off, p.Sure)
				}
			}
		}
	}
	t.Logf("figure: %.2f cents off at most from 0.3 s on, %.1f at 0.15 s", worst, early)
	noise := make([]float64, take.Rate/2)
	for i := range noise {
		noise[i] = 0.05 * rng.NormFloat64()
	}
	if p := take.ListenTo(take.Resampled(noise, take.Rate)); p.Sure >= take.SureOf {
		t.Errorf("noise has %.1f Hz, sure %.2f", p.Hz, p.Sure)
	}
	if p := take.ListenTo(make([]float32, take.Rate/2)); p.Hz != 0 {
		t.Errorf("silence has %.1f Hz", p.Hz)
	}
}
