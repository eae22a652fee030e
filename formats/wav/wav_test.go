package wav_test

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"
	"math"
	"testing"

	"stepping/formats/wav"
)

// file makes a WAV file of samples in a form: kind 1 plain, 3 floating point.
func file(kind, bits, channels, rate int, samples []float64, extensible bool) []byte {
	var data bytes.Buffer
	for _, v := range samples {
		for range channels {
			switch {
			case kind == 3 && bits == 64:
				_ = binary.Write(&data, binary.LittleEndian, v)
			case kind == 3:
				_ = binary.Write(&data, binary.LittleEndian, float32(v))
			case bits == 8:
				data.WriteByte(byte(math.Round(v*127) + 128))
			default:
				x := int64(math.Round(v * float64(int64(1)<<(bits-1)-1)))
				for k := 0; k < bits; k += 8 {
					data.WriteByte(byte(x >> k))
				}
			}
		}
	}
	var f bytes.Buffer
	le := func(v any) { _ = binary.Write(&f, binary.LittleEndian, v) }
	f.WriteString("RIFF")
	le(uint32(1000))
	f.WriteString("WAVEjunk")
	le(uint32(3))
	f.WriteString("abc\x00fmt ")
	tag := uint16(kind)
	size := uint32(16)
	if extensible {
		tag, size = 0xFFFE, 40
	}
	le(size)
	le(tag)
	le(uint16(channels))
	le(uint32(rate))
	le(uint32(rate * channels * bits / 8))
	le(uint16(channels * bits / 8))
	le(uint16(bits))
	if extensible {
		le([]uint16{22, uint16(bits), 0, 0, uint16(kind)})
		f.Write(make([]byte, 14))
	}
	f.WriteString("data")
	le(uint32(data.Len()))
	f.Write(data.Bytes())
	return f.Bytes()
}

func read(data []byte) (r *wav.Reader, samples []float64, err error) {
	if r, err = wav.NewReader(bytes.NewReader(data)); err != nil {
		return nil, nil, err
	}
	buf := make([]float64, 7)
	for {
		n, err := r.Read(buf, nil)
		samples = append(samples, buf[:n]...)
		if errors.Is(err, io.EOF) {
			return r, samples, nil
		}
		if err != nil {
			return r, samples, err
		}
	}
}

// TestRead: every form comes back as what it was, to its precision; what is cut off is read up to there, a
// length that lies is not believed; the rest is refused by name.
func TestRead(t *testing.T) {
	want := []float64{0, 0.5, -0.5, 0.25, -1, 0.99, 0.001, 0}
	for _, form := range [][2]int{{1, 8}, {1, 16}, {1, 24}, {1, 32}, {3, 32}, {3, 64}} {
		for _, channels := range []int{1, 2} {
			for _, ext := range []bool{false, true} {
				data := file(form[0], form[1], channels, 44100, want, ext)
				r, got, err := read(data)
				if err != nil || r.Rate != 44100 || r.Channels != channels || len(got) != len(want) || r.Short {
					t.Fatalf("%v, %d channels: %v %+v %v", form, channels, err, r, got)
				}
				for i := range want {
					if math.Abs(got[i]-want[i]) > 2.01/float64(int64(1)<<(min(form[1], 24)-1)) {
						t.Errorf("%v: sample %d is %g, not %g", form, i, got[i], want[i])
					}
				}
				r, got, err = read(data[:len(data)-form[1]/8*channels*3])
				if err != nil || len(got) != len(want)-3 || !r.Short {
					t.Errorf("%v, cut off: %d samples, %v", form, len(got), err)
				}
			}
		}
	}
	good := file(1, 16, 1, 44100, want, false)
	for name, bad := range map[string][]byte{
		"nothing": nil, "text": []byte("this is a text file, and no sound"), "rate": file(1, 16, 1, 400, want, false),
		"channels": file(1, 16, 6, 44100, want, false), "bits": file(1, 12, 1, 44100, want, false),
		"packed": file(85, 16, 1, 44100, want, false), "header": good[:30], "no samples": good[:48],
	} {
		var fault *wav.FormatError
		if _, _, err := read(bad); !errors.As(err, &fault) || fault.Text == "" {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// FuzzRead: whatever comes, it is samples between -4 and 4, or a fault.
func FuzzRead(f *testing.F) {
	for _, form := range [][2]int{{1, 8}, {1, 16}, {1, 24}, {3, 32}} {
		f.Add(file(form[0], form[1], 2, 48000, []float64{0, 0.5, -1}, form[1] == 24))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		_, samples, err := read(data)
		var fault *wav.FormatError
		if err != nil && !errors.As(err, &fault) {
			t.Fatal(err)
		}
		for _, v := range samples {
			if !(v >= -4 && v <= 4) {
				t.Fatalf("a sample of %g", v)
			}
		}
	})
}
