package plan

import (
	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/ring"
)

// idlePluck is the pluck of a moment at which no digit plucks the melody.
func idlePluck(mo *moment, h *hand) pluck {
	p := pluck{mask: keepMask}
	if mo.note >= 0 {
		p.mask = 0 // the left hand sounds the note: the digits have had a rest
	}
	if h.tapped() || h.hooked() {
		p.busy = true
	}
	return p
}

// plucks lists the ways to pluck what h holds: digits in string order, or one digit brushing
// strings that lie together. Tapped notes are tapped by i, or by i and m.
func (m *model) plucks(out []pluck, mo *moment, h *hand) []pluck {
	strs := h.sounding
	if h.tapped() {
		return append(out, tapPluck(h))
	}
	var order []int8 // thick to thin, as the digits lie
	for s := 6; s >= 1; s-- {
		if strs.Has(s) {
			order = append(order, int8(s))
		}
	}
	var assign func(i, from int, p pluck)
	assign = func(i, from int, p pluck) {
		if i == len(order) {
			m.digitCost(&p)
			if h.hooked() {
				p.busy, p.gauge = true, true
				if p.at[digits.P] != 0 {
					return
				}
			}
			out = append(out, p)
			return
		}
		for d := from; d <= m.req.Player.Fingers; d++ {
			if d == digits.P && order[i] < lowestThumb(len(order)) || !mo.digitAllowed(h, d, int(order[i])) {
				continue
			}
			next := p
			next.at[d], next.mask = order[i], p.mask|1<<d
			assign(i+1, d+1, next)
		}
	}
	assign(0, digits.P, pluck{})
	if n := len(order); n > 1 && int(order[0]-order[n-1]) == n-1 && mo.digitAllowed(h, digits.I, int(order[0])) &&
		mo.digitAllowed(h, digits.I, int(order[n-1])) {
		p := pluck{mask: 1 << digits.I, cost: play.Exact(m.w.Brush), sweeps: ring.Of(int(order[0]))<<1&ring.Upto(6) | ring.Of(int(order[n-1]))>>1}
		p.at[digits.I] = order[0]
		out = append(out, p)
	}
	return out
}

// flicks lists the ways to flick what h holds outward next to a slap: by i or m, never both, across
// the top strings, or kept shallow, so that it catches only the next thinner one.
func (m *model) flicks(mo *moment, h *hand) (out []pluck) {
	if h.sounding&^trebles != 0 || h.tapped() || h.hooked() {
		return nil
	}
	str := 0 // the thickest
	for s := 1; s <= 3; s++ {
		if h.sounding.Has(s) {
			str = s
		}
	}
	for d := digits.I; d <= min(digits.M, m.req.Player.Fingers); d++ {
		if !mo.digitAllowed(h, d, str) {
			continue
		}
		p := pluck{mask: 1 << d, busy: true, cost: play.Exact(m.w.Flick), sweeps: trebles &^ h.sounding}
		p.at[d] = int8(str)
		shallow := p
		shallow.cost, shallow.sweeps = play.Exact(m.w.Flick+m.w.Shallow), ring.Of(str)>>1&^h.sounding
		out = append(out, p, shallow)
	}
	return out
}

// pluckWays lists the ways to pluck with a bass option; idle holds the way that plucks nothing.
func (r *pickShape) pluckWays(o *bassOption, plucked bool, idle *[1]pluck) []pluck {
	idle[0] = idlePluck(r.mo, r.h)
	idle[0].busy = idle[0].busy || o.hit == pattern.Slap
	idle[0].laid = o.hit == pattern.Tap
	switch {
	case !plucked || r.mo.note < 0:
		return idle[:]
	case o.hit == pattern.Slap:
		return r.flicks
	case o.hit == pattern.Tap:
		return nil
	}
	return r.plucks
}

// lowestThumb is the thinnest string on which the thumb plucks melody: of chords, one thinner.
func lowestThumb(voices int) int8 {
	if voices > 1 {
		return 3
	}
	return 4
}

// tapPluck taps with i, of two strings the thicker, and m.
func tapPluck(h *hand) pluck {
	p := pluck{mask: 1 << digits.TapBit, busy: true}
	d := digits.I
	for s := 6; s >= 1; s-- {
		if h.sounding.Has(s) {
			p.at[d] = int8(s)
			d++
		}
	}
	return p
}

// digitCost: digits away from their strings, the thumb on the melody, an awkward spread.
func (m *model) digitCost(p *pluck) {
	y := tally{}
	last := 0
	for d := digits.P; d <= digits.A; d++ {
		at := int(p.at[d])
		if at == 0 {
			continue
		}
		if d == digits.P {
			y.add(play.Hand, m.w.ThumbMelody)
		} else {
			y.add(play.Hand, digits.PlaceCost(m.req.Player.Fingers, d, at))
		}
		if last > digits.P && int(p.at[last])-at > 2*(d-last) {
			y.add(play.Hand, m.w.Spread*float64(int(p.at[last])-at-2*(d-last)))
		}
		last = d
	}
	p.cost = y.sum
}
