// Package carry tells what of a tune cannot be played as it is written on a guitar in another tuning, and the ways out, each with its price.
package carry

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
)

// Loss is a note that cannot be had as it is written.
type Loss struct {
	At    tune.Time
	Bass  bool
	Voice int // of the melody, 0 the highest
	Note  pitch.Note
	Bar   tune.Printed
	Beat  float64 // in the meter's unit, from 1
	Why   string  // "below the lowest string"
	Ways  []Way   // the cheapest first
}

// Way is a way out of a loss.
type Way struct {
	Text  string // "an octave up"
	Mend  tune.Mend
	Extra float64 // cost of the whole plan with it, more than with the cheapest way; the planner's units
}

// Most is how many losses are looked at, the first ones.
const Most = 24

// Losses lists what cannot be had of a request's tune, in time: notes out of the guitar's range, or nowhere together with those struck with them;
// and notes of a written bass that the plan leaves out, moves by an octave, or ends before their time. Pins are left aside: they are places in
// another tuning. A tune of which nothing can be had has no price at its ways.
func Losses(ctx context.Context, req plan.Request) ([]Loss, error) {
	req.Pins, req.Kept, req.From = nil, nil, nil
	f := finder{ctx: ctx, req: req}
	if err := f.outside(); err != nil {
		return nil, err
	}
	p, err := f.solve(f.mended(f.losses, nil))
	if err != nil {
		var out *plan.RangeError
		if errors.As(err, &out) { // the ways do not help either
			return f.losses, nil
		}
		return f.losses, err
	}
	f.best = p
	f.bass(p)
	return f.losses, f.price()
}

type finder struct {
	ctx    context.Context
	req    plan.Request
	losses []Loss
	best   *plan.Plan // with the first way of every loss of the melody
}

// outside finds notes that lie nowhere.
func (f *finder) outside() error {
	_, err := plan.Solve(f.ctx, f.req)
	var out *plan.RangeError
	if err == nil || !errors.As(err, &out) {
		return err
	}
	for i := range out.Notes {
		if len(f.losses) == Most {
			break
		}
		f.note(&out.Notes[i])
	}
	return nil
}

// note adds what is wrong with a note of the melody.
func (f *finder) note(o *plan.OutOfRange) {
	tn, pl := f.req.Tuning, &f.req.Player
	low, high := pitch.Pitch(1<<30), pitch.Pitch(0)
	for s := 1; s <= tn.Len(); s++ {
		open := tn.Open(s) + pitch.Midi(f.req.Capo)
		low, high = min(low, open), max(high, tn.Open(s)+pitch.Midi(pl.Instrument.Frets))
	}
	voices := o.Note.Voices()
	for v, n := range voices {
		mend := tune.Mend{At: o.Note.At, Voice: v}
		l := f.loss(mend, n)
		switch p := n.Pitch(); {
		case p < low:
			l.Why, l.Ways = "below the lowest string", f.octave(mend, n, 1)
		case p > high:
			l.Why, l.Ways = "beyond the last fret", f.octave(mend, n, -1)
		case o.By == 0 && v > 0 && v == len(voices)-1:
			l.Why, l.Ways = "cannot be fretted together with the notes above it", f.octave(mend, n, 1)
		case o.By == 0 && len(voices) == 1:
			l.Why = "between the frets, with no slide or bend to reach it"
		default:
			continue
		}
		if len(voices) > 1 || len(f.req.Tune.Notes) > 1 {
			l.Ways = append(l.Ways, f.leave(mend))
		}
		f.losses = append(f.losses, l)
	}
}

// loss is a note with where it stands.
func (f *finder) loss(m tune.Mend, n pitch.Note) Loss {
	tu := f.req.Tune
	bar, since := tu.Position(m.At)
	return Loss{At: m.At, Bass: m.Bass, Voice: m.Voice, Note: n, Bar: tu.BarPrinted(bar), Beat: 1 + float64(since)/float64(tu.MeterOver(m.At).Unit())}
}

// octave is the way of playing a note an octave up (1) or down (-1).
func (f *finder) octave(m tune.Mend, n pitch.Note, way int) []Way {
	n.Octave += way
	if n.Octave < 0 || n.Octave > 8 {
		return nil
	}
	m.Pitch = n.String()
	return []Way{{Text: map[int]string{1: "an octave up", -1: "an octave down"}[way], Mend: m}}
}

func (f *finder) leave(m tune.Mend) Way {
	m.To = tune.Nowhere
	return Way{Text: "leave it out", Mend: m}
}

// bass adds notes of the written bass that the plan does not play as they are written.
func (f *finder) bass(p *plan.Plan) {
	for t := range p.Moments {
		mo := &p.Moments[t]
		i, found := slices.BinarySearchFunc(f.req.Tune.Bass, mo.At, func(n tune.Note, at tune.Time) int { return cmp.Compare(n.At, at) })
		if !found || mo.Stroke != "written" || len(f.losses) >= Most {
			continue
		}
		n, th := &f.req.Tune.Bass[i], mo.Thumb
		mend := tune.Mend{At: n.At, Bass: true}
		l := f.loss(mend, n.Note)
		switch {
		case th == nil:
			l.Why = "out of reach there"
			l.Ways = slices.Concat(f.octave(mend, n.Note, 1), f.octave(mend, n.Note, -1), []Way{f.leave(mend)})
		case th.Note.Pitch() != n.Note.Pitch():
			l.Why = fmt.Sprintf("played as %s", th.Note)
			mend.Pitch = th.Note.String()
			l.Ways = []Way{{Text: "write it that way", Mend: mend}, f.leave(tune.Mend{At: n.At, Bass: true})}
		case th.Asked > 0:
			unit := f.req.Tune.MeterOver(n.At).Unit()
			l.Why = fmt.Sprintf("rings for %.3g of its %.3g beats", float64(th.Dur)/float64(unit), float64(th.Asked)/float64(unit))
			mend.Dur = th.Dur
			l.Ways = append([]Way{{Text: "shorten it", Mend: mend}}, f.octave(tune.Mend{At: n.At, Bass: true}, n.Note, 1)...)
		default:
			continue
		}
		f.losses = append(f.losses, l)
	}
}

// mended is the tune with the first way of every loss but one of which another is taken.
func (f *finder) mended(losses []Loss, instead map[int]*Way) *tune.Tune {
	tu := f.req.Tune
	for i := len(losses) - 1; i >= 0; i-- { // from behind, since what is left out moves voices behind it
		way := instead[i]
		if way == nil && len(losses[i].Ways) > 0 && !losses[i].Bass {
			way = &losses[i].Ways[0]
		}
		if way == nil {
			continue
		}
		if next, err := tu.Mended(&way.Mend); err == nil {
			tu = next
		}
	}
	return tu
}

func (f *finder) solve(tu *tune.Tune) (*plan.Plan, error) {
	req := f.req
	req.Tune, req.From, req.PlacesOnly = tu, f.best, f.best != nil
	return plan.Solve(f.ctx, req)
}

// What changing a note costs in addition to the plan, in its units, less than leaving it out.
const (
	otherOctave  = 2
	writtenShort = 0.5
)

// changed is what a change costs: a note left out costs as much as a stroke on beat 1 that the thumb leaves out.
func changed(m *tune.Mend) float64 {
	switch {
	case m.To == tune.Nowhere:
		w := plan.InForce()
		return w.Dropped + w.DropOne
	case m.Pitch != "":
		return otherOctave
	}
	return writtenShort
}

// price says what each way costs, and puts the cheapest first. A way by which nothing can be played goes.
func (f *finder) price() error {
	for i := range f.losses {
		l := &f.losses[i]
		kept := l.Ways[:0]
		for _, w := range l.Ways {
			p, err := f.solve(f.mended(f.losses, map[int]*Way{i: &w}))
			var out *plan.RangeError
			if errors.As(err, &out) {
				continue
			}
			if err != nil {
				return err
			}
			w.Extra = p.Total + changed(&w.Mend)
			kept = append(kept, w)
		}
		l.Ways = kept
		slices.SortStableFunc(l.Ways, func(a, b Way) int { return cmp.Compare(a.Extra, b.Extra) })
		for k := len(l.Ways) - 1; k >= 0; k-- {
			l.Ways[k].Extra = play.Exact(l.Ways[k].Extra - l.Ways[0].Extra)
		}
	}
	return nil
}
