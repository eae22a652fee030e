package sound

import (
	"math"
	"math/cmplx"
	"testing"

	"gonum.org/v1/gonum/dsp/fourier"
)

// TestRub: what moves along a wound string whines at the pitch at which its windings go by, louder the faster;
// along a plain one it hisses, 10 dB softer; what does not move is silent.
func TestRub(t *testing.T) {
	const rate, n = 48000, 1 << 15
	heard := func(str int, mm, seconds float64) (loud, hz float64) {
		r := newRub(rate, &deed{str: str, rubbed: mm, slide: seconds})
		s := make([]float64, n)
		for i := range s {
			s[i] = r.next(i)
			loud += s[i] * s[i]
		}
		const lines = 40 // that are added up, so that a single one does not decide
		best, sum := 0.0, 0.0
		c := fourier.NewFFT(n).Coefficients(nil, s)
		for k := range c {
			sum += math.Pow(cmplx.Abs(c[k]), 2)
			if k >= lines {
				sum -= math.Pow(cmplx.Abs(c[k-lines]), 2)
			}
			if sum > best {
				best, hz = sum, (float64(k)-lines/2)*rate/n
			}
		}
		return math.Sqrt(loud / n), hz
	}
	plain, _ := heard(1, 100, 0.2)
	for str := firstWound; str <= len(windingMM); str++ {
		loud, hz := heard(str, 100, 0.2)
		if want := 500 / windingMM[str-1]; math.Abs(hz/want-1) > 0.15 {
			t.Errorf("string %d whines at %.0f Hz, its windings go by at %.0f", str, hz, want)
		}
		if loud < 3*plain {
			t.Errorf("string %d: %.5f, a plain one %.5f", str, loud, plain)
		}
		if fast, _ := heard(str, 200, 0.2); fast < 1.5*loud {
			t.Errorf("string %d: twice as fast it is %.1f times as loud", str, fast/loud)
		}
	}
	if loud, _ := heard(6, 0, 0.2); loud != 0 {
		t.Error("it is heard though nothing moves")
	}
}

// firstWound is the highest string that is usually wound.
const firstWound = 3
