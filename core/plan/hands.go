package plan

import (
	"math"

	"stepping/core/pitch"
	"stepping/core/player"
	"stepping/core/thumb"
)

// place is one way to sound a melody note.
type place struct {
	str    int
	fret   float64 // from the nut
	how    How
	finger int // 1 … 4 when fretted, else 0
}

// hand is what the left hand holds at a moment.
type hand struct {
	place // of the melody note sounding; str 0 if none

	slide          bool // on the strings, at place.fret
	covers, trails int  // strings under the slide; strings under the trailing fingers

	bass bassFret // fretted bass note held; str 0 if none

	// anchored: something holds the hand at pos (mm from the nut, where the index
	// finger would lie). Otherwise the hand has been free since the given second,
	// coming from pos; loose if it has no position left to remember.
	anchored, loose bool
	pos, since      float64

	own Terms // costs of holding this hand, whatever came before
}

// bassFret is a bass note under a finger; finger thumbOver is the thumb over the neck.
type bassFret struct {
	str, fret, finger int
}

const thumbOver = 5

// slideBeyond is how many frets past the last one the slide may go.
const slideBeyond = 4

// places lists every way to sound pitch p, strings ascending; open, fretted, slide.
func places(r *Request, p pitch.Pitch) []place {
	var out []place
	for s := 1; s <= 6; s++ {
		steps := p - r.Tuning.Open(s)
		fret, whole := float64(steps)/100, steps%pitch.HalfStep == 0
		if whole && fret == float64(r.Capo) {
			out = append(out, place{str: s, fret: fret, how: Open})
		}
		if whole && fret > float64(r.Capo) && fret <= float64(r.Player.Instrument.Frets) {
			for f := 1; f <= 4; f++ {
				if f != slideFinger(r.Player) {
					out = append(out, place{str: s, fret: fret, how: Fret, finger: f})
				}
			}
		}
		if slideFinger(r.Player) != 0 && fret >= float64(r.Capo+1) && fret <= float64(r.Player.Instrument.Frets+slideBeyond) &&
			slideFits(r.Player, s, fret-float64(r.Capo)) {
			out = append(out, place{str: s, fret: fret, how: Slide})
		}
	}
	return out
}

// slideFinger is the finger that wears the slide, 0 if none does.
func slideFinger(p player.Profile) int {
	if p.Lean == player.LeanNone {
		return 0
	}
	return p.SlideFinger
}

// slideFits: the tube is long enough for the strings at a fret counted from the capo.
func slideFits(p player.Profile, covers int, fret float64) bool {
	return p.Neck().SlideLength(covers, fret) <= p.Slide.LengthMM
}

// x is the place of a fret for planning, in mm: counted from the capo on the whole scale,
// so that a shape costs the same wherever the capo sits. On the guitar all distances are
// smaller by the factor capoScale.
func (m *model) x(fret float64) float64 { return m.neck.X(fret - float64(m.req.Capo)) }

func (m *model) window(fret float64) float64 { return m.neck.Window(fret - float64(m.req.Capo)) }

// capoScale turns planning distances into millimetres on the guitar: 2^(−capo/12).
func (m *model) capoScale() float64 { return math.Exp2(-float64(m.req.Capo) / 12) }

// indexAt is where the index finger lies when finger f is at a fret.
func (m *model) indexAt(fret float64, finger int) float64 { return m.x(fret - float64(finger-1)) }

// allowedSpan is the share of the reach (fingers 1 to 4) that two fingers span without strain.
var allowedSpan = [5][5]float64{1: {2: 0.42, 3: 0.72, 4: 1}, 2: {3: 0.38, 4: 0.68}, 3: {4: 0.38}}

// span checks two fretting fingers a and b at frets and strings, and returns the cost of
// their spread; ok is false if the hand cannot do it: fingers in fret order, at one fret
// the lower finger on the thicker string, the stretch in mm within the reach.
func (m *model) span(a bassFret, b place) (cost float64, ok bool) {
	if a.finger == b.finger {
		bar := a.finger == 1 && float64(a.fret) == b.fret
		return barEffort, bar
	}
	loFinger, hiFinger, loFret, hiFret := a.finger, b.finger, float64(a.fret), b.fret
	loString, hiString := a.str, b.str
	if loFinger > hiFinger {
		loFinger, hiFinger, loFret, hiFret, loString, hiString = hiFinger, loFinger, hiFret, loFret, hiString, loString
	}
	if loFret > hiFret || loFret == hiFret && loString < hiString {
		return 0, false
	}
	allowed := m.req.Player.ReachMM * allowedSpan[loFinger][hiFinger]
	share := (m.x(hiFret) - m.x(loFret)) / allowed
	return wStretch * share * share, share <= 1
}

// hands lists the anchored hands for a moment, and the bare ones (nothing held) that
// still need a position; carry turns those into full hands.
func (m *model) hands(t int) (anchored, bare []hand) {
	mo := &m.moments[t]
	options := []place{{}}
	if mo.sounding >= 0 {
		options = m.places[mo.sounding]
	}
	for _, pl := range options {
		switch pl.how {
		case Fret:
			anchored = append(anchored, m.fretted(mo, pl)...)
		case Slide:
			anchored = append(anchored, m.sliding(mo, pl)...)
		default:
			bare = append(bare, hand{place: pl})
			for _, b := range m.bassFingers(mo) {
				h := hand{place: pl, bass: b, anchored: true}
				if b.str == pl.str {
					continue
				}
				h.pos = m.x(float64(b.fret))
				if b.finger != thumbOver {
					h.pos = m.indexAt(float64(b.fret), b.finger)
				}
				anchored = append(anchored, h)
			}
		}
	}
	for i := range anchored {
		m.holdCost(mo, &anchored[i])
	}
	for i := range bare {
		m.holdCost(mo, &bare[i])
	}
	return anchored, bare
}

// fretted lists the hands with a fretted melody note: alone, and with each fretted bass.
func (m *model) fretted(mo *moment, pl place) []hand {
	at := m.indexAt(pl.fret, pl.finger)
	out := []hand{{place: pl, anchored: true, pos: at}}
	for _, b := range m.bassFingers(mo) {
		if b.str == pl.str {
			continue
		}
		h := hand{place: pl, bass: b, anchored: true, pos: at}
		if b.finger == thumbOver {
			// The thumb reaches over beside the index finger, a fret either way.
			if index := pl.fret - float64(pl.finger-1); math.Abs(float64(b.fret)-index) > 1 {
				continue
			}
		} else {
			cost, ok := m.span(b, pl)
			if !ok {
				continue
			}
			h.own.add(Stretch, cost)
			h.pos = (at + m.indexAt(float64(b.fret), b.finger)) / 2
		}
		out = append(out, h)
	}
	return out
}

// sliding lists the hands with the slide on the melody note: each useful cover and trail,
// and if the profile fretting behind the slide, a fretted bass.
func (m *model) sliding(mo *moment, pl place) []hand {
	var out []hand
	pos := m.indexAt(pl.fret, m.req.Player.SlideFinger)
	for covers := pl.str; covers <= 6; covers++ {
		if covers > pl.str && !m.worthCovering(mo, pl, covers) {
			continue
		}
		for _, trails := range m.trailOptions(covers) {
			base := hand{place: pl, slide: true, covers: covers, trails: trails, anchored: true, pos: pos}
			out = append(out, base)
			if !m.req.Player.FretBehindSlide {
				continue
			}
			for _, b := range m.bassFingers(mo) {
				if b.str > max(covers, trails) && m.behind(pl, b) {
					base.bass = b
					out = append(out, base)
				}
			}
		}
	}
	return out
}

// worthCovering: more strings than the melody needs are covered only for a bass note
// under the slide that no open bass string has, as with fretted bass notes.
func (m *model) worthCovering(mo *moment, pl place, covers int) bool {
	if m.req.Thumb == thumb.None || !thumb.IsBassString(covers) || !slideFits(m.req.Player, covers, pl.fret-float64(m.req.Capo)) {
		return false
	}
	p := m.req.Tuning.Open(covers) + pitch.Pitch(math.Round(100*pl.fret))
	return mo.has(p) && !thumb.OpenHas(m.req.Tuning, m.req.Capo, p)
}

// trailOptions lists how far the trailing fingers may lie: not at all, or from just the
// covered strings on; beside a playing thumb they stop short of its strings.
func (m *model) trailOptions(covers int) []int {
	out := []int{0}
	if !m.school.Trailing {
		return out
	}
	last := 6
	if m.req.Thumb != thumb.None {
		last = max(covers, freeTrailing)
	}
	for j := covers; j <= last; j++ {
		out = append(out, j)
	}
	return out
}

// behind reports whether b can be fretted behind the slide sounding at pl: a finger below
// the slide finger, a fret below the slide, within reach.
func (m *model) behind(pl place, b bassFret) bool {
	sf := m.req.Player.SlideFinger
	if b.finger >= sf || float64(b.fret) >= pl.fret {
		return false
	}
	return m.x(pl.fret)-m.x(float64(b.fret)) <= m.req.Player.ReachMM*allowedSpan[b.finger][sf]
}

// bassFingers lists the fretted bass notes that the moment's stroke wants (or the last
// stroke's, which may be held), with each finger.
func (m *model) bassFingers(mo *moment) []bassFret {
	var out []bassFret
	for _, p := range mo.bassPlaces {
		if p.Fret == m.req.Capo {
			continue
		}
		for f := 1; f <= 4; f++ {
			if f != slideFinger(m.req.Player) {
				out = append(out, bassFret{p.String, p.Fret, f})
			}
		}
		if m.req.Player.ThumbOver && p.String == 6 {
			out = append(out, bassFret{p.String, p.Fret, thumbOver})
		}
	}
	return out
}

// holdCost fills h.own with what the hand costs by itself at the moment: stretch is
// already there; tone, intonation and school only when the note begins.
func (m *model) holdCost(mo *moment, h *hand) {
	if h.bass.finger == thumbOver {
		h.own.add(Stretch, thumbEffort)
	}
	if h.trails > 0 {
		h.own.add(Damping, trailEffort+trailPer*float64(h.trails))
	}
	if mo.note < 0 {
		return
	}
	m.toneCost(mo, h)
	h.own.add(Stretch, wBody*math.Max(0, h.fret-float64(m.req.Capo)-bodyJoint))
	if h.slide && m.school.Cares {
		m.touchCost(h)
	}
	switch lean := m.req.Player.Lean; {
	case lean == player.LeanSlide && h.how != Slide, lean == player.LeanFret && h.how == Slide:
		h.own.add(School, wLean)
	}
	if h.how == Slide {
		h.own.add(Intonation, wIntonation*easyWindow/m.window(h.fret))
	}
}

// touchCost: strings under the slide that it touches as it lands, and the length of
// string behind it.
func (m *model) touchCost(h *hand) {
	h.own.add(Leak, slideTouch*float64(h.covers-1))
	if h.trails == 0 {
		h.own.add(Leak, behindRing)
	}
}

// toneCost: does the technique suit the note's length and place in the phrase.
func (m *model) toneCost(mo *moment, h *hand) {
	dur, end := m.noteSeconds[mo.note], m.phraseEnd[mo.note]
	if h.how == Slide {
		short := math.Max(0, slideNeeds-dur) / slideNeeds
		h.own.add(Tone, wShortSlide*short)
		return
	}
	long := wLongFretted * math.Min(1, dur/longNote)
	if end {
		long += wPhraseEnd * math.Min(1, dur/longNote)
	}
	if slideFinger(m.req.Player) == 0 {
		long = 0 // without a slide there is nothing to prefer
	}
	if h.how == Open {
		long *= openSustained
	}
	h.own.add(Tone, long)
}
