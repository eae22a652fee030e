// Package smf reads and writes standard MIDI files (format 0 and 1, also inside RIFF), by the MIDI 1.0 specification.
//
// Read: every track and channel with its notes, unquantised; tempo, meter and key, names, lyrics; any division,
// running status, bends by the range of RPN 0, tunings by RPN 1 and 2. A file that ends too soon is read as far
// as it goes. gitlab.com/gomidi/midi/v2 v2.2.10 was tried and left: of the files of TestRead and TestHostile it panics at the
// unknown chunk and at data before a status, takes half a gigabyte for 30 bytes that announce a long text or system exclusive
// message, gives nothing of an unfinished file or of one in a RIFF frame, and says of no fault where it is.
//
// A part of the score is a track, a voice a channel, both counted from 0. A bend that holds makes a microtone;
// one that comes up to a pitch marks it as come to from below, one that goes to and fro as shaken.
package smf

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"io"
	"slices"
	"strings"

	"stepping/core/pitch"
	"stepping/core/score"
	"stepping/core/tune"
)

// Read reads a file. Faults are *score.Fault, whose column is the byte, from 1; it never panics, and time and
// memory are bounded by the limits of package score.
func Read(in io.Reader) (*score.Score, error) {
	data, err := io.ReadAll(io.LimitReader(in, score.MaxFile+1))
	if err != nil {
		return nil, fmt.Errorf("read midi: %w", err)
	}
	if len(data) > score.MaxFile {
		return nil, fault(0, "the file is larger than %d MiB: give one tune at a time", score.MaxFile>>20)
	}
	f := &file{data: data, score: &score.Score{Format: "MIDI", Free: true, Unit: 1}}
	if err := f.header(); err != nil {
		return nil, err
	}
	for f.at < len(f.data) {
		if err := f.chunk(); err != nil {
			return nil, err
		}
	}
	return f.finish()
}

func fault(at int, format string, args ...any) *score.Fault {
	return &score.Fault{Line: 1, Column: at + 1, Text: fmt.Sprintf("byte %d: ", at+1) + fmt.Sprintf(format, args...)}
}

// file is a file being read.
type file struct {
	data   []byte
	at     int
	format int
	smpte  float64 // ticks a second, if the division counts time; else 0
	score  *score.Score
	tracks int
	total  int
	cut    bool // it ends too soon
}

// header finds and reads MThd; what may stand before it is a RIFF frame.
func (f *file) header() error {
	if bytes.HasPrefix(f.data, []byte("RIFF")) {
		if at := bytes.Index(f.data[:min(len(f.data), 4096)], []byte("MThd")); at >= 0 {
			f.at = at
		}
	}
	if !bytes.HasPrefix(f.data[f.at:], []byte("MThd")) || len(f.data) < f.at+14 {
		return fault(f.at, "this is not a MIDI file: those start with MThd")
	}
	head := f.data[f.at+8:]
	length := int(binary.BigEndian.Uint32(f.data[f.at+4:]))
	f.format = int(binary.BigEndian.Uint16(head))
	division := binary.BigEndian.Uint16(head[4:])
	switch {
	case f.format > 2:
		return fault(f.at+8, "this MIDI file has format %d: use format 0 or 1", f.format)
	case division == 0:
		return fault(f.at+12, "this MIDI file does not say how many ticks a quarter note has")
	case division&0x8000 != 0:
		f.smpte = float64(-int(int8(division>>8))) * float64(division&0xff)
		if f.smpte <= 0 {
			return fault(f.at+12, "this MIDI file does not say how many ticks a second has")
		}
		f.score.Unit = score.Units(max(1, f.smpte/2+0.5)) // at the 120 quarters a minute that hold without a tempo
	default:
		f.score.Unit = score.Units(division)
	}
	f.at += 8 + max(6, min(length, len(f.data)))
	return nil
}

// chunk reads one chunk; those that are no tracks are read past.
func (f *file) chunk() error {
	if len(f.data)-f.at < 8 {
		f.at = len(f.data)
		return nil
	}
	kind := string(f.data[f.at : f.at+4])
	length := int64(binary.BigEndian.Uint32(f.data[f.at+4:]))
	from := f.at + 8
	end := min(int64(from)+length, int64(len(f.data)))
	f.cut = f.cut || int64(from)+length > int64(len(f.data))
	f.at = int(end)
	if kind != "MTrk" || f.format == 2 && f.tracks > 0 {
		if kind == "MTrk" {
			f.score.Warn(1, from, "this file holds several patterns (format 2); only the first is read")
		}
		return nil
	}
	if f.tracks++; f.tracks > score.MaxParts {
		return fault(from, "there are more than %d tracks", score.MaxParts)
	}
	t := &track{file: f, pos: from, end: int(end)}
	return t.read()
}

// finish completes the score: bars from meters, the melody, what the file lacks.
func (f *file) finish() (*score.Score, error) {
	sc := f.score
	if f.cut {
		sc.Warn(1, len(f.data), "the file ends too soon; it is read as far as it goes")
	}
	pitched := slices.ContainsFunc(sc.Parts, func(p score.Part) bool {
		return slices.ContainsFunc(p.Voices, func(v score.Voice) bool { return !v.Drums && len(v.Notes) > 0 })
	})
	if !pitched {
		if sc.Count() > 0 {
			return nil, fault(0, "this MIDI file only has drums: it needs a track with the melody")
		}
		return nil, fault(0, "there are no notes in this MIDI file")
	}
	if f.smpte > 0 && len(sc.Tempos) > 0 {
		sc.Unit = score.Units(max(1, f.smpte*60/sc.Tempos[0].BPM+0.5))
	}
	slices.SortStableFunc(sc.Meters, func(a, b score.Meter) int { return cmp.Compare(a.At, b.At) })
	slices.SortStableFunc(sc.Tempos, func(a, b score.Tempo) int { return cmp.Compare(a.At, b.At) })
	slices.SortStableFunc(sc.Chords, func(a, b score.Chord) int { return cmp.Compare(a.At, b.At) })
	if err := f.bars(); err != nil {
		return nil, err
	}
	sc.Unswing()
	sc.Melody = propose(sc)
	return sc, nil
}

// bars lays bars over the meters, to the end of the last note.
func (f *file) bars() error {
	sc := f.score
	for _, p := range sc.Parts {
		for _, v := range p.Voices {
			for i := range v.Notes {
				sc.Length = max(sc.Length, v.Notes[i].End())
			}
		}
	}
	meter, next, at := score.Meter{Num: 4, Den: 4}, 0, score.Units(0)
	for at < sc.Length {
		for next < len(sc.Meters) && sc.Meters[next].At <= at {
			meter = sc.Meters[next]
			next++
		}
		if sc.Bars = append(sc.Bars, at); len(sc.Bars) > score.MaxBars {
			return fault(0, "the file has more than %d bars: give one tune at a time", score.MaxBars)
		}
		at += max(1, score.Units(4*meter.Num)*sc.Unit/score.Units(meter.Den))
		if next < len(sc.Meters) && sc.Meters[next].At < at {
			at = sc.Meters[next].At
		}
	}
	sc.Length = at
	return nil
}

// track is one track being read.
type track struct {
	*file
	pos, end int
	now      score.Units
	status   byte
	name     string
	channels [16]channel
	lyrics   []lyric
}

type lyric struct {
	at   score.Units
	text string
}

// channel is what holds in a channel of a track.
type channel struct {
	voice  *score.Voice
	open   []sounding
	bend   int // -8192 to 8191
	bends  float64
	fine   float64 // cents
	coarse float64
	rpn    [2]int // MSB, LSB; 127 is none
	data   [2]int // of the range: half steps, cents
}

// sounding is a note that has not ended.
type sounding struct {
	key, note int // note: of the voice
	curve     []bent
}

// bent is how far a note is bent from a time on, in cents.
type bent struct {
	at    score.Units
	cents float64
}

// usualBend is the range in half steps of a channel that does not say.
const usualBend = 2

func (t *track) read() error {
	for i := range t.channels {
		t.channels[i].bends, t.channels[i].rpn = usualBend, [2]int{127, 127}
	}
	for t.pos < t.end {
		delta, ok := t.variable()
		if !ok {
			break
		}
		if t.now += score.Units(delta); t.now > score.MaxUnit {
			return fault(t.pos, "this track lasts longer than any tune")
		}
		done, err := t.event()
		if err != nil {
			return err
		}
		if done {
			break
		}
	}
	t.close()
	return nil
}

// variable reads a variable-length number.
func (t *track) variable() (n int, ok bool) {
	for range 4 {
		if t.pos >= t.end {
			t.cut = true
			return 0, false
		}
		b := t.data[t.pos]
		t.pos++
		n = n<<7 | int(b&0x7f)
		if b < 0x80 {
			return n, true
		}
	}
	return n, true
}

// event reads one event; done is true at the end of the track, also one that comes too soon.
func (t *track) event() (done bool, err error) {
	if t.pos >= t.end {
		t.cut = true
		return true, nil
	}
	b := t.data[t.pos]
	switch {
	case b == 0xff:
		return t.meta()
	case b == 0xf0 || b == 0xf7:
		t.pos++
		n, ok := t.variable()
		t.pos = min(t.pos+n, t.end)
		return !ok, nil
	case b >= 0xf8: // real time, which has no place in files
		t.pos++
		return false, nil
	case b >= 0xf1:
		return false, fault(t.pos, "this byte does not start a MIDI event: the file is damaged")
	case b >= 0x80:
		t.status = b
		t.pos++
	case t.status == 0:
		return false, fault(t.pos, "an event without a status, and none before it: the file is damaged")
	}
	n := 2
	if kind := t.status & 0xf0; kind == 0xc0 || kind == 0xd0 {
		n = 1
	}
	if t.pos+n > t.end {
		t.cut = true
		return true, nil
	}
	d := t.data[t.pos : t.pos+n]
	if slices.ContainsFunc(d, func(b byte) bool { return b >= 0x80 }) {
		return false, fault(t.pos, "a byte above 127 within an event: the file is damaged")
	}
	at := t.pos
	t.pos += n
	if n == 2 {
		return false, t.channelEvent(at, int(d[0]), int(d[1]))
	}
	return false, nil
}

// channelEvent applies an event of two bytes.
func (t *track) channelEvent(at, a, b int) error {
	c := &t.channels[t.status&15]
	switch t.status & 0xf0 {
	case 0x90:
		if b > 0 {
			return t.noteOn(c, at, a, b)
		}
		t.noteOff(c, a)
	case 0x80:
		t.noteOff(c, a)
	case 0xb0:
		c.control(a, b)
		c.bendAll(t.now)
	case 0xe0:
		c.bend = b<<7 + a - 8192
		c.bendAll(t.now)
	}
	return nil
}

// control applies a controller: the registered parameters for bends and tuning.
func (c *channel) control(number, value int) {
	switch number {
	case 101:
		c.rpn[0] = value
	case 100:
		c.rpn[1] = value
	case 98, 99: // parameters of a maker's own
		c.rpn = [2]int{127, 127}
	case 121: // reset
		c.bend, c.rpn = 0, [2]int{127, 127}
	case 6, 38:
		if c.rpn[0] != 0 {
			return
		}
		which := map[int]int{6: 0, 38: 1}[number]
		switch c.rpn[1] {
		case 0:
			if which == 0 {
				c.data = [2]int{value, 0}
			} else {
				c.data[1] = value
			}
			c.bends = float64(c.data[0]) + float64(c.data[1])/100
		case 1:
			if which == 0 {
				c.fine = float64(value<<7-8192) / 8192 * 100
			} else {
				c.fine += float64(value) / 8192 * 100
			}
		case 2:
			if which == 0 {
				c.coarse = float64(value-64) * 100
			}
		}
	}
}

// cents is by how much the channel is off its keys.
func (c *channel) cents() float64 {
	return float64(c.bend)/8192*c.bends*100 + c.fine + c.coarse
}

// bendAll notes the bend for all that sounds.
func (c *channel) bendAll(now score.Units) {
	for i := range c.open {
		s := &c.open[i]
		if last := len(s.curve) - 1; s.curve[last].at == now {
			s.curve[last].cents = c.cents()
		} else if s.curve[last].cents != c.cents() {
			s.curve = append(s.curve, bent{now, c.cents()})
		}
	}
}

func (t *track) noteOn(c *channel, at, key, velocity int) error {
	if c.voice == nil {
		number := int(t.status & 15)
		c.voice = &score.Voice{Number: number, Name: fmt.Sprintf("channel %d", number+1), Drums: number == drumChannel}
	}
	if t.total++; t.total > score.MaxTotal || len(c.voice.Notes) >= score.MaxNotes {
		return fault(at, "there are more than %d notes in a channel, or %d in all: give one tune at a time", score.MaxNotes, score.MaxTotal)
	}
	if len(c.open) >= 128 { // more than there are keys: what was never ended ends
		t.endNote(c, 0)
	}
	c.open = append(c.open, sounding{key, len(c.voice.Notes), []bent{{t.now, c.cents()}}})
	c.voice.Notes = append(c.voice.Notes, score.Note{At: t.now, Dur: 1, Note: pitch.Spell(pitch.Midi(key), false),
		Place: tune.Place{Line: 1, Column: at + 1}})
	return nil
}

// drumChannel is the channel of percussion, from 0, by the General MIDI level 1.
const drumChannel = 9

func (t *track) noteOff(c *channel, key int) {
	if i := slices.IndexFunc(c.open, func(s sounding) bool { return s.key == key }); i >= 0 {
		t.endNote(c, i)
	}
}

// endNote ends one open note: its length, and what its bends mean.
func (t *track) endNote(c *channel, i int) {
	s := c.open[i]
	c.open = slices.Delete(c.open, i, i+1)
	n := &c.voice.Notes[s.note]
	n.Dur = max(1, t.now-n.At)
	cents, marks := read(s.curve, t.now)
	n.Note = pitch.Spell(pitch.Midi(s.key)+pitch.Pitch(cents), false)
	n.Marks |= marks
}

// What bends mean, in cents: how much one must be to be one, and how much of a swing is heard as shaking.
const (
	heardBend = 40
	shaken    = 8
	turns     = 4 // of direction
)

// read says what a curve of bends means: the pitch that is held longest, whether it is come to from below,
// whether it is shaken about.
func read(curve []bent, end score.Units) (cents int, marks tune.Marks) {
	held, most := map[int]score.Units{}, score.Units(-1)
	sum, turned, way := 0.0, 0, 0.0
	lo, hi := curve[0].cents, curve[0].cents
	for i, b := range curve {
		to := end
		if i+1 < len(curve) {
			to = curve[i+1].at
		}
		c := round(b.cents)
		held[c] += to - b.at
		sum += b.cents * float64(to-b.at)
		if held[c] > most {
			cents, most = c, held[c]
		}
		lo, hi = min(lo, b.cents), max(hi, b.cents)
		if i > 0 {
			if step := b.cents - curve[i-1].cents; step*way < 0 {
				turned++
				way = step
			} else {
				way = step
			}
		}
	}
	if turned >= turns && hi-lo >= shaken {
		return round((lo + hi) / 2), tune.Vibrato
	}
	if curve[0].cents <= float64(cents-heardBend) {
		marks |= tune.Scoop
	}
	return cents, marks
}

func round(x float64) int {
	if x < 0 {
		return -int(-x + 0.5)
	}
	return int(x + 0.5)
}

// close ends what sounds and files the track's voices.
func (t *track) close() {
	part := score.Part{Name: t.name, Whole: t.format == 1}
	if part.Name == "" {
		part.Name = fmt.Sprintf("track %d", t.tracks)
	}
	for i := range t.channels {
		c := &t.channels[i]
		for len(c.open) > 0 {
			t.endNote(c, 0)
		}
		if c.voice != nil {
			t.sing(c.voice)
			part.Voices = append(part.Voices, *c.voice)
		}
	}
	t.score.Parts = append(t.score.Parts, part)
}

// sing sets the track's lyrics to the notes that begin with them.
func (t *track) sing(v *score.Voice) {
	k := 0
	for i := range v.Notes {
		for k < len(t.lyrics) && t.lyrics[k].at < v.Notes[i].At {
			k++
		}
		if k < len(t.lyrics) && t.lyrics[k].at == v.Notes[i].At {
			v.Notes[i].Lyric = t.lyrics[k].text
			k++
		}
	}
}

// Words in names that speak for and against the melody.
var (
	melodyWords = []string{"melod", "vocal", "voice", "lead", "solo", "tune", "sing", "theme"}
	otherWords  = []string{"bass", "drum", "pad", "string", "chord", "comp", "left", "rhythm", "thumb", "harmon"}
)

// propose is the voice that is most likely the melody: one that is mostly a single line, high rather than low,
// of many notes, and so named.
func propose(sc *score.Score) int {
	const wholeWorth = 0.7 // a track on several channels, one for each string, is one instrument
	best, at, most := -1e9, 0, 1
	for _, v := range sc.Voices() {
		most = max(most, len(v.Notes))
	}
	for i, v := range sc.Voices() {
		if v.Drums || len(v.Notes) == 0 {
			continue
		}
		overlap, sum := 0, 0.0
		for k := range v.Notes {
			sum += float64(v.Notes[k].Note.Pitch()) / 100
			if k > 0 && v.Notes[k].At > v.Notes[k-1].At && v.Notes[k].At < v.Notes[k-1].End()-sc.Unit/8 {
				overlap++
			}
		}
		n := float64(len(v.Notes))
		worth := 2*(1-float64(overlap)/n) + 0.7*max(-2, min(2, (sum/n-60)/12)) + n/float64(most)
		if v.Number < 0 {
			worth += wholeWorth
		}
		name := strings.ToLower(sc.Parts[v.Part].Name)
		for _, w := range melodyWords {
			if strings.Contains(name, w) {
				worth += 2
				break
			}
		}
		for _, w := range otherWords {
			if strings.Contains(name, w) {
				worth -= 2
				break
			}
		}
		if worth > best {
			best, at = worth, i
		}
	}
	return at
}
