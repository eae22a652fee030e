package plan

import (
	"cmp"
	"context"
	"slices"
	"sort"

	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
)

// Alternative is one way to play the note or stroke of a moment, or to silence a string,
// with the least total of any whole plan that does so.
type Alternative struct {
	Part   play.Part
	Voice  int // of the melody
	String int // 0 for a stroke left out
	Fret   float64
	How    play.How
	By     play.Damper // of a damper: who silences String, "" leaves it to leak
	Extra  float64     // least total with it, less the plan's total; 0 for what the plan chose, else >= 0 unless that was pinned
	Chosen bool
	Why    string    // what makes it dearer, with figures; "" for the chosen one
	Most   play.Term // that makes it dearest, next to a Why that has figures
}

// Pin returns the pin that makes the plan play moment t so.
func (a *Alternative) Pin(mo *play.Moment) play.Pin {
	return play.Pin{At: mo.At, Part: a.Part, Voice: a.Voice, String: a.String, Fret: a.Fret, How: a.How, By: a.By}
}

// Alternatives returns the alternatives of moment t for the highest melody note (part Melody)
// or the thumb stroke (Thumb), what is played first and then by cost; Choices returns all.
func (p *Plan) Alternatives(ctx context.Context, t int, part play.Part) ([]Alternative, error) {
	return p.AlternativesOf(ctx, t, part, 0)
}

// AlternativesOf is Alternatives for any voice of the melody, and for part Damper and a string
// in place of the voice, for what silences it. They are min-marginals: exact, from one pass forward
// and one backward, which the first call makes; where repeats are alike docs/model.md says how exact.
func (p *Plan) AlternativesOf(ctx context.Context, t int, part play.Part, voice int) ([]Alternative, error) {
	p.mu.Lock()
	defer p.unlock()
	return p.alternativesOf(ctx, t, part, voice)
}

func (p *Plan) alternativesOf(ctx context.Context, t int, part play.Part, voice int) ([]Alternative, error) {
	of := stroke{t, part, voice}
	if p.asked.alts != nil && p.asked.of == of {
		return slices.Clone(p.asked.alts), nil
	}
	h, err := p.released(ctx, of)
	if err != nil {
		return nil, err
	}
	if h != p {
		defer func() { h.work = nil }()
	}
	alts, err := h.marginalsOf(ctx, t, part, voice)
	if err != nil {
		return nil, err
	}
	for i := range alts {
		if err := p.tell(ctx, of, &alts[i], h); err != nil {
			return nil, err
		}
	}
	chosenFirst(alts)
	p.asked.of, p.asked.alts = of, alts
	return slices.Clone(alts), nil
}

// tell prices an alternative of h, the plan released, and says why it is not taken.
func (p *Plan) tell(ctx context.Context, of stroke, a *Alternative, h *Plan) error {
	played := p.played(of.t, of.part, of.voice)
	own := a.Chosen
	if a.Chosen = a.sameAs(&played); a.Chosen {
		if of.part != play.Damped { // a pin on a damper may want more than lies there by chance
			a.Extra = 0
		}
		return nil
	}
	d, err := p.under(ctx, of, a, h)
	if err != nil {
		return err
	}
	a.Extra = d.total - p.Total
	switch pinned := p.Pinned(p.Moments[of.t].At, of.part, of.voice); {
	case own && pinned:
		a.Why = "the choice without your pin"
	case own && a.Extra < 0:
		a.Why = "by itself the better choice; " + p.heldWhy()
	default:
		a.Why, a.Most = p.whyNot(of.t, d)
	}
	return nil
}

// under is where the plan under the pin on an alternative of h differs from p, on a way through the lattice of h.
func (p *Plan) under(ctx context.Context, of stroke, a *Alternative, h *Plan) (detour, error) {
	d, err := h.through(ctx, of.t, a)
	if err != nil || h == p {
		return d, err
	}
	return p.differs(h, h.lattice.Along(d.first, d.states, ticks(d.total)), d.total), nil
}

// differs is the stretch in which a way through the stages of q, or the plan's own, differs from p.
func (p *Plan) differs(q *Plan, path []trellis.State, total float64) detour {
	other := func(t int) bool {
		a := p.state(t)
		return !a.Same(&path[t]) || a.Step != path[t].Step || p.m.moments[t].hands[a.Node] != q.m.moments[t].hands[path[t].Node]
	}
	d, hi := detour{plan: q, total: total}, len(path)-1
	for d.first < hi && !other(d.first) {
		d.first++
	}
	for hi > d.first && !other(hi) {
		hi--
	}
	d.states = path[d.first:min(hi+2, len(path))] // and the moment of the return
	return d
}

// chosenFirst sorts: what is played, then by cost.
func chosenFirst(alts []Alternative) {
	sort.SliceStable(alts, func(i, j int) bool {
		if alts[i].Chosen != alts[j].Chosen {
			return alts[i].Chosen
		}
		return alts[i].Extra < alts[j].Extra
	})
}

// Marginals is AlternativesOf without the reasons, and of a pinned or held note just what is played.
func (p *Plan) Marginals(ctx context.Context, t int, part play.Part, voice int) ([]Alternative, error) {
	p.mu.Lock()
	defer p.unlock()
	return p.marginalsOf(ctx, t, part, voice)
}

func (p *Plan) marginalsOf(ctx context.Context, t int, part play.Part, voice int) ([]Alternative, error) {
	var all []Alternative
	var err error
	if part == play.Damped {
		all, err = p.dampersAt(ctx, t, voice)
	} else {
		all, err = p.marginalsAt(ctx, t)
	}
	if err != nil {
		return nil, err
	}
	var alts []Alternative
	chosen := p.played(t, part, voice)
	for _, a := range all {
		if a.Part == part && (part == play.Damped && a.String == voice || part != play.Damped && a.Voice == voice) {
			a.Chosen = a.sameAs(&chosen)
			alts = append(alts, a)
		}
	}
	chosenFirst(alts)
	return alts, nil
}

// played is what the plan itself does, as an Alternative.
func (p *Plan) played(t int, part play.Part, voice int) Alternative {
	mo := &p.Moments[t]
	var s *play.Stroke
	switch {
	case part == play.Damped:
		return Alternative{Part: play.Damped, String: voice, By: p.damperAt(t, voice)}
	case part == play.Thumb:
		s = mo.Thumb
	case voice == 0:
		s = mo.Melody
	case voice <= len(mo.With):
		s = mo.With[voice-1]
	}
	if s == nil {
		return Alternative{Part: part, How: play.Drop}
	}
	return Alternative{Part: part, Voice: voice, String: s.String, Fret: s.Fret, How: s.How}
}

// damperAt names what the plan lays on string str at moment t, as play.Dampers does; "" if nothing
// has to: it is silent by itself, or leaks.
func (p *Plan) damperAt(t, str int) play.Damper {
	c := p.choiceAt(t, p.before(t), p.state(t))
	return p.m.dampedBy(&c, str).Kind()
}

func (a *Alternative) sameAs(b *Alternative) bool {
	return a.Part == b.Part && a.Voice == b.Voice && a.String == b.String && a.Fret == b.Fret && a.How == b.How && a.By == b.By
}

// stroke is one voice of the melody, or the thumb, at a moment.
type stroke struct {
	t     int
	part  play.Part
	voice int
}

// freedOf is p's request without the pins on one stroke.
func (p *Plan) freedOf(of stroke) Request {
	at, r := p.Moments[of.t].At, p.Request
	r.Progress = nil
	r.Pins = slices.DeleteFunc(slices.Clone(r.Pins), func(pin play.Pin) bool { return pin.InForce(at) && pin.Part == of.part && pin.Voice == of.voice })
	return r
}

// collector gathers alternatives with their least totals.
type collector struct {
	of     []Alternative
	totals []trellis.Cost
}

// find returns the number of an alternative, which may be new.
func (c *collector) find(a *Alternative) int {
	for i := range c.of {
		if c.of[i].sameAs(a) {
			return i
		}
	}
	c.of, c.totals = append(c.of, *a), append(c.totals, trellis.Inf)
	return len(c.of) - 1
}

func (c *collector) add(a Alternative, total trellis.Cost) {
	t := &c.totals[c.find(&a)]
	*t = min(*t, total)
}

// highest is the most of the least totals known so far.
func (c *collector) highest(of []Alternative) (most trellis.Cost) {
	for i := range of {
		most = max(most, c.totals[c.find(&of[i])])
	}
	return most
}

// finish turns totals into what they are more than the plan's.
func (c *collector) finish(p *Plan) []Alternative {
	out := []Alternative{}
	for i, a := range c.of {
		if c.totals[i] < trellis.Inf {
			a.Extra = units(c.totals[i]) - p.Total
			out = append(out, a)
		}
	}
	slices.SortStableFunc(out, func(a, b Alternative) int { return cmp.Compare(b.Part, a.Part) }) // of equals the thumb's come first
	return out
}

// marginalsAt returns every alternative for the strokes of moment t. What the
// forward pass leaves out as dominated can be left out here too: what dominates it strikes the
// same.
func (p *Plan) marginalsAt(ctx context.Context, t int) ([]Alternative, error) {
	if out := p.marginals[t]; out != nil {
		return out, nil
	}
	s, err := p.explore(ctx, t)
	if err != nil {
		return nil, err
	}
	var found collector
	mo, pick := &p.m.moments[t], &s.stage(t).pick
	var with []Alternative
	of := func(g int, by, label uint8) []Alternative { // what a hand plays
		with = with[:0]
		if mo.stroke != nil {
			o := &pick.of(g).opts[label]
			with = append(with, Alternative{Part: play.Thumb, String: o.str, Fret: o.fret, How: o.how})
		}
		for v := 0; v < mo.hands[g].n && mo.note >= 0; v++ {
			with = append(with, melodyOf(&mo.hands[g], v, by))
		}
		return with
	}
	err = s.Marginals(s, p.lattice, t, nil, func(g int, by, label uint8) trellis.Cost { return found.highest(of(g, by, label)) },
		func(g int, by, label uint8, total trellis.Cost) {
			for _, a := range of(g, by, label) {
				found.add(a, total)
			}
		})
	if err != nil {
		return nil, err
	}
	if p.marginals == nil {
		p.marginals = map[int][]Alternative{}
	}
	p.marginals[t] = found.finish(p)
	return p.marginals[t], nil
}

// melodyOf is voice v under hand h, sounded by an attack.
func melodyOf(h *hand, v int, by uint8) Alternative {
	s := &h.stops[v]
	return Alternative{Part: play.Melody, Voice: v, String: s.str, Fret: s.fret, How: attack(by).reported(s.how)}
}

// damped is a string at a moment.
type damped struct{ t, str int }

// dampersAt works out what it costs to have string str silenced at moment t by each damper
// that the school allows: what a pin for it would cost.
func (p *Plan) dampersAt(ctx context.Context, t, str int) ([]Alternative, error) {
	mo := &p.m.moments[t]
	if mo.pins.dampers[str] != "" || p.Moments[t].Hit != "" || p.damperAt(t, str) == "" && p.Moments[t].Strings[str-1].State != play.Leaks {
		return nil, nil // pinned, or nothing to damp
	}
	at := damped{t, str}
	if out := p.dampers[at]; out != nil {
		return out, nil
	}
	s, err := p.explore(ctx, t)
	if err != nil {
		return nil, err
	}
	var found collector
	for _, by := range p.m.allowedDampers() {
		st := s.damped(t, str, by)
		a := Alternative{Part: play.Damped, String: str, By: by}
		err := s.Marginals(s, p.lattice, t, &st.trellis, func(int, uint8, uint8) trellis.Cost { return found.highest([]Alternative{a}) },
			func(_ int, _, _ uint8, total trellis.Cost) { found.add(a, total) })
		if err != nil {
			return nil, err
		}
	}
	if p.dampers == nil {
		p.dampers = map[damped][]Alternative{}
	}
	p.dampers[at] = found.finish(p)
	return p.dampers[at], nil
}

// damped is the stage of moment t with one more pin: by silences string str.
func (s *search) damped(t, str int, by play.Damper) *laidStage {
	pins := s.m.moments[t].pins
	pins.dampers[str] = by
	own := s.stage(t)
	out := &laidStage{left: own.left}
	s.count++
	out.pick.near, out.pick.stage = &s.near, s.count
	out.pick.reset(s.m, own.left, &pins)
	out.trellis = own.trellis.With(&out.pick)
	return out
}

// allowedDampers lists the dampers that the player's school and hands have.
func (m *model) allowedDampers() []play.Damper {
	has := map[play.Damper]bool{
		play.ByHeel: m.school.Heel, play.ByTrailing: m.school.Trailing, play.ByTilt: m.school.Tilt,
		play.ByFinger: !m.req.Player.Lap(), play.ByOver: m.req.Player.ThumbOver && !m.req.Player.Lap(),
		play.Damper(play.P): m.school.ThumbRest, play.Damper(play.C): m.school.Little,
	}
	for _, d := range []play.Digit{play.I, play.M, play.A} {
		has[play.Damper(d)] = m.school.Stops
	}
	return slices.DeleteFunc(slices.Clone(play.Dampers), func(by play.Damper) bool { return !has[by] })
}

// detour is a stretch of another plan: from its parting from this one to its return, the
// moment of the return included.
type detour struct {
	first  int // moment of states[0]
	states []trellis.State
	total  float64 // of the other plan
	plan   *Plan   // whose stages these are states of, nil if they are a way through this plan's lattice …
	at     int     // … by way of this moment
	str    int     // string that must be silenced there, 0 for none …
	by     play.Damper
}

// through rebuilds the best plan by way of a at moment t, as far as it differs.
func (p *Plan) through(ctx context.Context, t int, a *Alternative) (detour, error) {
	s, err := p.explore(ctx, t)
	if err != nil {
		return detour{}, err
	}
	d := detour{at: t, by: a.By, str: a.String, total: p.Total + a.Extra}
	c := trellis.Change{Lo: t, Hi: t, Was: s, Total: ticks(p.Total + a.Extra)}
	if a.Part == play.Damped {
		c.Stage = &s.damped(t, a.String, a.By).trellis
	} else {
		d.str = 0
		mo, pick := &p.m.moments[t], &s.stage(t).pick
		c.Allow = func(g int, by, label uint8) bool {
			if a.Part == play.Melody {
				x := melodyOf(&mo.hands[g], a.Voice, by)
				return x.sameAs(a)
			}
			o := &pick.of(g).opts[label]
			return o.str == a.String && o.fret == a.Fret && o.how == a.How
		}
	}
	d.first, d.states, _, err = s.Edit(s, p.lattice, c)
	return d, err
}

// choices recomputes what is chosen along a detour.
func (p *Plan) choices(d detour) []choice {
	out := make([]choice, len(d.states))
	of := p
	if d.plan != nil {
		of = d.plan
	}
	s := of.search(context.Background())
	for i := range d.states {
		t := d.first + i
		before := p.before(t)
		if i > 0 {
			before = &d.states[i-1]
		}
		st := s.stage(t)
		if d.plan == nil && t == d.at && d.str != 0 {
			st = s.damped(t, d.str, d.by)
		}
		out[i] = of.m.choiceFrom(st.left, &st.pick, before, &d.states[i])
	}
	return out
}
