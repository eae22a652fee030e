package score

import (
	"math"

	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/tuning"
)

// standard is what a string is taken to be of which nothing is known.
var standard = func() tuning.Tuning {
	t, err := tuning.Parse("Standard")
	if err != nil {
		panic(err)
	}
	return t
}()

// Settle finds the tuning in which the places of notes are right: open are the strings that the file names, by
// number; of the others the notes tell, being played at a fret. Places that are then not where their pitch is
// lose their string, and are told. bends are half steps by which a note at a place is bent; where the pitch is
// the bent one, the place becomes that of the bend.
func (s *Score) Settle(open map[int]pitch.Note, bends map[*Spot]float64) {
	notes, found := s.openStrings(open)
	if !found {
		return
	}
	t := tuning.New(notes[:]...)
	s.Tuning = &t
	wrong := 0
	var first *Note
	for _, v := range s.written() {
		for i := range v.Notes {
			n := &v.Notes[i]
			if n.On == nil || n.On.String == 0 {
				continue
			}
			if !n.settle(t, s.Capo, bends[n.On]) {
				if wrong++; first == nil {
					first = n
				}
			}
		}
	}
	if wrong > 0 {
		s.Warn(max(first.Place.Line, 1), max(first.Place.Column, 1),
			"%d notes are written at a string and fret that do not give their pitch; the pitch was used, not the place", wrong)
	}
}

// openStrings are the open strings from 1 on.
func (s *Score) openStrings(open map[int]pitch.Note) (out [tuning.Strings]pitch.Note, found bool) {
	for str := range out {
		out[str] = standard.Note(str + 1)
		if n, ok := open[str+1]; ok {
			out[str], found = n, true
			continue
		}
		votes := map[pitch.Pitch]int{}
		for _, v := range s.written() {
			for i := range v.Notes {
				if on := v.Notes[i].On; on != nil && on.String == str+1 && on.How != play.Harmonic && on.Fret == math.Trunc(on.Fret) {
					votes[v.Notes[i].Note.Pitch()-pitch.Midi(int(on.Fret))]++
				}
			}
		}
		most := 0
		for p, n := range votes {
			if n > most || n == most && p < out[str].Pitch() {
				most, out[str], found = n, pitch.Spell(p, false), true
			}
		}
	}
	return out, found
}

// settle makes the place say what a pin says; false if the pitch is not there.
func (n *Note) settle(t tuning.Tuning, capo int, bend float64) bool {
	on := n.On
	if on.String > t.Len() {
		n.On = nil
		return false
	}
	fret := float64(n.Note.Pitch()-t.Open(on.String)) / 100
	switch {
	case on.How == play.Harmonic:
		node, played := play.NodeAt(on.Fret - float64(capo))
		if !played || math.Abs(float64(n.Note.Pitch()-t.Open(on.String)-pitch.Midi(capo))-node.Cents) > 5 {
			n.On = nil
			return false
		}
	case bend > 0 && on.Fret+bend == fret:
		on.How, on.Fret = play.Bend, fret
	case math.Abs(on.Fret-fret) >= 1:
		n.On = nil
		return false
	default:
		on.Fret = fret // between the frets the pitch says more than the number
	}
	if on.How == "" && on.Fret == float64(capo) {
		on.How = play.Open
	}
	if on.How == play.Open {
		on.Finger = 0
	}
	return true
}
