// Package take listens to a recording of a plan being played: where in the plan it is, and for each note how
// far it was off in pitch and in time.
//
// A recording becomes a Signal: mono, Rate samples a second, without what lies under 30 Hz. Two kinds of frames
// are taken from it: a spectrum in semitones every hop (features), which says what sounds, and a flux every
// fine hop (flux), which says when something begins. Follow finds the way through the plan by a hidden Markov
// model whose states are the plan's moments (Rabiner 1989): a moment sounds like its template, the partials of
// all strings that the plan has sounding; the next begins where something begins. Notes are then measured
// between their onsets at the partials that no other sounding string shares.
//
// Units: seconds of the recording, Hz, cents against equal temperament at A4 = 440 Hz. Nothing here reads files or clocks.
package take

import "errors"

// Rate is the sample rate of signals.
const Rate = 24000

// Errors of recordings that cannot be judged; the texts are for people.
var (
	ErrSilent  = errors.New("the recording is silent: check that the microphone is on and close to the guitar")
	ErrShort   = errors.New("the recording is shorter than a second, which is too short to check")
	ErrForeign = errors.New("this does not sound like the tune: the recording does not match its plan")
)

// MostSeconds bounds a recording.
const MostSeconds = 600
