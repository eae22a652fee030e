// Package sound makes plucked strings as samples, for reference tones.
package sound

import (
	"encoding/binary"
	"io"
	"math"
)

// Rate is the sample rate in Hz.
const Rate = 44100

// Pluck returns seconds of a plucked string at hz, samples in −1 … 1. It is a delay line as long as one
// period, filled with noise and averaged as it goes round (Karplus and Strong 1983); the length of the
// line is made exact by linear interpolation. hz must lie between 20 and 2,000. The same arguments give
// the same samples.
func Pluck(hz, seconds float64) []float64 {
	period := Rate/hz - 0.5 // averaging two samples delays by half of one
	n := int(period)
	fraction := period - float64(n)
	line := make([]float64, n+1)
	for i := range line {
		line[i] = noise(i)
	}
	out := make([]float64, int(seconds*Rate))
	const decay = 0.998
	before := 0.0
	for i := range out {
		at := i % len(line)
		// One period ago, between two samples of the line.
		now := line[(at+1)%len(line)]*(1-fraction) + line[at]*fraction
		out[i] = now
		line[at] = decay * (now + before) / 2
		before = now
	}
	fade(out)
	return out
}

// noise is the i-th of a fixed row of numbers between −1 and 1 without pattern: the low bits of i
// scattered by Knuth's multiplicative hash.
func noise(i int) float64 {
	x := uint32(i+1) * 2654435761
	x ^= x >> 15
	x *= 2246822519
	return float64(x>>8)/float64(1<<23) - 1
}

// fade brings the loudest sample to 0.8 and the end to silence, so that nothing clicks.
func fade(samples []float64) {
	most := 0.0
	for _, s := range samples {
		most = math.Max(most, math.Abs(s))
	}
	tail := min(len(samples), Rate/10)
	for i := range samples {
		if most > 0 {
			samples[i] *= 0.8 / most
		}
		if left := len(samples) - i; left < tail {
			samples[i] *= float64(left) / float64(tail)
		}
	}
}

// headerBytes is the length of a RIFF file's header.
const headerBytes = 44

// writeHeader writes the header of a mono 16-bit RIFF file.
func writeHeader(w io.Writer, rate, samples int) error {
	size := uint32(2 * samples)
	header := []any{[]byte("RIFF"), 36 + size, []byte("WAVEfmt "), uint32(16), uint16(1), uint16(1), uint32(rate), uint32(2 * rate), uint16(2), uint16(16), []byte("data"), size}
	for _, h := range header {
		if err := binary.Write(w, binary.LittleEndian, h); err != nil {
			return err
		}
	}
	return nil
}

// WriteWAV writes samples as a mono 16-bit RIFF file.
func WriteWAV(w io.Writer, samples []float64) error {
	if err := writeHeader(w, Rate, len(samples)); err != nil {
		return err
	}
	data := make([]int16, len(samples))
	for i, s := range samples {
		data[i] = int16(math.Round(32767 * math.Max(-1, math.Min(1, s))))
	}
	return binary.Write(w, binary.LittleEndian, data)
}
