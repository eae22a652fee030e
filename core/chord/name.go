package chord

import (
	"fmt"
	"math/bits"
	"slices"
	"strings"

	"stepping/core/pitch"
)

// Reading is one name for what sounds.
type Reading struct {
	Chord   Chord
	Missing []string // tones that the name promises and that do not sound, by interval: "fifth"
	Score   float64  // 0 is a plain chord on its root; readings are ranked by it
}

// Score of a reading that is not the plain one.
const (
	scoreSlash   = 1.6  // another tone than the root is lowest
	scoreMissing = 2.1  // the fifth does not sound
	scoreKind    = 0.06 // per place in Kinds
)

// Names returns every reading of the sounding pitches, spelled as given, the best first: all their classes and no
// others are tones of the chord, which may lack its fifth. The lowest pitch is the bass. There is
// none for fewer than two classes, and for sets that no kind fits; see Describe.
func Names(sounding []pitch.Pitch, in *pitch.Spelling) []Reading {
	if len(sounding) == 0 {
		return nil
	}
	bass := classOf(slices.Min(sounding))
	set := classSet(sounding)
	if bits.OnesCount16(set) < 2 {
		return nil
	}
	var out []Reading
	for root := range 12 {
		if set>>root&1 == 0 {
			continue
		}
		for rank, k := range Kinds {
			if r, ok := read(set, root, bass, rank, k, in); ok {
				out = append(out, r)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Reading) int {
		switch {
		case a.Score < b.Score:
			return -1
		case a.Score > b.Score:
			return 1
		}
		return 0
	})
	return out
}

func read(set uint16, root, bass, rank int, k Kind, in *pitch.Spelling) (Reading, bool) {
	r := Reading{Score: scoreKind * float64(rank)}
	tones := uint16(0)
	for _, iv := range k.Tones {
		tones |= 1 << ((root + iv) % 12)
	}
	c := Chord{Name: in.Class(root).ClassName() + k.Name, Root: in.Class(root), Tones: k.Tones, Bass: in.Class(root)}
	if set&^tones != 0 {
		return r, false
	}
	for _, iv := range k.Tones {
		if set>>((root+iv)%12)&1 != 0 {
			continue
		}
		if iv != 7 || len(k.Tones) < 3 {
			return r, false
		}
		r.Missing = append(r.Missing, IntervalName(iv))
		r.Score += scoreMissing
	}
	if bass != root {
		c.Bass = in.Class(bass)
		c.Name += "/" + c.Bass.ClassName()
		r.Score += scoreSlash
	}
	r.Chord = c
	return r, true
}

// Describe names what sounds in words for people: the best reading; if there is none, the notes as a
// plain chord with others added, or simply the notes.
func Describe(sounding []pitch.Pitch, in *pitch.Spelling) string {
	if readings := Names(sounding, in); len(readings) > 0 {
		return readings[0].Text()
	}
	if len(sounding) == 0 {
		return "nothing sounds"
	}
	set, bass := classSet(sounding), classOf(slices.Min(sounding))
	if bits.OnesCount16(set) == 1 {
		return in.Class(bass).ClassName() + " alone"
	}
	for _, root := range append([]int{bass}, classes(set)...) {
		for _, k := range Kinds[:2] {
			tones := uint16(0)
			for _, iv := range k.Tones {
				tones |= 1 << ((root + iv) % 12)
			}
			if tones&^set == 0 {
				return in.Class(root).ClassName() + k.Name + " with " + classNames(set&^tones, in) + " added" + over(root, bass, in)
			}
		}
	}
	return "the notes " + classNames(set, in) + over(-1, bass, in)
}

func over(root, bass int, in *pitch.Spelling) string {
	if root == bass {
		return ""
	}
	return ", " + in.Class(bass).ClassName() + " lowest"
}

// Text is the name with what is missing: "G7 without its fifth".
func (r *Reading) Text() string {
	if len(r.Missing) == 0 {
		return r.Chord.Name
	}
	return fmt.Sprintf("%s without its %s", r.Chord.Name, strings.Join(r.Missing, " and "))
}

func classOf(p pitch.Pitch) int {
	midi, _ := p.Nearest()
	return (midi%12 + 12) % 12
}

func classSet(sounding []pitch.Pitch) (set uint16) {
	for _, p := range sounding {
		set |= 1 << classOf(p)
	}
	return set
}

func classes(set uint16) (out []int) {
	for c := range 12 {
		if set>>c&1 != 0 {
			out = append(out, c)
		}
	}
	return out
}

func classNames(set uint16, in *pitch.Spelling) string {
	var names []string
	for _, c := range classes(set) {
		names = append(names, in.Class(c).ClassName())
	}
	return strings.Join(names, ", ")
}
