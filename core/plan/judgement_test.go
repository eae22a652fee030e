package plan

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"stepping/core/chord"
	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
)

// What any good plan does, whatever the weights: judgements over generated variations.

// few is how many of n random cases a test takes in the short form.
func few(n int) int {
	if testing.Short() {
		return max(n/12, 2)
	}
	return n
}

func eachVariation(t *testing.T, f func(t *testing.T, rng *rand.Rand)) {
	t.Helper()
	for i := range few(50) {
		f(t, rand.New(rand.NewPCG(uint64(i), 42)))
		if t.Failed() {
			t.Fatalf("variation %d", i)
		}
	}
}

func solve(t *testing.T, r Request) *Plan {
	t.Helper()
	p, err := Solve(context.Background(), r)
	if err != nil {
		t.Fatal(err)
	}
	checkPlan(t, p)
	return p
}

// 1: a slow note a quarter tone under the major third is never plain fretted.
func TestBlueThirdIsSlid(t *testing.T) {
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		key := rng.IntN(5)
		tn := coretest.Tuning("Open D").Transpose(key - 2)
		blue := pitch.Spell(pitch.Midi(64+key+12*rng.IntN(2)), false) // the third of the key, an octave or two up
		blue.Cents = -50
		tu := coretest.Line('D', 50+30*rng.Float64(), tune.Quarter*2, "D", blue, blue)
		p := solve(t, Request{Tune: tu, Tuning: tn, Player: player.Default(), Thumb: pattern.Kinds[rng.IntN(3)]})
		for i := range p.Moments {
			if m := p.Moments[i].Melody; m != nil && m.How != play.Slide && m.How != play.Glide && m.How != play.Bend {
				t.Errorf("%s played %s", m.Note, m.How)
			}
		}
	})
}

// 2: a run of sixteenths at 100 and more is fretted or open, not a slide landing per note.
func TestRunsAreNotSlid(t *testing.T) {
	scale := []int{62, 64, 66, 67, 69, 71, 73, 74}
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		var run []int
		at := rng.IntN(8)
		for range 16 {
			at = min(max(at+2*rng.IntN(2)-1, 0), 7)
			run = append(run, scale[at])
		}
		tu := coretest.Line('D', 100+40*rng.Float64(), tune.Quarter/4, "D", coretest.Notes(run...)...)
		p := solve(t, Request{Tune: tu, Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[rng.IntN(3)]),
			Player: player.Default(), Thumb: pattern.None})
		slid := 0
		for i := range p.Moments[:len(p.Moments)-1] { // the last note ends the phrase
			if p.Moments[i].Melody.How == play.Slide {
				slid++
			}
		}
		if slid > 1 {
			t.Errorf("%d of 16 slid", slid)
		}
	})
}

// 3, 4 and 5: the slide covers only as far as the melody needs, what lies under it is not
// left to leak, and trailing fingers stop short of the thumb's strings.
func TestSlideOverOpenBass(t *testing.T) {
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		str := 1 + 2*rng.IntN(2) // the melody on string 1 or on string 3
		tn := coretest.Tuning("Open D")
		low, _ := tn.Open(str).Nearest()
		var melody []pitch.Note
		for range 4 {
			melody = append(melody, coretest.Notes(low+3+rng.IntN(9))...)
		}
		pl := player.Default()
		pl.Lean = player.LeanSlide
		pl.Silence = []string{player.Trailing, player.Both, player.Heel}[rng.IntN(3)]
		r := Request{Tune: coretest.Line('D', 50+20*rng.Float64(), tune.Quarter*2, "D", melody...), Tuning: tn, Player: pl, Thumb: pattern.Alternating}
		for _, n := range r.Tune.Notes {
			fret := float64(n.Note.Pitch()-tn.Open(str)) / 100
			r.Pins = append(r.Pins, play.Pin{At: n.At, Part: play.Melody, String: str, Fret: fret, How: play.Slide})
		}
		p := solve(t, r)
		for i := range p.Moments {
			mo := &p.Moments[i]
			if mo.Hand.Covers != str {
				t.Errorf("covers %d for string %d", mo.Hand.Covers, str)
			}
			if mo.Hand.Trails > 3 || pl.Silence == player.Heel && mo.Hand.Trails > 0 {
				t.Errorf("trails over %d in school %s", mo.Hand.Trails, pl.Silence)
			}
			for s := 1; s < str; s++ {
				if mo.Strings[s-1].State == play.Leaks {
					t.Errorf("string %d leaks under the slide", s)
				}
			}
			if mo.Dropped {
				t.Error("the thumb pauses without need")
			}
		}
	})
}

// 6 is part of checkPlan; here over every slide finger.
func TestSlideFingerNeverFrets(t *testing.T) {
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		pl := player.Default()
		pl.SlideFinger, pl.FretBehindSlide = 2+rng.IntN(3), true
		solve(t, Request{Tune: coretest.Wander(rng.Uint64(), 12), Tuning: coretest.Tuning("Open G"), Player: pl, Thumb: pattern.Steady})
	})
}

// 7: root on string 6 and string 5 no chord tone: the thumb alternates 6 and 4.
func TestAlternateSkipsNoChordTone(t *testing.T) {
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		up := rng.IntN(4)
		tn := coretest.Tuning("D2 G#2 D3 F#3 A3 D4").Transpose(up)
		root := pitch.Spell(tn.Open(6), true).ClassName()
		top, _ := tn.Open(1).Nearest()
		tu := coretest.Line('D', 60+60*rng.Float64(), tune.Quarter, root, coretest.Notes(top+7, top+4, top, top+7)...)
		p := solve(t, Request{Tune: tu, Tuning: tn, Player: player.Default(), Thumb: pattern.Alternating})
		for i := range p.Moments {
			if want := 6 - 2*(i%2); p.Moments[i].Thumb == nil || p.Moments[i].Thumb.String != want {
				t.Errorf("beat %d: %+v", i+1, p.Moments[i].Thumb)
			}
		}
	})
}

// 9: over the fourth-degree chord the open home bass is kept if a drone is welcome; if it
// is not, whatever clashes is named in the reasons or avoided.
func TestDroneOverFourth(t *testing.T) {
	t.Parallel()
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		fourth := []string{"G", "G7", "Em", "C"}[rng.IntN(4)]
		r := Request{Tune: coretest.Line('D', 60+40*rng.Float64(), tune.Quarter, "D "+fourth, coretest.Notes(69, 71, 74, 71, 71, 74, 71, 67)...),
			Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.Steady}
		home := func(drone bool) (strokes int, total float64) {
			r.Player.Drone = drone
			p := solve(t, r)
			for i := range p.Moments {
				mo := &p.Moments[i]
				if mo.Thumb != nil && mo.Thumb.How == play.Open && !mo.Chord.Has(mo.Thumb.Note.Pitch()) {
					strokes++
				}
				if mo.Cost[play.Clash] == 0 {
					continue
				}
				why, err := p.Why(context.Background(), i)
				if err != nil {
					t.Fatal(err)
				}
				if !strings.Contains(strings.Join(why, " "), chord.IntervalName(mo.Chord.Interval(mo.Thumb.Note.Pitch()))) {
					t.Errorf("no interval named: %q", why)
				}
			}
			return strokes, p.Total
		}
		kept, easy := home(true)
		if strict, hard := home(false); strict > kept || hard < easy {
			t.Errorf("drones %d and total %v when welcome, %d and %v when not", kept, easy, strict, hard)
		}
	})
}

// 10: the same tune in open E is the shapes of open D, and so it is with a capo.
func TestShapesAreTransposed(t *testing.T) {
	t.Parallel()
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		// With a steady thumb: how muddy an alternate sounds depends on how low it is, so that it need not be the same in both.
		r := Request{Tune: coretest.Wander(rng.Uint64(), 10), Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.Steady}
		for i := range r.Tune.Notes { // some with a note below, which may be fretted near an open string
			if n := &r.Tune.Notes[i]; rng.IntN(3) == 0 {
				n.With = []pitch.Note{pitch.Spell(n.Note.Pitch()-pitch.Midi(3+rng.IntN(2)), false)}
			}
		}
		low := solve(t, r)
		r.Tune = transposed(r.Tune, 2)
		r.Tuning = coretest.Tuning("Open E")
		if high := solve(t, r); shapes(high) != shapes(low) || high.Total != low.Total {
			t.Errorf("open D %s\nopen E %s", shapes(low), shapes(high))
		}
		r.Tuning, r.Capo = coretest.Tuning("Open D"), 2
		r.Player.Instrument.Frets += 2
		if capo := solve(t, r); shapes(capo) != shapes(low) || capo.Total != low.Total {
			t.Errorf("open D %s\ncapo 2 %s", shapes(low), shapes(capo))
		}
	})
}

func transposed(tu *tune.Tune, steps int) *tune.Tune {
	out := *tu
	out.Notes, out.Chords = slices.Clone(tu.Notes), slices.Clone(tu.Chords)
	for i := range out.Notes {
		n := &out.Notes[i]
		n.Note, n.With = pitch.Spell(n.Note.Pitch()+pitch.Midi(steps), false), slices.Clone(n.With)
		for v := range n.With {
			n.With[v] = pitch.Spell(n.With[v].Pitch()+pitch.Midi(steps), false)
		}
	}
	for i, c := range out.Chords {
		root := pitch.Spell(pitch.Midi(60+c.Chord.Root.Class()+steps), false)
		_, used := pitch.ParseClass(c.Chord.Name)
		moved, err := chord.Parse(root.ClassName() + c.Chord.Name[used:])
		if err != nil {
			panic(err)
		}
		out.Chords[i].Chord = moved
	}
	out.Key.Tonic = pitch.Spell(pitch.Midi(60+tu.Key.Tonic.Class()+steps), false)
	return &out
}

// shapes writes the strokes with frets from the capo.
func shapes(p *Plan) string {
	var b strings.Builder
	for i := range p.Moments {
		for _, s := range []*play.Stroke{p.Moments[i].Melody, p.Moments[i].Thumb} {
			if s != nil {
				fmt.Fprintf(&b, "%d:%g%s%s ", s.String, s.Fret-float64(p.Request.Capo), s.How, s.Finger)
			}
		}
	}
	return b.String()
}

// 12: a faster tempo never lowers the shift cost of one and the same plan; a wider reach or
// one more school never raises the best total; a pin never lowers it.
func TestMonotone(t *testing.T) {
	ctx := context.Background()
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		r := smallCase(rng)
		p, err := Solve(ctx, r)
		if err != nil {
			return // out of range
		}
		wide := r
		wide.Player.ReachMM += 20
		if q := solve(t, wide); q.Total > p.Total {
			t.Errorf("a wider reach costs %v, was %v", q.Total, p.Total)
		}
		if r.Player.Silence != player.Ring && r.Player.Silence != player.Heel && !r.Player.Lap() { // the heel is lighter in its own school
			more := r
			more.Player.Silence = player.Both
			if q := solve(t, more); q.Total > p.Total {
				t.Errorf("all schools cost %v, %s alone %v", q.Total, r.Player.Silence, p.Total)
			}
		}
		heavy := r
		heavy.Player.Slide.WallMM, heavy.Player.Slide.Material = 5, "brass"
		if q := solve(t, heavy); heavy.Player.Slowness() >= r.Player.Slowness() && q.Total < p.Total {
			t.Errorf("a heavier slide costs %v, was %v", q.Total, p.Total)
		}
		fast := p.Request
		for i := range p.Moments {
			if p.Moments[i].Melody == nil {
				continue
			}
			for _, s := range append([]*play.Stroke{p.Moments[i].Melody}, p.Moments[i].With...) {
				f := 0
				fmt.Sscan(s.Finger, &f)
				fast.Pins = append(fast.Pins, play.Pin{At: p.Moments[i].At, Part: play.Melody, Voice: s.Voice, String: s.String, Fret: s.Fret, How: s.How, Finger: f})
			}
		}
		fast.Thumb, fast.Sections = pattern.None, nil // so that the pins fix the whole left hand
		slow := fast
		slow.Tempo, fast.Tempo = 60, 60+100*rng.Float64()
		a, err := Solve(ctx, slow)
		b, err2 := Solve(ctx, fast)
		if err != nil || err2 != nil {
			return // too fast to glide into a note that the plan glides into
		}
		if b.Terms[play.Shift] < a.Terms[play.Shift] {
			t.Errorf("faster: shift %v, was %v", b.Terms[play.Shift], a.Terms[play.Shift])
		}
	})
}

// 8: next to a slap on 2 and 4 the melody note is flicked by i or m, one of them; every treble string
// that is not the note is silenced by the fretting hand or leaks, unless the flick is kept shallow.
// A note that cannot be flicked costs the slap, and the plan says so.
func TestSlapAndFlick(t *testing.T) {
	slap, _ := pattern.Named("Slap on two and four")
	flicked, leaking, lost := 0, 0, 0
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		var melody []pitch.Note
		for range 8 {
			melody = append(melody, pitch.Spell(pitch.Midi(60+rng.IntN(16)), false))
		}
		if rng.IntN(4) == 0 {
			melody[1] = pitch.Spell(pitch.Midi(47), false) // too low for a flick
		}
		pl := player.Default()
		pl.Silence = player.Silences[rng.IntN(4)]
		if rng.IntN(5) == 0 { // under a bar nothing is fretted
			pl.Posture, pl.Silence, pl.Lean = player.Lap, player.LapStop, player.LeanSlide
		}
		r := Request{Tuning: coretest.Tuning([]string{"Open D", "Standard"}[rng.IntN(2)]), Player: pl, Thumb: pattern.Alternating,
			Sections: []pattern.Section{{Bar: 1, Pattern: slap}}}
		if rng.IntN(3) == 0 { // an open string: no finger is there to silence its neighbours
			melody[3] = r.Tuning.Note(2)
			r.Pins = []play.Pin{{At: 3 * tune.Quarter, Part: play.Melody, String: 2, How: play.Open}}
		}
		r.Tune = coretest.Line('D', 60+40*rng.Float64(), tune.Quarter, "D G", melody...)
		p := solve(t, r)
		checkPlan(t, p)
		for i := range p.Moments {
			mo := &p.Moments[i]
			if wanted := mo.Beat == 2 || mo.Beat == 4; wanted != (mo.Hit == pattern.Slap || mo.HitLost == pattern.Slap) {
				t.Errorf("at %s: slap %q, left out %q", mo.At, mo.Hit, mo.HitLost)
			}
			if mo.HitLost != "" {
				lost++
			}
			if mo.Hit == "" || mo.Melody == nil || mo.Melody.Digit == "" {
				continue
			}
			flicked++
			if d := mo.Melody.Digit; !mo.Flick || d != "i" && d != "m" || mo.Thumb != nil || mo.Heel != 0 || mo.Melody.String > 3 {
				t.Errorf("at %s: %+v beside a slap", mo.At, mo.Melody)
			}
			shallow := p.choiceAt(i, p.before(i), p.state(i)).pl.sweeps.Len() < 2
			for s := 1; s <= 3; s++ {
				st := mo.Strings[s-1]
				leaking += len(mo.Leaking())
				rings := s == 3 && st.State == play.Rings // a bass note there goes on, as one that a brush catches
				if s != mo.Melody.String && st.State != play.Leaks && !rings && !(st.State == play.Silenced &&
					(strings.HasPrefix(string(st.By), "finger") || st.By == "trailing" || st.By == "tilt")) && !shallow {
					t.Errorf("at %s: string %d is %+v while %s flicks string %d", mo.At, s, st, mo.Melody.Digit, mo.Melody.String)
				}
			}
		}
	})
	if !testing.Short() && (flicked < 50 || leaking == 0 || lost == 0) {
		t.Errorf("%d notes flicked, %d strings leak, %d slaps left out", flicked, leaking, lost)
	}
}

// In the school of resting fingers each free finger lies on a string of its own, next to each
// other's; where the melody stays the fingers stay, and where it moves all of them move by as
// much. What they silence is theirs and nobody else's, and it makes the plan no dearer.
func TestRestingFingers(t *testing.T) {
	rested, moved := 0, 0
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		r := Request{Tune: coretest.Wander(uint64(rng.IntN(1000)), 12),
			Tuning: coretest.Tuning([]string{"Standard", "Open D", "Open G"}[rng.IntN(3)]),
			Player: player.Default(), Thumb: pattern.Kinds[rng.IntN(3)]}
		r.Player.Silence, r.Player.Fingers = player.Fingers, 2+rng.IntN(2)
		p := solve(t, r)
		checkPlan(t, p)
		last := 0
		for i := range p.Moments {
			place := restOf(p.state(i).Pick)
			if place == 0 {
				last = 0
				continue
			}
			rested++
			if last != 0 && place != last {
				moved++
			}
			last = place
			for d := 1; d <= r.Player.Fingers; d++ {
				at, own := p.Moments[i].Digits[d], place+r.Player.Fingers-d
				if at != 0 && at != own {
					t.Errorf("moment %d: %s on string %d beside a hand resting from string %d", i, play.Digits[d], at, place)
				}
				if st := p.Moments[i].Strings[own-1]; at == own && st.State != play.Struck && st.State != play.Rings &&
					st.By != play.Damper(play.Digits[d]) && st.By != "trailing" {
					t.Errorf("moment %d: %s rests on string %d, which is %+v", i, play.Digits[d], own, st)
				}
			}
		}
		m, err := newModel(&r, nil)
		if err != nil {
			t.Fatal(err)
		}
		m.school.Rests = false
		m.catalogue = catalogueOf(m)
		free, err := m.newSearch(context.Background()).solve()
		if err != nil {
			t.Fatal(err)
		}
		if total := units(free.Total()); p.Total > total {
			t.Errorf("resting costs %v, without it %v", p.Total, total)
		}
	})
	if !testing.Short() && (rested < 100 || moved < 20) {
		t.Errorf("fingers rested at %d moments and moved at %d", rested, moved)
	}
}

// Pins that cannot be kept are refused with a smallest set that conflicts: the pins next to
// it are not named.
func TestPinConflict(t *testing.T) {
	tu := coretest.Line('A', 80, tune.Quarter, "A", coretest.Notes(57, 57, 61, 64)...)
	r := Request{Tune: tu, Tuning: coretest.Tuning("Standard"), Player: player.Default(), Thumb: pattern.Steady}
	free := solve(t, r)
	beside := play.Pin{At: tu.Notes[2].At, Part: play.Melody, String: 2, Fret: 2, How: play.Fret}
	melody := play.Pin{At: 0, Part: play.Melody, String: 4, Fret: 7, How: play.Fret}
	bass := play.Pin{At: 0, Part: play.Thumb, String: 4, Fret: 0, How: play.Open}
	for _, tt := range []struct{ pins, named []play.Pin }{
		{[]play.Pin{beside, melody}, nil},
		{[]play.Pin{bass, beside}, nil},
		{[]play.Pin{beside, melody, bass}, []play.Pin{melody, bass}}, // one string, two notes
		{[]play.Pin{beside, {At: tu.Notes[1].At, Part: play.Melody, String: 6, Fret: 1, How: play.Fret}},
			[]play.Pin{{At: tu.Notes[1].At, Part: play.Melody, String: 6, Fret: 1, How: play.Fret}}},
		{[]play.Pin{{At: tu.Notes[1].At, Part: play.Melody, String: 3, Fret: 2, How: play.Fret, Finger: 4}, beside},
			[]play.Pin{{At: tu.Notes[1].At, Part: play.Melody, String: 3, Fret: 2, How: play.Fret, Finger: 4}}},
	} {
		r.Pins = tt.pins
		p, err := Solve(context.Background(), r)
		var pe *PinError
		if errors.As(err, &pe) != (tt.named != nil) || pe != nil && !slices.Equal(pe.Pins, tt.named) {
			t.Errorf("pins %v: %v; want %v named", tt.pins, err, tt.named)
		}
		if err == nil && p.Total < free.Total {
			t.Errorf("pins %v made the plan cheaper", tt.pins)
		}
	}
}

// Before a change the planner may step into the next chord, or half a beat early play its root, of
// itself: only with the last stroke before it and not on beat 1, the note is what it is called, the
// reason names the chord, and a pin that forbids it costs no less. Where no pattern lays the thumb such a
// root can be added half a beat early, and then rest over its chord while it rings. All of it happens.
func TestLeadingIn(t *testing.T) {
	t.Parallel()
	walks, arrivals, added, rests := 0, 0, 0, 0
	halves := &pattern.Pattern{Name: "Doubled at the end", Meter: "4/4", Steps: 8, Beats: []pattern.Beat{{Step: 1, Thumb: "root"},
		{Step: 3, Thumb: "alternate"}, {Step: 5, Thumb: "root"}, {Step: 7, Thumb: "alternate"}, {Step: 8, Thumb: "alternate"}}}
	eachVariation(t, func(t *testing.T, rng *rand.Rand) {
		chords := []string{"C F", "Dm C", "G C D", "A7 D", "E7 A", "C G"}[rng.IntN(6)]
		line16 := coretest.Notes(67, 64, 69, 72, 71, 67, 69, 65, 67, 64, 62, 60, 62, 64, 65, 67)
		tu := coretest.Line('C', 60+60*rng.Float64(), []tune.Time{tune.Quarter, tune.Quarter / 2}[rng.IntN(2)], chords, line16...)
		r := Request{Tune: tu, Tuning: coretest.Tuning([]string{"Standard", "Open D", "Open G", "D suspended"}[rng.IntN(4)]),
			Player: player.Default(), Thumb: pattern.Alternating}
		if rng.IntN(2) == 0 {
			r.Sections = []pattern.Section{{Bar: 1, Pattern: halves}}
		}
		p := solve(t, r)
		for i := range p.Moments {
			mo := &p.Moments[i]
			if mo.LeadsTo == "" {
				continue
			}
			next := slices.IndexFunc(p.Moments[i+1:], func(m play.Moment) bool { return m.Stroke != "" })
			if next < 0 || mo.Thumb == nil || mo.Beat == 1 {
				t.Fatalf("moment %d leads on: %+v", i, mo)
			}
			to := p.Moments[i+1+next].Chord
			iv := (mo.Thumb.Note.Class() - to.Bass.Class() + 12) % 12
			switch {
			case to.Name != mo.LeadsTo || to.Name == mo.Chord.Name:
				t.Errorf("%s is said to follow %s, %s does", mo.LeadsTo, mo.Chord.Name, to.Name)
			case mo.Early && (iv != 0 || mo.Beat != 4.5):
				t.Errorf("%s on beat %v arrives early in %s", mo.Thumb.Note, mo.Beat, to.Name)
			case mo.Early:
				arrivals++
			case iv == 1 || iv == 2 || iv == 10 || iv == 11:
				walks++
			}
			why, err := p.Why(context.Background(), i)
			if err != nil || !strings.Contains(strings.Join(why, " "), mo.LeadsTo) {
				t.Errorf("%v: %q does not say that it leads to %s", err, why, mo.LeadsTo)
			}
			pinned := r
			pinned.Pins = []play.Pin{{At: mo.At, Part: play.Thumb, How: play.Drop}}
			if q := solve(t, pinned); q.Total < p.Total-1e-9 {
				t.Errorf("%v without what leads on, %v with it", q.Total, p.Total)
			}
		}
		a, b := arriveEarly(t, r, p)
		added, rests = added+a, rests+b
	})
	if t.Logf("%d steps into the next chord, %d early arrivals, %d added, %d rests", walks, arrivals, added,
		rests); !testing.Short() && (walks == 0 || arrivals == 0 || added == 0 || rests == 0) {
		t.Error("one of them never happens")
	}
}

// arriveEarly pins every early arrival that the planner could add, at its best place, and then the rest
// over the change: the first costs what it was priced at, the second is one only if the root rings in.
func arriveEarly(t *testing.T, r Request, p *Plan) (added, rests int) {
	ctx := context.Background()
	for _, s := range pattern.Strokes(r.Tune, r.Thumb, r.Sections, "", pattern.All) {
		at := slices.IndexFunc(p.Moments, func(mo play.Moment) bool { return mo.At == s.At })
		if !s.Optional || p.Moments[at].Thumb != nil {
			continue
		}
		alts, err := p.Marginals(ctx, at, play.Thumb, 0)
		if err != nil || p.Moments[at].Stroke != "" || p.Moments[at].Dropped || p.Moments[at].Arrival != s.Over.Name {
			t.Fatalf("%v: %+v", err, p.Moments[at])
		}
		best := slices.IndexFunc(alts, func(a Alternative) bool { return a.String != 0 })
		if best < 0 {
			continue
		}
		r.Pins = []play.Pin{alts[best].Pin(&p.Moments[at])}
		q := solve(t, r)
		if mo := &q.Moments[at]; math.Abs(q.Total-p.Total-alts[best].Extra) > 1e-9 || mo.Thumb == nil ||
			mo.LeadsTo != s.Over.Name || mo.Wanted != "" {
			t.Errorf("%v + %v is %v: %+v", p.Total, alts[best].Extra, q.Total, mo)
		}
		added++
		next := at + 1 + slices.IndexFunc(q.Moments[at+1:], func(mo play.Moment) bool { return mo.Stroke != "" })
		r.Pins = append(r.Pins, play.Pin{At: q.Moments[next].At, Part: play.Thumb, How: play.Drop})
		if z, err := Solve(ctx, r); err == nil {
			checkPlan(t, z)
			if mo := &z.Moments[next]; mo.RingsOn == mo.Dropped {
				t.Errorf("%+v", mo)
			} else if mo.RingsOn {
				if rests++; !mo.Chord.IsBass(z.Moments[at].Thumb.Note.Pitch()) || mo.Cost[play.Pattern] > inForce.RingsOn+1e-5 {
					t.Errorf("the thumb rests over %s after %s, for %v", mo.Chord.Name, z.Moments[at].Thumb.Note, mo.Cost[play.Pattern])
				}
			}
		}
	}
	return added, rests
}
