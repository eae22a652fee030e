package plan

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/tune"
)

// Repeats alike: bars with the same notes, chords and strokes are played on the same strings and frets,
// in the same way; a glide counts as the slide, a hammer or pull as fretted. Dampers and digits are
// free. Bars in which the player has pinned a note or stroke are their own and stand apart.
//
// That cannot be had inside the search, whose states do not remember bars. So the best plan without it
// is found first: a lower bound, and the answer if its repeats are alike. Else each set of equal bars is
// held to one of the ways in which the free plan plays them: at first to that which costs least where it
// stands, then others are tried as long as the whole gets cheaper. What it costs more than the free plan
// is the gap, stated in Plan.Gap: no plan with alike repeats is cheaper by more than that.

// mostAlikeTrials bounds the ways that are tried beyond the first.
const mostAlikeTrials = 8

// equalBars is a set of bars that are to be played alike, and the ways in which the free plan plays them.
type equalBars struct {
	bars []int
	ways []barWay // cheapest first
}

// barWay is one way to play a bar: its pins, with times from the bar line.
type barWay struct {
	key  string
	pins []pin
	cost float64 // of the moments of the bars so played, on average
	n    int
}

// alike returns free if its repeats are alike, else the best plan found in which they are; bases are plans that may be edited.
func alike(ctx context.Context, free *Plan, bases []*solved) (*Plan, error) {
	sets := free.repeats()
	differ := slices.DeleteFunc(slices.Clone(sets), func(e *equalBars) bool { return len(e.ways) < 2 })
	if len(differ) == 0 {
		return free, nil
	}
	chosen := map[*equalBars]int{}
	best, err := free.heldTo(ctx, sets, chosen, 0, bases)
	var pins *PinError
	if errors.As(err, &pins) {
		sets, best, err = free.heldOneByOne(ctx, sets)
	}
	if err != nil {
		return nil, err
	}
	trials := 0
	for _, e := range differ {
		for w := 1; w < len(e.ways) && trials < mostAlikeTrials && len(free.m.moments) <= boundMoments && slices.Contains(sets, e); w++ {
			before := chosen[e]
			trials, chosen[e] = trials+1, w
			q, err := free.heldTo(ctx, sets, chosen, best.Total, bases)
			switch {
			case err == nil && q.Total < best.Total:
				best = q
				continue
			case ctx.Err() != nil:
				return nil, ctx.Err()
			}
			chosen[e] = before
		}
	}
	best.heldAgainst(free)
	return best, nil
}

// heldTo plans with every set of bars held to its chosen way; within is as in Request.
func (p *Plan) heldTo(ctx context.Context, sets []*equalBars, chosen map[*equalBars]int, within float64, bases []*solved) (*Plan, error) {
	r, held := p.Request, []pin{}
	r.Within, r.bases = within, bases
	for _, e := range sets {
		for _, bar := range e.bars {
			for _, pin := range e.ways[chosen[e]].pins {
				pin.At += r.Tune.Bars[bar]
				held = append(held, pin)
			}
		}
	}
	q, err := solveHeld(ctx, r, held)
	if q != nil {
		q.Request.Within = p.Request.Within
	}
	return q, err
}

// heldOneByOne adds one set after the other, and leaves out those that cannot be played alike.
func (p *Plan) heldOneByOne(ctx context.Context, sets []*equalBars) (kept []*equalBars, best *Plan, err error) {
	best = p
	for _, e := range sets {
		for w := range e.ways {
			q, err := p.heldTo(ctx, append(slices.Clone(kept), e), map[*equalBars]int{e: w}, 0, nil)
			if err == nil {
				kept, best = append(kept, e), q
				e.ways = e.ways[w : w+1]
				break
			}
			if ctx.Err() != nil {
				return nil, nil, ctx.Err()
			}
		}
	}
	return kept, best, nil
}

// repeats lists the sets of two and more equal bars, by their first, with the ways in which p plays them.
func (p *Plan) repeats() []*equalBars {
	tu := p.Request.Tune
	content := make([]strings.Builder, len(tu.Bars))
	ways := make([]barWay, len(tu.Bars))
	own := map[int]bool{} // bars that stand apart
	for t := range p.Moments {
		mo, m := &p.Moments[t], &p.m.moments[t]
		bar, since := tu.Position(mo.At)
		for i := range p.Request.Pins {
			if pin := &p.Request.Pins[i]; pin.InForce(mo.At) && (pin.Part == play.Melody || pin.Part == play.Thumb) {
				own[bar] = true
			}
		}
		p.writeContent(&content[bar], m, since)
		ways[bar].add(mo, since, p.Request.Capo)
	}
	sets := map[string]*equalBars{}
	var out []*equalBars
	for bar := range content {
		key := content[bar].String()
		if own[bar] || !strings.Contains(key, "note") {
			continue
		}
		if sets[key] == nil {
			sets[key] = &equalBars{}
			out = append(out, sets[key])
		}
		e := sets[key]
		e.bars = append(e.bars, bar)
		i := slices.IndexFunc(e.ways, func(w barWay) bool { return w.key == ways[bar].key })
		if i < 0 {
			i = len(e.ways)
			e.ways = append(e.ways, barWay{key: ways[bar].key, pins: ways[bar].pins})
		}
		e.ways[i].cost += ways[bar].cost
		e.ways[i].n++
	}
	out = slices.DeleteFunc(out, func(e *equalBars) bool { return len(e.bars) < 2 })
	for _, e := range out {
		slices.SortStableFunc(e.ways, func(a, b barWay) int { return cmp.Compare(a.cost/float64(a.n), b.cost/float64(b.n)) })
	}
	return out
}

// writeContent adds what a moment of a bar asks for, at a time since the bar line.
func (p *Plan) writeContent(b *strings.Builder, m *moment, since tune.Time) {
	fmt.Fprintf(b, "%s %s ", since, m.chord.Name)
	if m.note >= 0 {
		n := &p.Request.Tune.Notes[m.note]
		fmt.Fprintf(b, "note %v %s %d ", n.Voices(), n.Dur, n.Marks)
	}
	if m.stroke != nil {
		fmt.Fprintf(b, "stroke %s %s %s %v ", m.stroke.Role, m.stroke.Over.Name, m.stroke.Mute, m.stroke.Optional)
		if m.stroke.Role == pattern.Noted {
			fmt.Fprintf(b, "note %v %s ", m.stroke.Note, m.stroke.Until-m.stroke.At)
		}
	}
	b.WriteString(m.hit + ";")
}

// add adds how a moment is played to the bar's way.
func (w *barWay) add(mo *play.Moment, since tune.Time, capo int) {
	hold := func(p play.Pin) {
		p.At = since
		w.key += fmt.Sprintf("%s %s %d %d %g %s;", since, p.Part, p.Voice, p.String, p.Fret, p.How)
		w.pins = append(w.pins, pin{Pin: p, alike: true})
	}
	if mo.Melody != nil {
		for _, s := range append([]*play.Stroke{mo.Melody}, mo.With...) {
			hold(play.Pin{Part: play.Melody, Voice: s.Voice, String: s.String, Fret: s.Fret, How: mannerOf(s, capo)})
		}
	}
	switch {
	case mo.Thumb != nil:
		hold(play.Pin{Part: play.Thumb, String: mo.Thumb.String, Fret: mo.Thumb.Fret, How: mo.Thumb.How})
	case mo.Stroke != "" || mo.Arrival != "":
		hold(play.Pin{Part: play.Thumb, How: play.Drop})
	}
	w.cost += mo.Cost.Sum()
}

// mannerOf is the technique that a repeat keeps.
func mannerOf(s *play.Stroke, capo int) play.How {
	switch s.How {
	case play.Glide:
		return play.Slide
	case play.Hammer:
		return play.Fret
	case play.Pull:
		if s.Fret == float64(capo) {
			return play.Open
		}
		return play.Fret
	}
	return s.How
}
