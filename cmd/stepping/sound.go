package main

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"

	"stepping/core/sound"
)

// soundCommand plays a plan into a file.
func soundCommand(ctx context.Context, args []string, out io.Writer) error {
	var bars, layers string
	var o sound.Options
	a, err := parseArgs("sound", args, func(fs *flag.FlagSet, a *planArgs) {
		definePlan(fs, a)
		fs.StringVar(&a.out, "out", "", "")
		fs.StringVar(&bars, "bars", "", "")
		fs.StringVar(&layers, "layers", "", "")
		fs.IntVar(&o.CountIn, "count-in", 0, "")
		fs.IntVar(&o.Repeats, "repeats", 0, "")
		fs.IntVar(&o.Rate, "rate", 0, "")
		fs.BoolVar(&o.NoDampers, "no-dampers", false, "")
	})
	if err != nil {
		return err
	}
	if a.out == "" {
		return &inputError{"--out:1:1: give the file to write, like tune.wav, or - for standard output"}
	}
	if bars != "" {
		if o.First, o.Last, err = sound.ParseBars(bars); err != nil {
			return &inputError{"--bars:1:1: " + err.Error()}
		}
	}
	if layers != "" {
		if o.Layers, err = sound.ParseLayers(layers); err != nil {
			return &inputError{"--layers:1:1: " + err.Error()}
		}
	}
	p, err := solve(ctx, &a)
	if err != nil {
		return err
	}
	s, err := sound.New(p, o)
	if err != nil {
		return &inputError{fmt.Sprintf("%s:1:1: %v", a.file, err)}
	}
	if a.out == "-" {
		_, err = s.WriteTo(out)
		return err
	}
	f, err := os.Create(a.out)
	if err != nil {
		return &inputError{fmt.Sprintf("%s: cannot be written: %v", a.out, errors.Unwrap(err))}
	}
	buf := bufio.NewWriter(f)
	_, err = s.WriteTo(buf)
	return errors.Join(err, buf.Flush(), f.Close())
}
