package lick

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Form is a run of chords that a tune is built over, in degrees of the key.
type Form struct {
	Name  string
	Minor bool
	Bars  []string // a degree each: I, IV, V7, i …
}

// Forms are common ones of 8, 12 and 16 bars.
var Forms = []Form{
	{"8 bars", false, []string{"I", "V7", "IV", "IV", "I", "V7", "I", "V7"}},
	{"12 bars", false, []string{"I", "I", "I", "I7", "IV", "IV", "I", "I", "V7", "IV", "I", "V7"}},
	{"12 bars, quick change", false, []string{"I", "IV", "I", "I7", "IV", "IV", "I", "I", "V7", "IV", "I", "V7"}},
	{"12 bars, minor", true, []string{"i", "i", "i", "i", "iv", "iv", "i", "i", "V7", "iv", "i", "V7"}},
	{"16 bars", false, []string{"I", "I", "I", "I7", "IV", "IV", "I", "I", "V7", "IV", "V7", "IV", "I", "IV", "I", "V7"}},
}

// degreesOf are half steps above the tonic, and the kind of chord.
var degreesOf = map[string]struct {
	steps int
	kind  string
}{"I": {0, ""}, "I7": {0, "7"}, "IV": {5, ""}, "V7": {7, "7"}, "i": {0, "m"}, "iv": {5, "m"}}

// Chords writes a form's chords in a key, as tune.Progression reads them.
func (f *Form) Chords(tonic pitch.Note) string {
	flat := tune.KeyOn(tonic, f.Minor).Flats
	text := ""
	for i, degree := range f.Bars {
		d := degreesOf[degree]
		if i > 0 {
			text += " | "
		}
		text += pitch.Spell(pitch.Midi(60+tonic.Class()+d.steps), flat).ClassName() + d.kind
	}
	return text
}

// Slot is a lick put at a bar.
type Slot struct {
	Bar  int // from 1
	Lick *Kept
}

// SlotError is a lick that does not fit at its bar. The text is written for people.
type SlotError struct {
	Bar  int
	Text string
}

func (e *SlotError) Error() string { return e.Text }

// Built is a tune built from licks.
type Built struct {
	Tune *tune.Tune
	Pins []play.Pin // that keep the licks' places in their tuning
}

// Build puts licks into a tune that has chords alone, each carried over the chord of its bar. Bars without one keep to their chords.
// Places come along where the licks' tuning allows it. *SlotError.
func Build(over *tune.Tune, t tuning.Tuning, capo int, slots []Slot) (*Built, error) {
	tu := *over
	b := &Built{Tune: &tu}
	slots = slices.Clone(slots)
	slices.SortStableFunc(slots, func(x, y Slot) int { return x.Bar - y.Bar })
	free := 1 // the first bar behind the lick before
	for _, s := range slots {
		if err := s.fits(over, free); err != nil {
			return nil, err
		}
		begin := over.Bars[s.Bar-1]
		k, _, err := s.Lick.Over(over.ChordOver(begin))
		if err != nil {
			return nil, err
		}
		put(&tu, begin, k.Notes)
		b.Pins = append(b.Pins, k.In(t, capo, begin)...)
		free = s.Bar + k.Bars
	}
	if len(tu.Notes) == 0 {
		return nil, &SlotError{1, "choose a lick for one bar at least"}
	}
	return b, nil
}

func (s *Slot) fits(over *tune.Tune, free int) error {
	bars, k := len(over.Bars), s.Lick
	switch m := over.MeterOver(0); {
	case s.Bar < 1 || s.Bar > bars:
		return &SlotError{s.Bar, fmt.Sprintf("bar %d: the form has %d bars", s.Bar, bars)}
	case s.Bar+k.Bars-1 > bars:
		return &SlotError{s.Bar, fmt.Sprintf("bar %d: %s takes %d bars, and the form ends after bar %d. Put it at bar %d or earlier", s.Bar, k.Name, k.Bars, bars,
			max(1, bars-k.Bars+1))}
	case s.Bar < free:
		return &SlotError{s.Bar, fmt.Sprintf("bar %d: the lick before it goes on to bar %d. Put %s at bar %d, or leave it out", s.Bar, free-1, k.Name, free)}
	case m.Bar() != k.meter().Bar():
		return &SlotError{s.Bar, fmt.Sprintf("bar %d: %s is in %d/%d, and the tune in %d/%d", s.Bar, k.Name, k.Num, k.Den, m.Num, m.Den)}
	}
	return nil
}

// What Propose pays for. A leap between two licks costs by the half step beyond easyLeap; the same lick twice in a row is a phrase
// repeated, a third time is too much.
const (
	foreignNote = 1.0 // a note that is neither in the chord nor in the key
	passingNote = 0.3 // in the key alone
	easyLeap    = 5
	leapCost    = 0.12
	againCost   = 0.4
	restCost    = 2.0 // a bar without a lick
)

// Propose chooses licks for every bar of a tune that has chords alone: notes that fit the chords, small leaps from lick to lick,
// not the same one again and again: the cheapest choice, by dynamic programming over bars and the lick before. Bars for which no
// lick fits stay empty.
func Propose(over *tune.Tune, licks []*Kept) (out []Slot) {
	bars := len(over.Bars)
	best := make([][]*choice, bars+1) // by the number of bars filled, one for each way to end
	best[0] = []*choice{{lick: -1, last: -1}}
	better := func(at int, c *choice) {
		i := slices.IndexFunc(best[at], func(o *choice) bool { return o.last == c.last && o.note == c.note })
		switch {
		case i < 0:
			best[at] = append(best[at], c)
		case c.cost < best[at][i].cost:
			best[at][i] = c
		}
	}
	for at := range bars {
		for i, k := range licks { // what is in best[at] is final
			if (&Slot{at + 1, k}).fits(over, at+1) != nil {
				continue
			}
			moved, _, err := k.Over(over.ChordOver(over.Bars[at]))
			if err != nil {
				continue
			}
			fit := fitCost(over, over.Bars[at], moved)
			for _, c := range best[at] {
				next := choice{c.cost + fit, c, at + 1, i, i, moved.Notes[len(moved.Notes)-1].Pitch}
				if c.last >= 0 {
					next.cost += leapCost * math.Max(0, math.Abs(float64(moved.Notes[0].Pitch-c.note))/float64(pitch.HalfStep)-easyLeap)
				}
				if c.last == i {
					next.cost += againCost * float64(k.Bars)
				}
				better(at+k.Bars, &next)
			}
		}
		for _, c := range best[at] {
			better(at+1, &choice{c.cost + restCost, c, at + 1, -1, c.last, c.note})
		}
	}
	end := slices.MinFunc(best[bars], func(a, b *choice) int { return cmp.Compare(a.cost, b.cost) })
	for c := end; c.before != nil; c = c.before {
		if c.lick >= 0 {
			out = append(out, Slot{c.bar, licks[c.lick]})
		}
	}
	slices.Reverse(out)
	return out
}

// choice is a lick put at a bar, or a bar left empty, with all that was chosen before.
type choice struct {
	cost   float64
	before *choice
	bar    int         // from 1, at which it begins
	lick   int         // -1 for a bar left empty
	last   int         // the lick that sounded last, -1 for none
	note   pitch.Pitch // at which that ended
}

// fitCost is how badly the notes of a lick fit the chords that they lie over, a bar.
func fitCost(over *tune.Tune, begin tune.Time, k *Kept) (cost float64) {
	for i := range k.Notes {
		n := &k.Notes[i]
		switch c := over.ChordOver(begin + n.At); {
		case c.Has(n.Pitch):
		case inScale(&over.Key, n.Pitch):
			cost += passingNote * n.Dur.Quarters()
		default:
			cost += foreignNote * n.Dur.Quarters()
		}
	}
	return cost
}
