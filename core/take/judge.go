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
	Without play.Part // that was not played, and is not judged; "" if all was
	Common  float64   // cents that the whole guitar is off, of which notes are judged apart; 0 if it is in tune
	Odd     []string  // about the recording
	Hint    string    // what would let more be told; "" if nothing would
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
	OffFrom float64  // ms from which on that is worth telling
	DurSec  float64  // until the next moment
	Octave  int      // octaves above the written pitch that it sounds
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

// judge is Judge of a plan of which a part is left out; "" is none.
func (s *Signal) judge(p *plan.Plan, without play.Part) (*Take, error) {
	j := &judge{s: s, p: p, without: without, exp: expectations(p, without), m: newMeter(s.Samples)}
	places, tries, err := s.follow(j.exp)
	if err != nil {
		return nil, err
	}
	places = j.recovered(places)
	j.take = &Take{Places: places, Tries: tries, Odd: slices.Clone(s.Notes), Stops: stops(p, places)}
	j.lateFrom, j.loud = j.take.lateFrom(p), s.loudness(places)
	j.late = j.take.lateness(p, j.lateFrom)
	at := 0
	for t := range p.Moments {
		for at < len(places) && places[at].Moment < t {
			at++
		}
		clear(j.m.made)
		if at < len(places) && places[at].Moment == t {
			j.moment(t, at)
			continue
		}
		for _, st := range j.strokes(t) {
			j.take.Missing = append(j.take.Missing, Missing{Moment: t, Part: st.Part, String: st.String})
		}
	}
	j.take.common()
	j.take.Extra = s.extras(s.flux(), places)
	return j.take, nil
}

// strokes are those of a moment that are to be heard.
func (j *judge) strokes(t int) []*play.Stroke {
	return slices.DeleteFunc(j.p.Moments[t].Strokes(), func(s *play.Stroke) bool { return s.How == play.Dead || s.Part == j.without })
}

// judge is a judgement under way.
type judge struct {
	s          *Signal
	p          *plan.Plan
	without    play.Part // that is left out
	exp        []expected
	m          *meter
	late, loud []float64 // of each place
	lateFrom   []float64
	last       [tuning.Strings]sounded // what each string sounded last
	take       *Take
}

// sounded is a string as it sounded last.
type sounded struct {
	hz    float64 // 0 if it was not struck yet
	until float64 // second up to which it should sound
	quiet bool    // it was listened for since, and was silent
}

// moment measures what is heard of moment t at place i.
func (j *judge) moment(t, i int) {
	places, mo, e := j.take.Places, &j.p.Moments[t], &j.exp[t]
	from, to := places[i].AtSec, j.s.Seconds()
	if slices.ContainsFunc(j.take.Stops, func(s Stop) bool { return s.Moment == t }) {
		j.last = [tuning.Strings]sounded{} // what was played before it is not known
	}
	if i+1 < len(places) && places[i+1].AtSec > from {
		to = places[i+1].AtSec
	}
	j.take.Ringing = append(j.take.Ringing, j.rings(t, from, to)...)
	gone := j.gone(t, i, from, to)
	for _, st := range j.strokes(t) {
		if gone[st.String-1] {
			j.take.Missing = append(j.take.Missing, Missing{t, st.Part, st.String, j.m.instead(j.p, e, st, from)})
			continue
		}
		j.last[st.String-1] = sounded{hz: st.Note.Pitch().Hertz(440)}
		n := Note{Moment: t, Part: st.Part, String: st.String, AtSec: from, OnsetMs: 1000 * orZero(j.late[i]), OffFrom: j.lateFrom[i], DurSec: to - from,
			Plucked: st.Digit != "", Loud: j.loud[i]}
		n.Cents, n.Spread, n.Sure = j.m.pitch(e, st.String, from, to, n.Plucked)
		n.Sure *= places[i].Sure
		if n.Sure >= SureOf {
			if j.m.octaveUp(e, st.String, from) {
				n.Octave = 1
			}
			n.Vibrato = j.m.vibrato(e, st.String, from, to)
			if slid(mo, st.String) {
				n.Glide = j.m.glide(e, st.String, from, to, n.Cents)
			}
		}
		j.take.Notes = append(j.take.Notes, n)
	}
	for s, st := range mo.Strings {
		if st.Wanted() {
			j.last[s].until, j.last[s].quiet = to, false
		}
	}
}

// gone is which strings of moment t, at place i between two times, were not struck. Where the place lies far from its
// time it may be another's: then that is said only if none was struck.
func (j *judge) gone(t, i int, from, to float64) (out [tuning.Strings]bool) {
	_, begins := onset(j.s.flux(), from)
	all := true
	for _, st := range j.strokes(t) {
		out[st.String-1] = st.Digit != "" && st.How != play.Glide && st.How != play.Bend && j.m.absent(&j.exp[t], st.String, from, to, begins)
		all = all && out[st.String-1]
	}
	if math.Abs(orZero(j.late[i])) >= punctual && !all {
		return [tuning.Strings]bool{}
	}
	return out
}

// late reports whether a note is late, or early, by enough to be told.
func (n *Note) late() bool { return n.Plucked && math.Abs(n.OnsetMs) >= n.OffFrom }

// Of a moment between two others that the search left out: how many in a row are looked for, how far from where the
// others put it what begins is looked for, as a share of the time to the nearer of them, and how strongly it has to
// begin.
const (
	mostLeftOut  = 2
	recoverShare = 0.4
	recoverFlux  = 0.06
)

// recovered adds to places the moments that were left out and yet begin where their neighbours put them: a string that
// is struck once more while it sounds changes the sound so little that the search may go past it.
func (j *judge) recovered(places []Place) (out []Place) {
	flux := j.s.flux()
	for i := range places {
		if i > 0 {
			before, after := &places[i-1], &places[i]
			if n := after.Moment - before.Moment - 1; n > 0 && n <= mostLeftOut && after.AtSec > before.AtSec {
				for t := before.Moment + 1; t < after.Moment; t++ {
					if at, ok := j.begins(t, flux, before, after); ok {
						out = append(out, Place{t, at, recoveredSure})
					}
				}
			}
		}
		out = append(out, places[i])
	}
	return out
}

// recoveredSure is how sure a place is that only its neighbours tell.
const recoveredSure = 0.6

// begins is where a moment between two places begins, if one of its strokes is heard to.
func (j *judge) begins(t int, flux []float64, before, after *Place) (sec float64, ok bool) {
	mo := j.p.Moments
	share := (mo[t].Seconds - mo[before.Moment].Seconds) / (mo[after.Moment].Seconds - mo[before.Moment].Seconds)
	due := before.AtSec + share*(after.AtSec-before.AtSec)
	reach := recoverShare * min(due-before.AtSec, after.AtSec-due)
	best := -1
	for k := max(0, int((due-reach)*Rate/fineHop)); k <= min(len(flux)-1, int((due+reach)*Rate/fineHop)); k++ {
		if isPeak(flux, k) && flux[k] >= recoverFlux && (best < 0 || flux[k] > flux[best]) {
			best = k
		}
	}
	if best < 0 {
		return 0, false
	}
	clear(j.m.made)
	sec, _ = onset(flux, float64(best)*fineHop/Rate)
	return sec, slices.ContainsFunc(j.strokes(t), func(st *play.Stroke) bool {
		present, absent := j.m.onset(&j.exp[t], st.String, sec)
		return present >= leastPresent && present > absent
	})
}

// Of a guitar that is out of tune as a whole: how many notes tell it, on how many strings, how far off it is at least,
// and what share of the notes lies how near the middle of all.
const (
	commonNotes   = 6
	commonStrings = 2
	leastCommon   = 8.0 // cents
	commonShare   = 0.6
	commonReach   = 9.0
)

// common finds by how much the whole guitar is off, and judges the notes against that: the middle of all that are sure,
// if most lie near it on several strings.
func (tk *Take) common() {
	var cents []float64
	strings := map[int]bool{}
	for i := range tk.Notes {
		if n := &tk.Notes[i]; n.Sure >= SureOf && n.Octave == 0 {
			cents, strings[n.String] = append(cents, n.Cents), true
		}
	}
	if len(cents) < commonNotes || len(strings) < commonStrings {
		return
	}
	mid, near := middle(cents), 0
	for _, c := range cents {
		if math.Abs(c-mid) <= commonReach {
			near++
		}
	}
	if math.Abs(mid) < leastCommon || float64(near) < commonShare*float64(len(cents)) {
		return
	}
	tk.Common = mid
	for i := range tk.Notes {
		tk.Notes[i].Cents -= mid
		if v := tk.Notes[i].Vibrato; v != nil {
			v.Centre -= mid
		}
	}
}

// Stop is a moment before which the player stopped, or went back.
type Stop struct {
	Moment  int
	Seconds float64 // more than their tempo gives
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

// orZero is a value, 0 where there is none.
func orZero(x float64) float64 {
	if math.IsNaN(x) {
		return 0
	}
	return x
}

// solved solves three equations by elimination with pivots; zeros if they have no one solution.
func solved(a [3][4]float64) (out [3]float64) {
	for c := range 3 {
		top := c
		for r := c + 1; r < 3; r++ {
			if math.Abs(a[r][c]) > math.Abs(a[top][c]) {
				top = r
			}
		}
		a[c], a[top] = a[top], a[c]
		if math.Abs(a[c][c]) < 1e-12 {
			return out
		}
		for r := range 3 {
			if f := a[r][c] / a[c][c]; r != c {
				for k := range 4 {
					a[r][k] -= f * a[c][k]
				}
			}
		}
	}
	for r := range out {
		out[r] = a[r][3] / a[r][r]
	}
	return out
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
	for _, n := range []int{longFrame, riseFrame, shortFrame, quickFrame} {
		m.ffts[n], m.hanns[n] = fourier.NewFFT(n), hannOf(n)
	}
	return m
}

// pitch is how far string str is off between two times, from the partials that no other sounding string shares.
// sure is 0 where there is none. A note that was not plucked goes on from one before and is faint next to what was.
func (m *meter) pitch(e *expected, str int, from, to float64, plucked bool) (cents, spread, sure float64) {
	hz := e.hzOf(str)
	from, to = from+attack, to-beforeNext
	frame := longFrame
	if to-from < 1.2*longFrame/Rate {
		frame = shortFrame
	}
	share := drowns
	if !plucked {
		share = never
	}
	own := alone(e, str, hz, frame, share)
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
// when on it is too faint to tell next to it: partials of a plucked string fall by some 9 dB an octave. never is
// for strings that may be fainter than what they are heard next to.
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
