package view

import (
	"fmt"
	"math"
	"strconv"
	"time"

	"stepping/core/practice"
	"stepping/core/tune"
)

// LogGrid is the picture of a tune's log: layers over bars, each field filled by how near its best clean tempo
// is to the wanted one. Lengths are drawing units.
type LogGrid struct {
	Width, Height float64
	Rows          []logRow
	Bars          []logLabel
}

type logRow struct {
	Name  string
	Y     float64
	Cells []logCell
}

type logLabel struct {
	X    float64
	Text string
}

// logCell is one bar in one layer: a field, of which a share is filled from below.
type logCell struct {
	X, Y, W, H float64
	Fill       float64 // height of the filled part
	Done       bool
	Text       string // the best tempo
	Title      string
}

// Sizes of the log's pictures in drawing units.
const (
	gridLeft   = 190.0
	gridRowH   = 46.0
	gridTop    = 30.0
	gridCellW  = 52.0
	courseW    = 560.0
	courseH    = 150.0
	coursePad  = 46.0
	minuteBarW = 26.0
	minuteH    = 130.0
)

// NewLogGrid lays out a grid; names are the layers for people.
func NewLogGrid(layers []string, cells [][]practice.Cell, name func(string) string, tu *tune.Tune) LogGrid {
	g := LogGrid{Width: gridLeft + gridCellW*float64(len(tu.Bars)), Height: gridTop + gridRowH*float64(len(layers))}
	for b := range tu.Bars {
		g.Bars = append(g.Bars, logLabel{gridLeft + gridCellW*(float64(b)+0.5), tu.BarPrinted(b).Short()})
	}
	for r, layer := range layers {
		row := logRow{Name: name(layer), Y: gridTop + gridRowH*float64(r)}
		for b, c := range cells[r] {
			if c.Goal == 0 {
				continue
			}
			v := logCell{X: gridLeft + gridCellW*float64(b) + 2, Y: row.Y + 2, W: gridCellW - 4, H: gridRowH - 4}
			share := math.Min(1, c.Best/c.Goal)
			v.Fill, v.Done = share*v.H, share >= 0.995
			v.Title = fmt.Sprintf("%s, bar %s: not clean yet, goal %.0f bpm", row.Name, tu.BarPrinted(b), c.Goal)
			if c.Best > 0 {
				v.Text = strconv.FormatFloat(c.Best, 'f', 0, 64)
				v.Title = fmt.Sprintf("%s, bar %s: clean at %.0f of %.0f bpm", row.Name, tu.BarPrinted(b), c.Best, c.Goal)
			}
			row.Cells = append(row.Cells, v)
		}
		g.Rows = append(g.Rows, row)
	}
	return g
}

// LogCourse is how the tempo of one step went over the days.
type LogCourse struct {
	Title         string
	Width, Height float64
	Line          string // points of a polyline
	Points        []coursePoint
	GoalY         float64
	Goal          string
	Low, High     string // tempos at the ends of the axis
	From, To      string // days
	Best          string
	Words         string // the picture in words
}

type coursePoint struct {
	X, Y  float64
	Clean bool
	Title string
}

// NewLogCourse draws the days of a step against its goal; at least one point.
func NewLogCourse(title string, points []practice.Point, goal float64) LogCourse {
	low, high, best := goal, goal, 0.0
	for _, p := range points {
		low, high = math.Min(low, p.Tempo), math.Max(high, p.Tempo)
		if p.Clean {
			best = math.Max(best, p.Tempo)
		}
	}
	low, high = math.Floor(low/10)*10, math.Ceil(high/10)*10
	if high == low {
		high += 10
	}
	y := func(tempo float64) float64 {
		return courseH - 26 - (tempo-low)/(high-low)*(courseH-44)
	}
	first, last := points[0].Day, points[len(points)-1].Day
	span := math.Max(1, last.Sub(first).Hours())
	c := LogCourse{Title: title, Width: courseW, Height: courseH, GoalY: y(goal), Goal: strconv.FormatFloat(goal, 'f', 0, 64),
		Low: strconv.FormatFloat(low, 'f', 0, 64), High: strconv.FormatFloat(high, 'f', 0, 64),
		From: first.Format("2 Jan"), To: last.Format("2 Jan")}
	for _, p := range points {
		x := coursePad + p.Day.Sub(first).Hours()/span*(courseW-2*coursePad)
		word := "clean at"
		if !p.Clean {
			word = "not clean at"
		}
		c.Points = append(c.Points, coursePoint{x, y(p.Tempo), p.Clean, fmt.Sprintf("%s: %s %.0f", p.Day.Format("2 January"), word, p.Tempo)})
		c.Line += fmt.Sprintf("%.1f,%.1f ", x, y(p.Tempo))
	}
	c.Words = fmt.Sprintf("%s from %s to %s, goal %.0f bpm", title, c.From, c.To, goal)
	if best > 0 {
		c.Best = strconv.FormatFloat(best, 'f', 0, 64)
		c.Words += ", best clean " + c.Best
	}
	return c
}

// LogMinutes is how long was practised on each day.
type LogMinutes struct {
	Width, Height float64
	Bars          []minuteBar
	Total         int
	Days          int // with practice
}

type minuteBar struct {
	X, Y, W, H float64
	Text       string
	Day        string // under every seventh
	Title      string
}

// NewLogMinutes draws minutes a day, the last that of now.
func NewLogMinutes(minutes []float64, now time.Time) LogMinutes {
	m := LogMinutes{Width: minuteBarW*float64(len(minutes)) + 10, Height: minuteH + 44}
	most, sum := 15.0, 0.0
	for _, v := range minutes {
		most, sum = math.Max(most, v), sum+v
	}
	m.Total = int(math.Round(sum))
	for i, v := range minutes {
		d := now.AddDate(0, 0, i-len(minutes)+1)
		b := minuteBar{X: minuteBarW*float64(i) + 4, W: minuteBarW - 5, H: v / most * (minuteH - 20),
			Title: fmt.Sprintf("%s: %.0f minutes", d.Format("2 January"), v)}
		b.Y = minuteH - b.H
		if v >= 0.5 {
			b.Text = strconv.FormatFloat(v, 'f', 0, 64)
			m.Days++
		}
		if (len(minutes)-1-i)%7 == 0 {
			b.Day = d.Format("2 Jan")
		}
		m.Bars = append(m.Bars, b)
	}
	return m
}
