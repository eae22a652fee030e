package lick

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
)

// Kind is what a phrase is for.
type Kind string

// The kinds.
const (
	Turnaround Kind = "turnaround" // the last two bars, back to the beginning
	Ending     Kind = "ending"     // the last two bars, to a close
	Fill       Kind = "fill"       // a bar in which the melody rests or holds one note
)

// kinds are all kinds, in the order in which they are proposed.
var kinds = []Kind{Turnaround, Ending, Fill, Answer}

// Phrase is a phrase of the shelf, in degrees of the key.
type Phrase struct {
	Name  string
	Kind  Kind
	Minor bool
	Over  int    // of a fill, half steps of its chord's root above the tonic
	Meter string // "4/4", "3/4", "6/8"
	Notes string // bars divided by |; a degree with b for flat, ' and , for octaves, and :n for n eighths; _ is a rest
}

// Shelf holds phrases of our own.
var Shelf = []Phrase{
	{"Porch steps", Turnaround, false, 0, "4/4", "1' b7 6 b6 5:2 3 1|2:2 7,:2 5,:4"},
	{"Loose gate", Turnaround, false, 0, "4/4", "3 5 6 5 1':2 6 5|5 4 3 2 5,:4"},
	{"Coal chute", Turnaround, false, 0, "4/4", "5 b5 4 3 b3 2 1:2|2 3 4 5 2:4"},
	{"Rain barrel", Turnaround, false, 0, "4/4", "1':2 6 5 3:2 2 1|7,:2 2:2 5:4"},
	{"Side track", Turnaround, false, 0, "4/4", "3 2 1 6, 5,:2 1 2|3 b3 2:2 5,:4"},
	{"Tin roof", Turnaround, false, 0, "4/4", "b3 3 5:2 6 b7 6 5|4 3 2 1 2:2 5,:2"},
	{"Toll bridge", Turnaround, false, 0, "3/4", "3:2 2:2 1:2|2:2 7,:2 5,:2"},
	{"Mill pond", Turnaround, false, 0, "6/8", "3 5 1' 6 5 3|2 1 7, 2:3"},
	{"Low lamp", Turnaround, true, 0, "4/4", "1' b7 5 4 b3:2 1 b7,|2:2 7,:2 5,:4"},
	{"Wet slate", Turnaround, true, 0, "4/4", "5 4 b3 4 5:2 b7 5|4 b3 2:2 5,:4"},
	{"Night ferry", Turnaround, true, 0, "4/4", "b3 2 1 b7, 1:2 b3 4|5:2 4 b3 2:2 5,:2"},

	{"Last step", Ending, false, 0, "4/4", "3 4 5 6 5:2 3 2|1:4 1':4"},
	{"Shut the gate", Ending, false, 0, "4/4", "5 6 1':2 6 5 3 2|1 5, 1:2 _:4"},
	{"Two knocks", Ending, false, 0, "4/4", "1' 7 6 5 3:2 2:2|1:2 1:2 1':4"},
	{"Kettle off", Ending, false, 0, "4/4", "2 3 5 3 2:2 7, 2|1:6 _:2"},
	{"Stove door", Ending, false, 0, "4/4", "b3 3 1 5, b7,:2 7,:2|1:4 b7,:2 1:2"},
	{"Rope end", Ending, false, 0, "4/4", "1' b7 5 b5 4 b3 1 b7,|1:8"},
	{"Last waltz home", Ending, false, 0, "3/4", "3 4 5:2 3 2|1:6"},
	{"Boat ashore", Ending, false, 0, "6/8", "5 4 3 2 3 7,|1:6"},
	{"Quench", Ending, true, 0, "4/4", "b3 4 5 4 b3:2 2 7,|1:8"},
	{"Ash pan", Ending, true, 0, "4/4", "5 b6 5 4 b3 2 1 7,|1:4 5,:2 1:2"},
	{"Dim the light", Ending, true, 0, "4/4", "1' b7 5:2 4 b3 2:2|1:6 _:2"},
	{"Grey tide", Ending, true, 0, "3/4", "b3 4 b3 2 1 7,|1:6"},

	{"Wink", Fill, false, 0, "4/4", "5 6 1' 6 5 3 2 1"},
	{"Push", Fill, false, 0, "4/4", "1:2 3 5 6 5 3:2"},
	{"Blue smoke", Fill, false, 0, "4/4", "b3 3 5 6 b7 6 5 3"},
	{"Up the hill", Fill, false, 5, "4/4", "4 6 1' 6 4:2 3 4"},
	{"Lean on it", Fill, false, 5, "4/4", "6 5 4 3 4:2 1:2"},
	{"Hinge", Fill, false, 7, "4/4", "5 4 3 2 7,:2 5,:2"},
	{"Ladder", Fill, false, 7, "4/4", "2 4 5 7 2':2 7 5"},
	{"Gutter", Fill, true, 0, "4/4", "1 b3 4 5 b7 5 4 b3"},
	{"Cellar stairs", Fill, true, 0, "4/4", "5 4 b3 1 b7,:2 1:2"},
	{"Sway", Fill, false, 0, "3/4", "1 3 5 3 2:2"},
}

// degreeSteps are half steps above the tonic.
var degreeSteps = [8]int{1: 0, 2: 2, 3: 4, 4: 5, 5: 7, 6: 9, 7: 11}

// phraseNote is a note of a phrase: half steps above the tonic, or a rest.
type phraseNote struct {
	steps   int
	rest    bool
	eighths int
}

// bars reads a phrase. The error says which word is none.
func (ph *Phrase) bars() (out [][]phraseNote, err error) {
	for bar := range strings.SplitSeq(ph.Notes, "|") {
		var notes []phraseNote
		for word := range strings.FieldsSeq(bar) {
			n := phraseNote{eighths: 1}
			text, length, has := strings.Cut(word, ":")
			if has {
				if n.eighths, err = strconv.Atoi(length); err != nil || n.eighths < 1 {
					return nil, fmt.Errorf("%s: %q has no length", ph.Name, word)
				}
			}
			if n.rest = text == "_"; !n.rest {
				degree := strings.TrimRight(text, "',")
				n.steps = 12*strings.Count(text, "'") - 12*strings.Count(text, ",")
				if flat := strings.TrimPrefix(degree, "b"); flat != degree {
					n.steps, degree = n.steps-1, flat
				}
				d, err := strconv.Atoi(degree)
				if err != nil || d < 1 || d > 7 {
					return nil, fmt.Errorf("%s: %q is no degree", ph.Name, word)
				}
				n.steps += degreeSteps[d]
			}
			notes = append(notes, n)
		}
		out = append(out, notes)
	}
	return out, nil
}

// Proposal is a phrase in its place.
type Proposal struct {
	Phrase   *Phrase
	Bar      int // the first, from 1
	Notes    []pitch.Note
	Rewrites []tune.Rewrite
	Plan     *plan.Plan
	Extra    float64 // cost of the plan with it, less that of the plan without
}

// mostProposed is how many phrases are proposed of each kind; mostPlanned is about how many moments are planned for them in all: of a long
// tune, fewer phrases are tried, at least one of each kind.
const (
	mostProposed = 3
	mostPlanned  = 6000
)

// Proposed lists phrases for bar at (from 1): those that fit a plan's last two bars, if it is one of them, and fills, if the melody rests or
// holds one note there: in its key, meter and chords, near the melody's height; and answers from bar at on to
// the bars before it; planned in its tuning, under its thumb and at its tempo, those that are easiest to play first. In a plan of more than
// a few hundred moments not all that would fit are tried.
func Proposed(ctx context.Context, p *plan.Plan, at int) ([]Proposal, error) {
	by := map[Kind][]Proposal{}
	tu := p.Request.Tune
	for _, pr := range candidates(tu, at, max(1, mostPlanned/len(p.Moments)/len(kinds))) {
		req := p.Request
		rewritten, err := tu.Rewritten(pr.Rewrites)
		if err != nil {
			continue // it would overlap: it does not fit
		}
		req.Tune, req.From, req.Progress = rewritten, p, nil
		req.Pins = slices.DeleteFunc(slices.Clone(req.Pins), func(q play.Pin) bool {
			return q.Part == play.Melody && q.At >= tu.Bars[pr.Bar-1]
		})
		var none *plan.RangeError
		var pins *plan.PinError
		switch pr.Plan, err = plan.Solve(ctx, req); {
		case errors.As(err, &none), errors.As(err, &pins):
			continue
		case err != nil:
			return nil, err
		}
		pr.Extra = pr.Plan.Total - p.Total
		by[pr.Phrase.Kind] = append(by[pr.Phrase.Kind], pr)
	}
	var out []Proposal
	for _, k := range kinds {
		slices.SortStableFunc(by[k], func(a, b Proposal) int { return cmp.Compare(a.Extra, b.Extra) })
		out = append(out, by[k][:min(len(by[k]), mostProposed)]...)
	}
	return out, nil
}

// candidates are what by its notes fits bar at, at most most of a kind.
func candidates(tu *tune.Tune, at, most int) []Proposal {
	all := answers(tu, at)
	for i := range Shelf {
		ph := &Shelf[i]
		bar := len(tu.Bars) - 1
		if ph.Kind == Fill {
			bar = at
		}
		if pr, ok := place(tu, ph, bar); ok && at >= bar && at < bar+len(pr.Rewrites) {
			all = append(all, pr)
		}
	}
	tried := map[Kind]int{}
	return slices.DeleteFunc(all, func(pr Proposal) bool {
		tried[pr.Phrase.Kind]++
		return tried[pr.Phrase.Kind] > most
	})
}

// place puts a phrase into the tune from a bar on; ok is false if key, meter, chords or melody speak against it.
func place(tu *tune.Tune, ph *Phrase, bar int) (pr Proposal, ok bool) {
	bars, err := ph.bars()
	if err != nil || bar < 1 || bar-1+len(bars) > len(tu.Bars) || ph.Minor != tu.Key.Minor {
		return pr, false
	}
	if ph.Kind == Fill && (!restsIn(tu, bar) || aboveTonic(tu, bar) != ph.Over) {
		return pr, false
	}
	pr = Proposal{Phrase: ph, Bar: bar}
	tonic := tonicNear(tu, bars)
	for b, notes := range bars {
		at := tu.Bars[bar-1+b]
		m := tu.MeterOver(at)
		if fmt.Sprintf("%d/%d", m.Num, m.Den) != ph.Meter || tu.BarLength(bar-1+b) != m.Bar() {
			return pr, false
		}
		rewrite := tune.Rewrite{Bar: bar + b}
		since := tune.Time(0)
		for _, n := range notes {
			dur := tune.Time(n.eighths) * tune.Quarter / 2
			if !n.rest {
				p := tonic + pitch.Midi(n.steps)
				rewrite.Notes = append(rewrite.Notes, tune.NewNote{At: since, Dur: dur, Pitch: p})
				pr.Notes = append(pr.Notes, pitch.Spell(p, tu.Key.Flats || strings.Contains(ph.Notes, "b")))
			}
			since += dur
		}
		pr.Rewrites = append(pr.Rewrites, rewrite)
	}
	return pr, fits(tu, &pr)
}

// fits reports whether most of what is struck on beats is a tone of its chord.
func fits(tu *tune.Tune, pr *Proposal) bool {
	on, in := 0, 0
	for _, r := range pr.Rewrites {
		for _, n := range r.Notes {
			at := tu.Bars[r.Bar-1] + n.At
			if n.At%tu.MeterOver(at).Pulse() != 0 {
				continue
			}
			if on++; tu.ChordOver(at).Has(n.Pitch) {
				in++
			}
		}
	}
	return 2*in >= on
}

// restsIn reports whether the melody has at most one note in a bar.
func restsIn(tu *tune.Tune, bar int) bool {
	n, begin := 0, tu.Bars[bar-1]
	for i := range tu.Notes {
		if at := tu.Notes[i].At; at >= begin && at < begin+tu.BarLength(bar-1) {
			n++
		}
	}
	return n <= 1
}

// aboveTonic is how many half steps the root of the chord over a bar lies above the tonic.
func aboveTonic(tu *tune.Tune, bar int) int {
	return (tu.ChordOver(tu.Bars[bar-1]).Root.Class() - tu.Key.Tonic.Class() + 12) % 12
}

// tonicNear is the tonic in the octave in which a phrase lies nearest to the middle of the melody.
func tonicNear(tu *tune.Tune, bars [][]phraseNote) pitch.Pitch {
	sum, n, heights := 0, 0, []pitch.Pitch{}
	for _, notes := range bars {
		for _, note := range notes {
			if !note.rest {
				sum, n = sum+note.steps, n+1
			}
		}
	}
	for i := range tu.Notes {
		heights = append(heights, tu.Notes[i].Note.Pitch())
	}
	slices.Sort(heights)
	middle := heights[len(heights)/2] - pitch.Midi(sum)/pitch.Pitch(max(n, 1))
	best := pitch.Midi(tu.Key.Tonic.Class())
	for t := best; t <= pitch.Midi(96); t += pitch.Octave {
		if d, e := t-middle, best-middle; max(d, -d) < max(e, -e) {
			best = t
		}
	}
	return best
}
