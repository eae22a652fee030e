package practice

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"

	"stepping/core/tune"
)

// Verdict is what a player says of a pass.
type Verdict int8

// The verdicts, from worst to best.
const (
	Broke Verdict = iota + 1
	Nearly
	Clean
)

// VerdictNames are the verdicts' names in files and on pages.
var VerdictNames = [...]string{Broke: "broke", Nearly: "nearly", Clean: "clean"}

// String is the verdict's name.
func (v Verdict) String() string {
	if v < Broke || v > Clean {
		return "?"
	}
	return VerdictNames[v]
}

// ParseVerdict reads a name; ok is false if there is no such verdict.
func ParseVerdict(name string) (v Verdict, ok bool) {
	for v := Broke; v <= Clean; v++ {
		if VerdictNames[v] == name {
			return v, true
		}
	}
	return 0, false
}

// Pass is one time that a step was played.
type Pass struct {
	At      time.Time `json:"at"`
	Key     string    `json:"key"` // of the step, see Step.Key
	Layer   string    `json:"layer"`
	Bars    [2]int    `json:"bars"`  // as played, from 1
	Tempo   float64   `json:"tempo"` // quarter notes a minute
	Verdict Verdict   `json:"verdict"`
	Seconds float64   `json:"seconds"`        // that it took
	Plan    string    `json:"plan"`           // hash of what the plan was worked out from
	Move    *Motion   `json:"move,omitempty"` // of a pass over one move alone
}

// Check returns what of a pass that comes from elsewhere cannot be, nil if all can.
func (p *Pass) Check() error {
	switch {
	case p.Verdict < Broke || p.Verdict > Clean:
		return fmt.Errorf("verdict %d: there are 1 broke, 2 nearly and 3 clean", p.Verdict)
	case !(p.Tempo >= tune.MinTempo && p.Tempo <= tune.MaxTempo):
		return fmt.Errorf("tempo %g: from %d to %d", p.Tempo, tune.MinTempo, tune.MaxTempo)
	case p.Bars[0] < 1 || p.Bars[1] < p.Bars[0] || p.Bars[1] > 1e6:
		return fmt.Errorf("bars %d to %d", p.Bars[0], p.Bars[1])
	case p.Key == "" || len(p.Key) > 160 || !slices.Contains(Layers, p.Layer) || len(p.Plan) > 64 ||
		strings.ContainsFunc(p.Plan, func(r rune) bool { return r > unicode.MaxASCII }):
		return fmt.Errorf("step %q of layer %q", p.Key, p.Layer)
	case !(p.Seconds >= 0 && p.Seconds < 24*3600) || p.At.Year() < 2000 || p.At.Year() > 9000:
		return fmt.Errorf("%g seconds at %v", p.Seconds, p.At)
	}
	return nil
}

// Motion is a movement of the hands that a step is about, with the time there was for it: what the hands are
// learnt from (see Hands).
type Motion struct {
	Kind  string  `json:"kind"`  // plan.Travel or plan.Again
	Bits  float64 `json:"bits"`  // index of difficulty of a travel, in bits
	There float64 `json:"there"` // seconds that the movement itself had
	Fixed float64 `json:"fixed"` // seconds beside it that no tempo changes
}

// At is the motion at another tempo than the one it was given for.
func (m *Motion) At(given, tempo float64) *Motion {
	if m == nil {
		return nil
	}
	out := *m
	out.There = (m.There+m.Fixed)*given/tempo - m.Fixed
	return &out
}

// day numbers the day of a time in its own location, so that differences are days.
func day(t time.Time) int {
	y, m, d := t.Date()
	return int(time.Date(y, m, d, 0, 0, 0, 0, time.UTC).Unix() / (24 * 3600))
}
