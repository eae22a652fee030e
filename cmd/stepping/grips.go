package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"stepping/core/backing"
	"stepping/core/chord"
	"stepping/core/grip"
	"stepping/core/pattern"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/plandoc"
)

// writeJSON prints v, or nothing if it cannot be written whole.
func writeJSON(out io.Writer, v any) error {
	var buf bytes.Buffer
	enc := json.NewEncoder(&buf)
	enc.SetIndent("", " ")
	enc.SetEscapeHTML(false)
	if err := enc.Encode(v); err != nil {
		return err
	}
	_, err := out.Write(buf.Bytes())
	return err
}

// guitarFlags are the flags of everything that is held on a tuned guitar.
func guitarFlags(fs *flag.FlagSet, a *planArgs) {
	fs.StringVar(&a.tuning, "tuning", "Standard", "")
	fs.IntVar(&a.capo, "capo", 0, "")
	fs.StringVar(&a.player, "player", "", "")
}

// guitar reads what guitarFlags took.
func (a *planArgs) guitar() (g grip.Guitar, err error) {
	if g.Tuning, err = tuning.Parse(a.tuning); err != nil {
		return g, &inputError{"--tuning:1:1: " + err.Error()}
	}
	g.Capo = a.capo
	if err := tuning.CheckCapo(a.capo); err != nil {
		return g, &inputError{"--capo:1:1: " + err.Error()}
	}
	g.Player, err = readProfile(a.player)
	return g, err
}

// gripList is what stepping grips prints.
type gripList struct {
	Chord  string         `json:"chord"`
	Tuning []string       `json:"tuning"`
	Capo   int            `json:"capo"`
	Grips  []plandoc.Grip `json:"grips"`
	Proof  string         `json:"proof"` // "best" of all within reach, or "none" within reach
}

func gripsCommand(_ context.Context, args []string, out, errOut io.Writer) error {
	most := grip.Listed
	a, err := parseArgs("grips", args, errOut, func(fs *flag.FlagSet, a *planArgs) {
		guitarFlags(fs, a)
		fs.IntVar(&most, "most", grip.Listed, "")
	})
	if err != nil {
		return err
	}
	if most < 1 || most > 1000 {
		return &inputError{fmt.Sprintf("--most:1:1: %d: list 1 to 1000 grips", most)}
	}
	c, err := chord.Parse(a.file)
	if err != nil {
		return &inputError{"chord:1:1: " + err.Error()}
	}
	g, err := a.guitar()
	if err != nil {
		return err
	}
	list := gripList{Chord: c.Name, Tuning: g.Tuning.Spelled(), Capo: g.Capo, Grips: []plandoc.Grip{}, Proof: "none"}
	found := g.Find(c, most)
	for i := range found {
		list.Grips = append(list.Grips, plandoc.NewGrip(g, c, &found[i]))
		list.Proof = "best"
	}
	return writeJSON(out, list)
}

func nameCommand(_ context.Context, args []string, out, errOut io.Writer) error {
	spelt, text := "Standard", ""
	fs := flag.NewFlagSet("name", flag.ContinueOnError)
	fs.SetOutput(io.Discard)
	fs.StringVar(&spelt, "tuning", spelt, "")
	fs.StringVar(&text, "frets", "", "")
	fs.Bool("json", true, "")
	if err := fs.Parse(args); err != nil || fs.NArg() > 0 {
		return &inputError{fmt.Sprintf("stepping name: %v; see stepping help", errors.Join(err, fmt.Errorf("arguments %v", fs.Args())))}
	}
	t, err := tuning.Parse(spelt)
	if err != nil {
		return &inputError{"--tuning:1:1: " + err.Error()}
	}
	frets, err := parseFrets(text)
	if err != nil {
		return err
	}
	return writeJSON(out, plandoc.NewSounding(t, frets))
}

// parseFrets reads six frets from string 6 to 1, x or - for a string left out.
func parseFrets(text string) ([]int, error) {
	words := strings.Fields(text)
	if len(words) != tuning.Strings {
		return nil, &inputError{fmt.Sprintf("--frets:1:1: %q has %d frets: give six from string 6 to string 1, x for a string left out, like \"x 3 2 0 1 0\"", text, len(words))}
	}
	frets := make([]int, len(words))
	for i, w := range words {
		if w == "x" || w == "X" || w == "-" {
			frets[i] = grip.Out
			continue
		}
		n, err := strconv.Atoi(w)
		if err != nil || n < 0 || n > 30 {
			return nil, &inputError{fmt.Sprintf("--frets:1:%d: string %d: %q is not a fret: write 0 to 30, or x",
				1+strings.Index(text, w), tuning.Strings-i, w)}
		}
		frets[i] = n
	}
	return frets, nil
}

func chordsCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	meter, pat := "", "Root and alternate"
	a, err := parseArgs("chords", args, errOut, func(fs *flag.FlagSet, a *planArgs) {
		guitarFlags(fs, a)
		fs.Float64Var(&a.tempo, "tempo", 90, "")
		fs.StringVar(&pat, "pattern", pat, "")
		fs.StringVar(&meter, "meter", "", "")
	})
	if err != nil {
		return err
	}
	p, err := readPattern(pat)
	if err != nil {
		return err
	}
	g, err := a.guitar()
	if err != nil {
		return err
	}
	tu, err := a.progression(p, meter)
	if err != nil {
		return err
	}
	r := backing.Request{Tune: tu, Tuning: g.Tuning, Capo: g.Capo, Tempo: a.tempo, Player: g.Player, Sections: []pattern.Section{{Bar: 1, Pattern: p}}}
	b, err := backing.Solve(ctx, r)
	if err != nil {
		if ctx.Err() != nil {
			return err
		}
		return &inputError{"chords:1:1: " + err.Error()}
	}
	return writeJSON(out, plandoc.NewBacking(b))
}

// progression reads the chords as typed, or from an ABC file of that name.
func (a *planArgs) progression(p *pattern.Pattern, meter string) (*tune.Tune, error) {
	if strings.HasSuffix(strings.ToLower(a.file), ".abc") {
		return readTune(a)
	}
	m, _ := p.Signature()
	if meter != "" {
		of := pattern.Pattern{Meter: meter}
		var ok bool
		if m, ok = of.Signature(); !ok {
			return nil, &inputError{fmt.Sprintf("--meter:1:1: %q: write it like 4/4, 3/4, 6/8 or 2/4", meter)}
		}
	}
	tu, err := tune.Progression(a.file, m, 90)
	var fault *tune.ProgressionError
	if errors.As(err, &fault) {
		return nil, &inputError{fmt.Sprintf("chords:1:%d: bar %d: %v", fault.Column, fault.Bar, fault.Err)}
	}
	return tu, err
}

// readPattern finds a pattern by its name in the library or in a file.
func readPattern(name string) (*pattern.Pattern, error) {
	if p, ok := pattern.Named(name); ok {
		return p, nil
	}
	if !strings.HasSuffix(strings.ToLower(name), ".json") {
		var names []string
		for _, p := range pattern.Library {
			names = append(names, p.Name)
		}
		return nil, &inputError{fmt.Sprintf("--pattern:1:1: there is no pattern %q: give a .json file or one of %s", name, strings.Join(names, "; "))}
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, &inputError{fmt.Sprintf("%s: cannot be opened: %v", name, errors.Unwrap(err))}
	}
	defer f.Close()
	p, err := pattern.Read(f)
	if err != nil {
		return nil, &inputError{fmt.Sprintf("%s:1:1: %v", name, err)}
	}
	return p, nil
}
