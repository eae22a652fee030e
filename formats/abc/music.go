package abc

import (
	"slices"
	"strings"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/score"
	"stepping/core/tune"
)

type itemKind int

const (
	noteItem itemKind = iota
	restItem
	chordItem
	meterItem
	tempoItem
	barItem     // a bar line, with its repeat signs
	endingItem  // [1
	segnoItem   // the marks and jumps
	codaItem    //
	jumpItem    // fine, D.C., D.S., to coda
	partItem    // a part begins
	overlayItem // back to the beginning of the bar, in another line
)

// item is one element of the written music, before repeats are played out.
type item struct {
	kind    itemKind
	dur     tune.Time
	notes   []note // struck together
	marks   tune.Marks
	lyric   string
	chord   chord.Chord
	meter   meter
	tempo   float64
	signs   score.Signs // of a bar line and a jump: what is said at the end of the bar, and at the beginning of the next
	double  bool        // a bar line that ends a section
	endings []int
	place   tune.Place
}

// note is one pitch.
type note struct {
	pitch.Note
	tied bool // to the next of its pitch
}

// musicState is what carries over from one symbol to the next.
type musicState struct {
	bar       map[byte]accidental   // accidentals in this bar by letter
	barOctave map[[2]int]accidental // by letter and octave, for propagate-accidentals octave
	last      int                   // item of the last note or rest, -1
	broken    int                   // > 0: dots owed by a '>' ; < 0: by a '<'
	brokenAt  int
	tuplet    struct{ p, q, left int }
	tieFrom   int       // item whose notes are tied onward, -1
	written   tune.Time // length of the bar so far
	barStart  tune.Place
	loose     bool // this bar may have any length: first, or next to a repeat or section end
}

func (s *musicState) reset() {
	*s = musicState{bar: map[byte]accidental{}, barOctave: map[[2]int]accidental{}, last: -1, tieFrom: -1, loose: true}
}

// maxItems bounds time and memory for a text of nothing but symbols.
const maxItems = score.MaxTotal * 3 / 2

func (p *parser) add(it item) {
	p.written++
	p.items = append(p.items, it)
}

// music reads the current line as music.
func (p *parser) music() error {
	p.lineFrom, p.sung = len(p.items), false
	for p.pos < len(p.text) {
		if p.written > maxItems {
			return p.fail(p.pos, "the text holds more than %d symbols: give one tune at a time", maxItems)
		}
		if err := p.symbol(); err != nil {
			return err
		}
	}
	return nil
}

// symbol reads one symbol at p.pos and moves past it.
func (p *parser) symbol() error {
	c := p.text[p.pos]
	switch {
	case strings.IndexByte(" \t`)$;\\", c) >= 0: // a continued line needs nothing: bars and lengths carry over anyway
		p.pos++
	case c == 'y':
		p.pos++
		for p.pos < len(p.text) && p.text[p.pos] >= '0' && p.text[p.pos] <= '9' {
			p.pos++
		}
	case c == '"':
		return p.quoted()
	case c == '!' || c == '+':
		p.decoration(c)
	case c == '{':
		return p.graceNotes()
	case c == '&':
		p.overlay()
	case c == '[' && p.isInline():
		return p.inlineField()
	case c == '[' && p.beginsChord():
		return p.chordNotes()
	case strings.IndexByte("|:[]", c) >= 0, c == '.' && p.pos+1 < len(p.text) && p.text[p.pos+1] == '|':
		return p.barLine()
	case c == '(':
		return p.slurOrTuplet()
	case c == '.':
		if p.pos++; p.pos < len(p.text) && p.text[p.pos] == '(' {
			return nil // a dotted slur
		}
		p.marks |= tune.Staccato
	case c == '-':
		return p.tie()
	case c == '>' || c == '<':
		return p.brokenRhythm(c)
	case c == 'z' || c == 'x' || c == 'Z' || c == 'X':
		return p.rest(c)
	case strings.IndexByte("^_=", c) >= 0, c >= 'A' && c <= 'G', c >= 'a' && c <= 'g':
		return p.note()
	case isSymbol(c):
		if name, ok := p.symbols[c]; ok {
			p.decorate(name, p.pos)
		} else {
			p.warn(p.pos, "the letter %c has no meaning and was skipped: define it with a line like U:%c=!accent!", c, c)
		}
		p.pos++
	case strings.IndexByte("#*?@JRYhijklmnopqrstuvw'{},=0123456789/", c) >= 0:
		p.warn(p.pos, "%q has no meaning here and was skipped", string(c))
		p.pos++
	default:
		return p.fail(p.pos, "%q is not understood here: notes are A to G and a to g, rests z, bar lines |", []rune(p.text[p.pos:])[0])
	}
	return nil
}

// beginsChord tells [CEG] from a bar line [| and an ending [1.
func (p *parser) beginsChord() bool {
	rest := p.text[p.pos+1:]
	return rest != "" && strings.IndexByte("|]123456789:", rest[0]) < 0 && p.next(']', p.pos+1) >= 0
}

var plainSigns = strings.NewReplacer("♯", "#", "♭", "b")

// quoted reads a chord symbol or an annotation.
func (p *parser) quoted() error {
	end := p.next('"', p.pos+1) - p.pos - 1
	if end < 0 {
		return p.fail(p.pos, "this quotation is not closed: add a \" after the chord symbol")
	}
	text, at := p.text[p.pos+1:p.pos+1+end], p.pos
	p.pos += end + 2
	text = strings.TrimSpace(text)
	if text == "" || strings.IndexByte("^_<>@", text[0]) >= 0 || strings.EqualFold(text, "N.C.") {
		return nil
	}
	text, _, _ = strings.Cut(text, ";")
	if name, _, more := strings.Cut(text, "("); more && name != "" { // "G(Em)": one chord, and another that would do
		if _, err := chord.Parse(text); err != nil {
			text = name
		}
	}
	c, err := chord.Parse(plainSigns.Replace(text))
	if err != nil {
		p.warn(at, "skipped as text: %v", err)
		return nil
	}
	p.add(item{kind: chordItem, chord: c})
	return nil
}

// usualSymbols are the decorations that letters stand for unless U: says otherwise.
var usualSymbols = map[byte]string{
	'~': "roll", 'H': "fermata", 'L': "accent", 'M': "lowermordent", 'O': "coda", 'P': "uppermordent", 'S': "segno", 'T': "trill",
	'u': "upbow", 'v': "downbow",
}

// marks are the decorations that say how a note is played.
var marks = map[string]tune.Marks{
	"accent": tune.Accent, ">": tune.Accent, "emphasis": tune.Accent, "marcato": tune.Accent, "^": tune.Accent,
	"staccato": tune.Staccato, "wedge": tune.Staccato,
	"slide": tune.Scoop, "vibrato": tune.Vibrato, "laissez-vibrer": tune.LetRing, "let-ring": tune.LetRing,
}

func (p *parser) decoration(mark byte) {
	end := p.next(mark, p.pos+1) - p.pos - 1
	if end < 0 { // of !, an old way to force a line break
		if mark == '+' {
			p.warn(p.pos, "this decoration is not closed: add a +")
		}
		p.pos++
		return
	}
	name := p.text[p.pos+1 : p.pos+1+end]
	p.decorate(name, p.pos)
	p.pos += end + 2
}

var plainMark = strings.NewReplacer(".", "", " ", "")

// decorate applies a decoration: a mark of the next note, or one that says what is played after what.
func (p *parser) decorate(name string, at int) {
	p.marks |= marks[name]
	switch plain := strings.ToLower(plainMark.Replace(name)); {
	case plain == "segno":
		p.add(item{kind: segnoItem, place: p.place(at)})
	case plain == "coda":
		p.add(item{kind: codaItem, place: p.place(at)})
	case plain == "fine":
		p.add(item{kind: jumpItem, signs: score.Signs{Fine: true}})
	case plain == "dacoda" || plain == "tocoda":
		p.add(item{kind: jumpItem, signs: score.Signs{ToCoda: true}})
	case strings.HasPrefix(plain, "dc") || plain == "dacapo":
		p.add(item{kind: jumpItem, signs: score.Signs{DaCapo: true}})
	case strings.HasPrefix(plain, "ds") || plain == "dalsegno":
		p.add(item{kind: jumpItem, signs: score.Signs{DalSegno: true}})
	}
}

// graceNotes reads past {…}.
func (p *parser) graceNotes() error {
	end := p.next('}', p.pos) - p.pos
	if end < 0 {
		return p.fail(p.pos, "this is not closed: a } is missing")
	}
	if !p.graceful {
		p.warn(p.pos, "grace notes are left out")
		p.graceful = true
	}
	p.pos += end + 1
	return nil
}

// overlay begins another line from the beginning of the bar.
func (p *parser) overlay() {
	p.add(item{kind: overlayItem})
	p.state.written, p.state.last, p.state.tieFrom, p.state.broken, p.state.tuplet.left = 0, -1, -1, 0, 0
	p.state.bar, p.state.barOctave = map[byte]accidental{}, map[[2]int]accidental{}
	p.pos++
}

func (p *parser) isInline() bool {
	rest := p.text[p.pos+1:]
	return len(rest) >= 2 && rest[1] == ':' && (rest[0] >= 'A' && rest[0] <= 'Z' || rest[0] >= 'a' && rest[0] <= 'z')
}

func (p *parser) inlineField() error {
	end := p.next(']', p.pos) - p.pos
	if end < 0 {
		return p.fail(p.pos, "this field in brackets is not closed: add a ]")
	}
	start := p.pos
	p.pos += end + 1
	return p.field(p.text[start+1], start+3, start+end)
}

// readAccidental reads ^ ^^ _ __ = and the microtones ^/ _/ ^3/ ^1/2 ^3/2 ^1/4 at the start of s; ok is false if the fraction is
// none of at most two half steps.
func readAccidental(s string) (a accidental, used int, ok bool) {
	sign := 0
	for used < len(s) && used < 2 && (s[used] == '^' || s[used] == '_') && (used == 0 || s[used] == s[0]) {
		sign += map[byte]int{'^': 1, '_': -1}[s[used]]
		used++
	}
	if used == 0 && s != "" && s[0] == '=' {
		return accidental{}, 1, true
	}
	num, digits := leading(s[used:])
	slash := used+digits < len(s) && s[used+digits] == '/'
	if used == 0 || digits == 0 && !slash {
		return accidental{alter: sign}, used, true
	}
	if used == 2 || !slash {
		return accidental{}, used, false
	}
	if digits == 0 {
		num = 1
	}
	used += digits + 1
	den, digits := leading(s[used:])
	if digits == 0 {
		den = 2
	}
	used += digits
	if num > 200 || den < 1 || den > 100 || num > 2*den {
		return accidental{}, used, false
	}
	whole, cents := (100*num+den/2)/den/100, (100*num+den/2)/den%100
	if cents > 50 {
		whole, cents = whole+1, cents-100
	}
	return accidental{alter: sign * whole, cents: sign * cents}, used, true
}

// leading reads digits at the start of s.
func leading(s string) (n, used int) {
	for used < len(s) && used < 3 && s[used] >= '0' && s[used] <= '9' {
		n = 10*n + int(s[used]-'0')
		used++
	}
	return n, used
}

// note reads one note and its length.
func (p *parser) note() error {
	at := p.pos
	n, err := p.pitch()
	if err != nil {
		return err
	}
	dur, err := p.length()
	if err != nil {
		return err
	}
	return p.sound(item{kind: noteItem, notes: []note{{n, false}}, dur: dur, place: p.place(at)}, at)
}

// pitch reads accidental, letter and octave marks, and applies key, bar and clef.
func (p *parser) pitch() (pitch.Note, error) {
	at := p.pos
	acc, used, ok := readAccidental(p.text[p.pos:])
	if !ok {
		return pitch.Note{}, p.fail(at, "this accidental is not understood: quarter tones are ^/ and _/, three quarters ^3/ and _3/")
	}
	p.pos += used
	if p.pos >= len(p.text) || fifthsIndex(p.text[p.pos]) == 0 {
		return pitch.Note{}, p.fail(p.pos, "write a note after an accidental, A to G or a to g")
	}
	c := p.text[p.pos]
	p.pos++
	n := pitch.Note{Letter: upper(c), Octave: 4 + p.octave}
	if c >= 'a' {
		n.Octave++
	}
	for p.pos < len(p.text) && (p.text[p.pos] == '\'' || p.text[p.pos] == ',') {
		n.Octave += map[byte]int{'\'': 1, ',': -1}[p.text[p.pos]]
		p.pos++
	}
	if n.Octave < -1 || n.Octave > 10 {
		return n, p.fail(at, "this note is outside the range of hearing: too many octave marks")
	}
	a := p.applyAccidental(n, acc, used > 0)
	n.Alter, n.Cents = a.alter, a.cents
	return n, nil
}

func fifthsIndex(c byte) byte {
	if _, ok := fifthsOf[upper(c)]; ok && (c >= 'A' && c <= 'G' || c >= 'a' && c <= 'g') {
		return c
	}
	return 0
}

// applyAccidental returns what note n (letter and octave) sounds: its own accidental, that
// of a note tied to it, the bar's, or the key's.
func (p *parser) applyAccidental(n pitch.Note, own accidental, has bool) accidental {
	s := &p.state
	place := [2]int{int(n.Letter), n.Octave}
	if has {
		switch p.scope {
		case "not":
		case "octave":
			s.barOctave[place] = own
		default:
			s.bar[n.Letter] = own
		}
		return own
	}
	if s.tieFrom >= 0 {
		for _, from := range p.items[s.tieFrom].notes {
			if from.tied && from.Letter == n.Letter && from.Octave == n.Octave {
				return accidental{from.Alter, from.Cents}
			}
		}
	}
	if a, ok := s.barOctave[place]; ok {
		return a
	}
	if a, ok := s.bar[n.Letter]; ok {
		return a
	}
	return p.key.alter[n.Letter]
}

// maxFraction bounds numerator and denominator of a length: the finest is a tick of an eighth.
const maxFraction = 1 << 20

// length reads a note length: 2, 3/2, /, //, /4; nothing is one unit.
func (p *parser) length() (tune.Time, error) {
	at := p.pos
	num, hasNum, ok1 := p.number()
	den, ok2 := 1, true
	if !hasNum {
		num = 1
	}
	for p.pos < len(p.text) && p.text[p.pos] == '/' {
		p.pos++
		d, has, ok := p.number()
		if !has {
			d = 2
		}
		if den *= d; den > maxFraction || den == 0 || !ok {
			ok2, den = false, 1
		}
	}
	t := p.noteUnit() * tune.Time(num)
	if !ok1 || !ok2 || num == 0 || t/tune.Time(den) > 64*tune.Whole {
		return 0, p.fail(at, "this note length is out of bounds: write a number or fraction like 2, 3/2 or /2, at most 64 whole notes")
	}
	if t%tune.Time(den) != 0 {
		return 0, p.fail(at, "this note length is too fine: the shortest is a 1024th part of a quarter note, tuplets of 3, 5, 7 and 9")
	}
	return t / tune.Time(den), nil
}

// number reads digits at p.pos; ok is false if there are more than seven.
func (p *parser) number() (n int, has, ok bool) {
	from := p.pos
	for p.pos < len(p.text) && p.text[p.pos] >= '0' && p.text[p.pos] <= '9' {
		if p.pos-from < 8 {
			n = 10*n + int(p.text[p.pos]-'0')
		}
		p.pos++
	}
	return n, p.pos > from, p.pos-from <= 7
}

// sound adds a note or rest after applying tuplet and broken rhythm.
func (p *parser) sound(it item, at int) error {
	s := &p.state
	if p.sounds++; p.sounds > score.MaxTotal {
		return p.fail(at, "the text has more than %d notes and rests: give one tune at a time", score.MaxTotal)
	}
	if s.tuplet.left > 0 {
		s.tuplet.left--
		scaled := it.dur * tune.Time(s.tuplet.q)
		if scaled%tune.Time(s.tuplet.p) != 0 {
			return p.fail(at, "a note of this length is too short for a group of %d", s.tuplet.p)
		}
		it.dur = scaled / tune.Time(s.tuplet.p)
	}
	if s.broken != 0 {
		if err := p.applyBroken(&it, at); err != nil {
			return err
		}
	}
	if s.written == 0 {
		s.barStart = p.place(at)
	}
	s.written += it.dur
	s.last = len(p.items)
	s.tieFrom = -1
	if slices.ContainsFunc(it.notes, func(n note) bool { return n.tied }) {
		s.tieFrom = s.last
	}
	it.marks |= p.marks
	p.marks = 0
	p.add(it)
	return nil
}

// applyBroken lengthens one note and shortens the other of a pair joined by > or <.
func (p *parser) applyBroken(it *item, at int) error {
	s := &p.state
	n := s.broken
	long, short := &p.items[s.last].dur, &it.dur
	if n < 0 {
		n, long, short = -n, short, long
	}
	part := tune.Time(1) << n
	if *long%part != 0 || *short%part != 0 {
		return p.fail(at, "these notes are too short for a broken rhythm")
	}
	before := p.items[s.last].dur
	*long, *short = 2**long-*long/part, *short/part
	s.written += p.items[s.last].dur - before
	s.broken = 0
	return nil
}

func (p *parser) rest(c byte) error {
	at := p.pos
	p.pos++
	if c == 'z' || c == 'x' {
		dur, err := p.length()
		if err != nil {
			return err
		}
		return p.sound(item{kind: restItem, dur: dur, place: p.place(at)}, at)
	}
	bars, has, ok := p.number()
	if !has {
		bars = 1
	}
	if !ok || bars < 1 || bars > 100 {
		return p.fail(at, "%c rests for whole bars: give 1 to 100", c)
	}
	for i := 0; i < bars; i++ {
		if i > 0 {
			p.endBar(false)
			p.add(item{kind: barItem})
			p.bars++
		}
		if err := p.sound(item{kind: restItem, dur: p.meter.bar(), place: p.place(at)}, at); err != nil {
			return err
		}
	}
	return nil
}

func (p *parser) tie() error {
	s := &p.state
	if s.last < 0 || p.items[s.last].kind != noteItem {
		return p.fail(p.pos, "a tie - comes after a note, and there is none here")
	}
	for i := range p.items[s.last].notes {
		p.items[s.last].notes[i].tied = true
	}
	s.tieFrom = s.last
	p.pos++
	return nil
}

func (p *parser) brokenRhythm(c byte) error {
	at, n := p.pos, 0
	for p.pos < len(p.text) && p.text[p.pos] == c {
		p.pos++
		n++
	}
	if p.state.last < 0 || n > 3 || p.state.broken != 0 {
		return p.fail(at, "%s goes between two notes, at most three signs", p.text[at:min(p.pos, at+4)])
	}
	p.state.broken, p.state.brokenAt = n, at
	if c == '<' {
		p.state.broken = -n
	}
	return nil
}

// slurOrTuplet reads ( or (p, (p:q, (p:q:r.
func (p *parser) slurOrTuplet() error {
	at := p.pos
	p.pos++
	n, has, ok := p.number()
	if !has {
		return nil // a slur
	}
	s := &p.state
	s.tuplet.p, s.tuplet.q, s.tuplet.left = n, tupletFills(n, p.meter.compound()), n
	for _, field := range []*int{&s.tuplet.q, &s.tuplet.left} {
		if p.pos >= len(p.text) || p.text[p.pos] != ':' {
			break
		}
		p.pos++
		if v, has, good := p.number(); has {
			*field, ok = v, ok && good
		}
	}
	if !ok || n < 2 || n > 9 || s.tuplet.q < 1 || s.tuplet.q > 9 || s.tuplet.left < 1 || s.tuplet.left > 99 {
		s.tuplet.left = 0
		return p.fail(at, "a group of notes is written (2 to (9, or (p:q:r for p notes in the time of q over the next r")
	}
	return nil
}

// maxChordNotes bounds the work for one pair of brackets.
const maxChordNotes = 12

// tupletFills is the standard's table: how many notes' time a group of n fills.
func tupletFills(n int, compound bool) int {
	switch n {
	case 2, 4, 8:
		return 3
	case 3, 6:
		return 2
	}
	if compound {
		return 3
	}
	return 2
}
