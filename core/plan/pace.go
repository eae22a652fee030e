package plan

import (
	"fmt"
	"math"

	"stepping/core/tune"
)

// Ceiling is the highest tempo at which every move of the plan has the time it needs,
// and the move that sets it.
type Ceiling struct {
	BPM float64 // quarter notes a minute; 0 if nothing limits the tempo
	At  tune.Time
	Why string
}

// ceiling finds the move with the largest share of its time used. Moves: the left hand's
// travel, and a digit plucking twice in a row. At tempo ratio r all times shrink alike,
// so the ceiling is tempo / share.
func (m *model) ceiling(p *Plan) Ceiling {
	c := Ceiling{}
	worst := 0.0
	for t := 1; t < len(p.Moments); t++ {
		share, why := m.share(p, t)
		if share > worst {
			worst, c.At, c.Why = share, p.Moments[t].At, why
		}
	}
	if worst > 0 {
		tempo := p.Tempo()
		c.BPM = math.Floor(tempo / worst)
	}
	return c
}

// Tempo returns the plan's tempo at the start in quarter notes a minute.
func (p *Plan) Tempo() float64 {
	if p.Request.Tempo > 0 {
		return p.Request.Tempo
	}
	return p.Request.Tune.Tempos[0].BPM
}

// share returns the largest share of the time there is that a move into moment t uses.
func (m *model) share(p *Plan, t int) (share float64, why string) {
	h, g := p.handAt(t-1), p.handAt(t)
	mo := &m.moments[t]
	if f := m.freed(h, t); g.anchored && !f.loose {
		avail := mo.sec - f.since
		if need := m.shiftNeed(f.pos, g); need > 0 {
			share = need / avail
			why = fmt.Sprintf("the left hand moves %.0f mm to %s: %.2f s needed, %.2f s there", m.capoScale()*math.Abs(g.pos-f.pos), where(g, m.req.Capo), need, avail)
		}
	}
	from, to := p.layers[t-1][p.path[t-1]].digit, p.layers[t][p.path[t]].digit
	if mo.note >= 0 && from == to {
		need := restrike[m.req.Player.Attack]
		if s := need / mo.since; s > share {
			share = s
			why = fmt.Sprintf("%s plucks twice in a row: %.2f s needed, %.2f s there", digitNames[to], need, mo.since)
		}
	}
	return share, why
}

func (p *Plan) handAt(t int) *hand {
	return &p.m.moments[t].hands[p.layers[t][p.path[t]].hand]
}

// where names the place a hand holds, for people: frets from the capo.
func where(g *hand, capo int) string {
	if g.how == Fret || g.how == Slide {
		return fmt.Sprintf("string %d %s", g.str, howText(g.how, g.fret-float64(capo)))
	}
	return fmt.Sprintf("bass string %d at fret %d", g.bass.str, g.bass.fret-capo)
}

// MoveText says how far the hand travels into moment t, ", 36 mm"; "" if it does not.
func (p *Plan) MoveText(t int) string {
	g := p.handAt(t)
	f := p.m.freed(p.handAt(t-1), t)
	if !g.anchored || f.loose || p.m.shiftNeed(f.pos, g) == 0 {
		return ""
	}
	return fmt.Sprintf(", %.0f mm", p.m.capoScale()*math.Abs(g.pos-f.pos))
}
