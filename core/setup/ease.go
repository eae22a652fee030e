package setup

import (
	"context"
	"fmt"
	"strings"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
)

// Easing is one thing that is left out to make a tune easier.
type Easing struct {
	Name  string
	apply func(*plan.Request)
}

// Easings are what the dial *how hard* leaves out, step by step: each position has all those before it too.
var Easings = []Easing{
	{"no bends, taps, harmonics or slaps", func(r *plan.Request) { r.Player.Techniques, r.Sections = nil, nil }},
	{"the thumb stays on the root", func(r *plan.Request) {
		if r.Thumb == pattern.Alternating {
			r.Thumb = pattern.Steady
		}
	}},
	{"smaller stretches", func(r *plan.Request) { r.Player.ReachMM = max(leastReach, easyReach*r.Player.ReachMM) }},
	{"the thumb on strong beats only", func(r *plan.Request) { r.Thin = pattern.Strong }},
	{"the thumb on the first beat only", func(r *plan.Request) { r.Thin = pattern.FirstBeat }},
	{"no thumb", func(r *plan.Request) { r.Thumb = pattern.None }},
}

// What is left of a player's reach where stretches are to be smaller, and the least of it, mm.
const (
	easyReach  = 0.85
	leastReach = 60.0
)

// Eased puts the first n easings in force.
func Eased(r *plan.Request, n int) {
	for i := range Easings[:n] {
		Easings[i].apply(r)
	}
}

// Step is one position of a dial.
type Step struct {
	Ease  int    // of *how hard*: the easings in force
	Slide string // of *how much slide*: one of player.Leans
	Words string // what it leaves out and what that gains
	Plan  *plan.Plan
}

// HowHard returns the positions of the dial *how hard* for a request without easings: as it is, then each easing whose
// plan is in no way harder than the position before, and in some way easier (plan.Hardness). An easing that would make anything
// harder is no position of its own; the next one has it too.
func HowHard(ctx context.Context, base plan.Request) ([]Step, error) {
	first, err := plan.SolveKeepable(ctx, base)
	if err != nil {
		return nil, err
	}
	steps := []Step{{Words: "everything", Plan: first}}
	was := first.Hardness()
	for n := 1; n <= len(Easings); n++ {
		req := base
		Eased(&req, n)
		req.From = first
		p, err := plan.SolveKeepable(ctx, req)
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err != nil { // a tune that needs what was left out
			continue
		}
		if is := p.Hardness(); is.Easier(&was) {
			steps = append(steps, Step{Ease: n, Words: Easings[n-1].Name + ": " + gained(&was, &is), Plan: p})
			was = is
		}
	}
	return steps, nil
}

// gained says what became easier.
func gained(was, is *plan.Hardness) string {
	var out []string
	add := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	if n := was.Strokes - is.Strokes; n > 0 {
		add("%d fewer of %d thumb strokes", n, was.Strokes)
	}
	if n := was.Crossings - is.Crossings; n > 0 {
		add("%d fewer string changes for the thumb", n)
	}
	if n := was.Special - is.Special; n > 0 {
		add("%d fewer special techniques", n)
	}
	if was.StretchMM-is.StretchMM >= 1 {
		add("widest stretch %.0f mm, not %.0f", is.StretchMM, was.StretchMM)
	}
	if is.BPM > was.BPM+0.5 {
		add("up to %.0f bpm, not %.0f", is.BPM, was.BPM)
	}
	return strings.Join(out, ", ")
}

// SlideNames name the positions of the dial *how much slide*, from none to all.
var SlideNames = map[string]string{player.LeanNone: "none", player.LeanFret: "peaks only", player.LeanMain: "mixed", player.LeanMixed: "mostly",
	player.LeanSlide: "all"}

// HowMuchSlide lists the positions of the dial *how much slide* that a player has, from none to all.
func HowMuchSlide(p *player.Profile) []string {
	if p.Lap() {
		return []string{player.LeanMixed, player.LeanSlide}
	}
	return []string{player.LeanNone, player.LeanFret, player.LeanMain, player.LeanMixed, player.LeanSlide}
}

// SlideSteps plans a tune at each position of the dial *how much slide*.
func SlideSteps(ctx context.Context, base plan.Request) (steps []Step, err error) {
	var last *plan.Plan
	for _, lean := range HowMuchSlide(&base.Player) {
		req := base
		req.Player.Lean, req.From = lean, last
		p, err := plan.SolveKeepable(ctx, req)
		if err != nil {
			return nil, err
		}
		f := p.Figures()
		steps = append(steps, Step{Slide: lean, Words: fmt.Sprintf("%d notes with the slide, %d fretted, %d open", f.Slid, f.Fretted, f.OpenNotes), Plan: p})
		last = p
	}
	return steps, nil
}
