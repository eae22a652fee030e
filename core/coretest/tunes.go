// Package coretest makes tunes and tunings for the tests of core.
package coretest

import (
	"math/rand/v2"
	"strings"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Tuning reads a tuning, and panics on a fault.
func Tuning(s string) tuning.Tuning {
	t, err := tuning.Parse(s)
	if err != nil {
		panic(err)
	}
	return t
}

// Line makes a tune of notes of one length over one chord a bar.
func Line(key byte, bpm float64, dur tune.Time, chords string, notes ...pitch.Note) *tune.Tune {
	tu := &tune.Tune{Key: tune.Key{Tonic: pitch.Note{Letter: key}}, Meters: []tune.MeterAt{{Num: 4, Den: 4}}, Tempos: []tune.TempoAt{{BPM: bpm}}}
	for _, n := range notes {
		tu.Notes = append(tu.Notes, tune.Note{At: tu.Length, Dur: dur, Note: n})
		tu.Length += dur
	}
	names := strings.Fields(chords)
	for bar := tune.Time(0); bar < tu.Length; bar += tune.Whole {
		c, err := chord.Parse(names[int(bar/tune.Whole)%len(names)])
		if err != nil {
			panic(err)
		}
		tu.Bars = append(tu.Bars, bar)
		tu.Chords = append(tu.Chords, tune.ChordAt{At: bar, Chord: c})
	}
	return tu
}

// Notes spells MIDI note numbers with sharps.
func Notes(midis ...int) []pitch.Note {
	var out []pitch.Note
	for _, m := range midis {
		out = append(out, pitch.Spell(pitch.Midi(m), false))
	}
	return out
}

// Wander makes a melody of n eighth and quarter notes in D that walks by steps and small
// leaps, chords changing every bar, at 92 quarter notes a minute.
func Wander(seed uint64, n int) *tune.Tune {
	rng := rand.New(rand.NewPCG(seed, 1))
	scale := []int{0, 2, 4, 5, 7, 9, 11}
	tu := &tune.Tune{
		Title: "Wander", Key: tune.Key{Tonic: pitch.Note{Letter: 'D'}},
		Meters: []tune.MeterAt{{Num: 4, Den: 4}}, Tempos: []tune.TempoAt{{BPM: 92}},
	}
	degree, at := 7, tune.Time(0)
	for range n {
		degree = min(max(degree+rng.IntN(5)-2, 0), 16)
		midi := 50 + 12*(degree/7) + scale[degree%7]
		dur := tune.Quarter / tune.Time(1+rng.IntN(2))
		tu.Notes = append(tu.Notes, tune.Note{At: at, Dur: dur, Note: pitch.Spell(pitch.Midi(midi), false)})
		at += dur
	}
	tu.Length = at
	names := []string{"D", "G", "D", "A", "Bm", "Em", "A7", "D"}
	for bar := tune.Time(0); bar < at; bar += tune.Whole {
		c, _ := chord.Parse(names[int(bar/tune.Whole)%len(names)])
		tu.Bars = append(tu.Bars, bar)
		tu.Chords = append(tu.Chords, tune.ChordAt{At: bar, Chord: c})
	}
	return tu
}
