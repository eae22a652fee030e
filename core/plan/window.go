package plan

import (
	"context"
	"math"
	"slices"

	"stepping/core/play"
)

// What else there is at a moment is found in a window of the tune: another way to play it leaves the plan and
// comes back to it within a few bars, so what lies further on need not be searched. That it does come back is
// not taken for granted. Behind the window every state is counted at no more than it can cost to the end
// (edge), which is exact for the plan's own alone, and an alternative is only told if its best way returns to
// the plan; otherwise the window grows.

// How far behind the moment asked about the window reaches, and by how much it grows. In trials with tunes of
// 64 and 128 notes one question in 35 needed a wider one, see docs/speed.md.
const (
	windowBehind = 24
	windowLeast  = 8
	windowGrows  = 16
)

// Every cost is a multiple of 1/play.Grid, so that the bits below that are free for what decides between equal
// ways. A cost that depends on a bound has inDoubt: a sum tells whether it is certain, and of equal ways the
// certain one comes first. A state that is not the plan's own has offPlan: of equal ways that which comes back
// to the plan soonest comes first, and that is the same in a narrow window and in a wide one.
const (
	inDoubt = 0.5 / play.Grid
	offPlan = 1.0 / (1 << 34) // of a tune's moments together less than inDoubt
)

// exactly is a cost, or a bound on it, without those bits.
func exactly(cost float64) float64 { return math.Floor(cost*play.Grid) / play.Grid }

// certain reports whether a cost depends on no bound.
func certain(cost float64) bool { return cost-exactly(cost) < inDoubt }

// everyLayer is the length up to which the pass forward keeps all its layers; of longer tunes it keeps one in sparseLayers,
// from which the others are found again.
const (
	everyLayer   = 160
	sparseLayers = 16
)

// keepsLayer reports whether the layer of moment t is kept for good.
func (m *model) keepsLayer(t int) bool {
	return len(m.moments) <= everyLayer || t%sparseLayers == 0
}

// keptLayers are the layers that are kept for good: none of a search that left something out.
func (m *model) keptLayers(layers []layer) []layer {
	if !m.inFull() {
		return nil
	}
	for t := range layers {
		if !m.keepsLayer(t) {
			layers[t] = layer{}
		}
	}
	return layers
}

// newBackward begins with the layers that are known.
func (p *Plan) newBackward(layers []layer) *backward {
	n := len(p.states)
	bw := &backward{m: p.m, plan: p.states, own: n, lo: n, hi: n - 1, costToGo: make([][]successor, n), layers: make([]layer, n)}
	copy(bw.layers, layers)
	bw.clear()
	return bw
}

// clear forgets what was found in the window.
func (bw *backward) clear() {
	bw.letGo()
	clear(bw.costToGo)
	bw.pass++
	bw.extra, bw.marginals, bw.dampers = map[extraKey]successor{}, map[int][]Alternative{}, map[damped][]Alternative{}
}

// explore sees to it that moment t lies in the window.
func (p *Plan) explore(ctx context.Context, t int) error {
	switch {
	case p.back == nil && p.seed != nil:
		bw, err := p.grow(ctx, t)
		if err != nil {
			return err
		}
		p.back, p.seed = bw, nil // or it would hold on to the other plan
	case p.back == nil:
		p.back = p.newBackward(p.layers)
	}
	switch bw := p.back; {
	case bw.serves(t):
		return nil
	case !bw.borrows() && t < bw.lo && t >= bw.lo-windowBehind:
		return p.open(ctx, t, bw.hi)
	}
	return p.open(ctx, t, t+windowBehind)
}

// open makes the window reach from moment lo to hi, or to the end if that is close, by layers of p's own.
func (p *Plan) open(ctx context.Context, lo, hi int) error {
	if p.back.borrows() {
		p.back = p.newBackward(p.back.layers[:p.back.own])
	}
	return p.back.open(ctx, lo, hi)
}

// inWindow asks scan about moment t, in windows that grow until the answer is sure.
func (p *Plan) inWindow(ctx context.Context, t int, scan func() (out []Alternative, sure bool, err error)) ([]Alternative, error) {
	p.letGo()
	p.m.keep()
	p.m.keepStages = true
	defer p.letGo() // what only this question needs is most of the memory
	if err := p.explore(ctx, t); err != nil {
		return nil, err
	}
	for {
		out, sure, err := scan()
		if err != nil || sure {
			return out, err
		}
		if err := p.open(ctx, t, p.back.hi+windowGrows); err != nil {
			return nil, err
		}
	}
}

// serves reports whether a question about moment t may be asked in the window as it is.
func (bw *backward) serves(t int) bool {
	last := len(bw.layers) - 1
	return t >= bw.lo && t <= bw.hi-min(windowLeast, last-t) && (!bw.borrows() || t == bw.own)
}

// borrows reports whether the window is made of another plan's layers: it is good for one moment alone.
func (bw *backward) borrows() bool { return bw.own < len(bw.layers) }

// open is Plan.open of a window that does not borrow.
func (bw *backward) open(ctx context.Context, lo, hi int) error {
	if last := len(bw.layers) - 1; hi > last-windowLeast {
		hi = last
	}
	if err := bw.reach(ctx, lo, hi); err != nil {
		return err
	}
	known := slices.Clone(bw.costToGo)
	if hi != bw.hi || lo > bw.lo || len(bw.costToGo[hi]) == 0 {
		bw.clear()
		bw.lo, bw.hi = hi, hi
		bw.layEdge()
	}
	if err := bw.down(ctx, lo, known); err != nil {
		return err
	}
	bw.trim()
	return nil
}

// down works the window down to moment lo; what is certain in known stays.
func (bw *backward) down(ctx context.Context, lo int, known [][]successor) error {
	scratch := newPickStage()
	defer scratch.letGo()
	for t := bw.lo; t > lo; t-- {
		if err := ctx.Err(); err != nil {
			return err
		}
		var old []successor
		if known != nil {
			old = known[t-1]
		}
		bw.costToGo[t-1] = bw.into(bw.m.stage(t), bw.m.pickStage(t, scratch), old)
		bw.lo = t - 1
	}
	return nil
}

// reach brings the pass forward to the layers from lo to hi, their dominated states included.
func (bw *backward) reach(ctx context.Context, lo, hi int) error {
	for t := lo; t <= hi; t++ {
		if bw.layers[t].dominated != nil {
			continue
		}
		if err := bw.forward(ctx, t, t); err != nil {
			return err
		}
	}
	return nil
}

// forward brings the pass forward to moment t, from moment whole on with the dominated states.
func (bw *backward) forward(ctx context.Context, t, whole int) error {
	at := t
	for at > 0 && len(bw.layers[at-1].states) == 0 {
		at--
	}
	_, err := bw.m.forwardOver(ctx, nil, bw.layers, span{at, t + 1}, whole)
	return err
}

// trim lets go of layers that lie outside the window and are found again when they are wanted. Those before it
// lead back to the plan.
func (bw *backward) trim() {
	for t := range bw.layers {
		l := &bw.layers[t]
		if t < bw.lo-1 || t > bw.hi {
			l.dominated = nil
		}
		if (t < bw.lo-1-windowBehind || t > bw.hi) && !bw.m.keepsLayer(t) {
			*l = layer{}
		}
	}
}

// layer is that of moment t, without the dominated states if they are not at hand.
func (bw *backward) layer(t int) *layer {
	if len(bw.layers[t].states) == 0 {
		if err := bw.forward(context.Background(), t, t+1); err != nil {
			panic("plan: a pass that nobody stops was stopped: " + err.Error())
		}
	}
	return &bw.layers[t]
}

// layEdge sets what it costs to go on from the states of moment hi: nothing if it is the last; else, since no
// plan costs less than the best, at least what that leaves when the state has been paid for. Of the plan's own
// state that is exact. What the pass forward says of dominated states may be too much; they are bounded by the
// kept ones.
func (bw *backward) layEdge() {
	t, l, last := bw.hi, &bw.layers[bw.hi], len(bw.plan)-1
	out := make([]successor, len(l.states)+len(l.dominated))
	bw.costToGo[t] = out
	for i := range out {
		s := l.met(i)
		switch own := s.same(&bw.plan[t].place); {
		case own:
			out[i] = successor{bw.plan[last].cost - s.cost, bw.plan[min(t+1, last)].place}
		case t < last && i < len(l.states):
			out[i].cost = bw.plan[last].cost - s.cost + inDoubt
		default:
			out[i].cost = bw.edge(&s.place)
		}
	}
}

// edge bounds what it costs at least to go on from a place of moment hi that is not kept.
func (bw *backward) edge(at *place) float64 {
	if bw.hi == len(bw.plan)-1 {
		return offPlan
	}
	return bw.layers[bw.hi].least(at, bw.costToGo[bw.hi], bw.m.dominanceFrom(bw.hi+1)) + inDoubt
}

// least bounds what it costs to go on from a place that is not kept, by the costs to go of the layer's states:
// no less than from one that is kept, less what another picking state can save.
func (l *layer) least(at *place, costToGo []successor, d *dominance) (least float64) {
	lo, _ := slices.BinarySearchFunc(l.states, state{place: place{hand: at.hand, live: at.live}}, byPlace)
	for i := lo; i < len(l.states) && l.states[i].hand == at.hand && l.states[i].live == at.live; i++ {
		least = max(least, exactly(costToGo[i].cost)-d.of(l.states[i].pick, at.pick))
	}
	return least
}

// beside is what a place of moment t that is not the plan's own has more.
func (bw *backward) beside(t int, at *place) float64 {
	if at.same(&bw.plan[t].place) {
		return 0
	}
	return offPlan
}

// same reports whether the next moment cannot tell a from b.
func (a *place) same(b *place) bool { return a.hand == b.hand && a.live == b.live && a.pick == b.pick }
