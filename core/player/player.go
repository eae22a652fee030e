// Package player describes who plays: hand, slide, schools and instrument. It is
// read from and written to the player file of docs/formats.md.
package player

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"stepping/core/neck"
)

// Profile is a player. JSON keys are those of the player file; every one is optional.
type Profile struct {
	Name            string     `json:"name"`
	Posture         string     `json:"posture"`         // upright
	SlideFinger     int        `json:"slideFinger"`     // 2 middle, 3 ring, 4 little
	Silence         string     `json:"silence"`         // see Silences
	Lean            string     `json:"lean"`            // see Leans
	Fingers         int        `json:"fingers"`         // besides the thumb, 1 … 3
	Attack          string     `json:"attack"`          // see Attacks
	Support         string     `json:"support"`         // see Supports; kept, not planned with yet
	FretBehindSlide bool       `json:"fretBehindSlide"` // may fret a bass note while the slide sounds
	ThumbOver       bool       `json:"thumbOver"`       // may fret string 6 with the thumb over the neck
	Drone           bool       `json:"drone"`           // an open home bass under another chord is welcome
	Accent          string     `json:"accent"`          // see Accents; kept, not planned with yet
	ReachMM         float64    `json:"reachMm"`         // comfortable stretch of fingers 1 to 4, mm
	Slide           Slide      `json:"slide"`
	Instrument      Instrument `json:"instrument"`
}

// Slide is the tube worn on the finger. Bore, wall and material are kept and not
// planned with yet.
type Slide struct {
	LengthMM float64 `json:"lengthMm"`
	BoreMM   float64 `json:"boreMm,omitempty"`
	WallMM   float64 `json:"wallMm,omitempty"`
	Material string  `json:"material,omitempty"`
}

// Instrument is the guitar.
type Instrument struct {
	ScaleMM  float64 `json:"scaleMm"`
	NutMM    float64 `json:"nutMm"`    // first to last string at the nut
	BridgeMM float64 `json:"bridgeMm"` // first to last string at the bridge
	Frets    int     `json:"frets"`
	ActionMM float64 `json:"actionMm"` // string height at fret 12; kept, not planned with yet
}

// The schools of silence: which dampers the player uses.
const (
	Heel     = "heel"     // picking hand only: heel, and fingers stopping strings
	Fingers  = "fingers"  // picking fingers each resting on a string, thumb covering below
	Trailing = "trailing" // a finger trailing behind the slide, picking fingers stopping strings
	Both     = "both"     // all of these
	Ring     = "ring"     // left to ring
)

// Leans: how much of the melody is for the slide.
const (
	LeanSlide = "slide"
	LeanMixed = "mixed"
	LeanFret  = "fret"
	LeanNone  = "none"
)

// Silences, Leans, Attacks, Supports and Accents list the values of those fields.
var (
	Silences = []string{Heel, Fingers, Trailing, Both, Ring}
	Leans    = []string{LeanSlide, LeanMixed, LeanFret, LeanNone}
	Attacks  = []string{"flesh", "nails", "thumbpick", "picks"}
	Supports = []string{"heel", "float", "planted"}
	Accents  = []string{"one", "two-four", "even"}
)

// Default returns the profile that missing keys fall back on: a medium hand, the
// slide on the little finger, a full-scale guitar.
func Default() Profile {
	return Profile{
		Posture: "upright", SlideFinger: 4, Silence: Both, Lean: LeanMixed, Fingers: 2, Attack: "flesh",
		Support: "float", ThumbOver: true, Drone: true, Accent: "one", ReachMM: 100,
		Slide:      Slide{LengthMM: 60},
		Instrument: Instrument{ScaleMM: 648, NutMM: 36, BridgeMM: 54, Frets: 20, ActionMM: 2.5},
	}
}

// FieldError is a profile value that cannot be used, with its JSON key.
type FieldError struct {
	Field string
	Text  string // what is wrong and what would be right
}

func (e *FieldError) Error() string { return e.Field + ": " + e.Text }

// Read reads a player file on top of Default. Unknown keys are refused by name,
// wrong values by field. Input over 64 KiB is refused. A *PositionError carries
// the place.
func Read(r io.Reader) (Profile, error) {
	const limit = 64 << 10
	data, err := io.ReadAll(io.LimitReader(r, limit+1))
	if err != nil {
		return Profile{}, err
	}
	if len(data) > limit {
		return Profile{}, &PositionError{1, 1, errors.New("a player file is at most 64 KiB")}
	}
	p := Default()
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&p); err != nil {
		return Profile{}, locate(data, dec.InputOffset(), err)
	}
	if _, err := dec.Token(); err != io.EOF {
		return Profile{}, at(data, dec.InputOffset(), errors.New("something follows the closing brace: a player file is one JSON object"))
	}
	if err := p.Validate(); err != nil {
		var fe *FieldError
		errors.As(err, &fe)
		return Profile{}, at(data, keyOffset(data, fe.Field), err)
	}
	return p, nil
}

// PositionError is a fault at a place in a player file, line and column from 1.
type PositionError struct {
	Line, Column int
	Err          error
}

func (e *PositionError) Error() string { return fmt.Sprintf("%d:%d: %v", e.Line, e.Column, e.Err) }
func (e *PositionError) Unwrap() error { return e.Err }

func locate(data []byte, offset int64, err error) error {
	var syntax *json.SyntaxError
	var typ *json.UnmarshalTypeError
	switch {
	case errors.As(err, &syntax):
		return at(data, max(syntax.Offset-1, 0), fmt.Errorf("not JSON: %w", err))
	case errors.As(err, &typ):
		return at(data, keyOffset(data, typ.Field), fmt.Errorf("%s: a %s stands here, a %s is wanted", typ.Field, typ.Value, typ.Type.Kind()))
	}
	if key, ok := strings.CutPrefix(err.Error(), "json: unknown field "); ok {
		key = strings.Trim(key, `"`)
		return at(data, keyOffset(data, key), fmt.Errorf("%s: unknown key; known keys are listed in docs/formats.md", key))
	}
	return at(data, offset, fmt.Errorf("not a JSON object: %w", err))
}

// keyOffset finds the last part of a dotted field as a quoted key; 0 if it is not in the file.
func keyOffset(data []byte, field string) int64 {
	key := field[strings.LastIndex(field, ".")+1:]
	return int64(max(bytes.Index(data, []byte(`"`+key+`"`)), 0))
}

func at(data []byte, offset int64, err error) error {
	before := data[:min(int(offset), len(data))]
	line := bytes.Count(before, []byte("\n")) + 1
	return &PositionError{line, len(before) - bytes.LastIndexByte(before, '\n'), err}
}

// Validate checks every value against its range and returns a *FieldError for the
// first that is outside.
func (p Profile) Validate() error {
	if p.Posture == "lap" || p.Silence == "lap" {
		return &FieldError{"posture", "lap style cannot be planned yet; use upright"}
	}
	for _, c := range []struct {
		field, value string
		of           []string
	}{
		{"posture", p.Posture, []string{"upright"}}, {"silence", p.Silence, Silences},
		{"lean", p.Lean, Leans}, {"attack", p.Attack, Attacks},
		{"support", p.Support, Supports}, {"accent", p.Accent, Accents},
	} {
		if !slices.Contains(c.of, c.value) {
			return &FieldError{c.field, fmt.Sprintf("%q is not one of %s", c.value, strings.Join(c.of, ", "))}
		}
	}
	for _, c := range []struct {
		field          string
		value, lo, hi  float64
		unit, whatElse string
	}{
		{"slideFinger", float64(p.SlideFinger), 2, 4, "", "2 middle, 3 ring, 4 little finger"},
		{"fingers", float64(p.Fingers), 1, 3, "", "besides the thumb"},
		{"reachMm", p.ReachMM, 50, 180, " mm", "from finger 1 to finger 4 without strain"},
		{"slide.lengthMm", p.Slide.LengthMM, 15, 90, " mm", "of the tube"},
		{"slide.boreMm", p.Slide.BoreMM, 0, 40, " mm", "inner width of the tube, 0 if not measured"},
		{"slide.wallMm", p.Slide.WallMM, 0, 15, " mm", "thickness of the tube's wall, 0 if not measured"},
		{"instrument.scaleMm", p.Instrument.ScaleMM, 300, 800, " mm", "nut to saddle"},
		{"instrument.nutMm", p.Instrument.NutMM, 25, 60, " mm", "first to last string at the nut"},
		{"instrument.bridgeMm", p.Instrument.BridgeMM, 35, 80, " mm", "first to last string at the bridge"},
		{"instrument.frets", float64(p.Instrument.Frets), 5, 30, "", "on the neck"},
		{"instrument.actionMm", p.Instrument.ActionMM, 0.5, 15, " mm", "string over fret 12"},
	} {
		if !(c.value >= c.lo && c.value <= c.hi) {
			return &FieldError{c.field, fmt.Sprintf("%g%s is outside %g to %g%s (%s)", c.value, c.unit, c.lo, c.hi, c.unit, c.whatElse)}
		}
	}
	if len(p.Name) > 80 {
		return &FieldError{"name", "at most 80 characters"}
	}
	return nil
}

// Neck returns the geometry of the profile's instrument.
func (p Profile) Neck() neck.Neck {
	return neck.Neck{Scale: p.Instrument.ScaleMM, Nut: p.Instrument.NutMM, Bridge: p.Instrument.BridgeMM, Frets: p.Instrument.Frets}
}

// UsesHeel, UsesThumbRest, UsesTrailing and UsesStops report which dampers the
// player's school of silence permits.
func (p Profile) UsesHeel() bool      { return p.Silence == Heel || p.Silence == Both }
func (p Profile) UsesThumbRest() bool { return p.Silence == Fingers || p.Silence == Both }
func (p Profile) UsesTrailing() bool  { return p.Silence == Trailing || p.Silence == Both }
func (p Profile) UsesStops() bool     { return p.Silence != Ring }
