package take

import (
	"io"
	"math"
)

// Of playing a recording slower at its pitch: frames of SlowFrame samples at KeptRate are laid over each other
// by half, each from where it goes on most like the one before, at most slowSearch samples away from where it
// should come (WSOLA; Verhelst and Roelands 1993).
const (
	KeptRate   = 48000 // samples a second of recordings that are kept
	slowFrame  = 3072  // 64 ms: two periods of the lowest string and more
	slowHop    = slowFrame / 2
	slowSearch = 720 // 15 ms: a period of the lowest string
	slowCoarse = 8   // samples between the places that are tried at first
)

// Slowed plays samples at half speed.
type Slowed struct {
	src  func(at int, into []float64) error // fills into from a sample on, with silence beyond the ends
	n    int                                // samples of the source
	hann []float64
	at   int       // where the next frame should come from
	past []float64 // what follows the last frame in the source: what the next one should be like
	tail []float64 // of the last frame, to be laid over
	out  int       // samples given out
}

// Slow makes samples that last twice as long as the n of a source; src fills a slice from a place on, which may
// lie before the beginning or beyond the end.
func Slow(n int, src func(at int, into []float64) error) *Slowed {
	return &Slowed{src: src, n: n, hann: hannOf(slowFrame), tail: make([]float64, slowHop)}
}

// Len is how many samples there are in all.
func (s *Slowed) Len() int { return 2 * s.n }

// Next appends the next samples, and io.EOF after the last.
func (s *Slowed) Next(out []float64) ([]float64, error) {
	if s.out >= s.Len() {
		return out, io.EOF
	}
	region := make([]float64, slowFrame+2*slowSearch+slowHop)
	if err := s.src(s.at-slowSearch, region); err != nil {
		return out, err
	}
	shift := slowSearch
	if s.past != nil {
		shift = alikeAt(region, s.past)
	}
	frame := region[shift : shift+slowFrame]
	for i := range min(slowHop, s.Len()-s.out) {
		out = append(out, s.tail[i]+frame[i]*s.hann[i])
	}
	for i := range slowHop {
		s.tail[i] = frame[slowHop+i] * s.hann[slowHop+i]
	}
	s.past = append(s.past[:0], region[shift+slowHop:shift+slowHop+slowHop]...)
	s.out += slowHop
	s.at += slowHop / 2
	return out, nil
}

// alikeAt is the place in region, up to twice slowSearch, from which it is most like want: by their normalised
// correlation, tried coarsely and then around the best.
func alikeAt(region, want []float64) int {
	like := func(at int) float64 {
		dot, power := 0.0, 1e-9
		for i := 0; i < len(want); i += 2 { // half of the samples tell as much
			dot += want[i] * region[at+i]
			power += region[at+i] * region[at+i]
		}
		return dot / math.Sqrt(power)
	}
	best, most := slowSearch, like(slowSearch)
	try := func(at int) {
		if at >= 0 && at <= 2*slowSearch {
			if v := like(at); v > most {
				best, most = at, v
			}
		}
	}
	for at := 0; at <= 2*slowSearch; at += slowCoarse {
		try(at)
	}
	coarse := best
	for o := 1 - slowCoarse; o < slowCoarse; o++ {
		try(coarse + o)
	}
	return best
}
