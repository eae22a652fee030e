package web_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// TestProposed: a tune added without a tuning begins in the best of three, and a key takes another.
func TestProposed(t *testing.T) {
	t.Parallel()
	b := newTab(t, newSite(t), 1280, 800)
	b.expect()
	b.open("/")
	b.add(ownTune)
	b.until("document.querySelector('.proposed .is-now')")
	first, all := b.text(".proposed .is-now button"), b.text(".proposed")
	if n := eval[int](b, "document.querySelectorAll('.proposed li').length"); n != 3 || strings.Count(all, "retun") < 3 {
		t.Errorf("%d proposals: %s", n, all)
	}
	b.key("K")
	b.until("document.querySelectorAll('.proposed li')[1].classList.contains('is-now')")
	if got := b.text(".proposed .is-now button"); got == first || !strings.Contains(eval[string](b, "document.querySelector('#fact-tuning').selectedOptions[0].text"), strings.Fields(got)[0]) {
		t.Errorf("%q is in force after %q", got, first)
	}

	// One that is written high, as guitars read, is played an octave lower, and stays so with another tuning.
	b.open("/")
	b.add(strings.ReplaceAll(strings.Replace(ownTune, "F2 A2 d3 A", "f2 a2 d'3 a", 1), "E2 G2", "e2 g2"))
	b.until("document.querySelector('.proposed .is-now') && document.querySelector('#lectern')._x_dataStack")
	b.key("K")
	b.until("document.querySelectorAll('.proposed li')[1].classList.contains('is-now')")
	if got := b.text(".proposed") + b.text(".facts"); strings.Count(got, "an octave lower") < 2 {
		t.Error(got)
	}
}

// TestLongTune: a tune of 1,300 notes shows how far its plan is, and can be stopped; one out of
// range is brought into it by a button.
func TestLongTune(t *testing.T) {
	if testing.Short() {
		t.Skip("works on 1,900 notes; TestWaiting asks the same of the server")
	}
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.expect()
	add := func(abc string) {
		b.open("/")
		b.addIn("Open D", abc)
	}
	add("T:Endless Lane\nL:1/8\nQ:1/4=100\nK:D\n" + strings.Repeat("D2FG A2dc BAFE D4|", 120))
	b.until("document.querySelector('[data-poll]')")
	b.accessible("a plan under way")
	b.until("parseInt(document.querySelector('.poll-figure').textContent) > 0")
	b.key(kb.Escape)
	b.until("document.body.innerText.includes('Plan it after all')")

	add("T:Deep Well\nK:D\nD,,,2 F,,2|")
	b.until("document.querySelector('.plain .acts')")
	b.accessible("a tune out of range")
	b.do(chromedp.Click(".plain .acts .act"))
	b.until("document.querySelector('.column')")
	if got := b.text(".facts"); !strings.Contains(got, "lower") && !strings.Contains(got, "higher") {
		t.Errorf("setup: %q", got)
	}
}
