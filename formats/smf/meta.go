package smf

import (
	"slices"
	"strings"

	"stepping/core/chord"
	"stepping/core/score"
	"stepping/core/tune"
	"stepping/formats/plaintext"
)

// meta reads a meta event.
func (t *track) meta() (done bool, err error) {
	at := t.pos
	if t.pos+2 > t.end {
		t.cut = true
		return true, nil
	}
	kind := t.data[t.pos+1]
	t.pos += 2
	n, ok := t.variable()
	if !ok || t.pos+n > t.end {
		t.cut = true
		return true, nil
	}
	d := t.data[t.pos : t.pos+n]
	t.pos += n
	sc := t.score
	switch {
	case kind == 0x2f:
		return true, nil
	case kind == 0x03:
		t.name = text(d)
		if sc.Title == "" && t.tracks == 1 {
			sc.Title = t.name
		}
	case kind == 0x04 && t.name == "":
		t.name = text(d)
	case kind == 0x05:
		if s := text(d); s != "" && len(t.lyrics) < score.MaxTotal {
			t.lyrics = append(t.lyrics, lyric{t.now, s})
		}
	case kind == 0x01 || kind == 0x06:
		if name, is := strings.CutPrefix(text(d), chordText); is && len(sc.Chords) < score.MaxNotes {
			if c, err := chord.Parse(name); err == nil {
				sc.Chords = append(sc.Chords, score.Chord{At: t.now, Chord: c})
			}
		}
		if ratio, is := strings.CutPrefix(text(d), swingText); is && sc.Swing == 0 {
			if share, err := tune.ParseSwing(ratio); err == nil {
				sc.Swing = share
			}
		}
	case kind == 0x51 && n == 3:
		us := int(d[0])<<16 | int(d[1])<<8 | int(d[2])
		if bpm := 6e7 / float64(max(us, 1)); bpm >= tune.MinTempo && bpm <= tune.MaxTempo && len(sc.Tempos) < score.MaxNotes {
			sc.Tempos = append(sc.Tempos, score.Tempo{At: t.now, BPM: bpm})
		} else {
			sc.Warn(1, at+1, "a tempo of %.0f quarter notes a minute was skipped", bpm)
		}
	case kind == 0x58 && n >= 2:
		num, den := int(d[0]), 1<<min(d[1], 7)
		if num >= 1 && num <= 64 && den <= 64 && len(sc.Meters) < score.MaxBars {
			sc.Meters = slices.DeleteFunc(sc.Meters, func(m score.Meter) bool { return m.At == t.now })
			sc.Meters = append(sc.Meters, score.Meter{At: t.now, Num: num, Den: den})
		}
	case kind == 0x59 && n >= 2 && sc.Key.Tonic.Letter == 0:
		sc.Key = tune.KeyOf(int(int8(d[0])), d[1] == 1)
	}
	return false, nil
}

// What stands before a chord's name and before how eighths are swung in a text event.
const (
	chordText = "Chord: "
	swingText = "Swing: "
)

func text(d []byte) string {
	s, err := plaintext.Decode(d[:min(len(d), 200)])
	if err != nil {
		s = strings.ToValidUTF8(string(d[:min(len(d), 200)]), "?")
	}
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' {
			return ' '
		}
		return r
	}, s))
}
