package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"math"
	"os"
	"strings"

	"stepping/core/neck"
	"stepping/core/pitch"
	"stepping/core/retune"
	"stepping/core/tuning"
)

// retuning is what stepping retune prints.
type retuning struct {
	From       []string       `json:"from"` // highest string number to string 1, as spelled
	To         []string       `json:"to"`
	Guitar     retune.Guitar  `json:"guitar"`
	Strings    []retuneString `json:"strings"` // string 6 (or the highest number) first
	Order      []int          `json:"order"`
	SecondPass []int          `json:"secondPass"`
	HalfSteps  int            `json:"halfSteps"` // in all
	Pull       pull           `json:"pull"`
	Warnings   []string       `json:"warnings"`
	Safer      []saferTuning  `json:"safer"`
}

type retuneString struct {
	String    int      `json:"string"`
	From      string   `json:"from"`
	To        string   `json:"to"`
	HalfSteps int      `json:"halfSteps"`
	Direction string   `json:"direction"` // up, down or stay
	Hz        float64  `json:"hz"`
	BeforeN   float64  `json:"beforeN"`
	TensionN  float64  `json:"tensionN"`
	Share     float64  `json:"share"` // of the breaking stress
	Turns     float64  `json:"turns"` // of the knob, positive when tightening
	FeelNmm   float64  `json:"feelNPerMm"`
	Warnings  []string `json:"warnings"`
}

type pull struct {
	BeforeN float64 `json:"beforeN"`
	AfterN  float64 `json:"afterN"`
	Change  float64 `json:"change"` // share of before
}

type saferTuning struct {
	Tuning    []string `json:"tuning"`
	Capo      int      `json:"capo"`
	HalfSteps int      `json:"halfSteps"`
	Share     float64  `json:"share"` // of the tightest string
}

func rounded(x float64, places int) float64 {
	p := math.Pow(10, float64(places))
	return math.Round(x*p) / p
}

func orEmpty(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

// noArguments parses the flags of a command that takes no file.
func noArguments(name string, args []string, define func(*flag.FlagSet)) error {
	fs := flag.NewFlagSet(name, flag.ContinueOnError)
	fs.SetOutput(io.Discard)
	fs.Bool("json", true, "")
	define(fs)
	if err := fs.Parse(args); err != nil {
		return &inputError{fmt.Sprintf("stepping %s: %v; see stepping help", name, err)}
	}
	if fs.NArg() > 0 {
		return &inputError{fmt.Sprintf("stepping %s: %q is not understood; see stepping help", name, fs.Arg(0))}
	}
	return nil
}

// readJSON reads a small JSON file of known keys.
func readJSON(file string, into any) error {
	data, err := os.ReadFile(file)
	if err != nil {
		return &inputError{fmt.Sprintf("%s: cannot be opened: %v", file, errors.Unwrap(err))}
	}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	if err := dec.Decode(into); err != nil {
		before := data[:min(int(dec.InputOffset()), len(data))]
		line := bytes.Count(before, []byte("\n")) + 1
		return &inputError{fmt.Sprintf("%s:%d:%d: %s", file, line, len(before)-bytes.LastIndexByte(before, '\n'),
			strings.TrimPrefix(err.Error(), "json: "))}
	}
	return nil
}

// readGuitar reads a guitar file for n strings.
func readGuitar(file string, n int) (g retune.Guitar, err error) {
	if file != "" {
		if err := readJSON(file, &g); err != nil {
			return g, err
		}
	} else {
		file = "guitar"
	}
	if err := g.Complete(n); err != nil {
		return g, &inputError{file + ":1:1: " + err.Error()}
	}
	return g, nil
}

func retuneCommand(_ context.Context, args []string, out, errOut io.Writer) error {
	var from, to, guitar string
	err := noArguments("retune", args, func(fs *flag.FlagSet) {
		fs.StringVar(&from, "from", "Standard", "")
		fs.StringVar(&to, "to", "", "")
		fs.StringVar(&guitar, "guitar", "", "")
	})
	if err != nil {
		return err
	}
	a, err := tuning.ParseAny(from)
	if err != nil {
		return &inputError{"--from:1:1: " + err.Error()}
	}
	b, err := tuning.ParseAny(to)
	if err != nil {
		return &inputError{"--to:1:1: " + err.Error()}
	}
	g, err := readGuitar(guitar, b.Len())
	if err != nil {
		return err
	}
	p, err := retune.New(g, a, b)
	if err != nil {
		return &inputError{"--to:1:1: " + err.Error()}
	}
	return writeJSON(out, newRetuning(p))
}

func newRetuning(p *retune.Plan) retuning {
	doc := retuning{From: p.From.Spelled(), To: p.To.Spelled(), Guitar: p.Guitar, Order: p.Order, SecondPass: p.Second,
		HalfSteps: p.Steps(), Warnings: orEmpty(p.Warnings), Safer: []saferTuning{},
		Pull: pull{rounded(p.Before, 1), rounded(p.After, 1), rounded((p.After-p.Before)/p.Before, 4)}}
	if doc.Order == nil {
		doc.Order, doc.SecondPass = []int{}, []int{}
	}
	for i := len(p.Changes) - 1; i >= 0; i-- {
		c := &p.Changes[i]
		direction := "stay"
		if c.HalfSteps > 0 {
			direction = "up"
		} else if c.HalfSteps < 0 {
			direction = "down"
		}
		doc.Strings = append(doc.Strings, retuneString{c.String, c.From.String(), c.To.String(), c.HalfSteps, direction,
			rounded(c.Hz, 2), rounded(c.Before, 2), rounded(c.Tension, 2),
			rounded(c.Share, 4), rounded(c.Turns, 2), rounded(c.Feel, 3), orEmpty(c.Warnings)})
	}
	for _, s := range p.Safer {
		doc.Safer = append(doc.Safer, saferTuning{s.Tuning.Spelled(), s.Capo, s.HalfSteps, rounded(s.Highest, 4)})
	}
	return doc
}

// tuningFacts is what stepping tuning prints.
type tuningFacts struct {
	Notes    []string      `json:"notes"` // string 6 to 1
	Name     string        `json:"name"`  // "" if it has none
	Family   string        `json:"family"`
	Nearest  nearFacts     `json:"nearest"`
	Chord    string        `json:"chord"` // of the open strings
	Key      string        `json:"key"`
	Bars     []barFacts    `json:"bars"`
	Partials []partFacts   `json:"partials"` // strings that give what a whole bar cannot; a bar moves them along
	Degrees  []degreeFacts `json:"degrees"`
}

type nearFacts struct {
	Name    string `json:"name"`
	Steps   int    `json:"halfSteps"`
	Strings []int  `json:"strings"` // that differ
	Text    string `json:"text"`
}

type barFacts struct {
	Fret   int    `json:"fret"`
	Chord  string `json:"chord"`
	Degree string `json:"degree"`
}

type partFacts struct {
	From  int    `json:"from"`
	To    int    `json:"to"`
	Chord string `json:"chord"`
}

type degreeFacts struct {
	String int     `json:"string"`
	Fret   float64 `json:"fret"`
	Degree string  `json:"degree"`
	Note   string  `json:"note"`
	Window float64 `json:"windowMm"` // that counts as in tune under a slide
	Off    float64 `json:"offMm"`    // from the nearest fret towards the bridge; 0 on a fret
}

func tuningCommand(_ context.Context, args []string, out, errOut io.Writer) error {
	key, scale, last := "", "major", 12
	a, err := parseArgs("tuning", args, errOut, func(fs *flag.FlagSet, _ *planArgs) {
		fs.StringVar(&key, "key", "", "")
		fs.StringVar(&scale, "scale", scale, "")
		fs.IntVar(&last, "frets", last, "")
	})
	if err != nil {
		return err
	}
	t, err := tuning.ParseAny(a.file)
	if err != nil {
		return &inputError{"tuning:1:1: " + err.Error()}
	}
	if last < 0 || last > 24 {
		return &inputError{fmt.Sprintf("--frets:1:1: %d: give 0 to 24", last)}
	}
	tonic := tuning.Home(t)
	if key != "" {
		n, used := pitch.ParseClass(key)
		if used != len(key) {
			return &inputError{fmt.Sprintf("--key:1:1: %q is not a note: write A to G, with # or b if needed", key)}
		}
		tonic = n
	}
	for _, sc := range tuning.Scales {
		if sc.Name == scale {
			return writeJSON(out, newTuningFacts(t, tonic, sc, last))
		}
	}
	return &inputError{fmt.Sprintf("--scale:1:1: %q: choose one of major, minor, blues, mixolydian, dorian, pentatonic", scale)}
}

func newTuningFacts(t tuning.Tuning, key pitch.Note, sc tuning.Scale, last int) tuningFacts {
	id := tuning.Identify(t)
	near, _ := tuning.Nearest(t)
	f := tuningFacts{Notes: t.Spelled(), Name: id.Name, Family: near.Named.Family, Chord: tuning.OpenChord(t), Key: key.ClassName(),
		Nearest: nearFacts{near.Named.Name, near.Steps, near.Strings, tuning.Known(t)}, Partials: []partFacts{}}
	if f.Nearest.Strings == nil {
		f.Nearest.Strings = []int{}
	}
	for _, b := range tuning.Bars(t, key, last) {
		f.Bars = append(f.Bars, barFacts{b.Fret, b.Chord, b.Degree})
	}
	for _, p := range tuning.Partials(t, key) {
		f.Partials = append(f.Partials, partFacts(p))
	}
	k := neck.Neck{Scale: 648, Nut: 36, Bridge: 54, Frets: 20}
	for _, s := range tuning.Spots(t, key, sc, last) {
		near := math.Round(s.Fret - 0.001)
		f.Degrees = append(f.Degrees, degreeFacts{s.String, s.Fret, s.Degree, s.Note.String(), rounded(k.Window(s.Fret), 2),
			rounded(k.X(s.Fret)-k.X(near), 2)})
	}
	return f
}
