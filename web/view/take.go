package view

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"stepping/core/plan"
	"stepping/core/take"
	"stepping/formats/plandoc"
)

// TakePicture is what was heard in a take over the bars of its tune: each note whose pitch is sure by how far
// it was off, and how late each moment came. Lengths are drawing units.
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

// takeAxis is the moments of one or more takes in order: their times in quarters, and each one's bar.
type takeAxis struct {
	at    []float64
	bar   []int
	place map[int]string // of bars
}

func newTakeAxis(docs []*plandoc.TakeDoc) takeAxis {
	bars, a := map[float64]int{}, takeAxis{place: map[int]string{}}
	for _, d := range docs {
		for i := range d.Notes {
			bars[d.Notes[i].At] = d.Notes[i].Bar
		}
		for _, m := range d.Missing {
			bars[m.At] = m.Bar
		}
		for _, b := range d.Summary.Bars {
			a.place[b.Bar] = b.Place
		}
	}
	for at := range bars {
		a.at = append(a.at, at)
	}
	slices.Sort(a.at)
	for _, at := range a.at {
		a.bar = append(a.bar, bars[at])
	}
	return a
}

func (a *takeAxis) x(at float64) float64 {
	i, _ := slices.BinarySearchFunc(a.at, at, func(x, want float64) int { return cmp.Compare(x, want) })
	return takeLeft + takeMoment*(float64(i)+0.5)
}

// NewTakePictures lays takes of one tune out over the same bars.
func NewTakePictures(docs ...*plandoc.TakeDoc) (out []TakePicture) {
	axis := newTakeAxis(docs)
	for _, d := range docs {
		out = append(out, newTakePicture(&axis, d))
	}
	return out
}

func newTakePicture(a *takeAxis, d *plandoc.TakeDoc) TakePicture {
	v := TakePicture{Width: takeLeft + takeMoment*float64(len(a.at)) + 10, Height: takeTop + 2*takeRowH + 20}
	v.Pitch = newTakeRow("cents", takeTop, "sharp", "flat")
	v.Time = newTakeRow("ms", takeTop+takeRowH+10, "late", "early")
	for i, bar := range a.bar {
		if i == 0 || bar != a.bar[i-1] {
			short, _, _ := strings.Cut(a.place[bar], ",")
			v.Bars = append(v.Bars, logLabel{a.x(a.at[i]), short})
			v.Lines = append(v.Lines, a.x(a.at[i])-takeMoment/2)
		}
	}
	last := math.Inf(-1)
	for i := range d.Notes {
		n := &d.Notes[i]
		place := a.place[n.Bar]
		if n.Sure >= take.SureOf {
			v.Pitch.dot(a.x(n.At), n.Cents, mostCents, take.OffCents, fmt.Sprintf("bar %s, string %d: %+.0f cents", place, n.String, n.Cents))
		}
		if n.Plucked && n.At != last {
			last = n.At
			v.Time.dot(a.x(n.At), n.OnsetMs, mostMs, cmp.Or(n.OffFrom, take.OffMs), fmt.Sprintf("bar %s: %+.0f ms", place, n.OnsetMs))
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

// Heard is what was heard at a moment of the plan, for the time column.
type Heard struct {
	Cents, Ms string // as they are written next to the row
	Words     string // "" if nothing is known
	Off       bool   // far enough off to be told
}

// NewHeard is what was heard at each moment of the plan that a take was judged by: how far the first note whose
// pitch is sure was off, and how late it came.
func NewHeard(p *plan.Plan, d *plandoc.TakeDoc) map[int]Heard {
	moment := map[float64]int{}
	for m := range p.Moments {
		moment[p.Moments[m].At.Quarters()] = m
	}
	out := map[int]Heard{}
	for i := range d.Notes {
		n := &d.Notes[i]
		m, ok := moment[n.At]
		if !ok {
			continue
		}
		h := out[m]
		if n.Sure >= take.SureOf && h.Cents == "" {
			h.Cents, h.Off = take.Signed(n.Cents)+"¢", h.Off || math.Abs(n.Cents) >= take.OffCents
			h.Words += fmt.Sprintf(", heard %.0f cents %s", math.Abs(n.Cents), sided(n.Cents, "sharp", "flat"))
		}
		if n.Plucked && h.Ms == "" {
			h.Ms, h.Off = take.Signed(n.OnsetMs)+"ms", h.Off || n.Late()
			h.Words += fmt.Sprintf(", %.0f ms %s", math.Abs(n.OnsetMs), sided(n.OnsetMs, "late", "early"))
		}
		out[m] = h
	}
	for _, x := range d.Missing {
		if m, ok := moment[x.At]; ok {
			out[m] = Heard{Cents: "not", Ms: "heard", Words: ", not heard", Off: true}
		}
	}
	return out
}

// sided is the word for a value over or under 0.
func sided(x float64, over, under string) string {
	if x < 0 {
		return under
	}
	return over
}
