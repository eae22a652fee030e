package proofread_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/reference"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/reftext"
)

// sheet is an arrangement as marks on strings, for writing it as tablature.
type sheet struct {
	name   string
	tuning tuning.Tuning
	capo   int
	tune   *tune.Tune
	marks  []mark
	bare   bool // no chords stand over the strings
}

// mark is a number on a string at a time.
type mark struct {
	at   tune.Time
	str  int
	fret int
	form string // how the number is written, %d being the fret
	note pitch.Pitch
}

// corpus is the reference arrangements as marks: the melody as a good player plays it, the thumb where a fret is said.
func corpus(t testing.TB) (out []sheet) {
	files, err := filepath.Glob("../plan/testdata/references/*.ref")
	if err != nil || len(files) < 50 {
		t.Fatal(len(files), err)
	}
	for _, file := range files {
		f, err := os.Open(file)
		if err != nil {
			t.Fatal(err)
		}
		ref, err := reftext.Read(f, filepath.Base(file))
		f.Close()
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, marksOf(ref))
	}
	return out
}

func marksOf(ref *reference.Reference) sheet {
	r := &ref.Request
	s := sheet{name: ref.Name, tuning: r.Tuning, capo: r.Capo, tune: r.Tune}
	add := func(at tune.Time, w reference.Way) {
		fret := int(w.Fret)
		if float64(fret) != w.Fret || w.Out || fret < 0 {
			return
		}
		m := mark{at: at, str: w.String, fret: max(fret-r.Capo, 0), form: "%d", note: r.Tuning.Open(w.String) + pitch.Midi(max(fret, r.Capo))}
		switch w.How {
		case reference.Slid:
			m.form = "<%d>"
		case reference.Harmonic:
			m.form = "%d*"
		case reference.Hammered:
			m.form = "h%d"
		case reference.Pulled:
			m.form = "p%d"
		}
		if slices.ContainsFunc(s.marks, func(o mark) bool { return o.at == at && o.str == m.str }) {
			return
		}
		s.marks = append(s.marks, m)
	}
	for i, n := range r.Tune.Notes {
		if i < len(ref.Melody) {
			for _, v := range ref.Melody[i] {
				if len(v.Ways) > 0 {
					add(n.At, v.Ways[0])
				}
			}
		}
	}
	k := 0
	for bar, at := range r.Tune.Bars {
		for t := at; t < at+r.Tune.BarLength(bar) && k < len(ref.Bass); t += r.Tune.MeterOver(t).Pulse() {
			w := ref.Bass[k]
			k++
			if len(w.Ways) > 0 && !w.Ways[0].Out {
				if w.Ways[0].Fret == reference.AnyFret {
					w.Ways[0].Fret = 0
				}
				add(t, w.Ways[0])
			}
		}
	}
	slices.SortStableFunc(s.marks, func(a, b mark) int { return int(a.at - b.at) })
	return s
}

// A layout writes a sheet as tablature; it says where each mark's number stands, line and column from 1.
type layout struct {
	name  string
	write func(s *sheet) (string, [][2]int)
}

var corpusLayouts = []layout{{"spaced", spaced}, {"counted", counted}, {"lengths", lengths}}

// columnsOf are the times in a bar at which something stands.
func (s *sheet) columnsOf(bar int) (out []tune.Time) {
	from := s.tune.Bars[bar]
	to := from + s.tune.BarLength(bar)
	for _, m := range s.marks {
		if m.at >= from && m.at < to && !slices.Contains(out, m.at) {
			out = append(out, m.at)
		}
	}
	for _, c := range s.tune.Chords {
		if c.At >= from && c.At < to && !slices.Contains(out, c.At) {
			out = append(out, c.At)
		}
	}
	if !slices.Contains(out, from) {
		out = append(out, from)
	}
	slices.Sort(out)
	return out
}

func (s *sheet) head(extra string) string {
	return fmt.Sprintf("%s\nTuning: %s\nCapo: %d\nTime: %d/%d\nSigns: <5> slide\n%s\n", s.name, s.tuning, s.capo,
		s.tune.Meters[0].Num, s.tune.Meters[0].Den, extra)
}

// lay writes systems of three bars: cells gives, for a bar, the columns and the width after each; under is what
// stands below a column.
func (s *sheet) lay(cells func(bar int) ([]tune.Time, func(i, widest int) int), under func(bar, i int, at tune.Time) string) (string, [][2]int) {
	lines := strings.Split(strings.TrimSuffix(s.head(""), "\n"), "\n")
	place := make([][2]int, len(s.marks))
	for first := 0; first < len(s.tune.Bars); first += 3 {
		rows := make([]strings.Builder, 6)
		var chords, below strings.Builder
		pad := func(b *strings.Builder, n int, with string) {
			for b.Len() < n {
				b.WriteString(with)
			}
		}
		for k := range rows {
			rows[k].WriteString(fmt.Sprintf("%-3s", s.tuning.Note(k+1).ClassName()))
		}
		at := len(lines)
		for bar := first; bar < min(first+3, len(s.tune.Bars)); bar++ {
			for k := range rows {
				rows[k].WriteString("|-")
			}
			columns, width := cells(bar)
			for i, t := range columns {
				from := rows[0].Len()
				widest := 1
				for n, m := range s.marks {
					if m.at != t {
						continue
					}
					text := fmt.Sprintf(m.form, m.fret)
					row := &rows[m.str-1]
					place[n] = [2]int{at + 1 + m.str, row.Len() + 1 + strings.IndexFunc(text, func(r rune) bool { return r >= '0' && r <= '9' })}
					row.WriteString(text)
					widest = max(widest, len(text))
				}
				for _, c := range s.tune.Chords {
					if c.At == t && !s.bare {
						pad(&chords, from, " ")
						chords.WriteString(c.Chord.Name)
					}
				}
				if u := under(bar, i, t); u != "" {
					pad(&below, from, " ")
					below.WriteString(u)
					widest = max(widest, len(u))
				}
				for k := range rows {
					pad(&rows[k], from+width(i, widest), "-")
				}
			}
		}
		lines = append(lines, chords.String())
		for k := range rows {
			lines = append(lines, rows[k].String()+"|")
		}
		lines = append(lines, below.String(), "")
	}
	return strings.Join(lines, "\n"), place
}

// spaced: every step of the finest length has the same width, and there is no rhythm line.
func spaced(s *sheet) (string, [][2]int) {
	step := tune.Quarter
	for _, m := range s.marks {
		for t := m.at - s.tune.Bars[s.tune.BarOver(m.at)]; t != 0; {
			step, t = t, step%t
		}
	}
	for bar := range s.tune.Bars {
		for t := s.tune.BarLength(bar); t != 0; {
			step, t = t, step%t
		}
	}
	return s.lay(func(bar int) ([]tune.Time, func(int, int) int) {
		var out []tune.Time
		for t := s.tune.Bars[bar]; t < s.tune.Bars[bar]+s.tune.BarLength(bar); t += step {
			out = append(out, t)
		}
		return out, func(_, _ int) int { return 5 }
	}, func(int, int, tune.Time) string { return "" })
}

// counted: a column for each onset and beat, counted aloud below.
func counted(s *sheet) (string, [][2]int) {
	return s.lay(func(bar int) ([]tune.Time, func(int, int) int) {
		out := s.columnsOf(bar)
		unit := s.tune.MeterOver(s.tune.Bars[bar]).Unit()
		_, since := s.tune.Position(s.tune.Bars[bar])
		for t := s.tune.Bars[bar] + (unit-since%unit)%unit; t < s.tune.Bars[bar]+s.tune.BarLength(bar); t += unit {
			if !slices.Contains(out, t) {
				out = append(out, t)
			}
		}
		slices.Sort(out)
		return out, func(_, widest int) int { return widest + 1 }
	}, func(bar, i int, t tune.Time) string {
		_, since := s.tune.Position(t)
		beat := 1 + float64(since)/float64(s.tune.MeterOver(t).Unit())
		whole := float64(int(beat))
		for part, word := range map[float64]string{0: fmt.Sprint(int(beat)), 0.25: "e", 0.5: "&", 0.75: "a"} {
			if beat-whole == part {
				return word
			}
		}
		return fmt.Sprintf("%.2f", beat)
	})
}

// lengths: a letter for each length over its column; what no letter says is a note and rests.
func lengths(s *sheet) (string, [][2]int) {
	values := []struct {
		t    tune.Time
		text string
	}{{4 * tune.Quarter, "w"}, {3 * tune.Quarter, "h."}, {2 * tune.Quarter, "h"}, {3 * tune.Quarter / 2, "q."}, {tune.Quarter, "q"},
		{3 * tune.Quarter / 4, "e."},
		{2 * tune.Quarter / 3, "q3"}, {tune.Quarter / 2, "e"}, {tune.Quarter / 3, "e3"}, {tune.Quarter / 4, "s"},
		{tune.Quarter / 6, "s3"}, {tune.Quarter / 8, "t"}}
	split := func(bar int) (at []tune.Time, text []string) {
		columns := s.columnsOf(bar)
		end := s.tune.Bars[bar] + s.tune.BarLength(bar)
		for i, t := range columns {
			to := end
			if i+1 < len(columns) {
				to = columns[i+1]
			}
			for t < to {
				k := slices.IndexFunc(values, func(v struct {
					t    tune.Time
					text string
				}) bool {
					return v.t == to-t
				})
				if k < 0 {
					k = slices.IndexFunc(values, func(v struct {
						t    tune.Time
						text string
					}) bool {
						return v.t < to-t
					})
				}
				if k < 0 {
					return columns, nil
				}
				at, text = append(at, t), append(text, values[k].text)
				t += values[k].t
			}
		}
		return at, text
	}
	return s.lay(func(bar int) ([]tune.Time, func(int, int) int) {
		at, _ := split(bar)
		return at, func(_, widest int) int { return widest + 1 }
	}, func(bar, i int, t tune.Time) string {
		if _, text := split(bar); i < len(text) {
			return text[i]
		}
		return ""
	})
}

// tells reports whether key or chord can tell that a pitch is wrong: it leaves both.
func (s *sheet) tells(at tune.Time, p pitch.Pitch) bool {
	return !s.inKey(p) && !s.tune.ChordOver(at).Has(p)
}

func (s *sheet) inKey(p pitch.Pitch) bool {
	scale := []int{0, 2, 4, 5, 7, 9, 11}
	if s.tune.Key.Minor {
		scale = []int{0, 2, 3, 5, 7, 8, 10}
	}
	c := chord.Triad(s.tune.Key.Tonic, false)
	return slices.Contains(scale, c.Interval(p))
}
