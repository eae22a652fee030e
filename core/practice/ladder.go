// Package practice turns a plan into what to practise: steps from the thumb alone to the whole tune at tempo,
// each with what, where, how fast and when it is done.
//
// The order is the one that players find by getting it wrong: one layer must run by itself before the next is
// laid on it, a change is grown note by note, a hard spot is looped alone, and the tempo comes last. Why in
// that order is in docs/practice.md.
package practice

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"stepping/core/ornament"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/sound"
	"stepping/core/tune"
)

// Layers of a ladder, in the order in which they are laid.
const (
	ThumbAlone  = "thumb"
	MelodyAlone = "melody"
	HardMove    = "move"
	Change      = "change"
	Together    = "together"
	Click       = "click"
	Tempo       = "tempo"
	Accents     = "accents"
	Slide       = "slide" // vibrato and glides, once the pitch is right
	Percussion  = "percussion"
	Whole       = "whole"
)

// Layers lists them in that order.
var Layers = []string{ThumbAlone, MelodyAlone, HardMove, Change, Together, Click, Tempo, Accents, Slide, Percussion, Whole, Exercise}

// Step is one step of a ladder.
type Step struct {
	Key     string  `json:"key"` // names what is played, for the log: steps that differ in tempo alone share it
	Layer   string  `json:"layer"`
	Bars    [2]int  `json:"bars"`  // first and last, as played, from 1
	Place   string  `json:"place"` // the bars as printed: "bars 5 to 8"
	Tempo   float64 `json:"tempo"` // quarter notes a minute to begin with
	Goal    float64 `json:"goal"`  // and to come to
	Clean   int     `json:"clean"` // clean passes in a row at the goal that finish it
	Click   bool    `json:"click"`
	Count   int     `json:"count"` // beats counted in: a bar of the meter
	Loop    bool    `json:"loop"`
	Seconds float64 `json:"seconds"` // that a pass takes at Tempo, without the count
	What    string  `json:"what"`
	Done    string  `json:"done"`
	Move    *Motion `json:"move,omitempty"` // of a hard move, at Tempo
	Moment  int     `json:"moment"`         // of the plan at which it begins, or of the move
	Last    int     `json:"last,omitempty"` // moment after which it stops, 0 for the end of its bars
}

// Heard are the layers of the plan's sound that show how a step goes.
func (s *Step) Heard() sound.Layer {
	layers := sound.Playing
	switch s.Layer {
	case ThumbAlone:
		layers = sound.Thumb
	case MelodyAlone:
		layers = sound.Melody
	}
	if s.Click {
		layers |= sound.Click
	}
	return layers
}

// Shares and sizes of the ladder.
const (
	deadWalk   = 0.5  // of the wanted tempo, or of what the hands allow if that is less: slow enough to think
	clickFrom  = 0.55 // the first tempo with a click
	stepUp     = 1.06 // from one tempo to the next
	slowest    = 30.0
	phraseBars = 4
	hardest    = 3
	changes    = 4 // chord changes that are grown, those with the least time first
	grownBy    = 3 // notes of the next chord, one after another
	loopShare  = 0.6
)

// ladder is a ladder being made.
type ladder struct {
	p     *plan.Plan
	tu    *tune.Tune
	goal  float64
	walk  float64
	steps []Step
}

// Ladder returns the steps for a plan, in order. A tune without thumb, slide, accents or percussion has no such step.
func Ladder(p *plan.Plan) []Step {
	l := newLadder(p)
	l.thumb()
	l.melody()
	l.moves()
	l.changes()
	l.together()
	l.tempo()
	l.accents()
	l.slide()
	l.percussion()
	l.whole()
	return l.steps
}

func newLadder(p *plan.Plan) *ladder {
	l := &ladder{p: p, tu: p.Request.Tune, goal: p.Tempo()}
	if c := p.Ceiling.BPM; c > 0 && c < l.goal {
		l.goal = c
	}
	l.walk = max(slowest, round(l.goal*deadWalk))
	return l
}

func round(x float64) float64 { return math.Round(x) }

// add appends a step: detail tells steps of one layer over the same bars apart; done follows how many clean passes in a row.
func (l *ladder) add(layer, detail string, bars [2]int, tempo float64, clean int, click, loop bool, what, done string) *Step {
	from, end := l.tu.Bars[bars[0]-1], l.tu.Bars[bars[1]-1]+l.tu.BarLength(bars[1]-1)
	meter, clock := l.tu.MeterOver(from), l.tu.Clock(tempo)
	key := strings.TrimSpace(fmt.Sprintf("%s %d-%d %s", layer, bars[0], bars[1], detail))
	first := slices.IndexFunc(l.p.Moments, func(mo play.Moment) bool { return mo.At >= from })
	l.steps = append(l.steps, Step{Key: key, Layer: layer, Bars: bars, Place: l.tu.BarsPrinted(bars[0], bars[1]), Tempo: tempo, Goal: tempo,
		Clean: clean, Click: click, Count: int(meter.Bar() / meter.Pulse()), Loop: loop,
		Seconds: clock.Seconds(end) - clock.Seconds(from), What: what, Done: inRow[clean] + done, Moment: max(first, 0)})
	return &l.steps[len(l.steps)-1]
}

// inRow says how many clean passes in a row finish a step.
var inRow = [...]string{1: "once, ", 2: "two in a row, ", 3: "three in a row, ", 4: "four in a row, ", 5: "five in a row, "}

// phrases are runs of bars, a short last one joined to the one before.
func (l *ladder) phrases() (out [][2]int) {
	n := len(l.tu.Bars)
	for from := 1; from <= n; from += phraseBars {
		to := min(from+phraseBars-1, n)
		if k := len(out); k > 0 && to-from+1 < phraseBars/2 {
			out[k-1][1] = to
			continue
		}
		out = append(out, [2]int{from, to})
	}
	return out
}

// in are the moments of bars that satisfy something.
func (l *ladder) in(bars [2]int, is func(*play.Moment) bool) (out []*play.Moment) {
	for i := range l.p.Moments {
		if mo := &l.p.Moments[i]; mo.Bar >= bars[0] && mo.Bar <= bars[1] && is(mo) {
			out = append(out, mo)
		}
	}
	return out
}

// shown is the first moment of bars that shows a layer well, else another.
func (l *ladder) shown(bars [2]int, is func(*play.Moment) bool, other int) int {
	for i := range l.p.Moments {
		if mo := &l.p.Moments[i]; mo.Bar >= bars[0] && mo.Bar <= bars[1] && is(mo) {
			return i
		}
	}
	return other
}

func (l *ladder) all() [2]int { return [2]int{1, len(l.tu.Bars)} }

// at names a moment.
func (l *ladder) at(mo *play.Moment) string {
	return fmt.Sprintf("bar %s, beat %s", mo.Printed, play.Decimal(mo.Beat))
}

func hasThumb(mo *play.Moment) bool  { return mo.Thumb != nil }
func hasMelody(mo *play.Moment) bool { return mo.Melody != nil }

// thumb: alone until it needs no thought, without a click and then with one.
func (l *ladder) thumb() {
	first := [2]int{0, 0}
	for _, ph := range l.phrases() {
		mos := l.in(ph, hasThumb)
		if len(mos) == 0 {
			continue
		}
		if first[0] == 0 {
			first = ph
		}
		step := l.add(ThumbAlone, "", ph, l.walk, 4, false, true, fmt.Sprintf("The thumb alone, on strings %s.", stringsOf(mos)),
			"without a mistake, not looking at your hand")
		step.Moment = l.shown(ph, func(mo *play.Moment) bool { return hasThumb(mo) && !hasMelody(mo) }, step.Moment)
	}
	if first[0] > 0 {
		l.add(ThumbAlone, "click", l.all(), round(l.goal*clickFrom), 2, true, true, "The thumb alone from end to end, with a click.",
			"while you talk, without thinking about it")
	}
}

// stringsOf are the strings that the thumb takes, in their order.
func stringsOf(mos []*play.Moment) string {
	var out []string
	for _, mo := range mos {
		if s := fmt.Sprint(mo.Thumb.String); !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	return strings.Join(out, ", ")
}

// melody: alone, phrase by phrase, with where it begins and what the slide does.
func (l *ladder) melody() {
	for _, ph := range l.phrases() {
		mos := l.in(ph, hasMelody)
		if len(mos) == 0 {
			continue
		}
		slid := 0
		for _, mo := range mos {
			if mo.Melody.How.Slid() {
				slid++
			}
		}
		what := fmt.Sprintf("The melody alone, from string %d %s.", mos[0].Melody.String,
			play.HowText(mos[0].Melody.How, play.FromCapo(mos[0].Melody.Fret, l.p.Request.Capo)))
		done := "without looking for a note"
		if slid > 0 {
			what += fmt.Sprintf(" %d of %d notes are played with the slide: play the phrase fretted first, then match it with the slide, dead in tune and without vibrato.", slid, len(mos))
			done = "with every slide note in tune at once"
		}
		step := l.add(MelodyAlone, "", ph, l.walk, 3, false, true, what, done)
		step.Moment = l.shown(ph, hasMelody, step.Moment)
	}
}

// moves: the hardest moves as loops of their own, from the bar before.
func (l *ladder) moves() {
	for _, mv := range l.p.Hardest(hardest) {
		mo := &l.p.Moments[mv.Moment]
		ceiling := l.p.BPMAt(mv.Share())
		tempo := max(slowest, round(min(ceiling*loopShare, l.goal*clickFrom)))
		bars := [2]int{max(1, mo.Bar-1), mo.Bar}
		if mo.Beat > 1 {
			bars[0] = mo.Bar
		}
		step := l.add(HardMove, l.at(mo), bars, tempo, 3, false, true,
			fmt.Sprintf("The move into %s alone, back and forth: %s. Start at %g bpm.", l.at(mo), mv.What, tempo),
			fmt.Sprintf("up to %g bpm (playable up to %g bpm)", max(tempo, l.goal), ceiling))
		step.Goal, step.Moment = max(tempo, l.goal), mv.Moment
		if mv.Kind != "" {
			step.Move = &Motion{Kind: mv.Kind, Bits: mv.Bits, There: (mv.There*l.p.Tempo()/tempo - mv.Fixed) / mv.Factor, Fixed: mv.Fixed / mv.Factor}
		}
	}
}

// changesHands reports whether a change of chord at moment t asks anything of the hands: within the bar after it a finger or the slide
// goes to another place, or the thumb to another string. A change of name over the same open strings is no step.
func (l *ladder) changesHands(t int) bool {
	before := l.hands(t-1, -1)
	after := l.hands(t, 1)
	for place := range after {
		if !before[place] {
			return true
		}
	}
	return false
}

// hands lists what is held, and which strings the thumb strikes, over one chord from moment t on in a direction, for a bar at most.
func (l *ladder) hands(t, step int) map[string]bool {
	out := map[string]bool{}
	chord, bar := l.p.Moments[t].Chord.Name, l.p.Moments[t].Bar
	for ; t >= 0 && t < len(l.p.Moments); t += step {
		mo := &l.p.Moments[t]
		if mo.Chord.Name != chord || (mo.Bar-bar)*step > 1 {
			break
		}
		for _, s := range mo.Strokes() {
			if s.Part == play.Thumb || s.How != play.Open {
				out[fmt.Sprint(s.String, s.Fret, s.How == play.Slide)] = true
			}
		}
	}
	return out
}

// changes: chord changes grown one note at a time, those with the least time to the next stroke first, each pair once.
func (l *ladder) changes() {
	type change struct {
		at     int     // moment
		before float64 // microseconds, whole so that equal ones are equal
	}
	var found []change
	seen := map[string]bool{}
	for t := 1; t < len(l.p.Moments); t++ {
		a, b := &l.p.Moments[t-1], &l.p.Moments[t]
		key := a.Chord.Name + " " + b.Chord.Name
		if a.Chord.Name == b.Chord.Name || seen[key] || !l.changesHands(t) {
			continue
		}
		seen[key] = true
		found = append(found, change{t, round((b.Seconds - a.Seconds) * 1e6)})
	}
	slices.SortStableFunc(found, func(a, b change) int { return cmp.Compare(a.before, b.before) })
	found = found[:min(len(found), changes)]
	slices.SortFunc(found, func(a, b change) int { return a.at - b.at })
	for _, c := range found {
		from, to := &l.p.Moments[c.at-1], &l.p.Moments[c.at]
		bars := [2]int{from.Bar, to.Bar}
		for n := 1; n <= grownBy && c.at+n-1 < len(l.p.Moments); n++ {
			if l.p.Moments[c.at+n-1].Chord.Name != to.Chord.Name {
				break
			}
			notes := "only the first stroke"
			if n > 1 {
				notes = fmt.Sprintf("the first %d strokes", n)
			}
			last := l.p.Moments[c.at+n-1].Bar
			step := l.add(Change, fmt.Sprintf("%s %d", l.at(to), n), [2]int{bars[0], last}, l.walk, 3, false, true,
				fmt.Sprintf("From %s to %s at %s: the bar before, then %s of %s, and stop.", from.Chord.Name, to.Chord.Name,
					l.at(to), notes, to.Chord.Name),
				"without a gap before the change")
			step.Moment, step.Last = c.at, c.at+n-1
		}
	}
}

// together: both hands' work at a dead walk, phrase by phrase, without a click; then with one.
func (l *ladder) together() {
	if len(l.in(l.all(), hasThumb)) == 0 || len(l.in(l.all(), hasMelody)) == 0 {
		return
	}
	for _, ph := range l.phrases() {
		both := l.in(ph, func(mo *play.Moment) bool { return mo.Thumb != nil && mo.Melody != nil })
		between := len(l.in(ph, hasMelody)) - len(both)
		l.add(Together, "", ph, l.walk, 3, false, true,
			fmt.Sprintf("Thumb and melody together: %d notes are pinched, %d melody notes fall between.", len(both), between),
			"without stopping, however slow")
	}
	l.add(Click, "", l.all(), round(l.goal*clickFrom), 1, true, false, "All of it, with a click.", "in time with the click")
}

// tempo: up by small steps to the wanted tempo, or to what the hands allow.
func (l *ladder) tempo() {
	before := round(l.goal * clickFrom)
	for t := l.goal * clickFrom * stepUp; ; t *= stepUp {
		last := t >= l.goal/math.Sqrt(stepUp)
		if last {
			t = l.goal
		}
		l.add(Tempo, "", l.all(), round(t), 2, true, false, fmt.Sprintf("All of it at %g bpm, starting at %g bpm.", round(t), before),
			"without a mistake; if it breaks down twice, go back a step")
		if last {
			return
		}
		before = round(t)
	}
}

// accents: what is accented or muted, once the notes run.
func (l *ladder) accents() {
	accented := l.in(l.all(), func(mo *play.Moment) bool {
		return mo.Accent || mo.Mute != "" || l.marked(mo, tune.Accent|tune.Staccato)
	})
	if len(accented) == 0 {
		return
	}
	bars := [2]int{accented[0].Bar, accented[len(accented)-1].Bar}
	l.add(Accents, "", bars, round(l.goal*0.75), 2, true, true,
		fmt.Sprintf("Accents and mutes: %d of them, the first at %s.", len(accented), l.at(accented[0])),
		"so that a listener could tap along with the accents")
}

func (l *ladder) marked(mo *play.Moment, marks tune.Marks) bool {
	return mo.Melody != nil && mo.Melody.Index < len(l.tu.Notes) && l.tu.Notes[mo.Melody.Index].Marks&marks != 0
}

// slide: glides and vibrato, after the pitch.
func (l *ladder) slide() {
	slid := l.in(l.all(), func(mo *play.Moment) bool { return mo.Melody != nil && mo.Melody.How == play.Glide })
	style, _ := ornament.StyleOf(&l.p.Request.Player)
	vibratos := ornament.Of(l.p).Vibratos
	if len(slid) > 0 {
		l.add(Slide, "glides", [2]int{slid[0].Bar, slid[len(slid)-1].Bar}, round(l.goal*0.75), 2, false, true,
			fmt.Sprintf("%d glides, the first into %s: start late, arrive on the wire, and stay there.", len(slid), l.at(slid[0])),
			"every one landing in tune without correction")
	}
	if n := len(vibratos); n > 0 {
		first, last := &l.p.Moments[vibratos[0].Moment], &l.p.Moments[vibratos[n-1].Moment]
		l.add(Slide, "vibrato", [2]int{first.Bar, last.Bar}, round(l.goal*0.75), 2, false, true,
			fmt.Sprintf("Vibrato on %d of the notes, the first at %s. %s", n, l.at(first), vibratos[0].Text(style)),
			"the pitch staying where it was before the vibrato")
	}
}

// percussion: last but for the whole, since it takes the thumb.
func (l *ladder) percussion() {
	hits := l.in(l.all(), func(mo *play.Moment) bool { return mo.Hit != "" })
	if len(hits) == 0 {
		return
	}
	kinds := []string{}
	for _, mo := range hits {
		if !slices.Contains(kinds, mo.Hit) {
			kinds = append(kinds, mo.Hit)
		}
	}
	bars := [2]int{hits[0].Bar, min(hits[0].Bar+1, len(l.tu.Bars))}
	l.add(Percussion, "alone", bars, l.walk, 4, false, true,
		fmt.Sprintf("The %s alone with the thumb, from %s.", strings.Join(kinds, " and the "), l.at(hits[0])),
		"on the beat, and without any pain: build it up over days")
	if slices.Contains(kinds, pattern.Slap) {
		l.add(Percussion, "chord", bars, l.walk, 4, false, true,
			"Chord and slap, then bass, melody and slap; a note with the slap is flicked outward.", "without the chord stopping")
	}
	l.add(Percussion, "", l.all(), round(l.goal*0.75), 1, true, false, "All of it with the percussion.", "at this tempo")
}

// whole: a variation where bars come again, and the end.
func (l *ladder) whole() {
	for b := range l.tu.Bars {
		if l.tu.BarPrinted(b).Pass > 1 {
			l.add(Whole, "again", [2]int{b + 1, min(b+phraseBars, len(l.tu.Bars))}, l.goal, 2, false, false,
				"This passage repeats: vary it, with other strings in the same position or one note left out.",
				"in two ways that you like")
			break
		}
	}
	n := len(l.tu.Bars)
	l.add(Whole, "end", [2]int{max(1, n-1), n}, l.goal, 2, false, false, "The end: slow down into the last note, and let it ring.",
		"so that it sounds intended")
}
