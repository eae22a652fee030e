package plandoc

import (
	"cmp"
	"slices"

	"stepping/core/play"
	"stepping/core/score"
	"stepping/core/tune"
)

// Reading is what a reader understood of a tune: stepping read --json.
type Reading struct {
	Title    string          `json:"title"`
	Format   string          `json:"format"`
	Tuning   []string        `json:"tuning,omitempty"` // if the file says, string 6 first
	Capo     int             `json:"capo,omitempty"`
	Voice    int             `json:"voice"` // the one that was taken as the melody, of Voices
	BassOf   *int            `json:"bassVoice,omitempty"`
	Notes    []ReadNote      `json:"notes"`
	Bass     []ReadNote      `json:"bass,omitempty"`
	Chords   []ReadChord     `json:"chords"`
	Bars     int             `json:"bars"`
	Pins     []Pin           `json:"pins,omitempty"` // where the file says that notes are played
	Voices   []ReadVoice     `json:"voices"`
	Moved    *Moved          `json:"moved,omitempty"` // of played notes
	Warnings []score.Warning `json:"warnings"`
}

// ReadNote is one melody note.
type ReadNote struct {
	At    string   `json:"at"`
	Dur   string   `json:"dur"`
	Pitch string   `json:"pitch"`
	Cents int      `json:"cents"`
	Bar   int      `json:"bar"`
	With  []string `json:"with,omitempty"` // pitches struck with it
	Marks []string `json:"marks,omitempty"`
	Lyric string   `json:"lyric,omitempty"`
}

// ReadChord is one chord symbol. Proposed: nobody wrote it, it is what sounds there.
type ReadChord struct {
	At       string `json:"at"`
	Name     string `json:"name"`
	Proposed bool   `json:"proposed,omitempty"`
}

// ReadVoice is a voice that can be chosen as melody.
type ReadVoice struct {
	Voice   int      `json:"voice"` // the number to choose it by
	Part    int      `json:"part"`
	Name    string   `json:"name"`
	Notes   int      `json:"notes"`
	Lowest  string   `json:"lowest,omitempty"`
	Highest string   `json:"highest,omitempty"`
	First   []string `json:"first,omitempty"` // its first pitches
	Drums   bool     `json:"drums,omitempty"`
}

// Moved is how played notes were moved to a grid, in quarters.
type Moved struct {
	Steps int     `json:"steps"` // of a quarter
	Swing float64 `json:"swing"`
	Mean  float64 `json:"mean"`
	Most  float64 `json:"most"`
}

// firstNotes is how many pitches show what a voice is.
const firstNotes = 12

// NewReading describes the voices of sc in their roles, which were read as tu with pins.
func NewReading(sc *score.Score, q *score.Quantized, roles score.Roles, tu *tune.Tune, pins []play.Pin, warnings []score.Warning) Reading {
	r := Reading{Title: tu.Title, Format: sc.Format, Capo: sc.Capo, Voice: roles.Melody, Notes: []ReadNote{}, Chords: []ReadChord{},
		Bars: len(tu.Bars), Voices: Voices(sc), Warnings: warnings}
	if r.Warnings == nil {
		r.Warnings = []score.Warning{}
	}
	if sc.Tuning != nil {
		r.Tuning = sc.Tuning.Spelled()
	}
	for i := range tu.Notes {
		r.Notes = append(r.Notes, readNote(tu, &tu.Notes[i]))
	}
	for i := range tu.Bass {
		r.Bass = append(r.Bass, readNote(tu, &tu.Bass[i]))
	}
	if roles.Bass >= 0 {
		r.BassOf = &roles.Bass
	}
	proposed := q != nil && len(q.Chords) > 0 && q.Chords[0].Proposed
	for _, c := range tu.Chords {
		r.Chords = append(r.Chords, ReadChord{c.At.String(), c.Chord.Name, proposed})
	}
	for i := range pins {
		r.Pins = append(r.Pins, newPin(&pins[i]))
	}
	if q != nil {
		r.Moved = &Moved{q.Grid.Steps, round(q.Grid.Swing), round(q.Mean), round(q.Most)}
	}
	return r
}

func readNote(tu *tune.Tune, n *tune.Note) ReadNote {
	var with []string
	for _, w := range n.With {
		with = append(with, w.String())
	}
	return ReadNote{n.At.String(), n.Dur.String(), n.Note.String(), n.Note.Cents, tu.BarOver(n.At) + 1, with, n.Marks.Names(), n.Lyric}
}

// Voices describes what can be chosen as melody.
func Voices(sc *score.Score) []ReadVoice {
	out := []ReadVoice{}
	for i, v := range sc.Voices() {
		name := sc.Parts[v.Part].Name
		if v.Name != "" && v.Name != name {
			if name != "" {
				name += ", "
			}
			name += v.Name
		}
		rv := ReadVoice{Voice: i, Part: v.Part, Name: name, Notes: len(v.Notes), Drums: v.Drums}
		if len(v.Notes) > 0 {
			height := func(a, b score.Note) int { return cmp.Compare(a.Note.Pitch(), b.Note.Pitch()) }
			rv.Lowest, rv.Highest = slices.MinFunc(v.Notes, height).Note.String(), slices.MaxFunc(v.Notes, height).Note.String()
			for k := range v.Notes[:min(len(v.Notes), firstNotes)] {
				rv.First = append(rv.First, v.Notes[k].Note.String())
			}
		}
		out = append(out, rv)
	}
	return out
}

// Sounds is every note of a file: stepping read --notes --json.
type Sounds struct {
	Notes    []Sound         `json:"notes"`
	Warnings []score.Warning `json:"warnings"`
}

// Sound is one note at sounding pitch; part and voice as the file counts them, from 0.
type Sound struct {
	Part  int    `json:"part"`
	Voice int    `json:"voice"`
	At    string `json:"at"`
	Dur   string `json:"dur"`
	Pitch string `json:"pitch"`
	Cents int    `json:"cents"`
}

// NewSounds lists the notes of every part and voice, in time. Drums are left out, and told.
func NewSounds(sc *score.Score) Sounds {
	out := Sounds{Notes: []Sound{}, Warnings: append([]score.Warning{}, sc.Warnings...)}
	type timed struct {
		at score.Units
		Sound
	}
	var all []timed
	drums := 0
	for p := range sc.Parts {
		for _, v := range sc.Parts[p].Voices {
			if v.Drums {
				drums += len(v.Notes)
				continue
			}
			for i := range v.Notes {
				n := &v.Notes[i]
				all = append(all, timed{n.At, Sound{p, v.Number, sc.Fraction(n.At), sc.Fraction(n.Dur), n.Note.String(), n.Note.Cents}})
			}
		}
	}
	slices.SortStableFunc(all, func(a, b timed) int { return cmp.Compare(a.at, b.at) })
	for i := range all {
		out.Notes = append(out.Notes, all[i].Sound)
	}
	if drums > 0 {
		out.Warnings = append(out.Warnings, score.Warning{Line: 1, Column: 1, Text: "drums, which have no pitch, are left out"})
	}
	return out
}
