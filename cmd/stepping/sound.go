package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"

	"stepping/core/sound"
)

// soundCommand plays a plan into a file.
func soundCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	var bars, layers, faults string
	var o sound.Options
	a, err := parseArgs("sound", args, errOut, func(fs *flag.FlagSet, a *planArgs) {
		definePlan(fs, a)
		fs.StringVar(&a.out, "out", "", "")
		fs.StringVar(&bars, "bars", "", "")
		fs.StringVar(&layers, "layers", "", "")
		fs.StringVar(&faults, "faults", "", "")
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
	played := sound.Of(p)
	if faults != "" {
		if played, err = readFaults(faults, played); err != nil {
			return err
		}
	}
	s, err := sound.New(played, o)
	if err != nil {
		return &inputError{fmt.Sprintf("%s:1:1: %v", a.file, err)}
	}
	if a.out == "-" {
		_, err = io.Copy(out, s)
		return err
	}
	f, err := os.Create(a.out)
	if err != nil {
		return &inputError{fmt.Sprintf("%s: cannot be written: %v", a.out, errors.Unwrap(err))}
	}
	buf := bufio.NewWriter(f)
	_, err = io.Copy(buf, s)
	return errors.Join(err, buf.Flush(), f.Close())
}

// readFaults plays with the faults of a file.
func readFaults(name string, played sound.Played) (sound.Played, error) {
	data, err := os.ReadFile(name)
	if err != nil {
		return played, &inputError{fmt.Sprintf("%s: cannot be read: %v", name, errors.Unwrap(err))}
	}
	var f sound.Faults
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&f); err != nil {
		return played, &inputError{fmt.Sprintf("%s:1:%d: not faults: %v; docs/formats.md shows some", name, dec.InputOffset()+1, err)}
	}
	out, err := played.With(&f)
	if err != nil {
		return played, &inputError{fmt.Sprintf("%s:1:1: %v", name, err)}
	}
	return out, nil
}
