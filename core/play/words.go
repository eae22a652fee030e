package play

import (
	"fmt"
	"math"
	"strings"
)

// CapoFret is a fret counted from the capo, as players read and say it; 0 is the open string. Frets
// counted from the nut are plain numbers.
type CapoFret float64

// FromCapo counts a fret from the nut again from the capo.
func FromCapo(fret float64, capo int) CapoFret { return CapoFret(fret - float64(capo)) }

// String writes the fret with two decimals at most.
func (f CapoFret) String() string { return Decimal(float64(f)) }

// Decimal writes a number with two decimals at most.
func Decimal(f float64) string {
	s := strings.TrimRight(fmt.Sprintf("%.2f", f), "0")
	return strings.TrimSuffix(s, ".")
}

// HowText says a technique and its fret: "open", "at fret 5, fretted".
func HowText(h How, fret CapoFret) string {
	if h == Open {
		return "open"
	}
	return "at fret " + fret.String() + howWord[h]
}

var howWord = map[How]string{
	Fret: ", fretted", Slide: " with the slide", Glide: ", glided into", Hammer: ", hammered", Pull: ", pulled off",
	Bend: " by a bend", Harmonic: ", a harmonic", Tapped: ", tapped",
}

// Name says a technique by itself.
func (h How) Name() string {
	if h == Open {
		return "open"
	}
	return strings.TrimPrefix(strings.TrimSpace(howWord[h]), ", ")
}

// CountAloud is how a beat is counted aloud: its number, and between beats e, &, a, or a third's
// trip and let.
func CountAloud(beat float64) string {
	whole, part := math.Modf(beat)
	for _, w := range []struct {
		at   float64
		word string
	}{{0, fmt.Sprintf("%.0f", whole)}, {0.25, "e"}, {0.5, "&"}, {0.75, "a"}, {1. / 3, "trip"}, {2. / 3, "let"}} {
		if math.Abs(part-w.at) < 0.01 {
			return w.word
		}
	}
	return Decimal(beat)
}
