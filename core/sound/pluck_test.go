package sound

import (
	"bytes"
	"math"
	"testing"
)

// The tone has the pitch it is asked for, to a cent or two: its autocorrelation peaks at the period,
// measured over many periods. It dies away, and its file holds what it should.
func TestPluck(t *testing.T) {
	for _, hz := range []float64{73.42, 110, 196, 329.63} {
		s := Pluck(hz, 2)
		const periods = 40
		want := periods * Rate / hz
		best, at := 0.0, 0
		for lag := int(want) - 30; lag <= int(want)+30; lag++ {
			sum := 0.0
			for i := range Rate / 4 {
				sum += s[i] * s[i+lag]
			}
			if sum > best {
				best, at = sum, lag
			}
		}
		if cents := 1200 * math.Log2(want/float64(at)); math.Abs(cents) > 4 {
			t.Errorf("%v Hz is %+.1f cents off", hz, cents)
		}
		begin, end := 0.0, 0.0
		for i := range Rate / 5 {
			begin, end = begin+s[i]*s[i], end+s[len(s)-Rate/2+i]*s[len(s)-Rate/2+i]
		}
		if end >= begin || s[len(s)-1] > 0.01 {
			t.Errorf("%v Hz does not die away", hz)
		}
	}
	var buf bytes.Buffer
	if err := WriteWAV(&buf, []float64{0, 0.5, -2}); err != nil || buf.Len() != 44+6 || string(buf.Bytes()[:4]) != "RIFF" || buf.Bytes()[48] != 0x01 || buf.Bytes()[49] != 0x80 {
		t.Errorf("%v % x", err, buf.Bytes())
	}
}
