package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"sort"
	"strings"
	"sync"

	"stepping/core/plan"
	"stepping/core/reference"
	"stepping/formats/reftext"
)

// agreeFile is one reference with how a plan agrees with it.
type agreeFile struct {
	File      string        `json:"file"`
	Melody    int           `json:"melody"`
	MelodyOf  int           `json:"melodyOf"`
	Bass      int           `json:"bass"`
	BassOf    int           `json:"bassOf"`
	Fingers   int           `json:"fingers"` // of the fretting hand, where the place agrees and the reference names one
	FingersOf int           `json:"fingersOf"`
	Misses    []agreeChoice `json:"misses"`
	Error     string        `json:"error,omitempty"`

	ref *reference.Reference
	of  reference.Agreement
}

type agreeChoice struct {
	Bar    int     `json:"bar"`
	Pass   int     `json:"pass"`
	Beat   float64 `json:"beat"`
	Part   string  `json:"part"`
	Wanted string  `json:"wanted"`
	Got    string  `json:"got"`
	Text   string  `json:"text"`
}

// agreeCommand plans reference arrangements and says where the plans choose otherwise.
func agreeCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	fs := flag.NewFlagSet("agree", flag.ContinueOnError)
	fs.SetOutput(io.Discard)
	asJSON, prices, weights := fs.Bool("json", false, ""), fs.Bool("prices", false, ""), fs.String("weights", "", "")
	var paths []string
	for len(args) > 0 {
		if err := fs.Parse(args); err != nil {
			return &inputError{fmt.Sprintf("stepping agree: %v; see stepping help", err)}
		}
		if args = fs.Args(); len(args) > 0 {
			paths, args = append(paths, args[0]), args[1:]
		}
	}
	files, err := readReferences(paths)
	if err != nil {
		return err
	}
	w, err := readWeights(*weights)
	if err != nil {
		return err
	}
	for _, f := range files {
		f.ref.Request.Weights = &w
	}
	agreeAll(ctx, files, *prices)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if *asJSON {
		return writeJSON(out, struct {
			Files []*agreeFile `json:"files"`
		}{files})
	}
	return writeAgreement(out, files)
}

// readReferences reads the named files, and those of the named folders.
func readReferences(paths []string) ([]*agreeFile, error) {
	var names []string
	for _, p := range paths {
		if info, err := os.Stat(p); err == nil && info.IsDir() {
			found, err := filepath.Glob(filepath.Join(p, "*.ref"))
			if err != nil {
				return nil, err
			}
			names = append(names, found...)
			continue
		}
		names = append(names, p)
	}
	if len(names) == 0 {
		return nil, &inputError{"stepping agree: which references? Name files, or a folder with files *.ref"}
	}
	sort.Strings(names)
	var out []*agreeFile
	for _, name := range names {
		f, err := os.Open(name)
		if err != nil {
			return nil, &inputError{fmt.Sprintf("%s: cannot be opened: %v", name, errors.Unwrap(err))}
		}
		ref, err := reftext.Read(f, filepath.Base(name))
		f.Close()
		if err != nil {
			return nil, &inputError{fmt.Sprintf("%s:%v", name, err)}
		}
		out = append(out, &agreeFile{File: filepath.Base(name), ref: ref})
	}
	return out, nil
}

// agreeAll plans all files, some at a time.
func agreeAll(ctx context.Context, files []*agreeFile, prices bool) {
	next := make(chan *agreeFile)
	var all sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		all.Go(func() {
			for f := range next {
				if err := f.plan(ctx, prices); err != nil {
					f.Error = err.Error()
				}
			}
		})
	}
	for _, f := range files {
		next <- f
	}
	close(next)
	all.Wait()
}

func (f *agreeFile) plan(ctx context.Context, prices bool) error {
	p, err := plan.Solve(ctx, f.ref.Request)
	if err != nil {
		return err
	}
	if f.of, err = f.ref.Compare(p); err != nil {
		return err
	}
	if prices {
		if err := f.ref.Price(ctx, p, &f.of); err != nil {
			return err
		}
	}
	f.Melody, f.MelodyOf, f.Bass, f.BassOf = f.of.Melody, f.of.MelodyOf, f.of.Bass, f.of.BassOf
	f.Fingers, f.FingersOf = f.of.Fingers, f.of.FingersOf
	f.Misses = []agreeChoice{}
	for i := range f.of.Misses {
		m := &f.of.Misses[i]
		f.Misses = append(f.Misses, agreeChoice{m.Bar.Number, m.Bar.Pass, m.Beat, m.Part, m.Wanted, m.Got, m.String()})
	}
	return nil
}

func writeAgreement(out io.Writer, files []*agreeFile) error {
	var b strings.Builder
	var total reference.Agreement
	for _, f := range files {
		fmt.Fprintf(&b, "%-36s melody %d/%d", f.File, f.Melody, f.MelodyOf)
		if f.BassOf > 0 {
			fmt.Fprintf(&b, ", bass %d/%d", f.Bass, f.BassOf)
		}
		if f.FingersOf > 0 {
			fmt.Fprintf(&b, ", fingers %d/%d", f.Fingers, f.FingersOf)
		}
		if f.Error != "" {
			fmt.Fprintf(&b, ": %s", f.Error)
		}
		b.WriteByte('\n')
		for i := range f.Misses {
			fmt.Fprintf(&b, "    %s\n", f.Misses[i].Text)
		}
		total.Add(&f.of)
	}
	share := func(n, of int) float64 { return 100 * float64(n) / float64(max(of, 1)) }
	fmt.Fprintf(&b, "%d references: melody %d/%d = %.1f%%, bass %d/%d = %.1f%%", len(files),
		total.Melody, total.MelodyOf, share(total.Melody, total.MelodyOf), total.Bass, total.BassOf, share(total.Bass, total.BassOf))
	if total.FingersOf > 0 {
		fmt.Fprintf(&b, ", fingers %d/%d = %.1f%%", total.Fingers, total.FingersOf, share(total.Fingers, total.FingersOf))
	}
	b.WriteByte('\n')
	_, err := io.WriteString(out, b.String())
	return err
}
