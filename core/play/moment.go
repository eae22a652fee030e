package play

import (
	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/tune"
)

// Ceiling is the highest tempo at which every move of the plan has the time it needs,
// and the move that sets it.
type Ceiling struct {
	BPM float64 // quarter notes a minute at the start; 0 if nothing limits the tempo
	At  tune.Time
	Why string
}

// Moment is what happens at one onset.
type Moment struct {
	At      tune.Time
	Seconds float64
	Bar     int          // from 1, as the tune is played out
	Printed tune.Printed // as on paper
	Beat    float64      // from 1, in units of the meter's denominator
	Stroke  string       // role that the thumb's pattern asks for, or ""
	Chord   chord.Chord
	Melody  *Stroke   // melody note beginning here, the highest voice
	With    []*Stroke // the other voices struck with it
	Held    *Stroke   // melody note that began earlier and sounds on
	Thumb   *Stroke   // thumb stroke
	Picked  []*Stroke // by the fingers of a picking pattern, over chords
	Accent  bool
	Dropped bool   // a thumb stroke was wanted and is left out
	RingsOn bool   // the root that is wanted rings in from before, and the thumb rests
	Mute    string // how the palm mutes the thumb's note, of thumb.Mutes
	Early   bool   // the thumb's note belongs to the next chord
	Wanted  string // what the pattern wanted of the thumb, if it leads on instead
	Arrival string // the next chord, where no stroke is wanted and its root may arrive early
	LeadsTo string // the next chord, where the planner walks into it or arrives early by itself
	Hit     string // percussion, of thumb.Hits
	HitLost string // percussion that was wanted and is left out
	Hand    LeftHand
	Strings [6]StringState // index 0 is string 1
	Digits  [5]int         // string that p, i, m, a, c each touch, plucking or stopping; 0 for none
	Brush   bool           // one digit takes all the melody's strings
	Flick   bool           // it is flicked outward, next to a slap
	Heel    int            // strings under the heel, from string 6 inward
	Share   float64        // of the time there is, what the most pressing move into this moment needs
	Cost    Terms
}

// Strokes returns everything struck at the moment: the melody's voices, the thumb, a pattern's fingers.
func (mo *Moment) Strokes() []*Stroke {
	var out []*Stroke
	if mo.Melody != nil {
		out = append(append(out, mo.Melody), mo.With...)
	}
	if mo.Thumb != nil {
		out = append(out, mo.Thumb)
	}
	return append(out, mo.Picked...)
}

// Stroke is one note struck.
type Stroke struct {
	Part   Part
	Voice  int // of the melody, 0 the highest
	String int
	Fret   float64 // from the nut, where it sounds (a harmonic: where it is touched); the capo's fret if open
	From   float64 // fret it comes from: of a glide, hammer, pull, bend or tapped note; else Fret
	How    How
	Finger string // "1" … "4", "T" thumb over the neck, "S" slide, "" open
	Digit  Digit  // p i m a; "" if the left hand sounds the note
	Hook   bool   // a bend made by the picking hand
	Note   pitch.Note
	Dur    tune.Time // written length; for the thumb the length of its beat, or as long as a written note can be held …
	Asked  tune.Time // … if that is shorter than it is written: its written length; else 0
	Pinned bool
	Index  int // number of the melody note, from 0
}

// LeftHand is what the left hand holds.
type LeftHand struct {
	SlideOn        bool
	SlideFret      float64
	From           int // strings From … Covers lie under the slide
	Covers, Trails int
	Slant          bool
	Fingers        []FingerAt // that press now
	Stays          []FingerAt // that lie where they will press next, on strings that do not sound open
}

// FingerAt is one finger on a string; Finger "T" is the thumb over the neck. Light: it
// touches without pressing.
type FingerAt struct {
	Finger       string
	String, Fret int
	Light        bool
}

// State is what a string does at a moment.
type State string

// The states of a string.
const (
	Struck   State = "struck"
	Rings    State = "rings"
	Silenced State = "silenced"
	Harmless State = "harmless" // free, but nothing has set it ringing
	Leaks    State = "leaks"
)

// StringState is the state of one string; By names the damper of a silenced string.
type StringState struct {
	State State
	By    Damper
	Rests bool    // By has its resting place there
	Note  string  // what sounds or leaks: the note name
	DB    float64 // of a leak, and of a free string that rings in sympathy: dB under the note, negative
}

// Wanted reports whether the string sounds and should.
func (s StringState) Wanted() bool { return s.State == Struck || s.State == Rings }

// Leaking returns the strings that leak.
func (mo *Moment) Leaking() []int {
	var out []int
	for s, st := range mo.Strings {
		if st.State == Leaks {
			out = append(out, s+1)
		}
	}
	return out
}
