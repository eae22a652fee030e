// Package abc reads tunes written in ABC notation, version 2.1, one voice.
//
// Read: the fields X T M L Q K (in the header, on lines of their own and inline), key
// modes and added accidentals, notes with accidentals and microtones (^/ and _/ half of
// a half step), octave marks, lengths, rests, ties, broken rhythm, tuplets, bar lines,
// repeats with numbered endings (played out), chord symbols, comments, continued lines.
//
// Read past with a warning, because notes or their order are lost: grace notes, all but
// the first voice, overlays, all but the highest note of a chord in brackets, jumps
// (segno, coda, fine), text in quotes that is no chord symbol. Read past in silence:
// lyrics, slurs, other decorations, layout.
//
// A missing octave clef means that C is middle C, C4. Accidentals hold for the same
// letter in every octave to the end of the bar, the standard's default.
package abc

import (
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"stepping/core/tune"
	"stepping/formats/plaintext"
)

// Limits of the input.
const (
	MaxBytes = 1 << 20
	MaxNotes = 4000
)

// Error is a fault in the text at a place, line and column from 1, columns in characters.
type Error struct {
	Line, Column int
	Text         string // what is wrong and what would be right
}

func (e *Error) Error() string { return fmt.Sprintf("%d:%d: %s", e.Line, e.Column, e.Text) }

// Warning is something read past.
type Warning struct {
	Line   int    `json:"line"`
	Column int    `json:"column"`
	Text   string `json:"text"`
}

// Read reads the first tune of r. Faults in the text are *Error; nothing is returned
// beside one. It never panics; time and memory are bounded by MaxBytes and MaxNotes.
func Read(r io.Reader) (*tune.Tune, []Warning, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return nil, nil, fmt.Errorf("read abc: %w", err)
	}
	if len(data) > MaxBytes {
		return nil, nil, &Error{1, 1, "the text is longer than 1 MiB: give one tune at a time"}
	}
	text, err := plaintext.Decode(data)
	if fault := (*plaintext.Error)(nil); errors.As(err, &fault) {
		return nil, nil, &Error{fault.Line, fault.Column, fault.Text + "; give an ABC file, plain text with a line K: for the key"}
	}
	p := newParser(text)
	if err := p.parse(); err != nil {
		return nil, nil, err
	}
	tu, err := p.playOut()
	if err != nil {
		return nil, nil, err
	}
	return tu, p.warnings, nil
}

type parser struct {
	lines    []string
	line     int    // index of the current line
	text     string // the current line without comment
	pos      int    // byte position in text
	warnings []Warning

	title  string
	inBody bool
	voice  string // first voice named
	muted  bool   // in another voice

	key      key
	first    key // of the header: the tune's key
	meter    meter
	unit     tune.Time // L
	unitSet  bool
	tempo    float64 // quarter notes a minute
	tempoSet bool
	scope    string // propagate-accidentals: pitch, octave or not

	items []item
	state musicState
}

// maxWarnings bounds the list; a text with more has lost its reader long before.
const maxWarnings = 50

func newParser(text string) *parser {
	text = strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n")
	p := &parser{lines: strings.Split(text, "\n"), scope: "pitch", meter: meter{4, 4, false}}
	p.state.reset()
	return p
}

func (p *parser) column(pos int) int {
	return utf8.RuneCountInString(p.text[:min(pos, len(p.text))]) + 1
}

func (p *parser) place(pos int) tune.Place {
	return tune.Place{Line: p.line + 1, Column: p.column(pos)}
}

func (p *parser) fail(pos int, format string, args ...any) error {
	return &Error{p.line + 1, p.column(pos), fmt.Sprintf(format, args...)}
}

func (p *parser) warn(pos int, format string, args ...any) {
	if len(p.warnings) < maxWarnings {
		p.warnings = append(p.warnings, Warning{p.line + 1, p.column(pos), fmt.Sprintf(format, args...)})
	}
}

// parse reads all lines up to the end of the first tune.
func (p *parser) parse() error {
	for p.line = range p.lines {
		p.text, p.pos = p.lines[p.line], 0
		if strings.HasPrefix(p.text, "%%") {
			p.directive(strings.Fields(p.text[2:]))
			continue
		}
		p.text = stripComment(p.text)
		if strings.TrimSpace(p.text) == "" {
			if p.inBody && len(p.items) > 0 && p.text == p.lines[p.line] {
				break // an empty line ends the tune
			}
			continue
		}
		if isField(p.text) {
			if p.text[0] == 'X' && p.inBody {
				break
			}
			if err := p.field(p.text[0], 2, len(p.text)); err != nil {
				return err
			}
			continue
		}
		if !p.inBody {
			return p.fail(0, "music stands here, but the key is missing: before the notes comes a line K: with the key, like K:D")
		}
		if err := p.music(); err != nil {
			return err
		}
	}
	return p.finish()
}

// finish closes the last bar and warns of what follows the tune.
func (p *parser) finish() error {
	for later := p.line + 1; later < len(p.lines); later++ {
		if strings.HasPrefix(p.lines[later], "X:") {
			p.line, p.text = later, p.lines[later]
			p.warn(0, "another tune begins here; only the first one is read")
			break
		}
	}
	if !p.inBody {
		p.text = ""
		return p.fail(0, "there is no line K: with the key, so no tune: an ABC tune has at least K:D and then notes")
	}
	p.endBar(false)
	return nil
}

func (p *parser) directive(words []string) {
	if len(words) == 2 && words[0] == "propagate-accidentals" {
		p.scope = words[1]
	}
}

// stripComment cuts at the first % that is not escaped and not in quotes.
func stripComment(s string) string {
	quoted := false
	for i := 0; i < len(s); i++ {
		switch {
		case s[i] == '"':
			quoted = !quoted
		case s[i] == '%' && !quoted && (i == 0 || s[i-1] != '\\'):
			return s[:i]
		}
	}
	return s
}

func isField(s string) bool {
	return len(s) >= 2 && s[1] == ':' && (s[0] >= 'A' && s[0] <= 'Z' || s[0] >= 'a' && s[0] <= 'z' || s[0] == '+') && !strings.HasPrefix(s[1:], ":|")
}

// field reads the field of the given letter, whose value stands in text[from:to].
func (p *parser) field(letter byte, from, to int) error {
	value := p.text[from:to]
	at := from + len(value) - len(strings.TrimLeft(value, " \t"))
	value = strings.TrimSpace(value)
	if p.muted && strings.IndexByte("KMLQ", letter) >= 0 {
		return nil
	}
	switch letter {
	case 'T':
		if p.title == "" {
			p.title = value
		}
	case 'M':
		return p.meterField(value, at)
	case 'L':
		return p.unitField(value, at)
	case 'Q':
		return p.tempoField(value, at)
	case 'K':
		return p.keyField(value, at)
	case 'V':
		p.voiceField(value)
	case 'P':
		if !p.inBody && len(value) > 1 {
			p.warn(at, "the order of parts %q is not played; the parts are read as they stand", value)
		}
	}
	return nil
}

func (p *parser) voiceField(value string) {
	name, _, _ := strings.Cut(value, " ")
	if p.voice == "" {
		p.voice = name
	}
	if !p.inBody {
		return // the header only lists the voices
	}
	was := p.muted
	p.muted = name != p.voice
	if p.muted && !was {
		p.warn(0, "voice %s is left out; only voice %s is read", name, p.voice)
	}
}
