package take

import (
	"cmp"
	"math"
	"slices"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tuning"
)

// Place is a moment of the plan in the recording.
type Place struct {
	Moment int
	AtSec  float64
	Sure   float64 // 0 to 1
}

// expected is what a moment should sound like.
type expected struct {
	moment  int
	leftOut bool   // as all that is struck there is of a part that is left out
	tones   []tone // all strings that sound, those struck first
	struck  int    // how many of them are
	seconds float64
	jump    float64    // what it costs to come to it from elsewhere
	like    []spectrum // what that may look like, see likes
}

// fainter is the share left of a string that a guitar, a room or a microphone makes fainter than others.
const fainter = 0.35

// likes are the templates of strings: as loud as they are struck, and with the lowest or the highest of them
// fainter, which is how much guitars differ.
func likes(tones []tone) (out []spectrum) {
	out = append(out, template(tones))
	if len(tones) < 2 {
		return out
	}
	byPitch := func(a, b tone) int { return cmp.Compare(a.hz, b.hz) }
	for _, end := range []tone{slices.MinFunc(tones, byPitch), slices.MaxFunc(tones, byPitch)} {
		less := slices.Clone(tones)
		for i := range less {
			if less[i] == end {
				less[i].share *= fainter
			}
		}
		out = append(out, template(less))
	}
	return out
}

// fit is how like a frame is to what the moment should sound like, -1 to 1.
func (e *expected) fit(heard *spectrum) float64 {
	most := heard.dot(&e.like[0])
	for i := 1; i < len(e.like); i++ {
		most = math.Max(most, heard.dot(&e.like[i]))
	}
	return most
}

// Shares of strings in a template: one that was struck before rings more faintly.
const ringingShare = 0.5

// hzOf is the pitch at which a string should sound, 0 if it should not.
func (e *expected) hzOf(str int) float64 {
	for _, t := range e.tones {
		if t.str == str {
			return t.hz
		}
	}
	return 0
}

// expectations lists what the plan should sound like, moment by moment, if a part is left out; "" is none.
func expectations(p *plan.Plan, without play.Part) []expected {
	var last [tuning.Strings]float64 // pitch that each string was struck at
	out := make([]expected, len(p.Moments))
	for t := range p.Moments {
		mo := &p.Moments[t]
		e := expected{moment: t, seconds: mo.Seconds, jump: elsewhere}
		struck := map[int]bool{}
		for _, s := range mo.Strokes() {
			if s.How == play.Dead || s.Part == without {
				continue
			}
			hz := s.Note.Pitch().Hertz(440)
			last[s.String-1], struck[s.String] = hz, true
			e.tones = append(e.tones, tone{s.String, hz, 1})
		}
		e.struck = len(e.tones)
		e.leftOut = without != "" && !slices.ContainsFunc(mo.Strokes(), func(s *play.Stroke) bool { return s.Part != without })
		for i, st := range mo.Strings {
			if !struck[i+1] && last[i] > 0 && st.State == play.Rings {
				e.tones = append(e.tones, tone{i + 1, last[i], ringingShare})
			}
			if st.State == play.Silenced {
				last[i] = 0
			}
		}
		e.like = likes(e.tones)
		out[t] = e
	}
	return out
}

// Costs of the way through the plan, in logarithms of odds.
const (
	likeWeight   = 9.0   // of how like a frame is to a moment's template, -1 to 1
	elseLike     = 0.35  // what counts as like nothing of the plan: silence, talk, noodling
	begins       = 12.0  // for something beginning where the next moment does
	onward       = -8.0  // without it
	staysBegun   = -6.0  // something begins, and it is still the same moment
	skipped      = -12.0 // a moment left out, next to onward
	elsewhere    = -200.0
	unfinished   = -10.0 // the recording ends before the last moment
	leastLike    = 0.43  // mean likeness times order (share of moments right after the one before) under which it is another tune
	strayLike    = 0.2   // by which that grows with the share of frames that sound like nothing of the plan
	leastReached = 0.4   // share of frames that sound like anything of the plan
	leastUsed    = 0.4   // share of all that surely begins that is a moment of the plan
	mostUnsteady = 0.5   // of the lengths, see unsteady
	leastFound   = 0.5   // share of the moments from the first that was found to the last
)

// Follow finds where in the recording each moment of the plan begins: the most likely way (Viterbi) through
// states that are the moments and one that is none of them. A moment that was played more than once, since the
// player began again, is where it was played last; one that was left out is not there. ErrForeign if the
// recording cannot be followed.
func (s *Signal) Follow(p *plan.Plan) ([]Place, error) {
	places, _, err := s.follow(expectations(p, ""))
	return places, err
}

// follow is Follow of what is expected, with how often it was begun.
func (s *Signal) follow(all []expected) (found []Place, tries int, err error) {
	exp := slices.DeleteFunc(slices.Clone(all), func(e expected) bool { return e.leftOut })
	if len(exp) == 0 {
		return nil, 0, ErrForeign
	}
	frames, level := s.features()
	flux := s.flux()
	begun := beginnings(flux, len(frames))
	way := viterbi(exp, frames, begun, level, 0, nil)
	if ratio := tempoOf(exp, way); ratio > 0 { // once more, knowing about how fast it is played, and then about when each moment comes
		way = viterbi(exp, frames, begun, level, ratio, nil)
		last := oneWay(way)
		if len(last) == 0 {
			return nil, 0, ErrForeign
		}
		from := max(0, last[0].frame-beforeTry) // when moments are due is known of the last try alone
		way = append(way[:from:from], viterbi(exp, frames[from:], begun[from:], level[from:], ratio, dueTimes(exp, way, from))...)
	}
	if foreign(exp, frames, begun, level, way) {
		return nil, 0, ErrForeign
	}
	if found = places(exp, frames, flux, way); len(found) == 0 || float64(len(found)) < leastFound*float64(between(exp, found)) {
		return nil, 0, ErrForeign
	}
	return found, triesOf(way), nil
}

// between is how many moments are expected from the first place to the last.
func between(exp []expected, found []Place) (n int) {
	for _, e := range exp {
		if e.moment >= found[0].Moment && e.moment <= found[len(found)-1].Moment {
			n++
		}
	}
	return n
}

// Of beginning again: by how many moments at least one goes back, and how many have to follow in order, or it only
// sounded like an earlier one.
const (
	goneBack = 2
	leastTry = 4
)

// triesOf is how often a plan was begun: once, and once more for every time that it went back and on from there.
func triesOf(way []int) int {
	tries, last, since := 1, -1, leastTry // moments since it went back
	for t, at := range way {
		if at < 0 || t > 0 && way[t-1] == at {
			continue
		}
		if since++; at < last-goneBack {
			since = 1
		}
		if since == leastTry {
			tries++
		}
		last = at
	}
	return tries
}

// foreign reports whether what was heard is not the plan: it sounds too little like its moments, for too little
// of the time, they are few of all that begins, or they come in no order or no tempo.
func foreign(exp []expected, frames []spectrum, begun, level []float64, way []int) bool {
	like, sounding, inPlan, entered, strong := 0.0, 0, 0, 0, 0
	for t, at := range way {
		if at >= 0 && (t == 0 || way[t-1] != at) {
			entered++
		}
		if begun[t] >= extraFlux {
			strong++
		}
		if level[t] < quietRMS {
			continue
		}
		if sounding++; at >= 0 {
			inPlan++
			like += exp[at].fit(&frames[t])
		}
	}
	order := float64(len(ratiosOf(exp, way))) / math.Max(1, float64(entered-1))
	reached := float64(inPlan) / math.Max(1, float64(sounding))
	return inPlan == 0 || like*order < (leastLike+strayLike*(1-reached))*float64(inPlan) || reached < leastReached ||
		float64(entered) < leastUsed*float64(strong) || entered > 4 && unsteady(exp, way) > mostUnsteady
}

// apart is how close two beginnings may be, in fine hops: 40 ms; a pinch is one.
const apart = 8

// beginnings is for each frame how strong what begins in it is: the peaks of the flux, each in one frame alone,
// so that the plan goes on once for it.
func beginnings(flux []float64, frames int) []float64 {
	out := make([]float64, frames)
	const fine = hop / fineHop
	for k := range flux {
		if t := (k + fine/2) / fine; t < frames && isPeak(flux, k) {
			out[t] = max(out[t], flux[k])
		}
	}
	return out
}

// Ways into a state.
const (
	stays uint8 = iota
	fromBefore
	overOne
	fromTop  // from the state that was likeliest: the player began again, or went elsewhere
	fromNone // from before the beginning
	fromEnd  // from the last moment
)

// search is the Viterbi search under way. State n is before the beginning, n + 1 a pause, talk or noodling in
// between and at the end: it is left as dearly as one goes anywhere else.
type search struct {
	exp         []expected
	n           int
	ratio       float64 // of the recording's time to the plan's, 0 if it is not known
	due         []due   // when moments should come; nil if it is not known
	now         int     // frame
	way         []uint8 // the ways into each state, of one frame after another; nil if all are kept to go back
	score, next []float64
	since, then []int // frame at which the best way into each state entered it
	from        [][]uint8
	top         []int32 // the state with the best score before each frame
}

// viterbi returns the moment of each frame, -1 for none of the plan.
func viterbi(exp []expected, frames []spectrum, begun, level []float64, ratio float64, dues []due) []int {
	s := newSearch(exp)
	s.ratio, s.due = ratio, dues
	for t := range frames {
		s.now = t
		s.frame(&frames[t], begun[t], level[t])
	}
	return s.back()
}

// newSearch begins before the beginning.
func newSearch(exp []expected) *search {
	n := len(exp) + 2
	s := &search{exp: exp, n: len(exp), score: make([]float64, n), next: make([]float64, n), since: make([]int, n), then: make([]int, n)}
	s.score[s.n+1] = math.Inf(-1)
	for i := range s.n {
		s.score[i] = exp[i].jump
	}
	return s
}

// Of how long a moment lasts: by how much, in logarithm, players hold one longer or shorter than their tempo
// says, and what a wrong length costs at most.
const (
	lengthSpread = 0.3
	worstLength  = 15.0
)

// length is what it costs that moment i is left now for moment i+by.
func (s *search) length(i, by int) float64 {
	if s.ratio == 0 {
		return 0
	}
	want := (s.exp[i+by].seconds - s.exp[i].seconds) * s.ratio * Rate / hop
	z := math.Log((float64(s.now-s.since[i])+0.5)/(want+0.5)) / lengthSpread
	cost := -math.Min(worstLength, z*z/2)
	if s.live() {
		z /= dueNarrow
		cost += dueBonus * math.Exp(-z*z/2)
	}
	return cost
}

// beforeTry is how many frames before the last try the search begins again: 0.3 s.
const beforeTry = 15

// Of when a moment is due: how many places before it, or after it, tell so, how few are too few, how far off it
// comes in seconds and as a share of what lies between, and what it costs at most.
const (
	dueAround = 8
	leastDue  = 4
	dueSpread = 0.05
	dueShare  = 0.15
	worstDue  = 30.0
)

// punctual is what it costs that moment i begins now: it may fit those before it or those after it, since a
// player may have stopped in between.
func (s *search) punctual(i int) float64 {
	if s.due == nil {
		return 0
	}
	gap := math.Inf(1)
	if i > 0 {
		gap = s.exp[i].seconds - s.exp[i-1].seconds
	}
	if i+1 < s.n {
		gap = math.Min(gap, s.exp[i+1].seconds-s.exp[i].seconds)
	}
	off := math.Inf(1)
	for _, due := range s.due[i] {
		if !math.IsNaN(due) {
			off = math.Min(off, math.Abs(float64(s.now)-due))
		}
	}
	if math.IsInf(off, 1) {
		return 0
	}
	z := off * hop / Rate / (dueSpread + dueShare*gap*s.ratio)
	return -math.Min(worstDue, z*z/2)
}

// due is the frame at which a moment should come by the places before it, and by those after it; NaN where they are too
// few.
type due [2]float64

// dueTimes are those of all moments, counted from a frame, by lines through the places whose slope and height
// are medians (Theil 1950; Sen 1968): a place that is wrong does not move them.
func dueTimes(exp []expected, way []int, from int) []due {
	visits := oneWay(way)
	line := func(i int, beside []visit) float64 {
		if len(beside) < leastDue {
			return math.NaN()
		}
		x, y := make([]float64, len(beside)), make([]float64, len(beside))
		for k, v := range beside {
			x[k], y[k] = exp[v.moment].seconds-exp[i].seconds, float64(v.frame-from)
		}
		return atZero(x, y)
	}
	out := make([]due, len(exp))
	before, after := 0, 0 // visits of moments before i, and up to it
	for i := range exp {
		for before < len(visits) && visits[before].moment < i {
			before++
		}
		for after < len(visits) && visits[after].moment <= i {
			after++
		}
		out[i] = due{line(i, visits[max(0, before-dueAround):before]), line(i, visits[after:min(len(visits), after+dueAround)])}
	}
	return out
}

// atZero is the height at 0 of the line with the median slope; NaN if there is none.
func atZero(x, y []float64) float64 {
	var slopes []float64
	for i := range x {
		for k := range i {
			if d := x[i] - x[k]; d > 0 {
				slopes = append(slopes, (y[i]-y[k])/d)
			}
		}
	}
	if len(slopes) == 0 {
		return math.NaN()
	}
	slope := middle(slopes)
	heights := make([]float64, len(x))
	for i := range x {
		heights[i] = y[i] - slope*x[i]
	}
	return middle(heights)
}

// tempoOf is how much slower than the plan it is played: the median over all moments that follow each other, 0
// if there are too few.
func tempoOf(exp []expected, way []int) float64 {
	ratios := ratiosOf(exp, way)
	if len(ratios) < 5 {
		return 0
	}
	return middle(ratios)
}

// ratiosOf are for all moments that follow each other how much slower than the plan it goes on.
func ratiosOf(exp []expected, way []int) (ratios []float64) {
	entered := map[int]int{}
	for t := 1; t < len(way); t++ {
		if way[t] == way[t-1] || way[t] < 0 {
			continue
		}
		entered[way[t]] = t
		if from, ok := entered[way[t]-1]; ok && way[t-1] == way[t]-1 {
			if gap := exp[way[t]].seconds - exp[way[t]-1].seconds; gap > 0.05 {
				ratios = append(ratios, float64(t-from)*hop/Rate/gap)
			}
		}
	}
	return ratios
}

// unsteady is the median of how far, in logarithm, lengths lie from what the tempo says.
func unsteady(exp []expected, way []int) float64 {
	ratios := ratiosOf(exp, way)
	if len(ratios) == 0 {
		return math.Inf(1)
	}
	mid := middle(ratios)
	for i, r := range ratios {
		ratios[i] = math.Abs(math.Log(r / mid))
	}
	return middle(ratios)
}

// middle is the median; x is sorted by it.
func middle(x []float64) float64 {
	slices.Sort(x)
	return x[len(x)/2]
}

// frame takes one frame: how each state is come to best, and how well it fits.
func (s *search) frame(heard *spectrum, begun, level float64) {
	top := 0
	for i := range s.score {
		if s.score[i] > s.score[top] {
			top = i
		}
	}
	way := s.way
	if way == nil {
		way = make([]uint8, s.n+2)
	}
	move, stay := onward+begins*begun, staysBegun*begun
	for i := range s.n {
		best := s.score[i] + stay + s.overdue(i)
		s.then[i] = s.since[i]
		punctual := s.punctual(i)
		try := func(v float64, how uint8) {
			if v += punctual; v > best {
				best, way[i], s.then[i] = v, how, s.now
			}
		}
		into := move // from before the beginning to it; anywhere else is as dear as any jump
		if i > 0 {
			try(s.score[i-1]+move+s.length(i-1, 1), fromBefore)
			into += s.exp[i].jump
		}
		if i > 1 {
			try(s.score[i-2]+move+skipped+s.length(i-2, 2), overOne)
		}
		try(s.score[s.n]+into, fromNone)
		try(s.score[top]+s.exp[i].jump+begins*begun, fromTop)
		s.next[i] = best + likeWeight*s.exp[i].fit(heard)
	}
	none := elseLike
	if level < quietRMS {
		none = 1
	}
	s.next[s.n] = s.score[s.n] + likeWeight*none
	pause := s.score[s.n+1]
	if v := s.score[top] + onward + skipped + unfinished; v > pause && top != s.n {
		pause, way[s.n+1] = v, fromTop
	}
	if v := s.score[s.n-1] + onward; v > pause {
		pause, way[s.n+1] = v, fromEnd
	}
	s.next[s.n+1] = pause + likeWeight*none
	s.score, s.next, s.since, s.then = s.next, s.score, s.then, s.since
	if s.way == nil {
		s.from, s.top = append(s.from, way), append(s.top, int32(top))
	}
}

// back walks from the best end to the beginning.
func (s *search) back() []int {
	at, best := 0, math.Inf(-1)
	for i, v := range s.score {
		if i < s.n-1 {
			v += unfinished
		}
		if v > best {
			at, best = i, v
		}
	}
	way := make([]int, len(s.from))
	for t := len(s.from) - 1; t >= 0; t-- {
		if way[t] = at; at >= s.n {
			way[t] = -1
		}
		switch s.from[t][at] {
		case fromBefore:
			at--
		case overOne:
			at -= 2
		case fromTop:
			at = int(s.top[t])
		case fromNone:
			at = s.n
		case fromEnd:
			at = s.n - 1
		}
	}
	return way
}
