package abc

import (
	"slices"
	"strconv"
	"strings"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/score"
	"stepping/core/tune"
)

// barSigns is the length of the bar line at the start of s: any run of | : [ ] that is no chord or field, with dots before |.
func barSigns(s string) (n int) {
	for n < len(s) {
		next := byte(0)
		if n+1 < len(s) {
			next = s[n+1]
		}
		switch s[n] {
		case '|', ':', ']':
		case '[':
			if next != '|' && next != ']' && next != ':' {
				return n
			}
		case '.':
			if next != '|' {
				return n
			}
		default:
			return n
		}
		n++
	}
	return n
}

// barLine reads a bar line, repeat sign or ending number.
func (p *parser) barLine() error {
	at := p.pos
	p.pos += barSigns(p.text[at:])
	signs := strings.ReplaceAll(p.text[at:p.pos], ".", "")
	if p.pos == at {
		p.pos++ // a lone [ before an ending number
	}
	endings, err := p.endingNumbers()
	if err != nil {
		return err
	}
	if signs == "" && endings == nil || signs == ":" {
		if len(p.warnings) < score.MaxWarnings {
			p.warn(at, "%q is not a bar line and was skipped: repeats are |: and :|", p.text[at:p.pos])
		}
		return nil
	}
	again, start := repeats(signs)
	double := strings.Contains(signs, "||") || strings.Contains(signs, "]") || strings.HasPrefix(signs, "[|")
	if signs != "" {
		p.endBar(again > 0 || start > 0 || double || endings != nil)
		p.add(item{kind: barItem, signs: score.Signs{Again: again, Start: start}, double: double, place: p.place(at)})
		p.bars++
	}
	if endings != nil {
		p.add(item{kind: endingItem, endings: endings, place: p.place(at)})
		p.state.loose = true
	}
	return nil
}

// repeats is how often the repeat that ends at a bar line is played, and the one that begins there; 0 if none does. A colon is
// one time more.
func repeats(signs string) (again, start int) {
	colons := strings.Trim(signs, "|[]")
	switch bare := strings.Trim(signs, ":"); {
	case bare == "" && signs != "": // :: or more
		again = max(1, len(signs)/2)
		start = again
	case colons != "" && bare == signs: // |::| and the like
		again = max(1, strings.Count(colons, ":")/2)
		start = again
	default:
		again = len(signs) - len(strings.TrimLeft(signs, ":"))
		start = len(signs) - len(strings.TrimRight(signs, ":"))
	}
	if again > 0 {
		again++
	}
	if start > 0 {
		start++
	}
	return min(again, maxPasses), min(start, maxPasses)
}

// endingNumbers reads 1, "1,3" or "1-3" right behind a bar line or in [1.
func (p *parser) endingNumbers() ([]int, error) {
	at := p.pos
	if p.pos < len(p.text) && p.text[p.pos] == '[' && p.pos+1 < len(p.text) && p.text[p.pos+1] >= '1' && p.text[p.pos+1] <= '9' {
		p.pos++
	}
	from := p.pos
	for p.pos < len(p.text) && (p.text[p.pos] >= '0' && p.text[p.pos] <= '9' || p.pos > from && (p.text[p.pos] == ',' || p.text[p.pos] == '-')) {
		p.pos++
	}
	if p.pos == from {
		return nil, nil
	}
	var out []int
	for _, part := range strings.Split(p.text[from:p.pos], ",") {
		lo, hi, span := strings.Cut(part, "-")
		a, err1 := strconv.Atoi(lo)
		b, err2 := a, error(nil)
		if span {
			b, err2 = strconv.Atoi(hi)
		}
		if err1 != nil || err2 != nil || a < 1 || b < a || b > maxPasses {
			return nil, p.fail(at, "%q are not ending numbers: write [1 or [1,3 or [1-3, up to %d", p.text[from:p.pos], maxPasses)
		}
		for n := a; n <= b; n++ {
			out = append(out, n)
		}
	}
	return out, nil
}

const maxPasses = 16

// endBar closes the written bar: accidentals end, and a length that does not fit the meter is told.
func (p *parser) endBar(loose bool) {
	s := &p.state
	if s.written > 0 {
		if want := p.meter.bar(); !p.meter.free && !s.loose && !loose && s.written != want {
			p.warnAt(s.barStart, "this bar has %s quarter notes, and the meter needs %s", s.written, want)
		}
		s.loose = loose
	} else {
		s.loose = s.loose || loose
	}
	s.written = 0
	s.bar = map[byte]accidental{}
	s.barOctave = map[[2]int]accidental{}
}

// segment is a written bar, or a part of one between signs.
type segment struct {
	from, to int // items
	signs    score.Signs
	bar      bool // a bar line ends it
	sounds   bool
	written  int // bar on paper
}

// segments cuts the items of a voice at bar lines and signs.
func (v *voice) segments() (out []segment) {
	codas := 0
	for i := range v.items {
		if v.items[i].kind == codaItem {
			codas++
		}
	}
	cur, bar := segment{}, 0
	split := func(i int) {
		if cur.sounds {
			cur.to = i
			out = append(out, cur)
			cur = segment{from: i, written: bar}
		}
	}
	before := func(i int) *score.Signs { // the end of what stands before item i
		split(i)
		if len(out) == 0 {
			return &cur.signs
		}
		return &out[len(out)-1].signs
	}
	for i := range v.items {
		switch it := &v.items[i]; it.kind {
		case noteItem, restItem:
			cur.sounds = true
		case barItem:
			end := before(i)
			if len(out) > 0 {
				end.Again = max(end.Again, it.signs.Again)
				end.Close = end.Close || it.double
				out[len(out)-1].bar = true
			}
			bar++
			cur.written = bar
			cur.signs.Start = max(cur.signs.Start, it.signs.Start)
		case endingItem:
			split(i)
			cur.signs.Endings = it.endings
		case segnoItem:
			split(i)
			cur.signs.Segno = true
		case codaItem:
			if codas--; codas > 0 {
				before(i).ToCoda = true
			} else {
				split(i)
				cur.signs.Coda = true
			}
		case partItem:
			split(i)
		case jumpItem:
			end := &cur.signs
			if !cur.sounds && len(out) > 0 && (i+1 == len(v.items) || !it.signs.Fine) && !v.soundsFrom(i) {
				end = &out[len(out)-1].signs
			}
			end.Fine, end.ToCoda = end.Fine || it.signs.Fine, end.ToCoda || it.signs.ToCoda
			end.DaCapo, end.DalSegno = end.DaCapo || it.signs.DaCapo, end.DalSegno || it.signs.DalSegno
		}
	}
	cur.to = len(v.items)
	return append(out, cur)
}

// soundsFrom reports whether a note or rest follows item i before the next bar line.
func (v *voice) soundsFrom(i int) bool {
	for ; i < len(v.items) && v.items[i].kind != barItem; i++ {
		if v.items[i].kind == noteItem || v.items[i].kind == restItem {
			return true
		}
	}
	return false
}

// playOrder is the segments in the order in which they are played: repeats and jumps within each part, the
// parts as P: orders them.
func (p *parser) playOrder(v *voice, segments []segment) ([]int, bool) {
	labels := expandOrder(p.order)
	if len(p.parts) == 0 || len(labels) == 0 {
		return unroll(segments, 0, len(segments))
	}
	var out []int
	for _, label := range labels {
		i := slices.IndexFunc(p.parts, func(m partMark) bool { return m.label == label })
		if i < 0 {
			p.warnAt(p.orderAt, "the order of parts names %q, which is not in the tune: write P:%s where it starts; the parts are read as written", string(label), string(label))
			return unroll(segments, 0, len(segments))
		}
		from, end := p.parts[i].bar, 1<<30
		if i+1 < len(p.parts) {
			end = p.parts[i+1].bar
		}
		first := slices.IndexFunc(segments, func(s segment) bool { return s.written >= from })
		last := slices.IndexFunc(segments, func(s segment) bool { return s.written >= end })
		if first < 0 {
			continue
		}
		if last < 0 {
			last = len(segments)
		}
		order, ok := unroll(segments, first, last)
		if out = append(out, order...); !ok || len(out) > 16*score.MaxBars {
			return nil, false
		}
	}
	return out, true
}

func unroll(segments []segment, from, to int) ([]int, bool) {
	signs := make([]score.Signs, to-from)
	for i := range signs {
		signs[i] = segments[from+i].signs
	}
	order, ok := score.Unroll(signs)
	for i := range order {
		order[i] += from
	}
	return order, ok
}

// maxOrder bounds the parts played.
const maxOrder = 500

// expandOrder writes an order of parts out: A(AB)3C2 is AABABABCC. What is not understood is left out.
func expandOrder(s string) []byte {
	var stack [][]byte
	var out, last []byte
	for i := 0; i < len(s) && len(out) <= maxOrder; i++ {
		switch c := s[i]; {
		case c >= 'A' && c <= 'Z':
			last = []byte{c}
			out = append(out, c)
		case c == '(' && len(stack) < 8:
			stack, out = append(stack, out), nil
		case c == ')' && len(stack) > 0:
			last = out
			out = append(slices.Clone(stack[len(stack)-1]), out...)
			stack = stack[:len(stack)-1]
		case c >= '2' && c <= '9':
			for n := c - '1'; n > 0 && len(out) <= maxOrder; n-- {
				out = append(out, last...)
			}
		}
	}
	for len(stack) > 0 {
		out = append(slices.Clone(stack[len(stack)-1]), out...)
		stack = stack[:len(stack)-1]
	}
	return out[:min(len(out), maxOrder)]
}

// player plays the items of a voice in order.
type player struct {
	p      *parser
	voice  *voice
	item   int   // being played
	begins []int // item with which each bar begins
	score  *score.Score
	now    score.Units
	ends   score.Units          // of the longest line of this bar
	line   int                  // of overlays, 0 the voice itself
	lines  [][]score.Note       // notes by line
	ties   []map[pitch.Note]int // open ones, by line: notes of it
	left   int                  // notes that may still come
}

// playOut turns the written items of all voices into a score.
func (p *parser) playOut() (*score.Score, error) {
	var main *player
	var players []*player
	left := MaxNotes
	for _, v := range p.voices {
		pl := &player{p: p, voice: v, left: left, lines: make([][]score.Note, 1), ties: make([]map[pitch.Note]int, 1),
			score: &score.Score{Unit: score.Units(tune.Quarter)}}
		if err := pl.play(); err != nil {
			return nil, err
		}
		left = pl.left
		players = append(players, pl)
		if main == nil && len(pl.lines[0]) > 0 { // a voice of rests gives way to the next
			main = pl
		}
	}
	if main == nil {
		main = players[0]
	}
	out := main.score
	out.Format, out.Title, out.Swing = "ABC", p.title, p.swing
	out.Key = tune.Key{Tonic: p.first.tonic, Minor: p.first.minor, Flats: flats(p.first)}
	part := score.Part{}
	var overlays []score.Voice
	for _, pl := range players {
		for n, notes := range pl.lines {
			v := score.Voice{Name: pl.voice.label(), Notes: notes}
			switch {
			case n == 0:
				if pl == main {
					out.Melody = len(part.Voices)
				}
				part.Voices = append(part.Voices, v)
			case len(notes) > 0:
				v.Name += " &"
				overlays = append(overlays, v)
			}
		}
		if len(out.Chords) == 0 {
			out.Chords = pl.score.Chords
		}
		out.Length = max(out.Length, pl.score.Length)
	}
	part.Voices = append(part.Voices, overlays...)
	for i := range part.Voices {
		part.Voices[i].Number = i
	}
	out.Parts = []score.Part{part}
	for n := len(out.Chords); n > 0 && out.Chords[n-1].At >= out.Length; n-- {
		out.Chords = out.Chords[:n-1]
	}
	if len(out.Chords) == 0 && out.Count() == 0 {
		return nil, &Error{Line: 1, Column: 1, Text: "there are no notes and no chords: after the line K: write the melody, like D2 F2 | A4 |"}
	}
	out.Warnings = p.warnings
	return out, nil
}

func flats(k key) bool {
	for _, a := range k.alter {
		if a.alter < 0 {
			return true
		}
	}
	return k.tonic.Alter < 0
}

// play plays the voice.
func (pl *player) play() error {
	segments := pl.voice.segments()
	order, ok := pl.p.playOrder(pl.voice, segments)
	if !ok {
		return &Error{Line: 1, Column: 1, Text: "the repeats never end: check D.C., D.S. and the order of parts"}
	}
	for _, n := range order {
		seg := &segments[n]
		for pl.item = seg.from; pl.item < seg.to; pl.item++ {
			if err := pl.playItem(&pl.voice.items[pl.item]); err != nil {
				return err
			}
		}
		if seg.bar {
			pl.bar()
		}
	}
	pl.bar()
	for pl.line = range pl.lines {
		pl.release(nil)
	}
	pl.finish()
	return nil
}

// playItem adds one item.
func (pl *player) playItem(it *item) error {
	switch it.kind {
	case noteItem:
		return pl.playNotes(it)
	case restItem:
		pl.release(nil)
		pl.advance(it.dur)
	case chordItem:
		pl.addChord(it.chord)
	case meterItem:
		pl.setMeter(it.meter)
	case tempoItem:
		pl.setTempo(it.tempo)
	case overlayItem:
		pl.overlay()
	}
	return nil
}

// overlay goes back to the beginning of the bar, in the next line.
func (pl *player) overlay() {
	pl.ends = max(pl.ends, pl.now)
	if pl.line++; pl.line == len(pl.lines) {
		pl.lines, pl.ties = append(pl.lines, nil), append(pl.ties, nil)
	}
	pl.now = 0
	if n := len(pl.score.Bars); n > 0 {
		pl.now = pl.score.Bars[n-1]
	}
}

func (pl *player) playNotes(it *item) error {
	line := pl.lines[pl.line]
	ties := map[pitch.Note]int{}
	for _, n := range it.notes {
		sounds := pl.sounding(n.Note)
		at, tied := pl.ties[pl.line][sounds]
		if tied && line[at].End() == pl.now {
			line[at].Dur += score.Units(it.dur)
			delete(pl.ties[pl.line], sounds)
		} else {
			if pl.left--; pl.left < 0 {
				return &Error{Line: it.place.Line, Column: it.place.Column,
					Text: "the tune has more than 4,000 notes with its repeats played out: give a shorter one"}
			}
			at = len(line)
			line = append(line, score.Note{At: pl.now, Dur: score.Units(it.dur), Note: sounds, Place: it.place, Marks: it.marks, Lyric: it.lyric})
		}
		if n.tied {
			ties[sounds] = at
		}
	}
	pl.lines[pl.line] = line
	pl.release(it)
	pl.ties[pl.line] = ties
	pl.advance(it.dur)
	return nil
}

// release ends the ties that were not taken up: into a rest or the end of the music the note rings on; into
// another pitch it was a slur.
func (pl *player) release(next *item) {
	for _, at := range pl.ties[pl.line] {
		if next != nil {
			pl.p.warnAt(next.place, "the tie before this note leads to another pitch and is read as a slur")
			break
		}
		pl.lines[pl.line][at].Marks |= tune.LetRing
	}
	pl.ties[pl.line] = nil
}

// sounding is what a written note sounds in this voice.
func (pl *player) sounding(n pitch.Note) pitch.Note {
	if pl.voice.shift == 0 {
		return n
	}
	return pitch.Spell(n.Pitch()+pitch.Midi(pl.voice.shift), n.Alter < 0)
}

func (pl *player) advance(d tune.Time) {
	if len(pl.score.Bars) == 0 {
		pl.score.Bars = append(pl.score.Bars, 0)
	}
	if len(pl.begins) < len(pl.score.Bars) {
		pl.begins = append(pl.begins, pl.item)
	}
	pl.now += score.Units(d)
}

// bar begins a new bar here unless one begins here already.
func (pl *player) bar() {
	pl.now, pl.line, pl.ends = max(pl.now, pl.ends), 0, 0
	if n := len(pl.score.Bars); n > 0 && pl.score.Bars[n-1] < pl.now {
		pl.score.Bars = append(pl.score.Bars, pl.now)
	}
}

func (pl *player) addChord(c chord.Chord) {
	chords := pl.score.Chords
	at := score.Chord{At: pl.now, Chord: c}
	if n := len(chords); n > 0 && chords[n-1].At == pl.now {
		chords[n-1] = at
		return
	}
	pl.score.Chords = append(chords, at)
}

func (pl *player) setMeter(m meter) {
	meters := pl.score.Meters
	at := score.Meter{At: pl.now, Num: m.num, Den: m.den}
	switch n := len(meters); {
	case n > 0 && meters[n-1].At == pl.now:
		meters[n-1] = at
	case n == 0 || meters[n-1].Num != m.num || meters[n-1].Den != m.den:
		pl.score.Meters = append(meters, at)
	}
}

func (pl *player) setTempo(bpm float64) {
	tempos := pl.score.Tempos
	at := score.Tempo{At: pl.now, BPM: bpm}
	if n := len(tempos); n > 0 && tempos[n-1].At == pl.now {
		tempos[n-1] = at
		return
	}
	pl.score.Tempos = append(tempos, at)
}

// finish completes the voice: no bar without length at the end, and numbers on paper.
func (pl *player) finish() {
	sc := pl.score
	sc.Length = pl.now
	if n := len(sc.Bars); n > 1 && sc.Bars[n-1] == sc.Length {
		sc.Bars = sc.Bars[:n-1]
	}
	if len(pl.begins) == 0 {
		return
	}
	full := score.Units(meter{4, 4, false}.bar())
	if len(sc.Meters) > 0 && sc.Meters[0].At == 0 {
		full = score.Units(meter{sc.Meters[0].Num, sc.Meters[0].Den, false}.bar())
	}
	order := make([]int, len(sc.Bars))
	for bar := range order {
		order[bar] = pl.begins[min(bar, len(pl.begins)-1)]
	}
	sc.Printed = score.Numbers(order, len(sc.Bars) > 1 && sc.Bars[1] < full)
}
