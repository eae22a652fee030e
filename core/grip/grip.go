// Package grip finds the ways to hold a chord in any tuning: frets, fingers, bars, strings left out
// and what silences them; and, for a progression, the chain of grips with the least movement.
//
// Conventions: strings are numbered 1 (thinnest) to 6, frets from the nut; distances are mm along the
// neck. A grip is playable if one finger is in one place, fingers lie in fret order (at one fret the
// lower finger on the thicker string), no two spread further than the player's hand, one finger lies
// flat over several strings only at one fret with nothing open between them, and the thumb reaches
// over to string 6 within a fret of the hand. The finger that wears the slide frets nothing.
package grip

import (
	"fmt"
	"math"
	"slices"

	"stepping/core/chord"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tuning"
)

// Out marks a string that is left out.
const Out = -1

// What keeps a left-out string silent, next to single fingers and the heel.
const (
	NotStruck play.Damper = "not struck" // nothing but the picking hand, which passes it over
	ByThumb   play.Damper = "thumb over" // the thumb over the neck
)

const (
	strings6  = tuning.Strings
	thumbOver = player.ThumbOverNeck
)

// Guitar is where grips are looked for.
type Guitar struct {
	Tuning tuning.Tuning
	Capo   int // fret, 0 for none
	Player player.Profile
}

// Grip is one way to hold a chord. Arrays are indexed by string, 1 … 6.
type Grip struct {
	Frets   [strings6 + 1]int         // from the nut; the capo's fret for an open string, Out if left out
	Fingers [strings6 + 1]int         // 1 … 4, player.ThumbOverNeck, 0 for none
	By      [strings6 + 1]play.Damper // what silences a left-out string: a finger, ByThumb, the heel or NotStruck
	Stretch float64                   // mm between the outermost two fingers, the thumb aside
	Cost    float64                   // see cost.go
	pos     float64                   // where the index finger lies, mm from the capo on a full-scale neck; see at
	held    bool                      // some finger frets
}

// Sounding lists the pitches of a grip, string 6 first.
func (t Guitar) Sounding(g *Grip) (out []pitch.Pitch) {
	for s := strings6; s >= 1; s-- {
		if g.Frets[s] != Out {
			out = append(out, t.Pitch(s, g.Frets[s]))
		}
	}
	return out
}

// Pitch is what string str sounds at a fret.
func (t Guitar) Pitch(str, fret int) pitch.Pitch { return t.Tuning.Open(str) + pitch.Midi(fret) }

// Name is the truthful name of what a grip sounds.
func (t Guitar) Name(g *Grip) string { return chord.Describe(t.Sounding(g), pitch.Usual) }

// Bars lists the fingers that lie over several strings, with the thickest and thinnest of them.
func (g *Grip) Bars() (out []Bar) {
	for f := 1; f <= 4; f++ {
		b := Bar{Finger: f}
		n := 0
		for s := strings6; s >= 1; s-- {
			if g.Fingers[s] != f {
				continue
			}
			if n++; n == 1 {
				b.From, b.Fret = s, g.Frets[s]
			}
			b.To = s
		}
		if n > 1 {
			out = append(out, b)
		}
	}
	return out
}

// Bar is one finger over strings From (the thickest) … To.
type Bar struct{ Finger, Fret, From, To int }

// ThumbString is a string that can take a role of the thumb in a grip.
type ThumbString struct {
	Role   pattern.Role
	String int
	Fit    float64 // 0 is the best, see thumb.Fit
}

// ThumbStrings lists for the root and the alternate every bass string that sounds a chord tone in g,
// the best of each role first.
func (t Guitar) ThumbStrings(c chord.Chord, g *Grip) (out []ThumbString) {
	for _, role := range []pattern.Role{pattern.Root, pattern.Alternate} {
		lo := len(out)
		for s := strings6; s >= 1; s-- {
			if !pattern.IsBassString(s) || g.Frets[s] == Out {
				continue
			}
			out = append(out, ThumbString{role, s, pattern.Fit(t.Tuning, t.Capo, c, role, s, t.Pitch(s, g.Frets[s]))})
		}
		slices.SortStableFunc(out[lo:], func(a, b ThumbString) int { return sign(a.Fit - b.Fit) })
	}
	return out
}

func sign(x float64) int {
	switch {
	case x < 0:
		return -1
	case x > 0:
		return 1
	}
	return 0
}

// FingerName is "1" … "4" or "T".
func FingerName(f int) string {
	switch f {
	case 0:
		return ""
	case thumbOver:
		return "T"
	}
	return fmt.Sprint(f)
}

// x is where a fret lies, measured from the capo as if the neck began there at full length, so that
// a shape means the same with and without a capo.
func (t Guitar) x(fret int) float64 { return t.Player.Neck().X(float64(fret - t.Capo)) }

// mm turns a distance of x into true millimetres.
func (t Guitar) mm(d float64) float64 { return d * math.Exp2(-float64(t.Capo)/12) }

// fingering is one assignment of fingers.
type fingering struct {
	fingers [strings6 + 1]int
	strain  float64 // fingers, bars, thumb; stretch and lie come on top
	widest  float64 // share of the allowed span that the worst pair of fingers spreads
	lo, hi  int     // fret at which the index finger would lie by each finger, plus nutOffset; 0 if none
	stretch float64 // of x, between the outermost fingers
	spread  int     // frets between them
}

// cost is the effort of the whole hand.
func (h *fingering) cost() float64 {
	return h.strain + wStretch*h.widest*h.widest + wCramped*float64(h.hi-h.lo) + wSpread*float64(h.spread)
}

// mostFrets is how many frets above the capo are looked at, with the open string.
const mostFrets = 32

// nutOffset keeps fingering.lo and hi above 0.
const nutOffset = 4

// press is a string held down.
type press struct{ str, fret int }

// presses lists what frets hold down, lowest fret and thickest string first.
func (t Guitar) presses(frets *[strings6 + 1]int, out []press) []press {
	for s := strings6; s >= 1; s-- {
		if frets[s] <= t.Capo {
			continue
		}
		i := len(out)
		out = append(out, press{})
		for ; i > 0 && out[i-1].fret > frets[s]; i-- {
			out[i] = out[i-1]
		}
		out[i] = press{s, frets[s]}
	}
	return out
}

// best returns the easiest fingering of frets that costs less than limit, the first of equals.
func (a *assigner) best(frets *[strings6 + 1]int, limit float64) (h *fingering, ok bool) {
	a.frets, a.limit, a.found = frets, limit, false
	a.presses = a.t.presses(frets, a.presses[:0])
	a.place(0, 0, fingering{})
	return &a.easiest, a.found
}

func (t Guitar) newAssigner() *assigner {
	a := &assigner{t: t, free: t.Player.FreeFingers()}
	for i := range a.x {
		a.x[i] = t.x(t.Capo + i)
	}
	for f := 1; f <= 4; f++ {
		for g := 1; g < f; g++ {
			a.span[g][f] = t.Player.SpanMM(g, f)
		}
	}
	return a
}

type assigner struct {
	t       Guitar
	free    []int
	x       [mostFrets]float64 // by frets above the capo
	span    [5][5]float64
	frets   *[strings6 + 1]int
	presses []press
	limit   float64
	found   bool
	easiest fingering
	every   *[]fingering       // all that cost less than limit, if not nil
	at      [thumbOver + 1]int // fret of each finger so far, 0 for none
}

// place gives press i and those after it to fingers above last.
func (a *assigner) place(i, last int, cur fingering) {
	if i == len(a.presses) {
		cur.strain += a.woven(&cur.fingers)
	}
	if cur.cost() >= a.limit {
		return
	}
	if i == len(a.presses) && a.every != nil {
		*a.every = append(*a.every, cur)
		return
	}
	if i == len(a.presses) {
		a.limit, a.found, a.easiest = cur.cost(), true, cur
		return
	}
	p := a.presses[i]
	if cur.fingers[p.str] == thumbOver {
		a.place(i+1, last, cur)
		return
	}
	for _, f := range a.free {
		if f <= last {
			continue
		}
		next := cur
		if !a.reach(f, p.fret, &next) {
			continue
		}
		a.at[f] = p.fret
		for k := i; k < len(a.presses) && a.presses[k].fret == p.fret && a.mayLie(f, p, a.presses[k]); k++ {
			next.fingers[a.presses[k].str] = f
			bar := next
			bar.strain += barStrain(f, k-i)
			a.place(k+1, f, bar)
		}
		a.at[f] = 0
	}
	a.over(i, last, cur)
}

// woven is the effort of fingers that lie apart at one fret, another reaching through between them.
func (a *assigner) woven(fingers *[strings6 + 1]int) (strain float64) {
	for s := strings6; s > 0; s-- {
		for r := s - 3; r > 0; r-- {
			if fingers[s] == 0 || fingers[r] == 0 || fingers[s] == fingers[r] || a.frets[s] != a.frets[r] || fingers[s] == thumbOver {
				continue
			}
			for q := r + 1; q < s; q++ {
				if fingers[q] > max(fingers[s], fingers[r]) && fingers[q] != thumbOver && a.frets[q] > a.frets[s] {
					strain += wovenPer * float64(s-r-2)
					break
				}
			}
		}
	}
	return strain
}

// over gives press i to the thumb.
func (a *assigner) over(i, last int, next fingering) {
	p := a.presses[i]
	if p.str != strings6 || !a.t.Player.ThumbOver || a.t.Player.Lap() || p.fret > a.t.Capo+overReach {
		return
	}
	next.fingers[p.str] = thumbOver
	next.strain += overEffort
	a.at[thumbOver] = p.fret
	if a.thumbNear() {
		a.place(i+1, last, next)
	}
	a.at[thumbOver] = 0
}

// thumbNear: the thumb lies within a fret of where the index finger is or would be.
func (a *assigner) thumbNear() bool {
	for f := 1; f <= 4 && a.at[thumbOver] != 0; f++ {
		if at := a.at[f]; at != 0 {
			if d := a.at[thumbOver] - (at - (f - 1)); d < -1 || d > 1 {
				return false
			}
		}
	}
	return true
}

// reach adds finger f at fret next to the fingers already placed, all of them below it; ok is false
// if the hand does not reach so far.
func (a *assigner) reach(f, fret int, h *fingering) (ok bool) {
	a.at[f] = fret
	near := a.thumbNear()
	a.at[f] = 0
	if !near {
		return false
	}
	index := fret - (f - 1)
	if h.hi == 0 {
		h.lo, h.hi = index+nutOffset, index+nutOffset
	}
	h.lo, h.hi = min(h.lo, index+nutOffset), max(h.hi, index+nutOffset)
	h.strain += fingerEffort
	if index <= a.t.Capo {
		h.strain += BehindNut
	}
	if !slices.Contains(a.at[1:f], fret) {
		h.strain += upFinger * float64(fret-a.t.Capo)
	}
	for g := 1; g < f; g++ {
		if a.at[g] == 0 {
			continue
		}
		d := a.x[fret-a.t.Capo] - a.x[a.at[g]-a.t.Capo]
		share := d / a.span[g][f]
		if share > 1 {
			return false
		}
		h.stretch, h.spread = max(h.stretch, d), max(h.spread, fret-a.at[g])
		if fret-a.at[g] > f-g { // one fret a finger is free
			h.widest = max(h.widest, share)
		}
	}
	return true
}

// mayLie reports whether finger f can lie from p to the thinner q at one fret: nothing between
// them is open, nor, under another finger than the first, fretted higher.
func (a *assigner) mayLie(f int, p, q press) bool {
	for s := p.str - 1; s > q.str; s-- {
		if at := a.frets[s]; at != Out && at < p.fret || at > p.fret && f != 1 {
			return false
		}
	}
	return true
}

// barStrain is the effort of finger f lying over more strings.
func barStrain(f, more int) float64 {
	if more == 0 {
		return 0
	}
	strain := barEffort + barPer*float64(more-1)
	if f != 1 {
		strain += barOther + barOtherPer*float64(more-1)
	}
	return strain
}

// finish fills in what follows from frets and fingers.
func (t Guitar) finish(frets *[strings6 + 1]int, h *fingering, cost float64) Grip {
	g := Grip{Frets: *frets, Fingers: h.fingers, Stretch: t.mm(h.stretch), Cost: cost + h.cost()}
	sum, n := 0.0, 0
	for s := 1; s <= strings6; s++ {
		if f := g.Fingers[s]; f != 0 {
			sum, n = sum+t.at(f, frets[s]), n+1
		}
		if g.Frets[s] == Out {
			g.By[s] = t.silencer(&g, s)
			if g.By[s] == NotStruck {
				g.Cost += notSilenced
			}
		}
	}
	if n > 0 {
		g.pos, g.held = sum/float64(n), true
	}
	return g
}

// at is where the index finger lies with finger f at a fret.
func (t Guitar) at(f, fret int) float64 {
	if f == thumbOver {
		f = 1
	}
	return t.x(fret - (f - 1))
}

// silencer is what keeps left-out string s silent: the tip of a finger on the next thinner string
// touching it; the underside of one on a thicker string, lying over the left-out strings next to it;
// the thumb over the neck; the heel, if nothing thicker sounds.
func (t Guitar) silencer(g *Grip, s int) play.Damper {
	if s > 1 && g.Frets[s-1] != Out {
		if f := g.Fingers[s-1]; f != 0 && f != thumbOver {
			return play.DampedBy(FingerName(f))
		}
	}
	for u := s + 1; u <= strings6; u++ {
		if f := g.Fingers[u]; f != 0 && f != thumbOver {
			return play.DampedBy(FingerName(f))
		}
		if g.Frets[u] != Out {
			break
		}
	}
	if s == strings6 && t.Player.ThumbOver && !t.Player.Lap() {
		return ByThumb
	}
	if t.Player.UsesHeel() && slices.Max(g.Frets[s:]) == Out {
		return play.ByHeel
	}
	return NotStruck
}
