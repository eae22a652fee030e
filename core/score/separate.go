package score

import (
	"cmp"
	"math"
	"slices"

	"stepping/core/pitch"
	"stepping/core/play"
)

// Separate takes a voice that holds all that a guitar plays apart into melody and bass, as a reader of the page would: the thumb plays
// the thick strings, most of its notes fall on beats, the melody goes on in small steps, and what is slurred stays together. The voice stays
// to be chosen as a whole. Nothing is done if the file has several voices, or if one line is likelier than two.
//
// Where no notes overlap the file does not tell how long they ring: then a bass note rings to the next one, a melody note too, and neither
// beyond its bar.
func (s *Score) Separate() {
	part, notes := s.onlyPart()
	onsets := s.onsets(notes)
	cut := separator{score: s, onsets: onsets}
	bass := cut.best()
	upper, lower := Voice{Name: MelodyName}, Voice{Number: 1, Name: BassName}
	for i := range onsets {
		for k, n := range onsets[i] {
			if k == bass[i] {
				lower.Notes = append(lower.Notes, n)
			} else {
				upper.Notes = append(upper.Notes, n)
			}
		}
	}
	if !two(&upper, &lower) {
		return
	}
	if !overlap(notes) {
		s.ring(upper.Notes)
		s.ring(lower.Notes)
	}
	part.Voices, part.Whole = []Voice{upper, lower}, true
	s.Melody = 0
}

// overlap reports whether a note goes on where a later one begins.
func overlap(notes []Note) bool {
	var last Units
	for i := range notes {
		if i > 0 && notes[i].At > notes[i-1].At && last > notes[i].At {
			return true
		}
		last = max(last, notes[i].End())
	}
	return false
}

// onlyPart is the part that holds all that has a pitch, in one voice or in voices that are one line as likely, with its notes; no notes if
// there is none.
func (s *Score) onlyPart() (out *Part, notes []Note) {
	for p := range s.Parts {
		part := &s.Parts[p]
		if !slices.ContainsFunc(part.Voices, func(v Voice) bool { return !v.Drums && len(v.Notes) > 0 }) {
			continue
		}
		if out != nil || len(part.Voices) > 1 && !part.Whole {
			return nil, nil
		}
		out, notes = part, part.whole().Notes
	}
	if len(notes) > MaxNotes {
		return nil, nil
	}
	return out, notes
}

// onsets groups notes that begin together, the lowest first; what was played, and not written, begins a little apart.
func (s *Score) onsets(notes []Note) (out [][]Note) {
	apart := Units(0)
	if s.Free {
		apart = s.Unit / looseOnset
	}
	for i := 0; i < len(notes); {
		n := i + 1
		for n < len(notes) && notes[n].At-notes[i].At <= apart {
			n++
		}
		group := slices.Clone(notes[i:n])
		slices.SortStableFunc(group, func(a, b Note) int { return cmp.Compare(a.Note.Pitch(), b.Note.Pitch()) })
		out = append(out, group)
		i = n
	}
	return out
}

// Shares of a quarter and of a beat by which what was played is off.
const (
	looseOnset = 12
	looseBeat  = 8
)

// two reports whether there are a melody and a bass: each has some notes, and where they meet they are struck together or in turn, not
// one after the other as a line that goes from string to string.
func two(upper, lower *Voice) bool {
	const least = 4
	if len(upper.Notes)+len(lower.Notes) < 2*least || len(lower.Notes) < least || len(upper.Notes) < least/2 {
		return false
	}
	turns, low := 0, map[Units]bool{}
	for i := range lower.Notes {
		low[lower.Notes[i].At] = true
	}
	together := 0
	for i := range upper.Notes {
		if low[upper.Notes[i].At] {
			together++
		}
	}
	u, l := 0, 0
	for was := 0; u < len(upper.Notes) && l < len(lower.Notes); {
		now := 1
		if lower.Notes[l].At < upper.Notes[u].At {
			now = 2
			l++
		} else {
			u++
		}
		if was != 0 && now != was {
			turns++
		}
		was = now
	}
	return 8*together >= len(lower.Notes) || 2*turns >= len(lower.Notes)
}

// ring gives the notes of a voice without lengths the time to the next one, or to the end of their bar.
func (s *Score) ring(notes []Note) {
	bar := 0
	for i := range notes {
		n := &notes[i]
		for bar+1 < len(s.Bars) && s.Bars[bar+1] <= n.At {
			bar++
		}
		end := s.Length
		if bar+1 < len(s.Bars) {
			end = s.Bars[bar+1]
		}
		k := i + 1
		for k < len(notes) && notes[k].At == n.At {
			k++
		}
		if k < len(notes) {
			end = min(end, notes[k].At)
		}
		n.Dur = max(n.Dur, end-n.At)
	}
}

// separator finds which note of each onset is the bass: -1 for none. Costs are in no unit, judgement.
type separator struct {
	score  *Score
	onsets [][]Note
}

const (
	melodyLow   = 0.9  // a melody note on string 6; on 5, 4 and higher strings see melodyOn
	bassLoneOff = 0.25 // a lone note of the bass between beats
	melodyLone  = 0.5  // a lone note on a thick string on the beat that is melody
	melodyStep  = 0.04 // a half step from one melody note to the next, if they lie less than farApart
	bassJump    = 0.01
	crossed     = 1.0 // a bass note above the melody that sounds
	torn        = 2.0 // notes that are slurred, in different voices
	otherDigit  = 2.0 // a note by p that is melody, by another digit that is bass
	farApart    = 2   // quarters
)

// by string: what it costs to take a note as bass or as melody.
var (
	bassOn   = [9]float64{9, 9, 4, 0.8, 0.1, 0, 0, 0, 0}
	melodyOn = [9]float64{0, 0, 0, 0, 0.35, 0.7, melodyLow, melodyLow, melodyLow}
)

// stringOf is the string of a note, or the one on which its pitch lies in first position.
func stringOf(n *Note) int {
	if n.On != nil && n.On.String > 0 {
		return min(n.On.String, 8)
	}
	for i, lowest := range []pitch.Pitch{6400, 5900, 5500, 5000, 4500} {
		if n.Note.Pitch() >= lowest {
			return i + 1
		}
	}
	return 6
}

// voiceState is what the notes so far leave: the last notes of melody and bass, as onset and index, -1 for none.
type voiceState struct{ melody, bass [2]int }

type separated struct {
	voiceState
	cost float64
	prev *separated
	took int
}

// mostStates is how many ways so far are carried on, the cheapest.
const mostStates = 64

// best is the cheapest separation.
func (c *separator) best() []int {
	layer := []*separated{{voiceState: voiceState{[2]int{-1, 0}, [2]int{-1, 0}}, took: -1}}
	for i := range c.onsets {
		seen := map[voiceState]*separated{}
		var next []*separated
		for _, from := range layer {
			for took := -1; took < len(c.onsets[i]) && took < 1; took++ { // the lowest, or none
				to := &separated{voiceState: from.voiceState, prev: from, took: took, cost: from.cost + c.cost(from, i, took)}
				if took >= 0 {
					to.bass = [2]int{i, took}
				}
				if len(c.onsets[i])-1 > took {
					to.melody = [2]int{i, len(c.onsets[i]) - 1}
				}
				if old := seen[to.voiceState]; old == nil {
					seen[to.voiceState] = to
					next = append(next, to)
				} else if to.cost < old.cost {
					*old = *to
				}
			}
		}
		slices.SortStableFunc(next, func(a, b *separated) int { return cmp.Compare(a.cost, b.cost) })
		layer = next[:min(len(next), mostStates)]
	}
	out := make([]int, len(c.onsets))
	at := layer[0]
	for i := len(out) - 1; i >= 0; i-- {
		out[i], at = at.took, at.prev
	}
	return out
}

// cost is what it costs to take note took of onset i as the bass, and the others as melody, after what came before.
func (c *separator) cost(from *separated, i, took int) (cost float64) {
	group := c.onsets[i]
	lone, beat := len(group) == 1, c.onBeat(group[0].At)
	for k := range group {
		n := &group[k]
		str := stringOf(n)
		bass, digit := k == took, n.digit()
		switch {
		case digit == play.P && bass:
		case digit != "" && (digit == play.P) != bass:
			cost += otherDigit
		case bass:
			cost += bassOn[str]
			if lone && !beat {
				cost += bassLoneOff
			}
		default:
			cost += melodyOn[str]
			if lone && beat && str >= 4 {
				cost += melodyLone
			}
		}
		if by := c.slurredTo(i, n); by != nil && bass != (from.bass == *by) {
			cost += torn
		}
	}
	if took >= 0 {
		cost += c.step(from.bass, &group[took], bassJump)
		if m := c.note(from.melody); lone && m != nil && m.End() > group[0].At && m.Note.Pitch() < group[0].Note.Pitch() {
			cost += crossed
		}
	}
	if top := len(group) - 1; top > took {
		cost += c.step(from.melody, &group[top], melodyStep)
	}
	return cost
}

// digit is what the file says that plucks n, "" if nothing.
func (n *Note) digit() play.Digit {
	if n.On == nil {
		return ""
	}
	return n.On.Digit
}

func (c *separator) note(at [2]int) *Note {
	if at[0] < 0 {
		return nil
	}
	return &c.onsets[at[0]][at[1]]
}

// step is what it costs to go from a note to n.
func (c *separator) step(from [2]int, n *Note, per float64) float64 {
	was := c.note(from)
	if was == nil || n.At-was.At > farApart*c.score.Unit {
		return 0
	}
	return per * math.Abs(float64(n.Note.Pitch()-was.Note.Pitch())/float64(pitch.HalfStep))
}

// slurredTo is the note of the onset before from which n, of onset i, is sounded without a stroke; nil if there is none.
func (c *separator) slurredTo(i int, n *Note) *[2]int {
	if n.On == nil || i == 0 {
		return nil
	}
	switch n.On.How {
	case play.Hammer, play.Pull, play.Glide:
	default:
		return nil
	}
	for back := i - 1; back >= 0 && back >= i-4; back-- {
		for k := range c.onsets[back] {
			if was := c.onsets[back][k].On; was != nil && was.String == n.On.String {
				return &[2]int{back, k}
			}
		}
	}
	return nil
}

// onBeat reports whether a time falls on a felt beat.
func (c *separator) onBeat(at Units) bool {
	s := c.score
	bar, _ := slices.BinarySearchFunc(s.Bars, at+1, func(a, b Units) int { return cmp.Compare(a, b) })
	since := at
	if bar > 0 {
		since -= s.Bars[bar-1]
	}
	pulse := s.Unit
	for i := range s.Meters {
		if m := &s.Meters[i]; m.At <= at {
			if pulse = 4 * s.Unit / Units(m.Den); m.Num > 3 && m.Num%3 == 0 && m.Den >= 8 {
				pulse *= 3
			}
		}
	}
	if pulse == 0 {
		return false
	}
	off := since % pulse
	if s.Free {
		return min(off, pulse-off)*looseBeat <= pulse
	}
	return off == 0
}
