package take

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
)

// Of how loud a moment is struck: what is listened to after its onset, in seconds.
const (
	loudFrom = 0.01
	loudTo   = 0.09
)

// loudness is how loud each place is struck, in dB against the middle of all.
func (s *Signal) loudness(places []Place) []float64 {
	out := make([]float64, len(places))
	for i, pl := range places {
		a, b := int((pl.AtSec+loudFrom)*Rate), min(int((pl.AtSec+loudTo)*Rate), len(s.Samples))
		sum := 1e-9
		for k := a; k < b; k++ {
			v := float64(s.Samples[k])
			sum += v * v / float64(b-a)
		}
		out[i] = 10 * math.Log10(sum)
	}
	if len(out) > 0 {
		mid := middle(slices.Clone(out))
		for i := range out {
			out[i] -= mid
		}
	}
	return out
}

// Of accents: how many with and without are needed to compare, and by how many dB they have to be softer to be
// told: one string is by itself a little louder than another.
const (
	leastAccents = 3
	accentDB     = 1.5
)

// accents compares accented moments with plain ones of the same kind: a pinch is louder than the thumb alone.
// ok is false where the plan has too few to tell.
func (tk *Take) accents(p *plan.Plan) (by float64, first int, ok bool) {
	type kind struct{ melody, thumb bool }
	loud, plain := map[kind][]float64{}, map[kind][]float64{}
	first = -1
	last := -1
	for i := range tk.Notes {
		n := &tk.Notes[i]
		mo := &p.Moments[n.Moment]
		if n.Moment == last || !n.Plucked {
			continue
		}
		last = n.Moment
		k := kind{mo.Melody != nil, mo.Thumb != nil}
		if !accented(p, mo) {
			plain[k] = append(plain[k], n.Loud)
			continue
		}
		if loud[k] = append(loud[k], n.Loud); first < 0 {
			first = n.Moment
		}
	}
	weight := 0.0
	for k, l := range loud {
		if q := plain[k]; len(l) >= leastAccents && len(q) >= leastAccents {
			w := float64(len(l))
			by, weight = by+w*(middle(l)-middle(q)), weight+w
		}
	}
	return by / math.Max(1, weight), first, weight > 0
}

func accented(p *plan.Plan, mo *play.Moment) bool {
	return mo.Accent && mo.Thumb != nil || mo.Melody != nil && mo.Melody.Index < len(p.Request.Tune.Notes) &&
		p.Request.Tune.Notes[mo.Melody.Index].Marks&tune.Accent != 0
}

// accentVerdict is what to say of accents that are none.
func (tk *Take) accentVerdict(p *plan.Plan) (v Verdict, ok bool) {
	by, first, ok := tk.accents(p)
	if !ok || by > -accentDB {
		return v, false
	}
	return Verdict{Moment: first, Kind: "accent", weight: 1,
		Text: fmt.Sprintf("The accents are %.0f dB softer than the rest, starting at bar %s", -by, p.Moments[first].Printed),
		Try:  "play the thumb alone, the accents as loud as you can, then add the rest softly"}, true
}

// worstFirst sorts verdicts.
func worstFirst(v []Verdict) {
	slices.SortStableFunc(v, func(a, b Verdict) int { return cmp.Compare(b.weight, a.weight) })
}
