package plan

import "fmt"

// pinText says a pin in words; bar counts from 1, frets from the capo.
func pinText(p Pin, bar, capo int) string {
	if p.How == Drop {
		return fmt.Sprintf("bar %d, thumb left out", bar)
	}
	return fmt.Sprintf("bar %d, %s on string %d %s", bar, p.Part, p.String, howText(p.How, p.Fret-float64(capo)))
}

// howText says a technique and fret: "open", "at fret 5, fretted", "at fret 5, slide".
func howText(h How, fret float64) string {
	switch h {
	case Open:
		return "open"
	case Fret:
		return "at fret " + FretText(fret) + ", fretted"
	default:
		return "at fret " + FretText(fret) + " with the slide"
	}
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
