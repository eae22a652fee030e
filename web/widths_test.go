package web_test

import (
	"testing"

	"github.com/chromedp/chromedp"
)

// TestWidths: no page is wider than its screen, from a narrow phone to a wide one, at the usual size and at the larger.
func TestWidths(t *testing.T) {
	s := newSite(t)
	tune := s.tunePath(t, 0)
	pages := []string{"/", tune, tune + "/practise", tune + "/ladder", tune + "/take", tune + "/log", tune + "/hear",
		tune + "/text", tune + "/suit", "/today", "/bench", "/patterns", "/chords", "/set", "/slides", "/profiles"}
	widths := map[string][]int64{"usual": {320, 390, 1024, 1920}, "large": {390, 1024, 1920}}
	if testing.Short() {
		widths = map[string][]int64{"usual": {320}, "large": {1024}}
	}
	b := newTab(t, s, 1280, 844)
	for _, size := range []string{"usual", "large"} {
		for _, w := range widths[size] {
			b.do(chromedp.EmulateViewport(w, 844))
			for _, p := range pages {
				b.open(p)
				if got := eval[int64](b, "document.documentElement.scrollWidth"); got > w {
					t.Errorf("%s at %d, %s size: %d wide", p, w, size, got)
				}
			}
		}
		b.do(chromedp.EmulateViewport(1280, 844))
		b.open(tune)
		b.do(chromedp.Click(".look button[name=size]"))
		b.until("document.documentElement.dataset.size === 'large' || '" + size + "' === 'large'")
	}
}
