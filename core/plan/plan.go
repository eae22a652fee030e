package plan

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/tune"
)

// Plan is a complete way to play a tune, with the least total cost in the model.
type Plan struct {
	Request Request
	Moments []Moment
	Total   float64
	Terms   Terms
	Ceiling Ceiling

	m      *model
	layers [][]state
	path   []int32          // state of each moment
	togo   [][]ahead        // the best continuation of each state, filled by Alternatives
	beside map[string]*Plan // plans without one pin, filled by Alternatives
}

// Moment is what happens at one onset.
type Moment struct {
	At      tune.Time
	Seconds float64
	Bar     int     // from 1
	Beat    float64 // from 1, in units of the meter's denominator
	Stroke  string  // role that the thumb's pattern asks for, or ""
	Chord   chord.Chord
	Melody  *Stroke // melody note beginning here
	Held    *Stroke // melody note that began earlier and sounds on
	Thumb   *Stroke // thumb stroke
	Dropped bool    // a thumb stroke was wanted and is left out
	Hand    LeftHand
	Strings [6]StringState // index 0 is string 1
	Digits  [4]int         // string that p, i, m, a each touch, plucking or stopping; 0 for none
	Heel    int            // strings under the heel, from string 6 inward
	Cost    Terms
}

// Stroke is one note struck.
type Stroke struct {
	Part   Part
	String int
	Fret   float64 // from the nut; the capo's fret if open
	How    How
	Finger string // "1" … "4", "T" thumb over the neck, "S" slide, "" open
	Digit  string // p i m a
	Note   pitch.Note
	Dur    tune.Time // written length; for the thumb the length of its beat
	Pinned bool
	Index  int // number of the melody note, from 0
}

// LeftHand is what the left hand holds.
type LeftHand struct {
	SlideOn        bool
	SlideFret      float64
	Covers, Trails int
	Fingers        []FingerAt
}

// FingerAt is one fretting finger; Finger "T" is the thumb over the neck.
type FingerAt struct {
	Finger       string
	String, Fret int
}

// State is what a string does at a moment.
type State string

// The states of a string.
const (
	Struck   State = "struck"
	Rings    State = "rings"
	Silenced State = "silenced"
	Harmless State = "harmless" // free, but nothing has set it ringing
	Leaks    State = "leaks"
)

// StringState is the state of one string; By names the damper of a silenced string.
type StringState struct {
	State State
	By    string
	Note  string // what sounds or leaks: the note name
}

// Solve plans r. Errors: *RangeError, *PinError, a validation error, or ctx's.
func Solve(ctx context.Context, r Request) (*Plan, error) {
	m, err := newModel(&r)
	if err != nil {
		return nil, err
	}
	layers, err := m.forward(ctx)
	if err != nil {
		return nil, err
	}
	last := len(layers) - 1
	end := best(layers[last])
	if end < 0 {
		return nil, conflict(ctx, r)
	}
	p := &Plan{Request: r, m: m, layers: layers, path: make([]int32, len(layers)), Total: layers[last][end].cost}
	for t, s := last, int32(end); t >= 0; t-- {
		p.path[t] = s
		s = layers[t][s].prev
	}
	p.Moments = make([]Moment, len(layers))
	for t := range layers {
		var before *state
		if t > 0 {
			before = &layers[t-1][p.path[t-1]]
		}
		p.Moments[t] = m.moment(t, before, &layers[t][p.path[t]])
		p.Terms.addAll(&p.Moments[t].Cost)
	}
	p.markLeaks()
	p.Ceiling = m.ceiling(p)
	return p, nil
}

// conflict finds a smallest set of pins that cannot be kept together, by leaving out
// each in turn as long as the rest stays impossible.
func conflict(ctx context.Context, r Request) error {
	pins := slices.Clone(r.Pins)
	for i := 0; i < len(pins); {
		trial := r
		trial.Pins = slices.Delete(slices.Clone(pins), i, i+1)
		m, err := newModel(&trial)
		if err != nil {
			return err
		}
		layers, err := m.forward(ctx)
		if err != nil {
			return err
		}
		if len(layers[len(layers)-1]) == 0 {
			pins = trial.Pins
		} else {
			i++
		}
	}
	if len(pins) == 0 {
		return errors.New("no plan exists for this tune with this profile")
	}
	text := "these choices cannot be played together: "
	for i, p := range pins {
		if i > 0 {
			text += "; "
		}
		text += pinText(p, r.Tune.BarOver(p.At)+1, r.Capo)
	}
	return &PinError{pins, text + ". Unpin one of them"}
}

// choice is everything chosen at one moment, recomputed from the states around it.
type choice struct {
	h     *hand
	r     *right
	bass  bassOption
	from  int
	to    int
	s     silence
	st    stops
	tl    tail
	terms Terms
}

// choiceAt recomputes what was chosen between two states. Its terms add up to the
// difference of their costs.
func (m *model) choiceAt(t int, before, after *state) choice {
	mo := &m.moments[t]
	c := choice{h: &mo.hands[after.hand], to: int(after.digit), from: noDigit}
	if before == nil {
		c.terms, _ = m.leftCost(t, nil, c.h)
	} else {
		h := &m.moments[t-1].hands[before.hand]
		c.from = int(before.digit)
		c.terms, _ = m.leftCost(t, h, c.h)
		c.tl = m.tailOf(t, h, before.live, c.h)
	}
	r := m.newRight(mo, c.h)
	c.bass, c.r = r.opts[after.bass], r
	c.s, _ = m.stillness(r, c.tl, &c.bass, int(after.heel))
	c.terms.addAll(&c.bass.cost)
	c.terms.addAll(&c.s.cost)
	pluck, _ := m.pluckSum(r, c.from, c.to, &c.bass)
	c.terms[Hand] += pluck
	if c.s.unw != 0 {
		c.st = m.stopAll(r, &c.s, c.from, c.to, c.bass.str)
		stop := c.st.terms()
		c.terms.addAll(&stop)
	}
	return c
}

// moment turns a choice into what players and documents see.
func (m *model) moment(t int, before, after *state) Moment {
	mo, c := &m.moments[t], m.choiceAt(t, before, after)
	bar, since := m.req.Tune.Position(mo.at)
	out := Moment{
		At: mo.at, Seconds: mo.sec, Bar: bar + 1, Chord: mo.chord, Heel: int(after.heel), Cost: c.terms,
		Beat: 1 + float64(since)/float64(m.req.Tune.MeterOver(mo.at).Unit()),
		Hand: handOf(c.h),
	}
	out.Digits = c.st.digit
	if mo.note >= 0 {
		out.Melody = m.melodyStroke(mo.note, &c)
		out.Digits[c.to] = c.h.str
	} else if mo.sounding >= 0 {
		out.Held = m.melodyStroke(mo.sounding, &c)
	}
	if mo.stroke != nil {
		out.Stroke = mo.stroke.Role.String()
		out.Dropped = c.bass.str == 0
	}
	if c.bass.str != 0 {
		out.Thumb = m.thumbStroke(mo, &c.bass)
		out.Digits[digitP] = c.bass.str
	}
	for s := 1; s <= 6; s++ {
		out.Strings[s-1] = m.stringState(t, before, &c, s)
	}
	return out
}

func handOf(h *hand) LeftHand {
	out := LeftHand{SlideOn: h.slide, Covers: h.covers, Trails: h.trails}
	if h.slide {
		out.SlideFret = h.fret
	}
	if h.how == Fret {
		out.Fingers = append(out.Fingers, FingerAt{fingerName(h.finger), h.str, int(h.fret)})
	}
	if h.bass.str != 0 {
		out.Fingers = append(out.Fingers, FingerAt{fingerName(h.bass.finger), h.bass.str, h.bass.fret})
	}
	return out
}

func fingerName(f int) string {
	if f == thumbOver {
		return "T"
	}
	return fmt.Sprint(f)
}

func strokeFinger(how How, finger int) string {
	switch how {
	case Slide:
		return "S"
	case Fret:
		return fingerName(finger)
	}
	return ""
}

func (m *model) melodyStroke(note int, c *choice) *Stroke {
	n := m.req.Tune.Notes[note]
	return &Stroke{
		Part: Melody, String: c.h.str, Fret: c.h.fret, How: c.h.how, Finger: strokeFinger(c.h.how, c.h.finger),
		Digit: digitNames[c.to], Note: n.Note, Dur: n.Dur, Pinned: m.isPinned(n.At, Melody), Index: note,
	}
}

func (m *model) thumbStroke(mo *moment, o *bassOption) *Stroke {
	return &Stroke{
		Part: Thumb, String: o.str, Fret: o.fret, How: o.how, Finger: strokeFinger(o.how, o.finger), Digit: "p",
		Note: pitch.Spell(o.pitch, m.req.Tune.Key.Flats), Dur: m.req.Tune.MeterOver(mo.at).Pulse(), Pinned: m.isPinned(mo.at, Thumb),
	}
}

// Pinned reports whether the note or stroke of part at at is pinned.
func (p *Plan) Pinned(at tune.Time, part Part) bool { return p.m.isPinned(at, part) }

func (m *model) isPinned(at tune.Time, part Part) bool {
	return slices.ContainsFunc(m.req.Pins, func(p Pin) bool { return p.At == at && p.Part == part })
}

// stringState says what string s does, in the order in which one cause hides another.
func (m *model) stringState(t int, before *state, c *choice, s int) StringState {
	name := func(p pitch.Pitch) string { return pitch.Spell(p, m.req.Tune.Key.Flats).String() }
	sounding := name(m.soundingPitch(c.h, s))
	switch {
	case c.s.struck.Has(s):
		return StringState{Struck, "", sounding}
	case c.s.keep.Has(s):
		return StringState{Rings, "", sounding}
	case c.s.heel.Has(s):
		return StringState{Silenced, "heel", ""}
	case c.s.trail.Has(s):
		return StringState{Silenced, "trailing", ""}
	case c.st.touch.Has(s):
		return StringState{Silenced, "finger " + m.touchingFinger(c.h, s), ""}
	case c.st.leak.Has(s):
		return StringState{Leaks, "", name(m.open(s))}
	}
	for d := digitM + 1; d >= digitI; d-- {
		if c.st.digit[d] == s {
			return StringState{Silenced, digitNames[d], ""}
		}
	}
	if r := c.st.digit[digitP]; r != 0 && s >= r {
		return StringState{Silenced, "p", ""}
	}
	if c.s.may.Has(s) {
		return StringState{Rings, "", sounding}
	}
	return m.idleState(t, before, c, s)
}

// idleState is the state of a string that nothing has to be done about: its finger let
// go, the slide and trailing fingers lie on it, or it simply was not struck.
func (m *model) idleState(t int, before *state, c *choice, s int) StringState {
	if before != nil {
		h := &m.moments[t-1].hands[before.hand]
		if m.moments[t].ended >= 0 && h.str == s && h.how == Fret {
			return StringState{Silenced, "finger " + fingerName(h.finger), ""}
		}
		if h.bass.str == s && c.h.bass != h.bass && before.live.Has(s) {
			return StringState{Silenced, "finger " + fingerName(h.bass.finger), ""}
		}
	}
	if c.h.slide && s <= c.h.covers && c.h.trails > 0 {
		return StringState{Silenced, "trailing", ""}
	}
	return StringState{Harmless, "", ""}
}

func (m *model) touchingFinger(h *hand, s int) string {
	if h.how == Fret && (s == h.str+1 || s == h.str-1) {
		return fingerName(h.finger)
	}
	return fingerName(h.bass.finger)
}

// leakSeconds is how long a leaking string stays audible: until it has fallen to a tenth.
var leakSeconds = 2.0 * math.Ln10

// markLeaks lets a leak stand in the moments after it until something silences or
// strikes the string or it has died away. Its whole cost was charged where it began.
func (p *Plan) markLeaks() {
	var until [6]float64
	var note [6]string
	for t := range p.Moments {
		mo := &p.Moments[t]
		for s := range mo.Strings {
			switch st := &mo.Strings[s]; {
			case st.State == Leaks:
				until[s], note[s] = mo.Seconds+leakSeconds, st.Note
			case st.State == Harmless && mo.Seconds < until[s]:
				*st = StringState{Leaks, "", note[s]}
			case st.State != Harmless:
				until[s] = 0
			}
		}
	}
}

// Leaking returns the strings that leak at moment t.
func (mo *Moment) Leaking() []int {
	var out []int
	for s, st := range mo.Strings {
		if st.State == Leaks {
			out = append(out, s+1)
		}
	}
	return out
}
