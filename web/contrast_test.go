package web_test

import (
	"math"
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"
)

// leastContrast is what text must stand out by from what is behind it (WCAG 2.2, 1.4.3, text of any size).
const leastContrast = 4.5

// colour is red, green and blue, 0 … 1.
type colour [3]float64

// hexColour reads #rrggbb.
func hexColour(t *testing.T, hex string) (c colour) {
	t.Helper()
	for i := range c {
		n, err := strconv.ParseUint(hex[1+2*i:3+2*i], 16, 8)
		if err != nil {
			t.Fatal(hex, err)
		}
		c[i] = float64(n) / 255
	}
	return c
}

// luminance is the relative luminance of sRGB (WCAG 2.2).
func (c colour) luminance() float64 {
	lin := func(v float64) float64 {
		if v <= 0.04045 {
			return v / 12.92
		}
		return math.Pow((v+0.055)/1.055, 2.4)
	}
	return 0.2126*lin(c[0]) + 0.7152*lin(c[1]) + 0.0722*lin(c[2])
}

// contrast is between 1, none, and 21, black on white.
func contrast(a, b colour) float64 {
	la, lb := a.luminance(), b.luminance()
	return (max(la, lb) + 0.05) / (min(la, lb) + 0.05)
}

// TestContrast: in both looks, every colour that the style sheet gives to text stands out from what the same rule puts behind it,
// or from every surface that text stands on.
func TestContrast(t *testing.T) {
	t.Parallel()
	if got := contrast(colour{1, 1, 1}, colour{}); got != 21 {
		t.Fatalf("black on white: %v", got)
	}
	sheet, err := os.ReadFile("static/stepping.css")
	if err != nil {
		t.Fatal(err)
	}
	var looks [2]map[string]colour
	for i := range looks {
		looks[i] = map[string]colour{}
	}
	for _, token := range regexp.MustCompile(`--(\w[\w-]*): light-dark\((#\w{6}), (#\w{6})\)`).FindAllStringSubmatch(string(sheet), -1) {
		looks[0][token[1]], looks[1][token[1]] = hexColour(t, token[2]), hexColour(t, token[3])
	}
	text := regexp.MustCompile(`(?:^|[;{\s])color: var\(--([\w-]+)\)`)
	back := regexp.MustCompile(`(?:^|[;{\s])background(?:-color)?: var\(--([\w-]+)\)`)
	pairs := 0
	for _, rule := range regexp.MustCompile(`([^{}]+)\{([^{}]*)\}`).FindAllStringSubmatch(string(sheet), -1) {
		name, on := text.FindStringSubmatch(rule[2]), back.FindStringSubmatch(rule[2])
		surfaces := []string{"paper", "sheet"}
		switch {
		case name == nil && on == nil:
			continue
		case name == nil:
			name = []string{"", "ink"} // what is inherited
			if on[1] == "ink" || on[1] == "slide" || on[1] == "leak" || on[1] == "thumb" || on[1] == "hold" {
				continue // no text inherits its colour there: a bar, a dot, a sign
			}
			surfaces = on[1:2]
		case on != nil:
			surfaces = on[1:2]
		}
		for look, tokens := range looks {
			for _, surface := range surfaces {
				a, knownA := tokens[name[1]]
				b, knownB := tokens[surface]
				if !knownA || !knownB {
					t.Fatalf("%s: --%s or --%s is no token", strings.TrimSpace(rule[1]), name[1], surface)
				}
				pairs++
				if got := contrast(a, b); got < leastContrast {
					t.Errorf("%s: --%s on --%s in look %d: %.2f", strings.TrimSpace(rule[1]), name[1], surface, look, got)
				}
			}
		}
	}
	if pairs < 300 {
		t.Errorf("only %d pairs of colours: the style sheet was not read", pairs)
	}
}
