package musicxml

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"stepping/core/chord"
	"stepping/core/score"
	"stepping/core/tune"
)

// direction reads tempo and jumps. What <sound> says goes before signs and words, which are how it looks.
func (w *cursor) direction(n *node) {
	sound := n.kid("sound")
	if off := n.kid("offset"); off.attr("sound") == "yes" {
		if v, ok := off.number(); ok {
			was := w.at
			w.at = max(0, was+score.Units(math.Round(v*float64(w.score.Unit)/w.part.divisions)))
			defer func() { w.at = was }()
		}
	}
	if sound.name != "" {
		w.sound(sound)
	}
	jumps := slices.ContainsFunc([]string{"segno", "coda", "tocoda", "fine", "dacapo", "dalsegno"},
		func(a string) bool { return sound.attr(a) != "" })
	for i := range n.kids {
		kind := &n.kids[i]
		if kind.name != "direction-type" {
			continue
		}
		if sound.attr("tempo") == "" {
			w.metronome(kind.kid("metronome"))
		}
		if jumps {
			continue
		}
		if kind.has("segno") {
			w.measure.signs.Segno = true
		}
		if kind.has("coda") {
			w.measure.codas = append(w.measure.codas, w.at == 0)
		}
		for j := range kind.kids {
			if kind.kids[j].name == "words" {
				w.words(kind.kids[j].text)
			}
		}
	}
}

// words reads the usual instructions.
func (w *cursor) words(text string) {
	plain := strings.ToLower(strings.NewReplacer(".", "", " ", "").Replace(text))
	s := &w.measure.signs
	if share, ok := score.SwingWords(text); ok && w.score.Swing == 0 {
		w.score.Swing = share
	}
	switch {
	case plain == "fine":
		s.Fine = true
	case plain == "tocoda" || plain == "dacoda":
		s.ToCoda = true
	case strings.HasPrefix(plain, "dcal") || plain == "dc" || strings.HasPrefix(plain, "dacapo"):
		s.DaCapo = true
	case strings.HasPrefix(plain, "dsal") || plain == "ds" || strings.HasPrefix(plain, "dalsegno"):
		s.DalSegno = true
	}
}

// sound reads <sound>: tempo, and what is played after what.
func (w *cursor) sound(n *node) {
	if v, err := strconv.ParseFloat(n.attr("tempo"), 64); err == nil {
		w.tempo(v)
	}
	if swing := n.kid("swing"); swing.name != "" {
		w.swing(swing)
	}
	s := &w.measure.signs
	s.Segno = s.Segno || n.attr("segno") != ""
	s.Coda = s.Coda || n.attr("coda") != ""
	s.ToCoda = s.ToCoda || n.attr("tocoda") != ""
	s.Fine = s.Fine || n.attr("fine") != ""
	s.DaCapo = s.DaCapo || n.attr("dacapo") == "yes"
	s.DalSegno = s.DalSegno || n.attr("dalsegno") != ""
	if n.attr("forward-repeat") == "yes" && s.Start == 0 {
		s.Start = 1
	}
}

// swing reads <swing> (MusicXML 4.0): straight, or the ratio of two eighths. Swung sixteenths are played straight.
func (w *cursor) swing(n *node) {
	if n.has("straight") {
		w.score.Swing = tune.Straight
		return
	}
	first, ok1 := n.kid("first").number()
	second, ok2 := n.kid("second").number()
	kind := strings.TrimSpace(n.kid("swing-type").text)
	if share := first / (first + second); ok1 && ok2 && second > 0 && share >= tune.Straight && share <= tune.MostSwing &&
		(kind == "" || kind == "eighth") && w.score.Swing == 0 {
		w.score.Swing = share
	}
}

func (w *cursor) tempo(bpm float64) {
	if !(bpm >= tune.MinTempo && bpm <= tune.MaxTempo) {
		return
	}
	for _, t := range w.measure.tempos {
		if t.At == w.at {
			return
		}
	}
	w.measure.tempos = append(w.measure.tempos, score.Tempo{At: w.at, BPM: bpm})
}

var beatUnits = map[string]float64{"whole": 4, "half": 2, "quarter": 1, "eighth": 0.5, "16th": 0.25, "32nd": 0.125}

func (w *cursor) metronome(n *node) {
	beat, ok := beatUnits[strings.TrimSpace(n.kid("beat-unit").text)]
	perMinute := strings.Trim(n.kid("per-minute").text, " ca.=~")
	bpm, err := strconv.ParseFloat(perMinute, 64)
	if !ok || err != nil {
		return
	}
	if n.has("beat-unit-dot") {
		beat *= 1.5
	}
	w.tempo(bpm * beat)
}

// barline reads repeats and endings.
func (w *cursor) barline(n *node) {
	s := &w.measure.signs
	if r := n.kid("repeat"); r.name != "" {
		times := 2
		if v, err := strconv.Atoi(r.attr("times")); err == nil && v >= 1 && v <= 16 {
			times = v
		}
		if r.attr("direction") == "forward" {
			s.Start = max(s.Start, 1)
		} else {
			s.Again = max(s.Again, times)
			s.Keep = s.Keep || r.attr("after-jump") == "yes"
		}
	}
	if e := n.kid("ending"); e.name != "" {
		if e.attr("type") != "start" {
			s.Close = true
		} else if numbers := endingNumbers(e.attr("number")); len(numbers) > 0 {
			s.Endings = numbers
		}
	}
	if n.has("segno") || n.attr("segno") != "" {
		s.Segno = true
	}
	if n.has("coda") || n.attr("coda") != "" {
		w.measure.codas = append(w.measure.codas, w.at == 0)
	}
}

// endingNumbers reads "1", "1, 2" and "1-3".
func endingNumbers(text string) (out []int) {
	for _, part := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' || r == '.' }) {
		lo, hi, span := strings.Cut(part, "-")
		a, err := strconv.Atoi(lo)
		b := a
		if span {
			b, _ = strconv.Atoi(hi)
		}
		if err != nil || a < 1 || b > 16 {
			continue
		}
		for ; a <= b; a++ {
			out = append(out, a)
		}
	}
	return out
}

// kinds are the standard's kinds of chord as chord.Parse writes them.
var kinds = map[string]string{
	"major": "", "minor": "m", "augmented": "aug", "diminished": "dim", "dominant": "7", "major-seventh": "maj7",
	"minor-seventh": "m7", "diminished-seventh": "dim7",
	"augmented-seventh": "7#5", "half-diminished": "m7b5", "major-minor": "mmaj7", "major-sixth": "6", "minor-sixth": "m6",
	"dominant-ninth": "9", "major-ninth": "maj9",
	"minor-ninth": "m9", "dominant-11th": "11", "major-11th": "maj9", "minor-11th": "m11", "dominant-13th": "13",
	"major-13th": "maj13", "minor-13th": "m13",
	"suspended-second": "sus2", "suspended-fourth": "sus4", "power": "5",
}

func (w *cursor) harmony(n *node) {
	at := w.at
	if off, ok := n.kid("offset").number(); ok {
		at = max(0, at+score.Units(math.Round(off*float64(w.score.Unit)/w.part.divisions)))
	}
	kind := n.kid("kind")
	if strings.TrimSpace(kind.text) == "none" {
		return
	}
	c, ok := w.chordOf(n)
	if !ok {
		w.skip("chord symbol that is not known here")
		return
	}
	for i, old := range w.measure.chords {
		if old.At == at {
			w.measure.chords[i].Chord = c
			return
		}
	}
	w.measure.chords = append(w.measure.chords, score.Chord{At: at, Chord: c})
	slices.SortStableFunc(w.measure.chords, func(a, b score.Chord) int { return int(a.At - b.At) })
}

// chordOf is the chord of a harmony: its kind with the degrees that change it, else what it is printed as, else the kind alone.
func (w *cursor) chordOf(n *node) (chord.Chord, bool) {
	root, ok := w.rootName(n.kid("root"), "root")
	if !ok {
		return chord.Chord{}, false
	}
	bass := ""
	if name, ok := w.rootName(n.kid("bass"), "bass"); ok && name != root {
		bass = "/" + name
	}
	kind := n.kid("kind")
	base, known := kinds[strings.TrimSpace(kind.text)]
	degrees := degreeTexts(n)
	tries := []string{}
	if known && len(degrees) > 0 {
		tries = append(tries, base+strings.Join(degrees, ""))
	}
	if known && len(degrees) == 0 {
		tries = append(tries, base)
	}
	tries = append(tries, strings.ReplaceAll(kind.attr("text"), " ", ""))
	if known {
		tries = append(tries, base)
	}
	for i, try := range tries {
		if c, err := chord.Parse(root + try + bass); err == nil && (try != "" || i == 0 || base == "") {
			if try == base && len(degrees) > 0 {
				w.skip("degree that a chord symbol adds or alters")
			}
			return c, true
		}
	}
	return chord.Chord{}, false
}

// degreeTexts writes degrees as chord names do: b9, #11, add9.
func degreeTexts(n *node) (out []string) {
	for i := range n.kids {
		k := &n.kids[i]
		if k.name != "degree" {
			continue
		}
		value, alter := k.kid("degree-value").int(0), k.kid("degree-alter").int(0)
		text := strings.Repeat("#", max(0, min(alter, 2))) + strings.Repeat("b", max(0, min(-alter, 2))) + fmt.Sprint(value)
		if strings.TrimSpace(k.kid("degree-type").text) == "add" && alter == 0 {
			text = "add" + text
		}
		out = append(out, text)
	}
	return out
}

// rootName is the sounding name of a root or bass.
func (w *cursor) rootName(n *node, what string) (string, bool) {
	note, ok := spelled(n.kid(what+"-step").text, n.kid(what+"-alter"), &node{text: "4"})
	if !ok {
		return "", false
	}
	return w.part.moved(note).ClassName(), true
}
