package plandoc

import (
	"fmt"

	"stepping/core/backing"
	"stepping/core/chord"
	"stepping/core/grip"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/tuning"
)

// Held is one chord of a progression with its grip.
type Held struct {
	At     string   `json:"at"`
	Bar    int      `json:"bar"`
	Chord  string   `json:"chord"`
	Grip   Grip     `json:"grip"`
	Stays  []string `json:"stays"` // fingers that stay from the grip before
	Change *Change  `json:"change,omitempty"`
}

// Change is the way into a grip.
type Change struct {
	What  string  `json:"what"`
	Need  float64 `json:"needSeconds"`
	There float64 `json:"thereSeconds"`
	BPM   float64 `json:"bpm"`
	Early *Early  `json:"early,omitempty"`
}

// Early is what an open string on the last stroke before a change buys.
type Early struct {
	String int     `json:"string"`
	There  float64 `json:"thereSeconds"`
	BPM    float64 `json:"bpm"`
}

// Grip is one way to hold a chord. Lists go from string 6 to string 1.
type Grip struct {
	Frets    []*int        `json:"frets"`   // null for a string left out, the capo's fret for an open one
	Fingers  []string      `json:"fingers"` // "" for none, "T" for the thumb over the neck
	Bars     []GripBar     `json:"bars"`
	Stretch  float64       `json:"stretchMm"`
	Silenced []GripSilence `json:"silenced"` // what keeps each left-out string silent
	Name     string        `json:"name"`     // what really sounds
	Thumb    []GripThumb   `json:"thumb"`    // strings for the thumb, the best of each role first
	Cost     float64       `json:"cost"`
}

// GripBar is a finger over several strings.
type GripBar struct {
	Finger string `json:"finger"`
	Fret   int    `json:"fret"`
	From   int    `json:"from"`
	To     int    `json:"to"`
}

// GripSilence is what keeps a left-out string silent.
type GripSilence struct {
	String int         `json:"string"`
	By     play.Damper `json:"by"`
}

// GripThumb is a string that can take a role of the thumb.
type GripThumb struct {
	Role   string `json:"role"`
	String int    `json:"string"`
}

// thumbLimit is the fit above which a string is not offered for a role.
const thumbLimit = 1.0

// NewGrip writes g for chord c.
func NewGrip(t grip.Guitar, c chord.Chord, g *grip.Grip) Grip {
	out := Grip{Bars: []GripBar{}, Silenced: []GripSilence{}, Thumb: []GripThumb{}, Stretch: round(g.Stretch), Name: t.Name(g), Cost: round(g.Cost)}
	for s := tuning.Strings; s >= 1; s-- {
		out.Fingers = append(out.Fingers, grip.FingerName(g.Fingers[s]))
		if g.Frets[s] == grip.Out {
			out.Frets = append(out.Frets, nil)
			out.Silenced = append(out.Silenced, GripSilence{s, g.By[s]})
			continue
		}
		fret := g.Frets[s]
		out.Frets = append(out.Frets, &fret)
	}
	for _, b := range g.Bars() {
		out.Bars = append(out.Bars, GripBar{grip.FingerName(b.Finger), b.Fret, b.From, b.To})
	}
	for _, ts := range t.ThumbStrings(c, g) {
		if ts.Fit <= thumbLimit {
			out.Thumb = append(out.Thumb, GripThumb{ts.Role.String(), ts.String})
		}
	}
	return out
}

// NewBacking makes the document of a backing: a plan document with the grips.
func NewBacking(b *backing.Backing) *Doc {
	r := &b.Request
	tempo := r.Tempo
	if tempo == 0 {
		tempo = r.Tune.Tempos[0].BPM
	}
	t := grip.Guitar{Tuning: r.Tuning, Capo: r.Capo, Player: r.Player}
	d := &Doc{
		Version: Version, Title: r.Tune.Title, Tuning: r.Tuning.Spelled(), Capo: r.Capo, Tempo: tempo, Thumb: string(pattern.None), Player: r.Player,
		Patterns: r.Sections, Pins: []Pin{}, Dropped: []Dropped{}, Total: round(b.Total), Proof: Proof{"bound", round(b.Gap)},
		Ceiling: Ceiling{b.Ceiling.BPM, b.Ceiling.At.String(), b.Ceiling.Why}, Bars: make([]float64, len(r.Tune.Bars)),
	}
	if b.Gap == 0 {
		d.Proof.Kind = "optimal"
	}
	for i := range b.Spans {
		d.Grips = append(d.Grips, held(t, &b.Spans[i]))
		if bpm := b.Spans[i].Change.BPM; bpm > 0 {
			bar := b.Spans[i].Bar - 1
			if d.Bars[bar] == 0 || bpm < d.Bars[bar] {
				d.Bars[bar] = bpm
			}
		}
	}
	for i := range b.Moments {
		mo := &b.Moments[i]
		d.Moments = append(d.Moments, moment(mo, backingWhy(b, i)))
	}
	for _, l := range b.Lost {
		d.Dropped = append(d.Dropped, Dropped{l.At.String(), string(l.Part), l.Why})
	}
	return d
}

func held(t grip.Guitar, sp *backing.Span) Held {
	out := Held{At: sp.At.String(), Bar: sp.Bar, Chord: sp.Chord.Name, Grip: NewGrip(t, sp.Chord, &sp.Grip), Stays: []string{}}
	for _, f := range sp.Stays {
		out.Stays = append(out.Stays, grip.FingerName(f))
	}
	if ch := &sp.Change; ch.What != "" {
		out.Change = &Change{What: ch.What, Need: round(ch.Need), There: round(ch.There), BPM: ch.BPM}
		if e := ch.Early; e != nil {
			out.Change.Early = &Early{e.String, round(e.There), e.BPM}
		}
	}
	return out
}

// backingWhy says what a moment rests on.
func backingWhy(b *backing.Backing, i int) []string {
	mo := &b.Moments[i]
	sp := &b.Spans[b.SpanAt(mo.At)]
	why := []string{fmt.Sprintf("The grip of %s sounds %s and costs %.2f with the pattern.", sp.Chord.Name, sp.Name, sp.Cost)}
	if n := mo.Thumb; n != nil {
		why = append(why, fmt.Sprintf("The thumb takes the %s on string %d: %s.", mo.Stroke, n.String, n.Note))
	}
	if sp.Change.What != "" && mo.At == sp.At {
		why = append(why, fmt.Sprintf("%s: %.2f s needed, %.2f s there.", sp.Change.What, sp.Change.Need, sp.Change.There))
	}
	return why
}

// Sounding is what a set of frets sounds: stepping name.
type Sounding struct {
	Tuning   []string       `json:"tuning"`
	Frets    []*int         `json:"frets"` // string 6 to 1, null for a string left out
	Notes    []*string      `json:"notes"`
	Name     string         `json:"name"`
	Readings []ChordReading `json:"readings"` // the best first
}

// ChordReading is one name.
type ChordReading struct {
	Name    string   `json:"name"`
	Missing []string `json:"missing"`
}

// NewSounding names what frets, from string 6 to 1, sound; grip.Out leaves a string out.
func NewSounding(t tuning.Tuning, frets []int) Sounding {
	out := Sounding{Tuning: t.Spelled(), Readings: []ChordReading{}}
	var sounding []pitch.Pitch
	for i, f := range frets {
		if f == grip.Out {
			out.Frets, out.Notes = append(out.Frets, nil), append(out.Notes, nil)
			continue
		}
		p := t.Open(tuning.Strings-i) + pitch.Midi(f)
		note := pitch.Spell(p, false).String()
		out.Frets, out.Notes = append(out.Frets, &f), append(out.Notes, &note)
		sounding = append(sounding, p)
	}
	out.Name = chord.Describe(sounding, pitch.Usual)
	for _, r := range chord.Names(sounding, pitch.Usual) {
		missing := r.Missing
		if missing == nil {
			missing = []string{}
		}
		out.Readings = append(out.Readings, ChordReading{r.Chord.Name, missing})
	}
	return out
}
