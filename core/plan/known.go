package plan

import (
	"cmp"
	"context"
	"reflect"
	"slices"
)

// Known is what a plan's alternatives have found out about going on from each state. A pin on a note or a
// stroke only forbids, so that under it nothing gets cheaper: for the same request with one of the
// alternatives pinned this bounds the search so well that it looks at little beside the best plan. It does
// not change, and may be read while the plan goes on being used.
type Known struct {
	request  Request
	hands    [][]hand // by moment
	layers   []layer
	costToGo [][]successor
	priced   map[Pin]float64 // what the plan costs under one more pin, of those that were asked for
}

// Known returns what p's alternatives have found out; nil if none were asked for, or if the tune is so
// long that bounds do not pay.
func (p *Plan) Known() *Known {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.known()
}

func (p *Plan) known() *Known {
	if p.free != nil {
		return p.free.Known()
	}
	if p.back == nil || len(p.m.moments) > boundMoments {
		return nil
	}
	k := &Known{request: p.Request, layers: p.back.layers, costToGo: p.back.costToGo, priced: map[Pin]float64{}}
	if p.part != nil && !p.part.behind { // without the pin it costs no more
		k.costToGo = slices.Concat(p.part.known.costToGo[:p.part.at], p.back.costToGo[p.part.at:])
	}
	for t, alts := range p.marginals {
		for i := range alts {
			k.priced[alts[i].Pin(&p.Moments[t])] = p.Total + alts[i].Extra
		}
	}
	for t := range p.m.moments {
		k.hands = append(k.hands, p.m.moments[t].hands)
	}
	return k
}

// price is the least total of r, if that is the same request with one of the priced pins added; else inf.
func (k *Known) price(r *Request) float64 {
	if k == nil || len(r.Pins) != len(k.request.Pins)+1 || !reflect.DeepEqual(bare(k.request), bare(*r)) {
		return inf
	}
	for _, pin := range k.request.Pins {
		if !slices.Contains(r.Pins, pin) {
			return inf
		}
	}
	for _, pin := range r.Pins {
		if total, ok := k.priced[pin]; ok && !slices.Contains(k.request.Pins, pin) {
			return total
		}
	}
	return inf
}

// bare is h without its places in lists, which differ from request to request.
func (h *hand) bare() hand {
	out := *h
	out.line, out.lastPosition, out.shape = 0, 0, 0
	return out
}

// bestLayersKnown is bestLayers from what is known of the request without its last pin: its least total, and what
// each state costs to the end without that pin, which is no more than with it. Nil if that is not known,
// or if it does not lead to that total: then a state is needed that the plan before had no use for.
func (m *model) bestLayersKnown(ctx context.Context) []layer {
	k := m.req.Known
	limit := k.price(m.req)
	if limit == inf {
		return nil
	}
	b := &bound{m: m, costToGo: make([][]minToGo, len(m.moments)), knew: &knownTo{k, make([][]int32, len(m.moments))}}
	for t := range m.moments {
		m.stage(t)
		b.knew.match(t, m.moments[t].hands)
		b.costToGo[t] = b.knew.hands(t, m.dominanceFrom(t+1).most())
	}
	layers, failed, err := m.forward(ctx, &pruning{b, limit, 0}, false)
	if err != nil || failed != "" {
		return nil
	}
	if last := layers[len(layers)-1].states; last[best(last)].cost != limit {
		return nil
	}
	return layers
}

// knownTo tells what the states of another request's hands cost to the end at least, as far as k knows.
type knownTo struct {
	*Known
	of [][]int32 // by moment, the number among k's hands of each of the request's, -1 for none
}

// hands bounds what comes after each hand of moment t: the least of its known states, less what another
// picking state can save.
func (k *knownTo) hands(t int, gap float64) []minToGo {
	least := make([]float64, len(k.Known.hands[t]))
	for h := range least {
		least[h] = inf
	}
	for i := range k.layers[t].states {
		h := k.layers[t].states[i].hand
		least[h] = min(least[h], k.costToGo[t][i].cost)
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

// from returns what is known of state s after moment t; 0 if that is nothing.
func (k *knownTo) from(t int, s *state) float64 {
	at := *s
	if at.hand = k.of[t][s.hand]; at.hand < 0 {
		return 0
	}
	l := &k.layers[t]
	if i, ok := slices.BinarySearchFunc(l.states, at, byPlace); ok {
		return k.costToGo[t][i].cost
	}
	return 0
}

// byPlace orders a layer's states.
func byPlace(a, b state) int {
	return cmp.Or(cmp.Compare(a.hand, b.hand), cmp.Compare(a.order(), b.order()))
}

// match finds the hands of moment t among those known.
func (k *knownTo) match(t int, hands []hand) {
	number := make(map[hand]int32, len(k.Known.hands[t]))
	for i := range k.Known.hands[t] {
		number[k.Known.hands[t][i].bare()] = int32(i)
	}
	k.of[t] = make([]int32, len(hands))
	for g := range hands {
		if i, ok := number[hands[g].bare()]; ok {
			k.of[t][g] = i
		} else {
			k.of[t][g] = -1
		}
	}
}
