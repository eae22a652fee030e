package view

import (
	"fmt"
	"unicode"
	"unicode/utf8"

	"stepping/core/tune"
)

// Sentence makes a sentence of an error's text.
func Sentence(text string) string { return Capital(text) + "." }

// Capital begins a sentence.
func Capital(text string) string {
	first, n := utf8.DecodeRuneInString(text)
	return string(unicode.ToUpper(first)) + text[n:]
}

// beatsText is a time in beats as players say it: "1 beat", "½ beat", "1½ beats".
func beatsText(d, unit tune.Time) string {
	whole := d / unit
	part, ok := fractions[12*(d%unit)/unit]
	switch {
	case !ok || 12*d%unit != 0:
		return fmt.Sprintf("%.2g beats", float64(d)/float64(unit))
	case whole == 0:
		return part + " beat"
	case whole == 1 && part == "":
		return "1 beat"
	}
	return fmt.Sprintf("%d%s beats", whole, part)
}

// fractions are parts of a beat, in twelfths.
var fractions = map[tune.Time]string{0: "", 3: "¼", 4: "⅓", 6: "½", 8: "⅔", 9: "¾"}
