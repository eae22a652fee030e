package smf

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"io"
	"math"
	"slices"

	"stepping/core/play"
	"stepping/core/sheet"
	"stepping/core/tune"
)

// Write writes a sheet in format 1: a track of tempo, meters, key and chord names as text, one of the melody
// and one of the thumb. Of a plan every string has a channel, string 1 the first; of a tune alone every voice
// of notes struck together. Bends reach BendRange half steps.
func Write(w io.Writer, s *sheet.Sheet) error {
	out := &writer{sheet: s, division: divisionOf(s), played: s.Tune.Played()}
	tracks := [][]byte{out.conductor(), out.track(melodyTrack, s.Melody)}
	if len(s.Thumb) > 0 {
		tracks = append(tracks, out.track(bassTrack, s.Thumb))
	}
	return writeFile(w, uint16(out.division), tracks)
}

// writeFile writes tracks as a file of format 1.
func writeFile(w io.Writer, division uint16, tracks [][]byte) error {
	var file bytes.Buffer
	file.WriteString("MThd\x00\x00\x00\x06\x00\x01")
	_ = binary.Write(&file, binary.BigEndian, []uint16{uint16(len(tracks)), division}) // a buffer takes everything
	for _, t := range tracks {
		file.WriteString("MTrk")
		_ = binary.Write(&file, binary.BigEndian, uint32(len(t)))
		file.Write(t)
	}
	_, err := w.Write(file.Bytes())
	return err
}

// Names of the tracks.
const (
	melodyTrack = "Melody"
	bassTrack   = "Bass"
)

// BendRange is how far the channels' bends reach, in half steps: from the nut to fret 24.
const BendRange = 24

// Divisions of a quarter: fine enough for bends, and a fallback where no whole number of parts does.
const (
	fewest   = 480
	most     = 0x7fff
	fallback = 10080 // divisible by 2 to the fifth, 3 squared, 5 and 7
)

// divisionOf is a number of parts of a quarter in which all times are whole, if there is one.
func divisionOf(s *sheet.Sheet) tune.Time {
	d := s.Divisions()
	if d > most {
		return fallback
	}
	return d * max(1, fewest/d)
}

type writer struct {
	sheet    *sheet.Sheet
	division tune.Time
	played   func(tune.Time) float64
}

// tick is a time in parts of a quarter, to the nearest.
func (w *writer) tick(t tune.Time) int64 {
	return int64((t*w.division + tune.Quarter/2) / tune.Quarter)
}

// playedTick is when what is written at a time is played.
func (w *writer) playedTick(t tune.Time) int64 {
	if w.sheet.Tune.Swing <= tune.Straight {
		return w.tick(t)
	}
	return int64(math.Round(w.played(t) * float64(w.division)))
}

// event is bytes at a time. Those of one time go by order: notes end, then bends, then notes begin.
type event struct {
	at    int64
	order int
	data  []byte
}

const (
	ends = iota
	changes
	begins
)

// encode writes events with their distances.
func encode(events []event) []byte {
	slices.SortStableFunc(events, func(a, b event) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.order, b.order)) })
	var out []byte
	now := int64(0)
	for _, e := range events {
		out = append(append(out, variableLength(e.at-now)...), e.data...)
		now = e.at
	}
	return out
}

func variableLength(n int64) []byte {
	out := []byte{byte(n & 0x7f)}
	for n >>= 7; n > 0; n >>= 7 {
		out = append([]byte{byte(n&0x7f) | 0x80}, out...)
	}
	return out
}

func meta(kind byte, data []byte) []byte {
	return append(append([]byte{0xff, kind}, variableLength(int64(len(data)))...), data...)
}

// conductor is the track of what holds for all.
func (w *writer) conductor() []byte {
	tu := w.sheet.Tune
	events := []event{{0, changes, meta(0x03, []byte(tu.Title))}}
	for _, m := range tu.Meters {
		events = append(events, event{w.tick(m.At), changes,
			meta(0x58, []byte{byte(m.Num), byte(math.Log2(float64(m.Den))), byte(24 * m.Pulse().Quarters()), 8})})
	}
	if fifths, ok := tu.Key.Signature(); ok {
		minor := byte(0)
		if tu.Key.Minor {
			minor = 1
		}
		events = append(events, event{0, changes, meta(0x59, []byte{byte(int8(fifths)), minor})})
	}
	for _, t := range tu.Tempos {
		us := int(math.Round(6e7 / (t.BPM * w.sheet.Tempo / tu.Tempos[0].BPM)))
		events = append(events, event{w.tick(t.At), changes, meta(0x51, []byte{byte(us >> 16), byte(us >> 8), byte(us)})})
	}
	if tu.Swing > tune.Straight {
		events = append(events, event{0, changes, meta(0x01, []byte(swingText+tune.SwingText(tu.Swing)))})
	}
	for _, c := range tu.Chords {
		events = append(events, event{w.tick(c.At), changes, meta(0x01, []byte(chordText+c.Chord.Name))})
	}
	events = append(events, event{w.tick(tu.Length), begins, meta(0x2f, nil)})
	return encode(events)
}

// How hard notes are struck.
const (
	usual    = 84
	accented = 108
	thumbed  = 72
)

// track is a track of notes.
func (w *writer) track(name string, notes []sheet.Played) []byte {
	events := []event{{0, changes, meta(0x03, []byte(name))}}
	var used [16]bool
	bends := [16]int{}
	for i := range notes {
		n := &notes[i]
		ch := w.channel(n)
		if !used[ch] {
			used[ch] = true
			for _, c := range [][2]byte{{101, 0}, {100, 0}, {6, BendRange}, {38, 0}, {101, 127}, {100, 127}} {
				events = append(events, event{0, changes, []byte{0xb0 | ch, c[0], c[1]}})
			}
		}
		at, end := w.playedTick(n.At), max(w.playedTick(n.End()), w.playedTick(n.At)+1)
		key, cents := n.Note.Pitch().Nearest()
		for _, b := range w.curve(n, at, end, float64(cents)) {
			if b.value != bends[ch] {
				bends[ch] = b.value
				events = append(events, event{b.at, changes, []byte{0xe0 | ch, byte((b.value + 8192) & 0x7f), byte((b.value + 8192) >> 7)}})
			}
		}
		velocity := byte(usual)
		switch {
		case n.Marks&tune.Accent != 0:
			velocity = accented
		case name == bassTrack:
			velocity = thumbed
		}
		if n.Lyric != "" {
			events = append(events, event{at, changes, meta(0x05, []byte(n.Lyric))})
		}
		key = max(0, min(127, key))
		events = append(events, event{at, begins, []byte{0x90 | ch, byte(key), velocity}}, event{end, ends, []byte{0x80 | ch, byte(key), 64}})
	}
	events = append(events, event{w.tick(w.sheet.Tune.Length), begins, meta(0x2f, nil)})
	return encode(events)
}

func (w *writer) channel(n *sheet.Played) byte {
	ch := n.Voice
	if n.On != nil {
		ch = n.On.String - 1
	}
	if ch >= drumChannel { // stays free for drums
		ch++
	}
	return byte(max(0, min(15, ch)))
}

// bend is a value of the wheel from a tick on.
type bend struct {
	at    int64
	value int
}

// How a glide moves: it takes a quarter of the note, half a beat at most, in steps.
const (
	glideShare = 4
	glideSteps = 12
)

// curve is the bends of a note: its cents, come to from the fret before if it is a glide or a bend, shaken if it is so marked.
func (w *writer) curve(n *sheet.Played, at, end int64, cents float64) []bend {
	value := func(c float64) int {
		return max(-8192, min(8191, int(math.Round(c/(100*BendRange)*8192))))
	}
	length := end - at
	if n.On != nil && (n.On.How == play.Glide || n.On.How == play.Bend) && n.From != n.On.Fret {
		over := min(length/glideShare, int64(w.division)/2)
		var out []bend
		for i := range int64(glideSteps) {
			share := float64(i) / glideSteps
			out = append(out, bend{at + over*i/glideSteps, value(cents + 100*(n.From-n.On.Fret)*(1-share))})
		}
		return append(out, bend{at + over, value(cents)})
	}
	out := []bend{{at, value(cents)}}
	if n.Marks&tune.Vibrato != 0 && length >= 2*glideSteps {
		const depth, waves = 20, 4
		for i := int64(1); i < waves*4; i++ {
			out = append(out, bend{at + length*i/(waves*4), value(cents + depth*math.Sin(float64(i)*math.Pi/2))})
		}
	}
	return out
}
