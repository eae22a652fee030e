package plandoc

import (
	"cmp"
	"math"

	"stepping/core/plan"
	"stepping/core/take"
)

// TakeDoc is what was heard of a plan. Field names and meanings: docs/formats.md.
type TakeDoc struct {
	Alignment []TakePlace   `json:"alignment"`
	Notes     []TakeNote    `json:"notes"`
	Ringing   []TakeRinging `json:"ringing"`
	Missing   []TakeMissing `json:"missing"`
	Extra     []TakeExtra   `json:"extra"`
	Verdicts  []TakeVerdict `json:"verdicts"`
	Summary   take.Summary  `json:"summary"`
	Odd       []string      `json:"odd,omitempty"`
	Hint      string        `json:"hint,omitempty"`
}

// TakePlace is where in the recording a moment begins.
type TakePlace struct {
	At    float64 `json:"at"`
	AtSec float64 `json:"atSec"`
	Sure  float64 `json:"sure"`
}

// TakeNote is one note as it was played.
type TakeNote struct {
	At      float64 `json:"at"`
	Bar     int     `json:"bar"` // from 1, as the tune is played out
	AtSec   float64 `json:"atSec"`
	String  int     `json:"string"`
	Part    string  `json:"part"`
	Cents   float64 `json:"cents"`
	Spread  float64 `json:"centsSpread"`
	OnsetMs float64 `json:"onsetMs"`
	OffFrom float64 `json:"offFromMs"` // from where on that is worth telling; 0 in documents of before
	DurMs   float64 `json:"durMs"`
	Sure    float64 `json:"sure"`
	Octave  int     `json:"octave,omitempty"` // that it sounds above the written pitch

	Plucked bool    `json:"plucked"` // its beginning can be heard
	LoudDB  float64 `json:"loudDb"`

	Vibrato *TakeVibrato `json:"vibrato,omitempty"`
	Glide   *TakeGlide   `json:"glide,omitempty"`
}

// Late reports whether a note is late, or early, by enough to be told.
func (n *TakeNote) Late() bool {
	return n.Plucked && math.Abs(n.OnsetMs) >= cmp.Or(n.OffFrom, take.OffMs)
}

// TakeGlide is how a note with the slide came to its pitch.
type TakeGlide struct {
	From      float64 `json:"fromCents"` // off the pitch held
	Ms        float64 `json:"ms"`
	Overshoot float64 `json:"overshootCents"`
}

// TakeVibrato is how a note was shaken.
type TakeVibrato struct {
	Hz     float64 `json:"hz"`
	Width  float64 `json:"widthCents"` // from the lowest to the highest
	Centre float64 `json:"centreCents"`
}

// TakeRinging is a string that rang and should not have.
type TakeRinging struct {
	At     float64 `json:"at"`
	AtSec  float64 `json:"atSec"`
	String int     `json:"string"`
	DB     float64 `json:"db"`
	Sure   float64 `json:"sure"`
}

// TakeMissing is a note that was not heard.
type TakeMissing struct {
	At     float64 `json:"at"`
	Bar    int     `json:"bar"`
	String int     `json:"string"`
	Part   string  `json:"part"`

	Instead *TakeInstead `json:"instead,omitempty"` // where it can be told
}

// TakeInstead is what was struck in place of a note.
type TakeInstead struct {
	String int     `json:"string"`
	Fret   int     `json:"fret"` // from the nut
	Hz     float64 `json:"hz"`
}

// TakeExtra is something that was struck and is not in the plan.
type TakeExtra struct {
	AtSec float64 `json:"atSec"`
	Hz    float64 `json:"hz"`
}

// TakeVerdict is what to say of a take.
type TakeVerdict struct {
	Bar   int     `json:"bar"`
	At    float64 `json:"at"`
	AtSec float64 `json:"atSec"` // where it is heard, or what comes before it if it is missing
	Kind  string  `json:"kind"`
	Text  string  `json:"text"`
	Try   string  `json:"try"`
}

// NewTake makes the document of a take of p.
func NewTake(p *plan.Plan, tk *take.Take) TakeDoc {
	at := func(m int) float64 { return p.Moments[m].At.Quarters() }
	d := TakeDoc{Alignment: []TakePlace{}, Notes: []TakeNote{}, Ringing: []TakeRinging{}, Missing: []TakeMissing{},
		Extra: []TakeExtra{}, Verdicts: []TakeVerdict{}, Summary: tk.Summary(p), Odd: tk.Odd, Hint: tk.Hint}
	for _, pl := range tk.Places {
		d.Alignment = append(d.Alignment, TakePlace{at(pl.Moment), thousandth(pl.AtSec), thousandth(pl.Sure)})
	}
	for i := range tk.Notes {
		n := &tk.Notes[i]
		d.Notes = append(d.Notes, TakeNote{At: at(n.Moment), Bar: p.Moments[n.Moment].Bar, AtSec: thousandth(n.AtSec),
			String: n.String, Part: string(n.Part), Cents: hundredth(n.Cents), Spread: hundredth(n.Spread),
			OnsetMs: hundredth(n.OnsetMs), OffFrom: hundredth(n.OffFrom),
			DurMs: hundredth(1000 * n.DurSec), Sure: thousandth(n.Sure), Octave: n.Octave, Plucked: n.Plucked, LoudDB: hundredth(n.Loud)})
		if v := n.Vibrato; v != nil {
			d.Notes[i].Vibrato = &TakeVibrato{hundredth(v.Hz), hundredth(v.Width), hundredth(v.Centre)}
		}
		if g := n.Glide; g != nil {
			d.Notes[i].Glide = &TakeGlide{hundredth(g.From), hundredth(1000 * g.Seconds), hundredth(g.Overshoot)}
		}
	}
	for _, r := range tk.Ringing {
		d.Ringing = append(d.Ringing, TakeRinging{at(r.Moment), thousandth(r.AtSec), r.String, hundredth(r.DB), thousandth(r.Sure)})
	}
	for _, m := range tk.Missing {
		x := TakeMissing{At: at(m.Moment), Bar: p.Moments[m.Moment].Bar, String: m.String, Part: string(m.Part)}
		if in := m.Instead; in != nil {
			x.Instead = &TakeInstead{in.String, in.Fret, hundredth(in.Hz)}
		}
		d.Missing = append(d.Missing, x)
	}
	for _, e := range tk.Extra {
		d.Extra = append(d.Extra, TakeExtra{thousandth(e.AtSec), hundredth(e.Hz)})
	}
	for _, v := range tk.Verdicts(p) {
		d.Verdicts = append(d.Verdicts, TakeVerdict{p.Moments[v.Moment].Bar, at(v.Moment), d.secondsOf(at(v.Moment)), v.Kind, v.Text, v.Try})
	}
	return d
}

// secondsOf is where in the recording a time of the tune is, or the last one before it that was heard.
func (d *TakeDoc) secondsOf(at float64) (sec float64) {
	for _, a := range d.Alignment {
		if a.At <= at {
			sec = a.AtSec
		}
	}
	return sec
}

func thousandth(x float64) float64 { return math.Round(x*1000) / 1000 }
func hundredth(x float64) float64  { return math.Round(x*100) / 100 }
