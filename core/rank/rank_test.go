package rank

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"stepping/core/chord"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/retune"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/golden"
)

func request(seed uint64, notes int) Request {
	rng := rand.New(rand.NewPCG(seed, 3))
	tu := &tune.Tune{Key: tune.Key{Tonic: pitch.Note{Letter: 'D'}}, Meters: []tune.MeterAt{{Num: 4, Den: 4}}, Tempos: []tune.TempoAt{{BPM: 80}}}
	degree := 9
	for range notes {
		degree = min(max(degree+rng.IntN(5)-2, 4), 16)
		dur := tune.Quarter / tune.Time(1+rng.IntN(2))
		tu.Notes = append(tu.Notes, tune.Note{At: tu.Length, Dur: dur,
			Note: pitch.Spell(pitch.Midi(50+12*(degree/7)+[]int{0, 2, 4, 5, 7, 9, 11}[degree%7]), false)})
		tu.Length += dur
	}
	for bar := tune.Time(0); bar < tu.Length; bar += tune.Whole {
		c, _ := chord.Parse([]string{"D", "G", "D", "A7"}[int(bar/tune.Whole)%4])
		tu.Bars, tu.Chords = append(tu.Bars, bar), append(tu.Chords, tune.ChordAt{At: bar, Chord: c})
	}
	std, _ := tuning.Parse("Standard")
	var g retune.Guitar
	if err := g.Complete(6); err != nil {
		panic(err)
	}
	return Request{Plan: plan.Request{Tune: tu, Tuning: std, Player: player.Default(), Thumb: pattern.Alternating}, Guitar: g}
}

// The first ten are the first ten of planning every way, and standard tuning is in the list.
func TestRankExhaustive(t *testing.T) {
	ctx := context.Background()
	for seed := range uint64(2) {
		r := request(seed, 5)
		r.KeepKey, r.Capos, r.Workers = true, 1, 2
		got, err := Rank(ctx, r)
		if err != nil {
			t.Fatal(err)
		}
		rk := &ranker{r: &r, out: &Ranking{}}
		rk.known()
		if err := rk.candidates(); err != nil {
			t.Fatal(err)
		}
		rk.floors(ctx)
		rk.sortOpen()
		all := rk.out.All
		for _, c := range rk.open {
			p, err := plan.Solve(ctx, c.req)
			var out *plan.RangeError
			if errors.As(err, &out) {
				continue
			}
			if err != nil {
				t.Fatal(err)
			}
			if b, err := plan.Bound(ctx, c.req, p.Total); err != nil || c.floor > p.Total || b > p.Total {
				t.Fatalf("%s: floor %v, bound %v (%v), total %v", c.Tuning.Name, c.floor, b, err, p.Total)
			}
			rk.keep(c, p)
		}
		if is, want := leads(got.Ways), leads(rk.out.Ways); got.Proved != ProvedTop || !slices.Equal(is, want) {
			t.Fatalf("the first shapes are\n%+v\nwant\n%+v", is, want)
		}
		for _, w := range rk.out.Ways {
			if sum := w.Total + w.Retuning + w.Capoed + w.Risk + w.Bar + w.Home + w.Strange + w.Slow; math.Abs(sum-w.Score) > 1e-9 ||
				min(w.Retuning, w.Capoed, w.Risk, w.Bar, w.Home, w.Strange, w.Slow) < 0 || (w.Bar == 0) != (w.UnderBar == 1) ||
				(w.Slow > 0) != (w.Ceiling > 0 && w.Ceiling < 80) {
				t.Errorf("the terms of %+v", w)
			}
		}
		if !slices.ContainsFunc(got.Ways, func(w Way) bool { return w.Tuning.Name == "Standard" }) {
			t.Error("standard tuning is not in the list")
		}
		if got.All != all || got.Planned > got.All {
			t.Errorf("%d ways, %d planned, %d there are", got.All, got.Planned, all)
		}
	}
}

// leads are the first shapes, each by its best way.
func leads(ways []Way) (out []string) {
	for _, r := range Rows(ways)[:ProvedTop] {
		out = append(out, fmt.Sprintf("%s capo %d %+d %.4f", r.Tuning.Name, r.Capo, r.Steps, r.Score))
	}
	return out
}

// A ranking that is stopped keeps what it has found; going on from there gives what one go gives.
func TestStopAndGoOn(t *testing.T) {
	r := request(5, 6)
	r.KeepKey, r.Capos = true, 2
	whole, err := Rank(context.Background(), r)
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(context.Background())
	half := r
	half.Progress = func(rk *Ranking) {
		if rk.Planned == 4 {
			stop()
		}
	}
	part, err := Rank(ctx, half)
	if !errors.Is(err, context.Canceled) || len(part.Ways) < 4 || part.Proved != 0 {
		t.Fatalf("%v %+v", err, part)
	}
	rest := r
	rest.Known = part.Ways
	again, err := Rank(context.Background(), rest)
	if is, want := leads(again.Ways), leads(whole.Ways); err != nil || !slices.Equal(is, want) {
		t.Fatalf("%v\n%+v\nwant\n%+v", err, is, want)
	}
}

// BenchmarkRank ranks 64 notes over every tuning, seven capos and all keys.
func BenchmarkRank(b *testing.B) {
	for b.Loop() {
		r := request(7, 64)
		r.Capos, r.Workers = 6, 2
		begin, first := time.Now(), time.Duration(0)
		r.Progress = func(*Ranking) {
			if first == 0 {
				first = time.Since(begin)
			}
		}
		got, err := Rank(context.Background(), r)
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(first.Seconds(), "s-first")
		b.ReportMetric(float64(got.All), "ways")
		b.ReportMetric(float64(got.Planned), "planned")
	}
}

// A proposal is quick, its best is the best that a whole ranking of the same notes finds among the first,
// and every row says what it asks for.
func TestPropose(t *testing.T) {
	seeds := uint64(3)
	if testing.Short() {
		seeds = 1
	}
	for seed := range seeds {
		r := request(seed, 30)
		rows, err := Propose(t.Context(), r, 3)
		if err != nil || len(rows) != 3 {
			t.Fatal(len(rows), err)
		}
		r.KeepKey, r.Capos = true, proposeCapo
		all, err := Rank(t.Context(), r)
		if err != nil {
			t.Fatal(err)
		}
		first := Rows(all.Ways)
		if !slices.ContainsFunc(first[:3], func(f Row) bool { return f.Tuning == rows[0].Tuning && f.Capo == rows[0].Capo }) {
			t.Errorf("proposed %s, capo %d; the ranking begins with %s, capo %d", rows[0].Tuning.Name, rows[0].Capo,
				first[0].Tuning.Name, first[0].Capo)
		}
		for i := range rows {
			if !strings.Contains(rows[i].Reason(), "retun") || i > 0 && rows[i].Score < rows[i-1].Score {
				t.Errorf("%d: %s, score %v", i, rows[i].Reason(), rows[i].Score)
			}
		}
	}
	long := request(1, 400).Plan.Tune
	if short := beginning(long, proposeNotes); len(short.Notes) < proposeNotes || len(short.Notes) > proposeNotes+16 ||
		short.Bars[len(short.Bars)-1] >= short.Length {
		t.Errorf("%d notes in %d bars", len(short.Notes), len(short.Bars))
	}
}

// TestFirstShown: the present tuning is the first that is shown; and all facts of the best six ways.
func TestFirstShown(t *testing.T) {
	r := request(1, 4)
	r.Capos = 1
	var first *Way
	r.Progress = func(got *Ranking) {
		if first == nil && len(got.Ways) > 0 {
			way := got.Ways[0]
			first = &way
		}
	}
	all, err := Rank(t.Context(), r)
	if err != nil {
		t.Fatal(err)
	}
	golden.Check(t, "ranking", golden.Lines(all.Ways[:6]))
	if first == nil || first.Turned != 0 || first.Capo != 0 || first.Steps != 0 {
		t.Errorf("the first that is shown is %+v", first)
	}
}
