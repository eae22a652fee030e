package view

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"stepping/core/chord"
	"stepping/core/entry"
	"stepping/core/grip"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/practice"
	"stepping/core/take"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/plandoc"
	"stepping/golden"
)

// goldenTune has what a drawing must tell apart: a pickup, chords of notes, quarter tones, marks, a repeat, two meters.
const goldenTune = "M:4/4\nL:1/4\nQ:1/4=80\nK:D\nA|:\"D\"d f [da] ^/F|\"G\"B3/2 A/ [GBd]2:|\"A7\"e c A2|M:3/4\n\"D\"!accent!d2 F|d3|"

var goldenPlayers = map[string]func(*plan.Request){
	"default": nil,
	"lap":     func(r *plan.Request) { r.Player.Posture, r.Player.Silence = player.Lap, player.LapStop },
	"slapped": func(r *plan.Request) {
		slap, _ := pattern.Named("Slap under a flicked top")
		r.Sections = []pattern.Section{{Bar: 1, Pattern: slap}}
	},
	"fretted": func(r *plan.Request) {
		r.Player.Lean, r.Player.Fingers, r.Capo, r.Player.Silence = player.LeanNone, 3, 2, player.Heel
	},
}

// TestGoldenPlans: what is drawn and said of plans, to the last coordinate and word.
func TestGoldenPlans(t *testing.T) {
	for name, change := range goldenPlayers {
		p := planOf(t, goldenTune, change)
		doc := aTake(p)
		heard := NewHeard(p, doc)
		var b strings.Builder
		b.WriteString(golden.Lines(NewColumn(p, map[int]bool{1: true, 4: true}, heard, 2)))
		late := NewColumn(p, nil, nil, len(p.Moments)-1)
		fmt.Fprintf(&b, "late %d %g\n", late.First, late.CursorY)
		b.WriteString(golden.Lines(NewBars(p, 3)))
		b.WriteString(golden.Lines(NewPaper(p)))
		stand, when := NewStand(p, [2]int{1, 3}, 9, true, true)
		fmt.Fprintf(&b, "%v\n%s", when, golden.Lines(stand))
		b.WriteString(golden.Lines(NewTakePictures(doc, aTake(p))))
		b.WriteString(golden.Lines(NewContour(p.Request.Tune, 3)))
		for m := range p.Moments {
			if m%3 != 0 {
				continue
			}
			fmt.Fprintf(&b, "\nmoment %d\n%s%s", m, golden.Lines(NewNow("tune", 3, p, m)), golden.Lines(NewNeck(p, m)))
			r, err := NewReasons(context.Background(), p, m)
			if err != nil {
				t.Fatal(err)
			}
			b.WriteString(golden.Lines(r))
		}
		golden.Check(t, "plan-"+name, b.String())
	}
}

// aTake is a take of the plan with some of everything that can be said of one.
func aTake(p *plan.Plan) *plandoc.TakeDoc {
	tk := &take.Take{}
	for m := range p.Moments {
		mo := &p.Moments[m]
		tk.Places = append(tk.Places, take.Place{Moment: m, AtSec: 1 + mo.Seconds, Sure: 0.9})
		for _, s := range mo.Strokes() {
			tk.Notes = append(tk.Notes, take.Note{Moment: m, AtSec: 1 + mo.Seconds, String: s.String, Part: s.Part, Cents: float64(m%5-2) * 9,
				OnsetMs: float64(m%7-3) * 25, Sure: 0.3 + 0.2*float64(m%4), Plucked: m%3 > 0})
		}
	}
	doc := plandoc.NewTake(p, tk)
	return &doc
}

// TestGoldenPictures: the other pictures.
func TestGoldenPictures(t *testing.T) {
	var b strings.Builder
	for _, spelt := range []string{"Standard", "Open D", "D A D G A D"} {
		tn, err := tuning.Parse(spelt)
		if err != nil {
			t.Fatal(err)
		}
		home, _ := pitch.ParseClass("D")
		for _, capo := range []int{0, 9} { // the second reaches the last fret
			fmt.Fprintf(&b, "home in %s, capo %d\n%s", spelt, capo, golden.Lines(NewHomePicture(tn, capo, home, player.Default().Neck())))
		}
		g := grip.Guitar{Tuning: tn, Capo: 1, Player: player.Default()}
		for _, name := range []string{"G", "A7"} {
			c, _ := chord.Parse(name)
			for _, x := range g.Find(c, 2) {
				fmt.Fprintf(&b, "%s in %s\n%s%s", name, spelt, golden.Lines(NewGrip(g, c, &x)), golden.Lines(NewSmallGrip(g, &x)))
			}
		}
	}
	for i := range pattern.Library {
		p := &pattern.Library[i]
		fmt.Fprintf(&b, "%s %v\n%s", p.Name, Counts(p), golden.Lines(NewPatternPicture(p)))
	}
	s := entry.New("Open D")
	keys := strings.Fields("chord:D 0 2 eighth 4 5 slide 7 slide 5 chord:G put:2:5 put:2:3 quarter 2 with put:6:0 half 4 eighth 5 7 rest 3")
	for _, k := range keys {
		if err := s.Press(k); err != nil {
			t.Fatal(k, err)
		}
	}
	st := s.State()
	tn, _ := tuning.Parse("Open D")
	fmt.Fprintf(&b, "typed\n%s%s", golden.Lines(NewBoard(tn, 0, &st)), golden.Lines(NewStrip(&st, tune.MeterAt{Num: 4, Den: 4})))
	day := time.Date(2026, 5, 4, 18, 0, 0, 0, time.UTC)
	points := []practice.Point{{Day: day, Tempo: 40, Clean: true}, {Day: day.AddDate(0, 0, 2), Tempo: 44}, {Day: day.AddDate(0, 0, 9), Tempo: 52, Clean: true}}
	fmt.Fprintf(&b, "course\n%s", golden.Lines(NewLogCourse("Thumb", points, 66)))
	p := planOf(t, goldenTune, nil)
	cells := [][]practice.Cell{{{Goal: 60}, {Best: 30, Goal: 60}, {Best: 60, Goal: 60}}, {{Best: 20, Goal: 80}, {}, {Best: 70, Goal: 80}}}
	fmt.Fprintf(&b, "grid\n%s", golden.Lines(NewLogGrid([]string{"thumb", "melody"}, cells, strings.ToUpper, p.Request.Tune)))
	fmt.Fprintf(&b, "minutes\n%s", golden.Lines(NewLogMinutes([]float64{0, 12, 30, 4, 0, 0, 25}, day)))
	golden.Check(t, "pictures", b.String())
}
