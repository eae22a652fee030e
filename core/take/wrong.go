package take

import (
	"math"
	"slices"

	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tuning"
)

// Missing is a note of the plan that was not heard.
type Missing struct {
	Moment  int
	Part    play.Part
	String  int
	Instead *Instead // what was struck in its place, where that can be told
}

// Instead is another note than the one that was wanted.
type Instead struct {
	String int
	Fret   int // from the nut
	Hz     float64
}

// Of notes that are not there: from when on they are listened for, seconds after the onset; how many partials
// of their own have to be away; how far under the loudest they may lie and be away, in dB; how many frets
// beside the place another one is looked for, and how much louder its partials are than before the onset.
const (
	awayFrom    = 0.02
	awayLater   = 0.2
	leastAway   = 2
	awayDB      = -34.0
	lookBeside  = 3
	risesDB     = 10.0
	insteadDB   = -10.0 // under the loudest, at least
	leastOfIt   = 3     // partials by which it is heard
	samePitch   = 80.0  // cents within which two places count as one pitch
	punctual    = 0.06  // seconds beside its time within which a moment is surely the one that it is taken for
	strokeFrame = longFrame
)

// absent reports whether a string is not heard that should be struck at a moment heard between two times:
// nothing stands at any of its own partials, neither at first nor later. It is not said of strings without
// enough of them.
func (m *meter) absent(e *expected, str int, from, to float64) bool {
	own := alone(e, str, e.hzOf(str), strokeFrame, never)
	own = slices.DeleteFunc(own, func(o partial) bool { return o.k > heardOf })
	if len(own) < leastAway || own[0].k > 2 {
		return false
	}
	listened := false
	for _, after := range []float64{awayFrom, awayLater} {
		at := int((from + after) * Rate)
		if at+strokeFrame > len(m.samples) || at+strokeFrame > int(to*Rate) {
			break
		}
		if m.sounds(e, e.hzOf(str), at, own) {
			return false
		}
		listened = true
	}
	return listened
}

// sounds reports whether any of a string's own partials is heard in a frame.
func (m *meter) sounds(e *expected, hz float64, at int, own []partial) bool {
	lines := m.transform(at, strokeFrame)
	loudest := 0.0
	for _, tn := range e.tones {
		loudest = math.Max(loudest, strength(lines, tn.hz, strokeFrame))
	}
	return slices.ContainsFunc(own, func(o partial) bool {
		f := hz * float64(o.k)
		return stands(lines, f, strokeFrame) && decibels(peak(lines, f, strokeFrame)/math.Max(1e-9, loudest)) > awayDB
	})
}

// instead looks for what was struck in place of a note that is absent: on its string some frets away, or at its
// fret on a string beside it; nil if nothing is heard there, or more than one.
func (m *meter) instead(p *plan.Plan, e *expected, st *play.Stroke, from float64) *Instead {
	at, before := int((from+awayFrom)*Rate), int(from*Rate)-strokeFrame
	if before < 0 {
		return nil
	}
	lines, was := m.transform(at, strokeFrame), m.transform(before, strokeFrame)
	var found []Instead
	for _, c := range candidates(p, st) {
		s := suspect{str: st.String, hz: c.Hz, struck: true}
		rest := slices.DeleteFunc(slices.Clone(e.tones), func(tn tone) bool { return tn.str == st.String || tn.str == c.String })
		if c.String == st.String && len(alone(&expected{tones: append(slices.Clone(rest), tone{c.String, c.Hz, 1})}, c.String, c.Hz,
			strokeFrame, never)) < leastOfIt {
			return nil // it may be that one: nobody can tell
		}
		if !s.heard(lines, rest, strokeFrame) || s.raised || len(s.own) < leastOfIt || s.db < insteadDB {
			continue
		}
		rose := 0
		for _, o := range s.own {
			if decibels(peak(lines, c.Hz*float64(o.k), strokeFrame)/math.Max(1e-9, peak(was, c.Hz*float64(o.k), strokeFrame))) > risesDB {
				rose++
			}
		}
		if rose >= leastOfIt && !slices.ContainsFunc(found, func(f Instead) bool { return math.Abs(cents(f.Hz, c.Hz)) < samePitch }) {
			found = append(found, c)
		}
	}
	if len(found) != 1 {
		return nil
	}
	return &found[0]
}

// candidates are the places beside a stroke's, those on its own string first.
func candidates(p *plan.Plan, st *play.Stroke) (out []Instead) {
	add := func(str, fret int) {
		if str >= 1 && str <= tuning.Strings && fret >= p.Request.Capo {
			hz := (p.Request.Tuning.Open(str) + pitch.Pitch(fret)*pitch.HalfStep).Hertz(440)
			if math.Abs(cents(hz, st.Note.Pitch().Hertz(440))) > samePitch {
				out = append(out, Instead{str, fret, hz})
			}
		}
	}
	fret := int(math.Round(st.Fret))
	for by := 1; by <= lookBeside; by++ {
		add(st.String, fret-by)
		add(st.String, fret+by)
	}
	add(st.String, p.Request.Capo)
	add(st.String-1, fret)
	add(st.String+1, fret)
	return out
}
