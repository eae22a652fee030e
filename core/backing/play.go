package backing

import (
	"fmt"
	"math"
	"slices"

	"stepping/core/digits"
	"stepping/core/grip"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/ring"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// play turns the chosen grips into moments, gives the fingers' strings to digits, and finds the pace.
func (s *solver) play(b *Backing) {
	b.Spans = s.spans
	var at []stepAt
	for i := range s.spans {
		for j := range s.steps[i] {
			at = append(at, stepAt{i, j, s.fill(i, j, &s.spans[i].Grip)})
		}
	}
	plucking, cost := s.digits(at)
	if b.Total = b.Held + cost; cost > 0 {
		b.Gap = cost / b.Total
	}
	ring := ringing{}
	for n := range at {
		s.moment(b, &at[n], plucking[n], &ring)
	}
	s.pace(b, at)
}

// stepAt is a step of the whole backing.
type stepAt struct {
	span, step int
	filled
}

// digitMasks is how many sets of i, m, a there are, bit n for digit n.
const digitMasks = 16

// digitCell is the cheapest way to a set of digits: its cost, and the set before.
type digitCell struct {
	cost float64
	prev uint8
}

// digits gives every finger note a digit so that repeats, alternation and reach cost least over the
// whole piece: by string order, a digit for a string. Values are by the beat's roles.
func (s *solver) digits(at []stepAt) (out [][]play.Digit, cost float64) {
	table := make([][digitMasks]digitCell, len(at)+1)
	for m := 1; m < digitMasks; m++ {
		table[0][m].cost = math.Inf(1)
	}
	last := s.sincePlucked(at)
	for n := range at {
		s.nextDigits(&at[n], last[n], &table[n], &table[n+1])
	}
	best := 0
	for m := range digitMasks {
		if table[len(at)][m].cost < table[len(at)][best].cost {
			best = m
		}
	}
	out = make([][]play.Digit, len(at))
	for n, m := len(at), best; n > 0; n-- {
		if len(plucked(&at[n-1])) > 0 {
			out[n-1] = digitsFor(&at[n-1], m)
		} else {
			out[n-1] = make([]play.Digit, len(at[n-1].fingers))
		}
		m = int(table[n][m].prev)
	}
	return out, table[len(at)][best].cost
}

// sincePlucked is how many seconds before each step fingers played.
func (s *solver) sincePlucked(at []stepAt) []float64 {
	last := make([]float64, len(at))
	since := math.Inf(1)
	for n := range at {
		last[n] = since
		next := math.Inf(1)
		if n+1 < len(at) {
			next = s.seconds(at, n+1) - s.seconds(at, n)
		}
		if len(plucked(&at[n])) > 0 {
			since = next
		} else {
			since += next
		}
	}
	return last
}

// nextDigits fills the cells after step f, since seconds after fingers played.
func (s *solver) nextDigits(f *stepAt, since float64, before, after *[digitMasks]digitCell) {
	for m := range digitMasks {
		after[m].cost = math.Inf(1)
	}
	strs := plucked(f)
	for from := range digitMasks {
		c := before[from].cost
		if math.IsInf(c, 1) {
			continue
		}
		for mask := range digitMasks {
			place, ok := s.place(strs, mask, f.hit)
			if !ok {
				continue
			}
			to, v := mask, c+place
			if len(strs) == 0 {
				to = from
			} else {
				v += digits.AgainCost(s.r.Player.RestrikeTime(), uint8(from), uint8(mask), since)
			}
			if v < after[to].cost {
				after[to] = digitCell{v, uint8(from)}
			}
		}
	}
}

func (s *solver) seconds(at []stepAt, n int) float64 {
	return s.clock.Seconds(s.steps[at[n].span][at[n].step].at)
}

// plucked lists the strings that fingers pluck, thick to thin.
func plucked(f *stepAt) []int {
	var out []int
	for _, str := range f.fingers {
		if str != 0 {
			out = append(out, str)
		}
	}
	slices.Sort(out)
	slices.Reverse(out)
	return slices.Compact(out)
}

// place is what it costs that the digits of mask (bit 1 i, 2 m, 3 a) take strs in order; ok is false
// if they do not match.
func (s *solver) place(strs []int, mask int, hit string) (cost float64, ok bool) {
	n := 0
	for d := 1; d <= 3; d++ {
		if mask>>d&1 == 0 {
			continue
		}
		if d > s.r.Player.Fingers || n == len(strs) || hit == pattern.Slap && d == 3 {
			return 0, false
		}
		cost += digits.PlaceCost(s.r.Player.Fingers, d, strs[n])
		n++
	}
	return cost, n == len(strs) && mask&1 == 0
}

func digitsFor(f *stepAt, mask int) []play.Digit {
	strs := plucked(f)
	out := make([]play.Digit, len(f.fingers))
	n := 0
	for d := 1; d <= 3; d++ {
		if mask>>d&1 == 0 {
			continue
		}
		for i, str := range f.fingers {
			if str == strs[n] {
				out[i] = play.Digits[d]
			}
		}
		n++
	}
	return out
}

// ringing is when each string was struck last, and how it sounds.
type ringing [tuning.Strings + 1]struct {
	on    bool
	fret  int
	since float64
}

// moment adds the moment of one step.
func (s *solver) moment(b *Backing, f *stepAt, plucking []play.Digit, ring *ringing) {
	st, sp := &s.steps[f.span][f.step], &s.spans[f.span]
	bar, since := s.r.Tune.Position(st.at)
	mo := play.Moment{
		At: st.at, Seconds: s.clock.Seconds(st.at), Bar: bar + 1, Printed: s.r.Tune.BarPrinted(bar), Chord: sp.Chord, Mute: st.beat.Mute, Hit: f.hit,
		Beat: 1 + float64(since)/float64(s.r.Tune.MeterOver(st.at).Unit()), Accent: st.beat.Accent, Hand: handOf(&sp.Grip),
	}
	if f.hit != st.beat.Hit {
		mo.HitLost = st.beat.Hit
		b.Lost = append(b.Lost, Lost{st.at, play.Percussion, "no finger is on a string that it could release"})
	}
	dead := f.hit == pattern.Release
	struck := map[int]bool{}
	strike := func(part play.Part, str, fret, finger int, digit play.Digit) *play.Stroke {
		struck[str] = true
		ring[str].on, ring[str].fret, ring[str].since = !dead, fret, mo.Seconds
		out := &play.Stroke{Part: part, String: str, Fret: float64(fret), From: float64(fret), How: play.Open, Digit: digit,
			Finger: grip.FingerName(finger),
			Note:   s.spell(s.t.Pitch(str, fret)), Dur: s.r.Tune.MeterOver(st.at).Unit()}
		if fret > s.r.Capo {
			out.How = play.Fret
		}
		if dead {
			out.How = play.Dead
		}
		return out
	}
	switch n := &f.thumb; {
	case n.str != 0:
		mo.Stroke = st.role.String()
		mo.Thumb = strike(play.Thumb, n.str, n.fret, n.finger, play.P)
		mo.Early = st.over.Name != sp.Chord.Name && st.role == pattern.Root
	case n.lost:
		mo.Stroke, mo.Dropped = st.role.String(), true
		b.Lost = append(b.Lost, Lost{st.at, play.Thumb, s.noBass(st, sp)})
		sp.NoBass = true
	}
	for i, str := range f.fingers {
		if str == 0 {
			b.Lost = append(b.Lost, Lost{st.at, play.Finger,
				fmt.Sprintf("no string is left for the %s finger above the thumb's", st.beat.Fingers[i])})
			continue
		}
		mo.Picked = append(mo.Picked, strike(play.Finger, str, sp.Grip.Frets[str], sp.Grip.Fingers[str], plucking[i]))
	}
	for str := 1; str <= tuning.Strings; str++ {
		mo.Strings[str-1] = s.state(f, str, struck[str], ring, mo.Seconds)
	}
	if st.beat.Mute == "thump" || st.beat.Mute == "stab" {
		ring[f.thumb.str].on = false
	}
	b.Moments = append(b.Moments, mo)
}

func (s *solver) noBass(st *step, sp *Span) string {
	return fmt.Sprintf("with this %s grip the %s would clash on every bass string", sp.Chord.Name, st.role)
}

func handOf(g *grip.Grip) (h play.LeftHand) {
	for str := tuning.Strings; str >= 1; str-- {
		if f := g.Fingers[str]; f != 0 {
			h.Fingers = append(h.Fingers, play.FingerAt{Finger: grip.FingerName(f), String: str, Fret: g.Frets[str]})
		}
	}
	return h
}

// state is what string str does at a step.
func (s *solver) state(f *stepAt, str int, struck bool, ring *ringing, now float64) play.StringState {
	g := &s.spans[f.span].Grip
	silenced := func(by play.Damper) play.StringState {
		ring[str].on = false
		return play.StringState{State: play.Silenced, By: by}
	}
	switch {
	case struck:
		return play.StringState{State: play.Struck, Note: s.spell(s.t.Pitch(str, ring[str].fret)).String()}
	case f.hit == pattern.Slap && str >= 5:
		return silenced(pattern.Slap)
	case f.hit == pattern.Tap && str <= 3:
		return silenced(pattern.Tap)
	case g.Frets[str] == grip.Out && g.By[str] != grip.NotStruck &&
		!(mayRing(g.By[str]) && ring[str].on && ring[str].fret == s.r.Capo && f.usesOpen(str)):
		return silenced(g.By[str])
	case !ring[str].on:
		return play.StringState{State: play.Harmless}
	case g.Frets[str] == ring[str].fret:
		return play.StringState{State: play.Rings, Note: s.spell(s.t.Pitch(str, ring[str].fret)).String()}
	case g.Frets[str] != grip.Out && g.Fingers[str] != 0:
		return silenced(play.DampedBy(grip.FingerName(g.Fingers[str])))
	case ring[str].fret > s.r.Capo:
		ring[str].on = false // its finger has let go
		return play.StringState{State: play.Harmless}
	}
	return s.leak(str, ring, now)
}

// usesOpen: the thumb plays the string open though the grip leaves it out.
func (f *stepAt) usesOpen(str int) bool { return f.thumb.str == str }

// leak is an open string that rings on under a chord that leaves it out.
func (s *solver) leak(str int, sounding *ringing, now float64) play.StringState {
	p := s.t.Pitch(str, sounding[str].fret)
	strength := ring.Strength(p, now-sounding[str].since)
	if strength == 0 {
		sounding[str].on = false
		return play.StringState{State: play.Harmless}
	}
	return play.StringState{State: play.Leaks, Note: s.spell(p).String(), DB: ring.Decibels(strength)}
}

// placeTime is the least time in seconds in which fingers leave one grip and come down on another that
// lies under them.
const placeTime = 0.2

// pace finds what each change needs, what there is, and what letting go early buys.
func (s *solver) pace(b *Backing, at []stepAt) {
	worst := 0.0
	for i := 1; i < len(b.Spans); i++ {
		a, c := &b.Spans[i-1], &b.Spans[i]
		need := s.need(&a.Grip, &c.Grip)
		if need == 0 {
			continue
		}
		there, open := s.there(at, i, false)
		ch := Change{What: fmt.Sprintf("the hand changes from %s to %s", a.Chord.Name, c.Chord.Name), Need: need,
			There: there, BPM: s.bpm(need / there)}
		if early, _ := s.there(at, i, true); open != 0 && early > there+1e-9 {
			ch.Early = &Early{String: open, There: early, BPM: s.bpm(need / early)}
		}
		c.Change = ch
		if share := need / there; share > worst {
			worst = share
			b.Ceiling = play.Ceiling{BPM: ch.BPM, At: c.At, Why: ch.What}
		}
		for m := range b.Moments {
			if mo := &b.Moments[m]; mo.At >= c.At && mo.At < c.End {
				mo.Share = need / there
				break
			}
		}
	}
	s.digitPace(b, worst)
}

// digitPace counts every stroke of every digit: none strikes again sooner than it can.
func (s *solver) digitPace(b *Backing, worst float64) {
	last := map[play.Digit]float64{}
	for m := range b.Moments {
		mo := &b.Moments[m]
		for _, st := range mo.Strokes() {
			if at, ok := last[st.Digit]; ok {
				need, there := s.r.Player.RestrikeTime(), mo.Seconds-at
				mo.Share = max(mo.Share, need/there)
				if need/there > worst {
					worst = need / there
					b.Ceiling = play.Ceiling{BPM: s.bpm(worst), At: mo.At,
						Why: string(st.Digit) + " strikes twice in a row"}
				}
			}
			last[st.Digit] = mo.Seconds
		}
	}
	if tune.Believable(b.Ceiling.BPM) == 0 {
		b.Ceiling = play.Ceiling{}
	}
}

func (s *solver) bpm(share float64) float64 {
	tempo := s.r.Tempo
	if tempo == 0 {
		tempo = s.r.Tune.Tempos[0].BPM
	}
	return math.Floor(tempo / share)
}

// need is the least time in seconds from one grip to the next: what the furthest finger or the hand takes; 0 if nothing moves.
func (s *solver) need(a, c *grip.Grip) float64 {
	mm, moved := 0.0, false
	for f := 1; f <= 5; f++ {
		from, to := fingerOn(a, f), fingerOn(c, f)
		if to == 0 || from == to && a.Frets[from] == c.Frets[to] {
			continue
		}
		moved = true
		if from != 0 {
			mm = max(mm, math.Hypot(s.t.Apart(a.Frets[from], c.Frets[to]), 9*float64(from-to)))
		}
	}
	if !moved {
		return 0
	}
	mm = max(mm, s.t.Way(a, c))
	return max(placeTime, s.r.Player.MoveTime(mm, fretWidth))
}

// fretWidth is the target in mm for a fingertip in a change: about half a fret in the middle of the
// neck.
const fretWidth = 12.0

func fingerOn(g *grip.Grip, f int) int {
	for str := tuning.Strings; str >= 1; str-- {
		if g.Fingers[str] == f {
			return str
		}
	}
	return 0
}

// there is the time for the change into span i: from the last stroke before it that needs a fretting
// finger to the first in it that does. With early the last stroke before is taken to be open; open is
// the string that could be, 0 if none.
func (s *solver) there(at []stepAt, i int, early bool) (seconds float64, open int) {
	from, to := math.Inf(-1), math.Inf(1)
	lastIn := -1
	for n := range at {
		if at[n].span == i-1 {
			lastIn = n
		}
	}
	for n := range at {
		now := s.seconds(at, n)
		switch {
		case at[n].span == i-1 && s.needsHand(&at[n]) && !(early && n == lastIn):
			from = now
		case at[n].span == i && s.needsHand(&at[n]) && now < to:
			to = now
		}
	}
	if lastIn >= 0 && s.needsHand(&at[lastIn]) && len(plucked(&at[lastIn])) == 0 {
		sp := &s.spans[i-1]
		st := s.steps[i-1][at[lastIn].step]
		if n := s.bass(&st, &sp.Grip, true); n.str != 0 {
			open = n.str
		}
	}
	start, end := s.clock.Seconds(s.spans[i-1].At), s.clock.Seconds(s.spans[i].End)
	return min(to, end) - max(from, start), open
}

// needsHand: some string of the step is fretted.
func (s *solver) needsHand(f *stepAt) bool {
	if f.thumb.finger != 0 {
		return true
	}
	for _, str := range f.fingers {
		if str != 0 && s.spans[f.span].Grip.Fingers[str] != 0 {
			return true
		}
	}
	return false
}

// SpanAt returns where a moment is in its span, for people.
func (b *Backing) SpanAt(at tune.Time) int {
	i := 0
	for i+1 < len(b.Spans) && b.Spans[i+1].At <= at {
		i++
	}
	return i
}
