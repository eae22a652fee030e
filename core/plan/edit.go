package plan

import (
	"reflect"
	"slices"

	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
)

// A plan is found from one before it as an edit (trellis.Lattice): a pin set or taken away, another chord or note change what
// can be done at some moments, and leave the others as they were.

// changes says which stages of a model differ from a solved plan's.
type changes struct {
	base   *solved
	lo, hi int // the first and last stage that differ; lo > hi if none does
}

func (c *changes) none() bool { return c.lo > c.hi }

// bases lists what a plan leaves to the next: what is known of it, and of the one of which it is an edit.
func (p *Plan) bases() (out []*solved) {
	if p == nil {
		return nil
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.ownBases()
}

// snapshot is s as it is now: its lattice goes on to find more.
func (s *solved) snapshot() *solved {
	out := *s
	out.lattice = s.lattice.Snapshot()
	return &out
}

// ownBases is bases for a caller who holds the lock.
func (p *Plan) ownBases() (out []*solved) {
	if p.lattice.Knows() {
		out = append(out, p.snapshot())
	}
	if p.base != nil {
		out = append(out, p.base.snapshot())
	}
	return append(out, p.free.bases()...)
}

// newModelFrom prepares r as newModel does, from the base of which it differs least; nil changes if an edit of it does not pay.
func newModelFrom(r *Request) (m *model, c *changes, err error) {
	for _, b := range r.bases {
		if !r.alikeButMusic(b.m.req) {
			continue
		}
		n, err := newModel(r, b.m)
		if err != nil {
			return nil, nil, err
		}
		if len(n.moments) != len(b.m.moments) {
			continue
		}
		d := &changes{b, len(n.moments), -1}
		for t := range n.differ {
			if n.differ[t] {
				d.lo, d.hi = min(d.lo, t), t
			}
		}
		if c == nil || d.hi-d.lo < c.hi-c.lo {
			m, c = n, d
		}
	}
	if m == nil {
		m, err = newModel(r, nil)
	} else if c.hi-c.lo > len(m.moments)/mostEdited {
		c = nil
	}
	return m, c, err
}

// mostEdited is the share of a tune, one in so many, up to which an edit is quicker than to search again.
const mostEdited = 2

// alikeButMusic reports whether r is for the same player in the same tuning, key and bars as q: then alike moments are the same.
func (r *Request) alikeButMusic(q *Request) bool {
	a, b := r.Tune, q.Tune
	return r.Capo == q.Capo && slices.Equal(r.Tuning.Spelled(), q.Tuning.Spelled()) && a.Key == b.Key && slices.Equal(a.Bars, b.Bars) &&
		slices.Equal(a.Meters, b.Meters) && slices.Equal(a.Printed, b.Printed) && reflect.DeepEqual(r.Weights, q.Weights) &&
		reflect.DeepEqual(r.Player, q.Player)
}

// take takes over from base what is alike at moment t, whose hands before are the same if same says so, and reports whether
// all of it is.
func (m *model) take(t int, base *model, same bool) bool {
	if base == nil || !same || t >= len(base.moments) || !m.alikeAt(t, base) {
		return false
	}
	mo, o := &m.moments[t], &base.moments[t]
	mo.leak, mo.lasts, mo.of = o.leak, o.lasts, o.of
	mo.anchored, mo.bare, mo.hands, mo.shapes, mo.traces = o.anchored, o.bare, o.hands, o.shapes, o.traces
	return true
}

// alikeAt reports whether all that moment t asks for is what it asks for in o.
func (m *model) alikeAt(t int, o *model) bool {
	a, b := &m.moments[t], &o.moments[t]
	return a.at == b.at && a.sec == b.sec && a.note == b.note && a.sounding == b.sounding && a.ended == b.ended && a.onBeat == b.onBeat &&
		a.first == b.first && a.joined == b.joined && a.begins == b.begins && a.peak == b.peak && a.hit == b.hit && a.chord.Name == b.chord.Name &&
		a.tones == b.tones && a.bars == b.bars && a.since == b.since && a.endedFor == b.endedFor && a.bassFor == b.bassFor &&
		a.faded == b.faded && a.noted == b.noted && a.lasting == b.lasting && a.lacks == b.lacks &&
		slices.Equal(a.bassPlaces, b.bassPlaces) && reflect.DeepEqual(a.stroke, b.stroke) && a.pins.same(&b.pins) &&
		m.bass == o.bass && m.sameNote(a.sounding, o)
}

// sameNote reports whether note i is that of o, as it is written too, with the very same ways to hold it.
func (m *model) sameNote(i int, o *model) bool {
	if i < 0 {
		return true
	}
	v, w, a, b := m.voicings[i], o.voicings[i], &m.req.Tune.Notes[i], &o.req.Tune.Notes[i]
	return m.noteSeconds[i] == o.noteSeconds[i] && m.phraseEnd[i] == o.phraseEnd[i] && m.carries[i] == o.carries[i] &&
		slices.Equal(a.Voices(), b.Voices()) && a.Dur == b.Dur && a.Marks == b.Marks && len(v) == len(w) && &v[0] == &w[0]
}

func (ps *pinSet) same(o *pinSet) bool {
	equal := func(a, b []*pin) bool { return slices.EqualFunc(a, b, func(p, q *pin) bool { return *p == *q }) }
	return equal(ps.strokes, o.strokes) && equal(ps.tube, o.tube) && equal(ps.heel, o.heel) && ps.dampers == o.dampers && ps.ringing == o.ringing &&
		ps.position == o.position
}

// sameHands reports whether the hands of moment t are those of o, whatever they cost.
func (m *model) sameHands(t int, o *model) bool {
	bare := func(h hand) hand {
		h.ownCost, h.barred = 0, false
		return h
	}
	if o == nil || t >= len(o.moments) || m.moments[t].sec != o.moments[t].sec {
		return false
	}
	return slices.EqualFunc(m.moments[t].hands, o.moments[t].hands, func(a, b hand) bool { return bare(a) == bare(b) })
}

// rendered reports whether moment t of the new best way is played as before.
func (c *changes) rendered(t int, path []trellis.State) bool {
	same := func(t int) bool { return t < 0 || path[t].Same(&c.base.lattice.Path[t]) }
	return (t < c.lo || t > c.hi) && same(t) && same(t-1) && path[t].Step == c.base.lattice.Path[t].Step
}

// moment is moment t as it was rendered, without strings that ring on from before, and with the pins of now.
func (c *changes) moment(t int, m *model) play.Moment {
	mo := c.base.moments[t]
	for _, l := range slices.Backward(c.base.marked) {
		if l.t == t {
			mo.Strings[l.s] = l.was
		}
	}
	repin := func(s *play.Stroke) *play.Stroke {
		if s == nil {
			return nil
		}
		at := mo.At
		if s.Part == play.Melody {
			at = m.req.Tune.Notes[s.Index].At
		}
		if s.Pinned == m.isPinned(at, s.Part, s.Voice) {
			return s
		}
		out := *s
		out.Pinned = !s.Pinned
		return &out
	}
	mo.Melody, mo.Held, mo.Thumb, mo.With = repin(mo.Melody), repin(mo.Held), repin(mo.Thumb), slices.Clone(mo.With)
	for i := range mo.With {
		mo.With[i] = repin(mo.With[i])
	}
	return mo
}
