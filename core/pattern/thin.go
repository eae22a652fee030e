package pattern

import "stepping/core/tune"

// Thin says which strokes of the thumb are left out, to make a tune easier.
type Thin int

// How far strokes are thinned out.
const (
	All       Thin = iota // none is left out
	Strong                // those on strong beats stay: the first, and the middle of a bar of four beats or more
	FirstBeat             // those on the first beat of a bar stay
)

// keeps reports whether a stroke at at stays.
func (n Thin) keeps(tu *tune.Tune, at tune.Time) bool {
	if n == All {
		return true
	}
	_, since := tu.Position(at)
	beats := int(tu.BarLength(tu.BarOver(at)) / tu.MeterOver(at).Pulse())
	middle := tune.Time(beats/2) * tu.MeterOver(at).Pulse()
	return since == 0 || n == Strong && beats >= 4 && since == middle
}
