// Command pairbench does fixed work with the planner of the commit that it is built in, and prints the
// CPU seconds of each piece. It is copied into a checkout of either commit by scripts/pair.
package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"syscall"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/retune"
	"stepping/core/suit"
	"stepping/core/thumb"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// wander is a tune of n notes that walks about the scale of D over four chords.
func wander(seed uint64, n int) *tune.Tune {
	rng := rand.New(rand.NewPCG(seed, 3))
	scale := []int{62, 64, 66, 67, 69, 71, 73, 74, 76, 78, 79, 81}
	tu := &tune.Tune{Key: tune.Key{Tonic: pitch.Note{Letter: 'D'}}, Meters: []tune.MeterAt{{Num: 4, Den: 4}}, Tempos: []tune.TempoAt{{BPM: 84}}}
	at := 5
	for range n {
		at = min(max(at+rng.IntN(5)-2, 0), len(scale)-1)
		dur := tune.Quarter / 2 * tune.Time(1+rng.IntN(3))
		tu.Notes = append(tu.Notes, tune.Note{At: tu.Length, Dur: dur, Note: pitch.Spell(pitch.Midi(scale[at]), false)})
		tu.Length += dur
	}
	for bar := tune.Time(0); bar < tu.Length; bar += tune.Whole {
		c, err := chord.Parse([]string{"D", "G", "A7", "D"}[int(bar/tune.Whole)%4])
		check(err)
		tu.Bars = append(tu.Bars, bar)
		tu.Chords = append(tu.Chords, tune.ChordAt{At: bar, Chord: c})
	}
	return tu
}

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func cpu() float64 {
	var u syscall.Rusage
	check(syscall.Getrusage(syscall.RUSAGE_SELF, &u))
	return float64(u.Utime.Nano()+u.Stime.Nano()) / 1e9
}

func request(n int, spelt string) plan.Request {
	tn, err := tuning.Parse(spelt)
	check(err)
	return plan.Request{Tune: wander(7, n), Tuning: tn, Player: player.Default(), Thumb: thumb.Alternating}
}

func solve(r plan.Request) *plan.Plan {
	p, err := plan.Solve(context.Background(), r)
	check(err)
	return p
}

// all asks for every alternative of the notes and the thumb, with dampers for those of every string.
func all(p *plan.Plan, dampers bool) {
	for t := range p.Moments {
		_, err := p.AlternativesOf(context.Background(), t, melody, 0)
		check(err)
		_, err = p.AlternativesOf(context.Background(), t, bass, 0)
		check(err)
		for s := 1; dampers && s <= 6; s++ {
			_, err = p.AlternativesOf(context.Background(), t, damped, s)
			check(err)
		}
	}
}

func main() {
	scale := 1
	if len(os.Args) > 1 {
		scale, _ = strconv.Atoi(os.Args[1])
	}
	for _, c := range []struct {
		name  string
		times int
		work  func()
	}{
		{"plan 64 open D", 4, func() { solve(request(64, "Open D")) }},
		{"plan 64 standard", 4, func() { solve(request(64, "Standard")) }},
		{"alternatives 64 open D", 1, func() { all(solve(request(64, "Open D")), false) }},
		{"dampers 24 open D", 1, func() { all(solve(request(24, "Open D")), true) }},
		{"plan 512 open D", 1, func() { solve(request(512, "Open D")) }},
		{"ranking 16", 1, func() {
			var g retune.Guitar
			check(g.Complete(tuning.Strings))
			r := suit.Request{Plan: request(16, "Standard"), Guitar: g, KeepKey: true, Capos: 2, Workers: 1}
			_, err := suit.Rank(context.Background(), r)
			check(err)
		}},
	} {
		begin := cpu()
		for range c.times * scale {
			c.work()
		}
		fmt.Printf("%s\t%.6f\n", c.name, cpu()-begin)
	}
}
