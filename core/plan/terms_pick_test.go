package plan

import (
	"math"
	"slices"

	"stepping/core/coretest"
	"stepping/core/digits"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/ring"
	"stepping/core/tune"
)

// options returns the thumb's options at moment t with hand g, by string; 0 is the stroke left out.
func (c *termCase) options(t, g int) map[int]*bassOption {
	out := map[int]*bassOption{}
	opts := c.m.bassOptions(&c.m.moments[t], &c.m.moments[t].hands[g])
	for i := range opts {
		if opts[i].hit == "" {
			out[opts[i].str] = &opts[i]
		}
	}
	return out
}

// bass: roles, clashes, strokes and percussion left out.
func (c *termCase) bass() {
	over := func(chords string) func(*Request) {
		return func(r *Request) {
			*r.Tune = *coretest.Line('D', 60, tune.Quarter, chords, coretest.Notes(74, 74, 74, 74)...)
			r.Thumb = pattern.Alternating
		}
	}
	c.set(over("D"), 74)
	o := c.options(0, c.hand(0, 1, play.Fret, 1, nil))
	c.is("Pattern", o[6].cost[play.Pattern], 0)
	c.is("Pattern", o[5].cost[play.Pattern], inForce.Pattern*0.6) // the fifth in the root's place
	c.is("Dropped DropOne", o[0].cost[play.Pattern], inForce.Dropped+inForce.DropOne)
	o = c.options(1, c.hand(1, 1, play.Fret, 1, nil))
	c.is("Dropped", o[0].cost[play.Pattern], inForce.Dropped)
	// Over G the open D is a fifth and A a second: 0.9. A is the key's fifth, a drone that is welcome.
	c.set(over("G"), 74)
	o = c.options(0, c.hand(0, 1, play.Fret, 1, nil))
	c.is("Clash DroneEase", o[5].cost[play.Clash], inForce.Clash*0.9*inForce.DroneEase)
	c.set(func(r *Request) { over("G")(r); r.Player.Drone = false }, 74)
	o = c.options(0, c.hand(0, 1, play.Fret, 1, nil))
	c.is("Clash", o[5].cost[play.Clash], inForce.Clash*0.9)
	// A slap that is left out.
	slap, _ := pattern.Named("Slap on two and four")
	c.set(func(r *Request) {
		over("D")(r)
		r.Thumb, r.Sections = pattern.None, []pattern.Section{{Bar: 1, Pattern: slap}}
	}, 74)
	hits := c.m.bassOptions(&c.m.moments[1], &c.m.moments[1].hands[c.hand(1, 1, play.Fret, 1, nil)])
	lost, made := math.Inf(1), math.Inf(1)
	for i := range hits {
		if sum := hits[i].cost[play.Pattern]; hits[i].hit == "" {
			lost = min(lost, sum)
		} else {
			made = min(made, sum)
		}
	}
	c.is("DropHit", lost-made, inForce.DropHit)
	// The root may rest where it rings in after it arrived early.
	c.is("RingsOn", inForce.RingsOn, 0.4)
	mo := &moment{stroke: &pattern.Stroke{One: true, Arrived: true}}
	rest := bassOption{}
	y := tally{}
	c.m.dropCost(mo, &rest, &y)
	c.is("RingsOn", y.sum-rest.eased, inForce.RingsOn)
	c.cut()
}

// cut: over G in open D the root lies at string 6 fret 5; the note after it is no stroke.
func (c *termCase) cut() {
	c.set(func(r *Request) {
		*r.Tune = *coretest.Line('D', 60, tune.Quarter/2, "G", coretest.Notes(57, 57, 57, 57)...)
		r.Thumb, r.Player.Lean = pattern.Steady, player.LeanNone
	}, 57)
	bass := func(str int) func(*hand) bool { return func(h *hand) bool { return h.bass.str == str } }
	i, g := c.hand(0, 2, play.Open, 0, bass(6)), c.hand(1, 2, play.Open, 0, func(h *hand) bool { return h.bass.str == 0 })
	var y play.Terms
	c.m.newStage(1).changeCost(&c.m.newStage(1).before[i], &c.m.moments[1].hands[g], &tally{by: &y})
	c.is("CutBass", y[play.Pattern], inForce.CutBass)
	// A written G2, there too, is let go before its time is over; a written A2 is cut by the melody on its string, and one that is over is not.
	noted := func(midi int, dur tune.Time, second, on int, how play.How, finger int) float64 {
		c.set(func(r *Request) {
			r.Thumb, r.Player.Lean = pattern.Written, player.LeanNone
			r.Tune.Bass = []tune.Note{{Dur: dur, Note: coretest.Notes(midi)[0]}}
		}, 62, second)
		at := 6
		if midi == 45 {
			at = 0
		}
		var y play.Terms
		i, g := c.hand(0, 1, play.Open, 0, bass(at)), c.hand(1, on, how, finger, func(h *hand) bool { return h.bass.str == 0 })
		c.m.newStage(1).changeCost(&c.m.newStage(1).before[i], &c.m.moments[1].hands[g], &tally{by: &y})
		return y[play.Pattern]
	}
	c.is("CutNote", noted(43, 2*tune.Quarter, 62, 1, play.Open, 0), inForce.CutNote)
	c.is("CutNote", noted(45, 2*tune.Quarter, 47, 5, play.Fret, 1), inForce.CutNote)
	c.is("CutNote", noted(43, tune.Quarter, 62, 1, play.Open, 0)+noted(45, tune.Quarter, 47, 5, play.Fret, 1), 0)
}

// picking: digits, brushes, flicks.
func (c *termCase) picking() {
	c.set(func(r *Request) { r.Player.Fingers = 3 }, 74)
	cost := func(at ...int8) float64 {
		p := pluck{}
		copy(p.at[:], at)
		c.m.digitCost(&p)
		return p.cost
	}
	c.is("ThumbMelody", cost(5), inForce.ThumbMelody)
	c.is("Spread", cost(0, 3, 2, 1), 0)
	// i on 3, m on 1: two strings apart is what two digits reach; i on 5 and m on 2 is one more.
	c.is("Spread", cost(0, 5, 2), digits.PlaceCost(3, digits.I, 5)+digits.PlaceCost(3, digits.M, 2)+inForce.Spread)
	two := c.m.plucks(nil, &c.m.moments[0], &hand{voicing: voicing{n: 2}, sounding: ring.Of(1) | ring.Of(2)})
	i := slices.IndexFunc(two, func(p pluck) bool { return p.sweeps != 0 })
	c.is("Brush", two[i].cost, inForce.Brush)
	c.rule("a brush catches its neighbour", two[i].sweeps == ring.Of(3), true)
	flicks := c.m.flicks(&c.m.moments[0], &hand{voicing: voicing{n: 1}, sounding: ring.Of(2)})
	c.is("Flick", flicks[0].cost, inForce.Flick)
	c.is("Shallow", flicks[1].cost, inForce.Flick+inForce.Shallow)
	c.rule("a flick catches strings 1 and 3", flicks[0].sweeps == ring.Of(1)|ring.Of(3), true)
	c.rule("a shallow one only string 1", flicks[1].sweeps == ring.Of(1), true)
	// The heel comes down supported or from the air, and lifts.
	c.set(func(r *Request) { r.Player.Support = player.HeelRests }, 74)
	c.is("HeelFall HeelLift", c.move(0, 0, 1, 0)+c.move(1, 0, 0, 0), inForce.HeelFall+inForce.HeelLift)
	c.set(nil, 74)
	c.is("HeelFloat", c.move(0, 0, 1, 0), inForce.HeelFloat)
	c.is("HeelLift", c.move(1, 0, 0, 0), inForce.HeelLift)
	// Resting digits come down, move with the melody, and never dearer than coming down.
	c.set(func(r *Request) { r.Player.Silence, r.Player.Fingers = player.Fingers, 3 }, 74)
	c.is("RestDown", c.move(0, 0, 0, 2), inForce.RestDown)
	c.is("RestShift", c.move(0, 1, 0, 3), 2*inForce.RestShift)
	c.is("RestDown RestShift", c.move(0, 1, 0, 5), min(inForce.RestDown, 4*inForce.RestShift))
	c.is("RestDown", c.move(0, 3, 0, 0), 0)
}

// move is what it costs that the heel lies and the digits rest otherwise.
func (c *termCase) move(lies, rest, thenLies, thenRest uint8) float64 {
	return units(c.m.move[placeOf(lies, rest)][placeOf(thenLies, thenRest)])
}

// silent returns the cheapest damping of strings unw, all else free, by what ends it.
func (c *termCase) silent(r *pickShape, s silence, pl pluck, wants func(*damping) bool) float64 {
	least := math.Inf(1)
	c.m.eachDamping(r, &s, &pl, 0, func(d *damping) {
		if d.leak == 0 && wants(d) {
			least = min(least, d.effort)
		}
	})
	return least
}

// dampers: what each costs that can silence a string.
func (c *termCase) dampers() {
	c.set(func(r *Request) { r.Player.Silence, r.Player.Fingers = player.Both, 3 }, 74)
	mo := &c.m.moments[0]
	r := &pickShape{mo: mo, pins: &mo.pins, h: &hand{}, spare: true, over: true}
	unw := func(str int) silence { return silence{unw: ring.Of(str), struck: ring.Of(1)} }
	digit := func(d int) func(*damping) bool { return func(x *damping) bool { return x.digit[d] != 0 } }
	c.is("StopEffort", c.silent(r, unw(3), pluck{}, digit(digits.I)), inForce.StopEffort)
	c.is("StopReach", c.silent(r, unw(5), pluck{}, digit(digits.I)), inForce.StopEffort+2*inForce.StopReach)
	c.is("LittleEffort", c.silent(r, unw(4), pluck{}, digit(digits.C)), inForce.LittleEffort)
	c.is("RestEffort", c.silent(r, unw(5), pluck{}, digit(digits.P)), inForce.RestEffort)
	c.is("SpareEffort", c.silent(r, unw(4), pluck{}, func(d *damping) bool { return d.spare != 0 }), inForce.SpareEffort)
	c.is("OverEffort", c.silent(r, unw(6), pluck{}, func(d *damping) bool { return d.over != 0 }), inForce.OverEffort)
	s := unw(4)
	s.touch = ring.Of(4)
	c.is("FingerTouch", c.silent(r, s, pluck{}, func(d *damping) bool { return d.touch != 0 }), inForce.FingerTouch)
	s = unw(4)
	s.below = ring.Of(4)
	c.is("UnderTouch", c.silent(r, s, pluck{}, func(d *damping) bool { return d.touch != 0 }), inForce.UnderTouch)
	// The thumb's side lies on all below it; a finger lies on one string.
	both := silence{unw: ring.Of(5) | ring.Of(6), struck: ring.Of(1)}
	c.is("RestEffort", c.silent(r, both, pluck{}, digit(digits.P)), inForce.RestEffort)
	three := silence{unw: ring.Between(2, 4), struck: ring.Of(1)}
	pl := pluck{}
	c.m.eachDamping(r, &three, &pl, 0, func(d *damping) {
		n := d.leak.Len() + d.spare.Len() + d.touch.Len() + d.over.Len()
		for e := digits.I; e <= digits.C; e++ {
			if d.digit[e] != 0 {
				n++
			}
		}
		if n != 3 && d.digit[digits.P] == 0 {
			c.Errorf("three strings are silenced as %d: %+v", n, *d)
		}
	})
	// The digit that has just played falls back on its string, another comes down.
	stop := func(d uint8) float64 {
		turn := c.m.turnAfter(-1)
		return units(turn.Cost(trellis.NewPick(1<<digits.M, 0), trellis.NewPose(keepMask, 0, d)))
	}
	c.is("StopOwn", stop(digits.M), inForce.StopOwn)
	c.is("StopEffort", stop(digits.I), inForce.StopEffort)
	// The heel over three strings; nothing to silence there.
	h := &c.m.moments[0].hands[c.hand(0, 1, play.Fret, 1, nil)]
	shape := &pickShape{mo: mo, pins: &mo.pins, h: h}
	lain := silence{struck: ring.Of(1)}
	c.m.underHeel(shape, &lain, &bassOption{}, 0, 3)
	c.is("HeelEffort", lain.damping, 3*inForce.HeelEffort)
	// Two digits rest on strings 2 and 3 next to the one that plays string 1; string 2 was ringing.
	lain = silence{struck: ring.Of(1), unw: ring.Of(2), unwanted: ring.Of(2)}
	pl = pluck{}
	pl.at[digits.A] = 1
	ok := c.m.rest(shape, &lain, &pl, &bassOption{}, 1)
	c.is("RestHold RestStop", lain.damping, 2*inForce.RestHold+inForce.RestStop)
	c.rule("they lie beside it", ok && pl.at[digits.M] == 2 && pl.at[digits.I] == 3 && lain.unw == 0, true)
	// Not on a string that sounds: i stays off string 3.
	lain, pl = silence{struck: ring.Of(1) | ring.Of(3)}, pluck{}
	pl.at[digits.A] = 1
	ok = c.m.rest(shape, &lain, &pl, &bassOption{}, 1)
	c.rule("a digit rests on a string that sounds", ok && pl.at[digits.I] == 3, false)
	// A bar tilted off a string whose note is over.
	c.set(func(r *Request) { r.Player.Posture, r.Player.Silence = player.Lap, player.LapStop }, 74)
	mo = &c.m.moments[0]
	r = &pickShape{mo: mo, pins: &mo.pins, h: &hand{}}
	s = unw(3)
	s.ringIn.ended = ring.Of(3)
	c.is("TiltEffort", c.silent(r, s, pluck{}, func(d *damping) bool { return d.tilt != 0 }), inForce.TiltEffort)
	s.ringIn.ended = 0
	c.rule("the bar is not tilted off a string whose note goes on",
		c.silent(r, s, pluck{}, func(d *damping) bool { return d.tilt != 0 }) < inf, false)
	c.heelSchool()
}

// leaks: what is left ringing, and what rings along.
func (c *termCase) leaks() {
	c.set(func(r *Request) { r.Player.Silence = player.Both }, 74, 71)
	mo := &c.m.moments[1]
	r := &pickShape{mo: mo, pins: &mo.pins, h: &hand{}}
	after := math.Exp(-1 / ring.RingTime(pitch.Midi(62))) // string 1, D4, a second after it was struck
	ended := silence{ringIn: ringIn{ended: ring.Of(1)}}
	c.is("Leak Consonant", r.leakCost(&ended, 1), inForce.Leak*after*inForce.Consonant) // D belongs to D
	r.h = &hand{under: ring.Of(1)}
	c.is("Leak", r.leakCost(&ended, 1), inForce.Leak*after) // but not under the slide
	c.set(func(r *Request) {
		*r.Tune = *coretest.Line('D', 60, tune.Quarter, "C", coretest.Notes(74, 71)...)
		r.Player.Silence = player.Both
	}, 74)
	mo = &c.m.moments[1]
	r = &pickShape{mo: mo, pins: &mo.pins, h: &hand{}}
	c.is("DroneEase", r.leakCost(&ended, 1), inForce.Leak*after*inForce.DroneEase) // over C it is a drone
	swept := silence{swept: ring.Of(3)}
	c.is("Leak", r.leakCost(&swept, 3), inForce.Leak*0.4) // F# over C is neither
	c.set(func(r *Request) { r.Player.Posture, r.Player.Silence = player.Lap, player.LapStop }, 74, 71)
	mo = &c.m.moments[1]
	r = &pickShape{mo: mo, pins: &mo.pins, h: &hand{under: ring.Of(1)}}
	c.is("LapLeak", r.leakCost(&ended, 1), inForce.LapLeak*after)
	// An idle string rings along with what is struck by the share of overtones that agree.
	c.set(func(r *Request) { r.Player.Silence = player.Both }, 74)
	mo = &c.m.moments[0]
	r = &pickShape{mo: mo, pins: &mo.pins, h: &hand{}}
	r.ring[3] = 0.5
	s := silence{idle: ring.Of(3)}
	c.m.priceSilence(r, &s, &bassOption{ring: &noRing})
	c.is("Sympathy", s.cost, inForce.Sympathy*0.5)
}

// marks: what they cost is the difference to the same notes without them.
func (c *termCase) marks() {
	unmarked := func(of func() float64) float64 { c.set(nil, 74, 74, 57); return of() }
	marked := func(mark tune.Marks, of func() float64) float64 {
		c.set(func(r *Request) {
			for i := range r.Tune.Notes {
				r.Tune.Notes[i].Marks = mark
			}
		}, 74, 74, 57)
		return of()
	}
	fretted := func() float64 { return c.own(0, c.hand(0, 1, play.Fret, 1, nil))[play.Tone] }
	open := func() float64 { return c.own(2, c.hand(2, 2, play.Open, 0, nil))[play.Tone] }
	slid := func() float64 { return c.own(0, c.hand(0, 1, play.Slide, 0, nil))[play.Tone] }
	bell := func() float64 { return c.own(0, c.hand(0, 1, play.Harmonic, 1, nil))[play.Tone] }
	struck := func() float64 {
		return c.change(1, c.hand(0, 1, play.Slide, 0, nil), c.hand(1, 1, play.Slide, 0, nil), plain)[play.Tone]
	}
	glided := func() float64 {
		return c.change(1, c.hand(0, 1, play.Slide, 0, nil), c.hand(1, 1, play.Slide, 0, nil), scoop)[play.Tone]
	}
	for _, tt := range []struct {
		weight string
		mark   tune.Marks
		of     func() float64
		want   float64
	}{
		{"VibratoFret", tune.Vibrato, fretted, inForce.VibratoFret}, {"VibratoFree", tune.Vibrato, open, inForce.VibratoFree},
		{"VibratoFree", tune.Vibrato, bell, inForce.VibratoFree}, {"VibratoFree", tune.Vibrato, slid, 0},
		{"ScoopFret", tune.Scoop, fretted, inForce.ScoopFret}, {"ScoopFret", tune.Scoop, open, inForce.ScoopFret},
		{"ScoopFret", tune.Scoop, slid, 0}, {"ScoopPlain", tune.Scoop, struck, inForce.ScoopPlain}, {"ScoopPlain", tune.Scoop, glided, 0},
	} {
		c.is(tt.weight, marked(tt.mark, tt.of)-unmarked(tt.of), tt.want)
	}
	for _, mark := range []tune.Marks{0, tune.Accent} {
		marked(mark, fretted)
		ways, accent := []pluck{{}, {}}, float64(mark/max(mark, 1))
		ways[0].at[digits.A], ways[1].at[digits.M] = 1, 1
		c.m.accents(&c.m.moments[0], ways)
		c.is("AccentRing", ways[0].cost, accent*inForce.AccentRing)
		c.is("AccentRing", ways[1].cost, 0)
		c.is("AccentLegato", c.m.legatoCost(&c.m.moments[0]), accent*inForce.AccentLegato)
	}
}

// heelSchool: a player of the heel's school lays it more lightly than one who has all schools.
func (c *termCase) heelSchool() {
	move, effort := c.m.move[0][1]+c.m.move[1][0], c.m.heelEffort(3)
	all := c.m.req.Player.Silence
	c.set(func(r *Request) { r.Player.Silence = player.Heel }, 74)
	c.is("HeelSchool", c.m.heelEffort(3), 3*inForce.HeelEffort*inForce.HeelSchool)
	c.rule("the heel falls more lightly in its own school", all != player.Heel && c.m.move[0][1]+c.m.move[1][0] < move, true)
	c.rule("it lies more lightly", c.m.heelEffort(3) < effort, true)
}
