package take

import (
	"fmt"
	"math"
	"strings"

	"stepping/core/ornament"
	"stepping/core/plan"
	"stepping/core/play"
)

// Verdict is what to say of a take, in a player's words.
type Verdict struct {
	Moment int
	Kind   string // pitch, landing, vibrato, time, tempo, tuning, stop, ringing, missing, wrong, accent
	Text   string
	Try    string
	weight float64 // how bad it is: 1 is just worth saying
	same   string  // what is said wherever a bar is played again is said once
}

// From when on a note is said to be off: in cents, in ms, if it is as sure as SureOf; and of what else.
const (
	OffCents   = 12.0
	OffMs      = 45.0
	SureOf     = 0.5
	saidDB     = -24.0 // how loud a string rings that is told of
	saidFreeDB = -18.0 // the same of one that the plan leaves free: strings ring along
	leftOut    = 3.0   // weight of a note that was not heard
	mostSpoken = 8
	mostSingly = 4 // moments in a row that are left out one by one
)

// Verdicts are what is worst of a take, worst first; few enough to be worked on. What goes wrong again where a
// bar is played again is said once, with how often.
func (tk *Take) Verdicts(p *plan.Plan) []Verdict {
	var out []Verdict
	told := map[string]int{}      // how many sure notes there are at a place of a printed bar
	meant := map[[2]int]float64{} // frets of the long glides that are advised, by moment and string
	for _, g := range ornament.Of(p).Glides {
		meant[[2]int{g.To, g.String}] = g.Frets
	}
	for i := range tk.Notes {
		n := &tk.Notes[i]
		if n.Sure >= SureOf {
			told[samePlace(&p.Moments[n.Moment], n.String)]++
		}
		out = append(out, n.verdicts(&p.Moments[n.Moment], meant[[2]int{n.Moment, n.String}])...)
	}
	for i := range tk.Ringing {
		if r := &tk.Ringing[i]; r.Told() {
			out = append(out, r.verdict(&p.Moments[r.Moment]))
		}
	}
	for _, s := range tk.Stops {
		if s.Seconds > 0 {
			out = append(out, s.verdict(&p.Moments[s.Moment]))
		}
	}
	out = append(out, tk.leftOut(p)...)
	for _, whole := range []func(*plan.Plan) (Verdict, bool){tk.accentVerdict, tk.tempoVerdict, tk.tuningVerdict} {
		if v, ok := whole(p); ok {
			out = append(out, v)
		}
	}
	worstFirst(out)
	out = once(out, told)
	return out[:min(len(out), mostSpoken)]
}

// tuningVerdict is what to say of a guitar that is out of tune as a whole.
func (tk *Take) tuningVerdict(*plan.Plan) (v Verdict, ok bool) {
	if tk.Common == 0 {
		return v, false
	}
	return Verdict{Moment: tk.Places[0].Moment, Kind: "tuning", weight: math.Abs(tk.Common) / OffCents,
		Text: fmt.Sprintf("The whole guitar is %.0f cents %s: notes are measured against that", math.Abs(tk.Common), either(tk.Common < 0, "flat", "sharp")),
		Try:  "tune it if you play with others; on your own it does not matter"}, true
}

// leftOut is what to say of notes that were not heard: one by one, or, where many follow each other, of the
// passage. Before it was begun, and after it was left, is no fault.
func (tk *Take) leftOut(p *plan.Plan) (out []Verdict) {
	passage := map[int]bool{}
	for i := 1; i < len(tk.Places); i++ {
		from, to := tk.Places[i-1].Moment+1, tk.Places[i].Moment-1
		if to-from+1 < mostSingly {
			continue
		}
		for m := from; m <= to; m++ {
			passage[m] = true
		}
		out = append(out, Verdict{Moment: from, Kind: "missing", weight: leftOut,
			Text: fmt.Sprintf("From %s to %s nothing of the tune was heard", placeOf(&p.Moments[from]), placeOf(&p.Moments[to])),
			Try:  "play that passage alone, then with the bar before it"})
	}
	first, last := tk.Places[0].Moment, tk.Places[len(tk.Places)-1].Moment
	for i := 0; i < len(tk.Missing); {
		m := &tk.Missing[i]
		at := i
		for i < len(tk.Missing) && tk.Missing[i].Moment == m.Moment {
			i++
		}
		if m.Moment < first || m.Moment > last || passage[m.Moment] {
			continue
		}
		out = append(out, missed(&p.Moments[m.Moment], tk.Missing[at:i]))
	}
	return out
}

func (s *Stop) verdict(mo *play.Moment) Verdict {
	return Verdict{Moment: s.Moment, Kind: "stop", weight: 2 + s.Seconds,
		Text: fmt.Sprintf("%s: you paused or went back for %.1f s before this", placeOf(mo), s.Seconds),
		Try:  "loop the change into it: the stroke before, and this one, slowly"}
}

// samePlace names a string at a place of a printed bar, whichever pass it is.
func samePlace(mo *play.Moment, str int) string {
	return fmt.Sprintf("%d/%g/%d", mo.Printed.Number, mo.Beat, str)
}

// once leaves the worst of verdicts that say the same of one place, with how often it was so.
func once(all []Verdict, told map[string]int) (out []Verdict) {
	times, at := map[string]int{}, map[string]int{}
	for _, v := range all {
		if v.same == "" {
			out = append(out, v)
			continue
		}
		if times[v.same]++; times[v.same] == 1 {
			at[v.same] = len(out)
			out = append(out, v)
		}
	}
	for key, n := range times {
		v := &out[at[key]]
		place, _, _ := strings.Cut(key, " ")
		if of := told[place]; n > 1 && of >= n {
			v.Text += fmt.Sprintf(", %d times of %d", n, of)
			v.weight += float64(n - 1)
		}
	}
	worstFirst(out)
	return out
}

// placeOf names a moment.
func placeOf(mo *play.Moment) string {
	return fmt.Sprintf("bar %s, beat %s", mo.Printed, play.Decimal(mo.Beat))
}

// verdicts are what to say of a note's pitch and time. meant is by how many frets a long glide into it is advised, up or down; 0 is none.
func (n *Note) verdicts(mo *play.Moment, meant float64) (out []Verdict) {
	if n.Octave > 0 {
		out = append(out, Verdict{Moment: n.Moment, Kind: "wrong", weight: leftOut,
			Text: fmt.Sprintf("%s: string %d sounds an octave too high", placeOf(mo), n.String),
			Try:  "check the fret, and whether a fingertip is only touching the string at its middle"})
	}
	if c := math.Abs(n.Cents); n.Sure >= SureOf && c >= OffCents && n.Octave == 0 {
		v := Verdict{Moment: n.Moment, Kind: "pitch", weight: c / OffCents,
			same: samePlace(mo, n.String) + either(n.Cents < 0, " flat", " sharp"),
			Text: fmt.Sprintf("%s: string %d is %.0f cents %s", placeOf(mo), n.String, c, either(n.Cents < 0, "flat", "sharp")),
			Try:  "tune that string, and listen again"}
		switch how := howOf(mo, n.String); {
		case how == play.Fret && n.Cents > 0:
			v.Try = "press lighter and straight down; if it is sharp everywhere, tune that string"
		case how == play.Bend:
			v.Try = either(n.Cents < 0, "bend further, and listen for the target note", "bend less, and listen for the target note")
		case slid(mo, n.String):
			v.Try = either(n.Cents < 0, "stop on the wire, not before it, and listen before any vibrato",
				"the slide is past the wire, or you are pressing: come up lightly from below")
		}
		out = append(out, v)
	}
	if g := n.Glide; g != nil && howOf(mo, n.String) == play.Slide && math.Abs(g.From) >= OffCents && g.From*meant >= 0 {
		out = append(out, Verdict{Moment: n.Moment, Kind: "landing", weight: math.Abs(g.From) / (2 * OffCents),
			same: samePlace(mo, n.String) + either(g.From < 0, " short", " far"),
			Text: fmt.Sprintf("%s: the slide lands %.0f cents %s on string %d and is in tune after %.0f ms", placeOf(mo),
				math.Abs(g.From), either(g.From < 0, "short", "too far"), n.String, 1000*g.Seconds),
			Try: "look at the wire before you pluck, and land on it; or make it a deliberate glide from below"})
	}
	if g := n.Glide; g != nil && g.Overshoot >= OffCents {
		out = append(out, Verdict{Moment: n.Moment, Kind: "landing", weight: g.Overshoot / OffCents,
			Text: fmt.Sprintf("%s: the slide overshoots by %.0f cents on string %d and comes back", placeOf(mo), g.Overshoot,
				n.String),
			Try: "move into the note more slowly, and stop on the wire"})
	}
	if v := n.Vibrato; v != nil && math.Abs(v.Centre) >= OffCents && math.Abs(n.Cents) < OffCents {
		out = append(out, Verdict{Moment: n.Moment, Kind: "vibrato", weight: math.Abs(v.Centre) / OffCents,
			Text: fmt.Sprintf("%s: the vibrato is centred %.0f cents %s the note", placeOf(mo), math.Abs(v.Centre),
				either(v.Centre < 0, "under", "over")),
			Try: "get the note still and in tune first, then swing as far to one side as to the other"})
	}
	together := n.Part == play.Thumb && mo.Melody != nil // then the melody's note says it
	if ms := math.Abs(n.OnsetMs); n.late() && !together {
		out = append(out, Verdict{Moment: n.Moment, Kind: "time", weight: ms / n.OffFrom,
			Text: fmt.Sprintf("%s comes %.0f ms %s against your own tempo", placeOf(mo), ms,
				either(n.OnsetMs < 0, "early", "late")),
			Try: "loop the bar slowly, with a click"})
	}
	return out
}

func either[T any](first bool, a, b T) T {
	if first {
		return a
	}
	return b
}

// Told reports whether it is loud and sure enough to be told of.
func (r *Ringing) Told() bool {
	return r.Sure >= SureOf && r.DB >= either(r.Damped, saidDB, saidFreeDB)
}

func (r *Ringing) verdict(mo *play.Moment) Verdict {
	v := Verdict{Moment: r.Moment, Kind: "ringing", weight: 1 + (r.DB-saidDB)/12,
		Text: fmt.Sprintf("%s: string %d rings on, %.0f dB %s the note", placeOf(mo), r.String, math.Abs(r.DB),
			either(r.DB < 0, "under", "over")),
		Try: "the plan leaves that string free there: pin a damper for it, or let it ring"}
	if r.Damped {
		v.Try = fmt.Sprintf("%s should have stopped it: hold the position and strike all six", mo.Strings[r.String-1].By)
	}
	return v
}

// missed is what to say of the notes of one moment that were not heard.
func missed(mo *play.Moment, notes []Missing) Verdict {
	var what []string
	for i := range notes {
		m := &notes[i]
		note := fmt.Sprintf("%s on string %d", either(m.Part == play.Thumb, "the thumb's stroke", "the note"), m.String)
		if in := m.Instead; in != nil {
			return Verdict{Moment: m.Moment, Kind: "wrong", weight: leftOut,
				Text: fmt.Sprintf("%s: instead of %s, string %d at fret %d was heard", placeOf(mo), note, in.String, in.Fret),
				Try:  "say string and fret aloud before you play the bar, slowly"}
		}
		what = append(what, note)
	}
	return Verdict{Moment: notes[0].Moment, Kind: "missing", weight: leftOut,
		Text: fmt.Sprintf("%s: %s %s not heard", placeOf(mo), strings.Join(what, " and "), either(len(what) > 1, "were", "was")),
		Try:  "play the bar on its own until it is there"}
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
	return howOf(mo, str).Slid()
}
