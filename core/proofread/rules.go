package proofread

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/tune"
)

// How sure the plain rules are. What cannot be played or does not add up is wrong almost always; that something
// is missing which stands everywhere else is a guess.
const (
	sureTwo     = 0.95
	sureLength  = 0.9
	sureWidth   = 0.5
	sureGrip    = 0.85
	sureSlant   = 0.85
	sureSlide   = 0.8
	sureOdd     = 0.6
	sureMissing = 0.6
	sureChord   = 0.6
)

func (s *search) at(n *Note, bar int, kind Kind, sure float64, format string, args ...any) Finding {
	return Finding{Line: n.Place.Line, Column: n.Place.Column, Bar: bar + 1, Kind: kind, Sure: sure, Text: fmt.Sprintf(format, args...)}
}

// twoOnString finds numbers that stand hard by one another on a string, or at one time: a string sounds one note.
func (s *search) twoOnString() (out []Finding) {
	for b := range s.page.Bars {
		notes := s.page.Bars[b].Notes
		for i := range notes {
			n := &notes[i]
			double := slices.ContainsFunc(notes[:i], func(o Note) bool { return o.String == n.String && o.At == n.At })
			if !n.Second && !double {
				continue
			}
			f := s.at(n, b, TwoOnString, sureTwo, "two numbers on string %d at once; a string sounds one note", n.String)
			f.Mend = &Mend{Line: n.Place.Line, Column: n.Place.Column, To: strings.Repeat("-", len(n.Text))}
			out = append(out, f)
		}
	}
	return out
}

// Bars whose rhythm is not written must differ in width by so much of the usual width, which so many others have.
const (
	widthOff   = 0.12
	usualShare = 0.8
	fewBars    = 4
)

// barLengths finds bars that are too long or short: by their rhythm if it is written, else by their width where
// all others are as wide.
func (s *search) barLengths() (out []Finding) {
	bars := s.page.Bars
	usual, share := s.usualWidth()
	for b := range bars {
		bar := &bars[b]
		if b == 0 || b == len(bars)-1 || bar.Again || bars[b-1].Again {
			continue // a pickup, and what makes up for it
		}
		place := Note{Place: bar.Place}
		switch full := bar.Meter.Bar(); {
		case bar.Written && bar.Length != full:
			long := "long"
			if bar.Length < full {
				long = "short"
			}
			out = append(out, s.at(&place, b, BarLength, sureLength,
				"this bar is too %s: its rhythm adds up to %s quarter notes, and %d/%d has %s", long, bar.Length, bar.Meter.Num, bar.Meter.Den, full))
		case !bar.Written && share >= usualShare && len(bars) >= fewBars && math.Abs(float64(bar.Width-usual)) >= max(2, widthOff*float64(usual)):
			out = append(out, s.at(&place, b, BarLength, sureWidth,
				"this bar is %d characters wide, and the others %d: something is missing or extra", bar.Width, usual))
		}
	}
	return out
}

// usualWidth is the width that most bars have, and their share.
func (s *search) usualWidth() (width int, share float64) {
	count := map[int]int{}
	for b := range s.page.Bars {
		count[s.page.Bars[b].Width]++
	}
	for w, n := range count {
		if n > count[width] || n == count[width] && w > width {
			width = w
		}
	}
	return width, float64(count[width]) / float64(max(1, len(s.page.Bars)))
}

// beginnings are the notes of a bar that begin together.
func (b *Bar) beginnings() (out [][]*Note) {
	for i := range b.Notes {
		n := &b.Notes[i]
		if k := len(out); k > 0 && out[k-1][0].At == n.At {
			out[k-1] = append(out[k-1], n)
		} else {
			out = append(out, []*Note{n})
		}
	}
	return out
}

// pressed reports whether a finger presses the string at the note's fret.
func (n *Note) pressed() bool {
	return n.Fret > 0 && !n.How.Slid() && !n.Dead && !n.Tied && n.How != play.Harmonic && n.How != play.Tapped
}

// Room beyond what the hand is said to reach: references go to the edge of it.
const beyondReach = 1.15

// steepest is the tangent of the greatest angle of a bar to the frets, 35°: that of a lap player, since a page
// does not say who plays it.
var steepest = math.Tan(35 * math.Pi / 180)

// hands finds grips that no hand can hold, slide notes at frets that no slant gives, and fingers where the slide's cannot be.
func (s *search) hands() (out []Finding) {
	for b := range s.page.Bars {
		for _, notes := range s.page.Bars[b].beginnings() {
			var pressed, slid []*Note
			for _, n := range notes {
				switch {
				case n.How.Slid():
					slid = append(slid, n)
				case n.pressed():
					pressed = append(pressed, n)
				}
			}
			if why := s.gripFault(pressed); why != "" {
				out = append(out, s.gripFinding(b, pressed, why))
			}
			if n := s.slantFault(slid); n != nil {
				f := s.at(n, b, Slant, sureSlant, "no slant of the slide gives these frets at the same time")
				f.Mend = &Mend{Line: n.Place.Line, Column: n.Place.Column, To: fmt.Sprint(s.commonFret(slid, n))}
				out = append(out, f)
			}
			if n := s.slideFinger(pressed, slid); n != nil {
				out = append(out, s.at(n, b, SlideFinger, sureSlide,
					"the slide is at fret %g here, and a finger would have to press fret %g beyond it: behind the slide you can only fret lower", slid[0].Fret, n.Fret))
			}
		}
	}
	return out
}

// gripFault says why notes cannot be pressed at once; "" if they can. One finger lies over all strings at the lowest fret.
func (s *search) gripFault(notes []*Note) string {
	if len(notes) < 2 {
		return ""
	}
	lo, hi, fingers := notes[0].Fret, notes[0].Fret, 1
	for _, n := range notes {
		lo, hi = min(lo, n.Fret), max(hi, n.Fret)
	}
	for _, n := range notes {
		if n.Fret > lo {
			fingers++
		}
	}
	neck := s.page.Player.Neck()
	mm := neck.X(hi) - neck.X(lo)
	switch reach := beyondReach * s.page.Player.SpanMM(1, 4); {
	case mm > reach && lo+2 < hi:
		return fmt.Sprintf("frets %g and %g together are %.0f mm apart, and a hand reaches about %.0f", lo, hi, mm, reach)
	case fingers > 5: // the thumb over the neck is the fifth
		return fmt.Sprintf("this grip takes %d fingers", fingers)
	}
	return ""
}

// gripFinding offers the number that makes the grip possible and fits best.
func (s *search) gripFinding(b int, notes []*Note, why string) Finding {
	best, most := notes[0], math.Inf(-1)
	var to float64
	for _, n := range notes {
		i := slices.IndexFunc(s.events, func(e event) bool { return e.Note == n })
		was := n.Fret
		for _, fret := range s.readings(n) {
			n.Fret = fret
			possible := s.gripFault(slices.DeleteFunc(slices.Clone(notes), func(o *Note) bool { return o.Fret == 0 })) == ""
			n.Fret = was
			if fit := s.fit(i, n.String, fret); possible && fit > most {
				best, most, to = n, fit, fret
			}
		}
	}
	f := s.at(best, b, Grip, sureGrip, "no hand can fret this: %s", why)
	if !math.IsInf(most, -1) {
		f.Mend = &Mend{Line: best.Place.Line, Column: best.Place.Column, To: fmt.Sprint(to)}
	}
	return f
}

// readings are what a number could be meant as: one next to it, or one with a digit dropped or put before.
func (s *search) readings(n *Note) (out []float64) {
	for _, fret := range []float64{n.Fret - 1, n.Fret + 1, n.Fret - 10, n.Fret + 10, math.Trunc(n.Fret / 10), math.Mod(n.Fret, 10), 0} {
		if fret >= 0 && fret <= 22 && fret != n.Fret && !slices.Contains(out, fret) {
			out = append(out, fret)
		}
	}
	return out
}

// slantFault is a note that no straight slide sounds together with the others, nil if one does.
func (s *search) slantFault(notes []*Note) *Note {
	neck := s.page.Player.Neck()
	for i, a := range notes {
		for _, b := range notes[:i] {
			across := math.Abs(float64(a.String-b.String)) * neck.Spacing(a.Fret)
			if a.Fret != b.Fret && math.Abs(neck.X(a.Fret)-neck.X(b.Fret)) > beyondReach*steepest*across {
				return a
			}
		}
	}
	return nil
}

// commonFret is the fret of the other slide notes.
func (s *search) commonFret(notes []*Note, n *Note) float64 {
	for _, o := range notes {
		if o != n {
			return o.Fret
		}
	}
	return n.Fret
}

// slideFinger is a pressed note beyond the slide, nil if there is none: the fingers left lie behind it.
func (s *search) slideFinger(pressed, slid []*Note) *Note {
	if len(slid) == 0 || s.page.Player.Lap() {
		return nil
	}
	for _, n := range pressed {
		if n.Fret > slid[0].Fret+1 {
			return n
		}
	}
	return nil
}

// Bars that are the same so often, and this one but for a note.
const copies = 2

// oddBars finds bars that are the same as several others but for one number.
func (s *search) oddBars() (out []Finding) {
	for b := range s.page.Bars {
		bar := &s.page.Bars[b]
		for other := range s.page.Bars {
			n, to := bar.butFor(&s.page.Bars[other])
			if n == nil || s.equalTo(other) < copies || s.equalTo(b) > 0 {
				continue
			}
			i := slices.IndexFunc(s.events, func(e event) bool { return e.Note == n })
			if s.inChord(&s.events[i], s.events[i].pitch) {
				break // a variation
			}
			f := s.at(n, b, OddBar, sureOdd, "this bar is the same as bar %d and %d more but for this number, which is %g there",
				other+1, s.equalTo(other), to)
			f.Mend = &Mend{Line: n.Place.Line, Column: n.Place.Column, To: fmt.Sprint(to)}
			out = append(out, f)
			break
		}
	}
	return out
}

// equalTo is how many other bars are the same as bar b.
func (s *search) equalTo(b int) (n int) {
	for o := range s.page.Bars {
		if o != b && sameShare(&s.page.Bars[b], &s.page.Bars[o]) == 1 {
			n++
		}
	}
	return n
}

// butFor is the one note in which b differs from o by a fret or two, and the fret there; nil if they differ otherwise.
func (b *Bar) butFor(o *Bar) (odd *Note, fret float64) {
	if len(b.Notes) != len(o.Notes) || len(b.Notes) < 4 || b.Meter.Num != o.Meter.Num {
		return nil, 0
	}
	for i := range b.Notes {
		x, y := &b.Notes[i], &o.Notes[i]
		if x.At != y.At || x.String != y.String {
			return nil, 0
		}
		if x.Fret == y.Fret {
			continue
		}
		if odd != nil || math.Abs(x.Fret-y.Fret) > 2 {
			return nil, 0
		}
		odd, fret = x, y.Fret
	}
	return odd, fret
}

// bassString is the thinnest string that the thumb's notes are counted on.
const bassString = 4

// bass is the beats of a bar that have a note on a bass string, as a set, and how many beats there are.
func (b *Bar) bass() (set uint64, beats int) {
	pulse := b.Meter.Pulse()
	for t := tune.Time(0); t < b.Length && beats < 60; t += pulse {
		if b.bassAt(t) != nil {
			set |= 1 << beats
		}
		beats++
	}
	return set, beats
}

func (b *Bar) bassAt(t tune.Time) *Note {
	for i := range b.Notes {
		if n := &b.Notes[i]; n.At == t && (n.String >= bassString || n.Digit == play.P) {
			return n
		}
	}
	return nil
}

// missingBass finds the one bar without a bass note on a beat on which all others have one. The first bar and
// the last may be otherwise.
func (s *search) missingBass() (out []Finding) {
	bars := s.page.Bars
	for b := 1; b+1 < len(bars); b++ {
		all, others, most := ^uint64(0), 0, 0
		for o := 1; o+1 < len(bars); o++ {
			if set, beats := bars[o].bass(); o != b && len(bars[o].Notes) > 0 {
				all &= set
				others++
				most = max(most, beats)
			}
		}
		set, beats := bars[b].bass()
		missing := all &^ set
		if others < fewBars-1 || missing == 0 || missing&(missing-1) != 0 || beats != most || len(bars[b].Notes) == 0 {
			continue
		}
		beat := 0
		for missing>>beat > 1 {
			beat++
		}
		out = append(out, s.missingAt(b, beat))
	}
	return out
}

// missingAt is the finding of a beat without bass: what is there in the nearest bar with the same chord is offered.
func (s *search) missingAt(b, beat int) Finding {
	bar := &s.page.Bars[b]
	at := tune.Time(beat) * bar.Meter.Pulse()
	f := Finding{Line: bar.Place.Line, Column: bar.Place.Column, Bar: b + 1, Kind: MissingBass, Sure: sureMissing,
		Text: fmt.Sprintf("every other bar has a bass note on beat %d; this one has none", beat+1)}
	for far := 1; far < len(s.page.Bars); far++ {
		for _, o := range []int{b - far, b + far} {
			if o < 0 || o >= len(s.page.Bars) || !s.sameChord(b, o, at) {
				continue
			}
			n := s.page.Bars[o].bassAt(at)
			if n == nil {
				continue
			}
			for _, blank := range bar.Blank {
				if blank.At == at && blank.String == n.String {
					f.Line, f.Column = blank.Place.Line, blank.Place.Column
					f.Mend = &Mend{Line: f.Line, Column: f.Column, To: n.Text}
				}
			}
			return f
		}
	}
	return f
}

func (s *search) sameChord(a, b int, at tune.Time) bool {
	x, y := s.page.chordOver(a, at), s.page.chordOver(b, at)
	return x == nil && y == nil || x != nil && y != nil && x.Chord.Name == y.Chord.Name
}

// A chord is doubted if its root is not among the notes under it, and so few of the notes under it belong to
// it, of at least so many pitch classes, and most belong to another.
const (
	fewOfChord  = 0.25
	mostOfOther = 0.85
	enough      = 3
)

// chordNames finds symbols that the notes under them do not spell, where they spell another plain chord of the key.
func (s *search) chordNames() (out []Finding) {
	for b := range s.page.Bars {
		for k := range s.page.Bars[b].Chords {
			c := &s.page.Bars[b].Chords[k]
			var weight [12]float64
			total, classes := 0.0, 0
			for i := range s.events {
				e := &s.events[i]
				if e.Dead || e.Tied || s.page.chordOver(e.bar, e.At) != c {
					continue
				}
				if weight[class(e.pitch)] == 0 {
					classes++
				}
				weight[class(e.pitch)] += e.Dur.Quarters()
				total += e.Dur.Quarters()
			}
			if classes < enough || weight[c.Chord.Root.Class()] > 0 || share(weight, total, &c.Chord) > fewOfChord {
				continue
			}
			if other, ok := s.spelled(weight, total); ok {
				out = append(out, Finding{Line: c.Place.Line, Column: c.Place.Column, Bar: b + 1, Kind: ChordNamed, Sure: sureChord,
					Text: fmt.Sprintf("the notes under %s do not spell it; they spell %s", c.Text, other),
					Mend: &Mend{Line: c.Place.Line, Column: c.Place.Column, To: other}})
			}
		}
	}
	return out
}

func share(weight [12]float64, total float64, c *chord.Chord) float64 {
	in := 0.0
	for k, w := range weight {
		if c.Classes()>>k&1 != 0 {
			in += w
		}
	}
	return in / total
}

// spelled is the triad that almost all of the notes belong to; ok is false if there is none.
func (s *search) spelled(weight [12]float64, total float64) (string, bool) {
	for root := range 12 {
		for _, minor := range []bool{false, true} {
			c := chord.Triad(pitch.Usual.Class(root), minor)
			if weight[root] > 0 && share(weight, total, &c) >= mostOfOther && c.Classes()&^s.key == 0 {
				return c.Name, true
			}
		}
	}
	return "", false
}
