package plan

import (
	"fmt"
	"math"
	"reflect"
	"slices"
	"strings"
	"testing"

	"stepping/core/chord"
	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/ring"
	"stepping/core/tune"
)

// termCase is a small tune in which some weights can be read off, each worked out by hand from the
// formula in docs/model.md.
type termCase struct {
	*testing.T
	m    *model
	seen map[string]bool
}

// set makes a tune of quarter notes over D at 60 a minute in open D, for a player of the Ring school
// without a thumb part, so that nothing but the left hand costs, unless change says otherwise.
func (c *termCase) set(change func(*Request), midis ...int) *termCase {
	c.Helper()
	pl := player.Default()
	pl.Silence, pl.Techniques = player.Ring, player.Techniques
	r := Request{Tune: coretest.Line('D', 60, tune.Quarter, "D", coretest.Notes(midis...)...), Tuning: coretest.Tuning("Open D"),
		Player: pl, Thumb: pattern.None}
	if change != nil {
		change(&r)
	}
	m, err := newModel(&r, nil)
	if err != nil {
		c.Fatal(err)
	}
	c.m = m
	return c
}

// is compares a cost with what was worked out by hand, and notes the weights that it shows.
func (c *termCase) is(weights string, got, want float64) {
	c.Helper()
	if math.Abs(got-want) > 1e-5 {
		c.Errorf("%s: %v, by hand %v", weights, got, want)
	}
	for _, w := range strings.Fields(weights) {
		c.seen[w] = true
	}
}

// rule checks a hard rule by what it allows.
func (c *termCase) rule(what string, got, want bool) {
	c.Helper()
	if got != want {
		c.Errorf("%s: %v", what, got)
	}
}

// hand returns the first hand of moment t whose melody is so held and for which more holds.
func (c *termCase) hand(t, str int, how play.How, finger int, more func(*hand) bool) int {
	c.Helper()
	i := slices.IndexFunc(c.m.moments[t].hands, func(h hand) bool {
		if str == 0 {
			return h.n == 0 && (more == nil || more(&h))
		}
		s := &h.stops[0]
		return h.n > 0 && s.str == str && s.how == how && s.finger == finger && (more == nil || more(&h))
	})
	if i < 0 {
		c.Fatalf("moment %d: no hand on string %d %s with finger %d", t, str, how, finger)
	}
	return i
}

func (c *termCase) has(t, str int, how play.How, finger int) bool {
	return slices.ContainsFunc(c.m.moments[t].hands, func(h hand) bool {
		return h.n > 0 && h.stops[0].str == str && h.stops[0].how == how && h.stops[0].finger == finger
	})
}

// own is what hand g of moment t costs by itself.
func (c *termCase) own(t, g int) (out play.Terms) {
	mo := &c.m.moments[t]
	c.m.holdCost(mo, &mo.hands[g], &tally{by: &out})
	return out
}

// change is what it costs to go from hand i before to hand g of moment t by attack a, without g's own.
func (c *termCase) change(t, i, g int, a attack) play.Terms {
	all, own := c.m.newStage(t).terms(i, g, a), c.own(t, g)
	for k := range all {
		all[k] -= own[k]
	}
	return all
}

// x is the place of a fret in mm on the default guitar, 648 mm long.
func x(fret float64) float64 { return 648 * (1 - math.Exp2(-fret/12)) }

// window is the ±5-cent window in mm at a fret: 10 cents by 1731.23/(648 − x) cents a mm.
func window(fret float64) float64 { return 10 / (1731.23 / (648 - x(fret))) }

// fitts is the time of a move with the default player's figures.
func fitts(d, w float64) float64 { return 0.06 + 0.07*math.Log2(d/w+1) }

// TestTerms works out by hand a case for every weight of cost.go, and for every hard rule.
func TestTerms(t *testing.T) {
	c := &termCase{T: t, seen: map[string]bool{}}
	c.moving()
	c.holding()
	c.techniques()
	c.bass()
	c.picking()
	c.dampers()
	c.leaks()
	c.marks()
	c.rules()
	for of := range reflect.TypeFor[Weights]().Fields() {
		if !of.Anonymous && !c.seen[of.Name] { // package fingering has its own cases
			t.Errorf("%s has no case", of.Name)
		}
	}
}

// moving: shifts, landings, strings, fingers that hop.
func (c *termCase) moving() {
	// B4 on string 1 at fret 9, then D5 at 12, both with finger 1.
	c.set(nil, 71, 74)
	i, g := c.hand(0, 1, play.Fret, 1, nil), c.hand(1, 1, play.Fret, 1, nil)
	need := fitts(x(12)-x(9), inForce.FretTarget*(x(12)-x(11)))
	c.is("Shift FretTarget FretShift", c.change(1, i, g, plain)[play.Shift], inForce.FretShift*inForce.Shift*need*need)
	// From fret 2 to 17, 256 mm: a leap beyond what lies within sight.
	c.set(nil, 64, 79)
	i, g = c.hand(0, 1, play.Fret, 1, nil), c.hand(1, 1, play.Fret, 1, nil)
	far := x(17) - x(2)
	need17 := fitts(far, inForce.FretTarget*(x(17)-x(16)))
	c.is("Leap", c.change(1, i, g, plain)[play.Shift], inForce.FretShift*(inForce.Shift*need17*need17+inForce.Leap*(far-leapFree)/100))
	// The same in a tenth of the time is late: 0.1 s there.
	c.set(func(r *Request) { r.Tempo = 400 }, 71, 74) // a quarter in 0.15 s
	i, g = c.hand(0, 1, play.Fret, 1, nil), c.hand(1, 1, play.Fret, 1, nil)
	ratio := need / 0.15
	c.is("Late", c.change(1, i, g, plain)[play.Shift], inForce.FretShift*(inForce.Shift*ratio*ratio+inForce.Late*(ratio-1)*(ratio-1)))
	// Finger 1 at fret 9, then finger 4 at fret 12: the index finger stays where it is.
	c.set(func(r *Request) { r.Player.SlideFinger = 3; r.Player.Lean = player.LeanNone }, 71, 74)
	i, g = c.hand(0, 1, play.Fret, 1, nil), c.hand(1, 1, play.Fret, 4, nil)
	c.is("StillMM", c.change(1, i, g, plain)[play.Shift], 0)
	h := &c.m.moments[1].hands[g]
	c.is("StillMM", h.touch, 6)
	// After a rest as long as freeSeconds the hand may be anywhere.
	st := c.m.newStage(1)
	free := hand{pos: 300, since: st.mo.sec - inForce.FreeSeconds}
	late := hand{pos: 300, since: st.mo.sec - inForce.FreeSeconds + 0.01}
	c.rule("free after freeSeconds", st.leaves(&free).loose, true)
	c.rule("free before freeSeconds", st.leaves(&late).loose, false)
	c.is("FreeSeconds", inForce.FreeSeconds, 1.5)

	// The slide set down on D5 after a fretted B4, a second between: landing, and the other way.
	c.set(nil, 71, 74, 71)
	i, g = c.hand(0, 1, play.Fret, 1, nil), c.hand(1, 1, play.Slide, 0, nil)
	c.is("LandOn Land LandTime", c.change(1, i, g, plain)[play.Land], inForce.LandOn+inForce.Land*inForce.LandTime*inForce.LandTime)
	c.is("LandOff", c.change(2, g, c.hand(2, 1, play.Fret, 1, nil), plain)[play.Land], inForce.LandOff)
	c.set(func(r *Request) { r.Tempo = 400; r.Tune.Tempos[0].BPM = 400 }, 71, 74)
	slow := inForce.LandTime / 0.15
	c.is("LandTime", c.change(1, c.hand(0, 1, play.Fret, 1, nil), c.hand(1, 1, play.Slide, 0, nil), plain)[play.Land],
		inForce.LandOn+inForce.Land*slow*slow)

	// D5 on string 1, then A3 open on string 2 or at fret 3 of string 3: one string, or two.
	c.set(nil, 74, 57)
	i = c.hand(0, 1, play.Fret, 1, nil)
	c.is("StringStep", c.change(1, i, c.hand(1, 2, play.Open, 0, nil), plain)[play.StringMove], inForce.StringStep)
	c.is("StringStep FingerHop", c.change(1, i, c.hand(1, 3, play.Fret, 1, nil), plain)[play.StringMove], 2*inForce.StringStep+inForce.FingerHop)
	c.is("FingerHop", c.change(1, i, c.hand(1, 3, play.Fret, 2, nil), plain)[play.StringMove], 2*inForce.StringStep)
	// E4 over A3, then G4 over C4, whose lower voice goes from string 2 to string 3: what it costs beyond a model without PairStep.
	lower := func(per float64) float64 {
		w := inForce
		w.PairStep = per
		c.set(func(r *Request) {
			r.Weights = &w
			for i, low := range []int{57, 60} {
				r.Tune.Notes[i].With = []pitch.Note{pitch.Spell(pitch.Midi(low), false)}
			}
		}, 64, 67)
		on := func(str int) func(*hand) bool { return func(h *hand) bool { return h.stops[1].str == str } }
		return c.change(1, c.hand(0, 1, play.Fret, 1, on(2)), c.hand(1, 1, play.Fret, 1, on(3)), plain)[play.StringMove]
	}
	c.is("PairStep", lower(inForce.PairStep)-lower(0), inForce.PairStep)
	// Harp-like: crossing two strings is free, and a note on the last one's string ends it.
	harp := func(midis ...int) {
		c.set(func(r *Request) { r.Player.Lean, r.Player.Silence = player.LeanNone, player.Ring }, midis...)
	}
	harp(64, 66)
	i = c.hand(0, 1, play.Fret, 1, nil)
	c.is("RingCut", c.change(1, i, c.hand(1, 1, play.Fret, 3, nil), plain)[play.StringMove], inForce.RingCut)
	harp(74, 57)
	i = c.hand(0, 1, play.Fret, 1, nil)
	c.is("neighbours", c.change(1, i, c.hand(1, 2, play.Open, 0, nil), plain)[play.StringMove], 0)
	c.is("StringStep", c.change(1, i, c.hand(1, 4, play.Fret, 1, nil), plain)[play.StringMove], inForce.StringStep+inForce.FingerHop)

	// Trailing over four strings instead of one, the tip from string 1 to string 3.
	c.set(func(r *Request) { r.Player.Silence = player.Trailing }, 74, 66)
	from := c.hand(0, 1, play.Slide, 0, func(h *hand) bool { return h.trails == 1 })
	to := c.hand(1, 3, play.Slide, 0, func(h *hand) bool { return h.from == 1 && h.trails == 6 })
	ch := c.change(1, from, to, plain)
	c.is("TrailMove", ch[play.Damping], 5*inForce.TrailMove)
	c.is("CoverMove", ch[play.Intonation], 2*inForce.CoverMove)

	// G4 held on string 1 at fret 5 over G: at the second stroke of the thumb the tube reaches for the G on string 6.
	c.set(func(r *Request) {
		r.Thumb, r.Tune.Notes[0].Dur, r.Tune.Length = pattern.Steady, 8*tune.Quarter, 8*tune.Quarter
		r.Tune.Chords[0].Chord, _ = chord.Parse("G")
	}, 67)
	from = c.hand(0, 1, play.Slide, 0, func(h *hand) bool { return h.covers == 1 && h.bass.str == 0 })
	to = c.hand(1, 1, play.Slide, 0, func(h *hand) bool { return h.covers == 6 })
	c.is("CoverHeld", c.change(1, from, to, plain)[play.Intonation], 5*inForce.CoverHeld)
	c.is("BassNeck", c.options(1, to)[6].cost[play.Place], 5*inForce.BassNeck)
	// A2 falls to a thirtieth, its end, in 3.45 times its ring time of 2.86 s: with a stroke a second it rings on.
	held := &c.m.moments[0].hands[from]
	c.rule("a bass string rings on", c.m.newStage(1).ringInAfter(held, ring.Of(5), held).live == ring.Of(5), true)
	c.m.moments[1].faded = ring.Of(5)
	c.rule("a bass string rings for ever", c.m.newStage(1).ringInAfter(held, ring.Of(5), held).live == ring.Of(5), false)
}

// holding: spreads, bars, the thumb over the neck, what trailing costs, tone and lean.
func (c *termCase) holding() {
	two := func(a, b int) func(*Request) {
		return func(r *Request) {
			r.Player.Lean = player.LeanNone
			for i := range r.Tune.Notes {
				r.Tune.Notes[i].With = []pitch.Note{pitch.Spell(pitch.Midi(b), false)}
			}
		}
	}
	// E4 and B4 together: strings 2 and 1 are A3 and D4, so string 2 at 7 with 9 above on string 1. Fingers 1
	// and 3 lie a fret each, 1 and 2 a fret too wide, 1 and 4 a fret too close.
	c.set(two(71, 64), 71)
	upper := func(finger int) int {
		return c.hand(0, 1, play.Fret, finger, func(h *hand) bool { return h.stops[1].str == 2 && h.stops[1].finger == 1 })
	}
	c.is("Cramped", c.own(0, upper(3))[play.Stretch], 0)
	c.is("Cramped", c.own(0, upper(4))[play.Stretch], inForce.Cramped)
	c.set(func(r *Request) { two(78, 71)(r); r.Player.ReachMM = 180 }, 78) // frets 14 and 16
	share := (x(16) - x(14)) / (0.42 * 180)
	c.is("Stretch", c.own(0, upper(2))[play.Stretch], inForce.Stretch*share*share)
	// Both at fret 9: F#4 on string 2, B4 on string 1, one finger flat.
	c.set(two(71, 66), 71)
	g := upper(1)
	c.is("BarEffort", c.own(0, g)[play.Stretch], inForce.BarEffort)
	// E2 on string 6 at fret 2, the thumb over the neck.
	c.set(nil, 40)
	c.is("ThumbEffort", c.own(0, c.hand(0, 6, play.Fret, thumbOver, nil))[play.Stretch], inForce.ThumbEffort)
	// F#5 on string 1 at fret 16: four frets over the body.
	c.set(nil, 78)
	c.is("Body BodyJoint NeckPer", c.own(0, c.hand(0, 1, play.Fret, 1, nil))[play.Place], 16*inForce.NeckPer+(16-inForce.BodyJoint)*inForce.Body)
	// Bends: string 1 up to D5 from 11.5, 11 and 10.
	c.set(func(r *Request) { r.Tune.Notes[0].Note.Cents = 50 }, 74)
	c.is("BendQuarter BendPitch", c.own(0,
		c.hand(0, 1, play.Bend, 3, func(h *hand) bool { return !h.hooked() && h.stops[0].held == 12 }))[play.Stretch], inForce.BendQuarter)
	c.set(nil, 74)
	pushed := func(held float64) func(*hand) bool {
		return func(h *hand) bool { return !h.hooked() && h.stops[0].held == held }
	}
	c.is("BendHalf", c.own(0, c.hand(0, 1, play.Bend, 3, pushed(11)))[play.Stretch], inForce.BendHalf)
	c.is("BendWhole", c.own(0, c.hand(0, 1, play.Bend, 3, pushed(10)))[play.Stretch], inForce.BendWhole)
	c.is("BendPitch", c.own(0, c.hand(0, 1, play.Bend, 3, pushed(10)))[play.Intonation], inForce.BendPitch)
	c.is("BendHook", c.own(0, c.hand(0, 1, play.Bend, 1, func(h *hand) bool { return h.hooked() }))[play.Hand], inForce.BendHook)

	// The slide at fret 12, and beyond the last fret of a guitar with ten; on its tip; with trailing fingers.
	c.set(nil, 74)
	flat := func(h *hand) bool { return h.from == 1 }
	c.is("Intonation EasyWindow", c.own(0, c.hand(0, 1, play.Slide, 0, flat))[play.Intonation], inForce.Intonation*inForce.EasyWindow/window(12))
	c.set(func(r *Request) { r.Player.Instrument.Frets = 10 }, 74)
	c.is("Beyond", c.own(0, c.hand(0, 1, play.Slide, 0, flat))[play.Intonation], inForce.Intonation*inForce.EasyWindow/window(12)+2*inForce.Beyond)
	c.set(nil, 69)
	c.is("TipAngle", c.own(0, c.hand(0, 2, play.Slide, 0, func(h *hand) bool { return h.from == 2 }))[play.Intonation],
		inForce.Intonation*inForce.EasyWindow/window(12)+inForce.TipAngle)
	c.set(func(r *Request) { r.Player.Silence = player.Trailing }, 69)
	own := c.own(0, c.hand(0, 2, play.Slide, 0, func(h *hand) bool { return h.from == 1 && h.trails == 2 }))
	c.is("TrailEffort TrailPer", own[play.Damping], inForce.TrailEffort+2*inForce.TrailPer)
	c.is("SlideTouch", own[play.Leak], inForce.SlideTouch)
	c.is("BehindRing", c.own(0, c.hand(0, 2, play.Slide, 0, func(h *hand) bool { return h.from == 1 && h.trails == 0 }))[play.Leak],
		inForce.SlideTouch+inForce.BehindRing)
	c.is("freeTrailing", freeTrailing, 3)
	c.set(func(r *Request) { r.Player.Silence, r.Thumb = player.Trailing, pattern.Steady }, 74)
	c.rule("beside a playing thumb fingers trail over string 4", slices.Contains(c.m.trailOptions(1), 4), false)
	c.rule("beside a playing thumb fingers trail over string 3", slices.Contains(c.m.trailOptions(1), 3), true)

	c.slant()
	c.places()
	c.tone()
}

// places: what lies where on the neck. In open D a bar sounds D at 0 and 12, G at 5.
func (c *termCase) places() {
	place := func(str int, how play.How, finger int) float64 {
		return c.own(0, c.hand(0, str, how, finger, func(h *hand) bool { return h.bass.str == 0 }))[play.Place]
	}
	c.set(nil, 74) // D5: string 1 at 12, string 2 at 17, string 3 at 20
	c.is("SlideFret", place(1, play.Slide, 0), 12*inForce.SlideFret)
	c.is("SlideString OffBar", place(2, play.Slide, 0), inForce.SlideString+17*inForce.SlideFret+inForce.OffBar)
	c.is("SlideString OffBar", place(3, play.Slide, 0), 2*inForce.SlideString+20*inForce.SlideFret+inForce.OffBar)
	c.is("NeckPer", place(1, play.Fret, 1), 12*inForce.NeckPer)
	c.set(nil, 64) // E4 on string 1 at 2, two frets below lowFret, off the bar
	c.is("SlideLow", place(1, play.Slide, 0), 2*inForce.SlideFret+2*inForce.SlideLow+inForce.OffBar)
	// Over E in A no open string is home: fret 1 of string 1 lies three frets below lowFret, and below E's bar at 2.
	c.set(func(r *Request) {
		*r.Tune = *coretest.Line('A', 60, tune.Quarter, "E", coretest.Notes(63)...)
	}, 63)
	c.is("SlideAway", place(1, play.Slide, 0), inForce.SlideFret+3*inForce.SlideAway+inForce.OffBar)
	// Over G the bar lies at 5: fret 8 is in the box over it, fret 9 is not.
	c.set(func(r *Request) { *r.Tune = *coretest.Line('D', 60, tune.Quarter, "G", coretest.Notes(70)...) }, 70)
	c.is("OffBox", place(1, play.Slide, 0), 8*inForce.SlideFret+inForce.OffBox)
	c.set(func(r *Request) { *r.Tune = *coretest.Line('D', 60, tune.Quarter, "G", coretest.Notes(71)...) }, 71)
	c.is("OffBar", place(1, play.Slide, 0), 9*inForce.SlideFret+inForce.OffBar)
	c.set(func(r *Request) { // over G: at 5 under the bar, the root of the thumb on string 6 at 5
		*r.Tune = *coretest.Line('D', 60, tune.Quarter, "G", coretest.Notes(67)...)
		r.Thumb = pattern.Steady
	}, 67)
	c.is("OffBar", place(1, play.Slide, 0), 5*inForce.SlideFret)
	low := c.hand(0, 1, play.Fret, 2, func(h *hand) bool { return h.bass.str == 6 && h.bass.fret == 5 && h.bass.finger == 1 })
	c.is("BassNeck", c.own(0, low)[play.Place], 5*inForce.NeckPer+5*inForce.BassNeck)
	c.set(func(r *Request) { // D4 over G: string 1 open, and string 2 under the bar at 5
		*r.Tune = *coretest.Line('D', 60, tune.Quarter, "G", coretest.Notes(62)...)
		r.Player.Lean = player.LeanSlide
	}, 62)
	c.is("OpenBar", place(1, play.Open, 0), inForce.OpenBar)
	// In position 5 fret 9 lies one fret outside, fret 12 two and more, fret 7 within; open strings are for positions 1 to 3.
	stay := func(at float64) func(*Request) {
		return func(r *Request) { r.Pins = []play.Pin{{Part: play.Position, Fret: at, To: r.Tune.Length}} }
	}
	c.set(stay(5), 71)
	c.is("OffPosition", place(1, play.Fret, 1), inForce.OffPosition+9*inForce.NeckPer)
	c.set(stay(5), 74)
	c.is("OffPosition", place(1, play.Fret, 1), 2*inForce.OffPosition+12*inForce.NeckPer)
	c.set(stay(5), 69)
	c.is("OffPosition", place(1, play.Fret, 3), 0)
	c.set(stay(5), 62)
	c.is("OffPosition", place(1, play.Open, 0), 2*inForce.OffPosition)
	c.set(stay(3), 62)
	c.is("openPositions", place(1, play.Open, 0), 0)
	// A minor pentatonic in standard lies at home from 5 to 8: C5 on string 1 at 8, fretted or slid.
	c.set(func(r *Request) {
		r.Tuning, r.Player.Lean, r.Tune.Key = coretest.Tuning("Standard"), player.LeanMixed, tune.Key{Tonic: pitch.Note{Letter: 'A'}, Minor: true}
	}, 72)
	c.is("AtHome", place(1, play.Fret, 1), inForce.AtHome)
	c.is("AtHome", place(1, play.Slide, 0), inForce.AtHome)
	at := func(key byte, minor bool, lean string) frets {
		c.set(func(r *Request) {
			r.Tuning, r.Player.Lean = coretest.Tuning("Standard"), lean
			r.Tune.Key = tune.Key{Tonic: pitch.Note{Letter: key}, Minor: minor}
		}, 69)
		return c.m.home
	}
	c.rule("home of A minor in standard is at 5 to 8", at('A', true, player.LeanSlide) == 0b1111<<5, true)
	c.rule("home of E minor in standard is at 12 to 15", at('E', true, player.LeanMixed) == 0b1111<<12, true)
	c.rule("home of a major key", at('A', false, player.LeanSlide) == 0, true)
	c.rule("home of a player who mostly frets", at('A', true, player.LeanFret) == 0, true)
	for name, want := range map[string]uint16{"D": 1 << 0, "G": 1 << 5, "A7": 1 << 7, "Em": 0} {
		c.set(func(r *Request) { *r.Tune = *coretest.Line('D', 60, tune.Quarter, name, coretest.Notes(67)...) }, 67)
		c.rule("the bars of "+name, c.m.moments[0].bars == want, true)
	}
	c.set(func(r *Request) { // strings 2 to 4 of standard spell G, 1 to 3 E minor
		*r.Tune = *coretest.Line('G', 60, tune.Quarter, "G Am", coretest.Notes(67, 67, 67, 67, 69)...)
		r.Tuning = coretest.Tuning("Standard")
	}, 67)
	c.rule("the bars of G and Am in standard", c.m.moments[0].bars == 1 && c.m.moments[4].bars == 1<<5, true)
	// A short note may miss by more: at 120 a minute an eighth takes 0.25 s, at 60 a quarter a second.
	c.set(func(r *Request) { *r.Tune = *coretest.Line('D', 120, tune.Quarter/2, "D", coretest.Notes(74)...) }, 74)
	g := c.hand(0, 1, play.Slide, 0, nil)
	c.is("QuickWindow QuickNote", c.own(0, g)[play.Intonation], inForce.Intonation*inForce.EasyWindow/(window(12)*inForce.QuickWindow))
	c.is("QuickWindow", c.m.moments[0].hands[g].narrow/c.m.window(12), inForce.QuickWindow)
	c.set(func(r *Request) { r.Tempo = 60 / (1.5 * inForce.QuickNote) }, 74) // half way to a long note
	c.is("QuickNote", c.own(0, c.hand(0, 1, play.Slide, 0, nil))[play.Intonation],
		inForce.Intonation*inForce.EasyWindow/(window(12)*(1+(inForce.QuickWindow-1)/2)))
}

// slant: fret 12 of string 1 and 11 of string 5 at once, as a share of the steepest angle of a bar.
func (c *termCase) slant() {
	c.set(func(r *Request) {
		r.Player.Posture, r.Player.Silence = player.Lap, player.Ring
		r.Tune.Notes[0].With = []pitch.Note{pitch.Spell(pitch.Midi(45+11), false)}
	}, 62+12)
	g := c.hand(0, 1, play.Slide, 0, func(h *hand) bool { return h.stops[1].str == 5 && h.stops[1].fret == 11 })
	spacing := (36 + (54-36)*x(11)/648) / 5
	share := (x(12) - x(11)) / (4 * spacing) / math.Tan(35*math.Pi/180)
	c.is("Slant", c.own(0, g)[play.Intonation], inForce.Intonation*inForce.EasyWindow/window(12)+inForce.Slant*share)
	// A tube on a finger is slanted by 12 degrees at most, a bar that the hand holds by 35.
	for _, tt := range []struct {
		posture  string
		degrees  float64
		possible bool
	}{{player.Upright, 11.9, true}, {player.Upright, 12.1, false}, {player.Lap, 34.9, true}, {player.Lap, 35.1, false}} {
		c.set(func(r *Request) { r.Player.Posture = tt.posture }, 74)
		away := tt.degrees / 45
		for range 60 { // the fret at which the angle is just that
			away *= math.Tan(tt.degrees*math.Pi/180) / c.m.slantOf(&stop{str: 1, fret: 5 + away}, &stop{str: 6, fret: 5})
		}
		c.rule(fmt.Sprintf("a slant of %.1f degrees, %s", tt.degrees, tt.posture), c.m.slants(&stop{str: 1, fret: 5 + away}, &stop{str: 6, fret: 5}), tt.possible)
	}
}

// tone: what suits a note of a second and one of a quarter of it, at a phrase end or not.
func (c *termCase) tone() {
	// Two quarters of a second: the last ends the phrase, the first does not.
	c.set(nil, 74, 57)
	long := min(1, 1/inForce.LongNote)
	c.is("LongFretted LongNote", c.own(0, c.hand(0, 1, play.Fret, 1, nil))[play.Tone], inForce.LongFretted*long)
	c.is("PhraseEnd", c.own(1, c.hand(1, 3, play.Fret, 1, nil))[play.Tone], (inForce.LongFretted+inForce.PhraseEnd)*long)
	c.is("OpenSustained", c.own(1, c.hand(1, 2, play.Open, 0, nil))[play.Tone], (inForce.LongFretted+inForce.PhraseEnd)*long*inForce.OpenSustained)
	c.is("Harmonic", c.own(0, c.hand(0, 1, play.Harmonic, 1, nil))[play.Tone], inForce.LongFretted*long+inForce.Harmonic)
	c.is("HarmonicAim", c.own(0, c.hand(0, 1, play.Harmonic, 1, nil))[play.Intonation], inForce.HarmonicAim)
	c.is("SlideNeeds", c.own(0, c.hand(0, 1, play.Slide, 0, nil))[play.Tone], 0)
	// At 400 a minute a quarter takes 0.15 s.
	c.set(func(r *Request) { r.Tempo = 400 }, 74, 57)
	c.is("ShortSlide SlideNeeds", c.own(0, c.hand(0, 1, play.Slide, 0, nil))[play.Tone],
		inForce.ShortSlide*max(0, inForce.SlideNeeds-0.15)/inForce.SlideNeeds)
	// A lower voice counts a share: D5 fretted, A3 open.
	c.set(func(r *Request) { r.Tune.Notes[0].With = []pitch.Note{pitch.Spell(pitch.Midi(57), false)} }, 74, 57)
	g := c.hand(0, 1, play.Fret, 1, func(h *hand) bool { return h.stops[1].how == play.Open })
	c.is("With", c.own(0, g)[play.Tone], inForce.LongFretted*long*(1+inForce.With*inForce.OpenSustained))
	// Against the lean: mostly slide.
	c.set(func(r *Request) { r.Player.Lean = player.LeanSlide }, 74, 57)
	c.is("Lean", c.own(0, c.hand(0, 1, play.Fret, 1, nil))[play.School], inForce.Lean)
	c.is("Lean", c.own(0, c.hand(0, 1, play.Slide, 0, nil))[play.School], 0)
	c.is("Lean", c.own(1, c.hand(1, 2, play.Open, 0, nil))[play.School], 0)
	// Slide for the peaks: D5 in the middle of the phrase is neither, the highest and the last are.
	c.set(func(r *Request) { r.Player.Lean = player.LeanFret }, 74, 76, 57)
	for t, want := range []float64{inForce.LeanPeaks, 0, 0} {
		str := []int{1, 1, 3}[t]
		c.is("LeanPeaks", c.own(t, c.hand(t, str, play.Slide, 0, nil))[play.School], want)
	}
	// Mixed: a second is long; a fifth of one is short, and then only what lies under the bar is slid, as D at
	// 12 does and E at 14 does not; the peak, F# at 16, always.
	mixed := func(t, str int, how play.How, finger int) float64 {
		return c.own(t, c.hand(t, str, how, finger, nil))[play.School]
	}
	c.set(nil, 76, 78, 57)
	c.is("MixedFret MixedLong", mixed(0, 1, play.Fret, 1), inForce.MixedFret)
	c.is("MixedSlide MixedLong", mixed(0, 1, play.Slide, 0), 0)
	c.set(func(r *Request) { r.Tempo = 300 }, 74, 76, 78, 57)
	c.is("MixedFret", mixed(0, 1, play.Fret, 1), inForce.MixedFret)
	c.is("MixedFret", mixed(1, 1, play.Fret, 1), 0)
	c.is("MixedSlide", mixed(0, 1, play.Slide, 0), 0)
	c.is("MixedSlide", mixed(1, 1, play.Slide, 0), inForce.MixedSlide)
	c.is("MixedFret", mixed(2, 1, play.Fret, 1), inForce.MixedFret)
	c.is("MixedSlide", mixed(2, 1, play.Slide, 0), 0)
	// Too short to sing at all, the bar does not matter.
	c.set(func(r *Request) {
		*r.Tune = *coretest.Line('D', 60/(inForce.SlideNeeds-0.001)/2, tune.Quarter/2, "D", coretest.Notes(74, 76, 57)...)
	}, 74)
	c.is("MixedFret SlideNeeds", mixed(0, 1, play.Fret, 1), 0)
	c.is("MixedSlide SlideNeeds", mixed(0, 1, play.Slide, 0), inForce.MixedSlide)
}

// techniques: how notes are sounded from what was held.
func (c *termCase) techniques() {
	kind := func(t, i, g int) (attack, float64) {
		y := tally{}
		a, _ := c.m.newStage(t).legato(&c.m.newStage(t).before[i], &c.m.moments[t].hands[g], &y)
		return a, y.sum
	}
	sounded := func(weights string, t, i, g int, want attack, cost float64) {
		c.Helper()
		a, got := kind(t, i, g)
		c.is(weights, got, cost)
		c.rule(weights+" by its attack", a == want, true)
	}
	// D5 to E5 on string 1, frets 12 and 14, and back.
	c.set(nil, 74, 76, 74)
	at12, at14 := c.hand(0, 1, play.Fret, 1, nil), c.hand(1, 1, play.Fret, 3, nil)
	// Over beats slurs are dear, and quarters of a second are too long for them; two at a time they are not.
	slow := inForce.SlurBeat + inForce.SlurLong
	sounded("Hammer SlurBeat SlurLong", 1, at12, at14, hammerOn, inForce.Hammer+slow)
	sounded("Ghost", 1, c.hand(0, 1, play.Fret, 3, nil), c.hand(1, 1, play.Fret, 1, nil), ghost, inForce.Ghost)
	sounded("Pull", 2, at14, c.hand(2, 1, play.Fret, 1, nil), pullOff, inForce.Pull+slow)
	sounded("Ghost", 2, c.hand(1, 1, play.Fret, 1, nil), c.hand(2, 1, play.Fret, 3, nil), ghost, inForce.Ghost)
	c.set(nil, 74, 74, 74, 76, 74) // the last of them begins a bar
	sounded("SlurBar", 4, c.hand(3, 1, play.Fret, 3, nil), c.hand(4, 1, play.Fret, 1, nil), pullOff, inForce.Pull+slow+inForce.SlurBar)
	c.set(nil, 74, 76, 74)
	slid12, slid14 := c.hand(0, 1, play.Slide, 0, nil), c.hand(1, 1, play.Slide, 0, nil)
	sounded("GlideOn GlidePer", 1, slid12, slid14, glideOn, inForce.GlideOn+2*inForce.GlidePer)
	bent := c.hand(1, 1, play.Bend, 3, func(h *hand) bool { return !h.hooked() && h.stops[0].held == 12 })
	sounded("BendOn", 1, c.hand(0, 1, play.Fret, 3, nil), bent, bendOn, inForce.BendOn)
	c.set(func(r *Request) { *r.Tune = *coretest.Line('D', 120, tune.Quarter/2, "D", coretest.Notes(74, 76)...) }, 74)
	sounded("Hammer SlurNeeds", 1, c.hand(0, 1, play.Fret, 1, nil), c.hand(1, 1, play.Fret, 3, nil), hammerOn, inForce.Hammer)
	c.set(func(r *Request) {
		*r.Tune = *coretest.Line('D', 60/(1.5*inForce.SlurNeeds)/2, tune.Quarter/2, "D", coretest.Notes(74, 76)...)
	}, 74)
	sounded("SlurNeeds SlurLong", 1, c.hand(0, 1, play.Fret, 1, nil), c.hand(1, 1, play.Fret, 3, nil), hammerOn, inForce.Hammer+inForce.SlurLong/2)
	// The tool of a phrase: from slide to finger and back, and to an open string.
	c.set(nil, 74, 57, 74)
	tool := func(t, i, g int) float64 {
		var y play.Terms
		c.m.newStage(t).toolCost(&c.m.newStage(t).before[i], &c.m.moments[t].hands[g], &tally{by: &y})
		return y[play.Tone]
	}
	slid, fretted := c.hand(0, 1, play.Slide, 0, nil), c.hand(0, 1, play.Fret, 1, nil)
	c.is("ToolChange", tool(1, slid, c.hand(1, 3, play.Fret, 1, nil)), inForce.ToolChange)
	c.is("ToolChange", tool(1, fretted, c.hand(1, 3, play.Slide, 0, nil)), inForce.ToolChange)
	c.is("ToolChange", tool(1, slid, c.hand(1, 3, play.Slide, 0, nil)), 0)
	c.is("ToolOpen", tool(1, slid, c.hand(1, 2, play.Open, 0, nil)), inForce.ToolOpen)
	c.is("ToolOpen", tool(1, fretted, c.hand(1, 2, play.Open, 0, nil)), 0)
	c.is("ToolOpen", tool(2, c.hand(1, 2, play.Open, 0, nil), c.hand(2, 1, play.Slide, 0, nil)), 0)
	// Seven half steps are carried, eight are not.
	c.set(nil, 69, 76, 77)
	sounded("glideMost", 1, c.hand(0, 1, play.Slide, 0, nil), c.hand(1, 1, play.Slide, 0, nil), glideOn, inForce.GlideOn+7*inForce.GlidePer)
	c.set(nil, 69, 77)
	sounded("glideMost", 1, c.hand(0, 1, play.Slide, 0, nil), c.hand(1, 1, play.Slide, 0, nil), plain, 0)

	// Gliding in: half a fret is wide enough, and it takes scoopTime more. The peak struck plainly.
	c.set(nil, 71, 74)
	i, g := c.hand(0, 1, play.Slide, 0, nil), c.hand(1, 1, play.Slide, 0, nil)
	ch := c.change(1, i, g, scoop)
	need := fitts(x(9)-x(6), inForce.FretTarget*(x(12)-x(11))) + inForce.ScoopTime // the slide on finger 4: the index lies three frets behind
	c.is("ScoopTime", ch[play.Shift], inForce.Shift*need*need)
	c.is("Scoop", ch[play.Intonation], inForce.Scoop)
	ch = c.change(1, i, g, plain)
	need = fitts(x(9)-x(6), window(12))
	c.is("PeakPlain", ch[play.Tone], inForce.PeakPlain)
	c.is("Shift", ch[play.Shift], inForce.Shift*need*need)
	c.is("scoopFrets", float64(scoopFrets), 1)
	c.rule("a long slide note is glided into", c.m.newStage(1).scoops(&c.m.moments[1].hands[g]), true)
	c.set(func(r *Request) { r.Tempo = 60 / (inForce.ScoopNeeds - 0.01) }, 71, 74)
	c.rule("a short one is not", c.m.newStage(1).scoops(&c.m.moments[1].hands[c.hand(1, 1, play.Slide, 0, nil)]), false)
	c.is("ScoopNeeds", inForce.ScoopNeeds, 0.4)
	// Tapped at 14 over the 12 that follows.
	c.set(nil, 76, 74)
	c.is("Tap", c.own(0, c.hand(0, 1, play.Tapped, 1, nil))[play.Hand], inForce.Tap)
	sounded("Pull", 1, c.hand(0, 1, play.Tapped, 1, nil), c.hand(1, 1, play.Fret, 1, nil), pullOff, inForce.Pull)
	sounded("Ghost", 1, c.hand(0, 1, play.Tapped, 1, nil), c.hand(1, 1, play.Fret, 2, nil), ghost, inForce.Ghost)
	pulled, _ := kind(1, c.hand(0, 1, play.Tapped, 3, nil), c.hand(1, 1, play.Bend, 3, func(h *hand) bool { return !h.hooked() }))
	c.rule("a tap is pulled off to a bend", pulled == pullOff, false)
	c.set(nil, 45)
	over, _ := c.m.newStage(0).legatoKind(nil, &c.m.moments[0].hands[c.hand(0, 6, play.Fret, thumbOver, nil)])
	open, _ := c.m.newStage(0).legatoKind(nil, &c.m.moments[0].hands[c.hand(0, 5, play.Open, 0, nil)])
	c.rule("the thumb over the neck or an open string is hammered from nowhere", over == ghost || open == ghost, false)
}
