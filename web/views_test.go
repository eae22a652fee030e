package web

import (
	"context"
	"encoding/json"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"github.com/google/uuid"

	"stepping/core/chord"
	"stepping/core/grip"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/thumb"
	"stepping/core/tune"
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
	r := plan.Request{Tune: tu, Tuning: tn, Player: player.Default(), Thumb: thumb.Alternating}
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

// TestWithPin: however pins are set, each thing has one at most, a digit or finger joins the place
// that is pinned, and all come back from JSON as they were.
func TestWithPin(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 9))
	var pins []plan.Pin
	for range 400 {
		p := plan.Pin{At: tune.Quarter * tune.Time(rng.IntN(3)), Part: []plan.Part{plan.Melody, plan.Thumb, plan.Damper, plan.Tube}[rng.IntN(4)]}
		switch rng.IntN(3) {
		case 0:
			p.String, p.How, p.Fret = 1+rng.IntN(6), plan.Fret, float64(rng.IntN(9))
		case 1:
			p.Digit = "i"
		default:
			p.Finger = 1 + rng.IntN(3)
		}
		before := pins
		pins = withPin(pins, p)
		for i := range pins {
			for j := range i {
				if pins[i].SameTarget(&pins[j]) {
					t.Fatalf("two pins for one thing: %+v %+v", pins[i], pins[j])
				}
			}
		}
		last := pins[len(pins)-1]
		for _, old := range before {
			if old.SameTarget(&p) && p.Part == plan.Melody && p.String == 0 && (last.String != old.String || last.Fret != old.Fret || last.How != old.How) {
				t.Fatalf("%+v after %+v lost its place: %+v", p, old, last)
			}
		}
	}
	data, err := json.Marshal(pins)
	if err != nil {
		t.Fatal(err)
	}
	var again []plan.Pin
	if err := json.Unmarshal(data, &again); err != nil || !reflect.DeepEqual(again, pins) {
		t.Errorf("%v: %s", err, data)
	}
}

// TestViewsAgree: the column, the front view, the neck's labels and the strum test say the same as
// the plan at every moment, in every look that a plan can have.
func TestViewsAgree(t *testing.T) {
	for name, change := range map[string]func(*plan.Request){
		"default": nil,
		"heel":    func(r *plan.Request) { r.Player.Silence, r.Player.Fingers = player.Heel, 1 },
		"ringing": func(r *plan.Request) { r.Player.Silence = player.Ring },
		"lap":     func(r *plan.Request) { r.Player.Posture, r.Player.Silence = player.Lap, player.LapStop },
		"capo":    func(r *plan.Request) { r.Capo = 2 },
		"none":    func(r *plan.Request) { r.Player.Lean, r.Thumb = player.LeanNone, thumb.None },
	} {
		p := planOf(t, viewTune, change)
		w := &worked{plan: p, changed: map[int]bool{}, reasons: map[int]reasons{}}
		col := newColumn(w, 0)
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
			now := newNow(&planBody{}, w, m)
			if len(now.With) != len(mo.With) || (now.Thumb != nil) != (mo.Thumb != nil) || (now.Behind != "") != (mo.Hand.SlideOn && !p.Request.Player.Lap()) {
				t.Errorf("%s, moment %d: %+v", name, m, now)
			}
			for _, s := range newStrum(p, m) {
				if st := mo.Strings[s.Number-1].State; (st == plan.Struck || st == plan.Rings) != (s.Text == "may sound") {
					t.Errorf("%s, moment %d: string %d is %s, the strum test says %q", name, m, s.Number, st, s.Text)
				}
			}
		}
	}
}

func checkFront(t *testing.T, name string, mo *plan.Moment) {
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
			if s.String == f.Number && s.Digit != "" && !mo.Brush && f.Right != s.Digit {
				t.Errorf("%s: string %d is plucked by %s, drawn %q", name, f.Number, s.Digit, f.Right)
			}
		}
		if st.State == plan.Silenced && f.Left == "" && f.Right == "" && st.By != "tilt" {
			t.Errorf("%s: string %d is silenced by %q, nothing is drawn", name, f.Number, st.By)
		}
	}
}

// TestFigureRows: in every row the best is marked, unless all are alike; a missing plan is empty.
func TestFigureRows(t *testing.T) {
	slide := planOf(t, viewTune, func(r *plan.Request) { r.Player.Lean = player.LeanSlide })
	fret := planOf(t, viewTune, func(r *plan.Request) { r.Player.Lean = player.LeanFret })
	rows := figureRows([]*plan.Plan{slide, nil, fret})
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
					v := newGripView(g, symbol, &x)
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
		if got := countLabel(beat); got != want {
			t.Errorf("beat %v is counted %q, want %q", beat, got, want)
		}
	}
	for name, want := range map[string]string{"Steady bass": "1 & 2 & 3 & 4 &", "Rolling six": "1 2 3 4 5 6", "Waltz, one string at a time": "1 & 2 & 3 &"} {
		p, ok := thumb.Named(name)
		if got := strings.Join(counts(p), " "); !ok || got != want {
			t.Errorf("%s is counted %q", name, got)
		}
	}
}

// The cache finds a tune's plans by what they were made of, knows the one looked at last, and forgets the
// oldest beyond its moments, but never the last.
func TestPlanCache(t *testing.T) {
	var pc planCache
	a, b := uuid.Must(uuid.NewV7()), uuid.Must(uuid.NewV7())
	of := func(basis string, moments int) *worked {
		return &worked{basis: basis, plan: &plan.Plan{Moments: make([]plan.Moment, moments)}}
	}
	first, second, other := of("1", 400), of("2", 400), of("1", 400)
	pc.put(a, first)
	pc.put(a, second)
	pc.put(b, other)
	if w, last := pc.get(a, "1"); w != first || last != second {
		t.Error("the first of two plans is not found")
	}
	if w, last := pc.get(a, "3"); w != nil || last != first {
		t.Error("the one looked at is not the last")
	}
	if w, _ := pc.get(b, "1"); w != other {
		t.Error("plans of two tunes are taken for each other")
	}
	pc.put(b, of("2", 800)) // 800 + 400 fit beside nothing older than b's first and a's first
	if w, _ := pc.get(a, "2"); w != nil {
		t.Error("the oldest plan is kept beyond the limit")
	}
	pc.put(a, of("4", 10*cachedMoments))
	if w, last := pc.get(a, "4"); w == nil || last != w || len(pc.plans) != 1 {
		t.Errorf("%d plans are kept beside a very long one", len(pc.plans))
	}
}
