// Command cputime runs a command and prints how long it took and how much processor time it used, with everything that it
// started: it takes in orphans, so that a browser's or a server's processes count, too. It fails as the command does, and
// with -most if the processor time was more than that.
package main

import (
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

func main() {
	most := flag.Duration("most", 0, "processor time that the command may use; 0: any")
	flag.Parse()
	if flag.NArg() == 0 {
		fmt.Fprintln(os.Stderr, "usage: cputime [-most 400s] COMMAND [ARGUMENT…]")
		os.Exit(2)
	}
	code, used, err := run(flag.Args())
	switch {
	case err != nil:
		fmt.Fprintln(os.Stderr, "cputime:", err)
		os.Exit(1)
	case code == 0 && *most > 0 && used > *most:
		fmt.Fprintf(os.Stderr, "cputime: %v of processor time, at most %v are allowed\n", used.Round(time.Second), *most)
		code = 1
	}
	os.Exit(code)
}

func run(args []string) (code int, used time.Duration, err error) {
	if err := unix.Prctl(unix.PR_SET_CHILD_SUBREAPER, 1, 0, 0, 0); err != nil {
		return 0, 0, err
	}
	began := time.Now()
	cmd := exec.Command(args[0], args[1:]...)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	if err := cmd.Run(); err != nil {
		exit := (*exec.ExitError)(nil)
		if !errors.As(err, &exit) {
			return 0, 0, err
		}
		code = exit.ExitCode()
	}
	took := time.Since(began)
	for end := time.Now().Add(10 * time.Second); time.Now().Before(end); time.Sleep(10 * time.Millisecond) {
		if _, err := syscall.Wait4(-1, nil, syscall.WNOHANG, nil); errors.Is(err, syscall.ECHILD) {
			break // everything that it left behind has ended
		}
	}
	var u syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_CHILDREN, &u); err != nil {
		return 0, 0, err
	}
	used = time.Duration(u.Utime.Nano() + u.Stime.Nano())
	fmt.Printf("%v, %v of processor time\n", took.Round(100*time.Millisecond), used.Round(100*time.Millisecond))
	return code, used, nil
}
