package proofread

import "strings"

// Apply writes the mend into the page's text. What is shorter than the number it takes the place of is filled
// up with dashes, what is longer takes dashes behind it, so that columns stay under one another; where there
// are none the line grows. A place outside the text changes nothing.
func (m *Mend) Apply(text string) string {
	lines := strings.Split(text, "\n")
	if m.From != nil {
		replace(lines, m.From.Line, m.From.Column, "")
	}
	replace(lines, m.Line, m.Column, m.To)
	return strings.Join(lines, "\n")
}

// replace puts to in place of what begins at a line and column, from 1.
func replace(lines []string, line, column int, to string) {
	if line < 1 || line > len(lines) {
		return
	}
	runes := []rune(lines[line-1])
	at := column - 1
	if at < 0 || at >= len(runes) {
		return
	}
	end := at
	switch digit := func(r rune) bool { return r >= '0' && r <= '9' }; {
	case digit(runes[at]):
		for end < len(runes) && end < at+2 && digit(runes[end]) {
			end++
		}
	case runes[at] != '-':
		for end < len(runes) && runes[end] != ' ' && runes[end] != '-' && runes[end] != '|' {
			end++
		}
	}
	width := end - at
	put := []rune(to)
	for len(put) < width {
		put = append(put, fill(runes[at]))
	}
	for end < len(runes) && end-at < len(put) && (runes[end] == '-' || runes[end] == ' ') {
		end++
	}
	lines[line-1] = string(runes[:at]) + string(put) + string(runes[end:])
}

// fill is what stands where nothing is: dashes on a string, spaces among words.
func fill(r rune) rune {
	if r >= '0' && r <= '9' || r == '-' {
		return '-'
	}
	return ' '
}
