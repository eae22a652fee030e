package score

import (
	"math"
	"regexp"
	"slices"

	"stepping/core/tune"
)

// swingWord is how files say in words that eighths are swung, with a ratio or a share behind it if one is given.
var swingWord = regexp.MustCompile(`(?i)\b(straight(?:\s+(?:8ths|eighths|feel))|swing|swung|shuffle)\b(?:[^\d\n]{0,3}(\d(?:\.\d+)?\s*:\s*\d(?:\.\d+)?|0\.\d+))?`)

// SwingWords reads what a line of words says of swing: 2:1 unless a ratio stands behind the word; ok is false if it says nothing.
func SwingWords(text string) (share float64, ok bool) {
	m := swingWord.FindStringSubmatch(text)
	if m == nil {
		return 0, false
	}
	word := "swing"
	switch {
	case m[2] != "":
		word = m[2]
	case m[1][0] == 's' && m[1][1] == 't', m[1][0] == 'S' && (m[1][1] == 't' || m[1][1] == 'T'):
		word = "straight"
	}
	share, err := tune.ParseSwing(word)
	return share, err == nil
}

// Unswing writes notes straight that were played with the swing that the file names: the second eighth in the middle of its quarter, and what
// is finer in its place. Quarters that are played in thirds stay as they are.
func (s *Score) Unswing() {
	if s.Swing <= tune.Straight || s.Swing > tune.MostSwing {
		return
	}
	thirds := map[Units]bool{}
	for _, v := range s.pitched() {
		for i := range v.Notes {
			if from, in, ok := s.quarterOf(v.Notes[i].At); ok && (near(in, s.Unit, 1, 3) || near(in, s.Unit, 1, 6) || near(in, s.Unit, 5, 6)) {
				thirds[from] = true
			}
		}
	}
	straight := func(t Units) Units {
		from, in, ok := s.quarterOf(t)
		if !ok || thirds[from] {
			return t
		}
		x := float64(in) / float64(s.Unit)
		if x < s.Swing {
			x *= 0.5 / s.Swing
		} else {
			x = 0.5 + (x-s.Swing)*0.5/(1-s.Swing)
		}
		return from + Units(math.Round(x*float64(s.Unit)))
	}
	for p := range s.Parts {
		for v := range s.Parts[p].Voices {
			for i := range s.Parts[p].Voices[v].Notes {
				n := &s.Parts[p].Voices[v].Notes[i]
				at := straight(n.At)
				n.At, n.Dur = at, max(1, straight(n.End())-at)
			}
		}
	}
}

// near reports whether in is a share of a quarter, to a tick.
func near(in, unit, num, den Units) bool { d := den*in - num*unit; return max(d, -d) <= den }

// quarterOf is the beginning of the quarter in which a time lies, and the time since; ok is false where the meter counts eighths.
func (s *Score) quarterOf(t Units) (from, in Units, ok bool) {
	bar, _ := slices.BinarySearch(s.Bars, t+1)
	begin := Units(0)
	if bar > 0 {
		begin = s.Bars[bar-1]
	}
	in = (t - begin) % s.Unit
	den := 4
	for i := range s.Meters {
		if s.Meters[i].At <= t {
			den = s.Meters[i].Den
		}
	}
	return t - in, in, den <= 4 && s.Unit > 1
}
