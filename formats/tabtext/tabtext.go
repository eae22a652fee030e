// Package tabtext writes a plan as plain text tablature.
//
// Six lines, string 1 on top, named by their open notes; a column for each moment.
// Frets count from the capo. A note under the slide stands in angle brackets, <5>, one that
// it glides into behind a stroke, /<5>; an open string is 0. A letter before the fret says hammered
// (h), pulled off (p), bent (b, to the fret of its pitch) or tapped (t); o marks a harmonic. Below stand the picking hand's digits, the thumb's columns among
// them, and above the chords.
package tabtext

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"stepping/core/plan"
	"stepping/core/play"
)

// lineBars is the number of bars on a line of music.
const lineBars = 4

// Write writes the whole plan with a header that says tuning, capo, tempo and signs.
func Write(w io.Writer, p *plan.Plan) error {
	out := bufio.NewWriter(w)
	r := &p.Request
	fmt.Fprintf(out, "%s\n", r.Tune.Title)
	fmt.Fprintf(out, "Tuning (string 6 to 1): %s", r.Tuning)
	if r.Capo > 0 {
		fmt.Fprintf(out, ", capo %d (frets count from the capo)", r.Capo)
	}
	fmt.Fprintf(out, "\nTempo: %g quarter notes a minute\n", p.Tempo())
	fmt.Fprint(out, "Signs: 5 fretted, <5> slide, /<5> glided into, h5 hammered, p5 pulled off, b5 bent up to, t5 tapped, 12o harmonic, 0 open; below: p thumb, i m a fingers\n\n")
	for first := 0; first < len(p.Moments); {
		last := first
		for last < len(p.Moments) && (p.Moments[last].Bar-1)/lineBars == (p.Moments[first].Bar-1)/lineBars {
			last++
		}
		writeLine(out, p, p.Moments[first:last])
		first = last
	}
	return out.Flush()
}

// row is one line of text under construction.
type row struct{ strings.Builder }

func (r *row) pad(width int, fill string) {
	if n := width - r.Len(); n > 0 {
		r.WriteString(strings.Repeat(fill, n))
	}
}

// writeLine writes up to lineBars bars.
func writeLine(w io.Writer, p *plan.Plan, moments []play.Moment) {
	var chords, digits row
	var strs [6]row
	width := 0
	for s := range strs {
		fmt.Fprintf(&strs[s], "%-3s", p.Request.Tuning.Note(s+1).ClassName())
		width = max(width, strs[s].Len())
	}
	bar := 0
	chord := ""
	for i := range moments {
		mo := &moments[i]
		if mo.Bar != bar {
			bar = mo.Bar
			for s := range strs {
				strs[s].pad(width, "-")
				strs[s].WriteString("|-")
			}
			width += 2
		}
		chords.pad(width, " ")
		digits.pad(width, " ")
		if mo.Chord.Name != chord {
			chord = mo.Chord.Name
			chords.WriteString(chord + " ")
		}
		next := max(width, chords.Len())
		for s := range strs {
			strs[s].pad(width, "-")
			strs[s].WriteString(cell(p, mo, s+1))
			next = max(next, strs[s].Len()+1)
		}
		digits.WriteString(digitsOf(mo))
		width = max(next, digits.Len()+1)
	}
	fmt.Fprintf(w, "%s\n", strings.TrimRight(chords.String(), " "))
	for s := range strs {
		strs[s].pad(width, "-")
		fmt.Fprintf(w, "%s|\n", strs[s].String())
	}
	fmt.Fprintf(w, "%s\n\n", strings.TrimRight(digits.String(), " "))
}

func cell(p *plan.Plan, mo *play.Moment, s int) string {
	for _, st := range mo.Strokes() {
		if st.String != s {
			continue
		}
		fret := play.FromCapo(st.Fret, p.Request.Capo).String()
		if sign, ok := signs[st.How]; ok {
			return fmt.Sprintf(sign, fret)
		}
		return fret
	}
	return ""
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
