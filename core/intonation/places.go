package intonation

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"stepping/core/play"
)

// Of what the log tells: how much a note weighs less than the next one at the same place; how many notes what is
// known of all places counts for at one; what is taken for a beginner's error where nothing is known; and how many
// notes of a kind, and how much more error than elsewhere, make a finding.
const (
	fades      = 0.9
	likeOthers = 3.0
	unknown    = 15.0 // cents
	leastNotes = 6
	muchMore   = 1.25
	mostToldOf = 2
)

// Cell is how far off a player is at a place.
type Cell struct {
	String, Fret int
	Notes        int     // of the log
	Off          float64 // cents, root mean square; drawn to that of all places where there are few
	Bias         float64 // the middle: negative for flat
}

// Map is a player's neck: cells by string and fret, of those places that the log has.
type Map struct {
	cells map[[2]int]*Cell
	Off   float64 // over all places
	Notes int
}

// NewMap adds a log up, the oldest first. Notes further off than a quarter tone were other places, and count as
// far as that.
func NewMap(log []Played) *Map {
	m := &Map{cells: map[[2]int]*Cell{}, Off: unknown, Notes: len(log)}
	sums := map[[2]int]*sum{}
	all := sum{}
	for i := range log {
		p := &log[i]
		at := cellOf(p.Place)
		if sums[at] == nil {
			sums[at] = &sum{}
		}
		sums[at].add(p.Cents)
		all.add(p.Cents)
	}
	if all.weight > 0 {
		m.Off = all.off(unknown)
	}
	for at, s := range sums {
		m.cells[at] = &Cell{at[0], at[1], s.notes, s.off(m.Off), s.sum / s.weight}
	}
	return m
}

// sum adds up notes, of which the last weighs most.
type sum struct {
	weight, sum, square float64
	notes               int
}

func (s *sum) add(cents float64) {
	c := math.Max(-50, math.Min(50, cents))
	s.weight, s.sum, s.square = fades*s.weight+1, fades*s.sum+c, fades*s.square+c*c
	s.notes++
}

// off is the root mean square, drawn to what is known otherwise.
func (s *sum) off(otherwise float64) float64 {
	return math.Sqrt((s.square + likeOthers*otherwise*otherwise) / (s.weight + likeOthers))
}

func cellOf(p Place) [2]int { return [2]int{p.String, int(math.Round(p.Fret))} }

// At is the cell of a place; without notes its Off is that of all places.
func (m *Map) At(str, fret int) Cell {
	if c := m.cells[[2]int{str, fret}]; c != nil {
		return *c
	}
	return Cell{String: str, Fret: fret, Off: m.Off}
}

// Cells are those with notes, by string and fret.
func (m *Map) Cells() (out []Cell) {
	for _, c := range m.cells {
		out = append(out, *c)
	}
	slices.SortFunc(out, func(a, b Cell) int { return cmp.Or(cmp.Compare(a.String, b.String), cmp.Compare(a.Fret, b.Fret)) })
	return out
}

// shiftNames are the kinds of shifts, by how many frets they go at most.
var shiftNames = []struct {
	most float64
	name string
}{{0.5, "on the spot"}, {3, "shifts of 1 to 3 frets"}, {7, "shifts of 4 to 7 frets"}, {30, "shifts of 8 frets and more"}}

// shiftKind is which of shiftNames a note came by; -1 if that is not known.
func shiftKind(p *Played) int {
	if p.From == nil {
		return -1
	}
	return slices.IndexFunc(shiftNames, func(k struct {
		most float64
		name string
	}) bool {
		return math.Abs(p.Fret-*p.From) <= k.most
	})
}

// groups names what a note belongs to, so that kinds can be compared.
func groups(p *Played) []string {
	out := []string{fmt.Sprintf("string %d", p.String), region(p.Fret)}
	if p.Finger > 0 {
		out = append(out, "the slide on the "+fingerNames[p.Finger]+" finger")
	}
	if k := shiftKind(p); k >= 0 {
		out = append(out, shiftNames[k].name)
		switch {
		case p.Fret > *p.From:
			out = append(out, "going up")
		case p.Fret < *p.From:
			out = append(out, "going down")
		}
	}
	return out
}

var fingerNames = map[int]string{2: "middle", 3: "ring", 4: "little"}

func region(fret float64) string {
	switch {
	case fret < 4.5:
		return "frets 1 to 4"
	case fret < 9.5:
		return "frets 5 to 9"
	case fret < 14.5:
		return "frets 10 to 14"
	}
	return "frets above 14"
}

// Finding is a kind of notes that is further off than the others.
type Finding struct {
	Kind      string
	Off, Bias float64 // cents
	Notes     int
}

// Text says it.
func (f *Finding) Text() string {
	way := ""
	switch {
	case f.Bias < -f.Off/2:
		way = ", mostly flat"
	case f.Bias > f.Off/2:
		way = ", mostly sharp"
	}
	return fmt.Sprintf("%s: %.0f cents off%s", f.Kind, f.Off, way)
}

// Weakest returns the kinds of notes that are further off than all, the furthest first: strings, parts of the
// neck, fingers, shifts and their directions.
func Weakest(log []Played) (out []Finding) {
	sums, all := map[string]*sum{}, sum{}
	for i := range log {
		all.add(log[i].Cents)
		for _, g := range groups(&log[i]) {
			if sums[g] == nil {
				sums[g] = &sum{}
			}
			sums[g].add(log[i].Cents)
		}
	}
	overall := all.off(unknown)
	for g, s := range sums {
		if off := s.off(overall); s.notes >= leastNotes && off > muchMore*overall {
			out = append(out, Finding{g, off, s.sum / s.weight, s.notes})
		}
	}
	slices.SortFunc(out, func(a, b Finding) int { return cmp.Or(cmp.Compare(b.Off, a.Off), cmp.Compare(a.Kind, b.Kind)) })
	return out[:min(len(out), mostToldOf)]
}

// Grade is how long the shifts are that a player is ready for, an index of shiftNames from 1: the longest kind
// that is in tune on the average, and one more.
func Grade(log []Played) int {
	sums := make([]sum, len(shiftNames))
	for i := range log {
		if k := shiftKind(&log[i]); k >= 0 {
			sums[k].add(log[i].Cents)
		}
	}
	grade := 1
	for k := 1; k < len(sums)-1; k++ {
		if sums[k].notes >= leastNotes && sums[k].off(unknown) <= near {
			grade = k + 1
		}
	}
	return grade
}

// PlaceText names a place for a player behind a capo.
func PlaceText(p Place, capo int) string {
	return fmt.Sprintf("string %d, fret %s", p.String, play.FromCapo(p.Fret, capo))
}
