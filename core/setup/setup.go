// Package setup holds the settings of a tune: how it is tuned, played and pinned. It says what they may
// be, which of a player's choices fall when another changes, and what the planner is asked for them.
package setup

import (
	"fmt"
	"slices"
	"strings"

	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// MaxSteps is how many half steps a tune may be moved.
const MaxSteps = 36

// Settings are everything about a tune that a player chooses, apart from the player.
type Settings struct {
	Tuning   string            `json:"tuning"` // as tuning.Parse reads it
	Capo     int               `json:"capo"`
	Tempo    float64           `json:"tempo"`           // 0: the tune's own
	Steps    int               `json:"steps,omitempty"` // half steps that the tune is moved up
	Swing    float64           `json:"swing,omitempty"` // share of the first of two eighths, see tune.Swung; 0: the tune's own
	Thumb    pattern.Kind      `json:"thumb"`
	Slide    string            `json:"slide,omitempty"`    // how much of the melody is for the slide, of player.Leans; "": as the player likes it
	Ease     int               `json:"ease,omitempty"`     // how many of Easings are in force, the first ones
	Levels   []player.Level    `json:"levels,omitempty"`   // positions of the dial *how hard* kept for this tune by name
	Sections []pattern.Section `json:"sections,omitempty"` // patterns in force from a bar on
	Rewrites []tune.Rewrite    `json:"rewrites,omitempty"` // bars whose melody is another than the one written
	Mends    []tune.Mend       `json:"mends,omitempty"`    // notes changed so that they can be had, in the key as written
	Pins     []play.Pin        `json:"pins"`
	Varied   bool              `json:"varied,omitempty"` // repeated bars need not be played alike
	Kept     *Kept             `json:"kept,omitempty"`   // the plan that the player has taken up
}

// Kept is a plan that a player has taken up: it stays as it is, whatever the planner or their preferences become.
type Kept struct {
	Revision int        `json:"revision"` // of the planner that made it
	Choices  []play.Pin `json:"choices"`
}

// MostKept is the length in moments up to which a plan can be kept: each step of undo holds its choices.
const MostKept = 1200

// Keep keeps p as it is.
func (s Settings) Keep(p *plan.Plan) (Settings, error) {
	if len(p.Moments) > MostKept {
		return s, fmt.Errorf("versions of up to %d moments can be saved, and this one has %d", MostKept, len(p.Moments))
	}
	s.Kept = &Kept{plan.Revision, p.Choices()}
	return s, nil
}

// LetGo lets the planner choose again.
func (s Settings) LetGo() Settings {
	s.Kept = nil
	return s
}

// FieldError is a setting that cannot be: which, and what would be right.
type FieldError struct{ Field, Text string }

func (e *FieldError) Error() string { return e.Text }

// What numbers may be, for people.
var (
	CapoRule  = fmt.Sprintf("a capo sits on fret 1 to %d, or 0 for none", tuning.MaxCapo)
	StepsRule = fmt.Sprintf("give the half steps by which the tune is moved, from -%d to %d", MaxSteps, MaxSteps)
	SwingRule = fmt.Sprintf("the first of two eighths takes %g to %g of their time, or nothing for the tune's own", tune.Straight, tune.MostSwing)
	TempoRule = tune.TempoRule + ", or nothing for the tune's own"
)

// Check returns the first setting that cannot be, nil if all can. What depends on the tune or the
// player is left to the planner.
func (s *Settings) Check() *FieldError {
	if _, err := tuning.Parse(s.Tuning); err != nil {
		return &FieldError{"tuning", err.Error()}
	}
	switch {
	case s.Capo < 0 || s.Capo > tuning.MaxCapo:
		return &FieldError{"capo", fmt.Sprintf("%d: %s", s.Capo, CapoRule)}
	case s.Steps < -MaxSteps || s.Steps > MaxSteps:
		return &FieldError{"steps", fmt.Sprintf("%d: %s", s.Steps, StepsRule)}
	case s.Tempo != 0 && !(s.Tempo >= tune.MinTempo && s.Tempo <= tune.MaxTempo):
		return &FieldError{"tempo", fmt.Sprintf("%g: %s", s.Tempo, TempoRule)}
	case s.Swing != 0 && !(s.Swing >= tune.Straight && s.Swing <= tune.MostSwing):
		return &FieldError{"swing", fmt.Sprintf("%g: %s", s.Swing, SwingRule)}
	case !slices.Contains(pattern.Kinds, s.Thumb):
		return &FieldError{"thumb", "choose none, steady, alternating or written"}
	case s.Slide != "" && !slices.Contains(player.Leans, s.Slide):
		return &FieldError{"slide", fmt.Sprintf("%q: choose one of %s", s.Slide, strings.Join(player.Leans, ", "))}
	case s.Ease < 0 || s.Ease > len(Easings):
		return &FieldError{"ease", fmt.Sprintf("%d: choose 0 to %d", s.Ease, len(Easings))}
	}
	return checkLevels(s.Levels)
}

// Request is what the planner is asked for tu, as written, under the settings.
func (s *Settings) Request(tu *tune.Tune, p *player.Profile) (plan.Request, error) {
	tn, err := tuning.Parse(s.Tuning)
	if err != nil {
		return plan.Request{}, err
	}
	if tu, err = tu.Rewritten(s.Rewrites); err != nil {
		return plan.Request{}, fmt.Errorf("%w: remove it under Setup", err)
	}
	for i := range s.Mends {
		if mended, err := tu.Mended(&s.Mends[i]); err == nil { // one whose note is gone with its bar has nothing to change
			tu = mended
		}
	}
	req := plan.Request{Tune: tu.Swung(s.Swing).Transposed(s.Steps), Tuning: tn, Capo: s.Capo, Tempo: s.Tempo, Player: *p,
		Thumb: s.Thumb, Sections: s.Sections, Pins: s.Pins, Varied: s.Varied}
	if req.Thumb == pattern.Written && len(tu.Bass) == 0 { // the text was replaced
		req.Thumb = pattern.Alternating
	}
	if slices.Contains(HowMuchSlide(p), s.Slide) { // else it was turned for a player whose guitar lies otherwise
		req.Player.Lean = s.Slide
	}
	Eased(&req, s.Ease)
	if s.Kept != nil {
		req.Kept = s.Kept.Choices
	}
	return req, nil
}

// with returns a copy with those pins that keep holds for.
func (s Settings) with(keep func(*play.Pin) bool) Settings {
	s.Pins = those(s.Pins, keep)
	return s
}

// withChoices is with for what is kept, too.
func (s Settings) withChoices(keep func(*play.Pin) bool) Settings {
	if s.Kept != nil {
		s.Kept = &Kept{s.Kept.Revision, those(s.Kept.Choices, keep)}
	}
	return s.with(keep)
}

func those(pins []play.Pin, keep func(*play.Pin) bool) []play.Pin {
	out := make([]play.Pin, 0, len(pins))
	for i := range pins {
		if keep(&pins[i]) {
			out = append(out, pins[i])
		}
	}
	return out
}

// To returns what is in force when the player asks for next. Pins and what is kept name strings and frets: in another
// tuning, capo or key all fall; with another thumb the thumb's fall.
func (s Settings) To(next Settings) Settings {
	next.Sections, next.Rewrites, next.Mends, next.Pins, next.Kept = s.Sections, s.Rewrites, s.Mends, s.Pins, s.Kept
	next.Slide, next.Ease, next.Levels = s.Slide, s.Ease, s.Levels
	if next.Tuning != s.Tuning || next.Capo != s.Capo || next.Steps != s.Steps {
		next.Mends = nil // they were for that tuning
		return next.WithoutPins().LetGo()
	}
	if next.Thumb != s.Thumb {
		return next.withChoices(notThumb)
	}
	return next
}

func notThumb(p *play.Pin) bool { return p.Part != play.Thumb }

// WithMends changes notes of the tune; pins at their times name notes that may be gone, and fall.
func (s Settings) WithMends(mends []tune.Mend) Settings {
	s.Mends = slices.Concat(s.Mends, mends)
	return s.withChoices(func(p *play.Pin) bool {
		return !slices.ContainsFunc(mends, func(m tune.Mend) bool { return m.At == p.At })
	})
}

// MostMends is how many notes may be changed.
const MostMends = 500

// WithoutMends has the notes as they are written.
func (s Settings) WithoutMends() Settings {
	s.Mends = nil
	return s
}

// WithoutPins drops every pin.
func (s Settings) WithoutPins() Settings { return s.with(func(*play.Pin) bool { return false }) }

// WithoutPin drops the pin for the same thing as p.
func (s Settings) WithoutPin(p *play.Pin) Settings {
	return s.with(func(old *play.Pin) bool { return !old.SameTarget(p) })
}

// WithPin sets p in place of what is pinned for the same thing. A digit or finger for a note joins what
// is pinned for its place.
func (s Settings) WithPin(p play.Pin) Settings {
	for i := range s.Pins {
		old := &s.Pins[i]
		if !p.SameTarget(old) || p.Part != play.Melody || p.String != 0 || p.How != "" {
			continue
		}
		p.String, p.Fret, p.How = old.String, old.Fret, old.How
		if p.Digit == "" {
			p.Digit = old.Digit
		}
		if p.Finger == 0 {
			p.Finger = old.Finger
		}
	}
	s = s.WithoutPin(&p)
	s.Pins = append(s.Pins, p)
	return s
}

// WithSection puts a pattern in force from a bar on; nil takes away the one that begins there. Pins of
// the thumb fall: another pattern may not have their strokes.
func (s Settings) WithSection(bar int, p *pattern.Pattern) Settings {
	s = s.withChoices(notThumb)
	s.Sections = slices.DeleteFunc(slices.Clone(s.Sections), func(sec pattern.Section) bool { return sec.Bar == bar })
	if p != nil {
		s.Sections = append(s.Sections, pattern.Section{Bar: bar, Pattern: p})
		slices.SortFunc(s.Sections, func(a, b pattern.Section) int { return a.Bar - b.Bar })
	}
	return s
}

// WithMelody puts other melodies into bars of tu (without notes: as written again) and adds pins for
// them. Pins in those bars name notes that are no longer there, and fall.
func (s Settings) WithMelody(tu *tune.Tune, rewrites []tune.Rewrite, pins []play.Pin) Settings {
	s.Rewrites = slices.Clone(s.Rewrites)
	for _, r := range rewrites {
		s.Rewrites = slices.DeleteFunc(s.Rewrites, func(old tune.Rewrite) bool { return old.Bar == r.Bar })
		if len(r.Notes) > 0 {
			s.Rewrites = append(s.Rewrites, r)
		}
		if r.Bar < 1 || r.Bar > len(tu.Bars) {
			continue
		}
		begin := tu.Bars[r.Bar-1]
		end := begin + tu.BarLength(r.Bar-1)
		s = s.withChoices(func(p *play.Pin) bool { return p.Part != play.Melody || p.At < begin || p.At >= end })
	}
	s.Pins = append(slices.Clone(s.Pins), pins...)
	return s
}

// AsWritten moves the notes of rewrites for the tune as it is played back to the tune as written.
func (s *Settings) AsWritten(rewrites []tune.Rewrite) []tune.Rewrite {
	var out []tune.Rewrite
	for _, r := range rewrites {
		r.Notes = slices.Clone(r.Notes)
		for i := range r.Notes {
			n := &r.Notes[i]
			n.Pitch -= pitch.Midi(s.Steps)
			n.With = slices.Clone(n.With)
			for v := range n.With {
				n.With[v] -= pitch.Midi(s.Steps)
			}
		}
		out = append(out, r)
	}
	return out
}

// BarChoice is something that can be pinned for whole bars.
type BarChoice struct {
	Value, Text string
	pin         play.Pin
}

// BarChoices are all of them.
var BarChoices = append([]BarChoice{
	{"no-slide", "No slide", play.Pin{Part: play.Tube, How: play.Off}},
	{"all-slide", "All with the slide", play.Pin{Part: play.Melody, How: play.Slide}},
	{"all-fret", "All fretted", play.Pin{Part: play.Melody, How: play.Fret}},
	{"heel-off", "Heel off the strings", play.Pin{Part: play.Heel, How: play.Off}},
	{"ring", "Strings left to ring", play.Pin{Part: play.Ringing}},
	{"no-thumb", "Thumb left out", play.Pin{Part: play.Thumb, How: play.Drop}},
}, positions()...)

// positions are the choices of a position for the hand.
func positions() (out []BarChoice) {
	for at := 1; at <= highestPosition; at++ {
		out = append(out, BarChoice{fmt.Sprintf("position-%d", at), fmt.Sprintf("Stay at frets %d to %d", at, at+play.PositionFrets-1),
			play.Pin{Part: play.Position, Fret: float64(at)}})
	}
	return out
}

// highestPosition is the highest one offered, in frets above the capo.
const highestPosition = 12

// PinBars is a choice as a pin for the bars first to last of tu, numbered as on paper, on their first pass, with a capo; the
// error is written for people.
func PinBars(tu *tune.Tune, choice string, first, last, capo int) (play.Pin, error) {
	from, to := tu.BarNumbered(first), tu.BarNumbered(last)
	if from < 0 || to < from {
		return play.Pin{}, fmt.Errorf("bars %d to %d: give the first and the last bar, from %s to %s", first, last,
			tu.BarPrinted(0), tu.BarPrinted(len(tu.Bars)-1))
	}
	at := slices.IndexFunc(BarChoices, func(c BarChoice) bool { return c.Value == choice })
	if at < 0 {
		return play.Pin{}, fmt.Errorf("choose what to pin from the list")
	}
	p := BarChoices[at].pin
	if p.Part == play.Position {
		p.Fret += float64(capo)
	}
	p.At, p.To = tu.Bars[from], tu.Bars[to]+tu.BarLength(to)
	return p, nil
}

// ChordsOf writes a tune's chords bar by bar, as tune.Progression reads them.
func ChordsOf(tu *tune.Tune) string {
	var bars []string
	next := 0
	for bar, at := range tu.Bars {
		end, word := at+tu.BarLength(bar), ""
		for ; next < len(tu.Chords) && tu.Chords[next].At < end; next++ {
			word += " " + tu.Chords[next].Chord.Name
		}
		bars = append(bars, word)
	}
	return strings.TrimSpace(strings.Join(bars, " |"))
}
