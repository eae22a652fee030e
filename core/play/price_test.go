package play

import (
	"strings"
	"testing"
)

// The words grow with the figure, name what grows, and the figure stands behind them.
func TestPriced(t *testing.T) {
	for _, tt := range []struct {
		extra float64
		most  Term
		want  string
	}{
		{0.004, Leak, "as good"}, {-0.004, Leak, "as good"}, {0.005, Shift, "about as easy, +0.01"},
		{0.1, Clash, "a little harsher, +0.10"}, {0.82, Leak, "clearly noisier, +0.82"},
		{1.5, Pattern, "much less steady in the thumb, +1.50"}, {-0.3, Leak, "a little better, -0.30"}, {-2, School, "much better, -2.00"},
	} {
		if got := PricedBy(tt.extra, tt.most); got != tt.want {
			t.Errorf("%v by %v: %q, not %q", tt.extra, tt.most, got, tt.want)
		}
	}
	if got := Priced(-0.6); got != "clearly easier, -0.60" {
		t.Error(got)
	}
	for k := range terms {
		if kinds[k] == "" || strings.Contains(PricedBy(1, k), "  ") {
			t.Errorf("%v has no words", k)
		}
	}
}
