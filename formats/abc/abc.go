// Package abc reads and writes tunes in ABC notation, version 2.1.
//
// Read: all voices with clefs, octaves and transposition, overlays, the fields X T M L Q K V P U I w (in the
// file's header, the tune's, on lines of their own and inline), key modes and added accidentals, notes with
// accidentals and microtones (^/ is half of a half step, ^1/4 a quarter of one), octave marks, lengths, rests,
// ties, broken rhythm, tuplets, bar lines of any run of signs, repeats, numbered endings, the order of parts,
// segno, coda, fine (all played out), chord symbols, decorations that are music (see marks), lyrics, comments,
// continued lines.
//
// Read past with a warning: grace notes, text in quotes that is no chord symbol, a tempo that is not understood, reserved
// characters. Read past in silence: slurs, other decorations, annotations, layout.
//
// A missing octave clef means that C is middle C, C4. Accidentals hold for the same letter in every octave to the end of the
// bar, the standard's default.
package abc

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"stepping/core/score"
	"stepping/core/tune"
	"stepping/formats/plaintext"
)

// Limits of the input.
const (
	MaxBytes = score.MaxText
	MaxNotes = score.MaxNotes
)

// Error is a fault in the text at a place.
type Error = score.Fault

// Warning is something read past.
type Warning = score.Warning

// Read reads the first tune of r: ReadScore in the roles that it proposes. Faults in the text are *Error; nothing is returned with one.
func Read(r io.Reader) (*tune.Tune, []Warning, error) {
	sc, err := ReadScore(r)
	if err != nil {
		return nil, nil, err
	}
	tu, _, more, err := sc.Tune(sc.Roles())
	if err != nil {
		return nil, nil, err
	}
	return tu, append(sc.Warnings, more...), nil
}

// ReadScore reads the first tune of r with all its voices. It never panics; time and memory are bounded by MaxBytes and MaxNotes.
func ReadScore(r io.Reader) (*score.Score, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return nil, fmt.Errorf("read abc: %w", err)
	}
	if len(data) > MaxBytes {
		return nil, &Error{Line: 1, Column: 1, Text: "the text is longer than 1 MiB: give one tune at a time"}
	}
	text, err := plaintext.Decode(data)
	if fault := (*plaintext.Error)(nil); errors.As(err, &fault) {
		return nil, &Error{Line: fault.Line, Column: fault.Column, Text: fault.Text + "; give an ABC file, plain text with a line K: for the key"}
	}
	p := newParser(text)
	if err := p.parse(); err != nil {
		return nil, err
	}
	return p.playOut()
}

type parser struct {
	lines    []string
	line     int    // index of the current line
	text     string // the current line without comment
	pos      int    // byte position in text
	warnings []Warning
	fields   int // lines of them
	sounds   int // notes and rests of all voices
	written  int // items of all voices
	counted  counted
	found    [256]found // by byte

	title   string
	swing   float64
	inBody  bool
	first   key // of the header: the tune's key
	scope   string
	symbols map[byte]string // decorations that letters stand for
	order   string          // of parts, as P: in the header says
	orderAt tune.Place
	parts   []partMark
	letter  byte   // of the last field, for +:
	head    []item // meter and tempo of the header

	*voice // the one being read
	voices []*voice
}

// partMark is a part P:A that begins at a written bar.
type partMark struct {
	label byte
	bar   int
}

// voice is one voice, with what holds in it.
type voice struct {
	id, name string
	key      key
	octave   int // by its clef and octave=
	shift    int // by transpose=
	meter    meter
	unit     tune.Time // L
	unitSet  bool
	items    []item
	state    musicState
	bars     int  // written so far
	lineFrom int  // item with which the last line of music began
	sung     bool // that line has lyrics
	marks    tune.Marks
	graceful bool // grace notes were told
}

// label is what the voice is called.
func (v *voice) label() string {
	if v.name != "" {
		return v.name
	}
	return v.id
}

func newParser(text string) *parser {
	text = strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n")
	p := &parser{lines: strings.Split(text, "\n"), scope: "pitch", symbols: map[byte]string{}, voice: &voice{meter: meter{4, 4, false}}}
	for letter, name := range usualSymbols {
		p.symbols[letter] = name
	}
	p.state.reset()
	return p
}

// column is the column of a byte of the current line, from 1. It counts on from the one asked for last: lines may be long.
func (p *parser) column(pos int) int {
	pos = min(pos, len(p.text))
	if c := &p.counted; c.line != p.line || c.text != len(p.text) {
		*c = counted{line: p.line, text: len(p.text)}
	}
	if c := &p.counted; pos >= c.pos {
		c.runes += utf8.RuneCountInString(p.text[c.pos:pos])
	} else {
		c.runes -= utf8.RuneCountInString(p.text[pos:c.pos])
	}
	p.counted.pos = pos
	return p.counted.runes + 1
}

// counted is how many characters stand before a byte of a line.
type counted struct{ line, text, pos, runes int }

// next is the byte of the current line at which c stands from a byte on, -1 if it does not. It is found once, however often it is
// asked for.
func (p *parser) next(c byte, from int) int {
	f := &p.found[c]
	if f.line != p.line || f.text != len(p.text) || from < f.from || f.at >= 0 && from > f.at {
		*f = found{line: p.line, text: len(p.text), from: from, at: -1}
		if i := strings.IndexByte(p.text[min(from, len(p.text)):], c); i >= 0 {
			f.at = from + i
		}
	}
	return f.at
}

// found is where a byte was found in a line.
type found struct{ line, text, from, at int }

func (p *parser) place(pos int) tune.Place {
	return tune.Place{Line: p.line + 1, Column: p.column(pos)}
}

func (p *parser) fail(pos int, format string, args ...any) error {
	return &Error{Line: p.line + 1, Column: p.column(pos), Text: fmt.Sprintf(format, args...)}
}

func (p *parser) warn(pos int, format string, args ...any) {
	if len(p.warnings) >= score.MaxWarnings {
		return
	}
	p.warnAt(p.place(pos), format, args...)
}

func (p *parser) warnAt(at tune.Place, format string, args ...any) {
	if len(p.warnings) < score.MaxWarnings {
		p.warnings = append(p.warnings, Warning{Line: at.Line, Column: max(at.Column, 1), Text: fmt.Sprintf(format, args...)})
	}
}

// maxFields bounds the lines of fields: a note may have a line of words.
const maxFields = 2 * score.MaxTotal

// parse reads all lines up to the end of the first tune.
func (p *parser) parse() error {
	begin := slices.IndexFunc(p.lines, func(s string) bool { return strings.HasPrefix(s, "X:") })
	for p.line = 0; p.line < len(p.lines); p.line++ {
		p.text, p.pos = p.lines[p.line], 0
		if strings.HasPrefix(p.text, "%%") {
			p.directiveLine()
			continue
		}
		p.text = stripComment(p.text)
		if strings.TrimSpace(p.text) == "" {
			if p.inBody && p.hasMusic() && p.text == p.lines[p.line] {
				break // an empty line ends the tune
			}
			continue
		}
		if isField(p.text) {
			if p.text[0] == 'X' && p.inBody {
				break
			}
			if p.line < begin && strings.IndexByte("KVPTw", p.text[0]) >= 0 {
				continue // no field of a file's header
			}
			if p.fields++; p.fields > maxFields {
				return p.fail(0, "there are more than %d lines of fields: give one tune at a time", maxFields)
			}
			if err := p.field(p.text[0], 2, len(p.text)); err != nil {
				return err
			}
			continue
		}
		if p.line < begin {
			continue // free text before the tune
		}
		if !p.inBody {
			return p.early()
		}
		if err := p.music(); err != nil {
			return err
		}
	}
	return p.finish()
}

// early is the fault of a line that is no field and stands before the key.
func (p *parser) early() error {
	for later := p.line + 1; later < len(p.lines); later++ {
		if strings.HasPrefix(p.lines[later], "K:") {
			return p.fail(0, "this line is not a field, and the key only comes in line %d: before the key write lines with a letter and a colon, like T:Title; after free text start with X:1", later+1)
		}
	}
	return p.fail(0, "there is music here but no key: write a line with the key before the notes, like K:D")
}

func (p *parser) hasMusic() bool {
	return len(p.items) > 0 || slices.ContainsFunc(p.voices, func(v *voice) bool { return len(v.items) > 0 })
}

// finish closes the last bars and warns of what follows the tune.
func (p *parser) finish() error {
	for later := p.line + 1; later < len(p.lines); later++ {
		if strings.HasPrefix(p.lines[later], "X:") {
			p.warnAt(tune.Place{Line: later + 1, Column: 1}, "another tune starts here; only the first one is read")
			break
		}
	}
	if !p.inBody {
		p.line, p.text = max(0, min(p.line, len(p.lines)-1)), ""
		return p.fail(0, "there is no line K: with the key: an ABC tune needs at least K:D and then notes")
	}
	if len(p.voices) == 0 {
		p.voices = append(p.voices, p.voice)
	}
	for _, v := range p.voices {
		p.voice = v
		p.endBar(false)
	}
	return nil
}

// directiveLine reads a line %%…; text between %%begin… and %%end… is no music.
func (p *parser) directiveLine() {
	words := strings.Fields(p.text[2:])
	if len(words) == 0 {
		return
	}
	if what, is := strings.CutPrefix(words[0], "begin"); is {
		for end := p.line + 1; end < len(p.lines); end++ {
			if strings.HasPrefix(p.lines[end], "%%end"+what) {
				p.line = end
				return
			}
		}
		p.warn(0, "%%%%%s is not closed by %%%%end%s", words[0], what)
		return
	}
	p.directive(words)
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

// field reads the field of the given letter, whose value is in text[from:to].
func (p *parser) field(letter byte, from, to int) error {
	value := p.text[from:to]
	at := from + len(value) - len(strings.TrimLeft(value, " \t"))
	value = strings.TrimSpace(value)
	if letter == '+' {
		letter = p.letter
		if letter != 'w' {
			return nil // what goes on is text
		}
		p.sung = false
	}
	p.letter = letter
	switch letter {
	case 'T':
		if p.title == "" {
			p.title = value
		}
	case 'R':
		p.swingWords(value)
	case 'M':
		return p.meterField(value, at)
	case 'L':
		return p.unitField(value, at)
	case 'Q':
		p.tempoField(value, at)
	case 'K':
		return p.keyField(value, at)
	case 'V':
		p.voiceField(value, at)
	case 'P':
		p.partField(value, at)
	case 'U':
		p.symbolField(value, at)
	case 'I':
		p.directive(strings.Fields(value))
	case 'w':
		if p.inBody {
			p.lyrics(value)
		}
	}
	return nil
}

// voiceField names a voice: in the header with what holds in it, in the body as the one that follows.
func (p *parser) voiceField(value string, at int) {
	words := splitQuoted(value)
	if len(words) == 0 {
		p.warn(at, "V: without a name was skipped: write V:1")
		return
	}
	v := p.find(words[0])
	if v == nil {
		v = p.newVoice(words[0])
	}
	was := p.voice
	p.voice = v
	for _, w := range words[1:] {
		name, option, has := strings.Cut(w, "=")
		switch {
		case name == "name" || name == "nm":
			v.name = strings.Trim(option, `"`)
		case isClef(w), has:
			if name == "clef" || isClef(w) {
				v.octave = 0
			}
			p.clefOption(w, at)
		}
	}
	if !p.inBody {
		p.voice = was
	}
}

func (p *parser) find(id string) *voice {
	for _, v := range p.voices {
		if v.id == id {
			return v
		}
	}
	return nil
}

// newVoice begins a voice with what holds so far. The first one takes what was written before it was named.
func (p *parser) newVoice(id string) *voice {
	if p.inBody && len(p.voices) == 0 {
		p.id = id
		if len(p.items) > 0 && !slices.ContainsFunc(p.items, func(it item) bool { return it.kind == noteItem }) || len(p.items) == 0 {
			p.voices = append(p.voices, p.voice)
			return p.voice
		}
		p.id = ""
		p.voices = append(p.voices, p.voice)
	}
	from := p.voice
	if len(p.voices) > 0 && p.inBody {
		from = p.voices[0]
	}
	v := &voice{id: id, key: p.first, meter: from.meter, unit: from.unit, unitSet: from.unitSet}
	if p.inBody {
		v.items = slices.Clone(p.head)
	}
	v.state.reset()
	p.voices = append(p.voices, v)
	return v
}

// splitQuoted splits at spaces that are not in quotes.
func splitQuoted(s string) []string {
	quoted := false
	return strings.FieldsFunc(s, func(r rune) bool {
		if r == '"' {
			quoted = !quoted
		}
		return !quoted && (r == ' ' || r == '\t')
	})
}

// partField reads the order of parts in the header, and where one begins in the body.
func (p *parser) partField(value string, at int) {
	if !p.inBody {
		p.order, p.orderAt = value, p.place(at)
		return
	}
	if value != "" {
		bar := p.bars
		if p.state.written > 0 {
			bar++ // a label within a bar belongs to the next
		}
		p.parts = append(p.parts, partMark{value[0], bar})
		p.add(item{kind: partItem})
	}
}

// symbolField reads U:T=!trill!: what a letter stands for.
func (p *parser) symbolField(value string, at int) {
	letter, name, ok := strings.Cut(value, "=")
	letter = strings.TrimSpace(letter)
	name = strings.Trim(strings.TrimSpace(name), "!+")
	if !ok || len(letter) != 1 || !isSymbol(letter[0]) {
		p.warn(at, "U:%s was skipped: write a letter H to W or h to w and a decoration, like U:T=!trill!", value)
		return
	}
	p.symbols[letter[0]] = name
}

func isSymbol(c byte) bool {
	return c >= 'H' && c <= 'W' && c != 'Z' || c >= 'h' && c <= 'w' || c == '~'
}

// lyrics sets the syllables of w: under the notes of the last line of music.
func (p *parser) lyrics(value string) {
	if p.sung {
		return // another verse
	}
	p.sung = true
	next := p.lineFrom
	note := func() *item {
		for ; next < len(p.items); next++ {
			if it := &p.items[next]; it.kind == noteItem {
				next++
				return it
			}
		}
		return nil
	}
	for _, syllable := range syllables(value) {
		if syllable == "|" {
			for next < len(p.items) && (next == p.lineFrom || p.items[next-1].kind != barItem) {
				next++
			}
			continue
		}
		it := note()
		if it == nil {
			return
		}
		if syllable != "*" && syllable != "_" {
			it.lyric = syllable
		}
	}
}

// syllables splits a line of lyrics: spaces and hyphens part, * and _ stand for a note without one of its own,
// ~ is a space, \- a hyphen.
func syllables(s string) (out []string) {
	word := ""
	flush := func() {
		if word != "" {
			out = append(out, word)
		}
		word = ""
	}
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case c == ' ' || c == '\t':
			flush()
		case c == '-':
			if word == "" {
				out = append(out, "_")
				continue
			}
			word += "-"
			flush()
		case c == '*' || c == '_' || c == '|':
			flush()
			out = append(out, string(c))
		case c == '~':
			word += " "
		case c == '\\' && i+1 < len(s) && s[i+1] == '-':
			word += "-"
			i++
		default:
			word += s[i : i+1]
		}
	}
	flush()
	return out
}
