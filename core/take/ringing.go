package take

import (
	"cmp"
	"math"
	"math/cmplx"
	"slices"

	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
)

// Ringing is a string that sounded where the plan wants it silent.
type Ringing struct {
	Moment int
	AtSec  float64
	String int
	DB     float64 // against the loudest string that should sound
	Sure   float64 // under 0.5 where it shares so many partials with what sounds that it may be something else
	Damped bool    // the plan has a damper for it there
}

// Of strings that ring on.
const (
	ringsFrom   = 0.12  // seconds after the onset: dampers have fallen by then
	whileMoving = 0.3   // seconds more where a string is moved into its pitch: on its way it sounds like others
	persists    = 0.03  // seconds over which a string has to be heard, or it may still be dying under its damper
	dying       = 50.0  // dB a second that only a damped string falls
	ringsDB     = -27.0 // under which a string is not heard next to the note
	sympathyDB  = -18.0 // the same of a string that nothing has struck: it rings along faintly
	overFloor   = 10.0  // dB that a partial stands over what lies around it
	valley      = 4.0   // dB that it stands over the valleys next to it
	heardOf     = 5     // partials by which a string is heard: higher ones are faint
	uneven      = 20.0  // dB that its lowest partial may lie under its strongest, or it is a higher string that is heard
	standsOut   = 8.0   // dB that a shared partial stands over its neighbours
	unsure      = 0.45
	leastAlone  = 2    // partials that a string has to itself, by which it is told that it is silent
	sureOfOne   = 0.15 // what each partial adds that no other string can have
)

// suspect is a string that may be ringing where it should not, at a pitch.
type suspect struct {
	str    int
	hz     float64
	struck bool      // before, at that pitch; else it is open
	own    []partial // partials that nothing that should sound has, and that are heard
	alone  int       // how many it has to itself
	raised bool      // they are not its own: strings that should sound have them too, but not as strong
	db     float64   // of the strongest of them against the loudest note
}

// rings finds what sounds at moment t between two times next to what should. Each string that should be silent is
// suspected at the pitch that it was struck at before, and open; of those whose partials are there those struck before
// are taken first, the lowest of them first, and what one explains counts no more for the others.
func (j *judge) rings(t int, from, to float64) (out []Ringing) {
	mo, e, m := &j.p.Moments[t], &j.exp[t], j.m
	begin := from + ringsFrom
	if slices.ContainsFunc(mo.Strokes(), func(s *play.Stroke) bool { return s.How == play.Glide || s.How == play.Bend }) {
		begin += whileMoving
	}
	at, frame := int(begin*Rate), shortFrame
	if begin+float64(longFrame)/Rate+persists < to {
		frame = longFrame
	}
	if float64(at+frame)/Rate > to || at+frame > len(m.samples) || e.struck == 0 {
		return nil
	}
	later := max(at, min(int(to*Rate), len(m.samples))-frame)
	lines := m.transform(at, frame)
	sounding := slices.Clone(e.tones)
	for i, st := range mo.Strings { // what the plan leaves ringing has partials that are no other string's fault
		if st.State == play.Leaks {
			sounding = append(sounding, tone{i + 1, cmp.Or(j.last[i].hz, openHz(j.p, i+1)), 1})
		}
	}
	suspects := j.suspects(mo)
	var there []suspect
	for i := range suspects {
		s := &suspects[i]
		if s.struck && j.last[s.str-1].quiet {
			continue
		}
		if s.heard(lines, sounding, frame) {
			there = append(there, *s)
		}
	}
	defer func() { // what could be heard, and was not, does not begin to ring until it is struck
		for _, s := range suspects {
			if s.struck && s.alone >= leastAlone && !slices.ContainsFunc(out, func(r Ringing) bool { return r.String == s.str && r.Sure > unsure }) {
				j.last[s.str-1].quiet = true
			}
		}
	}()
	slices.SortStableFunc(there, func(a, b suspect) int {
		if a.struck != b.struck {
			return either(a.struck, -1, 1)
		}
		return cmp.Compare(a.hz, b.hz)
	})
	for i := range there {
		s := there[i]
		if slices.ContainsFunc(out, func(r Ringing) bool { return r.String == s.str }) || !s.heard(lines, sounding, frame) {
			continue
		}
		sure, span := s.sure(there, frame), float64(later-at)/Rate
		switch {
		case span < persists || s.struck && !j.ringsOn(&s, at, frame):
			sure = math.Min(sure, unsure)
		case s.falls(lines, m.transform(later, frame), frame) > dying*span:
			continue // its damper is slow, and does its work
		}
		out = append(out, Ringing{Moment: t, AtSec: from, String: s.str, DB: s.db, Sure: sure, Damped: mo.Strings[s.str-1].State == play.Silenced})
		sounding = append(sounding, tone{s.str, s.hz, 1})
	}
	return out
}

// Of a string that was not silenced: it falls by so many dB at most from when it should sound to a frame later, and so
// many a second, never more than so many; a string that rings along with what was silenced is fainter than that.
const (
	ringsLess   = 5.0
	ringsASec   = 15.0
	ringsAtMost = 12.0
)

// ringsOn reports whether what is heard of a string in a frame is what it sounded before it should be silent, not a
// string that rings along at the same partials.
func (j *judge) ringsOn(s *suspect, at, frame int) bool {
	before := int(j.last[s.str-1].until*Rate) - frame - riseGap
	if before < 0 || before >= at {
		return false
	}
	fell := s.falls(j.m.transform(before, frame), j.m.transform(at, frame), frame)
	return fell < math.Min(ringsAtMost, ringsLess+ringsASec*float64(at-before)/Rate)
}

// suspects lists the strings that should be silent, those struck before first; not those that the plan leaves ringing: the player who
// plays it has done nothing wrong.
func (j *judge) suspects(mo *play.Moment) (out []suspect) {
	var open []suspect
	for i, st := range mo.Strings {
		if st.Wanted() || st.State == play.Leaks || st.State == "" {
			continue
		}
		if j.last[i].hz > 0 {
			out = append(out, suspect{str: i + 1, hz: j.last[i].hz, struck: true})
		}
		if hz := openHz(j.p, i+1); hz != j.last[i].hz {
			open = append(open, suspect{str: i + 1, hz: hz})
		}
	}
	return append(out, open...)
}

// heard reports whether a string is heard next to others, and fills in by what: its lowest partial that they
// have not must be there and about as strong as any, and most of the others.
func (s *suspect) heard(lines []complex128, sounding []tone, frame int) bool {
	loudest := 0.0
	for _, tn := range sounding {
		loudest = math.Max(loudest, strength(lines, tn.hz, frame))
	}
	all := alone(&expected{tones: append(slices.Clone(sounding), tone{s.str, s.hz, 1})}, s.str, s.hz, frame, never)
	all = slices.DeleteFunc(all, func(o partial) bool { return o.k > heardOf })
	s.alone = len(all)
	s.own, s.raised = slices.DeleteFunc(slices.Clone(all), func(o partial) bool { return !stands(lines, s.hz*float64(o.k), frame) }), false
	if len(all) == 0 && s.struck {
		s.own, s.raised = s.raises(lines, sounding, frame), true
		all = s.own
	}
	if len(s.own) == 0 || s.own[0].k != all[0].k || 2*len(s.own) < len(all) {
		return false
	}
	most := 0.0
	for _, o := range s.own {
		most = math.Max(most, peak(lines, s.hz*float64(o.k), frame))
	}
	s.db = decibels(most / math.Max(1e-9, loudest))
	least := ringsDB
	if !s.struck {
		least = sympathyDB
	}
	return s.db >= least && decibels(peak(lines, s.hz*float64(s.own[0].k), frame)/most) > -uneven
}

// falls is by how many dB the partials by which a string is heard fall from one frame to another.
func (s *suspect) falls(lines, later []complex128, frame int) float64 {
	was, is := 0.0, 0.0
	for _, o := range s.own {
		was, is = was+peak(lines, s.hz*float64(o.k), frame), is+peak(later, s.hz*float64(o.k), frame)
	}
	return decibels(was / math.Max(1e-9, is))
}

// raises are the two lowest partials of a string that has none of its own, if they stand out of those of the
// strings that should sound: a plucked string's partials are about as strong as their neighbours.
func (s *suspect) raises(lines []complex128, sounding []tone, frame int) []partial {
	var out []partial
	for k := 1; k <= 2; k++ {
		f := s.hz * float64(k)
		here := peak(lines, f, frame)
		for _, tn := range sounding {
			n := math.Round(f / tn.hz)
			if n < 1 || math.Abs(f-n*tn.hz) > 2*linesApart*Rate/float64(frame) {
				continue
			}
			if n < 3 || decibels(here/math.Max(peak(lines, (n-1)*tn.hz, frame), peak(lines, (n+1)*tn.hz, frame))) < standsOut {
				return nil
			}
		}
		out = append(out, partial{k, 0})
	}
	return out
}

func decibels(x float64) float64 { return 20 * math.Log10(math.Max(1e-9, x)) }

// sure is how sure it is that it is this string, of all that may be there: by the partials that no other of them has.
func (s *suspect) sure(there []suspect, frame int) float64 {
	sole := 0
	for _, o := range s.own {
		if !slices.ContainsFunc(there, func(other suspect) bool { return other.str != s.str && other.has(s.hz*float64(o.k), frame) }) {
			sole++
		}
	}
	if sole < 2 || !s.struck || s.raised {
		return unsure
	}
	return math.Min(0.95, 0.5+sureOfOne*float64(sole))
}

// has reports whether a string has a partial at a frequency.
func (s *suspect) has(f float64, frame int) bool {
	n := math.Round(f / s.hz)
	return n >= 1 && n <= partials && math.Abs(f-n*s.hz) < 2*linesApart*Rate/float64(frame)
}

// openHz is what a string sounds open.
func openHz(p *plan.Plan, str int) float64 {
	return (p.Request.Tuning.Open(str) + pitch.Midi(p.Request.Capo)).Hertz(440)
}

// strength is how strong a string sounds: its strongest partial.
func strength(lines []complex128, hz float64, frame int) float64 {
	most := 0.0
	for k := 1; k <= heardOf; k++ {
		most = math.Max(most, peak(lines, hz*float64(k), frame))
	}
	return most
}

// peak is the strongest line at a frequency.
func peak(lines []complex128, hz float64, frame int) float64 {
	mid := int(math.Round(hz * float64(frame) / Rate))
	most := 0.0
	for i := max(0, mid-1); i <= min(len(lines)-1, mid+1); i++ {
		most = math.Max(most, cmplx.Abs(lines[i]))
	}
	return most
}

// stands reports whether a partial stands over what lies around it: a peak with a valley to either side, above
// the quieter lines near it.
func stands(lines []complex128, hz float64, frame int) bool {
	mid := int(math.Round(hz * float64(frame) / Rate))
	if mid < 4 || mid+10 > len(lines) {
		return false
	}
	var near []float64
	for i := mid - min(8, mid); i < mid+9; i++ {
		near = append(near, cmplx.Abs(lines[i]))
	}
	slices.Sort(near)
	for _, o := range []int{0, -1, 1} {
		if cmplx.Abs(lines[mid+o]) > cmplx.Abs(lines[mid]) {
			mid += o
		}
	}
	top := cmplx.Abs(lines[mid])
	below := min(cmplx.Abs(lines[mid-2]), cmplx.Abs(lines[mid-3]))
	above := min(cmplx.Abs(lines[mid+2]), cmplx.Abs(lines[mid+3]))
	return decibels(top/max(below, above, 1e-9)) > valley && decibels(top/max(1e-9, near[len(near)/4])) > overFloor
}

// Extra is something that was struck and is not in the plan.
type Extra struct{ AtSec, Hz float64 }

// Of what is struck next to the plan.
const (
	extraFlux  = 0.5
	extraApart = 0.09 // seconds from every moment of the plan
)

// extras are beginnings far from all places.
func (s *Signal) extras(flux []float64, places []Place) (out []Extra) {
	y := newYin(lowestHz)
	for t, begun := range beginnings(flux, len(flux)*fineHop/hop) {
		at := float64(t*hop) / Rate
		if begun < extraFlux || slices.ContainsFunc(places, func(p Place) bool { return math.Abs(p.AtSec-at) < extraApart }) {
			continue
		}
		from := int((at + 0.05) * Rate)
		if from+trackSize > len(s.Samples) {
			continue
		}
		hz, sure := y.pitch(s.Samples[from : from+trackSize])
		if sure < 0.6 {
			hz = 0
		}
		out = append(out, Extra{at, hz})
	}
	return out
}
