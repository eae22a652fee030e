package take

import (
	"fmt"
	"io"
	"math"
)

// Signal is a recording ready to be listened to.
type Signal struct {
	Samples []float32  // at Rate: ten minutes are 58 MB
	Notes   []string   // what is odd about the recording, for people
	begun   []float64  // see flux
	frames  []spectrum // see features
	level   []float64
}

// Seconds is its length.
func (s *Signal) Seconds() float64 { return float64(len(s.Samples)) / Rate }

// Source hands out the samples of a recording: one channel, or two.
type Source interface {
	// Read fills left and right, as io.Reader does.
	Read(left, right []float64) (n int, err error)
}

// What is said of recordings: the share of samples at full scale that counts as clipped, and the correlation of
// two channels from which they cancel each other.
const (
	fullScale    = 0.999
	clippedShare = 0.0005
	opposite     = -0.5
	enoughToTell = 1.0 // sum of squares of both channels by which that is told
	silentRMS    = 0.0005
)

// Prepare reads a recording of a sample rate to its end, io.EOF, or to MostSeconds. What is heard of it in one
// channel goes to keep too, if that is not nil, at KeptRate. ErrSilent, ErrShort, and the errors of the source
// and of keep.
func Prepare(src Source, rate, channels int, keep func([]float64) error) (*Signal, error) {
	s := &Signal{}
	r, wide := newResampler(float64(rate), Rate), newResampler(float64(rate), KeptRate)
	var kept []float64
	left, right := make([]float64, 8192), make([]float64, 8192)
	if channels == 1 {
		right = nil
	}
	var in intake
	for in.all < MostSeconds*rate {
		n, err := src.Read(left, right)
		in.look(left[:n], right)
		for i := range n {
			v := left[i]
			if in.flipped {
				v = (v - right[i]) / 2
			} else if right != nil {
				v = (v + right[i]) / 2
			}
			in.energy += v * v
			for _, out := range r.put(v) {
				s.Samples = append(s.Samples, float32(out))
			}
			if keep != nil {
				kept = append(kept, wide.put(v)...)
			}
		}
		if len(kept) > 0 {
			if err := keep(kept); err != nil {
				return nil, err
			}
			kept = kept[:0]
		}
		in.all += n
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
	}
	if err := s.finish(&in, rate); err != nil {
		return nil, err
	}
	return s, nil
}

// intake is what was seen of a recording's samples while they came.
type intake struct {
	all, clipped       int
	lr, ll, rr, energy float64 // sums of products of the channels, and of what is heard
	flipped, looked    bool    // the second channel is turned round; it is known whether it has to be
}

// look counts what is clipped, and finds out once there is enough to tell whether two channels are of opposite
// phase: a file may begin with silence.
func (in *intake) look(left, right []float64) {
	for i, v := range left {
		if right != nil {
			in.lr, in.ll, in.rr = in.lr+v*right[i], in.ll+v*v, in.rr+right[i]*right[i]
		}
		if math.Abs(v) >= fullScale || right != nil && math.Abs(right[i]) >= fullScale {
			in.clipped++
		}
	}
	if right != nil && !in.looked && in.ll+in.rr > enoughToTell {
		in.looked, in.flipped = true, in.lr < opposite*math.Sqrt(in.ll*in.rr)
	}
}

// finish says what is odd about a recording, and takes away what lies under 30 Hz. ErrShort, ErrSilent.
func (s *Signal) finish(in *intake, rate int) error {
	switch {
	case in.all < rate:
		return ErrShort
	case math.Sqrt(in.energy/float64(in.all)) < silentRMS:
		return ErrSilent
	}
	if float64(in.clipped) > clippedShare*float64(in.all) {
		s.Notes = append(s.Notes, fmt.Sprintf("The recording is distorted (%.1f%% of its samples clip): turn the input down, or do not trust the results for loudness and ringing strings.", 100*float64(in.clipped)/float64(in.all)))
	}
	if in.flipped {
		s.Notes = append(s.Notes, "The two channels have opposite phase and would cancel each other, so one was inverted.")
	}
	if in.all >= MostSeconds*rate {
		s.Notes = append(s.Notes, fmt.Sprintf("The recording is longer than %d minutes: the rest was not checked.", MostSeconds/60))
	}
	highPass(s.Samples)
	return nil
}

// Resampled is samples of another rate at Rate.
func Resampled(samples []float64, rate int) []float32 {
	r := newResampler(float64(rate), Rate)
	out := make([]float32, 0, len(samples)*Rate/rate+1)
	for _, v := range samples {
		for _, put := range r.put(v) {
			out = append(out, float32(put))
		}
	}
	return out
}

// highPass takes away what lies under 30 Hz: hum of stands and the direct current of cheap inputs.
func highPass(x []float32) {
	a := math.Exp(-2 * math.Pi * 30 / Rate)
	for range 2 {
		var was, out float64
		for i := range x {
			v := float64(x[i])
			out = a * (out + v - was)
			was, x[i] = v, float32(out)
		}
	}
}

// clearing does what highPass does, sample by sample.
type clearing [2]struct{ was, out float64 }

func (c *clearing) next(v float64) float64 {
	const a = 1 - 2*math.Pi*30/Rate
	for i := range c {
		h := &c[i]
		h.was, h.out = v, a*(h.out+v-h.was)
		v = h.out
	}
	return v
}

// resampler turns samples of one rate into samples of another: band-limited interpolation by a windowed sinc
// (Smith and Gossett 1984), halfTaps zero crossings to either side.
type resampler struct {
	ratio float64                 // input samples an output sample
	cut   float64                 // of the input's rate, at most 0.5
	ring  [2 * ringLength]float64 // the last samples, twice, so that any run of them lies in one piece
	in    int                     // samples taken
	next  float64                 // time of the next output, in input samples
	table []float64
	out   []float64 // of one put
}

const (
	halfTaps   = 12
	ringLength = 512 // more than all taps at 192,000 samples a second
	perSample  = 64  // table entries between zero crossings
)

func newResampler(rate, to float64) *resampler {
	r := &resampler{ratio: rate / to, cut: 0.5}
	if r.ratio > 1 {
		r.cut = 0.5 / r.ratio * 0.96
	}
	r.table = make([]float64, halfTaps*perSample+2)
	for i := range r.table {
		x := float64(i) / perSample
		w := 0.5 + 0.5*math.Cos(math.Pi*math.Min(1, x/halfTaps))
		r.table[i] = w
		if x > 0 {
			r.table[i] *= math.Sin(math.Pi*x) / (math.Pi * x)
		}
	}
	return r
}

// put takes one sample and gives out what can be by then; it is good until the next.
func (r *resampler) put(v float64) []float64 {
	r.out = r.out[:0]
	at := uint(r.in) % ringLength
	r.ring[at], r.ring[at+ringLength] = v, v
	r.in++
	reach := halfTaps / (2 * r.cut)
	for r.next+reach < float64(r.in) {
		from := max(0, int(math.Ceil(r.next-reach)))
		start := uint(from) % ringLength
		sum, step := 0.0, 2*r.cut*perSample
		x := (float64(from) - r.next) * step // of the table, from the middle
		for _, v := range r.ring[start : start+uint(min(int(r.next+reach), r.in-1)-from+1)] {
			away := math.Abs(x)
			x += step
			i := int(away)
			if i >= halfTaps*perSample {
				continue
			}
			t := r.table[i : i+2]
			sum += v * (t[0] + (away-float64(i))*(t[1]-t[0]))
		}
		r.out = append(r.out, 2*r.cut*sum)
		r.next += r.ratio
	}
	return r.out
}
