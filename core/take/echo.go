package take

import (
	"math"

	"gonum.org/v1/gonum/dsp/fourier"
)

// Echo takes out of what a microphone hears what we play ourselves: a filter learns how our sound comes back from
// the loudspeaker through the room, sound card delays included, and what it says is subtracted. It is a partitioned
// block filter in the frequency domain (Soo and Pang 1990), normalised line by line. It learns fast at first, from the
// beats that are counted in before anybody plays, and then little, so that the player does not teach it wrong.
type Echo struct {
	fft      *fourier.FFT
	own, mic []float64 // the last two blocks, and what has come of the next
	filled   int
	x        [echoParts][]complex128 // spectra of our sound, the youngest at at
	w        [echoParts][]complex128 // the filter
	power    []float64               // of our sound, by line, over all parts
	at       int
	tidy     int // the part whose filter is made causal next
	buf      []float64
	y, e     []complex128
	out      []float64
	learnt   int // blocks
}

// Of an Echo: samples of a block, and blocks that our sound takes to come back at most, 0.34 s at 48,000 samples a
// second; how far it learns with the first block, and with each after many; blocks in which that falls to half; and the
// power under which we play nothing.
const (
	echoBlock = 1024
	echoParts = 16
	echoStep  = 0.5
	echoLeast = 0.005
	echoHalf  = 300.0
	echoQuiet = 1e-4
	echoKnown = 60  // blocks that have been learnt before Delay is sure
	echoNear  = 96  // samples around it …
	echoShare = 0.4 // … which hold that share of all that comes back
)

// NewEcho makes one that has learnt nothing.
func NewEcho() *Echo {
	e := &Echo{fft: fourier.NewFFT(2 * echoBlock), own: make([]float64, 2*echoBlock), mic: make([]float64, echoBlock), buf: make([]float64, 2*echoBlock),
		power: make([]float64, echoBlock+1), y: make([]complex128, echoBlock+1)}
	for p := range e.x {
		e.x[p], e.w[p] = make([]complex128, echoBlock+1), make([]complex128, echoBlock+1)
	}
	return e
}

// Hear takes as many samples of the microphone as of what we played at the same time, of -1 to 1, and returns what the
// player alone sounds: nothing, or whole blocks. It is good until the next call.
func (e *Echo) Hear(mic, own []float64) []float64 {
	e.out = e.out[:0]
	for i, v := range mic {
		e.mic[e.filled], e.own[echoBlock+e.filled] = v, own[i]
		if e.filled++; e.filled == echoBlock {
			e.filled = 0
			e.block()
		}
	}
	return e.out
}

// Delay is how long our sound takes to come back, in samples: where the filter is strongest; ok is false while
// that does not stand out.
func (e *Echo) Delay() (samples int, ok bool) {
	var h []float64
	for p := range e.w {
		h = append(h, e.impulse(p)[:echoBlock]...)
	}
	all := 0.0
	for i, v := range h {
		all += v * v
		if math.Abs(v) > math.Abs(h[samples]) {
			samples = i
		}
	}
	near := 0.0
	for _, v := range h[max(0, samples-echoNear):min(len(h), samples+echoNear)] {
		near += v * v
	}
	return samples, e.learnt >= echoKnown && all > 1e-3 && near > echoShare*all
}

// impulse is part p of the filter in time.
func (e *Echo) impulse(p int) []float64 {
	h := e.fft.Sequence(nil, e.w[p])
	for i := range h {
		h[i] /= 2 * echoBlock
	}
	return h
}

// block subtracts and learns for one block.
func (e *Echo) block() {
	e.at = (e.at + echoParts - 1) % echoParts
	old := e.x[e.at]
	for k, c := range old {
		e.power[k] -= norm(c)
	}
	now := e.fft.Coefficients(old, e.own)
	for k, c := range now {
		e.power[k] = math.Max(0, e.power[k]) + norm(c)
	}
	copy(e.own, e.own[echoBlock:])

	clear(e.y)
	for p := range e.w {
		x, w := e.x[(e.at+p)%echoParts], e.w[p]
		for k := range e.y {
			e.y[k] += x[k] * w[k]
		}
	}
	back := e.fft.Sequence(e.buf, e.y)
	err := make([]float64, 2*echoBlock)
	for i, v := range e.mic {
		err[echoBlock+i] = v - back[echoBlock+i]/(2*echoBlock)
	}
	e.out = append(e.out, err[echoBlock:]...)
	e.learn(err)
}

// learn moves the filter toward what is left.
func (e *Echo) learn(err []float64) {
	quiet := 0.0
	for _, v := range e.power {
		quiet += v
	}
	if quiet < echoQuiet*echoBlock { // we play nothing
		return
	}
	step := math.Max(echoLeast, echoStep*math.Exp2(-float64(e.learnt)/echoHalf))
	e.learnt++
	e.e = e.fft.Coefficients(e.e, err)
	floor := quiet / float64(len(e.power)) * 0.01
	for k := range e.e {
		e.e[k] *= complex(step/(e.power[k]+floor+1e-9), 0)
	}
	for p := range e.w {
		x, w := e.x[(e.at+p)%echoParts], e.w[p]
		for k := range w {
			c := x[k]
			w[k] += complex(real(c), -imag(c)) * e.e[k]
		}
	}
	for range 4 { // an echo never comes before its sound: clear that half, a few parts at a time
		h := e.impulse(e.tidy)
		clear(h[echoBlock:])
		e.w[e.tidy] = e.fft.Coefficients(e.w[e.tidy], h)
		e.tidy = (e.tidy + 1) % echoParts
	}
}

func norm(c complex128) float64 { return real(c)*real(c) + imag(c)*imag(c) }
