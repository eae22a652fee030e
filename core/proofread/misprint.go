package proofread

import (
	"fmt"
	"math"
	"slices"

	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/tune"
)

// The search for misprints. A number is suspect if its pitch leaves the key *and* the chord by a half step, and
// nothing on the page speaks for it: the pitch is not among the page's own, it leads nowhere by half steps.
// What would be right is then one of the numbers next to it: a fret more or less, or the same fret on the next
// string. Each is weighed by what the page does elsewhere, in bits of evidence:
//
//	fit = chord + place + repeat + position + line
//
// chord: a tone of the chord, or at least of the key; place: how often this string and fret stand on the page;
// repeat: what is there in bars that are alike otherwise; position: other notes at the time, or next to it,
// at the same fret; line: a small step from the note before and to the one after.

// evidence weighs the terms.
const (
	inChord    = 2.0
	inKeyOnly  = 0.6
	perPlace   = 1.0 // · log2(1 + times it stands elsewhere)
	perRepeat  = 2.5 // · share of alike bars that have it
	atPosition = 0.8
	perStep    = 0.12 // a half step of the line, taken away
	bassRoot   = 1.0  // the lowest note is the chord's root
	otherStr   = 0.8  // taken away: a number is more often wrong than on the wrong string
)

// suspicion is the least gain in evidence, in bits, before a correction is suggested.
const suspicion = 1.6

// ofBlues is the same for what belongs to a blues, or leans on a note that belongs: only what the page does elsewhere speaks against it.
const ofBlues = 5.0

// A pitch class that the page has more often, or twice in a bar, is its own.
const ownClass = 2

// event is a note of the page with what the search knows of it.
type event struct {
	*Note
	bar   int
	time  tune.Time // from the beginning of the page
	pitch pitch.Pitch
}

// search is the page laid out in time.
type search struct {
	page    *Page
	events  []event
	starts  []tune.Time
	places  map[[2]int]int // string and fret
	classes [12]int
	key     uint16 // pitch classes
	blues   bool
	alike   [][]int
}

func newSearch(p *Page) *search {
	s := &search{page: p, places: map[[2]int]int{}}
	at := tune.Time(0)
	for b := range p.Bars {
		s.starts = append(s.starts, at)
		for n := range p.Bars[b].Notes {
			note := &p.Bars[b].Notes[n]
			e := event{note, b, at + note.At, p.pitchOf(note)}
			if !note.Dead && !note.Tied {
				s.places[[2]int{note.String, int(note.Fret)}]++
				s.classes[class(e.pitch)]++
			}
			s.events = append(s.events, e)
		}
		at += max(p.Bars[b].Length, 1)
	}
	s.key = s.findKey()
	s.blues = p.isBlues()
	s.alike = s.findAlike()
	return s
}

// pitchOf is what a note sounds.
func (p *Page) pitchOf(n *Note) pitch.Pitch {
	return p.pitchAt(n.String, n.Fret)
}

func (p *Page) pitchAt(str int, fret float64) pitch.Pitch {
	return p.Tuning.Open(str) + pitch.Midi(p.Capo) + pitch.Pitch(math.Round(fret*100))
}

func class(p pitch.Pitch) int {
	midi, _ := p.Nearest()
	return (midi%12 + 12) % 12
}

// chordOver is the chord in force at a time of a bar, nil if none is written before.
func (p *Page) chordOver(bar int, at tune.Time) *Chord {
	for b := bar; b >= 0; b-- {
		for i := len(p.Bars[b].Chords) - 1; i >= 0; i-- {
			if c := &p.Bars[b].Chords[i]; b < bar || c.At <= at {
				return c
			}
		}
	}
	return nil
}

// findKey is the diatonic scale that most of the notes and chord tones belong to; of equals the one with the
// first chord, and the last note.
func (s *search) findKey() uint16 {
	var weight [12]float64
	for c, n := range s.classes {
		weight[c] = float64(n)
	}
	for b := range s.page.Bars {
		for _, c := range s.page.Bars[b].Chords {
			for k := range weight {
				if c.Chord.Classes()>>k&1 != 0 {
					weight[k] += 0.5
				}
			}
		}
	}
	best, most := uint16(0), -1.0
	for tonic := range 12 {
		scale := (pitch.MajorScale<<tonic | pitch.MajorScale>>(12-tonic)) & 0xfff
		sum := 0.0
		for k, w := range weight {
			if scale>>k&1 != 0 {
				sum += w
			}
		}
		if first := s.page.chordOver(len(s.page.Bars)-1, math.MaxInt64); first != nil && first.Chord.Root.Class() == tonic {
			sum += 0.1
		}
		if sum > most {
			best, most = scale, sum
		}
	}
	return best
}

func (s *search) inKey(p pitch.Pitch) bool { return s.key>>class(p)&1 != 0 }

func (s *search) inChord(e *event, p pitch.Pitch) bool {
	if c := s.page.chordOver(e.bar, e.At); c != nil {
		return c.Chord.Has(p)
	}
	return s.overBass(e, p)
}

// overBass is in for a chord where none is written: p is the octave, major third or fifth over the bar's lowest other note.
func (s *search) overBass(e *event, p pitch.Pitch) bool {
	lowest := pitch.Pitch(math.MaxInt32)
	for i := range s.page.Bars[e.bar].Notes {
		if n := &s.page.Bars[e.bar].Notes[i]; n != e.Note && !n.Dead {
			lowest = min(lowest, s.page.pitchOf(n))
		}
	}
	if lowest == math.MaxInt32 {
		return false
	}
	switch (class(p) - class(lowest) + 12) % 12 {
	case 0, 4, 7:
		return true
	}
	return false
}

// Bars are alike if most of their notes stand at the same time, string and fret.
const mostAlike = 0.7

// findAlike lists for every bar those that are alike.
func (s *search) findAlike() [][]int {
	out := make([][]int, len(s.page.Bars))
	for a := range s.page.Bars {
		for b := range s.page.Bars {
			if a != b && sameShare(&s.page.Bars[a], &s.page.Bars[b]) >= mostAlike {
				out[a] = append(out[a], b)
			}
		}
	}
	return out
}

// sameShare is the share of notes that two bars have in common.
func sameShare(a, b *Bar) float64 {
	if len(a.Notes) < 3 || len(b.Notes) < 3 || a.Meter.Num != b.Meter.Num || a.Length != b.Length {
		return 0
	}
	same := 0
	for i := range a.Notes {
		if b.has(a.Notes[i].At, a.Notes[i].String, a.Notes[i].Fret) {
			same++
		}
	}
	return float64(same) / float64(max(len(a.Notes), len(b.Notes)))
}

func (b *Bar) has(at tune.Time, str int, fret float64) bool {
	return slices.ContainsFunc(b.Notes, func(n Note) bool { return n.At == at && n.String == str && n.Fret == fret })
}

// misprints lists the numbers that leave key and chord, with what would be right.
func (s *search) misprints() (out []Finding) {
	for i := range s.events {
		e := &s.events[i]
		if e.Dead || e.Tied || e.How == play.Harmonic || e.How == play.Bend || e.Fret != math.Trunc(e.Fret) || !s.foreign(i) {
			continue
		}
		stands := s.fit(i, e.String, e.Fret)
		best, gain := candidate{}, math.Inf(-1)
		for _, c := range s.candidates(e) {
			if fit := s.fit(i, c.str, c.fret) - c.cost; fit-stands > gain {
				best, gain = c, fit-stands
			}
		}
		needs := suspicion
		if s.leans(i) || s.isBlue(e) {
			needs = ofBlues
		}
		if gain < needs {
			continue
		}
		out = append(out, s.misprint(e, best, gain))
	}
	return out
}

// foreign reports whether note i leaves key and chord and nothing speaks for it.
func (s *search) foreign(i int) bool {
	e := &s.events[i]
	if s.inKey(e.pitch) || s.inChord(e, e.pitch) || s.classes[class(e.pitch)] > ownClass || s.againInBar(i) {
		return false
	}
	return !s.passes(i) && !s.together(i)
}

// leans reports whether note i is slurred, by a half step, to or from a note that belongs: a blue third is hammered into the major one.
func (s *search) leans(i int) bool {
	for _, way := range []int{-1, 1} {
		k := s.onString(i, way)
		if k < 0 || abs(s.events[k].pitch-s.events[i].pitch) != pitch.HalfStep {
			continue
		}
		to := &s.events[max(i, k)]
		slurred := to.How == play.Hammer || to.How == play.Pull || to.How == play.Glide ||
			s.blues && way > 0 && to.pitch > s.events[i].pitch && to.time-s.events[i].time <= s.page.Bars[to.bar].Meter.Pulse() // come to from below
		if o := &s.events[k]; slurred && (s.inKey(o.pitch) || s.inChord(o, o.pitch)) {
			return true
		}
	}
	return false
}

// isBlue reports whether a note is a blue note where the page is a blues: one that has others. One alone is as likely a misprint.
func (s *search) isBlue(e *event) bool {
	if !s.blues || !s.mayBeBlue(e) {
		return false
	}
	if s.page.Blues {
		return true
	}
	for i := range s.events {
		if o := &s.events[i]; o.How == play.Bend || o.Note != e.Note && !o.Dead && !s.inKey(o.pitch) && !s.inChord(o, o.pitch) && s.mayBeBlue(o) {
			return true
		}
	}
	return false
}

// mayBeBlue reports whether a note is a flat third, fifth or seventh of the chord in force.
func (s *search) mayBeBlue(e *event) bool {
	c := s.page.chordOver(e.bar, e.At)
	if c == nil {
		return false
	}
	switch (class(e.pitch) - c.Chord.Root.Class() + 12) % 12 {
	case 3, 6, 10:
		return true
	}
	return false
}

// isBlues finds out whether the page is a blues or a rag: it says so, or has a dominant seventh on the tonic or the fourth. The tonic is the
// root of the first chord.
func (p *Page) isBlues() bool {
	tonic := -1
	for b := range p.Bars {
		for _, c := range p.Bars[b].Chords {
			root := c.Chord.Root.Class()
			if tonic < 0 {
				tonic = root
			}
			has := func(step int) bool { return c.Chord.Classes()>>((root+step)%12)&1 != 0 }
			if (root == tonic || root == (tonic+5)%12) && has(4) && has(10) {
				return true
			}
		}
	}
	return p.Blues
}

// againInBar reports whether the bar has another note of that pitch class.
func (s *search) againInBar(i int) bool {
	for k := range s.events {
		if o := &s.events[k]; k != i && o.bar == s.events[i].bar && !o.Tied && class(o.pitch) == class(s.events[i].pitch) {
			return true
		}
	}
	return false
}

// together reports whether another note at the same time leaves the key too: a whole grip that is moved by a half step is meant.
func (s *search) together(i int) bool {
	for k := range s.events {
		if o := &s.events[k]; k != i && o.time == s.events[i].time && !o.Dead && !s.inKey(o.pitch) {
			return true
		}
	}
	return false
}

// passes reports whether a note leads by half steps from the note before to the one after, or in a blues away from one and back.
func (s *search) passes(i int) bool {
	e := &s.events[i]
	before, after := s.beside(i, -1), s.beside(i, 1)
	step := func(k int) pitch.Pitch {
		if k < 0 {
			return 0
		}
		return s.events[k].pitch - e.pitch
	}
	through := step(before) == -step(after) || s.blues // away and back is an idiom of some styles
	if abs(step(before)) == pitch.HalfStep && abs(step(after)) == pitch.HalfStep && through || s.walks(i) {
		return true
	}
	return s.run(i, 1)+s.run(i, -1) >= chromaticRun
}

// walks reports whether note i is a bass note that leads, within a beat, by a step to the root of the next chord.
func (s *search) walks(i int) bool {
	e := &s.events[i]
	here := s.page.chordOver(e.bar, e.At)
	for k := i + 1; k < len(s.events) && s.events[k].time-e.time <= s.page.Bars[e.bar].Meter.Pulse(); k++ {
		o := &s.events[k]
		if next := s.page.chordOver(o.bar, o.At); next != here {
			step := (next.Chord.Bass.Class() - class(e.pitch) + 12) % 12
			return s.lowest(i) && (step <= 2 || step >= 10)
		}
	}
	return false
}

// chromaticRun is how many half steps in one direction on a string are meant, and no misprint.
const chromaticRun = 3

// run is how many half steps lead up to note i on its string and on from it, each by as much.
func (s *search) run(i int, way int) (n int) {
	rise := pitch.Pitch(0)
	for k := i; ; n++ {
		next := s.onString(k, way)
		if next < 0 {
			return n
		}
		step := (s.events[next].pitch - s.events[k].pitch) * pitch.Pitch(way)
		if abs(step) != pitch.HalfStep || rise != 0 && step != rise {
			return n
		}
		rise, k = step, next
	}
}

// onString is the note before or after note i on its string; -1 if there is none.
func (s *search) onString(i, way int) int {
	for k := i + way; k >= 0 && k < len(s.events); k += way {
		if s.events[k].String == s.events[i].String && !s.events[k].Dead {
			return k
		}
	}
	return -1
}

func abs(p pitch.Pitch) pitch.Pitch { return max(p, -p) }

// beside is the note before (-1) or after (1) note i in its line: of those that begin together the one nearest
// in pitch; -1 if there is none.
func (s *search) beside(i, way int) int {
	e := &s.events[i]
	best := -1
	var at tune.Time
	for k := i + way; k >= 0 && k < len(s.events); k += way {
		o := &s.events[k]
		if o.time == e.time || o.Dead {
			continue
		}
		if best >= 0 && o.time != at {
			break
		}
		if best < 0 || abs(o.pitch-e.pitch) < abs(s.events[best].pitch-e.pitch) {
			best, at = k, o.time
		}
	}
	return best
}

// candidate is a number that could be meant.
type candidate struct {
	str  int
	fret float64
	cost float64
}

// candidates are a fret more or less, and the same fret on the next string; only those in the key or chord.
func (s *search) candidates(e *event) (out []candidate) {
	for _, c := range []candidate{{e.String, e.Fret - 1, 0}, {e.String, e.Fret + 1, 0}, {e.String - 1, e.Fret, otherStr},
		{e.String + 1, e.Fret, otherStr}} {
		if c.fret < 0 || c.str < 1 || c.str > s.page.Tuning.Len() {
			continue
		}
		if c.str != e.String && s.page.Bars[e.bar].at(e.At, c.str) {
			continue // taken
		}
		if p := s.page.pitchAt(c.str, c.fret); s.inKey(p) || s.inChord(e, p) {
			out = append(out, c)
		}
	}
	return out
}

// at reports whether something stands on a string at a time.
func (b *Bar) at(at tune.Time, str int) bool {
	return slices.ContainsFunc(b.Notes, func(n Note) bool { return n.At == at && n.String == str })
}

// fit is the evidence for a place of note i.
func (s *search) fit(i, str int, fret float64) (bits float64) {
	e := &s.events[i]
	p := s.page.pitchAt(str, fret)
	switch {
	case s.inChord(e, p):
		bits += inChord
	case s.inKey(p):
		bits += inKeyOnly
	}
	times := s.places[[2]int{str, int(fret)}]
	if str == e.String && fret == e.Fret {
		times-- // itself
	}
	bits += perPlace * math.Log2(float64(1+times))
	if others := s.alike[e.bar]; len(others) > 0 {
		same := 0
		for _, b := range others {
			if s.page.Bars[b].has(e.At, str, fret) {
				same++
			}
		}
		bits += perRepeat * float64(same) / float64(len(others))
	}
	bits += s.position(i, fret)
	for _, way := range []int{-1, 1} {
		if k := s.beside(i, way); k >= 0 {
			bits -= perStep * float64(min(abs(s.events[k].pitch-p), pitch.Octave)) / 100
		}
	}
	if c := s.page.chordOver(e.bar, e.At); c != nil && c.Chord.IsBass(p) && s.lowest(i) {
		bits += bassRoot
	}
	return bits
}

// position is whether notes at the time and next to it stand at the same fret.
func (s *search) position(i int, fret float64) (bits float64) {
	e := &s.events[i]
	for k := max(0, i-6); k < min(len(s.events), i+7); k++ {
		o := &s.events[k]
		if k == i || o.Dead || fret == 0 || o.Fret != fret {
			continue
		}
		if o.time == e.time {
			bits = max(bits, 2*atPosition)
		} else {
			bits = max(bits, atPosition)
		}
	}
	return bits
}

// lowest reports whether note i is the lowest that begins at its time.
func (s *search) lowest(i int) bool {
	for k := range s.page.Bars[s.events[i].bar].Notes {
		if n := &s.page.Bars[s.events[i].bar].Notes[k]; n.At == s.events[i].At && s.page.pitchOf(n) < s.events[i].pitch {
			return false
		}
	}
	return true
}

func (s *search) misprint(e *event, c candidate, gain float64) Finding {
	f := Finding{Line: e.Place.Line, Column: e.Place.Column, Bar: e.bar + 1, Kind: Misprint, Sure: 1 - math.Exp2(-gain)}
	name, meant := pitch.Spell(e.pitch, false), pitch.Spell(s.page.pitchAt(c.str, c.fret), false)
	where := "does not belong to the key"
	if ch := s.page.chordOver(e.bar, e.At); ch != nil {
		where = "belongs neither to the key nor to " + ch.Chord.Name
	}
	if c.str != e.String {
		f.Text = fmt.Sprintf("%s %s; %s, the same fret on string %d, would fit", name, where, meant, c.str)
		for _, blank := range s.page.Bars[e.bar].Blank {
			if blank.At == e.At && blank.String == c.str {
				f.Mend = &Mend{blank.Place.Line, e.Place.Column + blank.Place.Column - s.column(e), fmt.Sprint(c.fret),
					&From{e.Place.Line, e.Place.Column}}
			}
		}
		return f
	}
	f.Text = fmt.Sprintf("%s %s; fret %g would be %s", name, where, c.fret, meant)
	f.Mend = &Mend{Line: e.Place.Line, Column: e.Place.Column, To: fmt.Sprint(c.fret)}
	return f
}

// column is where a note at e's time begins on e's own string.
func (s *search) column(e *event) int {
	for _, blank := range s.page.Bars[e.bar].Blank {
		if blank.At == e.At && blank.String == e.String {
			return blank.Place.Column
		}
	}
	return e.Place.Column
}
