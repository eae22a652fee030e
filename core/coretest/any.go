package coretest

import (
	"fmt"
	"math/rand/v2"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/tune"
)

// Any makes a tune of everything that a tune can hold: meters and tempos that change, notes with others under them, of any
// length that is written, over bar lines, between rests, with microtones, marks and syllables.
func Any(seed uint64) *tune.Tune {
	rng := rand.New(rand.NewPCG(seed, 7))
	flats := rng.IntN(2) == 0
	keys := []pitch.Note{{Letter: 'C'}, {Letter: 'D'}, {Letter: 'B', Alter: -1}, {Letter: 'F', Alter: 1}, {Letter: 'E'}}
	tu := &tune.Tune{Title: fmt.Sprintf("Any %d: <&\"'> Ö", seed), Key: tune.Key{Tonic: keys[rng.IntN(len(keys))], Minor: rng.IntN(2) == 0}}
	meters := []tune.MeterAt{{Num: 4, Den: 4}, {Num: 3, Den: 4}, {Num: 6, Den: 8}, {Num: 5, Den: 8}, {Num: 12, Den: 8}}
	for bar := range 3 + rng.IntN(6) {
		if bar == 0 || rng.IntN(4) == 0 {
			m := meters[rng.IntN(len(meters))]
			m.At = tu.Length
			if n := len(tu.Meters); n == 0 || tu.Meters[n-1].Num != m.Num || tu.Meters[n-1].Den != m.Den {
				tu.Meters = append(tu.Meters, m)
			}
		}
		if bar == 0 || rng.IntN(5) == 0 {
			tu.Tempos = append(tu.Tempos, tune.TempoAt{At: tu.Length, BPM: float64(60 + 13*bar + rng.IntN(12))})
		}
		if c, err := chord.Parse([]string{"D", "Am7", "F#m", "Bb7", "Gsus4", "C/E", "Edim"}[rng.IntN(7)]); err == nil && rng.IntN(3) > 0 {
			tu.Chords = append(tu.Chords, tune.ChordAt{At: tu.Length, Chord: c})
		}
		tu.Bars = append(tu.Bars, tu.Length)
		tu.Length += tu.Meters[len(tu.Meters)-1].Bar()
	}
	lengths := []tune.Time{tune.Quarter, tune.Quarter / 2, tune.Quarter / 4, tune.Quarter / 3, 3 * tune.Quarter / 4,
		2 * tune.Quarter / 5, 3 * tune.Quarter, tune.Quarter / 6}
	for at := tune.Time(0); at < tu.Length; {
		dur := min(lengths[rng.IntN(len(lengths))], tu.Length-at)
		if rng.IntN(6) == 0 {
			at += dur
			continue
		}
		n := tune.Note{At: at, Dur: dur, Note: pitch.Spell(pitch.Midi(50+rng.IntN(24))+pitch.Pitch(25*max(0, rng.IntN(9)-6)), flats)}
		for p := n.Note.Pitch() - 300; len(n.With) < rng.IntN(3) && p > 4000; p -= 400 {
			n.With = append(n.With, pitch.Spell(p/100*100, flats))
		}
		n.Marks = tune.Marks(rng.IntN(32) & rng.IntN(32))
		if rng.IntN(3) == 0 {
			n.Lyric = []string{"la", "ho-", "one two", "ü-b"}[rng.IntN(4)]
		}
		tu.Notes = append(tu.Notes, n)
		at += dur
	}
	for at := tune.Time(0); seed%2 == 0 && at < tu.Length; {
		dur := min(lengths[rng.IntN(len(lengths))], tu.Length-at)
		if rng.IntN(6) > 0 {
			tu.Bass = append(tu.Bass, tune.Note{At: at, Dur: dur, Note: pitch.Spell(pitch.Midi(38+rng.IntN(10)), flats)})
		}
		at += dur
	}
	tu.Swing = []float64{0, 0, 0.6, 2.0 / 3, 0.7}[rng.IntN(5)]
	if len(tu.Notes) == 0 {
		return Any(seed + 1000)
	}
	return tu
}
