package plan

import (
	"context"
	"math"
	"slices"

	"stepping/core/quiet"
)

// bound is an admissible bound on what is still to pay: the left hand's least cost from each
// hand of each moment to the end, the picking hand counted at no more than it must cost
// whatever rings and whichever digit plucked before. On our tunes it reaches about 95% of the
// true cost, so that most hands can be left out of the search for one best plan.
type bound struct {
	m    *model
	togo [][]float64 // by moment and hand: all that comes after the moment
}

// belowRounding keeps the bound under sums of costs that were each rounded to the quantum.
const belowRounding = 1e-5

// newBound relaxes the search to the left hand, backward. It completes the hands of every moment.
func (m *model) newBound(ctx context.Context) (*bound, error) {
	b := &bound{m: m, togo: make([][]float64, len(m.moments))}
	for t := range m.moments {
		m.stage(t)
	}
	last := len(m.moments) - 1
	b.togo[last] = make([]float64, len(m.moments[last].hands))
	var sd side
	for t := last; t > 0; t-- {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		sd.reset(m, &m.moments[t])
		b.togo[t-1] = b.pass(m.stage(t), &sd)
	}
	return b, nil
}

// pass bounds the hands before st's moment.
func (b *bound) pass(st *stage, sd *side) []float64 {
	out := make([]float64, len(st.before))
	for i := range out {
		out[i] = inf
	}
	for g := range st.mo.hands {
		after := b.togo[st.t][g]
		if after == inf {
			continue
		}
		r, to := sd.of(g), &st.mo.hands[g]
		for i := range st.before {
			if to.own+after >= out[i] {
				continue
			}
			c, ok := st.change(i, g)
			if !ok {
				continue
			}
			ended := st.endedInto(&st.before[i], to)
			if v := c.pluck + r.floor(b.m, true, ended) + after; v < out[i] {
				out[i] = v
			}
			if c.legato < inf {
				out[i] = math.Min(out[i], c.legato+r.floor(b.m, false, ended)+after)
			}
		}
	}
	return out
}

// endedInto is the ended strings of tailOf with no bass string ringing.
func (st *stage) endedInto(h, g *hand) quiet.Strings {
	if st.mo.ended < 0 || !st.m.damps(st.mo) {
		return 0
	}
	ended := h.sounding &^ h.fingered &^ g.trailed
	if st.mo.note >= 0 {
		ended &^= g.sounding
	}
	return ended
}

// floor is the least that the picking hand can cost with r's hands after ended strings.
func (r *right) floor(m *model, plucked bool, ended quiet.Strings) float64 {
	k := 0
	if plucked {
		k = 1
	}
	v := &r.floors[k][ended&trebles]
	if *v == 0 {
		*v = m.rightFloor(r, plucked, ended)
	}
	return *v + r.endFloor(m, ended&trebles) // a bass string may be struck anew by the thumb
}

// trebles are the strings on which no bass note can be ringing.
const trebles quiet.Strings = 0b111

// rightFloor takes the best bass option and pluck, and the sympathy of idle treble strings as
// far as the heel cannot damp it for less.
func (m *model) rightFloor(r *right, plucked bool, ended quiet.Strings) float64 {
	idle := [1]pluck{idlePluck(r.mo, r.h)}
	plucks := idle[:]
	if plucked && r.mo.note >= 0 {
		plucks = r.plucks
	}
	least := inf
	for b := range r.opts {
		o := &r.opts[b]
		var s silence
		if !m.still(r, tail{}, o, &s) {
			continue
		}
		ring := m.sympathyFloor(r, &s, o, m.idleStrings(r, &s)&trebles&^ended)
		for i := range plucks {
			if pluckBesideBass(&plucks[i], o) {
				least = math.Min(least, o.sum+plucks[i].cost+ring)
			}
		}
	}
	return least - belowRounding
}

func (m *model) sympathyFloor(r *right, s *silence, o *bassOption, idle quiet.Strings) float64 {
	if !m.damps(r.mo) {
		return 0
	}
	least := wSympathy * sympathetic(r, o, idle)
	for heel := 4; m.school.Heel && heel < heelStates; heel++ { // fewer reach no treble string
		if quiet.Heel(heel)&s.struck != 0 {
			break
		}
		least = math.Min(least, heelEffort*float64(heel)+wSympathy*sympathetic(r, o, idle&^quiet.Heel(heel)))
	}
	return least
}

// endFloor is the least that the dearest of the ended strings can cost.
func (r *right) endFloor(m *model, ended quiet.Strings) float64 {
	most := 0.0
	for s := 1; ended>>(s-1) != 0; s++ {
		if !ended.Has(s) {
			continue
		}
		least := math.Min(math.Min(stopOwn, underTouch), r.leakPrice(r.mo.leak.ended[s], s))
		if m.school.Heel {
			least = math.Min(least, heelEffort*float64(7-s))
		}
		most = math.Max(most, least)
	}
	return most
}

// boundMoments is the length up to which the bound pays: what it lacks adds up over a tune, until
// it leaves out too little to be worth its time. Up to it the stages are kept, too.
const boundMoments = 160

// The first, quick search keeps so many states a moment, and looks only at hands that promise to
// cost no more than this above the most promising one.
const (
	beamWidth = 16
	beamSlack = 1.5
)

// within tells a forward pass what it may leave out: what must come out dearer than limit, and,
// if beam is not 0, all but so many states a moment.
type within struct {
	*bound
	limit float64
	beam  int
}

// least finds the states of the best plan: first a quick search bounds its cost from above,
// then everything that the bound allows to be as good is searched. The first of equal plans is
// the same as without the bound, since no state of any best plan is left out.
func (m *model) least(ctx context.Context) (layers []layer, rule string, err error) {
	if len(m.moments) > boundMoments {
		return m.forward(ctx, nil)
	}
	b, err := m.newBound(ctx)
	if err != nil {
		return nil, "", err
	}
	quick, failed, err := m.forward(ctx, &within{b, inf, beamWidth})
	if err != nil {
		return nil, "", err
	}
	limit := inf
	if last := quick[len(quick)-1].states; failed == "" {
		limit = last[best(last)].cost
	}
	return m.forward(ctx, &within{b, limit, 0})
}

// look sets the limit for moment t of a quick search that has come so far for cheapest.
func (w *within) look(t int, cheapest float64) {
	if w == nil || w.beam == 0 {
		return
	}
	w.limit = inf
	for g := range w.togo[t] {
		w.limit = math.Min(w.limit, cheapest+w.m.moments[t].hands[g].own+w.togo[t][g]+beamSlack)
	}
}

// widen lifts the limit of a quick search that has found nothing at a moment.
func (w *within) widen() bool {
	if w == nil || w.beam == 0 || w.limit == inf {
		return false
	}
	w.limit = inf
	return true
}

// hopeless reports whether hand g at moment t cannot be part of a plan within the limit after
// costs of at least before.
func (w *within) hopeless(t, g int, before float64) bool {
	return w != nil && before+w.togo[t][g] > w.limit
}

// narrow leaves out of a layer what the limit and the beam do not allow.
func (w *within) narrow(t int, states []state) []state {
	if w == nil {
		return states
	}
	full := func(s *state) float64 { return s.cost + w.togo[t][s.hand] }
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
