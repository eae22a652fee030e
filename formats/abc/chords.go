package abc

import (
	"slices"
	"strings"

	"stepping/core/tune"
)

// chordNotes reads [CEG].
func (p *parser) chordNotes() error {
	at := p.pos
	p.pos++
	var notes []note
	var dur tune.Time
	for p.pos < len(p.text) && p.text[p.pos] != ']' {
		if again, err := p.insideChord(notes); err != nil {
			return err
		} else if again {
			continue
		}
		n, err := p.pitch()
		if err != nil {
			return err
		}
		d, err := p.length()
		if err != nil {
			return err
		}
		if len(notes) == 0 {
			dur = d
		}
		if !slices.ContainsFunc(notes, func(o note) bool { return o.Pitch() == n.Pitch() }) && len(notes) < maxChordNotes {
			notes = append(notes, note{n, false})
		}
	}
	if p.pos >= len(p.text) || len(notes) == 0 {
		return p.fail(at, "these notes in brackets are not closed or empty: write [DF]")
	}
	p.pos++
	outer, err := p.length()
	if err != nil {
		return err
	}
	slices.SortStableFunc(notes, func(a, b note) int { return int(b.Pitch() - a.Pitch()) })
	// The lengths multiply; both are in units of L. Whole units are taken out first, so that the product stays small.
	unit := p.noteUnit()
	product := dur / unit * outer
	if rest := dur % unit; rest != 0 {
		if rest*(outer%unit)%unit != 0 {
			return p.fail(at, "the length of these notes is out of bounds")
		}
		product += outer/unit*rest + rest*(outer%unit)/unit
	}
	if product <= 0 || product > 64*tune.Whole {
		return p.fail(at, "the length of these notes is out of bounds")
	}
	return p.sound(item{kind: noteItem, notes: notes, dur: product, place: p.place(at)}, at)
}

// insideChord reads what is no note inside [ ]; again is false at a note.
func (p *parser) insideChord(notes []note) (again bool, err error) {
	switch c := p.text[p.pos]; {
	case c == '-':
		if len(notes) > 0 {
			notes[len(notes)-1].tied = true
		}
	case c == '.':
		p.marks |= tune.Staccato
	case c == '!' || c == '+':
		p.decoration(c)
		return true, nil
	case c == '"':
		return true, p.quoted()
	case strings.IndexByte(" \t()`", c) >= 0:
	case strings.IndexByte("^_=", c) >= 0 || fifthsIndex(c) != 0:
		return false, nil
	case isSymbol(c):
		p.decorate(p.symbols[c], p.pos)
	default:
		return false, p.fail(p.pos, "put notes inside [ ], like [DF], or a field, like [K:G]")
	}
	p.pos++
	return true, nil
}
