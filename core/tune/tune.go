// Package tune is the music to be played: a melody over chords, and a bass of its
// own if one is written, with meter, tempo and bars, repeats already played out.
//
// Times are exact (see Time). A Tune from a reader satisfies: the notes of melody and
// bass each ascending and not overlapping, every chord and meter change within the
// tune, bars ascending from 0.
package tune

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"stepping/core/chord"
	"stepping/core/pitch"
)

// Place is where something is in the source text, both from 1; 0 if unknown.
type Place struct{ Line, Column int }

// Note is one melody note, or several struck together.
type Note struct {
	At, Dur Time
	Note    pitch.Note   // the highest
	With    []pitch.Note // those struck with it, descending; at most MaxWith
	Place   Place
	Marks   Marks
	Lyric   string // sung to it
}

// Marks are how a note is to be played, as a set.
type Marks uint8

// The marks.
const (
	Vibrato  Marks = 1 << iota // to be shaken
	Accent                     // louder
	Staccato                   // cut short
	Scoop                      // come to from below
	LetRing                    // tied to nothing: it rings on
)

// MarkNames are the marks' names, by their bits.
var MarkNames = [...]string{"vibrato", "accent", "staccato", "slide", "let ring"}

// Names lists the marks that are set.
func (m Marks) Names() (out []string) {
	for i, name := range MarkNames {
		if m&(1<<i) != 0 {
			out = append(out, name)
		}
	}
	return out
}

// MaxWith is how many notes may sound next to the highest.
const MaxWith = 4

// Voices returns all the note's pitches, the highest first.
func (n Note) Voices() []pitch.Note { return append([]pitch.Note{n.Note}, n.With...) }

// End returns the time at which the note stops.
func (n Note) End() Time { return n.At + n.Dur }

// ChordAt is a chord sounding from At to the next chord.
type ChordAt struct {
	At    Time
	Chord chord.Chord
}

// MeterAt is a time signature in force from At.
type MeterAt struct {
	At       Time
	Num, Den int
}

// ParseMeter reads a meter as it is written, "6/8"; ok is false for anything else. What meters may be used is the caller's matter.
func ParseMeter(text string) (m MeterAt, ok bool) {
	_, err := fmt.Sscanf(text, "%d/%d", &m.Num, &m.Den)
	return m, err == nil && text == fmt.Sprintf("%d/%d", m.Num, m.Den)
}

// Pulse returns the length of one felt beat: a dotted unit in 6, 9 and 12, else the unit.
func (m MeterAt) Pulse() Time {
	if m.Num > 3 && m.Num%3 == 0 && m.Den >= 8 {
		return 3 * m.Unit()
	}
	return m.Unit()
}

// Unit returns the length of the note value that the signature counts.
func (m MeterAt) Unit() Time { return Whole / Time(m.Den) }

// Bar returns the length of a full bar.
func (m MeterAt) Bar() Time { return Time(m.Num) * m.Unit() }

// Tempo limits in quarter notes a minute.
const (
	MinTempo = 10
	MaxTempo = 400
)

// TempoRule says what a tempo may be, for errors.
var TempoRule = fmt.Sprintf("give %d to %d quarter notes a minute", MinTempo, MaxTempo)

// FastestShown is the tempo above which a ceiling is none: nobody plays so fast, and the figure would
// pretend that somebody could.
const FastestShown = 300

// Believable is a ceiling as it is shown: 0, no limit, above FastestShown.
func Believable(bpm float64) float64 {
	if bpm > FastestShown {
		return 0
	}
	return bpm
}

// TempoAt is a tempo in quarter notes a minute in force from At.
type TempoAt struct {
	At  Time
	BPM float64
}

// Key is the tonic and whether the third above it is minor.
type Key struct {
	Tonic pitch.Note
	Minor bool
	Flats bool // spell with flats
}

// circle is the circle of fifths from F, whose major key has one flat.
const circle = "FCGDAEB"

// KeyOf is the key of a signature: so many sharps, flats below zero, -7 to 7; what is beyond is taken as the last.
func KeyOf(fifths int, minor bool) Key {
	fifths = max(-7, min(7, fifths))
	at := fifths + 1 + 7
	if minor {
		at += 3
	}
	return Key{Tonic: pitch.Note{Letter: circle[at%7], Alter: at/7 - 1}, Minor: minor, Flats: fifths < 0}
}

// KeyOn is the key on a tonic, spelt with flats if its signature has them or, without one, its tonic does.
func KeyOn(tonic pitch.Note, minor bool) Key {
	k := Key{Tonic: tonic, Minor: minor}
	n, ok := k.Signature()
	k.Flats = ok && n < 0 || tonic.Alter < 0
	return k
}

// Signature is the number of the key's sharps, flats below zero; ok is false for a key without one of -7 to 7.
func (k Key) Signature() (fifths int, ok bool) {
	at := strings.IndexByte(circle, k.Tonic.Letter)
	if at < 0 {
		return 0, false
	}
	fifths = at - 1 + 7*k.Tonic.Alter
	if k.Minor {
		fifths -= 3
	}
	return fifths, fifths >= -7 && fifths <= 7
}

// Tune is a whole piece.
type Tune struct {
	Title  string
	Key    Key
	Notes  []Note // the melody
	Bass   []Note // the written bass, one note at a time; empty if none is written
	Chords []ChordAt
	Meters []MeterAt // the first at 0
	Tempos []TempoAt // the first at 0
	Bars   []Time    // start of each bar; the first is 0
	Length Time
	Swing  float64 // share of a quarter that the first of two eighths takes, Straight to MostSwing; 0 is straight

	// Printed is how each bar is numbered on paper; empty if no bar is played twice and the first is whole.
	Printed []Printed
}

// Printed is a bar's number on paper, the first full bar being 1 and a pickup 0, and which time it is
// played, from 1.
type Printed struct{ Number, Pass int }

// BarPrinted returns how bar i is numbered on paper.
func (tu *Tune) BarPrinted(i int) Printed {
	if i >= 0 && i < len(tu.Printed) {
		return tu.Printed[i]
	}
	return Printed{i + 1, 1}
}

// String says the number, and which time it is played if not the first: "3", "3, 2nd time".
func (p Printed) String() string {
	if p.Pass <= 1 {
		return fmt.Sprint(p.Number)
	}
	ending := "th"
	if tens := p.Pass / 10 % 10; tens != 1 {
		switch p.Pass % 10 {
		case 1:
			ending = "st"
		case 2:
			ending = "nd"
		case 3:
			ending = "rd"
		}
	}
	return fmt.Sprintf("%d, %d%s time", p.Number, p.Pass, ending)
}

// BarsPrinted says the bars from first to last, counted from 1 as they are played, as they are numbered on paper: "bar 3",
// "bars 1 to 4, 2nd time".
func (tu *Tune) BarsPrinted(first, last int) string {
	from, to := tu.BarPrinted(first-1), tu.BarPrinted(last-1)
	switch {
	case from == to:
		return "bar " + from.String()
	case from.Pass == to.Pass:
		return fmt.Sprintf("bars %d to %s", from.Number, to)
	}
	return fmt.Sprintf("bars %s to %s", from, to)
}

// Short is String for a narrow place: "3", "3·2" for the second time.
func (p Printed) Short() string {
	if p.Pass > 1 {
		return fmt.Sprintf("%d·%d", p.Number, p.Pass)
	}
	return fmt.Sprint(p.Number)
}

// BarNumbered returns the index of the first bar that has a number on paper, -1 if none has.
func (tu *Tune) BarNumbered(number int) int {
	for i := range tu.Bars {
		if tu.BarPrinted(i).Number == number {
			return i
		}
	}
	return -1
}

// ChordOver returns the chord that sounds at t: the last one written at or before t,
// before the first one the first, and the triad of the key if none is written.
func (tu *Tune) ChordOver(t Time) chord.Chord {
	if len(tu.Chords) == 0 {
		return chord.Triad(tu.Key.Tonic, tu.Key.Minor)
	}
	i := sort.Search(len(tu.Chords), func(i int) bool { return tu.Chords[i].At > t })
	return tu.Chords[max(i-1, 0)].Chord
}

// MeterOver returns the meter in force at t.
func (tu *Tune) MeterOver(t Time) MeterAt {
	i := sort.Search(len(tu.Meters), func(i int) bool { return tu.Meters[i].At > t })
	return tu.Meters[max(i-1, 0)]
}

// BeatsText says a length from a time on in beats of the meter there, as players do: "1 beat", "½ beat", "1½ beats".
func (tu *Tune) BeatsText(from, length Time) string {
	beat := tu.MeterOver(from).Unit()
	whole, rest := length/beat, 12*(length%beat)
	part, ok := fractions[rest/beat]
	switch {
	case !ok || rest%beat != 0:
		return fmt.Sprintf("%.2g beats", float64(length)/float64(beat))
	case whole == 0:
		return part + " beat"
	case whole == 1 && part == "":
		return "1 beat"
	}
	return fmt.Sprintf("%d%s beats", whole, part)
}

// fractions are parts of a beat, in twelfths.
var fractions = map[Time]string{0: "", 3: "¼", 4: "⅓", 6: "½", 8: "⅔", 9: "¾"}

// BarOver returns the index of the bar that contains t.
func (tu *Tune) BarOver(t Time) int {
	return max(sort.Search(len(tu.Bars), func(i int) bool { return tu.Bars[i] > t })-1, 0)
}

// BarLength returns the length of bar i as written (a pickup bar is short).
func (tu *Tune) BarLength(i int) Time {
	if i+1 < len(tu.Bars) {
		return tu.Bars[i+1] - tu.Bars[i]
	}
	return tu.Length - tu.Bars[i]
}

// Position returns the bar index of t and the time since beat 1 of that bar.
// A short first bar is a pickup: it is counted from its end, so that its last
// beat is the last beat of a full bar.
func (tu *Tune) Position(t Time) (bar int, since Time) {
	bar = tu.BarOver(t)
	since = t - tu.Bars[bar]
	if full := tu.MeterOver(t).Bar(); bar == 0 && len(tu.Bars) > 1 && tu.BarLength(0) < full {
		since += full - tu.BarLength(0)
	}
	return bar, since
}

// Clock converts musical times into seconds.
type Clock struct {
	tune   *Tune
	thirds map[Time]bool // see played; of a tune that swings
	tempos []TempoAt
	start  []float64 // seconds at tempos[i].At
}

// Clock returns the tune's clock, swing included, with every tempo scaled so that the first is
// bpm quarter notes a minute; bpm <= 0 keeps the written tempo.
func (tu *Tune) Clock(bpm float64) Clock {
	scale := 1.0
	if bpm > 0 {
		scale = bpm / tu.Tempos[0].BPM
	}
	c := Clock{tune: tu, start: make([]float64, len(tu.Tempos))}
	if tu.Swing > Straight {
		c.thirds = tu.thirds()
	}
	for i, t := range tu.Tempos {
		c.tempos = append(c.tempos, TempoAt{t.At, t.BPM * scale})
		if i > 0 {
			prev := c.tempos[i-1]
			c.start[i] = c.start[i-1] + c.quarters(prev.At, t.At)*60/prev.BPM
		}
	}
	return c
}

// Seconds returns the time in seconds from the start.
func (c Clock) Seconds(t Time) float64 {
	i := max(sort.Search(len(c.tempos), func(i int) bool { return c.tempos[i].At > t })-1, 0)
	return c.start[i] + c.quarters(c.tempos[i].At, t)*60/c.tempos[i].BPM
}

// quarters is how long it is from a to b as played, in quarter notes.
func (c Clock) quarters(a, b Time) float64 {
	if c.tune == nil || c.tune.Swing <= Straight {
		return (b - a).Quarters()
	}
	return c.tune.played(b, c.thirds) - c.tune.played(a, c.thirds)
}

// PhraseEnds marks the notes that close a phrase: the last one, one followed by
// a rest, and one at least twice the median length and longer than the next.
func (tu *Tune) PhraseEnds() []bool {
	ends := make([]bool, len(tu.Notes))
	if len(tu.Notes) == 0 {
		return ends
	}
	median := tu.medianLength()
	for i, n := range tu.Notes {
		if i+1 == len(tu.Notes) {
			ends[i] = true
			continue
		}
		next := tu.Notes[i+1]
		ends[i] = next.At > n.End() || n.Dur >= 2*median && n.Dur > next.Dur
	}
	return ends
}

// Transposed returns the tune steps half steps higher; chord symbols move along.
func (tu *Tune) Transposed(steps int) *Tune {
	if steps == 0 {
		return tu
	}
	out := *tu
	move := func(n pitch.Note) pitch.Note { return pitch.Spell(n.Pitch()+pitch.Midi(steps), tu.Key.Flats) }
	out.Key.Tonic = move(tu.Key.Tonic)
	notes := func(line []Note) []Note {
		moved := make([]Note, len(line))
		for i, n := range line {
			with := make([]pitch.Note, len(n.With))
			for v, w := range n.With {
				with[v] = move(w)
			}
			n.Note, n.With = move(n.Note), with
			moved[i] = n
		}
		return moved
	}
	out.Notes, out.Bass = notes(tu.Notes), notes(tu.Bass)
	out.Chords = make([]ChordAt, len(tu.Chords))
	for i, c := range tu.Chords {
		out.Chords[i] = ChordAt{c.At, c.Chord.Transposed(steps, tu.Key.Flats)}
	}
	return &out
}

// Pitches between which guitars are played, to tell music that is written an octave above its sound: A5 lies
// at fret 17 of the first string, beyond the body's joint; C5 at fret 8, or 10 of a first string tuned to D, and a melody that
// lies there for half of its time is easier an octave lower; E2 is the lowest string.
const (
	hardlyFretted = pitch.Pitch(8100)
	highOnNeck    = pitch.Pitch(7200)
	lowestString  = pitch.Pitch(4000)
)

// WrittenHigh reports whether the tune is written an octave above what a guitar sounds, as guitar music
// and tunes for fiddle and flute are: it goes where guitars are hardly fretted, or spends half of its time high on the neck,
// and has room below.
func (tu *Tune) WrittenHigh() bool {
	highest, lowest := pitch.Pitch(0), pitch.Midi(127)
	for _, n := range slices.Concat(tu.Notes, tu.Bass) {
		for _, v := range n.Voices() {
			highest, lowest = max(highest, v.Pitch()), min(lowest, v.Pitch())
		}
	}
	var all, high Time
	for _, n := range tu.Notes {
		if all += n.Dur; n.Note.Pitch() >= highOnNeck {
			high += n.Dur
		}
	}
	return (highest >= hardlyFretted || 2*high > all) && lowest-pitch.Octave >= lowestString
}

// Peaks marks the notes that are the highest of their phrase, and at least of median
// length: the first of equals.
func (tu *Tune) Peaks() []bool {
	peaks := make([]bool, len(tu.Notes))
	if len(tu.Notes) == 0 {
		return peaks
	}
	ends, median, top := tu.PhraseEnds(), tu.medianLength(), -1
	for i, n := range tu.Notes {
		if top < 0 || n.Note.Pitch() > tu.Notes[top].Note.Pitch() {
			top = i
		}
		if ends[i] {
			peaks[top] = tu.Notes[top].Dur >= median
			top = -1
		}
	}
	return peaks
}

// Carriers marks the notes that carry the line at any tempo, as against those that pass between them: the first of each bar, the
// last of each phrase, and those longer than the middle one.
func (tu *Tune) Carriers() []bool {
	carry := make([]bool, len(tu.Notes))
	if len(tu.Notes) == 0 {
		return carry
	}
	ends, median := tu.PhraseEnds(), tu.medianLength()
	for i, n := range tu.Notes {
		_, since := tu.Position(n.At)
		carry[i] = since == 0 || ends[i] || n.Dur > median
	}
	return carry
}

func (tu *Tune) medianLength() Time {
	durs := make([]Time, len(tu.Notes))
	for i, n := range tu.Notes {
		durs[i] = n.Dur
	}
	slices.Sort(durs)
	return durs[len(durs)/2]
}
