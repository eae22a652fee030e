// Package harmony proposes chords for tunes that have none: the mode of the key, where chords change, and which ones, with how sure each is.
//
// It is a hidden Markov model (Rabiner 1989) over slots of a bar or half a bar: the states are the chords that belong to the key in a style,
// notes are what is seen, and what chords usually follow each other is what holds them together. The most likely way is the proposal
// (Viterbi), the share of all ways that have the same root at a slot is how sure it is (forward and backward sums). The costs are negative
// logarithms of likelihoods up to a constant; docs/model.md says each. They were set on reference arrangements with their chords removed.
package harmony

import (
	"math"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/tune"
)

// Style is how much a player wants the chords to do.
type Style string

// The styles.
const (
	Plain  Style = "plain"  // triads of the key, and the seventh on the fifth
	Blues  Style = "blues"  // sevenths on the tonic, fourth and fifth
	Moving Style = "moving" // dominants of other degrees, the second and sixth for the fourth and first, changes within the bar
)

// Styles lists every style.
var Styles = []Style{Plain, Blues, Moving}

// Span is a proposed chord from a time to the next.
type Span struct {
	At    tune.Time
	Chord chord.Chord
	Sure  float64 // 0 to 1, the share of likely ways that have its root there
}

// Proposal is the chords of a tune.
type Proposal struct {
	Key   tune.Key
	Mode  string // "major", "dorian" …
	Spans []Span
}

// StyleOf is the style that a melody asks for: blues if it has blue notes over a major key, else plain.
func StyleOf(tu *tune.Tune) Style {
	if tu.Key.Minor {
		return Plain
	}
	h := &search{tune: tu, tonic: tu.Key.Tonic.Class()}
	blue, total := 0.0, 0.0
	for _, n := range tu.Notes {
		for _, v := range n.Voices() {
			switch total += n.Dur.Quarters(); h.above(v) {
			case 3, 6:
				blue += n.Dur.Quarters()
			case 10:
				blue += n.Dur.Quarters() / 2 // it may be a mode
			}
		}
	}
	if blue > blueShare*total {
		return Blues
	}
	return Plain
}

// blueShare is the share of the melody's time from which blue notes make it a blues.
const blueShare = 0.12

// Chords are the spans as a tune has them: one at each change.
func (p *Proposal) Chords() (out []tune.ChordAt) {
	for i := range p.Spans {
		if n := len(out); n == 0 || out[n-1].Chord.Name != p.Spans[i].Chord.Name {
			out = append(out, tune.ChordAt{At: p.Spans[i].At, Chord: p.Spans[i].Chord})
		}
	}
	return out
}

// Costs, see the package comment.
const (
	noteScale   = 3.8  // of what the notes of a whole bar say
	rootFits    = 0.0  // a note that is the root …
	thirdFits   = 0.06 // … the third or fifth
	fifthFits   = 0.10
	seventhFits = 0.30
	stepOff     = 0.5  // a note outside the chord that goes on by a step, in the key
	leapOff     = 0.9  // one that leaps
	chromatic   = 0.35 // more for one outside the key
	bassScale   = 2.2  // of what the notes of a bass say against those of the melody
	bassFifth   = 0.25 // a bass note that is the fifth
	bassThird   = 0.5
	bassOff     = 1.3
	bassFirst   = 1.5 // of the first bass note of a slot
	bassLater   = 0.5 // of the others

	changeInBar = 1.1  // a change within the bar
	stay        = 0.1  // the same chord over the bar line
	toTonic     = 0.15 // less for the fifth going to the first
	backFrom    = 0.35 // the fifth going to the fourth
	firstElse   = 0.9  // a first chord that is not the first degree
	lastElse    = 2.2  // a last one
	cadence     = 0.45 // less for the fifth or fourth before the last

	certain = 2.8 // of all costs where it is asked how sure a chord is: so that of chords that are 80% sure some 80% are right
)

// accents of an onset: on the first beat, on a beat, else.
const (
	onOne   = 1.8
	onBeat  = 1.15
	offBeat = 0.85
)

// slot is a stretch over which one chord holds.
type slot struct {
	at, end tune.Time
	first   bool // of its bar
}

// slotsOf cuts bars where chords may change: in halves where a bar has an even number of beats, four or more.
func slotsOf(tu *tune.Tune) (out []slot) {
	for b := range tu.Bars {
		at, length := tu.Bars[b], tu.BarLength(b)
		m := tu.MeterOver(at)
		beats := length / m.Pulse()
		if beats >= 2 && beats%2 == 0 && length%m.Pulse() == 0 && (beats >= 4 || m.Pulse() > m.Unit()) {
			out = append(out, slot{at, at + length/2, true}, slot{at + length/2, at + length, false})
			continue
		}
		out = append(out, slot{at, at + length, true})
	}
	return out
}

// state is a chord of the key.
type state struct {
	chord  chord.Chord
	degree int // half steps of its root above the tonic
	prior  float64
}

// Propose finds chords for a tune by its melody, and its bass if it has one; chords that it has are not looked at. A tune without notes gets
// its tonic.
func Propose(tu *tune.Tune, style Style) Proposal {
	h := &search{tune: tu, style: style, slots: slotsOf(tu), tonic: tu.Key.Tonic.Class()}
	h.mode = h.findMode()
	h.states = h.statesOf()
	h.weigh()
	return h.best()
}

type search struct {
	tune   *tune.Tune
	style  Style
	slots  []slot
	tonic  int
	mode   *mode
	states []state
	emit   [][]float64 // by slot and state
}

// above is how many half steps a note lies above the tonic.
func (h *search) above(n pitch.Note) int { return ((n.Class()-h.tonic)%12 + 12) % 12 }

// weigh fills what the notes of each slot say of each chord.
func (h *search) weigh() {
	h.emit = make([][]float64, len(h.slots))
	for i := range h.slots {
		h.emit[i] = make([]float64, len(h.states))
		s := &h.slots[i]
		bar := h.tune.MeterOver(s.at).Bar().Quarters()
		for k := range h.states {
			st := &h.states[k]
			share := (s.end - s.at).Quarters() / bar
			h.emit[i][k] = st.prior * share
			h.emit[i][k] += noteScale / bar * h.line(h.tune.Notes, s, func(n, next *tune.Note, v pitch.Note) float64 { return h.fit(st, v, n, next) })
			h.emit[i][k] += bassScale * noteScale / bar * h.line(h.tune.Bass, s, func(n, _ *tune.Note, v pitch.Note) float64 {
				if n.At <= s.at {
					return bassFirst * h.bassFit(st, v)
				}
				return bassLater * h.bassFit(st, v)
			})
		}
	}
}

// line sums what fit says of the notes that sound in a slot, by quarters and accent.
func (h *search) line(notes []tune.Note, s *slot, fit func(n, next *tune.Note, v pitch.Note) float64) (sum float64) {
	for i := range notes {
		n := &notes[i]
		over := (min(n.End(), s.end) - max(n.At, s.at)).Quarters()
		if over <= 0 {
			continue
		}
		var next *tune.Note
		if i+1 < len(notes) && notes[i+1].At == n.End() {
			next = &notes[i+1]
		}
		for v, p := range n.Voices() {
			share := 1.0
			if v > 0 {
				share = 0.6
			}
			sum += share * over * h.accent(n.At) * fit(n, next, p)
		}
	}
	return sum
}

func (h *search) accent(at tune.Time) float64 {
	_, since := h.tune.Position(at)
	switch {
	case since == 0:
		return onOne
	case since%h.tune.MeterOver(at).Pulse() == 0:
		return onBeat
	}
	return offBeat
}

// fit is what a melody note costs over a chord.
func (h *search) fit(st *state, v pitch.Note, n, next *tune.Note) float64 {
	if iv := st.chord.Interval(v.Pitch()); st.chord.Has(v.Pitch()) {
		switch iv {
		case 0:
			return rootFits
		case 3, 4:
			return thirdFits
		case 6, 7, 8:
			return fifthFits
		}
		return seventhFits
	}
	cost := leapOff
	if next != nil && n.Note == v {
		if step := next.Note.Pitch() - v.Pitch(); step != 0 && max(step, -step) <= 2*pitch.HalfStep {
			cost = stepOff
		}
	}
	if h.mode.scale>>h.above(v)&1 == 0 {
		cost += chromatic
	}
	return cost
}

// bassFit is what a bass note costs under a chord.
func (h *search) bassFit(st *state, v pitch.Note) float64 {
	switch iv := st.chord.Interval(v.Pitch()); {
	case iv == 0:
		return 0
	case iv == 7 && st.chord.Has(v.Pitch()):
		return bassFifth
	case (iv == 3 || iv == 4) && st.chord.Has(v.Pitch()):
		return bassThird
	}
	return bassOff
}

// move is what going from one chord to another costs, into a slot.
func (h *search) move(from, to *state, s *slot) (cost float64) {
	same := from.chord.Name == to.chord.Name
	switch {
	case same && s.first:
		return stay
	case same:
		return 0
	case !s.first:
		cost = changeInBar
		if h.style == Moving {
			cost /= 2
		}
	}
	if from.degree == 7 && to.degree == 0 {
		cost -= toTonic
	}
	if from.degree == 7 && to.degree == 5 && h.style != Blues {
		cost += backFrom
	}
	seventh := from.chord.Has(from.chord.Root.Pitch() + 10*pitch.HalfStep)
	if h.style == Moving && seventh && from.degree != 7 && (from.degree-to.degree+12)%12 == 7 {
		cost -= toTonic // the dominant of another degree goes there
	}
	return cost
}

// best is the most likely way, and how sure each chord of it is.
func (h *search) best() Proposal {
	p := Proposal{Key: h.tune.Key, Mode: h.mode.name}
	n, k := len(h.slots), len(h.states)
	cost, from := make([][]float64, n), make([][]int, n)
	ahead, back := make([][]float64, n), make([][]float64, n) // logarithms of sums
	for i := range n {
		cost[i], from[i], ahead[i], back[i] = make([]float64, k), make([]int, k), make([]float64, k), make([]float64, k)
		for to := range k {
			own := h.emit[i][to] + h.edge(i, to)
			if i == 0 {
				cost[i][to], ahead[i][to] = own, -certain*own
				continue
			}
			cost[i][to] = math.Inf(1)
			sum := make([]float64, k)
			for f := range k {
				m := h.move(&h.states[f], &h.states[to], &h.slots[i])
				if c := cost[i-1][f] + m + own; c < cost[i][to] {
					cost[i][to], from[i][to] = c, f
				}
				sum[f] = ahead[i-1][f] - certain*(m+own)
			}
			ahead[i][to] = logSum(sum)
		}
	}
	for i := n - 2; i >= 0; i-- {
		for f := range k {
			sum := make([]float64, k)
			for to := range k {
				m := h.move(&h.states[f], &h.states[to], &h.slots[i+1])
				sum[to] = back[i+1][to] - certain*(m+h.emit[i+1][to]+h.edge(i+1, to))
			}
			back[i][f] = logSum(sum)
		}
	}
	at := 0
	for s := range k {
		if cost[n-1][s] < cost[n-1][at] {
			at = s
		}
	}
	p.Spans = make([]Span, n)
	for i := n - 1; i >= 0; i-- {
		all, same := make([]float64, 0, k), make([]float64, 0, k)
		for s := range k {
			all = append(all, ahead[i][s]+back[i][s])
			if h.states[s].degree == h.states[at].degree {
				same = append(same, ahead[i][s]+back[i][s])
			}
		}
		p.Spans[i] = Span{h.slots[i].at, h.states[at].chord, math.Exp(logSum(same) - logSum(all))}
		at = from[i][at]
	}
	return p
}

// edge is what a chord costs at the beginning and the end of the tune.
func (h *search) edge(i, s int) (cost float64) {
	st := &h.states[s]
	if i == 0 && st.degree != 0 {
		cost += firstElse
	}
	if i == len(h.slots)-1 && st.degree != 0 {
		cost += lastElse
	}
	if bar := h.lastBar(i); bar == 1 && (st.degree == 7 || st.degree == 5) {
		cost -= cadence
	}
	return cost
}

// lastBar is how many bars after that of slot i there are, 2 for more than one.
func (h *search) lastBar(i int) (n int) {
	for k := i + 1; k < len(h.slots) && n < 2; k++ {
		if h.slots[k].first {
			n++
		}
	}
	return n
}

// logSum is the logarithm of the sum of what list has the logarithms of.
func logSum(list []float64) float64 {
	most := math.Inf(-1)
	for _, x := range list {
		most = max(most, x)
	}
	if math.IsInf(most, -1) {
		return most
	}
	sum := 0.0
	for _, x := range list {
		sum += math.Exp(x - most)
	}
	return most + math.Log(sum)
}
