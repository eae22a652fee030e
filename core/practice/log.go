package practice

import (
	"slices"
	"time"
)

// Cell is what was reached over one bar in one layer.
type Cell struct {
	Best float64 // fastest clean pass over the bar, 0 if none
	Goal float64 // that the layer is to come to there, 0 if the ladder does not have it
}

// BarGrid lays the log over the tune: for each layer of its ladder, in order, and each bar as played, the best
// clean tempo against the one wanted.
func BarGrid(states []State, passes []Pass, bars int) (layers []string, cells [][]Cell) {
	row := map[string]int{}
	for i := range states {
		st := &states[i]
		if _, ok := row[st.Layer]; !ok {
			row[st.Layer] = len(layers)
			layers, cells = append(layers, st.Layer), append(cells, make([]Cell, bars))
		}
		for b := st.Bars[0] - 1; b < min(st.Bars[1], bars); b++ {
			c := &cells[row[st.Layer]][b]
			c.Goal = max(c.Goal, st.Goal())
		}
	}
	for i := range passes {
		p := &passes[i]
		r, ok := row[p.Layer]
		if !ok || p.Verdict != Clean {
			continue
		}
		for b := max(0, p.Bars[0]-1); b < min(p.Bars[1], bars); b++ {
			cells[r][b].Best = max(cells[r][b].Best, p.Tempo)
		}
	}
	return layers, cells
}

// Point is a day on which something was played.
type Point struct {
	Day   time.Time
	Tempo float64 // the fastest clean pass, or where none was clean the slowest that was tried
	Clean bool
}

// Course is how the tempo of one step went over the days.
func Course(passes []Pass, key string) (out []Point) {
	for i := range passes {
		p := &passes[i]
		if p.Key != key {
			continue
		}
		clean := p.Verdict == Clean
		n := len(out)
		if n == 0 || day(out[n-1].Day) != day(p.At) {
			out = append(out, Point{p.At, p.Tempo, clean})
			continue
		}
		switch last := &out[n-1]; {
		case clean && !last.Clean:
			*last = Point{last.Day, p.Tempo, true}
		case clean:
			last.Tempo = max(last.Tempo, p.Tempo)
		case !last.Clean:
			last.Tempo = min(last.Tempo, p.Tempo)
		}
	}
	return out
}

// between is how long a pause between two passes still counts as practice: looking, thinking, trying.
const between = 2 * time.Minute

// MinutesByDay is how long was practised on each of the days up to now's, the last that of now; passes in any order.
func MinutesByDay(passes []Pass, now time.Time, days int) []float64 {
	out := make([]float64, days)
	sorted := slices.Clone(passes)
	slices.SortFunc(sorted, func(a, b Pass) int { return a.At.Compare(b.At) })
	for i := range sorted {
		p := &sorted[i]
		back := day(now) - day(p.At)
		if back < 0 || back >= days {
			continue
		}
		seconds := p.Seconds
		if i > 0 {
			if pause := p.At.Sub(sorted[i-1].At) - time.Duration(p.Seconds*float64(time.Second)); pause > 0 && pause <= between &&
				day(sorted[i-1].At) == day(p.At) {
				seconds += pause.Seconds()
			}
		}
		out[days-1-back] += seconds / 60
	}
	return out
}
