package plan

import (
	"context"
	"slices"
)

// A pin only forbids, at its moment: before it nothing is other, and after it the same state costs the same to the end. So the first questions about a
// plan with one more pin, which are about that moment, are answered from what the plan before has found out; the rest is worked out
// when it is asked for.

// partly is what is not worked out yet of a plan that was explored from a seed.
type partly struct {
	known  *knownTo
	at     int
	behind bool // what it costs to go on from the moments before at is there
	ahead  bool // the layers from at on are the plan's own; until then they are those before the pin
}

// exploreFrom is explore from a seed; it reports false if that does not fit.
func (p *Plan) exploreFrom(s *seed) bool {
	p.seed = nil // used, or of no use
	if s == nil {
		return false
	}
	known := &knownTo{s.known, make([][]int32, len(p.m.moments))}
	for t := range p.m.moments {
		p.m.stage(t)
		known.match(t, p.m.moments[t].hands)
		for g, h := range known.of[t] {
			if t < s.at && (int(h) != g || len(known.of[t]) != len(s.known.hands[t])) {
				return false
			}
		}
	}
	bw := &backward{m: p.m, layers: make([]layer, len(p.m.moments)), costToGo: make([][]successor, len(p.m.moments)), extra: map[extraKey]successor{}}
	copy(bw.layers[:s.at], s.known.layers)
	if !p.followBefore(bw.layers[:s.at]) {
		return false
	}
	for t := s.at; t < len(bw.layers); t++ {
		bw.layers[t].states, bw.costToGo[t] = known.translated(t)
	}
	p.back, p.marginals, p.part = bw, make([][]Alternative, len(bw.layers)), &partly{known: known, at: s.at}
	return true
}

// followBefore finds the plan's states in the layers before a moment; false if it does not pass through them.
func (p *Plan) followBefore(layers []layer) bool {
	if len(layers) == 0 {
		return true
	}
	last := len(layers) - 1
	i, ok := slices.BinarySearchFunc(layers[last].states, p.states[last], byPlace)
	if !ok {
		return false
	}
	for t, s := last, int32(i); t >= 0; t-- {
		p.states[t], p.path[t] = layers[t].states[s], s
		s = layers[t].states[s].prev
	}
	return true
}

// translated are the known states of moment t and what follows them, by the numbers of the present hands; those of hands that are not among these are left out.
func (k *knownTo) translated(t int) (states []state, costToGo []successor) {
	here, next := k.back(t), map[int32]int32(nil)
	if t+1 < len(k.of) {
		next = k.back(t + 1)
	}
	var order []int
	all := make([]state, len(k.layers[t].states))
	for i, s := range k.layers[t].states {
		g, ok := here[s.hand]
		if _, on := next[k.costToGo[t][i].next.hand]; !ok || next != nil && !on {
			continue
		}
		s.hand = g
		all[i] = s
		order = append(order, i)
	}
	slices.SortFunc(order, func(a, b int) int { return byPlace(all[a], all[b]) })
	for _, i := range order {
		on := k.costToGo[t][i]
		if next != nil {
			on.next.hand = next[on.next.hand]
		}
		states, costToGo = append(states, all[i]), append(costToGo, on)
	}
	return states, costToGo
}

// back numbers the known hands of moment t as the present ones are.
func (k *knownTo) back(t int) map[int32]int32 {
	out := map[int32]int32{}
	for g, h := range k.of[t] {
		if h >= 0 {
			out[h] = int32(g)
		}
	}
	return out
}

// need works out what questions about moment t need and is not there yet.
func (p *Plan) need(ctx context.Context, t int) error {
	part := p.part
	if part == nil || t == part.at || t < part.at && part.behind || t > part.at && part.ahead {
		return nil
	}
	p.m.keep()
	defer p.letGo()
	bw := p.back
	bw.rounds, bw.scratch = nil, nil
	if t < part.at {
		scratch := newPickStage()
		defer scratch.letGo()
		for t := part.at; t > 0; t-- {
			if err := ctx.Err(); err != nil {
				return err
			}
			bw.costToGo[t-1] = bw.pass(p.m.stage(t), p.m.pickStage(t, scratch))
		}
		part.behind = true
	} else {
		layers, _, err := p.m.forwardFrom(ctx, nil, false, slices.Clone(bw.layers), part.at)
		if err != nil {
			return err
		}
		bw.layers = layers
		for t := len(layers) - 1; t >= part.at; t-- {
			bw.costToGo[t] = bw.knownFrom(part.known, t)
		}
		p.follow(layers)
		part.ahead = true
	}
	bw.rounds, bw.scratch, bw.extra = nil, nil, map[extraKey]successor{}
	if part.ahead && part.behind {
		p.part = nil
	}
	return nil
}

// knownFrom is the continuations of the states of moment t, those after it being there: as they are known, else worked out.
func (bw *backward) knownFrom(k *knownTo, t int) []successor {
	out := make([]successor, len(bw.layers[t].states))
	if t == len(bw.layers)-1 {
		return out
	}
	next := k.back(t + 1)
	for i := range out {
		s := bw.layers[t].states[i]
		at := s
		at.hand = k.of[t][s.hand]
		if j, ok := slices.BinarySearchFunc(k.layers[t].states, at, byPlace); ok && at.hand >= 0 {
			out[i] = k.costToGo[t][j]
			if g, ok := next[out[i].next.hand]; ok {
				out[i].next.hand = g
				continue
			}
		}
		out[i] = bw.from(s.key(t))
	}
	return out
}
