package abc

import (
	"slices"
	"strconv"
	"strings"

	"stepping/core/tune"
)

// barLine reads a bar line, repeat sign or ending number.
func (p *parser) barLine() error {
	at := p.pos
	for p.pos < len(p.text) && strings.IndexByte("|:]", p.text[p.pos]) >= 0 || p.atBracketBar() {
		p.pos++
	}
	signs := p.text[at:p.pos]
	if p.pos == at {
		p.pos++ // a lone [ before an ending number
		signs = "["
	}
	if strings.Trim(signs, ":") == "" && len(signs) == 1 {
		return p.fail(at, "a single : is no bar line: repeats are |: and :|")
	}
	endings, err := p.endingNumbers()
	if err != nil {
		return err
	}
	p.state.skipBar = false
	again := strings.HasPrefix(signs, ":")
	start := len(signs) > 1 && strings.HasSuffix(signs, ":")
	section := strings.Contains(signs, "||") || strings.Contains(signs, "]") || strings.HasPrefix(signs, "[|")
	if signs != "[" {
		p.endBar(again || start || section || endings != nil)
		switch {
		case again:
			p.add(item{kind: againItem, place: p.place(at)})
		case section:
			p.add(item{kind: doubleItem})
		default:
			p.add(item{kind: barItem})
		}
		if start {
			p.add(item{kind: startItem})
		}
	}
	if endings != nil {
		p.add(item{kind: endingItem, endings: endings, place: p.place(at)})
		p.state.loose = true
	}
	return nil
}

func (p *parser) atBracketBar() bool {
	return p.pos+1 < len(p.text) && p.text[p.pos] == '[' && p.text[p.pos+1] == '|'
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
			return nil, p.fail(at, "%q are no ending numbers: write [1 or [1,3 or [1-3, up to %d", p.text[from:p.pos], maxPasses)
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
			if len(p.warnings) < maxWarnings {
				p.warnings = append(p.warnings, Warning{s.barStart.Line, s.barStart.Column,
					"this bar holds " + s.written.String() + " quarter notes, the meter asks for " + want.String()})
			}
		}
		s.loose = loose
	} else {
		s.loose = s.loose || loose
	}
	s.written = 0
	s.bar = map[byte]accidental{}
	s.barOctave = map[[2]int]accidental{}
}

// player plays the items out in order, following repeats and endings.
type player struct {
	item   int   // being played
	begins []int // item with which each bar begins
	items  []item
	tu     *tune.Tune
	now    tune.Time
	tied   bool // the last note is tied onward
}

// maxSteps bounds playing out: repeats cannot nest, so this is never reached by music.
const maxSteps = 20 * maxItems

// playOut turns the written items into a tune.
func (p *parser) playOut() (*tune.Tune, error) {
	pl := &player{items: p.items, tu: &tune.Tune{
		Title: p.title,
		Key:   tune.Key{Tonic: p.first.tonic, Minor: p.first.minor, Flats: flats(p.first)},
	}}
	start, pass := 0, 1
	for i, steps := 0, 0; i < len(p.items); steps++ {
		it := &p.items[i]
		pl.item = i
		if steps > maxSteps {
			return nil, &Error{it.place.Line, max(it.place.Column, 1), "the repeats do not come to an end"}
		}
		switch it.kind {
		case startItem:
			if start != i {
				start, pass = i, 1
			}
		case endingItem:
			if !has(it.endings, pass) {
				i = pl.afterEnding(i)
				continue
			}
		case againItem:
			pl.bar()
			if pass < pl.passes(start) {
				pass++
				i = start
				continue
			}
			start, pass = i+1, 1
		case doubleItem:
			pl.bar()
			if pass > 1 {
				start, pass = i+1, 1
			}
		default:
			if err := p.play(pl, it); err != nil {
				return nil, err
			}
		}
		i++
	}
	return pl.finish()
}

func flats(k key) bool {
	for _, a := range k.alter {
		if a.alter < 0 {
			return true
		}
	}
	return k.tonic.Alter < 0
}

func has(list []int, n int) bool {
	for _, x := range list {
		if x == n {
			return true
		}
	}
	return false
}

// afterEnding returns the item at which to go on when the ending at i is not played: the
// next ending of the group, or behind the sign that closes this one.
func (pl *player) afterEnding(i int) int {
	for i++; i < len(pl.items); i++ {
		switch pl.items[i].kind {
		case endingItem, startItem:
			return i
		case againItem, doubleItem:
			return i + 1
		}
	}
	return i
}

// passes returns how often the repeat from start is played: twice, or as often as its
// endings ask.
func (pl *player) passes(start int) int {
	n := 2
	for i := start + 1; i < len(pl.items) && pl.items[i].kind != startItem; i++ {
		if pl.items[i].kind == endingItem {
			for _, e := range pl.items[i].endings {
				n = max(n, e)
			}
		} else if pl.items[i].kind == doubleItem {
			break
		}
	}
	return n
}

// play adds one item to the tune.
func (p *parser) play(pl *player, it *item) error {
	switch it.kind {
	case noteItem:
		return p.playNote(pl, it)
	case restItem:
		pl.tied = false
		pl.advance(it.dur)
	case chordItem:
		pl.addChord(it)
	case meterItem:
		pl.setMeter(it.meter)
	case tempoItem:
		pl.setTempo(it.tempo)
	case barItem:
		pl.bar()
	}
	return nil
}

func (p *parser) playNote(pl *player, it *item) error {
	notes := pl.tu.Notes
	if pl.tied && notes[len(notes)-1].Note == it.note && slices.Equal(notes[len(notes)-1].With, it.with) {
		notes[len(notes)-1].Dur += it.dur
	} else {
		if pl.tied && len(p.warnings) < maxWarnings {
			p.warnings = append(p.warnings, Warning{it.place.Line, it.place.Column, "the tie before this note leads to another pitch and is read as a slur"})
		}
		if len(notes) == MaxNotes {
			return &Error{it.place.Line, it.place.Column, "the tune has more than 4,000 notes with its repeats played out: give a shorter one"}
		}
		pl.tu.Notes = append(notes, tune.Note{At: pl.now, Dur: it.dur, Note: it.note, With: it.with, Place: it.place})
	}
	pl.tied = it.tied
	pl.advance(it.dur)
	return nil
}

func (pl *player) advance(d tune.Time) {
	if n := len(pl.tu.Bars); n == 0 {
		pl.tu.Bars = append(pl.tu.Bars, 0)
	}
	if len(pl.begins) < len(pl.tu.Bars) {
		pl.begins = append(pl.begins, pl.item)
	}
	pl.now += d
}

// number numbers the bars as on paper: bars that begin with the same item are one bar, played again.
func (pl *player) number() {
	tu := pl.tu
	written := slices.Clone(pl.begins)
	slices.Sort(written)
	written = slices.Compact(written)
	pickup := len(tu.Bars) > 1 && tu.BarLength(0) < tu.Meters[0].Bar()
	if len(written) == len(tu.Bars) && !pickup {
		return
	}
	passes := map[int]int{}
	for bar := range tu.Bars {
		begin := pl.begins[min(bar, len(pl.begins)-1)]
		at, _ := slices.BinarySearch(written, begin)
		if !pickup {
			at++
		}
		passes[begin]++
		tu.Printed = append(tu.Printed, tune.Printed{Number: at, Pass: passes[begin]})
	}
}

// bar begins a new bar here unless one begins here already.
func (pl *player) bar() {
	if n := len(pl.tu.Bars); n > 0 && pl.tu.Bars[n-1] < pl.now {
		pl.tu.Bars = append(pl.tu.Bars, pl.now)
	}
}

func (pl *player) addChord(it *item) {
	chords := pl.tu.Chords
	at := tune.ChordAt{At: pl.now, Chord: it.chord}
	if n := len(chords); n > 0 && chords[n-1].At == pl.now {
		chords[n-1] = at
		return
	}
	pl.tu.Chords = append(chords, at)
}

func (pl *player) setMeter(m meter) {
	meters := pl.tu.Meters
	at := tune.MeterAt{At: pl.now, Num: m.num, Den: m.den}
	if n := len(meters); n > 0 && meters[n-1].At == pl.now {
		meters[n-1] = at
		return
	}
	pl.tu.Meters = append(meters, at)
}

func (pl *player) setTempo(bpm float64) {
	tempos := pl.tu.Tempos
	at := tune.TempoAt{At: pl.now, BPM: bpm}
	if n := len(tempos); n > 0 && tempos[n-1].At == pl.now {
		tempos[n-1] = at
		return
	}
	pl.tu.Tempos = append(tempos, at)
}

// finish completes the tune: defaults at time 0, no bar without length at the end.
func (pl *player) finish() (*tune.Tune, error) {
	tu := pl.tu
	tu.Length = pl.now
	if n := len(tu.Bars); n > 1 && tu.Bars[n-1] == tu.Length {
		tu.Bars = tu.Bars[:n-1]
	}
	for n := len(tu.Chords); n > 0 && tu.Chords[n-1].At >= tu.Length; n-- {
		tu.Chords = tu.Chords[:n-1]
	}
	if len(tu.Notes) == 0 && len(tu.Chords) == 0 {
		return nil, &Error{1, 1, "there are no notes and no chords: after the line K: write the melody, like D2 F2 | A4 |"}
	}
	if len(tu.Meters) == 0 || tu.Meters[0].At > 0 {
		tu.Meters = append([]tune.MeterAt{{At: 0, Num: 4, Den: 4}}, tu.Meters...)
	}
	if len(tu.Tempos) == 0 || tu.Tempos[0].At > 0 {
		tu.Tempos = append([]tune.TempoAt{{At: 0, BPM: defaultTempo}}, tu.Tempos...)
	}
	pl.number()
	return tu, nil
}
