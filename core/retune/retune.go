// Package retune works out how to bring a guitar from one tuning to another: what to turn, how far, in
// what order, whether the strings and the neck bear it, and what would be safer.
//
// Tunings here have 4 to 8 strings and any order of pitch, so that high-strung and re-entrant ones are
// judged too. Strings are numbered 1 (first in the player's hand, usually the thinnest) upward; lists
// go by string from 1. Forces are N, lengths mm.
package retune

import (
	"fmt"
	"math"
	"sort"
	"strings"

	"stepping/core/neck"
	"stepping/core/pitch"
	"stepping/core/tuning"
)

// Guitar is what the strings are on. The zero value of a field means its default.
type Guitar struct {
	Name        string        `json:"name,omitempty"`
	ScaleMM     float64       `json:"scaleMm"`     // 648
	NutMM       float64       `json:"nutMm"`       // 36: first to last string at the nut
	BridgeMM    float64       `json:"bridgeMm"`    // 54: first to last string at the bridge
	ActionMM    float64       `json:"actionMm"`    // 2.5 at fret 12
	Frets       int           `json:"frets"`       // 20
	ReferenceHz float64       `json:"referenceHz"` // 440: of A4
	PostMM      float64       `json:"postMm"`      // diameter of the tuners' posts
	Gear        float64       `json:"gear"`        // turns of the knob for one of the post
	Set         string        `json:"set"`         // a set's name, if Strings is empty: light
	Strings     []neck.String `json:"strings"`     // string 1 first
}

// Limits of a guitar's values.
const (
	MinHz = 415.0
	MaxHz = 466.0
)

// Complete fills in defaults for n strings and checks every value. Errors name the field, the limit and
// the reason.
func (g *Guitar) Complete(n int) error {
	for _, f := range []struct {
		name   string
		value  *float64
		usual  float64
		lo, hi float64
		what   string
	}{
		{"scaleMm", &g.ScaleMM, 648, 300, 800, "nut to saddle"},
		{"nutMm", &g.NutMM, 36, 20, 70, "first to last string at the nut"},
		{"bridgeMm", &g.BridgeMM, 54, 30, 90, "first to last string at the bridge"},
		{"actionMm", &g.ActionMM, 2.5, 0.5, 15, "string over fret 12"},
		{"referenceHz", &g.ReferenceHz, 440, MinHz, MaxHz, "the pitch of A4"},
		{"postMm", &g.PostMM, neck.UsualPost, 3, 15, "diameter of the tuners' posts"},
		{"gear", &g.Gear, neck.UsualGear, 1, 50, "turns of the knob for one of the post"},
	} {
		if *f.value == 0 {
			*f.value = f.usual
		}
		if !(*f.value >= f.lo && *f.value <= f.hi) {
			return fmt.Errorf("%s: %g is outside %g to %g (%s)", f.name, *f.value, f.lo, f.hi, f.what)
		}
	}
	if g.Frets == 0 {
		g.Frets = 20
	}
	if g.Frets < 5 || g.Frets > 30 {
		return fmt.Errorf("frets: %d is outside 5 to 30", g.Frets)
	}
	if len(g.Strings) == 0 {
		if g.Set == "" {
			g.Set = "light"
		}
		set, ok := neck.SetNamed(g.Set)
		if !ok {
			return fmt.Errorf("set: %q is not one of %s", g.Set, strings.Join(neck.SetNames(), ", "))
		}
		g.Strings = set
		for len(g.Strings) < n { // beyond six, thicker and thicker
			last := g.Strings[len(g.Strings)-1]
			g.Strings = append(g.Strings[:len(g.Strings):len(g.Strings)],
				neck.String{GaugeIn: math.Min(last.GaugeIn*1.25, neck.MaxGauge), Wound: true})
		}
		g.Strings = g.Strings[:n]
	}
	if len(g.Strings) != n {
		return fmt.Errorf("strings: %d are described, the tuning has %d", len(g.Strings), n)
	}
	for i, s := range g.Strings {
		if err := s.Check(); err != nil {
			return fmt.Errorf("strings: string %d: %w", i+1, err)
		}
	}
	return nil
}

// Neck is the geometry of a complete guitar.
func (g *Guitar) Neck() neck.Neck {
	return neck.Neck{Scale: g.ScaleMM, Nut: g.NutMM, Bridge: g.BridgeMM, Frets: g.Frets, Strings: len(g.Strings)}
}

// Change is what happens to one string.
type Change struct {
	String    int
	From, To  pitch.Note
	HalfSteps int // up is positive
	Hz        float64
	Before    float64 // tension, N
	Tension   float64
	Share     float64 // of the core's breaking stress, afterwards
	Turns     float64 // of the knob
	Feel      float64 // N for each mm of bend
	Warnings  []string
}

// TurnsFrom is how far to turn the knob of a string that sounds at hz now, to bring it to where it is wanted;
// slacker is negative.
func (p *Plan) TurnsFrom(str int, hz float64) float64 {
	c, g := &p.Changes[str-1], &p.Guitar
	now := c.Tension * (hz / c.Hz) * (hz / c.Hz) // tension goes with the square of the pitch
	return g.Strings[str-1].Turns(now, c.Tension, g.ScaleMM, g.PostMM, g.Gear)
}

// Plan is a whole retuning.
type Plan struct {
	Guitar   Guitar
	From, To tuning.Tuning
	Changes  []Change // by string
	Order    []int    // strings, in the order in which to turn them
	Second   []int    // strings to go over again, since each moves the others
	Before   float64  // total pull, N
	After    float64
	Warnings []string
	Safer    []Safer
}

// Safer is the same shape lower, with a capo that lifts it again.
type Safer struct {
	Tuning    tuning.Tuning
	Capo      int
	HalfSteps int     // turned in all
	Highest   float64 // share of breaking stress of the tightest string
	Raised    int     // half steps of the string raised most
}

// BreakError is a string that would break before it gets there.
type BreakError struct {
	String int
	To     pitch.Note
	Share  float64
}

func (e *BreakError) Error() string {
	return fmt.Sprintf("string %d to %s: this string would break before it gets there: about %.0f%% of its strength", e.String, e.To, 100*e.Share)
}

// Shares of the breaking stress: from closeShare on a string is close to its limit, and old strings
// break sooner; at limitShare it counts as broken.
const (
	closeShare = 0.75
	limitShare = 1.0
	// bigChange is the change of total pull above which the neck may move.
	bigChange = 0.12
)

// New plans the way between two tunings of the same number of strings. g must be complete. The error is
// a *BreakError or says that the numbers of strings differ.
func New(g Guitar, from, to tuning.Tuning) (*Plan, error) {
	if from.Len() != to.Len() {
		return nil, fmt.Errorf("%d strings cannot become %d: give both tunings for the same guitar", from.Len(), to.Len())
	}
	p := &Plan{Guitar: g, From: from, To: to}
	for i := range to.Len() {
		c := g.change(i, from.Note(i+1), to.Note(i+1))
		if c.Share >= limitShare {
			return nil, &BreakError{c.String, c.To, c.Share}
		}
		p.Before, p.After = p.Before+c.Before, p.After+c.Tension
		p.Changes = append(p.Changes, c)
	}
	p.order()
	p.warn()
	p.Safer = g.safer(from, to)
	return p, nil
}

func (g *Guitar) change(i int, from, to pitch.Note) Change {
	s := g.Strings[i]
	c := Change{String: i + 1, From: from, To: to, HalfSteps: int((to.Pitch() - from.Pitch()) / pitch.HalfStep), Hz: to.Pitch().Hertz(g.ReferenceHz)}
	c.Before, c.Tension = s.Tension(g.ScaleMM, from.Pitch().Hertz(g.ReferenceHz)), s.Tension(g.ScaleMM, c.Hz)
	c.Share, c.Turns = s.Share(c.Tension), s.Turns(c.Before, c.Tension, g.ScaleMM, g.PostMM, g.Gear)
	c.Feel = neck.Feel(c.Tension, g.ScaleMM)
	if c.HalfSteps > 0 && c.Share >= closeShare {
		c.Warnings = append(c.Warnings, fmt.Sprintf("Close to its limit, about %.0f%% of its strength: keep your face away, turn slowly, put on a new string if this one is old", 100*c.Share))
	} else if c.HalfSteps >= 2 {
		c.Warnings = append(c.Warnings, "Tightened by a whole tone or more: keep your face away; old strings break sooner")
	}
	return c
}

// order: slacken first, the furthest first, so that the neck is relieved before anything is tightened;
// then tighten, the least first; all strings are gone over a second time.
func (p *Plan) order() {
	var down, up []int
	for i := range p.Changes {
		switch c := &p.Changes[i]; {
		case c.HalfSteps < 0:
			down = append(down, i+1)
		case c.HalfSteps > 0:
			up = append(up, i+1)
		}
	}
	steps := func(s int) int { return p.Changes[s-1].HalfSteps }
	sort.SliceStable(down, func(a, b int) bool { return steps(down[a]) < steps(down[b]) })
	sort.SliceStable(up, func(a, b int) bool { return steps(up[a]) < steps(up[b]) })
	p.Order = append(down, up...)
	if len(p.Order) > 0 {
		for s := len(p.Changes); s >= 1; s-- {
			p.Second = append(p.Second, s)
		}
	}
}

func (p *Plan) warn() {
	if change := (p.After - p.Before) / p.Before; math.Abs(change) >= bigChange {
		p.Warnings = append(p.Warnings, fmt.Sprintf("The pull on the neck changes by %+.0f%%: if you keep this tuning, have a repairer check the truss rod", 100*change))
	}
	if p.Steps() > 0 {
		p.Warnings = append(p.Warnings, "Tune up to each note from below to take up slack in the gears, then go over all strings a second time, because each one moves the others a little")
	}
}

// Steps returns the half steps turned in all.
func (p *Plan) Steps() (n int) {
	for i := range p.Changes {
		n += max(p.Changes[i].HalfSteps, -p.Changes[i].HalfSteps)
	}
	return n
}

// mostCapo is the highest fret for a capo that replaces tension.
const mostCapo = 5

// safer lists the same shape lower, by the highest share of strength, where the shape itself raises a
// string.
func (g *Guitar) safer(from, to tuning.Tuning) (out []Safer) {
	raised := 0
	for s := 1; s <= to.Len(); s++ {
		raised = max(raised, int((to.Open(s)-from.Open(s))/pitch.HalfStep))
	}
	for n := 1; n <= mostCapo && raised > 0; n++ {
		s := Safer{Capo: n, Tuning: to.Transpose(-n)}
		for i := range to.Len() {
			c := g.change(i, from.Note(i+1), s.Tuning.Note(i+1))
			s.HalfSteps += max(c.HalfSteps, -c.HalfSteps)
			s.Highest, s.Raised = math.Max(s.Highest, c.Share), max(s.Raised, c.HalfSteps)
		}
		if s.Raised < raised {
			out = append(out, s)
		}
		if s.Raised <= 0 {
			break // lower still would only be slacker
		}
	}
	return out
}

// gravity in m/s².
const gravity = 9.81

// Clearance returns the height in mm left between string str and fret n, in the new tuning, while a slide
// of so many grams lies on strings 1 to str with nothing but its weight. Being stiff it presses them down
// together. What is below 0 would touch the fret.
func (p *Plan) Clearance(grams float64, str, n int) float64 {
	k, pull := p.Guitar.Neck(), 0.0
	for i := range str {
		pull += p.Changes[i].Tension
	}
	x := k.X(float64(n))
	return neck.Height(p.Guitar.ActionMM, x, k.Scale) - neck.Sag(grams/1000*gravity, x, k.Scale, pull)
}

// Closest returns the fret at which such a slide leaves least under string str, and how much in mm.
func (p *Plan) Closest(grams float64, str int) (fret int, mm float64) {
	mm = math.Inf(1)
	for n := 1; n <= p.Guitar.Frets; n++ {
		if left := p.Clearance(grams, str, n); left < mm {
			fret, mm = n, left
		}
	}
	return fret, mm
}

// GaugeFor returns the gauge in inches that gives about tension N at a note, plain up to plainest and
// wound above, to the nearest thousandth; 0 if none between the limits does.
func (g *Guitar) GaugeFor(note pitch.Note, tension float64) neck.String {
	hz := note.Pitch().Hertz(g.ReferenceHz)
	best, off := neck.String{}, math.Inf(1)
	for mils := int(neck.MinGauge * 1000); mils <= int(neck.MaxGauge*1000); mils++ {
		s := neck.String{GaugeIn: float64(mils) / 1000, Wound: mils > plainest}
		t := s.Tension(g.ScaleMM, hz)
		if d := math.Abs(t - tension); d < off && s.Share(t) < limitShare {
			best, off = s, d
		}
	}
	return best
}

// plainest is the thickest gauge that is sold plain, in thousandths of an inch.
const plainest = 20
