package lesson

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"stepping/core/player"
	"stepping/core/setup"
)

// trait is something about a pupil that plans depend on.
type trait struct {
	take  func(to, from *Pupil) // takes it over
	words func(p *Pupil) string // what it is like, as a reason: "because …"
}

// traits are all that plans depend on, from what decides most to what decides least.
var traits = []trait{
	{func(to, from *Pupil) { to.Player.Posture, to.Player.Silence = from.Player.Posture, from.Player.Silence },
		func(p *Pupil) string {
			if p.Player.Lap() {
				return "the guitar lies flat under a bar"
			}
			return silences[p.Player.Silence]
		}},
	{func(to, from *Pupil) { to.Player.Lean = from.Player.Lean }, func(p *Pupil) string { return leans[p.Player.Lean] }},
	{func(to, from *Pupil) { to.Level = from.Level }, func(p *Pupil) string {
		if p.Level.Name != "" {
			return "the level is " + p.Level.Name
		}
		return setup.LeftOut(p.Level)
	}},
	{func(to, from *Pupil) { to.Player.Thumb = from.Player.Thumb }, func(p *Pupil) string { return thumbs[p.Player.Thumb] }},
	{func(to, from *Pupil) { to.Player.SlideFinger = from.Player.SlideFinger }, func(p *Pupil) string {
		return "the slide is on the " + fingers[p.Player.SlideFinger]
	}},
	{func(to, from *Pupil) { to.Player.Slide, to.Player.FingerMM = from.Player.Slide, from.Player.FingerMM },
		func(p *Pupil) string { return fmt.Sprintf("the slide is %.0f mm long", p.Player.Slide.LengthMM) }},
	{func(to, from *Pupil) { to.Player.ReachMM = from.Player.ReachMM },
		func(p *Pupil) string { return fmt.Sprintf("the hand reaches %.0f mm", p.Player.ReachMM) }},
	{func(to, from *Pupil) {
		a, b := &to.Player, &from.Player
		a.Fingers, a.Attack, a.Support, a.RestrikeS = b.Fingers, b.Attack, b.Support, b.RestrikeS
	}, func(p *Pupil) string {
		return fmt.Sprintf("the picking hand has %d %s besides the thumb", p.Player.Fingers, plural("finger", p.Player.Fingers))
	}},
	{func(to, from *Pupil) { to.Player.Techniques = from.Player.Techniques }, func(p *Pupil) string {
		if len(p.Player.Techniques) == 0 {
			return "there are no bends, taps or harmonics"
		}
		return "special techniques are " + strings.Join(p.Player.Techniques, ", ")
	}},
	{func(to, from *Pupil) {
		to.Player.ThumbOver, to.Player.FretBehindSlide = from.Player.ThumbOver, from.Player.FretBehindSlide
	}, func(p *Pupil) string {
		if !p.Player.ThumbOver {
			return "the thumb does not come over the neck"
		}
		return "the thumb can fret over the neck"
	}},
	{func(to, from *Pupil) { to.Player.Instrument = from.Player.Instrument }, func(*Pupil) string { return "it is a different guitar" }},
	{func(to, from *Pupil) { to.Player.FittsA, to.Player.FittsB = from.Player.FittsA, from.Player.FittsB },
		func(*Pupil) string { return "the hand moves faster or slower" }},
	{func(to, from *Pupil) {
		to.Player.Taste, to.Player.Drone, to.Player.Accent = from.Player.Taste, from.Player.Drone, from.Player.Accent
	}, func(*Pupil) string { return "their preferences differ" }},
}

var (
	leans = map[string]string{player.LeanNone: "there is no slide", player.LeanFret: "the slide is for the peaks only", player.LeanMain: "slide and fretted notes are mixed",
		player.LeanMixed: "most of it is for the slide", player.LeanSlide: "all of it is for the slide"}
	thumbs = map[string]string{"": "the thumb is free", "alternating": "the thumb alternates", "steady": "the thumb keeps to the root",
		"none": "the thumb is not free yet"}
	silences = map[string]string{player.Heel: "the heel keeps strings quiet", player.Fingers: "picking fingers keep strings quiet",
		player.Trailing: "a trailing finger keeps strings quiet", player.Both: "both hands keep strings quiet", player.Ring: "strings are left to ring"}
	fingers = map[int]string{2: "middle finger", 3: "ring finger", 4: "little finger"}
)

func plural(word string, n int) string {
	if n == 1 {
		return word
	}
	return word + "s"
}

// Reason is why bars of a sheet are played otherwise than the teacher plays them.
type Reason struct {
	Bars  []int    // from 0
	Words []string // traits, each of which alone makes the difference; empty: several together do
}

// mostWords is how many traits a reason names.
const mostWords = 2

// Why explains every bar in which a sheet differs from the teacher's, bars with the same reason together in the order in which they
// come. It plans twice for each trait that differs: the pupil with the teacher's, and the teacher with the pupil's. The error is
// ctx's.
func (l *Lesson) Why(ctx context.Context, teacher, of *Sheet, report func(done, total int)) ([]Reason, error) {
	if teacher.Err != nil || of.Err != nil {
		return nil, ctx.Err()
	}
	var variants, taught []Pupil // the pupil and the teacher, each with one trait of the other
	var named []*trait
	for i := range traits {
		v, w := of.Pupil, teacher.Pupil
		if traits[i].take(&v, &teacher.Pupil); v.key() != of.Pupil.key() {
			traits[i].take(&w, &of.Pupil)
			variants, taught, named = append(variants, v), append(taught, w), append(named, &traits[i])
		}
	}
	sheets, err := l.Sheets(ctx, append(variants, taught...), Watch{Report: report})
	if err != nil {
		return nil, err
	}
	var out []Reason
	for _, bar := range Differing(teacher, of) {
		words := reasonFor(bar, of, named, sheets, teacher.Bars[bar])
		if at := slices.IndexFunc(out, func(r Reason) bool { return slices.Equal(r.Words, words) }); at >= 0 {
			out[at].Bars = append(out[at].Bars, bar)
		} else {
			out = append(out, Reason{[]int{bar}, words})
		}
	}
	return out, nil
}

// reasonFor names the traits without which a bar is played as the teacher plays it; if there are none, since several would each do it, those with
// which the teacher would play it as the pupil does; if there are none of these, those without which it is at least played otherwise than now.
// variants are the pupil's with each trait taken over, then the teacher's.
func reasonFor(bar int, of *Sheet, named []*trait, variants []Sheet, theirs string) []string {
	var makes, does, changes []string
	for i := range named {
		if w := &variants[len(named)+i]; w.Err == nil && w.Bars[bar] == of.Bars[bar] {
			does = append(does, named[i].words(&of.Pupil))
		}
		switch v := &variants[i]; {
		case v.Err != nil:
		case v.Bars[bar] == theirs:
			makes = append(makes, named[i].words(&of.Pupil))
		case v.Bars[bar] != of.Bars[bar]:
			changes = append(changes, named[i].words(&of.Pupil))
		}
	}
	for _, words := range [][]string{makes, does, changes} {
		if len(words) > 0 {
			return words[:min(len(words), mostWords)]
		}
	}
	return nil
}

// Groups puts sheets that are played alike throughout together, in the order of their first; sheets with Err are groups of their own.
func Groups(sheets []Sheet) (out [][]int) {
	at := map[string]int{}
	for i := range sheets {
		if sheets[i].Err != nil {
			out = append(out, []int{i})
			continue
		}
		key := strings.Join(sheets[i].Bars, "/")
		if g, ok := at[key]; ok {
			out[g] = append(out[g], i)
			continue
		}
		at[key] = len(out)
		out = append(out, []int{i})
	}
	return out
}
