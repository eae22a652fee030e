// Command stepping plans how to play a tune on a retuned guitar, from the command line
// or as a web application.
package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"strings"
	"syscall"
)

const usage = `usage:
  stepping serve [--lan]             the web application (STEPPING_DSN, STEPPING_ADDR); --lan for others in this
                                     network, with sign-in and a certificate of its own
  stepping demo [--accounts]         the same with its own database and demo tunes; --accounts with a teacher, two pupils
                                     and a lent tune, in a database of their own
  stepping reset NAME                a one-time link for a new password
  stepping backup FILE [--replace]   everything of this installation in one file, also while it runs
  stepping restore FILE [--replace]  and back
  stepping plan TUNE [--tuning "D A D F# A D"] [--capo N] [--tempo N] [--swing 2:1] [--player FILE.json]
                [--thumb written|steady|alternating|none] [--varied] [--pattern NAME|FILE.json] [--json|--tab]
                [--position N] [--voice N] [--bass N|none] [--chords STYLE|"D | G A7"] [--grid N] [--free]
                                     TUNE is ABC, text tablature, MusicXML (.musicxml, .xml, .mxl) or MIDI; --voice
                                     takes another voice as the melody, --bass another as the bass, --free lets go
                                     of the places in the file; --chords gives the tune chords, or proposes them:
                                     plain, blues or moving;
                                     --position 5 keeps the fretting hand at frets 5 to 8
  stepping read TUNE [--json] [--notes] [--voice N] [--bass N|none] [--grid N] [--tuning "…"]
  stepping check TAB [--tuning "…"] [--player FILE.json] [--json]
  stepping export TUNE --to musicxml|midi|abc|tab|json [--out FILE] [as for plan]
  stepping sound TUNE --out F.wav [--bars 3-6] [--layers melody,thumb,percussion,click,noise] [--count-in N]
                [--repeats N] [--rate N] [--no-dampers] [--faults FILE.json] [as for plan]
  stepping ladder TUNE [--json] [as for plan]
  stepping take TUNE FILE.wav [--json] [as for plan]
  stepping pitch FILE.wav [--json]
  stepping grips CHORD [--tuning "…"] [--capo N] [--player FILE.json] [--most N]
  stepping chords "D | G | A7 | D" [--tuning "…"] [--capo N] [--pattern NAME|FILE.json]
                [--meter 4/4] [--tempo N] [--player FILE.json]
  stepping name --tuning "…" --frets "0 2 3 2 1 0"
  stepping retune --from "…" --to "…" [--guitar FILE.json]
  stepping tuning "D A D F A D" [--key D] [--scale major] [--frets 12]
  stepping suit TUNE [--player FILE.json] [--keep-key] [--capos N] [--from "…"]
                [--guitar FILE.json] [--thumb steady|alternating|none]
  stepping set FILE.json
  stepping agree DIR|FILE.ref… [--weights FILE.json] [--prices] [--json]
  stepping fit DIR|FILE.ref… [--from FILE.json] [--out FILE.json] [--only NAME,…] [--sweeps N] [--folds N] [--needs]
`

// Exit statuses.
const (
	exitOK    = 0
	exitFail  = 1 // the machine's fault: a file that cannot be read, a port taken
	exitInput = 2 // faulty input
)

// inputError is a fault in what the user gave: one line, exit status 2.
type inputError struct{ text string }

func (e *inputError) Error() string { return e.text }

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	os.Exit(run(ctx, os.Args[1:], os.Stdout, os.Stderr))
}

// run is main without the process: it returns the exit status.
func run(ctx context.Context, args []string, out, errOut io.Writer) int {
	commands := map[string]func(ctx context.Context, args []string, out, errOut io.Writer) error{
		"plan": planCommand, "grips": gripsCommand, "chords": chordsCommand, "name": nameCommand, "retune": retuneCommand,
		"tuning": tuningCommand, "suit": suitCommand, "set": setCommand, "agree": agreeCommand, "fit": fitCommand,
		"read": readCommand, "check": checkCommand, "export": exportCommand, "sound": soundCommand, "ladder": ladderCommand,
		"take": takeCommand, "pitch": pitchCommand, "serve": serveCommand, "demo": demoCommand, "reset": resetCommand,
		"backup": backupCommand, "restore": restoreCommand,
	}
	if len(args) > 0 && (args[0] == "help" || args[0] == "--help" || args[0] == "-h") {
		fmt.Fprint(out, usage)
		return exitOK
	}
	if len(args) == 0 || commands[args[0]] == nil {
		fmt.Fprint(errOut, usage)
		return exitInput
	}
	err := commands[args[0]](ctx, args[1:], out, errOut)
	var input *inputError
	switch {
	case err == nil:
		return exitOK
	case errors.As(err, &input):
		fmt.Fprintln(errOut, strings.ReplaceAll(input.text, "\n", " "))
		return exitInput
	default:
		fmt.Fprintln(errOut, "stepping:", err)
		return exitFail
	}
}
