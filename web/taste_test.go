package web_test

import (
	"errors"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/formats/abc"
)

// chooses pins what a player who slides more would slide in the demo tunes, and returns how many pins that are.
func (s *site) chooses(t *testing.T) (pins int) {
	t.Helper()
	tunes, err := s.store.Tunes(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	for _, tune := range tunes {
		prof, err := s.store.Profile(t.Context(), s.owner, tune.ProfileID)
		if err != nil {
			t.Fatal(err)
		}
		tu, _, err := abc.Read(strings.NewReader(tune.Source))
		if err != nil {
			t.Fatal(err)
		}
		req, err := tune.Settings.Request(tu, &prof.Profile)
		if err != nil {
			t.Fatal(err)
		}
		planner, err := plan.Solve(t.Context(), req)
		if err != nil {
			t.Fatal(err)
		}
		req.Player.Taste = player.Taste{"MixedFret": 1.5, "MixedSlide": 1 / 1.5, "LongFretted": 1.5, "OpenSustained": 1.5,
			"SlideString": 1 / 1.5, "SlideFret": 1 / 1.5, "ToolChange": 1 / 1.5}
		his, err := plan.Solve(t.Context(), req)
		if err != nil {
			t.Fatal(err)
		}
		st := tune.Settings
		for _, c := range his.Choices() {
			c.Finger, c.Digit = 0, ""
			if held, _ := planner.Holds(&c); !held && c.Part == play.Melody && (c.How == play.Slide || c.How == play.Glide) {
				st, pins = st.WithPin(c), pins+1
			}
		}
		if err := s.store.SaveSettings(t.Context(), s.owner, tune.ID, tune.Version, tune.ProfileID, st); err != nil {
			t.Fatal(err)
		}
	}
	return pins
}

// TestTaste: a plan is kept with a key and stays while the player's taste is learnt, taken and dropped.
func TestTaste(t *testing.T) {
	if testing.Short() {
		t.Skip("long; the long form has it")
	}
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.expect()
	b.open(s.tunePath(t, 0))
	was := b.text(".column")
	b.key("k")
	b.until("document.querySelector('.kept')?.textContent.includes('it would be the same')")
	b.accessible("a kept plan")

	tunes, _ := s.store.Tunes(t.Context(), s.owner)
	profile := "/profiles/" + tunes[0].ProfileID.String() + "/taste"
	b.open(profile)
	if got := b.text("main"); !strings.Contains(got, "does not learn from you") || strings.Contains(got, "against the planner") {
		t.Errorf("before the player lets it: %s", got)
	}
	b.key("l")
	b.until("document.querySelector('.tendency')?.textContent.includes('0 of 8')")

	if testing.Short() {
		return // learning takes its time
	}
	// One tune is enough, and learnt from sooner.
	one := tunes[2].Source
	_, err := s.store.AddTune(t.Context(), s.owner, "Short", one, tunes[2].ProfileID, tunes[2].Settings)
	for _, tune := range tunes {
		err = errors.Join(err, s.store.DeleteTune(t.Context(), s.owner, tune.ID))
	}
	if err != nil {
		t.Fatal(err)
	}
	pins := s.chooses(t)
	b.open(profile)
	b.until("document.querySelector('.taste')") // as soon as it has been learnt
	if got := b.text(".taste"); pins < 8 || !strings.Contains(got, "You play on thicker strings") || !strings.Contains(got, "less avoided") {
		t.Fatalf("%d pins: %s", pins, b.text("main"))
	}
	b.accessible("taste")
	b.key("t")
	b.until("document.querySelector('.lessons form')")
	prof, err := s.store.Profile(t.Context(), s.owner, tunes[0].ProfileID)
	if err != nil || len(prof.Profile.Taste) == 0 {
		t.Fatalf("%v %v", prof.Profile.Taste, err)
	}
	kept := "/tunes/" + tunes[0].ID.String()
	s.ask(t, "POST", kept+"/bring-back", url.Values{})
	b.open(kept)
	b.until("document.querySelector('.kept')")
	if got := b.text(".column"); was != got {
		t.Error("the kept plan has moved under the hands")
	}
	b.key("k")
	b.until("!document.querySelector('.kept')")
	b.open(profile)
	b.do(chromedp.Click(".act-warn"))
	b.until("!document.querySelector('.lessons form')")
	if prof, err = s.store.Profile(t.Context(), s.owner, tunes[0].ProfileID); err != nil || len(prof.Profile.Taste) != 0 {
		t.Errorf("%v %v", prof.Profile.Taste, err)
	}
}
