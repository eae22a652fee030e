// Package proofread looks for errors on a page of tablature: what cannot be played, what does not add up, and what is likely a
// misprint. It knows strings, frets, bars and places on the page, and nothing of how the page was written.
//
// What it finds is told with how sure it is, and with a mend if there is one. On a page without errors it should say
// nothing: a reader who has been warned in vain twice no longer looks.
package proofread

import (
	"stepping/core/chord"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Page is a tablature as it stands on paper, repeats not played out.
type Page struct {
	Tuning tuning.Tuning
	Capo   int
	Tempo  float64 // quarter notes a minute
	Player player.Profile
	Bars   []Bar
	Blues  bool // its words say that it is one, or a rag
}

// Bar is a written bar.
type Bar struct {
	Place   tune.Place // where it begins on the line of string 1
	Meter   tune.MeterAt
	Length  tune.Time // what its rhythm adds up to
	Written bool      // that rhythm is written, and not told from the spacing
	Width   int       // in characters
	Notes   []Note    // by time, string 1 first
	Chords  []Chord
	Again   bool    // it is next to a repeat or the end of a section: it may be of any length
	Blank   []Blank // where notes could be written
}

// Blank is a place on the page for a note at a time on a string.
type Blank struct {
	At     tune.Time
	String int
	Place  tune.Place
}

// Chord is a chord symbol in a bar.
type Chord struct {
	At    tune.Time
	Chord chord.Chord
	Place tune.Place
	Text  string // as it is there
}

// Note is a number on a string.
type Note struct {
	Place  tune.Place
	Text   string // as it is there
	At     tune.Time
	Dur    tune.Time
	String int
	Fret   float64  // from the capo
	How    play.How // as far as the page says
	Finger int      // of the fretting hand, if the page says
	Digit  play.Digit
	Dead   bool
	Tied   bool // it goes on sounding
	Second bool // it stands hard by another number on its string
}

// Kind is a kind of error.
type Kind string

// The kinds.
const (
	TwoOnString Kind = "two-on-string"
	BarLength   Kind = "bar-length"
	Grip        Kind = "impossible-grip"
	Slant       Kind = "impossible-slant"
	SlideFinger Kind = "slide-finger-frets"
	Misprint    Kind = "misprint"
	OddBar      Kind = "odd-bar"
	MissingBass Kind = "missing-bass"
	ChordNamed  Kind = "chord-name"
)

// Finding is one thing found. Bar is counted from 1 as written.
type Finding struct {
	Line   int     `json:"line"`
	Column int     `json:"column"`
	Bar    int     `json:"bar"`
	Kind   Kind    `json:"kind"`
	Sure   float64 `json:"sure"` // 0 to 1
	Text   string  `json:"text"`
	Mend   *Mend   `json:"mend,omitempty"`
}

// Mend is what to write at a place instead of what is there: a number, a chord, or dashes that take a
// number away. From is where a number is taken away that belongs there.
type Mend struct {
	Line   int    `json:"line"`
	Column int    `json:"column"`
	To     string `json:"to"`
	From   *From  `json:"from,omitempty"`
}

// From is a place on the page.
type From struct {
	Line   int `json:"line"`
	Column int `json:"column"`
}
