// Package wav reads RIFF WAVE files as samples.
//
// Read: plain samples of 8 (unsigned), 16, 24 and 32 bits, floating point of 32 and 64, also as
// WAVE_FORMAT_EXTENSIBLE; one or two channels, 8,000 to 192,000 samples a second. Everything else is refused by
// name. A file that ends before its header says, as recorders leave it that were cut off, is read up to there.
package wav

import (
	"bufio"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
)

// Limits of what is read.
const (
	MinRate  = 8000
	MaxRate  = 192000
	mostSkip = 64 << 20 // bytes of other chunks before the samples
)

// Reader hands out the samples of a file as they are read: memory does not grow with the file.
type Reader struct {
	Rate     int // samples a second
	Channels int
	Short    bool // the file ended before its header says; known at the end

	in    *bufio.Reader
	bits  int
	float bool
	left  int64 // bytes
	open  bool  // the length is not known: up to the end
}

// FormatError is a file that is no such file, or one that is not read; the text says what it is.
type FormatError struct{ Text string }

func (e *FormatError) Error() string { return e.Text }

func wrong(format string, args ...any) error { return &FormatError{fmt.Sprintf(format, args...)} }

// Formats of samples, by their number.
const (
	plainSamples = 1
	floats       = 3
	extensible   = 0xFFFE
)

// NewReader reads the header. *FormatError, or the reader's own.
func NewReader(r io.Reader) (*Reader, error) {
	w := &Reader{in: bufio.NewReaderSize(r, 64<<10)}
	var head [12]byte
	if _, err := io.ReadFull(w.in, head[:]); err != nil {
		return nil, ended(err, "this is not a WAV file: it ends within its header")
	}
	if string(head[:4]) != "RIFF" || string(head[8:]) != "WAVE" {
		return nil, wrong("this is not a WAV file: save the recording as WAV")
	}
	for skipped := int64(0); ; {
		var chunk [8]byte
		if _, err := io.ReadFull(w.in, chunk[:]); err != nil {
			return nil, ended(err, "the file has no sound in it")
		}
		size := int64(binary.LittleEndian.Uint32(chunk[4:]))
		switch string(chunk[:4]) {
		case "fmt ":
			if err := w.format(size); err != nil {
				return nil, err
			}
		case "data":
			if w.Rate == 0 {
				return nil, wrong("the samples come before their format: the file is damaged")
			}
			w.left, w.open = size, size == 0 || size >= math.MaxUint32-64 // as those write it who cannot go back
			return w, nil
		default:
			if skipped += size; skipped > mostSkip {
				return nil, wrong("there is too much before the samples: the file is damaged")
			}
			if _, err := io.CopyN(io.Discard, w.in, size+size&1); err != nil {
				return nil, ended(err, "the file has no sound in it")
			}
		}
	}
}

// ended turns the end of the file into a text for people.
func ended(err error, text string) error {
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return wrong("%s", text)
	}
	return err
}

func (w *Reader) format(size int64) error {
	if size < 16 || size > 4096 {
		return wrong("the header of the file is damaged")
	}
	data := make([]byte, size+size&1)
	if _, err := io.ReadFull(w.in, data); err != nil {
		return ended(err, "the file ends within its header")
	}
	kind := binary.LittleEndian.Uint16(data)
	w.Channels = int(binary.LittleEndian.Uint16(data[2:]))
	rate := binary.LittleEndian.Uint32(data[4:])
	w.bits = int(binary.LittleEndian.Uint16(data[14:]))
	if kind == extensible && size >= 26 {
		kind = binary.LittleEndian.Uint16(data[24:])
	}
	w.float = kind == floats
	switch {
	case kind != plainSamples && kind != floats:
		return wrong("the sound is compressed (kind %d): save the recording as plain WAV", kind)
	case w.Channels < 1 || w.Channels > 2:
		return wrong("the file has %d channels: give one or two", w.Channels)
	case rate < MinRate || rate > MaxRate:
		return wrong("the file has %d samples a second: give %d to %d", rate, MinRate, MaxRate)
	case w.float && w.bits != 32 && w.bits != 64, !w.float && w.bits != 8 && w.bits != 16 && w.bits != 24 && w.bits != 32:
		return wrong("the file has samples of %d bits: give 8, 16, 24 or 32", w.bits)
	}
	w.Rate = int(rate)
	return nil
}

// Read fills left and right (nil for a file of one channel, or if it is not wanted) with the next samples, -1
// to 1, and returns how many there were; io.EOF at the end. What is no number is silence.
func (w *Reader) Read(left, right []float64) (n int, err error) {
	var frame [16]byte
	bytes := w.bits / 8
	for n < len(left) {
		if !w.open && w.left < int64(bytes*w.Channels) {
			return n, io.EOF
		}
		if _, err := io.ReadFull(w.in, frame[:bytes*w.Channels]); err != nil {
			if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
				w.Short = !w.open
				return n, io.EOF
			}
			return n, err
		}
		w.left -= int64(bytes * w.Channels)
		left[n] = w.sample(frame[:bytes])
		if w.Channels == 2 && right != nil {
			right[n] = w.sample(frame[bytes : 2*bytes])
		}
		n++
	}
	return n, nil
}

// sample is one sample as a number.
func (w *Reader) sample(b []byte) float64 {
	v := 0.0
	switch {
	case w.float && w.bits == 64:
		v = math.Float64frombits(binary.LittleEndian.Uint64(b))
	case w.float:
		v = float64(math.Float32frombits(binary.LittleEndian.Uint32(b)))
	case w.bits == 8:
		return (float64(b[0]) - 128) / 128
	case w.bits == 16:
		return float64(int16(binary.LittleEndian.Uint16(b))) / (1 << 15)
	case w.bits == 24:
		return float64(int32(uint32(b[0])<<8|uint32(b[1])<<16|uint32(b[2])<<24)) / (1 << 31)
	default:
		return float64(int32(binary.LittleEndian.Uint32(b))) / (1 << 31)
	}
	if !(v >= -4 && v <= 4) { // no number, or none that a recording holds
		return 0
	}
	return v
}
