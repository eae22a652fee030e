package plan

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
)

// checkPlan holds for every plan, whatever the model's costs: what two hands cannot do does not
// are in it. It looks only at what players see, not at the solver's states.
func checkPlan(t *testing.T, p *Plan) {
	t.Helper()
	c := planCheck{T: t, p: p, pl: &p.Request.Player, capo: float64(p.Request.Capo)}
	var total play.Terms
	for i := range p.Moments {
		c.mo, c.last = &p.Moments[i], nil
		if i > 0 {
			c.last = &p.Moments[i-1]
		}
		total.Add(&c.mo.Cost)
		c.pitches()
		c.leftHand()
		c.slide()
		c.digits()
		c.strings()
		c.legato()
	}
	if total.Sum() != p.Total {
		t.Errorf("the moments cost %v, the plan says %v", total.Sum(), p.Total)
	}
}

type planCheck struct {
	*testing.T
	p        *Plan
	pl       *player.Profile
	capo     float64
	mo, last *play.Moment
}

func (c *planCheck) bad(format string, args ...any) {
	c.Helper()
	c.Errorf("at %s: %s", c.mo.At, fmt.Sprintf(format, args...))
}

// pitches: every stroke sounds what is written, one string for each.
func (c *planCheck) pitches() {
	used := map[int]bool{}
	for _, s := range c.mo.Strokes() {
		open := c.p.Request.Tuning.Open(s.String)
		got := float64(open) + 100*s.Fret
		if s.How == play.Harmonic {
			partial := map[float64]float64{12: 2, 7: 3, 5: 4}[s.Fret-c.capo]
			got = float64(open) + 100*c.capo + 1200*math.Log2(partial)
		}
		if math.Abs(got-float64(s.Note.Pitch())) > 5 {
			c.bad("string %d at %v (%s) sounds %.0f, %s is wanted", s.String, s.Fret, s.How, got, s.Note)
		}
		if used[s.String] {
			c.bad("string %d is struck twice", s.String)
		}
		used[s.String] = true
		if c.mo.Strings[s.String-1].State != play.Struck {
			c.bad("struck string %d is %s", s.String, c.mo.Strings[s.String-1].State)
		}
		if s.How == play.Open && s.Fret != c.capo {
			c.bad("an open string at fret %v", s.Fret)
		}
	}
	if mo := c.mo; mo.Stroke != "" && (mo.Thumb == nil) != (mo.Dropped || mo.RingsOn) {
		c.bad("thumb %+v, left out %v", mo.Thumb, mo.Dropped)
	}
}

// leftHand: the slide finger does not fret, nor any finger in front of it while it sounds;
// fingers lie in fret order within the reach, each in one place.
func (c *planCheck) leftHand() {
	fingers := c.mo.Hand.Fingers
	if c.pl.Lap() && len(fingers) > 0 {
		c.bad("a lap-style player frets: %+v", fingers)
	}
	for _, s := range c.mo.Strokes() { // what the stroke says is where the hand has its finger
		if s.Finger != "" && s.Finger != "S" && s.How != play.Tapped && !slices.ContainsFunc(fingers,
			func(f play.FingerAt) bool { return f.Finger == s.Finger && f.String == s.String }) {
			c.bad("string %d is said to be held by finger %s: %+v", s.String, s.Finger, fingers)
		}
	}
	sf := c.pl.WornOn()
	for i, a := range fingers {
		if a.Finger == fmt.Sprint(sf) || c.mo.Hand.SlideOn && a.Finger > fmt.Sprint(sf) && a.Finger != "T" {
			c.bad("finger %s frets beside slide finger %d", a.Finger, sf)
		}
		if a.Finger == "T" && (a.String != 6 || !c.pl.ThumbOver) {
			c.bad("the thumb over the neck on string %d", a.String)
		}
		for _, b := range fingers[:i] {
			if a.Finger == "T" || b.Finger == "T" {
				continue
			}
			lo, hi := b, a
			if lo.Finger > hi.Finger {
				lo, hi = hi, lo
			}
			if lo.Fret > hi.Fret || lo.Finger == hi.Finger && (lo.Finger != "1" || lo.Fret != hi.Fret) {
				c.bad("fingers out of order: %+v %+v", lo, hi)
			}
			scale := c.pl.Neck()
			if mm := scale.X(float64(hi.Fret)-c.capo) - scale.X(float64(lo.Fret)-c.capo); mm > c.pl.ReachMM {
				c.bad("fingers %s and %s span %.0f mm", lo.Finger, hi.Finger, mm)
			}
		}
	}
}

// slide: it reaches every note slid, is long enough, and lies on no open string that sounds.
func (c *planCheck) slide() {
	h := &c.mo.Hand
	for _, s := range c.mo.Strokes() {
		under := h.SlideOn && s.String >= h.From && s.String <= h.Covers
		if slid := s.How == play.Slide || s.How == play.Glide; slid != under {
			c.bad("string %d is %s, the slide %+v", s.String, s.How, *h)
		} else if slid && !h.Slant && s.Fret != h.SlideFret {
			c.bad("string %d at %v under a slide at %v", s.String, s.Fret, h.SlideFret)
		}
		if s.How == play.Open && s.String <= h.Trails {
			c.bad("fingers trail across open string %d", s.String)
		}
	}
	if !h.SlideOn {
		return
	}
	if h.From == 1 && c.pl.Neck().SlideLength(h.Covers, h.SlideFret-c.capo) > c.pl.Slide.LengthMM {
		c.bad("the slide is too short for %d strings", h.Covers)
	}
	if h.From != 1 && (h.From != h.Covers || h.Trails > 0) {
		c.bad("on its tip: %+v", *h)
	}
	if c.pl.Lean == player.LeanNone {
		c.bad("a slide that nobody wears")
	}
}

// digits: in string order, one string each unless it brushes; the thumb plays bass or melody.
func (c *planCheck) digits() {
	last := 7
	for _, at := range c.mo.Digits {
		if at == 0 {
			continue
		}
		if at >= last {
			c.bad("digits out of order: %v", c.mo.Digits)
		}
		last = at
	}
	by := map[play.Digit]int{}
	for _, s := range c.mo.Strokes() {
		if s.Digit != "" {
			by[s.Digit]++
		}
		if s.Digit != "" && s.Digit.Number() > c.pl.Fingers && s.How != play.Tapped {
			c.bad("%s plucks, the player uses %d fingers", s.Digit, c.pl.Fingers)
		}
	}
	for d, n := range by {
		if n > 1 && !(c.mo.Brush && d == "i") && !c.mo.Flick {
			c.bad("%s plucks %d strings", d, n)
		}
	}
}

// strings: heel and dampers belong to the player's school and lie on nothing that sounds.
func (c *planCheck) strings() {
	school := c.p.m.school
	if c.mo.Heel > 0 && !school.Heel {
		c.bad("the heel is no damper of this school")
	}
	for i, st := range c.mo.Strings {
		s := i + 1
		if (st.State == play.Struck || st.State == play.Rings) &&
			(s > 6-c.mo.Heel || c.mo.Hand.SlideOn && s <= c.mo.Hand.Trails && s > c.mo.Hand.Covers) {
			c.bad("string %d sounds under heel or trailing fingers", s)
		}
		if (st.State == play.Silenced) != (st.By != "") || st.State == play.Leaks && st.DB >= 0.5 {
			c.bad("string %d: %+v", s, st)
		}
		allowed := map[play.Damper]bool{"heel": school.Heel, "trailing": school.Trailing, "tilt": school.Tilt,
			"p": school.ThumbRest || slices.ContainsFunc(c.mo.Strokes(), func(s *play.Stroke) bool { return s.Hook }),
			"i": school.Stops, "m": school.Stops, "a": school.Stops, "c": school.Little, "": true, play.Damper(c.mo.Hit): true}
		if !allowed[st.By] && !strings.HasPrefix(string(st.By), "finger") {
			c.bad("string %d is silenced by %s in school %s", s, st.By, c.pl.Silence)
		}
	}
}

// legato: a note without a digit comes from the note before it on its string, or from a finger
// hammered down.
func (c *planCheck) legato() {
	m := c.mo.Melody
	if m == nil || m.Digit != "" || m.How == play.Hammer && m.From == c.capo {
		return
	}
	if c.last == nil {
		c.bad("%s out of nothing", m.How)
		return
	}
	before := c.last.Melody
	if before == nil {
		before = c.last.Held
	}
	if before == nil || before.String != m.String {
		c.bad("%s on string %d after %+v", m.How, m.String, before)
		return
	}
	steps := float64(m.Note.Pitch()-before.Note.Pitch()) / float64(pitch.HalfStep)
	if (m.How == play.Hammer || m.How == play.Pull) && before.How != play.Open && m.How != play.Open && before.How != play.Tapped &&
		(m.Finger > before.Finger) != (m.How == play.Hammer) {
		c.bad("%s from finger %s to finger %s", m.How, before.Finger, m.Finger)
	}
	if m.How == play.Hammer && steps <= 0 || m.How == play.Pull && steps >= 0 || m.How == play.Glide && (steps == 0 || math.Abs(steps) > glideMost) {
		c.bad("%s by %v half steps", m.How, steps)
	}
}
