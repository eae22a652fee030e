package main

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"
	"text/tabwriter"

	"stepping/core/harmony"
	"stepping/core/play"
	"stepping/core/proofread"
	"stepping/core/score"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/music"
	"stepping/formats/plandoc"
)

// read is a file that was read, and what its voices were taken for.
type read struct {
	file     *music.File
	roles    score.Roles
	tune     *tune.Tune
	pins     []play.Pin
	warnings []score.Warning
	proposed bool // its chords are
}

// defineRead are the flags of everything that reads a tune.
func defineRead(fs *flag.FlagSet, a *planArgs) {
	fs.IntVar(&a.voice, "voice", notSaid, "")
	fs.StringVar(&a.bass, "bass", "", "")
	fs.StringVar(&a.chords, "chords", "", "")
	fs.IntVar(&a.grid, "grid", 0, "")
}

// options are what the arguments tell a reader.
func (a *planArgs) options() (o music.Options, err error) {
	if o.Tuning, err = tuningOf(a.paper); err != nil {
		return o, err
	}
	if o.Otherwise, err = tuningOf(a.tuning); err != nil {
		return o, err
	}
	if a.grid != 0 {
		if a.grid < 1 || a.grid > 12 || 48%a.grid != 0 {
			return o, &inputError{"--grid:1:1: give the steps of a quarter to which played notes are moved: 1, 2, 3, 4, 6, 8 or 12"}
		}
		o.Grid = &score.Grid{Steps: a.grid, Swing: 0.5}
	}
	return o, nil
}

// tuningOf reads the tuning of an argument, nil if there is none.
func tuningOf(text string) (*tuning.Tuning, error) {
	if text == "" {
		return nil, nil
	}
	t, err := tuning.ParseAny(text)
	if err != nil {
		return nil, &inputError{"--tuning:1:1: " + err.Error()}
	}
	return &t, nil
}

// openFile reads music of any form; a fault is told as file:line:column: text.
func openFile(a *planArgs) (*music.File, error) {
	o, err := a.options()
	if err != nil {
		return nil, err
	}
	f, err := os.Open(a.file)
	if err != nil {
		return nil, &inputError{fmt.Sprintf("%s: cannot be opened: %v", a.file, errors.Unwrap(err))}
	}
	defer f.Close()
	in, err := music.Read(f, o)
	return in, a.faultIn(err)
}

// faultIn names the file of a fault.
func (a *planArgs) faultIn(err error) error {
	var fault *score.Fault
	if errors.As(err, &fault) {
		return &inputError{fmt.Sprintf("%s:%v", a.file, fault)}
	}
	return err
}

// openMusic reads a file and takes the voices that are asked for, or those proposed.
func openMusic(a *planArgs) (*read, error) {
	in, err := openFile(a)
	if err != nil {
		return nil, err
	}
	r := &read{file: in}
	if r.roles, err = a.rolesIn(in.Score); err != nil {
		return nil, err
	}
	if r.tune, r.pins, r.warnings, err = in.Tune(r.roles); err != nil {
		return nil, a.faultIn(err)
	}
	a.warn(r.warnings)
	return r, a.propose(r)
}

// propose gives the tune the chords asked for: proposed in a style, and listed on standard error, or those written in the argument.
func (a *planArgs) propose(r *read) (err error) {
	switch {
	case a.chords == "" || len(r.tune.Notes) == 0:
		return nil
	case !slices.Contains(harmony.Styles, harmony.Style(a.chords)):
		if r.tune, err = r.tune.WithChords(a.chords); err != nil {
			return &inputError{"--chords:1:1: " + err.Error() + "; or a style: plain, blues or moving"}
		}
		return nil
	}
	p := harmony.Propose(r.tune, harmony.Style(a.chords))
	out, sure := *r.tune, 0.0
	out.Chords, r.proposed = p.Chords(), true
	r.tune = &out
	for i := range p.Spans {
		sure += p.Spans[i].Sure / float64(len(p.Spans))
	}
	text, _ := out.ChordText()
	fmt.Fprintf(a.errOut, "%s: chords proposed, %.0f%% sure: %s\n", a.file, 100*sure, text)
	return nil
}

// rolesIn are the voices that are asked for as melody and bass.
func (a *planArgs) rolesIn(sc *score.Score) (r score.Roles, err error) {
	n := len(sc.Voices())
	check := func(name string, voice int) error {
		if voice >= 0 && voice < max(n, 1) {
			return nil
		}
		return &inputError{fmt.Sprintf("--%s:1:1: %d: this file has voices 0 to %d; stepping read lists them", name, voice, n-1)}
	}
	melody := a.voice
	if melody == notSaid {
		melody = sc.Melody
	}
	if err := check("voice", melody); err != nil {
		return r, err
	}
	r = sc.As(melody)
	switch a.bass {
	case "":
		return r, nil
	case "none":
		return r.WithBass(-1), nil
	}
	bass, err := strconv.Atoi(a.bass)
	if err != nil {
		return r, &inputError{fmt.Sprintf("--bass:1:1: %q: give the number of a voice, or none", a.bass)}
	}
	if bass == melody {
		return r, &inputError{fmt.Sprintf("--bass:1:1: voice %d is the melody: give another, or none", bass)}
	}
	return r.WithBass(bass), check("bass", bass)
}

// warn says what was read past, or otherwise than it is written.
func (a *planArgs) warn(warnings []score.Warning) {
	for _, w := range warnings {
		fmt.Fprintf(a.errOut, "%s:%d:%d: %s\n", a.file, w.Line, w.Column, w.Text)
	}
}

// readTune is the melody of a file.
func readTune(a *planArgs) (*tune.Tune, error) {
	r, err := openMusic(a)
	if err != nil {
		return nil, err
	}
	return r.tune, nil
}

func readCommand(_ context.Context, args []string, out, errOut io.Writer) error {
	a, err := parseArgs("read", args, errOut, func(fs *flag.FlagSet, a *planArgs) {
		fs.StringVar(&a.paper, "tuning", "", "")
		fs.BoolVar(&a.notes, "notes", false, "")
		defineRead(fs, a)
	})
	if err != nil {
		return err
	}
	if a.notes {
		return readSounds(&a, out)
	}
	r, err := openMusic(&a)
	if err != nil {
		return err
	}
	reading := plandoc.NewReading(r.file.Score, r.file.Quantized, r.roles, r.tune, r.pins, r.warnings)
	for i := range reading.Chords {
		reading.Chords[i].Proposed = reading.Chords[i].Proposed || r.proposed
	}
	if a.json {
		return writeLine(out, reading)
	}
	tw := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	fmt.Fprintf(tw, "%s: %s, %d bars, %d notes\n", cmp.Or(reading.Title, "untitled"), reading.Format, reading.Bars, len(reading.Notes))
	if len(reading.Voices) > 1 {
		for _, v := range reading.Voices {
			fmt.Fprintf(tw, "--voice %d\t%s\t%d notes\t%s to %s\t%s\n", v.Voice, v.Name, v.Notes, v.Lowest, v.Highest, strings.Join(v.First, " "))
		}
	}
	for _, line := range []struct {
		name  string
		notes []plandoc.ReadNote
	}{{"bar", reading.Notes}, {"bass, bar", reading.Bass}} {
		for _, n := range line.notes {
			fmt.Fprintf(tw, "%s %d\tat %s\t%s\tfor %s\t%s\n", line.name, n.Bar, n.At, strings.Join(append([]string{n.Pitch}, n.With...), " "), n.Dur,
				strings.Join(append(n.Marks, n.Lyric), " "))
		}
	}
	return tw.Flush()
}

// readSounds lists every note of every voice.
func readSounds(a *planArgs, out io.Writer) error {
	in, err := openFile(a)
	if err != nil {
		return err
	}
	a.warn(in.Score.Warnings)
	sounds := plandoc.NewSounds(in.Score)
	if a.json {
		return writeLine(out, sounds)
	}
	tw := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	for _, n := range sounds.Notes {
		fmt.Fprintf(tw, "part %d\tvoice %d\tat %s\t%s %+d\tfor %s\n", n.Part, n.Voice, n.At, n.Pitch, n.Cents, n.Dur)
	}
	return tw.Flush()
}

// writeLine writes a value as one line of JSON.
func writeLine(out io.Writer, v any) error {
	enc := json.NewEncoder(out)
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

// checkCommand proofreads tablature.
func checkCommand(_ context.Context, args []string, out, errOut io.Writer) error {
	a, err := parseArgs("check", args, errOut, func(fs *flag.FlagSet, a *planArgs) {
		fs.StringVar(&a.paper, "tuning", "", "")
		fs.StringVar(&a.player, "player", "", "")
		defineRead(fs, a)
	})
	if err != nil {
		return err
	}
	in, err := openFile(&a)
	if err != nil {
		return err
	}
	a.warn(in.Score.Warnings)
	if in.Page == nil {
		return &inputError{fmt.Sprintf("%s:1:1: this is %s, and only tablature can be proofread", a.file, in.Score.Format)}
	}
	if in.Page.Player, err = readProfile(a.player); err != nil {
		return err
	}
	findings := proofread.Check(in.Page)
	if a.json {
		return writeLine(out, map[string]any{"findings": findings})
	}
	for _, f := range findings {
		mend := ""
		if f.Mend != nil {
			mend = fmt.Sprintf(" (mend: write %q at %d:%d)", f.Mend.To, f.Mend.Line, f.Mend.Column)
		}
		fmt.Fprintf(out, "%s:%d:%d: bar %d, %s, %.0f%% sure: %s%s\n", a.file, f.Line, f.Column, f.Bar, f.Kind, 100*f.Sure, f.Text, mend)
	}
	if len(findings) == 0 {
		fmt.Fprintf(out, "%s: nothing found in %d bars\n", a.file, len(in.Page.Bars))
	}
	return nil
}

// exportCommand writes a plan in another format.
func exportCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	a, err := parseArgs("export", args, errOut, func(fs *flag.FlagSet, a *planArgs) {
		definePlan(fs, a)
		fs.StringVar(&a.to, "to", "", "")
		fs.StringVar(&a.out, "out", "", "")
	})
	if err != nil {
		return err
	}
	write, ok := music.Writers[a.to]
	if !ok && a.to != "json" {
		return &inputError{fmt.Sprintf("--to:1:1: %q: give musicxml, midi, abc, tab or json", a.to)}
	}
	p, err := solve(ctx, &a)
	if err != nil {
		return err
	}
	var buf bytes.Buffer // nothing is written unless all of it can be
	if a.to == "json" {
		err = writeDocument(ctx, &buf, p, true)
	} else {
		err = write(&buf, p)
	}
	if err != nil {
		return err
	}
	if a.out == "" || a.out == "-" {
		_, err = out.Write(buf.Bytes())
		return err
	}
	if err := os.WriteFile(a.out, buf.Bytes(), 0o644); err != nil {
		return &inputError{fmt.Sprintf("%s: cannot be written: %v", a.out, errors.Unwrap(err))}
	}
	return nil
}
