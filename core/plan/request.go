package plan

import (
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Revision is raised whenever the same request may give another plan or document than before, so
// that kept documents are made again.
const Revision = 12

// Request is everything that a plan depends on.
type Request struct {
	Tune     *tune.Tune
	Tuning   tuning.Tuning
	Capo     int     // fret of the capo, 0 for none
	Tempo    float64 // quarter notes a minute at the start; 0 keeps the tune's own
	Player   player.Profile
	Thumb    pattern.Kind
	Sections []pattern.Section // patterns in force from a bar on; they take the place of Thumb
	Thin     pattern.Thin      // which strokes of the thumb are left out
	Pins     []play.Pin

	// PlacesOnly leaves the fingers of the fretting hand as the search found them, where only costs are asked for.
	PlacesOnly bool
	// Varied lets repeated bars be played otherwise each time; else they are played alike.
	Varied bool

	// Kept is what a plan that the player has taken up plays, see kept.go.
	Kept []play.Pin

	alike []pin // that hold repeated bars to one way, or what is kept; see alike.go and kept.go

	// Progress, if not nil, is told after each moment how many are done. It must be quick.
	Progress func(done, total int)

	// Within, if not 0, is a total above which the plan is not wanted: Solve then gives up with ErrOver, which
	// takes less time. It is not looked at for tunes so long that bounds do not pay.
	Within float64

	// Weights, if not nil, take the place of those in force.
	Weights *Weights

	// From, if not nil, is a plan made before. The plan is the same, found sooner the less the two requests differ.
	From *Plan

	bases []*solved // that From leaves
}

// ErrNoMelody is a tune that has chords alone: package backing plans those.
var ErrNoMelody = errors.New("the tune has no notes: plan its chords with a picking pattern")

// ErrNoBass is a thumb that plays the written bass of a tune that has none.
var ErrNoBass = errors.New("thumb written: the tune has no bass of its own; choose none, steady or alternating")

// ErrOver is a plan that costs more than Request.Within.
var ErrOver = errors.New("the best plan costs more than allowed")

// RangeError lists the melody notes that lie nowhere on this guitar in this tuning.
type RangeError struct {
	Notes []OutOfRange
}

// OutOfRange is one such note: By half steps below (negative) or above (positive) what can
// be played, or 0 if it lies within the range but nowhere together with its neighbours, or
// between the frets with nothing to reach it.
type OutOfRange struct {
	Note tune.Note
	Bar  tune.Printed
	By   int
}

func (o OutOfRange) String() string {
	switch {
	case o.By == 0 && o.Note.Note.Cents == 0:
		return fmt.Sprintf("the %d notes at %s in bar %s cannot be played together", 1+len(o.Note.With), o.Note.Note, o.Bar)
	case o.By == 0:
		return fmt.Sprintf("%s %+d cents in bar %s cannot be reached between the frets without a slide or a bend", o.Note.Note,
			o.Note.Note.Cents, o.Bar)
	case o.By < 0:
		return fmt.Sprintf("%s in bar %s is %d half steps below the lowest string", o.Note.Note, o.Bar, -o.By)
	default:
		return fmt.Sprintf("%s in bar %s is %d half steps above the highest fret", o.Note.Note, o.Bar, o.By)
	}
}

func (e *RangeError) Error() string {
	const most = 3
	var parts []string
	for _, n := range e.Notes[:min(len(e.Notes), most)] {
		parts = append(parts, n.String())
	}
	if more := len(e.Notes) - most; more > 0 {
		parts = append(parts, fmt.Sprintf("and %d more", more))
	}
	advice := "choose another tuning or capo, or write the tune an octave away"
	switch first := e.Notes[0]; {
	case first.By == 0 && first.Note.Note.Cents == 0:
		advice = "leave one of them out, or choose another tuning"
	case first.By == 0:
		advice = "choose a player who uses the slide, or write the note without its quarter tone"
	}
	return strings.Join(parts, "; ") + ": " + advice
}

// PatternError is a picking pattern that the tune cannot take from a bar on.
type PatternError struct {
	Bar  int
	Text string
}

func (e *PatternError) Error() string {
	return fmt.Sprintf("the pattern from bar %d: %s", e.Bar, e.Text)
}

func (r *Request) checkSection(i int) error {
	s := &r.Sections[i]
	if s.Bar < 1 || s.Bar > len(r.Tune.Bars) || s.Pattern == nil {
		return &PatternError{s.Bar, fmt.Sprintf("the tune has bars 1 to %d", len(r.Tune.Bars))}
	}
	if err := s.Pattern.Validate(); err != nil {
		return &PatternError{s.Bar, fmt.Sprintf("%s, %v", s.Pattern.Name, err)}
	}
	end := len(r.Tune.Bars)
	if i+1 < len(r.Sections) {
		end = min(end, r.Sections[i+1].Bar-1)
	}
	for bar := s.Bar - 1; bar < end; bar++ {
		if pattern.PatternIn(r.Tune, bar, r.Sections) != nil {
			return nil
		}
	}
	m := r.Tune.MeterOver(r.Tune.Bars[s.Bar-1])
	return &PatternError{s.Bar, fmt.Sprintf("%s is in %s and the tune there in %d/%d", s.Pattern.Name, s.Pattern.Meter, m.Num, m.Den)}
}

// check validates the request apart from the notes' range.
func (r *Request) check() error {
	if r.Tune == nil || len(r.Tune.Notes) == 0 {
		return ErrNoMelody
	}
	if err := tuning.CheckCapo(r.Capo); err != nil {
		return err
	}
	if r.Tempo != 0 && !(r.Tempo >= tune.MinTempo && r.Tempo <= tune.MaxTempo) {
		return fmt.Errorf("tempo %g: %s", r.Tempo, tune.TempoRule)
	}
	for i := range r.Sections {
		if err := r.checkSection(i); err != nil {
			return err
		}
	}
	if err := r.Player.Validate(); err != nil {
		return err
	}
	if err := checkTaste(r.Player.Taste); err != nil {
		return err
	}
	if slices.Contains(pattern.KindsFor(r.Tune), r.Thumb) {
		return nil
	}
	if r.Thumb == pattern.Written {
		return ErrNoBass
	}
	return fmt.Errorf("thumb %q: choose none, steady, alternating or written", r.Thumb)
}

// weights are those of the request, or those in force, with the player's taste.
func (r *Request) weights() *Weights {
	base := &inForce
	if r.Weights != nil {
		base = r.Weights
	}
	if len(r.Player.Taste) == 0 {
		return base
	}
	w := *base
	for name, factor := range r.Player.Taste {
		w.Set(name, play.Exact(w.Get(name)*factor))
	}
	return &w
}

// checkTaste refuses factors for what is no weight; their range is the player's own check.
func checkTaste(taste map[string]float64) error {
	names := WeightNames()
	for name := range taste {
		if !slices.Contains(names, name) {
			return &player.FieldError{Field: "taste", Text: fmt.Sprintf("%q is not a weight; docs/model.md lists them", name)}
		}
	}
	return nil
}

// Get returns a weight by its name, which must be one of WeightNames.
func (w *Weights) Get(name string) float64 {
	return reflect.ValueOf(w).Elem().FieldByName(name).Float()
}

// Set sets it.
func (w *Weights) Set(name string, v float64) {
	reflect.ValueOf(w).Elem().FieldByName(name).SetFloat(v)
}

// InForce returns the weights that plans are made with.
func InForce() Weights { return inForce }

// WeightNames returns the names of all weights, in order.
func WeightNames() (names []string) {
	for _, f := range reflect.VisibleFields(reflect.TypeFor[Weights]()) {
		if !f.Anonymous {
			names = append(names, f.Name)
		}
	}
	return names
}
