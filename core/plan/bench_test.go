package plan

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/player"
	"stepping/core/thumb"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// wander makes a melody of n eighth and quarter notes in D that walks by steps and small
// leaps, chords changing every bar, at 92 quarter notes a minute.
func wander(seed uint64, n int) *tune.Tune {
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

func benchRequest(n int, spelt string) Request {
	t, err := tuning.Parse(spelt)
	if err != nil {
		panic(err)
	}
	return Request{Tune: wander(7, n), Tuning: t, Player: player.Default(), Thumb: thumb.Alternating}
}

func BenchmarkPlan(b *testing.B) {
	for _, spelt := range []string{"Open D", "Standard"} {
		for _, n := range []int{64, 512} {
			b.Run(fmt.Sprintf("%s/notes=%d", spelt, n), func(b *testing.B) {
				r := benchRequest(n, spelt)
				moments := 0
				for b.Loop() {
					p, err := Solve(context.Background(), r)
					if err != nil {
						b.Fatal(err)
					}
					moments = len(p.Moments)
				}
				b.ReportMetric(float64(b.Elapsed().Microseconds())/float64(b.N)/float64(moments), "µs/moment")
			})
		}
	}
}

func BenchmarkAlternatives(b *testing.B) {
	for _, spelt := range []string{"Open D", "Standard"} {
		b.Run(fmt.Sprintf("%s/notes=64", spelt), func(b *testing.B) {
			r := benchRequest(64, spelt)
			for b.Loop() {
				p, err := Solve(context.Background(), r)
				if err != nil {
					b.Fatal(err)
				}
				for t := range p.Moments {
					if p.Moments[t].Melody == nil {
						continue
					}
					if alts, err := p.Alternatives(context.Background(), t, Melody); err != nil || len(alts) == 0 {
						b.Fatal(err, len(alts))
					}
				}
			}
		})
	}
}
