package plan

import (
	"context"
	"fmt"
	"math"
	"strings"

	"stepping/core/chord"
	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
)

// Why explains the choices of moment t from their own cost terms: one sentence for each
// stroke on what speaks for it, one on the best other place, one for each leak.
func (p *Plan) Why(ctx context.Context, t int) ([]string, error) {
	p.mu.Lock()
	defer p.unlock()
	return p.why(ctx, t)
}

func (p *Plan) why(ctx context.Context, t int) ([]string, error) {
	mo := &p.Moments[t]
	c := p.choiceAt(t, p.before(t), p.state(t))
	var out []string
	if mo.Melody != nil {
		out = append(out, p.melodyReason(t, mo.Melody, &c))
		for _, s := range mo.With {
			out = append(out, p.withReason(s))
		}
		if err := p.appendNext(ctx, t, play.Melody, &out); err != nil {
			return nil, err
		}
	}
	if text := staysText(mo.Hand.Stays); text != "" {
		out = append(out, text)
	}
	if mo.Stroke != "" {
		out = append(out, p.thumbReason(t, &c))
		if err := p.appendNext(ctx, t, play.Thumb, &out); err != nil {
			return nil, err
		}
	}
	for s := 1; s <= 6; s++ {
		if st := mo.Strings[s-1]; c.d.leak.Has(s) && st.State == play.Leaks {
			out = append(out, fmt.Sprintf("String %d keeps ringing, %.0f dB below the note: silencing it your way would cost more here.", s, -st.DB))
		}
	}
	return out, nil
}

// staysText says which fingers stay where they are, "" if none does.
func staysText(stays []play.FingerAt) string {
	var fingers []string
	for _, f := range stays {
		fingers = append(fingers, f.Finger)
	}
	switch n := len(fingers); n {
	case 0:
		return ""
	case 1:
		return "Finger " + fingers[0] + " stays where it is, because it is needed there next."
	default:
		return "Fingers " + strings.Join(fingers[:n-1], ", ") + " and " + fingers[n-1] + " stay where they are, because they are needed there next."
	}
}

// withReason says where a lower voice lies.
func (p *Plan) withReason(s *play.Stroke) string {
	return fmt.Sprintf("With it %s on string %d %s.", s.Note, s.String, play.HowText(s.How, play.FromCapo(s.Fret, p.Request.Capo)))
}

// appendNext adds why the cheapest other place is not taken.
func (p *Plan) appendNext(ctx context.Context, t int, part play.Part, out *[]string) error {
	if p.Pinned(p.Moments[t].At, part, 0) {
		return nil
	}
	alts, err := p.alternativesOf(ctx, t, part, 0)
	if err != nil || len(alts) < 2 {
		return err
	}
	next := &alts[1]
	if p.free != nil && next.Extra < 0 {
		*out = append(*out, fmt.Sprintf("%s would be %s here by itself; %s.", capital(p.AlternativeText(next)), play.Priced(next.Extra), p.heldWhy()))
		return nil
	}
	*out = append(*out, fmt.Sprintf("%s would be %s: %s.", capital(p.AlternativeText(next)), play.PricedBy(next.Extra, next.Most), next.Why))
	return nil
}

func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// AlternativeText names an alternative: "string 2 at fret 12 with the slide".
func (p *Plan) AlternativeText(a *Alternative) string {
	switch {
	case a.How == play.Drop:
		return "leaving the thumb out"
	case a.Part == play.Damped && a.By == "":
		return "leaving it to ring"
	case a.Part == play.Damped:
		return DamperText(a.By)
	}
	return fmt.Sprintf("string %d %s", a.String, play.HowText(a.How, play.FromCapo(a.Fret, p.Request.Capo)))
}

var damperWords = map[play.Damper]string{
	"heel": "the heel of the hand", "p": "the thumb laid on it", "i": "the index finger", "m": "the middle finger", "a": "the ring finger",
	"c": "the picking hand's little finger", "trailing": "the fingers behind the slide", "finger": "a finger of the fretting hand",
	"over": "the thumb over the neck", "tilt": "the bar tilted",
}

// DamperText names what keeps a string quiet.
func DamperText(by play.Damper) string {
	if f, ok := by.Finger(); ok {
		return "finger " + f + " of the fretting hand"
	}
	return damperWords[by]
}

// melodyReason says what speaks for the chosen place.
func (p *Plan) melodyReason(t int, s *play.Stroke, c *choice) string {
	secs := p.m.noteSeconds[s.Index]
	lead := fmt.Sprintf("String %d %s: ", s.String, play.HowText(s.How, play.FromCapo(s.Fret, p.Request.Capo)))
	length := "a note of " + p.beats(p.Moments[t].At, secs)
	if p.m.phraseEnd[s.Index] {
		length += " at the phrase end"
	} else if p.m.peak[s.Index] {
		length += " at the phrase's peak"
	}
	if s.Pinned {
		length = "your choice; " + length
	}
	switch s.How {
	case play.Slide:
		length += fmt.Sprintf(", in tune within ±%.1f mm of the wire", p.m.neck.Window(s.Fret)/2) + p.travel(t)
	case play.Glide:
		length += p.glideText(s) + p.travel(t)
	case play.Open:
		length += p.freeTime(t)
	case play.Tapped:
		length += fmt.Sprintf(", tapped by %s and released to fret %s", s.Digit, play.FromCapo(s.From, p.Request.Capo).String())
	case play.Bend:
		length += fmt.Sprintf(", pushed up %.0f cents from fret %s by finger %s", 100*(s.Fret-s.From),
			play.FromCapo(s.From, p.Request.Capo).String(), s.Finger) + p.travel(t)
		if s.Hook {
			length += ", hooked by the picking hand with its thumb across the strings"
		}
	default:
		if s.Finger != "" {
			length += ", finger " + s.Finger + p.travel(t)
		}
		if s.Digit == "" {
			length += ", not plucked"
		}
	}
	return lead + length + "."
}

func (p *Plan) glideText(s *play.Stroke) string {
	from := play.FromCapo(s.From, p.Request.Capo).String()
	if s.Digit == "" {
		return ", sliding on from fret " + from + " without a new stroke"
	}
	return ", struck at fret " + from + " and glided in"
}

// beats says seconds from a time on in beats of the meter there, to a twelfth, at the tempo at which the tune starts.
func (p *Plan) beats(at tune.Time, seconds float64) string {
	beat := p.Request.Tune.MeterOver(at).Unit()
	twelfths := math.Round(12 * seconds * p.Tempo() / 60 * float64(tune.Quarter) / float64(beat))
	return p.Request.Tune.BeatsText(at, tune.Time(max(1, twelfths))*beat/12)
}

// travel says how far the hand comes, if it moves.
func (p *Plan) travel(t int) string {
	if t == 0 {
		return ""
	}
	w := p.travelled(t, p.handAt(t-1), p.handAt(t))
	if w.need == 0 {
		return ", where the hand already is"
	}
	text := ", a move of " + w.frets
	if w.upTo > 0 {
		text += fmt.Sprintf(", playable up to %.0f bpm", w.upTo)
	}
	return text
}

// freeTime says how long an open string leaves the hand before it must hold something again.
func (p *Plan) freeTime(t int) string {
	for next := t + 1; next < len(p.Moments); next++ {
		if p.handAt(next).anchored {
			return ", which gives the hand " + p.Request.Tune.BeatsText(p.Moments[t].At, p.Moments[next].At-p.Moments[t].At) + " to move"
		}
	}
	return ""
}

// thumbReason says what the thumb plays and how it sits with the chord.
func (p *Plan) thumbReason(t int, c *choice) string {
	mo := &p.Moments[t]
	if mo.RingsOn {
		return fmt.Sprintf("The thumb rests: the %s rings on from before.", mo.Stroke)
	}
	if mo.Dropped {
		return fmt.Sprintf("The thumb's %s is left out.", mo.Stroke)
	}
	s := mo.Thumb
	iv := chord.IntervalName(mo.Chord.Interval(s.Note.Pitch()))
	text := fmt.Sprintf("Thumb: string %d %s, %s, the %s of %s", s.String,
		play.HowText(s.How, play.FromCapo(s.Fret, p.Request.Capo)), s.Note, iv, mo.Chord.Name)
	if clash := c.terms[play.Clash]; clash > 0 {
		kind := "a clash that counts"
		if p.m.isDrone(s.How, s.Note.Pitch()) {
			kind = "left as a drone on the home chord; the clash counts"
		}
		text += fmt.Sprintf(", %s %.2f", kind, clash)
	}
	switch {
	case mo.LeadsTo == "":
	case mo.Wanted == "":
		text += fmt.Sprintf("; %s arrives half a beat early", mo.LeadsTo)
	case mo.Early:
		text += fmt.Sprintf("; %s arrives half a beat early, in place of the %s", mo.LeadsTo, mo.Wanted)
	default:
		text += fmt.Sprintf("; a step into %s, in place of the %s", mo.LeadsTo, mo.Wanted)
	}
	return text + "."
}

// secondReason is the share of the dearest term from which the next dearest is told too.
const secondReason = 0.4

// whyNot finds the terms, one or two, that make the best plan through a dearest against this plan, the most of them, and
// says each with its amount and the figures of the moment where it weighs most; then what is gained
// most by it, and what the other terms add up to, so that all of it is the price.
func (p *Plan) whyNot(t int, d detour) (text string, most play.Term) {
	theirs := p.choices(d)
	var diff play.Terms
	for i := range theirs {
		for k := range diff {
			diff[k] += theirs[i].terms[k] - p.Moments[d.first+i].Cost[k]
		}
	}
	first := dearest(&diff, -1)
	if diff[first] <= 0 {
		return "just as good; the plan had to pick one", first
	}
	rest := diff.Sum() - diff[first]
	text = p.termText(first, &diff, d, theirs, t)
	if second := dearest(&diff, first); diff[second] >= secondReason*diff[first] {
		rest -= diff[second]
		text += "; " + p.termText(second, &diff, d, theirs, t)
	}
	if gain := leastOf(&diff); diff[gain] <= -leastTold {
		rest -= diff[gain]
		text += fmt.Sprintf("; in return %s (%+.2f)", gainWords[gain], diff[gain])
	}
	if math.Abs(rest) >= leastTold {
		text += fmt.Sprintf("; everything else %+.2f", rest)
	}
	return text, first
}

// leastTold is the least difference that is told, half of the last digit shown.
const leastTold = 0.005

// gainWords say what a smaller term is to a player.
var gainWords = [...]string{
	play.Shift: "the hand moves less", play.Stretch: "the fingers strain less", play.Land: "the slide lands less often",
	play.Place:      "it is a better place on the neck",
	play.StringMove: "the line crosses fewer strings", play.Tone: "the tone suits better",
	play.Intonation: "the pitch is easier to hit", play.Clash: "the bass clashes less",
	play.Pattern: "the thumb keeps its pattern better", play.Hand: "the picking fingers fall better", play.Leak: "less rings on",
	play.Damping: "less has to be damped", play.School: "it is closer to how much slide you like",
}

// leastOf returns the smallest term, the first of equals.
func leastOf(diff *play.Terms) (least play.Term) {
	for k := range play.Term(len(diff)) {
		if diff[k] < diff[least] {
			least = k
		}
	}
	return least
}

// dearest returns the largest term other than not, the first of equals.
func dearest(diff *play.Terms, not play.Term) play.Term {
	best := play.Term(-1)
	for k := range play.Term(len(diff)) {
		if k != not && (best < 0 || diff[k] > diff[best]) {
			best = k
		}
	}
	return best
}

// weighsMost returns the place in the detour where term k exceeds this plan's most.
func (p *Plan) weighsMost(k play.Term, d detour, theirs []choice) int {
	at, most := 0, math.Inf(-1)
	for i := range theirs {
		if gain := theirs[i].terms[k] - p.Moments[d.first+i].Cost[k]; gain > most {
			at, most = i, gain
		}
	}
	return at
}

// termText says why term k is dearer by diff[k] on a detour; a place other than t is named.
func (p *Plan) termText(k play.Term, diff *play.Terms, d detour, theirs []choice, t int) string {
	at := p.weighsMost(k, d, theirs)
	m, here := p.m, d.first+at
	mo, c := &m.moments[here], &theirs[at]
	text := ""
	switch k {
	case play.Shift:
		text = p.shiftText(d, at, c)
	case play.Stretch:
		text = p.stretchText(c)
	case play.Land:
		text = "you would have to set down or lift the slide once more"
	case play.Place:
		text = p.placeText(mo, c)
	case play.StringMove:
		text = "a finger would have to hop from one string to another"
		if c.h.n > 0 {
			text = fmt.Sprintf("the line would have to cross strings to string %d", c.h.stops[0].str)
		}
	case play.Tone:
		if text = p.toneText(mo, c); p.changesTool(here, c) {
			text = "you would switch between slide and fingers mid-phrase"
		}
	case play.Intonation:
		text = p.intonationText(c)
	case play.Clash:
		text = fmt.Sprintf("%s is the %s of %s", pitch.Spell(c.bass.pitch, p.Request.Tune.Key.Flats),
			chord.IntervalName(mo.chord.Interval(c.bass.pitch)), mo.chord.Name)
	case play.Pattern:
		text = p.patternText(c)
	case play.Hand:
		text = p.handText(mo, c)
	case play.Leak:
		text = leakText(c)
	case play.Damping:
		text = "more has to be damped"
		if c.heel != 0 {
			text = "the heel has to come down"
		}
	case play.School:
		text = p.leanText(mo, c)
	}
	if here != t {
		text += fmt.Sprintf(" in bar %s, beat %s", p.Moments[here].Printed, play.Decimal(p.Moments[here].Beat))
	}
	return fmt.Sprintf("%s (%+.2f)", text, diff[k])
}

// leanText says how a note goes against the player's lean.
func (p *Plan) leanText(mo *moment, c *choice) string {
	switch {
	case p.Request.Player.Lean == player.LeanSlide:
		return "you prefer the slide"
	case p.Request.Player.Lean == player.LeanFret:
		return "you use the slide only for peaks and phrase ends"
	case p.Request.Player.Lean == player.LeanMain && c.h.n > 0 && c.h.stops[0].how == play.Slide:
		return "passing notes are fretted"
	case c.h.n > 0 && c.h.stops[0].how == play.Slide:
		return "quick notes away from the bar are fretted"
	case mo.note >= 0 && p.m.noteSeconds[mo.note] >= p.m.w.MixedLong:
		return "a note of " + p.beats(mo.at, p.m.noteSeconds[mo.note]) + " is long enough for the slide"
	}
	return "peaks and notes under the bar are for the slide"
}

// changesTool reports whether a choice takes the slide up or lays it by within a phrase.
func (p *Plan) changesTool(t int, c *choice) bool {
	mo := &p.m.moments[t]
	if c.from == nil || mo.note < 0 || mo.begins || c.from.n == 0 || c.h.n == 0 {
		return false
	}
	y := tally{}
	p.m.newStage(t).toolCost(c.from, c.h, &y)
	return 2*y.sum > c.terms[play.Tone]
}

// placeText says why a note lies less well on the neck.
func (p *Plan) placeText(mo *moment, c *choice) string {
	if c.h.n == 0 {
		return fmt.Sprintf("the bass at fret %s is high up the neck", p.m.fromCapo(c.h.bass.fret))
	}
	s := &c.h.stops[0]
	at := p.m.fromCapo(s.holds())
	switch {
	case mo.pins.position.outside(float64(at)) > 0:
		return fmt.Sprintf("fret %s is outside the position you asked for", at)
	case s.how == play.Open && p.m.underBar(mo, s.str):
		return "you would lift the bar for a note that is right under it"
	case s.how == play.Open:
		return fmt.Sprintf("the bass at fret %s is high up the neck", p.m.fromCapo(c.h.bass.fret))
	case s.how != play.Slide:
		return fmt.Sprintf("fret %s is high up the neck for a finger", at)
	case !mo.onBar(float64(at)):
		return fmt.Sprintf("a straight bar at fret %s does not give %s", at, mo.chord.Name)
	case at < lowFret:
		return fmt.Sprintf("at fret %s the string feels stiff under the slide", at)
	}
	return fmt.Sprintf("string %d at fret %s sings less", s.str, at)
}

func (p *Plan) shiftText(d detour, at int, c *choice) string {
	w := p.travelled(d.first+at, c.from, c.h)
	if w.upTo > 0 {
		return fmt.Sprintf("a move of %s would limit you to %.0f bpm", w.frets, w.upTo)
	}
	return "the hand would have to move " + w.frets
}

// stretchText names what strains the hand most: a bend, the thumb over the neck, a spread.
func (p *Plan) stretchText(c *choice) string {
	for i := range c.h.n {
		if s := &c.h.stops[i]; s.how == play.Bend {
			return fmt.Sprintf("the string would have to be pushed up %.0f cents", 100*(s.fret-s.held))
		}
	}
	if f := handOf(c.h).Fingers; len(f) == 2 && f[0].Finger != "T" && f[1].Finger != "T" {
		return fmt.Sprintf("fingers %s and %s would span %.0f mm", f[0].Finger, f[1].Finger,
			math.Abs(p.m.neck.X(float64(f[0].Fret))-p.m.neck.X(float64(f[1].Fret))))
	}
	return "the fingers have to spread or lie flat over strings"
}

func (p *Plan) intonationText(c *choice) string {
	switch h := c.h; {
	case h.slide && h.from == h.covers && h.from > 1:
		return "the slide would stand on its tip, which is harder to keep in tune"
	case h.slide && h.slant > 0:
		return fmt.Sprintf("the slide would be slanted at %.0f%% of the steepest angle", 100*h.slant)
	case h.slide:
		return fmt.Sprintf("at fret %s being in tune allows only ±%.1f mm", play.FromCapo(h.fret, p.Request.Capo).String(), p.m.neck.Window(h.fret)/2)
	case h.n > 0 && h.stops[0].how == play.Bend:
		return "the pitch of a bend has to be found by ear"
	}
	return "its pitch is harder to hit"
}

func (p *Plan) handText(mo *moment, c *choice) string {
	switch {
	case c.h.hooked():
		return "the picking hand would have to hook the string"
	case c.h.tapped():
		return "the picking hand would have to tap on the neck, " + p.beats(mo.at, mo.since) + " after the note before"
	case c.pl.sweeps != 0:
		return "one finger would have to brush several strings"
	}
	for d := digits.A; d >= digits.P; d-- {
		if at := c.pl.at[d]; at != 0 {
			if math.IsInf(mo.since, 1) {
				return fmt.Sprintf("%s would pluck string %d", play.Digits[d], at)
			}
			return fmt.Sprintf("%s would pluck string %d, %s after the note before", play.Digits[d], at, p.beats(mo.at, mo.since))
		}
	}
	return "the picking fingers would fall less well"
}

func (p *Plan) toneText(mo *moment, c *choice) string {
	if mo.note < 0 {
		return "its tone suits the note less"
	}
	secs := p.m.noteSeconds[mo.note]
	long := p.beats(mo.at, secs)
	switch c.h.stops[0].how {
	case play.Slide:
		if secs >= p.m.w.SlideNeeds {
			return "the peak of the phrase would be played without gliding into it"
		}
		return long + " is short for a slide note"
	case play.Open:
		return "an open string cannot be shaped over " + long
	case play.Harmonic:
		return "a harmonic sticks out of the melody"
	}
	switch c.a {
	case ghost:
		return "the finger alone would have to sound the string"
	case hammerOn, pullOff, bendOn:
		return "a note that is not plucked is weaker"
	}
	return "a fretted note dies away over " + long
}

func (p *Plan) patternText(c *choice) string {
	switch {
	case c.bass.how == play.Drop:
		return "a thumb stroke would be left out"
	case c.bass.str != 0:
		return fmt.Sprintf("the thumb would take string %d, which fills the pattern less well", c.bass.str)
	default:
		return "a bass note would be cut short"
	}
}

func leakText(c *choice) string {
	for s := 1; s <= 6; s++ {
		if c.d.leak.Has(s) {
			return fmt.Sprintf("string %d would be left ringing", s)
		}
	}
	if idle := (c.h.under &^ c.h.sounding).Len(); idle > 0 {
		return fmt.Sprintf("the slide would cover %d strings that are not played", idle)
	}
	return "open strings would ring along"
}

// HitReason says why the percussion of moment t is left out.
func (p *Plan) HitReason(t int) string {
	p.mu.Lock()
	defer p.unlock()
	return p.hitReason(t)
}

func (p *Plan) hitReason(t int) string {
	mo := &p.m.moments[t]
	h := p.handAt(t)
	switch {
	case mo.hit == pattern.Release:
		return "a release needs a grip to lift, and the melody finger has to stay on its note"
	case mo.hit == pattern.Slap && mo.note >= 0 && h.sounding&^trebles != 0:
		return fmt.Sprintf("the thumb would slap while the melody lies on string %d, which no outward flick reaches: remove the slap first", p.Moments[t].Melody.String)
	case mo.hit == pattern.Tap && mo.note >= 0:
		return "the fingertips would fall on the strings while one of them plucks: remove the tap first"
	case mo.hit == pattern.Slap && mo.note >= 0:
		return "the flick that goes with it would catch strings that nothing silences: remove the slap first"
	}
	return fmt.Sprintf("the %s would be harder than leaving it out: unpin it first", mo.hit)
}

// DropReason says why the thumb stroke of moment t is left out: what the best plan with
// it would cost.
func (p *Plan) DropReason(t int) string {
	p.mu.Lock()
	defer p.unlock()
	return p.dropReason(t)
}

func (p *Plan) dropReason(t int) string {
	if p.free != nil && !p.free.Moments[t].Dropped {
		return p.heldWhy()
	}
	if p.free != nil {
		return p.free.DropReason(t)
	}
	if p.m.isPinned(p.Moments[t].At, play.Thumb, 0) {
		return "your choice"
	}
	alts, err := p.alternativesOf(context.Background(), t, play.Thumb, 0)
	if err != nil || len(alts) < 2 {
		return "no string has it within reach of the hand"
	}
	next := &alts[1]
	return fmt.Sprintf("%s would be %s: %s", p.AlternativeText(next), play.PricedBy(next.Extra, next.Most), next.Why)
}
