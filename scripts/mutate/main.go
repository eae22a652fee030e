// Command mutate changes the code a little, one change at a time, and runs the short tests of the changed package, and then
// those of the packages that import it, without a browser: a change that no test notices is behaviour that no test holds. The
// changes are those of list.txt, and some drawn at random over core, formats, store, jobs and web: operators, constants,
// conditions, dropped statements, swapped arguments.
//
// The tree stays as it is: a changed file takes the place of its original by go test -overlay.
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
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
	broken bool // it does not compile
	caught bool
	how    string // the first line that says so, or what is wrong
	took   time.Duration
}

// testLimit is how long the short tests of one package may take, compiling included.
const testLimit = 3 * time.Minute

func main() {
	list := flag.String("list", "scripts/mutate/list.txt", "file of changes; empty for none")
	drawn := flag.Int("drawn", 40, "how many are drawn at random")
	seed := flag.Uint64("seed", 1, "of what is drawn")
	workers := flag.Int("workers", 2, "mutants tested at a time")
	flag.Parse()
	if err := run(*list, *drawn, *seed, *workers); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(list string, drawn int, seed uint64, workers int) error {
	importers, err := importersOf()
	if err != nil {
		return err
	}
	t := &tester{importers: importers, slots: make(chan struct{}, workers)}
	missed := 0
	if list != "" {
		data, err := os.ReadFile(list)
		if err != nil {
			return err
		}
		mutants, err := readList(string(data), ".")
		if err != nil {
			return err
		}
		missed += report("list", t.all(mutants))
	}
	out, err := t.draw(drawn, seed)
	if err != nil {
		return err
	}
	if missed += report(fmt.Sprint("seed ", seed), out); missed > 0 {
		return fmt.Errorf("%d changes went unnoticed", missed)
	}
	return nil
}

// report prints how many were caught, in all and by folder.
func report(what string, verdicts []verdict) (missed int) {
	all, caught := map[string]int{}, map[string]int{}
	for _, v := range verdicts {
		folder := filepath.Dir(v.file)
		all[folder]++
		if v.caught {
			caught[folder]++
		} else {
			missed++
		}
	}
	for _, folder := range slices.Sorted(maps.Keys(all)) {
		fmt.Printf("        %-30s %d of %d\n", folder, caught[folder], all[folder])
	}
	fmt.Printf("%s: %d of %d caught (%.0f%%)\n", what, len(verdicts)-missed, len(verdicts),
		100*float64(len(verdicts)-missed)/float64(max(len(verdicts), 1)))
	return missed
}

// tester tests mutants, some at a time.
type tester struct {
	importers map[string][]string
	slots     chan struct{}
}

func (t *tester) all(mutants []mutant) []verdict {
	out := make([]verdict, len(mutants))
	var all sync.WaitGroup
	for i := range mutants {
		t.slots <- struct{}{}
		all.Go(func() {
			out[i] = t.test(mutants[i])
			<-t.slots
		})
	}
	all.Wait()
	return out
}

// draw tests n changes that compile, the first of those that the seed gives.
func (t *tester) draw(n int, seed uint64) (out []verdict, err error) {
	sites, err := shuffled(".", seed)
	for len(out) < n && len(sites) > 0 && err == nil {
		var batch []mutant
		for len(batch) < n-len(out) && len(sites) > 0 && err == nil {
			var m mutant
			if m, err = sites[0].make("."); err == nil {
				batch = append(batch, m)
			}
			sites = sites[1:]
		}
		out = append(out, slices.DeleteFunc(t.all(batch), func(v verdict) bool { return v.broken })...)
	}
	return out, err
}

// importersOf lists for each package those whose code or tests import it.
func importersOf() (map[string][]string, error) {
	data, err := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join .Imports \" \"}} {{join .TestImports \" \"}} {{join .XTestImports \" \"}}", "./...").Output()
	if err != nil {
		return nil, err
	}
	out := map[string][]string{}
	for _, line := range strings.Split(strings.TrimSpace(string(data)), "\n") {
		words := strings.Fields(line)
		for _, imported := range words[1:] {
			if strings.HasPrefix(imported, "stepping/") && !slices.Contains(out[imported], words[0]) {
				out[imported] = append(out[imported], words[0])
			}
		}
	}
	return out, nil
}

// last are packages whose tests take long: they are asked after the others.
var last = []string{"stepping/core/take", "stepping/store", "stepping/localdb", "stepping/web", "stepping/cmd/stepping"}

// never are packages that say nothing of a change, or too late.
var never = []string{"stepping/faults", "stepping/scripts/mutate", "stepping/scripts/pair", "stepping/scripts/cputime"}

// inTurn are the packages whose tests are run for a change of one, in this order.
func (t *tester) inTurn(pkg string) []string {
	later := slices.Clone(t.importers[pkg])
	slices.SortStableFunc(later, func(a, b string) int { return slices.Index(last, a) - slices.Index(last, b) })
	return slices.DeleteFunc(append([]string{pkg}, later...), func(p string) bool { return slices.Contains(never, p) })
}

// test runs the short tests of the mutant's package and its importers until one fails.
func (t *tester) test(m mutant) verdict {
	v, begin := verdict{mutant: m, how: "all tests pass"}, time.Now()
	dir, err := os.MkdirTemp("", "mutant")
	if err == nil {
		defer os.RemoveAll(dir)
		var overlay string
		if overlay, err = m.overlay(dir); err == nil {
			t.ask(&v, overlay)
		}
	}
	if err != nil {
		v.broken, v.how = true, err.Error()
	}
	v.took = time.Since(begin)
	if mark := "caught"; !v.broken {
		if !v.caught {
			mark = "MISSED"
		}
		fmt.Printf("%s  %-90s %4.1f s  %s\n", mark, v.name, v.took.Seconds(), v.how)
	}
	return v
}

// ask runs the tests.
func (t *tester) ask(v *verdict, overlay string) {
	pkg := "stepping/" + filepath.Dir(v.file)
	if out, err := exec.Command("go", "build", "-overlay", overlay, pkg).CombinedOutput(); err != nil {
		v.broken, v.how = true, firstLine(out, ".go:")
		return
	}
	for _, p := range t.inTurn(pkg) {
		ctx, stop := context.WithTimeout(context.Background(), testLimit)
		cmd := exec.CommandContext(ctx, "go", "test", "-short", "-failfast", "-vet=off", "-timeout", testLimit.String(), "-overlay", overlay, p)
		cmd.Env = append(os.Environ(), "STEPPING_NO_BROWSER=1")
		out, err := cmd.CombinedOutput()
		ended := ctx.Err() == nil
		stop()
		switch {
		case !ended:
			v.caught, v.how = true, p+": the tests do not end"
			return
		case err != nil:
			v.caught, v.how = true, p+": "+firstLine(out, "--- FAIL", "panic:", "[build failed]")
			return
		}
	}
}

// overlay writes the change to dir, as go build reads it.
func (m *mutant) overlay(dir string) (string, error) {
	changed, overlay := filepath.Join(dir, "changed.go"), filepath.Join(dir, "overlay.json")
	full, err := filepath.Abs(m.file)
	if err != nil {
		return "", err
	}
	data, err := json.Marshal(map[string]any{"Replace": map[string]string{full: changed}})
	if err != nil {
		return "", err
	}
	if err := os.WriteFile(changed, m.source, 0o600); err != nil {
		return "", err
	}
	return overlay, os.WriteFile(overlay, data, 0o600)
}

// firstLine is the first line that holds one of some words.
func firstLine(out []byte, words ...string) string {
	for line := range bytes.Lines(out) {
		for _, w := range words {
			if bytes.Contains(line, []byte(w)) {
				return strings.TrimSpace(string(line))
			}
		}
	}
	return ""
}
