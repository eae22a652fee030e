package lick

import (
	"context"
	"math/rand/v2"
	"slices"
	"testing"

	"stepping/core/chord"
	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
)

// Every mix of a held bar sounds chord tones under the slide, leaves the thumb its strings, and comes
// from plain to busy; every place of a lick is the same shape with what the notes are there.
func TestMixesAndLicks(t *testing.T) {
	held, places := 0, 0
	rng := rand.New(rand.NewPCG(7, 7))
	pl := player.Default()
	pl.Lean = player.LeanSlide
	for seed := range uint64(6) {
		tu := coretest.Line('D', 70, tune.Quarter, "D G A", coretest.Notes(69, 74, 69, 66, 71, 74, 79, 71, 73, 76, 81, 73)...)
		if seed%2 == 1 {
			tu = coretest.Wander(seed, 24)
		}
		p := solve(t, plan.Request{Tune: tu, Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[seed%3]), Player: pl,
			Thumb: pattern.Alternating})
		for i := range p.Moments {
			mo := &p.Moments[i]
			if h, ok := HeldBar(p, i); ok {
				held++
				last := -1
				for _, m := range h.Mixes {
					if m.Busy <= last {
						t.Errorf("mixes out of order: %+v", h.Mixes)
					}
					last = m.Busy
					for k, s := range m.Strings {
						if pin := m.Pins[k]; pin.String != s || pin.Fret != h.Fret {
							t.Errorf("string %d is pinned as %+v", s, pin)
						}
						at := p.Request.Tuning.Open(s) + pitch.Pitch(100*h.Fret)
						if !mo.Chord.Has(at) || chord.IntervalName(mo.Chord.Interval(at)) != m.Degrees[k] || mo.Thumb != nil && mo.Thumb.String == s {
							t.Errorf("string %d at %v over %s is called %s", s, h.Fret, mo.Chord.Name, m.Degrees[k])
						}
					}
				}
			}
			if mo.Melody == nil {
				continue
			}
			own := BarNotes(p, i)
			if !slices.Contains(own, i) {
				t.Errorf("moment %d is not in its bar: %v", i, own)
			}
			if lick := slices.DeleteFunc(own, func(int) bool { return rng.IntN(3) == 0 }); len(lick) > 0 {
				places += checkLick(t, p, lick)
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

// checkLick: at each place the notes stand as long after the bar line as they did, on the strings and
// frets of their pins, which sound them; the shape is the old one moved as said; all other notes of the
// tune are what they were, cut short at most. It returns the number of places.
func checkLick(t *testing.T, p *plan.Plan, lick []int) int {
	tu := p.Request.Tune
	l := Of(p, lick)
	for _, pc := range l.Places {
		out, err := tu.Rewritten(pc.Rewrites)
		if err != nil || len(pc.Pins) != len(lick) || pc.Tones < 1 {
			t.Fatalf("%v: %+v", err, pc)
		}
		from, to := tu.Bars[p.Moments[lick[0]].Bar-1], tu.Bars[pc.Bar-1]
		put := map[tune.Time]bool{}
		for k, i := range lick {
			s, pin := p.Moments[i].Melody, pc.Pins[k]
			at := to + p.Moments[i].At - from
			n := slices.IndexFunc(out.Notes, func(n tune.Note) bool { return n.At == at })
			put[at] = true
			if n < 0 || pin.At != at || out.Notes[n].Note.Pitch() != s.Note.Pitch()+pitch.Midi(pc.Shift) ||
				out.Notes[n].Note.Pitch() != pc.Pitches[k] {
				t.Fatalf("note %d of %v at %v: %+v", k, lick, at, pc)
			}
			if pin.String != s.String+pc.Over || pc.Over == 0 && s.How != play.Harmonic && pin.Fret != s.Fret+float64(pc.Shift) {
				t.Errorf("string %d, fret %v became %+v", s.String, s.Fret, pc)
			}
			if pin.How != play.Harmonic && p.Request.Tuning.Open(pin.String)+pitch.Pitch(100*pin.Fret) != pc.Pitches[k] {
				t.Errorf("string %d at %v does not sound %v", pin.String, pin.Fret, pc.Pitches[k])
			}
			if c := tu.ChordOver(at); chord.IntervalName(c.Interval(pc.Pitches[k])) != pc.Degrees[k] {
				t.Errorf("%v over %s is called %s", pc.Pitches[k], c.Name, pc.Degrees[k])
			}
		}
		for _, n := range out.Notes {
			old := slices.IndexFunc(tu.Notes, func(o tune.Note) bool { return o.At == n.At && o.Note == n.Note && o.Dur >= n.Dur })
			if old < 0 && !put[n.At] {
				t.Errorf("a note at %v came from nowhere: %+v", n.At, pc)
			}
		}
	}
	return len(l.Places)
}

func solve(t *testing.T, r plan.Request) *plan.Plan {
	t.Helper()
	p, err := plan.Solve(context.Background(), r)
	if err != nil {
		t.Fatal(err)
	}
	return p
}
