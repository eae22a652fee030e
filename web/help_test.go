package web_test

import (
	"fmt"
	"net/url"
	"strings"
	"testing"
)

// TestTour goes through the six steps on the player's first tune, leaves, and finds them again; without a tune it says what to do first.
func TestTour(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	c := s.caller(t)
	if _, body, _ := c.ask("/learn", nil); !strings.Contains(body, "Lantern on the Weir") {
		t.Errorf("the page of the steps: %.400s", body)
	}
	first := s.tunePath(t, 0)
	for n := 1; n <= 6; n++ {
		to := mustLocation(t, c, "/tour", url.Values{"step": {fmt.Sprint(n)}})
		_, body, _ := c.ask(to, nil)
		if !strings.HasPrefix(to, first) || !strings.Contains(body, fmt.Sprintf("<b>%d of 6</b>", n)) {
			t.Errorf("step %d leads to %s: %.300s", n, to, body)
		}
	}
	if to := mustLocation(t, c, "/tour", url.Values{"step": {""}, "back": {first}}); to != first {
		t.Errorf("leaving leads to %s", to)
	}
	if _, body, _ := c.ask(first, nil); strings.Contains(body, "of 6</b>") {
		t.Error("the steps are still shown after leaving")
	}
	if to := mustLocation(t, c, "/tour", url.Values{"step": {"7"}, "back": {"https://elsewhere.example/"}}); to != "/" {
		t.Errorf("a step that is not there leads to %s", to)
	}
	tunes := mustTunes(t, s)
	for i := range tunes {
		if err := s.store.DeleteTune(t.Context(), s.owner, tunes[i].ID); err != nil {
			t.Fatal(err)
		}
	}
	if status, body, _ := c.ask("/tour", url.Values{"step": {"1"}}); status != 409 || !strings.Contains(body, "Add a tune first") {
		t.Errorf("without a tune: %d %.300s", status, body)
	}
}
