package take

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"stepping/core/plan"
	"stepping/core/practice"
)

// Summary is a take in a few figures.
type Summary struct {
	First   int     `json:"first"` // moments of the plan, from 0, between which it was played
	Last    int     `json:"last"`
	Found   int     `json:"found"`            // how many of them
	Tries   int     `json:"tries"`            // how often it was begun; the last try counts
	Guitar  float64 `json:"guitar,omitempty"` // cents that the whole guitar is off, against which notes are judged
	Tempo   float64 `json:"tempo"`            // as played: quarter notes a minute at the start of the tune, 0 if it cannot be told
	Sure    int     `json:"sure"`             // notes whose pitch is sure
	Cents   float64 `json:"cents"`            // that they are off, the middle of all
	Off     int     `json:"off"`              // how many are off by OffCents or more
	Struck  int     `json:"struck"`
	LateMs  float64 `json:"lateMs"` // that moments are late or early, the middle of all
	Late    int     `json:"late"`   // how many are so much that it is told
	Ringing int     `json:"ringing"`
	Missing int     `json:"missing"` // notes between First and Last
	Bars    []Bar   `json:"bars"`
}

// Bar is the worst of a bar.
type Bar struct {
	Bar     int     `json:"bar"`    // from 1, as the tune is played out
	Place   string  `json:"place"`  // as printed
	Cents   float64 `json:"cents"`  // furthest off of its sure notes, with its sign
	LateMs  float64 `json:"lateMs"` // furthest off in time
	Ringing int     `json:"ringing"`
	Missing int     `json:"missing"`
}

// Summary adds a take up.
func (tk *Take) Summary(p *plan.Plan) Summary {
	n := len(tk.Places)
	s := Summary{First: tk.Places[0].Moment, Last: tk.Places[n-1].Moment, Found: n, Tries: tk.Tries, Tempo: tk.tempo(p), Guitar: tk.Common}
	bars := map[int]*Bar{}
	in := func(m int) *Bar {
		mo := &p.Moments[m]
		if bars[mo.Bar] == nil {
			bars[mo.Bar] = &Bar{Bar: mo.Bar, Place: mo.Printed.String()}
		}
		return bars[mo.Bar]
	}
	var cents, late []float64
	last := -1
	for i := range tk.Notes {
		note := &tk.Notes[i]
		b := in(note.Moment)
		if note.Sure >= SureOf {
			cents = append(cents, math.Abs(note.Cents))
			b.Cents = furthest(b.Cents, note.Cents)
		}
		if note.Plucked && note.Moment != last {
			last = note.Moment
			late = append(late, math.Abs(note.OnsetMs))
			if note.late() {
				s.Late++
			}
			b.LateMs = furthest(b.LateMs, note.OnsetMs)
		}
	}
	for i := range tk.Ringing {
		if r := &tk.Ringing[i]; r.Told() {
			in(r.Moment).Ringing++
			s.Ringing++
		}
	}
	for _, m := range tk.Missing {
		if m.Moment >= s.First && m.Moment <= s.Last {
			in(m.Moment).Missing++
			s.Missing++
		}
	}
	s.Sure, s.Cents, s.Off = spread(cents, OffCents)
	s.Struck, s.LateMs, _ = spread(late, OffMs)
	for _, b := range bars {
		s.Bars = append(s.Bars, *b)
	}
	slices.SortFunc(s.Bars, func(a, b Bar) int { return cmp.Compare(a.Bar, b.Bar) })
	return s
}

// furthest is the one of two that lies further from 0.
func furthest(a, b float64) float64 { return either(math.Abs(b) > math.Abs(a), b, a) }

// spread is how many there are, their median, and how many reach a limit.
func spread(x []float64, limit float64) (n int, mid float64, over int) {
	if len(x) == 0 {
		return 0, 0, 0
	}
	for _, v := range x {
		if v >= limit {
			over++
		}
	}
	return len(x), middle(x), over
}

// tempo is how fast it was played: by the median of all places that follow each other.
func (tk *Take) tempo(p *plan.Plan) float64 {
	var ratios []float64
	for i := 1; i < len(tk.Places); i++ {
		a, b := &tk.Places[i-1], &tk.Places[i]
		planned := p.Moments[b.Moment].Seconds - p.Moments[a.Moment].Seconds
		if took := b.AtSec - a.AtSec; b.Moment == a.Moment+1 && took > 0 && planned > 0 {
			ratios = append(ratios, took/planned)
		}
	}
	if len(ratios) == 0 {
		return 0
	}
	return p.Tempo() / middle(ratios)
}

// Of what a pass is called by what was heard of it: what share of its moments may be missing, and what share of
// its notes off, before it broke, or is not clean.
const (
	mostLost = 0.1
	mostOff  = 0.125
)

// Verdict is what a player who is strict would call the pass: broken if they began again or lost
// more than a tenth of it, nearly if something is missing or rings, or more than an eighth of it is out of tune
// or out of time.
func (s *Summary) Verdict() practice.Verdict {
	switch {
	case s.Tries > 1 || float64(s.Missing) > mostLost*float64(s.Last-s.First+1):
		return practice.Broke
	case s.Missing > 0 || s.Ringing > 0 || float64(s.Off) > mostOff*float64(s.Sure) || float64(s.Late) > mostOff*float64(s.Struck):
		return practice.Nearly
	}
	return practice.Clean
}

// Change is a bar that went better, or worse, from one take to another.
type Change struct {
	Bar    int
	Text   string
	Better bool
	weight float64
}

// mostChanges is how many are told.
const mostChanges = 8

// Changes are the bars that differ most between two takes, the greatest change first; bars that one of them has
// not are left out. A pitch or a time counts if it was worth telling in one of them.
func Changes(before, now *Summary) (out []Change) {
	was := map[int]*Bar{}
	for i := range before.Bars {
		was[before.Bars[i].Bar] = &before.Bars[i]
	}
	for i := range now.Bars {
		is := &now.Bars[i]
		old := was[is.Bar]
		if old == nil {
			continue
		}
		tell := func(a, b, limit float64, text string) {
			if by := math.Abs(a) - math.Abs(b); math.Max(math.Abs(a), math.Abs(b)) >= limit && math.Abs(by) >= limit/2 {
				out = append(out, Change{is.Bar, fmt.Sprintf("bar %s: %s", is.Place, text), by > 0, math.Abs(by) / limit})
			}
		}
		tell(old.Cents, is.Cents, OffCents, fmt.Sprintf("%s cents, now %s", Signed(old.Cents), Signed(is.Cents)))
		tell(old.LateMs, is.LateMs, OffMs, fmt.Sprintf("%s ms, now %s", Signed(old.LateMs), Signed(is.LateMs)))
		tell(float64(old.Ringing), float64(is.Ringing), 1, fmt.Sprintf("%d strings left ringing, now %d", old.Ringing, is.Ringing))
		tell(float64(old.Missing), float64(is.Missing), 1, fmt.Sprintf("%d notes missing, now %d", old.Missing, is.Missing))
	}
	slices.SortStableFunc(out, func(a, b Change) int { return cmp.Compare(b.weight, a.weight) })
	return out[:min(len(out), mostChanges)]
}

// Signed is a whole number with its sign; 0 has none.
func Signed(x float64) string {
	if math.Round(x) == 0 {
		return "0"
	}
	return fmt.Sprintf("%+.0f", x)
}
