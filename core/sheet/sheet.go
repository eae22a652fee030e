// Package sheet is what leaves the program as notation: a tune, and how a plan plays it, note by note. The writers of
// MusicXML, MIDI and ABC are given sheets. Times are those of the tune.
package sheet

import (
	"strconv"

	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/score"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Sheet is what leaves the program as notation: a tune, and how a plan plays it. Times are those of the tune.
type Sheet struct {
	Tune   *tune.Tune
	Tempo  float64 // quarter notes a minute at the start
	Tuning *tuning.Tuning
	Capo   int
	Melody []Played // every pitch of every note, in time, of a chord the highest first
	Thumb  []Played
	Hits   []Hit
}

// Played is one note of a sheet.
type Played struct {
	At, Dur tune.Time
	Note    pitch.Note
	Voice   int // of notes struck together, 0 the highest
	Marks   tune.Marks
	Lyric   string
	On      *score.Spot // where; nil in a sheet without a plan
	From    float64     // fret that a glide, hammer, pull or bend comes from
}

// End is when it stops.
func (p *Played) End() tune.Time { return p.At + p.Dur }

// Hit is percussion, of thumb.Hits.
type Hit struct {
	At   tune.Time
	What string
}

// Of is a tune without a plan.
func Of(tu *tune.Tune) *Sheet {
	s := &Sheet{Tune: tu, Tempo: tu.Tempos[0].BPM}
	for i := range tu.Notes {
		s.addNote(i, nil)
	}
	for i := range tu.Bass {
		n := &tu.Bass[i]
		s.Thumb = append(s.Thumb, Played{At: n.At, Dur: n.Dur, Note: n.Note, Marks: n.Marks})
	}
	return s
}

// addNote adds note i of the melody; strokes are how its voices are played, if that is known.
func (s *Sheet) addNote(i int, strokes []*play.Stroke) {
	n := &s.Tune.Notes[i]
	for v, note := range n.Voices() {
		p := Played{At: n.At, Dur: n.Dur, Note: note, Voice: v, Marks: n.Marks}
		if v == 0 {
			p.Lyric = n.Lyric
		}
		if v < len(strokes) && strokes[v] != nil {
			p.On, p.From = spotOf(strokes[v]), strokes[v].From
		}
		s.Melody = append(s.Melody, p)
	}
}

// OfPlan is a plan. Notes of the thumb last to its next stroke, or as long as the plan says if that is sooner.
func OfPlan(p *plan.Plan) *Sheet {
	r := &p.Request
	s := &Sheet{Tune: r.Tune, Tempo: p.Tempo(), Tuning: &r.Tuning, Capo: r.Capo}
	for t := range p.Moments {
		mo := &p.Moments[t]
		if mo.Melody != nil {
			s.addNote(mo.Melody.Index, append([]*play.Stroke{mo.Melody}, mo.With...))
		}
		if th := mo.Thumb; th != nil {
			if n := len(s.Thumb); n > 0 && s.Thumb[n-1].End() > mo.At {
				s.Thumb[n-1].Dur = mo.At - s.Thumb[n-1].At
			}
			dur := min(max(th.Dur, th.Asked, 1), r.Tune.Length-mo.At)
			s.Thumb = append(s.Thumb, Played{At: mo.At, Dur: dur, Note: th.Note, On: spotOf(th), From: th.From})
		}
		if mo.Hit != "" {
			s.Hits = append(s.Hits, Hit{mo.At, mo.Hit})
		}
	}
	return s
}

// spotOf is where and how a stroke is played.
func spotOf(st *play.Stroke) *score.Spot {
	out := &score.Spot{String: st.String, Fret: st.Fret, How: st.How, Digit: st.Digit}
	switch n, err := strconv.Atoi(st.Finger); {
	case err == nil:
		out.Finger = n
	case st.Finger == "T":
		out.Finger = 5
	}
	return out
}

// Divisions is the least number of parts of a quarter in which all times of the sheet are whole.
func (s *Sheet) Divisions() tune.Time {
	g := tune.Quarter
	add := func(t tune.Time) {
		for t != 0 {
			g, t = t, g%t
		}
	}
	for _, notes := range [][]Played{s.Melody, s.Thumb} {
		for i := range notes {
			add(notes[i].At)
			add(notes[i].Dur)
		}
	}
	for _, at := range s.Tune.Bars {
		add(at)
	}
	for i := range s.Tune.Chords {
		add(s.Tune.Chords[i].At)
	}
	for i := range s.Tune.Meters {
		add(s.Tune.Meters[i].At)
	}
	for i := range s.Tune.Tempos {
		add(s.Tune.Tempos[i].At)
	}
	add(s.Tune.Length)
	return tune.Quarter / g
}
