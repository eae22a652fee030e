package plan

import (
	"cmp"
	"context"
	"reflect"
	"slices"

	"stepping/core/play"
)

// Known is what a plan's alternatives have found out. A pin on a note or a stroke only forbids, at its moment:
// before it nothing is other, after it the same state costs the same to the end, and nothing gets cheaper. So
// for the same request with one of the alternatives pinned the search begins at the pin, looks at little beside
// the best plan, and ends where that comes back to the plan before. It does not change, and may be read while
// the plan goes on being used.
type Known struct {
	request  Request
	states   []state // of the plan
	hands    [][]hand
	layers   []layer // of the pass forward, those at hand
	lo, hi   int     // the window
	costToGo [][]successor
	priced   map[play.Pin]priced // what the plan costs under one more pin, of those that were asked for
	beside   []*Known            // of plans without one of the pins, if something else is put in its place
}

// priced is a pin's moment and the least total with it.
type priced struct {
	t     int
	total float64
}

// Known returns what p's alternatives have found out; nil if none were asked for.
func (p *Plan) Known() *Known {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.free != nil {
		return p.free.Known()
	}
	return p.ownKnown()
}

// ownKnown is what p itself has found out, not the plan in which its repeats are free. The caller holds the lock.
func (p *Plan) ownKnown() *Known {
	var beside []*Known
	for _, q := range p.beside {
		if k := q.Known(); k != nil {
			beside = append(beside, k)
		}
	}
	bw := p.back
	if bw == nil || bw.borrows() { // what is borrowed leads elsewhere
		if beside == nil {
			return nil
		}
		return &Known{request: p.Request, lo: len(p.states), beside: beside}
	}
	k := &Known{request: p.Request, states: p.states, layers: slices.Clone(bw.layers), lo: bw.lo, hi: bw.hi,
		costToGo: slices.Clone(bw.costToGo), beside: beside, priced: map[play.Pin]priced{}}
	price := func(t int, alts []Alternative) {
		for i := range alts {
			k.priced[alts[i].Pin(&p.Moments[t])] = priced{t, p.Total + alts[i].Extra}
		}
	}
	for t, alts := range bw.marginals {
		price(t, alts)
	}
	for at, alts := range bw.dampers {
		price(at.t, alts)
	}
	for t := range p.m.moments {
		k.hands = append(k.hands, p.m.moments[t].hands)
	}
	return k
}

// price finds r among the requests with one of the priced pins added: what is known to that, nil if it is not
// there, and the pin's moment and the least total.
func (k *Known) price(r *Request) (*Known, priced) {
	if k == nil {
		return nil, priced{}
	}
	if at, ok := k.more(r); ok {
		return k, at
	}
	for _, other := range k.beside {
		if at, ok := other.more(r); ok {
			return other, at
		}
	}
	return nil, priced{}
}

// more is price for k alone.
func (k *Known) more(r *Request) (at priced, ok bool) {
	if len(r.Pins) != len(k.request.Pins)+1 {
		return at, false
	}
	for _, pin := range k.request.Pins {
		if !slices.Contains(r.Pins, pin) {
			return at, false
		}
	}
	for _, pin := range r.Pins {
		if at, ok = k.priced[pin]; ok && !slices.Contains(k.request.Pins, pin) {
			return at, reflect.DeepEqual(bare(k.request), bare(*r))
		}
	}
	return at, false
}

// bare is h without its places in lists, which differ from request to request.
func (h *hand) bare() hand {
	out := *h
	out.line, out.lastPosition, out.shape = 0, 0, 0
	return out
}

// bestKnown is the best way from what is known of the request without its last pin, with the layers before
// that; nil if that does not suffice. Equal ways are told apart as they are without it: on the way on from
// where the two plans meet every state has cost the same more, and what does not come by there costs more than
// the best.
func (m *model) bestKnown(ctx context.Context) (states []state, before []layer) {
	k, pin := m.req.Known.price(m.req)
	if k == nil || pin.t < k.lo || pin.t > k.hi {
		return nil, nil
	}
	for t := range m.moments {
		m.complete(t)
	}
	kt := newKnownTo(m, k)
	if before = kt.before(pin.t); before == nil {
		return nil, nil
	}
	layers := make([]layer, len(m.moments))
	copy(layers, before)
	end, own := m.searchKnown(ctx, kt, pin, layers)
	if own < 0 {
		return nil, nil
	}
	states = kt.after(end, pin.total)
	if states == nil || !kt.lead(states, layers, pin.t, end, own) {
		return nil, nil
	}
	return states, before
}

// before are the layers before moment t, those that are at hand; nil if they are other than the request's, or
// if the last of them is not there.
func (k *knownTo) before(t int) []layer {
	out := make([]layer, t)
	for i := range out {
		if !k.alike(i) {
			return nil
		}
		out[i].states, out[i].picks = k.layers[i].states, k.layers[i].picks
	}
	if t > 0 && len(out[t-1].states) == 0 {
		return nil
	}
	return out
}

// searchKnown brings the pass forward from the pin to where the best way comes back to the plan before, or to
// the end, and returns that moment and the number of the best way's state; -1 if it does not get there.
func (m *model) searchKnown(ctx context.Context, kt *knownTo, pin priced, layers []layer) (end, own int) {
	b := &bound{m: m, costToGo: make([][]minToGo, len(m.moments)), knew: kt}
	last := len(layers) - 1
	for t := pin.t; t <= kt.hi; t++ {
		kt.dominance[t] = m.dominanceFrom(t + 1)
		b.costToGo[t] = kt.hands(t)
		failed, err := m.forwardOver(ctx, &pruning{b, pin.total, 0}, layers, span{t, t + 1}, len(layers))
		if err != nil || failed != "" {
			return t, -1
		}
		if t == last {
			break
		}
		if own = kt.meets(t, layers[t].states, pin.total-kt.states[last].cost); own >= 0 {
			return t, own
		}
	}
	if own = best(layers[last].states); own >= 0 && layers[last].states[own].cost == pin.total {
		return last, own
	}
	return last, -1
}

// knownTo tells what the states of another request's hands cost to the end at least, as far as k knows.
type knownTo struct {
	*Known
	of        [][]int32    // by moment, the number among k's hands of each of the request's, -1 for none
	dominance []*dominance // of what comes after each moment of the window
}

// meets returns the number of the state of the plan before at moment t, if all that the search keeps there was
// there before and costs so much more now; else -1.
func (k *knownTo) meets(t int, states []state, more float64) int {
	own := -1
	for n, s := range states {
		s.hand = k.of[t][s.hand]
		i, ok := slices.BinarySearchFunc(k.layers[t].states, s, byPlace)
		if !ok || k.layers[t].states[i].cost+more != s.cost {
			return -1
		}
		if s.same(&k.states[t].place) {
			own = n
		}
	}
	return own
}

// newKnownTo matches the hands of m, which are complete.
func newKnownTo(m *model, k *Known) *knownTo {
	kt := &knownTo{k, make([][]int32, len(m.moments)), make([]*dominance, len(m.moments))}
	for t := range m.moments {
		kt.match(t, m.moments[t].hands)
	}
	return kt
}

// translated are the known states of moment t and what follows them, by the numbers of the present hands; those
// that have none are left out.
func (k *knownTo) translated(t int) (l layer, costToGo []successor) {
	here, next, was := k.back(t), k.back(min(t+1, len(k.of)-1)), &k.layers[t]
	type found struct {
		state
		on successor
	}
	var all [2][]found // kept and dominated
	for i := range k.costToGo[t] {
		f := found{*was.met(i), k.costToGo[t][i]}
		g, ok := here[f.hand]
		to, on := next[f.on.next.hand]
		if !ok || !on && t < k.hi {
			continue
		}
		f.hand, f.on.next.hand = g, to
		kind := 0
		if i >= len(was.states) {
			kind = 1
		}
		all[kind] = append(all[kind], f)
	}
	slices.SortFunc(all[0], func(a, b found) int { return byPlace(a.state, b.state) })
	for _, f := range all[0] {
		l.states, costToGo = append(l.states, f.state), append(costToGo, f.on)
	}
	l.dominated = []state{}
	for _, f := range all[1] {
		l.dominated, costToGo = append(l.dominated, f.state), append(costToGo, f.on)
	}
	return l, costToGo
}

// back numbers the known hands of moment t as the present ones are.
func (k *knownTo) back(t int) map[int32]int32 {
	out := make(map[int32]int32, len(k.of[t]))
	for g, h := range k.of[t] {
		if h >= 0 {
			out[h] = int32(g)
		}
	}
	return out
}

// after are the best way's states behind moment end, which are those of the plan before; nil if a hand is not there.
func (k *knownTo) after(end int, total float64) []state {
	out := slices.Clone(k.states)
	more := total - k.states[len(k.states)-1].cost
	for t := end + 1; t < len(out); t++ {
		g := slices.Index(k.of[t], out[t].hand)
		if g < 0 {
			return nil
		}
		out[t].hand = int32(g)
		out[t].cost += more
	}
	return out
}

// lead fills in the states up to state number s of moment end: those found, and before the pin those that lead
// there; false if a layer is not at hand.
func (k *knownTo) lead(out []state, layers []layer, pin, end, s int) bool {
	for t := end; t >= 0; t-- {
		if len(layers[t].states) == 0 {
			return false
		}
		out[t] = layers[t].states[s]
		if t < pin && out[t].same(&k.states[t].place) {
			return true
		}
		s = int(out[t].prev)
	}
	return true
}

// hands bounds what comes after each hand of moment t: the least of its known states, less what another
// picking state can save.
func (k *knownTo) hands(t int) []minToGo {
	gap := k.dominance[t].most()
	least := make([]float64, len(k.Known.hands[t]))
	for h := range least {
		least[h] = inf
	}
	for i := range k.layers[t].states {
		h := k.layers[t].states[i].hand
		least[h] = min(least[h], exactly(k.costToGo[t][i].cost))
	}
	out := make([]minToGo, len(k.of[t]))
	for g, h := range k.of[t] {
		if h >= 0 {
			v := max(0, least[h]-gap)
			for c := range out[g].by {
				out[g].by[c] = v
			}
			out[g].least = v
		}
	}
	return out
}

// from returns what is known of state s after moment t; 0 if that is nothing. Of one that was not kept it is
// what a kept one costs, less what another picking state can save.
func (k *knownTo) from(t int, s *state) float64 {
	at := *s
	if at.hand = k.of[t][s.hand]; at.hand < 0 {
		return 0
	}
	l := &k.layers[t]
	if i, ok := slices.BinarySearchFunc(l.states, at, byPlace); ok {
		return exactly(k.costToGo[t][i].cost)
	}
	return l.least(&at.place, k.costToGo[t], k.dominance[t])
}

// byPlace orders a layer's states.
func byPlace(a, b state) int {
	return cmp.Or(cmp.Compare(a.hand, b.hand), cmp.Compare(a.order(), b.order()))
}

// match finds the hands of moment t among those known.
func (k *knownTo) match(t int, hands []hand) {
	known := k.Known.hands[t]
	k.of[t] = make([]int32, len(hands))
	var number map[hand]int32
	for g := range hands {
		h := hands[g].bare()
		if number == nil && g < len(known) && known[g].bare() == h {
			k.of[t][g] = int32(g)
			continue
		}
		if number == nil {
			number = make(map[hand]int32, len(known))
			for i := range known {
				number[known[i].bare()] = int32(i)
			}
		}
		if i, ok := number[h]; ok {
			k.of[t][g] = i
		} else {
			k.of[t][g] = -1
		}
	}
}

// alike reports whether the hands of moment t are those known, in their order.
func (k *knownTo) alike(t int) bool {
	for g, h := range k.of[t] {
		if int(h) != g {
			return false
		}
	}
	return len(k.of[t]) == len(k.Known.hands[t])
}
