package plan

import (
	"cmp"
	"context"
	"errors"
	"math"
	"slices"
	"strings"

	"stepping/core/pattern"
	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
	"stepping/core/ring"
	"stepping/core/tune"
)

// pin is a choice as the planner holds to it.
type pin struct {
	play.Pin
	alike  bool // of a repeated bar: How is a manner, see mannerOf
	finger int  // of what is kept: the finger that it had, for giveFingers alone; 0 for any
}

// PinError reports pins that cannot be kept. Pins is a smallest set in the sense that
// leaving out any one of them makes the others possible; Rule is the rule that they break
// together.
type PinError struct {
	Pins []play.Pin
	Rule string
	Why  string // the whole message
}

func (e *PinError) Error() string { return e.Why }

// advice begins what a PinError says to do.
const advice = ". Unpin"

// pinSet is the pins in force at one moment, by what they bind.
type pinSet struct {
	strokes, tube, heel []*pin         // strokes: on melody notes and the thumb
	dampers             [7]play.Damper // by string
	ringing             bool
	position            frets // 0 for none
}

// none reports whether they leave the picking hand all its choices: places and manners are the other hand's, and the thumb's.
func (ps *pinSet) none() bool {
	return len(ps.heel) == 0 && !ps.ringing && ps.dampers == [7]play.Damper{} &&
		!slices.ContainsFunc(ps.strokes, func(p *pin) bool { return p.Digit != "" })
}

// oneDamper numbers the only pin if that is one on a damper, from 1; 0 if it is not.
func (ps *pinSet) oneDamper() (n packer) {
	bare := *ps
	bare.dampers = [7]play.Damper{}
	for s, by := range ps.dampers {
		if by != "" && n == 0 {
			n = packer(s*len(play.Dampers) + slices.Index(play.Dampers, by) + 1)
		} else if by != "" {
			return 0
		}
	}
	if !bare.none() {
		return 0
	}
	return n
}

// applyPins checks every pin against the tune and files it with its moments.
func (m *model) applyPins() error {
	for i := range m.req.alike {
		for t := range m.moments {
			if p := &m.req.alike[i]; p.At == m.moments[t].at {
				m.bind(&m.moments[t], p)
			}
		}
	}
	for i := range m.req.Pins {
		p := &pin{Pin: m.req.Pins[i]}
		if err := p.Check(); err != nil {
			return &PinError{[]play.Pin{p.Pin}, "this pin does not fit the plan", m.pinWords(&p.Pin) + ": " + err.Error()}
		}
		bound := 0
		for t := range m.moments {
			mo := &m.moments[t]
			if !p.InForce(mo.at) {
				continue
			}
			if q := m.otherDamper(mo, p, i); q != nil {
				return m.conflictOf(ruleDampers, *q, p.Pin)
			}
			bound += m.bind(mo, p)
		}
		if bound == 0 {
			return &PinError{[]play.Pin{p.Pin}, "a pin needs something to pin", m.pinWords(&p.Pin) + ": nothing there to pin"}
		}
	}
	return m.checkPlaces()
}

// bind files p with mo and returns 1 if there is something for it to bind.
func (m *model) bind(mo *moment, p *pin) int {
	switch p.Part {
	case play.Melody:
		if mo.note < 0 || p.Voice > len(m.req.Tune.Notes[mo.note].With) {
			return 0
		}
		mo.pins.strokes = append(mo.pins.strokes, p)
	case play.Thumb:
		if mo.stroke == nil || mo.stroke.Optional && p.At != mo.at {
			return 0
		}
		mo.pins.strokes = append(mo.pins.strokes, p)
	case play.Tube:
		mo.pins.tube = append(mo.pins.tube, p)
	case play.Heel:
		mo.pins.heel = append(mo.pins.heel, p)
	case play.Damped:
		mo.pins.dampers[p.String] = p.By
	case play.Ringing:
		mo.pins.ringing = true
	case play.Position:
		mo.pins.position = positionAt(max(1, int(p.Fret)-m.req.Capo))
	}
	return 1
}

// otherDamper returns an earlier pin that wants p's string silenced by something else at mo, or
// left to ring.
func (m *model) otherDamper(mo *moment, p *pin, before int) *play.Pin {
	for i := range m.req.Pins[:before] {
		q := &m.req.Pins[i]
		damps := p.Part == play.Damped && q.Part == play.Damped && p.String == q.String && p.By != q.By
		rings := p.Part == play.Damped && q.Part == play.Ringing || p.Part == play.Ringing && q.Part == play.Damped
		if q.InForce(mo.at) && (damps || rings) {
			return q
		}
	}
	return nil
}

func (m *model) conflictOf(rule string, pins ...play.Pin) *PinError {
	return &PinError{pins, rule, m.pinList(pins) + ": " + rule + advice + " one of them"}
}

// Holds reports whether p, a plan made without the pin, plays everything that the pin binds as it says,
// fingers and digits apart; a glide counts as the slide, a hammer or pull as fretted. first is the first moment that
// it binds, -1 if there is none.
func (p *Plan) Holds(pin *play.Pin) (held bool, first int) {
	held, first = true, -1
	for t := range p.Moments {
		mo := &p.Moments[t]
		s := pin.Target(mo)
		wanted := pin.Part == play.Thumb && (mo.Stroke != "" || s != nil) || pin.Part == play.Melody && s != nil
		if !pin.InForce(mo.At) || !wanted {
			continue
		}
		if first < 0 {
			first = t
		}
		held = held && plays(pin, s, p.Request.Capo)
	}
	return held, first
}

// plays reports whether s is the place and manner that pin p asks for; nil is a stroke left out.
func plays(p *play.Pin, s *play.Stroke, capo int) bool {
	switch {
	case s == nil || p.How == play.Drop:
		return s == nil && p.How == play.Drop
	case p.String != 0 && (p.String != s.String || p.How != "" && math.Abs(p.Fret-s.Fret) > fretSame):
		return false
	case p.How == "":
		return true
	}
	was := play.Stroke{How: p.How, Fret: p.Fret}
	if p.String == 0 {
		was.Fret = s.Fret
	}
	return mannerOf(&was, capo) == mannerOf(s, capo)
}

// checkPlaces looks for pins that leave a note or stroke nowhere to go.
func (m *model) checkPlaces() error {
	for t := range m.moments {
		mo := &m.moments[t]
		var left []voicing
		if mo.note >= 0 {
			left = m.voicings[mo.note]
		}
		for _, p := range mo.pins.strokes {
			possible := true
			if p.Part == play.Melody {
				left = slices.DeleteFunc(slices.Clone(left), func(c voicing) bool { return !p.fits(&c) })
				possible = len(left) > 0
			} else {
				possible = m.thumbPinPossible(mo, p)
			}
			if !possible {
				return m.noPlace(mo, p)
			}
		}
	}
	return nil
}

// noPlace is the error for a pin that leaves its note nowhere to go: by itself, or together
// with the other pins on the same note.
func (m *model) noPlace(mo *moment, p *pin) error {
	pins := []play.Pin{p.Pin}
	for _, q := range mo.pins.strokes {
		if q != p && q.Part == p.Part && q.Voice != p.Voice {
			pins = append(pins, q.Pin)
		}
	}
	why := m.pinWords(&p.Pin) + " is not a place where this note can be played"
	if p.Part == play.Thumb {
		why = m.pinWords(&p.Pin) + " does not fill the thumb's role there"
	}
	if len(pins) > 1 {
		why = "these choices cannot be played together: " + m.pinList(pins)
	}
	return &PinError{pins, "right pitches, one string for one note", why + advice + " it, or choose one of the places listed for the note"}
}

func (m *model) thumbPinPossible(mo *moment, p *pin) bool {
	switch {
	case p.How == play.Drop, p.How == play.Slide, p.String == 0:
		return true
	}
	return slices.ContainsFunc(mo.bassPlaces, func(pl pattern.Place) bool { return p.fitsBass(pl.String, float64(pl.Fret), howBass(pl, m.req.Capo)) })
}

func howBass(pl pattern.Place, capo int) play.How {
	if pl.Fret == capo {
		return play.Open
	}
	return play.Fret
}

// fits: can the pinned voice of voicing c be played as p says; how it is attacked comes later.
func (p *pin) fits(c *voicing) bool {
	if p.Voice >= c.n {
		return false
	}
	s := &c.stops[p.Voice]
	switch {
	case p.String != 0 && (p.String != s.str || p.How != "" && math.Abs(p.Fret-s.fret) > fretSame):
		return false
	case p.Finger != 0 && p.Finger != s.finger:
		return false
	case p.How == "":
		return true
	}
	return slices.ContainsFunc(attacksOf(s.how), func(a attack) bool { return p.takes(a.reported(s.how)) })
}

// fretSame is how near two frets must lie to be the same place.
const fretSame = 0.005

// takes reports whether the pin's How allows a note played how.
func (p *pin) takes(how play.How) bool {
	if p.How == "" || p.How == how {
		return true
	}
	if p.String != 0 && !p.alike {
		return false
	}
	if p.alike && p.How == play.Open && how == play.Pull {
		return true
	}
	return p.How == play.Slide && how == play.Glide || p.How == play.Fret && (how == play.Hammer || how == play.Pull)
}

// attackAllowed reports whether the melody pins allow the note under hand h to be sounded by a.
func (mo *moment) attackAllowed(h *hand, a attack) bool {
	for _, p := range mo.pins.strokes {
		if p.Part != play.Melody {
			continue
		}
		if !p.takes(a.reported(h.stops[p.Voice].how)) || p.Digit != "" && (p.Digit == play.NoDigit) != a.legato() {
			return false
		}
	}
	return true
}

// digitAllowed reports whether the pins allow digit d to pluck string str under hand h.
func (mo *moment) digitAllowed(h *hand, d, str int) bool {
	for _, p := range mo.pins.strokes {
		if p.Part == play.Melody && p.Digit != "" && h.stops[p.Voice].str == str && play.Digits[d] != p.Digit {
			return false
		}
	}
	return true
}

// handAllowed reports whether the pins on the melody's places, on the slide and on the finger of a bass note allow h.
func (mo *moment) handAllowed(h *hand) bool {
	for _, p := range mo.pins.strokes {
		if p.Part == play.Melody && !p.fits(&h.voicing) {
			return false
		}
		if p.Part == play.Thumb && p.Finger != 0 && h.bass.str != 0 && p.Finger != h.bass.finger {
			return false
		}
	}
	for _, p := range mo.pins.tube {
		if p.How == play.Off && h.slide || p.How == play.Slide && !h.slide || p.Covers != 0 && h.slide && p.Covers != h.covers {
			return false
		}
	}
	return !mo.pins.ringing || h.trails == 0
}

func (mo *moment) heelAllowed(n int) bool {
	if mo.pins.ringing && n > 0 {
		return false
	}
	for _, p := range mo.pins.heel {
		if p.How == play.Off && n > 0 || p.Covers != 0 && p.Covers != n {
			return false
		}
	}
	return true
}

// fitsBass: can the thumb's stroke be taken so; its finger is the hand's, see handAllowed.
func (p *pin) fitsBass(str int, fret float64, how play.How) bool {
	switch {
	case p.How == play.Drop || how == play.Drop:
		return p.How == how
	case p.String != 0 && (p.String != str || math.Abs(p.Fret-fret) > fretSame):
		return false
	}
	return p.How == "" || p.How == how
}

func (mo *moment) bassAllowed(o *bassOption) bool {
	for _, p := range mo.pins.strokes {
		if p.Part == play.Thumb && !p.fitsBass(o.str, o.fret, o.how) {
			return false
		}
	}
	return true
}

// demanded returns the strings that a pin wants silenced.
func (ps *pinSet) demanded() (set ring.Strings) {
	for s := 1; s <= 6; s++ {
		if ps.dampers[s] != "" {
			set |= ring.Of(s)
		}
	}
	return set
}

// damperAllowed reports whether the pins let by silence string s; "" is leaving it to ring.
func (ps *pinSet) damperAllowed(s int, by play.Damper) bool {
	return ps.dampers[s] == "" || ps.dampers[s] == by
}

// Rules that pins may break together, found by how far the search gets.
const (
	ruleDampers = "a string is silenced by one part of the hands, or left to ring"
	ruleLeft    = "the fretting hand cannot play them together: each finger is in one place, fingers stay in fret order within reach, and the slide finger never frets"
	ruleChange  = "the fretting hand cannot get from one to the other: a note that rings on stays where it is, and a hammer, pull or glide needs its note before on the same string"
	ruleRight   = "the picking hand cannot do both: one finger per string, p below i below m below a, and nothing touches a string that must sound"
)

// trial reports whether r can be played with these pins up to moment hi (not counted; 0 for the whole tune): the
// rule that fails, "" if none does, the moment at which it does, and when that is.
func (r *Request) trial(ctx context.Context, pins []play.Pin, hi int) (rule string, at int, when tune.Time, err error) {
	with := *r
	with.Pins, with.Progress, with.From = pins, nil, nil
	m, err := newModel(&with, nil)
	var pe *PinError
	if errors.As(err, &pe) {
		return pe.Rule, hi, pe.Pins[0].At, nil
	}
	if err != nil {
		return "", 0, 0, err
	}
	if hi == 0 {
		hi = len(m.moments)
	}
	s := m.newSearch(ctx)
	s.laid = s.laid[:hi]
	_, err = s.Solve(s, nil)
	var dead *trellis.DeadEnd
	if errors.As(err, &dead) {
		if rule = ruleOf(dead); !m.moments[dead.At].bassHeld() {
			rule = ruleLeft
		}
		return rule, dead.At, m.moments[dead.At].at, nil
	}
	return rule, at, when, err
}

// bassHeld reports whether some hand holds the fretted bass note that a pin asks for, if one does.
func (mo *moment) bassHeld() bool {
	for _, p := range mo.pins.strokes {
		held := func(h hand) bool { return !h.barred && h.bass.str == p.String && h.bass.fret == p.Fret }
		if p.Part == play.Thumb && p.How == play.Fret && p.String != 0 && !slices.ContainsFunc(mo.hands, held) {
			return false
		}
	}
	return true
}

// ruleOf names the rule that leaves no way on.
func ruleOf(e *trellis.DeadEnd) string {
	switch {
	case !e.Nodes:
		return ruleLeft
	case !e.Flows:
		return ruleChange
	}
	return ruleRight
}

// conflict is the error for pins that cannot be kept together: a smallest set of them. The search says at which
// moment it fails; pins near that moment are looked at first.
func conflict(ctx context.Context, r Request) error {
	all, at, when, err := r.trial(ctx, r.Pins, 0)
	if err != nil {
		return err
	}
	left, rule := nearest(r.Pins, when), ""
	var pins []play.Pin
	for {
		why, _, _, err := r.trial(ctx, pins, at+1)
		if err != nil {
			return err
		}
		if why != "" {
			rule = why
			break
		}
		if len(left) == 0 { // a pin after the moment has its part in it
			return &PinError{r.Pins, all, "these choices cannot be played together: " + all + advice + " some of them"}
		}
		n, err := shortest(len(left), func(n int) (bool, error) {
			why, _, _, err := r.trial(ctx, append(slices.Clone(left[:n]), pins...), at+1)
			return why != "", err
		})
		if err != nil {
			return err
		}
		pins, left = append(pins, left[n-1]), left[:n-1]
	}
	m := &model{req: &r}
	switch len(pins) {
	case 0:
		return errors.New("no plan exists for this tune with this profile")
	case 1:
		return &PinError{pins, rule, m.pinList(pins) + " cannot be played: " + rule + advice + " it"}
	}
	slices.SortStableFunc(pins, func(a, b play.Pin) int { return slices.Index(r.Pins, a) - slices.Index(r.Pins, b) })
	return m.conflictOf(rule, pins...)
}

// nearest are the pins that begin by a time, those in force then first, then the latest; of equals the one set last.
func nearest(pins []play.Pin, when tune.Time) (out []play.Pin) {
	away := func(p *play.Pin) tune.Time {
		if p.InForce(when) {
			return 0
		}
		return when - p.At
	}
	for _, p := range slices.Backward(pins) {
		if p.At <= when {
			out = append(out, p)
		}
	}
	slices.SortStableFunc(out, func(a, b play.Pin) int { return cmp.Compare(away(&a), away(&b)) })
	return out
}

// shortest finds the least n from 1 to most for which holds is true, if it is true for most and for all above the least;
// small n are tried first.
func shortest(most int, holds func(n int) (bool, error)) (int, error) {
	lo, hi := 0, 1 // false at lo
	for hi < most {
		ok, err := holds(hi)
		if err != nil {
			return 0, err
		}
		if ok {
			break
		}
		lo, hi = hi, 2*hi
	}
	hi = min(hi, most)
	for hi-lo > 1 {
		mid := (lo + hi) / 2
		ok, err := holds(mid)
		if err != nil {
			return 0, err
		}
		if ok {
			hi = mid
		} else {
			lo = mid
		}
	}
	return hi, nil
}

// LeftOut is a pin that a plan does not keep because it cannot be played, by itself or with pins set before it. Why names them and the
// rule that they break.
type LeftOut struct {
	Pin play.Pin
	Why string
}

// SolveKeepable is Solve for pins some of which may not be playable: of pins that cannot be kept together the one set
// last is left out and named in LeftOut, until the rest can be played.
func SolveKeepable(ctx context.Context, r Request) (*Plan, error) {
	var out []LeftOut
	for {
		p, err := Solve(ctx, r)
		var pe *PinError
		if !errors.As(err, &pe) || len(pe.Pins) == 0 {
			if p != nil {
				p.LeftOut = out
			}
			return p, err
		}
		last := -1
		for i := range pe.Pins {
			last = max(last, slices.Index(r.Pins, pe.Pins[i]))
		}
		if last < 0 {
			return nil, err
		}
		why, _, _ := strings.Cut(pe.Why, advice)
		out = append(out, LeftOut{r.Pins[last], why})
		r.Pins = slices.Delete(slices.Clone(r.Pins), last, last+1)
	}
}

func (m *model) pinList(pins []play.Pin) string {
	var parts []string
	for i := range pins {
		parts = append(parts, m.pinWords(&pins[i]))
	}
	return strings.Join(parts, "; ")
}

func (m *model) pinWords(p *play.Pin) string { return p.Words(m.req.Tune, m.req.Capo) }
