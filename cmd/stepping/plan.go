package main

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"strings"
	"text/tabwriter"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/plandoc"
	"stepping/formats/tabtext"
)

// planArgs are the arguments of commands that read a tune.
type planArgs struct {
	file, tuning, player, thumb, swing string
	recording                          string
	two                                bool // a recording is wanted next to the file
	pattern                            string
	capo, position                     int
	tempo                              float64
	json, varied, tab                  bool
	free                               bool   // places that the file names are not kept
	voice                              int    // the melody; notSaid: the one proposed
	chords                             string // a style in which they are proposed, or chords bar by bar; "": those of the file
	bass                               string // the voice that is the bass, or none; "": the one proposed
	grid                               int    // steps a quarter for played notes; 0: the one proposed
	notes                              bool
	to, out                            string
	paper                              string    // how tablature is tuned, whatever it says
	errOut                             io.Writer // where it is said what a reader reads past
}

// parseArgs reads flags before or after the one file name.
func parseArgs(name string, args []string, errOut io.Writer, define func(*flag.FlagSet, *planArgs)) (planArgs, error) {
	a := planArgs{errOut: errOut}
	fs := flag.NewFlagSet(name, flag.ContinueOnError)
	fs.SetOutput(io.Discard)
	fs.BoolVar(&a.json, "json", false, "")
	a.voice = notSaid
	define(fs, &a)
	for len(args) > 0 {
		if err := fs.Parse(args); err != nil {
			return a, &inputError{fmt.Sprintf("stepping %s: %v; see stepping help", name, err)}
		}
		if args = fs.Args(); len(args) > 0 {
			if a.file != "" && a.two && a.recording == "" {
				a.recording, args = args[0], args[1:]
				continue
			}
			if a.file != "" {
				return a, &inputError{fmt.Sprintf("stepping %s: one file at a time, not also %s", name, args[0])}
			}
			a.file, args = args[0], args[1:]
		}
	}
	if a.file == "" || a.two && a.recording == "" {
		return a, &inputError{fmt.Sprintf("stepping %s: which file? See stepping help", name)}
	}
	return a, nil
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

// notSaid is a number that the arguments leave open.
const notSaid = -1 << 20

// definePlan are the flags of everything that plans a tune.
func definePlan(fs *flag.FlagSet, a *planArgs) {
	fs.StringVar(&a.tuning, "tuning", "", "")
	fs.IntVar(&a.capo, "capo", notSaid, "")
	fs.Float64Var(&a.tempo, "tempo", 0, "")
	fs.StringVar(&a.swing, "swing", "", "")
	fs.StringVar(&a.player, "player", "", "")
	fs.StringVar(&a.thumb, "thumb", "", "")
	fs.StringVar(&a.pattern, "pattern", "", "")
	fs.IntVar(&a.position, "position", 0, "")
	fs.BoolVar(&a.varied, "varied", false, "")
	fs.BoolVar(&a.free, "free", false, "")
	defineRead(fs, a)
}

func planCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	a, err := parseArgs("plan", args, errOut, func(fs *flag.FlagSet, a *planArgs) {
		definePlan(fs, a)
		fs.BoolVar(&a.tab, "tab", false, "")
	})
	if err != nil {
		return err
	}
	p, err := solve(ctx, &a)
	if err != nil {
		return err
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

// solve plans the file of the arguments. What they do not say the file may: tuning, capo, and where notes are
// played, which holds unless the tuning is another or --free lets it go; the thumb then plays what the file
// has, and nothing next to it.
func solve(ctx context.Context, a *planArgs) (*plan.Plan, error) {
	in, err := openMusic(a)
	if err != nil {
		return nil, err
	}
	req := plan.Request{Tune: in.tune, Capo: a.capo, Tempo: a.tempo, Thumb: pattern.Kind(a.thumb), Varied: a.varied}
	if a.capo == notSaid {
		req.Capo = 0
	}
	if a.swing != "" {
		share, err := tune.ParseSwing(a.swing)
		if err != nil {
			return nil, &inputError{"--swing:1:1: " + err.Error()}
		}
		req.Tune = req.Tune.Swung(share)
	}
	if req.Tuning, err = tuning.Parse(cmp.Or(a.tuning, "Standard")); err != nil {
		return nil, &inputError{"--tuning:1:1: " + err.Error()}
	}
	if t := in.file.Score.Tuning; t != nil && t.Len() == tuning.Strings && (a.tuning == "" || req.Tuning == *t) {
		req.Tuning = *t
		if a.capo == notSaid {
			req.Capo = in.file.Score.Capo
		}
		if !a.free && req.Capo == in.file.Score.Capo {
			req.Pins = in.pins
		}
	}
	if req.Thumb == "" {
		req.Thumb = pattern.Alternating
		switch {
		case len(in.tune.Bass) > 0:
			req.Thumb = pattern.Written
		case len(req.Pins) > 0:
			req.Thumb = pattern.None
		}
	}
	if a.position != 0 {
		req.Pins = append(req.Pins, play.Pin{Part: play.Position, Fret: float64(a.position), To: req.Tune.Length})
	}
	if a.pattern != "" {
		p, err := readPattern(a.pattern)
		if err != nil {
			return nil, err
		}
		req.Sections = []pattern.Section{{Bar: 1, Pattern: p}}
	}
	if req.Player, err = readProfile(a.player); err != nil {
		return nil, err
	}
	p, err := plan.SolveKeepable(ctx, req)
	if fault := (*player.FieldError)(nil); errors.As(err, &fault) { // what the profile's own check cannot know
		return nil, &inputError{fmt.Sprintf("%s:1:1: %v", a.player, fault)}
	}
	if err != nil {
		return nil, planFault(ctx, a.file, err)
	}
	for i := range p.LeftOut {
		l := &p.LeftOut[i]
		fmt.Fprintf(a.errOut, "%s: left out: %s\n", a.file, l.Why)
	}
	return p, nil
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
	var pinned *plan.PinError
	if errors.As(err, &pinned) {
		return &inputError{fmt.Sprintf("%s:1:1: %v; or drop all places in the file with --free", file, err)}
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
	fmt.Fprintf(w, "%s   tuning %s   capo %d   tempo %g   total %.2f (%s)\n", d.Title, strings.Join(d.Tuning, " "), d.Capo, d.Tempo,
		d.Total, d.Proof.Kind)
	if d.Ceiling.BPM > 0 {
		fmt.Fprintf(w, "playable up to %g: at %s %s\n", d.Ceiling.BPM, d.Ceiling.At, d.Ceiling.Why)
	}
	tw := tabwriter.NewWriter(w, 0, 4, 2, ' ', 0)
	fmt.Fprintln(tw, "bar\tbeat\tchord\tmelody\tthumb\tslide\tsilenced\tleaks")
	for i := range d.Moments {
		m := &d.Moments[i]
		fmt.Fprintf(tw, "%s\t%s\t%s\t%s\t%s\t%s\t%s\t%s\n", tune.Printed{Number: m.Bar, Pass: m.Pass}.Short(), m.Beat, m.Chord,
			strokeText(m, "melody"), strokeText(m, "thumb"),
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
