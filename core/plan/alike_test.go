package plan

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
)

// again repeats the bars of tu, of whole notes' length, in an order.
func again(tu *tune.Tune, order ...int) *tune.Tune {
	out := &tune.Tune{Key: tu.Key, Meters: tu.Meters, Tempos: tu.Tempos}
	for _, bar := range order {
		begin := tu.Bars[bar]
		for _, n := range tu.Notes {
			if n.At >= begin && n.At < begin+tune.Whole {
				n.At += out.Length - begin
				out.Notes = append(out.Notes, n)
			}
		}
		out.Chords = append(out.Chords, tune.ChordAt{At: out.Length, Chord: tu.ChordOver(begin)})
		out.Bars = append(out.Bars, out.Length)
		out.Length += tune.Whole
	}
	return out
}

// repeated is a tune of three bars that come again after each other.
func repeated(rng *rand.Rand) *tune.Tune {
	pitches := []int{62, 64, 66, 67, 69, 71, 73, 74, 76}
	var midis []int
	for range 12 {
		midis = append(midis, pitches[rng.IntN(len(pitches))])
	}
	return again(coretest.Line('D', 70+60*rng.Float64(), tune.Quarter, "D G A", coretest.Notes(midis...)...), 0, 1, 0, 2, 1, 0)
}

// repeatsOf counts the sets of equal bars of p that are played in more than one way.
func repeatsOf(p *Plan) (sets, differ int) {
	for _, e := range p.repeats() {
		if sets++; len(e.ways) > 1 {
			differ++
		}
	}
	return sets, differ
}

// Bars with the same notes and chords are played alike, whatever comes before and after them; what that
// costs is stated, and who wants them varied has the best plan without.
func TestRepeatsAlike(t *testing.T) {
	held, cost := 0, 0.0
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		pl := player.Default()
		pl.Lean = player.Leans[rng.IntN(4)]
		r := Request{Tune: repeated(rng), Tuning: coretest.Tuning([]string{"Open D", "Standard", "Open G"}[rng.IntN(3)]),
			Player: pl, Thumb: pattern.Kinds[rng.IntN(3)]}
		p := solve(t, r)
		checkPlan(t, p)
		if sets, differ := repeatsOf(p); sets != 2 || differ != 0 {
			t.Errorf("%d sets of equal bars, %d not alike", sets, differ)
		}
		r.Varied = true
		free := solve(t, r)
		if math.Abs(p.Total-p.Gap-free.Total) > 1e-9 || free.Gap != 0 || p.Gap < 0 {
			t.Errorf("total %v, gap %v, free %v", p.Total, p.Gap, free.Total)
		}
		if p.Gap > 0 {
			held++
			cost = max(cost, p.Gap/p.Total)
			for i := range p.Moments {
				if _, err := p.Why(context.Background(), i); err != nil {
					t.Error(err)
				}
				alts, err := p.Alternatives(context.Background(), i, play.Melody)
				if err != nil || len(alts) > 0 && (!alts[0].Chosen || alts[0].Extra != 0) {
					t.Errorf("moment %d: %+v, %v", i, alts, err)
				}
			}
		}
	})
	t.Logf("%d of %d plans had to be held, at %.1f%% of their total at most", held, few(50), 100*cost)
}

// A bar that the player pins is their own: the others stay as they are.
func TestPinnedBarStandsApart(t *testing.T) {
	tu := again(coretest.Line('D', 80, tune.Quarter, "D G", coretest.Notes(74, 71, 69, 66, 67, 71, 74, 71)...), 0, 1, 0, 1)
	r := Request{Tune: tu, Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.Steady}
	p := solve(t, r)
	at := 2 * tune.Whole
	r.Pins = []play.Pin{{At: at, Part: play.Melody, String: 2, Fret: 17, How: play.Slide}}
	q := solve(t, r)
	for i := range p.Moments {
		a, b := p.Moments[i].Melody, q.Moments[i].Melody
		if a == nil || p.Moments[i].Bar == 3 {
			continue
		}
		if a.String != b.String || a.Fret != b.Fret {
			t.Errorf("bar %d: %d:%v became %d:%v", p.Moments[i].Bar, a.String, a.Fret, b.String, b.Fret)
		}
	}
	if sets, differ := repeatsOf(q); sets != 1 || differ != 0 {
		t.Errorf("%d sets, %d not alike", sets, differ)
	}
}

// On tunes small enough to try every way for a repeated bar: no way alike is cheaper than the gap says,
// and most plans are the best of them.
func TestAlikeAgainstEveryWay(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(3, 14))
	ctx := context.Background()
	best, all := 0, few(16)
	for range all {
		one := coretest.Line('D', 60+80*rng.Float64(), tune.Quarter*2, "D G",
			coretest.Notes(62+rng.IntN(12), 62+rng.IntN(12), 62+rng.IntN(12), 62+rng.IntN(12))...)
		r := Request{Tune: again(one, 0, 1, 0), Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.None}
		p := solve(t, r)
		r.Varied = true
		free := solve(t, r)
		var places [2][]Alternative
		for i := range places {
			alts, err := free.Alternatives(ctx, i, play.Melody)
			if err != nil {
				t.Fatal(err)
			}
			places[i] = alts
		}
		least := math.Inf(1)
		for _, a := range places[0] {
			for _, b := range places[1] {
				q := r
				for _, at := range []tune.Time{0, 2 * tune.Whole} {
					for i, alt := range []Alternative{a, b} {
						s := &play.Stroke{Fret: alt.Fret, How: alt.How}
						q.alike = append(q.alike, pin{Pin: play.Pin{At: at + tune.Time(i)*2*tune.Quarter, Part: play.Melody, String: alt.String,
							Fret: alt.Fret, How: mannerOf(s, 0)}, alike: true})
					}
				}
				if got, err := solveFree(ctx, q); err == nil {
					least = min(least, got.Total)
				}
			}
		}
		if p.Total < least-1e-9 || p.Total-p.Gap > least+1e-9 {
			t.Fatalf("alike %v, gap %v; the best of all ways %v", p.Total, p.Gap, least)
		}
		if p.Total == least {
			best++
		}
	}
	if t.Logf("%d of %d are the best of all alike", best, all); 10*best < 9*all {
		t.Errorf("only %d of %d are the best of all alike", best, all)
	}
}
