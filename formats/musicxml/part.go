package musicxml

import (
	"math"
	"strings"

	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/score"
	"stepping/core/tune"
)

// part is an instrument being read, with what holds in it now.
type part struct {
	name      string
	drums     bool
	divisions float64
	octaves   int // of <transpose>
	chromatic float64
	diatonic  int
	tuning    map[int]pitch.Note // of open strings, by string
	lines     int                // of the staff that has strings
	capo      int
	tabStaff  string // number of the staff that is tablature
	bars      []bar
	order     []string // voices as they came
}

// bar is a written bar of one part.
type bar struct{ notes []written }

// written is a note of a written bar, its time counted from the bar's beginning.
type written struct {
	score.Note
	voice             string
	tieStart, tieStop bool
	letRing           bool
	bend              float64 // half steps
}

func newPart(name string) *part { return &part{name: name, divisions: 1, tuning: map[int]pitch.Note{}} }

func (p *part) bar(at int) *bar {
	for len(p.bars) <= at {
		p.bars = append(p.bars, bar{})
	}
	return &p.bars[at]
}

// cursor reads a measure's elements in order.
type cursor struct {
	*document
	part    *part
	measure *measure
	into    *bar
	at, end score.Units // now, and the latest end
	last    score.Units // where the last note began, for <chord/>
}

func (w *cursor) element(n *node) error {
	switch n.name {
	case "note":
		return w.note(n)
	case "backup", "forward":
		dur, ok := n.kid("duration").number()
		if !ok || dur < 0 {
			return w.fault(n, "<%s> has no <duration> that is a number", n.name)
		}
		if n.name == "backup" {
			w.at = max(0, w.at-w.units(dur))
		} else {
			w.advance(w.units(dur))
		}
	case "attributes":
		return w.attributes(n)
	case "harmony":
		w.harmony(n)
	case "direction":
		w.direction(n)
	case "sound":
		w.sound(n)
	case "barline":
		w.barline(n)
	}
	return nil
}

func (w *cursor) advance(by score.Units) {
	w.at += by
	w.end = max(w.end, w.at)
}

func (w *cursor) attributes(n *node) error {
	if k := n.kid("transpose"); k.name != "" { // before the key, which it moves
		w.part.chromatic, _ = k.kid("chromatic").number()
		w.part.diatonic = k.kid("diatonic").int(math.MaxInt32)
		w.part.octaves = max(-4, min(4, k.kid("octave-change").int(0)))
	}
	for i := range n.kids {
		switch k := &n.kids[i]; k.name {
		case "divisions":
			v, ok := k.number()
			if !ok || v <= 0 {
				return w.fault(k, "<divisions> is %q and should be a number above 0", k.text)
			}
			w.part.divisions = v
		case "key":
			w.key(k)
		case "time":
			w.time(k)
		case "clef":
			if strings.EqualFold(strings.TrimSpace(k.kid("sign").text), "TAB") {
				w.part.tabStaff = k.attr("number")
				if w.part.tabStaff == "" {
					w.part.tabStaff = "1"
				}
			}
		case "staff-details":
			w.strings(k)
		}
	}
	return nil
}

func (w *cursor) key(n *node) {
	if w.score.Key.Tonic.Letter != 0 || !n.has("fifths") {
		return // the first key is the tune's
	}
	k := tune.KeyOf(n.kid("fifths").int(0), strings.EqualFold(strings.TrimSpace(n.kid("mode").text), "minor"))
	k.Tonic = w.part.moved(pitch.Note{Letter: k.Tonic.Letter, Alter: k.Tonic.Alter, Octave: 4})
	k.Tonic.Octave, k.Tonic.Cents = 0, 0
	w.score.Key = k
}

func (w *cursor) time(n *node) {
	if n.has("senza-misura") {
		return
	}
	num, den := 0, 0
	for i := range n.kids {
		switch k := &n.kids[i]; k.name {
		case "beats": // 3+2 is a sum
			for _, part := range strings.Split(k.text, "+") {
				part := node{text: part}
				num += part.int(0)
			}
		case "beat-type":
			den = max(den, k.int(0))
		}
	}
	if num < 1 || num > 64 || den < 1 || den > 64 || den&(den-1) != 0 {
		w.skip("meter that is not understood")
		return
	}
	for _, m := range w.measure.meters {
		if m.At == w.at {
			return // another part said so
		}
	}
	w.measure.meters = append(w.measure.meters, score.Meter{At: w.at, Num: num, Den: den})
}

// strings reads staff tuning and capo. Lines are counted from the bottom, string 1 is the highest.
func (w *cursor) strings(n *node) {
	lines := n.kid("staff-lines").int(0)
	open := map[int]pitch.Note{}
	for i := range n.kids {
		k := &n.kids[i]
		if k.name != "staff-tuning" {
			continue
		}
		line := node{text: k.attr("line")}
		note, ok := spelled(k.kid("tuning-step").text, k.kid("tuning-alter"), k.kid("tuning-octave"))
		if at := line.int(0); ok && at >= 1 && at <= 12 {
			open[at] = note
			lines = max(lines, at)
		}
	}
	if w.part.lines == 0 && len(open) > 0 {
		w.part.lines = lines
		for line, note := range open {
			w.part.tuning[lines+1-line] = note
		}
	}
	if n.has("capo") {
		w.part.capo = max(0, min(12, n.kid("capo").int(0)))
	}
}

// spelled is a note of step, alter and octave.
func spelled(step string, alter, octave *node) (pitch.Note, bool) {
	step = strings.ToUpper(strings.TrimSpace(step))
	if len(step) != 1 || step[0] < 'A' || step[0] > 'G' {
		return pitch.Note{}, false
	}
	o, ok := octave.number()
	if !ok || o < -1 || o > 10 {
		return pitch.Note{}, false
	}
	a, _ := alter.number()
	if a < -3 || a > 3 {
		return pitch.Note{}, false
	}
	whole := math.Trunc(a)
	if rest := a - whole; math.Abs(rest) > 0.5 {
		whole += math.Copysign(1, rest)
	}
	return pitch.Note{Letter: step[0], Alter: int(whole), Octave: int(o), Cents: int(math.Round((a - whole) * 100))}, true
}

// moved is what a written note sounds in this part.
func (p *part) moved(n pitch.Note) pitch.Note {
	cents := pitch.Pitch(math.Round(p.chromatic*100)) + pitch.Pitch(p.octaves)*pitch.Octave
	if cents == 0 {
		return n
	}
	if cents%pitch.Octave == 0 {
		n.Octave += int(cents / pitch.Octave)
		return n
	}
	to := n.Pitch() + cents
	if p.diatonic != math.MaxInt32 && p.diatonic > -50 && p.diatonic < 50 {
		steps := 7*(n.Octave+p.octaves) + (int(n.Letter-'A')+5)%7 + p.diatonic
		out := pitch.Note{Letter: 'A' + byte(((steps+2)%7+7)%7), Octave: int(math.Floor(float64(steps) / 7)), Cents: n.Cents}
		out.Alter = int(math.Round(float64(to-out.Pitch()) / 100))
		if out.Alter >= -2 && out.Alter <= 2 && out.Pitch() == to {
			return out
		}
	}
	return pitch.Spell(to, n.Alter < 0)
}

func (w *cursor) note(n *node) error {
	if n.has("grace") {
		w.skip("grace note")
		return nil
	}
	dur, ok := n.kid("duration").number()
	if !ok || dur < 0 {
		if n.has("cue") {
			return nil
		}
		return w.fault(n, "a note has no <duration> that is a number")
	}
	length := w.units(dur)
	at := w.at
	if n.has("chord") {
		at = w.last
	} else {
		w.last = w.at
		w.advance(length)
	}
	w.end = max(w.end, at+length)
	switch {
	case n.has("rest"), length == 0:
		return nil
	case n.has("cue"):
		w.skip("cue note")
		return nil
	case n.has("unpitched"), w.part.drums && !n.has("pitch"):
		w.skip("unpitched note")
		return nil
	}
	p := n.kid("pitch")
	note, ok := spelled(p.kid("step").text, p.kid("alter"), p.kid("octave"))
	if !ok {
		return w.fault(n, "a note has no <pitch> of <step> A to G and <octave> 0 to 9")
	}
	out := written{voice: w.voiceOf(n), Note: score.Note{At: at, Dur: length, Note: w.part.moved(note),
		Place: tune.Place{Line: n.line, Column: n.column}}}
	w.notations(n, &out)
	w.into.notes = append(w.into.notes, out)
	return nil
}

// voiceOf names the voice; tablature that shows the same music again is one of its own.
func (w *cursor) voiceOf(n *node) string {
	voice := strings.TrimSpace(n.kid("voice").text)
	if voice == "" {
		voice = "1"
	}
	if staff := strings.TrimSpace(n.kid("staff").text); staff != "" && staff != "1" && staff == w.part.tabStaff {
		voice += " tab"
	}
	for _, v := range w.part.order {
		if v == voice {
			return voice
		}
	}
	w.part.order = append(w.part.order, voice)
	return voice
}

// notations reads ties, marks, how the note is played, and its syllable.
func (w *cursor) notations(n *node, out *written) {
	for i := range n.kids {
		switch k := &n.kids[i]; k.name {
		case "tie":
			out.tieStart = out.tieStart || k.attr("type") == "start"
			out.tieStop = out.tieStop || k.attr("type") == "stop"
			out.letRing = out.letRing || k.attr("type") == "let-ring"
		case "lyric":
			if out.Lyric == "" {
				out.Lyric = syllable(k)
			}
		case "notehead":
			if strings.TrimSpace(k.text) == "x" {
				out.spot().How = play.Dead
			}
		case "notations":
			for j := range k.kids {
				w.notation(&k.kids[j], out)
			}
		}
	}
	if on := out.On; on != nil && on.String == 0 {
		if on.Finger == 0 && on.Digit == "" {
			out.On = nil
		}
		on.Fret, on.How = 0, "" // a place without a string is none
	}
}

// syllable is the text of a lyric, with a hyphen if the word goes on.
func syllable(n *node) (out string) {
	kind := ""
	for i := range n.kids {
		switch k := &n.kids[i]; k.name {
		case "text":
			out += k.text
		case "elision":
			out += " "
		case "syllabic":
			kind = strings.TrimSpace(k.text)
		}
	}
	if out = strings.Join(strings.Fields(out), " "); out != "" && (kind == "begin" || kind == "middle") {
		out += "-"
	}
	return out
}

func (out *written) spot() *score.Spot {
	if out.On == nil {
		out.On = &score.Spot{}
	}
	return out.On
}

func (w *cursor) notation(n *node, out *written) {
	switch n.name {
	case "tied":
		switch n.attr("type") {
		case "let-ring":
			out.letRing = true
		case "start":
			out.tieStart = true
		case "stop":
			out.tieStop = true
		}
	case "slide", "glissando":
		if n.attr("type") == "stop" {
			out.Marks |= tune.Scoop
		}
	case "articulations":
		for _, k := range n.kids {
			out.Marks |= articulations[k.name]
		}
	case "ornaments":
		if k := n.kid("wavy-line"); k.name != "" && k.attr("type") != "stop" && !n.has("trill-mark") {
			out.Marks |= tune.Vibrato
		}
	case "technical":
		for i := range n.kids {
			w.technical(&n.kids[i], out)
		}
	}
}

var articulations = map[string]tune.Marks{
	"accent": tune.Accent, "strong-accent": tune.Accent, "staccato": tune.Staccato, "staccatissimo": tune.Staccato,
	"spiccato": tune.Staccato, "scoop": tune.Scoop,
}

// otherHow are the techniques that have no element of their own, as <other-technical>.
var otherHow = map[string]play.How{"slide": play.Slide, "glide": play.Glide, "tapped": play.Tapped, "dead": play.Dead}

func (w *cursor) technical(n *node, out *written) {
	text := strings.TrimSpace(n.text)
	switch n.name {
	case "string":
		if s := n.int(0); s >= 1 && s <= 12 {
			out.spot().String = s
		}
	case "fret":
		if f, ok := n.number(); ok && f >= 0 && f <= 36 {
			out.spot().Fret = f + float64(w.part.capo)
		}
	case "open-string":
		out.spot().How = play.Open
	case "fingering":
		if f := n.int(0); f >= 1 && f <= 4 && n.attr("substitution") != "yes" {
			out.spot().Finger = f
		} else if strings.EqualFold(text, "t") {
			out.spot().Finger = 5
		}
	case "pluck":
		if d := play.Digit(strings.ToLower(text)); d == play.P || d == play.I || d == play.M || d == play.A {
			out.spot().Digit = d
		}
	case "hammer-on", "pull-off":
		if n.attr("type") == "stop" {
			out.spot().How = map[string]play.How{"hammer-on": play.Hammer, "pull-off": play.Pull}[n.name]
			out.spot().Digit = ""
		}
	case "bend":
		if v, ok := n.kid("bend-alter").number(); ok && v > 0 && !n.has("release") {
			out.bend = v
		}
	case "harmonic":
		out.spot().How = play.Harmonic
	case "tap":
		out.spot().How = play.Tapped
	case "other-technical":
		if how, ok := otherHow[strings.ToLower(text)]; ok {
			out.spot().How = how
		} else if strings.EqualFold(text, "vibrato") {
			out.Marks |= tune.Vibrato
		}
	}
}
