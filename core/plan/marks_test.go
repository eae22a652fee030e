package plan_test

import (
	"context"
	"testing"

	"stepping/core/coretest"
	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
)

// TestMarksAreHonoured: what marks ask of a note, seen in plans of the same notes with and without them.
func TestMarksAreHonoured(t *testing.T) {
	solve := func(marks tune.Marks, change func(*plan.Request)) *plan.Plan {
		tu := coretest.Line('D', 80, tune.Quarter, "D", coretest.Notes(62, 69, 66, 69, 62, 66, 69, 62)...)
		for i := range tu.Notes {
			tu.Notes[i].Marks = marks
		}
		r := plan.Request{Tune: tu, Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.None}
		if change != nil {
			change(&r)
		}
		p, err := plan.Solve(context.Background(), r)
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	count := func(p *plan.Plan, is func(*play.Stroke) bool) (n int) {
		for i := range p.Moments {
			if s := p.Moments[i].Melody; s != nil && is(s) {
				n++
			}
		}
		return n
	}
	open := func(s *play.Stroke) bool { return s.How == play.Open }
	if before, after := count(solve(0, nil), open), count(solve(tune.Vibrato, nil), open); before == 0 || after != 0 {
		t.Errorf("of notes to be shaken %d are open, %d without the mark", after, before)
	}
	come := func(s *play.Stroke) bool { return s.How == play.Glide || s.How == play.Bend }
	if before, after := count(solve(0, nil), come), count(solve(tune.Scoop, nil), come); after <= before || after < 5 {
		t.Errorf("of 8 notes to be come to from below %d are, %d without the mark", after, before)
	}
	three := func(r *plan.Request) { r.Player.Fingers, r.Player.Lean = 3, player.LeanNone }
	ring := func(s *play.Stroke) bool { return s.Digit.Number() == digits.A || s.Digit == "" }
	if before, after := count(solve(0, three), ring), count(solve(tune.Accent, three), ring); before == 0 || after >= before {
		t.Errorf("%d accents by the ring finger or none, %d without the mark", after, before)
	}
	damped := func(p *plan.Plan) (n int) {
		for i := range p.Moments {
			for _, s := range p.Moments[i].Strings {
				if s.State == play.Silenced || s.State == play.Leaks {
					n++
				}
			}
		}
		return n
	}
	if before, after := damped(solve(0, nil)), damped(solve(tune.LetRing, nil)); before == 0 || after > before/4 {
		t.Errorf("%d strings damped or leaking where all ring on, %d without the mark", after, before)
	}
}
