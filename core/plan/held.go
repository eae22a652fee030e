package plan

import (
	"context"
	"slices"

	"stepping/core/play"
)

// A plan may hold some of its notes and strokes to what they are in another: repeats to be played alike (alike.go), or what a player
// has kept (kept.go). Then the plan in which they are free is known too, and what other choices cost is read there.

// solveHeld plans r with notes and strokes held. Errors: as Solve, a *PinError if what is held cannot be played.
func solveHeld(ctx context.Context, r Request, held []pin) (*Plan, error) {
	r.Progress, r.alike = nil, held
	q, err := solveFree(ctx, r)
	if q != nil {
		q.alike, q.Request.alike = held, nil
	}
	return q, err
}

// heldAgainst notes what holding costs, unless p is free itself.
func (p *Plan) heldAgainst(free *Plan) {
	if p != free {
		p.free, p.Gap = free, p.Total-free.Total
	}
}

// released is the plan in which a stroke is not pinned and, since a pin on a note or stroke sets its bar apart, its bar not held;
// p itself if it is neither.
func (p *Plan) released(ctx context.Context, of stroke) (*Plan, error) {
	t := of.t
	pinned, bar := p.Pinned(p.Moments[t].At, of.part, of.voice), p.Moments[t].Bar-1
	if of.part == play.Damped || p.free == nil && !pinned {
		return p, nil
	}
	r := p.freedOf(of)
	if !pinned {
		of = stroke{t: -1 - bar} // for all of the bar
	}
	if p.apart.plan != nil && p.apart.of == of {
		return p.apart.plan, nil
	}
	if p.base == nil || !pinned { // else that plan is known already
		if _, err := p.explore(ctx, t); err != nil {
			return nil, err
		}
	}
	r.bases = p.ownBases()
	r.alike = slices.DeleteFunc(slices.Clone(p.alike), func(held pin) bool { return r.Tune.BarOver(held.At) == bar })
	q, err := solveFree(ctx, r)
	if err == nil {
		q.rendered = nil // nobody sees its fingers
		p.apart.of, p.apart.plan = of, q
	}
	return q, err
}

// heldWhy says why p is not its free plan.
func (p *Plan) heldWhy() string {
	if p.Kept {
		return "you saved it this way"
	}
	return "the bar is played the same way as its repeats"
}
