package view

import (
	"fmt"
	"math"

	"stepping/core/plan"
	"stepping/core/take"
)

// TakePicture is a take over the bars of its plan: each note whose pitch is sure by how far it was off, and how late each moment came. Lengths are drawing units.
type TakePicture struct {
	Width, Height float64
	Bars          []logLabel
	Lines         []float64 // x of bar lines
	Pitch, Time   takeRow
}

// takeRow is one measure over the tune, with its middle and its limits.
type takeRow struct {
	Y, Top, Bottom float64
	Name           string
	High, Low      string
	Dots           []takeDot
}

type takeDot struct {
	X, Y  float64
	Off   bool // far enough to be told
	Title string
}

// Sizes of the picture; what lies beyond a row's most is drawn at its edge.
const (
	takeLeft   = 96.0
	takeMoment = 17.0
	takeRowH   = 110.0
	takeTop    = 30.0
	mostCents  = 50.0
	mostMs     = 120.0
)

// NewTakePicture lays a take out.
func NewTakePicture(p *plan.Plan, tk *take.Take) TakePicture {
	x := func(m int) float64 { return takeLeft + takeMoment*(float64(m)+0.5) }
	v := TakePicture{Width: takeLeft + takeMoment*float64(len(p.Moments)) + 10, Height: takeTop + 2*takeRowH + 20}
	v.Pitch = newTakeRow("cents", takeTop, "sharp", "flat")
	v.Time = newTakeRow("ms", takeTop+takeRowH+10, "late", "early")
	for m := range p.Moments {
		if m == 0 || p.Moments[m].Bar != p.Moments[m-1].Bar {
			v.Bars = append(v.Bars, logLabel{x(m), p.Moments[m].Printed.Short()})
			v.Lines = append(v.Lines, x(m)-takeMoment/2)
		}
	}
	seen := map[int]bool{}
	for i := range tk.Notes {
		n := &tk.Notes[i]
		place := p.Moments[n.Moment].Printed.String()
		if n.Sure >= take.SureOf {
			v.Pitch.dot(x(n.Moment), n.Cents, mostCents, take.OffCents, fmt.Sprintf("bar %s, string %d: %+.0f cents", place, n.String, n.Cents))
		}
		if !seen[n.Moment] {
			seen[n.Moment] = true
			v.Time.dot(x(n.Moment), n.OnsetMs, mostMs, take.OffMs, fmt.Sprintf("bar %s: %+.0f ms", place, n.OnsetMs))
		}
	}
	return v
}

func newTakeRow(name string, top float64, high, low string) takeRow {
	return takeRow{Name: name, Top: top, Bottom: top + takeRowH, Y: top + takeRowH/2, High: high, Low: low}
}

func (r *takeRow) dot(x, value, most, off float64, title string) {
	share := math.Max(-1, math.Min(1, value/most))
	r.Dots = append(r.Dots, takeDot{x, r.Y - share*(takeRowH/2-8), math.Abs(value) >= off, title})
}
