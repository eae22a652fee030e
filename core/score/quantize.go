package score

import (
	"cmp"
	"math"
	"slices"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/tune"
)

// Grid is the raster to which played notes are moved: so many steps a beat of a quarter.
type Grid struct {
	Steps int     // a quarter: 1, 2, 4, 8; 3, 6 and 12 are triplets
	Swing float64 // of steps in pairs, the share of the first: 0.5 straight, 0.667 swung 2 to 1
}

// Grids are those that a page offers, the plainest first.
var Grids = []struct {
	Name string
	Grid
}{
	{"eighths", Grid{2, 0.5}}, {"eighths, swung", Grid{2, 2.0 / 3}}, {"triplets", Grid{3, 0.5}}, {"sixteenths", Grid{4, 0.5}},
	{"triplet sixteenths", Grid{6, 0.5}}, {"quarters", Grid{1, 0.5}}, {"thirty-seconds", Grid{8, 0.5}},
}

// Quantized is a score moved to a grid.
type Quantized struct {
	*Score
	Grid    Grid
	Mean    float64 // by how far onsets were moved, in quarters
	Most    float64
	Dropped int // notes that fell on another of the same pitch
}

// gridUnit is the unit of quantized scores: every grid's steps are whole in it.
const gridUnit = Units(48)

// Quantize moves the beginnings and ends of all notes to the nearest step of the grid; swung steps become
// straight ones. Notes last a step at least.
func (s *Score) Quantize(g Grid) Quantized {
	out := *s
	out.Unit, out.Free = gridUnit, false
	q := Quantized{Score: &out, Grid: g}
	move := func(t Units) Units { to, _ := g.nearest(float64(t) / float64(s.Unit)); return to }
	out.Parts = slices.Clone(s.Parts)
	total, n := 0.0, 0
	for p := range out.Parts {
		out.Parts[p].Voices = slices.Clone(out.Parts[p].Voices)
		for v := range out.Parts[p].Voices {
			voice := &out.Parts[p].Voices[v]
			notes := make([]Note, 0, len(voice.Notes))
			for _, note := range voice.Notes {
				at, off := g.nearest(float64(note.At) / float64(s.Unit))
				total, n, q.Most = total+off, n+1, max(q.Most, off)
				note.At, note.Dur = at, max(move(note.End())-at, gridUnit/Units(g.Steps))
				notes = append(notes, note)
			}
			slices.SortStableFunc(notes, func(a, b Note) int { return cmp.Compare(a.At, b.At) })
			voice.Notes = notes
			q.Dropped += dropDoubles(voice)
		}
	}
	if g.Steps == 2 && g.Swing > tune.Straight { // swung eighths are written straight, and played as they were
		out.Swing = g.Swing
	}
	q.Mean = total / float64(max(n, 1))
	out.move(func(t Units) Units { return t * gridUnit / s.Unit })
	for _, v := range out.written() {
		for i := range v.Notes {
			out.Length = max(out.Length, v.Notes[i].End())
		}
	}
	return q
}

// nearest is the step nearest to a time in quarters, and how far it is.
func (g Grid) nearest(t float64) (at Units, off float64) {
	step := 1 / float64(g.Steps)
	off = math.Inf(1)
	for k := math.Floor(t/step) - 1; k <= math.Floor(t/step)+2; k++ {
		if k < 0 {
			continue
		}
		played := k * step
		if int(k)%2 == 1 { // the second of a pair comes when the first has had its share
			played = (k-1)*step + 2*step*g.Swing
		}
		if d := math.Abs(played - t); d < off {
			at, off = Units(k)*gridUnit/Units(g.Steps), d
		}
	}
	return at, off
}

// dropDoubles removes notes that came to begin with another of the same pitch.
func dropDoubles(v *Voice) int {
	before := len(v.Notes)
	kept := v.Notes[:0]
	for _, n := range v.Notes {
		same := false
		for i := len(kept) - 1; i >= 0 && kept[i].At == n.At; i-- {
			same = same || kept[i].Note.Pitch() == n.Note.Pitch()
		}
		if !same {
			kept = append(kept, n)
		}
	}
	v.Notes = kept
	return before - len(kept)
}

// move puts everything but the notes to other times.
func (s *Score) move(to func(Units) Units) {
	s.Length = to(s.Length)
	s.Bars, s.Meters, s.Tempos, s.Chords = slices.Clone(s.Bars), slices.Clone(s.Meters), slices.Clone(s.Tempos), slices.Clone(s.Chords)
	for i := range s.Bars {
		s.Bars[i] = to(s.Bars[i])
	}
	s.Bars = slices.Compact(s.Bars) // bars shorter than a step
	for i := range s.Meters {
		s.Meters[i].At = to(s.Meters[i].At)
	}
	for i := range s.Tempos {
		s.Tempos[i].At = to(s.Tempos[i].At)
	}
	for i := range s.Chords {
		s.Chords[i].At = to(s.Chords[i].At)
	}
}

// Cost of a grid's step next to the distance of the notes, in quarters: a fine grid is always near, and is only worth having
// if the coarse one is clearly off.
const stepCost = 0.006

// ProposeGrid is the grid that moves the notes least for what it asks of a reader.
func (s *Score) ProposeGrid() Grid {
	best, least := Grids[0].Grid, math.Inf(1)
	for _, g := range Grids {
		total, n := 0.0, 0
		for _, v := range s.pitched() {
			for i := range v.Notes {
				_, off := g.nearest(float64(v.Notes[i].At) / float64(s.Unit))
				total, n = total+off, n+1
			}
		}
		if cost := total/float64(max(n, 1)) + stepCost*float64(g.Steps); cost < least {
			best, least = g.Grid, cost
		}
	}
	return best
}

// Kinds of chord that are proposed from what sounds, and what a note outside the chord takes away.
const (
	proposedKinds = 6 // of chord.Kinds, from the plainest on, without the bare fifth
	foreign       = 0.7
	bassBonus     = 0.35
)

// ProposeChords sets one chord a bar from what all voices sound in it, where none is written: the triad or
// seventh that most of the sounding time belongs to, the lowest note being its root if that is possible. They
// are marked as proposed.
func (s *Score) ProposeChords() {
	if len(s.Chords) > 0 {
		return
	}
	last := ""
	for b, from := range s.Bars {
		to := s.Length
		if b+1 < len(s.Bars) {
			to = s.Bars[b+1]
		}
		if c, ok := s.sounding(from, to); ok && c.Name != last {
			s.Chords = append(s.Chords, Chord{At: from, Chord: c, Proposed: true})
			last = c.Name
		}
	}
}

// sounding is the chord between two times; ok is false if fewer than two pitch classes sound.
func (s *Score) sounding(from, to Units) (best chord.Chord, ok bool) {
	var weight [12]float64
	total, lowest, classes := 0.0, pitch.Pitch(math.MaxInt32), 0
	for _, v := range s.pitched() {
		for i := range v.Notes {
			n := &v.Notes[i]
			length := float64(min(n.End(), to) - max(n.At, from))
			if length <= 0 {
				continue
			}
			if weight[n.Note.Class()] == 0 {
				classes++
			}
			weight[n.Note.Class()] += length
			total += length
			lowest = min(lowest, n.Note.Pitch())
		}
	}
	if classes < 2 {
		return best, false
	}
	most := math.Inf(-1)
	for root := range 12 {
		name := pitch.InKey(s.keyTonic()).Class(root).ClassName()
		for _, k := range chord.Kinds[:proposedKinds] {
			if k.Name == "5" {
				continue
			}
			c, err := chord.Parse(name + k.Name)
			if err != nil {
				continue
			}
			fit := -0.02*float64(len(c.Tones))*total - foreign*total
			for class, w := range weight {
				if c.Classes()>>class&1 != 0 {
					fit += (1 + foreign) * w
				}
			}
			if c.IsBass(lowest) {
				fit += bassBonus * total
			}
			if fit > most+1e-9 {
				best, most = c, fit
			}
		}
	}
	return best, true
}

// written are the voices as the file has them.
func (s *Score) written() (out []*Voice) {
	for p := range s.Parts {
		for v := range s.Parts[p].Voices {
			out = append(out, &s.Parts[p].Voices[v])
		}
	}
	return out
}

// pitched are those that are no drums.
func (s *Score) pitched() []*Voice {
	return slices.DeleteFunc(s.written(), func(v *Voice) bool { return v.Drums })
}

func (s *Score) keyTonic() pitch.Note {
	if s.Key.Tonic.Letter == 0 {
		return pitch.Note{Letter: 'C'}
	}
	return s.Key.Tonic
}
