package score

import (
	"cmp"
	"fmt"
	"slices"

	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/tune"
)

// DefaultTempo is that of music without one, in quarter notes a minute.
const DefaultTempo = 100

// Tune takes voices in their roles: as the melody one line, whose notes are cut where the next begins, with up to
// tune.MaxWith notes under the highest; as the bass one note at a time. Where the file says how a note is played, it
// becomes a pin. The warnings say what the tune does not hold. The error is for people: a score without notes and
// chords, a voice that is not there.
func (s *Score) Tune(r Roles) (*tune.Tune, []play.Pin, []Warning, error) {
	voices := s.Voices()
	if len(voices) == 0 {
		r = Roles{Bass: -1}
	}
	for _, v := range append([]int{r.Melody, r.Bass}, r.Inner...) {
		if v < -1 || v >= max(len(voices), 1) || v == -1 && r.Melody == v {
			return nil, nil, nil, fmt.Errorf("voice %d: this piece has voices 0 to %d", v, len(voices)-1)
		}
	}
	if r.Bass == r.Melody {
		return nil, nil, nil, fmt.Errorf("voice %d: it cannot be both melody and bass", r.Bass)
	}
	m := melody{score: s, tune: s.frame()}
	if len(voices) > 0 {
		notes, inner := voices[r.Melody].Notes, []Note(nil)
		if r.Bass >= 0 {
			inner = m.takeBass(voices[r.Bass].Notes)
		}
		for _, v := range r.Inner {
			inner = append(inner, voices[v].Notes...)
		}
		m.take(m.withInner(notes, inner))
		slices.SortStableFunc(m.pins, func(a, b play.Pin) int { return cmp.Compare(a.At, b.At) })
	}
	if len(m.tune.Notes) == 0 && len(m.tune.Chords) == 0 {
		return nil, nil, nil, &Fault{1, 1, "it has no notes and no chords: choose another voice, or write a melody"}
	}
	if m.lost > 0 {
		m.warn(m.lostAt, "more than %d notes at once: the highest are read, the others left out: %d", 1+tune.MaxWith, m.lost)
	}
	if oneLine := len(voices) > 0 && voices[r.Melody].Number >= 0 && m.between == 0; m.cut > 0 && oneLine && !s.Free {
		m.warn(m.cutAt, "overlapping notes in one voice, cut short where the next begins: %d", m.cut)
	}
	if m.between > 0 {
		m.warn(m.betweenAt, "inner-voice notes played as part of the melody, cutting longer melody notes short: %d", m.between)
	}
	if m.rounded > 0 {
		m.warn(tune.Place{}, "%d times fell between what is counted here and were moved by less than a thousandth of a beat", m.rounded)
	}
	return m.tune, m.pins, m.warnings, nil
}

type melody struct {
	score         *Score
	tune          *tune.Tune
	pins          []play.Pin
	warnings      []Warning
	lost, rounded int
	lostAt        tune.Place // of the first
	cut           int        // notes of a voice that overlap
	cutAt         tune.Place
	between       int // notes of inner voices that begin with none of the melody
	betweenAt     tune.Place
}

func (m *melody) warn(at tune.Place, format string, args ...any) {
	m.warnings = append(m.warnings, Warning{max(at.Line, 1), max(at.Column, 1), fmt.Sprintf(format, args...)})
}

func (m *melody) lose(n int, at tune.Place) {
	if m.lost == 0 {
		m.lostAt = at
	}
	m.lost += n
}

// frame is the tune without its notes.
func (s *Score) frame() *tune.Tune {
	tu := &tune.Tune{Title: s.Title, Key: s.Key, Printed: s.Printed}
	if tu.Key.Tonic.Letter == 0 {
		tu.Key = s.GuessKey()
	}
	tu.Length, _ = s.Time(s.Length)
	for _, at := range s.Bars {
		t, _ := s.Time(at)
		tu.Bars = append(tu.Bars, t)
	}
	if len(tu.Bars) == 0 {
		tu.Bars = []tune.Time{0}
	}
	for _, x := range s.Meters {
		if t, _ := s.Time(x.At); t < tu.Length {
			tu.Meters = append(tu.Meters, tune.MeterAt{At: t, Num: x.Num, Den: x.Den})
		}
	}
	if s.Swing >= tune.Straight && s.Swing <= tune.MostSwing {
		tu.Swing = s.Swing
	}
	for _, x := range s.Tempos {
		if t, _ := s.Time(x.At); t < tu.Length {
			tu.Tempos = append(tu.Tempos, tune.TempoAt{At: t, BPM: x.BPM})
		}
	}
	for _, x := range s.Chords {
		if t, _ := s.Time(x.At); t < tu.Length {
			tu.Chords = append(tu.Chords, tune.ChordAt{At: t, Chord: x.Chord})
		}
	}
	if len(tu.Meters) == 0 || tu.Meters[0].At > 0 {
		tu.Meters = append([]tune.MeterAt{{At: 0, Num: 4, Den: 4}}, tu.Meters...)
	}
	if len(tu.Tempos) == 0 || tu.Tempos[0].At > 0 {
		tu.Tempos = append([]tune.TempoAt{{At: 0, BPM: DefaultTempo}}, tu.Tempos...)
	}
	return tu
}

// take adds the notes, those that begin together as one.
func (m *melody) take(notes []Note) {
	for i := 0; i < len(notes); {
		n := i + 1
		for n < len(notes) && notes[n].At == notes[i].At {
			n++
		}
		m.add(slices.Clone(notes[i:n]), m.next(notes, n))
		i = n
	}
}

// add adds notes that begin together and end where the next begin.
func (m *melody) add(group []Note, next Units) {
	slices.SortStableFunc(group, func(a, b Note) int { return cmp.Compare(b.Note.Pitch(), a.Note.Pitch()) })
	group = slices.CompactFunc(group, func(a, b Note) bool { return a.Note.Pitch() == b.Note.Pitch() })
	if more := len(group) - 1 - tune.MaxWith; more > 0 {
		m.lose(more, group[0].Place)
		group = group[:1+tune.MaxWith]
	}
	first := &group[0]
	at, end, ok := m.span(first, next)
	if !ok {
		return
	}
	n := tune.Note{At: at, Dur: end - at, Note: first.Note, Place: first.Place, Lyric: first.Lyric}
	for v := range group {
		g := &group[v]
		n.Marks |= g.Marks
		if v > 0 {
			n.With = append(n.With, g.Note)
			if n.Lyric == "" {
				n.Lyric = g.Lyric
			}
		}
		if g.On != nil {
			m.pins = append(m.pins, g.On.pin(at, v))
		}
	}
	m.tune.Notes = append(m.tune.Notes, n)
}

// span is when n begins and stops, next being when the next one begins; ok is false if nothing is left of it.
func (m *melody) span(n *Note, next Units) (at, end tune.Time, ok bool) {
	at, exact := m.score.Time(n.At)
	end, exactly := m.score.Time(min(n.End(), next))
	if !exact || !exactly {
		m.rounded++
	}
	if n.End() > next {
		if m.cut++; m.cut == 1 {
			m.cutAt = n.Place
		}
	}
	if end <= at {
		m.lose(1, n.Place)
		return at, end, false
	}
	return at, end, true
}

// pin is the spot as a choice for a note of the melody.
func (s *Spot) pin(at tune.Time, voice int) play.Pin {
	return play.Pin{At: at, Part: play.Melody, Voice: voice, String: s.String, Fret: s.Fret, How: s.How, Finger: s.Finger, Digit: s.Digit}
}

// GuessKey is the major or minor key that most of the sounding time belongs to, of equals the one whose tonic
// the lowest note at the end or at the beginning is, or the first chord.
func (s *Score) GuessKey() tune.Key {
	var weight [12]float64
	var first, last *Note // the lowest of those that begin first, and that end last
	for _, v := range s.pitched() {
		for i := range v.Notes {
			n := &v.Notes[i]
			weight[n.Note.Class()] += float64(n.Dur)
			if first == nil || n.At < first.At || n.At == first.At && n.Note.Pitch() < first.Note.Pitch() {
				first = n
			}
			if last == nil || n.End() > last.End() || n.End() == last.End() && n.Note.Pitch() < last.Note.Pitch() {
				last = n
			}
		}
	}
	best, most := tune.Key{Tonic: pitch.Note{Letter: 'C'}}, -1.0
	for tonic := range 12 {
		for _, minor := range []bool{false, true} {
			scale := pitch.MajorScale
			if minor {
				scale = pitch.NaturalMinor
			}
			in, total := 0.0, 0.0
			for k, w := range weight {
				total += w
				if scale>>((k-tonic+12)%12)&1 != 0 {
					in += w
				}
			}
			bonus := 0.0
			if last != nil && last.Note.Class() == tonic {
				bonus += 0.04 * total
			}
			if first != nil && first.Note.Class() == tonic {
				bonus += 0.02 * total
			}
			if len(s.Chords) > 0 && s.Chords[0].Chord.Root.Class() == tonic && s.Chords[0].Chord.Classes()>>((tonic+3)%12)&1 != 0 == minor {
				bonus += 0.05 * total
			}
			if in+bonus > most+1e-9 {
				most = in + bonus
				best = tune.Key{Tonic: pitch.Usual.Class(tonic), Minor: minor, Flats: pitch.Usual.Class(tonic).Alter < 0 || !minor && tonic == 5}
			}
		}
	}
	return best
}
