// Package plaintext turns the bytes of a text file into text, whatever program wrote it: UTF-8, UTF-16 of
// either order, or the one-byte code of western Windows systems (Windows-1252), which holds ISO 8859-1.
package plaintext

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// Error is a byte that no text has, at line and column from 1, the column in characters.
type Error struct {
	Line, Column int
	Text         string
}

func (e *Error) Error() string { return fmt.Sprintf("%d:%d: %s", e.Line, e.Column, e.Text) }

// Decode returns the text without a byte order mark, or *Error.
func Decode(data []byte) (string, error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	text, err := decode(data)
	if err != nil {
		return "", err
	}
	if at := strings.IndexByte(text, 0); at >= 0 {
		return "", fault(text[:at], "a zero byte: this is not text")
	}
	return text, nil
}

func decode(data []byte) (string, error) {
	if order, ok := wide(data); ok {
		return with(unicode.UTF16(order, unicode.UseBOM), data)
	}
	if utf8.Valid(data) {
		return string(data), nil
	}
	// Bytes that Windows-1252 leaves free are in no text of that code: it is UTF-8 with a fault in it.
	free := slices.IndexFunc(data, func(b byte) bool { return charmap.Windows1252.DecodeByte(b) == utf8.RuneError })
	if free >= 0 {
		return "", fault(strings.ToValidUTF8(string(data[:free]), "?"), "a byte that is neither UTF-8 nor Windows-1252: save the text as UTF-8")
	}
	return with(charmap.Windows1252, data)
}

func with(code encoding.Encoding, data []byte) (string, error) {
	text, err := code.NewDecoder().Bytes(data)
	if err != nil {
		return "", fault("", "this text cannot be read: save it as UTF-8")
	}
	if at := bytes.IndexRune(text, utf8.RuneError); at >= 0 {
		return "", fault(string(text[:at]), "an incomplete character: save the text as UTF-8")
	}
	return string(text), nil
}

// wide reports whether data is UTF-16, by its byte order mark, or by every other byte of its beginning being zero.
func wide(data []byte) (order unicode.Endianness, ok bool) {
	switch {
	case bytes.HasPrefix(data, []byte("\xff\xfe")):
		return unicode.LittleEndian, true
	case bytes.HasPrefix(data, []byte("\xfe\xff")):
		return unicode.BigEndian, true
	}
	head := data[:min(len(data), 64)&^1]
	even, odd := 0, 0
	for i := 0; i < len(head); i += 2 {
		if head[i] == 0 {
			even++
		}
		if head[i+1] == 0 {
			odd++
		}
	}
	switch half := len(head) / 2; {
	case half == 0:
		return order, false
	case odd > half*3/4 && even == 0:
		return unicode.LittleEndian, true
	case even > half*3/4 && odd == 0:
		return unicode.BigEndian, true
	}
	return order, false
}

// fault is at the end of what is read so far.
func fault(before, text string) *Error {
	line := before[strings.LastIndexByte(before, '\n')+1:]
	return &Error{1 + strings.Count(before, "\n"), 1 + utf8.RuneCountInString(line), text}
}
