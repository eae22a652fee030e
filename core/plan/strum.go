package plan

import (
	"context"

	"stepping/core/digits"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/ring"
)

// Strummed is one string in the strum test: the position is held, all six strings are
// struck, and only the wanted ones may sound.
type Strummed struct {
	String int
	Note   string // what it sounds if nothing silences it
	Pitch  pitch.Pitch
	Wanted bool
	By     play.Damper // what silences it already, as in StringState; "" if nothing does
	Advice play.Damper // what part of the hands should take it, as By; "" if it is wanted or silent, or nothing reaches it
}

// Strum makes the strum test of moment t, string 6 first. The advice is the cheapest way in the
// model to silence everything that is left, the thumb doing the striking; every part of the
// hands that plays, frets or damps already stays where it is.
func (p *Plan) Strum(t int) []Strummed {
	p.mu.Lock()
	defer p.unlock()
	return p.strum(t)
}

func (p *Plan) strum(t int) []Strummed {
	m := p.m
	c := p.choiceAt(t, p.before(t), p.state(t))
	r := p.search(context.Background()).stage(t).pick.of(int(p.state(t).Node))
	wanted := c.s.struck | c.s.keep | c.s.may&^c.s.heel
	for i, st := range p.Moments[t].Strings {
		free := m.moments[t].leak.ease[i+1] == 0 && st.State == play.Harmless // it would cost nothing
		if st.State == play.Rings || free && !c.h.under.Has(i+1) {
			wanted |= ring.Of(i + 1)
		}
	}
	s := c.s
	s.unw, s.swept = 0, 0
	for str := 1; str <= 6; str++ {
		if !wanted.Has(str) && m.dampedBy(&c, str) == "" && !(c.h.under.Has(str) && c.h.trails > 0) {
			s.unw |= ring.Of(str)
		}
	}
	s.swept = s.unw
	advice := damping{stopper: digits.None}
	least := inf
	struck := pluck{at: c.pl.at, busy: c.pl.busy}
	for d, at := range c.d.digit {
		if at != 0 {
			struck.at[d] = at // it damps already
		}
	}
	m.eachDamping(r, &s, &struck, 0, func(d *damping) {
		if d.digit[digits.P] == 0 && d.cost() < least {
			advice, least = *d, d.cost()
		}
	})
	var out []Strummed
	for str := 6; str >= 1; str-- {
		line := Strummed{String: str, Note: m.spell(m.soundingPitch(c.h, str)), Pitch: m.soundingPitch(c.h, str),
			Wanted: wanted.Has(str), By: m.dampedBy(&c, str)}
		if line.By == "" && c.h.under.Has(str) && c.h.trails > 0 && !line.Wanted {
			line.By = play.ByTrailing
		}
		if s.unw.Has(str) {
			a := choice{h: c.h, s: silence{}, d: advice}
			line.Advice = m.dampedBy(&a, str)
		}
		out = append(out, line)
	}
	return out
}
