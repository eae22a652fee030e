package plan

import (
	"context"
	"errors"
	"slices"
	"sync"

	"stepping/core/fingering"
	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
)

// Plan is a complete way to play a tune, with the least total cost in the model. Safe for concurrent
// use; the exported fields do not change.
type Plan struct {
	Request Request
	Moments []play.Moment
	Total   float64
	Terms   play.Terms
	Ceiling play.Ceiling
	Gap     float64   // what repeats played alike, or what is kept, cost more than the best plan in which they are free
	Kept    bool      // the strokes are those of Request.Kept, see kept.go
	Lost    string    // why what is kept is not played, "" if it is or nothing is
	LeftOut []LeftOut // pins that are not kept, see SolveKeepable

	solved
	free  *Plan // that best plan, nil if it is this one: what other choices cost is read there
	alike []pin // what its repeats are held to, or what is kept

	// mu guards what follows: it is worked out when it is asked for.
	mu        sync.Mutex
	base      *solved   // of which this one is an edit
	rendered  []*choice // between render and giveFingers: the choices of moments that were not taken over
	work      *search   // kept for a few plans, see unlock
	marginals map[int][]Alternative
	dampers   map[damped][]Alternative
	asked     struct { // the question answered last
		of   stroke
		alts []Alternative
	}
	apart struct { // see released, what was asked for last
		of   stroke
		plan *Plan
	}
}

// solved is what one plan leaves to the next, which shares what is alike. It does not change.
type solved struct {
	m            *model
	lattice      *trellis.Lattice
	moments      []play.Moment
	hard         []Move               // the hardest move into each moment; Need 0 if there is none
	marked       []marked             // strings of the moments
	fingers      *fingering.Fingering // for each bar by itself, from which those of an edit are found
	alikeFingers *fingering.Fingering // the same with repeated bars alike
	taken        [][]int8             // the fingers with which the moments are rendered
}

// Solve plans r. Errors: *RangeError, *PinError, a validation error, or ctx's.
func Solve(ctx context.Context, r Request) (*Plan, error) {
	p, err := solvePlaces(ctx, r)
	switch {
	case p == nil:
	case r.PlacesOnly:
		p.rendered = nil
	default:
		p.giveFingers()
	}
	return p, err
}

// solvePlaces is Solve without the fingers.
func solvePlaces(ctx context.Context, r Request) (*Plan, error) {
	if r.From != nil {
		r.bases, r.From = r.From.bases(), nil
	}
	if len(r.Kept) > 0 {
		return solveKept(ctx, r)
	}
	p, err := solveFree(ctx, r)
	if err != nil || r.Varied {
		return p, err
	}
	if p, err = alike(ctx, p, r.bases); err == nil && r.Within > 0 && p.Total > r.Within {
		return nil, ErrOver
	}
	return p, err
}

// solveFree plans r, repeats free.
func solveFree(ctx context.Context, r Request) (*Plan, error) {
	m, changes, err := newModelFrom(&r)
	if err != nil {
		return nil, err
	}
	p := &Plan{solved: solved{m: m}}
	err = p.find(ctx, changes)
	var dead *trellis.DeadEnd
	switch {
	case !errors.As(err, &dead):
	case r.Within > 0 && len(m.moments) <= boundMoments:
		return nil, ErrOver
	case len(r.alike) > 0:
		return nil, &PinError{Rule: ruleOf(dead), Why: "the pins cannot be played: " + ruleOf(dead)}
	default:
		return nil, conflict(ctx, r)
	}
	if err != nil {
		return nil, err
	}
	r.bases = nil // or every plan would hold on to the one before
	p.Request = r
	p.Total = units(p.lattice.Total())
	p.render(changes)
	p.work = nil
	if v := p.Hardest(1); len(v) > 0 {
		p.Ceiling = play.Ceiling{BPM: p.BPMAt(v[0].Share()), At: p.Moments[v[0].Moment].At, Why: v[0].Text()}
	}
	return p, nil
}

// find looks for the best way: as an edit of a plan before, if there is one, else from nothing.
func (p *Plan) find(ctx context.Context, c *changes) (err error) {
	s := p.m.newSearch(ctx)
	p.work, s.progress = s, p.m.req.Progress
	defer func() { s.progress = nil }()
	if c == nil {
		p.lattice, err = s.solve()
		return err
	}
	if c.none() {
		p.lattice = c.base.lattice.Snapshot()
		return nil
	}
	l := c.base.lattice
	first, states, total, err := s.Edit(s, l, trellis.Change{Lo: c.lo, Hi: c.hi, Was: c.base.m.newSearch(ctx), Total: trellis.Inf})
	if err != nil {
		return err
	}
	path := l.Along(first, states, total)
	c.base.lattice = l.Cut() // or every plan would hold on to all before
	p.lattice, p.base = trellis.Edited(path, c.base.lattice, c.lo, c.hi), c.base
	return nil
}

// render turns the best way into what players and documents see; what a plan before has already is taken over.
func (p *Plan) render(c *changes) {
	path := p.lattice.Path
	p.Moments, p.hard = make([]play.Moment, len(path)), make([]Move, len(path))
	p.rendered, p.taken = make([]*choice, len(path)), make([][]int8, len(path))
	for t := range path {
		if c != nil && c.rendered(t, path) {
			p.Moments[t], p.hard[t], p.taken[t] = c.moment(t, p.m), c.base.hard[t], c.base.taken[t]
		} else {
			ch := p.choiceAt(t, p.before(t), p.state(t))
			p.Moments[t], p.rendered[t], p.taken[t] = p.m.moment(t, &ch), &ch, ch.h.fingersUsed()
			if v, ok := hardest(p.moves(t, &ch)); ok {
				p.hard[t], p.Moments[t].Share = v, v.Share()
			}
		}
		p.Terms.Add(&p.Moments[t].Cost)
	}
	if c != nil {
		p.fingers = c.base.fingers // until giveFingers
	}
	p.markLeaks()
	p.moments = p.Moments
}

// unlock ends a question. The working memory is large, and serves the next question: a few plans keep it.
func (p *Plan) unlock() {
	if p.work != nil {
		p.work.ctx = nil
	}
	p.mu.Unlock()
	recent.Lock()
	defer recent.Unlock()
	if at := slices.Index(recent.plans, p); at >= 0 {
		recent.plans = slices.Delete(recent.plans, at, at+1)
	}
	if recent.plans = append(recent.plans, p); len(recent.plans) > awake {
		if old := recent.plans[0]; old.mu.TryLock() { // else it is being asked, and comes back
			old.work = nil
			old.mu.Unlock()
		}
		recent.plans = slices.Delete(recent.plans, 0, 1)
	}
}

// awake is how many plans hold on to what speeds up questions; recent is those, the one asked last at the end.
const awake = 4

var recent struct {
	sync.Mutex
	plans []*Plan
}

// search is the working memory of the question under way. The caller holds the lock.
func (p *Plan) search(ctx context.Context) *search {
	if p.work == nil {
		p.work = p.m.newSearch(ctx)
	}
	p.work.ctx = ctx
	return p.work
}

// explore prepares questions about moment t. Of a short tune all is found at once, but for what an edit did not touch.
func (p *Plan) explore(ctx context.Context, t int) (*search, error) {
	s, lo, hi := p.search(ctx), t, t
	if n := len(p.m.moments); n <= fullMoments && !p.lattice.Knows() {
		lo, hi = 0, n-1
	}
	return s, s.Explore(s, p.lattice, lo, hi)
}

func (p *Plan) state(t int) *trellis.State { return &p.lattice.Path[t] }

func (p *Plan) before(t int) *trellis.State {
	if t == 0 {
		return nil
	}
	return p.state(t - 1)
}

func (p *Plan) handAt(t int) *hand { return &p.m.moments[t].hands[p.state(t).Node] }
