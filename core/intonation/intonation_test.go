package intonation

import (
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"stepping/core/chord"
	"stepping/core/coretest"
	"stepping/core/pitch"
	"stepping/core/player"
	"stepping/core/take"
)

func aNeck(t *testing.T, tuning string, capo int) *Neck {
	t.Helper()
	c, err := chord.Parse("D7")
	if err != nil {
		t.Fatal(err)
	}
	return &Neck{Tuning: coretest.Tuning(tuning), Capo: capo, Frets: 20, Chord: c}
}

// hand is a player whose error is known.
type hand struct {
	rng    *rand.Rand
	off    func(t *Task) (bias, spread float64)
	finger int
}

// play plays an exercise, and returns its rows.
func (h *hand) play(tasks []Task, at time.Time) (out []Played) {
	for i := range tasks {
		bias, spread := h.off(&tasks[i])
		s := take.Stopped{Cents: bias + spread*h.rng.NormFloat64(), Spread: 2, Seconds: 1}
		out = append(out, Log(&tasks[i], &s, h.finger, at.Add(time.Duration(i)*time.Second)))
	}
	return out
}

// TestNamed: notes are spelled in the key of the chord, or of the open strings above the capo.
func TestNamed(t *testing.T) {
	for symbol, want := range map[string]string{"Bbm": "Bb Db Eb F Ab", "E7": "E F# G# B C#", "Eb": "Eb F G Bb C"} {
		n := aNeck(t, "Open G", 0)
		n.Chord, _ = chord.Parse(symbol)
		spelledAs(t, Scale, n, want)
	}
	spelledAs(t, Anywhere, aNeck(t, "Open D", 0), "D Eb E F F# G Ab A Bb B C C#")
	spelledAs(t, Anywhere, aNeck(t, "Open D", 1), "Eb E F Gb G Ab A Bb B C Db D")
}

func spelledAs(t *testing.T, kind Kind, n *Neck, want string) {
	t.Helper()
	for seed := range uint64(12) {
		tasks, err := New(kind, n, nil, seed)
		if err != nil {
			t.Fatal(err)
		}
		for i := range tasks {
			if name := tasks[i].Note.ClassName(); !slices.Contains(strings.Fields(want), name) {
				t.Errorf("%s with capo %d: %s is none of %s", kind, n.Capo, name, want)
			}
			if got := tasks[i].Note.Pitch(); got != n.Tuning.Open(tasks[i].String)+pitch.Midi(int(tasks[i].Fret)) {
				t.Errorf("%v is named %s", tasks[i].Place, tasks[i].Note)
			}
		}
	}
}

// TestExercises: every kind in several tunings, capos and grades asks for places that are on the neck and sound the
// note that is named, by shifts that the player is ready for; the same seed asks for the same, another for others.
func TestExercises(t *testing.T) {
	for _, tuning := range []string{"Open D", "Open G", "Standard"} {
		for _, capo := range []int{0, 3} {
			for grade := 1; grade <= 3; grade++ {
				n, log := aNeck(t, tuning, capo), ready(grade)
				if g := Grade(log); g != grade {
					t.Fatalf("grade %d, want %d", g, grade)
				}
				for _, kind := range []Kind{Weak, ThereAndBack, OneString, Scale, Anywhere} {
					differ := false
					for seed := range uint64(6) {
						tasks, err := New(kind, n, log, seed)
						if err != nil || len(tasks) < 4 || len(tasks) > MostNotes {
							t.Fatalf("%s, %s: %d notes, %v", kind, tuning, len(tasks), err)
						}
						again, _ := New(kind, n, log, seed)
						other, _ := New(kind, n, log, seed+100)
						if !reflect.DeepEqual(tasks, again) {
							t.Errorf("%s: the same seed asks for something else", kind)
						}
						differ = differ || !reflect.DeepEqual(tasks, other)
						checkTasks(t, kind, n, tasks, shiftNames[grade].most)
					}
					if !differ {
						t.Errorf("%s: every seed asks for the same", kind)
					}
				}
			}
		}
	}
	if _, err := New(Tune, aNeck(t, "Open D", 0), nil, 1); err != ErrNoTune {
		t.Errorf("without a tune: %v", err)
	}
	if _, err := New(Weak, &Neck{Tuning: coretest.Tuning("Open D"), Capo: 12, Frets: 14}, nil, 1); err == nil {
		t.Error("two frets are enough")
	}
}

// ready is the log of a player who has come to a grade.
func ready(grade int) (out []Played) {
	for k := 1; k < grade; k++ {
		for i := range 20 {
			from := 3.0
			out = append(out, Played{Place: Place{1 + i%4, from + shiftNames[k].most}, From: &from, Finger: 4, Cents: 3})
		}
	}
	return out
}

func checkTasks(t *testing.T, kind Kind, n *Neck, tasks []Task, most float64) {
	t.Helper()
	for i := range tasks {
		k := &tasks[i]
		if k.String < 1 || k.String > 6 || int(k.Fret) <= n.Capo || int(k.Fret) > n.Frets {
			t.Errorf("%s: %+v", kind, k.Place)
		}
		if want := n.Tuning.Open(k.String).Hertz(440) * math.Exp2(k.Fret/12); math.Abs(k.Hz/want-1) > 1e-6 || math.Abs(k.Note.Pitch().Hertz(440)/want-1) > 1e-6 {
			t.Errorf("%s: %+v sounds %.2f Hz, said %.2f", kind, k.Place, want, k.Hz)
		}
		if (i > 0) != (k.From != nil) || i > 0 && *k.From != tasks[i-1].Place {
			t.Errorf("%s: note %d comes from %+v", kind, i, k.From)
		}
		if i > 0 && kind != Scale && math.Abs(k.Fret-k.From.Fret) > most+0.5 {
			t.Errorf("%s: a shift of %g frets, ready for %g", kind, k.Fret-k.From.Fret, most)
		}
	}
	switch kind {
	case ThereAndBack:
		if a, b := tasks[0].Place, tasks[1].Place; a.String+1 != b.String || a.Fret == b.Fret || tasks[2].Place != a || tasks[7].Place != b {
			t.Errorf("there and back: %+v", tasks)
		}
	case Scale:
		for i := range tasks {
			if iv := n.Chord.Interval(tasks[i].Note.Pitch()); !slices.Contains([]int{0, 2, 4, 7, 9}, iv) {
				t.Errorf("%s over %s is no note of the scale", tasks[i].Note, n.Chord.Name)
			}
		}
	}
}

// TestMap: the map comes near what the player does, place by place; exercises seek the places that
// are weak, and who is alike everywhere has no weakness.
func TestMap(t *testing.T) {
	n := aNeck(t, "Open D", 0)
	weak := func(k *Task) (float64, float64) {
		if k.String == 3 {
			return -20, 5
		}
		return 1, 5
	}
	h := &hand{rand.New(rand.NewPCG(4, 4)), weak, 4}
	var log []Played
	sought := 0
	for day := range 40 {
		tasks, err := New(Weak, n, log, uint64(day))
		if err != nil {
			t.Fatal(err)
		}
		for i := range tasks {
			if tasks[i].String == 3 && day >= 10 {
				sought++
			}
		}
		log = append(log, h.play(tasks, time.Date(2026, 5, 1, 18, 0, 0, 0, time.UTC).AddDate(0, 0, day))...)
	}
	if share := float64(sought) / (30 * Notes); share < 0.4 { // by chance a quarter
		t.Errorf("the weak string is asked for %.0f%% of the time", 100*share)
	}
	m := NewMap(log)
	for _, c := range m.Cells() {
		if want := (map[bool]float64{true: 20.6, false: 5.1})[c.String == 3]; c.Notes >= 8 && math.Abs(c.Off-want) > 6 {
			t.Errorf("%+v, truly %.0f", c, want)
		}
	}
	if c := m.At(6, 1); c.Notes != 0 || c.Off != m.Off {
		t.Errorf("an unknown place: %+v", c)
	}
	got := Weakest(log)
	if len(got) == 0 || got[0].Kind != "string 3" || !strings.Contains(got[0].Text(), "mostly flat") {
		t.Errorf("%+v", got)
	}
	h.off = func(*Task) (float64, float64) { return 0, 8 }
	var even []Played
	for seed := range uint64(30) {
		tasks, _ := New(Anywhere, n, even, seed)
		even = append(even, h.play(tasks, time.Time{})...)
	}
	if got := Weakest(even); len(got) > 0 {
		t.Errorf("of a player who is alike everywhere: %+v", got)
	}
}

// TestJudge: by hand, what is said of a note.
func TestJudge(t *testing.T) {
	pr := player.Default()
	k := pr.Neck()
	if mm := MM(k, 12, 10); math.Abs(mm-1.86) > 0.02 { // 324 mm of string, 10 cents of 1200: 324·(1 − 2^(−10/1200))
		t.Errorf("10 cents at fret 12 are %.3f mm", mm)
	}
	for _, c := range []struct {
		name string
		s    take.Stopped
		good bool
		want []string
	}{
		{"still", take.Stopped{Cents: 3, Spread: 2}, true, []string{"In tune"}},
		{"flat", take.Stopped{Cents: -12, Spread: 2}, false, []string{"12 cents flat", "2.3 mm short of the wire"}},
		{"sharp", take.Stopped{Cents: 12, Spread: 2}, false, []string{"12 cents sharp", "2.2 mm past the wire"}},
		{"another fret", take.Stopped{Cents: -95, Spread: 2}, false, []string{"95 cents flat", "closer to the fret below"}},
		{"wobbling", take.Stopped{Cents: 1, Spread: 14}, false, []string{"In tune", "wobbled by 14 cents"}},
		{"from under", take.Stopped{Cents: 1, Spread: 2, Glide: &take.Glide{From: -80, Seconds: 0.4}}, true, []string{"came from under by 80 cents, and took 0.4 s"}},
		{"too far", take.Stopped{Cents: 1, Spread: 2, Glide: &take.Glide{From: -80, Seconds: 0.1, Overshoot: 20}}, true, []string{"overshot by 20 cents"}},
		{"vibrato", take.Stopped{Cents: 1, Spread: 14, Vibrato: &take.Vibrato{Hz: 5.2, Width: 36, Centre: 1}}, true, []string{"5.2 swings a second, 18 cents to either side, around the note"}},
		{"hanging", take.Stopped{Cents: -9, Spread: 14, Vibrato: &take.Vibrato{Hz: 5, Width: 30, Centre: -9}}, false, []string{"9 cents below the note"}},
	} {
		v := Judge(k, 12, &c.s)
		text := v.Head + " " + strings.Join(v.Told, " ")
		for _, want := range c.want {
			if !strings.Contains(text, want) {
				t.Errorf("%s: %q lacks %q", c.name, text, want)
			}
		}
		if v.Good != c.good {
			t.Errorf("%s: good is %v", c.name, v.Good)
		}
	}
}
