package view

import (
	"strings"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// StandBar is one bar as it is read from a music stand a metre away: tablature with large figures, true to time. Lengths are
// drawing units; a bar is about 1000 wide, so that on a tablet of ten inches a unit is about 0.2 mm.
type StandBar struct {
	Width, Height float64
	Number        string
	Played        int    // as it is played out, from 1
	Note          string // the player's own, on this bar
	Strings       []float64
	Beats         []float64
	Cells         []StandCell
	Digits, Quiet float64 // heights of the rows below
}

// StandCell is a moment of it.
type StandCell struct {
	X      float64
	Moment int
	Chord  string // where it changes
	Marks  []standMark
	Digits string
	Quiet  string // what silences which strings, where that changes
	Hit    string
}

type standMark struct {
	Y, W   float64
	Text   string
	Form   string // slide, fret or open
	Thumb  bool
	Finger string
	Above  string // how it is played, if not simply plucked
}

// Measures of a bar on the stand. The style sheet draws its figures 44 units high.
const (
	standTop   = 74.0
	standGap   = 40.0
	standLeft  = 70.0
	standWide  = 1000.0
	standLeast = 62.0 // between two moments
)

func standY(s int) float64 { return standTop + float64(s-1)*standGap }

// mostOnStand bounds the moments of a stand, so that a page stays quick.
const mostOnStand = 4000

// NewStand draws the bars from first to last, as played, from 1, with the melody, the thumb or both, and lists when each moment that
// is drawn begins, in seconds of the plan; it stops after moment end, if that is not 0.
func NewStand(p *plan.Plan, bars [2]int, end int, melody, thumb bool) (out []StandBar, when []float64) {
	var was StandCell // chord and silence that are in force
	next, o := 0, newOrnaments(p)
	for bar := bars[0]; bar <= bars[1] && len(when) < mostOnStand; bar++ {
		v := newStandBar(p, bar)
		for next < len(p.Moments) && p.Moments[next].Bar < bar {
			next++
		}
		begin, length := p.Request.Tune.Bars[bar-1], p.Request.Tune.BarLength(bar-1)
		share := func(at tune.Time) float64 { return float64(at-begin) / float64(length) }
		closest, last := 1.0, -1.0
		for ; next < len(p.Moments) && p.Moments[next].Bar == bar; next++ {
			c := newStandCell(p, &o, next, melody, thumb)
			if end > 0 && next > end || len(c.Marks) == 0 && c.Hit == "" {
				continue
			}
			c.changed(&was)
			c.X = share(p.Moments[next].At)
			if last >= 0 {
				closest = min(closest, c.X-last)
			}
			last = c.X
			v.Cells, when = append(v.Cells, c), append(when, p.Moments[next].Seconds)
		}
		v.Width = max(standWide, standLeast/closest+1.3*standLeft)
		x := func(share float64) float64 { return standLeft + share*(v.Width-1.3*standLeft) }
		for i := range v.Cells {
			v.Cells[i].X = x(v.Cells[i].X)
		}
		pulse := p.Request.Tune.MeterOver(begin).Pulse()
		_, since := p.Request.Tune.Position(begin)
		for at := begin + (pulse-since%pulse)%pulse; at < begin+length; at += pulse {
			v.Beats = append(v.Beats, x(share(at)))
		}
		out = append(out, v)
	}
	return out, when
}

func newStandBar(p *plan.Plan, bar int) StandBar {
	v := StandBar{Number: p.Request.Tune.BarPrinted(bar - 1).Short(), Played: bar}
	for s := 1; s <= tuning.Strings; s++ {
		v.Strings = append(v.Strings, standY(s))
	}
	v.Digits = standY(tuning.Strings) + 46
	v.Quiet = v.Digits + 25
	v.Height = v.Quiet + 5
	return v
}

func newStandCell(p *plan.Plan, o *ornaments, t int, melody, thumb bool) StandCell {
	mo := &p.Moments[t]
	c := StandCell{Moment: t, Chord: mo.Chord.Name, Quiet: strings.Join(quietWords(mo), " · ")}
	if thumb {
		c.Hit = mo.Hit
	}
	digits := map[play.Digit]bool{}
	for _, s := range mo.Strokes() {
		if low := s.Part == play.Thumb; low && !thumb || !low && !melody {
			continue
		}
		digits[s.Digit] = true
		m := standMark{Y: standY(s.String), Text: play.FromCapo(s.Fret, p.Request.Capo).String(), Form: shapeOf(s.How), Thumb: s.Part == play.Thumb,
			Above: paperSigns[s.How]}
		switch s.How {
		case play.Open:
			m.Text = "0"
		case play.Glide:
			m.Text = "/" + m.Text
		}
		if s == mo.Melody {
			if _, ok := o.vibrato[t]; ok {
				m.Above = "~" + m.Above
			}
			if o.into[t] {
				m.Text = "/" + m.Text
			}
		}
		if s.Finger != "" && s.Finger != "S" {
			m.Finger = s.Finger
		}
		m.W = 42 + 24*float64(len(m.Text)-1)
		c.Marks = append(c.Marks, m)
	}
	for _, d := range play.Digits { // the thumb first
		if digits[d] {
			c.Digits += string(d)
		}
	}
	return c
}

// changed leaves out the chord and the silence that are in force already.
func (c *StandCell) changed(was *StandCell) {
	chord, quiet := c.Chord, c.Quiet
	if chord == was.Chord {
		c.Chord = ""
	}
	if quiet == was.Quiet {
		c.Quiet = ""
	}
	was.Chord, was.Quiet = chord, quiet
}
