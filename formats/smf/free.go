package smf

import (
	"cmp"
	"encoding/binary"
	"io"
	"math"
	"slices"
)

// FreeNote is a note that nobody wrote down: when it begins and how long it lasts, in quarter notes, and its MIDI number.
type FreeNote struct {
	At, Dur float64
	Key     int
}

// freeDivision is how many ticks a quarter has in what WriteFree writes.
const freeDivision = 960

// WriteFree writes notes as they were heard, a track for each line that is not empty, by its name, at bpm quarter notes
// a minute. Read gives them back within half a tick.
func WriteFree(w io.Writer, bpm float64, names []string, lines ...[]FreeNote) error {
	tempo := binary.BigEndian.AppendUint32(nil, uint32(math.Round(60e6/bpm)))
	var tracks [][]byte
	for i, line := range lines {
		if len(line) == 0 {
			continue
		}
		track := append([]byte{0, 0xff, 3}, variableLength(int64(len(names[i])))...)
		track = append(track, names[i]...)
		if len(tracks) == 0 {
			track = append(append(track, 0, 0xff, 0x51, 3), tempo[1:]...)
		}
		type event struct {
			at   int
			data [3]byte
		}
		var events []event
		for _, n := range line {
			at := int(math.Round(n.At * freeDivision))
			end := max(at+1, int(math.Round((n.At+n.Dur)*freeDivision)))
			events = append(events, event{at, [3]byte{0x90, byte(n.Key), 80}}, event{end, [3]byte{0x80, byte(n.Key), 0}})
		}
		slices.SortStableFunc(events, func(a, b event) int { // what ends comes before what begins
			return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.data[0], b.data[0]))
		})
		was := 0
		for _, e := range events {
			track = append(append(track, variableLength(int64(e.at-was))...), e.data[:]...)
			was = e.at
		}
		tracks = append(tracks, append(track, 0, 0xff, 0x2f, 0))
	}
	return writeFile(w, freeDivision, tracks)
}
