package plan

import (
	"regexp"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
)

// TestBecause: every moment has half a sentence why, in plain words: no prices, no units, nothing left to fill in.
func TestBecause(t *testing.T) {
	figures := regexp.MustCompile(`[-+]\d|\d (mm|s|dB|cents|%)|%!|\. `)
	for seed, lean := range player.Leans {
		r := Request{Tune: coretest.Wander(uint64(seed), 20), Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.Alternating}
		r.Player.Lean = lean
		r.Pins = []play.Pin{{At: r.Tune.Notes[0].At, Part: play.Melody, How: play.Fret}}
		p := solve(t, r)
		seen := map[string]bool{}
		for m := range p.Moments {
			why, err := p.Because(t.Context(), m)
			if err != nil || why == "" || figures.MatchString(why) {
				t.Errorf("%s, moment %d: %q (%v)", lean, m, why, err)
			}
			seen[why] = true
		}
		if len(seen) < len(p.Moments)/4 {
			t.Errorf("%s: %d moments have but %d reasons", lean, len(p.Moments), len(seen))
		}
	}
}
