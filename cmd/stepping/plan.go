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
	"strings"
	"text/tabwriter"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/thumb"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/formats/plandoc"
	"stepping/formats/tabtext"
)

// planArgs are the arguments of stepping plan and stepping read.
type planArgs struct {
	file, tuning, player, thumb string
	pattern                     string
	capo                        int
	tempo                       float64
	json, varied, tab           bool
}

// parseArgs reads flags before or after the one file name.
func parseArgs(name string, args []string, define func(*flag.FlagSet, *planArgs)) (planArgs, error) {
	var a planArgs
	fs := flag.NewFlagSet(name, flag.ContinueOnError)
	fs.SetOutput(io.Discard)
	fs.BoolVar(&a.json, "json", false, "")
	define(fs, &a)
	for len(args) > 0 {
		if err := fs.Parse(args); err != nil {
			return a, &inputError{fmt.Sprintf("stepping %s: %v; see stepping help", name, err)}
		}
		if args = fs.Args(); len(args) > 0 {
			if a.file != "" {
				return a, &inputError{fmt.Sprintf("stepping %s: one file at a time, not also %s", name, args[0])}
			}
			a.file, args = args[0], args[1:]
		}
	}
	if a.file == "" {
		return a, &inputError{fmt.Sprintf("stepping %s: which file? See stepping help", name)}
	}
	return a, nil
}

// readTune reads an ABC file; a fault is told as file:line:column: text.
func readTune(file string) (*tune.Tune, []abc.Warning, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, nil, &inputError{fmt.Sprintf("%s: cannot be opened: %v", file, errors.Unwrap(err))}
	}
	defer f.Close()
	tu, warnings, err := abc.Read(f)
	var fault *abc.Error
	if errors.As(err, &fault) {
		return nil, nil, &inputError{fmt.Sprintf("%s:%v", file, fault)}
	}
	if warnings == nil {
		warnings = []abc.Warning{}
	}
	return tu, warnings, err
}

func readProfile(file string) (player.Profile, error) {
	if file == "" {
		return player.Default(), nil
	}
	f, err := os.Open(file)
	if err != nil {
		return player.Profile{}, &inputError{fmt.Sprintf("%s: cannot be opened: %v", file, errors.Unwrap(err))}
	}
	defer f.Close()
	p, err := player.Read(f)
	var fault *player.PositionError
	if errors.As(err, &fault) {
		return p, &inputError{fmt.Sprintf("%s:%v", file, fault)}
	}
	return p, err
}

func planCommand(ctx context.Context, args []string, out io.Writer) error {
	a, err := parseArgs("plan", args, func(fs *flag.FlagSet, a *planArgs) {
		fs.StringVar(&a.tuning, "tuning", "Standard", "")
		fs.IntVar(&a.capo, "capo", 0, "")
		fs.Float64Var(&a.tempo, "tempo", 0, "")
		fs.StringVar(&a.player, "player", "", "")
		fs.StringVar(&a.thumb, "thumb", string(thumb.Alternating), "")
		fs.StringVar(&a.pattern, "pattern", "", "")
		fs.BoolVar(&a.varied, "varied", false, "")
		fs.BoolVar(&a.tab, "tab", false, "")
	})
	if err != nil {
		return err
	}
	req := plan.Request{Capo: a.capo, Tempo: a.tempo, Thumb: thumb.Kind(a.thumb), Varied: a.varied}
	if req.Tune, _, err = readTune(a.file); err != nil {
		return err
	}
	if a.pattern != "" {
		p, err := readPattern(a.pattern)
		if err != nil {
			return err
		}
		req.Sections = []thumb.Section{{Bar: 1, Pattern: p}}
	}
	if req.Tuning, err = tuning.Parse(a.tuning); err != nil {
		return &inputError{"--tuning:1:1: " + err.Error()}
	}
	if req.Player, err = readProfile(a.player); err != nil {
		return err
	}
	p, err := plan.Solve(ctx, req)
	if fault := (*player.FieldError)(nil); errors.As(err, &fault) { // what the profile's own check cannot know
		return &inputError{fmt.Sprintf("%s:1:1: %v", a.player, fault)}
	}
	if err != nil {
		return planFault(ctx, a.file, err)
	}
	var buf bytes.Buffer // nothing is printed unless all of it can be
	if a.tab {
		err = tabtext.Write(&buf, p)
	} else {
		err = writeDocument(ctx, &buf, p, a.json)
	}
	if err != nil {
		return err
	}
	_, err = out.Write(buf.Bytes())
	return err
}

// writeDocument writes the plan document as JSON or as a table.
func writeDocument(ctx context.Context, w io.Writer, p *plan.Plan, asJSON bool) error {
	doc, err := plandoc.New(ctx, p)
	switch {
	case err != nil:
		return err
	case asJSON:
		return doc.Write(w)
	}
	return writeTable(w, doc)
}

// planFault places a planning error in the tune's text.
func planFault(ctx context.Context, file string, err error) error {
	if ctx.Err() != nil {
		return err
	}
	var out *plan.RangeError
	if errors.As(err, &out) {
		at := out.Notes[0].Note.Place
		return &inputError{fmt.Sprintf("%s:%d:%d: %v", file, at.Line, at.Column, err)}
	}
	return &inputError{fmt.Sprintf("%s:1:1: %v", file, err)}
}

// writeTable writes a plan for reading: one row a moment.
func writeTable(w io.Writer, d *plandoc.Doc) error {
	fmt.Fprintf(w, "%s   tuning %s   capo %d   tempo %g   total %.2f (%s)\n", d.Title, strings.Join(d.Tuning, " "), d.Capo, d.Tempo, d.Total, d.Proof.Kind)
	if d.Ceiling.BPM > 0 {
		fmt.Fprintf(w, "playable up to %g: at %s %s\n", d.Ceiling.BPM, d.Ceiling.At, d.Ceiling.Why)
	}
	tw := tabwriter.NewWriter(w, 0, 4, 2, ' ', 0)
	fmt.Fprintln(tw, "bar\tbeat\tchord\tmelody\tthumb\tslide\tsilenced\tleaks")
	for i := range d.Moments {
		m := &d.Moments[i]
		fmt.Fprintf(tw, "%s\t%s\t%s\t%s\t%s\t%s\t%s\t%s\n", tune.Printed{Number: m.Bar, Pass: m.Pass}.Short(), m.Beat, m.Chord, strokeText(m, "melody"), strokeText(m, "thumb"),
			slideText(m.Slide), stringsText(m, "silenced"), stringsText(m, "leaks"))
	}
	return tw.Flush()
}

func strokeText(m *plandoc.Moment, part string) string {
	var parts []string
	for _, s := range m.Strokes {
		if s.Part == part {
			parts = append(parts, strings.TrimSpace(fmt.Sprintf("%s string %d %s %s %s", s.Pitch, s.String, s.How, play.Decimal(s.Fret), s.Digit)))
		}
	}
	return strings.Join(parts, ", ")
}

func slideText(s plandoc.Slide) string {
	if !s.On {
		return ""
	}
	text := fmt.Sprintf("%s over %d-%d", play.Decimal(s.Fret), s.From, s.Covers)
	if s.Trails > 0 {
		text += fmt.Sprintf(", trails 1-%d", s.Trails)
	}
	return text
}

func stringsText(m *plandoc.Moment, state string) string {
	var parts []string
	for _, s := range m.Strings {
		if s.State == state {
			parts = append(parts, strings.TrimSpace(fmt.Sprintf("%d %s", s.String, s.By)))
		}
	}
	return strings.Join(parts, ", ")
}

func readCommand(_ context.Context, args []string, out io.Writer) error {
	a, err := parseArgs("read", args, func(*flag.FlagSet, *planArgs) {})
	if err != nil {
		return err
	}
	tu, warnings, err := readTune(a.file)
	if err != nil {
		return err
	}
	reading := plandoc.NewReading(tu, warnings)
	if a.json {
		enc := json.NewEncoder(out)
		enc.SetEscapeHTML(false)
		return enc.Encode(reading)
	}
	tw := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	fmt.Fprintf(tw, "%s: %d bars, %d notes\n", tu.Title, reading.Bars, len(reading.Notes))
	for _, n := range reading.Notes {
		fmt.Fprintf(tw, "bar %d\tat %s\t%s\tfor %s\n", n.Bar, n.At, n.Pitch, n.Dur)
	}
	for _, wn := range warnings {
		fmt.Fprintf(tw, "%d:%d: %s\n", wn.Line, wn.Column, wn.Text)
	}
	return tw.Flush()
}
