package plan

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
)

// Pins of every kind, for one moment or for a range, are kept by the plan, and never make it
// cheaper; those that cannot be kept are refused with a rule and a set that is smallest.
func TestPinsAreKept(t *testing.T) {
	ctx := context.Background()
	kept, refused := map[string]int{}, 0
	for i := range uint64(10) {
		rng := rand.New(rand.NewPCG(i, 3))
		r := Request{Tune: coretest.Wander(rng.Uint64(), 6), Tuning: coretest.Tuning([]string{"Open D", "Open G"}[rng.IntN(2)]),
			Player: player.Default(), Thumb: pattern.Alternating}
		free := solve(t, r)
		at := free.Moments[rng.IntN(len(free.Moments))].At
		to := at + tune.Quarter*tune.Time(1+rng.IntN(3))
		for name, c := range map[string]struct {
			pin  play.Pin
			kept func(mo *play.Moment) bool
		}{
			"no slide": {play.Pin{At: at, To: to, Part: play.Tube, How: play.Off}, func(mo *play.Moment) bool { return !mo.Hand.SlideOn }},
			"slide on": {play.Pin{At: at, Part: play.Tube, How: play.Slide}, func(mo *play.Moment) bool { return mo.Hand.SlideOn }},
			"cover": {play.Pin{At: at, To: to, Part: play.Tube, Covers: 2},
				func(mo *play.Moment) bool { return !mo.Hand.SlideOn || mo.Hand.Covers == 2 }},
			"heel off": {play.Pin{At: at, To: to, Part: play.Heel, How: play.Off}, func(mo *play.Moment) bool { return mo.Heel == 0 }},
			"all slide": {play.Pin{At: at, To: to, Part: play.Melody, How: play.Slide},
				func(mo *play.Moment) bool { return mo.Melody == nil || mo.Melody.Finger == "S" }},
			"all fret": {play.Pin{At: at, To: to, Part: play.Melody, How: play.Fret}, func(mo *play.Moment) bool {
				return mo.Melody == nil || mo.Melody.Finger >= "1" && mo.Melody.Finger <= "3" || mo.Melody.How == play.Pull || mo.Melody.Finger == "T"
			}},
			"digit": {play.Pin{At: at, Part: play.Melody, Digit: "i"},
				func(mo *play.Moment) bool { return mo.Melody == nil || mo.Melody.Digit == "i" }},
			"finger": {play.Pin{At: at, Part: play.Melody, Finger: 2},
				func(mo *play.Moment) bool { return mo.Melody == nil || mo.Melody.Finger == "2" }},
			"slide finger": {play.Pin{At: at, Part: play.Melody, Finger: 4}, func(mo *play.Moment) bool { return mo.Melody == nil }},
			"thumb out":    {play.Pin{At: at, To: to, Part: play.Thumb, How: play.Drop}, func(mo *play.Moment) bool { return mo.Thumb == nil }},
			"ring": {play.Pin{At: at, To: to, Part: play.Ringing},
				func(mo *play.Moment) bool { return len(mo.Leaking()) == 0 && mo.Heel == 0 && mo.Hand.Trails == 0 }},
			"damper": {play.Pin{At: at, Part: play.Damped, String: 3, By: "m"},
				func(mo *play.Moment) bool { return mo.Strings[2].State == play.Silenced && mo.Strings[2].By == "m" }},
		} {
			q := r
			q.Pins = []play.Pin{c.pin}
			p, err := Solve(ctx, q)
			var pe *PinError
			if errors.As(err, &pe) {
				refused++
				if len(pe.Pins) != 1 || pe.Rule == "" || !strings.Contains(pe.Error(), "bar ") {
					t.Errorf("%s refused: %+v", name, pe)
				}
				continue
			}
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			checkPlan(t, p)
			kept[name]++
			if p.Total < free.Total && name != "ring" { // left to ring, leaks are not charged
				t.Errorf("%s made the plan cheaper", name)
			}
			for i := range p.Moments {
				if c.pin.InForce(p.Moments[i].At) && !c.kept(&p.Moments[i]) {
					t.Errorf("%s not kept at %s: %+v", name, p.Moments[i].At, p.Moments[i])
				}
			}
		}
	}
	delete(kept, "slide finger") // possible only where no note begins
	if len(kept) != 11 || refused == 0 {
		t.Errorf("kept %v, refused %d", kept, refused)
	}
}

// Pins that contradict each other about one string are refused together, and no others with them.
func TestDampersConflict(t *testing.T) {
	r := benchRequest(6, "Open D")
	at := r.Tune.Notes[2].At
	beside := play.Pin{At: at, Part: play.Heel, How: play.Off}
	damp := play.Pin{At: at, Part: play.Damped, String: 3, By: "m"}
	for _, other := range []play.Pin{{At: 0, To: r.Tune.Length, Part: play.Damped, String: 3, By: "i"}, {At: 0, To: r.Tune.Length, Part: play.Ringing}} {
		r.Pins = []play.Pin{beside, other, damp}
		_, err := Solve(context.Background(), r)
		var pe *PinError
		if !errors.As(err, &pe) || len(pe.Pins) != 2 || pe.Pins[0] != other || pe.Pins[1] != damp || pe.Rule != ruleDampers {
			t.Errorf("%+v: %v", other, err)
		}
	}
}

// A leak goes on until it has died away or something stops the string, growing weaker, and ends
// where a passage left to ring begins.
func TestLeaksGoOn(t *testing.T) {
	tu := coretest.Line('D', 240, tune.Quarter, "D", coretest.Notes(74, 74, 74, 74, 74, 74, 74, 74)...)
	ring := play.Pin{At: tu.Notes[5].At, To: tu.Notes[7].At, Part: play.Ringing}
	p := solve(t, Request{Tune: tu, Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.None, Pins: []play.Pin{ring}})
	const str = 6
	for i := range p.Moments {
		p.Moments[i].Strings[str-1] = play.StringState{State: play.Harmless}
	}
	p.Moments[1].Strings[str-1] = play.StringState{State: play.Leaks, Note: "D2", DB: -1}
	p.markLeaks()
	for i := range p.Moments {
		st := p.Moments[i].Strings[str-1]
		if leaks := i >= 1 && i < 5; leaks != (st.State == play.Leaks) {
			t.Errorf("moment %d: %+v", i, st)
		}
		if i > 1 && i < 5 && (st.Note != "D2" || st.DB >= p.Moments[i-1].Strings[str-1].DB) {
			t.Errorf("moment %d: %+v after %+v", i, st, p.Moments[i-1].Strings[str-1])
		}
	}
}

// 14: what is left to ring is neither damped nor called a leak, and ringing on is what the
// strings are said to do.
func TestLeaveRinging(t *testing.T) {
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		tu := coretest.Line('D', 60+60*rng.Float64(), tune.Quarter/2, "D", coretest.Notes(62, 66, 69, 74, 69+rng.IntN(3), 66, 62, 69)...)
		r := Request{Tune: tu, Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.Steady,
			Pins: []play.Pin{{To: tu.Length, Part: play.Ringing}}}
		for _, mo := range solve(t, r).Moments {
			for _, st := range mo.Strings {
				if st.State == play.Leaks || st.State == play.Silenced && !strings.HasPrefix(string(st.By), "finger") {
					t.Errorf("at %s: %+v", mo.At, mo.Strings)
				}
			}
		}
	})
}

// 13: a lap-style player frets nothing, and every melody note that goes to another string has
// its predecessor stopped at that moment.
func TestLapStyle(t *testing.T) {
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		pl := player.Default()
		pl.Posture, pl.Silence, pl.Lean = player.Lap, player.LapStop, player.LeanSlide
		p := solve(t, Request{Tune: coretest.Wander(rng.Uint64(), 12),
			Tuning: coretest.Tuning([]string{"Open D", "Open G"}[rng.IntN(2)]), Player: pl, Thumb: pattern.Kinds[rng.IntN(3)]})
		var last *play.Stroke
		for i := range p.Moments {
			mo := &p.Moments[i]
			if len(mo.Hand.Fingers) > 0 {
				t.Errorf("at %s: %+v", mo.At, mo.Hand.Fingers)
			}
			if mo.Melody == nil {
				continue
			}
			if last != nil && last.String != mo.Melody.String {
				if st := mo.Strings[last.String-1]; st.State != play.Silenced && st.State != play.Struck {
					t.Errorf("at %s string %d, left by the melody, is %+v", mo.At, last.String, st)
				}
			}
			last = mo.Melody
		}
	})
}

// A bar held in the hand may slant to sound two frets at once, a tube on a finger hardly.
func TestSlant(t *testing.T) {
	two := coretest.Line('D', 60, tune.Whole, "D", coretest.Notes(76)...)
	two.Notes[0].With = coretest.Notes(71)
	pl := player.Default()
	pl.Posture, pl.Silence, pl.Lean, pl.Slide.LengthMM = player.Lap, player.LapStop, player.LeanSlide, 80
	// Six half steps lie between no two strings of open D, so no straight bar sounds both.
	two.Notes[0].With = coretest.Notes(70)
	lap := solve(t, Request{Tune: two, Tuning: coretest.Tuning("Open D"), Player: pl, Thumb: pattern.None})
	mo := &lap.Moments[0]
	if !mo.Hand.Slant || mo.Melody.Fret == mo.With[0].Fret {
		t.Fatalf("%+v %+v %+v", mo.Hand, mo.Melody, mo.With)
	}
	a, b := lap.handAt(0).stops[0], lap.handAt(0).stops[1]
	if got := lap.m.slantOf(&a, &b); got > math.Tan(35*math.Pi/180)+1e-9 {
		t.Errorf("slanted at %.0f degrees", math.Atan(got)*180/math.Pi)
	}
}

// 11: in standard tuning nothing is played as a straight bar over a whole chord: under the slide
// lie the melody's string, those above it, and at most one bass string that is struck there.
func TestStandardKeepsFretting(t *testing.T) {
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		p := solve(t, Request{Tune: coretest.Wander(rng.Uint64(), 6), Tuning: coretest.Tuning("Standard"), Player: player.Default(),
			Thumb: pattern.Alternating})
		for i := range p.Moments {
			struck, deepest := 0, 0
			for _, s := range p.Moments[i].Strokes() {
				if s.How == play.Slide || s.How == play.Glide {
					struck, deepest = struck+1, max(deepest, s.String)
				}
			}
			if h := p.Moments[i].Hand; h.SlideOn && (struck > 2 || struck > 0 && p.Moments[i].Melody != nil && h.Covers > deepest && h.Covers >= 4) {
				t.Errorf("at %s the slide lies over strings %d to %d: %d struck", p.Moments[i].At, h.From, h.Covers, struck)
			}
		}
	})
}

// Every relief that is offered really raises the ceiling of the moments that it changes when it
// is pinned.
func TestReliefs(t *testing.T) {
	ctx := context.Background()
	offered := 0
	for seed := range uint64(3) {
		r := Request{Tune: coretest.Wander(seed, 16), Tuning: coretest.Tuning("Open G"), Player: player.Default(),
			Thumb: pattern.Alternating, Tempo: 120}
		p := solve(t, r)
		for _, v := range p.Hardest(3) {
			reliefs, err := p.Reliefs(ctx, v)
			if err != nil {
				t.Fatal(err)
			}
			for _, rl := range reliefs[:min(len(reliefs), 2)] {
				offered++
				r.Pins = []play.Pin{rl.Pin(&p.Moments[rl.Moment])}
				q := solve(t, r)
				ceiling := q.Ceiling.BPM
				if ceiling == 0 {
					ceiling = noLimit
				}
				if ceiling != rl.BPM || q.Total != p.Total+rl.Extra || q.BPMAt(q.Moments[v.Moment].Share) <= p.BPMAt(v.Share()) {
					t.Errorf("%+v promised, ceiling %v at %v, total %v", rl, q.Ceiling.BPM, q.BPMAt(q.Moments[v.Moment].Share), q.Total)
				}
			}
		}
	}
	if offered < 3 {
		t.Errorf("only %d reliefs", offered)
	}
}

// The strum test: what may sound is what the plan wants, and what the advice would silence is
// not what plays.
func TestStrum(t *testing.T) {
	p := solve(t, benchRequest(24, "Open D"))
	advised := 0
	for i := range p.Moments {
		lines := p.Strum(i)
		if len(lines) != 6 || lines[0].String != 6 {
			t.Fatalf("%+v", lines)
		}
		for _, l := range lines {
			state := p.Moments[i].Strings[l.String-1]
			if l.Wanted != (state.State == play.Struck || state.State == play.Rings) {
				t.Errorf("moment %d: %+v, the string %+v", i, l, state)
			}
			if l.Advice != "" {
				advised++
				if l.Wanted || l.By != "" || l.Advice == "p" {
					t.Errorf("moment %d: %+v", i, l)
				}
			}
		}
	}
	if advised == 0 {
		t.Error("no advice at all")
	}
}

// A tune out of range is brought into it by every fit offered.
func TestFits(t *testing.T) {
	r := Request{Tune: coretest.Line('C', 90, tune.Quarter, "C", coretest.Notes(31, 36, 40, 43)...),
		Tuning: coretest.Tuning("Standard"), Player: player.Default(), Thumb: pattern.None}
	_, err := Solve(context.Background(), r)
	var out *RangeError
	if !errors.As(err, &out) || out.Notes[0].By != -9 {
		t.Fatal(err)
	}
	fits := Fits(context.Background(), r)
	if len(fits) < 3 {
		t.Fatalf("%+v", fits)
	}
	for _, f := range fits {
		q := r
		q.Tune = r.Tune.Transposed(f.Steps)
		if f.Tuning != "" {
			q.Tuning = coretest.Tuning(f.Tuning)
		}
		if _, err := Solve(context.Background(), q); err != nil {
			t.Errorf("%+v: %v", f, err)
		}
	}
}

// Techniques of the left hand alone, bends and taps are what the pins say, with their frets.
func TestTechniques(t *testing.T) {
	blue := pitch.Spell(pitch.Midi(55), false)
	blue.Cents = -50
	for _, tt := range []struct {
		name  string
		notes []pitch.Note
		pin   play.Pin // for the second note
		want  func(a, b *play.Stroke) bool
	}{
		{"hammer", coretest.Notes(54, 57), play.Pin{How: play.Hammer, String: 3, Fret: 3},
			func(a, b *play.Stroke) bool { return a.String == 3 && b.From == 0 && b.Digit == "" }},
		{"pull", coretest.Notes(57, 54), play.Pin{How: play.Pull, String: 3, Fret: 0},
			func(a, b *play.Stroke) bool { return a.String == 3 && a.Fret == 3 && b.From == 3 && b.Digit == "" }},
		{"bend", coretest.Notes(52, 54), play.Pin{How: play.Bend, String: 3, Fret: 0}, nil}, // nothing to push below the nut
		{"whole bend", coretest.Notes(55, 57), play.Pin{How: play.Bend, String: 3, Fret: 3},
			func(a, b *play.Stroke) bool { return b.From == 1 || b.From == 2 }},
		{"curl", append(coretest.Notes(54), blue), play.Pin{How: play.Bend, String: 4, Fret: 4.5}, func(a, b *play.Stroke) bool { return b.From == 4 }},
		{"glide", coretest.Notes(59, 61), play.Pin{How: play.Glide, String: 2, Fret: 4},
			func(a, b *play.Stroke) bool { return b.Finger == "S" && b.From != 4 }},
		{"harmonic", coretest.Notes(66, 74), play.Pin{How: play.Harmonic, String: 4, Fret: 12}, nil},
		{"octave harmonic", coretest.Notes(54, 62), play.Pin{How: play.Harmonic, String: 4, Fret: 12},
			func(a, b *play.Stroke) bool { return b.From == 12 }},
		{"tapped", coretest.Notes(54, 62, 57), play.Pin{How: play.Tapped, String: 3, Fret: 8},
			func(a, b *play.Stroke) bool { return b.From == 3 && b.Digit == "i" }},
	} {
		tu := coretest.Line('D', 80, tune.Quarter, "D", tt.notes...)
		tt.pin.At, tt.pin.Part = tu.Notes[1].At, play.Melody
		p, err := Solve(context.Background(), Request{Tune: tu, Tuning: coretest.Tuning("Open D"), Player: player.Default(),
			Thumb: pattern.None, Pins: []play.Pin{tt.pin}})
		if tt.want == nil {
			var pe *PinError
			if !errors.As(err, &pe) {
				t.Errorf("%s: %v", tt.name, err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", tt.name, err)
			continue
		}
		a, b := p.Moments[0].Melody, p.Moments[1].Melody
		if b.How != tt.pin.How || !tt.want(a, b) {
			t.Errorf("%s: %+v then %+v", tt.name, a, b)
		}
		if _, err := p.Why(context.Background(), 1); err != nil {
			t.Error(err)
		}
	}
}

// Pins that cannot be played are left out, each for a reason: with the others it still cannot be played, and what is
// kept is kept as if it had been set alone.
func TestSolveKeepable(t *testing.T) {
	left := 0
	for seed := range few(20) {
		rng := rand.New(rand.NewPCG(uint64(seed), 7))
		r := benchRequest(10+rng.IntN(8), "Open D")
		free := solve(t, r)
		wrong := 0
		for t := range free.Moments {
			mo := &free.Moments[t]
			if mo.Melody == nil {
				continue
			}
			p := play.Pin{At: mo.At, Part: play.Melody, String: mo.Melody.String, Fret: mo.Melody.Fret, How: mo.Melody.How}
			if rng.IntN(4) == 0 {
				wrong++
				p = []play.Pin{
					{At: mo.At, Part: play.Melody, String: mo.Melody.String, Fret: mo.Melody.Fret, How: play.Bend},
					{At: mo.At, Part: play.Melody, Finger: 4}, {At: mo.At, Part: play.Damped, String: mo.Melody.String, By: "m"},
				}[rng.IntN(3)]
			}
			r.Pins = append(r.Pins, p)
		}
		p, err := SolveKeepable(context.Background(), r)
		if err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		if left += len(p.LeftOut); len(p.LeftOut) > wrong || len(p.LeftOut)+len(p.Request.Pins) != len(r.Pins) {
			t.Errorf("seed %d: of %d wrong pins %d are left out, %d of %d kept", seed, wrong, len(p.LeftOut), len(p.Request.Pins), len(r.Pins))
		}
		again := solve(t, p.Request)
		if again.Total != p.Total {
			t.Errorf("seed %d: costs %v, and %v with the pins that are left", seed, p.Total, again.Total)
		}
		for _, out := range p.LeftOut {
			q := p.Request
			q.Pins = append(slices.Clone(q.Pins), out.Pin)
			var pe *PinError
			if _, err := Solve(context.Background(), q); !errors.As(err, &pe) {
				t.Errorf("seed %d: %s was left out, and can be played", seed, out.Why)
			}
		}
	}
	if left == 0 {
		t.Error("nothing was left out")
	}
}
