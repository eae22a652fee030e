package taketest

import (
	"cmp"
	"encoding/binary"
	"math"
	"slices"
)

// Of MIDI files: ticks a second, and how many half steps a full bend is.
const (
	ticks     = 1000
	bendRange = 24.0
	steel     = 25 // a guitar with steel strings, of General MIDI
)

type message struct {
	at   int
	data []byte
}

// MIDI is a performance as a Standard MIDI file of type 0, a channel a string, with pitches to a third of a cent: for a
// synthesiser that plays recorded samples.
func (pf *Performance) MIDI() []byte {
	var all []message
	put := func(at float64, data ...byte) { all = append(all, message{int(math.Round(at * ticks)), data}) }
	for c := range byte(6) {
		put(0, 0xb0|c, 101, 0)
		put(0, 0xb0|c, 100, 0)
		put(0, 0xb0|c, 6, byte(bendRange))
		put(0, 0xc0|c, steel)
	}
	for i := range pf.Notes {
		n := &pf.Notes[i]
		end, damps := pf.until(i)
		if len(damps) > 0 {
			end = damps[0].At
		}
		end = min(end, n.At+3*n.Tau)
		c := byte(n.String - 1)
		semitone := func(hz float64) float64 { return 69 + 12*math.Log2(hz/440) }
		key := math.Round(semitone(n.Hz))
		bend := func(at, to float64) {
			v := 8192 + int(math.Round((to-key)/bendRange*8192))
			put(at, 0xe0|c, byte(v&0x7f), byte(v>>7))
		}
		bend(n.At, semitone(n.From))
		put(n.At, 0x90|c, byte(key), byte(math.Max(20, 120*n.Level)))
		for t := 0.005; t < n.Slide && n.At+t < end; t += 0.005 {
			x := 0.5 - 0.5*math.Cos(math.Pi*t/n.Slide)
			bend(n.At+t, semitone(n.From)*(1-x)+semitone(n.Hz)*x)
		}
		if n.Slide > 0 && n.At+n.Slide < end {
			bend(n.At+n.Slide, semitone(n.Hz))
		}
		put(end-0.001, 0x80|c, byte(key), 0)
	}
	put(pf.Seconds, 0xff, 0x2f, 0)
	slices.SortStableFunc(all, func(a, b message) int { return cmp.Compare(a.at, b.at) })
	var track []byte
	track = append(track, 0, 0xff, 0x51, 3, 0x0f, 0x42, 0x40) // 60 quarters a minute
	was := 0
	for _, m := range all {
		track = append(appendVar(track, m.at-was), m.data...)
		was = m.at
	}
	out := append([]byte("MThd"), 0, 0, 0, 6, 0, 0, 0, 1)
	out = binary.BigEndian.AppendUint16(out, ticks)
	out = binary.BigEndian.AppendUint32(append(out, "MTrk"...), uint32(len(track)))
	return append(out, track...)
}

// appendVar appends a number of variable length.
func appendVar(b []byte, v int) []byte {
	n := 1
	for v>>(7*n) > 0 {
		n++
	}
	for n--; n > 0; n-- {
		b = append(b, byte(v>>(7*n))|0x80)
	}
	return append(b, byte(v&0x7f))
}
