package take_test

import (
	"math"
	"testing"

	"stepping/core/take"
)

// TestResampled: what can be heard at the lower rate comes through as it was, what cannot is gone, from every usual rate.
func TestResampled(t *testing.T) {
	for _, rate := range []int{8000, 11025, 22050, 44100, 48000, 96000, 192000} {
		for _, hz := range []float64{110, 1000, 3000, take.Rate * 0.7} {
			if hz > 0.45*float64(rate) {
				continue
			}
			in := make([]float64, rate)
			for i := range in {
				in[i] = math.Sin(2 * math.Pi * hz * float64(i) / float64(rate))
			}
			out, worst := take.Resampled(in, rate), 0.0
			for i := len(out) / 4; i < len(out)*3/4; i++ {
				want := 0.0
				if hz < take.Rate/2 {
					want = math.Sin(2 * math.Pi * hz * float64(i) / take.Rate)
				}
				worst = math.Max(worst, math.Abs(float64(out[i])-want))
			}
			if worst > 0.02 || len(out) < take.Rate-100 {
				t.Errorf("%.0f Hz from %d samples a second: off by %.3f in %d samples", hz, rate, worst, len(out))
			}
		}
	}
}
