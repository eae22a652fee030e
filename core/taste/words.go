package taste

import (
	"math"
	"slices"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
)

// leaning is a direction in which a choice differs from the planner's; each has its opposite next to it.
type leaning int

const (
	slideMore leaning = iota
	slideLess
	openMore
	openLess
	lower
	higher
	thinner
	thicker
	thumbRests
	thumbPlays
	thumbMoves
	leanings
)

var leaningWords = [leanings]string{
	"You slide more than the planner", "You slide less than the planner",
	"You take more open strings", "You take fewer open strings",
	"You stay lower on the neck", "You go further up the neck",
	"You play on thinner strings", "You play on thicker strings",
	"You leave thumb strokes out", "You play thumb strokes that the planner leaves out",
	"You move the thumb to other strings",
}

// opposite is the other of the pair; moving the thumb has none.
func (l leaning) opposite() (leaning, bool) { return l ^ 1, l < thumbMoves }

// against says what p, the planner's own plan, does where pin asks for something else, and how the
// choice leans. What a pin leaves open does not lean.
func against(p *plan.Plan, pin *play.Pin, t int) (words string, leans []leaning) {
	mo := &p.Moments[t]
	got := pin.Target(mo)
	switch {
	case got == nil:
		return "left out", []leaning{thumbPlays}
	case pin.How == play.Drop:
		return strokeWords(got, p.Request.Capo), []leaning{thumbRests}
	case pin.Part == play.Thumb:
		return strokeWords(got, p.Request.Capo), []leaning{thumbMoves}
	}
	lean := func(more, less leaning, wanted, planned bool) {
		if wanted && !planned {
			leans = append(leans, more)
		} else if planned && !wanted {
			leans = append(leans, less)
		}
	}
	if pin.How != "" {
		lean(slideMore, slideLess, pin.How.Slid(), got.How.Slid())
		lean(openMore, openLess, pin.How == play.Open, got.How == play.Open)
	}
	if pin.String != 0 {
		lean(thinner, thicker, pin.String < got.String, pin.String > got.String)
		if pin.How != play.Open && pin.How != "" && got.How != play.Open {
			lean(higher, lower, pin.Fret > got.Fret, pin.Fret < got.Fret)
		}
	}
	return strokeWords(got, p.Request.Capo), leans
}

// tendencies are the leanings of the choices that are not put down to chance, the most frequent first.
func tendencies(choices []Choice) (out []Tendency) {
	var count [leanings]int
	of := 0
	for i := range choices {
		if choices[i].Planner != "" {
			of++
		}
		for _, l := range choices[i].leans {
			count[l]++
		}
	}
	for l := range leanings {
		other := 0
		if o, ok := l.opposite(); ok {
			other = count[o]
		} else {
			other = of - count[l]
		}
		if count[l] > other && signTest(count[l], other) <= chance {
			out = append(out, Tendency{leaningWords[l], count[l], of})
		}
	}
	slices.SortStableFunc(out, func(a, b Tendency) int { return b.For - a.For })
	return out
}

// signTest is the probability that of a+b choices at least a point one way by chance, each way being as
// likely: the one-sided sign test.
func signTest(a, b int) float64 {
	n, sum := a+b, 0.0
	for k := a; k <= n; k++ {
		up, _ := math.Lgamma(float64(n + 1))
		in, _ := math.Lgamma(float64(k + 1))
		out, _ := math.Lgamma(float64(n - k + 1))
		sum += math.Exp(up - in - out - float64(n)*math.Ln2)
	}
	return sum
}

// lessons are the weights that a taste may move, and what each charges for.
var lessons = []struct{ weight, words string }{
	{"Lean", "a fretted note where you mostly slide"},
	{"LeanPeaks", "a slide note that is not a peak"},
	{"MixedFret", "fretting a long note or one under the chord's bar"},
	{"MixedSlide", "sliding a short note away from the chord's bar"},
	{"LongFretted", "a long note without the slide"},
	{"OpenSustained", "an open string for a long note"},
	{"NeckPer", "each fret up the neck for a finger"},
	{"SlideFret", "each fret up the neck for the slide"},
	{"SlideString", "the slide on thicker strings"},
	{"OffBar", "the slide away from the chord's bar"},
	{"ToolChange", "changing between slide and fingers within a phrase"},
	{"PeakPlain", "the peak of a phrase played without a glide"},
	{"Hammer", "a hammered note"},
	{"Pull", "a note pulled off"},
	{"StringStep", "changing strings in the melody"},
	{"Stretch", "spreading the fingers"},
	{"Shift", "quick moves of the hand"},
	{"BassNeck", "a stopped bass note up the neck"},
	{"Pattern", "the thumb away from its pattern's best place"},
	{"Dropped", "a thumb stroke left out"},
}

// Words says what a weight of a taste charges for; "" for another weight.
func Words(weight string) string {
	for _, l := range lessons {
		if l.weight == weight {
			return l.words
		}
	}
	return ""
}

// ofSlide are the weights that count only with a slide, and for one lean alone, if it is named.
var ofSlide = map[string]string{
	"Lean": player.LeanSlide, "LeanPeaks": player.LeanFret, "MixedFret": player.LeanMixed, "MixedSlide": player.LeanMixed,
	"LongFretted": "", "OpenSustained": "", "SlideFret": "", "SlideString": "", "OffBar": "", "ToolChange": "", "PeakPlain": "",
}

// fitted lists the weights that can matter to any of the sources.
func fitted(sources []Source) (names []string) {
	for _, l := range lessons {
		lean, slide := ofSlide[l.weight]
		if slices.ContainsFunc(sources, func(s Source) bool {
			own := s.Request.Player.Lean
			return !slide || own != player.LeanNone && (lean == "" || lean == own)
		}) {
			names = append(names, l.weight)
		}
	}
	return names
}
