package plan

import (
	"context"
	"reflect"
	"slices"

	"stepping/core/play"
	"stepping/core/tune"
)

// maxBeside bounds the memory that plans without one pin take.
const maxBeside = 4

// Beside tells p of a plan that may be the one without one of p's pins, as that before a pin is: what else
// there is in place of the pin is then read there and not planned anew, and so is the search up to the pin. Or
// q has another pin in its place, and was told of that plan. Any other is left alone. What these were told
// themselves is forgotten, so that plans do not hold on to each other in chains.
func (p *Plan) Beside(q *Plan) {
	if p.free != nil { // what is held alike is asked about its dampers
		p.sow(q)
		p = p.free
	}
	if q.free != nil {
		q = q.free
	}
	if p == q {
		return
	}
	for _, pin := range p.Request.Pins {
		if slices.Contains(q.Request.Pins, pin) || pin.Part != play.Melody && pin.Part != play.Thumb {
			continue
		}
		free := p.freed(pin.At, pin.Part, pin.Voice)
		key := besideKey(pin.At, pin.Part, pin.Voice)
		if !q.mu.TryLock() { // it is busy: what is asked is planned anew
			return
		}
		other := q.beside[key] // q has another pin there
		q.beside = nil
		q.mu.Unlock()
		if free.same(&q.Request) {
			other = q
		}
		if other == nil || !free.same(&other.Request) {
			return
		}
		if other.mu.TryLock() {
			other.beside = nil
			other.mu.Unlock()
		}
		p.mu.Lock()
		defer p.mu.Unlock()
		p.keepBeside(key, other)
		if pin.To <= pin.At { // of a pin on a stretch nothing more than that can be said
			p.seed = p.newSeed(other, pin.At)
		}
		return
	}
	p.sow(q)
}

// sow lets p begin with what q knows, if that is the plan without one pin that is in force at one moment alone, of whatever kind.
func (p *Plan) sow(q *Plan) {
	i := slices.IndexFunc(p.Request.Pins, func(pin play.Pin) bool { return !slices.Contains(q.Request.Pins, pin) })
	if i < 0 || p.Request.Pins[i].To > p.Request.Pins[i].At || !slices.Equal(p.alike, q.alike) {
		return
	}
	without := p.Request
	without.Pins = slices.Delete(slices.Clone(without.Pins), i, i+1)
	if without.same(&q.Request) {
		p.mu.Lock()
		defer p.mu.Unlock()
		p.seed = p.newSeed(q, p.Request.Pins[i].At)
	}
}

// without returns the plan without the pins on one stroke of moment t, repeats free as in p.
func (p *Plan) without(ctx context.Context, t int, part play.Part, voice int) (*Plan, error) {
	at := p.Moments[t].At
	key := besideKey(at, part, voice)
	if q := p.beside[key]; q != nil {
		return q, nil
	}
	q, err := solveFree(ctx, p.freed(at, part, voice))
	if err != nil {
		return nil, err
	}
	p.keepBeside(key, q)
	return q, nil
}

// freed is p's request without the pins on one stroke.
func (p *Plan) freed(at tune.Time, part play.Part, voice int) Request {
	free := p.Request
	free.Progress = nil
	free.Pins = slices.DeleteFunc(slices.Clone(free.Pins), func(pin play.Pin) bool { return pin.InForce(at) && pin.Part == part && pin.Voice == voice })
	return free
}

func besideKey(at tune.Time, part play.Part, voice int) string {
	return at.String() + " " + string(part) + string(rune('0'+voice))
}

// keepBeside remembers a plan without one pin. The caller holds the lock.
func (p *Plan) keepBeside(key string, q *Plan) {
	if p.beside == nil || len(p.beside) >= maxBeside {
		p.beside = map[string]*Plan{}
	}
	p.beside[key] = q
}

// same reports whether r and q ask for the same plan.
func (r *Request) same(q *Request) bool {
	return slices.Equal(r.Pins, q.Pins) && reflect.DeepEqual(bare(*r), bare(*q))
}

// bare is r without its pins and without what does not change the plan.
func bare(r Request) Request {
	r.Pins, r.Progress, r.Known, r.Within = nil, nil, nil, 0
	return r
}

// seed is what is known of the plan without one pin, which is in force at moment at alone: what leads there and
// what it costs to go on from there is p's too.
type seed struct {
	known *Known
	at    int
}

// newSeed is what q knows for p, nil if that is nothing. The caller holds p's lock.
func (p *Plan) newSeed(q *Plan, at tune.Time) *seed {
	t := slices.IndexFunc(p.Moments, func(mo play.Moment) bool { return mo.At == at })
	if t < 0 || !q.mu.TryLock() {
		return nil
	}
	k := q.ownKnown()
	q.mu.Unlock()
	if k == nil || t < k.lo || t > k.hi {
		return nil
	}
	return &seed{k, t}
}

// grow makes p's window of what its seed knows: for a question about the seed's moment all of it, else the layers before that.
func (p *Plan) grow(ctx context.Context, t int) (*backward, error) {
	kt, at := newKnownTo(p.m, p.seed.known), p.seed.at
	before := kt.before(at)
	meet := kt.meetsAgain(p.states, at)
	if t != at || before == nil || meet > kt.hi {
		return p.newBackward(before), nil
	}
	bw := p.newBackward(before)
	for i := at; i <= kt.hi; i++ {
		bw.layers[i], bw.costToGo[i] = kt.translated(i)
	}
	bw.lo, bw.hi, bw.own = meet, kt.hi, at
	return bw, bw.down(ctx, at, nil)
}

// meetsAgain is the first moment from at on from where the states of a plan are those of the known one to the
// end of the window, which lies behind the window if there is none, or if a hand in it is not known. From there
// on equal ways are told apart as in the known plan, since both return to the same; before it the ways on are
// looked for anew.
func (k *knownTo) meetsAgain(states []state, at int) int {
	meet := at
	for t := at; t <= k.hi; t++ {
		if slices.Contains(k.of[t], -1) {
			return k.hi + 1
		}
		s := states[t]
		if s.hand = k.of[t][s.hand]; !s.same(&k.states[t].place) {
			meet = t + 1
		}
	}
	return meet
}
