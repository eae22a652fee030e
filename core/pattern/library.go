package pattern

import (
	"strings"
)

// Library is the built-in patterns. Names are plain words for what one hears or does.
var Library = buildLibrary()

// Named finds a built-in pattern by its name, in any case.
func Named(name string) (*Pattern, bool) {
	for i := range Library {
		if strings.EqualFold(Library[i].Name, strings.TrimSpace(name)) {
			return &Library[i], true
		}
	}
	return nil, false
}

// buildLibrary writes each pattern as one word a step: r a h = w > for the thumb's root, alternate,
// higher tone, repeat, walk and arrival; 1 2 3 for the top, next and third string; ! for an accent;
// ' for half muted, " for a thump, ^ for a stab; S T H R for slap, tap, thump on the top, release.
func buildLibrary() []Pattern {
	var out []Pattern
	for _, row := range []struct {
		name, meter string
		swing       bool
		steps       string
	}{
		{"Steady bass", "4/4", false, "r! . r . r . r ."},
		{"Steady bass under a pinch", "4/4", false, "r1! . r . r1 . r ."},
		{"Root and alternate", "4/4", false, "r! . a . r . a ."},
		{"Alternate with a pinch on one", "4/4", false, "r1! . a . r . a ."},
		{"Four-string round", "4/4", false, "r! . h . a . h ."},
		{"Doubled thumb and a gap", "4/4", false, "r! = . . a = . ."},
		{"Thumb and one, between the beats", "4/4", false, "r! 1 a 1 r 1 a 1"},
		{"Thumb and one, swung", "4/4", true, "r! 1 a 1 r 1 a 1"},
		{"Thumb and two, in turn", "4/4", false, "r! 2 a 1 r 2 a 1"},
		{"Thumb and two, off the beat", "4/4", false, "r1! . a 2 . 1 a 2"},
		{"Thumb and three, rolling up", "4/4", false, "r! 3 2 1 a 3 2 1"},
		{"Outer strings, then inner", "4/4", false, "r1! . h23 . a1 . h23 ."},
		{"Inner pair answers", "4/4", false, "r! . 23 . a . 23 ."},
		{"Three at once on two and four", "4/4", false, "r! . 123 . a . 123 ."},
		{"Accent on two and four", "4/4", false, "r . a! . r . a! ."},
		{"Muted walk", "4/4", false, "r'! . a' . r' . w' ."},
		{"Early into the change", "4/4", false, "r! . a . r . a >"},
		{"Slap on two and four", "4/4", false, "r! 1 S 1 a 1 S 1"},
		{"Slap under a flicked top", "4/4", false, "r! . S1 . a . S1 ."},
		{"Fingertips fall on two and four", "4/4", false, "r1! . T . a1 . T ."},
		{"Heel on the top", "4/4", false, "r1! . aH . r1 . aH ."},
		{"Stab and let up", "4/4", false, "r^! . 23 . a^ . 23R ."},
		{"Waltz, root and pair", "3/4", false, "r! . 12 . 12 ."},
		{"Waltz, one string at a time", "3/4", false, "r! 3 2 1 2 3"},
		{"Rolling six", "6/8", false, "r! 3 2 1 2 3"},
		{"Two pulses in six", "6/8", false, "r! . 1 a . 1"},
		{"Two-step", "2/4", false, "r! 1 a 1"},
		{"Two-step, swung", "2/4", true, "r! 1 a 1"},
	} {
		p := Pattern{Name: row.name, Meter: row.meter, Swing: row.swing}
		for i, word := range strings.Fields(row.steps) {
			p.Steps = i + 1
			if b := beatOf(word); word != "." {
				b.Step = i + 1
				p.Beats = append(p.Beats, b)
			}
		}
		if err := p.Validate(); err != nil {
			panic("thumb: library pattern " + p.Name + ": " + err.Error())
		}
		out = append(out, p)
	}
	return out
}

func beatOf(word string) (b Beat) {
	thumbs := map[rune]string{'r': "root", 'a': "alternate", 'h': "higher", '=': "repeat", 'w': "walk", '>': "arrive"}
	mutes := map[rune]string{'\'': "half", '"': "thump", '^': "stab"}
	hits := map[rune]string{'S': Slap, 'T': Tap, 'H': Thump, 'R': Release}
	for _, r := range word {
		switch {
		case r == '!':
			b.Accent = true
		case r >= '1' && r <= '3':
			b.Fingers = append(b.Fingers, FingerRoles[r-'1'])
		case thumbs[r] != "":
			b.Thumb = thumbs[r]
		case mutes[r] != "":
			b.Mute = mutes[r]
		case hits[r] != "":
			b.Hit = hits[r]
		}
	}
	return b
}
