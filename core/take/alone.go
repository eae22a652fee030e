package take

import (
	"errors"
	"fmt"
	"slices"

	"stepping/core/plan"
	"stepping/core/play"
)

// Judge follows a recording through a plan and measures what was played. If hardly anything is heard of the melody, or
// of the thumb, the other is judged by itself: players practise them so. ErrForeign.
func (s *Signal) Judge(p *plan.Plan) (*Take, error) {
	tk, err := s.judge(p, "")
	if err != nil && !errors.Is(err, ErrForeign) {
		return nil, err
	}
	for _, part := range []play.Part{play.Thumb, play.Melody} {
		if tk != nil && tk.missing(p, part) < mostlyMissing || !hasPart(p, part) || !hasPart(p, other(part)) {
			continue
		}
		if alone, err := s.judge(p, part); err == nil && alone.missing(p, other(part)) <= mostMissing &&
			(tk == nil || alone.missing(p, other(part)) <= tk.missing(p, other(part))) {
			alone.Without = part
			alone.Odd = append(alone.Odd, fmt.Sprintf("The %s can hardly be heard, so only the %s is checked.", part, other(part)))
			return alone, nil
		}
	}
	if err != nil {
		return nil, err
	}
	if bars := tk.hidden(p); bars != "" {
		tk.Hint = fmt.Sprintf("In %s the thumb's overtones cover the melody, so its pitch cannot be measured. "+
			"Record those bars without the thumb to check it.", bars)
	}
	return tk, nil
}

// mostlyMissing is the share of a part from which on it was not played, mostMissing that of the other up to which it was.
const (
	mostlyMissing = 0.5
	mostMissing   = 0.25
)

func other(part play.Part) play.Part { return either(part == play.Thumb, play.Melody, play.Thumb) }

func hasPart(p *plan.Plan, part play.Part) bool {
	return slices.ContainsFunc(p.Moments, func(mo play.Moment) bool {
		return slices.ContainsFunc(mo.Strokes(), func(s *play.Stroke) bool { return s.Part == part })
	})
}

// missing is the share of a part's strokes, from the first place to the last, that was not heard.
func (tk *Take) missing(p *plan.Plan, part play.Part) float64 {
	all, gone := 0, 0
	first, last := tk.Places[0].Moment, tk.Places[len(tk.Places)-1].Moment
	for t := first; t <= last; t++ {
		for _, s := range p.Moments[t].Strokes() {
			if s.Part == part && s.How != play.Dead {
				all++
			}
		}
	}
	for _, m := range tk.Missing {
		if m.Part == part && m.Moment >= first && m.Moment <= last {
			gone++
		}
	}
	return float64(gone) / float64(max(1, all))
}

// mostlyHidden is the share of a bar's melody whose pitch is not sure from which on the bar is named, leastHidden how
// many notes of it.
const (
	mostlyHidden = 0.5
	leastHidden  = 2
)

// hidden names the bars in which the pitch of the melody cannot be made out over the thumb, "" if there are none.
func (tk *Take) hidden(p *plan.Plan) string {
	notes, unsure := map[int]int{}, map[int]int{}
	thumb := map[int]bool{}
	for i := range tk.Notes {
		n := &tk.Notes[i]
		bar := p.Moments[n.Moment].Bar
		if n.Part == play.Thumb {
			thumb[bar] = true
			continue
		}
		if notes[bar]++; n.Sure < SureOf {
			unsure[bar]++
		}
	}
	var spans [][2]int
	for bar := 1; bar <= len(p.Request.Tune.Bars); bar++ {
		if !thumb[bar] || unsure[bar] < leastHidden || float64(unsure[bar]) < mostlyHidden*float64(notes[bar]) {
			continue
		}
		if k := len(spans); k > 0 && spans[k-1][1] == bar-1 {
			spans[k-1][1] = bar
		} else {
			spans = append(spans, [2]int{bar, bar})
		}
	}
	slices.SortStableFunc(spans, func(a, b [2]int) int { return (b[1] - b[0]) - (a[1] - a[0]) })
	if len(spans) == 0 {
		return ""
	}
	return p.Request.Tune.BarsPrinted(spans[0][0], spans[0][1])
}
