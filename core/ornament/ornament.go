// Package ornament advises where a plan's notes want vibrato, how wide and how fast, and where the slide may
// travel audibly from one note to the next. The plan does not depend on it.
//
// What it rests on: a note is dead in tune before it gets any vibrato; vibrato swings to both sides of the
// pitch; notes that hang at the ends of phrases want it, then peaks and long notes; its speed and width are the
// player's own. A long glide leads into such a note, at most once a phrase, and only where no other string
// sounds under the slide.
package ornament

import (
	"fmt"
	"math"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/ring"
	"stepping/core/tune"
)

// Vibrato is advice for one note of the melody.
type Vibrato struct {
	Moment int     // of the plan
	After  float64 // seconds from the stroke until it begins
	Hz     float64 // swings a second
	Cents  float64 // to either side of the pitch
	MM     float64 // that the slide moves to either side of the wire, or 0 for a finger
	Why    string  // half a sentence
}

// Glide is advice to move the slide from one note to the next on the same string without lifting it or
// stopping the string. The next note is then struck on its beat.
type Glide struct {
	From, To int // moments of the plan
	String   int
	Frets    float64 // how far, negative downward; 2 to 5 either way
	Seconds  float64 // that the slide travels, before To
	Why      string  // half a sentence
}

// Advice holds the advice for a plan, in order of its moments.
type Advice struct {
	Vibratos []Vibrato
	Glides   []Glide
}

// Style is how a player's vibrato moves.
type Style struct {
	Hz    float64 // swings a second
	Cents float64 // to either side
	Name  string
}

// styles are those of player.Vibratos. Rates of 4 to 7 Hz are usual on bowed and sung notes (Prame 1994); the
// widths are what players call wide and narrow, within a quarter tone.
var styles = map[string]Style{
	player.VibratoMedium: {5.5, 18, "vibrato"},
	player.VibratoWide:   {4.5, 30, "vibrato, slow and wide"},
	player.VibratoNarrow: {6.5, 11, "vibrato, quick and narrow"},
}

// StyleOf returns the player's style; ok is false for a player who uses no vibrato.
func StyleOf(p *player.Profile) (s Style, ok bool) {
	s, ok = styles[p.Vibrato]
	return s, ok
}

// Of the notes that get vibrato, in seconds unless another unit is named.
const (
	leastSlid    = 0.6  // length of a note under the slide
	leastFretted = 0.9  // and of a fretted one
	longNote     = 1.2  // a note that needs no other reason
	leastTune    = 0.25 // that a note is in tune at least before its vibrato …
	mostTune     = 0.6  // … and at most
	shareTune    = 0.35 // of its length, between the two
	leastSwings  = 2.0  // that must fit into the rest
	fingerShare  = 0.5  // of the width, where a finger does it
	heldFingers  = 2    // that may press at most for one of them to be free to swing
)

// Of long glides.
const (
	leastFrets  = 2.0
	mostFrets   = 5.0
	leastBefore = 0.5  // seconds of the note from which it leaves
	glideBegin  = 0.08 // seconds that any glide takes …
	glideFret   = 0.04 // … and a fret more
	glideShare  = 0.4  // of the note before, at most
	longTarget  = 1.0  // seconds of a note that is worth one without being a peak or an end
)

// Of returns the advice for a plan at its tempo.
func Of(p *plan.Plan) Advice {
	a := adviser{p: p, tu: p.Request.Tune, clock: p.Request.Tune.Clock(p.Tempo())}
	a.ends, a.peaks = a.tu.PhraseEnds(), a.tu.Peaks()
	for t := range p.Moments {
		if n := p.Moments[t].Melody; n != nil && n.Index < len(a.tu.Notes) {
			a.melody = append(a.melody, t)
		}
	}
	return Advice{a.vibratos(), a.glides()}
}

type adviser struct {
	p           *plan.Plan
	tu          *tune.Tune
	clock       tune.Clock
	ends, peaks []bool // by note
	melody      []int  // moments at which one begins
}

func (a *adviser) note(t int) *tune.Note { return &a.tu.Notes[a.p.Moments[t].Melody.Index] }

// lasts returns the length in seconds of the melody note at moment t.
func (a *adviser) lasts(t int) float64 {
	n := a.note(t)
	return a.clock.Seconds(n.End()) - a.clock.Seconds(n.At)
}

func (a *adviser) vibratos() (out []Vibrato) {
	style, ok := StyleOf(&a.p.Request.Player)
	if !ok {
		return nil
	}
	before := 0.0
	for _, t := range a.melody {
		length := a.lasts(t)
		if why := a.wantsVibrato(t, length, before); why != "" {
			if v, ok := a.vibrato(t, length, style); ok {
				v.Why = why
				out = append(out, v)
			}
		}
		before = length
	}
	return out
}

// wantsVibrato returns the reason for vibrato on the note at moment t, or "" if it wants none.
func (a *adviser) wantsVibrato(t int, length, before float64) string {
	mo := &a.p.Moments[t]
	n, s := a.note(t), mo.Melody
	switch {
	case s.How == play.Open || s.How == play.Harmonic || s.How == play.Dead:
		return ""
	case n.Marks&tune.Vibrato != 0:
		return "the tune marks it"
	case n.Marks&tune.Staccato != 0 || n.Note.Cents != 0: // a note between the frets has its own inflection
		return ""
	case s.How.Slid() && length < leastSlid || !s.How.Slid() && (length < leastFretted || s.How == play.Bend || len(mo.Hand.Fingers) > heldFingers):
		return ""
	case a.ends[s.Index]:
		return "the phrase ends on it"
	case !s.How.Slid():
		return ""
	case a.peaks[s.Index]:
		return "it is the highest note of its phrase"
	case length >= longNote && length > before:
		return "it is long"
	}
	return ""
}

func (a *adviser) vibrato(t int, length float64, style Style) (v Vibrato, ok bool) {
	s := a.p.Moments[t].Melody
	v = Vibrato{Moment: t, After: max(leastTune, min(mostTune, shareTune*length)), Hz: style.Hz, Cents: style.Cents}
	if s.How.Slid() {
		k := a.p.Request.Player.Neck()
		v.MM = v.Cents / k.CentsPerMM(s.Fret)
	} else {
		v.Cents *= fingerShare
	}
	return v, length-v.After >= leastSwings/v.Hz
}

// glides chooses at most one glide a phrase: into its peak, else into its end, else into a long note.
func (a *adviser) glides() (out []Glide) {
	var best *Glide
	rank := 0
	for i := 1; i < len(a.melody); i++ {
		from, to := a.melody[i-1], a.melody[i]
		if g, r := a.glide(from, to); r > rank {
			best, rank = &g, r
		}
		if a.ends[a.p.Moments[to].Melody.Index] && best != nil {
			out, best, rank = append(out, *best), nil, 0
		}
	}
	return out
}

// glide returns the glide between two successive notes of the melody, and how much it is worth; 0 if there can
// be none.
func (a *adviser) glide(from, to int) (g Glide, rank int) {
	s, d := a.p.Moments[from].Melody, a.p.Moments[to].Melody
	n, next := a.note(from), a.note(to)
	frets := d.Fret - s.Fret
	before, after := a.lasts(from), a.lasts(to)
	switch {
	case !s.How.Slid() || d.How != play.Slide || s.String != d.String, n.End() < next.At, a.ends[s.Index],
		math.Abs(frets) < leastFrets || math.Abs(frets) > mostFrets,
		before < leastBefore || after < before, (n.Marks|next.Marks)&tune.Staccato != 0:
		return g, 0
	}
	for t := from; t < to; t++ {
		if a.crowded(t, s.String) {
			return g, 0
		}
	}
	g = Glide{From: from, To: to, String: s.String, Frets: frets, Seconds: min(glideBegin+glideFret*math.Abs(frets), glideShare*before)}
	switch {
	case frets > 0 && a.peaks[d.Index]:
		g.Why, rank = "it leads up to the highest note of the phrase", 3
	case a.ends[d.Index]:
		g.Why, rank = "it leads into the note on which the phrase ends", 2
	case frets > 0 && after >= longTarget:
		g.Why, rank = "it leads into a long note", 1
	}
	return g, rank
}

// crowded reports whether the slide lies on another string that sounds, which would be dragged along.
func (a *adviser) crowded(t, str int) bool {
	mo := &a.p.Moments[t]
	under := ring.Between(mo.Hand.From, mo.Hand.Covers)
	for i, st := range mo.Strings {
		if i+1 != str && under.Has(i+1) && st.Wanted() {
			return true
		}
	}
	return false
}

// Text says what to do, in one sentence.
func (v *Vibrato) Text(style Style) string {
	by := fmt.Sprintf("%.0f cents to either side, with the finger", v.Cents)
	if v.MM > 0 {
		by = fmt.Sprintf("%.0f cents (%.0f mm) to either side of the wire", v.Cents, v.MM)
	}
	return fmt.Sprintf("%s, because %s: get the note dead in tune first, then swing about %s times a second, %s.",
		capital(style.Name), v.Why, play.Decimal(v.Hz), by)
}

// Text says what to do at the note that the slide leaves.
func (g *Glide) Text() string {
	way := "up"
	if g.Frets < 0 {
		way = "down"
	}
	return fmt.Sprintf("Slide audibly %s to the next note, %s frets along string %d, because %s. Leave late, stay on the string, and pick the next note on its beat.",
		way, play.Decimal(math.Abs(g.Frets)), g.String, g.Why)
}

func capital(s string) string { return string(s[0]-'a'+'A') + s[1:] }
