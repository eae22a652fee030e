package plan

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"stepping/core/chord"
	"stepping/core/coretest"
	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/ring"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// exhaustive finds the least total by trying every sequence of hands, attacks, bass options,
// digits, heels and ways of dealing with each unwanted string, cutting a sequence only when it
// and the cheapest hands to come are dearer than limit (costs are never negative). It shares the cost functions and
// hard rules with the solver, but neither its states nor its tables, its staging, its bounds
// or its search for dampers.
type exhaustive struct {
	m          *model
	stages     []*stage
	pickStages []*pickStage
	rest       []float64 // by moment: what the hands alone cost at least from there on
	limit      float64
	found      float64
	steps      int
}

// exhaustiveSteps keeps a hopeless case from stalling the test; such cases are not counted.
const exhaustiveSteps = 30_000

func newExhaustive(m *model, limit float64) *exhaustive {
	e := &exhaustive{m: m, limit: limit, found: math.Inf(1)}
	for t := range m.moments {
		st, sd := m.newStage(t), &pickStage{}
		sd.reset(m, st, &st.mo.pins)
		e.stages, e.pickStages = append(e.stages, st), append(e.pickStages, sd)
	}
	e.rest = make([]float64, len(m.moments)+1)
	for t := len(m.moments) - 1; t >= 0; t-- {
		least := math.Inf(1)
		for i := range m.moments[t].hands {
			least = min(least, m.moments[t].hands[i].ownCost)
		}
		e.rest[t] = e.rest[t+1] + least
	}
	return e
}

func (e *exhaustive) run() float64 {
	e.moment(0, -1, 0, 0, 0)
	return e.found
}

// bound is what a sequence may have cost when moment t is settled.
func (e *exhaustive) bound(t int) float64 { return min(e.limit, e.found) - e.rest[t+1] }

func (e *exhaustive) moment(t, i int, live ring.Strings, was trellis.Pick, cost float64) {
	if e.steps++; e.steps > exhaustiveSteps {
		return
	}
	if t == len(e.m.moments) {
		e.found = min(e.found, cost)
		return
	}
	st := e.stages[t]
	h, k := st.from(i)
	for g := range st.mo.hands {
		to := &st.mo.hands[g]
		if !st.may(h, to) || !carries(k, to) {
			continue
		}
		for a := plain; a < attacks; a++ {
			if !e.attacks(st, h, to, a) {
				continue
			}
			terms := st.terms(i, g, a)
			ri := ringIn{}
			if h != nil {
				ri = st.ringInAfter(h, live, to)
			}
			if c := cost + terms.Sum(); c <= e.bound(t) {
				e.right(t, g, ri, !a.legato(), was, c)
			}
		}
	}
}

// attacks reports whether hand to can be sounded by a after h.
func (e *exhaustive) attacks(st *stage, h, to *hand, a attack) bool {
	switch {
	case a == plain:
		return st.mo.note < 0 || st.mo.attackAllowed(to, plain)
	case a == scoop:
		return to.anchored && st.scoops(to) && st.mo.attackAllowed(to, scoop)
	}
	got, ok := st.legato(h, to, &tally{})
	return ok && got == a
}

// right tries everything that the picking hand can do.
func (e *exhaustive) right(t, g int, ri ringIn, plucked bool, was trellis.Pick, cost float64) {
	r := e.pickStages[t].of(g)
	for b := range r.opts {
		var idle [1]pluck
		plucks := r.pluckWays(&r.opts[b], plucked, &idle)
		for p := range plucks {
			if !pluckBesideBass(&plucks[p], &r.opts[b]) {
				continue
			}
			for heel := 0; heel < heelStates; heel++ {
				if heel > 0 && (!e.m.school.Heel || r.h.tapped() || r.opts[b].hit == pattern.Thump || r.opts[b].hit == pattern.Slap) {
					break
				}
				var s silence
				o := &r.opts[b]
				if !e.m.still(r, ri, o, &s) || ring.Heel(heel)&(s.struck|s.keep) != 0 || !e.m.underHeel(r, &s, o, e.m.idleStrings(r, &s), heel) {
					continue
				}
				e.m.sweep(r, &s, &plucks[p])
				for rest := range restPlaces {
					lain, pl := s, plucks[p]
					if rest > 0 && (!e.m.mayRest(&pl, rest) || !e.m.rest(r, &lain, &pl, o, rest)) {
						continue
					}
					a := action{mask: pl.mask, heel: uint8(heel), rest: uint8(rest), stopper: digits.None,
						cost: cost + lain.cost + r.bassCost(o, ri) + pl.cost}
					if a.cost <= e.bound(t) {
						e.deal(t, g, r, &lain, o, &pl, was, a, 1, damping{stopper: digits.None})
					}
				}
			}
		}
	}
}

// deal settles string str and all thicker ones in every way: any free digit at first, and
// only when all strings are settled is the order of the digits looked at.
func (e *exhaustive) deal(t, g int, r *pickShape, s *silence, o *bassOption, pl *pluck, was trellis.Pick, a action, str int, cur damping) {
	if e.steps++; e.steps > exhaustiveSteps {
		return
	}
	for str <= 6 && !s.unw.Has(str) {
		str++
	}
	if str > 6 {
		if inOrder(&cur, pl) {
			a = e.m.withDamping(&a, s, o, pl, &cur)
			if total := a.cost + units(e.pickStages[t].turn.Cost(was, a.pose())); total <= e.bound(t) {
				e.moment(t+1, g, a.live, was.After(a.pose()), total)
			}
		}
		return
	}
	dl := dampingSearch{m: e.m, r: r, s: s, pl: pl, bass: o.str}
	at, pins := ring.Of(str), &r.mo.pins
	on := func(next damping, effort float64) {
		next.effort += play.Exact(effort)
		e.deal(t, g, r, s, o, pl, was, a, str+1, next)
	}
	if pins.dampers[str] == "" {
		leak := cur
		leak.leak |= at
		leak.leaked += r.leakCost(s, str)
		on(leak, 0)
	}
	if pins.damperAllowed(str, "finger") {
		touch := cur
		touch.touch |= at
		switch {
		case s.touch.Has(str):
			on(touch, e.m.w.FingerTouch)
		case s.below.Has(str):
			on(touch, e.m.w.UnderTouch)
		case r.spare && cur.spare == 0:
			spare := cur
			spare.spare = at
			on(spare, e.m.w.SpareEffort)
		}
	}
	if str == 6 && r.over && pins.damperAllowed(str, "over") {
		over := cur
		over.over = at
		on(over, e.m.w.OverEffort)
	}
	if e.m.school.Tilt && s.ringIn.ended.Has(str) && pins.damperAllowed(str, "tilt") {
		tilt := cur
		tilt.tilt |= at
		on(tilt, e.m.w.TiltEffort)
	}
	for d := digits.I; d <= digits.C; d++ {
		if !dl.digitMay(d, str) || cur.digit[d] != 0 || !pins.damperAllowed(str, play.Damper(play.Digits[d])) {
			continue
		}
		stop := cur
		stop.digit[d] = int8(str)
		if d < digits.C && s.ringIn.ended.Has(str) && cur.stopper == digits.None {
			stop.stopper = uint8(d)
			on(stop, 0)
		} else {
			on(stop, e.m.stopPrice(d, str))
		}
	}
	if dl.thumbMay(str) && pins.damperAllowed(str, "p") {
		rest := cur
		rest.digit[digits.P] = int8(str)
		rest.effort += play.Exact(e.m.w.RestEffort)
		e.deal(t, g, r, s, o, pl, was, a, 7, rest)
	}
}

// inOrder: every digit, plucking or stopping, lies on thicker strings than the next.
func inOrder(cur *damping, pl *pluck) bool {
	last := int8(7)
	for d := digits.P; d <= digits.C; d++ {
		at := max(cur.digit[d], pl.at[d])
		if at != 0 && at >= last {
			return false
		}
		if at != 0 {
			last = at
		}
	}
	return true
}

// smallCase is a random request small enough for exhaustive: a few notes, some of them a
// quarter tone off or two at once, every posture, school, hand, support and thumb.
func smallCase(rng *rand.Rand) Request {
	pick := func(of ...string) string { return of[rng.IntN(len(of))] }
	p := player.Default()
	p.Silence = pick(player.Heel, player.Fingers, player.Trailing, player.Both, player.Ring)
	p.Lean = pick(player.LeanSlide, player.LeanMixed, player.LeanMixed, player.LeanFret, player.LeanNone)
	p.SlideFinger = 2 + rng.IntN(3)
	p.Fingers = 1 + rng.IntN(3)
	p.Drone, p.FretBehindSlide, p.ThumbOver = rng.IntN(2) == 0, rng.IntN(2) == 0, rng.IntN(2) == 0
	p.Attack, p.Support = pick(player.Attacks...), pick(player.Supports...)
	p.ReachMM = 70 + 60*rng.Float64()
	p.Slide.LengthMM = 15 + 50*rng.Float64()
	p.Slide.BoreMM, p.Slide.WallMM, p.Slide.Material = 20, 1+4*rng.Float64(), pick("glass", "brass", "")
	p.Instrument.Frets = 6 + rng.IntN(7)
	if rng.IntN(6) == 0 {
		p.Posture, p.Silence, p.Lean = player.Lap, pick(player.LapStop, player.Ring), pick(player.LeanSlide, player.LeanMixed)
	}
	tn, err := tuning.Parse(pick("Open D", "Open G", "Standard", "Open D minor", "Drop D"))
	if err != nil {
		panic(err)
	}
	r := Request{Tune: smallTune(rng, tn), Tuning: tn, Capo: rng.IntN(3), Player: p,
		Thumb: pattern.Kinds[rng.IntN(3)]}
	if rng.IntN(4) == 0 {
		r.Weights = randomWeights(rng)
	}
	if rng.IntN(3) == 0 {
		r.Sections = []pattern.Section{{Bar: 1, Pattern: &pattern.Library[rng.IntN(22)]}} // those in 4/4
	}
	if rng.IntN(4) == 0 {
		r.Thumb, r.Tune.Bass = pattern.Written, smallBass(rng, r.Tune, tn)
	}
	return r
}

// smallBass is one or two notes, some of which no string has.
func smallBass(rng *rand.Rand, tu *tune.Tune, tn tuning.Tuning) (out []tune.Note) {
	for at := tune.Time(0); at < tu.Length && len(out) < 2; {
		dur := min(tune.Quarter/2*tune.Time(1+rng.IntN(4)), tu.Length-at)
		p := tn.Open(6-rng.IntN(3)) + pitch.Midi(rng.IntN(8)-1)
		out = append(out, tune.Note{At: at, Dur: dur, Note: pitch.Spell(p, false)})
		at += dur + tune.Quarter/2*tune.Time(rng.IntN(2))
	}
	return out
}

// randomWeights are weights anywhere in their ranges.
func randomWeights(rng *rand.Rand) *Weights {
	w := InForce()
	for _, name := range WeightNames() {
		w.Set(name, w.Get(name)*math.Pow(MostFactor, 2*rng.Float64()-1))
	}
	return &w
}

func smallTune(rng *rand.Rand, tn tuning.Tuning) *tune.Tune {
	tu := &tune.Tune{
		Key:    tune.Key{Tonic: pitch.Note{Letter: "DGAEC"[rng.IntN(5)]}, Minor: rng.IntN(4) == 0},
		Meters: []tune.MeterAt{{Num: 4, Den: 4}}, Tempos: []tune.TempoAt{{BPM: 50 + 100*rng.Float64()}},
	}
	for range 2 + rng.IntN(8)/7 {
		midi := 58 + rng.IntN(14)
		n := pitch.Spell(pitch.Midi(midi), false)
		if rng.IntN(6) == 0 {
			n.Cents = -50
		}
		if rng.IntN(4) == 0 {
			tu.Length += tune.Quarter / 2 // a rest
		}
		dur := tune.Quarter / 2 * tune.Time(1+rng.IntN(4))
		note := tune.Note{At: tu.Length, Dur: dur, Note: n}
		if rng.IntN(5) == 0 && n.Cents == 0 {
			note.With = []pitch.Note{pitch.Spell(pitch.Midi(midi-3-rng.IntN(6)), false)}
		}
		tu.Notes = append(tu.Notes, note)
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
	t.Parallel()
	rng := rand.New(rand.NewPCG(2, 15))
	want, checked := few(1000), 0
	met := map[string]int{} // techniques and dampers of the plans compared
	for tries := 0; checked < want; tries++ {
		if tries > 12*want {
			t.Fatalf("only %d of %d cases could be searched exhaustively", checked, want)
		}
		r := smallCase(rng)
		p, err := Solve(context.Background(), r)
		var out *RangeError
		if errors.As(err, &out) {
			continue
		}
		if err != nil { // no plan exists: nor does trying everything find one
			m, modelErr := newModel(&r, nil)
			if modelErr != nil {
				t.Fatal(err, modelErr)
			}
			if e := newExhaustive(m, inf); e.run() != inf && e.steps <= exhaustiveSteps {
				t.Fatalf("case %d (%+v): %v", tries, r, err)
			}
			continue
		}
		if tries%2 == 1 { // every other case under a random pin, so that rare choices are compared too
			r.Pins = []play.Pin{randomPin(t, rng, p)}
			if p, err = Solve(context.Background(), r); err != nil {
				t.Fatalf("%+v: %v", r.Pins, err)
			}
		}
		m, err := newModel(&r, nil)
		if err != nil {
			t.Fatal(err)
		}
		e := newExhaustive(m, p.Total)
		got := e.run()
		if e.steps > exhaustiveSteps {
			continue
		}
		checked++
		if got != p.Total {
			t.Fatalf("case %d (%+v): solver %v, exhaustive %v", tries, r, p.Total, got)
		}
		checkPlan(t, p)
		meet(met, p)
		if sum := p.Terms.Sum(); sum != p.Total {
			t.Fatalf("case %d: the moments' terms add up to %v, the total is %v", tries, sum, p.Total)
		}
	}
	t.Logf("%d cases; %v", checked, met)
	for _, what := range []string{"open", "fret", "slide", "glide", "hammer", "bend", "harmonic", "two", "tip", "lap", "heel",
		"trailing", "i", "m", "finger", "p", "tilt", "resting"} {
		if met[what] == 0 && want == 1000 {
			t.Errorf("no case has %s", what)
		}
	}
}

// meet counts what a plan uses.
func meet(met map[string]int, p *Plan) {
	for i := range p.Moments {
		mo := &p.Moments[i]
		for _, s := range mo.Strokes() {
			met[string(s.How)]++
		}
		if len(mo.With) > 0 {
			met["two"]++
		}
		if mo.Hand.SlideOn && mo.Hand.From > 1 {
			met["tip"]++
		}
		if restOf(p.state(i).Pick) > 0 {
			met["resting"]++
		}
		for _, st := range mo.Strings {
			if st.By != "" {
				met[string(st.By.Kind())]++
			}
		}
	}
	if p.Request.Player.Lap() {
		met["lap"]++
	}
}

// randomPin is one of the alternatives of a random moment, so it can be kept.
func randomPin(t *testing.T, rng *rand.Rand, p *Plan) play.Pin {
	t.Helper()
	i := rng.IntN(len(p.Moments))
	all, err := p.marginalsAt(context.Background(), i)
	if err != nil || len(all) == 0 {
		return play.Pin{At: p.Moments[i].At, Part: play.Heel, How: play.Off}
	}
	return all[rng.IntN(len(all))].Pin(&p.Moments[i])
}

// TestMarginals checks every alternative against planning again with that choice pinned.
func TestMarginals(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(5, 7))
	ctx := context.Background()
	for cases := 0; cases < few(40); {
		r := smallCase(rng)
		p, err := Solve(ctx, r)
		if err != nil {
			continue // out of range
		}
		cases++
		for i := range p.Moments {
			for _, part := range []play.Part{play.Melody, play.Thumb} {
				alts, err := p.Alternatives(ctx, i, part)
				if err != nil {
					t.Fatal(err)
				}
				for _, a := range alts {
					checkMarginal(t, &r, p, i, &a)
				}
			}
			for s := 1; s <= 6; s++ {
				if st := p.Moments[i].Strings[s-1].State; (st == play.Silenced || st == play.Leaks) && cases%4 == 0 {
					alts, err := p.AlternativesOf(ctx, i, play.Damped, s)
					if err != nil {
						t.Fatal(err)
					}
					for _, a := range alts {
						checkMarginal(t, &r, p, i, &a)
					}
				}
			}
			if _, err := p.Why(ctx, i); err != nil {
				t.Fatal(err)
			}
		}
	}
}

// TestHookAlone: a player who bends with the picking hand alone is told what that bend costs, and a pin on it is that bend.
func TestHookAlone(t *testing.T) {
	ctx, rng := context.Background(), rand.New(rand.NewPCG(6, 26))
	bends := 0
	for range few(12) {
		r := Request{Tune: coretest.Wander(rng.Uint64(), 5), Tuning: coretest.Tuning("Standard"), Player: player.Default(), Thumb: pattern.None}
		r.Player.Techniques = []string{player.UsesHook}
		p, err := Solve(ctx, r)
		if err != nil {
			continue
		}
		for i := range p.Moments {
			alts, err := p.Alternatives(ctx, i, play.Melody)
			if err != nil {
				t.Fatal(err)
			}
			for _, a := range alts {
				if a.How == play.Bend {
					checkMarginal(t, &r, p, i, &a)
					bends++
				}
			}
		}
	}
	if bends == 0 {
		t.Error("nothing is bent")
	}
}

func checkMarginal(t *testing.T, r *Request, p *Plan, i int, a *Alternative) {
	t.Helper()
	pinned := *r
	pinned.Pins = []play.Pin{a.Pin(&p.Moments[i])}
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

// TestBound: what the search leaves out is left out rightly. From no state does the rest cost
// less than the bound says, and the plan found with the bound is the plan found without.
func TestBound(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(17, 4))
	ctx := context.Background()
	for cases := 0; cases < few(600); {
		r := smallCase(rng)
		p, err := Solve(ctx, r)
		if err != nil {
			continue // out of range
		}
		if cases++; cases%2 == 1 {
			r.Pins = []play.Pin{randomPin(t, rng, p)}
		}
		q, err := Solve(ctx, r)
		if err != nil {
			t.Fatal(err)
		}
		if q.free != nil {
			q = q.free
		}
		if _, err := q.explore(ctx, 0); err != nil {
			t.Fatal(err)
		}
		bounds, err := q.m.newSearch(ctx).bounds(nil)
		if err != nil {
			t.Fatal(err)
		}
		total := inf
		for i, b := range bounds {
			q.lattice.EachState(i, func(s *trellis.State, toGo trellis.Cost) {
				if got := b.From(int(s.Node), s.Tag, s.Pick); got > toGo {
					t.Fatalf("case %d, moment %d: the bound says %v, the rest costs %v: %+v %+v", cases, i, got, toGo, s, q.m.moments[i].hands[s.Node])
				}
				total = min(total, units(s.Cost+toGo))
			})
		}
		floor, err := CoarseBound(r)
		bound, err2 := Bound(ctx, r, floor+rng.Float64()*(total-floor))
		if err != nil || err2 != nil || floor > total || bound > total {
			t.Fatalf("case %d: floor %v, bound %v, total %v (%v %v)", cases, floor, bound, total, err, err2)
		}
		if q.Total != total {
			t.Fatalf("case %d: %v, want %v", cases, q.Total, total)
		}
	}
}
