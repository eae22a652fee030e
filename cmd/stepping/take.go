package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"text/tabwriter"

	"stepping/core/take"
	"stepping/formats/plandoc"
	"stepping/formats/wav"
)

// openRecording reads a WAV file as a signal.
func openRecording(name string) (*take.Signal, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, &inputError{fmt.Sprintf("%s: cannot be read: %v", name, errors.Unwrap(err))}
	}
	defer f.Close()
	r, err := wav.NewReader(f)
	var bad *wav.FormatError
	if errors.As(err, &bad) {
		return nil, &inputError{fmt.Sprintf("%s:1:1: %v", name, err)}
	}
	if err != nil {
		return nil, err
	}
	s, err := take.Prepare(r, r.Rate, r.Channels, nil)
	if errors.Is(err, take.ErrSilent) || errors.Is(err, take.ErrShort) {
		return nil, &inputError{fmt.Sprintf("%s:1:1: %v", name, err)}
	}
	if err != nil {
		return nil, err
	}
	if r.Short {
		s.Notes = append(s.Notes, "The file is shorter than its header says: it was read up to its end.")
	}
	return s, nil
}

// pitchCommand prints the pitch of a recording of a single line.
func pitchCommand(_ context.Context, args []string, out, errOut io.Writer) error {
	a, err := parseArgs("pitch", args, errOut, func(*flag.FlagSet, *planArgs) {})
	if err != nil {
		return err
	}
	s, err := openRecording(a.file)
	if err != nil {
		return err
	}
	track := s.Track()
	if a.json {
		return writeLine(out, map[string]any{"track": track, "notes": s.Notes})
	}
	for _, p := range track {
		fmt.Fprintf(out, "%.3f\t%.2f\t%.2f\n", p.At, p.Hz, p.Sure)
	}
	return nil
}

// takeCommand follows a recording through a plan, and says how it was played.
func takeCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	a, err := parseArgs("take", args, errOut, func(fs *flag.FlagSet, a *planArgs) {
		a.two = true
		definePlan(fs, a)
	})
	if err != nil {
		return err
	}
	p, err := solve(ctx, &a)
	if err != nil {
		return err
	}
	s, err := openRecording(a.recording)
	if err != nil {
		return err
	}
	tk, err := s.Judge(p)
	if errors.Is(err, take.ErrForeign) {
		return &inputError{fmt.Sprintf("%s:1:1: %v", a.recording, err)}
	}
	if err != nil {
		return err
	}
	if a.json {
		return writeLine(out, plandoc.NewTake(p, tk))
	}
	for _, odd := range tk.Odd {
		fmt.Fprintln(out, odd)
	}
	fmt.Fprintf(out, "%d of %d moments were found.\n", len(tk.Places), len(p.Moments))
	tw := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	for _, v := range tk.Verdicts(p) {
		fmt.Fprintf(tw, "%s\t%s\n", v.Text, v.Try)
	}
	if err := tw.Flush(); err != nil || tk.Hint == "" {
		return err
	}
	_, err = fmt.Fprintln(out, tk.Hint)
	return err
}
