package take_test

import (
	"math"
	"testing"

	"stepping/core/take"
)

// TestSlow: at half speed a tone keeps its pitch and its loudness, lasts twice as long, and nothing clicks.
func TestSlow(t *testing.T) {
	n := 2 * take.KeptRate
	fill := func(at int, into []float64) error {
		for i := range into {
			into[i] = 0
			if k := at + i; k >= 0 && k < n {
				into[i] = 0.4*math.Sin(2*math.Pi*196*float64(k)/take.KeptRate) + 0.2*math.Sin(2*math.Pi*493.88*float64(k)/take.KeptRate)
			}
		}
		return nil
	}
	s := take.Slow(n, fill)
	var out []float64
	for err := error(nil); err == nil; {
		out, err = s.Next(out)
	}
	if len(out) != 2*n {
		t.Fatalf("%d samples of %d", len(out), 2*n)
	}
	power, jump := 0.0, 0.0
	for i := 10000; i < len(out)-10000; i++ {
		power += out[i] * out[i] / float64(len(out)-20000)
		jump = math.Max(jump, math.Abs(out[i]-out[i-1]))
	}
	if math.Abs(10*math.Log10(power/0.1)) > 1 || jump > 0.04 { // 0.4²/2 + 0.2²/2; the tones themselves move by 0.023 at most
		t.Errorf("power %.3f, greatest step %.3f", power, jump)
	}
	track := prepare(t, out, take.KeptRate).Track()
	for _, p := range track[30 : len(track)-30] {
		if p.Hz > 0 && math.Abs(1200*math.Log2(p.Hz/98)) > 20 && math.Abs(1200*math.Log2(p.Hz/196)) > 5 && p.Sure > 0.8 {
			t.Fatalf("at %.2f s: %.2f Hz, sure %.2f", p.At, p.Hz, p.Sure)
		}
	}
}
