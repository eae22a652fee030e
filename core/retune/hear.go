package retune

import (
	"fmt"
	"math"
)

// tunedCents is how near to where it is wanted a string is in tune.
const tunedCents = 3.0

// Heard is what to make of a string that was plucked.
type Heard struct {
	Hz      float64 `json:"hz"` // 0 where nothing is heard
	String  int     `json:"string"`
	Cents   float64 `json:"cents"` // above where the string is wanted, negative below
	Right   bool    `json:"right"` // it is the string that is being turned, and in tune
	Words   string  `json:"words"`
	Octaves int     `json:"octaves"` // that it is tuned too high, negative too low
}

// Hear says what to make of a pitch in Hz, 0 where none was heard, at a step of the retuning, from 0: first the
// strings of Order, then those of Second; strings turned before are where they are wanted.
func (p *Plan) Hear(step int, hz float64) Heard {
	pegs := make([]peg, len(p.Changes))
	for i := range p.Changes {
		ch := &p.Changes[i]
		pegs[i] = peg{ch.Hz * math.Exp2(-float64(ch.HalfSteps)/12), ch.Hz}
	}
	order := append(append([]int{}, p.Order...), p.Second...)
	for _, str := range order[:min(step, len(order))] {
		pegs[str-1].from = pegs[str-1].to
	}
	turning := 0
	if step < len(order) {
		turning = order[step]
	}
	a := Heard{}
	if hz <= 0 {
		if a.Words = "Pluck any string."; turning > 0 {
			a.Words = fmt.Sprintf("Pluck string %d.", turning)
		}
		return a
	}
	a.Hz = math.Round(100*hz) / 100
	at, octaves := which(hz, pegs, turning-1)
	if at < 0 {
		a.Words = "That is not a string of this tuning."
		return a
	}
	a.String, a.Octaves = at+1, octaves
	a.Cents = math.Round(10*cents(hz, pegs[at].to)) / 10
	a.Right = a.String == turning && math.Abs(a.Cents) <= tunedCents
	a.Words = a.words(p, turning, hz)
	return a
}

// words is what to do.
func (a *Heard) words(p *Plan, turning int, hz float64) string {
	knob := turnWords(math.Abs(p.TurnsFrom(a.String, hz)))
	switch {
	case a.Octaves > 0:
		return fmt.Sprintf("An octave too high: is this string %d? Turn down, slowly.", a.String)
	case a.Octaves < 0:
		return fmt.Sprintf("An octave too low: is this string %d? Turn up, slowly.", a.String)
	case turning > 0 && a.String != turning:
		return fmt.Sprintf("That is string %d. Pluck string %d.", a.String, turning)
	case math.Abs(a.Cents) <= tunedCents:
		return "In tune."
	case a.Cents < 0:
		return fmt.Sprintf("%.0f cents low: turn up %s", -a.Cents, knob)
	}
	return fmt.Sprintf("%.0f cents high: turn down %s, then up from below", a.Cents, knob)
}

// turnWords is a turn of the knob as one says it.
func turnWords(turns float64) string {
	switch {
	case turns < 0.04:
		return "a touch"
	case turns < 0.19:
		return "about an eighth of a turn"
	case turns < 0.38:
		return "about a quarter of a turn"
	case turns < 0.75:
		return "about half a turn"
	}
	return fmt.Sprintf("about %.1f turns", turns)
}

// peg is a string on its way from one pitch to another, in Hz.
type peg struct{ from, to float64 }

// Of which string was plucked: how far in cents next to its way a string may lie, and how near to an octave
// next to its goal one that was tuned to the wrong octave.
const (
	besidesWay    = 250.0
	besidesOctave = 80.0
)

// which tells which of the strings was plucked at a pitch, counted from 0, and by how many octaves too high or
// too low it is tuned: the one that is being turned, whose index is turning, if the pitch lies on its way; else
// the nearest; -1 if none is near.
func which(hz float64, pegs []peg, turning int) (string, octaves int) {
	off := func(p peg) float64 { // from its way
		low, high := math.Min(p.from, p.to), math.Max(p.from, p.to)
		return math.Max(0, math.Max(cents(low, hz), cents(hz, high)))
	}
	best := -1
	for i, p := range pegs {
		if d := off(p); d <= besidesWay && (best < 0 || d < off(pegs[best])) {
			best = i
		}
	}
	if turning >= 0 && turning < len(pegs) {
		p := pegs[turning]
		if best >= 0 && off(p) <= off(pegs[best]) {
			return turning, 0
		}
		for _, o := range []int{-1, 1} {
			if best < 0 && math.Abs(cents(hz, p.to*math.Exp2(float64(o)))) <= besidesOctave {
				return turning, o
			}
		}
	}
	return best, 0
}

// cents is by how much a lies above b.
func cents(a, b float64) float64 { return 1200 * math.Log2(a/b) }
