package tune

import (
	"cmp"
	"fmt"
	"slices"

	"stepping/core/pitch"
)

// Mend is a change of one note of a tune that was read: its pitch, its length, or the voice that it belongs to.
type Mend struct {
	At    Time   `json:"at"`
	Bass  bool   `json:"bass,omitempty"`  // it is a note of the bass …
	Voice int    `json:"voice,omitempty"` // … or of those struck together this one, 0 the highest
	Pitch string `json:"pitch,omitempty"` // "F#4"; "": it stays
	Dur   Time   `json:"dur,omitempty"`   // 0: it stays; of the melody all that are struck together
	To    Line   `json:"to,omitempty"`    // "": it stays
}

// Line is where a note belongs.
type Line string

// The lines. Nowhere leaves the note out.
const (
	InMelody Line = "melody"
	InBass   Line = "bass"
	Nowhere  Line = "none"
)

// Mended returns the tune with a change. The error says what cannot be, in a sentence.
func (tu *Tune) Mended(m *Mend) (*Tune, error) {
	out := *tu
	out.Notes, out.Bass = slices.Clone(tu.Notes), slices.Clone(tu.Bass)
	from := &out.Notes
	if m.Bass {
		from = &out.Bass
	}
	i := slices.IndexFunc(*from, func(n Note) bool { return n.At == m.At })
	if i < 0 || m.Voice < 0 || m.Voice > len((*from)[i].With) {
		return nil, fmt.Errorf("there is no longer a note at beat %s: reload the page", m.At)
	}
	n := (*from)[i]
	p := n.Voices()[m.Voice]
	if m.Pitch != "" {
		var octave bool
		var err error
		if p, octave, err = pitch.Parse(m.Pitch); err != nil || !octave {
			return nil, fmt.Errorf("%q is not a note: give its letter and octave, like F#4", m.Pitch)
		}
	}
	if m.Dur != 0 {
		if err := out.stretch(*from, i, m.Dur); err != nil {
			return nil, err
		}
		n.Dur = m.Dur
	}
	*from = without(*from, i, m.Voice)
	to := m.To
	if to == "" {
		to = InMelody
		if m.Bass {
			to = InBass
		}
	}
	return &out, out.put(to, &n, p)
}

// stretch gives note i of a line another length.
func (tu *Tune) stretch(line []Note, i int, dur Time) error {
	end := tu.Length
	if i+1 < len(line) {
		end = line[i+1].At
	}
	if dur < 0 || line[i].At+dur > end {
		return fmt.Errorf("the next note of this voice, or the end, comes after %s beats: that is the longest it can be", end-line[i].At)
	}
	line[i].Dur = dur
	return nil
}

// without takes one of the notes struck together at i out of a line.
func without(line []Note, i, voice int) []Note {
	n := &line[i]
	if len(n.With) == 0 {
		return slices.Delete(line, i, i+1)
	}
	voices := slices.Delete(n.Voices(), voice, voice+1)
	n.Note, n.With = voices[0], voices[1:]
	return line
}

// put adds a note to a line: to those that are struck there, or between others, which give way.
func (tu *Tune) put(to Line, was *Note, p pitch.Note) error {
	line := &tu.Notes
	switch to {
	case Nowhere:
		if len(tu.Notes) == 0 {
			return fmt.Errorf("this is the only note left: a tune needs at least one")
		}
		return nil
	case InBass:
		line = &tu.Bass
	case InMelody:
	default:
		return fmt.Errorf("%q: a note belongs to the melody, the bass, or is left out (none)", to)
	}
	i, found := slices.BinarySearchFunc(*line, was.At, func(n Note, at Time) int { return cmp.Compare(n.At, at) })
	switch {
	case found && to == InBass:
		return fmt.Errorf("there is already a bass note there: the thumb plays one at a time")
	case found:
		return (*line)[i].join(p)
	}
	n := *was
	n.Note, n.With = p, nil
	if i < len(*line) {
		n.Dur = min(n.Dur, (*line)[i].At-n.At)
	}
	if i > 0 && (*line)[i-1].End() > n.At {
		(*line)[i-1].Dur = n.At - (*line)[i-1].At
	}
	if *line = slices.Insert(*line, i, n); len(tu.Notes) == 0 {
		return fmt.Errorf("this is the only note left: a tune needs at least one")
	}
	return nil
}

// join strikes p with the note.
func (n *Note) join(p pitch.Note) error {
	voices := n.Voices()
	switch {
	case slices.ContainsFunc(voices, func(v pitch.Note) bool { return v.Pitch() == p.Pitch() }):
		return fmt.Errorf("%s is already there", p)
	case len(voices) > MaxWith:
		return fmt.Errorf("there are already %d notes there, which is the most", len(voices))
	}
	voices = append(voices, p)
	slices.SortStableFunc(voices, func(a, b pitch.Note) int { return cmp.Compare(b.Pitch(), a.Pitch()) })
	n.Note, n.With = voices[0], voices[1:]
	return nil
}
