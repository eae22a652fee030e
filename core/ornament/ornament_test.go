package ornament_test

import (
	"context"
	"math"
	"reflect"
	"testing"

	"stepping/core/coretest"
	"stepping/core/ornament"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
)

func solve(t *testing.T, tu *tune.Tune, lean, vibrato string) *plan.Plan {
	t.Helper()
	pr := player.Default()
	pr.Lean, pr.Vibrato = lean, vibrato
	p, err := plan.Solve(context.Background(), plan.Request{Tune: tu, Tuning: coretest.Tuning("Open D"), Player: pr, Thumb: pattern.Alternating})
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// TestAdvice: over tunes, tempos, leans and styles, vibrato goes to stopped notes that are long enough to be in
// tune first and swing twice, in the player's style; a note that the tune marks gets it; glides join slid notes of
// one string over 2 to 5 frets, at most one a phrase, with nothing else sounding under the slide. The style changes
// nothing of the plan.
func TestAdvice(t *testing.T) {
	vibratos, glides := 0, 0
	seeds := uint64(12)
	if testing.Short() {
		seeds = 6
	}
	for seed := range seeds {
		tu := coretest.Wander(seed, 40)
		tu.Tempos[0].BPM = 50 + 10*float64(seed)
		for i := range tu.Notes {
			if tu.Notes[i].Dur >= tune.Quarter && i%7 == 0 {
				tu.Notes[i].Marks |= tune.Vibrato
			}
		}
		lean := []string{player.LeanSlide, player.LeanMixed, player.LeanNone}[seed%3]
		plain := solve(t, tu, lean, player.VibratoNone)
		if got := ornament.Of(plain); len(got.Vibratos) > 0 {
			t.Errorf("plan %d: vibrato for a player who uses none: %+v", seed, got.Vibratos)
		}
		for _, style := range player.Vibratos[:3] {
			p := solve(t, tu, lean, style)
			if !reflect.DeepEqual(p.Moments, plain.Moments) {
				t.Fatalf("plan %d: the plan depends on the vibrato", seed)
			}
			got := ornament.Of(p)
			vibratos, glides = vibratos+len(got.Vibratos), glides+len(got.Glides)
			checkVibratos(t, p, got.Vibratos)
			checkGlides(t, p, got.Glides)
		}
	}
	t.Logf("figure: %d times vibrato, %d long glides", vibratos, glides)
	if vibratos < 50 || glides < 3 {
		t.Error("there is hardly any advice")
	}
}

func checkVibratos(t *testing.T, p *plan.Plan, vs []ornament.Vibrato) {
	t.Helper()
	tu := p.Request.Tune
	style, _ := ornament.StyleOf(&p.Request.Player)
	clock := tu.Clock(p.Tempo())
	advised := map[int]bool{}
	for _, v := range vs {
		mo := &p.Moments[v.Moment]
		s, n := mo.Melody, &tu.Notes[mo.Melody.Index]
		advised[s.Index] = true
		length := clock.Seconds(n.End()) - clock.Seconds(n.At)
		bySlide := s.How == play.Slide || s.How == play.Glide
		if s.How == play.Open || s.How == play.Harmonic || v.After < 0.25 || length-v.After < 2/v.Hz || v.Why == "" {
			t.Errorf("%+v on a note of %.2f s, %s", v, length, s.How)
		}
		if v.Hz != style.Hz || v.Cents > style.Cents || bySlide != (v.MM > 0) || bySlide && v.Cents != style.Cents {
			t.Errorf("%+v for %+v", v, style)
		}
		// From the pitch itself: a stop moved by MM toward the bridge sounds Cents higher, to a cent.
		if l := p.Request.Player.Instrument.ScaleMM * math.Exp2(-s.Fret/12); bySlide && math.Abs(1200*math.Log2(l/(l-v.MM))-v.Cents) > 1 {
			t.Errorf("%.2f mm at fret %g are not %.0f cents", v.MM, s.Fret, v.Cents)
		}
	}
	for i := range p.Moments {
		s := p.Moments[i].Melody
		if s == nil || tu.Notes[s.Index].Marks&tune.Vibrato == 0 || s.How == play.Open || s.How == play.Harmonic {
			continue
		}
		n := &tu.Notes[s.Index]
		if length := clock.Seconds(n.End()) - clock.Seconds(n.At); length > 0.6+2/style.Hz && !advised[s.Index] {
			t.Errorf("moment %d, %.2f s, is marked and gets none", i, length)
		}
	}
}

func checkGlides(t *testing.T, p *plan.Plan, gs []ornament.Glide) {
	t.Helper()
	ends := p.Request.Tune.PhraseEnds()
	last := -1 // note into which the glide before led
	for _, g := range gs {
		a, b := p.Moments[g.From].Melody, p.Moments[g.To].Melody
		if a.String != b.String || a.String != g.String || b.Fret-a.Fret != g.Frets || math.Abs(g.Frets) < 2 || math.Abs(g.Frets) > 5 || b.How != play.Slide {
			t.Errorf("%+v from %+v to %+v", g, a, b)
		}
		if room := p.Moments[g.To].Seconds - p.Moments[g.From].Seconds; g.Seconds <= 0 || g.Seconds > 0.41*room {
			t.Errorf("%+v in %.2f s", g, room)
		}
		for m := g.From; m < g.To; m++ {
			mo := &p.Moments[m]
			for str := max(1, mo.Hand.From); str <= mo.Hand.Covers; str++ {
				if st := mo.Strings[str-1].State; str != g.String && (st == play.Struck || st == play.Rings) {
					t.Errorf("%+v drags string %d along", g, str)
				}
			}
		}
		for i := last; last >= 0 && i <= b.Index; i++ {
			if i == b.Index {
				t.Errorf("two glides in the phrase that ends at note %d", i)
			} else if ends[i] {
				break
			}
		}
		last = b.Index
	}
}
