package plan

import (
	"cmp"
	"context"
	"math/bits"
	"slices"

	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/ring"
)

// bound is an admissible bound on what is still to pay: the least cost from each hand of each moment and each
// set of digits that plucked last to the end, the rest of the picking hand counted at no more than it must cost
// whatever rings. On our tunes it reaches about 96% of the
// true cost, so that most states can be left out of the search for one best plan.
type bound struct {
	m        *model
	costToGo [][]minToGo // by moment and hand: all that comes after the moment
	knew     *knownTo    // nil if nothing is known beside
}

// from bounds what comes after state s of moment t.
func (b *bound) from(t int, s *state) float64 {
	least := b.costToGo[t][s.hand].by[b.m.classOf[s.pick.mask()]]
	if b.knew != nil {
		least = max(least, b.knew.from(t, s))
	}
	return least
}

// minToGo is a bound on what comes, by the class of the digits that plucked last, and the least of them.
type minToGo struct {
	by    [mostClasses]float64
	least float64
}

// mostClasses bounds the sets of digits that a plan plucks with: of four digits at most three, none, and tapping.
const mostClasses = 16

// layClasses numbers the sets of digits with which the tune's notes may be plucked; class 0 is none. Lumped, all
// others are one class, which is quicker and looser.
func (m *model) layClasses(lumped bool) {
	voices := 1
	for i := range m.req.Tune.Notes {
		voices = max(voices, 1+len(m.req.Tune.Notes[i].With))
	}
	m.masks = append(m.masks[:0], 0)
	for mask := 1; mask < 1<<(m.req.Player.Fingers+1); mask++ {
		if bits.OnesCount(uint(mask)) <= voices {
			m.masks = append(m.masks, uint8(mask))
		}
	}
	m.masks = append(m.masks, 1<<digits.TapBit)
	m.classes = len(m.masks)
	if lumped {
		m.classes = 2
	}
	for i, mask := range m.masks {
		m.classOf[mask] = uint8(min(i, m.classes-1))
	}
}

// againByClass is the least that plucking with one class of digits costs after another.
func (m *model) againByClass(table *againTable) (by [mostClasses][mostClasses]float64) {
	for k := range m.classes {
		for k2 := range m.classes {
			by[k][k2] = inf
		}
	}
	for _, from := range m.masks {
		for _, to := range m.masks {
			v := &by[m.classOf[from]][m.classOf[to]]
			*v = min(*v, table[from][to])
		}
	}
	return by
}

// belowRounding keeps the bound under sums of costs that were each rounded to the quantum.
const belowRounding = 1e-5

// newBound relaxes the search to the left hand, backward. It completes the hands of every moment.
func (m *model) newBound(ctx context.Context) (*bound, error) {
	return m.boundUntil(ctx, func(*bound, int) bool { return false })
}

// boundUntil is newBound, stopped as soon as enough says so of the moments from t on.
func (m *model) boundUntil(ctx context.Context, enough func(b *bound, t int) bool) (*bound, error) {
	b := &bound{m: m, costToGo: make([][]minToGo, len(m.moments))}
	for t := range m.moments {
		m.stage(t)
	}
	last := len(m.moments) - 1
	b.costToGo[last] = make([]minToGo, len(m.moments[last].hands)) // nothing
	sd := newPickStage()
	defer sd.letGo()
	for t := last; t > 0; t-- {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		sd.reset(m, &m.moments[t])
		b.costToGo[t-1] = b.pass(m.stage(t), sd)
		if enough(b, t-1) {
			break
		}
	}
	return b, nil
}

// pass bounds the hands before st's moment.
func (b *bound) pass(st *stage, sd *pickStage) []minToGo {
	n, again := b.m.classes, b.m.againByClass(sd.again)
	out, worst := make([]minToGo, len(st.before)), make([]float64, len(st.before))
	for i := range out {
		for k := range n {
			out[i].by[k] = inf
		}
		worst[i] = inf
	}
	for _, g := range b.promising(st) {
		after, to := &b.costToGo[st.t][g], &st.mo.hands[g]
		least := to.ownCost + after.least
		if least == inf {
			break
		}
		r := sd.of(g)
		var known [trebles + 1]*pickToGo
		for i := range st.before {
			if least >= worst[i] {
				continue
			}
			c, ok := st.change(i, g)
			if !ok {
				continue
			}
			ended := st.endedInto(&st.before[i], to) & trebles
			v := known[ended]
			if v == nil {
				v = b.pickToGo(&again, r, after, ended)
				known[ended] = v
			}
			worst[i] = out[i].improve(n, st.mo.note >= 0, &c, v, after)
		}
	}
	for i := range out {
		out[i].least = slices.Min(out[i].by[:n])
	}
	return out
}

// pickToGo is the least that the picking hand costs with one hand, and all after it, by the class before;
// idle what it costs itself where no digit plucks.
type pickToGo struct {
	plucked [mostClasses]float64
	idle    float64
}

func (b *bound) pickToGo(again *[mostClasses][mostClasses]float64, r *pickShape, after *minToGo, ended ring.Strings) *pickToGo {
	v := &pickToGo{idle: r.leastPickCost(b.m, false, ended)}
	if r.mo.note < 0 {
		return v
	}
	ending, picks := r.leastEndingAfter(b.m, ended), r.leastByClass(b.m, ended)
	for k := range b.m.classes {
		least := inf
		for k2 := range b.m.classes {
			if picks[k2] < inf {
				least = min(least, again[k][k2]+picks[k2]+after.by[k2])
			}
		}
		v.plucked[k] = least + ending
	}
	return v
}

// improve lowers o by what change c leads to, and returns the highest of its n bounds.
func (o *minToGo) improve(n int, onset bool, c *change, v *pickToGo, after *minToGo) (worst float64) {
	legato := inf
	if onset && c.legato < inf {
		legato = c.legato + v.idle + after.by[0]
	}
	for k := range n {
		way := c.pluck + v.plucked[k]
		if !onset {
			way = c.pluck + v.idle + after.by[k]
		}
		o.by[k] = min(o.by[k], way, legato)
		worst = max(worst, o.by[k])
	}
	return worst
}

// promising lists the hands of st's moment by what they and all after them cost at least, so
// that the later ones have little to add.
func (b *bound) promising(st *stage) []int {
	order := make([]int, len(st.mo.hands))
	cost := make([]float64, len(st.mo.hands))
	for g := range order {
		order[g], cost[g] = g, st.mo.hands[g].ownCost+b.costToGo[st.t][g].least
	}
	slices.SortFunc(order, func(x, y int) int { return cmp.Or(cmp.Compare(cost[x], cost[y]), x-y) })
	return order
}

// endedInto is the ended strings of ringInAfter with no bass string ringing.
func (st *stage) endedInto(h, g *hand) ring.Strings {
	if st.mo.ended < 0 || !st.m.damps(st.mo) {
		return 0
	}
	ended := h.sounding &^ h.fingered &^ g.trailed
	if st.mo.note >= 0 {
		ended &^= g.sounding
	}
	return ended
}

// leastPickCost is the least that the picking hand can cost with r's hands after ended strings.
func (r *pickShape) leastPickCost(m *model, plucked bool, ended ring.Strings) float64 {
	k := 0
	if plucked {
		k = 1
	}
	v := &r.leastPicks[k][ended&trebles]
	if *v == 0 {
		by := m.leastPick(r, plucked, ended)
		*v = slices.Min(by[:m.classes])
	}
	return *v + r.leastEndingAfter(m, ended)
}

// leastByClass is the same for plucking with each class of digits, without what has ended.
func (r *pickShape) leastByClass(m *model, ended ring.Strings) *[mostClasses]float64 {
	v := &r.leastBy[ended&trebles]
	if *v == nil {
		by := m.leastPick(r, true, ended)
		*v = &by
	}
	return *v
}

// leastEndingAfter is what ended strings cost at least: a bass string may be struck anew by the thumb, and the
// fingertips of a tap silence the others.
func (r *pickShape) leastEndingAfter(m *model, ended ring.Strings) float64 {
	if r.mo.hit == pattern.Tap {
		return 0
	}
	return r.leastEnding(m, ended&trebles)
}

// trebles are the strings on which no bass note can be ringing.
const trebles ring.Strings = 0b111

// leastPick takes, for each class of digits, the best bass option and pluck, and the sympathy of idle treble
// strings as far as the heel cannot damp it for less. What plucks nothing stands under class 0.
func (m *model) leastPick(r *pickShape, plucked bool, ended ring.Strings) (by [mostClasses]float64) {
	var idle [1]pluck
	for k := range by {
		by[k] = inf
	}
	for b := range r.opts {
		o := &r.opts[b]
		var s silence
		if !m.still(r, ringIn{}, o, &s) {
			continue
		}
		ring := m.leastSympathy(r, &s, o, m.idleStrings(r, &s)&trebles&^ended)
		plucks := r.pluckWays(o, plucked, &idle)
		for i := range plucks {
			if !pluckBesideBass(&plucks[i], o) {
				continue
			}
			k := uint8(0)
			if mask := plucks[i].mask; mask != keepMask {
				k = m.classOf[mask]
			}
			by[k] = min(by[k], o.sum-o.eased+plucks[i].cost+ring-belowRounding)
		}
	}
	return by
}

func (m *model) leastSympathy(r *pickShape, s *silence, o *bassOption, idle ring.Strings) float64 {
	if !m.damps(r.mo) {
		return 0
	}
	least := m.leastRest(r, o, idle)
	for heel := 4; m.school.Heel && heel < heelStates; heel++ { // fewer reach no treble string
		if ring.Heel(heel)&s.struck != 0 {
			break
		}
		least = min(least, m.w.HeelEffort*float64(heel)+m.w.Sympathy*sympathetic(r, o, idle&^ring.Heel(heel)))
	}
	return least
}

// leastRest is the least that idle strings cost, ringing along or under resting digits.
func (m *model) leastRest(r *pickShape, o *bassOption, idle ring.Strings) float64 {
	least := m.w.Sympathy * sympathetic(r, o, idle)
	if !m.school.Rests {
		return least
	}
	for place := 1; place < restPlaces; place++ {
		lain := idle & ring.Between(place, place+m.req.Player.Fingers-1)
		least = min(least, m.w.RestHold*float64(lain.Len())+m.w.Sympathy*sympathetic(r, o, idle&^lain))
	}
	return least
}

// leastEnding is the least that the dearest of the ended strings can cost.
func (r *pickShape) leastEnding(m *model, ended ring.Strings) float64 {
	most := 0.0
	for s := 1; ended>>(s-1) != 0; s++ {
		if !ended.Has(s) {
			continue
		}
		least := min(m.leastStop(), r.leakPrice(r.mo.leak.ended[s], s))
		if m.school.Heel {
			least = min(least, m.w.HeelEffort*float64(7-s))
		}
		if m.school.Rests {
			least = min(least, m.w.RestHold+m.w.RestStop)
		}
		most = max(most, least)
	}
	return most
}

// leastStop is the least effort with which something comes down on a string that rings.
func (m *model) leastStop() float64 {
	w := m.w
	return min(w.StopOwn, w.StopEffort, w.LittleEffort, w.RestEffort, w.FingerTouch, w.UnderTouch, w.SpareEffort, w.OverEffort, w.TiltEffort)
}

// boundMoments is the length up to which the bound pays: what it lacks adds up over a tune, until
// it leaves out too little to be worth its time. Up to it the stages are kept, too.
const boundMoments = 320

// The first, quick search keeps so many states a moment, and looks only at hands that promise to
// cost no more than this above the most promising one.
const (
	beamWidth = 16
	beamSlack = 1.5
)

// pruning tells a forward pass what it may leave out: what must come out dearer than limit, and,
// if beam is not 0, all but so many states a moment.
type pruning struct {
	*bound
	limit float64
	beam  int
}

// bestLayers finds the states of the best plan: first a quick search bounds its cost from above,
// then everything that the bound allows to be as good is searched. The first of equal plans is
// the same as without the bound, since no state of any best plan is left out.
func (m *model) bestLayers(ctx context.Context) (layers []layer, rule string, err error) {
	if m.inFull() {
		return m.forward(ctx, nil)
	}
	b, err := m.newBound(ctx)
	if err != nil {
		return nil, "", err
	}
	quick, failed, err := m.forward(ctx, &pruning{b, inf, beamWidth})
	if err != nil {
		return nil, "", err
	}
	limit := inf
	if last := quick[len(quick)-1].states; failed == "" {
		limit = last[best(last)].cost
	}
	if m.req.Within > 0 {
		limit = min(limit, m.req.Within)
	}
	return m.forward(ctx, &pruning{b, limit, 0})
}

// inFull reports whether the best plan is searched with nothing left out: the longer a tune, the less does the
// bound spare, and what there is beside the plan begins with such a search. But a total that is wanted at most
// is soon exceeded.
func (m *model) inFull() bool {
	free := m.req.Within == 0 && len(m.req.alike) == 0
	return len(m.moments) > boundMoments || free && len(m.moments) > everyLayer
}

// look sets the limit for moment t of a quick search that has come so far for cheapest.
func (w *pruning) look(t int, cheapest float64) {
	if w == nil || w.beam == 0 {
		return
	}
	w.limit = inf
	for g := range w.costToGo[t] {
		w.limit = min(w.limit, cheapest+w.m.moments[t].hands[g].ownCost+w.costToGo[t][g].least+beamSlack)
	}
}

// budget is what may have been paid when hand g has played moment t.
func (w *pruning) budget(t, g int) float64 {
	if w == nil {
		return inf
	}
	return w.limit - w.costToGo[t][g].least
}

// widen lifts the limit of a quick search that has found nothing at a moment.
func (w *pruning) widen() bool {
	if w == nil || w.beam == 0 || w.limit == inf {
		return false
	}
	w.limit = inf
	return true
}

// hopeless reports whether hand g at moment t cannot be part of a plan within the limit after
// costs of at least before.
func (w *pruning) hopeless(t, g int, before float64) bool {
	return before > w.budget(t, g)
}

// narrow leaves out of a layer what the limit and the beam do not allow.
func (w *pruning) narrow(t int, states []state) []state {
	if w == nil {
		return states
	}
	full := func(s *state) float64 { return s.cost + w.from(t, s) }
	limit := w.limit
	if w.beam > 0 && len(states) > w.beam {
		all := make([]float64, len(states))
		for i := range states {
			all[i] = full(&states[i])
		}
		slices.Sort(all)
		limit = all[w.beam-1]
	}
	return slices.DeleteFunc(states, func(s state) bool { return full(&s) > limit })
}
