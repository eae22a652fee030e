package plan

// What marks of a note ask of the hands: a note to be given vibrato wants the slide, or a finger; one to be come to
// from below wants the slide on its way in, or a bend; an accent wants a strong digit; a note left to ring wants its
// strings free.

import (
	"stepping/core/digits"
	"stepping/core/play"
	"stepping/core/tune"
)

// marked reports whether the note that begins at mo has a mark.
func (m *model) marked(mo *moment, mark tune.Marks) bool {
	return mo.note >= 0 && m.req.Tune.Notes[mo.note].Marks&mark != 0
}

// markCost adds what the note's marks cost, held so.
func (m *model) markCost(mo *moment, s *stop, share float64, y *tally) {
	if m.marked(mo, tune.Vibrato) {
		switch s.how {
		case play.Open, play.Harmonic:
			y.add(play.Tone, share*m.w.VibratoFree)
		case play.Fret, play.Tapped:
			y.add(play.Tone, share*m.w.VibratoFret)
		}
	}
	if m.marked(mo, tune.Scoop) && s.how != play.Slide && s.how != play.Bend {
		y.add(play.Tone, share*m.w.ScoopFret)
	}
}

// accents adds to the ways to pluck an accented note what a weak digit costs.
func (m *model) accents(mo *moment, ways []pluck) {
	if !m.marked(mo, tune.Accent) {
		return
	}
	for i := range ways {
		if ways[i].at[digits.A] != 0 {
			ways[i].cost = play.Exact(ways[i].cost + m.w.AccentRing)
		}
	}
}

// legatoCost is what an accent costs on a note that is hammered, pulled off or carried on to.
func (m *model) legatoCost(mo *moment) float64 {
	if m.marked(mo, tune.Accent) {
		return m.w.AccentLegato
	}
	return 0
}

// ringMarked lets strings ring from a note that is tied to nothing on, for as long again as it is written.
func (m *model) ringMarked() {
	for _, n := range m.req.Tune.Notes {
		if n.Marks&tune.LetRing == 0 {
			continue
		}
		for t := range m.moments {
			if at := m.moments[t].at; at > n.At && at < n.End()+n.Dur {
				m.moments[t].pins.ringing = true
			}
		}
	}
}
