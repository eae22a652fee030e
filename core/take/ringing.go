package take

import (
	"math"
	"math/cmplx"
	"slices"

	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tuning"
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
	ringsDB     = -27.0 // under which a string is not heard beside the note
	overFloor   = 8.0   // dB that a partial stands over what lies around it
	partialsFor = 2     // partials of its own that make a string certain
	heardOf     = 5     // partials by which a string is heard: higher ones are faint
	unsure      = 0.45
)

// rings finds what sounds between two times beside what should: of each string that should be silent, at the pitch that it was struck at before and at its open pitch, the partials that nothing else has.
func (m *meter) rings(p *plan.Plan, t int, e *expected, last *[tuning.Strings]float64, from, to float64) (out []Ringing) {
	mo := &p.Moments[t]
	at := int((from + ringsFrom) * Rate)
	frame := longFrame
	if float64(at+frame)/Rate > to {
		frame = shortFrame
	}
	if float64(at+frame)/Rate > to || at+frame > len(m.samples) || e.struck == 0 {
		return nil
	}
	lines := m.transform(at, frame)
	loudest := 0.0
	for _, tn := range e.tones {
		loudest = math.Max(loudest, strength(lines, tn.hz, frame, nil))
	}
	for i, st := range mo.Strings {
		str := i + 1
		if st.State == play.Struck || st.State == play.Rings || st.State == "" {
			continue
		}
		best := Ringing{Moment: t, AtSec: from, String: str, DB: ringsDB, Damped: st.State == play.Silenced}
		found := false
		for _, hz := range []float64{last[i], openHz(p, str)} {
			if hz == 0 {
				continue
			}
			own := alone(&expected{tones: append(slices.Clone(e.tones), tone{str, hz, 1})}, str, hz, frame)
			own = slices.DeleteFunc(own, func(o partial) bool { return o.k > heardOf || !stands(lines, hz*float64(o.k), frame) })
			if len(own) == 0 {
				continue
			}
			sole := slices.DeleteFunc(slices.Clone(own), func(o partial) bool { return shared(p, mo, last, str, hz*float64(o.k), frame) })
			if db := 20 * math.Log10(math.Max(1e-9, strength(lines, hz, frame, own))/math.Max(1e-9, loudest)); db > best.DB {
				best.DB, best.Sure, found = db, unsure, true
				if len(sole) >= partialsFor {
					best.Sure = math.Min(0.95, 0.5+0.15*float64(len(sole)))
				}
			}
		}
		if found {
			out = append(out, best)
		}
	}
	return alike(out)
}

// openHz is what a string sounds open.
func openHz(p *plan.Plan, str int) float64 {
	return (p.Request.Tuning.Open(str) + pitch.Midi(p.Request.Capo)).Hertz(440)
}

// shared reports whether another string that should be silent has a partial at a frequency too: then it may be that one.
func shared(p *plan.Plan, mo *play.Moment, last *[tuning.Strings]float64, str int, f float64, frame int) bool {
	for i, st := range mo.Strings {
		if i+1 == str || st.State == play.Struck || st.State == play.Rings {
			continue
		}
		for _, hz := range []float64{last[i], openHz(p, i+1)} {
			if n := math.Round(f / math.Max(hz, 1)); hz > 0 && n >= 1 && n <= partials && math.Abs(f-n*hz) < 2*linesApart*Rate/float64(frame) {
				return true
			}
		}
	}
	return false
}

// alike makes those unsure that were found at once and may be one: several strings open to the same partials.
func alike(found []Ringing) []Ringing {
	if len(found) > 2 {
		for i := range found {
			found[i].Sure = math.Min(found[i].Sure, unsure)
		}
	}
	return found
}

// strength is how strong a string sounds: its strongest partial, of those in own, of all if that is nil.
func strength(lines []complex128, hz float64, frame int, own []partial) float64 {
	most := 0.0
	for k := 1; k <= heardOf; k++ {
		if own != nil && !slices.ContainsFunc(own, func(o partial) bool { return o.k == k }) {
			continue
		}
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

// stands reports whether a partial stands over what lies around it: its line is the highest of its neighbours, and above their median.
func stands(lines []complex128, hz float64, frame int) bool {
	mid := int(math.Round(hz * float64(frame) / Rate))
	if mid < 3 || mid+9 > len(lines) {
		return false
	}
	var near []float64
	for i := max(0, mid-8); i < mid+9; i++ {
		near = append(near, cmplx.Abs(lines[i]))
	}
	slices.Sort(near)
	top := peak(lines, hz, frame)
	edge := math.Max(cmplx.Abs(lines[mid-3]), cmplx.Abs(lines[mid+3]))
	return top > edge && 20*math.Log10(top/math.Max(1e-9, near[len(near)/2])) > overFloor
}

// Extra is something that was struck and is not in the plan.
type Extra struct{ AtSec, Hz float64 }

// Of what is struck beside the plan.
const (
	extraFlux  = 0.5
	extraApart = 0.09 // seconds from every moment of the plan
)

// extras are beginnings far from all places.
func (s *Signal) extras(flux []float64, places []Place) (out []Extra) {
	y := newYin()
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
