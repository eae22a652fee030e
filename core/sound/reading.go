package sound

import (
	"cmp"
	"slices"

	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Reading is a tune as it is written, before anything is planned: every voice of the melody on a string of its own, the bass on string 6,
// each note as long as it lasts.
func Reading(tu *tune.Tune) Played {
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
	for _, mo := range at {
		p.Moments = append(p.Moments, *mo)
	}
	slices.SortFunc(p.Moments, func(a, b play.Moment) int { return cmp.Compare(a.At, b.At) })
	return p
}

// standard is the tuning whose strings these are: how long each rings depends on it.
func standard() tuning.Tuning {
	t, err := tuning.Parse("Standard")
	if err != nil {
		panic(err) // it is in the library
	}
	return t
}
