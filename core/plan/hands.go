package plan

import (
	"math"
	"math/bits"
	"slices"

	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/ring"
)

// hand is what the left hand holds at a moment.
type hand struct {
	voicing     // of the melody note sounding; n 0 if none
	line    int // its number among the note's voicings

	slide               bool    // on the strings
	fret                float64 // of the slide, on the thinnest string that it sounds
	from, covers        int     // strings that it touches: from is 1, or covers for the tip alone
	trails              int     // strings 1 … trails lie under the fingers behind it
	slant               float64 // share of the steepest angle
	bass                stop    // fretted bass note held; str 0 if none
	anchored            bool    // something holds the hand at pos
	pos                 float64 // where the index finger lies, mm from the nut
	lastPosition        int32   // of a free hand: which of the stage's lastPositions it carries on
	since               float64 // of a free hand: the second since when it is free …
	loose               bool    // … or it may be anywhere by now
	on                  [thumbOver + 1]int8
	under, trailed      ring.Strings // beneath the slide; silenced behind it
	sounding            ring.Strings // melody strings
	fingered            ring.Strings // strings that let go silently
	ownCost             float64      // cost of holding this hand, whatever came before
	barred              bool         // pins do not allow it at this moment
	shape, trace        int32
	narrow, wide, touch float64 // widths of the shift's target in mm; see target
}

// layHands lists the hands for a moment: anchored ones, and bare ones (nothing held) that
// still need a position; carry turns those into full hands. They are good until the next call.
func (m *model) layHands(t int) (anchored, bare []hand) {
	mo := &m.moments[t]
	options := []voicing{{}}
	if mo.sounding >= 0 {
		options = m.voicings[mo.sounding]
	}
	basses := m.bassStops(mo)
	anchored, bare = m.laid[0][:0], m.laid[1][:0]
	add := func(h hand) {
		h.finish()
		h.barred = !mo.handAllowed(&h)
		m.settle(mo, &h)
		if h.anchored {
			anchored = append(anchored, h)
		} else {
			bare = append(bare, h)
		}
	}
	for i, c := range options {
		h := hand{voicing: c, line: i}
		for _, s := range c.stops[:c.n] {
			if s.how == play.Slide {
				h.slide = true
			}
		}
		if h.slide {
			m.slideOver(mo, h, basses, add)
			continue
		}
		add(h)
		for _, b := range basses {
			if g := h; m.withBass(&h, &b) {
				g.bass = b
				add(g)
			}
		}
	}
	m.laid = [2][]hand{anchored, bare}
	return anchored, bare
}

// finish derives what follows from the stops and the slide.
func (h *hand) finish() {
	for i := range h.n {
		s := &h.stops[i]
		h.sounding |= ring.Of(s.str)
		if s.finger != 0 {
			h.on[s.finger] = int8(s.str)
		}
		if s.how == play.Fret || s.how == play.Bend || s.how == play.Tapped && s.finger != 0 {
			h.fingered |= ring.Of(s.str)
		}
	}
	if b := &h.bass; b.str != 0 && h.on[b.finger] == 0 {
		h.on[b.finger] = int8(b.str)
	}
	if h.slide {
		h.under = ring.Between(h.from, h.covers)
		h.trailed = ring.Upto(h.trails) &^ h.under
	}
}

// settle gives the hand its position and its own cost.
func (m *model) settle(mo *moment, h *hand) {
	sum, count := 0.0, 0
	at := func(x float64) { sum, count = sum+x, count+1 }
	if h.slide {
		at(m.slideIndex(h.fret))
	}
	if h.bass.str != 0 && !h.slide {
		at(m.indexAt(h.bass.fret, h.bass.finger))
	}
	for i := range h.n { // a written bass that is held holds the hand
		if s := &h.stops[i]; s.finger != 0 && !h.slide && (count == 0 || !m.written()) {
			at(m.indexAt(s.holds(), s.finger))
		}
	}
	if count > 0 {
		h.anchored, h.pos = true, sum/float64(count)
		m.target(mo, h)
	}
	y := tally{}
	m.holdCost(mo, h, &y)
	h.ownCost = y.sum
}

// written reports whether the thumb plays a bass that the tune has.
func (m *model) written() bool { return m.req.Thumb == pattern.Written }

// slideIndex is where the index finger lies with the slide at a fret; a bar is held there.
func (m *model) slideIndex(fret float64) float64 {
	if sf := m.req.Player.WornOn(); sf != 0 {
		return m.indexAt(fret, sf)
	}
	return m.x(fret)
}

// target sets how wide the place is that a shift must hit: under the slide the in-tune
// window, or half a fret if it may glide in; for a finger a share of its fret.
func (m *model) target(mo *moment, h *hand) {
	fret := h.bass.fret
	if i := slices.IndexFunc(h.stops[:h.n], func(s stop) bool { return s.finger != 0 }); i >= 0 {
		fret = h.stops[i].holds()
	}
	if h.slide {
		fret = h.fret
	}
	h.wide = m.w.FretTarget * (m.x(fret) - m.x(fret-1))
	h.narrow, h.touch = h.wide, m.w.StillMM
	if h.slide {
		h.narrow = m.window(fret) * m.tolerance(mo)
		h.touch = h.narrow / 2
	}
}

// withBass checks a fretted bass note next to what the hand holds.
func (m *model) withBass(h *hand, b *stop) bool {
	if h.sounding != 0 && h.sounding.Has(b.str) || h.tapped() {
		return false
	}
	for i := range h.n {
		s := &h.stops[i]
		if s.str == b.str {
			return false
		}
		if s.finger != 0 {
			if _, ok := m.span(s, b); !ok {
				return false
			}
		}
	}
	return true
}

// slideOver adds the hands with the slide on: each useful cover and trail, and, if the
// player frets behind the slide, a fretted bass.
func (m *model) slideOver(mo *moment, h hand, basses []stop, add func(hand)) {
	var open ring.Strings // and fretted ones: neither slide nor trailing fingers may lie on them
	first, last := 0, 0
	for i := range h.n {
		s := &h.stops[i]
		if s.how != play.Slide {
			open |= ring.Of(s.str)
			continue
		}
		if first == 0 || s.str < first {
			first, h.fret = s.str, s.fret
		}
		last = max(last, s.str)
	}
	for i := range h.n {
		for j := range i {
			if a, b := &h.stops[i], &h.stops[j]; a.how == play.Slide && b.how == play.Slide && a.fret != b.fret {
				h.slant = max(h.slant, m.slantOf(a, b)/m.steepest())
			}
		}
	}
	for _, c := range m.covers(mo, &h, first, last) {
		h.from, h.covers = c[0], c[1]
		if ring.Between(h.from, h.covers)&open != 0 {
			continue
		}
		for _, h.trails = range m.trailOptions(h.covers) {
			if ring.Upto(h.trails)&open != 0 || h.trails > 0 && h.from > 1 {
				continue // on its tip the slide lifts the fingers behind it
			}
			add(h)
			if !m.req.Player.FretBehindSlide || m.req.Player.Lap() {
				continue
			}
			for _, b := range basses {
				if b.str > max(h.covers, h.trails) && m.behind(h.fret, &b) && m.withBass(&h, &b) {
					g := h
					g.bass = b
					add(g)
				}
			}
		}
	}
}

// covers lists from and to of the strings that the slide may touch: 1 to the melody's
// thickest; the tip alone; further, for a bass note that no open string has.
func (m *model) covers(mo *moment, h *hand, first, last int) (out [][2]int) {
	fits := func(n int) bool {
		return m.req.Player.Neck().SlideLength(n, float64(m.fromCapo(h.fret))) <= m.req.Player.Slide.LengthMM
	}
	if fits(last) {
		out = append(out, [2]int{1, last})
	}
	if first == last && last > 1 {
		out = append(out, [2]int{last, last})
	}
	if !m.bass || h.slant > 0 {
		return out
	}
	for c := last + 1; c <= 6; c++ {
		if p := m.under(h.fret, c); pattern.IsBassString(c) && fits(c) && mo.wantsUnder(p) && !pattern.OpenHas(m.req.Tuning, m.req.Capo, p) {
			out = append(out, [2]int{1, c})
		}
	}
	return out
}

// wantsUnder reports whether the thumb may want pitch p under the slide.
func (mo *moment) wantsUnder(p pitch.Pitch) bool {
	if mo.stroke != nil && mo.stroke.Role == pattern.Noted {
		return p == mo.stroke.Note.Pitch()
	}
	return mo.has(p)
}

// under is the pitch of string str under the slide at fret.
func (m *model) under(fret float64, str int) pitch.Pitch {
	return m.req.Tuning.Open(str) + pitch.Pitch(math.Round(100*fret))
}

// trailOptions lists how far the trailing fingers may lie: not at all, over just the covered
// strings, or as far as they go; next to a playing thumb they stop short of its strings.
func (m *model) trailOptions(covers int) []int {
	out := []int{0}
	if !m.school.Trailing {
		return out
	}
	last := 6
	if m.bass {
		last = max(covers, freeTrailing)
	}
	out = append(out, covers)
	if last > covers {
		out = append(out, last)
	}
	return out
}

// bassStops lists the fretted bass notes that the moment's stroke wants (or the last
// stroke's, which may be held), with each finger.
func (m *model) bassStops(mo *moment) (out []stop) {
	for _, p := range mo.bassPlaces {
		if p.Fret == m.req.Capo {
			continue
		}
		s := stop{str: p.String, fret: float64(p.Fret), how: play.Fret}
		for _, s.finger = range m.req.Player.FreeFingers() {
			out = append(out, s)
		}
		if m.req.Player.ThumbOver && !m.req.Player.Lap() && p.String == 6 {
			s.finger = thumbOver
			out = append(out, s)
		}
	}
	return out
}

// holdCost adds what the hand costs by itself at the moment; tone, intonation and school
// only when the note begins.
func (m *model) holdCost(mo *moment, h *hand, y *tally) {
	m.stretchCost(h, y)
	if h.trails > 0 {
		y.add(play.Damping, m.w.TrailEffort+m.w.TrailPer*float64(h.trails))
	}
	if h.bass.str != 0 && mo.wantsThumb() {
		y.add(play.Place, m.w.BassNeck*float64(m.fromCapo(h.bass.fret)))
	}
	if mo.note < 0 {
		return
	}
	for i := range h.n {
		s := &h.stops[i]
		share := 1.0
		if i > 0 {
			share = m.w.With
		}
		m.toneCost(mo, s, i, share, y)
		m.placeCost(mo, s, share, y)
		m.leanCost(mo, s, share, y)
		m.markCost(mo, s, share, y)
	}
	if h.slide {
		y.add(play.Intonation, m.w.Intonation*m.w.EasyWindow/(m.window(h.fret)*m.tolerance(mo))+m.w.Slant*h.slant)
		if beyond := h.fret - float64(m.req.Player.Instrument.Frets); beyond > 0 {
			y.add(play.Intonation, m.w.Beyond*beyond)
		}
		if h.from == h.covers && h.from > 1 {
			y.add(play.Intonation, m.w.TipAngle)
		}
		if m.school.Cares && !mo.pins.ringing {
			y.add(play.Leak, m.w.SlideTouch*float64((h.under&^h.sounding).Len()))
			if h.trails == 0 {
				y.add(play.Leak, m.w.BehindRing)
			}
		}
	}
}

// stretchCost: fingers spread, bars, the thumb over the neck, bends held.
func (m *model) stretchCost(h *hand, y *tally) {
	var fingered [len(h.stops) + 1]*stop // of a fixed size, so that h stays where it is
	n := 0
	for i := range h.n {
		if h.stops[i].finger != 0 {
			fingered[n] = &h.stops[i]
			n++
		}
	}
	if h.bass.str != 0 {
		fingered[n] = &h.bass
		n++
	}
	for i, a := range fingered[:n] {
		if a.finger == thumbOver {
			y.add(play.Stretch, m.w.ThumbEffort)
		}
		if a.how == play.Bend {
			m.bendCost(a, y)
		}
		for _, b := range fingered[:i] {
			if cost, ok := m.span(a, b); ok {
				y.add(play.Stretch, cost)
			}
		}
	}
}

func (m *model) bendCost(s *stop, y *tally) {
	effort := map[float64]float64{50: m.w.BendQuarter, 100: m.w.BendHalf, 200: m.w.BendWhole}
	y.add(play.Stretch, effort[math.Round(100*(s.fret-s.held))])
	if s.hook {
		y.add(play.Hand, m.w.BendHook)
	}
}

// placeCost: where on the neck a note lies. Fretted notes get dearer from the nut up, but for those where the hand is at home or
// asked to stay; the slide sings on the thin strings, low on the neck, and under the bar of its chord.
func (m *model) placeCost(mo *moment, s *stop, share float64, y *tally) {
	at := float64(m.fromCapo(s.holds()))
	y.add(play.Place, share*m.w.OffPosition*mo.pins.position.outside(at))
	switch {
	case mo.pins.position.has(at):
	case m.home.has(at) && s.how != play.Open:
		y.add(play.Place, share*m.w.AtHome)
	case s.how == play.Slide:
		y.add(play.Place, share*(m.w.SlideString*float64(s.str-1)+m.w.SlideFret*at))
		switch {
		case mo.onBar(at):
		case mo.inBox(at):
			y.add(play.Place, share*m.w.OffBox)
		default:
			y.add(play.Place, share*m.w.OffBar)
		}
		low := m.w.SlideAway
		if m.nearHome(mo, s.str) {
			low = m.w.SlideLow
		}
		y.add(play.Place, share*low*max(0, lowFret-at))
	case s.how == play.Open:
		if m.underBar(mo, s.str) {
			y.add(play.Place, share*m.w.OpenBar)
		}
	case s.finger != 0:
		y.add(play.Place, share*(m.w.NeckPer*at+m.w.Body*max(0, at-m.w.BodyJoint)))
	}
}

// nearHome: the low frets of a string belong to home, where its open note is the tonic or the open strings sound
// the chord. Elsewhere the slide comes there from its place further up, and goes back.
func (m *model) nearHome(mo *moment, str int) bool {
	return mo.bars&1 != 0 || m.open(str).Class() == pitch.Midi(m.req.Tune.Key.Tonic.Class()).Class()
}

// underBar reports whether the note of an open string lies under the chord's bar up the neck, too, for a player who mostly
// slides: the bar lies there for the whole chord, and is lifted for what it does not give.
func (m *model) underBar(mo *moment, open int) bool {
	if m.req.Player.Lean != player.LeanSlide || mo.bars == 0 || mo.bars&1 != 0 {
		return false
	}
	for s := 1; s <= thickestBar; s++ {
		if at := (m.open(open) - m.open(s)) / pitch.HalfStep; at > 0 && at <= 12 && mo.onBar(float64(at)) {
			return true
		}
	}
	return false
}

// thickestBar is the thickest string of a chord that a bar is laid for.
const thickestBar = 4

// lowFret is the fret below which strings are stiff under a slide and sound thin.
const lowFret = 4.0

// barFrets lists the frets above the capo, up to an octave, at which a straight bar sounds a chord: on
// strings 1 to 3 or 2 to 4 nothing but its tones, at least two of them. Bit n is for fret n; 0 if there is none.
func (m *model) barFrets(tones uint16) (frets uint16) {
	for n := range 12 {
		for first := 1; first <= 2; first++ {
			var sound uint16
			for s := first; s < first+3; s++ {
				midi, _ := m.open(s).Nearest()
				sound |= 1 << (uint(midi+n) % 12)
			}
			if sound&^tones == 0 && bits.OnesCount16(sound) > 1 {
				frets |= 1 << n
			}
		}
	}
	return frets
}

// onBar reports whether a fret above the capo is one of the chord's bars, or between the frets, or the
// chord has no bar.
func (mo *moment) onBar(at float64) bool {
	n := int(at)
	return mo.bars == 0 || at != float64(n) || n <= 12 && mo.bars>>(n%12)&1 != 0
}

// boxFrets is how far above a bar the notes lie that players count to its place: the box over it.
const boxFrets = 3

// inBox reports whether a fret above the capo lies in the box over one of the chord's bars up the neck.
func (mo *moment) inBox(at float64) bool {
	for d := 1.0; d <= boxFrets && at > d; d++ {
		if mo.onBar(at - d) {
			return true
		}
	}
	return false
}

// tolerance is how much wider than for a held note the window is that a note of mo's length must hit.
func (m *model) tolerance(mo *moment) float64 {
	if mo.note < 0 {
		return 1
	}
	dur := m.noteSeconds[mo.note]
	return 1 + (m.w.QuickWindow-1)*min(1, max(0, (2*m.w.QuickNote-dur)/m.w.QuickNote))
}

// leanCost: a note against the lean; open strings go with every lean. Mostly slide: all others are slid.
// Slide for the peaks: it is slid there and at phrase ends alone. Mixed: the long notes, the peaks and
// what lies under the bar are slid unless too short to sing. Main: as mixed, but what only passes (tune.Carriers) is not slid.
func (m *model) leanCost(mo *moment, s *stop, share float64, y *tally) {
	slid := s.how == play.Slide
	if s.how == play.Open {
		return
	}
	switch m.req.Player.Lean {
	case player.LeanSlide:
		if !slid {
			y.add(play.School, share*m.w.Lean)
		}
	case player.LeanFret:
		if slid && !mo.peak && !m.phraseEnd[mo.note] {
			y.add(play.School, share*m.w.LeanPeaks)
		}
	case player.LeanMixed, player.LeanMain:
		bar := m.home == 0 && mo.bars != 0 && mo.onBar(float64(m.fromCapo(s.holds()))) && m.noteSeconds[mo.note] >= m.w.SlideNeeds
		singing := m.noteSeconds[mo.note] >= m.w.MixedLong || mo.peak
		if passes := !m.carries[mo.note] && !mo.peak; passes && m.req.Player.Lean == player.LeanMain {
			if slid {
				y.add(play.School, share*m.w.LeanPeaks)
			}
			return
		}
		switch {
		case !slid && (singing || bar):
			y.add(play.School, share*m.w.MixedFret)
		case slid && !singing && !bar:
			y.add(play.School, share*m.w.MixedSlide)
		}
	}
}

// toneCost: does the technique suit the note's length and place in the phrase, and how hard
// is its pitch to hit.
func (m *model) toneCost(mo *moment, s *stop, voice int, share float64, y *tally) {
	dur := m.noteSeconds[mo.note]
	long := m.w.LongFretted * min(1, dur/m.w.LongNote)
	if m.phraseEnd[mo.note] {
		long += m.w.PhraseEnd * min(1, dur/m.w.LongNote)
	}
	if !slideUsed(m.req.Player) {
		long = 0 // without a slide there is nothing to prefer
	}
	switch s.how {
	case play.Slide:
		y.add(play.Tone, share*m.w.ShortSlide*max(0, m.w.SlideNeeds-dur)/m.w.SlideNeeds)
	case play.Open:
		y.add(play.Tone, share*long*m.w.OpenSustained)
	case play.Harmonic:
		y.add(play.Tone, share*(long+m.w.Harmonic))
		y.add(play.Intonation, m.w.HarmonicAim)
	case play.Bend:
		y.add(play.Tone, share*long*m.w.OpenSustained) // it sings, and can be shaken
		y.add(play.Intonation, m.w.BendPitch)
	case play.Tapped:
		y.add(play.Tone, share*long)
		y.add(play.Hand, m.w.Tap)
	default:
		y.add(play.Tone, share*long)
	}
}
