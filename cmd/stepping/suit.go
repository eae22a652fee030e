package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"runtime"
	"strings"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/rank"
	"stepping/core/retune"
	"stepping/core/setlist"
	"stepping/core/tuning"
)

// suitDoc is what stepping suit prints.
type suitDoc struct {
	Title   string    `json:"title"`
	Present []string  `json:"present"` // what the guitar is tuned to now
	KeepKey bool      `json:"keepKey"`
	Ways    []suitWay `json:"ways"` // those planned in full, best first
	All     int       `json:"all"`  // ways that there are
	Planned int       `json:"planned"`
	Proved  int       `json:"proved"` // the first so many are the first of all
}

type suitWay struct {
	Tuning   string   `json:"tuning"`
	Notes    []string `json:"notes"`
	Capo     int      `json:"capo"`
	Steps    int      `json:"steps"` // half steps that the tune is moved up
	Score    float64  `json:"score"` // total + retuning + capoed + risk + bar + home + strange + slow
	Total    float64  `json:"total"`
	Retuning float64  `json:"retuning"`
	Capoed   float64  `json:"capoed"` // what the capo costs
	Risk     float64  `json:"risk"`
	Bar      float64  `json:"bar"`
	Home     float64  `json:"home"`
	Strange  float64  `json:"strange"`
	Slow     float64  `json:"slow"`
	Ceiling  float64  `json:"ceilingBpm"`
	Leaks    int      `json:"leaks"`
	UnderBar float64  `json:"chordsUnderBar"` // share
	Turned   int      `json:"halfSteps"`
	Tightest float64  `json:"tightestShare"`
	Ways     []suitTo `json:"ways"` // to get the shape, the best first
}

// suitTo is one way to get a shape.
type suitTo struct {
	Tuning string `json:"tuning"`
	Capo   int    `json:"capo"`
}

func suitCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	keep, capos, guitar, present := false, 6, "", "Standard"
	a, err := parseArgs("suit", args, errOut, func(fs *flag.FlagSet, a *planArgs) {
		fs.StringVar(&a.player, "player", "", "")
		fs.StringVar(&a.thumb, "thumb", string(pattern.Alternating), "")
		fs.BoolVar(&keep, "keep-key", false, "")
		fs.IntVar(&capos, "capos", capos, "")
		fs.StringVar(&guitar, "guitar", "", "")
		fs.StringVar(&present, "from", present, "")
	})
	if err != nil {
		return err
	}
	if capos < 0 || capos > tuning.MaxCapo {
		return &inputError{fmt.Sprintf("--capos:1:1: %d: give the highest fret for a capo, 0 to %d", capos, tuning.MaxCapo)}
	}
	r := rank.Request{Plan: plan.Request{Thumb: pattern.Kind(a.thumb)}, KeepKey: keep, Capos: capos, Workers: runtime.GOMAXPROCS(0)}
	if r.Plan.Tune, err = readTune(&a); err != nil {
		return err
	}
	if r.Plan.Tuning, err = tuning.Parse(present); err != nil {
		return &inputError{"--from:1:1: " + err.Error()}
	}
	if r.Plan.Player, err = readProfile(a.player); err != nil {
		return err
	}
	if r.Guitar, err = readGuitar(guitar, tuning.Strings); err != nil {
		return err
	}
	got, err := rank.Rank(ctx, r)
	if err != nil {
		if ctx.Err() != nil {
			return err
		}
		return &inputError{fmt.Sprintf("%s:1:1: %v", a.file, err)}
	}
	doc := suitDoc{Title: r.Plan.Tune.Title, Present: r.Plan.Tuning.Spelled(), KeepKey: keep, All: got.All, Planned: got.Planned, Proved: got.Proved}
	for _, row := range rank.Rows(got.Ways) {
		w := &row.Way
		var to []suitTo
		for i := range row.Ways {
			to = append(to, suitTo{row.Ways[i].Tuning.Name, row.Ways[i].Capo})
		}
		doc.Ways = append(doc.Ways, suitWay{w.Tuning.Name, strings.Fields(w.Tuning.Spelt), w.Capo, w.Steps, rounded(w.Score, 4),
			rounded(w.Total, 4), rounded(w.Retuning, 4), rounded(w.Capoed, 4), rounded(w.Risk, 4), rounded(w.Bar, 4), rounded(w.Home, 4),
			rounded(w.Strange, 4), rounded(w.Slow, 4),
			w.Ceiling, w.Leaks, rounded(w.UnderBar, 4), w.Turned, rounded(w.Tightest, 4), to})
	}
	return writeJSON(out, doc)
}

// setFile is what stepping set reads.
type setFile struct {
	Tunes []struct {
		Title  string `json:"title"`
		Tuning string `json:"tuning"`
		Capo   int    `json:"capo"`
	} `json:"tunes"`
	Guitars    int           `json:"guitars"`
	Guitar     retune.Guitar `json:"guitar"`
	Start      string        `json:"start"`
	Opener     string        `json:"opener"`
	Closer     string        `json:"closer"`
	Neighbours [][2]string   `json:"neighbours"`
}

// request turns the file into what is solved.
func (f *setFile) request() (r setlist.Request, err error) {
	r = setlist.Request{Guitars: max(f.Guitars, 1), Guitar: f.Guitar, Opener: -1, Closer: -1}
	at := map[string]int{}
	for i, t := range f.Tunes {
		spelt, err := tuning.ParseAny(t.Tuning)
		if err != nil {
			return r, fmt.Errorf("tune %d, %s: %w", i+1, t.Title, err)
		}
		if _, twice := at[t.Title]; twice || t.Title == "" {
			return r, fmt.Errorf("tune %d: the title %q is empty or taken: each tune has a title of its own", i+1, t.Title)
		}
		at[t.Title] = i
		r.Tunes = append(r.Tunes, setlist.Tune{Title: t.Title, Tuning: spelt, Capo: t.Capo})
	}
	find := func(what, title string) int {
		i, ok := at[title]
		if title == "" {
			return -1
		}
		if !ok {
			err = errors.Join(err, fmt.Errorf("%s %q is not a tune of the set", what, title))
		}
		return i
	}
	r.Opener, r.Closer = find("opener", f.Opener), find("closer", f.Closer)
	for _, p := range f.Neighbours {
		r.Neighbours = append(r.Neighbours, [2]int{find("neighbour", p[0]), find("neighbour", p[1])})
	}
	if f.Start != "" {
		if r.Start, err = tuning.ParseAny(f.Start); err != nil {
			return r, fmt.Errorf("start: %w", err)
		}
	}
	return r, err
}

// setDoc is what stepping set prints.
type setDoc struct {
	Order []setStep `json:"order"`
	Cost  setCost   `json:"cost"`
	Typed *setCost  `json:"typed"` // of the order as typed; null if the constraints forbid it
	Proof struct {
		Kind string  `json:"kind"` // optimal or bound
		Gap  float64 `json:"gap"`
	} `json:"proof"`
}

type setCost struct {
	Seconds   float64 `json:"seconds"`
	Risk      float64 `json:"risk"` // stand-in seconds
	Cost      float64 `json:"cost"`
	HalfSteps int     `json:"halfSteps"`
}

type setStep struct {
	Title   string    `json:"title"`
	Tuning  []string  `json:"tuning"`
	Capo    int       `json:"capo"`
	Guitar  int       `json:"guitar"`
	Turn    []setTurn `json:"turn"`
	Seconds float64   `json:"seconds"`
	Risk    float64   `json:"risk"`
}

type setTurn struct {
	String    int    `json:"string"`
	To        string `json:"to"`
	HalfSteps int    `json:"halfSteps"`
}

func newSetCost(o *setlist.Order) setCost {
	return setCost{rounded(o.Seconds, 1), rounded(o.Risk, 1), rounded(o.Cost(), 1), o.Turns}
}

func setCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	a, err := parseArgs("set", args, errOut, func(*flag.FlagSet, *planArgs) {})
	if err != nil {
		return err
	}
	var f setFile
	if err := readJSON(a.file, &f); err != nil {
		return err
	}
	r, err := f.request()
	if err != nil {
		return &inputError{a.file + ":1:1: " + err.Error()}
	}
	set, err := setlist.Solve(ctx, r)
	if err != nil {
		return &inputError{a.file + ":1:1: " + err.Error()}
	}
	doc := setDoc{Order: []setStep{}, Cost: newSetCost(&set.Best)}
	if len(set.Typed.Steps) > 0 {
		typed := newSetCost(&set.Typed)
		doc.Typed = &typed
	}
	doc.Proof.Kind, doc.Proof.Gap = "optimal", rounded(set.Gap, 4)
	if len(r.Tunes) > setlist.ExactTunes {
		doc.Proof.Kind = "bound"
	}
	for _, st := range set.Best.Steps {
		t := r.Tunes[st.Tune]
		step := setStep{t.Title, t.Tuning.Spelled(), t.Capo, st.Guitar, []setTurn{}, rounded(st.Seconds, 1), rounded(st.Risk, 1)}
		for _, c := range st.Changes {
			step.Turn = append(step.Turn, setTurn{c.String, c.To.String(), c.HalfSteps})
		}
		doc.Order = append(doc.Order, step)
	}
	return writeJSON(out, doc)
}
