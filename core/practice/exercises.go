package practice

import (
	"fmt"
	"slices"
	"strings"

	"stepping/core/lick"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tuning"
)

// Exercise is the layer of what is practised next to a ladder: made for this player, guitar and tuning out of
// what the log or the plan shows to be weak.
const Exercise = "exercise"

// Exercises returns the steps next to the ladder of a plan, those for what the log shows to be weak first; weak
// are the states of the ladder's rungs, nil without a log. What the tune does not have is in none of them.
func Exercises(p *plan.Plan, weak []State) []Step {
	l := newLadder(p)
	l.pitch(weak)
	l.between()
	l.silence()
	l.clap()
	l.slap()
	l.lick()
	return l.steps
}

// weakest is the place among bars at which the log shows most breaks in a layer; the first of the rungs if it shows none.
func weakest(states []State, layer string, bars [][2]int) [2]int {
	worst, at := -1, bars[0]
	for i := range states {
		s := &states[i]
		if s.Layer != layer || !slices.Contains(bars, s.Bars) {
			continue
		}
		if bad := s.Faults; bad > worst {
			worst, at = bad, s.Bars
		}
	}
	return at
}

// because says what an exercise was made from.
func (l *ladder) because(states []State, layer string, bars [2]int, plain string) string {
	for i := range states {
		if s := &states[i]; s.Layer == layer && s.Bars == bars && s.Faults > 0 {
			return fmt.Sprintf("it broke down %d times in %s", s.Faults, s.Place)
		}
	}
	return plain
}

// pitch: the phrase fretted, then with the slide, then matched, before any vibrato.
func (l *ladder) pitch(states []State) {
	var slid [][2]int
	for _, ph := range l.phrases() {
		if len(l.in(ph, isSlid)) > 1 {
			slid = append(slid, ph)
		}
	}
	if len(slid) == 0 {
		return
	}
	ph := weakest(states, MelodyAlone, slid)
	mos := l.in(ph, isSlid)
	why := l.because(states, MelodyAlone, ph, fmt.Sprintf("%d of its notes are slid", len(mos)))
	first := mos[0].Melody
	at := fmt.Sprintf("string %d, fret %s", first.String, play.FromCapo(first.Fret, l.p.Request.Capo))
	l.exercise("pitch 1", ph, 3, false, fmt.Sprintf("In tune (%s): the phrase with fingers instead of the slide, from %s. Sing every note.", why, at), "until you can sing it without the guitar")
	l.exercise("pitch 2", ph, 3, false, "The same with the slide, no vibrato: stop on the wire, listen, and only then go on.",
		"with every note in tune where it lands")
	l.exercise("pitch 3", ph, 3, false, "Each note twice: fretted, then slid. Where they differ, the slide is not over the wire.",
		"without a difference that you can hear")
	l.exercise("pitch 4", ph, 3, false, "Now with vibrato on the long notes, to both sides of the wire alike.",
		"the pitch staying where it was without it")
}

func isSlid(mo *play.Moment) bool {
	return mo.Melody != nil && mo.Melody.How.Slid()
}

// distances are how far the slide goes to and fro in an exercise, in frets.
var distances = []float64{2, 5, 9}

// between: the slide never stops between two places on two strings; the picking hand decides when a note speaks.
func (l *ladder) between() {
	for t := 1; t < len(l.p.Moments); t++ {
		a, b := &l.p.Moments[t-1], &l.p.Moments[t]
		if !isSlid(a) || !isSlid(b) || a.Melody.String == b.Melody.String || a.Bar != b.Bar {
			continue
		}
		capo := l.p.Request.Capo
		home := a.Melody.Fret
		for n, d := range distances {
			other := home + d
			if other > float64(l.p.Request.Player.Instrument.Frets) {
				other = home - d
			}
			if other <= float64(capo) {
				continue
			}
			l.exercise(fmt.Sprintf("between %d", n+1), [2]int{a.Bar, b.Bar}, 4, false,
				fmt.Sprintf("Keep the slide moving between fret %s on string %d and fret %s on string %d, %g frets. Pluck only as it passes the wire. From bar %s.",
					play.FromCapo(home, capo), a.Melody.String, play.FromCapo(other, capo), b.Melody.String, d, a.Printed),
				"there and back, each note speaking in tune").Moment = t
		}
		return
	}
}

// silence: string by string, at the moment of the plan that silences most.
func (l *ladder) silence() {
	at, most := -1, 1
	for t := range l.p.Moments {
		n := 0
		for _, st := range l.p.Moments[t].Strings {
			if st.State == play.Silenced || st.State == play.Leaks {
				n++
			}
		}
		if n > most && l.p.Moments[t].Melody != nil {
			at, most = t, n
		}
	}
	if at < 0 {
		return
	}
	mo := &l.p.Moments[at]
	bars := [2]int{mo.Bar, mo.Bar}
	hold := fmt.Sprintf("Hold %s, string %d %s.", l.at(mo), mo.Melody.String,
		play.HowText(mo.Melody.How, play.FromCapo(mo.Melody.Fret, l.p.Request.Capo)))
	l.exercise("silence 1", bars, 4, false, fmt.Sprintf("Silence (%d strings must be still here): %s Strike all six strings: only that one may sound. Find any other string that rings, and damp it.", most, hold), "with one string sounding").Moment = at
	if pair := octaves(l.p.Request.Tuning); pair != "" {
		l.exercise("silence 2", bars, 4, false, "The same with two strings an octave apart under the slide or open, "+pair+": strike all six.", "with two strings sounding").Moment = at
	}
	l.exercise("silence 3", bars, 4, false, "The three lowest strings as a chord, the others silent: strike all six, then let the chord stop at once.", "with three strings sounding, and then none").Moment = at
	l.exercise("silence 4", bars, 3, true, "Now in the tune, with the strings between your notes as still as before.", "with no unwanted ringing").Moment = at
}

// octaves names two strings an octave apart, "" if there are none.
func octaves(t tuning.Tuning) string {
	for low := t.Len(); low >= 1; low-- {
		for high := low - 1; high >= 1; high-- {
			if t.Open(high)-t.Open(low) == 1200 {
				return fmt.Sprintf("%d and %d", low, high)
			}
		}
	}
	return ""
}

// clap: the thumb against what the other hand, or the foot, beats.
func (l *ladder) clap() {
	if mos := l.in(l.all(), hasThumb); len(mos) > 0 {
		ph := l.phrases()[0]
		if some := l.in(ph, hasThumb); len(some) == 0 {
			return
		}
		beats := "every second one"
		switch m := l.tu.MeterOver(0); {
		case m.Num == 4:
			beats = "two and four"
		case m.Num == 3 && m.Den <= 4:
			beats = "two and three"
		}
		l.exercise("clap", ph, 4, true, fmt.Sprintf("The thumb alone while your foot taps the beats it does not stress: %s. Talk while you do it.", beats), "the thumb never waiting for the foot")
	}
}

// slap: from the slap alone to the flick.
func (l *ladder) slap() {
	hits := l.in(l.all(), func(mo *play.Moment) bool { return mo.Hit == pattern.Slap })
	if len(hits) == 0 {
		return
	}
	bars := [2]int{hits[0].Bar, hits[0].Bar}
	caution := " Lightly: a hard slap hurts the thumb's joint."
	l.exercise("slap 1", bars, 4, true, fmt.Sprintf("The slap alone, as from %s, strings 6 and 5 against the frets.%s",
		l.at(hits[0]), caution), "on the beat, and without any pain")
	l.exercise("slap 2", bars, 4, true, "Chord and slap in turn: the chord rings on under the slap or stops with it, whichever you want.", "without the chord stopping by accident")
	l.exercise("slap 3", bars, 4, true, "Bass, melody and slap, as planned.", "with all three as loud as you want them")
	if slices.ContainsFunc(hits, func(mo *play.Moment) bool { return mo.Flick }) {
		l.exercise("slap 4", bars, 4, true, "With the flick: one finger outward across the top strings as the thumb slaps; the fretting hand silences the other strings.", "with only the wanted string sounding")
	}
}

// Sizes of a lick that is carried through the chords.
const (
	leastLick = 3
	mostLick  = 6
)

// lick: a bar of the melody as a shape, over each other chord of the tune.
func (l *ladder) lick() {
	for t := range l.p.Moments {
		mo := &l.p.Moments[t]
		notes := lick.BarNotes(l.p, t)
		if mo.Melody == nil || notes[0] != t || len(notes) < leastLick || len(notes) > mostLick {
			continue
		}
		var over []string
		seen := map[string]bool{mo.Chord.Name: true}
		lk := lick.Of(l.p, notes)
		for i := range lk.Places {
			pl := &lk.Places[i]
			if seen[pl.Chords[0]] {
				continue
			}
			seen[pl.Chords[0]] = true
			over = append(over, fmt.Sprintf("over %s %s, where it is %s", pl.Chords[0], moveText(pl), strings.Join(pl.Degrees, " ")))
		}
		if len(over) == 0 {
			continue
		}
		l.exercise("lick", [2]int{mo.Bar, mo.Bar}, 3, false, fmt.Sprintf("The lick of bar %s (%s over %s) through the chords of the tune: %s.", mo.Printed, strings.Join(lk.Degrees, " "), mo.Chord.Name, strings.Join(over, "; ")), "over each chord without looking").Moment = t
		return
	}
}

// moveText says where a lick is carried to.
func moveText(p *lick.Place) string {
	switch {
	case p.Shift > 0:
		return fmt.Sprintf("%d frets up", p.Shift)
	case p.Shift < 0:
		return fmt.Sprintf("%d frets down", -p.Shift)
	case p.Over > 0:
		return fmt.Sprintf("%d strings lower", p.Over)
	case p.Over < 0:
		return fmt.Sprintf("%d strings higher", -p.Over)
	}
	return "as it is"
}

// exercise adds a step of the layer, at a dead walk.
func (l *ladder) exercise(detail string, bars [2]int, clean int, click bool, what, done string) *Step {
	return l.add(Exercise, detail, bars, l.walk, clean, click, true, what, done)
}
