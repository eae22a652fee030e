package take

import (
	"math"
	"slices"
)

// Of the beat of notes: how many a minute it has, the likeliest, and by how many octaves players differ from that; how
// far notes lie next to it, as a share of it; and how much a beat may differ from the one before.
const (
	slowestBeat = 45.0
	fastestBeat = 190.0
	usualBeat   = 96.0
	beatSpread  = 0.9
	besideBeat  = 0.06
	beatSteps   = 240
	beatMoves   = 0.18
)

// Beats are the seconds of the beats under notes, from one at or before the first note to one after the last: of a tempo
// that is found, or given in beats a minute, following the player where they are faster or slower (dynamic programming, as
// Ellis 2007). Nil if there are too few notes.
func Beats(notes []Heard, bpm float64) []float64 {
	if len(notes) < 3 {
		return nil
	}
	if bpm <= 0 {
		bpm = beatOf(notes)
	}
	return beatsAt(notes, 60/bpm)
}

// beatOf is the tempo whose beats, halves, thirds and quarters the notes lie on best.
func beatOf(notes []Heard) float64 {
	best, most := usualBeat, math.Inf(-1)
	for k := range beatSteps + 1 {
		bpm := slowestBeat * math.Pow(fastestBeat/slowestBeat, float64(k)/beatSteps)
		octaves := math.Log2(bpm/usualBeat) / beatSpread
		if v := fitOf(notes, 60/bpm) - 0.18*octaves*octaves; v > most {
			best, most = bpm, v
		}
	}
	return best
}

// fitOf is how well the times from each note to the next ones are so many beats, halves or thirds of a period: times
// over several notes tell it best.
func fitOf(notes []Heard, period float64) float64 {
	sum, weigh := 0.0, 0.0
	for i := range notes {
		for k := i + 1; k < min(i+6, len(notes)); k++ {
			gap := (notes[k].At - notes[i].At) / period
			if gap > 8 {
				break
			}
			best := 0.0
			for _, part := range []struct{ of, worth float64 }{{1, 1}, {2, 0.75}, {3, 0.5}, {4, 0.4}} {
				x := gap * part.of
				z := math.Abs(x-math.Round(x)) / part.of / besideBeat / math.Sqrt(1+gap/4)
				if math.Round(x) >= 1 {
					best = math.Max(best, part.worth*math.Exp(-z*z/2))
				}
			}
			sum, weigh = sum+best, weigh+1
		}
	}
	return sum / math.Max(1, weigh)
}

// beatsAt places beats about a period apart so that most notes begin on them, long and loud ones above all.
func beatsAt(notes []Heard, period float64) []float64 {
	const step = 0.01
	from, to := notes[0].At-period/2, notes[len(notes)-1].At+period
	n := int((to-from)/step) + 1
	worth := make([]float64, n)
	for _, note := range notes {
		mid := int(math.Round((note.At - from) / step))
		for k := max(0, mid-8); k <= min(n-1, mid+8); k++ {
			z := float64(k-mid) / 2.5
			worth[k] += math.Exp(-z*z/2) * (0.6 + math.Min(1, note.Dur/period))
		}
	}
	score, back := make([]float64, n), make([]int, n)
	lo, hi := int(period*(1-beatMoves)/step), int(period*(1+beatMoves)/step)
	for k := range n {
		score[k], back[k] = worth[k], -1
		best := math.Inf(-1)
		for d := max(1, lo); d <= hi; d++ {
			if k-d < 0 {
				break
			}
			z := math.Log(float64(d) * step / period)
			if v := score[k-d] - 60*z*z; v > best {
				best, back[k] = v, k-d
			}
		}
		if back[k] >= 0 {
			score[k] += best
		}
		if back[k] >= 0 && best < 0 { // it begins here
			score[k], back[k] = worth[k], -1
		}
	}
	last := n - 1
	for k := max(0, n-1-hi); k < n; k++ {
		if score[k] > score[last] {
			last = k
		}
	}
	var out []float64
	for k := last; k >= 0; k = back[k] {
		out = append(out, from+float64(k)*step)
	}
	slices.Reverse(out)
	for out[0] > notes[0].At+period/8 {
		out = append([]float64{out[0] - period}, out...)
	}
	for out[len(out)-1] <= notes[len(notes)-1].At+notes[len(notes)-1].Dur {
		out = append(out, out[len(out)-1]+period)
	}
	return out
}

// InBeats is a time in beats from the first, between two beats as far as it lies there.
func InBeats(beats []float64, sec float64) float64 {
	i, _ := slices.BinarySearch(beats, sec)
	i = min(max(i, 1), len(beats)-1)
	return float64(i-1) + (sec-beats[i-1])/(beats[i]-beats[i-1])
}
