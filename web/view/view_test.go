package view

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"stepping/core/chord"
	"stepping/core/grip"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tuning"
	"stepping/formats/abc"
)

func planOf(t *testing.T, text string, change func(*plan.Request)) *plan.Plan {
	t.Helper()
	tu, _, err := abc.Read(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	tn, err := tuning.Parse("Open D")
	if err != nil {
		t.Fatal(err)
	}
	r := plan.Request{Tune: tu, Tuning: tn, Player: player.Default(), Thumb: pattern.Alternating}
	if change != nil {
		change(&r)
	}
	p, err := plan.Solve(context.Background(), r)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

const viewTune = "M:4/4\nL:1/4\nQ:1/4=80\nK:D\n\"D\"d f [da] ^/F|\"G\"B3/2 A/ [GBd]2|\"A7\"e c A2|\"D\"d4|"

// TestViewsAgree: the column, the front view, the neck's labels and the strum test say the same as
// the plan at every moment, in every look that a plan can have.
func TestViewsAgree(t *testing.T) {
	for name, change := range map[string]func(*plan.Request){
		"default": nil,
		"heel":    func(r *plan.Request) { r.Player.Silence, r.Player.Fingers = player.Heel, 1 },
		"ringing": func(r *plan.Request) { r.Player.Silence = player.Ring },
		"lap":     func(r *plan.Request) { r.Player.Posture, r.Player.Silence = player.Lap, player.LapStop },
		"capo":    func(r *plan.Request) { r.Capo = 2 },
		"none":    func(r *plan.Request) { r.Player.Lean, r.Thumb = player.LeanNone, pattern.None },
		"slap": func(r *plan.Request) {
			slap, _ := pattern.Named("Slap under a flicked top")
			r.Sections = []pattern.Section{{Bar: 1, Pattern: slap}}
		},
	} {
		p := planOf(t, viewTune, change)
		col := NewColumn(p, nil, nil, 0)
		if len(col.Rows) != len(p.Moments) || len(col.Ceilings) == 0 {
			t.Fatalf("%s: %d rows for %d moments, %d ceilings", name, len(col.Rows), len(p.Moments), len(col.Ceilings))
		}
		for m := range p.Moments {
			mo := &p.Moments[m]
			if got := len(col.Rows[m].Marks); got != len(mo.Strokes()) {
				t.Errorf("%s, moment %d: %d marks, %d strokes", name, m, got, len(mo.Strokes()))
			}
			if (col.Rows[m].Pinch != nil) != (len(mo.Strokes()) > 1) {
				t.Errorf("%s, moment %d: struck together is not joined", name, m)
			}
			checkFront(t, name, mo)
			now := NewNow("", 0, p, m)
			if len(now.With) != len(mo.With) || (now.Thumb != nil) != (mo.Thumb != nil) ||
				(now.Behind != "") != (mo.Hand.SlideOn && !p.Request.Player.Lap()) {
				t.Errorf("%s, moment %d: %+v", name, m, now)
			}
			if r, err := NewReasons(context.Background(), p, m); err != nil || len(r.Why) == 0 || len(r.Strum) != len(mo.Strings) {
				t.Errorf("%s, moment %d: reasons %q, %v", name, m, r.Why, err)
			}
			for _, s := range newStrum(p, m) {
				st, fretted := mo.Strings[s.Number-1].State, p.Request.Player.Lean == player.LeanNone // then the chord's tones may sound, too
				may := s.Text == "may sound"
				if sounds := st == play.Struck || st == play.Rings; sounds != may && !(fretted && may && st == play.Harmless) {
					t.Errorf("%s, moment %d: string %d is %s, the strum test says %q", name, m, s.Number, st, s.Text)
				}
			}
		}
	}
}

func checkFront(t *testing.T, name string, mo *play.Moment) {
	t.Helper()
	for i, f := range newFront(mo) {
		st := mo.Strings[f.Number-1]
		if f.Number != 6-i || f.State != string(st.State) {
			t.Errorf("%s: %+v for %+v", name, f, st)
		}
		under := mo.Hand.SlideOn && f.Number >= mo.Hand.From && f.Number <= mo.Hand.Covers
		if under != (f.Left == "slide") {
			t.Errorf("%s: string %d under the slide %v, drawn %q", name, f.Number, under, f.Left)
		}
		for _, s := range mo.Strokes() {
			if s.String == f.Number && s.Digit != "" && !mo.Brush && f.Right != string(s.Digit) {
				t.Errorf("%s: string %d is plucked by %s, drawn %q", name, f.Number, s.Digit, f.Right)
			}
		}
		if st.State == play.Silenced && f.Left == "" && f.Right == "" && st.By != "tilt" {
			t.Errorf("%s: string %d is silenced by %q, nothing is drawn", name, f.Number, st.By)
		}
	}
}

// TestFigureRows: in every row the best is marked, unless all are alike; a missing plan is empty.
func TestFigureRows(t *testing.T) {
	slide := planOf(t, viewTune, func(r *plan.Request) { r.Player.Lean = player.LeanSlide })
	fret := planOf(t, viewTune, func(r *plan.Request) { r.Player.Lean = player.LeanFret })
	rows := FigureRows([]*plan.Plan{slide, nil, fret})
	for _, r := range rows {
		a, none, b := r.Cells[0], r.Cells[1], r.Cells[2]
		if none.Text != "" || none.Best || a.Text == "" || b.Text == "" {
			t.Errorf("%+v", r)
		}
		if a.Text == b.Text != (!a.Best && !b.Best) && !strings.Contains(r.Name, "costs") {
			t.Errorf("%s: %+v", r.Name, r.Cells)
		}
	}
	if rows[2].Name != "Notes with the slide" || !rows[2].Cells[0].Best {
		t.Errorf("%+v", rows[2])
	}
}

// A drawn grip shows what it is: a tip for every finger on a string, on the right side of its fret; the
// strings left out with what silences them; and lies wholly within its picture.
func TestGripDrawing(t *testing.T) {
	pl := player.Default()
	for _, name := range []string{"Standard", "Open D", "Open G", "Drop D"} {
		tn, err := tuning.Parse(name)
		if err != nil {
			t.Fatal(err)
		}
		for capo := range 3 {
			g := grip.Guitar{Tuning: tn, Capo: capo, Player: pl}
			for _, symbol := range []string{"C", "F#m7", "Bb", "A7", "Em9"} {
				c, err := chord.Parse(symbol)
				if err != nil {
					t.Fatal(err)
				}
				for _, x := range g.Find(c, 8) {
					v := NewGrip(g, c, &x)
					pressed, out := 0, 0
					for s := 1; s <= 6; s++ {
						if x.Fingers[s] != 0 {
							pressed++
						}
						if x.Frets[s] == grip.Out {
							out++
						}
						if (x.Frets[s] == grip.Out) != (v.Strings[s-1].Mark == "×") || v.Strings[s-1].Label == "" {
							t.Errorf("string %d of %s: %+v", s, v.Text, v.Strings[s-1])
						}
					}
					if len(v.Tips) != pressed || len(v.Silence) != out || len(v.Bars) != len(x.Bars()) || len(strings.Fields(v.Text)) != 6 {
						t.Errorf("%s: %d tips, %d silenced, %d bars", v.Text, len(v.Tips), len(v.Silence), len(v.Bars))
					}
					for _, tip := range v.Tips {
						if tip.X < 0 || tip.X > v.Width || tip.Y < 10 || tip.Y > v.Height-10 {
							t.Errorf("%s: a tip lies outside at %v, %v of %v, %v", v.Text, tip.X, tip.Y, v.Width, v.Height)
						}
					}
					small := NewSmallGrip(g, &x)
					fretted := 0
					for s := 1; s <= 6; s++ {
						mark := map[bool]string{x.Frets[s] == grip.Out: "×", x.Frets[s] == capo: "0"}[true]
						if small.Strings[s-1].Text != mark {
							t.Errorf("%s, small: string %d has %q before the nut", v.Text, s, small.Strings[s-1].Text)
						}
						if mark == "" {
							fretted++
						}
					}
					for _, d := range small.Dots {
						if d.X < small.Left || d.X > small.Width-4 || d.Y > small.Height {
							t.Errorf("%s, small: a finger lies outside at %v of %v", v.Text, d.X, small.Width)
						}
					}
					if len(small.Dots) != fretted || len(small.Frets) < 3 {
						t.Errorf("%s, small: %d fingers, %d frets", v.Text, len(small.Dots), len(small.Frets))
					}
					for i := 1; i < len(v.Frets); i++ {
						if a, b := v.Frets[i-1], v.Frets[i]; b.X <= a.X || i > 1 && b.X-a.X >= a.X-v.Frets[i-2].X {
							t.Errorf("frets do not come closer: %v", v.Frets)
						}
					}
				}
			}
		}
	}
}

// Beats are counted aloud as players do, on the plan and over a pattern.
func TestCounts(t *testing.T) {
	for beat, want := range map[float64]string{1: "1", 2.5: "&", 3.25: "e", 3.75: "a", 4 + 1./3: "trip", 4 + 2./3: "let", 2.1: "2.1"} {
		if got := play.CountAloud(beat); got != want {
			t.Errorf("beat %v is counted %q, want %q", beat, got, want)
		}
	}
	for name, want := range map[string]string{"Steady bass": "1 & 2 & 3 & 4 &", "Rolling six": "1 2 3 4 5 6",
		"Waltz, one string at a time": "1 & 2 & 3 &"} {
		p, ok := pattern.Named(name)
		if got := strings.Join(Counts(p), " "); !ok || got != want {
			t.Errorf("%s is counted %q", name, got)
		}
	}
}

// Where home lies is home: every dot sounds the key note and none that does is missing, in every tuning with
// and without a capo; a shaded bar gives the chord that stands beneath it, and only tunings whose open strings
// spell a plain chord have any.
func TestHomePicture(t *testing.T) {
	k := player.Default().Neck()
	for _, named := range tuning.Library {
		tn, err := tuning.Parse(named.Spelt)
		if err != nil {
			t.Fatal(err)
		}
		for _, capo := range []int{0, 3} {
			for _, key := range []string{"D", "Eb", "A"} {
				home, _ := pitch.ParseClass(key)
				v := NewHomePicture(tn, capo, home, k)
				want := 0
				for s := 1; s <= 6; s++ {
					for f := capo; f <= capo+12; f++ {
						if midi, _ := (tn.Open(s) + pitch.Midi(f)).Nearest(); (midi-home.Class())%12 == 0 {
							want++
						}
					}
				}
				if len(v.Dots) != want || len(v.Frets) != 13 {
					t.Errorf("%s, capo %d in %s: %d dots, %d wanted, %d frets", named.Name, capo, key, len(v.Dots), want, len(v.Frets))
				}
				plain := tuning.UnderBar(tn)
				if !plain && len(v.Bars) > 0 || plain && len(v.Bars) < 3 {
					t.Errorf("%s, capo %d in %s: bars %v, open strings %s", named.Name, capo, key, v.Bars, tuning.OpenChord(tn))
				}
				for _, b := range v.Bars {
					fret := slices.IndexFunc(v.Frets, func(f smallFret) bool { return f.X == b.X }) + capo
					steps := map[string]int{"I": 0, "IV": 5, "V": 7}[b.Text]
					if root := tuning.Home(tn).Class() + fret; (root-home.Class()-steps)%12 != 0 {
						t.Errorf("%s, capo %d in %s: fret %d is said to give %s", named.Name, capo, key, fret, b.Text)
					}
				}
			}
		}
	}
}

// TestLogMinutes: a day counts and has its figure from half a minute on.
func TestLogMinutes(t *testing.T) {
	m := NewLogMinutes([]float64{0.49, 0.5, 0, 20}, time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC))
	if m.Days != 2 || m.Total != 21 || m.Bars[0].Text != "" || m.Bars[1].Text != "0" || m.Bars[3].Text != "20" || m.Bars[3].Day != "30 Nov" {
		t.Errorf("%+v", m)
	}
}
