package musicxml

import (
	"encoding/xml"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"

	"stepping/core/score"
	"stepping/core/tune"
)

// Read reads a score. Faults are *score.Fault; nothing is returned with one. It never panics; time and memory are bounded by
// the limits of package score.
func Read(in io.Reader) (*score.Score, error) {
	data, err := io.ReadAll(io.LimitReader(in, score.MaxFile+1))
	if err != nil {
		return nil, fmt.Errorf("read musicxml: %w", err)
	}
	if len(data) > score.MaxFile {
		return nil, &score.Fault{Line: 1, Column: 1, Text: fmt.Sprintf("the file is larger than %d MiB: give one tune at a time", score.MaxFile>>20)}
	}
	text, err := unpack(data)
	if err != nil {
		return nil, err
	}
	d := &document{reader: newReader(text), score: &score.Score{Format: "MusicXML", Unit: unitOf(text)}, index: map[string]*part{}}
	if err := d.read(); err != nil {
		return nil, err
	}
	return d.playOut()
}

var divisionsText = regexp.MustCompile(`<divisions[^>]*>\s*([0-9]+)`)

// unitOf is the least common multiple of all divisions, so that every length is a whole number of units; the tick of tunes if
// there is none within bounds.
func unitOf(text string) score.Units {
	unit := int64(1)
	for _, m := range divisionsText.FindAllStringSubmatch(text, -1) {
		n, err := strconv.ParseInt(m[1], 10, 32)
		if err != nil || n < 1 {
			continue
		}
		a, b := unit, n
		for b != 0 {
			a, b = b, a%b
		}
		if unit = unit / a * n; unit > 1<<31 {
			return score.Units(tune.Quarter)
		}
	}
	return score.Units(unit)
}

// document is a score being read.
type document struct {
	*reader
	score    *score.Score
	parts    []*part
	index    map[string]*part
	measures []measure // of all parts together
	skipped  map[string]int
	credit   string // a title that is only printed
}

// measure is what a written bar is for all parts.
type measure struct {
	number string
	inside bool // it goes on with the bar before: implicit, not the first
	length score.Units
	signs  score.Signs
	codas  []bool // bare signs: whether they stand at the bar's beginning, else at its end
	meters []score.Meter
	tempos []score.Tempo
	chords []score.Chord
}

func (d *document) skip(what string) {
	if d.skipped == nil {
		d.skipped = map[string]int{}
	}
	d.skipped[what]++
}

// read walks through the document: the list of parts, then measure by measure.
func (d *document) read() error {
	root, err := d.root()
	if err != nil {
		return err
	}
	timewise := root == "score-timewise"
	var current *part
	at := 0 // measure
	for {
		tok, err := d.next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		start, ok := tok.(xml.StartElement)
		if !ok {
			continue
		}
		name := start.Name.Local
		outer, inner := "part", "measure"
		if timewise {
			outer, inner = inner, outer
		}
		switch name {
		case outer:
			if timewise {
				d.nextMeasure(at, start)
				at++
			} else if current, err = d.partOf(start); err != nil {
				return err
			} else {
				at = 0
			}
		case inner:
			if timewise {
				if current, err = d.partOf(start); err != nil {
					return err
				}
				at--
			}
			if err := d.measure(current, at, start); err != nil {
				return err
			}
			at++
		default:
			d.nodes = 0
			n, err := d.tree(start, 0)
			if err != nil {
				return err
			}
			d.header(&n)
		}
	}
}

// root returns the name of the document's element.
func (d *document) root() (string, error) {
	for {
		tok, err := d.next()
		if err == io.EOF {
			return "", d.fail("this is not MusicXML: the file should start with <score-partwise>")
		}
		if err != nil {
			return "", err
		}
		if start, ok := tok.(xml.StartElement); ok {
			if name := start.Name.Local; name == "score-partwise" || name == "score-timewise" {
				return name, nil
			}
			return "", d.fail("this XML is not a score: it starts with <%s> and should start with <score-partwise>", start.Name.Local)
		}
	}
}

// header reads what stands before the music.
func (d *document) header(n *node) {
	title := func(text string) {
		if text = strings.Join(strings.Fields(text), " "); d.score.Title == "" {
			d.score.Title = text
		}
	}
	switch n.name {
	case "work":
		title(n.kid("work-title").text)
	case "movement-title":
		title(n.text)
	case "credit":
		if d.credit == "" && strings.EqualFold(strings.TrimSpace(n.kid("credit-type").text), "title") {
			d.credit = n.kid("credit-words").text
		}
	case "part-list":
		for i := range n.kids {
			if k := &n.kids[i]; k.name == "score-part" && len(d.parts) < score.MaxParts {
				p := newPart(strings.TrimSpace(k.kid("part-name").text))
				midi := k.kid("midi-instrument")
				p.drums = midi.kid("midi-channel").int(0) == 10 || midi.has("midi-unpitched")
				d.parts = append(d.parts, p)
				d.index[k.attr("id")] = p
			}
		}
	}
}

// partOf finds the part that an element belongs to.
func (d *document) partOf(start xml.StartElement) (*part, error) {
	n := node{attrs: start.Attr}
	id := n.attr("id")
	if p := d.index[id]; p != nil {
		return p, nil
	}
	if len(d.parts) >= score.MaxParts {
		return nil, d.fail("the score has more than %d parts", score.MaxParts)
	}
	p := newPart(id) // one that the list forgot
	d.parts = append(d.parts, p)
	d.index[id] = p
	return p, nil
}

func (d *document) nextMeasure(at int, start xml.StartElement) *measure {
	for len(d.measures) <= at {
		n := node{attrs: start.Attr}
		d.measures = append(d.measures, measure{number: n.attr("number"), inside: n.attr("implicit") == "yes" && len(d.measures) > 0})
	}
	return &d.measures[at]
}

// measure reads one measure of one part.
func (d *document) measure(p *part, at int, start xml.StartElement) error {
	if p == nil || at < 0 {
		return d.fail("<%s> is outside of any part and measure", start.Name.Local)
	}
	if at >= score.MaxBars {
		return d.fail("the score has more than %d bars: give one tune at a time", score.MaxBars)
	}
	d.nodes = 0
	n, err := d.tree(start, 0)
	if err != nil {
		return err
	}
	m := d.nextMeasure(at, start)
	w := &cursor{document: d, part: p, measure: m, into: p.bar(at)}
	for i := range n.kids {
		if err := w.element(&n.kids[i]); err != nil {
			return err
		}
	}
	m.length = max(m.length, w.end)
	return nil
}

// fault is at a node, naming bar and part.
func (w *cursor) fault(n *node, format string, args ...any) error {
	return &score.Fault{Line: max(n.line, 1), Column: max(n.column, 1),
		Text: fmt.Sprintf("part %s, bar %s: ", w.part.name, w.measure.number) + fmt.Sprintf(format, args...)}
}

// units turns divisions into units.
func (w *cursor) units(divisions float64) score.Units {
	return score.Units(divisions*float64(w.score.Unit)/w.part.divisions + 0.5)
}
