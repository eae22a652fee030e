package plan

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/player"
	"stepping/core/quiet"
	"stepping/core/thumb"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// exhaustive finds the least total by trying every sequence of hands, bass options, heels,
// digits and ways of dealing with each unwanted string, cutting a sequence only when it is
// already dearer than limit (costs are never negative). It shares the cost functions and
// hard rules with the solver, but neither its states nor its staging nor its stop search.
type exhaustive struct {
	m     *model
	limit float64
	found float64
	steps int
}

// exhaustiveSteps keeps a hopeless case from stalling the test; such cases are not counted.
const exhaustiveSteps = 400_000

func (e *exhaustive) run() float64 {
	for t := range e.m.moments {
		e.m.carry(t)
	}
	e.found = math.Inf(1)
	e.moment(0, nil, 0, noDigit, 0)
	return e.found
}

func (e *exhaustive) moment(t int, h *hand, live quiet.Strings, digit int, cost float64) {
	if t == len(e.m.moments) {
		e.found = min(e.found, cost)
		return
	}
	mo := &e.m.moments[t]
	for g := range mo.hands {
		to := &mo.hands[g]
		left, ok := e.m.leftCost(t, h, to)
		if !ok || cost+left.Sum() > e.bound() {
			continue
		}
		var tl tail
		if h != nil {
			tl = e.m.tailOf(t, h, live, to)
		}
		r := e.m.newRight(mo, to)
		for b := range r.opts {
			for heel := 0; heel < heelStates; heel++ {
				if heel > 0 && !e.m.school.Heel {
					break
				}
				if s, ok := e.m.stillness(r, tl, &r.opts[b], heel); ok {
					e.digits(t, r, &s, &r.opts[b], digit, cost+left.Sum()+s.cost.Sum()+r.opts[b].sum)
				}
			}
		}
	}
}

func (e *exhaustive) bound() float64 { return min(e.limit, e.found) }

func (e *exhaustive) digits(t int, r *right, s *silence, o *bassOption, from int, cost float64) {
	for to := digitP; to < digitStates; to++ {
		pluck, ok := e.m.pluckSum(r, from, to, o)
		if !ok || cost+pluck > e.bound() {
			continue
		}
		e.deal(t, r, s, o, from, to, cost+pluck, 1, &stops{})
	}
}

// deal settles string str and all thicker ones in every way.
func (e *exhaustive) deal(t int, r *right, s *silence, o *bassOption, from, to int, cost float64, str int, cur *stops) {
	e.steps++
	if e.steps > exhaustiveSteps {
		return
	}
	for str <= 6 && !s.unw.Has(str) {
		str++
	}
	if str > 6 {
		terms := cur.terms()
		if total := cost + terms.Sum(); total <= e.bound() {
			e.moment(t+1, r.h, liveAfter(s, o, cur.digit[digitP]), to, total)
		}
		return
	}
	pluck := to
	if r.mo.note < 0 {
		pluck = noDigit
	}
	st := stopper{m: e.m, r: r, s: s, from: from, to: pluck, bass: o.str}
	leak := *cur
	leak.leaked += r.mo.leakCost(s, str)
	e.deal(t, r, s, o, from, to, cost, str+1, &leak)
	if s.touch.Has(str) {
		touch := *cur
		touch.effort += fingerTouch
		e.deal(t, r, s, o, from, to, cost, str+1, &touch)
	}
	for d := digitI; d <= e.m.req.Player.Fingers; d++ {
		if !st.digitMay(d, str) || cur.digit[d] != 0 || !inOrder(cur, d, str) {
			continue
		}
		stop := *cur
		stop.digit[d] = str
		stop.effort += st.stopPrice(d, str)
		e.deal(t, r, s, o, from, to, cost, str+1, &stop)
	}
	if st.thumbMay(str) {
		rest := *cur
		rest.digit[digitP] = str
		rest.effort += restEffort
		e.deal(t, r, s, o, from, to, cost, 7, &rest)
	}
}

// inOrder: i lies on thicker strings than m, m than a.
func inOrder(cur *stops, d, str int) bool {
	for other := digitI; other <= digitA; other++ {
		if at := cur.digit[other]; at != 0 && (other > d) != (at < str) {
			return false
		}
	}
	return true
}

// smallCase is a random request small enough for exhaustive: a few notes, some of them a
// quarter tone off, every school, hand and thumb.
func smallCase(rng *rand.Rand) Request {
	pick := func(of ...string) string { return of[rng.IntN(len(of))] }
	p := player.Default()
	p.Silence = pick(player.Silences...)
	p.Lean = pick(player.LeanSlide, player.LeanMixed, player.LeanMixed, player.LeanFret)
	p.SlideFinger = 2 + rng.IntN(3)
	p.Fingers = 1 + rng.IntN(3)
	p.Drone, p.FretBehindSlide, p.ThumbOver = rng.IntN(2) == 0, rng.IntN(2) == 0, rng.IntN(2) == 0
	p.Attack = pick(player.Attacks...)
	p.ReachMM = 70 + 60*rng.Float64()
	p.Instrument.Frets = 7 + rng.IntN(8)
	tn, err := tuning.Parse(pick("Open D", "Open G", "Standard", "Open D minor", "Drop D"))
	if err != nil {
		panic(err)
	}
	return Request{Tune: smallTune(rng, tn), Tuning: tn, Capo: rng.IntN(3), Player: p,
		Thumb: thumb.Kinds[rng.IntN(len(thumb.Kinds))]}
}

func smallTune(rng *rand.Rand, tn tuning.Tuning) *tune.Tune {
	tu := &tune.Tune{
		Key:    tune.Key{Tonic: pitch.Note{Letter: "DGAEC"[rng.IntN(5)]}, Minor: rng.IntN(4) == 0},
		Meters: []tune.MeterAt{{Num: 4, Den: 4}}, Tempos: []tune.TempoAt{{BPM: 50 + 100*rng.Float64()}},
	}
	for range 2 + rng.IntN(2) {
		midi := 58 + rng.IntN(14)
		n := pitch.Spell(pitch.Midi(midi), false)
		if rng.IntN(6) == 0 {
			n.Cents = -50
		}
		if rng.IntN(4) == 0 {
			tu.Length += tune.Quarter / 2 // a rest
		}
		dur := tune.Quarter / 2 * tune.Time(1+rng.IntN(4))
		tu.Notes = append(tu.Notes, tune.Note{At: tu.Length, Dur: dur, Note: n})
		tu.Length += dur
	}
	tu.Bars = []tune.Time{0}
	if tu.Length > tune.Whole {
		tu.Bars = append(tu.Bars, tune.Whole)
	}
	for at := tune.Time(0); at < tu.Length; at += tune.Quarter * 2 {
		c, err := chord.Parse([]string{"D", "G", "A7", "Em", "C", "Bm"}[rng.IntN(6)])
		if err != nil {
			panic(err)
		}
		tu.Chords = append(tu.Chords, tune.ChordAt{At: at, Chord: c})
	}
	return tu
}

// TestExhaustive compares the solver with exhaustive search on random small cases. Totals
// are multiples of a power of two, so they must be equal to the last bit.
func TestExhaustive(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 11))
	want, checked := 400, 0
	if testing.Short() {
		want = 60
	}
	for tries := 0; checked < want; tries++ {
		if tries > 5*want {
			t.Fatalf("only %d of %d cases could be searched exhaustively", checked, want)
		}
		r := smallCase(rng)
		p, err := Solve(context.Background(), r)
		var out *RangeError
		if errors.As(err, &out) {
			continue
		}
		if err != nil {
			t.Fatal(err)
		}
		m, err := newModel(&r)
		if err != nil {
			t.Fatal(err)
		}
		e := exhaustive{m: m, limit: p.Total}
		got := e.run()
		if e.steps > exhaustiveSteps {
			continue
		}
		checked++
		if got != p.Total {
			t.Fatalf("case %d (%+v): solver %v, exhaustive %v", tries, r, p.Total, got)
		}
		if sum := p.Terms.Sum(); sum != p.Total {
			t.Fatalf("case %d: the moments' terms add up to %v, the total is %v", tries, sum, p.Total)
		}
	}
	t.Logf("%d cases", checked)
}

// TestMarginals checks every alternative against planning anew with that choice pinned.
func TestMarginals(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 7))
	ctx := context.Background()
	for cases := 0; cases < 60; {
		r := smallCase(rng)
		p, err := Solve(ctx, r)
		if err != nil {
			continue // out of range
		}
		cases++
		for i := range p.Moments {
			for _, part := range []Part{Melody, Thumb} {
				alts, err := p.Alternatives(ctx, i, part)
				if err != nil {
					t.Fatal(err)
				}
				for _, a := range alts {
					checkMarginal(t, &r, p, i, &a)
				}
			}
			if _, err := p.Why(ctx, i); err != nil {
				t.Fatal(err)
			}
		}
	}
}

func checkMarginal(t *testing.T, r *Request, p *Plan, i int, a *Alternative) {
	t.Helper()
	pinned := *r
	pinned.Pins = []Pin{{At: p.Moments[i].At, Part: a.Part, String: a.String, Fret: a.Fret, How: a.How}}
	q, err := Solve(context.Background(), pinned)
	if err != nil {
		t.Fatalf("%+v pinned: %v", a, err)
	}
	if q.Total != p.Total+a.Extra {
		t.Errorf("%s at %s on string %d %s: alternative says %v, pinned plan %v", a.Part, p.Moments[i].At, a.String, a.How, p.Total+a.Extra, q.Total)
	}
	if a.Extra < 0 || a.Chosen && a.Extra != 0 || !a.Chosen && a.Why == "" {
		t.Errorf("alternative %+v", a)
	}
}
