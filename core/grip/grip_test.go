package grip

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/player"
	"stepping/core/tuning"
)

func mustChord(s string) chord.Chord {
	c, err := chord.Parse(s)
	if err != nil {
		panic(err)
	}
	return c
}

func mustTuning(s string) tuning.Tuning {
	t, err := tuning.Parse(s)
	if err != nil {
		panic(err)
	}
	return t
}

// slow tries every fret up to top on every string and every finger for every string held, and knows
// the rules only pair by pair.
type slow struct {
	t   Guitar
	c   chord.Chord
	top int
}

// find returns the least cost of each playable shape.
func (s *slow) find(anyOut bool) map[[strings6 + 1]int]float64 {
	out := map[[strings6 + 1]int]float64{}
	var frets [strings6 + 1]int
	var choose func(str int)
	choose = func(str int) {
		if str == 0 {
			if shape, ok := s.shape(frets, anyOut); ok {
				if hold := s.hold(frets); hold < math.Inf(1) {
					out[frets] = shape + hold
				}
			}
			return
		}
		for f := s.t.Capo - 1; f <= s.top; f++ {
			frets[str] = f
			if f < s.t.Capo {
				frets[str] = Out
			} else if !s.c.Has(s.t.Pitch(str, f)) {
				continue
			}
			choose(str - 1)
		}
	}
	choose(strings6)
	return out
}

// shape weighs what sounds.
func (s *slow) shape(frets [strings6 + 1]int, anyOut bool) (cost float64, ok bool) {
	t, c := s.t, s.c
	var sounding []int
	lowest := pitch.Pitch(math.MaxInt32)
	set := map[int]bool{}
	hand, high := 0, 0
	for str := strings6; str >= 1; str-- {
		if frets[str] == Out {
			continue
		}
		sounding = append(sounding, str)
		p := t.Pitch(str, frets[str])
		lowest = min(lowest, p)
		set[c.Interval(p)] = true
		if frets[str] > t.Capo && (hand == 0 || frets[str] < hand) {
			hand = frets[str]
		}
		high = max(high, frets[str])
	}
	if len(sounding) < min(leastSound, len(c.Tones)) {
		return 0, false
	}
	tones := append(slices.Clone(c.Tones), (c.Bass.Class()-c.Root.Class()+12)%12)
	slices.Sort(tones)
	for _, iv := range slices.Compact(tones) {
		if !set[iv] {
			if !c.Optional(iv) {
				return 0, false
			}
			cost += lacksTone
		}
	}
	first, last := sounding[0], sounding[len(sounding)-1]
	inner := 0
	for str := 1; str <= strings6; str++ {
		if frets[str] != Out {
			continue
		}
		open := t.Pitch(str, t.Capo)
		switch {
		case str > first:
			cost += outThick
			if !anyOut && c.IsBass(open) {
				return 0, false
			}
			continue
		case str < last:
			cost += outThin
		default:
			cost += outInner
			inner++
		}
		if !anyOut && c.Has(open) {
			return 0, false
		}
	}
	if !c.IsBass(lowest) {
		if c.Bass != c.Root {
			return 0, false
		}
		cost += bassCost(c.Interval(lowest))
	}
	if hand > 0 {
		cost += upNeck * float64(hand-t.Capo)
	}
	index := hand
	if high <= hand+1 {
		index--
	}
	for _, str := range sounding {
		if from := t.Capo + t.strayFrom(); frets[str] == t.Capo && hand > 0 && index >= from {
			cost += strayOpen + strayPer*float64(index-from)
		}
		if up := t.Capo + lonelyFrom; frets[str] == t.Capo && str > 1 && str < 6 && frets[str-1] >= up && frets[str+1] >= up {
			cost += lonelyOpen
		}
	}
	g := Grip{Frets: frets}
	root, alternate := false, 2.0
	for _, ts := range t.ThumbStrings(c, &g) {
		if ts.Role == 0 {
			root = root || c.IsBass(t.Pitch(ts.String, frets[ts.String]))
		} else {
			alternate = min(alternate, ts.Fit)
		}
	}
	if !root {
		cost += noRoot
	}
	return cost + thumbFit*alternate, inner <= mostInner && hand <= t.Capo+highestHand
}

// hold is the least effort of any assignment of fingers, with the strings that nothing silences;
// infinite if none is possible.
func (s *slow) hold(frets [strings6 + 1]int) float64 {
	var held []int
	for str := 1; str <= strings6; str++ {
		if frets[str] > s.t.Capo {
			held = append(held, str)
		}
	}
	fingers := s.t.Player.FreeFingers()
	if s.t.Player.ThumbOver {
		fingers = append(fingers, thumbOver)
	}
	least := math.Inf(1)
	var easiest Grip
	g := Grip{Frets: frets}
	var give func(i int)
	give = func(i int) {
		if i == len(held) {
			if cost := s.effort(&g); cost < least {
				least, easiest = cost, g
			}
			return
		}
		for _, f := range fingers {
			g.Fingers[held[i]] = f
			give(i + 1)
		}
	}
	give(0)
	for str := 1; str <= strings6; str++ {
		if frets[str] == Out && s.t.silencer(&easiest, str) == NotStruck {
			least += notSilenced
		}
	}
	return least
}

func (s *slow) effort(g *Grip) float64 {
	t, cost, widest, spread := s.t, 0.0, 0.0, 0
	held := map[int]bool{} // frets that fingers hold
	lo, hi := 99, -99
	seen := map[int]int{} // strings of each finger
	for a := 1; a <= strings6; a++ {
		f := g.Fingers[a]
		if f == 0 {
			continue
		}
		if seen[f]++; seen[f] == 1 && f != thumbOver && g.Frets[a]-(f-1) <= t.Capo {
			cost += BehindNut
		}
		if f == thumbOver {
			if a != strings6 || g.Frets[a] > t.Capo+overReach {
				return math.Inf(1)
			}
			continue
		}
		held[g.Frets[a]-t.Capo] = true
		lo, hi = min(lo, g.Frets[a]-(f-1)), max(hi, g.Frets[a]-(f-1))
		for b := 1; b <= strings6; b++ {
			e := g.Fingers[b]
			switch {
			case e == 0 || a == b:
			case e == thumbOver:
				if d := g.Frets[b] - (g.Frets[a] - (f - 1)); d < -1 || d > 1 {
					return math.Inf(1)
				}
			case e == f:
				if g.Frets[a] != g.Frets[b] {
					return math.Inf(1)
				}
				for m := min(a, b) + 1; m < max(a, b); m++ {
					if at := g.Frets[m]; at != Out && at < g.Frets[a] || at > g.Frets[a] && f != 1 || at == g.Frets[a] && g.Fingers[m] != f {
						return math.Inf(1)
					}
				}
			case f < e:
				d := t.x(g.Frets[b]) - t.x(g.Frets[a])
				if d < 0 || d == 0 && a < b || d > t.Player.SpanMM(f, e) {
					return math.Inf(1)
				}
				apart := g.Frets[b] - g.Frets[a]
				if spread = max(spread, apart); apart > e-f {
					widest = max(widest, d/t.Player.SpanMM(f, e))
				}
			}
		}
	}
	for f, n := range seen {
		if f == thumbOver {
			cost += overEffort
			continue
		}
		cost += fingerEffort + barStrain(f, n-1)
	}
	for fret := range held {
		cost += upFinger * float64(fret)
	}
	if hi >= lo {
		cost += wCramped * float64(hi-lo)
	}
	for a := 4; a <= strings6; a++ { // two at one fret, a finger above both between them
		for b := 1; b <= a-3; b++ {
			f, e := g.Fingers[a], g.Fingers[b]
			through := false
			for m := b + 1; m < a; m++ {
				h := g.Fingers[m]
				through = through || h != thumbOver && h > f && h > e && g.Frets[m] > g.Frets[a]
			}
			if through && f != 0 && e != 0 && f != e && f != thumbOver && g.Frets[a] == g.Frets[b] {
				cost += wovenPer * float64(a-b-2)
			}
		}
	}
	return cost + wStretch*widest*widest + wSpread*float64(spread)
}

func randomGuitar(rng *rand.Rand) Guitar {
	p := player.Default()
	p.Lean = []string{player.LeanMixed, player.LeanNone}[rng.IntN(2)]
	p.SlideFinger, p.ThumbOver, p.ReachMM = 2+rng.IntN(3), rng.IntN(2) == 0, 80+50*rng.Float64()
	p.Silence = []string{player.Heel, player.Fingers}[rng.IntN(2)]
	p.Instrument.Frets = 6
	return Guitar{Tuning: mustTuning(tuning.Library[rng.IntN(len(tuning.Library))].Name), Capo: rng.IntN(3), Player: p}
}

func randomChord(rng *rand.Rand) chord.Chord {
	name := "CDEFGAB"[rng.IntN(7):][:1] + chord.Kinds[rng.IntN(len(chord.Kinds))].Name
	if rng.IntN(5) == 0 {
		name += "/" + "CDEFGAB"[rng.IntN(7):][:1]
	}
	return mustChord(name)
}

// TestFindExhaustive compares the search with trying every fret on every string and every finger on
// every fret: the same shapes at the same least costs, and none for the same chords.
func TestFindExhaustive(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 5))
	const tol = 1e-9
	none, found := 0, 0
	for range 60 {
		g, c := randomGuitar(rng), randomChord(rng)
		got := g.Find(c, math.MaxInt)
		s := slow{g, c, g.Player.Instrument.Frets}
		want := s.find(false)
		if len(want) == 0 {
			want = s.find(true)
		}
		if len(got) != len(want) {
			t.Fatalf("%s in %s, capo %d: %d grips, want %d", c.Name, g.Tuning, g.Capo, len(got), len(want))
		}
		if found += len(got); len(got) == 0 {
			none++
		}
		for i := range got {
			if cost, ok := want[got[i].Frets]; !ok || math.Abs(cost-got[i].Cost) > tol {
				t.Fatalf("%s in %s, capo %d: %+v, want cost %v", c.Name, g.Tuning, g.Capo, got[i], cost)
			}
			if held, err := g.Hold(c, got[i].Frets); err != nil || math.Abs(held.Cost-got[i].Cost) > tol {
				t.Fatalf("%s: held by its frets %v costs %v (%v)", c.Name, got[i].Frets, held.Cost, err)
			}
			if i > 0 && got[i].Cost < got[i-1].Cost {
				t.Fatalf("%s: not by cost", c.Name)
			}
		}
		if best := g.Find(c, 5); !slices.Equal(best, got[:min(5, len(got))]) {
			t.Fatalf("%s: the five best are %+v, want %+v", c.Name, best, got[:min(5, len(got))])
		}
	}
	if none == 0 || found < 500 {
		t.Errorf("%d grips, %d chords without any", found, none)
	}
}

// Every kind of chord on every root has a grip in every tuning or provably none, and what is found
// really is the chord, named truthfully, with every left-out string accounted for.
func TestEveryChord(t *testing.T) {
	tunings := tuning.Library[:30]
	if testing.Short() {
		tunings = tunings[:3]
	}
	p := player.Default()
	none := 0
	for _, tn := range tunings {
		g := Guitar{Tuning: mustTuning(tn.Name), Player: p}
		for _, k := range chord.Kinds {
			for _, root := range []string{"C", "C#", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B"} {
				c := mustChord(root + k.Name)
				found := g.Find(c, 1)
				if len(found) == 0 {
					none++
					continue
				}
				for _, q := range g.Sounding(&found[0]) {
					if !c.Has(q) {
						t.Fatalf("%s in %s sounds %v", c.Name, tn.Name, q)
					}
				}
				for s := 1; s <= strings6; s++ {
					if (found[0].Frets[s] == Out) != (found[0].By[s] != "") {
						t.Fatalf("%s in %s: string %d at %d, silenced by %q", c.Name, tn.Name, s, found[0].Frets[s], found[0].By[s])
					}
				}
				if names := chord.Names(g.Sounding(&found[0]), pitch.Usual); len(names) == 0 && len(k.Tones) < 5 {
					t.Fatalf("%s in %s is named %s", c.Name, tn.Name, g.Name(&found[0]))
				}
			}
		}
	}
	t.Logf("%d tunings: %d chords without a grip", len(tunings), none)
}

// The chain is the cheapest of all chains, and no worse than taking the best grip of each chord.
func TestChain(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 2))
	for range 40 {
		g := randomGuitar(rng)
		var cands []*Candidates
		for range 2 + rng.IntN(3) {
			c, err := g.Candidates(mustChord("CDEFGA"[rng.IntN(6):][:1]+[]string{"", "m", "7"}[rng.IntN(3)]), nil)
			if err != nil {
				continue
			}
			c.Grips = c.Grips[:min(8, len(c.Grips))]
			cands = append(cands, c)
		}
		path, total := g.Chain(cands, nil, nil)
		least := math.Inf(1)
		at := make([]int, len(cands))
		var try func(i int, cost float64)
		try = func(i int, cost float64) {
			if i == len(cands) {
				least = min(least, cost)
				return
			}
			for k := range cands[i].Grips {
				c := cost + cands[i].Grips[k].Cost
				if i > 0 {
					c += g.Move(&cands[i-1].Grips[at[i-1]], &cands[i].Grips[k])
				}
				at[i] = k
				try(i+1, c)
			}
		}
		try(0, 0)
		if len(cands) > 0 && math.Abs(least-total) > 1e-9 || len(path) != len(cands) {
			t.Fatalf("%v costs %v, the cheapest chain %v", path, total, least)
		}
	}
}

// Grips that players know, in standard tuning with all four fingers.
func TestUsualGrips(t *testing.T) {
	p := player.Default()
	p.Lean = player.LeanNone
	g := Guitar{Tuning: mustTuning("Standard"), Player: p}
	for _, tt := range []struct {
		chord string
		frets [strings6 + 1]int // string 1 first, after an unused 0
	}{
		{"C", [7]int{0, 0, 1, 0, 2, 3, Out}}, {"Am", [7]int{0, 0, 1, 2, 2, 0, Out}}, {"E", [7]int{0, 0, 0, 1, 2, 2, 0}},
		{"Em", [7]int{0, 0, 0, 0, 2, 2, 0}},
		{"G7", [7]int{0, 1, 0, 0, 0, 2, 3}}, {"A7", [7]int{0, 0, 2, 0, 2, 0, Out}}, {"F", [7]int{0, 1, 1, 2, 3, 3, 1}},
	} {
		found := g.Find(mustChord(tt.chord), Listed)
		if i := slices.IndexFunc(found, func(x Grip) bool { return x.Frets == tt.frets }); i < 0 || i > 5 {
			t.Errorf("%s: %v is number %d", tt.chord, tt.frets[1:], i)
		}
	}
	if _, err := g.Hold(mustChord("C"), [7]int{0, 1, 5, 9, 12, 1, 3}); err == nil {
		t.Error("an impossible grip is held")
	}
	bar := Grip{}
	for _, x := range g.Find(mustChord("F"), Listed) {
		if x.Frets == [7]int{0, 1, 1, 2, 3, 3, 1} {
			bar = x
		}
	}
	if b := bar.Bars(); len(b) != 1 || b[0] != (Bar{1, 1, 6, 1}) || g.Name(&bar) != "F" {
		t.Errorf("%+v %v", b, g.Name(&bar))
	}
}
