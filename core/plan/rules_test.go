package plan

import (
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

// rules holds every hard rule on both of its sides.
func (c *termCase) rules() {
	c.spans()
	c.holds()
	c.slides()
	c.hands()
	c.digits()
}

// spans: which fingers go together.
func (c *termCase) spans() {
	c.set(nil, 74)
	fret := func(str, finger int, at float64) *stop {
		return &stop{str: str, finger: finger, fret: at, how: play.Fret}
	}
	for _, r := range []struct {
		what string
		a, b *stop
		want bool
	}{
		{"finger 1 flat over two strings", fret(1, 1, 5), fret(2, 1, 5), true},
		{"finger 1 at two frets", fret(1, 1, 5), fret(2, 1, 6), false},
		{"finger 2 flat over two strings", fret(1, 2, 5), fret(2, 2, 5), false},
		{"a higher finger at a higher fret", fret(1, 1, 5), fret(2, 2, 6), true},
		{"a higher finger at a lower fret", fret(1, 2, 5), fret(2, 1, 6), false},
		{"at one fret the lower finger on the thicker string", fret(2, 1, 5), fret(1, 2, 5), true},
		{"at one fret the lower finger on the thinner string", fret(1, 1, 5), fret(2, 2, 5), false},
		{"fingers 1 and 2 over two frets at fret 12", fret(1, 1, 12), fret(2, 2, 14), true},
		{"fingers 1 and 2 over two frets at the nut", fret(1, 1, 1), fret(2, 2, 3), false},  // 67 mm of 42
		{"fingers 1 and 4 over three frets at the nut", fret(1, 1, 1), fret(2, 4, 4), true}, // 97 mm of 100
		{"fingers 1 and 4 over four frets at the nut", fret(1, 1, 1), fret(2, 4, 5), false},
		{"the thumb over the neck a fret below finger 1", fret(1, 1, 3), fret(6, thumbOver, 2), true},
		{"the thumb over the neck two frets below finger 1", fret(1, 1, 4), fret(6, thumbOver, 2), false},
		{"the thumb over the neck beside finger 3", fret(1, 3, 4), fret(6, thumbOver, 3), true},
	} {
		_, ok := c.m.span(r.a, r.b)
		_, back := c.m.span(r.b, r.a)
		c.rule(r.what, ok, r.want)
		c.rule(r.what+", said the other way", back, r.want)
	}
	together := func(what string, want bool, stops ...stop) {
		c.Helper()
		v := voicing{n: len(stops)}
		copy(v.stops[:], stops)
		c.rule(what, c.m.together(&v), want)
	}
	slid := func(str int, at float64) stop { return stop{str: str, fret: at, how: play.Slide} }
	together("one string for two notes", false, slid(1, 5), slid(1, 7))
	together("the slide over two strings", true, slid(1, 5), slid(2, 5))
	together("a tube on a finger slanted over half a fret", true, slid(1, 12), slid(3, 12.2))
	together("a tube on a finger slanted at 32 degrees", false, slid(1, 12), slid(2, 12.3))
	together("a tube on a finger slanted over two frets", false, slid(1, 12), slid(2, 14))
	together("a finger before the slide", false, slid(1, 5), *fret(3, 1, 7))
	together("a finger behind a slide that sounds, for a player who does not", false, slid(1, 5), *fret(3, 1, 3))
	together("a tap beside a fretted note", false, stop{str: 1, fret: 12, how: play.Tapped}, *fret(2, 1, 3))
	together("a harmonic beside a fretted note", false, stop{str: 1, fret: 12, how: play.Harmonic, finger: 1}, *fret(2, 1, 12))
	c.set(func(r *Request) { r.Player.FretBehindSlide = true }, 74)
	together("a finger behind a slide that sounds", true, slid(1, 5), *fret(3, 1, 3))
	together("a finger beside the slide", false, slid(1, 5), *fret(3, 1, 5))
	together("the slide finger behind the slide", false, slid(1, 5), *fret(3, 4, 3))
	together("a finger far behind the slide", false, slid(1, 9), *fret(3, 1, 3))
	c.set(func(r *Request) { r.Player.Posture = player.Lap; r.Player.Silence = player.LapStop }, 74)
	together("three on one line of a bar", true, slid(1, 12), slid(2, 12.2), slid(3, 12.4))
	together("three not on a line", false, slid(1, 12), slid(2, 12.3), slid(3, 12))
}

// holds: where a note can be held.
func (c *termCase) holds() {
	// With the slide on the little finger: fingers 1 to 3 fret, open, slide; the last fret, and four beyond.
	c.set(func(r *Request) { r.Player.Instrument.Frets = 12 }, 74, 75, 78)
	for finger, want := range map[int]bool{1: true, 2: true, 3: true, 4: false} {
		c.rule("a finger frets beside a slide on finger 4", c.has(0, 1, play.Fret, finger), want)
	}
	c.rule("fretted beyond the last fret", c.has(1, 1, play.Fret, 1), false)
	c.rule("slid four frets beyond the last", c.has(2, 1, play.Slide, 0), true)
	c.rule("slid five frets beyond the last",
		slices.ContainsFunc(stopsOn(c.m.req, 1, pitch.Midi(79), 0), func(s stop) bool { return s.how == play.Slide }), false)
	c.set(func(r *Request) { r.Capo = 2; r.Player.Instrument.Frets = 20 }, 65, 64)
	c.rule("slid one fret above the capo", c.has(0, 1, play.Slide, 0), true)
	c.rule("slid at the capo", c.has(1, 1, play.Slide, 0), false)
	c.rule("open at the capo", c.has(1, 1, play.Open, 0), true)
	// The thumb over the neck: string 6 up to fret 7, if the player does that.
	c.set(nil, 45, 46)
	c.rule("the thumb over the neck at fret 7", c.has(0, 6, play.Fret, thumbOver), true)
	c.rule("the thumb over the neck at fret 8", c.has(1, 6, play.Fret, thumbOver), false)
	c.set(func(r *Request) { r.Player.ThumbOver = false }, 45)
	c.rule("the thumb over the neck of a player who does not", c.has(0, 6, play.Fret, thumbOver), false)
	// How far strings bend: string 5 is A2, 4 D3, 3 F#3.
	bends := func(str int, p pitch.Pitch) (out []float64) {
		for _, s := range bendsOn(c.m.req, str, p) {
			if !s.hook {
				out = append(out, s.fret-s.held)
			}
		}
		return out
	}
	c.rule("string 6 bends", len(bends(6, pitch.Midi(45))) == 0, true)
	c.rule("string 5 by a quarter tone alone", slices.Equal(bends(5, pitch.Midi(50)+50), []float64{0.5}) && len(bends(5, pitch.Midi(50))) == 0, true)
	c.rule("string 4 by a half step at most", slices.Equal(bends(4, pitch.Midi(57)), []float64{1}), true)
	c.rule("string 3 by a whole step", slices.Equal(bends(3, pitch.Midi(60)), []float64{1, 2}), true)
	// Taps lie 2 to 12 half steps above what follows.
	for above, want := range map[int]bool{1: false, 2: true, 12: true, 13: false} {
		taps := tapsOn(c.m.req, 1, float64(3+above), true, pitch.Midi(65))
		c.rule("tapped above what follows", len(taps) > 0, want)
	}
	refused := func(what string, capo int, fret float64, whole bool, next pitch.Pitch) {
		c.Helper()
		r := *c.m.req
		r.Capo = capo
		c.rule(what, len(tapsOn(&r, 1, fret, whole, next)) > 0, false)
	}
	refused("tapped between frets", 0, 10, false, pitch.Midi(65))
	refused("tapped over what lies between frets", 0, 10, true, pitch.Midi(65)+50)
	refused("tapped over a note below the open string", 0, 5, true, pitch.Midi(61))
	refused("tapped over a note below the capo", 4, 10, true, pitch.Midi(65))
	refused("tapped beyond the last fret", 0, 21, true, pitch.Midi(77))
	// A harmonic may miss the pitch by 5 cents: at fret 5 the fourth partial is right, at 7 2 cents sharp.
	c.rule("a harmonic at 7", len(harmonicsOn(c.m.req, 1, pitch.Midi(62+19))) > 0, true)
	c.rule("a harmonic a half step off", len(harmonicsOn(c.m.req, 1, pitch.Midi(62+18))) > 0, false)
}

// slides: what the slide may touch, and what may lie next to it.
func (c *termCase) slides() {
	covers := func(length float64, first, last int, bass bool) [][2]int {
		c.set(func(r *Request) { r.Player.Slide.LengthMM = length }, 74)
		c.m.bass = bass
		return c.m.covers(&c.m.moments[0], &hand{slide: true, fret: 12}, first, last)
	}
	// At fret 12 strings lie 9 mm apart: over three strings a slide needs 2½ · 9 = 22.5 mm.
	c.rule("the melody on string 3: strings 1 to 3, or the tip", slices.Equal(covers(60, 3, 3, false), [][2]int{{1, 3}, {3, 3}}), true)
	c.rule("a slide of 23 mm reaches string 3", slices.Contains(covers(23, 3, 3, false), [2]int{1, 3}), true)
	c.rule("a slide of 22 mm does not", slices.Contains(covers(22, 3, 3, false), [2]int{1, 3}), false)
	c.rule("string 1 needs no tip", slices.Equal(covers(60, 1, 1, false), [][2]int{{1, 1}}), true)
	c.rule("two strings at once have no tip", slices.Equal(covers(60, 1, 2, false), [][2]int{{1, 2}}), true)
	// In open D every tone of D is on an open bass string, so the slide goes no further for a bass note.
	c.rule("no further than for a bass note that is not open", slices.Equal(covers(60, 1, 1, true), [][2]int{{1, 1}}), true)
	over := func(chord string, length float64) [][2]int {
		c.set(func(r *Request) {
			*r.Tune = *coretest.Line('D', 60, tune.Quarter, chord, coretest.Notes(67)...)
			r.Player.Slide.LengthMM = length
		}, 67)
		c.m.bass = true
		return c.m.covers(&c.m.moments[0], &hand{slide: true, fret: 5}, 1, 1)
	}
	c.rule("over G at fret 5 as far as strings 4 and 6 for its root", slices.Equal(over("G", 60), [][2]int{{1, 1}, {1, 4}, {1, 6}}), true)
	c.rule("as far as the slide is long", slices.Equal(over("G", 32), [][2]int{{1, 1}, {1, 4}}), true)
	slanted := c.m.covers(&c.m.moments[0], &hand{slide: true, fret: 5, slant: 0.5}, 1, 1)
	c.rule("no further for a slanted slide", slices.Equal(slanted, [][2]int{{1, 1}}), true)
	c.m.bass = false
	c.rule("no further without a bass", slices.Equal(c.m.covers(&c.m.moments[0], &hand{slide: true, fret: 5}, 1, 1), [][2]int{{1, 1}}), true)
	// Fingers trail over the covered strings or all the way; on its tip the slide lifts them.
	c.set(func(r *Request) { r.Player.Silence = player.Trailing }, 81)
	c.rule("trails", slices.Equal(c.m.trailOptions(2), []int{0, 2, 6}), true)
	has := func(want func(*hand) bool) bool {
		return slices.ContainsFunc(c.m.moments[0].hands, func(h hand) bool { return h.slide && want(&h) })
	}
	c.rule("the tip alone", has(func(h *hand) bool { return h.from > 1 && h.trails == 0 }), true)
	c.rule("fingers behind a slide laid flat", has(func(h *hand) bool { return h.from == 1 && h.trails == 6 && h.trailed == ring.From(3) }), true)
	c.rule("fingers trail behind the tip",
		slices.ContainsFunc(c.m.moments[0].hands, func(h hand) bool { return h.slide && h.from > 1 && h.trails > 0 }), false)
	c.set(func(r *Request) { // D5 slid, A2 below it open on string 5
		r.Player.Silence = player.Trailing
		r.Tune.Notes[0].With = []pitch.Note{pitch.Spell(pitch.Midi(45), false)}
	}, 74)
	below := func(trails int) bool {
		return has(func(h *hand) bool { return h.stops[1].how == play.Open && h.trails == trails })
	}
	c.rule("fingers trail over string 1 beside an open string 5", below(1), true)
	c.rule("fingers trail over an open string that sounds", below(6), false)
	c.set(nil, 81)
	c.set(func(r *Request) { r.Player.FretBehindSlide, r.Player.Silence = true, player.Trailing }, 74)
	add := func(within bool) bool {
		found := false
		c.m.slideOver(&c.m.moments[0], hand{voicing: voicing{n: 1, stops: [1 + tune.MaxWith]stop{{str: 1, fret: 12, how: play.Slide}}},
			slide: true, sounding: ring.Of(1)},
			[]stop{{str: 6, fret: 10, finger: 1, how: play.Fret}}, func(h hand) { found = found || h.bass.str == 6 && (h.trails == 6) == within })
		return found
	}
	c.rule("a bass fretted behind the slide", add(false), true)
	c.rule("a bass fretted under trailing fingers", add(true), false)
	c.set(nil, 81)
	c.rule("trails in a school without", slices.Equal(c.m.trailOptions(2), []int{0}), true)
}

// hands: what may be held together and after what.
func (c *termCase) hands() {
	c.set(nil, 74, 74)
	c.rule("a bass note on the melody's string",
		c.m.withBass(&hand{voicing: voicing{n: 1, stops: [1 + tune.MaxWith]stop{{str: 4, how: play.Open}}}, sounding: ring.Of(4)},
			&stop{str: 4, fret: 2, finger: 1, how: play.Fret}), false)
	c.rule("a bass note beside a melody finger out of reach",
		c.m.withBass(&hand{voicing: voicing{n: 1, stops: [1 + tune.MaxWith]stop{{str: 1, fret: 12, finger: 1, how: play.Fret}}},
			sounding: ring.Of(1)}, &stop{str: 6, fret: 5, finger: 2, how: play.Fret}), false)
	c.rule("a bass note beside an open melody",
		c.m.withBass(&hand{voicing: voicing{n: 1, stops: [1 + tune.MaxWith]stop{{str: 1, how: play.Open}}}, sounding: ring.Of(1)},
			&stop{str: 6, fret: 5, finger: 2, how: play.Fret}), true)
	// A half note over steady bass in quarters: the second stroke falls while it sounds.
	c.set(func(r *Request) {
		*r.Tune = *coretest.Line('D', 60, tune.Quarter*2, "D", coretest.Notes(74, 74)...)
		r.Thumb = pattern.Steady
	}, 74)
	held := c.hand(0, 1, play.Fret, 1, nil)
	st := c.m.newStage(1)
	for g := range st.mo.hands {
		to := &st.mo.hands[g]
		if same := to.n > 0 && to.stops[0] == st.before[held].stops[0] && to.bass.str == 0; st.may(&st.before[held], to) &&
			to.bass.str == 0 != same {
			c.rule("a note that rings on stays where it is", false, true)
		}
	}
	c.rule("a bass finger comes down without a stroke",
		st.may(&hand{line: 0}, &hand{anchored: true, bass: stop{str: 6, fret: 5, finger: 1}}), true)
	before := hand{voicing: voicing{n: 1}, sounding: ring.Of(1), fingered: ring.Of(1), bass: stop{str: 6, fret: 5}}
	st.mo.ended = 0
	ri := st.ringInAfter(&before, ring.Of(6)|ring.Of(5), &hand{})
	c.rule("a bass string goes silent when its finger lets go", ri.live == ring.Of(5) && ri.unw == 0, true)
	ri = st.ringInAfter(&before, ring.Of(6), &hand{bass: before.bass})
	c.rule("a bass string rings on under its finger", ri.live == ring.Of(6), true)
	before.fingered, c.m.school.Cares = 0, true
	ri = st.ringInAfter(&before, 0, &hand{})
	c.rule("an open melody string rings on when its note is over", ri.ended == ring.Of(1) && ri.unw == ring.Of(1), true)
	before.fingered = ring.Of(1)
	ri = st.ringInAfter(&before, 0, &hand{})
	c.rule("a fretted one is silenced by letting go", ri.ended == 0 && ri.unw == 0, true)
	ri = st.ringInAfter(&hand{slide: true, fret: 5, under: ring.Of(4)}, ring.Of(4), &hand{slide: true, fret: 7, under: ring.Of(4)})
	c.rule("a bass string under a slide that moves is spoilt", ri.live == 0 && ri.unw == ring.Of(4), true)
	ri = st.ringInAfter(&hand{slide: true, fret: 5, under: ring.Of(4)}, ring.Of(4), &hand{slide: true, fret: 5, under: ring.Of(4)})
	c.rule("a bass string under a slide that stays rings on", ri.live == ring.Of(4), true)
	var s silence
	mo := &moment{note: -1, sounding: -1, ended: -1}
	shape := &pickShape{mo: mo, pins: &mo.pins, h: &hand{trailed: ring.Of(4)}, fits: ring.Upto(6)}
	c.rule("fingers trail over a string that must ring on", c.m.still(shape, ringIn{live: ring.Of(4)}, &bassOption{}, &s), false)
	shape.h = &hand{}
	c.rule("a bass string must ring on until the next stroke", c.m.still(shape, ringIn{live: ring.Of(4)}, &bassOption{}, &s) &&
		s.keep == ring.Of(4), true)
	shape.fits = 0
	c.rule("unless it is no tone of the chord", c.m.still(shape, ringIn{live: ring.Of(4)}, &bassOption{}, &s) && s.keep == 0 &&
		s.unwanted == ring.Of(4), true)
	came := c.m.bassOptions(st.mo, &hand{bass: stop{str: 6, fret: 5, finger: 1}})
	c.rule("a bass finger that came down is used", slices.ContainsFunc(came, func(o bassOption) bool { return o.str == 0 }), false)
	st.mo = &moment{note: 0, sounding: 0, ended: -1}
	c.rule("a bass finger comes down without a stroke",
		st.may(&hand{line: 0}, &hand{anchored: true, bass: stop{str: 6, fret: 5, finger: 1}}), false)
}

// digits: who may pluck, stop and rest where.
func (c *termCase) digits() {
	// A hand that has not just plucked with a finger may have to pay for stopping with it what one that has does not.
	c.set(nil, 74, 74, 74)
	fresh, plucked := trellis.NewPick(0, 0), trellis.NewPick(1<<digits.I, 0)
	c.rule("what the digit that plucked saves counts",
		units(c.m.debtsFrom(1).Of(fresh, plucked)) >= play.Exact(inForce.StopEffort)-play.Exact(inForce.StopOwn), true)
	// C4 at fret 3 of string 2 over F#3 under the slide at 4 of string 4, then A3 open over G3 at 5: the finger lets go
	// and the slide moves, but a note struck together with another is not pulled off.
	c.set(func(r *Request) {
		r.Player.FretBehindSlide = true
		r.Tune.Notes[0].With, r.Tune.Notes[1].With = coretest.Notes(54), coretest.Notes(55)
	}, 60, 57)
	apart := func(t int, how play.How, finger int) *hand {
		return &c.m.moments[t].hands[c.hand(t, 2, how, finger,
			func(h *hand) bool { return h.n == 2 && h.stops[1].str == 4 && h.stops[1].how == play.Slide })]
	}
	_, joined := c.m.newStage(1).legato(apart(0, play.Fret, 1), apart(1, play.Open, 0), &tally{})
	c.rule("of two notes one is pulled off and one slid on", joined, false)
	at := func(p, i, m, a int8) *pluck { return &pluck{at: [digits.Count]int8{p, i, m, a}} }
	c.rule("a finger on the bass's string", pluckBesideBass(at(0, 5, 0, 0), &bassOption{str: 5}), false)
	c.rule("a finger below the bass's string", pluckBesideBass(at(0, 6, 0, 0), &bassOption{str: 5}), false)
	c.rule("a finger above it", pluckBesideBass(at(0, 4, 0, 0), &bassOption{str: 5}), true)
	c.rule("the thumb on melody and bass at once", pluckBesideBass(at(4, 0, 0, 0), &bassOption{str: 5}), false)
	c.rule("a hand on the neck and a bass note", pluckBesideBass(&pluck{busy: true}, &bassOption{str: 5}), false)
	c.rule("the thumb on melody without bass", pluckBesideBass(at(4, 0, 0, 0), &bassOption{}), true)

	c.set(func(r *Request) { r.Player.Silence, r.Player.Fingers = player.Fingers, 3 }, 74)
	search := func(pl *pluck, bass int, struck ring.Strings) *dampingSearch {
		return &dampingSearch{m: c.m, s: &silence{struck: struck}, pl: pl, bass: bass}
	}
	c.rule("i stops a string between p's and m's", search(at(0, 0, 2, 0), 5, 0).digitMay(digits.I, 3), true)
	c.rule("i stops a string above m's", search(at(0, 0, 2, 0), 5, 0).digitMay(digits.I, 1), false)
	c.rule("m stops a string below i's", search(at(0, 3, 0, 0), 0, 0).digitMay(digits.M, 4), false)
	c.rule("a digit that plays stops another string", search(at(0, 3, 0, 0), 0, 0).digitMay(digits.I, 4), false)
	c.rule("a finger stops the thumb's string", search(at(0, 0, 0, 0), 4, 0).digitMay(digits.I, 4), false)
	c.rule("m stops i's string", search(at(0, 3, 0, 0), 0, 0).digitMay(digits.M, 3), false)
	c.rule("i stops m's string", search(at(0, 0, 2, 0), 0, 0).digitMay(digits.I, 2), false)
	c.rule("the thumb rests as thin as string 3", search(at(0, 0, 0, 0), 0, 0).thumbMay(3), true)
	c.rule("m rests on i's string", inPlace(at(0, 3, 0, 0), digits.M, 3), false)
	c.rule("i rests on m's string", inPlace(at(0, 0, 2, 0), digits.I, 2), false)
	c.rule("m rests above i", inPlace(at(0, 3, 0, 0), digits.M, 2), true)
	c.rule("the thumb rests while it plays", search(at(0, 0, 0, 0), 6, 0).thumbMay(5), false)
	c.rule("the thumb rests over what sounds below", search(at(0, 0, 0, 0), 0, ring.Of(6)).thumbMay(5), false)
	c.rule("the thumb rests on a treble string", search(at(0, 0, 0, 0), 0, 0).thumbMay(2), false)
	c.rule("the thumb rests", search(at(0, 3, 0, 0), 0, 0).thumbMay(4), true)
	c.rule("the thumb rests above a finger", search(at(0, 5, 0, 0), 0, 0).thumbMay(4), false)

	// Three fingers rest on neighbouring strings, so the thinnest lies on 3 at most; where a finger plucks
	// is its own string.
	c.rule("rest at string 3", c.m.mayRest(at(0, 0, 0, 0), 3), true)
	c.rule("rest at string 4", c.m.mayRest(at(0, 0, 0, 0), 4), false)
	c.rule("rest around a plucking m", c.m.mayRest(at(0, 0, 2, 0), 1), true)
	c.rule("rest beside a plucking m", c.m.mayRest(at(0, 0, 2, 0), 2), false)
	c.rule("rest in a hand that brushes", c.m.mayRest(&pluck{sweeps: ring.Of(1)}, 1), false)
	c.rule("rest in a hand on the neck", c.m.mayRest(&pluck{busy: true}, 1), false)
	c.rule("rest in a hand whose fingertips fall", c.m.mayRest(&pluck{laid: true}, 1), false)
	c.m.school.Rests = false
	c.rule("rest in a school without", c.m.mayRest(at(0, 0, 0, 0), 1), false)
	c.rule("lifted in a school without", c.m.mayRest(at(0, 0, 0, 0), 0), true)
	c.rule("p plucks melody on string 4", lowestThumb(1) == 4, true)
	c.rule("p plucks the lowest of a chord on string 3", lowestThumb(2) == 3, true)
	c.rule("the heel lies over five strings at most", heelStates == 6, true)
	brushed := func(mo *moment, strs ...int) bool {
		h := hand{voicing: voicing{n: len(strs)}}
		for v, s := range strs {
			h.stops[v].str = s
			h.sounding |= ring.Of(s)
		}
		return slices.ContainsFunc(c.m.plucks(nil, mo, &h), func(p pluck) bool { return p.sweeps != 0 })
	}
	mo := &c.m.moments[0]
	c.rule("one digit brushes strings that lie together", brushed(mo, 1, 2), true)
	c.rule("one digit brushes strings apart", brushed(mo, 1, 3), false)
	c.rule("one string is brushed", brushed(mo, 1), false)
	pinned := *mo
	pinned.pins.strokes = []*pin{{Pin: play.Pin{Part: play.Melody, Digit: play.M}}}
	c.rule("i brushes what is pinned to m", brushed(&pinned, 1, 2), false)
	// Percussion: a slap silences strings 5 and 6 and cannot fall on a melody held there.
	var s silence
	slap := &bassOption{hit: pattern.Slap}
	still := &moment{note: -1, sounding: 0, ended: -1}
	shape := &pickShape{mo: still, pins: &still.pins, h: &hand{sounding: ring.Of(5)}}
	c.rule("a slap on the string of a held note", c.m.still(shape, ringIn{}, slap, &s), false)
	shape.h = &hand{sounding: ring.Of(1)}
	c.rule("a slap beside a held note", c.m.still(shape, ringIn{live: ring.Of(6)}, slap, &s) && s.hit == ring.From(5) &&
		s.may|s.keep == ring.Of(1), true)
	c.rule("a tap silences the treble strings", (&bassOption{hit: pattern.Tap}).hitStrings() == ring.Upto(3), true)
	// A finger that hops: the little one counts too.
	c.set(func(r *Request) { r.Player.SlideFinger = 2 }, 74, 71)
	var y play.Terms
	c.m.newStage(1).changeCost(&hand{voicing: voicing{n: 1}, on: [thumbOver + 1]int8{4: 1}},
		&hand{voicing: voicing{n: 1}, on: [thumbOver + 1]int8{4: 2}}, &tally{by: &y})
	c.is("FingerHop", y[play.StringMove], inForce.FingerHop)
}
