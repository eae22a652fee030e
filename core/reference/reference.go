// Package reference judges plans by reference arrangements: phrases with the way in which a good
// player would play them. It says what a plan chooses otherwise, and what the wanted choice would cost.
package reference

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
)

// Reference is one arrangement. Where two ways are equally good it allows both.
type Reference struct {
	Name, About string
	Request     plan.Request
	Melody      [][]Note // of each onset of the melody, its voices in any order; empty: no opinion
	Bass        []Note   // of each stroke of the thumb, in order; nil for no opinion on any
}

// Note is the ways in which one note may be played, as written; no ways: no opinion.
type Note struct {
	Text    string
	Ways    []Way
	Fingers []string // that may hold it: 1 to 4, T; none: no opinion
}

// Way is a place and technique.
type Way struct {
	String int
	Fret   float64 // from the nut; below the capo's fret counts as it; AnyFret of a bass note for any
	How    Manner
	Out    bool // of a bass note: left out
}

// AnyFret of a bass note leaves its fret open.
const AnyFret = -1

// Manner is a technique as references tell them apart.
type Manner string

// The manners. A fretted note may also be hammered or pulled, a slide note glided into or carried on.
const (
	Open     Manner = "open"
	Fretted  Manner = "fret"
	Slid     Manner = "slide"
	Hammered Manner = "hammer"
	Pulled   Manner = "pull"
	Bent     Manner = "bend"
	Harmonic Manner = "harmonic"
)

// sameFret is how far in half steps a slide note may lie from where it is wanted.
const sameFret = 0.26

// takes reports whether a melody note played at a place so is what w asks for, with a capo at a fret.
func (w *Way) takes(str int, fret float64, how play.How, capo int) bool {
	at := max(w.Fret, float64(capo))
	if w.String != str || math.Abs(fret-at) >= sameFret {
		return false
	}
	switch w.How {
	case Slid:
		return how.Slid()
	case Fretted:
		return how == play.Fret || how == play.Hammer || how == play.Pull && at > float64(capo)
	case Open:
		return how == play.Open || how == play.Pull && at == float64(capo)
	case Pulled:
		return how == play.Pull || how == play.Open && at == float64(capo)
	}
	return string(w.How) == string(how)
}

func (w *Way) takesBass(s *play.Stroke, capo int) bool {
	switch {
	case s == nil || w.Out:
		return s == nil && w.Out
	case w.String != s.String:
		return false
	}
	return w.Fret == AnyFret || max(w.Fret, float64(capo)) == s.Fret
}

// Miss is a choice of the plan other than the reference's.
type Miss struct {
	Moment      int
	Bar         tune.Printed
	Beat        float64
	Part        string
	Wanted, Got string
	Priced      bool
	Extra       float64 // what the best plan with the wanted choice would cost more; infinite if there is none
	Why         string
}

// String says the miss: "1:12 wanted 2:7s, +0.31: …".
func (m *Miss) String() string {
	text := fmt.Sprintf("bar %s beat %s, %s: wanted %s, got %s", m.Bar, play.Decimal(m.Beat), m.Part, m.Wanted, m.Got)
	switch {
	case !m.Priced:
		return text
	case math.IsInf(m.Extra, 1):
		return text + ", which no plan can do"
	}
	return fmt.Sprintf("%s, %+.2f: %s", text, m.Extra, m.Why)
}

// Agreement is how often a plan chooses what the reference does.
type Agreement struct {
	Melody, MelodyOf int
	Bass, BassOf     int
	// Fingers of the fretting hand, on fretted notes whose place agrees.
	Fingers, FingersOf int
	Misses             []Miss
}

// Add adds another agreement's counts.
func (a *Agreement) Add(b *Agreement) {
	a.Melody, a.MelodyOf = a.Melody+b.Melody, a.MelodyOf+b.MelodyOf
	a.Bass, a.BassOf = a.Bass+b.Bass, a.BassOf+b.BassOf
	a.Fingers, a.FingersOf = a.Fingers+b.Fingers, a.FingersOf+b.FingersOf
}

// Compare counts where p, a plan of r's request, chooses as r does.
func (r *Reference) Compare(p *plan.Plan) (a Agreement, err error) {
	onset, stroke := 0, 0
	for t := range p.Moments {
		mo := &p.Moments[t]
		if mo.Melody != nil {
			if onset >= len(r.Melody) {
				return a, fmt.Errorf("%s: %d tokens for the melody, which has more onsets", r.Name, len(r.Melody))
			}
			r.compareMelody(p, t, r.Melody[onset], &a)
			onset++
		}
		if r.Bass == nil || mo.Thumb == nil && !mo.Dropped && !mo.RingsOn {
			continue
		}
		if stroke < len(r.Bass) {
			r.compareBass(p, t, &r.Bass[stroke], &a)
		}
		stroke++
	}
	if onset != len(r.Melody) {
		return a, fmt.Errorf("%s: %d tokens for the melody, which has %d onsets", r.Name, len(r.Melody), onset)
	}
	return a, nil
}

func (r *Reference) compareMelody(p *plan.Plan, t int, want []Note, a *Agreement) {
	if len(want) == 0 {
		return
	}
	mo := &p.Moments[t]
	got := append([]*play.Stroke{mo.Melody}, mo.With...)
	a.MelodyOf++
	agrees := len(want) == len(got)
	if agrees {
		for i := range want {
			at := slices.IndexFunc(got, func(s *play.Stroke) bool {
				return slices.ContainsFunc(want[i].Ways, func(w Way) bool { return w.takes(s.String, s.Fret, s.How, r.Request.Capo) })
			})
			if at >= 0 {
				a.finger(mo, t, got[at], &want[i])
			}
		}
	}
	for i := range want {
		agrees = agrees && (len(want[i].Ways) == 0 || slices.ContainsFunc(got, func(s *play.Stroke) bool {
			return slices.ContainsFunc(want[i].Ways, func(w Way) bool { return w.takes(s.String, s.Fret, s.How, r.Request.Capo) })
		}))
	}
	if agrees {
		a.Melody++
		return
	}
	var wanted, chosen []string
	for i := range want {
		wanted = append(wanted, want[i].Text)
	}
	for _, s := range got {
		chosen = append(chosen, fmt.Sprintf("%d:%s %s", s.String, play.Decimal(s.Fret), s.How))
	}
	a.miss(mo, t, "melody", strings.Join(wanted, " "), strings.Join(chosen, " "))
}

func (r *Reference) compareBass(p *plan.Plan, t int, want *Note, a *Agreement) {
	if len(want.Ways) == 0 {
		return
	}
	mo := &p.Moments[t]
	a.BassOf++
	if slices.ContainsFunc(want.Ways, func(w Way) bool { return w.takesBass(mo.Thumb, r.Request.Capo) }) {
		a.Bass++
		if mo.Thumb != nil {
			a.finger(mo, t, mo.Thumb, want)
		}
		return
	}
	got := "-"
	if s := mo.Thumb; s != nil {
		got = fmt.Sprintf("%d:%s", s.String, play.Decimal(s.Fret))
	}
	a.miss(mo, t, "thumb", want.Text, got)
}

// finger compares the finger of a stroke whose place agrees.
func (a *Agreement) finger(mo *play.Moment, t int, s *play.Stroke, want *Note) {
	if len(want.Fingers) == 0 {
		return
	}
	a.FingersOf++
	if slices.Contains(want.Fingers, s.Finger) {
		a.Fingers++
		return
	}
	a.miss(mo, t, "finger", want.Text+" by "+strings.Join(want.Fingers, "/"), cmp.Or(s.Finger, "none"))
}

func (a *Agreement) miss(mo *play.Moment, t int, part, wanted, got string) {
	a.Misses = append(a.Misses, Miss{Moment: t, Bar: mo.Printed, Beat: mo.Beat, Part: part, Wanted: wanted, Got: got})
}

// Price finds for every miss of single notes what the wanted choice would cost, from p's alternatives.
func (r *Reference) Price(ctx context.Context, p *plan.Plan, a *Agreement) error {
	melody, bass := r.byMoment(p)
	for i := range a.Misses {
		m := &a.Misses[i]
		part, ways := play.Melody, []Way(nil)
		if m.Part == "finger" {
			continue // which finger takes a place has no price in the plan
		}
		if m.Part == "thumb" {
			part, ways = play.Thumb, bass[m.Moment].Ways
		} else if notes := melody[m.Moment]; len(notes) == 1 {
			ways = notes[0].Ways
		} else {
			continue
		}
		alts, err := p.Alternatives(ctx, m.Moment, part)
		if err != nil {
			return err
		}
		m.Priced, m.Extra = true, math.Inf(1)
		for k := range alts {
			if alt := &alts[k]; alt.Extra < m.Extra &&
				slices.ContainsFunc(ways, func(w Way) bool { return w.takesAlternative(alt, r.Request.Capo) }) {
				m.Extra, m.Why = alt.Extra, alt.Why
			}
		}
	}
	return nil
}

func (w *Way) takesAlternative(a *plan.Alternative, capo int) bool {
	if a.Part == play.Melody {
		return w.takes(a.String, a.Fret, a.How, capo)
	}
	if a.How == play.Drop {
		return w.Out
	}
	return w.takesBass(&play.Stroke{String: a.String, Fret: a.Fret}, capo)
}

// byMoment files what is wanted by the moments of p.
func (r *Reference) byMoment(p *plan.Plan) (melody map[int][]Note, bass map[int]*Note) {
	melody, bass = map[int][]Note{}, map[int]*Note{}
	onset, stroke := 0, 0
	for t := range p.Moments {
		mo := &p.Moments[t]
		if mo.Melody != nil {
			melody[t] = r.Melody[onset]
			onset++
		}
		if r.Bass != nil && (mo.Thumb != nil || mo.Dropped || mo.RingsOn) && stroke < len(r.Bass) {
			bass[t] = &r.Bass[stroke]
			stroke++
		}
	}
	return melody, bass
}
