package take

import (
	"math"
	"slices"
)

// onsetSearch is how far from where the way says it an onset is looked for, in seconds.
const onsetSearch = 0.08

// visit is a moment entered at a frame.
type visit struct{ moment, frame int }

// oneWay leaves of all visits those of one way through the plan: the most that follow each other in the plan as
// in time, with the fewest breaks; of equal ones the latest. So a player who begins again is judged by their last
// try, if they come as far in it, and what sounds like the beginning once more after the end is none.
func oneWay(way []int) (out []visit) {
	var all []visit
	for t, at := range way {
		if at >= 0 && (t == 0 || way[t-1] != at) {
			all = append(all, visit{at, t})
		}
	}
	const unbroken = 0.001 // for a visit that comes right after the one before
	score, from := make([]float64, len(all)), make([]int, len(all))
	best := -1
	for i := range all {
		score[i], from[i] = 1, -1
		for k := range i {
			v := score[k] + 1
			if k == i-1 && all[k].moment < all[i].moment {
				v += unbroken
			}
			if all[k].moment < all[i].moment && v >= score[i] {
				score[i], from[i] = v, k
			}
		}
		if best < 0 || score[i] >= score[best] {
			best = i
		}
	}
	for i := best; i >= 0; i = from[i] {
		out = append(out, all[i])
	}
	slices.Reverse(out)
	return out
}

// places finds the exact beginning of each moment.
func places(exp []expected, frames []spectrum, flux []float64, way []int) (out []Place) {
	for _, v := range oneWay(way) {
		sec, peak := onset(flux, float64(v.frame*hop)/Rate)
		like, n := 0.0, 0
		for k := v.frame; k < len(way) && way[k] == v.moment && n < 25; k++ {
			like += exp[v.moment].fit(&frames[k])
			n++
		}
		out = append(out, Place{exp[v.moment].moment, sec, math.Max(0, math.Min(1, (like/float64(n)+0.5*peak)/0.9))})
	}
	return out
}

// onset is the strongest beginning near a time, and how strong it is.
func onset(flux []float64, near float64) (sec, peak float64) {
	mid := int(near * Rate / fineHop)
	reach := int(onsetSearch * Rate / fineHop)
	at := mid
	for k := max(1, mid-reach); k <= min(len(flux)-2, mid+reach); k++ {
		if flux[k] > flux[at] || at >= len(flux)-1 {
			at = k
		}
	}
	at = max(1, min(at, len(flux)-2))
	exact := float64(at)
	if l, m, r := flux[at-1], flux[at], flux[at+1]; m > l && m >= r && l+r-2*m < 0 {
		exact += 0.5 * (l - r) / (l + r - 2*m)
	}
	return exact * fineHop / Rate, flux[at]
}
