package take

import (
	"fmt"
	"math"

	"stepping/core/plan"
	"stepping/core/play"
)

// Verdict is what to say of a take, in a player's words.
type Verdict struct {
	Moment int
	Kind   string // pitch, landing, vibrato, time, ringing, missing, accent
	Text   string
	Try    string
	weight float64 // how bad it is: 1 is just worth saying
}

// From when on a note is said to be off: in cents, in ms, if it is as sure as SureOf; and of what else.
const (
	OffCents   = 12.0
	OffMs      = 45.0
	SureOf     = 0.5
	saidDB     = -24.0 // how loud a string rings that is told of
	leftOut    = 3.0   // weight of a note that was not heard
	mostSpoken = 8
)

// Verdicts are what is worst of a take, worst first; few enough to be worked on.
func (tk *Take) Verdicts(p *plan.Plan) []Verdict {
	var out []Verdict
	for i := range tk.Notes {
		out = append(out, tk.Notes[i].verdicts(&p.Moments[tk.Notes[i].Moment])...)
	}
	for i := range tk.Ringing {
		if r := &tk.Ringing[i]; r.told() {
			out = append(out, r.verdict(&p.Moments[r.Moment]))
		}
	}
	first, last := tk.Places[0].Moment, tk.Places[len(tk.Places)-1].Moment
	for _, m := range tk.Missing {
		if m.Moment >= first && m.Moment <= last { // before it was begun, or after it was left, is no fault
			out = append(out, m.verdict(&p.Moments[m.Moment]))
		}
	}
	if v, ok := tk.accentVerdict(p); ok {
		out = append(out, v)
	}
	worstFirst(out)
	return out[:min(len(out), mostSpoken)]
}

// placeOf names a moment.
func placeOf(mo *play.Moment) string {
	return fmt.Sprintf("bar %s, beat %s", mo.Printed, play.Decimal(mo.Beat))
}

// verdicts are what to say of a note's pitch and time.
func (n *Note) verdicts(mo *play.Moment) (out []Verdict) {
	if c := math.Abs(n.Cents); n.Sure >= SureOf && c >= OffCents {
		v := Verdict{Moment: n.Moment, Kind: "pitch", weight: c / OffCents, Text: fmt.Sprintf("%s: string %d is %.0f cents %s", placeOf(mo), n.String, c, either(n.Cents < 0, "flat", "sharp")), Try: "tune that string, and listen again"}
		if slid(mo, n.String) {
			v.Try = either(n.Cents < 0, "stop on the wire, not before it, and listen before you shake", "the slide is past the wire, or presses: come from below, and lightly")
		}
		out = append(out, v)
	}
	if g := n.Glide; g != nil && howOf(mo, n.String) == play.Slide && math.Abs(g.From) >= OffCents {
		out = append(out, Verdict{Moment: n.Moment, Kind: "landing", weight: math.Abs(g.From) / (2 * OffCents), Text: fmt.Sprintf("%s: the slide lands %.0f cents %s on string %d, and is there after %.0f ms", placeOf(mo), math.Abs(g.From), either(g.From < 0, "short", "too far"), n.String, 1000*g.Seconds),
			Try: "look at the wire before you pluck, and land on it; or make it a glide on purpose, from below"})
	}
	if g := n.Glide; g != nil && g.Overshoot >= OffCents {
		out = append(out, Verdict{Moment: n.Moment, Kind: "landing", weight: g.Overshoot / OffCents, Text: fmt.Sprintf("%s: the slide goes %.0f cents past its place on string %d, and comes back", placeOf(mo), g.Overshoot, n.String), Try: "slower into the note, and stop on the wire"})
	}
	if v := n.Vibrato; v != nil && math.Abs(v.Centre) >= OffCents && math.Abs(n.Cents) < OffCents {
		out = append(out, Verdict{Moment: n.Moment, Kind: "vibrato", weight: math.Abs(v.Centre) / OffCents, Text: fmt.Sprintf("%s: the vibrato hangs %.0f cents %s the note", placeOf(mo), math.Abs(v.Centre), either(v.Centre < 0, "under", "over")), Try: "hold the note still and in tune first, then as far to one side as to the other"})
	}
	together := n.Part == play.Thumb && mo.Melody != nil // then the melody's note says it
	if ms := math.Abs(n.OnsetMs); n.Plucked && !together && ms >= OffMs {
		out = append(out, Verdict{Moment: n.Moment, Kind: "time", weight: ms / OffMs, Text: fmt.Sprintf("%s comes %.0f ms %s against your own tempo", placeOf(mo), ms, either(n.OnsetMs < 0, "early", "late")), Try: "loop the bar slowly, with a click"})
	}
	return out
}

func either[T any](first bool, a, b T) T {
	if first {
		return a
	}
	return b
}

// told reports whether it is loud and sure enough to be told of.
func (r *Ringing) told() bool { return r.Sure >= SureOf && r.DB >= saidDB }

func (r *Ringing) verdict(mo *play.Moment) Verdict {
	v := Verdict{Moment: r.Moment, Kind: "ringing", weight: 1 + (r.DB-saidDB)/12, Text: fmt.Sprintf("%s: string %d rings on, %.0f dB %s the note", placeOf(mo), r.String, math.Abs(r.DB), either(r.DB < 0, "under", "over")), Try: "the plan leaves it ringing there: pin a damper for it, or leave it"}
	if r.Damped {
		v.Try = fmt.Sprintf("it is %s that should have stopped it: hold the position and strike all six", mo.Strings[r.String-1].By)
	}
	return v
}

func (m *Missing) verdict(mo *play.Moment) Verdict {
	return Verdict{Moment: m.Moment, Kind: "missing", weight: leftOut, Text: fmt.Sprintf("%s: %s on string %d was not heard", placeOf(mo), either(m.Part == play.Thumb, "the thumb's stroke", "the note"), m.String), Try: "play the bar alone, until it is there"}
}

// howOf is the technique of a string at a moment, "" if it is not struck.
func howOf(mo *play.Moment, str int) play.How {
	for _, s := range mo.Strokes() {
		if s.String == str {
			return s.How
		}
	}
	return ""
}

// slid reports whether a string is played with the slide at a moment.
func slid(mo *play.Moment, str int) bool {
	how := howOf(mo, str)
	return how == play.Slide || how == play.Glide
}
