package plan_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"stepping/core/chord"
	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/golden"
)

// told are players and tunes as different as they can be, each small enough to be read.
func told() map[string]plan.Request {
	line := func(bpm float64, dur tune.Time, c string, midis ...int) *tune.Tune {
		return coretest.Line('D', bpm, dur, c, coretest.Notes(midis...)...)
	}
	two := line(72, tune.Quarter, "D", 74, 78, 69, 66, 71, 74, 69, 62)
	two.Notes[1].With = []pitch.Note{pitch.Spell(pitch.Midi(74), false)}
	two.Notes[2].Marks, two.Notes[5].Marks, two.Notes[6].Marks = tune.Vibrato, tune.Scoop, tune.Accent
	if c, err := chord.Parse("G7"); err == nil {
		two.Chords = append(two.Chords, tune.ChordAt{At: tune.Whole, Chord: c})
	}
	slap, _ := pattern.Named("Slap on two and four")
	lap, heel, none := player.Default(), player.Default(), player.Default()
	lap.Posture, lap.Silence = player.Lap, player.LapStop
	heel.Silence, heel.SlideFinger, heel.Fingers, heel.Lean = player.Heel, 3, 1, player.LeanSlide
	heel.Slide = player.Slide{LengthMM: 70, BoreMM: 21, WallMM: 3, Material: "steel"} // heavy
	none.Lean, none.Fingers, none.ThumbOver = player.LeanNone, 3, true
	return map[string]plan.Request{
		"slide": {Tune: two, Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.Alternating},
		"lap":   {Tune: two, Tuning: coretest.Tuning("Open D"), Player: lap, Thumb: pattern.Steady, Capo: 2},
		"heel": {Tune: line(100, tune.Quarter/2, "D", 62, 66, 69, 74, 73, 74, 69, 66, 67, 71, 74, 79, 78, 74, 69, 62),
			Tuning: coretest.Tuning("Open D"), Player: heel, Thumb: pattern.Steady, Sections: []pattern.Section{{Bar: 1, Pattern: slap}}},
		"fretted": {Tune: line(90, tune.Quarter/2, "G", 67, 71, 74, 71, 72, 76, 74, 71, 69, 72, 71, 67, 64, 66, 67, 67),
			Tuning: coretest.Tuning("Standard"), Player: none, Thumb: pattern.Alternating},
	}
}

// TestTold: everything that is told of a plan, to the word: reasons, other places with their prices, strum tests, what has to be
// lined up, moves that hold the tempo down and ways out of them.
func TestTold(t *testing.T) {
	ctx := context.Background()
	for name, r := range told() {
		p, err := plan.Solve(ctx, r)
		if err != nil {
			t.Fatal(name, err)
		}
		var b strings.Builder
		fmt.Fprintf(&b, "%.3f, ceiling %+v\nfigures %+v\nbars %v\n", p.Total, p.Ceiling, p.Figures(), p.BarCeilings())
		for _, c := range p.Coordinations(6) {
			fmt.Fprintf(&b, "coordination %d %.3f %s\n", c.Moment, c.Load, c.Text)
		}
		for _, v := range p.Hardest(4) {
			fmt.Fprintf(&b, "move %+v\n", v)
			reliefs, err := p.Reliefs(ctx, v)
			if err != nil {
				t.Error(name, err)
			}
			for i := range reliefs {
				r := &reliefs[i]
				fmt.Fprintf(&b, "  relief at %d: %s %+.3f, %.0f bpm, there %.0f\n", r.Moment, p.AlternativeText(&r.Alternative), r.Extra, r.BPM, r.Local)
			}
		}
		for m := range p.Moments {
			writeTold(t, &b, p, m)
		}
		golden.Check(t, "told-"+name, b.String())
	}
}

func writeTold(t *testing.T, b *strings.Builder, p *plan.Plan, m int) {
	t.Helper()
	ctx, mo := context.Background(), &p.Moments[m]
	fmt.Fprintf(b, "\nmoment %d, bar %s beat %g: share %.3f, heel %d, digits %v\n", m, mo.Printed, mo.Beat, mo.Share, mo.Heel, mo.Digits)
	if m > 0 {
		fmt.Fprintf(b, "move %q\n", p.MoveText(m))
	}
	for _, s := range mo.Strokes() {
		fmt.Fprintf(b, "stroke %+v\n", *s)
	}
	fmt.Fprintf(b, "hand %+v\nstrings %+v\n", mo.Hand, mo.Strings)
	if mo.HitLost != "" {
		fmt.Fprintf(b, "hit %q\n", p.HitReason(m))
	}
	if mo.Dropped {
		fmt.Fprintf(b, "drop %q\n", p.DropReason(m))
	}
	why, err := p.Why(ctx, m)
	fmt.Fprintf(b, "why %q %v\n", why, err)
	for _, part := range []play.Part{play.Melody, play.Thumb, play.Damped} {
		alts, err := p.Alternatives(ctx, m, part)
		if err != nil {
			t.Error(err)
		}
		for i := range alts {
			fmt.Fprintf(b, "other %s %+.3f %s | %s\n", part, alts[i].Extra, p.AlternativeText(&alts[i]), alts[i].Why)
		}
	}
	for _, l := range p.Strum(m) {
		fmt.Fprintf(b, "strum %+v\n", l)
	}
}

// TestRefused: what cannot be planned, and what would help.
func TestRefused(t *testing.T) {
	var b strings.Builder
	for _, tt := range []struct {
		tuning string
		capo   int
		notes  []int
		with   []int
		pins   []play.Pin
	}{
		{"Open D", 0, []int{30, 62}, nil, nil}, {"Open D", 5, []int{39, 62}, nil, nil}, {"Standard", 0, []int{100, 110}, nil, nil},
		{"Open D", 0, []int{62, 64}, []int{39, 40}, nil},
		{"Open D", 0, []int{62, 64}, nil, []play.Pin{{Part: play.Melody, String: 1, Fret: 5, How: play.Fret}}},
		{"Open D", 0, []int{62, 64}, nil, []play.Pin{{Part: play.Damped, String: 6, By: play.ByHeel}, {Part: play.Ringing}}},
		{"Open D", 0, []int{74, 74}, nil, []play.Pin{{Part: play.Tube, How: play.Off}, {Part: play.Melody, How: play.Slide}}},
	} {
		tu := coretest.Line('D', 80, tune.Quarter, "D", coretest.Notes(tt.notes...)...)
		for _, w := range tt.with {
			tu.Notes[0].With = append(tu.Notes[0].With, pitch.Spell(pitch.Midi(w), false))
		}
		r := plan.Request{Tune: tu, Tuning: coretest.Tuning(tt.tuning), Capo: tt.capo, Player: player.Default(), Thumb: pattern.Steady, Pins: tt.pins}
		_, err := plan.Solve(context.Background(), r)
		fmt.Fprintf(&b, "%s capo %d, %v with %v, %d pins: %v\n", tt.tuning, tt.capo, tt.notes, tt.with, len(tt.pins), err)
		if err != nil && tt.pins == nil {
			fmt.Fprintf(&b, "  fits %+v\n", plan.Fits(context.Background(), r))
		}
	}
	golden.Check(t, "refused", b.String())
}
