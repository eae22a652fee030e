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

// Of what is struck in place of a note that is not there: from when on it is listened for, seconds after the onset; how
// many frets next to the place it is looked for, and how much louder its partials are than before the onset.
const (
	awayFrom    = 0.02
	lookBeside  = 3
	risesDB     = 10.0
	insteadDB   = -10.0 // under the loudest, at least
	leastOfIt   = 3     // partials by which it is heard
	samePitch   = 80.0  // cents within which two places count as one pitch
	punctual    = 0.06  // seconds next to its time within which a moment is surely the one that it is taken for
	strokeFrame = longFrame
)

// Of a string at an onset: how many samples are listened to on either side, how many lie between them and it, how far
// the two frames before it lie apart by which it is told how it would go on, within how many lines of the transform two
// partials are one, and by how many of its partials.
const (
	riseFrame    = 2048
	riseGap      = 240
	riseHop      = 240
	nearLines    = 2.2
	risePartials = 8
)

// Of a partial at an onset: dB under the loudest line under which it is not there, how many of the lowest are missed
// then; dB by which what is struck may grow, grows, and grows much, and what has been left falls, and falls much; by
// what angle what goes on is out of phase at most, and what is struck at least; and of all of them, how many votes say
// that a string is not there.
const (
	notThere     = -40.0
	missedOf     = 3
	growsLittle  = 2.0
	growsDB      = 5.0
	growsMuch    = 20.0
	fallsDB      = -6.0
	fallsMuch    = -15.0
	goesOn       = 0.6
	struckAnew   = 1.2
	leastAbsent  = 1.0
	morePresent  = 1.5
	loneBegins   = 0.15
	leastPresent = 2.0 // … and that it is
)

// onset counts what the partials of a string say at an onset, of those that nothing else has that is struck there:
// whether they begin there, or go on as they were from before, or are not there at all. A string that is struck while it
// sounds begins with another phase. What another string that rings on has too says only that it begins.
func (m *meter) onset(e *expected, str int, at float64) (present, absent float64) {
	on := int(at * Rate)
	if on-riseGap-riseFrame-riseHop < 0 || on+riseGap+riseFrame > len(m.samples) {
		return 0, 0
	}
	before := on - riseGap - riseFrame
	first, was, is := m.transform(before-riseHop, riseFrame), m.transform(before, riseFrame), m.transform(on+riseGap, riseFrame)
	loudest := 1e-9
	for _, v := range is {
		loudest = math.Max(loudest, cmplx.Abs(v))
	}
	hz := e.hzOf(str)
	for k := 1; k <= risePartials && hz*float64(k) < 0.4*Rate; k++ {
		f := hz * float64(k)
		if hasNear(e.tones[:e.struck], str, f, riseFrame) {
			continue
		}
		i := int(math.Round(f * riseFrame / Rate))
		for _, o := range []int{i - 1, i + 1} {
			if cmplx.Abs(is[o])+cmplx.Abs(was[o]) > cmplx.Abs(is[i])+cmplx.Abs(was[i]) {
				i = o
			}
		}
		shared := hasNear(e.tones[e.struck:], str, f, riseFrame)
		after, grown := decibels(cmplx.Abs(is[i])/loudest), decibels(cmplx.Abs(is[i])/math.Max(1e-12, cmplx.Abs(was[i])))
		turned := outOfPhase(first[i], was[i], is[i], i)
		switch {
		case after < notThere:
			if k <= missedOf && !shared {
				absent += 0.5
			}
		case grown >= growsMuch && after > notThere/2:
			present += 2
		case grown >= growsDB, turned >= struckAnew && grown > fallsMuch:
			present++
		case grown >= growsLittle && !shared:
			present += 0.5
		case shared:
		case turned <= goesOn && grown > fallsDB:
			absent++
		case turned <= goesOn, grown <= fallsMuch:
			absent += 0.7
		}
	}
	return present, absent
}

// hasNear reports whether one of some strings other than str has a partial at a frequency, for all that a frame of
// samples tells.
func hasNear(tones []tone, str int, f float64, frame int) bool {
	return slices.ContainsFunc(tones, func(tn tone) bool {
		return tn.str != str && math.Abs(f-tn.hz*math.Max(1, math.Round(f/tn.hz))) < nearLines*Rate/float64(frame)
	})
}

// outOfPhase is by what angle, 0 to π, line i is out of phase after an onset with what it would be, had it gone on
// turning as between two frames before it.
func outOfPhase(first, was, is complex128, i int) float64 {
	even := 2 * math.Pi * float64(i) * riseHop / riseFrame // what it turns at the middle of the line
	turned := even + math.Remainder(cmplx.Phase(was)-cmplx.Phase(first)-even, 2*math.Pi)
	return math.Abs(math.Remainder(cmplx.Phase(is)-cmplx.Phase(was)-turned*(2*riseGap+riseFrame)/riseHop, 2*math.Pi))
}

// absent reports whether a string was not struck at a moment heard between two times, that begins so strongly: more of
// its partials go on or are not there than begin, or none is there. What is struck by itself was struck where anything
// begins, if only at another fret.
func (m *meter) absent(e *expected, str int, from, to, begins float64) bool {
	if e.struck > 1 || begins < loneBegins {
		if present, absent := m.onset(e, str, from); absent >= leastAbsent && absent >= morePresent*present {
			return true
		}
	}
	return m.silent(e, str, from, to)
}

// Of a string that is silent: seconds after the onset at which it is listened for, how many partials of its own it has
// to have, and how far under the loudest they may lie and be away, in dB.
var awayAfter = [2]float64{awayFrom, 0.2}

const (
	leastAway = 2
	awayDB    = -34.0
)

// silent reports whether nothing stands at any partial that a string has to itself, neither at first nor later. It is
// not said of strings without enough of them.
func (m *meter) silent(e *expected, str int, from, to float64) bool {
	own := slices.DeleteFunc(alone(e, str, e.hzOf(str), strokeFrame, never), func(o partial) bool { return o.k > heardOf })
	if len(own) < leastAway || own[0].k > 2 {
		return false
	}
	listened := false
	for _, after := range awayAfter {
		at := int((from + after) * Rate)
		if at+strokeFrame > len(m.samples) || at+strokeFrame > int(to*Rate) {
			break
		}
		lines, loudest := m.transform(at, strokeFrame), 0.0
		for _, tn := range e.tones {
			loudest = math.Max(loudest, strength(lines, tn.hz, strokeFrame))
		}
		if slices.ContainsFunc(own, func(o partial) bool {
			f := e.hzOf(str) * float64(o.k)
			return stands(lines, f, strokeFrame) && decibels(peak(lines, f, strokeFrame)/math.Max(1e-9, loudest)) > awayDB
		}) {
			return false
		}
		listened = true
	}
	return listened
}

// instead looks for what was struck in place of a note that is absent: on its string some frets away, or at its
// fret on a string next to it; nil if nothing is heard there, or more than one.
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

// candidates are the places next to a stroke's, those on its own string first.
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

// An octave is told by the partials that a string has at its pitch and not at twice that: how many of all are listened
// to, and by how many dB they are fainter than the others.
const (
	octaveOf   = 6
	octaveDB   = 22.0
	octaveFrom = 180.0 // Hz from which on the lowest partial tells by itself: a telephone leaves out lower ones
)

// octaveUp reports whether a string sounds an octave above its note after an onset: its odd partials are not there, and
// its even ones are.
func (m *meter) octaveUp(e *expected, str int, from float64) bool {
	at := int((from + awayFrom) * Rate)
	if at+strokeFrame > len(m.samples) {
		return false
	}
	lines, hz := m.transform(at, strokeFrame), e.hzOf(str)
	odd, even, odds, first := 0.0, 0.0, 0, false
	for k := 1; k <= octaveOf; k++ {
		f := hz * float64(k)
		if f > 0.4*Rate || hasNear(e.tones, str, f, strokeFrame) {
			continue
		}
		if v := peak(lines, f, strokeFrame); k%2 == 0 {
			even = math.Max(even, v)
		} else {
			odd, odds, first = math.Max(odd, v), odds+1, first || k == 1 && hz > octaveFrom
		}
	}
	return (odds >= 2 || odds == 1 && first) && even > 0 && decibels(even/math.Max(1e-9, odd)) > octaveDB
}
