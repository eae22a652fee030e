// Package plandoc writes the plan document of docs/formats.md (schema in
// docs/plan.schema.json), the one form in which a plan leaves the program.
package plandoc

import (
	"context"
	"encoding/json"
	"io"
	"math"

	"stepping/core/ornament"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
)

// Version is the version of the document's shape.
const Version = 2

// Doc is a plan document. Field names and meanings: docs/formats.md.
type Doc struct {
	Version  int               `json:"version"`
	Title    string            `json:"title"`
	Tuning   []string          `json:"tuning"`
	Capo     int               `json:"capo"`
	Tempo    float64           `json:"tempo"`
	Swing    float64           `json:"swing,omitempty"` // share of the first of two eighths
	Thumb    string            `json:"thumb"`
	Patterns []pattern.Section `json:"patterns,omitempty"`
	Player   player.Profile    `json:"player"`
	Pins     []Pin             `json:"pins"`
	LeftOut  []LeftOut         `json:"leftOut,omitempty"`
	Grips    []Held            `json:"grips,omitempty"` // of a progression without melody
	Moments  []Moment          `json:"moments"`
	Dropped  []Dropped         `json:"dropped"`
	Total    float64           `json:"total"`
	Proof    Proof             `json:"proof"`
	Ceiling  Ceiling           `json:"ceiling"`
	Bars     []float64         `json:"bars"`
}

// Moment is one onset.
type Moment struct {
	At      string             `json:"at"`
	Bar     int                `json:"bar"`
	Pass    int                `json:"pass"` // which time the bar is played
	Beat    string             `json:"beat"`
	Chord   string             `json:"chord"`
	Strokes []Stroke           `json:"strokes"`
	Slide   Slide              `json:"slide"`
	Stays   []Stay             `json:"stays,omitempty"`
	Heel    int                `json:"heel"`
	Accent  bool               `json:"accent,omitempty"`
	Mute    string             `json:"mute,omitempty"`
	Flick   bool               `json:"flick,omitempty"`
	Share   float64            `json:"share"`
	Strings []String           `json:"strings"`
	Cost    map[string]float64 `json:"cost"`
	Why     []string           `json:"why"`
	Vibrato *Vibrato           `json:"vibrato,omitempty"`
	Travel  *Travel            `json:"travel,omitempty"`
}

// Vibrato is advice for the melody note of a moment, see package ornament.
type Vibrato struct {
	After float64 `json:"after"` // seconds from the stroke
	Hz    float64 `json:"hz"`
	Cents float64 `json:"cents"`        // to either side
	MM    float64 `json:"mm,omitempty"` // of the slide, to either side of the wire
	Why   string  `json:"why"`
}

// Travel is advice to slide audibly on to the next melody note.
type Travel struct {
	Frets   float64 `json:"frets"` // negative downward
	Seconds float64 `json:"seconds"`
	Why     string  `json:"why"`
}

// Stroke is one note struck.
type Stroke struct {
	Part   string     `json:"part"`
	String int        `json:"string"`
	Fret   float64    `json:"fret"`
	From   float64    `json:"from"`
	How    string     `json:"how"`
	Finger string     `json:"finger"`
	Hook   bool       `json:"hook,omitempty"`
	Digit  play.Digit `json:"digit"`
	Pitch  string     `json:"pitch"`
	Cents  int        `json:"cents"`
	Dur    string     `json:"dur"`
	Asked  string     `json:"asked,omitempty"` // the written length of a bass note that cannot be held so long
	Pinned bool       `json:"pinned"`
	Marks  []string   `json:"marks,omitempty"` // of a melody note, as the tune has them
	Lyric  string     `json:"lyric,omitempty"`
}

// Slide is where the slide is.
type Slide struct {
	On     bool    `json:"on"`
	Fret   float64 `json:"fret"`
	From   int     `json:"from"`
	Covers int     `json:"covers"`
	Trails int     `json:"trails"`
	Slant  bool    `json:"slant,omitempty"`
}

// Stay is a finger that lies or hovers where it presses next.
type Stay struct {
	Finger string `json:"finger"`
	String int    `json:"string"`
	Fret   int    `json:"fret"`
}

// String is what one string does.
type String struct {
	String int         `json:"string"`
	State  string      `json:"state"`
	By     play.Damper `json:"by"`
	Note   string      `json:"note"`
	DB     float64     `json:"db,omitempty"`
}

// Pin is a user's choice that the plan keeps.
type Pin struct {
	At     string      `json:"at"`
	To     string      `json:"to,omitempty"`
	Part   string      `json:"part"`
	Voice  int         `json:"voice,omitempty"`
	String int         `json:"string"`
	Fret   float64     `json:"fret"`
	How    string      `json:"how"`
	Finger int         `json:"finger,omitempty"`
	Digit  play.Digit  `json:"digit,omitempty"`
	Covers int         `json:"covers,omitempty"`
	By     play.Damper `json:"by,omitempty"`
}

// LeftOut is a pin that cannot be played and is left out.
type LeftOut struct {
	Pin
	Why string `json:"why"` // the rule that it breaks, by itself or with pins set before it
}

// Dropped is a stroke that the pattern asks for and the plan leaves out.
type Dropped struct {
	At   string `json:"at"`
	Part string `json:"part"`
	Why  string `json:"why"`
}

// Proof says how good the plan is: "optimal" with gap 0, the least total in the model; or a "bound", the gap
// being the share of the total by which no plan can be cheaper.
type Proof struct {
	Kind string  `json:"kind"`
	Gap  float64 `json:"gap"`
}

// Ceiling is the highest tempo and the move that sets it.
type Ceiling struct {
	BPM float64 `json:"bpm"`
	At  string  `json:"at"`
	Why string  `json:"why"`
}

// proofOf is the proof of a plan: repeats that are held alike may cost more than they would free.
func proofOf(p *plan.Plan) Proof {
	if p.Gap == 0 {
		return Proof{Kind: "optimal"}
	}
	return Proof{Kind: "bound", Gap: round(p.Gap / p.Total)}
}

// New makes the document of p. It computes the reasons of every moment; ctx stops that.
func New(ctx context.Context, p *plan.Plan) (*Doc, error) {
	r := &p.Request
	d := &Doc{
		Version: Version, Title: r.Tune.Title, Tuning: r.Tuning.Spelled(), Capo: r.Capo, Tempo: p.Tempo(), Swing: r.Tune.Swing,
		Thumb: string(r.Thumb), Patterns: r.Sections, Player: r.Player, Pins: []Pin{}, Dropped: []Dropped{}, Total: round(p.Total),
		Proof:   proofOf(p),
		Ceiling: Ceiling{p.Ceiling.BPM, p.Ceiling.At.String(), p.Ceiling.Why}, Bars: p.BarCeilings(),
	}
	for _, pin := range r.Pins {
		d.Pins = append(d.Pins, newPin(&pin))
	}
	for i := range p.LeftOut {
		d.LeftOut = append(d.LeftOut, LeftOut{newPin(&p.LeftOut[i].Pin), p.LeftOut[i].Why})
	}
	for t := range p.Moments {
		why, err := p.Why(ctx, t)
		if err != nil {
			return nil, err
		}
		mo := &p.Moments[t]
		d.Moments = append(d.Moments, moment(mo, why))
		if n := mo.Melody; n != nil { // which comes first
			first, note := &d.Moments[t].Strokes[0], &r.Tune.Notes[n.Index]
			first.Marks, first.Lyric = note.Marks.Names(), note.Lyric
		}
		if mo.Dropped {
			d.Dropped = append(d.Dropped, Dropped{mo.At.String(), "thumb", p.DropReason(t)})
		}
		if mo.HitLost != "" {
			d.Dropped = append(d.Dropped, Dropped{mo.At.String(), "percussion", p.HitReason(t)})
		}
	}
	d.advise(ornament.Of(p))
	return d, nil
}

func (d *Doc) advise(a ornament.Advice) {
	for _, v := range a.Vibratos {
		d.Moments[v.Moment].Vibrato = &Vibrato{round(v.After), v.Hz, v.Cents, round(v.MM), v.Why}
	}
	for _, g := range a.Glides {
		d.Moments[g.From].Travel = &Travel{g.Frets, round(g.Seconds), g.Why}
	}
}

func newPin(p *play.Pin) Pin {
	out := Pin{At: p.At.String(), Part: string(p.Part), Voice: p.Voice, String: p.String, Fret: p.Fret, How: string(p.How),
		Finger: p.Finger, Digit: p.Digit, Covers: p.Covers, By: p.By}
	if p.To > p.At {
		out.To = p.To.String()
	}
	return out
}

func moment(mo *play.Moment, why []string) Moment {
	out := Moment{
		At: mo.At.String(), Bar: mo.Printed.Number, Pass: mo.Printed.Pass, Beat: play.Decimal(mo.Beat), Chord: mo.Chord.Name,
		Strokes: []Stroke{}, Heel: mo.Heel, Accent: mo.Accent, Mute: mo.Mute, Flick: mo.Flick, Share: round(mo.Share),
		Slide: Slide{mo.Hand.SlideOn, mo.Hand.SlideFret, mo.Hand.From, mo.Hand.Covers, mo.Hand.Trails, mo.Hand.Slant},
		Cost:  map[string]float64{}, Why: why,
	}
	for _, s := range mo.Strokes() {
		out.Strokes = append(out.Strokes, stroke(s))
	}
	if mo.Hit != "" && mo.Hit != pattern.Release { // a release is the dead stroke itself
		out.Strokes = append(out.Strokes, Stroke{Part: string(play.Percussion), String: hitString[mo.Hit], How: mo.Hit,
			Digit: hitDigit[mo.Hit], Dur: "0"})
	}
	for _, f := range mo.Hand.Stays {
		out.Stays = append(out.Stays, Stay{f.Finger, f.String, f.Fret})
	}
	for i, s := range mo.Strings {
		out.Strings = append(out.Strings, String{i + 1, string(s.State), s.By, s.Note, math.Round(s.DB)})
	}
	for k, name := range play.TermNames() {
		if mo.Cost[k] != 0 {
			out.Cost[name] = round(mo.Cost[k])
		}
	}
	return out
}

// Where percussion falls: the thickest string that it touches, and with what; a thump is on the top.
var (
	hitString = map[string]int{pattern.Slap: 6, pattern.Tap: 3, pattern.Thump: 6}
	hitDigit  = map[string]play.Digit{pattern.Slap: play.P, pattern.Tap: play.I}
)

func stroke(s *play.Stroke) Stroke {
	asked := ""
	if s.Asked > 0 {
		asked = s.Asked.String()
	}
	return Stroke{
		Part: string(s.Part), String: s.String, Fret: s.Fret, From: s.From, How: string(s.How), Finger: s.Finger, Hook: s.Hook, Digit: s.Digit,
		Pitch: s.Note.String(), Cents: s.Note.Cents, Dur: s.Dur.String(), Asked: asked, Pinned: s.Pinned,
	}
}

// round keeps documents readable: four decimals are far below any difference that counts.
func round(x float64) float64 { return math.Round(x*1e4) / 1e4 }

// Write writes the document as indented JSON.
func (d *Doc) Write(w io.Writer) error {
	enc := json.NewEncoder(w)
	enc.SetIndent("", " ")
	enc.SetEscapeHTML(false)
	return enc.Encode(d)
}
