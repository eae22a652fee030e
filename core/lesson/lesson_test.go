package lesson

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"sync/atomic"
	"testing"
	"time"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/setup"
)

// aLesson is a seeded tune of n notes in open D, set for a slide player with an alternating thumb.
func aLesson(seed uint64, n int) *Lesson {
	teacher := player.Default()
	teacher.Name = "Ash Fernlow"
	return &Lesson{coretest.Wander(seed, n), setup.Settings{Tuning: "D A D F# A D", Thumb: pattern.Alternating}, teacher}
}

// pupil is somebody drawn at random who differs from the teacher in about half of everything.
func pupil(r *rand.Rand) Pupil {
	p := player.Default()
	half := func() bool { return r.IntN(2) == 0 }
	p.Name, p.LeftHanded = fmt.Sprint("pupil ", r.IntN(1000)), half()
	p.Silence = player.Silences[r.IntN(4)]
	p.Lean = player.Leans[r.IntN(len(player.Leans))]
	p.SlideFinger, p.Fingers = 2+r.IntN(3), 1+r.IntN(3)
	p.Thumb = player.Thumbs[r.IntN(len(player.Thumbs))]
	p.ThumbOver, p.Drone, p.FretBehindSlide = half(), half(), half()
	p.ReachMM = 75 + float64(r.IntN(40))
	p.Slide.LengthMM = 45 + float64(r.IntN(30))
	p.FittsB = 0.06 + 0.02*r.Float64()
	if half() {
		p.Techniques = []string{player.UsesBend}
		p.Instrument.ScaleMM = 632
		p.Attack, p.Accent = "picks", "even"
	}
	return Pupil{p, setup.Proposed[r.IntN(len(setup.Proposed))]}
}

// TestTraits: whoever takes over every trait of another is planned as the other is, whatever field of a profile they differ in: no
// difference is without a trait. And no trait is without words.
func TestTraits(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 2))
	for range 200 {
		a, b := pupil(r), pupil(r)
		for i := range traits {
			if traits[i].words(&a) == "" {
				t.Errorf("trait %d has no words for %+v", i, a)
			}
			traits[i].take(&a, &b)
		}
		if a.key() != b.key() {
			t.Fatalf("after all traits were taken over they differ:\n%s\n%s", a.key(), b.key())
		}
	}
	// Every field that a plan depends on belongs to a trait, those to come as well.
	var all player.Profile
	v := reflect.ValueOf(&all).Elem()
	for i := range v.NumField() {
		a, b := Pupil{Player: player.Default()}, Pupil{Player: player.Default()}
		f := reflect.ValueOf(&a.Player).Elem().Field(i)
		switch f.Kind() {
		case reflect.Bool:
			f.SetBool(!f.Bool())
		case reflect.String:
			f.SetString(f.String() + "x")
		case reflect.Int:
			f.SetInt(f.Int() + 1)
		case reflect.Float64:
			f.SetFloat(f.Float() + 1)
		default:
			continue
		}
		for k := range traits {
			traits[k].take(&a, &b)
		}
		if a.key() != b.key() {
			t.Errorf("%s is no pupil's trait, and plans may depend on it", v.Type().Field(i).Name)
		}
	}
}

// TestSheets: each sheet is the plan that the pupil's settings give; the pupil's thumb and level come before the tune's; what
// differs from the teacher's is named bar by bar, and a reason holds: without its trait the bar is played otherwise.
func TestSheets(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 8))
	lessons, reasons := 4, 0
	if testing.Short() {
		lessons = 1
	}
	for seed := range uint64(lessons) {
		l := aLesson(70+seed, 24)
		none, lazy := pupil(r), pupil(r)
		none.Player.Thumb, lazy.Level = "none", setup.Proposed[2]
		none.Player.Lean = player.LeanNone
		pupils := []Pupil{l.Own(), none, lazy, none}
		pupils[3].Player.Name, pupils[3].Player.LeftHanded = "a twin", !none.Player.LeftHanded
		var plans [4]*plan.Plan
		var calls atomic.Int64
		sheets, err := l.Sheets(t.Context(), pupils, Watch{Plan: func(of []int, p *plan.Plan) {
			calls.Add(1)
			for _, i := range of {
				plans[i] = p
			}
		}})
		if err != nil || calls.Load() != 3 {
			t.Fatalf("%d plans for four pupils of whom two are alike: %v", calls.Load(), err)
		}
		if plans[3] != plans[1] || len(Groups(sheets)) > 3 {
			t.Error("twins have two sheets")
		}
		for i := range sheets {
			sh := &sheets[i]
			st := l.Settings.For(&sh.Pupil.Player, sh.Pupil.Level)
			req, err := st.Request(l.Tune, &sh.Pupil.Player)
			if err != nil {
				t.Fatal(err)
			}
			alone, err := plan.SolveKeepable(t.Context(), req)
			if err != nil || sh.Err != nil || !slices.Equal(Bars(alone), sh.Bars) {
				t.Fatalf("sheet %d is not the plan of its settings: %v %v", i, err, sh.Err)
			}
		}
		for _, mo := range plans[1].Moments {
			if mo.Thumb != nil || mo.Melody != nil && mo.Melody.How.Slid() {
				t.Errorf("bar %d: a pupil without a slide whose thumb is not free plays %+v, %+v", mo.Bar, mo.Melody, mo.Thumb)
			}
		}
		for i := 1; i < 3; i++ {
			why, err := l.Why(t.Context(), &sheets[0], &sheets[i], nil)
			if err != nil {
				t.Fatal(err)
			}
			var bars []int
			for _, reason := range why {
				bars, reasons = append(bars, reason.Bars...), reasons+len(reason.Words)
			}
			slices.Sort(bars)
			if want := Differing(&sheets[0], &sheets[i]); !slices.Equal(bars, want) {
				t.Errorf("bars %v are explained, %v differ", bars, want)
			}
		}
	}
	if reasons < 2 {
		t.Errorf("%d reasons", reasons)
	}
}

// TestOneTrait: a pupil who differs from the teacher in one thing differs because of it alone, in every bar.
func TestOneTrait(t *testing.T) {
	l := aLesson(81, 24)
	changed := 0
	for i, change := range []func(p *Pupil){
		func(p *Pupil) { p.Player.Lean = player.LeanNone },
		func(p *Pupil) { p.Level = setup.Proposed[2] },
		func(p *Pupil) { p.Player.ReachMM = 70 },
		func(p *Pupil) { p.Player.Thumb = "none" },
	} {
		p := l.Own()
		change(&p)
		sheets, err := l.Sheets(t.Context(), []Pupil{l.Own(), p}, Watch{})
		if err != nil {
			t.Fatal(err)
		}
		why, err := l.Why(t.Context(), &sheets[0], &sheets[1], nil)
		if err != nil || len(why) > 1 {
			t.Fatalf("%d: %+v %v", i, why, err)
		}
		for _, reason := range why {
			if changed++; len(reason.Words) != 1 {
				t.Errorf("%d: %+v", i, reason)
			}
		}
	}
	if changed < 3 {
		t.Errorf("%d of four traits change anything", changed)
	}
}

// TestPinned: what the teacher keeps binds the teacher's hand alone; pins of notes bind everybody's who can play them; a pupil
// without a slide is not asked to slide.
func TestPinned(t *testing.T) {
	l := aLesson(83, 16)
	l.Teacher.Lean = player.LeanSlide
	own := l.Own()
	p, err := l.solve(t.Context(), &own)
	if err != nil {
		t.Fatal(err)
	}
	if l.Settings, err = l.Settings.Keep(p); err != nil {
		t.Fatal(err)
	}
	for i := range p.Moments {
		if mo := &p.Moments[i]; mo.Melody != nil && mo.Melody.How.Slid() {
			l.Settings.Pins = append(l.Settings.Pins, play.Pin{At: mo.At, Part: play.Melody, String: mo.Melody.String, Fret: mo.Melody.Fret, How: play.Slide})
		}
	}
	none := l.Own()
	none.Player.Lean = player.LeanNone
	st := l.Settings.For(&none.Player, none.Level)
	if len(l.Settings.Pins) == 0 || len(st.Pins) != 0 || st.Kept != nil || l.Settings.Kept == nil {
		t.Errorf("%d pins of the slide, %d of them for a pupil without one", len(l.Settings.Pins), len(st.Pins))
	}
	if st := l.Settings.For(&l.Teacher, player.Level{}); len(st.Pins) != len(l.Settings.Pins) {
		t.Errorf("%d of %d pins for a pupil with a slide", len(st.Pins), len(l.Settings.Pins))
	}
}

// TestClassroom: 30 pupils of 64 notes, stopped and not; how long it takes is a figure of the long form.
func TestClassroom(t *testing.T) {
	r := rand.New(rand.NewPCG(30, 64))
	l := aLesson(64, 64)
	pupils := []Pupil{l.Own()}
	for len(pupils) < 30 {
		pupils = append(pupils, pupil(r))
	}
	ctx, stop := context.WithCancel(t.Context())
	_, err := l.Sheets(ctx, pupils, Watch{Report: func(done, total int) {
		if done == 2 {
			stop()
		}
	}})
	if !errors.Is(err, context.Canceled) {
		t.Errorf("stopped: %v", err)
	}
	if testing.Short() {
		return
	}
	began := time.Now()
	sheets, err := l.Sheets(t.Context(), pupils, Watch{})
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("figure: 30 sheets of %d notes in %.1f s, %d played otherwise", len(l.Tune.Notes), time.Since(began).Seconds(), len(Groups(sheets)))
	for i := range sheets {
		if sheets[i].Err != nil {
			t.Errorf("pupil %d: %v", i, sheets[i].Err)
		}
	}
}
