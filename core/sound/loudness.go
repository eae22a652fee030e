package sound

import (
	"math"

	"stepping/core/tuning"
)

// Of how loud a sound is made: Target is what players of music on computers level to (EBU R 128 s2, for streaming).
const (
	Target      = -16.0 // LUFS of all that a guitar does, over the whole tune
	binSeconds  = 0.1   // in which energy is added up
	blockBins   = 4     // and of which blocks of 0.4 s are made, as ITU-R BS.1770-4 has it
	gateDB      = 10.0  // blocks so far under the mean do not count
	strokePower = 0.39  // see power: these three measured over all strings, pitches and attacks
	shortPulse  = 0.22
	longPulse   = 2.76
	mostLimited = 8.0 // dB by which the loudest strokes may lie over full scale before the limiter
)

// level sets the gain by which the deeds come out at Target. It is worked out from the strokes, not from samples,
// so that a sound may begin before it has been made, and bars are as loud by themselves as in their tune.
func (s *Sound) level() {
	bins := s.energies()
	power := gated(bins)
	if power == 0 {
		s.gain = ceiling / loudest
		return
	}
	s.gain = math.Sqrt(math.Pow(10, (Target+0.691)/10) / power)
	s.gain = math.Min(s.gain, ceiling*math.Pow(10, mostLimited/20)/(loudest*s.peakLevel()))
}

// energies adds up the energy of strokes by binSeconds. A string falls from its level with its time constant,
// until it is struck again or damped.
func (s *Sound) energies() (bins []float64) {
	var sounding [tuning.Strings]*deed
	end := func(d *deed, until float64) {
		if d == nil {
			return
		}
		for at := d.at; at < until; {
			k := int(at / binSeconds)
			next := math.Min(until, float64(k+1)*binSeconds)
			fall := func(t float64) float64 { return math.Exp(-2 * (t - d.at) / d.tau) }
			for len(bins) <= k {
				bins = append(bins, 0)
			}
			e := d.power() * d.tau / 2 * (fall(at) - fall(next))
			if bins[k] += e; e < 1e-9 {
				return
			}
			at = next
			if next == float64(k)*binSeconds { // rounding
				at += binSeconds / 2
			}
		}
	}
	for i := range s.deeds {
		d := &s.deeds[i]
		if d.str == 0 || d.kind != strike && d.kind != slur && d.kind != damp {
			continue
		}
		end(sounding[d.str-1], d.at)
		sounding[d.str-1] = d
		if d.kind == damp {
			sounding[d.str-1] = nil
		}
	}
	for _, d := range sounding {
		if d != nil {
			end(d, d.at+3*d.tau)
		}
	}
	return bins
}

// power is the mean square of a string just plucked, K-weighted: it grows with the pulses a second, until a pulse is
// long against the period and loses its upper partials.
func (d *deed) power() float64 {
	x := d.width * d.hz
	return strokePower * d.level * d.level * x * math.Exp(-longPulse*math.Max(0, x-shortPulse))
}

// gated is the mean power of the blocks that count.
func gated(bins []float64) float64 {
	var blocks []float64
	for i := 0; i < len(bins); i++ {
		sum := 0.0
		for k := i; k < min(i+blockBins, len(bins)); k++ {
			sum += bins[k]
		}
		blocks = append(blocks, sum/(blockBins*binSeconds))
	}
	mean := func(least float64) float64 {
		sum, n := 0.0, 0
		for _, b := range blocks {
			if b > least {
				sum, n = sum+b, n+1
			}
		}
		return sum / float64(max(1, n))
	}
	return mean(mean(1e-7) * math.Pow(10, -gateDB/10))
}

// peakLevel is the sum of the levels of the strokes that begin together, the largest of the tune.
func (s *Sound) peakLevel() float64 {
	most, sum, at := 0.0, 0.0, math.Inf(-1)
	for i := range s.deeds {
		d := &s.deeds[i]
		if d.kind != strike && d.kind != hitTop {
			continue
		}
		if d.at > at+0.01 {
			sum, at = 0, d.at
		}
		sum += d.level
		most = max(most, sum)
	}
	return most
}

// ceiling leaves 1 dB below full scale.
var ceiling = math.Pow(10, -1.0/20)

// Times of the limiter in seconds: how far it looks ahead, and how fast it lets go.
const (
	lookAhead = 0.002
	letUp     = 0.12
)

// limiter turns down what would be louder than ceiling, early enough that nothing is cut off: its gain is the
// least that any sample within lookAhead needs, averaged over as long.
type limiter struct {
	ahead   []float64 // samples, a ring
	least   []float64 // the gain that holds from each on, the same ring
	at      int
	sum     float64 // of least
	release float64
	recent  int     // samples since the last that needed less
	now     float64 // the gain that is needed
}

func newLimiter(rate float64) *limiter {
	n := max(2, int(lookAhead*rate))
	l := &limiter{ahead: make([]float64, n), least: make([]float64, n), release: 1 - math.Exp(-1/(letUp*rate)), now: 1}
	for i := range l.least {
		l.least[i] = 1
	}
	l.sum = float64(n)
	return l
}

// next takes a sample and returns the one of len(ahead) samples before.
func (l *limiter) next(v float64) float64 {
	n := len(l.ahead)
	need := 1.0
	if a := math.Abs(v); a > ceiling {
		need = ceiling / a
	}
	if need <= l.now {
		l.now, l.recent = need, 0
	} else if l.recent++; l.recent > n { // the loudest has gone through
		l.now += (need - l.now) * l.release
	}
	out := l.ahead[l.at]
	l.sum += l.now - l.least[l.at]
	l.ahead[l.at], l.least[l.at] = v, l.now
	l.at = (l.at + 1) % n
	return out * math.Min(1, l.sum/float64(n))
}
