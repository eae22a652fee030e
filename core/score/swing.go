package score

import (
	"regexp"

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
