package plan

import (
	"fmt"
	"slices"

	"stepping/core/fingering"
	"stepping/core/grip"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/ring"
	"stepping/core/tune"
)

// The search needs fingers to know which places a hand can hold together and where it lies. Which of them a player takes is a question of
// shapes that are held over many moments, which its states do not remember. So once the places are found, package fingering chooses,
// at each moment, among the hands that hold them.

// chordHeld is how a moment's chord is held.
func (m *model) chordHeld(mo *moment) *fingering.Chord {
	key := mo.chord.Name
	if m.held[key] == nil {
		if m.held == nil {
			m.held = map[string]*fingering.Chord{}
		}
		m.held[key] = fingering.ChordOf(grip.Guitar{Tuning: m.req.Tuning, Capo: m.req.Capo, Player: m.req.Player}, mo.chord, &m.w.Prices)
	}
	return m.held[key]
}

// giveFingers writes the fingers that a player would use into the moments of p and of its free plan. Moments that are the same in the
// plan of which p is an edit are not searched again.
func (p *Plan) giveFingers() {
	if p.free != nil {
		p.free.giveFingers()
	}
	defer func() {
		p.markRinging()
		p.holdNotes()
		p.rendered = nil
	}()
	if len(p.m.req.Player.FreeFingers()) == 0 {
		return
	}
	music, ways := make([]fingering.Moment, len(p.Moments)), make([][]*hand, len(p.Moments))
	bass := fingering.Place(0) // a fretted bass note that rings
	for t := range music {
		mo := &music[t]
		*mo, ways[t] = p.forFingers(t)
		if th := p.Moments[t].Thumb; th != nil {
			bass = 0
			if th.Finger != "" {
				bass = p.m.placeOf(th.String, th.Fret)
			}
		} else if bass != 0 {
			mo.Sounds[bass.String()] = uint8(bass.Fret())
		}
	}
	hand := fingering.NewHand(p.m.req.Player, &p.m.w.Prices)
	if p.fingers = fingering.Solve(&hand, music, p.fingers); p.fingers == nil {
		return // as the search found them
	}
	p.alikeFingers = p.fingers
	if p.likeBefore(music) {
		p.alikeFingers = fingering.Solve(&hand, music, nil)
	}
	p.renderHands(ways)
	p.giveStays()
}

// likeBefore asks for the fingers of a bar in later ones that are held the same, and reports whether some have others. A player who wants
// repeats varied gets what each bar finds.
func (p *Plan) likeBefore(music []fingering.Moment) (differs bool) {
	if p.Request.Varied {
		return false
	}
	first := map[string]int{}
	for from, to := 0, 0; from < len(music); from = to {
		key := ""
		for to = from; to < len(music) && p.Moments[to].Bar == p.Moments[from].Bar; to++ {
			mo := &music[to]
			key += fmt.Sprint(p.Moments[to].At-p.Moments[from].At, mo.Ways, mo.Slide, p.Moments[to].Chord.Name)
			for i := range mo.Presses {
				key += fmt.Sprint(mo.Presses[i].Place, mo.Presses[i].Struck, mo.Presses[i].Slur)
			}
		}
		was, again := first[key]
		if !again {
			first[key] = from
			continue
		}
		for t := from; t < to; t++ {
			way, w := p.fingers.Ways[was+t-from], p.fingers.Ways[t]
			if way < 0 || way >= len(music[was+t-from].Ways) || w < 0 {
				continue
			}
			music[t].Like = music[was+t-from].Ways[way]
			differs = differs || !slices.Equal(music[t].Like, music[t].Ways[w])
		}
	}
	return differs
}

// renderHands renders again the moments whose hands, or whose hands before, have other fingers than they were rendered with.
func (p *Plan) renderHands(ways [][]*hand) {
	before, changed := (*hand)(nil), false
	for t := range p.Moments {
		h := p.handAt(t)
		if way := p.alikeFingers.Ways[t]; way >= 0 && way < len(ways[t]) {
			h = ways[t][way]
		}
		fingers := h.fingersUsed()
		was := changed
		changed = !slices.Equal(fingers, p.taken[t])
		if p.taken[t] = fingers; changed || was {
			p.renderHand(t, before, h)
		}
		before = h
	}
}

// renderHand renders moment t with other hands than the search had, which hold the same.
func (p *Plan) renderHand(t int, before, h *hand) {
	c := p.rendered[t]
	if c == nil {
		at := p.choiceAt(t, p.before(t), p.state(t))
		c = &at
	}
	c.from, c.h = before, h
	old, out := &p.Moments[t], p.m.moment(t, c)
	out.Share = old.Share
	for s, st := range old.Strings { // what markLeaks has added
		if st.State == play.Leaks && out.Strings[s].State == play.Harmless {
			out.Strings[s] = st
		}
	}
	*old = out
}

// giveStays says which fingers stay where they are without pressing: those that press just there again before they go elsewhere, on
// strings that do not sound open.
func (p *Plan) giveStays() {
	held := p.alikeFingers.Held()
	var next [player.ThumbOverNeck + 1]fingering.Place // where each finger presses next
	for t := len(held) - 1; t >= 0; t-- {
		hand, pressing := &p.Moments[t].Hand, [player.ThumbOverNeck + 1]bool{}
		for _, f := range hand.Fingers {
			n := play.FingerNumber(f.Finger)
			next[n], pressing[n] = fingering.At(f.String, f.Fret-p.m.req.Capo), true
		}
		hand.Stays = nil
		for _, h := range held[t] {
			if st := p.Moments[t].Strings[h.String()-1].State; st == play.Struck || st == play.Rings {
				continue // open: the finger is lifted
			}
			if !pressing[h.Finger] && h.Place == next[h.Finger] {
				hand.Stays = append(hand.Stays, play.FingerAt{Finger: play.FingerName(h.Finger), String: h.String(), Fret: h.Fret() + p.m.req.Capo})
			}
		}
	}
}

func (m *model) placeOf(str int, fret float64) fingering.Place {
	return fingering.At(str, int(fret)-m.req.Capo)
}

// forFingers is moment t as the fretting hand meets it, and the hands that can take it so.
func (p *Plan) forFingers(t int) (fingering.Moment, []*hand) {
	m, mo, h := p.m, &p.m.moments[t], p.handAt(t)
	out := fingering.Moment{Seconds: mo.sec, Chord: m.chordHeld(mo), Slide: h.slide}
	if h.slide {
		return out, nil
	}
	for i := range h.n {
		s := &h.stops[i]
		if s.finger == 0 {
			if s.how == play.Open {
				out.Open |= ring.Of(s.str)
			}
			continue
		}
		press := fingering.Press{Place: m.placeOf(s.str, s.holds()), Struck: mo.note >= 0}
		if t > 0 && i == 0 && mo.note >= 0 {
			if a := p.handAt(t - 1); a.n > 0 && a.stops[0].finger != 0 {
				press.Slur, press.From = slurOf(attack(p.state(t).By)), m.placeOf(a.stops[0].str, a.stops[0].holds())
			}
		}
		out.Presses = append(out.Presses, press)
	}
	thumb := p.Moments[t].Thumb
	if b := &h.bass; b.str != 0 {
		out.Presses = append(out.Presses, fingering.Press{Place: m.placeOf(b.str, b.fret), Struck: thumb != nil && thumb.String == b.str})
	} else if thumb != nil {
		out.Open |= ring.Of(thumb.String)
	}
	if len(out.Presses) == 0 {
		return out, nil
	}
	var ways []*hand
	kept := p.keptFingers(t, h)
	for i := range mo.hands {
		g := &mo.hands[i]
		if g.barred || !g.samePlaces(h) || !g.hasFingers(kept) {
			continue
		}
		way := g.fingersUsed()
		if !slices.ContainsFunc(out.Ways, func(w []int8) bool { return slices.Equal(w, way) }) {
			out.Ways, ways = append(out.Ways, way), append(ways, g)
		}
	}
	return out, ways
}

// keptFingers lists the fingers that are kept at moment t, by voice and the bass behind them; 0 for any. It keeps none if no hand
// has them.
func (p *Plan) keptFingers(t int, h *hand) (kept fingersKept) {
	mo := &p.m.moments[t]
	for i := range p.alike {
		if k := &p.alike[i]; k.finger != 0 && k.At == mo.at {
			if at := k.Voice; k.Part == play.Thumb {
				kept[bassKept] = k.finger
			} else {
				kept[at] = k.finger
			}
		}
	}
	if !slices.ContainsFunc(mo.hands, func(g hand) bool { return !g.barred && g.samePlaces(h) && g.hasFingers(kept) }) {
		return fingersKept{}
	}
	return kept
}

// fingersKept is a finger for each voice, and for the bass.
type fingersKept [bassKept + 1]int

const bassKept = 1 + tune.MaxWith

func (h *hand) hasFingers(kept fingersKept) bool {
	for v, f := range kept[:bassKept] {
		if f != 0 && v < h.n && h.stops[v].finger != f {
			return false
		}
	}
	f := kept[bassKept]
	return f == 0 || h.bass.str == 0 || h.bass.finger == f
}

func slurOf(a attack) fingering.Slur {
	switch a {
	case hammerOn:
		return fingering.Hammer
	case pullOff:
		return fingering.Pull
	case bendOn:
		return fingering.Same
	}
	return fingering.Plucked
}

// samePlaces reports whether g and h hold the same strings in the same way, whatever the fingers.
func (h *hand) samePlaces(g *hand) bool {
	same := func(a, b stop) bool {
		a.finger, b.finger = min(a.finger, 1), min(b.finger, 1)
		return a == b
	}
	if h.n != g.n || h.slide != g.slide || !same(h.bass, g.bass) {
		return false
	}
	for i := range h.n {
		if !same(h.stops[i], g.stops[i]) {
			return false
		}
	}
	return true
}

// fingersUsed lists the fingers that hold the melody and the bass, those that hold something.
func (h *hand) fingersUsed() (out []int8) {
	for i := range h.n {
		if f := h.stops[i].finger; f != 0 {
			out = append(out, int8(f))
		}
	}
	if h.bass.str != 0 {
		out = append(out, int8(h.bass.finger))
	}
	return out
}
