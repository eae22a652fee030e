package view

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
)

// Column is the time column: time runs downward, true to length; the six strings stand
// side by side, string 6 left. What is struck together stands on one line.
type Column struct {
	Frame    columnFrame
	First    int
	Height   float64
	Rows     []rowView
	Beats    []beatLine
	Strings  []stringLine
	Sounds   []soundLine
	Ceilings []ceilingView
	CursorY  float64
}

// columnFrame is where the parts of a column stand from left to right, in drawing units.
type columnFrame struct {
	Width            float64
	Heard, BarNo     float64
	Flag, Label      float64
	LineFrom, LineTo float64 // of bars and beats
	BPM, Chord       float64
}

var frame = columnFrame{Width: columnRight, Heard: 6, BarNo: 8, Flag: 36, Label: 74, LineFrom: 92, LineTo: 404, BPM: 408, Chord: 424}

type rowView struct {
	Moment  int
	Y       float64
	Bar     int // as it is played out
	Printed tune.Printed
	Beat    string // its number
	Label   string // as it is counted aloud
	Hit     string // percussion
	HitX    float64
	NewBar  bool
	Chord   string // where it changes
	Marks   []markView
	Quiet   []quietView
	Pinch   *pinchLine
	Changed bool
	Dropped bool
	Name    string // the row in words
	Heard   Heard  // of the last take
}

// markView is one stroke in the column: shape by technique.
type markView struct {
	X      float64
	Shape  string
	Text   string
	Digit  string
	Pinned bool
	Part   string
	Loud   bool
	Tip    string // in words
}

// ceilingView is a bar's ceiling on the time axis: the tighter, the wider.
type ceilingView struct {
	X, Y, W, H float64
	Text       string
	Tight      int
}

// quietView is a string silenced or leaking at a moment.
type quietView struct {
	X     float64
	Leaks bool
	By    string // one or two letters, as the signs explain them
	Tip   string // in words
}

type pinchLine struct{ X1, X2 float64 }

type beatLine struct {
	Y    float64
	Main bool // a bar begins
}

type stringLine struct {
	X      float64
	Number int
}

// soundLine is a string sounding from one moment to the next.
type soundLine struct {
	X, Y1, Y2 float64
	Thumb     bool // a bass string
}

// Geometry of the column, in drawing units (px at the usual size).
const (
	columnTop    = 24.0
	columnLeft   = 110.0
	columnStep   = 54.0
	rowGap       = 40.0 // between the two closest moments
	rowGapMost   = 96.0 // of a quarter note, if no two are closer
	columnRight  = 480.0
	ceilingWidth = 14.0
	windowBefore = 60 // moments drawn before the cursor
	windowAfter  = 120
)

func stringX(s int) float64 { return columnLeft + columnStep*float64(6-s) }

// NewColumn draws the moments of p around m; changed are those to be flagged, heard is what was heard at them.
func NewColumn(p *plan.Plan, changed map[int]bool, heard map[int]Heard, m int) Column {
	all := p.Moments
	first, last := max(0, m-windowBefore), min(len(all), m+windowAfter)
	for first > 0 && all[first-1].Bar == all[first].Bar {
		first--
	}
	moments := all[first:last]
	scale := pxPerTick(moments)
	y := func(t tune.Time) float64 { return columnTop + float64(t-moments[0].At)*scale }
	c := Column{Frame: frame, First: first, CursorY: y(all[m].At)}
	for s := 6; s >= 1; s-- {
		c.Strings = append(c.Strings, stringLine{stringX(s), s})
	}
	chord := ""
	for i := range moments {
		mo := &moments[i]
		row := newRow(p, changed, first+i, y(mo.At), i == 0 || moments[i-1].Bar != mo.Bar)
		row.Heard = heard[first+i]
		row.Name += row.Heard.Words
		if mo.Chord.Name != chord {
			chord = mo.Chord.Name
			row.Chord = chord
		}
		c.Rows = append(c.Rows, row)
		if i+1 < len(moments) {
			c.addSounds(mo, row.Y, y(moments[i+1].At))
		}
	}
	end := moments[len(moments)-1].At
	c.Height = y(end) + rowGap
	c.Ceilings = ceilingViews(p, moments, y)
	c.Beats = beatLines(p.Request.Tune, moments[0].At, end, y)
	return c
}

// ceilingViews draws the ceilings of the bars of the moments shown.
func ceilingViews(p *plan.Plan, moments []play.Moment, y func(tune.Time) float64) []ceilingView {
	tu, ceilings := p.Request.Tune, p.BarCeilings()
	var out []ceilingView
	for bar := moments[0].Bar - 1; bar < moments[len(moments)-1].Bar; bar++ {
		bpm := ceilings[bar]
		if bpm == 0 {
			continue
		}
		width := ceilingWidth * min(1, p.Ceiling.BPM/bpm)
		from := max(tu.Bars[bar], moments[0].At)
		to := min(tu.Bars[bar]+tu.BarLength(bar), moments[len(moments)-1].At)
		out = append(out, ceilingView{columnRight - width, y(from), width, max(y(to)-y(from)-2, 2), fmt.Sprintf("%.0f", bpm),
			Tightness(bpm, p.Ceiling.BPM)})
	}
	return out
}

// pxPerTick keeps the closest moments rowGap apart.
func pxPerTick(moments []play.Moment) float64 {
	closest := tune.Quarter
	for i := 1; i < len(moments); i++ {
		closest = min(closest, moments[i].At-moments[i-1].At)
	}
	return min(rowGap/float64(closest), rowGapMost/float64(tune.Quarter)*4)
}

func beatLines(tu *tune.Tune, from, to tune.Time, y func(tune.Time) float64) []beatLine {
	var out []beatLine
	for bar, at := range tu.Bars {
		for t := at; t < at+tu.BarLength(bar); t += tu.MeterOver(t).Pulse() {
			if t >= from && t <= to {
				out = append(out, beatLine{y(t), t == at})
			}
		}
	}
	return out
}

func (c *Column) addSounds(mo *play.Moment, y1, y2 float64) {
	for s, st := range mo.Strings {
		if st.Wanted() {
			c.Sounds = append(c.Sounds, soundLine{stringX(s + 1), y1, y2, pattern.IsBassString(s + 1)})
		}
	}
}

func newRow(p *plan.Plan, changed map[int]bool, m int, y float64, newBar bool) rowView {
	mo := &p.Moments[m]
	row := rowView{Moment: m, Y: y, Bar: mo.Bar, Printed: mo.Printed, Beat: play.Decimal(mo.Beat), Label: play.CountAloud(mo.Beat),
		Hit: mo.Hit, HitX: hitX(mo.Hit), NewBar: newBar, Changed: changed[m], Dropped: mo.Dropped}
	var words []string
	for _, s := range mo.Strokes() {
		v := newStroke(p, s)
		text := v.Big
		if s.How == play.Open {
			text = "0"
		}
		row.Marks = append(row.Marks, markView{stringX(s.String), v.Shape, techniqueSign(s.How, text), string(s.Digit), s.Pinned,
			string(s.Part), mo.Accent && s.Part == play.Thumb, v.words()})
		words = append(words, string(s.Part)+" string "+string(rune('0'+s.String))+" "+v.How+" "+text)
	}
	if mo.Accent {
		words = append(words, "accented")
	}
	if mo.Hit != "" {
		words = append(words, mo.Hit)
	}
	if len(row.Marks) > 1 {
		row.Pinch = &pinchLine{row.Marks[0].X, row.Marks[0].X}
		for _, k := range row.Marks {
			row.Pinch.X1, row.Pinch.X2 = min(row.Pinch.X1, k.X), max(row.Pinch.X2, k.X)
		}
	}
	for s, st := range mo.Strings {
		if st.State == play.Silenced && string(st.By) != mo.Hit || st.State == play.Leaks {
			row.Quiet = append(row.Quiet, quietView{stringX(s + 1), st.State == play.Leaks, shortBy(st.By), quietTip(s+1, st)})
		}
	}
	row.Name = strings.Join(words, ", ")
	return row
}

// words say the whole stroke.
func (v *strokeView) words() string {
	out := fmt.Sprintf("String %d", v.String)
	switch {
	case v.How == "open":
		out += " open"
	case v.How == "slide":
		out += ": slide over fret wire " + v.Big
	default:
		out += ": fret " + v.Big + ", " + v.How
	}
	for _, more := range []string{v.From, v.Finger, v.Note} {
		if more != "" {
			out += ", " + more
		}
	}
	if d := digitWords[play.Digit(v.Digit)]; d != "" {
		out += "; plucked by " + v.Digit + " (" + d + ")"
	} else {
		out += "; not plucked"
	}
	if v.Pinned {
		out += "; your own choice"
	}
	return out
}

// quietTip says what keeps string s quiet, or that nothing does.
func quietTip(s int, st play.StringState) string {
	if st.State == play.Leaks {
		return fmt.Sprintf("String %d rings unintentionally, %.0f dB below the note", s, math.Abs(st.DB))
	}
	return fmt.Sprintf("String %d is kept quiet: %s", s, plan.DamperText(st.By))
}

// hitX is where percussion falls: between the strings that it touches, or next to them.
func hitX(hit string) float64 {
	switch hit {
	case pattern.Slap:
		return (stringX(6) + stringX(5)) / 2
	case pattern.Tap:
		return stringX(2)
	}
	return stringX(4)
}

// shortBy is a damper in one letter, as the legend explains them: t trailing, h heel, a
// digit's letter, a fretting finger's number.
func shortBy(by play.Damper) string {
	if f, ok := by.Finger(); ok {
		return f
	}
	switch {
	case by == play.ByTilt:
		return "/"
	case len(by) > 1:
		return string(by[:1])
	}
	return string(by)
}

// techniqueSign writes a fret with the sign of its technique, as the legend explains them.
func techniqueSign(how play.How, fret string) string {
	switch how {
	case play.Glide:
		return "/" + fret
	case play.Hammer, play.Pull, play.Bend, play.Tapped:
		return string(how)[:1] + fret
	case play.Harmonic:
		return fret + "o"
	}
	return fret
}

func (c *Column) RowYs() []float64 {
	out := make([]float64, len(c.Rows))
	for i := range c.Rows {
		out[i] = c.Rows[i].Y
	}
	return out
}

func (c *Column) RowBars() []int {
	out := make([]int, len(c.Rows))
	for i := range c.Rows {
		out[i] = c.Rows[i].Bar
	}
	return out
}

// BarLink is one bar of the overview.
type BarLink struct {
	Bar, Moment int
	Printed     tune.Printed
	Leaks       bool
	Here        bool
	Slowest     bool
	BPM         string // its ceiling, "" if nothing limits it
	Tight       int    // how near it is to the plan's own ceiling: 0 easy … 3 sets it
}

// Tightness grades a bar's ceiling against the lowest: 3 sets it, 2 within a quarter of it, 1
// within twice, 0 beyond.
func Tightness(bpm, lowest float64) int {
	switch {
	case bpm <= lowest:
		return 3
	case bpm <= 1.25*lowest:
		return 2
	case bpm <= 2*lowest:
		return 1
	}
	return 0
}

// NewBars is the overview of the whole tune: one link a bar, marked where a string leaks,
// where the cursor is, and where the tempo is held down.
func NewBars(p *plan.Plan, m int) []BarLink {
	var out []BarLink
	for t := range p.Moments {
		mo := &p.Moments[t]
		if len(out) == 0 || out[len(out)-1].Bar != mo.Bar {
			out = append(out, BarLink{Bar: mo.Bar, Printed: mo.Printed, Moment: t})
		}
		b := &out[len(out)-1]
		b.Leaks = b.Leaks || len(mo.Leaking()) > 0
		b.Here = b.Here || t == m
		b.Slowest = b.Slowest || p.Ceiling.BPM > 0 && mo.At == p.Ceiling.At
	}
	ceilings := p.BarCeilings()
	for i := range out {
		if bpm := ceilings[out[i].Bar-1]; bpm > 0 {
			out[i].BPM = strconv.FormatFloat(bpm, 'f', 0, 64)
			out[i].Tight = Tightness(bpm, p.Ceiling.BPM)
		}
	}
	return out
}
