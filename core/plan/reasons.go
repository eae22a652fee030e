package plan

import (
	"context"
	"fmt"
	"math"
	"strings"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/player"
)

// Why explains the choices of moment t from their own cost terms: one sentence for each
// stroke on what speaks for it, one on the best other place, one for each leak.
func (p *Plan) Why(ctx context.Context, t int) ([]string, error) {
	mo := &p.Moments[t]
	c := p.choices(detour{t, []state{p.layers[t][p.path[t]]}})[0]
	var out []string
	if mo.Melody != nil {
		out = append(out, p.melodyReason(t, &c))
		if err := p.appendNext(ctx, t, Melody, &out); err != nil {
			return nil, err
		}
	}
	if mo.Stroke != "" {
		out = append(out, p.thumbReason(t, &c))
		if err := p.appendNext(ctx, t, Thumb, &out); err != nil {
			return nil, err
		}
	}
	for s := 1; s <= 6; s++ {
		if c.st.leak.Has(s) {
			out = append(out, fmt.Sprintf("String %d is left ringing: no damper of this school reaches it here for less.", s))
		}
	}
	return out, nil
}

// appendNext adds why the cheapest other place is not taken.
func (p *Plan) appendNext(ctx context.Context, t int, part Part, out *[]string) error {
	alts, err := p.Marginals(ctx, t, part)
	if err != nil || len(alts) < 2 {
		return err
	}
	next := &alts[1]
	*out = append(*out, fmt.Sprintf("%s would cost %.2f more: %s.", capital(p.AlternativeText(next)), next.Extra, p.whyNot(t, next)))
	return nil
}

func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// AlternativeText names an alternative: "string 2 at fret 12 with the slide".
func (p *Plan) AlternativeText(a *Alternative) string {
	if a.How == Drop {
		return "leaving the thumb out"
	}
	return fmt.Sprintf("string %d %s", a.String, howText(a.How, a.Fret-float64(p.Request.Capo)))
}

// melodyReason says what speaks for the chosen place.
func (p *Plan) melodyReason(t int, c *choice) string {
	mo := &p.Moments[t]
	s := mo.Melody
	secs := p.m.noteSeconds[s.Index]
	lead := fmt.Sprintf("String %d %s: ", s.String, howText(s.How, s.Fret-float64(p.Request.Capo)))
	length := fmt.Sprintf("a note of %.2f s", secs)
	if p.m.phraseEnd[s.Index] {
		length += " at the phrase end"
	}
	if s.Pinned {
		length = "your choice, kept; " + length
	}
	switch s.How {
	case Slide:
		return lead + length + fmt.Sprintf(", in tune within ±%.1f mm of the wire", p.m.neck.Window(s.Fret)/2) + p.travel(t) + "."
	case Open:
		return lead + length + p.freeTime(t) + "."
	default:
		return lead + length + fmt.Sprintf(", finger %s", s.Finger) + p.travel(t) + "."
	}
}

// travel says how far the hand comes, if it moves.
func (p *Plan) travel(t int) string {
	if t == 0 {
		return ""
	}
	h, g := p.handAt(t-1), p.handAt(t)
	f := p.m.freed(h, t)
	need := 0.0
	if !f.loose {
		need = p.m.shiftNeed(f.pos, g)
	}
	if need == 0 {
		return ", the hand is there already"
	}
	return fmt.Sprintf(", a move of %.0f mm in %.2f s (%.2f s needed)", p.m.capoScale()*math.Abs(g.pos-f.pos), p.m.moments[t].sec-f.since, need)
}

// freeTime says how long an open string leaves the hand before it must hold something again.
func (p *Plan) freeTime(t int) string {
	for next := t + 1; next < len(p.Moments); next++ {
		if p.handAt(next).anchored {
			return fmt.Sprintf(", it leaves the hand %.2f s to move", p.Moments[next].Seconds-p.Moments[t].Seconds)
		}
	}
	return ""
}

// thumbReason says what the thumb plays and how it sits with the chord.
func (p *Plan) thumbReason(t int, c *choice) string {
	mo := &p.Moments[t]
	if mo.Dropped {
		return fmt.Sprintf("The thumb's %s is left out.", mo.Stroke)
	}
	s := mo.Thumb
	iv := chord.IntervalName(mo.Chord.Interval(s.Note.Pitch()))
	text := fmt.Sprintf("Thumb: string %d %s, %s, the %s of %s", s.String, howText(s.How, s.Fret-float64(p.Request.Capo)), s.Note, iv, mo.Chord.Name)
	if clash := c.terms[Clash]; clash > 0 {
		kind := "a clash that costs"
		if p.m.isDrone(s.How, s.Note.Pitch()) {
			kind = "kept as a home drone, the clash costs"
		}
		text += fmt.Sprintf(", %s %.2f", kind, clash)
	}
	return text + "."
}

// secondReason is the share of the dearest term from which the next dearest is told too.
const secondReason = 0.4

// whyNot finds the terms, one or two, that make the best plan through a dearest against
// this plan, and says each with its amount and the figures of the moment where it weighs
// most.
func (p *Plan) whyNot(t int, a *Alternative) string {
	d := p.through(t, a.via)
	theirs := p.choices(d)
	var diff Terms
	for i := range theirs {
		for k := range diff {
			diff[k] += theirs[i].terms[k] - p.Moments[d.first+i].Cost[k]
		}
	}
	first := dearest(&diff, -1)
	if diff[first] <= 0 {
		return "it costs the same, and the plan takes the first of equals"
	}
	text := p.termText(first, &diff, d, theirs, t)
	if second := dearest(&diff, first); diff[second] >= secondReason*diff[first] {
		text += "; " + p.termText(second, &diff, d, theirs, t)
	}
	return text
}

// dearest returns the largest term other than not, the first of equals.
func dearest(diff *Terms, not Term) Term {
	best := Term(-1)
	for k := range terms {
		if k != not && (best < 0 || diff[k] > diff[best]) {
			best = k
		}
	}
	return best
}

// weighsMost returns the place in the detour where term k exceeds this plan's most.
func (p *Plan) weighsMost(k Term, d detour, theirs []choice) int {
	at, most := 0, math.Inf(-1)
	for i := range theirs {
		if gain := theirs[i].terms[k] - p.Moments[d.first+i].Cost[k]; gain > most {
			at, most = i, gain
		}
	}
	return at
}

// termText says why term k is dearer by diff[k] on a detour; a place other than t is named.
func (p *Plan) termText(k Term, diff *Terms, d detour, theirs []choice, t int) string {
	at := p.weighsMost(k, d, theirs)
	m, here := p.m, d.first+at
	mo, c := &m.moments[here], &theirs[at]
	text := ""
	switch k {
	case Shift:
		text = p.shiftText(d, at, c)
	case Stretch:
		text = "the fingers have to spread or lie flat over strings"
		if f := handOf(c.h).Fingers; len(f) == 2 {
			text = fmt.Sprintf("fingers %s and %s would span %.0f mm", f[0].Finger, f[1].Finger,
				math.Abs(m.neck.X(float64(f[0].Fret))-m.neck.X(float64(f[1].Fret))))
		}
	case Land:
		text = "the slide would have to be set down or lifted once more"
	case StringMove:
		text = fmt.Sprintf("the line would have to cross strings to string %d", c.h.str)
	case Tone:
		text = p.toneText(mo, c)
	case Intonation:
		text = fmt.Sprintf("at fret %s being in tune allows only ±%.1f mm", FretText(c.h.fret-float64(p.Request.Capo)), m.neck.Window(c.h.fret)/2)
	case Clash:
		text = fmt.Sprintf("%s is the %s of %s", pitch.Spell(c.bass.pitch, p.Request.Tune.Key.Flats), chord.IntervalName(mo.chord.Interval(c.bass.pitch)), mo.chord.Name)
	case Pattern:
		text = p.patternText(c)
	case Hand:
		text = fmt.Sprintf("%s would pluck string %d, %.2f s after the note before", digitNames[c.to], c.h.str, mo.since)
	case Leak:
		text = leakText(c)
	case Damping:
		text = "more has to be damped"
		if n := c.s.heel; n != 0 {
			text = "the heel has to come down"
		}
	case School:
		text = fmt.Sprintf("it goes against the lean to %s", leanText(m.req.Player.Lean))
	}
	if here != t {
		text += fmt.Sprintf(" in bar %d, beat %s", p.Moments[here].Bar, trimZeros(fmt.Sprintf("%.2f", p.Moments[here].Beat)))
	}
	return fmt.Sprintf("%s (%+.2f)", text, diff[k])
}

func leanText(lean string) string {
	return map[string]string{player.LeanSlide: "the slide", player.LeanFret: "fretting"}[lean]
}

func (p *Plan) shiftText(d detour, at int, c *choice) string {
	t := d.first + at
	before := p.layers[t-1][p.path[t-1]]
	if at > 0 {
		before = d.states[at-1]
	}
	f := p.m.freed(&p.m.moments[t-1].hands[before.hand], t)
	return fmt.Sprintf("the hand would move %.0f mm in %.2f s, and needs %.2f s", p.m.capoScale()*math.Abs(c.h.pos-f.pos),
		p.m.moments[t].sec-f.since, p.m.shiftNeed(f.pos, c.h))
}

func (p *Plan) toneText(mo *moment, c *choice) string {
	if mo.note < 0 {
		return "its tone suits the note less"
	}
	secs := p.m.noteSeconds[mo.note]
	switch c.h.how {
	case Slide:
		return fmt.Sprintf("%.2f s is short for a slide note", secs)
	case Open:
		return fmt.Sprintf("an open string cannot be shaped over %.2f s", secs)
	default:
		return fmt.Sprintf("a fretted note dies away over %.2f s", secs)
	}
}

func (p *Plan) patternText(c *choice) string {
	switch {
	case c.bass.how == Drop:
		return "a thumb stroke would be left out"
	case c.bass.str != 0:
		return fmt.Sprintf("the thumb would take string %d, which fills the pattern less well", c.bass.str)
	default:
		return "a bass note would be cut short"
	}
}

func leakText(c *choice) string {
	for s := 1; s <= 6; s++ {
		if c.st.leak.Has(s) {
			return fmt.Sprintf("string %d would be left ringing", s)
		}
	}
	if c.h.slide && c.h.covers > 1 {
		return fmt.Sprintf("the slide would lie over %d strings that are not played", c.h.covers-1)
	}
	return "free strings would ring along"
}

// DropReason says why the thumb stroke of moment t is left out: what the best plan with
// it would cost.
func (p *Plan) DropReason(t int) string {
	if p.m.isPinned(p.Moments[t].At, Thumb) {
		return "your choice"
	}
	alts, err := p.Marginals(context.Background(), t, Thumb)
	if err != nil || len(alts) < 2 {
		return "no string can take it with this hand"
	}
	next := &alts[1]
	return fmt.Sprintf("%s would cost %.2f more: %s", p.AlternativeText(next), next.Extra, p.whyNot(t, next))
}
