package plan

import (
	"context"
	"fmt"
	"math"
	"sort"

	"stepping/core/digits"
	"stepping/core/play"
	"stepping/core/tune"
)

// Move is one movement of a hand into a moment: the least time it needs and the time there is,
// in seconds.
type Move struct {
	Moment      int
	What        string
	Need, There float64

	// What of the player sets Need, if Kind is one of the kinds: Need = Fixed + Factor·x, where x is Fitts's
	// time for Bits or the restrike time.
	Kind          string
	Bits          float64 // index of difficulty of a Travel, log2(d/w + 1)
	Fixed, Factor float64
}

// Kinds of moves whose time is one of the player's own figures.
const (
	Travel = "travel" // the left hand moves: FittsA + FittsB·Bits
	Again  = "again"  // a digit strikes again: the restrike time
)

// Share is how much of the time there is the move needs.
func (v *Move) Share() float64 { return v.Need / max(v.There, 1e-3) }

// damperTime is the least time in seconds in which heel, trailing fingers or a resting digit
// come down or let go on purpose.
const damperTime = 0.08

// moves lists the movements into moment t for a choice made there. A damper that comes down
// at the moment itself has the time since the moment before.
func (p *Plan) moves(t int, c *choice) (out []Move) {
	m, mo := p.m, &p.m.moments[t]
	if c.from == nil {
		return nil
	}
	st := p.m.newStage(t)
	mem := st.leaves(c.from)
	if c.h.anchored && !mem.loose {
		if need := m.shiftNeed(mem.pos, c.h, c.a); need > 0 {
			out = append(out, m.travel(t, mem.pos, c, need, mo.sec-mem.since))
		}
		if c.h.slide && !c.from.slide {
			out = append(out, Move{Moment: t, What: "the slide is set down", Need: m.slowness * p.m.w.LandTime, There: mo.sec - mem.since})
		}
	}
	between := mo.sec - m.moments[t-1].sec
	if mo.note >= 0 && c.pl.mask != 0 && c.pl.mask != keepMask && c.was.Mask() != 0 {
		out = append(out, m.digitMoves(t, c)...)
	}
	if c.bass.str != 0 && !math.IsInf(mo.bassFor, 1) {
		out = append(out, m.again(t, "the thumb plucks again", 1, mo.bassFor))
	}
	if lies := c.heel > 0; lies != (heelOf(c.was) > 0) {
		what := "the heel comes down"
		if !lies {
			what = "the heel lifts"
		}
		out = append(out, Move{Moment: t, What: what, Need: damperTime, There: between})
	}
	if c.rest > 0 && c.rest != restOf(c.was) {
		out = append(out, Move{Moment: t, What: "the resting fingers move", Need: damperTime, There: between})
	}
	if c.h.slide && c.from.slide && c.h.trails != c.from.trails {
		out = append(out, Move{Moment: t, What: "the trailing fingers move", Need: damperTime, There: between})
	}
	return out
}

// travel is the left hand's way from pos to where the choice holds it.
func (m *model) travel(t int, pos float64, c *choice, need, there float64) Move {
	mm, width := math.Abs(c.h.pos-pos), c.h.narrow
	v := Move{Moment: t, What: fmt.Sprintf("the fretting hand moves %s to %s", m.fretsText(pos, c.h.pos), where(c.h, m.req.Capo)),
		Need: need, There: there, Kind: Travel, Factor: 1}
	if c.a == scoop {
		width, v.Fixed = c.h.wide, m.w.ScoopTime
	}
	if c.h.slide {
		v.Factor = m.slowness
	}
	v.Bits = math.Log2(mm/width + 1)
	return v
}

// again is a stroke after another of the same hand, which takes share of the restrike time.
func (m *model) again(t int, what string, share, there float64) Move {
	return Move{Moment: t, What: what, Need: share * m.req.Player.RestrikeTime(), There: there, Kind: Again, Factor: share}
}

// digitMoves: a digit that plucks again, another one after it, the way to the neck and back.
func (m *model) digitMoves(t int, c *choice) (out []Move) {
	mo := &m.moments[t]
	was, now := c.was.Mask(), c.pl.mask
	if common := was & now; common != 0 {
		for d := digits.P; d <= digits.A; d++ {
			if common>>d&1 != 0 {
				out = append(out, m.again(t, string(play.Digits[d])+" plucks twice in a row", 1, mo.since))
				break
			}
		}
	} else {
		out = append(out, m.again(t, "one finger plucks after another", digits.AlternateShare, mo.since))
	}
	if (was^now)>>digits.TapBit != 0 {
		out = append(out, Move{Moment: t, What: "the picking hand travels between bridge and neck", Need: digits.TapTravel, There: mo.since})
	}
	return out
}

// hardest returns the move that needs most of its time; ok is false if there is none.
func hardest(moves []Move) (v Move, ok bool) {
	for i := range moves {
		if !ok || moves[i].Share() > v.Share() {
			v, ok = moves[i], true
		}
	}
	return v, ok
}

// Text says the move with its times.
func (v *Move) Text() string {
	return fmt.Sprintf("%s: %.2f s needed, %.2f s there", v.What, v.Need, v.There)
}

// BPMAt is the tempo at the start at which a move that uses share of its time now has just
// enough: at tempo ratio r all times shrink alike.
func (p *Plan) BPMAt(share float64) float64 { return math.Floor(p.Tempo() / share) }

// Tempo returns the plan's tempo at the start in quarter notes a minute.
func (p *Plan) Tempo() float64 {
	if p.Request.Tempo > 0 {
		return p.Request.Tempo
	}
	return p.Request.Tune.Tempos[0].BPM
}

// Hardest returns the n moves of the plan that hold its tempo down most, at most one a
// moment, the hardest first.
func (p *Plan) Hardest(n int) []Move {
	var out []Move
	for t := range p.hard {
		if v := &p.hard[t]; v.Need > 0 && tune.Believable(p.BPMAt(v.Share())) > 0 {
			out = append(out, p.hard[t])
		}
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].Share() > out[j].Share() })
	return out[:min(n, len(out))]
}

// BarCeilings returns the highest tempo of each bar, 0 where nothing limits it. Index 0 is
// bar 1.
func (p *Plan) BarCeilings() []float64 {
	shares := make([]float64, len(p.Request.Tune.Bars))
	for t := range p.Moments {
		b := p.Moments[t].Bar - 1
		shares[b] = max(shares[b], p.Moments[t].Share)
	}
	out := make([]float64, len(shares))
	for b, s := range shares {
		if s > 0 {
			out[b] = tune.Believable(p.BPMAt(s))
		}
	}
	return out
}

// Relief is a choice that raises the tempo at which a move can be played.
type Relief struct {
	Alternative
	Moment int     // at which the choice is made
	BPM    float64 // ceiling of the whole plan with it
	Local  float64 // ceiling of the moments that it changes
}

// Reliefs looks at every other choice for the melody and the thumb at a hard move and at the
// moment before, and returns those that raise the ceiling there, best first; of equals the
// cheaper. Each is judged by the best whole plan with that choice.
func (p *Plan) Reliefs(ctx context.Context, v Move) ([]Relief, error) {
	p.mu.Lock()
	defer p.unlock()
	return p.reliefs(ctx, v)
}

func (p *Plan) reliefs(ctx context.Context, v Move) ([]Relief, error) {
	if p.free != nil {
		return p.free.Reliefs(ctx, v)
	}
	var out []Relief
	for t := max(v.Moment-1, 0); t <= v.Moment; t++ {
		all, err := p.marginalsAt(ctx, t)
		if err != nil {
			return nil, err
		}
		for i := range all {
			a := all[i]
			played := p.played(t, a.Part, a.Voice)
			if a.Part == play.Damped || a.sameAs(&played) || p.Pinned(p.Moments[t].At, a.Part, a.Voice) {
				continue
			}
			d, err := p.through(ctx, t, &a)
			if err != nil {
				return nil, err
			}
			local, whole := p.paceOf(d, v.Moment)
			if local >= p.BPMAt(v.Share())+1 {
				out = append(out, Relief{a, t, whole, local})
			}
		}
	}
	sort.SliceStable(out, func(i, j int) bool {
		if out[i].BPM != out[j].BPM {
			return out[i].BPM > out[j].BPM
		}
		return out[i].Extra < out[j].Extra
	})
	return out, nil
}

// paceOf returns the ceilings of the moments that a detour changes, and of the whole plan
// with it; moment at is counted with the detour.
func (p *Plan) paceOf(d detour, at int) (local, whole float64) {
	worst, rest := 0.0, 0.0
	for i, c := range p.choices(d) {
		if v, ok := hardest(p.moves(d.first+i, &c)); ok {
			worst = max(worst, v.Share())
		}
	}
	for t := range p.Moments {
		if t < d.first || t >= d.first+len(d.states) {
			rest = max(rest, p.Moments[t].Share)
			if t == at {
				worst = max(worst, p.Moments[t].Share)
			}
		}
	}
	limit := func(share float64) float64 {
		if share == 0 || tune.Believable(p.BPMAt(share)) == 0 {
			return noLimit
		}
		return p.BPMAt(share)
	}
	return limit(worst), limit(max(worst, rest))
}

// noLimit stands for a passage that nothing holds down.
const noLimit = 999

// where names the place a hand holds, for people: frets from the capo.
func where(g *hand, capo int) string {
	if g.n > 0 && g.stops[0].how != play.Open {
		s := &g.stops[0]
		return fmt.Sprintf("string %d %s", s.str, play.HowText(s.how, play.FromCapo(s.fret, capo)))
	}
	return fmt.Sprintf("bass string %d at fret %s", g.bass.str, play.FromCapo(g.bass.fret, capo).String())
}

// MoveText says how far the hand travels into moment t, ", 36 mm"; "" if it does not.
func (p *Plan) MoveText(t int) string {
	p.mu.Lock()
	defer p.unlock()
	return p.moveText(t)
}

func (p *Plan) moveText(t int) string {
	if w := p.travelled(t, p.handAt(t-1), p.handAt(t)); w.need > 0 {
		return fmt.Sprintf(", %.0f mm", w.mm)
	}
	return ""
}

// way is a way of the fretting hand: how far in mm and in words, the seconds that it needs, 0 if it need not move, and the tempo up
// to which there is time for it, 0 if that is none that is played.
type way struct {
	mm, need, upTo float64
	frets          string
}

// fretsText is how far two places lie apart, in mm from the nut, as players say it: "5 frets".
func (m *model) fretsText(from, to float64) string {
	switch n := math.Round(math.Abs(m.neck.FretAt(to) - m.neck.FretAt(from))); n {
	case 0:
		return "less than a fret"
	case 1:
		return "1 fret"
	default:
		return fmt.Sprintf("%.0f frets", n)
	}
}

// travelled is how the hand comes from h to g at moment t.
func (p *Plan) travelled(t int, h, g *hand) way {
	mem := p.m.newStage(t).leaves(h)
	if !g.anchored || mem.loose {
		return way{}
	}
	need := p.m.shiftNeed(mem.pos, g, plain)
	return way{mm: p.m.capoScale() * math.Abs(g.pos-mem.pos), need: need, upTo: tune.Believable(p.BPMAt(need / (p.m.moments[t].sec - mem.since))),
		frets: p.m.fretsText(mem.pos, g.pos)}
}
