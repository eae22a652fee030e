package tabtext

import (
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"stepping/core/chord"
	"stepping/core/play"
	"stepping/core/tune"
)

// isChordWord reports whether a word over the strings is a chord symbol, or no chord.
func isChordWord(s string) bool {
	_, ok := chordOf(s)
	return ok || strings.EqualFold(s, "N.C.") || s == "%" || s == "/" || s == "-" || s == "."
}

// isChord reports whether w names a chord, and does not only stand where one could.
func (w word) isChord() bool {
	_, ok := chordOf(w.text)
	return ok
}

func chordOf(s string) (chord.Chord, bool) {
	s = strings.Trim(s, "()*,")
	if s == "" || s[0] < 'A' || s[0] > 'G' {
		return chord.Chord{}, false
	}
	c, err := chord.Parse(strings.NewReplacer("♯", "#", "♭", "b").Replace(s))
	return c, err == nil
}

var (
	digitWord = regexp.MustCompile(`^(?:[pima]{1,4}|[vV^↓↑]|\.)$`) // or a strum, whose digits are not said
	hitWord   = regexp.MustCompile(`^[stkx]$`)
	countWord = regexp.MustCompile(`^(\d{1,2}(\.\d{1,2})?|&|\+|e|a|and|trip|let|i)$`)
	restWord  = regexp.MustCompile(`^(?:r|R)?([whqestWHQEST])(\.{0,2})(3?)(?:r|R)?$`)
)

// all reports whether a line has words, and all of them are of a kind.
func all(line []rune, kind func(string) bool) bool {
	ws := words(line)
	for _, w := range ws {
		if !kind(w.text) {
			return false
		}
	}
	return len(ws) > 0
}

// isCount: a count has beats or what lies between them, and not numbers alone that could be bars.
func isCount(line []rune) bool { return all(line, countWord.MatchString) }

// isValues: lengths, of which not all can be anything else.
func isValues(line []rune) bool {
	return all(line, restWord.MatchString) && (len(words(line)) > 1 || !isChordWord(words(line)[0].text))
}

// belongsBelow reports whether a line between two systems is one that stands under strings.
func (r *reader) belongsBelow(k int) bool {
	line := r.text[k]
	return isCount(line) && len(words(line)) > len(r.systems) || all(line, digitWord.MatchString) || r.head.hits && all(line, hitWord.MatchString)
}

// around reads what stands above and below a system: chords, digits, the rhythm; and times its bars.
func (r *reader) around(at int, bars []bar) {
	s := &r.systems[at]
	var counts, values []word
	for _, k := range s.above {
		line := r.text[k]
		switch {
		case all(line, isChordWord) && slices.ContainsFunc(words(line), word.isChord) && !isValuesOver(line, bars):
			r.chords(k, bars)
		case counts == nil && isCount(line) && len(words(line)) > len(bars):
			counts = words(line)
		case values == nil && isValues(line):
			values = words(line)
		default:
			r.endings(line, bars)
		}
	}
	for _, k := range s.below {
		line := r.text[k]
		switch {
		case r.head.hits && all(line, hitWord.MatchString):
		case all(line, digitWord.MatchString):
			r.digits(line, bars)
		case counts == nil && isCount(line):
			counts = words(line)
		case values == nil && isValues(line):
			values = words(line)
		}
	}
	r.times(bars)
	counted := countsOf(counts, bars)
	for i := range bars {
		b := &bars[i]
		b.meter = r.head.meter
		switch {
		case counts != nil && b.byCount(counted[i], i == 0 && at == 0):
		case values != nil && b.byValues(within(values, b)):
		default:
			b.bySpacing()
		}
		for k := range b.chords {
			b.chords[k].time = b.chordTime(b.chords[k].at - b.start())
		}
	}
}

// start is the column where the bar begins on most of its lines.
func (b *bar) start() int { return usual(b.from) }

// usual is the number that stands most often in a list, of equals the first.
func usual(list []int) int {
	best, most := 0, 0
	for i, v := range list {
		n := 0
		for _, w := range list[i:] {
			if w == v {
				n++
			}
		}
		if n > most {
			best, most = v, n
		}
	}
	return best
}

// countsOf gives each bar its words of a line that counts beats. If the line counts from one again for each bar it is read by that, since
// nobody counts the bar lines: then the words of every bar begin where those of the first do.
func countsOf(counts []word, bars []bar) [][]word {
	out := make([][]word, len(bars))
	for i := range bars {
		out[i] = within(counts, &bars[i])
	}
	var rounds [][]word
	last := 0.0
	for _, w := range counts {
		v, err := strconv.ParseFloat(w.text, 64)
		if err == nil && v <= last || len(rounds) == 0 {
			rounds = append(rounds, nil)
		}
		if err == nil {
			last = v
		}
		rounds[len(rounds)-1] = append(rounds[len(rounds)-1], w)
	}
	if len(rounds) != len(bars) || len(bars) < 2 || rounds[0][0].text != rounds[1][0].text {
		return out
	}
	lead := rounds[0][0].at - bars[0].start()
	for i, round := range rounds {
		if off := round[0].at - bars[i].start() - lead; off == 0 || abs(off) > i+1 {
			continue
		}
		out[i] = nil
		for _, w := range round {
			out[i] = append(out[i], word{w.at - round[0].at + lead, w.text})
		}
	}
	return out
}

// isValuesOver tells a line of lengths that reads as chords too ("E E E") by its standing over every column.
func isValuesOver(line []rune, bars []bar) bool {
	if !isValues(line) {
		return false
	}
	columns := 0
	for i := range bars {
		columns += len(bars[i].columns)
	}
	return len(words(line)) >= columns && columns > len(bars)
}

// within are the words that stand over a bar, by their columns from its beginning.
func within(ws []word, b *bar) (out []word) {
	end := 0
	for k := range b.to {
		end = max(end, b.to[k])
	}
	for _, w := range ws {
		if w.at >= b.start()-1 && w.at < end {
			out = append(out, word{w.at - b.start(), w.text})
		}
	}
	return out
}

// chords gives bars the chord symbols of a line.
func (r *reader) chords(k int, bars []bar) {
	for _, w := range words(r.text[k]) {
		c, ok := chordOf(w.text)
		if !ok {
			continue
		}
		for i := range bars {
			if b := &bars[i]; w.at < b.to[0] || i+1 == len(bars) {
				w.at = max(w.at, b.from[0])
				b.chords = append(b.chords, chordWord{word: w, line: k, chord: c})
				break
			}
		}
	}
}

var endingWord = regexp.MustCompile(`^[\[|]?([1-9])(?:[.,-]([1-9]))?[.)_:]`)

// endings reads first and second endings over bars.
func (r *reader) endings(line []rune, bars []bar) {
	for _, w := range words(line) {
		m := endingWord.FindStringSubmatch(w.text + ".")
		if m == nil || !strings.ContainsAny(w.text, "._)[:") {
			continue
		}
		for i := range bars {
			if b := &bars[i]; w.at <= b.from[0]+2 && w.at >= b.from[0]-3 {
				n, _ := strconv.Atoi(m[1])
				b.signs.Endings = []int{n}
				if m[2] != "" {
					last, _ := strconv.Atoi(m[2])
					b.signs.Endings = append(b.signs.Endings, last)
				}
				break
			}
		}
	}
}

var timesWord = regexp.MustCompile(`(?i)^\(?(?:x\s?(\d)|(\d)\s?x)\)?$`)

// times reads how often a repeat is played: x3 behind a line or above.
func (r *reader) times(bars []bar) {
	if len(bars) == 0 {
		return
	}
	s := &r.systems[bars[0].system]
	lines := [][]rune{}
	for _, k := range s.above {
		lines = append(lines, r.text[k])
	}
	for k, line := range s.lines {
		lines = append(lines, line[min(len(line), bars[len(bars)-1].to[k]):])
	}
	for _, line := range lines {
		for _, w := range words(line) {
			m := timesWord.FindStringSubmatch(strings.Trim(w.text, ":*]"))
			if m == nil {
				continue
			}
			n, _ := strconv.Atoi(m[1] + m[2])
			for i := len(bars) - 1; i >= 0; i-- {
				if bars[i].signs.Again > 0 && n >= 2 {
					bars[i].signs.Again = n
					return
				}
			}
		}
	}
}

// digits gives the picking hand's letters under a column to its notes, the thumb's to the lowest.
func (r *reader) digits(line []rune, bars []bar) {
	ws := words(line)
	for i := range bars {
		b := &bars[i]
		for _, w := range within(ws, b) {
			c := b.nearest(w.at, 1)
			if !strings.Contains("pima", w.text[:1]) {
				continue
			}
			if c < 0 || len(w.text) > len(b.columns[c].tokens) {
				continue
			}
			plucked := slices.DeleteFunc(slices.Clone(b.columns[c].tokens), func(k int) bool {
				how := b.tokens[k].how
				return how == play.Hammer || how == play.Pull || how == play.Tapped
			})
			if struck := slices.DeleteFunc(slices.Clone(plucked), func(k int) bool { return b.tokens[k].how == play.Glide }); len(struck) == len(w.text) {
				plucked = struck // the slide may carry a note on without its being plucked
			}
			if len(plucked) != len(w.text) && len(w.text) > 1 {
				continue
			}
			slices.SortFunc(plucked, func(x, y int) int { return b.tokens[y].str - b.tokens[x].str })
			if w.text == string(play.P) && len(plucked) > 1 {
				plucked = plucked[:1] // what the fingers do with it is not said
			}
			for n, k := range plucked {
				n = min(n, len(w.text)-1) // one that brushes stands once
				b.tokens[k].digit = play.Digit(w.text[n : n+1])
			}
		}
	}
}

// nearest is the column at a place, or next to it by so many characters; -1 if there is none.
func (b *bar) nearest(at, by int) int {
	best := -1
	for i := range b.columns {
		if d := abs(b.columns[i].at - at); d <= by && (best < 0 || d < abs(b.columns[best].at-at)) {
			best = i
		}
	}
	return best
}

func abs(n int) int { return max(n, -n) }

// inBeat is where in a beat what is counted aloud lies.
var inBeat = map[string]float64{"e": 0.25, "&": 0.5, "+": 0.5, "and": 0.5, "i": 0.5, "a": 0.75, "trip": 1. / 3, "let": 2. / 3}

// byCount times the bar by a line that counts beats: 1 & 2 & 3 e & a. first tells a pickup, which begins late in its bar.
func (b *bar) byCount(ws []word, first bool) bool {
	if len(ws) == 0 || len(b.columns) == 0 && len(ws) < 2 {
		return false
	}
	times := make([]float64, len(ws))
	beat := -1.0
	for i, w := range ws {
		if v, err := strconv.ParseFloat(w.text, 64); err == nil {
			if times[i] = v; v == math.Trunc(v) {
				beat = v
			}
		} else if beat < 0 { // before the first beat: of the one before the next
			next := 2.0
			for _, x := range ws[i+1:] {
				if v, err := strconv.ParseFloat(x.text, 64); err == nil {
					next = v
					break
				}
			}
			times[i] = next - 1 + inBeat[w.text]
		} else {
			times[i] = beat + inBeat[w.text]
		}
		if i > 0 && times[i] <= times[i-1] {
			return false
		}
	}
	unit := b.meter.Unit()
	start := 1.0
	if first && times[0] > 1 {
		start = times[0]
	}
	at := func(v float64) tune.Time { return onGrid((v-start)*unit.Quarters(), 48) }
	full := b.meter.Bar()
	b.length = full
	if start > 1 {
		b.length = full - onGrid((start-1)*unit.Quarters(), 48)
	}
	b.written = true
	if last := times[len(times)-1]; at(last) >= b.length { // more beats than the meter has
		b.length = at(math.Floor(last) + 1)
	}
	for i := range b.columns {
		b.columns[i].time = b.between(ws, times, b.columns[i].at, at)
	}
	return b.ascends()
}

// between is the time of a place, by words that say times.
func (b *bar) between(ws []word, times []float64, col int, at func(float64) tune.Time) tune.Time {
	for i, w := range ws {
		if abs(w.at-col) == 0 {
			return at(times[i])
		}
	}
	for i, w := range ws {
		if abs(w.at-col) == 1 {
			return at(times[i])
		}
	}
	k := 0
	for k < len(ws) && ws[k].at < col {
		k++
	}
	switch {
	case k == 0:
		return 0
	case k == len(ws): // after the last word the beat goes on to the bar's end
		share := float64(col-ws[k-1].at) / float64(max(1, b.width()-ws[k-1].at))
		from := at(times[k-1])
		return onGrid(from.Quarters()+share*(b.length-from).Quarters(), 4)
	}
	share := float64(col-ws[k-1].at) / float64(ws[k].at-ws[k-1].at)
	return onGrid(at(times[k-1]).Quarters()+share*(times[k]-times[k-1])*b.meter.Unit().Quarters(), 4)
}

// ascends makes times of columns ascend; false if two fall together.
func (b *bar) ascends() bool {
	for i := range b.columns {
		if i > 0 && b.columns[i].time <= b.columns[i-1].time || b.columns[i].time >= b.length {
			return false
		}
	}
	return true
}

// onGrid is the nearest multiple of a part of a quarter, not before 0.
func onGrid(quarters float64, parts int) tune.Time {
	return max(0, tune.Time(math.Round(quarters*float64(parts)))*tune.Quarter/tune.Time(parts))
}

// values of the letters, in quarters.
var values = map[byte]float64{'w': 4, 'h': 2, 'q': 1, 'e': 0.5, 's': 0.25, 't': 0.125}

// byValues times the bar by a line of lengths: each over its note, or where there is none a rest.
func (b *bar) byValues(ws []word) bool {
	var lengths []tune.Time
	var sum tune.Time
	for _, w := range ws {
		m := restWord.FindStringSubmatch(w.text)
		if m == nil {
			return false
		}
		v := values[strings.ToLower(m[1])[0]]
		v *= 2 - math.Pow(0.5, float64(len(m[2])))
		if m[3] != "" {
			v *= 2. / 3
		}
		lengths = append(lengths, onGrid(v, 96))
	}
	at := make([]tune.Time, len(lengths))
	for i := range lengths {
		at[i] = sum
		sum += lengths[i]
	}
	used := map[int]bool{}
	for i := range b.columns {
		best := -1
		for k, w := range ws {
			if d := abs(w.at - b.columns[i].at); d <= 1 && !used[k] && (best < 0 || d < abs(ws[best].at-b.columns[i].at)) {
				best = k
			}
		}
		if best < 0 {
			return false
		}
		used[best] = true
		b.columns[i].time = at[best]
	}
	b.length, b.written = sum, true
	return sum > 0 && (b.ascends() || len(b.columns) == 0)
}

// Rasters that spacing is held against, in parts of a quarter, and what a finer one costs.
var rasters = []int{1, 2, 4, 3, 8, 6}

const rasterCost = 0.008

// trailCost is what a dash at the end of a bar costs that is missing or too much.
const trailCost = 0.004

// bySpacing times the bar by where its columns stand: the whole width is the bar.
func (b *bar) bySpacing() {
	b.length, b.written = b.meter.Bar(), false
	if len(b.columns) == 0 {
		return
	}
	first, width := b.columns[0].at, b.width()
	quarters := b.length.Quarters()
	best := math.Inf(1)
	var times []tune.Time
	for _, lead := range []int{0, 1, first} {
		for trail := -1; trail <= 1; trail++ { // a bar may lack its last dash, or have one more
			room := float64(width - lead - trail)
			if lead > first || room <= 0 {
				continue
			}
			for _, raster := range rasters {
				if try, cost, ok := b.onRaster(lead, room, quarters, raster); ok && cost+trailCost*float64(abs(trail)) < best {
					best, times = cost+trailCost*float64(abs(trail)), try
				}
			}
		}
	}
	if times == nil { // closer than any raster: in order, evenly
		for i := range b.columns {
			times = append(times, b.length*tune.Time(i)/tune.Time(len(b.columns))/210*210)
		}
	}
	for i := range b.columns {
		b.columns[i].time = times[i]
	}
}

func (b *bar) onRaster(lead int, room, quarters float64, raster int) (times []tune.Time, cost float64, ok bool) {
	off := 0.0
	for i := range b.columns {
		at := float64(b.columns[i].at-lead) / room * quarters
		t := onGrid(at, raster)
		if t >= b.length || i > 0 && t <= times[i-1] {
			return nil, 0, false
		}
		off += math.Abs(at - t.Quarters())
		times = append(times, t)
	}
	cost = off/float64(len(b.columns)) + rasterCost*float64(raster)
	if times[0] != 0 {
		cost += 0.01 // a bar rather begins with a note
	}
	return times, cost, true
}

// chordNear is how many characters from its column a chord symbol may stand.
const chordNear = 3

// chordTime is when a symbol over the strings begins: the first of its bar with the bar line if it stands near it and within the first
// beat; else with the column under it, or with one near by that is on a beat.
func (b *bar) chordTime(col int) tune.Time {
	if col <= chordNear && col <= b.chords[0].at-b.start() && b.timeAt(col) < b.meter.Unit() {
		return 0
	}
	if i := b.nearest(col, 0); i >= 0 {
		return b.columns[i].time
	}
	best := -1
	for i := range b.columns {
		if d := abs(b.columns[i].at - col); d <= chordNear && b.columns[i].time%b.meter.Unit() == 0 && (best < 0 || d < abs(b.columns[best].at-col)) {
			best = i
		}
	}
	if best >= 0 {
		return b.columns[best].time
	}
	return b.timeAt(col)
}

// timeAt is the time of a place in the bar, by the columns around it.
func (b *bar) timeAt(col int) tune.Time {
	if i := b.nearest(col, 1); i >= 0 {
		return b.columns[i].time
	}
	if len(b.columns) == 0 || col <= b.columns[0].at {
		return 0
	}
	k := len(b.columns) - 1
	for b.columns[k].at > col {
		k--
	}
	from, to, end, fromAt := b.columns[k].time, b.length, b.width(), b.columns[k].at
	if k+1 < len(b.columns) {
		to, end = b.columns[k+1].time, b.columns[k+1].at
	}
	share := float64(col-fromAt) / float64(max(1, end-fromAt))
	t := onGrid(from.Quarters()+share*(to-from).Quarters(), 2)
	return max(from, min(t, b.length-1)/(tune.Quarter/4)*(tune.Quarter/4))
}
