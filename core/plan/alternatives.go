package plan

import (
	"cmp"
	"context"
	"math"
	"slices"
	"sort"

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
	Most   play.Term // that makes it dearest, beside a Why that has figures

	via link // where the best such plan passes
}

// link is a step into a moment: from which state, to which.
type link struct {
	prev int32
	to   place
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
// in place of the voice, for what silences it. They are min-marginals: exact, from one forward
// and one backward pass over the same model. The first call does the backward pass.
func (p *Plan) AlternativesOf(ctx context.Context, t int, part play.Part, voice int) ([]Alternative, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.alternativesOf(ctx, t, part, voice)
}

func (p *Plan) alternativesOf(ctx context.Context, t int, part play.Part, voice int) ([]Alternative, error) {
	if p.free != nil && part != play.Damped {
		return p.besideRepeats(t, part, voice, func() ([]Alternative, error) { return p.free.AlternativesOf(ctx, t, part, voice) })
	}
	if part != play.Damped && p.Pinned(p.Moments[t].At, part, voice) {
		return p.besidePin(ctx, t, part, voice)
	}
	alts, err := p.marginalsOf(ctx, t, part, voice)
	if err != nil {
		return nil, err
	}
	for i := range alts {
		if !alts[i].Chosen {
			alts[i].Why, alts[i].Most = p.whyNot(t, &alts[i])
		}
	}
	return alts, nil
}

// besidePin lists the alternatives of a pinned note or stroke: those of the plan without
// that one pin. Their Extra is against this plan's total and may be negative; reasons are
// against what that other plan would choose.
func (p *Plan) besidePin(ctx context.Context, t int, part play.Part, voice int) ([]Alternative, error) {
	q, err := p.without(ctx, t, part, voice)
	if err != nil {
		return nil, err
	}
	alts, err := q.AlternativesOf(ctx, t, part, voice)
	if err != nil {
		return nil, err
	}
	played := p.played(t, part, voice)
	for i := range alts {
		if alts[i].Chosen {
			alts[i].Why = "the choice without your pin"
		}
		alts[i].Extra += q.Total - p.Total
		if alts[i].Chosen = alts[i].sameAs(&played); alts[i].Chosen {
			alts[i].Why = ""
		}
	}
	chosenFirst(alts)
	return alts, nil
}

// besideRepeats lists alternatives of a plan whose repeats are held alike: those of the plan in which
// they are free, priced against what is played.
func (p *Plan) besideRepeats(t int, part play.Part, voice int, of func() ([]Alternative, error)) ([]Alternative, error) {
	alts, err := of()
	if err != nil {
		return nil, err
	}
	played, base := p.played(t, part, voice), 0.0
	for i := range alts {
		if alts[i].sameAs(&played) {
			base = alts[i].Extra
		}
	}
	for i := range alts {
		a := &alts[i]
		switch same := a.sameAs(&played); {
		case same:
			a.Why = ""
		case a.Chosen:
			a.Why = "by itself the better choice; " + p.heldWhy()
		}
		a.Extra -= base
		a.Chosen = a.sameAs(&played)
	}
	chosenFirst(alts)
	return alts, nil
}

// heldWhy says why p is not its free plan.
func (p *Plan) heldWhy() string {
	if p.Kept {
		return "it stays as you have kept it"
	}
	return "the bar is played like its repeats"
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

// Marginals is AlternativesOf without the reasons, and of a pinned note just the pin.
func (p *Plan) Marginals(ctx context.Context, t int, part play.Part, voice int) ([]Alternative, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.marginalsOf(ctx, t, part, voice)
}

func (p *Plan) marginalsOf(ctx context.Context, t int, part play.Part, voice int) ([]Alternative, error) {
	if p.free != nil && part != play.Damped {
		return p.besideRepeats(t, part, voice, func() ([]Alternative, error) { return p.free.Marginals(ctx, t, part, voice) })
	}
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

// marginal is an Alternative under way: the ways into it whose continuation is still to be
// worked out, if they can beat the best one known.
type marginal struct {
	Alternative
	open []waiting
}

type waiting struct {
	cost, least float64
	via         link
}

// keepCheaper keeps a way with a known total, of equal ones the first by where it passes.
func (m *marginal) keepCheaper(total float64, via link) {
	if total < m.Extra || total == m.Extra && cmp.Or(cmp.Compare(via.prev, m.via.prev), via.to.compare(&m.via.to)) < 0 {
		m.Extra, m.via = total, via
	}
}

// scan goes through every way into one moment.
type scan struct {
	p     *Plan
	st    *stage
	sr    *search
	index *stateIndex
	found []*marginal
	g     int32
}

// scan works out the alternatives of moment t, which lies in the window; false if some are not certain.
func (p *Plan) scan(t int) (out []Alternative, sure bool) {
	sc := p.newScan(t)
	defer sc.sr.letGo()
	for _, g := range sc.order() {
		sc.hand(g)
	}
	return sc.finish()
}

func (p *Plan) newScan(t int) *scan {
	ar := p.around(t)
	sc := &scan{p: p, st: ar.stage, sr: newSearch(p.m, ar.pick), index: p.back.newIndex(t, p.back.scratch)}
	p.back.scratch = sc.index
	sc.sr.dominances = p.m.dominanceFrom(t)
	var before *layer
	if t > 0 {
		before = p.back.layer(t - 1)
	}
	sc.sr.enterFrom(sc.st, before)
	return sc
}

func (sc *scan) get(a *Alternative) *marginal {
	for _, x := range sc.found {
		if x.sameAs(a) {
			return x
		}
	}
	m := &marginal{Alternative: *a}
	m.Extra = inf
	sc.found = append(sc.found, m)
	return m
}

// file files one action after arrival in with picking state p, which costs so much by then, under the
// marginals into.
func (sc *scan) file(cost float64, p pickState, a *action, bass uint8, in *arrival, into []*marginal) {
	after := p.after(a.pose)
	via := link{in.prev, place{sc.g, after, a.live, step{in.a, bass, a.stopper}}}
	t := sc.st.t
	if i := sc.index.find(int(sc.g), a.live, after); i >= 0 {
		for _, m := range into {
			m.keepCheaper(cost+sc.p.back.costToGo[t][i].cost, via)
		}
		return
	}
	w := waiting{cost, cost + sc.index.least(int(sc.g), a.live), via}
	for _, m := range into {
		if w.least <= m.Extra {
			m.open = append(m.open, w)
		}
	}
}

// finish works out the open ways that can still win; sure is false if something depends on a bound.
func (sc *scan) finish() (out []Alternative, sure bool) {
	out, sure = []Alternative{}, true
	for _, m := range sc.found {
		sort.SliceStable(m.open, func(i, j int) bool { return m.open[i].least < m.open[j].least })
		for _, w := range m.open {
			if w.least > m.Extra {
				break
			}
			s := &w.via.to
			m.keepCheaper(w.cost+sc.p.back.from(extraKey{int32(sc.st.t), s.hand, s.live, s.pick}).cost, w.via)
		}
		if m.Extra < inf {
			sure = sure && certain(m.Extra)
			m.Extra = exactly(m.Extra) - sc.p.Total
			out = append(out, m.Alternative)
		}
	}
	return out, sure
}

// marginalsAt returns every alternative for the strokes of moment t. What the
// forward pass leaves out as dominated can be left out here too: what dominates it strikes the
// same.
func (p *Plan) marginalsAt(ctx context.Context, t int) ([]Alternative, error) {
	if p.back != nil && p.back.marginals[t] != nil {
		return p.back.marginals[t], nil
	}
	out, err := p.inWindow(ctx, t, func() ([]Alternative, bool, error) {
		out, sure := p.scan(t)
		return out, sure, nil
	})
	if err != nil {
		return nil, err
	}
	p.back.marginals[t] = out
	return out, nil
}

// order lists the hands by what they and all after them cost at least, so that those that come first make most of
// the others needless; equal ones by their number.
func (sc *scan) order() []int {
	hands := sc.st.mo.hands
	out := make([]int, len(hands))
	for g := range out {
		out[g] = g
	}
	least := func(g int) float64 { return hands[g].ownCost + sc.index.hand[g] }
	slices.SortStableFunc(out, func(a, b int) int { return cmp.Compare(least(a), least(b)) })
	return out
}

// highest is the dearest of the totals known so far.
func highest(of []*marginal) float64 {
	most := math.Inf(-1)
	for _, m := range of {
		most = max(most, m.Extra)
	}
	return most
}

// hand goes through every way into hand g that may be better than what is known.
func (sc *scan) hand(g int) {
	sc.g = int32(g)
	sr, r, toGo := sc.sr, sc.sr.pick.of(g), sc.index.hand[g]
	var thumbs []*marginal
	if sc.st.mo.stroke != nil {
		for i := range r.opts {
			o := &r.opts[i]
			thumbs = append(thumbs, sc.get(&Alternative{Part: play.Thumb, String: o.str, Fret: o.fret, How: o.how}))
		}
	}
	flows := sr.arrive(g, inf, true)
	sr.cheapest(r, flows)
	var into []*marginal
	for i := range flows {
		f := &flows[i]
		if sr.flowDominated(r, flows, f) {
			continue
		}
		into = sc.melody(f.a, into[:0])
		voices := len(into)
		budget := max(highest(into), highest(thumbs)) - toGo
		if f.least >= budget {
			continue
		}
		set := sr.pick.actions(r, f.ringIn, !f.a.legato(), budget-f.least)
		sr.eachReached(set, f, budget, func(cost float64, p pickState, a *action, bass uint8, in *arrival) {
			if into = into[:voices]; thumbs != nil {
				into = append(into, thumbs[bass])
			}
			sc.file(cost, p, a, bass, in, into)
		})
	}
}

// melody adds the marginals of the melody's voices under the present hand.
func (sc *scan) melody(a attack, into []*marginal) []*marginal {
	if h := &sc.st.mo.hands[sc.g]; sc.st.mo.note >= 0 {
		for v := range h.n {
			s := &h.stops[v]
			into = append(into, sc.get(&Alternative{Part: play.Melody, Voice: v, String: s.str, Fret: s.fret, How: a.reported(s.how)}))
		}
	}
	return into
}

// dampersAt works out what it costs to have string str silenced at moment t by each damper
// that the school allows: what a pin for it would cost.
func (p *Plan) dampersAt(ctx context.Context, t, str int) ([]Alternative, error) {
	mo := &p.m.moments[t]
	if mo.pins.dampers[str] != "" || p.Moments[t].Hit != "" || p.damperAt(t, str) == "" && p.Moments[t].Strings[str-1].State != play.Leaks {
		return nil, nil // pinned, or nothing to damp
	}
	at := damped{t, str}
	if p.back != nil && p.back.dampers[at] != nil {
		return p.back.dampers[at], nil
	}
	out, err := p.inWindow(ctx, t, func() ([]Alternative, bool, error) { return p.scanDampers(ctx, t, str) })
	if err != nil {
		return nil, err
	}
	p.back.dampers[at] = out
	return out, nil
}

// scanDampers is scan for what silences string str.
func (p *Plan) scanDampers(ctx context.Context, t, str int) (out []Alternative, sure bool, err error) {
	sc := p.newScan(t)
	defer sc.sr.letGo()
	var picks []*pickStage // by damper
	for _, by := range p.m.allowedDampers() {
		picks = append(picks, p.m.pickDamped(sc.st.mo, str, by))
		sc.get(&Alternative{Part: play.Damped, String: str, By: by})
	}
	for _, g := range sc.order() {
		if err := ctx.Err(); err != nil {
			return nil, false, err
		}
		sc.g = int32(g)
		flows := sc.sr.arrive(g, highest(sc.found)-sc.index.hand[g], false)
		for i := range flows {
			if f := &flows[i]; f.leastOf() < inf {
				for k := range picks {
					sc.damped(f, picks[k], sc.found[k:k+1])
				}
			}
		}
	}
	out, sure = sc.finish()
	for _, sd := range picks {
		sd.letGo()
	}
	return out, sure, nil
}

// pickDamped is the picking hand's side of mo with one more pin: by silences string str.
func (m *model) pickDamped(mo *moment, str int, by play.Damper) *pickStage {
	pins, out := mo.pins, newPickStage()
	pins.dampers[str] = by
	out.resetWith(m, mo, &pins)
	return out
}

// damped files everything that can follow a flow into the present hand under one more pin on a damper, if it may be
// better than what is known.
func (sc *scan) damped(f *inflow, pick *pickStage, into []*marginal) {
	sr := sc.sr
	budget := into[0].Extra - sc.index.hand[sc.g]
	if f.least >= budget {
		return
	}
	sr.pick = pick
	set := pick.actions(pick.of(int(sc.g)), f.ringIn, !f.a.legato(), budget-f.least)
	sr.eachReached(set, f, budget, func(cost float64, p pickState, a *action, bass uint8, in *arrival) {
		sc.file(cost, p, a, bass, in, into)
	})
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
	states []state
	at     int // moment of the link
	str    int // string that must be silenced there, 0 for none …
	by     play.Damper
}

// through rebuilds the best plan by way of a at moment t, as far as it differs.
func (p *Plan) through(t int, a *Alternative) detour {
	at := state{prev: a.via.prev, place: a.via.to}
	d := detour{first: t, states: []state{at}, at: t, by: a.By, str: a.String}
	if a.Part != play.Damped {
		d.str = 0
	}
	for d.first > 0 {
		before := p.back.layer(d.first - 1).states[d.states[0].prev]
		if before.same(&p.state(d.first - 1).place) {
			break
		}
		d.first--
		d.states = append([]state{before}, d.states...)
	}
	for t+1 < len(p.states) {
		s := &d.states[len(d.states)-1]
		own, next := s.same(&p.state(t).place), p.back.next(t, s.place)
		t++
		back := next.same(&p.state(t).place)
		if own && back { // of equal ways between the same places it is the plan's
			next = p.state(t).place
		}
		d.states = append(d.states, state{place: next})
		if back {
			break
		}
	}
	return d
}

// choices recomputes what is chosen along a detour.
func (p *Plan) choices(d detour) []choice {
	out := make([]choice, len(d.states))
	for i := range d.states {
		t := d.first + i
		before := p.before(t)
		if i > 0 {
			before = &d.states[i-1]
		}
		ar := p.around(t)
		pick := ar.pick
		if t == d.at && d.str != 0 {
			pick = p.m.pickDamped(ar.stage.mo, d.str, d.by)
		}
		out[i] = p.m.choiceFrom(ar.stage, pick, before, &d.states[i])
	}
	return out
}
