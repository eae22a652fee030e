package digits

import (
	"math"
	"testing"
)

// TestTerms works out by hand a case for every weight: i, m, a live on strings 3, 2, 1, a lone i on 2.
func TestTerms(t *testing.T) {
	is := func(what string, got, want float64) {
		t.Helper()
		if math.Abs(got-want) > 1e-6 {
			t.Errorf("%s: %v, by hand %v", what, got, want)
		}
	}
	is("i on its string", PlaceCost(3, I, 3), 0)
	is("m two strings off", PlaceCost(2, M, 4), 2*wDigitPlace)
	is("a on its string", PlaceCost(3, A, 1), 0)
	is("a lone i on string 1", PlaceCost(1, I, 1), wDigitPlace)
	i, m, tap := uint8(1<<I), uint8(1<<M), uint8(1<<TapBit)
	is("i after i in 0.26 s, twice what flesh needs", AgainCost(0.13, i, i, 0.26), wRepeat/4)
	is("two digits again", AgainCost(0.13, i|m, i|m, 0.26), 2*wRepeat/4)
	is("m after i", AgainCost(0.13, i, m, 0.26), wAlternate/4)
	is("picks in 0.17 s", AgainCost(0.17, i, i, 0.17), wRepeat)
	is("nails in 0.12 s", AgainCost(0.12, i, i, 0.12), wRepeat)
	is("fresh digits", AgainCost(0.13, 0, i, 0.1), 0)
	is("to the neck in 0.6 s", AgainCost(0.13, i, tap, 0.6), wAlternate*math.Pow(0.13/0.6, 2)+wRepeat/4)
}
