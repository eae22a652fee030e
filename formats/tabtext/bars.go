package tabtext

import (
	"slices"
	"strconv"
	"strings"

	"stepping/core/chord"
	"stepping/core/play"
	"stepping/core/score"
	"stepping/core/tune"
)

// bar is a bar as it stands on the page.
type bar struct {
	system  int
	from    []int // column where each string's part begins, by string from 0
	to      []int
	tokens  []token
	columns []stack // what begins together, from left to right
	chords  []chordWord
	signs   score.Signs
	section bool
	meter   tune.MeterAt
	length  tune.Time
	written bool // length is what its rhythm adds up to
}

// token is a number or a dead string.
type token struct {
	str        int // from 1
	col, end   int // on its line, from 0; with what belongs to it
	num, width int // column and width of the number itself
	slip       int // by which col was moved, see unslip
	fret       float64
	how        play.How
	marks      tune.Marks
	dead, tied bool
	digit      play.Digit
	second     bool
}

// stack is tokens that begin together.
type stack struct {
	at     int // from the bar's beginning
	tokens []int
	time   tune.Time
	tied   bool // all of it goes on from before
}

type chordWord struct {
	word
	line  int
	chord chord.Chord
	time  tune.Time
}

// segment is a stretch of a line between bar lines, and the signs after it.
type segment struct {
	from, to int
	before   string
	after    string
}

// segments cuts a line at its bar lines, with the repeat signs next to them.
func segments(line []rune, start int) (out []segment) {
	before, from := "", start
	for i := start; i < len(line); {
		if !isBar(line[i]) {
			i++
			continue
		}
		lo, hi := i, i+1
		for lo > from && (line[lo-1] == ':' || line[lo-1] == '*') {
			lo--
		}
		for hi < len(line) && (isBar(line[hi]) || line[hi] == ':' || line[hi] == ']' || line[hi] == '*') {
			hi++
		}
		signs := string(line[lo:hi])
		if lo > from && strings.TrimSpace(string(line[from:lo])) != "" {
			out = append(out, segment{from, lo, before, signs})
		} else if n := len(out); n > 0 {
			if len(out[n-1].after) < longestSigns {
				out[n-1].after += signs
			}
		}
		before, from, i = signs, hi, hi
	}
	if rest := strings.TrimSpace(string(line[min(from, len(line)):])); rest != "" &&
		strings.ContainsFunc(rest, func(r rune) bool { return isDash(r) }) {
		out = append(out, segment{from, len(line), before, ""})
	}
	return out
}

// longestSigns bounds the signs at a bar line, in bytes.
const longestSigns = 32

// cut cuts a system into bars. Where one line has other bar lines than the rest, the columns of most hold.
func (r *reader) cut(at int) error {
	s := &r.systems[at]
	var lines [][]segment
	count := map[int]int{}
	for k, line := range s.lines {
		segs := segments(line, s.starts[k])
		if len(segs) > score.MaxBars {
			return fault(s.first+k+1, 1, "there are more than %d bars: give one tune at a time", score.MaxBars)
		}
		lines = append(lines, segs)
		count[len(segs)]++
	}
	n := 0
	for c := range count {
		if count[c] > count[n] || count[c] == count[n] && c > n {
			n = c
		}
	}
	if 2*count[n] <= len(lines) {
		return fault(s.first+1, 1, "the strings of this system have different numbers of bars: give each string the same bar lines")
	}
	model := slices.IndexFunc(lines, func(l []segment) bool { return len(l) == n })
	for k, segs := range lines {
		if len(segs) != n {
			r.out.Warn(r.lineOf(s, k+1)+1, 1, "string %d has %d bars in this system and the others %d: it was read by the columns of the others", k+1, len(segs), n)
			lines[k] = slices.Clone(lines[model])
			for i := range lines[k] {
				lines[k][i].to = min(lines[k][i].to, len(s.lines[k]))
			}
		}
	}
	for i := range n {
		b := bar{system: at}
		again, start, double := 0, 0, 0
		for k := range lines {
			seg := lines[k][i]
			b.from, b.to = append(b.from, seg.from), append(b.to, max(seg.from, seg.to))
			if strings.HasSuffix(seg.before, ":") || strings.HasSuffix(seg.before, "*") {
				start++
			}
			if strings.HasPrefix(seg.after, ":") || strings.HasPrefix(seg.after, "*") {
				again++
			}
			if strings.Count(seg.after, "|") > 1 || strings.ContainsAny(seg.after, "‖]") {
				double++
			}
		}
		if start > 0 {
			b.signs.Start = 1
		}
		if again > 0 {
			b.signs.Again = 2
		}
		b.section = double > 0
		b.signs.Close = b.section
		for k := range lines {
			b.tokens = append(b.tokens, r.tokens(s.lines[k], k+1, b.from[k], b.to[k])...)
		}
		if len(b.tokens) > mostInBar {
			return fault(s.first+1, b.from[0]+1, "this bar has more than %d notes: bar lines are missing", mostInBar)
		}
		r.bars = append(r.bars, b)
	}
	return nil
}

// mostInBar bounds the notes of a bar; looking for what stands over what takes their square.
const mostInBar = 400

// maxFret is the highest number that is one number; 36 in a row is a 3 and a 6.
const maxFret = 27

// scanner reads the tokens of one string of a bar.
type scanner struct {
	line     []rune
	str      int
	i, to    int
	angles   bool
	out      []token
	pend     rune // a sign that waits for its number
	pendAt   int
	released bool
}

func (r *reader) tokens(line []rune, str, from, to int) []token {
	s := &scanner{line: line, str: str, i: from, to: min(to, len(line)), angles: r.head.angles}
	for s.i < s.to && len(s.out) <= mostInBar {
		s.step()
	}
	for i := range s.out {
		if _, ok := play.NodeAt(s.out[i].fret); s.out[i].how == play.Harmonic && !ok {
			s.out[i].how = "" // no harmonic is played there: it is read as pressed
		}
	}
	return s.out
}

// last is the token that ends where the scanner is, nil if none does.
func (s *scanner) last() *token {
	if n := len(s.out); n > 0 && s.out[n-1].end == s.i {
		return &s.out[n-1]
	}
	return nil
}

// step reads what stands at s.i.
func (s *scanner) step() {
	c := s.line[s.i]
	last := s.last()
	grow := func() {
		s.i++
		if last != nil {
			last.end = s.i
		}
	}
	switch {
	case c >= '0' && c <= '9':
		s.number(0)
	case strings.ContainsRune("<([{", c):
		s.enclosed(c)
	case c == 'x' || c == 'X':
		s.add(token{col: s.i, num: s.i, width: 1, dead: true})
		s.i++
	case c == '~' || c == 'v' || c == 'V':
		if last != nil {
			last.marks |= tune.Vibrato
		}
		grow()
	case (c == '*' || c == 'o' || c == 'O' || c == '\'') && last != nil:
		last.how = play.Harmonic
		grow()
	case c == 'b' && last != nil:
		s.bend(last)
	case c == 'P' && s.i+1 < s.to && s.line[s.i+1] == 'M':
		s.i += 2
	case strings.ContainsRune("hHpPbBrRsStT/\\", c):
		s.pend, s.pendAt = c, s.i
		if last != nil {
			s.pendAt = s.i + 1 // a sign between two numbers belongs to no column
			last.end = s.i + 1
		}
		s.i++
	default:
		s.i++
	}
}

// digits reads a number without its fraction.
func (s *scanner) digits() (n, width int) {
	for width < 2 && s.i+width < s.to && s.line[s.i+width] >= '0' && s.line[s.i+width] <= '9' {
		next := 10*n + int(s.line[s.i+width]-'0')
		if width == 1 && (next > maxFret || n == 0) {
			break
		}
		n = next
		width++
	}
	return n, width
}

// number reads a fret and adds it, with the sign that waited for it.
func (s *scanner) number(open rune) {
	at := s.i
	n, width := s.digits()
	s.i += width
	fret := float64(n)
	if s.i+1 < s.to && s.line[s.i] == '.' && s.line[s.i+1] >= '0' && s.line[s.i+1] <= '9' {
		end := s.i + 1
		for end < s.to && end < s.i+3 && s.line[end] >= '0' && s.line[end] <= '9' {
			end++
		}
		fret, _ = strconv.ParseFloat(string(s.line[at:end]), 64)
		s.i = end
	}
	t := token{col: at, num: at, width: s.i - at, fret: fret}
	if open != 0 {
		t.col = at - 1
		if s.i < s.to && strings.ContainsRune(">)]}", s.line[s.i]) {
			s.i++
		}
		switch {
		case open == '<' && s.angles:
			t.how = play.Slide
		case open == '<':
			t.how = play.Harmonic
		case open == '(':
			t.tied = s.sameBefore(fret)
		}
	}
	s.add(t)
}

// sameBefore reports whether the string's last note in this bar was at that fret; at its beginning it may go on from before.
func (s *scanner) sameBefore(fret float64) bool {
	if n := len(s.out); n > 0 {
		return s.out[n-1].fret == fret && !s.out[n-1].dead
	}
	return true
}

// enclosed reads <5>, (5), [5]; a bracket around something else is nothing.
func (s *scanner) enclosed(open rune) {
	s.i++
	if s.i < s.to && s.line[s.i] >= '0' && s.line[s.i] <= '9' {
		s.number(open)
	}
}

// add adds a token, made by the sign that waited for it.
func (s *scanner) add(t token) {
	t.str, t.end = s.str, max(s.i, t.col+1)
	if s.pend != 0 {
		switch s.pend {
		case 'h', 'H':
			t.how = play.Hammer
		case 'p', 'P':
			t.how = play.Pull
		case 'r', 'R':
			if s.released {
				t.how = play.Pull
			}
		case 't', 'T':
			t.how = play.Tapped
		case 'b', 'B':
			t.how = play.Bend
		case '/', '\\', 's', 'S':
			t.marks |= tune.Scoop
			if t.how == play.Slide {
				t.how = play.Glide
			}
		}
		if s.pendAt == t.col-1 { // a sign hard before its number is in the number's column
			t.col--
		}
	}
	if last := s.before(); last != nil && last.num+last.width == t.num && s.pend == 0 {
		t.second = true
	}
	s.pend, s.released = 0, false
	s.out = append(s.out, t)
}

// before is the last token, nil if there is none.
func (s *scanner) before() *token {
	if n := len(s.out); n > 0 {
		return &s.out[n-1]
	}
	return nil
}

// fullBend is what a bend without a number is, in half steps.
const fullBend = 2

// bend reads what follows a number: 7b9, 7b(9), 7b, 7b9r7.
func (s *scanner) bend(t *token) {
	s.i++
	paren := s.i < s.to && s.line[s.i] == '('
	if paren {
		s.i++
	}
	t.how = play.Bend
	if n, width := s.digits(); width > 0 && float64(n) > t.fret && float64(n) <= t.fret+4 {
		s.i += width
		t.fret = float64(n)
	} else {
		t.fret += fullBend
	}
	if paren && s.i < s.to && s.line[s.i] == ')' {
		s.i++
	}
	t.end = s.i
	if s.i < s.to && (s.line[s.i] == 'r' || s.line[s.i] == 'R') {
		s.pend, s.released = 'r', true
		s.i++
		s.pendAt = s.i
		t.end = s.i
	}
}

// short is the one string, from 1, whose line lacks dashes in the bar, and how many; 0 if there is none or several are of other lengths.
func (b *bar) short() (str, by int) {
	widths := make([]int, len(b.from))
	for k := range b.from {
		widths[k] = b.to[k] - b.from[k]
	}
	width := usual(widths)
	for k, w := range widths {
		switch {
		case w != width && str > 0:
			return 0, 0 // lines of many lengths are a habit
		case w != width:
			str, by = k+1, width-w
		}
	}
	if by <= 0 || by > mostShort || len(widths) < 3 {
		return 0, 0
	}
	return str, by
}

// mostShort is how many dashes a line may lack.
const mostShort = 2

// unslip moves what stands behind a missing dash to where it belongs, and tells which line is short. The dash is missing where most of the
// line's numbers then are in columns of other lines, or at the distances that those have; of equals as far back as can be.
func (r *reader) unslip(b *bar) {
	str, by := b.short()
	if str == 0 {
		return
	}
	taken := map[int]bool{}
	odd, even := 0, 0
	var own []*token
	for i := range b.tokens {
		t := &b.tokens[i]
		if t.str == str {
			own = append(own, t)
			continue
		}
		at := t.col - b.from[t.str-1]
		taken[at] = true
		if at%2 == 0 {
			even++
		} else {
			odd++
		}
	}
	worth := func(at int) int {
		switch {
		case taken[at]:
			return 2
		case at%2 == 0 && even > 2*odd, at%2 == 1 && odd > 2*even:
			return 1
		}
		return 0
	}
	best, most := len(own), -1
	for cut := len(own); cut >= 0; cut-- {
		sum := 0
		for i, t := range own {
			at := t.col - b.from[str-1]
			if i >= cut {
				at += by
			}
			sum += worth(at)
		}
		if sum > most {
			best, most = cut, sum
		}
	}
	for _, t := range own[best:] {
		t.col, t.end = t.col+by, t.end+by
		t.slip = by
	}
	r.out.Warn(r.lineOf(&r.systems[b.system], str)+1, b.from[str-1]+1, "string %d is %d short in this bar: the notes after the missing dash were moved to line up", str, by)
}

// group puts tokens that overlap in one column: those of one time. Wider numbers push others aside by a character.
func (b *bar) group() {
	order := make([]int, len(b.tokens))
	for i := range order {
		order[i] = i
	}
	col := func(i int) int { return b.tokens[i].col - b.from[b.tokens[i].str-1] }
	slices.SortStableFunc(order, func(a, c int) int {
		if d := col(a) - col(c); d != 0 {
			return d
		}
		return b.tokens[a].str - b.tokens[c].str
	})
	end := -1
	for _, i := range order {
		t := &b.tokens[i]
		at, width := col(i), t.num+t.slip+t.width-t.col
		n := len(b.columns)
		own := n > 0 && slices.ContainsFunc(b.columns[n-1].tokens, func(k int) bool { return b.tokens[k].str == t.str })
		if n > 0 && !own && at < end {
			b.columns[n-1].tokens = append(b.columns[n-1].tokens, i)
			continue
		}
		b.columns = append(b.columns, stack{at: at, tokens: []int{i}})
		end = at + width
	}
	for i := range b.columns {
		b.columns[i].tied = !slices.ContainsFunc(b.columns[i].tokens, func(k int) bool { return !b.tokens[k].tied })
	}
}

// width is the bar's own, by its widest string.
func (b *bar) width() (w int) {
	for k := range b.from {
		w = max(w, b.to[k]-b.from[k])
	}
	return w
}
