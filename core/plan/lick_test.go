package plan

import (
	"slices"
	"testing"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/player"
	"stepping/core/thumb"
	"stepping/core/tune"
)

// Every mix of a held bar sounds chord tones under the slide, leaves the thumb its strings, and comes
// from plain to busy; every place of a lick is the same shape with what the notes are there.
func TestMixesAndLicks(t *testing.T) {
	held, places := 0, 0
	pl := player.Default()
	pl.Lean = player.LeanSlide
	for seed := range uint64(6) {
		tu := line('D', 70, tune.Quarter, "D G A", notes(69, 74, 69, 66, 71, 74, 79, 71, 73, 76, 81, 73)...)
		if seed%2 == 1 {
			tu = wander(seed, 24)
		}
		p := solve(t, Request{Tune: tu, Tuning: mustTuning([]string{"Open D", "Open G", "Standard"}[seed%3]), Player: pl, Thumb: thumb.Alternating})
		for i := range p.Moments {
			mo := &p.Moments[i]
			if h, ok := p.HeldBar(i); ok {
				held++
				last := -1
				for _, m := range h.Mixes {
					if m.Busy <= last {
						t.Errorf("mixes out of order: %+v", h.Mixes)
					}
					last = m.Busy
					for k, s := range m.Strings {
						at := p.Request.Tuning.Open(s) + pitch.Pitch(100*h.Fret)
						if !mo.Chord.Has(at) || chord.IntervalName(mo.Chord.Interval(at)) != m.Degrees[k] || mo.Thumb != nil && mo.Thumb.String == s {
							t.Errorf("string %d at %v over %s is called %s", s, h.Fret, mo.Chord.Name, m.Degrees[k])
						}
					}
				}
			}
			l := p.LickOf(i)
			for _, pc := range l.Places {
				places++
				if len(pc.Degrees) != len(l.Degrees) || pc.Tones < 1 || pc.Shift == 0 && pc.Chord == mo.Chord.Name && slices.Equal(pc.Degrees, l.Degrees) && tu.BarOver(mo.At)+1 == pc.Bar {
					t.Errorf("%+v of %+v", pc, l)
				}
			}
		}
		if hard := p.Coordinations(3); len(hard) == 0 || len(hard) > 3 || hard[0].Text == "" || len(hard) > 1 && hard[1].Load > hard[0].Load {
			t.Errorf("%+v", hard)
		}
	}
	if held == 0 || places == 0 {
		t.Errorf("%d held bars, %d places", held, places)
	}
}
