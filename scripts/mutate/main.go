// Command mutate changes core a little, one change at a time, and runs the short tests of the changed
// package: a change that no test notices is a rule that no test holds. The changes are those of
// list.txt and some drawn at random over all weights and hard rules.
//
// The tree stays as it is: a changed file takes the place of its original by go test -overlay.
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"time"
)

// mutant is one change of one file.
type mutant struct {
	name, file string
	source     []byte // of the whole file, changed
}

// verdict is what the tests say of a mutant.
type verdict struct {
	mutant
	caught bool
	how    string // the first line that says so, or what is wrong
	took   time.Duration
}

// testLimit is how long the short tests of one package may take, compiling included.
const testLimit = 90 * time.Second

func main() {
	list := flag.String("list", "scripts/mutate/list.txt", "file of changes; empty for none")
	drawn := flag.Int("drawn", 20, "how many are drawn at random")
	seed := flag.Uint64("seed", 1, "of what is drawn")
	workers := flag.Int("workers", 2, "mutants tested at a time")
	flag.Parse()
	mutants, err := gather(*list, *drawn, *seed)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(2)
	}
	begin, missed := time.Now(), 0
	for _, v := range runAll(mutants, *workers) {
		mark := "caught"
		if !v.caught {
			mark, missed = "MISSED", missed+1
		}
		fmt.Printf("%s  %-64s %4.1f s  %s\n", mark, v.name, v.took.Seconds(), v.how)
	}
	fmt.Printf("%d of %d caught (%.0f%%) in %.0f s; seed %d\n", len(mutants)-missed, len(mutants),
		100*float64(len(mutants)-missed)/float64(max(len(mutants), 1)), time.Since(begin).Seconds(), *seed)
	if missed > 0 {
		os.Exit(1)
	}
}

func gather(list string, drawn int, seed uint64) ([]mutant, error) {
	var out []mutant
	if list != "" {
		data, err := os.ReadFile(list)
		if err != nil {
			return nil, err
		}
		if out, err = readList(string(data), "."); err != nil {
			return nil, err
		}
	}
	more, err := draw(".", drawn, seed)
	return append(out, more...), err
}

func runAll(mutants []mutant, workers int) []verdict {
	out := make([]verdict, len(mutants))
	next := make(chan int)
	var all sync.WaitGroup
	for range workers {
		all.Go(func() {
			for i := range next {
				out[i] = mutants[i].test()
			}
		})
	}
	for i := range mutants {
		next <- i
	}
	close(next)
	all.Wait()
	return out
}

// test runs the short tests of the mutant's package.
func (m mutant) test() verdict {
	v, begin := verdict{mutant: m}, time.Now()
	defer func() { v.took = time.Since(begin) }()
	dir, err := os.MkdirTemp("", "mutant")
	if err != nil {
		v.how = err.Error()
		return v
	}
	defer os.RemoveAll(dir)
	changed, overlay := filepath.Join(dir, "changed.go"), filepath.Join(dir, "overlay.json")
	full, err := filepath.Abs(m.file)
	if err == nil {
		err = os.WriteFile(changed, m.source, 0o600)
	}
	if err == nil {
		var data []byte
		if data, err = json.Marshal(map[string]any{"Replace": map[string]string{full: changed}}); err == nil {
			err = os.WriteFile(overlay, data, 0o600)
		}
	}
	if err != nil {
		v.how = err.Error()
		return v
	}
	ctx, stop := context.WithTimeout(context.Background(), testLimit)
	defer stop()
	cmd := exec.CommandContext(ctx, "go", "test", "-short", "-count=1", "-failfast", "-overlay", overlay, "./"+filepath.Dir(m.file))
	out, err := cmd.CombinedOutput()
	switch {
	case ctx.Err() != nil:
		v.caught, v.how = true, "the tests do not end"
	case err == nil:
		v.how = "all tests pass"
	case bytes.Contains(out, []byte("[build failed]")):
		v.how = "it does not compile: " + firstLine(out, ".go:")
	default:
		v.caught, v.how = true, firstLine(out, "--- FAIL", "panic:")
	}
	v.took = time.Since(begin)
	return v
}

// firstLine is the first line that holds one of some words.
func firstLine(out []byte, words ...string) string {
	for _, line := range strings.Split(string(out), "\n") {
		for _, w := range words {
			if strings.Contains(line, w) {
				return strings.TrimSpace(line)
			}
		}
	}
	return ""
}
