package tabtext

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"stepping/core/play"
	"stepping/core/score"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/plaintext"
)

// header is what the words around the tablature say.
type header struct {
	title    string
	tuning   string
	capo     int
	tempo    float64
	swing    float64
	meter    tune.MeterAt
	hasMeter bool
	angles   bool // <5> is a slide note, as this program writes it
	blues    bool // the words say that it is one
	hits     bool // a line of percussion may stand below
}

// system is the lines of one row of bars, with what stands above and below.
type system struct {
	first        int      // line, from 0
	lines        [][]rune // string 1 first
	starts       []int    // column where each line's music begins
	names        []string
	above, below []int // lines of words, nearest first
}

// reader reads one page.
type reader struct {
	text    [][]rune
	rows    []onString // of each line
	head    header
	systems []system
	flipped bool // string 6 stands on top
	strings int
	tuning  tuning.Tuning
	out     *score.Score
	bars    []bar
}

func fault(line, column int, format string, args ...any) *score.Fault {
	return &score.Fault{Line: line, Column: column, Text: fmt.Sprintf(format, args...)}
}

// load splits the text into lines.
func load(in io.Reader) ([][]rune, error) {
	data, err := io.ReadAll(io.LimitReader(in, score.MaxText+1))
	if err != nil {
		return nil, fmt.Errorf("read tablature: %w", err)
	}
	if len(data) > score.MaxText {
		return nil, fault(1, 1, "the text is longer than 1 MiB: give one tune at a time")
	}
	text, err := plaintext.Decode(data)
	if at := (*plaintext.Error)(nil); errors.As(err, &at) {
		return nil, fault(at.Line, at.Column, "%s; tablature is plain text, a line of dashes for each string", at.Text)
	}
	var out [][]rune
	for _, line := range strings.Split(strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n"), "\n") {
		out = append(out, []rune(expandTabs(line)))
	}
	return out, nil
}

// expandTabs puts spaces for tab stops every eight columns.
func expandTabs(s string) string {
	if !strings.Contains(s, "\t") {
		return s
	}
	var b strings.Builder
	n := 0
	for _, r := range s {
		if r == '\t' {
			b.WriteString(strings.Repeat(" ", 8-n%8))
			n += 8 - n%8
			continue
		}
		b.WriteRune(r)
		n++
	}
	return b.String()
}

// isDash reports whether r is a stretch of string.
func isDash(r rune) bool {
	return r == '-' || r == '—' || r == '–' || r == '_' || r == '‒' || r == '='
}

func isBar(r rune) bool { return r == '|' || r == '‖' || r == '¦' || r == '│' }

// others are the characters next to dashes, bars and digits that stand on a string.
const others = "hHpPbBrRsStTxXvVoOM~^*<>()[]{}/\\:.+' \u00bd\u00bc"

// tabLine takes a line for one string: its name and where its music begins; ok is false if it is none.
func tabLine(line []rune) (name string, start int, ok bool) {
	name, at := stringName(line)
	if at >= len(line) || !isDash(line[at]) && !isBar(line[at]) && line[at] != ':' &&
		!(name == "" && line[at] >= '0' && line[at] <= '9') && line[at] != '<' && line[at] != '[' {
		return "", 0, false
	}
	dashes, marks := 0, 0
	for _, r := range line[at:] {
		switch {
		case isDash(r):
			dashes++
		case isBar(r) || r == ' ':
		case r >= '0' && r <= '9' || strings.ContainsRune(others, r):
			marks++
		default:
			return "", 0, false
		}
	}
	return name, at, dashes >= 2 && 8*dashes >= marks
}

// stringName reads the name of a string at the beginning of a line, a note with an octave or without, and the blanks around it.
func stringName(line []rune) (name string, at int) {
	blanks := func() {
		for at < len(line) && unicode.IsSpace(line[at]) {
			at++
		}
	}
	blanks()
	from := at
	if at < len(line) && strings.ContainsRune("ABCDEFGabcdefg", line[at]) {
		at++
		if at < len(line) && strings.ContainsRune("#♯b♭", line[at]) {
			at++
		}
		if at < len(line) && line[at] >= '0' && line[at] <= '9' {
			at++
		}
	}
	name = string(line[from:at])
	blanks()
	return name, at
}

// onString is what a line is for the strings.
type onString struct {
	name  string
	start int // of its music
	ok    bool
}

// look finds out of every line whether it is for a string.
func (r *reader) look() {
	for _, line := range r.text {
		name, start, ok := tabLine(line)
		r.rows = append(r.rows, onString{name, start, ok})
	}
}

// MostStrings bounds the lines of a system.
const (
	fewestStrings = tuning.MinStrings
	mostStrings   = tuning.MaxStrings
)

// findSystems groups lines of strings.
func (r *reader) findSystems() error {
	type run struct{ from, to int }
	var runs []run
	for i := 0; i < len(r.text); i++ {
		if !r.rows[i].ok {
			continue
		}
		if n := len(runs); n > 0 && runs[n-1].to == i {
			runs[n-1].to++
		} else {
			runs = append(runs, run{i, i + 1})
		}
	}
	if !slices.ContainsFunc(runs, func(x run) bool { return x.to-x.from >= fewestStrings }) {
		return fault(1, 1, "there is no tablature here: write six lines of dashes below each other, one for each string, with the frets on them")
	}
	runs = slices.DeleteFunc(runs, func(x run) bool { return x.to-x.from < fewestStrings-1 }) // words with dashes
	r.strings = r.stringsOf(func(yield func(int) bool) {
		for _, x := range runs {
			if !yield(x.to - x.from) {
				return
			}
		}
	})
	for _, x := range runs {
		n := x.to - x.from
		if n%r.strings != 0 {
			return fault(x.from+1, 1, "there are %d lines of strings here and there should be %d: one is missing or too many", n, r.strings)
		}
		for from := x.from; from < x.to; from += r.strings {
			s := system{first: from}
			for k := range r.strings {
				on := &r.rows[from+k]
				s.names, s.starts, s.lines = append(s.names, on.name), append(s.starts, on.start), append(s.lines, r.text[from+k])
			}
			r.systems = append(r.systems, s)
		}
	}
	r.findWords()
	return nil
}

// stringsOf is how many strings the guitar has: what the header says, six if any row has six, else what most rows have.
func (r *reader) stringsOf(runs func(func(int) bool)) int {
	if r.head.tuning != "" {
		if t, err := tuning.ParseAny(r.head.tuning); err == nil {
			return t.Len()
		}
	}
	count := map[int]int{}
	best := tuning.Strings
	for n := range runs {
		count[n]++
		if n%tuning.Strings == 0 {
			return tuning.Strings
		}
	}
	for n := fewestStrings; n <= mostStrings; n++ {
		if count[n] > count[best] {
			best = n
		}
	}
	if best == tuning.Strings-1 { // no guitar has five: one is missing
		return tuning.Strings
	}
	return best
}

// wordLines is how far from a system words may stand.
const wordLines = 4

// findWords gives each system the lines above and below that are no strings.
func (r *reader) findWords() {
	for i := range r.systems {
		s := &r.systems[i]
		before, after := -1, len(r.text)
		if i > 0 {
			before = r.systems[i-1].first + r.strings - 1
		}
		if i+1 < len(r.systems) {
			after = r.systems[i+1].first
		}
		for k := s.first - 1; k > before && k >= s.first-wordLines && len(strings.TrimSpace(string(r.text[k]))) > 0; k-- {
			s.above = append(s.above, k)
		}
		for k := s.first + r.strings; k < after && k < s.first+r.strings+wordLines && len(strings.TrimSpace(string(r.text[k]))) > 0; k++ {
			s.below = append(s.below, k)
		}
	}
	for i := 1; i < len(r.systems); i++ { // without a blank line between, words below one system are its own if they are a rhythm or digits
		if up := &r.systems[i-1]; len(up.below) > 0 {
			s := &r.systems[i]
			s.above = slices.DeleteFunc(s.above, func(k int) bool { return slices.Contains(up.below, k) && r.belongsBelow(k) })
			up.below = slices.DeleteFunc(up.below, func(k int) bool { return slices.Contains(s.above, k) })
		}
	}
}

var (
	tuningLine = regexp.MustCompile(`(?i)^\s*(?:tuning|tuned|tune)(?:\s*\([^)]*\))?\s*(?:to|is)?\s*[:=]?\s*(.+?)\s*$`)
	capoLine   = regexp.MustCompile(`(?i)\bcapo\b\D{0,12}(\d{1,2}|none|no)`)
	tempoLine  = regexp.MustCompile(`(?i)(?:(?:tempo|bpm|speed)\s*[:=]?\s*(?:ca\.?\s*)?|(?:\bq|♩|quarter)\s*=\s*)(\d{2,3}(?:\.\d+)?)|(\d{2,3}(?:\.\d+)?)\s*bpm`)
	meterLine  = regexp.MustCompile(`(?i)\b(?:time|meter|metre|time signature)\s*[:=]?\s*(\d{1,2})\s*/\s*(\d{1,2})\b|(?:^|[\s(])([2-9]|12)/([48])(?:[\s).,;]|$)`)
	labelWord  = regexp.MustCompile(`(?i)^(?:tuning|tuned(?: to)?|capo|tempo|speed|time|meter|metre|key)$`)
	bluesWord  = regexp.MustCompile(`(?i)\b(?:blues|rag|ragtime|boogie|stomp)\b`)
	titleLine  = regexp.MustCompile(`(?i)^\s*(?:title|song|tune|name)\s*:\s*(.+?)\s*$`)
)

// readHeader reads the words before the first system; later lines may still say tuning and capo.
func (r *reader) readHeader() {
	read := 0
	for i, runes := range r.text {
		if !r.rows[i].ok && len(runes) <= longestWords && read < mostWords {
			r.headerLine(string(runes), i)
			read++
		}
	}
	r.head.angles = r.head.angles || r.meansSlide()
}

// Bounds of the lines in which words are looked for: of each in characters, and how many.
const (
	longestWords = 300
	mostWords    = 1000
)

var angled = regexp.MustCompile(`<(\d+(?:\.\d+)?)>`)

// manyAngled is the share of numbers in angles from which they are not harmonics.
const manyAngled = 0.25

// meansSlide tells numbers in angles that are slide notes from harmonics: they stand where no harmonic is, or are too many.
func (r *reader) meansSlide() bool {
	total, in := 0, 0
	for i, runes := range r.text {
		if !r.rows[i].ok {
			continue
		}
		total += numbers(runes)
		if !slices.Contains(runes, '<') {
			continue
		}
		line := string(runes)
		for _, m := range angled.FindAllStringSubmatch(line, -1) {
			fret, err := strconv.ParseFloat(m[1], 64)
			if _, ok := play.NodeAt(fret); err != nil || !ok && fret != 19 && fret != 24 {
				return true
			}
			in++
		}
	}
	return float64(in) >= manyAngled*float64(max(total, 1)) && in > 2
}

// numbers counts the runs of digits.
func numbers(line []rune) (n int) {
	for i, r := range line {
		if r >= '0' && r <= '9' && (i == 0 || line[i-1] < '0' || line[i-1] > '9') {
			n++
		}
	}
	return n
}

func (r *reader) headerLine(line string, i int) {
	h := &r.head
	used := false
	if m := tuningLine.FindStringSubmatch(line); m != nil && h.tuning == "" {
		used = true
		parts := strings.FieldsFunc(m[1], func(r rune) bool { return r == ',' || r == '(' || r == ')' })
		for _, text := range append([]string{m[1]}, parts...) {
			if _, err := tuning.ParseAny(text); err == nil && h.tuning == "" {
				h.tuning = text
			}
		}
	}
	if m := capoLine.FindStringSubmatch(line); m != nil {
		h.capo, _ = strconv.Atoi(m[1])
		h.capo, used = min(h.capo, tuning.MaxCapo), true
	}
	h.blues = h.blues || bluesWord.MatchString(line)
	if t := tuningIn(line); t != "" && h.tuning == "" {
		h.tuning, used = t, true
	}
	if share, ok := score.SwingWords(line); ok && h.swing == 0 {
		h.swing, used = share, true
	}
	if m := tempoLine.FindStringSubmatch(line); m != nil && h.tempo == 0 {
		v, err := strconv.ParseFloat(m[1]+m[2], 64)
		if err == nil && v >= 10 && v <= 400 {
			h.tempo, used = v, true
		}
	}
	if all := meterLine.FindAllStringSubmatch(line, -1); len(all) > 0 && !h.hasMeter {
		m := all[len(all)-1] // "12/8? no: 4/4"
		num, _ := strconv.Atoi(m[1] + m[3])
		den, _ := strconv.Atoi(m[2] + m[4])
		if num >= 1 && num <= 16 && (den == 2 || den == 4 || den == 8 || den == 16) {
			h.meter, h.hasMeter, used = tune.MeterAt{Num: num, Den: den}, true, true
		}
	}
	lower := strings.ToLower(line)
	if strings.Contains(lower, "<5> slide") || strings.Contains(lower, "< > slide") || strings.Contains(lower, "<> slide") ||
		strings.Contains(lower, "<n> slide") {
		h.angles, used = true, true
	}
	if strings.Contains(lower, "s slap") {
		h.hits, used = true, true
	}
	if m := titleLine.FindStringSubmatch(line); m != nil && !used {
		h.title = m[1]
		return
	}
	if h.title == "" && i < 5 && !isWordsOfMusic(line) && !isCount([]rune(line)) && !isValues([]rune(line)) {
		h.title = titleIn(line, used)
	}
}

// titleIn is the title on a line; if the line says something else, too, it is what stands before that.
func titleIn(line string, used bool) string {
	if !used {
		return strings.TrimSpace(line)
	}
	part := partsOf(line)[0]
	if i := strings.Index(part, "   "); i > 0 {
		part = part[:i]
	}
	_, swings := score.SwingWords(part)
	if len(part) < 3 || labelWord.MatchString(part) || swings || tuningLine.MatchString(part) || capoLine.MatchString(part) || tempoLine.MatchString(part) || meterLine.MatchString(part) || tuningIn(part) != "" {
		return ""
	}
	return part
}

// parts are divided by signs, and by dashes with a blank before them.
var parts = regexp.MustCompile(`[,;:()=]|\s[-–—]+\s`)

// partsOf are what stands between such signs; the first may be empty.
func partsOf(line string) (out []string) {
	for _, p := range parts.Split(line, -1) {
		out = append(out, strings.TrimSpace(p))
	}
	return out
}

// tuningIn is a known tuning that a line names by name or notes, like "(open G)"; "" if it names none.
func tuningIn(line string) string {
	for _, p := range partsOf(strings.TrimSpace(line)) {
		if len(p) < len("Open D") || len(p) > 40 {
			continue
		}
		if t, err := tuning.ParseAny(p); err == nil && t.Len() == tuning.Strings && tuning.Identify(t).Name != "" {
			return p
		}
	}
	return ""
}

// isWordsOfMusic reports whether a line is chords or a rhythm rather than words.
func isWordsOfMusic(line string) bool {
	for _, w := range words([]rune(line)) {
		if !isChordWord(w.text) {
			return false
		}
	}
	return true
}

// settleTuning finds the tuning: the one asked for, the header's, the names of the lines, the one given for paper that
// does not say, else standard.
func (r *reader) settleTuning(asked, otherwise *tuning.Tuning) error {
	r.flip()
	named, ok := r.namedTuning()
	switch {
	case asked != nil:
		r.tuning = *asked
	case r.head.tuning != "":
		r.tuning, _ = tuning.ParseAny(r.head.tuning)
	case ok:
		r.tuning = named
	case otherwise != nil && otherwise.Len() == r.strings:
		r.tuning = *otherwise
	case r.strings == tuning.Strings:
		r.tuning, _ = tuning.Parse("Standard")
	default:
		return fault(r.systems[0].first+1, 1,
			"there are many tunings for %d strings: give yours in a line like \"Tuning: D2 G2 B2 D3\"", r.strings)
	}
	if ok && asked == nil && named != r.tuning && named.Len() == r.tuning.Len() {
		r.out.Warn(r.systems[0].first+1, 1, "the text says %s but the strings are labelled %s: read as %s. If that is wrong, set the tuning it is written for", tuningName(r.tuning), tuningName(named), tuningName(r.tuning))
	}
	if r.tuning.Len() != r.strings {
		return fault(r.systems[0].first+1, 1, "there are %d lines of strings here, and the tuning has %d", r.strings, r.tuning.Len())
	}
	return nil
}

func tuningName(t tuning.Tuning) string { return cmp.Or(tuning.Identify(t).Name, t.String()) }

// namedTuning is the tuning that the lines' names say, from the bottom up.
func (r *reader) namedTuning() (tuning.Tuning, bool) {
	names := slices.Clone(r.systems[0].names)
	if slices.Contains(names, "") {
		return tuning.Tuning{}, false
	}
	if !r.flipped {
		slices.Reverse(names)
	}
	for i := range names {
		names[i] = strings.ToUpper(names[i][:1]) + strings.NewReplacer("♯", "#", "♭", "b").Replace(names[i][1:])
	}
	t, err := tuning.ParseAny(strings.Join(names, " "))
	return t, err == nil
}

// flip finds out whether string 6 stands on top: the names then read E A D G B E downwards.
func (r *reader) flip() {
	names := strings.ToUpper(strings.Join(r.systems[0].names, " "))
	r.flipped = names == "E A D G B E"
	if !r.flipped {
		return
	}
	for i := range r.systems {
		s := &r.systems[i]
		slices.Reverse(s.lines)
		slices.Reverse(s.starts)
		slices.Reverse(s.names)
	}
}

// lineOf is the line of the page, from 0, on which string s (from 1) of a system stands.
func (r *reader) lineOf(s *system, str int) int {
	if r.flipped {
		return s.first + r.strings - str
	}
	return s.first + str - 1
}

// word is what stands between spaces, at a column from 0.
type word struct {
	at   int
	text string
}

// longLine is a line that no page has: words on it are not looked at.
const longLine = 4000

// words splits a line at spaces and bars.
func words(line []rune) (out []word) {
	if len(line) > longLine {
		return nil
	}
	at := -1
	for i := 0; i <= len(line); i++ {
		if i < len(line) && line[i] != ' ' && !isBar(line[i]) {
			if at < 0 {
				at = i
			}
			continue
		}
		if at >= 0 {
			out = append(out, word{at, string(line[at:i])})
		}
		at = -1
	}
	return out
}
