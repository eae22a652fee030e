package abc

import (
	"bufio"
	"fmt"
	"io"
	"slices"
	"strings"

	"stepping/core/pitch"
	"stepping/core/score"
	"stepping/core/tune"
)

// unit is L: of what Write writes.
const unit = tune.Whole / 8

// Write writes tu so that Read reads it back: times, pitches, chords, meters, tempos, bars, marks and lyrics. Repeats stand
// written out. notes, if not nil, is what is written over note i in quotes, "" for nothing: fingering.
func Write(w io.Writer, tu *tune.Tune, notes func(i int) string) error {
	out := &writer{Writer: bufio.NewWriter(w), tune: tu, over: notes, key: signature(tu.Key), bar: map[byte]accidental{}}
	out.header()
	if len(tu.Bass) == 0 {
		out.voice()
		return out.Flush()
	}
	fmt.Fprintf(out, "V:1 name=%q\n", score.MelodyName)
	out.voice()
	fmt.Fprintf(out, "V:2 name=%q\n", score.BassName)
	bass := *tu
	bass.Notes, bass.Chords = tu.Bass, nil
	out.tune, out.over, out.next, out.chord, out.meter, out.tempo = &bass, nil, 0, 0, 1, len(tu.Tempos)
	out.voice()
	return out.Flush()
}

// WriteBars writes the bars of tu from first to last, as played, from 1, as a tune of their own for a staff: both voices on one
// staff with the guitar's clef, written an octave above what sounds; without title, tempo and words over notes.
func WriteBars(w io.Writer, tu *tune.Tune, first, last int) error {
	tu = tu.Transposed(12)
	out := &writer{Writer: bufio.NewWriter(w), tune: tu, key: signature(tu.Key), bar: map[byte]accidental{}, beams: true}
	m := tu.MeterOver(tu.Bars[first-1])
	fmt.Fprintf(out, "X:1\n%%%%stretchlast true\nM:%d/%d\nL:1/8\nK:%s clef=treble-8\n", m.Num, m.Den, keyText(tu.Key))
	if len(tu.Bass) == 0 {
		out.some(first, last)
		return out.Flush()
	}
	out.WriteString("%%score (1 2)\nV:1 clef=treble-8\nV:2 clef=treble-8\n[V:1] ") // Flush has its error
	out.some(first, last)
	fmt.Fprint(out, "[V:2] ")
	bass := *tu
	bass.Notes, bass.Chords = tu.Bass, nil
	out.tune = &bass
	out.some(first, last)
	return out.Flush()
}

// some writes bars in one line, beginning in the middle of the tune.
func (w *writer) some(first, last int) {
	tu, at := w.tune, w.tune.Bars[first-1]
	w.next = slices.IndexFunc(tu.Notes, func(n tune.Note) bool { return n.End() > at })
	if w.next < 0 {
		w.next = len(tu.Notes)
	}
	w.chord, w.meter, w.tempo = 0, 0, len(tu.Tempos)
	for w.meter < len(tu.Meters) && tu.Meters[w.meter].At <= at {
		w.meter++
	}
	for w.chord < len(tu.Chords) && tu.Chords[w.chord].At < at {
		w.chord++
	}
	for bar := first - 1; bar < last; bar++ {
		w.bars = 0 // all in one line
		w.oneBar(bar)
	}
	w.bars = 1
	w.endLine()
}

// voice writes the notes of the tune.
func (w *writer) voice() {
	for bar := range w.tune.Bars {
		w.oneBar(bar)
	}
	w.endLine()
}

type writer struct {
	*bufio.Writer
	tune *tune.Tune
	over func(i int) string
	key  map[byte]accidental
	bar  map[byte]accidental // in force since the last bar line

	next, chord, meter, tempo int // notes, chords … written so far
	bars                      int // in this line
	sung                      []string
	triplet                   int  // notes of one that are still to come
	beams                     bool // notes of one beat stand together, so that they are beamed
}

func (w *writer) header() {
	tu := w.tune
	fmt.Fprintf(w, "X:1\nT:%s\n", oneLine(tu.Title))
	swing := ""
	if tu.Swing > tune.Straight {
		swing = fmt.Sprintf("%q ", "swing "+tune.SwingText(tu.Swing))
	}
	fmt.Fprintf(w, "M:%d/%d\nL:1/8\nQ:%s1/4=%g\nK:%s\n", tu.Meters[0].Num, tu.Meters[0].Den, swing, tu.Tempos[0].BPM, keyText(tu.Key))
	w.meter, w.tempo = 1, 1
}

func oneLine(s string) string {
	return strings.NewReplacer("\n", " ", "\r", " ", "%", "\\%").Replace(s)
}

func keyText(k tune.Key) string {
	if k.Minor {
		return k.Tonic.ClassName() + "m"
	}
	return k.Tonic.ClassName()
}

// signature is what Read makes of a key; none if it cannot be written.
func signature(k tune.Key) map[byte]accidental {
	p := newParser("")
	out := key{alter: map[byte]accidental{}}
	if _, err := p.readTonic(&out, []string{keyText(k)}, 0); err != nil {
		return map[byte]accidental{}
	}
	return out.alter
}

// barsPerLine is how many bars a line of the text has.
const barsPerLine = 4

func (w *writer) oneBar(bar int) {
	tu := w.tune
	at, end := tu.Bars[bar], tu.Bars[bar]+tu.BarLength(bar)
	clear(w.bar)
	for at < end {
		w.changes(at)
		at = w.symbol(at, end)
	}
	fmt.Fprint(w, "|")
	w.bars++
	if w.bars == barsPerLine {
		w.endLine()
	} else {
		fmt.Fprint(w, " ")
	}
}

func (w *writer) endLine() {
	if w.bars == 0 {
		return
	}
	fmt.Fprintln(w)
	if slices.ContainsFunc(w.sung, func(s string) bool { return s != "*" }) {
		fmt.Fprintln(w, "w: "+strings.Join(w.sung, " "))
	}
	w.bars, w.sung = 0, nil
}

// changes writes what begins at at next to notes.
func (w *writer) changes(at tune.Time) {
	tu := w.tune
	for ; w.meter < len(tu.Meters) && tu.Meters[w.meter].At <= at; w.meter++ {
		fmt.Fprintf(w, "[M:%d/%d]", tu.Meters[w.meter].Num, tu.Meters[w.meter].Den)
	}
	for ; w.tempo < len(tu.Tempos) && tu.Tempos[w.tempo].At <= at; w.tempo++ {
		fmt.Fprintf(w, "[Q:1/4=%g]", tu.Tempos[w.tempo].BPM)
	}
	for ; w.chord < len(tu.Chords) && tu.Chords[w.chord].At <= at; w.chord++ {
		fmt.Fprintf(w, "%q", tu.Chords[w.chord].Chord.Name)
	}
}

// symbol writes the note or rest from at on, up to the next thing that needs a place, and returns its end.
func (w *writer) symbol(at, end tune.Time) tune.Time {
	tu := w.tune
	to := end
	if w.chord < len(tu.Chords) {
		to = min(to, tu.Chords[w.chord].At)
	}
	if w.meter < len(tu.Meters) {
		to = min(to, tu.Meters[w.meter].At)
	}
	if w.tempo < len(tu.Tempos) {
		to = min(to, tu.Tempos[w.tempo].At)
	}
	if w.next == len(tu.Notes) || tu.Notes[w.next].At >= to {
		fmt.Fprint(w, "z", lengthText(to-at), " ")
		return to
	}
	n := &tu.Notes[w.next]
	if n.At > at {
		fmt.Fprint(w, "z", lengthText(n.At-at), " ")
		return n.At
	}
	if n.At == at {
		w.marks(n)
	} else {
		w.sung = append(w.sung, "_")
	}
	to = min(to, n.End())
	length := to - at
	if w.beams && w.triplet == 0 {
		if w.triplet = w.tripletFrom(at); w.triplet > 0 {
			fmt.Fprintf(w, "(3:2:%d", w.triplet)
		}
	}
	if w.triplet > 0 {
		w.triplet--
		length = length * 3 / 2
	}
	fmt.Fprint(w, w.pitches(n, n.At < at), lengthText(length))
	if to < n.End() {
		fmt.Fprint(w, "-")
	}
	if to == n.End() {
		w.next++
	}
	if _, since := tu.Position(to); !w.beams || since%tu.MeterOver(at).Pulse() == 0 {
		fmt.Fprint(w, " ")
	}
	return to
}

// markTexts are how marks are written.
var markTexts = []struct {
	mark tune.Marks
	text string
}{{tune.Vibrato, "!vibrato!"}, {tune.Accent, "!accent!"}, {tune.Staccato, "."}, {tune.Scoop, "!slide!"}, {tune.LetRing, "!let-ring!"}}

// lyricText writes a syllable without the signs that mean something there.
var lyricText = strings.NewReplacer("-", "\\-", " ", "~", "|", "~", "*", "~", "_", "~")

// marks writes what stands before a note.
func (w *writer) marks(n *tune.Note) {
	if w.over != nil {
		if text := w.over(w.next); text != "" {
			fmt.Fprintf(w, "\"_%s\"", strings.NewReplacer(`"`, "", "%", "").Replace(oneLine(text)))
		}
	}
	for _, m := range markTexts {
		if n.Marks&m.mark != 0 {
			fmt.Fprint(w, m.text)
		}
	}
	lyric := "*"
	if n.Lyric != "" {
		word, hyphen := strings.CutSuffix(n.Lyric, "-")
		lyric = lyricText.Replace(oneLine(word))
		if hyphen {
			lyric += "-"
		}
	}
	w.sung = append(w.sung, lyric)
}

// pitches writes the note's pitches; one that goes on from before a bar line needs no accidentals.
func (w *writer) pitches(n *tune.Note, tied bool) string {
	var out []string
	for _, v := range n.Voices() {
		out = append(out, w.accidental(v, tied)+letterText(v))
	}
	if len(out) == 1 {
		return out[0]
	}
	return "[" + strings.Join(out, "") + "]"
}

func letterText(n pitch.Note) string {
	if n.Octave >= 5 {
		return strings.ToLower(string(n.Letter)) + strings.Repeat("'", n.Octave-5)
	}
	return string(n.Letter) + strings.Repeat(",", 4-n.Octave)
}

// accidental is what must stand before n, given the key and the bar. What is tied over a bar line keeps its own.
func (w *writer) accidental(n pitch.Note, tied bool) string {
	own := accidental{n.Alter, n.Cents}
	if tied {
		return ""
	}
	in, ok := w.bar[n.Letter]
	if !ok {
		in = w.key[n.Letter]
	}
	if in == own {
		return ""
	}
	w.bar[n.Letter] = own
	cents := 100*own.alter + own.cents
	switch {
	case cents == 0:
		return "="
	case own.cents == 0 && cents > 0:
		return strings.Repeat("^", own.alter)
	case own.cents == 0:
		return strings.Repeat("_", -own.alter)
	case cents > 0:
		return "^" + fractionText(cents, 100)
	}
	return "_" + fractionText(-cents, 100)
}

// tripletFrom counts the notes from the next one on, at time at, that make up triplets: each a third of what would be written, up to
// where they add up to a plain length. 0 if the next one is none.
func (w *writer) tripletFrom(at tune.Time) (n int) {
	const least = tune.Whole / 64
	sum := tune.Time(0)
	for _, note := range w.tune.Notes[w.next:] {
		if note.At != at || note.Dur%least == 0 || note.Dur*3%(2*least) != 0 {
			break
		}
		n++
		sum += note.Dur
		if at = note.End(); sum%least == 0 {
			break
		}
	}
	return n
}

// lengthText writes a length in units.
func lengthText(t tune.Time) string {
	if t == unit {
		return ""
	}
	return fractionText(int(t), int(unit))
}

// fractionText writes a positive fraction, reduced; a whole number without a denominator.
func fractionText(num, den int) string {
	a, b := num, den
	for b != 0 {
		a, b = b, a%b
	}
	if den == a {
		return fmt.Sprint(num / a)
	}
	return fmt.Sprintf("%d/%d", num/a, den/a)
}
