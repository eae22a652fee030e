package plan

import (
	"fmt"
	"strings"
)

// howText says a technique and its fret, counted from the capo: "open", "at fret 5, fretted".
func howText(h How, fret float64) string {
	if h == Open {
		return "open"
	}
	return "at fret " + FretText(fret) + howWord[h]
}

var howWord = map[How]string{
	Fret: ", fretted", Slide: " with the slide", Glide: ", glided into", Hammer: ", hammered", Pull: ", pulled off",
	Bend: " by a bend", Harmonic: ", a harmonic", Tapped: ", tapped",
}

// howWords says a technique by itself.
func howWords(h How) string {
	if h == Open {
		return "open"
	}
	return strings.TrimPrefix(strings.TrimSpace(howWord[h]), ", ")
}

// FretText writes a fret number, with two decimals at most.
func FretText(f float64) string {
	return trimZeros(fmt.Sprintf("%.2f", f))
}

func trimZeros(s string) string {
	for s[len(s)-1] == '0' {
		s = s[:len(s)-1]
	}
	if s[len(s)-1] == '.' {
		s = s[:len(s)-1]
	}
	return s
}
