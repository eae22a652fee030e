// Package tabtext writes a plan as plain text tablature.
//
// Six lines, string 1 on top, named by their open notes; a column for each moment and for each beat.
// Frets count from the capo. A note under the slide is in angle brackets, <5>, one that
// it glides into behind a stroke, /<5>; an open string is 0. A letter before the fret says hammered
// (h), pulled off (p), bent (b, to the fret of its pitch) or tapped (t); o marks a harmonic. Above stand the
// bars' numbers on paper and the chords; below the picking hand's digits, percussion where there is any, and
// the rhythm as it is counted aloud. Bars are kept whole; a line has at most Columns characters, and only
// a bar that is wider by itself is broken, without a bar line.
package tabtext

import (
	"bufio"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
)

// Columns is the width of a line.
const Columns = 80

// Write writes the whole plan with a header that says tuning, capo, tempo and signs.
func Write(w io.Writer, p *plan.Plan) error {
	out := bufio.NewWriter(w)
	writeHeader(out, p)
	for bars := layBars(p); len(bars) > 0; {
		n, width := 1, bars[0].width()
		for n < len(bars) && left+width+bars[n].width()+len("|") <= Columns {
			width += bars[n].width()
			n++
		}
		writeLine(out, p, bars[:n])
		bars = bars[n:]
	}
	return out.Flush()
}

func writeHeader(w io.Writer, p *plan.Plan) {
	r := &p.Request
	fmt.Fprintf(w, "%s\nTuning (string 6 to 1): %s", r.Tune.Title, r.Tuning)
	if r.Capo > 0 {
		fmt.Fprintf(w, ", capo %d (frets count from the capo)", r.Capo)
	}
	fmt.Fprintf(w, "\nMeter: %d/%d\nTempo: %g quarter notes a minute\n", r.Tune.Meters[0].Num, r.Tune.Meters[0].Den, p.Tempo())
	if r.Tune.Swing > tune.Straight {
		fmt.Fprintf(w, "Swing: %s\n", tune.SwingText(r.Tune.Swing))
	}
	fmt.Fprint(w, "Signs: 5 fretted, <5> slide, /<5> glided into, h5 hammered, p5 pulled off,\n"+
		"  b5 bent up to, t5 tapped, 12o harmonic, 0 open\n"+
		"Below: the picking hand (p thumb, i m a fingers) and the count\n")
	if hasHits(p) {
		fmt.Fprint(w, "Between them: s slap, t tap, k thump, x release\n")
	}
	fmt.Fprintln(w)
}

func hasHits(p *plan.Plan) bool {
	for i := range p.Moments {
		if p.Moments[i].Hit != "" {
			return true
		}
	}
	return false
}

// hitSigns are the letters of percussion.
var hitSigns = map[string]string{pattern.Slap: "s", pattern.Tap: "t", pattern.Thump: "k", pattern.Release: "x"}

// left is the width of the strings' names.
const left = 3

// The rows of text, from the top; rowString is string 1.
const (
	rowBar = iota
	rowChord
	rowString
	rowDigits = rowString + 6
	rowHits   = rowDigits + 1
	rowCount  = rowHits + 1
	rows      = rowCount + 1
)

// column is what stands at one time, by row.
type column struct {
	at    tune.Time
	cells [rows]string
}

// width is the column's with a character between it and the next. A bar's number may reach over the next column.
func (c *column) width() int {
	n := 0
	for _, text := range c.cells[rowChord:] {
		n = max(n, utf8.RuneCountInString(text))
	}
	return n + 1
}

// block is a bar, or a part of one that is too wide.
type block struct {
	begins  bool // with a bar line
	columns []column
}

func (b *block) width() int {
	n := 0
	if b.begins {
		n = len("|-")
	}
	for i := range b.columns {
		n += b.columns[i].width()
	}
	return n
}

// layBars lays out every bar, those in which nothing begins too.
func layBars(p *plan.Plan) []block {
	var out []block
	tu, next, chord := p.Request.Tune, 0, ""
	for i, start := range tu.Bars {
		first := next
		for next < len(p.Moments) && p.Moments[next].At < start+tu.BarLength(i) {
			next++
		}
		columns := layColumns(p, i, p.Moments[first:next])
		for k := range columns {
			if name := tu.ChordOver(columns[k].at).Name; name != chord {
				chord, columns[k].cells[rowChord] = name, name
			}
		}
		columns[0].cells[rowBar] = tu.BarPrinted(i).Short()
		out = append(out, broken(columns)...)
	}
	return out
}

// layColumns merges the moments of a bar with its beats.
func layColumns(p *plan.Plan, bar int, moments []play.Moment) []column {
	tu := p.Request.Tune
	start := tu.Bars[bar]
	end, unit := start+tu.BarLength(bar), tu.MeterOver(start).Unit()
	_, since := tu.Position(start)
	beat := start + (unit-since%unit)%unit
	var out []column
	for len(moments) > 0 || beat < end {
		at := beat
		if len(moments) > 0 && (moments[0].At <= beat || beat >= end) {
			at = moments[0].At
		}
		_, since := tu.Position(at)
		c := column{at: at}
		c.cells[rowCount] = play.CountAloud(1 + float64(since)/float64(unit))
		if len(moments) > 0 && moments[0].At == at {
			c.fill(p, &moments[0])
			moments = moments[1:]
		}
		if at == beat {
			beat += unit
		}
		out = append(out, c)
	}
	if len(out) == 0 { // a bar shorter than a beat in which nothing begins
		out = append(out, column{at: start})
	}
	return out
}

func (c *column) fill(p *plan.Plan, mo *play.Moment) {
	for _, s := range mo.Strokes() {
		fret := play.FromCapo(s.Fret, p.Request.Capo).String()
		if sign, ok := signs[s.How]; ok {
			fret = fmt.Sprintf(sign, fret)
		}
		c.cells[rowString+s.String-1] = fret
	}
	c.cells[rowDigits], c.cells[rowHits] = digitsOf(mo), hitSigns[mo.Hit]
}

// broken splits a bar that does not fit on a line.
func broken(columns []column) []block {
	out := []block{{begins: true}}
	for i := range columns {
		b := &out[len(out)-1]
		if len(b.columns) > 0 && left+b.width()+columns[i].width()+len("|") > Columns {
			out = append(out, block{})
			b = &out[len(out)-1]
		}
		b.columns = append(b.columns, columns[i])
	}
	return out
}

// writeLine writes bars next to each other.
func writeLine(w io.Writer, p *plan.Plan, bars []block) {
	var text [rows]row
	for s := range 6 {
		text[rowString+s].add(0, " ", p.Request.Tuning.Note(s+1).ClassName())
	}
	x := left
	for i := range bars {
		if bars[i].begins {
			for s := range 6 {
				text[rowString+s].add(x, fill(rowString+s, i == 0), "|-")
			}
			x += len("|-")
		}
		for k := range bars[i].columns {
			c := &bars[i].columns[k]
			for r, cell := range c.cells {
				if cell != "" {
					text[r].add(x, fill(r, false), cell)
				}
			}
			x += c.width()
		}
	}
	for r := range text {
		if r >= rowString && r < rowDigits {
			text[r].add(x, "-", "|")
		}
		if line := strings.TrimRight(text[r].String(), " "); line != "" {
			fmt.Fprintln(w, line)
		}
	}
	fmt.Fprintln(w)
}

// fill is what stands between the cells of a row: dashes on a string.
func fill(r int, name bool) string {
	if r >= rowString && r < rowDigits && !name {
		return "-"
	}
	return " "
}

// row is one line of text under construction.
type row struct {
	strings.Builder
	n int // characters
}

// add writes text from column x on, or as soon after as there is room.
func (r *row) add(x int, fill, text string) {
	if r.n > x && fill == " " {
		x = r.n + 1
	}
	if x > r.n {
		r.WriteString(strings.Repeat(fill, x-r.n))
		r.n = x
	}
	r.WriteString(text)
	r.n += utf8.RuneCountInString(text)
}

// signs are the forms of a fret by technique; the others stand bare.
var signs = map[play.How]string{
	play.Slide: "<%s>", play.Glide: "/<%s>", play.Hammer: "h%s", play.Pull: "p%s", play.Bend: "b%s", play.Tapped: "t%s", play.Harmonic: "%so",
}

// digitsOf is the digits that pluck, from the thumb up; one that brushes stands once.
func digitsOf(mo *play.Moment) string {
	var in [4]bool
	for _, st := range mo.Strokes() {
		if d := st.Digit.Number(); d < len(in) {
			in[d] = true
		}
	}
	out := ""
	for d, has := range in {
		if has {
			out += string(play.Digits[d])
		}
	}
	return out
}
