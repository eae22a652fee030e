// Command pairbench does fixed work with the planner of the commit that it is built in, and prints the
// CPU seconds of each piece. It is copied into a checkout of either commit by scripts/pair.
package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"syscall"

	"stepping/core/chord"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/rank"
	"stepping/core/reference"
	"stepping/core/retune"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/plandoc"
	"stepping/formats/reftext"
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
	return plan.Request{Tune: wander(7, n), Tuning: tn, Player: player.Default(), Thumb: pattern.Alternating}
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

// ask asks what else there is for the melody and the thumb at the first note from a third of the plan on, and returns its moment.
func ask(p *plan.Plan) int {
	t := len(p.Moments) / 3
	for p.Moments[t].Melody == nil {
		t++
	}
	for _, part := range []part{melody, bass} {
		_, err := p.AlternativesOf(context.Background(), t, part, 0)
		check(err)
	}
	return t
}

// edits plans again after small changes: the second other place of a note pinned, which was asked about, the pin taken away, another
// chord; then asks about the plan with the pin.
func edits(n int) {
	p := solve(request(n, "Open D"))
	var t int
	timed(fmt.Sprintf("a first question %d", n), func() { t = ask(p) })
	timed(fmt.Sprintf("ten other questions %d", n), func() {
		for k, left := t+1, 10; left > 0; k++ {
			if p.Moments[k%len(p.Moments)].Melody != nil {
				_, err := p.AlternativesOf(context.Background(), k%len(p.Moments), melody, 0)
				check(err)
				left--
			}
		}
	})
	alts, err := p.AlternativesOf(context.Background(), t, melody, 0)
	check(err)
	r := p.Request
	r.Pins = append(r.Pins[:0:0], alts[2].Pin(&p.Moments[t])) // the type has moved
	var q *plan.Plan
	timed(fmt.Sprintf("a pin %d", n), func() { q = solveFrom(r, p) })
	timed(fmt.Sprintf("an undo %d", n), func() { solveFrom(p.Request, q) })
	timed(fmt.Sprintf("a question after the pin %d", n), func() { ask(q) })
	tu := *r.Tune
	tu.Chords = append([]tune.ChordAt(nil), tu.Chords...)
	c, err := chord.Parse("Em")
	check(err)
	tu.Chords[len(tu.Chords)/2].Chord = c
	r = p.Request
	r.Tune = &tu
	timed(fmt.Sprintf("a chord %d", n), func() { solveFrom(r, p) })
}

// references plans every reference arrangement once.
func references() {
	names, err := filepath.Glob("core/plan/testdata/references/*.ref")
	check(err)
	var refs []*reference.Reference
	for _, name := range names {
		f, err := os.Open(name)
		check(err)
		ref, err := reftext.Read(f, filepath.Base(name))
		check(err)
		f.Close()
		refs = append(refs, ref)
	}
	cases := casesOf(refs)
	for _, c := range cases { // lists that stay are made
		solve(c.Request)
	}
	timed("60 references", func() {
		for _, c := range cases {
			solve(c.Request)
		}
	})
}

// document writes a plan with every reason.
func document() {
	p := solve(request(64, "Open D"))
	timed("a document 64", func() {
		_, err := plandoc.New(context.Background(), p)
		check(err)
	})
}

func ranking() {
	var g retune.Guitar
	check(g.Complete(tuning.Strings))
	r := rank.Request{Plan: request(16, "Standard"), Guitar: g, KeepKey: true, Capos: 2, Workers: 1}
	_, err := rank.Rank(context.Background(), r)
	check(err)
}

func timed(name string, work func()) {
	began := cpu()
	work()
	fmt.Printf("%s\t%.6f\n", name, cpu()-began)
}

func main() {
	for _, spelt := range []string{"Open D", "Standard"} {
		solve(request(64, spelt)) // lists that stay are made
		timed("plan 64 "+spelt, func() {
			for range 4 {
				solve(request(64, spelt))
			}
		})
	}
	edits(64)
	edits(512)
	references()
	document()
	timed("all alternatives 64", func() { all(solve(request(64, "Open D")), false) })
	timed("all dampers 24", func() { all(solve(request(24, "Open D")), true) })
	for _, n := range []int{512, 4000} {
		timed(fmt.Sprintf("plan %d", n), func() { solve(request(n, "Open D")) })
	}
	timed("ranking 16", ranking)
}
