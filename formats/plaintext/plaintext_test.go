package plaintext

import (
	"errors"
	"strings"
	"testing"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// TestDecode writes a text in every code and reads it back.
func TestDecode(t *testing.T) {
	const text = "T:Müller’s Café – “Straße”\nK:D\nD2 E2|\n"
	for name, data := range map[string][]byte{
		"UTF-8": []byte(text), "UTF-8 with mark": []byte("\ufeff" + text),
		"Windows-1252":              must(charmap.Windows1252.NewEncoder().Bytes([]byte(text))),
		"UTF-16 with mark":          must(unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().Bytes([]byte(text))),
		"UTF-16 of the other order": must(unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder().Bytes([]byte(text))),
		"UTF-16 without mark":       must(unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM).NewEncoder().Bytes([]byte(text))),
	} {
		if got, err := Decode(data); got != text || err != nil {
			t.Errorf("%s: %q %v", name, got, err)
		}
	}
	for data, want := range map[string]Error{
		"T:x\nK:D\nD\x81|":           {Line: 3, Column: 2},
		"\x81":                       {Line: 1, Column: 1},
		"T:é\nK:ü\x00D":              {Line: 2, Column: 4},
		"\xff\xfeT\x00:\x00\x00\xd8": {Line: 1, Column: 3},
	} {
		got := (*Error)(nil)
		if _, err := Decode([]byte(data)); !errors.As(err, &got) || got.Line != want.Line || got.Column != want.Column ||
			strings.Contains(data, "\x81") != strings.Contains(got.Text, "neither UTF-8 nor Windows-1252") {
			t.Errorf("%q: %v", data, err)
		}
	}
}

func must(data []byte, err error) []byte {
	if err != nil {
		panic(err)
	}
	return data
}

// FuzzDecode: what comes out is text; UTF-8 comes out as it went in.
func FuzzDecode(f *testing.F) {
	f.Add([]byte("T:Caf\xe9\nK:D"))
	f.Add([]byte("\xff\xfea\x00"))
	f.Fuzz(func(t *testing.T, data []byte) {
		text, err := Decode(data)
		if err == nil && !utf8.ValidString(text) {
			t.Errorf("%q becomes %q", data, text)
		}
	})
}
