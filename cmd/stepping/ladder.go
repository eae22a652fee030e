package main

import (
	"context"
	"flag"
	"fmt"
	"io"
	"text/tabwriter"

	"stepping/core/practice"
)

// ladderCommand prints what to practise for a plan, in order.
func ladderCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	a, err := parseArgs("ladder", args, errOut, func(fs *flag.FlagSet, a *planArgs) { definePlan(fs, a) })
	if err != nil {
		return err
	}
	p, err := solve(ctx, &a)
	if err != nil {
		return err
	}
	steps := practice.Ladder(p)
	if a.json {
		return writeLine(out, map[string]any{"steps": steps})
	}
	tw := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	for i, s := range steps {
		click := ""
		if s.Click {
			click = "click"
		}
		fmt.Fprintf(tw, "%d\t%s\t%s\t%g\t%s\t%s Done: %s.\n", i+1, s.Layer, s.Place, s.Tempo, click, s.What, s.Done)
	}
	return tw.Flush()
}
