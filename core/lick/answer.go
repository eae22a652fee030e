package lick

import (
	"fmt"
	"slices"

	"stepping/core/pitch"
	"stepping/core/tune"
)

// Answer is a phrase in the rhythm of the bars before it.
const Answer Kind = "answer"

// mostSteps is how many steps of the scale an answer is moved from its call, up or down.
const mostSteps = 4

// answers are phrases for the bars from a bar on (from 1) in answer to as many before it: two bars, or one at the end of the tune. Each has the
// rhythm of the call and its line, moved by some steps of the scale or turned over, and closes on the chord's root, or on the tonic if the chord
// has it. Those that fit their chords are returned.
func answers(tu *tune.Tune, bar int) (out []Proposal) {
	n := min(2, bar-1, len(tu.Bars)-bar+1)
	if bar < 2 || n < 1 {
		return nil
	}
	call := make([][]tune.NewNote, n)
	count := 0
	for b := range n {
		call[b] = tu.BarMelody(bar - n + b)
		if count += len(call[b]); tu.BarLength(bar-n+b-1) != tu.BarLength(bar+b-1) {
			return nil
		}
	}
	if count < 3 {
		return nil
	}
	for _, turned := range []bool{false, true} {
		for by := -mostSteps; by <= mostSteps; by++ {
			if by == 0 && !turned {
				continue
			}
			if pr := answer(tu, call, bar, by, turned); fits(tu, &pr) {
				out = append(out, pr)
			}
		}
	}
	return out
}

// answer is a call moved and turned over.
func answer(tu *tune.Tune, call [][]tune.NewNote, bar, by int, turned bool) Proposal {
	pr := Proposal{Phrase: &Phrase{Name: answerName(by, turned), Kind: Answer}, Bar: bar}
	first := -1
	for b, notes := range call {
		rewrite := tune.Rewrite{Bar: bar + b}
		for _, n := range notes {
			at := stepOf(tu, n.Pitch)
			if first < 0 {
				first = at
			}
			if turned {
				at = 2*first - at
			}
			n.Pitch, n.With = pitchOf(tu, at+by), nil
			rewrite.Notes = append(rewrite.Notes, n)
		}
		pr.Rewrites = append(pr.Rewrites, rewrite)
	}
	for b := len(pr.Rewrites) - 1; b >= 0; b-- {
		notes := pr.Rewrites[b].Notes
		if len(notes) == 0 {
			continue
		}
		last := &notes[len(notes)-1]
		c := tu.ChordOver(tu.Bars[bar+b-1] + last.At)
		home := c.Root.Class()
		if c.Has(tu.Key.Tonic.Pitch()) {
			home = tu.Key.Tonic.Class()
		}
		last.Pitch = nearest(last.Pitch, home)
		break
	}
	for _, r := range pr.Rewrites {
		for _, n := range r.Notes {
			pr.Notes = append(pr.Notes, pitch.Spell(n.Pitch, tu.Key.Flats))
		}
	}
	return pr
}

// answerName says how an answer comes from its call.
func answerName(by int, turned bool) string {
	names := [...]string{"in place", "a second", "a third", "a fourth", "a fifth"}
	name := names[max(by, -by)]
	switch {
	case by > 0:
		name += " up"
	case by < 0:
		name += " down"
	}
	if turned {
		name = "turned over, " + name
	}
	return name
}

// scaleOf is the key's scale as half steps above the tonic.
func scaleOf(tu *tune.Tune) (out []int) {
	scale := pitch.MajorScale
	if tu.Key.Minor {
		scale = pitch.NaturalMinor
	}
	for i := range 12 {
		if scale>>i&1 != 0 {
			out = append(out, i)
		}
	}
	return out
}

// stepOf is the step of the scale nearest below or at a pitch, counted from the tonic of octave 0.
func stepOf(tu *tune.Tune, p pitch.Pitch) int {
	above := int((p - pitch.Midi(tu.Key.Tonic.Class())) / pitch.HalfStep)
	scale := scaleOf(tu)
	octave, in := above/12, above%12
	i, found := slices.BinarySearch(scale, in)
	if !found {
		i--
	}
	return len(scale)*octave + i
}

// pitchOf is the pitch of a step.
func pitchOf(tu *tune.Tune, step int) pitch.Pitch {
	scale := scaleOf(tu)
	octave := step / len(scale)
	return pitch.Midi(tu.Key.Tonic.Class() + 12*octave + scale[step-octave*len(scale)])
}

// nearest is the pitch of a class nearest to p.
func nearest(p pitch.Pitch, class int) pitch.Pitch {
	for d := range 7 {
		for _, q := range []pitch.Pitch{p - pitch.Midi(d), p + pitch.Midi(d)} {
			if midi, _ := q.Nearest(); midi%12 == class {
				return q
			}
		}
	}
	panic(fmt.Sprintf("lick: no pitch of class %d", class)) // seven half steps either way hold all
}
