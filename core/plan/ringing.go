package plan

import (
	"slices"

	"stepping/core/pattern"
	"stepping/core/play"
)

// sounding is a string that was struck and nothing has stopped yet.
type sounding struct {
	note   string
	finger string // that holds it; "" for an open string
	fret   float64
	until  float64 // seconds: then it can be heard no more
}

// markRinging lets fretted and open strings ring on while nothing stops them: a fretted one while its finger stays where it is, an
// open one where nobody minds that it rings.
func (p *Plan) markRinging() {
	var on [6]sounding
	for t := range p.Moments {
		mo := &p.Moments[t]
		for s := range mo.Strings {
			st, r := &mo.Strings[s], &on[s]
			switch {
			case st.State == play.Struck:
				*r = p.struckAt(mo, s+1)
			case st.State == play.Rings: // by itself
			case mo.Seconds < r.until && p.ringsOn(t, s+1, r):
				p.marked = append(p.marked, marked{t, s, *st})
				*st = play.StringState{State: play.Rings, Note: r.note}
			default:
				r.until = 0
			}
		}
	}
}

// struckAt is what sounds on string str from moment mo on, nothing under a slide.
func (p *Plan) struckAt(mo *play.Moment, str int) (r sounding) {
	for _, s := range mo.Strokes() {
		if s.String == str && s.How != play.Slide && s.How != play.Glide && s.How != play.Dead {
			r = sounding{mo.Strings[str-1].Note, s.Finger, s.Fret, mo.Seconds + p.m.audibleFor(str, 0)}
		}
	}
	return r
}

// ringsOn reports whether r goes on at moment t on string str.
func (p *Plan) ringsOn(t, str int, r *sounding) bool {
	mo := &p.Moments[t]
	st := &mo.Strings[str-1]
	held, touched := false, false
	for _, f := range slices.Concat(mo.Hand.Fingers, mo.Hand.Stays) {
		touched = touched || f.String == str
		held = held || f.String == str && float64(f.Fret) == r.fret && f.Finger == r.finger
	}
	if r.finger != "" { // a finger that lifts silences it, one that stays does not
		return held && (st.State == play.Harmless || st.State == play.Silenced && st.By == play.DampedBy(r.finger))
	}
	free := !slideUsed(p.m.req.Player) || !p.m.school.Cares || p.m.moments[t].pins.ringing
	return free && st.State == play.Harmless && !touched && !p.handAt(t).under.Has(str)
}

// holdNotes says of written bass notes how long they last, where that is shorter than they are written: until a finger lets go, something
// silences the string, or another note takes it.
func (p *Plan) holdNotes() {
	for t := range p.Moments {
		s, th := p.m.moments[t].stroke, p.Moments[t].Thumb
		if th == nil || s.Role != pattern.Noted {
			continue
		}
		held := *th // the one before may be another plan's, too
		held.Dur, held.Asked = s.Until-s.At, 0
		for u := t + 1; u < len(p.Moments) && p.Moments[u].At < s.Until; u++ {
			if p.Moments[u].Strings[th.String-1].State != play.Rings {
				held.Dur, held.Asked = p.Moments[u].At-s.At, held.Dur
				break
			}
		}
		p.Moments[t].Thumb = &held
	}
}
