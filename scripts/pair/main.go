// Command pair compares the planner of this commit with that of another: it builds the same program,
// testdata/bench.go, in a work tree of each, runs the two in turn on one processor, and prints the ratio
// of the CPU time that each piece of work takes, as the median over the rounds with its quartiles.
// Times of one run vary with whatever else the machine does; ratios of turns side by side hardly do.
package main

import (
	"bytes"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

func main() {
	base := flag.String("base", "", "the commit to compare with")
	rounds := flag.Int("rounds", 7, "turns of each")
	flag.Parse()
	if err := run(*base, *rounds); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(base string, rounds int) error {
	if base == "" {
		return fmt.Errorf("which commit? make pair BASE=commit")
	}
	dir, err := os.MkdirTemp("", "pair")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	head, err := build(dir, "head", "")
	if err != nil {
		return err
	}
	other, err := build(dir, "base", base)
	if err != nil {
		return err
	}
	ratios, seconds := map[string][]float64{}, map[string][]float64{}
	var names []string
	for round := range rounds + 1 { // the first warms up
		a, order, err := measure(head)
		if err != nil {
			return err
		}
		b, _, err := measure(other)
		if err != nil {
			return err
		}
		if names = order; round == 0 {
			continue
		}
		for _, n := range names {
			ratios[n], seconds[n] = append(ratios[n], a[n]/b[n]), append(seconds[n], a[n])
		}
	}
	fmt.Printf("%-26s %10s %22s\n", "CPU time, this : "+base, "median", "quartiles")
	for _, n := range names {
		slices.Sort(ratios[n])
		slices.Sort(seconds[n])
		q := func(share float64) float64 { return ratios[n][int(share*float64(len(ratios[n])-1)+0.5)] }
		fmt.Printf("%-26s %10.3f %11.3f … %.3f   (%.3f s)\n", n, q(0.5), q(0.25), q(0.75), seconds[n][len(seconds[n])/2])
	}
	return nil
}

// build makes the program from a commit's planner, or from the working tree if commit is "".
func build(dir, name, commit string) (string, error) {
	tree := filepath.Join(dir, name)
	if commit == "" {
		if err := command("", "git", "worktree", "add", "--detach", tree, "HEAD"); err != nil {
			return "", err
		}
		if err := copyTree("core", filepath.Join(tree, "core")); err != nil {
			return "", err
		}
	} else if err := command("", "git", "worktree", "add", "--detach", tree, commit); err != nil {
		return "", err
	}
	defer func() { _ = command("", "git", "worktree", "remove", "--force", tree) }()
	names := "names_play.go"
	if _, err := os.Stat(filepath.Join(tree, "core/play")); err != nil {
		names = "names_plan.go"
	}
	from := "from_plan.go"
	if _, err := os.Stat(filepath.Join(tree, "core/plan/known.go")); err == nil {
		from = "from_known.go"
	}
	cases := "cases_reference.go"
	if _, err := os.Stat(filepath.Join(tree, "core/fit/fit.go")); err == nil {
		cases = "cases_fit.go"
	}
	into := filepath.Join(tree, "cmd/pairbench")
	if err := os.MkdirAll(into, 0o755); err != nil {
		return "", err
	}
	for _, f := range []string{"bench.go", names, from, cases} {
		data, err := os.ReadFile(filepath.Join("scripts/pair/testdata", f))
		if err != nil {
			return "", err
		}
		if err := os.WriteFile(filepath.Join(into, f), asIn(tree, data), 0o644); err != nil {
			return "", err
		}
	}
	bin := filepath.Join(dir, name+".bin")
	return bin, command(tree, "go", "build", "-o", bin, "./cmd/pairbench")
}

// moved are packages that bench.go imports, by the names that they have had in older commits.
var moved = map[string]string{"core/pattern": "core/thumb", "core/rank": "core/suit"}

// asIn is a program with the packages of the commit in tree.
func asIn(tree string, program []byte) []byte {
	for now, old := range moved {
		if _, err := os.Stat(filepath.Join(tree, now)); err != nil {
			program = bytes.ReplaceAll(program, []byte(`"stepping/`+now+`"`), []byte(filepath.Base(now)+` "stepping/`+old+`"`))
		}
	}
	return program
}

// copyTree puts what is in the working tree in the place of what is in the commit.
func copyTree(from, to string) error {
	if err := os.RemoveAll(to); err != nil {
		return err
	}
	return os.CopyFS(to, os.DirFS(from))
}

func command(dir, name string, args ...string) error {
	cmd := exec.Command(name, args...)
	cmd.Dir = dir
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%s %s: %w\n%s", name, strings.Join(args, " "), err, out)
	}
	return nil
}

// measure runs a program once and reads the CPU seconds of each piece.
func measure(bin string) (map[string]float64, []string, error) {
	cmd := exec.Command(bin)
	cmd.Env = append(os.Environ(), "GOMAXPROCS=1", "GODEBUG=asyncpreemptoff=1") // signals of preemption were up to 44% of the samples
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, os.Stderr
	if err := cmd.Run(); err != nil {
		return nil, nil, err
	}
	got := map[string]float64{}
	var names []string
	for _, line := range strings.Split(strings.TrimSpace(out.String()), "\n") {
		name, value, _ := strings.Cut(line, "\t")
		v, err := strconv.ParseFloat(value, 64)
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %q", bin, line)
		}
		got[name], names = v, append(names, name)
	}
	return got, names, nil
}
