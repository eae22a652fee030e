package musicxml

import (
	"bufio"
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/sheet"
	"stepping/core/tune"
)

// Write writes a sheet as a part-wise score of one part: the melody is voice 1, the thumb voice 2. Repeats
// stand written out. Techniques that the format has no element for stand as <other-technical>: slide, glide,
// tapped, dead.
func Write(w io.Writer, s *sheet.Sheet) error {
	out := &writer{Writer: bufio.NewWriter(w), sheet: s, divisions: s.Divisions()}
	out.start()
	for bar := range s.Tune.Bars {
		out.measure(bar)
	}
	out.raw("</part></score-partwise>\n")
	return out.Flush()
}

// writer writes elements; what it is given as text is escaped.
type writer struct {
	*bufio.Writer
	sheet     *sheet.Sheet
	divisions tune.Time // of a quarter; every time of the sheet is a whole number of them
	meter     tune.MeterAt
}

func (w *writer) raw(format string, args ...any) { fmt.Fprintf(w.Writer, format, args...) }

// element writes <name>text</name>.
func (w *writer) element(name, text string) {
	w.raw("<%s>", name)
	_ = xml.EscapeText(w.Writer, []byte(text)) // a bufio.Writer keeps its error for Flush
	closing, _, _ := strings.Cut(name, " ")
	w.raw("</%s>", closing)
}

// length is a time in divisions.
func (w *writer) length(t tune.Time) int64 { return int64(t / (tune.Quarter / w.divisions)) }

func (w *writer) start() {
	w.raw("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<score-partwise version=\"4.0\">\n")
	w.raw("<work>")
	w.element("work-title", w.sheet.Tune.Title)
	w.raw("</work>\n<part-list><score-part id=\"P1\"><part-name>Guitar</part-name></score-part></part-list>\n<part id=\"P1\">\n")
}

func (w *writer) measure(bar int) {
	tu := w.sheet.Tune
	begin, end := tu.Bars[bar], tu.Bars[bar]+tu.BarLength(bar)
	number := fmt.Sprint(bar + 1)
	attrs := ""
	if bar == 0 && len(tu.Bars) > 1 && tu.BarLength(0) < tu.Meters[0].Bar() {
		attrs = ` implicit="yes"`
		number = "0"
	} else if len(tu.Bars) > 1 && tu.BarLength(0) < tu.Meters[0].Bar() {
		number = fmt.Sprint(bar)
	}
	w.raw("<measure number=%q%s>\n", number, attrs)
	w.attributes(bar, begin)
	melody := w.voice(w.sheet.Melody, begin, end)
	thumb := w.voice(w.sheet.Thumb, begin, end)
	w.line(melody, 1, begin, end, true)
	if len(thumb) > 0 {
		w.raw("<backup><duration>%d</duration></backup>\n", w.length(end-begin))
		w.line(thumb, 2, begin, end, false)
	}
	w.raw("</measure>\n")
}

// attributes writes what changes at the beginning of a bar; the meter in force changes with it.
func (w *writer) attributes(bar int, begin tune.Time) {
	meter := w.sheet.Tune.MeterOver(begin)
	changed := bar == 0 || meter.Num != w.meter.Num || meter.Den != w.meter.Den
	w.meter = meter
	if !changed {
		return
	}
	w.raw("<attributes>")
	if bar == 0 {
		w.raw("<divisions>%d</divisions>", w.divisions)
		w.key()
	}
	w.raw("<time><beats>%d</beats><beat-type>%d</beat-type></time>", meter.Num, meter.Den)
	if t := w.sheet.Tuning; bar == 0 && t != nil {
		w.raw("<clef><sign>TAB</sign><line>5</line></clef><staff-details><staff-lines>%d</staff-lines>", t.Len())
		for line := 1; line <= t.Len(); line++ {
			n := t.Note(t.Len() + 1 - line)
			w.raw("<staff-tuning line=\"%d\"><tuning-step>%c</tuning-step>", line, n.Letter)
			if n.Alter != 0 {
				w.raw("<tuning-alter>%d</tuning-alter>", n.Alter)
			}
			w.raw("<tuning-octave>%d</tuning-octave></staff-tuning>", n.Octave)
		}
		if w.sheet.Capo > 0 {
			w.raw("<capo>%d</capo>", w.sheet.Capo)
		}
		w.raw("</staff-details>")
	} else if bar == 0 {
		w.raw("<clef><sign>G</sign><line>2</line></clef>")
	}
	w.raw("</attributes>\n")
}

func (w *writer) key() {
	k := w.sheet.Tune.Key
	mode := "major"
	if k.Minor {
		mode = "minor"
	}
	if fifths, ok := k.Signature(); ok {
		w.raw("<key><fifths>%d</fifths><mode>%s</mode></key>", fifths, mode)
	}
}

// piece is a note, or the part of one that lies in a bar.
type piece struct {
	*sheet.Played
	at, end tune.Time
	next    *sheet.Played // the note after it
}

func (p *piece) begins() bool { return p.at == p.At }
func (p *piece) ends() bool   { return p.end == p.End() }

// voice is what sounds of notes between two times, those cut at the end of the bar, of another bar, and where something changes.
func (w *writer) voice(notes []sheet.Played, begin, end tune.Time) (out []piece) {
	first, _ := slices.BinarySearchFunc(notes, begin, func(n sheet.Played, t tune.Time) int {
		if n.End() <= t {
			return -1
		}
		return 1
	})
	for i := max(0, first-3); i < len(notes) && notes[i].At < end; i++ {
		n := &notes[i]
		if n.End() <= begin {
			continue
		}
		p := piece{Played: n, at: max(n.At, begin), end: min(n.End(), end)}
		for j := i + 1; j < len(notes) && p.next == nil; j++ {
			if notes[j].At > n.At && notes[j].Voice == 0 {
				p.next = &notes[j]
			}
		}
		out = append(out, p)
	}
	return out
}

// line writes one voice of a bar: what changes, rests, notes.
func (w *writer) line(notes []piece, voice int, begin, end tune.Time, first bool) {
	at := begin
	for i := 0; i < len(notes); {
		n := i + 1
		for n < len(notes) && notes[n].at == notes[i].at {
			n++
		}
		w.rest(at, notes[i].at, voice, first)
		w.group(notes[i:n], voice, first)
		at = notes[i].end
		i = n
	}
	w.rest(at, end, voice, first)
}

// cuts are the times between two at which something else is written.
func (w *writer) cuts(from, to tune.Time) []tune.Time {
	tu := w.sheet.Tune
	out := []tune.Time{from}
	add := func(t tune.Time) {
		if t > from && t < to {
			out = append(out, t)
		}
	}
	for i := range tu.Chords {
		add(tu.Chords[i].At)
	}
	for i := range tu.Tempos {
		add(tu.Tempos[i].At)
	}
	slices.Sort(out)
	return append(slices.Compact(out), to)
}

// rest writes a rest and what changes during it.
func (w *writer) rest(from, to tune.Time, voice int, first bool) {
	if from >= to {
		return
	}
	cuts := []tune.Time{from, to}
	if first {
		cuts = w.cuts(from, to)
	}
	for i := range cuts[1:] {
		if first {
			w.changes(cuts[i])
		}
		w.raw("<note><rest/><duration>%d</duration><voice>%d</voice>", w.length(cuts[i+1]-cuts[i]), voice)
		w.noteType(cuts[i+1] - cuts[i])
		w.raw("</note>\n")
	}
}

// group writes notes that begin together. What changes while they sound is written with its offset.
func (w *writer) group(notes []piece, voice int, first bool) {
	if first {
		w.changes(notes[0].at)
		for _, at := range w.cuts(notes[0].at, notes[0].end) {
			if at > notes[0].at && at < notes[0].end {
				w.changesLater(at, at-notes[0].at)
			}
		}
	}
	for i := range notes {
		w.note(&notes[i], voice, i > 0)
	}
}

// swingElement says at the beginning how eighths are swung (MusicXML 4.0), as whole parts of a thousand.
func swingElement(tu *tune.Tune, at tune.Time) string {
	if at != 0 || tu.Swing <= tune.Straight {
		return ""
	}
	first, second := 1000*tu.Swing, 1000*(1-tu.Swing)
	for n := 1.0; n <= 5; n++ { // small figures where they are exact
		if r := n * tu.Swing / (1 - tu.Swing); math.Abs(r-math.Round(r)) < 1e-6 {
			first, second = r, n
			break
		}
	}
	return fmt.Sprintf("<swing><first>%.0f</first><second>%.0f</second><swing-type>eighth</swing-type></swing>", first, second)
}

// changes writes tempo, chord and percussion that begin at at.
func (w *writer) changes(at tune.Time) { w.changesLater(at, 0) }

func (w *writer) changesLater(at, offset tune.Time) {
	tu := w.sheet.Tune
	shift := ""
	if offset > 0 {
		shift = fmt.Sprintf("<offset sound=\"yes\">%d</offset>", w.length(offset))
	}
	if i := slices.IndexFunc(tu.Tempos, func(t tune.TempoAt) bool { return t.At == at }); i >= 0 {
		bpm := tu.Tempos[i].BPM * w.sheet.Tempo / tu.Tempos[0].BPM
		w.raw("<direction placement=\"above\"><direction-type><metronome><beat-unit>quarter</beat-unit><per-minute>%g</per-minute></metronome></direction-type>%s<sound tempo=\"%g\">%s</sound></direction>\n",
			math.Round(bpm*100)/100, shift, bpm, swingElement(tu, at))
	}
	if i := slices.IndexFunc(tu.Chords, func(c tune.ChordAt) bool { return c.At == at }); i >= 0 {
		w.harmony(tu.Chords[i].Chord, strings.Replace(shift, ` sound="yes"`, "", 1))
	}
	if i := slices.IndexFunc(w.sheet.Hits, func(h sheet.Hit) bool { return h.At == at }); i >= 0 {
		w.raw("<direction placement=\"below\"><direction-type>")
		w.element("words", w.sheet.Hits[i].What)
		w.raw("</direction-type>%s</direction>\n", shift)
	}
}

// kindNames are the format's kinds by the chord's tones.
var kindNames = func() map[string]string {
	out := map[string]string{}
	for name, kind := range kinds {
		if old, ok := out[kind]; !ok || name < old {
			out[kind] = name
		}
	}
	out["maj9"] = "major-ninth"
	return out
}()

func (w *writer) harmony(c chord.Chord, offset string) {
	_, used := pitch.ParseClass(c.Name)
	text, _, _ := strings.Cut(c.Name[used:], "/")
	w.raw("<harmony><root>")
	w.step("root", c.Root)
	kind, ok := kindNames[kindOf(c)]
	if !ok {
		kind = "other"
	}
	w.raw("</root><kind text=\"")
	_ = xml.EscapeText(w.Writer, []byte(text))
	w.raw("\">%s</kind>", kind)
	if c.Bass.Class() != c.Root.Class() {
		w.raw("<bass>")
		w.step("bass", c.Bass)
		w.raw("</bass>")
	}
	w.raw("%s</harmony>\n", offset)
}

// kindOf is the plain name of the chord's kind.
func kindOf(c chord.Chord) string {
	for _, k := range chord.Kinds {
		if slices.Equal(k.Tones, c.Tones) {
			return k.Name
		}
	}
	return "?"
}

func (w *writer) step(what string, n pitch.Note) {
	w.raw("<%s-step>%c</%s-step>", what, n.Letter, what)
	if n.Alter != 0 {
		w.raw("<%s-alter>%d</%s-alter>", what, n.Alter, what)
	}
}

func (w *writer) note(p *piece, voice int, chord bool) {
	w.raw("<note>")
	if chord {
		w.raw("<chord/>")
	}
	w.raw("<pitch><step>%c</step>", p.Note.Letter)
	if alter := float64(p.Note.Alter) + float64(p.Note.Cents)/100; alter != 0 {
		w.raw("<alter>%g</alter>", alter)
	}
	w.raw("<octave>%d</octave></pitch><duration>%d</duration>", p.Note.Octave, w.length(p.end-p.at))
	if !p.begins() {
		w.raw("<tie type=\"stop\"/>")
	}
	if !p.ends() {
		w.raw("<tie type=\"start\"/>")
	}
	w.raw("<voice>%d</voice>", voice)
	w.noteType(p.end - p.at)
	if p.On != nil && p.On.How == play.Dead {
		w.raw("<notehead>x</notehead>")
	}
	w.notations(p)
	if p.begins() && p.Lyric != "" {
		word, more := strings.CutSuffix(p.Lyric, "-")
		w.raw("<lyric number=\"1\"><syllabic>%s</syllabic>", map[bool]string{true: "begin", false: "single"}[more])
		w.element("text", word)
		w.raw("</lyric>")
	}
	w.raw("</note>\n")
}

// noteValues are the written values, the longest first, in 64ths of a whole note.
var noteValues = []struct {
	name  string
	parts tune.Time
}{{"breve", 128}, {"whole", 64}, {"half", 32}, {"quarter", 16}, {"eighth", 8}, {"16th", 4}, {"32nd", 2}, {"64th", 1}}

// noteType says what a length looks like: a value with up to two dots, alone or in a group; nothing if it is neither.
func (w *writer) noteType(t tune.Time) {
	const part = tune.Whole / 64
	for _, group := range [][2]tune.Time{{1, 1}, {3, 2}, {5, 4}, {6, 4}, {7, 4}, {9, 8}} {
		if t*group[0]%group[1] != 0 {
			continue
		}
		looks := t * group[0] / group[1]
		for _, v := range noteValues {
			for dots := range 3 {
				if value := v.parts * part; value*(1<<(dots+1)-1)/(1<<dots) == looks && value%(1<<dots) == 0 {
					w.raw("<type>%s</type>%s", v.name, strings.Repeat("<dot/>", dots))
					if group[0] > 1 {
						w.raw("<time-modification><actual-notes>%d</actual-notes><normal-notes>%d</normal-notes></time-modification>", group[0], group[1])
					}
					return
				}
			}
		}
	}
}

// notations writes ties, marks and how the note is played.
func (w *writer) notations(p *piece) {
	var b strings.Builder
	if !p.begins() {
		b.WriteString(`<tied type="stop"/>`)
	}
	if !p.ends() {
		b.WriteString(`<tied type="start"/>`)
	}
	if p.begins() {
		b.WriteString(markText(p.Marks))
		b.WriteString(w.technical(p))
		if p.next != nil && p.next.On != nil && p.next.On.How == play.Glide && p.Voice == 0 {
			b.WriteString(`<slide type="start" number="1"/>`)
		}
		if p.On != nil && p.On.How == play.Glide {
			b.WriteString(`<slide type="stop" number="1"/>`)
		}
	}
	if b.Len() > 0 {
		w.raw("<notations>%s</notations>", b.String())
	}
}

func markText(m tune.Marks) (out string) {
	if m&tune.LetRing != 0 {
		out += `<tied type="let-ring"/>`
	}
	if m&tune.Vibrato != 0 {
		out += `<ornaments><wavy-line type="start" number="1"/><wavy-line type="stop" number="1"/></ornaments>`
	}
	in := ""
	if m&tune.Accent != 0 {
		in += "<accent/>"
	}
	if m&tune.Staccato != 0 {
		in += "<staccato/>"
	}
	if m&tune.Scoop != 0 {
		in += "<scoop/>"
	}
	if in != "" {
		out += "<articulations>" + in + "</articulations>"
	}
	return out
}

// technical is string, fret, fingers and technique. Frets count from the capo; between the frets the nearest
// whole one stands, and the pitch says more.
func (w *writer) technical(p *piece) string {
	on := p.On
	if on == nil {
		return ""
	}
	out := ""
	if next := p.next; next != nil && next.On != nil && p.Voice == 0 {
		switch next.On.How {
		case play.Hammer:
			out += `<hammer-on type="start" number="1"/>`
		case play.Pull:
			out += `<pull-off type="start" number="1"/>`
		}
	}
	switch on.How {
	case play.Hammer:
		out += `<hammer-on type="stop" number="1"/>`
	case play.Pull:
		out += `<pull-off type="stop" number="1"/>`
	case play.Harmonic:
		out += `<harmonic><natural/><sounding-pitch/></harmonic>`
	case play.Open:
		out += `<open-string/>`
	case play.Bend:
		out += fmt.Sprintf(`<bend><bend-alter>%g</bend-alter></bend>`, on.Fret-p.From)
	case play.Slide, play.Glide, play.Tapped, play.Dead:
		out += fmt.Sprintf(`<other-technical>%s</other-technical>`, on.How)
	}
	switch {
	case on.Finger == 5:
		out += `<fingering>T</fingering>`
	case on.Finger > 0:
		out += fmt.Sprintf(`<fingering>%d</fingering>`, on.Finger)
	}
	if on.Digit != "" && on.Digit != play.NoDigit {
		out += fmt.Sprintf(`<pluck>%s</pluck>`, on.Digit)
	}
	fret := on.Fret
	if on.How == play.Bend {
		fret = p.From
	}
	return fmt.Sprintf(`<technical>%s<fret>%d</fret><string>%d</string></technical>`, out, max(0, int(math.Round(fret))-w.sheet.Capo), on.String)
}
