package view

import (
	"fmt"
	"slices"
	"strings"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// PaperLine is a row of bars on paper: tablature with what both hands do under it. Lengths are drawing units; a line is at most
// paperWidth wide.
type PaperLine struct {
	Width, Height float64
	Left, End     float64 // of the strings
	Strings       []paperString
	Bars          []paperBar
	Cells         []paperCell
	Digits        float64 // heights of the rows below
	Quiet         float64
	Count         float64
	Sung          float64
	HasSung       bool
	Staff         string // its bars as ABC text, where a staff is wanted above
}

type paperString struct {
	Y    float64
	Name string
}

type paperBar struct {
	X, W   float64
	Number string
	Played int // as it is played out, from 1; 0 for the last line
	Moment int // its first
}

// paperCell is one moment, or a beat on which nothing is struck.
type paperCell struct {
	X      float64
	Marks  []paperMark
	Chord  string
	Digits string
	Hit    string
	Quiet  []string // what silences which strings, a line each
	Count  string
	Sung   string
	Accent bool
	Pinch  bool
	Y1, Y2 float64 // of the line that joins what is struck together
}

// paperMark is a number on a string.
type paperMark struct {
	Y      float64
	Text   string
	Form   string // slide, fret or open
	Finger string // next to the number
	W      float64
	Glide  bool
	Above  string // h, p, b, t, o
}

// Measures of a line in drawing units.
const (
	paperWidth = 1460.0
	paperLeft  = 46.0
	paperTop   = 54.0
	paperGap   = 28.0
	paperCol   = 58.0
	paperPad   = 16.0

	paperLeast = 560.0 // a short line is not blown up

	paperBars = 4 // a line: phrases are mostly so long
)

// NewPaper lays the whole plan out in lines, bars whole.
func NewPaper(p *plan.Plan) []PaperLine {
	var out []PaperLine
	var line *paperRow
	next, o := 0, newOrnaments(p)
	for bar := range p.Request.Tune.Bars {
		first := next
		end := p.Request.Tune.Bars[bar] + p.Request.Tune.BarLength(bar)
		for next < len(p.Moments) && p.Moments[next].At < end {
			next++
		}
		cells := paperCells(p, &o, bar, first, next)
		width := paperPad + float64(len(cells))*paperCol
		if line == nil || (line.x+width > paperWidth || len(line.Bars) == paperBars) && line.x > paperLeft {
			if line != nil {
				out = append(out, line.finish())
			}
			line = newPaperRow(p)
		}
		line.add(paperBar{Number: p.Request.Tune.BarPrinted(bar).Short(), Played: bar + 1, Moment: min(first, len(p.Moments)-1)}, cells)
	}
	if line != nil {
		out = append(out, line.finish())
	}
	widest := paperLeast
	for i := range out {
		widest = max(widest, out[i].End+2)
	}
	for i := range out { // all lines to one scale, the longest across the paper
		out[i].Width = widest
	}
	return out
}

// paperRow is a line being filled.
type paperRow struct {
	PaperLine
	x     float64
	quiet int // most lines of silence
}

func newPaperRow(p *plan.Plan) *paperRow {
	r := &paperRow{x: paperLeft}
	r.Left = paperLeft
	for s := 1; s <= tuning.Strings; s++ {
		r.Strings = append(r.Strings, paperString{paperY(s), p.Request.Tuning.Note(s).ClassName()})
	}
	return r
}

func paperY(s int) float64 { return paperTop + float64(s-1)*paperGap }

func (r *paperRow) add(bar paperBar, cells []paperCell) {
	bar.X, bar.W = r.x, paperPad+paperCol*float64(len(cells))
	r.Bars = append(r.Bars, bar)
	r.x += paperPad
	for _, c := range cells {
		c.X = r.x + paperCol/2 - 6
		r.Cells = append(r.Cells, c)
		r.x += paperCol
		r.quiet = max(r.quiet, len(c.Quiet))
		r.HasSung = r.HasSung || c.Sung != ""
	}
}

func (r *paperRow) finish() PaperLine {
	r.Bars = append(r.Bars, paperBar{X: r.x})
	r.End = r.x
	r.Digits = paperY(tuning.Strings) + 32
	r.Quiet = r.Digits + 24
	r.Count = r.Quiet + 18*float64(r.quiet) + 10
	r.Sung = r.Count + 28
	r.Height = r.Count + 12
	if r.HasSung {
		r.Height = r.Sung + 10
	}
	return r.PaperLine
}

// paperCells are the moments of a bar and the beats between them.
func paperCells(p *plan.Plan, o *ornaments, bar, first, next int) (out []paperCell) {
	tu := p.Request.Tune
	begin := tu.Bars[bar]
	end, unit := begin+tu.BarLength(bar), tu.MeterOver(begin).Unit()
	_, since := tu.Position(begin)
	beat := begin + (unit-since%unit)%unit
	for first < next || beat < end {
		at := beat
		if first < next && (p.Moments[first].At <= beat || beat >= end) {
			at = p.Moments[first].At
		}
		_, since := tu.Position(at)
		c := paperCell{Count: play.CountAloud(1 + float64(since)/float64(unit))}
		if at == begin || tu.ChordOver(at).Name != tu.ChordOver(at-1).Name {
			c.Chord = tu.ChordOver(at).Name
		}
		if first < next && p.Moments[first].At == at {
			c.fill(p, o, first)
			first++
		}
		if at == beat {
			beat += unit
		}
		out = append(out, c)
	}
	if len(out) == 0 {
		out = append(out, paperCell{})
	}
	return out
}

// paperSigns stand over notes that are not simply plucked.
var paperSigns = map[play.How]string{play.Hammer: "h", play.Pull: "p", play.Bend: "b", play.Tapped: "t", play.Harmonic: "o"}

// paperMarks are the signs of a note's marks.
var paperMarks = map[string]string{"vibrato": "~", "accent": ">", "staccato": "·", "let ring": "⌣"}

func (c *paperCell) fill(p *plan.Plan, o *ornaments, t int) {
	mo := &p.Moments[t]
	lowest, highest := 0, 99
	for _, s := range mo.Strokes() {
		m := paperMark{Y: paperY(s.String), Text: play.FromCapo(s.Fret, p.Request.Capo).String(), Form: "fret",
			Above: paperSigns[s.How], Glide: s.How == play.Glide || s == mo.Melody && o.into[t]}
		switch {
		case s.How.Slid():
			m.Form = "slide"
		case s.How == play.Open:
			m.Form, m.Text = "open", "0"
		case s.How == play.Dead:
			m.Text = "×"
		}
		if s.Finger != "" && s.Finger != "S" {
			m.Finger = s.Finger
		}
		m.W = 22 + 9*float64(max(0, len(m.Text)-1))
		c.Marks = append(c.Marks, m)
		lowest, highest = max(lowest, s.String), min(highest, s.String)
	}
	c.Y1, c.Y2 = paperY(highest), paperY(lowest)
	c.Pinch = len(c.Marks) > 1
	c.Digits = digitWord(mo)
	if mo.Hit != "" && mo.Hit != pattern.Release {
		c.Hit = mo.Hit
	}
	c.Quiet = quietWords(mo)
	c.Accent = mo.Accent
	if mo.Melody != nil && mo.Melody.Index < len(p.Request.Tune.Notes) {
		note := &p.Request.Tune.Notes[mo.Melody.Index]
		c.Sung = note.Lyric
		for _, mark := range note.Marks.Names() {
			c.Marks[0].Above = paperMarks[mark] + c.Marks[0].Above
		}
		if _, advised := o.vibrato[t]; advised && note.Marks&tune.Vibrato == 0 {
			c.Marks[0].Above = paperMarks["vibrato"] + c.Marks[0].Above
		}
	}
}

// digitWord is the digits that pluck, thumb first.
func digitWord(mo *play.Moment) (out string) {
	for _, d := range play.Digits {
		if slices.ContainsFunc(mo.Strokes(), func(s *play.Stroke) bool { return s.Digit == d }) {
			out += string(d)
		}
	}
	return out
}

// quietWords say what silences which strings: "heel 56", "m 1"; what leaks has an exclamation mark.
func quietWords(mo *play.Moment) (out []string) {
	by := map[string]string{}
	var order []string
	add := func(name string, s int) {
		if by[name] == "" {
			order = append(order, name)
		}
		by[name] += fmt.Sprint(s)
	}
	for i, st := range mo.Strings {
		switch {
		case st.State == play.Leaks:
			add("!", i+1)
		case st.State == play.Silenced:
			add(shortDamper(st.By), i+1)
		}
	}
	for _, name := range order {
		out = append(out, name+" "+by[name])
	}
	return out
}

// shortDamper is a damper in a few letters.
func shortDamper(d play.Damper) string {
	if f, ok := d.Finger(); ok {
		return "f" + f
	}
	switch d {
	case play.ByTrailing:
		return "tr"
	case play.ByHeel:
		return "heel"
	}
	return strings.ToLower(string(d))
}

// BarAlone is one bar of lines as a line of its own, to be compared with others: numbers, digits and count, without what silences strings and
// without a link. It panics if there is no such bar.
func BarAlone(lines []PaperLine, bar int) PaperLine {
	for i := range lines {
		l := &lines[i]
		at := slices.IndexFunc(l.Bars, func(b paperBar) bool { return b.Played == bar })
		if at < 0 {
			continue
		}
		b := l.Bars[at]
		out := PaperLine{Left: paperLeft, End: paperLeft + b.W, Width: paperLeft + b.W + 4, Strings: l.Strings, Digits: l.Digits}
		out.Count = out.Digits + 28
		out.Height = out.Count + 10
		shift := paperLeft - b.X
		out.Bars = []paperBar{{X: paperLeft, W: b.W, Number: b.Number}, {X: paperLeft + b.W}}
		for _, c := range l.Cells {
			if c.X > b.X && c.X < b.X+b.W {
				c.X, c.Quiet, c.Sung = c.X+shift, nil, ""
				out.Cells = append(out.Cells, c)
			}
		}
		return out
	}
	panic(fmt.Sprintf("view: there is no bar %d", bar))
}
