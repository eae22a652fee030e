package abc

import (
	"slices"
	"strconv"
	"strings"

	"stepping/core/pitch"
	"stepping/core/score"
	"stepping/core/tune"
)

type meter struct {
	num, den int
	free     bool
}

// compound reports whether tuplets of unusual size fill three, not two.
func (m meter) compound() bool { return m.num > 3 && m.num%3 == 0 && m.den >= 8 }

func (m meter) bar() tune.Time { return tune.Time(m.num) * tune.Whole / tune.Time(m.den) }

func (p *parser) meterField(value string, at int) error {
	m, ok := readMeter(value)
	if !ok {
		return p.fail(at, "M:%s is not a meter: write two numbers like M:4/4 or M:6/8, or M:C, M:C|, M:none", value)
	}
	if p.inBody && !p.unitSet {
		p.unit, p.unitSet = p.noteUnit(), true // a change in the body keeps L
	}
	p.meter = m
	p.add(item{kind: meterItem, meter: m})
	return nil
}

func readMeter(value string) (meter, bool) {
	switch value {
	case "C":
		return meter{4, 4, false}, true
	case "C|":
		return meter{2, 2, false}, true
	case "none", "":
		return meter{4, 4, true}, true
	}
	top, bottom, ok := strings.Cut(value, "/")
	if !ok {
		return meter{}, false
	}
	sum := 0
	for _, part := range strings.Split(strings.Trim(strings.TrimSpace(top), "()"), "+") {
		n, err := strconv.Atoi(strings.TrimSpace(part))
		if err != nil || n < 1 || n > 64 {
			return meter{}, false
		}
		sum += n
	}
	den, err := strconv.Atoi(strings.TrimSpace(bottom))
	if err != nil || den < 1 || den > 64 || den&(den-1) != 0 || sum > 64 {
		return meter{}, false
	}
	return meter{sum, den, false}, true
}

func (p *parser) unitField(value string, at int) error {
	t, ok := readFraction(value)
	if !ok || t == 0 || t > tune.Whole {
		return p.fail(at, "L:%s is not a note length: write a fraction of a whole note like L:1/8", value)
	}
	p.unit, p.unitSet = t, true
	return nil
}

// readFraction reads "1/8" or "1" as a fraction of a whole note.
func readFraction(s string) (tune.Time, bool) {
	top, bottom, has := strings.Cut(strings.TrimSpace(s), "/")
	if !has {
		bottom = "1"
	}
	n, err1 := strconv.Atoi(strings.TrimSpace(top))
	d, err2 := strconv.Atoi(strings.TrimSpace(bottom))
	if err1 != nil || err2 != nil || n < 1 || n > 1024 || d < 1 || d > 4096 {
		return 0, false
	}
	return tune.Fraction(4*int64(n), int64(d))
}

// noteUnit returns L: as set, else from the meter (a sixteenth below 3/4, else an eighth).
func (p *parser) noteUnit() tune.Time {
	if p.unitSet {
		return p.unit
	}
	if !p.meter.free && p.meter.bar() < 3*tune.Quarter {
		return tune.Whole / 16
	}
	return tune.Whole / 8
}

// tempoWords are what stands next to a tempo without changing it.
var tempoWords = strings.NewReplacer("ca.", "", "ca", "", "c.", "", "approx.", "", "~", "", "≈", "", "about", "", "–", "-")

// tempoField reads Q:1/4=100, Q:"text" 3/8=80, Q:100 (unit notes a minute), 120-130 (the middle) or just text.
// What is not understood is told: no tune is lost for its tempo.
func (p *parser) tempoField(value string, at int) {
	text := value
	for { // quoted text may stand before or behind
		open := strings.IndexByte(value, '"')
		if open < 0 {
			break
		}
		end := strings.IndexByte(value[open+1:], '"')
		if end < 0 {
			value = value[:open]
			break
		}
		p.swingWords(value[open+1 : open+1+end])
		value = value[:open] + value[open+1+end+1:]
	}
	value = strings.TrimSpace(value)
	if value == "" {
		return
	}
	quarter, ok := p.readTempo(value)
	if !ok {
		p.warn(at, "the tempo Q:%s was not understood and was skipped: write beats a minute like Q:1/4=90, from %d to %d quarter notes", text, tune.MinTempo, tune.MaxTempo)
		return
	}
	p.add(item{kind: tempoItem, tempo: quarter})
}

// swingWords reads what words say of swing: "swing", "shuffle", with a ratio behind it if it is not 2:1.
func (p *parser) swingWords(text string) {
	if share, ok := score.SwingWords(text); ok {
		p.swing = share
	}
}

func (p *parser) readTempo(value string) (quarter float64, ok bool) {
	beat, rate, has := strings.Cut(value, "=")
	length := p.noteUnit()
	if has {
		length = 0
		for _, part := range strings.Fields(beat) {
			part = strings.TrimPrefix(part, "C") // an old way to say the unit note
			if part == "" {
				length += p.noteUnit()
				continue
			}
			t, good := readFraction(part)
			if !good {
				return 0, false
			}
			length += t
		}
	} else {
		rate = value
	}
	lo, hi, span := strings.Cut(strings.TrimSpace(tempoWords.Replace(rate)), "-")
	bpm, err := strconv.ParseFloat(strings.TrimSpace(lo), 64)
	if span && err == nil {
		var to float64
		to, err = strconv.ParseFloat(strings.TrimSpace(hi), 64)
		bpm = (bpm + to) / 2
	}
	quarter = bpm * length.Quarters()
	return quarter, err == nil && quarter >= tune.MinTempo && quarter <= tune.MaxTempo
}

// key is a signature: alteration in half steps and cents by letter.
type key struct {
	tonic pitch.Note
	minor bool
	alter map[byte]accidental
}

type accidental struct{ alter, cents int }

// modes: fifths up from the major key of the same tonic, and whether the third is minor.
var modes = map[string]struct {
	fifths int
	minor  bool
}{
	"": {0, false}, "maj": {0, false}, "ion": {0, false}, "mix": {-1, false}, "lyd": {1, false},
	"m": {-3, true}, "min": {-3, true}, "aeo": {-3, true}, "dor": {-2, true}, "phr": {-4, true}, "loc": {-5, true},
}

var fifthsOf = map[byte]int{'F': -1, 'C': 0, 'G': 1, 'D': 2, 'A': 3, 'E': 4, 'B': 5}

const (
	sharpOrder = "FCGDAEB"
	flatOrder  = "BEADGCF"
)

func (p *parser) keyField(value string, at int) error {
	words := splitQuoted(value)
	k := key{tonic: pitch.Note{Letter: 'C'}, alter: map[byte]accidental{}}
	rest := words
	switch {
	case len(words) > 0 && words[0] == "none":
		rest = words[1:]
	case len(words) > 0 && (isClef(words[0]) || strings.Contains(words[0], "=")):
		if p.inBody { // only the clef changes
			k = key{p.key.tonic, p.key.minor, p.key.alter}
		}
	case len(words) > 0:
		var err error
		if rest, err = p.readTonic(&k, words, at); err != nil {
			return err
		}
	}
	if slices.ContainsFunc(rest, func(w string) bool { return isClef(w) || strings.HasPrefix(w, "clef=") }) {
		p.octave = 0
	}
	for _, w := range rest {
		p.keyExtra(&k, w, at)
	}
	p.key = k
	p.state.bar = map[byte]accidental{}
	p.state.barOctave = map[[2]int]accidental{}
	if !p.inBody {
		p.begin(k)
	}
	return nil
}

// begin ends the header: what it says holds in every voice unless the voice says otherwise.
func (p *parser) begin(k key) {
	p.inBody, p.first = true, k
	if !p.unitSet {
		p.unit, p.unitSet = p.noteUnit(), true
	}
	header := p.voice
	p.head = slices.Clone(header.items)
	for _, v := range p.voices {
		v.items = slices.Clone(p.head)
		v.key, v.meter, v.unit, v.unitSet = k, header.meter, header.unit, true
		v.octave += header.octave
		if v.shift == 0 {
			v.shift = header.shift
		}
	}
	if len(p.voices) > 0 {
		p.voice = p.voices[0]
	}
}

// readTonic reads tonic and mode and returns the words after them.
func (p *parser) readTonic(k *key, words []string, at int) ([]string, error) {
	word, rest := words[0], words[1:]
	if word == "HP" || word == "Hp" {
		k.tonic = pitch.Note{Letter: 'A'}
		k.alter = map[byte]accidental{'F': {1, 0}, 'C': {1, 0}} // the pipes' scale, whether or not it is written
		return rest, nil
	}
	tonic, used := pitch.ParseClass(word)
	if used == 0 || word[0] >= 'a' {
		return nil, p.fail(at, "K:%s is not a key: write a letter A to G and a mode, like K:D, K:Em or K:G mix", strings.Join(words, " "))
	}
	mode := word[used:]
	if mode == "" && len(rest) > 0 {
		if _, ok := findMode(rest[0]); ok {
			mode, rest = rest[0], rest[1:]
		}
	}
	found, ok := findMode(mode)
	if !ok {
		return nil, p.fail(at, "K:%s: the mode %q is not known: maj, m, dor, phr, lyd, mix, aeo or loc", strings.Join(words, " "), mode)
	}
	fifths := fifthsOf[tonic.Letter] + 7*tonic.Alter + modes[found].fifths
	if fifths < -7 || fifths > 7 {
		return nil, p.fail(at, "K:%s would need more than seven sharps or flats; write the key that sounds the same", strings.Join(words, " "))
	}
	k.tonic, k.minor = tonic, modes[found].minor
	for i := 0; i < fifths; i++ {
		k.alter[sharpOrder[i]] = accidental{1, 0}
	}
	for i := 0; i < -fifths; i++ {
		k.alter[flatOrder[i]] = accidental{-1, 0}
	}
	return rest, nil
}

func findMode(s string) (string, bool) {
	s = strings.ToLower(s)
	if s != "m" && len(s) > 3 {
		s = s[:3]
	}
	_, ok := modes[s]
	return s, ok && s != "" || s == ""
}

func isClef(w string) bool {
	for _, c := range []string{"treble", "bass", "alto", "tenor", "perc", "none"} {
		if strings.HasPrefix(w, c) {
			return true
		}
	}
	return false
}

// keyExtra reads one word behind the key: exp, a global accidental, a clef, an option.
func (p *parser) keyExtra(k *key, w string, at int) {
	switch {
	case w == "exp":
		k.alter = map[byte]accidental{}
	case strings.IndexByte("^_=", w[0]) >= 0:
		acc, used, _ := readAccidental(w)
		letter := byte(0)
		if used < len(w) {
			letter = upper(w[used])
		}
		if _, ok := fifthsOf[letter]; !ok || used+1 != len(w) {
			p.warn(at, "in K: %q was skipped: it is not an accidental with a letter, like ^f or _b", w)
			return
		}
		k.alter[letter] = acc
	case isClef(w) || strings.Contains(w, "="):
		p.clefOption(w, at)
	default:
		p.warn(at, "in K: %q was not understood and was skipped: after the key write accidentals like ^f, or a clef", w)
	}
}

// clefOption reads a clef or an option of K: or V: that moves what sounds.
func (p *parser) clefOption(w string, at int) {
	name, value, _ := strings.Cut(w, "=")
	value = strings.Trim(value, `"`)
	number := func(most int) (n int) {
		n, err := strconv.Atoi(value)
		if err != nil || n < -most || n > most {
			p.warn(at, "%s was skipped: write a whole number from -%d to %d", w, most, most)
			return 0
		}
		return n
	}
	switch {
	case isClef(w) || name == "clef":
		clef := strings.Trim(w, `"`)
		if strings.HasSuffix(clef, "-8") {
			p.octave--
		} else if strings.HasSuffix(clef, "+8") {
			p.octave++
		}
	case name == "octave":
		p.octave += number(4)
	case name == "transpose":
		p.shift = number(36)
	case name == "score" || name == "sound" || name == "shift":
		p.warn(at, "%s is not applied; the notes are read as written", w)
	}
}

func upper(b byte) byte {
	if b >= 'a' && b <= 'z' {
		return b - 'a' + 'A'
	}
	return b
}
