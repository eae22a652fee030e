package main

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"maps"
	"os"
	"slices"
	"strings"
	"time"

	"stepping/core/plan"
	"stepping/core/reference"
)

// fitCommand fits the planner's weights to reference arrangements. What it has found is written to a
// file as it goes on, from which it can go on later.
func fitCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	fs := flag.NewFlagSet("fit", flag.ContinueOnError)
	fs.SetOutput(io.Discard)
	from, to := fs.String("from", "", ""), fs.String("out", "", "")
	only, folds, sweeps := fs.String("only", "", ""), fs.Int("folds", 0, ""), fs.Int("sweeps", len(reference.ToReferences.Steps), "")
	needs := fs.Bool("needs", false, "")
	var paths []string
	for len(args) > 0 {
		if err := fs.Parse(args); err != nil {
			return &inputError{fmt.Sprintf("stepping fit: %v; see stepping help", err)}
		}
		if args = fs.Args(); len(args) > 0 {
			paths, args = append(paths, args[0]), args[1:]
		}
	}
	files, err := readReferences(paths)
	if err != nil {
		return err
	}
	refs := make([]*reference.Reference, len(files))
	for i := range files {
		refs[i] = files[i].ref
	}
	start, err := readWeights(*from)
	if err != nil {
		return err
	}
	how := reference.ToReferences
	if *only != "" {
		how.Names = strings.Split(*only, ",")
	}
	how.Steps = how.Steps[:min(max(*sweeps, 0), len(how.Steps))]
	if *folds > 1 {
		return heldOut(ctx, out, refs, start, how, *folds)
	}
	if *needs {
		return writeNeeds(ctx, out, refs, start)
	}
	begin := time.Now()
	best, err := reference.Fit(ctx, reference.Cases(refs), start, how, func(p reference.FitProgress) {
		fmt.Fprintf(errOut, "\rsweep %d of %d, %-14s melody %d/%d, bass %d/%d, fingers %d/%d  ", p.Sweep, p.Sweeps, p.Weight,
			p.Agreement.Melody, p.Agreement.MelodyOf, p.Agreement.Bass, p.Agreement.BassOf, p.Agreement.Fingers, p.Agreement.FingersOf)
		if *to != "" {
			_ = writeWeights(*to, &p.Best) // said again at the end, with its error
		}
	})
	fmt.Fprintf(errOut, "\n%.0f s\n", time.Since(begin).Seconds())
	if err != nil {
		return err
	}
	if *to != "" {
		return writeWeights(*to, &best)
	}
	return writeJSON(out, best)
}

// heldOut fits on all folds but one, and measures on that one.
func heldOut(ctx context.Context, out io.Writer, refs []*reference.Reference, start plan.Weights, how reference.FitOptions, n int) error {
	folds := reference.Folds(refs, n)
	var total reference.Agreement
	for k := range folds {
		var rest []*reference.Reference
		for i := range folds {
			if i != k {
				rest = append(rest, folds[i]...)
			}
		}
		w, err := reference.Fit(ctx, reference.Cases(rest), start, how, nil)
		if err != nil {
			return err
		}
		a, err := reference.Agree(ctx, reference.Cases(folds[k]), &w)
		if err != nil {
			return err
		}
		total.Add(&a)
		fmt.Fprintf(out, "fold %d: melody %d/%d, bass %d/%d, fingers %d/%d\n", k+1, a.Melody, a.MelodyOf, a.Bass, a.BassOf, a.Fingers, a.FingersOf)
	}
	_, err := fmt.Fprintf(out, "held out in %d folds: melody %.1f%%, bass %.1f%%, fingers %.1f%%\n", n,
		100*float64(total.Melody)/float64(total.MelodyOf), 100*float64(total.Bass)/float64(total.BassOf),
		100*float64(total.Fingers)/float64(max(1, total.FingersOf)))
	return err
}

// writeNeeds writes, as Markdown, what each weight's ends do to the agreement, and which references agree less there.
func writeNeeds(ctx context.Context, out io.Writer, refs []*reference.Reference, w plan.Weights) error {
	base, err := agreements(ctx, refs, &w)
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "# Weights\n\nWritten by `stepping fit DIR --needs`. Each weight may lie between half and twice its value; next to it is how many choices of the %d references more or fewer\nagree at either end "+
		"(melody, bass and fingers together, all other weights in force), and the references that lose two or more there. Units and meaning stand in [model.md](model.md).\n\n"+
		"| weight | value | from | to | at half | at twice | needed by |\n|---|---|---|---|---|---|---|\n", len(refs))
	for _, name := range plan.WeightNames() {
		var change [2]int
		lost := map[string]bool{}
		for end, factor := range []float64{1 / plan.MostFactor, plan.MostFactor} {
			trial := w
			trial.Set(name, w.Get(name)*factor)
			got, err := agreements(ctx, refs, &trial)
			if err != nil {
				return err
			}
			for i := range refs {
				d := got[i] - base[i]
				if change[end] += d; d <= -2 {
					lost[refs[i].Name] = true
				}
			}
		}
		v := w.Get(name)
		fmt.Fprintf(out, "| `%s` | %.4g | %.4g | %.4g | %+d | %+d | %s |\n", name, v, v/plan.MostFactor, v*plan.MostFactor,
			change[0], change[1], namesOf(slices.Sorted(maps.Keys(lost))))
	}
	return nil
}

// namesOf lists names, of many the first ones.
func namesOf(names []string) string {
	const most = 5
	if more := len(names) - most; more > 2 {
		return strings.Join(names[:most], ", ") + fmt.Sprintf(" and %d more", more)
	}
	return strings.Join(names, ", ")
}

// agreements counts the choices of each reference with which its plan agrees.
func agreements(ctx context.Context, refs []*reference.Reference, w *plan.Weights) ([]int, error) {
	out := make([]int, len(refs))
	for i, c := range reference.Cases(refs) {
		a, err := reference.Agree(ctx, []reference.Case{c}, w)
		if err != nil {
			return nil, err
		}
		out[i] = a.Melody + a.Bass + a.Fingers
	}
	return out, nil
}

// readWeights reads a file of weights on top of those in force.
func readWeights(file string) (plan.Weights, error) {
	w := plan.InForce()
	if file == "" {
		return w, nil
	}
	data, err := os.ReadFile(file)
	if err != nil {
		return w, &inputError{fmt.Sprintf("%s: cannot be opened: %v", file, err)}
	}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&w); err != nil {
		return w, &inputError{fmt.Sprintf("%s:1:1: not a file of weights: %v", file, err)}
	}
	return w, nil
}

func writeWeights(file string, w *plan.Weights) error {
	var buf bytes.Buffer
	if err := writeJSON(&buf, w); err != nil {
		return err
	}
	return os.WriteFile(file, buf.Bytes(), 0o644)
}
