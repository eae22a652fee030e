package setup

import (
	"fmt"
	"slices"
	"strings"

	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
)

// Proposed are the levels that every tune and player can have without keeping any.
var Proposed = []player.Level{{Name: "Full"}, {Name: "Half way", Ease: 3}, {Name: "First steps", Ease: 5}}

// MostLevels is how many levels are kept for a tune.
const MostLevels = 8

// LeftOut says what a level leaves out, "nothing" for a tune as it is arranged.
func LeftOut(l player.Level) string {
	if l.Ease < 1 || l.Ease > len(Easings) {
		return "nothing left out"
	}
	return Easings[l.Ease-1].Name
}

func checkLevels(levels []player.Level) *FieldError {
	if len(levels) > MostLevels {
		return &FieldError{"levels", fmt.Sprintf("a tune keeps at most %d levels: remove one first", MostLevels)}
	}
	for _, l := range levels {
		if l.Validate() != nil || l.Name == "" {
			return &FieldError{"levels", fmt.Sprintf("give the level a name of 1 to %d characters", player.LongestLevel)}
		}
	}
	return nil
}

// AllLevels lists the levels of a tune by name: the proposed ones, which a kept level of the same name replaces, then the others.
func (s *Settings) AllLevels() []player.Level {
	out := slices.Clone(Proposed)
	for _, l := range s.Levels {
		if at := levelAt(out, l.Name); at >= 0 {
			out[at] = l
		} else {
			out = append(out, l)
		}
	}
	return out
}

// LevelNamed finds a level of AllLevels by its name, whatever its capitals.
func (s *Settings) LevelNamed(name string) (l player.Level, ok bool) {
	all := s.AllLevels()
	at := levelAt(all, name)
	if at < 0 {
		return l, false
	}
	return all[at], true
}

func levelAt(levels []player.Level, name string) int {
	return slices.IndexFunc(levels, func(l player.Level) bool { return strings.EqualFold(l.Name, name) })
}

// WithLevel keeps the dial's position under a name, in place of what had that name. The error is written for people.
func (s Settings) WithLevel(name string) (Settings, error) {
	l := player.Level{Name: strings.Join(strings.Fields(name), " "), Ease: s.Ease}
	s = s.WithoutLevel(l.Name)
	s.Levels = append(s.Levels, l)
	if err := checkLevels(s.Levels); err != nil {
		return s, err
	}
	return s, nil
}

// WithoutLevel removes the level of that name.
func (s Settings) WithoutLevel(name string) Settings {
	s.Levels = slices.DeleteFunc(slices.Clone(s.Levels), func(l player.Level) bool { return strings.EqualFold(l.Name, name) })
	return s
}

// For returns the settings of a sheet for a pupil. Tuning, capo, key, tempo, changed bars and pins are the tune's. How much
// is for the slide, the thumb and what is left out are the pupil's: a thumb that the profile names comes before the tune's, with its patterns
// and pins. A plan that the teacher keeps is for the teacher's hand, and does not bind the pupil's.
func (s Settings) For(p *player.Profile, l player.Level) Settings {
	s.Kept, s.Slide, s.Ease = nil, "", l.Ease
	if kind := pattern.Kind(p.Thumb); kind != "" {
		s.Thumb, s.Sections = kind, nil
		s = s.with(notThumb)
	}
	if p.Lean == player.LeanNone { // a pin of the slide would ask for what this pupil does not have
		s = s.with(func(pin *play.Pin) bool { return !pin.How.Slid() && pin.Part != play.Tube })
	}
	return s
}
