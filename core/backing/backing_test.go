package backing

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"stepping/core/grip"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/core/tuning"
)

func progression(t *testing.T, text string, p *pattern.Pattern) *tune.Tune {
	t.Helper()
	m, _ := p.Signature()
	tu, err := tune.Progression(text, m, 90)
	if err != nil {
		t.Fatal(err)
	}
	return tu
}

func mustTuning(s string) tuning.Tuning {
	t, err := tuning.Parse(s)
	if err != nil {
		panic(err)
	}
	return t
}

func randomRequest(t *testing.T, rng *rand.Rand) Request {
	p := &pattern.Library[rng.IntN(len(pattern.Library))]
	pl := player.Default()
	pl.Fingers, pl.Lean = 3, []string{player.LeanMixed, player.LeanNone}[rng.IntN(2)]
	var bars []string
	for range 2 + rng.IntN(4) {
		bars = append(bars, []string{"D", "G", "A7", "Em", "Bm", "C", "D G", "F#m", "Am7", "E7"}[rng.IntN(10)])
	}
	return Request{Tune: progression(t, strings.Join(bars, " | "), p),
		Tuning: mustTuning(tuning.Library[rng.IntN(len(tuning.Library))].Name), Capo: rng.IntN(3),
		Player: pl, Sections: []pattern.Section{{Bar: 1, Pattern: p}}}
}

// What two hands cannot do is never in a backing, whatever it costs: every pitch is what its
// string and fret sound, fretted by a finger of the grip or one that reaches; digits lie in order;
// nothing sounds on a string that is silenced; every step of the pattern is played or named as lost.
func TestBackings(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 9))
	hops, walks, hits := 0, 0, 0
	for range 60 {
		r := randomRequest(t, rng)
		b, err := Solve(context.Background(), r)
		var none *grip.NoGripError
		if errors.As(err, &none) {
			continue
		}
		if err != nil {
			t.Fatal(err)
		}
		asked := 0
		for bar := range r.Tune.Bars {
			r.Sections[0].Pattern.StepTimes(r.Tune, bar, func(bt pattern.Beat, _ tune.Time) {
				asked += len(bt.Fingers)
				if bt.Thumb != "" {
					asked++
				}
				if bt.Hit != "" {
					asked++
				}
			})
		}
		done := len(b.Lost)
		for i := range b.Moments {
			mo := &b.Moments[i]
			g := &b.Spans[b.SpanAt(mo.At)].Grip
			if mo.Hit != "" {
				done++
				hits++
			}
			last := 7
			for _, s := range mo.Strokes() {
				done++
				if got := r.Tuning.Open(s.String) + pitch.Midi(int(s.Fret)); got != s.Note.Pitch() {
					t.Fatalf("%s: string %d fret %v is called %s", mo.At, s.String, s.Fret, s.Note)
				}
				if s.Part == play.Thumb && s.Finger != "" && grip.FingerName(g.Fingers[s.String]) != s.Finger {
					hops++
				}
				if st := mo.Strings[s.String-1]; st.State != play.Struck {
					t.Fatalf("%s: struck string %d is %+v", mo.At, s.String, st)
				}
			}
			if mo.Stroke == "walk" {
				walks++
			}
			for _, d := range play.Digits {
				for _, s := range mo.Strokes() {
					if s.Digit == d {
						if s.String >= last {
							t.Fatalf("%s: digits out of order", mo.At)
						}
						last = s.String
					}
				}
			}
			for s := range mo.Strings {
				if st := mo.Strings[s]; (st.State == play.Silenced) != (st.By != "") {
					t.Fatalf("%s: string %d is %+v", mo.At, s+1, st)
				}
			}
		}
		if done != asked {
			t.Fatalf("%s over %+v: %d of %d demands of the pattern are accounted for", r.Sections[0].Pattern.Name, r.Tune.Chords, done, asked)
		}
	}
	if hops == 0 || walks == 0 || hits == 0 {
		t.Errorf("%d hops and extra fingers, %d walks, %d hits", hops, walks, hits)
	}
}

// No choice of grips for the whole progression costs less than the one taken, digits aside; pinning a
// grip never makes a backing cheaper; and a pinned grip is kept.
func TestGripsAreJoint(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 1))
	tried := 0
	for range 30 {
		r := randomRequest(t, rng)
		s := &solver{r: &r, t: grip.Guitar{Tuning: r.Tuning, Capo: r.Capo, Player: r.Player}}
		s.clock = r.Tune.Clock(0)
		s.laySpans()
		s.spans = s.spans[:min(3, len(s.spans))]
		if err := s.laySteps(); err != nil {
			t.Fatal(err)
		}
		if s.findGrips(context.Background()) != nil {
			continue
		}
		for _, c := range s.cands {
			c.Grips = c.Grips[:min(12, len(c.Grips))]
		}
		memo := map[memoKey][]float64{}
		own := func(i, k int) float64 { return s.own(memo, i)[k] }
		hurry := s.hurry()
		_, total := s.t.Chain(s.cands, own, hurry)
		least := math.Inf(1)
		var try func(i, before int, cost float64)
		try = func(i, before int, cost float64) {
			if i == len(s.cands) {
				least = min(least, cost)
				return
			}
			for k := range s.cands[i].Grips {
				c := cost + s.cands[i].Grips[k].Cost + own(i, k)
				if i > 0 {
					c += hurry[i] * s.t.Move(&s.cands[i-1].Grips[before], &s.cands[i].Grips[k])
				}
				try(i+1, k, c)
			}
		}
		try(0, 0, 0)
		if math.Abs(least-total) > 1e-9 {
			t.Fatalf("the chain costs %v, the cheapest %v", total, least)
		}
		tried++
	}
	if tried < 15 {
		t.Errorf("only %d progressions had grips", tried)
	}
	p, _ := pattern.Named("Root and alternate")
	r := Request{Tune: progression(t, "C | G | C", p), Tuning: mustTuning("Standard"), Player: player.Default(),
		Sections: []pattern.Section{{Bar: 1, Pattern: p}}}
	free, err := Solve(context.Background(), r)
	if err != nil {
		t.Fatal(err)
	}
	g := grip.Guitar{Tuning: r.Tuning, Player: r.Player}
	for _, x := range g.Find(free.Spans[1].Chord, 6) {
		r.Pins = []Pin{{1, x.Frets}}
		b, err := Solve(context.Background(), r)
		if err != nil || b.Spans[1].Grip.Frets != x.Frets {
			t.Fatalf("%v: %+v", err, b)
		}
	}
}

// 7: with the root on string 6 and string 5 no chord tone the thumb alternates between 6 and 4.
func TestAlternateSkipsTheNeighbour(t *testing.T) {
	p, _ := pattern.Named("Root and alternate")
	for _, tt := range []struct{ tuning, chord string }{{"Drop D", "D7"}, {"Standard", "Em7b5"}, {"D A D G A D", "Dsus4"}, {"E A D G B E", "G"}} {
		r := Request{Tune: progression(t, tt.chord+" | "+tt.chord, p), Tuning: mustTuning(tt.tuning), Player: player.Default(),
			Sections: []pattern.Section{{Bar: 1, Pattern: p}}}
		b, err := Solve(context.Background(), r)
		if err != nil {
			t.Fatal(err)
		}
		for i := range b.Moments {
			mo := &b.Moments[i]
			if mo.Thumb == nil || !b.Spans[0].Chord.Has(mo.Thumb.Note.Pitch()) {
				t.Errorf("%s in %s: the thumb plays %+v", tt.chord, tt.tuning, mo.Thumb)
			}
		}
	}
}

// Letting go early buys what it says: with the span's last stroke open the ceiling there is that.
func TestLettingGoEarly(t *testing.T) {
	p, _ := pattern.Named("Root and alternate")
	bought := 0
	for _, chords := range []string{"C | G | Am | F", "E | A | B7 | E", "G | C | D | G"} {
		r := Request{Tune: progression(t, chords, p), Tuning: mustTuning("Standard"), Player: player.Default(), Tempo: 160,
			Sections: []pattern.Section{{Bar: 1, Pattern: p}}}
		b, err := Solve(context.Background(), r)
		if err != nil {
			t.Fatal(err)
		}
		for i := range b.Spans {
			e := b.Spans[i].Change.Early
			if e == nil {
				continue
			}
			bought++
			early := r
			early.Early = []int{i - 1}
			for k := range b.Spans { // the same grips
				early.Pins = append(early.Pins, Pin{k, b.Spans[k].Grip.Frets})
			}
			q, err := Solve(context.Background(), early)
			if err != nil {
				t.Fatal(err)
			}
			if got := q.Spans[i].Change; got.There < e.There-1e-9 {
				t.Errorf("%s, change %d: %.2f s there, %.2f promised", chords, i, got.There, e.There)
			}
		}
	}
	if bought == 0 {
		t.Error("letting go early never buys anything")
	}
}

func TestFaults(t *testing.T) {
	two, _ := pattern.Named("Thumb and three, rolling up")
	three, _ := pattern.Named("Three at once on two and four")
	waltz, _ := pattern.Named("Waltz, root and pair")
	r := Request{Tune: progression(t, "D | G", two), Tuning: mustTuning("Standard"), Player: player.Default()}
	for word, change := range map[string]func(*Request){
		"no pattern":  func(*Request) {},
		"step 3":      func(r *Request) { r.Sections = []pattern.Section{{Bar: 1, Pattern: three}} },
		"bar 1":       func(r *Request) { r.Sections = []pattern.Section{{Bar: 1, Pattern: waltz}} },
		"played flat": func(r *Request) { r.Player.Posture, r.Player.Silence = player.Lap, player.LapStop },
		"capo 12":     func(r *Request) { r.Capo = 12 },
		"tempo":       func(r *Request) { r.Tempo = 1e9 },
		"cannot be fretted": func(r *Request) {
			r.Sections = []pattern.Section{{Bar: 1, Pattern: two}}
			r.Pins = []Pin{{0, [7]int{0, 1, 9, 1, 9, 1, 12}}}
		},
	} {
		bad := r
		change(&bad)
		if _, err := Solve(context.Background(), bad); err == nil || !strings.Contains(err.Error(), word) {
			t.Errorf("%s: %v", word, err)
		}
	}
}

// TestLimits: the last tempo that there is, and none, are let in.
func TestLimits(t *testing.T) {
	two, _ := pattern.Named("Thumb and three, rolling up")
	for _, tempo := range []float64{0, tune.MinTempo, tune.MaxTempo} {
		r := Request{Tune: progression(t, "D | G", two), Tuning: mustTuning("Standard"), Player: player.Default(), Tempo: tempo,
			Sections: []pattern.Section{{Bar: 1, Pattern: two}}}
		if _, err := Solve(context.Background(), r); err != nil {
			t.Errorf("tempo %g: %v", tempo, err)
		}
	}
	for _, tempo := range []float64{tune.MinTempo - 1, tune.MaxTempo + 1} {
		r := Request{Tune: progression(t, "D | G", two), Tuning: mustTuning("Standard"), Player: player.Default(), Tempo: tempo}
		if _, err := Solve(context.Background(), r); err == nil || !strings.Contains(err.Error(), "tempo") {
			t.Errorf("tempo %g: %v", tempo, err)
		}
	}
}
