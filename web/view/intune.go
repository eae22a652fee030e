package view

import (
	"fmt"
	"math"
	"net/url"

	"stepping/core/intonation"
	"stepping/core/neck"
	"stepping/core/play"
	"stepping/core/tuning"
)

// SlideTask is one note that the trainer asks for.
type SlideTask struct {
	String int     `json:"string"`
	Fret   string  `json:"fret"` // from the capo
	Note   string  `json:"note"`
	From   string  `json:"from"`   // "from fret 5", "same place" or ""
	Tone   string  `json:"tone"`   // address of the note fretted
	Behind float64 `json:"behind"` // mm from its wire to the one before it, negative
	Ahead  float64 `json:"ahead"`  // and to the one after it
}

// NewSlideTask shows a task on a neck.
func NewSlideTask(t *intonation.Task, k neck.Neck, capo int) SlideTask {
	v := SlideTask{String: t.String, Fret: play.FromCapo(t.Fret, capo).String(), Note: t.Note.String(),
		Tone:   "/tone.wav?" + url.Values{"hz": {fmt.Sprintf("%.3f", t.Hz)}, "string": {fmt.Sprint(t.String)}}.Encode(),
		Behind: math.Round(10*intonation.MM(k, t.Fret, -100)) / 10, Ahead: math.Round(10*intonation.MM(k, t.Fret, 100)) / 10}
	switch f := t.From; {
	case f == nil:
	case f.Fret == t.Fret && f.String == t.String:
		v.From = "the same place again"
	case f.Fret == t.Fret:
		v.From = "across, at the same fret"
	case f.Fret < t.Fret:
		v.From = "up from fret " + play.FromCapo(f.Fret, capo).String()
	default:
		v.From = "down from fret " + play.FromCapo(f.Fret, capo).String()
	}
	return v
}

// NeckMap is how far off a player is by place: a row for each string, string 1 first.
type NeckMap struct {
	Frets []string // from the capo
	Rows  []NeckMapRow
}

// NeckMapRow is one string.
type NeckMapRow struct {
	String int
	Cells  []NeckMapCell
}

// NeckMapCell is one place. Level is 0 for one that was not played, 1 in tune to 4 far off.
type NeckMapCell struct {
	Level int
	Off   string // cents
	Tip   string
}

// mapFrets is how many frets are shown, and mapLevels are the cents up to which places are of levels 1 to 3.
const mapFrets = 17

var mapLevels = [...]float64{intonation.InTune + 1, 10, 17}

// NewNeckMap shows a map of the neck.
func NewNeckMap(m *intonation.Map, frets, capo int) (v NeckMap) {
	last := min(mapFrets, frets-capo)
	for f := 1; f <= last; f++ {
		v.Frets = append(v.Frets, fmt.Sprint(f))
	}
	for s := 1; s <= tuning.Strings; s++ {
		row := NeckMapRow{String: s}
		for f := 1; f <= last; f++ {
			c := m.At(s, f+capo)
			cell := NeckMapCell{Tip: fmt.Sprintf("String %d, fret %d: not played yet", s, f)}
			if c.Notes > 0 {
				cell.Level = 1
				for _, most := range mapLevels {
					if c.Off > most {
						cell.Level++
					}
				}
				cell.Off = fmt.Sprintf("%.0f", c.Off)
				cell.Tip = fmt.Sprintf("String %d, fret %d: %.0f cents off, %s, over %d of your notes", s, f, c.Off, side(c.Bias), c.Notes)
			}
			row.Cells = append(row.Cells, cell)
		}
		v.Rows = append(v.Rows, row)
	}
	return v
}

// side says to which side a player is off.
func side(bias float64) string {
	switch {
	case bias < -3:
		return "mostly flat"
	case bias > 3:
		return "mostly sharp"
	}
	return "to both sides"
}
