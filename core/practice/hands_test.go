package practice

import (
	"math"
	"math/rand/v2"
	"testing"

	"stepping/core/plan"
	"stepping/core/player"
)

// TestLearnHands lets hands of many kinds play single moves and strokes, near the edge of what they can. Their
// need varies by a logistic law, which is not the model's, so that agreement is not by construction. The stated
// 90% ranges must hold the truth nearly as often as they say, and the middle must be near it.
func TestLearnHands(t *testing.T) {
	hands := 150
	if testing.Short() {
		hands = 50
	}
	usual := player.Default()
	var heldA, heldB, heldR int
	var offMove, offStroke float64
	for n := range hands {
		rng := rand.New(rand.NewPCG(uint64(n), 77))
		truth := func(usual, spread float64) float64 { return usual * math.Exp(spread*rng.NormFloat64()) }
		a, b, r := truth(usual.FittsA, spreadA), truth(usual.FittsB, spreadB), truth(usual.RestrikeTime(), spreadR)
		var log []Pass
		for range 60 {
			bits := 1 + 4*rng.Float64()
			log = append(log, tried(rng, plan.Travel, bits, a+b*bits), tried(rng, plan.Again, 0, r))
		}
		h := LearnHands(log, usual)
		if h.A.Passes != 60 || h.Restrike.Passes != 60 {
			t.Fatalf("%d moves and %d strokes told, of 60 each", h.A.Passes, h.Restrike.Passes)
		}
		heldA, heldB, heldR = heldA+held(&h.A, a), heldB+held(&h.B, b), heldR+held(&h.Restrike, r)
		offMove += math.Abs(math.Log((h.A.Value + 3*h.B.Value) / (a + 3*b)))
		offStroke += math.Abs(math.Log(h.Restrike.Value / r))
	}
	t.Logf("90%% ranges hold A %d, B %d, restrike %d of %d; off by %.3f and %.3f log units", heldA, heldB, heldR, hands,
		offMove/float64(hands), offStroke/float64(hands))
	for what, held := range map[string]int{"A": heldA, "B": heldB, "restrike": heldR} {
		if held < hands*8/10 {
			t.Errorf("the 90%% range of %s holds the truth for %d of %d", what, held, hands)
		}
	}
	if offMove > 0.08*float64(hands) || offStroke > 0.08*float64(hands) {
		t.Errorf("off by %.3f and %.3f log units on average", offMove/float64(hands), offStroke/float64(hands))
	}
}

// tried is a pass over one move that needs so many seconds in the middle, with a time that is up to a third more or less.
func tried(rng *rand.Rand, kind string, bits, need float64) Pass {
	u := rng.Float64()
	needed := need * math.Exp(handSpread*math.Sqrt(3)/math.Pi*math.Log(u/(1-u)))
	there := need * math.Exp(0.6*(rng.Float64()-0.5))
	p := Pass{Verdict: Broke, Move: &Motion{Kind: kind, Bits: bits, There: there}}
	switch lack := math.Log(needed / there); {
	case lack <= 0:
		p.Verdict = Clean
	case lack <= nearlyBand:
		p.Verdict = Nearly
	}
	return p
}

func held(e *Estimate, truth float64) int {
	if e.Low <= truth && truth <= e.High {
		return 1
	}
	return 0
}
