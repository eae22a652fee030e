// Package lick finds other ways with a few notes of a planned melody: other orders of strings under
// one slide position, and other places along the neck or across the strings for a lick as a shape.
package lick

import (
	"fmt"
	"math"
	"slices"
	"sort"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Mix is one order of strings for the notes of a bar that is held at one slide position.
type Mix struct {
	Strings  []int
	Degrees  []string // of the chord, for each note
	Busy     int      // strings crossed in all: 0 stays on one
	Rewrites []tune.Rewrite
	Pins     []play.Pin // that keep its strings
}

// Held is a bar whose melody lies at one slide position.
type Held struct {
	Bar     int
	Fret    float64
	Strings []int // that fit the chord there while the thumb goes on
	Mixes   []Mix // plain to busy
}

// Limits of what is listed for a bar.
const (
	mostOnsets = 7 // longer bars have too many orders to be of use
	mostMixes  = 8
)

// HeldBar looks at the bar of moment t. ok is false unless all its melody is played with the slide at
// one fret over one chord.
func HeldBar(p *plan.Plan, t int) (h Held, ok bool) {
	h.Bar = p.Moments[t].Bar
	var over *chord.Chord
	onsets, thumbs := 0, map[int]bool{}
	for i := range p.Moments {
		mo := &p.Moments[i]
		if mo.Bar != h.Bar {
			continue
		}
		if mo.Thumb != nil {
			thumbs[mo.Thumb.String] = true
		}
		if mo.Melody == nil {
			continue
		}
		if !mo.Hand.SlideOn || onsets > 0 && mo.Hand.SlideFret != h.Fret || over != nil && over.Name != mo.Chord.Name {
			return h, false
		}
		onsets, h.Fret, over = onsets+1, mo.Hand.SlideFret, &mo.Chord
	}
	if onsets == 0 || onsets > mostOnsets {
		return h, false
	}
	degrees := map[int]string{}
	pl := &p.Request.Player
	for s := 1; s <= 6; s++ {
		if at := under(p, h.Fret, s); !thumbs[s] && over.Has(at) &&
			pl.Neck().SlideLength(s, float64(play.FromCapo(h.Fret, p.Request.Capo))) <= pl.Slide.LengthMM {
			h.Strings = append(h.Strings, s)
			degrees[s] = chord.IntervalName(over.Interval(at))
		}
	}
	h.Mixes = mixes(h.Strings, degrees, onsets)
	for i := range h.Mixes {
		x := &h.Mixes[i]
		notes, begin := p.Request.Tune.BarMelody(h.Bar), p.Request.Tune.Bars[h.Bar-1]
		if len(notes) != onsets {
			return h, false
		}
		for k, s := range x.Strings {
			notes[k].Pitch, notes[k].With = under(p, h.Fret, s), nil
			x.Pins = append(x.Pins, play.Pin{At: begin + notes[k].At, Part: play.Melody, String: s, Fret: h.Fret, How: play.Slide})
		}
		x.Rewrites = []tune.Rewrite{{Bar: h.Bar, Notes: notes}}
	}
	return h, len(h.Mixes) > 0
}

// mixes lists orders of n strings, one for each measure of business, the plainest first: of equals
// that which uses more strings, then that which begins on thinner ones.
func mixes(strings []int, degrees map[int]string, n int) (out []Mix) {
	best := map[int][]int{}
	var try func(seq []int, busy int)
	try = func(seq []int, busy int) {
		if len(seq) == n {
			if old, ok := best[busy]; !ok || distinct(seq) > distinct(old) {
				best[busy] = slices.Clone(seq)
			}
			return
		}
		for _, s := range strings {
			cross := 0
			if len(seq) > 0 {
				cross = max(s-seq[len(seq)-1], seq[len(seq)-1]-s)
			}
			try(append(seq, s), busy+cross)
		}
	}
	try(nil, 0)
	for busy, seq := range best {
		m := Mix{Strings: seq, Busy: busy}
		for _, s := range seq {
			m.Degrees = append(m.Degrees, degrees[s])
		}
		out = append(out, m)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Busy < out[j].Busy })
	return out[:min(len(out), mostMixes)]
}

func distinct(seq []int) int {
	sorted := slices.Clone(seq)
	slices.Sort(sorted)
	return len(slices.Compact(sorted))
}

// Lick is some notes of the melody as a shape.
type Lick struct {
	Notes   []int    // the moments at which they are struck
	Degrees []string // of the chords under them
	Places  []Place
}

// Place is where the lick fits as well: the same shape moved along the neck, or the same notes in
// another shape, some strings over, under the chords of another bar or of its own.
type Place struct {
	Chords   []string // under it, each once in a row
	Bar      int      // the first where it fits so; it begins as long after the bar line as it does now
	Shift    int      // frets up, or down if negative
	Over     int      // strings towards the thickest, or the thinnest if negative
	Degrees  []string // of the chords under them
	Pitches  []pitch.Pitch
	Tones    int // notes that are tones of their chord
	Rewrites []tune.Rewrite
	Pins     []play.Pin // that keep its shape
}

// mostPlaces is how many places of a lick are listed; mostOver how many strings over it is tried.
const (
	mostPlaces = 12
	mostOver   = 2
)

// BarNotes lists the moments at which the melody is struck in the bar of moment t.
func BarNotes(p *plan.Plan, t int) (out []int) {
	for i := range p.Moments {
		if p.Moments[i].Bar == p.Moments[t].Bar && p.Moments[i].Melody != nil {
			out = append(out, i)
		}
	}
	return out
}

// Of takes the melody struck at some moments, in order, to every bar: along the neck by every shift
// that keeps it between capo and last fret, and onto other strings at the same pitches. It fits where
// each note is a tone of the chord under it or of the key. A lick with an open string stays where it is
// on the neck, since that string cannot move. Those with most chord tones come first, then the nearest.
func Of(p *plan.Plan, moments []int) Lick {
	l := Lick{Notes: moments}
	for _, i := range moments {
		mo := &p.Moments[i]
		l.Degrees = append(l.Degrees, chord.IntervalName(mo.Chord.Interval(mo.Melody.Note.Pitch())))
	}
	if len(moments) == 0 {
		return l
	}
	seen := map[string]bool{}
	for bar := range p.Request.Tune.Bars {
		for _, move := range moves {
			if move == [2]int{} && bar+1 == p.Moments[moments[0]].Bar {
				continue
			}
			place, ok := placeIn(p, moments, bar+1, move[0], move[1])
			if key := fmt.Sprint(place.Chords, move); ok && !seen[key] {
				seen[key] = true
				l.Places = append(l.Places, place)
			}
		}
	}
	far := func(pl *Place) int { return max(pl.Shift, -pl.Shift) + max(pl.Over, -pl.Over) }
	sort.SliceStable(l.Places, func(i, j int) bool {
		a, b := &l.Places[i], &l.Places[j]
		if a.Tones != b.Tones {
			return a.Tones > b.Tones
		}
		return far(a) < far(b)
	})
	l.Places = l.Places[:min(len(l.Places), mostPlaces)]
	return l
}

// moves are the ways to move a lick: frets along the neck, or strings over.
var moves = func() (out [][2]int) {
	for shift := -12; shift <= 12; shift++ {
		out = append(out, [2]int{shift, 0})
	}
	for over := 1; over <= mostOver; over++ {
		out = append(out, [2]int{0, over}, [2]int{0, -over})
	}
	return out
}()

// placeIn is the lick in a bar, moved. ok is false if it cannot be fingered there or a note is foreign.
func placeIn(p *plan.Plan, moments []int, bar, shift, over int) (place Place, ok bool) {
	tu := p.Request.Tune
	from, to := tu.Bars[p.Moments[moments[0]].Bar-1], tu.Bars[bar-1]
	place = Place{Bar: bar, Shift: shift, Over: over}
	var notes []tune.NewNote
	for _, i := range moments {
		s := p.Moments[i].Melody
		n := tu.NewNote(s.Index, from)
		n.Pitch += pitch.Midi(shift)
		for v := range n.With {
			n.With[v] += pitch.Midi(shift)
		}
		if to+n.At >= tu.Length {
			return place, false
		}
		pin, ok := moved(p, s, shift, over)
		pin.At = to + n.At
		c := tu.ChordOver(pin.At)
		if !ok || !c.Has(n.Pitch) && !inScale(&tu.Key, n.Pitch) {
			return place, false
		}
		if c.Has(n.Pitch) {
			place.Tones++
		}
		if k := len(place.Chords); k == 0 || place.Chords[k-1] != c.Name {
			place.Chords = append(place.Chords, c.Name)
		}
		notes, place.Pins = append(notes, n), append(place.Pins, pin)
		place.Degrees, place.Pitches = append(place.Degrees, chord.IntervalName(c.Interval(n.Pitch))), append(place.Pitches, n.Pitch)
	}
	place.Rewrites, ok = tu.WithLick(bar, notes)
	return place, ok && place.Tones > 0
}

// moved is a stroke's place on the neck after moving along it, or over to another string at the same
// pitch, as a pin for string and fret; how it is sounded is left open unless the string is.
func moved(p *plan.Plan, s *play.Stroke, shift, over int) (pin play.Pin, ok bool) {
	capo, last := float64(p.Request.Capo), float64(p.Request.Player.Instrument.Frets)
	pin = play.Pin{Part: play.Melody, String: s.String + over, Fret: s.Fret + float64(shift)}
	if pin.String < 1 || pin.String > tuning.Strings {
		return pin, false
	}
	pin.Fret += float64(p.Request.Tuning.Open(s.String)-p.Request.Tuning.Open(pin.String)) / 100
	switch {
	case s.How == play.Harmonic:
		pin.Fret, pin.How = s.Fret, play.Harmonic
		return pin, shift == 0 && over == 0
	case shift != 0 && s.How == play.Open:
		return pin, false
	case pin.Fret == capo && (shift == 0 || s.How == play.Open):
		pin.How = play.Open
		return pin, true
	}
	return pin, pin.Fret > capo && pin.Fret <= last
}

// inScale: at is a tone of the key's scale, or the minor third and seventh that color a major key.
func inScale(k *tune.Key, at pitch.Pitch) bool {
	iv := chord.Triad(k.Tonic, k.Minor).Interval(at)
	if k.Minor {
		return slices.Contains([]int{0, 2, 3, 5, 7, 8, 10}, iv)
	}
	return slices.Contains([]int{0, 2, 3, 4, 5, 7, 9, 10, 11}, iv)
}

// under is what string str sounds with the slide at fret.
func under(p *plan.Plan, fret float64, str int) pitch.Pitch {
	return p.Request.Tuning.Open(str) + pitch.Pitch(math.Round(100*fret))
}
