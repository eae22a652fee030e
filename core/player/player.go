// Package player describes who plays: hand, slide, schools and instrument. It is
// read from and written to the player file of docs/formats.md.
package player

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"unicode/utf8"

	"stepping/core/neck"
)

// Profile is a player. JSON keys are those of the player file; every one is optional.
type Profile struct {
	Name            string     `json:"name"`
	Posture         string     `json:"posture"`              // upright, or lap: a solid bar over a guitar lying flat
	LeftHanded      bool       `json:"leftHanded,omitempty"` // frets with the right hand: necks and hands are drawn mirrored
	SlideFinger     int        `json:"slideFinger"`          // 2 middle, 3 ring, 4 little
	Silence         string     `json:"silence"`              // see Silences
	Lean            string     `json:"lean"`                 // see Leans
	Fingers         int        `json:"fingers"`              // besides the thumb, 1 … 3
	Attack          string     `json:"attack"`               // see Attacks
	Support         string     `json:"support"`              // see Supports
	FretBehindSlide bool       `json:"fretBehindSlide"`      // may fret a bass note while the slide sounds
	ThumbOver       bool       `json:"thumbOver"`            // may fret string 6 with the thumb over the neck
	Drone           bool       `json:"drone"`                // an open home bass under another chord is welcome
	Accent          string     `json:"accent"`               // of the thumb, see Accents
	Vibrato         string     `json:"vibrato,omitempty"`    // how wide and fast, see Vibratos; "" medium
	Thumb           string     `json:"thumb,omitempty"`      // what it plays where neither tune nor pattern say, see Thumbs; "" alternating
	Tunings         []string   `json:"tunings,omitempty"`    // that the player knows, by name; none: what most have met
	Techniques      []string   `json:"techniques,omitempty"` // special ones that the player uses, see Techniques
	Learn           bool       `json:"learn,omitempty"`      // the planner may learn from this player's choices
	Taste           Taste      `json:"taste,omitempty"`      // what it has learnt
	Level           Level      `json:"level,omitzero"`       // that this player's sheets are written for
	ReachMM         float64    `json:"reachMm"`              // comfortable stretch of fingers 1 to 4, mm
	FingerMM        float64    `json:"fingerMm,omitempty"`   // width of the slide's finger at its widest knuckle; 0 if not measured
	FittsA          float64    `json:"fittsA"`               // time to move the hand, see MoveTime: s
	FittsB          float64    `json:"fittsB"`               // s per bit
	RestrikeS       float64    `json:"restrikeS,omitempty"`  // least time between two strokes of one digit, s; 0: by attack, see RestrikeTime
	Slide           Slide      `json:"slide"`
	Instrument      Instrument `json:"instrument"`
}

// Level is a position of the dial *how hard* under a name. The zero Level is a tune as it is arranged.
type Level struct {
	Name string `json:"name,omitempty"`
	Ease int    `json:"ease,omitempty"` // how many of setup.Easings are in force, 0 to MostEase
}

// MostEase is the easiest position of the dial *how hard*, and LongestLevel the length of a level's name in characters.
const (
	MostEase     = 6
	LongestLevel = 24
)

// Or returns the level, or other if it is the zero Level: what is chosen for a sheet comes before the player's own.
func (l Level) Or(other Level) Level {
	if l == (Level{}) {
		return other
	}
	return l
}

// Validate returns a *FieldError for a level that cannot be.
func (l Level) Validate() error {
	switch {
	case l.Ease < 0 || l.Ease > MostEase:
		return &FieldError{"level.ease", fmt.Sprintf("%d is outside 0 to %d", l.Ease, MostEase)}
	case utf8.RuneCountInString(l.Name) > LongestLevel:
		return &FieldError{"level.name", fmt.Sprintf("at most %d characters", LongestLevel)}
	}
	return nil
}

// Taste is by what factor weights of the planner, by name, differ for this player: at most MostTaste either way.
type Taste map[string]float64

// MostTaste is how far a player's weight may lie from the planner's own, as a factor.
const MostTaste = 1.5

// Slide is the tube worn on the finger, or the bar. Where bore, wall and material are given its weight
// slows landing and shifting.
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
	LapStop  = "lap"      // lap style: each string stopped as the next speaks, the bar tilted
	Ring     = "ring"     // left to ring
)

// Leans: how much of the melody is for the slide.
const (
	LeanSlide = "slide"
	LeanMixed = "mixed"
	LeanMain  = "main"
	LeanFret  = "fret"
	LeanNone  = "none"
)

// Postures and supports of the picking hand.
const (
	Upright = "upright"
	Lap     = "lap"

	HeelRests = "heel"    // the heel near the bridge
	Floats    = "float"   // nothing touches the top
	Planted   = "planted" // the little finger stands on the top
)

// Vibratos: how a player's vibrato moves.
const (
	VibratoMedium = ""
	VibratoWide   = "wide"   // and slow
	VibratoNarrow = "narrow" // and quick
	VibratoNone   = "none"
)

// Postures, Silences, Leans, Attacks, Supports, Accents, Thumbs and Vibratos list the values of those fields.
var (
	Postures = []string{Upright, Lap}
	Silences = []string{Heel, Fingers, Trailing, Both, LapStop, Ring}
	Leans    = []string{LeanSlide, LeanMixed, LeanMain, LeanFret, LeanNone}
	Attacks  = []string{"flesh", "nails", "thumbpick", "picks"}
	Supports = []string{HeelRests, Floats, Planted}
	Accents  = []string{"one", "two-four", "even"}
	Thumbs   = []string{"", "alternating", "steady", "none"}
	Vibratos = []string{VibratoMedium, VibratoWide, VibratoNarrow, VibratoNone}
)

// Special techniques. Hammers, pulls and glides are everyone's; these are planned for who lists them, or
// where a note cannot be had otherwise.
const (
	UsesBend     = "bend"     // a fretted string pushed up
	UsesHarmonic = "harmonic" // an open string touched at a node
	UsesTap      = "tap"      // a finger of either hand sounding a string from nowhere
	UsesHook     = "hook"     // the picking hand bends
	UsesFlick    = "flick"    // beside a slap, which asks for it
)

// Techniques lists them.
var Techniques = []string{UsesBend, UsesHarmonic, UsesTap, UsesHook, UsesFlick}

// Uses reports whether the player lists a special technique.
func (p *Profile) Uses(technique string) bool { return slices.Contains(p.Techniques, technique) }

// SetUses puts a special technique on the player's list or takes it away.
func (p *Profile) SetUses(technique string, on bool) {
	p.Techniques = slices.DeleteFunc(slices.Clone(p.Techniques), func(t string) bool { return t == technique })
	if on {
		p.Techniques = append(p.Techniques, technique)
	}
}

// Default returns the profile that missing keys fall back on: a medium hand, the
// slide on the little finger, a full-scale guitar.
func Default() Profile {
	return Profile{
		Posture: Upright, SlideFinger: 4, Silence: Both, Lean: LeanMixed, Fingers: 2, Attack: "flesh",
		Support: Floats, ThumbOver: true, Drone: true, Accent: "one", ReachMM: 100,
		FittsA: 0.06, FittsB: 0.07,
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
	// Either of the two says that the guitar lies flat; what the file leaves out follows.
	if p.Posture == Lap && keyOffset(data, "silence") == 0 {
		p.Silence = LapStop
	}
	if p.Silence == LapStop && keyOffset(data, "posture") == 0 {
		p.Posture = Lap
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
		return at(data, keyOffset(data, typ.Field), fmt.Errorf("%s: this is a %s and should be a %s", typ.Field, typ.Value, typ.Type.Kind()))
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
	for _, c := range []struct {
		field, value string
		of           []string
	}{
		{"posture", p.Posture, Postures}, {"silence", p.Silence, Silences},
		{"lean", p.Lean, Leans}, {"attack", p.Attack, Attacks},
		{"support", p.Support, Supports}, {"accent", p.Accent, Accents}, {"thumb", p.Thumb, Thumbs}, {"vibrato", p.Vibrato, Vibratos},
	} {
		if !slices.Contains(c.of, c.value) {
			return &FieldError{c.field, fmt.Sprintf("%q is not one of %s", c.value, strings.Join(c.of, ", "))}
		}
	}
	if err := cmp.Or(p.checkLap(), p.Level.Validate()); err != nil {
		return err
	}
	if len(p.Tunings) > 60 {
		return &FieldError{"tunings", "at most 60"}
	}
	for i, t := range p.Techniques {
		if !slices.Contains(Techniques, t) || slices.Contains(p.Techniques[:i], t) {
			return &FieldError{"techniques", fmt.Sprintf("%q is not one of %s, each once", t, strings.Join(Techniques, ", "))}
		}
	}
	for name, factor := range p.Taste {
		if !(factor >= 1/MostTaste && factor <= MostTaste) {
			return &FieldError{"taste", fmt.Sprintf("%s %g is outside %.2f to %.2f", name, factor, 1/MostTaste, MostTaste)}
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
		{"fingerMm", p.FingerMM, 0, 35, " mm", "width of the slide's finger at its widest knuckle, 0 if not measured"},
		{"fittsA", p.FittsA, 0, 1, " s", "shortest time for any move of the hand"},
		{"fittsB", p.FittsB, 0.005, 1, " s", "time for each bit of a move's difficulty"},
		{"restrikeS", p.RestrikeS, 0, 0.6, " s", "shortest time between two strokes of the same finger, 0 for a typical value"},
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

// checkLap: the bar is the hand's only tool, and its silence is its own.
func (p Profile) checkLap() error {
	switch {
	case p.Posture != Lap && p.Silence == LapStop:
		return &FieldError{"silence", "lap style is for a guitar that lies flat: lay it flat, or choose another way to keep strings quiet"}
	case p.Posture == Lap && (p.Lean == LeanMain || p.Lean == LeanFret || p.Lean == LeanNone):
		return &FieldError{"lean", "a guitar that lies flat is not fretted: choose slide or mixed"}
	}
	return nil
}

// FollowPosture makes what keeps strings quiet follow when the guitar was laid flat or taken up since old, unless it was changed as well.
func (p *Profile) FollowPosture(old *Profile) {
	switch {
	case p.Silence != old.Silence:
	case p.Posture == Lap && old.Posture != Lap:
		p.Silence = LapStop
	case p.Posture != Lap && old.Posture == Lap && p.Silence == LapStop:
		p.Silence = Default().Silence
	}
}

// Lap reports whether the guitar lies flat under a solid bar.
func (p *Profile) Lap() bool { return p.Posture == Lap }

// MoveTime is the least time in seconds to bring a hand d mm onto a target w mm wide:
// Fitts's law in Shannon's form, FittsA + FittsB·log2(d/w + 1) (MacKenzie 1992).
func (p *Profile) MoveTime(d, w float64) float64 { return p.FittsA + p.FittsB*math.Log2(d/w+1) }

// restrike is the least time in seconds in which one digit usually plays twice in a row, by attack.
var restrike = map[string]float64{"flesh": 0.13, "nails": 0.12, "thumbpick": 0.13, "picks": 0.17}

// RestrikeTime is the least time in seconds in which one digit plays twice in a row: what was learnt of the
// player, else what is usual with their attack.
func (p *Profile) RestrikeTime() float64 {
	if p.RestrikeS > 0 {
		return p.RestrikeS
	}
	return restrike[p.Attack]
}

// Behind lists the fingers behind a worn slide, which can trail or fret there, and
// Stranded those in front of it, which can do neither.
func (p Profile) Behind() []int   { return fingersFrom(1, p.SlideFinger-1) }
func (p Profile) Stranded() []int { return fingersFrom(p.SlideFinger+1, 4) }

func fingersFrom(a, b int) []int {
	var out []int
	for f := a; f <= b; f++ {
		out = append(out, f)
	}
	return out
}

// Slowness is what the slide's weight makes of the time to land and to shift it: 1 for one of usualGrams
// and for one that was not measured, a tenth more for each 40 g beyond, between 0.9 and 1.4.
func (p Profile) Slowness() float64 {
	grams, ok := p.Tube().Grams()
	if !ok {
		return 1
	}
	return math.Min(1.4, math.Max(0.9, 1+(grams-usualGrams)/400))
}

// usualGrams is a slide that neither hurries nor holds up the hand: a medium glass or light steel tube.
const usualGrams = 60.0

// ThumbOverNeck numbers the thumb as a fretting finger, over the neck on string 6.
const ThumbOverNeck = 5

// WornOn is the finger that wears the slide, 0 if none does.
func (p *Profile) WornOn() int {
	if p.Lean == LeanNone || p.Lap() {
		return 0
	}
	return p.SlideFinger
}

// FreeFingers lists the fingers that may fret: all but the one that wears the slide. The list stays as it is.
func (p *Profile) FreeFingers() []int {
	if p.Lap() {
		return nil
	}
	return free[p.WornOn()]
}

// free lists the other fingers, by the finger that wears the slide; 0 is none.
var free = [...][]int{{1, 2, 3, 4}, {2, 3, 4}, {1, 3, 4}, {1, 2, 4}, {1, 2, 3}}

// allowedSpan is the share of the reach (fingers 1 to 4) that two fingers span without strain.
var allowedSpan = [5][5]float64{1: {2: 0.42, 3: 0.72, 4: 1}, 2: {3: 0.38, 4: 0.68}, 3: {4: 0.38}}

// SpanMM is how far fingers a < b of 1 … 4 spread without strain, in mm along the neck.
func (p *Profile) SpanMM(a, b int) float64 { return p.ReachMM * allowedSpan[a][b] }

// Neck returns the geometry of the profile's instrument.
func (p Profile) Neck() neck.Neck {
	return neck.Neck{Scale: p.Instrument.ScaleMM, Nut: p.Instrument.NutMM, Bridge: p.Instrument.BridgeMM, Frets: p.Instrument.Frets}
}

// UsesHeel, UsesThumbRest, UsesTrailing and UsesStops report which dampers the
// player's school of silence permits.
func (p Profile) UsesHeel() bool      { return p.Silence == Heel || p.Silence == Both }
func (p Profile) UsesRests() bool     { return p.UsesThumbRest() && p.Fingers > 1 }
func (p Profile) UsesThumbRest() bool { return p.Silence == Fingers || p.Silence == Both }
func (p Profile) UsesTrailing() bool {
	return p.Silence == Trailing || p.Silence == Both || p.Silence == LapStop
}
func (p Profile) UsesStops() bool { return p.Silence != Ring }
