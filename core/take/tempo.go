package take

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"stepping/core/plan"
)

// Of the player's tempo: how many places to either side tell it at a place, by what factor the quickest tenth and the
// slowest differ at least to be told, and to make single places late or early only from twice as far on; by what share
// bars at the ends of phrases are slower, and by what share the last third is quicker or slower than the first; and how
// many bars tell it.
const (
	tempoAround = 2
	unevenTempo = 1.13
	freeTempo   = 1.22
	phraseSlow  = 0.06
	trendShare  = 0.05
	phraseBars  = 4
	leastBars   = 4
)

// BarTempo is how fast a bar was played.
type BarTempo struct {
	Bar int     // from 1, as the tune is played out
	BPM float64 // quarter notes a minute at the start of the tune, as fast as the bar
}

// tempoAt is how much slower than the plan it is played at each place: the median slope of those around it; 0 where they
// are too few.
func tempoAt(p *plan.Plan, places []Place) []float64 {
	out := make([]float64, len(places))
	for i := range places {
		var slopes []float64
		for k := max(0, i-tempoAround); k <= min(len(places)-1, i+tempoAround); k++ {
			for l := max(0, i-tempoAround); l < k; l++ {
				if planned := p.Moments[places[k].Moment].Seconds - p.Moments[places[l].Moment].Seconds; planned > 0 {
					slopes = append(slopes, (places[k].AtSec-places[l].AtSec)/planned)
				}
			}
		}
		if len(slopes) >= tempoAround {
			out[i] = middle(slopes)
		}
	}
	return out
}

// evenness is by what factor the tempo differs between the quickest tenth of the places and the slowest.
func evenness(ratios []float64) float64 {
	r := slices.DeleteFunc(slices.Clone(ratios), func(v float64) bool { return v == 0 })
	if len(r) < leastBars {
		return 1
	}
	slices.Sort(r)
	return r[len(r)*9/10] / r[len(r)/10]
}

// uneven is by what factor the tempo differs, from place to place or from bar to bar.
func (tk *Take) uneven(p *plan.Plan) float64 {
	var bars []float64
	for _, b := range tk.tempos(p) {
		bars = append(bars, b.BPM)
	}
	return max(evenness(tempoAt(p, tk.Places)), evenness(bars))
}

// tempos is how fast each bar was played, from its first place to the next bar's; bars before which the player stopped
// are left out.
func (tk *Take) tempos(p *plan.Plan) (out []BarTempo) {
	first := -1
	for i := range tk.Places {
		bar := p.Moments[tk.Places[i].Moment].Bar
		if first < 0 {
			first = i
			continue
		}
		was := p.Moments[tk.Places[first].Moment].Bar
		if bar == was {
			continue
		}
		planned := p.Moments[tk.Places[i].Moment].Seconds - p.Moments[tk.Places[first].Moment].Seconds
		took := tk.Places[i].AtSec - tk.Places[first].AtSec
		stopped := slices.ContainsFunc(tk.Stops, func(s Stop) bool { return s.Moment > tk.Places[first].Moment && s.Moment <= tk.Places[i].Moment })
		if bar == was+1 && planned > 0 && took > 0 && !stopped {
			out = append(out, BarTempo{was, p.Tempo() * planned / took})
		}
		first = i
	}
	return out
}

// tempoVerdict is what to say of a tempo that is not even: whether it slows at the ends of phrases, gains or loses all
// along, or wanders.
func (tk *Take) tempoVerdict(p *plan.Plan) (v Verdict, ok bool) {
	bars := tk.tempos(p)
	if len(bars) < leastBars || tk.uneven(p) < unevenTempo {
		return v, false
	}
	var ends, rest, all []float64
	var names []string
	slow, quick := 0, 0
	for i, b := range bars {
		all = append(all, b.BPM)
		if b.Bar%phraseBars == 0 {
			ends, names = append(ends, b.BPM), append(names, fmt.Sprint(b.Bar))
		} else {
			rest = append(rest, b.BPM)
		}
		if b.BPM < bars[slow].BPM {
			slow = i
		}
		if b.BPM > bars[quick].BPM {
			quick = i
		}
	}
	v = Verdict{Kind: "tempo", weight: 1.5, Moment: tk.Places[0].Moment}
	third := max(1, len(all)/3)
	start, end := middle(slices.Clone(all[:third])), middle(slices.Clone(all[len(all)-third:]))
	switch {
	case len(ends) > 0 && len(rest) > 0 && slices.Max(ends) < middle(rest)*(1-phraseSlow):
		v.Text = fmt.Sprintf("You slow down by %.0f%% at the ends of phrases (bar %s)", 100*(1-middle(ends)/middle(rest)), strings.Join(names, ", "))
		v.Try = "fine if you mean it; if not, tap your foot through the last bar of each phrase"
	case math.Abs(end/start-1) > trendShare && monotone(all):
		v.Text = fmt.Sprintf("You get %s, from %.0f bpm at the start to %.0f bpm at the end", either(end > start, "faster", "slower"), start, end)
		v.Try = "play it once with the click, then once without"
	default:
		v.Text = fmt.Sprintf("Your tempo moves between %.0f bpm in bar %d and %.0f bpm in bar %d", bars[slow].BPM, bars[slow].Bar, bars[quick].BPM, bars[quick].Bar)
		v.Try = "fine if you mean it; if not, play it once with the click"
	}
	return v, true
}

// monotone reports whether the middle third lies between the first and the last.
func monotone(x []float64) bool {
	third := len(x) / 3
	if third == 0 {
		return false
	}
	a, b, c := middle(slices.Clone(x[:third])), middle(slices.Clone(x[third:len(x)-third])), middle(slices.Clone(x[len(x)-third:]))
	return (a-b)*(b-c) >= 0
}
