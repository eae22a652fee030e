// Package taste learns a player's taste from the choices that they have made themselves: the notes and strokes
// that they have pinned, and those of the plans that they keep. It moves a few weights of the planner a
// little, so that it would have chosen as they did, and says in words what that is.
//
// A choice that the planner would have made anyhow teaches nothing, but must not be lost. What is sought is
// package fit's objective over the choices: a weight moves only if it wins two choices or more, and at most by
// player.MostTaste. Nothing is learnt from fewer than MinAgainst choices against the planner.
package taste

import (
	"context"
	"fmt"
	"math"
	"slices"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/reference"
	"stepping/core/tune"
)

// MinAgainst is how many choices against the planner are needed. With eight, seven that point one way
// happen by chance in 9 of 256 cases, or 3.5 %; with seven and one exception it is 6 %, beyond the usual 5 %
// of a sign test.
const MinAgainst = 8

// chance is the highest probability at which a tendency is not put down to chance.
const chance = 0.05

// MostNotes is the length up to which a tune is learnt from: each is planned hundreds of times.
const MostNotes = 300

// Source is a tune of the player's, and what the planner is asked for it.
type Source struct {
	Name    string
	Request plan.Request // with their pins and what they keep
}

// Choice is one note or stroke that the player has chosen.
type Choice struct {
	Source  int
	Pin     play.Pin
	Moment  int    // of the planner's own plan, the first that the choice binds
	Words   string // the choice
	Planner string // what the planner would do, "" if the same
	leans   []leaning
}

// Tendency is a way in which the player's choices differ from the planner's.
type Tendency struct {
	Words string // "You slide more"
	For   int    // choices that point this way
	Of    int    // choices against the planner
}

// Change is what a taste changes in a tune's plan.
type Change struct {
	Source  int
	Moments []int  // that are played otherwise
	First   string // the first of them in words
}

// Lesson is what the choices teach.
type Lesson struct {
	Choices    []Choice
	Against    int // choices that the planner would not have made
	After      int // of them, those that it would not make with Taste
	Taste      player.Taste
	Tendencies []Tendency
	Changes    []Change
}

// Enough reports whether there are choices enough to learn from.
func (l *Lesson) Enough() bool { return l.Against >= MinAgainst }

// Learn finds what the player's choices in their tunes teach. progress gets the share done, 0 … 1.
func Learn(ctx context.Context, sources []Source, progress func(float64)) (*Lesson, error) {
	l := &Lesson{}
	var cases []reference.Case
	for i := range sources {
		choices, c, err := choicesOf(ctx, i, &sources[i])
		if err != nil {
			return nil, err
		}
		if len(choices) > 0 {
			l.Choices, cases = append(l.Choices, choices...), append(cases, c)
		}
	}
	for i := range l.Choices {
		if l.Choices[i].Planner != "" {
			l.Against++
		}
	}
	l.Tendencies = tendencies(l.Choices)
	if !l.Enough() {
		return l, nil
	}
	base := plan.InForce()
	o := reference.FitOptions{Names: fitted(sources), Steps: []float64{player.MostTaste, 1.25}, Most: player.MostTaste, Regular: 0.6, Each: 1}
	done := 0
	w, err := reference.Fit(ctx, cases, base, o, func(reference.FitProgress) {
		if done++; progress != nil {
			progress(float64(done) / float64(len(o.Names)*len(o.Steps)))
		}
	})
	if err != nil {
		return nil, err
	}
	a, err := reference.Agree(ctx, cases, &w)
	if err != nil {
		return nil, err
	}
	l.After = a.MelodyOf - a.Melody + a.BassOf - a.Bass
	l.Taste = factors(&base, &w, o.Names)
	l.Changes, err = changes(ctx, sources, l.Taste)
	return l, err
}

// factors are by what the weights differ.
func factors(base, w *plan.Weights, names []string) player.Taste {
	out := player.Taste{}
	for _, name := range names {
		if f := w.Get(name) / base.Get(name); f != 1 {
			out[name] = min(max(math.Round(f*1000)/1000, 1/player.MostTaste), player.MostTaste)
		}
	}
	return out
}

// bare is the request without the player's choices and taste; repeats are free, since a bar with a choice of
// the player's stands apart from its repeats.
func (s *Source) bare() plan.Request {
	r := s.Request
	r.Kept, r.Player.Taste, r.Progress, r.From, r.Varied = nil, nil, nil, nil, true
	r.Pins = slices.DeleteFunc(slices.Clone(r.Pins), isChoice)
	return r
}

// isChoice: of the pins, those on notes and strokes say what the player prefers.
func isChoice(p play.Pin) bool {
	return (p.Part == play.Melody || p.Part == play.Thumb) && (p.String != 0 || p.How != "")
}

// choicesOf lists the choices made in a tune, and what a plan of it must agree with.
func choicesOf(ctx context.Context, number int, s *Source) ([]Choice, reference.Case, error) {
	pins := slices.DeleteFunc(slices.Clone(s.Request.Pins), func(p play.Pin) bool { return !isChoice(p) })
	own := len(pins)
	for _, k := range s.Request.Kept {
		if !slices.ContainsFunc(pins, func(p play.Pin) bool { return p.At == k.At && p.Part == k.Part && p.Voice == k.Voice }) {
			pins = append(pins, k)
		}
	}
	if len(pins) == 0 || len(s.Request.Tune.Notes) > MostNotes {
		return nil, reference.Case{}, nil
	}
	r := s.bare()
	p, err := plan.Solve(ctx, r)
	if err != nil {
		return nil, reference.Case{}, ctx.Err() // a tune without a plan teaches nothing
	}
	same := p // with repeats alike, as a kept plan was made
	if len(pins) > own {
		q := r
		q.Varied = false
		if same, err = plan.Solve(ctx, q); err != nil {
			return nil, reference.Case{}, ctx.Err()
		}
	}
	var out []Choice
	for i := range pins {
		held, first := p.Holds(&pins[i])
		if first < 0 {
			continue
		}
		if alike, _ := same.Holds(&pins[i]); i >= own && !held && alike {
			continue // the planner's own choice, for the sake of a repeat
		}
		c := Choice{Source: number, Pin: pins[i], Moment: first, Words: pins[i].Words(r.Tune, r.Capo)}
		if !held {
			c.Planner, c.leans = against(p, &pins[i], first)
		}
		out = append(out, c)
	}
	slices.SortStableFunc(out, func(a, b Choice) int { return int(max(min(a.Pin.At-b.Pin.At, 1), -1)) })
	return out, reference.Case{Request: r, Of: reference.Agreement{MelodyOf: len(out)}, Compare: func(p *plan.Plan) (a reference.Agreement, err error) {
		a.MelodyOf = len(out)
		for i := range out {
			if held, _ := p.Holds(&out[i].Pin); held {
				a.Melody++
			}
		}
		return a, nil
	}}, nil
}

// changes plans every tune with the taste, their pins and what they keep in force, and says what is played otherwise.
func changes(ctx context.Context, sources []Source, t player.Taste) ([]Change, error) {
	var out []Change
	for i := range sources {
		if len(sources[i].Request.Tune.Notes) > MostNotes {
			continue
		}
		was, err := plan.Solve(ctx, sources[i].Request)
		if err != nil {
			continue
		}
		r := sources[i].Request
		r.Player.Taste = t
		will, err := plan.Solve(ctx, r)
		if err != nil {
			continue
		}
		if c := difference(was, will); len(c.Moments) > 0 {
			c.Source = i
			out = append(out, c)
		}
	}
	return out, ctx.Err()
}

func difference(was, will *plan.Plan) (c Change) {
	by := map[tune.Time]*play.Moment{}
	for t := range was.Moments {
		by[was.Moments[t].At] = &was.Moments[t]
	}
	for t := range will.Moments {
		mo := &will.Moments[t]
		before, now := strokes(by[mo.At], was.Request.Capo), strokes(mo, will.Request.Capo)
		if before == now {
			continue
		}
		if c.Moments = append(c.Moments, t); c.First == "" {
			c.First = fmt.Sprintf("bar %s, beat %s: %s in place of %s", mo.Printed, play.Decimal(mo.Beat), now, before)
		}
	}
	return c
}

// strokes says what is struck at a moment.
func strokes(mo *play.Moment, capo int) string {
	text := ""
	if mo != nil {
		for _, s := range mo.Strokes() {
			if text != "" {
				text += ", "
			}
			text += strokeWords(s, capo)
		}
	}
	if text == "" {
		return "nothing"
	}
	return text
}

func strokeWords(s *play.Stroke, capo int) string {
	return fmt.Sprintf("string %d %s", s.String, play.HowText(s.How, play.FromCapo(s.Fret, capo)))
}
