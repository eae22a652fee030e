package take

import (
	"math"
	"math/cmplx"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tuning"
)

// Take is what was heard of a plan.
type Take struct {
	Places  []Place
	Tries   int // how often it was begun; the last counts
	Stops   []Stop
	Notes   []Note
	Ringing []Ringing
	Missing []Missing
	Extra   []Extra
	Odd     []string // about the recording
}

// Note is one note of the plan as it was played.
type Note struct {
	Moment  int
	Part    play.Part
	String  int
	AtSec   float64
	Cents   float64  // median off the written pitch over the steady part
	Spread  float64  // cents between the quarters of what was heard
	OnsetMs float64  // late against the player's own tempo, early if negative
	DurSec  float64  // until the next moment
	Sure    float64  // 0 to 1: of the pitch
	Plucked bool     // by the picking hand: its beginning can be heard
	Loud    float64  // dB of all that is struck at the moment against the middle of the take
	Vibrato *Vibrato // nil if there is none, or it cannot be told
	Glide   *Glide   // of a note with the slide; nil if there is none, or it cannot be told
}

// Of the measurement of a note's pitch.
const (
	attack     = 0.09 // seconds after the onset that are not steady yet
	beforeNext = 0.02 // seconds before the next that are left out
	steps      = 0.04 // seconds between two measurements
	longFrame  = 4096 // samples of a measurement, of one of a short note, and of one that follows a vibrato
	shortFrame = 1536
	quickFrame = 1024
	reachCents = 90.0  // how far off a pitch is looked for
	linesApart = 1.6   // lines of the transform that a partial must lie away from those of other strings
	faint      = 0.003 // of a full-scale sine, under which a partial is not there
)

// Judge follows a recording through a plan and measures what was played. ErrForeign.
func (s *Signal) Judge(p *plan.Plan) (*Take, error) {
	places, tries, err := s.follow(p)
	if err != nil {
		return nil, err
	}
	tk := &Take{Places: places, Tries: tries, Odd: s.Notes}
	exp := expectations(p)
	tk.Stops = stops(p, places)
	late, loud := lateness(p, places, tk.Stops), s.loudness(places)
	here := map[int]int{}
	for i := range places {
		here[places[i].Moment] = i
	}
	m := newMeter(s.Samples)
	var last [tuning.Strings]float64 // pitch that each string was struck at before
	for t := range p.Moments {
		i, ok := here[t]
		clear(m.made)
		from, to := 0.0, s.Seconds()
		if ok {
			from = places[i].AtSec
			if i+1 < len(places) && places[i+1].AtSec > from {
				to = places[i+1].AtSec
			}
			tk.Ringing = append(tk.Ringing, m.rings(p, t, &exp[t], &last, from, to)...)
		}
		for _, st := range p.Moments[t].Strokes() {
			if st.How == play.Dead {
				continue
			}
			if !ok {
				tk.Missing = append(tk.Missing, Missing{Moment: t, Part: st.Part, String: st.String})
				continue
			}
			if st.Digit != "" && st.How != play.Glide && st.How != play.Bend && math.Abs(late[i]) < punctual &&
				m.absent(&exp[t], st.String, from, to) {
				tk.Missing = append(tk.Missing, Missing{t, st.Part, st.String, m.instead(p, &exp[t], st, from)})
				continue
			}
			last[st.String-1] = st.Note.Pitch().Hertz(440)
			n := Note{Moment: t, Part: st.Part, String: st.String, AtSec: from, OnsetMs: 1000 * orZero(late[i]), DurSec: to - from,
				Plucked: st.Digit != "", Loud: loud[i]}
			n.Cents, n.Spread, n.Sure = m.pitch(&exp[t], st.String, from, to)
			n.Sure *= places[i].Sure
			if n.Sure >= SureOf {
				n.Vibrato = m.vibrato(&exp[t], st.String, from, to)
				if slid(&p.Moments[t], st.String) {
					n.Glide = m.glide(&exp[t], st.String, from, to, n.Cents)
				}
			}
			tk.Notes = append(tk.Notes, n)
		}
	}
	tk.Extra = s.extras(s.flux(), places)
	return tk, nil
}

// curve is how many places to either side tell the player's own tempo, leastCurve how many in all.
const (
	curve      = 6
	leastCurve = 6
)

// Stop is a moment before which the player stopped, or went back.
type Stop struct {
	Moment  int
	Seconds float64 // more than his tempo gives
}

// Of a stop: how much longer than the tempo says it takes to the next place, in seconds and as a share, before it is one.
const (
	leastStop = 0.5
	stopShare = 0.75
)

// stops are where the time between two places is not that of the player's tempo.
func stops(p *plan.Plan, places []Place) (out []Stop) {
	var ratios []float64
	gap := func(i int) (planned, took float64) {
		a, b := &places[i-1], &places[i]
		return p.Moments[b.Moment].Seconds - p.Moments[a.Moment].Seconds, b.AtSec - a.AtSec
	}
	for i := 1; i < len(places); i++ {
		if planned, took := gap(i); planned > 0 && places[i].Moment == places[i-1].Moment+1 {
			ratios = append(ratios, took/planned)
		}
	}
	if len(ratios) == 0 {
		return nil
	}
	ratio := middle(ratios)
	for i := 1; i < len(places); i++ {
		planned, took := gap(i)
		if more := took - planned*ratio; math.Abs(more) > math.Max(leastStop, stopShare*planned*ratio) {
			out = append(out, Stop{places[i].Moment, more})
		}
	}
	return out
}

// lateness is by how many seconds each place comes after where the player's own tempo puts it: a parabola
// through the places around it, without it, of the recording's time over the plan's, so that a tempo that rises
// or falls is no fault. Near the ends and near stops, where the tempo is told from one side, it is not told:
// NaN.
func lateness(p *plan.Plan, places []Place, stops []Stop) []float64 {
	run := make([]int, len(places)) // places between the same stops
	for i := 1; i < len(places); i++ {
		run[i] = run[i-1]
		if slices.ContainsFunc(stops, func(s Stop) bool { return s.Moment == places[i].Moment }) {
			run[i]++
		}
	}
	out := make([]float64, len(places))
	for i := range places {
		var a [3][4]float64 // normal equations of y = c0 + c1·x + c2·x²
		n, ahead := 0, 0
		for k := max(0, i-curve); k <= min(len(places)-1, i+curve); k++ {
			if k == i || run[k] != run[i] {
				continue
			}
			x, y := p.Moments[places[k].Moment].Seconds-p.Moments[places[i].Moment].Seconds, places[k].AtSec-places[i].AtSec
			powers := [3]float64{1, x, x * x}
			for r := range a {
				for c := range powers {
					a[r][c] += powers[r] * powers[c]
				}
				a[r][3] += powers[r] * y
			}
			if n++; k > i {
				ahead++
			}
		}
		out[i] = math.NaN()
		if n >= leastCurve && ahead >= 2 && n-ahead >= 2 {
			out[i] = -constant(a)
		}
	}
	return out
}

// orZero is a value, 0 where there is none.
func orZero(x float64) float64 {
	if math.IsNaN(x) {
		return 0
	}
	return x
}

// constant solves three equations for the first unknown by elimination with pivots; 0 if they have no one solution.
func constant(a [3][4]float64) float64 {
	for c := range 3 {
		top := c
		for r := c + 1; r < 3; r++ {
			if math.Abs(a[r][c]) > math.Abs(a[top][c]) {
				top = r
			}
		}
		a[c], a[top] = a[top], a[c]
		if math.Abs(a[c][c]) < 1e-12 {
			return 0
		}
		for r := range 3 {
			if f := a[r][c] / a[c][c]; r != c {
				for k := range 4 {
					a[r][k] -= f * a[c][k]
				}
			}
		}
	}
	return a[0][3] / a[0][0]
}

// meter measures pitches.
type meter struct {
	samples []float32
	ffts    map[int]*fourier.FFT
	hanns   map[int][]float64
	frame   [longFrame]float64
	made    map[[2]int][]complex128 // transforms of the present moment, by place and length: its strings share them
}

func newMeter(samples []float32) *meter {
	m := &meter{samples: samples, ffts: map[int]*fourier.FFT{}, made: map[[2]int][]complex128{}, hanns: map[int][]float64{}}
	for _, n := range []int{longFrame, shortFrame, quickFrame} {
		m.ffts[n], m.hanns[n] = fourier.NewFFT(n), hannOf(n)
	}
	return m
}

// pitch is how far string str is off between two times, from the partials that no other sounding string shares.
// sure is 0 where there is none.
func (m *meter) pitch(e *expected, str int, from, to float64) (cents, spread, sure float64) {
	hz := e.hzOf(str)
	from, to = from+attack, to-beforeNext
	frame := longFrame
	if to-from < 1.2*longFrame/Rate {
		frame = shortFrame
	}
	own := alone(e, str, hz, frame, drowns)
	if len(own) == 0 {
		return 0, 0, 0
	}
	var all []float64
	for at := int(from * Rate); at+frame <= int(to*Rate) || len(all) == 0 && at <= int(from*Rate); at += int(steps * Rate) {
		if at+frame+hopApart >= len(m.samples) {
			break
		}
		if c, ok := m.once(at, frame, hz, own); ok {
			all = append(all, c)
		}
	}
	if len(all) == 0 {
		return 0, 0, 0
	}
	slices.Sort(all)
	cents = all[len(all)/2]
	spread = all[len(all)*3/4] - all[len(all)/4]
	sure = math.Min(1, 0.4+0.1*float64(len(all))) * math.Max(0.2, 1-spread/60)
	return cents, spread, sure
}

// partial is one of a string's that lies away from those of the others, and how far around it it is looked for,
// in Hz: not as far as where another's might be taken for it.
type partial struct {
	k     int
	reach float64
}

// drowns is by what factor another string's partial is higher than a string's own at the same frequency from
// when on it is too faint to tell beside it: partials of a plucked string fall by some 9 dB an octave. never is
// for strings that may be fainter than what they are heard beside.
const (
	drowns = 4.0
	never  = 1e9
)

// alone lists the partials of a string that lie away from those of all other sounding strings, or drown them.
func alone(e *expected, str int, hz float64, frame int, drowns float64) (own []partial) {
	line := float64(Rate) / float64(frame)
	for k := 1; k <= partials; k++ {
		f := hz * float64(k)
		if f > 0.4*Rate {
			break
		}
		reach := f * (math.Exp2(reachCents/1200) - 1)
		for _, t := range e.tones {
			if n := math.Max(1, math.Round(f/t.hz)); t.str != str && n < drowns*float64(k) {
				reach = math.Min(reach, math.Abs(f-n*t.hz)-linesApart*line)
			}
		}
		if reach >= line {
			own = append(own, partial{k, reach})
		}
	}
	return own
}

// hopApart is how far the two frames lie apart whose phases tell a frequency.
const hopApart = 96

// once measures a pitch in one frame: each partial's frequency by how far its phase turns between two frames a
// little apart, weighed by its strength.
func (m *meter) once(at, frame int, hz float64, own []partial) (cents float64, ok bool) {
	return m.apart(at, frame, hopApart, hz, own)
}

// apart is once with frames so many samples apart.
func (m *meter) apart(at, frame, hop int, hz float64, own []partial) (cents float64, ok bool) {
	a, b := m.transform(at, frame), m.transform(at+hop, frame)
	line := float64(Rate) / float64(frame)
	sum, weigh := 0.0, 0.0
	for _, o := range own {
		k := o.k
		lo := int((hz*float64(k) - o.reach) / line)
		hi := int(math.Ceil((hz*float64(k) + o.reach) / line))
		best := lo
		for i := lo; i <= min(hi, len(a)-1); i++ {
			if cmplx.Abs(a[i]) > cmplx.Abs(a[best]) {
				best = i
			}
		}
		strength := cmplx.Abs(a[best]) * 4 / float64(frame)
		if best == 0 || strength < faint {
			continue
		}
		turned := cmplx.Phase(b[best]) - cmplx.Phase(a[best]) - 2*math.Pi*float64(best*hop)/float64(frame)
		turned -= 2 * math.Pi * math.Round(turned/(2*math.Pi))
		f := (float64(best) + turned*float64(frame)/(2*math.Pi*float64(hop))) * line
		c := 1200 * math.Log2(f/(hz*float64(k)))
		if math.Abs(f-hz*float64(k)) > o.reach {
			continue
		}
		w := strength * float64(k) // a higher partial tells more of the pitch
		sum, weigh = sum+w*c, weigh+w
	}
	if weigh == 0 {
		return 0, false
	}
	return sum / weigh, true
}

func (m *meter) transform(at, frame int) []complex128 {
	if t := m.made[[2]int{at, frame}]; t != nil {
		return t
	}
	x := m.frame[:frame]
	for i, w := range m.hanns[frame] {
		x[i] = w * float64(m.samples[at+i])
	}
	t := m.ffts[frame].Coefficients(nil, x)
	m.made[[2]int{at, frame}] = t
	return t
}
