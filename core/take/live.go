package take

import (
	"math"
	"slices"

	"stepping/core/plan"
)

// Position is where a player is in a plan, as far as has been heard.
type Position struct {
	Moment int     // of the plan; -1 before the beginning
	At     float64 // seconds since listening began at which it was struck
	Sure   float64 // 0 to 1
	Ratio  float64 // of their time to the plan's: 2 is half as fast; 0 if it is not known
	Lost   bool    // for some time nothing sounded like the plan
	Level  float64 // of what is heard, of full scale: the loudest since the last position
}

// Live follows a player while they play: the same search as Follow, but with what has been heard so far alone, in memory
// that does not grow. A position holds until another is surer, and one goes back or leaps only when some moments have
// followed from there, so that a page does not jump to and fro.
type Live struct {
	search   *search
	exp      []expected
	in, few  *resampler
	high     clearing
	recent   []float64 // the last fineWindow samples at Rate, then those of a hop
	slow     []float64 // the last liveWindow samples at Rate / slower
	growth   *growth
	looker   *looker
	fluxes   []float64 // raw, of the last second
	tops     []top     // of beginnings, of the last seconds
	middle   float64   // of fluxes
	fine     int       // fine hops heard
	rising   [2]float64
	begun    float64 // of the present hop
	lastPeak int     // fine hop
	position Position
	entered  []visit // the last moments and the frames they began in
	leap     leap
	heardAt  int // frame in which something last sounded like the plan
}

type top struct {
	at    int
	value float64
}

// leap is a position elsewhere that has been likeliest for a while.
type leap struct {
	moment, since, count int
}

// Of listening live: samples of a spectrum at Rate / slower, fine hops for which beginnings are remembered, the least
// that counts for a strong one, what it costs to go elsewhere, and to the beginning of a bar; how many moments lead on
// from there, or for how many frames it is likeliest, before it is taken for true; how many moments tell the tempo; and
// after how many frames nobody knows any more.
const (
	liveWindow   = 512
	topsFor      = 8 * Rate / fineHop
	leastTop     = 6.0
	liveJump     = -110.0
	liveJumpBar  = -70.0
	leapMoments  = 3
	leapFrames   = 75
	liveTempo    = 8
	lostFrames   = 150
	mostDistance = 2 // moments that one goes on at once without a leap
)

// NewLive listens from a moment on, at rate samples a second; 0 is the beginning. ratio is of the player's time to the
// plan's, 0 if it is not known.
func NewLive(p *plan.Plan, rate, from int, ratio float64) *Live {
	exp := expectations(p, "")
	bar := 0
	for i := range exp {
		if exp[i].jump = liveJump; p.Moments[i].Bar != bar {
			bar, exp[i].jump = p.Moments[i].Bar, liveJumpBar
		}
	}
	l := &Live{exp: exp, search: newSearch(exp), in: newResampler(float64(rate), Rate), few: newResampler(Rate, Rate/slower), growth: newGrowth(),
		looker: newLooker(liveWindow), slow: make([]float64, liveWindow), recent: make([]float64, fineWindow), position: Position{Moment: -1, Ratio: ratio}}
	l.search.way, l.search.ratio = make([]uint8, len(exp)+2), ratio
	if from = min(from, len(exp)-1); from > 0 { // a broken connection goes on where it was
		for i := range l.search.score {
			l.search.score[i] = liveJump
		}
		l.search.score[from], l.position.Moment = 0, from
	}
	return l
}

// Hear takes the next samples, and says where the player is.
func (l *Live) Hear(samples []float64) Position {
	l.position.Level = 0
	for _, v := range samples {
		l.position.Level = math.Max(l.position.Level, math.Abs(v))
		for _, x := range l.in.put(v) {
			l.sample(l.high.next(x))
		}
	}
	return l.position
}

func (l *Live) sample(v float64) {
	for _, x := range l.few.put(v) {
		copy(l.slow, l.slow[1:])
		l.slow[liveWindow-1] = x
	}
	if l.recent = append(l.recent, v); len(l.recent) < fineWindow+fineHop {
		return
	}
	l.recent = append(l.recent[:0], l.recent[fineHop:]...)
	copy(l.growth.frame, l.recent)
	l.beginning(l.growth.look())
	if l.fine++; l.fine%(hop/fineHop) == 0 {
		l.frame()
	}
}

// beginning takes the next flux. What was just before it is a beginning if it was greater than those on either side:
// that is known one fine hop later.
func (l *Live) beginning(flux float64) {
	if l.fluxes = append(l.fluxes, flux); len(l.fluxes) > 2*around {
		l.fluxes = append(l.fluxes[:0], l.fluxes[len(l.fluxes)-2*around:]...)
	}
	if l.fine%20 == 0 {
		l.middle = middle(slices.Clone(l.fluxes))
	}
	before, here := l.rising[0], l.rising[1]
	l.rising = [2]float64{here, math.Max(0, flux-l.middle)}
	if here <= before || here < l.rising[1] {
		return
	}
	l.tops = append(l.tops, top{l.fine, here})
	for l.fine-l.tops[0].at > topsFor {
		l.tops = l.tops[1:]
	}
	strength := math.Min(1, here/l.strong())
	if l.fine-l.lastPeak < apart { // one stroke begins once
		if strength <= l.begun {
			return
		}
	}
	l.begun, l.lastPeak = math.Max(l.begun, strength), l.fine
}

// strong is how great a flux is of what surely begins.
func (l *Live) strong() float64 {
	values := make([]float64, len(l.tops))
	for i := range l.tops {
		values[i] = l.tops[i].value
	}
	slices.Sort(values)
	n := 1 + int(strongest*float64(min(l.fine, topsFor))*fineHop/Rate)
	return math.Max(leastTop, values[max(0, len(values)-n)])
}

// frame takes the search on by one frame.
func (l *Live) frame() {
	copy(l.looker.frame, l.slow)
	heard, level := l.looker.look()
	s := l.search
	s.now++
	s.frame(&heard, l.begun, level)
	l.begun = 0
	best, top := 0, math.Inf(-1)
	for i, v := range s.score {
		if v > top {
			best, top = i, v
		}
	}
	for i := range s.score { // only their differences tell
		s.score[i] -= top
	}
	if best >= s.n {
		if l.position.Lost = s.now-l.heardAt > lostFrames; best == s.n && l.position.Moment >= 0 {
			l.position.Lost = true
		}
		return
	}
	l.heardAt, l.position.Lost = s.now, false
	l.moved(best, math.Max(0, math.Min(1, s.exp[best].fit(&heard)/0.9)))
}

// moved shows a moment that is likeliest now, if it leads on from the one that is shown, or has been elsewhere for long
// enough.
func (l *Live) moved(best int, sure float64) {
	was := l.position.Moment
	switch {
	case best == was:
		l.leap = leap{moment: -1}
		l.position.Sure = sure
		return
	case best > was && best <= was+mostDistance:
		l.leap = leap{moment: -1}
	case l.leap.count > 0 && best >= l.leap.moment && best <= l.leap.moment+mostDistance:
		if best != l.leap.moment {
			l.leap.moment, l.leap.count = best, l.leap.count+1
		}
		if l.leap.count < leapMoments && l.search.now-l.leap.since < leapFrames {
			return
		}
		l.leap = leap{moment: -1}
	default:
		l.leap = leap{best, l.search.now, 1}
		return
	}
	at := l.search.since[best]
	l.position.Moment, l.position.At, l.position.Sure = best, float64(at)*hop/Rate, sure
	if n := len(l.entered); n > 0 && best <= l.entered[n-1].moment {
		l.entered = l.entered[:0]
	}
	if l.entered = append(l.entered, visit{best, at}); len(l.entered) > liveTempo {
		l.entered = l.entered[1:]
	}
	l.tempo()
}

// tempo tells the tempo by the last moments.
func (l *Live) tempo() {
	var slopes []float64
	for i, a := range l.entered {
		for _, b := range l.entered[:i] {
			if d := l.exp[a.moment].seconds - l.exp[b.moment].seconds; d > 0 && a.frame > b.frame {
				slopes = append(slopes, float64(a.frame-b.frame)*hop/Rate/d)
			}
		}
	}
	if len(l.entered) >= leastDue {
		l.position.Ratio = middle(slopes)
		l.search.ratio = l.position.Ratio
	}
}

// Of following live, where what comes later cannot tell that a moment was left: how much sooner one goes on where it is
// due, how much narrower that is than lengthSpread, and what it costs a frame to stay when it is overdue, and from what
// share more of its time on it is.
const (
	dueBonus  = 5.0
	dueNarrow = 0.5
	overdue   = -0.4
	overdueBy = 1.2
)

// live reports whether nobody goes back over what was heard.
func (s *search) live() bool { return s.way != nil }

// overdue is what it costs to stay in moment i for one more frame.
func (s *search) overdue(i int) float64 {
	if !s.live() || s.ratio == 0 || i+1 >= s.n {
		return 0
	}
	if want := (s.exp[i+1].seconds - s.exp[i].seconds) * s.ratio * Rate / hop; float64(s.now-s.since[i]) > overdueBy*want+2 {
		return overdue
	}
	return 0
}
