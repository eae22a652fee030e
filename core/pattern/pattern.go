package pattern

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"stepping/core/tune"
)

// Pattern is one bar of picking as roles: which thumb note, which fingers, what accent, muting and
// percussion at each step. It names no string: the chord, tuning and hand decide those.
type Pattern struct {
	Name  string `json:"name"`
	Meter string `json:"meter"` // "4/4"
	Steps int    `json:"steps"` // in a bar, a whole number for each count of the meter
	Swing bool   `json:"swing"` // of each two steps the first lasts twice as long as the second
	Beats []Beat `json:"beats"` // what happens, by step
}

// Beat is what happens at one step.
type Beat struct {
	Step    int      `json:"step"`              // from 1
	Thumb   string   `json:"thumb,omitempty"`   // one of ThumbRoles, "" for none
	Fingers []string `json:"fingers,omitempty"` // of FingerRoles, each once
	Accent  bool     `json:"accent,omitempty"`
	Mute    string   `json:"mute,omitempty"` // one of Mutes, "" to let the thumb's note ring
	Hit     string   `json:"hit,omitempty"`  // one of Hits, "" for none
}

// Roles of the thumb in a pattern. repeat is what the thumb played last; walk leads by a step into
// the next chord's root; arrive is that root before its chord.
var ThumbRoles = []string{"root", "alternate", "higher", "repeat", "walk", "arrive"}

// FingerRoles are the thinnest string that sounds above the thumb's, and those next to it.
var FingerRoles = []string{"top", "next", "third"}

// Mutes of the thumb's note: the palm takes half of it, leaves a thump, or falls on it at once.
var Mutes = []string{"half", "thump", "stab"}

// Percussion: the side of the thumb against strings 6 and 5, the fingertips onto the strings just
// plucked, the heel on the top, and the fretting hand letting up so that the strike is dead.
const (
	Slap    = "slap"
	Tap     = "tap"
	Thump   = "thump"
	Release = "release"
)

// Hits lists the percussion.
var Hits = []string{Slap, Tap, Thump, Release}

// Limits of a pattern.
const (
	maxSteps   = 48
	maxNameLen = 60
	// MaxBytes is the largest pattern file.
	MaxBytes = 64 << 10
)

// StepError is a fault in a pattern at a step, 0 if it is not one step's.
type StepError struct {
	Step int
	Rule string // what is wrong and what would be right
}

func (e *StepError) Error() string {
	if e.Step == 0 {
		return e.Rule
	}
	return fmt.Sprintf("step %d: %s", e.Step, e.Rule)
}

// Signature returns the pattern's meter; ok is false if it is none that patterns can have.
func (p *Pattern) Signature() (m tune.MeterAt, ok bool) {
	m, ok = tune.ParseMeter(p.Meter)
	return m, ok && m.Num >= 1 && m.Num <= 12 && slices.Contains([]int{2, 4, 8}, m.Den)
}

// Validate checks a pattern by itself; see Suits for the hand that is to play it. The error is a
// *StepError.
func (p *Pattern) Validate() error {
	m, ok := p.Signature()
	switch {
	case strings.TrimSpace(p.Name) == "" || len(p.Name) > maxNameLen:
		return &StepError{0, fmt.Sprintf("a pattern needs a name of up to %d letters", maxNameLen)}
	case !ok:
		return &StepError{0, fmt.Sprintf("the meter %q is not understood: write it like 4/4, 3/4, 6/8 or 2/4", p.Meter)}
	case p.Steps < 1 || p.Steps > maxSteps || p.Steps%m.Num != 0:
		return &StepError{0, fmt.Sprintf("%d steps do not divide a bar of %s evenly: take a multiple of %d up to %d", p.Steps,
			p.Meter, m.Num, maxSteps)}
	case p.Swing && p.Steps%2 != 0:
		return &StepError{0, "swing needs an even number of steps: two make a pair"}
	}
	last := 0
	for i := range p.Beats {
		b := &p.Beats[i]
		switch {
		case b.Step < 1 || b.Step > p.Steps:
			return &StepError{b.Step, fmt.Sprintf("the bar has steps 1 to %d: the pattern is longer than its bar", p.Steps)}
		case b.Step <= last:
			return &StepError{b.Step, "steps must be in order, each once"}
		}
		last = b.Step
		if err := b.check(); err != nil {
			return err
		}
	}
	return nil
}

// check holds the rules of one step: known words, and no part of a hand in two places.
func (b *Beat) check() error {
	bad := func(format string, args ...any) error { return &StepError{b.Step, fmt.Sprintf(format, args...)} }
	known := func(word string, of []string) bool { return word == "" || slices.Contains(of, word) }
	switch {
	case !known(b.Thumb, ThumbRoles):
		return bad("the thumb has no role %q: it has %s", b.Thumb, strings.Join(ThumbRoles, ", "))
	case !known(b.Mute, Mutes):
		return bad("there is no muting %q: there is %s", b.Mute, strings.Join(Mutes, ", "))
	case !known(b.Hit, Hits):
		return bad("there is no percussion %q: there is %s", b.Hit, strings.Join(Hits, ", "))
	case b.Mute != "" && b.Thumb == "":
		return bad("%s mutes a thumb note, and there is none", b.Mute)
	case b.Hit == Slap && b.Thumb != "":
		return bad("the thumb slaps and plays the %s at once: it can only do one of them", b.Thumb)
	case b.Hit == Slap && len(b.Fingers) > 1:
		return bad("with a slap only one finger flicks: a second would stop the first")
	case b.Hit == Tap && len(b.Fingers) > 0:
		return bad("the fingers fall on the strings and pluck them at once: they can only do one of them")
	case b.Hit == Thump && b.Mute != "":
		return bad("the heel strikes the top and mutes the strings at once: it can only do one of them")
	case b.Hit == Release && b.Thumb == "" && len(b.Fingers) == 0:
		return bad("a release needs a thumb or finger stroke on the dead strings, and there is none")
	}
	for i, f := range b.Fingers {
		if !slices.Contains(FingerRoles, f) {
			return bad("fingers have no role %q: they have %s", f, strings.Join(FingerRoles, ", "))
		}
		if slices.Contains(b.Fingers[:i], f) {
			return bad("two fingers on the %s string: one string, one finger", f)
		}
	}
	return nil
}

// Suits reports whether a hand with so many fingers next to the thumb can play p; if not, the error
// is a *StepError for the first step that asks for more.
func (p *Pattern) Suits(fingers int) error {
	for _, b := range p.Beats {
		if len(b.Fingers) > fingers {
			return &StepError{b.Step, fmt.Sprintf("%d strings at once for %d fingers: one finger cannot sound two strings", len(b.Fingers), fingers)}
		}
	}
	return nil
}

// At returns what happens at a step, from 1.
func (p *Pattern) At(step int) Beat {
	for _, b := range p.Beats {
		if b.Step == step {
			return b
		}
	}
	return Beat{Step: step}
}

// Offset is the time of a step, from 1, after the beginning of its bar.
func (p *Pattern) Offset(step int) tune.Time {
	m, _ := p.Signature()
	each := m.Bar() / tune.Time(p.Steps)
	at := tune.Time(step-1) * each
	if p.Swing && step%2 == 0 {
		at += each / 3
	}
	return at
}

// offsetIn is Offset in a tune: where its clock swings eighths already, a pattern's own swing of eighths is
// part of that, or it would be swung twice.
func (p *Pattern) offsetIn(tu *tune.Tune, step int) tune.Time {
	if m, _ := p.Signature(); p.Swing && tu.Swing > tune.Straight && m.Bar()/tune.Time(p.Steps) == tune.Quarter/2 {
		straight := *p
		straight.Swing = false
		return straight.Offset(step)
	}
	return p.Offset(step)
}

// Read reads a pattern file: one JSON object, at most MaxBytes, unknown keys refused by name. Faults
// of the pattern are *StepError.
func Read(r io.Reader) (*Pattern, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return nil, err
	}
	if len(data) > MaxBytes {
		return nil, errors.New("a pattern file is at most 64 KiB")
	}
	p := &Pattern{}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	if err := dec.Decode(p); err != nil {
		return nil, fmt.Errorf("not a pattern: %s; docs/formats.md shows one", strings.TrimPrefix(err.Error(), "json: "))
	}
	if _, err := dec.Token(); err != io.EOF {
		return nil, errors.New("something follows the closing brace: a pattern file is one JSON object")
	}
	return p, p.Validate()
}
