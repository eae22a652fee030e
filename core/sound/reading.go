package sound

import (
	"cmp"
	"slices"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Reading is a tune as it is written, before anything is planned: every voice of the melody on a string of its own, the bass on string 6,
// each note as long as it lasts. With its chords their roots, fifths and thirds are struck on strings 6 to 4 where they change.
func Reading(tu *tune.Tune, chords bool) Played {
	p := Played{Tune: tu, Tuning: standard(), Tempo: tu.Tempos[0].BPM}
	at := map[tune.Time]*play.Moment{}
	moment := func(t tune.Time) *play.Moment {
		if at[t] == nil {
			at[t] = &play.Moment{At: t, Bar: tu.BarOver(t) + 1}
			for s := range at[t].Strings {
				at[t].Strings[s].State = play.Rings
			}
		}
		return at[t]
	}
	ends := func(n *tune.Note, strings ...int) {
		if n.Marks&tune.LetRing == 0 && n.End() < tu.Length {
			for _, s := range strings {
				moment(n.End()).Strings[s-1] = play.StringState{State: play.Silenced, By: play.Damper(play.I)}
			}
		}
	}
	for i := range tu.Notes {
		n := &tu.Notes[i]
		mo := moment(n.At)
		var on []int
		for v, note := range n.Voices() {
			s := &play.Stroke{Part: play.Melody, Voice: v, String: 1 + v, How: play.Fret, Digit: play.I, Note: note, Dur: n.Dur, Index: i}
			if on = append(on, s.String); v == 0 {
				mo.Melody = s
			} else {
				mo.With = append(mo.With, s)
			}
		}
		ends(n, on...)
	}
	for i := range tu.Bass {
		n := &tu.Bass[i]
		moment(n.At).Thumb = &play.Stroke{Part: play.Thumb, String: tuning.Strings, How: play.Fret, Digit: play.P, Note: n.Note, Dur: n.Dur}
		ends(n, tuning.Strings)
	}
	for i := range tu.Chords {
		if c := &tu.Chords[i]; chords {
			chordStrokes(moment(c.At), &c.Chord)
		}
	}
	for _, mo := range at {
		p.Moments = append(p.Moments, *mo)
	}
	slices.SortFunc(p.Moments, func(a, b play.Moment) int { return cmp.Compare(a.At, b.At) })
	return p
}

// chordStrokes adds a chord to a moment: the first three of its tones from E2 on, on strings that nothing else is struck on there.
func chordStrokes(mo *play.Moment, c *chord.Chord) {
	taken := map[int]bool{}
	for _, s := range mo.Strokes() {
		taken[s.String] = true
	}
	low := lowestRoot + (c.Bass.Class()-lowestRoot%12+12)%12
	above := (c.Root.Class() - c.Bass.Class() + 12) % 12
	for i, iv := range c.Tones[:min(3, len(c.Tones))] {
		str := tuning.Strings - i
		if taken[str] {
			continue
		}
		mo.With = append(mo.With, &play.Stroke{Part: play.Thumb, String: str, How: play.Fret, Digit: play.P,
			Note: pitch.Spell(pitch.Midi(low+(above+iv)%12+12*min(i, 1)), c.Root.Alter < 0)})
	}
}

// lowestRoot is E2.
const lowestRoot = 40

// standard is the tuning whose strings these are: how long each rings depends on it.
func standard() tuning.Tuning {
	t, err := tuning.Parse("Standard")
	if err != nil {
		panic(err) // it is in the library
	}
	return t
}
