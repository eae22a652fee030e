package plan

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"stepping/core/play"
)

// A kept plan is one that the player has taken up: what its strokes are stays, whatever the planner
// would do today. Its choices (Plan.Choices) come back in Request.Kept. They give way to the player's pins: a
// bar in which a pin wants a note or stroke otherwise is planned again, the others stay. The plan that the
// request has without them is worked out too: what other choices cost is read there, and what keeping
// costs is the Gap.

// Choices are what p plays, note by note and stroke by stroke, as pins that make it be played so again:
// place, technique, finger and digit. Dampers are free.
func (p *Plan) Choices() []play.Pin {
	var out []play.Pin
	for t := range p.Moments {
		mo := &p.Moments[t]
		if mo.Melody != nil {
			for _, s := range append([]*play.Stroke{mo.Melody}, mo.With...) {
				pin := play.Pin{At: mo.At, Part: play.Melody, Voice: s.Voice, String: s.String, Fret: s.Fret, How: s.How, Finger: play.FingerNumber(s.Finger)}
				if s.How != play.Tapped { // its finger is a digit's
					if pin.Digit = s.Digit; s.Digit == "" {
						pin.Digit = play.NoDigit
					}
				}
				out = append(out, pin)
			}
		}
		switch {
		case mo.Thumb != nil:
			out = append(out, play.Pin{At: mo.At, Part: play.Thumb, String: mo.Thumb.String, Fret: mo.Thumb.Fret, How: mo.Thumb.How,
				Finger: play.FingerNumber(mo.Thumb.Finger)})
		case mo.Stroke != "" || mo.Arrival != "":
			out = append(out, play.Pin{At: mo.At, Part: play.Thumb, How: play.Drop})
		}
	}
	return out
}

// solveKept plans r with what is kept; where that cannot be played any more, without it.
func solveKept(ctx context.Context, r Request) (*Plan, error) {
	bare := r
	bare.Kept = nil
	free, err := solvePlaces(ctx, bare)
	if err != nil {
		return nil, err
	}
	bare.Within = 0
	var q *Plan
	var impossible *PinError
	for _, gives := range []func(p, k *play.Pin) bool{opposes, touches} {
		if q, err = solveHeld(ctx, bare, r.keptChoices(gives)); !errors.As(err, &impossible) {
			break
		}
	}
	switch {
	case errors.As(err, &impossible):
		free.Lost = fmt.Sprintf("your saved version cannot be played with this setup: %s", impossible.Rule)
		return free, nil
	case err != nil:
		return nil, err
	}
	q.heldAgainst(free)
	q.Request.Kept, q.Kept = r.Kept, true
	return q, nil
}

// keptChoices is what is kept, without the bars in which a pin opposes some of it.
func (r *Request) keptChoices(gives func(p, k *play.Pin) bool) []pin {
	own := map[int]bool{}
	for i := range r.Kept {
		k := &r.Kept[i]
		if slices.ContainsFunc(r.Pins, func(p play.Pin) bool { return p.InForce(k.At) && gives(&p, k) }) {
			own[r.Tune.BarOver(k.At)] = true
		}
	}
	var out []pin
	for _, k := range r.Kept {
		if !own[r.Tune.BarOver(k.At)] {
			p := pin{Pin: k, finger: k.Finger}
			p.Finger = 0
			out = append(out, p)
		}
	}
	return out
}

// opposes reports whether pin p wants the note or stroke that k holds otherwise.
func opposes(p, k *play.Pin) bool {
	if p.Part != k.Part || p.Voice != k.Voice {
		return false
	}
	return p.String != 0 && (p.String != k.String || p.Fret != k.Fret && p.How != "") || !(&pin{Pin: *p}).takes(k.How) ||
		p.Finger != 0 && p.Finger != k.Finger || p.Digit != "" && p.Digit != k.Digit
}

// touches reports whether p opposes k, or binds the slide, the heel or what rings around it: most such pins leave
// what is kept as it is, and only if they do not must it give way.
func touches(p, k *play.Pin) bool {
	return opposes(p, k) || p.Part != play.Melody && p.Part != play.Thumb
}

// Today is the plan that the request has today without what is kept; p itself if nothing is.
func (p *Plan) Today() *Plan {
	if p.Kept {
		return p.free
	}
	return p
}
